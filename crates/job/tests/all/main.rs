//! The tests of this crate in one binary: they link once and run beside one another.

mod bar;
mod beside;
mod bond;
mod budget;
mod card;
mod chuck;
mod compare;
mod engagement;
#[path = "../family/mod.rs"]
mod family;
mod hand;
mod intents;
mod jaws;
mod make_family;
mod mill;
#[path = "../family/odd.rs"]
mod odd;
mod oracle;
mod places;
mod plate;
mod price;
mod promises;
mod sides;
mod stocking;
mod straps;
mod surfaces;
mod threads;
mod tilted;
mod trainer;
mod undercuts;
mod what_if;
