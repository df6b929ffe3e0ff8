//! A plate that is made to a piece: two of the piece's own holes set it on pins, screws through others hold it, and its outline lies free all around.
//!
//! Pins locate, screws only press: what the screws hold is their friction on the plate, asked of the solver of all holds ([`statics`]). The plate is drilled in the
//! vise where the piece is cut afterwards, so both have one zero. Around what the piece stands on it lies lower: there the cutter comes through.

use crate::carved::{Carved, Pocket};
use crate::frame::{Datum, Duty, Touched, TouchedWhen};
use crate::hold::{Body, Demand, Fact, Gently, Holds, most_borne};
use crate::nest::FINE;
use crate::seen::{Asked, Seen, corners_of};
use crate::statics::{self, Contact, Push, screw_preload};
use crate::vise::{Bearing, Grip, Held, NO_MARK, PLATE, SEAT, TOUCH};
use geom::{Box3, DVec2, DVec3, Region, Slabs};
use part::{After, Hole, HoleEnd, Intent, Made, OFF_FLOOR, View};
use reason::{Place, Source, Sources, Sure, Term, len};
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::machine::Material;
use shop::pallet::{Pallet, Pin, Screw};
use shop::tool::{ToolKind, trim};
use ts_rs::TS;

/// The plate's top is skimmed by this, so that it is true, mm (common practice, no source).
const SKIM: f64 = 0.5;
/// Around what the piece stands on the plate lies lower by this, mm: the cutter comes through.
const RELIEF: f64 = 1.0;
/// What the piece stands on ends this far inside its outline, mm.
const INSIDE: f64 = 0.5;
/// Inside corners of what lies lower, the largest first that takes nothing from the cutter's way, mm.
const CORNERS: [f64; 3] = [3.2, 2.1, 1.1];
/// Cutters work so far around the block, mm.
const AROUND: f64 = 17.0;
/// The plate stands out from the block by this at least, so that its edges can be touched, mm.
const RIM: f64 = 4.0;
/// A drilled hole is larger than its drill by this at most, mm (common practice, no source).
const DRILLED: f64 = 0.1;
/// Pins lie apart by this at least, mm.
const BASELINE: f64 = 12.0;
/// A pin stands in the piece by this at least, mm; it ends this far below the hole's mouth.
const STANDS: f64 = 3.0;
const BELOW_MOUTH: f64 = 1.0;
/// Of a thread's and a pin's diameter it goes into the plate at least (common practice 1.5 in aluminium, no source).
const ENGAGES: f64 = 1.5;
/// Below the end of screw or pin the hole goes on, mm.
const DEEPER: f64 = 3.0;
/// A washer lies on a ring around its hole that is wider than this all round, mm.
const LANDS: f64 = 0.8;
/// From a washer's rim to the outline, so that a cutter passes, mm.
const PASSES: f64 = 0.6;
/// So many screws are enough.
const MOST_SCREWS: usize = 6;
/// A hold that bears less across is no hold for a mill, N (common practice, no source).
const LEAST_N: f64 = 60.0;
/// To blow clean, lay on, and try; and for each screw, min (common practice, no source).
const LAY_MIN: f64 = 2.0;
const SCREW_MIN: f64 = 0.4;
/// To ream a hole by hand, or to tap it, min (common practice, no source).
const BY_HAND_MIN: f64 = 1.5;
/// A pin is drawn thinner by this, so that curves in few lines do not meet, mm.
const DRAWN: f64 = 0.04;

/// A pin with the hole that it sets.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct PinAt {
    /// Middle, mm.
    #[ts(type = "[number, number]")]
    pub at: DVec2,
    /// mm.
    pub diameter: f64,
    /// mm.
    pub length: f64,
    /// It stands above the plate by this, mm.
    pub stands: f64,
    /// Mouth of the piece's hole, mm.
    pub mouth: f64,
    /// Play in it at most, mm.
    pub play: f64,
}

/// A screw with the hole that it goes through.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct ScrewAt {
    /// Middle, mm.
    #[ts(type = "[number, number]")]
    pub at: DVec2,
    /// "M5".
    pub thread: String,
    /// mm.
    pub diameter: f64,
    /// Drill of its thread, mm.
    pub drill: f64,
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
    /// It goes into the plate by this, mm.
    pub engages: f64,
    /// Tightened with this, N m.
    pub torque_nm: f64,
    /// It presses with this at least, N.
    pub force_n: f64,
}

/// A plate with pins and threads, in the work coordinates of the setup that it holds.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Plate {
    /// Name of the piece that is made: "plate-side-3".
    pub made: String,
    /// What it takes of the piece: "own holes".
    pub on: String,
    /// What it is made of.
    pub blank: Pallet,
    /// Height of what the piece stands on, mm.
    pub seat: f64,
    /// What sets it.
    pub pins: Vec<PinAt>,
    /// What presses it.
    pub screws: Vec<ScrewAt>,
    /// Friction of the piece on the plate.
    pub friction: f64,
    /// Area that it stands on, mm².
    pub area_mm2: f64,
    /// Corners of that, mm.
    #[ts(type = "[number, number, number][]")]
    pub stands: Vec<DVec3>,
    /// Force across that it bears twice over at the piece's top, N.
    pub bears_n: f64,
    /// The blank before anything is cut: least and largest corner, mm.
    #[ts(type = "[[number, number, number], [number, number, number]]")]
    pub block: [DVec3; 2],
    /// Top of the plate when it is cut, mm.
    pub top: f64,
    /// What is cut into it.
    pub pockets: Vec<Pocket>,
    /// How it is held itself, then and later.
    pub own: Grip,
    /// Plate, jaws, pins; heads of screws last.
    pub bodies: Vec<Body>,
    /// Terms of the check.
    pub terms: Vec<Term>,
}

/// A hole of the piece that goes down to the plate.
struct Open<'a> {
    hole: &'a Hole,
    pin: Option<(&'a Pin, f64, f64)>,
    screw: Option<ScrewAt>,
}

/// The pin that fits a hole, its length and how far it stands up.
fn pin_for<'a>(h: &Hole, seat: f64, shop: &'a Shop) -> Option<(&'a Pin, f64, f64)> {
    let pin = shop.pins.iter().find(|p| (p.diameter_mm - h.diameter).abs() < 0.02)?;
    let reamed = |t: &shop::tool::Tool| {
        t.kind == ToolKind::Drill
            && REAM[0] <= pin.diameter_mm - t.diameter_mm
            && pin.diameter_mm - t.diameter_mm <= REAM[1]
    };
    shop.crib.iter().any(reamed).then_some(())?;
    let most = h.mouth_top() - seat - BELOW_MOUTH;
    let lengths = pin.lengths_mm.iter().copied().filter(|l| l - ENGAGES * pin.diameter_mm >= STANDS && most >= STANDS);
    let length = lengths.reduce(Sure::at_most)?;
    Some((pin, length, most.at_most(length - ENGAGES * pin.diameter_mm)))
}

/// What a reamer wants on the diameter, mm (common practice, no source).
const REAM: [f64; 2] = [0.1, 0.4];

/// A washer of this outside lies on a hole's rim, with nothing in its way: the area that bears, mm².
pub(crate) fn bears_on(h: &Hole, outside: f64, view: &View) -> Option<f64> {
    let lies = h.mouth_top();
    let disc = Region::disc(h.at, outside / 2.0 + 0.2, 0.01);
    let ring = Region::disc(h.at, outside / 2.0, 0.01).minus(&Region::disc(h.at, h.mouth_radius() + 0.05, 0.01));
    let free = view.shadow(lies + OFF_FLOOR).intersect(&disc).area() < 0.01;
    let bears = ring.intersect(&view.shadow(lies - 2.0 * OFF_FLOOR)).area();
    let lands = outside >= 2.0 * h.mouth_radius() + 2.0 * LANDS;
    (free && lands && bears >= 0.8 * ring.area()).then_some(bears)
}

/// The thickest screw that goes through a hole and lies on its rim.
fn screw_for(h: &Hole, seat: f64, seen: &Seen, outline: &Region, a: &Asked) -> Option<ScrewAt> {
    let mut all: Vec<(&Screw, [f64; 2], [f64; 2])> =
        a.shop.screws.iter().filter_map(|s| Some((s, s.sizes()?, s.head()?))).collect();
    all.sort_by(|p, q| q.1[0].total_cmp(&p.1[0]));
    let lies = h.mouth_top();
    all.into_iter().find_map(|(s, [diameter, drill], head)| {
        let [outside, thick] = s.washer_mm;
        if h.diameter < diameter + 0.15 || outline.signed_distance(h.at) < outside / 2.0 + PASSES {
            return None;
        }
        let bears = bears_on(h, outside, &seen.view)?;
        if !a.shop.crib.iter().any(|t| t.kind == ToolKind::Drill && (t.diameter_mm - drill).abs() < 0.02) {
            return None;
        }
        let through = lies - seat + thick;
        let lengths = s.lengths_mm.iter().copied().filter(|l| l - through >= ENGAGES * diameter);
        let length = lengths.reduce(Sure::at_most)?;
        // No harder than leaves no mark under the washer.
        let most = NO_MARK * a.material.yield_mpa * bears;
        let full = screw_preload(s.torque_nm, diameter);
        let share = (most / full).at_most(1.0);
        Some(ScrewAt {
            at: h.at,
            thread: s.thread.clone(),
            diameter,
            drill,
            length,
            hole: h.diameter,
            seat: lies,
            washer: s.washer_mm,
            head,
            engages: length - through,
            torque_nm: s.torque_nm * share,
            force_n: full * share,
        })
    })
}

/// On a plate for a setup, or why not. `block`: what of the stock still stands, work coordinates.
pub(crate) fn design(a: &Asked, block: &Box3) -> Result<Plate, String> {
    if a.shop.pins.is_empty() || a.shop.screws.is_empty() {
        return Err("the shop has no pins, or no screws".into());
    }
    let seen = Seen::of(a.part, &a.part_from_work);
    let b = seen.view.bounds;
    let seats = seen.seats().into_iter().map(|z| (z, seen.flats(z))).filter(|(_, f)| f.area() >= 100.0);
    let Some((seat, flat)) = seats.max_by(|p, q| p.1.area().total_cmp(&q.1.area())) else {
        return Err("nothing of it lies flat on a plate".into());
    };
    let outline = seen.view.shadow(b.min.z - 1.0).filled();
    let all = seen.view.holes();
    let stands = |h: &Hole| {
        let ring =
            Region::disc(h.at, h.diameter / 2.0 + 2.0, 0.01).minus(&Region::disc(h.at, h.diameter / 2.0 + 0.6, 0.01));
        h.end == HoleEnd::Open && h.bottom < seat + 1.0 && ring.intersect(&flat).area() > 0.6 * ring.area()
    };
    let open: Vec<Open> = (all.iter().filter(|h| stands(h)))
        .map(|hole| Open { hole, pin: pin_for(hole, seat, a.shop), screw: screw_for(hole, seat, &seen, &outline, a) })
        .collect();
    if open.len() < 3 {
        return Err(format!(
            "a plate wants two holes for pins and one for a screw at least, that go right through to where it stands; it has {}",
            open.len()
        ));
    }
    let with_pin: Vec<usize> = (0..open.len()).filter(|&k| open[k].pin.is_some()).collect();
    let apart = |&[p, q]: &[usize; 2]| open[p].hole.at.distance(open[q].hole.at);
    let mut pairs: Vec<[usize; 2]> =
        with_pin.iter().enumerate().flat_map(|(n, &p)| with_pin[n + 1..].iter().map(move |&q| [p, q])).collect();
    pairs.retain(|p| apart(p) >= BASELINE);
    pairs.sort_by(|p, q| apart(q).total_cmp(&apart(p)));
    if pairs.is_empty() {
        let sizes: Vec<String> = a.shop.pins.iter().map(|p| format!("Ø{}", len(trim(p.diameter_mm)))).collect();
        return Err(format!("no two of its holes are of a pin's size ({}), {BASELINE:.0} mm apart", sizes.join(", ")));
    }
    let Some(blank) =
        a.shop.pallets.iter().find(|p| p.count > 0 && (0..2).all(|k| p.size_mm[k] >= block.size()[k] + 2.0 * RIM))
    else {
        return Err("the shop has no plate that is wider than its block".into());
    };
    let mut why =
        "none of its other holes takes a screw: washers lie on no rim, or where the cutter passes".to_string();
    for [p, q] in pairs.into_iter().take(8) {
        let screws: Vec<ScrewAt> =
            (0..open.len()).filter(|k| *k != p && *k != q).filter_map(|k| open[k].screw.clone()).collect();
        if screws.is_empty() {
            continue;
        }
        let pins = [p, q].map(|k| pin_at(&open[k]));
        let plate = build(
            a,
            &seen,
            seat,
            &flat,
            block,
            blank,
            pins.into_iter().flatten().collect(),
            spread(screws, |s| s.at, MOST_SCREWS),
        );
        if plate.bears_n >= LEAST_N {
            return Ok(plate);
        }
        why = format!(
            "{} screws bear {:.0} N across at its top, and a light cut asks for {LEAST_N:.0}",
            plate.screws.len(),
            plate.bears_n
        );
    }
    Err(why)
}

fn pin_at(o: &Open) -> Option<PinAt> {
    let (pin, length, stands) = o.pin?;
    let play = DRILLED + o.hole.diameter - pin.diameter_mm + pin.under_mm;
    Some(PinAt { at: o.hole.at, diameter: pin.diameter_mm, length, stands, mouth: o.hole.mouth_top(), play })
}

/// At most so many, as far from one another as they lie.
pub(crate) fn spread<T>(mut all: Vec<T>, at: impl Fn(&T) -> DVec2, most: usize) -> Vec<T> {
    let mut out: Vec<T> = Vec::new();
    let middle = all.iter().map(&at).sum::<DVec2>() / all.len().max(1) as f64;
    while out.len() < most && !all.is_empty() {
        let far = |s: &T| match out.iter().map(|o| at(o).distance(at(s))).reduce(Sure::at_most) {
            Some(d) => d,
            None => at(s).distance(middle),
        };
        let best = (0..all.len()).max_by(|&i, &j| far(&all[i]).total_cmp(&far(&all[j]))).unwrap_or(0);
        out.push(all.remove(best));
    }
    out
}

fn build(
    a: &Asked,
    seen: &Seen,
    seat: f64,
    flat: &Region,
    block: &Box3,
    blank: &Pallet,
    pins: Vec<PinAt>,
    screws: Vec<ScrewAt>,
) -> Plate {
    let b = seen.view.bounds;
    let [w, d, h] = blank.size_mm;
    let middle = block.middle().truncate();
    // Round numbers for whoever touches the blank.
    let (x0, y1) = ((middle.x - w / 2.0).round(), (middle.y + d / 2.0).round());
    let low = DVec3::new(x0, y1 - d, seat + SKIM - h);
    let own = Held {
        on: PLATE,
        grip: blank.grip_mm,
        length: w,
        above: h - blank.grip_mm,
        bearing: Some(Bearing::of_block(DVec3::from_array(blank.size_mm), &a.shop.vise)),
    };
    let plate_material = a.shop.material(&blank.material).unwrap_or(a.material);
    let own = own.gripped(DVec3::from_array(blank.size_mm), a.shop, plate_material).at(DVec3::new(x0, y1, low.z));
    let mut out = Plate {
        made: format!("plate-{}", a.setup.replace(' ', "-")),
        on: "own holes".into(),
        blank: blank.clone(),
        seat,
        pins,
        screws,
        friction: a.material.friction,
        area_mm2: flat.area(),
        stands: corners_of(flat, seat),
        bears_n: 0.0,
        block: [low, low + DVec3::new(w, d, h)],
        top: seat,
        pockets: Vec::new(),
        own,
        bodies: Vec::new(),
        terms: Vec::new(),
    };
    out.pockets = out.cut_into(seen, flat, block);
    out.bodies = out.own_bodies();
    let heads = out.screws.iter().map(|s| s.seat + s.washer[1] + s.head[1]).fold(b.max.z, Sure::at_least);
    let around = Box3 { min: b.min, max: DVec3::new(b.max.x, b.max.y, b.max.z) };
    out.bears_n = out.most_side(&around);
    let force: f64 = out.screws.iter().map(|s| s.force_n).sum();
    out.terms = vec![
        Term::new("F", "all screws together, at the low end of their scatter", force, "N"),
        Term::new("μ", "friction of the material on the plate", out.friction, ""),
        Term::new("A", "area that it stands on", out.area_mm2, "mm²"),
        Term::new("S", "force across that is borne twice over at its top", out.bears_n, "N"),
        Term::new("H", "top of the highest head", heads, "mm"),
    ];
    out
}

impl Plate {
    /// Pockets of the plate: lower all around what the piece stands on, room for what hangs below that, holes for pins and threads.
    fn cut_into(&self, seen: &Seen, flat: &Region, block: &Box3) -> Vec<Pocket> {
        let b = seen.view.bounds;
        let floor = b.min.z - RELIEF;
        let whole = Region::rect(self.block[0].truncate() - 1.0, self.block[1].truncate() + 1.0);
        let around = DVec2::splat(AROUND);
        let reach = Region::rect(block.min.truncate() - around, block.max.truncate() + around).intersect(&whole);
        let lower = reach.minus(&flat.filled().shrunk(INSIDE, FINE));
        // A cutter has been everywhere in it; what it leaves must lie inside the outline.
        let inside = seen.view.shadow(b.min.z - 1.0).filled().shrunk(0.1, FINE);
        let block = Region::rect(block.min.truncate(), block.max.truncate());
        let free = |r: &Region| lower.minus(r).minus(&inside).intersect(&block).without_specks(1e-3).is_empty();
        let rounds = CORNERS.iter().map(|r| lower.opened(*r, FINE));
        let reach = rounds.reduce(|a, b| if free(&a) { a } else { b }).unwrap_or(lower.clone());
        let mut out = vec![Pocket::of("relief", &reach, floor)];
        if self.seat > b.min.z + OFF_FLOOR {
            let low = seen.below(self.seat - 0.02).without_specks(0.01).grown(RELIEF, FINE);
            out.push(Pocket::of("room below", &low, floor));
        }
        let round = |at: DVec2, d: f64, deep: f64, name: &str| {
            Pocket::of(name, &Region::disc(at, d / 2.0, 0.0005), self.seat - deep)
        };
        for p in &self.pins {
            out.push(round(p.at, p.diameter, p.length - p.stands + DEEPER, "pin"));
        }
        for s in &self.screws {
            out.push(round(s.at, s.drill, s.engages + DEEPER, "thread"));
        }
        out
    }
    /// As it is cut.
    pub(crate) fn carved(&self) -> Carved {
        let [min, max] = self.block;
        Carved { block: Box3 { min, max: DVec3::new(max.x, max.y, self.top) }, pockets: self.pockets.clone() }
    }
    fn own_bodies(&self) -> Vec<Body> {
        let mut out = vec![self.carved().body("plate")];
        out.extend(self.own.bodies.iter().cloned());
        let column = |name: String, at: DVec2, steps: &[(f64, f64, f64)]| {
            let widest = DVec2::splat(steps.iter().map(|s| s.2).fold(0.0, Sure::at_least));
            let (low, high) = (steps.first().map_or(0.0, |s| s.0), steps.last().map_or(0.0, |s| s.1));
            Body {
                layers: steps.iter().map(|&(z0, z1, r)| (z0, z1, Region::disc(at, r, 0.01).loops())).collect(),
                ..Body::boxed(&name, (at - widest).extend(low), (at + widest).extend(high))
            }
        };
        for (k, p) in self.pins.iter().enumerate() {
            let r = (p.diameter - DRAWN) / 2.0;
            out.push(column(format!("pin {}", k + 1), p.at, &[(self.seat, self.seat + p.stands, r)]));
        }
        for (k, s) in self.screws.iter().enumerate() {
            let (lies, washer) = (s.seat, s.seat + s.washer[1]);
            let steps = [(lies, washer, s.washer[0] / 2.0), (washer, washer + s.head[1], s.head[0] / 2.0)];
            out.push(column(format!("screw {} {}", s.thread, k + 1), s.at, &steps));
        }
        out
    }
    /// Heads of the screws with their washers.
    pub(crate) fn heads(&self) -> &[Body] {
        &self.bodies[self.bodies.len().saturating_sub(self.screws.len())..]
    }
    /// Holes of the plate that are reamed or tapped by hand once they are drilled.
    pub(crate) fn intents(&self) -> Vec<Intent> {
        let hole = |at: DVec2, drawn: f64, drills: Vec<[f64; 2]>, after: After, wants: String, source: Source| {
            let r = DVec3::new(drawn / 2.0, drawn / 2.0, 0.0);
            let mouth = at.extend(self.seat);
            Intent {
                origin: mouth,
                direction: DVec3::Z,
                drawn,
                drills,
                after,
                wants,
                terms: Vec::new(),
                source: source.into(),
                place: Place::new(mouth - r, mouth + r),
                screw: None,
                // A plate is clamped once more for nothing: pins and screws are tried in its holes by hand anyhow.
                made: Some(Made::Hand),
            }
        };
        let pins = self.pins.iter().map(|p| {
            let drills = vec![[p.diameter - REAM[1], p.diameter - REAM[0]]];
            let source = Source::practice("a reamer wants 0.1 to 0.4 mm");
            hole(p.at, p.diameter, drills, After::Reamer, format!("Ø{} H7", len(trim(p.diameter))), source)
        });
        let threads = self.screws.iter().map(|s| {
            hole(s.at, s.drill, Vec::new(), After::Tap, s.thread.clone(), Source::memory("tap drills of ISO 2306", 92))
        });
        pins.chain(threads).collect()
    }
    /// "2 reamed holes and 4 threads M5".
    pub(crate) fn holes_in_words(&self) -> String {
        let mut threads: Vec<&str> = self.screws.iter().map(|s| s.thread.as_str()).collect();
        threads.sort_unstable();
        let counted: Vec<String> = threads
            .chunk_by(|a, b| a == b)
            .map(|c| format!("{} thread{} {}", c.len(), if c.len() == 1 { "" } else { "s" }, c[0]))
            .collect();
        format!("{} reamed holes and {}", self.pins.len(), counted.join(", "))
    }
    /// To ream and tap, to set the pins.
    pub(crate) fn by_hand_min(&self) -> f64 {
        BY_HAND_MIN * (self.pins.len() + self.screws.len()) as f64
    }
    /// The most force across, N, that the screws bear twice over anywhere in a box.
    pub(crate) fn most_side(&self, within: &Box3) -> f64 {
        most_borne(&self.contacts(self.friction), within, "plate")
    }
    pub(crate) fn contacts(&self, friction: f64) -> Vec<Contact> {
        let screw = |s: &ScrewAt| Contact {
            name: format!("screw {}", s.thread),
            at: statics::corners(s.at.extend(s.seat), DVec3::X * (s.washer[0] / 2.0), DVec3::Y * (s.washer[0] / 2.0)),
            normal: -DVec3::Z,
            normals: Vec::new(),
            friction: 0.0,
            push: Push::Clamp(s.force_n),
        };
        let mut out: Vec<Contact> = self.screws.iter().map(screw).collect();
        out.push(Contact {
            name: "plate".into(),
            at: self.stands.clone(),
            normal: DVec3::Z,
            normals: Vec::new(),
            friction,
            push: Push::Passive,
        });
        out
    }
    pub(crate) fn holds(&self, friction: f64, d: &Demand) -> Vec<Holds> {
        let n = self.stands.len().max(1) as f64;
        let middle = self.stands.iter().sum::<DVec3>() / n;
        vec![Holds::together(&self.contacts(friction), middle.truncate(), "plate", d)]
    }
    pub(crate) fn grounds(&self, _: f64, d: &Demand) -> (Vec<Term>, Sources) {
        let mut terms = self.terms.clone();
        terms.extend(d.terms());
        let rule = "screws: T ÷ (0.2·d), less 30 %; they press, the plate pushes with friction, pins only set: forces that balance the cut at the worst place and direction, by a linear programme";
        (
            terms,
            Sources(vec![
                Source::derived(rule),
                Source::practice("twice is asked for; dowels locate, screws only clamp"),
            ]),
        )
    }
    pub(crate) fn gently(&self, _: &Material) -> Option<Gently> {
        None
    }
    pub(crate) fn hold_better(&self) -> String {
        "The screws hold less than twice (common practice, no source): put screws into more of its holes, or take less depth.".into()
    }
    fn play(&self) -> f64 {
        self.pins.iter().map(|p| p.play).fold(0.0, Sure::at_least)
    }
    fn span(&self) -> f64 {
        match &self.pins[..] {
            [p, q] => p.at.distance(q.at),
            _ => 1.0,
        }
    }
    pub(crate) fn error(&self) -> Vec<Term> {
        let half = self.play() / 2.0;
        let says = "half the play of a pin in a drilled hole (common practice, no source); reamed to H7 it is 0.02";
        vec![
            Term::new("", &format!("x, {says}"), half, "mm"),
            Term::new("", &format!("y, {says}"), half, "mm"),
            Term::new("", "z, seat on the plate", SEAT, "mm"),
        ]
    }
    /// Play, and the span over which it may turn the piece, mm.
    pub(crate) fn turn(&self) -> [f64; 2] {
        [self.play(), self.span()]
    }
    pub(crate) fn actions(&self, _: &Duty, up: &str) -> Vec<String> {
        let list = |words: Vec<String>| {
            let mut w = words;
            w.sort();
            w.chunk_by(|a, b| a == b).map(|c| format!("{} × {}", c.len(), c[0])).collect::<Vec<_>>().join(", ")
        };
        let pins = list(
            self.pins.iter().map(|p| format!("pin Ø{} × {}", len(trim(p.diameter)), len(trim(p.length)))).collect(),
        );
        let screws = list(
            self.screws
                .iter()
                .map(|s| format!("{} × {} with washer, {:.1} N m", s.thread, len(trim(s.length)), s.torque_nm))
                .collect(),
        );
        vec![
            "Before the piece comes out of the vise: ream what is to be reamed, and try the pins in its holes".into(),
            format!(
                "Plate '{}', cut in this vise and not moved since: holes reamed, threads tapped; {pins}",
                self.made
            ),
            format!("Blow it clean, lay the piece on over the pins, {up} of the part up: it must lie without rocking"),
            format!("Tighten crosswise: {screws}"),
        ]
    }
    pub(crate) fn facts(&self) -> Vec<Fact> {
        let force = self.screws.iter().map(|s| s.force_n).sum::<f64>() / 1000.0;
        vec![
            Fact::new("Pins apart", self.span(), "mm", &[], format!("{:.2} mm of play at most", len(self.play()))),
            Fact::new("Screws press with", force, "kN", &self.terms, self.holes_in_words()),
            Fact::new("Bears across", self.bears_n, "N", &self.terms, "twice over, at its top: cuts are kept below it"),
            Fact::new(
                "Stands on",
                self.area_mm2,
                "mm²",
                &[],
                format!("of the plate; around it lies {} mm lower", len(RELIEF)),
            ),
        ]
    }
    pub(crate) fn minutes(&self) -> f64 {
        // Screwed down, and off again.
        LAY_MIN + 2.0 * SCREW_MIN * self.screws.len() as f64
    }
    pub(crate) fn needs(&self) -> Vec<String> {
        let mut out = vec![self.own.vise.clone(), self.blank.name.clone()];
        for p in &self.pins {
            out.push(format!("pin Ø{} × {}", len(trim(p.diameter)), len(trim(p.length))));
        }
        let mut screws: Vec<String> =
            self.screws.iter().map(|s| format!("{} × {}", s.thread, len(trim(s.length)))).collect();
        screws.sort();
        out.extend(screws.chunk_by(|a, b| a == b).map(|c| format!("{} screws {}", c.len(), c[0])));
        out
    }
    pub(crate) fn datum(&self) -> [Datum; 3] {
        let touch = Term::new(
            "",
            "edge finder or gauge pin when the plate was zeroed (common practice, no source)",
            TOUCH,
            "mm",
        );
        let p = self.pins.first().map_or(DVec2::ZERO, |p| p.at);
        let words = [
            format!(
                "as the plate was cut, not touched again; if it is lost: middle of the first pin is X {:.3}",
                len(p.x)
            ),
            format!(
                "as the plate was cut, not touched again; if it is lost: middle of the first pin is Y {:.3}",
                len(p.y)
            ),
            format!(
                "as the plate was cut, not touched again; if it is lost: what the piece stands on is Z {:.3}",
                len(self.seat + 0.0)
            ),
        ];
        let mut k = 0..3;
        words.map(|touches| {
            let k = k.next().unwrap_or(2);
            let seat = self.error().into_iter().skip(k).take(1);
            let pin = self.pins.first().map(|p| p.diameter);
            let touched = match k {
                2 => Touched::face(self.seat, true, TouchedWhen::Kept),
                _ => Touched::middle(p[k], false, pin, TouchedWhen::Kept),
            };
            Datum::new(["X", "Y", "Z"][k], touches, std::iter::once(touch.clone()).chain(seat).collect()).at(touched)
        })
    }
    pub(crate) fn zero_in_machine(&self, shop: &Shop) -> DVec3 {
        self.own.zero_in_machine(shop)
    }
    /// Are the holes that it takes really there, and nothing where heads lie?
    pub(crate) fn in_process(&self, stock: &Slabs) -> Result<(), String> {
        // A hole that waits for its reamer is as open as it needs to be.
        let full = |at: DVec2, d: f64, top: f64| {
            let disc = Region::disc(at, (d - REAM[1]) / 2.0 - 0.02, 0.01);
            stock.between(self.seat + 0.05, top).intersect(&disc).area() > 0.02 * disc.area()
        };
        let pins = self.pins.iter().map(|p| (p.at, p.diameter, p.mouth));
        let mut all = pins.chain(self.screws.iter().map(|s| (s.at, s.hole, s.seat)));
        if let Some((at, d, _)) = all.find(|&(at, d, top)| full(at, d, top)) {
            return Err(format!(
                "its hole Ø{} at X {:.2} Y {:.2} is not open by then",
                len(trim(d)),
                len(at.x),
                len(at.y)
            ));
        }
        let under = |s: &&ScrewAt| {
            let disc = Region::disc(s.at, s.washer[0] / 2.0, 0.01);
            stock.between(s.seat + 0.05, f64::INFINITY).intersect(&disc).area() > 0.02 * disc.area()
        };
        match self.screws.iter().find(under) {
            Some(s) => {
                Err(format!("stock stands where the screw at X {:.2} Y {:.2} is to lie", len(s.at.x), len(s.at.y)))
            }
            None => Ok(()),
        }
    }
}
