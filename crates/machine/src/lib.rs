//! A stand-in of a milling machine: a control with its table of zeros and lengths, a probe, a tool setter, a door, coolant, and faults that can be put in.
//!
//! What it really is – where the vise was bolted, how long cutters came out – is hidden in it ([`hidden`]) and comes out only by touching, as on a real one. It
//! cuts no metal: it follows a program in its time ([`control`]) and looks at travel, speeds, cutters, door and coolant. It is spoken to by lines of
//! JSON over TCP on loopback ([`protocol`], [`link`], [`serve`]).

pub mod control;
pub mod hidden;
pub mod link;
pub mod protocol;
pub mod serve;

pub use control::Control;
pub use link::Link;
pub use protocol::{Fault, Mode, Order, Reply, State, With};
