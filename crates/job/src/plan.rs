//! A plan as data: setups with their operations, programs and what is known of them beforehand.

use crate::Control;
use crate::budget::Crossing;
use crate::made::{Made, MadeBody};
use crate::stocking::Prepared;
use holding::{Scheme, Setup};
use intake::Layer3;
use program::Anchored;
use reason::Finding;
use route::{Finished, FinishedHole, Operation, Point};
use serde::{Deserialize, Serialize};
use shop::tool::Tool;
use ts_rs::TS;

/// A stage with the seconds it took (told by the caller's clock; not part of the result).
#[derive(Debug, Clone)]
pub struct Stage {
    /// "paths".
    pub name: &'static str,
    /// s.
    pub seconds: f64,
}

/// A posted program that somebody edited.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Edit {
    /// Name of the file that came back.
    pub file: String,
    /// What is other in it.
    pub changes: program::Changes,
    /// What comes of that.
    #[serde(default)]
    pub consequences: Vec<program::Consequence>,
}

/// One planned side.
#[derive(Debug, Clone)]
pub struct SidePlan {
    /// Setup.
    pub setup: Setup,
    /// In order.
    pub operations: Vec<Operation>,
    /// Tools used, by number.
    pub tools: Vec<Tool>,
    /// What the program is written for.
    pub control: Control,
    /// The program's text.
    pub program: String,
    /// What its lines promise.
    pub promises: Anchored,
    /// What somebody edited of it.
    pub edited: Option<Edit>,
    /// What holds it and is no box, but for what is made.
    pub solids: Vec<MadeBody>,
    /// Threads and fits, however they are made.
    pub finished: Vec<Finished>,
    /// Stock as planned after it, in layers from the bottom up, work coordinates: never less than there is.
    pub after: Vec<Layer3>,
}

/// A whole plan.
#[derive(Debug, Clone)]
pub struct Plan {
    /// Material id.
    pub material: String,
    /// The piece that the block comes from.
    pub prepared: Option<Prepared>,
    /// Stock and setups.
    pub scheme: Scheme,
    /// Sides with their programs.
    pub sides: Vec<SidePlan>,
    /// What is not cut, named beforehand.
    pub named: Vec<Finding>,
    /// Points of drills below bottoms that are drawn flat.
    pub points: Vec<Point>,
    /// Everything else to know.
    pub findings: Vec<Finding>,
    /// Pieces that are made to hold it, each a job of its own.
    pub made: Vec<Made>,
    /// What crosses a flip.
    pub crossings: Vec<Crossing>,
    /// What is measured in each setup before it is unclamped.
    pub sizes: Vec<Vec<crate::sizes::Size>>,
}

impl Plan {
    /// Threads that its programs cut: setup, name, hole.
    pub(crate) fn threads(&self) -> impl Iterator<Item = (&str, &str, &FinishedHole)> {
        self.sides.iter().flat_map(|s| {
            let by_machine = s.finished.iter().filter(|f| f.operation.is_some());
            let holes = by_machine.flat_map(|f| f.holes.iter().map(|h| (f.wants.as_str(), h)));
            holes.filter(|(_, h)| h.pitch_mm.is_some()).map(|(wants, h)| (s.setup.name.as_str(), wants, h))
        })
    }
}

/// A plan with the time of each stage.
#[derive(Debug, Clone)]
pub struct Planned {
    /// The plan.
    pub plan: Plan,
    /// Stages.
    pub stages: Vec<Stage>,
}
