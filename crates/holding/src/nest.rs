//! The shape of a nest: what is cut into two jaws so that closing them moves them onto a piece.
//!
//! Seen from above. Everything is along y, the way the jaws travel: in each column the nest reaches from the split to the piece's far end, so whatever its
//! outline is, the jaws come straight onto it and open freely (an undercut finger of a jaw would lock). Walls that the travel cannot free, because
//! they run along it, are given room on one side; the other locates.

use geom::{DVec2, Region};
use reason::Sure;

/// Tolerance of curves, mm.
pub(crate) const FINE: f64 = 0.001;
/// From here a wall runs so much along the travel that the jaws' opening does not free it: its normal's share across.
const STEEP: f64 = 0.94;

/// What a region covers when it is drawn to the line y = `split`, straight along y: in each column from there to its far ends.
pub(crate) fn drawn_to(region: &Region, split: f64) -> Region {
    // Under each edge a trapezium down (or up) to the line; together they are all of it.
    let mut parts: Vec<Vec<DVec2>> = Vec::new();
    for l in region.loops() {
        for k in 0..l.len() {
            let (a, b) = (l[k], l[(k + 1) % l.len()]);
            if (a.x - b.x).abs() < 1e-9 {
                continue;
            }
            for (p, q) in halves(a, b, split) {
                parts.push(vec![p, q, DVec2::new(q.x, split), DVec2::new(p.x, split)]);
            }
        }
    }
    let regions: Vec<Region> = parts.iter().map(|p| Region::from_loops([p.as_slice()])).collect();
    // The region itself closes hairs between trapezia.
    Region::union_all(regions.iter().chain([region])).without_specks(1e-6)
}

/// A segment in pieces that lie on one side of the line.
fn halves(a: DVec2, b: DVec2, split: f64) -> Vec<(DVec2, DVec2)> {
    if (a.y - split) * (b.y - split) < 0.0 {
        let m = a.lerp(b, (split - a.y) / (b.y - a.y));
        vec![(a, m), (m, b)]
    } else {
        vec![(a, b)]
    }
}

/// With room of `by` at walls that look in +x and run along the travel; it fades out where a round wall turns away from them.
pub(crate) fn roomy(nest: &Region, by: f64) -> Region {
    let mut parts: Vec<Region> = vec![nest.clone()];
    for l in nest.loops() {
        let n = l.len();
        let out = |k: usize| {
            let d = (l[(k + 1) % n] - l[k % n]).normalize_or_zero();
            DVec2::new(d.y, -d.x)
        };
        let room = |v: DVec2| by * ((v.x - STEEP) / (1.0 - STEEP)).clamp(0.0, 1.0);
        for k in 0..n {
            let here = out(k);
            // At smooth joints both edges give the same.
            let at = |other: DVec2| if here.dot(other) > 0.94 { (here + other).normalize() } else { here };
            let (p, q) = (l[k], l[(k + 1) % n]);
            let (rp, rq) = (room(at(out((k + n - 1) % n))), room(at(out(k + 1))));
            if rp > 0.0 || rq > 0.0 {
                let quad = [p, q, q + DVec2::X * rq, p + DVec2::X * rp];
                parts.push(Region::from_loops([&quad[..]]));
            }
        }
    }
    Region::union_all(&parts)
}

/// Room at inside corners that a cutter of this radius leaves round: a slot into each along its bisector, as deep as the corner.
pub(crate) fn relieved(nest: &Region, radius: f64) -> Region {
    /// What a cutter may leave in a corner without touching a piece, mm.
    const LEAST: f64 = 0.003;
    let reached = nest.opened(radius, FINE);
    let corners = nest.minus(&reached.grown(LEAST, FINE)).without_specks(1e-4);
    let mut parts = vec![nest.clone()];
    let inner = nest.shrunk(radius, FINE);
    for c in corners.components() {
        // The tip is what lies furthest from where the cutter's middle may be.
        let off = |p: DVec2| inner.nearest_on_border(p).map_or(0.0, |q| q.distance(p));
        let tips = c.loops().into_iter().flatten().max_by(|a, b| off(*a).total_cmp(&off(*b)));
        let Some(tip) = tips else { continue };
        let Some(from) = inner.nearest_on_border(tip) else { continue };
        if tip.distance(from) < radius + 2.0 * LEAST {
            continue;
        }
        let way = (tip - from).normalize_or_zero();
        // A little wider than the cutter, so that it goes in.
        let wide = 1.03 * radius;
        let to = tip - way * (wide - 2.0 * LEAST);
        parts.push(Region::swept(&[from, to], wide, FINE));
    }
    // No hair is left that would ask for a smaller cutter.
    Region::union_all(&parts).opened(radius, FINE)
}

/// Least and largest y in a column.
pub(crate) fn reach(loops: &[Vec<DVec2>], x: f64) -> Option<(f64, f64)> {
    let mut out: Option<(f64, f64)> = None;
    for l in loops {
        for k in 0..l.len() {
            let (a, b) = (l[k], l[(k + 1) % l.len()]);
            if (a.x <= x) != (b.x <= x) {
                let y = a.y + (b.y - a.y) * (x - a.x) / (b.x - a.x);
                let (lo, hi) = out.unwrap_or((y, y));
                out = Some((lo.at_most(y), hi.at_least(y)));
            }
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn region(p: &[(f64, f64)]) -> Region {
        let l: Vec<DVec2> = p.iter().map(|&(x, y)| DVec2::new(x, y)).collect();
        Region::from_loops([l.as_slice()])
    }

    /// A C that opens to the right: drawn to a line through its middle the mouth is filled, and no finger of a jaw is left in it.
    #[test]
    fn nothing_of_a_jaw_hooks_behind_the_piece() {
        let c = region(&[
            (0.0, 0.0),
            (30.0, 0.0),
            (30.0, 8.0),
            (8.0, 8.0),
            (8.0, 22.0),
            (30.0, 22.0),
            (30.0, 30.0),
            (0.0, 30.0),
        ]);
        assert!((drawn_to(&c, 15.0).area() - 900.0).abs() < 1e-3);
        // A piece that is wholly on one side is drawn to the line.
        let above = region(&[(0.0, 20.0), (10.0, 20.0), (10.0, 30.0), (0.0, 30.0)]);
        assert!((drawn_to(&above, 5.0).area() - 250.0).abs() < 1e-3);
    }

    /// Whatever the outline: from each of its points straight to the split lies in the nest, and nothing else beside the outline.
    #[test]
    fn random_outlines_are_drawn_column_by_column() {
        let mut rng = fastrand::Rng::with_seed(7);
        for _ in 0..60 {
            let n = rng.usize(5..40);
            let p: Vec<DVec2> = (0..n)
                .map(|k| DVec2::from_angle(std::f64::consts::TAU * k as f64 / n as f64) * (6.0 + 20.0 * rng.f64()))
                .collect();
            let star = Region::from_loops([p.as_slice()]);
            let split = 8.0 * rng.f64() - 4.0;
            let nest = drawn_to(&star, split);
            let loops = star.loops();
            for _ in 0..200 {
                let q = DVec2::new(60.0 * rng.f64() - 30.0, 60.0 * rng.f64() - 30.0);
                let Some((lo, hi)) = reach(&loops, q.x) else {
                    assert!(!nest.contains(q));
                    continue;
                };
                let within = q.y >= lo.at_most(split) && q.y <= hi.at_least(split);
                let near = (q.y - lo.at_most(split)).abs() < 1e-3 || (q.y - hi.at_least(split)).abs() < 1e-3;
                assert!(near || nest.contains(q) == within, "{q} {lo} {hi} {split}");
            }
        }
    }

    /// A square's corners of any angle are free for a sharp piece, and a cutter of that radius reaches all of the nest.
    #[test]
    fn sharp_corners_get_room_that_a_cutter_makes() {
        for turn in [0.0, 0.3, 0.7] {
            let p: Vec<DVec2> = [(0.0, 0.0), (40.0, 0.0), (34.0, 30.0), (8.0, 24.0)]
                .map(|(x, y)| DVec2::from_angle(turn).rotate(DVec2::new(x, y)))
                .to_vec();
            let nest = relieved(&Region::from_loops([p.as_slice()]), 3.0);
            let left = nest.minus(&nest.opened(3.0, FINE).grown(0.02, FINE)).without_specks(0.01);
            assert!(left.area() < 0.05, "{}", left.area());
            assert!(p.iter().all(|c| nest.opened(3.0, FINE).grown(0.02, FINE).contains(*c)));
        }
    }

    /// Room on the right end only, none at the top, bottom and left.
    #[test]
    fn the_right_end_gets_room() {
        let n = roomy(&region(&[(0.0, 0.0), (40.0, 0.0), (40.0, 20.0), (0.0, 20.0)]), 0.05);
        let (lo, hi) = n.bounds().unwrap();
        assert!((hi - DVec2::new(40.05, 20.0)).length() < 1e-6 && lo.length() < 1e-6);
        let disc = roomy(&Region::disc(DVec2::ZERO, 20.0, FINE), 0.05);
        let (lo, hi) = disc.bounds().unwrap();
        assert!((hi.x - 20.05).abs() < 0.003 && (hi.y - 20.0).abs() < 0.003 && (lo.x + 20.0).abs() < 0.003);
        // It fades out: 20° from the end there is none.
        let p = DVec2::from_angle(0.4) * 20.01;
        assert!(!disc.contains(p));
    }
}
