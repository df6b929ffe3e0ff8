//! Finding a zero: what touches what, and how a reading becomes the offset.
//!
//! Machine coordinates are those of the spindle nose. The offset o of an axis is what is added to a work coordinate to get the machine's:
//! machine = work + o, and for Z of the nose machine = work + o + L with the length L of the cutter in use. So with something that stands at w in work
//! coordinates and is found at machine coordinate m, o = m − w. What is found is never the spindle's own place:
//!
//! | aid | on a face | on a middle | from above |
//! |---|---|---|---|
//! | edge finder, probe (tip Ø d) | m = X ∓ d/2 (standing above or below) | m = (X₁ + X₂)/2 | probe: m = Z − L |
//! | pin or paper (d) beside a cutter Ø D | m = X ∓ (d + D/2) | – | m = Z − L − d |
//! | indicator, coned plug | – | m = X | – |
//!
//! (Common practice, no source: it is the geometry of two circles and a line.) On a middle, half sums need no radius, and the difference gives the size back:
//! |X₁ − X₂| + d of what is inside, − d of what is outside.

use crate::card::{Ask, Check, Outcome, Reads, Sets, Sum, Way, slug};
use holding::{Touched, TouchedOn};
use reason::len;
use shop::aid::{Aid, AidKind};

/// What is known when a zero is looked for.
#[derive(Debug, Clone)]
pub struct Wanted<'a> {
    /// 0 X, 1 Y, 2 Z.
    pub axis: usize,
    /// What is touched.
    pub touched: Touched,
    /// Where the plan has the zero, machine coordinates, mm.
    pub planned: f64,
    /// All of it.
    pub zero: [f64; 3],
    /// Within these the program stays in the machine's travel, mm.
    pub travel: [f64; 2],
    /// Where it is entered: "G54".
    pub offset: &'a str,
    /// Key under which the length of cutter T stands, and that T, its length and diameter as planned: what is in the spindle when a pin or paper is used.
    pub cutter: Option<(String, u32, f64, f64)>,
}

const NAMES: [&str; 3] = ["X", "Y", "Z"];
/// A zero may stand so far from its plan before somebody should look, mm: further than a vise is set by hand (common practice, no source).
const AS_PLANNED: f64 = 5.0;
/// A size found by halves may differ by this before the halves are doubted, mm (common practice, no source).
const HALVES: f64 = 0.1;

impl Wanted<'_> {
    fn outcome(&self, sum: Sum, formula: &str) -> Outcome {
        let name = NAMES[self.axis];
        let travel = format!("within the machine's travel for this program; planned is {:.3}", len(self.planned));
        let look = "The zero is far from where it is planned: look whether a sign or a digit is wrong, and where the vise stands. The proof holds for any place, if the program stays within the travel";
        let out = "The program would leave the machine's travel: move what holds the piece, and touch again";
        let (lo, hi) = (self.planned - AS_PLANNED, self.planned + AS_PLANNED);
        let check = Check::must(self.travel[0], self.travel[1], &travel).should(lo, hi);
        let (below, above) =
            (format!("{look}. {out}, to a larger {name}"), format!("{look}. {out}, to a smaller {name}"));
        Outcome {
            id: "offset".into(),
            label: format!("Zero {name}"),
            unit: "mm".into(),
            then: format!("Enter it as {name} of {}", self.offset),
            sum,
            formula: formula.into(),
            check: check.or(&below, &above),
            sets: Some(Sets::Zero { axis: self.axis }),
        }
    }
    /// What is touched, `off` beside the middle of it.
    fn place(&self, off: f64) -> [f64; 3] {
        let mut at = self.zero;
        at[self.axis] = self.planned + self.touched.at_mm + off;
        at
    }
    fn face(&self, off: f64, side: f64, aid: &Aid, tool: Option<u32>) -> Option<Reads> {
        let (at, axis) = (self.place(off), self.axis);
        Some(Reads::Face { at, axis, side, size_mm: aid.size_mm, tool, off_mm: aid.off_mm })
    }
    fn reading(&self, id: &str, label: String, planned: f64) -> Ask {
        Ask::length(id, label, Some(planned), Check::none())
    }
    fn way(&self, aid: &Aid, says: Vec<String>, asks: Vec<Ask>, outcomes: Vec<Outcome>) -> Way {
        Way { id: slug(&aid.name), title: aid.name.clone(), says, asks, outcomes }
    }
    /// With this aid, if it can find it.
    pub fn by(&self, aid: &Aid) -> Option<Way> {
        let (name, at) = (NAMES[self.axis], self.touched.at_mm);
        let machine = self.planned + at;
        match (self.touched.on, aid.kind) {
            (TouchedOn::Face { above }, AidKind::EdgeFinder | AidKind::Probe) if self.axis < 2 => {
                let sign = if above { 1.0 } else { -1.0 };
                let r = aid.size_mm / 2.0;
                let side = self.side(above);
                let mut reads = self.reading("at", format!("Machine {name} when it touches"), machine + sign * r);
                reads.reads = self.face(0.0, sign, aid, None);
                let sum = Sum::of(-sign * r - at, &[("at", 1.0)]);
                let formula = format!(
                    "machine {name} {} tip ÷ 2 ({:.3}){}",
                    if above { "−" } else { "+" },
                    len(r),
                    place_words(at)
                );
                let says =
                    vec![format!("Bring it to the face from {side}, slowly at the end; read the machine's {name}")];
                Some(self.way(aid, says, vec![reads], vec![self.outcome(sum, &formula)]))
            }
            (TouchedOn::Middle { inside, across_mm }, AidKind::EdgeFinder | AidKind::Probe) if self.axis < 2 => {
                let r = aid.size_mm / 2.0;
                let half = across_mm.map(|d| if inside { d / 2.0 - r } else { d / 2.0 + r });
                let ask = |id: &str, label: &str, sign: f64| {
                    let mut a = self.reading(id, format!("Machine {name} {label}"), machine);
                    a.planned = half.map(|h| machine + sign * h);
                    // From inside the tip stands nearer to the middle than the face.
                    let side = if inside { -sign } else { sign };
                    a.reads = across_mm.and_then(|d| self.face(sign * d / 2.0, side, aid, None));
                    a
                };
                let asks = vec![ask("low", "at the smaller end", -1.0), ask("high", "at the larger end", 1.0)];
                let size = if inside { aid.size_mm } else { -aid.size_mm };
                let check = across_mm.map_or_else(Check::none, |d| {
                    let why = format!("the size that is planned, {:.3}, give or take {:.2}", len(d), len(HALVES));
                    let look = "The halves do not give the size: touch both ends again at the same height and place";
                    Check { should: [Some(d - HALVES), Some(d + HALVES)], why, ..Check::none() }.or(look, look)
                });
                let across = Outcome {
                    id: "across".into(),
                    label: "From side to side".into(),
                    unit: "mm".into(),
                    then: "It should be the size that is known".into(),
                    sum: Sum::of(size, &[("high", 1.0), ("low", -1.0)]),
                    formula: format!("larger − smaller {} tip", if inside { "+" } else { "−" }),
                    check,
                    sets: None,
                };
                let offset = self
                    .outcome(Sum::of(-at, &[("low", 0.5), ("high", 0.5)]), &format!("half of both{}", place_words(at)));
                let says = vec![format!(
                    "Touch both sides {}, without moving the other axis; the tip's size drops out",
                    if inside { "from inside" } else { "from outside" }
                )];
                Some(self.way(aid, says, asks, vec![offset, across]))
            }
            (TouchedOn::Face { above }, AidKind::Pin | AidKind::Paper) => {
                let (key, t, length, diameter) = self.cutter.clone()?;
                let (what, word) = match aid.kind {
                    AidKind::Pin => ("pin", "until the pin just passes below, rolled by hand; the spindle stands"),
                    _ => ("paper", "until the paper just drags; the spindle stands"),
                };
                if self.axis == 2 {
                    let mut reads = self.reading(
                        "at",
                        format!("Machine Z when the {what} just passes"),
                        machine + length + aid.size_mm,
                    );
                    reads.reads = self.face(0.0, 1.0, aid, Some(t));
                    let mut tip = self.reading("length", format!("Length of T{t}"), length);
                    (tip.unsaid, tip.from) = (Some(length), Some(key));
                    let sum = Sum::of(-aid.size_mm - at, &[("at", 1.0), ("length", -1.0)]);
                    let formula = format!("machine Z − length − {what} ({:.3}){}", len(aid.size_mm), place_words(at));
                    let says = vec![
                        format!("T{t} in the spindle, its length as it stands in the table"),
                        format!("Come down beside it, then raise in steps of 0.01 mm {word}; never down onto it"),
                    ];
                    return Some(self.way(aid, says, vec![reads, tip], vec![self.outcome(sum, &formula)]));
                }
                let sign = if above { 1.0 } else { -1.0 };
                let mut wide = self.reading("diameter", format!("Diameter of T{t}"), diameter);
                wide.unsaid = Some(diameter);
                let mut reads = self.reading(
                    "at",
                    format!("Machine {name} when the {what} just passes"),
                    machine + sign * (aid.size_mm + diameter / 2.0),
                );
                reads.reads = self.face(0.0, sign, aid, Some(t));
                let sum = Sum::of(-sign * aid.size_mm - at, &[("at", 1.0), ("diameter", -sign / 2.0)]);
                let formula = format!(
                    "machine {name} {} ({what} {:.3} + cutter ÷ 2){}",
                    if above { "−" } else { "+" },
                    len(aid.size_mm),
                    place_words(at)
                );
                let says =
                    vec![format!("T{t} in the spindle, from {}; off in steps of 0.01 mm {word}", self.side(above))];
                Some(self.way(aid, says, vec![reads, wide], vec![self.outcome(sum, &formula)]))
            }
            (TouchedOn::Face { above: true }, AidKind::Probe) => {
                let reads = self.reading("at", "Machine Z when it touches".into(), machine);
                let length = self.reading("length", "Length of the probe".into(), 0.0);
                let (reads, length) = (Ask { planned: None, ..reads }, Ask { planned: None, ..length });
                let sum = Sum::of(-at, &[("at", 1.0), ("length", -1.0)]);
                let formula = format!("machine Z − length of the probe{}", place_words(at));
                let says = vec!["Bring it down slowly".into()];
                Some(self.way(aid, says, vec![reads, length], vec![self.outcome(sum, &formula)]))
            }
            (TouchedOn::Middle { inside, across_mm }, AidKind::Indicator | AidKind::Plug) if self.axis < 2 => {
                let plug = aid.kind == AidKind::Plug;
                if (plug && !inside) || across_mm.is_some_and(|d| d > aid.size_mm) {
                    return None;
                }
                let says = vec![if plug {
                    "Lower it into the hole's mouth until it is centred by itself, the spindle free; read the machine"
                        .into()
                } else {
                    "Swing it once around: move until it reads the same all the way; read the machine".into()
                }];
                let mut reads = self.reading("at", format!("Machine {name} over the middle"), machine);
                reads.reads = Some(Reads::Middle { at: self.place(0.0), axis: self.axis, off_mm: aid.off_mm });
                let formula = format!("machine {name}{}", place_words(at));
                Some(self.way(aid, says, vec![reads], vec![self.outcome(Sum::of(-at, &[("at", 1.0)]), &formula)]))
            }
            _ => None,
        }
    }
    /// With what the shop has, the surest first.
    pub fn ways(&self, aids: &[Aid]) -> Vec<Way> {
        let mut all: Vec<&Aid> = aids.iter().collect();
        let middle = matches!(self.touched.on, TouchedOn::Middle { .. });
        // Of two as good the one that was made for it.
        let made_for = |a: &Aid| middle == (a.kind == AidKind::Indicator);
        all.sort_by(|a, b| a.off_mm.total_cmp(&b.off_mm).then(made_for(b).cmp(&made_for(a))));
        let mut out: Vec<Way> = all.into_iter().filter_map(|a| self.by(a)).collect();
        out.push(self.typed());
        out
    }
    /// As it was found otherwise.
    fn typed(&self) -> Way {
        let name = NAMES[self.axis];
        Way {
            id: "otherwise".into(),
            title: "Found otherwise".into(),
            says: vec!["By a cycle of the control, or in a way of your own: type the offset that came out".into()],
            asks: vec![self.reading("at", format!("Offset {name}"), self.planned)],
            outcomes: vec![self.outcome(Sum::of(0.0, &[("at", 1.0)]), "as typed")],
        }
    }
    /// As it was found for the setup before; what is touched is higher by so much now, mm.
    pub fn as_before(&self, setup: &str, key: &str, by: f64) -> Way {
        let mut says = vec![format!("The vise was not moved since {setup}: the same face stands where it stood")];
        if by.abs() > 1e-9 {
            let way = if by > 0.0 { "higher" } else { "lower" };
            says = vec![format!(
                "The vise was not moved since {setup}; the parallels are {:.2} mm {way} than there",
                len(by.abs())
            )];
        }
        let formula =
            if by.abs() > 1e-9 { "the zero before, and the difference of the parallels" } else { "the zero before" };
        let mut offset = self.outcome(Sum::of(by, &[(key, 1.0)]), formula);
        // Where the vise stands was looked at when it was found first.
        offset.check.should = [None, None];
        Way { id: "as-before".into(), title: format!("As on {setup}"), says, asks: Vec::new(), outcomes: vec![offset] }
    }
    /// Not touched: it is that of an earlier step.
    pub fn kept(&self, key: &str) -> Way {
        Way {
            id: "kept".into(),
            title: "As it stands".into(),
            says: vec!["Not touched again: the zero of the piece before holds, nothing was moved since".into()],
            asks: Vec::new(),
            outcomes: vec![self.outcome(Sum::of(0.0, &[(key, 1.0)]), "the zero that was found before")],
        }
    }
    fn side(&self, above: bool) -> &'static str {
        match (self.axis, above) {
            (0, true) => "the right",
            (0, false) => "the left",
            (1, true) => "behind",
            (1, false) => "the front",
            (_, true) => "above",
            (_, false) => "below",
        }
    }
}

/// " − its place (3.000)".
fn place_words(at: f64) -> String {
    if at.abs() < 5e-4 {
        return String::new();
    }
    format!(" {} its place ({:.3})", if at > 0.0 { "−" } else { "+" }, len(at.abs()))
}
