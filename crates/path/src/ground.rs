//! Where a ball-ended cutter that is let down comes to rest on a part: exact against every corner, edge and face of a mesh (the *drop cutter*; Hwang and
//! Chang, "Three-axis machining of compound surfaces using flat and filleted endmills", Computer-Aided Design 30, 1998, from memory, for the contacts with
//! corner, edge and face).

use geom::{Box3, DVec2, DVec3, TriMesh};
use reason::Sure;
use std::sync::Arc;

/// Cosine of the angle by which a contact at an edge may lean away from the face that it is counted to: half of the 0.2 rad by which chords turn.
const LEANS: f64 = 0.994;

/// Faces that look up less than this are not asked: what lets a ball down rests on a face that looks up, or on an edge or corner of one, for the mesh is closed.
const UP: f64 = 1e-7;

/// A triangle in a cell.
#[derive(Clone, Copy)]
struct Over {
    /// How high it reaches there, mm.
    top: f64,
    triangle: u32,
}

/// Triangles that look up by the cells of a grid that they lie over, those that reach highest there first.
struct Bins {
    /// Of each triangle, of length 1.
    normals: Vec<DVec3>,
    /// Of each triangle, seen from above: least and largest corner.
    boxes: Vec<[DVec2; 2]>,
    origin: DVec2,
    cell: f64,
    count: [usize; 2],
    cells: Vec<Vec<Over>>,
}

/// Does a triangle, seen from above, come into a rectangle? No line along one of its edges parts them (the separating axis theorem; those along the
/// rectangle's edges do not).
fn comes_into(c: &[DVec3; 3], [low, high]: [DVec2; 2]) -> bool {
    let (middle, half) = (low.midpoint(high), (high - low) / 2.0 + 1e-9);
    (0..3).all(|k| {
        let (a, b, o) = (c[k].truncate(), c[(k + 1) % 3].truncate(), c[(k + 2) % 3].truncate());
        let across = (b - a).perp();
        let (edge, other) = (across.dot(a), across.dot(o));
        let (m, reach) = (across.dot(middle), across.abs().dot(half));
        m + reach >= edge.at_most(other) && m - reach <= edge.at_least(other)
    })
}

impl Bins {
    /// Least and largest corner of a cell.
    fn rect(&self, i: usize, j: usize) -> [DVec2; 2] {
        let low = self.origin + DVec2::new(i as f64, j as f64) * self.cell;
        [low, low + self.cell]
    }
    fn range(&self, low: DVec2, high: DVec2) -> [std::ops::RangeInclusive<usize>; 2] {
        [0, 1].map(|k| {
            let at = |v: f64| ((v - self.origin[k]) / self.cell).floor();
            let end = self.count[k] as f64 - 1.0;
            // A box beside the grid has an empty range.
            if at(high[k]) < 0.0 || at(low[k]) > end {
                #[expect(clippy::reversed_empty_ranges, reason = "nothing lies there")]
                return 1..=0;
            }
            at(low[k]).clamp(0.0, end) as usize..=at(high[k]).clamp(0.0, end) as usize
        })
    }
}

/// A mesh to come to rest on, and the faces of it that are to be cut.
pub struct Ground<'a> {
    mesh: &'a TriMesh,
    bins: Arc<Bins>,
    /// Of each face: is it one of those that are to be cut?
    wanted: Vec<bool>,
    /// Of each cell: does one of them lie over it?
    wants: Vec<bool>,
}

/// Where a cutter rests.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Rest {
    /// Height of its lowest point, mm.
    pub tip: f64,
    /// Out of the part where it touches, of length 1.
    pub normal: DVec3,
    /// Where it touches, mm.
    pub touches: DVec3,
    /// It touches a face that is to be cut.
    pub wanted: bool,
}

impl<'a> Ground<'a> {
    /// A mesh of which nothing is to be cut.
    pub fn new(mesh: &'a TriMesh) -> Ground<'a> {
        let b = mesh.bounds();
        let size = b.size();
        let cell = (size.x * size.y / 4000.0).sqrt().at_least(0.5);
        let count = [size.x, size.y].map(|s| (s / cell).ceil().at_least(1.0) as usize + 1);
        let all = || 0..mesh.triangles.len();
        let flat = |t: usize| Box3::of(mesh.corners(t));
        let mut bins = Bins {
            normals: all().map(|t| mesh.normal(t).normalize_or_zero()).collect(),
            boxes: all().map(|t| [flat(t).min.truncate(), flat(t).max.truncate()]).collect(),
            origin: b.min.truncate(),
            cell,
            count,
            cells: vec![Vec::new(); count[0] * count[1]],
        };
        for t in all() {
            let n = bins.normals[t];
            if n.z <= UP {
                continue;
            }
            let (c, highest) = (mesh.corners(t), flat(t).max.z);
            let [low, high] = bins.boxes[t];
            let [is, js] = bins.range(low, high);
            for j in js {
                for i in is.clone() {
                    let rect = bins.rect(i, j);
                    if !comes_into(&c, rect) {
                        continue;
                    }
                    // Its plane is highest in a corner of the cell.
                    let (most, least) = (rect[1] - c[0].truncate(), rect[0] - c[0].truncate());
                    let along = |k: usize| (-n[k] * most[k]).at_least(-n[k] * least[k]);
                    let top = highest.at_most(c[0].z + (along(0) + along(1)) / n.z + 1e-9);
                    bins.cells[j * count[0] + i].push(Over { top, triangle: t as u32 });
                }
            }
        }
        bins.cells.iter_mut().for_each(|c| c.sort_by(|a, b| b.top.total_cmp(&a.top)));
        Ground { mesh, bins: Arc::new(bins), wanted: Vec::new(), wants: Vec::new() }
    }

    /// The same mesh with these faces to be cut.
    pub fn wanting(&self, faces: &[u32]) -> Ground<'a> {
        let mut wanted = vec![false; faces.iter().max().map_or(0, |f| *f as usize + 1)];
        faces.iter().for_each(|f| wanted[*f as usize] = true);
        let is =
            |o: &Over| self.mesh.face.get(o.triangle as usize).and_then(|f| wanted.get(*f as usize)) == Some(&true);
        let wants = self.bins.cells.iter().map(|c| c.iter().any(is)).collect();
        Ground { mesh: self.mesh, bins: self.bins.clone(), wanted, wants }
    }

    /// May something that is to be cut lie within so much of a place, seen from above? Never no where it does.
    pub fn near_wanted(&self, p: DVec2, within: f64) -> bool {
        let [is, mut js] = self.bins.range(p - within, p + within);
        let close = |i: usize, j: usize| {
            let [low, high] = self.bins.rect(i, j);
            self.wants[j * self.bins.count[0] + i] && p.clamp(low, high).distance_squared(p) <= within * within
        };
        !self.wants.is_empty() && js.any(|j| is.clone().any(|i| close(i, j)))
    }

    /// Where a ball of a radius rests whose axis stands at `p`; nothing where nothing lies below it.
    pub fn rest(&self, p: DVec2, radius: f64) -> Option<Rest> {
        let [is, js] = self.bins.range(p - radius, p + radius);
        // How high each cell could lift it at most; the one that could most is asked first, and few others then.
        let mut cells: Vec<(f64, usize)> = Vec::with_capacity(is.clone().count() * js.clone().count());
        for j in js {
            for i in is.clone() {
                let k = j * self.bins.count[0] + i;
                let Some(&first) = self.bins.cells[k].first() else { continue };
                let [low, high] = self.bins.rect(i, j);
                let d2 = p.clamp(low, high).distance_squared(p);
                if d2 < radius * radius {
                    cells.push((first.top - radius + (radius * radius - d2).sqrt(), k));
                }
            }
        }
        let mut best: Option<Rest> = None;
        let most = (0..cells.len()).max_by(|a, b| cells[*a].0.total_cmp(&cells[*b].0))?;
        self.in_cell(cells[most].1, p, radius, &mut best);
        for (n, &(bound, k)) in cells.iter().enumerate() {
            if n != most && best.is_none_or(|b| bound >= b.tip - 1e-7) {
                self.in_cell(k, p, radius, &mut best);
            }
        }
        best
    }

    fn in_cell(&self, k: usize, p: DVec2, r: f64, best: &mut Option<Rest>) {
        for o in &self.bins.cells[k] {
            let (t, least) = (o.triangle as usize, best.map_or(f64::NEG_INFINITY, |b| b.tip - 1e-7));
            // The tip is never higher than what it touches …
            if o.top < least {
                break;
            }
            // … and lower by the ball's height so far from its axis.
            let [low, high] = self.bins.boxes[t];
            let d2 = p.clamp(low, high).distance_squared(p);
            if d2 < r * r && o.top - r + (r * r - d2).sqrt() >= least {
                self.on(t, p, r, best);
            }
        }
    }

    /// The highest that lies within a circle, by boxes around triangles: never less than there is; nothing where nothing does.
    pub fn highest(&self, p: DVec2, radius: f64) -> Option<f64> {
        let mut best: Option<f64> = None;
        let [is, js] = self.bins.range(p - radius, p + radius);
        for j in js {
            for i in is.clone() {
                let [low, high] = self.bins.rect(i, j);
                if p.clamp(low, high).distance(p) >= radius {
                    continue;
                }
                for o in &self.bins.cells[j * self.bins.count[0] + i] {
                    if best.is_some_and(|b| o.top <= b) {
                        break;
                    }
                    let [low, high] = self.bins.boxes[o.triangle as usize];
                    if p.clamp(low, high).distance(p) < radius {
                        best = Some(o.top);
                    }
                }
            }
        }
        best
    }

    fn on(&self, t: usize, p: DVec2, r: f64, best: &mut Option<Rest>) {
        let n = self.bins.normals[t];
        let c = self.mesh.corners(t);
        let wants = self.mesh.face.get(t).is_some_and(|f| self.wanted.get(*f as usize) == Some(&true));
        let mut offer = |centre: f64, q: DVec3| {
            let tip = centre - r;
            let normal = (p.extend(centre) - q) / r;
            let wanted = wants && normal.dot(n) > LEANS;
            // Of two that bear alike the one that is to be cut.
            let better = best.is_none_or(|b| tip > b.tip + 1e-7 || (tip > b.tip - 1e-7 && wanted && !b.wanted));
            if better {
                let tip = best.map_or(tip, |b| tip.at_least(b.tip));
                *best = Some(Rest { tip, normal, touches: q, wanted });
            }
        };
        // Its face.
        if n.z > 1e-9 {
            let centre = (n.dot(c[0]) + r - n.truncate().dot(p)) / n.z;
            let q = p.extend(centre) - n * r;
            let inside = (0..3).all(|k| (c[(k + 1) % 3] - c[k]).truncate().perp_dot((q - c[k]).truncate()) >= 0.0);
            if inside {
                offer(centre, q);
                // Its edges and corners lie below the ball then.
                return;
            }
        }
        for k in 0..3 {
            let (a, b) = (c[k], c[(k + 1) % 3]);
            let d2 = (a.truncate() - p).length_squared();
            if d2 < r * r {
                offer(a.z + (r * r - d2).sqrt(), a);
            }
            // Along its edge: the distance of the ball's middle from the line is the radius.
            let w = b - a;
            let (flat, all) = (w.truncate().length_squared(), w.length_squared());
            if flat < 1e-12 * all || all == 0.0 {
                continue;
            }
            let h = p - a.truncate();
            let along = h.dot(w.truncate());
            let (qa, qb, qc) = (flat / all, -along * w.z / all, h.length_squared() - along * along / all - r * r);
            let root = qb * qb - qa * qc;
            if root < 0.0 {
                continue;
            }
            let up = (-qb + root.sqrt()) / qa;
            let s = (along + up * w.z) / all;
            if s > 0.0 && s < 1.0 {
                offer(a.z + up, a + w * s);
            }
        }
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;

    /// A half ball of radius `r` standing on a plate of side 60 (z = 0), by rings of triangles.
    pub(crate) fn dome(r: f64, rings: u32) -> TriMesh {
        let mut mesh = TriMesh::default();
        let round = 8 * rings;
        let at = |k: u32, m: u32| {
            let (a, b) = (f64::from(k) / f64::from(rings), f64::from(m % round) / f64::from(round));
            let (up, turn) = (a * std::f64::consts::FRAC_PI_2, b * std::f64::consts::TAU);
            DVec3::new(r * up.cos() * turn.cos(), r * up.cos() * turn.sin(), r * up.sin())
        };
        let mut add = |c: [DVec3; 3], face: u32| {
            let n = mesh.points.len() as u32;
            mesh.points.extend(c);
            mesh.triangles.push([n, n + 1, n + 2]);
            mesh.face.push(face);
        };
        for k in 0..rings {
            for m in 0..round {
                let (a, b, c, d) = (at(k, m), at(k, m + 1), at(k + 1, m + 1), at(k + 1, m));
                add([a, b, c], 1);
                if k + 1 < rings {
                    add([a, c, d], 1);
                }
            }
        }
        let c = [(-30.0, -30.0), (30.0, -30.0), (30.0, 30.0), (-30.0, 30.0)].map(|(x, y)| DVec3::new(x, y, 0.0));
        add([c[0], c[1], c[2]], 0);
        add([c[0], c[2], c[3]], 0);
        mesh
    }

    /// On a ball the middle of the cutter lies on a larger ball; beside it on the plate; in the corner between it touches both.
    #[test]
    fn a_ball_rests_on_a_ball() {
        let mesh = dome(10.0, 90);
        let g = Ground::new(&mesh).wanting(&[1]);
        for (x, r) in [(0.0, 3.0), (4.0, 3.0), (7.3, 2.0), (10.5, 3.0), (20.0, 3.0), (12.0, 1.5)] {
            let p = DVec2::new(x, 0.2);
            let rest = g.rest(p, r).unwrap();
            let on_dome = ((10.0 + r) * (10.0 + r) - p.length_squared()).at_least(0.0).sqrt() - r;
            let exact = on_dome.at_least(0.0);
            // The chords lie inside by at most 10·(1 − cos(π/360)).
            assert!(rest.tip <= exact + 1e-9 && rest.tip > exact - 1e-3, "{x} {r}: {} {exact}", rest.tip);
            assert_eq!(rest.wanted, on_dome > 1e-3, "{x} {r}");
            if on_dome > 1e-3 {
                assert!((rest.normal.z - (rest.tip + r) / (10.0 + r)).abs() < 0.02, "{:?}", rest.normal);
            }
        }
        assert!(g.rest(DVec2::new(80.0, 0.0), 3.0).is_none());
        assert_eq!(g.highest(DVec2::new(29.0, 29.0), 2.0), Some(0.0));
    }

    /// Against a slow look at many points of random triangles: never lower than any point allows, and touching one of them.
    #[test]
    fn nothing_stands_into_a_ball_at_rest() {
        let mut rng = fastrand::Rng::with_seed(11);
        let mut rnd = |a: f64, b: f64| a + (b - a) * rng.f64();
        for _ in 0..60 {
            let mut mesh = TriMesh::default();
            for k in 0..12 {
                let m = DVec3::new(rnd(-6.0, 6.0), rnd(-6.0, 6.0), rnd(-3.0, 3.0));
                for _ in 0..3 {
                    mesh.points.push(m + DVec3::new(rnd(-4.0, 4.0), rnd(-4.0, 4.0), rnd(-4.0, 4.0)));
                }
                mesh.triangles.push([3 * k, 3 * k + 1, 3 * k + 2]);
                mesh.face.push(k);
            }
            // Both sides, so that each has one that looks up.
            let back: Vec<[u32; 3]> = mesh.triangles.iter().map(|t| [t[0], t[2], t[1]]).collect();
            mesh.triangles.extend(back);
            mesh.face.extend(0..12);
            let g = Ground::new(&mesh);
            for _ in 0..8 {
                let (p, r) = (DVec2::new(rnd(-5.0, 5.0), rnd(-5.0, 5.0)), rnd(0.5, 4.0));
                const N: u32 = 60;
                let mut slow = f64::NEG_INFINITY;
                for t in 0..12 {
                    let [a, b, c] = mesh.corners(t);
                    for i in 0..=N {
                        for j in 0..=N - i {
                            let q =
                                a + (b - a) * (f64::from(i) / f64::from(N)) + (c - a) * (f64::from(j) / f64::from(N));
                            let d2 = (q.truncate() - p).length_squared();
                            if d2 < r * r {
                                slow = slow.at_least(q.z + (r * r - d2).sqrt() - r);
                            }
                        }
                    }
                }
                match g.rest(p, r) {
                    None => assert_eq!(slow, f64::NEG_INFINITY),
                    Some(rest) => {
                        assert!(rest.tip >= slow - 1e-9, "{} {slow}", rest.tip);
                        assert!(
                            rest.tip <= slow + 0.12 * r.at_least(1.0) || slow == f64::NEG_INFINITY,
                            "{} {slow}",
                            rest.tip
                        );
                        let centre = p.extend(rest.tip + r);
                        assert!((centre.distance(rest.touches) - r).abs() < 1e-6);
                    }
                }
            }
        }
    }
}
