//! A piece stuck to a pallet: tape, or tape and glue. Nothing stands around it, so all five sides lie open, and cutters may go a little into the pallet.
//!
//! What sticks is the flat that lies on it; it bears shear and pull, each spot of the area its own share ([`statics`]), with a third of it kept back besides the
//! factor that every hold is asked for (three times in all: from memory). Cuts are made so light that it bears them ([`Bond::most_side`]).

use crate::frame::{Datum, Duty, Touched, TouchedWhen};
use crate::hold::{Body, Demand, Fact, Gently, Holds, LEAST_N, most_borne};
use crate::seen::{Asked, Seen};
use crate::statics::{Contact, Push};
use crate::vise::{SEAT, TOUCH};
use geom::{Box3, DVec2, DVec3, Region};
use part::{Part, Surface};
use reason::{Source, Sources, Sure, Term, len};
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::machine::Material;
use shop::pallet::{Adhesive, Pallet};
use shop::tool::trim;
use ts_rs::TS;

/// Of the strength this share is counted on; with the factor of 2 that every hold is asked for it is three times (from memory: "at least 3 ×").
const SHARE: f64 = 2.0 / 3.0;
/// A pallet stands out from the piece by this at least, mm.
const RIM: f64 = 4.0;
/// Spots over which the area is spread.
const SPOTS: usize = 12;
/// A wall that a piece is pushed against with is as long as this at least, mm.
const WALL: f64 = 10.0;
/// Bores that a piece is set by lie apart by this at least, mm; they are as wide as this at least.
const BASELINE: f64 = 12.0;
const BORE: f64 = 3.0;
/// A pallet that has been skimmed where it stands, mm (common practice, no source).
const FLAT: f64 = 0.01;

/// What a stuck piece is located by along x and y.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum SetBy {
    /// Edges of raw stock, touched where it lies.
    Edges,
    /// Its straight back and left walls, pushed against stops while it is stuck: the back is as long as this, mm.
    Walls {
        /// mm.
        back: f64,
    },
    /// Two bores, each by its middle, touched where it lies; the program's axes are set by the line between them.
    Bores {
        /// Middles, mm.
        #[ts(type = "[[number, number], [number, number]]")]
        at: [DVec2; 2],
    },
}

/// A piece stuck to a pallet, in the work coordinates of its setup: z 0 is its lower face.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Bond {
    /// What sticks: "finished face".
    pub on: String,
    /// The pallet.
    pub pallet: Pallet,
    /// The vise that holds it.
    pub vise: String,
    /// Parallels under the pallet, mm.
    pub parallels: f64,
    /// What sticks it.
    pub adhesive: Adhesive,
    /// Area that sticks, mm².
    pub area_mm2: f64,
    /// Spots of it, mm, with their share, mm².
    #[ts(type = "[[number, number, number], number][]")]
    pub spots: Vec<(DVec3, f64)>,
    /// What stands above the pallet, mm.
    pub above: f64,
    /// Force across that it bears twice over at the piece's top, N.
    pub bears_n: f64,
    /// By what it is located.
    pub set_by: SetBy,
    /// Pallet and jaws.
    pub bodies: Vec<Body>,
    /// Terms of the check.
    pub terms: Vec<Term>,
}

/// The area in some ten spots, each with its share.
fn spots_of(flat: &Region, z: f64) -> Vec<(DVec3, f64)> {
    let Some((lo, hi)) = flat.bounds() else { return Vec::new() };
    let size = hi - lo;
    let across = ((SPOTS as f64 * size.y / size.x.at_least(1e-6)).sqrt().round() as usize).clamp(1, SPOTS);
    let along = SPOTS.div_ceil(across);
    let step = DVec2::new(size.x / along as f64, size.y / across as f64);
    let mut out = Vec::new();
    for i in 0..along {
        for j in 0..across {
            let a = lo + step * DVec2::new(i as f64, j as f64);
            let mine = flat.intersect(&Region::rect(a, a + step));
            let Some((p, q)) = mine.bounds() else { continue };
            if mine.area() > 0.02 * step.x * step.y {
                out.push((((p + q) / 2.0).extend(z), mine.area()));
            }
        }
    }
    out
}

/// A straight wall at the part's end along a direction of work, and how long it is along `along`, mm: it begins near the pallet.
fn wall(part: &Part, a: &Asked, out: DVec3, along: usize) -> f64 {
    let work = a.part_from_work.inverse();
    let b = work.bounds(&part.bounds);
    let axis = if out.x.abs() > 0.5 { 0 } else { 1 };
    let end = if out[axis] > 0.0 { b.max[axis] } else { b.min[axis] };
    let mut long: f64 = 0.0;
    for f in &part.faces {
        let Surface::Plane { normal, .. } = f.surface else { continue };
        let fb = work.bounds(&f.bounds);
        let here = work.dir(normal).dot(out) > 1.0 - 1e-9 && (fb.max[axis] - end).abs() < 1e-3;
        if here && fb.min.z < b.min.z + 5.0 && fb.size().z > 1.0 {
            long = long.at_least(fb.size()[along]);
        }
    }
    long
}

/// By what a piece with finished walls is located. Stock above it hides its bores and overhangs its walls.
fn set_by(a: &Asked, seen: &Seen) -> Result<SetBy, String> {
    let b = seen.view.bounds;
    let (back, left) = (wall(a.part, a, DVec3::Y, 0), wall(a.part, a, -DVec3::X, 1));
    if back >= WALL.at_least(0.25 * b.size().x) && left >= 3.0 {
        return Ok(SetBy::Walls { back });
    }
    if !a.covered {
        let holes: Vec<DVec2> = (seen.view.holes().iter())
            .filter(|h| h.diameter >= BORE && h.top - h.bottom >= 1.0)
            .map(|h| h.at)
            .collect();
        let pairs = holes.iter().enumerate().flat_map(|(k, p)| holes[k + 1..].iter().map(move |q| [*p, *q]));
        let best = pairs.max_by(|p, q| p[0].distance(p[1]).total_cmp(&q[0].distance(q[1])));
        if let Some(at) = best.filter(|p| p[0].distance(p[1]) >= BASELINE) {
            return Ok(SetBy::Bores { at });
        }
    }
    Err("nothing says where it lies: it has no straight back and left wall to push against stops, and no two bores that lie open".into())
}

/// Stuck down for a setup, or why not. `raw`: as stock comes, located by its edges.
pub(crate) fn design(a: &Asked, raw: bool) -> Result<Bond, String> {
    let (Some(_), false) = (a.shop.pallets.iter().find(|p| p.count > 0), a.shop.adhesives.is_empty()) else {
        return Err("the shop has no pallet, or nothing that sticks".into());
    };
    let seen = Seen::of(a.part, &a.part_from_work);
    let b = seen.view.bounds;
    let flat = seen.flats(b.min.z);
    let area = flat.area();
    if area < 50.0 {
        return Err(format!("only {area:.0} mm² of it lie flat on a pallet"));
    }
    let size = b.size();
    let fits = |p: &&Pallet| p.count > 0 && (0..2).all(|k| p.size_mm[k] >= size[k] + 2.0 * RIM);
    let Some(pallet) = a.shop.pallets.iter().find(fits) else {
        return Err(format!("it is {:.0} × {:.0} mm, larger than the pallets", len(size.x), len(size.y)));
    };
    let Some(adhesive) = a.shop.adhesives.iter().max_by(|p, q| p.shear_mpa.total_cmp(&q.shear_mpa)) else {
        return Err("the shop has nothing that sticks".into());
    };
    let set_by = if raw { SetBy::Edges } else { set_by(a, &seen)? };
    let above = size.z + a.over;
    let mut out = Bond {
        on: if raw { "lower face of the stock, as it comes" } else { "finished face" }.into(),
        pallet: pallet.clone(),
        vise: a.shop.vise.name.clone(),
        parallels: (a.shop.vise.jaw_height_mm - pallet.grip_mm).at_least(0.0),
        adhesive: adhesive.clone(),
        area_mm2: area,
        spots: spots_of(&flat, b.min.z),
        above,
        bears_n: 0.0,
        set_by,
        bodies: Vec::new(),
        terms: Vec::new(),
    };
    out.bodies = out.own_bodies(a.shop, b.middle().truncate(), b.min.z);
    let around = Box3 { min: b.min, max: DVec3::new(b.max.x, b.max.y, b.min.z + above) };
    out.bears_n = out.most_side(&around);
    out.terms = vec![
        Term::new("A", "area that sticks", area, "mm²"),
        Term::new("τ", "shear it bears, at the low end", adhesive.shear_mpa, "N/mm²"),
        Term::new("σ", "pull it bears, at the low end", adhesive.pull_mpa, "N/mm²"),
        Term::new("share", "of it that is counted on", SHARE, ""),
        Term::new("h", "what stands above the pallet", above, "mm"),
        Term::new("S", "force across that is borne twice over at the top", out.bears_n, "N"),
    ];
    if out.bears_n < LEAST_N {
        return Err(format!(
            "{area:.0} mm² stick under a piece {:.0} mm high: that bears {:.0} N across at its top, and a light cut asks for {LEAST_N:.0}",
            len(above),
            out.bears_n
        ));
    }
    Ok(out)
}

impl Bond {
    fn own_bodies(&self, shop: &Shop, middle: DVec2, z0: f64) -> Vec<Body> {
        let [w, d, h] = self.pallet.size_mm;
        let top = z0 - self.adhesive.layer_mm;
        let (x0, x1) = (middle.x - w / 2.0, middle.x + w / 2.0);
        let (y0, y1) = (middle.y - d / 2.0, middle.y + d / 2.0);
        let body =
            |name: &str, min: DVec3, max: DVec3, in_front: bool| Body { in_front, ..Body::boxed(name, min, max) };
        let v = &shop.vise;
        let (half, t, jaw) = (v.jaw_width_mm / 2.0, v.jaw_thickness_mm, top - h + self.pallet.grip_mm);
        let (xa, xb, low) = (middle.x - half, middle.x + half, jaw - v.jaw_height_mm);
        vec![
            Body {
                may_cut: self.pallet.may_cut_mm,
                sticks: true,
                ..Body::boxed("pallet", DVec3::new(x0, y0, top - h), DVec3::new(x1, y1, top))
            },
            body("fixed jaw", DVec3::new(xa, y1, low), DVec3::new(xb, y1 + t, jaw), false),
            body("moving jaw", DVec3::new(xa, y0 - t, low), DVec3::new(xb, y0, jaw), true),
        ]
    }
    /// With this much more above the part.
    pub(crate) fn under(mut self, over: f64) -> Bond {
        if over <= 0.0 {
            return self;
        }
        self.above += over;
        if let (Some(lo), Some(hi)) =
            (self.spots.iter().map(|s| s.0).reduce(DVec3::min), self.spots.iter().map(|s| s.0).reduce(DVec3::max))
        {
            self.bears_n = self.most_side(&Box3 { min: lo, max: DVec3::new(hi.x, hi.y, lo.z + self.above) });
        }
        for t in &mut self.terms {
            match t.symbol.as_str() {
                "h" => t.value = self.above,
                "S" => t.value = self.bears_n,
                _ => {}
            }
        }
        self
    }
    /// The most force across, N, that it bears twice over anywhere in a box (with the lift that goes with it).
    pub(crate) fn most_side(&self, within: &Box3) -> f64 {
        most_borne(&self.contacts(0.0), within, "pallet")
    }
    pub(crate) fn contacts(&self, _: f64) -> Vec<Contact> {
        let a = &self.adhesive;
        let spot = |(at, area): &(DVec3, f64)| Contact {
            name: "bond".into(),
            at: vec![*at],
            normal: DVec3::Z,
            normals: Vec::new(),
            friction: 0.0,
            push: Push::Bond { pull: SHARE * a.pull_mpa * area, shear: SHARE * a.shear_mpa * area },
        };
        self.spots.iter().map(spot).collect()
    }
    pub(crate) fn holds(&self, friction: f64, d: &Demand) -> Vec<Holds> {
        let n = self.spots.len().max(1) as f64;
        let middle = self.spots.iter().map(|s| s.0).sum::<DVec3>() / n;
        vec![Holds::together(&self.contacts(friction), middle.truncate(), "pallet", d)]
    }
    pub(crate) fn grounds(&self, _: f64, d: &Demand) -> (Vec<Term>, Sources) {
        let mut terms = self.terms.clone();
        terms.extend(d.terms());
        let rule = "each spot of the bond bears its share of shear and pull, the pallet pushes; forces that balance the cut at the worst place and direction, by a linear programme";
        let sources =
            Sources(vec![Source::derived(rule), Source::memory("at least three times is asked of a bond", 50)]);
        (terms, sources.and(&self.adhesive.source))
    }
    pub(crate) fn gently(&self, _: &Material) -> Option<Gently> {
        None
    }
    pub(crate) fn hold_better(&self) -> String {
        format!(
            "{:.0} mm² of {} hold less than it should: take less depth, or hold it another way.",
            self.area_mm2, self.adhesive.name
        )
    }
    pub(crate) fn error(&self) -> Vec<Term> {
        let layer = Term::new("", "z, thickness of what sticks it", self.adhesive.layer_error_mm, "mm");
        let sideways = |axis: &str| match self.set_by {
            SetBy::Edges => Term::new("", &format!("{axis}, raw edges: only where the block lies"), 0.0, "mm"),
            SetBy::Walls { .. } => Term::new("", &format!("{axis}, pushed against its stops"), SEAT, "mm"),
            SetBy::Bores { .. } => {
                Term::new("", &format!("{axis}, middle of a bore (common practice, no source)"), SEAT, "mm")
            }
        };
        vec![sideways("x"), sideways("y"), layer]
    }
    /// Play, and the span over which it may turn the piece, mm.
    pub(crate) fn turn(&self) -> [f64; 2] {
        match &self.set_by {
            // All is cut in one holding.
            SetBy::Edges => [0.0, 1.0],
            SetBy::Walls { back } => [SEAT, *back],
            SetBy::Bores { at } => [2.0 * TOUCH, at[0].distance(at[1])],
        }
    }
    pub(crate) fn actions(&self, duty: &Duty, up: &str) -> Vec<String> {
        let a = &self.adhesive;
        let mut out = vec![
            format!(
                "Pallet '{}' in the vise: grip {} mm, parallels {} mm; skim it where it stands, until it is true",
                self.pallet.name,
                len(trim(self.pallet.grip_mm)),
                len(trim(self.parallels))
            ),
            format!("Pallet and piece dry, free of oil, at room temperature; {}", a.on),
        ];
        out.push(match (duty, &self.set_by) {
            (_, SetBy::Edges) => "Lay the stock down along the machine's X and press it on".to_string(),
            (Duty::Only(_), _) => format!("Stand it up: {up} of the part is up; press it on"),
            (_, SetBy::Walls { .. }) => {
                "Turn over about X: what was up sticks to the pallet. Push it back and to the left against the stops, press it on, take the stops away".to_string()
            }
            (_, SetBy::Bores { .. }) => "Turn over about X: what was up sticks to the pallet; press it on".to_string(),
        });
        out.push(format!(
            "No flood: coolant creeps under, and above {:.0} °C it lets go. Pull at it by hand before the first cut",
            a.warm_c
        ));
        out.push(format!("Afterwards: {}", a.off));
        out
    }
    pub(crate) fn facts(&self) -> Vec<Fact> {
        let a = &self.adhesive;
        vec![
            Fact::new(
                "Sticks over",
                self.area_mm2,
                "mm²",
                &self.terms,
                format!("{}, on the {}", a.name, self.pallet.name),
            ),
            Fact::new("Bears across", self.bears_n, "N", &self.terms, "twice over, at its top: cuts are kept below it"),
            Fact::new(
                "Layer",
                a.layer_mm,
                "mm",
                &[],
                format!("± {} mm; it lets go above {:.0} °C", len(trim(a.layer_error_mm)), a.warm_c),
            ),
            Fact::new("May be cut into", self.pallet.may_cut_mm, "mm", &[], "deep into the pallet"),
            Fact::new("Above the pallet", self.above, "mm", &[], ""),
        ]
    }
    pub(crate) fn minutes(&self) -> f64 {
        // Stuck, and taken off and wiped again.
        self.adhesive.minutes + 2.0
    }
    pub(crate) fn needs(&self) -> Vec<String> {
        vec![self.vise.clone(), self.pallet.name.clone(), self.adhesive.name.clone()]
    }
    pub(crate) fn zero_in_machine(&self, shop: &Shop) -> DVec3 {
        let m = &shop.machine;
        let [x, y] = m.middle_mm();
        let pallet = self.bodies.first().map_or(DVec3::ZERO, |b| (b.min + b.max) / 2.0);
        let under = shop.vise.bed_height_mm + self.parallels + self.pallet.size_mm[2] + self.adhesive.layer_mm;
        DVec3::new(x - pallet.x, y - pallet.y, -m.nose_to_table_mm + under)
    }
    pub(crate) fn datum(&self) -> [Datum; 3] {
        let touch = || Term::new("", "edge finder or gauge pin (common practice, no source)", TOUCH, "mm");
        let flat = Term::new("", "flatness of the skimmed pallet (common practice, no source)", FLAT, "mm");
        let z = format!(
            "top of the pallet beside the piece, plus {} mm for what sticks it: that is Z 0",
            len(trim(self.adhesive.layer_mm))
        );
        let words: [String; 2] = match &self.set_by {
            SetBy::Edges => [
                "left end of the stock, touched by the edge finder where it lies".into(),
                "back of the stock, touched by the edge finder where it lies".into(),
            ],
            SetBy::Walls { .. } => [
                "left stop on the pallet, touched by the edge finder before the piece is pushed against it".into(),
                "back stop on the pallet, indicated along X and touched before the piece is pushed against it".into(),
            ],
            SetBy::Bores { at: [p, q] } => [
                format!("middle of the bore at X {:.3} Y {:.3}, found where it lies", len(p.x), len(p.y)),
                format!(
                    "the same bore; the line to the bore at X {:.3} Y {:.3} is set by tapping the pallet round, or by turning the program",
                    len(q.x),
                    len(q.y)
                ),
            ],
        };
        let [x, y] = words;
        use TouchedWhen::{Empty, Loaded};
        let [at_x, at_y] = match &self.set_by {
            SetBy::Edges => [Touched::face(0.0, false, Loaded), Touched::face(0.0, true, Loaded)],
            SetBy::Walls { .. } => [Touched::face(0.0, true, Empty), Touched::face(0.0, false, Empty)],
            SetBy::Bores { at: [p, _] } => [p.x, p.y].map(|v| Touched::middle(v, true, None, Loaded)),
        };
        let at_z = Touched::face(-self.adhesive.layer_mm, true, Loaded);
        let mut error = self.error().into_iter();
        let mut with = |axis: &str, words: String, more: Vec<Term>| {
            let terms = std::iter::once(touch()).chain(error.next().filter(|t| t.value > 0.0)).chain(more);
            Datum::new(axis, words, terms.collect())
        };
        [with("X", x, Vec::new()).at(at_x), with("Y", y, Vec::new()).at(at_y), with("Z", z, vec![flat]).at(at_z)]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Four spots, 40 mm apart along x and 20 mm along y, 150 mm² each, of what bears 0.3 N/mm².
    fn strip() -> Bond {
        let shop = Shop::demo().unwrap();
        let adhesive = shop.adhesives.iter().find(|a| (a.shear_mpa, a.pull_mpa) == (0.3, 0.3)).unwrap().clone();
        Bond {
            on: String::new(),
            pallet: shop.pallets[0].clone(),
            vise: String::new(),
            parallels: 0.0,
            adhesive,
            area_mm2: 600.0,
            spots: [(-20.0, -10.0), (-20.0, 10.0), (20.0, -10.0), (20.0, 10.0)]
                .map(|(x, y)| (DVec3::new(x, y, 0.0), 150.0))
                .to_vec(),
            above: 0.0,
            bears_n: 0.0,
            set_by: SetBy::Edges,
            bodies: Vec::new(),
            terms: Vec::new(),
        }
    }

    fn bears(b: &Bond, at: DVec3, force: DVec3) -> f64 {
        crate::statics::margin(&b.contacts(0.0), Default::default(), crate::statics::Wrench::at(at, force)).factor
            * force.length()
    }

    /// Area × shear, and area × pull, by hand: 600 mm² · 0.3 N/mm² · 2/3 = 120 N. High up it peels instead: about the far spots the near ones bear 60 N over 40 mm,
    /// against the force at 100 mm: 24 N.
    #[test]
    fn shear_pull_and_peel_by_hand() {
        let b = strip();
        // The pyramid of sixteen errs to the safe side by less than 2 %.
        let near = |held: f64, by_hand: f64| held <= by_hand * 1.0001 && held > by_hand * 0.98;
        assert!(near(bears(&b, DVec3::ZERO, DVec3::X * 50.0), 120.0));
        assert!(near(bears(&b, DVec3::ZERO, DVec3::Z * 50.0), 120.0));
        let peel = bears(&b, DVec3::Z * 100.0, DVec3::X * 10.0);
        assert!(near(peel, 24.0), "{peel}");
        // Pushed down it bears whatever is asked.
        assert!(bears(&b, DVec3::ZERO, -DVec3::Z * 1000.0) > 50_000.0);
    }

    /// What may be asked twice over goes with the area and falls with the height.
    #[test]
    fn a_taller_piece_bears_less() {
        let at = |z: f64| Box3 { min: DVec3::new(-20.0, -5.0, 0.0), max: DVec3::new(20.0, 5.0, z) };
        let b = strip();
        let large = Bond { spots: b.spots.iter().map(|(p, a)| (*p, 2.0 * a)).collect(), ..strip() };
        assert!(b.most_side(&at(5.0)) > b.most_side(&at(20.0)));
        assert!((large.most_side(&at(10.0)) / b.most_side(&at(10.0)) - 2.0).abs() < 0.01);
    }

    /// Spots share the area, wherever it is.
    #[test]
    fn spots_make_up_the_area() {
        let ring =
            Region::disc(DVec2::new(7.0, -3.0), 25.0, 0.01).minus(&Region::disc(DVec2::new(7.0, -3.0), 15.0, 0.01));
        let all = spots_of(&ring, 0.0);
        let sum: f64 = all.iter().map(|s| s.1).sum();
        assert!(all.len() >= 8 && (sum / ring.area() - 1.0).abs() < 0.03, "{} {sum}", all.len());
    }
}
