//! Terms and sources of the numbers that a screen shows beside the judged ones.

use cutting::{DrillData, MillData};
use part::Part;
use reason::{Source, Sources, Term};
use serde::{Deserialize, Serialize};
use shop::machine::{Machine, Material};
use shop::tool::Tool;
use ts_rs::TS;

/// Why a number is what it is.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct Grounds {
    /// What goes into it.
    pub terms: Vec<Term>,
    /// Formula, and where it and the values come from.
    pub source: Sources,
}

fn grounds(terms: Vec<Term>, source: impl Into<Sources>) -> Grounds {
    Grounds { terms, source: source.into() }
}

/// Of a weight: a volume (mm³) in a material.
pub(crate) fn weight(volume: f64, how: &str, m: Option<&Material>) -> Grounds {
    let density = m.map_or(0.0, |m| m.density_g_cm3);
    grounds(
        vec![Term::new("V", "volume", volume, "mm³"), Term::new("ρ", "density", density, "g/cm³")],
        Sources(vec![Source::derived("m = V·ρ/10⁶ kg"), Source::derived(how)])
            .and(m.map_or_else(Sources::none, |m| m.source.clone())),
    )
}

/// How the part's own numbers were found.
pub(crate) const INTEGRATED: &str = "volume and area are integrated over the exact surfaces by the modelling kernel";

/// Of what a setup's hold holds against an operation.
pub(crate) fn limit(hold: &holding::Hold, m: Option<&Material>, d: &holding::Demand) -> Grounds {
    let (terms, source) = hold.grounds(m.map_or(0.0, |m| m.friction), d);
    grounds(terms, source)
}

/// Of power, force and bending of a side cut.
pub(crate) fn load(d: &MillData) -> Grounds {
    let mut terms = vec![Term::new("ap", "depth", d.ap.value, "mm"), Term::new("vf", "feed", d.feed.value, "mm/min")];
    terms.extend(d.ap.terms.iter().filter(|t| !["P usable", "bend"].contains(&t.symbol.as_str())).cloned());
    terms.push(Term::new("S", "highest force across the cutter, all teeth", d.side_n, "N"));
    terms.push(Term::new("T", "highest force on one tooth", d.tooth_n, "N"));
    terms.push(Term::new("F", "mean force", d.force_n, "N"));
    grounds(
        terms,
        Sources::from(Source::derived(
            "power is that per mm of depth times the depth, the mean force is power over cutting speed; bending is that of the highest force over a revolution",
        ))
        .and(&d.ap.source),
    )
}

/// Of the width of a side cut.
pub(crate) fn width(d: &MillData, tool: &Tool) -> Grounds {
    let terms = vec![
        Term::new("φ", "engagement", d.engagement.to_degrees(), "°"),
        Term::new("D", "cutter diameter", tool.diameter_mm, "mm"),
    ];
    let straight = tool.diameter_mm / 2.0 * (1.0 - d.engagement.cos());
    if (straight - d.ae).abs() < 1e-6 * tool.diameter_mm {
        return grounds(
            terms,
            Sources::from(Source::derived("ae = D/2·(1 − cos φ), the geometry of a straight side cut"))
                .and(Source::practice("roughing takes 60°")),
        );
    }
    grounds(
        terms,
        Source::derived(
            "the skin that roughing left; the engagement stated is that of the corners, where the skin is met over a wider angle than along a straight wall",
        ),
    )
}

/// Of thrust and torque of a drill.
pub(crate) fn drilling(d: &DrillData, tool: &Tool, m: Option<&Material>) -> Grounds {
    grounds(
        vec![
            Term::new("f", "feed per revolution", d.feed_rev.value, "mm"),
            Term::new("D", "drill diameter", tool.diameter_mm, "mm"),
            Term::new("σ", "point angle", tool.point_angle_deg, "°"),
            Term::new("kc1.1", "specific force", m.map_or(0.0, |m| m.kc11_mpa), "N/mm²"),
            Term::new("mc", "its exponent", m.map_or(0.0, |m| m.mc), ""),
        ],
        Source::cited(
            "torque kc·f·D²/8000, thrust 0.5·kc·f·D/2·sin(σ/2) without the chisel edge (uncertain by a factor of two): Kienzle, at the chip thickness f/2·sin(σ/2)",
        ),
    )
}

/// Of the proof's error bound.
pub(crate) fn error(part: &Part, bound: f64) -> Grounds {
    let mesh = part.chord_error;
    let mut terms = vec![
        Term::new("", "the model's triangles from its true surface, at most", mesh, "mm"),
        Term::new("", "rounding of a ray's ends, at most", proof::RAY_ERROR, "mm"),
    ];
    let rest = bound - mesh - proof::RAY_ERROR;
    if rest > 1e-9 {
        terms.push(Term::new("", "half a slice, where a pointed cutter slopes", rest, "mm"));
    }
    grounds(
        terms,
        Source::derived(
            "the sum of these; along each ray the cut is exact; between rays nothing is said, so a flaw narrower than their distance can be missed",
        ),
    )
}

/// Of the minutes.
pub(crate) fn minutes(m: &Machine) -> Grounds {
    grounds(
        vec![
            Term::new("a", "acceleration", m.acceleration_mm_s2, "mm/s²"),
            Term::new("", "deviation at corners", m.junction_mm, "mm"),
            Term::new("", "rapid", m.rapid_mm_min, "mm/min"),
            Term::new("", "shortest time of a line", m.block_s, "s"),
            Term::new("", "tool change", m.tool_change_min, "min"),
        ],
        Source::derived(
            "each line of the text with trapezoidal speed and look-ahead at its corners; cutting is whatever takes material away",
        ),
    )
}
