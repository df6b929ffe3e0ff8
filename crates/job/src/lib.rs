//! A job: decisions in, consequences out. The facade that the command line and the server use.

pub mod chain;
pub mod decision;
pub mod files;

pub use chain::{JobError, Plan, Planned, SidePlan, Stage, plan, prove_plan, read_part};
pub use decision::{Decision, Settled};
