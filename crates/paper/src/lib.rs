//! Paper for the machine: a setup sheet as PDF, the list of cutters as a table. Everything on it comes from a plan's folder, as it lies there.
//!
//! A page has what a person needs in the order in which it is needed: what it is and whether it is proved, how it is held (from the front and from above),
//! what to do before the start, cutters, steps, stops, what is tried before it is unclamped, what the hand does afterwards. PDF is written by `krilla`, with
//! the fonts in `fonts/` (OFL).

mod layout;
mod page;
mod picture;
mod svg;

pub use layout::{Format, pdf};
pub use page::{Page, StepRow, ToolRow, of_sheet, pages, sizes_csv, tools_csv};
pub use picture::{Body, Held, Picture, Shape, Tone, from_above, from_the_front};
pub use svg::svg;
