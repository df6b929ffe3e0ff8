//! Stock and setups: which way is up first, what is gripped, what the zero touches.
//!
//! One school so far, hat and deck: the block is gripped by extra stock at the bottom (the hat), everything that can be reached
//! is cut, the part is turned over about x onto parallels and gripped by finished walls, and the hat is faced off.
//!
//! Work frames: x = 0 at the left end (vise stop), y = 0 at the fixed jaw (behind, +y), z = 0 on the parallels.

mod further;
mod grip;
mod plan;
mod vise;

pub use further::Only;
pub use plan::{
    Choice, Duty, Grip, HoldError, HoldPlan, NotPlanned, Order, SetupHold, Sides, StockChoice, ZeroAxis, plan, plan_on,
    sides,
};
pub use vise::{Bearing, Clamping, Demand, Holds, clamping, holds};
