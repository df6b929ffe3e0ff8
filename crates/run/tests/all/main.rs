//! The tests of this crate in one binary.

mod answers;
mod plans;
mod series;
mod zeros;
