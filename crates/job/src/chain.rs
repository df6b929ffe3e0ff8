//! The chain: model → part → stock and setups → operations and paths → programs → proof. Each step is a plain function of what
//! came before and of what a person settled.

use crate::beside;
use crate::cache::{Desk, StageKey, cached};
use crate::decision::Settled;
use crate::stocking::{self, Prepared};
use geom::{DVec2, DVec3, Placement, Region};
use holding::{Choice, Duty, HoldPlan, Order, SetupHold};
use intake::{Layer3, Reading};
use part::{After, FeatureKind, Intent, Part, Recognised, View};
use path::{Slabs, Stock};
use program::{Anchored, Dialect, Heading, PostTool, Posted, ReadSettings};
use proof::{KeepOut, Limits, Proof, SetupInput, StepLoad, time::Motion};
use reason::{Act, Finding, Place, Severity};
use route::{Operation, Override, Point, SetupRoute, Side, plan_side};
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::machine::{Machine, Material};
use shop::tool::{Tool, trim};
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::time::Instant;
use ts_rs::TS;

/// The material that is proposed.
pub const DEFAULT_MATERIAL: &str = "aluminium-6082";
/// Below the part's bottom the first side cuts this far, mm: more than the last pass that decks the hat off.
const BELOW: f64 = 0.4;

/// Names of the stages in which the paths of each setup are made.
const PATHS: [&str; 6] = [
    "paths of side 1",
    "paths of side 2",
    "paths of side 3",
    "paths of side 4",
    "paths of side 5",
    "paths of further sides",
];

/// Why there is no plan. Each message says what to do.
#[derive(Debug, thiserror::Error)]
pub enum JobError {
    /// The file gave no model.
    #[error(transparent)]
    Read(#[from] intake::ReadError),
    /// The model is no part.
    #[error(transparent)]
    Part(#[from] part::PartError),
    /// Shop or its names.
    #[error(transparent)]
    Shop(#[from] shop::ShopError),
    /// Stock sizes.
    #[error(transparent)]
    Hold(#[from] holding::HoldError),
    /// Somebody stopped the work.
    #[error("the work was stopped; nothing of it is kept")]
    Stopped,
    /// A program cannot be followed.
    #[error("{program}: {error}")]
    Program {
        /// File.
        program: String,
        /// Why.
        error: program::ReadError,
    },
}

/// A stage with the seconds it took (told by the caller's clock; not part of the result).
#[derive(Debug, Clone)]
pub struct Stage {
    /// "paths".
    pub name: &'static str,
    /// s.
    pub seconds: f64,
}

/// A posted program that somebody edited.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Edit {
    /// Name of the file that came back.
    pub file: String,
    /// What is other in it.
    pub changes: program::Changes,
}

/// One planned side.
#[derive(Debug, Clone)]
pub struct SidePlan {
    /// Setup.
    pub hold: holding::SetupHold,
    /// In order.
    pub operations: Vec<Operation>,
    /// Tools used, by number.
    pub tools: Vec<Tool>,
    /// The program's text.
    pub program: String,
    /// What its lines promise.
    pub promises: Anchored,
    /// What somebody edited of it.
    pub edited: Option<Edit>,
    /// Stock as planned after it, in layers from the bottom up, work coordinates: never less than there is.
    pub after: Vec<Layer3>,
}

/// A whole plan.
#[derive(Debug, Clone)]
pub struct Plan {
    /// Material id.
    pub material: String,
    /// The piece that the block comes from.
    pub prepared: Option<Prepared>,
    /// Stock and setups.
    pub hold: HoldPlan,
    /// Sides with their programs.
    pub sides: Vec<SidePlan>,
    /// What is not cut, named beforehand.
    pub named: Vec<Finding>,
    /// Points of drills below bottoms that are drawn flat.
    pub points: Vec<Point>,
    /// Everything else to know.
    pub findings: Vec<Finding>,
}

/// A plan with the time of each stage.
#[derive(Debug, Clone)]
pub struct Planned {
    /// The plan.
    pub plan: Plan,
    /// Stages.
    pub stages: Vec<Stage>,
}

/// Read a model in a child process. A file of several solids is refused unless the reading says which one it is.
pub fn read_part<S: AsRef<std::ffi::OsStr>>(
    file: &Path,
    reading: &Reading,
    reader: &Path,
    reader_args: &[S],
) -> Result<Part, JobError> {
    let model = intake::read_guarded(reader, reader_args, file, reading, &intake::Limits::default())?;
    if reading.solid.is_none() && model.raw.solids.len() > 1 {
        return Ok(Part::from_raw(&model.raw)?);
    }
    Ok(Part::from_model(&model, reading)?)
}

/// Plan a part, with nobody watching and nothing kept.
pub fn plan(part: &Part, title: &str, shop: &Shop, settled: &Settled) -> Result<Planned, JobError> {
    plan_at(part, title, shop, settled, &Desk::bare())
}

/// Plan a part at a desk: results of stages are kept under the hash of what they came from, progress is told, and the work can be
/// stopped.
pub fn plan_at(part: &Part, title: &str, shop: &Shop, settled: &Settled, desk: &Desk) -> Result<Planned, JobError> {
    let mut stages = Vec::new();
    let mut clock = Instant::now();
    let mut lap = |name: &'static str, stages: &mut Vec<Stage>| {
        stages.push(Stage { name, seconds: clock.elapsed().as_secs_f64() });
        clock = Instant::now();
    };
    let material = stocking::material_of(shop, settled)?;
    let order = settled.order.unwrap_or(Order::Best);
    desk.tell("stock and sides", 0.0)?;
    // A rehearsal stands as the real part will.
    let sides = holding::sides(part, &shop.vise, stocking::real_material(shop, settled)?, order);
    let seen = part::recognise(part);
    let (stock, prepared, stock_findings) = stocking::block(part, &seen.body, shop, settled, &sides)?;
    let hold = holding::plan_on(part, &shop.machine, &shop.vise, material, &Choice { stock, order }, &sides)?;
    lap("stock and sides", &mut stages);

    // A rehearsal has feeds of its own: those that a person set are for the real material.
    let own_feeds = |o: &Override| match settled.rehearsal {
        Some(_) => Override { rpm: None, feed: None, ..*o },
        None => *o,
    };
    let intents = part::intents(part, &seen, &settled.answers, &settled.marks);
    let early = part::before_thin(&seen);
    let rough_first = settled.marks.values().any(|m| m.what.is_tight());
    let points_deeper = part::may_go_deeper(&settled.answers);
    // Castings are uneven on both their faces.
    let uneven = settled.laid().and_then(|l| l.piece.shape.cast()).map(|(least, most)| most - least);
    let changes: BTreeMap<String, Override> =
        settled.operations.iter().map(|(k, v)| (k.clone(), own_feeds(v))).collect();
    let fits = hold.fits();
    // One setup after the other takes the stock as the ones before have left it.
    let mut stock = Stock::block(hold.stock);
    let mut routes: Vec<SetupRoute> = Vec::new();
    let mut before = String::new();
    for (k, held) in hold.setups.iter().enumerate() {
        let stage = PATHS[k.min(PATHS.len() - 1)];
        let plain = StageKey::new("side").with(&desk.model).with(shop).with(material).with(held).with(&hold.stock);
        let plain =
            plain.with(&before).with(&uneven).with(&intents).with(&early).with(&rough_first).with(&points_deeper);
        let work = |changes: &BTreeMap<String, Override>, key: &str| {
            cached(desk, key, stage, |watch| {
                let view = View::new(part, held.part_from_work.inverse());
                let side = Side {
                    view: &view,
                    stock: stock.seen_in(&held.part_from_work),
                    shop,
                    material,
                    name: &held.name,
                    through_to: (held.duty == Duty::AllButHat).then_some(view.bounds.min.z - BELOW),
                    only: match &held.duty {
                        Duty::Only(o) => Some((&o.places, o.cell)),
                        Duty::All | Duty::AllButHat => None,
                    },
                    uneven: uneven.filter(|_| !matches!(held.duty, Duty::Only(_))),
                    intents: &intents,
                    early: &early,
                    points_deeper,
                    rough_first,
                    overrides: changes,
                    watch,
                };
                KeptRoute::from(if fits {
                    plan_side(&side)
                } else {
                    SetupRoute {
                        operations: vec![],
                        stock: side.stock.clone(),
                        named: vec![],
                        notes: vec![],
                        points: vec![],
                    }
                })
            })
        };
        // Only what a person changed of this setup's own operations goes into its key: their ids do not hang on what was changed.
        let mut key = plain.done();
        let mut kept = work(&BTreeMap::new(), &key)?;
        let mine: BTreeMap<String, Override> = changes
            .iter()
            .filter(|(id, _)| kept.operations.iter().any(|o| o.id == **id))
            .map(|(id, o)| (id.clone(), *o))
            .collect();
        if !mine.is_empty() {
            key = StageKey::new("side changed").with(&key).with(&mine).done();
            kept = work(&mine, &key)?;
        }
        let route = SetupRoute::from(kept);
        before = key;
        stock = stock.after(held.part_from_work, route.stock.clone());
        routes.push(route);
        lap(stage, &mut stages);
    }

    let mut named = Vec::new();
    named.extend(beside::left_for(part, &hold));
    routes.iter_mut().for_each(|r| named.append(&mut r.named));
    let points: Vec<Point> = routes.iter_mut().flat_map(|r| std::mem::take(&mut r.points)).collect();
    let mut findings = part.doubts.clone();
    findings.extend(open_questions(part, &seen, settled));
    findings.extend(marks_and_asks(part, settled));
    findings.extend(after_the_drill(&intents));
    findings.extend(hold.findings.clone());
    routes.iter_mut().for_each(|r| findings.append(&mut r.notes));
    findings.extend(beside::in_the_vise(part, &hold));
    findings.extend(stock_findings);
    if settled.rehearsal.is_some() {
        findings.push(
            Finding::new(
                "rehearsal",
                Severity::Note,
                format!("This is a rehearsal in {}", material.name),
                "Its programs have that material's speeds and feeds. End the rehearsal before the real part is cut.",
            )
            .mended_by("End the rehearsal", Act::Rehearsal { on: None }),
        );
    }
    let layers = |s: &Slabs| s.parts().map(|(a, b, r)| (a, b, r.loops())).collect::<Vec<Layer3>>();
    let mut sides: Vec<SidePlan> = hold
        .setups
        .iter()
        .zip(routes)
        .map(|(h, route)| {
            let ops = ordered(&h.name, route.operations, settled, &mut findings);
            findings.extend(grip_findings(h, &ops, material));
            findings.extend(remarks(&h.name, &ops));
            let after = layers(&route.stock);
            SidePlan { after, ..side_plan(h, ops, title, material, settled.rehearsal.is_some(), shop, &hold) }
        })
        .collect();
    take_edits(&mut sides, settled, &mut findings);
    for id in settled.operations.keys().chain(settled.sequence.iter().map(|m| &m.id)) {
        if !sides.iter().any(|s| s.operations.iter().any(|o| o.id == *id)) {
            findings.push(lost_decision(id));
        }
    }
    lap("programs", &mut stages);
    Ok(Planned { plan: Plan { material: material.id.clone(), prepared, hold, sides, named, points, findings }, stages })
}

/// Grave doubts that nobody answered: the plan rests on their proposal.
fn open_questions(part: &Part, seen: &Recognised, settled: &Settled) -> Vec<Finding> {
    let open = |q: &part::Question| q.answer.is_none();
    // The proposal becomes an answer.
    let answer = |q: &part::Question, f: Finding| match q.choices.first() {
        Some(c) => f.mended_by(
            format!("Answer: {}", c.words),
            Act::Answer { question: q.id.clone(), answer: Some(c.key.clone()) },
        ),
        None => f,
    };
    let taken = |q: &part::Question| q.choices.first().map_or_else(String::new, |c| c.words.clone());
    let mut out: Vec<Finding> = part::grave_questions(part, &settled.answers)
        .into_iter()
        .filter(open)
        .map(|q| {
            let why = format!("{} Until it is answered on the Part ticket the plan takes: {}", q.why, taken(&q));
            let f = Finding::new("open_question", Severity::Warn, q.text.clone(), why).keyed(&q.id);
            answer(&q, f)
        })
        .collect();
    // Drilled as drawn such a hole can no longer be tapped.
    let at_major = |q: &part::Question| q.choices.first().is_some_and(|c| c.key.ends_with(" drawn at major"));
    let all = part::questions(part, seen, &settled.answers);
    // After a revision, or another answer about the unit, a hole may have other sizes: what was said of it goes with nothing silently.
    let holes = seen.features.iter().filter(|f| f.kind == FeatureKind::Hole);
    let beside = part.others.iter().map(|o| format!("stays/{}", o.solid));
    let asked = all.iter().map(|q| q.id.clone());
    let there: BTreeSet<String> = holes.map(part::hole_question).chain(asked).chain(beside).collect();
    let about_features = |id: &&String| ["hole/", "point/", "radii/", "stays/"].iter().any(|p| id.starts_with(p));
    out.extend(settled.answers.keys().filter(about_features).filter(|id| !there.contains(*id)).map(|id| {
        let said = part::answer_words(id, settled.answers.get(id).map(String::as_str));
        let about = id.replace('/', " ");
        Finding::new(
            "answer_lost",
            Severity::Warn,
            format!("'{said}' was said of {about}, and the part has none any more"),
            "It has no effect now. Answer for what took its place on the Part ticket, or undo what changed the part.",
        )
        .keyed(id)
        .mended_by("Forget that answer", Act::Answer { question: id.clone(), answer: None })
    }));
    out.extend(all.into_iter().filter(|q| open(q) && at_major(q)).map(|q| {
        let why =
            format!("Likely: {}. It is drilled as drawn, and then no thread holds in it: answer it first.", taken(&q));
        let places = q.place.into_iter().collect();
        let f = Finding::new("may_be_thread", Severity::Warn, q.text.clone(), why).keyed(&q.id).at(places);
        answer(&q, f)
    }));
    out
}

/// Threads whose holes are drilled as drawn, and what a reamer takes: of these the proof misses nothing, or too little to tell.
fn after_the_drill(intents: &[Intent]) -> Vec<Finding> {
    let mut by: BTreeMap<&str, Vec<&Intent>> = BTreeMap::new();
    let told = |i: &&Intent| i.drills.is_empty() || i.after == After::Reamer;
    intents.iter().filter(told).for_each(|i| by.entry(&i.wants).or_default().push(i));
    by.into_iter()
        .map(|(wants, list)| {
            let (kind, how) = match list[0].after {
                After::Reamer => ("to_ream", "drilled smaller"),
                After::Tap => ("to_tap", "drilled as drawn"),
            };
            Finding::new(
                kind,
                Severity::Note,
                format!("{} × {wants}: {how}, {} follows after the program", list.len(), list[0].tool()),
                "The programs make the holes; no thread is cut and no hole is reamed by them.",
            )
            .keyed(wants)
            .at(list.iter().map(|i| i.place).collect())
        })
        .collect()
}

/// Marks that do not fit the part, and questions that the drawing's owner has not answered.
fn marks_and_asks(part: &Part, settled: &Settled) -> Vec<Finding> {
    let marks = part::marked(part, &settled.marks).into_iter().filter_map(|m| {
        let doubt = m.doubt?;
        Some(
            Finding::new("mark_doubt", Severity::Warn, format!("The mark '{}' does not fit", m.words), doubt)
                .keyed(&m.id)
                .mended_by("Take the mark away", Act::Mark { id: m.id.clone(), mark: None })
                .at(m.faces.iter().map(|f| part.faces[*f as usize].bounds).map(|b| Place::new(b.min, b.max)).collect()),
        )
    });
    let asks = settled.asks.iter().filter(|(_, a)| a.answer.is_empty()).map(|(id, a)| {
        Finding::new(
            "owner_asked",
            Severity::Note,
            format!("{} was asked: {}", if a.whom.is_empty() { "The drawing's owner" } else { &a.whom }, a.text),
            format!(
                "Until there is an answer it is planned so: {}",
                if a.proposal.is_empty() { "as drawn" } else { &a.proposal }
            ),
        )
        .keyed(id)
    });
    marks.chain(asks).collect()
}

/// A side's result as it is kept: everything in plain numbers.
#[derive(Serialize, Deserialize)]
struct KeptRoute {
    operations: Vec<Operation>,
    paths: Vec<Option<path::motion::Toolpath>>,
    stock: Vec<(f64, f64, Vec<Vec<DVec2>>)>,
    named: Vec<Finding>,
    notes: Vec<Finding>,
    points: Vec<Point>,
}

impl From<SetupRoute> for KeptRoute {
    fn from(mut r: SetupRoute) -> Self {
        let paths = r.operations.iter_mut().map(|o| o.path.take()).collect();
        let stock = r.stock.parts().map(|(a, b, s)| (a, b, s.loops())).collect();
        KeptRoute { operations: r.operations, paths, stock, named: r.named, notes: r.notes, points: r.points }
    }
}

impl From<KeptRoute> for SetupRoute {
    fn from(k: KeptRoute) -> Self {
        let operations = k.operations.into_iter().zip(k.paths).map(|(o, path)| Operation { path, ..o }).collect();
        let stock = Slabs::stacked(k.stock.into_iter().map(|(a, b, l)| (a, b, Region::from_oriented(&l))));
        SetupRoute { operations, stock, named: k.named, notes: k.notes, points: k.points }
    }
}

/// A side's operations in the order that a person wants; what that breaks is told.
fn ordered(side: &str, ops: Vec<Operation>, settled: &Settled, findings: &mut Vec<Finding>) -> Vec<Operation> {
    let here = |id: &str| ops.iter().any(|o| o.id == id);
    let mine: Vec<route::Moved> = settled.sequence.iter().filter(|m| here(&m.id)).cloned().collect();
    if mine.is_empty() {
        return ops;
    }
    let there: Vec<String> = ops.iter().map(|o| o.id.clone()).collect();
    let (ops, lost) = route::reordered(ops, &mine);
    findings.extend(lost.iter().filter(|m| there.contains(&m.id)).map(|m| lost_decision(&m.before)));
    for (k, need) in route::broken(&ops) {
        let first = ops.iter().find(|o| o.id == need.first).map_or("", |o| o.title.as_str());
        findings.push(
            Finding::new(
                "order_broken",
                Severity::Warn,
                format!("'{}' stands before '{first}', which it needs", ops[k].title),
                format!("{}. The proof says what comes of it; put it back, or undo.", need.why),
            )
            .keyed(format!("{}>{}", ops[k].id, need.first))
            .mended_by("Put it back", put_back(&ops[k].id, &need.first, &mine))
            .in_setup(side),
        );
    }
    ops
}

fn posted_again(setup: &str) -> Act {
    Act::Edited { setup: setup.into(), sha: None, file: String::new() }
}

/// Put edited texts in the place of the posted ones, with the promises at their new lines.
fn take_edits(sides: &mut [SidePlan], settled: &Settled, findings: &mut Vec<Finding>) {
    for (name, edited) in &settled.edited {
        let Some(text) = &edited.text else { continue };
        let Some(s) = sides.iter_mut().find(|s| s.hold.name == *name) else {
            findings.push(
                Finding::new(
                    "decision_lost",
                    Severity::Warn,
                    format!("An edited program is for {name}, which the plan no longer has"),
                    "It has no effect now. Undo the edit, or what changed the sides.",
                )
                .keyed(name)
                .mended_by("Forget the edited program", posted_again(name)),
            );
            continue;
        };
        let settings = ReadSettings { zero_in_machine: s.hold.zero_in_machine, ..Default::default() };
        if let Err(e) = program::read(text, &settings) {
            findings.push(
                Finding::new(
                    "edited_unreadable",
                    Severity::Stop,
                    format!("{} cannot be followed: {e}", edited.file),
                    "Mend that line and upload it again, or go back to the posted program. What is shown is the posted one.",
                )
                .keyed(name)
                .mended_by("Back to the posted program", posted_again(name))
                .in_setup(name),
            );
            continue;
        }
        let posted =
            Posted { text: std::mem::take(&mut s.program), promises: std::mem::take(&mut s.promises.promises) };
        s.edited = Some(Edit { file: edited.file.clone(), changes: program::changes(&posted.text, text) });
        s.promises = program::anchor(&posted, text);
        s.program.clone_from(text);
    }
}

/// Of two operations in the wrong order the one that a person moved goes back.
fn put_back(late: &str, first: &str, moved: &[route::Moved]) -> Act {
    let id = if moved.iter().any(|m| m.id == late) { late } else { first };
    Act::Sequence { id: id.into(), before: None }
}

fn lost_decision(id: &str) -> Finding {
    Finding::new(
        "decision_lost",
        Severity::Warn,
        format!("A decision names an operation that the plan no longer has ({id})"),
        "It has no effect now. Look whether what you wanted still holds; forget the decision or decide anew.",
    )
    .keyed(id)
    .mended_by("Forget that decision", Act::Operation { id: id.into(), change: None })
}

/// What an operation asks of the grip at its highest.
pub(crate) fn demand(o: &Operation) -> holding::Demand {
    holding::Demand {
        side: o.mill.as_ref().map_or(0.0, |m| m.side_n),
        lift: o.mill.as_ref().map_or(0.0, |m| m.axial_n),
        height: o.top,
        thrust: o.drill.as_ref().map_or(0.0, |d| d.thrust_n),
        torque: o.drill.as_ref().map_or(0.0, |d| d.torque_nm),
    }
}

/// Each limit of a grip with the operation that asks most of it, the nearest limit first.
pub(crate) fn grip_limits<'a>(
    h: &SetupHold,
    ops: &'a [Operation],
    friction: f64,
) -> Vec<(holding::Holds, &'a Operation)> {
    let g = &h.grip;
    let all = ops.iter().flat_map(|o| {
        let held = holding::holds(g.clamp_kn, friction, g.height, g.length, g.opening, &demand(o));
        held.into_iter().map(move |l| (l, o))
    });
    let mut out: Vec<(holding::Holds, &Operation)> = Vec::new();
    for (l, o) in all {
        match out.iter_mut().find(|x| x.0.limit == l.limit) {
            Some(x) if l.factor < x.0.factor => *x = (l, o),
            Some(_) => {}
            None => out.push((l, o)),
        }
    }
    out.retain(|x| x.0.asked > 0.0);
    out.sort_by(|a, b| a.0.factor.total_cmp(&b.0.factor));
    out
}

/// What the grip holds against the highest forces of the setup's operations, with a factor of 2.
fn grip_findings(h: &SetupHold, ops: &[Operation], material: &Material) -> Vec<Finding> {
    const SAFETY: f64 = 2.0;
    let g = &h.grip;
    let mut out = Vec::new();
    if let Some((l, o)) = grip_limits(h, ops, material.friction).into_iter().next()
        && l.factor < SAFETY
    {
        let severity = if l.factor < 1.0 { Severity::Stop } else { Severity::Warn };
        let what = format!(
            "{}: {:.1} times what '{}' asks at its highest ({:.0} of {:.0} {})",
            match l.limit {
                "slip" => "The grip slips",
                "tilt" => "The part tilts out of the jaws",
                _ => "The drill turns the part in the jaws",
            },
            l.factor,
            o.title,
            l.asked,
            l.held,
            l.unit
        );
        let why = format!(
            "Closed with {:.1} kN it holds less than twice (common practice, no source): grip deeper or longer, or take less depth.",
            g.clamp_kn
        );
        out.push(Finding::new("holding_force", severity, what, why).in_setup(&h.name).keyed(&h.name));
    }
    let full = g.clamp_full_kn;
    if g.clamp_kn < 0.95 * full {
        out.push(
            Finding::new(
                "clamp_gently",
                Severity::Warn,
                format!("Close the vise with {:.1} kN only, not the {full:.0} kN that it gives", g.clamp_kn),
                format!(
                    "{:.0} × {:.0} mm bear; with all of it the pressure would be {:.0} N/mm², and {} yields at {:.0}. Half of that leaves no mark.",
                    g.height,
                    g.length,
                    full * 1000.0 / (g.height * g.length),
                    material.name,
                    material.yield_mpa
                ),
            )
            .in_setup(&h.name)
            .keyed(&h.name),
        );
    }
    out
}

fn remarks(setup: &str, ops: &[Operation]) -> Vec<Finding> {
    ops.iter()
        .flat_map(|o| {
            let of_drill = o.drill.iter().flat_map(|d| d.remarks.iter());
            o.mill.iter().flat_map(|m| m.remarks.iter()).chain(of_drill).map(move |r| {
                Finding::new(
                    "cutting_data",
                    Severity::Note,
                    format!("{}: {r}", o.title),
                    "The limit named stopped it; another cutter or speed may serve better.",
                )
                .in_setup(setup)
                .keyed(&o.id)
            })
        })
        .collect()
}

fn side_plan(
    h: &SetupHold,
    operations: Vec<Operation>,
    title: &str,
    material: &shop::machine::Material,
    rehearsal: bool,
    shop: &Shop,
    hold: &HoldPlan,
) -> SidePlan {
    let mut numbers: Vec<u32> = Vec::new();
    for o in &operations {
        if !numbers.contains(&o.tool) {
            numbers.push(o.tool);
        }
    }
    let tools: Vec<Tool> = numbers.iter().filter_map(|n| shop.crib.iter().find(|t| t.number == *n).cloned()).collect();
    let s = hold.stock.size();
    let mut lines = vec![
        format!("{title} - {} of {}", h.name, hold.setups.len()),
        format!("{}, block {} x {} x {} mm", material.name, trim(s.x), trim(s.y), trim(s.z)),
        format!(
            "Vise on {}: grip {} mm, parallels {} mm, opening {} mm",
            h.grip.on,
            trim(h.grip.height),
            trim(h.grip.parallels),
            trim(h.grip.opening)
        ),
    ];
    if rehearsal {
        lines.insert(0, format!("REHEARSAL in {} - not for the real part", material.name));
    }
    match h.duty {
        Duty::AllButHat => {}
        Duty::All => lines.push("Turn over about X: what was up lies on the parallels".into()),
        Duty::Only(_) => lines.push(format!(
            "Stand it up: {} of the part is up, its finished end lies on the parallels",
            part::direction_name(h.part_from_work.dir(DVec3::Z))
        )),
    }
    lines.extend(h.zero.iter().map(|z| format!("{}0: {}", z.axis, z.touches)));
    let heading = Heading {
        lines,
        tools: tools
            .iter()
            .map(|t| PostTool {
                number: t.number,
                words: format!("{}, stick-out {} mm", t.words(), trim(t.stickout_mm)),
            })
            .collect(),
    };
    let paths: Vec<_> = operations.iter().filter_map(|o| o.path.clone()).collect();
    let Posted { text, promises } = program::post(&heading, &paths, &Dialect::bench_mill());
    SidePlan {
        hold: h.clone(),
        operations,
        tools,
        program: text,
        promises: Anchored { promises, lost: Vec::new() },
        edited: None,
        after: Vec::new(),
    }
}

/// A drill's point as the proof takes it.
pub(crate) fn drill_point(p: &Point) -> proof::DrillPoint {
    proof::DrillPoint { bottom: p.bottom_mm.into(), out: p.out.into(), radius: p.diameter_mm / 2.0, length: p.point_mm }
}

/// What the proof needs of a machine.
pub fn limits_of(m: &Machine) -> Limits {
    Limits {
        travel_min: m.travel_min_mm.into(),
        travel_max: m.travel_max_mm.into(),
        motion: Motion {
            rapid_mm_min: m.rapid_mm_min,
            acceleration_mm_s2: m.acceleration_mm_s2,
            junction_mm: m.junction_mm,
            block_s: m.block_s,
            tool_change_min: m.tool_change_min,
        },
        ..Limits::default()
    }
}

/// A setup's text, read back.
pub fn setup_input(
    name: &str,
    file: &str,
    text: &str,
    part_from_work: Placement,
    zero: DVec3,
    tools: &[Tool],
    keep_out: Vec<KeepOut>,
    promises: Option<Anchored>,
) -> Result<SetupInput, JobError> {
    let program = program::read(text, &ReadSettings { zero_in_machine: zero, ..Default::default() })
        .map_err(|error| JobError::Program { program: file.into(), error })?;
    Ok(SetupInput {
        name: name.into(),
        program,
        part_from_work,
        zero_in_machine: zero,
        tools: tools.to_vec(),
        keep_out,
        promises,
    })
}

/// Prove a plan from its programs' text. The plan's own findings are joined to the proof's.
pub fn prove_plan(part: &Part, plan: &Plan, shop: &Shop) -> Result<Proof, JobError> {
    prove_plan_at(part, plan, shop, &Desk::bare())
}

/// A proof as it is kept.
#[derive(Serialize, Deserialize)]
struct KeptProof {
    proof: Proof,
    loads: Vec<Vec<StepLoad>>,
    promised: Vec<Vec<proof::Kept>>,
}

/// The plan's programs, read back from their text.
pub fn setups_of(plan: &Plan) -> Result<Vec<SetupInput>, JobError> {
    plan.sides
        .iter()
        .map(|s| {
            let keep_out =
                s.hold.keep_out.iter().map(|(n, a, b)| KeepOut { name: n.clone(), min: *a, max: *b }).collect();
            setup_input(
                &s.hold.name,
                &s.hold.name,
                &s.program,
                s.hold.part_from_work,
                s.hold.zero_in_machine,
                &s.tools,
                keep_out,
                Some(s.promises.clone()),
            )
        })
        .collect()
}

/// Prove at a desk: kept, watched and stoppable like [`plan_at`].
pub fn prove_plan_at(part: &Part, plan: &Plan, shop: &Shop, desk: &Desk) -> Result<Proof, JobError> {
    let setups = setups_of(plan)?;
    let mut key = StageKey::new("proof")
        .with(&desk.model)
        .with(&shop.machine)
        .with(&plan.hold.stock)
        .with(&plan.named)
        .with(&plan.points)
        .with(&plan.hold.not_planned);
    key = key.with(&shop.material(&plan.material).ok());
    for s in &plan.sides {
        key = key.with(&s.program).with(&s.promises).with(&s.hold).with(&s.tools);
    }
    let input = proof::Input {
        model: &part.mesh,
        chord_error: part.chord_error,
        stock: plan.hold.stock,
        setups: &setups,
        named: &plan.named,
        points: &plan.points.iter().map(drill_point).collect::<Vec<_>>(),
        not_planned: &plan.hold.not_planned.iter().map(|n| (n.name.clone(), n.up)).collect::<Vec<_>>(),
        standing: &beside::standing(part),
        machine: Some(&shop.machine),
        material: shop.material(&plan.material).ok(),
        limits: limits_of(&shop.machine),
    };
    let kept = cached(desk, &key.done(), "proof", |watch| {
        let proof = proof::prove_watched(&input, watch);
        KeptProof { loads: proof.loads.clone(), promised: proof.kept.clone(), proof }
    })?;
    let mut proof = Proof { loads: kept.loads, kept: kept.promised, ..kept.proof };
    proof.findings.extend(plan.findings.iter().cloned());
    proof.findings.sort_by(|a, b| b.severity.cmp(&a.severity).then_with(|| a.id.cmp(&b.id)));
    Ok(proof)
}
