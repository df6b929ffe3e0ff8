//! One side: the frame of the plan, and facing.

use crate::holes::Drilled;
use crate::op::{OpKind, Operation, SetupRoute};
use crate::surfaces::Sculpted;
use cutting::{MillTask, mill};
use geom::{DVec2, DVec3, Region, Slabs};
use part::{BESIDE, Hole, Intent, OFF_FLOOR, View};
use path::Feeds;
use path::face::{Facing, face};
use path::motion::{Coolant, Toolpath};
use reason::{Finding, Override, Source, Sure, Term, Watch};
use shop::Shop;
use shop::machine::Material;
use shop::tool::{Tool, ToolKind};
use std::collections::BTreeMap;
use std::sync::LazyLock;

/// What a side is planned from.
pub struct Side<'a> {
    /// The part in this setup's work frame.
    pub view: &'a View<'a>,
    /// Material at the start, work frame.
    pub stock: Slabs,
    /// The shop.
    pub shop: &'a Shop,
    /// What is cut.
    pub material: &'a Material,
    /// Name of the setup.
    pub name: &'a str,
    /// Below the part's bottom the outline is cut to here; none on the side where the bottom is done.
    pub through_to: Option<f64>,
    /// Through holes are drilled down to here at least: the next side is set by them.
    pub drill_to: f64,
    /// What the part was held by stands on it: it is decked off first.
    pub hat: bool,
    /// A flood would creep under the piece: a mist instead.
    pub mist: bool,
    /// Force across a cutter that the hold bears, N; infinite where that is no question.
    pub most_n: f64,
    /// Less than that for some operations, by their ids, N: where they cut it bears less.
    pub gently: &'a BTreeMap<String, f64>,
    /// The outline is cut down to here, the rest of it from the other side; what lies inside it goes deeper.
    pub half: Option<f64>,
    /// It cuts only at these places (middles of cubes, part coordinates; side of the cubes): what no other side sees.
    pub only: Option<(&'a [DVec3], f64)>,
    /// Its upper face is as a casting has it: within this of its highest point, mm, there may be air.
    pub uneven: Option<f64>,
    /// Up in tilted setups of the same plan, part coordinates: flats that look there are theirs.
    pub tilted: &'a [DVec3],
    /// Holes that are more than drilled, or drilled smaller than drawn.
    pub intents: &'a [Intent],
    /// Axes of holes beside walls that become thin, part coordinates: a place, and the direction out of the mouth.
    pub early: &'a [[DVec3; 2]],
    /// A drill's point may go deeper than a bottom that is drawn flat.
    pub points_deeper: bool,
    /// What a cutter leaves in corners counts if it is wider than twice this, mm.
    pub fine: f64,
    /// Something is tight: everything is roughed before anything is finished.
    pub rough_first: bool,
    /// Decisions of a person by operation id.
    pub overrides: &'a BTreeMap<String, Override>,
    /// Hears of progress; when it says stop, what is there so far is given back.
    pub watch: &'a Watch<'a>,
}

static NO_OVERRIDES: BTreeMap<String, Override> = BTreeMap::new();
static ALL_ALIKE: BTreeMap<String, f64> = BTreeMap::new();
static NOBODY: LazyLock<Watch<'static>> = LazyLock::new(Watch::nobody);

impl<'a> Side<'a> {
    /// A side on which nobody said anything: all duties, drills' points may go deeper, nothing tight.
    pub fn new(view: &'a View<'a>, stock: Slabs, shop: &'a Shop, material: &'a Material) -> Side<'a> {
        Side {
            view,
            stock,
            shop,
            material,
            name: "side",
            through_to: None,
            drill_to: f64::INFINITY,
            half: None,
            hat: true,
            most_n: f64::INFINITY,
            gently: &ALL_ALIKE,
            mist: false,
            only: None,
            uneven: None,
            tilted: &[],
            intents: &[],
            early: &[],
            points_deeper: true,
            fine: UNSEEN,
            rough_first: false,
            overrides: &NO_OVERRIDES,
            watch: &NOBODY,
        }
    }
}

impl Side<'_> {
    /// Force across a cutter that the hold bears where an operation cuts, N.
    pub(crate) fn most_n(&self, id: &str) -> f64 {
        self.gently.get(id).copied().unwrap_or(f64::INFINITY).at_most(self.most_n)
    }
}

/// Slivers in corners that no eye sees, mm.
pub const UNSEEN: f64 = 0.02;
/// Left on walls by roughing, mm (common practice 0.2–0.3, no source).
pub(crate) const WALL_SKIN: f64 = 0.25;
/// Left on floors by roughing, mm (common practice 0.1–0.2, no source).
pub(crate) const FLOOR_SKIN: f64 = 0.15;
/// Rapids pass this far over everything, mm.
const OVER: f64 = 5.0;
/// Roughing width ÷ diameter: 60° of engagement.
pub(crate) const ROUGH_WIDTH: f64 = 0.25;
/// Steps down while a casting may be lower in places, mm (common practice, no source).
const CAST_STEP: f64 = 0.25;
/// Deepest step when facing, mm (common practice, no source).
const FACE_DEPTH: f64 = 2.0;
/// Widest row of facing ÷ diameter: the rim still comes out of the material (common practice, no source).
const FACE_WIDTH: f64 = 0.93;
/// Bending allowed when roughing and when finishing, mm.
pub(crate) const ROUGH_BEND: f64 = 0.06;
pub(crate) const FINISH_BEND: f64 = 0.01;
/// Share of the starting feed when finishing: slower than roughing, for the surface (common practice, no source).
pub(crate) const FINISH_SHARE: f64 = 0.9;

pub(crate) struct Work<'a, 'b> {
    pub side: &'b Side<'a>,
    pub stock: Slabs,
    pub ops: Vec<Operation>,
    /// Holes that stay full, because no drill here leaves what is wanted.
    pub full: Vec<Hole>,
    pub named: Vec<Finding>,
    /// What else there is to know; it leaves no material.
    pub notes: Vec<Finding>,
    /// Points of drills below bottoms that are drawn flat.
    pub points: Vec<crate::Point>,
    /// Threads and fits.
    pub finished: Vec<crate::Finished>,
    /// What is left here and lies open to another side.
    pub elsewhere: Vec<crate::Elsewhere>,
    pub floors: Vec<f64>,
    /// Upper end of the part.
    pub top: f64,
    /// Rapids in XY run here.
    pub clear_z: f64,
    /// The block's outline at its widest, seen from above.
    pub block: Region,
    /// Seen from above, what this side has to do; all where there is none.
    pub mine: Option<Region>,
    /// How often a name of a piece was given.
    pub keys: BTreeMap<String, u32>,
    /// Slanted and curved faces, from the lowest number …
    pub curved: Vec<u32>,
    /// … and which of them balls finish.
    pub sculpted: Vec<Sculpted>,
}

/// Plan a side.
pub fn plan_side(side: &Side) -> SetupRoute {
    let mut w = Work::of(side);
    if w.mine.is_none() || w.slope_on_top() {
        w.face();
    }
    w.curved = w.sculpted_faces();
    w.sculpted = w.sculpted();
    let drilled = w.choose_holes();
    let (first, rest): (Vec<&Drilled>, Vec<&Drilled>) = drilled.iter().partition(|d| w.is_early(&d.hole));
    w.drill(&first, true);
    if side.watch.on(0.1) {
        w.pockets(&drilled);
    }
    if side.watch.on(0.85) {
        w.finish_sculpted();
        w.undercuts();
        w.drill(&rest, false);
        w.chamfers();
        w.finish_holes(&drilled);
        w.name_sculpted();
    }
    SetupRoute {
        operations: w.ops,
        stock: w.stock,
        named: w.named,
        notes: alike(w.notes),
        points: w.points,
        elsewhere: w.elsewhere,
        finished: w.finished,
    }
}

/// Findings that say the same of several places are one with all of them.
fn alike(notes: Vec<Finding>) -> Vec<Finding> {
    let mut out: Vec<Finding> = Vec::new();
    for f in notes {
        match out.iter_mut().find(|o| o.kind == f.kind && o.what == f.what && o.why == f.why) {
            Some(o) => o.places.extend(f.places),
            None => out.push(f),
        }
    }
    for f in out.iter_mut().filter(|f| f.places.len() > 1 && f.kind == "tight_helix") {
        f.what = format!("{}, {} times", f.what, f.places.len());
    }
    out
}

impl<'a, 'b> Work<'a, 'b> {
    /// A side with nothing done yet.
    pub(crate) fn of(side: &'b Side<'a>) -> Work<'a, 'b> {
        let floors = side.view.floors();
        let stock = side.stock.clone();
        let beside_top = side.view.beside_top().unwrap_or(f64::NEG_INFINITY);
        let clear_z = stock.top().at_least(side.view.bounds.max.z).at_least(beside_top) + OVER;
        let block = Region::union_all(stock.parts().map(|p| p.2));
        let mut top = side.view.bounds.max.z;
        // Rows of a face mill pass over everything; where something stands in their way the top is a floor like others, cut around it.
        let widest = side.shop.crib.iter().map(|t| t.diameter_mm).fold(0.0, Sure::at_least);
        let in_the_way = block.bounds().and_then(|(low, high)| side.view.beside_top_near([low, high], widest + BESIDE));
        if in_the_way.is_some_and(|z| z > top - BESIDE) {
            top = top.at_least(stock.top());
        }
        let mine = side.only.map(|(places, cell)| side.view.over(places, cell));
        Work {
            side,
            stock,
            ops: vec![],
            full: vec![],
            named: vec![],
            notes: vec![],
            points: vec![],
            finished: vec![],
            elsewhere: vec![],
            floors,
            top,
            clear_z,
            block,
            mine,
            keys: BTreeMap::new(),
            curved: Vec::new(),
            sculpted: Vec::new(),
        }
    }
}

impl Work<'_, '_> {
    pub(crate) fn coolant(&self) -> Coolant {
        match (self.side.material.coolant == "flood", self.side.mist) {
            (false, _) => Coolant::Dry,
            (true, true) => Coolant::Mist,
            (true, false) => Coolant::Flood,
        }
    }
    pub(crate) fn override_of(&self, id: &str) -> Override {
        self.side.overrides.get(id).copied().unwrap_or_default()
    }
    /// A person's choice of cutter, if the crib has it and it is of the sort that the operation needs.
    pub(crate) fn tool_for<'t>(&'t self, id: &str, proposed: &'t Tool) -> &'t Tool {
        match self.override_of(id).tool {
            Some(n) => {
                self.side.shop.crib.iter().find(|t| t.number == n && t.kind == proposed.kind).unwrap_or(proposed)
            }
            None => proposed,
        }
    }
    /// A finishing cut of an end mill: for size and surface.
    pub(crate) fn finishing(&self, id: &str, depth: f64, width: f64) -> MillTask {
        MillTask {
            depth,
            width,
            bend: FINISH_BEND,
            feed_share: FINISH_SHARE,
            kappa: std::f64::consts::FRAC_PI_2,
            cuts_at: None,
            finish: true,
            most_n: self.side.most_n(id),
        }
    }
    /// A person's numbers over the proposed ones. Load, force and bending follow, and a limit that is passed is told.
    pub(crate) fn overrule(&self, data: &mut cutting::MillData, o: &Override, tool: &Tool) {
        let set = |j: &mut reason::Judged<f64>, v: Option<f64>| {
            if let Some(v) = v {
                j.value = v;
                j.bound_by = "a person".into();
                j.source = Source::person().into();
            }
        };
        set(&mut data.rpm, o.rpm);
        set(&mut data.feed, o.feed);
        set(&mut data.ap, o.depth);
        if o.rpm.or(o.feed).or(o.depth).is_some() {
            cutting::follow(data, tool, self.side.material, &self.side.shop.machine);
        }
    }
    /// Has this side something to do at a place?
    pub(crate) fn is_mine(&self, p: DVec2) -> bool {
        self.mine.as_ref().is_none_or(|m| m.contains(p))
    }
    /// A place in part coordinates to a tenth of a mm: what ids are made of, so that block, grip and order of sides do not change them.
    pub(crate) fn place(&self, p: DVec2, z: f64) -> String {
        let q = self.side.view.from_part.inverse().point(p.extend(z));
        format!("{}_{}_{}", tenth(q.x), tenth(q.y), tenth(q.z))
    }
    /// A line along the spindle in part coordinates: the two that tell it.
    pub(crate) fn axis_place(&self, p: DVec2) -> String {
        let back = self.side.view.from_part.inverse();
        let (q, up) = (back.point(p.extend(0.0)), back.dir(DVec3::Z));
        let letters = ['X', 'Y', 'Z'];
        let told = (0..3).filter(|&k| up[k].abs() < 0.5).map(|k| format!("{}{}", letters[k], tenth(q[k])));
        told.collect::<Vec<_>>().join("_")
    }
    /// A height in part coordinates.
    pub(crate) fn height(&self, z: f64) -> String {
        let back = self.side.view.from_part.inverse();
        let (q, up) = (back.point(DVec3::new(0.0, 0.0, z)), back.dir(DVec3::Z));
        let k = (0..3).find(|&k| up[k].abs() > 0.5).unwrap_or(2);
        format!("{}{}", ['X', 'Y', 'Z'][k], tenth(q[k]))
    }
    pub(crate) fn id(kind: OpKind, key: &str) -> String {
        format!("{}:{key}", kind.word())
    }

    /// Tilted, with the inclined flat that it is for above everything else: what stands over that belongs to nobody.
    fn slope_on_top(&self) -> bool {
        let frame = &self.side.view.from_part;
        let mine = |at: &Region| self.mine.as_ref().is_some_and(|m| !m.intersect(at).without_specks(1.0).is_empty());
        let top = self.side.view.bounds.max.z;
        !frame.is_axial()
            && self.floors.first().is_some_and(|z| (z - top).abs() < 2.0 * OFF_FLOOR)
            && mine(&self.side.view.shadow(top - OFF_FLOOR))
    }

    /// Everything over the part's top, by rows with the face mill (or the largest end mill where none is in the crib).
    fn face(&mut self) {
        if self.stock.top() < self.top + 1e-4 {
            return;
        }
        let material = self.stock.between(self.top, f64::INFINITY);
        let Some((min, max)) = material.bounds() else { return };
        let crib = &self.side.shop.crib;
        let proposed = crib
            .iter()
            .filter(|t| t.kind == ToolKind::Face)
            .max_by(|a, b| a.diameter_mm.total_cmp(&b.diameter_mm))
            .or_else(|| {
                crib.iter().filter(|t| t.kind == ToolKind::Flat).max_by(|a, b| a.diameter_mm.total_cmp(&b.diameter_mm))
            });
        let Some(proposed) = proposed else { return };
        let up = self.side.view.from_part.inverse().dir(DVec3::Z);
        let id = Self::id(OpKind::Face, &part::direction_words(up));
        let tool = self.tool_for(&id, proposed).clone();
        let o = self.override_of(&id);
        let total = self.stock.top() - self.top;
        let plan = |step: f64| {
            let facing = Facing { min, max, radius: tool.radius(), step, levels: Vec::new() };
            let task = MillTask {
                depth: if total < FACE_DEPTH { total } else { FACE_DEPTH },
                width: facing.even_step(),
                bend: ROUGH_BEND,
                feed_share: 1.0,
                kappa: std::f64::consts::FRAC_PI_2,
                cuts_at: None,
                finish: false,
                most_n: self.side.most_n(&id),
            };
            let data = mill(&task, &tool, self.side.material, &self.side.shop.machine);
            (facing, data)
        };
        let widest = FACE_WIDTH * tool.diameter_mm;
        // Rows share the breadth; of the numbers of rows that may be, the one with which it is done first.
        let (mut facing, mut data) = match o.width {
            Some(w) => plan(w.at_most(0.95 * tool.diameter_mm)),
            None => (0..3)
                .map(|more| plan(widest / (1.0 + 0.25 * f64::from(more))))
                .min_by(|a, b| {
                    let levels = |d: &cutting::MillData| face_levels(total, 0.0, d.ap.value, false).len() as f64;
                    let time = |(f, d): &(Facing, cutting::MillData)| levels(d) * f.length() / d.feed.value;
                    time(a).total_cmp(&time(b))
                })
                .unwrap_or_else(|| plan(widest)),
        };
        self.overrule(&mut data, &o, &tool);
        let uneven = self.side.uneven.unwrap_or(0.0).at_most(total);
        let hollows = self.hollows();
        facing.levels = cast_levels(self.stock.top(), self.top, uneven, data.ap.value, !hollows.is_empty());
        let opened = self.open_hollows(&hollows, &facing.levels, &data, uneven > 0.0);
        let material = if opened { self.stock.between(self.top, f64::INFINITY) } else { material };
        // What was opened on the outside needs no rows any more.
        if let Some((min, max)) = material.bounds().filter(|_| opened) {
            (facing.min, facing.max) = (min, max);
        }
        let feeds = Feeds { cut: data.feed.value, plunge: data.plunge, link: data.feed.value, brush: data.feed.value };
        let moves = face(&facing, feeds, self.clear_z, &self.stock);
        let last = self.side.hat && self.side.through_to.is_none();
        let title =
            if last { format!("Deck the hat off, {}", tool.words()) } else { format!("Face, {}", tool.words()) };
        let mut cutter_why = vec![Term::new("D", "as wide as the crib has: fewest rows", tool.diameter_mm, "mm")];
        if uneven > 0.0 {
            let says = "steps through the uneven skin of the casting, from above its highest point";
            cutter_why.push(Term::new("a_p", says, CAST_STEP.at_most(data.ap.value), "mm"));
            cutter_why.push(Term::new("u", "from its highest point to its lowest", uneven, "mm"));
        }
        let why = if last {
            "The hat held the first side; it goes before anything of this side can be reached"
        } else {
            "A clean reference first"
        };
        self.push(OpKind::Face, id, title, &tool, (self.top, self.top + total), why, Some(data), moves, cutter_why);
        self.stock.cut(&material.grown(1.0, 0.01), self.top);
    }

    pub(crate) fn push(
        &mut self,
        kind: OpKind,
        id: String,
        title: String,
        tool: &Tool,
        heights: (f64, f64),
        order_why: &str,
        mill: Option<cutting::MillData>,
        moves: Vec<path::motion::Move>,
        cutter_why: Vec<Term>,
    ) {
        let op = self.operation(kind, id, title, tool, heights, order_why, mill, moves, cutter_why);
        self.ops.extend(op);
    }

    /// An operation; none without motion.
    pub(crate) fn operation(
        &self,
        kind: OpKind,
        id: String,
        title: String,
        tool: &Tool,
        (bottom, top): (f64, f64),
        order_why: &str,
        mill: Option<cutting::MillData>,
        moves: Vec<path::motion::Move>,
        cutter_why: Vec<Term>,
    ) -> Option<Operation> {
        if moves.is_empty() {
            return None;
        }
        let (rpm, engagement) = mill.as_ref().map_or((0.0, None), |m| (m.rpm.value, Some(m.engagement)));
        let path = Toolpath {
            op: id.clone(),
            title: title.clone(),
            tool: tool.number,
            rpm,
            coolant: self.coolant(),
            engagement_limit: engagement,
            power_kw: mill.as_ref().map(|m| m.power_kw),
            moves,
        };
        Some(Operation {
            id,
            kind,
            title,
            tool: tool.number,
            bottom,
            top,
            order_why: order_why.into(),
            over: None,
            early: false,
            after_stop: 0,
            cutter_why,
            mill,
            drill: None,
            path: Some(path),
        })
    }
}

/// Levels of a face: even steps of at most `ap`, and a last thin one (0.25 mm) that lies below the overhang left by the first side's cut
/// below the part, so that the overhang is gone before the last pass. `thick_last`: the step before that one is as deep as it may be.
fn face_levels(from: f64, to: f64, ap: f64, thick_last: bool) -> Vec<f64> {
    const LAST: f64 = 0.25;
    let depth = from - to;
    if depth <= LAST * 1.5 || depth <= ap.at_most(LAST * 2.0 + 1e-9) {
        return vec![to];
    }
    let n = ((depth - LAST) / ap).ceil().at_least(1.0);
    // The step that breaks into what is hollow below is as deep as it may be: so the skin before it is as thick as it may be.
    let last = if thick_last && n > 1.0 { ap } else { (depth - LAST) / n };
    let step = if n > 1.0 { (depth - LAST - last) / (n - 1.0) } else { 0.0 };
    let mut out: Vec<f64> = (1..n as usize).map(|k| from - step * k as f64).collect();
    out.push(to + LAST);
    out.push(to);
    out
}

/// The same where the upper `uneven` mm are a casting's skin: the first pass starts above the highest point, steps are small until even the
/// lowest place is cut, and it goes on as in full material.
fn cast_levels(from: f64, to: f64, uneven: f64, ap: f64, thick_last: bool) -> Vec<f64> {
    if uneven <= 0.0 {
        return face_levels(from, to, ap, thick_last);
    }
    let n = (uneven / CAST_STEP.at_most(ap)).ceil().at_least(1.0);
    let end = from - uneven;
    let mut out: Vec<f64> = (1..n as usize).map(|k| from - uneven / n * k as f64).collect();
    if end > to + 1e-6 {
        out.push(end);
        out.extend(face_levels(end, to, ap, thick_last));
    } else {
        out.push(to);
    }
    out
}

/// To a tenth, without a minus before nothing.
fn tenth(v: f64) -> String {
    let r = (v * 10.0).round() / 10.0;
    format!("{:.1}", if r == 0.0 { 0.0 } else { r })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_last_face_level_is_thin() {
        let l = face_levels(24.0, 16.0, 1.3, false);
        assert_eq!(*l.last().unwrap(), 16.0);
        assert!((l[l.len() - 2] - 16.25).abs() < 1e-9);
        assert!(l.windows(2).all(|w| w[0] - w[1] <= 1.3 + 1e-9 && w[0] > w[1]));
        assert_eq!(face_levels(16.2, 16.0, 1.0, false), vec![16.0]);
        // A skim is one pass, where the cutter bears it.
        assert_eq!((face_levels(16.5, 16.0, 1.0, false).len(), face_levels(16.5, 16.0, 0.4, false).len()), (1, 2));
        // Over a hollow the step that breaks in is the deepest one.
        let l = face_levels(24.0, 16.0, 1.3, true);
        let n = l.len();
        assert_eq!((l[n - 1], n), (16.0, face_levels(24.0, 16.0, 1.3, false).len()));
        assert!((l[n - 3] - l[n - 2] - 1.3).abs() < 1e-9 && (l[n - 2] - 16.25).abs() < 1e-9, "{l:?}");
        assert!((0..n - 3).all(|k| l[k] - l[k + 1] <= 1.3 + 1e-9 && l[k] > l[k + 1]));
    }

    /// The brief of a casting: from above the highest point in steps of 0.25 mm, cutting air on the low ones.
    #[test]
    fn a_casting_is_stepped_through_its_skin() {
        // 4 mm over at most, 1.5 mm at least: 2.5 mm may be air.
        let l = cast_levels(24.0, 20.0, 2.5, 1.3, false);
        let steps: Vec<f64> = std::iter::once(24.0).chain(l.iter().copied()).collect();
        let of = |k: usize| steps[k] - steps[k + 1];
        assert!((0..10).all(|k| of(k) <= 0.25 + 1e-9), "{l:?}");
        assert!((steps[10] - 21.5).abs() < 1e-9 && of(10) > 0.5 && of(10) <= 1.3, "{l:?}");
        assert_eq!(*l.last().unwrap(), 20.0);
        // Skin to the very end; and none.
        assert!(cast_levels(21.0, 20.0, 1.0, 1.3, false).windows(2).all(|w| w[0] - w[1] <= 0.25 + 1e-9));
        assert_eq!(cast_levels(24.0, 20.0, 0.0, 1.3, false), face_levels(24.0, 20.0, 1.3, false));
    }
}
