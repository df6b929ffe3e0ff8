//! Closed triangle meshes: sections, shadows, and crossings with a grid of parallel rays.
//!
//! Decisions about which side of an edge a ray passes are taken from the same numbers in the same order for both triangles at
//! the edge, so a ray enters and leaves a watertight mesh equally often.

use crate::{Box3, Region};
use glam::{DVec2, DVec3};
use rayon::prelude::*;
use std::collections::{HashMap, HashSet};

/// Triangles, outward counter-clockwise, each with the face it belongs to.
#[derive(Debug, Clone, Default)]
pub struct TriMesh {
    /// Points, mm.
    pub points: Vec<DVec3>,
    /// Corner numbers.
    pub triangles: Vec<[u32; 3]>,
    /// Face of each triangle.
    pub face: Vec<u32>,
}

/// Parallel rays through a rectangular grid, along `axis` (0 x, 1 y, 2 z); `u` and `v` are the other two axes in cyclic order.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RayGrid {
    /// Direction of the rays.
    pub axis: usize,
    /// u and v of the first ray.
    pub origin: DVec2,
    /// Distance between rays, mm.
    pub pitch: f64,
    /// Number along u and v.
    pub count: [usize; 2],
}

impl RayGrid {
    /// A grid that covers `bounds` with rays no further apart than `pitch`, off its faces by an odd fraction so that no ray runs in a
    /// face of round size.
    pub fn covering(axis: usize, bounds: &Box3, pitch: f64) -> RayGrid {
        let (u, v) = ((axis + 1) % 3, (axis + 2) % 3);
        let size = bounds.size();
        let count = [u, v].map(|k| (size[k] / pitch).ceil().max(1.0) as usize);
        let origin = DVec2::new(bounds.min[u] + pitch * 0.473_719, bounds.min[v] + pitch * 0.461_803);
        RayGrid { axis, origin, pitch, count }
    }
    /// Axis numbers of u and v.
    pub fn uv(&self) -> (usize, usize) {
        ((self.axis + 1) % 3, (self.axis + 2) % 3)
    }
    /// Number of rays.
    pub fn len(&self) -> usize {
        self.count[0] * self.count[1]
    }
    /// Has it no ray?
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }
    /// u and v of a ray.
    pub fn at(&self, index: usize) -> DVec2 {
        let (i, j) = (index % self.count[0], index / self.count[0]);
        self.origin + DVec2::new(i as f64, j as f64) * self.pitch
    }
    /// The point at `t` on a ray.
    pub fn point(&self, index: usize, t: f64) -> DVec3 {
        let (u, v) = self.uv();
        let q = self.at(index);
        let mut p = DVec3::ZERO;
        p[self.axis] = t;
        p[u] = q.x;
        p[v] = q.y;
        p
    }
    /// Range of ray numbers along u (`k` = 0) or v (1) that lie in [lo, hi], cut to the grid.
    pub fn range(&self, k: usize, lo: f64, hi: f64) -> std::ops::Range<usize> {
        let first = ((lo - self.origin[k]) / self.pitch).ceil().max(0.0);
        let last = ((hi - self.origin[k]) / self.pitch).floor() + 1.0;
        let last = last.clamp(0.0, self.count[k] as f64) as usize;
        (first as usize).min(last)..last
    }
}

/// Where a ray crosses the surface.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Crossing {
    /// Coordinate along the ray.
    pub t: f64,
    /// Going in?
    pub enters: bool,
}

impl TriMesh {
    /// Box around it.
    pub fn bounds(&self) -> Box3 {
        Box3::of(self.points.iter().copied())
    }
    /// Corner points of a triangle.
    pub fn corners(&self, t: usize) -> [DVec3; 3] {
        self.triangles[t].map(|i| self.points[i as usize])
    }
    /// Twice the area times the unit normal.
    pub fn normal(&self, t: usize) -> DVec3 {
        let [a, b, c] = self.corners(t);
        (b - a).cross(c - a)
    }
    /// The same in another frame.
    pub fn placed(&self, p: &crate::Placement) -> TriMesh {
        TriMesh { points: self.points.iter().map(|&q| p.point(q)).collect(), ..self.clone() }
    }
    /// Section by the plane z = `z`, from above. Points of the mesh at exactly that height count as above it.
    pub fn section(&self, z: f64) -> Region {
        Region::from_oriented(&self.section_loops(z))
    }

    fn section_loops(&self, z: f64) -> Vec<Vec<DVec2>> {
        // A directed piece goes from the edge where the triangle's boundary rises through the plane to where it falls … with outward
        // counter-clockwise triangles the solid then lies on its left.
        let above = |i: u32| self.points[i as usize].z >= z;
        let mut next: HashMap<(u32, u32), (u32, u32)> = HashMap::new();
        for t in &self.triangles {
            let up = t.map(above);
            if up[0] == up[1] && up[1] == up[2] {
                continue;
            }
            let (mut rise, mut fall) = ((0, 0), (0, 0));
            for k in 0..3 {
                let (a, b) = (t[k], t[(k + 1) % 3]);
                let key = (a.min(b), a.max(b));
                match (up[k], up[(k + 1) % 3]) {
                    (false, true) => rise = key,
                    (true, false) => fall = key,
                    _ => {}
                }
            }
            next.insert(fall, rise);
        }
        let cross = |e: (u32, u32)| {
            let (a, b) = (self.points[e.0 as usize], self.points[e.1 as usize]);
            let t = (z - a.z) / (b.z - a.z);
            (a + (b - a) * t).truncate()
        };
        let mut starts: Vec<_> = next.keys().copied().collect();
        starts.sort_unstable();
        let mut loops = Vec::new();
        for s in starts {
            let mut line = Vec::new();
            let mut at = s;
            while let Some(to) = next.remove(&at) {
                line.push(cross(at));
                at = to;
            }
            if line.len() > 2 {
                loops.push(line);
            }
        }
        loops
    }

    /// The shadow, straight down, of all that lies above the plane z = `z`.
    pub fn shadow_above(&self, z: f64) -> Region {
        // Of each face: triangles that look up, and others.
        let mut by_face: HashMap<u32, [Vec<usize>; 2]> = HashMap::new();
        for t in 0..self.triangles.len() {
            let n = self.normal(t);
            let top = self.corners(t).iter().map(|p| p.z).fold(f64::NEG_INFINITY, f64::max);
            if top > z {
                let up = n.z > 1e-9 * n.length();
                by_face.entry(self.face.get(t).copied().unwrap_or(0)).or_default()[usize::from(!up)].push(t);
            }
        }
        by_face.retain(|_, [up, _]| !up.is_empty());
        let mut faces: Vec<_> = by_face.into_iter().collect();
        faces.sort_unstable();
        let of = |(_, [up, other]): (u32, [Vec<usize>; 2])| {
            // What is folded together is taken as its border holds it: one by one its triangles would be thousands of crossings.
            let tris = if self.crumpled(&up, &other) { [up, other].concat() } else { up };
            self.projection(&tris, z)
        };
        let mut parts: Vec<Region> = faces.into_par_iter().map(of).collect();
        parts.push(self.section(z));
        // A hair of closing joins neighbours whose shared border was rounded apart.
        const HAIR: f64 = 3e-6;
        Region::union_all(&parts)
            .offset(HAIR, crate::Join::Miter, 1e-6)
            .offset(-HAIR, crate::Join::Miter, 1e-6)
            .without_specks(1e-6)
    }

    /// Is a face folded upon itself? Then triangles that look up and down lie side by side all over it, not along a line, and yet it is no closed
    /// surface: one of both prevails.
    fn crumpled(&self, up: &[usize], other: &[usize]) -> bool {
        const STEEP: f64 = 0.02;
        let n = up.len() + other.len();
        if n < 200 || other.len() < n / 20 {
            return false;
        }
        let flat = |t: &usize| self.normal(*t).z.abs() > STEEP * self.normal(*t).length();
        let areas = |list: &[usize]| list.iter().map(|&t| self.normal(t).z).sum::<f64>();
        let (above, below) = (areas(up), areas(other));
        if (above + below).abs() < 0.05 * (above - below) {
            return false;
        }
        let edges = |t: usize| {
            let c = self.triangles[t];
            [(c[0], c[1]), (c[1], c[2]), (c[2], c[0])]
        };
        let of_up: HashSet<(u32, u32)> = up.iter().filter(|t| flat(t)).flat_map(|&t| edges(t)).collect();
        let down = other.iter().filter(|t| flat(t));
        let folds = down.flat_map(|&t| edges(t)).filter(|&(a, b)| of_up.contains(&(b, a))).count();
        folds > n / 5
    }

    /// Projection of upward triangles, cut off below z: the border of them all, for neighbours cancel at the edge they share.
    fn projection(&self, tris: &[usize], z: f64) -> Region {
        // A corner is a point of the mesh (twice its number), or the place at which an edge goes through the plane (its ends' numbers).
        type Corner = (u32, u32);
        let place = |(a, b): Corner| -> DVec2 {
            let (p, q) = (self.points[a as usize], self.points[b as usize]);
            if a == b { p.truncate() } else { (p + (q - p) * ((z - p.z) / (q.z - p.z))).truncate() }
        };
        let above = |i: u32| self.points[i as usize].z >= z;
        let mut edges: HashSet<(Corner, Corner)> = HashSet::new();
        let mut line: Vec<Corner> = Vec::new();
        for &t in tris {
            let tri = self.triangles[t];
            line.clear();
            for k in 0..3 {
                let (a, b) = (tri[k], tri[(k + 1) % 3]);
                if above(a) {
                    line.push((a, a));
                }
                if above(a) != above(b) {
                    line.push((a.min(b), a.max(b)));
                }
            }
            for k in 0..line.len() {
                let (a, b) = (line[k], line[(k + 1) % line.len()]);
                if !edges.remove(&(b, a)) {
                    edges.insert((a, b));
                }
            }
        }
        let mut next: HashMap<Corner, Vec<Corner>> = HashMap::new();
        let mut keys: Vec<_> = edges.into_iter().collect();
        keys.sort_unstable();
        for (a, b) in &keys {
            next.entry(*a).or_default().push(*b);
        }
        let mut loops = Vec::new();
        for (a, _) in keys {
            let mut line = Vec::new();
            let mut at = a;
            while let Some(to) = next.get_mut(&at).and_then(Vec::pop) {
                line.push(place(at));
                at = to;
            }
            if line.len() > 2 {
                loops.push(line);
            }
        }
        Region::from_oriented(&loops)
    }

    /// Crossings of every ray of the grid with the mesh, sorted along the ray.
    pub fn crossings(&self, grid: &RayGrid) -> Vec<Vec<Crossing>> {
        let (u, v) = grid.uv();
        let flat: Vec<DVec2> = self.points.iter().map(|p| DVec2::new(p[u], p[v])).collect();
        let mut rays: Vec<Vec<Crossing>> = vec![Vec::new(); grid.len()];
        for tri in &self.triangles {
            let p = tri.map(|i| flat[i as usize]);
            let area = (p[1] - p[0]).perp_dot(p[2] - p[0]);
            if area == 0.0 {
                continue;
            }
            let (lo, hi) = (p[0].min(p[1]).min(p[2]), p[0].max(p[1]).max(p[2]));
            for j in grid.range(1, lo.y, hi.y) {
                // Of a sliver only what it covers of this row is asked, a ray more on each side.
                let y = grid.origin.y + j as f64 * grid.pitch;
                let (mut from, mut to) = (hi.x, lo.x);
                for (a, b) in [(p[0], p[1]), (p[1], p[2]), (p[2], p[0])] {
                    if (a.y - y) * (b.y - y) <= 0.0 {
                        let t = if a.y == b.y { [0.0, 1.0] } else { [(y - a.y) / (b.y - a.y); 2] };
                        for x in t.map(|t| a.x + (b.x - a.x) * t) {
                            (from, to) = (from.min(x), to.max(x));
                        }
                    }
                }
                for i in grid.range(0, from - grid.pitch, to + grid.pitch) {
                    let q = grid.origin + DVec2::new(i as f64, j as f64) * grid.pitch;
                    let mut w = [0.0; 3];
                    let mut inside = true;
                    for k in 0..3 {
                        let (ia, ib) = (tri[k], tri[(k + 1) % 3]);
                        let forward = ia < ib;
                        let (a, b) = if forward {
                            (flat[ia as usize], flat[ib as usize])
                        } else {
                            (flat[ib as usize], flat[ia as usize])
                        };
                        let raw = (b - a).perp_dot(q - a);
                        // A ray exactly on the edge belongs to the side that the lower-numbered direction calls left.
                        let left = if forward { raw >= 0.0 } else { raw < 0.0 };
                        inside &= left == (area > 0.0);
                        w[(k + 2) % 3] = if forward { raw } else { -raw };
                    }
                    if inside {
                        let t = (0..3).map(|k| self.points[tri[k] as usize][grid.axis] * w[k]).sum::<f64>()
                            / (w[0] + w[1] + w[2]);
                        rays[j * grid.count[0] + i].push(Crossing { t, enters: area < 0.0 });
                    }
                }
            }
        }
        rays.par_iter_mut().for_each(|r| r.sort_by(|a, b| a.t.total_cmp(&b.t).then(a.enters.cmp(&b.enters))));
        rays
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A 10 × 20 × 30 block, closed.
    pub(crate) fn block() -> TriMesh {
        let b = Box3 { min: DVec3::ZERO, max: DVec3::new(10.0, 20.0, 30.0) };
        let quads = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
        let triangles = quads.iter().flat_map(|q| [[q[0], q[1], q[2]], [q[0], q[2], q[3]]]).collect();
        let face = (0..6).flat_map(|f| [f, f]).collect();
        TriMesh { points: b.corners().to_vec(), triangles, face }
    }

    /// A face that is folded upon itself all over, as a chamfer wider than its corner's radius comes out of a modeller: its shadow is what its border
    /// holds. Triangle by triangle it was thousands of crossings, and one such face of 0.7 mm took minutes.
    #[test]
    fn a_crumpled_face_casts_the_shadow_of_its_border() {
        const N: u32 = 45;
        // Between neighbours inside, places jump to and fro by more than their distance.
        let jump = |i: u32, j: u32| {
            let inside = i > 0 && j > 0 && i < N && j < N;
            let s = |k: u32| if k.is_multiple_of(2) { 3.7 } else { -3.3 };
            if inside {
                DVec2::new(s(i + j / 3), s(j + i / 2))
                    .clamp(-DVec2::new(i.min(N - i) as f64, j.min(N - j) as f64), DVec2::splat(3.7))
            } else {
                DVec2::ZERO
            }
        };
        let at = |i: u32, j: u32| {
            let p =
                (DVec2::new(f64::from(i), f64::from(j)) + jump(i, j)).clamp(DVec2::ZERO, DVec2::splat(f64::from(N)));
            p.extend(5.0 + 0.01 * f64::from((i * 7 + j * 3) % 5))
        };
        let points: Vec<DVec3> = (0..=N).flat_map(|j| (0..=N).map(move |i| at(i, j))).collect();
        let id = |i: u32, j: u32| j * (N + 1) + i;
        let triangles: Vec<[u32; 3]> = (0..N)
            .flat_map(|j| {
                (0..N).flat_map(move |i| {
                    [[id(i, j), id(i + 1, j), id(i + 1, j + 1)], [id(i, j), id(i + 1, j + 1), id(i, j + 1)]]
                })
            })
            .collect();
        let face = vec![1; triangles.len()];
        let m = TriMesh { points, triangles, face };
        let down = (0..m.triangles.len()).filter(|&t| m.normal(t).z < 0.0).count();
        assert!(down > m.triangles.len() / 5, "{down} of {} are folded over", m.triangles.len());
        let area = m.shadow_above(0.0).area();
        assert!((area - f64::from(N * N)).abs() < 1.0, "{area}");
    }

    #[test]
    fn sections_and_shadows_of_a_block() {
        let m = block();
        assert!((m.section(15.0).area() - 200.0).abs() < 1e-6);
        assert!((m.shadow_above(-1.0).area() - 200.0).abs() < 1e-4);
        assert!((m.shadow_above(29.9).area() - 200.0).abs() < 1e-4);
        assert!(m.shadow_above(30.5).is_empty() && m.section(31.0).is_empty());
    }

    #[test]
    fn every_ray_enters_and_leaves_and_lengths_give_the_volume() {
        let m = block();
        for axis in 0..3 {
            let g = RayGrid::covering(axis, &m.bounds(), 0.5);
            let rays = m.crossings(&g);
            let mut volume = 0.0;
            for r in &rays {
                assert_eq!(r.len() % 2, 0);
                for c in r.chunks(2) {
                    assert!(c[0].enters && !c[1].enters);
                    volume += (c[1].t - c[0].t) * 0.25;
                }
            }
            assert!((volume - 6000.0).abs() < 1e-6, "{axis} {volume}");
        }
    }
}
