//! What if: faults that happen at a machine, each run through the proof of a plan. What is spoiled, at which line and minute, and which check at the machine would
//! catch it before.

use crate::cache::Desk;
use crate::files::{FileError, Loaded, judged, setups_in};
use crate::proving::{judged_as, limits_of};
use crate::{JobError, Plan, setups_of};
use geom::{Box3, DMat3, DVec3, Placement};
use holding::{Datum, TouchedOn};
use part::Part;
use program::{Shape, Step, StepKind};
use proof::{Proof, SetupInput};
use reason::{Kind, Place, Severity, len};
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::machine::Machine;
use shop::tool::Tool;
use std::path::Path;
use ts_rs::TS;

/// What would catch a fault at the machine.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(tag = "kind", rename_all = "snake_case")]
#[ts(rename = "WhatIfCheck")]
pub enum Check {
    /// Each cutter against the list, when it is put in.
    List,
    /// A deliberately short first cut with a cutter.
    ShortCut {
        /// T.
        tool: u32,
    },
    /// An axis of the zero touched a second time.
    Touch {
        /// 0 X, 1 Y, 2 Z.
        axis: usize,
    },
    /// Tapped down until nothing moves under it.
    Tap,
    /// The picture of how it lies.
    Picture,
    /// An indicator along an edge.
    Indicator,
    /// A look at the feed override.
    Override,
    /// The block measured.
    Block,
}

/// One fault and what comes of it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
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
    /// Where on the part, mm.
    #[serde(default)]
    pub places: Vec<Place>,
    /// The check that would catch it, and when.
    pub caught_by: String,
    /// The same as a kind.
    pub check: Check,
    /// No check of the plan catches it: this one is proposed.
    pub proposed: bool,
}

/// The faults of a plan as far as they have been tried.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct WhatIfs {
    /// Tried ones, in order.
    pub rows: Vec<WhatIf>,
    /// How many there are in all; 0 where the plan is not proved.
    pub of: usize,
    /// That is all.
    pub done: bool,
}

/// What is changed for a fault.
#[derive(Debug, Clone)]
pub(crate) enum Change {
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
    check: Check,
    proposed: bool,
}

/// A plan, ready to be tried with faults.
struct Trial<'a> {
    /// Around the part; none: the block is no box of its own (a bar in a collet).
    part: Option<Box3>,
    setups: Vec<SetupInput>,
    stock: Box3,
    /// What the zero of each setup is touched on.
    zeros: Vec<&'a [Datum]>,
    shop: &'a Shop,
    machine: &'a Machine,
    /// The proof of setups that may have been changed, in a block that may have been.
    judge: &'a dyn Fn(Box3, &[SetupInput]) -> Proof,
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

/// Do the later setups of a plan follow what the first one cuts? Then a block that lies elsewhere in it only gives and takes what is cut away anyhow. Not so where
/// one of them is set by a face that comes as it is.
fn follows(stock: &Box3, setups: &[SetupInput], zeros: &[&[Datum]], part: &Box3) -> bool {
    setups.iter().zip(zeros).skip(1).all(|(s, zero)| {
        let back = s.part_from_work.inverse();
        let [block, part] = [stock, part].map(|b| back.bounds(b));
        (0..3).all(|axis| {
            let Some(touched) = zero.get(axis).and_then(|d| d.touched) else { return false };
            let TouchedOn::Face { .. } = touched.on else { return true };
            let is = |v: f64| (v - touched.at_mm).abs() < 0.02;
            let as_it_comes = |b: f64, p: f64| is(b) && (b - p).abs() > 0.02;
            !as_it_comes(block.min[axis], part.min[axis]) && !as_it_comes(block.max[axis], part.max[axis])
        })
    })
}

/// The first setup's fault is one of how the block lies there: what is cut out of it is the part all the same.
fn block_lies(s: &mut SetupInput, stock: &mut Box3, change: &Change) -> bool {
    let shift = |b: &mut Box3, d: DVec3| (b.min, b.max) = (b.min + d, b.max + d);
    match change {
        Change::Zero(d) => {
            // All that stands there is elsewhere for the program.
            shift(stock, s.part_from_work.dir(-*d));
            for k in &mut s.keep_out {
                (k.min, k.max) = (k.min - *d, k.max - *d);
            }
            let by = Placement { shift: -*d, ..Placement::IDENTITY };
            for b in &mut s.bodies {
                b.mesh = b.mesh.placed(&by);
            }
        }
        Change::Lies(angle, up) => {
            let mut lies = s.part_from_work.inverse().bounds(stock);
            shift(&mut lies, DVec3::Z * *up);
            // A box that is turned by half a turn about its middle is the same; one that lies a little askew has in it the box that is smaller by how far its
            // corners go.
            let sine = angle.sin().abs();
            let size = lies.size();
            let less = DVec3::new(size.y, size.x, 0.0) * (sine / 2.0);
            (lies.min, lies.max) = (lies.min + less, lies.max - less);
            *stock = s.part_from_work.bounds(&lies);
        }
        _ => return false,
    }
    true
}

/// Do the later setups of a plan follow what the first one cuts?
pub(crate) fn later_follow(part: &Part, plan: &Plan, setups: &[SetupInput]) -> bool {
    let zeros: Vec<&[Datum]> = plan.sides.iter().map(|s| s.setup.datum.as_slice()).collect();
    plan.scheme.bar.is_none() && follows(&plan.scheme.stock, setups, &zeros, &part.mesh.bounds())
}

/// Setups of which one has a change, and the block.
pub(crate) fn shifted(
    setups: &[SetupInput],
    stock: &Box3,
    setup: usize,
    change: &Change,
    follow: bool,
    most_feed: f64,
) -> (Vec<SetupInput>, Box3) {
    let (mut changed, mut block) = (setups.to_vec(), *stock);
    apply(&mut changed, &mut block, Some(setup), change, most_feed, follow);
    (changed, block)
}

fn apply(
    setups: &mut [SetupInput],
    stock: &mut Box3,
    at: Option<usize>,
    change: &Change,
    most_feed: f64,
    follow: bool,
) {
    for (k, s) in setups.iter_mut().enumerate() {
        if at.is_some_and(|n| n != k) || k == 0 && follow && block_lies(s, stock, change) {
            continue;
        }
        match change {
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
    if let Change::Stock(axis, by) = change {
        stock.max[*axis] += by;
    }
}

/// The next smaller and the next larger cutter of the same sort in the crib.
pub(crate) fn neighbours<'a>(shop: &'a Shop, t: &Tool) -> [Option<&'a Tool>; 2] {
    let same = |o: &&Tool| o.kind == t.kind && o.number != t.number && o.pitch_mm == t.pitch_mm;
    let by = |a: &&Tool, b: &&Tool| a.diameter_mm.total_cmp(&b.diameter_mm);
    let d = t.diameter_mm;
    [
        shop.crib.iter().filter(same).filter(|o| o.diameter_mm < d - 1e-6).max_by(by),
        shop.crib.iter().filter(same).filter(|o| o.diameter_mm > d + 1e-6).min_by(by),
    ]
}

fn faults(t: &Trial) -> Vec<Fault> {
    let mut out = Vec::new();
    for (k, s) in t.setups.iter().enumerate() {
        let mut put = |words: String, change: Change, caught_by: String, check: Check, proposed: bool| {
            out.push(Fault { words, setup: Some(k), change, caught_by, check, proposed });
        };
        for tool in &s.tools {
            for (other, size) in neighbours(t.shop, tool).into_iter().zip(["smaller", "larger"]) {
                let Some(o) = other else { continue };
                put(
                    format!("{} in the holder of T{} ({})", o.words(), tool.number, size),
                    Change::Cutter(tool.number, Box::new(o.clone())),
                    format!(
                        "the list of cutters on the setup sheet, when T{} is put in: {}",
                        tool.number,
                        tool.words()
                    ),
                    Check::List,
                    false,
                );
            }
            for (by, word) in [(1.0, "longer"), (-1.0, "shorter")] {
                put(
                    format!("T{} is {} mm {word} than its length offset says", tool.number, len("1")),
                    Change::Length(tool.number, by),
                    format!(
                        "a deliberately short first cut with T{}: correction = measured − expected; before its first step",
                        tool.number
                    ),
                    Check::ShortCut { tool: tool.number },
                    true,
                );
            }
        }
        for (axis, name) in ["X", "Y", "Z"].into_iter().enumerate() {
            let touched = t.zeros[k].iter().find(|d| d.axis == name);
            for by in [0.5, -0.5] {
                let mut d = DVec3::ZERO;
                d[axis] = by;
                let (caught, proposed) = match touched {
                    Some(t) => (format!("touching {name}0 a second time before the start: {}", t.touches), false),
                    None => (format!("touching {name}0 a second time before the start"), true),
                };
                let words = format!("{name}0 is off by {:+} mm", len(by));
                put(words, Change::Zero(d), caught, Check::Touch { axis }, proposed);
            }
        }
        for (words, change, caught, check, proposed) in [
            (
                "the piece lies on a chip of 0.1 mm",
                Change::Lies(0.0, 0.1),
                "tapping it down until nothing under it moves, before the start",
                Check::Tap,
                true,
            ),
            (
                "the piece is turned by half a turn",
                Change::Lies(std::f64::consts::PI, 0.0),
                "the picture on the setup sheet, when it is loaded",
                Check::Picture,
                false,
            ),
            (
                "the piece lies askew by 0.5°",
                Change::Lies(0.5_f64.to_radians(), 0.0),
                "an indicator along one edge, when it is clamped",
                Check::Indicator,
                true,
            ),
            (
                "the feed override stands at 150 %",
                Change::Feed(1.5),
                "a look at the override before the start",
                Check::Override,
                true,
            ),
        ] {
            put(words.into(), change, caught.into(), check, proposed);
        }
    }
    for (axis, name) in ["X", "Y", "Z"].into_iter().enumerate() {
        out.push(Fault {
            words: format!("the block is {} mm larger along {name}", len("1")),
            setup: None,
            change: Change::Stock(axis, 1.0),
            caught_by: "measuring the block against the setup sheet, before it is loaded".into(),
            check: Check::Block,
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

/// What comes of a fault.
pub(crate) struct Told {
    /// In words.
    pub spoiled: String,
    /// 0 nothing, 1 the part is off, 2 something breaks.
    pub gravity: u8,
    /// Setup and line.
    pub at: Option<(usize, u32)>,
    /// Where on the part.
    pub places: Vec<Place>,
}

/// So many places of one fault are shown.
const PLACES: usize = 40;

/// What a proof with a fault says that the one without does not.
///
/// `at_fault`: the setup that the fault is in; `lies`: the piece lies otherwise than planned.
pub(crate) fn told(own: &Proof, proof: &Proof, setups: &[SetupInput], at_fault: Option<usize>, lies: bool) -> Told {
    let known = |id: &str| own.findings.iter().any(|f| f.id == id && f.severity == Severity::Stop);
    let breaks = |k: Kind| k != Kind::Gouge && !k.leaves();
    // A piece that lies askew pushes its jaws aside; that they would stand in it is no news.
    let own_seat = |f: &&reason::Finding| {
        lies && f.kind == Kind::DoesNotSeat && f.setup.as_deref() == at_fault.map(|k| setups[k].name.as_str())
    };
    let stops: Vec<_> =
        proof.findings.iter().filter(|f| f.severity == Severity::Stop && !known(&f.id) && !own_seat(f)).collect();
    let setup =
        |name: &Option<String>| name.as_ref().and_then(|n| setups.iter().position(|s| s.name == *n)).or(at_fault);
    let of = |f: &reason::Finding, gravity| Told {
        spoiled: f.what.clone(),
        gravity,
        at: setup(&f.setup).zip(f.line),
        places: f.places.iter().take(PLACES).copied().collect(),
    };
    if let Some(f) =
        stops.iter().find(|f| breaks(f.kind) && f.line.is_some()).or_else(|| stops.iter().find(|f| breaks(f.kind)))
    {
        return of(f, 2);
    }
    if proof.gouge_mm > own.gouge_mm + 0.02 {
        let worst = proof.findings.iter().filter(|f| f.kind == Kind::Gouge).max_by(|a, b| a.severity.cmp(&b.severity));
        let places: Vec<Place> = worst.map(|f| f.places.iter().take(PLACES).copied().collect()).unwrap_or_default();
        let place = places.first().map(|p| (DVec3::from_array(p.min_mm) + DVec3::from_array(p.max_mm)) / 2.0);
        let k = at_fault.unwrap_or(0);
        let at = place.and_then(|p| Some((k, line_at(setups.get(k)?, p)?)));
        let spoiled = format!("the part is cut {:.2} mm too deep", len(proof.gouge_mm));
        return Told { spoiled, gravity: 1, at, places };
    }
    if proof.leftover_mm > own.leftover_mm + 0.02 {
        let left = proof.findings.iter().filter(|f| f.kind.leaves() && !known(&f.id));
        let places = left.flat_map(|f| f.places.iter().copied()).take(PLACES).collect();
        let spoiled = format!("{:.2} mm too much is left on the part", len(proof.leftover_mm));
        return Told { spoiled, gravity: 1, at: None, places };
    }
    if let Some(f) = stops.first() {
        return of(f, 1);
    }
    Told { spoiled: "nothing".into(), gravity: 0, at: None, places: Vec::new() }
}

/// Each fault of a trial through its proof, but for the first that are `known`. `tell` hears what is known so far, and may break it off.
fn tried<E>(
    t: &Trial,
    known: Vec<WhatIf>,
    tell: &mut dyn FnMut(&WhatIfs) -> Result<(), E>,
    refused: impl FnOnce(&str) -> E,
) -> Result<WhatIfs, E> {
    let own = (t.judge)(t.stock, &t.setups);
    if own.findings.iter().any(|f| f.severity == Severity::Stop) {
        return Err(refused("the plan itself is not proved: 'goldchip prove' tells why; mend that first"));
    }
    let motion = limits_of(t.machine).motion;
    let follow = t.part.is_some_and(|p| follows(&t.stock, &t.setups, &t.zeros, &p));
    let all = faults(t);
    let mut out = WhatIfs { rows: known, of: all.len(), done: false };
    if out.rows.len() > all.len() || out.rows.iter().zip(&all).any(|(r, f)| r.fault != f.words) {
        out.rows.clear();
    }
    for fault in &all[out.rows.len()..] {
        tell(&out)?;
        let (mut changed, mut block) = (t.setups.clone(), t.stock);
        apply(&mut changed, &mut block, fault.setup, &fault.change, t.machine.feed_max_mm_min, follow);
        let proof = (t.judge)(block, &changed);
        let Told { spoiled, gravity, at, places } =
            told(&own, &proof, &changed, fault.setup, matches!(fault.change, Change::Lies(..)));
        let minute = at.map(|(k, line)| {
            let steps = &t.setups[k].program.steps;
            let until = steps.iter().take_while(|s| s.line < line).count();
            proof::time::seconds(steps, &motion)[..until].iter().sum::<f64>() / 60.0
        });
        out.rows.push(WhatIf {
            fault: fault.words.clone(),
            setup: fault.setup.map(|k| t.setups[k].name.clone()),
            spoiled,
            gravity,
            line: at.map(|a| a.1),
            shows_in: at.map(|a| t.setups[a.0].name.clone()),
            minute: minute.map(|m: f64| (m * 100.0).round().abs() / 100.0),
            places,
            caught_by: if gravity == 0 { String::new() } else { fault.caught_by.clone() },
            check: fault.check,
            proposed: fault.proposed && gravity > 0,
        });
    }
    tell(&out)?;
    out.done = true;
    Ok(out)
}

/// All faults of a plan as it lies in its folder, in plain words. `tell` hears how many of how many are done.
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
    let trial = Trial {
        part: loaded.plan.bar.is_none().then(|| part.mesh.bounds()),
        setups: setups_in(dir, &loaded.plan, shop, read, &mut nothing)?,
        stock: loaded.plan.stock.as_box(),
        zeros: loaded.plan.setups.iter().map(|s| s.zero.as_slice()).collect(),
        shop,
        machine: loaded.plan.machine.as_ref().unwrap_or(&shop.machine),
        judge: &|stock, setups| judged(part, &loaded.plan, shop, stock, setups, &[]),
    };
    let mut tell = |so_far: &WhatIfs| {
        tell(so_far.rows.len(), so_far.of);
        Ok(())
    };
    let mut rows = tried(&trial, Vec::new(), &mut tell, |why| FileError::Refused(why.into()))?.rows;
    for r in &mut rows {
        for words in [&mut r.fault, &mut r.spoiled, &mut r.caught_by] {
            *words = reason::plain(words).into_owned();
        }
    }
    Ok(rows)
}

/// All faults of a plan that has just been worked out, but for the first that are `known`; the desk hears the share that is done and may stop it, `so_far`
/// what is known, and whether it goes on. Lengths in the words are marked.
///
/// # Errors
/// Stopped; a plan whose own proof stops; a program that cannot be read.
pub fn of_plan(
    part: &Part,
    plan: &Plan,
    shop: &Shop,
    known: Vec<WhatIf>,
    desk: &Desk,
    so_far: &mut dyn FnMut(&WhatIfs) -> bool,
) -> Result<WhatIfs, JobError> {
    let trial = Trial {
        part: plan.scheme.bar.is_none().then(|| part.mesh.bounds()),
        setups: setups_of(plan)?,
        stock: plan.scheme.stock,
        zeros: plan.sides.iter().map(|s| s.setup.datum.as_slice()).collect(),
        shop,
        machine: &shop.machine,
        judge: &|stock, setups| judged_as(part, plan, shop, stock, setups, &[], &reason::Watch::nobody()),
    };
    let mut tell = |now: &WhatIfs| {
        desk.tell("what if", now.rows.len() as f64 / now.of.max(1) as f64)?;
        if so_far(now) { Ok(()) } else { Err(JobError::Stopped) }
    };
    tried(&trial, known, &mut tell, |_| JobError::NotProved)
}
