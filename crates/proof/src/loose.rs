//! Pieces that have come apart from the piece that is held.

use crate::dexel::Field;
use geom::{Box3, DVec3};

/// A connected piece of stock: its material by column.
#[derive(Debug, Clone)]
pub(crate) struct Piece {
    /// (ray, interval) pairs.
    pub parts: Vec<(usize, (f64, f64))>,
    pub volume: f64,
    pub bounds: Box3,
}

fn find(parent: &mut [u32], mut a: u32) -> u32 {
    while parent[a as usize] != a {
        parent[a as usize] = parent[parent[a as usize] as usize];
        a = parent[a as usize];
    }
    a
}

/// Connected pieces of a field of rays along z, largest first. Neighbouring columns (diagonals too) are joined where their
/// intervals overlap.
pub(crate) fn pieces(field: &Field) -> Vec<Piece> {
    let [nu, nv] = field.grid.count;
    let mut first = Vec::with_capacity(field.rays.len() + 1);
    let mut total = 0u32;
    for r in &field.rays {
        first.push(total);
        total += r.len() as u32;
    }
    let mut parent: Vec<u32> = (0..total).collect();
    for j in 0..nv {
        for i in 0..nu {
            let at = j * nu + i;
            if field.rays[at].is_empty() {
                continue;
            }
            for (di, dj) in [(-1i64, 0i64), (-1, -1), (0, -1), (1, -1)] {
                let (ni, nj) = (i as i64 + di, j as i64 + dj);
                if ni < 0 || nj < 0 || ni >= nu as i64 {
                    continue;
                }
                let other = nj as usize * nu + ni as usize;
                for (a, x) in field.rays[at].iter().enumerate() {
                    for (b, y) in field.rays[other].iter().enumerate() {
                        if x.0 < y.1 - 1e-6 && y.0 < x.1 - 1e-6 {
                            let (p, q) =
                                (find(&mut parent, first[at] + a as u32), find(&mut parent, first[other] + b as u32));
                            if p != q {
                                parent[p.max(q) as usize] = p.min(q);
                            }
                        }
                    }
                }
            }
        }
    }
    // The usual answer is one piece: count roots before collecting anything.
    let mut slot = vec![u32::MAX; total as usize];
    let mut roots = 0u32;
    for k in 0..total {
        let r = find(&mut parent, k) as usize;
        if slot[r] == u32::MAX {
            slot[r] = roots;
            roots += 1;
        }
    }
    if roots < 2 {
        return Vec::new();
    }
    let mut out = vec![Piece { parts: Vec::new(), volume: 0.0, bounds: Box3::EMPTY }; roots as usize];
    let area = field.grid.pitch * field.grid.pitch;
    let half = DVec3::new(0.5, 0.5, 0.0) * field.grid.pitch;
    for (at, ray) in field.rays.iter().enumerate() {
        for (k, &(a, b)) in ray.iter().enumerate() {
            let root = find(&mut parent, first[at] + k as u32);
            let p = &mut out[slot[root as usize] as usize];
            p.parts.push((at, (a, b)));
            p.volume += (b - a) * area;
            p.bounds = p.bounds.joined(&Box3::of([field.grid.point(at, a) - half, field.grid.point(at, b) + half]));
        }
    }
    out.sort_by(|a, b| b.volume.total_cmp(&a.volume));
    out
}

/// Take a piece (known by its columns) out of a field of any direction.
pub(crate) fn remove(field: &mut Field, columns: &Field, piece: &Piece) {
    use crate::dexel::subtract;
    let pitch = columns.grid.pitch;
    for &(at, (a, b)) in &piece.parts {
        if field.grid.axis == 2 {
            subtract(&mut field.rays[at], a, b);
            continue;
        }
        // Each column stands for a square of one pitch: take that prism from the rays across it.
        let p = columns.grid.point(at, a);
        let (u, v) = field.grid.uv();
        // A little more than the half pitch, so that the piece's own rim, which no column hits, goes with it.
        let mut lo = p - DVec3::new(pitch, pitch, 0.0) * 0.6;
        let mut hi = p + DVec3::new(pitch, pitch, 0.0) * 0.6;
        (lo.z, hi.z) = (a, b);
        let (us, vs) = (field.grid.range(0, lo[u], hi[u]), field.grid.range(1, lo[v], hi[v]));
        for j in vs {
            for i in us.clone() {
                let index = j * field.grid.count[0] + i;
                subtract(&mut field.rays[index], lo[field.grid.axis], hi[field.grid.axis]);
            }
        }
    }
}

/// Take all that lies in a box out of a field of any direction.
pub(crate) fn clear(field: &mut Field, b: &Box3) {
    let (u, v) = field.grid.uv();
    let (us, vs) = (field.grid.range(0, b.min[u], b.max[u]), field.grid.range(1, b.min[v], b.max[v]));
    for j in vs {
        for i in us.clone() {
            let index = j * field.grid.count[0] + i;
            crate::dexel::subtract(&mut field.rays[index], b.min[field.grid.axis], b.max[field.grid.axis]);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dexel::{Stock, subtract};

    #[test]
    fn a_cut_through_leaves_two_pieces() {
        let b = Box3 { min: DVec3::ZERO, max: DVec3::new(20.0, 10.0, 5.0) };
        let mut s = Stock::block(&b, [0.5; 3]);
        assert!(pieces(&s.fields[2]).is_empty());
        let f = &mut s.fields[2];
        for k in 0..f.rays.len() {
            let x = f.grid.at(k).x;
            if (12.0..14.0).contains(&x) {
                subtract(&mut f.rays[k], -1.0, 6.0);
            }
        }
        let p = pieces(f);
        assert_eq!(p.len(), 2);
        assert!((p[0].volume - 600.0).abs() < 30.0 && (p[1].volume - 300.0).abs() < 30.0);
        let columns = s.fields[2].clone();
        let mut across = s.fields[0].clone();
        remove(&mut across, &columns, &p[1]);
        assert!(across.rays.iter().all(|r| r.last().is_none_or(|m| m.1 < 14.2)));
    }
}
