//! The questions that every way of holding answers. Nobody outside this crate looks which way it is.

use crate::bond::{Bond, SetBy};
use crate::chuck::ChuckGrip;
use crate::collet::ColletGrip;
use crate::frame::{Duty, Setup};
use crate::jaw_pair::JawPair;
use crate::making::Making;
use crate::plate::Plate;
use crate::soft_jaws::{CHANGE_MIN, SoftJaws};
use crate::statics::{self, Contact, Load, Wrench};
use crate::strapped::Strapped;
use crate::tilted::Tilted;
use crate::vise::Grip;
use geom::{Box3, DVec2, DVec3, Placement};
use reason::{Sources, Sure, Term, len};
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::machine::Material;
use ts_rs::TS;

/// To touch three faces, look them over and write them down, min.
const ZERO_MIN: f64 = 3.0;

/// How a setup is held: one file a kind.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Hold {
    /// Between two jaws, on parallels.
    Vise(Box<Grip>),
    /// Between two jaws, on a slope.
    Tilted(Box<Tilted>),
    /// In a nest cut into two jaws.
    SoftJaws(Box<SoftJaws>),
    /// Two jaws bolted to the vise, which are cut themselves.
    JawPair(Box<JawPair>),
    /// In a three-jaw chuck on the table.
    Chuck(Box<ChuckGrip>),
    /// Stuck to a pallet.
    Bond(Box<Bond>),
    /// On a plate, set by pins and held by screws through its own holes.
    Plate(Box<Plate>),
    /// On a sheet on the table, held by straps and by screws through its own holes.
    Straps(Box<Strapped>),
    /// In a collet, whose block stands or lies in the vise.
    Collet(Box<ColletGrip>),
}

/// Ways of holding that a side may be planned with.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum HoldKind {
    /// Two flat jaws.
    Vise,
    /// In a three-jaw chuck on the table.
    Chuck,
    /// Jaws cut to the outline.
    SoftJaws,
    /// On a plate by its own holes.
    Plate,
    /// Stuck to a pallet.
    Bond,
    /// On a sheet on the table, by straps and screws.
    Straps,
    /// A bar in a collet block, turned as a unit.
    Collet,
}

impl HoldKind {
    /// All, the simplest first.
    pub const ALL: [HoldKind; 7] = [
        HoldKind::Vise,
        HoldKind::Chuck,
        HoldKind::SoftJaws,
        HoldKind::Plate,
        HoldKind::Bond,
        HoldKind::Straps,
        HoldKind::Collet,
    ];
    /// "soft jaws".
    pub fn words(self) -> &'static str {
        match self {
            HoldKind::Vise => "vise",
            HoldKind::SoftJaws => "soft jaws",
            HoldKind::Chuck => "chuck",
            HoldKind::Plate => "plate",
            HoldKind::Bond => "bond",
            HoldKind::Straps => "straps",
            HoldKind::Collet => "collet",
        }
    }
    /// In names: "soft-jaws".
    pub fn key(self) -> String {
        self.words().replace(' ', "-")
    }
    /// From the command line: "soft-jaws".
    pub fn of(word: &str) -> Option<HoldKind> {
        let word = word.trim().to_lowercase().replace(['-', '_'], " ");
        HoldKind::ALL.into_iter().find(|w| w.words() == word)
    }
}

/// The ways that a person leaves open for the sides after the first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct HoldKinds([bool; HoldKind::ALL.len()]);

impl Default for HoldKinds {
    fn default() -> Self {
        HoldKinds([true; HoldKind::ALL.len()])
    }
}

impl HoldKinds {
    /// Only these; all if there are none.
    pub fn only(kinds: &[HoldKind]) -> HoldKinds {
        if kinds.is_empty() { HoldKinds::default() } else { HoldKinds(HoldKind::ALL.map(|k| kinds.contains(&k))) }
    }
    /// May it be used?
    pub fn allow(self, kind: HoldKind) -> bool {
        self.0[kind as usize]
    }
}

/// A height range of a body, mm, with its section's outlines.
pub type Layer = (f64, f64, Vec<Vec<DVec2>>);

/// A body that nothing may enter, in work coordinates: a box, or what its layers say.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Body {
    /// "fixed jaw".
    pub name: String,
    /// Least corner, mm.
    #[ts(type = "[number, number, number]")]
    pub min: DVec3,
    /// Largest corner, mm.
    #[ts(type = "[number, number, number]")]
    pub max: DVec3,
    /// Stands between the part and whoever stands before the machine.
    pub in_front: bool,
    /// From below up, where it is no box.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[ts(type = "[number, number, [number, number][][]][]")]
    pub layers: Vec<Layer>,
    /// The layers stand in a frame of their own: from there to work coordinates.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[ts(skip)]
    pub lies: Option<Placement>,
    /// So deep a cutter may go into its top, mm: it is there to be cut.
    #[serde(default)]
    pub may_cut: f64,
    /// What lies on it sticks to it.
    #[serde(default)]
    pub sticks: bool,
    /// It presses on what lies under it: that does not come loose.
    #[serde(default)]
    pub clamps: bool,
    /// It stands there from this stop of the program on, until that one; 0 is the program's start.
    #[serde(default = "all_the_time")]
    #[ts(type = "[number, number]")]
    pub stops: [u32; 2],
}

/// Until the program's end.
pub const FOR_EVER: u32 = u32::MAX;

fn all_the_time() -> [u32; 2] {
    [0, FOR_EVER]
}

impl Body {
    /// A plain box.
    pub(crate) fn boxed(name: &str, min: DVec3, max: DVec3) -> Body {
        Body {
            name: name.into(),
            min,
            max,
            in_front: false,
            layers: Vec::new(),
            lies: None,
            may_cut: 0.0,
            sticks: false,
            clamps: false,
            stops: all_the_time(),
        }
    }
}

/// The highest forces of a setup's operations, with the height at which they act.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Demand {
    /// Across, N.
    pub side: f64,
    /// Upwards at the same time, N.
    pub lift: f64,
    /// Height of the cut above what the part stands on, mm.
    pub height: f64,
    /// Least and largest corner of where the cutter's end cuts, work coordinates, mm, where that is known.
    pub over: Option<[[f64; 3]; 2]>,
    /// Drill's thrust, N, and torque, N m.
    pub thrust: f64,
    /// See `thrust`.
    pub torque: f64,
}

/// A limit of a hold with what is asked of it: the factor is how many times over it holds.
#[derive(Debug, Clone, PartialEq)]
pub struct Holds {
    /// "together" (the solver, at the worst place and direction); by simple sums "slip", "tilt", "twist".
    pub limit: &'static str,
    /// What happens beyond it.
    pub fails: &'static str,
    /// Held ÷ asked.
    pub factor: f64,
    /// Where and against what, in words: ", 12 mm up at the left front, towards the back".
    pub place: String,
    /// N or N·m held.
    pub held: f64,
    /// N or N·m asked.
    pub asked: f64,
    /// "N" or "N m".
    pub unit: &'static str,
}

impl Demand {
    /// For the screen.
    pub(crate) fn terms(&self) -> Vec<Term> {
        if self.torque > 0.0 {
            return vec![Term::new("M", "torque of the drill", self.torque, "N m")];
        }
        vec![
            Term::new("S", "highest force across, over a revolution", self.side, "N"),
            Term::new("A", "highest lift by the helix of the flutes", self.lift, "N"),
            Term::new("h", "height of the cut", self.height, "mm"),
        ]
    }
}

impl Holds {
    /// Everything at once, at the worst place and in the worst direction. `above` names what heights are counted from.
    pub(crate) fn together(contacts: &[Contact], middle: DVec2, above: &str, d: &Demand) -> Holds {
        let [lo, hi] = d.over.unwrap_or([[middle.x, middle.y, d.height]; 2]);
        // The cutter's end cuts at the lowest; along its edge force goes up to the top of the cut.
        let top = hi[2].at_least(d.height);
        let mut places = Vec::new();
        for z in [lo[2], top] {
            for x in [lo[0], hi[0]] {
                places.extend([lo[1], hi[1]].map(|y| DVec3::new(x, y, z)));
            }
        }
        places.dedup();
        let load = Load { places, side: d.side, lift: d.lift, thrust: d.thrust, torque: d.torque * 1000.0 };
        let asks = d.side > 0.0 || d.lift > 0.0 || d.thrust > 0.0 || d.torque > 0.0;
        let w = if asks { statics::worst(contacts, Wrench::default(), &load) } else { statics::Worst::nothing() };
        let asked = w.force.length();
        let turns = d.torque > 0.0 && d.side <= 0.0;
        let (asked, unit) = if turns { (d.torque, "N m") } else { (asked, "N") };
        Holds {
            limit: "together",
            fails: "The grip gives way",
            factor: w.factor,
            place: where_and_how(&w, middle, above),
            held: asked * w.factor,
            asked: if asks { asked } else { 0.0 },
            unit,
        }
    }
}

/// Lift of a helix for each N across, as it is reckoned before the cuts are known.
const LIFT: f64 = 0.8;
/// Twice is asked of every hold.
const TWICE: f64 = 2.0;

/// The most force across, N, that contacts bear twice over anywhere in a box (with the lift that goes with it).
pub(crate) fn most_borne(contacts: &[Contact], within: &Box3, above: &str) -> f64 {
    const TRIED: f64 = 100.0;
    let d = Demand {
        side: TRIED,
        lift: LIFT * TRIED,
        height: within.max.z,
        over: Some([within.min.to_array(), within.max.to_array()]),
        ..Demand::default()
    };
    TRIED * Holds::together(contacts, within.middle().truncate(), above, &d).factor / TWICE
}

/// A hold that bears less across, twice over, is no hold for a mill, N (common practice, no source).
pub(crate) const LEAST_N: f64 = 25.0;

/// Does a hold bear a light cut along either axis at every corner of a piece's top? If not, what it bears twice over, N.
pub(crate) fn too_weak(contacts: &[Contact], piece: &Box3) -> Option<f64> {
    let mut bears = f64::INFINITY;
    for x in [piece.min.x, piece.max.x] {
        for y in [piece.min.y, piece.max.y] {
            for d in [DVec3::X, -DVec3::X, DVec3::Y, -DVec3::Y] {
                let light = Wrench::at(DVec3::new(x, y, piece.max.z), d * (TWICE * LEAST_N));
                bears = bears.at_most(statics::margin(contacts, Wrench::default(), light).factor * LEAST_N);
            }
        }
    }
    (bears < LEAST_N).then_some(bears)
}

/// Where a hold gives way, and against what.
fn where_and_how(w: &statics::Worst, middle: DVec2, above: &str) -> String {
    let side = |v: f64, low: &'static str, high: &'static str| if v < 0.0 { low } else { high };
    let place = format!("{} {}", side(w.at.x - middle.x, "left", "right"), side(w.at.y - middle.y, "front", "back"));
    let across = w.force.truncate();
    let along = if across.length() < 1.0 {
        String::new()
    } else if across.x.abs() > across.y.abs() {
        format!(", pushed {}", side(across.x, "to the left", "to the right"))
    } else {
        format!(", pushed {}", side(across.y, "to the front", "to the back"))
    };
    format!(", {} mm above the {above} at the {place}{along}", len(shop::tool::trim(w.at.z.round() + 0.0)))
}

/// Something to know of a hold at the machine: a number with its reasons, and a remark.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Fact {
    /// "Parallels".
    pub label: String,
    /// In `unit`; none where there is none.
    pub value: Option<f64>,
    /// "mm", "kN".
    pub unit: String,
    /// What goes into it.
    pub terms: Vec<Term>,
    /// "of 65 mm jaw".
    pub remark: String,
}

impl Fact {
    /// A number with its reasons.
    pub(crate) fn new(label: &str, value: f64, unit: &str, terms: &[Term], remark: impl Into<String>) -> Fact {
        Fact {
            label: label.into(),
            value: Some(value),
            unit: unit.into(),
            terms: terms.to_vec(),
            remark: remark.into(),
        }
    }
}

/// What a hold may not be given in full, in words: what, and why.
pub type Gently = (String, String);

/// Each question goes to the way of holding.
macro_rules! ask {
    ($hold:expr, $h:ident => $answer:expr) => {
        match $hold {
            Hold::Vise($h) => $answer,
            Hold::Tilted($h) => $answer,
            Hold::SoftJaws($h) => $answer,
            Hold::JawPair($h) => $answer,
            Hold::Chuck($h) => $answer,
            Hold::Bond($h) => $answer,
            Hold::Plate($h) => $answer,
            Hold::Straps($h) => $answer,
            Hold::Collet($h) => $answer,
        }
    };
}

impl Hold {
    /// What nothing may enter, work coordinates.
    pub fn bodies(&self) -> &[Body] {
        ask!(self, h => &h.bodies)
    }
    /// Where it touches the piece.
    pub fn contacts(&self, friction: f64) -> Vec<Contact> {
        ask!(self, h => h.contacts(friction))
    }
    /// What it holds against a demand, the smallest factor first.
    pub fn holds(&self, friction: f64, d: &Demand) -> Vec<Holds> {
        ask!(self, h => h.holds(friction, d))
    }
    /// Terms of that judgement, and the formula with its source.
    pub fn grounds(&self, friction: f64, d: &Demand) -> (Vec<Term>, Sources) {
        ask!(self, h => h.grounds(friction, d))
    }
    /// What a person may not do with all the force there is.
    pub fn gently(&self, material: &Material) -> Option<Gently> {
        ask!(self, h => h.gently(material))
    }
    /// What helps where it holds too little.
    pub fn hold_better(&self) -> String {
        ask!(self, h => h.hold_better())
    }
    /// What it locates the piece by, and what each may be off, mm.
    pub fn error(&self) -> Vec<Term> {
        ask!(self, h => h.error())
    }
    /// Play, and the span over which it may turn the piece about the upright, mm.
    pub fn turn(&self) -> [f64; 2] {
        ask!(self, h => h.turn())
    }
    /// What a person does to hold the piece, in order. `up` names the part's direction that is up.
    pub fn actions(&self, duty: &Duty, up: &str) -> Vec<String> {
        ask!(self, h => h.actions(duty, up))
    }
    /// Nothing in it says how far a round piece is turned, and what is cut hangs on that.
    pub(crate) fn turns_freely(&self) -> bool {
        match self {
            Hold::SoftJaws(j) => j.turns_freely,
            Hold::Chuck(c) => c.turns_freely,
            Hold::Vise(_)
            | Hold::Tilted(_)
            | Hold::JawPair(_)
            | Hold::Bond(_)
            | Hold::Plate(_)
            | Hold::Straps(_)
            | Hold::Collet(_) => false,
        }
    }
    /// What there is to know at the machine.
    pub fn facts(&self) -> Vec<Fact> {
        ask!(self, h => h.facts())
    }
    /// What it takes of the piece, in words: "raw stock".
    pub fn on(&self) -> &str {
        ask!(self, h => &h.on)
    }
    /// To load the piece and hold it, min.
    pub fn minutes(&self) -> f64 {
        ask!(self, h => h.minutes())
    }
    /// A person's minutes before the first piece: to touch the zero, to change jaws; what is made apart.
    pub fn once(&self) -> Vec<Term> {
        let zero = |what: &str| Term::new("", what, ZERO_MIN, "min");
        match self {
            Hold::Tilted(_) => vec![zero("slope is set; gauge pin and jaw are touched (common practice, no source)")],
            Hold::Vise(_) => vec![zero("stop, jaw and parallels are touched (common practice, no source)")],
            // Cut where they hold: one zero for both.
            Hold::SoftJaws(_) => {
                vec![Term::new("", "the hard jaws go on again (common practice, no source)", CHANGE_MIN, "min")]
            }
            Hold::Chuck(_) => vec![
                Term::new(
                    "",
                    "the vise goes off the table, the chuck on and straight (common practice, no source)",
                    CHANGE_MIN,
                    "min",
                ),
                zero("the blocks are touched (common practice, no source)"),
            ],
            // Cut where it holds: one zero for both.
            Hold::Plate(_) => Vec::new(),
            Hold::Straps(_) => vec![
                Term::new("", "the vise goes off the table (common practice, no source)", CHANGE_MIN, "min"),
                zero("edges or bores and the sheet are touched (common practice, no source)"),
            ],
            // Bar and block stay one: what is found first serves all its positions.
            Hold::Collet(c) => c.once(),
            Hold::Bond(_) => vec![zero("the pallet is set, skimmed and touched (common practice, no source)")],
            Hold::JawPair(_) => vec![
                Term::new("", "blanks are bolted on (common practice, no source)", CHANGE_MIN, "min"),
                zero("the blanks are touched (common practice, no source)"),
            ],
        }
    }
    /// The most force across, N, that a cutter may have in a box (work coordinates, mm), where that is little enough to plan by.
    pub fn most_side(&self, within: &Box3) -> f64 {
        match self {
            Hold::Bond(b) => b.most_side(within),
            Hold::Plate(p) => p.most_side(within),
            Hold::Straps(s) => s.most_side(within),
            Hold::Vise(_)
            | Hold::Tilted(_)
            | Hold::SoftJaws(_)
            | Hold::JawPair(_)
            | Hold::Chuck(_)
            | Hold::Collet(_) => f64::INFINITY,
        }
    }
    /// A flood of coolant would creep under the piece.
    pub fn wants_mist(&self) -> bool {
        matches!(self, Hold::Bond(_) | Hold::Straps(_))
    }
    /// What of the shop it takes.
    pub fn needs(&self) -> Vec<String> {
        ask!(self, h => h.needs())
    }
    /// Two bores of the piece whose line sets its turn, and of which the first sets the zero: their middles, work coordinates, mm.
    pub fn baseline(&self) -> Option<[DVec2; 2]> {
        let set_by = match self {
            Hold::Vise(v) => return v.bores,
            Hold::Bond(b) => &b.set_by,
            Hold::Straps(s) => &s.set_by,
            _ => return None,
        };
        match set_by {
            SetBy::Bores { at } => Some(*at),
            SetBy::Edges | SetBy::Walls { .. } => None,
        }
    }
    /// Which way it is, if a side may be planned with it.
    pub fn kind(&self) -> Option<HoldKind> {
        match self {
            Hold::Vise(_) | Hold::Tilted(_) => Some(HoldKind::Vise),
            Hold::SoftJaws(_) => Some(HoldKind::SoftJaws),
            Hold::Chuck(_) => Some(HoldKind::Chuck),
            Hold::Bond(_) => Some(HoldKind::Bond),
            Hold::Plate(_) => Some(HoldKind::Plate),
            Hold::Straps(_) => Some(HoldKind::Straps),
            Hold::Collet(_) => Some(HoldKind::Collet),
            Hold::JawPair(_) => None,
        }
    }
    /// Of two of one kind the better is worth more.
    pub(crate) fn worth(&self) -> f64 {
        match self {
            Hold::SoftJaws(j) => j.worth(),
            Hold::Chuck(c) => c.depth * c.clamp_kn,
            Hold::Bond(b) => b.bears_n,
            Hold::Plate(p) => p.bears_n,
            Hold::Straps(s) => s.bears_n,
            Hold::Collet(c) => c.depth * c.block.clamp_kn,
            Hold::Vise(_) | Hold::Tilted(_) | Hold::JawPair(_) => 0.0,
        }
    }
    /// In a few words, of a way that is compared.
    pub(crate) fn in_short(&self) -> String {
        match self {
            Hold::SoftJaws(j) => format!("{:.0} mm high, bear on {:.0} mm²", len(j.depth), j.bears()),
            Hold::Chuck(c) => format!("{:.0} mm high on Ø{:.1}", len(c.depth), len(c.diameter)),
            Hold::Bond(b) => format!("{:.0} mm² stick", b.area_mm2),
            Hold::Plate(p) => format!("{} pins, {} screws", p.pins.len(), p.screws.len()),
            Hold::Straps(s) => format!("{} straps, {} screws", s.straps.len(), s.screws.len()),
            Hold::Collet(c) => format!("{:.0} mm in a collet", len(c.depth)),
            Hold::Vise(_) | Hold::Tilted(_) | Hold::JawPair(_) => String::new(),
        }
    }
    /// With this much more above the part.
    pub(crate) fn under(self, over: f64) -> Hold {
        match self {
            Hold::SoftJaws(j) => Hold::SoftJaws(Box::new(j.under(over))),
            Hold::Chuck(c) => Hold::Chuck(Box::new(c.under(over))),
            Hold::Bond(b) => Hold::Bond(Box::new(b.under(over))),
            h @ (Hold::Vise(_)
            | Hold::Tilted(_)
            | Hold::JawPair(_)
            | Hold::Plate(_)
            | Hold::Straps(_)
            | Hold::Collet(_)) => h,
        }
    }
    /// What stands above what grips, and how high that grips, mm.
    pub fn stands_above(&self) -> (f64, f64) {
        match self {
            Hold::Vise(g) => (g.above, g.height),
            Hold::Tilted(t) => (t.above, t.jaw_top),
            Hold::SoftJaws(j) => (j.above, j.depth),
            Hold::Chuck(c) => (c.above, c.depth),
            Hold::Collet(c) => (c.sticks_out, c.depth),
            // Nothing grips.
            Hold::JawPair(_) | Hold::Bond(_) | Hold::Plate(_) | Hold::Straps(_) => (0.0, 0.0),
        }
    }
    /// A setup that it holds, zeroed as such a hold is.
    pub(crate) fn setup(self, name: &str, duty: Duty, part_from_work: Placement, shop: &Shop) -> Setup {
        let (zero_in_machine, datum) = ask!(&self, h => (h.zero_in_machine(shop), h.datum()));
        Setup {
            name: name.into(),
            station: shop.machine.id.clone(),
            duty,
            part_from_work,
            zero_in_machine,
            hold: self,
            datum,
            sawn: None,
        }
    }
    /// What has to be made for it first. Nothing where the shop has all.
    pub fn makes(&self) -> Option<Making<'_>> {
        match self {
            Hold::SoftJaws(j) => Some(Making::Jaws(j)),
            Hold::Plate(p) => Some(Making::Plate(p)),
            Hold::Vise(_)
            | Hold::Tilted(_)
            | Hold::JawPair(_)
            | Hold::Chuck(_)
            | Hold::Bond(_)
            | Hold::Straps(_)
            | Hold::Collet(_) => None,
        }
    }
    /// It holds by what earlier cuts have left: whether that is there is asked before it is planned.
    pub fn hangs_on_stock(&self) -> bool {
        self.makes().is_some() || matches!(self, Hold::Straps(_))
    }
    /// A pair of jaws that is made for it.
    pub fn jaws(&self) -> Option<&SoftJaws> {
        match self {
            Hold::SoftJaws(j) => Some(j),
            Hold::Vise(_)
            | Hold::Tilted(_)
            | Hold::JawPair(_)
            | Hold::Chuck(_)
            | Hold::Bond(_)
            | Hold::Plate(_)
            | Hold::Straps(_)
            | Hold::Collet(_) => None,
        }
    }
    /// What a person does where the program stops, one list for each stop.
    pub fn at_stops(&self) -> Vec<Vec<String>> {
        match self {
            Hold::Straps(s) => s.at_stops(),
            Hold::Vise(_)
            | Hold::Tilted(_)
            | Hold::SoftJaws(_)
            | Hold::JawPair(_)
            | Hold::Chuck(_)
            | Hold::Bond(_)
            | Hold::Plate(_)
            | Hold::Collet(_) => Vec::new(),
        }
    }
    /// As it holds after so many stops of the program.
    pub(crate) fn at_stop(self, stops: u32) -> Hold {
        match self {
            Hold::Straps(s) => Hold::Straps(Box::new(s.at_stop(stops))),
            other => other,
        }
    }
    /// What stands on the piece where cutters pass: heads of screws. A plan goes around them.
    pub fn on_top(&self) -> &[Body] {
        match self {
            Hold::Plate(p) => p.heads(),
            Hold::Straps(s) => s.around(),
            Hold::Collet(c) => c.beside(),
            Hold::Vise(_) | Hold::Tilted(_) | Hold::SoftJaws(_) | Hold::JawPair(_) | Hold::Chuck(_) | Hold::Bond(_) => {
                &[]
            }
        }
    }
}
