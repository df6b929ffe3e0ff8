//! Arcs, in any of the three planes.

use super::state::State;
use super::words::{Words, whole};
use super::{Program, Shape, StepKind};
use geom::{DVec2, DVec3};
use std::f64::consts::TAU;

/// What chords of arcs that do not lie flat may leave the arc by, mm.
const CHORD_MM: f64 = 0.0005;

/// Axes of a plane: first, second, and the one that stands on it; right-handed.
fn axes_of(plane: u32) -> [usize; 3] {
    match plane {
        18 => [2, 0, 1],
        19 => [1, 2, 0],
        _ => [0, 1, 2],
    }
}

/// Centre and sweep, rad, of an arc from `a` to `b` in its plane.
fn arc(
    a: DVec2,
    b: DVec2,
    radius: Option<f64>,
    center: Option<DVec2>,
    ccw: bool,
    turns: u32,
    tol: f64,
) -> Result<(DVec2, f64), String> {
    let center = if let Some(r) = radius {
        let chord = b - a;
        let d = chord.length();
        if d < 1e-9 {
            return Err("an arc by R whose end is its start: give I and J".into());
        }
        if r == 0.0 || d / 2.0 > r.abs() + tol {
            return Err(format!("R{:.4} mm is too small to reach the end, {d:.4} mm away", r.abs()));
        }
        let h = (r * r - d * d / 4.0).clamp(0.0, f64::MAX).sqrt();
        // Centre left of the chord for a short counter-clockwise arc; R < 0 asks for the long way.
        let left = ccw == (r > 0.0);
        a + chord / 2.0 + chord.perp() / d * if left { h } else { -h }
    } else {
        center.ok_or("an arc needs I and J (in G18 I and K, in G19 J and K), or R")?
    };
    let (ra, rb) = (a.distance(center), b.distance(center));
    if ra < 1e-9 {
        return Err("the arc's centre is its start".into());
    }
    if (ra - rb).abs() > tol {
        return Err(format!("the arc's end is {:.4} mm off its circle; check I and J", (ra - rb).abs()));
    }
    let (u, v) = (a - center, b - center);
    let mut sweep = u.perp_dot(v).atan2(u.dot(v)) * if ccw { 1.0 } else { -1.0 };
    if sweep <= 1e-9 {
        sweep += TAU;
    }
    if a.distance(b) < 1e-9 {
        sweep = TAU;
    }
    sweep += TAU * (f64::from(turns) - 1.0);
    Ok((center, if ccw { sweep } else { -sweep }))
}

impl State<'_> {
    /// An arc from where it stands.
    pub(super) fn arc(&mut self, w: &Words, to: DVec3, ccw: bool, line: u32, p: &mut Program) -> Result<(), String> {
        let [u, v, n] = axes_of(self.plane);
        let flat = |q: DVec3| DVec2::new(q[u], q[v]);
        let tol = if self.unit > 1.0 { 0.0002 * 25.4 } else { 0.002 };
        let turns = match w.get('P') {
            None => 1,
            Some(t) => whole('P', t)?.clamp(1, 1000),
        };
        let letters = ['I', 'J', 'K'];
        if w.get(letters[n]).is_some() {
            return Err(format!("{} does not belong to an arc in G{}", letters[n], self.plane));
        }
        let offsets = [w.get(letters[u]), w.get(letters[v])];
        let radius = w.get('R').map(|r| r * self.unit * self.c.scale);
        if radius.is_none() && offsets.iter().all(Option::is_none) {
            return Err(format!("an arc in G{} needs {} and {}, or R", self.plane, letters[u], letters[v]));
        }
        let center = radius.is_none().then(|| {
            let given = offsets.map(|o| o.map(|o| o * self.unit));
            if self.absolute_centre {
                let mut c = self.programmed();
                for (k, g) in [u, v].into_iter().zip(given) {
                    c[k] = g.unwrap_or(c[k]);
                }
                flat(self.c.placed(c))
            } else {
                let mut c = DVec3::ZERO;
                (c[u], c[v]) = (given[0].unwrap_or(0.0), given[1].unwrap_or(0.0));
                flat(self.pos + self.c.turned(c))
            }
        });
        let (center, sweep) = arc(flat(self.pos), flat(to), radius, center, ccw, turns, tol)?;
        let from = self.pos;
        if self.plane == 17 {
            let feed = self.feed_of(w, (flat(from).distance(center) * sweep).hypot(to.z - from.z))?;
            self.go(p, line, StepKind::Feed { feed }, to, Shape::Arc { center, sweep }, false);
            return Ok(());
        }
        let r = flat(from).distance(center);
        let feed = self.feed_of(w, (r * sweep).hypot(to[n] - from[n]))?;
        let share = CHORD_MM / r;
        let most = if share >= 1.0 { 1.0 } else { 2.0 * (1.0 - share).acos() };
        let pieces = crate::act::pieces(sweep, most.clamp(0.005, 1.0));
        for k in 1..=pieces {
            let t = k as f64 / pieces as f64;
            let flat_at = center + DVec2::from_angle(sweep * t).rotate(flat(from) - center);
            let mut q = to;
            if k < pieces {
                (q[u], q[v], q[n]) = (flat_at.x, flat_at.y, from[n] + (to[n] - from[n]) * t);
            }
            self.go(p, line, StepKind::Feed { feed }, q, Shape::Line, false);
        }
        Ok(())
    }
}
