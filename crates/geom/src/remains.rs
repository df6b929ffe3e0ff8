//! The stock in process, for planning in any number of setups: the common part of what is known to stand after each of them.
//!
//! Each setup hands over its stock in its own frame, as slabs that are never less than what there is; nothing of them is lost by being looked at.
//! What stands in another frame, at any angle, is the common part of all of them turned there: exact where the spindles are parallel; else a
//! slab of the new frame is the exact shadow of what stands between its two heights, so it is never less either.

use crate::{Bar, Box3, DMat3, DVec2, DVec3, Placement, Region, Slabs, hull};
use std::collections::BTreeMap;

/// What stands, as known after each setup.
#[derive(Debug, Clone)]
pub struct Remains {
    /// The block first.
    states: Vec<(Placement, Slabs)>,
}

/// Slabs across an old axis are at most this thick, mm.
const ACROSS: f64 = 0.5;
/// What is thinner than this along the new height is no material, mm: polygons are no closer to what they stand for.
const HAIR: f64 = 0.004;
/// Axes closer to parallel, or to square, than this (1 − cosine, or cosine) are so: over a metre that is less than a thousandth.
const SQUARE: f64 = 1e-9;

impl Remains {
    /// A block, in part coordinates.
    pub fn of(block: Box3) -> Remains {
        let slab = Slabs::prism(Region::rect(block.min.truncate(), block.max.truncate()), block.min.z, block.max.z);
        Remains { states: vec![(Placement::IDENTITY, slab)] }
    }
    /// A length of bar, in part coordinates: what of a box is in it.
    pub fn of_bar(block: Box3, bar: &Bar) -> Remains {
        let frame = bar.frame();
        let b = frame.inverse().bounds(&block);
        let section = bar.section().intersect(&Region::rect(b.min.truncate(), b.max.truncate()));
        Remains { states: vec![(frame, Slabs::prism(section, b.min.z, b.max.z))] }
    }
    /// What of it lies in a box, part coordinates: the rest was sawn off.
    pub fn within(mut self, b: &Box3) -> Remains {
        self.states.insert(0, Remains::of(*b).states.remove(0));
        self
    }
    /// After a setup: `slabs` in its frame. What was known along the same spindle before is in them.
    pub fn after(mut self, part_from_work: Placement, slabs: Slabs) -> Remains {
        let up = part_from_work.dir(DVec3::Z);
        self.states.retain(|(frame, _)| frame.dir(DVec3::Z).dot(up).abs() < 1.0 - SQUARE);
        self.states.push((part_from_work, slabs));
        self
    }
    /// What stands, seen in a frame.
    pub fn seen_in(&self, part_from_work: &Placement) -> Slabs {
        let to_work = part_from_work.inverse();
        // The last says most; the ones before say it more exactly where their axes are nearer.
        let turned = self.states.iter().rev().map(|(frame, slabs)| turned(slabs, &to_work.after(frame)));
        turned.reduce(|a, b| a.common(&b)).unwrap_or_else(|| Slabs::stacked([]))
    }
}

/// Slabs in another frame.
fn turned(slabs: &Slabs, to_new: &Placement) -> Slabs {
    let up = to_new.dir(DVec3::Z).z.abs();
    if up > 1.0 - SQUARE {
        along(slabs, to_new)
    } else if up < SQUARE {
        across(slabs, to_new)
    } else {
        aslant(slabs, to_new)
    }
}

/// The spindles are parallel: each slab stays a slab.
fn along(slabs: &Slabs, to_new: &Placement) -> Slabs {
    let mut out: Vec<(f64, f64, Region)> = slabs
        .parts()
        .map(|(z0, z1, section)| {
            let at = |p: DVec2, z: f64| to_new.point(p.extend(z));
            let (a, b) = (at(DVec2::ZERO, z0).z, at(DVec2::ZERO, z1).z);
            let loops: Vec<Vec<DVec2>> = section
                .loops()
                .into_iter()
                .map(|l| {
                    let mut l: Vec<DVec2> = l.into_iter().map(|p| at(p, z0).truncate()).collect();
                    // Seen from below the sense of a loop turns round.
                    if to_new.dir(DVec3::Z).z < 0.0 {
                        l.reverse();
                    }
                    l
                })
                .collect();
            let (low, high) = if a < b { (a, b) } else { (b, a) };
            (low, high, Region::from_oriented(&loops))
        })
        .collect();
    out.sort_by(|a, b| a.0.total_cmp(&b.0));
    Slabs::stacked(out)
}

/// The spindles are square to one another: sections of the slabs become rectangles.
fn across(slabs: &Slabs, to_new: &Placement) -> Slabs {
    // Turned about the old spindle until the new height runs along x.
    let height = to_new.inverse().dir(DVec3::Z);
    let first = Placement { turn: DMat3::from_rotation_z(-height.y.atan2(height.x)), shift: DVec3::ZERO };
    let slabs = along(slabs, &first);
    let to_new = to_new.after(&first.inverse());
    // Heights (old x) at which something changes: long edges square to it, and in between steps.
    let mut cuts: Vec<f64> = Vec::new();
    for (_, _, section) in slabs.parts() {
        for l in section.loops() {
            for k in 0..l.len() {
                let (a, b) = (l[k], l[(k + 1) % l.len()]);
                if (a.x - b.x).abs() < HAIR && (a.y - b.y).abs() > 0.5 {
                    cuts.push(a.x);
                }
            }
        }
    }
    let Some((lo, hi)) = Region::union_all(slabs.parts().map(|p| p.2)).bounds() else {
        return Slabs::stacked([]);
    };
    cuts.extend([lo.x, hi.x]);
    cuts.sort_by(f64::total_cmp);
    cuts.dedup_by(|a, b| (*a - *b).abs() < HAIR);
    let mut steps: Vec<f64> = Vec::new();
    for w in cuts.windows(2) {
        let n = ((w[1] - w[0]) / ACROSS).ceil() as usize;
        steps.extend((0..n).map(|k| w[0] + (w[1] - w[0]) * k as f64 / n as f64));
    }
    steps.extend(cuts.last());
    let mut out: Vec<(f64, f64, Region)> = Vec::new();
    // Where nothing changes from step to step, they are one slab.
    let mut like: Vec<[DVec2; 4]> = Vec::new();
    for w in steps.windows(2) {
        let (t0, t1) = (w[0], w[1]);
        // A hair inside, so that a section that hardly touches the strip leaves no sliver in it.
        let strip = Region::rect(DVec2::new(t0 + HAIR, lo.y), DVec2::new(t1 - HAIR, hi.y));
        let mut rects: Vec<[DVec2; 4]> = Vec::new();
        for (z0, z1, section) in slabs.parts() {
            for piece in strip.intersect(section).components() {
                let Some((a, b)) = piece.bounds() else { continue };
                let at = |y: f64, z: f64| to_new.point(DVec3::new(t0, y, z)).truncate();
                if b.y - a.y > 1e-6 && z1 - z0 > 1e-6 {
                    rects.push([at(a.y, z0), at(b.y, z0), at(b.y, z1), at(a.y, z1)]);
                }
            }
        }
        let (a, b) = (to_new.point(DVec3::X * t0).z, to_new.point(DVec3::X * t1).z);
        let (low, high) = if a < b { (a, b) } else { (b, a) };
        let near = |p: &[DVec2; 4], q: &[DVec2; 4]| p.iter().zip(q).all(|(p, q)| p.distance(*q) < 1e-6);
        let same = rects.len() == like.len() && rects.iter().zip(&like).all(|(p, q)| near(p, q));
        match out.last_mut() {
            Some(last) if same && (last.1 - low).abs() < 1e-9 => last.1 = high,
            Some(last) if same && (last.0 - high).abs() < 1e-9 => last.0 = low,
            _ => out.push((low, high, together(rects.iter().map(|r| r.to_vec())))),
        }
        like = rects;
    }
    out.sort_by(|a, b| a.0.total_cmp(&b.0));
    Slabs::stacked(out)
}

/// All of some convex polygons, whichever way they turn.
fn together(polygons: impl Iterator<Item = Vec<DVec2>>) -> Region {
    let all: Vec<Region> = polygons.map(|p| Region::from_loops([hull(p).as_slice()])).collect();
    Region::union_all(&all)
}

/// At any other angle: the old slabs are cut into prisms over convex sections; of each the shadow of what lies between two heights is the hull
/// of its corners there. All slabs are on one grid of heights, so that several states share theirs.
fn aslant(slabs: &Slabs, to_new: &Placement) -> Slabs {
    let mut layers: BTreeMap<i64, Vec<Vec<DVec2>>> = BTreeMap::new();
    // The last layer ends where the highest corner does: what is faced at an angle is level with it.
    let mut top = f64::NEG_INFINITY;
    for (z0, z1, section) in slabs.parts() {
        for base in section.convex_cover() {
            let n = base.len();
            let corners: Vec<DVec3> = [z0, z1].iter().flat_map(|&z| base.iter().map(move |p| p.extend(z))).collect();
            let corners: Vec<DVec3> = corners.into_iter().map(|p| to_new.point(p)).collect();
            let edges: Vec<[DVec3; 2]> = (0..n)
                .flat_map(|k| {
                    let next = (k + 1) % n;
                    [[k, next], [n + k, n + next], [k, n + k]].map(|e| e.map(|i| corners[i]))
                })
                .collect();
            let b = Box3::of(corners.iter().copied());
            top = if b.max.z > top { b.max.z } else { top };
            let (first, last) = ((b.min.z / ACROSS).floor() as i64, (b.max.z / ACROSS).ceil() as i64);
            for layer in first..last {
                let (low, high) = (layer as f64 * ACROSS, (layer + 1) as f64 * ACROSS);
                let mut shadow: Vec<DVec2> = Vec::new();
                for [p, q] in &edges {
                    // The part of the edge between the heights.
                    let rise = q.z - p.z;
                    let (mut from, mut to): (f64, f64) = (0.0, 1.0);
                    if rise.abs() < 1e-12 {
                        if p.z < low || p.z > high {
                            continue;
                        }
                    } else {
                        let (a, b) = ((low - p.z) / rise, (high - p.z) / rise);
                        let (a, b) = if a < b { (a, b) } else { (b, a) };
                        from = if a > from { a } else { from };
                        to = if b < to { b } else { to };
                    }
                    if from <= to {
                        shadow.extend([from, to].map(|t| p.lerp(*q, t).truncate()));
                    }
                }
                if shadow.len() > 2 {
                    layers.entry(layer).or_default().push(shadow);
                }
            }
        }
    }
    Slabs::stacked(
        layers
            .into_iter()
            .map(|(k, all)| (k as f64 * ACROSS, (k + 1) as f64 * ACROSS, all))
            .filter(|l| l.0 < top)
            .map(|(low, high, all)| (low, if high < top { high } else { top }, together(all.into_iter()))),
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use fastrand::Rng;

    fn frame(x: DVec3, y: DVec3, z: DVec3, shift: DVec3) -> Placement {
        Placement { turn: DMat3::from_cols(x, y, z), shift }
    }

    fn block() -> Box3 {
        Box3 { min: DVec3::ZERO, max: DVec3::new(40.0, 30.0, 20.0) }
    }

    /// From above a pocket with a round end; in a frame that looks along y and in one upside down.
    fn cut_from_above() -> (Remains, Slabs) {
        let mut s = Slabs::prism(Region::rect(DVec2::ZERO, DVec2::new(40.0, 30.0)), 0.0, 20.0);
        let pocket = Region::swept(&[DVec2::new(12.0, 15.0), DVec2::new(28.0, 15.0)], 6.0, 0.01);
        s.cut(&pocket, 8.0);
        (Remains::of(block()).after(Placement::IDENTITY, s.clone()), s)
    }

    /// A hexagon bar along y, sawn off: seen along it its section, across it never less than the chord there, beyond the saw nothing.
    #[test]
    fn a_bar_is_seen_from_along_and_across() {
        let bar =
            Bar { axis: 1, middle_mm: [2.0, 3.0], form: crate::BarForm::Hexagon { across_mm: 12.0, turned_deg: 0.0 } };
        let all = Remains::of_bar(bar.bounds(0.0, 50.0), &bar);
        let area = 3.0_f64.sqrt() / 2.0 * 144.0;
        assert!((all.seen_in(&bar.frame()).between(10.0, 40.0).area() - area).abs() < 1e-3);
        let left = all.within(&Box3 { min: DVec3::new(-99.0, 20.0, -99.0), max: DVec3::splat(99.0) });
        let along = left.seen_in(&bar.frame());
        assert!(along.between(0.0, 19.9).is_empty() && (along.bottom(), along.top()) == (20.0, 50.0));
        // Across, in the part's own frame: flats look along z (the first axis that follows y).
        let across = left.seen_in(&Placement::IDENTITY);
        assert!(
            (across.top() - 8.0).abs() < 1e-6 && (across.bottom() + 4.0).abs() < 1e-6,
            "{} {}",
            across.top(),
            across.bottom()
        );
        let at = |z: f64| across.between(z, z + 0.01).bounds().map_or(0.0, |(lo, hi)| hi.x - lo.x);
        for z in [-3.0, 0.0, 2.0, 5.5, 7.9] {
            let chord = 2.0 * (12.0 / 3.0_f64.sqrt() - (z - 2.0_f64).abs() / 3.0_f64.sqrt());
            assert!(at(z) > chord - 0.02 && at(z) < chord + 0.7, "{z}: {} {chord}", at(z));
        }
    }

    #[test]
    fn upside_down_it_is_the_same_stock() {
        let (stock, s) = cut_from_above();
        let over = frame(DVec3::X, -DVec3::Y, -DVec3::Z, DVec3::new(0.0, 30.0, 20.0));
        let t = stock.seen_in(&over);
        for (low, high) in [(0.0, 11.9), (12.1, 20.0)] {
            let want = s.between(20.0 - high, 20.0 - low).area();
            assert!((t.between(low, high).area() - want).abs() < 1e-3);
        }
    }

    /// How much more than stands a frame says, as a share of what stands. Nothing that stands may be lost in it.
    fn more_in(f: &Placement, stock: &Remains, s: &Slabs) -> f64 {
        let (t, back) = (stock.seen_in(f), f.inverse());
        let (mut more, mut stood) = (0, 0);
        for (i, j, k) in (-2..42).flat_map(|i| (-2..32).flat_map(move |j| (-2..22).map(move |k| (i, j, k)))) {
            let p = DVec3::new(f64::from(i) + 0.37, f64::from(j) + 0.53, f64::from(k) + 0.41);
            let at = |s: &Slabs, p: DVec3| s.between(p.z - 1e-4, p.z + 1e-4).contains(p.truncate());
            let (stands, says) = (at(s, p), at(&t, back.point(p)));
            assert!(says || !stands, "{p} is lost");
            stood += i32::from(stands);
            more += i32::from(says && !stands);
        }
        f64::from(more) / f64::from(stood)
    }

    #[test]
    fn from_the_side_it_is_never_less_and_hardly_more() {
        let (stock, s) = cut_from_above();
        let frames = [
            frame(DVec3::X, DVec3::Z, -DVec3::Y, DVec3::new(0.0, 30.0, 0.0)),
            frame(-DVec3::X, DVec3::Z, DVec3::Y, DVec3::new(40.0, 0.0, 0.0)),
            frame(DVec3::Y, DVec3::Z, DVec3::X, DVec3::ZERO),
        ];
        assert!(frames.iter().all(|f| more_in(f, &stock, &s) < 0.01));
    }

    #[test]
    fn at_any_angle_it_is_never_less_and_hardly_more() {
        let mut rng = Rng::with_seed(11);
        let (stock, s) = cut_from_above();
        for k in 0..12 {
            let axis = DVec3::new(rng.f64() - 0.5, rng.f64() - 0.5, rng.f64() - 0.5).normalize();
            let mut turn = DMat3::from_axis_angle(axis, rng.f64() * 6.0);
            if k % 4 == 0 {
                // Square to the spindle, but turned in the plane.
                turn = DMat3::from_rotation_z(rng.f64()) * DMat3::from_rotation_x(std::f64::consts::FRAC_PI_2);
            }
            let more = more_in(&Placement { turn, shift: DVec3::new(3.0, -2.0, 1.0) }, &stock, &s);
            assert!(more < 0.05, "{more}");
        }
    }

    #[test]
    fn what_two_setups_cut_is_gone_in_a_third() {
        let (stock, _) = cut_from_above();
        let side = frame(DVec3::X, DVec3::Z, -DVec3::Y, DVec3::new(0.0, 30.0, 0.0));
        let mut t = stock.seen_in(&side);
        t.cut(&Region::rect(DVec2::new(2.0, 2.0), DVec2::new(8.0, 6.0)), 20.0);
        let stock = stock.after(side, t);
        let from_above = stock.seen_in(&Placement::IDENTITY);
        let at = |p: DVec3| from_above.between(p.z - 0.01, p.z + 0.01).contains(p.truncate());
        assert!(!at(DVec3::new(20.0, 15.0, 12.0)) && at(DVec3::new(5.0, 15.0, 4.0)) && at(DVec3::new(35.0, 5.0, 18.0)));
        // From the side it was cut 10 mm deep: 20 to 30 of 30 in y.
        assert!(!at(DVec3::new(5.0, 5.0, 4.0)));
    }
}
