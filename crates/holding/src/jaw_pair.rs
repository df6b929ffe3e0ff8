//! A pair of soft jaws while it is cut itself: bolted to the vise, closed on a spacer.

use crate::frame::{Datum, Duty, Touched, TouchedWhen};
use crate::hold::{Body, Demand, Fact, Gently, Hold, Holds};
use crate::soft_jaws::{CHANGE_MIN, SoftJaws, zero_of};
use crate::statics::{self, Contact, Push, screw_preload};
use crate::vise::TOUCH;
use geom::{DVec2, DVec3};
use reason::{Source, Sources, Term, len};
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::machine::{JawBlanks, Material};
use shop::tool::trim;
use ts_rs::TS;

/// Bolts of a jaw.
const BOLTS: f64 = 2.0;

/// Blanks bolted to the vise.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct JawPair {
    /// "jaw blanks".
    pub on: String,
    /// The vise's name.
    pub vise: String,
    /// The blanks.
    pub blanks: JawBlanks,
    /// Width of the block that they are closed on, mm.
    pub spacer: f64,
    /// With the force that they are closed with later, kN.
    pub clamp_kn: f64,
    /// What the bolts of a jaw press it against the vise with, at the low end of their scatter, kN.
    pub bolts_kn: f64,
    /// Both on the spacer: least and largest corner, mm.
    #[ts(type = "[[number, number, number], [number, number, number]]")]
    pub block: [DVec3; 2],
    /// Top after the skim, mm.
    pub top: f64,
    /// None: the jaws are what is cut.
    pub bodies: Vec<Body>,
}

impl JawPair {
    /// For jaws that are to be cut.
    pub(crate) fn of(j: &SoftJaws) -> JawPair {
        JawPair {
            on: "jaw blanks".into(),
            vise: j.vise.clone(),
            blanks: j.blanks.clone(),
            spacer: j.spacer,
            clamp_kn: j.clamp_kn,
            bolts_kn: BOLTS * screw_preload(j.blanks.bolt_nm, j.blanks.bolt_mm) / 1000.0,
            block: j.block,
            top: j.top,
            bodies: Vec::new(),
        }
    }
    /// The backs of both against the vise, pressed by bolts and by closing it; below the bed.
    pub(crate) fn contacts(&self, friction: f64) -> Vec<Contact> {
        let [lo, hi] = self.block;
        let x = f64::midpoint(lo.x, hi.x);
        let half = DVec3::X * (self.blanks.bolts_apart_mm / 2.0);
        let back = |name: &str, y: f64, normal: DVec3, push: Push| {
            let up = DVec3::Z * self.blanks.bolts_up_mm;
            let at = statics::corners(DVec3::new(x, y, lo.z + up.z), half, up);
            Contact { name: name.into(), at, normal, normals: Vec::new(), friction, push }
        };
        let bed = statics::corners(
            DVec3::new(x, f64::midpoint(lo.y, hi.y), lo.z),
            DVec3::X * ((hi.x - lo.x) / 2.0),
            DVec3::Y * ((hi.y - lo.y) / 2.0),
        );
        vec![
            back("fixed side of the vise", hi.y, -DVec3::Y, Push::Passive),
            back("moving side of the vise", lo.y, DVec3::Y, Push::Clamp((self.bolts_kn + self.clamp_kn) * 1000.0)),
            Contact {
                name: "bed".into(),
                at: bed,
                normal: DVec3::Z,
                normals: Vec::new(),
                friction: 0.0,
                push: Push::Passive,
            },
        ]
    }
    pub(crate) fn holds(&self, friction: f64, d: &Demand) -> Vec<Holds> {
        let [lo, hi] = self.block;
        let middle = DVec2::new(f64::midpoint(lo.x, hi.x), f64::midpoint(lo.y, hi.y));
        vec![Holds::together(&self.contacts(friction), middle, "zero", d)]
    }
    pub(crate) fn grounds(&self, friction: f64, d: &Demand) -> (Vec<Term>, Sources) {
        let mut terms = vec![
            Term::new("F", "the bolts of a jaw", self.bolts_kn * 1000.0, "N"),
            Term::new("C", "the vise closed on the spacer", self.clamp_kn * 1000.0, "N"),
            Term::new("μ", "friction of the material on the vise", friction, ""),
        ];
        terms.extend(d.terms());
        let rule = "bolts: T ÷ (0.2·d), less 30 %; forces within the friction cones that balance the cut, by a linear programme at the worst place and direction. Both jaws and the spacer as one rigid body";
        (terms, Sources(vec![Source::derived(rule), Source::practice("twice is asked for")]))
    }
    pub(crate) fn gently(&self, _: &Material) -> Option<Gently> {
        None
    }
    pub(crate) fn hold_better(&self) -> String {
        "Tighten the bolts of the jaws with the torque that is told, or take less depth.".into()
    }
    pub(crate) fn error(&self) -> Vec<Term> {
        // They are not taken out between being cut and being used.
        Vec::new()
    }
    pub(crate) fn turn(&self) -> [f64; 2] {
        [0.0, self.blanks.width_mm]
    }
    pub(crate) fn actions(&self, _: &Duty, _: &str) -> Vec<String> {
        let b = &self.blanks;
        vec![
            format!(
                "Take the hard jaws off, wipe the vise, bolt on {}: {} bolts a jaw, {} N m",
                b.name,
                trim(BOLTS),
                trim(b.bolt_nm)
            ),
            format!(
                "Close them on a spacer of {} mm that lies on the vise's bed below the nest, with {:.1} kN as in use",
                len(trim(self.spacer)),
                self.clamp_kn
            ),
            "Leave the jaws and the zero as they are afterwards: the part's program uses the same".into(),
        ]
    }
    pub(crate) fn facts(&self) -> Vec<Fact> {
        vec![
            Fact::new("Spacer", self.spacer, "mm", &[], "between the jaws, below the nest"),
            Fact::new("Close it with", self.clamp_kn, "kN", &[], "as in use"),
            Fact::new(
                "Bolts",
                self.blanks.bolt_nm,
                "N m",
                &[],
                format!("hold a jaw with {:.0} kN or more", self.bolts_kn),
            ),
        ]
    }
    pub(crate) fn minutes(&self) -> f64 {
        CHANGE_MIN
    }
    pub(crate) fn needs(&self) -> Vec<String> {
        vec![self.vise.clone(), self.blanks.name.clone(), format!("spacer {} mm", len(trim(self.spacer)))]
    }
    /// That of the jaws when they hold.
    pub(crate) fn zero_in_machine(&self, shop: &Shop) -> DVec3 {
        zero_of(&self.block, shop)
    }
    pub(crate) fn datum(&self) -> [Datum; 3] {
        let [lo, hi] = self.block;
        let words = [
            format!("left end of the blanks is X {:.3}: touched by the edge finder", len(lo.x)),
            format!(
                "back of the fixed jaw, against the vise, is Y {:.3}: touched on the vise's face before the jaw is bolted on",
                len(hi.y)
            ),
            format!("top of the blanks is Z {:.3}: touched when they are closed", len(hi.z)),
        ];
        let mut k = 0..3;
        words.map(|touches| {
            let touch = Term::new("", "edge finder or gauge pin (common practice, no source)", TOUCH, "mm");
            let k = k.next().unwrap_or(2);
            let touched = match k {
                0 => Touched::face(lo.x, false, TouchedWhen::Loaded),
                1 => Touched::face(hi.y, false, TouchedWhen::Empty),
                _ => Touched::face(hi.z, true, TouchedWhen::Loaded),
            };
            Datum::new(["X", "Y", "Z"][k], touches, vec![touch]).at(touched)
        })
    }
}

impl SoftJaws {
    /// How the jaws are held while they are cut themselves.
    pub fn own_hold(&self) -> Hold {
        Hold::JawPair(Box::new(JawPair::of(self)))
    }
}
