//! Operations as data.

use cutting::{DrillData, MillData};
use part::Made;
use path::motion::Toolpath;
use reason::{Finding, Sure, Term};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Sort of operation.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum OpKind {
    /// Flat over everything.
    Face,
    /// What is thin over a hollow, before a face cutter would tear it off.
    Open,
    /// Bulk of material.
    Rough,
    /// Floors to size.
    Floor,
    /// Walls to size.
    Wall,
    /// Slanted and curved faces, by a ball.
    Surface,
    /// Under overhangs, by a cutter on a neck.
    Undercut,
    /// Spots for drills.
    Spot,
    /// Holes.
    Drill,
    /// Holes to a fit, by a reamer.
    Ream,
    /// Threads by a tap.
    Tap,
    /// Threads by a thread mill.
    Thread,
    /// Edges.
    Chamfer,
}

impl OpKind {
    /// In a word.
    pub fn word(self) -> &'static str {
        match self {
            OpKind::Face => "face",
            OpKind::Open => "open",
            OpKind::Rough => "rough",
            OpKind::Floor => "floor",
            OpKind::Wall => "profile",
            OpKind::Surface => "surface",
            OpKind::Undercut => "undercut",
            OpKind::Spot => "spot",
            OpKind::Drill => "drill",
            OpKind::Ream => "ream",
            OpKind::Tap => "tap",
            OpKind::Thread => "thread",
            OpKind::Chamfer => "chamfer",
        }
    }
}

/// An operation with its motion and its reasons.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Operation {
    /// From kind, cutter-independent place and height: the same after a change elsewhere.
    pub id: String,
    /// Sort.
    pub kind: OpKind,
    /// Words.
    pub title: String,
    /// Tool number.
    pub tool: u32,
    /// Lowest height in work coordinates, mm.
    pub bottom: f64,
    /// Upper height of what it cuts, mm.
    pub top: f64,
    /// Why it stands where it stands.
    pub order_why: String,
    /// A hole that has to be there before the walls beside it are cut.
    #[serde(default)]
    pub early: bool,
    /// Stops of the program before it.
    #[serde(default)]
    pub after_stop: u32,
    /// Why this cutter.
    pub cutter_why: Vec<Term>,
    /// Milling numbers.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mill: Option<MillData>,
    /// Drilling numbers.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub drill: Option<DrillData>,
    /// Least and largest corner of where its cutter's end cuts, work coordinates, mm.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub over: Option<[[f64; 3]; 2]>,
    /// Motion.
    #[serde(skip)]
    pub path: Option<Toolpath>,
}

impl Operation {
    /// Another of the same cutter and numbers goes on where this one ends: one operation.
    pub(crate) fn go_on(&mut self, next: Operation) {
        (self.bottom, self.top) = (self.bottom.at_most(next.bottom), self.top.at_least(next.top));
        if let (Some(a), Some(b)) = (&mut self.mill, next.mill) {
            a.engagement = a.engagement.at_least(b.engagement);
            a.power_kw = a.power_kw.at_least(b.power_kw);
        }
        if let (Some(a), Some(b)) = (&mut self.path, next.path) {
            a.moves.extend(b.moves);
            a.engagement_limit = a.engagement_limit.zip(b.engagement_limit).map(|(p, q)| p.at_least(q));
            a.power_kw = a.power_kw.zip(b.power_kw).map(|(p, q)| p.at_least(q));
        }
    }
    /// Its cutter in words.
    pub(crate) fn cutter_words(&self, shop: &shop::Shop) -> String {
        shop.crib.iter().find(|t| t.number == self.tool).map_or_else(String::new, shop::tool::Tool::words)
    }
}

/// The point of a drill below a bottom that is drawn flat: allowed, because the drawing means the full diameter.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Point {
    /// Box in part coordinates.
    pub place: reason::Place,
    /// Of the drill, mm.
    pub diameter_mm: f64,
    /// Length of its point, mm.
    pub point_mm: f64,
    /// Middle of the flat bottom, part coordinates, mm.
    pub bottom_mm: [f64; 3],
    /// Out of the hole's mouth, part coordinates.
    pub out: [f64; 3],
}

/// A way in which a thread or a fit might be made.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
pub struct FinishedWay {
    /// By what.
    pub how: Made,
    /// Tool number.
    pub tool: u32,
    /// "tap Ø6 × 1".
    pub words: String,
    /// Can it be?
    pub possible: bool,
    /// Why not; empty where it can.
    pub why: String,
}

/// Holes whose threads or fits are made alike.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Finished {
    /// "M6", "Ø8 H7".
    pub wants: String,
    /// Question whose answer says how it is made.
    pub question: String,
    /// By what.
    pub how: Made,
    /// Id of the operation; none where a hand does it.
    pub operation: Option<String>,
    /// What came into question.
    pub ways: Vec<FinishedWay>,
    /// Why so.
    pub why: String,
    /// A person wants it so.
    pub by_person: bool,
    /// The holes.
    pub holes: Vec<FinishedHole>,
}

/// A hole with a thread or a fit; lengths mm, part coordinates.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct FinishedHole {
    /// Around all that its tool cuts.
    pub place: reason::Place,
    /// Middle of its mouth.
    pub mouth_mm: [f64; 3],
    /// Out of the mouth.
    pub out: [f64; 3],
    /// As the model shows it.
    pub drawn_mm: f64,
    /// From the mouth to the end of the full thread or fit.
    pub full_mm: f64,
    /// From the mouth to the tool's lowest place.
    pub reach_mm: f64,
    /// Outside of the thread.
    pub major_mm: Option<f64>,
    /// Its core.
    pub minor_mm: Option<f64>,
    /// Its pitch.
    pub pitch_mm: Option<f64>,
}

/// A planned side.
#[derive(Debug, Clone)]
pub struct SetupRoute {
    /// In order.
    pub operations: Vec<Operation>,
    /// Material afterwards.
    pub stock: geom::Slabs,
    /// What will be left, and why; places in part coordinates.
    pub named: Vec<Finding>,
    /// What else there is to know of it; it leaves no material.
    pub notes: Vec<Finding>,
    /// Points of drills below bottoms that are drawn flat.
    pub points: Vec<Point>,
    /// What is named as left, but lies open to another side.
    pub elsewhere: Vec<crate::Elsewhere>,
    /// Threads and fits, however they are made.
    pub finished: Vec<Finished>,
}

impl SetupRoute {
    /// Nothing is cut: the stock stays as it is.
    pub fn nothing(stock: geom::Slabs) -> SetupRoute {
        let (operations, named, notes) = (vec![], vec![], vec![]);
        SetupRoute { operations, stock, named, notes, points: vec![], elsewhere: vec![], finished: vec![] }
    }
}
