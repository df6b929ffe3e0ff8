//! Programs as text: posting them for a control and reading them back.
//!
//! The language is RS-274 as NISTIR 6556 (Kramer, Proctor, Messina 2000) describes it, the milling part, with the habits of each control as data
//! (`shop::dialect`). The reader is the product's witness: what is proved is the text, not the motion that made it. It refuses by name and line
//! what it does not understand, never by guessing. Words that the publication lacks and that many controls understand alike (subprograms, loops, turned,
//! scaled and polar coordinates, feed by the turn) are read and marked as such.

mod act;
mod consequence;
mod explain;
mod language;
mod lex;
mod post;
mod promise;
mod read;
mod restart;
mod sample;
mod slip;
mod translate;
mod write;

pub use consequence::{Consequence, Other, consequences};
pub use explain::{Told, explain, particulars};
pub use language::{LANGUAGE, Meaning, WordKind};
pub use post::{Heading, PostError, PostTool, Stop, post};
pub use promise::{Anchored, Changes, Posted, Promise, anchor, changes};
pub use read::{Hole, Program, ReadError, ReadSettings, Shape, Step, StepKind, read};
pub use restart::{GoOn, Restart, restart};
pub use sample::{Sample, sample};
pub use shop::dialect::Dialect;
pub use slip::{Site, Slip, Slipped, sites, slipped};
pub use translate::translate;
