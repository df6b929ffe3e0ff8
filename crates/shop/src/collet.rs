//! Collet blocks: a collet in a square or hexagonal block that stands or lies between the jaws of a vise and is turned as a unit.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A block with its collets.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct ColletBlock {
    /// Words.
    pub name: String,
    /// 4 or 6: so many positions in a turn.
    pub sides: u32,
    /// From flat to flat, mm.
    pub across_mm: f64,
    /// Length of its flats, mm.
    pub length_mm: f64,
    /// Diameter and length of its nut at the nose, mm.
    pub nose_mm: [f64; 2],
    /// Diameters of its round collets, mm.
    pub round_mm: Vec<f64>,
    /// Its hexagon collets, across flats, mm.
    pub hexagon_mm: Vec<f64>,
    /// A collet closes on bars smaller than its size by up to this, mm.
    pub closes_mm: f64,
    /// Length of bar that a collet grips, mm.
    pub depth_mm: f64,
    /// All that it presses with, around the bar, when its nut is tightened, kN.
    pub clamp_kn: f64,
    /// With this, N m.
    pub torque_nm: f64,
    /// The bar's middle lies off the middle of the flats by up to this, mm.
    pub off_mm: f64,
    /// A screw in its bore, against which the bar stands.
    pub stop: bool,
    /// So many are on hand.
    pub count: u32,
}

impl ColletBlock {
    /// Why this holds nothing, if it does not.
    pub fn fault(&self) -> Option<String> {
        let [nose, long] = self.nose_mm;
        let sizes = [self.across_mm, self.length_mm, nose, long, self.depth_mm, self.clamp_kn, self.torque_nm];
        let all = sizes.iter().chain(&self.round_mm).chain(&self.hexagon_mm);
        let sound = |v: &f64| v.is_finite() && *v > 0.0 && *v < 1000.0;
        let small = |v: f64| (0.0..2.0).contains(&v);
        let fits = |v: &f64| *v < self.across_mm;
        let good = matches!(self.sides, 4 | 6)
            && all.clone().all(sound)
            && small(self.closes_mm)
            && small(self.off_mm)
            && self.round_mm.iter().chain(&self.hexagon_mm).all(fits)
            && self.depth_mm <= self.length_mm + long;
        (!good).then(|| {
            format!(
                "the collet block '{}' must have 4 or 6 sides, sizes above 0, and collets smaller than it",
                self.name
            )
        })
    }
    /// The collet that closes on a size: the smallest that is no smaller.
    fn of(&self, sizes: &[f64], wanted: f64) -> Option<f64> {
        let fits = |s: &f64| wanted <= s + 1e-6 && s - wanted <= self.closes_mm + 1e-6;
        let mut all: Vec<f64> = sizes.iter().copied().filter(fits).collect();
        all.sort_by(f64::total_cmp);
        all.first().copied()
    }
    /// For a round bar.
    pub fn round(&self, diameter: f64) -> Option<f64> {
        self.of(&self.round_mm, diameter)
    }
    /// For a hexagon bar, across flats.
    pub fn hexagon(&self, across: f64) -> Option<f64> {
        self.of(&self.hexagon_mm, across)
    }
    /// Radius about its axis of what is furthest out, mm.
    pub fn around(&self) -> f64 {
        let half = self.across_mm / 2.0;
        if self.sides == 6 { 2.0 * half / 3.0_f64.sqrt() } else { half * 2.0_f64.sqrt() }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Shop;

    #[test]
    fn the_smallest_collet_that_is_no_smaller() {
        let b = &Shop::demo().unwrap().collet_blocks[0];
        let least = b.round_mm[0];
        assert_eq!((b.round(least), b.round(least - b.closes_mm)), (Some(least), Some(least)));
        assert_eq!((b.round(least - b.closes_mm - 0.01), b.round(200.0)), (None, None));
        assert_eq!(b.hexagon(b.hexagon_mm[1]), Some(b.hexagon_mm[1]));
    }

    #[test]
    fn a_block_that_holds_nothing_is_told() {
        let b = Shop::demo().unwrap().collet_blocks[0].clone();
        assert_eq!(b.fault(), None);
        for wrong in [
            ColletBlock { sides: 5, ..b.clone() },
            ColletBlock { depth_mm: f64::NAN, ..b.clone() },
            ColletBlock { round_mm: vec![90.0], ..b.clone() },
            ColletBlock { clamp_kn: 0.0, ..b.clone() },
        ] {
            assert!(wrong.fault().is_some_and(|f| f.contains("4 or 6 sides")), "{wrong:?}");
        }
    }
}
