//! What lies under the part itself, seen along a cutter's axis, and which cutters on a slim neck get there: T-slots, side grooves, dovetails.
//!
//! A cutter of revolution that stays at one height may have its axis wherever, at each height, the part is further away than the cutter's radius at that
//! height (the configuration space of Lozano-Pérez, one Minkowski sum a height). What its head sweeps from all of those places that it can come to from
//! above is what it makes.

use crate::Surface;
use crate::feature::Rays;
use crate::view::{BESIDE, OFF_FLOOR, View};
use geom::{DVec2, DVec3, Region};
use reason::Sure;
use shop::tool::{Tool, ToolKind};
use std::collections::BTreeSet;

/// Round a neck and a holder so much stays free, mm (common practice, no source).
const FREE: f64 = 0.25;
/// Less than this under a roof is none, mm.
const LOW: f64 = 0.2;
/// Of a ground so much may be missed: rounding of corners by the mesh, a share of its area.
const MISSED: f64 = 0.01;
/// Regions keep to their curves within this, mm, where a path follows them …
const TOL: f64 = 0.002;
/// … and where one only wants to know whether there is one.
const ROUGHLY: f64 = 0.02;
/// Flank of a cutter and of the part are the same within this, rad.
const SAME_FLANK: f64 = 2e-4;
/// Heights closer than this are one, mm.
const SAME: f64 = 1e-3;

/// Room between a floor and what overhangs it, at one pair of heights.
#[derive(Debug, Clone)]
pub struct Undercut {
    /// Height of the floor in the view, mm.
    pub low: f64,
    /// Height of the roof, or of a flank's upper edge, mm.
    pub high: f64,
    /// Angle between flank and floor, rad; none under flat roofs.
    pub flank: Option<f64>,
    /// Overhanging faces of the part.
    pub faces: Vec<u32>,
    /// What they cover, seen from above.
    pub zone: Region,
    /// Half of its breadth where it is broadest, mm.
    pub broad: f64,
}

/// A height at which a cutter runs in an undercut.
#[derive(Debug, Clone)]
pub struct Level {
    /// Of the cutter's end, mm.
    pub z: f64,
    /// Where its axis may be.
    pub centres: Region,
    /// Where, of that, nothing of the part stands above the cutter: there it comes and goes.
    pub open: Region,
}

/// What a cutter makes of an undercut.
#[derive(Debug, Clone)]
pub struct Reach {
    /// From the lowest up.
    pub levels: Vec<Level>,
    /// Share of the covered area that it does not reach.
    pub missed: f64,
}

impl Reach {
    /// Does it make it whole?
    pub fn whole(&self) -> bool {
        self.missed < MISSED
    }
}

/// Height, roof, flank, and the faces of one undercut in the making.
struct Draft {
    low: f64,
    high: f64,
    flank: Option<f64>,
    faces: Vec<u32>,
}

/// Flat faces that hang over a flat floor, joined where floor, roof and flank are the same.
pub fn undercuts(view: &View) -> Vec<Undercut> {
    let back = view.from_part.inverse();
    let down = back.dir(-DVec3::Z);
    let mut rays: Option<Rays> = None;
    let mut drafts: Vec<Draft> = Vec::new();
    for (k, f) in view.part.faces.iter().enumerate() {
        let Surface::Plane { normal, .. } = f.surface else { continue };
        let n = view.from_part.dir(normal);
        let roof = n.z < -1.0 + 1e-7;
        // A flank of 30 to 80° to the floor.
        let leans = (-0.87..=-0.17).contains(&n.z);
        let b = view.face_bounds(k);
        if !(roof || leans) || b.max.z < view.bounds.min.z + LOW {
            continue;
        }
        let rays = rays.get_or_insert_with(|| Rays::new(view.part));
        let stride = (f.triangles.len() / 24).max(1);
        let mut floors: Vec<f64> = Vec::new();
        let mut asked = 0;
        for t in f.triangles.clone().step_by(stride) {
            let c = view.mesh.corners(t);
            for w in [[1.0, 1.0, 1.0], [4.0, 1.0, 1.0], [1.0, 4.0, 1.0], [1.0, 1.0, 4.0]] {
                let sum: f64 = w.iter().sum();
                let p = (c[0] * w[0] + c[1] * w[1] + c[2] * w[2]) / sum + n * 0.01;
                asked += 1;
                let Some((t, face)) = rays.first(back.point(p), down) else { continue };
                if let Surface::Plane { normal, .. } = view.part.faces[face as usize].surface
                    && view.from_part.dir(normal).z > 1.0 - 1e-7
                {
                    floors.push(p.z - t);
                }
            }
        }
        // Mostly seen from below: another side's.
        if 2 * floors.len() < asked {
            continue;
        }
        let votes = |z: f64| floors.iter().filter(|o| (**o - z).abs() < SAME).count();
        let Some(low) = floors.iter().copied().max_by_key(|z| votes(*z)) else { continue };
        let high = b.max.z;
        // A flank begins at its floor.
        if high - low < LOW || leans && (b.min.z - low).abs() > 0.01 {
            continue;
        }
        let flank = leans.then(|| std::f64::consts::FRAC_PI_2 - (-n.z).asin());
        let same = |d: &Draft| {
            (d.low - low).abs() < SAME
                && (d.high - high).abs() < SAME
                && match (d.flank, flank) {
                    (Some(a), Some(b)) => (a - b).abs() < SAME_FLANK,
                    (a, b) => a.is_none() && b.is_none(),
                }
        };
        match drafts.iter_mut().find(|d| same(d)) {
            Some(d) => d.faces.push(k as u32),
            None => drafts.push(Draft { low, high, flank, faces: vec![k as u32] }),
        }
    }
    drafts.into_iter().map(|d| d.whole(view)).filter(|u| !u.zone.is_empty()).collect()
}

impl Draft {
    fn whole(self, view: &View) -> Undercut {
        let Draft { low, high, flank, faces } = self;
        let triangle = |t: usize| {
            let [a, b, c] = view.mesh.corners(t).map(DVec3::truncate);
            Region::from_loops([&[a, b, c][..]])
        };
        let all = faces.iter().flat_map(|f| view.part.faces[*f as usize].triangles.clone());
        let zone = Region::union_all(&all.map(triangle).collect::<Vec<_>>()).without_specks(1e-4);
        let broad = zone.deepest(0.05).map_or(0.0, |d| d.1);
        Undercut { low, high, flank, faces, zone, broad }
    }
}

impl Undercut {
    /// Elsewhere.
    pub(crate) fn shifted(mut self, by: DVec3) -> Undercut {
        (self.low, self.high) = (self.low + by.z, self.high + by.z);
        self.zone = self.zone.shifted(by.truncate());
        self
    }
    /// What hangs over, mm³.
    pub fn volume(&self) -> f64 {
        let share = if self.flank.is_some() { 0.5 } else { 1.0 };
        share * self.zone.area() * (self.high - self.low)
    }
    /// Is a cutter of the form for it?
    pub fn suits(&self, tool: &Tool) -> bool {
        let deep = self.high - self.low;
        // From both sides at best, no further than its head stands out over its neck.
        if self.broad > tool.radius() - tool.shank_diameter_mm / 2.0 {
            return false;
        }
        match (tool.kind, self.flank) {
            (ToolKind::TSlot, None) => tool.flute_length_mm < deep + 1e-6,
            (ToolKind::Dovetail, Some(flank)) => {
                tool.flute_length_mm > deep - 1e-6
                    && tool.flank_deg.is_some_and(|f| (f.to_radians() - flank).abs() < SAME_FLANK)
            }
            _ => false,
        }
    }
    /// Heights of a cutter's end, from the lowest up, evenly.
    fn heights(&self, tool: &Tool) -> Vec<f64> {
        let more = self.high - self.low - tool.flute_length_mm;
        if self.flank.is_some() || more < SAME {
            return vec![self.low];
        }
        let n = (more / tool.flute_length_mm).ceil();
        (0..=n as usize).map(|k| self.low + more * k as f64 / n).collect()
    }
    /// What a cutter of the form for it makes of it; none where it gets nowhere.
    pub fn reach(&self, view: &View, tool: &Tool) -> Option<Reach> {
        self.reach_within(view, tool, TOL)
    }
    fn reach_within(&self, view: &View, tool: &Tool, tol: f64) -> Option<Reach> {
        let r = tool.radius();
        let (min, max) = self.zone.bounds()?;
        let around = 2.0 * r + 8.0;
        let arena = Region::rect(min - around, max + around);
        let mut missed = 0.0;
        let mut levels = Vec::new();
        for z in self.heights(tool) {
            let level = self.level(view, tool, z, &arena, [min - around - r, max + around + r], tol)?;
            let wide = tool.radius_at(OFF_FLOOR);
            let wanted = self.zone.minus(&view.mesh.section(z + OFF_FLOOR));
            let left = wanted.minus(&level.centres.grown(wide + 0.003 + tol, tol)).shrunk(0.02, tol);
            let share = left.area() / wanted.area().at_least(1e-9);
            missed = if share > missed { share } else { missed };
            levels.push(level);
        }
        Some(Reach { levels, missed })
    }
    fn level(
        &self,
        view: &View,
        tool: &Tool,
        z: f64,
        arena: &Region,
        [min, max]: [DVec2; 2],
        tol: f64,
    ) -> Option<Level> {
        let r = tool.radius();
        let near = Region::rect(min, max);
        let top = z + tool.flute_length_mm;
        let section = |h: f64| view.mesh.section(h).intersect(&near);
        let mut blocked: Vec<Region> = if tool.is_cylinder() {
            vec![Region::union_all(&heads(view, z, top).into_iter().map(section).collect::<Vec<_>>()).grown(r, tol)]
        } else {
            heads(view, z, top).into_iter().map(|h| section(h).grown(tool.radius_at(h - z), tol)).collect()
        };
        // Neck and holder: whatever stands above their lower end.
        for (radius, from, _) in tool.dead_body() {
            blocked.push(view.shadow(z + from + OFF_FLOOR).intersect(&near).grown(radius + FREE, tol.at_least(0.01)));
        }
        for k in view.beside() {
            let b = k.bounds();
            if z < b.max.z + BESIDE && top > b.min.z - BESIDE {
                let covers = k.shadow_above((z - BESIDE).at_least(b.min.z - 1.0));
                blocked.push(covers.intersect(&near).grown(r + BESIDE, 0.004));
            }
        }
        let free = arena.minus(&Region::union_all(&blocked)).without_specks(1e-4);
        let open = free
            .minus(&view.shadow(z + OFF_FLOOR).intersect(&near).grown(r + FREE, tol.at_least(0.01)))
            .without_specks(1e-3);
        // Of the places where it may be those to which it can come, and from which it cuts something here.
        let here = |c: &Region| !c.intersect(&open).is_empty() && !c.grown(r, 0.02).intersect(&self.zone).is_empty();
        let centres: Vec<Region> = free.components().into_iter().filter(here).collect();
        let centres = Region::union_all(&centres);
        (!centres.is_empty()).then(|| Level { z, open: open.intersect(&centres), centres })
    }
}

/// Heights at which the part is cut through to see where a head between two heights may be: beside every flat, and no further apart than 1.5 mm.
fn heads(view: &View, low: f64, high: f64) -> Vec<f64> {
    const APART: f64 = 1.5;
    let mut flats = vec![low, high];
    for (k, f) in view.part.faces.iter().enumerate() {
        let b = view.face_bounds(k);
        let level =
            matches!(f.surface, Surface::Plane { normal, .. } if view.from_part.dir(normal).z.abs() > 1.0 - 1e-7);
        if level && b.max.z > low + SAME && b.max.z < high - SAME {
            flats.push(b.max.z);
        }
    }
    flats.sort_by(f64::total_cmp);
    flats.dedup_by(|a, b| (*a - *b).abs() < SAME);
    let mut out = Vec::new();
    for w in flats.windows(2) {
        let (a, b) = (w[0] + OFF_FLOOR, w[1] - OFF_FLOOR);
        let n = ((b - a) / APART).ceil().at_least(1.0) as usize;
        out.extend((0..=n).map(|k| a + (b - a) * k as f64 / n as f64));
    }
    out
}

/// The cutter of a crib that makes most of an undercut, and what, roughly: of those that make the same in the fewest passes over one another, then the one with the stoutest neck.
pub fn best<'t>(view: &View, u: &Undercut, crib: &'t [Tool]) -> Option<(&'t Tool, Reach)> {
    let rank = |t: &Tool, r: &Reach| {
        let missed = if r.whole() { 0 } else { (r.missed * 100.0).ceil() as u32 };
        (missed, r.levels.len(), (t.stickout_mm / t.shank_diameter_mm * 100.0) as u32)
    };
    crib.iter()
        .filter(|t| u.suits(t))
        .filter_map(|t| Some((t, u.reach_within(view, t, ROUGHLY)?)))
        .min_by(|a, b| rank(a.0, &a.1).cmp(&rank(b.0, &b.1)))
}

/// Undercuts that a crib's cutters make whole from where the view looks, and all their overhanging faces.
pub fn made(view: &View, crib: &[Tool]) -> (Vec<Undercut>, BTreeSet<u32>) {
    let heads: Vec<Tool> = crib.iter().filter(|t| t.kind.undercuts()).cloned().collect();
    if heads.is_empty() {
        return Default::default();
    }
    let whole = || undercuts(view).into_iter().filter(|u| best(view, u, &heads).is_some_and(|b| b.1.whole())).collect();
    let all: Vec<Undercut> = view.made_before(&heads, whole);
    let faces = all.iter().flat_map(|u| u.faces.iter().copied()).collect();
    (all, faces)
}
