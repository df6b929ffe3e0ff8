//! What a shop has to cut a part from, and how the part lies in it.
//!
//! A [`Piece`] lies in the rack. A [`Lay`] says how the part lies in a piece: which of the 24 ways it is turned, by which angle it is laid
//! askew, where. [`lay`] works out what follows: the blank that is sawn off, the saw cuts, what goes back to the rack, which faces of the
//! piece serve as they are, what is squared first, what is over on each side of the part. [`candidates`] does so for every piece, with the
//! best lay of each, and ranks them in minutes.
//!
//! Frame of a piece: x along its length from one end, y across from one side, z up from below; the origin is the low corner of the box
//! around it. Lengths are mm, times min, weights kg.

mod along;
mod check;
mod lay;
mod piece;
mod rank;
mod rules;
mod saw;
mod square;
mod table;
mod view;

pub use lay::{Fit, Lay, Laying, Made, Wanted, lay, way_words, ways};
pub use piece::{Form, Piece, Range, Skin};
pub use rank::{Candidate, candidates, proposed, why};
pub use rules::{Allowance, Role, allowance};
pub use saw::SawCut;
pub use square::{Squaring, squaring};
pub use table::{LineError, Table, read_csv, write_csv};
pub use view::{Drawing, Loops};
