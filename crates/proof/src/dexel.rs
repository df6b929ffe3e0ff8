//! Stock as parallel rays with intervals of material, in three directions (tri-dexel; after Benouamer & Michelucci 1997 and
//! Van Hook 1986).
//!
//! Interval ends are exact numbers along the ray, whatever the pitch: a wall 0.03 mm off is seen wherever a ray of a direction
//! across it passes. Only what slips between rays in both other directions is not seen; [`Stock::pitch`] says how wide that is.

use geom::{Bar, Box3, Crossing, Placement, RayGrid, TriMesh};
use rayon::prelude::*;
use reason::Sure;
use smallvec::SmallVec;

/// Material along one ray: ascending, disjoint intervals.
pub(crate) type Ray = SmallVec<[(f64, f64); 2]>;

/// Shorter pieces of material than this are dust of rounding, mm.
const DUST: f64 = 1e-7;

/// Take [a, b] out of a ray. Returns the length removed.
pub(crate) fn subtract(ray: &mut Ray, a: f64, b: f64) -> f64 {
    let mut removed = 0.0;
    let mut k = 0;
    while k < ray.len() {
        let (lo, hi) = ray[k];
        if hi <= a {
            k += 1;
            continue;
        }
        if lo >= b {
            break;
        }
        removed += hi.at_most(b) - lo.at_least(a);
        let (left, right) = (a - lo > DUST, hi - b > DUST);
        match (left, right) {
            (true, true) => {
                ray[k].1 = a;
                ray.insert(k + 1, (b, hi));
                return removed;
            }
            (true, false) => {
                ray[k].1 = a;
                k += 1;
            }
            (false, true) => {
                ray[k].0 = b;
                k += 1;
            }
            (false, false) => {
                ray.remove(k);
            }
        }
    }
    removed
}

/// What of `a` is not in `b`.
pub(crate) fn without(a: &Ray, b: &Ray) -> Ray {
    let mut out = a.clone();
    for &(lo, hi) in b {
        subtract(&mut out, lo, hi);
    }
    out
}

/// Rays of one direction.
#[derive(Debug, Clone)]
pub(crate) struct Field {
    pub grid: RayGrid,
    pub rays: Vec<Ray>,
}

impl Field {
    pub fn of_box(grid: RayGrid, b: &Box3) -> Field {
        let (u, v) = grid.uv();
        let rays = (0..grid.len())
            .map(|i| {
                let q = grid.at(i);
                let inside = q.x >= b.min[u] && q.x <= b.max[u] && q.y >= b.min[v] && q.y <= b.max[v];
                if inside { SmallVec::from_slice(&[(b.min[grid.axis], b.max[grid.axis])]) } else { Ray::new() }
            })
            .collect();
        Field { grid, rays }
    }

    /// Only what lies in a bar stays. `to_part`: from the frame of the rays to that of the bar.
    pub fn within_bar(&mut self, bar: &Bar, to_part: &Placement) {
        let mut unit = geom::DVec3::ZERO;
        unit[self.grid.axis] = 1.0;
        let along = to_part.dir(unit);
        let grid = self.grid;
        self.rays.par_iter_mut().enumerate().filter(|(_, r)| !r.is_empty()).for_each(|(k, ray)| {
            match bar.span(to_part.point(grid.point(k, 0.0)), along) {
                None => ray.clear(),
                Some((a, b)) => {
                    subtract(ray, f64::NEG_INFINITY, a);
                    subtract(ray, b, f64::INFINITY);
                }
            }
        });
    }

    /// Only what lies in a box stays, in the frame of the rays.
    pub fn within(&mut self, b: &Box3) {
        let (u, v) = self.grid.uv();
        let (axis, grid) = (self.grid.axis, self.grid);
        self.rays.par_iter_mut().enumerate().filter(|(_, r)| !r.is_empty()).for_each(|(k, ray)| {
            let q = grid.at(k);
            if q.x < b.min[u] || q.x > b.max[u] || q.y < b.min[v] || q.y > b.max[v] {
                ray.clear();
            } else {
                subtract(ray, f64::NEG_INFINITY, b.min[axis]);
                subtract(ray, b.max[axis], f64::INFINITY);
            }
        });
    }

    pub fn of_mesh(grid: RayGrid, mesh: &TriMesh) -> Field {
        let rays = mesh.crossings(&grid).par_iter().map(|c| pairs(c)).collect();
        Field { grid, rays }
    }

    /// The same rays seen from another frame (`to_new` takes points of this frame there); axes map onto axes.
    pub fn placed(&self, to_new: &Placement) -> Field {
        let mut unit = geom::DVec3::ZERO;
        unit[self.grid.axis] = 1.0;
        let along = to_new.dir(unit);
        let axis = (0..3).find(|&k| along[k].abs() > 0.5).unwrap_or(2);
        let (sign, shift) = (along[axis], to_new.shift[axis]);
        let last = self.grid.len() - 1;
        let (a, b) = (to_new.point(self.grid.point(0, 0.0)), to_new.point(self.grid.point(last, 0.0)));
        let (u, v) = ((axis + 1) % 3, (axis + 2) % 3);
        let lo = a.min(b);
        let pitch = self.grid.pitch;
        let count = [u, v].map(|k| ((a[k] - b[k]).abs() / pitch).round() as usize + 1);
        let grid = RayGrid { axis, origin: geom::DVec2::new(lo[u], lo[v]), pitch, count };
        let back = to_new.inverse();
        let (ou, ov) = self.grid.uv();
        let rays = (0..grid.len())
            .into_par_iter()
            .map(|i| {
                let p = back.point(grid.point(i, 0.0));
                let iu = ((p[ou] - self.grid.origin.x) / pitch).round() as usize;
                let iv = ((p[ov] - self.grid.origin.y) / pitch).round() as usize;
                let old = &self.rays[iv * self.grid.count[0] + iu];
                let turn = |&(lo, hi): &(f64, f64)| {
                    let (a, b) = (lo * sign + shift, hi * sign + shift);
                    (a.at_most(b), a.at_least(b))
                };
                if sign > 0.0 { old.iter().map(turn).collect() } else { old.iter().rev().map(turn).collect() }
            })
            .collect();
        Field { grid, rays }
    }
}

/// Crossings to intervals. A mesh with a small fault can give two entries in a row: the material then begins at the first.
fn pairs(crossings: &[Crossing]) -> Ray {
    let mut out = Ray::new();
    let (mut depth, mut start) = (0, 0.0);
    for c in crossings {
        if c.enters {
            if depth == 0 {
                start = c.t;
            }
            depth += 1;
        } else if depth > 0 {
            depth -= 1;
            if depth == 0 && c.t - start > DUST {
                out.push((start, c.t));
            }
        }
    }
    out
}

/// Material in three directions of rays.
#[derive(Debug, Clone)]
pub struct Stock {
    pub(crate) fields: [Field; 3],
}

impl Stock {
    fn grids(bounds: &Box3, pitch: [f64; 3]) -> [RayGrid; 3] {
        [0, 1, 2].map(|axis| RayGrid::covering(axis, bounds, pitch[axis]))
    }
    /// A block, with rays along each axis at that axis' pitch (mm).
    pub fn block(bounds: &Box3, pitch: [f64; 3]) -> Stock {
        Stock { fields: Self::grids(bounds, pitch).map(|g| Field::of_box(g, bounds)) }
    }
    /// Of a block what lies in a bar; both in the frame of the rays.
    pub fn within_bar(mut self, bar: &Bar) -> Stock {
        self.fields.iter_mut().for_each(|f| f.within_bar(bar, &Placement::IDENTITY));
        self
    }
    /// A mesh's inside on the rays of this stock.
    pub fn mesh_like(&self, mesh: &TriMesh) -> Stock {
        Stock { fields: [0, 1, 2].map(|k| Field::of_mesh(self.fields[k].grid, mesh)) }
    }
    /// Seen from another frame; each field goes to the axis it then has.
    pub fn placed(&self, to_new: &Placement) -> Stock {
        let mut slots: [Option<Field>; 3] = [None, None, None];
        for f in &self.fields {
            let g = f.placed(to_new);
            let k = g.grid.axis;
            slots[k] = Some(g);
        }
        Stock { fields: slots.map(|s| s.unwrap_or_else(|| self.fields[0].clone())) }
    }
    /// Distance between the rays of each direction, mm.
    pub fn pitch(&self) -> [f64; 3] {
        [0, 1, 2].map(|k| self.fields[k].grid.pitch)
    }
    /// Material by the rays along z, mm³.
    pub fn volume(&self) -> f64 {
        let f = &self.fields[2];
        let area = f.grid.pitch * f.grid.pitch;
        f.rays.iter().flatten().map(|(a, b)| b - a).sum::<f64>() * area
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use geom::DVec3;

    fn ray(v: &[(f64, f64)]) -> Ray {
        v.iter().copied().collect()
    }

    #[test]
    fn subtraction_splits_trims_and_removes() {
        let mut r = ray(&[(0.0, 10.0), (12.0, 20.0)]);
        assert_eq!(subtract(&mut r, 3.0, 4.0), 1.0);
        assert_eq!(r, ray(&[(0.0, 3.0), (4.0, 10.0), (12.0, 20.0)]));
        assert_eq!(subtract(&mut r, 2.0, 13.0), 1.0 + 6.0 + 1.0);
        assert_eq!(r, ray(&[(0.0, 2.0), (13.0, 20.0)]));
        assert_eq!(subtract(&mut r, -5.0, 50.0), 9.0);
        assert!(r.is_empty());
    }

    /// Random subtractions against a grid of cells.
    #[test]
    fn subtraction_agrees_with_cells() {
        let mut seed = 7u64;
        let mut next = || {
            seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            (seed >> 33) as f64 / (1u64 << 31) as f64
        };
        for _ in 0..200 {
            let mut r = ray(&[(0.0, 100.0)]);
            let mut cells = vec![true; 1000];
            for _ in 0..12 {
                let a = (next() * 1000.0).floor() / 10.0;
                let b = a + (next() * 200.0).floor() / 10.0;
                subtract(&mut r, a, b);
                for (k, c) in cells.iter_mut().enumerate() {
                    let m = (k as f64 + 0.5) / 10.0;
                    *c &= !(m > a && m < b);
                }
            }
            for (k, c) in cells.iter().enumerate() {
                let m = (k as f64 + 0.5) / 10.0;
                assert_eq!(*c, r.iter().any(|i| m > i.0 && m < i.1));
            }
        }
    }

    /// Volume of a hexagon bar: √3/2 · s² · l, by the rays of each direction; at an angle as well.
    #[test]
    fn a_bar_has_the_volume_of_its_solid() {
        let bar =
            Bar { axis: 1, middle_mm: [4.0, 3.0], form: geom::BarForm::Hexagon { across_mm: 12.0, turned_deg: 30.0 } };
        let whole = bar.bounds(2.0, 32.0);
        let s = Stock::block(&whole, [0.1; 3]).within_bar(&bar);
        let want = 3.0_f64.sqrt() / 2.0 * 144.0 * 30.0;
        let of = |f: &Field| f.rays.iter().flatten().map(|(a, b)| b - a).sum::<f64>() * f.grid.pitch * f.grid.pitch;
        for f in &s.fields {
            assert!((of(f) / want - 1.0).abs() < 0.02, "{} {want}", of(f));
        }
        let leans = Placement {
            turn: geom::DMat3::from_axis_angle(DVec3::new(1.0, 2.0, 0.5).normalize(), 0.7),
            shift: DVec3::new(3.0, 1.0, -2.0),
        };
        let f = crate::oblique::of_block(
            RayGrid::covering(2, &leans.inverse().bounds(&whole), 0.1),
            &whole,
            Some(&bar),
            &leans,
        );
        assert!((of(&f) / want - 1.0).abs() < 0.02, "{} {want}", of(&f));
    }

    #[test]
    fn turning_over_and_back_changes_nothing() {
        let b = Box3 { min: DVec3::new(1.0, 2.0, 3.0), max: DVec3::new(11.0, 8.0, 7.0) };
        let s = Stock::block(&b, [0.5, 0.4, 0.3]);
        let flip = Placement { shift: DVec3::new(3.0, -4.0, 50.0), ..Placement::from_axes(DVec3::NEG_Y, DVec3::NEG_X) };
        let there = s.placed(&flip);
        assert!((there.volume() - s.volume()).abs() < 12.0);
        let back = there.placed(&flip.inverse());
        for k in 0..3 {
            assert_eq!(back.fields[k].grid.count, s.fields[k].grid.count);
            for (a, b) in back.fields[k].rays.iter().zip(&s.fields[k].rays) {
                assert_eq!(a.len(), b.len());
                for (p, q) in a.iter().zip(b) {
                    assert!((p.0 - q.0).abs() < 1e-9 && (p.1 - q.1).abs() < 1e-9);
                }
            }
        }
    }
}
