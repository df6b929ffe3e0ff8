//! A solid as slabs of one section each, as stock in process is planned with. It never says less material than there is (to the tolerance of
//! its polygons), so that a rapid planned through what it calls empty is safe.

use crate::{DVec2, Region};

/// Sections of one height range, from the bottom up.
#[derive(Debug, Clone)]
pub struct Slabs {
    slabs: Vec<Slab>,
}

#[derive(Debug, Clone)]
struct Slab {
    z0: f64,
    z1: f64,
    section: Region,
}

/// Thinner slabs are not made, mm.
const THIN: f64 = 1e-6;

impl Slabs {
    /// One section from `z0` to `z1`.
    pub fn prism(section: Region, z0: f64, z1: f64) -> Slabs {
        Slabs { slabs: vec![Slab { z0, z1, section }] }
    }
    /// From (z0, z1, section), from the bottom up.
    pub fn stacked(parts: impl IntoIterator<Item = (f64, f64, Region)>) -> Slabs {
        let slabs =
            parts.into_iter().filter(|p| p.1 - p.0 > THIN).map(|(z0, z1, section)| Slab { z0, z1, section }).collect();
        Slabs { slabs }
    }
    /// Height ranges with sections, from the bottom up.
    pub fn parts(&self) -> impl Iterator<Item = (f64, f64, &Region)> {
        self.slabs.iter().map(|s| (s.z0, s.z1, &s.section))
    }
    fn split_at(&mut self, z: f64) {
        if let Some(k) = self.slabs.iter().position(|s| s.z0 + THIN < z && z < s.z1 - THIN) {
            let mut upper = self.slabs[k].clone();
            upper.z0 = z;
            self.slabs[k].z1 = z;
            self.slabs.insert(k + 1, upper);
        }
    }
    /// Take `region` out from `floor` upwards.
    pub fn cut(&mut self, region: &Region, floor: f64) {
        if region.is_empty() {
            return;
        }
        self.split_at(floor);
        for s in &mut self.slabs {
            if s.z1 > floor + THIN {
                s.section = s.section.minus(region).without_specks(1e-4);
            }
        }
    }
    /// Take `region` out between two heights: what stands above stays.
    pub fn hollow(&mut self, region: &Region, z0: f64, z1: f64) {
        if region.is_empty() {
            return;
        }
        self.split_at(z0);
        self.split_at(z1);
        for s in &mut self.slabs {
            if s.z0 > z0 - THIN && s.z1 < z1 + THIN {
                s.section = s.section.minus(region).without_specks(1e-4);
            }
        }
    }
    /// All material between two heights, seen from above.
    pub fn between(&self, z0: f64, z1: f64) -> Region {
        Region::union_all(self.slabs.iter().filter(|s| s.z1 > z0 + THIN && s.z0 < z1 - THIN).map(|s| &s.section))
    }
    /// Highest material.
    pub fn top(&self) -> f64 {
        self.slabs.iter().rev().find(|s| !s.section.is_empty()).map_or(f64::NEG_INFINITY, |s| s.z1)
    }
    /// Lower end of the material; infinity if there is none.
    pub fn bottom(&self) -> f64 {
        self.slabs.iter().find(|s| !s.section.is_empty()).map_or(f64::INFINITY, |s| s.z0)
    }
    /// Height to which a disc of `radius` about `p` can come down without touching material; minus infinity if to any.
    pub fn clear_to(&self, p: DVec2, radius: f64) -> f64 {
        for s in self.slabs.iter().rev() {
            if !s.section.is_empty() && s.section.signed_distance(p) > -radius {
                return s.z1;
            }
        }
        f64::NEG_INFINITY
    }
    /// The same for material that rises above `over` only.
    pub fn clear_over(&self, p: DVec2, radius: f64, over: f64) -> f64 {
        let z = self.clear_to(p, radius);
        if z > over + THIN { z } else { f64::NEG_INFINITY }
    }
    /// What is in both.
    pub fn common(&self, other: &Slabs) -> Slabs {
        let mut z: Vec<f64> = self.slabs.iter().chain(&other.slabs).flat_map(|s| [s.z0, s.z1]).collect();
        z.sort_by(f64::total_cmp);
        z.dedup_by(|a, b| (*a - *b).abs() < 1e-6);
        let at = |s: &Slabs, m: f64| s.slabs.iter().find(|s| s.z0 <= m && m <= s.z1).map(|s| s.section.clone());
        Slabs::stacked(z.windows(2).filter_map(|w| {
            let m = f64::midpoint(w[0], w[1]);
            let (a, b) = (at(self, m)?, at(other, m)?);
            Some((w[0], w[1], a.intersect(&b)))
        }))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn square(lo: f64, hi: f64) -> Region {
        Region::rect(DVec2::splat(lo), DVec2::splat(hi))
    }

    #[test]
    fn cuts_split_and_clear() {
        let mut s = Slabs::prism(square(0.0, 20.0), 0.0, 10.0);
        s.cut(&square(5.0, 15.0), 4.0);
        assert!((s.between(4.0, 10.0).area() - 300.0).abs() < 1e-6);
        assert!((s.between(0.0, 4.0).area() - 400.0).abs() < 1e-6);
        assert_eq!(s.clear_to(DVec2::splat(10.0), 4.0), 4.0);
        assert_eq!(s.clear_to(DVec2::splat(10.0), 6.0), 10.0);
        assert_eq!(s.clear_to(DVec2::splat(-5.0), 4.0), f64::NEG_INFINITY);
        s.cut(&square(-1.0, 21.0), 8.0);
        assert_eq!(s.top(), 8.0);
    }
}
