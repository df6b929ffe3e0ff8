//! What a vise finds to hold on the second side: contact of both jaws with the finished walls, by rays across.

use geom::{Box3, DVec2, DVec3, RayGrid, Region};
use part::{OFF_FLOOR, Surface, View};
use reason::Sure;
use shop::tool::{Tool, ToolKind};
use std::collections::BTreeSet;

/// Contact of two jaws at the extremes in y over the band from z = 0 to `top` (view frame, part standing on z = `z0`).
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Contact {
    /// Length along x over which both jaws bear on most of the band, mm.
    pub length: f64,
    /// Furthest reach of that contact from end to end, mm.
    pub span: f64,
}

/// Rays along y through the part, with what they meet first and last.
pub(crate) struct JawRays {
    grid: RayGrid,
    /// Per ray: does it meet both extreme planes?
    both: Vec<bool>,
}

const PITCH: f64 = 0.8;

impl JawRays {
    pub fn of(view: &View) -> JawRays {
        let b = view.bounds;
        let grid = RayGrid::covering(1, &b, PITCH);
        let near = |a: f64, c: f64| (a - c).abs() < 0.01;
        let both = view
            .mesh
            .crossings(&grid)
            .iter()
            .map(|r| match (r.first(), r.last()) {
                (Some(a), Some(z)) => near(a.t, b.min.y) && near(z.t, b.max.y),
                _ => false,
            })
            .collect();
        JawRays { grid, both }
    }

    /// Where both jaws bear between two heights: middles of squares, x and z, and their side, mm.
    pub fn bearing(&self, z0: f64, z1: f64) -> (Vec<DVec2>, f64) {
        let width = self.grid.count[0];
        let zs = self.grid.range(0, z0, z1);
        let both =
            (0..self.grid.count[1]).flat_map(|v| zs.clone().map(move |u| v * width + u)).filter(|k| self.both[*k]);
        let at = |k: usize| self.grid.at(k);
        (both.map(|k| DVec2::new(at(k).y, at(k).x)).collect(), self.grid.pitch)
    }

    /// Contact over heights z0..z1.
    pub fn contact(&self, z0: f64, z1: f64) -> Contact {
        // Rays along y: u = z, v = x.
        let zs = self.grid.range(0, z0, z1);
        let (mut count, mut first, mut last) = (0, usize::MAX, 0);
        for v in 0..self.grid.count[1] {
            let hit = zs.clone().filter(|&u| self.both[v * self.grid.count[0] + u]).count();
            if !zs.is_empty() && hit * 10 >= zs.len() * 7 {
                count += 1;
                first = first.min(v);
                last = v;
            }
        }
        let span = if count == 0 { 0.0 } else { (last - first + 1) as f64 * PITCH };
        Contact { length: count as f64 * PITCH, span }
    }
}

/// Volume that no cutter along ±z can reach: gaps between first entry and last exit of each ray, mm³.
pub(crate) fn hidden_volume(view: &View) -> f64 {
    let b: Box3 = view.bounds;
    let size = b.size();
    let pitch = (size.x * size.y / 40_000.0).sqrt().at_least(0.05);
    let grid = RayGrid::covering(2, &b, pitch);
    view.mesh
        .crossings(&grid)
        .iter()
        .map(|r| r.windows(2).filter(|w| !w[0].enters && w[1].enters).map(|w| w[1].t - w[0].t).sum::<f64>())
        .sum::<f64>()
        * pitch
        * pitch
}

/// Volume of what goes right through along z and is too narrow for any end mill that reaches so deep, mm³; only of tall parts.
pub(crate) fn narrow_volume(view: &View, crib: &[Tool]) -> f64 {
    /// Less than that every end mill reaches, mm.
    const TALL: f64 = 30.0;
    /// Corners are rounded everywhere, mm.
    const CORNERS: f64 = 0.5;
    let b = view.bounds;
    let deep = b.size().z;
    if deep < TALL {
        return 0.0;
    }
    let reaches = |t: &&Tool| t.kind == ToolKind::Flat && t.stickout_mm >= deep;
    let Some(least) = crib.iter().filter(reaches).map(Tool::radius).reduce(Sure::at_most) else { return 0.0 };
    // Room for the cutter all round the outside.
    let around = 2.0 * least + 2.0;
    let open =
        Region::rect(b.min.truncate() - around, b.max.truncate() + around).minus(&view.shadow(b.min.z + OFF_FLOOR));
    open.minus(&open.opened(least, 0.02).grown(0.02, 0.02)).opened(CORNERS, 0.02).area() * deep
}

/// Area of what is neither wall nor floor along z, mm²: of flats, which a straight cutter leaves rough, and of curved faces; but for what cutters on a neck make (`under`).
pub(crate) fn slanted_area(view: &View, under: &BTreeSet<u32>) -> [f64; 2] {
    let mut out = [0.0; 2];
    for t in 0..view.mesh.triangles.len() {
        let n = view.mesh.normal(t);
        let up = n.z.abs() / n.length().at_least(1e-12);
        if up > 0.02 && up < 0.9998 && !under.contains(&view.mesh.face[t]) {
            let face = &view.part.faces[view.mesh.face[t] as usize];
            out[usize::from(!matches!(face.surface, Surface::Plane { .. }))] += n.length() / 2.0;
        }
    }
    out
}

/// Lowest height near the jaws at which this side still has something to cut: a jaw must stay below it.
pub(crate) fn lowest_cut_near_jaws(view: &View, first_side: &View, second_from_first: &geom::Placement) -> f64 {
    /// A cutter and its lead reach this far over a jaw, mm.
    const REACH: f64 = 14.0;
    let b = view.bounds;
    let mut low = b.max.z;
    for z in view.floors() {
        let floor = view.shadow(z - OFF_FLOOR).minus(&view.shadow(z + OFF_FLOOR)).shrunk(0.05, 0.01);
        // What the first side has cut away already costs nothing: there its shadow at this height is empty.
        let z_first = second_from_first.inverse().point(DVec3::new(0.0, 0.0, z)).z;
        let left = first_side.shadow(z_first + OFF_FLOOR);
        for part in floor.components() {
            let Some((lo, hi)) = part.bounds() else { continue };
            let mid = (lo + hi) / 2.0;
            let there = second_from_first.inverse().point(mid.extend(z)).truncate();
            if (lo.y < b.min.y + REACH || hi.y > b.max.y - REACH) && (left.contains(there) || part.area() > 2.0) {
                low = low.at_most(z);
            }
        }
    }
    for c in view.chamfers(4.0) {
        if c.bounds.min.y < b.min.y + REACH || c.bounds.max.y > b.max.y - REACH {
            low = low.at_most(c.low - 1.0);
        }
    }
    // Over slanted and curved faces it is cleared down to where the next one of them begins.
    let outline = view.shadow(b.min.z - 1.0);
    let mut feet: Vec<f64> = view.slanted().iter().map(|f| view.face_bounds(*f as usize).max.z).collect();
    feet.sort_by(f64::total_cmp);
    feet.dedup_by(|a, b| (*a - *b).abs() < 0.5);
    for z in feet.into_iter().filter(|z| *z < low - 1e-3 && *z < b.max.z - 1e-3) {
        let open = outline.minus(&view.shadow(z + OFF_FLOOR)).shrunk(0.05, 0.01);
        let near = |(lo, hi): (DVec2, DVec2)| lo.y < b.min.y + REACH || hi.y > b.max.y - REACH;
        if open.components().iter().any(|c| c.area() > 2.0 && c.bounds().is_some_and(near)) {
            low = z;
            break;
        }
    }
    low
}

/// What a cutter from above leaves of the block below the part's own faces, mm³: what only the other side shows.
pub(crate) fn left_below(view: &View) -> f64 {
    let b = view.bounds;
    let grid = RayGrid::covering(2, &b, PITCH.at_most((b.size().x * b.size().y / 40_000.0).sqrt()));
    let low = |r: &Vec<geom::Crossing>| r.first().map_or(0.0, |c| (c.t - b.min.z).at_least(0.0));
    let gaps: f64 = view.mesh.crossings(&grid).iter().map(low).sum();
    gaps * grid.pitch * grid.pitch
}
