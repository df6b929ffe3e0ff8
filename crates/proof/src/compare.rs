//! What is left and what is gone, against the model.
//!
//! On each ray the stock's intervals are compared with the model's; how deep a difference is, is the distance of its points
//! to the model's surface, so that a ray that grazes a wall does not make a hair into a gouge.

use crate::dexel::{Ray, Stock, without};
use geom::{Box3, DVec3, TriMesh};
use parry3d_f64::math::Vector;
use parry3d_f64::query::PointQuery;
use parry3d_f64::shape::TriMesh as DistanceMesh;
use rayon::prelude::*;
use reason::{Place, Sure};
use std::collections::HashMap;

/// Shorter differences along a ray are rounding, mm.
const HAIR: f64 = 0.002;

/// Leftover deeper than this is told as "about": only every eighth ray of it is measured, mm.
pub(crate) const PLAIN: f64 = 2.0;

/// A difference on one ray.
#[derive(Debug, Clone, Copy)]
struct Scrap {
    ray: usize,
    a: f64,
    b: f64,
    /// Greatest distance of its points from the model's surface, mm.
    depth: f64,
    /// Where that is on its ray.
    at: f64,
}

/// So many points of a difference are kept.
const POINTS: usize = 300;

/// A connected difference.
#[derive(Debug, Clone)]
pub(crate) struct Patch {
    /// Boxes that cover it.
    pub places: Vec<Place>,
    /// Greatest depth normal to the surface, mm.
    pub depth: f64,
    /// Where that is.
    pub deepest: DVec3,
    /// mm³ by its rays.
    pub volume: f64,
    /// Points in it, spread over it, a few hundred at most.
    pub points: Vec<DVec3>,
}

/// The model's surface for distances.
pub(crate) struct Surface {
    mesh: Option<DistanceMesh>,
}

impl Surface {
    pub fn new(mesh: &TriMesh) -> Surface {
        let points = mesh.points.iter().map(|p| Vector::new(p.x, p.y, p.z)).collect();
        Surface { mesh: DistanceMesh::new(points, mesh.triangles.clone()).ok() }
    }
    pub fn distance(&self, p: DVec3) -> f64 {
        self.mesh.as_ref().map_or(f64::INFINITY, |m| m.distance_to_local_point(Vector::new(p.x, p.y, p.z), false))
    }
}

/// A box of difference.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Piece {
    pub bounds: Box3,
    /// Greatest depth normal to the surface, mm.
    pub depth: f64,
    /// Middle of the ray that is deepest, and the deepest place on it.
    pub deepest: DVec3,
    /// See `deepest`.
    pub tip: DVec3,
    pub volume: f64,
}

/// Material outside the model (`left`) or material missing inside it, as boxes.
pub(crate) fn differences(stock: &Stock, model: &Stock, surface: &Surface, left: bool, least: f64) -> Vec<Piece> {
    let mut boxes = Vec::new();
    for k in 0..3 {
        let (sf, mf) = (&stock.fields[k], &model.fields[k]);
        let grid = sf.grid;
        let step = grid.pitch.at_least(0.2);
        let depth_of = |i: usize, a: f64, b: f64| {
            let n = ((b - a) / step).ceil().clamp(2.0, 8.0) as usize;
            let at = |j: usize| a + (b - a) * j as f64 / n as f64;
            // The deepest, and of places as deep the one nearest the middle.
            let mut best = (0.0_f64, f64::midpoint(a, b));
            for j in 0..=n {
                let d = surface.distance(grid.point(i, at(j)));
                let nearer =
                    (2 * j).abs_diff(n) as f64 <= 2.0 * (best.1 - f64::midpoint(a, b)).abs() / (b - a) * n as f64;
                if d > best.0 + 0.005 || d > best.0 && nearer {
                    best = (d, at(j));
                }
            }
            best
        };
        let scraps: Vec<Scrap> = (0..grid.count[1])
            .into_par_iter()
            .flat_map_iter(|row| {
                let mut out: Vec<Scrap> = Vec::new();
                // The last scrap of this row that was measured, and how many were taken as like it since.
                let mut like: Option<(Scrap, usize)> = None;
                for i in row * grid.count[0]..(row + 1) * grid.count[0] {
                    let d: Ray =
                        if left { without(&sf.rays[i], &mf.rays[i]) } else { without(&mf.rays[i], &sf.rays[i]) };
                    for (a, b) in d {
                        if b - a < HAIR {
                            continue;
                        }
                        // Distance changes by at most the pitch from ray to ray: deep inside plain leftover every eighth is enough.
                        if let Some((l, used)) = &mut like
                            && *used < 7
                            && (l.a - a).abs() < 0.05
                            && (l.b - b).abs() < 0.05
                            && l.depth > PLAIN + 8.0 * grid.pitch
                        {
                            *used += 1;
                            out.push(Scrap { ray: i, a, b, depth: l.depth, at: f64::midpoint(a, b) });
                            continue;
                        }
                        // What is missing on a ray cannot be deeper, normal to the surface it starts from, than it is long.
                        let (deep, at) = depth_of(i, a, b);
                        let depth = if left { deep } else { deep.at_most(b - a) };
                        if depth > least {
                            let s = Scrap { ray: i, a, b, depth, at };
                            like = left.then_some((s, 0));
                            out.push(s);
                        }
                    }
                }
                out
            })
            .collect();
        boxes.extend(cover(&scraps, grid, k == 2));
    }
    boxes
}

/// Boxes over scraps of one field: equal runs along u, then along v.
fn cover(scraps: &[Scrap], grid: geom::RayGrid, counts_volume: bool) -> Vec<Piece> {
    // Ends are rounded outwards to this, so that neighbours can be one box, mm.
    const QUANTUM: f64 = 0.1;
    struct Run {
        u0: usize,
        u1: usize,
        v0: usize,
        v1: usize,
        key: (i64, i64),
        a: f64,
        b: f64,
        depth: f64,
        deepest: DVec3,
        tip: DVec3,
        volume: f64,
    }
    let nu = grid.count[0];
    let area = grid.pitch * grid.pitch;
    let mut runs: Vec<Run> = Vec::new();
    let mut open: HashMap<(usize, i64, i64), usize> = HashMap::new();
    for s in scraps {
        let (u, v) = (s.ray % nu, s.ray / nu);
        let key = ((s.a / QUANTUM).floor() as i64, (s.b / QUANTUM).ceil() as i64);
        let volume = if counts_volume { (s.b - s.a) * area } else { 0.0 };
        let mid = grid.point(s.ray, f64::midpoint(s.a, s.b));
        let tip = grid.point(s.ray, s.at);
        if let Some(&r) = open.get(&(v, key.0, key.1))
            && runs[r].u1 + 1 == u
        {
            let run = &mut runs[r];
            run.u1 = u;
            run.a = run.a.at_most(s.a);
            run.b = run.b.at_least(s.b);
            run.volume += volume;
            if s.depth > run.depth {
                run.depth = s.depth;
                run.deepest = mid;
                run.tip = tip;
            }
            continue;
        }
        open.insert((v, key.0, key.1), runs.len());
        runs.push(Run { u0: u, u1: u, v0: v, v1: v, key, a: s.a, b: s.b, depth: s.depth, deepest: mid, tip, volume });
    }
    let mut rects: Vec<Run> = Vec::new();
    let mut above: HashMap<(usize, usize, i64, i64), usize> = HashMap::new();
    for r in runs {
        let id = (r.u0, r.u1, r.key.0, r.key.1);
        if let Some(&k) = above.get(&id)
            && rects[k].v1 + 1 == r.v0
        {
            let t = &mut rects[k];
            t.v1 = r.v1;
            t.a = t.a.at_most(r.a);
            t.b = t.b.at_least(r.b);
            t.volume += r.volume;
            if r.depth > t.depth {
                t.depth = r.depth;
                t.deepest = r.deepest;
                t.tip = r.tip;
            }
            continue;
        }
        above.insert(id, rects.len());
        rects.push(r);
    }
    let (ua, va) = grid.uv();
    rects
        .into_iter()
        .map(|r| {
            let lo = grid.point(r.v0 * nu + r.u0, r.a);
            let hi = grid.point(r.v1 * nu + r.u1, r.b);
            let mut margin = DVec3::ZERO;
            margin[ua] = grid.pitch * 0.5;
            margin[va] = grid.pitch * 0.5;
            Piece {
                bounds: Box3 { min: lo - margin, max: hi + margin },
                depth: r.depth,
                deepest: r.deepest,
                tip: r.tip,
                volume: r.volume,
            }
        })
        .collect()
}

/// Boxes that touch make a patch.
pub(crate) fn group(boxes: &[Piece]) -> Vec<Patch> {
    let n = boxes.len();
    let mut parent: Vec<usize> = (0..n).collect();
    fn find(p: &mut [usize], mut a: usize) -> usize {
        while p[a] != a {
            p[a] = p[p[a]];
            a = p[a];
        }
        a
    }
    let mut order: Vec<usize> = (0..n).collect();
    order.sort_by(|&a, &b| boxes[a].bounds.min.x.total_cmp(&boxes[b].bounds.min.x));
    const NEAR: f64 = 0.35;
    let mut active: Vec<usize> = Vec::new();
    for &i in &order {
        let b = boxes[i].bounds.grown(NEAR);
        active.retain(|&j| boxes[j].bounds.max.x >= b.min.x);
        for &j in &active {
            if b.meets(&boxes[j].bounds) {
                let (p, q) = (find(&mut parent, i), find(&mut parent, j));
                parent[p.max(q)] = p.min(q);
            }
        }
        active.push(i);
    }
    let mut slot: HashMap<usize, usize> = HashMap::new();
    let mut out: Vec<Patch> = Vec::new();
    for (i, piece) in boxes.iter().enumerate() {
        let root = find(&mut parent, i);
        let k = *slot.entry(root).or_insert_with(|| {
            out.push(Patch { places: vec![], depth: 0.0, deepest: DVec3::ZERO, volume: 0.0, points: vec![] });
            out.len() - 1
        });
        let Piece { bounds: b, depth, deepest, volume, .. } = *piece;
        let p = &mut out[k];
        p.places.push(Place::new(b.min, b.max));
        p.volume += volume;
        p.points.push(deepest);
        if depth > p.depth {
            p.depth = depth;
            p.deepest = deepest;
        }
    }
    // Spread over all of it: the first few hundred would lie at one end.
    for p in &mut out {
        let step = p.points.len().div_ceil(POINTS).max(1);
        p.points = p.points.iter().step_by(step).copied().collect();
    }
    out.sort_by(|a, b| b.depth.total_cmp(&a.depth));
    out
}
