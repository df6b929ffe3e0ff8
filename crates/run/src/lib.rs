//! At the machine: the card that leads a person through the setups of a plan, one step at a time, with the arithmetic done.
//!
//! A card ([`card::Card`]) is made once from a proved plan ([`make::card`]) and never changes; what was typed is a list of answers beside it
//! ([`answer`]). Every number that comes out is a constant and a weighted sum of numbers that were typed ([`card::Sum`]): so the card can be counted
//! with by whoever holds it, away from the house too, and a test can read why.

pub mod answer;
pub mod at_machine;
pub mod card;
pub mod caution;
pub mod faults;
pub mod log;
pub mod make;
pub mod reach;
pub mod series;
pub mod zero;

pub use answer::{Answer, Entry, Run, Verdict};
pub use card::{Ask, Card, Check, Outcome, Step, StepKind, Sum, Way};
pub use make::card;
