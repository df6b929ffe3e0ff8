//! Cycles for holes (NISTIR 6556, section 3.5.16).

use super::state::State;
use super::words::{Words, name, whole};
use super::{Hole, Program, Shape, StepKind};
use crate::write::BACK_OFF_MM;
use path::motion::Cycle;

impl State<'_> {
    /// Holes of a line.
    pub(super) fn cycle(&mut self, g: u32, w: &Words, line: u32, p: &mut Program) -> Result<(), String> {
        if self.plane != 17 {
            return Err("drilling cycles are in G17 only".into());
        }
        if self.c.turn != 0.0 || self.c.polar {
            self.extension(p, line, "a cycle in turned or polar coordinates");
        }
        if g == 840 && self.spindle != 1 {
            return Err("G84 taps a right-hand thread: start the spindle clockwise (S… M3) before it".into());
        }
        for (k, letter) in ['Z', 'R', 'Q', 'P'].into_iter().enumerate() {
            if let Some(v) = w.get(letter) {
                self.sticky[k] = Some(if letter == 'P' { v } else { v * self.unit * self.c.scale });
            }
        }
        let [Some(z), Some(r), q, dwell] = self.sticky else {
            return Err("a drilling cycle needs Z and R".into());
        };
        let repeats = w.get('L').map(|l| whole('L', l)).transpose()?.unwrap_or(1);
        if repeats as usize > self.settings.most_steps / 4 {
            return Err(format!("L{repeats} is more repeats than can be followed"));
        }
        let old_z = self.pos.z;
        let base = self.c.placed(geom::DVec3::ZERO).z;
        let (r_level, bottom) = if self.absolute { (r + base, z + base) } else { (old_z + r, old_z + r + z) };
        if bottom > r_level + 1e-9 {
            return Err(format!("the cycle's bottom (Z {bottom:.4}) is above its start (R {r_level:.4})"));
        }
        let deep = g == 830 || g == 730;
        let q = match (deep, q) {
            (true, Some(q)) if q > 0.0 => q,
            (true, _) => return Err(format!("{} needs Q, the depth of a peck, above 0", name(g))),
            _ => f64::INFINITY,
        };
        if (r_level - bottom) / q > 10_000.0 {
            return Err("more than 10 000 pecks in one hole; check Q".into());
        }
        let clear = if self.back_to_start && old_z > r_level { old_z } else { r_level };
        let rate = self.feed_of(w, r_level - bottom)?;
        let feed = StepKind::Feed { feed: rate };
        let rapid = StepKind::Rapid;
        if self.pos.z < r_level {
            self.go(p, line, rapid.clone(), self.pos.with_z(r_level), Shape::Line, false);
        }
        let posted = match g {
            810 => Some(Cycle::Plain),
            830 => Some(Cycle::Peck(q)),
            840 => Some(Cycle::Tap),
            850 => Some(Cycle::Ream),
            _ => None,
        };
        for n in 0..repeats {
            let first = p.steps.len();
            let xy = if n == 0 || !self.absolute { self.target(w).with_z(self.pos.z) } else { self.pos };
            self.go(p, line, rapid.clone(), xy, Shape::Line, false);
            if self.pos.z > r_level {
                self.go(p, line, rapid.clone(), xy.with_z(r_level), Shape::Line, false);
            }
            let mut at = r_level;
            loop {
                let next = if at - q > bottom { at - q } else { bottom };
                self.go(p, line, feed.clone(), xy.with_z(next), Shape::Line, false);
                at = next;
                if at <= bottom + 1e-9 {
                    break;
                }
                // NISTIR 6556: back to 0.010 in above the last depth.
                let back = if at + BACK_OFF_MM < r_level { at + BACK_OFF_MM } else { r_level };
                let out = if g == 830 { r_level } else { back };
                self.go(p, line, rapid.clone(), xy.with_z(out), Shape::Line, false);
                if g == 830 {
                    self.go(p, line, rapid.clone(), xy.with_z(back), Shape::Line, false);
                }
            }
            if matches!(g, 820 | 860 | 890) {
                let seconds = self.seconds(dwell.unwrap_or(0.0));
                self.push(p, line, StepKind::Dwell { seconds }, self.pos, Shape::Line, false);
            }
            let turning = self.spindle;
            match g {
                // At the bottom of G84 the spindle is turned round, and round again at R.
                840 => self.spindle = -1,
                // G86 stops it and goes out at rapid.
                860 => self.spindle = 0,
                _ => {}
            }
            if matches!(g, 840 | 850 | 890) {
                self.go(p, line, feed.clone(), xy.with_z(r_level), Shape::Line, false);
            }
            if g == 860 {
                self.go(p, line, rapid.clone(), xy.with_z(clear), Shape::Line, false);
            }
            self.spindle = turning;
            if self.pos.z < clear {
                self.go(p, line, rapid.clone(), xy.with_z(clear), Shape::Line, false);
            }
            if let Some(cycle) = posted {
                p.holes.push(Hole {
                    first,
                    last: p.steps.len() - 1,
                    at: xy.truncate(),
                    clear,
                    start: r_level,
                    bottom,
                    cycle,
                    feed: rate,
                });
            }
        }
        Ok(())
    }
}
