//! Does a part fit into the jaws that were cut for it? Both as their programs really leave them, laid into one another.
//!
//! On one grid of rays in each direction the block is cut by the programs of the setups before, and the jaws by theirs; the jaws are closed to contact.
//! Ends of rays are exact, so overlap and gap are; what slips between rays is narrower than their distance.

use crate::cut;
use crate::dexel::{Field, Ray};
use crate::oblique::{self, Done};
use crate::sweep::Sweep;
use crate::{Input, SetupInput};
use geom::{Box3, DVec3, Placement, RayGrid};
use rayon::prelude::*;
use reason::{Finding, Kind, Place, Severity, Sure, len};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Deeper than this in one another they do not fit, mm.
pub const OVERLAP: f64 = 0.01;
/// Closer than this they touch, mm.
const TOUCH: f64 = 0.012;
/// Bearing less than this share of what was planned is told.
const LESS: f64 = 0.6;
/// Rays' distance at most, mm.
const PITCH: f64 = 0.3;

/// Jaws that hold a setup, in its work coordinates.
#[derive(Debug, Clone)]
pub struct Nest {
    /// Number of the setup that they hold.
    pub setup: usize,
    /// "jaws-side-2".
    pub name: String,
    /// The program that cuts them; its work coordinates are those of the setup.
    pub program: SetupInput,
    /// Both on their spacer before they are cut.
    pub block: Box3,
    /// Faces of the moving and of the fixed jaw at the gap, y.
    pub gap: [f64; 2],
    /// Height of the seat and of the jaws' top, mm.
    pub heights: [f64; 2],
    /// Opened by this when the part goes in, mm.
    pub opens: f64,
    /// Planned to bear: on the fixed and the moving jaw, on the seat, mm².
    pub planned: [f64; 3],
}

/// How a part lies in jaws as both are cut.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct NestFit {
    /// "jaws-side-2".
    pub name: String,
    /// The setup that they hold.
    pub setup: String,
    /// Deepest overlap when the jaws stand as they were cut, mm; above 0.01 it does not fit.
    pub overlap_mm: f64,
    /// The part lies off its place, towards the fixed jaw, mm.
    pub shift_mm: f64,
    /// The jaws close further than they were cut, mm.
    pub closes_mm: f64,
    /// Bears on the fixed and the moving jaw, seen along their travel, and on the seat, mm².
    pub bears_mm2: [f64; 3],
    /// It goes in from above with the jaws opened.
    pub goes_in: bool,
    /// Distance between rays, mm.
    pub pitch_mm: f64,
}

/// The first number of an overlap and where.
#[derive(Default)]
struct Deepest(f64, Option<DVec3>);

impl Deepest {
    fn see(&mut self, deep: f64, at: impl FnOnce() -> DVec3) {
        if deep > self.0 {
            (self.0, self.1) = (deep, Some(at()));
        }
    }
}

/// Cut fields as a program does, without looking at anything else.
fn replay(fields: &mut [Field; 3], program: &SetupInput) {
    fields.par_iter_mut().for_each(|f| {
        for step in program.program.steps.iter().filter(|s| s.moves() && !s.machine) {
            if let Some(tool) = program.tools.iter().find(|t| t.number == step.tool) {
                cut::cut(f, &Sweep::new(step.from, step.to, &step.shape), tool);
            }
        }
    });
}

/// In the frame of another setup and back.
fn cut_elsewhere(fields: [Field; 3], program: &SetupInput, work_from_part: &Placement) -> [Field; 3] {
    let here = work_from_part.inverse();
    let there = program.part_from_work.inverse().after(&here);
    if !there.is_axial() {
        let all = Done { input: program, touched: vec![true; program.program.steps.len()] };
        return fields.map(|mut f| {
            oblique::take(&mut f, &all, &here);
            f
        });
    }
    let mut turned = by_axis(fields.map(|f| f.placed(&there)));
    replay(&mut turned, program);
    let back = there.inverse();
    by_axis(turned.map(|f| f.placed(&back)))
}

fn by_axis(mut fields: [Field; 3]) -> [Field; 3] {
    fields.sort_by_key(|f| f.grid.axis);
    fields
}

/// Both on rays along x, y and z of the setup.
struct Laid {
    part: [Field; 3],
    jaws: [Field; 3],
}

impl Laid {
    fn of(nest: &Nest, input: &Input) -> Laid {
        let s = &input.setups[nest.setup];
        let work = s.part_from_work.inverse();
        // What the saw takes is gone in the end, whenever it comes.
        let sawn = input.setups[..=nest.setup].iter().filter_map(|s| s.sawn);
        let block = work.bounds(&sawn.fold(input.stock, |b, left| b.common(&left)));
        let part = work.bounds(&input.model.bounds());
        // Only the height of the jaws, and no more of the part than there is.
        let band = Box3 {
            min: DVec3::new(part.min.x - 0.5, part.min.y - 0.5, part.min.z - 1.5),
            max: DVec3::new(part.max.x + 0.5, part.max.y + 0.5, nest.heights[1] + 0.2),
        };
        let size = band.size();
        let fine = |a: f64, b: f64| (a * b / 120_000.0).sqrt().clamp(0.08, PITCH);
        let pitch = [fine(size.y, size.z), fine(size.z, size.x), fine(size.x, size.y)];
        let grids = [0, 1, 2].map(|k| RayGrid::covering(k, &band, pitch[k]));
        let mut fields = grids.map(|g| Field::of_box(g, &block));
        if let Some(bar) = &input.bar {
            fields.iter_mut().for_each(|f| f.within_bar(bar, &s.part_from_work));
        }
        for before in &input.setups[..nest.setup] {
            fields = cut_elsewhere(fields, before, &work);
        }
        let mut jaws = grids.map(|g| Field::of_box(g, &nest.block));
        replay(&mut jaws, &nest.program);
        Laid { part: fields, jaws }
    }
}

/// Where a jaw's material begins behind the gap: upwards from `from`, or downwards.
fn begins(ray: &Ray, from: f64, up: bool) -> Option<f64> {
    if up {
        ray.iter().find(|i| i.1 > from).map(|i| i.0.at_least(from))
    } else {
        ray.iter().rev().find(|i| i.0 < from).map(|i| i.1.at_most(from))
    }
}

/// Gap between part and jaw along each ray of their travel (none where one is missing), for the fixed jaw or the moving one.
fn gaps(laid: &Laid, from: f64, up: bool) -> Vec<Option<f64>> {
    let (part, jaws) = (&laid.part[1].rays, &laid.jaws[1].rays);
    part.iter()
        .zip(jaws)
        .map(|(p, j)| {
            let end = if up { p.last()?.1 } else { -p.first()?.0 };
            let wall = begins(j, from, up)?;
            Some(if up { wall - end } else { -wall - end })
        })
        .collect()
}

fn least(gaps: &[Option<f64>]) -> f64 {
    gaps.iter().flatten().copied().fold(f64::INFINITY, Sure::at_most)
}

fn area(gaps: &[Option<f64>], contact: f64, pitch: f64) -> f64 {
    gaps.iter().flatten().filter(|g| **g - contact <= TOUCH).count() as f64 * pitch * pitch
}

/// Overlap across the jaws' travel: the length along x, by how much the wall leans to it (from ray to ray).
fn across(laid: &Laid, gap: [f64; 2]) -> Deepest {
    let (part, jaws) = (&laid.part[0], &laid.jaws[0]);
    let grid = part.grid;
    let mut deepest = Deepest::default();
    for k in 0..grid.len() {
        let y = grid.at(k).x;
        if y > gap[0] && y < gap[1] {
            continue;
        }
        for p in &part.rays[k] {
            for j in &jaws.rays[k] {
                let (lo, hi) = (p.0.at_least(j.0), p.1.at_most(j.1));
                if hi - lo <= 0.5 * OVERLAP {
                    continue;
                }
                // The end of the part's interval that lies in the jaw, on this ray and on the next.
                let right = p.1 <= j.1 + 1e-9;
                let end = |r: &Ray| {
                    r.iter().map(|i| if right { i.1 } else { i.0 }).min_by(|a, b| {
                        let here = if right { p.1 } else { p.0 };
                        (a - here).abs().total_cmp(&(b - here).abs())
                    })
                };
                let next = if k + 1 < grid.len() { end(&part.rays[k + 1]) } else { None };
                let here = if right { p.1 } else { p.0 };
                let slope = next.map_or(0.0, |n| (n - here) / grid.pitch);
                let deep = (hi - lo) / slope.hypot(1.0);
                deepest.see(deep, || grid.point(k, f64::midpoint(lo, hi)));
            }
        }
    }
    deepest
}

/// Distance of the part from the floor under it, for each column where the floor is a seat.
fn under(laid: &Laid, seat: f64) -> Vec<Option<f64>> {
    const SEAT: f64 = 0.6;
    laid.part[2]
        .rays
        .iter()
        .zip(&laid.jaws[2].rays)
        .map(|(p, j)| {
            let low = p.first()?.0;
            let floor = j.iter().rev().map(|i| i.1).find(|z| (z - seat).abs() < SEAT && *z < low + SEAT)?;
            Some(low - floor)
        })
        .collect()
}

/// Does each section of the part pass the jaws above it, opened by `opens`? The room that there is at the tightest place, mm.
fn passes(laid: &Laid, from: f64, up: bool, opens: f64) -> f64 {
    let (part, jaws) = (&laid.part[1], &laid.jaws[1]);
    let [nz, nx] = part.grid.count;
    let mut room = f64::INFINITY;
    for v in 0..nx {
        let mut furthest = f64::NEG_INFINITY;
        for u in 0..nz {
            let k = v * nz + u;
            let end = if up { part.rays[k].last().map(|i| i.1) } else { part.rays[k].first().map(|i| -i.0) };
            furthest = furthest.at_least(end.unwrap_or(f64::NEG_INFINITY));
            if let Some(w) = begins(&jaws.rays[k], from, up)
                && furthest.is_finite()
            {
                let wall = if up { w } else { -w };
                room = room.at_most(wall + opens / 2.0 - furthest);
            }
        }
    }
    room
}

/// Lay the part into the jaws as both are cut.
pub(crate) fn fit(nest: &Nest, input: &Input) -> (NestFit, Vec<Finding>) {
    let laid = Laid::of(nest, input);
    let s = &input.setups[nest.setup];
    let pitch = laid.part[1].grid.pitch;
    let (on_fixed, on_moving) = (gaps(&laid, nest.gap[1], true), gaps(&laid, nest.gap[0], false));
    let floor = under(&laid, nest.heights[0]);
    // Whatever is pushed off its place by less than the limit finds contact there.
    let (shift, other, down) = (least(&on_fixed), least(&on_moving), least(&floor));
    let mut deepest = across(&laid, nest.gap);
    let worst = |gaps: &[Option<f64>], field: &Field, d: &mut Deepest| {
        for (k, g) in gaps.iter().enumerate() {
            if let Some(g) = g {
                d.see(-g, || field.grid.point(k, field.rays[k].first().map_or(0.0, |i| i.0)));
            }
        }
    };
    worst(&on_fixed, &laid.part[1], &mut deepest);
    worst(&on_moving, &laid.part[1], &mut deepest);
    worst(&floor, &laid.part[2], &mut deepest);
    let goes_in = [(nest.gap[1], true), (nest.gap[0], false)]
        .into_iter()
        .all(|(from, up)| passes(&laid, from, up, nest.opens) > 0.0);
    let seat_pitch = laid.part[2].grid.pitch;
    let whole = |v: f64| if v.is_finite() { v } else { 0.0 };
    let fit = NestFit {
        name: nest.name.clone(),
        setup: s.name.clone(),
        overlap_mm: deepest.0,
        shift_mm: whole(shift),
        closes_mm: whole(shift) + whole(other),
        bears_mm2: [area(&on_fixed, shift, pitch), area(&on_moving, other, pitch), area(&floor, down, seat_pitch)],
        goes_in,
        pitch_mm: pitch,
    };
    let findings = told(&fit, nest, s, &deepest);
    (fit, findings)
}

fn told(fit: &NestFit, nest: &Nest, s: &SetupInput, deepest: &Deepest) -> Vec<Finding> {
    let mut out = Vec::new();
    let place = deepest.1.map(|p| s.part_from_work.point(p)).map(|p| Place::new(p - 0.3, p + 0.3));
    if fit.overlap_mm > OVERLAP {
        out.push(
            Finding::new(
                Kind::JawsDoNotFit,
                Severity::Stop,
                format!("The part does not go into '{}' as both are cut: {:.3} mm of them overlap", fit.name, len(fit.overlap_mm)),
                "At most 0.01 mm passes. The jaws' program or one before it was changed, or leaves more than it should: plan again, or give the nest room.",
            )
            .keyed(&fit.name)
            .in_setup(&s.name)
            .at(place.into_iter().collect()),
        );
    }
    if !fit.goes_in {
        out.push(
            Finding::new(
                Kind::JawsDoNotFit,
                Severity::Stop,
                format!("The part cannot be laid into '{}' from above with the jaws {:.0} mm open", fit.name, len(nest.opens)),
                "It is wider below than the nest is above. Choose a lower grip, another way up, or another way of holding.",
            )
            .keyed(format!("{}/in", fit.name))
            .in_setup(&s.name),
        );
    }
    let names = ["the fixed jaw", "the moving jaw", "its seat"];
    for (k, name) in names.into_iter().enumerate() {
        if fit.bears_mm2[k] < LESS * nest.planned[k] {
            out.push(
                Finding::new(
                    Kind::JawsBear,
                    if fit.bears_mm2[k] < 0.2 * nest.planned[k] { Severity::Stop } else { Severity::Warn },
                    format!(
                        "The part bears on {} of '{}' over {:.0} mm² only, {:.0} were planned",
                        name, fit.name, fit.bears_mm2[k], nest.planned[k]
                    ),
                    "It may rock or be marked. Blue the nest, try the fit, and close gently.",
                )
                .keyed(format!("{}/{k}", fit.name))
                .in_setup(&s.name),
            );
        }
    }
    out
}
