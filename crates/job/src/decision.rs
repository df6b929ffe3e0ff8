//! Decisions of a person, and what they settle.

use crate::stocking::{Laid, Proved, Rehearsal, StockDecision};
use holding::{HoldKind, HoldKinds, Order, SchemeId, Wish};
use intake::Reading;
use part::{Ask, Mark};
use route::{Moved, Override};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

/// Unit of lengths on the screen.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "lowercase")]
pub enum Units {
    /// Millimetre.
    Mm,
    /// Inch.
    Inch,
}

/// One decision. The last one on a key stands; `Undo` of it is the earlier value, appended again.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(tag = "about", rename_all = "snake_case")]
pub enum Decision {
    /// What it is cut from.
    Material { id: Option<String> },
    /// What it is cut from; none for the proposal.
    Stock { choice: Option<StockDecision> },
    /// Rehearsed in a cheap substitute; none: the real thing.
    Rehearsal { on: Option<Rehearsal> },
    /// What a rehearsal proved.
    Rehearsed { id: String, proved: Option<Proved> },
    /// Which way is up first.
    Order { choice: Option<Order> },
    /// Ways of holding for the sides after the first, none for the proposal.
    Hold { kinds: Option<Vec<HoldKind>> },
    /// One whole way of making the part, by its name; none for the proposal.
    Scheme { id: Option<String> },
    /// So many are made; none: one.
    Quantity { pieces: Option<u32> },
    /// Programs are written for this control; none: that of the mill.
    Control { id: Option<String> },
    /// Numbers or cutter of one operation.
    Operation { id: String, change: Option<Override> },
    /// One operation goes directly before another of its side.
    Sequence { id: String, before: Option<String> },
    /// A question about the part, answered; none leaves it open.
    Answer { question: String, answer: Option<String> },
    /// A face is marked.
    Mark { id: String, mark: Option<Mark> },
    /// A question to the drawing's owner.
    Ask { id: String, ask: Option<Ask> },
    /// A new revision of the model takes the place of the first one; none: the first.
    Model { sha: Option<String>, file: String },
    /// An edited text takes the place of a setup's posted program; none: the posted one.
    Edited { setup: String, sha: Option<String>, file: String },
    /// It is planned with this revision of the shop's book; none: with that of its beginning.
    Shop {
        /// Number.
        #[ts(type = "number | null")]
        revision: Option<i64>,
    },
    /// Unit of the job's screens; none for the shop's. It changes no plan.
    Units { units: Option<Units> },
}

impl Decision {
    /// What it decides: two decisions conflict only if they have the same key.
    pub fn key(&self) -> String {
        match self {
            Decision::Material { .. } => "material".into(),
            Decision::Stock { .. } => "stock".into(),
            Decision::Rehearsal { .. } => "rehearsal".into(),
            Decision::Rehearsed { id, .. } => format!("rehearsed/{id}"),
            Decision::Order { .. } => "order".into(),
            Decision::Hold { .. } => "hold".into(),
            Decision::Scheme { .. } => "scheme".into(),
            Decision::Quantity { .. } => "quantity".into(),
            Decision::Control { .. } => "control".into(),
            Decision::Operation { id, .. } => format!("operation/{id}"),
            Decision::Sequence { id, .. } => format!("sequence/{id}"),
            Decision::Answer { question, .. } => format!("answer/{question}"),
            Decision::Model { .. } => "model".into(),
            Decision::Mark { id, .. } => format!("mark/{id}"),
            Decision::Ask { id, .. } => format!("ask/{id}"),
            Decision::Edited { setup, .. } => format!("edited/{setup}"),
            Decision::Shop { .. } => "shop".into(),
            Decision::Units { .. } => "units".into(),
        }
    }
    /// The same question left to the proposal.
    pub fn cleared(&self) -> Decision {
        match self {
            Decision::Material { .. } => Decision::Material { id: None },
            Decision::Stock { .. } => Decision::Stock { choice: None },
            Decision::Rehearsal { .. } => Decision::Rehearsal { on: None },
            Decision::Rehearsed { id, .. } => Decision::Rehearsed { id: id.clone(), proved: None },
            Decision::Order { .. } => Decision::Order { choice: None },
            Decision::Hold { .. } => Decision::Hold { kinds: None },
            Decision::Scheme { .. } => Decision::Scheme { id: None },
            Decision::Quantity { .. } => Decision::Quantity { pieces: None },
            Decision::Control { .. } => Decision::Control { id: None },
            Decision::Operation { id, .. } => Decision::Operation { id: id.clone(), change: None },
            Decision::Sequence { id, .. } => Decision::Sequence { id: id.clone(), before: None },
            Decision::Answer { question, .. } => Decision::Answer { question: question.clone(), answer: None },
            Decision::Model { .. } => Decision::Model { sha: None, file: String::new() },
            Decision::Mark { id, .. } => Decision::Mark { id: id.clone(), mark: None },
            Decision::Ask { id, .. } => Decision::Ask { id: id.clone(), ask: None },
            Decision::Edited { setup, .. } => Decision::Edited { setup: setup.clone(), sha: None, file: String::new() },
            Decision::Shop { .. } => Decision::Shop { revision: None },
            Decision::Units { .. } => Decision::Units { units: None },
        }
    }
    /// What makes no sense in it, whatever the part: a sentence that says what to do.
    pub fn fault(&self) -> Option<String> {
        match self {
            Decision::Stock { choice: Some(StockDecision::Piece(l)) } => l.piece.fault().or_else(|| l.lay.fault()),
            Decision::Rehearsed { proved: Some(p), .. } => {
                if p.text.trim().is_empty() {
                    Some("Say what the rehearsal proved".into())
                } else {
                    [&p.text, &p.material, &p.when]
                        .iter()
                        .any(|t| t.len() > 1000)
                        .then(|| "What it proved is at most 1000 characters long".into())
                }
            }
            Decision::Stock { choice: Some(StockDecision::Sizes(s)) } => s
                .iter()
                .any(|v| !v.is_finite() || *v <= 0.0 || *v > 5000.0)
                .then(|| "A block's sides are more than 0 and at most 5000 mm".into()),
            Decision::Order { choice: Some(Order::Up { axis, .. }) } if *axis > 2 => {
                Some("The axis is 0 for X, 1 for Y or 2 for Z".into())
            }
            Decision::Hold { kinds: Some(k) } if k.is_empty() => Some("Name one way of holding at least".into()),
            Decision::Scheme { id: Some(id) } => id.parse::<SchemeId>().err(),
            Decision::Quantity { pieces: Some(n) } => {
                (!(1..=100_000).contains(n)).then(|| "Between 1 and 100 000 pieces are made".into())
            }
            Decision::Control { id: Some(id) } => {
                (id.is_empty() || id.len() > 60).then(|| "Name a control of the shop".into())
            }
            Decision::Operation { change: Some(c), .. } => {
                let checks = [
                    (c.rpm, "speed", 1.0, 200_000.0, "1/min"),
                    (c.feed, "feed", 1.0, 50_000.0, "mm/min"),
                    (c.depth, "depth", 0.01, 500.0, "mm"),
                    (c.width, "width", 0.01, 500.0, "mm"),
                ];
                checks.into_iter().find_map(|(v, name, lo, hi, unit)| {
                    v.filter(|v| !(lo..=hi).contains(v)).map(|_| format!("A {name} lies between {lo} and {hi} {unit}"))
                })
            }
            Decision::Sequence { id, before: Some(b) } if id == b => {
                Some("An operation cannot go before itself".into())
            }
            Decision::Answer { question, answer: Some(a) } => part::answer_fault(question, a),
            Decision::Mark { id, mark: Some(m) } => {
                m.fault().or_else(|| (*id != m.id()).then(|| "A mark's key is its kind and its face".into()))
            }
            Decision::Ask { ask: Some(a), .. } => {
                let texts = [&a.text, &a.proposal, &a.whom, &a.when, &a.blocks, &a.answer];
                if a.text.trim().is_empty() {
                    Some("A question needs a text".into())
                } else {
                    texts
                        .iter()
                        .any(|t| t.len() > 1000)
                        .then(|| "Each part of a question is at most 1000 characters long".into())
                }
            }
            _ => None,
        }
    }
}

/// A newer revision of the model.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
pub struct Revised {
    /// Hash of its file.
    pub sha: String,
    /// Name of its file.
    pub file: String,
    /// Hash of the file that stood before; none: the job's first.
    pub before: Option<String>,
}

/// A program's text as somebody edited it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
pub struct EditedText {
    /// Hash of the text.
    pub sha: String,
    /// Name of its file.
    pub file: String,
    /// The text itself; whoever plans puts it here.
    #[serde(skip)]
    #[ts(skip)]
    pub text: Option<String>,
}

/// What stands after all decisions; everything else is proposed.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct Settled {
    /// Material id.
    pub material: Option<String>,
    /// What it is cut from.
    pub stock: Option<StockDecision>,
    /// The piece of the rack that is proposed as long as nothing is chosen. It is not a decision; whoever keeps the rack looks it out.
    #[serde(default)]
    pub offer: Option<Box<Laid>>,
    /// Rehearsed.
    #[serde(default)]
    pub rehearsal: Option<Rehearsal>,
    /// What rehearsals proved.
    #[serde(default)]
    pub rehearsed: BTreeMap<String, Proved>,
    /// Sides.
    pub order: Option<Order>,
    /// Ways of holding for the sides after the first.
    #[serde(default)]
    pub hold: Option<Vec<HoldKind>>,
    /// One whole way of making the part.
    #[serde(default)]
    #[ts(type = "string | null")]
    pub scheme: Option<SchemeId>,
    /// So many are made; none: one.
    #[serde(default)]
    pub quantity: Option<u32>,
    /// Control that programs are written for; none: that of the mill.
    #[serde(default)]
    pub control: Option<String>,
    /// By operation id.
    pub operations: BTreeMap<String, Override>,
    /// Operations moved within their side, one after the other. A move taken up again (by undo) stands where it first stood.
    pub sequence: Vec<Moved>,
    /// By question about the part.
    #[serde(default)]
    pub answers: BTreeMap<String, String>,
    /// Hash of the newer revision's file and its name.
    #[serde(default)]
    pub model: Option<Revised>,
    /// Marks on faces.
    #[serde(default)]
    pub marks: BTreeMap<String, Mark>,
    /// Questions to the drawing's owner.
    #[serde(default)]
    pub asks: BTreeMap<String, Ask>,
    /// Edited programs by the name of their setup.
    #[serde(default)]
    pub edited: BTreeMap<String, EditedText>,
    /// Revision of the shop's book; none: that of the job's beginning. Whoever plans gives the shop itself.
    #[serde(default)]
    #[ts(type = "number | null")]
    pub shop: Option<i64>,
    /// Unit of the screens.
    pub units: Option<Units>,
}

fn put<T: Clone>(map: &mut BTreeMap<String, T>, id: &str, value: Option<&T>) {
    match value {
        Some(v) => drop(map.insert(id.to_string(), v.clone())),
        None => drop(map.remove(id)),
    }
}

impl Settled {
    /// What is wanted of the sides.
    pub fn wish(&self) -> Wish {
        Wish {
            order: self.order.unwrap_or(Order::Best),
            kinds: HoldKinds::only(self.hold.as_deref().unwrap_or_default()),
            scheme: self.scheme,
        }
    }
    /// Follow a list of decisions from the first to the last.
    pub fn after<'a>(list: impl IntoIterator<Item = &'a Decision>) -> Settled {
        let mut s = Settled::default();
        let mut seen: Vec<Moved> = Vec::new();
        for d in list {
            match d {
                Decision::Material { id } => s.material.clone_from(id),
                Decision::Stock { choice } => s.stock.clone_from(choice),
                Decision::Rehearsal { on } => s.rehearsal.clone_from(on),
                Decision::Rehearsed { id, proved } => put(&mut s.rehearsed, id, proved.as_ref()),
                Decision::Order { choice } => s.order = *choice,
                Decision::Hold { kinds } => s.hold.clone_from(kinds),
                // A name that an older build knew is none any more.
                Decision::Scheme { id } => s.scheme = id.as_ref().and_then(|id| id.parse().ok()),
                Decision::Quantity { pieces } => s.quantity = *pieces,
                Decision::Control { id } => s.control.clone_from(id),
                Decision::Operation { id, change: Some(c) } => {
                    s.operations.insert(id.clone(), *c);
                }
                Decision::Operation { id, change: None } => {
                    s.operations.remove(id);
                }
                Decision::Sequence { id, before: Some(b) } => {
                    let m = Moved { id: id.clone(), before: b.clone() };
                    s.sequence.retain(|x| x.id != *id);
                    if !seen.contains(&m) {
                        seen.push(m.clone());
                    }
                    s.sequence.push(m);
                    s.sequence.sort_by_key(|m| seen.iter().position(|x| x == m));
                }
                Decision::Sequence { id, before: None } => {
                    s.sequence.retain(|x| x.id != *id);
                }
                Decision::Answer { question, answer: Some(a) } => {
                    s.answers.insert(question.clone(), a.clone());
                }
                Decision::Answer { question, answer: None } => {
                    s.answers.remove(question);
                }
                Decision::Model { sha, file } => {
                    let before = s.model.take().map(|m| m.sha);
                    s.model = sha.as_ref().map(|sha| Revised { sha: sha.clone(), file: file.clone(), before });
                }
                Decision::Mark { id, mark } => put(&mut s.marks, id, mark.as_ref()),
                Decision::Ask { id, ask } => put(&mut s.asks, id, ask.as_ref()),
                Decision::Edited { setup, sha, file } => {
                    let text = |sha: &String| EditedText { sha: sha.clone(), file: file.clone(), text: None };
                    put(&mut s.edited, setup, sha.as_ref().map(text).as_ref());
                }
                Decision::Shop { revision } => s.shop = *revision,
                Decision::Units { units } => s.units = *units,
            }
        }
        s
    }
    /// The piece that stands: chosen, or proposed as long as nothing is.
    pub fn laid(&self) -> Option<&Laid> {
        match &self.stock {
            Some(StockDecision::Piece(l)) => Some(l),
            Some(_) => None,
            None => self.offer.as_deref(),
        }
    }
    /// What the answers say about the reading of the file.
    pub fn reading(&self) -> Reading {
        part::reading_of(&self.answers)
    }
    /// The same settlement without one key: what a proposal would be.
    pub fn without(&self, key: &str) -> Settled {
        let mut s = self.clone();
        match key {
            "material" => s.material = None,
            "stock" => s.stock = None,
            "rehearsal" => s.rehearsal = None,
            "order" => s.order = None,
            "hold" => s.hold = None,
            "scheme" => s.scheme = None,
            "quantity" => s.quantity = None,
            "model" => s.model = None,
            "units" => s.units = None,
            k => match k.split_once('/') {
                Some(("mark", id)) => drop(s.marks.remove(id)),
                Some(("ask", id)) => drop(s.asks.remove(id)),
                Some(("edited", id)) => drop(s.edited.remove(id)),
                Some(("rehearsed", id)) => drop(s.rehearsed.remove(id)),
                Some(("answer", id)) => drop(s.answers.remove(id)),
                Some(("sequence", id)) => s.sequence.retain(|m| m.id != id),
                Some((_, id)) => drop(s.operations.remove(id)),
                None => {}
            },
        }
        s
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_last_decision_on_a_key_stands_and_none_gives_it_back() {
        let m = |id: Option<&str>| Decision::Material { id: id.map(Into::into) };
        let op = |rpm| Decision::Operation { id: "rough:a".into(), change: rpm };
        let list =
            vec![m(Some("brass")), op(Some(Override { rpm: Some(3000.0), ..Default::default() })), m(Some("acetal"))];
        let s = Settled::after(&list);
        assert_eq!(s.material.as_deref(), Some("acetal"));
        assert_eq!(s.operations["rough:a"].rpm, Some(3000.0));
        let undone = Settled::after(list.iter().chain(&[m(Some("brass")), op(None)]));
        assert_eq!((undone.material.as_deref(), undone.operations.len()), (Some("brass"), 0));
        assert_eq!(s.without("material").material, None);
        assert_eq!(list[1].key(), "operation/rough:a");
    }

    /// What a finding proposes is a decision as it stands: the same words on the wire, and one that takes the key's value back.
    #[test]
    fn every_remedy_is_a_decision() {
        use reason::Act;
        let id = || "rough:a".to_string();
        let all = [
            Act::Answer { question: "hole/4.20/6.00/blind".into(), answer: Some("thread M5".into()) },
            Act::Answer { question: "unit".into(), answer: None },
            Act::Operation { id: id(), change: None },
            Act::Sequence { id: id(), before: None },
            Act::Mark { id: "size/3".into(), mark: None },
            Act::Operation { id: id(), change: Some(Override { depth: Some(1.5), ..Default::default() }) },
            Act::Order { choice: None },
            Act::Scheme { id: None },
            Act::Rehearsal { on: None },
            Act::Edited { setup: "side 1".into(), sha: None, file: String::new() },
            Act::Control { id: None },
        ];
        for act in all {
            let json = serde_json::to_value(&act).unwrap();
            let d: Decision = serde_json::from_value(json.clone()).unwrap();
            assert_eq!(serde_json::to_value(&d).unwrap(), json);
            assert!(
                matches!(act, Act::Answer { answer: Some(_), .. } | Act::Operation { change: Some(_), .. })
                    || d.cleared() == d,
                "{d:?}"
            );
        }
    }

    #[test]
    fn moves_follow_one_another_and_undo_gives_one_its_place_back() {
        let m = |id: &str, before: &str| Decision::Sequence { id: id.into(), before: Some(before.into()) };
        let ids = |s: &Settled| s.sequence.iter().map(|m| format!("{}{}", m.id, m.before)).collect::<Vec<_>>();
        let mut list = vec![m("c", "a"), m("b", "c")];
        assert_eq!(ids(&Settled::after(&list)), ["ca", "bc"]);
        list.push(m("c", "b"));
        assert_eq!(ids(&Settled::after(&list)), ["bc", "cb"]);
        // Taken back: the earlier value, appended again.
        list.push(m("c", "a"));
        assert_eq!(ids(&Settled::after(&list)), ["ca", "bc"]);
        list.push(m("b", "c").cleared());
        assert_eq!(ids(&Settled::after(&list)), ["ca"]);
    }
}
