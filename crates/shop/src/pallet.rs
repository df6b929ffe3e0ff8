//! Plates that pieces are stuck or screwed to, and with what.

use crate::standards;
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
    /// Id of its material.
    #[serde(default = "aluminium")]
    pub material: String,
}

fn aluminium() -> String {
    "aluminium-6082".into()
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

/// A ground pin that sets a piece on a plate by a hole of its size.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Pin {
    /// mm.
    pub diameter_mm: f64,
    /// Lengths on hand, mm.
    pub lengths_mm: Vec<f64>,
    /// What it may be smaller, mm.
    pub under_mm: f64,
}

impl Pin {
    /// Why this sets nothing, if it does not.
    pub fn fault(&self) -> Option<String> {
        let sound = [&[self.diameter_mm][..], &self.lengths_mm].concat().iter().all(|v| v.is_finite() && *v > 0.0);
        let fits = (0.0..0.1).contains(&self.under_mm) && !self.lengths_mm.is_empty();
        (!sound || !fits).then(|| {
            format!("the pin Ø{} must have lengths above 0 and be less than 0.1 mm under size", self.diameter_mm)
        })
    }
}

/// A socket screw with its washer.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Screw {
    /// "M5".
    pub thread: String,
    /// Lengths on hand, mm.
    pub lengths_mm: Vec<f64>,
    /// So many are on hand.
    pub count: u32,
    /// Tightened with this into a plate, N m.
    pub torque_nm: f64,
    /// Outside and thickness of its washer, mm.
    pub washer_mm: [f64; 2],
}

impl Screw {
    /// Nominal diameter, and the drill of its thread, mm.
    pub fn sizes(&self) -> Option<[f64; 2]> {
        let t = standards::threads().iter().find(|t| t.name == self.thread)?;
        Some([t.major, *t.drills.first()?])
    }
    /// Diameter and height of its head, mm.
    pub fn head(&self) -> Option<[f64; 2]> {
        standards::heads().iter().find(|h| h.screw == self.thread).map(|h| [h.diameter, h.height])
    }
    /// Why this presses nothing, if it does not.
    pub fn fault(&self) -> Option<String> {
        if self.sizes().is_none() || self.head().is_none() {
            return Some(format!("no socket screw with its drill is called '{}'", self.thread));
        }
        let all = [&[self.torque_nm][..], &self.washer_mm, &self.lengths_mm].concat();
        (self.lengths_mm.is_empty() || !all.iter().all(|v| v.is_finite() && *v > 0.0))
            .then(|| format!("the screw {} must have a torque, a washer and lengths above 0", self.thread))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Heads by ISO 4762: as high as the screw is thick; drills of coarse threads: outside less pitch.
    #[test]
    fn a_screw_knows_its_head_and_drill() {
        let m5 =
            Screw { thread: "M5".into(), lengths_mm: vec![20.0], count: 4, torque_nm: 5.0, washer_mm: [10.0, 1.0] };
        assert_eq!(m5.head().unwrap()[1], 5.0);
        assert_eq!(m5.sizes().unwrap(), [5.0, 4.2]);
        assert!(m5.fault().is_none());
        assert!(Screw { thread: "M99".into(), ..m5.clone() }.fault().unwrap().contains("M99"));
        assert!(Screw { torque_nm: f64::NAN, ..m5.clone() }.fault().is_some());
        assert!(Screw { lengths_mm: vec![], ..m5 }.fault().is_some());
        let pin = Pin { diameter_mm: 6.0, lengths_mm: vec![20.0], under_mm: 0.008 };
        assert!(pin.fault().is_none() && Pin { under_mm: 0.5, ..pin }.fault().is_some());
    }
}
