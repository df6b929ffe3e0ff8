//! The part: what is it, what will be hard, what is doubtful.

mod feature;
mod model;
mod view;

pub use feature::{Feature, FeatureKind, direction_name, face_words, features};
pub use model::{Face, Part, PartError, Surface};
pub use view::{Chamfer, Hole, HoleEnd, OFF_FLOOR, View};
