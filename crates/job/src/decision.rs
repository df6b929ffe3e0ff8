//! Decisions of a person, and what they settle.

use holding::{Order, StockChoice};
use route::Override;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// One decision. The last one on a key stands; `Undo` of it is the earlier value, appended again.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "about", rename_all = "snake_case")]
pub enum Decision {
    /// What it is cut from.
    Material { id: Option<String> },
    /// Size of the block.
    Stock { choice: Option<StockChoice> },
    /// Which way is up first.
    Order { choice: Option<Order> },
    /// Numbers or cutter of one operation.
    Operation { id: String, change: Option<Override> },
}

impl Decision {
    /// What it decides: two decisions conflict only if they have the same key.
    pub fn key(&self) -> String {
        match self {
            Decision::Material { .. } => "material".into(),
            Decision::Stock { .. } => "stock".into(),
            Decision::Order { .. } => "order".into(),
            Decision::Operation { id, .. } => format!("operation/{id}"),
        }
    }
}

/// What stands after all decisions; everything else is proposed.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Settled {
    /// Material id.
    pub material: Option<String>,
    /// Block.
    pub stock: Option<StockChoice>,
    /// Sides.
    pub order: Option<Order>,
    /// By operation id.
    pub operations: BTreeMap<String, Override>,
}

impl Settled {
    /// Follow a list of decisions from the first to the last.
    pub fn after<'a>(list: impl IntoIterator<Item = &'a Decision>) -> Settled {
        let mut s = Settled::default();
        for d in list {
            match d {
                Decision::Material { id } => s.material.clone_from(id),
                Decision::Stock { choice } => s.stock = *choice,
                Decision::Order { choice } => s.order = *choice,
                Decision::Operation { id, change: Some(c) } => {
                    s.operations.insert(id.clone(), *c);
                }
                Decision::Operation { id, change: None } => {
                    s.operations.remove(id);
                }
            }
        }
        s
    }
    /// The same settlement without one key: what a proposal would be.
    pub fn without(&self, key: &str) -> Settled {
        let mut s = self.clone();
        match key {
            "material" => s.material = None,
            "stock" => s.stock = None,
            "order" => s.order = None,
            k => {
                s.operations.remove(k.trim_start_matches("operation/"));
            }
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
}
