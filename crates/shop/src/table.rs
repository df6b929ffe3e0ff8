//! What holds a piece on the table itself: its slots, straps, a sheet under the piece that is there to be cut, and screws into that.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// The table: its T-slots run along x.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Table {
    /// Along x and y, mm.
    pub size_mm: [f64; 2],
    /// Middles of its slots along y, from the middle of the machine's travel, mm.
    pub slots_mm: Vec<f64>,
}

/// A strap: its nose presses on the piece, its heel on a step block, a stud in a slot between them pulls it down.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Strap {
    /// Words.
    pub name: String,
    /// So many are on hand.
    pub count: u32,
    /// mm.
    pub width_mm: f64,
    /// Height of its bar, mm.
    pub thickness_mm: f64,
    /// From nose to heel, mm.
    pub length_mm: f64,
    /// From nose to stud, mm.
    pub stud_from_nose_mm: f64,
    /// So far its nose lies on a piece, mm.
    pub reach_mm: f64,
    /// Diameter of the stud, mm.
    pub stud_mm: f64,
    /// Diameter of nut and washer, and their height with the stud's end over the bar, mm.
    pub nut_mm: [f64; 2],
    /// The nut is tightened with this, N m.
    pub torque_nm: f64,
    /// Highest piece that it reaches over, with what lies under it, mm.
    pub highest_mm: f64,
}

/// A sheet between table and piece that is there to be cut, and that takes screws anywhere.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct WasteSheet {
    /// Words.
    pub name: String,
    /// Along x, y and z, mm.
    pub size_mm: [f64; 3],
    /// So deep may be cut into its top, mm.
    pub may_cut_mm: f64,
    /// So many are on hand.
    pub count: u32,
}

/// A screw for such a sheet, with its washer.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct SheetScrew {
    /// Outside of its thread, mm.
    pub diameter_mm: f64,
    /// Lengths on hand, mm.
    pub lengths_mm: Vec<f64>,
    /// Diameter and height of its head, mm.
    pub head_mm: [f64; 2],
    /// Outside and thickness of its washer, mm.
    pub washer_mm: [f64; 2],
    /// It goes into the sheet by this at least, mm.
    pub engages_mm: f64,
    /// It presses with this at least when it is driven home, N.
    pub press_n: f64,
    /// So many are on hand.
    pub count: u32,
}

fn sound(v: &[f64]) -> bool {
    v.iter().all(|v| v.is_finite() && *v > 0.0 && *v < 5000.0)
}

impl Table {
    /// Why this is no table, if it is none.
    pub fn fault(&self) -> Option<String> {
        let inside = |s: &f64| s.is_finite() && 2.0 * s.abs() < self.size_mm[1];
        (!sound(&self.size_mm) || self.slots_mm.is_empty() || !self.slots_mm.iter().all(inside))
            .then(|| "the table must have a size above 0, and slots that lie on it".into())
    }
}

impl Strap {
    /// Why this holds nothing, if it does not.
    pub fn fault(&self) -> Option<String> {
        let sizes = [
            &[self.width_mm, self.thickness_mm, self.length_mm, self.stud_from_nose_mm, self.reach_mm][..],
            &[self.stud_mm, self.torque_nm, self.highest_mm],
            &self.nut_mm,
        ]
        .concat();
        let between = self.stud_from_nose_mm > self.reach_mm && self.stud_from_nose_mm < self.length_mm;
        (!sound(&sizes) || !between)
            .then(|| format!("the strap '{}' must have sizes above 0, and its stud between nose and heel", self.name))
    }
}

impl WasteSheet {
    /// Why this carries nothing, if it does not.
    pub fn fault(&self) -> Option<String> {
        let cut = self.may_cut_mm >= 0.0 && self.may_cut_mm < self.size_mm[2];
        (!sound(&self.size_mm) || !cut).then(|| {
            format!("the sheet '{}' must have sizes above 0, and be thicker than what is cut into it", self.name)
        })
    }
}

impl SheetScrew {
    /// Why this presses nothing, if it does not.
    pub fn fault(&self) -> Option<String> {
        let all =
            [&[self.diameter_mm, self.engages_mm, self.press_n][..], &self.head_mm, &self.washer_mm, &self.lengths_mm]
                .concat();
        (self.lengths_mm.is_empty() || !sound(&all)).then(|| {
            format!("the sheet screw Ø{} must have a head, a washer, a force and lengths above 0", self.diameter_mm)
        })
    }
}
