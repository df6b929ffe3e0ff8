//! The nouns of a run card. Lengths mm, angles degrees (a person reads them), torque N m, time min.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Everything that a person at the machine is led through for one piece.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(rename = "MachineCard")]
pub struct Card {
    /// The part.
    pub title: String,
    /// Material, stock, machine and control, line by line.
    pub about: Vec<String>,
    /// Programs in the order in which they run.
    pub programs: Vec<Loaded>,
    /// Cutters of all setups by number, each once.
    pub tools: Vec<CardTool>,
    /// In order.
    pub steps: Vec<Step>,
    /// Setups as they stand on the machine.
    #[serde(default)]
    pub drawings: Vec<Drawing>,
}

/// A setup, drawn.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(rename = "RunDrawing")]
pub struct Drawing {
    /// "side 1".
    pub setup: String,
    /// "From the front".
    pub title: String,
    /// The drawing.
    pub svg: String,
}

/// A program as it must be in the control.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(rename = "RunLoaded")]
pub struct Loaded {
    /// Setup.
    pub setup: String,
    /// File.
    pub file: String,
    /// Lines.
    pub lines: u32,
    /// First signs of the text's SHA-256.
    pub sum: String,
}

/// A cutter that a run needs.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct CardTool {
    /// T.
    pub number: u32,
    /// In words.
    pub words: String,
    /// Out of its holder, mm.
    pub stickout_mm: f64,
    /// From the gauge line to its tip, mm.
    pub length_mm: f64,
    /// mm.
    #[serde(default)]
    pub diameter_mm: f64,
}

/// What is done in a step.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(rename = "RunStepKind")]
pub enum StepKind {
    /// What to beware of.
    Caution,
    /// The stock in hand is measured.
    Stock,
    /// Cutters are put together and their lengths entered.
    Cutters,
    /// One axis of the zero.
    Zero,
    /// The piece is loaded and held.
    Load,
    /// The program is loaded.
    Program,
    /// It runs above the piece.
    DryRun,
    /// A cut that is deliberately short.
    FirstCut,
    /// The program runs.
    Run,
    /// It stands at a stop.
    Stop,
    /// Sizes are measured before the piece is unclamped.
    Measure,
    /// What is made by hand afterwards.
    ByHand,
    /// The piece is done.
    Finish,
}

/// A step.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(rename = "RunStep")]
pub struct Step {
    /// Stable within its card: "side-1/zero-x".
    pub id: String,
    /// "side 1"; empty where it belongs to none.
    pub setup: String,
    /// What sort.
    pub kind: StepKind,
    /// In the imperative: "Find zero X".
    pub title: String,
    /// What is done, in order.
    pub says: Vec<String>,
    /// What to beware of in it.
    pub cautions: Vec<String>,
    /// Ways to do it, the one to take first; one at least.
    pub ways: Vec<Way>,
    /// Line of the program that it is about.
    pub line: Option<u32>,
    /// What it is reckoned to take, min.
    pub minutes: Option<f64>,
    /// For a dry run: Z of the zero is raised by this, mm; 0 where there is no room.
    #[serde(default)]
    pub raise_mm: Option<f64>,
}

/// A way to do a step.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(rename = "RunWay")]
pub struct Way {
    /// Stable within its step.
    pub id: String,
    /// "edge finder, tip Ø10".
    pub title: String,
    /// What is done, in order.
    pub says: Vec<String>,
    /// What is typed.
    pub asks: Vec<Ask>,
    /// What comes out.
    pub outcomes: Vec<Outcome>,
}

/// What a machine on its line could tell a number by. Places are machine coordinates as planned, mm; of Z those of a nose without a cutter.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(tag = "kind", rename_all = "snake_case")]
#[ts(rename = "RunReads")]
pub enum Reads {
    /// The setter.
    Length {
        /// T.
        tool: u32,
    },
    /// A face is touched along an axis.
    Face {
        /// A point of it.
        at: [f64; 3],
        /// 0 X, 1 Y, 2 Z.
        axis: usize,
        /// 1 from its larger side, −1 from its smaller.
        side: f64,
        /// Diameter of the tip, or what stands between cutter and face, mm.
        size_mm: f64,
        /// The cutter that stands there; none: a tip.
        tool: Option<u32>,
        /// So far off the aid may be, mm.
        off_mm: f64,
    },
    /// The spindle is brought over a middle.
    Middle {
        /// The middle.
        at: [f64; 3],
        /// 0 X, 1 Y.
        axis: usize,
        /// So far off the aid may be, mm.
        off_mm: f64,
    },
    /// The height of what a cutter has cut.
    Height {
        /// T.
        tool: u32,
        /// As the program has it, over Z0.
        nominal_mm: f64,
        /// Z0 as planned.
        zero_mm: f64,
    },
    /// A size of the piece.
    Size {
        /// As planned.
        nominal_mm: f64,
    },
}

/// Where a number is entered in the control.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(tag = "kind", rename_all = "snake_case")]
#[ts(rename = "RunSets")]
pub enum Sets {
    /// An axis of the zero.
    Zero {
        /// 0 X, 1 Y, 2 Z.
        axis: usize,
    },
    /// The length of a cutter.
    Length {
        /// T.
        tool: u32,
    },
}

/// A number that is typed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(rename = "RunAsk")]
pub struct Ask {
    /// Stable within its step.
    pub id: String,
    /// "Spindle X when it jumps".
    pub label: String,
    /// "mm", "°", "N m".
    pub unit: String,
    /// What it will be if all is as planned.
    pub planned: Option<f64>,
    /// Where nothing is typed this counts: a number, or what an earlier step had under this key (the later of both that there is).
    pub unsaid: Option<f64>,
    /// Key of an earlier number that counts where nothing is typed here: "side-1/cutters/t5".
    pub from: Option<String>,
    /// What it must be within.
    pub check: Check,
    /// What a machine on its line tells it by.
    #[serde(default)]
    pub reads: Option<Reads>,
    /// Where it is entered.
    #[serde(default)]
    pub sets: Option<Sets>,
}

impl Ask {
    /// A length that is typed by hand.
    pub fn length(id: &str, label: String, planned: Option<f64>, check: Check) -> Ask {
        let unit = "mm".into();
        Ask { id: id.into(), label, unit, planned, unsaid: None, from: None, check, reads: None, sets: None }
    }
}

/// A number that comes out of what was typed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(rename = "RunOutcome")]
pub struct Outcome {
    /// Stable within its step.
    pub id: String,
    /// "Zero X, machine coordinates".
    pub label: String,
    /// "mm".
    pub unit: String,
    /// What is done with it: "Enter as X of G54".
    pub then: String,
    /// How it comes about.
    pub sum: Sum,
    /// The formula in words: "X − tip ÷ 2 − place of the face".
    pub formula: String,
    /// What it must be within.
    pub check: Check,
    /// Where it is entered.
    #[serde(default)]
    pub sets: Option<Sets>,
}

/// A constant and a weighted sum of numbers. Keys without a slash are those of the own step.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, TS)]
#[ts(rename = "RunSum")]
pub struct Sum {
    /// What is there without any of them.
    pub constant: f64,
    /// Key and weight.
    pub terms: Vec<(String, f64)>,
    /// The sum is a rise over so much: the number is its angle in degrees, atan(sum ÷ over).
    pub over: Option<f64>,
}

impl Sum {
    /// Of a constant and weighted numbers.
    pub fn of(constant: f64, terms: &[(&str, f64)]) -> Sum {
        Sum { constant, terms: terms.iter().map(|(k, w)| ((*k).into(), *w)).collect(), over: None }
    }
    /// What it comes to, if all its numbers are there.
    pub fn value(&self, of: &dyn Fn(&str) -> Option<f64>) -> Option<f64> {
        let sum = self.terms.iter().try_fold(self.constant, |s, (k, w)| Some(s + w * of(k)?))?;
        Some(match self.over {
            Some(over) => (sum / over).atan().to_degrees(),
            None => sum,
        })
    }
}

/// Limits of a number: outside of `must` the card stops, outside of `should` it asks to look again.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, TS)]
#[ts(rename = "RunCheck")]
pub struct Check {
    /// Least and most.
    pub must: [Option<f64>; 2],
    /// Least and most without a doubt.
    pub should: [Option<f64>; 2],
    /// Where these limits come from.
    pub why: String,
    /// What to do below them.
    pub below: String,
    /// What to do above them.
    pub above: String,
}

impl Check {
    /// Anything goes.
    pub fn none() -> Check {
        Check::default()
    }
    /// Within these limits, whatever happens.
    pub fn must(least: f64, most: f64, why: &str) -> Check {
        Check { must: [Some(least), Some(most)], why: why.into(), ..Check::default() }
    }
    /// Without a doubt within these.
    pub fn should(self, least: f64, most: f64) -> Check {
        Check { should: [Some(least), Some(most)], ..self }
    }
    /// What to do where it is outside.
    pub fn or(self, below: &str, above: &str) -> Check {
        Check { below: below.into(), above: above.into(), ..self }
    }
}

/// As an id: lower case, words joined by a dash.
pub(crate) fn slug(words: &str) -> String {
    let mut out = String::new();
    for c in words.chars().map(|c| c.to_ascii_lowercase()) {
        if c.is_ascii_alphanumeric() {
            out.push(c);
        } else if !out.ends_with('-') && !out.is_empty() {
            out.push('-');
        }
    }
    out.trim_end_matches('-').into()
}
