//! The card of a plan: its steps in the order in which they are done.

use crate::answer::length_key;
use crate::card::{Ask, Card, CardTool, Check, Loaded, Outcome, Reads, Sets, Step, StepKind, Sum, Way, slug};
use crate::zero::Wanted;
use crate::{caution, reach};
use holding::{Touched, TouchedWhen};
use job::Control;
use job::sheet::{MadeSheet, OpSheet, Sheet, SideSheet};
use job::sizes::Size;
use program::{Program, StepKind as Read};
use reason::{Sure, len, plain};
use shop::Shop;

/// The first cut of a new length stays so much too high, mm (common practice, no source).
const SHORT: f64 = 0.2;
/// A first cut that is off by more than this is another cutter or another one's length, mm (common practice, no source).
const OTHER_LENGTH: f64 = 1.0;
/// So far a length may be off without a doubt, mm: what a touch by paper and one by a setter differ by (common practice, no source).
const LENGTH: f64 = 0.1;
/// So far a cutter may stand out otherwise than planned, mm: shorter and its holder comes lower than was proved, longer and it bends more.
const STICKS_OUT: [f64; 2] = [0.5, 1.0];
/// A block may be larger by this, mm: the first cuts take that much more than they are reckoned for (common practice, no source).
const LARGER: [f64; 2] = [0.5, 1.0];
/// So much must be left to cut clean on the far sides of a block, mm (common practice, no source).
const CLEANS: [f64; 2] = [0.5, 0.1];
/// The line of two bores is set until their ends are within this, mm (common practice, no source: an indicator's).
const LINE: f64 = 0.02;
/// So many of the plan's warnings stand on the card; the others are told by number.
const WARNINGS: usize = 6;
/// A dry run clears the piece by this, mm.
const CLEAR: f64 = 10.0;

/// What a card is made from.
#[derive(Clone, Copy)]
pub struct Planned<'a> {
    /// The plan, proved.
    pub sheet: &'a Sheet,
    /// The shop that it was planned with.
    pub shop: &'a Shop,
    /// The job.
    pub title: &'a str,
    /// File of the program of side k, then of the pieces that are made.
    pub file: &'a dyn Fn(usize) -> String,
}

/// A setup, of the part or of a piece that is made for it.
struct Section<'a> {
    key: String,
    name: String,
    side: &'a SideSheet,
    made: Option<&'a MadeSheet>,
    file: String,
    last: bool,
}

pub use machine::control::sum;

/// Make the card.
///
/// # Errors
/// In words: the plan is not proved, its control is not known, or a program cannot be read.
pub fn card(p: &Planned) -> Result<Card, String> {
    let sheet = p.sheet;
    if !sheet.proof.passed {
        return Err("The plan is not proved: it cannot be run".into());
    }
    let dialect = p.shop.dialect(&sheet.control.id).or_else(|_| p.shop.dialect(&p.shop.machine.dialect));
    let control = Control::new(dialect.map_err(|e| e.to_string())?, &p.shop.machine);
    let mut sections = Vec::new();
    for (k, side) in sheet.sides.iter().enumerate() {
        for (m, made) in sheet.made.iter().enumerate().filter(|(_, m)| m.setup == side.name) {
            let file = (p.file)(sheet.sides.len() + m);
            let name = made.title.clone();
            sections.push(Section {
                key: slug(&made.name),
                name,
                side: &made.side,
                made: Some(made),
                file,
                last: false,
            });
        }
        let last = k + 1 == sheet.sides.len();
        let (key, name, file) = (slug(&side.name), side.name.clone(), (p.file)(k));
        sections.push(Section { key, name, side, made: None, file, last });
    }
    let mut tools: Vec<CardTool> = Vec::new();
    for t in sections.iter().flat_map(|s| &s.side.tools) {
        if !tools.iter().any(|o| o.number == t.number) {
            let (number, words) = (t.number, t.words());
            let (stickout_mm, length_mm, diameter_mm) = (t.stickout_mm, t.gauge_length(), t.diameter_mm);
            tools.push(CardTool { number, words, stickout_mm, length_mm, diameter_mm });
        }
    }
    tools.sort_by_key(|t| t.number);
    let mut steps = vec![cautions(p), stock(p)];
    let mut called: Vec<u32> = Vec::new();
    for (k, s) in sections.iter().enumerate() {
        let beside = [k.checked_sub(1).map(|b| &sections[b]), sections.get(k + 1)];
        steps.extend(section(p, s, beside, &control, &mut called)?);
    }
    steps.push(finish(sheet));
    let size = sheet.stock.size;
    let stock = sheet
        .stock
        .bar
        .clone()
        .unwrap_or_else(|| format!("{:.1} × {:.1} × {:.1} mm", len(size[0]), len(size[1]), len(size[2])));
    Ok(Card {
        title: p.title.into(),
        about: vec![
            format!("{}, {stock}", sheet.stock.material_name),
            format!("{}, {}", p.shop.machine.name, sheet.control.name),
        ],
        programs: sections
            .iter()
            .map(|s| Loaded {
                setup: s.name.clone(),
                file: s.file.clone(),
                lines: s.side.program.lines().count() as u32,
                sum: sum(&s.side.program),
            })
            .collect(),
        tools,
        steps,
        drawings: Vec::new(),
    })
}

fn plain_way(asks: Vec<Ask>, outcomes: Vec<Outcome>) -> Way {
    Way { id: "so".into(), title: String::new(), says: Vec::new(), asks, outcomes }
}

fn step(id: &str, setup: &str, kind: StepKind, title: &str, says: Vec<String>) -> Step {
    Step {
        id: id.into(),
        setup: setup.into(),
        kind,
        title: title.into(),
        says,
        cautions: Vec::new(),
        ways: vec![plain_way(Vec::new(), Vec::new())],
        line: None,
        minutes: None,
        raise_mm: None,
    }
}

fn ask(id: &str, label: String, planned: f64, check: Check) -> Ask {
    Ask::length(id, label, Some(planned), check)
}

fn cautions(p: &Planned) -> Step {
    let material = p.shop.material(&p.sheet.stock.material).ok().and_then(caution::of_material);
    let mut out: Vec<String> = material.into_iter().collect();
    for s in &p.sheet.sides {
        if let Some(c) = caution::of_hold(s.held_by).map(String::from).filter(|c| !out.contains(c)) {
            out.push(c);
        }
    }
    out.extend(caution::ALWAYS.map(String::from));
    out.push(caution::AUTHORITY.into());
    let mut warns: Vec<&str> = Vec::new();
    for f in p.sheet.proof.findings.iter().filter(|f| f.severity == reason::Severity::Warn) {
        if !warns.contains(&f.what.as_str()) {
            warns.push(&f.what);
        }
    }
    let mut says: Vec<String> = warns.iter().take(WARNINGS).map(|w| format!("The plan warns: {w}")).collect();
    if warns.len() > WARNINGS {
        says.push(format!("And {} warnings more: see the checks of the job", warns.len() - WARNINGS));
    }
    Step { cautions: out, ..step("cautions", "", StepKind::Caution, "Before anything turns", says) }
}

/// The block in hand, along the axes of the first setup: what it may be off by before it does not clean up, or cuts get too heavy.
fn stock(p: &Planned) -> Step {
    let sheet = p.sheet;
    let mut says = vec![format!("Material: {}", sheet.stock.material_name)];
    if let Some(l) = &sheet.stock.laid {
        says.push(format!("From the rack: {}", l.piece.name));
    }
    let why = "its far side must still be cut clean, and cuts are reckoned for this size (common practice, no source)";
    let small = "Too small: it would not be cut clean. Take another piece, or type its sizes on the Stock ticket and plan again";
    let large = "Too large: the first cuts would take more than they are reckoned for. Saw or face it, or type its sizes on the Stock ticket and plan again";
    let asks = if let Some(bar) = &sheet.stock.bar {
        says.push(format!("A bar: {bar}"));
        let mut size = sheet.stock.size;
        size.sort_by(f64::total_cmp);
        let across = ask(
            "across",
            "Across the bar".into(),
            size[0],
            Check::must(size[0] - 0.5, size[0] + 0.3, "the collet's").or(small, large),
        );
        let long = Check {
            must: [Some(size[2]), None],
            why: "what is gripped, the piece and the saw".into(),
            ..Check::none()
        };
        vec![
            across,
            ask(
                "length",
                "Length, at least".into(),
                size[2],
                long.or("Too short for the grip and the piece: take another bar", ""),
            ),
        ]
    } else {
        let rows: Option<[f64; 16]> = sheet.sides.first().and_then(|s| s.part_from_work.as_slice().try_into().ok());
        let placed = rows.and_then(|r| geom::Placement::from_rows(&r)).unwrap_or(geom::Placement::IDENTITY);
        // Far from stop, fixed jaw and seat: the right end, the front, the top.
        let far = [geom::DVec3::X, geom::DVec3::NEG_Y, geom::DVec3::Z];
        let names = ["Length, left to right", "Width, front to back", "Height"];
        (0..3)
            .map(|k| {
                let d = placed.dir(far[k]);
                let axis = (0..3).max_by(|&a, &b| d[a].abs().total_cmp(&d[b].abs())).unwrap_or(k);
                let size = sheet.stock.size[axis];
                let over = sheet.stock.over[axis][usize::from(d[axis] > 0.0)];
                let cents = |v: f64| (v * 100.0).round() / 100.0;
                let room = |left: f64| if over > left { cents(size - over + left) } else { size };
                let check = Check::must(room(CLEANS[1]), size + LARGER[1], why)
                    .should(room(CLEANS[0]), size + LARGER[0])
                    .or(small, large);
                ask(["x", "y", "z"][k], names[k].into(), size, check)
            })
            .collect()
    };
    Step {
        ways: vec![plain_way(asks, Vec::new())],
        ..step("stock", "", StepKind::Stock, "Measure the stock in hand", says)
    }
}

fn section(
    p: &Planned,
    s: &Section,
    [before, next]: [Option<&Section>; 2],
    control: &Control,
    called: &mut Vec<u32>,
) -> Result<Vec<Step>, String> {
    let zero = geom::DVec3::from_array(s.side.zero_in_machine);
    let settings = control.settings(zero, &s.side.tools);
    let read = program::read(&s.side.program, &settings)
        .map_err(|e| format!("The program of {} cannot be read: {e}", s.name))?;
    let travel = reach::of(&read, &s.side.tools, &p.shop.machine);
    let id = |what: &str| format!("{}/{what}", s.key);
    let mut out = Vec::new();
    if let Some(c) = cutters(s, called, &id("cutters")) {
        out.push(c);
    }
    let zeros = |when: &dyn Fn(TouchedWhen) -> bool| -> Vec<Step> {
        let all = s.side.datum.iter().enumerate();
        all.filter(|(_, d)| when(d.touched.map_or(TouchedWhen::Loaded, |t| t.when)))
            .map(|(k, d)| zero_step(p, s, before, k, d, travel[k]))
            .collect()
    };
    out.extend(zeros(&|w| w != TouchedWhen::Loaded));
    out.push(load(s, &id("load")));
    out.extend(zeros(&|w| w == TouchedWhen::Loaded));
    out.extend(angle(s, &id("angle")));
    let lines = s.side.program.lines().count();
    let says = vec![
        format!("{}: {lines} lines, sum {}", s.file, sum(&s.side.program)),
        "Look that the control shows this name and the first lines of the text as they are on the Program ticket"
            .into(),
    ];
    out.push(step(&id("program"), &s.name, StepKind::Program, "Load the program", says));
    out.push(dry_run(s, zero.z, travel[2][1], &id("dry-run")));
    out.extend(first_cut(s, &read, &id("first-cut")));
    out.extend(runs(s, &read));
    if !s.side.sizes.is_empty() {
        out.push(measure(s, &id("measure")));
    }
    out.push(unload(s, next, &id("unload")));
    Ok(out)
}

fn cutters(s: &Section, called: &mut Vec<u32>, id: &str) -> Option<Step> {
    let fresh: Vec<_> = s.side.tools.iter().filter(|t| !called.contains(&t.number)).collect();
    if fresh.is_empty() {
        return None;
    }
    called.extend(fresh.iter().map(|t| t.number));
    let asks = fresh.iter().map(|t| {
        let l = t.gauge_length();
        let [short, long] = STICKS_OUT;
        let why = format!("it stands out {:.1} mm in the proof, at a length of {:.1}", len(t.stickout_mm), len(l));
        let check = Check { should: [Some(l - short), Some(l + long)], why, ..Check::none() }.or(
            "It stands out less than planned: its holder comes lower than was proved. Set it again, or look that the holder clears all at the deepest place",
            "It stands out more than planned: it bends more and chatters sooner. Set it again if you can",
        );
        let label = format!("T{} {}, out {:.1} mm: length", t.number, t.words(), len(t.stickout_mm));
        let (reads, sets) =
            (Some(Reads::Length { tool: t.number }), Some(Sets::Length { tool: t.number }));
        Ask { unsaid: Some(l), reads, sets, ..ask(&format!("t{}", t.number), label, l, check) }
    });
    let says = vec![
        "Put each cutter into its holder so far as it stands here; look at its edges".into(),
        "Type the length from the gauge line to the tip as it is entered in the control; left empty it counts as planned".into(),
    ];
    let way = plain_way(asks.collect(), Vec::new());
    Some(Step { ways: vec![way], ..step(id, &s.name, StepKind::Cutters, "Set the cutters", says) })
}

fn zero_step(
    p: &Planned,
    s: &Section,
    before: Option<&Section>,
    axis: usize,
    d: &holding::Datum,
    travel: [f64; 2],
) -> Step {
    let name = ["X", "Y", "Z"][axis];
    let planned = s.side.zero_in_machine[axis];
    // A plan of before has no numbers: the offset is typed.
    let touched = d.touched.unwrap_or(Touched {
        at_mm: 0.0,
        on: holding::TouchedOn::Face { above: true },
        when: TouchedWhen::Loaded,
    });
    // A pin or paper wants a cutter with a flat end and a round side.
    let flat = |t: &&shop::tool::Tool| t.kind == shop::tool::ToolKind::Flat;
    let cutter = s.side.tools.iter().find(flat).or_else(|| s.side.tools.iter().find(|t| axis == 2 && t.kind.mills()));
    let wanted = Wanted {
        axis,
        touched,
        planned,
        zero: s.side.zero_in_machine,
        travel,
        offset: "G54",
        cutter: cutter.map(|t| (length_key(t.number), t.number, t.gauge_length(), t.diameter_mm)),
    };
    let mut ways = if d.touched.is_some() { wanted.ways(&p.shop.aids) } else { wanted.ways(&[]) };
    let kept = touched.when == TouchedWhen::Kept;
    if let Some(b) = before.filter(|b| kept && (b.side.zero_in_machine[axis] - planned).abs() < 1e-6) {
        ways.insert(0, wanted.kept(&format!("{}/zero-{}/offset", b.key, name.to_lowercase())));
    }
    let title = if kept { format!("Zero {name} stays") } else { format!("Find zero {name}") };
    // The vise stays where it is from one setup to the next: what is touched again would give the same.
    let again = before.and_then(|b| {
        let earlier = b.side.datum.get(axis)?;
        let vise = |s: &SideSheet| s.held_by == Some(holding::HoldKind::Vise);
        let same = axis > 0 && b.made.is_none() && s.made.is_none() && earlier.touches == d.touches;
        let empty = |d: &holding::Datum| d.touched.is_some_and(|t| t.when == TouchedWhen::Empty);
        let stays =
            same && vise(b.side) && vise(s.side) && b.side.station == s.side.station && empty(d) && empty(earlier);
        // The fixed jaw stays; other parallels are higher or lower by what is planned.
        let by = if axis == 2 { planned - b.side.zero_in_machine[axis] } else { 0.0 };
        stays.then(|| wanted.as_before(&b.name, &format!("{}/zero-{}/offset", b.key, name.to_lowercase()), by))
    });
    if let Some(way) = again {
        ways.insert(0, way);
    }
    let mut says = vec![capital(&d.touches)];
    if d.worst_mm > 0.0 {
        says[0] += &format!(". The plan counts on {:.3} mm", len(d.worst_mm));
    }
    Step { ways, ..step(&format!("{}/zero-{}", s.key, name.to_lowercase()), &s.name, StepKind::Zero, &title, says) }
}

fn capital(words: &str) -> String {
    let mut c = words.chars();
    c.next().map_or_else(String::new, |f| f.to_uppercase().chain(c).collect())
}

/// A line of loading that is for afterwards begins so.
const AFTER: &str = "Afterwards: ";

fn load(s: &Section, id: &str) -> Step {
    let zero = |l: &&String| ["X0: ", "Y0: ", "Z0: "].iter().any(|z| l.starts_with(z));
    let mut says = vec!["Wipe what it lies on and what it lies against; no chip under it".to_string()];
    says.extend(s.side.words.load.iter().filter(|l| !zero(l) && !l.starts_with(AFTER)).cloned());
    let press = s.side.hold.iter().find(|f| f.label == "Close it with");
    if !says.iter().any(|l| l.contains("kN")) {
        says.extend(press.and_then(|f| Some(format!("Close it with {:.1} {}", f.value?, f.unit))));
    }
    if s.side.hold.iter().any(|f| f.label == "Parallels") && s.made.is_none() {
        says.push("Tap it down: no parallel may move under it".into());
    }
    let title = if s.made.is_some() { format!("Set up: {}", s.name) } else { format!("Load {}", s.name) };
    let cautions = caution::of_hold(s.side.held_by).map(String::from).into_iter().collect();
    let minutes = Some(s.side.load_minutes).filter(|m| *m > 0.0);
    Step { cautions, minutes, ..step(id, &s.name, StepKind::Load, &title, says) }
}

/// The turn of a piece that lies as it lies: from the middle of its second bore.
fn angle(s: &Section, id: &str) -> Option<Step> {
    let [a, b] = s.side.baseline?;
    let (dx, dy) = (b[0] - a[0], b[1] - a[1]);
    let long2 = dx * dx + dy * dy;
    let long = long2.sqrt();
    let zero = s.side.zero_in_machine;
    let off = |axis: &str| format!("{}/zero-{axis}/offset", s.key);
    // Measured line v = second − first; tan φ = (d × v) / (d · v), and d · v is |d|² for turns that may be.
    let (kx, ky) = (off("x"), off("y"));
    let sum = Sum {
        constant: a[0] * dy - a[1] * dx,
        terms: vec![("y".into(), dx), ("x".into(), -dy), (kx, dy), (ky, -dx)],
        over: Some(long2),
    };
    let most = (LINE / long).atan().to_degrees();
    let words = format!("{:.2} mm over the {:.1} mm between the bores", len(LINE), len(long));
    let turn = "Tap it round, and find both bores again";
    let outcome = Outcome {
        id: "angle".into(),
        label: "The piece is turned by".into(),
        unit: "°".into(),
        then: "Counter-clockwise is positive".into(),
        sum,
        formula: "atan((d × v) ÷ |d|²), d the line as planned, v as found (small turns)".into(),
        check: Check::must(-most, most, &words).or(turn, turn),
        sets: None,
    };
    let reads = |k: usize, name: &str| {
        let label = format!("Machine {name} over the middle of the second bore");
        let at = [zero[0] + b[0], zero[1] + b[1], zero[2]];
        let reads = Some(Reads::Middle { at, axis: k, off_mm: LINE / 2.0 });
        Ask { reads, ..ask(&name.to_lowercase(), label, zero[k] + b[k], Check::none()) }
    };
    let says = vec![
        format!("The second bore stands at X {:.3} Y {:.3} of the program", len(b[0]), len(b[1])),
        "Find its middle as you found the first one's".into(),
    ];
    let way = plain_way(vec![reads(0, "X"), reads(1, "Y")], vec![outcome]);
    Some(Step { ways: vec![way], ..step(id, &s.name, StepKind::Zero, "Find how far it is turned", says) })
}

fn dry_run(s: &Section, zero_z: f64, highest: f64, id: &str) -> Step {
    let tops = s.side.operations.iter().map(|o| o.op.top).fold(0.0, Sure::at_least);
    let low = s.side.operations.iter().map(|o| o.op.bottom).fold(0.0, Sure::at_most);
    let (wanted, room) = ((tops - low + CLEAR).ceil(), (highest - zero_z - 1.0).floor());
    let mut says = if room >= wanted {
        vec![format!("Raise Z of the offset by {:.0} mm: all runs above the piece", len(wanted))]
    } else if room >= 1.0 {
        vec![
            format!("Raise Z of the offset by {:.0} mm: the machine has no more room", len(room)),
            format!("That is {:.0} mm less than clears all: stop before the tip is at the piece", len(wanted - room)),
        ]
    } else {
        vec![
            "The machine has no room to run above the piece: look at the first moves of each cutter block by block"
                .into(),
        ]
    };
    says.push("Slow rapids, a hand on the stop: look at jaws, clamps and the way of each cutter change".into());
    says.push("Set Z of the offset back".into());
    let raise = room.at_most(wanted).at_least(0.0);
    let raise_mm = Some(if raise < 1.0 { 0.0 } else { raise });
    Step { raise_mm, ..step(id, &s.name, StepKind::DryRun, "Run it above the piece", says) }
}

/// Where the first cutter that mills goes along at feed for the first time: its length is proved there.
fn first_cut(s: &Section, read: &Program, id: &str) -> Option<Step> {
    let milled = |o: &&OpSheet| o.op.mill.is_some();
    let op = s.side.operations.iter().find(milled)?;
    let t = op.op.tool;
    let along = |m: &&program::Step| {
        let way = (m.to - m.from).truncate().length();
        matches!(m.kind, Read::Feed { .. }) && m.tool == t && way > 0.5 && m.line >= op.lines[0]
    };
    let first = read.steps.iter().find(along)?;
    let z = first.to.z;
    let key = length_key(t);
    let what = format!("height over Z0 of what it cuts first, {:.3}, and {:.2} mm more", len(z), len(SHORT));
    let other = "This is another cutter, or another one's length: look, and measure its length again";
    let correction = Outcome {
        id: "correction".into(),
        label: "The cutter cuts too high by".into(),
        unit: "mm".into(),
        then: "Too low is negative".into(),
        sum: Sum::of(-(z + SHORT), &[("height", 1.0)]),
        formula: "measured − expected".into(),
        check: Check::must(-OTHER_LENGTH, OTHER_LENGTH, "what a length may be off by (common practice, no source)")
            .should(-LENGTH, LENGTH)
            .or(other, other),
        sets: None,
    };
    let length = Outcome {
        id: format!("t{t}"),
        label: format!("Length of T{t}"),
        unit: "mm".into(),
        then: format!("Enter it as the length of T{t}; the {:.2} mm are out again", len(SHORT)),
        sum: Sum::of(z + SHORT, &[(&key, 1.0), ("height", -1.0)]),
        formula: "length that was proved − correction".into(),
        check: Check::none(),
        sets: Some(Sets::Length { tool: t }),
    };
    let short = Way {
        id: "short".into(),
        title: "A short cut".into(),
        says: vec![
            format!(
                "Make the length of T{t} larger by {:.2} mm in the control: it stays that much too high",
                len(SHORT)
            ),
            format!("Run to the end of the first pass ({}), stop, measure the height over Z0 there", op.op.title),
        ],
        asks: vec![Ask {
            reads: Some(Reads::Height { tool: t, nominal_mm: z, zero_mm: s.side.zero_in_machine[2] }),
            ..ask("height", "Height over Z0".into(), z + SHORT, Check { why: what, ..Check::none() })
        }],
        outcomes: vec![correction, length],
    };
    let known = Way {
        id: "known".into(),
        title: "Its length is proved".into(),
        says: vec![format!("T{t} was measured today and has cut since")],
        asks: Vec::new(),
        outcomes: Vec::new(),
    };
    let says = vec![format!("A new length is proved before it cuts to size: T{t}")];
    Some(Step {
        ways: vec![short, known],
        line: Some(first.line),
        ..step(id, &s.name, StepKind::FirstCut, "Prove the first length", says)
    })
}

/// The program from stop to stop.
fn runs(s: &Section, read: &Program) -> Vec<Step> {
    let mut out = Vec::new();
    let pauses: Vec<(u32, bool)> = read
        .steps
        .iter()
        .filter_map(|m| match m.kind {
            Read::Pause { optional } => Some((m.line, optional)),
            _ => None,
        })
        .collect();
    let minutes = |from: u32, to: u32| -> f64 {
        s.side.operations.iter().filter(|o| o.lines[0] >= from && o.lines[0] < to).map(|o| o.minutes).sum()
    };
    let (mut from, mut stop) = (1, 0);
    let last = s.side.program.lines().count() as u32 + 1;
    for (n, (line, optional)) in pauses.iter().chain(std::iter::once(&(last, true))).enumerate() {
        let at_end = *line == last;
        let title = if pauses.is_empty() {
            "Run the program".to_string()
        } else if at_end {
            "Run to the end".into()
        } else {
            format!("Run to line {line}")
        };
        let says = if from == 1 {
            vec!["Cycle start. A hand on the feed override until each cutter has cut its first pass".into()]
        } else {
            vec!["Cycle start".into()]
        };
        let takes = minutes(from, *line);
        // After the last stop there may be nothing left but the end.
        if !at_end || takes > 0.0 || from == 1 {
            let run = step(&format!("{}/run-{}", s.key, n + 1), &s.name, StepKind::Run, &title, says);
            out.push(Step { line: Some(from), minutes: Some(takes), ..run });
        }
        if at_end {
            break;
        }
        let words = if *optional {
            s.side.words.tried.iter().map(|w| capital(w)).collect()
        } else {
            let words = s.side.words.at_stops.get(stop).cloned().unwrap_or_default();
            stop += 1;
            words
        };
        let title = if *optional { format!("At line {line}: try it") } else { format!("Stop at line {line}") };
        let id = format!("{}/stop-{}", s.key, n + 1);
        out.push(Step { line: Some(*line), ..step(&id, &s.name, StepKind::Stop, &title, words) });
        from = line + 1;
    }
    out
}

fn measure(s: &Section, id: &str) -> Step {
    let mut asks = Vec::new();
    let mut outcomes = Vec::new();
    for (k, z) in s.side.sizes.iter().enumerate() {
        let key = format!("m{}", k + 1);
        let middle = f64::midpoint(z.limits_mm[0], z.limits_mm[1]);
        let reads = Some(Reads::Size { nominal_mm: middle });
        asks.push(Ask { reads, ..ask(&key, z.what.clone(), middle, limits(z)) });
        outcomes.push(to_cut(z, &key));
    }
    let says = vec!["Clean and at room temperature, before it is unclamped: what is too large can still be cut".into()];
    Step { ways: vec![plain_way(asks, outcomes)], ..step(id, &s.name, StepKind::Measure, "Measure", says) }
}

/// What is still too large is cut again; what is cut too far is looked at by whoever answers for the drawing.
fn limits(z: &Size) -> Check {
    let [least, most] = z.limits_mm;
    let again = "Still to be cut: correct as it stands below, run that cut again, measure again";
    let gone = "Cut too far: scrap, unless whoever answers for the drawing takes it. Say so in a note";
    let why = format!("{} ({})", z.limits_words(), plain(&z.source.to_string()));
    let check = Check { why, ..Check::none() };
    if z.inside {
        Check { must: [Some(least), None], should: [None, Some(most)], ..check }.or(again, gone)
    } else {
        Check { must: [None, Some(most)], should: [Some(least), None], ..check }.or(gone, again)
    }
}

fn to_cut(z: &Size, key: &str) -> Outcome {
    let target = f64::midpoint(z.limits_mm[0], z.limits_mm[1]);
    let sign = if z.inside { -1.0 } else { 1.0 };
    let then = if z.upright && !z.inside {
        "If it is still to be cut: take it off the length of the cutter that makes the upper face"
    } else {
        "If it is still to be cut: half of it to each wall, the cutter's radius smaller by that"
    };
    Outcome {
        id: format!("{key}-cut"),
        label: format!("{}: from the middle of its limits", z.what),
        unit: "mm".into(),
        then: then.into(),
        sum: Sum::of(-sign * target, &[(key, sign)]),
        formula: if z.inside { "middle − measured" } else { "measured − middle" }.into(),
        check: Check::none(),
        sets: None,
    }
}

fn unload(s: &Section, next: Option<&Section>, id: &str) -> Step {
    let collet = |s: &SideSheet| s.held_by == Some(holding::HoldKind::Collet);
    let is_sawn = |s: &SideSheet| s.words.load.iter().any(|l| l.starts_with("Saw "));
    let mut says = Vec::new();
    let title = if s.made.is_some() {
        says.push("Blow it clean, deburr its edges; do not move it: the part's program uses the same zero".into());
        format!("Done: {}", s.name)
    } else if let Some(turned) = next.filter(|n| collet(n.side) && collet(s.side)).filter(|n| !is_sawn(n.side)) {
        says.push(format!("Leave the bar in its block: {} turns both as one. Blow it clean", turned.name));
        "Leave it in its block".into()
    } else {
        let after = s.side.words.load.iter().filter_map(|l| l.strip_prefix(AFTER)).map(capital);
        says.extend(after);
        let out = match next {
            Some(n) if is_sawn(n.side) => "Take the bar out with its block: it is sawn off next",
            Some(_) => "Take it out, deburr every edge: a burr under it is an error on the next side",
            None => "Take it out, deburr every edge",
        };
        says.push(out.into());
        if !s.last {
            says.push("Keep what comes off of the stock: it may be wanted to hold or to pack with".into());
        }
        format!("{} is cut", capital(&s.name))
    };
    says.extend(s.side.words.by_hand.iter().map(|w| capital(w)));
    step(id, &s.name, StepKind::ByHand, &title, says)
}

fn finish(sheet: &Sheet) -> Step {
    let mut says = vec!["Clean it, look at every face, break what edges are left".to_string()];
    for f in sheet.proof.findings.iter().filter(|f| f.leaves_material() && !f.places.is_empty()) {
        let line = format!("Left by the machine: {}", f.what);
        if !says.contains(&line) {
            says.push(line);
        }
    }
    says.push("Wrap it so that nothing touches its finished faces".into());
    step("finish", "", StepKind::Finish, "The piece is done", says)
}
