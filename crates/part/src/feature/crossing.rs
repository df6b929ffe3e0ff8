//! Holes that meet: at which angle, and over which length a drill has nothing on one side.
//!
//! Two cylinders whose axes meet at θ: along the axis of radius r₁ the other, of radius r₂, opens the wall from −(r₂ + r₁ cos θ)/sin θ to the
//! same on the other side. For equal diameters that is D / tan(θ/2) (5 mm at 12°: 47.6 mm).

use super::stack::Line;
use super::{Draft, FeatureKind, Shop, degrees, hard, mm, number};
use reason::len;

/// Axes nearer to parallel than this do not cross, rad.
const PARALLEL: f64 = 0.02;

/// Length along the first hole over which the second opens its wall, mm. Radii mm, angle rad.
pub fn unsupported(r1: f64, r2: f64, angle: f64) -> f64 {
    2.0 * (r2 + r1 * angle.cos()) / angle.sin()
}

/// All pairs that meet.
pub fn find(shop: &Shop, holes: &[Line], drafts: &mut Vec<Draft>) {
    let mut found = Vec::new();
    for (i, a) in holes.iter().enumerate() {
        for (j, b) in holes.iter().enumerate().skip(i + 1) {
            let cross = a.axis.cross(b.axis);
            let sine = cross.length();
            if sine < PARALLEL {
                continue;
            }
            let between = b.origin - a.origin;
            let apart = between.dot(cross / sine).abs();
            if apart > a.r + b.r - shop.same {
                continue;
            }
            // Where the axes are nearest.
            let along =
                |u: geom::DVec3, v: geom::DVec3, w: geom::DVec3| w.cross(v).dot(cross) / (sine * sine) * u.dot(u);
            let (sa, sb) = (along(a.axis, b.axis, between), along(b.axis, a.axis, between));
            let angle = {
                let t = a.axis.dot(b.axis).abs().clamp(0.0, 1.0).acos();
                t.max(1e-6)
            };
            let reach = |line: &Line, s: f64, other: f64| {
                let half = unsupported(line.r, other, angle) / 2.0;
                s + half > line.s[0] && s - half < line.s[1]
            };
            if !reach(a, sa, b.r) || !reach(b, sb, a.r) {
                continue;
            }
            // They may end before they meet.
            let touch = |line: &Line, s: f64, r: f64| s > line.s[0] - r - 0.01 && s < line.s[1] + r + 0.01;
            if !touch(a, sa, b.r) || !touch(b, sb, a.r) {
                continue;
            }
            let mut d = Draft::new(
                FeatureKind::Crossing,
                format!(
                    "Ø{} and Ø{} cross at {}°",
                    len(number(2.0 * a.r)),
                    len(number(2.0 * b.r)),
                    number(angle.to_degrees())
                ),
                a.faces.iter().chain(&b.faces).copied().collect(),
            );
            let (la, lb) = (unsupported(a.r, b.r, angle), unsupported(b.r, a.r, angle));
            d.dims = vec![
                degrees("angle", angle),
                mm("axes apart", if apart < shop.same { 0.0 } else { apart }),
                mm("open along the first", la),
                mm("open along the second", lb),
            ];
            // The smaller one is drilled second into the larger, or whichever suffers less.
            let worst = (la / (2.0 * a.r)).min(lb / (2.0 * b.r));
            let second = if la / a.r <= lb / b.r { a } else { b };
            d.hard.push(hard(
                "unsupported length ÷ D",
                worst,
                "×",
                1.0,
                "over about 1 × D a twist drill wanders: drill one, plug it with a close rod, drill the other, pull the plug (common practice, no source)",
            ));
            d.remarks.push(format!(
                "drilled second, Ø{} is open on one side over {} mm",
                len(number(2.0 * second.r)),
                len(number(la.min(lb)))
            ));
            d.of = vec![i, j];
            d.size = a.r + b.r;
            found.push(d);
        }
    }
    drafts.extend(found);
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The worked number of the trade: 5 mm at 12° → 47.6 mm; and the general form for equal diameters.
    #[test]
    fn equal_diameters_overlap_over_d_by_tan_of_half_the_angle() {
        assert!((unsupported(2.5, 2.5, 12f64.to_radians()) - 47.57).abs() < 0.01);
        for deg in [10.0f64, 35.0, 60.0, 90.0] {
            let t = deg.to_radians();
            assert!((unsupported(4.0, 4.0, t) - 8.0 / (t / 2.0).tan()).abs() < 1e-9);
        }
        // At a right angle a small one crosses a large one over the large one's diameter.
        assert!((unsupported(1.0, 5.0, 90f64.to_radians()) - 10.0).abs() < 1e-9);
    }
}
