//! A piece of material as it lies in the rack.

use geom::{DVec2, Region};
use reason::len;
use serde::{Deserialize, Serialize};
use shop::tool::trim;
use std::f64::consts::PI;
use ts_rs::TS;

/// A length between two limits: of a batch, or as measured in several places, mm.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct Range {
    /// Shortest.
    pub least: f64,
    /// Longest.
    pub most: f64,
}

impl Range {
    /// Just this.
    pub fn just(v: f64) -> Range {
        Range { least: v, most: v }
    }
    /// In the middle.
    pub fn mean(&self) -> f64 {
        f64::midpoint(self.least, self.most)
    }
    /// Is it one length?
    pub fn is_one(&self) -> bool {
        self.most - self.least < 1e-9
    }
    /// "120" or "118–122".
    pub fn words(&self) -> String {
        if self.is_one() {
            len(trim(self.least)).to_string()
        } else {
            format!("{}–{}", len(trim(self.least)), len(trim(self.most)))
        }
    }
    fn less(&self, by: f64) -> Range {
        Range { least: self.least - by, most: self.most - by }
    }
}

/// How the long faces of a piece were made.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Skin {
    /// By a saw: neither flat nor square.
    Sawn,
    /// Hot rolled or extruded: flat enough to hold, not a finished face.
    Rolled,
    /// Cold drawn to size: a finished face.
    Drawn,
    /// Ground to size: a finished face.
    Ground,
    /// Milled square: a finished face.
    Milled,
    /// As cast.
    Cast,
}

impl Skin {
    /// All, with the words of a table.
    pub const ALL: [(Skin, &str); 6] = [
        (Skin::Sawn, "sawn"),
        (Skin::Rolled, "rolled"),
        (Skin::Drawn, "drawn"),
        (Skin::Ground, "ground"),
        (Skin::Milled, "milled"),
        (Skin::Cast, "cast"),
    ];
    /// In a word.
    pub fn word(self) -> &'static str {
        Skin::ALL.iter().find(|s| s.0 == self).map_or("", |s| s.1)
    }
    /// May a face of it stay as it is on the finished part?
    pub fn finished(self) -> bool {
        matches!(self, Skin::Drawn | Skin::Ground | Skin::Milled)
    }
    /// Is it too uneven to grip or rest on?
    pub fn uneven(self) -> bool {
        matches!(self, Skin::Sawn | Skin::Cast)
    }
}

/// Shape and sizes, mm.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(tag = "form", rename_all = "snake_case")]
pub enum Form {
    /// Six sides, all made alike.
    Block { length: Range, width: f64, height: f64 },
    /// Flat or square bar: four long sides made alike, sawn ends.
    Flat { length: Range, width: f64, height: f64 },
    /// Two large faces, sawn edges. An odd outline (closed, from its low corner) makes it smaller than its box; none: a rectangle.
    Plate { length: f64, width: f64, height: f64, outline: Vec<[f64; 2]> },
    /// Round bar.
    Round { length: Range, diameter: f64 },
    /// Hexagon bar; two flats lie across z.
    Hex { length: Range, across: f64 },
    /// Tube.
    Tube { length: Range, diameter: f64, bore: f64 },
    /// A casting of the part: its box, and the material over the finished part on each side.
    Casting { length: f64, width: f64, height: f64, allowance: Range },
    /// Slabs of one thickness glued face to face; a joint between each two.
    Slabs { length: f64, width: f64, slab: f64, count: u32 },
    /// From another shop, measured in several places.
    Blank { length: Range, width: Range, height: Range },
    /// What an earlier job left: the box around it.
    Result { job: String, length: f64, width: f64, height: f64 },
}

impl Form {
    /// Names as a table has them.
    pub const NAMES: [&'static str; 10] =
        ["block", "flat", "plate", "round", "hex", "tube", "casting", "slabs", "blank", "result"];
    /// Its name.
    pub fn name(&self) -> &'static str {
        let k = match self {
            Form::Block { .. } => 0,
            Form::Flat { .. } => 1,
            Form::Plate { .. } => 2,
            Form::Round { .. } => 3,
            Form::Hex { .. } => 4,
            Form::Tube { .. } => 5,
            Form::Casting { .. } => 6,
            Form::Slabs { .. } => 7,
            Form::Blank { .. } => 8,
            Form::Result { .. } => 9,
        };
        Form::NAMES[k]
    }
    /// Box around it along x, y, z.
    pub fn envelope(&self) -> [Range; 3] {
        let one = Range::just;
        match self {
            Form::Block { length, width, height } | Form::Flat { length, width, height } => {
                [*length, one(*width), one(*height)]
            }
            Form::Plate { length, width, height, .. }
            | Form::Casting { length, width, height, .. }
            | Form::Result { length, width, height, .. } => [one(*length), one(*width), one(*height)],
            Form::Round { length, diameter } | Form::Tube { length, diameter, .. } => {
                [*length, one(*diameter), one(*diameter)]
            }
            Form::Hex { length, across } => [*length, one(across * 2.0 / 3.0_f64.sqrt()), one(*across)],
            Form::Slabs { length, width, slab, count } => [one(*length), one(*width), one(slab * f64::from(*count))],
            Form::Blank { length, width, height } => [*length, *width, *height],
        }
    }
    /// Section square to x, in (y, z) of the piece; of blanks the smallest.
    pub fn section(&self) -> Region {
        let e = self.envelope();
        let middle = DVec2::new(e[1].mean() / 2.0, e[2].mean() / 2.0);
        match self {
            Form::Round { diameter, .. } => Region::disc(middle, diameter / 2.0, 0.002),
            Form::Tube { diameter, bore, .. } => {
                Region::disc(middle, diameter / 2.0, 0.002).minus(&Region::disc(middle, bore / 2.0, 0.002))
            }
            Form::Hex { across, .. } => {
                let r = across / 3.0_f64.sqrt();
                let corners: Vec<DVec2> =
                    (0..6).map(|k| middle + DVec2::from_angle(f64::from(k) * PI / 3.0) * r).collect();
                Region::from_loops([corners.as_slice()])
            }
            _ => Region::rect(DVec2::ZERO, DVec2::new(e[1].least, e[2].least)),
        }
    }
    /// Outline seen from above, in (x, y); of batches the shortest.
    pub fn plan(&self) -> Region {
        let e = self.envelope();
        match self {
            Form::Plate { outline, .. } if !outline.is_empty() => {
                let points: Vec<DVec2> = outline.iter().map(|p| DVec2::from_array(*p)).collect();
                Region::from_loops([points.as_slice()])
            }
            _ => Region::rect(DVec2::ZERO, DVec2::new(e[0].least, e[1].least)),
        }
    }
    /// Is it a cuboid?
    pub fn is_box(&self) -> bool {
        !self.is_round_bar() && !self.is_odd()
    }
    /// A plate with an outline of its own.
    pub fn is_odd(&self) -> bool {
        matches!(self, Form::Plate { outline, .. } if !outline.is_empty())
    }
    /// A casting's allowance, least and most, mm.
    pub fn cast(&self) -> Option<(f64, f64)> {
        match self {
            Form::Casting { allowance: a, .. } => Some((a.least, a.most)),
            _ => None,
        }
    }
    /// Is it a bar, of which a length is sawn off?
    pub fn is_bar(&self) -> bool {
        matches!(self, Form::Flat { .. }) || self.is_round_bar()
    }
    /// Round, hexagon or tube: its section across x is no rectangle.
    pub fn is_round_bar(&self) -> bool {
        matches!(self, Form::Round { .. } | Form::Hex { .. } | Form::Tube { .. })
    }
    /// mm³; lengths at their middle. A casting's box is not its volume: what is over is added to the part's own by whoever knows it.
    pub fn volume(&self) -> f64 {
        let e = self.envelope().map(|r| r.mean());
        match self {
            Form::Round { .. } | Form::Hex { .. } | Form::Tube { .. } => self.section().area() * e[0],
            Form::Plate { .. } => self.plan().area() * e[2],
            _ => e.iter().product(),
        }
    }
    /// "flat 40 × 20 × 300 long".
    pub fn words(&self) -> String {
        match self {
            Form::Block { length, width, height } => {
                format!("block {} × {} × {}", length.words(), len(trim(*width)), len(trim(*height)))
            }
            Form::Flat { length, width, height } => {
                format!("flat {} × {}, {} long", len(trim(*width)), len(trim(*height)), length.words())
            }
            Form::Plate { length, width, height, outline } => {
                let odd = if outline.is_empty() { "" } else { ", odd outline" };
                format!("plate {} thick, {} × {}{odd}", len(trim(*height)), len(trim(*length)), len(trim(*width)))
            }
            Form::Round { length, diameter } => format!("round Ø{}, {} long", len(trim(*diameter)), length.words()),
            Form::Hex { length, across } => {
                format!("hexagon {} across flats, {} long", len(trim(*across)), length.words())
            }
            Form::Tube { length, diameter, bore } => {
                format!("tube Ø{} / Ø{}, {} long", len(trim(*diameter)), len(trim(*bore)), length.words())
            }
            Form::Casting { length, width, height, allowance } => {
                format!(
                    "casting {} × {} × {}, {} over",
                    len(trim(*length)),
                    len(trim(*width)),
                    len(trim(*height)),
                    allowance.words()
                )
            }
            Form::Slabs { length, width, slab, count } => {
                format!("{count} slabs of {} glued, {} × {}", len(trim(*slab)), len(trim(*length)), len(trim(*width)))
            }
            Form::Blank { length, width, height } => {
                format!("blank {} × {} × {}", length.words(), width.words(), height.words())
            }
            Form::Result { job, length, width, height } => {
                format!("result of {job}, {} × {} × {}", len(trim(*length)), len(trim(*width)), len(trim(*height)))
            }
        }
    }
    /// Joint planes, z of the piece.
    pub fn joints(&self) -> Vec<f64> {
        match self {
            Form::Slabs { slab, count, .. } => (1..*count).map(|k| slab * f64::from(k)).collect(),
            _ => Vec::new(),
        }
    }
    /// The same piece after its length was cut to `to`; plates and blocks too.
    pub(crate) fn of_length(&self, to: Range) -> Form {
        let mut f = self.clone();
        match &mut f {
            Form::Block { length, .. }
            | Form::Flat { length, .. }
            | Form::Round { length, .. }
            | Form::Hex { length, .. }
            | Form::Tube { length, .. }
            | Form::Blank { length, .. } => *length = to,
            Form::Plate { length, .. }
            | Form::Casting { length, .. }
            | Form::Slabs { length, .. }
            | Form::Result { length, .. } => *length = to.mean(),
        }
        f
    }
    /// The length shortened.
    pub(crate) fn shorter(&self, by: f64) -> Form {
        self.of_length(self.envelope()[0].less(by))
    }
}

/// A piece, or several that are alike.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Piece {
    /// The tag on it: one of its kind in the rack.
    pub name: String,
    /// Material id of the shop.
    pub material: String,
    /// Shape.
    pub shape: Form,
    /// Long faces of bars, large faces of plates, all faces of blocks.
    pub skin: Skin,
    /// How many are left.
    pub quantity: u32,
    /// What one cost, in the shop's money.
    pub cost: Option<f64>,
    /// Tag of the piece that it was sawn off.
    pub remnant_of: Option<String>,
    /// Where it lies, and whatever else.
    pub note: String,
}

/// Corners of an outline at most.
const MOST_CORNERS: usize = 500;
/// Longest side of a piece, mm.
const LONGEST: f64 = 12_000.0;

impl Piece {
    /// One piece with a tag, nothing else said.
    pub fn new(name: &str, material: &str, shape: Form, skin: Skin) -> Piece {
        Piece {
            name: name.into(),
            material: material.into(),
            shape,
            skin,
            quantity: 1,
            cost: None,
            remnant_of: None,
            note: String::new(),
        }
    }
    /// Skin of the faces across an axis of the piece (0 x, 1 y, 2 z).
    pub fn skin_across(&self, axis: usize) -> Skin {
        match self.shape {
            Form::Block { .. } | Form::Blank { .. } | Form::Result { .. } | Form::Casting { .. } => self.skin,
            Form::Plate { .. } | Form::Slabs { .. } if axis < 2 => Skin::Sawn,
            _ if axis == 0 => Skin::Sawn,
            _ => self.skin,
        }
    }
    /// "B3: flat 40 × 20, 300 long".
    pub fn words(&self) -> String {
        format!("{}: {}", self.name, self.shape.words())
    }
    /// What makes no sense in it: a sentence that says what to do.
    pub fn fault(&self) -> Option<String> {
        let name = self.name.trim();
        if name.is_empty() || name.chars().count() > 60 {
            return Some("A piece needs a tag of 1 to 60 characters".into());
        }
        if self.name.chars().any(char::is_control) || self.note.chars().any(|c| c.is_control() && c != '\n') {
            return Some("Tag and note are plain text".into());
        }
        if self.note.len() > 500 || self.remnant_of.as_ref().is_some_and(|r| r.len() > 240) {
            return Some("A note is at most 500 characters long".into());
        }
        if self.quantity > 100_000 {
            return Some("A quantity is at most 100000".into());
        }
        if self.cost.is_some_and(|c| !c.is_finite() || c < 0.0) {
            return Some("A cost is 0 or more".into());
        }
        for (r, what) in self.shape.envelope().iter().zip(["length", "width", "height"]) {
            if !r.least.is_finite() || !r.most.is_finite() || r.least < 0.1 || r.most > LONGEST {
                return Some(format!("The {what} lies between 0.1 and {LONGEST} mm", LONGEST = len(LONGEST)));
            }
            if r.most < r.least {
                return Some(format!(
                    "The shortest {what} comes first: {} is more than {}",
                    trim(r.least),
                    trim(r.most)
                ));
            }
        }
        match &self.shape {
            Form::Tube { diameter, bore, .. } if !(0.1..diameter - 0.1).contains(bore) => {
                Some("A tube's bore is more than 0 and less than its diameter".into())
            }
            Form::Casting { allowance: a, .. } if !(a.least >= 0.0 && a.most >= a.least && a.most <= 100.0) => {
                Some("A casting's allowance runs from 0 or more to at most 100 mm".into())
            }
            Form::Slabs { count, .. } if !(2..=100).contains(count) => Some("Slabs are 2 to 100".into()),
            Form::Plate { length, width, outline, .. } if !outline.is_empty() => {
                let out = |p: &[f64; 2]| {
                    !p.iter().all(|v| v.is_finite())
                        || p[0] < -1e-6
                        || p[1] < -1e-6
                        || p[0] > length + 1e-6
                        || p[1] > width + 1e-6
                };
                if outline.len() < 3 || outline.len() > MOST_CORNERS {
                    Some(format!("An outline has 3 to {MOST_CORNERS} corners"))
                } else if outline.iter().any(out) {
                    Some("The outline's corners lie within length and width of the plate".into())
                } else if self.shape.plan().area() < 1.0 {
                    Some("The outline encloses no area".into())
                } else {
                    None
                }
            }
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn piece(shape: Form) -> Piece {
        Piece::new("A", "brass", shape, Skin::Drawn)
    }

    #[test]
    fn volumes_are_those_of_the_solids() {
        let l = Range::just(100.0);
        let near = |a: f64, b: f64| assert!((a / b - 1.0).abs() < 2e-4, "{a} {b}");
        near(Form::Round { length: l, diameter: 20.0 }.volume(), PI * 100.0 * 100.0);
        near(Form::Tube { length: l, diameter: 20.0, bore: 10.0 }.volume(), PI * 75.0 * 100.0);
        // Area of a hexagon: √3/2 · s² across flats.
        near(Form::Hex { length: l, across: 20.0 }.volume(), 3.0_f64.sqrt() / 2.0 * 400.0 * 100.0);
        near(Form::Block { length: Range { least: 90.0, most: 110.0 }, width: 20.0, height: 10.0 }.volume(), 20_000.0);
        let odd = Form::Plate {
            length: 100.0,
            width: 60.0,
            height: 5.0,
            outline: vec![[0.0, 0.0], [100.0, 0.0], [0.0, 60.0]],
        };
        near(odd.volume(), 15_000.0);
        assert!(!odd.is_box() && Form::Hex { length: l, across: 20.0 }.envelope()[2] == Range::just(20.0));
    }

    #[test]
    fn what_makes_no_sense_is_told() {
        let l = Range::just(100.0);
        assert_eq!(piece(Form::Round { length: l, diameter: 20.0 }).fault(), None);
        let bad = [
            Form::Round { length: Range { least: 10.0, most: 5.0 }, diameter: 20.0 },
            Form::Round { length: l, diameter: f64::NAN },
            Form::Tube { length: l, diameter: 20.0, bore: 20.0 },
            Form::Slabs { length: 1.0, width: 1.0, slab: 1.0, count: 1 },
            Form::Plate { length: 10.0, width: 10.0, height: 1.0, outline: vec![[0.0, 0.0], [11.0, 0.0], [0.0, 5.0]] },
            Form::Casting { length: 9.0, width: 9.0, height: 9.0, allowance: Range { least: 3.0, most: 1.0 } },
        ];
        for b in bad {
            assert!(piece(b.clone()).fault().is_some(), "{b:?}");
        }
    }

    #[test]
    fn ends_of_bars_and_edges_of_plates_are_sawn() {
        let bar = piece(Form::Flat { length: Range::just(9.0), width: 2.0, height: 2.0 });
        assert_eq!([0, 1, 2].map(|k| bar.skin_across(k)), [Skin::Sawn, Skin::Drawn, Skin::Drawn]);
        let plate = piece(Form::Plate { length: 9.0, width: 9.0, height: 2.0, outline: vec![] });
        assert_eq!([0, 1, 2].map(|k| plate.skin_across(k)), [Skin::Sawn, Skin::Sawn, Skin::Drawn]);
    }
}
