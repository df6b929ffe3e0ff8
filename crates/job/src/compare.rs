//! Whole ways of making a part side by side: what each takes, how far it may be off, what has to be made for it, and which is the one to take.
//!
//! All are estimated from the one that is planned: chips by volume, calls by hand for each setup more. The few best are planned and proved as the job itself
//! is, at the same desk, so that what they share is made once.

use crate::budget::{Crossing, Verdict};
use crate::cache::Desk;
use crate::chain::plan_at;
use crate::decision::Settled;
use crate::error::JobError;
use crate::plan::Plan;
use crate::proving::prove_plan_at;
use crate::stocking;
use geom::{Box3, DVec2, RayGrid};
use holding::{Candidate, HoldKind, Making, Scheme, SchemeId, School, Setup};
use part::Part;
use proof::Proof;
use reason::{Severity, Sure, Term};
use serde::{Deserialize, Serialize};
use shop::Shop;
use ts_rs::TS;

/// So many whole ways are planned, the chosen one among them.
pub const PLANNED: usize = 3;
/// Minutes that a further setup costs beside its chips: approach, cutters called again (common practice, no source).
const SETUP_MIN: f64 = 2.5;
/// To cut a pair of jaws where nobody has planned it yet (common practice, no source), min.
const JAWS_MIN: f64 = 8.0;
/// The machine cuts a plate with pins and threads, typically, min (the demo's takes 17).
const PLATE_MIN: f64 = 15.0;
/// Within this share two ways take the same time.
const TIE: f64 = 0.03;

/// A rectangle of a drawing in the y–z plane of a setup, seen from its right end: front on the left.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Drawn {
    /// "part", "stock", or the body's name.
    pub name: String,
    /// Least y and z, largest y and z, mm.
    pub at: [f64; 4],
}

/// A setup of a way.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct WaySetup {
    /// "side 2".
    pub name: String,
    /// "−Z".
    pub up: String,
    /// "soft jaws".
    pub hold: String,
    /// How it looks from its right end; not in files.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub drawn: Vec<Drawn>,
}

/// One whole way.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct WholeWay {
    /// "deck.soft-jaws.+z.x".
    pub id: String,
    /// "+Z up first, then in soft jaws; hat and deck".
    pub words: String,
    /// What holds the second side.
    pub hold: HoldKind,
    /// The plan takes it.
    pub chosen: bool,
    /// Why it cannot be; empty if it can.
    pub why_not: String,
    /// It was planned and proved; else its minutes are estimated.
    pub planned: bool,
    /// Setups in order.
    pub setups: Vec<WaySetup>,
    /// The block, mm.
    pub block_mm: [f64; 3],
    /// Minutes of each piece at the machine and of a person.
    pub each: Vec<Term>,
    /// Minutes before the first piece.
    pub once: Vec<Term>,
    /// Of these the machine's for each piece, a person's for each piece, and all before the first.
    pub machine_min: f64,
    /// See `machine_min`.
    pub attended_min: f64,
    /// See `machine_min`.
    pub once_min: f64,
    /// A piece's share of everything at the quantity that is made.
    pub piece_min: f64,
    /// What has to be made for it.
    pub makes: Vec<String>,
    /// What its later sides' zeros and seats may be off by at most along any axis: worst case and likely, mm.
    pub error_mm: [f64; 2],
    /// What crosses a flip, the tightest first; only where it was planned.
    pub crossings: Vec<Crossing>,
    /// How many times over the weakest step is held; only where it was planned.
    pub holds: Option<f64>,
    /// Nothing found forbids cutting; only where it was planned.
    pub proved: Option<bool>,
    /// All of the part is made.
    pub complete: Option<bool>,
    /// What is to be watched, in one line.
    pub risk: String,
    /// Why it stands where it stands.
    pub why: String,
}

/// Whole ways side by side, the one to take first, those that cannot be last.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Comparison {
    /// So many pieces are made.
    pub quantity: u32,
    /// Those worth planning are planned and proved.
    pub done: bool,
    /// Ways.
    pub ways: Vec<WholeWay>,
    /// From how many pieces on another way than the first takes less time, in words.
    pub pays: Vec<String>,
    /// Ways that cannot be, with the reason; what is the same for several stands once.
    pub refused: Vec<(String, String)>,
}

/// The plan that stands, with its proof.
pub struct Standing<'a> {
    /// Plan.
    pub plan: &'a Plan,
    /// Proof.
    pub proof: &'a Proof,
}

/// Whole ways by estimate, only the one that stands planned.
pub fn estimated(part: &Part, shop: &Shop, settled: &Settled, here: &Standing) -> Result<Comparison, JobError> {
    let all = candidates(part, shop, settled)?;
    let base = Base::of(part, shop, settled, here)?;
    Ok(settle(all.iter().map(|c| base.row(c)).collect(), settled.quantity.unwrap_or(1), false))
}

/// Whole ways with the best of them planned and proved; `told` hears of each step, the estimates first.
pub fn compare_at(
    part: &Part,
    title: &str,
    shop: &Shop,
    settled: &Settled,
    here: &Standing,
    desk: &Desk,
    told: &mut dyn FnMut(&Comparison),
) -> Result<Comparison, JobError> {
    let quantity = settled.quantity.unwrap_or(1);
    let all = candidates(part, shop, settled)?;
    let base = Base::of(part, shop, settled, here)?;
    let estimates = settle(all.iter().map(|c| base.row(c)).collect(), quantity, false);
    told(&estimates);
    let mut rows = estimates.ways;
    for id in worth_planning(&rows) {
        // A text that somebody edited belongs to the way that it was posted for.
        let other = Settled { scheme: Some(id), edited: Default::default(), ..settled.clone() };
        let planned = plan_at(part, title, shop, &other, desk)?;
        if planned.plan.scheme.id != id {
            let why = planned.plan.findings.iter().find(|f| f.kind == "decision_lost").map(|f| f.what.clone());
            if let Some(row) = rows.iter_mut().find(|r| r.id == id.to_string()) {
                *row = WholeWay { why_not: why.unwrap_or_else(|| "it could not be planned".into()), ..empty(id) };
            }
            continue;
        }
        let proof = prove_plan_at(part, &planned.plan, shop, desk)?;
        let there = Standing { plan: &planned.plan, proof: &proof };
        if let Some(row) = rows.iter_mut().find(|r| r.id == id.to_string()) {
            *row = row_of(part, shop, &there, false);
        }
        let so_far = settle(rows, quantity, false);
        told(&so_far);
        rows = so_far.ways;
    }
    Ok(settle(rows, quantity, true))
}

fn candidates(part: &Part, shop: &Shop, settled: &Settled) -> Result<Vec<Candidate>, JobError> {
    let real = stocking::real_material(shop, settled)?;
    let sides = holding::sides(part, shop, real, &settled.wish());
    let (stock, ..) = stocking::block(part, &part::recognise(part).body, shop, settled, &sides)?;
    let material = stocking::material_of(shop, settled)?;
    Ok(holding::schemes(
        part,
        shop,
        material,
        &holding::Choice { stock, firm: settled.stock.is_some(), wish: settled.wish() },
    )?)
}

/// The best that are not planned yet: of each kind and school one before a second of the same.
fn worth_planning(rows: &[WholeWay]) -> Vec<SchemeId> {
    let open = || rows.iter().filter(|r| r.why_not.is_empty());
    let id = |r: &WholeWay| r.id.parse::<SchemeId>().ok();
    let mut sorts: Vec<(School, HoldKind)> =
        open().filter(|r| r.planned).filter_map(id).map(|i| (i.school, i.hold)).collect();
    let (mut first, mut second) = (Vec::new(), Vec::new());
    for i in open().filter(|r| !r.planned).filter_map(id) {
        if sorts.contains(&(i.school, i.hold)) {
            second.push(i);
        } else {
            sorts.push((i.school, i.hold));
            first.push(i);
        }
    }
    let left = PLANNED.saturating_sub(open().filter(|r| r.planned).count());
    first.into_iter().chain(second).take(left).collect()
}

/// What the estimates start from: the plan that stands.
struct Base<'a> {
    part: &'a Part,
    id: SchemeId,
    row: WholeWay,
    chips: f64,
    chips_mm3_min: f64,
    setups: usize,
}

impl WholeWay {
    fn school(&self) -> School {
        self.id.parse::<SchemeId>().map_or(School::Deck, |id| id.school)
    }
}

impl Comparison {
    /// The same for another number of pieces.
    pub fn of_pieces(self, quantity: u32) -> Comparison {
        settle(self.ways, quantity, self.done)
    }
    /// Ways that cannot be, in words with the reason: those that say the same in one line.
    fn refused(&self) -> Vec<(String, String)> {
        let mut out: Vec<(String, String, SchemeId)> = Vec::new();
        let shut = self.ways.iter().filter(|w| !w.why_not.is_empty());
        for (w, id) in shut.filter_map(|w| Some((w, w.id.parse::<SchemeId>().ok()?))) {
            let same = |o: &&mut (String, String, SchemeId)| {
                o.2.school == id.school && o.2.hold == id.hold && o.1 == w.why_not
            };
            match out.iter_mut().find(same) {
                Some(o) => o.0 = id.whichever_up(),
                None => out.push((w.words.clone(), w.why_not.clone(), id)),
            }
        }
        out.into_iter().map(|(words, why, _)| (words, why)).collect()
    }
    /// As a file says it: without drawings.
    pub fn plain(mut self) -> Comparison {
        self.ways.iter_mut().flat_map(|w| &mut w.setups).for_each(|s| s.drawn.clear());
        self
    }
}

impl Base<'_> {
    fn of<'a>(part: &'a Part, shop: &Shop, settled: &Settled, here: &Standing) -> Result<Base<'a>, JobError> {
        let material = stocking::material_of(shop, settled)?;
        let scheme = &here.plan.scheme;
        Ok(Base {
            part,
            id: scheme.id,
            row: row_of(part, shop, here, true),
            chips: scheme.volume_cut_from() - part.volume,
            chips_mm3_min: stocking::chips_mm3_min(shop, material),
            setups: scheme.setups.len(),
        })
    }
    fn row(&self, c: &Candidate) -> WholeWay {
        if c.id == self.id {
            return self.row.clone();
        }
        match &c.scheme {
            Err(why) => WholeWay { why_not: why.clone(), ..empty(c.id) },
            Ok(s) => {
                let chips = (s.volume_cut_from() - self.part.volume - self.chips) / self.chips_mm3_min;
                let calls = SETUP_MIN * (s.setups.len() as f64 - self.setups as f64);
                let machine = (self.row.machine_min + chips + calls).at_least(0.1);
                let each = vec![Term::new("", "machine, estimated from the way that is planned", machine, "min")];
                let made = s.setups.iter().filter_map(|s| Some((s, s.hold.makes()?)));
                let once = made.map(|(s, m)| {
                    let minutes = match m {
                        Making::Jaws(_) => JAWS_MIN,
                        Making::Plate(_) => PLATE_MIN,
                    };
                    let says = format!("what holds {} is cut, typically (common practice, no source)", s.name);
                    Term::new("", &says, minutes, "min")
                });
                described(self.part, s, each, once.collect())
            }
        }
    }
}

fn empty(id: SchemeId) -> WholeWay {
    WholeWay {
        id: id.to_string(),
        words: id.words(),
        hold: id.hold,
        chosen: false,
        why_not: String::new(),
        planned: false,
        setups: Vec::new(),
        block_mm: [0.0; 3],
        each: Vec::new(),
        once: Vec::new(),
        machine_min: 0.0,
        attended_min: 0.0,
        once_min: 0.0,
        piece_min: 0.0,
        makes: Vec::new(),
        error_mm: [0.0; 2],
        crossings: Vec::new(),
        holds: None,
        proved: None,
        complete: None,
        risk: String::new(),
        why: String::new(),
    }
}

/// What a scheme says of itself, beside the machine's minutes and those of what is made.
fn described(part: &Part, s: &Scheme, mut each: Vec<Term>, mut once: Vec<Term>) -> WholeWay {
    let machine_min = each.iter().map(|t| t.value).sum();
    for setup in &s.setups {
        each.push(Term::new("", &format!("{}: wiped, loaded, closed", setup.name), setup.hold.minutes(), "min"));
        once.extend(
            setup.hold.once().into_iter().map(|t| Term { meaning: format!("{}: {}", setup.name, t.meaning), ..t }),
        );
        if let Some(m) = setup.hold.makes() {
            let own = m.own_hold();
            once.extend(own.once().into_iter().map(|t| Term { meaning: format!("{}: {}", m.name(), t.meaning), ..t }));
            let by_hand = m.by_hand_min();
            if by_hand > 0.0 {
                let says = format!("{}: holes reamed and tapped (common practice, no source)", m.name());
                once.push(Term::new("", &says, by_hand, "min"));
            }
        }
    }
    let sum = |t: &[Term]| t.iter().map(|t| t.value).sum::<f64>();
    let errors = s.setups.iter().skip(1).flat_map(|s| &s.datum);
    let error_mm = errors.fold([0.0, 0.0], |[w, l], d| [d.worst_mm.at_least(w), d.likely_mm.at_least(l)]);
    let makes = s.setups.iter().filter_map(|s| Some(s.hold.makes()?.name().to_string())).collect();
    let risks = s.findings.iter().filter(|f| f.severity >= Severity::Warn).map(|f| f.what.clone());
    let small = s.findings.iter().filter(|f| f.severity == Severity::Note).map(|f| f.what.clone());
    WholeWay {
        setups: s.setups.iter().map(|x| drawn(part, x, &s.stock)).collect(),
        block_mm: s.stock.size().to_array(),
        machine_min,
        attended_min: sum(&each) - machine_min,
        once_min: sum(&once),
        each,
        once,
        makes,
        error_mm,
        risk: risks.chain(small).next().unwrap_or_default(),
        // What no setup cuts is left, planned or not.
        complete: (!s.not_planned.is_empty()).then_some(false),
        ..empty(s.id)
    }
}

/// A planned and proved way.
fn row_of(part: &Part, shop: &Shop, here: &Standing, chosen: bool) -> WholeWay {
    let (plan, proof) = (here.plan, here.proof);
    let made = plan.made.iter().filter_map(|m| {
        let (_, own) = proof.made.iter().find(|(name, _)| *name == m.name)?;
        Some(Term::new("", &format!("{}: the machine cuts it", m.name), own.minutes, "min"))
    });
    let each = vec![Term::new("", "machine, as proved", proof.minutes, "min")];
    let mut row = described(part, &plan.scheme, each, made.collect());
    let friction = shop.material(&plan.material).map_or(0.0, |m| m.friction);
    let weakest = plan.sides.iter().filter_map(|s| {
        let l = crate::told::hold_limits(&s.setup, &s.operations, friction).into_iter().next()?;
        Some((l.0.factor, format!("{} holds {:.1} times what '{}' asks", s.setup.name, l.0.factor, l.1.title)))
    });
    let weakest = weakest.min_by(|a, b| a.0.total_cmp(&b.0));
    row.holds = weakest.as_ref().map(|w| w.0);
    row.crossings.clone_from(&plan.crossings);
    row.proved = Some(proof.passed());
    row.complete = Some(proof.complete);
    let stop = proof.findings.iter().find(|f| f.severity == Severity::Stop);
    let risk = stop.or_else(|| plan.scheme.findings.iter().find(|f| f.severity == Severity::Warn));
    row.risk = match (risk, weakest) {
        (Some(f), _) => f.what.clone(),
        (None, Some((_, words))) => words,
        (None, None) => String::new(),
    };
    WholeWay { planned: true, chosen, ..row }
}

/// What a plan cannot do, gravest first: 0 is good. Of an estimate as much is expected as the plan that stands has come to, but for what its hold spoils.
fn class_beside(w: &WholeWay, chosen: usize) -> usize {
    match class(w) {
        0 if !w.planned && chosen < 4 => chosen,
        c => c,
    }
}

fn class(w: &WholeWay) -> usize {
    let worst = |v: Verdict| w.crossings.iter().any(|c| c.verdict == v);
    match (w.why_not.is_empty(), w.proved, w.complete) {
        (false, ..) => 5,
        (_, Some(false), _) => 4,
        (_, _, Some(false)) => 3,
        _ if worst(Verdict::Fails) => 2,
        _ if worst(Verdict::Likely) => 1,
        _ => 0,
    }
}

/// Ways of one class are alike but for their minutes; half from each side stands behind, for blocks that leave no hat, and a sheet behind that: a face stays as it comes; on the table
/// the vise goes off it
/// (the rule of the trade, no source).
fn group(w: &WholeWay, chosen: usize) -> (usize, usize) {
    let behind = match w.school() {
        School::Deck | School::Inside | School::Bar => 0,
        School::Half => 1,
        School::Sheet => 2,
        School::Table => 3,
    };
    (class_beside(w, chosen), behind)
}

/// The order by the rule of the trade, with the reasons: whatever is proved and whole, then what meets every size that crosses a flip, then the quickest;
/// where two take the same time, the one with less to make.
fn settle(mut ways: Vec<WholeWay>, quantity: u32, done: bool) -> Comparison {
    for w in &mut ways {
        w.piece_min = w.machine_min + w.attended_min + w.once_min / f64::from(quantity.max(1));
    }
    let chosen = ways.iter().find(|w| w.chosen).map_or(0, class);
    let group = |w: &WholeWay| group(w, chosen);
    let least = |w: &WholeWay| {
        ways.iter().filter(|o| group(o) == group(w)).map(|o| o.piece_min).fold(f64::INFINITY, Sure::at_most)
    };
    let mut keyed: Vec<_> = ways
        .iter()
        .map(|w| {
            let tied = w.piece_min <= least(w) * (1.0 + TIE);
            ((group(w), !tied, if tied { w.hold as usize } else { 0 }, tied && !w.chosen), w.clone())
        })
        .collect();
    keyed.sort_by(|(a, x), (b, y)| a.cmp(b).then(x.piece_min.total_cmp(&y.piece_min)));
    let mut ways: Vec<WholeWay> = keyed.into_iter().map(|(_, w)| w).collect();
    if let Some(first) = ways.first().cloned() {
        ways.iter_mut().for_each(|w| w.why = why(w, &first));
    }
    let pays = pays(&ways);
    let mut out = Comparison { quantity, done, ways, pays, refused: Vec::new() };
    out.refused = out.refused();
    out
}

/// Why a way stands where it stands.
fn why(w: &WholeWay, first: &WholeWay) -> String {
    let tight = |v: Verdict| w.crossings.iter().find(|c| c.verdict == v).map(|c| c.what.clone()).unwrap_or_default();
    let more = w.piece_min - first.piece_min;
    let against = match class(w) {
        5 => return w.why_not.clone(),
        4 => return "Its proof stops it".into(),
        3 => "It leaves something of the part".to_string(),
        2 => format!("What comes of its flip is too much for {}", tight(Verdict::Fails)),
        1 => format!("In the worst case its flip is too much for {}", tight(Verdict::Likely)),
        _ => String::new(),
    };
    let time = if more.abs() < 0.05 {
        "takes the same time".to_string()
    } else if more > 0.0 {
        format!("{more:.1} min more a piece")
    } else {
        format!("{:.1} min less a piece", -more)
    };
    if w.id == first.id {
        let meets = if w.crossings.is_empty() {
            "Nothing tight crosses its flip"
        } else {
            "Meets every size that crosses its flip"
        };
        let meets = if against.is_empty() { meets.into() } else { against };
        return format!("{meets}; the quickest of those that are as good");
    }
    if !against.is_empty() {
        return format!("{against}; {time}");
    }
    if w.school() != first.school() {
        match w.school() {
            School::Deck => {}
            School::Half => {
                return format!("A line may be seen where the halves meet: it is for blocks without a hat; {time}");
            }
            School::Sheet => return format!("The lower face stays as the stock comes: it is for thin plates; {time}"),
            School::Table => {
                return format!("The lower face stays as the stock comes, and the vise goes off the table; {time}");
            }
            School::Bar => return format!("From a bar: what lies across is cut before the collet is opened; {time}"),
            School::Inside => return format!("Three setups, and all of the outline in one go; {time}"),
        }
    }
    capital(&time)
}

fn capital(s: &str) -> String {
    let mut c = s.chars();
    c.next().map_or_else(String::new, |first| first.to_uppercase().chain(c).collect())
}

/// From how many pieces on another way takes less than the first.
fn pays(ways: &[WholeWay]) -> Vec<String> {
    let Some(first) = ways.first().filter(|w| w.why_not.is_empty()) else { return Vec::new() };
    let each = |w: &WholeWay| w.machine_min + w.attended_min;
    let better = ways.iter().filter(|w| w.id != first.id && class(w) <= class(first));
    better
        .filter(|w| each(w) < each(first) - 0.01 && w.once_min > first.once_min)
        .map(|w| {
            let from = ((w.once_min - first.once_min) / (each(first) - each(w))).floor() + 1.0;
            format!("From {from:.0} pieces on this takes less: {}", w.words)
        })
        .collect()
}

/// A setup as it looks from its right end: bodies, part, and what of the block stands over it.
fn drawn(part: &Part, s: &Setup, stock: &Box3) -> WaySetup {
    let work = s.part_from_work.inverse();
    let (body, raw) = (work.bounds(&part.bounds), work.bounds(stock));
    let middle = body.middle().x;
    let mut out: Vec<Drawn> = Vec::new();
    let rect = |name: &str, y0: f64, z0: f64, y1: f64, z1: f64| Drawn { name: name.into(), at: [y0, z0, y1, z1] };
    match s.duty {
        holding::Duty::AllButHat
        | holding::Duty::Half { turned: false, .. }
        | holding::Duty::Inside { turned: false }
        | holding::Duty::InsideThenOutline => {
            out.push(rect("stock", raw.min.y, raw.min.z, raw.max.y, raw.max.z));
        }
        holding::Duty::All | holding::Duty::Half { turned: true, .. } if raw.max.z > body.max.z + 0.01 => {
            out.push(rect("stock", raw.min.y, body.max.z, raw.max.y, raw.max.z));
        }
        holding::Duty::Inside { turned: true } => {
            out.push(rect("stock", raw.min.y, body.min.z, raw.max.y, raw.max.z));
        }
        holding::Duty::Outline => out.push(rect("stock", raw.min.y, body.min.z, raw.max.y, body.max.z)),
        _ => {}
    }
    // The part in bands, cut in the middle of its length.
    let pitch = (body.size().z / 40.0).at_least(0.05);
    let mesh = part.mesh.placed(&work);
    let thin = Box3 {
        min: geom::DVec3::new(middle, body.min.y, body.min.z),
        max: geom::DVec3::new(middle + 1e-3, body.max.y, body.max.z),
    };
    let grid = RayGrid::covering(1, &thin, pitch);
    for (k, ray) in mesh.crossings(&grid).iter().enumerate() {
        let z = grid.point(k, 0.0).z;
        for w in ray.windows(2).filter(|w| w[0].enters && !w[1].enters) {
            out.push(rect("part", w[0].t, z - pitch / 2.0, w[1].t, z + pitch / 2.0));
        }
    }
    for b in s.hold.bodies() {
        if b.layers.is_empty() {
            out.push(rect(&b.name, b.min.y, b.min.z, b.max.y, b.max.z));
        }
        for (low, high, loops) in &b.layers {
            for [from, to] in spans(loops, middle) {
                out.push(match b.lies {
                    // A prism along y: its outline is in x and z.
                    Some(_) => rect(&b.name, -high, from, -low, to),
                    None => rect(&b.name, from, *low, to, *high),
                });
            }
        }
    }
    WaySetup {
        name: s.name.clone(),
        up: part::direction_words(s.up()),
        hold: s.hold.kind().map_or("", HoldKind::words).into(),
        drawn: out,
    }
}

/// Where a line x = const lies inside closed outlines.
fn spans(loops: &[Vec<DVec2>], x: f64) -> Vec<[f64; 2]> {
    let mut ys: Vec<f64> = loops
        .iter()
        .flat_map(|l| (0..l.len()).map(move |k| (l[k], l[(k + 1) % l.len()])))
        .filter(|(a, b)| (a.x <= x) != (b.x <= x))
        .map(|(a, b)| a.y + (b.y - a.y) * (x - a.x) / (b.x - a.x))
        .collect();
    ys.sort_by(f64::total_cmp);
    ys.chunks_exact(2).map(|c| [c[0], c[1]]).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn way(id: &str, minutes: f64, once: f64) -> WholeWay {
        let machine = Term::new("", "machine", minutes, "min");
        WholeWay {
            planned: true,
            proved: Some(true),
            complete: Some(true),
            machine_min: minutes,
            once_min: once,
            each: vec![machine],
            ..empty(id.parse().unwrap())
        }
    }

    fn order(c: &Comparison) -> Vec<&str> {
        c.ways.iter().map(|w| w.id.as_str()).collect()
    }

    fn crosses(verdict: Verdict) -> Vec<Crossing> {
        vec![Crossing {
            what: "16 mm along Z".into(),
            mark: None,
            setups: ["side 1".into(), "side 2".into()],
            allowed_mm: 0.05,
            worst_mm: 0.06,
            likely_mm: 0.03,
            verdict,
            terms: Vec::new(),
            source: Default::default(),
            places: Vec::new(),
        }]
    }

    /// Proved before quick, whole before quick, what meets its sizes before what only likely does, then the minutes, and of equal ones the simpler.
    #[test]
    fn the_rule_of_the_trade() {
        let (vise, soft, half) = ("deck.vise.+z.x", "deck.soft-jaws.+z.x", "half.vise.+z.x");
        // Within 3 % the simpler one stands first, whatever the seconds say; beyond it the quicker.
        assert_eq!(order(&settle(vec![way(soft, 10.0, 0.0), way(vise, 10.2, 0.0)], 1, true)), [vise, soft]);
        assert_eq!(order(&settle(vec![way(soft, 10.0, 0.0), way(vise, 11.0, 0.0)], 1, true)), [soft, vise]);
        // Fifty pieces share what is made once.
        let batch = [way(soft, 8.0, 30.0), way(vise, 10.0, 0.0)];
        assert_eq!(order(&settle(batch.to_vec(), 1, true)), [vise, soft]);
        assert_eq!(order(&settle(batch.to_vec(), 50, true)), [soft, vise]);
        // (30 − 0) ÷ (10 − 8) = 15: from the sixteenth on.
        let told = settle(batch.to_vec(), 1, true).pays;
        assert!(told.len() == 1 && told[0].starts_with("From 16 pieces"), "{told:?}");
        let quick = |f: &dyn Fn(WholeWay) -> WholeWay| {
            order(&settle(vec![f(way(vise, 5.0, 0.0)), way(soft, 10.0, 0.0)], 1, true))[0].to_string()
        };
        assert_eq!(quick(&|w| w), vise);
        assert_eq!(quick(&|w| WholeWay { proved: Some(false), ..w }), soft);
        assert_eq!(quick(&|w| WholeWay { complete: Some(false), ..w }), soft);
        assert_eq!(quick(&|w| WholeWay { crossings: crosses(Verdict::Likely), ..w }), soft);
        assert_eq!(quick(&|w| WholeWay { crossings: crosses(Verdict::Fails), ..w }), soft);
        assert_eq!(quick(&|w| WholeWay { crossings: crosses(Verdict::Meets), ..w }), vise);
        assert_eq!(quick(&|w| WholeWay { why_not: "no".into(), ..w }), soft);
        // Half from each side is for blocks without a hat, however quick.
        assert_eq!(order(&settle(vec![way(half, 5.0, 0.0), way(vise, 10.0, 0.0)], 1, true)), [vise, half]);
        // An estimate is expected to leave what the plan that stands leaves.
        let leaves = WholeWay { complete: Some(false), chosen: true, ..way(vise, 10.0, 0.0) };
        let guess = WholeWay { planned: false, proved: None, complete: None, ..way(soft, 30.0, 0.0) };
        assert_eq!(order(&settle(vec![guess, leaves], 1, false)), [vise, soft]);
    }

    #[test]
    fn reasons_say_what_is_against_a_way() {
        let (vise, soft) = ("deck.vise.+z.x", "deck.soft-jaws.+z.x");
        let tight = WholeWay { crossings: crosses(Verdict::Fails), ..way(vise, 5.0, 0.0) };
        let c = settle(vec![tight, way(soft, 10.0, 0.0)], 1, true);
        assert!(c.ways[1].why.contains("16 mm along Z") && c.ways[1].why.contains("5.0 min less"), "{}", c.ways[1].why);
        assert!(c.ways[0].why.contains("quickest"));
    }
}
