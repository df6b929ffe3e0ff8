//! What has to be made before it can hold a piece: each a piece of its own, with a model, a plan and a proof.

use crate::carved::Carved;
use crate::frame::{Duty, Setup};
use crate::hold::Hold;
use crate::plate::Plate;
use crate::soft_jaws::{CHANGE_MIN, SoftJaws};
use geom::{Box3, Placement};
use part::Intent;
use shop::Shop;

/// A piece that is made to hold another, in the work coordinates of the setup that it holds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Making<'a> {
    /// A pair of soft jaws.
    Jaws(&'a SoftJaws),
    /// A plate with pins and threads.
    Plate(&'a Plate),
}

impl<'a> Making<'a> {
    /// Its name, and that of its folder: "jaws-side-2".
    pub fn name(&self) -> &'a str {
        match self {
            Making::Jaws(j) => &j.made,
            Making::Plate(p) => &p.made,
        }
    }
    /// What it is, at the start of a sentence: "Soft jaws".
    pub fn what(&self) -> &'static str {
        match self {
            Making::Jaws(_) => "Soft jaws",
            Making::Plate(_) => "Plate",
        }
    }
    /// What is made in what: "a nest in …".
    pub fn words(&self) -> String {
        match self {
            Making::Jaws(j) => format!("a nest in {}", j.blanks.name),
            Making::Plate(p) => format!("{} in {}", p.holes_in_words(), p.blank.name),
        }
    }
    /// The whole, as it is cut.
    pub fn carved(&self) -> Carved {
        match self {
            Making::Jaws(j) => j.carved(),
            Making::Plate(p) => p.carved(),
        }
    }
    /// Its solids as they stand when they hold, with the names of the bodies that they are.
    pub fn solids(&self) -> Vec<(&'static str, Carved)> {
        match self {
            Making::Jaws(j) => j.halves().to_vec(),
            Making::Plate(p) => vec![("plate", p.carved())],
        }
    }
    /// The block that it is cut from.
    pub fn block(&self) -> Box3 {
        let [min, max] = match self {
            Making::Jaws(j) => j.block,
            Making::Plate(p) => p.block,
        };
        Box3 { min, max }
    }
    /// Id of its material.
    pub fn material(&self) -> &'a str {
        match self {
            Making::Jaws(j) => &j.blanks.material,
            Making::Plate(p) => &p.blank.material,
        }
    }
    /// How it is held while it is cut itself.
    pub fn own_hold(&self) -> Hold {
        match self {
            Making::Jaws(j) => j.own_hold(),
            Making::Plate(p) => Hold::Vise(Box::new(p.own.clone())),
        }
    }
    /// The setup in which it is cut: in the same frame, with the same zero.
    pub fn own_setup(&self, shop: &Shop) -> Setup {
        self.own_hold().setup(self.name(), Duty::Seen, Placement::IDENTITY, shop)
    }
    /// Holes of it that are more than drilled.
    pub fn intents(&self) -> Vec<Intent> {
        match self {
            Making::Jaws(_) => Vec::new(),
            Making::Plate(p) => p.intents(),
        }
    }
    /// A person's minutes beside the machine's: to set it up, and to take it away again; what is done to it by hand.
    pub fn prepare_min(&self) -> f64 {
        match self {
            // The jaws go on, and off again.
            Making::Jaws(_) => 2.0 * CHANGE_MIN,
            Making::Plate(_) => CHANGE_MIN / 2.0 + self.by_hand_min(),
        }
    }
    /// To ream and to tap its holes by hand, min.
    pub fn by_hand_min(&self) -> f64 {
        match self {
            Making::Jaws(_) => 0.0,
            Making::Plate(p) => p.by_hand_min(),
        }
    }
}
