//! The part's ticket as data: what it is, what is doubtful, what there is on it. It needs no plan, so it is there as soon as the file is read.

use super::grounds::{self, Grounds};
use super::rows::{FeatureRow, Paint, paints, rows};
use crate::decision::Settled;
use intake::Layer;
use part::{Ask, Body, Carried, Change, Feature, FitsWith, Marked, Part, Question, Recognised};
use reason::{Finding, Place};
use serde::{Deserialize, Serialize};
use shop::Shop;
use ts_rs::TS;

/// What the part is.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct PartSheet {
    /// Along x, y, z, mm.
    pub size: [f64; 3],
    /// Part coordinates.
    pub place: Place,
    /// mm³.
    pub volume: f64,
    /// mm².
    pub area: f64,
    /// Material in words.
    pub material: String,
    /// In the material, kg.
    pub mass: f64,
    /// Why.
    pub mass_why: Grounds,
    /// Where it comes from.
    pub origin: OriginSheet,
    /// What is doubtful about the model.
    pub doubts: Vec<Finding>,
    /// What is asked, with proposals.
    pub questions: Vec<Question>,
    /// What it is as a whole.
    pub body: Body,
    /// What there is on it, the hardest first.
    pub features: Vec<Feature>,
    /// The same, like ones in one row.
    pub rows: Vec<FeatureRow>,
    /// How its faces can be coloured.
    pub paints: Vec<Paint>,
    /// Directions of which the features need at least these to be cut, by how many each serves: the fewest that were found.
    pub cut_from: Vec<String>,
    /// What each face is, in words, by its number.
    pub faces: Vec<String>,
    /// Names of the faces, for marks.
    pub face_ids: Vec<String>,
    /// The file's other solids that it meets.
    pub fits: Vec<FitsWith>,
    /// Marks with what follows from them.
    pub marks: Vec<Marked>,
    /// Questions to the drawing's owner, by key.
    pub asks: Vec<AskSheet>,
    /// What a new revision changed, if this is one.
    pub revised: Option<RevisedSheet>,
    /// Distance between the triangles shown and the true surface, mm.
    pub chord_error: f64,
}

/// Where the part comes from.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct OriginSheet {
    /// "STEP AP214".
    pub format: String,
    /// Units that the file names.
    pub units: Vec<String>,
    /// All solids of the file.
    pub solids: Vec<SolidSheet>,
    /// Which of them is the part.
    pub solid: usize,
    /// Factor on all lengths.
    pub scale: f64,
    /// Faces were fitted to facets within this, mm.
    pub fitted: Option<f64>,
    /// Of a drawing.
    pub layers: Vec<Layer>,
}

/// A question to the drawing's owner.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct AskSheet {
    /// Key of its decision.
    pub id: String,
    /// The question.
    pub ask: Ask,
}

/// A revision against the one before it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct RevisedSheet {
    /// Name of the new file.
    pub file: String,
    /// Every feature, what changed first.
    pub changes: Vec<Change>,
    /// Marks whose face is gone, with the face on which they belong now.
    pub carried: Vec<Carried>,
}

/// A solid of the file.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct SolidSheet {
    /// Its name.
    pub name: String,
    /// mm³.
    pub volume: f64,
    /// It stands where it is drawn while the part is machined: cutters and holders keep away from it.
    pub stays: bool,
}

/// Make it, with everything that is recognised.
pub fn part_sheet(part: &Part, shop: &Shop, settled: &Settled) -> PartSheet {
    part_sheet_of(part, &part::recognise(part), shop, settled)
}

/// The same, compared with the revision before.
pub fn part_sheet_revised(part: &Part, before: &Part, file: &str, shop: &Shop, settled: &Settled) -> PartSheet {
    let seen = part::recognise(part);
    let seen_before = part::recognise(before);
    let changes = part::compare(&seen_before, &seen);
    let carried = part::carried((before, &seen_before), (part, &seen), &changes, &settled.marks);
    let revised = Some(RevisedSheet { file: file.into(), changes, carried });
    PartSheet { revised, ..part_sheet_of(part, &seen, shop, settled) }
}

fn solid_sheet(part: &Part, k: usize, s: &part::Solid) -> SolidSheet {
    SolidSheet { name: s.name.clone(), volume: s.volume, stays: part.staying().any(|o| o.solid == k) }
}

/// The fewest directions from which every feature that can be cut from anywhere is cut: the one that serves most first (Chvátal 1979, greedy
/// cover). A wall that may be cut from many sides asks for none of its own.
fn cut_from(features: &[Feature]) -> Vec<String> {
    let mut left: Vec<&Feature> = features.iter().filter(|f| !f.from.is_empty()).collect();
    let mut out: Vec<String> = Vec::new();
    while !left.is_empty() {
        let mut all: Vec<&String> = left.iter().flat_map(|f| &f.from).collect();
        all.sort_unstable();
        // Axes before slants, the short names; then by name.
        let serves = |d: &&String| left.iter().filter(|f| f.from.contains(d)).count();
        let Some(best) = all.iter().max_by_key(|d| (serves(d), std::cmp::Reverse(d.len()), std::cmp::Reverse(**d)))
        else {
            break;
        };
        let best = (*best).clone();
        left.retain(|f| !f.from.contains(&best));
        out.push(best);
    }
    out
}

/// Features as the ticket has them: a question that one would ask says what waits for it.
fn features_of(seen: &Recognised) -> Vec<Feature> {
    let mut out = seen.features.clone();
    for f in &mut out {
        f.ways.iter_mut().for_each(|w| w.blocks.clone_from(&f.what));
    }
    out
}

fn part_sheet_of(part: &Part, seen: &Recognised, shop: &Shop, settled: &Settled) -> PartSheet {
    let material = crate::stocking::real_material(shop, settled).ok();
    let o = &part.origin;
    PartSheet {
        size: part.bounds.size().to_array(),
        place: Place::new(part.bounds.min, part.bounds.max),
        volume: part.volume,
        area: part.area,
        material: material.map_or_else(String::new, |m| m.name.clone()),
        mass: part.volume * material.map_or(0.0, |m| m.density_g_cm3) / 1e6,
        mass_why: grounds::weight(part.volume, grounds::INTEGRATED, material),
        origin: OriginSheet {
            format: o.format.clone(),
            units: o.units.clone(),
            solids: o.solids.iter().enumerate().map(|(k, s)| solid_sheet(part, k, s)).collect(),
            solid: o.solid,
            scale: o.scale,
            fitted: o.fitted,
            layers: o.drawing.as_ref().map_or_else(Vec::new, |d| d.layers.clone()),
        },
        doubts: part.doubts.clone(),
        questions: part::questions(part, seen, &settled.answers),
        body: seen.body.clone(),
        features: features_of(seen),
        rows: rows(&seen.features),
        paints: paints(&seen.features),
        cut_from: cut_from(&seen.features),
        faces: part.faces.iter().map(|f| part::face_words(&f.surface, f.turn)).collect(),
        face_ids: part::face_ids(part),
        fits: part::fits(part),
        marks: part::marked(part, &settled.marks),
        revised: None,
        asks: settled.asks.iter().map(|(id, ask)| AskSheet { id: id.clone(), ask: ask.clone() }).collect(),
        chord_error: part.chord_error,
    }
}
