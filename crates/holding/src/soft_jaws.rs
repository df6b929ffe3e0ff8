//! Soft jaws in the mill vise: blanks that a nest is cut into, closed on a spacer, so that they hold an outline which two flat jaws do not.
//!
//! The nest is the outline of what stands below the jaws' top, drawn to the split ([`crate::nest`]); the piece stands on its floor by a flat; what stands below
//! that flat has room in the floor. The jaws are cut where the piece is held afterwards, so both have one zero. They are a piece of their own, with
//! a plan and a proof ([`SoftJaws::carved`]). How they are designed stands in `jaw_design`.

use crate::carved::{Carved, Pocket};
use crate::frame::{Datum, Duty, Touched, TouchedWhen, Turning};
use crate::hold::{Body, Demand, Fact, Gently, Holds};
use crate::statics::{Contact, Push};
use crate::vise::{LOAD_MIN, SEAT, TOUCH};
use geom::{Box3, DVec2, DVec3};
use reason::{Source, Sources, Sure, Term, len};
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::machine::{JawBlanks, Material};
use shop::tool::trim;
use ts_rs::TS;

/// The nest is larger all around by this, so that the tolerance of curves makes no overlap, mm.
pub(crate) const ROUND: f64 = 0.004;
/// The jaws are opened by this to take the piece out, mm.
pub const OPEN: f64 = 3.0;
/// Step in a corner of the fixed jaw to take the zero again on: length and depth, mm.
pub(crate) const NOTCH: [f64; 2] = [14.0, 4.0];
/// To take the hard jaws off and bolt these on, or the other way round (common practice, no source), min.
pub const CHANGE_MIN: f64 = 8.0;

/// A place at which a nest bears.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct Touch {
    /// mm.
    #[ts(type = "[number, number, number]")]
    pub at: DVec3,
    /// Into the piece.
    #[ts(type = "[number, number, number]")]
    pub normal: DVec3,
    /// On the moving jaw?
    pub moving: bool,
}

/// A pair of soft jaws with its nest, in the work coordinates of the setup that they hold.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct SoftJaws {
    /// Name of the piece that is made: "jaws-side-2".
    pub made: String,
    /// What they take of the piece: "finished outline".
    pub on: String,
    /// The vise's name.
    pub vise: String,
    /// The blanks.
    pub blanks: JawBlanks,
    /// Height of jaw above the seat, mm.
    pub depth: f64,
    /// Height of the seat, mm.
    pub seat: f64,
    /// They are cut closed on a block of this width, mm, and stand so when they hold.
    pub spacer: f64,
    /// Middle of the gap, mm.
    pub split: f64,
    /// Room at the right end, mm.
    pub room: f64,
    /// Inside corners are no sharper than this, mm.
    pub corner: f64,
    /// What stands above the jaws, mm.
    pub above: f64,
    /// Areas that bear on the fixed and the moving jaw, seen along their travel, and on the seat, mm².
    pub bears_mm2: [f64; 3],
    /// From end to end of what bears on both, mm.
    pub span: f64,
    /// How hard the vise is closed, kN.
    pub clamp_kn: f64,
    /// What the vise would give, kN.
    pub clamp_full_kn: f64,
    /// The outline is round and what is cut is not: nothing in the nest says how far the piece is turned.
    pub turns_freely: bool,
    /// Both blanks on the spacer before anything is cut: least and largest corner, mm.
    #[ts(type = "[[number, number, number], [number, number, number]]")]
    pub block: [DVec3; 2],
    /// Top of the jaws when they are cut, mm.
    pub top: f64,
    /// What is cut into them.
    pub pockets: Vec<Pocket>,
    /// Where they bear.
    pub touches: Vec<Touch>,
    /// Corners of where the piece stands, mm.
    #[ts(type = "[number, number, number][]")]
    pub stands: Vec<DVec3>,
    /// The jaws' solids.
    pub bodies: Vec<Body>,
    /// Terms of the check.
    pub terms: Vec<Term>,
}

impl SoftJaws {
    /// The pair as one block on its spacer, as it is cut: the gap between the jaws is drawn solid where nothing is cut.
    pub fn carved(&self) -> Carved {
        let [min, max] = self.block;
        Carved { block: Box3 { min, max: DVec3::new(max.x, max.y, self.top) }, pockets: self.pockets.clone() }
    }
    /// Each jaw alone, as it stands when it holds.
    pub fn halves(&self) -> [(&'static str, Carved); 2] {
        let whole = self.carved();
        let half = |min_y: f64, max_y: f64| {
            let b = whole.block;
            let block = Box3 { min: DVec3::new(b.min.x, min_y, b.min.z), max: DVec3::new(b.max.x, max_y, b.max.z) };
            Carved { block, pockets: whole.pockets.clone() }
        };
        let (y0, y1) = (whole.block.min.y, whole.block.max.y);
        [
            ("fixed soft jaw", half(self.split + self.spacer / 2.0, y1)),
            ("moving soft jaw", half(y0, self.split - self.spacer / 2.0)),
        ]
    }
    /// The jaws as bodies in layers, from the bed up.
    pub(crate) fn jaw_bodies(&self) -> Vec<Body> {
        self.halves()
            .into_iter()
            .map(|(name, c)| Body { in_front: name == "moving soft jaw", ..c.body(name) })
            .collect()
    }
    /// What bears on the jaw that bears less, mm².
    pub(crate) fn bears(&self) -> f64 {
        self.bears_mm2[0].at_most(self.bears_mm2[1])
    }
    /// Larger is better.
    pub(crate) fn worth(&self) -> f64 {
        self.bears().at_most(600.0) * self.bears_mm2[2].at_most(400.0)
    }
    /// With this much more above the part.
    pub(crate) fn under(mut self, over: f64) -> SoftJaws {
        self.above += over;
        for t in &mut self.terms {
            match t.symbol.as_str() {
                "h" => t.value = self.above,
                "h/g" => t.value = self.above / self.depth,
                _ => {}
            }
        }
        self
    }
    pub(crate) fn contacts(&self, friction: f64) -> Vec<Contact> {
        let jaw = |name: &str, moving: bool, normal: DVec3, push: Push| {
            let mine: Vec<&Touch> = self.touches.iter().filter(|t| t.moving == moving).collect();
            Contact {
                name: name.into(),
                at: mine.iter().map(|t| t.at).collect(),
                normal,
                normals: mine.iter().map(|t| t.normal).collect(),
                friction,
                push,
            }
        };
        vec![
            jaw("fixed soft jaw", false, -DVec3::Y, Push::Passive),
            jaw("moving soft jaw", true, DVec3::Y, Push::Clamp(self.clamp_kn * 1000.0)),
            Contact {
                name: "seat".into(),
                at: self.stands.clone(),
                normal: DVec3::Z,
                normals: Vec::new(),
                friction: 0.0,
                push: Push::Passive,
            },
        ]
    }
    pub(crate) fn holds(&self, friction: f64, d: &Demand) -> Vec<Holds> {
        let middle = DVec2::new(f64::midpoint(self.block[0].x, self.block[1].x), self.split);
        vec![Holds::together(&self.contacts(friction), middle, "seat", d)]
    }
    pub(crate) fn grounds(&self, friction: f64, d: &Demand) -> (Vec<Term>, Sources) {
        let mut terms = self.terms.clone();
        terms.push(Term::new("μ", "friction of the material on a jaw", friction, ""));
        terms.extend(d.terms());
        let rule = "forces within the friction cones of the nest's walls and the seat that balance the cut, by a linear programme at the worst place and direction; walls steeper than 60° to the jaws' travel without friction. Coulomb's friction, rigid jaws";
        (terms, Sources(vec![Source::derived(rule), Source::practice("twice is asked for")]))
    }
    fn is_gentle(&self) -> bool {
        self.clamp_kn < 0.95 * self.clamp_full_kn
    }
    pub(crate) fn gently(&self, material: &Material) -> Option<Gently> {
        let area = self.bears();
        let full = self.clamp_full_kn;
        self.is_gentle().then(|| {
            let what = format!("Close the vise with {:.1} kN only, not the {full:.0} kN that it gives", self.clamp_kn);
            let why = format!(
                "{area:.0} mm² bear; with all of it the pressure would be {:.0} N/mm², and {} yields at {:.0}. Half of that leaves no mark.",
                full * 1000.0 / area,
                material.name,
                material.yield_mpa
            );
            (what, why)
        })
    }
    pub(crate) fn hold_better(&self) -> String {
        format!(
            "Closed with {:.1} kN the soft jaws hold less than twice (common practice, no source): take less depth, or hold it another way.",
            self.clamp_kn
        )
    }
    pub(crate) fn error(&self) -> Vec<Term> {
        [
            ("x, pushed to the left against the nest", SEAT),
            ("y, seat against the fixed jaw's nest", SEAT),
            ("z, seat on the nest's floor", SEAT),
        ]
        .map(|(what, v)| Term::new("", what, v, "mm"))
        .to_vec()
    }
    /// Play, and the span over which it may turn the piece, mm.
    pub(crate) fn turn(&self) -> [f64; 2] {
        [2.0 * ROUND + SEAT, self.span]
    }
    pub(crate) fn actions(&self, duty: &Duty, up: &str) -> Vec<String> {
        let mut out = vec![format!(
            "Soft jaws '{}', cut in this vise and not moved since: nest {} mm deep, cut on a spacer of {} mm",
            self.made,
            len(trim(self.depth)),
            len(trim(self.spacer))
        )];
        match duty.turning() {
            Turning::Not => {}
            Turning::Over => out.push("Turn over about X: what was up stands on the nest's floor".into()),
            Turning::Up => out.push(format!("Stand it up: {up} of the part is up, its end stands on the nest's floor")),
        }
        out.push(format!(
            "Take the spacer out, open by {} mm, brush the nest clean, lay it in, push it to the left, tap it down, close",
            len(trim(OPEN))
        ));
        if self.is_gentle() {
            out.push(format!("Close it with {:.1} kN only: more leaves marks", self.clamp_kn));
        }
        if self.turns_freely {
            out.push("The nest is round: turn the part to the mark that was scribed across part and hat".into());
        }
        out
    }
    pub(crate) fn facts(&self) -> Vec<Fact> {
        let [f, m, s] = self.bears_mm2;
        let force = if self.is_gentle() {
            format!("not the {:.0} kN it gives: more leaves marks", self.clamp_full_kn)
        } else {
            format!("all of the {}", self.vise)
        };
        vec![
            Fact::new(
                "Nest",
                self.depth,
                "mm",
                &self.terms,
                format!("deep, inside corners R {:.1} or more", len(self.corner)),
            ),
            Fact::new("Cut closed on", self.spacer, "mm", &[], format!("spacer between {}", self.blanks.name)),
            Fact::new(
                "Bears on the fixed jaw",
                f,
                "mm²",
                &[],
                format!("{m:.0} mm² on the moving one, {s:.0} mm² below"),
            ),
            Fact::new("Room at the right end", self.room, "mm", &[], "push the part to the left"),
            Fact::new("Close it with", self.clamp_kn, "kN", &self.terms, force),
            Fact::new("Above the jaws", self.above, "mm", &[], ""),
        ]
    }
    pub(crate) fn minutes(&self) -> f64 {
        LOAD_MIN
    }
    pub(crate) fn needs(&self) -> Vec<String> {
        vec![self.vise.clone(), self.blanks.name.clone(), format!("spacer {} mm", len(trim(self.spacer)))]
    }
    /// The zero is that of the jaws: they were cut in this frame. It can be taken again with the part clamped.
    pub(crate) fn datum(&self) -> [Datum; 3] {
        let touch = Term::new(
            "",
            "edge finder or gauge pin when the jaws were zeroed (common practice, no source)",
            TOUCH,
            "mm",
        );
        let [notch, deep] = NOTCH;
        let at = [self.block[0].x + notch, self.block[1].y - notch, self.top];
        let words = [
            format!(
                "as the jaws were cut, not touched again; if it is lost: left face of the notch in the fixed jaw is X {:.3}",
                len(at[0])
            ),
            format!(
                "as the jaws were cut, not touched again; if it is lost: back face of the notch is Y {:.3}",
                len(at[1])
            ),
            format!(
                "as the jaws were cut, not touched again; if it is lost: top of the jaws is Z {:.3} (the notch lies {} mm lower)",
                len(at[2]),
                len(trim(deep))
            ),
        ];
        let mut k = 0..3;
        words.map(|touches| {
            let k = k.next().unwrap_or(2);
            let seat = self.error().into_iter().skip(k).take(1);
            // The notch lies before its left face and behind its back one.
            let touched = Touched::face(at[k], k != 0, TouchedWhen::Kept);
            Datum::new(["X", "Y", "Z"][k], touches, std::iter::once(touch.clone()).chain(seat).collect()).at(touched)
        })
    }
    pub(crate) fn zero_in_machine(&self, shop: &Shop) -> DVec3 {
        zero_of(&self.block, shop)
    }
}

/// Work zero when blanks stand on the vise's bed, and the vise in the middle of the table.
pub(crate) fn zero_of(block: &[DVec3; 2], shop: &Shop) -> DVec3 {
    let m = &shop.machine;
    let [x, y] = m.middle_mm();
    let middle = (block[0] + block[1]) / 2.0;
    DVec3::new(x - middle.x, y - middle.y, -m.nose_to_table_mm + shop.vise.bed_height_mm - block[0].z)
}
