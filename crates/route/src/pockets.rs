//! Clearing down to every floor, and finishing floors and walls.

use crate::holes::Drilled;
use crate::op::OpKind;
use crate::setup::{FLOOR_SKIN, ROUGH_BEND, ROUGH_WIDTH, WALL_SKIN, Work};
use crate::tools::{end_mills, finisher, local_top, roughers};
use crate::walls::Round;
use cutting::{MillTask, THE_TASK, mill};
use geom::{DVec2, DVec3, Region};
use part::{Hole, OFF_FLOOR};
use path::Feeds;
use path::rough::{Clearing, Cutting, Passes, cut, passes};
use rayon::prelude::*;
use reason::{Finding, Kind, Place, Severity, Sure, Term, len};
use shop::tool::Tool;
use std::f64::consts::FRAC_PI_2;

/// Cutters work this far beyond the block, mm.
pub(crate) const ARENA: f64 = 16.0;
/// Wider roughing, ÷ diameter, where the depth is small: up to 90° of engagement.
const WIDER: [f64; 5] = [0.5, 0.45, 0.4, 0.35, 0.3];
/// Cutters keep this far from stock that is not theirs, mm.
pub(crate) const CLEAR_OF: f64 = 0.2;
/// Width of a floor's passes ÷ diameter (common practice, no source).
pub(crate) const FLOOR_WIDTH: f64 = 0.7;
/// Polygons of finishing: worst distance from the true offset, mm.
pub(crate) const FINE: f64 = 0.0006;
/// Polygons of roughing, mm.
pub(crate) const COARSE: f64 = 0.015;

/// Slope of an entry by helix, rad: 3° in what cuts easily, 2° in steels (common practice 1 to 3°, no source); never more than the cutter bears.
fn helix_slope(material: &shop::machine::Material, tool: &Tool) -> f64 {
    let degrees: f64 = if material.kc11_mpa < 1000.0 { 3.0 } else { 2.0 };
    let slope = degrees.to_radians();
    if slope < tool.steepest_ramp() { slope } else { tool.steepest_ramp() }
}

/// A helix whose middle path is narrower than this share of the diameter is told (common practice: no path under half a diameter).
const TIGHT_HELIX: f64 = 0.25;

/// Size of a piece, for its name: two with one middle differ in it.
pub(crate) fn size_key(piece: &Region) -> String {
    piece.bounds().map_or_else(String::new, |(a, b)| format!("/{:.0}x{:.0}", b.x - a.x, b.y - a.y))
}

/// What a job came to.
pub(crate) struct Cut {
    pub op: Option<crate::Operation>,
    /// Swept regions with the height down to which each is cleared.
    pub swept: Vec<(Region, f64)>,
    /// What there is to know of it.
    pub named: Option<Finding>,
}

/// One connected piece of the region open at a height.
pub(crate) struct Job {
    /// Rough, or Open for a skin.
    pub kind: OpKind,
    pub key: String,
    /// From here down …
    pub high: f64,
    /// … to here.
    pub low: f64,
    /// Open region at `low` (what the part leaves free), only this piece, as far as the arena reaches.
    pub open: Region,
    /// The part's shadow at `low`, drilled holes filled.
    pub shadow: Region,
    /// The same with fewer points, for roughing.
    pub plain: Region,
    /// Open region of the next slab below within this piece.
    pub deeper: Region,
    /// Material at the start that is to go, seen from above.
    pub goal: Region,
    /// Where this side has a duty only in places: around them.
    pub near: Option<Region>,
    /// A floor of the part lies at `low`.
    pub floor: bool,
    /// Highest wall beside it.
    pub wall_top: f64,
    pub rough: Vec<Tool>,
    pub finish: Tool,
    /// A larger cutter that finishes the walls where it gets, with the corners that it leaves to `finish`.
    pub first: Option<(Tool, Region)>,
    pub name: &'static str,
}

impl Work<'_, '_> {
    /// The part's shadow at a height with the drilled holes filled, as far as the part is all round them: a hole that breaks
    /// into a step or a pocket is no obstacle there.
    fn filled(&self, z: f64, drilled: &[Drilled]) -> Region {
        let shadow = self.side.view.shadow(z);
        let enclosed = |h: &Hole| {
            let r = h.mouth_radius();
            let ring = Region::disc(h.at, r + 0.1, 0.004).minus(&Region::disc(h.at, r + 0.02, 0.004));
            ring.minus(&shadow).area() < 0.03 * ring.area()
        };
        let mut parts: Vec<Region> = drilled
            .iter()
            .map(|d| &d.hole)
            .chain(&self.full)
            .filter(|h| h.mouth_top() > z && enclosed(h))
            .map(|h| Region::disc(h.at, h.mouth_radius() + 0.01, 0.002))
            .collect();
        parts.push(shadow.clone());
        Region::union_all(&parts)
    }

    /// Does the block stand around the part at a height, for the other side to cut?
    fn is_below_half(&self, z: f64) -> bool {
        self.side.half.is_some_and(|t| z < t - 1e-3)
    }

    /// Heights at which clearing ends, from the top down.
    fn ends(&self) -> Vec<f64> {
        let mut z: Vec<f64> = self.floors.clone();
        // Down to where a slanted or curved face begins: its foot must not keep the wall above it from being cut.
        // On a part of many curved faces a level for each would be hundreds: they keep half a millimetre from one another.
        let view = self.side.view;
        let mut feet: Vec<f64> = view.slanted().iter().map(|&f| view.face_bounds(f as usize).max.z).collect();
        feet.sort_by(|a, b| b.total_cmp(a));
        feet.dedup_by(|a, b| (*a - *b).abs() < 1e-3);
        let many = feet.len() > 8;
        for high in feet {
            if z.iter().all(|f| (f - high).abs() > if many { 0.5 } else { 1e-3 }) {
                z.push(high);
            }
        }
        // And down to what stands beside the part, over which they must stay.
        let rect = self.block.bounds().map_or([DVec2::ZERO; 2], |(low, high)| [low, high]);
        for over in view.over_beside(rect, ARENA) {
            if z.iter().all(|f| (f - over).abs() > 1e-3) {
                z.push(over);
            }
        }
        z.retain(|&f| f < self.top - 1e-3);
        z.sort_by(|a, b| b.total_cmp(a));
        // What only this side sees may go right through, and no further down than it reaches: below may be what holds the piece.
        if let Some((places, cell)) = self.side.only {
            let lowest = places.iter().map(|p| view.from_part.point(*p).z).fold(f64::INFINITY, Sure::at_most);
            let bottom = view.bounds.min.z.at_least(lowest - cell);
            z.retain(|&f| f > bottom - 1e-3);
            if z.iter().all(|f| *f > lowest) {
                z.push(bottom);
            }
        }
        if let Some(t) = self.side.half.filter(|t| *t < self.top - 1e-3) {
            z.retain(|&f| (f - t).abs() > 1e-3);
            z.push(t);
            z.sort_by(|a, b| b.total_cmp(a));
        }
        if let Some(t) = self.side.through_to {
            z.retain(|&f| f > t + 1e-3);
            z.push(t);
        }
        z
    }

    pub(crate) fn jobs(&mut self, drilled: &[Drilled]) -> Vec<Job> {
        struct Open {
            high: f64,
            low: f64,
            shadow: Region,
            piece: Region,
            goal: Region,
        }
        let arena = self.block.grown(ARENA, COARSE);
        let mut open: Vec<Open> = Vec::new();
        let mut high = self.top;
        let mine = self.mine.as_ref().map(|m| m.grown(0.3, COARSE));
        let ends = self.ends();
        let levels: Vec<f64> = [self.top].into_iter().chain(ends.iter().copied()).collect();
        let outline = self.side.half.map(|_| {
            let all = self.side.view.shadow(self.side.view.bounds.min.z - 1.0);
            // Windows belong to the inside where this side goes right through.
            if self.side.through_to.is_some() { all.filled() } else { all }
        });
        for low in ends {
            let shadow = self.filled(low + OFF_FLOOR, drilled);
            let inner = outline.as_ref().filter(|_| self.is_below_half(low));
            for piece in arena.minus(&shadow).components() {
                let within = |r: Region, m: Option<&Region>| m.map_or_else(|| r.clone(), |m| r.intersect(m));
                let duty = |r: Region| within(within(r, mine.as_ref()), inner);
                let goal = duty(self.stock.between(low, high).intersect(&piece)).without_specks(1e-3);
                if goal.opened(0.05, COARSE).area() > 0.02 {
                    // All that is to go in it, not only what this step down adds: its walls reach up to the top.
                    let goal = duty(self.stock.between(low, f64::INFINITY).intersect(&piece)).without_specks(1e-3);
                    open.push(Open { high, low, shadow: shadow.clone(), piece, goal });
                }
            }
            high = low;
        }
        // A piece that goes on unchanged has no floor here: it is cleared in one go further down.
        let mut merged = vec![false; open.len()];
        for k in 0..open.len() {
            let next = open[k + 1..].iter().map(|o| o.low).find(|&z| z < open[k].low);
            let same = (k + 1..open.len()).find(|&m| {
                Some(open[m].low) == next
                    && (open[m].piece.area() - open[k].piece.area()).abs() < 0.02
                    && open[k].piece.minus(&open[m].piece).area() < 0.01
            });
            if let Some(m) = same {
                merged[k] = true;
                open[m].high = open[m].high.at_least(open[k].high);
            }
        }
        let mut jobs = Vec::new();
        for k in (0..open.len()).filter(|&k| !merged[k]) {
            // What will be cleared deeper down, by pieces that are really cut.
            let deeper = Region::union_all(open[k + 1..].iter().filter(|o| o.low < open[k].low).map(|o| &o.piece));
            let o = &open[k];
            let is_floor = self.floors.iter().any(|f| (f - o.low).abs() < 1e-6);
            jobs.extend(self.job(
                o.piece.clone(),
                o.goal.clone(),
                &o.shadow,
                &deeper,
                &levels,
                o.high,
                o.low,
                is_floor,
            ));
        }
        jobs
    }

    fn job(
        &mut self,
        piece: Region,
        goal: Region,
        shadow: &Region,
        deeper: &Region,
        levels: &[f64],
        high: f64,
        low: f64,
        floor: bool,
    ) -> Option<Job> {
        let view = self.side.view;
        // Only around the goal: the open outside reaches far.
        let near = goal.grown(14.0, COARSE).intersect(&piece);
        let crib = &self.side.shop.crib;
        let mills = end_mills(crib, view, &goal.grown(0.5, COARSE), low, levels);
        let wall_top = local_top(view, &goal, 0.3, low, levels);
        let outside =
            piece.bounds().zip(self.block.bounds()).is_some_and(|(p, b)| p.0.x < b.0.x - 1.0 || p.1.x > b.1.x + 1.0);
        let name = if outside {
            "outline"
        } else if floor {
            "pocket"
        } else {
            "cut-out"
        };
        let middle = piece.bounds().map_or_else(Default::default, |b| (b.0 + b.1) / 2.0);
        // Pieces one inside the other share their middle: name and area tell them apart.
        // Named by the part alone, not by block, side or order: the same after a change of those.
        let through = self.side.through_to.is_some_and(|t| (low - t).abs() < 1e-6);
        let key = match (outside, through) {
            (true, true) => "outline/through".to_string(),
            (true, false) => format!("outline@{}", self.height(low)),
            (false, true) => format!("cut-out@{}{}", self.axis_place(middle), size_key(&piece)),
            (false, false) => format!("{name}@{}{}", self.place(middle, low), size_key(&piece)),
        };
        let same = self.keys.entry(key.clone()).or_insert(0);
        *same += 1;
        let key = if *same > 1 { format!("{key}#{same}") } else { key };
        // Where no wall stands over it, the cutter still goes down through what is cut.
        let deep = (wall_top - low).at_least(high - low);
        // Corners of what holds the part ask for no cutter.
        let own = view.of_part(shadow, low);
        let around = goal.grown(14.0, COARSE);
        let holds = shadow.minus(&own).intersect(&around);
        let corners = if holds.is_empty() { near.clone() } else { around.minus(&own) };
        let Some((finish, left)) = finisher(&mills, &corners, self.side.fine) else {
            self.name_left(
                &goal,
                low,
                high,
                Kind::TooDeep,
                &key,
                format!("No end mill of the crib reaches down the {name}, {deep:.1} mm deep", deep = len(deep)),
                "Buy or set a longer cutter, cut it from another side, or change the drawing.",
            );
            return None;
        };
        let finish = finish.clone();
        if left.opened(0.03, 0.003).area() > 1e-3 {
            for part in left.components() {
                let room = part.deepest(0.02).map_or(0.0, |d| d.1);
                let r = shop::tool::trim(finish.radius());
                // A thin crescent is a sharp corner; a wide rest is a passage too narrow for the cutter.
                let (key, what) = if room < 0.3 * finish.radius() {
                    let what = format!(
                        "An inside corner is sharper than R {r}, the smallest that reaches {deep:.1} mm deep",
                        r = len(r),
                        deep = len(deep)
                    );
                    (key.clone(), what)
                } else {
                    let what = format!(
                        "A passage is too narrow for {}, the smallest end mill that reaches {deep:.1} mm deep",
                        finish.words(),
                        deep = len(deep)
                    );
                    (format!("{key}/passage"), what)
                };
                self.name_corner(&part, low, &key, what);
            }
        }
        let largest = if outside { 12.0 } else { 12.0_f64.at_most(2.0 * near.deepest(0.1).map_or(12.0, |d| d.1)) };
        let rough: Vec<Tool> = roughers(&mills, &near, &finish, WALL_SKIN, largest).into_iter().cloned().collect();
        let first = self.first_round_walls(&near, shadow, (wall_top - low).at_least(high - low), &rough, &finish);
        let shadow = shadow.intersect(&goal.grown(40.0, COARSE));
        Some(Job {
            kind: OpKind::Rough,
            key,
            high,
            low,
            plain: shadow.simplified(0.003),
            shadow,
            deeper: deeper.intersect(&piece),
            open: piece,
            near: (self.mine.is_some() || self.is_below_half(low)).then(|| goal.grown(0.3, COARSE)),
            goal,
            floor,
            wall_top,
            rough,
            finish,
            first,
            name,
        })
    }

    /// Name what will be left, with a place in part coordinates; what is said already gets a place more.
    pub(crate) fn name_left(
        &mut self,
        region: &Region,
        low: f64,
        high: f64,
        kind: Kind,
        key: &str,
        what: String,
        why: &str,
    ) {
        let f = self.left(region, low, high, kind, key, what, why);
        self.name(f);
    }

    pub(crate) fn name(&mut self, f: Finding) {
        match self.named.iter_mut().find(|o| o.id == f.id && o.what == f.what) {
            Some(o) => o.places.extend(f.places),
            None => self.named.push(f),
        }
    }

    /// What names something that will be left.
    pub(crate) fn left(
        &self,
        region: &Region,
        low: f64,
        high: f64,
        kind: Kind,
        key: &str,
        what: String,
        why: &str,
    ) -> Finding {
        let back = self.side.view.from_part.inverse();
        let places = region
            .components()
            .iter()
            .filter_map(Region::bounds)
            .map(|(lo, hi)| {
                let b =
                    back.bounds(&geom::Box3 { min: DVec3::new(lo.x, lo.y, low), max: DVec3::new(hi.x, hi.y, high) });
                Place::new(b.min, b.max)
            })
            .collect();
        Finding::new(kind, kind.gravest(), what, why).keyed(key).in_setup(self.side.name).at(places)
    }

    /// Rough everything, then floors, then walls.
    pub(crate) fn pockets(&mut self, drilled: &[Drilled]) {
        let jobs = self.jobs(drilled);
        let mut sizes: Vec<f64> =
            jobs.iter().flat_map(|j| j.rough.iter().chain([&j.finish]).map(|t| t.diameter_mm)).collect();
        sizes.sort_by(|a, b| b.total_cmp(a));
        sizes.dedup();
        // Each cutter roughs and finishes what it can in one call. Where something is tight all is roughed before anything is finished, and
        // the cutter that is in the spindle finishes first: one call less than from the largest down again.
        let rounds: Vec<(bool, bool, f64)> = if self.side.rough_first {
            let rough = sizes.iter().map(|&d| (true, false, d));
            rough.chain(sizes.iter().rev().map(|&d| (false, true, d))).collect()
        } else {
            sizes.iter().map(|&d| (true, true, d)).collect()
        };
        for (k, &(rough, finish, d)) in rounds.iter().enumerate() {
            if !self.side.watch.on(0.1 + 0.75 * k as f64 / rounds.len() as f64) {
                return;
            }
            if rough {
                self.rough_with(&jobs, d);
            }
            if finish {
                self.finish_with(&jobs, d);
            }
        }
    }

    fn rough_with(&mut self, jobs: &[Job], d: f64) {
        let with: Vec<(&Job, &Tool)> =
            jobs.iter().filter_map(|j| j.rough.iter().find(|t| t.diameter_mm == d).map(|t| (j, t))).collect();
        // Pieces of one height do not meet: they are worked out side by side.
        for level in with.chunk_by(|a, b| a.0.low == b.0.low) {
            let cuts: Vec<Option<Cut>> = level.par_iter().map(|(j, t)| self.rough(j, t)).collect();
            self.apply(cuts);
        }
    }

    fn finish_with(&mut self, jobs: &[Job], d: f64) {
        let floors: Vec<(&Job, &Tool)> = jobs
            .iter()
            .filter(|j| j.floor)
            .filter_map(|j| j.rough.iter().chain([&j.finish]).find(|t| t.diameter_mm == d).map(|t| (j, t)))
            .collect();
        let cuts: Vec<Option<Cut>> = floors.par_iter().map(|(j, t)| self.floor(j, t)).collect();
        self.apply(cuts);
        let first = jobs.iter().filter_map(|j| Some((j, Round::First(&j.first.as_ref()?.0))));
        let last = jobs.iter().map(|j| (j, Round::Last));
        let walls: Vec<(&Job, Round)> = first.chain(last).filter(|(j, round)| round.tool(j).diameter_mm == d).collect();
        let cuts: Vec<Option<Cut>> = walls.par_iter().map(|(j, round)| self.walls(j, *round)).collect();
        self.apply(cuts);
    }

    pub(crate) fn apply(&mut self, cuts: Vec<Option<Cut>>) {
        for c in cuts.into_iter().flatten() {
            for (region, floor) in &c.swept {
                self.stock.cut(region, *floor);
            }
            self.ops.extend(c.op);
            self.notes.extend(c.named);
        }
    }

    /// Where this side has a duty only in places: what else stands above a height, and must not be run into.
    pub(crate) fn standing(&self, j: &Job, low: f64) -> Region {
        let Some(near) = &j.near else { return Region::empty() };
        let all = self.stock.between(low + 0.01, f64::INFINITY).intersect(&j.open);
        all.minus(&near.grown(0.2, COARSE)).opened(0.3, COARSE)
    }

    pub(crate) fn arena(&self, r: f64) -> Region {
        self.block.grown(r + 3.0, COARSE)
    }

    pub(crate) fn rough(&self, j: &Job, proposed: &Tool) -> Option<Cut> {
        let id = Self::id(j.kind, &format!("{}/{}", j.key, shop::tool::trim(proposed.diameter_mm)));
        let tool = self.tool_for(&id, proposed).clone();
        let o = self.override_of(&id);
        let r = tool.radius();
        let bottom = if j.floor { j.low + FLOOR_SKIN } else { j.low };
        let allowed = self.arena(r).minus(&j.plain.grown(r + WALL_SKIN, COARSE / 2.0)).intersect(&j.open);
        let allowed = allowed.minus(&self.standing(j, bottom).grown(r + CLEAR_OF, COARSE));
        let task = |width: f64| MillTask {
            depth: (j.high + FLOOR_SKIN - bottom).at_most(1.2 * tool.diameter_mm),
            width,
            bend: ROUGH_BEND,
            feed_share: 1.0,
            kappa: FRAC_PI_2,
            cuts_at: None,
            finish: false,
            most_n: self.side.most_n(&id),
        };
        let machine = &self.side.shop.machine;
        // Shallow steps are taken wider, as long as power and bending bear the whole depth at once.
        let bears = |share: &f64| {
            mill(&task(share * tool.diameter_mm), &tool, self.side.material, machine).ap.bound_by == THE_TASK
        };
        let share = WIDER.into_iter().find(bears).unwrap_or(ROUGH_WIDTH);
        let width = o.width.unwrap_or(share * tool.diameter_mm).clamp(0.02 * tool.diameter_mm, tool.diameter_mm);
        let engagement = cutting::formula::engagement(width, tool.diameter_mm);
        let skin = j.plain.grown(WALL_SKIN + 0.06, COARSE);
        let mut stock = self.stock.clone();
        // What larger cutters could not reach higher up comes first, with levels of its own; then this step down.
        let step = j.high + FLOOR_SKIN;
        let mut parts: Vec<(f64, f64, Clearing, Passes)> = Vec::new();
        for (low, high) in [(step, f64::INFINITY), (bottom, step)] {
            let material = stock.between(low + 0.01, high).intersect(&j.open).minus(&skin).without_specks(0.01);
            let material = j.near.as_ref().map_or_else(|| material.clone(), |n| material.intersect(n));
            if low >= high || material.opened(0.1, COARSE).is_empty() || allowed.is_empty() {
                continue;
            }
            let top = stock
                .parts()
                .filter(|(_, z1, s)| *z1 > low + 1e-6 && s.intersect(&material).opened(0.05, COARSE).area() > 0.01)
                .map(|p| p.1)
                .fold(low, Sure::at_least)
                .at_most(high);
            if top - low < 1e-3 {
                continue;
            }
            let clearing = Clearing {
                allowed: allowed.clone(),
                material,
                radius: r,
                engagement,
                helix_slope: helix_slope(self.side.material, &tool),
                skin_only: false,
                tolerance: COARSE,
            };
            let done = passes(&clearing);
            stock.cut(&done.swept, low);
            parts.push((low, top, clearing, done));
        }
        // The numbers are those of the widest stroke that there is: narrow stock is cut deeper, and the thin chip with more feed.
        let widest = parts.iter().filter_map(|p| p.3.widest()).fold(0.0, Sure::at_least);
        let real = if widest > 0.0 { cutting::formula::width_for(widest, tool.diameter_mm) } else { width };
        let mut data = mill(&task(real.clamp(0.02 * tool.diameter_mm, width)), &tool, self.side.material, machine);
        self.overrule(&mut data, &o, &tool);
        let brush = cutting::brush_feed(&data, &tool, self.side.material, machine);
        let feeds = Feeds { cut: data.feed.value, plunge: data.plunge, link: machine.feed_max_mm_min, brush };
        let slower = |engagement: f64| cutting::feed_where(&data, &tool, self.side.material, machine, engagement);
        let (mut moves, mut swept, mut count, mut top_of_all) = (Vec::new(), Vec::new(), 0, bottom);
        let mut stock = self.stock.clone();
        let mut helix: Option<(f64, DVec2, f64)> = None;
        for (low, top, clearing, done) in parts {
            let depth = top - low;
            let n = (depth / data.ap.value.at_least(0.05)).ceil().at_least(1.0);
            let levels = (1..=n as usize).map(|k| top - depth * k as f64 / n).collect();
            let at = Cutting { levels, top, feeds, feed_where: &slower, clear_z: self.clear_z, stock: &stock };
            moves.extend(cut(&clearing, &done, &at));
            if let Some((radius, place)) = done.smallest_helix()
                && helix.is_none_or(|h| radius < h.0)
            {
                helix = Some((radius, place, low));
            }
            count += done.count();
            stock.cut(&done.swept, low);
            swept.push((done.swept, low));
            top_of_all = Sure::at_least(top_of_all, top);
        }
        let tight = helix.filter(|h| h.0 < TIGHT_HELIX * tool.diameter_mm);
        let verb = if j.kind == OpKind::Open { "Open" } else { "Rough" };
        let title = format!("{verb} {} to Z{bottom:.2}, {}", j.name, tool.words(), bottom = len(bottom));
        let why = if j.kind == OpKind::Open {
            "What is thin over air bends under a face cutter and tears off: an end mill clears it first, from the air or from the middle of what is held all round"
        } else if self.side.rough_first {
            "Something here is tight: everything is roughed before anything is finished (stress moves the part); larger cutters first, from the top down"
        } else {
            "Larger cutters first, from the top down; each finishes in the same call what it has roughed. Mark a size as tight, and everything is roughed before anything is finished"
        };
        let cutter = vec![
            Term::new("D", "cutter", tool.diameter_mm, "mm"),
            Term::new("flutes", "length, for a wall beside it of", j.wall_top - j.low, "mm"),
            Term::new("passes", "passes of a level", count as f64, ""),
        ];
        let name = tool.words();
        let op = self.operation(j.kind, id, title, &tool, (bottom, top_of_all), why, Some(data), moves, cutter);
        let named = tight.map(|(radius, at, low)| {
            let d = 2.0 * radius;
            let what = format!("{name} enters '{}' by a helix of only Ø{d:.1} about its own middle", j.name, d = len(d));
            let why = "Under half a diameter the cutter presses more than it cuts, and chips find no way out: drill a hole first, or take a smaller cutter.";
            let back = self.side.view.from_part.inverse();
            let (lo, hi) = (at - r, at + r);
            let b = back.bounds(&geom::Box3 { min: lo.extend(low), max: hi.extend(top_of_all) });
            Finding::new(Kind::TightHelix, Severity::Warn, what, why)
                .keyed(&j.key)
                .in_setup(self.side.name)
                .at(vec![Place::new(b.min, b.max)])
        });
        Some(Cut { op, swept, named })
    }

    fn floor(&self, j: &Job, proposed: &Tool) -> Option<Cut> {
        let id = Self::id(OpKind::Floor, &format!("{}/{}", j.key, shop::tool::trim(proposed.diameter_mm)));
        let tool = self.tool_for(&id, proposed).clone();
        let o = self.override_of(&id);
        let r = tool.radius();
        // The skin of the walls is the profile's; the floor goes close to it.
        let margin = 0.05;
        let here = j.open.minus(&j.deeper);
        let material = self
            .stock
            .between(j.low, j.low + FLOOR_SKIN * 0.9)
            .intersect(&here)
            .minus(&j.plain.grown(WALL_SKIN + margin + 0.06, COARSE))
            .without_specks(0.01);
        let material = j.near.as_ref().map_or_else(|| material.clone(), |n| material.intersect(n));
        if material.opened(0.05, COARSE).is_empty() {
            return None;
        }
        let allowed = self.arena(r).minus(&j.plain.grown(r + WALL_SKIN + margin, COARSE / 2.0)).intersect(&j.open);
        let allowed = allowed.minus(&self.standing(j, j.low).grown(r + CLEAR_OF, COARSE));
        let width = o.width.unwrap_or(FLOOR_WIDTH * tool.diameter_mm).clamp(0.02 * tool.diameter_mm, tool.diameter_mm);
        let task = self.finishing(&id, FLOOR_SKIN, width);
        let mut data = mill(&task, &tool, self.side.material, &self.side.shop.machine);
        self.overrule(&mut data, &o, &tool);
        let clearing = Clearing {
            allowed,
            material,
            radius: r,
            engagement: data.engagement,
            helix_slope: helix_slope(self.side.material, &tool),
            skin_only: true,
            tolerance: COARSE,
        };
        // The skin is 0.15 mm deep: where the cutter comes down it may meet it full width; that is what is stated.
        data.engagement = std::f64::consts::PI;
        // Between its passes lies skin, or none.
        let brush = cutting::brush_feed(&data, &tool, self.side.material, &self.side.shop.machine);
        let feeds = Feeds { cut: data.feed.value, plunge: data.plunge, link: brush, brush };
        let done = passes(&clearing);
        let at = Cutting {
            levels: vec![j.low],
            top: j.low + FLOOR_SKIN,
            feeds,
            feed_where: &|_| feeds.cut,
            clear_z: self.clear_z,
            stock: &self.stock,
        };
        let moves = cut(&clearing, &done, &at);
        let title = format!(
            "Floor at Z{:.2}, skin {FLOOR_SKIN} deep, {}",
            len(j.low),
            tool.words(),
            FLOOR_SKIN = len(FLOOR_SKIN)
        );
        let op = self.operation(
            OpKind::Floor,
            id,
            title,
            &tool,
            (j.low, j.low + FLOOR_SKIN),
            "A floor after what this cutter roughs of it, before the walls that meet it",
            Some(data),
            moves,
            vec![Term::new("D", "the cutters that roughed it", tool.diameter_mm, "mm")],
        );
        Some(Cut { op, swept: vec![(done.swept, j.low)], named: None })
    }
}
