//! Faces stored as free forms that are planes, cylinders, cones, balls or rings.
//!
//! Many writers store every face as a spline. A hole is then a spline too, and nobody may call it a hole until its surface is told. The
//! kernel gives exact places and normals on each free face; the surface is fitted to these, not to triangles:
//! - plane: one normal;
//! - ball: p + ρ·n is one point, linear in centre and ρ;
//! - cylinder and cone: the normals keep one angle to the axis, so it is the direction in which they vary least; then least squares on the places;
//! - ring: all normals meet its axis, which is linear in the axis' Plücker coordinates (H. Pottmann and T. Randrup, "Rotational and helical
//!   surface approximation for reverse engineering", Computing 60, 1998); in the half plane beside the axis it is a circle.
//!
//! A face is taken only if every place lies within [`WITHIN`] of the surface and every normal within [`TURN`] of its own; the largest deviation is stated.

use crate::fit::round::{Round, ball, covered, solve};
use geom::{DMat3, DVec3};
use kernel::{EdgeKind, RawModel, RawSurface};

/// Largest deviation of a place, mm: a tenth of what a careful mill holds, and twice the mesh's finest chord.
const WITHIN: f64 = 0.002;
/// Largest deviation of a normal, rad.
const TURN: f64 = 0.01;

type Sample = (DVec3, DVec3);
type Found = Option<(RawSurface, f64)>;

/// Recognise what can be; the places are gone after this.
pub(crate) fn recognise(raw: &mut RawModel) {
    let mut worst: Option<f64> = None;
    for k in 0..raw.faces.len() {
        let samples: Vec<Sample> = std::mem::take(&mut raw.faces[k].samples)
            .into_iter()
            .map(|[p, n]| (DVec3::from_array(p), DVec3::from_array(n)))
            .collect();
        if raw.faces[k].surface != RawSurface::Other {
            continue;
        }
        let Some((surface, off)) = surface_of(&samples) else { continue };
        let f = &raw.faces[k];
        let range = f.first_triangle as usize..(f.first_triangle + f.triangle_count) as usize;
        let corners = raw.triangles[range].iter().flatten().map(|&c| DVec3::from_array(raw.vertices[c as usize]));
        let turn = covered(&surface, corners);
        let f = &mut raw.faces[k];
        (f.surface, f.bounds, f.curvature, f.recognised) = (surface, [0.0, turn, 0.0, 0.0], [0.0; 2], Some(off));
        worst = Some(worst.map_or(off, |w| w.max(off)));
    }
    let Some(worst) = worst else { return };
    for e in &mut raw.edges {
        if e.kind == EdgeKind::Other && e.faces.iter().any(|&f| raw.faces[f as usize].recognised.is_some()) {
            let p: Vec<DVec3> = e.points.iter().map(|&k| DVec3::from_array(raw.vertices[k as usize])).collect();
            e.kind = curve_of(&p);
        }
    }
    raw.chord_error += worst;
}

/// The surface through these places with these normals, and the largest deviation, mm; none if it is none of the plain ones.
fn surface_of(samples: &[Sample]) -> Found {
    if samples.len() < 3 || samples.iter().any(|(p, n)| !p.is_finite() || !n.is_finite()) {
        return None;
    }
    // A flat face may have three corners only; what bends has more, and needs them.
    let kinds: [fn(&[Sample]) -> Found; 4] = [plane, sphere, round, ring];
    let kinds = &kinds[..if samples.len() < 8 { 1 } else { 4 }];
    kinds.iter().find_map(|kind| {
        let (surface, off) = kind(samples)?;
        (off <= WITHIN).then_some((surface, off))
    })
}

fn mean(v: impl Iterator<Item = DVec3>, n: usize) -> DVec3 {
    v.sum::<DVec3>() / n as f64
}

fn worst(samples: &[Sample], off: impl Fn(DVec3) -> (f64, DVec3)) -> Option<f64> {
    samples.iter().try_fold(0.0, |w: f64, (p, n)| {
        let (d, own) = off(*p);
        // The sense of the normal is the mesh's business.
        (n.cross(own).length() <= TURN).then_some(w.max(d.abs()))
    })
}

fn plane(samples: &[Sample]) -> Found {
    let normal = mean(samples.iter().map(|s| s.1), samples.len()).try_normalize()?;
    let origin = mean(samples.iter().map(|s| s.0), samples.len());
    let off = worst(samples, |p| ((p - origin).dot(normal), normal))?;
    Some((RawSurface::Plane { origin: origin.to_array(), normal: normal.to_array() }, off))
}

fn sphere(samples: &[Sample]) -> Found {
    let points: Vec<DVec3> = samples.iter().map(|s| s.0).collect();
    let RawSurface::Sphere { origin, radius } = ball(&points, WITHIN)? else { return None };
    let c = DVec3::from_array(origin);
    let off = worst(samples, |p| (p.distance(c) - radius, (p - c).normalize_or_zero()))?;
    Some((RawSurface::Sphere { origin, radius }, off))
}

/// Directions in which the normals vary least and second least.
fn quiet_axes(samples: &[Sample], about: DVec3) -> Option<[DVec3; 2]> {
    let mut m = DMat3::ZERO;
    for (_, n) in samples {
        let d = *n - about;
        m += DMat3::from_cols(d * d.x, d * d.y, d * d.z);
    }
    let m = m * (1.0 / samples.len() as f64);
    let trace = m.x_axis.x + m.y_axis.y + m.z_axis.z;
    if trace < 1e-12 {
        return None;
    }
    let inverse = (m + DMat3::from_diagonal(DVec3::splat(1e-13 * trace))).inverse();
    let follow = |not: Option<DVec3>| {
        let clear = |v: DVec3| not.map_or(v, |a| v - a * v.dot(a));
        let start = [DVec3::X, DVec3::Y, DVec3::Z].into_iter().max_by(|a, b| {
            let far = |v: DVec3| clear(inverse * clear(v)).length();
            far(*a).total_cmp(&far(*b))
        })?;
        let mut v = clear(start).try_normalize()?;
        for _ in 0..60 {
            v = clear(inverse * v).try_normalize()?;
        }
        Some(v)
    };
    let first = follow(None)?;
    Some([first, follow(Some(first))?])
}

/// A cylinder or cone.
fn round(samples: &[Sample]) -> Found {
    let points: Vec<DVec3> = samples.iter().map(|s| s.0).collect();
    let normals: Vec<(DVec3, f64)> = samples.iter().map(|s| (s.1, 1.0)).collect();
    // On a cylinder the normals lie in a plane through 0, on a cone in one beside it.
    let centre = mean(samples.iter().map(|s| s.1), samples.len());
    let axes = [DVec3::ZERO, centre].into_iter().filter_map(|about| quiet_axes(samples, about));
    let mut best: Found = None;
    for axis in axes.map(|a| a[0]) {
        let Some(first) = Round::fit(axis, &points, &normals) else { continue };
        let fitted = first.refined(&points).tidied(&points, &normals, WITHIN);
        let off = worst(samples, |p| (fitted.off(p), fitted.normal(p)));
        if let Some(off) = off
            && fitted.radius < 1e5
            && best.is_none_or(|b| off < b.1)
        {
            best = Some((fitted.surface(), off));
        }
    }
    best
}

/// A torus.
fn ring(samples: &[Sample]) -> Found {
    let mid = mean(samples.iter().map(|s| s.0), samples.len());
    let size = samples.iter().map(|s| s.0.distance(mid)).fold(0.0, f64::max);
    if size < 1e-6 {
        return None;
    }
    let mut m = [[0.0; 6]; 6];
    for (p, n) in samples {
        let q = ((*p - mid) / size).cross(*n);
        let row = [n.x, n.y, n.z, q.x, q.y, q.z];
        for i in 0..6 {
            for j in 0..6 {
                m[i][j] += row[i] * row[j];
            }
        }
    }
    let trace: f64 = (0..6).map(|k| m[k][k]).sum();
    (0..6).for_each(|k| m[k][k] += 1e-12 * trace);
    let mut x = [0.3, -0.5, 0.7, 0.6, 0.4, -0.2];
    for _ in 0..30 {
        x = solve(m, x, 6)?;
        let l = x.iter().map(|v| v * v).sum::<f64>().sqrt();
        x = x.map(|v| v / l);
    }
    let (moment, along) = (DVec3::new(x[0], x[1], x[2]), DVec3::new(x[3], x[4], x[5]));
    let axis = along.try_normalize()?;
    if (moment.dot(along) / along.length_squared()).abs() > 1e-3 {
        return None;
    }
    let foot = mid + along.cross(moment) / along.length_squared() * size;
    // Beside the axis: (r, z) + ρ·(nr, nz) = (major, height), linear in ρ, major, height.
    let flat: Vec<[f64; 4]> = samples
        .iter()
        .filter_map(|(p, n)| {
            let d = *p - foot;
            let z = d.dot(axis);
            let out = (d - axis * z).try_normalize()?;
            Some([(d - axis * z).length(), z, n.dot(out), n.dot(axis)])
        })
        .collect();
    let k = flat.len() as f64;
    let sum = |f: &dyn Fn(&[f64; 4]) -> f64| flat.iter().map(f).sum::<f64>() / k;
    let (r, z, nr, nz) = (sum(&|s| s[0]), sum(&|s| s[1]), sum(&|s| s[2]), sum(&|s| s[3]));
    let cross = sum(&|s| (s[0] - r) * (s[2] - nr) + (s[1] - z) * (s[3] - nz));
    let square = sum(&|s| (s[2] - nr).powi(2) + (s[3] - nz).powi(2));
    if square < 1e-12 {
        return None;
    }
    let rho = -cross / square;
    let (major, height, minor) = (r + rho * nr, z + rho * nz, rho.abs());
    if major <= 0.0 || minor <= 0.0 || major > 1e5 {
        return None;
    }
    let origin = foot + axis * height;
    let off = worst(samples, |p| {
        let d = p - origin;
        let z = d.dot(axis);
        let out = (d - axis * z).normalize_or_zero();
        let q = d - out * major;
        (q.length() - minor, q.normalize_or_zero())
    })?;
    Some((RawSurface::Torus { origin: origin.to_array(), axis: axis.to_array(), major, minor }, off))
}

/// A line or circle through these places, if it is one.
fn curve_of(p: &[DVec3]) -> EdgeKind {
    let [first, .., last] = p else { return EdgeKind::Other };
    let d = (*last - *first).normalize_or_zero();
    if d != DVec3::ZERO && p.iter().all(|q| (*q - *first).reject_from_normalized(d).length() <= WITHIN) {
        return EdgeKind::Line;
    }
    if p.len() < 5 {
        return EdgeKind::Other;
    }
    let (a, b, c) = (p[0], p[p.len() / 3], p[2 * p.len() / 3]);
    let (u, v) = (b - a, c - a);
    let n = u.cross(v);
    if n.length_squared() < 1e-12 {
        return EdgeKind::Other;
    }
    let centre = a + (n.cross(u) * v.length_squared() + v.cross(n) * u.length_squared()) / (2.0 * n.length_squared());
    let (axis, radius) = (n.normalize(), a.distance(centre));
    let on = |q: &DVec3| (q.distance(centre) - radius).abs() <= WITHIN && (*q - centre).dot(axis).abs() <= WITHIN;
    if radius < 1e5 && p.iter().all(on) {
        return EdgeKind::Circle { centre: centre.to_array(), axis: axis.to_array(), radius };
    }
    EdgeKind::Other
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::PI;

    /// Splitmix64 (Steele, Lea and Flood 2014).
    struct Dice(u64);
    impl Dice {
        fn unit(&mut self) -> f64 {
            self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
            let mut z = self.0;
            z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
            z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
            ((z ^ (z >> 31)) >> 11) as f64 / (1u64 << 53) as f64
        }
        fn between(&mut self, a: f64, b: f64) -> f64 {
            a + (b - a) * self.unit()
        }
        fn direction(&mut self) -> DVec3 {
            loop {
                let v = DVec3::new(self.between(-1.0, 1.0), self.between(-1.0, 1.0), self.between(-1.0, 1.0));
                if (0.1..1.0).contains(&v.length()) {
                    return v.normalize();
                }
            }
        }
        fn place(&mut self) -> DVec3 {
            self.direction() * self.between(0.0, 150.0)
        }
    }

    /// Places on a patch of a surface, lying anyhow, with the normal to either side; and what it is.
    fn patch(dice: &mut Dice, kind: usize) -> (Vec<Sample>, [f64; 2]) {
        let (o, a) = (dice.place(), dice.direction());
        let (e1, e2) = (a.any_orthonormal_vector(), a.cross(a.any_orthonormal_vector()));
        let (r, tube) = (dice.between(2.0, 40.0), dice.between(0.5, 6.0));
        let half = dice.between(0.05, 1.2);
        let (from, turn) = (dice.between(0.0, 6.0), dice.between(0.9, 2.0 * PI));
        let (low, long) = (dice.between(-10.0, 10.0), dice.between(3.0, 30.0));
        let sense = if dice.unit() < 0.5 { -1.0 } else { 1.0 };
        let major = r + tube + 1.0;
        let sample = |u: f64, v: f64| {
            let w = e1 * (from + turn * u).cos() + e2 * (from + turn * u).sin();
            match kind {
                0 => (o + e1 * (40.0 * u) + e2 * (25.0 * v), a),
                1 => (o + a * (low + long * v) + w * r, w),
                2 => {
                    let s = long * v;
                    (o + a * s + w * (r + s * half.tan()), w * half.cos() - a * half.sin())
                }
                3 => {
                    let t = -0.7 + 1.4 * v;
                    let n = w * t.cos() + a * t.sin();
                    (o + n * r, n)
                }
                _ => {
                    let t = 0.2 + 1.8 * v;
                    let n = w * t.cos() + a * t.sin();
                    (o + w * major + n * tube, n)
                }
            }
        };
        let grid = (0..12).flat_map(|i| (0..7).map(move |j| (f64::from(i) / 11.0, f64::from(j) / 6.0)));
        let all = grid.map(|(u, v)| sample(u, v)).map(|(p, n)| (p, n * sense)).collect();
        (all, [[0.0; 2], [r, 0.0], [half, 0.0], [r, 0.0], [major, tube]][kind])
    }

    fn sizes(s: &RawSurface) -> (usize, [f64; 2]) {
        match *s {
            RawSurface::Plane { .. } => (0, [0.0; 2]),
            RawSurface::Cylinder { radius, .. } => (1, [radius, 0.0]),
            RawSurface::Cone { half_angle, .. } => (2, [half_angle.abs(), 0.0]),
            RawSurface::Sphere { radius, .. } => (3, [radius, 0.0]),
            RawSurface::Torus { major, minor, .. } => (4, [major, minor]),
            RawSurface::Other => (5, [0.0; 2]),
        }
    }

    #[test]
    fn patches_of_every_kind_are_told_wherever_they_lie() {
        let mut dice = Dice(7);
        for k in 0..600 {
            let kind = k % 5;
            let (samples, want) = patch(&mut dice, kind);
            let (surface, off) = surface_of(&samples).unwrap_or_else(|| panic!("patch {k} of kind {kind} is not told"));
            let (got, size) = sizes(&surface);
            assert_eq!(got, kind, "patch {k}");
            assert!(
                off < 1e-6 && (0..2).all(|i| (size[i] - want[i]).abs() < 1e-5),
                "patch {k}: {size:?} {want:?} {off}"
            );
        }
    }

    /// A micron of noise is within the bound and is stated; ten microns are not, and nothing is made of them.
    #[test]
    fn noise_is_stated_and_too_much_of_it_refused() {
        let mut dice = Dice(8);
        for k in 0..300 {
            let kind = k % 5;
            let (samples, _) = patch(&mut dice, kind);
            let shaken = |by: f64| -> Vec<Sample> {
                samples
                    .iter()
                    .enumerate()
                    .map(|(i, (p, n))| (*p + *n * if i % 2 == 0 { by } else { -by }, *n))
                    .collect()
            };
            let (surface, off) = surface_of(&shaken(0.0008)).unwrap_or_else(|| panic!("patch {k} of kind {kind}"));
            assert_eq!(sizes(&surface).0, kind);
            assert!((0.0004..=WITHIN).contains(&off), "patch {k}: {off}");
            assert!(surface_of(&shaken(0.01)).is_none(), "patch {k} of kind {kind} with 0.01 mm of noise");
        }
    }

    /// Saddles and paraboloids are none of the five.
    #[test]
    fn free_forms_stay_free() {
        let mut dice = Dice(9);
        for _ in 0..100 {
            let (a, b) = (dice.between(0.01, 0.05), dice.between(-0.05, -0.01));
            let bent = |b: f64| -> Vec<Sample> {
                let grid =
                    (0..9).flat_map(|i| (0..9).map(move |j| (f64::from(i) * 3.0 - 12.0, f64::from(j) * 3.0 - 12.0)));
                grid.map(|(x, y)| {
                    let n = DVec3::new(-2.0 * a * x, -2.0 * b * y, 1.0).normalize();
                    (DVec3::new(x, y, a * x * x + b * y * y), n)
                })
                .collect()
            };
            assert!(surface_of(&bent(b)).is_none() && surface_of(&bent(0.5 * a)).is_none());
        }
        assert!(surface_of(&[]).is_none());
        let bad = (DVec3::NAN, DVec3::Z);
        assert!(surface_of(&[bad; 20]).is_none());
    }

    #[test]
    fn curves_are_lines_circles_or_neither() {
        let at = |k: i32, n: i32| f64::from(k) / f64::from(n);
        let line: Vec<DVec3> =
            (0..9).map(|k| DVec3::new(1.0, 2.0, 3.0) + DVec3::new(3.0, -1.0, 0.5) * at(k, 8)).collect();
        assert_eq!(curve_of(&line), EdgeKind::Line);
        let arc: Vec<DVec3> = (0..9).map(|k| DVec3::new(5.0 * at(k, 4).cos(), 5.0 * at(k, 4).sin(), 2.0)).collect();
        let EdgeKind::Circle { centre, radius, .. } = curve_of(&arc) else { panic!("an arc") };
        assert!((radius - 5.0).abs() < 1e-9 && DVec3::from_array(centre).distance(DVec3::Z * 2.0) < 1e-9);
        let oval: Vec<DVec3> = (0..9).map(|k| DVec3::new(5.0 * at(k, 4).cos(), 4.8 * at(k, 4).sin(), 2.0)).collect();
        assert_eq!(curve_of(&oval), EdgeKind::Other);
        assert_eq!(curve_of(&[DVec3::ZERO]), EdgeKind::Other);
    }
}
