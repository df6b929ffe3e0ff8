//! The choice: axis, order of sides, grip, stock.

use crate::further::{Only, further};
use crate::grip::{Contact, JawRays, hidden_volume, lowest_cut_near_jaws, slanted_area};
use crate::vise::{Bearing, bearing, clamp_terms, clamping, keep_out};
use geom::{Box3, DMat3, DVec3, Placement};
use part::{Part, View};
use rayon::prelude::*;
use reason::{Finding, Severity, Term};
use serde::{Deserialize, Serialize};
use shop::machine::{Machine, Material, Vise};
use ts_rs::TS;

/// Material over the top, mm (common practice ≥ 0.5 to clean, no source).
const TOP: f64 = 1.0;
/// Material at the sides at least, mm (common practice ≥ 1, no source); the block is rounded up to whole mm.
const SIDE: f64 = 1.5;
/// The hat stands above the jaws by this, mm: room for the cut below the part's bottom.
const ABOVE_JAW: f64 = 2.0;
/// Least grip for light work, mm (common practice, no source).
const LEAST_GRIP: f64 = 3.0;
/// Height above the jaws ÷ grip at most (common practice, no source).
const TALL: f64 = 4.0;
/// What is left on a slanted face counts as if it were this thick, mm.
const ROUGH_DEPTH: f64 = 0.5;
/// Walls deeper than this want half from each side, mm (the crib's longest flutes).
const DEEP: f64 = 54.0;

/// The size of the block.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub enum StockChoice {
    /// By the rule of hat and deck.
    Rule,
    /// Typed sizes along the part's x, y, z, mm.
    Sizes([f64; 3]),
    /// What is over the part on the low and the high end of its x, y, z, mm: a blank in which the part lies as somebody laid it.
    Over([[f64; 2]; 3]),
}

/// Which way is up first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
pub enum Order {
    /// The best one.
    Best,
    /// This axis of the part (0 x, 1 y, 2 z), its positive end up first or not.
    Up { axis: usize, positive: bool },
}

/// What a person decided.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Choice {
    /// Block.
    pub stock: StockChoice,
    /// Sides.
    pub order: Order,
}

impl HoldPlan {
    /// Does the block fit the machine's travel at all? If not, no path is worth making.
    pub fn fits(&self) -> bool {
        self.findings.iter().all(|f| f.kind != "too_long")
    }
}

impl Default for Choice {
    fn default() -> Self {
        Choice { stock: StockChoice::Rule, order: Order::Best }
    }
}

/// A grip in the vise.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Grip {
    /// "raw stock" or "finished walls".
    pub on: String,
    /// Height of jaw that holds, mm.
    pub height: f64,
    /// Jaw opening, mm.
    pub opening: f64,
    /// Length along the jaws that bears, mm.
    pub length: f64,
    /// Parallels under it, mm.
    pub parallels: f64,
    /// What stands above the jaws, mm.
    pub above: f64,
    /// How hard the vise is closed, kN.
    #[serde(default)]
    pub clamp_kn: f64,
    /// What the vise would give, kN.
    #[serde(default)]
    pub clamp_full_kn: f64,
    /// Where the parallels bear; none where nothing lies on them.
    #[serde(default)]
    pub bearing: Option<Bearing>,
    /// Terms of the check.
    pub terms: Vec<Term>,
}

/// One axis of a zero.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct ZeroAxis {
    /// "X".
    pub axis: String,
    /// What it touches, and how.
    pub touches: String,
}

/// What a setup cuts.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub enum Duty {
    /// All that is seen from above, and the outline to below the part's bottom; the rest stays as a hat to hold it.
    AllButHat,
    /// All that is seen from above and still stands, the hat first.
    All,
    /// Only what no other setup sees.
    Only(Only),
}

/// A setup that would be needed and cannot be held.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct NotPlanned {
    /// "side 3".
    pub name: String,
    /// Why.
    pub why: String,
    /// Up in it, part coordinates.
    #[ts(type = "[number, number, number]")]
    pub up: DVec3,
}

/// A setup.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct SetupHold {
    /// "side 1".
    pub name: String,
    /// What it cuts.
    pub duty: Duty,
    /// From work to part coordinates.
    pub part_from_work: Placement,
    /// Work zero in machine coordinates.
    pub zero_in_machine: DVec3,
    /// How it is gripped.
    pub grip: Grip,
    /// What the zero touches.
    pub zero: Vec<ZeroAxis>,
    /// Boxes to keep out of, work coordinates: name, least, largest corner.
    pub keep_out: Vec<(String, DVec3, DVec3)>,
}

/// The choice made.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct HoldPlan {
    /// Block in part coordinates.
    pub stock: Box3,
    /// Setups in order.
    pub setups: Vec<SetupHold>,
    /// What cannot be held, so that no program is made for it.
    pub not_planned: Vec<NotPlanned>,
    /// Up in the first, part coordinates.
    pub up: DVec3,
    /// Height of the hat in the first setup, mm.
    pub hat: f64,
    /// Why this order: one line for every way that was compared, the best first.
    pub compared: Vec<String>,
    /// Doubts.
    pub findings: Vec<Finding>,
}

/// No plan of holding can be made.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum HoldError {
    /// The typed block is too small.
    #[error("the stock is {have:.2} mm along {axis} and the part {need:.2} mm; give a larger block")]
    TooSmall {
        /// Axis.
        axis: char,
        /// Stock.
        have: f64,
        /// Part.
        need: f64,
    },
    /// Sizes that are no lengths.
    #[error("a stock size must be a length above 0 and below 2000 mm")]
    NoSize,
}

#[derive(Clone)]
struct Way {
    up: DVec3,
    /// Part direction of work y (towards the fixed jaw) in the first setup.
    back: DVec3,
    hidden: f64,
    tall: f64,
    jaw_top: f64,
    contact: Contact,
    support: f64,
    /// Where parallels bear under the finished end.
    bearing: Option<Bearing>,
    /// A vise that leaves no mark on the contact gives this share of its force.
    clamp: f64,
}

impl Way {
    fn holds(&self) -> bool {
        self.jaw_top >= LEAST_GRIP
            && self.contact.length >= 6.0
            && self.contact.span >= 10.0
            && self.support > 0.0
            && self.bearing.is_some()
    }
    /// Why it does not hold.
    fn why_not(&self, up: DVec3) -> String {
        if self.support <= 0.0 {
            return format!("its {} end has no flat face to stand on", axis_words(-up));
        }
        if self.bearing.is_none() {
            return format!("two parallels find nothing to bear on under its {} end", axis_words(-up));
        }
        format!(
            "there are no two parallel faces to grip (best: {:.0} mm high over {:.0} mm)",
            self.jaw_top, self.contact.length
        )
    }
    /// Smaller is better, in this order.
    fn rank(&self) -> (f64, i32, f64) {
        let cost = cost(self.hidden, self.tall);
        let grip = self.jaw_top.min(12.0) * self.contact.length.min(60.0) * (0.3 + self.support.min(0.7));
        // A contact so small that the vise may not be closed holds less.
        let grip = grip * self.clamp;
        (cost, i32::from(!self.holds()), -grip)
    }
    fn words(&self) -> String {
        format!(
            "{} up first, jaws along {}: {:.0} mm³ out of reach or left rough, side 2 grips {:.0} mm high over {:.0} mm, {:.0} % of the outline bears on the parallels{}",
            axis_words(self.up),
            axis_words(self.back.abs()).trim_start_matches('+'),
            self.hidden.abs(),
            self.jaw_top,
            self.contact.length,
            self.support * 100.0,
            if self.tall > 0.0 { ", too tall for the cutters" } else { "" }
        )
    }
}

fn axis_words(d: DVec3) -> String {
    let k = (0..3).find(|&k| d[k].abs() > 0.5).unwrap_or(2);
    format!("{}{}", if d[k] > 0.0 { '+' } else { '−' }, ['X', 'Y', 'Z'][k])
}

fn unit(k: usize, positive: bool) -> DVec3 {
    let mut d = DVec3::ZERO;
    d[k] = if positive { 1.0 } else { -1.0 };
    d
}

/// Work axes as columns in part coordinates: y towards `back`, z `up`.
fn turn(up: DVec3, back: DVec3) -> DMat3 {
    DMat3::from_cols(back.cross(up), back, up)
}

/// Grip heights that the parallels on hand give.
fn grips(vise: &Vise) -> Vec<f64> {
    let mut g: Vec<f64> = vise.parallels_mm.iter().map(|p| vise.jaw_height_mm - p).collect();
    g.sort_by(f64::total_cmp);
    g
}

/// Which way up, which way round: chosen before the stock, because the stock hangs on it.
pub struct Sides {
    ways: Vec<Way>,
}

impl Sides {
    /// Up on the first side, part coordinates.
    pub fn up(&self) -> DVec3 {
        self.ways[0].up
    }
    /// Direction of the fixed jaw on the first side, part coordinates.
    pub fn back(&self) -> DVec3 {
        self.ways[0].back
    }
    /// What is needed below the part on the first side: the grip and the cut over the jaws, mm.
    pub fn hat(&self, part: &Part, vise: &Vise) -> f64 {
        grip_of(part.bounds.size().dot(self.up().abs()), vise) + ABOVE_JAW
    }
}

/// Grip on raw stock for a part of this height, mm.
fn grip_of(height: f64, vise: &Vise) -> f64 {
    grips(vise).into_iter().find(|&g| g >= 6.0 && g * TALL >= height + TOP + ABOVE_JAW).unwrap_or(14.0)
}

/// Choose sides, grip and block.
pub fn plan(
    part: &Part,
    machine: &Machine,
    vise: &Vise,
    material: &Material,
    choice: &Choice,
) -> Result<HoldPlan, HoldError> {
    let sides = sides(part, vise, material, choice.order);
    plan_on(part, machine, vise, material, choice, &sides)
}

/// Choose grip and block for sides that are chosen.
pub fn plan_on(
    part: &Part,
    machine: &Machine,
    vise: &Vise,
    material: &Material,
    choice: &Choice,
    sides: &Sides,
) -> Result<HoldPlan, HoldError> {
    if let StockChoice::Over(over) = choice.stock {
        for (k, o) in over.iter().enumerate() {
            if !o.iter().all(|v| v.is_finite() && *v < 2000.0) {
                return Err(HoldError::NoSize);
            }
            if o.iter().any(|v| *v < -1e-3) {
                let (need, have) = (part.bounds.size()[k], part.bounds.size()[k] + o[0] + o[1]);
                return Err(HoldError::TooSmall { axis: ['X', 'Y', 'Z'][k], have, need });
            }
        }
    }
    if let StockChoice::Sizes(s) = choice.stock {
        if s.iter().any(|v| !v.is_finite() || *v <= 0.0 || *v > 2000.0) {
            return Err(HoldError::NoSize);
        }
        for k in 0..3 {
            if s[k] < part.bounds.size()[k] - 1e-6 {
                return Err(HoldError::TooSmall { axis: ['X', 'Y', 'Z'][k], have: s[k], need: part.bounds.size()[k] });
            }
        }
    }
    let way = &sides.ways[0];
    Ok(build(part, machine, vise, material, choice, way, sides.ways.iter().map(Way::words).collect()))
}

/// The order of the sides, and the direction of the jaws.
pub fn sides(part: &Part, vise: &Vise, material: &Material, order: Order) -> Sides {
    let axes: Vec<usize> = match order {
        Order::Up { axis, .. } => vec![axis.min(2)],
        Order::Best => (0..3).collect(),
    };
    let costs: Vec<(usize, f64, f64)> = axes
        .par_iter()
        .map(|&axis| {
            let view = View::new(
                part,
                Placement { turn: turn(unit(axis, true), unit((axis + 1) % 3, true)).transpose(), shift: DVec3::ZERO },
            );
            (
                axis,
                hidden_volume(&view) + ROUGH_DEPTH * slanted_area(&view),
                (part.bounds.size()[axis] - DEEP).max(0.0) / 10.0,
            )
        })
        .collect();
    // Grip is looked at only along the axis that leaves least out of reach (and its equals).
    let least = costs.iter().map(|c| cost(c.1, c.2)).fold(f64::INFINITY, f64::min);
    let good: Vec<(usize, f64, f64, bool)> = costs
        .iter()
        .filter(|c| cost(c.1, c.2) <= least)
        .flat_map(|&(axis, hidden, tall)| [true, false].map(|positive| (axis, hidden, tall, positive)))
        .filter(|&(.., positive)| !matches!(order, Order::Up { positive: p, .. } if p != positive))
        .collect();
    let mut ways: Vec<Way> = good
        .par_iter()
        .flat_map_iter(|&(axis, hidden, tall, positive)| ways_up(part, axis, positive, hidden, tall, vise, material))
        .collect();
    ways.sort_by(|a, b| {
        let (x, y) = (a.rank(), b.rank());
        x.0.total_cmp(&y.0).then(x.1.cmp(&y.1)).then(x.2.total_cmp(&y.2))
    });
    Sides { ways }
}

/// What is out of reach counts in steps of 5 mm³, height beyond the cutters heavily.
fn cost(hidden: f64, tall: f64) -> f64 {
    (hidden / 5.0).round() + tall * 1000.0
}

fn frame(up: DVec3, back: DVec3) -> Placement {
    Placement { turn: turn(up, back).transpose(), shift: DVec3::ZERO }
}

/// The best grip on the finished walls below `limit` over the lower end, and its contact.
fn best_grip(view: &View, vise: &Vise, limit: f64) -> (f64, Contact) {
    let z0 = view.bounds.min.z;
    let sides = JawRays::of(view);
    // The most grip that still bears; a deep jaw on a thin flange is worth less than a shallow one on a wall.
    let mut best = (0.0, Contact { length: 0.0, span: 0.0 });
    for g in grips(vise) {
        if g > limit + 1e-9 {
            break;
        }
        let c = sides.contact(z0, z0 + g);
        let worth = |g: f64, c: Contact| if g < LEAST_GRIP { 0.0 } else { g.min(14.0) * c.length.min(60.0) };
        if worth(g, c) >= worth(best.0, best.1) {
            best = (g, c);
        }
    }
    best
}

/// Share of the outline that is flat at the upper end of a view: what it lies on when it is turned over.
fn flat_share(view: &View) -> f64 {
    let top = view.bounds.max.z;
    let rests = view.floors().first().is_some_and(|z| (z - top).abs() < 1e-3);
    let flat = if rests { view.shadow(top - part::OFF_FLOOR).area() } else { 0.0 };
    flat / view.shadow(view.bounds.min.z - 1.0).area().max(1e-9)
}

fn clamp_share((height, contact): (f64, Contact), vise: &Vise, material: &Material) -> f64 {
    clamping(height, contact.length.min(vise.jaw_width_mm), vise, material).force_kn / vise.clamp_kn
}

fn ways_up(
    part: &Part,
    axis: usize,
    positive: bool,
    hidden: f64,
    tall: f64,
    vise: &Vise,
    material: &Material,
) -> Vec<Way> {
    let up = unit(axis, positive);
    let mut out = Vec::new();
    let mut seen: Option<f64> = None;
    for k in [(axis + 1) % 3, (axis + 2) % 3] {
        let back = unit(k, true);
        let second = View::new(part, frame(-up, -back));
        // Second setup: turned over about the work's x.
        let first = View::new(part, frame(up, back));
        let second_from_first = second.from_part.after(&first.from_part.inverse());
        let z0 = second.bounds.min.z;
        let low = lowest_cut_near_jaws(&second, &first, &second_from_first) - z0;
        let best = best_grip(&second, vise, low - 1.0);
        let support = *seen.get_or_insert_with(|| flat_share(&first));
        out.push(Way {
            up,
            back,
            hidden,
            tall,
            jaw_top: best.0,
            contact: best.1,
            support,
            bearing: bearing(&second, z0, vise),
            clamp: clamp_share(best, vise, material),
        });
    }
    out
}

/// The best way to stand the finished part in the vise with this end up.
fn way_of_further(part: &Part, up: DVec3, vise: &Vise, material: &Material) -> Way {
    let axis = (0..3).find(|&k| up[k].abs() > 0.5).unwrap_or(2);
    let below = flat_share(&View::new(part, frame(-up, unit((axis + 1) % 3, true))));
    let ways = [(axis + 1) % 3, (axis + 2) % 3].map(|k| {
        let back = unit(k, true);
        let view = View::new(part, frame(up, back));
        let height = view.bounds.size().z;
        let best = best_grip(&view, vise, 0.7 * height);
        Way {
            up,
            back,
            hidden: 0.0,
            tall: 0.0,
            jaw_top: best.0,
            contact: best.1,
            support: below,
            bearing: bearing(&view, view.bounds.min.z, vise),
            clamp: clamp_share(best, vise, material),
        }
    });
    let [a, b] = ways;
    let better = |a: &Way, b: &Way| {
        let (x, y) = (a.rank(), b.rank());
        x.1.cmp(&y.1).then(x.2.total_cmp(&y.2))
    };
    if better(&a, &b).is_le() { a } else { b }
}

fn build(
    part: &Part,
    machine: &Machine,
    vise: &Vise,
    material: &Material,
    choice: &Choice,
    way: &Way,
    compared: Vec<String>,
) -> HoldPlan {
    let mut findings = Vec::new();
    let (up, back) = (way.up, way.back);
    let axis = (0..3).find(|&k| up[k].abs() > 0.5).unwrap_or(2);
    let size = part.bounds.size();
    let height = size[axis];

    let mut grip1 = grip_of(height, vise);
    let (stock, hat) = match choice.stock {
        StockChoice::Rule => {
            let hat = grip1 + ABOVE_JAW;
            let mut b = part.bounds;
            for k in 0..3 {
                if k != axis {
                    let whole = (size[k] + 2.0 * SIDE).ceil();
                    let side = (whole - size[k]) / 2.0;
                    b.min[k] -= side;
                    b.max[k] += side;
                }
            }
            let (over, under) = if up[axis] > 0.0 { (TOP, hat) } else { (hat, TOP) };
            b.max[axis] += over;
            b.min[axis] -= under;
            (b, hat)
        }
        StockChoice::Sizes(_) | StockChoice::Over(_) => {
            let mut b = part.bounds;
            for k in 0..3 {
                let [low, high] = match choice.stock {
                    StockChoice::Over(o) => o[k].map(|v| v.max(0.0)),
                    StockChoice::Sizes(s) if k == axis => {
                        let extra = s[k] - size[k];
                        let top = TOP.min(extra / 2.0);
                        if up[axis] > 0.0 { [extra - top, top] } else { [top, extra - top] }
                    }
                    StockChoice::Sizes(s) => [(s[k] - size[k]) / 2.0; 2],
                    StockChoice::Rule => [0.0; 2],
                };
                b.min[k] -= low;
                b.max[k] += high;
            }
            let hat =
                if up[axis] > 0.0 { part.bounds.min[axis] - b.min[axis] } else { b.max[axis] - part.bounds.max[axis] };
            match grips(vise)
                .into_iter()
                .rfind(|&g| g + ABOVE_JAW <= hat + 1e-9 && g >= LEAST_GRIP && g <= grip1.max(LEAST_GRIP))
            {
                Some(g) => grip1 = g,
                None => {
                    grip1 = (hat - ABOVE_JAW).max(0.0);
                    findings.push(Finding::new(
                        "no_hat",
                        Severity::Stop,
                        format!(
                            "The block leaves {hat:.1} mm below the part; {:.0} mm are needed to hold it",
                            LEAST_GRIP + ABOVE_JAW
                        ),
                        "Take a thicker block, or plan it half and half (not planned by Gold Chip yet).",
                    ));
                }
            }
            (b, hat)
        }
    };

    let part_from_1 = placement(up, back, &stock);
    let part_from_2 = placement(-up, -back, &part.bounds);
    let stock_1 = part_from_1.inverse().bounds(&stock).size();
    let part_2 = part_from_2.inverse().bounds(&part.bounds).size();
    let grip2 = way.jaw_top;

    let check = |name: &str, above: f64, grip: f64, findings: &mut Vec<Finding>| {
        if grip > 0.0 && above > TALL * grip {
            findings.push(
                Finding::new(
                    "tall",
                    Severity::Warn,
                    format!("{above:.0} mm stand above {grip:.0} mm of grip"),
                    "More than 4 × the grip (common practice, no source): take light cuts, or grip deeper.",
                )
                .in_setup(name)
                .keyed(name),
            );
        }
    };
    check("side 1", stock_1.z - grip1, grip1, &mut findings);
    check("side 2", part_2.z + hat - grip2, grip2, &mut findings);
    let mut not_planned = Vec::new();
    let mut held = |name: &str, w: &Way, up: DVec3, findings: &mut Vec<Finding>| {
        if w.holds() {
            return true;
        }
        let why = w.why_not(up);
        findings.push(
            Finding::new(
                "no_grip",
                Severity::Stop,
                format!("{name} cannot be held in the vise: {why}"),
                "Soft jaws, a fixture plate or tabs would hold it; Gold Chip does not plan those yet. No program is made for it.",
            )
            .in_setup(name)
            .keyed(name),
        );
        not_planned.push(NotPlanned { name: name.into(), why, up });
        false
    };
    let second_held = held("side 2", way, -up, &mut findings);
    // Standing on finished faces, what the first two do not see; only when those two are done.
    let mut more: Vec<(String, Way, Only)> = Vec::new();
    for (k, f) in further(part, up).into_iter().enumerate() {
        let name = format!("side {}", k + 3);
        let w = way_of_further(part, f.up, vise, material);
        if held(&name, &w, f.up, &mut findings) {
            more.push((name, w, f.only));
        }
    }
    for (name, opening) in [("side 1", stock_1.y), ("side 2", part_2.y)] {
        if opening > vise.opening_mm {
            findings.push(
                Finding::new(
                    "opening",
                    Severity::Stop,
                    format!("{opening:.0} mm between the jaws, the {} opens {:.0} mm", vise.name, vise.opening_mm),
                    "Turn the part in the vise or use a larger one.",
                )
                .in_setup(name)
                .keyed(name),
            );
        }
    }
    for k in 0..3 {
        let travel = machine.travel_max_mm[k] - machine.travel_min_mm[k];
        if stock_1[k] > travel {
            findings.push(
                Finding::new(
                    "too_long",
                    Severity::Stop,
                    format!(
                        "The block is {:.0} mm along {}, the machine travels {travel:.0} mm",
                        stock_1[k],
                        ["X", "Y", "Z"][k]
                    ),
                    "Cut it in two stations, or on a larger machine.",
                )
                .keyed(k),
            );
        }
    }

    let at = |name: &str, duty: Duty, part_from_work: Placement, body: DVec3, hold: &Held| {
        setup_hold(name, duty, part_from_work, body, hold, machine, vise, material)
    };
    let raw = Held {
        on: "raw stock",
        grip: grip1,
        length: stock_1.x,
        above: stock_1.z - grip1,
        bearing: Some(Bearing::of_block(stock_1, vise)),
    };
    let mut setups = vec![at("side 1", Duty::AllButHat, part_from_1, stock_1, &raw)];
    if second_held {
        let walls = Held {
            on: "finished walls",
            grip: grip2,
            length: way.contact.length,
            above: part_2.z + hat - grip2,
            bearing: way.bearing,
        };
        setups.push(at("side 2", Duty::All, part_from_2, part_2, &walls));
        for (name, w, only) in more {
            let frame = placement(w.up, w.back, &part.bounds);
            let body = frame.inverse().bounds(&part.bounds).size();
            let above = body.z - w.jaw_top;
            check(&name, above, w.jaw_top, &mut findings);
            let walls =
                Held { on: "finished walls", grip: w.jaw_top, length: w.contact.length, above, bearing: w.bearing };
            setups.push(at(&name, Duty::Only(only), frame, body, &walls));
        }
    } else {
        let why = "side 2, on which it would stand, cannot be held";
        not_planned.extend(more.into_iter().map(|(name, w, _)| NotPlanned { name, why: why.into(), up: w.up }));
    }
    HoldPlan { stock, setups, not_planned, up, hat, compared, findings }
}

/// A grip as it was chosen.
struct Held {
    on: &'static str,
    grip: f64,
    length: f64,
    above: f64,
    bearing: Option<Bearing>,
}

fn setup_hold(
    name: &str,
    duty: Duty,
    part_from_work: Placement,
    body: DVec3,
    held: &Held,
    machine: &Machine,
    vise: &Vise,
    material: &Material,
) -> SetupHold {
    let (grip, on) = (held.grip, held.on);
    let length = held.length.min(vise.jaw_width_mm);
    let parallels = vise.jaw_height_mm - grip;
    let mid = |k: usize| f64::midpoint(machine.travel_min_mm[k], machine.travel_max_mm[k]);
    let zero_in_machine = DVec3::new(
        mid(0) - body.x / 2.0,
        mid(1) + body.y / 2.0,
        -machine.nose_to_table_mm + vise.bed_height_mm + parallels,
    );
    let end = if on == "raw stock" { "sawn left end of the block" } else { "finished left end of the part" };
    let zero = vec![
        ZeroAxis {
            axis: "X".into(),
            touches: format!(
                "vise stop at the {end}: touched by the edge finder before loading, swung away after clamping"
            ),
        },
        ZeroAxis {
            axis: "Y".into(),
            touches: "face of the fixed jaw: touched by the edge finder before loading".into(),
        },
        ZeroAxis {
            axis: "Z".into(),
            touches: "top of the parallels: touched before loading; so the thickness comes right".into(),
        },
    ];
    let clamp = clamping(grip, length, vise, material);
    let mut terms = vec![
        Term::new("g", "jaw height that holds", grip, "mm"),
        Term::new("L", "length that bears", length, "mm"),
        Term::new("h", "height above the jaws", held.above, "mm"),
        Term::new(
            "h/g",
            "at most 4 (common practice, no source)",
            if grip > 0.0 { held.above / grip } else { f64::MAX },
            "",
        ),
    ];
    terms.extend(clamp_terms(&clamp, vise, material));
    SetupHold {
        name: name.into(),
        duty,
        part_from_work,
        zero_in_machine,
        grip: Grip {
            on: on.into(),
            height: grip,
            opening: body.y,
            length,
            parallels,
            above: held.above,
            clamp_kn: clamp.force_kn,
            clamp_full_kn: vise.clamp_kn,
            bearing: held.bearing,
            terms,
        },
        zero,
        keep_out: keep_out(vise, body, grip, parallels, held.bearing.as_ref()),
    }
}

/// The work frame of a body standing on its lowest face: x 0 at its left end, y 0 at its back, z 0 below.
fn placement(up: DVec3, back: DVec3, body: &Box3) -> Placement {
    let turned = Placement { turn: turn(up, back), shift: DVec3::ZERO };
    let b = turned.inverse().bounds(body);
    let origin = DVec3::new(b.min.x, b.max.y, b.min.z);
    Placement { shift: turned.point(origin), ..turned }
}
