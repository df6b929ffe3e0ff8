//! Where two faces meet: bulging, hollow, or without a corner.

use crate::Face;
use geom::{DVec3, TriMesh};
use kernel::{EdgeKind, RawModel};
use std::collections::HashMap;

/// Faces that turn by less than this along their edge run into one another, rad (0.6°: models drawn by hand are rarely better).
const SMOOTH: f64 = 0.0105;

/// How two faces meet.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Bend {
    /// An outside corner.
    Convex,
    /// An inside corner.
    Concave,
    /// No corner: tangent.
    Smooth,
}

/// An edge between two faces of the part.
#[derive(Debug, Clone)]
pub struct Edge {
    /// The two faces, never the same.
    pub faces: [u32; 2],
    /// Its curve, mm.
    pub kind: EdgeKind,
    /// mm.
    pub length: f64,
    /// The mesh's vertices along it.
    pub points: Vec<u32>,
    /// How the faces meet.
    pub bend: Bend,
    /// By how much they turn, rad (0 smooth, π/2 a square corner).
    pub turn: f64,
}

impl Edge {
    /// The other face.
    pub fn other(&self, face: u32) -> u32 {
        if self.faces[0] == face { self.faces[1] } else { self.faces[0] }
    }
}

/// Edges of one solid; `mine` lists its faces in the file, `number` its vertices.
pub(crate) fn edges(
    raw: &RawModel,
    mine: &[usize],
    number: &[u32],
    mesh: &TriMesh,
    faces: &[Face],
    scale: f64,
) -> Vec<Edge> {
    let mut slot = vec![u32::MAX; raw.faces.len()];
    for (k, &f) in mine.iter().enumerate() {
        slot[f] = k as u32;
    }
    let mut out: Vec<Edge> = Vec::new();
    let mut wanted: HashMap<[u32; 2], [Option<usize>; 2]> = HashMap::new();
    let key = |a: u32, b: u32| [a.min(b), a.max(b)];
    for e in &raw.edges {
        let pair = e.faces.map(|f| slot[f as usize]);
        if pair[0] == pair[1] || pair.contains(&u32::MAX) {
            continue;
        }
        let points: Vec<u32> = e.points.iter().map(|&p| number[p as usize]).filter(|&p| p != u32::MAX).collect();
        let kind = match e.kind {
            EdgeKind::Circle { centre, axis, radius } => {
                EdgeKind::Circle { centre: centre.map(|c| c * scale), axis, radius: radius * scale }
            }
            k => k,
        };
        if let Some(m) = middle(&points) {
            wanted.entry(key(m[0], m[1])).or_insert([None; 2]);
        }
        out.push(Edge { faces: pair, kind, length: e.length * scale, points, bend: Bend::Smooth, turn: 0.0 });
    }
    for (t, tri) in mesh.triangles.iter().enumerate() {
        for k in 0..3 {
            if let Some(w) = wanted.get_mut(&key(tri[k], tri[(k + 1) % 3])) {
                let free = usize::from(w[0].is_some());
                w[free] = Some(t);
            }
        }
    }
    for e in &mut out {
        let Some(m) = middle(&e.points) else { continue };
        let Some([Some(s), Some(t)]) = wanted.get(&key(m[0], m[1])).copied() else { continue };
        // The triangle of the first face first.
        let (s, t) = if mesh.face[s] == e.faces[0] { (s, t) } else { (t, s) };
        let (a, b) = (mesh.points[m[0] as usize], mesh.points[m[1] as usize]);
        let p = (a + b) / 2.0;
        // The exact normals where there are some; at a vertex, where the curve and not its chord lies on the surface.
        let n = |f: u32, t: usize| {
            faces[f as usize].surface.normal_at(a).unwrap_or_else(|| mesh.normal(t).normalize_or_zero())
        };
        let (na, nb) = (n(e.faces[0], s), n(e.faces[1], t));
        let far = mesh.triangles[s].iter().find(|c| !m.contains(c)).map_or(p, |&c| mesh.points[c as usize]);
        let along = (b - a).normalize_or_zero();
        let into = (far - p).reject_from(if along == DVec3::ZERO { DVec3::X } else { along });
        e.turn = na.angle_between(nb);
        e.bend = if e.turn < SMOOTH {
            Bend::Smooth
        } else if into.dot(nb) < 0.0 {
            Bend::Convex
        } else {
            Bend::Concave
        };
    }
    out
}

/// The two vertices around the middle of a line.
fn middle(points: &[u32]) -> Option<[u32; 2]> {
    let k = points.len().checked_sub(2)? / 2;
    (points[k] != points[k + 1]).then(|| [points[k], points[k + 1]])
}
