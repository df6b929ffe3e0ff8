//! The geometry kernel: OpenCASCADE behind a thin shim, the only C++ of the product.
//!
//! Problem: STEP files come from anywhere. A damaged one can crash the kernel's reader or hang it, and two reads in one
//! process disturb each other's unit state. So a file is read in a **child process** with limits ([`read_guarded`]); the
//! child is any program that calls [`reader_main`] with its two arguments (`goldchip` does, under a hidden word).
//!
//! Lengths are mm whatever the file's unit: the kernel converts. Face numbers follow OpenCASCADE's own parametrisation.

mod bridge;
mod guard;
mod model;
pub mod shape;

pub use guard::{Limits, ReadError, read_guarded, read_trusted, reader_main};
pub use model::{EdgeKind, RawEdge, RawFace, RawModel, RawSurface};
