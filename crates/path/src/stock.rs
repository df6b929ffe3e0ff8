//! The stock in process, for planning in any number of setups: the common part of what is known to stand after each of them.
//!
//! Each setup hands over its stock in its own frame, as slabs that are never less than what there is. What stands in another frame is the
//! common part of all of them turned there: exact where the spindles are parallel; across one another, a slab of the new frame keeps what any
//! of the old section within it keeps, so it is never less either.

use crate::Slabs;
use geom::{Box3, DVec2, DVec3, Placement, Region};

/// What stands, as known after each setup.
#[derive(Debug, Clone)]
pub struct Stock {
    block: Box3,
    states: Vec<(Placement, Slabs)>,
}

/// Slabs across an old axis are at most this thick, mm.
const ACROSS: f64 = 0.5;
/// What is thinner than this along the new height is no material, mm: polygons are no closer to what they stand for.
const HAIR: f64 = 0.004;

impl Stock {
    /// A block, in part coordinates.
    pub fn block(block: Box3) -> Stock {
        Stock { block, states: Vec::new() }
    }
    /// After a setup: `slabs` in its frame.
    pub fn after(mut self, part_from_work: Placement, slabs: Slabs) -> Stock {
        self.states.push((part_from_work, slabs));
        self
    }
    /// What stands, seen in a frame.
    pub fn seen_in(&self, part_from_work: &Placement) -> Slabs {
        let to_work = part_from_work.inverse();
        let b = to_work.bounds(&self.block);
        let mut out = Slabs::prism(Region::rect(b.min.truncate(), b.max.truncate()), b.min.z, b.max.z);
        // The last says most; the ones before say it more exactly where their axes are nearer.
        for (frame, slabs) in self.states.iter().rev() {
            out = out.common(&turned(slabs, &to_work.after(frame)));
        }
        out
    }
}

/// Slabs in another frame whose axes are axes of the old one.
fn turned(slabs: &Slabs, to_new: &Placement) -> Slabs {
    let up = to_new.dir(DVec3::Z);
    if up.z.abs() > 0.5 { along(slabs, to_new) } else { across(slabs, to_new) }
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
    let back = to_new.inverse();
    // The new height runs along one of the old section's axes, and the other becomes a new axis in the plane.
    let height = back.dir(DVec3::Z);
    let tall = usize::from(height.y.abs() > 0.5);
    let wide = 1 - tall;
    let pick = |p: DVec2, k: usize| if k == 0 { p.x } else { p.y };
    // Heights (old coordinate) at which something changes: long edges square to it, and in between steps.
    let mut cuts: Vec<f64> = Vec::new();
    for (_, _, section) in slabs.parts() {
        for l in section.loops() {
            for k in 0..l.len() {
                let (a, b) = (l[k], l[(k + 1) % l.len()]);
                if (pick(a, tall) - pick(b, tall)).abs() < HAIR && (pick(a, wide) - pick(b, wide)).abs() > 0.5 {
                    cuts.push(pick(a, tall));
                }
            }
        }
    }
    let Some((lo, hi)) = Region::union_all(slabs.parts().map(|p| p.2)).bounds() else {
        return Slabs::stacked([]);
    };
    cuts.extend([pick(lo, tall), pick(hi, tall)]);
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
    let mut like: Vec<[DVec2; 2]> = Vec::new();
    for w in steps.windows(2) {
        let (t0, t1) = (w[0], w[1]);
        let corner = |t: f64, v: f64| if tall == 0 { DVec2::new(t, v) } else { DVec2::new(v, t) };
        // A hair inside, so that a section that hardly touches the strip leaves no sliver in it.
        let strip = Region::rect(corner(t0 + HAIR, pick(lo, wide)), corner(t1 - HAIR, pick(hi, wide)));
        let mut rects: Vec<[DVec2; 2]> = Vec::new();
        for (z0, z1, section) in slabs.parts() {
            for piece in strip.intersect(section).components() {
                let Some((a, b)) = piece.bounds() else { continue };
                let (v0, v1) = (pick(a, wide), pick(b, wide));
                let p = to_new.point(corner(t0, v0).extend(z0)).truncate();
                let q = to_new.point(corner(t0, v1).extend(z1)).truncate();
                if (q - p).abs().min_element() > 1e-6 {
                    rects.push([p.min(q), p.max(q)]);
                }
            }
        }
        let (a, b) = (to_new.point(corner(t0, 0.0).extend(0.0)).z, to_new.point(corner(t1, 0.0).extend(0.0)).z);
        let (low, high) = if a < b { (a, b) } else { (b, a) };
        let near = |p: &[DVec2; 2], q: &[DVec2; 2]| p[0].distance(q[0]) < 1e-6 && p[1].distance(q[1]) < 1e-6;
        let same = rects.len() == like.len() && rects.iter().zip(&like).all(|(p, q)| near(p, q));
        match out.last_mut() {
            Some(last) if same && (last.1 - low).abs() < 1e-9 => last.1 = high,
            Some(last) if same && (last.0 - high).abs() < 1e-9 => last.0 = low,
            _ => out.push((
                low,
                high,
                Region::union_all(&rects.iter().map(|r| Region::rect(r[0], r[1])).collect::<Vec<_>>()),
            )),
        }
        like = rects;
    }
    out.sort_by(|a, b| a.0.total_cmp(&b.0));
    Slabs::stacked(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use geom::DMat3;

    fn frame(x: DVec3, y: DVec3, z: DVec3, shift: DVec3) -> Placement {
        Placement { turn: DMat3::from_cols(x, y, z), shift }
    }

    fn block() -> Box3 {
        Box3 { min: DVec3::ZERO, max: DVec3::new(40.0, 30.0, 20.0) }
    }

    /// From above a pocket with a round end; in a frame that looks along y and in one upside down.
    fn cut_from_above() -> (Stock, Slabs) {
        let mut s = Slabs::prism(Region::rect(DVec2::ZERO, DVec2::new(40.0, 30.0)), 0.0, 20.0);
        let pocket = Region::swept(&[DVec2::new(12.0, 15.0), DVec2::new(28.0, 15.0)], 6.0, 0.01);
        s.cut(&pocket, 8.0);
        (Stock::block(block()).after(Placement::IDENTITY, s.clone()), s)
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

    /// Whatever stands, stands in every frame; and where nothing stands, most frames say so, to the thickness of a slab.
    #[test]
    fn from_the_side_it_is_never_less_and_hardly_more() {
        let (stock, s) = cut_from_above();
        let frames = [
            frame(DVec3::X, DVec3::Z, -DVec3::Y, DVec3::new(0.0, 30.0, 0.0)),
            frame(-DVec3::X, DVec3::Z, DVec3::Y, DVec3::new(40.0, 0.0, 0.0)),
            frame(DVec3::Y, DVec3::Z, DVec3::X, DVec3::ZERO),
        ];
        for f in frames {
            let t = stock.seen_in(&f);
            let back = f.inverse();
            let (mut more, mut all) = (0, 0);
            for i in 0..40 {
                for j in 0..30 {
                    for k in 0..20 {
                        let p = DVec3::new(f64::from(i) + 0.37, f64::from(j) + 0.53, f64::from(k) + 0.41);
                        let stands = s.between(p.z - 1e-4, p.z + 1e-4).contains(p.truncate());
                        let q = back.point(p);
                        let says = t.between(q.z - 1e-4, q.z + 1e-4).contains(q.truncate());
                        assert!(says || !stands, "{p} is lost");
                        all += 1;
                        more += usize::from(says && !stands);
                    }
                }
            }
            assert!(more < all / 100, "{more} of {all}");
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
