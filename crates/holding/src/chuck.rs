//! A three-jaw chuck on the table: round work on its finished outside, packed so that the jaws leave no mark.
//!
//! The jaws stand at 90°, 210° and 330°. A self-centring chuck presses with the same force at each; what it then bears is asked of the solver of all holds
//! ([`statics`]): one jaw presses, the two others answer. Its middle is found where it lies, so the scroll's own run-out spoils nothing.

use crate::frame::{Datum, Duty, Touched, TouchedWhen};
use crate::hold::{Body, Demand, Fact, Gently, Holds, LEAST_N, too_weak};
use crate::jaw_design::{is_round, stands};
use crate::nest::FINE;
use crate::seen::{Asked, Seen, corners_of};
use crate::statics::{Contact, Push};
use crate::vise::{NO_MARK, SEAT, TOUCH};
use geom::{DVec2, DVec3, Region};
use part::OFF_FLOOR;
use reason::{Source, Sources, Sure, Term, len};
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::machine::{Chuck, Material};
use shop::tool::trim;
use ts_rs::TS;

/// Directions in which the jaws stand from the middle, degrees.
const JAWS: [f64; 3] = [90.0, 210.0, 330.0];
/// Packing between jaw and piece: brass or card, mm (common practice, no source).
const PACKING: f64 = 0.5;
/// Of a jaw's width this share bears on a round piece (common practice, no source).
const BEARS: f64 = 1.0 / 3.0;
/// To set the piece down, pack, close and indicate it (common practice, no source), min.
const LOAD: f64 = 3.0;
/// Least height of jaw that holds, mm.
const LEAST: f64 = 3.0;
/// Radii of a wall that is straight differ by less, mm.
const STRAIGHT: f64 = 0.02;

/// A round piece in a chuck, in the work coordinates of its setup.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct ChuckGrip {
    /// What they take of the piece.
    pub on: String,
    /// The chuck.
    pub chuck: Chuck,
    /// Middle, mm.
    #[ts(type = "[number, number]")]
    pub middle: DVec2,
    /// Diameter that is gripped, mm.
    pub diameter: f64,
    /// Height of jaw that grips, mm.
    pub depth: f64,
    /// Height of the blocks that it stands on, mm.
    pub stand: f64,
    /// What stands above the jaws, mm.
    pub above: f64,
    /// Force of each jaw, kN.
    pub clamp_kn: f64,
    /// The piece is round and what is cut is not.
    pub turns_freely: bool,
    /// Corners of where it stands, mm.
    #[ts(type = "[number, number, number][]")]
    pub stands: Vec<DVec3>,
    /// Jaws and chuck.
    pub bodies: Vec<Body>,
    /// Terms of the check.
    pub terms: Vec<Term>,
}

/// Middle and radius of a round outline.
fn circle(r: &Region) -> Option<(DVec2, f64)> {
    let (lo, hi) = r.bounds()?;
    is_round(r).then_some(((lo + hi) / 2.0, (hi.x - lo.x) / 2.0))
}

/// In the shop's chuck, or why not.
pub(crate) fn design(a: &Asked) -> Result<ChuckGrip, String> {
    let Some(chuck) = a.shop.chucks.first() else { return Err("the shop has no chuck for its table".into()) };
    let seen = Seen::of(a.part, &a.part_from_work);
    let b = seen.view.bounds;
    let stand = stands(&seen, a.cuts, a.only)?.into_iter().find(|s| s.seat < b.min.z + OFF_FLOOR);
    let Some(s) = stand else { return Err("its lowest end is no flat to stand on".into()) };
    let round = |z: f64| circle(&seen.below(z));
    let Some((_, low)) = round(s.seat + 0.3) else {
        return Err("its outline is not round where jaws would grip it".into());
    };
    // As high as the round goes straight up.
    let highest = s.depth.at_most(chuck.jaw_height_mm - 1.0);
    let steps = (0..).map(|k| highest - 0.5 * f64::from(k)).take_while(|d| *d >= LEAST);
    let straight = |d: &f64| round(s.seat + d).filter(|(_, r)| (r - low).abs() <= STRAIGHT).map(|(m, r)| (*d, m, r));
    let Some((depth, middle, radius)) = steps.into_iter().find_map(|d| straight(&d)) else {
        return Err("its outside leans or has a step where jaws would grip it".into());
    };
    let diameter = 2.0 * radius;
    let [least, most] = chuck.range_mm;
    if diameter < least || diameter > most {
        return Err(format!(
            "Ø{:.1} is not in the range of the {}, {} to {} mm",
            len(diameter),
            chuck.name,
            len(trim(least)),
            len(trim(most))
        ));
    }
    let area = BEARS * chuck.jaw_width_mm * depth;
    let allowed = NO_MARK * a.material.yield_mpa * area / 1000.0;
    let clamp_kn = allowed.at_most(chuck.clamp_kn);
    let above = b.max.z + a.over - s.seat - depth;
    let stand = chuck.jaw_height_mm - depth;
    let mut out = ChuckGrip {
        on: "finished round".into(),
        chuck: chuck.clone(),
        middle,
        diameter,
        depth,
        stand,
        above,
        clamp_kn,
        turns_freely: seen.turn_matters(),
        stands: corners_of(&s.flat, s.seat),
        bodies: Vec::new(),
        terms: vec![
            Term::new("g", "jaw height that holds", depth, "mm"),
            Term::new("h", "height above the jaws", above, "mm"),
            Term::new("D", "diameter that is gripped", diameter, "mm"),
            Term::new("A", "a third of a jaw's width bears on a round (common practice, no source)", area, "mm²"),
            Term::new("F", "force of each jaw", clamp_kn * 1000.0, "N"),
            Term::new("F max", "that the chuck gives", chuck.clamp_kn * 1000.0, "N"),
            Term::new(
                "p max",
                "half the yield, so that no mark is left (common practice, no source)",
                NO_MARK * a.material.yield_mpa,
                "N/mm²",
            ),
        ],
    };
    out.bodies = out.own_bodies(s.seat);
    if let Some(n) = too_weak(&out.contacts(a.material.friction), &b) {
        return Err(format!(
            "at its top, {:.0} mm over the jaws, it would bear {n:.0} N across, and a light cut asks for {LEAST_N:.0}",
            len(above)
        ));
    }
    Ok(out)
}

impl ChuckGrip {
    fn own_bodies(&self, seat: f64) -> Vec<Body> {
        let c = &self.chuck;
        let (bottom, top) = (seat - self.stand, seat + self.depth);
        let radius = self.diameter / 2.0 + PACKING;
        let gap = Region::disc(self.middle, radius, FINE);
        // The blocks stand within the piece's outline.
        let mut out: Vec<Body> = JAWS
            .iter()
            .map(|deg| {
                let d = DVec2::from_angle(deg.to_radians());
                let side = d.perp() * (c.jaw_width_mm / 2.0);
                let (near, far) = (self.middle + d * 0.6 * radius, self.middle + d * (radius + c.jaw_length_mm));
                let jaw = Region::from_loops([&[near - side, far - side, far + side, near + side][..]]).minus(&gap);
                let (lo, hi) = jaw.bounds().unwrap_or_default();
                Body {
                    in_front: *deg > 180.0,
                    layers: vec![(bottom, top, jaw.loops())],
                    ..Body::boxed(&format!("chuck jaw at {deg:.0}°"), lo.extend(bottom), hi.extend(top))
                }
            })
            .collect();
        let r = DVec2::splat(c.body_diameter_mm / 2.0);
        let (lo, hi) = (self.middle - r, self.middle + r);
        let (z0, z1) = (bottom - c.body_height_mm, bottom);
        out.push(Body {
            layers: vec![(z0, z1, Region::disc(self.middle, r.x, 0.05).loops())],
            ..Body::boxed("chuck", lo.extend(z0), hi.extend(z1))
        });
        out
    }
    /// With this much more above the part.
    pub(crate) fn under(mut self, over: f64) -> ChuckGrip {
        self.above += over;
        for t in self.terms.iter_mut().filter(|t| t.symbol == "h") {
            t.value = self.above;
        }
        self
    }
    pub(crate) fn contacts(&self, friction: f64) -> Vec<Contact> {
        let radius = self.diameter / 2.0;
        let seat = self.stands.first().map_or(0.0, |p| p.z);
        let mut out: Vec<Contact> = JAWS
            .iter()
            .enumerate()
            .map(|(k, deg)| {
                let d = DVec2::from_angle(deg.to_radians());
                let side = d.perp() * (self.chuck.jaw_width_mm * BEARS / 2.0);
                let at = [-1.0, 1.0].into_iter().flat_map(|s| {
                    let p = self.middle + d * radius + side * s;
                    [seat, seat + self.depth].map(|z| p.extend(z))
                });
                let push = if k == 0 { Push::Clamp(self.clamp_kn * 1000.0) } else { Push::Passive };
                Contact {
                    name: format!("jaw at {deg:.0}°"),
                    at: at.collect(),
                    normal: (-d).extend(0.0),
                    normals: Vec::new(),
                    friction,
                    push,
                }
            })
            .collect();
        out.push(Contact {
            name: "blocks below".into(),
            at: self.stands.clone(),
            normal: DVec3::Z,
            normals: Vec::new(),
            friction: 0.0,
            push: Push::Passive,
        });
        out
    }
    pub(crate) fn holds(&self, friction: f64, d: &Demand) -> Vec<Holds> {
        vec![Holds::together(&self.contacts(friction), self.middle, "blocks", d)]
    }
    pub(crate) fn grounds(&self, friction: f64, d: &Demand) -> (Vec<Term>, Sources) {
        let mut terms = self.terms.clone();
        terms.push(Term::new("μ", "friction of the material on a jaw", friction, ""));
        terms.extend(d.terms());
        let rule = "one jaw presses, two answer, each within its friction cone; forces that balance the cut at the worst place and direction, by a linear programme. Alone against a torque that is 3·μ·F·r";
        (terms, Sources(vec![Source::derived(rule), Source::practice("twice is asked for")]))
    }
    fn is_gentle(&self) -> bool {
        self.clamp_kn < 0.95 * self.chuck.clamp_kn
    }
    pub(crate) fn gently(&self, material: &Material) -> Option<Gently> {
        let full = self.chuck.clamp_kn;
        self.is_gentle().then(|| {
            let what =
                format!("Close the chuck with {:.1} kN a jaw only, not the {full:.0} kN that it gives", self.clamp_kn);
            let why = format!(
                "{:.0} mm² of each jaw bear; {} yields at {:.0} N/mm², and half of that leaves no mark.",
                BEARS * self.chuck.jaw_width_mm * self.depth,
                material.name,
                material.yield_mpa
            );
            (what, why)
        })
    }
    pub(crate) fn hold_better(&self) -> String {
        format!(
            "Closed with {:.1} kN a jaw the chuck holds less than twice (common practice, no source): take less depth, or a strap over the flange.",
            self.clamp_kn
        )
    }
    pub(crate) fn error(&self) -> Vec<Term> {
        [
            ("x, middle of the round as it is indicated", TOUCH),
            ("y, middle of the round as it is indicated", TOUCH),
            ("z, seat on the blocks", SEAT),
        ]
        .map(|(what, v)| Term::new("", what, v, "mm"))
        .to_vec()
    }
    /// Play, and the span over which it may turn the piece, mm.
    pub(crate) fn turn(&self) -> [f64; 2] {
        [SEAT, self.diameter]
    }
    pub(crate) fn actions(&self, duty: &Duty, up: &str) -> Vec<String> {
        let mut out = vec![format!(
            "{} on the table, jaws at the back and to both sides in front; three blocks of {} mm on its face between the jaws",
            self.chuck.name,
            len(trim((self.stand * 100.0).round() / 100.0))
        )];
        out.push(match duty {
            Duty::Only(_) => format!("Stand it up: {up} of the part is up, its end stands on the blocks"),
            _ => "Turn over about X: what was up stands on the blocks".into(),
        });
        out.push(format!(
            "Strips of brass or card of {} mm between jaws and piece; press it down on the blocks, close with {:.1} kN a jaw, tap it down and close again",
            len(trim(PACKING)),
            self.clamp_kn
        ));
        if self.turns_freely {
            out.push(
                "Nothing says how far it is turned: set it to the line that was scribed across part and hat".into(),
            );
        }
        out
    }
    pub(crate) fn facts(&self) -> Vec<Fact> {
        let force = if self.is_gentle() {
            format!("a jaw, not the {:.0} kN it gives: more leaves marks", self.chuck.clamp_kn)
        } else {
            format!("a jaw, all of the {}", self.chuck.name)
        };
        vec![
            Fact::new(
                "Jaws that grip",
                self.depth,
                "mm",
                &self.terms,
                format!("high on Ø{:.2}, packed", len(self.diameter)),
            ),
            Fact::new("Stands on blocks of", self.stand, "mm", &[], "three, on the chuck's face"),
            Fact::new("Close it with", self.clamp_kn, "kN", &self.terms, force),
            Fact::new("Above the jaws", self.above, "mm", &[], ""),
        ]
    }
    pub(crate) fn minutes(&self) -> f64 {
        LOAD
    }
    pub(crate) fn needs(&self) -> Vec<String> {
        vec![
            self.chuck.name.clone(),
            format!("three blocks of {:.2} mm", len(self.stand)),
            "brass or card strips".into(),
        ]
    }
    pub(crate) fn zero_in_machine(&self, shop: &Shop) -> DVec3 {
        let m = &shop.machine;
        let [x, y] = m.middle_mm();
        let seat = self.stands.first().map_or(0.0, |p| p.z);
        let under = self.chuck.body_height_mm + self.stand - seat;
        DVec3::new(x - self.middle.x, y - self.middle.y, -m.nose_to_table_mm + under)
    }
    pub(crate) fn datum(&self) -> [Datum; 3] {
        let indicated =
            |v: f64| format!("middle of the round, indicated in the spindle where it is clamped, is {:.3}", len(v));
        let words = [
            indicated(self.middle.x),
            indicated(self.middle.y),
            "top of the blocks, touched before loading; so the height comes right".to_string(),
        ];
        let mut k = 0..3;
        words.map(|touches| {
            let k = k.next().unwrap_or(2);
            let touch = Term::new("", "edge finder or gauge pin (common practice, no source)", TOUCH, "mm");
            let mine = self.error().into_iter().skip(k).take(1);
            let more = (k == 2).then_some(touch);
            let touched = match k {
                2 => Touched::face(self.stands.first().map_or(0.0, |p| p.z), true, TouchedWhen::Empty),
                _ => Touched::middle(self.middle[k], false, Some(self.diameter), TouchedWhen::Loaded),
            };
            Datum::new(["X", "Y", "Z"][k], touches, mine.chain(more).collect()).at(touched)
        })
    }
}
