//! What a shop reckons an hour with, and what a job costs in minutes beside those that the machine cuts.

use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A shop's rates. Those that a shop begins with are common practice without a source: they only show how a price is made, until the shop types its own.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(default)]
pub struct Rates {
    /// What its money is called.
    pub money: String,
    /// An hour of the machine: what it cost, its room, power, cutters.
    pub machine_per_hour: f64,
    /// An hour of a person.
    pub person_per_hour: f64,
    /// Share of the running minutes in which a person stands by, 0 to 1.
    pub attended: f64,
    /// To prepare a job, once: read the drawing, answer what is asked, look the plan through, min.
    pub prepare_min: f64,
    /// To set a side up, once a series: vise or plate, zeros, dry run, first cuts, min.
    pub setup_min: f64,
    /// To put a cutter into its holder and measure it, once a series, min.
    pub cutter_min: f64,
    /// Deburr and pack a piece, min.
    pub by_hand_min: f64,
    /// Share of the pieces that are spoiled, 0 to 1.
    pub scrap: f64,
}

impl Default for Rates {
    fn default() -> Rates {
        Rates {
            money: "crowns".into(),
            machine_per_hour: 30.0,
            person_per_hour: 45.0,
            attended: 0.5,
            prepare_min: 20.0,
            setup_min: 15.0,
            cutter_min: 3.0,
            by_hand_min: 5.0,
            scrap: 0.03,
        }
    }
}

impl Rates {
    /// Why nobody can reckon with these; none where one can.
    pub fn fault(&self) -> Option<String> {
        let minutes = [self.prepare_min, self.setup_min, self.cutter_min, self.by_hand_min];
        let rates = [self.machine_per_hour, self.person_per_hour];
        if minutes.iter().chain(&rates).any(|v| !v.is_finite() || *v < 0.0) {
            return Some("rates and minutes are 0 or more".into());
        }
        if !(0.0..=1.0).contains(&self.attended) {
            return Some("a person stands by for 0 to 1 of the running minutes".into());
        }
        if !(0.0..=0.9).contains(&self.scrap) {
            return Some("the share of spoiled pieces is 0 to 0.9".into());
        }
        None
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_makes_no_sense_is_told() {
        assert_eq!(Rates::default().fault(), None);
        let bad: [fn(&mut Rates); 5] = [
            |r| r.machine_per_hour = -1.0,
            |r| r.setup_min = f64::NAN,
            |r| r.attended = 1.2,
            |r| r.scrap = 1.0,
            |r| r.scrap = f64::NAN,
        ];
        for spoil in bad {
            let mut r = Rates::default();
            spoil(&mut r);
            assert!(r.fault().is_some(), "{r:?}");
        }
    }
}
