//! Further sides: from which directions across the first two can be cut what those two do not see, and from which at an angle.
//!
//! Hidden is what lies in a gap between material above and below it, along the first two sides' axis. Of the four directions across, the
//! fewest are taken that together see as much of it as all four (all sixteen choices are looked at).

use geom::{DMat3, DVec3, Placement, RayGrid};
use part::{Part, Surface, View};
use reason::Sure;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// What a further side is for: places in part coordinates, each the middle of a cube of side `cell`.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Only {
    /// Middles, part coordinates.
    pub places: Vec<DVec3>,
    /// mm.
    pub cell: f64,
}

/// Into a frame whose z is this direction.
fn upright(up: DVec3) -> Placement {
    Placement::from_axes(up.any_orthonormal_vector(), up).inverse()
}

/// A further direction, and what is cut from it.
#[derive(Debug, Clone)]
pub(crate) struct Further {
    pub up: DVec3,
    pub only: Only,
}

/// Less than this is no reason for a further setup, mm³.
const LEAST: f64 = 0.4;

/// `at_an_angle`: tilted sides that are held; what they see over what they are for is theirs.
pub(crate) fn further(part: &Part, up: DVec3, at_an_angle: &[(DVec3, &Only)]) -> Vec<Further> {
    // A frame whose z is up; its x and y are the directions across.
    let x = if up.x.abs() > 0.5 { DVec3::Y } else { DVec3::X };
    let turn = DMat3::from_cols(x, up.cross(x), up);
    let frame = Placement { turn, shift: DVec3::ZERO };
    let view = View::new(part, frame.inverse());
    let b = view.bounds;
    let size = b.size();
    let cell = (size.x * size.y / 60_000.0).sqrt().clamp(0.12, 0.6);
    let grid = RayGrid::covering(2, &b, cell);
    let mut hidden: Vec<DVec3> = Vec::new();
    for (k, ray) in view.mesh.crossings(&grid).iter().enumerate() {
        for w in ray.windows(2).filter(|w| !w[0].enters && w[1].enters) {
            let n = ((w[1].t - w[0].t) / cell).round();
            hidden.extend((0..n as usize).map(|i| grid.point(k, w[0].t + (w[1].t - w[0].t) * (i as f64 + 0.5) / n)));
        }
    }
    for (d, only) in at_an_angle {
        let theirs = sees(part, *d, cell);
        let view = View::new(part, upright(*d));
        let over = view.over(&only.places, only.cell);
        hidden.retain(|p| {
            let p = frame.point(*p);
            !(over.contains(view.from_part.point(p).truncate()) && theirs(p))
        });
    }
    if (hidden.len() as f64) * cell.powi(3) < LEAST {
        return Vec::new();
    }
    let across = [RayGrid::covering(0, &b, cell), RayGrid::covering(1, &b, cell)];
    let rays = across.each_ref().map(|g| view.mesh.crossings(g));
    // Bit k: seen from direction k of +x, −x, +y, −y.
    let seen = |p: &DVec3| -> u8 {
        let mut mask = 0;
        for axis in 0..2 {
            let g = &across[axis];
            let (u, v) = g.uv();
            let (i, j) =
                (g.range(0, p[u] - 0.5 * cell, p[u] + 0.5 * cell), g.range(1, p[v] - 0.5 * cell, p[v] + 0.5 * cell));
            let (Some(i), Some(j)) = (i.clone().next(), j.clone().next()) else { continue };
            let ray = &rays[axis][j * g.count[0] + i];
            if ray.iter().all(|c| c.t <= p[axis]) {
                mask |= 1 << (2 * axis);
            }
            if ray.iter().all(|c| c.t >= p[axis]) {
                mask |= 2 << (2 * axis);
            }
        }
        mask
    };
    let masks: Vec<u8> = hidden.iter().map(seen).collect();
    let volume = |n: usize| n as f64 * cell.powi(3);
    let covered = |choice: u8| masks.iter().filter(|m| *m & choice != 0).count();
    let most = covered(0b1111);
    let best = (0..16_u8)
        .filter(|c| volume(most - covered(*c)) < LEAST)
        .min_by_key(|c| (c.count_ones(), most - covered(*c), *c))
        .unwrap_or(0);
    // The direction that sees most takes what it sees; the others what is left.
    let mut order: Vec<u8> = (0..4).filter(|k| best & (1 << k) != 0).collect();
    order.sort_by_key(|k| std::cmp::Reverse(covered(1 << k)));
    let mut taken: u8 = 0;
    let mut out = Vec::new();
    for k in order {
        let mine = |m: u8| m & (1 << k) != 0 && m & taken == 0;
        let places: Vec<DVec3> =
            hidden.iter().zip(&masks).filter(|(_, m)| mine(**m)).map(|(p, _)| frame.point(*p)).collect();
        taken |= 1 << k;
        let d = if k < 2 { DVec3::X } else { DVec3::Y };
        let up = frame.dir(if k % 2 == 0 { d } else { -d });
        out.push(Further { up: up.round(), only: Only { places, cell } });
    }
    out
}

/// What a direction sees: is nothing of the part above a place?
fn sees(part: &Part, d: DVec3, cell: f64) -> impl Fn(DVec3) -> bool {
    let view = View::new(part, upright(d));
    let grid = RayGrid::covering(2, &view.bounds, cell);
    let last = |r: &Vec<geom::Crossing>| r.last().map_or(f64::NEG_INFINITY, |c| c.t);
    let tops: Vec<f64> = view.mesh.crossings(&grid).iter().map(last).collect();
    let to = view.from_part;
    move |p| {
        let q = to.point(p);
        // Beside a wall that runs along `d` the ray on the other side of it tells.
        let near = |k: usize, v: f64| grid.range(k, v - 1.5 * cell, v + 1.5 * cell);
        let mut rays = near(1, q.y).flat_map(|j| near(0, q.x).map(move |i| j * grid.count[0] + i));
        rays.any(|k| tops[k] <= q.z + cell)
    }
}

/// So many tilted setups are planned at most; whoever needs more wants another machine (or free surfaces).
const MOST: usize = 4;
/// A chamfer up to so high is cut upright, mm.
const CHAMFER: f64 = 4.0;
/// Smaller slanted flats are left for the hand, mm².
const SMALL: f64 = 2.0;

/// Tilted sides: directions at an angle from which an inclined flat is square to the spindle, or a slanted round lies open, where none of the sides square to the
/// part (`ups`, that of the first side first) cuts it. The fewest that show all are taken, the one that shows most first.
pub(crate) fn slanted(part: &Part, ups: &[DVec3]) -> Vec<Further> {
    let directions = part::slants(part);
    if directions.is_empty() {
        return Vec::new();
    }
    let chamfered: BTreeSet<u32> =
        ups.iter().flat_map(|up| View::new(part, upright(*up)).chamfers(CHAMFER)).flat_map(|c| c.faces).collect();
    let seen: Vec<_> = ups.iter().take(2).map(|up| (*up, sees(part, *up, 0.4))).collect();
    // What stands upright on the first two sides, and lies open to one of them, is a wall of theirs.
    let is_wall = |f: &part::Face, normal: DVec3| {
        let points: Vec<DVec3> = f
            .triangles
            .clone()
            .map(|t| {
                let c = part.mesh.corners(t);
                (c[0] + c[1] + c[2]) / 3.0 + normal * 0.6
            })
            .collect();
        let open = |s: &dyn Fn(DVec3) -> bool| 2 * points.iter().filter(|p| s(**p)).count() > points.len();
        seen.iter().any(|(up, sees)| normal.dot(*up).abs() < 1e-6 && open(sees))
    };
    // What each direction shows: faces.
    let shown = |d: DVec3| -> BTreeSet<u32> {
        let view = View::new(part, upright(d));
        let floors = view.floors();
        let holes = view.holes();
        let mine = |k: usize| {
            let f = &part.faces[k];
            match f.surface {
                Surface::Plane { normal, .. } => {
                    let flat = normal.dot(d) > 1.0 - 1e-7 && f.area > SMALL && !chamfered.contains(&(k as u32));
                    flat && !is_wall(f, normal) && floors.iter().any(|z| (z - view.face_bounds(k).max.z).abs() < 2e-3)
                }
                Surface::Cylinder { origin, axis, radius, hollow: true } => {
                    let at = view.from_part.point(origin).truncate();
                    axis.dot(d).abs() > 1.0 - 1e-7
                        && holes.iter().any(|h| h.at.distance(at) < 2e-3 && (h.diameter / 2.0 - radius).abs() < 2e-3)
                }
                _ => false,
            }
        };
        (0..part.faces.len()).filter(|k| mine(*k)).map(|k| k as u32).collect()
    };
    let mut left: Vec<(DVec3, BTreeSet<u32>)> = directions.iter().map(|(d, _)| (*d, shown(*d))).collect();
    let mut out = Vec::new();
    while out.len() < MOST {
        // Of those that show as many the one nearer to upright: less tilt.
        let lean = |d: &DVec3| d.abs().max_element();
        let Some((d, faces)) = left
            .iter()
            .filter(|(_, f)| !f.is_empty())
            .max_by(|a, b| a.1.len().cmp(&b.1.len()).then(lean(&a.0).total_cmp(&lean(&b.0))))
            .cloned()
        else {
            break;
        };
        out.push(Further { up: d, only: over(part, d, &faces) });
        left.iter_mut().for_each(|(_, f)| f.retain(|k| !faces.contains(k)));
    }
    out
}

/// Places over faces, as far apart as the cells that they stand for: what a tilted side cuts.
fn over(part: &Part, up: DVec3, faces: &BTreeSet<u32>) -> Only {
    const CELL: f64 = 0.5;
    let mut places = Vec::new();
    for f in faces {
        let f = &part.faces[*f as usize];
        for t in f.triangles.clone() {
            let [a, b, c] = part.mesh.corners(t);
            let n = ([a, b, c].iter().zip([b, c, a]).map(|(p, q)| p.distance(q)).fold(0.0, Sure::at_least) / CELL)
                .ceil() as usize;
            for i in 0..=n {
                for j in 0..=n - i {
                    let (u, v) = (i as f64 / n as f64, j as f64 / n as f64);
                    // A little inside, so that the edge of a wall is not beyond it.
                    let m = (a + b + c) / 3.0;
                    let p = a + (b - a) * u + (c - a) * v;
                    places.push(p.lerp(m, 1e-3) + up * (0.5 * CELL));
                }
            }
        }
    }
    Only { places, cell: CELL }
}
