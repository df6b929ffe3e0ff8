//! What sets a piece at an angle between the jaws of a vise: angle blocks, and a sine bar on gauge blocks.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Angles closer than this are the same, degrees: what a block may be off by is less.
const SAME: f64 = 0.005;

/// A set of angle blocks. Two on one another make sums and differences.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct AngleBlocks {
    /// Words.
    pub name: String,
    /// Of each, degrees.
    pub angles_deg: Vec<f64>,
    /// Across the slope and along it, mm.
    pub width_mm: f64,
    /// See `width_mm`.
    pub length_mm: f64,
    /// Height of the slope over the bed at its lower stop, mm.
    pub low_mm: f64,
    /// The stop at the lower end stands over the slope by this, mm.
    pub stop_mm: f64,
    /// What a block's angle may be off by, degrees.
    pub error_deg: f64,
}

/// A sine bar: two rollers a known distance apart, one of them on gauge blocks.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct SineBar {
    /// Words.
    pub name: String,
    /// From roller to roller, mm.
    pub rollers_mm: f64,
    /// Across the slope and along it, mm.
    pub width_mm: f64,
    /// See `width_mm`.
    pub length_mm: f64,
    /// Height of the slope over the bed at its lower stop, mm.
    pub low_mm: f64,
    /// The stop at the lower end stands over the slope by this, mm.
    pub stop_mm: f64,
    /// What a stack of gauge blocks may be off by, mm.
    pub stack_mm: f64,
    /// Steeper than this it falls over and small errors grow, degrees.
    pub most_deg: f64,
}

/// How an angle is set.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Tilt {
    /// "angle block 15°", "sine bar on 24.192 mm".
    pub words: String,
    /// Across the slope and along it, mm.
    pub width_mm: f64,
    /// See `width_mm`.
    pub length_mm: f64,
    /// Height of the slope at its lower stop over what it stands on, mm.
    pub low_mm: f64,
    /// Stop over the slope, mm.
    pub stop_mm: f64,
    /// What the angle may be off by, rad.
    pub error_rad: f64,
    /// Gauge blocks under the upper roller, mm; none with angle blocks.
    pub stack_mm: Option<f64>,
}

fn sound(name: &str, sizes: &[f64]) -> Option<String> {
    let all = sizes.iter().all(|v| v.is_finite() && *v > 0.0 && *v < 1000.0);
    (!all).then(|| format!("'{name}' must have sizes above 0"))
}

impl AngleBlocks {
    /// Why this describes no blocks, if it does not.
    pub fn fault(&self) -> Option<String> {
        let angles = self.angles_deg.iter().all(|a| a.is_finite() && *a > 0.0 && *a < 90.0);
        let sizes = [self.width_mm, self.length_mm, self.low_mm, self.stop_mm, self.error_deg];
        sound(&self.name, &sizes)
            .or_else(|| (!angles).then(|| format!("the angles of '{}' must lie between 0 and 90°", self.name)))
    }
    /// One block, or two.
    fn set(&self, deg: f64) -> Option<Tilt> {
        let a = &self.angles_deg;
        let one = a.iter().filter(|v| (**v - deg).abs() < SAME).map(|v| (1.0, format!("angle block {v}°"))).next();
        let pairs = a.iter().flat_map(|p| a.iter().map(move |q| (*p, *q))).filter(|(p, q)| p > q);
        let two = pairs
            .flat_map(|(p, q)| {
                [(p + q, format!("angle blocks {p}° + {q}°")), (p - q, format!("angle blocks {p}° − {q}°"))]
            })
            .find(|(v, _)| (v - deg).abs() < SAME)
            .map(|(_, words)| (2.0, words));
        let (n, words) = one.or(two)?;
        Some(Tilt {
            words,
            width_mm: self.width_mm,
            length_mm: self.length_mm,
            low_mm: n * self.low_mm,
            stop_mm: self.stop_mm,
            error_rad: n * self.error_deg.to_radians(),
            stack_mm: None,
        })
    }
}

impl SineBar {
    /// Why this describes no sine bar, if it does not.
    pub fn fault(&self) -> Option<String> {
        let sizes = [self.rollers_mm, self.width_mm, self.length_mm, self.low_mm, self.stop_mm, self.stack_mm];
        sound(&self.name, &sizes)
    }
    /// Any angle: the stack is the rollers' distance times its sine.
    fn set(&self, deg: f64) -> Option<Tilt> {
        let a = deg.to_radians();
        let stack = (self.rollers_mm * a.sin() * 1000.0).round() / 1000.0;
        (deg <= self.most_deg).then(|| Tilt {
            words: format!("{} at {deg:.3}°", self.name),
            width_mm: self.width_mm,
            length_mm: self.length_mm,
            low_mm: self.low_mm,
            stop_mm: self.stop_mm,
            // h = L·sin α, so dα = dh ÷ (L·cos α).
            error_rad: self.stack_mm / (self.rollers_mm * a.cos()),
            stack_mm: Some(stack),
        })
    }
}

/// Every way in which a shop sets an angle, degrees, the simplest first.
pub fn tilts(blocks: Option<&AngleBlocks>, bars: &[SineBar], deg: f64) -> Vec<Tilt> {
    blocks.and_then(|b| b.set(deg)).into_iter().chain(bars.iter().filter_map(|b| b.set(deg))).collect()
}

#[cfg(test)]
mod tests {
    use crate::Shop;

    /// 100 mm between rollers: 30° takes a stack of 50 mm, 10° one of 17.365 (sine table; Machinery's Handbook lists 17.3648 for 100 mm, from memory).
    #[test]
    fn blocks_first_then_the_sine_bar() {
        let s = Shop::demo().unwrap();
        let at = |deg: f64| super::tilts(s.angle_blocks.as_ref(), &s.sine_bars, deg);
        assert_eq!(at(15.0)[0].words, "angle block 15°");
        assert_eq!(at(14.0)[0].words, "angle blocks 15° − 1°");
        let odd = at(17.25);
        assert!(odd.len() == 2 && odd[0].stack_mm == Some(14.827) && odd[1].stack_mm == Some(29.654), "{odd:?}");
        let long = |deg: f64| at(deg).last().and_then(|t| t.stack_mm);
        assert_eq!((long(30.0), long(10.0)), (Some(50.0), Some(17.365)));
        assert!(at(70.5).is_empty());
        assert!(super::tilts(None, &[], 15.0).is_empty());
        let bad = crate::tilting::AngleBlocks { angles_deg: vec![95.0], ..s.angle_blocks.unwrap() };
        assert!(bad.fault().is_some());
    }
}
