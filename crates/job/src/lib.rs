//! A job: decisions in, consequences out. The facade that the command line and the server use.

mod beside;
pub mod budget;
pub mod cache;
pub mod chain;
pub mod compare;
mod control;
pub mod decision;
mod ease;
mod error;
pub mod files;
pub mod made;
pub mod plan;
mod plan_file;
pub mod price;
pub mod proving;
pub mod reposted;
mod routing;
pub mod sheet;
pub mod sizes;
pub mod stocking;
mod told;
pub mod trainer;
pub mod what_if;

pub use cache::{Cache, Desk};
pub use chain::{plan, plan_at, read_part};
pub use compare::{Comparison, Standing, compare_at, estimated};
pub use control::Control;
pub use decision::{Decision, Revised, Settled, Units};
pub use error::JobError;
pub use made::{Made, MadeBody};
pub use plan::{Plan, Planned, SidePlan, Stage};
pub use proving::{prove_plan, prove_plan_at, setups_of};
pub use stocking::{Laid, Prepared, Proved, Rehearsal, StockBench, StockDecision};
