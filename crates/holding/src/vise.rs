//! The vise: where parallels bear, how hard it may be closed, what it then holds, and the boxes to keep out of.
//!
//! The judgements are those of a rigid body between two jaws: pressure on the faces that bear against the material's yield; what it bears at the
//! worst place and direction of each cut by the solver of all holds ([`statics`]); beside it, for whoever wants to follow by hand, slip, tilt and twist
//! by simple sums. Sources stand beside each.

use crate::frame::{Datum, Duty, Touched, TouchedWhen, Turning};
use crate::hold::{Body, Demand, Fact, Gently, Hold, Holds};
use crate::statics::{self, Contact, Push};
use geom::{DVec2, DVec3, Region};
use part::View;
use reason::{Source, Sources, Sure, Term, len};
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::machine::{Material, Vise};
use ts_rs::TS;

/// Pressure of a jaw ÷ yield that leaves no mark worth the name (common practice, no source).
pub(crate) const NO_MARK: f64 = 0.5;
/// Parallels bear over this length at least, mm.
const LEAST_BEARING: f64 = 6.0;
/// They stand this share of the opening apart at least, so that the part does not rock.
const APART: f64 = 0.25;

/// Where a pair of parallels bears.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct Bearing {
    /// Middle of each parallel behind the fixed jaw's face, mm (towards the moving jaw).
    pub at_mm: [f64; 2],
    /// Length over which each bears, mm.
    pub length_mm: [f64; 2],
}

impl Bearing {
    /// Under a raw block, at the jaws.
    pub fn of_block(body: DVec3, vise: &Vise) -> Bearing {
        let p = vise.parallel_width_mm;
        Bearing { at_mm: [p / 2.0, body.y - p / 2.0], length_mm: [body.x.at_most(vise.jaw_width_mm); 2] }
    }
}

/// The pair of places, as far apart as there is, at which both parallels bear on the lower end of a part; at the jaws if they bear there.
/// `z0` is the part's lower end in the view.
pub(crate) fn bearing(view: &View, z0: f64, vise: &Vise) -> Option<Bearing> {
    let b = view.bounds;
    let w = vise.parallel_width_mm;
    let sole: Region = view.mesh.section(z0 + 0.02);
    let opening = b.size().y;
    // The length that bears, by how much of the parallel's top lies under the sole.
    let bears = |at: f64| {
        let y = b.max.y - at;
        sole.area_between(y - w / 2.0, y + w / 2.0) / w
    };
    let steps = ((opening - w) / 1.0).floor();
    if steps < 1.0 {
        return None;
    }
    let places: Vec<(f64, f64)> =
        (0..=steps as usize).map(|k| w / 2.0 + (opening - w) * k as f64 / steps).map(|at| (at, bears(at))).collect();
    let good: Vec<&(f64, f64)> = places.iter().filter(|p| p.1 >= LEAST_BEARING).collect();
    let (first, last) = (good.first()?, good.last()?);
    (last.0 - first.0 >= APART * opening).then_some(Bearing { at_mm: [first.0, last.0], length_mm: [first.1, last.1] })
}

/// How hard a vise is closed on a contact, and why not harder.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Clamping {
    /// kN.
    pub force_kn: f64,
    /// On the smaller contact, N/mm².
    pub pressure_mpa: f64,
}

/// As hard as the vise closes, and no harder than leaves no mark.
pub fn clamping(height: f64, length: f64, vise: &Vise, material: &Material) -> Clamping {
    let area = height * length;
    if area <= 0.0 {
        return Clamping { force_kn: 0.0, pressure_mpa: 0.0 };
    }
    let allowed = NO_MARK * material.yield_mpa * area / 1000.0;
    let force_kn = if allowed < vise.clamp_kn { allowed } else { vise.clamp_kn };
    Clamping { force_kn, pressure_mpa: force_kn * 1000.0 / area }
}

/// Terms of it, for the screen.
pub(crate) fn clamp_terms(c: &Clamping, vise: &Vise, material: &Material) -> Vec<Term> {
    vec![
        Term::new("F", "clamp force", c.force_kn * 1000.0, "N"),
        Term::new("F max", "that the vise gives", vise.clamp_kn * 1000.0, "N"),
        Term::new("p", "pressure on the contact", c.pressure_mpa, "N/mm²"),
        Term::new(
            "p max",
            "half the yield, so that no mark is left (common practice, no source)",
            NO_MARK * material.yield_mpa,
            "N/mm²",
        ),
    ]
}

/// What a grip holds against a demand: the smallest factor first.
///
/// Slip: 2·μ·F against √(side² + lift²). Tilt over the jaws, side·(height − g/2), against the couple of the pressure, F·g (it can move from
/// the jaw's lower edge to its upper one), and of friction, μ·F·opening. Twist by a drill, its torque against μ·F·L/2 on both jaws. (Coulomb;
/// rigid jaws.)
pub fn holds(force_kn: f64, friction: f64, height: f64, length: f64, opening: f64, d: &Demand) -> Vec<Holds> {
    let f = force_kn * 1000.0;
    let item = |limit, fails, held: f64, asked: f64, unit| Holds {
        limit,
        fails,
        factor: if asked > 0.0 { held / asked } else { f64::INFINITY },
        place: String::new(),
        held,
        asked,
        unit,
    };
    let arm = if d.height > height / 2.0 { d.height - height / 2.0 } else { 0.0 };
    let mut out = vec![
        item("slip", "The grip slips", 2.0 * friction * f, d.side.hypot(d.lift), "N"),
        item(
            "tilt",
            "The part tilts out of the jaws",
            f * (height + friction * opening) / 1000.0,
            d.side * arm / 1000.0,
            "N m",
        ),
        item("twist", "The drill turns the part in the jaws", friction * f * length / 1000.0, d.torque, "N m"),
    ];
    out.sort_by(|a, b| a.factor.total_cmp(&b.factor));
    out
}

/// Jaws and parallels in work coordinates.
pub(crate) fn bodies(vise: &Vise, body: DVec3, grip: f64, parallels: f64, b: Option<&Bearing>) -> Vec<Body> {
    let (x0, x1) = (body.x / 2.0 - vise.jaw_width_mm / 2.0, body.x / 2.0 + vise.jaw_width_mm / 2.0);
    let named = |name: &str, y0: f64, y1: f64, z1: f64| Body {
        in_front: y1 < -0.5 * body.y,
        ..Body::boxed(name, DVec3::new(x0, y0, -parallels), DVec3::new(x1, y1, z1))
    };
    let (t, w) = (vise.jaw_thickness_mm, vise.parallel_width_mm);
    let mut out = vec![named("fixed jaw", 0.0, t, grip), named("moving jaw", -body.y - t, -body.y, grip)];
    if let Some(b) = b {
        for (name, at) in ["back parallel", "front parallel"].into_iter().zip(b.at_mm) {
            out.push(Body { in_front: false, ..named(name, -at - w / 2.0, -at + w / 2.0, 0.0) });
        }
    }
    out
}

/// Edge finder or gauge pin on a face (common practice, no source), mm.
pub(crate) const TOUCH: f64 = 0.01;
/// Against the stop, against the jaw and down on the parallels, wiped clean (common practice, no source), mm.
pub(crate) const SEAT: f64 = 0.01;
/// A ground pair against its stated height, mm.
const PARALLELS: f64 = 0.005;
/// To wipe, load, tap down and close (common practice, no source), min.
pub(crate) const LOAD_MIN: f64 = 2.0;
/// With less of its force than this share the vise is told to be closed gently.
const GENTLE: f64 = 0.95;

/// What a first side is gripped by.
pub(crate) const RAW: &str = "raw stock";

/// What is gripped where a plate is made.
pub(crate) const PLATE: &str = "plate";

/// A grip in the vise.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Grip {
    /// "raw stock" or "finished walls".
    pub on: String,
    /// The vise's name.
    pub vise: String,
    /// Height of jaw that holds, mm.
    pub height: f64,
    /// Jaw opening, mm.
    pub opening: f64,
    /// Widest opening of the vise, mm.
    pub opens: f64,
    /// Length along the jaws that bears, mm.
    pub length: f64,
    /// Width of the jaws, mm.
    pub jaw_width: f64,
    /// Parallels under it, mm.
    pub parallels: f64,
    /// What stands above the jaws, mm.
    pub above: f64,
    /// How hard the vise is closed, kN.
    pub clamp_kn: f64,
    /// What the vise would give, kN.
    pub clamp_full_kn: f64,
    /// Where the parallels bear; none where nothing lies on them.
    pub bearing: Option<Bearing>,
    /// Terms of the check.
    pub terms: Vec<Term>,
    /// Jaws and parallels.
    pub bodies: Vec<Body>,
    /// Where the fixed jaw meets the top of the parallels at the piece's left end, work coordinates, mm.
    #[serde(default)]
    #[ts(type = "[number, number, number]")]
    pub origin: DVec3,
    /// What is raw outside and has been bored is set by two of its bores: their middles, mm.
    #[serde(default)]
    #[ts(type = "[[number, number], [number, number]] | null")]
    pub bores: Option<[DVec2; 2]>,
}

impl Grip {
    /// The same in other work coordinates: its own corner lies there.
    pub(crate) fn at(mut self, origin: DVec3) -> Grip {
        let by = origin - self.origin;
        self.origin = origin;
        for b in &mut self.bodies {
            (b.min, b.max) = (b.min + by, b.max + by);
        }
        self
    }
    pub(crate) fn contacts(&self, friction: f64) -> Vec<Contact> {
        let x = self.bodies.first().map_or(0.0, |b| f64::midpoint(b.min.x, b.max.x));
        let (half, o) = (DVec3::X * (self.length / 2.0), self.origin);
        let jaw = |name: &str, y: f64, normal: DVec3, push: Push| {
            let g = self.height / 2.0;
            let at = statics::corners(DVec3::new(x, o.y + y, o.z + g), half, DVec3::Z * g);
            Contact { name: name.into(), at, normal, normals: Vec::new(), friction, push }
        };
        let mut out = vec![
            jaw("fixed jaw", 0.0, -DVec3::Y, Push::Passive),
            jaw("moving jaw", -self.opening, DVec3::Y, Push::Clamp(self.clamp_kn * 1000.0)),
        ];
        // What it lies on only bears: nothing presses it down.
        for (b, length) in self.bodies.iter().skip(2).zip(self.bearing.iter().flat_map(|b| b.length_mm)) {
            let middle = DVec3::new(x, f64::midpoint(b.min.y, b.max.y), o.z);
            let at = statics::corners(middle, DVec3::X * (length / 2.0), DVec3::Y * ((b.max.y - b.min.y) / 2.0));
            out.push(Contact {
                name: b.name.clone(),
                at,
                normal: DVec3::Z,
                normals: Vec::new(),
                friction: 0.0,
                push: Push::Passive,
            });
        }
        out
    }
    pub(crate) fn holds(&self, friction: f64, d: &Demand) -> Vec<Holds> {
        let up = Demand { height: d.height - self.origin.z, ..*d };
        let mut out = holds(self.clamp_kn, friction, self.height, self.length, self.opening, &up);
        let middle = self.bodies.first().map_or(0.0, |b| f64::midpoint(b.min.x, b.max.x));
        let middle = DVec2::new(middle, self.origin.y - self.opening / 2.0);
        out.push(Holds::together(&self.contacts(friction), middle, "parallels", d));
        out.sort_by(|a, b| a.factor.total_cmp(&b.factor));
        out
    }
    pub(crate) fn grounds(&self, friction: f64, d: &Demand) -> (Vec<Term>, Sources) {
        let mut terms = vec![
            Term::new("F", "clamp force", self.clamp_kn * 1000.0, "N"),
            Term::new("μ", "friction of the material on a jaw", friction, ""),
            Term::new("g", "jaw height that holds", self.height, "mm"),
            Term::new("L", "length that bears", self.length, "mm"),
            Term::new("w", "opening", self.opening, "mm"),
        ];
        terms.extend(d.terms());
        let rule = "forces within the friction cones of jaws and parallels that balance the cut, by a linear programme at the worst place and direction; beside it by simple sums: slip 2·μ·F ≥ √(S² + A²); tilt F·(g + μ·w) ≥ S·(h − g/2); twist μ·F·L ≥ M. Coulomb's friction, rigid jaws";
        (terms, Sources(vec![Source::derived(rule), Source::practice("twice is asked for")]))
    }
    fn is_gentle(&self) -> bool {
        self.clamp_kn < GENTLE * self.clamp_full_kn
    }
    pub(crate) fn gently(&self, material: &Material) -> Option<Gently> {
        let full = self.clamp_full_kn;
        self.is_gentle().then(|| {
            let what = format!("Close the vise with {:.1} kN only, not the {full:.0} kN that it gives", self.clamp_kn);
            let why = format!(
                "{:.0} × {:.0} mm bear; with all of it the pressure would be {:.0} N/mm², and {} yields at {:.0}. Half of that leaves no mark.",
                len(self.height),
                len(self.length),
                full * 1000.0 / (self.height * self.length),
                material.name,
                material.yield_mpa
            );
            (what, why)
        })
    }
    pub(crate) fn hold_better(&self) -> String {
        format!(
            "Closed with {:.1} kN it holds less than twice (common practice, no source): grip deeper or longer, or take less depth.",
            self.clamp_kn
        )
    }
    pub(crate) fn error(&self) -> Vec<Term> {
        ["x, seat against the stop", "y, seat against the fixed jaw", "z, seat on the parallels"]
            .map(|what| Term::new("", what, SEAT, "mm"))
            .to_vec()
    }
    /// Play, and the span over which it may turn the piece, mm.
    pub(crate) fn turn(&self) -> [f64; 2] {
        match &self.bores {
            Some([p, q]) => [2.0 * TOUCH, p.distance(*q)],
            None => [SEAT, self.length],
        }
    }
    /// Work zero when the vise stands in the middle of the table.
    pub(crate) fn zero_in_machine(&self, shop: &Shop) -> DVec3 {
        let m = &shop.machine;
        let [x, y] = m.middle_mm();
        // The jaws stand around the middle of what they grip.
        let jaws = self.bodies.first().map_or(0.0, |b| f64::midpoint(b.min.x, b.max.x));
        DVec3::new(x - jaws, y + self.opening / 2.0, -m.nose_to_table_mm + shop.vise.bed_height_mm + self.parallels)
    }
    pub(crate) fn datum(&self) -> [Datum; 3] {
        if let Some(at) = &self.bores {
            return self.by_bores(at);
        }
        let end = match self.on.as_str() {
            RAW => "sawn left end of the block",
            PLATE => "left end of the plate",
            _ => "finished left end of the part",
        };
        let lies = |k: usize| match self.origin[k] {
            0.0 => String::new(),
            v => format!("; it is {} {:.3}", ["X", "Y", "Z"][k], len(v)),
        };
        let touched = [
            format!("vise stop at the {end}: touched by the edge finder before loading, swung away after clamping"),
            "face of the fixed jaw: touched by the edge finder before loading".into(),
            "top of the parallels: touched before loading; so the thickness comes right".into(),
        ];
        let mut axis = 0..3;
        touched.map(|touches: String| {
            let k = axis.next().unwrap_or(2);
            // The stop stands at the left, the fixed jaw behind, the parallels below.
            let touched = Touched::face(self.origin[k], k != 1, TouchedWhen::Empty);
            Datum::new(["X", "Y", "Z"][k], touches + &lies(k), self.datum_error(k)).at(touched)
        })
    }
    /// The zero of a piece that is raw outside: two bores that the side before made.
    fn by_bores(&self, [p, q]: &[DVec2; 2]) -> [Datum; 3] {
        let bore = || {
            vec![
                Term::new("", "edge finder or gauge pin (common practice, no source)", TOUCH, "mm"),
                Term::new("", "middle of a bore (common practice, no source)", SEAT, "mm"),
            ]
        };
        let x = format!("middle of the bore at X {:.3} Y {:.3}, found where it lies", len(p.x), len(p.y));
        let y = format!(
            "the same bore; the line to the bore at X {:.3} Y {:.3} is set by tapping the piece round before the vise is closed, or by turning the program",
            len(q.x),
            len(q.y)
        );
        let z = "top of the parallels: touched before loading; so the thickness comes right".into();
        let middle = |at: f64| Touched::middle(at, true, None, TouchedWhen::Loaded);
        [
            Datum::new("X", x, bore()).at(middle(p.x)),
            Datum::new("Y", y, bore()).at(middle(p.y)),
            Datum::new("Z", z, self.datum_error(2)).at(Touched::face(self.origin[2], true, TouchedWhen::Empty)),
        ]
    }
    /// What touching off along an axis may be off by.
    fn datum_error(&self, axis: usize) -> Vec<Term> {
        let touch = Term::new("", "edge finder or gauge pin (common practice, no source)", TOUCH, "mm");
        let parallels = (axis == 2 && self.parallels > 0.0)
            .then(|| Term::new("", "height of the pair of parallels (common practice, no source)", PARALLELS, "mm"));
        std::iter::once(touch).chain(self.error().into_iter().skip(axis).take(1)).chain(parallels).collect()
    }
    pub(crate) fn actions(&self, duty: &Duty, up: &str) -> Vec<String> {
        let trim = shop::tool::trim;
        let mut out = vec![format!(
            "Vise on {}: grip {} mm, parallels {} mm, opening {} mm",
            self.on,
            len(trim(self.height)),
            len(trim(self.parallels)),
            len(trim(self.opening))
        )];
        match duty.turning() {
            Turning::Not => {}
            Turning::Over => out.push("Turn over about X: what was up lies on the parallels".into()),
            Turning::Up => {
                out.push(format!("Stand it up: {up} of the part is up, its finished end lies on the parallels"));
            }
        }
        if self.is_gentle() {
            out.push(format!("Close it with {:.1} kN only: more leaves marks", self.clamp_kn));
        }
        out
    }
    pub(crate) fn facts(&self) -> Vec<Fact> {
        let bearing = self.bearing.map_or_else(
            || "nothing lies on them".to_string(),
            |b| {
                format!(
                    "{:.0} mm and {:.0} mm off the fixed jaw, bearing over {:.0} mm",
                    len(b.at_mm[0]),
                    len(b.at_mm[1]),
                    len(if b.length_mm[0] < b.length_mm[1] { b.length_mm[0] } else { b.length_mm[1] })
                )
            },
        );
        let trim = shop::tool::trim;
        let force = if self.is_gentle() {
            format!("not the {:.0} kN it gives: more leaves marks", self.clamp_full_kn)
        } else {
            format!("all of the {}", self.vise)
        };
        vec![
            Fact::new(
                "Jaw that grips",
                self.height,
                "mm",
                &self.terms,
                format!("along {:.1} mm of {} mm jaw", len(self.length), len(trim(self.jaw_width))),
            ),
            Fact::new("Opening", self.opening, "mm", &[], format!("of {} mm", len(trim(self.opens)))),
            Fact {
                value: (self.parallels > 0.0).then_some(self.parallels),
                ..Fact::new("Parallels", 0.0, "mm", &[], bearing)
            },
            Fact::new("Close it with", self.clamp_kn, "kN", &self.terms, force),
            Fact::new("Above the jaws", self.above, "mm", &[], ""),
        ]
    }
    pub(crate) fn minutes(&self) -> f64 {
        LOAD_MIN
    }
    pub(crate) fn needs(&self) -> Vec<String> {
        let trim = shop::tool::trim;
        let mut out = vec![self.vise.clone()];
        if self.parallels > 0.0 {
            out.push(format!("parallels {} mm", len(trim(self.parallels))));
        }
        out
    }
}

/// A grip as it was chosen.
pub(crate) struct Held {
    pub on: &'static str,
    pub grip: f64,
    pub length: f64,
    pub above: f64,
    pub bearing: Option<Bearing>,
}

impl Held {
    /// On a body of this size, the jaws along its x.
    pub(crate) fn grip(&self, body: DVec3, shop: &Shop, material: &Material) -> Hold {
        Hold::Vise(Box::new(self.gripped(body, shop, material)))
    }
    pub(crate) fn gripped(&self, body: DVec3, shop: &Shop, material: &Material) -> Grip {
        let (grip, vise) = (self.grip, &shop.vise);
        let length = self.length.at_most(vise.jaw_width_mm);
        let parallels = vise.jaw_height_mm - grip;
        let clamp = clamping(grip, length, vise, material);
        let mut terms = vec![
            Term::new("g", "jaw height that holds", grip, "mm"),
            Term::new("L", "length that bears", length, "mm"),
            Term::new("h", "height above the jaws", self.above, "mm"),
            Term::new(
                "h/g",
                "at most 4 (common practice, no source)",
                if grip > 0.0 { self.above / grip } else { f64::MAX },
                "",
            ),
        ];
        terms.extend(clamp_terms(&clamp, vise, material));
        Grip {
            on: self.on.into(),
            vise: vise.name.clone(),
            height: grip,
            opening: body.y,
            opens: vise.opening_mm,
            length,
            jaw_width: vise.jaw_width_mm,
            parallels,
            above: self.above,
            clamp_kn: clamp.force_kn,
            clamp_full_kn: vise.clamp_kn,
            bearing: self.bearing,
            terms,
            bodies: bodies(vise, body, grip, parallels, self.bearing.as_ref()),
            origin: DVec3::ZERO,
            bores: None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use shop::Shop;

    /// 12 kN on 4 × 10 mm is 300 N/mm², over the yield of 6082-T6 (250): closed so it would crush; half the yield on 40 mm² is 5 kN.
    #[test]
    fn a_small_contact_is_not_crushed() {
        let s = Shop::demo().unwrap();
        let al = s.material("aluminium-6082").unwrap();
        assert_eq!(al.yield_mpa, 250.0);
        let c = clamping(4.0, 10.0, &s.vise, al);
        assert!((c.force_kn - 5.0).abs() < 1e-9 && (c.pressure_mpa - 125.0).abs() < 1e-9, "{c:?}");
        let full = clamping(8.0, 60.0, &s.vise, al);
        assert!(full.force_kn == s.vise.clamp_kn && full.pressure_mpa < 30.0);
        assert_eq!(clamping(0.0, 10.0, &s.vise, al).force_kn, 0.0);
    }

    /// Hand sums: F 10 kN, μ 0.15, grip 8 × 50, opening 40. Slip 3000 N; tilt 10000·(8 + 6)/1000 = 140 N m; twist 75 N m.
    #[test]
    fn slip_tilt_and_twist_by_hand() {
        let d = Demand { side: 400.0, lift: 300.0, height: 34.0, torque: 5.0, ..Demand::default() };
        let h = holds(10.0, 0.15, 8.0, 50.0, 40.0, &d);
        let of = |name: &str| h.iter().find(|x| x.limit == name).unwrap();
        assert!((of("slip").held - 3000.0).abs() < 1e-9 && (of("slip").asked - 500.0).abs() < 1e-9);
        assert!((of("tilt").held - 140.0).abs() < 1e-9 && (of("tilt").asked - 12.0).abs() < 1e-9);
        assert!((of("twist").factor - 15.0).abs() < 1e-9);
        assert_eq!(h[0].limit, "slip");
    }
}
