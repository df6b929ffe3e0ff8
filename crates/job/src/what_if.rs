//! What if: faults that happen at a machine, each run through the proof of a plan as it lies in its folder. What is spoiled, at which line and minute, and which
//! check at the machine would catch it before.

use crate::JobError;
use crate::files::{FileError, Loaded, judged, setups_in};
use crate::proving::limits_of;
use geom::{Box3, DMat3, DVec3, Placement};
use part::Part;
use program::{Shape, Step, StepKind};
use proof::{Proof, SetupInput};
use reason::{Kind, Severity, len};
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::tool::Tool;
use std::path::Path;

/// One fault and what comes of it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct WhatIf {
    /// What is wrong.
    pub fault: String,
    /// Setup that it is in; none: all.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub setup: Option<String>,
    /// What is spoiled, or that nothing is.
    pub spoiled: String,
    /// How bad it is: 0 nothing, 1 the part is off, 2 something breaks.
    pub gravity: u8,
    /// Setup in which it shows first, where that is told.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub shows_in: Option<String>,
    /// Line of that setup's program where it begins.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub line: Option<u32>,
    /// Minutes into that program.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub minute: Option<f64>,
    /// The check that would catch it, and when.
    pub caught_by: String,
    /// No check of the plan catches it: this one is proposed.
    pub proposed: bool,
}

/// What is changed for a fault.
#[derive(Debug, Clone)]
enum Change {
    /// Another cutter stands under this number.
    Cutter(u32, Box<Tool>),
    /// A cutter is longer than its offset says by so much, mm.
    Length(u32, f64),
    /// The work zero is off, mm.
    Zero(DVec3),
    /// The piece lies turned about its vertical middle (rad), and so much higher (mm); what holds it stays.
    Lies(f64, f64),
    /// The block is larger along this axis, mm.
    Stock(usize, f64),
    /// Feeds by this factor.
    Feed(f64),
}

struct Fault {
    words: String,
    setup: Option<usize>,
    change: Change,
    caught_by: String,
    proposed: bool,
}

/// Moves of a program changed as the control would not know.
fn moved(steps: &mut [Step], of: Option<u32>, by: &dyn Fn(DVec3) -> DVec3) {
    for s in steps.iter_mut().filter(|s| !s.machine && of.is_none_or(|t| s.tool == t)) {
        let (from, to) = (by(s.from), by(s.to));
        if let Shape::Arc { center, sweep } = s.shape {
            s.shape = Shape::Arc { center: by(center.extend(s.from.z)).truncate(), sweep };
        }
        (s.from, s.to) = (from, to);
    }
}

fn apply(setups: &mut [SetupInput], stock: &mut Box3, fault: &Fault, most_feed: f64) {
    for (k, s) in setups.iter_mut().enumerate() {
        if fault.setup.is_some_and(|n| n != k) {
            continue;
        }
        match &fault.change {
            Change::Cutter(number, other) => {
                for t in s.tools.iter_mut().filter(|t| t.number == *number) {
                    *t = Tool { number: *number, ..(**other).clone() };
                }
            }
            Change::Length(t, by) => moved(&mut s.program.steps, Some(*t), &|p| p - DVec3::Z * *by),
            Change::Zero(d) => moved(&mut s.program.steps, None, &|p| p + *d),
            Change::Lies(angle, up) => {
                // About the middle of the block as it lies there: where the program believes a place, another one of the part is.
                let middle = s.part_from_work.inverse().bounds(stock).middle().truncate().extend(0.0);
                let turn = DMat3::from_rotation_z(-angle);
                let lies = Placement { turn, shift: middle - turn * middle - DVec3::Z * *up };
                s.part_from_work = s.part_from_work.after(&lies);
            }
            Change::Feed(f) => {
                for step in &mut s.program.steps {
                    if let StepKind::Feed { feed } = &mut step.kind {
                        // A control feeds no faster than its machine can.
                        let faster = *feed * f;
                        *feed = if *feed < most_feed && faster > most_feed { most_feed } else { faster };
                    }
                }
            }
            Change::Stock(..) => {}
        }
    }
    if let Change::Stock(axis, by) = fault.change {
        stock.max[axis] += by;
    }
}

/// The next smaller and the next larger cutter of the same sort in the crib.
fn neighbours<'a>(shop: &'a Shop, t: &Tool) -> [Option<&'a Tool>; 2] {
    let same = |o: &&Tool| o.kind == t.kind && o.number != t.number && o.pitch_mm == t.pitch_mm;
    let by = |a: &&Tool, b: &&Tool| a.diameter_mm.total_cmp(&b.diameter_mm);
    let d = t.diameter_mm;
    [
        shop.crib.iter().filter(same).filter(|o| o.diameter_mm < d - 1e-6).max_by(by),
        shop.crib.iter().filter(same).filter(|o| o.diameter_mm > d + 1e-6).min_by(by),
    ]
}

fn faults(loaded: &Loaded, setups: &[SetupInput], shop: &Shop) -> Vec<Fault> {
    let mut out = Vec::new();
    for (k, s) in setups.iter().enumerate() {
        let file = &loaded.plan.setups[k];
        let mut put = |words: String, change: Change, caught_by: String, proposed: bool| {
            out.push(Fault { words, setup: Some(k), change, caught_by, proposed });
        };
        for t in &s.tools {
            for (other, size) in neighbours(shop, t).into_iter().zip(["smaller", "larger"]) {
                let Some(o) = other else { continue };
                put(
                    format!("{} in the holder of T{} ({})", o.words(), t.number, size),
                    Change::Cutter(t.number, Box::new(o.clone())),
                    format!("the list of cutters on the setup sheet, when T{} is put in: {}", t.number, t.words()),
                    false,
                );
            }
            for (by, word) in [(1.0, "longer"), (-1.0, "shorter")] {
                put(
                    format!("T{} is {} mm {word} than its length offset says", t.number, len("1")),
                    Change::Length(t.number, by),
                    format!(
                        "a deliberately short first cut with T{}: correction = measured − expected; before its first step",
                        t.number
                    ),
                    true,
                );
            }
        }
        for (axis, name) in ["X", "Y", "Z"].into_iter().enumerate() {
            let touched = file.zero.iter().find(|d| d.axis == name);
            for by in [0.5, -0.5] {
                let mut d = DVec3::ZERO;
                d[axis] = by;
                let (caught, proposed) = match touched {
                    Some(t) => (
                        format!("touching {name}0 a second time before the start: {}", reason::plain(&t.touches)),
                        false,
                    ),
                    None => (format!("touching {name}0 a second time before the start"), true),
                };
                put(format!("{name}0 is off by {by:+} mm"), Change::Zero(d), caught, proposed);
            }
        }
        put(
            "the piece lies on a chip of 0.1 mm".into(),
            Change::Lies(0.0, 0.1),
            "tapping it down until nothing under it moves, before the start".into(),
            true,
        );
        put(
            "the piece is turned by half a turn".into(),
            Change::Lies(std::f64::consts::PI, 0.0),
            "the picture on the setup sheet, when it is loaded".into(),
            false,
        );
        put(
            "the piece lies askew by 0.5°".into(),
            Change::Lies(0.5_f64.to_radians(), 0.0),
            "an indicator along one edge, when it is clamped".into(),
            true,
        );
        put(
            "the feed override stands at 150 %".into(),
            Change::Feed(1.5),
            "a look at the override before the start".into(),
            true,
        );
    }
    for (axis, name) in ["X", "Y", "Z"].into_iter().enumerate() {
        out.push(Fault {
            words: format!("the block is {} mm larger along {name}", len("1")),
            setup: None,
            change: Change::Stock(axis, 1.0),
            caught_by: "measuring the block against the setup sheet, before it is loaded".into(),
            proposed: false,
        });
    }
    out
}

/// The first line whose cutter comes to this place of the part.
fn line_at(s: &SetupInput, at: DVec3) -> Option<u32> {
    let p = s.part_from_work.inverse().point(at);
    let step = s.program.steps.iter().find(|step| {
        let Some(t) = s.tools.iter().find(|t| t.number == step.tool) else { return false };
        let r = t.diameter_mm / 2.0 + 0.02;
        let n = (step.length() / 0.5).ceil().clamp(1.0, 400.0) as u32;
        matches!(step.kind, StepKind::Feed { .. })
            && (0..=n).any(|k| {
                let q = step.at(f64::from(k) / f64::from(n));
                q.truncate().distance(p.truncate()) <= r && q.z <= p.z + 0.02
            })
    });
    step.map(|s| s.line)
}

/// What a proof with a fault says that the one without does not.
fn told(own: &Proof, proof: &Proof, setups: &[SetupInput], fault: &Fault) -> (String, u8, Option<(usize, u32)>) {
    let known = |id: &str| own.findings.iter().any(|f| f.id == id && f.severity == Severity::Stop);
    let breaks = |k: Kind| k != Kind::Gouge && !k.leaves();
    // A piece that lies askew pushes its jaws aside; that they would stand in it is no news.
    let lies = matches!(fault.change, Change::Lies(..));
    let own_seat = |f: &&reason::Finding| {
        lies && f.kind == Kind::DoesNotSeat && f.setup.as_deref() == fault.setup.map(|k| setups[k].name.as_str())
    };
    let stops: Vec<_> =
        proof.findings.iter().filter(|f| f.severity == Severity::Stop && !known(&f.id) && !own_seat(f)).collect();
    let setup =
        |name: &Option<String>| name.as_ref().and_then(|n| setups.iter().position(|s| s.name == *n)).or(fault.setup);
    if let Some(f) =
        stops.iter().find(|f| breaks(f.kind) && f.line.is_some()).or_else(|| stops.iter().find(|f| breaks(f.kind)))
    {
        return (reason::plain(&f.what).into_owned(), 2, setup(&f.setup).zip(f.line));
    }
    if proof.gouge_mm > own.gouge_mm + 0.02 {
        let worst = proof.findings.iter().filter(|f| f.kind == Kind::Gouge).max_by(|a, b| a.severity.cmp(&b.severity));
        let place = worst
            .and_then(|f| f.places.first())
            .map(|p| (DVec3::from_array(p.min_mm) + DVec3::from_array(p.max_mm)) / 2.0);
        let k = fault.setup.unwrap_or(0);
        let line = place.and_then(|p| Some((k, line_at(setups.get(k)?, p)?)));
        return (format!("the part is cut {:.2} mm too deep", proof.gouge_mm), 1, line);
    }
    if proof.leftover_mm > own.leftover_mm + 0.02 {
        return (format!("{:.2} mm too much is left on the part", proof.leftover_mm), 1, None);
    }
    if let Some(f) = stops.first() {
        return (reason::plain(&f.what).into_owned(), 1, setup(&f.setup).zip(f.line));
    }
    ("nothing".into(), 0, None)
}

/// Run all faults through the proof of a folder. `tell` hears how many of how many are done, and may stop the work.
///
/// # Errors
/// Those of reading the folder; a plan whose own proof stops is refused, for there is nothing to compare with.
pub fn what_if(
    dir: &Path,
    loaded: &Loaded,
    part: &Part,
    shop: &Shop,
    read: &dyn Fn(&Path) -> Result<Part, JobError>,
    tell: &mut dyn FnMut(usize, usize),
) -> Result<Vec<WhatIf>, FileError> {
    let mut nothing = Vec::new();
    let setups = setups_in(dir, &loaded.plan, shop, read, &mut nothing)?;
    let stock = loaded.plan.stock.as_box();
    let own = judged(part, &loaded.plan, shop, stock, &setups, &[]);
    if own.findings.iter().any(|f| f.severity == Severity::Stop) {
        return Err(FileError::Refused(
            "the plan itself is not proved: 'goldchip prove' tells why; mend that first".into(),
        ));
    }
    let machine = loaded.plan.machine.as_ref().unwrap_or(&shop.machine);
    let motion = limits_of(machine).motion;
    let all = faults(loaded, &setups, shop);
    let n = all.len();
    let mut out = Vec::new();
    for (k, fault) in all.iter().enumerate() {
        tell(k, n);
        let (mut changed, mut block) = (setups.clone(), stock);
        apply(&mut changed, &mut block, fault, machine.feed_max_mm_min);
        let proof = judged(part, &loaded.plan, shop, block, &changed, &[]);
        let (spoiled, gravity, at) = told(&own, &proof, &changed, fault);
        let minute = at.map(|(k, line)| {
            let steps = &setups[k].program.steps;
            let until = steps.iter().take_while(|s| s.line < line).count();
            proof::time::seconds(steps, &motion)[..until].iter().sum::<f64>() / 60.0
        });
        out.push(WhatIf {
            fault: reason::plain(&fault.words).into_owned(),
            setup: fault.setup.map(|k| setups[k].name.clone()),
            spoiled,
            gravity,
            line: at.map(|a| a.1),
            shows_in: at.map(|a| setups[a.0].name.clone()),
            minute: minute.map(|m: f64| (m * 100.0).round().abs() / 100.0),
            caught_by: if gravity == 0 { String::new() } else { reason::plain(&fault.caught_by).into_owned() },
            proposed: fault.proposed && gravity > 0,
        });
    }
    tell(n, n);
    Ok(out)
}
