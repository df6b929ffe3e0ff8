//! What can be done about what is hard: other ways, the form of a cutter that must be ground or bought, what to ask the drawing's owner.
//!
//! Every rule of this kind in the trade is common practice without a published source, and says so; what is computed is geometry.

use super::{Feature, FeatureKind, number};
use crate::Recognised;
use geom::DVec3;
use reason::{Source, Sources, Term, len};
use serde::{Deserialize, Serialize};
use std::f64::consts::{FRAC_1_SQRT_2, PI};
use ts_rs::TS;

/// One way out.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct OtherWay {
    /// What to do.
    pub what: String,
    /// The numbers behind it.
    pub terms: Vec<Term>,
    /// Where they come from.
    pub source: Sources,
    /// What the drawing's owner would be asked for it; empty where nobody has to be asked.
    pub ask: String,
    /// The feature that waits for the answer.
    pub blocks: String,
}

/// A cutter that no shop has in stock: its half profile, to be ground or bought.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct FormCutter {
    /// "T-slot cutter Ø16 × 6, neck Ø8".
    pub what: String,
    /// Radius and height over its lower end, mm; the half profile from the axis round to the axis.
    pub profile: Vec<[f64; 2]>,
    /// How deep it must reach, mm.
    pub reach: f64,
    /// Working days until it is there, least and most.
    pub days: [u32; 2],
    /// Where profile and days come from.
    pub source: Sources,
}

/// Depth ÷ cutter diameter from which one asks, and from which one is warned.
const DEEP: [f64; 2] = [3.0, 5.0];
/// Share of the corner's radius that the cutter's may have.
const CORNER: f64 = 0.8;
/// Pressure of coolant that the plug's force is told for, MPa (1500 psi).
const COOLANT: f64 = 10.342;

fn remedy(what: String, terms: Vec<Term>, source: impl Into<Sources>) -> OtherWay {
    OtherWay { what, terms, source: source.into(), ask: String::new(), blocks: String::new() }
}

/// Force with which coolant drives a plug out of a hole: p·A, N. Pressure MPa, diameter mm.
pub fn plug_force(pressure: f64, diameter: f64) -> f64 {
    pressure * PI * diameter * diameter / 4.0
}

/// Distance from both walls of a square corner to the middle of a relief hole that just reaches the corner, mm: d/2·sin 45°.
pub fn relief_offset(diameter: f64) -> f64 {
    diameter / 2.0 * FRAC_1_SQRT_2
}

/// Find them for all features; walls look at the holes beside them.
pub(crate) fn find(features: &mut [Feature]) {
    let holes: Vec<(String, reason::Place)> = features
        .iter()
        .filter(|f| matches!(f.kind, FeatureKind::Hole | FeatureKind::NutPocket))
        .map(|f| (f.what.clone(), f.place))
        .collect();
    for f in features.iter_mut() {
        f.ways = of(f, &holes);
        f.form = form(f);
    }
}

fn of(f: &Feature, holes: &[(String, reason::Place)]) -> Vec<OtherWay> {
    let mut out = Vec::new();
    match f.kind {
        FeatureKind::Wall | FeatureKind::Floor => thin(f, holes, &mut out),
        FeatureKind::Crossing => crossing(f, &mut out),
        FeatureKind::Hole => deep_hole(f, &mut out),
        _ => {
            sharp(f, &mut out);
            deep(f, &mut out);
        }
    }
    out
}

/// A sharp inside corner.
fn sharp(f: &Feature, out: &mut Vec<OtherWay>) {
    if f.corner != Some(0.0) {
        return;
    }
    let deep = f.depth.unwrap_or(0.0).max(0.5);
    // The narrowest cutter that is still three times as deep as wide, and not below 2 mm.
    let d = (deep / DEEP[0]).max(2.0);
    let hole = (d * 2.0).ceil() / 2.0;
    out.push(remedy(
        format!(
            "Relief holes Ø{} in the corners, {} mm from both walls: whatever is square then goes in",
            len(number(hole)),
            len(number(relief_offset(hole)))
        ),
        vec![
            Term::new("d", "hole", hole, "mm"),
            Term::new("c", "middle from both walls, d/2·sin 45°", relief_offset(hole), "mm"),
        ],
        Sources::from(Source::derived("the hole just reaches a square corner"))
            .and(Source::practice("depth at most 3 × d")),
    ));
    out[0].ask = format!("May the inside corners of '{}' have relief holes Ø{}?", f.what, len(number(hole)));
    let r = (d / 2.0 / CORNER * 10.0).ceil() / 10.0;
    out.push(OtherWay {
        ask: format!("May the inside corners of '{}' have a radius of {} mm?", f.what, len(number(r))),
        ..remedy(
            format!("A radius of {} mm or more in the corners, if the drawing's owner agrees", len(number(r))),
            vec![
                Term::new("t", "depth", deep, "mm"),
                Term::new("D", "cutter at 3 × its diameter deep", d, "mm"),
                Term::new("R", "D/2 ÷ 0.8", r, "mm"),
            ],
            Source::practice("cutter radius at most about 0.8 × corner radius"),
        )
    });
    if f.from.len() > 1 {
        out.push(remedy(
            format!(
                "From another side the corner may lie along the cutter's axis: it can be reached from {}",
                f.from.join(", ")
            ),
            Vec::new(),
            Source::derived("which sides are open is measured by rays"),
        ));
    }
}

/// Deeper than a cutter likes.
fn deep(f: &Feature, out: &mut Vec<OtherWay>) {
    let Some(reach) = f.reach.filter(|r| *r > DEEP[0]) else { return };
    let terms = || vec![Term::new("t/D", "depth ÷ largest cutter", reach, "×")];
    let cp = Sources::from(Source::practice("over 3 ask, over 5 warn, over 8 another way"));
    if reach <= DEEP[1] {
        out.push(remedy("A long-reach cutter at reduced feed".into(), terms(), &cp));
        return;
    }
    out.push(remedy("A long-reach cutter at reduced feed, its shank relieved above the flutes".into(), terms(), &cp));
    out.push(remedy("Overlapping plunges along the axis, then a light pass along the walls".into(), terms(), &cp));
    if f.corner.is_some_and(|r| r > 0.0) {
        out.push(remedy(
            "Drilled reliefs in the corners, so that the finishing cutter is not caught there".into(),
            terms(),
            &cp,
        ));
    }
    let others: Vec<&str> = f.blocked.iter().map(|b| b.from.as_str()).collect();
    out.push(remedy(
        if f.from.len() > 1 {
            format!("From both ends: it is open from {}", f.from.join(" and "))
        } else if others.is_empty() {
            "Another way of clamping, if a side can be opened".into()
        } else {
            format!("Another side, if what stands in the way there can be cut later: {}", others.join(", "))
        },
        terms(),
        Source::derived("which sides are open is measured by rays"),
    ));
}

/// A hole deeper than about ten times its diameter.
fn deep_hole(f: &Feature, out: &mut Vec<OtherWay>) {
    let Some(h) = f.hard.iter().find(|h| h.what.starts_with("depth ÷")).filter(|h| h.share() >= 1.0) else { return };
    let terms = || vec![Term::new("t/D", "depth ÷ diameter", h.value, "×")];
    out.push(remedy(
        "In pecks, with a long drill started by a short one of the same diameter".into(),
        terms(),
        Source::practice(""),
    ));
    if f.from.len() > 1 {
        out.push(remedy(
            format!("From both ends ({}): they meet in the middle", f.from.join(" and ")),
            terms(),
            Source::practice(""),
        ));
    }
    out.push(remedy(
        "With a gun drill: it wants a pilot hole or a bush, and is never started in air".into(),
        terms(),
        Source::practice(""),
    ));
}

/// Holes that cross at a shallow angle.
fn crossing(f: &Feature, out: &mut Vec<OtherWay>) {
    let Some(h) = f.hard.iter().find(|h| h.what.starts_with("unsupported")).filter(|h| h.share() >= 1.0) else {
        return;
    };
    let (Some(a), Some(b)) = (f.dim("open along the first"), f.dim("open along the second")) else { return };
    let d = a.min(b) / h.value.max(1e-9);
    let force = plug_force(COOLANT, d);
    out.push(remedy(
        "Drill the one, plug it with a close rod, drill the other, pull the plug".into(),
        vec![
            Term::new("L", "open on one side", a.min(b), "mm"),
            Term::new("D", "drill", d, "mm"),
            Term::new("p", "coolant through the drill (1500 psi)", COOLANT, "N/mm²"),
            Term::new("F", "pushes the plug out: p·A", force, "N"),
        ],
        Sources::from(Source::derived("L = 2·(r₂ + r₁·cos θ)/sin θ, for equal holes D/tan(θ/2)")).and(Source::practice("over about 1 × D a twist drill wanders; the plug's friction must hold F, or the coolant is turned down")),
    ));
    out.push(remedy(
        format!(
            "A gun drill whose guided tip is longer than {} mm, started in a pilot hole or bush, never in air",
            len(number(a.min(b)))
        ),
        Vec::new(),
        Source::practice(""),
    ));
}

/// Does a hole lie within half its own size of a wall?
fn beside(wall: &Feature, hole: &reason::Place) -> bool {
    (0..3).all(|k| {
        let slack = 0.5 * (hole.max_mm[k] - hole.min_mm[k]) + 0.1;
        hole.min_mm[k] - slack <= wall.place.max_mm[k] && hole.max_mm[k] + slack >= wall.place.min_mm[k]
    })
}

/// Axes of the holes beside walls that become thin, a place and the direction out of the mouth: a hole is finished before what supports it is
/// cut away (common practice, no source).
pub fn before_thin(seen: &Recognised) -> Vec<[DVec3; 2]> {
    let thin: Vec<&Feature> =
        seen.features.iter().filter(|f| f.kind == FeatureKind::Wall && f.hardness() >= 1.0).collect();
    let holes = seen.features.iter().filter(|f| f.kind == FeatureKind::Hole);
    holes
        .filter(|h| thin.iter().any(|w| beside(w, &h.place)))
        .filter_map(|h| h.axis.map(|a| [a.origin, a.direction]))
        .collect()
}

/// Thin walls and floors: when and how, and what must be finished before.
fn thin(f: &Feature, holes: &[(String, reason::Place)], out: &mut Vec<OtherWay>) {
    if f.hardness() < 1.0 {
        return;
    }
    out.push(remedy(
        if f.kind == FeatureKind::Floor {
            "Cut last and lightly, from the middle outwards, with what lies under it supported".into()
        } else {
            "Cut last and lightly, from the top down, on alternating sides".into()
        },
        Vec::new(),
        Source::practice(""),
    ));
    let near: Vec<&str> = holes.iter().filter(|h| beside(f, &h.1)).map(|h| h.0.as_str()).collect();
    if !near.is_empty() {
        out.push(remedy(
            format!("Finish before it is cut thin, while there is material behind: {}", near.join("; ")),
            Vec::new(),
            Source::practice("a hole or thread is finished before what supports it is cut away"),
        ));
    }
}

/// The half profile of a cutter that must be ground or bought.
fn form(f: &Feature) -> Option<FormCutter> {
    f.cutter.as_ref()?;
    let source = Sources::from(Source::derived("profile from the feature's own sizes with 0.2 mm of play at the neck"))
        .and(Source::practice("ready-made forms some days, ground to order some weeks"));
    match f.kind {
        FeatureKind::TSlot => {
            let (w, h, neck, t) = (f.dim("width")?, f.dim("height")?, f.dim("neck width")?, f.dim("depth")?);
            let head = w / 2.0;
            let shank = (neck / 2.0 - 0.2).max(0.2);
            Some(FormCutter {
                what: format!(
                    "T-slot cutter: head Ø{} × {}, neck Ø{}",
                    len(number(2.0 * head)),
                    len(number(h)),
                    len(number(2.0 * shank))
                ),
                profile: vec![[0.0, 0.0], [head, 0.0], [head, h], [shank, h], [shank, t + 3.0], [0.0, t + 3.0]],
                reach: t,
                days: [2, 10],
                source,
            })
        }
        FeatureKind::Undercut => {
            let t = f.dim("depth").or(f.dim("height"))?;
            match f.dim("angle") {
                Some(angle) => {
                    let wide = f.dim("width")?;
                    let lean = t / angle.to_radians().tan();
                    // It must pass between the edges above.
                    let mouth = (wide - 2.0 * lean).max(1.0);
                    let low = (mouth / 2.0 - 0.2).max(lean + 0.3);
                    Some(FormCutter {
                        what: format!(
                            "Dovetail cutter of {}°, Ø{} × {}",
                            number(angle),
                            len(number(2.0 * low)),
                            len(number(t))
                        ),
                        profile: vec![[0.0, 0.0], [low, 0.0], [low - lean, t], [low - lean, t + 5.0], [0.0, t + 5.0]],
                        reach: t,
                        days: [2, 10],
                        source,
                    })
                }
                None => {
                    let (h, w) = (f.dim("height")?, f.dim("width")?.min(f.dim("length")?));
                    let head = (w / 2.0).max(1.0);
                    Some(FormCutter {
                        what: format!("Form cutter: head up to Ø{} × {}", len(number(2.0 * head)), len(number(h))),
                        profile: vec![
                            [0.0, 0.0],
                            [head, 0.0],
                            [head, h],
                            [0.4 * head, h],
                            [0.4 * head, h + f.depth.unwrap_or(h)],
                            [0.0, h + f.depth.unwrap_or(h)],
                        ],
                        reach: f.depth.unwrap_or(h),
                        days: [10, 20],
                        source,
                    })
                }
            }
        }
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The worked number of the trade: 1500 psi on 3/16 in drives with 41 lbf.
    #[test]
    fn coolant_drives_a_plug() {
        let n = plug_force(COOLANT, 3.0 / 16.0 * 25.4);
        assert!((n / 4.448_222 - 41.4).abs() < 0.1, "{n}");
    }

    #[test]
    fn a_relief_hole_reaches_its_corner() {
        for d in [2.0, 6.5] {
            let c = relief_offset(d);
            assert!((c.hypot(c) - d / 2.0).abs() < 1e-12);
        }
    }
}
