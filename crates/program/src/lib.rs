//! Programs as text: posting them for a control and reading them back.
//!
//! The language is RS-274 as NISTIR 6556 (Kramer, Proctor, Messina 2000) describes it, the milling part. The reader is the
//! product's witness: what is proved is the text, not the motion that made it. It accepts what the demo dialect needs and a
//! little more, and refuses the rest by name and line, never by guessing: variables, expressions, subprograms, cutter
//! compensation, arcs outside G17, rotation, inverse-time feed.

mod dialect;
mod language;
mod lex;
mod post;
mod promise;
mod read;

pub use dialect::Dialect;
pub use language::{LANGUAGE, Meaning, WordKind};
pub use post::{Heading, PostTool, Stop, post};
pub use promise::{Anchored, Changes, Posted, Promise, anchor, changes};
pub use read::{Program, ReadError, ReadSettings, Shape, Step, StepKind, read};
