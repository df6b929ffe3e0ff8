//! The proof: programs as text, read back, cut a simulated stock; what is left is compared with the model.
//!
//! Three fields of parallel rays hold the stock ([`Stock`]); moves are subtracted in closed form; gouge and leftover are depths
//! normal to the model's surface. A setup at an angle is cut on rays of its own frame, which begin with all that was cut before; what it
//! cuts is taken from the part's rays too ([`oblique`]). Guaranteed: on each ray the ends are exact to [`Proof::error_mm`]. Not guaranteed: a flaw
//! narrower than the rays' distance in two directions at once can slip through; [`Proof::pitch_mm`] says how narrow.

mod compare;
mod cut;
mod dexel;
mod fit;
mod history;
mod keep_out;
mod loose;
mod machine;
mod oblique;
mod places;
mod run;
mod seated;
mod sweep;
mod threads;
pub mod time;

pub use dexel::Stock;
pub use fit::{Nest, NestFit, OVERLAP};
pub use history::{Fall, History, histories};
pub use threads::Thread;

use compare::{Patch, Piece, Surface};
use geom::{Bar, Box3, DIRECTIONS, DVec3, Placement, TriMesh};
use program::{Anchored, Program};
use rayon::prelude::*;
use reason::{Finding, Kind, Place, Severity, Sure, Watch, len};
use serde::{Deserialize, Serialize};
use shop::machine::{Machine, Material};
use shop::tool::Tool;
use ts_rs::TS;

/// Rounding of a ray's ends, at most, mm.
pub const RAY_ERROR: f64 = 0.0005;

/// Deepest gouge that passes, mm.
pub const GOUGE_LIMIT: f64 = 0.02;
/// Highest leftover that passes without being named, mm.
pub const LEFT_LIMIT: f64 = 0.1;
/// Smaller differences are not measured, mm: the error bound is of that size.
const MEASURED: f64 = 0.002;
/// Smaller differences are not listed, mm.
const LISTED: f64 = 0.006;
/// From here a leftover is worth a note, mm.
const NOTED: f64 = 0.02;

/// A box in work coordinates that nothing may enter.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct KeepOut {
    /// "fixed jaw".
    pub name: String,
    /// Smallest corner.
    pub min: DVec3,
    /// Largest corner.
    pub max: DVec3,
    /// So deep a cutting cutter may go into its top, mm: it is there to be cut.
    #[serde(default)]
    pub may_cut_mm: f64,
    /// What lies on it sticks to it.
    #[serde(default)]
    pub sticks: bool,
    /// It presses on what lies under it: that does not come loose.
    #[serde(default)]
    pub clamps: bool,
    /// When it stands there.
    #[serde(default)]
    pub when: When,
}

/// When something stands there that holds a piece.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub enum When {
    /// All the time.
    #[default]
    Always,
    /// From this stop (M0) of the program on, until that one; 0 is its start.
    Stops([u32; 2]),
    /// In these lines of the text, from 1, both included.
    Lines([u32; 2]),
}

impl When {
    /// Does it stand there after so many stops, at a line?
    pub fn now(self, stops: u32, line: u32) -> bool {
        match self {
            When::Always => true,
            When::Stops([from, to]) => (from..to).contains(&stops),
            When::Lines([first, last]) => (first..=last).contains(&line),
        }
    }
}

impl KeepOut {
    /// A box that nothing may enter.
    pub fn new(name: impl Into<String>, min: DVec3, max: DVec3) -> KeepOut {
        KeepOut { name: name.into(), min, max, may_cut_mm: 0.0, sticks: false, clamps: false, when: When::Always }
    }
}

/// A cone below a flat bottom in which material may be missing: a drill's point.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct DrillPoint {
    /// Middle of the flat bottom, part coordinates, mm.
    pub bottom: DVec3,
    /// Out of the hole's mouth.
    pub out: DVec3,
    /// Radius of the drill and length of its point, mm.
    pub radius: f64,
    /// See `radius`.
    pub length: f64,
}

impl DrillPoint {
    /// Is a place in the cone, to the grid's rounding?
    fn holds(&self, p: DVec3) -> bool {
        const SLACK: f64 = 0.01;
        let v = p - self.bottom;
        let deep = -v.dot(self.out);
        let off = (v + self.out * deep).length();
        deep > -SLACK && off <= self.radius * (1.0 - deep / self.length) + SLACK
    }
}

/// A solid in work coordinates that nothing may enter.
#[derive(Debug, Clone)]
pub struct Body {
    /// "soft jaw".
    pub name: String,
    /// Closed, in work coordinates.
    pub mesh: TriMesh,
    /// It presses on what lies under it: that does not come loose.
    pub clamps: bool,
    /// When it stands there.
    pub when: When,
}

/// A solid that stands beside the part while it is machined: cutters, shanks and holders must not touch it.
#[derive(Debug, Clone)]
pub struct Standing<'a> {
    /// "dowel".
    pub name: String,
    /// Closed, in part coordinates.
    pub mesh: &'a TriMesh,
}

/// A setup as it is proved.
#[derive(Debug, Clone)]
pub struct SetupInput {
    /// Its name.
    pub name: String,
    /// Its program, read from text.
    pub program: Program,
    /// From work coordinates to part coordinates.
    pub part_from_work: Placement,
    /// Work zero in machine coordinates, mm.
    pub zero_in_machine: DVec3,
    /// Tools that the program may call.
    pub tools: Vec<Tool>,
    /// Jaws, parallels.
    pub keep_out: Vec<KeepOut>,
    /// Solids of any form that nothing may enter: jaws made to the part, a plate.
    pub bodies: Vec<Body>,
    /// What the text promises, at the lines as they are now; none where no promises were given.
    pub promises: Option<Anchored>,
    /// Sawn off before it: of the stock only what lies in this box is left, part coordinates.
    pub sawn: Option<Box3>,
}

/// What the machine can do, and how closely to look.
#[derive(Debug, Clone, Copy)]
pub struct Limits {
    /// Machine coordinates, mm.
    pub travel_min: DVec3,
    /// Machine coordinates, mm.
    pub travel_max: DVec3,
    /// For the minutes.
    pub motion: time::Motion,
    /// About how many times in a setup to look for loose pieces.
    pub loose_looks: usize,
    /// Rays along the axes of the cutters, and along the others.
    pub rays: [f64; 2],
}

impl Default for Limits {
    fn default() -> Self {
        Limits {
            travel_min: DVec3::new(0.0, 0.0, -320.0),
            travel_max: DVec3::new(400.0, 220.0, 0.0),
            motion: time::Motion::default(),
            loose_looks: 60,
            rays: [220_000.0, 90_000.0],
        }
    }
}

/// Everything that a proof needs.
#[derive(Debug, Clone)]
pub struct Input<'a> {
    /// The finished part, closed, in part coordinates.
    pub model: &'a TriMesh,
    /// Largest distance between the mesh and the true surface, mm.
    pub chord_error: f64,
    /// The block at the start, part coordinates.
    pub stock: Box3,
    /// It is a bar: what of that box lies in it.
    pub bar: Option<Bar>,
    /// Setups in order.
    pub setups: &'a [SetupInput],
    /// Features that the plan already names as not cut.
    pub named: &'a [Finding],
    /// Points of drills that may go below bottoms drawn flat.
    pub points: &'a [DrillPoint],
    /// Threads that the programs cut into holes of the model.
    pub threads: &'a [Thread],
    /// Setups that would be needed and are not planned: name, and what is up in them.
    pub not_planned: &'a [(String, DVec3)],
    /// Directions at an angle from which a tilted setup would look at some face of the part: out of holes, square to flats; with their words.
    pub slants: &'a [(DVec3, String)],
    /// Jaws that are cut to hold the part.
    pub nests: &'a [Nest],
    /// What stands beside the part, in every setup.
    pub standing: &'a [Standing<'a>],
    /// The machine, for its speeds, feeds and power; they are not looked at without it.
    pub machine: Option<&'a Machine>,
    /// What is cut, for loads and coolant.
    pub material: Option<&'a Material>,
    /// Travel and resolution.
    pub limits: Limits,
}

/// What was proved.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Proof {
    /// Nothing of the part is left uncut.
    pub complete: bool,
    /// Machine minutes, tool changes included.
    pub minutes: f64,
    /// Deepest gouge, mm.
    pub gouge_mm: f64,
    /// Highest leftover outside the named places, mm.
    pub leftover_mm: f64,
    /// Error bound of both, mm.
    pub error_mm: f64,
    /// Distance between rays along x, y and z of the part, mm.
    pub pitch_mm: [f64; 3],
    /// Minutes of each setup.
    pub setup_minutes: Vec<f64>,
    /// What each step of each setup took: for the strip under the picture, not for the file.
    #[serde(skip)]
    pub loads: Vec<Vec<StepLoad>>,
    /// Where the feed would have to give way for the spindle to bear it, by setup: not for the file.
    #[serde(skip)]
    pub eases: Vec<Vec<Ease>>,
    /// How the measured engagement agrees with what is promised, by setup and promise: not for the file.
    #[serde(skip)]
    pub kept: Vec<Vec<Kept>>,
    /// What is left, more than what passes, mm³.
    #[serde(default)]
    pub left_mm3: f64,
    /// The same by finding, as the rays have it; not kept.
    #[serde(skip)]
    pub left: Vec<Left>,
    /// How the part lies in jaws that are cut for it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub fits: Vec<NestFit>,
    /// Proofs of the pieces that are made to hold it, by name: files of their own.
    #[serde(skip)]
    pub made: Vec<(String, Proof)>,
    /// What was found.
    pub findings: Vec<Finding>,
}

/// Material that a finding is about, before its boxes were made fewer.
#[derive(Debug, Clone, PartialEq)]
pub struct Left {
    /// Id of the finding.
    pub finding: String,
    /// By its rays, mm³.
    pub mm3: f64,
    /// A box for each run of rays, part coordinates.
    pub boxes: Vec<Place>,
}

/// Lengths that a cutter met material sideways under a promise of engagement, mm.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Kept {
    /// Id of the operation.
    pub operation: String,
    /// In all.
    pub all: f64,
    /// Within 15 % of what is promised.
    pub near: f64,
    /// More than that over it.
    pub over: f64,
}

impl Kept {
    fn see(&mut self, engagement: f64, promised: f64, length: f64) {
        if engagement <= 0.0 {
            return;
        }
        self.all += length;
        let share = engagement / promised;
        if share > 1.15 {
            self.over += length;
        } else if share >= 0.85 {
            self.near += length;
        }
    }
}

/// A line whose feed is too much for what is cut there.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Ease {
    /// Line of the text, from 1.
    pub line: u32,
    /// Its feed times this would be borne.
    pub factor: f64,
}

/// Load of one step of a program.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct StepLoad {
    /// Line of the text, from 1.
    pub line: u32,
    /// Tool in the spindle.
    pub tool: u32,
    /// Duration, s.
    pub seconds: f64,
    /// Material taken, mm³.
    pub volume: f64,
    /// Greatest engagement, rad.
    pub engagement: f64,
}

impl Proof {
    /// Is nothing found that forbids cutting?
    pub fn passed(&self) -> bool {
        self.findings.iter().all(|f| f.severity != Severity::Stop)
    }
}

/// Distances between rays for a block: fine along the cutters' axes.
fn pitches(stock: &Box3, setups: &[SetupInput], rays: [f64; 2]) -> [f64; 3] {
    let size = stock.size();
    [0, 1, 2].map(|k| {
        let square = setups.iter().filter(|s| s.part_from_work.is_axial());
        let mine = square.map(|s| s.part_from_work.dir(DVec3::Z)).any(|up| up[k].abs() > 0.5);
        let area = size[(k + 1) % 3] * size[(k + 2) % 3];
        (area / if mine { rays[0] } else { rays[1] }).sqrt().clamp(0.05, 0.5)
    })
}

/// Prove.
pub fn prove(input: &Input) -> Proof {
    prove_watched(input, &Watch::nobody())
}

/// Prove, and say how far it is. A proof that was stopped is worth nothing.
pub fn prove_watched(input: &Input, watch: &Watch) -> Proof {
    let pitch = pitches(&input.stock, input.setups, input.limits.rays);
    // The rays must pass through all of the model, even where it stands out of the stock.
    let bounds = input.stock.joined(&input.model.bounds());
    let mut stock = Stock::block(&bounds, pitch);
    if bounds != input.stock {
        let block = block_mesh(&input.stock);
        stock = stock.mesh_like(&block);
    }
    if let Some(bar) = &input.bar {
        stock = stock.within_bar(bar);
    }
    // What the saw has left.
    let mut block = input.stock;
    let (model, surface) = rayon::join(|| stock.mesh_like(input.model), || Surface::new(input.model));
    let mut findings = Vec::new();
    let mut setup_minutes = Vec::new();
    let (mut loads, mut eases) = (Vec::new(), Vec::new());
    let mut kept = Vec::new();
    let mut sliced = false;
    let all = input.setups.len() as f64;
    let mut before: Vec<oblique::Done> = Vec::new();
    for (k, s) in input.setups.iter().enumerate() {
        let square = s.part_from_work.is_axial();
        if let Some(left) = &s.sawn {
            stock.fields.iter_mut().for_each(|f| f.within(left));
            block = block.common(left);
        }
        let there = if square {
            stock.placed(&s.part_from_work.inverse())
        } else {
            oblique::seen((&block, input.bar.as_ref()), &bounds, &s.part_from_work, input.limits.rays, &before)
        };
        let mut outcome = run::run(there, s, input, &|share| watch.on(0.05 + 0.75 * (k as f64 + share) / all));
        let done = oblique::Done { input: s, touched: std::mem::take(&mut outcome.touched) };
        if square {
            stock = outcome.stock.placed(&s.part_from_work);
        } else {
            stock.fields.iter_mut().for_each(|f| oblique::take(f, &done, &Placement::IDENTITY));
        }
        before.push(done);
        sliced |= outcome.sliced || !square;
        kept.push(outcome.kept);
        findings.extend(outcome.findings);
        let seconds = time::seconds(&s.program.steps, &input.limits.motion);
        setup_minutes.push(seconds.iter().sum::<f64>() / 60.0);
        let load = |k: usize| StepLoad {
            line: s.program.steps[k].line,
            tool: s.program.steps[k].tool,
            seconds: seconds[k],
            volume: outcome.taken[k],
            engagement: outcome.engagement[k],
        };
        let load: Vec<StepLoad> = (0..seconds.len()).map(load).collect();
        eases.push(machine::check_loads(input, s, &load, &mut findings));
        threads::check_taps(s, &load, input.machine, &mut findings);
        machine::check_promises(s, &mut findings);
        loads.push(load);
    }
    watch.on(0.85);
    let mut fits = Vec::new();
    for nest in input.nests {
        let (f, told) = fit::fit(nest, input);
        fits.push(f);
        findings.extend(told);
    }
    let error = input.chord_error + RAY_ERROR + if sliced { sweep::SLICE / 2.0 } else { 0.0 };
    let mut gone = compare::differences(&stock, &model, &surface, false, MEASURED);
    gone.retain(|p| !input.points.iter().any(|q| q.holds(p.deepest) && q.holds(p.bounds.middle())));
    // What a thread takes around its core is no face of the model; how far it goes is judged by its motion.
    gone.retain(|p| !input.threads.iter().any(|t| [p.deepest, p.tip, p.bounds.middle()].iter().all(|q| t.holds(*q))));
    threads::check(input.threads, input.setups, &mut findings);
    let left = compare::differences(&stock, &model, &surface, true, MEASURED);
    let mut told: Vec<Left> = Vec::new();

    let gouge_mm = gone.iter().map(|g| g.depth).fold(0.0, Sure::at_least);
    for patch in compare::group(&gone) {
        if patch.depth > LISTED {
            let mut f = gouge_finding(&patch, error);
            let blamed = input
                .setups
                .iter()
                .find_map(|s| run::blame(s, s.part_from_work.inverse().point(patch.deepest)).map(|l| (s, l)));
            if let Some((s, line)) = blamed {
                f = f.in_setup(&s.name).at_line(line);
            }
            findings.push(f);
        }
    }
    // What a thread or a reamer leaves below its end is a ring; anything more there is not meant by its name.
    let ring = input.threads.iter().map(|t| (t.major - t.minor) / 2.0).fold(FIT_RING, Sure::at_least) + LEFT_LIMIT;
    let (by_name, rest) = split_named(&left, input.named, ring);
    let mut complete = true;
    for (k, pieces) in by_name.into_iter().enumerate() {
        let depth = pieces.iter().map(|p| p.depth).fold(0.0, Sure::at_least);
        if depth <= LEFT_LIMIT {
            continue;
        }
        // The end of a thread is as it is wanted.
        complete &= input.named[k].kind == Kind::ThreadEnd;
        let mut f = input.named[k].clone();
        f.what = format!("{}; up to {} is left", f.what, amount(depth, error));
        let boxes: Vec<Place> = pieces.iter().map(|p| Place::new(p.bounds.min, p.bounds.max)).collect();
        f.places = places::fewer(boxes.clone());
        told.push(Left { finding: f.id.clone(), mm3: pieces.iter().map(|p| p.volume).sum(), boxes });
        findings.push(f);
    }
    let mut leftover_mm = 0.0_f64;
    let mut small = Vec::new();
    let mut by_choice: Vec<Vec<Patch>> = vec![Vec::new(); input.not_planned.len()];
    // Thin skins are told apart from what is plainly left, though they touch.
    let (thin, thick): (Vec<Piece>, Vec<Piece>) = rest.into_iter().partition(|p| p.depth <= LEFT_LIMIT);
    for patch in compare::group(&thick).into_iter().chain(compare::group(&thin)) {
        if patch.depth <= LEFT_LIMIT {
            leftover_mm = leftover_mm.at_least(patch.depth);
            if patch.depth > NOTED {
                small.push(patch);
            }
            continue;
        }
        complete = false;
        if let Some(k) = left_by_choice(&patch, &model, input) {
            by_choice[k].push(patch);
            continue;
        }
        let f = left_finding(&patch, &model, input, error);
        if f.severity == Severity::Stop {
            leftover_mm = leftover_mm.at_least(patch.depth);
        }
        told.push(Left { finding: f.id.clone(), mm3: patch.volume, boxes: patch.places });
        findings.push(f);
    }
    for (patches, (name, _)) in by_choice.iter().zip(input.not_planned) {
        if patches.is_empty() {
            continue;
        }
        let mm3: f64 = patches.iter().map(|p| p.volume).sum();
        let boxes: Vec<Place> = patches.iter().flat_map(|p| p.places.iter().copied()).collect();
        let f = Finding::new(
            Kind::NotPlanned,
            Severity::Warn,
            format!("{name} is not planned: {:.1} cm³ that it would cut stay", mm3 / 1000.0),
            "Left by choice: it cannot be held yet. The setups before it are made so that it can follow.",
        )
        .keyed(name)
        .at(places::fewer(boxes.clone()));
        told.push(Left { finding: f.id.clone(), mm3, boxes });
        findings.push(f);
    }
    if let Some(worst) = small.iter().map(|p| p.depth).reduce(Sure::at_least) {
        let all: Vec<Place> = small.iter().flat_map(|p| p.places.iter().copied()).collect();
        findings.push(
            Finding::new(
                Kind::SmallLeftover,
                Severity::Note,
                format!(
                    "Up to {worst:.3} mm is left (± {error:.3}) in {} places",
                    small.len(),
                    worst = len(worst),
                    error = len(error)
                ),
                "Within what passes; a spring pass or a finer finish takes it off.",
            )
            .at(places::fewer(all)),
        );
    }
    findings.sort_by(|a, b| b.severity.cmp(&a.severity).then_with(|| a.id.cmp(&b.id)));
    Proof {
        fits,
        made: Vec::new(),
        complete,
        minutes: setup_minutes.iter().sum(),
        gouge_mm,
        leftover_mm,
        error_mm: error,
        pitch_mm: pitch,
        setup_minutes,
        loads,
        eases,
        kept,
        left_mm3: told.iter().map(|l| l.mm3).sum(),
        left: told,
        findings,
    }
}

fn block_mesh(b: &Box3) -> TriMesh {
    let quads = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    let triangles = quads.iter().flat_map(|q| [[q[0], q[1], q[2]], [q[0], q[2], q[3]]]).collect();
    TriMesh { points: b.corners().to_vec(), triangles, face: vec![0; 12] }
}

/// A reamer takes at most so much on the radius, mm (common practice, no source).
const FIT_RING: f64 = 0.2;

/// Pieces by the named finding whose places hold their middle, and those that none names.
fn split_named(pieces: &[Piece], named: &[Finding], ring: f64) -> (Vec<Vec<Piece>>, Vec<Piece>) {
    let mut by_name = vec![Vec::new(); named.len()];
    let mut rest = Vec::new();
    for p in pieces {
        let mid = (p.bounds.min + p.bounds.max) / 2.0;
        match named.iter().position(|f| {
            f.kind != Kind::EndsStay
                && (f.kind != Kind::ThreadEnd || p.depth <= ring)
                && f.places.iter().any(|q| [mid, p.deepest, p.tip].iter().any(|at| q.contains(*at, 0.05)))
        }) {
            Some(k) => by_name[k].push(*p),
            None => rest.push(*p),
        }
    }
    (by_name, rest)
}

/// A leftover with its error bound; where it is plainly large, it is not measured on every ray.
fn amount(depth: f64, error: f64) -> String {
    if depth > compare::PLAIN + 0.5 {
        format!("about {depth:.1} mm (± 1)", depth = len(depth))
    } else {
        format!("{depth:.2} mm (± {error:.3})", depth = len(depth), error = len(error))
    }
}

fn at_words(p: DVec3) -> String {
    format!("X {:.2} Y {:.2} Z {:.2}", len(p.x), len(p.y), len(p.z))
}

fn key(p: DVec3) -> String {
    format!("{:.0}_{:.0}_{:.0}", p.x, p.y, p.z)
}

fn gouge_finding(p: &Patch, error: f64) -> Finding {
    let severity = if p.depth > GOUGE_LIMIT { Severity::Stop } else { Severity::Note };
    let why = if severity == Severity::Stop {
        "The part is undersize there; correct the program before it is run."
    } else {
        "Within what passes."
    };
    Finding::new(
        Kind::Gouge,
        severity,
        format!("{:.3} mm (± {error:.3}) too deep at {}", len(p.depth), at_words(p.deepest), error = len(error)),
        why,
    )
    .keyed(key(p.deepest))
    .at(places::fewer(p.places.clone()))
}

/// Share of the points from which the way out along `d` passes no model.
fn open_towards(points: &[DVec3], model: &Stock, input: &Input, d: DVec3) -> f64 {
    if d.abs().max_element() > 1.0 - 1e-9 {
        open_share(points, model, d)
    } else {
        open_share_at_angle(points, input.model, d)
    }
}

/// The same along an axis.
fn open_share(points: &[DVec3], model: &Stock, d: DVec3) -> f64 {
    let axis = (0..3).find(|&k| d[k].abs() > 0.5).unwrap_or(2);
    let f = &model.fields[axis];
    let (u, v) = f.grid.uv();
    let free = points
        .iter()
        .filter(|p| {
            let i = ((p[u] - f.grid.origin.x) / f.grid.pitch).round();
            let j = ((p[v] - f.grid.origin.y) / f.grid.pitch).round();
            if i < 0.0 || j < 0.0 || i as usize >= f.grid.count[0] || j as usize >= f.grid.count[1] {
                return true;
            }
            let ray = &f.rays[j as usize * f.grid.count[0] + i as usize];
            ray.iter().all(|m| if d[axis] > 0.0 { m.1 <= p[axis] + 1e-3 } else { m.0 >= p[axis] - 1e-3 })
        })
        .count();
    free as f64 / points.len().max(1) as f64
}

/// Share of the points from which the way out along any direction `d` meets no triangle of the model
/// (Möller and Trumbore, Fast, Minimum Storage Ray/Triangle Intersection, 1997).
fn open_share_at_angle(points: &[DVec3], model: &TriMesh, d: DVec3) -> f64 {
    /// A point on the surface sees the surface itself; one on a wall along `d` is asked a little beside it too, mm.
    const OFF: f64 = 0.02;
    const BESIDE: f64 = 0.03;
    let (across, other) = d.any_orthonormal_pair();
    let hits = |p: DVec3| {
        (0..model.triangles.len()).any(|t| {
            let [a, b, c] = model.corners(t);
            let (ab, ac) = (b - a, c - a);
            let q = d.cross(ac);
            let det = ab.dot(q);
            if det.abs() < 1e-12 {
                return false;
            }
            let from = (p - a) / det;
            let u = from.dot(q);
            let w = from.cross(ab);
            let v = d.dot(w);
            u >= 0.0 && v >= 0.0 && u + v <= 1.0 && ac.dot(w) > OFF
        })
    };
    let free = |p: &DVec3| {
        let beside =
            (0..6).map(|k| f64::from(k) * std::f64::consts::FRAC_PI_3).map(|a| across * a.cos() + other * a.sin());
        std::iter::once(DVec3::ZERO).chain(beside).any(|b| !hits(*p + b * BESIDE))
    };
    points.par_iter().filter(|p| free(p)).count() as f64 / points.len().max(1) as f64
}

/// Of its points, from this share on all count as open to a direction.
const ALL: f64 = 0.95;

/// Another direction from which most of it lies open, in words, with what it asks for: an axis where all of it does, else the one that sees
/// most.
fn best_way(p: &Patch, model: &Stock, input: &Input) -> Option<(String, &'static str)> {
    let square = "No setup cuts from that side. Add one, or do it by hand afterwards.";
    let tilted = "The part would have to be tilted, on an angle block or a sine bar, and no setup of this plan is. Look at what the Hold ticket says of it, or do it by hand afterwards.";
    let mut ways: Vec<(f64, String, &str)> =
        DIRECTIONS.iter().map(|(d, name)| (open_share(&p.points, model, *d), (*name).to_string(), square)).collect();
    if ways.iter().all(|w| w.0 < ALL) {
        let slanted =
            |(d, words): &(DVec3, String)| (open_share_at_angle(&p.points, input.model, *d), words.clone(), tilted);
        ways.extend(input.slants.iter().map(slanted));
    }
    ways.sort_by(|a, b| b.0.total_cmp(&a.0));
    ways.into_iter().next().filter(|w| w.0 > 0.5).map(|(_, words, asks)| (words, asks))
}

/// Which setup that is not planned would have cut it: beyond the part on its side, or seen by it and by none that is planned.
fn left_by_choice(p: &Patch, model: &Stock, input: &Input) -> Option<usize> {
    let bounds = input.model.bounds();
    let beyond = |d: DVec3| {
        let (ends, far) = ([bounds.min.dot(d), bounds.max.dot(d)], |q: &DVec3| q.dot(d));
        let end = if ends[0] > ends[1] { ends[0] } else { ends[1] };
        2 * p.points.iter().filter(|q| far(q) > end - 1e-3).count() > p.points.len()
    };
    let open = |d: DVec3| open_towards(&p.points, model, input, d) > 0.5;
    let mut list = input.not_planned.iter().map(|n| n.1);
    if let Some(k) = list.clone().position(beyond) {
        return Some(k);
    }
    if input.setups.iter().any(|s| open(s.part_from_work.dir(DVec3::Z))) {
        return None;
    }
    list.position(open)
}

/// Why something was left: reachable but not cut, reachable from another side only, or from none.
fn left_finding(p: &Patch, model: &Stock, input: &Input, error: f64) -> Finding {
    let ups: Vec<DVec3> = input.setups.iter().map(|s| s.part_from_work.dir(DVec3::Z)).collect();
    let share = |d: &DVec3| open_towards(&p.points, model, input, *d);
    let most = ups.iter().map(share).fold(0.0, Sure::at_least);
    // What is half seen through a hole that crosses another belongs to the other, if that one shows all of it.
    let slanted = most < ALL && input.slants.iter().any(|(d, _)| open_share_at_angle(&p.points, input.model, *d) > ALL);
    let size = format!("{} is left at {}", amount(p.depth, error), at_words(p.deepest));
    let f = if most > 0.5 && !slanted {
        Finding::new(
            Kind::Leftover,
            Severity::Stop,
            size,
            "It can be reached from a side that is cut, and the programs do not cut it; a smaller cutter or a further cut is needed.",
        )
    } else if let Some(from) = best_way(p, model, input) {
        Finding::new(Kind::NeedsOtherSide, Severity::Warn, format!("{size}; it can be cut from {}", from.0), from.1)
    } else {
        Finding::new(
            Kind::NotMakeable,
            Severity::Stop,
            format!("{size}, hidden from all six sides and along every slanted hole and flat"),
            "No straight cutter reaches it: an undercut cutter, another way of making it, or a change of the drawing.",
        )
    };
    f.keyed(key(p.deepest)).at(places::fewer(p.places.clone()))
}
