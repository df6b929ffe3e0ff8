//! Faces that are neither walls nor floors: what is left of the block over them in terraces, and the ball that finishes them.

use crate::chamfers::LARGEST_CHAMFER;
use crate::op::OpKind;
use crate::pockets::{ARENA, COARSE, Job};
use crate::setup::{WALL_SKIN, Work};
use crate::tools::{end_mills, roughers};
use cutting::mill;
use geom::{Box3, DVec2, DVec3, Region, TriMesh};
use part::{BESIDE, HoleEnd, OFF_FLOOR, Surface};
use path::Feeds;
use path::ground::Ground;
use path::surface::{Finish, spacing};
use reason::{Finding, Kind, Place, Severity, Sure, Term, len};
use shop::tool::{Tool, ToolKind};

/// Height of the ridges that a ball leaves, mm (common practice 0.005 to 0.02 for what is seen, no source).
const SCALLOP: f64 = 0.01;
/// Chords keep to the surface within this, mm.
const CHORD: f64 = 0.003;
/// Heights of terraces, mm, of the higher faces coarser: what a ball takes down at most (common practice, no source).
const TERRACE: [f64; 2] = [0.8, 2.0];
/// So many terraces over a face are enough.
const TERRACES: f64 = 12.0;
/// A ball is smaller than a hollow round by this: it finishes along it instead of pressing its whole round into it (common practice, no source).
const SMALLER: f64 = 1.12;
/// Of a face so much may stay out of reach unnamed, a share of its area.
const UNREACHED: f64 = 0.004;
/// A ball that leaves no more than this share is taken for most, and a smaller one for the rest.
const MOSTLY: f64 = 0.3;
/// Points of a face that are asked, about, and no closer than this, mm.
const ASKED: f64 = 300.0;
const APART: f64 = 0.4;
/// A place that a ball leaves by less than this is reached, mm.
const NEAR: f64 = 0.01;

/// Faces that hang together and are finished by one cutter.
pub(crate) struct Sculpted {
    /// Faces.
    pub faces: Vec<u32>,
    /// Around them in the view.
    pub bounds: Box3,
    /// The ball that finishes most of it …
    pub tool: Tool,
    /// … and the smaller one for what that leaves.
    pub second: Option<Tool>,
    /// Height of the terraces over them, mm.
    pub step: f64,
    /// Faces with places that no ball of the crib reaches.
    pub beyond: Vec<u32>,
}

impl Sculpted {
    /// Heights of the terraces, from the top down.
    fn terraces(&self) -> impl Iterator<Item = f64> {
        let (top, low, step) = (self.bounds.max.z, self.bounds.min.z, self.step);
        (1..100).map(move |k| top - step * f64::from(k)).take_while(move |z| *z > low + 0.4 * step)
    }
}

/// How low a tip may be so that shank and holder touch nothing, and what stands beside is passed over: by squares of 2 mm.
struct Room {
    low: DVec2,
    count: [usize; 2],
    least: Vec<f64>,
}

impl Room {
    const SIDE: f64 = 2.0;
    fn of(grounds: &[(&Ground, f64)], tool: &Tool, low: DVec2, high: DVec2) -> Room {
        let count = [0, 1].map(|k| ((high[k] - low[k]) / Self::SIDE).ceil().at_least(1.0) as usize);
        let body = tool.dead_body();
        let least = (0..count[0] * count[1]).map(|k| {
            let p = low + DVec2::new((k % count[0]) as f64 + 0.5, (k / count[0]) as f64 + 0.5) * Self::SIDE;
            let mut z = f64::NEG_INFINITY;
            for (n, (g, beside)) in grounds.iter().enumerate() {
                let over =
                    |r: f64| g.highest(p, r + beside + 0.75 * Self::SIDE).map_or(f64::NEG_INFINITY, |t| t + beside);
                // Of the part itself the cutter's own round is what rests on it.
                if n > 0 {
                    z = z.at_least(over(tool.radius()));
                }
                for &(r, from, _) in &body {
                    if r > tool.radius() - 1e-6 {
                        z = z.at_least(over(r) - from + 0.2);
                    }
                }
            }
            z
        });
        let least = least.collect();
        Room { low, count, least }
    }
    fn may(&self, p: DVec3) -> bool {
        let k =
            [0, 1].map(|k| ((p[k] - self.low[k]) / Self::SIDE).floor().clamp(0.0, self.count[k] as f64 - 1.0) as usize);
        p.z >= self.least[k[1] * self.count[0] + k[0]]
    }
}

impl Work<'_, '_> {
    /// Faces here that a ball would have to finish: seen, slanted or curved, and nobody else's.
    pub(crate) fn sculpted_faces(&self) -> Vec<u32> {
        let view = self.side.view;
        // Seen from a tilted setup all that is square to the part is slanted: others answer for it.
        if !view.from_part.is_axial() {
            return Vec::new();
        }
        let chamfers: Vec<u32> = view.chamfers(LARGEST_CHAMFER).into_iter().flat_map(|c| c.faces).collect();
        let points: Vec<(DVec2, f64, f64)> = view
            .holes()
            .iter()
            .filter_map(|h| if let HoleEnd::Cone { tip, .. } = h.end { Some((h.at, tip, h.bottom)) } else { None })
            .collect();
        let mine = |f: &u32| {
            let b = view.face_bounds(*f as usize);
            let mid = b.middle();
            let around = |c: &(DVec2, f64, f64)| {
                c.0.distance(mid.truncate()) < 0.01 && b.min.z > c.1 - 0.01 && b.max.z < c.2 + 0.01
            };
            let tilted = match self.side.view.part.faces[*f as usize].surface {
                Surface::Plane { normal, .. } => self.side.tilted.iter().any(|up| up.dot(normal) > 1.0 - 1e-6),
                _ => false,
            };
            // Half of the block is the other side's, but for what this side goes right through.
            let half = self.side.half.filter(|_| self.side.through_to.is_none());
            let other = half.is_some_and(|t| b.min.z < t - 1e-3) || tilted || chamfers.contains(f);
            !other && !points.iter().any(around) && self.is_mine(mid.truncate())
        };
        view.slanted().into_iter().filter(mine).collect()
    }

    /// Slanted and curved faces by what hangs together, each with the ball that finishes it.
    pub(crate) fn sculpted(&self) -> Vec<Sculpted> {
        let view = self.side.view;
        let all = &self.curved;
        let mut balls: Vec<&Tool> = self.side.shop.crib.iter().filter(|t| t.kind == ToolKind::Ball).collect();
        balls.sort_by(|a, b| b.diameter_mm.total_cmp(&a.diameter_mm).then(a.stickout_mm.total_cmp(&b.stickout_mm)));
        if all.is_empty() || balls.is_empty() {
            return Vec::new();
        }
        let mut group: Vec<usize> = (0..all.len()).collect();
        let slot = |f: u32| all.binary_search(&f).ok();
        for [a, b] in &view.part.neighbours {
            if let (Some(i), Some(j)) = (slot(*a), slot(*b)) {
                let (from, to) = (group[i].max(group[j]), group[i].min(group[j]));
                group.iter_mut().filter(|g| **g == from).for_each(|g| *g = to);
            }
        }
        let kept = self.beside_mesh();
        let beside = Ground::new(&kept);
        let part = Ground::new(&view.mesh);
        let mut out: Vec<Sculpted> = Vec::new();
        for g in 0..all.len() {
            let faces: Vec<u32> = (0..all.len()).filter(|i| group[*i] == g).map(|i| all[i]).collect();
            if faces.is_empty() || !self.side.watch.on(0.1) {
                continue;
            }
            let bounds = faces.iter().fold(Box3::EMPTY, |b, f| b.joined(&view.face_bounds(*f as usize)));
            // Stock must be left there.
            let over = self.stock.between(bounds.min.z + 0.05, f64::INFINITY);
            let (low, high) = (bounds.min.truncate(), bounds.max.truncate());
            if over.intersect(&Region::rect(low, high)).opened(0.05, COARSE).area() < 0.05 {
                continue;
            }
            let ground = part.wanting(&faces);
            // A cutter that is called anyhow is taken before another of its size.
            let known: Vec<u32> = out.iter().map(|s| s.tool.number).collect();
            let tried = balls.iter().map(|t| {
                let beyond = self.beyond(&ground, &beside, t, &faces, &bounds);
                let share: f64 = beyond.iter().map(|b| b.1).sum::<f64>() / faces.len() as f64;
                (share, beyond, *t)
            });
            let tried: Vec<_> = tried.collect();
            let Some(best) = tried.iter().map(|t| t.0).reduce(Sure::at_most).filter(|b| *b < 0.9) else { continue };
            // The largest that gets almost everywhere, and the largest that gets on where that one does not.
            let most = |t: &&(f64, Vec<(u32, f64)>, &Tool)| t.0 <= MOSTLY.at_least(best + 0.01);
            let Some(first) = tried.iter().find(most) else { continue };
            let last = tried.iter().find(|t| t.0 <= best + 0.01).filter(|t| t.0 < first.0 - 0.01);
            let again = tried.iter().filter(|t| t.0 <= first.0 + 0.01);
            let again =
                again.filter(|t| t.2.diameter_mm > 0.45 * first.2.diameter_mm).find(|t| known.contains(&t.2.number));
            let first = again.unwrap_or(first);
            let (beyond, tool) = (&last.unwrap_or(first).1, first.2);
            let height = bounds.size().z;
            let step = (height / TERRACES).clamp(TERRACE[0], TERRACE[1]).at_most(0.45 * tool.diameter_mm);
            let beyond = beyond.iter().filter(|b| b.1 > UNREACHED).map(|b| b.0).collect();
            let second = last.map(|t| t.2.clone());
            out.push(Sculpted { faces, bounds, tool: tool.clone(), second, step, beyond });
        }
        out
    }

    fn beside_mesh(&self) -> TriMesh {
        let mut all = TriMesh::default();
        for m in self.side.view.beside() {
            let n = all.points.len() as u32;
            all.points.extend(&m.points);
            all.triangles.extend(m.triangles.iter().map(|t| t.map(|k| k + n)));
            all.face.extend(m.triangles.iter().map(|_| 0));
        }
        all
    }

    fn room(&self, ground: &Ground, beside: &Ground, tool: &Tool, bounds: &Box3) -> Room {
        let r = tool.radius() + 1.0;
        Room::of(&[(ground, 0.0), (beside, BESIDE)], tool, bounds.min.truncate() - r, bounds.max.truncate() + r)
    }

    /// Faces with the share of each that a ball does not reach.
    fn beyond(&self, ground: &Ground, beside: &Ground, tool: &Tool, faces: &[u32], bounds: &Box3) -> Vec<(u32, f64)> {
        let mesh = &self.side.view.mesh;
        let r = tool.radius() * SMALLER;
        let room = self.room(ground, beside, tool, bounds);
        let floor = self.sculpted_floor();
        let share = |f: &u32| {
            let face = &self.side.view.part.faces[*f as usize];
            let (mut missed, mut sum) = (0.0, 0.0);
            let apart = (face.area / ASKED).sqrt().at_least(APART);
            // Of many small triangles some; of large ones many places.
            let stride = ((face.triangles.len() as f64 / ASKED).floor() as usize).max(1);
            for t in face.triangles.clone().step_by(stride) {
                let n = mesh.normal(t);
                let c = mesh.corners(t);
                let long = (0..3).map(|k| c[k].distance(c[(k + 1) % 3])).fold(0.0, Sure::at_least);
                let cuts = (long / apart).ceil().clamp(1.0, 60.0) as usize;
                let (area, n) = (n.length() / (cuts * cuts) as f64, n.normalize_or_zero());
                for (i, j) in (0..cuts).flat_map(|i| (0..cuts - i).map(move |j| (i, j))) {
                    let at = |k: usize| (k as f64 + 1.0 / 3.0) / cuts as f64;
                    let q = c[0] + (c[1] - c[0]) * at(i) + (c[2] - c[0]) * at(j);
                    let centre = q + n * r;
                    let tip = centre.z - r;
                    let rests = ground.rest(centre.truncate(), r).is_none_or(|rest| rest.tip <= tip + NEAR);
                    // Half of the small ones lie the other way up: they count as those do.
                    let share = if cuts > 1 && i + j + 1 < cuts { 2.0 * area } else { area };
                    sum += share;
                    if n.z < 1e-6 || !rests || !room.may(centre.with_z(tip)) || tip < floor - 0.6 * r {
                        missed += share;
                    }
                }
            }
            (*f, if sum > 0.0 { missed / sum } else { 0.0 })
        };
        faces.iter().map(share).collect()
    }

    /// A ball's tip goes no lower.
    fn sculpted_floor(&self) -> f64 {
        let bottom = self.side.view.bounds.min.z;
        self.side.through_to.unwrap_or(bottom).at_most(bottom)
    }

    /// What stands over a face that a ball finishes goes in terraces, each with end mills from beside it or by a helix.
    fn rough_terraces(&mut self, s: &Sculpted) {
        let view = self.side.view;
        let (low, high) = (s.bounds.min.truncate(), s.bounds.max.truncate());
        let zone = Region::rect(low - 0.3, high + 0.3);
        // Where nothing lies below the face, its foot is where the block ends.
        let foot = zone.intersect(&view.shadow(s.bounds.min.z + OFF_FLOOR));
        let arena = self.block.grown(ARENA, COARSE);
        let heights: Vec<f64> = s.terraces().collect();
        let levels: Vec<f64> = [self.top].into_iter().chain(heights.iter().copied()).collect();
        let crib = &self.side.shop.crib;
        let mut jobs: Vec<Job> = Vec::new();
        let mut above = s.bounds.max.z.at_most(self.top);
        for z in heights {
            let shadow = view.shadow(z + OFF_FLOOR);
            for piece in arena.minus(&shadow).components() {
                let goal = self.stock.between(z, f64::INFINITY).intersect(&foot).intersect(&piece);
                let goal = goal.minus(&shadow.grown(WALL_SKIN + 0.05, COARSE)).opened(0.1, COARSE);
                if goal.area() < 0.2 {
                    continue;
                }
                let near = goal.grown(14.0, COARSE).intersect(&piece);
                let mills = end_mills(crib, view, &goal.grown(0.5, COARSE), z, &levels);
                // Not slimmer than half the ball: what it would leave in corners the ball takes.
                let stout: Vec<&Tool> =
                    mills.iter().copied().filter(|t| t.diameter_mm > 0.45 * s.tool.diameter_mm).collect();
                let Some(finish) = stout.last() else { continue };
                let largest = 12.0_f64.at_most(2.0 * near.deepest(0.1).map_or(12.0, |d| d.1));
                let rough = roughers(&stout, &near, finish, WALL_SKIN, largest).into_iter().cloned().collect();
                let shadow = shadow.intersect(&goal.grown(40.0, COARSE));
                jobs.push(Job {
                    kind: OpKind::Rough,
                    key: String::new(),
                    high: above,
                    low: z,
                    plain: shadow.simplified(0.003),
                    shadow,
                    deeper: Region::empty(),
                    open: piece,
                    near: Some(goal.grown(0.3, COARSE)),
                    goal,
                    floor: false,
                    wall_top: above,
                    rough,
                    finish: (*finish).clone(),
                    first: None,
                    name: "terraces",
                });
            }
            above = z;
        }
        let mut sizes: Vec<f64> = jobs.iter().flat_map(|j| j.rough.iter().map(|t| t.diameter_mm)).collect();
        sizes.sort_by(|a, b| b.total_cmp(a));
        sizes.dedup();
        let mid = s.bounds.middle();
        let size = s.bounds.size();
        let key = format!("terraces@{}/{:.0}x{:.0}", self.place(mid.truncate(), mid.z), size.x, size.y);
        jobs.iter_mut().for_each(|j| j.key.clone_from(&key));
        for d in sizes {
            let mut whole: Option<crate::Operation> = None;
            for j in &jobs {
                let Some(tool) = j.rough.iter().find(|t| t.diameter_mm == d) else { continue };
                let Some(cut) = self.rough(j, tool) else { continue };
                for (region, floor) in &cut.swept {
                    self.stock.cut(region, *floor);
                }
                self.notes.extend(cut.named);
                match (&mut whole, cut.op) {
                    (Some(w), Some(op)) => w.go_on(op),
                    (None, op) => whole = op,
                    (_, None) => {}
                }
            }
            self.ops.extend(whole.map(|mut w| {
                w.title = format!("Rough terraces to Z{:.2}, {}", len(w.bottom), w.cutter_words(self.side.shop));
                w.order_why = "Over a slanted or curved face the block goes in terraces, once all around it is cleared: so the ball finds little more than a skin".into();
                w
            }));
        }
    }

    /// Finish what is slanted or curved.
    pub(crate) fn finish_sculpted(&mut self) {
        let all = std::mem::take(&mut self.sculpted);
        let kept = self.beside_mesh();
        let beside = Ground::new(&kept);
        let view = self.side.view;
        let part = Ground::new(&view.mesh);
        let mut order: Vec<&Sculpted> = all.iter().collect();
        order.sort_by(|a, b| b.tool.diameter_mm.total_cmp(&a.tool.diameter_mm));
        for s in &order {
            if !self.side.watch.on(0.8) {
                return;
            }
            self.rough_terraces(s);
        }
        // Each cutter is called once: of all that it finishes, largest first.
        let mut cuts: Vec<(&Sculpted, &Tool, Option<f64>)> = order.iter().map(|s| (*s, &s.tool, None)).collect();
        cuts.extend(order.iter().filter_map(|s| Some((*s, s.second.as_ref()?, Some(s.tool.radius())))));
        cuts.sort_by(|a, b| b.1.diameter_mm.total_cmp(&a.1.diameter_mm));
        for (s, tool, after) in cuts {
            if !self.side.watch.on(0.85) {
                return;
            }
            self.sculpt(s, tool, after, [&part, &beside]);
        }
        self.sculpted = all;
    }

    fn sculpt(&mut self, s: &Sculpted, proposed: &Tool, after: Option<f64>, [part, beside]: [&Ground; 2]) {
        let view = self.side.view;
        let mid = s.bounds.middle();
        let size = s.bounds.size();
        let key = format!("{}/{:.0}x{:.0}", self.place(mid.truncate(), mid.z), size.x, size.y);
        let key = if after.is_some() { format!("{key}/rest") } else { key };
        let id = Self::id(OpKind::Surface, &key);
        let tool = self.tool_for(&id, proposed).clone();
        let o = self.override_of(&id);
        let r = tool.radius();
        let widest = spacing(r, SCALLOP);
        let width = o.width.unwrap_or(widest).clamp(0.05 * widest, r);
        // s²/8r, and from it back.
        let scallop = r - (r * r - width * width / 4.0).sqrt();
        let task = self.finishing(&id, s.step + WALL_SKIN, width);
        let mut data = mill(&task, &tool, self.side.material, &self.side.shop.machine);
        self.overrule(&mut data, &o, &tool);
        let ground = part.wanting(&s.faces);
        let room = self.room(&ground, beside, &tool, &s.bounds);
        let mine = self.mine.as_ref().map(|m| m.grown(r, COARSE));
        let may = |p: DVec3| room.may(p) && mine.as_ref().is_none_or(|m| m.contains(p.truncate()));
        let feet: Vec<f64> =
            self.floors.iter().copied().filter(|f| *f > s.bounds.min.z - r && *f < s.bounds.max.z).collect();
        let finish = Finish {
            ground: &ground,
            radius: r,
            scallop,
            low: s.bounds.min.truncate() - r,
            high: s.bounds.max.truncate() + r,
            floor: self.sculpted_floor(),
            feet: &feet,
            after,
            may: &may,
            tolerance: CHORD,
        };
        let lines = finish.lines();
        if lines.rows.is_empty() && lines.levels.is_empty() {
            return;
        }
        let feeds = Feeds {
            cut: data.feed.value,
            plunge: data.plunge,
            link: self.side.shop.machine.feed_max_mm_min,
            brush: data.feed.value,
        };
        let moves = finish.moves(&lines, feeds, self.clear_z, &self.stock);
        // Up to half of it is met where a terrace stands; that is what is stated.
        data.engagement = std::f64::consts::PI;
        let what = if after.is_some() { "Rest of the surface" } else { "Surface" };
        let title = format!("{what}, ridges {:.3} high, {}", len(scallop), tool.words());
        let cutter = vec![
            Term::new("R", "the largest ball that gets everywhere, with room in hollow rounds", r, "mm"),
            Term::new("s", "between two paths along the surface, for ridges of s²/8R", width, "mm"),
            Term::new("h", "height of the ridges", scallop, "mm"),
            Term::new("rows", "rows where it is flatter than 45 to 49°", lines.rows.len() as f64, ""),
            Term::new("lines", "lines of one height where it is steeper", lines.levels.len() as f64, ""),
        ];
        let why = "After all that is roughed and every wall and floor beside it: the ball takes the terraces off and leaves the surface; steep parts first, from the top down";
        self.push(OpKind::Surface, id, title, &tool, (s.bounds.min.z, s.bounds.max.z), why, Some(data), moves, cutter);
        // What stood over it in terraces is gone.
        let zone = Region::rect(s.bounds.min.truncate() - 0.3, s.bounds.max.truncate() + 0.3)
            .intersect(&view.shadow(s.bounds.min.z + OFF_FLOOR).grown(0.3, COARSE));
        let n = (size.z / 0.5).ceil().at_least(1.0) as usize;
        for k in 0..n {
            let z = s.bounds.max.z - size.z * k as f64 / n as f64;
            self.stock.cut(&zone.minus(&view.shadow(z + OFF_FLOOR).grown(0.03, COARSE)), z);
        }
    }

    /// Slanted and curved faces that no operation here cuts, or not everywhere.
    pub(crate) fn name_sculpted(&mut self) {
        let view = self.side.view;
        let balls = self.side.shop.crib.iter().any(|t| t.kind == ToolKind::Ball);
        let back = view.from_part.inverse();
        for f in std::mem::take(&mut self.curved) {
            let of = self.sculpted.iter().find(|s| s.faces.contains(&f));
            if of.is_some_and(|s| !s.beyond.contains(&f)) {
                continue;
            }
            let b = view.face_bounds(f as usize);
            let mid = b.middle();
            let place = back.bounds(&b.grown(0.02));
            let s = b.size();
            let size = format!("{:.1} × {:.1} × {:.1} mm", len(s.x), len(s.y), len(s.z));
            let (what, why) = match of {
                Some(o) => (
                    format!(
                        "A slanted or curved face, {size}, is left in places: {} does not get everywhere",
                        o.tool.words()
                    ),
                    "A hollow is rounder than the ball, or shank or holder would touch: a smaller or a longer ball, another side, or by hand.",
                ),
                None if balls => (
                    format!("A slanted or curved face, {size}, is left rough"),
                    "No ball of the crib gets there: a longer or a smaller one, another side, a tilted setup, or by hand.",
                ),
                None => (
                    format!("A slanted or curved face, {size}, is left rough"),
                    "It wants a ball end mill, and the crib has none; enter one in the shop's book, or do it by hand or elsewhere.",
                ),
            };
            self.named.push(
                Finding::new(Kind::UncutFace, Severity::Warn, what, why)
                    .keyed(self.place(mid.truncate(), mid.z))
                    .in_setup(self.side.name)
                    .at(vec![Place::new(place.min, place.max)]),
            );
        }
    }
}
