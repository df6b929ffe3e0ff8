//! What was typed at the machine, and what it comes to: which step is next, whether the card stands still, what comes out.
//!
//! Answers are a list that only grows. A complete answer is always kept; whether it lets the card go on is worked out from the whole list, so that whoever has
//! card and list sees the same.

use crate::card::{Ask, Card, Check, Step, StepKind, Sum, Way};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

/// Longest note, characters.
pub const MOST_NOTE: usize = 1000;

/// One act at the card.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(rename = "RunEntry")]
pub struct Entry {
    /// Given by whoever typed it, so that it is kept once however often it is sent.
    pub id: String,
    /// Who.
    pub who: String,
    /// When, ms since 1970-01-01 UTC by the clock of whoever typed it.
    #[ts(type = "number")]
    pub at_ms: i64,
    /// What.
    pub act: Act,
}

/// What was done.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(tag = "kind", rename_all = "snake_case")]
#[ts(rename = "RunAct")]
pub enum Act {
    /// A step is done, with what was typed.
    Done {
        /// Its id.
        step: String,
        /// The way that was taken.
        way: String,
        /// What was typed, in the asks' units.
        values: BTreeMap<String, f64>,
        /// It was looked at again: what is in doubt holds.
        #[serde(default)]
        sure: bool,
        /// In own words.
        #[serde(default)]
        note: String,
    },
    /// A step is to be done again, and all after it.
    Again {
        /// Its id.
        step: String,
        /// Why.
        #[serde(default)]
        note: String,
    },
    /// Another cutter, or the same with another length, is in the holder.
    Cutter {
        /// T.
        tool: u32,
        /// Gauge line to tip, mm.
        length_mm: f64,
        /// "broken", "worn", …
        why: String,
    },
    /// Something to remember.
    Note {
        /// In words.
        text: String,
    },
    /// The run is over.
    Ended {
        /// The piece is good.
        good: bool,
        /// If not, why.
        cause: String,
    },
}

/// How a number lies to its limits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(rename = "RunVerdict")]
pub enum Verdict {
    /// Within.
    Good,
    /// Look again; it may be right.
    Doubt,
    /// The card does not go on with it.
    Stop,
}

/// Where a step stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(rename = "StepStanding")]
pub enum Standing {
    /// Not done yet.
    Open,
    /// Done.
    Done,
    /// Answered with something that is to be looked at again.
    Doubt,
    /// Answered with something that stops the card.
    Stopped,
}

/// A number with its verdict.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(rename = "RunJudged")]
pub struct Judged {
    /// Of an ask or an outcome.
    pub id: String,
    /// In its unit.
    pub value: f64,
    /// How it lies.
    pub verdict: Verdict,
    /// What to do where it lies outside.
    pub says: String,
}

/// The answer that stands.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(rename = "RunAnswer")]
pub struct Answer {
    /// The way that was taken.
    pub way: String,
    /// What was typed.
    pub values: BTreeMap<String, f64>,
    /// What counts for each ask, and what came out, with verdicts.
    pub judged: Vec<Judged>,
    /// It was looked at again.
    pub sure: bool,
    /// In own words.
    pub note: String,
    /// Who.
    pub who: String,
    /// When, ms since 1970.
    #[ts(type = "number")]
    pub at_ms: i64,
}

/// A step as it stands.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(rename = "RunStepState")]
pub struct StepState {
    /// Of the step.
    pub id: String,
    /// Where it stands.
    pub standing: Standing,
    /// The last answer, if it has one.
    pub answer: Option<Answer>,
    /// From the answer before it, or the beginning of the run, min.
    pub took_min: Option<f64>,
}

/// The end of a run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
#[ts(rename = "RunEnd")]
pub struct End {
    /// The piece is good.
    pub good: bool,
    /// If not, why.
    pub cause: String,
    /// Who.
    pub who: String,
    /// When.
    #[ts(type = "number")]
    pub at_ms: i64,
}

/// A run as it stands.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(rename = "RunStanding")]
pub struct Run {
    /// In the card's order.
    pub steps: Vec<StepState>,
    /// What is to be done next; none: nothing is left.
    pub next: Option<String>,
    /// All numbers that hold, by key: "side-1/zero-x/offset", "t5/length".
    pub values: BTreeMap<String, f64>,
    /// The end, if it has one.
    pub ended: Option<End>,
}

/// Why an act is not taken.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Refused {
    /// In words.
    #[error("{0}")]
    Because(String),
}

fn refuse<T>(why: impl Into<String>) -> Result<T, Refused> {
    Err(Refused::Because(why.into()))
}

/// How a number lies to limits, and what to do.
pub fn judge(value: f64, check: &Check) -> (Verdict, String) {
    let below = |limit: Option<f64>| limit.is_some_and(|l| value < l - 1e-9);
    let above = |limit: Option<f64>| limit.is_some_and(|l| value > l + 1e-9);
    let verdict = match () {
        () if !value.is_finite() || below(check.must[0]) || above(check.must[1]) => Verdict::Stop,
        () if below(check.should[0]) || above(check.should[1]) => Verdict::Doubt,
        () => return (Verdict::Good, String::new()),
    };
    let low = below(check.must[0]) || below(check.should[0]);
    (verdict, if low { check.below.clone() } else { check.above.clone() })
}

/// What counts where an ask is not typed.
fn unsaid(ask: &Ask, known: &BTreeMap<String, f64>) -> Option<f64> {
    ask.from.as_ref().and_then(|k| known.get(k).copied()).or(ask.unsaid)
}

/// What an answer comes to with what is known before it. An ask that nothing is known for: its label.
pub fn work_out(
    way: &Way,
    typed: &BTreeMap<String, f64>,
    known: &BTreeMap<String, f64>,
) -> Result<(Vec<Judged>, BTreeMap<String, f64>), String> {
    let mut own: BTreeMap<String, f64> = BTreeMap::new();
    let mut judged = Vec::new();
    let mut put = |id: &str, value: f64, check: &Check, own: &mut BTreeMap<String, f64>| {
        own.insert(id.into(), value);
        let (verdict, says) = judge(value, check);
        judged.push(Judged { id: id.into(), value, verdict, says });
    };
    for a in &way.asks {
        let value = typed.get(&a.id).copied().or_else(|| unsaid(a, known)).ok_or_else(|| a.label.clone())?;
        put(&a.id, value, &a.check, &mut own);
    }
    for o in &way.outcomes {
        let of = |k: &str| if k.contains('/') { known.get(k).copied() } else { own.get(k).copied() };
        // What hangs on a number that is not there stays unsaid; it stands in the way's own words what that is.
        if let Some(v) = o.sum.value(&of) {
            put(&o.id, v, &o.check, &mut own);
        }
    }
    Ok((judged, own))
}

/// The length of a cutter stands under this key.
pub fn length_key(tool: u32) -> String {
    format!("t{tool}/length")
}

impl Step {
    /// A way by its id.
    pub fn way(&self, id: &str) -> Option<&Way> {
        self.ways.iter().find(|w| w.id == id)
    }
}

/// Is it done with this answer?
fn standing(judged: &[Judged], sure: bool) -> Standing {
    match judged.iter().map(|j| j.verdict).max() {
        Some(Verdict::Stop) => Standing::Stopped,
        Some(Verdict::Doubt) if !sure => Standing::Doubt,
        _ => Standing::Done,
    }
}

/// The run as it stands after these acts; what cannot be understood in them changes nothing.
pub fn state(card: &Card, began_ms: i64, entries: &[Entry]) -> Run {
    let n = card.steps.len();
    let mut answers: Vec<Option<(Answer, Standing, i64)>> = vec![None; n];
    let mut lengths: BTreeMap<u32, f64> = BTreeMap::new();
    let mut ended = None;
    let mut last = began_ms;
    let place = |id: &str| card.steps.iter().position(|s| s.id == id);
    for e in entries {
        match &e.act {
            Act::Done { step, way, values, sure, note } => {
                let Some(k) = place(step) else { continue };
                let Some(w) = card.steps[k].way(way) else { continue };
                let known = known(card, &answers, &lengths);
                let Ok((judged, own)) = work_out(w, values, &known) else { continue };
                let stands = standing(&judged, *sure);
                let was = answers[k].as_ref().map(|(a, ..)| a.judged.clone());
                if was.as_ref().is_some_and(|w| *w != judged) {
                    // What was done with the old number in this setup is to be done with the new one.
                    let later = (k + 1..n).filter(|j| card.steps[*j].setup == card.steps[k].setup);
                    later.for_each(|j| answers[j] = None);
                }
                if stands == Standing::Done {
                    take_lengths(&card.steps[k], &own, &mut lengths);
                }
                let (way, values, note) = (way.clone(), values.clone(), note.clone());
                let answer = Answer { way, values, judged, sure: *sure, note, who: e.who.clone(), at_ms: e.at_ms };
                answers[k] = Some((answer, stands, e.at_ms.max(last) - last));
                last = e.at_ms.max(last);
            }
            Act::Again { step, .. } => {
                if let Some(k) = place(step) {
                    answers[k..].fill(None);
                    last = e.at_ms.max(last);
                }
            }
            Act::Cutter { tool, length_mm, .. } => {
                lengths.insert(*tool, *length_mm);
            }
            Act::Note { .. } => {}
            Act::Ended { good, cause } => {
                ended = Some(End { good: *good, cause: cause.clone(), who: e.who.clone(), at_ms: e.at_ms });
            }
        }
    }
    let values = known(card, &answers, &lengths);
    let steps: Vec<StepState> = card
        .steps
        .iter()
        .zip(answers)
        .map(|(s, a)| StepState {
            id: s.id.clone(),
            standing: a.as_ref().map_or(Standing::Open, |a| a.1),
            took_min: a.as_ref().map(|a| a.2 as f64 / 60_000.0),
            answer: a.map(|a| a.0),
        })
        .collect();
    let next = steps.iter().find(|s| s.standing != Standing::Done).map(|s| s.id.clone()).filter(|_| ended.is_none());
    Run { steps, next, values, ended }
}

/// Numbers of steps that are done.
fn known(
    card: &Card,
    answers: &[Option<(Answer, Standing, i64)>],
    lengths: &BTreeMap<u32, f64>,
) -> BTreeMap<String, f64> {
    let mut out = BTreeMap::new();
    for (s, a) in card.steps.iter().zip(answers) {
        if let Some((a, Standing::Done, _)) = a {
            out.extend(a.judged.iter().map(|j| (format!("{}/{}", s.id, j.id), j.value)));
        }
    }
    out.extend(lengths.iter().map(|(t, l)| (length_key(*t), *l)));
    out
}

/// What a step says of cutters' lengths: asks `t5` of cutters, outcomes `t5` of first cuts.
fn take_lengths(step: &Step, own: &BTreeMap<String, f64>, lengths: &mut BTreeMap<u32, f64>) {
    if matches!(step.kind, StepKind::Cutters | StepKind::FirstCut) {
        let number = |id: &str| id.strip_prefix('t').and_then(|n| n.parse().ok());
        lengths.extend(own.iter().filter_map(|(id, v)| Some((number(id)?, *v))));
    }
}

/// May this act follow those? What is refused is refused with what to do.
///
/// # Errors
/// [`Refused`], in words.
pub fn may(card: &Card, began_ms: i64, entries: &[Entry], act: &Act) -> Result<(), Refused> {
    let run = state(card, began_ms, entries);
    if run.ended.is_some() {
        return refuse("This run is over; begin another one");
    }
    let long = |t: &str| t.chars().count() > MOST_NOTE;
    match act {
        Act::Done { step, way, values, note, .. } => {
            let Some(k) = card.steps.iter().position(|s| s.id == *step) else {
                return refuse("The card has no such step; load it again");
            };
            if let Some(before) = run.steps[..k].iter().position(|s| s.standing != Standing::Done) {
                return refuse(format!("First: {}", card.steps[before].title));
            }
            let Some(w) = card.steps[k].way(way) else {
                return refuse("The step has no such way; load the card again");
            };
            if let Some(id) = values.keys().find(|id| !w.asks.iter().any(|a| a.id == **id)) {
                return refuse(format!("The step does not ask for '{id}'; load the card again"));
            }
            if values.values().any(|v| !v.is_finite() || v.abs() > 1e6) {
                return refuse("Type numbers between −1 000 000 and 1 000 000");
            }
            if long(note) {
                return refuse(format!("A note has at most {MOST_NOTE} characters"));
            }
            match work_out(w, values, &run.values) {
                Ok(_) => Ok(()),
                Err(label) => refuse(format!("Type a number: {label}")),
            }
        }
        Act::Again { step, note } => match run.steps.iter().find(|s| s.id == *step) {
            _ if long(note) => refuse(format!("A note has at most {MOST_NOTE} characters")),
            None => refuse("The card has no such step; load it again"),
            Some(s) if s.standing == Standing::Open => refuse("That step has not been done yet"),
            Some(_) => Ok(()),
        },
        Act::Cutter { tool, length_mm, why } => {
            if !card.tools.iter().any(|t| t.number == *tool) {
                return refuse(format!("No setup of this card uses T{tool}"));
            }
            if !(length_mm.is_finite() && *length_mm > 0.0 && *length_mm < 1000.0) {
                return refuse("A cutter's length is between 0 and 1000 mm");
            }
            if why.trim().is_empty() || long(why) {
                return refuse("Say why the cutter was changed");
            }
            Ok(())
        }
        Act::Note { text } if text.trim().is_empty() || long(text) => {
            refuse(format!("A note has between 1 and {MOST_NOTE} characters"))
        }
        Act::Note { .. } => Ok(()),
        Act::Ended { good: true, .. } => match &run.next {
            None => Ok(()),
            Some(next) => {
                let title = card.steps.iter().find(|s| s.id == *next).map_or("", |s| s.title.as_str());
                refuse(format!("Not all is done yet: {title}"))
            }
        },
        Act::Ended { good: false, cause } if cause.trim().is_empty() || long(cause) => {
            refuse("Say why the piece is scrap, or why the run is broken off")
        }
        Act::Ended { .. } => Ok(()),
    }
}

impl Sum {
    /// Keys of other steps that it hangs on.
    pub fn elsewhere(&self) -> impl Iterator<Item = &str> {
        self.terms.iter().map(|(k, _)| k.as_str()).filter(|k| k.contains('/'))
    }
}
