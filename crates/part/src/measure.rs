//! Measuring on the part: one place (what the face is, how thick the material is there) or two (distances and angles between faces and axes).
//!
//! What follows from the analytic surfaces is exact (of a mesh: as exact as the fit); what was pressed on the picture is as exact as its
//! triangles, and each reading says which it is.

use crate::feature::{Rays, direction_words};
use crate::{Part, Surface};
use geom::DVec3;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Directions within this are parallel, rad.
const PARALLEL: f64 = 1e-6;

/// A place that somebody pressed.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct Spot {
    /// Face of the part.
    pub face: u32,
    /// On it, part coordinates, mm.
    pub point: [f64; 3],
}

/// A reading.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Reading {
    /// "diameter", "distance between the faces".
    pub name: String,
    /// Value.
    pub value: f64,
    /// "mm" or "deg".
    pub unit: String,
    /// It comes from the surfaces; otherwise from the triangles under the pressed points.
    pub exact: bool,
}

/// Everything between one or two places.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Measured {
    /// What was pressed, in words.
    pub about: Vec<String>,
    /// The one that was most likely wanted first.
    pub readings: Vec<Reading>,
}

/// A place that is not on the part.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[error("the part has no face number {0}; press a face on the stage")]
pub struct NoSuchFace(pub u32);

fn mm(name: &str, value: f64, exact: bool) -> Reading {
    Reading { name: name.into(), value, unit: "mm".into(), exact }
}

fn degrees(name: &str, rad: f64) -> Reading {
    Reading { name: name.into(), value: rad.to_degrees(), unit: "deg".into(), exact: true }
}

/// Angle between two lines, 0 to 90°.
fn between(a: DVec3, b: DVec3) -> f64 {
    a.dot(b).abs().clamp(0.0, 1.0).acos()
}

/// Measure.
pub fn measure(part: &Part, rays: &Rays, a: Spot, b: Option<Spot>) -> Result<Measured, NoSuchFace> {
    let face = |s: Spot| part.faces.get(s.face as usize).ok_or(NoSuchFace(s.face));
    let fa = face(a)?;
    let words = |f: &crate::Face| crate::face_words(&f.surface, f.turn);
    let Some(b) = b else {
        let mut out = alone(&fa.surface);
        let at = DVec3::from_array(a.point);
        let normal = fa.surface.normal_at(at).or_else(|| nearest_normal(part, a.face, at));
        if let Some(n) = normal
            && let Some((t, _)) = rays.thickness(at, n)
        {
            out.push(mm("material below this point", t, false));
        }
        return Ok(Measured { about: vec![words(fa)], readings: out });
    };
    let fb = face(b)?;
    let (pa, pb) = (DVec3::from_array(a.point), DVec3::from_array(b.point));
    let mut out = pair(&fa.surface, &fb.surface);
    let d = pb - pa;
    out.push(mm("between the points", d.length(), false));
    for (k, name) in ["along X", "along Y", "along Z"].iter().enumerate() {
        out.push(mm(name, d[k].abs(), false));
    }
    Ok(Measured { about: vec![words(fa), words(fb)], readings: out })
}

fn nearest_normal(part: &Part, face: u32, at: DVec3) -> Option<DVec3> {
    let r = part.faces[face as usize].triangles.clone();
    let near = r.min_by(|&s, &t| {
        let mid = |t: usize| {
            let c = part.mesh.corners(t);
            ((c[0] + c[1] + c[2]) / 3.0).distance(at)
        };
        mid(s).total_cmp(&mid(t))
    })?;
    part.mesh.normal(near).try_normalize()
}

fn alone(s: &Surface) -> Vec<Reading> {
    match *s {
        Surface::Cylinder { radius, .. } => vec![mm("diameter", 2.0 * radius, true), mm("radius", radius, true)],
        Surface::Cone { half_angle, .. } => vec![degrees("included angle", 2.0 * half_angle.abs())],
        Surface::Sphere { radius, .. } => vec![mm("ball radius", radius, true)],
        Surface::Torus { major, minor, .. } => {
            vec![mm("radius of the blend", minor, true), mm("ring diameter", 2.0 * major, true)]
        }
        Surface::Plane { normal, offset } => {
            let mut out = Vec::new();
            if direction_words(normal).len() <= 3 {
                let sense = normal.x + normal.y + normal.z;
                out.push(mm("at", offset * sense.signum(), true));
            }
            out
        }
        Surface::Free => Vec::new(),
    }
}

/// Axis with its middle and the radius around it.
fn round(s: &Surface) -> Option<(DVec3, DVec3, Option<f64>)> {
    match *s {
        Surface::Cylinder { origin, axis, radius, .. } => Some((origin, axis, Some(radius))),
        Surface::Cone { origin, axis, .. } | Surface::Torus { origin, axis, .. } => Some((origin, axis, None)),
        _ => None,
    }
}

fn pair(a: &Surface, b: &Surface) -> Vec<Reading> {
    use Surface::{Plane, Sphere};
    if let (Plane { normal: m, offset: p }, Plane { normal: n, offset: q }) = (a, b) {
        let angle = between(*m, *n);
        if angle < PARALLEL {
            let sense = m.dot(*n).signum();
            return vec![mm("distance between the faces", (p - sense * q).abs(), true)];
        }
        // The inside angle of the material is what drawings give at an edge.
        let full = m.dot(*n).clamp(-1.0, 1.0).acos();
        return vec![degrees("angle between the faces", std::f64::consts::PI - full), degrees("turn", angle)];
    }
    if let (Some((o, u, r)), Some((p, v, s))) = (round(a), round(b)) {
        let angle = between(u, v);
        if angle < PARALLEL {
            let apart = (p - o).reject_from_normalized(u).length();
            let mut out = vec![mm("distance between the axes", apart, true)];
            if let (Some(r), Some(s)) = (r, s) {
                if apart < 1e-6 {
                    out.push(mm("wall between the diameters", (r - s).abs(), true));
                } else {
                    out.push(mm("least distance between the rounds", apart - r - s, true));
                    out.push(mm("largest distance over the rounds", apart + r + s, true));
                }
            }
            return out;
        }
        let n = u.cross(v).normalize();
        let apart = (p - o).dot(n).abs();
        return vec![degrees("angle between the axes", angle), mm("distance between the axes", apart, true)];
    }
    let mixed = |r: &Surface, p: &Surface| -> Option<Vec<Reading>> {
        let (Some((o, u, radius)), Plane { normal, offset }) = (round(r), p) else { return None };
        let lean = std::f64::consts::FRAC_PI_2 - between(u, *normal);
        if lean > PARALLEL {
            return Some(vec![degrees("angle between axis and face", lean)]);
        }
        let d = (o.dot(*normal) - offset).abs();
        let mut out = vec![mm("distance from the axis to the face", d, true)];
        if let Some(radius) = radius {
            out.push(mm("wall between round and face", (d - radius).abs(), true));
        }
        Some(out)
    };
    if let Some(out) = mixed(a, b).or_else(|| mixed(b, a)) {
        return out;
    }
    let ball = |s: &Surface, t: &Surface| -> Option<Vec<Reading>> {
        let Sphere { origin, .. } = s else { return None };
        Some(match t {
            Plane { normal, offset } => {
                vec![mm("distance from the ball's middle to the face", (origin.dot(*normal) - offset).abs(), true)]
            }
            Sphere { origin: o, .. } => vec![mm("distance between the middles", origin.distance(*o), true)],
            t => {
                let (o, u, _) = round(t)?;
                vec![mm(
                    "distance from the ball's middle to the axis",
                    (*origin - o).reject_from_normalized(u).length(),
                    true,
                )]
            }
        })
    };
    ball(a, b).or_else(|| ball(b, a)).unwrap_or_default()
}
