//! Motion as data: what the post writes and every path maker makes. Coordinates are the setup's work coordinates, mm; feed
//! mm/min; z is the cutter's lowest point.

use geom::{DVec2, DVec3};
use serde::{Deserialize, Serialize};
use std::f64::consts::TAU;

/// One motion from where the last one ended.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub enum Move {
    /// At rapid, in a straight line.
    Rapid { to: DVec3 },
    /// At feed, in a straight line.
    Feed { to: DVec3, feed: f64 },
    /// At feed, an arc about a vertical axis; z changes evenly along it.
    Arc { to: DVec3, center: DVec2, ccw: bool, feed: f64 },
    /// No motion: from here on this limit of engagement (rad) is promised; words for the person at the control, empty for none.
    State { words: String, engagement_limit: Option<f64> },
    /// Holes at the points: rapid to `clear` above, to `start`, feed to `bottom`, with full retracts every `peck` mm where given.
    Drill { at: Vec<DVec2>, clear: f64, start: f64, bottom: f64, peck: Option<f64>, feed: f64 },
}

impl Move {
    /// Its length from where the last one ended, mm, at feed or at rapid, and where it ends; of holes what is fed, and the last of them.
    pub fn way(&self, from: DVec3) -> (f64, DVec3) {
        match self {
            Move::Rapid { to } | Move::Feed { to, .. } => (from.distance(*to), *to),
            Move::Arc { to, center, ccw, .. } => {
                let (a, b) = (from.truncate() - *center, to.truncate() - *center);
                ((turn_of(a, b, *ccw).abs() * a.length()).hypot(to.z - from.z), *to)
            }
            Move::State { .. } => (0.0, from),
            Move::Drill { at, clear, start, bottom, .. } => {
                (at.len() as f64 * (start - bottom), at.last().map_or(from, |p| p.extend(*clear)))
            }
        }
    }
}

/// Turn from one arm to another, rad, negative clockwise; an arc that ends where it began is a whole one.
pub fn turn_of(from: DVec2, to: DVec2, ccw: bool) -> f64 {
    let turn = from.angle_to(to).rem_euclid(TAU);
    let left = if turn < 1e-9 { TAU } else { turn };
    if ccw {
        left
    } else if TAU - left < 1e-9 {
        -TAU
    } else {
        left - TAU
    }
}

/// Coolant of an operation.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum Coolant {
    /// None.
    Dry,
    /// Flood (M8).
    Flood,
}

/// The motion of one operation with one tool.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Toolpath {
    /// Id of the operation.
    pub op: String,
    /// Words for the person at the control.
    pub title: String,
    /// Tool number.
    pub tool: u32,
    /// Spindle speed, 1/min.
    pub rpm: f64,
    /// Coolant.
    pub coolant: Coolant,
    /// Stated limit of engagement, rad; none where it is not a side cut.
    pub engagement_limit: Option<f64>,
    /// Expected power at the cutter, kW; none where it was not reckoned.
    #[serde(default)]
    pub power_kw: Option<f64>,
    /// The motion; the first move is a rapid above everything.
    pub moves: Vec<Move>,
}

impl Toolpath {
    /// Least and largest corner of what is run at feed or drilled; none where nothing is. Arcs count with their whole circle.
    pub fn over(&self) -> Option<[DVec3; 2]> {
        let mut out: Option<[DVec3; 2]> = None;
        let mut here = DVec3::ZERO;
        let mut add = |p: DVec3| {
            out = Some(match out {
                Some([a, b]) => [a.min(p), b.max(p)],
                None => [p, p],
            });
        };
        for m in &self.moves {
            let to = m.way(here).1;
            match m {
                Move::Rapid { .. } | Move::State { .. } => {}
                Move::Feed { .. } => [here, to].into_iter().for_each(&mut add),
                Move::Arc { center, .. } => {
                    let r = DVec2::splat((to.truncate() - *center).length());
                    for z in [here.z, to.z] {
                        add((*center - r).extend(z));
                        add((*center + r).extend(z));
                    }
                }
                Move::Drill { at, start, bottom, .. } => {
                    for p in at {
                        add(p.extend(*start));
                        add(p.extend(*bottom));
                    }
                }
            }
            here = to;
        }
        out
    }
}
