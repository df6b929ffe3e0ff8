//! Lines and arcs fitted to a dense polyline, within a stated tolerance.
//!
//! Greedy: from each start the longest arc (through first, middle and last point) or line is taken whose distance to every
//! point *and* every chord's middle is within tolerance. Offsets of exact geometry give back the exact arcs this way.

use crate::{Path2, Seg};
use glam::DVec2;

/// How closely and how boldly to fit.
#[derive(Debug, Clone, Copy)]
pub struct FitSettings {
    /// Largest distance between fitted piece and polyline, mm.
    pub tolerance_mm: f64,
    /// Arcs above this radius become lines, mm.
    pub largest_radius_mm: f64,
    /// Arcs below this radius become lines, mm.
    pub smallest_radius_mm: f64,
}

impl Default for FitSettings {
    fn default() -> Self {
        FitSettings { tolerance_mm: 0.001, largest_radius_mm: 2000.0, smallest_radius_mm: 0.02 }
    }
}

/// No arc of the answer sweeps more than this: every control and both notations (centre, radius) can say it without doubt.
const LARGEST_SWEEP: f64 = 3.0;

fn circle3(a: DVec2, b: DVec2, c: DVec2) -> Option<(DVec2, f64)> {
    let (u, v) = (b - a, c - a);
    let d = 2.0 * u.perp_dot(v);
    if d.abs() < 1e-12 {
        return None;
    }
    let w = DVec2::new(
        v.y * u.length_squared() - u.y * v.length_squared(),
        u.x * v.length_squared() - v.x * u.length_squared(),
    ) / d;
    Some((a + w, w.length()))
}

fn line_fits(p: &[DVec2], tol: f64) -> bool {
    let (a, b) = (p[0], p[p.len() - 1]);
    let d = b - a;
    let l = d.length();
    if l < 1e-9 {
        return p.iter().all(|q| q.distance(a) <= tol);
    }
    p.iter().all(|&q| {
        let s = (q - a).dot(d) / l;
        (q - a).perp_dot(d).abs() / l <= tol && s >= -tol && s <= l + tol
    })
}

fn arc_fits(p: &[DVec2], s: &FitSettings) -> Option<Seg> {
    let (a, m, b) = (p[0], p[p.len() / 2], p[p.len() - 1]);
    let (c, r) = circle3(a, m, b)?;
    if r > s.largest_radius_mm || r < s.smallest_radius_mm {
        return None;
    }
    let ccw = (m - a).perp_dot(b - m) > 0.0;
    let mut total = 0.0;
    for w in p.windows(2) {
        let turn = (w[0] - c).perp_dot(w[1] - c).atan2((w[0] - c).dot(w[1] - c));
        if (turn > 0.0) != ccw || turn.abs() > 0.8 {
            return None;
        }
        total += turn.abs();
        if ((w[1] - c).length() - r).abs() > s.tolerance_mm
            || (((w[0] + w[1]) / 2.0 - c).length() - r).abs() > s.tolerance_mm
        {
            return None;
        }
    }
    (total <= LARGEST_SWEEP).then_some(Seg::Arc { to: b, center: c, ccw })
}

/// Fit a polyline (`closed`: its last point joins its first). At least four points make an arc, so that corners stay corners.
pub fn fit_arcs(points: &[DVec2], closed: bool, settings: &FitSettings) -> Path2 {
    let mut pts: Vec<DVec2> = Vec::with_capacity(points.len() + 1);
    for &p in points {
        if pts.last().is_none_or(|q| q.distance(p) > 1e-7) {
            pts.push(p);
        }
    }
    if closed && pts.len() > 1 && pts[0].distance(pts[pts.len() - 1]) <= 1e-7 {
        pts.pop();
    }
    if closed && pts.len() > 2 {
        // Begin where the longest chord ends: an arc must not be cut in two by the seam.
        let n = pts.len();
        let k = (0..n).max_by(|&i, &j| {
            let l = |i: usize| pts[i].distance(pts[(i + 1) % n]);
            l(i).total_cmp(&l(j)).then(j.cmp(&i))
        });
        pts.rotate_left((k.unwrap_or(0) + 1) % n);
        pts.push(pts[0]);
    }
    let mut path = Path2 { start: pts[0], segs: Vec::new() };
    let mut i = 0;
    while i + 1 < pts.len() {
        let grow = |ok: &dyn Fn(usize) -> bool, from: usize| -> usize {
            // Largest j with ok(j), galloping then bisecting; fitness is close to monotone in j.
            let (mut good, mut step) = (from, 1);
            loop {
                let next = (good + step).min(pts.len() - 1);
                if next == good || !ok(next) {
                    break;
                }
                good = next;
                step *= 2;
            }
            let (mut lo, mut hi) = (good, (good + step).min(pts.len()));
            while hi - lo > 1 {
                let mid = usize::midpoint(lo, hi);
                if mid < pts.len() && ok(mid) {
                    lo = mid;
                } else {
                    hi = mid;
                }
            }
            lo
        };
        let line_end = grow(&|j| line_fits(&pts[i..=j], settings.tolerance_mm), i + 1);
        let arc_ok = |j: usize| j < pts.len() && arc_fits(&pts[i..=j], settings).is_some();
        let arc_end = if arc_ok(i + 3) { grow(&|j| arc_ok(j), i + 3) } else { i };
        let seg = if arc_end > line_end { arc_fits(&pts[i..=arc_end], settings).map(|s| (arc_end, s)) } else { None };
        let (next, seg) = seg.unwrap_or((line_end, Seg::Line { to: pts[line_end] }));
        path.segs.push(seg);
        i = next;
    }
    path
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A rounded square flattened and fitted again: four lines, four quarter circles of the exact radius.
    #[test]
    fn a_rounded_square_comes_back() {
        let r = 3.0;
        let mut pts = Vec::new();
        for (k, c) in [(7.0, -7.0), (7.0, 7.0), (-7.0, 7.0), (-7.0, -7.0)].into_iter().enumerate() {
            let from = -std::f64::consts::FRAC_PI_2 + k as f64 * std::f64::consts::FRAC_PI_2;
            for i in 0..=24 {
                pts.push(
                    DVec2::new(c.0, c.1)
                        + DVec2::from_angle(from + f64::from(i) / 24.0 * std::f64::consts::FRAC_PI_2) * r,
                );
            }
        }
        let path = fit_arcs(&pts, true, &FitSettings { tolerance_mm: 0.002, ..Default::default() });
        let arcs: Vec<_> = path
            .pieces()
            .filter_map(|(from, s)| if let Seg::Arc { center, .. } = s { Some(from.distance(center)) } else { None })
            .collect();
        assert_eq!((path.segs.len(), arcs.len()), (8, 4), "{path:?}");
        assert!(arcs.iter().all(|a| (a - r).abs() < 1e-9));
        assert!((path.length() - (4.0 * 14.0 + std::f64::consts::TAU * r)).abs() < 1e-9);
    }

    #[test]
    fn a_sharp_polygon_stays_lines() {
        let pts: Vec<_> = (0..6).map(|k| DVec2::from_angle(f64::from(k)) * 10.0).collect();
        let path = fit_arcs(&pts, true, &FitSettings::default());
        assert!(path.segs.iter().all(|s| matches!(s, Seg::Line { .. })));
    }
}
