//! The tests of the server but for those that need a browser, or a database of their own: they link once.

#[path = "../common/mod.rs"]
mod common;

mod api;
mod book;
mod crew;
mod front_end;
mod lookers;
mod outside;
mod queue;
mod rack;
mod rounds;
mod runs;
mod security;
mod types;
