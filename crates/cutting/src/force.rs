//! Force of a milling cut over a revolution: teeth and, where the flutes are helical, slices of them, each with its own chip.
//!
//! Mechanistic model with Kienzle's law on every slice (Altintas, Manufacturing Automation, on end milling; Kienzle 1952): Ft = kc1.1·h^(1 −
//! mc)·b with h = fz·sin φ·sin κ and b the slice's width of cut; the force along the radius is [`RADIAL`] of it, along the axis Ft·tan λ and
//! what a slanted edge (κ < 90°) turns upwards. Run-out is not in it.

use std::f64::consts::{PI, TAU};

/// Radial ÷ tangential force (Tlusty, Manufacturing Processes and Equipment: 0.3 for sharp cutters, from memory, 70 %).
pub const RADIAL: f64 = 0.3;

/// A milling cut as its forces see it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct MillCut {
    /// kc1.1, N/mm².
    pub kc11: f64,
    /// Exponent of the chip's thickness.
    pub mc: f64,
    /// Cutter diameter, mm.
    pub diameter: f64,
    /// Teeth.
    pub teeth: u32,
    /// Helix angle λ of the flutes, rad.
    pub helix: f64,
    /// Entry angle κ of the edge, rad.
    pub kappa: f64,
    /// Feed per tooth, mm.
    pub fz: f64,
    /// Axial depth, mm.
    pub ap: f64,
    /// Engagement, rad: from the side, where the chip is thinnest, on; a slot is π.
    pub engagement: f64,
}

/// Forces over a revolution, N.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Forces {
    /// Mean of the tangential force of all teeth: power ÷ cutting speed.
    pub mean: f64,
    /// Highest tangential force on one tooth over its whole depth, as if it were straight.
    pub tooth: f64,
    /// Highest force across the axis, the vector sum over the teeth.
    pub side: f64,
    /// Highest force along the axis, by which helical flutes lift the work (and pull the cutter out).
    pub axial: f64,
}

/// Cells over the engagement in which the forces are summed up.
const CELLS: usize = 96;

/// Sums over φ from 0 on of Ft, Ft·cos φ and Ft·sin φ for 1 mm of width: a slice of a helical flute is a difference of two.
struct Sums([Vec<f64>; 3], f64);

impl Sums {
    fn of(theta: f64, tangential: &dyn Fn(f64) -> f64) -> Sums {
        let step = theta / CELLS as f64;
        let mut out = Sums(std::array::from_fn(|_| vec![0.0]), step);
        for k in 0..CELLS {
            let phi = step * (k as f64 + 0.5);
            let ft = tangential(phi) * step;
            for (list, v) in out.0.iter_mut().zip([ft, ft * phi.cos(), ft * phi.sin()]) {
                let last = list[k];
                list.push(last + v);
            }
        }
        out
    }
    fn between(&self, a: f64, b: f64) -> [f64; 3] {
        let at = |list: &Vec<f64>, phi: f64| {
            let t = (phi / self.1).clamp(0.0, CELLS as f64);
            let k = (t as usize).clamp(0, CELLS - 1);
            list[k] + (list[k + 1] - list[k]) * (t - k as f64)
        };
        std::array::from_fn(|i| at(&self.0[i], b) - at(&self.0[i], a))
    }
}

/// Forces of a cut. All zero where nothing is cut.
pub fn forces(c: &MillCut) -> Forces {
    let z = f64::from(c.teeth.max(1));
    let theta = c.engagement.clamp(0.0, PI);
    let tangential = |phi: f64| {
        let h = c.fz * phi.sin() * c.kappa.sin();
        if h > 0.0 { c.kc11 * h.powf(1.0 - c.mc) } else { 0.0 }
    };
    if theta < 1e-6 || c.ap <= 0.0 {
        return Forces { mean: 0.0, tooth: 0.0, side: 0.0, axial: 0.0 };
    }
    let highest = if theta < PI / 2.0 { theta } else { PI / 2.0 };
    let width = c.ap / c.kappa.sin();
    let tooth = tangential(highest) * width;
    // Lag of the flute's upper end behind its tip.
    let lag = 2.0 * c.ap * c.helix.tan() / c.diameter;
    let pitch = TAU / z;
    let sums = Sums::of(theta, &tangential);
    // Over a revolution each tooth passes through the whole cut once.
    let mean = width * z / TAU * sums.between(0.0, theta)[0];
    let steps = (12.0 * pitch / theta).ceil().clamp(90.0, 4000.0) as usize;
    // And the moment before a tooth leaves where its chip is thickest.
    let leaves = (theta - 1e-9).rem_euclid(pitch);
    let (mut side, mut axial) = (0.0_f64, 0.0_f64);
    for turned in (0..steps).map(|k| pitch * (k as f64 + 0.5) / steps as f64).chain([leaves]) {
        let mut f = [0.0; 3];
        // Teeth whose flute is somewhere in the cut, those of the turns before too where the lag is long.
        let mut tip = turned;
        while tip - lag < theta {
            let part = if lag > 1e-6 {
                let (a, b) = (if tip > lag { tip - lag } else { 0.0 }, if tip < theta { tip } else { theta });
                sums.between(a, b).map(|v| v * width / lag)
            } else {
                let ft = tangential(tip) * width;
                [ft, ft * tip.cos(), ft * tip.sin()]
            };
            (0..3).for_each(|i| f[i] += part[i]);
            tip += pitch;
        }
        let [ft, along, across] = f;
        let fr = RADIAL * c.kappa.sin();
        let total = f64::hypot(along + fr * across, across - fr * along);
        let up = ft * c.helix.tan() + RADIAL * ft * c.kappa.cos();
        side = if total > side { total } else { side };
        axial = if up > axial { up } else { axial };
    }
    Forces { mean, tooth, side, axial }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::formula as f;
    use reason::Sure;

    fn cut() -> MillCut {
        MillCut {
            kc11: 650.0,
            mc: 0.25,
            diameter: 12.0,
            teeth: 3,
            helix: 0.0,
            kappa: PI / 2.0,
            fz: 0.063,
            ap: 5.59,
            engagement: PI / 3.0,
        }
    }

    /// The rough of a bench mill, Ø12 z3 at 60° of engagement: 131 N mean and about 410 N on a tooth.
    #[test]
    fn a_tooth_carries_three_times_the_mean() {
        let r = forces(&cut());
        assert!((r.mean - 131.0).abs() < 0.05 * 131.0 && (r.tooth - 410.0).abs() < 6.0, "{r:?}");
        // One tooth at a time: the vector sum is that of one, with its radial share.
        assert!((r.side - r.tooth * (1.0 + RADIAL * RADIAL).sqrt()).abs() < 0.02 * r.side, "{r:?}");
    }

    /// The mean over a revolution is power ÷ cutting speed of the same integral, ∫kc·h dφ by Simpson's rule, and within 5 % of the power
    /// by the mean chip.
    #[test]
    fn the_mean_agrees_with_the_power() {
        for teeth in [1, 2, 3, 4] {
            for deg in [15.0_f64, 40.0, 60.0, 90.0, 127.0, 180.0] {
                for helix in [0.0, 0.5, 0.8] {
                    for fz in [0.01, 0.05, 0.2] {
                        let c = MillCut { teeth, engagement: deg.to_radians(), helix, fz, ..cut() };
                        let r = forces(&c);
                        let n = 2000;
                        let g = |phi: f64| c.kc11 * (fz * phi.sin().at_least(0.0)).powf(1.0 - c.mc) * c.ap;
                        let w = |k: usize| {
                            if k == 0 || k == n {
                                1.0
                            } else if k % 2 == 1 {
                                4.0
                            } else {
                                2.0
                            }
                        };
                        let integral: f64 = (0..=n).map(|k| w(k) * g(c.engagement * k as f64 / n as f64)).sum::<f64>()
                            * c.engagement
                            / n as f64
                            / 3.0;
                        let exact = integral * f64::from(teeth) / TAU;
                        assert!((r.mean / exact - 1.0).abs() < 0.01, "{c:?} {} {exact}", r.mean);
                        let ae = f::width_for(c.engagement, c.diameter);
                        let hm = f::mean_chip(fz, ae, c.diameter, c.engagement, c.kappa);
                        let vc = 200.0;
                        let vf = 1000.0 * vc / (PI * c.diameter) * f64::from(teeth) * fz;
                        let kw = f::power(f::removal(c.ap, ae, vf), f::specific_force(c.kc11, c.mc, hm));
                        assert!((kw * 60_000.0 / vc / exact - 1.0).abs() < 0.05, "{c:?}");
                    }
                }
            }
        }
    }

    /// A helix spreads a tooth's load over the turn: never more than straight flutes, the same mean, and a lift.
    #[test]
    fn a_helix_spreads_the_load_and_lifts() {
        let straight = forces(&cut());
        let spiral = forces(&MillCut { helix: 35f64.to_radians(), ap: 16.0, ..cut() });
        let deep = forces(&MillCut { ap: 16.0, ..cut() });
        assert!(spiral.side < 0.8 * deep.side && (spiral.mean / deep.mean - 1.0).abs() < 0.01, "{spiral:?} {deep:?}");
        assert!(straight.axial < 1e-9 && spiral.axial > 0.0);
        let nothing = forces(&MillCut { engagement: 0.0, ..cut() });
        assert!(nothing.mean == 0.0 && nothing.side == 0.0);
    }
}
