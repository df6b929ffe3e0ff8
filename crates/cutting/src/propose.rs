//! Proposals: numbers for a task, each with the limit that bound it.

use crate::formula as f;
use reason::{Bound, Judged, Term, least};
use serde::{Deserialize, Serialize};
use shop::machine::{Machine, Material};
use shop::tool::Tool;
use std::f64::consts::{FRAC_PI_2, PI};
use ts_rs::TS;

/// Modulus of carbide (580 to 640 GPa) and high-speed steel, N/mm².
const CARBIDE: f64 = 600_000.0;
const HSS: f64 = 205_000.0;
/// One piece and one chance: share of the starting values that is used (common practice 60 to 70 %, no source).
const BOLDNESS: f64 = 0.7;
/// Sharp cutters rub below about this chip thickness, mm (1 to 2 edge radii of 5 µm; common practice).
pub(crate) const EDGE_CHIP: f64 = 0.007;

/// Name of the bound of a depth that nothing but the work itself limits.
pub const THE_TASK: &str = "the task";

/// Modulus of a cutter, N/mm².
pub(crate) fn modulus(tool: &Tool) -> f64 {
    if tool.carbide { CARBIDE } else { HSS }
}

/// What a milling cut is to do.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct MillTask {
    /// Axial depth, mm; the proposal may be less.
    pub depth: f64,
    /// Radial width, mm.
    pub width: f64,
    /// Bending allowed at the tip, mm.
    pub bend: f64,
    /// Share of the starting feed that is used: 1 for roughing, less where finish counts.
    pub feed_share: f64,
    /// Entry angle κ of the edge, rad (π/2 for end mills).
    pub kappa: f64,
}

/// Numbers of a milling cut.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct MillData {
    /// Spindle speed, 1/min.
    pub rpm: Judged<f64>,
    /// Feed per tooth, mm.
    pub fz: Judged<f64>,
    /// Feed, mm/min.
    pub feed: Judged<f64>,
    /// Axial depth, mm.
    pub ap: Judged<f64>,
    /// Radial width, mm.
    pub ae: f64,
    /// Engagement, rad.
    pub engagement: f64,
    /// At the cutter, kW.
    pub power_kw: f64,
    /// Mean tangential force on the cutter, N.
    pub force_n: f64,
    /// At the tip, mm.
    pub deflection_mm: f64,
    /// Straight down or in a helix, mm/min of downward feed.
    pub plunge: f64,
    /// Things to know, such as a chip below the least.
    pub remarks: Vec<String>,
}

fn b(name: &str, allows: f64) -> Bound {
    Bound { name: name.into(), allows }
}

fn speed(tool: &Tool, m: &Material, machine: &Machine) -> Judged<f64> {
    let vc = if tool.carbide { m.vc_carbide_m_min } else { m.vc_hss_m_min };
    let by_speed = f::rpm(vc, tool.diameter_mm);
    let mut j = least(
        "1/min",
        vec![b("cutting speed", by_speed), b("rpm cap of the spindle", machine.rpm_max)],
        vec![Term::new("vc", "cutting speed", vc, "m/min"), Term::new("D", "cutter diameter", tool.diameter_mm, "mm")],
        &format!("n = 1000·vc/(π·D), Machinery's Handbook; {}", m.source),
    );
    j.value = (j.value / 10.0).floor() * 10.0;
    if j.value < machine.rpm_min {
        j.value = machine.rpm_min;
        j.bound_by = "lowest rpm of the spindle".into();
    }
    j
}

/// Numbers for a milling cut. Depth gives way to power, torque, bending and flute length; feed per tooth keeps the chip.
pub fn mill(task: &MillTask, tool: &Tool, m: &Material, machine: &Machine) -> MillData {
    let d = tool.diameter_mm;
    let z = f64::from(tool.flutes.max(1));
    let rpm = speed(tool, m, machine);
    let ae = task.width.min(d);
    let phi = if ae >= d - 1e-9 { PI } else { f::engagement(ae, d) };
    let mut remarks = Vec::new();

    // Thin slices raise fz so that the chip stays as thick as at half the diameter, at most doubled.
    let thin = (f::thickest_chip(1.0, ae, d)).max(0.5);
    let start = m.fz_share_of_diameter * d * BOLDNESS * task.feed_share / thin;
    let feed_cap = machine.feed_max_mm_min / (rpm.value * z);
    let tooth = m.fz_share_of_diameter * d * 1.3 / thin;
    let floor = m.chip_floor_share * d;
    let mut fz = least(
        "mm",
        vec![b("starting value", start), b("feed cap of the machine", feed_cap), b("tooth load", tooth)],
        vec![
            Term::new("fz/D", "starting feed per tooth by diameter", m.fz_share_of_diameter, ""),
            Term::new("D", "cutter diameter", d, "mm"),
            Term::new("boldness", "share used for one piece", BOLDNESS, ""),
            Term::new("hex/fz", "chip thinning", thin, ""),
            Term::new("floor", "least feed per tooth", floor, "mm"),
        ],
        &format!("hex = 2·fz·√(ae/D − (ae/D)²), ISO 3002; boldness 60–70 %: common practice, no source; {}", m.source),
    );
    if fz.value < floor && floor <= feed_cap.min(tooth) {
        fz.value = floor;
        fz.bound_by = "minimum chip".into();
    } else if fz.value < floor {
        remarks.push(format!("Rubs: {:.4} mm a tooth, the least is {floor:.4}; {} binds", fz.value, fz.bound_by));
    }
    let hex = f::thickest_chip(fz.value, ae, d);
    if hex < EDGE_CHIP {
        remarks.push(format!("Thin chip: {hex:.4} mm where {EDGE_CHIP} mm is wanted"));
    }

    let feed_of = |fz: f64| fz * z * rpm.value;
    let hm = f::mean_chip(fz.value, ae, d, phi, task.kappa).max(1e-4);
    let kc = f::specific_force(m.kc11_mpa, m.mc, hm);
    let vf = feed_of(fz.value);
    // Everything below is proportional to the depth: per mm of it.
    let power_mm = f::power(f::removal(1.0, ae, vf), kc);
    let force_mm = power_mm * 60_000.0 / (PI * d * rpm.value / 1000.0);
    let bend_mm =
        f::deflection(force_mm, tool.stickout_mm, tool.shank_diameter_mm, tool.flute_length_mm, d, modulus(tool));
    let torque_mm = f::torque(power_mm, rpm.value);
    let ap = least(
        "mm",
        vec![
            b(THE_TASK, task.depth),
            b("flute length", tool.flute_length_mm),
            b("usable power", machine.usable_kw(rpm.value) / power_mm),
            b("torque", machine.usable_nm(rpm.value) / torque_mm),
            b("deflection", task.bend / bend_mm),
        ],
        vec![
            Term::new("ae", "radial width", ae, "mm"),
            Term::new("hm", "mean chip thickness", hm, "mm"),
            Term::new(
                "kc",
                if hm < 0.05 { "specific force, extrapolated below 0.05 mm" } else { "specific force" },
                kc,
                "N/mm²",
            ),
            Term::new("P/ap", "power per mm of depth", power_mm, "kW/mm"),
            Term::new("P usable", "usable power at that speed", machine.usable_kw(rpm.value), "kW"),
            Term::new("bend/ap", "bending per mm of depth", bend_mm, "mm/mm"),
        ],
        &format!(
            "P = ap·ae·vf·kc/60e6; Kienzle kc = kc1.1·hm^−mc; F·L³/(3·E·I) with 0.8·D at the flutes; {}; {}",
            machine.usable_source, m.source
        ),
    );
    let feed = Judged {
        value: vf.floor().max(1.0),
        unit: "mm/min".into(),
        bound_by: fz.bound_by.clone(),
        bounds: vec![b("feed cap of the machine", machine.feed_max_mm_min)],
        terms: vec![
            Term::new("fz", "feed per tooth", fz.value, "mm"),
            Term::new("z", "teeth", z, ""),
            Term::new("n", "spindle speed", rpm.value, "1/min"),
        ],
        source: "vf = n·z·fz, Machinery's Handbook".into(),
    };
    let (power_kw, force_n, deflection_mm) = (power_mm * ap.value, force_mm * ap.value, bend_mm * ap.value);
    let plunge = (feed.value * 0.3).max(1.0).floor();
    MillData { rpm, fz, feed, ap, ae, engagement: phi, power_kw, force_n, deflection_mm, plunge, remarks }
}

/// Numbers of a drilled hole.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct DrillData {
    /// 1/min.
    pub rpm: Judged<f64>,
    /// mm/rev.
    pub feed_rev: Judged<f64>,
    /// mm/min.
    pub feed: f64,
    /// Depth of a peck, mm; none when it goes in one.
    pub peck: Option<f64>,
    /// Why it pecks or not.
    pub peck_why: String,
    /// N.
    pub thrust_n: f64,
    /// N m.
    pub torque_nm: f64,
}

/// Numbers for a drill (or spot drill) to `depth`.
pub fn drill(tool: &Tool, depth: f64, m: &Material, machine: &Machine) -> DrillData {
    let d = tool.diameter_mm;
    let rpm = speed(tool, m, machine);
    let share = if d < 3.0 { m.drill_feed_share.min(0.015) } else { m.drill_feed_share };
    let start = share * d * BOLDNESS.max(0.7);
    let angle = if tool.point_angle_deg > 0.0 { tool.point_angle_deg.to_radians() } else { PI };
    let torque_of = |fr: f64| f::drill_torque(m.kc11_mpa, m.mc, d, fr, angle);
    // Torque grows with f^(1−mc): solve for the feed at the limits of torque and power.
    let unit = torque_of(1.0);
    let solve = |limit: f64| (limit / unit).powf(1.0 / (1.0 - m.mc));
    let power_torque = machine.usable_kw(rpm.value) * 9550.0 / rpm.value;
    let mut feed_rev = least(
        "mm",
        vec![
            b("starting value", start),
            b("torque", solve(machine.usable_nm(rpm.value))),
            b("usable power", solve(power_torque)),
            b("feed cap of the machine", machine.feed_max_mm_min / rpm.value),
        ],
        vec![
            Term::new("f/D", "feed per revolution by diameter", share, ""),
            Term::new("D", "drill diameter", d, "mm"),
            Term::new("kc1.1", "specific force", m.kc11_mpa, "N/mm²"),
        ],
        &format!(
            "f = 0.01–0.02·D: handbook rule, from memory, 90 %; tiny drills 1–2 % of D: common practice; torque kc·f·D²/8000, Kienzle; {}",
            m.source
        ),
    );
    feed_rev.value = (feed_rev.value * 1000.0).floor().max(5.0) / 1000.0;
    let deep = depth / d;
    // Peck from about 3 × D (common practice, no source).
    let peck = (deep > 3.0).then(|| (d * if deep > 5.0 { 0.75 } else { 1.0 } * 100.0).floor() / 100.0);
    let peck_why = format!(
        "{deep:.1} × D deep: pecks from about 3 × D, full retract from about 5 × D (common practice, no source)"
    );
    let feed = (feed_rev.value * rpm.value).floor().max(1.0);
    let thrust_n = f::drill_thrust(m.kc11_mpa, m.mc, d, feed_rev.value, angle.clamp(FRAC_PI_2, PI - 1e-3));
    DrillData { torque_nm: torque_of(feed_rev.value), rpm, feed_rev, feed, peck, peck_why, thrust_n }
}
