//! Two revisions of a part: which features stayed, moved, changed their size, went or came.
//!
//! Features are matched in rounds, the surest first: the same in everything; the same place with other sizes; the same sizes in another place,
//! the nearest first; then the same kind nearby. Whatever is left over is gone or new. Relations (walls, patterns, crossings) follow from
//! features and are not compared by themselves.

use crate::{Feature, FeatureKind, Recognised};
use geom::DVec3;
use reason::len;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Places closer than this are one, mm.
const SAME_PLACE: f64 = 0.02;
/// Sizes closer than this are one, mm.
const SAME_SIZE: f64 = 2e-3;
/// A feature that moved further and changed its size as well is another one, mm.
const NEARBY: f64 = 12.0;

/// What became of a feature.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Fate {
    /// Only in the new one.
    New,
    /// Only in the old one.
    Gone,
    /// Other sizes.
    Resized,
    /// Another place.
    Moved,
    /// As before.
    Unchanged,
}

/// A feature of one or both revisions.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Change {
    /// What became of it.
    pub fate: Fate,
    /// In words: "Hole Ø17 through: diameter 17 → 18 mm".
    pub words: String,
    /// Its id in the old revision.
    pub before: Option<String>,
    /// Its id in the new revision.
    pub after: Option<String>,
    /// Its faces in the new revision.
    pub faces: Vec<u32>,
}

fn middle(f: &Feature) -> DVec3 {
    match (f.kind, f.axis) {
        // A hole's axis is exact; a box is as good as its mesh. Where it ends is a size, not a place.
        (FeatureKind::Hole | FeatureKind::NutPocket, Some(a)) => {
            let m = (DVec3::from_array(f.place.min_mm) + DVec3::from_array(f.place.max_mm)) / 2.0;
            a.origin.reject_from_normalized(a.direction) + a.direction * m.dot(a.direction).round()
        }
        _ => (DVec3::from_array(f.place.min_mm) + DVec3::from_array(f.place.max_mm)) / 2.0,
    }
}

fn apart(a: &Feature, b: &Feature) -> f64 {
    let d = middle(b) - middle(a);
    match (a.kind, a.axis) {
        (FeatureKind::Hole | FeatureKind::NutPocket, Some(x)) => d.reject_from_normalized(x.direction).length(),
        _ => d.length(),
    }
}

fn alike(a: &Feature, b: &Feature) -> bool {
    let way = match (a.axis, b.axis) {
        (Some(x), Some(y)) => x.direction.dot(y.direction) > 1.0 - 1e-6,
        (None, None) => true,
        _ => false,
    };
    a.kind == b.kind && way
}

fn same_sizes(a: &Feature, b: &Feature) -> bool {
    a.dims.len() == b.dims.len()
        && a.dims.iter().zip(&b.dims).all(|(x, y)| x.name == y.name && (x.value - y.value).abs() < SAME_SIZE)
}

/// Which sizes differ, in words.
fn sizes(a: &Feature, b: &Feature) -> String {
    let mut out = Vec::new();
    let n = crate::feature::number;
    for x in &a.dims {
        match b.dim(&x.name) {
            Some(v) if (v - x.value).abs() >= SAME_SIZE => {
                out.push(format!(
                    "{} {} → {} {}",
                    x.name,
                    n(x.value),
                    n(v),
                    if x.unit == "deg" { "°" } else { &x.unit }
                ));
            }
            None => out.push(format!("{} {} is gone", x.name, n(x.value))),
            _ => {}
        }
    }
    for y in b.dims.iter().filter(|y| a.dim(&y.name).is_none()) {
        out.push(format!("{} {} is new", y.name, n(y.value)));
    }
    out.join(", ")
}

fn counts(f: &Feature) -> bool {
    f.cuts() && !matches!(f.kind, FeatureKind::Round | FeatureKind::Fillet | FeatureKind::Slanted)
}

/// Compare; what changed stands first.
pub fn compare(old: &Recognised, new: &Recognised) -> Vec<Change> {
    let before: Vec<&Feature> = old.features.iter().filter(|f| counts(f)).collect();
    let after: Vec<&Feature> = new.features.iter().filter(|f| counts(f)).collect();
    let (mut free_a, mut free_b) = (vec![true; before.len()], vec![true; after.len()]);
    let mut pairs: Vec<(usize, usize)> = Vec::new();
    // Each round pairs the nearest first; ties go by the order of the lists, which is settled.
    let mut round = |fits: &dyn Fn(&Feature, &Feature, f64) -> bool| {
        let mut list: Vec<(f64, usize, usize)> = Vec::new();
        for (i, a) in before.iter().enumerate().filter(|(i, _)| free_a[*i]) {
            for (j, b) in after.iter().enumerate().filter(|(j, _)| free_b[*j]) {
                let d = apart(a, b);
                if alike(a, b) && fits(a, b, d) {
                    list.push((d, i, j));
                }
            }
        }
        list.sort_by(|x, y| x.0.total_cmp(&y.0).then(x.1.cmp(&y.1)).then(x.2.cmp(&y.2)));
        for (_, i, j) in list {
            if free_a[i] && free_b[j] {
                (free_a[i], free_b[j]) = (false, false);
                pairs.push((i, j));
            }
        }
    };
    round(&|a, b, d| d < SAME_PLACE && same_sizes(a, b));
    round(&|_, _, d| d < SAME_PLACE);
    round(&|a, b, _| same_sizes(a, b));
    round(&|_, _, d| d < NEARBY);
    let mut out: Vec<Change> = pairs
        .into_iter()
        .map(|(i, j)| {
            let (a, b) = (before[i], after[j]);
            let d = apart(a, b);
            let differ = sizes(a, b);
            let (fate, words) = if !differ.is_empty() {
                let also = if d < SAME_PLACE {
                    String::new()
                } else {
                    format!(", moved by {} mm", len(crate::feature::number(d)))
                };
                (Fate::Resized, format!("{}: {differ}{also}", a.what))
            } else if d >= SAME_PLACE {
                (Fate::Moved, format!("{} moved by {} mm", b.what, len(crate::feature::number(d))))
            } else {
                (Fate::Unchanged, b.what.clone())
            };
            Change { fate, words, before: Some(a.id.clone()), after: Some(b.id.clone()), faces: b.faces.clone() }
        })
        .collect();
    for (_, a) in before.iter().enumerate().filter(|(i, _)| free_a[*i]) {
        out.push(Change {
            fate: Fate::Gone,
            words: a.what.clone(),
            before: Some(a.id.clone()),
            after: None,
            faces: vec![],
        });
    }
    for (_, b) in after.iter().enumerate().filter(|(j, _)| free_b[*j]) {
        out.push(Change {
            fate: Fate::New,
            words: b.what.clone(),
            before: None,
            after: Some(b.id.clone()),
            faces: b.faces.clone(),
        });
    }
    out.sort_by(|x, y| x.fate.cmp(&y.fate).then(x.words.cmp(&y.words)).then(x.after.cmp(&y.after)));
    out
}
