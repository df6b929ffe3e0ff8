//! Motion as data: what the post writes and every path maker makes. Coordinates are the setup's work coordinates, mm; feed
//! mm/min; z is the cutter's lowest point.

use geom::{DVec2, DVec3, Path2, Seg};
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
    /// Holes at the points: rapid to `clear` above, to `start`, feed to `bottom`, and back as the cycle says.
    Drill { at: Vec<DVec2>, clear: f64, start: f64, bottom: f64, cycle: Cycle, feed: f64 },
}

/// How a hole is gone into and out of.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub enum Cycle {
    /// In at feed, out at rapid.
    Plain,
    /// With full retracts every so many mm.
    Peck(f64),
    /// In and out at feed: reamers.
    Ream,
    /// In at feed, spindle round, out at feed: taps.
    Tap,
}

impl Cycle {
    /// Is the way out at feed too?
    pub fn feeds_out(self) -> bool {
        matches!(self, Cycle::Ream | Cycle::Tap)
    }
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
            Move::Drill { at, clear, start, bottom, cycle, .. } => {
                let ways = if cycle.feeds_out() { 2.0 } else { 1.0 };
                (at.len() as f64 * (start - bottom) * ways, at.last().map_or(from, |p| p.extend(*clear)))
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
    /// A mist of air and a little oil (M7): where a flood would creep under the piece.
    Mist,
}

impl Coolant {
    /// In promises: "flood".
    pub fn word(self) -> &'static str {
        match self {
            Coolant::Dry => "dry",
            Coolant::Flood => "flood",
            Coolant::Mist => "mist",
        }
    }
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
    /// Least and largest corner of what is run at feed or drilled, to 0.01 mm; none where nothing is.
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
                Move::Arc { center, ccw, .. } => {
                    let arc = Seg::Arc { to: to.truncate(), center: *center, ccw: *ccw };
                    let line = Path2 { start: here.truncate(), segs: vec![arc] }.flatten(0.01);
                    line.into_iter().flat_map(|p| [p.extend(here.z), p.extend(to.z)]).for_each(&mut add);
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

#[cfg(test)]
mod tests {
    use super::*;
    use std::f64::consts::{FRAC_PI_2, PI};

    fn path(moves: Vec<Move>) -> Toolpath {
        Toolpath {
            op: "x".into(),
            title: String::new(),
            tool: 1,
            rpm: 1000.0,
            coolant: Coolant::Dry,
            engagement_limit: None,
            power_kw: None,
            moves,
        }
    }

    #[test]
    fn a_turn_is_positive_the_way_it_is_asked_for() {
        let (x, y) = (DVec2::X, DVec2::Y);
        let near = |a: f64, b: f64| assert!((a - b).abs() < 1e-12, "{a} {b}");
        near(turn_of(x, y, true), FRAC_PI_2);
        near(turn_of(x, y, false), -1.5 * PI);
        near(turn_of(y, x, false), -FRAC_PI_2);
        near(turn_of(x, x, true), TAU);
        near(turn_of(x, -x, true), PI);
    }

    #[test]
    fn a_way_is_as_long_as_it_is() {
        let from = DVec3::new(3.0, 0.0, 1.0);
        let quarter = Move::Arc { to: DVec3::new(0.0, 3.0, 5.0), center: DVec2::ZERO, ccw: true, feed: 1.0 };
        let (length, to) = quarter.way(from);
        // A helix: the arc and its rise are the sides of a right angle.
        assert!((length - (1.5 * PI).hypot(4.0)).abs() < 1e-12 && to.z == 5.0);
        let holes = Move::Drill {
            at: vec![DVec2::ZERO, DVec2::new(9.0, 1.0)],
            clear: 8.0,
            start: 2.0,
            bottom: -5.0,
            cycle: Cycle::Plain,
            feed: 90.0,
        };
        assert_eq!(holes.way(from), (14.0, DVec3::new(9.0, 1.0, 8.0)));
        assert_eq!(Move::State { words: String::new(), engagement_limit: None }.way(from), (0.0, from));
        assert_eq!(Move::Rapid { to: DVec3::ZERO }.way(from).0, from.length());
    }

    /// Nothing that is run at feed lies outside, rapids do not count, and an arc's bulge is in it.
    #[test]
    fn where_a_path_cuts() {
        assert_eq!(path(vec![Move::Rapid { to: DVec3::splat(99.0) }]).over(), None);
        let moves = vec![
            Move::Rapid { to: DVec3::new(50.0, 50.0, 40.0) },
            Move::Rapid { to: DVec3::new(10.0, 0.0, 5.0) },
            Move::Feed { to: DVec3::new(10.0, 0.0, -1.0), feed: 100.0 },
            Move::Arc { to: DVec3::new(-10.0, 0.0, -2.0), center: DVec2::ZERO, ccw: true, feed: 300.0 },
        ];
        let [lo, hi] = path(moves.clone()).over().unwrap();
        assert_eq!((lo.z, hi.z), (-2.0, 5.0));
        assert!(hi.y >= 10.0 - 0.01 && hi.y <= 10.0 + 1e-9 && lo.x <= -10.0 + 1e-9 && hi.x < 50.0);
        // The half below is not run.
        assert!(lo.y > -1e-9);
        // Almost straight: its circle is a kilometre wide, it is not.
        let bend = Move::Arc { to: DVec3::new(10.0, 0.0, 0.0), center: DVec2::new(5.0, -500.0), ccw: false, feed: 1.0 };
        let [least, most] = path(vec![bend]).over().unwrap();
        assert!(least.cmpge(DVec3::splat(-0.01)).all() && most.x <= 10.01 && most.y < 0.04, "{least} {most}");
        for k in 0..=20 {
            let t = PI * f64::from(k) / 20.0;
            let p = DVec3::new(10.0 * t.cos(), 10.0 * t.sin(), -1.0 - f64::from(k) / 20.0);
            assert!(p.cmpge(lo - 0.01).all() && p.cmple(hi + 0.01).all(), "{p}");
        }
        let at = vec![DVec2::new(-30.0, 4.0), DVec2::new(2.0, 70.0)];
        let holes = Move::Drill { at, clear: 30.0, start: 12.0, bottom: 1.0, cycle: Cycle::Peck(2.0), feed: 90.0 };
        let [lo, hi] = path(vec![holes]).over().unwrap();
        assert_eq!((lo, hi), (DVec3::new(-30.0, 4.0, 1.0), DVec3::new(2.0, 70.0, 12.0)));
    }
}
