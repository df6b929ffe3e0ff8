//! Cylinders and cones fitted to points: a first guess by Kåsa's algebraic circle, then least squares.

use geom::{DMat3, DVec3};
use kernel::RawSurface;

/// Neighbouring corners that turn by more than this about an axis leave a gap in the face, rad. 36° is a circle in ten strips.
pub(crate) const FACET_TURN: f64 = 0.66;

/// A cylinder (half angle 0) or cone.
#[derive(Clone, Copy)]
pub(crate) struct Round {
    pub(crate) origin: DVec3,
    pub(crate) axis: DVec3,
    pub(crate) radius: f64,
    pub(crate) half_angle: f64,
}

impl Round {
    pub(crate) fn off(&self, p: DVec3) -> f64 {
        let d = p - self.origin;
        let s = d.dot(self.axis);
        let r = (d - self.axis * s).length();
        (r - self.radius - s * self.half_angle.tan()) * self.half_angle.cos()
    }
    /// Away from the axis, square to the surface.
    pub(crate) fn normal(&self, p: DVec3) -> DVec3 {
        let r = (p - self.origin).reject_from_normalized(self.axis).normalize_or_zero();
        r * self.half_angle.cos() - self.axis * self.half_angle.sin()
    }
    /// Fitted to points by Levenberg and Marquardt's method in the two tilts and two shifts of the axis, the radius and the half angle. Meant for a
    /// start that is nearly right; the better of both comes back.
    pub(crate) fn refined(&self, points: &[DVec3]) -> Round {
        let cone = self.half_angle != 0.0;
        let n = if cone { 6 } else { 5 };
        if points.len() < n + 1 {
            return *self;
        }
        let step = points.len() / 2000 + 1;
        let sum = |r: &Round| points.iter().step_by(step).map(|p| r.off(*p).powi(2)).sum::<f64>();
        // The origin amid the points, so that tilts and shifts are told apart.
        let mid = points.iter().copied().sum::<DVec3>() / points.len() as f64;
        let s = (mid - self.origin).dot(self.axis);
        let mut best =
            Round { origin: self.origin + self.axis * s, radius: self.radius + s * self.half_angle.tan(), ..*self };
        let size = points.iter().map(|p| p.distance(mid)).fold(1e-9, f64::max);
        for _ in 0..40 {
            let e1 = best.axis.any_orthonormal_vector();
            let e2 = best.axis.cross(e1);
            let moved = |d: &[f64; 6]| Round {
                origin: best.origin + e1 * d[0] + e2 * d[1],
                axis: (best.axis + (e1 * d[2] + e2 * d[3]) / size).normalize(),
                radius: best.radius + d[4],
                half_angle: best.half_angle + if cone { d[5] / size } else { 0.0 },
            };
            let h = 1e-6 * size;
            let (mut m, mut v) = ([[0.0; 6]; 6], [0.0; 6]);
            let shifted: Vec<Round> = (0..n)
                .map(|k| {
                    let mut d = [0.0; 6];
                    d[k] = h;
                    moved(&d)
                })
                .collect();
            for p in points.iter().step_by(step) {
                let o = best.off(*p);
                let mut g = [0.0; 6];
                for k in 0..n {
                    g[k] = (shifted[k].off(*p) - o) / h;
                }
                for i in 0..n {
                    v[i] -= g[i] * o;
                    for j in 0..n {
                        m[i][j] += g[i] * g[j];
                    }
                }
            }
            // Marquardt's damping: shorter steps where the full one overshoots.
            let before = sum(&best);
            let next = [0.0, 1e-6, 1e-3, 0.1, 10.0].into_iter().find_map(|damp| {
                let mut m = m;
                (0..n).for_each(|k| m[k][k] *= 1.0 + damp);
                let next = moved(&solve(m, v, n)?);
                (sum(&next) < before).then_some(next)
            });
            let Some(next) = next else { break };
            best = next;
            if sum(&best) > 0.999 * before {
                break;
            }
        }
        best
    }
    /// Through the corners of these flats with this axis.
    pub(crate) fn fit(axis: DVec3, points: &[DVec3], normals: &[(DVec3, f64)]) -> Option<Round> {
        let weight: f64 = normals.iter().map(|n| n.1).sum();
        let lean = normals.iter().map(|(n, a)| n.dot(axis).clamp(-1.0, 1.0).asin() * a).sum::<f64>() / weight;
        let e1 = axis.any_orthonormal_vector();
        let e2 = axis.cross(e1);
        let base = points.iter().copied().sum::<DVec3>() / points.len() as f64;
        // Outward normals lean towards +axis where the radius shrinks along it; hollow ones the other way round.
        let mut best: Option<(f64, Round)> = None;
        for half_angle in [-lean, lean] {
            let t = half_angle.tan();
            // Kåsa on points brought to one height: |q|² = 2 q·c + r² − |c|², with r growing along the axis:
            // (q − c)² = (R + t s)²  →  |q|² − t² s² = 2 q·c + 2 R t s + (R² − |c|²), linear in c, R·t … solved for c and k with R by rounds.
            let mut radius = {
                let s0 = points[0] - base;
                (s0 - axis * s0.dot(axis)).length()
            };
            let mut centre = DVec3::ZERO;
            for _ in 0..if t == 0.0 { 1 } else { 30 } {
                let (mut m, mut v) = (DMat3::ZERO, DVec3::ZERO);
                for p in points {
                    let d = *p - base;
                    let s = d.dot(axis);
                    let q = DVec3::new(d.dot(e1), d.dot(e2), 1.0);
                    let right = q.x * q.x + q.y * q.y - t * t * s * s - 2.0 * radius * t * s;
                    m += DMat3::from_cols(q * q.x, q * q.y, q);
                    v += q * right;
                }
                if m.determinant().abs() < 1e-12 {
                    return None;
                }
                let x = m.inverse() * v;
                centre = DVec3::new(x.x / 2.0, x.y / 2.0, 0.0);
                let next = (x.z + centre.length_squared()).max(0.0).sqrt();
                if (next - radius).abs() < 1e-12 * next {
                    radius = next;
                    break;
                }
                radius = next;
            }
            let r = Round { origin: base + e1 * centre.x + e2 * centre.y, axis, radius, half_angle };
            let worst = points.iter().map(|p| r.off(*p).abs()).fold(0.0, f64::max);
            if radius > 0.0 && worst.is_finite() && best.as_ref().is_none_or(|b| worst < b.0) {
                best = Some((worst, r));
            }
        }
        best.map(|b| b.1)
    }
}

impl Round {
    /// With its axis along x, y or z, or as a cylinder instead of a cone, if it then still lies within `tolerance` of the points.
    pub(crate) fn tidied(self, points: &[DVec3], normals: &[(DVec3, f64)], tolerance: f64) -> Round {
        let ok = |r: &Round| points.iter().all(|p| r.off(*p).abs() <= tolerance);
        let mut best = self;
        if self.half_angle != 0.0 && self.half_angle.abs() < 1e-3 {
            let straight = Round { half_angle: 0.0, ..self }.refined(points);
            if ok(&straight) {
                best = straight;
            }
        }
        for a in [DVec3::X, DVec3::Y, DVec3::Z] {
            if self.axis.dot(a).abs() > 1.0 - 1e-4
                && let Some(mut r) = Round::fit(a, points, normals)
            {
                if r.half_angle.abs() < 1e-3 {
                    r.half_angle = 0.0;
                }
                if ok(&r) {
                    best = r;
                }
            }
        }
        best
    }

    /// As a face has it.
    pub(crate) fn surface(&self) -> RawSurface {
        let (origin, axis) = (self.origin.to_array(), self.axis.to_array());
        if self.half_angle == 0.0 {
            RawSurface::Cylinder { origin, axis, radius: self.radius }
        } else {
            RawSurface::Cone { origin, axis, radius: self.radius, half_angle: self.half_angle }
        }
    }
}

/// A ball through all these points, if there is one.
pub(crate) fn ball(points: &[DVec3], tolerance: f64) -> Option<RawSurface> {
    if points.len() < 8 {
        return None;
    }
    let base = points.iter().copied().sum::<DVec3>() / points.len() as f64;
    let (mut m, mut v) = (DMat3::ZERO, DVec3::ZERO);
    let mean = points.iter().map(|p| (*p - base).length_squared()).sum::<f64>() / points.len() as f64;
    for p in points {
        let d = *p - base;
        m += DMat3::from_cols(d * d.x, d * d.y, d * d.z);
        v += d * (d.length_squared() - mean);
    }
    if m.determinant().abs() < 1e-18 {
        return None;
    }
    let c = m.inverse() * v / 2.0;
    let radius = (mean + c.length_squared()).sqrt();
    let origin = base + c;
    let on = points.iter().all(|p| (p.distance(origin) - radius).abs() <= tolerance);
    on.then(|| RawSurface::Sphere { origin: origin.to_array(), radius })
}

/// Angle that a round face with these corners covers about its axis, rad.
pub(crate) fn covered(surface: &RawSurface, corners: impl Iterator<Item = DVec3>) -> f64 {
    let (RawSurface::Cylinder { origin, axis, .. } | RawSurface::Cone { origin, axis, .. }) = surface else {
        return 0.0;
    };
    let (origin, axis) = (DVec3::from_array(*origin), DVec3::from_array(*axis));
    let e1 = axis.any_orthonormal_vector();
    let e2 = axis.cross(e1);
    let mut angles: Vec<f64> = corners
        .map(|p| {
            let d = p - origin;
            d.dot(e2).atan2(d.dot(e1))
        })
        .collect();
    angles.sort_by(f64::total_cmp);
    let [first, .., last] = angles[..] else { return 0.0 };
    let tau = std::f64::consts::TAU;
    let gap = angles.windows(2).map(|w| w[1] - w[0]).fold(0.0, f64::max);
    let gap = gap.max(tau - (last - first));
    if gap > FACET_TURN { tau - gap } else { tau }
}

/// Gauss's elimination with pivots; none if the equations do not tell all unknowns.
pub(crate) fn solve(mut m: [[f64; 6]; 6], mut v: [f64; 6], n: usize) -> Option<[f64; 6]> {
    let scale = (0..n).map(|k| m[k][k].abs()).fold(0.0, f64::max);
    for k in 0..n {
        let p = (k..n).max_by(|&a, &b| m[a][k].abs().total_cmp(&m[b][k].abs()))?;
        if m[p][k].abs() <= 1e-13 * scale {
            return None;
        }
        m.swap(k, p);
        v.swap(k, p);
        for r in k + 1..n {
            let f = m[r][k] / m[k][k];
            let row = m[k];
            (k..n).for_each(|c| m[r][c] -= f * row[c]);
            v[r] -= f * v[k];
        }
    }
    let mut x = [0.0; 6];
    for k in (0..n).rev() {
        let s: f64 = (k + 1..n).map(|c| m[k][c] * x[c]).sum();
        x[k] = (v[k] - s) / m[k][k];
    }
    x.iter().all(|a| a.is_finite()).then_some(x)
}
