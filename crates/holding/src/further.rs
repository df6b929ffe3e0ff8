//! Further sides: from which directions across the first two can be cut what those two do not see, and from which at an angle.
//!
//! Hidden is what lies in a gap between material above and below it, along the first two sides' axis. Of the four directions across, the
//! fewest are taken that together see as much of it as all four (all sixteen choices are looked at).

use geom::{DMat3, DVec3, Placement, RayGrid};
use part::{Face, Part, Surface, View};
use rayon::prelude::*;
use reason::Sure;
use serde::{Deserialize, Serialize};
use shop::tool::{Tool, ToolKind};
use std::collections::{BTreeMap, BTreeSet};

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

/// What lies in a gap between material above and below it along a direction of the part: middles of cubes in a frame whose z is that direction, and their side, mm.
struct Hidden<'a> {
    view: View<'a>,
    /// From its coordinates to the part's.
    frame: Placement,
    places: Vec<DVec3>,
    cell: f64,
}

impl Hidden<'_> {
    fn along(part: &Part, up: DVec3, finest: f64) -> Hidden<'_> {
        // A frame whose z is up; its x and y are the directions across.
        let x = if up.x.abs() > 0.5 { DVec3::Y } else { DVec3::X };
        let turn = DMat3::from_cols(x, up.cross(x), up);
        let frame = Placement { turn, shift: DVec3::ZERO };
        let view = View::new(part, frame.inverse());
        let size = view.bounds.size();
        let cell = (size.x * size.y / 60_000.0).sqrt().clamp(finest, 0.6);
        let grid = RayGrid::covering(2, &view.bounds, cell);
        let mut places: Vec<DVec3> = Vec::new();
        for (k, ray) in view.mesh.crossings(&grid).iter().enumerate() {
            for w in ray.windows(2).filter(|w| !w[0].enters && w[1].enters) {
                let n = ((w[1].t - w[0].t) / cell).round();
                let at = |i: usize| grid.point(k, w[0].t + (w[1].t - w[0].t) * (i as f64 + 0.5) / n);
                places.extend((0..n as usize).map(at));
            }
        }
        Hidden { view, frame, places, cell }
    }
}

/// What a set of directions makes of what is hidden along another.
#[derive(Clone, Default)]
pub(crate) struct Turned {
    /// The fewest directions that make as much as all, and what each is for.
    pub sides: Vec<Further>,
    /// Hidden, and made by none of them, mm³.
    pub left: f64,
}

/// A bar whose block is turned: what each set of directions makes of what is hidden along `up`.
pub(crate) fn turned(part: &Part, up: DVec3, sets: &[Vec<DVec3>]) -> Vec<Turned> {
    let Hidden { frame, places, cell, .. } = Hidden::along(part, up, 0.25);
    let places: Vec<DVec3> = places.into_iter().map(|p| frame.point(p)).collect();
    let volume = |n: usize| n as f64 * cell.powi(3);
    if volume(places.len()) < LEAST {
        return vec![Turned::default(); sets.len()];
    }
    // Each direction is asked once, whatever sets it is in.
    let mut all: Vec<DVec3> = Vec::new();
    for d in sets.iter().flatten() {
        if all.iter().all(|o| o.distance(*d) > 1e-9) {
            all.push(*d);
        }
    }
    let seen: Vec<Vec<bool>> = all
        .par_iter()
        .map(|d| {
            let (sees, makes) = (sees(part, *d, cell), makes(part, *d, cell));
            places.iter().map(|p| sees(*p) && makes(*p)).collect()
        })
        .collect();
    let of = |d: &DVec3| all.iter().position(|o| o.distance(*d) <= 1e-9).unwrap_or(0);
    sets.iter()
        .map(|set| {
            let mine: Vec<&Vec<bool>> = set.iter().map(|d| &seen[of(d)]).collect();
            let masks: Vec<u8> = (0..places.len())
                .map(|p| mine.iter().enumerate().fold(0, |m, (k, s)| if s[p] { m | 1 << k } else { m }))
                .collect();
            let (taken, covered) = fewest(&masks, set.len(), volume);
            let sides = shared(&masks, &taken)
                .into_iter()
                .map(|(k, mine)| {
                    let places = without_strays(mine.into_iter().map(|p| places[p]).collect(), cell);
                    Further { up: set[k], only: Only { places, cell } }
                })
                .collect();
            Turned { sides, left: volume(places.len() - covered) }
        })
        .collect()
}

/// A few places alone, at the rim of what another direction makes, are none of its own.
fn without_strays(places: Vec<DVec3>, cell: f64) -> Vec<DVec3> {
    const APART: f64 = 3.0;
    let at = |p: &DVec3| (*p / APART).floor().as_ivec3();
    let mut there: BTreeMap<[i32; 3], usize> = BTreeMap::new();
    places.iter().for_each(|p| *there.entry(at(p).to_array()).or_default() += 1);
    let enough = |k: [i32; 3]| there.get(&k).is_some_and(|n| *n as f64 * cell.powi(3) >= LEAST);
    let near = |k: [i32; 3]| {
        let by = -1..=1;
        by.clone().any(|x| by.clone().any(|y| by.clone().any(|z| enough([k[0] + x, k[1] + y, k[2] + z]))))
    };
    places.into_iter().filter(|p| near(at(p).to_array())).collect()
}

/// Of `n` directions the fewest that see as much as all (every choice is looked at), the one that sees most first; and how many places they see. `masks`: of each place
/// the directions that see it.
fn fewest(masks: &[u8], n: usize, volume: impl Fn(usize) -> f64) -> (Vec<usize>, usize) {
    let covered = |choice: u8| masks.iter().filter(|m| *m & choice != 0).count();
    let every = ((1_u16 << n) - 1) as u8;
    let most = covered(every);
    let best = (0..=every)
        .filter(|c| volume(most - covered(*c)) < LEAST)
        .min_by_key(|c| (c.count_ones(), most - covered(*c), *c))
        .unwrap_or(0);
    let mut order: Vec<usize> = (0..n).filter(|k| best & (1 << k) != 0).collect();
    order.sort_by_key(|k| std::cmp::Reverse(covered(1 << k)));
    (order, most)
}

/// The direction that sees most takes what it sees; the others what is left.
fn shared(masks: &[u8], order: &[usize]) -> Vec<(usize, Vec<usize>)> {
    let mut taken: u8 = 0;
    order
        .iter()
        .map(|&k| {
            let mine = |m: u8| m & (1 << k) != 0 && m & taken == 0;
            let places = (0..masks.len()).filter(|p| mine(masks[*p])).collect();
            taken |= 1 << k;
            (k, places)
        })
        .collect()
}

/// `at_an_angle`: tilted sides that are held; what they see over what they are for is theirs.
/// What cutters on a neck make from the first two sides is nobody else's.
pub(crate) fn further(part: &Part, up: DVec3, crib: &[Tool], at_an_angle: &[(DVec3, &Only)]) -> Vec<Further> {
    let Hidden { view, frame, places: mut hidden, cell } = Hidden::along(part, up, 0.12);
    let b = view.bounds;
    for d in [up, -up] {
        let view = View::new(part, upright(d));
        let (made, _) = part::made(&view, crib);
        let zones: Vec<_> = made.iter().map(|u| (u, u.zone.grown(1.5 * cell, 0.02))).collect();
        if zones.is_empty() {
            continue;
        }
        let to = view.from_part.after(&frame);
        hidden.retain(|p| {
            let q = to.point(*p);
            !zones.iter().any(|(u, zone)| q.z > u.low - cell && q.z < u.high + cell && zone.contains(q.truncate()))
        });
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
    let (order, _) = fewest(&masks, 4, volume);
    shared(&masks, &order)
        .into_iter()
        .map(|(k, mine)| {
            let places = mine.into_iter().map(|p| frame.point(hidden[p])).collect();
            let d = if k < 2 { DVec3::X } else { DVec3::Y };
            let up = frame.dir(if k % 2 == 0 { d } else { -d });
            Further { up: up.round(), only: Only { places, cell } }
        })
        .collect()
}

/// Of rounds about a direction, outside ones, what lies in a groove, mm²: neither that direction nor the other sees it, or, where it is shallow, rounds about the same axis
/// stand wider than it both above and below.
pub(crate) fn grooves(part: &Part, up: DVec3) -> f64 {
    const CELL: f64 = 0.3;
    // Beside the wall, so that the rays of a neighbour do not tell.
    const OFF: f64 = 0.6;
    // Wider by this, or higher, is meant; the mesh's chords are not, mm.
    const MEANT: f64 = 0.05;
    let seen = [up, -up].map(|d| sees(part, d, CELL));
    // Each round about the direction: a point of its axis, and how high and how wide its corners are.
    let rounds: Vec<(&Face, DVec3, Vec<[f64; 2]>)> = (part.faces.iter())
        .filter_map(|f| {
            let (Surface::Cylinder { axis, origin, hollow: false, .. }
            | Surface::Cone { axis, origin, hollow: false, .. }) = f.surface
            else {
                return None;
            };
            let foot = origin - up * origin.dot(up);
            let corners = f.triangles.clone().flat_map(|t| part.mesh.corners(t));
            let profile = corners.map(|p| [p.dot(up), (p - up * p.dot(up)).distance(foot)]).collect();
            (axis.dot(up).abs() > 1.0 - 1e-6).then_some((f, foot, profile))
        })
        .collect();
    let in_groove = |foot: DVec3, profile: &[[f64; 2]]| {
        let (mut low, mut high, mut wide) = (f64::INFINITY, f64::NEG_INFINITY, 0.0);
        for &[z, r] in profile {
            (low, high, wide) = (z.at_most(low), z.at_least(high), r.at_least(wide));
        }
        let wider = |beyond: &dyn Fn(f64) -> bool| {
            let about = rounds.iter().filter(|r| r.1.distance(foot) < MEANT);
            about.flat_map(|r| &r.2).any(|&[z, r]| r > wide + MEANT && beyond(z))
        };
        wider(&|z| z > high - MEANT) && wider(&|z| z < low + MEANT)
    };
    let hidden = |t: usize| {
        let [a, b, c] = part.mesh.corners(t);
        let p = (a + b + c) / 3.0 + part.mesh.normal(t).normalize_or_zero() * OFF;
        seen.iter().all(|s| !s(p))
    };
    let area = |t: usize| part.mesh.normal(t).length() / 2.0;
    let in_grooves = |(f, foot, profile): &(&Face, DVec3, Vec<[f64; 2]>)| {
        let all = in_groove(*foot, profile);
        f.triangles.clone().filter(|&t| all || hidden(t)).map(area).sum::<f64>()
    };
    rounds.iter().map(in_grooves).sum()
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
        let mut rays = near(1, q.y).flat_map(|j| near(0, q.x).map(move |i| j * grid.count[0] + i)).peekable();
        // Where there is no ray, there is no part.
        rays.peek().is_none() || rays.any(|k| tops[k] <= q.z + cell)
    }
}

/// What a direction makes as it is drawn: a place in one of its holes, or over a flat that is square to it, or over nothing. Over a flat that leans, or a round across, a
/// flat cutter would leave terraces.
fn makes(part: &Part, d: DVec3, cell: f64) -> impl Fn(DVec3) -> bool {
    let view = View::new(part, upright(d));
    let grid = RayGrid::covering(2, &view.bounds, cell);
    // Of each ray what looks up: height, and whether it is square to the direction.
    let mut below: Vec<Vec<(f64, bool)>> = vec![Vec::new(); grid.len()];
    for t in 0..view.mesh.triangles.len() {
        let (n, c) = (view.mesh.normal(t), view.mesh.corners(t));
        if n.z <= 1e-9 * n.length() {
            continue;
        }
        let square = match part.faces[view.mesh.face[t] as usize].surface {
            Surface::Plane { normal, .. } => normal.dot(d) > 1.0 - 1e-7,
            Surface::Cylinder { axis, hollow: true, .. } | Surface::Cone { axis, hollow: true, .. } => {
                axis.dot(d).abs() > 1.0 - 1e-7
            }
            _ => false,
        };
        let lo = c[0].min(c[1]).min(c[2]);
        let hi = c[0].max(c[1]).max(c[2]);
        for j in grid.range(1, lo.y, hi.y) {
            for i in grid.range(0, lo.x, hi.x) {
                let k = j * grid.count[0] + i;
                let q = grid.at(k);
                let side = |a: DVec3, b: DVec3| (b - a).truncate().perp_dot(q - a.truncate());
                if (0..3).all(|e| side(c[e], c[(e + 1) % 3]) >= -1e-9) {
                    let z = c[0].z - n.truncate().dot(q - c[0].truncate()) / n.z;
                    below[k].push((z, square));
                }
            }
        }
    }
    let holes = view.holes();
    let to = view.from_part;
    move |p| {
        let q = to.point(p);
        let in_hole = |h: &part::Hole| {
            h.at.distance(q.truncate()) < h.diameter / 2.0 + 0.5 * cell
                && q.z > h.bottom - cell
                && q.z < h.mouth_top() + cell
        };
        if holes.iter().any(in_hole) {
            return true;
        }
        // Its own ray only: beside a wall that leans others would say that it is none.
        let (i, j) = (
            grid.range(0, q.x - 0.5 * cell, q.x + 0.5 * cell).next(),
            grid.range(1, q.y - 0.5 * cell, q.y + 0.5 * cell).next(),
        );
        let (Some(i), Some(j)) = (i, j) else { return false };
        let under = below[j * grid.count[0] + i].iter().filter(|f| f.0 <= q.z + 0.5 * cell);
        under.max_by(|a, b| a.0.total_cmp(&b.0)).is_none_or(|f| f.1)
    }
}

/// So many tilted setups are planned at most; whoever needs more wants another machine (or free surfaces).
const MOST: usize = 4;
/// A chamfer up to so high is cut upright, mm.
const CHAMFER: f64 = 4.0;
/// Smaller slanted flats are left for the hand, mm².
const SMALL: f64 = 2.0;
/// A flat that leans no more than this from a wall of the first two sides is a draft: a ball finishes it from there, sine of 20° (common practice, no source).
const DRAFT: f64 = 0.342;

/// Tilted sides: directions at an angle from which an inclined flat is square to the spindle, or a slanted round lies open, where none of the sides square to the
/// part (`ups`, that of the first side first) cuts it. The fewest that show all are taken, the one that shows most first. Where the crib has balls,
/// drafts are theirs.
pub(crate) fn slanted(part: &Part, ups: &[DVec3], crib: &[Tool]) -> Vec<Further> {
    let balls = crib.iter().any(|t| t.kind == ToolKind::Ball);
    let directions = part::slants(part);
    if directions.is_empty() {
        return Vec::new();
    }
    // Flanks of dovetails are cut upright.
    let under = ups.iter().take(2).flat_map(|up| part::made(&View::new(part, upright(*up)), crib).1);
    let under: BTreeSet<u32> = under.collect();
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
    let draft = |normal: DVec3| balls && ups.iter().take(2).any(|up| (1e-6..DRAFT).contains(&normal.dot(*up)));
    // What each direction shows: faces.
    let shown = |d: DVec3| -> BTreeSet<u32> {
        let view = View::new(part, upright(d));
        let floors = view.floors();
        let holes = view.holes();
        let mine = |k: usize| {
            let f = &part.faces[k];
            if under.contains(&(k as u32)) {
                return false;
            }
            match f.surface {
                Surface::Plane { normal, .. } => {
                    let flat = normal.dot(d) > 1.0 - 1e-7 && f.area > SMALL && !chamfered.contains(&(k as u32));
                    flat && !is_wall(f, normal)
                        && !draft(normal)
                        && floors.iter().any(|z| (z - view.face_bounds(k).max.z).abs() < 2e-3)
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
