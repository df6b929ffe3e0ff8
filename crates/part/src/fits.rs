//! Parts of one assembly must fit each other: what the file's other solids have in common with the part.
//!
//! Where a round of one solid lies in a round of the other about the same axis, there is a fit: its clearance is the difference of the
//! diameters (less than nothing: an interference). Where a flat face of one looks at a flat face of the other near by, there is a gap.
//! Material that both claim is measured by rays. Diameters and gaps are exact, the shared volume is as good as its rays.

use crate::{Face, Part, Surface, feature::number};
use geom::{DVec3, RayGrid, TriMesh};
use reason::Place;
use reason::len;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Another solid of the file.
#[derive(Debug, Clone)]
pub struct Neighbour {
    /// Its number in the file.
    pub solid: usize,
    /// Its surface.
    pub mesh: TriMesh,
    /// Its faces; their triangles are those of `mesh`.
    pub faces: Vec<Face>,
    /// It stands where it is drawn while the part is machined: no cutter and no holder may enter it.
    pub stays: bool,
}

/// Something that the part and a neighbour have in common.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Contact {
    /// "bore Ø10 over its Ø9.98".
    pub what: String,
    /// Diameter of the hole less that of the shaft, or gap between the faces, mm; less than nothing where they overlap.
    pub clearance: f64,
    /// It is a fit of rounds, not a gap of flats.
    pub round: bool,
    /// Faces of the part.
    pub faces: Vec<u32>,
    /// Around them.
    pub place: Place,
}

/// What the part must fit.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct FitsWith {
    /// Number of the solid in the file.
    pub solid: usize,
    /// Its name.
    pub name: String,
    /// Rounds and flats that meet, the tightest first.
    pub contacts: Vec<Contact>,
    /// Material that both claim, mm³.
    pub shared: f64,
}

/// Rounds that differ by more are no fit, mm and as a share of the diameter.
const LOOSE: (f64, f64) = (2.0, 0.2);
/// Flats farther apart are no joint, mm.
const GAP: f64 = 0.5;
/// Axes within this are one, mm.
const SAME_AXIS: f64 = 0.02;

fn span(f: &Face, mesh: &TriMesh, axis: DVec3) -> (f64, f64) {
    f.triangles
        .clone()
        .flat_map(|t| mesh.corners(t))
        .map(|p| p.dot(axis))
        .fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), s| (a.min(s), b.max(s)))
}

/// What the part has in common with each of the file's other solids; those that it does not touch are left out.
pub fn fits(part: &Part) -> Vec<FitsWith> {
    part.others
        .iter()
        .filter_map(|o| {
            let near = o.mesh.bounds().grown(GAP);
            if !near.meets(&part.bounds) {
                return None;
            }
            let mut contacts: Vec<Contact> = Vec::new();
            for (k, f) in part.faces.iter().enumerate() {
                for g in o.faces.iter().filter(|g| g.bounds.grown(GAP + LOOSE.0).meets(&f.bounds)) {
                    let Some((what, clearance, round)) = meet(f, &part.mesh, g, &o.mesh) else { continue };
                    let same = contacts.iter_mut().find(|c| c.what == what && (c.clearance - clearance).abs() < 1e-6);
                    match same {
                        Some(c) => {
                            if !c.faces.contains(&(k as u32)) {
                                c.faces.push(k as u32);
                            }
                        }
                        None => contacts.push(Contact {
                            what,
                            clearance,
                            round,
                            faces: vec![k as u32],
                            place: Place::new(f.bounds.min, f.bounds.max),
                        }),
                    }
                }
            }
            contacts.sort_by(|a, b| (!a.round).cmp(&!b.round).then(a.clearance.total_cmp(&b.clearance)));
            let shared = shared(&part.mesh, &o.mesh);
            if contacts.is_empty() && shared < 1e-3 {
                return None;
            }
            Some(FitsWith { solid: o.solid, name: part.origin.solids[o.solid].name.clone(), contacts, shared })
        })
        .collect()
}

fn meet(f: &Face, m: &TriMesh, g: &Face, n: &TriMesh) -> Option<(String, f64, bool)> {
    match (f.surface, g.surface) {
        (
            Surface::Cylinder { origin, axis, radius, hollow },
            Surface::Cylinder { origin: o, axis: a, radius: r, hollow: h },
        ) if hollow != h && axis.dot(a).abs() > 1.0 - 1e-6 => {
            let off = (o - origin).reject_from_normalized(axis).length();
            let (p, q) = (span(f, m, axis), span(g, n, axis));
            let along = p.1.min(q.1) - p.0.max(q.0);
            let clearance = 2.0 * if hollow { radius - r } else { r - radius };
            let loose = LOOSE.0.min(LOOSE.1 * 2.0 * radius);
            // Short arcs of corners are no fit.
            let full = f.turn > 3.0 && g.turn > 3.0;
            if off > SAME_AXIS || along < 0.05 || clearance.abs() > loose || !full {
                return None;
            }
            let what = if hollow {
                format!("hole Ø{} over its Ø{}", len(number(2.0 * radius)), len(number(2.0 * r)))
            } else {
                format!("Ø{} in its hole Ø{}", len(number(2.0 * radius)), len(number(2.0 * r)))
            };
            Some((what, clearance, true))
        }
        (Surface::Plane { normal, offset }, Surface::Plane { normal: b, offset: s }) if normal.dot(b) < -1.0 + 1e-9 => {
            // Along the part's normal the neighbour's face stands at −s.
            let gap = -s - offset;
            if !(-GAP..=GAP).contains(&gap) {
                return None;
            }
            // They must lie over one another.
            let x = normal.any_orthonormal_vector();
            let over = [x, normal.cross(x)].iter().all(|d| {
                let (p, q) = (span(f, m, *d), span(g, n, *d));
                p.1.min(q.1) - p.0.max(q.0) > 0.1
            });
            over.then(|| (format!("flat to {} against its flat", crate::direction_words(normal)), gap, false))
        }
        _ => None,
    }
}

/// Volume that lies in both, mm³, along rays through the box that they share.
fn shared(a: &TriMesh, b: &TriMesh) -> f64 {
    let (p, q) = (a.bounds(), b.bounds());
    let both = geom::Box3 { min: p.min.max(q.min), max: p.max.min(q.max) };
    let size = both.size();
    if size.min_element() <= 0.0 {
        return 0.0;
    }
    let pitch = (size.x * size.y / 10_000.0).sqrt().max(0.02);
    let grid = RayGrid::covering(2, &both, pitch);
    let inside = |m: &TriMesh| -> Vec<Vec<(f64, f64)>> {
        m.crossings(&grid)
            .iter()
            .map(|r| r.windows(2).filter(|w| w[0].enters && !w[1].enters).map(|w| (w[0].t, w[1].t)).collect())
            .collect()
    };
    let (x, y) = (inside(a), inside(b));
    let length: f64 = x
        .iter()
        .zip(&y)
        .flat_map(|(u, v)| u.iter().flat_map(move |s| v.iter().map(move |t| (s.1.min(t.1) - s.0.max(t.0)).max(0.0))))
        // Faces that touch are not shared material.
        .filter(|l| *l > 0.005)
        .sum();
    length * pitch * pitch
}
