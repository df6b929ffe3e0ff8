//! Threads and fits, judged by the motion that cuts them: a thread has no face in the model, and rays see only the cylinder around it. Pitch,
//! size, depth and hand follow in closed form from the text.

use crate::run::{Gather, times};
use crate::{SetupInput, StepLoad};
use geom::{DVec2, DVec3};
use program::{Shape, Step, StepKind};
use reason::{Finding, Kind, Place, Severity, Sure, len};
use shop::machine::Machine;
use shop::tool::{Tool, ToolKind};
use std::f64::consts::PI;

/// A thread that the program is to cut, part coordinates, mm.
#[derive(Debug, Clone, PartialEq)]
pub struct Thread {
    /// "M6".
    pub name: String,
    /// Setup that cuts it, by name; any where it is empty.
    pub setup: String,
    /// Middle of its mouth.
    pub mouth: DVec3,
    /// Out of the mouth, of length 1.
    pub out: DVec3,
    /// Outside, core.
    pub major: f64,
    /// See `major`.
    pub minor: f64,
    /// Pitch.
    pub pitch: f64,
    /// From the mouth to the end of the full thread.
    pub full: f64,
    /// From the mouth to the lowest place of what cuts it.
    pub reach: f64,
    /// Around it.
    pub place: Place,
}

/// A thread may be larger than its outside by this on the radius, mm (a tap's own, from memory 80 %), and a milled one smaller by the other (6H starts at the basic
/// profile).
const LARGER: f64 = 0.06;
const SMALLER: f64 = 0.02;
/// Share by which the feed of a tap may leave its pitch: in a floating holder (common practice, "a few per cent", no source), and stiff.
const FLOATS: f64 = 0.03;
const STIFF: f64 = 0.005;
/// A helix's pitch is right within this share: an increment over a turn, and the arcs' rounding.
const PITCH: f64 = 0.01;
/// Heights of a helix's ends are rounded by no more, mm, both together.
const ROUNDED: f64 = 0.0015;
/// Axes agree within this, depths within that, mm.
const ON_AXIS: f64 = 0.03;
const DEPTH: f64 = 0.06;

impl Thread {
    /// Does what cuts it take a place of the part?
    pub(crate) fn holds(&self, p: DVec3) -> bool {
        const SLACK: f64 = 0.02;
        let v = p - self.mouth;
        let deep = -v.dot(self.out);
        let off = (v + self.out * deep).length();
        deep > -SLACK && deep < self.reach + SLACK && off <= self.major / 2.0 + LARGER
    }
}

/// What a tap is fed like: a pitch a turn, in with the spindle clockwise and out with it turned round, never at rapid.
pub(crate) fn check_taps(s: &SetupInput, loads: &[StepLoad], machine: Option<&Machine>, findings: &mut Vec<Finding>) {
    let mut gather = Gather::default();
    let steps = &s.program.steps;
    for (n, step) in steps.iter().enumerate() {
        let Some(tool) = s.tools.iter().find(|t| t.number == step.tool && t.kind == ToolKind::Tap) else { continue };
        let (Some(pitch), StepKind::Feed { feed }) = (tool.pitch_mm, &step.kind) else { continue };
        let rpm = step.spindle.unwrap_or(0.0);
        let down = step.to.z < step.from.z - 1e-6;
        let t = tool.number;
        let mut tell = |key: &str, worst: f64, what: String, why: &str| {
            gather.add(
                (Kind::ThreadFeed, t, key),
                Severity::Stop,
                step.line,
                worst,
                None,
                move |_, c| format!("{what}{}", times(c)),
                why,
            );
        };
        if step.from.truncate().distance(step.to.truncate()) > 1e-6 {
            if loads.get(n).is_some_and(|l| l.volume > 0.01) {
                tell(
                    "side",
                    1.0,
                    format!("T{t} is a tap, and is fed sideways in stock"),
                    "It breaks: a tap goes straight in and straight out.",
                );
            }
            continue;
        }
        let allowed = if machine.is_some_and(|m| m.rigid_tapping) && !tool.floating { STIFF } else { FLOATS };
        let off = if rpm.abs() > 0.0 { feed / (rpm.abs() * pitch) - 1.0 } else { f64::INFINITY };
        if off.abs() > allowed {
            let wants = rpm.abs() * pitch;
            let what = format!(
                "T{t} is fed {feed:.0} mm/min, its pitch of {} at {:.0} rpm wants {wants:.0}",
                len(shop::tool::trim(pitch)),
                rpm.abs()
            );
            tell("feed", off.abs(), what, "It strips the thread or breaks: feed = pitch × speed.");
        }
        if down {
            let next = steps[n + 1..].iter().find(|x| x.moves() && x.length() > 1e-9);
            let out = next.filter(|x| {
                matches!(x.kind, StepKind::Feed { .. })
                    && x.to.z >= step.from.z - 1e-6
                    && x.from.truncate().distance(x.to.truncate()) < 1e-6
            });
            let turned = out.and_then(|x| x.spindle).is_some_and(|r| r * rpm < 0.0);
            if out.is_none() || !turned {
                tell(
                    "out",
                    1.0,
                    format!("T{t} is not turned out of its thread again"),
                    "At the bottom the spindle turns round, and the tap comes out at the feed that it went in with (G84): pulled out it tears the thread.",
                );
            }
        }
    }
    findings.extend(gather.findings(&s.name));
}

/// What of a setup cuts one thread.
#[derive(Default)]
struct Seen {
    /// Depth of the lowest full thread, mm from the mouth; the deepest.
    full: f64,
    /// Height of the highest thread's end, mm from the mouth, negative over it; the highest.
    from: f64,
    /// A helix is there all around a turn after it has begun.
    milled: bool,
    /// Largest radius that its teeth have gone round, mm.
    radius: f64,
    /// Where the pitch, or the hand, was wrong: line and what.
    wrong: Option<(u32, String)>,
    line: u32,
    cut: bool,
}

/// Are the threads cut that are promised?
pub(crate) fn check(threads: &[Thread], setups: &[SetupInput], findings: &mut Vec<Finding>) {
    for (k, t) in threads.iter().enumerate() {
        let seen = setups.iter().filter(|s| t.setup.is_empty() || s.name == t.setup).map(|s| (s, look(t, s)));
        let best = seen.filter(|(_, s)| s.cut).max_by(|a, b| a.1.full.total_cmp(&b.1.full));
        let mut tell = |kind: Kind, what: String, why: &str, at: Option<(&SetupInput, u32)>| {
            let f = Finding::new(kind, Severity::Stop, what, why).keyed(format!("{}/{k}", t.name)).at(vec![t.place]);
            findings.push(match at {
                Some((s, line)) => f.in_setup(&s.name).at_line(line),
                None => f,
            });
        };
        let Some((s, seen)) = best else {
            tell(
                Kind::ThreadMissing,
                format!("No program cuts the thread {}", t.name),
                "The plan promises it; plan the part again, or take the thread off the plan.",
                None,
            );
            continue;
        };
        let at = Some((s, seen.line));
        if let Some((line, what)) = &seen.wrong {
            tell(Kind::ThreadSize, format!("{}: {what}", t.name), "No screw goes in.", Some((s, *line)));
        }
        let off = seen.radius - t.major / 2.0;
        if !(-SMALLER..=LARGER).contains(&off) {
            tell(
                Kind::ThreadSize,
                format!(
                    "{} is cut to Ø{}, it is Ø{}",
                    t.name,
                    len(format!("{:.2}", 2.0 * seen.radius)),
                    len(shop::tool::trim(t.major))
                ),
                "Too large it does not hold, too small no screw goes in: look at the cutter and at the radius of its way.",
                at,
            );
        }
        let full = seen.full - if seen.milled { t.pitch } else { 0.0 };
        if full < t.full - DEPTH {
            tell(
                Kind::ThreadMissing,
                format!(
                    "{} is full down to {} mm, promised are {}",
                    t.name,
                    len(format!("{full:.1}")),
                    len(format!("{:.1}", t.full))
                ),
                "The screw stands on the end of its thread: cut it deeper.",
                at,
            );
        }
        if seen.from > DEPTH {
            tell(
                Kind::ThreadMissing,
                format!("{} begins {} mm below its mouth", t.name, len(format!("{:.1}", seen.from))),
                "The screw finds no beginning: let the helix run out over the mouth.",
                at,
            );
        }
    }
}

fn look(t: &Thread, s: &SetupInput) -> Seen {
    let to = s.part_from_work.inverse();
    let (mouth, up) = (to.point(t.mouth), to.dir(t.out));
    let mut seen = Seen { from: f64::INFINITY, ..Seen::default() };
    // A through thread may be cut from its other end.
    if up.z.abs() < 1.0 - 1e-6 {
        return seen;
    }
    let axis = mouth.truncate();
    // Depth below the mouth of a height.
    let depth = |z: f64| if up.z > 0.0 { mouth.z - z } else { z - mouth.z };
    let mut run = Run::default();
    for step in &s.program.steps {
        let tool = s.tools.iter().find(|x| x.number == step.tool);
        let piece = match (&step.kind, tool) {
            (StepKind::Feed { .. }, Some(tool)) if tool.kind == ToolKind::ThreadMill => {
                milled(t, tool, step, axis, &depth, &mut seen)
            }
            (StepKind::Feed { .. }, Some(tool)) if tool.kind == ToolKind::Tap => {
                tapped(t, tool, step, axis, &depth, &mut seen);
                None
            }
            _ => None,
        };
        match piece {
            Some((sweep, rise)) => run.goes_on(step.line, sweep, rise),
            None => std::mem::take(&mut run).judge(t, &mut seen),
        }
    }
    run.judge(t, &mut seen);
    seen
}

/// Pieces of one helix, one after the other: a control may have it in quarters or in short straight moves, so only the whole tells its pitch.
#[derive(Default)]
struct Run {
    line: u32,
    sweep: f64,
    rise: f64,
}

impl Run {
    fn goes_on(&mut self, line: u32, sweep: f64, rise: f64) {
        if self.sweep == 0.0 {
            self.line = line;
        }
        self.sweep += sweep;
        self.rise += rise;
    }
    fn judge(self, t: &Thread, seen: &mut Seen) {
        // Less than an eighth of a turn tells nothing.
        if self.sweep.abs() < PI / 4.0 {
            return;
        }
        let pitch = self.rise * 2.0 * PI / self.sweep;
        // What the heights at its ends are rounded by.
        let rounded = ROUNDED * 2.0 * PI / self.sweep.abs();
        if pitch < 0.0 {
            seen.wrong = Some((self.line, "the helix is left-handed".into()));
        } else if (pitch - t.pitch).abs() > PITCH * t.pitch + rounded {
            let (is, wants) = (len(format!("{pitch:.3}")), len(shop::tool::trim(t.pitch)));
            seen.wrong = Some((self.line, format!("the helix has a pitch of {is}, wanted are {wants}")));
        }
    }
}

/// Centre and sweep of a step about a thread's axis: an arc's own; of a straight move those of the arc that it is a chord of.
fn about(step: &Step, axis: DVec2) -> Option<(DVec2, f64)> {
    match step.shape {
        Shape::Arc { center, sweep } => Some((center, sweep)),
        Shape::Line => {
            let (a, b) = (step.from.truncate() - axis, step.to.truncate() - axis);
            let sweep = a.perp_dot(b).atan2(a.dot(b));
            let same = (a.length() - b.length()).abs() < 0.01 && a.length() > 0.05;
            (same && sweep.abs() > 1e-6 && sweep.abs() < 1.0).then_some((axis, sweep))
        }
    }
}

fn tapped(t: &Thread, tool: &Tool, step: &Step, axis: DVec2, depth: &dyn Fn(f64) -> f64, seen: &mut Seen) {
    if step.to.z > step.from.z || step.to.truncate().distance(axis) > t.minor / 4.0 {
        return;
    }
    let (end, start) = (depth(step.to.z + tool.lead_mm()), depth(step.from.z));
    if end.at_least(start) <= 0.0 {
        return;
    }
    seen.cut = true;
    seen.line = step.line;
    seen.full = seen.full.at_least(end.at_least(start));
    seen.from = seen.from.at_most(end.at_most(start));
    seen.radius = seen.radius.at_least(tool.radius());
    let off = step.to.truncate().distance(axis);
    if !tool.cuts_pitch(t.pitch) {
        let what = format!(
            "T{} has a pitch of {}, wanted are {}",
            tool.number,
            len(shop::tool::trim(tool.pitch_mm.unwrap_or(0.0))),
            len(shop::tool::trim(t.pitch))
        );
        seen.wrong = Some((step.line, what));
    } else if off > ON_AXIS {
        seen.wrong = Some((step.line, format!("the tap goes in {} mm beside the axis", len(format!("{off:.2}")))));
    }
}

/// What a step cuts of a milled thread; its sweep, rad, and rise, mm, where it is a piece of a helix about the axis.
fn milled(
    t: &Thread,
    tool: &Tool,
    step: &Step,
    axis: DVec2,
    depth: &dyn Fn(f64) -> f64,
    seen: &mut Seen,
) -> Option<(f64, f64)> {
    let (center, sweep) = about(step, axis)?;
    let r = step.from.truncate().distance(center);
    let out = center.distance(axis) + r + tool.radius();
    // The way in and out is no helix about the axis; what is smaller than the thread is a step before the last.
    if center.distance(axis) > t.major / 4.0 || out < t.minor / 2.0 || center.distance(axis) > 0.2 * r {
        return None;
    }
    let (low, high) = (step.from.z.at_most(step.to.z), step.from.z.at_least(step.to.z));
    if depth(low) < -2.0 * t.pitch - tool.flute_length_mm && depth(high) < -2.0 * t.pitch {
        return None;
    }
    seen.cut = true;
    let radius = r + tool.radius();
    if center.distance(axis) > ON_AXIS {
        let off = center.distance(axis);
        seen.wrong = Some((step.line, format!("the helix runs {} mm beside the axis", len(format!("{off:.2}")))));
    } else if !tool.cuts_pitch(t.pitch) {
        seen.wrong =
            Some((step.line, format!("T{} does not cut a pitch of {}", tool.number, len(shop::tool::trim(t.pitch)))));
    }
    let piece = Some((sweep, step.to.z - step.from.z));
    if radius > seen.radius - 1e-6 {
        seen.radius = seen.radius.at_least(radius);
    }
    if radius < t.major / 2.0 - SMALLER {
        return piece;
    }
    seen.line = step.line;
    seen.milled = true;
    // Teeth of a single row stand half of its height over its end; of many, from its end up.
    let row = if tool.least_pitch_mm.is_some() { (tool.flute_length_mm - t.pitch).at_least(0.0) / 2.0 } else { 0.0 };
    let (a, b) = (depth(low + row), depth(low + tool.flute_length_mm - row));
    let (e, f) = (depth(high + row), depth(high + tool.flute_length_mm - row));
    let ends = [a, b, e, f];
    seen.full = ends.into_iter().fold(seen.full, Sure::at_least);
    seen.from = ends.into_iter().fold(seen.from, Sure::at_most);
    piece
}
