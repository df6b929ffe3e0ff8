//! The nouns of holding: what a person may choose, a setup with its duty and zeros, and the scheme that joins them.

use crate::further::Only;
use crate::hold::{Fact, Hold, HoldKind, HoldKinds};
use crate::making::Making;
use crate::scheme::{SchemeId, School};
use geom::{Bar, Box3, DVec3, Placement};
use reason::{Finding, Term, len};
use serde::{Deserialize, Serialize};
use shop::tool::trim;
use ts_rs::TS;

/// The size of the block.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub enum StockChoice {
    /// By the rule of hat and deck.
    Rule,
    /// Typed sizes along the part's x, y, z, mm.
    Sizes([f64; 3]),
    /// What is over the part on the low and the high end of its x, y, z, mm: a blank in which the part lies as somebody laid it.
    Over([[f64; 2]; 3]),
    /// A bar, of which as much is sawn off as is needed.
    Bar {
        /// In part coordinates.
        bar: Bar,
    },
}

/// Which way is up first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
pub enum Order {
    /// The best one.
    Best,
    /// This axis of the part (0 x, 1 y, 2 z), its positive end up first or not.
    Up { axis: usize, positive: bool },
}

/// What a person wants of the sides; what is left open is proposed.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Wish {
    /// Which way is up first.
    pub order: Order,
    /// Ways of holding for the sides after the first.
    pub kinds: HoldKinds,
    /// One whole way; it says more than the others do.
    pub scheme: Option<SchemeId>,
}

impl Default for Wish {
    fn default() -> Self {
        Wish { order: Order::Best, kinds: HoldKinds::default(), scheme: None }
    }
}

/// What a person decided.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Choice {
    /// Block.
    pub stock: StockChoice,
    /// A person chose it; else it is a proposal for hat and deck, and other schools have blocks of their own.
    pub firm: bool,
    /// Sides.
    pub wish: Wish,
}

impl Choice {
    /// The block for a school.
    pub(crate) fn block(&self, school: School) -> StockChoice {
        match self.stock {
            StockChoice::Bar { .. } if self.firm || school == School::Bar => self.stock,
            StockChoice::Bar { .. } => StockChoice::Rule,
            _ if self.firm || school == School::Deck => self.stock,
            _ => StockChoice::Rule,
        }
    }
}

impl Default for Choice {
    fn default() -> Self {
        Choice { stock: StockChoice::Rule, firm: true, wish: Wish::default() }
    }
}

/// What one axis of a setup's zero is touched on.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Datum {
    /// "X".
    pub axis: String,
    /// What is touched, how and when.
    pub touches: String,
    /// What each step of it may be off by, mm.
    #[serde(default)]
    pub error: Vec<Term>,
    /// All of them in the same direction, mm.
    #[serde(default)]
    pub worst_mm: f64,
    /// Root of the sum of their squares, mm.
    #[serde(default)]
    pub likely_mm: f64,
    /// The same as numbers, so that a reading at the machine becomes the offset.
    #[serde(default)]
    pub touched: Option<Touched>,
}

impl Datum {
    pub(crate) fn new(axis: &str, touches: String, error: Vec<Term>) -> Datum {
        let worst_mm = error.iter().map(|t| t.value).sum();
        let likely_mm = error.iter().map(|t| t.value * t.value).sum::<f64>().sqrt();
        Datum { axis: axis.into(), touches, error, worst_mm, likely_mm, touched: None }
    }
    pub(crate) fn at(self, touched: Touched) -> Datum {
        Datum { touched: Some(touched), ..self }
    }
}

/// What is touched along one axis, and where it stands there.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct Touched {
    /// Where it stands in work coordinates: the face, or the middle, mm.
    pub at_mm: f64,
    /// What it is.
    pub on: TouchedOn,
    /// When.
    pub when: TouchedWhen,
}

/// What is touched.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum TouchedOn {
    /// A face square to the axis.
    Face {
        /// What touches it stands at larger values than the face.
        above: bool,
    },
    /// The middle between two faces, or of something round.
    Middle {
        /// Of a bore or slot, from inside.
        inside: bool,
        /// From face to face, mm, where it is known.
        across_mm: Option<f64>,
    },
}

/// When it is touched.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum TouchedWhen {
    /// Before the piece is loaded.
    Empty,
    /// On the piece, where it is clamped.
    Loaded,
    /// Not again: it stays from a setup or piece before. What is said of it is for the case that it is lost.
    Kept,
}

impl Touched {
    /// A face; what touches it stands at larger values (`above`) or at smaller ones.
    pub(crate) fn face(at_mm: f64, above: bool, when: TouchedWhen) -> Touched {
        Touched { at_mm, on: TouchedOn::Face { above }, when }
    }
    /// A middle.
    pub(crate) fn middle(at_mm: f64, inside: bool, across_mm: Option<f64>, when: TouchedWhen) -> Touched {
        Touched { at_mm, on: TouchedOn::Middle { inside, across_mm }, when }
    }
}

/// What a setup cuts.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub enum Duty {
    /// All that is seen from above, and the outline to below the part's bottom; the rest stays as a hat to hold it.
    AllButHat,
    /// All that is seen from above and still stands, the hat first.
    All,
    /// All that is seen from above of a piece that nothing is left on to hold it by.
    Seen,
    /// The outline down to a height (work coordinates, mm), a little more than half, and all inside it that is seen from above.
    Half {
        /// mm.
        down_to: f64,
        /// The other half is done.
        turned: bool,
    },
    /// All inside the outline that is seen from above; around it the block stands.
    Inside {
        /// The other face is done.
        turned: bool,
    },
    /// What still stands, the outline down to below the part's bottom.
    Outline,
    /// All inside the outline; then the program stops, what holds it changes, and the outline is cut.
    InsideThenOutline,
    /// Only what no other setup sees.
    Only(Only),
}

/// How the piece gets from the setup before into one.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Turning {
    /// As it lies.
    Not,
    /// About X: what was up lies below.
    Over,
    /// On an end, a side or a slope.
    Up,
}

impl Duty {
    /// How the piece is turned for it.
    pub(crate) fn turning(&self) -> Turning {
        match self {
            Duty::AllButHat
            | Duty::Seen
            | Duty::Outline
            | Duty::InsideThenOutline
            | Duty::Half { turned: false, .. }
            | Duty::Inside { turned: false } => Turning::Not,
            Duty::All | Duty::Half { turned: true, .. } | Duty::Inside { turned: true } => Turning::Over,
            Duty::Only(_) => Turning::Up,
        }
    }
}

/// A way of holding that was looked at for a setup, chosen or not.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Offer {
    /// "side 2".
    pub setup: String,
    /// Which.
    pub kind: HoldKind,
    /// It holds the setup in this plan.
    pub chosen: bool,
    /// On a slope.
    #[serde(default)]
    pub tilted: bool,
    /// Why it does not hold; empty if it does.
    pub why_not: String,
    /// What there is to know of it.
    pub facts: Vec<Fact>,
    /// What the zero and seat may be off by along x, y, z: worst case and likely, mm.
    pub error_mm: Vec<[f64; 2]>,
    /// What of the shop it takes.
    pub needs: Vec<String>,
    /// What has to be made for it; empty if nothing.
    pub makes: String,
    /// A person's minutes to load and hold one piece, and once beforehand.
    pub load_min: f64,
    /// See `load_min`.
    pub prepare_min: f64,
}

impl Offer {
    /// Of a setup that would be held so.
    pub(crate) fn of(kind: HoldKind, setup: &Setup, chosen: bool) -> Offer {
        let made = setup.hold.makes();
        Offer {
            setup: setup.name.clone(),
            kind,
            chosen,
            tilted: matches!(setup.hold, Hold::Tilted(_)),
            why_not: String::new(),
            facts: setup.hold.facts(),
            error_mm: setup.datum.iter().map(|d| [d.worst_mm, d.likely_mm]).collect(),
            needs: setup.hold.needs(),
            makes: made.as_ref().map_or_else(String::new, Making::words),
            load_min: setup.hold.minutes(),
            prepare_min: made.map_or(0.0, |m| m.prepare_min()),
        }
    }
    /// Of one that does not hold.
    pub(crate) fn refused(kind: HoldKind, setup: &str, why: &str) -> Offer {
        Offer {
            setup: setup.into(),
            kind,
            chosen: false,
            tilted: false,
            why_not: why.into(),
            facts: Vec::new(),
            error_mm: Vec::new(),
            needs: Vec::new(),
            makes: String::new(),
            load_min: 0.0,
            prepare_min: 0.0,
        }
    }
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
pub struct Setup {
    /// "side 1".
    pub name: String,
    /// Id of the shop's station that it is cut on.
    pub station: String,
    /// What it cuts.
    pub duty: Duty,
    /// From work to part coordinates.
    pub part_from_work: Placement,
    /// Work zero in machine coordinates.
    pub zero_in_machine: DVec3,
    /// How it is held.
    pub hold: Hold,
    /// What its zero is touched on, along x, y, z.
    pub datum: [Datum; 3],
    /// The saw comes before it.
    #[serde(default)]
    pub sawn: Option<Sawn>,
}

/// A cut of the saw between two setups.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Sawn {
    /// Of the stock only what lies in it is left, part coordinates.
    pub left: Box3,
    /// Of that over the part at the sawn end, mm.
    pub over: f64,
}

impl Setup {
    /// Up in it, part coordinates.
    pub fn up(&self) -> DVec3 {
        self.part_from_work.dir(DVec3::Z)
    }
    /// The setup before the first stop of its program, after it and so on, each with what it cuts there: itself where the program does not stop.
    pub fn between_stops(&self) -> Vec<Setup> {
        match self.duty {
            Duty::InsideThenOutline => [Duty::Inside { turned: false }, Duty::Outline]
                .into_iter()
                .zip(0..)
                .map(|(duty, stops)| Setup { duty, hold: self.hold.clone().at_stop(stops), ..self.clone() })
                .collect(),
            _ => vec![self.clone()],
        }
    }
    /// What a person does at the machine, in order: hold the part, then touch off.
    pub fn actions(&self) -> Vec<String> {
        let mut out = Vec::new();
        if let Some(saw) = &self.sawn {
            out.push(format!(
                "Saw the piece off the bar, {} mm over its lower end, so that no more stays on; deburr it",
                len(trim(saw.over))
            ));
        }
        out.extend(self.hold.actions(&self.duty, &part::direction_words(self.up())));
        out.extend(self.datum.iter().map(|d| format!("{}0: {}", d.axis, d.touches)));
        out
    }
}

/// One whole way of making the part: the block and its setups, one after the other.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Scheme {
    /// Its name.
    pub id: SchemeId,
    /// Block in part coordinates.
    pub stock: Box3,
    /// It is a bar: what of that box lies in it.
    pub bar: Option<Bar>,
    /// Setups in order.
    pub setups: Vec<Setup>,
    /// What cannot be held, so that no program is made for it.
    pub not_planned: Vec<NotPlanned>,
    /// Up in the first, part coordinates.
    pub up: DVec3,
    /// Height of the hat in the first setup, mm.
    pub hat: f64,
    /// Why this order: one line for every way that was compared, the best first.
    pub compared: Vec<String>,
    /// Ways of holding that were looked at for the sides after the first.
    pub offers: Vec<Offer>,
    /// Doubts.
    pub findings: Vec<Finding>,
}

impl Scheme {
    /// With its first setups; nothing looked at beside them yet.
    pub(crate) fn begun(
        id: SchemeId,
        stock: Box3,
        setups: Vec<Setup>,
        (up, hat): (DVec3, f64),
        findings: Vec<Finding>,
    ) -> Scheme {
        let (not_planned, compared, offers) = (Vec::new(), Vec::new(), Vec::new());
        Scheme { id, stock, bar: None, setups, not_planned, up, hat, compared, offers, findings }
    }
    /// What the part is cut out of, mm³: the block, or of a bar what the saw leaves with the piece.
    pub fn volume_cut_from(&self) -> f64 {
        let left = self.setups.iter().filter_map(|s| s.sawn).fold(self.stock, |b, s| b.common(&s.left));
        let size = left.size();
        match &self.bar {
            Some(bar) => bar.section().area() * size[bar.axis],
            None => size.x * size.y * size.z,
        }
    }
    /// All of it, mm³.
    pub fn volume_of_stock(&self) -> f64 {
        let size = self.stock.size();
        self.bar.as_ref().map_or(size.x * size.y * size.z, |bar| bar.section().area() * size[bar.axis])
    }
    /// The stock in words for a program's head.
    pub fn stock_words(&self) -> String {
        let s = self.stock.size();
        match &self.bar {
            Some(bar) => format!("bar, {}, {} mm long", crate::collet::bar_words(bar), len(trim(s[bar.axis].ceil()))),
            None => format!("block {} x {} x {} mm", len(trim(s.x)), len(trim(s.y)), len(trim(s.z))),
        }
    }
    /// A block that is cut in one setup.
    pub fn single(stock: Box3, setup: Setup) -> Scheme {
        let up = setup.up();
        let id = SchemeId { school: School::Deck, hold: HoldKind::Vise, up: (2, true), along: 0 };
        Scheme::begun(id, stock, vec![setup], (up, 0.0), Vec::new())
    }
    /// Why it is not the way of that name, if it is not.
    pub(crate) fn refused(&self, id: SchemeId, stock: &StockChoice) -> Option<String> {
        if let Some(f) = self.findings.iter().find(|f| f.kind == "no_hat" || f.kind == "opening") {
            return Some(f.what.clone());
        }
        if self.id.school != id.school {
            return Some(match id.school {
                School::Deck => "the block that was chosen leaves no hat below the part".into(),
                School::Half if *stock == StockChoice::Rule => {
                    "it is too low: the jaws find too little below its middle".into()
                }
                School::Sheet => "it is not cut from a sheet".into(),
                School::Half => "the block that was chosen has stock below the part to hold it by".into(),
                School::Inside | School::Table => "its outline is not left for the last".into(),
                School::Bar => "it is not cut from a bar".into(),
            });
        }
        let second = self.not_planned.iter().any(|n| n.name == "side 2");
        if self.id.school == School::Sheet && self.id.hold != id.hold && !second {
            return Some("one side is enough: nothing is left for a second".into());
        }
        self.not_planned.iter().find(|n| n.name == "side 2").map(|n| n.why.clone())
    }
    /// From the setup `k` on nothing is made: it cannot be held as the stock then is.
    pub fn give_up(&mut self, k: usize, why: &str) {
        for (i, s) in self.setups.split_off(k).into_iter().enumerate() {
            let why = if i == 0 { why.to_string() } else { "a side before it cannot be held".into() };
            if i == 0 {
                self.findings.push(crate::plan::no_grip(&s.name, &why, Order::Best));
            }
            self.not_planned.push(NotPlanned { name: s.name.clone(), why, up: s.up() });
        }
    }
    /// Does the block fit the machine's travel at all? If not, no path is worth making.
    pub fn fits(&self) -> bool {
        self.findings.iter().all(|f| f.kind != "too_long")
    }
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
    /// The first side cannot be held that way.
    #[error("the block cannot be held so: {0}; choose another way, or let one be proposed")]
    First(String),
    /// Sizes that are no lengths.
    #[error("a stock size must be a length above 0 and below 2000 mm")]
    NoSize,
}
