//! Proposals: numbers for a task, each with the limit that bound it.

use crate::force::{MillCut, forces};
use crate::formula as f;
use reason::{Bound, Judged, Source, Sources, Sure, Term, least, len};
use serde::{Deserialize, Serialize};
use shop::machine::{Machine, Material};
use shop::tool::{Tool, ToolKind};
use std::f64::consts::PI;
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
    /// Diameter at which it cuts, mm, where that is less than the cutter's own: a chamfer, a spot.
    pub cuts_at: Option<f64>,
    /// Is it for the surface? Then thin slices do not raise the feed.
    pub finish: bool,
    /// Force across the cutter that the piece's hold bears, N; infinite where that is no question.
    pub most_n: f64,
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
    /// Highest force across the cutter over a revolution, all teeth together, N.
    #[serde(default)]
    pub side_n: f64,
    /// Highest tangential force on one tooth, N.
    #[serde(default)]
    pub tooth_n: f64,
    /// Highest force along the axis, upwards on the work, N.
    #[serde(default)]
    pub axial_n: f64,
    /// At the tip under the highest force, mm.
    pub deflection_mm: f64,
    /// Straight down or in a helix, mm/min of downward feed.
    pub plunge: f64,
    /// Diameter of the cutter, mm.
    #[serde(default)]
    pub diameter: f64,
    /// Specific force at the mean chip, N/mm².
    #[serde(default)]
    pub kc: f64,
    /// Bending that is allowed at the tip, mm.
    #[serde(default)]
    pub bend: f64,
    /// Things to know, such as a chip below the least.
    pub remarks: Vec<String>,
}

pub(crate) fn b(name: &str, allows: f64) -> Bound {
    Bound { name: name.into(), allows }
}

/// Speed of a cutter that cuts at diameter `d`. Where the spindle has steps the next one below; where even its slowest is too fast, that, with
/// a remark.
fn speed(tool: &Tool, d: f64, m: &Material, machine: &Machine, remarks: &mut Vec<String>) -> Judged<f64> {
    speed_share(tool, d, 1.0, m, machine, remarks)
}

/// The same at a share of the material's cutting speed.
pub(crate) fn speed_share(
    tool: &Tool,
    d: f64,
    share: f64,
    m: &Material,
    machine: &Machine,
    remarks: &mut Vec<String>,
) -> Judged<f64> {
    let vc = share * if tool.carbide { m.vc_carbide_m_min } else { m.vc_hss_m_min };
    let by_speed = f::rpm(vc, d);
    let mut j = least(
        "1/min",
        vec![b("cutting speed", by_speed), b("rpm cap of the spindle", machine.rpm_max)],
        vec![Term::new("vc", "cutting speed", vc, "m/min"), Term::new("D", "diameter at which it cuts", d, "mm")],
        Sources::from(Source::cited("n = 1000·vc/(π·D), Machinery's Handbook")).and(&m.source),
    );
    if share < 1.0 {
        j.terms.push(Term::new("k", "share of the material's speed", share, ""));
    }
    let rounded = if machine.rpm_steps.is_empty() { (j.value / 10.0).floor() * 10.0 } else { j.value };
    match machine.speed_below(rounded) {
        Some(n) => {
            if !machine.rpm_steps.is_empty() && n < j.value * 0.999 {
                j.bound_by = "step of the spindle".into();
            }
            j.value = n;
        }
        None => {
            j.value = machine.rpm_steps.iter().copied().reduce(Sure::at_most).unwrap_or(machine.rpm_min);
            j.bound_by = "lowest rpm of the spindle".into();
            remarks.push(format!(
                "The spindle's slowest, {:.0} rpm, is more than the {by_speed:.0} that the cutting speed allows: {:.0} m/min where {vc:.0} is meant",
                j.value,
                std::f64::consts::PI * d * j.value / 1000.0
            ));
        }
    }
    j
}

/// An insert of a face mill is as strong as the edge of an end mill of this diameter, mm: its feed does not grow with the mill's own (common
/// practice, no source).
const INSERT_LIKE: f64 = 16.0;

/// Diameter by which feeds per tooth are reckoned, mm.
fn feed_diameter(tool: &Tool) -> f64 {
    if tool.kind == ToolKind::Face && tool.diameter_mm > INSERT_LIKE { INSERT_LIKE } else { tool.diameter_mm }
}

/// Usual, largest and least feed per tooth of a cutter by the material, before any thinning, mm.
pub(crate) fn feeds_per_tooth(tool: &Tool, m: &Material) -> [f64; 3] {
    let d = feed_diameter(tool);
    [m.fz_share_of_diameter * d, m.fz_share_of_diameter * d * 1.3, m.chip_floor_share * d]
}

/// The cut as its forces see it.
pub(crate) fn as_cut(tool: &Tool, m: &Material, kappa: f64, fz: f64, ap: f64, engagement: f64) -> MillCut {
    MillCut {
        kc11: m.kc11_mpa,
        mc: m.mc,
        diameter: tool.diameter_mm,
        teeth: tool.flutes.max(1),
        helix: tool.helix(),
        kappa,
        fz,
        ap,
        engagement,
    }
}

/// Bending at the tip of a cutter for each N across it, mm/N.
pub(crate) fn bend_of(tool: &Tool) -> f64 {
    let d = tool.diameter_mm;
    f::deflection(1.0, tool.stickout_mm, tool.shank_diameter_mm, tool.flute_length_mm, d, modulus(tool))
}

/// The deepest cut that bends a cutter (or presses) no more than `most`: force grows with depth, so by bisection, up to the length of the flutes.
fn depth_by(tool: &Tool, most: f64, bend: &dyn Fn(f64) -> f64) -> f64 {
    let (mut lo, mut hi) = (0.0, tool.flute_length_mm);
    if bend(hi) <= most {
        return hi;
    }
    for _ in 0..18 {
        let mid = f64::midpoint(lo, hi);
        if bend(mid) <= most {
            lo = mid;
        } else {
            hi = mid;
        }
    }
    lo
}

/// Feed of a cut where it meets more than it was reckoned for, mm/min: the stated one, or what power and torque bear at that engagement (rad).
/// Thin chips take more force for their volume: with Kienzle's law P = ap·ae·F·kc1.1·hm^−mc / 60e6 and hm = F/(n·z)·(1 − cos φ)/φ it goes with F^(1 − mc).
pub fn feed_where(data: &MillData, tool: &Tool, m: &Material, machine: &Machine, engagement: f64) -> f64 {
    let feed = data.feed.value;
    let rpm = data.rpm.value;
    let share = 1.0 - engagement.cos();
    if share <= 1e-9 || rpm <= 0.0 {
        return feed;
    }
    let by_torque = machine.usable_nm(rpm) * rpm * PI / 30_000.0;
    let usable = machine.usable_kw(rpm).at_most(by_torque);
    let per_tooth = share / (engagement * rpm * f64::from(tool.flutes.max(1)));
    let all = usable * 60e6 / (data.ap.value * tool.diameter_mm / 2.0 * share * m.kc11_mpa * per_tooth.powf(-m.mc));
    let borne = all.powf(1.0 / (1.0 - m.mc));
    if borne < feed { borne } else { feed }
}

/// A chip so many times the usual one breaks no tooth where a ridge of hundredths is met (common practice, no source).
const BRUSHED: f64 = 1.4;

/// Feed of a cutter where nothing should be met and ridges of other passes may be, mm/min: its chip stays near the usual one.
pub fn brush_feed(data: &MillData, tool: &Tool, m: &Material, machine: &Machine) -> f64 {
    let chip = BRUSHED * feeds_per_tooth(tool, m)[0];
    (chip * f64::from(tool.flutes.max(1)) * data.rpm.value).at_least(data.feed.value).at_most(machine.feed_max_mm_min)
}

/// The least depth that is proposed however little a hold bears, mm.
const LEAST_AP: f64 = 0.1;

/// Numbers for a milling cut. Depth gives way to power, torque, bending and flute length; feed per tooth keeps the chip.
pub fn mill(task: &MillTask, tool: &Tool, m: &Material, machine: &Machine) -> MillData {
    let d = tool.diameter_mm;
    let z = f64::from(tool.flutes.max(1));
    let mut remarks = Vec::new();
    let rpm = speed(tool, task.cuts_at.unwrap_or(d), m, machine, &mut remarks);
    let ae = if task.width < d { task.width } else { d };
    let phi = if ae >= d - 1e-9 { PI } else { f::engagement(ae, d) };

    // Thin slices raise fz so that the chip stays as thick as at half the diameter, at most doubled: not where it is for the surface.
    let thin = if task.finish { 1.0 } else { f::thickest_chip(1.0, ae, d).clamp(0.5, 1.0) };
    let [usual, most, floor] = feeds_per_tooth(tool, m);
    let start = usual * BOLDNESS * task.feed_share / thin;
    let feed_cap = machine.feed_max_mm_min / (rpm.value * z);
    let tooth = most / thin;
    let mut fz = least(
        "mm",
        vec![b("starting value", start), b("feed cap of the machine", feed_cap), b("tooth load", tooth)],
        vec![
            Term::new("fz/D", "starting feed per tooth by diameter", m.fz_share_of_diameter, ""),
            Term::new("D", "diameter by which it is reckoned", feed_diameter(tool), "mm"),
            Term::new("boldness", "share used for one piece", BOLDNESS, ""),
            Term::new("share", "of it for this operation", task.feed_share, ""),
            Term::new("hex/fz", "chip thinning", thin, ""),
            Term::new("floor", "least feed per tooth", floor, "mm"),
        ],
        Sources::from(Source::cited("hex = 2·fz·√(ae/D − (ae/D)²), ISO 3002"))
            .and(Source::practice("boldness 60–70 %"))
            .and(&m.source),
    );
    if fz.value < floor && floor <= feed_cap && floor <= tooth {
        fz.value = floor;
        fz.bound_by = "minimum chip".into();
    } else if fz.value < floor {
        remarks.push(format!("Rubs: {:.4} mm a tooth, the least is {floor:.4}; {} binds", len(fz.value), fz.bound_by));
    }
    let hex = f::thickest_chip(fz.value, ae, d);
    if hex < EDGE_CHIP {
        remarks.push(format!(
            "Thin chip: {hex:.4} mm where {EDGE_CHIP} mm is wanted",
            hex = len(hex),
            EDGE_CHIP = len(EDGE_CHIP)
        ));
    }

    let feed_of = |fz: f64| fz * z * rpm.value;
    let hm = f::mean_chip(fz.value, ae, d, phi, task.kappa).clamp(1e-4, f64::INFINITY);
    let kc = f::specific_force(m.kc11_mpa, m.mc, hm);
    let vf = feed_of(fz.value);
    // Power and torque are proportional to the depth: per mm of it. The highest force is not, where the flutes are helical.
    let power_mm = f::power(f::removal(1.0, ae, vf), kc);
    let torque_mm = f::torque(power_mm, rpm.value);
    let per_newton = bend_of(tool);
    let at = |ap: f64| forces(&as_cut(tool, m, task.kappa, fz.value, ap, phi));
    let mut bounds = vec![
        b(THE_TASK, task.depth),
        b("flute length", tool.flute_length_mm),
        b("usable power", machine.usable_kw(rpm.value) / power_mm),
        b("torque", machine.usable_nm(rpm.value) / torque_mm),
        b("deflection", depth_by(tool, task.bend, &|ap| per_newton * at(ap).side)),
    ];
    if task.most_n.is_finite() {
        // Never nothing: what it does not bear is told with the hold.
        bounds.push(b("holding", depth_by(tool, task.most_n, &|ap| at(ap).side).at_least(LEAST_AP)));
    }
    let ap = least(
        "mm",
        bounds,
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
            Term::new("bend/F", "bending for each N across", per_newton, "mm/N"),
            Term::new("bend", "bending allowed under the highest force", task.bend, "mm"),
        ],
        Sources(vec![
            Source::cited("P = ap·ae·vf·kc/60e6; Kienzle, kc = kc1.1·hm^−mc"),
            Source::cited(
                "highest force over a revolution by teeth and slices of the helix: Altintas, Manufacturing Automation",
            ),
            Source::memory("radial share of the force 0.3: Tlusty, Manufacturing Processes and Equipment", 70),
            Source::derived("a cantilever, F·L³/(3·E·I), with 0.8·D at the flutes"),
        ])
        .and(&machine.usable_source)
        .and(&m.source),
    );
    let feed = Judged {
        value: vf.floor().clamp(1.0, f64::INFINITY),
        unit: "mm/min".into(),
        bound_by: fz.bound_by.clone(),
        bounds: vec![b("feed cap of the machine", machine.feed_max_mm_min)],
        terms: vec![
            Term::new("fz", "feed per tooth", fz.value, "mm"),
            Term::new("z", "teeth", z, ""),
            Term::new("n", "spindle speed", rpm.value, "1/min"),
        ],
        source: Source::cited("vf = n·z·fz, Machinery's Handbook").into(),
    };
    let power_kw = power_mm * ap.value;
    let force_n = power_kw * 60_000.0 / (PI * d * rpm.value / 1000.0);
    let high = at(ap.value);
    let deflection_mm = per_newton * high.side;
    let plunge = (feed.value * 0.3).floor().clamp(1.0, f64::INFINITY);
    MillData {
        rpm,
        fz,
        feed,
        ap,
        ae,
        engagement: phi,
        power_kw,
        force_n,
        side_n: high.side,
        tooth_n: high.tooth,
        axial_n: high.axial,
        deflection_mm,
        plunge,
        diameter: d,
        kc,
        bend: task.bend,
        remarks,
    }
}

/// Feed per revolution ÷ diameter of drills under 3 mm, at most: 1–2 % (common practice, no source).
const TINY_SHARE: f64 = 0.015;

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
    /// Things to know.
    #[serde(default)]
    pub remarks: Vec<String>,
}

/// Numbers for a drill to `depth`, or for a spot drill that opens the hole to `cuts_at` mm. A drill is fed as the table says, not at a share of
/// it: fed less it rubs, and in stainless steel the next turn meets a hardened skin.
pub fn drill(tool: &Tool, cuts_at: Option<f64>, depth: f64, m: &Material, machine: &Machine) -> DrillData {
    let d = cuts_at.unwrap_or(tool.diameter_mm);
    let mut remarks = Vec::new();
    let rpm = speed(tool, d, m, machine, &mut remarks);
    let share = if d < 3.0 && m.drill_feed_share > TINY_SHARE { TINY_SHARE } else { m.drill_feed_share };
    let start = share * d;
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
        Sources(vec![
            Source::memory("f = 0.01–0.02·D: handbook rule", 90),
            Source::practice("tiny drills 1–2 % of D"),
            Source::cited("torque kc·f·D²/8000, Kienzle"),
        ])
        .and(&m.source),
    );
    feed_rev.value = (feed_rev.value * 1000.0).floor().clamp(5.0, f64::INFINITY) / 1000.0;
    let deep = depth / d;
    // Peck from about 3 × D (common practice, no source).
    let peck = (deep > 3.0).then(|| (d * if deep > 5.0 { 0.75 } else { 1.0 } * 100.0).floor() / 100.0);
    let peck_why = format!(
        "{deep:.1} × D deep: pecks from about 3 × D, full retract from about 5 × D (common practice, no source)"
    );
    let feed = (feed_rev.value * rpm.value).floor().clamp(1.0, f64::INFINITY);
    let thrust_n = f::drill_thrust(m.kc11_mpa, d, feed_rev.value);
    DrillData { torque_nm: torque_of(feed_rev.value), rpm, feed_rev, feed, peck, peck_why, thrust_n, remarks }
}
