//! What a shop finds zeros and lengths with at the machine.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// How an aid finds a face or a middle.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum AidKind {
    /// Its tip touches a face from the side: the spindle stands half its size off.
    EdgeFinder,
    /// The ball of a probe: like an edge finder, and down as well.
    Probe,
    /// A ground pin between a cutter and a face.
    Pin,
    /// A slip of paper between a cutter and a face.
    Paper,
    /// An indicator swung in the spindle: the spindle stands over the middle.
    Indicator,
    /// A coned plug that sinks into a hole's mouth: the spindle stands over its middle.
    Plug,
}

/// An aid.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Aid {
    /// Words.
    pub name: String,
    /// Sort.
    pub kind: AidKind,
    /// Diameter of tip, ball or pin, thickness of the paper, largest hole of a plug, largest round of an indicator, mm.
    pub size_mm: f64,
    /// What it finds may be off by, mm.
    pub off_mm: f64,
}

impl Aid {
    /// Why this finds nothing, if it does not.
    pub fn fault(&self) -> Option<String> {
        let sound = self.size_mm.is_finite() && self.size_mm > 0.0 && self.size_mm < 500.0;
        let off = self.off_mm.is_finite() && (0.0..=1.0).contains(&self.off_mm);
        (!sound || !off).then(|| format!("'{}' must have a size above 0 and be off by at most 1 mm", self.name))
    }
}

/// What a shop begins with (common practice, no source).
pub(crate) fn usual() -> Vec<Aid> {
    let aid = |name: &str, kind, size_mm, off_mm| Aid { name: name.into(), kind, size_mm, off_mm };
    vec![
        aid("edge finder, tip Ø10", AidKind::EdgeFinder, 10.0, 0.01),
        aid("gauge pin Ø6", AidKind::Pin, 6.0, 0.01),
        aid("slip of paper", AidKind::Paper, 0.1, 0.03),
        aid("lever indicator", AidKind::Indicator, 120.0, 0.01),
        aid("coned plug", AidKind::Plug, 30.0, 0.05),
    ]
}
