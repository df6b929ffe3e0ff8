//! Why: judgements with their terms, and findings with their places.
//!
//! Every number that the product proposes is a [`Judged`] value, so that a screen can open it and a test can read what bound
//! it. Every doubt, warning or refusal is a [`Finding`]. Neither holds prose that a program would have to parse: words stand
//! beside data.

mod kinds;
mod remedy;
mod source;
mod sure;
mod watch;
mod words;

pub use kinds::{KINDS, Kind};
pub use remedy::{Act, Override, Remedy};
pub use source::{Source, Sources};
pub use sure::Sure;
pub use watch::Watch;
pub use words::{CLOSE, Len, OPEN, Span, len, plain, said, spans};

use glam::DVec3;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// One symbol of a formula with its value.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Term {
    /// As in the formula: `vc`, `fz`.
    pub symbol: String,
    /// In words: "cutting speed".
    pub meaning: String,
    /// The number, in `unit`.
    pub value: f64,
    /// "m/min", "mm", "".
    pub unit: String,
}

impl Term {
    /// A term from its four parts.
    pub fn new(symbol: &str, meaning: &str, value: f64, unit: &str) -> Self {
        Term { symbol: symbol.into(), meaning: meaning.into(), value, unit: unit.into() }
    }
}

/// A limit that was looked at, bound or not, in the unit of the judged value.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Bound {
    /// Short name: "feed cap", "tooth load", "deflection".
    pub name: String,
    /// The value that this limit alone would allow.
    pub allows: f64,
}

/// A value with its reasons.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Judged<T> {
    /// The value.
    pub value: T,
    /// Its unit.
    pub unit: String,
    /// The limit that stopped it from being higher or lower.
    pub bound_by: String,
    /// All limits looked at.
    pub bounds: Vec<Bound>,
    /// The formula's terms.
    pub terms: Vec<Term>,
    /// Where formula and values come from, with the mark of how sure that is.
    pub source: Sources,
}

/// The smallest of several upper limits, as a judgement. `floor` (name, value) wins over them when they fall below it.
pub fn least(unit: &str, bounds: Vec<Bound>, terms: Vec<Term>, source: impl Into<Sources>) -> Judged<f64> {
    let (mut value, mut bound_by) = (f64::INFINITY, String::from("nothing"));
    for b in &bounds {
        if b.allows < value {
            value = b.allows;
            bound_by.clone_from(&b.name);
        }
    }
    Judged { value, unit: unit.into(), bound_by, bounds, terms, source: source.into() }
}

/// How much a finding matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Worth knowing.
    Note,
    /// Look before cutting.
    Warn,
    /// Do not cut.
    Stop,
}

/// An axis-parallel box in part coordinates, mm.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct Place {
    /// Smallest corner.
    pub min_mm: [f64; 3],
    /// Largest corner.
    pub max_mm: [f64; 3],
}

impl Place {
    /// From two corners.
    pub fn new(min: DVec3, max: DVec3) -> Self {
        Place { min_mm: min.to_array(), max_mm: max.to_array() }
    }
    /// Is `p` in it, borders and `slack` mm included?
    pub fn contains(&self, p: DVec3, slack: f64) -> bool {
        (0..3).all(|k| p[k] >= self.min_mm[k] - slack && p[k] <= self.max_mm[k] + slack)
    }
}

/// Something that a person should know, with where it is.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Finding {
    /// Stable from one run to the next for the same thing in the same place.
    pub id: String,
    /// What sort: "gouge", "leftover", "rapid_in_stock", …
    pub kind: Kind,
    /// How much it matters.
    pub severity: Severity,
    /// What is the case, with its number.
    pub what: String,
    /// Why it matters and what to do.
    pub why: String,
    /// Name of the setup, where it belongs to one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub setup: Option<String>,
    /// Line of the program, counted from 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub line: Option<u32>,
    /// Boxes in part coordinates that together hold the material concerned.
    #[serde(default)]
    pub places: Vec<Place>,
    /// What can be done about it at once.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub remedy: Option<Remedy>,
}

impl Finding {
    /// A finding without setup, line and places.
    pub fn new(kind: Kind, severity: Severity, what: impl Into<String>, why: impl Into<String>) -> Self {
        debug_assert!(severity <= kind.gravest(), "{kind} is never {severity:?}");
        Finding {
            id: kind.to_string(),
            kind,
            severity,
            what: what.into(),
            why: why.into(),
            setup: None,
            line: None,
            places: Vec::new(),
            remedy: None,
        }
    }
    /// Does it name material that stays on the part?
    pub fn leaves_material(&self) -> bool {
        self.kind.leaves()
    }
    /// With a key that tells it from others of its kind.
    pub fn keyed(mut self, key: impl std::fmt::Display) -> Self {
        // Keys may be words; an id has no marks.
        self.id = plain(&format!("{}:{key}", self.kind)).into_owned();
        self
    }
    /// In this setup.
    pub fn in_setup(mut self, setup: &str) -> Self {
        self.setup = Some(setup.into());
        self
    }
    /// At this line.
    pub fn at_line(mut self, line: u32) -> Self {
        self.line = Some(line);
        self
    }
    /// With what can be done about it at once.
    pub fn mended_by(mut self, words: impl Into<String>, act: Act) -> Self {
        self.remedy = Some(Remedy::new(words, act));
        self
    }
    /// With places.
    pub fn at(mut self, places: Vec<Place>) -> Self {
        self.places = places;
        self
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_least_bound_binds_and_all_are_kept() {
        let b = |name: &str, allows| Bound { name: name.into(), allows };
        let j = least("mm", vec![b("a", 3.0), b("b", 2.0), b("c", 5.0)], vec![], Source::derived("test"));
        assert_eq!((j.value, j.bound_by.as_str(), j.bounds.len()), (2.0, "b", 3));
    }

    #[test]
    fn severity_orders_and_reads_in_lower_case() {
        assert!(Severity::Stop > Severity::Warn && Severity::Warn > Severity::Note);
        let f = Finding::new(Kind::Gouge, Severity::Stop, "w", "y").keyed("1").in_setup("side 1").at_line(7);
        assert_eq!((f.id.as_str(), f.setup.as_deref(), f.line), ("gouge:1", Some("side 1"), Some(7)));
    }
}
