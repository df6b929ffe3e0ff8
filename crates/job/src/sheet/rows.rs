//! Features as a list shows them: the same ones in one row, and in bands by what one wants to see of them.

use part::{Feature, FeatureKind, Hard};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What is looked at first, and what hardly ever.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "lowercase")]
pub enum Sort {
    /// To cut.
    Cut,
    /// Walls, floors, crossings, patterns.
    Relation,
    /// On edges.
    Edge,
    /// Plain faces.
    Face,
}

/// Features that are the same but for their place.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct FeatureRow {
    /// Number of the first of them.
    pub first: usize,
    /// How many.
    pub count: usize,
    /// Sort.
    pub sort: Sort,
    /// Faces of all of them.
    pub faces: Vec<u32>,
    /// Which of the first one's reasons makes it hardest, if one is worth showing.
    pub hardest: Option<usize>,
    /// That reason is beyond its limit.
    pub is_hard: bool,
}

/// From this share of a limit on a reason is shown.
const SHOWN: f64 = 0.3;

fn sort(kind: FeatureKind) -> Sort {
    match kind {
        FeatureKind::Wall | FeatureKind::Floor | FeatureKind::Crossing | FeatureKind::Pattern => Sort::Relation,
        FeatureKind::Face => Sort::Face,
        FeatureKind::Round | FeatureKind::Fillet | FeatureKind::Chamfer => Sort::Edge,
        _ => Sort::Cut,
    }
}

/// Features in rows, in the order in which their first ones stand.
pub(crate) fn rows(features: &[Feature]) -> Vec<FeatureRow> {
    let near = |a: Option<f64>, b: Option<f64>| match (a, b) {
        (Some(a), Some(b)) => (a - b).abs() < 5e-4,
        (a, b) => a.is_none() && b.is_none(),
    };
    let like = |a: &Feature, b: &Feature| {
        a.kind == b.kind
            && a.what == b.what
            && a.from == b.from
            && near(a.depth, b.depth)
            && near(a.corner, b.corner)
            && near(a.reach, b.reach)
    };
    let mut out: Vec<FeatureRow> = Vec::new();
    for (k, f) in features.iter().enumerate() {
        if let Some(r) = out.iter_mut().find(|r| like(&features[r.first], f)) {
            r.count += 1;
            r.faces.extend(&f.faces);
            continue;
        }
        let worst = f.hard.iter().map(Hard::share).enumerate().max_by(|a, b| a.1.total_cmp(&b.1));
        out.push(FeatureRow {
            first: k,
            count: 1,
            sort: sort(f.kind),
            faces: f.faces.clone(),
            hardest: worst.filter(|w| w.1 >= SHOWN).map(|w| w.0),
            is_hard: worst.is_some_and(|w| w.1 >= 1.0),
        });
    }
    out
}

/// What faces are coloured by.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "lowercase")]
pub enum PaintBy {
    /// The direction they are cut from.
    Side,
    /// Depth ÷ cutter.
    Reach,
    /// What makes them hard.
    Hard,
    /// Thin walls.
    Wall,
}

/// How grave a band is; bands that are only told apart have numbers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "lowercase")]
pub enum Tone {
    /// Beyond its limit, or from nowhere.
    Beyond,
    /// Near beyond.
    Far,
    /// Ask.
    Ask,
    /// Easy.
    Calm,
    /// One of several.
    Plain,
}

/// Faces of one colour.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Band {
    /// In the legend.
    pub words: String,
    /// Gravity.
    pub tone: Tone,
    /// Its faces; a face is in one band.
    pub faces: Vec<u32>,
}

/// One way to colour the faces.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Paint {
    /// By what.
    pub by: PaintBy,
    /// Bands that have faces, the gravest first.
    pub bands: Vec<Band>,
}

fn share(f: &Feature) -> f64 {
    f.hard.iter().map(Hard::share).fold(0.0, f64::max)
}

fn paint(by: PaintBy, bands: Vec<(String, Tone, Vec<u32>)>) -> Paint {
    let mut seen = std::collections::BTreeSet::new();
    let bands = bands
        .into_iter()
        .map(|(words, tone, faces)| Band {
            words,
            tone,
            faces: faces.into_iter().filter(|f| seen.insert(*f)).collect(),
        })
        .filter(|b| !b.faces.is_empty())
        .collect();
    Paint { by, bands }
}

/// All ways to colour the faces.
pub(crate) fn paints(features: &[Feature]) -> Vec<Paint> {
    let cut: Vec<&Feature> = features.iter().filter(|f| sort(f.kind) != Sort::Relation).collect();
    let walls: Vec<&Feature> =
        features.iter().filter(|f| matches!(f.kind, FeatureKind::Wall | FeatureKind::Floor)).collect();
    let faces = |of: &[&Feature], is: &dyn Fn(&Feature) -> bool| -> Vec<u32> {
        of.iter().filter(|f| is(f)).flat_map(|f| f.faces.iter().copied()).collect()
    };
    let side = |f: &Feature| f.from.first().cloned();
    let mut sides: Vec<Option<String>> = cut.iter().map(|f| side(f)).collect();
    sides.sort();
    sides.dedup();
    let by_side = sides.into_iter().map(|s| {
        let words = match s.as_deref() {
            None => "from no side".to_string(),
            Some("turning") => "turning".into(),
            Some(d) => format!("from {d}"),
        };
        let tone = if s.is_none() { Tone::Beyond } else { Tone::Plain };
        (words, tone, faces(&cut, &|f| side(f) == s))
    });
    // Depth ÷ diameter of the largest cutter that fits: over 3 ask, over 5 warn, over 8 another way (common practice, no source).
    let reach = |lo: f64, hi: f64| faces(&cut, &|f| f.reach.is_some_and(|r| r > lo && r <= hi));
    let hard = |of: &[&Feature], lo: f64, hi: f64| faces(of, &|f| (lo..hi).contains(&share(f)));
    let all = f64::INFINITY;
    let band = |words: &str, tone: Tone, faces: Vec<u32>| (words.to_string(), tone, faces);
    vec![
        paint(PaintBy::Side, by_side.collect()),
        paint(
            PaintBy::Reach,
            vec![
                band("over 8 × its cutter", Tone::Beyond, reach(8.0, all)),
                band("5 to 8 × its cutter", Tone::Far, reach(5.0, 8.0)),
                band("3 to 5 × its cutter", Tone::Ask, reach(3.0, 5.0)),
                band("up to 3 × its cutter", Tone::Calm, reach(0.0, 3.0)),
            ],
        ),
        paint(
            PaintBy::Hard,
            vec![
                band("beyond its limit", Tone::Beyond, hard(&cut, 1.0, all)),
                band("over half of it", Tone::Ask, hard(&cut, 0.5, 1.0)),
                band("easy", Tone::Calm, hard(&cut, 0.0, 0.5)),
            ],
        ),
        paint(
            PaintBy::Wall,
            vec![
                band("thinner than 1 : 10", Tone::Beyond, hard(&walls, 1.0, all)),
                band("thinner than 1 : 5", Tone::Ask, hard(&walls, 0.5, 1.0)),
                band("other named walls", Tone::Calm, hard(&walls, 0.0, 0.5)),
            ],
        ),
    ]
}

#[cfg(test)]
mod tests {
    use super::*;

    fn feature(kind: FeatureKind, faces: &[u32], from: &[&str], value: f64, reach: Option<f64>) -> Feature {
        Feature {
            id: format!("{kind:?}{faces:?}"),
            kind,
            what: format!("{kind:?}"),
            dims: vec![],
            axis: None,
            from: from.iter().map(|s| (*s).to_string()).collect(),
            blocked: vec![],
            depth: Some(5.0),
            corner: None,
            reach,
            hard: vec![Hard { what: "x".into(), value, unit: "×".into(), limit: 10.0, why: String::new() }],
            cutter: None,
            form: None,
            ways: vec![],
            remarks: vec![],
            ends: None,
            of: vec![],
            faces: faces.to_vec(),
            place: reason::Place { min_mm: [0.0; 3], max_mm: [1.0; 3] },
        }
    }

    fn some() -> Vec<Feature> {
        vec![
            feature(FeatureKind::Hole, &[1, 2], &["+Z"], 12.0, Some(8.4)),
            feature(FeatureKind::Pocket, &[3], &["−Z"], 2.0, Some(3.0)),
            feature(FeatureKind::Step, &[4], &[], 6.0, Some(3.1)),
            feature(FeatureKind::Wall, &[3, 5], &[], 14.0, None),
            feature(FeatureKind::Hole, &[6], &["+Z"], 12.0, Some(8.4)),
        ]
    }

    #[test]
    fn the_same_features_are_one_row_with_all_their_faces() {
        let r = rows(&some());
        assert_eq!(r.len(), 4);
        assert_eq!((r[0].count, r[0].faces.as_slice(), r[0].first), (2, &[1, 2, 6][..], 0));
        assert!(r[0].is_hard && r[0].hardest == Some(0) && r[0].sort == Sort::Cut);
        // A fifth of its limit is not worth a word.
        assert!(r[1].hardest.is_none() && !r[1].is_hard);
        assert_eq!(r[3].sort, Sort::Relation);
        // Another depth is another row.
        let mut two = some();
        two[4].depth = Some(6.0);
        assert_eq!(rows(&two).len(), 5);
    }

    #[test]
    fn bands_are_those_of_the_trade_and_a_face_has_one_colour() {
        let p = paints(&some());
        let of = |by: PaintBy| -> Vec<(String, Vec<u32>)> {
            let p = p.iter().find(|p| p.by == by).unwrap();
            p.bands.iter().map(|b| (b.words.clone(), b.faces.clone())).collect()
        };
        assert_eq!(
            of(PaintBy::Side),
            [("from no side".into(), vec![4]), ("from +Z".into(), vec![1, 2, 6]), ("from −Z".into(), vec![3])]
        );
        assert_eq!(
            of(PaintBy::Reach),
            [
                ("over 8 × its cutter".into(), vec![1, 2, 6]),
                ("3 to 5 × its cutter".into(), vec![4]),
                ("up to 3 × its cutter".into(), vec![3])
            ]
        );
        assert_eq!(of(PaintBy::Hard).len(), 3);
        assert_eq!(of(PaintBy::Wall), [("thinner than 1 : 10".into(), vec![3, 5])]);
    }
}
