//! One setup: follow the program, cut, watch.

use crate::KeepOut;
use crate::cut::{self, Tops};
use crate::dexel::{Field, Stock};
use crate::keep_out::{self, Beside, Sacrificed};
use crate::loose::{self, Piece};
use crate::machine::{self, Promises};
use crate::seated;
use crate::sweep::{Sweep, Track};
use crate::{Input, Kept, Limits, SetupInput, When};
use geom::{Box3, DVec2, DVec3, Placement};
use program::{Step, StepKind};
use reason::{Finding, Kind, Place, Severity, Sure, len};
use shop::tool::{Tool, ToolKind};
use std::collections::BTreeMap;

/// A rapid may graze a face by rounding; deeper than this it is in the stock, mm.
const GRAZE: f64 = 0.003;
/// Shank and holder as well.
pub(crate) const TOUCH: f64 = 0.01;
/// Smaller pieces are flakes of the grid, mm³.
const FLAKE: f64 = 1.0;
/// So near what it lies on a piece sticks to it, mm: the layer, and a ray.
const STUCK: f64 = 0.4;
/// A clamp that ends so near over a piece presses on it, mm.
const PRESSED: f64 = 0.3;
/// A piece that stands on less tears off at a light cut, mm² (25 N at 0.2 N/mm²; common practice, no source).
const STICKS: f64 = 125.0;

/// What happened in a setup.
pub(crate) struct Outcome {
    /// In the frame of the work.
    pub stock: Stock,
    pub findings: Vec<Finding>,
    /// Volume taken by each step, mm³.
    pub taken: Vec<f64>,
    /// Steps that took something of any ray.
    pub touched: Vec<bool>,
    /// Greatest engagement of each step, rad.
    pub engagement: Vec<f64>,
    /// What was measured under each promise that states an engagement.
    pub kept: Vec<Kept>,
    /// Some sloping move with a pointed or rounded cutter was taken in slices.
    pub sliced: bool,
}

/// Gathers like findings: the first line, how often, the worst, all places.
#[derive(Default)]
pub(crate) struct Gather {
    seen: BTreeMap<(Kind, u32, String), Item>,
}

struct Item {
    severity: Severity,
    line: u32,
    count: usize,
    worst: f64,
    what: Box<dyn Fn(f64, usize) -> String>,
    why: String,
    places: Vec<Place>,
}

impl Gather {
    pub(crate) fn add(
        &mut self,
        key: (Kind, u32, &str),
        severity: Severity,
        line: u32,
        amount: f64,
        place: Option<Place>,
        what: impl Fn(f64, usize) -> String + 'static,
        why: &str,
    ) {
        let item = self.seen.entry((key.0, key.1, key.2.into())).or_insert_with(|| Item {
            severity,
            line,
            count: 0,
            worst: 0.0,
            what: Box::new(what),
            why: why.into(),
            places: Vec::new(),
        });
        item.count += 1;
        item.worst = item.worst.at_least(amount);
        if let Some(p) = place
            && item.places.len() < 400
            && !item.places.contains(&p)
        {
            item.places.push(p);
        }
    }
    pub(crate) fn findings(self, setup: &str) -> Vec<Finding> {
        self.seen
            .into_iter()
            .map(|((kind, tool, detail), i)| {
                let key = format!("{setup}/T{tool}{}{detail}", if detail.is_empty() { "" } else { "/" });
                Finding::new(kind, i.severity, (i.what)(i.worst, i.count), i.why)
                    .keyed(key)
                    .in_setup(setup)
                    .at_line(i.line)
                    .at(i.places)
            })
            .collect()
    }
}

pub(crate) fn times(n: usize) -> String {
    if n == 1 { String::new() } else { format!(", {n} times") }
}

struct Cutting<'a> {
    tool: &'a Tool,
    sweep: Sweep,
    step: usize,
}

enum Event {
    Cut(usize),
    Drop(Piece),
    Clear(Box3),
}

/// First step of a setup whose cutter covers a point (work coordinates): what is to blame for a gouge there.
pub(crate) fn blame(input: &SetupInput, p: DVec3) -> Option<u32> {
    input.program.steps.iter().filter(|s| s.moves() && !s.machine).find_map(|step| {
        let tool = input.tools.iter().find(|t| t.number == step.tool)?;
        let s = Sweep::new(step.from, step.to, &step.shape);
        let hit = if s.upright() {
            let there = p.z >= s.z_min() && p.z <= s.z_max() + tool.flute_length_mm;
            there && s.distance(p.truncate()) < tool.widest(p.z - s.z_max(), p.z - s.z_min()) - 1e-4
        } else {
            s.at_height(p.z, tool.flute_length_mm).is_some_and(|part| {
                let r = if s.level() { tool.radius_at(p.z - s.z0) } else { tool.radius() };
                part.distance(p.truncate()) < r - 1e-4
            })
        };
        hit.then_some(step.line)
    })
}

/// `stock` in the frame of the work.
pub(crate) fn run(mut stock: Stock, input: &SetupInput, all: &Input, watch_on: &dyn Fn(f64) -> bool) -> Outcome {
    let (standing, limits) = (all.standing, &all.limits);
    let work_from_part = input.part_from_work.inverse();
    let steps = &input.program.steps;
    let mut gather = Gather::default();
    let mut taken = vec![0.0; steps.len()];
    let mut engagement = vec![0.0_f64; steps.len()];
    let mut cuts: Vec<Cutting> = Vec::new();
    let mut events: Vec<Event> = Vec::new();
    let mut tops = Tops::new(&stock.fields[2]);
    let mut beside: Vec<Beside> = standing.iter().map(|s| Beside::standing(s, &work_from_part)).collect();
    beside.extend(input.bodies.iter().map(Beside::holding));
    let mut sacrificed: Vec<Sacrificed> = input.keep_out.iter().filter_map(Sacrificed::of).collect();
    let promises = Promises::of(input);
    let mut promise: Option<usize> = None;
    let mut over = Over::default();
    let mut kept = promises.kept();
    let mut watch = LooseWatch::default();
    let mut stops = 0;
    seated::check(&stock.fields[2], input, 0, (None, steps.first().map_or(1, |s| s.line)), &mut gather);
    let mut sliced = false;
    let place = |b: &Box3| to_place(&input.part_from_work, b);

    for (n, step) in steps.iter().enumerate() {
        if n % 32 == 0 && !watch_on(n as f64 / steps.len() as f64) {
            break;
        }
        let now = promises.at(step.line);
        if now != promise {
            over.close(&mut gather, promises.limit(promise), &input.part_from_work);
            promise = now;
        }
        let limit = promises.limit(promise);
        if let StepKind::Dwell { seconds } = step.kind {
            machine::check_dwell(step, seconds, &mut gather);
        }
        if step.kind == (StepKind::Pause { optional: false }) {
            // What holds the piece changes, if it does: what has come apart by now is loose then.
            if watch.cut_since > 0.0 {
                watch.look(&mut stock.fields[2], input, stops, &mut events, &mut gather, step.line, step.tool);
            }
            stops += 1;
            seated::check(&stock.fields[2], input, stops, (Some(step.line), step.line + 1), &mut gather);
            watch.held_anew = true;
            let changes = |w: When| w.now(stops - 1, step.line) != w.now(stops, step.line + 1);
            let changes = input.keep_out.iter().map(|k| k.when).chain(input.bodies.iter().map(|b| b.when)).any(changes);
            machine::check_stop(step, changes, &mut gather);
        }
        if step.kind == StepKind::ToolChange {
            over.close(&mut gather, limit, &input.part_from_work);
            if !input.tools.iter().any(|t| t.number == step.tool) {
                let t = step.tool;
                gather.add(
                    (Kind::UnknownTool, t, ""),
                    Severity::Stop,
                    step.line,
                    0.0,
                    None,
                    move |_, _| format!("T{t} is called, and the crib has no such tool"),
                    "What it would cut cannot be known; correct the number or add the tool to the plan.",
                );
            }
            continue;
        }
        if !step.moves() {
            continue;
        }
        check_travel(step, input, limits, &mut gather);
        let Some(tool) = input.tools.iter().find(|t| t.number == step.tool) else {
            if step.tool == 0 && matches!(step.kind, StepKind::Feed { .. }) {
                gather.add(
                    (Kind::NoTool, 0, ""),
                    Severity::Stop,
                    step.line,
                    0.0,
                    None,
                    |_, _| "A feed move with no tool called".into(),
                    "Call the tool (T… M6) before cutting.",
                );
            }
            continue;
        };
        if let Some(m) = all.machine {
            machine::check_words(step, m, &mut gather);
        }
        if step.machine {
            // Away from the work in machine coordinates: only what it meets on the way matters, and it goes up.
            continue;
        }
        let feeding = matches!(step.kind, StepKind::Feed { .. });
        let whole = Sweep::new(step.from, step.to, &step.shape);
        for s in split(&whole) {
            if feeding && tool.kind.mills() && s.length2() > 1e-6 && step.spindle.is_some() {
                let mut none = Kept::default();
                let kept = promise.map_or(&mut none, |k| &mut kept[k]);
                let worst = measure(&stock.fields[2], &s, tool, limit, step, &mut over, kept);
                engagement[n] = engagement[n].at_least(worst);
            }
            if !tool.is_cylinder() && !s.level() && !s.upright() && cut::Ball::of(&s, tool).is_none() {
                sliced = true;
            }
            let core = feeding && follows(tool) && {
                // What a tap, a reamer meets near its axis it does not cut.
                let r = 0.8 * tool.radius_at(0.0);
                tops.meets(&stock.fields[2], &s, r, 0.0, tool.flute_length_mm).is_some_and(|(deep, _)| deep > TOUCH)
            };
            let t = cut::cut(&mut stock.fields[2], &s, tool);
            taken[n] += t.volume;
            cuts.push(Cutting { tool, sweep: s, step: n });
            events.push(Event::Cut(cuts.len() - 1));
            if t.longest > GRAZE {
                watch.cut_since += t.volume;
                if !feeding {
                    gather.add(
                        (Kind::RapidInStock, step.tool, ""),
                        Severity::Stop,
                        step.line,
                        t.longest,
                        Some(place(&t.bounds)),
                        |w, c| format!("A rapid move runs through stock, {w:.2} mm of it{}", times(c), w = len(w)),
                        "The cutter breaks or the part shifts; retract first, or feed through.",
                    );
                } else {
                    check_cutting_state(step, tool, &s, core, &mut gather, place(&t.bounds));
                    let down = (s.z0 - s.z1).atan2(s.length2());
                    machine::check_cut(
                        step,
                        tool,
                        // What a ball or a rounded corner takes with its round is no ramp into full material.
                        (down > 1e-6 && (t.longest > tool.corner() || tool.corner() == 0.0)).then_some(down),
                        promise.map(|k| promises.get(k)),
                        all.material,
                        &mut gather,
                        place(&t.bounds),
                    );
                }
            }
            for (r, from, to) in tool.dead_body() {
                let r = r - TOUCH;
                if let Some((deep, b)) = tops.meets(&stock.fields[2], &s, r, from, to)
                    && deep > TOUCH
                {
                    let holder = from >= tool.stickout_mm - 1e-9;
                    let (kind, words) =
                        if holder { (Kind::HolderInStock, "holder") } else { (Kind::ShankInStock, "shank") };
                    let number = step.tool;
                    gather.add(
                        (kind, number, ""),
                        Severity::Stop,
                        step.line,
                        deep,
                        Some(place(&b)),
                        move |w, c| {
                            format!(
                                "The {words} of T{number} rubs in stock over {w:.2} mm of height{}",
                                times(c),
                                w = len(w)
                            )
                        },
                        "It does not cut: use a longer cutter or stick-out, a shallower depth, or a wider pocket.",
                    );
                }
            }
            keep_out::check(&s, tool, step, &input.keep_out, stops, &mut gather, &input.part_from_work);
            for b in &mut beside {
                b.check(&s, tool, step, stops, &mut gather, &input.part_from_work);
            }
            for b in &mut sacrificed {
                b.check(&s, tool, step, stops, &mut gather, &input.part_from_work);
            }
        }
        let lifts = !feeding && step.to.z > step.from.z + 1e-9;
        if lifts && watch.due(n, steps.len(), limits) {
            watch.look(&mut stock.fields[2], input, stops, &mut events, &mut gather, steps[n].line, step.tool);
        }
    }
    over.close(&mut gather, promises.limit(promise), &input.part_from_work);
    if watch.cut_since > 0.0 || watch.held_anew {
        let (line, tool) = steps.last().map_or((1, 0), |s| (s.line, s.tool));
        watch.look(&mut stock.fields[2], input, stops, &mut events, &mut gather, line, tool);
    }
    for scrap in scrap(&stock.fields[2], &work_from_part.bounds(&all.model.bounds())) {
        loose::clear(&mut stock.fields[2], &scrap);
        events.push(Event::Clear(scrap));
    }
    if !input.program.ended {
        let line = steps.last().map_or(1, |s| s.line);
        gather.add(
            (Kind::NoEnd, 0, ""),
            Severity::Warn,
            line,
            0.0,
            None,
            |_, _| "The program has no end (M2 or M30)".into(),
            "It may be cut off; compare it with the file it came from.",
        );
    }

    // The rays across the cutter's axis follow the same events; nothing in them depends on one another.
    let columns = stock.fields[2].clone();
    let [x, y, _] = &mut stock.fields;
    let replay = |field: &mut Field| {
        let mut rapids = Vec::new();
        let mut touched = Vec::new();
        for e in &events {
            match e {
                Event::Cut(k) => {
                    let c = &cuts[*k];
                    let t = cut::cut(field, &c.sweep, c.tool);
                    if t.volume > 0.0 {
                        touched.push(c.step);
                    }
                    if t.longest > GRAZE && !matches!(steps[c.step].kind, StepKind::Feed { .. }) {
                        rapids.push((c.step, t));
                    }
                }
                Event::Drop(piece) => loose::remove(field, &columns, piece),
                Event::Clear(b) => loose::clear(field, b),
            }
        }
        (rapids, touched)
    };
    let ((a, in_x), (b, in_y)) = rayon::join(|| replay(x), || replay(y));
    let mut touched: Vec<bool> = taken.iter().map(|v| *v > 0.0).collect();
    in_x.into_iter().chain(in_y).for_each(|n| touched[n] = true);
    for (n, t) in a.into_iter().chain(b) {
        // A thin web between the upright rays; 3 rays' worth of it is no rounding.
        if t.longest > 10.0 * GRAZE {
            gather.add(
                (Kind::RapidInStock, steps[n].tool, ""),
                Severity::Stop,
                steps[n].line,
                t.longest,
                Some(place(&t.bounds)),
                |w, c| format!("A rapid move runs through stock, {w:.2} mm of it{}", times(c), w = len(w)),
                "The cutter breaks or the part shifts; retract first, or feed through.",
            );
        }
    }
    Outcome { stock, findings: gather.findings(&input.name), taken, touched, engagement, kept, sliced }
}

pub(crate) fn to_place(part_from_work: &Placement, b: &Box3) -> Place {
    let q = part_from_work.bounds(b);
    Place::new(q.min, q.max)
}

/// Arcs in pieces of at most an eighth turn, so that the engagement of each is measured against what the last has left.
fn split(s: &Sweep) -> Vec<Sweep> {
    if let Track::Arc { sweep, .. } = s.track {
        let n = (sweep.abs() / std::f64::consts::FRAC_PI_4).ceil().at_least(1.0) as usize;
        return (0..n).map(|k| s.part(k as f64 / n as f64, (k + 1) as f64 / n as f64)).collect();
    }
    let n = (s.length2() / 25.0).ceil().at_least(1.0) as usize;
    (0..n).map(|k| s.part(k as f64 / n as f64, (k + 1) as f64 / n as f64)).collect()
}

fn measure(
    field: &Field,
    s: &Sweep,
    tool: &Tool,
    limit: Option<f64>,
    step: &Step,
    over: &mut Over,
    kept: &mut Kept,
) -> f64 {
    let pace = (0.06 * tool.diameter_mm).at_least(0.1);
    let n = (s.length2() / pace).ceil().at_least(1.0) as usize;
    let mut worst = 0.0_f64;
    for k in 0..n {
        let t = (k as f64 + 0.5) / n as f64;
        let dir = match s.track {
            Track::Line { a, b } => (b - a).normalize_or(DVec2::X),
            Track::Arc { from, sweep, .. } => {
                let d = DVec2::from_angle(from + sweep * t).perp();
                if sweep > 0.0 { d } else { -d }
            }
        };
        let e = cut::engagement(field, s.point(t), dir, s.z(t), tool);
        worst = worst.at_least(e);
        if let Some(l) = limit {
            let length = s.length2() / n as f64;
            over.see(e, l, length, step, tool, s.point(t).extend(s.z(t)));
            kept.see(e, l, length);
        }
    }
    worst
}

/// A run of cutting over the stated limit.
#[derive(Default)]
struct Over {
    length: f64,
    worst_length: f64,
    worst: f64,
    line: u32,
    tool: u32,
    diameter: f64,
    found: bool,
    /// Where the middle of the cutter went meanwhile.
    path: Option<Box3>,
}

impl Over {
    /// More than 15 % over the limit, for longer than half a diameter, is worth a warning.
    fn see(&mut self, e: f64, limit: f64, length: f64, step: &Step, tool: &Tool, at: DVec3) {
        if e > 1.15 * limit {
            self.length += length;
            self.diameter = tool.diameter_mm;
            if self.length > 0.5 * tool.diameter_mm {
                if !self.found {
                    self.line = step.line;
                    self.tool = step.tool;
                    self.found = true;
                }
                self.worst = self.worst.at_least(e);
                let here = Box3 { min: at, max: at };
                self.path = Some(self.path.map_or(here, |b| b.joined(&here)));
                self.worst_length = self.worst_length.at_least(self.length);
            }
        } else {
            self.length = 0.0;
        }
    }
    /// What is over the same limit with the same cutter is one finding with many places.
    fn close(&mut self, gather: &mut Gather, limit: Option<f64>, part_from_work: &Placement) {
        if let (true, Some(l)) = (self.found, limit) {
            let (length, stated, r) = (self.worst_length, l.to_degrees(), self.diameter / 2.0);
            let around = |b: Box3| Box3 { min: b.min - DVec3::new(r, r, 0.0), max: b.max + DVec3::new(r, r, 1.0) };
            gather.add(
                (Kind::Engagement, self.tool, &format!("{stated:.0}")),
                Severity::Warn,
                self.line,
                self.worst,
                self.path.map(|b| to_place(part_from_work, &around(b))),
                move |worst, c| {
                    let how = if c == 1 { format!(", over {length:.1} mm", length = len(length)) } else { times(c) };
                    format!("Engagement {:.0}° where {stated:.0}° is stated{how}", worst.to_degrees())
                },
                "The tooth load is higher than was reckoned with there; take a smaller step or a lower feed.",
            );
        }
        *self = Over::default();
    }
}

fn check_travel(step: &Step, input: &SetupInput, limits: &Limits, gather: &mut Gather) {
    let tool = input.tools.iter().find(|t| t.number == step.tool);
    let length = if step.machine || step.length_offset.is_none() { 0.0 } else { tool.map_or(0.0, Tool::gauge_length) };
    let at = step.to + input.zero_in_machine + DVec3::Z * length;
    for k in 0..3 {
        let name = ["X", "Y", "Z"][k];
        let (lo, hi) = (limits.travel_min[k], limits.travel_max[k]);
        let beyond = (lo - at[k]).at_least(at[k] - hi);
        // An axis that stands still is where it was checked before: a length offset alone moves nothing.
        if beyond > 1e-3 && (step.to[k] - step.from[k]).abs() > 1e-9 {
            gather.add(
                (Kind::Travel, step.tool, name),
                Severity::Stop,
                step.line,
                beyond,
                None,
                move |w, _| {
                    format!(
                        "{name} leaves the machine's travel ({lo:.0} to {hi:.0} mm) by {w:.1} mm",
                        lo = len(lo),
                        hi = len(hi),
                        w = len(w)
                    )
                },
                "The control stops with an axis limit; move the vise or the zero, or use a shorter tool.",
            );
        }
    }
}

/// Does it follow a hole that is there?
fn follows(tool: &Tool) -> bool {
    matches!(tool.kind, ToolKind::Tap | ToolKind::Reamer)
}

/// `core`: it met stock near its axis.
fn check_cutting_state(step: &Step, tool: &Tool, s: &Sweep, core: bool, gather: &mut Gather, place: Place) {
    let t = step.tool;
    match step.spindle {
        None => gather.add(
            (Kind::SpindleOff, t, ""),
            Severity::Stop,
            step.line,
            0.0,
            Some(place),
            move |_, c| format!("T{t} feeds into stock with the spindle off{}", times(c)),
            "Start the spindle (S… M3) before the cut.",
        ),
        Some(rpm) if rpm < 0.0 => gather.add(
            (Kind::SpindleReversed, t, ""),
            Severity::Stop,
            step.line,
            0.0,
            Some(place),
            move |_, c| format!("T{t} cuts with the spindle turning backwards{}", times(c)),
            "Right-hand cutters need M3.",
        ),
        Some(0.0) => gather.add(
            (Kind::SpindleOff, t, ""),
            Severity::Stop,
            step.line,
            0.0,
            Some(place),
            move |_, c| format!("T{t} feeds into stock at 0 rpm{}", times(c)),
            "Give a speed (S…).",
        ),
        Some(_) => {}
    }
    match step.length_offset {
        None => gather.add(
            (Kind::NoLengthOffset, t, ""),
            Severity::Stop,
            step.line,
            0.0,
            Some(place),
            move |_, c| format!("T{t} cuts without its length offset (G43){}", times(c)),
            "Z is then off by the tool's length; call G43 H after the tool change.",
        ),
        Some(h) if h != t => gather.add(
            (Kind::WrongLengthOffset, t, ""),
            Severity::Stop,
            step.line,
            0.0,
            Some(place),
            move |_, c| format!("T{t} cuts with the length offset of H{h}{}", times(c)),
            "Z is off by the difference of two tools; use the tool's own H.",
        ),
        Some(_) => {}
    }
    let blind = if follows(tool) { core } else { !tool.centre_cutting || tool.kind == ToolKind::Face };
    if s.upright() && s.z1 < s.z0 - 1e-6 && blind {
        gather.add(
            (Kind::Plunge, t, ""),
            Severity::Stop,
            step.line,
            0.0,
            Some(place),
            move |_, c| format!("T{t} is fed straight down into stock and does not cut at its centre{}", times(c)),
            if follows(tool) {
                "Its hole is not there, or not deep enough: drill it first, and further than this goes."
            } else {
                "Enter by a ramp, a helix, or from outside."
            },
        );
    }
}

/// Boxes around pieces that are parted from the part and lie outside its own box when all is done: stock that clamps have held to the end.
fn scrap(field: &Field, part: &Box3) -> Vec<Box3> {
    // A rim that no column hits is as wide as they lie apart.
    let around = |p: &Piece| p.bounds.grown(field.grid.pitch);
    let pieces = loose::pieces(field);
    pieces.iter().filter(|p| p.volume >= FLAKE).map(around).filter(|b| !b.meets(part)).collect()
}

/// When to look for pieces that came apart.
#[derive(Default)]
struct LooseWatch {
    cut_since: f64,
    /// What holds the piece has changed since.
    held_anew: bool,
    last: usize,
    looks: usize,
}

impl LooseWatch {
    fn due(&self, at: usize, steps: usize, limits: &Limits) -> bool {
        let spacing = steps / limits.loose_looks.max(1);
        self.cut_since > 1.0 && at - self.last >= spacing.max(6)
    }

    fn look(
        &mut self,
        field: &mut Field,
        input: &SetupInput,
        stops: u32,
        events: &mut Vec<Event>,
        gather: &mut Gather,
        line: u32,
        tool: u32,
    ) {
        (self.cut_since, self.held_anew) = (0.0, false);
        self.last = input.program.steps.iter().position(|s| s.line >= line).unwrap_or(self.last).max(self.last);
        self.looks += 1;
        let pieces = loose::pieces(field);
        if pieces.len() < 2 {
            return;
        }
        let now = |w: When| w.now(stops, line);
        let held = |p: &Piece| {
            let near = p.bounds.grown(0.3);
            input.keep_out.iter().any(|k| now(k.when) && Box3 { min: k.min, max: k.max }.meets(&near))
                || input.bodies.iter().filter(|b| now(b.when)).any(|b| {
                    b.mesh.triangles.iter().any(|t| Box3::of(t.map(|k| b.mesh.points[k as usize])).meets(&near))
                })
        };
        // What is pressed down by a clamp of its own stays; where nothing has one, the largest that touches what holds, and with nothing to hold it the largest.
        let boxes = input.keep_out.iter().filter(|k| k.clamps && now(k.when));
        let solids = input.bodies.iter().filter(|b| b.clamps && now(b.when));
        let clamps: Vec<Box3> = boxes
            .map(|k| Box3 { min: k.min, max: k.max })
            .chain(solids.map(|b| b.mesh.bounds()))
            .map(|b| b.grown(PRESSED))
            .collect();
        let columns = field.grid;
        let under =
            |p: &Piece| p.parts.iter().any(|&(at, (_, top))| clamps.iter().any(|c| c.contains(columns.point(at, top))));
        let clamped: Vec<bool> = pieces.iter().map(|p| !clamps.is_empty() && under(p)).collect();
        let keep = if clamped.contains(&true) { None } else { Some(pieces.iter().position(held).unwrap_or(0)) };
        // What is stuck down over enough of it does not fly.
        let stuck = |p: &Piece| {
            let stands_on = p.volume / p.bounds.size().z.at_least(1e-3);
            let on =
                |k: &KeepOut| k.sticks && now(k.when) && Box3 { min: k.min, max: k.max }.meets(&p.bounds.grown(STUCK));
            stands_on > STICKS && input.keep_out.iter().any(on)
        };
        for (i, p) in pieces.into_iter().enumerate() {
            if keep == Some(i) || clamped[i] || p.volume < FLAKE || stuck(&p) {
                continue;
            }
            let size = p.bounds.size();
            let words = format!("{:.1} × {:.1} × {:.1} mm", len(size.x), len(size.y), len(size.z));
            let volume = p.volume;
            gather.add(
                (Kind::LoosePiece, tool, &format!("{line}")),
                Severity::Stop,
                line,
                volume,
                Some(to_place(&input.part_from_work, &p.bounds)),
                move |_, c| format!("A piece comes loose ({words}, {volume:.0} mm³){}", times(c)),
                "It can jam or fly. Clear the area completely, leave tabs, or hold the piece.",
            );
            loose::remove(field, &field.clone(), &p);
            events.push(Event::Drop(p));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use program::Shape;

    #[test]
    fn arcs_are_split_and_joined_without_gap() {
        let s = Sweep::new(
            DVec3::new(5.0, 0.0, 0.0),
            DVec3::new(5.0, 0.0, -1.0),
            &Shape::Arc { center: DVec2::ZERO, sweep: std::f64::consts::TAU },
        );
        let parts = split(&s);
        assert_eq!(parts.len(), 8);
        for w in parts.windows(2) {
            assert!(w[0].point(1.0).distance(w[1].point(0.0)) < 1e-12 && (w[0].z1 - w[1].z0).abs() < 1e-12);
        }
    }
}
