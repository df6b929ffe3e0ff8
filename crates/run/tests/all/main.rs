//! The tests of this crate in one binary.

mod answers;
mod faults;
mod machine;
mod plans;
mod series;
mod zeros;
