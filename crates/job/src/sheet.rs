//! The traveller card as data: everything that a screen shows of a planned and proved part, computed here and drawn there.

mod binary;
mod grounds;
mod no_return;
mod part_sheet;
mod picture;
mod rows;
mod strip;

pub use binary::{history_bytes, mesh_bytes};
pub use grounds::Grounds;
pub use no_return::{NoReturn, mark as mark_no_return};
pub use part_sheet::{AskSheet, OriginSheet, PartSheet, RevisedSheet, SolidSheet, part_sheet, part_sheet_revised};
pub use picture::{FACETS_PX, picture};
pub use rows::{Band, FeatureRow, Paint, PaintBy, Sort, Tone};
pub use strip::{Strip, StripOp, StripSetup, strip};

use crate::budget::Crossing;
use crate::chain::DEFAULT_MATERIAL;
use crate::decision::Settled;
use crate::plan::{Plan, SidePlan};
use crate::stocking::{Laid, StockDecision};
use cutting::Window;
use holding::{Datum, Fact, HoldKind, Layer, Offer, Order};
use part::Part;
use proof::Proof;
use reason::{Finding, Place, Sources, Term};
use route::{Finished, Need, OpKind, Operation, Override};
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::tool::Tool;
use ts_rs::TS;

/// Everything.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Sheet {
    /// The part.
    pub part: PartSheet,
    /// What it is cut from.
    pub stock: StockSheet,
    /// How it is held, why so.
    pub hold: HoldSheet,
    /// What its programs are written for.
    #[serde(default)]
    pub control: ControlSheet,
    /// Sides in order.
    pub sides: Vec<SideSheet>,
    /// Pieces that are made to hold it.
    #[serde(default)]
    pub made: Vec<MadeSheet>,
    /// The proof.
    pub proof: ProofSheet,
}

/// The control that the programs are written for.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct ControlSheet {
    /// Short name.
    pub id: String,
    /// In words.
    pub name: String,
    /// What is particular about its programs.
    pub about: String,
    /// Lengths in its text are inch.
    pub inch: bool,
    /// Its numbers have no point: digits of lengths and of feeds.
    pub increments: Option<[u32; 2]>,
    /// P of a dwell is in milliseconds.
    pub milliseconds: bool,
    /// Ending of a program's file.
    pub extension: String,
    /// Somebody chose it; else it is the mill's own.
    pub chosen: bool,
    /// All that may be chosen: short name and words.
    pub all: Vec<(String, String)>,
}

impl ControlSheet {
    fn of(plan: &Plan, shop: &Shop, settled: &Settled) -> ControlSheet {
        let Some(d) = plan.sides.first().map(|s| &s.control.dialect) else { return ControlSheet::default() };
        ControlSheet {
            id: d.id.clone(),
            name: d.name.clone(),
            about: program::particulars(d),
            inch: d.inch,
            increments: (d.point == shop::dialect::Point::None).then_some([d.decimals, d.feed_decimals]),
            milliseconds: d.dwell == shop::dialect::Dwell::PMilliseconds,
            extension: d.extension.clone(),
            chosen: settled.control.as_ref() == Some(&d.id),
            all: shop.dialects.iter().map(|d| (d.id.clone(), d.name.clone())).collect(),
        }
    }
}

/// A piece that is made to hold the part: a job of its own in one setup.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct MadeSheet {
    /// "jaws-side-2".
    pub name: String,
    /// "Soft jaws for side 2 of dome-cap".
    pub title: String,
    /// The setup that it holds.
    pub setup: String,
    /// What it is made of, in words.
    pub material: String,
    /// The blank, mm.
    pub size: [f64; 3],
    /// How it is cut.
    pub side: SideSheet,
    /// Nothing found that forbids cutting it.
    pub passed: bool,
    /// "proved".
    pub verdict: String,
    /// What its proof found, the gravest first.
    pub findings: Vec<Finding>,
    /// How the part lies in it, both as cut.
    pub fit: Option<proof::NestFit>,
}

/// The block.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct StockSheet {
    /// Material id.
    pub material: String,
    /// Material in words.
    pub material_name: String,
    /// A person chose the material.
    pub material_decided: bool,
    /// Where the material's numbers come from.
    pub material_source: Sources,
    /// Along the part's x, y, z, mm.
    pub size: [f64; 3],
    /// It is a bar, in words.
    #[serde(default)]
    pub bar: Option<String>,
    /// Corners of the bar's section at its low end, part coordinates, mm; its length runs to the high end of `place`.
    #[serde(default)]
    pub ring: Option<Vec<[f64; 3]>>,
    /// Part coordinates.
    pub place: Place,
    /// A person typed the sizes, or wants the block by the rule.
    pub size_decided: bool,
    /// The piece that it comes from.
    pub laid: Option<Laid>,
    /// A person chose that piece.
    pub laid_decided: bool,
    /// Material id of the rehearsal that this plan is.
    pub rehearsal: Option<String>,
    /// Material over the part on the low and the high end of x, y, z, mm.
    pub over: [[f64; 2]; 3],
    /// Height of the hat, mm.
    pub hat: f64,
    /// Block, kg.
    pub mass: f64,
    /// Why.
    pub mass_why: Grounds,
    /// Share of the block that becomes chips.
    pub waste: f64,
    /// Why these sizes.
    pub terms: Vec<Term>,
    /// Doubts of the block.
    pub findings: Vec<Finding>,
}

/// Sides.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct HoldSheet {
    /// Up in side 1: "+Z".
    pub up: String,
    /// What is up in one of the setups: what can be cut from there is cut.
    pub cut_from: Vec<String>,
    /// The same as a decision would say it.
    pub order: Order,
    /// A person chose it.
    pub decided: bool,
    /// Ways compared, the best first.
    pub compared: Vec<String>,
    /// Ways of holding that were looked at for the sides after the first.
    #[serde(default)]
    pub offers: Vec<Offer>,
    /// What crosses a flip, with how far it may be off and what is allowed: marks first, the tightest first.
    #[serde(default)]
    pub crossings: Vec<Crossing>,
    /// The ways that a person wants; none: the proposal.
    #[serde(default)]
    pub kinds: Option<Vec<HoldKind>>,
    /// Name of the whole way.
    #[serde(default)]
    pub scheme: String,
    /// A person chose it.
    #[serde(default)]
    pub scheme_decided: bool,
}

/// A limit of a grip against the operation that asks most of it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct HoldLimit {
    /// "together" (the solver of all holds, at the worst place and direction); by simple sums "slip", "tilt", "twist".
    pub name: String,
    /// Held, in `unit`.
    pub held: f64,
    /// Asked at the highest.
    pub asked: f64,
    /// "N" or "N m".
    pub unit: String,
    /// Held ÷ asked; 2 is wanted.
    pub factor: f64,
    /// The operation that asks most.
    pub by: String,
    /// Where and in which direction, in words; empty where it does not matter.
    pub place: String,
    /// Why.
    pub why: Grounds,
}

/// A side.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct SideSheet {
    /// "side 1".
    pub name: String,
    /// Row by row, work → part coordinates.
    pub part_from_work: Vec<f64>,
    /// Work zero in machine coordinates, mm.
    pub zero_in_machine: [f64; 3],
    /// Id of the station that it is cut on.
    pub station: String,
    /// What is held: "raw stock".
    pub held_on: String,
    /// The way of holding; none for a piece that is made to hold.
    #[serde(default)]
    pub held_by: Option<HoldKind>,
    /// How it is held.
    pub hold: Vec<Fact>,
    /// To load and hold it, min.
    pub load_minutes: f64,
    /// What the hold holds, the nearest limit first.
    pub limits: Vec<HoldLimit>,
    /// What the zero is touched on.
    pub datum: Vec<Datum>,
    /// What a person at the machine is told.
    #[serde(default)]
    pub words: crate::files::SetupWords,
    /// Two bores whose line sets its turn: their middles, work coordinates, mm.
    #[serde(default)]
    pub baseline: Option<[[f64; 2]; 2]>,
    /// What is measured before it is unclamped.
    #[serde(default)]
    pub sizes: Vec<crate::sizes::Size>,
    /// Boxes to keep out of, work coordinates.
    pub keep_out: Vec<KeepOutSheet>,
    /// Cutters it uses.
    pub tools: Vec<Tool>,
    /// Operations in order.
    pub operations: Vec<OpSheet>,
    /// Threads and fits, and how each is made.
    #[serde(default)]
    pub finished: Vec<Finished>,
    /// The posted text, or what somebody made of it.
    pub program: String,
    /// What somebody edited of it.
    pub edited: Option<crate::plan::Edit>,
    /// Minutes.
    pub minutes: f64,
}

/// A named box, work coordinates.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct KeepOutSheet {
    /// "fixed jaw".
    pub name: String,
    /// Its corners.
    pub place: Place,
    /// Between the part and whoever stands before the machine.
    pub in_front: bool,
    /// Sections from below up, where it is no box.
    #[serde(default)]
    #[ts(type = "[number, number, [number, number][][]][]")]
    pub layers: Vec<Layer>,
    /// The sections stand in a frame of their own: from there to work coordinates, row by row.
    #[serde(default)]
    pub lies: Option<[f64; 16]>,
    /// Stops of the program between which it stands there: none where it stands all the time.
    #[serde(default)]
    pub stops: Option<[u32; 2]>,
}

/// An operation as a screen shows it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct OpSheet {
    /// The operation with its reasons.
    pub op: Operation,
    /// Sort in a word.
    pub word: String,
    /// Minutes, tool change included.
    pub minutes: f64,
    /// First and last line of its text.
    pub lines: [u32; 2],
    /// What it needs before it.
    pub needs: Vec<Need>,
    /// What a person changed.
    pub settled: Option<Override>,
    /// It goes before this operation because a person said so.
    pub before: Option<String>,
    /// Limits around its numbers (side cuts).
    pub window: Option<Window>,
    /// Cutters of the crib of its sort, by number.
    pub cutters: Vec<u32>,
    /// It goes into material this deep beside a wall of this height: [below the block's top, mm].
    pub depth: f64,
    /// Why power, force and bending, or thrust and torque.
    pub load_why: Grounds,
    /// Why the radial width.
    pub width_why: Grounds,
}

/// Where the minutes go.
#[derive(Debug, Clone, Copy, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct Ledger {
    /// With material.
    pub cutting: f64,
    /// At feed without material, and rapids.
    pub air: f64,
    /// Tool changes.
    pub changes: f64,
}

/// What was proved.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct ProofSheet {
    /// Nothing found that forbids cutting.
    pub passed: bool,
    /// Nothing is left uncut.
    pub complete: bool,
    /// "proved, 2 features left".
    pub verdict: String,
    /// Features left uncut by name.
    pub left: usize,
    /// min.
    pub minutes: f64,
    /// Why.
    pub minutes_why: Grounds,
    /// Where they go.
    pub ledger: Ledger,
    /// Deepest gouge, mm.
    pub gouge: f64,
    /// Most left outside named places, mm.
    pub leftover: f64,
    /// Error bound of both, mm.
    pub error: f64,
    /// Why.
    pub error_why: Grounds,
    /// Distances between rays, mm.
    pub pitch: [f64; 3],
    /// All findings, the gravest first.
    pub findings: Vec<Finding>,
}

/// The proof's word, for screens and the command line alike, and how many features are left.
pub fn verdict(proof: &Proof) -> (String, usize) {
    let left = proof.findings.iter().filter(|f| f.leaves_material() && !f.places.is_empty()).count();
    let words = if !proof.passed() {
        "not proved".to_string()
    } else if proof.complete {
        "proved".to_string()
    } else {
        match left {
            0 => "proved, not complete".to_string(),
            1 => "proved, 1 feature left".to_string(),
            n => format!("proved, {n} features left"),
        }
    };
    (words, left)
}

/// Why a block or a bar is so large.
fn stock_terms(scheme: &holding::Scheme) -> Vec<Term> {
    let top = Term::new("top", "over the part at least (common practice, no source)", 1.0, "mm");
    if scheme.bar.is_some() {
        let held = scheme.setups.first().map_or(0.0, |s| s.hold.stands_above().1);
        return vec![
            Term::new("between", "from the nose of the collet to the part: the saw goes there", scheme.hat, "mm"),
            Term::new("grip", "in the collet", held, "mm"),
            top,
        ];
    }
    vec![
        Term::new("hat", "below the part: grip, 2 mm over the jaws, the cut below the part", scheme.hat, "mm"),
        top,
        Term::new("side", "at each side at least, rounded up to whole mm", 1.5, "mm"),
    ]
}

/// Make the sheet.
pub fn sheet(part: &Part, plan: &Plan, proof: &Proof, shop: &Shop, settled: &Settled) -> Sheet {
    let material = shop.material(&plan.material).ok();
    let density = material.map_or(0.0, |m| m.density_g_cm3) / 1e6;
    let strip = strip(plan, proof, shop);
    let s = &plan.scheme.stock;
    let size = s.size();
    let block = plan.scheme.volume_of_stock();
    let over = [0, 1, 2].map(|k| [part.bounds.min[k] - s.min[k], s.max[k] - part.bounds.max[k]]);
    let up = plan.scheme.up;
    let axis = (0..3).find(|&k| up[k].abs() > 0.5).unwrap_or(2);
    let (words, left) = verdict(proof);
    let mut ledger = Ledger::default();
    for s in &strip.setups {
        ledger.cutting += s.ledger.cutting;
        ledger.air += s.ledger.air;
        ledger.changes += s.ledger.changes;
    }
    Sheet {
        control: ControlSheet::of(plan, shop, settled),
        part: part_sheet(part, shop, settled),
        stock: StockSheet {
            material: plan.material.clone(),
            material_name: material.map_or_else(String::new, |m| m.name.clone()),
            material_decided: settled.material.as_deref().is_some_and(|m| m != DEFAULT_MATERIAL)
                || settled.material.is_some(),
            material_source: material.map_or_else(Sources::none, |m| m.source.clone()),
            size: size.to_array(),
            bar: plan.scheme.bar.as_ref().map(|_| plan.scheme.stock_words()),
            ring: plan.scheme.bar.as_ref().map(|bar| {
                let corners = bar.section().loops().into_iter().next().unwrap_or_default();
                corners.into_iter().map(|c| bar.frame().point(c.extend(s.min[bar.axis])).to_array()).collect()
            }),
            place: Place::new(s.min, s.max),
            size_decided: matches!(settled.stock, Some(StockDecision::Sizes(_) | StockDecision::Rule)),
            laid: plan.prepared.as_ref().map(|p| p.laid.clone()),
            laid_decided: matches!(settled.stock, Some(StockDecision::Piece(_))),
            rehearsal: settled.rehearsal.as_ref().map(|r| r.material.clone()),
            over,
            hat: plan.scheme.hat,
            mass: block * density,
            mass_why: grounds::weight(
                block,
                if plan.scheme.bar.is_some() { "section of the bar × its length" } else { "the block is a cuboid" },
                material,
            ),
            waste: 1.0 - part.volume / block,
            terms: stock_terms(&plan.scheme),
            findings: plan.scheme.findings.clone(),
        },
        hold: HoldSheet {
            up: part::direction_name(up).into(),
            cut_from: plan.scheme.setups.iter().map(|s| part::direction_words(s.up())).collect(),
            order: Order::Up { axis, positive: up[axis] > 0.0 },
            decided: matches!(settled.order, Some(Order::Up { .. })),
            compared: plan.scheme.compared.clone(),
            offers: plan.scheme.offers.clone(),
            crossings: plan.crossings.clone(),
            kinds: settled.hold.clone(),
            scheme: plan.scheme.id.to_string(),
            scheme_decided: settled.scheme == Some(plan.scheme.id),
        },
        made: made_sheets(plan, proof, shop),
        sides: plan
            .sides
            .iter()
            .zip(&strip.setups)
            .zip(&proof.setup_minutes)
            .enumerate()
            .map(|(k, ((side, strip), minutes))| SideSheet {
                sizes: plan.sizes.get(k).cloned().unwrap_or_default(),
                ..side_sheet(side, strip, *minutes, plan, shop, settled)
            })
            .collect(),
        proof: ProofSheet {
            passed: proof.passed(),
            complete: proof.complete,
            verdict: words,
            left,
            minutes: proof.minutes,
            minutes_why: grounds::minutes(&shop.machine),
            ledger,
            gouge: proof.gouge_mm,
            leftover: proof.leftover_mm,
            error: proof.error_mm,
            error_why: grounds::error(part, proof.error_mm),
            pitch: proof.pitch_mm,
            findings: proof.findings.clone(),
        },
    }
}

fn made_sheets(plan: &Plan, proof: &Proof, shop: &Shop) -> Vec<MadeSheet> {
    let nothing = Settled::default();
    plan.made
        .iter()
        .filter_map(|m| {
            let (_, own) = proof.made.iter().find(|(name, _)| *name == m.name)?;
            let strip = strip(&m.plan, own, shop);
            let minutes = own.setup_minutes.first().copied().unwrap_or(0.0);
            let (side, strip) = (m.plan.sides.first()?, strip.setups.first()?);
            Some(MadeSheet {
                name: m.name.clone(),
                title: m.title.clone(),
                setup: m.setup.clone(),
                material: shop.material(&m.plan.material).map_or_else(|_| String::new(), |m| m.name.clone()),
                size: m.plan.scheme.stock.size().to_array(),
                side: side_sheet(side, strip, minutes, &m.plan, shop, &nothing),
                passed: own.passed(),
                verdict: verdict(own).0,
                findings: own.findings.clone(),
                fit: proof.fits.iter().find(|f| f.name == m.name).cloned(),
            })
        })
        .collect()
}

fn side_sheet(
    side: &SidePlan,
    strip: &StripSetup,
    minutes: f64,
    plan: &Plan,
    shop: &Shop,
    settled: &Settled,
) -> SideSheet {
    let needs = route::needs(&side.operations);
    let material = shop.material(&plan.material).ok();
    let block = side.setup.part_from_work.inverse().bounds(&plan.scheme.stock);
    let operations = side
        .operations
        .iter()
        .map(|o| {
            let timed = strip.ops.iter().find(|s| s.id == o.id);
            let tool = shop.crib.iter().find(|t| t.number == o.tool);
            OpSheet {
                op: Operation { path: None, ..o.clone() },
                word: o.kind.word().into(),
                minutes: timed.map_or(0.0, |s| (s.end - s.start) / 60.0),
                lines: timed.map_or([1, 1], |s| s.lines),
                needs: needs.get(&o.id).cloned().unwrap_or_default(),
                settled: settled.operations.get(&o.id).copied(),
                before: settled.sequence.iter().find(|m| m.id == o.id).map(|m| m.before.clone()),
                window: tool.and_then(|t| window_of(o, t, plan, shop)),
                cutters: tool.map_or_else(Vec::new, |t| cutters_like(t, o.kind, shop)),
                depth: block.max.z - o.bottom,
                load_why: match (&o.mill, &o.drill, tool) {
                    (Some(m), ..) => grounds::load(m),
                    // Of a tap and of a reamer their own numbers say it.
                    (None, Some(d), _) if matches!(o.kind, OpKind::Tap | OpKind::Ream) => {
                        Grounds { terms: d.feed_rev.terms.clone(), source: d.feed_rev.source.clone() }
                    }
                    (None, Some(d), Some(t)) => grounds::drilling(d, t, material),
                    _ => Grounds::default(),
                },
                width_why: match (&o.mill, tool) {
                    (Some(m), Some(t)) => grounds::width(m, t),
                    _ => Grounds::default(),
                },
            }
        })
        .collect();
    SideSheet {
        name: side.setup.name.clone(),
        part_from_work: side.setup.part_from_work.to_rows().to_vec(),
        zero_in_machine: side.setup.zero_in_machine.to_array(),
        station: side.setup.station.clone(),
        held_on: side.setup.hold.on().into(),
        held_by: side.setup.hold.kind(),
        hold: side.setup.hold.facts(),
        load_minutes: side.setup.hold.minutes(),
        limits: crate::told::hold_limits(&side.setup, &side.operations, material.map_or(0.0, |m| m.friction))
            .into_iter()
            .map(|(l, o)| HoldLimit {
                name: l.limit.into(),
                held: l.held,
                asked: l.asked,
                unit: l.unit.into(),
                factor: l.factor,
                by: o.title.clone(),
                place: l.place.trim_start_matches(", ").into(),
                why: grounds::limit(&side.setup.hold, material, &crate::told::demand(o)),
            })
            .collect(),
        datum: side.setup.datum.to_vec(),
        words: crate::files::words_of(side),
        baseline: side.setup.hold.baseline().map(|b| b.map(|p| p.to_array())),
        sizes: Vec::new(),
        keep_out: side
            .setup
            .hold
            .bodies()
            .iter()
            .map(|b| KeepOutSheet {
                name: b.name.clone(),
                place: Place::new(b.min, b.max),
                in_front: b.in_front,
                layers: b.layers.clone(),
                lies: b.lies.map(|l| l.to_rows()),
                stops: (b.stops != [0, holding::FOR_EVER]).then_some(b.stops),
            })
            .collect(),
        tools: side.tools.clone(),
        operations,
        finished: side.finished.clone(),
        program: side.program.clone(),
        edited: side.edited.clone(),
        minutes,
    }
}

/// Cutters that a person may put in the place of this one.
fn cutters_like(tool: &Tool, kind: OpKind, shop: &Shop) -> Vec<u32> {
    let one_of = [OpKind::Face, OpKind::Open, OpKind::Rough, OpKind::Floor, OpKind::Wall, OpKind::Undercut];
    if !one_of.contains(&kind) {
        return vec![tool.number];
    }
    shop.crib.iter().filter(|t| t.kind == tool.kind).map(|t| t.number).collect()
}

fn window_of(o: &Operation, tool: &Tool, plan: &Plan, shop: &Shop) -> Option<Window> {
    if !matches!(o.kind, OpKind::Face | OpKind::Open | OpKind::Rough | OpKind::Floor | OpKind::Wall) {
        return None;
    }
    let data = o.mill.as_ref()?;
    let material = shop.material(&plan.material).ok()?;
    Some(cutting::window(tool, material, &shop.machine, data.rpm.value, data.ap.value, data.bend))
}
