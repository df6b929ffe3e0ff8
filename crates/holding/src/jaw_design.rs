//! How soft jaws are designed for a part: where it stands, the nest with its relief, the spacer, and where and over which area both jaws bear.

use crate::carved::Pocket;
use crate::frame::{Duty, Setup};
use crate::hold::{Hold, LEAST_N, too_weak};
use crate::nest::{self, FINE, reach};
use crate::seen::{Asked, Seen, below, corners_of};
use crate::soft_jaws::{NOTCH, OPEN, ROUND, SoftJaws, Touch};
use crate::statics::{self, Wrench};
use crate::vise::NO_MARK;
use geom::{Box3, DVec2, DVec3, Placement, RayGrid, Region, Slabs};
use part::{OFF_FLOOR, Part};
use reason::{Sure, Term, len};
use shop::Shop;
use shop::machine::{JawBlanks, Material};
use shop::tool::ToolKind;

/// The blanks' top is skimmed by this, so that it is true, mm (common practice, no source).
const SKIM: f64 = 0.5;
/// Room at the right end, so that a finished length goes in, mm (shop practice: 0 to 0.05 over size).
const ROOM: f64 = 0.05;
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
/// Share of a nest's edge that may be lost to relief in its corners for a larger cutter.
const LOST: f64 = 0.15;
/// A cutter so wide is quick; for one that is it may be this share.
const QUICK: f64 = 6.0;
const LOST_TO_QUICK: f64 = 0.3;
/// Closer than this is contact, mm.
const CONTACT: f64 = 0.012;
/// Rays' distance, mm.
const PITCH: f64 = 0.4;
/// Flat areas under which a piece stands, at least, mm².
const STANDS: f64 = 25.0;
/// Area that must bear on each jaw, seen along its travel, mm².
const BEARS: f64 = 15.0;

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
    let wide = a.part_from_work.inverse().bounds(&a.part.bounds).size().y;
    if wide > a.shop.vise.opening_mm {
        let opens = a.shop.vise.opening_mm;
        return Err(format!(
            "it is {wide:.0} mm wide and the vise opens {opens:.0}",
            wide = len(wide),
            opens = len(opens)
        ));
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
    if let Some(n) = too_weak(&out.contacts(a.material.friction), &b) {
        return Err(format!(
            "at its top, {:.0} mm over the jaws, it would bear {n:.0} N across, and a light cut asks for {LEAST_N:.0}",
            len(above)
        ));
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
    let mut quick: Option<(f64, Region)> = None;
    for d in reach.iter().copied().filter(|d| *d <= most) {
        // The cutter goes round, it does not stand in the corner.
        let r = 0.55 * d;
        let hollow = nest::relieved(&roomy, r);
        let lost = length(&hollow.shrunk(ROOM + 0.01, FINE).clip_lines(&closed, true)) / all;
        if lost <= LOST {
            return Ok(quick.unwrap_or((r, hollow)));
        }
        if d >= QUICK && lost <= LOST_TO_QUICK && quick.is_none() {
            quick = Some((r, hollow.clone()));
        }
        if best.as_ref().is_none_or(|b| lost < b.0) {
            best = Some((lost, r, hollow));
        }
    }
    quick.or(best.map(|(_, r, hollow)| (r, hollow))).ok_or_else(|| {
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
    // One piece: what stands beside the round would be in the way of a jaw.
    let all = r.components();
    let [whole] = &all[..] else { return false };
    whole.loops().into_iter().next().is_some_and(|l| l.iter().all(|p| (p.distance(c) - radius).abs() < 0.02))
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

/// A setup held by what is made for it as the stock really is when it comes to it: what earlier setups left in corners gets room in a nest, and holes that pins and
/// screws take must be there.
///
/// The error says why they do not hold then.
pub fn in_process(
    setup: &mut Setup,
    part: &Part,
    shop: &Shop,
    material: &Material,
    stock: &Slabs,
) -> Result<(), String> {
    let j = match &setup.hold {
        Hold::SoftJaws(j) => j,
        Hold::Plate(p) => return p.in_process(stock),
        Hold::Straps(s) => return s.in_process(stock),
        Hold::Vise(_) | Hold::Tilted(_) | Hold::JawPair(_) | Hold::Chuck(_) | Hold::Bond(_) | Hold::Collet(_) => {
            return Ok(());
        }
    };
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
    let sawn = setup.sawn;
    *setup = Setup { sawn, ..Hold::SoftJaws(Box::new(design(&asked)?)).setup(&name, duty, frame, shop) };
    Ok(())
}

/// Upper end of a part in a setup, mm.
fn part_top(part: &Part, part_from_work: &Placement) -> f64 {
    part_from_work.inverse().bounds(&part.bounds).max.z
}
