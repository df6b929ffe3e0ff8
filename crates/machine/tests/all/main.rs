//! Tests of the stand-in.

mod control;
mod line;
