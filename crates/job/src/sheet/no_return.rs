//! Points of no return that lie in a program itself: a face that a zero was touched on is cut away; the piece is unclamped.

use super::{Strip, StripSetup};
use crate::plan::{Plan, SidePlan};
use holding::{Datum, TouchedOn, TouchedWhen};
use proof::History;
use reason::{Sure, len};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A moment after which something cannot be done again.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct NoReturn {
    /// s since the setup's start.
    pub at: f64,
    /// Line of the text.
    pub line: u32,
    /// What is over then.
    pub words: String,
}

/// So much of an upright face must stand free to be touched, mm (common practice, no source).
const TOUCHABLE: f64 = 1.0;
/// A top that has come down by this is another one, mm: what a history tells apart.
const OTHER: f64 = 0.1;

/// Mark them on a strip.
pub fn mark(strip: &mut Strip, plan: &Plan, histories: &[History]) {
    for (k, ((s, side), h)) in strip.setups.iter_mut().zip(&plan.sides).zip(histories).enumerate() {
        let mut out: Vec<NoReturn> = side.setup.datum.iter().filter_map(|d| face_gone(d, side, h, s)).collect();
        let sizes = plan.sizes.get(k).map_or(0, Vec::len);
        let before = match sizes {
            0 => String::new(),
            1 => ": its size is measured before".into(),
            n => format!(": its {n} sizes are measured before"),
        };
        let line = s.line.last().copied().unwrap_or(1);
        out.push(NoReturn { at: s.seconds, line, words: format!("unclamped{before}") });
        out.sort_by(|a, b| a.at.total_cmp(&b.at));
        s.no_return = out;
    }
}

/// When nothing is left of a face that a zero was touched on; none where some of it stays, or it is no face of the piece.
fn face_gone(d: &Datum, side: &SidePlan, h: &History, s: &StripSetup) -> Option<NoReturn> {
    let t = d.touched.filter(|t| t.when == TouchedWhen::Loaded)?;
    let TouchedOn::Face { above } = t.on else { return None };
    let (lowest, columns): (f64, Vec<usize>) = match d.axis.as_str() {
        "Z" if above => {
            let low = t.at_mm - OTHER;
            (low, (0..h.top.len()).filter(|&c| (f64::from(h.top[c]) - t.at_mm).abs() < OTHER).collect())
        }
        "X" | "Y" => {
            // Beside a face, what holds the piece hides its lower part.
            let highest = h.top.iter().copied().fold(f32::NEG_INFINITY, |a, b| if b > a { b } else { a });
            let hidden = side.setup.hold.bodies().iter().map(|b| b.max.z).filter(|z| *z < f64::from(highest));
            let low = hidden.fold(f64::NEG_INFINITY, Sure::at_least) + TOUCHABLE;
            let axis = usize::from(d.axis == "Y");
            let beside = |c: &usize| {
                let inside = if above { t.at_mm - h.middle(*c)[axis] } else { h.middle(*c)[axis] - t.at_mm };
                (0.0..1.5 * h.pitch).contains(&inside) && f64::from(h.top[*c]) >= low
            };
            (low, (0..h.top.len()).filter(beside).collect())
        }
        _ => return None,
    };
    let mut there = vec![false; h.top.len()];
    columns.iter().for_each(|c| there[*c] = true);
    let mut left = columns.len();
    for f in &h.falls {
        let c = f.column as usize;
        if there[c] && f64::from(f.top) < lowest {
            there[c] = false;
            left -= 1;
            if left == 0 {
                let k = s.end.partition_point(|e| *e < f64::from(f.at)).min(s.line.len().saturating_sub(1));
                let line = *s.line.get(k)?;
                let words = format!(
                    "the face that {}0 was touched on ({:.2} mm) is cut away: {0}0 cannot be found on it again",
                    d.axis,
                    len(t.at_mm)
                );
                return Some(NoReturn { at: f64::from(f.at), line, words });
            }
        }
    }
    None
}
