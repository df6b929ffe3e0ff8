//! What a program is written for and read by: a control's description, and where its reference point is.

use geom::DVec3;
use program::{Dialect, ReadSettings};
use serde::{Deserialize, Serialize};
use shop::machine::Machine;
use shop::tool::Tool;
use shop::{Shop, ShopError};

/// A mill's control.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Control {
    /// How programs are written for it.
    pub dialect: Dialect,
    /// Where axes stand at their reference point, machine coordinates, mm.
    pub reference_mm: [f64; 3],
}

impl Control {
    /// The control of a shop's mill.
    ///
    /// # Errors
    /// [`ShopError::NoDialect`] where the mill names one that the shop does not have.
    pub fn of(shop: &Shop) -> Result<Control, ShopError> {
        Ok(Control::new(shop.dialect(&shop.machine.dialect)?, &shop.machine))
    }
    /// A mill with this control.
    pub fn new(dialect: &Dialect, machine: &Machine) -> Control {
        Control { dialect: dialect.clone(), reference_mm: machine.reference_mm() }
    }
    /// What its reader must know of a setup.
    pub fn settings(&self, zero: DVec3, tools: &[Tool]) -> ReadSettings {
        ReadSettings {
            zero_in_machine: zero,
            dialect: self.dialect.clone(),
            reference: self.reference_mm.into(),
            radii: tools.iter().map(|t| (t.number, t.diameter_mm / 2.0)).collect(),
            ..ReadSettings::default()
        }
    }
}
