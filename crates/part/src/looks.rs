//! What was seen of a part along a direction, kept with it: a hold is looked for from the same six sides again and again.

use crate::Part;
use crate::undercut::Undercut;
use geom::{Placement, Region};
use shop::tool::Tool;
use std::collections::HashMap;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

/// So many turns are kept.
const TURNS: usize = 48;

/// Seen along one turn of the part, as it lies unshifted.
#[derive(Debug, Default)]
pub(crate) struct Looked {
    /// By height in 0.01 µm.
    pub shadows: Mutex<HashMap<i64, Region>>,
    /// Heights, from the top down.
    pub floors: OnceLock<Vec<f64>>,
    /// Undercuts that some heads make.
    pub made: Mutex<Option<(Vec<Tool>, Vec<Undercut>)>>,
    /// Faces.
    pub slanted: OnceLock<Vec<u32>>,
}

/// A turn of the part, and what stood beside it.
#[derive(Debug, PartialEq)]
struct Key {
    turn: [u64; 9],
    staying: Vec<usize>,
}

/// By turn.
#[derive(Debug, Default)]
pub(crate) struct Looks {
    known: Mutex<Vec<(Key, Arc<Looked>)>>,
}

impl Clone for Looks {
    fn clone(&self) -> Looks {
        Looks::default()
    }
}

impl Looks {
    /// What is known of a part's turn.
    pub fn of(&self, part: &Part, from_part: &Placement) -> Arc<Looked> {
        // −0 is 0.
        let turn = from_part.turn.to_cols_array().map(|v| (v + 0.0).to_bits());
        let key = Key { turn, staying: part.staying().map(|o| o.solid).collect() };
        let mut known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((_, l)) = known.iter().find(|(k, _)| *k == key) {
            return l.clone();
        }
        if known.len() == TURNS {
            known.remove(0);
        }
        let new = Arc::new(Looked::default());
        known.push((key, new.clone()));
        new
    }
}
