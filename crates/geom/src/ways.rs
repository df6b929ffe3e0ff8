//! Shortest ways inside a region: Dijkstra over the corners round which a way can turn (the visibility graph of Lozano-Pérez and Wesley
//! 1979), expanded only as far as it is needed.

use crate::Region;
use glam::DVec2;

/// A region made ready for asking ways of it.
#[derive(Debug, Clone)]
pub struct Ways {
    edges: Vec<[DVec2; 2]>,
    /// Corners at which the region bends round something.
    corners: Vec<DVec2>,
    inside: Region,
}

/// Regions with more turning corners are not searched: the caller goes another way.
const MOST: usize = 160;

impl Ways {
    /// Ways that keep `margin` mm inside a region. Passages narrower than twice that are closed.
    pub fn within(region: &Region, margin: f64) -> Ways {
        // Simplifying moves a border by at most its tolerance, which the margin covers.
        let inside = region.shrunk(margin, 0.2 * margin).simplified(0.7 * margin);
        let mut edges = Vec::new();
        let mut corners = Vec::new();
        for l in inside.loops() {
            let n = l.len();
            for k in 0..n {
                let (a, b, c) = (l[(k + n - 1) % n], l[k], l[(k + 1) % n]);
                edges.push([b, c]);
                // The region lies on the left: a way can turn where the border turns right.
                if (b - a).perp_dot(c - b) < 0.0 {
                    corners.push(b);
                }
            }
        }
        Ways { edges, corners, inside }
    }
    /// Nearest place from which a way can begin.
    pub fn nearest(&self, p: DVec2) -> Option<DVec2> {
        if self.inside.contains(p) { Some(p) } else { self.inside.nearest_on_border(p) }
    }
    fn sees(&self, a: DVec2, b: DVec2) -> bool {
        let d = b - a;
        let length = d.length();
        if length < 1e-9 {
            return true;
        }
        const EPS: f64 = 1e-6;
        for [c, e] in &self.edges {
            let (sc, se) = (d.perp_dot(*c - a) / length, d.perp_dot(*e - a) / length);
            if sc.abs() <= EPS || se.abs() <= EPS || (sc > 0.0) == (se > 0.0) {
                continue;
            }
            let w = *e - *c;
            let (sa, sb) = (w.perp_dot(a - *c), w.perp_dot(b - *c));
            let eps = EPS * w.length();
            if sa.abs() > eps && sb.abs() > eps && (sa > 0.0) != (sb > 0.0) {
                return false;
            }
        }
        // It crosses no edge: its pieces between corners that it passes are inside or outside as a whole.
        let mut at = vec![0.0, 1.0];
        at.extend(
            self.edges
                .iter()
                .filter(|[c, _]| (d.perp_dot(*c - a) / length).abs() <= EPS)
                .map(|[c, _]| (*c - a).dot(d) / (length * length)),
        );
        at.retain(|t| (0.0..=1.0).contains(t));
        at.sort_by(f64::total_cmp);
        at.windows(2).all(|w| {
            w[1] - w[0] < 1e-9 || {
                let m = a + d * f64::midpoint(w[0], w[1]);
                self.inside.contains(m) || self.inside.nearest_on_border(m).is_some_and(|q| q.distance(m) < 1e-5)
            }
        })
    }
    /// The shortest way from `a` to `b`, both in the region (see [`Ways::nearest`]): its points after `a`, `b` last. None if there is none.
    pub fn shortest(&self, a: DVec2, b: DVec2) -> Option<Vec<DVec2>> {
        if self.sees(a, b) {
            return Some(vec![b]);
        }
        let n = self.corners.len();
        if n > MOST {
            return None;
        }
        // Node n is the goal.
        let at = |k: usize| if k == n { b } else { self.corners[k] };
        let mut far = vec![f64::INFINITY; n + 1];
        let mut from = vec![usize::MAX; n + 1];
        let mut done = vec![false; n + 1];
        for (k, far) in far.iter_mut().enumerate().take(n) {
            if self.sees(a, at(k)) {
                *far = a.distance(at(k));
            }
        }
        loop {
            let next = (0..=n)
                .filter(|&k| !done[k] && far[k].is_finite())
                .min_by(|&i, &j| (far[i] + at(i).distance(b)).total_cmp(&(far[j] + at(j).distance(b))))?;
            if next == n {
                break;
            }
            done[next] = true;
            for k in 0..=n {
                let way = far[next] + at(next).distance(at(k));
                if !done[k] && way < far[k] && self.sees(at(next), at(k)) {
                    far[k] = way;
                    from[k] = next;
                }
            }
        }
        let mut out = vec![b];
        let mut k = from[n];
        while k != usize::MAX {
            out.push(at(k));
            k = from[k];
        }
        out.reverse();
        Some(out)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Round a square of side 10 in a frame: the way touches two of its corners, whose margin is known.
    #[test]
    fn round_an_island_it_is_the_taut_string() {
        let frame = Region::rect(DVec2::splat(-20.0), DVec2::splat(20.0));
        let region = frame.minus(&Region::rect(DVec2::splat(-5.0), DVec2::splat(5.0)));
        let ways = Ways::within(&region, 0.001);
        let (a, b) = (DVec2::new(-15.0, 0.0), DVec2::new(15.0, 0.0));
        let way = ways.shortest(a, b).unwrap();
        let mut length = 0.0;
        let mut at = a;
        for &p in &way {
            assert!(region.contains_segment(at, p));
            length += at.distance(p);
            at = p;
        }
        let exact = 2.0 * DVec2::new(10.0, 5.0).length() + 10.0;
        assert!((length - exact).abs() < 0.01 && at == b, "{length} {exact}");
        assert_eq!(ways.shortest(a, DVec2::new(-15.0, 9.0)).unwrap().len(), 1);
    }

    #[test]
    fn there_is_no_way_between_pieces_nor_through_a_passage_that_is_too_narrow() {
        let (l, r) = (DVec2::new(-5.0, 0.0), DVec2::new(5.0, 0.0));
        let mut region = Region::rect(DVec2::new(-10.0, -3.0), DVec2::new(-1.0, 3.0));
        region = region.union(&Region::rect(DVec2::new(1.0, -3.0), DVec2::new(10.0, 3.0)));
        assert!(Ways::within(&region, 0.1).shortest(l, r).is_none());
        let bridge = Region::rect(DVec2::new(-2.0, -0.3), DVec2::new(2.0, 0.3));
        region = region.union(&bridge);
        assert!(Ways::within(&region, 0.1).shortest(l, r).is_some());
        assert!(Ways::within(&region, 0.4).shortest(l, r).is_none());
    }

    /// In mazes of random rectangles every way stays inside, and is no longer than one found on a fine grid.
    #[test]
    fn random_mazes() {
        let mut rng = fastrand::Rng::with_seed(7);
        let mut found = 0;
        for _ in 0..60 {
            let blocks: Vec<Region> = (0..8)
                .map(|_| {
                    let p = DVec2::new(rng.f64() * 40.0, rng.f64() * 40.0);
                    Region::rect(p, p + DVec2::new(1.0 + rng.f64() * 14.0, 1.0 + rng.f64() * 14.0))
                })
                .collect();
            let region = Region::rect(DVec2::ZERO, DVec2::splat(40.0)).minus(&Region::union_all(&blocks));
            let ways = Ways::within(&region, 0.05);
            let mut place = || DVec2::new(rng.f64() * 40.0, rng.f64() * 40.0);
            let (Some(a), Some(b)) = (ways.nearest(place()), ways.nearest(place())) else { continue };
            let Some(way) = ways.shortest(a, b) else { continue };
            found += 1;
            let mut at = a;
            for &p in &way {
                assert!(region.contains_segment(at, p), "{at} {p}");
                at = p;
            }
        }
        assert!(found > 30, "{found}");
    }
}
