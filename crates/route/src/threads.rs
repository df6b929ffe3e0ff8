//! What follows the drill: threads by a tap or a thread mill, fits by a reamer, and which of them it is to be.

use crate::holes::{Drilled, HoleOp};
use crate::op::{Finished, FinishedHole, FinishedWay, OpKind};
use crate::setup::Work;
use cutting::{NUT_HEIGHT, ream, tap, thread_mill, thread_passes};
use geom::{Box3, DVec2, DVec3, Region};
use part::{Hole, HoleEnd, Intent, Made, OFF_FLOOR, Screw, made_question};
use path::motion::{Cycle, Move};
use path::thread::{ThreadCut, thread};
use reason::{Kind, Place, Source, Sure, Term, len};
use shop::standards::nut_tolerance;
use shop::tool::{Tool, ToolKind, trim};

/// A tap, a reamer stay so far above the end of what was drilled, mm (common practice, no source).
const ABOVE: f64 = 0.5;
/// What was drilled goes on so far beyond them, mm (common practice, no source).
pub(crate) const BEYOND: f64 = 0.2;
/// Below a part that stands on parallels there is so much room for a drill, mm: the lowest parallels are 6.
const UNDER: f64 = 4.0;
/// Threads up to this are cut by hand with a guide block, mm (common practice, no source).
const BY_HAND: f64 = 2.5;
/// From here a thread mill is preferred where a tap that breaks would be the end of the piece, mm (common practice, no source) …
const MILLED: f64 = 5.0;
/// … which is in what is as hard to cut as this, kc1.1 in N/mm²: stainless steel, titanium, tool steel (common practice, no source).
const HARD: f64 = 1900.0;
/// So many diameters of full thread hold as much as the screw; a longer one is not asked of a short tap (common practice, no source).
const ENOUGH: f64 = 1.5;
/// Of the tolerance of a nut thread its cutter may take this share (common practice, no source).
const LOOSE: f64 = 0.6;
/// In an open core a thread mill goes down so fast, mm/min (common practice, no source).
const DOWN: f64 = 1000.0;
/// Room for chips around a thread mill in the core, mm on the diameter (common practice, no source).
const CHIPS: f64 = 0.3;

/// What finishes a hole, and how deep.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Finisher {
    pub how: Made,
    pub tool: Option<Tool>,
    /// Lowest place of the tool.
    pub tip: f64,
    /// From here up it is full.
    pub full: f64,
    /// Below a through hole's end it wants so much drilled, mm.
    pub below: f64,
    /// What came into question.
    pub ways: Vec<FinishedWay>,
    pub why: String,
    pub by_person: bool,
}

/// A way that is possible; by hand without a tool.
#[derive(Clone)]
struct Able {
    how: Made,
    tool: Option<Tool>,
    tip: f64,
    full: f64,
    below: f64,
}

impl From<Able> for Finisher {
    fn from(a: Able) -> Finisher {
        let Able { how, tool, tip, full, below } = a;
        Finisher { how, tool, tip, full, below, ways: Vec::new(), why: String::new(), by_person: false }
    }
}

/// Lowest place of a tool, from where up it is full, and how much it wants drilled below a through hole, mm.
type Depths = (f64, f64, f64);

/// Where a hole ends for what follows the drill.
#[derive(Debug, Clone, Copy)]
pub(crate) enum End {
    /// It is open, and so much more may be drilled below it.
    Open { room: f64 },
    /// Its full diameter ends here.
    Blind(f64),
}

impl Work<'_, '_> {
    /// How much may be drilled below a through hole at its full diameter, by a drill with that point.
    pub(crate) fn room_below(&self, h: &Hole, point: f64) -> f64 {
        let hat = h.bottom - self.stock.bottom();
        let tip = if hat > 1.5 {
            hat - 1.0
        } else if self.side.mist {
            point
        } else {
            UNDER
        };
        tip - point
    }

    /// Do shank and holder stay clear of the part with the tool's end at `z`, `off` beside the axis at most?
    fn body_clears(&self, tool: &Tool, at: DVec2, z: f64, off: f64) -> bool {
        let view = self.side.view;
        tool.dead_body().iter().all(|&(r, from, _)| {
            let s = view.shadow(z + from + OFF_FLOOR);
            s.is_empty() || s.signed_distance(at) < -(r + off)
        })
    }

    /// How a hole that is more than drilled is finished.
    pub(crate) fn finisher(&self, h: &Hole, i: &Intent, end: End) -> Finisher {
        let (ways, able) = self.ways_of(h, i, end);
        let of = |how: Made| able.iter().find(|a| a.how == how);
        let hand = Able { how: Made::Hand, tool: None, tip: h.bottom, full: h.bottom, below: 0.0 };
        let wanted = match i.made {
            Some(Made::Hand) => Some((&hand, "A person wants it done by hand")),
            Some(how) => of(how).map(|a| (a, "A person wants it so")),
            None => None,
        };
        let by_person = wanted.is_some();
        let (a, mut why) = match wanted {
            Some((a, why)) => (a, why.to_string()),
            None => {
                let (a, why) = self.proposed(h, i, end, &ways, &able);
                (a.unwrap_or(&hand), why)
            }
        };
        if let Some(how) = i.made.filter(|_| !by_person) {
            why.push_str(&format!("; as a person wants it ({}) it cannot be made", how.key()));
        }
        Finisher { ways, why, by_person, ..a.clone().into() }
    }

    /// What comes into question, with why it cannot, and what of it can.
    fn ways_of(&self, h: &Hole, i: &Intent, end: End) -> (Vec<FinishedWay>, Vec<Able>) {
        let (mut ways, mut able) = (Vec::new(), Vec::new());
        let mut ask = |how: Made, tool: &Tool, got: Result<Depths, String>| {
            let mut way =
                FinishedWay { how, tool: tool.number, words: tool.words(), possible: got.is_ok(), why: String::new() };
            match got {
                Ok((tip, full, below)) => able.push(Able { how, tool: Some(tool.clone()), tip, full, below }),
                Err(why) => way.why = why,
            }
            ways.push(way);
        };
        let crib = &self.side.shop.crib;
        let Some(screw) = i.screw else {
            let own = crib.iter().filter(|t| t.kind == ToolKind::Reamer && (t.diameter_mm - i.drawn).abs() < 0.005);
            own.for_each(|t| ask(Made::Ream, t, self.reamed(h, t, end)));
            return (ways, able);
        };
        let of_pitch = |kind: ToolKind| crib.iter().filter(move |t| t.kind == kind && t.cuts_pitch(screw.pitch));
        for t in of_pitch(ToolKind::Tap).filter(|t| (t.diameter_mm - screw.major).abs() < 0.02) {
            ask(Made::Tap, t, self.tapped(h, screw, t, end));
        }
        // The largest that goes in is the stiffest; one for larger pitches cuts a little wide.
        let mut mills: Vec<&Tool> = of_pitch(ToolKind::ThreadMill).collect();
        let off = |t: &Tool| t.loose_by(screw.pitch);
        mills.sort_by(|a, b| off(a).total_cmp(&off(b)).then(b.diameter_mm.total_cmp(&a.diameter_mm)));
        mills.into_iter().for_each(|t| ask(Made::Mill, t, self.milled(h, screw, t, end)));
        (ways, able)
    }

    /// Which of them, and why: by what the machine is able to, then by risk. None: by hand.
    fn proposed<'t>(
        &self,
        h: &Hole,
        i: &Intent,
        end: End,
        ways: &[FinishedWay],
        able: &'t [Able],
    ) -> (Option<&'t Able>, String) {
        let of = |how: Made| able.iter().find(|a| a.how == how);
        let none = |size: &str, other: &str| {
            let why = if ways.is_empty() { size } else { other };
            (None, why.to_string())
        };
        let Some(s) = i.screw else {
            return match of(Made::Ream) {
                Some(r) => (Some(r), "A reamer makes the size; the hole's place is the drill's".into()),
                None => none("The crib has no reamer of that size", "The reamer cannot go there"),
            };
        };
        if s.major <= BY_HAND + 1e-9 {
            let why = format!("Up to M{BY_HAND} a tap in the spindle breaks too easily: by hand, with a guide block");
            return (None, why);
        }
        let whole = |a: &&Able| matches!(end, End::Blind(_)) || a.full <= h.bottom + 1e-6;
        let hard = self.side.material.kc11_mpa >= HARD && s.major >= MILLED;
        match (of(Made::Tap).filter(whole), of(Made::Mill).filter(whole)) {
            (Some(_), Some(m)) if hard => {
                let name = &self.side.material.name;
                let why = "breaks taps, and a broken one is the end of the piece; a thread mill comes out again";
                (Some(m), format!("{name} {why}"))
            }
            (Some(t), _) => (Some(t), "A tap is quick, and the spindle bears it".into()),
            (None, Some(m)) => (Some(m), "No tap can do it here".into()),
            (None, None) => match of(Made::Tap).or(of(Made::Mill)) {
                Some(a) => (Some(a), "The only way in the machine; its far end is not full".into()),
                None => none(
                    "The crib has no tap of that size and no thread mill for its pitch",
                    "Neither tap nor thread mill can do it here",
                ),
            },
        }
    }

    /// A tap's lowest place, where its thread is full, and what it wants below a through hole; or why it cannot.
    fn tapped(&self, h: &Hole, screw: Screw, t: &Tool, end: End) -> Result<Depths, String> {
        let machine = &self.side.shop.machine;
        if !machine.rigid_tapping && !t.floating {
            return Err("the control does not tap in step with its spindle, and the tap's holder does not give".into());
        }
        let data = tap(t, screw.pitch, self.side.material, machine);
        let bears = machine.usable_nm(data.rpm.value);
        if data.torque_nm > bears {
            return Err(format!(
                "blunt it asks {:.2} N m, and the spindle has {bears:.2} for use at {:.0} rpm",
                data.torque_nm, data.rpm.value
            ));
        }
        let lead = t.lead_mm();
        let (lowest, below) = match end {
            End::Open { room } => {
                let below = (lead + screw.pitch).at_most((room - BEYOND).at_least(0.0));
                (h.bottom - below, below)
            }
            End::Blind(z) => (z + ABOVE, 0.0),
        };
        // A shank thicker than the core stays out, so a short tap does not go deeper than its flutes.
        let slim = t.shank_diameter_mm < screw.minor - 0.1;
        let reach = if slim { t.stickout_mm - 2.0 } else { t.flute_length_mm };
        let tip = lowest.at_least(h.mouth_top() - reach);
        let full = tip + lead;
        let length = h.top - full;
        if length < ENOUGH * screw.major && tip > lowest + 1e-6 {
            return Err(format!(
                "its flutes reach {} mm of full thread only",
                len(format!("{:.1}", length.at_least(0.0)))
            ));
        }
        if length < screw.pitch {
            return Err(format!("the hole is too short for its lead of {} mm", len(format!("{lead:.1}"))));
        }
        if !self.body_clears(t, h.at, tip, 0.3) {
            return Err("its shank or its holder would touch the part".into());
        }
        Ok((tip, full, below))
    }

    /// The same of a thread mill.
    fn milled(&self, h: &Hole, screw: Screw, t: &Tool, end: End) -> Result<Depths, String> {
        if (screw.flanks_deg - 60.0).abs() > 0.1 {
            return Err(format!("its teeth have flanks of 60°, this thread has {:.0}°", screw.flanks_deg));
        }
        if t.diameter_mm > screw.minor - CHIPS {
            return Err(format!("it does not go into the core of Ø{} with its chips", len(trim(screw.minor))));
        }
        let (loose, most) = (t.loose_by(screw.pitch), nut_tolerance(screw.major, screw.pitch));
        if loose > LOOSE * most {
            return Err(format!(
                "its teeth are for coarser pitches: the thread would be {} mm wide on its flanks, of {} that 6H allows",
                len(format!("{loose:.3}")),
                len(format!("{most:.3}"))
            ));
        }
        let more = more_than(t, screw.pitch);
        // The helix has its radius a quarter of a turn after it has begun, and is full all around a turn later.
        let begins = more + 1.25 * screw.pitch;
        let (tip, below) = match end {
            End::Open { room } => (h.bottom - begins.at_most((room - BEYOND / 2.0).at_least(0.0)), begins),
            End::Blind(z) => (z + ABOVE, 0.0),
        };
        let full = tip + begins;
        if h.top - full < screw.pitch {
            return Err("the hole is too short for a thread".into());
        }
        let off = screw.major / 2.0 - t.radius();
        if !self.body_clears(t, h.at, tip, off + 0.1) {
            let depth = len(format!("{:.1}", h.mouth_top() - tip));
            return Err(format!("{depth} mm deep its neck or its holder would touch the part"));
        }
        Ok((tip, full, below))
    }

    /// The same of a reamer.
    fn reamed(&self, h: &Hole, t: &Tool, end: End) -> Result<Depths, String> {
        let lead = t.point_height();
        let (tip, below) = match end {
            End::Open { room } => {
                let below = (lead + ABOVE).at_most((room - BEYOND).at_least(0.0));
                (h.bottom - below, below)
            }
            End::Blind(z) => (z + ABOVE, 0.0),
        };
        let flutes_end = t.flute_length_mm < h.mouth_top() - tip && t.shank_diameter_mm > t.diameter_mm - 0.05;
        if flutes_end || !self.body_clears(t, h.at, tip, 0.3) {
            return Err(format!("it does not reach {} mm deep", len(format!("{:.1}", h.mouth_top() - tip))));
        }
        Ok((tip, tip + lead, below))
    }

    /// Threads and fits, late: after all that could push the piece or fill them with chips.
    pub(crate) fn finish_holes(&mut self, drilled: &[Drilled]) {
        let mut all: Vec<(Hole, Intent, Finisher)> = Vec::new();
        for h in self.side.view.holes().into_iter().filter(|h| self.is_mine(h.at)) {
            let Some(i) = self.intent_of(&h).cloned() else { continue };
            if self.full.contains(&h) {
                continue;
            }
            let own = drilled.iter().find(|d| d.hole == h).and_then(|d| d.finish.clone());
            let finisher = match own {
                Some(f) => f,
                // It was milled, by this side or by one before.
                None => {
                    let core = i.screw.map_or(i.drawn - 0.1, |s| s.minor) / 2.0;
                    let open = Region::disc(h.at, core.at_most(h.diameter / 2.0) - 0.05, 0.005);
                    if self.stock.between(h.bottom + 0.05, h.top).intersect(&open).area() > 0.02 * open.area() {
                        continue;
                    }
                    let end = if h.end == HoleEnd::Open {
                        End::Open { room: self.milled_room(&h, &open) }
                    } else {
                        End::Blind(h.bottom)
                    };
                    let f = self.finisher(&h, &i, end);
                    // There is more room below it once what held the first side is off.
                    let later = self.side.through_to.is_some() && h.end == HoleEnd::Open;
                    if later && f.tool.is_some() && f.full > h.bottom + 1e-6 {
                        continue;
                    }
                    f
                }
            };
            if !self.ring_is_there(&h, &i) {
                continue;
            }
            all.push((h, i, finisher));
        }
        let mut groups: Vec<Vec<(Hole, Intent, Finisher)>> = Vec::new();
        for f in all {
            let like = |o: &(Hole, Intent, Finisher)| {
                o.1.wants == f.1.wants
                    && o.2.how == f.2.how
                    && o.2.tool.as_ref().map(|t| t.number) == f.2.tool.as_ref().map(|t| t.number)
                    && (o.2.tip - f.2.tip).abs() < 1e-6
                    && (o.0.top - f.0.top).abs() < 1e-6
            };
            match groups.iter_mut().find(|g| like(&g[0])) {
                Some(g) => g.push(f),
                None => groups.push(vec![f]),
            }
        }
        // Reamers first: a fit wants a clean hole, a thread fills others with chips.
        groups.sort_by_key(|g| (g[0].2.how != Made::Ream, g[0].2.tool.as_ref().map(|t| t.number)));
        groups.iter().for_each(|g| self.finish_group(g));
    }

    /// Below a milled through hole it is open so far.
    fn milled_room(&self, h: &Hole, open: &Region) -> f64 {
        let lowest = self.stock.bottom();
        let full =
            self.stock.parts().filter(|p| p.1 <= h.bottom + 1e-6 && p.2.intersect(open).area() > 0.02 * open.area());
        let upper = full.map(|p| p.1).fold(f64::NEG_INFINITY, Sure::at_least);
        if upper.is_finite() {
            h.bottom - upper
        } else if lowest < h.bottom - 1.5 {
            h.bottom - lowest
        } else {
            UNDER
        }
    }

    /// Is what a tap or a reamer takes still there, or did a side before take it?
    fn ring_is_there(&self, h: &Hole, i: &Intent) -> bool {
        let drawn = h.diameter / 2.0;
        let (outer, inner) = match i.screw {
            Some(s) => {
                (s.major / 2.0 - 0.03, (s.minor / 2.0 + 0.05).at_least(drawn.at_most(s.major / 2.0 - 0.1) + 0.02))
            }
            None => (drawn - 0.012, drawn - 0.045),
        };
        let ring = Region::disc(h.at, outer, 0.003).minus(&Region::disc(h.at, inner, 0.003));
        let mid = f64::midpoint(h.bottom, h.top);
        let there = self.stock.between(mid - 0.1, mid + 0.1).intersect(&ring).area();
        ring.area() > 0.0 && there > 0.5 * ring.area()
    }

    fn finish_group(&mut self, g: &[(Hole, Intent, Finisher)]) {
        let (hole, intent, f) = &g[0];
        let wants = intent.wants.clone();
        let key = |h: &Hole| match h.end {
            HoleEnd::Open => self.axis_place(h.at),
            _ => self.place(h.at, h.bottom),
        };
        let first = g.iter().map(|(h, ..)| key(h)).min().unwrap_or_default();
        let name = reason::plain(&wants).replace([' ', '/'], "-");
        let group = format!("{name}@{first}");
        let holes = g.iter().map(|(h, i, f)| self.finished_hole(h, i, f)).collect();
        let Some(tool) = f.tool.clone() else {
            self.finished.push(Finished {
                question: made_question(&wants),
                wants,
                how: Made::Hand,
                operation: None,
                ways: f.ways.clone(),
                why: f.why.clone(),
                by_person: f.by_person,
                holes,
            });
            return;
        };
        let kind = match f.how {
            Made::Tap => OpKind::Tap,
            Made::Mill => OpKind::Thread,
            Made::Ream | Made::Hand => OpKind::Ream,
        };
        let id = Self::id(kind, &group);
        let n = g.len();
        let verb = match f.how {
            Made::Tap => "Tap",
            Made::Mill => "Mill the thread of",
            Made::Ream | Made::Hand => "Ream",
        };
        let title = format!("{verb} {n} × {wants}");
        let at: Vec<DVec2> = g.iter().map(|(h, ..)| h.at).collect();
        let top = hole.mouth_top();
        let mut why = vec![];
        if let Some(s) = intent.screw {
            why.push(Term::new("D₁", "outside of the thread", s.major, "mm"));
            why.push(Term::new("P", "pitch", s.pitch, "mm"));
            why.push(Term::new("l", "full thread from the mouth", top - f.full.at_least(hole.bottom), "mm"));
        }
        let order_why = match f.how {
            Made::Ream => "Late, before unclamping: the hole is drilled, and what could push the piece is cut",
            _ => {
                "Late, before unclamping: core and mouth are there, and no chips of others fall into it; try it before the piece is taken out"
            }
        };
        let o = self.override_of(&id);
        match (f.how, intent.screw) {
            (Made::Mill, Some(screw)) => {
                let (material, machine) = (self.side.material, &self.side.shop.machine);
                let steps = |w: f64| (NUT_HEIGHT * screw.pitch / w.at_least(0.01)).ceil().clamp(1.0, 12.0) as u32;
                let least = || thread_passes(&tool, screw.major, screw.pitch, material, machine);
                let passes = o.width.map_or_else(least, steps);
                let mut data = thread_mill(&tool, screw.major, screw.pitch, passes, material, machine);
                self.overrule(&mut data, &o, &tool);
                let wide = tool.loose_by(screw.pitch);
                if wide > 0.0 {
                    let says = "wider on the pitch diameter: its teeth are those of a coarser pitch";
                    why.push(Term::new("Δd₂", says, wide, "mm"));
                    why.push(Term::new("TD₂", "allowed for 6H", nut_tolerance(screw.major, screw.pitch), "mm"));
                }
                why.push(Term::new("i", "radial steps, by bending and power", f64::from(passes), ""));
                let cuts = Self::order(&at).into_iter().map(|p| ThreadCut {
                    at: p,
                    outside: screw.major / 2.0,
                    core: screw.minor / 2.0,
                    pitch: screw.pitch,
                    bottom: f.tip + more_than(&tool, screw.pitch),
                    top,
                    clear: self.clear_z,
                    radius: tool.radius(),
                    teeth: tool.flute_length_mm,
                    single: tool.least_pitch_mm.is_some(),
                    passes,
                    feed: data.feed.value,
                    plunge: DOWN.at_most(machine.feed_max_mm_min),
                });
                let moves: Vec<Move> = cuts.flat_map(|c| thread(&c)).collect();
                let op =
                    self.operation(kind, id.clone(), title, &tool, (f.tip, top), order_why, Some(data), moves, why);
                if let Some(mut op) = op {
                    // It is no side cut: what its teeth meet is the thread's height.
                    if let Some(p) = &mut op.path {
                        p.engagement_limit = None;
                    }
                    self.ops.push(op);
                }
            }
            (how, screw) => {
                let (material, machine) = (self.side.material, &self.side.shop.machine);
                let mut data = match screw {
                    Some(s) => tap(&tool, s.pitch, material, machine),
                    None => ream(&tool, intent.drawn - drilled_at(intent), material, machine),
                };
                if let Some(v) = o.rpm {
                    data.rpm.value = v;
                    (data.rpm.bound_by, data.rpm.source) = ("a person".into(), Source::person().into());
                    data.feed = v * data.feed_rev.value;
                }
                // A tap's feed is its pitch: only its speed is free.
                if let Some(v) = o.feed.filter(|_| how == Made::Ream) {
                    data.feed = v;
                }
                let cycle = if how == Made::Tap { Cycle::Tap } else { Cycle::Ream };
                // The spindle comes up to speed, and a floating holder settles, before the first thread.
                let air = screw.map_or(1.0, |s| (2.0 * s.pitch).at_least(3.0));
                let (id, bottom, early) = (id.clone(), f.tip, false);
                let op = HoleOp { kind, id, title, at, bottom, top, why: order_why, early, size_why: why };
                self.hole_op(op, &tool, data, cycle, air);
            }
        }
        for (h, i, f) in g {
            let radius = i.screw.map_or(h.diameter, |s| s.major) / 2.0 - 0.01;
            self.stock.cut(&Region::disc(h.at, radius, 0.004), f.full.at_least(h.bottom));
            let short = f.full - h.bottom;
            let blind_rest = h.end != HoleEnd::Open && i.made != Some(Made::Hand);
            // Drawn at its outside, or to be reamed: below the last full thread the hole stays narrower than drawn.
            let narrower = i.screw.is_none_or(|s| (h.diameter - s.major).abs() < 0.05);
            if short > 0.02 && (blind_rest && narrower || h.end == HoleEnd::Open) {
                let ring = Region::disc(h.at, h.diameter / 2.0 + 0.05, 0.01);
                let what =
                    format!("{}: full down to {} mm above the end of its hole", i.wants, len(format!("{short:.1}")));
                let why = match (f.how, h.end == HoleEnd::Open) {
                    (Made::Tap, true) => {
                        "Below the part there is no room for the tap's lead: turn a tap through by hand from the other side, or let a thread mill do it."
                    }
                    (Made::Tap, false) => {
                        "A tap's lead and a little room for chips stay at the bottom. A bottoming tap or a thread mill goes deeper."
                    }
                    _ => "A little room for chips stays at the bottom.",
                };
                let left =
                    self.left(&ring, h.bottom - 0.4 * h.diameter, f.full + 0.05, Kind::ThreadEnd, &group, what, why);
                // Where the model shows the core nothing is left of it.
                if narrower { self.name(left) } else { self.notes.push(left) }
            }
        }
        self.finished.push(Finished {
            question: made_question(&wants),
            wants,
            how: f.how,
            operation: Some(id),
            ways: f.ways.clone(),
            why: f.why.clone(),
            by_person: f.by_person,
            holes,
        });
    }

    fn finished_hole(&self, h: &Hole, i: &Intent, f: &Finisher) -> FinishedHole {
        let back = self.side.view.from_part.inverse();
        let r = i.screw.map_or(h.diameter, |s| s.major) / 2.0;
        let low = h.at.extend(f.tip) - DVec3::new(r, r, 0.0);
        let high = h.at.extend(h.mouth_top()) + DVec3::new(r, r, 0.0);
        let b = back.bounds(&Box3 { min: low, max: high });
        FinishedHole {
            place: Place::new(b.min, b.max),
            mouth_mm: back.point(h.at.extend(h.mouth_top())).to_array(),
            out: back.dir(DVec3::Z).to_array(),
            drawn_mm: h.diameter,
            full_mm: h.mouth_top() - f.full.at_least(h.bottom),
            reach_mm: h.mouth_top() - f.tip,
            major_mm: i.screw.map(|s| s.major),
            minor_mm: i.screw.map(|s| s.minor),
            pitch_mm: i.screw.map(|s| s.pitch),
        }
    }
}

/// Half of what a single row of teeth is higher than a pitch, mm.
fn more_than(t: &Tool, pitch: f64) -> f64 {
    if t.least_pitch_mm.is_some() { (t.flute_length_mm - pitch).at_least(0.0) / 2.0 } else { 0.0 }
}

/// Diameter at which a hole to be reamed was drilled, mm: the middle of what may be.
fn drilled_at(i: &Intent) -> f64 {
    i.drills.first().map_or(i.drawn - 0.2, |[a, b]| f64::midpoint(*a, *b))
}
