//! The part: what is it, what will be hard, what is doubtful.

mod model;

pub use model::{Face, Part, PartError, Surface};
