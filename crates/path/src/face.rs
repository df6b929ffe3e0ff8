//! Facing: parallel rows in one direction, climb, the cutter coming from and leaving into the air.

use crate::motion::Move;
use crate::{Feeds, Mover};
use geom::{DVec2, Region, Slabs};
use reason::Sure;

/// A rectangle to face.
#[derive(Debug, Clone)]
pub struct Facing {
    /// Smallest corner of the material.
    pub min: DVec2,
    /// Largest corner.
    pub max: DVec2,
    /// Cutter radius, mm.
    pub radius: f64,
    /// Widest step between rows, mm.
    pub step: f64,
    /// Levels from the top down.
    pub levels: Vec<f64>,
}

impl Facing {
    /// Width that each row takes: the rows share the breadth evenly, the last one passes over the far edge by `OVER`.
    pub fn even_step(&self) -> f64 {
        let breadth = self.breadth();
        breadth / (breadth / self.step).ceil().at_least(1.0)
    }
    /// Length of all rows of one level, the ways between them included, mm.
    pub fn length(&self) -> f64 {
        let rows = (self.breadth() / self.even_step()).round();
        rows * ((self.max - self.min).max_element() + self.radius + OFF)
    }
    fn along_x(&self) -> bool {
        let s = self.max - self.min;
        s.x >= s.y
    }
    fn breadth(&self) -> f64 {
        let s = self.max - self.min;
        s.min_element() + OVER
    }
}

/// The last row's edge passes the far side by this, so that no sliver stays, mm.
const OVER: f64 = 1.0;
/// Rows begin this far before the first contact, mm.
const OFF: f64 = 2.0;
/// Past the end of the material the cutter's middle goes this far: then its edge has passed the whole row, mm.
const PAST: f64 = 0.5;
/// Between rows the cutter goes back this far over what still stands, mm.
const BACK: f64 = 1.0;

/// Rows along the longer side. With the spindle turning clockwise and the uncut material on the right the cut is climb.
pub fn face(f: &Facing, feeds: Feeds, clear_z: f64, stock: &Slabs) -> Vec<Move> {
    let mut m = Mover::new(clear_z, f.radius, feeds, stock);
    let step = f.even_step();
    let rows = (f.breadth() / step).round().at_least(1.0) as usize;
    let x = f.along_x();
    // Where the rim first touches a row: at its full radius only if the row reaches up to the middle.
    let dy = if step < f.radius { f.radius - step } else { 0.0 };
    let before = (f.radius * f.radius - dy * dy).sqrt() + OFF;
    let top = stock.top();
    let mut stands = top;
    for &z in &f.levels {
        let here = stock.between(z, stands);
        for k in 0..rows {
            let edge = step * (k + 1) as f64;
            // Only as far as something stands at this level: over a slope that is less the higher it is.
            let swath = if x {
                Region::rect(DVec2::new(f.min.x, f.max.y - edge), DVec2::new(f.max.x, f.max.y - edge + 2.0 * f.radius))
            } else {
                Region::rect(DVec2::new(f.min.x + edge - 2.0 * f.radius, f.min.y), DVec2::new(f.min.x + edge, f.max.y))
            };
            let Some((low, high)) = here.intersect(&swath).bounds() else { continue };
            // Along +x the rows go from high y to low; along +y from low x to high: the uncut part is on the right in both.
            let (a, b) = if x {
                let y = f.max.y - edge + f.radius;
                (DVec2::new(low.x - before, y), DVec2::new(high.x + PAST, y))
            } else {
                let c = f.min.x + edge - f.radius;
                (DVec2::new(c, low.y - before), DVec2::new(c, high.y + PAST))
            };
            match m.at() {
                // Back over what this operation has not cut yet: nothing stands higher.
                Some(at) if stands + BACK < clear_z => {
                    m.rapid(at.with_z(stands + BACK));
                    m.rapid(a.extend(stands + BACK));
                    m.sink(a, z, (z, top));
                }
                _ => m.enter(a, z, None),
            }
            m.feed(b.extend(z), feeds.cut);
        }
        stands = z;
    }
    m.finish()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A wedge is faced from its thick end down: the higher the level, the shorter its rows, and nothing of it stays.
    #[test]
    fn over_a_slope_rows_are_as_long_as_what_stands() {
        let step = |z: f64| (Region::rect(DVec2::ZERO, DVec2::new(60.0 - 3.0 * z, 40.0)), z);
        let stock = Slabs::stacked((0..20).map(|k| (f64::from(k), f64::from(k) + 1.0, step(f64::from(k)).0)));
        let (min, max) = (DVec2::ZERO, DVec2::new(60.0, 40.0));
        let levels: Vec<f64> = (0..10).map(|k| 18.0 - 2.0 * f64::from(k)).collect();
        let f = Facing { min, max, radius: 20.0, step: 28.0, levels };
        let moves = face(&f, Feeds { cut: 500.0, plunge: 100.0, link: 900.0, brush: 900.0 }, 30.0, &stock);
        let ends: Vec<(f64, f64)> = moves
            .iter()
            .filter_map(|m| if let Move::Feed { to, .. } = m { Some((to.z, to.x)) } else { None })
            .collect();
        let reach = |z: f64| ends.iter().filter(|e| (e.0 - z).abs() < 1e-9).map(|e| e.1).fold(0.0, Sure::at_least);
        assert!(reach(18.0) < 10.0 && (reach(0.0) - 60.5).abs() < 1e-6, "{ends:?}");
        assert!((0..10).all(|k| reach(18.0 - 2.0 * f64::from(k)) >= 60.0 - 3.0 * (18.0 - 2.0 * f64::from(k))));
    }

    #[test]
    fn rows_cover_everything_and_keep_the_step() {
        for (w, h) in [(90.0, 50.0), (30.0, 70.0), (20.0, 10.0)] {
            let f = Facing { min: DVec2::ZERO, max: DVec2::new(w, h), radius: 20.0, step: 28.0, levels: vec![0.0] };
            assert!(f.even_step() <= 28.0);
            let stock = Slabs::prism(Region::rect(f.min, f.max), -5.0, 1.0);
            let moves = face(&f, Feeds { cut: 500.0, plunge: 100.0, link: 900.0, brush: 900.0 }, 10.0, &stock);
            let mut at = DVec2::ZERO;
            let mut swept = Vec::new();
            for m in &moves {
                match m {
                    Move::Rapid { to } => at = to.truncate(),
                    Move::Feed { to, .. } => {
                        if to.truncate() != at {
                            swept.push(Region::swept(&[at, to.truncate()], 20.0, 0.01));
                        }
                        at = to.truncate();
                    }
                    _ => {}
                }
            }
            assert!(Region::rect(f.min, f.max).minus(&Region::union_all(&swept)).area() < 1e-3, "{w} {h}");
        }
    }
}
