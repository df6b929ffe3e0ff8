//! The part seen along a cutter's axis: what can be reached from above, at which heights are floors, which holes and chamfers.
//!
//! Everything rests on one notion, the *shadow*: S(z) is what the part above height z covers, seen from above. A cutter at
//! height z may not enter S(z), and whatever it may enter it can clear. S grows as z falls; where it jumps there is a floor.
//! So overhangs, islands, steps and several depths need no cases, and what no shadow leaves open is named as out of reach.

use crate::looks::Looked;
use crate::undercut::Undercut;
use crate::{Part, Surface};
use geom::{Box3, DVec2, DVec3, Placement, RayGrid, Region, TriMesh};
use shop::tool::Tool;
use std::collections::{BTreeSet, HashMap};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

/// Heights closer than this are one, mm.
const SAME: f64 = 1e-3;
/// Shadows are taken this far off a floor, mm.
pub const OFF_FLOOR: f64 = 2e-3;
/// Cutters stay this far from what stands beside the part, mm: its place is only as good as its setting (common practice, no source).
pub const BESIDE: f64 = 0.5;

/// How a hole ends below.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum HoleEnd {
    /// Into the open or into something wider.
    Open,
    /// On a flat floor.
    Flat,
    /// On a ring: something narrower goes on.
    Step,
    /// On a drill point of this included angle (rad), its tip at this height.
    Cone { angle: f64, tip: f64 },
}

/// A round hole along the view's axis that can be cut from above.
#[derive(Debug, Clone, PartialEq)]
pub struct Hole {
    /// Axis.
    pub at: DVec2,
    /// mm.
    pub diameter: f64,
    /// Upper end of its cylinder.
    pub top: f64,
    /// Lower end of its cylinder.
    pub bottom: f64,
    /// How it ends.
    pub end: HoleEnd,
    /// Cone at its mouth: (upper radius, upper height).
    pub mouth: Option<(f64, f64)>,
}

impl Hole {
    /// Upper end, its cone at the mouth included.
    pub fn mouth_top(&self) -> f64 {
        self.mouth.map_or(self.top, |m| m.1)
    }
    /// Radius at the upper end, mm.
    pub fn mouth_radius(&self) -> f64 {
        self.mouth.map_or(self.diameter / 2.0, |m| m.0)
    }
}

/// Chamfers of 45° that belong to one height range and hang together.
#[derive(Debug, Clone)]
pub struct Chamfer {
    /// Faces of the part.
    pub faces: Vec<u32>,
    /// Lower height.
    pub low: f64,
    /// Upper height.
    pub high: f64,
    /// Lower edges, chained; closed lines repeat their first point.
    pub lines: Vec<Vec<DVec2>>,
    /// Box in the view's frame.
    pub bounds: Box3,
}

/// The part in a setup's frame.
pub struct View<'a> {
    /// The part.
    pub part: &'a Part,
    /// Frame.
    pub from_part: Placement,
    /// Mesh in the frame.
    pub mesh: TriMesh,
    /// Box in the frame.
    pub bounds: Box3,
    /// Solids that stand beside the part while it is machined, in the frame.
    kept: Vec<TriMesh>,
    /// What other views of this turn have seen, as it lies unshifted.
    looked: Arc<Looked>,
    /// Shadows where more stands there than belongs to the part's file.
    shadows: Mutex<HashMap<i64, Region>>,
    tops: OnceLock<(RayGrid, Vec<f64>)>,
}

/// A shadow that is known already, or the new one.
fn kept(known: &Mutex<HashMap<i64, Region>>, z: f64, new: impl FnOnce() -> Region) -> Region {
    let key = (z * 1e5).round() as i64;
    let known = || known.lock().unwrap_or_else(PoisonError::into_inner);
    // Not held while the new one is made.
    let found = known().get(&key).cloned();
    found.unwrap_or_else(|| {
        let r = new();
        known().insert(key, r.clone());
        r
    })
}

impl<'a> View<'a> {
    /// See a part from a frame whose z is up.
    pub fn new(part: &'a Part, from_part: Placement) -> View<'a> {
        let mesh = part.mesh.placed(&from_part);
        let bounds = mesh.bounds();
        let kept = part.staying().map(|o| o.mesh.placed(&from_part)).collect();
        let looked = part.looks.of(part, &from_part);
        View { part, from_part, mesh, bounds, kept, looked, shadows: Mutex::default(), tops: OnceLock::new() }
    }
    /// With more that stands there: what holds the part and may not be met.
    pub fn with(mut self, more: impl IntoIterator<Item = TriMesh>) -> View<'a> {
        self.kept.extend(more);
        self
    }
    /// What stands beside it.
    pub fn beside(&self) -> &[TriMesh] {
        &self.kept
    }
    /// S(z): what the part above `z` covers, and what stands beside it with [`BESIDE`] around and over it.
    pub fn shadow(&self, z: f64) -> Region {
        if self.adds() {
            return kept(&self.shadows, z, || self.covers_above(z));
        }
        let shift = self.from_part.shift;
        let unshifted = || self.covers_above(z).shifted(-shift.truncate());
        kept(&self.looked.shadows, z - shift.z, unshifted).shifted(shift.truncate())
    }
    /// More stands there than belongs to the part's file.
    fn adds(&self) -> bool {
        self.kept.len() > self.part.staying().count()
    }
    fn covers_above(&self, z: f64) -> Region {
        let mut r = if z >= self.bounds.max.z {
            Region::empty()
        } else {
            self.mesh.shadow_above(z.max(self.bounds.min.z - 1.0))
        };
        for k in &self.kept {
            let b = k.bounds();
            if z < b.max.z + BESIDE {
                let covers = k.shadow_above((z - BESIDE).max(b.min.z - 1.0));
                r = Region::union_all(&[r, covers.grown(BESIDE, 0.004)]);
            }
        }
        r
    }
    /// Of a shadow at a height what is not only there for what holds the part ([`View::with`]): there is nothing to finish around that.
    pub fn of_part(&self, shadow: &Region, z: f64) -> Region {
        let held = &self.kept[self.part.staying().count()..];
        let covers = held.iter().filter(|k| z < k.bounds().max.z + BESIDE).map(|k| {
            let b = k.bounds();
            k.shadow_above((z - BESIDE).max(b.min.z - 1.0)).grown(BESIDE, 0.004)
        });
        let covers = Region::union_all(&covers.collect::<Vec<_>>()).intersect(shadow);
        if covers.is_empty() {
            return shadow.clone();
        }
        let own = self.mesh.shadow_above((z + OFF_FLOOR).max(self.bounds.min.z - 1.0));
        shadow.minus(&covers.minus(&own).grown(0.01, 0.004))
    }
    /// What of the plane lies over places (part coordinates, each the middle of a cube of side `cell`), grown by one cell.
    pub fn over(&self, places: &[DVec3], cell: f64) -> Region {
        // Cells of a grid, so that many places above one another are one.
        let at = |p: &DVec3| (self.from_part.point(*p).truncate() / cell).floor();
        let cells: BTreeSet<(i64, i64)> = places.iter().map(at).map(|c| (c.x as i64, c.y as i64)).collect();
        let square = |(i, j): (i64, i64)| {
            let p = DVec2::new(i as f64, j as f64) * cell;
            Region::rect(p - 0.1 * cell, p + 1.1 * cell)
        };
        let over = Region::union_all(&cells.into_iter().map(square).collect::<Vec<_>>()).grown(cell, 0.02);
        // Of a bore at an angle only the wall is told.
        if self.from_part.is_axial() { over } else { over.filled() }
    }
    /// Upper end of all that stands beside the part; none if nothing does.
    pub fn beside_top(&self) -> Option<f64> {
        self.kept.iter().map(|k| k.bounds().max.z).reduce(f64::max)
    }
    /// Numbers of those that come within `reach` of a rectangle, mm.
    fn near(&self, [low, high]: [DVec2; 2], reach: f64) -> Vec<usize> {
        let meets = |b: Box3| {
            let (min, max) = (b.min.truncate(), b.max.truncate());
            (min - reach).cmple(high).all() && (low - reach).cmple(max).all()
        };
        (0..self.kept.len()).filter(|&k| meets(self.kept[k].bounds())).collect()
    }
    /// Upper end of those that come within `reach` of a rectangle, mm.
    pub fn beside_top_near(&self, rect: [DVec2; 2], reach: f64) -> Option<f64> {
        self.near(rect, reach).into_iter().map(|k| self.kept[k].bounds().max.z).reduce(f64::max)
    }
    /// Heights at which cutters may pass over flats of what stands within `reach` of a rectangle, from the top down, the largest flats only.
    pub fn over_beside(&self, rect: [DVec2; 2], reach: f64) -> Vec<f64> {
        let near = self.near(rect, reach);
        let mut flats: Vec<(f64, f64)> = Vec::new();
        for (k, o) in self.part.staying().enumerate().filter(|(k, _)| near.contains(k)) {
            for f in &o.faces {
                if let Surface::Plane { normal, .. } = f.surface
                    && self.dir(normal).z > 1.0 - 1e-7
                {
                    flats.push((f.area, self.from_part.bounds(&f.bounds).max.z + BESIDE));
                }
            }
            flats.push((f64::INFINITY, self.kept[k].bounds().max.z + BESIDE));
        }
        let more = near.iter().filter(|k| **k >= self.part.staying().count());
        flats.extend(more.map(|&k| (f64::INFINITY, self.kept[k].bounds().max.z + BESIDE)));
        flats.sort_by(|a, b| b.0.total_cmp(&a.0));
        let mut z: Vec<f64> = flats.into_iter().take(12).map(|f| f.1).collect();
        z.sort_by(|a, b| b.total_cmp(a));
        z.dedup_by(|a, b| (*a - *b).abs() < SAME);
        z
    }
    /// A direction of the part in this frame.
    fn dir(&self, d: DVec3) -> DVec3 {
        self.from_part.dir(d)
    }
    /// Box of a face in this frame.
    pub fn face_bounds(&self, face: usize) -> Box3 {
        let f = &self.part.faces[face];
        if self.from_part.is_axial() {
            return self.from_part.bounds(&f.bounds);
        }
        Box3::of(f.triangles.clone().flat_map(|t| self.mesh.corners(t)))
    }
    /// Heights of flat faces that look up and can be seen, from the top down.
    pub fn floors(&self) -> Vec<f64> {
        if self.adds() {
            return self.open_floors();
        }
        let shift = self.from_part.shift.z;
        let unshifted = || self.open_floors().into_iter().map(|z| z - shift).collect();
        self.looked.floors.get_or_init(unshifted).iter().map(|z| z + shift).collect()
    }
    /// What undercuts some heads make, where that was asked before: nothing else may stand there.
    pub(crate) fn made_before(&self, heads: &[Tool], new: impl FnOnce() -> Vec<Undercut>) -> Vec<Undercut> {
        if self.adds() {
            return new();
        }
        let shift = self.from_part.shift;
        let known = || self.looked.made.lock().unwrap_or_else(PoisonError::into_inner);
        let found = known().as_ref().filter(|(h, _)| h == heads).map(|(_, all)| all.clone());
        let all = found.unwrap_or_else(|| {
            let all: Vec<Undercut> = new().into_iter().map(|u| u.shifted(-shift)).collect();
            *known() = Some((heads.to_vec(), all.clone()));
            all
        });
        all.into_iter().map(|u| u.shifted(shift)).collect()
    }
    fn open_floors(&self) -> Vec<f64> {
        let mut z: Vec<f64> = Vec::new();
        for (k, f) in self.part.faces.iter().enumerate() {
            if let Surface::Plane { normal, .. } = f.surface
                && self.dir(normal).z > 1.0 - 1e-7
            {
                z.push(self.face_bounds(k).max.z);
            }
        }
        z.sort_by(|a, b| b.total_cmp(a));
        z.dedup_by(|a, b| (*a - *b).abs() < SAME);
        z.retain(|&h| self.shadow(h - OFF_FLOOR).minus(&self.shadow(h + OFF_FLOOR)).shrunk(0.01, 0.001).area() > 0.01);
        z
    }
    /// Holes along z whose whole depth lies open from above.
    pub fn holes(&self) -> Vec<Hole> {
        struct Wall {
            at: DVec2,
            r: f64,
            z0: f64,
            z1: f64,
            area: f64,
            faces: Vec<usize>,
        }
        let mut walls: Vec<Wall> = Vec::new();
        let mut cones: Vec<(DVec2, f64, f64, f64, f64)> = Vec::new();
        for (k, f) in self.part.faces.iter().enumerate() {
            let b = self.face_bounds(k);
            match f.surface {
                Surface::Cylinder { origin, axis, radius, hollow: true } if self.dir(axis).z.abs() > 1.0 - 1e-7 => {
                    let at = self.from_part.point(origin).truncate();
                    match walls.iter_mut().find(|w| {
                        w.at.distance(at) < SAME
                            && (w.r - radius).abs() < SAME
                            && b.min.z < w.z1 + SAME
                            && b.max.z > w.z0 - SAME
                    }) {
                        Some(w) => {
                            w.z0 = w.z0.min(b.min.z);
                            w.z1 = w.z1.max(b.max.z);
                            w.area += f.area;
                            w.faces.push(k);
                        }
                        None => {
                            walls.push(Wall { at, r: radius, z0: b.min.z, z1: b.max.z, area: f.area, faces: vec![k] })
                        }
                    }
                }
                Surface::Cone { origin, axis, half_angle, hollow: true, .. } if self.dir(axis).z.abs() > 1.0 - 1e-7 => {
                    // Widest radius: the box of a full turn.
                    let at = self.from_part.point(origin).truncate();
                    cones.push((at, (b.max.x - b.min.x) / 2.0, b.min.z, b.max.z, half_angle.abs()));
                }
                _ => {}
            }
        }
        let mut out = Vec::new();
        for w in walls {
            let full = std::f64::consts::TAU * w.r * (w.z1 - w.z0);
            // A cross hole may have eaten a little of the wall; an open slot's round end has half of it.
            // One that another crosses at a small angle loses more, but has some wall all around.
            let around = || w.area > 0.5 * full && self.all_around(&w.faces, w.at);
            if w.z1 - w.z0 < SAME || w.area < 0.8 * full && !around() {
                continue;
            }
            let inside = Region::disc(w.at, w.r - 0.03_f64.min(w.r * 0.1), 0.002);
            if !self.shadow(w.z0 + OFF_FLOOR).intersect(&inside).without_specks(1e-3).is_empty() {
                continue;
            }
            let point = cones
                .iter()
                .find(|c| c.0.distance(w.at) < SAME && (c.3 - w.z0).abs() < SAME && (c.1 - w.r).abs() < 5e-3);
            let below = self.shadow(w.z0 - OFF_FLOOR).intersect(&inside);
            let covered = below.area() / inside.area();
            let end = match point {
                // A cone that runs to a point; one that leads into a narrower hole is open at its middle.
                Some(c) if self.shadow(c.2 - 0.02).contains(w.at) => {
                    HoleEnd::Cone { angle: 2.0 * c.4, tip: w.z0 - w.r / c.4.tan() }
                }
                Some(_) => HoleEnd::Step,
                None if covered < 0.01 => HoleEnd::Open,
                None if below.contains(w.at) || covered > 0.97 => HoleEnd::Flat,
                None => HoleEnd::Step,
            };
            let mouth = cones
                .iter()
                .find(|c| c.0.distance(w.at) < SAME && (c.2 - w.z1).abs() < SAME && c.1 > w.r + SAME)
                .map(|c| (c.1, c.3));
            out.push(Hole { at: w.at, diameter: 2.0 * w.r, top: w.z1, bottom: w.z0, end, mouth });
        }
        out.sort_by(|a, b| {
            a.diameter
                .total_cmp(&b.diameter)
                .then(a.at.x.total_cmp(&b.at.x))
                .then(a.at.y.total_cmp(&b.at.y))
                .then(b.top.total_cmp(&a.top))
        });
        out
    }
    /// Is there some of these faces in every direction from an axis?
    fn all_around(&self, faces: &[usize], at: DVec2) -> bool {
        const SECTORS: usize = 24;
        let mut seen = [false; SECTORS];
        let sector =
            |angle: f64| (angle / std::f64::consts::TAU * SECTORS as f64).floor().rem_euclid(SECTORS as f64) as usize;
        for t in faces.iter().flat_map(|k| self.part.faces[*k].triangles.clone()) {
            let c = self.mesh.corners(t);
            for k in 0..3 {
                let (a, b) = (c[k].truncate() - at, c[(k + 1) % 3].truncate() - at);
                // A triangle's edge goes the shorter way round.
                let turn = a.angle_to(b);
                let n = (turn.abs() * SECTORS as f64).ceil().max(1.0) as usize;
                (0..=n).for_each(|i| seen[sector(a.to_angle() + turn * i as f64 / n as f64)] = true);
            }
        }
        seen.iter().all(|s| *s)
    }
    /// Does a face look up at a slant? (mean height component of its normal, 0..1)
    fn slant(&self, face: usize) -> f64 {
        let (mut sum, mut up) = (0.0, 0.0);
        for t in self.part.faces[face].triangles.clone() {
            let n = self.mesh.normal(t);
            sum += n.length();
            up += n.z;
        }
        if sum > 0.0 { up / sum } else { 0.0 }
    }
    /// Faces that look up at a slant and can be seen: neither walls nor floors.
    pub fn slanted(&self) -> Vec<u32> {
        let open = |k: &usize| {
            let s = self.slant(*k);
            s > 1e-3 && s < 1.0 - 1e-6 && self.seen(*k)
        };
        let all = || (0..self.part.faces.len()).filter(open).map(|k| k as u32).collect();
        self.looked.slanted.get_or_init(all).clone()
    }
    /// Is most of a face seen from above? Decided by rays straight down: a shadow for each height would be exact and, on a part of
    /// many curved faces, take minutes.
    fn seen(&self, face: usize) -> bool {
        let (grid, tops) = self.tops.get_or_init(|| {
            let size = self.bounds.size();
            let grid = RayGrid::covering(2, &self.bounds, (size.x * size.y / 60_000.0).sqrt().max(0.02));
            let last = |r: &Vec<geom::Crossing>| r.last().map_or(f64::NEG_INFINITY, |c| c.t);
            (grid, self.mesh.crossings(&grid).iter().map(last).collect())
        });
        let r = self.part.faces[face].triangles.clone();
        let step = (r.len() / 24).max(1);
        let (mut n, mut open) = (0, 0);
        for t in r.step_by(step) {
            let c = self.mesh.corners(t);
            let m = (c[0] + c[1] + c[2]) / 3.0;
            // Free if some ray close by meets nothing above it.
            let near = |k: usize, v: f64| grid.range(k, v - 1.5 * grid.pitch, v + 1.5 * grid.pitch);
            let free = near(1, m.y)
                .any(|j| near(0, m.x).any(|i| tops[j * grid.count[0] + i] <= m.z + 0.02 + 0.5 * grid.pitch));
            n += 1;
            open += usize::from(free);
        }
        2 * open > n
    }
    /// Chamfers of 45° of even width that can be seen, up to `most` mm high.
    pub fn chamfers(&self, most: f64) -> Vec<Chamfer> {
        let mut cand: Vec<(u32, Box3)> = Vec::new();
        for k in self.slanted() {
            let f = &self.part.faces[k as usize];
            let b = self.face_bounds(k as usize);
            let at_45 = match f.surface {
                Surface::Plane { normal, .. } => (self.dir(normal).z - std::f64::consts::FRAC_1_SQRT_2).abs() < 5e-3,
                Surface::Cone { axis, half_angle, .. } => {
                    self.dir(axis).z.abs() > 1.0 - 1e-7 && (half_angle.abs() - std::f64::consts::FRAC_PI_4).abs() < 5e-3
                }
                _ => false,
            };
            if at_45 && b.size().z <= most && b.size().z > 0.02 {
                cand.push((k, b));
            }
        }
        let mut group: Vec<usize> = (0..cand.len()).collect();
        let slot = |f: u32| cand.iter().position(|c| c.0 == f);
        for [a, b] in &self.part.neighbours {
            if let (Some(i), Some(j)) = (slot(*a), slot(*b))
                && (cand[i].1.min.z - cand[j].1.min.z).abs() < SAME
                && (cand[i].1.max.z - cand[j].1.max.z).abs() < SAME
            {
                let (from, to) = (group[i].max(group[j]), group[i].min(group[j]));
                group.iter_mut().filter(|g| **g == from).for_each(|g| *g = to);
            }
        }
        let mut out = Vec::new();
        for g in 0..cand.len() {
            let faces: Vec<u32> = (0..cand.len()).filter(|&i| group[i] == g).map(|i| cand[i].0).collect();
            if faces.is_empty() {
                continue;
            }
            let bounds = (0..cand.len()).filter(|&i| group[i] == g).fold(Box3::EMPTY, |b, i| b.joined(&cand[i].1));
            let lines = self.lower_edges(&faces, bounds.min.z);
            if !lines.is_empty() {
                out.push(Chamfer { faces, low: bounds.min.z, high: bounds.max.z, lines, bounds });
            }
        }
        out
    }
    fn lower_edges(&self, faces: &[u32], z: f64) -> Vec<Vec<DVec2>> {
        let mut edges: HashMap<(u32, u32), ()> = HashMap::new();
        for &f in faces {
            for t in self.part.faces[f as usize].triangles.clone() {
                let tri = self.mesh.triangles[t];
                for k in 0..3 {
                    let (a, b) = (tri[k], tri[(k + 1) % 3]);
                    if edges.remove(&(b, a)).is_none() {
                        edges.insert((a, b), ());
                    }
                }
            }
        }
        let low = |i: u32| (self.mesh.points[i as usize].z - z).abs() < SAME;
        let mut next: HashMap<u32, u32> = edges.into_keys().filter(|e| low(e.0) && low(e.1)).collect();
        let ends: Vec<u32> = next.values().copied().collect();
        let mut starts: Vec<u32> = next.keys().copied().filter(|k| !ends.contains(k)).collect();
        starts.sort_unstable();
        let mut rest: Vec<u32> = next.keys().copied().collect();
        rest.sort_unstable();
        starts.extend(rest);
        let mut lines = Vec::new();
        for s in starts {
            let mut at = s;
            let mut line = vec![self.mesh.points[s as usize].truncate()];
            while let Some(to) = next.remove(&at) {
                line.push(self.mesh.points[to as usize].truncate());
                at = to;
            }
            if line.len() > 1 {
                lines.push(line);
            }
        }
        lines
    }
}
