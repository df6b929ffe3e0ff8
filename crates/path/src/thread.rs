//! Threads by a thread mill: a helix of one pitch a turn, upwards and counter-clockwise, so that a cutter that turns clockwise climbs and the
//! thread is right-handed.

use crate::motion::Move;
use geom::{DVec2, DVec3};
use reason::Sure;
use std::f64::consts::PI;

/// A thread in a hole and the cutter's way in it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ThreadCut {
    /// Axis of the hole.
    pub at: DVec2,
    /// Radius of the thread's outside, mm.
    pub outside: f64,
    /// Radius of its core, mm.
    pub core: f64,
    /// mm.
    pub pitch: f64,
    /// Lowest height of the full thread, mm.
    pub bottom: f64,
    /// Highest height of it, mm: the mouth.
    pub top: f64,
    /// Rapids to here, mm.
    pub clear: f64,
    /// Radius of the cutter, mm.
    pub radius: f64,
    /// Height of its teeth, mm: of a single row its own, of many rows all of them.
    pub teeth: f64,
    /// It has a single row.
    pub single: bool,
    /// In so many radial steps.
    pub passes: u32,
    /// Feed of its centre, and down in the open hole, mm/min.
    pub feed: f64,
    /// See `feed`.
    pub plunge: f64,
}

/// Ends of helices run over by so much of a turn, so that no ridge is left where they begin.
const OVERLAP: f64 = 0.125;

/// The motion. The cutter's end begins where its lowest tooth cuts the lowest turn; each helix goes in along half a circle from the hole's middle, a quarter of a
/// pitch long, so that the teeth are in step with the thread from their first touch, and out the same way.
pub fn thread(c: &ThreadCut) -> Vec<Move> {
    let middle = |z: f64| c.at.extend(z);
    let mut out = vec![Move::Rapid { to: middle(c.clear) }];
    // Teeth in the middle of a single row, from the lowest of many.
    let low = c.bottom - if c.single { (c.teeth - c.pitch) / 2.0 } else { 0.0 };
    let length = c.top - c.bottom;
    // How far one helix of one turn makes a thread, and how many of them stand over one another.
    let lifts: Vec<f64> = if c.single {
        vec![0.0]
    } else {
        let rows = (c.teeth / c.pitch + 1e-9).floor().at_least(1.0) * c.pitch;
        let n = (length / rows).ceil().at_least(1.0);
        (0..n as usize)
            .map(|k| (k as f64 * rows).at_most((length - rows).at_least(0.0)))
            .map(|z| whole(z, c.pitch))
            .collect()
    };
    let turns = if c.single { length / c.pitch + 1.0 } else { 1.0 } + OVERLAP;
    for lift in lifts {
        for pass in 1..=c.passes.max(1) {
            // Each step takes the same of the height; the last is the size.
            let depth = (c.outside - c.core) * f64::from(pass) / f64::from(c.passes.max(1));
            let r = c.core + depth - c.radius;
            let from = low + lift;
            out.push(Move::Rapid { to: middle(c.clear.at_most(c.top + 1.0)) });
            out.push(Move::Feed { to: middle(from), feed: c.plunge });
            helix(c, r, from, turns, &mut out);
        }
    }
    out.push(Move::Rapid { to: middle(c.clear) });
    out
}

/// A height is so many whole pitches that helices over one another are one thread.
fn whole(z: f64, pitch: f64) -> f64 {
    (z / pitch + 1e-9).floor() * pitch
}

fn helix(c: &ThreadCut, r: f64, from: f64, turns: f64, out: &mut Vec<Move>) {
    let quarter = c.pitch / 4.0;
    let spoke = |a: f64, l: f64| c.at + DVec2::from_angle(a) * l;
    let arc = |to: DVec3, center: DVec2| Move::Arc { to, center, ccw: true, feed: c.feed };
    // In: half a circle over the spoke at 0; the direction from the axis turns by a quarter on it.
    let mut z = from + quarter;
    out.push(arc(spoke(0.0, r).extend(z), spoke(0.0, r / 2.0)));
    let mut angle = 0.0;
    let mut left = turns * 2.0 * PI;
    while left > 1e-9 {
        let step = left.at_most(PI);
        angle += step;
        z += c.pitch * step / (2.0 * PI);
        out.push(arc(spoke(angle, r).extend(z), c.at));
        left -= step;
    }
    out.push(arc(c.at.extend(z + quarter), spoke(angle, r / 2.0)));
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::motion::turn_of;

    fn cut(single: bool, teeth: f64, passes: u32) -> ThreadCut {
        ThreadCut {
            at: DVec2::new(7.0, -3.0),
            outside: 4.0,
            core: 3.3235,
            pitch: 1.25,
            bottom: -12.0,
            top: 0.0,
            clear: 5.0,
            radius: 2.9,
            teeth,
            single,
            passes,
            feed: 100.0,
            plunge: 200.0,
        }
    }

    /// Every place on the paths lies on the helix of the thread: its height against its direction from the axis is one and the same thread, on all passes and
    /// over all lifts.
    #[test]
    fn all_that_cuts_lies_on_one_helix() {
        for c in [cut(true, 1.8, 1), cut(true, 1.8, 3), cut(false, 5.0, 1), cut(false, 5.0, 2), cut(false, 25.0, 1)] {
            let moves = thread(&c);
            let mut here = DVec3::ZERO;
            let mut phase: Option<f64> = None;
            let (mut deepest, mut turned, mut low, mut high): (f64, f64, f64, f64) = (0.0, 0.0, 1e9, -1e9);
            for m in &moves {
                if let Move::Arc { to, center, ccw, .. } = m {
                    assert!(*ccw && to.z > here.z, "upwards, counter-clockwise: climbs, right-handed");
                    let a = here.truncate() - *center;
                    let turn = turn_of(a, to.truncate() - *center, true);
                    for k in 1..20 {
                        let t = f64::from(k) / 20.0;
                        let p = *center + a.rotate(DVec2::from_angle(turn * t));
                        let z = here.z + (to.z - here.z) * t;
                        let v = p - c.at;
                        let now = (z / c.pitch - v.to_angle() / (2.0 * PI)).rem_euclid(1.0);
                        let first = *phase.get_or_insert(now);
                        let off = (now - first + 0.5).rem_euclid(1.0) - 0.5;
                        assert!(off.abs() < 1e-6, "{off}");
                        deepest = deepest.at_least(v.length() + c.radius);
                        if v.length() + c.radius > c.outside - 1e-9 {
                            (low, high) = (low.at_most(z), high.at_least(z));
                        }
                    }
                    turned += turn;
                }
                here = m.way(here).1;
            }
            assert!((deepest - c.outside).abs() < 1e-9, "{deepest}");
            assert!(turned > 2.0 * PI);
            // Its teeth reach from the bottom to the mouth.
            assert!(low <= c.bottom + c.pitch && high + c.teeth >= c.top - 1e-9, "{low} {high}");
            assert_eq!(moves.last(), Some(&Move::Rapid { to: c.at.extend(c.clear) }));
        }
    }
}
