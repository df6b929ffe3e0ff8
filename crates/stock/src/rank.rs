//! Every piece of the rack with its best lay, the best first.

use crate::lay::{Fit, Lay, Laying, Made, Wanted, lay, ways};
use crate::piece::Piece;
use geom::DVec3;
use rayon::prelude::*;
use reason::Sure;
use serde::{Deserialize, Serialize};
use shop::tool::trim;
use ts_rs::TS;

/// A piece with the best lay of the part in it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Candidate {
    /// The piece.
    pub piece: Piece,
    /// The part in it.
    pub laying: Laying,
    /// Why it stands where it stands, in a line.
    pub why: String,
}

/// Ways that differ in what goes where: the part's main direction along each axis of the piece, the other two both ways round.
fn main_ways(w: &Wanted) -> Vec<usize> {
    let main = match w.made {
        Made::Mill { up, .. } => up,
        Made::Turn { axis, .. } => axis,
    };
    let mut seen: Vec<(usize, usize)> = Vec::new();
    let all = ways();
    let mut out = Vec::new();
    for (i, t) in all.iter().enumerate() {
        let m = *t * main;
        let Some(j) = (0..3).find(|&j| m[j] > 0.5) else { continue };
        let other = if main.x.abs() > 0.5 { DVec3::Y } else { DVec3::X };
        let o = *t * other;
        let k = (0..3).find(|&k| o[k].abs() > 0.5).unwrap_or(0);
        if !seen.contains(&(j, k)) {
            seen.push((j, k));
            out.push(i);
        }
    }
    out
}

/// All pieces of the material that are there, each with its best lay. First what fits, by minutes (see [`Laying::terms`]); then what fits
/// with a doubt; last what does not, so that the reason can be read.
pub fn candidates(w: &Wanted, pieces: &[Piece]) -> Vec<Candidate> {
    let ways = main_ways(w);
    let mut out: Vec<Candidate> = pieces
        .par_iter()
        .filter(|p| p.material == w.material.id && p.quantity > 0 && p.fault().is_none())
        .map(|p| {
            let mut all: Vec<Laying> = ways.iter().map(|&way| lay(w, p, &Lay { way, ..Lay::default() })).collect();
            if p.shape.is_odd() && all.iter().all(|l| l.fit == Fit::TooSmall) {
                let flat: Vec<usize> = ways.iter().copied().filter(|&i| upright(w, i)).collect();
                for way in flat {
                    all.extend(
                        angles(p).into_iter().map(|angle_deg| lay(w, p, &Lay { way, angle_deg, shift: [0.0; 3] })),
                    );
                }
            }
            all.sort_by(|a, b| {
                (a.fit, deficit(a))
                    .partial_cmp(&(b.fit, deficit(b)))
                    .unwrap_or(std::cmp::Ordering::Equal)
                    .then(a.minutes.total_cmp(&b.minutes))
            });
            let laying = all.swap_remove(0);
            let why = why(&laying);
            Candidate { piece: p.clone(), laying, why }
        })
        .collect();
    out.sort_by(|a, b| {
        // Round bar in a vise is last among what fits: the mill's plan does not take it.
        let odd = |c: &Candidate| matches!(w.made, Made::Mill { .. }) && !c.laying.plannable;
        let key = |c: &Candidate| ((c.laying.fit, odd(c)), c.piece.remnant_of.is_none());
        key(a)
            .0
            .cmp(&key(b).0)
            .then(a.laying.minutes.total_cmp(&b.laying.minutes))
            .then(key(a).1.cmp(&key(b).1))
            .then(a.piece.name.cmp(&b.piece.name))
    });
    out
}

/// Angles worth trying in an odd outline, degrees: along each of its edges, and in steps between.
fn angles(p: &Piece) -> Vec<f64> {
    let mut out: Vec<f64> = (1..12).map(|k| 15.0 * f64::from(k)).collect();
    for l in p.shape.plan().loops() {
        for k in 0..l.len() {
            let d = l[(k + 1) % l.len()] - l[k];
            out.extend([0.0, 90.0].map(|by| (d.y.atan2(d.x).to_degrees() + by).rem_euclid(180.0)));
        }
    }
    out.sort_by(f64::total_cmp);
    out.dedup_by(|a, b| (*a - *b).abs() < 0.01);
    // A torch-cut edge of hundreds of short lines would have as many.
    let step = out.len().div_ceil(40);
    out.into_iter().step_by(step).collect()
}

fn upright(w: &Wanted, way: usize) -> bool {
    let main = match w.made {
        Made::Mill { up, .. } => up,
        Made::Turn { axis, .. } => axis,
    };
    (ways()[way] * main).z > 0.5
}

/// By how much the part sticks out at most, mm: of ways that do not fit the nearest is shown.
fn deficit(l: &Laying) -> f64 {
    if l.fit != Fit::TooSmall {
        return 0.0;
    }
    l.over.iter().flatten().map(|g| (-g).at_least(0.0)).sum()
}

/// A lay in a line: what is wrong with it, what is wasted, sawn, kept.
pub fn why(l: &Laying) -> String {
    let mut parts = Vec::new();
    match l.fit {
        Fit::Fits => {}
        _ => parts.extend(l.findings.iter().max_by_key(|f| f.severity).map(|f| f.what.clone())),
    }
    parts.push(format!("{:.0} % becomes chips or scrap", l.waste_share * 100.0));
    parts.push(match l.cuts.len() {
        0 => "no sawing".into(),
        1 => "1 saw cut".into(),
        n => format!("{n} saw cuts"),
    });
    if !l.serves.is_empty() {
        parts.push(format!("{} stay", l.serves.join(", ")));
    }
    match l.squaring.len() {
        0 => {}
        1 => parts.push("1 face squared first".into()),
        n => parts.push(format!("{n} faces squared first")),
    }
    if let Some(c) = l.cost {
        parts.push(format!("costs {}", trim((c * 100.0).round() / 100.0)));
    }
    parts.join("; ")
}

/// The piece that is proposed: the best one that fits with all allowances.
pub fn proposed(list: &[Candidate]) -> Option<&Candidate> {
    list.iter().find(|c| c.laying.fit == Fit::Fits)
}
