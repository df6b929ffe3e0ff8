//! The questions that every way of holding answers. Nobody outside this crate looks which way it is.

use crate::frame::Duty;
use crate::statics::Contact;
use crate::vise::Grip;
use geom::DVec3;
use reason::{Sources, Term};
use serde::{Deserialize, Serialize};
use shop::machine::Material;
use ts_rs::TS;

/// How a setup is held: one file a kind.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Hold {
    /// Between two jaws, on parallels.
    Vise(Grip),
}

/// A body that nothing may enter: a box in work coordinates.
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

/// What a hold may not be given in full, in words: what, and why.
pub type Gently = (String, String);

impl Hold {
    /// What nothing may enter, work coordinates.
    pub fn bodies(&self) -> &[Body] {
        match self {
            Hold::Vise(g) => &g.bodies,
        }
    }
    /// Where it touches the piece.
    pub fn contacts(&self, friction: f64) -> Vec<Contact> {
        match self {
            Hold::Vise(g) => g.contacts(friction),
        }
    }
    /// What it holds against a demand, the smallest factor first.
    pub fn holds(&self, friction: f64, d: &Demand) -> Vec<Holds> {
        match self {
            Hold::Vise(g) => g.holds(friction, d),
        }
    }
    /// Terms of that judgement, and the formula with its source.
    pub fn grounds(&self, friction: f64, d: &Demand) -> (Vec<Term>, Sources) {
        match self {
            Hold::Vise(g) => g.grounds(friction, d),
        }
    }
    /// What a person may not do with all the force there is.
    pub fn gently(&self, material: &Material) -> Option<Gently> {
        match self {
            Hold::Vise(g) => g.gently(material),
        }
    }
    /// What helps where it holds too little.
    pub fn hold_better(&self) -> String {
        match self {
            Hold::Vise(g) => g.hold_better(),
        }
    }
    /// What it locates the piece by, and what each may be off, mm.
    pub fn error(&self) -> Vec<Term> {
        match self {
            Hold::Vise(g) => g.error(),
        }
    }
    /// What a person does to hold the piece, in order. `up` names the part's direction that is up.
    pub fn actions(&self, duty: &Duty, up: &str) -> Vec<String> {
        match self {
            Hold::Vise(g) => g.actions(duty, up),
        }
    }
    /// What there is to know at the machine.
    pub fn facts(&self) -> Vec<Fact> {
        match self {
            Hold::Vise(g) => g.facts(),
        }
    }
    /// What it takes of the piece, in words: "raw stock".
    pub fn on(&self) -> &str {
        match self {
            Hold::Vise(g) => &g.on,
        }
    }
    /// To load the piece and hold it, min.
    pub fn minutes(&self) -> f64 {
        match self {
            Hold::Vise(g) => g.minutes(),
        }
    }
    /// What of the shop it takes.
    pub fn needs(&self) -> Vec<String> {
        match self {
            Hold::Vise(g) => g.needs(),
        }
    }
    /// What has to be made for it first; nothing where the shop has all.
    pub fn makes(&self) -> Vec<String> {
        match self {
            Hold::Vise(_) => Vec::new(),
        }
    }
}
