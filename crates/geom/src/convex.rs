//! Convex pieces of planar regions, and convex hulls.

use crate::Region;
use glam::DVec2;

/// Convex hull of points, counter-clockwise (Andrew's monotone chain: "Another efficient algorithm for convex hulls in two dimensions",
/// Information Processing Letters 9(5), 1979; from memory).
pub fn hull(mut p: Vec<DVec2>) -> Vec<DVec2> {
    p.sort_by(|a, b| a.x.total_cmp(&b.x).then(a.y.total_cmp(&b.y)));
    let mut out: Vec<DVec2> = Vec::new();
    for pass in 0..2 {
        let floor = out.len() + 1;
        let way: Box<dyn Iterator<Item = &DVec2>> =
            if pass == 0 { Box::new(p.iter()) } else { Box::new(p.iter().rev()) };
        for &q in way {
            while out.len() > floor && (out[out.len() - 1] - out[out.len() - 2]).perp_dot(q - out[out.len() - 1]) <= 0.0
            {
                out.pop();
            }
            out.push(q);
        }
        out.pop();
    }
    out
}

impl Region {
    /// Convex polygons that cover the region: triangles (ear clipping), and where these miss some of it the hull of that piece; so never less
    /// than the region.
    pub fn convex_cover(&self) -> Vec<Vec<DVec2>> {
        let mut out = Vec::new();
        for piece in self.components() {
            let loops = piece.loops();
            let mut points: Vec<DVec2> = Vec::new();
            let mut starts = Vec::new();
            // The outline first, then its holes.
            let turns = |l: &[DVec2]| (0..l.len()).map(|k| l[k].perp_dot(l[(k + 1) % l.len()])).sum::<f64>() > 0.0;
            let (outer, holes): (Vec<_>, Vec<_>) = loops.into_iter().partition(|l| turns(l));
            for (k, l) in outer.iter().chain(&holes).enumerate() {
                if k > 0 {
                    starts.push(points.len());
                }
                points.extend(l);
            }
            let flat: Vec<f64> = points.iter().flat_map(|p| [p.x, p.y]).collect();
            let ears =
                if outer.len() == 1 { earcutr::earcut(&flat, &starts, 2).unwrap_or_default() } else { Vec::new() };
            let triangles: Vec<Vec<DVec2>> =
                ears.chunks_exact(3).map(|t| t.iter().map(|&k| points[k]).collect::<Vec<_>>()).collect();
            let area: f64 = triangles.iter().map(|t| (t[1] - t[0]).perp_dot(t[2] - t[0]).abs() / 2.0).sum();
            if (area - piece.area()).abs() <= 1e-6 * piece.area() {
                out.extend(triangles);
            } else {
                out.push(hull(points));
            }
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use fastrand::Rng;

    #[test]
    fn a_hull_holds_its_points_and_turns_left() {
        let mut rng = Rng::with_seed(3);
        for _ in 0..100 {
            let points: Vec<DVec2> = (0..30).map(|_| DVec2::new(rng.f64(), rng.f64())).collect();
            let h = hull(points.clone());
            for k in 0..h.len() {
                let (a, b, c) = (h[k], h[(k + 1) % h.len()], h[(k + 2) % h.len()]);
                assert!((b - a).perp_dot(c - b) > 0.0);
                assert!(points.iter().all(|p| (b - a).perp_dot(*p - a) > -1e-12));
            }
        }
    }

    #[test]
    fn convex_pieces_cover_a_region_with_holes_and_nothing_more() {
        let mut rng = Rng::with_seed(5);
        for _ in 0..60 {
            let mut r = Region::rect(DVec2::ZERO, DVec2::new(60.0, 40.0));
            for _ in 0..rng.u32(0..8) {
                let at = DVec2::new(rng.f64() * 60.0, rng.f64() * 40.0);
                r = r.minus(&Region::disc(at, 1.0 + rng.f64() * 8.0, 0.02));
            }
            let cover: Vec<Region> = r.convex_cover().iter().map(|p| Region::from_loops([p.as_slice()])).collect();
            let all = Region::union_all(&cover);
            assert!(r.minus(&all).area() < 1e-3 && all.minus(&r).area() < 1e-3);
        }
    }
}
