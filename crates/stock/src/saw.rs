//! The saw: where a blank comes out of a piece, the cuts, what is left.

use crate::along::Along;
use crate::lay::Wanted;
use crate::piece::{Form, Piece, Range};
use geom::{DMat3, DVec2, DVec3, Placement, Region, hull};
use reason::Sure;
use reason::len;
use serde::{Deserialize, Serialize};
use shop::machine::Material;
use shop::tool::trim;
use ts_rs::TS;

/// Width of the saw's cut, mm (a bench band saw with its set; common practice, no source).
pub(crate) const KERF: f64 = 2.5;
/// What is narrower goes to the scrap bin, mm (common practice, no source).
const REMNANT: f64 = 20.0;
/// Marking out, clamping and cutting off cost this besides the cut itself, min (common practice, no source).
pub(crate) const SAW_SET: f64 = 2.0;

/// A cut of the saw.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct SawCut {
    /// "square across at 62.5".
    pub what: String,
    /// Area of the cut, mm².
    pub area: f64,
    /// min.
    pub minutes: f64,
}

/// Area that a bench saw cuts in a minute, mm²: it falls as the cutting force grows (common practice, no source; about 31 cm² in
/// aluminium and 11 cm² in mild steel).
pub(crate) fn saw_rate(m: &Material) -> f64 {
    2.0e6 / m.kc11_mpa
}

fn saw_cut(what: String, area: f64, m: &Material) -> SawCut {
    SawCut { what, area, minutes: SAW_SET + area / saw_rate(m) }
}

/// What the saw does to a piece.
#[derive(Default)]
pub(crate) struct Sawn {
    pub cuts: Vec<SawCut>,
    pub remnants: Vec<Piece>,
    /// Too small to keep, mm³.
    pub scrap: f64,
    /// mm³.
    pub dust: f64,
}

/// Square cuts: across the length, then across the width.
pub(crate) fn square(w: &Wanted, piece: &Piece, axes: &[Along; 3]) -> Sawn {
    let mut out = Sawn::default();
    let area = piece.shape.section().area();
    if axes[0].sawn {
        let (lo, hi) = (axes[0].at, axes[0].have.mean() - axes[0].at - axes[0].blank);
        for (end, at) in [(hi, axes[0].at + axes[0].blank), (lo, axes[0].at)] {
            if end < 1e-6 {
                continue;
            }
            out.cuts.push(saw_cut(format!("square across at {} mm", len(trim(at))), area, w.material));
            out.dust += area * KERF.at_most(end);
            let rest = end - KERF;
            if rest >= REMNANT {
                let spread = axes[0].have.most - axes[0].have.least;
                let by = axes[0].have.mean() - rest;
                let shape =
                    if spread > 1e-9 { piece.shape.shorter(by) } else { piece.shape.of_length(Range::just(rest)) };
                out.remnants.push(remnant(piece, shape));
            } else {
                out.scrap += area * rest.at_least(0.0);
            }
        }
    }
    if axes[1].sawn {
        let length = axes[0].blank;
        let height = axes[2].blank;
        let (lo, hi) = (axes[1].at, axes[1].have.mean() - axes[1].at - axes[1].blank);
        for (end, at) in [(hi, axes[1].at + axes[1].blank), (lo, axes[1].at)] {
            if end < 1e-6 {
                continue;
            }
            out.cuts.push(saw_cut(
                format!("lengthwise at {} mm of the width", len(trim(at))),
                length * height,
                w.material,
            ));
            out.dust += length * height * KERF.at_most(end);
            let rest = end - KERF;
            if rest >= REMNANT {
                out.remnants.push(remnant(piece, narrower(&piece.shape, length, rest)));
            } else {
                out.scrap += length * height * rest.at_least(0.0);
            }
        }
    }
    out
}

fn narrower(f: &Form, l: f64, wide: f64) -> Form {
    match f {
        Form::Block { height, .. } => Form::Block { length: Range::just(l), width: wide, height: *height },
        Form::Slabs { slab, count, .. } => Form::Slabs { length: l, width: wide, slab: *slab, count: *count },
        f => Form::Plate { length: l, width: wide, height: f.envelope()[2].mean(), outline: Vec::new() },
    }
}

fn remnant(of: &Piece, shape: Form) -> Piece {
    // The rest of a rest is a rest.
    let root = of.name.split(" rest").next().unwrap_or_default();
    let root: String = root.chars().take(50).collect();
    let share = shape.volume() / of.shape.volume().at_least(1e-9);
    Piece {
        name: format!("{root} rest"),
        shape,
        quantity: 1,
        cost: of.cost.map(|c| (c * share * 100.0).round() / 100.0),
        remnant_of: Some(of.name.clone()),
        note: String::new(),
        ..of.clone()
    }
}

/// A blank's rectangle, its low corner at the placement's origin.
pub(crate) fn rectangle(bx: f64, by: f64, at: &Placement) -> Region {
    Region::from_loops([corners(bx, by, at).as_slice()])
}

fn corners(bx: f64, by: f64, at: &Placement) -> [DVec2; 4] {
    [(0.0, 0.0), (bx, 0.0), (bx, by), (0.0, by)].map(|(x, y)| at.point(DVec3::new(x, y, 0.0)).truncate())
}

/// Where a rectangle turned by `angle` (rad) lies in a region: of all places of its low corner the one with the least x + y, if there is any.
///
/// Exact: the low corner must lie in the region and outside of every border line swept by the mirrored rectangle (configuration-space
/// obstacles: Lozano-Pérez, "Spatial planning: a configuration space approach", IEEE Transactions on Computers C-32(2), 1983; from memory).
/// The rectangle is taken 0.001 mm smaller on each side, so that one which just fits does.
pub(crate) fn place_in(plan: &Region, bx: f64, by: f64, angle: f64) -> Option<DVec2> {
    const SLACK: f64 = 0.001;
    let turn = Placement { turn: DMat3::from_rotation_z(angle), shift: DVec3::ZERO };
    let inset = turn.point(DVec3::new(SLACK, SLACK, 0.0)).truncate();
    let c = corners(bx - 2.0 * SLACK, by - 2.0 * SLACK, &turn).map(|p| p + inset);
    let mut swept: Vec<Region> = Vec::new();
    for l in plan.loops() {
        for k in 0..l.len() {
            let (a, b) = (l[k], l[(k + 1) % l.len()]);
            let points: Vec<DVec2> = c.iter().flat_map(|q| [a - q, b - q]).collect();
            swept.push(Region::from_loops([hull(points).as_slice()]));
        }
    }
    // The region seen from the low corner: anywhere in it one corner of the rectangle lies inside.
    let start: Vec<Vec<DVec2>> = plan.loops().into_iter().map(|l| l.into_iter().map(|p| p - c[0]).collect()).collect();
    let free = Region::from_oriented(&start).minus(&Region::union_all(&swept));
    let mut places: Vec<DVec2> = free.loops().into_iter().flatten().collect();
    places.sort_by(|a, b| (a.x + a.y).total_cmp(&(b.x + b.y)));
    // Rounding to the grid leaves hair-thin pieces of `free` where a corner only touches the border: each place is tried.
    places.into_iter().find(|p| Region::from_loops([c.map(|q| q + *p).as_slice()]).minus(plan).area() < 1e-4)
}

/// Cuts along the four sides of a blank that lies anyhow in a plate: each cut runs through all that is still there.
pub(crate) fn marked_out(w: &Wanted, piece: &Piece, plan: &Region, axes: &[Along; 3], at: &Placement) -> Sawn {
    let (bx, by) = (axes[0].blank, axes[1].blank);
    let height = axes[2].have.mean();
    let far = 4.0 * plan.bounds().map_or(1.0, |(a, b)| (b - a).length()) + bx + by;
    let mut out = Sawn::default();
    let mut rest = plan.clone();
    let q = |x: f64, y: f64| at.point(DVec3::new(x, y, 0.0)).truncate();
    let strip = |from: f64, side: usize| {
        // All that lies beyond a side of the blank by `from`.
        let c = match side {
            0 => [q(bx + from, -far), q(bx + from + far, -far), q(bx + from + far, far), q(bx + from, far)],
            1 => [q(-far - from, -far), q(-from, -far), q(-from, far), q(-far - from, far)],
            2 => [q(-far, by + from), q(far, by + from), q(far, by + from + far), q(-far, by + from + far)],
            _ => [q(-far, -far - from), q(far, -far - from), q(far, -from), q(-far, -from)],
        };
        Region::from_loops([c.as_slice()])
    };
    for (side, what) in
        ["along its right end", "along its left end", "along its back", "along its front"].iter().enumerate()
    {
        let beyond = rest.intersect(&strip(0.0, side));
        if beyond.area() < 0.5 {
            continue;
        }
        let line = match side {
            0 => vec![q(bx, -far), q(bx, far)],
            1 => vec![q(0.0, -far), q(0.0, far)],
            2 => vec![q(-far, by), q(far, by)],
            _ => vec![q(-far, 0.0), q(far, 0.0)],
        };
        let long: f64 =
            rest.clip_lines(&[line], true).iter().map(|l| l.windows(2).map(|p| p[0].distance(p[1])).sum::<f64>()).sum();
        let marked = if at.turn == DMat3::IDENTITY { String::new() } else { ", marked out askew".into() };
        out.cuts.push(saw_cut(
            format!("{what}{marked}, {} mm long", len(trim((long * 100.0).round() / 100.0))),
            long * height,
            w.material,
        ));
        let off = rest.intersect(&strip(KERF, side));
        out.dust += (beyond.area() - off.area()) * height;
        for c in off.components() {
            let Some((lo, hi)) = c.bounds() else { continue };
            if (hi - lo).min_element() < REMNANT || c.area() < REMNANT * REMNANT {
                out.scrap += c.area() * height;
                continue;
            }
            let size = hi - lo;
            let outline = if (size.x * size.y - c.area()).abs() < 0.5 {
                Vec::new()
            } else {
                let mut loops = c.simplified(0.05).loops();
                loops.sort_by_key(|l| std::cmp::Reverse(l.len()));
                loops.first().map(|l| l.iter().map(|p| (*p - lo).to_array()).collect()).unwrap_or_default()
            };
            out.remnants.push(remnant(piece, Form::Plate { length: size.x, width: size.y, height, outline }));
        }
        rest = rest.minus(&strip(0.0, side));
    }
    out
}
