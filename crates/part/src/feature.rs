//! What there is on a part for a person to look at: flat faces and pockets, holes, chamfers, inside corners, each with the one number that makes
//! it hard and the sides from which it can be cut. The planner does not plan from this list (see [`View`]): it is there to be read.

use crate::{HoleEnd, Part, Surface, View};
use geom::{Box3, DIRECTIONS, DVec3, Placement};
use reason::Place;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Sort of feature.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum FeatureKind {
    /// A face on top of everything, seen from its side.
    Face,
    /// A floor with walls all round.
    Pocket,
    /// A floor that is open at a side.
    Step,
    /// Round, straight.
    Hole,
    /// At an edge.
    Chamfer,
    /// Vertical inside corners of what goes through.
    Corner,
    /// Neither wall nor floor from any side that is cut.
    Slanted,
}

/// A feature.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Feature {
    /// From kind, axis, size and place: the same in every run.
    pub id: String,
    /// Sort.
    pub kind: FeatureKind,
    /// In words: "Ø22 through".
    pub what: String,
    /// Directions of the part from which it can be cut: "+Z".
    pub from: Vec<String>,
    /// Below the part's highest point on that side, mm.
    pub depth: Option<f64>,
    /// Smallest vertical inside corner, mm.
    pub corner: Option<f64>,
    /// Depth ÷ diameter of the largest cutter that fits.
    pub reach: Option<f64>,
    /// Faces of the part.
    pub faces: Vec<u32>,
    /// Around it, part coordinates.
    pub place: Place,
}

/// Name of a direction along an axis of the part.
pub fn direction_name(d: DVec3) -> &'static str {
    DIRECTIONS.iter().find(|(v, _)| v.dot(d) > 0.99).map_or("slanted", |p| p.1)
}

fn number(v: f64) -> String {
    let s = format!("{v:.2}");
    s.trim_end_matches('0').trim_end_matches('.').to_string()
}

fn place(b: &Box3) -> Place {
    Place::new(b.min, b.max)
}

fn key(kind: &str, from: &str, size: f64, at: DVec3) -> String {
    format!("{kind}/{from}/{size:.2}/{:.1}_{:.1}_{:.1}", at.x, at.y, at.z)
}

/// What a face is, in words.
pub fn face_words(s: &Surface, turn: f64) -> String {
    match *s {
        Surface::Plane { normal, .. } => match direction_name(normal) {
            "slanted" => "Flat, slanted".into(),
            d => format!("Flat, looks to {d}"),
        },
        Surface::Cylinder { radius, hollow: true, .. } if turn > 3.5 => format!("Hole Ø{}", number(2.0 * radius)),
        Surface::Cylinder { radius, hollow: true, .. } => format!("Inside corner R{}", number(radius)),
        Surface::Cylinder { radius, .. } if turn > 3.5 => format!("Boss Ø{}", number(2.0 * radius)),
        Surface::Cylinder { radius, .. } => format!("Outside corner R{}", number(radius)),
        Surface::Cone { half_angle, .. } => format!("Cone, {}° included", number(2.0 * half_angle.abs().to_degrees())),
        Surface::Sphere { radius, .. } => format!("Ball R{}", number(radius)),
        Surface::Torus { minor, .. } => format!("Round R{}", number(minor)),
        Surface::Free => "Free form".into(),
    }
}

/// All features. `up` is the side that is cut first; it and its opposite decide what counts as slanted.
pub fn features(part: &Part, up: DVec3) -> Vec<Feature> {
    let mut out = Vec::new();
    for (d, name) in DIRECTIONS {
        let along = if d.x.abs() > 0.5 { DVec3::Y } else { DVec3::X };
        let view = View::new(part, Placement::from_axes(along, d).inverse());
        holes(part, &view, name, &mut out);
        floors(part, &view, d, name, d.dot(up).abs() > 0.5, &mut out);
    }
    corners(part, up, &mut out);
    for d in [up, -up] {
        let along = if d.x.abs() > 0.5 { DVec3::Y } else { DVec3::X };
        let view = View::new(part, Placement::from_axes(along, d).inverse());
        let name = direction_name(d);
        for c in view.chamfers(5.0) {
            let b = view.from_part.inverse().bounds(&c.bounds);
            out.push(Feature {
                id: key("chamfer", name, c.high - c.low, b.min),
                kind: FeatureKind::Chamfer,
                what: format!("Chamfer {} × 45°", number(c.high - c.low)),
                from: vec![name.into()],
                depth: Some(view.bounds.max.z - c.low),
                corner: None,
                reach: None,
                faces: c.faces.clone(),
                place: place(&b),
            });
        }
        for k in view.slanted() {
            let known = out.iter().any(|f| f.faces.contains(&k));
            let (f, b) = (&part.faces[k as usize], part.faces[k as usize].bounds);
            if !known {
                out.push(Feature {
                    id: key("slanted", name, f.area, b.min),
                    kind: FeatureKind::Slanted,
                    what: face_words(&f.surface, f.turn),
                    from: vec![],
                    depth: None,
                    corner: None,
                    reach: None,
                    faces: vec![k],
                    place: place(&b),
                });
            }
        }
    }
    out
}

fn holes(part: &Part, view: &View, name: &str, out: &mut Vec<Feature>) {
    let back = view.from_part.inverse();
    for h in view.holes() {
        let faces: Vec<u32> = (0..part.faces.len() as u32)
            .filter(|&k| match part.faces[k as usize].surface {
                Surface::Cylinder { origin, axis, radius, hollow: true } => {
                    let b = view.face_bounds(k as usize);
                    view.from_part.dir(axis).z.abs() > 1.0 - 1e-6
                        && (2.0 * radius - h.diameter).abs() < 1e-3
                        && view.from_part.point(origin).truncate().distance(h.at) < 1e-3
                        && b.min.z < h.top
                        && b.max.z > h.bottom
                }
                _ => false,
            })
            .collect();
        let known = |f: &&mut Feature| f.kind == FeatureKind::Hole && f.faces == faces;
        if let Some(f) = out.iter_mut().find(known) {
            f.from.push(name.into());
            continue;
        }
        let r = h.diameter / 2.0;
        let b = back
            .bounds(&Box3 { min: (h.at - r).extend(h.bottom), max: (h.at + r).extend(h.mouth.map_or(h.top, |m| m.1)) });
        let deep = h.top - h.bottom;
        let end = match h.end {
            HoleEnd::Open => "through".to_string(),
            HoleEnd::Flat => format!("{} deep, flat bottom", number(deep)),
            HoleEnd::Step => format!("{} deep, onto a step", number(deep)),
            HoleEnd::Cone { angle, .. } => format!("{} deep, point {}°", number(deep), number(angle.to_degrees())),
        };
        out.push(Feature {
            id: key("hole", name, h.diameter, back.point(h.at.extend(h.bottom))),
            kind: FeatureKind::Hole,
            what: format!("Hole Ø{} {end}", number(h.diameter)),
            from: vec![name.into()],
            depth: Some(view.bounds.max.z - h.bottom),
            corner: None,
            reach: Some((view.bounds.max.z - h.bottom) / h.diameter),
            faces,
            place: place(&b),
        });
    }
}

/// Smallest radius of the upright inside corners among faces.
fn smallest_corner(part: &Part, d: DVec3, faces: impl Iterator<Item = u32>) -> Option<f64> {
    faces
        .filter_map(|k| {
            let f = &part.faces[k as usize];
            match f.surface {
                Surface::Cylinder { axis, radius, hollow: true, .. }
                    if axis.dot(d).abs() > 1.0 - 1e-6 && f.turn < 3.5 =>
                {
                    Some(radius)
                }
                _ => None,
            }
        })
        .reduce(f64::min)
}

fn floors(part: &Part, view: &View, d: DVec3, name: &str, cut: bool, out: &mut Vec<Feature>) {
    let heights = view.floors();
    for k in 0..part.faces.len() as u32 {
        let f = &part.faces[k as usize];
        let Surface::Plane { normal, .. } = f.surface else { continue };
        let b = view.face_bounds(k as usize);
        if normal.dot(d) < 1.0 - 1e-7 || !heights.iter().any(|h| (h - b.max.z).abs() < 1e-3) {
            continue;
        }
        let around: Vec<u32> = part
            .neighbours
            .iter()
            .filter_map(|n| match *n {
                [a, c] if a == k => Some(c),
                [a, c] if c == k => Some(a),
                _ => None,
            })
            .collect();
        let rises = |n: &u32| view.face_bounds(*n as usize).max.z > b.max.z + 1e-3;
        let walls: Vec<u32> = around.iter().copied().filter(rises).collect();
        let depth = view.bounds.max.z - b.max.z;
        let kind = match (walls.len(), around.len()) {
            (0, _) => FeatureKind::Face,
            (w, a) if w == a => FeatureKind::Pocket,
            _ => FeatureKind::Step,
        };
        // The flat bottom of a hole belongs to the hole; a wall seen from its side is no floor there.
        if let (FeatureKind::Pocket, [wall]) = (kind, walls.as_slice())
            && let Some(hole) = out.iter_mut().find(|h| h.kind == FeatureKind::Hole && h.faces.contains(wall))
        {
            hole.faces.push(k);
            continue;
        }
        if !cut && kind != FeatureKind::Pocket {
            continue;
        }
        let corner = smallest_corner(part, d, walls.iter().copied());
        let what = match kind {
            FeatureKind::Face if depth < 1e-3 => "Top face".to_string(),
            FeatureKind::Face => format!("Flat face, {} down", number(depth)),
            FeatureKind::Pocket => format!("Pocket {} deep", number(depth)),
            _ => format!("Step {} deep", number(depth)),
        };
        out.push(Feature {
            id: key("floor", name, depth, f.bounds.min),
            kind,
            what,
            from: vec![name.into()],
            depth: Some(depth),
            corner,
            reach: corner.map(|r| depth / (2.0 * r)),
            faces: vec![k],
            place: place(&f.bounds),
        });
    }
}

/// Upright inside corners that belong to no floor: of the outline and of what goes through.
fn corners(part: &Part, up: DVec3, out: &mut Vec<Feature>) {
    let height = part.bounds.size().dot(up.abs());
    let mut radii: Vec<(f64, Vec<u32>)> = Vec::new();
    for (k, f) in part.faces.iter().enumerate() {
        let k = k as u32;
        let Surface::Cylinder { axis, radius, hollow: true, .. } = f.surface else { continue };
        let through = f.bounds.size().dot(up.abs()) > height - 1e-2;
        if axis.dot(up).abs() < 1.0 - 1e-6 || f.turn > 3.5 || !through {
            continue;
        }
        match radii.iter_mut().find(|r| (r.0 - radius).abs() < 1e-3) {
            Some(r) => r.1.push(k),
            None => radii.push((radius, vec![k])),
        }
    }
    for (r, faces) in radii {
        let b = faces.iter().fold(Box3::EMPTY, |b, &k| b.joined(&part.faces[k as usize].bounds));
        let from = [direction_name(up), direction_name(-up)].map(String::from).to_vec();
        out.push(Feature {
            id: key("corner", direction_name(up), r, b.min),
            kind: FeatureKind::Corner,
            what: format!(
                "{} inside corner{} R{}, through",
                faces.len(),
                if faces.len() > 1 { "s" } else { "" },
                number(r)
            ),
            from,
            depth: Some(height),
            corner: Some(r),
            reach: Some(height / (2.0 * r)),
            faces,
            place: place(&b),
        });
    }
}
