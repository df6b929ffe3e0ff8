//! The geometry kernel: OpenCASCADE behind a thin shim, the only C++ of the product.
//!
//! Problem: STEP files come from anywhere. A damaged one can crash the kernel's reader or hang it, and two reads in one process disturb
//! each other's unit state. So a file from outside is read in a **child process** (crate `intake`); [`read_step`] is what that child calls.
//!
//! Lengths are mm whatever the file's unit: the kernel converts. Face numbers follow OpenCASCADE's own parametrisation.

mod bridge;
mod model;
pub mod shape;
mod step;

pub use model::{EdgeKind, RawEdge, RawFace, RawModel, RawSolid, RawSurface};
pub use step::{Meshing, plain_read, read_step, read_step_bytes, warm_up};
