//! Marks of an old revision whose face is gone: on which face of the new revision they belong.
//!
//! A face of a feature that was moved or resized is looked for in that feature; another one among the faces that are new, of the same kind and
//! looking the same way, the nearest in place and size first. It is a proposal: nothing is carried over by itself.

use crate::feature::number;
use crate::{Change, Mark, MarkKind, Part, Recognised, Surface, face_ids};
use geom::DVec3;
use reason::len;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use ts_rs::TS;

/// A face outside of features that moved further is another one, mm.
const NEARBY: f64 = 15.0;
/// Directions that differ by less are one, rad.
const SAME_WAY: f64 = 1e-3;

/// Where a mark belongs now.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Carried {
    /// Key of the mark's decision.
    pub mark: String,
    /// Key of the decision that puts it on the new face.
    pub id: String,
    /// The same mark on the new face.
    pub now: Mark,
    /// The new face's number.
    pub faces: Vec<u32>,
    /// "Ø17 is now Ø18, 2 mm away".
    pub words: String,
}

fn middle(p: &Part, k: usize) -> DVec3 {
    (p.faces[k].bounds.min + p.faces[k].bounds.max) / 2.0
}

fn size(s: &Surface) -> f64 {
    match *s {
        Surface::Cylinder { radius, .. } | Surface::Sphere { radius, .. } => radius,
        Surface::Cone { half_angle, .. } => half_angle.abs().to_degrees(),
        Surface::Torus { minor, .. } => minor,
        Surface::Plane { .. } | Surface::Free => 0.0,
    }
}

/// The same kind of face, looking the same way.
fn alike(a: &Surface, b: &Surface) -> bool {
    let along = |x: DVec3, y: DVec3| x.cross(y).length() < SAME_WAY;
    match (a, b) {
        (Surface::Plane { normal: x, .. }, Surface::Plane { normal: y, .. }) => x.dot(*y) > 0.0 && along(*x, *y),
        (Surface::Free, Surface::Free) => true,
        (Surface::Sphere { hollow: x, .. }, Surface::Sphere { hollow: y, .. }) => x == y,
        (Surface::Cylinder { .. }, Surface::Cylinder { .. })
        | (Surface::Cone { .. }, Surface::Cone { .. })
        | (Surface::Torus { .. }, Surface::Torus { .. }) => {
            let way = match (a.axis(), b.axis()) {
                (Some(x), Some(y)) => along(x.1, y.1),
                _ => false,
            };
            a.hollow() == b.hollow() && way
        }
        _ => false,
    }
}

/// How far the face itself went, mm: a plane along its normal, what is round across its axis.
fn moved(before: &Part, i: usize, after: &Part, j: usize) -> f64 {
    let (a, b) = (&before.faces[i].surface, &after.faces[j].surface);
    match (a, b) {
        (Surface::Plane { offset: x, .. }, Surface::Plane { offset: y, .. }) => (x - y).abs(),
        _ => match (a.axis(), b.axis()) {
            (Some((o, d)), Some((q, _))) => (q - o).reject_from_normalized(d.normalize()).length(),
            _ => middle(before, i).distance(middle(after, j)),
        },
    }
}

/// For each face of the old revision that has no namesake: the face that took its place.
struct Heirs<'a> {
    before: &'a Part,
    after: &'a Part,
    old_ids: Vec<String>,
    new_ids: Vec<String>,
    /// Faces of the feature that the old face's feature became.
    of_feature: BTreeMap<u32, Vec<u32>>,
    /// Faces of the new revision that the old one has by the same name.
    kept: BTreeSet<usize>,
}

impl Heirs<'_> {
    fn of(&self, id: &str) -> Option<(usize, usize)> {
        let i = self.old_ids.iter().position(|x| x == id)?;
        let among: Vec<usize> = match self.of_feature.get(&(i as u32)) {
            Some(faces) => faces.iter().map(|&f| f as usize).collect(),
            None => (0..self.after.faces.len()).filter(|j| !self.kept.contains(j)).collect(),
        };
        let far = |j: usize| {
            let d = size(&self.before.faces[i].surface) - size(&self.after.faces[j].surface);
            middle(self.before, i).distance(middle(self.after, j)) + 2.0 * d.abs()
        };
        let surface = &self.before.faces[i].surface;
        let j = among
            .into_iter()
            .filter(|&j| alike(surface, &self.after.faces[j].surface))
            .min_by(|&a, &b| far(a).total_cmp(&far(b)).then(a.cmp(&b)))?;
        let near = self.of_feature.contains_key(&(i as u32)) || moved(self.before, i, self.after, j) < NEARBY;
        near.then_some((i, j))
    }
}

/// Proposals for the marks whose face the new revision has not.
pub fn carried(
    before: (&Part, &Recognised),
    after: (&Part, &Recognised),
    changes: &[Change],
    marks: &BTreeMap<String, Mark>,
) -> Vec<Carried> {
    let (old_ids, new_ids) = (face_ids(before.0), face_ids(after.0));
    let mut of_feature = BTreeMap::new();
    for c in changes {
        let (Some(b), Some(a)) = (&c.before, &c.after) else { continue };
        let old = before.1.features.iter().find(|f| f.id == *b);
        let new = after.1.features.iter().find(|f| f.id == *a);
        if let (Some(old), Some(new)) = (old, new) {
            old.faces.iter().for_each(|f| drop(of_feature.insert(*f, new.faces.clone())));
        }
    }
    let known: BTreeSet<&String> = old_ids.iter().collect();
    let kept = (0..new_ids.len()).filter(|j| known.contains(&new_ids[*j])).collect();
    let heirs = Heirs { before: before.0, after: after.0, old_ids, new_ids, of_feature, kept };
    marks.iter().filter_map(|(id, m)| one(&heirs, id, m)).collect()
}

fn one(h: &Heirs, id: &str, m: &Mark) -> Option<Carried> {
    let there = |id: &str| h.new_ids.iter().position(|x| x == id);
    let mut now = m.clone();
    let mut words = Vec::new();
    let face = match there(&m.face) {
        Some(j) => j,
        None => {
            let (i, j) = h.of(&m.face)?;
            now.face = h.new_ids[j].clone();
            words.push(what_happened(h, i, j));
            j
        }
    };
    if let MarkKind::Distance { to, .. } = &mut now.what
        && there(to).is_none()
    {
        let (i, j) = h.of(to)?;
        *to = h.new_ids[j].clone();
        words.push(format!("the other face: {}", what_happened(h, i, j)));
    }
    (now != *m).then(|| Carried {
        mark: id.into(),
        id: now.id(),
        now,
        faces: vec![face as u32],
        words: words.join("; "),
    })
}

fn what_happened(h: &Heirs, i: usize, j: usize) -> String {
    let (a, b) = (&h.before.faces[i].surface, &h.after.faces[j].surface);
    let far = moved(h.before, i, h.after, j);
    let mut out = Vec::new();
    if (size(a) - size(b)).abs() > 1e-3 {
        let name = |s: &Surface| match s {
            Surface::Cone { .. } => format!("{}°", number(size(s))),
            Surface::Torus { .. } => format!("radius {}", number(size(s))),
            _ => format!("Ø{}", len(number(2.0 * size(s)))),
        };
        out.push(format!("{} is now {}", name(a), name(b)));
    }
    if far > 0.005 {
        out.push(format!("{} mm from where it was", len(number(far))));
    }
    if out.is_empty() {
        out.push("the same face with another border".into());
    }
    out.join(", ")
}
