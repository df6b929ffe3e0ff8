//! What a program is written for and read by: a control's description, and where its reference point is.

use crate::Settled;
use geom::DVec3;
use program::{Dialect, ReadSettings};
use reason::{Act, Finding, Kind, Severity};
use serde::{Deserialize, Serialize};
use shop::dialect::Tapping;
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
    /// The control that a job's programs are written for: the one that was chosen, else the mill's. A finding where the shop has no such control any more, or
    /// where it cannot lead a tap as the mill does.
    ///
    /// # Errors
    /// As [`Control::of`].
    pub fn chosen(shop: &Shop, settled: &Settled) -> Result<(Control, Option<Finding>), ShopError> {
        let own = Control::of(shop)?;
        let Some(id) = &settled.control else { return Ok((own, None)) };
        let back = |what: String, why: &str| {
            let f = Finding::new(Kind::DecisionLost, Severity::Warn, what, why);
            f.keyed(id).mended_by("Write for the mill's own control", Act::Control { id: None })
        };
        let Ok(d) = shop.dialect(id) else {
            let what = format!("Programs were to be written for the control '{id}', which the shop does not have");
            return Ok((own, Some(back(what, "They are written for the mill's own control."))));
        };
        if d.tapping == Tapping::WrittenOut && shop.machine.rigid_tapping {
            let what = format!("{} has no words to tap in step with the spindle", d.name);
            let why = "The mill taps so, with stiff holders. The programs are written for its own control.";
            return Ok((own, Some(back(what, why))));
        }
        Ok((Control::new(d, &shop.machine), None))
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
