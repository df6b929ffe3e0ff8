//! Bar stock: a round or hexagonal section, straight along an axis of the part.

use crate::{Box3, DMat3, DVec2, DVec3, Placement, Region};
use serde::{Deserialize, Serialize};
use std::f64::consts::FRAC_PI_3;

/// Chords of a round section lie no further outside it than this, mm.
const CHORD: f64 = 0.002;

/// Section of a bar.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(tag = "form", rename_all = "snake_case")]
pub enum BarForm {
    /// A cylinder.
    Round {
        /// mm.
        diameter_mm: f64,
    },
    /// Six flats.
    Hexagon {
        /// From flat to flat, mm.
        across_mm: f64,
        /// From the first of the two axes that follow the bar's own to the normal of a flat, degrees.
        turned_deg: f64,
    },
}

/// A bar along an axis of the part, without ends. Two axes follow its own: y and z those of x, z and x those of y, x and y those of z.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Bar {
    /// 0 x, 1 y, 2 z.
    pub axis: usize,
    /// Its middle along the two axes that follow, mm.
    pub middle_mm: [f64; 2],
    /// Its section.
    #[serde(flatten)]
    pub form: BarForm,
}

impl Bar {
    /// Why it is no bar, if it is none.
    pub fn fault(&self) -> Option<String> {
        let size = match self.form {
            BarForm::Round { diameter_mm: v } | BarForm::Hexagon { across_mm: v, .. } => v,
        };
        let turned = if let BarForm::Hexagon { turned_deg, .. } = self.form { turned_deg } else { 0.0 };
        let sound = self.axis < 3
            && self.middle_mm.iter().chain([&turned]).all(|v| v.is_finite())
            && (0.1..2000.0).contains(&size);
        (!sound).then(|| "a bar has an axis 0, 1 or 2, a middle, and a section of 0.1 to 2000 mm".into())
    }
    /// The two axes that follow its own.
    pub fn uv(&self) -> (usize, usize) {
        ((self.axis + 1) % 3, (self.axis + 2) % 3)
    }
    /// From the frame of its section (x and y are the two axes that follow, z runs along it) to the part.
    pub fn frame(&self) -> Placement {
        let unit = |k: usize| {
            let mut d = DVec3::ZERO;
            d[k % 3] = 1.0;
            d
        };
        let (u, v) = self.uv();
        Placement { turn: DMat3::from_cols(unit(u), unit(v), unit(self.axis)), shift: DVec3::ZERO }
    }
    /// Along the two axes that follow, mm.
    pub fn middle(&self) -> DVec2 {
        DVec2::from_array(self.middle_mm)
    }
    /// Normals of its flats, in its section; none of a round.
    pub fn flats(&self) -> Vec<DVec2> {
        match self.form {
            BarForm::Round { .. } => Vec::new(),
            BarForm::Hexagon { turned_deg, .. } => {
                (0..6).map(|k| DVec2::from_angle(turned_deg.to_radians() + FRAC_PI_3 * f64::from(k))).collect()
            }
        }
    }
    /// From its middle to the nearest of its surface, and to the furthest, mm.
    pub fn radii(&self) -> [f64; 2] {
        match self.form {
            BarForm::Round { diameter_mm } => [diameter_mm / 2.0; 2],
            BarForm::Hexagon { across_mm, .. } => [across_mm / 2.0, across_mm / 3.0_f64.sqrt()],
        }
    }
    /// Its section, in the two axes that follow: never less than it is.
    pub fn section(&self) -> Region {
        let corners: Vec<DVec2> = match self.form {
            BarForm::Round { diameter_mm } => {
                let r = diameter_mm / 2.0;
                // A polygon around the circle.
                let n = (std::f64::consts::PI / (r / (r + CHORD)).acos()).ceil() as usize;
                let out = r / (std::f64::consts::PI / n as f64).cos();
                (0..n).map(|k| DVec2::from_angle(std::f64::consts::TAU * k as f64 / n as f64) * out).collect()
            }
            BarForm::Hexagon { across_mm, .. } => {
                let turn = DVec2::from_angle(FRAC_PI_3 / 2.0);
                self.flats().into_iter().map(|d| turn.rotate(d) * (across_mm / 3.0_f64.sqrt())).collect()
            }
        };
        let corners: Vec<DVec2> = corners.into_iter().map(|p| p + self.middle()).collect();
        Region::from_loops([corners.as_slice()])
    }
    /// The box around a length of it, from one place on its axis to another.
    pub fn bounds(&self, from: f64, to: f64) -> Box3 {
        let (lo, hi) = self.section().bounds().unwrap_or_default();
        let frame = self.frame();
        Box3::of([frame.point(lo.extend(from)), frame.point(hi.extend(to))])
    }
    /// Does a place lie in it?
    pub fn contains(&self, p: DVec3) -> bool {
        let mut along = DVec3::ZERO;
        along[self.axis % 3] = 1.0;
        self.span(p, along).is_some()
    }
    /// Where a straight line `from + along·t` is in it: from a smaller t to a larger one, or nowhere.
    pub fn span(&self, from: DVec3, along: DVec3) -> Option<(f64, f64)> {
        let (u, v) = self.uv();
        let p = DVec2::new(from[u], from[v]) - self.middle();
        let d = DVec2::new(along[u], along[v]);
        let whole = (f64::NEG_INFINITY, f64::INFINITY);
        match self.form {
            BarForm::Round { diameter_mm } => {
                let r2 = diameter_mm * diameter_mm / 4.0;
                let (a, b, c) = (d.length_squared(), p.dot(d), p.length_squared() - r2);
                if a < 1e-18 {
                    return (c <= 0.0).then_some(whole);
                }
                let root = b * b - a * c;
                (root > 0.0).then(|| ((-b - root.sqrt()) / a, (-b + root.sqrt()) / a))
            }
            BarForm::Hexagon { across_mm, .. } => {
                let mut span = whole;
                for n in self.flats() {
                    // Inside: (p + d·t)·n ≤ half.
                    let (over, rate) = (across_mm / 2.0 - p.dot(n), d.dot(n));
                    if rate.abs() < 1e-12 {
                        if over < 0.0 {
                            return None;
                        }
                    } else if rate > 0.0 {
                        span.1 = if over / rate < span.1 { over / rate } else { span.1 };
                    } else {
                        span.0 = if over / rate > span.0 { over / rate } else { span.0 };
                    }
                }
                (span.0 < span.1).then_some(span)
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn bars() -> Vec<Bar> {
        let forms = [
            BarForm::Round { diameter_mm: 20.0 },
            BarForm::Hexagon { across_mm: 17.0, turned_deg: 0.0 },
            BarForm::Hexagon { across_mm: 24.0, turned_deg: 11.0 },
        ];
        forms.iter().flat_map(|f| (0..3).map(|axis| Bar { axis, middle_mm: [3.0, -2.0], form: *f })).collect()
    }

    /// Areas of the textbook: π r², √3/2 · s² across flats.
    #[test]
    fn sections_are_those_of_the_solids_and_never_less() {
        let of = |form| Bar { axis: 2, middle_mm: [1.0, 2.0], form }.section().area();
        let round = of(BarForm::Round { diameter_mm: 20.0 });
        let exact = std::f64::consts::PI * 100.0;
        assert!((exact..exact * 1.001).contains(&round), "{round}");
        let hex = of(BarForm::Hexagon { across_mm: 17.0, turned_deg: 7.0 });
        assert!((hex / (3.0_f64.sqrt() / 2.0 * 289.0) - 1.0).abs() < 1e-6, "{hex}");
    }

    /// Along random lines: what lies in the span lies in the section, and what lies outside it does not.
    #[test]
    fn a_line_is_in_it_where_its_places_are() {
        let mut rng = fastrand::Rng::with_seed(3);
        for b in bars() {
            let (section, to) = (b.section(), b.frame().inverse());
            let mut met = 0;
            for _ in 0..300 {
                let mut at = || rng.f64() * 40.0 - 20.0;
                let from = DVec3::new(at(), at(), at());
                let along = DVec3::new(at(), at(), at()).normalize();
                let span = b.span(from, along);
                for k in -60..60 {
                    let t = f64::from(k) * 0.5;
                    let p = to.point(from + along * t).truncate();
                    let deep = section.signed_distance(p);
                    if deep.abs() > 0.01 {
                        let inside = span.is_some_and(|s| t > s.0 && t < s.1);
                        assert_eq!(inside, deep > 0.0, "{b:?} {from} {along} {t}");
                        met += usize::from(inside);
                    }
                }
            }
            assert!(met > 1000, "{met}");
        }
        // Along itself it has no ends.
        let b = bars()[0];
        assert_eq!(b.span(DVec3::new(5.0, 3.0, -2.0), DVec3::X), Some((f64::NEG_INFINITY, f64::INFINITY)));
        assert_eq!(b.span(DVec3::new(5.0, 30.0, -2.0), DVec3::X), None);
    }
}
