//! The chain: model → part → stock and setups → operations and paths → programs → proof. Each step is a plain function of what
//! came before and of what a person settled.

use crate::Control;
use crate::beside;
use crate::budget;
use crate::cache::Desk;
use crate::decision::Settled;
use crate::ease;
use crate::error::JobError;
use crate::made;
use crate::plan::{Edit, Plan, Planned, SidePlan, Stage};
use crate::routing::{EachSetup, left_by_both, take_over};
use crate::stocking;
use crate::told::{
    after_the_drill, by_hand, hold_findings, lost_decision, marks_and_asks, open_questions, posted_again, put_back,
    remarks,
};
use geom::{DVec3, Remains, Slabs};
use holding::{Choice, Duty, Making, Scheme, School, Setup};
use intake::{Layer3, Reading};
use part::Part;
use program::{Anchored, Heading, PostTool, Posted, Stop};
use reason::{Act, Finding, Kind, Severity, len};
use route::{Finished, Operation, Override, Point, SetupRoute};
use shop::Shop;
use shop::tool::{Tool, trim};
use std::collections::BTreeMap;
use std::path::Path;
use std::time::Instant;

/// The material that is proposed.
pub const DEFAULT_MATERIAL: &str = "aluminium-6082";
/// In jaws no corner may stay that the part would meet, mm.
const JAWS_FINE: f64 = 0.003;

/// Names of the stages in which the paths of each setup are made.
const PATHS: [&str; 6] = [
    "paths of side 1",
    "paths of side 2",
    "paths of side 3",
    "paths of side 4",
    "paths of side 5",
    "paths of further sides",
];

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
    let (control, control_lost) = Control::chosen(shop, settled)?;
    desk.tell("stock and sides", 0.0)?;
    // A rehearsal stands as the real part will.
    let wish = settled.wish();
    let sides = holding::sides(part, shop, stocking::real_material(shop, settled)?, &wish);
    let seen = part::recognise(part);
    let (stock, mut prepared, mut stock_findings) = stocking::block(part, &seen.body, shop, settled, &sides)?;
    let firm = settled.stock.is_some();
    let mut scheme = holding::plan_on(part, shop, material, &Choice { stock, firm, wish }, &sides)?;
    let from_bar = scheme.id.school == School::Bar && matches!(stock, holding::StockChoice::Bar { .. });
    if !firm && scheme.id.school != School::Deck && !from_bar {
        // What the rack offers is for a block with a hat, or a bar.
        prepared = None;
        stock_findings.clear();
    }
    lap("stock and sides", &mut stages);

    // A rehearsal has feeds of its own: those that a person set are for the real material.
    let own_feeds = |o: &Override| match settled.rehearsal {
        Some(_) => Override { rpm: None, feed: None, ..*o },
        None => *o,
    };
    let intents = part::intents(part, &seen, &settled.answers, &settled.marks);
    let each = EachSetup {
        part,
        shop,
        material,
        block: scheme.stock,
        bar: scheme.bar,
        early: part::before_thin(&seen),
        fine: route::UNSEEN,
        rough_first: settled.marks.values().any(|m| m.what.is_tight()),
        points_deeper: part::may_go_deeper(&settled.answers),
        // Castings are uneven on both their faces.
        uneven: settled.laid().and_then(|l| l.piece.shape.cast()).map(|(least, most)| most - least),
        tilted: (scheme.setups.iter().filter(|s| !s.part_from_work.is_axial()))
            .map(|s| s.part_from_work.dir(DVec3::Z))
            .collect(),
        changes: settled.operations.iter().map(|(k, v)| (k.clone(), own_feeds(v))).collect(),
        intents: &intents,
        fits: scheme.fits(),
        desk,
    };
    // One setup after the other takes the stock as the ones before have left it.
    let mut stock = match &scheme.bar {
        Some(bar) => Remains::of_bar(scheme.stock, bar),
        None => Remains::of(scheme.stock),
    };
    let mut routes: Vec<SetupRoute> = Vec::new();
    let mut named = Vec::new();
    let mut idle: Vec<String> = Vec::new();
    let mut before = String::new();
    let mut lost: Option<(usize, String)> = None;
    for (k, held) in scheme.setups.iter_mut().enumerate() {
        let taken_over = take_over(held, &mut routes);
        if let Some(saw) = &held.sawn {
            stock = stock.within(&saw.left);
        }
        let stage = PATHS[k.min(PATHS.len() - 1)];
        let (key, after, mut route) = match each.through_stops(held, stage, &before, &stock)? {
            Ok(planned) => planned,
            Err(why) => {
                lost = Some((k, why));
                break;
            }
        };
        let held = &*held;
        // A further setup for what no cutter there reaches is none.
        if each.fits && matches!(held.duty, Duty::Only(_)) && route.operations.is_empty() {
            named.extend(route.named.drain(..).map(|f| Finding { setup: None, ..f }));
            named.extend(taken_over);
            idle.push(held.name.clone());
            lap(stage, &mut stages);
            continue;
        }
        (before, stock) = (key, after);
        routes.push(route);
        lap(stage, &mut stages);
    }

    if let Some((k, why)) = lost {
        scheme.give_up(k, &why);
    }
    scheme.setups.retain(|s| !idle.contains(&s.name));
    let mut made = Vec::new();
    for s in &scheme.setups {
        if let Some(m) = s.hold.makes() {
            match made::made(m, title, &s.name, shop, &control, desk)? {
                Ok(m) => made.push(m),
                Err(why) => scheme.findings.push(made::not_made(&s.name, m.name(), &why)),
            }
            lap("what is made to hold it", &mut stages);
        }
    }
    left_by_both(&scheme.setups, &mut routes);
    scheme.findings.retain(|f| f.setup.as_ref().is_none_or(|s| !idle.contains(s)));
    named.extend(beside::left_for(part, &scheme));
    // The proof looks itself whether that is parted.
    named.extend(scheme.findings.iter().filter(|f| f.kind == Kind::EndsStay).cloned());
    routes.iter_mut().for_each(|r| named.append(&mut r.named));
    let points: Vec<Point> = routes.iter_mut().flat_map(|r| std::mem::take(&mut r.points)).collect();
    let mut findings = part.doubts.clone();
    findings.extend(open_questions(part, &seen, settled));
    findings.extend(by_hand(&mut named, settled));
    findings.extend(marks_and_asks(part, settled));
    findings.extend(after_the_drill(&intents, routes.iter().flat_map(|r| &r.finished)));
    findings.extend(scheme.findings.clone());
    routes.iter_mut().for_each(|r| findings.append(&mut r.notes));
    findings.extend(beside::in_the_hold(part, &scheme));
    findings.extend(stock_findings);
    findings.extend(control_lost);
    if settled.rehearsal.is_some() {
        findings.push(
            Finding::new(
                Kind::Rehearsal,
                Severity::Note,
                format!("This is a rehearsal in {}", material.name),
                "Its programs have that material's speeds and feeds. End the rehearsal before the real part is cut.",
            )
            .mended_by("End the rehearsal", Act::Rehearsal { on: None }),
        );
    }
    let layers = |s: &Slabs| s.parts().map(|(a, b, r)| (a, b, r.loops())).collect::<Vec<Layer3>>();
    let mut sides: Vec<SidePlan> = scheme
        .setups
        .iter()
        .zip(routes)
        .map(|(h, mut route)| {
            let finished = std::mem::take(&mut route.finished);
            let mut ops = ordered(&h.name, route.operations, settled, &mut findings);
            for o in &mut ops {
                o.over = o.path.as_ref().and_then(|p| p.over()).map(|b| b.map(|c| c.to_array()));
            }
            findings.extend(hold_findings(h, &ops, material, settled));
            findings.extend(remarks(&h.name, &ops));
            let after = layers(&route.stock);
            let rehearsal = settled.rehearsal.is_some();
            Ok(SidePlan {
                after,
                ..side_plan(h, ops, finished, title, material, rehearsal, shop, &control, &scheme)?.0
            })
        })
        .collect::<Result<_, JobError>>()?;
    for s in &mut sides {
        match made::solids(&s.setup)? {
            Ok(solids) => s.solids = solids,
            Err(why) => findings.push(made::not_made(&s.setup.name, "what holds it", &why)),
        }
    }
    take_edits(&mut sides, settled, &mut findings);
    for id in settled.operations.keys().chain(settled.sequence.iter().map(|m| &m.id)) {
        if !sides.iter().any(|s| s.operations.iter().any(|o| o.id == *id)) {
            findings.push(lost_decision(id));
        }
    }
    let crossings = Vec::new();
    let mut plan = Plan {
        material: material.id.clone(),
        prepared,
        scheme,
        sides,
        named,
        points,
        findings,
        made,
        crossings,
        sizes: Vec::new(),
    };
    let marked = part::marked(part, &settled.marks);
    plan.crossings = budget::crossings(part, &plan, &marked);
    plan.sizes = crate::sizes::sizes(part, &plan, &marked);
    plan.findings.extend(budget::findings(&plan.crossings));
    let heading = plan.scheme.clone();
    let again = |s: &SidePlan| {
        let rehearsal = settled.rehearsal.is_some();
        side_plan(
            &s.setup,
            s.operations.clone(),
            s.finished.clone(),
            title,
            material,
            rehearsal,
            shop,
            &control,
            &heading,
        )
    };
    let by_hand = |id: &str| settled.operations.get(id).is_some_and(|o| own_feeds(o).feed.is_some());
    let plan = ease::eased(part, plan, by_hand, shop, desk, again)?;
    lap("programs", &mut stages);
    Ok(Planned { plan, stages })
}

/// A piece that is cut in one setup and holds another: a pair of jaws, a plate.
pub(crate) fn plan_single(
    part: &Part,
    title: &str,
    shop: &Shop,
    material: &shop::machine::Material,
    making: Making,
    setup: Setup,
    control: &Control,
    desk: &Desk,
) -> Result<Plan, JobError> {
    let nothing = Settled::default();
    let mut findings = Vec::new();
    let (block, intents) = (making.block(), making.intents());
    let mut scheme = Scheme::single(block, setup.clone());
    let each = EachSetup {
        part,
        shop,
        material,
        block,
        bar: None,
        intents: &intents,
        early: Vec::new(),
        rough_first: false,
        fine: JAWS_FINE,
        points_deeper: true,
        uneven: None,
        tilted: Vec::new(),
        changes: BTreeMap::new(),
        fits: scheme.fits(),
        desk,
    };
    let (_, mut route) = each.routed(&setup, "paths of what is made to hold it", "", &Remains::of(block))?;
    let mut ops = std::mem::take(&mut route.operations);
    for o in &mut ops {
        o.over = o.path.as_ref().and_then(|p| p.over()).map(|b| b.map(|c| c.to_array()));
    }
    findings.append(&mut route.notes);
    findings.extend(after_the_drill(&intents, &route.finished));
    findings.extend(hold_findings(&setup, &ops, material, &nothing));
    findings.extend(remarks(&setup.name, &ops));
    let finished = std::mem::take(&mut route.finished);
    let (side, _) = side_plan(&setup, ops, finished, title, material, false, shop, control, &scheme)?;
    findings.append(&mut scheme.findings);
    let whole = scheme.clone();
    let plan = Plan {
        material: material.id.clone(),
        prepared: None,
        scheme,
        sides: vec![side],
        named: route.named,
        points: route.points,
        findings,
        made: Vec::new(),
        crossings: Vec::new(),
        sizes: Vec::new(),
    };
    let again = |s: &SidePlan| {
        side_plan(&s.setup, s.operations.clone(), s.finished.clone(), title, material, false, shop, control, &whole)
    };
    ease::eased(part, plan, |_| false, shop, desk, again)
}

/// A side's operations in the order that a person wants; what that breaks is told.
fn ordered(side: &str, ops: Vec<Operation>, settled: &Settled, findings: &mut Vec<Finding>) -> Vec<Operation> {
    let here = |id: &str| ops.iter().any(|o| o.id == id);
    let mine: Vec<route::Moved> = settled.sequence.iter().filter(|m| here(&m.id)).cloned().collect();
    if mine.is_empty() {
        return ops;
    }
    let there: Vec<String> = ops.iter().map(|o| o.id.clone()).collect();
    let (mut ops, lost) = route::reordered(ops, &mine);
    // Over a stop nothing is moved: what holds the piece changes there.
    ops.sort_by_key(|o| o.after_stop);
    findings.extend(lost.iter().filter(|m| there.contains(&m.id)).map(|m| lost_decision(&m.before)));
    for (k, need) in route::broken(&ops) {
        let first = ops.iter().find(|o| o.id == need.first).map_or("", |o| o.title.as_str());
        findings.push(
            Finding::new(
                Kind::OrderBroken,
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

/// Put edited texts in the place of the posted ones, with the promises at their new lines.
fn take_edits(sides: &mut [SidePlan], settled: &Settled, findings: &mut Vec<Finding>) {
    for (name, edited) in &settled.edited {
        let Some(text) = &edited.text else { continue };
        let Some(s) = sides.iter_mut().find(|s| s.setup.name == *name) else {
            findings.push(
                Finding::new(
                    Kind::DecisionLost,
                    Severity::Warn,
                    format!("An edited program is for {name}, which the plan no longer has"),
                    "It has no effect now. Undo the edit, or what changed the sides.",
                )
                .keyed(name)
                .mended_by("Forget the edited program", posted_again(name)),
            );
            continue;
        };
        let settings = s.control.settings(s.setup.zero_in_machine, &s.tools);
        if let Err(e) = program::read(text, &settings) {
            findings.push(
                Finding::new(
                    Kind::EditedUnreadable,
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
        let (text_was, promises) = (std::mem::take(&mut s.program), std::mem::take(&mut s.promises.promises));
        let posted = Posted { text: text_was, promises, moves: Vec::new() };
        s.edited = Some(Edit {
            file: edited.file.clone(),
            changes: program::changes(&posted.text, text),
            consequences: program::consequences(&posted, text, &settings).unwrap_or_default(),
        });
        s.promises = program::anchor(&posted, text);
        s.program.clone_from(text);
    }
}

/// Threads and fits are tried while the piece can still be cut.
pub(crate) fn tried(finished: &[Finished]) -> Vec<String> {
    let said = finished.iter().filter(|f| f.operation.is_some()).map(|f| {
        let with = if f.how == part::Made::Ream { "its pin or a plug gauge" } else { "a gauge or a screw" };
        format!("try {} with {with}", f.wants)
    });
    said.collect()
}

/// A side with its program, and of which path and which of its moves each line is.
pub(crate) type PostedSide = (SidePlan, Vec<(u32, usize, usize)>);

fn side_plan(
    h: &Setup,
    operations: Vec<Operation>,
    finished: Vec<Finished>,
    title: &str,
    material: &shop::machine::Material,
    rehearsal: bool,
    shop: &Shop,
    control: &Control,
    scheme: &Scheme,
) -> Result<PostedSide, JobError> {
    let mut numbers: Vec<u32> = Vec::new();
    for o in &operations {
        if !numbers.contains(&o.tool) {
            numbers.push(o.tool);
        }
    }
    let tools: Vec<Tool> = numbers.iter().filter_map(|n| shop.crib.iter().find(|t| t.number == *n).cloned()).collect();
    // Names of sides may skip one that is not made; the count does not.
    let (k, n) = (1 + scheme.setups.iter().position(|s| s.name == h.name).unwrap_or(0), scheme.setups.len());
    let which = if h.name == format!("side {k}") {
        format!("{} of {n}", h.name)
    } else {
        format!("{}, setup {k} of {n}", h.name)
    };
    let mut lines = vec![format!("{title} - {which}"), format!("{}, {}", material.name, scheme.stock_words())];
    if rehearsal {
        lines.insert(0, format!("REHEARSAL in {} - not for the real part", material.name));
    }
    lines.extend(h.actions());
    let heading = Heading {
        lines,
        tools: tools
            .iter()
            .map(|t| PostTool {
                number: t.number,
                words: format!("{}, stick-out {} mm", t.words(), len(trim(t.stickout_mm))),
            })
            .collect(),
        stops: Vec::new(),
        tried: tried(&finished),
        name: format!("{title} - {}", h.name),
        number: k as u32,
        table_forward_mm: Some(shop.machine.reference_mm()[1]),
    };
    let made: Vec<&Operation> = operations.iter().filter(|o| o.path.is_some()).collect();
    let paths: Vec<_> = made.iter().filter_map(|o| o.path.clone()).collect();
    let at = |stops: u32| made.iter().position(|o| o.after_stop >= stops).unwrap_or(made.len());
    let stops = (1..).zip(h.hold.at_stops()).map(|(n, lines)| Stop { before: at(n), lines }).collect();
    let heading = Heading { stops, ..heading };
    let control = control.clone();
    let Posted { text, promises, moves } = program::post(&heading, &paths, &control.dialect)?;
    let side = SidePlan {
        setup: h.clone(),
        operations,
        tools,
        control,
        program: text,
        promises: Anchored { promises, lost: Vec::new() },
        edited: None,
        solids: Vec::new(),
        finished,
        after: Vec::new(),
    };
    Ok((side, moves))
}
