//! The part: what is it, what will be hard, what is doubtful.

mod model;
mod view;

pub use model::{Face, Part, PartError, Surface};
pub use view::{Chamfer, Hole, HoleEnd, OFF_FLOOR, View};
