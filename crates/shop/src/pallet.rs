//! What pieces are stuck to, and with what.

use reason::Sources;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A plate that pieces are stuck to and that may be cut into: it is gripped in the vise.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Pallet {
    /// Words.
    pub name: String,
    /// Along x, y and z, mm.
    pub size_mm: [f64; 3],
    /// Height of jaw that grips it, mm.
    pub grip_mm: f64,
    /// So deep may be cut into its top, mm.
    pub may_cut_mm: f64,
    /// So many are on hand.
    pub count: u32,
}

impl Pallet {
    /// Why this describes no pallet, if it does not.
    pub fn fault(&self) -> Option<String> {
        let sizes = self.size_mm.iter().all(|v| v.is_finite() && *v > 0.0 && *v < 2000.0);
        let inside = self.grip_mm > 0.0 && self.may_cut_mm >= 0.0 && self.grip_mm + self.may_cut_mm < self.size_mm[2];
        (!sizes || !inside).then(|| {
            format!(
                "the pallet '{}' must have sizes above 0, and what is cut into must lie above what is gripped",
                self.name
            )
        })
    }
}

/// What sticks a piece to a pallet.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Adhesive {
    /// Words.
    pub name: String,
    /// Shear and pull that it bears for the time of a job, at the low end of what is measured, N/mm².
    pub shear_mpa: f64,
    /// See `shear_mpa`.
    pub pull_mpa: f64,
    /// Thickness of the layer, and what it may be off by, mm.
    pub layer_mm: f64,
    /// See `layer_mm`.
    pub layer_error_mm: f64,
    /// Warmer it lets go, °C.
    pub warm_c: f64,
    /// To clean, stick and press, and until it holds, min.
    pub minutes: f64,
    /// How it is put on.
    pub on: String,
    /// How the piece comes off.
    pub off: String,
    /// Where the numbers come from.
    #[serde(serialize_with = "Sources::as_written")]
    #[ts(type = "string")]
    pub source: Sources,
}

impl Adhesive {
    /// Why this sticks nothing, if it does not.
    pub fn fault(&self) -> Option<String> {
        let sound = [self.shear_mpa, self.pull_mpa, self.layer_mm].iter().all(|v| v.is_finite() && *v > 0.0);
        (!sound || self.layer_mm > 2.0)
            .then(|| format!("'{}' must bear shear and pull above 0 in a layer of at most 2 mm", self.name))
    }
}
