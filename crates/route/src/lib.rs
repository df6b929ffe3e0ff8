//! Operations of one setup: which, in what order, with which cutter, and their motion.
//!
//! Order (shop practice): face; rough from the top down, large cutters before small; floors; walls; spot, drill; chamfers once
//! their edges exist; threads and fits last. Roughing comes before any finishing, because stress moves the part. Through cut-outs are cleared whole,
//! below the part's bottom, so that no slug is left when the hat is faced off.

mod across;
mod bound;
mod caps;
mod chamfers;
mod holes;
mod op;
mod order;
mod pockets;
mod setup;
mod surfaces;
mod threads;
mod tools;
mod undercuts;
mod walls;

pub use across::Elsewhere;
pub use bound::{Bound, bound};
pub use op::{Finished, FinishedHole, FinishedWay, OpKind, Operation, Point, SetupRoute};
pub use order::{Moved, Need, broken, needs, reordered};
pub use reason::Override;
pub use setup::{Side, UNSEEN, plan_side};
