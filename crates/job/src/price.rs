//! What a piece costs: the shop's rates on the minutes of the plan, or on those that pieces really took.
//!
//! What is spent once is shared by the pieces, what a piece needs is spent on each: cost of a piece = once ÷ n + each (Boothroyd and Knight, Fundamentals of Machining
//! and Machine Tools, chapter on economics; from memory). A piece that is spoiled is made again: each ÷ (1 − share spoiled).

use crate::sheet::Sheet;
use serde::{Deserialize, Serialize};
use shop::rates::Rates;
use std::collections::BTreeSet;
use ts_rs::TS;

/// A part of a price.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct PriceTerm {
    /// What it is for.
    pub what: String,
    /// Minutes; none for what is bought.
    pub minutes: Option<f64>,
    /// In the shop's money.
    pub amount: f64,
    /// How it comes about.
    pub why: String,
}

/// Minutes that pieces of the job really took.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct Took {
    /// So many pieces.
    pub pieces: usize,
    /// Programs run, min a piece: the middle one of the pieces.
    pub running: f64,
    /// Loaded, min a piece: the same.
    pub loading: f64,
}

/// What one and all of so many pieces cost.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct PriceOf {
    /// Pieces.
    pub pieces: u32,
    /// Of one of them.
    pub each: f64,
    /// Of all.
    pub all: f64,
    /// Minutes in which the machine stands for one of them.
    pub machine_min: f64,
    /// Minutes of a person for one of them.
    pub person_min: f64,
}

/// A price with what it is made of.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Price {
    /// What the shop's money is called.
    pub money: String,
    /// Spent once.
    pub once: Vec<PriceTerm>,
    /// Spent on each piece, before any is spoiled.
    pub each: Vec<PriceTerm>,
    /// Share that is spoiled.
    pub scrap: f64,
    /// For the pieces that are made now.
    pub now: PriceOf,
    /// For other numbers of pieces.
    pub others: Vec<PriceOf>,
    /// What is not in it.
    pub not_in_it: Vec<String>,
    /// It is reckoned from the minutes of these pieces; none: from the plan's.
    pub took: Option<Took>,
    /// What the plan says of the same minutes: running and loading.
    pub planned: [f64; 2],
}

/// Numbers of pieces that are told beside.
const OTHERS: [u32; 7] = [1, 2, 5, 10, 20, 50, 100];

/// Minutes of something, of the machine and of a person.
struct Spent {
    what: String,
    machine: f64,
    person: f64,
    bought: f64,
    why: String,
}

fn spent(what: &str, machine: f64, person: f64, why: String) -> Spent {
    Spent { what: what.into(), machine, person, bought: 0.0, why }
}

impl Spent {
    fn amount(&self, r: &Rates) -> f64 {
        (self.machine * r.machine_per_hour + self.person * r.person_per_hour) / 60.0 + self.bought
    }
    fn term(&self, r: &Rates) -> PriceTerm {
        let least = if self.machine > self.person { self.machine } else { self.person };
        PriceTerm {
            what: self.what.clone(),
            minutes: (least > 0.0).then_some(least),
            amount: self.amount(r),
            why: self.why.clone(),
        }
    }
}

/// The price of a plan for so many pieces. `took`: what pieces of this job took at the machine.
pub fn price(sheet: &Sheet, rates: &Rates, pieces: u32, took: Option<Took>) -> Price {
    let sides = sheet.sides.len();
    let cutters: BTreeSet<u32> = sheet
        .sides
        .iter()
        .chain(sheet.made.iter().map(|m| &m.side))
        .flat_map(|s| s.tools.iter().map(|t| t.number))
        .collect();
    let planned =
        [sheet.sides.iter().map(|s| s.minutes).sum::<f64>(), sheet.sides.iter().map(|s| s.load_minutes).sum()];
    let [running, loading] = took.map_or(planned, |t| [t.running, t.loading]);
    let n = |v: f64| format!("{v:.1}");
    let mut once =
        vec![spent("Preparing the job", 0.0, rates.prepare_min, "the shop's minutes for it, a person's hour".into())];
    once.push(spent(
        &format!("Setting up {sides} side{}", if sides == 1 { "" } else { "s" }),
        rates.setup_min * sides as f64,
        rates.setup_min * sides as f64,
        format!("{} min a side; the machine stands, a person works", n(rates.setup_min)),
    ));
    once.push(spent(
        &format!("{} cutter{}", cutters.len(), if cutters.len() == 1 { "" } else { "s" }),
        0.0,
        rates.cutter_min * cutters.len() as f64,
        format!("{} min each, beside the machine", n(rates.cutter_min)),
    ));
    for m in &sheet.made {
        let (run, load) = (m.side.minutes, m.side.load_minutes);
        let own = rates.setup_min + load;
        let why = format!("its program {} min, set up and loaded {} min; the blank is not in it", n(run), n(own));
        once.push(spent(&m.title, run + own, run * rates.attended + own, why));
    }
    let mut each = vec![
        spent(
            "Programs run",
            running,
            running * rates.attended,
            format!("{} min; a person stands by for {:.0} % of it", n(running), 100.0 * rates.attended),
        ),
        spent("Loading", loading, loading, format!("{} min; the machine stands", n(loading))),
        spent("By hand", 0.0, rates.by_hand_min, "deburring and packing, the shop's minutes for it".into()),
    ];
    let mut not_in_it = Vec::new();
    let block: f64 = sheet.stock.size.iter().product();
    let bought = sheet.stock.laid.as_ref().and_then(|l| Some((l.piece.cost?, block / l.piece.shape.volume())));
    match bought.filter(|b| b.1.is_finite()) {
        Some((cost, share)) => each.push(Spent {
            what: "Stock".into(),
            machine: 0.0,
            person: 0.0,
            bought: cost * share.clamp(0.0, 1.0),
            why: format!(
                "{:.0} % of the piece that it comes from, which cost {cost:.2}",
                100.0 * share.clamp(0.0, 1.0)
            ),
        }),
        None => not_in_it.push("the stock: the rack has no price of it".to_string()),
    }
    if !sheet.made.is_empty() {
        not_in_it.push("blanks of what is made to hold it".into());
    }
    let whole = 1.0 - rates.scrap;
    let of = |pieces: u32| {
        let share = 1.0 / f64::from(pieces.max(1));
        let sum = |f: &dyn Fn(&Spent) -> f64| {
            once.iter().map(f).sum::<f64>() * share + each.iter().map(f).sum::<f64>() / whole
        };
        let one = sum(&|s| s.amount(rates));
        PriceOf {
            pieces: pieces.max(1),
            each: one,
            all: one * f64::from(pieces.max(1)),
            machine_min: sum(&|s| s.machine),
            person_min: sum(&|s| s.person),
        }
    };
    Price {
        money: rates.money.clone(),
        now: of(pieces),
        others: OTHERS.iter().filter(|k| **k != pieces.max(1)).map(|k| of(*k)).collect(),
        once: once.iter().map(|s| s.term(rates)).collect(),
        each: each.iter().map(|s| s.term(rates)).collect(),
        scrap: rates.scrap,
        not_in_it,
        took,
        planned,
    }
}

/// The middle one of some; the mean of the two middle ones where they are even.
fn middle(mut v: Vec<f64>) -> Option<f64> {
    v.sort_by(f64::total_cmp);
    let n = v.len();
    (n > 0).then(|| (v[(n - 1) / 2] + v[n / 2]) / 2.0)
}

/// What pieces took, from the minutes of each: running and loading. A piece that is not whole is left out.
pub fn took(pieces: &[(Option<f64>, Option<f64>)]) -> Option<Took> {
    let whole: Vec<(f64, f64)> = pieces.iter().filter_map(|(r, l)| Some(((*r)?, (*l)?))).collect();
    let running = middle(whole.iter().map(|w| w.0).collect())?;
    let loading = middle(whole.iter().map(|w| w.1).collect())?;
    Some(Took { pieces: whole.len(), running, loading })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_middle_of_what_pieces_took() {
        let all = [(Some(10.0), Some(2.0)), (Some(30.0), Some(1.0)), (Some(12.0), Some(9.0)), (None, Some(1.0))];
        assert_eq!(took(&all), Some(Took { pieces: 3, running: 12.0, loading: 2.0 }));
        assert_eq!(took(&all[..2]), Some(Took { pieces: 2, running: 20.0, loading: 1.5 }));
        assert_eq!(took(&all[3..]), None);
        assert_eq!(took(&[]), None);
    }
}
