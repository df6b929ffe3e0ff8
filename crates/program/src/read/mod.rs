//! The reader: text in, motion in work coordinates out.

mod arc;
mod compensate;
mod coordinates;
mod cycle;
mod flow;
mod state;
mod words;

use geom::{DVec2, DVec3};
use path::motion::Cycle;
use serde::{Deserialize, Serialize};
use shop::dialect::Dialect;
use std::collections::BTreeMap;

/// What the reader must be told of the setup.
#[derive(Debug, Clone)]
pub struct ReadSettings {
    /// Where the work zero (G54) stands in machine coordinates, mm. Machine z = work z + zero z + tool length.
    pub zero_in_machine: DVec3,
    /// Further zeros by their number (55 for G55): where they stand in work coordinates, mm.
    pub zeros: BTreeMap<u32, DVec3>,
    /// Most motions, and most lines that are run; what goes beyond is an error, not an endless run.
    pub most_steps: usize,
    /// The control that it is written for.
    pub dialect: Dialect,
    /// Where axes stand at their reference point (G28), machine coordinates, mm.
    pub reference: DVec3,
    /// Radius of each cutter by its number, mm: for cutter compensation (G41, G42).
    pub radii: BTreeMap<u32, f64>,
    /// Lines that begin with "/" are left out.
    pub skip: bool,
}

impl Default for ReadSettings {
    fn default() -> Self {
        ReadSettings {
            zero_in_machine: DVec3::new(0.0, 0.0, -300.0),
            zeros: BTreeMap::new(),
            most_steps: 2_000_000,
            dialect: Dialect::default(),
            reference: DVec3::ZERO,
            radii: BTreeMap::new(),
            skip: false,
        }
    }
}

/// A program that cannot be followed; `line` counts from 1.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[error("line {line}: {what}")]
pub struct ReadError {
    /// Line of the text.
    pub line: u32,
    /// What is wrong and what to do.
    pub what: String,
}

/// Shape of a motion.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub enum Shape {
    /// Straight.
    Line,
    /// About a vertical axis through `center`; sweep in rad, positive counter-clockwise, more than 2π for several turns.
    Arc { center: DVec2, sweep: f64 },
}

/// What happens in a step.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub enum StepKind {
    /// At rapid.
    Rapid,
    /// At `feed` mm/min.
    Feed { feed: f64 },
    /// The tool is changed.
    ToolChange,
    /// Seconds of dwell.
    Dwell { seconds: f64 },
    /// The program waits for a person (M0) or may (M1).
    Pause { optional: bool },
    /// A comment.
    Note { text: String },
}

/// One step with the modal state in which it happens.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Step {
    /// Line of the text, from 1.
    pub line: u32,
    /// What.
    pub kind: StepKind,
    /// Where it begins: cutter's lowest point in work coordinates, mm.
    pub from: DVec3,
    /// Where it ends.
    pub to: DVec3,
    /// Along what.
    pub shape: Shape,
    /// Tool in the spindle, 0 for none.
    pub tool: u32,
    /// Spindle speed when it turns, 1/min; negative counter-clockwise.
    pub spindle: Option<f64>,
    /// Flood or mist is on.
    pub coolant: bool,
    /// It is mist, and no flood.
    #[serde(default)]
    pub mist: bool,
    /// Tool length is applied (G43), and by which H.
    pub length_offset: Option<u32>,
    /// Position is in machine coordinates (G53): z is the spindle nose, the tool's length is not in it.
    pub machine: bool,
}

impl Step {
    /// Does the machine move in it?
    pub fn moves(&self) -> bool {
        matches!(self.kind, StepKind::Rapid | StepKind::Feed { .. })
    }
    /// Length of the path, mm.
    pub fn length(&self) -> f64 {
        match self.shape {
            Shape::Line => self.from.distance(self.to),
            Shape::Arc { center, sweep } => {
                (self.from.truncate().distance(center) * sweep).hypot(self.to.z - self.from.z)
            }
        }
    }
    /// Point at fraction `t` of it.
    pub fn at(&self, t: f64) -> DVec3 {
        match self.shape {
            Shape::Line => self.from.lerp(self.to, t),
            Shape::Arc { center, sweep } => {
                let r = self.from.truncate() - center;
                (center + DVec2::from_angle(sweep * t).rotate(r)).extend(self.from.z + (self.to.z - self.from.z) * t)
            }
        }
    }
}

/// A program as followed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Program {
    /// Steps in order.
    pub steps: Vec<Step>,
    /// It reached M2 or M30 (or the closing `%`).
    pub ended: bool,
    /// It was in inch at some time.
    pub inch: bool,
    /// Holes that a cycle made.
    #[serde(default)]
    pub holes: Vec<Hole>,
    /// Words that are not in NISTIR 6556 and that many controls understand alike: line and word, each once.
    #[serde(default)]
    pub extensions: Vec<(u32, String)>,
}

/// A hole that a cycle made, and which steps that was.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Hole {
    /// First of its steps, from 0.
    pub first: usize,
    /// Last of its steps.
    pub last: usize,
    /// Where, mm.
    pub at: DVec2,
    /// Height it is come to and left at, mm.
    pub clear: f64,
    /// Height where the feed begins, mm.
    pub start: f64,
    /// Its bottom, mm.
    pub bottom: f64,
    /// How.
    pub cycle: Cycle,
    /// mm/min.
    pub feed: f64,
}

/// Follow a program.
///
/// # Errors
/// [`ReadError`] with the first line that cannot be followed, what is wrong with it and what to do.
pub fn read(text: &str, settings: &ReadSettings) -> Result<Program, ReadError> {
    flow::run(text, settings)
}
