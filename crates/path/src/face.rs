//! Facing: parallel rows in one direction, climb, the cutter coming from and leaving into the air.

use crate::motion::Move;
use crate::{Feeds, Mover, Slabs};
use geom::DVec2;

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
        breadth / (breadth / self.step).ceil().max(1.0)
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
/// Rows begin and end this far off the material, mm.
const OFF: f64 = 2.0;

/// Rows along the longer side. With the spindle turning clockwise and the uncut material on the right the cut is climb.
pub fn face(f: &Facing, feeds: Feeds, clear_z: f64, stock: &Slabs) -> Vec<Move> {
    let mut m = Mover::new(clear_z, f.radius, feeds, stock);
    let step = f.even_step();
    let rows = (f.breadth() / step).round().max(1.0) as usize;
    let x = f.along_x();
    for &z in &f.levels {
        for k in 0..rows {
            let edge = step * (k + 1) as f64;
            // Along +x the rows go from high y to low; along +y from low x to high: the uncut part is on the right in both.
            let (a, b) = if x {
                let y = f.max.y - edge + f.radius;
                (DVec2::new(f.min.x - f.radius - OFF, y), DVec2::new(f.max.x + f.radius + OFF, y))
            } else {
                let c = f.min.x + edge - f.radius;
                (DVec2::new(c, f.min.y - f.radius - OFF), DVec2::new(c, f.max.y + f.radius + OFF))
            };
            m.enter(a, z, None);
            m.feed(b.extend(z), feeds.cut);
            m.retract();
        }
    }
    m.finish()
}

#[cfg(test)]
mod tests {
    use super::*;
    use geom::Region;

    #[test]
    fn rows_cover_everything_and_keep_the_step() {
        for (w, h) in [(90.0, 50.0), (30.0, 70.0), (20.0, 10.0)] {
            let f = Facing { min: DVec2::ZERO, max: DVec2::new(w, h), radius: 20.0, step: 28.0, levels: vec![0.0] };
            assert!(f.even_step() <= 28.0);
            let stock = Slabs::prism(Region::rect(f.min, f.max), -5.0, 1.0);
            let moves = face(&f, Feeds { cut: 500.0, plunge: 100.0, link: 900.0 }, 10.0, &stock);
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
