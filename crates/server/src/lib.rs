//! The server: people, jobs, decisions and their background work in a database, and the web in front of it. Planning and proving are the
//! core's; here is only who may ask for it, when it is done, and where it is kept.

pub mod acts;
pub mod at_machine;
pub mod audit;
pub mod backup;
pub mod blobs;
pub mod book;
pub mod crew;
pub mod db;
pub mod decide;
pub mod demo;
pub mod fault;
pub mod forms;
pub mod http;
pub mod jobs;
pub mod keeping;
pub mod log;
pub mod look;
pub mod lookers;
pub mod people;
pub mod queue;
pub mod rack;
pub mod rounds;
pub mod runs;
pub mod sign_in;
pub mod types;
pub mod watch;
pub mod work;

/// The hidden word with which this program starts itself to read a model.
pub const READER_WORD: &str = "read-model";
