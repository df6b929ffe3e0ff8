//! Numbers for what makes a hole finer than a drill does: reamers, taps, thread mills.

use crate::formula as f;
use crate::propose::{DrillData, MillData, MillTask, THE_TASK, b, mill, speed_share};
use reason::{Judged, Source, Sources, Sure, Term, least};
use shop::machine::{Machine, Material};
use shop::tool::Tool;
use std::f64::consts::PI;

/// A tap's speed ÷ that of a drill of high-speed steel: 10 m/min in steel, 5 in stainless steel, 28 in aluminium, inside the ranges 8–15, 4–8
/// and 15–30 (from memory, 80 %).
const TAP_SHARE: f64 = 0.35;
/// A reamer's speed ÷ a drill's, and its feed a turn ÷ a drill's (common practice: half, and 2 to 3 times; no source).
const REAM_SPEED: f64 = 0.5;
const REAM_FEED: f64 = 2.0;
/// A spindle that is turned round in the hole is not run faster than this, 1/min (common practice, no source).
const TAP_RPM: f64 = 1000.0;
/// A blunt tap asks two to three times the torque of a sharp one (from memory, 70 %).
const BLUNT: f64 = 2.0;
/// Thread height of an internal thread ÷ pitch: 5/8 of a sharp 60° triangle (ISO 68-1).
pub const NUT_HEIGHT: f64 = 0.541_265_877;
/// Feeds are posted in whole mm/min: a tap's must be its pitch times the speed to this share.
const EXACT: f64 = 1e-4;

/// Torque of a tap, N m: M = P²·D·kc/8000 (from memory, 80 %: handbooks of tap makers).
pub fn tap_torque(pitch: f64, diameter: f64, kc: f64) -> f64 {
    pitch * pitch * diameter * kc / 8000.0
}

/// Feed of a thread mill's centre inside a hole where its teeth run at `vf` mm/min on the thread's diameter: vf·(D − d)/D.
pub fn centre_feed(vf: f64, thread: f64, cutter: f64) -> f64 {
    vf * (thread - cutter) / thread
}

/// Numbers of a tap. The feed follows from the speed: one pitch a turn.
pub fn tap(tool: &Tool, pitch: f64, m: &Material, machine: &Machine) -> DrillData {
    let d = tool.diameter_mm;
    let mut remarks = Vec::new();
    let mut rpm = speed_share(tool, d, TAP_SHARE, m, machine, &mut remarks);
    rpm.bounds.push(b("turned round in the hole", TAP_RPM));
    if rpm.value > TAP_RPM
        && let Some(n) = machine.speed_below(TAP_RPM)
    {
        (rpm.value, rpm.bound_by) = (n, "turned round in the hole".into());
    }
    // A free spindle takes the next lower speed whose feed is a whole number: what is posted is then the pitch itself.
    if machine.rpm_steps.is_empty() {
        let fits = |n: f64| ((n * pitch).round() / (n * pitch) - 1.0).abs() < EXACT;
        let least = machine.rpm_min.at_least(0.8 * rpm.value);
        let tries = (0..).map(|k| rpm.value - f64::from(k)).take_while(|n| *n >= least);
        if let Some(n) = tries.into_iter().find(|n| fits(*n)) {
            rpm.value = n;
        }
    }
    let teeth = f64::from(tool.flutes.max(1));
    let lead = (tool.lead_mm() / pitch).at_least(1.0);
    // Each tooth of the lead takes its share of the thread's height.
    let chip = NUT_HEIGHT * pitch / (lead * teeth);
    let kc = f::specific_force(m.kc11_mpa, m.mc, chip);
    let torque = tap_torque(pitch, d, kc);
    if torque * BLUNT > machine.usable_nm(rpm.value) {
        remarks.push(format!(
            "A blunt tap asks {:.2} N m, the spindle has {:.2} for use at {:.0} rpm",
            torque * BLUNT,
            machine.usable_nm(rpm.value),
            rpm.value
        ));
    }
    let feed_rev = Judged {
        value: pitch,
        unit: "mm".into(),
        bound_by: "pitch of the thread".into(),
        bounds: vec![b("pitch of the thread", pitch)],
        terms: vec![
            Term::new("P", "pitch", pitch, "mm"),
            Term::new("h", "chip of a tooth of the lead", chip, "mm"),
            Term::new("kc", "specific force at that chip", kc, "N/mm²"),
            Term::new("M", "torque of a sharp tap, M = P²·D·kc/8000", torque, "N m"),
        ],
        source: Sources(vec![
            Source::derived("one pitch a turn"),
            Source::memory("torque of taps: handbooks of their makers", 80),
        ]),
    };
    DrillData {
        feed: rpm.value * pitch,
        peck: None,
        peck_why: "A tap goes in one, and comes back as the spindle turns the other way".into(),
        // What it presses is what its holder gives; a stiff one follows the thread.
        thrust_n: 0.0,
        torque_nm: torque * BLUNT,
        rpm,
        feed_rev,
        remarks,
    }
}

/// Numbers of a reamer in a hole that is smaller by `allowance` mm on the diameter.
pub fn ream(tool: &Tool, allowance: f64, m: &Material, machine: &Machine) -> DrillData {
    let d = tool.diameter_mm;
    let mut remarks = Vec::new();
    let rpm = speed_share(tool, d, REAM_SPEED, m, machine, &mut remarks);
    let start = m.drill_feed_share * d * REAM_FEED;
    let mut feed_rev = least(
        "mm",
        vec![b("starting value", start), b("feed cap of the machine", machine.feed_max_mm_min / rpm.value)],
        vec![
            Term::new("f/D", "a drill's feed a turn by diameter", m.drill_feed_share, ""),
            Term::new("k", "times a drill's", REAM_FEED, ""),
            Term::new("a", "left for it on the diameter", allowance, "mm"),
        ],
        Sources::from(Source::practice("half the speed of a drill, 2 to 3 times its feed")).and(&m.source),
    );
    feed_rev.value = (feed_rev.value * 1000.0).floor().at_least(5.0) / 1000.0;
    let feed = (feed_rev.value * rpm.value).floor().at_least(1.0);
    // Each edge takes its share of the ring.
    let chip = feed_rev.value / f64::from(tool.flutes.max(1));
    let kc = f::specific_force(m.kc11_mpa, m.mc, chip.at_least(1e-3));
    let torque_nm = kc * allowance / 2.0 * feed_rev.value * d / 2.0 / 1000.0;
    DrillData {
        rpm,
        feed_rev,
        feed,
        peck: None,
        peck_why: "Steady in and out, and never turned backwards".into(),
        thrust_n: 0.0,
        torque_nm,
        remarks,
    }
}

/// Numbers of a thread mill in one of `passes` radial steps: the feed is that of its centre.
pub fn thread_mill(tool: &Tool, thread: f64, pitch: f64, passes: u32, m: &Material, machine: &Machine) -> MillData {
    let height = NUT_HEIGHT * pitch;
    let width = height / f64::from(passes.max(1));
    // What stands in the material are the teeth: an eighth of the pitch at the crest, seven eighths at the core; half on the mean.
    let rows = if tool.least_pitch_mm.is_some() { 1.0 } else { (tool.flute_length_mm / pitch).floor().at_least(1.0) };
    let task = MillTask {
        depth: rows * pitch / 2.0,
        width,
        bend: BEND,
        feed_share: SHARE,
        kappa: PI / 2.0,
        cuts_at: None,
        // Its slices are thin: the feed is raised for them, or it rubs.
        finish: false,
        most_n: f64::INFINITY,
    };
    let mut data = mill(&task, tool, m, machine);
    let rim = data.feed.value;
    data.feed.value = centre_feed(rim, thread, tool.diameter_mm).floor().at_least(1.0);
    data.feed.terms.extend([
        Term::new("vf", "feed of the teeth on the thread", rim, "mm/min"),
        Term::new("D", "diameter of the thread", thread, "mm"),
        Term::new("d", "diameter of the cutter", tool.diameter_mm, "mm"),
    ]);
    data.feed.source = data.feed.source.and(Source::derived("feed of the centre vf·(D − d)/D inside"));
    data.plunge = data.feed.value;
    data
}

/// Bending of a thread mill that is allowed, mm: a twentieth of what a 6H thread of M6 may be too small on its pitch diameter (derived).
const BEND: f64 = 0.02;
/// Share of the starting feed: teeth with sharp corners (common practice, no source).
const SHARE: f64 = 0.7;

/// In how many radial steps a thread mill makes a thread: as few as its bending and the spindle bear, four at most.
pub fn thread_passes(tool: &Tool, thread: f64, pitch: f64, m: &Material, machine: &Machine) -> u32 {
    const MOST: u32 = 4;
    (1..MOST).find(|&n| thread_mill(tool, thread, pitch, n, m, machine).ap.bound_by == THE_TASK).unwrap_or(MOST)
}

#[cfg(test)]
mod tests {
    use super::*;
    use shop::Shop;
    use shop::tool::ToolKind;

    /// M8 × 1.25 at kc 2500: 3.906 N m; M10 × 1.5 milled with a Ø8 at 200 mm/min on the rim: 40 at the centre (both derived from the formulas of
    /// the project's references).
    #[test]
    fn the_formulas_meet_their_examples() {
        assert!((tap_torque(1.25, 8.0, 2500.0) - 3.906_25).abs() < 1e-9);
        assert!((centre_feed(200.0, 10.0, 8.0) - 40.0).abs() < 1e-9);
        // ISO 68-1: the core of M8 is 8 − 2 · 5/8 · 0.866 · 1.25 = 6.647.
        assert!((8.0 - 2.0 * NUT_HEIGHT * 1.25 - 6.647).abs() < 5e-4);
    }

    /// Speeds of taps lie in the ranges of handbooks (from memory, 80 %), and the feed that is posted is the pitch times the speed.
    #[test]
    fn a_tap_feeds_a_pitch_a_turn() {
        let shop = Shop::demo().unwrap();
        let ranges = [
            ("mild-steel", 8.0, 15.0),
            ("stainless-304", 4.0, 8.0),
            ("aluminium-6082", 6.0, 30.0),
            ("brass", 6.0, 30.0),
        ];
        for (id, low, high) in ranges {
            let m = shop.material(id).unwrap();
            for t in shop.crib.iter().filter(|t| t.kind == ToolKind::Tap) {
                let p = t.pitch_mm.unwrap();
                let d = tap(t, p, m, &shop.machine);
                let vc = PI * t.diameter_mm * d.rpm.value / 1000.0;
                let slowest = d.rpm.value <= shop.machine.rpm_min;
                assert!((low..=high).contains(&vc) || slowest, "{id} {}: {vc:.1} m/min", t.words());
                assert!((d.feed.round() / (d.rpm.value * p) - 1.0).abs() < 1e-4, "{id} {} {}", d.rpm.value, d.feed);
                assert!(d.torque_nm > 0.0 && d.torque_nm < 12.0);
            }
            for t in shop.crib.iter().filter(|t| t.kind == ToolKind::Reamer) {
                let (r, drill) = (ream(t, 0.2, m, &shop.machine), crate::drill(t, None, 10.0, m, &shop.machine));
                assert!(r.rpm.value <= 0.55 * drill.rpm.value + 10.0 || r.rpm.value <= shop.machine.rpm_min);
                let a_drills = m.drill_feed_share * t.diameter_mm;
                assert!((1.9..=3.0).contains(&(r.feed_rev.value / a_drills)), "{id} {}", r.feed_rev.value);
            }
        }
    }

    #[test]
    fn a_thread_mill_takes_more_passes_in_what_is_hard() {
        let shop = Shop::demo().unwrap();
        let t = shop.crib.iter().find(|t| t.number == 56).unwrap();
        let passes = |id: &str| thread_passes(t, 8.0, 1.25, shop.material(id).unwrap(), &shop.machine);
        assert!(passes("aluminium-6082") <= passes("stainless-304"));
        let m = shop.material("aluminium-6082").unwrap();
        let d = thread_mill(t, 8.0, 1.25, 1, m, &shop.machine);
        // Twice as wide a cutter in the same thread: the centre goes slower.
        let wide = thread_mill(&Tool { diameter_mm: 6.4, ..t.clone() }, 8.0, 1.25, 1, m, &shop.machine);
        assert!(wide.feed.value < d.feed.value && d.feed.value > 10.0, "{} {}", wide.feed.value, d.feed.value);
    }
}
