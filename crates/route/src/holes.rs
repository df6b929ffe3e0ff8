//! Holes that are drilled, and their spots.

use crate::op::{OpKind, Operation};
use crate::setup::Work;
use crate::threads::{BEYOND, End, Finisher};
use cutting::{DrillData, drill};
use geom::{DVec2, DVec3, Region};
use part::{After, Hole, HoleEnd, Intent, Made, OFF_FLOOR};
use path::motion::{Cycle, Move, Toolpath};
use reason::{Kind, Place, Source, Sure, Term, len};
use shop::tool::{Tool, ToolKind};

/// A drill may differ from the drawn hole by this on diameter, mm.
const SAME_SIZE: f64 = 0.02;
/// Breakthrough below a through hole, mm.
const BREAK: f64 = 0.3;

/// A hole with its drill.
pub(crate) struct Drilled {
    pub hole: Hole,
    pub drill: Tool,
    /// Lowest point of the drill.
    pub tip: f64,
    /// What a person said of it, if the drill is smaller than the hole for that.
    pub then: Option<Intent>,
    /// What cuts its thread or its fit.
    pub finish: Option<Finisher>,
}

/// What is done in holes along their axes, all of one depth.
pub(crate) struct HoleOp<'t> {
    pub kind: OpKind,
    pub id: String,
    pub title: String,
    /// Axes.
    pub at: Vec<DVec2>,
    /// Lowest place of the tool, and the mouth.
    pub bottom: f64,
    pub top: f64,
    /// Why it stands where it stands.
    pub why: &'t str,
    pub early: bool,
    /// Why this size.
    pub size_why: Vec<Term>,
}

impl Work<'_, '_> {
    /// Does a tool with its lowest point at `z` over `at` clear the part? What of it is below `from` may cut into it: a point below a bottom.
    fn tool_clears(&self, tool: &Tool, at: DVec2, z: f64, from: f64) -> bool {
        let view = self.side.view;
        let mut bodies: Vec<(f64, f64)> = Vec::new();
        let cone = tool.point_height();
        for k in 1..=4 {
            let h = cone.at_least(0.01) * f64::from(k) / 4.0;
            bodies.push((tool.radius_at(h), h));
        }
        // What stands beside it ends at a floor: just below that the point is widest.
        let ends = self.floors.iter().map(|f| f - z - 2.0 * OFF_FLOOR);
        bodies.extend(ends.filter(|h| *h > 0.0 && *h < cone).map(|h| (tool.radius_at(h), h)));
        bodies.extend(tool.dead_body().iter().map(|&(r, from, _)| (r + 0.5, from)));
        bodies.iter().filter(|b| z + b.1 > from).all(|&(r, h)| {
            let s = view.shadow(z + h + OFF_FLOOR);
            s.is_empty() || s.signed_distance(at) < -(r - 0.02)
        })
    }

    /// Holes to be drilled here; the rest are pockets to be milled.
    pub(crate) fn choose_holes(&mut self) -> Vec<Drilled> {
        let view = self.side.view;
        let mut out: Vec<Drilled> = Vec::new();
        for hole in self.my_holes() {
            let disc = Region::disc(hole.at, hole.diameter / 2.0 - 0.02, 0.005);
            // Already open: cut from the other side.
            if self.stock.between(hole.bottom + 0.01, hole.top).intersect(&disc).area() < 0.5 * disc.area() {
                continue;
            }
            let d = hole.diameter;
            let key = self.hole_key(hole.diameter, hole.at, hole.bottom);
            let said = self.intent_of(&hole).cloned();
            let intent = said.clone().filter(|i| !i.drills.is_empty());
            let sizes = intent.as_ref().map_or_else(|| vec![[d - SAME_SIZE, d + SAME_SIZE]], |i| i.drills.clone());
            let drill = sizes.iter().find_map(|size| self.drill_for(&hole, *size));
            let Some(drill) = drill.cloned() else {
                if let Some(i) = &intent {
                    self.leave_full(&hole, i, &key);
                }
                continue;
            };
            let point = drill.point_height();
            let mut note = None;
            let tip = match hole.end {
                HoleEnd::Open => {
                    // What follows wants more than its own length drilled.
                    let room = self.room_below(&hole, point);
                    let below = said.as_ref().map_or(0.0, |i| self.finisher(&hole, i, End::Open { room }).below);
                    let deep = self.overshoot(&hole, &drill, below);
                    match deep.or_else(|| self.overshoot(&hole, &drill, 0.0)) {
                        Some(tip) => tip,
                        None => continue,
                    }
                }
                HoleEnd::Cone { angle, tip } => {
                    let own = drill.point_angle_deg.to_radians();
                    if (own - angle).abs() > 0.02 {
                        note = Some(format!(
                            "The hole's point is drawn at {:.0}°, the drill has {:.0}°",
                            angle.to_degrees(),
                            drill.point_angle_deg
                        ));
                    }
                    // A blunter drill stands on the end of the cylinder, a sharper one on the tip.
                    tip.at_least(hole.bottom - point)
                }
                HoleEnd::Flat if intent.is_some() || self.goes_deeper(&hole, &drill) => {
                    if self.goes_deeper(&hole, &drill) {
                        hole.bottom - point
                    } else {
                        note = Some(format!(
                            "Below the flat bottom of Ø{} there is no room for the drill's point: it leaves its cone in the hole",
                            len(shop::tool::trim(d))
                        ));
                        hole.bottom
                    }
                }
                HoleEnd::Flat => {
                    if self.can_be_milled(&hole) {
                        continue;
                    }
                    note = Some(format!(
                        "A flat-bottomed hole Ø{} too deep or too small for an end mill: the drill's point leaves its cone",
                        len(shop::tool::trim(d))
                    ));
                    hole.bottom
                }
                HoleEnd::Step => {
                    if self.can_be_milled(&hole) {
                        continue;
                    }
                    note = Some(format!(
                        "A step Ø{} too deep or too small for an end mill: the drill's point leaves its cone",
                        len(shop::tool::trim(d))
                    ));
                    hole.bottom
                }
            };
            let below = if hole.end == HoleEnd::Flat { hole.bottom } else { f64::NEG_INFINITY };
            if !self.tool_clears(&drill, hole.at, tip, below) || drill.flute_length_mm < hole.mouth_top() - tip {
                if let Some(i) = &intent {
                    self.leave_full(&hole, i, &key);
                }
                continue;
            }
            if let Some(what) = note {
                let (lo, hi) = (hole.bottom.at_most(tip) - point, hole.bottom + point + 0.05);
                self.name_left(&Region::disc(hole.at, d / 2.0 + 0.05, 0.01), lo, hi, Kind::DrillPoint, &key, what, "Usual for a drilled hole; where the bottom matters, finish it with an end mill or a counterbore, or ask for a drill point in the drawing.");
            }
            let end = match hole.end {
                HoleEnd::Open => End::Open { room: hole.bottom - tip - point },
                _ => End::Blind((tip + point).at_least(hole.bottom)),
            };
            let finish = said.as_ref().map(|i| self.finisher(&hole, i, end));
            if let Some(i) = intent.as_ref().filter(|_| finish.as_ref().is_none_or(|f| f.how == Made::Hand)) {
                let kind = match i.after {
                    After::Tap => Kind::ToTap,
                    After::Reamer => Kind::ToReam,
                };
                let ring = Region::disc(hole.at, d / 2.0 + 0.05, 0.01);
                let what =
                    format!("{}: drilled Ø{}, {} follows", i.wants, len(shop::tool::trim(drill.diameter_mm)), i.tool());
                let why = format!(
                    "It is drawn at Ø{}; what is over is cut after the program, by {}.",
                    len(shop::tool::trim(d)),
                    i.tool()
                );
                self.name_left(&ring, tip - 0.05, hole.mouth_top() + 0.05, kind, &key, what, &why);
            }
            if hole.end == HoleEnd::Flat && tip < hole.bottom - 1e-6 {
                let back = view.from_part.inverse();
                let r = drill.radius() + 0.02;
                let low = hole.at.extend(tip - 0.02) - DVec3::new(r, r, 0.0);
                let high = hole.at.extend(hole.bottom + 0.02) + DVec3::new(r, r, 0.0);
                let b = back.bounds(&geom::Box3 { min: low, max: high });
                self.points.push(crate::Point {
                    place: Place::new(b.min, b.max),
                    diameter_mm: drill.diameter_mm,
                    point_mm: point,
                    bottom_mm: back.point(hole.at.extend(hole.bottom)).to_array(),
                    out: back.dir(DVec3::Z).to_array(),
                });
            }
            out.push(Drilled { hole, drill, tip, then: intent, finish });
        }
        self.name_unmade_holes(&out);
        out
    }

    /// The drill nearest to the middle of a range of diameters; of those alike the shortest that reaches, which is stiffest.
    fn drill_for(&self, hole: &Hole, [least, most]: [f64; 2]) -> Option<&Tool> {
        let off = |t: &Tool| (t.diameter_mm - f64::midpoint(least, most)).abs();
        let drills = self.side.shop.crib.iter().filter(|t| t.kind == ToolKind::Drill);
        let mut fit: Vec<&Tool> = drills.filter(|t| (least - 1e-9..=most + 1e-9).contains(&t.diameter_mm)).collect();
        fit.sort_by(|a, b| off(a).total_cmp(&off(b)).then(a.stickout_mm.total_cmp(&b.stickout_mm)));
        let reaches = |t: &Tool| {
            let tip = hole.bottom - if hole.end == HoleEnd::Open { t.point_height() + BREAK } else { 0.0 };
            t.flute_length_mm >= hole.mouth_top() - tip && self.tool_clears(t, hole.at, tip, hole.bottom)
        };
        let nearest: Vec<&Tool> = fit.iter().copied().take_while(|t| off(t) < off(fit[0]) + 1e-9).collect();
        nearest.iter().copied().find(|t| reaches(t)).or(nearest.last().copied())
    }

    /// May the drill's point go below a bottom that is drawn flat, and is there material enough for it?
    fn goes_deeper(&self, h: &Hole, drill: &Tool) -> bool {
        /// Material that stays below the tip, mm (common practice, no source).
        const BELOW: f64 = 1.0;
        // A shallow one is a seat, a counterbore or a pocket, no drilled hole.
        if !self.side.points_deeper || h.top - h.bottom < h.diameter {
            return false;
        }
        let disc = Region::disc(h.at, h.diameter / 2.0, 0.01);
        let mesh = &self.side.view.mesh;
        let point = drill.point_height();
        let end = h.bottom - point - BELOW;
        [h.bottom - 0.05, h.bottom - 0.5 * point, h.bottom - point, end]
            .iter()
            .all(|&z| z > self.side.view.bounds.min.z && disc.minus(&mesh.section(z)).area() < 0.01 * disc.area())
    }

    /// Holes that this side has to do with.
    fn my_holes(&self) -> Vec<Hole> {
        self.side.view.holes().into_iter().filter(|h| self.is_mine(h.at)).collect()
    }

    /// What a hole is called in ids: its diameter and place in part coordinates.
    fn hole_key(&self, diameter: f64, at: DVec2, bottom: f64) -> String {
        format!("{}@{}", shop::tool::trim(diameter), self.place(at, bottom))
    }

    /// What a group of holes is called: its drill, and the first of their places in part coordinates. Through holes are the same from both
    /// their ends.
    fn group_key(&self, g: &[&Drilled]) -> String {
        let key = |d: &&Drilled| match d.hole.end {
            HoleEnd::Open => self.axis_place(d.hole.at),
            _ => self.place(d.hole.at, d.hole.bottom),
        };
        let first = g.iter().map(key).min().unwrap_or_default();
        format!("{}@{first}", shop::tool::trim(g[0].drill.diameter_mm))
    }

    /// A hole beside a wall that becomes thin, which can be drilled as soon as the face is clean.
    pub(crate) fn is_early(&self, h: &Hole) -> bool {
        let to = &self.side.view.from_part;
        let on = |[at, out]: &[DVec3; 2]| {
            to.dir(*out).z.abs() > 1.0 - 1e-6 && to.point(*at).truncate().distance(h.at) < 0.02
        };
        h.mouth_top() > self.top - 0.01 && self.side.early.iter().any(on)
    }

    /// What a person said of a hole.
    pub(crate) fn intent_of(&self, h: &Hole) -> Option<&Intent> {
        let to = &self.side.view.from_part;
        self.side.intents.iter().find(|i| {
            let upright = to.dir(i.direction).z.abs() > 1.0 - 1e-6;
            upright && to.point(i.origin).truncate().distance(h.at) < 0.02 && (i.drawn - h.diameter).abs() < 0.01
        })
    }

    /// A hole that only a drill of another size may make is not made here, nor is it milled.
    fn leave_full(&mut self, h: &Hole, i: &Intent, key: &str) {
        let trim = shop::tool::trim;
        let words = |[a, b]: &[f64; 2]| {
            if b - a < 0.1 {
                format!("Ø{}", len(trim((a + b) / 2.0)))
            } else {
                format!("Ø{} to {}", len(trim(*a)), len(trim(*b)))
            }
        };
        let sizes: Vec<String> = i.drills.iter().map(words).collect();
        let why = format!(
            "As drawn (Ø{}) it would be too large for {}, so it is left full. Put the drill into the crib, or answer otherwise what the hole is for.",
            len(trim(h.diameter)),
            i.tool()
        );
        self.name_left(
            &Region::disc(h.at, h.diameter / 2.0 + 0.05, 0.01),
            h.bottom - 0.4 * h.diameter - 0.5,
            h.mouth_top() + 0.05,
            Kind::HoleWithoutTool,
            key,
            format!("{} wants a drill {} that reaches, and the crib has none", i.wants, sizes.join(" or ")),
            &why,
        );
        self.full.push(h.clone());
    }

    fn can_be_milled(&self, h: &Hole) -> bool {
        self.side.shop.crib.iter().any(|t| {
            t.kind == ToolKind::Flat
                && t.flute_length_mm >= h.top - h.bottom + 0.2
                && h.diameter >= 1.15 * t.diameter_mm + 0.5
        })
    }

    /// Lowest point of a drill that leaves a through hole clean, and open `below` its end, without touching what lies beyond.
    fn overshoot(&self, h: &Hole, drill: &Tool, below: f64) -> Option<f64> {
        let view = self.side.view;
        let more = if below > 0.0 { BREAK.at_least(below + BEYOND) } else { BREAK };
        let want = h.bottom.at_most(self.side.drill_to) - drill.point_height() - more;
        // Beyond its own length it may run on into what is open.
        let floor = self.side.through_to.unwrap_or(h.bottom) - 6.0;
        let inside = Region::disc(h.at, (h.diameter / 2.0 - 0.03).at_least(0.1), 0.003);
        let free = |z: f64| {
            z >= floor.at_most(h.bottom)
                && (z < view.bounds.min.z || view.shadow(z + OFF_FLOOR).intersect(&inside).area() < 1e-3)
        };
        // From below the part there is nothing; inside it the shadow says.
        let nothing_below = want < view.bounds.min.z && view.beside_top().is_none();
        if nothing_below || free(want) { Some(want) } else { None }
    }

    /// Round holes that neither a drill nor an end mill makes.
    fn name_unmade_holes(&mut self, drilled: &[Drilled]) {
        for h in self.my_holes() {
            if drilled.iter().any(|d| d.hole == h) || self.full.contains(&h) {
                continue;
            }
            let disc = Region::disc(h.at, h.diameter / 2.0, 0.005);
            if self.stock.between(h.bottom + 0.01, h.top).intersect(&disc).area() < 0.5 * disc.area() {
                continue;
            }
            let smallest = self
                .side
                .shop
                .crib
                .iter()
                .filter(|t| t.kind == ToolKind::Flat && t.flute_length_mm >= h.top - h.bottom + 0.2)
                .map(|t| t.diameter_mm)
                .fold(f64::INFINITY, Sure::at_most);
            if h.diameter < 1.1 * smallest + 0.3 {
                let key = self.hole_key(h.diameter, h.at, h.bottom);
                let d = shop::tool::trim(h.diameter);
                self.name_left(
                    &disc.grown(0.05, 0.01),
                    h.bottom - 0.4 * h.diameter - 0.5,
                    h.top + 0.05,
                    Kind::HoleWithoutTool,
                    &key,
                    format!(
                        "The crib has no drill Ø{d} and no end mill that reaches {:.1} mm deep in it",
                        len(h.top - h.bottom),
                        d = len(&d)
                    ),
                    &format!("Buy a drill Ø{d}, or change the hole to a size that is stocked.", d = len(d)),
                );
            }
        }
    }

    /// Spots and holes, a group for each drill and depth.
    pub(crate) fn drill(&mut self, drilled: &[&Drilled], early: bool) {
        let mut groups: Vec<Vec<&Drilled>> = Vec::new();
        for d in drilled {
            let like = |o: &Drilled| {
                o.drill.number == d.drill.number
                    && (o.hole.top - d.hole.top).abs() < 1e-6
                    && (o.tip - d.tip).abs() < 1e-6
                    && o.then.as_ref().map(|i| &i.wants) == d.then.as_ref().map(|i| &i.wants)
            };
            match groups.iter_mut().find(|g| like(g[0])) {
                Some(g) => g.push(d),
                None => groups.push(vec![d]),
            }
        }
        groups.sort_by(|a, b| {
            a[0].drill.diameter_mm.total_cmp(&b[0].drill.diameter_mm).then(b[0].hole.top.total_cmp(&a[0].hole.top))
        });
        for g in &groups {
            self.spot(g, early);
        }
        for g in &groups {
            self.drill_group(g, early);
        }
    }

    pub(crate) fn order(points: &[DVec2]) -> Vec<DVec2> {
        let mut rest = points.to_vec();
        let mut out: Vec<DVec2> = Vec::new();
        while !rest.is_empty() {
            let at = out.last().copied().unwrap_or(DVec2::ZERO);
            let k = (0..rest.len()).min_by(|&i, &j| at.distance(rest[i]).total_cmp(&at.distance(rest[j]))).unwrap_or(0);
            out.push(rest.remove(k));
        }
        out
    }

    fn spot(&mut self, g: &[&Drilled], early: bool) {
        let Some(spot) = self.side.shop.crib.iter().find(|t| t.kind == ToolKind::Spot).cloned() else { return };
        let d = g[0].drill.diameter_mm;
        let top = g[0].hole.mouth_top();
        let key = self.group_key(g);
        // Stays below the hole's diameter: 0.8 of it.
        let lean = (spot.point_angle_deg / 2.0).to_radians().tan();
        let depth = (0.4 * d).at_most(0.45 * spot.diameter_mm).at_most(spot.flute_length_mm) / lean;
        let tip = top - depth;
        let (clear, not): (Vec<&Drilled>, Vec<&Drilled>) =
            g.iter().partition(|h| self.tool_clears(&spot, h.hole.at, tip, f64::NEG_INFINITY));
        if !not.is_empty() {
            let holes: Vec<Region> =
                not.iter().map(|h| Region::disc(h.hole.at, h.hole.diameter / 2.0 + 0.05, 0.01)).collect();
            let what = format!(
                "{} × Ø{} at Z{top:.1} {} drilled without a spot: {} does not get in there",
                not.len(),
                len(shop::tool::trim(d)),
                if not.len() == 1 { "is" } else { "are" },
                spot.words(),
                top = len(top)
            );
            let why = "The drill may wander at its start: begin with a short stiff drill, or peck the first half diameter slowly.";
            self.name_left(&Region::union_all(&holes), tip, top + 0.05, Kind::NoSpot, &key, what, why);
            // It leaves nothing.
            self.notes.extend(self.named.pop());
        }
        let at: Vec<DVec2> = clear.iter().map(|h| h.hole.at).collect();
        if at.is_empty() {
            return;
        }
        let wide = 2.0 * depth * lean;
        let says = "wide at the end of the spot, smaller than the drill";
        let s = if at.len() == 1 { "" } else { "s" };
        let op = HoleOp {
            kind: OpKind::Spot,
            id: Self::id(OpKind::Spot, &key),
            title: format!("Spot {} hole{s} for drill Ø{}", at.len(), len(shop::tool::trim(d))),
            at,
            bottom: tip,
            top,
            why: "A spot guides the drill; it stays smaller than the hole",
            early,
            size_why: vec![Term::new("d", says, wide, "mm")],
        };
        self.drill_op(op, &spot, Some(wide));
    }

    fn drill_group(&mut self, g: &[&Drilled], early: bool) {
        let tool = g[0].drill.clone();
        let at: Vec<DVec2> = g.iter().map(|h| h.hole.at).collect();
        let id = Self::id(OpKind::Drill, &self.group_key(g));
        let through = if g[0].hole.end == HoleEnd::Open { " through" } else { "" };
        let then = g[0].then.as_ref().map_or_else(String::new, |i| format!(" for {}", i.wants));
        let title = format!("Drill {} × Ø{}{through}{then}", at.len(), len(shop::tool::trim(tool.diameter_mm)));
        let why = if early {
            "Before the wall beside it is cut thin: a hole is finished while there is material behind it"
        } else {
            "After the spot, and after the faces around it are cut, so that the drill starts on a finished floor"
        };
        let own = Term::new("D", if g[0].then.is_some() { "drill" } else { "as the hole" }, tool.diameter_mm, "mm");
        let meant = g[0].then.iter().flat_map(|i| &i.terms).cloned();
        let size_why = std::iter::once(own).chain(meant).collect();
        let (kind, bottom, top) = (OpKind::Drill, g[0].tip, g[0].hole.mouth_top());
        self.drill_op(HoleOp { kind, id, title, at, bottom, top, why, early, size_why }, &tool, None);
        for d in g {
            let radius = (d.hole.diameter / 2.0).at_most(tool.radius()) - 0.01;
            self.stock.cut(&Region::disc(d.hole.at, radius, 0.004), d.tip + tool.point_height());
        }
    }

    fn drill_op(&mut self, op: HoleOp, tool: &Tool, cuts_at: Option<f64>) {
        let o = self.override_of(&op.id);
        let mut data = drill(tool, cuts_at, op.top - op.bottom, self.side.material, &self.side.shop.machine);
        if let Some(v) = o.rpm {
            data.rpm.value = v;
            data.rpm.bound_by = "a person".into();
            data.rpm.source = Source::person().into();
        }
        if let Some(v) = o.feed {
            data.feed = v;
        }
        if let Some(v) = o.depth {
            data.peck = Some(v);
        }
        let cycle = data.peck.filter(|_| op.kind == OpKind::Drill).map_or(Cycle::Plain, Cycle::Peck);
        self.hole_op(op, tool, data, cycle, 1.0);
    }

    /// What goes into holes along their axes. `air`: at feed from so far over the mouth, mm.
    pub(crate) fn hole_op(&mut self, op: HoleOp, tool: &Tool, data: DrillData, cycle: Cycle, air: f64) {
        let HoleOp { kind, id, title, at, bottom, top, why, early, size_why } = op;
        let points = Self::order(&at);
        // Rapid to a little over the mouth, or over whatever still stands there.
        let over = points.iter().map(|&p| self.stock.clear_to(p, tool.radius() + 0.1)).fold(top, Sure::at_least) + air;
        let moves = vec![Move::Drill {
            at: points,
            clear: self.clear_z.at_least(over),
            start: over,
            bottom,
            cycle,
            feed: data.feed,
        }];
        let path = Toolpath {
            op: id.clone(),
            title: title.clone(),
            tool: tool.number,
            rpm: data.rpm.value,
            coolant: self.coolant(),
            engagement_limit: None,
            power_kw: None,
            moves,
        };
        let mut cutter_why = size_why;
        cutter_why.push(Term::new("depth/D", "depth by diameter", (top - bottom) / tool.diameter_mm, ""));
        self.ops.push(Operation {
            id,
            kind,
            title,
            tool: tool.number,
            bottom,
            top,
            order_why: why.into(),
            over: None,
            early,
            after_stop: 0,
            cutter_why,
            mill: None,
            drill: Some(data),
            path: Some(path),
        });
    }
}
