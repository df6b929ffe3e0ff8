//! Stock and setups: which way is up first, how each setup is held, what its zero touches.
//!
//! One school so far, hat and deck: the block is gripped by extra stock at the bottom (the hat), everything that can be reached
//! is cut, the part is turned over about x onto parallels and gripped by finished walls, and the hat is faced off; what neither
//! sees is cut from across, standing on finished faces. One way of holding so far, the vise; others ask [`Hold`]'s questions.
//!
//! Work frames: x = 0 at the left end (vise stop), y = 0 at the fixed jaw (behind, +y), z = 0 on the parallels.

mod bond;
mod chuck;
mod frame;
mod further;
mod grip;
mod hold;
mod jaw_pair;
mod nest;
mod plan;
mod scheme;
mod seen;
mod soft_jaws;
pub mod statics;
mod vise;
mod ways;

pub use bond::{Bond, SetBy};
pub use chuck::ChuckGrip;
pub use frame::{Choice, Datum, Duty, HoldError, NotPlanned, Offer, Order, Scheme, Setup, StockChoice, Wish};
pub use further::Only;
pub use hold::{Body, Demand, Fact, Hold, HoldKind, HoldKinds, Holds, Layer};
pub use jaw_pair::JawPair;
pub use plan::{plan, plan_on};
pub use scheme::{Candidate, SchemeId, School, schemes};
pub use soft_jaws::{CHANGE_MIN, Carved, OPEN, Pocket, SoftJaws, Touch, in_process};
pub use vise::{Bearing, Clamping, Grip, clamping};
pub use ways::{Sides, sides};
