//! Closed triangle meshes: sections, shadows, and crossings with a grid of parallel rays.
//!
//! Decisions about which side of an edge a ray passes are taken from the same numbers in the same order for both triangles at
//! the edge, so a ray enters and leaves a watertight mesh equally often.

use crate::{Box3, Region};
use glam::{DVec2, DVec3};
use rayon::prelude::*;
use std::collections::HashMap;

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
        let mut by_face: HashMap<u32, Vec<usize>> = HashMap::new();
        for t in 0..self.triangles.len() {
            let n = self.normal(t);
            let top = self.corners(t).iter().map(|p| p.z).fold(f64::NEG_INFINITY, f64::max);
            if top > z && n.z > 1e-9 * n.length() {
                by_face.entry(self.face.get(t).copied().unwrap_or(0)).or_default().push(t);
            }
        }
        let mut faces: Vec<_> = by_face.into_iter().collect();
        faces.sort_unstable();
        let mut parts: Vec<Region> = faces.into_par_iter().map(|(_, tris)| self.projection(&tris, z)).collect();
        parts.push(self.section(z));
        // A hair of closing joins neighbours whose shared border was rounded apart.
        const HAIR: f64 = 3e-6;
        Region::union_all(&parts)
            .offset(HAIR, crate::Join::Miter, 1e-6)
            .offset(-HAIR, crate::Join::Miter, 1e-6)
            .without_specks(1e-6)
    }

    /// Projection of upward triangles, cut off below z.
    fn projection(&self, tris: &[usize], z: f64) -> Region {
        let mut edges: HashMap<(u32, u32), ()> = HashMap::new();
        let mut loose: Vec<Vec<DVec2>> = Vec::new();
        for &t in tris {
            let c = self.corners(t);
            if c.iter().all(|p| p.z >= z) {
                for k in 0..3 {
                    let (a, b) = (self.triangles[t][k], self.triangles[t][(k + 1) % 3]);
                    if edges.remove(&(b, a)).is_none() {
                        edges.insert((a, b), ());
                    }
                }
            } else {
                loose.push(clip_above(&c, z));
            }
        }
        let mut next: HashMap<u32, Vec<u32>> = HashMap::new();
        let mut keys: Vec<_> = edges.into_keys().collect();
        keys.sort_unstable();
        for (a, b) in &keys {
            next.entry(*a).or_default().push(*b);
        }
        let mut loops = Vec::new();
        for (a, _) in keys {
            let mut line = Vec::new();
            let mut at = a;
            while let Some(to) = next.get_mut(&at).and_then(Vec::pop) {
                line.push(self.points[at as usize].truncate());
                at = to;
            }
            if line.len() > 2 {
                loops.push(line);
            }
        }
        loops.extend(loose);
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
                for i in grid.range(0, lo.x, hi.x) {
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

fn clip_above(c: &[DVec3; 3], z: f64) -> Vec<DVec2> {
    let mut out = Vec::with_capacity(4);
    for k in 0..3 {
        let (a, b) = (c[k], c[(k + 1) % 3]);
        if a.z >= z {
            out.push(a.truncate());
        }
        if (a.z >= z) != (b.z >= z) {
            // Always from the lower end, so that the neighbour at this edge computes the same point.
            let (lo, hi) = if a.z < b.z { (a, b) } else { (b, a) };
            out.push((lo + (hi - lo) * ((z - lo.z) / (hi.z - lo.z))).truncate());
        }
    }
    out
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
