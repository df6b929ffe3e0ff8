//! What the part is as a whole: prismatic, turned, drawn from hexagon bar; its axis, its profile, its symmetry.

use super::stack::{Piece, PieceShape, Stack, lines, same_line};
use super::{Axis, Draft, FeatureKind, Shop, degrees, mm, number};
use crate::{Bend, Surface};
use geom::DVec3;
use reason::len;
use serde::{Deserialize, Serialize};
use std::f64::consts::{PI, TAU};
use ts_rs::TS;

/// Sort of body.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum BodyKind {
    /// Thin against its length and width.
    Plate,
    /// A block with flat sides.
    Block,
    /// Its outside is turned.
    Turned,
    /// Hexagon bar.
    Hexagon,
    /// Another even polygon.
    ManySided,
    /// Mostly free-form.
    FreeForm,
}

/// A piece of a turned outside.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum SectionKind {
    /// One diameter.
    Cylinder,
    /// From one diameter to another.
    Cone,
    /// A blend.
    Radius,
    /// Narrower than both its neighbours.
    Groove,
    /// A narrow groove at a shoulder.
    Relief,
}

/// A piece of the profile.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Section {
    /// Sort.
    pub kind: SectionKind,
    /// From the lower end of the part along its axis, mm.
    pub from: f64,
    /// mm.
    pub to: f64,
    /// Diameters at both ends, mm.
    pub diameter: [f64; 2],
}

/// A way in which the part is like itself.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Symmetry {
    /// "turned half round about Z", "mirrored across X".
    pub what: String,
    /// What it is good for.
    pub good_for: String,
}

/// The part as a whole.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Body {
    /// Sort.
    pub kind: BodyKind,
    /// In words: "Turned, largest Ø32, 48 long".
    pub what: String,
    /// Axis of a turned or drawn body.
    pub axis: Option<Axis>,
    /// Across flats of a hexagon or polygon, mm.
    pub across: Option<f64>,
    /// Sides of a polygon.
    pub sides: usize,
    /// Outside, from one end to the other.
    pub profile: Vec<Section>,
    /// Ways in which it is like itself.
    pub symmetry: Vec<Symmetry>,
    /// Faces that turn about the axis.
    #[serde(skip)]
    #[ts(skip)]
    pub turned_faces: Vec<u32>,
}

/// Find out.
pub fn find(shop: &Shop, holes: &[Stack]) -> Body {
    let size = shop.part.bounds.size();
    let mut s = [size.x, size.y, size.z];
    s.sort_by(f64::total_cmp);
    let outside = lines(shop, false);
    let far = |line: &(DVec3, DVec3)| {
        shop.part.mesh.points.iter().map(|p| (*p - line.0).reject_from_normalized(line.1).length()).fold(0.0, f64::max)
    };
    let mut best: Option<(f64, Body)> = None;
    for (line, pieces) in &outside {
        let r = pieces.iter().filter(|p| p.cover > 0.5).map(|p| p.r[0].max(p.r[1])).fold(0.0, f64::max);
        if r <= 0.0 || far(line) > r + 2.0 * shop.same + shop.part.chord_error {
            continue;
        }
        let faces = about(shop, line);
        let area: f64 = faces.iter().map(|&f| shop.part.faces[f as usize].area).sum();
        let share = area / shop.part.area;
        if share < 0.5 || best.as_ref().is_some_and(|b| b.0 >= share) {
            continue;
        }
        let (a, b) = shop.span(&(0..shop.part.faces.len() as u32).collect::<Vec<_>>(), line.1);
        let profile = profile(shop, pieces, a);
        let what = format!("Turned, largest Ø{}, {} long", len(number(2.0 * r)), len(number(b - a)));
        best = Some((share, body(BodyKind::Turned, what, Some((line, a)), None, 0, profile, faces)));
    }
    if let Some((_, b)) = best {
        return b;
    }
    let mut axes: Vec<(DVec3, DVec3)> = outside.iter().map(|l| l.0).collect();
    for h in holes {
        let l = super::stack::line_of(h.line.origin, h.line.axis);
        if !axes.iter().any(|a| same_line(a, &l, shop.same)) {
            axes.push(l);
        }
    }
    for line in &axes {
        if let Some((n, across)) = polygon(shop, line, far(line)) {
            let faces = about(shop, line);
            let (a, b) = shop.span(&(0..shop.part.faces.len() as u32).collect::<Vec<_>>(), line.1);
            let pieces = outside.iter().find(|l| same_line(&l.0, line, shop.same)).map_or(&[][..], |l| &l.1);
            let (kind, name) = if n == 6 {
                (BodyKind::Hexagon, "Hexagon".to_string())
            } else {
                (BodyKind::ManySided, format!("{n}-sided"))
            };
            let what = format!("{name} {} across flats, {} long", len(number(across)), len(number(b - a)));
            return body(kind, what, Some((line, a)), Some(across), n, profile(shop, pieces, a), faces);
        }
    }
    let free: f64 = shop.part.faces.iter().filter(|f| matches!(f.surface, Surface::Free)).map(|f| f.area).sum::<f64>()
        / shop.part.area;
    let sizes = format!("{} × {} × {}", len(number(s[2])), len(number(s[1])), len(number(s[0])));
    if free > 0.25 {
        return body(BodyKind::FreeForm, format!("Free-form, {sizes}"), None, None, 0, vec![], vec![]);
    }
    if s[0] < 0.3 * s[1] {
        return body(BodyKind::Plate, format!("Plate, {sizes}"), None, None, 0, vec![], vec![]);
    }
    // What fills much less of its box, seen across its shortest side, is no block to look at.
    let name = if fills(shop.part) < 0.88 { "Part of irregular outline" } else { "Block" };
    body(BodyKind::Block, format!("{name}, {sizes}"), None, None, 0, vec![], vec![])
}

/// Share of the rectangle around it that the outline fills, seen along its shortest side.
fn fills(part: &crate::Part) -> f64 {
    let size = part.bounds.size();
    let axis = (0..3).min_by(|&i, &j| size[i].total_cmp(&size[j])).unwrap_or(2);
    let mut up = DVec3::ZERO;
    up[axis] = 1.0;
    let frame = geom::Placement::from_axes(up.any_orthonormal_vector(), up);
    let mesh = part.mesh.placed(&frame.inverse());
    let b = mesh.bounds();
    mesh.shadow_above(b.min.z - 1.0).area() / (b.size().x * b.size().y)
}

fn body(
    kind: BodyKind,
    what: String,
    line: Option<(&(DVec3, DVec3), f64)>,
    across: Option<f64>,
    sides: usize,
    profile: Vec<Section>,
    turned_faces: Vec<u32>,
) -> Body {
    let axis = line.map(|(l, a)| Axis { origin: l.0 + l.1 * a, direction: l.1 });
    Body { kind, what, axis, across, sides, profile, symmetry: Vec::new(), turned_faces }
}

/// Faces that turn about a line: round ones on it, balls with their middle on it, flats square to it.
fn about(shop: &Shop, line: &(DVec3, DVec3)) -> Vec<u32> {
    (0..shop.part.faces.len() as u32)
        .filter(|&f| match *shop.surface(f) {
            Surface::Plane { normal, .. } => normal.dot(line.1).abs() > 1.0 - 1e-6,
            Surface::Sphere { origin, .. } => (origin - line.0).cross(line.1).length() < shop.same,
            s => s.axis().is_some_and(|(o, a)| same_line(&super::stack::line_of(o, a), line, shop.same)),
        })
        .collect()
}

/// An even polygon of flats about a line that bounds the part: number of sides and distance across flats.
fn polygon(shop: &Shop, line: &(DVec3, DVec3), far: f64) -> Option<(usize, f64)> {
    let mut flats: Vec<(f64, f64)> = Vec::new();
    let e1 = line.1.any_orthonormal_vector();
    let e2 = line.1.cross(e1);
    for f in &shop.part.faces {
        if let Surface::Plane { normal, offset } = f.surface
            && normal.dot(line.1).abs() < 1e-6
        {
            let d = offset - line.0.dot(normal);
            if d > 0.0 {
                flats.push((d, normal.dot(e2).atan2(normal.dot(e1)).rem_euclid(TAU)));
            }
        }
    }
    let most = flats.iter().map(|f| f.0).fold(0.0, f64::max);
    let mut angles: Vec<f64> = flats.iter().filter(|f| f.0 > most - 2.0 * shop.same).map(|f| f.1).collect();
    angles.sort_by(f64::total_cmp);
    angles.dedup_by(|a, b| (*a - *b).abs() < 1e-3);
    let n = angles.len();
    if n < 5 {
        return None;
    }
    let step = TAU / n as f64;
    let even = angles.windows(2).all(|w| (w[1] - w[0] - step).abs() < 2e-3);
    // Corners may be turned off, but nothing stands out.
    (even && far < most / (PI / n as f64).cos() + 2.0 * shop.same).then_some((n, 2.0 * most))
}

fn profile(shop: &Shop, pieces: &[Piece], low: f64) -> Vec<Section> {
    let round: Vec<&Piece> = pieces.iter().filter(|p| p.cover > 0.3).collect();
    let mut out: Vec<Section> = Vec::new();
    for (k, p) in round.iter().enumerate() {
        let before = k.checked_sub(1).map(|j| round[j].r[1]);
        let after = round.get(k + 1).map(|n| n.r[0]);
        let wide = p.s[1] - p.s[0];
        let least = p.r[0].min(p.r[1]);
        let narrow = |o: Option<f64>| o.is_some_and(|o| o > least + shop.same);
        let kind = match p.shape {
            PieceShape::Cone => SectionKind::Cone,
            PieceShape::Ring | PieceShape::Ball => SectionKind::Radius,
            PieceShape::Cylinder if narrow(before) && narrow(after) && wide < 1.2 * p.r[0] => {
                let step = before.map_or(0.0, |b| b - least).min(after.map_or(0.0, |a| a - least));
                let other = before.map_or(0.0, |b| b - least).max(after.map_or(0.0, |a| a - least));
                if step < 1.0 && other > 2.0 * step { SectionKind::Relief } else { SectionKind::Groove }
            }
            PieceShape::Cylinder => SectionKind::Cylinder,
        };
        out.push(Section { kind, from: p.s[0] - low, to: p.s[1] - low, diameter: [2.0 * p.r[0], 2.0 * p.r[1]] });
    }
    out
}

/// Steps of the diameter smaller than this are no shoulders, mm.
const SHOULDER: f64 = 0.5;

/// From a groove's nearer wall to the nearest shoulder, mm. Walls of grooves are none, nor are the ends.
fn from_a_shoulder(profile: &[Section], groove: &Section) -> Option<f64> {
    let cut = |s: &Section| matches!(s.kind, SectionKind::Groove | SectionKind::Relief);
    let steps = profile
        .windows(2)
        .filter(|w| !cut(&w[0]) && !cut(&w[1]) && (w[0].diameter[1] - w[1].diameter[0]).abs() > 2.0 * SHOULDER);
    let far = steps.map(|w| if w[0].to <= groove.from { groove.from - w[0].to } else { w[1].from - groove.to });
    far.filter(|d| *d > 1e-3).min_by(f64::total_cmp)
}

/// Features of a turned outside: diameters, tapers, grooves, and the flats cut on them.
pub fn turned(shop: &Shop, body: &Body, drafts: &mut Vec<Draft>) {
    let Some(axis) = body.axis else { return };
    let line = super::stack::line_of(axis.origin, axis.direction);
    let low = axis.origin.dot(line.1);
    for (l, pieces) in lines(shop, false) {
        if !same_line(&l, &line, shop.same) {
            continue;
        }
        for (p, s) in pieces.iter().filter(|p| p.cover > 0.3).zip(&body.profile) {
            let wide = p.s[1] - p.s[0];
            let (kind, what) = match s.kind {
                SectionKind::Cylinder => {
                    (FeatureKind::Diameter, format!("Diameter Ø{} × {}", len(number(s.diameter[0])), len(number(wide))))
                }
                SectionKind::Cone => {
                    let half = ((p.r[1] - p.r[0]).abs() / wide.max(1e-9)).atan();
                    let edge = wide < 1.5 && (p.r[1] - p.r[0]).abs() < 1.5;
                    if edge {
                        (
                            FeatureKind::Chamfer,
                            format!("Chamfer {} × {}°", len(number(wide)), number(half.to_degrees())),
                        )
                    } else {
                        (
                            FeatureKind::Taper,
                            format!(
                                "Taper Ø{} to Ø{}, {}° included",
                                len(number(s.diameter[0])),
                                len(number(s.diameter[1])),
                                number((2.0 * half).to_degrees())
                            ),
                        )
                    }
                }
                SectionKind::Radius => (FeatureKind::Round, "Turned radius".to_string()),
                SectionKind::Groove | SectionKind::Relief => {
                    let word = if s.kind == SectionKind::Groove { "Groove" } else { "Relief at a shoulder" };
                    (
                        FeatureKind::Groove,
                        format!("{word} Ø{} × {} wide", len(number(s.diameter[0])), len(number(wide))),
                    )
                }
            };
            let mut d = Draft::new(kind, what, p.faces.clone());
            d.dims = vec![mm("diameter", s.diameter[0]), mm("length", wide), mm("from the end", p.s[0] - low)];
            if kind == FeatureKind::Taper {
                d.dims.push(degrees("included angle", 2.0 * ((p.r[1] - p.r[0]).abs() / wide.max(1e-9)).atan()));
            }
            if kind == FeatureKind::Groove
                && let Some(far) = from_a_shoulder(&body.profile, s)
            {
                d.dims.push(mm("from the shoulder", far));
                d.remarks.push(format!(
                    "{} mm from the nearest shoulder: a groove is toleranced from there, not from the end (common practice, no source)",
                    len(number(far))));
            }
            d.axis = Some(Axis { origin: line.0 + line.1 * p.s[0], direction: line.1 });
            d.turned = true;
            d.size = s.diameter[0];
            d.deep = wide;
            drafts.push(d);
        }
    }
    // Flats: parallel to the axis, nearer to it than the round around them, and cut into that round.
    for k in 0..shop.part.faces.len() as u32 {
        let Surface::Plane { normal, offset } = *shop.surface(k) else { continue };
        let d0 = offset - line.0.dot(normal);
        if normal.dot(line.1).abs() > 1e-6 || d0 <= 0.0 || body.sides > 0 {
            continue;
        }
        let beside = shop.at[k as usize].iter().map(|&e| &shop.part.edges[e]).find(|e| {
            let o = e.other(k);
            e.bend == Bend::Convex
                && body.turned_faces.contains(&o)
                && matches!(shop.surface(o), Surface::Cylinder { hollow: false, .. })
        });
        let walls = shop.at[k as usize].iter().any(|&e| {
            let e = &shop.part.edges[e];
            e.bend == Bend::Concave && shop.normal(e.other(k)).is_some_and(|m| m.dot(line.1).abs() < 1e-6)
        });
        if beside.is_none() || walls {
            continue;
        }
        let opposite = shop.part.faces.iter().find_map(|f| match f.surface {
            Surface::Plane { normal: m, offset: o } if m.dot(normal) < -1.0 + 1e-6 => {
                Some(o - line.0.dot(m)).filter(|d| (d - d0).abs() < shop.same)
            }
            _ => None,
        });
        let (a, b) = shop.span(&[k], line.1);
        let what = match opposite {
            Some(o) => format!("Flat, {} across flats × {} long", len(number(d0 + o)), len(number(b - a))),
            None => format!("Flat {} from the axis × {} long", len(number(d0)), len(number(b - a))),
        };
        let mut d = Draft::new(FeatureKind::Flat, what, vec![k]);
        d.dims = vec![mm("from the axis", d0), mm("length", b - a)];
        if let Some(o) = opposite {
            d.dims.push(mm("across flats", d0 + o));
        }
        d.axis = Some(Axis { origin: line.0 + line.1 * a, direction: normal });
        d.looks = vec![normal];
        d.probes = shop.samples(k, 8);
        d.size = d0;
        drafts.push(d);
    }
}
