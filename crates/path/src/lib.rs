//! Milling and drilling motion: regions and holes in, moves out. No rule of choice lives here: depths, steps, feeds come in as
//! numbers.

pub mod motion;
