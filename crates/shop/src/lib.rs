//! The shop as plain data: cutters, holders, machines, vises, materials, each with the source of its numbers.

pub mod tool;
