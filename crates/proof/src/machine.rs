//! What a program asks of machine and cutter, against what they can: speeds and their steps, feeds, power and torque at the speed, chips,
//! coolant, slopes. All from the text, the measured stock and the promises beside the text; the plan's own reckoning is not used.

use crate::run::{Gather, times, to_place};
use crate::{Ease, Input, Kept, SetupInput, StepLoad};
use cutting::formula as f;
use geom::{Box3, DVec3};
use program::{Promise, Step, StepKind};
use reason::{Finding, Kind, Place, Severity, len};
use shop::machine::{Machine, Material};
use shop::tool::{Tool, ToolKind};

/// A spindle may give more than its usable share for so long, s: first contacts are shorter than that (common practice, no source).
const OVERLOAD_S: f64 = 0.5;
/// Numbers are rounded, and engagement is measured on a grid.
const SLACK: f64 = 1.05;
/// Share of what the spindle bears to which a feed would be brought down.
const EASED: f64 = 0.98;
/// Chips thicker than the material's starting value by this factor are worth a look, and beyond the second one break teeth (common
/// practice, no source).
const THICK: [f64; 2] = [1.5, 2.5];

/// Less section than this taken on the way is brushing, mm².
const BRUSH: f64 = 0.05;

/// Promises by line.
pub(crate) struct Promises<'a> {
    list: &'a [Promise],
}

impl<'a> Promises<'a> {
    pub fn of(input: &'a SetupInput) -> Promises<'a> {
        Promises { list: input.promises.as_ref().map_or(&[], |p| &p.promises) }
    }
    /// Index of what is promised of a line.
    pub fn at(&self, line: u32) -> Option<usize> {
        let k = self.list.partition_point(|p| p.first_line <= line);
        (k > 0 && self.list[k - 1].last_line >= line).then(|| k - 1)
    }
    pub fn kept(&self) -> Vec<Kept> {
        self.list.iter().map(|p| Kept { operation: p.operation.clone(), ..Kept::default() }).collect()
    }
    pub fn get(&self, k: usize) -> &'a Promise {
        &self.list[k]
    }
    pub fn limit(&self, k: Option<usize>) -> Option<f64> {
        self.get(k?).engagement_deg.map(f64::to_radians)
    }
}

/// What the words of a step ask of the machine, cut or no cut.
pub(crate) fn check_words(step: &Step, machine: &Machine, gather: &mut Gather) {
    let t = step.tool;
    if let Some(rpm) = step.spindle.map(f64::abs)
        && rpm > 0.0
        && !machine.runs_at(rpm)
    {
        let (low, high) = (machine.rpm_min, machine.rpm_max);
        let steps: Vec<String> = machine.rpm_steps.iter().map(|s| format!("{s:.0}")).collect();
        let within = rpm >= low && rpm <= high;
        gather.add(
            (Kind::Rpm, t, ""),
            Severity::Stop,
            step.line,
            rpm,
            None,
            move |w, _| {
                if within {
                    format!("S{w:.0} is no step of the spindle ({})", steps.join(", "))
                } else {
                    format!("S{w:.0} is commanded, the spindle runs from {low:.0} to {high:.0} rpm")
                }
            },
            "The control stops or turns at another speed, and then no chip is what was reckoned; give a speed that the spindle has.",
        );
    }
    if let StepKind::Feed { feed } = step.kind {
        let cap = machine.feed_max_mm_min;
        if feed > cap * 1.000_1 {
            gather.add(
                (Kind::Feed, t, ""),
                Severity::Stop,
                step.line,
                feed,
                None,
                move |w, _| format!("F{w:.0} is commanded, the machine feeds at most {cap:.0} mm/min"),
                "The control stops, or cuts at another feed than the one that was looked at.",
            );
        }
        if feed <= 0.0 {
            gather.add(
                (Kind::Feed, t, "0"),
                Severity::Stop,
                step.line,
                0.0,
                None,
                |_, _| "A feed move at F0".into(),
                "The control stops there; give a feed.",
            );
        }
    }
}

/// A dwell while the spindle stands.
pub(crate) fn check_dwell(step: &Step, seconds: f64, gather: &mut Gather) {
    if step.tool != 0 && seconds > 0.0 && step.spindle.is_none_or(|s| s == 0.0) {
        gather.add(
            (Kind::Dwell, step.tool, ""),
            Severity::Warn,
            step.line,
            seconds,
            None,
            |w, _| format!("The program waits {w:.1} s while the spindle stands"),
            "A wait is for the spindle to come up to speed, or for a bottom to become clean: start it first (S… M3).",
        );
    }
}

/// A program that stops for a person: nothing turns and nothing is near while hands are there. `changes`: what holds the piece is changed there.
pub(crate) fn check_stop(step: &Step, changes: bool, gather: &mut Gather) {
    if step.spindle.is_some_and(|s| s != 0.0) {
        let severity = if changes { Severity::Stop } else { Severity::Warn };
        gather.add(
            (Kind::TurnsAtStop, step.tool, ""),
            severity,
            step.line,
            0.0,
            None,
            |_, c| format!("The spindle turns while the program waits for a person{}", times(c)),
            "Stop it (M5) and lift before M0; start it again after.",
        );
    }
}

/// What a move that cuts keeps of its promise, and whether the cutter can go down so steeply.
pub(crate) fn check_cut(
    step: &Step,
    tool: &Tool,
    slope: Option<f64>,
    promise: Option<&Promise>,
    material: Option<&Material>,
    gather: &mut Gather,
    place: Place,
) {
    let t = step.tool;
    let wants = promise.map_or_else(|| material.map(|m| m.coolant.as_str()), |p| Some(p.coolant.as_str()));
    if wants.is_some_and(|w| w != "dry") && !step.coolant {
        let promised = promise.is_some();
        gather.add(
            (Kind::NoCoolant, t, ""),
            if promised { Severity::Stop } else { Severity::Warn },
            step.line,
            0.0,
            Some(place),
            move |_, c| {
                let says = if promised { "the plan promises coolant" } else { "the material wants coolant" };
                format!("T{t} cuts without coolant where {says}{}", times(c))
            },
            "Chips weld and are cut again; put M8 before the cut.",
        );
    }
    if let Some(p) = promise
        && p.tool != t
    {
        let want = p.tool;
        gather.add(
            (Kind::OtherTool, t, &format!("{want}")),
            Severity::Stop,
            step.line,
            0.0,
            Some(place),
            move |_, c| format!("T{t} cuts where T{want} is promised{}", times(c)),
            "A cutter smaller by some amount makes every inside size smaller by it and every outside size larger; call the promised one.",
        );
    }
    if let Some(slope) = slope
        // The teeth of a thread mill cut sideways all along its helix.
        && tool.kind.mills()
        && tool.kind != ToolKind::ThreadMill
        && slope < std::f64::consts::FRAC_PI_2 - 1e-6
        && slope > tool.steepest_ramp() * SLACK
    {
        let most = tool.steepest_ramp().to_degrees();
        // A centre that cuts goes down anyhow, only not so well; one that does not stands on the stock.
        let breaks = !tool.centre_cutting || tool.ramp_deg.is_some();
        gather.add(
            (Kind::Ramp, t, ""),
            if breaks { Severity::Stop } else { Severity::Warn },
            step.line,
            slope.to_degrees(),
            Some(place),
            move |w, c| format!("T{t} goes down into stock at {w:.1}°, and is allowed {most:.1}°{}", times(c)),
            "Its end does not cut so steeply: a flatter ramp, a wider helix, or a cutter that cuts at its centre.",
        );
    }
}

/// Loads of a setup's steps against spindle and tooth, with line and place; and which lines would have to go slower, for the spindle to bear them.
pub(crate) fn check_loads(input: &Input, s: &SetupInput, loads: &[StepLoad], findings: &mut Vec<Finding>) -> Vec<Ease> {
    let (Some(machine), Some(material)) = (input.machine, input.material) else { return Vec::new() };
    let mut eases = Vec::new();
    // The power of a cut goes with its feed to the power 1 − mc: more chips, each cut easier.
    let factor = |share: f64| (EASED / share).powf(1.0 / (1.0 - material.mc));
    let mut gather = Gather::default();
    // Steps one after the other that ask too much: it is told once, with the mean over their time, for a step of hundredths says little.
    let mut run: Vec<(usize, f64, f64)> = Vec::new();
    let mut tell = |run: &mut Vec<(usize, f64, f64)>, gather: &mut Gather| {
        let time: f64 = run.iter().map(|r| r.2).sum();
        if time > OVERLOAD_S {
            let share = run.iter().map(|r| r.1 * r.2).sum::<f64>() / time;
            let longest = run.iter().max_by(|a, b| a.2.total_cmp(&b.2)).map_or(0, |r| r.0);
            tell_overload(s, longest, share, machine, gather);
            let steps = run.iter().map(|r| (&s.program.steps[r.0], r.1));
            eases.extend(steps.map(|(step, share)| Ease { line: step.line, factor: factor(share) }));
        }
        run.clear();
    };
    for (k, (step, load)) in s.program.steps.iter().zip(loads).enumerate() {
        let asked = asked(step, load, s, material);
        let over = asked.as_ref().map(|a| a.over(machine));
        match over {
            Some(share) if share > SLACK => {
                run.push((k, share, load.seconds));
            }
            // What moves without cutting gives the spindle time; a block of no time changes nothing.
            _ if load.seconds > 0.0 => tell(&mut run, &mut gather),
            _ => {}
        }
        if let Some(a) = &asked
            && let Some(chip) = a.chip
            && chip > THICK[0] * a.usual
        {
            let severity = if chip > THICK[1] * a.usual { Severity::Stop } else { Severity::Warn };
            let usual = a.usual;
            gather.add(
                (Kind::ToothLoad, step.tool, if severity == Severity::Stop { "" } else { "warn" }),
                severity,
                step.line,
                chip,
                Some(place_of(s, step)),
                move |w, c| {
                    format!(
                        "A chip of {w:.3} mm a tooth where {usual:.3} mm is usual{}",
                        times(c),
                        w = len(w),
                        usual = len(usual)
                    )
                },
                "Teeth break: a lower feed, or a higher speed.",
            );
        }
    }
    tell(&mut run, &mut gather);
    findings.extend(gather.findings(&s.name));
    eases
}

struct Asked {
    rpm: f64,
    kw: f64,
    /// Thickest chip of a milling cutter, mm, and what the material starts with.
    chip: Option<f64>,
    usual: f64,
}

impl Asked {
    /// Share of the usable power or torque at that speed, whichever is more used.
    fn over(&self, m: &Machine) -> f64 {
        let (power, torque) = (self.kw / m.usable_kw(self.rpm), f::torque(self.kw, self.rpm) / m.usable_nm(self.rpm));
        if power > torque { power } else { torque }
    }
}

/// Power and chip of a step that cuts. Kienzle's law with the mean chip of the measured engagement, hm = fz·(1 − cos φ)/φ.
fn asked(step: &Step, load: &StepLoad, s: &SetupInput, m: &Material) -> Option<Asked> {
    let StepKind::Feed { feed } = step.kind else { return None };
    let rpm = step.spindle.filter(|r| *r > 0.0)?;
    let tool = s.tools.iter().find(|t| t.number == step.tool)?;
    if load.volume < 0.01 || load.seconds <= 0.0 || feed <= 0.0 {
        return None;
    }
    if matches!(tool.kind, ToolKind::Drill | ToolKind::Spot) {
        let angle = tool.point_angle_deg.clamp(30.0, 179.0).to_radians();
        // Short of full width it takes less; a drill that follows its spot takes all.
        let torque = f::drill_torque(m.kc11_mpa, m.mc, tool.diameter_mm, feed / rpm, angle);
        let full = std::f64::consts::PI * tool.radius().powi(2) * step.length();
        let share = if full > 0.0 { (load.volume / full).clamp(0.0, 1.0) } else { 0.0 };
        return Some(Asked { rpm, kw: share * torque * rpm / 9550.0, chip: None, usual: 0.0 });
    }
    let z = f64::from(tool.flutes.max(1));
    let fz = feed / (rpm * z);
    // cm³/min over the time that the step takes.
    let q = load.volume / 1000.0 / (load.seconds / 60.0);
    let of_hole = |kw: f64| Some(Asked { rpm, kw, chip: None, usual: 0.0 });
    match (tool.kind, tool.pitch_mm) {
        (ToolKind::Tap, Some(pitch)) => {
            let chip = cutting::NUT_HEIGHT * pitch / ((tool.lead_mm() / pitch).clamp(1.0, 99.0) * z);
            let kc = f::specific_force(m.kc11_mpa, m.mc, chip);
            return of_hole(cutting::tap_torque(pitch, tool.diameter_mm, kc) * rpm / 9550.0);
        }
        (ToolKind::Reamer, _) => return of_hole(f::power(q, f::specific_force(m.kc11_mpa, m.mc, fz.clamp(1e-4, 1.0)))),
        // Rays lose the cylinder around the thread, of which its grooves are half.
        (ToolKind::ThreadMill, _) => {
            return of_hole(f::power(q / 2.0, f::specific_force(m.kc11_mpa, m.mc, (fz / 2.0).clamp(1e-4, 1.0))));
        }
        _ => {}
    }
    let upright = step.from.truncate().distance(step.to.truncate()) < 1e-9 && step.length() > 0.0;
    let phi = load.engagement.clamp(0.05, std::f64::consts::PI);
    let hm = (fz * (1.0 - phi.cos()) / phi).clamp(1e-4, f64::INFINITY);
    let chip = fz * if phi < std::f64::consts::FRAC_PI_2 { phi.sin() } else { 1.0 };
    let level = (step.to.z - step.from.z).abs() < 1e-6;
    // A link that brushes a skin of hundredths breaks no tooth.
    let cuts = load.volume > BRUSH * step.length();
    Some(Asked {
        rpm,
        kw: f::power(q, f::specific_force(m.kc11_mpa, m.mc, hm)),
        chip: (level && !upright && cuts && load.engagement > 0.1).then_some(chip),
        usual: m.fz_share_of_diameter * tool.diameter_mm,
    })
}

fn tell_overload(s: &SetupInput, n: usize, share: f64, machine: &Machine, gather: &mut Gather) {
    let step = &s.program.steps[n];
    let rpm = step.spindle.unwrap_or(0.0).abs();
    let (kw, nm) = (machine.usable_kw(rpm), machine.usable_nm(rpm));
    gather.add(
        (Kind::Overload, step.tool, ""),
        Severity::Stop,
        step.line,
        share,
        Some(place_of(s, step)),
        move |w, c| {
            format!(
                "{:.0} % of what the spindle has for use at {rpm:.0} rpm ({kw:.2} kW, {nm:.2} N m), for more than {OVERLOAD_S} s{}",
                w * 100.0,
                times(c)
            )
        },
        "It slows down or stalls, and the next tooth takes too much: less depth, width or feed.",
    );
}

fn place_of(s: &SetupInput, step: &Step) -> Place {
    let r = s.tools.iter().find(|t| t.number == step.tool).map_or(1.0, Tool::radius);
    let b = Box3::of([step.from, step.to]);
    let grown = Box3 { min: b.min - DVec3::new(r, r, 0.0), max: b.max + DVec3::new(r, r, 1.0) };
    to_place(&s.part_from_work, &grown)
}

/// A plan that listed promises and lost some, or never gave any.
pub(crate) fn check_promises(s: &SetupInput, findings: &mut Vec<Finding>) {
    let Some(p) = &s.promises else {
        let f = Finding::new(
            Kind::NoPromises,
            Severity::Note,
            format!("No promises are given for {}", s.name),
            "It is judged by cutter, material and machine alone: what engagement and coolant were meant is not known.",
        );
        findings.push(f.keyed(&s.name).in_setup(&s.name));
        return;
    };
    for lost in &p.lost {
        let f = Finding::new(
            Kind::PromiseLost,
            Severity::Stop,
            format!("Lines of '{}' are gone from the program", lost.operation),
            "The plan promises that operation; put its lines back, or plan anew without it.",
        );
        findings.push(f.keyed(format!("{}/{}/{}", s.name, lost.operation, lost.first_line)).in_setup(&s.name));
    }
}
