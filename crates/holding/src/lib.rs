//! Stock and setups: which way is up first, how each setup is held, what its zero touches.
//!
//! Whole ways ([`SchemeId`]) differ in their school – hat and deck, half from each side, a sheet stuck down, the outline last, from a bar – and in what holds the second side. Whatever
//! holds answers [`Hold`]'s questions; what neither of the first two sides sees is cut from across, standing on finished faces.
//!
//! Work frames: x = 0 at the left end (vise stop), y = 0 at the fixed jaw (behind, +y), z = 0 on the parallels.

mod bond;
mod carved;
mod chuck;
mod collet;
mod frame;
mod from_bar;
mod further;
mod grip;
mod hold;
mod jaw_design;
mod jaw_pair;
mod making;
mod nest;
mod outline_last;
mod plan;
mod plate;
mod scheme;
mod seen;
mod simplex;
mod soft_jaws;
mod stand;
pub mod statics;
mod strapped;
mod tilted;
mod vise;
mod ways;

pub use bond::{Bond, SetBy};
pub use carved::{Carved, Pocket};
pub use chuck::ChuckGrip;
pub use collet::{ColletGrip, Position};
pub use frame::{
    Choice, Datum, Duty, HoldError, NotPlanned, Offer, Order, Sawn, Scheme, Setup, StockChoice, Touched, TouchedOn,
    TouchedWhen, Wish,
};
pub use from_bar::{bar_grip, bar_of};
pub use further::Only;
pub use hold::{Body, Demand, FOR_EVER, Fact, Hold, HoldKind, HoldKinds, Holds, Layer};
pub use jaw_design::in_process;
pub use jaw_pair::JawPair;
pub use making::Making;
pub use plan::{plan, plan_on};
pub use plate::{PinAt, Plate, ScrewAt};
pub use scheme::{Candidate, SchemeId, School, schemes};
pub use soft_jaws::{CHANGE_MIN, OPEN, SoftJaws, Touch};
pub use strapped::{SheetScrewAt, StrapAt, Strapped};
pub use tilted::Tilted;
pub use vise::{Bearing, Clamping, Grip, clamping};
pub use ways::{Sides, sides};
