//! Equal features in circles, lines and grids, and ways in which the whole part is like itself.

use super::{Axis, Dim, Feature, FeatureKind, Shop, Symmetry, count, degrees, mm, number};
use crate::Surface;
use geom::{DVec2, DVec3};
use reason::Place;
use reason::len;
use std::f64::consts::TAU;

/// Places within this are as drawn, mm.
const SAME: f64 = 5e-3;

/// Add a feature for each pattern of three or more equal features.
pub fn find(_shop: &Shop, list: &mut Vec<Feature>) {
    let mut groups: Vec<Vec<usize>> = Vec::new();
    for (k, f) in list.iter().enumerate() {
        if !matches!(
            f.kind,
            FeatureKind::Hole | FeatureKind::NutPocket | FeatureKind::Pocket | FeatureKind::Slot | FeatureKind::CutOut
        ) {
            continue;
        }
        let Some(a) = f.axis else { continue };
        let alike = |g: &Vec<usize>| {
            let o = &list[g[0]];
            o.kind == f.kind && o.what == f.what && o.axis.is_some_and(|b| b.direction.dot(a.direction) > 1.0 - 1e-6)
        };
        match groups.iter_mut().find(|g| alike(g)) {
            Some(g) => g.push(k),
            None => groups.push(vec![k]),
        }
    }
    let mut out = Vec::new();
    for g in groups.into_iter().filter(|g| g.len() >= 3) {
        let Some(axis) = list[g[0]].axis.map(|a| a.direction) else { continue };
        let (_, n) = super::stack::line_of(DVec3::ZERO, axis);
        let x = n.any_orthonormal_vector();
        let y = n.cross(x);
        let middle = |f: &Feature| match (f.kind, f.axis) {
            // A hole's axis is exact, its box only as good as the mesh.
            (FeatureKind::Hole, Some(a)) => a.origin,
            _ => (DVec3::from_array(f.place.min_mm) + DVec3::from_array(f.place.max_mm)) / 2.0,
        };
        let at: Vec<DVec2> = g.iter().map(|&k| middle(&list[k])).map(|c| DVec2::new(c.dot(x), c.dot(y))).collect();
        let Some((words, dims)) = circle(&at).or_else(|| grid(&at)) else { continue };
        let first = &list[g[0]];
        let place = g.iter().skip(1).fold(first.place, |p, &k| {
            let o = &list[k].place;
            Place::new(
                DVec3::from_array(p.min_mm).min(DVec3::from_array(o.min_mm)),
                DVec3::from_array(p.max_mm).max(DVec3::from_array(o.max_mm)),
            )
        });
        out.push(Feature {
            id: format!("pattern/{}/{}", g.len(), first.id),
            kind: FeatureKind::Pattern,
            what: format!("{} × {} {words}", g.len(), first.what),
            dims,
            axis: Some(Axis { origin: DVec3::ZERO, direction: n }),
            from: Vec::new(),
            blocked: Vec::new(),
            depth: None,
            corner: None,
            reach: None,
            hard: Vec::new(),
            cutter: None,
            form: None,
            ways: Vec::new(),
            remarks: Vec::new(),
            ends: None,
            of: g.iter().map(|&k| list[k].id.clone()).collect(),
            faces: g.iter().flat_map(|&k| list[k].faces.iter().copied()).collect(),
            place,
        });
    }
    list.extend(out);
}

/// All on one circle at equal steps (some places may be free).
fn circle(at: &[DVec2]) -> Option<(String, Vec<Dim>)> {
    let n = at.len();
    // Through three of them; a square of four is a circle too, a rectangle is not.
    let (a, b, c) = (at[0], at[n / 3], at[2 * n / 3]);
    let (u, v) = (b - a, c - a);
    let det = 2.0 * u.perp_dot(v);
    if det.abs() < 1e-6 {
        return None;
    }
    let (uu, vv) = (u.length_squared(), v.length_squared());
    let centre = a + DVec2::new(v.y * uu - u.y * vv, u.x * vv - v.x * uu) / det;
    let r = a.distance(centre);
    if at.iter().any(|p| (p.distance(centre) - r).abs() > SAME) {
        return None;
    }
    let mut angles: Vec<f64> = at.iter().map(|p| (*p - centre).to_angle().rem_euclid(TAU)).collect();
    angles.sort_by(f64::total_cmp);
    let gap = |k: usize| (angles[(k + 1) % n] - angles[k]).rem_euclid(TAU);
    let step = (0..n).map(gap).fold(TAU, f64::min);
    let whole = (TAU / step).round();
    let even = (0..n).all(|k| {
        let q = gap(k) / (TAU / whole);
        (q - q.round()).abs() * r * TAU / whole < 2.0 * SAME
    });
    if !even || whole > 3.0 * n as f64 {
        return None;
    }
    let mut words = format!("on a circle Ø{}", len(number(2.0 * r)));
    if whole as usize != n {
        words.push_str(&format!(", every {}°", number(360.0 / whole)));
    }
    Some((words, vec![count("count", n), mm("circle diameter", 2.0 * r), degrees("step", TAU / whole)]))
}

/// In a line or a grid at equal pitches.
fn grid(at: &[DVec2]) -> Option<(String, Vec<Dim>)> {
    let n = at.len();
    let mut best: Option<(f64, DVec2)> = None;
    for p in at {
        for q in at {
            let d = *q - *p;
            let l = d.length();
            if l > SAME && best.is_none_or(|b| l < b.0 - 1e-9) {
                best = Some((l, d / l));
            }
        }
    }
    let (_, x) = best?;
    let y = x.perp();
    let line = |d: DVec2| {
        let mut s: Vec<f64> = at.iter().map(|p| p.dot(d)).collect();
        s.sort_by(f64::total_cmp);
        s.dedup_by(|a, b| (*a - *b).abs() < 2.0 * SAME);
        s
    };
    let (sx, sy) = (line(x), line(y));
    let even = |s: &[f64]| s.windows(2).all(|w| (w[1] - w[0] - (s[1] - s[0])).abs() < 2.0 * SAME);
    if sx.len() * sy.len() != n || !even(&sx) || !even(&sy) {
        return None;
    }
    if sy.len() == 1 || sx.len() == 1 {
        let s = if sy.len() == 1 { &sx } else { &sy };
        let pitch = s[1] - s[0];
        return Some((format!("in a line, {} apart", len(number(pitch))), vec![count("count", n), mm("pitch", pitch)]));
    }
    let (px, py) = (sx[1] - sx[0], sy[1] - sy[0]);
    Some((
        format!("in a grid {} × {}, {} and {} apart", sx.len(), sy.len(), len(number(px)), len(number(py))),
        vec![count("columns", sx.len()), count("rows", sy.len()), mm("pitch", px), mm("row pitch", py)],
    ))
}

/// Half turns and mirrors through the middle of the part's box under which all faces fall on faces of the same kind and size.
pub fn symmetry(shop: &Shop) -> Vec<Symmetry> {
    let b = shop.part.bounds;
    let mid = (b.min + b.max) / 2.0;
    let marks: Vec<(u8, f64, DVec3)> = (0..shop.part.faces.len() as u32)
        .map(|f| {
            let face = &shop.part.faces[f as usize];
            let kind = match face.surface {
                Surface::Plane { .. } => 0,
                Surface::Cylinder { hollow, .. } => 1 + u8::from(hollow),
                Surface::Cone { hollow, .. } => 3 + u8::from(hollow),
                Surface::Sphere { .. } => 5,
                Surface::Torus { .. } => 6,
                Surface::Free => 7,
            };
            // Centre of gravity of the face; its mesh is not symmetric, but nearly so.
            let (mut sum, mut area) = (DVec3::ZERO, 0.0);
            for t in face.triangles.clone() {
                let c = shop.part.mesh.corners(t);
                let a = shop.part.mesh.normal(t).length();
                sum += (c[0] + c[1] + c[2]) / 3.0 * a;
                area += a;
            }
            (kind, face.area, sum / f64::max(area, 1e-12) - mid)
        })
        .collect();
    if marks.len() > 4000 {
        return Vec::new();
    }
    let same = |turn: DVec3| {
        marks.iter().all(|(k, a, c)| {
            let to = *c * turn;
            marks.iter().any(|(k2, a2, c2)| k == k2 && (a - a2).abs() < 1e-3 * a.max(1.0) && to.distance(*c2) < 0.02)
        })
    };
    let mut out = Vec::new();
    for (k, name) in ["X", "Y", "Z"].iter().enumerate() {
        let mut half = DVec3::NEG_ONE;
        half[k] = 1.0;
        if same(half) {
            out.push(Symmetry {
                what: format!("the same when turned half round about {name}"),
                good_for: "both ends can be cut by one program turned round".into(),
            });
        }
        let mut mirror = DVec3::ONE;
        mirror[k] = -1.0;
        if same(mirror) {
            out.push(Symmetry {
                what: format!("mirrored across {name}"),
                good_for: "one half proves the other; clamps may sit alike on both sides".into(),
            });
        }
    }
    out
}
