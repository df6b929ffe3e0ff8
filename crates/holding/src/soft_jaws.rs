//! Soft jaws in the mill vise: blanks that a nest is cut into, closed on a spacer, so that they hold an outline which two flat jaws do not.
//!
//! The nest is the outline of what stands below the jaws' top, drawn to the split ([`nest`]); the piece stands on its floor by a flat; what stands below
//! that flat has room in the floor. The jaws are cut where the piece is held afterwards, so both have one zero. They are a piece of their own, with
//! a plan and a proof ([`SoftJaws::carved`]). Where and over which area they bear is measured with rays along the jaws' travel.

use crate::frame::{Datum, Duty, Setup};
use crate::hold::{Body, Demand, Fact, Gently, Hold, Holds};
use crate::nest::{self, FINE, reach};
use crate::seen::{Asked, Seen, below, corners_of};
use crate::statics::{self, Contact, Push, Wrench};
use crate::vise::{LOAD_MIN, NO_MARK, SEAT, TOUCH};
use geom::{Box3, DVec2, DVec3, Placement, RayGrid, Region, Slabs};
use part::{OFF_FLOOR, Part};
use reason::{Source, Sources, Sure, Term, len};
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::machine::{JawBlanks, Material};
use shop::tool::{ToolKind, trim};
use ts_rs::TS;

/// The blanks' top is skimmed by this, so that it is true, mm (common practice, no source).
const SKIM: f64 = 0.5;
/// Room at the right end, so that a finished length goes in, mm (shop practice: 0 to 0.05 over size).
const ROOM: f64 = 0.05;
/// The nest is larger all around by this, so that the tolerance of curves makes no overlap, mm.
const ROUND: f64 = 0.004;
/// What earlier sides leave beyond the part gets room in the nest if it stands out by more than this, mm: corners that a cutter did not reach.
const LEFT: f64 = 0.006;
/// Room around what stands below the seat, and below it, mm.
const BELOW: f64 = 1.0;
/// What must stay of a jaw behind the nest, mm (common practice, no source).
const WALL: f64 = 8.0;
/// Least and largest height of jaw that holds, mm.
const LEAST: f64 = 3.0;
const MOST: f64 = 14.0;
/// The jaws end this far below whatever is cut beside them, mm.
const CLEAR: f64 = 1.0;
/// Groove under the nest's edge for chips and a sharp corner of the piece: depth, mm.
const GROOVE: f64 = 0.5;
/// The jaws are opened by this to take the piece out, mm.
pub const OPEN: f64 = 3.0;
/// Step in a corner of the fixed jaw to take the zero again on: length and depth, mm.
const NOTCH: [f64; 2] = [14.0, 4.0];
/// Share of a nest's edge that may be lost to relief in its corners for a larger cutter.
const LOST: f64 = 0.15;
/// Closer than this is contact, mm.
const CONTACT: f64 = 0.012;
/// Rays' distance, mm.
const PITCH: f64 = 0.4;
/// Flat areas under which a piece stands, at least, mm².
const STANDS: f64 = 25.0;
/// Area that must bear on each jaw, seen along its travel, mm².
const BEARS: f64 = 15.0;
/// To take the hard jaws off and bolt these on, or the other way round (common practice, no source), min.
pub const CHANGE_MIN: f64 = 8.0;

/// What is cut into the jaws' top: all in its outlines, down to a height; islands stay in it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Pocket {
    /// "nest", "room below", "notch".
    pub name: String,
    /// Closed outlines, mm.
    #[ts(type = "[number, number][][]")]
    pub outlines: Vec<Vec<DVec2>>,
    /// Height of its floor, mm.
    pub floor: f64,
    /// Outlines of what stays standing on its floor, mm.
    #[ts(type = "[number, number][][]")]
    pub islands: Vec<Vec<DVec2>>,
    /// Height up to which it stays, mm.
    pub islands_to: f64,
}

impl Pocket {
    fn of(name: &str, r: &Region, floor: f64) -> Pocket {
        Pocket { name: name.into(), outlines: r.loops(), floor, islands: Vec::new(), islands_to: floor }
    }
    /// What it leaves open just above a height.
    fn open_at(&self, z: f64) -> Region {
        if z < self.floor {
            return Region::empty();
        }
        let all = Region::from_oriented(&self.outlines);
        if z < self.islands_to { all.minus(&Region::from_oriented(&self.islands)) } else { all }
    }
}

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

/// The jaws as a piece to be modelled: a block with pockets from above.
#[derive(Debug, Clone, PartialEq)]
pub struct Carved {
    /// After the skim.
    pub block: Box3,
    /// From above.
    pub pockets: Vec<Pocket>,
}

/// A place where the part may stand, and how high the jaws may then be.
pub(crate) struct Stand {
    pub seat: f64,
    pub flat: Region,
    pub depth: f64,
}

/// Where it can stand, best first; or why nowhere.
pub(crate) fn stands(seen: &Seen, cuts: &[DVec3], only: bool) -> Result<Vec<Stand>, String> {
    let b = seen.view.bounds;
    let height = b.size().z;
    let mut low = cuts.iter().map(|p| seen.view.from_part.point(*p).z).fold(b.max.z, Sure::at_most);
    if !only {
        low = low.at_most(seen.lowest_open_cut());
    }
    // A small part is not sunk into its jaws deeper than it is wide: the cutter for the nest is as small as it is.
    let slim = 0.75 * b.size().truncate().min_element();
    let mut out: Vec<Stand> = Vec::new();
    let mut shallow: f64 = 0.0;
    for seat in seen.seats() {
        let room = low - CLEAR - seat;
        let depth = room.at_most(MOST).at_most((0.5 * height).at_least(6.0)).at_most(slim.at_least(LEAST));
        let depth = (depth * 2.0).floor() / 2.0;
        let flat = seen.flats(seat);
        if flat.area() < STANDS {
            continue;
        }
        shallow = shallow.at_least(depth);
        if depth >= LEAST {
            out.push(Stand { seat, flat, depth });
        }
    }
    // More jaw is worth more than more seat.
    let worth = |s: &Stand| s.depth.at_most(8.0) * s.flat.area().at_most(400.0);
    out.sort_by(|a, b| worth(b).total_cmp(&worth(a)));
    out.truncate(3);
    if out.is_empty() {
        return Err(if shallow > 0.0 {
            format!("jaws may only reach {:.1} mm up its outline before something is cut beside them", len(shallow))
        } else {
            "its lower end has no flat face to stand on".into()
        });
    }
    Ok(out)
}

/// Soft jaws for a setup, or why there are none.
pub(crate) fn design(a: &Asked) -> Result<SoftJaws, String> {
    if a.shop.jaw_blanks.iter().all(|b| b.pairs == 0) {
        return Err("the shop has no blanks for soft jaws".into());
    }
    let seen = Seen::of(a.part, &a.part_from_work);
    let mut why = String::new();
    for s in stands(&seen, a.cuts, a.only)? {
        for blanks in a.shop.jaw_blanks.iter().filter(|b| b.pairs > 0) {
            match on_stand(a, &seen, &s, blanks) {
                Ok(j) => return Ok(j),
                Err(e) if why.is_empty() => why = e,
                Err(_) => {}
            }
        }
    }
    Err(why)
}

fn on_stand(a: &Asked, seen: &Seen, s: &Stand, blanks: &JawBlanks) -> Result<SoftJaws, String> {
    let vise = &a.shop.vise;
    let b = seen.view.bounds;
    let top = s.seat + s.depth;
    let bed = top + SKIM - blanks.height_mm;
    let gripped = seen.below(top);
    let more = a.stock.map(|stock| stock.between(b.min.z, top).minus(&gripped.grown(LEFT, FINE)).grown(LEFT, FINE));
    let outline = Region::union_all([&gripped].into_iter().chain(more.as_ref()));
    let Some((lo, hi)) = outline.bounds() else { return Err("nothing of it lies between the jaws".into()) };
    // Round numbers for whoever touches the blanks.
    let split = (lo.y + hi.y).round() / 2.0;
    let x0 = (b.middle().x - blanks.width_mm / 2.0).round();

    let deepest = if s.seat > b.min.z + OFF_FLOOR { b.min.z - BELOW } else { s.seat - GROOVE };
    let drawn = |r: &Region| nest::drawn_to(r, split);
    let plain = drawn(&outline).grown(ROUND, FINE);
    let (corner, hollow) = cornered(a.shop, &plain, top - deepest)?;
    let mut pockets = vec![Pocket::of("nest", &hollow, s.seat)];
    let mut flat = s.flat.intersect(&hollow);
    if s.seat > b.min.z + OFF_FLOOR {
        let low = seen.below(s.seat - 0.02).without_specks(0.01).grown(BELOW, FINE);
        let room = nest::relieved(&drawn(&low), corner).intersect(&hollow);
        flat = flat.minus(&room);
        pockets.push(Pocket::of("room below", &room, b.min.z - BELOW));
    }
    // A groove along the nest's edge, where what stands inside it is enough.
    let island = hollow.shrunk(2.0 * corner, 0.01);
    let inside = flat.intersect(&island);
    if inside.area() > 0.5 * flat.area() && inside.area() > STANDS {
        pockets[0] =
            Pocket { islands: island.loops(), islands_to: s.seat, ..Pocket::of("nest", &hollow, s.seat - GROOVE) };
        flat = inside;
    }
    let spacer = spacer_for(a.shop, blanks, [lo.y, hi.y])?;
    let (fixed, moving) = (split + spacer / 2.0, split - spacer / 2.0);
    // Where it stands is jaw, not gap.
    let gap = Region::rect(DVec2::new(lo.x - 1.0, moving), DVec2::new(hi.x + 1.0, fixed));
    let flat = flat.minus(&gap);
    if flat.area() < STANDS {
        return Err(format!("only {:.0} mm² of it would stand on the jaws", flat.area()));
    }
    bolts(blanks, &pockets, x0 + blanks.width_mm / 2.0, bed)?;

    let block = [
        DVec3::new(x0, moving - blanks.thickness_mm, bed),
        DVec3::new(x0 + blanks.width_mm, fixed + blanks.thickness_mm, bed + blanks.height_mm),
    ];
    let (left, back) = (block[0].x, block[1].y);
    let [notch, deep] = NOTCH;
    let notch = Region::rect(DVec2::new(left - 30.0, back - notch), DVec2::new(left + notch, back + 30.0));
    let notch = notch.opened(0.45 * NOTCH[0], FINE);
    pockets.push(Pocket::of("notch", &notch, top - deep));

    let bearing = bears(seen, &plain, &hollow, [s.seat, top], [moving, fixed], [block[0].x, block[1].x]);
    let [af, am] = bearing.area;
    if af < BEARS || am < BEARS {
        return Err(format!(
            "a straight nest would bear on {:.0} mm² only: its walls lean or are round along the axis",
            af.at_most(am)
        ));
    }
    let least = 10.0_f64.at_most(0.4 * (hi.x - lo.x));
    if bearing.span < least {
        return Err(format!("both jaws together bear over {:.1} mm only", len(bearing.span)));
    }
    let jaw = a.shop.material(&blanks.material).map_err(|e| e.to_string())?;
    let yields = a.material.yield_mpa.at_most(jaw.yield_mpa);
    let allowed = NO_MARK * yields * af.at_most(am) / 1000.0;
    let clamp_kn = allowed.at_most(vise.clamp_kn);
    let above = b.max.z + a.over - top;
    let mut out = SoftJaws {
        made: format!("jaws-{}", a.setup.replace(' ', "-")),
        on: "finished outline".into(),
        vise: vise.name.clone(),
        blanks: blanks.clone(),
        depth: s.depth,
        seat: s.seat,
        spacer,
        split,
        room: ROOM,
        corner,
        above,
        bears_mm2: [af, am, flat.area()],
        span: bearing.span,
        clamp_kn,
        clamp_full_kn: vise.clamp_kn,
        turns_freely: is_round(&gripped) && seen.turn_matters(),
        block,
        top,
        pockets,
        touches: bearing.touches,
        stands: corners_of(&flat, s.seat),
        bodies: Vec::new(),
        terms: vec![
            Term::new("g", "jaw height that holds", s.depth, "mm"),
            Term::new("h", "height above the jaws", above, "mm"),
            Term::new("h/g", "at most 4 (common practice, no source)", above / s.depth, ""),
            Term::new("A", "area that bears, seen along the jaws' travel", af.at_most(am), "mm²"),
            Term::new("F", "clamp force", clamp_kn * 1000.0, "N"),
            Term::new("F max", "that the vise gives", vise.clamp_kn * 1000.0, "N"),
            Term::new("p", "pressure on the contact", clamp_kn * 1000.0 / af.at_most(am), "N/mm²"),
            Term::new(
                "p max",
                "half the yield of part or jaw, so that no mark is left (common practice, no source)",
                NO_MARK * yields,
                "N/mm²",
            ),
        ],
    };
    out.bodies = out.jaw_bodies();
    let held = statics::margin(&out.contacts(a.material.friction), Wrench::default(), Wrench::at(b.middle(), DVec3::Z));
    if held.factor <= 0.0 {
        return Err("what bears on one jaw does not lie over against what bears on the other: it would turn out".into());
    }
    Ok(out)
}

/// The nest with room at its right end and in its corners, for the largest end mill that reaches down and takes little of what bears.
fn cornered(shop: &Shop, plain: &Region, deep: f64) -> Result<(f64, Region), String> {
    let Some((lo, hi)) = plain.bounds() else { return Err("nothing of it lies between the jaws".into()) };
    let most = 12.0_f64.at_most(0.35 * (hi - lo).min_element());
    let mut reach: Vec<f64> = (shop.crib.iter())
        .filter(|t| t.kind == ToolKind::Flat && t.flute_length_mm >= deep + SKIM)
        .map(|t| t.diameter_mm)
        .collect();
    reach.sort_by(|a, b| b.total_cmp(a));
    reach.dedup();
    let (roomy, edges) = (nest::roomy(plain, ROOM), plain.loops());
    let length = |l: &[Vec<DVec2>]| -> f64 { l.iter().flat_map(|l| l.windows(2)).map(|w| w[0].distance(w[1])).sum() };
    let closed: Vec<Vec<DVec2>> = edges.into_iter().map(|l| l.iter().chain(l.first()).copied().collect()).collect();
    let all = length(&closed);
    let mut best: Option<(f64, f64, Region)> = None;
    for d in reach.iter().copied().filter(|d| *d <= most) {
        // The cutter goes round, it does not stand in the corner.
        let r = 0.55 * d;
        let hollow = nest::relieved(&roomy, r);
        let lost = length(&hollow.shrunk(ROOM + 0.01, FINE).clip_lines(&closed, true)) / all;
        if lost <= LOST {
            return Ok((r, hollow));
        }
        if best.as_ref().is_none_or(|b| lost < b.0) {
            best = Some((lost, r, hollow));
        }
    }
    best.map(|(_, r, hollow)| (r, hollow)).ok_or_else(|| {
        let (deep, most) = (len(deep), len(most));
        format!("no end mill up to {most:.0} mm of the crib reaches {deep:.1} mm down into a nest")
    })
}

/// The narrowest spacer that leaves enough of both jaws behind the nest, and that the vise opens for.
fn spacer_for(shop: &Shop, blanks: &JawBlanks, [low, high]: [f64; 2]) -> Result<f64, String> {
    let most = 2.0 * (blanks.thickness_mm - WALL);
    let room = shop.vise.opening_mm + 2.0 * shop.vise.jaw_thickness_mm - 2.0 * blanks.thickness_mm - OPEN;
    let mut all = shop.vise.spacers_mm.clone();
    all.sort_by(f64::total_cmp);
    let wide = high - low;
    if all.is_empty() {
        return Err("the shop has no spacers to close soft jaws on".into());
    }
    // Something of the nest must be in each jaw.
    if all[0] > wide - 4.0 {
        return Err(format!(
            "it is {:.1} mm across: the narrowest spacer, {:.0} mm, leaves no nest in both jaws",
            len(wide),
            len(all[0])
        ));
    }
    // Chips fall through a wider gap; a narrow one is for small parts.
    let least = if wide >= 24.0 { 6.0 } else { 0.0 };
    all.iter()
        .find(|s| **s >= least && wide - **s <= most && **s <= wide - 4.0)
        .filter(|s| **s <= room)
        .copied()
        .ok_or_else(|| format!("it is {:.0} mm across, more than these blanks and the vise's opening take", len(wide)))
}

/// Nothing is cut into the bolts of the jaws.
fn bolts(blanks: &JawBlanks, pockets: &[Pocket], middle: f64, bed: f64) -> Result<(), String> {
    const KEEP: f64 = 2.0;
    let up = bed + blanks.bolts_up_mm + blanks.bolt_head_mm / 2.0 + KEEP;
    let half = blanks.bolt_head_mm / 2.0 + KEEP;
    for p in pockets.iter().filter(|p| p.floor < up) {
        let (mut lo, mut hi) = (f64::INFINITY, f64::NEG_INFINITY);
        for q in p.outlines.iter().flatten() {
            (lo, hi) = (lo.at_most(q.x), hi.at_least(q.x));
        }
        for side in [-0.5, 0.5] {
            let x = middle + side * blanks.bolts_apart_mm;
            if lo < x + half && hi > x - half {
                return Err(format!("the {} would be cut into the bolts of the jaws", p.name));
            }
        }
    }
    Ok(())
}

/// Is an outline one circle?
pub(crate) fn is_round(r: &Region) -> bool {
    let Some((lo, hi)) = r.bounds() else { return false };
    let (c, radius) = ((lo + hi) / 2.0, (hi.x - lo.x) / 2.0);
    let outer = r.loops().into_iter().max_by(|a, b| a.len().cmp(&b.len()));
    outer.is_some_and(|l| l.iter().all(|p| (p.distance(c) - radius).abs() < 0.02))
}

struct Bearing {
    area: [f64; 2],
    span: f64,
    touches: Vec<Touch>,
}

/// Where the nest of both jaws meets the part, by rays along their travel.
fn bears(
    seen: &Seen,
    plain: &Region,
    hollow: &Region,
    [seat, top]: [f64; 2],
    [moving, fixed]: [f64; 2],
    [x0, x1]: [f64; 2],
) -> Bearing {
    struct Cell {
        at: DVec3,
        normal: DVec3,
    }
    let mesh = &seen.view.mesh;
    let b = seen.view.bounds;
    let band = Box3 { min: DVec3::new(b.min.x, b.min.y, seat), max: DVec3::new(b.max.x, b.max.y, top) };
    let pitch = (band.size().x * band.size().z / 30_000.0).sqrt().at_least(PITCH.at_most(band.size().z / 6.0));
    let grid = RayGrid::covering(1, &band, pitch);
    let rays = mesh.crossings(&grid);
    // Rays along y: u = z, v = x.
    let (nz, nx) = (grid.count[0], grid.count[1]);
    let (exact, cut) = (plain.loops(), hollow.loops());
    let mut cells: [Vec<Cell>; 2] = [Vec::new(), Vec::new()];
    for v in 0..nx {
        let x = grid.at(v * nz).y;
        if x < x0 || x > x1 {
            continue;
        }
        let (Some(wall), Some(near)) = (reach(&cut, x), reach(&exact, x)) else { continue };
        let step = 0.5 * pitch;
        let beside = (reach(&exact, x - step), reach(&exact, x + step));
        for (jaw, sign) in [(0, 1.0), (1, -1.0)] {
            let of = |r: (f64, f64)| if jaw == 0 { r.1 } else { r.0 };
            let in_jaw = if jaw == 0 { of(near) > fixed } else { of(near) < moving };
            if !in_jaw || (of(wall) - of(near)).abs() > CONTACT {
                continue;
            }
            let slope = match beside {
                (Some(p), Some(q)) => (of(q) - of(p)) / pitch,
                _ => continue,
            };
            let end = |u: usize| {
                let r = &rays[v * nz + u];
                if jaw == 0 { r.last() } else { r.first() }.map(|c| c.t)
            };
            for u in 0..nz {
                let Some(y) = end(u) else { continue };
                if (of(wall) - y).abs() > CONTACT {
                    continue;
                }
                // Does the wall lean?
                let lean =
                    if u + 1 < nz { end(u + 1).map(|n| n - y) } else { u.checked_sub(1).and_then(end).map(|n| y - n) };
                let lean = lean.map_or(0.0, |d| d / pitch);
                let lean = if lean.abs() < 0.01 || lean.abs() > 2.0 { 0.0 } else { lean };
                let out = DVec3::new(-slope * sign, 1.0, -lean * sign) * DVec3::new(1.0, sign, 1.0);
                let at = grid.point(v * nz + u, y);
                cells[jaw].push(Cell { at, normal: -out.normalize() });
            }
        }
    }
    let area = [0, 1].map(|k| cells[k].len() as f64 * pitch * pitch);
    let ends = |c: &[Cell]| {
        c.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), c| (a.at_most(c.at.x), b.at_least(c.at.x)))
    };
    let ((a, b), (c, d)) = (ends(&cells[0]), ends(&cells[1]));
    let span = (b.at_most(d) - a.at_least(c)).at_least(0.0);
    let mut touches = Vec::new();
    for (jaw, cells) in cells.iter_mut().enumerate() {
        const GROUPS: usize = 4;
        cells.sort_by(|a, b| a.at.x.total_cmp(&b.at.x));
        for group in cells.chunks(cells.len().div_ceil(GROUPS).max(1)) {
            let n = group.len() as f64;
            let normal: DVec3 = group.iter().map(|c| c.normal).sum::<DVec3>().normalize();
            let middle = group.iter().map(|c| c.at).sum::<DVec3>() / n;
            let (lo, hi) = group
                .iter()
                .fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), c| (a.at_most(c.at.z), b.at_least(c.at.z)));
            for z in [lo, hi] {
                let at = DVec3::new(middle.x, middle.y, z);
                touches.push(Touch { at, normal, moving: jaw == 1 });
            }
        }
    }
    Bearing { area, span, touches }
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
    fn jaw_bodies(&self) -> Vec<Body> {
        let mut heights: Vec<f64> = self.pockets.iter().flat_map(|p| [p.floor, p.islands_to]).collect();
        heights.extend([self.block[0].z, self.top]);
        heights.sort_by(f64::total_cmp);
        heights.dedup_by(|a, b| (*a - *b).abs() < 1e-6);
        self.halves()
            .into_iter()
            .map(|(name, c)| {
                let whole = Region::rect(c.block.min.truncate(), c.block.max.truncate());
                let layers = heights
                    .windows(2)
                    .map(|w| {
                        let open: Vec<Region> = self.pockets.iter().map(|p| p.open_at(w[0] + 1e-6)).collect();
                        let left = whole.minus(&Region::union_all(&open)).simplified(0.005);
                        (w[0], w[1], left.loops())
                    })
                    .collect();
                let in_front = name == "moving soft jaw";
                Body { in_front, layers, ..Body::boxed(name, c.block.min, c.block.max) }
            })
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
        match duty {
            Duty::AllButHat | Duty::Seen | Duty::Half { turned: false, .. } => {}
            Duty::All | Duty::Half { turned: true, .. } => {
                out.push("Turn over about X: what was up stands on the nest's floor".into())
            }
            Duty::Only(_) => {
                out.push(format!("Stand it up: {up} of the part is up, its end stands on the nest's floor"))
            }
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
        let fact = |label: &str, value: f64, unit: &str, terms: &[Term], remark: String| Fact {
            label: label.into(),
            value: Some(value),
            unit: unit.into(),
            terms: terms.to_vec(),
            remark,
        };
        let [f, m, s] = self.bears_mm2;
        let force = if self.is_gentle() {
            format!("not the {:.0} kN it gives: more leaves marks", self.clamp_full_kn)
        } else {
            format!("all of the {}", self.vise)
        };
        vec![
            fact(
                "Nest",
                self.depth,
                "mm",
                &self.terms,
                format!("deep, inside corners R {:.1} or more", len(self.corner)),
            ),
            fact("Cut closed on", self.spacer, "mm", &[], format!("spacer between {}", self.blanks.name)),
            fact("Bears on the fixed jaw", f, "mm²", &[], format!("{m:.0} mm² on the moving one, {s:.0} mm² below")),
            fact("Room at the right end", self.room, "mm", &[], "push the part to the left".into()),
            fact("Close it with", self.clamp_kn, "kN", &self.terms, force),
            fact("Above the jaws", self.above, "mm", &[], String::new()),
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
            Datum::new(["X", "Y", "Z"][k], touches, std::iter::once(touch.clone()).chain(seat).collect())
        })
    }
    pub(crate) fn zero_in_machine(&self, shop: &Shop) -> DVec3 {
        zero_of(&self.block, shop)
    }
}

/// Work zero when blanks stand on the vise's bed, and the vise in the middle of the table.
pub(crate) fn zero_of(block: &[DVec3; 2], shop: &Shop) -> DVec3 {
    let m = &shop.machine;
    let mid = |k: usize| f64::midpoint(m.travel_min_mm[k], m.travel_max_mm[k]);
    let middle = (block[0] + block[1]) / 2.0;
    DVec3::new(mid(0) - middle.x, mid(1) - middle.y, -m.nose_to_table_mm + shop.vise.bed_height_mm - block[0].z)
}

/// A setup held by soft jaws as the stock really is when it comes to it: what earlier setups left in corners gets room in the nest.
///
/// The error says why they do not hold then.
pub fn in_process(
    setup: &mut Setup,
    part: &Part,
    shop: &Shop,
    material: &Material,
    stock: &Slabs,
) -> Result<(), String> {
    let Hold::SoftJaws(j) = &setup.hold else { return Ok(()) };
    // Standing across, the stock is known in steps only: there the finished part is taken, and the proof says whether it fits.
    let stock = (!matches!(setup.duty, Duty::Only(_))).then_some(stock);
    let (name, duty, frame) = (setup.name.clone(), setup.duty.clone(), setup.part_from_work);
    let above = part_top(part, &frame);
    let cuts = below(&duty, &frame);
    let asked = Asked {
        cuts: &cuts,
        only: matches!(duty, Duty::Only(_)),
        covered: false,
        part,
        part_from_work: frame,
        shop,
        material,
        setup: &name,
        over: j.above + j.top - above,
        stock,
    };
    *setup = Hold::SoftJaws(Box::new(design(&asked)?)).setup(&name, duty, frame, shop);
    Ok(())
}

/// Upper end of a part in a setup, mm.
fn part_top(part: &Part, part_from_work: &Placement) -> f64 {
    part_from_work.inverse().bounds(&part.bounds).max.z
}
