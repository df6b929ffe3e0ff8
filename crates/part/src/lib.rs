//! The part: what is it, what will be hard, what is doubtful.

mod answer;
mod carry;
mod compare;
mod edge;
mod feature;
mod fits;
mod intent;
mod looks;
mod mark;
mod measure;
mod model;
mod purpose;
mod question;
mod slant;
mod slice;
mod undercut;
mod view;

pub use answer::{answer_fault, answer_words, hand_question, left_for_the_hand, reading_of};
pub use carry::{Carried, carried};
pub use compare::{Change, Fate, compare};
pub use edge::{Bend, Edge};
pub use feature::{
    Axis, Blocked, Body, BodyKind, Dim, Ending, Feature, FeatureKind, FormCutter, Hard, OtherWay, Rays, Recognised,
    Section, SectionKind, Symmetry, before_thin, direction_name, direction_words, face_words, plug_force, recognise,
    recognise_with, relief_offset,
};
pub use fits::{Contact, FitsWith, Neighbour, fits};
pub use intent::{After, Intent, Made, Screw, intents, made_question};
pub use mark::{Ask, Mark, MarkKind, Marked, Process, face_ids, marked, opposite};
pub use measure::{Measured, NoSuchFace, Reading, Spot, measure};
pub use model::{Face, Origin, Part, PartError, Solid, Surface};
pub use purpose::purposes;
pub use question::{Choice, FLAT_BOTTOMS, Question, grave_questions, hole_question, may_go_deeper, questions};
pub use slant::slants;
pub use slice::{Cut, Slice, Wall, slice};
pub use undercut::{Level, Reach, Undercut, best, made, undercuts};
pub use view::{BESIDE, Chamfer, Hole, HoleEnd, OFF_FLOOR, View};
