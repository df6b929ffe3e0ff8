//! Sizes to measure in each setup, before the piece is unclamped: those of which the last face is made there.

use crate::budget::{After, asked};
use crate::plan::Plan;
use part::{MarkKind, Marked, Part, Surface};
use reason::{Sources, len};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A size to measure, mm.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Size {
    /// In words: "Ø22 H7", "48.00 mm along X, without a mark".
    pub what: String,
    /// Key of the mark; none for what the drawing's general tolerance asks.
    pub mark: Option<String>,
    /// As the model has it.
    pub nominal_mm: f64,
    /// Least and most that is good when it leaves the machine.
    pub limits_mm: [f64; 2],
    /// It grows when more is cut: a bore, a slot.
    pub inside: bool,
    /// It is a height: along the spindle of the setup in which it is made last.
    pub upright: bool,
    /// Where the limits come from.
    pub source: Sources,
}

/// What is measured in each setup, marks first.
pub fn sizes(part: &Part, plan: &Plan, marks: &[Marked]) -> Vec<Vec<Size>> {
    let after = After::of(plan);
    let mut out: Vec<Vec<Size>> = vec![Vec::new(); plan.sides.len()];
    let mut put = |setup: usize, size: Size| {
        let same = |s: &Size| s.mark.is_some() && s.mark == size.mark;
        if !out[setup].iter().any(same) {
            out[setup].push(size);
        }
    };
    // What is round is one face; what lies between two is of the setup that makes the later one.
    for m in marks {
        let (Some(face), MarkKind::Size { .. }) = (m.faces.first().map(|f| *f as usize), &m.mark.what) else {
            continue;
        };
        let (Some(limits_mm), Some(nominal_mm)) = (m.machine, m.nominal) else { continue };
        let Surface::Cylinder { hollow, .. } = part.faces[face].surface else { continue };
        let Some(made) = after.made_in(part, face) else { continue };
        let source = m.source.clone();
        let (what, mark) = (m.words.clone(), Some(m.id.clone()));
        put(made, Size { what, mark, nominal_mm, limits_mm, inside: hollow, upright: false, source });
    }
    for a in asked(part, marks) {
        let [x, y] = a.faces.map(|f| after.made_in(part, f));
        let (Some(x), Some(y)) = (x, y) else { continue };
        let made = x.max(y);
        let at = |f: usize| match part.faces[f].surface {
            Surface::Plane { normal, offset } => Some(normal * offset),
            _ => None,
        };
        let (Some(p), Some(q)) = (at(a.faces[0]), at(a.faces[1])) else { continue };
        let Surface::Plane { normal, .. } = part.faces[a.faces[0]].surface else { continue };
        let apart = (q - p).dot(normal);
        let limits_mm = match a.mark.map(|m| (&m.mark.what, m.machine)) {
            None => [apart.abs() - a.allowed, apart.abs() + a.allowed],
            Some((MarkKind::Size { .. }, Some(limits))) => limits,
            Some((MarkKind::Distance { upper, lower, .. }, _)) => [apart.abs() + lower, apart.abs() + upper],
            Some(_) => continue,
        };
        let spindle = plan.sides[made].setup.up();
        put(
            made,
            Size {
                what: match a.mark {
                    Some(_) => a.what.clone(),
                    None => format!("{}, by the general tolerance", a.what.trim_end_matches(", without a mark")),
                },
                mark: a.mark.map(|m| m.id.clone()),
                nominal_mm: apart.abs(),
                limits_mm,
                inside: apart > 0.0,
                upright: normal.dot(spindle).abs() > 0.999,
                source: a.source,
            },
        );
    }
    out
}

impl Size {
    /// "47.70 to 48.30 mm".
    pub fn limits_words(&self) -> String {
        format!("{:.3} to {:.3} mm", len(self.limits_mm[0]), len(self.limits_mm[1]))
    }
}
