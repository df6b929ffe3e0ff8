//! Tilted between the jaws: the piece stands on a slope – an angle block, or a sine bar on gauge blocks – so that an inclined face or hole looks up.
//!
//! The jaws press on two walls that are parallel to the tilt; one flat of the part lies on the slope, its lowest end against the slope's stop. Where the walls bear
//! is found by rays across; what the hold bears is asked of the solver of all holds ([`statics`]). The zero comes from a gauge pin laid into the corner of slope and
//! stop, whose place follows from the angle.

use crate::frame::{Datum, Duty, Setup, Touched, TouchedWhen};
use crate::grip::JawRays;
use crate::hold::{Body, Demand, Fact, Gently, Hold, Holds, LEAST_N, too_weak};
use crate::seen::corners_of;
use crate::statics::{Contact, Push};
use crate::vise::{LOAD_MIN, NO_MARK, SEAT, TOUCH};
use crate::ways::{LEAST_GRIP, turn};
use geom::{DMat3, DVec2, DVec3, Placement, Region, hull};
use part::{OFF_FLOOR, Part, Surface, View, direction_words};
use reason::{Source, Sources, Sure, Term, len};
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::machine::{Material, Vise};
use shop::tilting::{Tilt, tilts};
use shop::tool::trim;
use std::collections::BTreeMap;
use ts_rs::TS;

/// Steeper than this a piece slides and tips before it is clamped, rad (common practice, no source).
const STEEPEST: f64 = std::f64::consts::PI / 3.0;
/// A flat nearer to level than this needs no slope, rad.
const LEVEL: f64 = 1e-3;
/// Jaws end below the lowest cut by this, mm.
const CLEAR: f64 = 1.0;
/// Less of the walls in the jaws is no grip, mm².
const LEAST_AREA: f64 = 30.0;
/// Less flat on the slope is no seat, mm².
const LEAST_SEAT: f64 = 30.0;
/// A slope carries a piece over so much of its length at least, mm.
const LEAST_LENGTH: f64 = 8.0;
/// What is cut so near to where a piece lies goes through, mm.
const THROUGH: f64 = 3.0;
/// Thickness of the stop, mm.
const STOP: f64 = 4.0;
/// The gauge pin, mm.
const PIN: f64 = 8.0;
/// Directions are square to one another within this.
const SQUARE: f64 = 1e-6;

/// A piece on a slope between the jaws, in the work coordinates of its setup: z 0 is its lowest point, y 0 the fixed jaw.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Tilted {
    /// What the jaws take of it.
    pub on: String,
    /// The vise.
    pub vise: String,
    /// What sets the angle.
    pub tilt: Tilt,
    /// The angle, rad.
    pub angle: f64,
    /// Its flat that lies on the slope, in words.
    pub seat_words: String,
    /// The stop is clamped so far up the slope from its lower end, mm.
    pub stop_at: f64,
    /// Its middle stands so far in front of the fixed jaw, mm.
    pub in_front_of_jaw: f64,
    /// Height of the parallels under the slope, mm; 0 where it stands on the vise's bed.
    pub parallels: f64,
    /// Jaw opening, mm.
    pub opening: f64,
    /// Top of the jaws, mm.
    pub jaw_top: f64,
    /// Of the walls in the jaws, mm².
    pub area: f64,
    /// What stands above the jaws, mm.
    pub above: f64,
    /// How hard the vise is closed, kN.
    pub clamp_kn: f64,
    /// What it would give, kN.
    pub clamp_full_kn: f64,
    /// Where the walls bear: corners, x and z, mm.
    #[ts(type = "[number, number][]")]
    pub walls: Vec<DVec2>,
    /// Corners of what lies on the slope, and the direction out of it into the piece.
    #[ts(type = "[number, number, number][]")]
    pub seat: Vec<DVec3>,
    /// See `seat`.
    #[ts(type = "[number, number, number]")]
    pub seat_normal: DVec3,
    /// The slope runs down to the left.
    pub down_to_the_left: bool,
    /// Middle of the gauge pin (x) and its top (z), mm.
    pub pin: [f64; 2],
    /// From the corner of slope and stop to the furthest point of the piece, mm.
    pub reach: f64,
    /// Jaws, slope, parallels.
    pub bodies: Vec<Body>,
    /// Terms of the check.
    pub terms: Vec<Term>,
}

/// What is asked of a tilted setup.
pub(crate) struct Sloped<'a> {
    pub part: &'a Part,
    pub shop: &'a Shop,
    pub material: &'a Material,
    /// Up in it, part coordinates.
    pub up: DVec3,
    /// What is cut in it, part coordinates.
    pub cuts: &'a [DVec3],
}

/// One way to stand it: along the jaws, and on which flat.
struct Stand {
    frame: Placement,
    /// Out of the flat that lies on the slope, part coordinates.
    seat: DVec3,
    angle: f64,
}

/// Directions of flats, each once.
fn flats(part: &Part) -> Vec<DVec3> {
    let mut out: Vec<DVec3> = Vec::new();
    for f in &part.faces {
        if let Surface::Plane { normal, .. } = f.surface
            && out.iter().all(|o| o.dot(normal) < 1.0 - SQUARE)
        {
            out.push(normal);
        }
    }
    out
}

/// Every way to stand a part with `up` up: walls along the jaws' faces, and a flat that looks down.
fn stands(part: &Part, up: DVec3) -> Vec<Stand> {
    let all = flats(part);
    let parallel = |d: DVec3| all.iter().any(|o| o.dot(d) < -1.0 + SQUARE);
    let mut backs: Vec<DVec3> = Vec::new();
    for d in all.iter().filter(|d| d.dot(up).abs() < SQUARE && parallel(**d)) {
        if backs.iter().all(|b| b.dot(*d).abs() < 1.0 - SQUARE) {
            backs.push(*d);
        }
    }
    let mut out = Vec::new();
    for back in backs {
        for &seat in all.iter().filter(|s| s.dot(back).abs() < SQUARE) {
            let angle = seat.dot(-up).clamp(-1.0, 1.0).acos();
            if angle > LEVEL && angle < STEEPEST {
                // The fixed jaw takes the wall that leaves the slope falling to the left, where the stop is.
                for back in [back, -back] {
                    let turned = Placement { turn: turn(up, back), shift: DVec3::ZERO };
                    let view = View::new(part, turned.inverse());
                    let b = view.bounds;
                    let origin = DVec3::new(b.min.x, b.max.y, b.min.z);
                    let frame = Placement { shift: turned.point(origin), ..turned };
                    if frame.inverse().dir(seat).x < 0.0 {
                        continue;
                    }
                    out.push(Stand { frame, seat, angle });
                }
            }
        }
    }
    out
}

/// Tilted in the shop's vise, with the frame in which it stands; or why not.
pub(crate) fn design(a: &Sloped) -> Result<(Placement, Tilted), String> {
    if a.shop.angle_blocks.is_none() && a.shop.sine_bars.is_empty() {
        return Err("the shop has neither angle blocks nor a sine bar".into());
    }
    let stands = stands(a.part, a.up);
    if stands.is_empty() {
        return Err("it has no two parallel walls square to the tilt, with a flat between them to stand on".into());
    }
    let mut best: Option<(f64, Placement, Tilted)> = None;
    let mut why = String::new();
    for s in &stands {
        match held(a, s) {
            Ok(t) => {
                let worth = t.area * t.clamp_kn / (1.0 + s.angle);
                if best.as_ref().is_none_or(|b| worth > b.0) {
                    best = Some((worth, s.frame, t));
                }
            }
            Err(w) => why = w,
        }
    }
    best.map(|(_, frame, t)| (frame, t)).ok_or(why)
}

fn held(a: &Sloped, s: &Stand) -> Result<Tilted, String> {
    let deg = (s.angle.to_degrees() * 1e6).round() / 1e6;
    let ways = tilts(a.shop.angle_blocks.as_ref(), &a.shop.sine_bars, deg);
    let mut why = format!("neither angle blocks nor sine bars give {deg:.2}°");
    for tilt in ways {
        match held_on(a, s, tilt, deg) {
            Ok(t) => return Ok(t),
            Err(w) => why = w,
        }
    }
    Err(why)
}

fn held_on(a: &Sloped, s: &Stand, tilt: Tilt, deg: f64) -> Result<Tilted, String> {
    let vise = &a.shop.vise;
    let work = s.frame.inverse();
    let view = View::new(a.part, work);
    let b = view.bounds;
    let opening = b.size().y;
    if opening > vise.opening_mm {
        return Err(format!(
            "the vise opens {} mm, and it is {:.0} mm between its walls",
            len(trim(vise.opening_mm)),
            len(opening)
        ));
    }
    let out_of_it = work.dir(s.seat);
    // Down the slope, square to what lies on it.
    let down = DVec3::new(out_of_it.z, 0.0, -out_of_it.x);
    let down = if down.z > 0.0 { -down } else { down };
    let furthest = |d: DVec3| view.mesh.points.iter().map(|p| p.dot(d)).fold(f64::NEG_INFINITY, Sure::at_least);
    let corner = out_of_it * furthest(out_of_it) + down * furthest(down);
    if tilt.width_mm > opening {
        return Err(format!("it is {:.0} mm between its walls, and what would set the angle is wider", len(opening)));
    }
    let seated = out_of_it * furthest(out_of_it);
    let through: Vec<f64> = a
        .cuts
        .iter()
        .map(|p| work.point(*p))
        .filter(|p| (seated - *p).dot(out_of_it) < THROUGH)
        // With the part around it.
        .filter(|p| view.shadow((p.z * 2.0).floor() / 2.0 + 1.0).filled().contains(p.truncate()))
        .map(|p| p.y)
        .collect();
    let Some(middle) = beside(&through, opening, tilt.width_mm) else {
        return Err("what goes right through it would be cut into what it stands on".into());
    };
    let limit = lowest_open(&view, a.cuts) - CLEAR;
    // The upper end of the slope stays below what is cut: the stop goes so far up it.
    let under = (limit - corner.z) / s.angle.sin();
    let stop_at = (tilt.length_mm - under).at_least(STOP).ceil();
    if stop_at > tilt.length_mm - LEAST_LENGTH {
        return Err(format!("{} would stand higher than what is cut", tilt.words));
    }
    let seat = seat_on(a.part, s, &tilt, stop_at, corner, down, middle)?;
    let low = tilt.low_mm + stop_at * s.angle.sin();
    let top = |parallels: f64| corner.z - low - parallels + vise.jaw_height_mm;
    let mut heights: Vec<f64> = std::iter::once(0.0).chain(vise.parallels_mm.iter().copied()).collect();
    heights.sort_by(f64::total_cmp);
    let Some(parallels) = heights.into_iter().find(|h| top(*h) <= limit) else {
        return Err("the jaws would stand higher than what is cut".into());
    };
    let jaw_top = top(parallels);
    let (cells, cell) = JawRays::of(&view).bearing(b.min.z, jaw_top);
    let ends = |f: fn(f64, f64) -> f64, start: f64| cells.iter().map(|c| c.x).fold(start, f);
    let (x0, x1) = (ends(Sure::at_most, f64::INFINITY), ends(Sure::at_least, f64::NEG_INFINITY));
    let along = if x0 < x1 { f64::midpoint(x0, x1) } else { b.middle().x };
    let cells: Vec<DVec2> = cells.into_iter().filter(|c| (c.x - along).abs() <= vise.jaw_width_mm / 2.0).collect();
    let area = cells.len() as f64 * cell * cell;
    if area < LEAST_AREA || jaw_top < LEAST_GRIP {
        return Err(format!("only {area:.0} mm² of its walls lie in the jaws below what is cut"));
    }
    let walls = hull(cells);
    let allowed = NO_MARK * a.material.yield_mpa * area / 1000.0;
    let clamp_kn = allowed.at_most(vise.clamp_kn);
    let inside = corner - (out_of_it + down) * (PIN / 2.0);
    let reach = view.mesh.points.iter().map(|p| DVec2::new(p.x - corner.x, p.z - corner.z).length());
    let mut t = Tilted {
        on: "finished walls".into(),
        vise: vise.name.clone(),
        angle: s.angle,
        seat_words: direction_words(s.seat),
        stop_at,
        in_front_of_jaw: -middle,
        parallels,
        opening,
        jaw_top,
        area,
        above: b.max.z - jaw_top,
        clamp_kn,
        clamp_full_kn: vise.clamp_kn,
        walls,
        seat,
        seat_normal: -out_of_it,
        down_to_the_left: down.x < 0.0,
        pin: [inside.x, inside.z + PIN / 2.0],
        reach: reach.fold(0.0, Sure::at_least),
        bodies: Vec::new(),
        terms: vec![
            Term::new("A", "of its walls lie in the jaws (by rays across)", area, "mm²"),
            Term::new("F", "clamp force", clamp_kn * 1000.0, "N"),
            Term::new("F max", "that the vise gives", vise.clamp_kn * 1000.0, "N"),
            Term::new(
                "p max",
                "half the yield, so that no mark is left (common practice, no source)",
                NO_MARK * a.material.yield_mpa,
                "N/mm²",
            ),
            Term::new("α", "angle of the slope", deg, "°"),
        ],
        tilt,
    };
    t.bodies = t.own_bodies(vise, corner, down, middle, along);
    if let Some(n) = too_weak(&t.contacts(a.material.friction), &b) {
        return Err(format!(
            "at its top, {:.0} mm over the jaws, it would bear {n:.0} N across, and a light cut asks for {LEAST_N:.0}",
            len(t.above)
        ));
    }
    Ok(t)
}

/// Where a slope stands between the jaws (y 0 the fixed one, towards −y), as near to the middle as nothing that is cut through comes down on it.
fn beside(through: &[f64], opening: f64, width: f64) -> Option<f64> {
    const APART: f64 = 0.3;
    let free = |y: &f64| through.iter().all(|t| (t - y).abs() > width / 2.0 + APART);
    let room = ((opening - width) / 2.0).floor().at_least(0.0) as i32;
    let offsets = (0..=room).flat_map(|k| [k, -k]).map(f64::from);
    offsets.map(|off| off - opening / 2.0).find(free)
}

/// The lowest place that is cut and lies open to the outside: in a bore or a pocket a cutter meets no jaw.
fn lowest_open(view: &View, cuts: &[DVec3]) -> f64 {
    const STEP: f64 = 0.5;
    let mut by_height: BTreeMap<i64, Vec<DVec2>> = BTreeMap::new();
    for p in cuts.iter().map(|p| view.from_part.point(*p)) {
        by_height.entry((p.z / STEP).floor() as i64).or_default().push(p.truncate());
    }
    let open = |(k, at): &(&i64, &Vec<DVec2>)| {
        let around = view.shadow((**k as f64 + 1.0) * STEP).filled();
        at.iter().any(|p| !around.contains(*p))
    };
    by_height.iter().find(open).map_or(view.bounds.max.z, |(k, _)| *k as f64 * STEP).at_most(view.bounds.max.z)
}

/// Corners of what lies on the slope, work coordinates, mm.
fn seat_on(
    part: &Part,
    s: &Stand,
    tilt: &Tilt,
    stop_at: f64,
    corner: DVec3,
    down: DVec3,
    middle: f64,
) -> Result<Vec<DVec3>, String> {
    // Seen square to the flat: x down the slope or up it, y along the jaws' travel.
    let back = s.frame.dir(DVec3::Y);
    let onto = Placement { turn: turn(s.seat, back), shift: DVec3::ZERO };
    let view = View::new(part, onto.inverse());
    let top = view.bounds.max.z;
    let flat = view.shadow(top - OFF_FLOOR);
    let over = onto.inverse().after(&s.frame);
    let (at, to, y) = (over.point(corner), over.dir(down), over.point(DVec3::Y * middle).y);
    let far = at.x - to.x * (tilt.length_mm - stop_at);
    let half = tilt.width_mm / 2.0;
    let strip = Region::rect(DVec2::new(at.x.at_most(far), y - half), DVec2::new(at.x.at_least(far), y + half));
    let lies = flat.intersect(&strip).without_specks(1.0);
    if lies.area() < LEAST_SEAT {
        return Err(format!(
            "only {:.0} mm² of its {} face would lie on the slope",
            lies.area(),
            direction_words(s.seat)
        ));
    }
    let back = over.inverse();
    Ok(corners_of(&lies, top).into_iter().map(|p| back.point(p)).collect())
}

impl Tilted {
    fn own_bodies(&self, vise: &Vise, corner: DVec3, down: DVec3, middle: f64, along: f64) -> Vec<Body> {
        let bed = corner.z - self.tilt.low_mm - self.stop_at * self.angle.sin() - self.parallels;
        let (x0, x1) = (along - vise.jaw_width_mm / 2.0, along + vise.jaw_width_mm / 2.0);
        let named = |name: &str, y0: f64, y1: f64, z0: f64, z1: f64| Body {
            in_front: y1 < -0.5 * self.opening,
            ..Body::boxed(name, DVec3::new(x0, y0, z0), DVec3::new(x1, y1, z1))
        };
        let t = vise.jaw_thickness_mm;
        let mut out = vec![
            named("fixed jaw", 0.0, t, bed, self.jaw_top),
            named("moving jaw", -self.opening - t, -self.opening, bed, self.jaw_top),
        ];
        // The slope with its stop, seen along the jaws' travel: x and z.
        let flat = |p: DVec3| DVec2::new(p.x, p.z);
        let (c, down) = (flat(corner), flat(down));
        let up = flat(self.seat_normal);
        let foot = bed + self.parallels;
        let (low, stop) = (c + down * self.stop_at, c + down * STOP);
        let high = c - down * (self.tilt.length_mm - self.stop_at);
        let outline = [
            DVec2::new(low.x, foot),
            low,
            stop,
            stop + up * self.tilt.stop_mm,
            c + up * self.tilt.stop_mm,
            c,
            high,
            DVec2::new(high.x, foot),
        ];
        let (name, half) =
            (if self.tilt.stack_mm.is_some() { "sine bar" } else { "angle block" }, self.tilt.width_mm / 2.0);
        let ends = [middle - half, middle + half];
        // Prisms along y: their x is the work's x, their y its z.
        let lies = Placement { turn: DMat3::from_cols(DVec3::X, DVec3::Z, -DVec3::Y), shift: DVec3::ZERO };
        let (lo, hi) = outline.iter().fold((outline[0], outline[0]), |(lo, hi), p| (lo.min(*p), hi.max(*p)));
        let mut region = Region::from_loops([&outline[..]]);
        if region.area() < 1.0 {
            region = Region::rect(lo, hi);
        }
        out.push(Body {
            layers: vec![(-ends[1], -ends[0], region.loops())],
            lies: Some(lies),
            ..Body::boxed(name, DVec3::new(lo.x, ends[0], lo.y), DVec3::new(hi.x, ends[1], hi.y))
        });
        if self.parallels > 0.0 {
            let w = vise.parallel_width_mm;
            for (name, y) in [("back parallel", ends[1] - w), ("front parallel", ends[0])] {
                let b = Body::boxed(name, DVec3::new(lo.x, y, bed), DVec3::new(hi.x, y + w, foot));
                out.push(b);
            }
        }
        out
    }
    pub(crate) fn contacts(&self, friction: f64) -> Vec<Contact> {
        let wall = |name: &str, y: f64, normal: DVec3, push: Push| Contact {
            name: name.into(),
            at: self.walls.iter().map(|p| DVec3::new(p.x, y, p.y)).collect(),
            normal,
            normals: Vec::new(),
            friction,
            push,
        };
        vec![
            wall("fixed jaw", 0.0, -DVec3::Y, Push::Passive),
            wall("moving jaw", -self.opening, DVec3::Y, Push::Clamp(self.clamp_kn * 1000.0)),
            // What it lies on only bears: nothing presses it down.
            Contact {
                name: "slope".into(),
                at: self.seat.clone(),
                normal: self.seat_normal,
                normals: Vec::new(),
                friction: 0.0,
                push: Push::Passive,
            },
        ]
    }
    fn middle(&self) -> DVec2 {
        let n = self.walls.len().max(1) as f64;
        DVec2::new(self.walls.iter().map(|p| p.x).sum::<f64>() / n, -self.opening / 2.0)
    }
    pub(crate) fn holds(&self, friction: f64, d: &Demand) -> Vec<Holds> {
        vec![Holds::together(&self.contacts(friction), self.middle(), "lowest point", d)]
    }
    pub(crate) fn grounds(&self, friction: f64, d: &Demand) -> (Vec<Term>, Sources) {
        let mut terms = self.terms.clone();
        terms.push(Term::new("μ", "friction of the material on a jaw", friction, ""));
        terms.extend(d.terms());
        let rule = "forces within the friction cones of the jaws, and the slope's push, that balance the cut at the worst place and direction, by a linear programme";
        (terms, Sources(vec![Source::derived(rule), Source::practice("twice is asked for")]))
    }
    fn is_gentle(&self) -> bool {
        self.clamp_kn < 0.95 * self.clamp_full_kn
    }
    pub(crate) fn gently(&self, material: &Material) -> Option<Gently> {
        let full = self.clamp_full_kn;
        self.is_gentle().then(|| {
            let what = format!("Close the vise with {:.1} kN only, not the {full:.0} kN that it gives", self.clamp_kn);
            let why = format!(
                "{:.0} mm² of each wall bear; {} yields at {:.0} N/mm², and half of that leaves no mark.",
                self.area, material.name, material.yield_mpa
            );
            (what, why)
        })
    }
    pub(crate) fn hold_better(&self) -> String {
        format!(
            "Closed with {:.1} kN on {:.0} mm² it holds less than twice (common practice, no source): take less depth.",
            self.clamp_kn, self.area
        )
    }
    pub(crate) fn error(&self) -> Vec<Term> {
        let lean = self.tilt.error_rad * self.reach;
        vec![
            Term::new("", "x, the angle of the slope over the piece", lean, "mm"),
            Term::new("", "y, seat against the fixed jaw", SEAT, "mm"),
            Term::new("", "z, the angle of the slope over the piece", lean, "mm"),
        ]
    }
    /// Play, and the span over which it may turn the piece, mm.
    pub(crate) fn turn(&self) -> [f64; 2] {
        let x = |f: fn(f64, f64) -> f64, start: f64| self.walls.iter().map(|p| p.x).fold(start, f);
        [SEAT, x(Sure::at_least, f64::NEG_INFINITY) - x(Sure::at_most, f64::INFINITY)]
    }
    fn side(&self) -> &'static str {
        if self.down_to_the_left { "left" } else { "right" }
    }
    pub(crate) fn actions(&self, _: &Duty, up: &str) -> Vec<String> {
        let on = match self.parallels {
            p if p > 0.0 => format!("on parallels of {} mm", len(trim(p))),
            _ => "on the vise's bed".into(),
        };
        let stack = self
            .tilt
            .stack_mm
            .map_or_else(String::new, |s| format!(", {:.3} mm of gauge blocks under its upper roller", len(s)));
        let mut out = vec![
            format!(
                "Vise: {}{stack}, {on}, its middle {} mm in front of the fixed jaw, lower end to the {}, its stop clamped {} mm up from there; opening {} mm",
                self.tilt.words,
                len(trim(self.in_front_of_jaw)),
                self.side(),
                len(trim(self.stop_at)),
                len(trim((self.opening * 100.0).round() / 100.0))
            ),
            format!(
                "Stand it up: {up} of the part is up. Its {} face lies on the slope, its lower end against the stop, a finished wall against the fixed jaw",
                self.seat_words
            ),
        ];
        if self.is_gentle() {
            out.push(format!("Close it with {:.1} kN only: more leaves marks", self.clamp_kn));
        }
        out.push("Tap it down on the slope, then indicate a finished face along it: it must read the angle".into());
        out
    }
    pub(crate) fn facts(&self) -> Vec<Fact> {
        let force = if self.is_gentle() {
            format!("not the {:.0} kN it gives: more leaves marks", self.clamp_full_kn)
        } else {
            format!("all of the {}", self.vise)
        };
        let mut out = vec![
            Fact::new("Tilted by", self.angle.to_degrees(), "°", &[], self.tilt.words.clone()),
            Fact::new(
                "Walls in the jaws",
                self.area,
                "mm²",
                &self.terms,
                format!("of each, its {} face on the slope", self.seat_words),
            ),
            Fact::new("Opening", self.opening, "mm", &[], ""),
            Fact::new("Close it with", self.clamp_kn, "kN", &self.terms, force),
            Fact::new("Above the jaws", self.above, "mm", &[], ""),
        ];
        if let Some(stack) = self.tilt.stack_mm {
            let why = [Term::new("α", "angle of the slope", self.angle.to_degrees(), "°")];
            out.insert(
                1,
                Fact::new("Gauge blocks", stack, "mm", &why, "under the upper roller: rollers' distance × sin α"),
            );
        }
        if self.parallels > 0.0 {
            out.push(Fact::new("Parallels under it", self.parallels, "mm", &[], ""));
        }
        out
    }
    pub(crate) fn minutes(&self) -> f64 {
        2.0 * LOAD_MIN
    }
    pub(crate) fn needs(&self) -> Vec<String> {
        let mut out = vec![self.vise.clone(), self.tilt.words.clone(), format!("gauge pin Ø{}", len(trim(PIN)))];
        if self.tilt.stack_mm.is_some() {
            out.push("gauge blocks".into());
        }
        if self.parallels > 0.0 {
            out.push(format!("parallels {} mm", len(trim(self.parallels))));
        }
        out
    }
    /// Work zero when the vise stands in the middle of the table.
    pub(crate) fn zero_in_machine(&self, shop: &Shop) -> DVec3 {
        let m = &shop.machine;
        let [x, y] = m.middle_mm();
        let jaws =
            self.bodies.first().map_or(DVec3::ZERO, |b| DVec3::new(f64::midpoint(b.min.x, b.max.x), 0.0, b.min.z));
        DVec3::new(x - jaws.x, y + self.opening / 2.0, -m.nose_to_table_mm + shop.vise.bed_height_mm - jaws.z)
    }
    pub(crate) fn datum(&self) -> [Datum; 3] {
        let [x, z] = self.pin;
        let pin = format!("gauge pin Ø{} in the corner of slope and stop, touched before loading", len(trim(PIN)));
        let touch = || Term::new("", "edge finder or gauge pin (common practice, no source)", TOUCH, "mm");
        let seat = || Term::new("", "seat on the slope and against its stop", SEAT, "mm");
        let [lean_x, back, lean_z] =
            <[Term; 3]>::try_from(self.error()).unwrap_or_else(|_| [touch(), touch(), touch()]);
        [
            // The pin lies in the corner at the slope's lower end: only its other side is free.
            Datum::new("X", format!("{pin}: its middle is X {:.3}", len(x)), vec![touch(), seat(), lean_x]).at(
                Touched::face(
                    x + if self.down_to_the_left { PIN / 2.0 } else { -PIN / 2.0 },
                    self.down_to_the_left,
                    TouchedWhen::Empty,
                ),
            ),
            Datum::new(
                "Y",
                "face of the fixed jaw: touched by the edge finder before loading".into(),
                vec![touch(), back],
            )
            .at(Touched::face(0.0, false, TouchedWhen::Empty)),
            Datum::new("Z", format!("the same pin: its top is Z {:.3}", len(z)), vec![touch(), seat(), lean_z])
                .at(Touched::face(z, true, TouchedWhen::Empty)),
        ]
    }
    /// A setup that it holds.
    pub(crate) fn setup(self, name: &str, duty: Duty, frame: Placement, shop: &Shop) -> Setup {
        Hold::Tilted(Box::new(self)).setup(name, duty, frame, shop)
    }
}
