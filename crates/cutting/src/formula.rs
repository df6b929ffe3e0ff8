//! The formulas, one by one, so that each can be checked alone.

use reason::Sure;
use std::f64::consts::PI;

/// Spindle speed for a cutting speed: n = 1000·vc/(π·D), 1/min.
pub fn rpm(vc_m_min: f64, diameter: f64) -> f64 {
    1000.0 * vc_m_min / (PI * diameter)
}

/// Engagement of a side cut, rad: φ = acos(1 − 2·ae/D).
pub fn engagement(ae: f64, diameter: f64) -> f64 {
    (1.0 - 2.0 * ae / diameter).clamp(-1.0, 1.0).acos()
}

/// Radial depth of a side cut with that engagement, mm.
pub fn width_for(engagement: f64, diameter: f64) -> f64 {
    diameter * (1.0 - engagement.cos()) / 2.0
}

/// Mean chip thickness: hm = (360/(π·φ°))·fz·(ae/D)·sin κ, mm.
pub fn mean_chip(fz: f64, ae: f64, diameter: f64, engagement: f64, kappa: f64) -> f64 {
    2.0 * fz * (ae / diameter) * kappa.sin() / engagement
}

/// Thickest chip: fz·2·√(ae/D − (ae/D)²) below half the diameter, else fz; mm.
pub fn thickest_chip(fz: f64, ae: f64, diameter: f64) -> f64 {
    let q = (ae / diameter).clamp(0.0, 1.0);
    if q < 0.5 { 2.0 * fz * (q - q * q).sqrt() } else { fz }
}

/// Specific cutting force (Kienzle): kc = kc1.1·h^−mc, N/mm².
pub fn specific_force(kc11: f64, mc: f64, h: f64) -> f64 {
    kc11 * h.powf(-mc)
}

/// Removal rate: ap·ae·vf/1000, cm³/min.
pub fn removal(ap: f64, ae: f64, vf: f64) -> f64 {
    ap * ae * vf / 1000.0
}

/// Power at the cutter: Q·kc/60000, kW.
pub fn power(q: f64, kc: f64) -> f64 {
    q * kc / 60_000.0
}

/// Torque: 30000·P/(π·n), N m; handbooks round the factor to 9550.
pub fn torque(kw: f64, rpm: f64) -> f64 {
    30_000.0 / PI * kw / rpm
}

/// Bending of a cutter clamped at its stick-out, mm: a shank with a fluted end that counts as a bar of 0.8·D,
/// F/(3E)·[(L³ − L₂³)/I₁ + L₂³/I₂]. Force N, modulus N/mm².
pub fn deflection(force: f64, stickout: f64, shank: f64, fluted: f64, diameter: f64, modulus: f64) -> f64 {
    let inertia = |d: f64| PI * d.powi(4) / 64.0;
    let l2 = fluted.at_most(stickout);
    force / (3.0 * modulus) * ((stickout.powi(3) - l2.powi(3)) / inertia(shank) + l2.powi(3) / inertia(0.8 * diameter))
}

/// Torque of a drill, N m: kc·f·D²/8000 with kc at the chip of one lip, h = f/2·sin(σ/2).
pub fn drill_torque(kc11: f64, mc: f64, diameter: f64, feed_rev: f64, point_angle: f64) -> f64 {
    let h = feed_rev / 2.0 * (point_angle / 2.0).sin();
    specific_force(kc11, mc, h) * feed_rev * diameter * diameter / 8000.0
}

/// Thrust of a drill with its chisel edge, N: Shaw & Oxford 1957 in the form of Machinery's Handbook (from memory, 80 %), T = 2·Kd·f^0.8·
/// d^0.8·B + Kd·d²·J in inch and lbf with B 1.355 and J 0.030 for a chisel edge of 0.18·d. Its work constant Kd is taken as kc1.1/13.4, which
/// fits the book's steel (24 000) and aluminium (7000) within 3 %. Thrust is the least reproducible quantity there is: a factor of two.
pub fn drill_thrust(kc11: f64, diameter: f64, feed_rev: f64) -> f64 {
    const B: f64 = 1.355;
    const J: f64 = 0.030;
    const PSI: f64 = 145.038;
    const LBF: f64 = 4.448_222;
    let (d, f) = (diameter / 25.4, feed_rev / 25.4);
    let kd = kc11 * PSI / 13.4;
    LBF * kd * (2.0 * B * f.powf(0.8) * d.powf(0.8) + J * d * d)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn near(a: f64, b: f64, tol: f64) {
        assert!((a - b).abs() <= tol, "{a} {b}");
    }

    /// Worked example: 42CrMo4, D20 z4 ap10 ae10 fz 0.1 vc120: n 1909.86, vf 763.94, Q 76.394, φ 90°, hm 0.063662, kc 5116, 6.514 kW,
    /// 32.57 N m (2500/0.26); with 1900/0.25: kc 3783, 4.816 kW. Recomputed independently by the project's references.
    #[test]
    fn worked_milling_example() {
        let n = rpm(120.0, 20.0);
        near(n, 1_909.859_317, 1e-5);
        let vf = n * 4.0 * 0.1;
        near(vf, 763.943_727, 1e-5);
        let q = removal(10.0, 10.0, vf);
        near(q, 76.394_373, 1e-5);
        let phi = engagement(10.0, 20.0);
        near(phi.to_degrees(), 90.0, 1e-9);
        let hm = mean_chip(0.1, 10.0, 20.0, phi, PI / 2.0);
        near(hm, 0.063_661_977, 1e-8);
        let kc = specific_force(2500.0, 0.26, hm);
        near(kc, 5116.0075, 1e-3);
        near(power(q, kc), 6.513_903_1, 1e-6);
        near(torque(power(q, kc), n), 32.569_516, 1e-5);
        near(power(q, specific_force(1900.0, 0.25, hm)), 4.816_079_96, 1e-6);
    }

    /// Chip thinning: D10 ae1 hmax/fz 0.600, ae 0.5 0.4359; kc 650/0.25 at 0.1: 1156 (derived).
    #[test]
    fn chip_thinning_and_kienzle() {
        near(thickest_chip(1.0, 1.0, 10.0), 0.6, 1e-9);
        near(thickest_chip(1.0, 0.5, 10.0), 0.435_889_9, 1e-7);
        near(specific_force(650.0, 0.25, 0.1), 1155.9, 0.1);
        near(width_for(engagement(1.7, 10.0), 10.0), 1.7, 1e-12);
    }

    /// Cantilever F100 L50 d10 E600 GPa: 14.147 µm; stepped 12 mm shank, 8 mm equivalent over 30 of 50: 12.809 µm.
    #[test]
    fn deflection_of_a_stepped_bar() {
        near(deflection(100.0, 50.0, 10.0, 0.0, 10.0, 600_000.0) * 1000.0, 14.147_106, 1e-5);
        near(deflection(100.0, 50.0, 12.0, 30.0, 10.0, 600_000.0) * 1000.0, 12.809_217, 1e-5);
    }

    /// 12.7 mm, 0.2032 mm/rev, Ck45 N (2220/0.14): 12.80 N m; thrust by Shaw & Oxford with Kd 24 000: 965 lbf = 4293 N.
    #[test]
    fn drill_forces() {
        let a = 118f64.to_radians();
        near(drill_torque(2220.0, 0.14, 12.7, 0.2032, a), 12.7997, 1e-3);
        near(drill_thrust(24_000.0 * 13.4 / 145.038, 12.7, 0.2032), 4293.0, 6.0);
        // Kd of kc1.1: steel 2220 gives 24 030, aluminium 650 gives 7035.
        near(2220.0 * 145.038 / 13.4, 24_000.0, 0.03 * 24_000.0);
        near(650.0 * 145.038 / 13.4, 7000.0, 0.03 * 7000.0);
    }
}
