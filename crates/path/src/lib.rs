//! Milling and drilling motion: regions and holes in, moves out. No rule of choice lives here: depths, steps, feeds come in as
//! numbers.
//!
//! Frame: the setup's work coordinates, z up along the spindle. A *region for the centre* is where the cutter's axis may be.

pub mod chamfer;
pub mod face;
pub mod ground;
pub mod motion;
mod mover;
pub mod profile;
pub mod rough;
pub mod surface;
pub mod thread;
pub mod undercut;

pub use mover::{Feeds, Mover};
