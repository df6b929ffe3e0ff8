//! What an answered hole means for the program: a thread drawn at its outside is drilled at its tap drill, a hole to be reamed a little smaller, and what
//! cuts the thread or the fit afterwards.
//!
//! Only what a person said counts: an answer to the question about the hole, or a thread marked on its wall. A drill larger than the hole that is
//! wanted cannot be taken back, so where no fitting drill is in the crib the hole is left alone.

use crate::question::hole_question;
use crate::{Feature, FeatureKind, Mark, MarkKind, Part, Recognised, face_ids};
use geom::DVec3;
use reason::{Place, Source, Sources, Term, len};
use serde::{Deserialize, Serialize};
use shop::standards;
use std::collections::BTreeMap;
use ts_rs::TS;

/// A reamer wants at least and at most this on the diameter, mm (common practice for 3 to 20 mm, no source).
const REAM: [f64; 2] = [0.1, 0.4];
/// Drawn diameter and thread agree within this, mm.
const NEAR: f64 = 0.03;

/// What comes after the drill.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum After {
    /// A tap.
    Tap,
    /// A reamer.
    Reamer,
}

/// How a thread or a fit is made once its hole is there.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Made {
    /// By a tap in the spindle.
    Tap,
    /// By a thread mill.
    Mill,
    /// By a reamer in the spindle.
    Ream,
    /// After the program, by hand.
    Hand,
}

impl Made {
    /// All of them.
    pub const ALL: [Made; 4] = [Made::Tap, Made::Mill, Made::Ream, Made::Hand];
    /// As answers carry it.
    pub fn key(self) -> &'static str {
        match self {
            Made::Tap => "tap",
            Made::Mill => "mill",
            Made::Ream => "ream",
            Made::Hand => "hand",
        }
    }
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Made::Tap => "by a tap in the spindle",
            Made::Mill => "by a thread mill",
            Made::Ream => "by a reamer in the spindle",
            Made::Hand => "by hand",
        }
    }
}

/// The answer that settles how all threads or fits of one name are made: its key; what stands there is [`Made::key`].
pub fn made_question(wants: &str) -> String {
    format!("{}{}", crate::answer::MADE, reason::plain(wants).replace('/', "|"))
}

/// A thread's profile (ISO 68-1, ASME B1.1).
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Screw {
    /// Outside, mm.
    pub major: f64,
    /// Core of the nut, mm.
    pub minor: f64,
    /// mm.
    pub pitch: f64,
    /// Angle between its flanks, degrees: 60, of pipe threads 55.
    pub flanks_deg: f64,
}

/// A hole of the part that is not simply made as drawn.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Intent {
    /// A place on its axis, part coordinates, mm.
    pub origin: DVec3,
    /// Out of its mouth.
    pub direction: DVec3,
    /// As drawn, mm.
    pub drawn: f64,
    /// Drills that leave what is wanted, the usual one first: least and most diameter, mm. Empty: as drawn.
    pub drills: Vec<[f64; 2]>,
    /// What comes after the drill.
    pub after: After,
    /// "M6", "Ø8 H7".
    pub wants: String,
    /// How the drill follows.
    pub terms: Vec<Term>,
    /// Where the numbers come from.
    pub source: Sources,
    /// Around the hole.
    pub place: Place,
    /// The thread, if it is one.
    #[serde(default)]
    pub screw: Option<Screw>,
    /// How a person wants it made.
    #[serde(default)]
    pub made: Option<Made>,
}

impl Intent {
    /// "the tap M6".
    pub fn tool(&self) -> String {
        match self.after {
            After::Tap => format!("the tap {}", self.wants),
            After::Reamer => format!("the reamer {}", self.wants),
        }
    }
}

/// What a person said about the part's holes, one for each hole that is more than drilled.
pub fn intents(
    part: &Part,
    seen: &Recognised,
    answers: &BTreeMap<String, String>,
    marks: &BTreeMap<String, Mark>,
) -> Vec<Intent> {
    let ids = face_ids(part);
    let threads: Vec<(u32, &str)> = marks
        .values()
        .filter_map(|m| match &m.what {
            MarkKind::Thread { name } => Some((ids.iter().position(|i| *i == m.face)? as u32, name.as_str())),
            _ => None,
        })
        .collect();
    let holes = seen.features.iter().filter(|f| f.kind == FeatureKind::Hole);
    holes
        .filter_map(|f| {
            // A mark on the very face says more than an answer about all that are alike.
            let marked = threads.iter().find(|(k, _)| f.faces.contains(k)).map(|(_, name)| format!("tap {name}"));
            let said = marked.or_else(|| answers.get(&hole_question(f)).cloned())?;
            let mut intent = of(f, &said)?;
            let made = answers.get(&made_question(&intent.wants));
            intent.made = made.and_then(|m| Made::ALL.into_iter().find(|a| a.key() == m));
            Some(intent)
        })
        .collect()
}

fn of(f: &Feature, said: &str) -> Option<Intent> {
    let (axis, drawn) = (f.axis?, f.dim("diameter")?);
    let base = Intent {
        origin: axis.origin,
        direction: axis.direction,
        drawn,
        drills: Vec::new(),
        after: After::Tap,
        wants: String::new(),
        terms: Vec::new(),
        source: Sources::none(),
        place: f.place,
        screw: None,
        made: None,
    };
    if let Some(rest) = said.strip_prefix("tap ") {
        let name = rest.strip_suffix(" drawn at major").unwrap_or(rest);
        let t = standards::threads().iter().find(|t| t.name == name)?;
        let outside = (drawn - t.major).abs() < NEAR;
        let drills = if outside { t.drills.iter().map(|d| [d - 0.02, d + 0.02]).collect() } else { Vec::new() };
        return Some(Intent {
            drills,
            wants: name.into(),
            screw: Some(Screw { major: t.major, minor: t.minor, pitch: t.pitch, flanks_deg: t.flanks_deg() }),
            terms: vec![
                Term::new("D₁", "outside of the thread", t.major, "mm"),
                Term::new("P", "pitch", t.pitch, "mm"),
                Term::new("d", "tap drill", t.drills.first().copied().unwrap_or(t.major - t.pitch), "mm"),
            ],
            source: Sources::written(t.source),
            ..base
        });
    }
    let class = said.strip_prefix("ream ")?;
    Some(Intent {
        drills: vec![[drawn - REAM[1], drawn - REAM[0]]],
        after: After::Reamer,
        wants: class
            .split_once(' ')
            .map_or_else(|| format!("Ø{}", len(class)), |(d, fit)| format!("Ø{} {fit}", len(d))),
        terms: vec![
            Term::new("D₁", "reamed diameter", drawn, "mm"),
            Term::new("least", "for the reamer to cut, on the diameter", REAM[0], "mm"),
            Term::new("most", "that a reamer takes, on the diameter", REAM[1], "mm"),
        ],
        source: Source::practice("").into(),
        ..base
    })
}
