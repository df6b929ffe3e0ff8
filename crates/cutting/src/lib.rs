//! Cutting data: speeds, feeds, forces, power, deflection, and the limit that binds each number.
//!
//! Formulas: Machinery's Handbook (speeds and feeds), ISO 3002, Kienzle 1952. Symbols as there: D cutter diameter, z teeth, n
//! 1/min, vc m/min, fz mm, ap axial and ae radial depth mm, φ engagement, hm mean chip thickness, kc N/mm², Q cm³/min, P kW.

pub mod force;
pub mod formula;
mod propose;
mod thread;
mod window;

pub use propose::{DrillData, MillData, MillTask, THE_TASK, brush_feed, drill, feed_where, mill};
pub use thread::{NUT_HEIGHT, centre_feed, ream, tap, tap_torque, thread_mill, thread_passes};
pub use window::{Curve, Window, follow, window};
