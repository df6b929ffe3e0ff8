//! A bar in a collet block: the block stands in the vise with its nose up, or lies in it and is turned from flat to flat. Bar and block stay one until all sides
//! but the last are cut, so nothing between these sides is off but the block itself.
//!
//! The collet is reckoned as three lines around the bar that share what its nut presses with, one that presses and two that answer; what it then bears, and what
//! the vise bears of the block, is asked of the solver of all holds ([`statics`]).

use crate::frame::{Datum, Duty, Touched, TouchedWhen};
use crate::hold::{Body, Demand, Fact, Gently, Holds, LEAST_N, too_weak};
use crate::statics::{self, Contact, Push};
use crate::strapped::solid;
use crate::vise::{NO_MARK, SEAT, TOUCH};
use geom::{Bar, BarForm, Box3, DMat3, DVec2, DVec3, Placement, Region};
use reason::{Source, Sources, Sure, Term, len};
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::collet::ColletBlock;
use shop::machine::{Material, Vise};
use shop::tool::trim;
use std::f64::consts::{FRAC_PI_3, TAU};
use ts_rs::TS;

/// Friction of the block's steel in the jaws (common practice, no source).
const STEEL: f64 = 0.15;
/// The bar stands out of the collet's back by this, mm.
pub(crate) const TAIL: f64 = 5.0;
/// The bore of block and nut is drawn so much wider than the bar, mm.
const BORE: f64 = 0.3;
/// Jaws end below what lies up of a block by this, mm.
const BELOW_TOP: f64 = 2.0;
/// Of a collet's length so much bears around a hexagon or a round, in three lines so wide, as a share of the bar's size (common practice, no source).
const BEARS: f64 = 0.5;
/// To close the collet and set the block; to turn it one flat on (common practice, no source), min.
const LOAD: f64 = 3.0;
const TURN: f64 = 1.0;
/// To find the bar's middle and its end once (common practice, no source), min.
const FIND: f64 = 3.0;
/// How far a piece stands out of the nose is set with a depth gauge to this, mm (common practice, no source).
const GAUGE: f64 = 0.03;
/// A flat that is set level with the indicator is off by this over its width, mm (common practice, no source).
const LEVEL: f64 = 0.02;

/// How the block is in the vise.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Position {
    /// On its back end, nose up.
    Stands,
    /// The same, with the piece that was sawn off in it, turned end for end.
    StandsAgain,
    /// On a flat, nose to the right; so many flats on from where it lay first.
    Lies(u32),
}

/// A bar in a collet block, in the work coordinates of its setup.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct ColletGrip {
    /// What it takes of the piece.
    pub on: String,
    /// The block.
    pub block: ColletBlock,
    /// "hexagon collet 17".
    pub collet: String,
    /// "hexagon 17 across flats".
    pub bar: String,
    /// Across flats, or diameter, mm.
    pub size: f64,
    /// From its middle to what is furthest out, mm.
    pub radius: f64,
    /// It has flats.
    pub flats: bool,
    /// Where it is.
    pub position: Position,
    /// The bar's middle is found here; else where it was found before.
    pub found_here: bool,
    /// Middle of the nose's face, mm, and the direction out of it.
    #[ts(type = "[number, number, number]")]
    pub nose: DVec3,
    /// See `nose`.
    #[ts(type = "[number, number, number]")]
    pub out: DVec3,
    /// Of the bar out of the nose, mm.
    pub sticks_out: f64,
    /// Length that is gripped, mm.
    pub depth: f64,
    /// Height of the parallels under the block, mm; 0: on the vise's bed.
    pub parallels: f64,
    /// From the axis down to what the block stands on, or the length of it that stands below its nose's face, mm.
    pub under: f64,
    /// How hard the vise is closed, kN.
    pub vise_kn: f64,
    /// Where jaws bear on the block: least and largest corner of each face, mm.
    #[ts(type = "[[number, number, number], [number, number, number]]")]
    pub jaws: [DVec3; 2],
    /// Block, nose, jaws.
    pub bodies: Vec<Body>,
    /// Block and nose where cutters pass beside them.
    #[serde(skip)]
    #[ts(skip)]
    beside: Vec<Body>,
    /// Terms of the check.
    pub terms: Vec<Term>,
}

/// What is asked of a collet block.
pub(crate) struct Held<'a> {
    pub shop: &'a Shop,
    pub material: &'a Material,
    pub block: &'a ColletBlock,
    pub bar: &'a Bar,
    pub position: Position,
    pub found_here: bool,
    /// Middle of the nose's face, work coordinates, mm.
    pub nose: DVec3,
    /// Of the bar out of the nose, mm.
    pub sticks_out: f64,
    /// Length that is gripped, mm; no more than the collet has.
    pub depth: f64,
    /// The part, work coordinates.
    pub part: Box3,
}

/// The collet that a block has for a bar.
pub(crate) fn collet_for(block: &ColletBlock, bar: &Bar) -> Option<String> {
    match bar.form {
        BarForm::Round { diameter_mm } => block.round(diameter_mm).map(|s| format!("collet Ø{}", len(trim(s)))),
        BarForm::Hexagon { across_mm, .. } => {
            block.hexagon(across_mm).map(|s| format!("hexagon collet {}", len(trim(s))))
        }
    }
}

/// A bar in words: "hexagon 17 across flats".
pub(crate) fn bar_words(bar: &Bar) -> String {
    match bar.form {
        BarForm::Round { diameter_mm } => format!("round Ø{}", len(trim(diameter_mm))),
        BarForm::Hexagon { across_mm, .. } => format!("hexagon {} across flats", len(trim(across_mm))),
    }
}

/// In the shop's vise, or why not.
pub(crate) fn design(a: &Held) -> Result<ColletGrip, String> {
    let (block, vise) = (a.block, &a.shop.vise);
    if block.across_mm > vise.opening_mm {
        return Err(format!("the vise does not open for the {}", block.name));
    }
    let Some(collet) = collet_for(block, a.bar) else {
        return Err(format!("the {} has no collet for {}", block.name, bar_words(a.bar)));
    };
    let lies = matches!(a.position, Position::Lies(_));
    let half = block.across_mm / 2.0;
    let [_, nose_long] = block.nose_mm;
    // Height of the flats at the jaws over the axis.
    let (under, flat) = match (lies, block.sides) {
        (false, _) => (nose_long + block.length_mm, f64::INFINITY),
        (true, 6) => (block.around(), half / 3.0_f64.sqrt()),
        (true, _) => (half, half - BELOW_TOP),
    };
    let mut heights: Vec<f64> = std::iter::once(0.0).chain(vise.parallels_mm.iter().copied()).collect();
    heights.sort_by(f64::total_cmp);
    let top = |parallels: f64| a.nose.z - under - parallels + vise.jaw_height_mm;
    let highest = if lies { a.nose.z + flat } else { a.nose.z - nose_long - BELOW_TOP };
    let Some(parallels) = heights.into_iter().find(|h| top(*h) <= highest + 1e-9) else {
        return Err(format!("no parallels lift the {} out of the jaws", block.name));
    };
    let jaw_top = top(parallels);
    let bed = a.nose.z - under - parallels;
    let low = if lies { (a.nose.z - flat).at_least(bed) } else { a.nose.z - under };
    let (x0, x1) = if lies {
        let end = a.nose.x - nose_long;
        ((end - block.length_mm).at_least(end - vise.jaw_width_mm), end)
    } else {
        // The width of a flat.
        let w = if block.sides == 6 { block.across_mm / 3.0_f64.sqrt() } else { block.across_mm };
        (a.nose.x - w / 2.0, a.nose.x + w / 2.0)
    };
    let out = if lies { DVec3::X } else { DVec3::Z };
    let radii = a.bar.radii();
    let size = 2.0 * radii[0];
    let area = BEARS * size * a.depth;
    let mut c = ColletGrip {
        on: if a.position == Position::StandsAgain { "piece, turned end for end" } else { "bar as it comes" }.into(),
        collet,
        bar: bar_words(a.bar),
        size,
        radius: radii[1],
        flats: radii[0] < radii[1],
        position: a.position,
        found_here: a.found_here,
        nose: a.nose,
        out,
        sticks_out: a.sticks_out,
        depth: a.depth,
        parallels,
        under,
        vise_kn: vise.clamp_kn,
        jaws: [DVec3::new(x0, a.nose.y - half, low), DVec3::new(x1, a.nose.y + half, jaw_top)],
        bodies: Vec::new(),
        beside: Vec::new(),
        terms: vec![
            Term::new("g", "length in the collet", a.depth, "mm"),
            Term::new("h", "length out of it", a.sticks_out, "mm"),
            Term::new("F", "that its nut presses with around the bar", block.clamp_kn * 1000.0, "N"),
            Term::new("T", "torque of the nut", block.torque_nm, "N m"),
            Term::new("A", "of it that bears (common practice, no source)", area, "mm²"),
            Term::new("V", "clamp force of the vise on the block", vise.clamp_kn * 1000.0, "N"),
        ],
        block: block.clone(),
    };
    c.stand(vise, bed, jaw_top);
    let pressure = block.clamp_kn * 1000.0 / 3.0 / (area / 3.0);
    if pressure > NO_MARK * a.material.yield_mpa {
        return Err(format!(
            "the collet would press with {pressure:.0} N/mm², and {} takes {:.0} without a mark",
            a.material.name,
            NO_MARK * a.material.yield_mpa
        ));
    }
    if let Some(n) = too_weak(&c.contacts(a.material.friction), &a.part) {
        return Err(format!(
            "{:.0} mm out of the collet it would bear {n:.0} N across, and a light cut asks for {LEAST_N:.0}",
            len(a.sticks_out)
        ));
    }
    Ok(c)
}

impl ColletGrip {
    fn lies(&self) -> bool {
        matches!(self.position, Position::Lies(_))
    }
    fn again(&self) -> bool {
        self.position == Position::StandsAgain
    }
    fn stand(&mut self, vise: &Vise, bed: f64, jaw_top: f64) {
        let b = &self.block;
        let [nose, nose_long] = b.nose_mm;
        let half = b.across_mm / 2.0;
        // Section across the axis: a flat looks to the fixed jaw.
        let corners = |n: u32, r: f64| -> Vec<DVec2> {
            let turn = TAU / f64::from(n);
            (0..n).map(|k| DVec2::from_angle(std::f64::consts::FRAC_PI_2 + turn * (f64::from(k) + 0.5)) * r).collect()
        };
        let frame = if self.lies() {
            // Its x and y are the work's y and z.
            DMat3::from_cols(DVec3::Y, DVec3::Z, DVec3::X)
        } else {
            DMat3::IDENTITY
        };
        let frame = Placement { turn: frame, shift: self.nose };
        // The bar goes right through.
        let bore = Region::disc(DVec2::ZERO, self.radius + BORE, 0.02);
        let prism = |name: &str, section: Region, from: f64, to: f64| {
            let (lo, hi) = section.bounds().unwrap_or_default();
            let around = frame.bounds(&Box3 { min: lo.extend(from), max: hi.extend(to) });
            let layers = vec![(from, to, section.minus(&bore).loops())];
            Body { layers, lies: Some(frame), ..Body::boxed(name, around.min, around.max) }
        };
        let mut section = corners(b.sides, b.around());
        if self.lies() {
            // The jaws close along y: its x there. A quarter turn brings a flat to them.
            section.iter_mut().for_each(|p| *p = p.perp());
        }
        let section = Region::from_loops([section.as_slice()]);
        let disc = Region::disc(DVec2::ZERO, nose / 2.0, 0.05);
        let block = prism("collet block", section, -nose_long - b.length_mm, -nose_long);
        let nut = prism("nut of the collet", disc, -nose_long, 0.0);
        if self.lies() {
            self.beside = vec![block.clone(), nut.clone()];
        }
        let middle = f64::midpoint(self.jaws[0].x, self.jaws[1].x);
        let (x0, x1) = if self.lies() {
            (self.jaws[1].x - vise.jaw_width_mm, self.jaws[1].x)
        } else {
            (middle - vise.jaw_width_mm / 2.0, middle + vise.jaw_width_mm / 2.0)
        };
        let t = vise.jaw_thickness_mm;
        let jaw = |name: &str, y0: f64, y1: f64| Body {
            in_front: y1 < self.nose.y,
            ..Body::boxed(name, DVec3::new(x0, y0, bed), DVec3::new(x1, y1, jaw_top))
        };
        self.bodies = vec![
            jaw("fixed jaw", self.nose.y + half, self.nose.y + half + t),
            jaw("moving jaw", self.nose.y - half - t, self.nose.y - half),
            block,
            nut,
        ];
        if self.lies() {
            let jaws: Vec<Body> = self.bodies[..2].iter().cloned().map(solid).collect();
            self.beside.extend(jaws);
        }
        if self.parallels > 0.0 {
            let w = vise.parallel_width_mm;
            let (a, b) = (self.bodies[2].min, self.bodies[2].max);
            // A hexagon lies on one, under its lowest edge.
            let at = if self.lies() && self.block.sides == 6 {
                vec![self.nose.y]
            } else {
                vec![b.y - w / 2.0, a.y + w / 2.0]
            };
            for y in at {
                let low = DVec3::new(a.x, y - w / 2.0, bed);
                self.bodies.push(Body::boxed("parallel", low, DVec3::new(b.x, y + w / 2.0, bed + self.parallels)));
            }
        }
    }
    /// Block, nut and jaws where cutters come beside them.
    pub(crate) fn beside(&self) -> &[Body] {
        &self.beside
    }
    /// Two directions across the bar.
    fn across(&self) -> [DVec3; 2] {
        if self.lies() { [DVec3::Y, DVec3::Z] } else { [DVec3::X, DVec3::Y] }
    }
    pub(crate) fn contacts(&self, friction: f64) -> Vec<Contact> {
        let [u, v] = self.across();
        let r = self.size / 2.0;
        let mut out: Vec<Contact> = (0..3)
            .map(|k| {
                let (s, c) = (FRAC_PI_3 * 2.0 * f64::from(k)).sin_cos();
                let d = u * s + v * c;
                // A flat has width; a round bears on a line.
                let width = if self.flats { BEARS * self.size / 6.0 } else { 0.0 };
                let side = self.out.cross(d) * width;
                let at = [0.0, self.depth].into_iter().flat_map(|z| {
                    let p = self.nose + d * r - self.out * z;
                    [p - side, p + side]
                });
                let push = if k == 0 { Push::Clamp(self.block.clamp_kn * 1000.0 / 3.0) } else { Push::Passive };
                Contact { name: "collet".into(), at: at.collect(), normal: -d, normals: Vec::new(), friction, push }
            })
            .collect();
        // A piece that was sawn off is too short for the stop screw.
        if self.block.stop && !self.again() {
            out.push(Contact {
                name: "stop screw".into(),
                at: vec![self.nose - self.out * (self.depth + TAIL)],
                normal: self.out,
                normals: Vec::new(),
                friction: 0.0,
                push: Push::Passive,
            });
        }
        out
    }
    /// The block in the vise.
    fn in_vise(&self) -> Vec<Contact> {
        let [a, b] = self.jaws;
        let middle = (a + b) / 2.0;
        let (x, z) = (DVec3::X * ((b.x - a.x) / 2.0), DVec3::Z * ((b.z - a.z) / 2.0));
        let jaw = |name: &str, y: f64, normal: DVec3, push: Push| Contact {
            name: name.into(),
            at: statics::corners(DVec3::new(middle.x, y, middle.z), x, z),
            normal,
            normals: Vec::new(),
            friction: STEEL,
            push,
        };
        let half = if self.lies() && self.block.sides == 6 { 0.5 } else { (b.y - a.y) / 2.0 };
        let floor = self.nose.z - self.under;
        vec![
            jaw("fixed jaw", b.y, -DVec3::Y, Push::Passive),
            jaw("moving jaw", a.y, DVec3::Y, Push::Clamp(self.vise_kn * 1000.0)),
            Contact {
                name: "seat of the block".into(),
                at: statics::corners(DVec3::new(middle.x, self.nose.y, floor), x, DVec3::Y * half),
                normal: DVec3::Z,
                normals: Vec::new(),
                friction: 0.0,
                push: Push::Passive,
            },
        ]
    }
    pub(crate) fn holds(&self, friction: f64, d: &Demand) -> Vec<Holds> {
        let middle = self.nose.truncate();
        let in_collet = Holds::together(&self.contacts(friction), middle, "zero", d);
        let in_vise =
            Holds { fails: "The block slips in the vise", ..Holds::together(&self.in_vise(), middle, "zero", d) };
        let mut out = vec![Holds { fails: "The bar slips in the collet", ..in_collet }, in_vise];
        out.sort_by(|a, b| a.factor.total_cmp(&b.factor));
        out
    }
    pub(crate) fn grounds(&self, friction: f64, d: &Demand) -> (Vec<Term>, Sources) {
        let mut terms = self.terms.clone();
        terms.push(Term::new("μ", "friction of the material in the collet", friction, ""));
        terms.push(Term::new("μ v", "friction of the block in the jaws (common practice, no source)", STEEL, ""));
        terms.extend(d.terms());
        let rule = "three lines of the collet share F, one presses and two answer; the block between the jaws by V; forces that balance the cut at the worst place and direction, by a linear programme. Alone against a torque it is μ·F·r";
        (terms, Sources(vec![Source::derived(rule), Source::practice("twice is asked for")]))
    }
    pub(crate) fn gently(&self, _: &Material) -> Option<Gently> {
        None
    }
    pub(crate) fn hold_better(&self) -> String {
        "It holds less than twice (common practice, no source): take less depth, let less of the bar stand out, or tighten nut and vise more.".into()
    }
    pub(crate) fn error(&self) -> Vec<Term> {
        let off = |axis: &str| {
            Term::new("", &format!("{axis}, the bar's middle off that of the flats"), self.block.off_mm, "mm")
        };
        if self.lies() {
            return vec![
                Term::new("", "x, seat against the work stop (common practice, no source)", SEAT, "mm"),
                off("y"),
                off("z"),
            ];
        }
        let z = if self.again() {
            Term::new("", "z, by the depth gauge (common practice, no source)", GAUGE, "mm")
        } else {
            Term::new("", "z, the end of the block on its seat (common practice, no source)", SEAT, "mm")
        };
        vec![off("x"), off("y"), z]
    }
    /// Play, and the span over which it may turn the piece, mm.
    pub(crate) fn turn(&self) -> [f64; 2] {
        [LEVEL, self.block.across_mm]
    }
    pub(crate) fn actions(&self, _: &Duty, up: &str) -> Vec<String> {
        let b = &self.block;
        let mut out = Vec::new();
        let on = if self.parallels > 0.0 {
            format!("on parallels of {} mm", len(trim(self.parallels)))
        } else {
            "on the bed of the vise".to_string()
        };
        match self.position {
            Position::Stands => {
                let stop = if b.stop { ", its end against the stop screw" } else { "" };
                let level =
                    if self.flats { "; a flat set level with a flat of the block by the indicator" } else { "" };
                out.push(format!(
                    "Bar, {}, into the {} of the {}: {} mm out of the nose{stop}{level}; nut with {} N m",
                    self.bar,
                    self.collet,
                    b.name,
                    len(trim((self.sticks_out * 10.0).round() / 10.0)),
                    trim(b.torque_nm)
                ));
                out.push(format!("Block upright in the vise, nose up, {on}, two flats between the jaws"));
            }
            Position::StandsAgain => {
                out.push(format!(
                    "The piece, turned end for end, into the {} of the {}: {} mm of it out of the nose, set with a depth gauge; nut with {} N m",
                    self.collet,
                    b.name,
                    len(trim((self.sticks_out * 100.0).round() / 100.0)),
                    trim(b.torque_nm)
                ));
                if self.depth < 0.6 * b.depth_mm {
                    out.push(format!("A plug, {}, behind it in the collet, so that it closes parallel", self.bar));
                }
                out.push(format!("Block upright in the vise, nose up, {on}, two flats between the jaws"));
            }
            Position::Lies(k) => {
                out.push("Do not open the collet: bar and block stay one until the piece is sawn off".into());
                out.push(match (k, self.found_here) {
                    (_, true) => format!("Lay the block into the vise {on}, nose to the right and against the work stop: {up} of the part is up"),
                    (k, _) => format!(
                        "Turn the block clockwise, as you look at its nose, until it lies {} of its {} flats on from where it lay first, {:.0}°; against the same stop: {up} of the part is up",
                        k, b.sides, f64::from(k) * 360.0 / f64::from(b.sides)
                    ),
                });
            }
        }
        out
    }
    pub(crate) fn facts(&self) -> Vec<Fact> {
        vec![
            Fact::new("Collet grips", self.depth, "mm", &self.terms, format!("{} in a {}", self.bar, self.collet)),
            Fact::new("Out of the nose", self.sticks_out, "mm", &self.terms, ""),
            Fact::new(
                "Collet presses with",
                self.block.clamp_kn,
                "kN",
                &self.terms,
                format!("nut with {} N m", trim(self.block.torque_nm)),
            ),
            Fact::new("Vise closes with", self.vise_kn, "kN", &self.terms, "on the block's flats"),
        ]
    }
    pub(crate) fn minutes(&self) -> f64 {
        if self.lies() && !self.found_here { TURN } else { LOAD }
    }
    pub(crate) fn once(&self) -> Vec<Term> {
        if !self.found_here {
            return Vec::new();
        }
        let what = if self.lies() {
            "the bar's end, middle and height are touched"
        } else {
            "the bar's middle and the nose are touched"
        };
        vec![Term::new("", &format!("{what} (common practice, no source)"), FIND, "min")]
    }
    pub(crate) fn needs(&self) -> Vec<String> {
        vec![self.block.name.clone(), self.collet.clone()]
    }
    pub(crate) fn zero_in_machine(&self, shop: &Shop) -> DVec3 {
        let m = &shop.machine;
        let [x, y] = m.middle_mm();
        let jaws = f64::midpoint(self.bodies[0].min.x, self.bodies[0].max.x);
        let up = shop.vise.bed_height_mm + self.parallels + self.under - self.nose.z;
        DVec3::new(x - jaws, y - self.nose.y, -m.nose_to_table_mm + up)
    }
    /// The zero is in the middle of the nose, or of the bar's finished end.
    fn touched(&self, axis: usize) -> Touched {
        let when = if self.lies() && !self.found_here { TouchedWhen::Kept } else { TouchedWhen::Loaded };
        let across = (!self.flats).then_some(self.size);
        match (self.lies(), axis) {
            (true, 0) => Touched::face(0.0, true, when),
            (true, 2) => Touched::face(self.nose.z + self.size / 2.0, true, when),
            (false, 2) => Touched::face(self.nose.z, true, when),
            _ => Touched::middle(self.nose[axis], false, across, when),
        }
    }
    pub(crate) fn datum(&self) -> [Datum; 3] {
        let touch = || Term::new("", "edge finder or gauge pin (common practice, no source)", TOUCH, "mm");
        let both = "middle of the bar: both its sides touched";
        let again = |what: &str| {
            if self.found_here {
                what.to_string()
            } else {
                format!("{what}; as it was found before the block was turned")
            }
        };
        let words = if self.lies() {
            [
                again("finished end of the bar, at the right, touched"),
                again(both),
                again("middle of the bar: top of it touched, and half of its size below that"),
            ]
        } else {
            [both.to_string(), both.to_string(), "face of the nose, touched beside it".into()]
        };
        let mut k = 0..3;
        words.map(|touches| {
            let k = k.next().unwrap_or(2);
            let off = self.error().into_iter().skip(k).take(1);
            Datum::new(["X", "Y", "Z"][k], touches, std::iter::once(touch()).chain(off).collect()).at(self.touched(k))
        })
    }
}
