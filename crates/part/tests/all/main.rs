//! The tests of this crate in one binary: they link once and run beside one another.

mod carry;
mod families;
mod family;
mod fits;
mod known_parts;
mod marks;
mod purposes;
mod revisions;
mod slices;
mod ways;
