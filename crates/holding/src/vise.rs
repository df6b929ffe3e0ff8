//! The vise: where parallels bear, how hard it may be closed, what it then holds, and the boxes to keep out of.
//!
//! The judgements are those of a rigid body between two jaws: pressure on the faces that bear against the material's yield, slip by
//! Coulomb's friction, tilt by the couple of the jaws' pressure and friction. Sources stand beside each.

use geom::{DVec2, DVec3, Region};
use part::View;
use reason::Term;
use serde::{Deserialize, Serialize};
use shop::machine::{Material, Vise};
use ts_rs::TS;

/// Pressure of a jaw ÷ yield that leaves no mark worth the name (common practice, no source).
const NO_MARK: f64 = 0.5;
/// Parallels bear over this length at least, mm.
const LEAST_BEARING: f64 = 6.0;
/// They stand this share of the opening apart at least, so that the part does not rock.
const APART: f64 = 0.25;

/// Where a pair of parallels bears.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct Bearing {
    /// Middle of each parallel behind the fixed jaw's face, mm (towards the moving jaw).
    pub at_mm: [f64; 2],
    /// Length over which each bears, mm.
    pub length_mm: [f64; 2],
}

impl Bearing {
    /// Under a raw block, at the jaws.
    pub fn of_block(body: DVec3, vise: &Vise) -> Bearing {
        let p = vise.parallel_width_mm;
        Bearing { at_mm: [p / 2.0, body.y - p / 2.0], length_mm: [body.x.min(vise.jaw_width_mm); 2] }
    }
}

/// The pair of places, as far apart as there is, at which both parallels bear on the lower end of a part; at the jaws if they bear there.
/// `z0` is the part's lower end in the view.
pub(crate) fn bearing(view: &View, z0: f64, vise: &Vise) -> Option<Bearing> {
    let b = view.bounds;
    let w = vise.parallel_width_mm;
    let sole: Region = view.mesh.section(z0 + 0.02);
    let opening = b.size().y;
    // The length that bears, by how much of the parallel's top lies under the sole.
    let bears = |at: f64| {
        let y = b.max.y - at;
        let strip = Region::rect(DVec2::new(b.min.x, y - w / 2.0), DVec2::new(b.max.x, y + w / 2.0));
        strip.intersect(&sole).area() / w
    };
    let steps = ((opening - w) / 1.0).floor();
    if steps < 1.0 {
        return None;
    }
    let places: Vec<(f64, f64)> =
        (0..=steps as usize).map(|k| w / 2.0 + (opening - w) * k as f64 / steps).map(|at| (at, bears(at))).collect();
    let good: Vec<&(f64, f64)> = places.iter().filter(|p| p.1 >= LEAST_BEARING).collect();
    let (first, last) = (good.first()?, good.last()?);
    (last.0 - first.0 >= APART * opening).then_some(Bearing { at_mm: [first.0, last.0], length_mm: [first.1, last.1] })
}

/// How hard a vise is closed on a contact, and why not harder.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Clamping {
    /// kN.
    pub force_kn: f64,
    /// On the smaller contact, N/mm².
    pub pressure_mpa: f64,
}

/// As hard as the vise closes, and no harder than leaves no mark.
pub fn clamping(height: f64, length: f64, vise: &Vise, material: &Material) -> Clamping {
    let area = height * length;
    if area <= 0.0 {
        return Clamping { force_kn: 0.0, pressure_mpa: 0.0 };
    }
    let allowed = NO_MARK * material.yield_mpa * area / 1000.0;
    let force_kn = if allowed < vise.clamp_kn { allowed } else { vise.clamp_kn };
    Clamping { force_kn, pressure_mpa: force_kn * 1000.0 / area }
}

/// Terms of it, for the screen.
pub(crate) fn clamp_terms(c: &Clamping, vise: &Vise, material: &Material) -> Vec<Term> {
    vec![
        Term::new("F", "clamp force", c.force_kn * 1000.0, "N"),
        Term::new("F max", "that the vise gives", vise.clamp_kn * 1000.0, "N"),
        Term::new("p", "pressure on the contact", c.pressure_mpa, "N/mm²"),
        Term::new(
            "p max",
            "half the yield, so that no mark is left (common practice, no source)",
            NO_MARK * material.yield_mpa,
            "N/mm²",
        ),
    ]
}

/// The highest forces of a setup's operations, with the height at which they act.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Demand {
    /// Across, N.
    pub side: f64,
    /// Upwards at the same time, N.
    pub lift: f64,
    /// Height of the cut above the parallels, mm.
    pub height: f64,
    /// Drill's thrust, N, and torque, N m.
    pub thrust: f64,
    /// See `thrust`.
    pub torque: f64,
}

/// A limit of a grip with what is asked of it: the factor is how many times over it holds.
#[derive(Debug, Clone, PartialEq)]
pub struct Holds {
    /// "slip", "tilt", "twist".
    pub limit: &'static str,
    /// Held ÷ asked.
    pub factor: f64,
    /// N or N·m held.
    pub held: f64,
    /// N or N·m asked.
    pub asked: f64,
    /// "N" or "N m".
    pub unit: &'static str,
}

/// What a grip holds against a demand: the smallest factor first.
///
/// Slip: 2·μ·F against √(side² + lift²). Tilt over the jaws, side·(height − g/2), against the couple of the pressure, F·g (it can move from
/// the jaw's lower edge to its upper one), and of friction, μ·F·opening. Twist by a drill, its torque against μ·F·L/2 on both jaws. (Coulomb;
/// rigid jaws.)
pub fn holds(force_kn: f64, friction: f64, height: f64, length: f64, opening: f64, d: &Demand) -> Vec<Holds> {
    let f = force_kn * 1000.0;
    let item = |limit, held: f64, asked: f64, unit| Holds {
        limit,
        factor: if asked > 0.0 { held / asked } else { f64::INFINITY },
        held,
        asked,
        unit,
    };
    let arm = if d.height > height / 2.0 { d.height - height / 2.0 } else { 0.0 };
    let mut out = vec![
        item("slip", 2.0 * friction * f, d.side.hypot(d.lift), "N"),
        item("tilt", f * (height + friction * opening) / 1000.0, d.side * arm / 1000.0, "N m"),
        item("twist", friction * f * length / 1000.0, d.torque, "N m"),
    ];
    out.sort_by(|a, b| a.factor.total_cmp(&b.factor));
    out
}

/// Jaws and parallels in work coordinates: name, least, largest corner.
pub(crate) fn keep_out(
    vise: &Vise,
    body: DVec3,
    grip: f64,
    parallels: f64,
    b: Option<&Bearing>,
) -> Vec<(String, DVec3, DVec3)> {
    let (x0, x1) = (body.x / 2.0 - vise.jaw_width_mm / 2.0, body.x / 2.0 + vise.jaw_width_mm / 2.0);
    let bx = |y0: f64, y1: f64, z1: f64| (DVec3::new(x0, y0, -parallels), DVec3::new(x1, y1, z1));
    let (t, w) = (vise.jaw_thickness_mm, vise.parallel_width_mm);
    let mut out =
        vec![("fixed jaw".to_string(), bx(0.0, t, grip)), ("moving jaw".to_string(), bx(-body.y - t, -body.y, grip))];
    if let Some(b) = b {
        for (name, at) in ["back parallel", "front parallel"].into_iter().zip(b.at_mm) {
            out.push((name.to_string(), bx(-at - w / 2.0, -at + w / 2.0, 0.0)));
        }
    }
    out.into_iter().map(|(name, (min, max))| (name, min, max)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use shop::Shop;

    /// 12 kN on 4 × 10 mm is 300 N/mm², over the yield of 6082-T6 (250): closed so it would crush; half the yield on 40 mm² is 5 kN.
    #[test]
    fn a_small_contact_is_not_crushed() {
        let s = Shop::demo().unwrap();
        let al = s.material("aluminium-6082").unwrap();
        assert_eq!(al.yield_mpa, 250.0);
        let c = clamping(4.0, 10.0, &s.vise, al);
        assert!((c.force_kn - 5.0).abs() < 1e-9 && (c.pressure_mpa - 125.0).abs() < 1e-9, "{c:?}");
        let full = clamping(8.0, 60.0, &s.vise, al);
        assert!(full.force_kn == s.vise.clamp_kn && full.pressure_mpa < 30.0);
        assert_eq!(clamping(0.0, 10.0, &s.vise, al).force_kn, 0.0);
    }

    /// Hand sums: F 10 kN, μ 0.15, grip 8 × 50, opening 40. Slip 3000 N; tilt 10000·(8 + 6)/1000 = 140 N m; twist 75 N m.
    #[test]
    fn slip_tilt_and_twist_by_hand() {
        let d = Demand { side: 400.0, lift: 300.0, height: 34.0, thrust: 0.0, torque: 5.0 };
        let h = holds(10.0, 0.15, 8.0, 50.0, 40.0, &d);
        let of = |name: &str| h.iter().find(|x| x.limit == name).unwrap();
        assert!((of("slip").held - 3000.0).abs() < 1e-9 && (of("slip").asked - 500.0).abs() < 1e-9);
        assert!((of("tilt").held - 140.0).abs() < 1e-9 && (of("tilt").asked - 12.0).abs() < 1e-9);
        assert!((of("twist").factor - 15.0).abs() < 1e-9);
        assert_eq!(h[0].limit, "slip");
    }
}
