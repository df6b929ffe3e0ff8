//! Flat lids over the openings of a mesh: a proposal that a person is asked about.

use super::{Mesh, edges, key};
use geom::DVec3;
use std::collections::HashMap;

/// Borders further than this out of their plane are not closed, mm.
const FLAT: f64 = 0.01;

/// A border in its plane.
struct Loop {
    points: Vec<u32>,
    normal: DVec3,
    offset: f64,
    flat: Vec<[f64; 2]>,
    area: f64,
    /// How many of its plane lie around it.
    within: usize,
    /// The smallest of those.
    parent: Option<usize>,
}

/// Close every flat opening. True if there was one.
pub(super) fn close(mesh: &mut Mesh, tolerance: f64) -> bool {
    let mut loops: Vec<Loop> =
        borders(mesh).into_iter().filter_map(|b| flattened(mesh, b, FLAT.max(tolerance))).collect();
    loops.sort_by(|a, b| b.area.total_cmp(&a.area));
    for k in 0..loops.len() {
        for o in 0..k {
            let (a, b) = (&loops[k], &loops[o]);
            let same = a.normal.dot(b.normal).abs() > 1.0 - 1e-6;
            let at = mesh.points[a.points[0] as usize];
            if same && (at.dot(b.normal) - b.offset).abs() < FLAT && inside(&b.flat, flat(b.normal, at)) {
                loops[k].within += 1;
                loops[k].parent = Some(o);
            }
        }
    }
    let before = mesh.triangles.len();
    for k in (0..loops.len()).filter(|&k| loops[k].within.is_multiple_of(2)) {
        let holes = loops.iter().filter(|l| l.within % 2 == 1 && l.parent == Some(k));
        let normal = loops[k].normal;
        let mut corners = loops[k].points.clone();
        let mut starts = Vec::new();
        for h in holes {
            starts.push(corners.len());
            corners.extend(&h.points);
        }
        let places: Vec<f64> = corners.iter().flat_map(|&c| flat(normal, mesh.points[c as usize])).collect();
        let Ok(out) = earcutr::earcut(&places, &starts, 2) else { continue };
        mesh.triangles.extend(out.chunks_exact(3).map(|t| [t[0], t[1], t[2]].map(|k| corners[k])));
    }
    mesh.triangles.len() > before
}

/// Closed chains of edges at which one triangle lies, each vertex once.
fn borders(mesh: &Mesh) -> Vec<Vec<u32>> {
    let mut count: HashMap<[u32; 2], u32> = HashMap::new();
    mesh.triangles.iter().flat_map(edges).for_each(|e| *count.entry(key(e)).or_default() += 1);
    let mut next: HashMap<u32, Vec<u32>> = HashMap::new();
    let mut starts = Vec::new();
    for e in mesh.triangles.iter().flat_map(edges).filter(|e| count[&key(*e)] == 1) {
        next.entry(e[1]).or_default().push(e[0]);
        starts.push(e[1]);
    }
    starts.sort_unstable();
    let mut out = Vec::new();
    for s in starts {
        let mut line = vec![s];
        while let Some(to) = next.get_mut(line.last().unwrap_or(&s)).and_then(Vec::pop) {
            if to == s {
                out.push(std::mem::take(&mut line));
                break;
            }
            // Two openings that touch at a corner: the inner chain is one of its own.
            if let Some(at) = line.iter().position(|p| *p == to) {
                out.push(line.split_off(at));
            }
            line.push(to);
        }
    }
    out.retain(|l| l.len() >= 3);
    out
}

fn flattened(mesh: &Mesh, points: Vec<u32>, within: f64) -> Option<Loop> {
    let p: Vec<DVec3> = points.iter().map(|&k| mesh.points[k as usize]).collect();
    // Newell's normal.
    let base = p[0];
    let twice: DVec3 = (0..p.len()).map(|k| (p[k] - base).cross(p[(k + 1) % p.len()] - base)).sum();
    let normal = twice.try_normalize()?;
    let offset = p.iter().map(|q| q.dot(normal)).sum::<f64>() / p.len() as f64;
    if p.iter().any(|q| (q.dot(normal) - offset).abs() > within) {
        return None;
    }
    let flat = p.iter().map(|q| flat(normal, *q)).collect();
    Some(Loop { points, normal, offset, flat, area: twice.length() / 2.0, within: 0, parent: None })
}

fn flat(normal: DVec3, p: DVec3) -> [f64; 2] {
    // One frame for a plane, whichever way its normal looks.
    let n = if normal.x + 2.0 * normal.y + 3.0 * normal.z < 0.0 { -normal } else { normal };
    let e = n.any_orthonormal_vector();
    [p.dot(e), p.dot(n.cross(e))]
}

fn inside(ring: &[[f64; 2]], p: [f64; 2]) -> bool {
    let mut odd = false;
    for (k, a) in ring.iter().enumerate() {
        let b = ring[(k + 1) % ring.len()];
        if (a[1] > p[1]) != (b[1] > p[1]) && p[0] < a[0] + (p[1] - a[1]) / (b[1] - a[1]) * (b[0] - a[0]) {
            odd = !odd;
        }
    }
    odd
}
