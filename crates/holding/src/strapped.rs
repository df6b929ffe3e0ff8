//! On the table itself, with a sheet below that is there to be cut: for plates that no vise opens for.
//!
//! First straps press on stock that stays at both ends, while all inside the outline is cut; then the program stops, screws go through the piece's own holes into the
//! sheet, and the outline is cut: the piece has not moved in between. A side that is cut later is held by such screws alone. Straps: preload of the stud by its torque,
//! shared by the lever between nose and heel; screws press, nothing but friction on the sheet holds ([`statics`]).

use crate::bond::SetBy;
use crate::frame::{Datum, Duty, Touched, TouchedWhen};
use crate::hold::{Body, Demand, FOR_EVER, Fact, Gently, Holds, most_borne};
use crate::plate::{bears_on, spread};
use crate::seen::{Asked, Seen, corners_of};
use crate::statics::{self, Contact, Push, screw_preload};
use crate::vise::{RAW, SEAT, TOUCH};
use geom::{Box3, DVec2, DVec3, Region, Slabs};
use part::{Hole, HoleEnd};
use reason::{Source, Sources, Sure, Term, len};
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::machine::Material;
use shop::table::{SheetScrew, Strap, Table, WasteSheet};
use shop::tool::trim;
use ts_rs::TS;

/// Between the outline and stock that stays at its ends, mm: the cutter goes round there.
pub(crate) const WAY_ROUND: f64 = 14.0;
/// Stock that stays is longer than the strap's reach by this, mm.
const NOSE: f64 = 1.0;
/// The sheet stands out behind and in front by this, and at the ends by this, mm: studs stand there.
const SHEET_RIM: [f64; 2] = [2.0, 15.0];
/// A strap lies on stock with its whole width and this much, mm.
const ON_STOCK: f64 = 2.0;
/// A heel's block is so long, mm.
const HEEL: f64 = 20.0;
/// Drawn of the table below the sheet, mm.
const TABLE: f64 = 25.0;
/// From a washer's rim to the outline, so that a cutter passes, mm.
const PASSES: f64 = 0.6;
/// So many screws are enough.
const MOST_SCREWS: usize = 8;
/// A hold that bears less across is no hold for a mill, N (common practice, no source).
const LEAST_N: f64 = 60.0;
/// Bores that a piece is set by lie apart by this at least, mm.
const BASELINE: f64 = 12.0;
/// A sheet of plywood is as flat as that where a piece is pressed on it, mm (common practice, no source).
const FLAT: f64 = 0.05;
/// To saw the sheet, lay it, and lay the piece on; for each strap and each screw, min (common practice, no source).
const LAY_MIN: f64 = 4.0;
const STRAP_MIN: f64 = 1.0;
const SCREW_MIN: f64 = 0.4;

/// Stock that the straps want at each end along the table, mm.
pub(crate) fn end_of(strap: &Strap) -> f64 {
    WAY_ROUND + strap.reach_mm + NOSE
}

/// A strap as it stands.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct StrapAt {
    /// Its slot along y, mm.
    pub y: f64,
    /// At the right end.
    pub right: bool,
    /// Middle of where its nose lies, mm.
    #[ts(type = "[number, number, number]")]
    pub nose: DVec3,
    /// It presses with this, N.
    pub force_n: f64,
}

/// A screw through a hole of the piece into the sheet.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct SheetScrewAt {
    /// Middle, mm.
    #[ts(type = "[number, number]")]
    pub at: DVec2,
    /// mm.
    pub diameter: f64,
    /// mm.
    pub length: f64,
    /// Of the piece's hole, mm.
    pub hole: f64,
    /// Where its washer lies, mm.
    pub seat: f64,
    /// Outside and thickness of the washer, mm.
    pub washer: [f64; 2],
    /// Diameter and height of its head, mm.
    pub head: [f64; 2],
    /// It presses with this at least, N.
    pub force_n: f64,
}

/// A piece on the table, in the work coordinates of its setup: z 0 is the sheet's top.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Strapped {
    /// What it takes of the piece.
    pub on: String,
    /// The sheet below.
    pub sheet: WasteSheet,
    /// The straps' sort; none where screws alone hold.
    pub strap: Option<Strap>,
    /// Straps at the ends.
    pub straps: Vec<StrapAt>,
    /// Screws: with straps, from the stop on.
    pub screws: Vec<SheetScrewAt>,
    /// Stops of the program that have been passed.
    pub stops: u32,
    /// By what it is located.
    pub set_by: SetBy,
    /// Area that lies on the sheet, mm².
    pub area_mm2: f64,
    /// Corners of that, mm.
    #[ts(type = "[number, number, number][]")]
    pub stands: Vec<DVec3>,
    /// Friction of the piece on the sheet.
    pub friction: f64,
    /// Top of what is clamped, mm.
    pub top: f64,
    /// Force across that the screws bear twice over at the piece's top, N.
    pub bears_n: f64,
    /// Table, sheet, straps and screws.
    pub bodies: Vec<Body>,
    /// Stock that stays at the ends, and straps or heads: what paths go round before the stop, and after it.
    #[serde(skip)]
    #[ts(skip)]
    around: [Vec<Body>; 2],
    /// Terms of the check.
    pub terms: Vec<Term>,
}

/// The thickest screw with the widest washer that a hole takes.
fn screw_for(h: &Hole, seen: &Seen, outline: &Region, shop: &Shop) -> Option<SheetScrewAt> {
    let mut all: Vec<&SheetScrew> = shop.sheet_screws.iter().filter(|s| s.count > 0).collect();
    all.sort_by(|p, q| q.diameter_mm.total_cmp(&p.diameter_mm).then(q.washer_mm[0].total_cmp(&p.washer_mm[0])));
    let seat = h.mouth_top();
    all.into_iter().find_map(|s| {
        let [outside, thick] = s.washer_mm;
        if h.diameter < s.diameter_mm + 0.3 || outline.signed_distance(h.at) < outside / 2.0 + PASSES {
            return None;
        }
        bears_on(h, outside, &seen.view)?;
        let through = seat - seen.view.bounds.min.z + thick;
        let length = s.lengths_mm.iter().copied().filter(|l| l - through >= s.engages_mm).reduce(Sure::at_most)?;
        Some(SheetScrewAt {
            at: h.at,
            diameter: s.diameter_mm,
            length,
            hole: h.diameter,
            seat,
            washer: s.washer_mm,
            head: s.head_mm,
            force_n: s.press_n,
        })
    })
}

/// Slots along y under straps at an end of a piece of this width, from its middle, mm: as many as find room, as far apart as they go.
fn slots_for(width: f64, strap: &Strap, table: &Table) -> Vec<f64> {
    let half = (width - strap.width_mm) / 2.0 - ON_STOCK;
    let mut slots = table.slots_mm.clone();
    slots.sort_by(f64::total_cmp);
    // The piece lies with its middle over a slot, or between two.
    let middles = slots.iter().copied().chain(slots.windows(2).map(|w| f64::midpoint(w[0], w[1])));
    let under = |m: f64| slots.iter().map(|s| s - m).filter(|y| y.abs() <= half).collect::<Vec<f64>>();
    let spread = |v: &[f64]| v.last().copied().unwrap_or(0.0) - v.first().copied().unwrap_or(0.0);
    let all = middles.map(|m| (m, under(m)));
    let best = all.max_by(|p, q| {
        let of = |(m, v): &(f64, Vec<f64>)| (v.len().min(2), spread(v), -m.abs());
        let (a, b) = (of(p), of(q));
        a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)).then(a.2.total_cmp(&b.2))
    });
    match best {
        // The outermost two are enough.
        Some((_, v)) if v.len() > 2 => vec![v[0], v[v.len() - 1]],
        Some((_, v)) => v,
        None => Vec::new(),
    }
}

/// For a setup, or why not. `block`: the raw block, work coordinates, where straps hold its ends first; else screws alone do.
pub(crate) fn design(a: &Asked, block: Option<&Box3>) -> Result<Strapped, String> {
    let (Some(table), true) = (&a.shop.table, a.shop.sheets.iter().any(|s| s.count > 0)) else {
        return Err("the shop says nothing of its table, or has no sheet to lay under".into());
    };
    let seen = Seen::of(a.part, &a.part_from_work);
    let b = seen.view.bounds;
    let whole = block.copied().unwrap_or(b);
    let size = whole.size();
    let fits = |s: &&WasteSheet| s.count > 0 && (0..2).all(|k| s.size_mm[k] >= size[k] + 2.0 * SHEET_RIM[k]);
    let Some(sheet) = a.shop.sheets.iter().find(fits) else {
        return Err(format!("it is {:.0} × {:.0} mm, larger than the sheets to lay under", len(size.x), len(size.y)));
    };
    let flat = seen.flats(b.min.z);
    if flat.area() < 200.0 {
        return Err("nothing of it lies flat on a sheet".into());
    }
    let outline = seen.view.shadow(b.min.z - 1.0).filled();
    let holes = seen.view.holes();
    let open = holes.iter().filter(|h| h.end == HoleEnd::Open && h.bottom < b.min.z + 1.0);
    let screws: Vec<SheetScrewAt> = open.filter_map(|h| screw_for(h, &seen, &outline, a.shop)).collect();
    let screws = spread(screws, |s| s.at, MOST_SCREWS);
    if screws.is_empty() {
        return Err(
            "it has no hole of its own through which a screw could hold it to the sheet while its outline is cut"
                .into(),
        );
    }
    let (strap, straps) = match block {
        None => (None, Vec::new()),
        Some(block) => {
            let Some(strap) = a.shop.straps.iter().find(|s| s.count >= 2) else {
                return Err("the shop has no two straps".into());
            };
            let high = size.z + sheet.size_mm[2];
            if high > strap.highest_mm {
                return Err(format!("{high:.0} mm are too high for the straps", high = len(high)));
            }
            let long = size.x + 2.0 * (strap.length_mm - strap.reach_mm);
            if long > table.size_mm[0] {
                return Err(format!(
                    "with straps at both ends it takes {long:.0} mm, and the table is {:.0} mm long",
                    len(table.size_mm[0]),
                    long = len(long)
                ));
            }
            let slots = slots_for(size.y, strap, table);
            let each = (strap.count as usize / 2).min(slots.len());
            if each == 0 {
                return Err("no slot of the table lies where a strap would reach it".into());
            }
            let lever = (strap.length_mm - strap.stud_from_nose_mm) / (strap.length_mm - strap.reach_mm / 2.0);
            let force_n = lever * screw_preload(strap.torque_nm, strap.stud_mm);
            let middle = block.middle();
            let at = [false, true].into_iter().flat_map(|right| slots[..each].iter().map(move |y| (right, *y)));
            let straps = at.map(|(right, y)| {
                let inwards = strap.reach_mm / 2.0;
                let x = if right { block.max.x - inwards } else { block.min.x + inwards };
                StrapAt { y: middle.y + y, right, nose: DVec3::new(x, middle.y + y, block.max.z), force_n }
            });
            (Some(strap.clone()), straps.collect())
        }
    };
    let set_by = if block.is_some() { SetBy::Edges } else { bores(&screws, &holes)? };
    let mut out = Strapped {
        on: if block.is_some() { RAW } else { "own holes" }.into(),
        sheet: sheet.clone(),
        strap,
        straps,
        screws,
        stops: 0,
        set_by,
        area_mm2: flat.area(),
        stands: corners_of(&flat, b.min.z),
        friction: a.material.friction,
        top: whole.max.z,
        bears_n: 0.0,
        bodies: Vec::new(),
        around: [Vec::new(), Vec::new()],
        terms: Vec::new(),
    };
    out.stand(table, &whole, block.is_some().then_some(&b));
    out.bears_n = most_borne(&out.screwed(), &b, "sheet");
    let force: f64 = out.screws.iter().map(|s| s.force_n).sum();
    out.terms = vec![
        Term::new("F", "all screws together, at the low end of what they press", force, "N"),
        Term::new("μ", "friction of the material on the sheet", out.friction, ""),
        Term::new("A", "area that lies on the sheet", out.area_mm2, "mm²"),
        Term::new("S", "force across that the screws bear twice over at its top", out.bears_n, "N"),
    ];
    if let (Some(s), Some(at)) = (&out.strap, out.straps.first()) {
        out.terms.push(Term::new("N", "each strap at its nose, by torque and lever", at.force_n, "N"));
        out.terms.push(Term::new("T", "torque of its nut", s.torque_nm, "N m"));
    }
    if out.bears_n < LEAST_N {
        return Err(format!(
            "{} screws bear {:.0} N across at its top, and a light cut asks for {LEAST_N:.0}",
            out.screws.len(),
            out.bears_n
        ));
    }
    Ok(out)
}

/// The two bores furthest apart that no screw takes.
fn bores(screws: &[SheetScrewAt], holes: &[Hole]) -> Result<SetBy, String> {
    let free: Vec<DVec2> =
        holes.iter().map(|h| h.at).filter(|p| screws.iter().all(|s| s.at.distance(*p) > 1e-3)).collect();
    let all: Vec<DVec2> = if free.len() >= 2 { free } else { holes.iter().map(|h| h.at).collect() };
    let pairs = all.iter().enumerate().flat_map(|(k, p)| all[k + 1..].iter().map(move |q| [*p, *q]));
    let best = pairs.max_by(|p, q| p[0].distance(p[1]).total_cmp(&q[0].distance(q[1])));
    match best.filter(|p| p[0].distance(p[1]) >= BASELINE) {
        Some(at) => Ok(SetBy::Bores { at }),
        None => Err("nothing says where it lies: it has no two bores that lie open".into()),
    }
}

impl Strapped {
    /// Bodies, and what paths go round. `part`: where the part lies in the block, if straps hold that.
    fn stand(&mut self, table: &Table, whole: &Box3, part: Option<&Box3>) {
        let [w, d, thick] =
            [whole.size().x + 2.0 * SHEET_RIM[0], whole.size().y + 2.0 * SHEET_RIM[1], self.sheet.size_mm[2]];
        let middle = whole.middle();
        let z0 = whole.min.z;
        let around = |half_x: f64, half_y: f64, low: f64, high: f64, name: &str| {
            let half = DVec2::new(half_x, half_y);
            Body::boxed(name, (middle.truncate() - half).extend(low), (middle.truncate() + half).extend(high))
        };
        let under = z0 - thick;
        let [long, deep] = table.size_mm;
        let mut bodies = vec![
            Body {
                may_cut: self.sheet.may_cut_mm,
                // With screws in it, it holds what they press on it.
                ..around(w / 2.0, d / 2.0, under, z0, "sheet")
            },
            around(long / 2.0, deep / 2.0, under - TABLE, under, "table"),
        ];
        let mut held = Vec::new();
        if let Some(strap) = &self.strap {
            for (k, s) in self.straps.iter().enumerate() {
                held.extend(strap_bodies(k + 1, strap, s, whole, under));
            }
        }
        // From the stop on, where straps hold first.
        let from = u32::from(self.strap.is_some());
        let heads: Vec<Body> = (self.screws.iter().enumerate()).map(|(k, s)| head(k + 1, s, from)).collect();
        // Stock that stays.
        let ends: Vec<Body> = part
            .map(|p| {
                let left = Body::boxed("left end", whole.min, whole.max.with_x(p.min.x - WAY_ROUND));
                let right = Body::boxed("right end", whole.min.with_x(p.max.x + WAY_ROUND), whole.max);
                [left, right].map(solid).to_vec()
            })
            .unwrap_or_default();
        let straps: Vec<Body> = held.iter().cloned().map(solid).collect();
        self.around = [
            [&ends[..], &straps, if from == 0 { &heads } else { &[] }].concat(),
            [&ends[..], &straps, &heads].concat(),
        ];
        bodies.extend(held);
        bodies.extend(heads);
        self.bodies = bodies;
    }
    /// What paths go round as far as the program has come.
    pub(crate) fn around(&self) -> &[Body] {
        &self.around[self.stops.min(1) as usize]
    }
    /// After so many stops.
    pub(crate) fn at_stop(mut self, stops: u32) -> Strapped {
        self.stops = stops;
        self
    }
    /// The most force across, N, that is borne twice over anywhere in a box; where straps hold that is no question.
    pub(crate) fn most_side(&self, within: &Box3) -> f64 {
        if self.by_straps() { f64::INFINITY } else { most_borne(&self.screwed(), within, "sheet") }
    }
    fn by_straps(&self) -> bool {
        self.strap.is_some() && self.stops == 0
    }
    fn on_sheet(&self) -> Contact {
        Contact {
            name: "sheet".into(),
            at: self.stands.clone(),
            normal: DVec3::Z,
            normals: Vec::new(),
            friction: self.friction,
            push: Push::Passive,
        }
    }
    /// Held by the screws alone.
    fn screwed(&self) -> Vec<Contact> {
        let screw = |s: &SheetScrewAt| {
            let half = s.washer[0] / 2.0;
            Contact {
                name: format!("screw Ø{}", trim(s.diameter)),
                at: statics::corners(s.at.extend(s.seat), DVec3::X * half, DVec3::Y * half),
                normal: -DVec3::Z,
                normals: Vec::new(),
                friction: 0.0,
                push: Push::Clamp(s.force_n),
            }
        };
        self.screws.iter().map(screw).chain([self.on_sheet()]).collect()
    }
    pub(crate) fn contacts(&self, _: f64) -> Vec<Contact> {
        let Some(strap) = self.strap.as_ref().filter(|_| self.by_straps()) else { return self.screwed() };
        let nose = |s: &StrapAt| Contact {
            name: "strap".into(),
            at: statics::corners(s.nose, DVec3::X * (strap.reach_mm / 2.0), DVec3::Y * (strap.width_mm / 2.0)),
            normal: -DVec3::Z,
            normals: Vec::new(),
            friction: self.friction,
            push: Push::Clamp(s.force_n),
        };
        self.straps.iter().map(nose).chain([self.on_sheet()]).collect()
    }
    pub(crate) fn holds(&self, friction: f64, d: &Demand) -> Vec<Holds> {
        let middle = self.stands.iter().sum::<DVec3>() / self.stands.len().max(1) as f64;
        vec![Holds::together(&self.contacts(friction), middle.truncate(), "sheet", d)]
    }
    pub(crate) fn grounds(&self, _: f64, d: &Demand) -> (Vec<Term>, Sources) {
        let mut terms = self.terms.clone();
        terms.extend(d.terms());
        let rule = "straps: T ÷ (0.2·d), less 30 %, times the lever of nose and heel; screws press, the sheet pushes with friction: forces that balance the cut at the worst place and direction, by a linear programme";
        let screws =
            Source::memory("withdrawal of screws in plywood, EN 1995-1-1; less than half of it is counted", 70);
        (terms, Sources(vec![Source::derived(rule), screws, Source::practice("twice is asked for")]))
    }
    pub(crate) fn gently(&self, _: &Material) -> Option<Gently> {
        None
    }
    pub(crate) fn hold_better(&self) -> String {
        "What presses it on the sheet holds less than twice (common practice, no source): put screws into more of its holes, or take less depth.".into()
    }
    pub(crate) fn error(&self) -> Vec<Term> {
        let sideways = |axis: &str| match self.set_by {
            SetBy::Bores { .. } => {
                Term::new("", &format!("{axis}, middle of a bore (common practice, no source)"), SEAT, "mm")
            }
            _ => Term::new("", &format!("{axis}, raw edges: only where the block lies"), 0.0, "mm"),
        };
        vec![
            sideways("x"),
            sideways("y"),
            Term::new("", "z, as flat as the sheet is (common practice, no source)", FLAT, "mm"),
        ]
    }
    /// Play, and the span over which it may turn the piece, mm.
    pub(crate) fn turn(&self) -> [f64; 2] {
        match &self.set_by {
            SetBy::Bores { at } => [2.0 * TOUCH, at[0].distance(at[1])],
            // All is cut in one holding.
            _ => [0.0, 1.0],
        }
    }
    fn screws_in_words(&self) -> String {
        let mut all: Vec<String> = self
            .screws
            .iter()
            .map(|s| {
                format!(
                    "screw {} × {} with washer Ø{}",
                    len(trim(s.diameter)),
                    len(trim(s.length)),
                    len(trim(s.washer[0]))
                )
            })
            .collect();
        all.sort();
        all.chunk_by(|a, b| a == b).map(|c| format!("{} × {}", c.len(), c[0])).collect::<Vec<_>>().join(", ")
    }
    /// What a person does where the program stops, one list for each stop.
    pub(crate) fn at_stops(&self) -> Vec<Vec<String>> {
        if self.strap.is_none() {
            return Vec::new();
        }
        let places: Vec<String> =
            self.screws.iter().map(|s| format!("X {:.1} Y {:.1}", len(s.at.x), len(s.at.y))).collect();
        vec![vec![
            "Blow the chips out of the holes and off the piece; the straps stay where they are".into(),
            format!(
                "{} through its own holes into the sheet, driven home: at {}",
                self.screws_in_words(),
                places.join(", ")
            ),
            "Try that nothing moves; then start again".into(),
        ]]
    }
    pub(crate) fn actions(&self, duty: &Duty, up: &str) -> Vec<String> {
        let first = self.bodies.first().map_or(DVec3::ZERO, |b| b.max - b.min);
        let mut out = vec![format!(
            "{}, sawn to {:.0} × {:.0} mm, on the clean table, its long side along X",
            self.sheet.name,
            len(first.x),
            len(first.y)
        )];
        match &self.strap {
            Some(strap) => {
                out.push("Lay the stock on it; its back edge is indicated along X".into());
                out.push(format!(
                    "{} straps, {} at each end: noses {} mm on the stock, step blocks a little higher than it, studs close to it; nuts with {} N m",
                    self.straps.len(),
                    self.straps.len() / 2,
                    len(trim(strap.reach_mm)),
                    trim(strap.torque_nm)
                ));
                for (k, lines) in self.at_stops().into_iter().enumerate() {
                    out.extend(lines.into_iter().map(|l| format!("At stop {}: {l}", k + 1)));
                }
            }
            None => {
                out.push(match duty {
                    Duty::Only(_) => format!("Stand it up: {up} of the part is up"),
                    _ => "Turn over about X: what was up lies on the sheet".to_string(),
                });
                out.push(format!("{} through its own holes into the sheet, driven home", self.screws_in_words()));
            }
        }
        out.push("No flood: plywood swells; a mist, and chips blown away".into());
        out
    }
    pub(crate) fn facts(&self) -> Vec<Fact> {
        let mut out = Vec::new();
        if let (Some(strap), Some(at)) = (&self.strap, self.straps.first()) {
            let says = format!("each of {}, nuts with {} N m", self.straps.len(), trim(strap.torque_nm));
            out.push(Fact::new("Straps press with", at.force_n / 1000.0, "kN", &self.terms, says));
        }
        let force = self.screws.iter().map(|s| s.force_n).sum::<f64>() / 1000.0;
        let when = if self.strap.is_some() { ", from the program's stop on" } else { "" };
        out.push(Fact::new(
            "Screws press with",
            force,
            "kN",
            &self.terms,
            format!("{} in its own holes{when}", self.screws.len()),
        ));
        out.push(Fact::new(
            "They bear across",
            self.bears_n,
            "N",
            &self.terms,
            "twice over, at its top: cuts are kept below it",
        ));
        out.push(Fact::new(
            "Sheet may be cut",
            self.sheet.may_cut_mm,
            "mm",
            &[],
            "deep; it lies under the whole piece",
        ));
        out
    }
    pub(crate) fn minutes(&self) -> f64 {
        // Straps and screws on, and off again.
        LAY_MIN + 2.0 * (STRAP_MIN * self.straps.len() as f64 + SCREW_MIN * self.screws.len() as f64)
    }
    pub(crate) fn needs(&self) -> Vec<String> {
        let mut out = vec![self.sheet.name.clone()];
        if let Some(s) = &self.strap {
            out.push(format!("{} straps: {}", self.straps.len(), s.name));
        }
        out.push(self.screws_in_words());
        out
    }
    pub(crate) fn zero_in_machine(&self, shop: &Shop) -> DVec3 {
        let m = &shop.machine;
        let [x, y] = m.middle_mm();
        let sheet = self.bodies.first().map_or(DVec3::ZERO, |b| (b.min + b.max) / 2.0);
        // A strap's slot says where it lies along y.
        let slots = shop.table.as_ref().map_or(&[][..], |t| &t.slots_mm);
        let off = self.straps.first().and_then(|s| {
            let fits = |slot: &&f64| {
                let move_by = *slot - s.y;
                self.straps.iter().all(|o| slots.iter().any(|t| (t - o.y - move_by).abs() < 1e-6))
            };
            slots.iter().find(fits).map(|slot| slot - s.y)
        });
        let off = off.unwrap_or(-sheet.y);
        DVec3::new(x - sheet.x, y + off, -m.nose_to_table_mm + self.sheet.size_mm[2])
    }
    pub(crate) fn datum(&self) -> [Datum; 3] {
        let touch = || Term::new("", "edge finder or gauge pin (common practice, no source)", TOUCH, "mm");
        let words = match &self.set_by {
            SetBy::Bores { at: [p, q] } => [
                format!("middle of the bore at X {:.3} Y {:.3}, found where it lies", len(p.x), len(p.y)),
                format!(
                    "the same bore; the line to the bore at X {:.3} Y {:.3} is set by tapping the piece round before the screws are driven home, or by turning the program",
                    len(q.x),
                    len(q.y)
                ),
                "top of the sheet beside the piece".to_string(),
            ],
            _ => [
                "left end of the stock between the straps, touched by the edge finder where it lies".to_string(),
                "back of the stock, touched by the edge finder where it lies".to_string(),
                "top of the sheet beside the stock, pressed down".to_string(),
            ],
        };
        let mut k = 0..3;
        words.map(|touches| {
            let k = k.next().unwrap_or(2);
            let seat = self.error().into_iter().skip(k).take(1).filter(|t| t.value > 0.0);
            let touched = match (&self.set_by, k) {
                (_, 2) => Touched::face(0.0, true, TouchedWhen::Loaded),
                (SetBy::Bores { at: [p, _] }, _) => Touched::middle(p[k], true, None, TouchedWhen::Loaded),
                _ => Touched::face(0.0, k == 1, TouchedWhen::Loaded),
            };
            Datum::new(["X", "Y", "Z"][k], touches, std::iter::once(touch()).chain(seat).collect()).at(touched)
        })
    }
    /// Are the holes really there that its screws take, and nothing where their heads lie?
    pub(crate) fn in_process(&self, stock: &Slabs) -> Result<(), String> {
        if self.by_straps() {
            return Ok(());
        }
        let low = self.stands.first().map_or(0.0, |p| p.z);
        let blocked = |at: DVec2, radius: f64, from: f64, to: f64| {
            let disc = Region::disc(at, radius, 0.01);
            stock.between(from, to).intersect(&disc).area() > 0.02 * disc.area()
        };
        let shut = |s: &&SheetScrewAt| {
            blocked(s.at, s.diameter / 2.0, low + 0.05, s.seat)
                || blocked(s.at, s.washer[0] / 2.0, s.seat + 0.05, f64::INFINITY)
        };
        match self.screws.iter().find(shut) {
            Some(s) => {
                Err(format!("stock stands where the screw at X {:.2} Y {:.2} is to go", len(s.at.x), len(s.at.y)))
            }
            None => Ok(()),
        }
    }
}

/// A box as a solid in layers, so that it is modelled.
pub(crate) fn solid(b: Body) -> Body {
    let outline = Region::rect(b.min.truncate(), b.max.truncate()).loops();
    Body { layers: vec![(b.min.z, b.max.z, outline)], ..b }
}

/// Bar, stud with nut, and the block under its heel.
fn strap_bodies(k: usize, strap: &Strap, s: &StrapAt, whole: &Box3, under: f64) -> [Body; 3] {
    // Along x from the nose's end outwards.
    let along = |from: f64, to: f64| {
        if s.right {
            let nose = whole.max.x - strap.reach_mm;
            (nose + from, nose + to)
        } else {
            let nose = whole.min.x + strap.reach_mm;
            (nose - to, nose - from)
        }
    };
    let boxed = |name: String, (x0, x1): (f64, f64), half: f64, low: f64, high: f64, clamps: bool| Body {
        clamps,
        ..Body::boxed(&name, DVec3::new(x0, s.y - half, low), DVec3::new(x1, s.y + half, high))
    };
    let top = whole.max.z;
    let [nut, over] = strap.nut_mm;
    let stud = strap.stud_from_nose_mm;
    [
        boxed(
            format!("strap {k}"),
            along(0.0, strap.length_mm),
            strap.width_mm / 2.0,
            top,
            top + strap.thickness_mm,
            true,
        ),
        boxed(
            format!("stud {k}"),
            along(stud - nut / 2.0, stud + nut / 2.0),
            nut / 2.0,
            under,
            top + strap.thickness_mm + over,
            false,
        ),
        boxed(
            format!("step block {k}"),
            along(strap.length_mm - HEEL, strap.length_mm),
            strap.width_mm / 2.0,
            under,
            top,
            false,
        ),
    ]
}

/// Washer and head of a screw.
fn head(k: usize, s: &SheetScrewAt, from: u32) -> Body {
    let (lies, washer) = (s.seat, s.seat + s.washer[1]);
    let widest = DVec2::splat(s.washer[0].at_least(s.head[0]) / 2.0);
    let disc = |d: f64| Region::disc(s.at, d / 2.0, 0.01).loops();
    Body {
        layers: vec![(lies, washer, disc(s.washer[0])), (washer, washer + s.head[1], disc(s.head[0]))],
        clamps: true,
        stops: [from, FOR_EVER],
        ..Body::boxed(&format!("screw {k}"), (s.at - widest).extend(lies), (s.at + widest).extend(washer + s.head[1]))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// By hand, with slots 63 mm apart and straps of 25 mm: a piece of 167 mm lies over three slots, its straps over the outer two; one of 100 mm between two slots;
    /// one of 50 mm over one.
    #[test]
    fn a_piece_lies_where_slots_are() {
        let shop = Shop::demo().unwrap();
        let (strap, table) = (&shop.straps[0], shop.table.as_ref().unwrap());
        let at = |width: f64| slots_for(width, strap, table);
        assert_eq!(at(167.0), [-63.0, 63.0]);
        assert_eq!(at(100.0), [-31.5, 31.5]);
        assert_eq!(at(50.0), [0.0]);
        assert!(at(25.0).is_empty());
    }
}
