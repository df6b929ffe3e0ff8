//! Machine time: acceleration-limited motion with look-ahead.
//!
//! Each block has a top speed (feed, and √(a·r) on arcs); at a junction the speed is limited by the deviation that the control
//! may take, R = δ·sin(θ/2)/(1 − sin(θ/2)), v = √(a·R) with θ the angle between incoming and outgoing path; a backward and a
//! forward pass make every change of speed possible within its block. A block never takes less than the control's block time.

use geom::DVec3;
use program::{Shape, Step, StepKind};
use reason::Sure;
use serde::{Deserialize, Serialize};
use shop::machine::Machine;

/// How a machine moves.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Motion {
    /// Rapid speed, mm/min.
    pub rapid_mm_min: f64,
    /// Acceleration, mm/s².
    pub acceleration_mm_s2: f64,
    /// Deviation allowed at junctions, mm.
    pub junction_mm: f64,
    /// Shortest time of a block, s.
    pub block_s: f64,
    /// A tool change, min.
    pub tool_change_min: f64,
    /// To turn the spindle round, s.
    #[serde(default)]
    pub reversal_s: f64,
}

impl Default for Motion {
    fn default() -> Self {
        Motion {
            rapid_mm_min: 5000.0,
            acceleration_mm_s2: 500.0,
            junction_mm: 0.01,
            block_s: 0.002,
            tool_change_min: 0.75,
            reversal_s: 1.0,
        }
    }
}

impl Motion {
    /// Of a mill.
    pub fn of(m: &Machine) -> Motion {
        Motion {
            rapid_mm_min: m.rapid_mm_min,
            acceleration_mm_s2: m.acceleration_mm_s2,
            junction_mm: m.junction_mm,
            block_s: m.block_s,
            tool_change_min: m.tool_change_min,
            reversal_s: m.reversal_s,
        }
    }
}

/// Time from speed `v0` to `v1` over `length` with top speed `top` and acceleration `a` (consistent units).
pub fn trapezoid(length: f64, v0: f64, v1: f64, top: f64, a: f64) -> f64 {
    let peak2 = ((2.0 * a * length + v0 * v0 + v1 * v1) / 2.0).at_most(top * top).at_least(v0 * v0).at_least(v1 * v1);
    let peak = peak2.sqrt();
    let ramps = (peak - v0) / a + (peak - v1) / a;
    let used = (peak2 - v0 * v0) / (2.0 * a) + (peak2 - v1 * v1) / (2.0 * a);
    let cruise = (length - used).at_least(0.0);
    ramps + if cruise > 0.0 && peak > 0.0 { cruise / peak } else { 0.0 }
}

/// Speed at a junction of unit directions, mm/s.
pub fn junction_speed(incoming: DVec3, outgoing: DVec3, a: f64, deviation: f64) -> f64 {
    // θ is the interior angle: π when the path goes straight on.
    let cos = -incoming.dot(outgoing);
    if cos > 0.999_999 {
        return 0.0;
    }
    let s = ((1.0 - cos.clamp(-1.0, 1.0)) / 2.0).sqrt();
    if s > 0.999_999 {
        return f64::INFINITY;
    }
    (a * deviation * s / (1.0 - s)).sqrt()
}

fn direction(step: &Step, end: bool) -> DVec3 {
    match step.shape {
        Shape::Line => (step.to - step.from).normalize_or_zero(),
        Shape::Arc { center, sweep } => {
            let at = if end { step.to } else { step.from };
            let r = at.truncate() - center;
            let t = r.perp() * sweep.signum();
            let rise = (step.to.z - step.from.z) / sweep.abs();
            t.extend(rise).normalize_or_zero()
        }
    }
}

/// Seconds of every step of a program (0 for those that do not move).
pub fn seconds(steps: &[Step], m: &Motion) -> Vec<f64> {
    let mut out = vec![0.0; steps.len()];
    let mut run: Vec<usize> = Vec::new();
    for k in 0..=steps.len() {
        let moving = k < steps.len() && steps[k].moves();
        if moving {
            if steps[k].length() > 1e-9 {
                run.push(k);
            }
            continue;
        }
        let stops = k == steps.len() || !matches!(steps[k].kind, StepKind::Note { .. });
        if stops {
            plan_run(steps, &run, m, &mut out);
            run.clear();
            if k < steps.len() {
                out[k] = match steps[k].kind {
                    StepKind::ToolChange => m.tool_change_min * 60.0,
                    StepKind::Dwell { seconds } => seconds,
                    _ => 0.0,
                };
            }
        }
    }
    // A tap waits at its bottom, and over its hole, until the spindle turns the other way.
    let moving: Vec<usize> = (0..steps.len()).filter(|&k| steps[k].moves()).collect();
    for (&a, &b) in moving.iter().zip(moving.iter().skip(1)) {
        if steps[a].spindle.zip(steps[b].spindle).is_some_and(|(p, q)| p * q < 0.0) {
            out[b] += m.reversal_s;
        }
    }
    out
}

fn plan_run(steps: &[Step], run: &[usize], m: &Motion, out: &mut [f64]) {
    let a = m.acceleration_mm_s2;
    let n = run.len();
    if n == 0 {
        return;
    }
    let top: Vec<f64> = run
        .iter()
        .map(|&k| {
            let s = &steps[k];
            let mut v = match s.kind {
                StepKind::Feed { feed } => feed.at_most(m.rapid_mm_min) / 60.0,
                _ => m.rapid_mm_min / 60.0,
            };
            if let Shape::Arc { center, .. } = s.shape {
                v = v.at_most((a * s.from.truncate().distance(center)).sqrt());
            }
            v.at_most(s.length() / m.block_s).at_least(1e-6)
        })
        .collect();
    let mut v = vec![0.0; n + 1];
    for i in 1..n {
        let j = junction_speed(direction(&steps[run[i - 1]], true), direction(&steps[run[i]], false), a, m.junction_mm);
        v[i] = j.at_most(top[i - 1]).at_most(top[i]);
    }
    for i in (0..n).rev() {
        v[i] = Sure::at_most(v[i], (v[i + 1] * v[i + 1] + 2.0 * a * steps[run[i]].length()).sqrt());
    }
    for i in 0..n {
        v[i + 1] = Sure::at_most(v[i + 1], (v[i] * v[i] + 2.0 * a * steps[run[i]].length()).sqrt());
    }
    for i in 0..n {
        out[run[i]] = trapezoid(steps[run[i]].length(), v[i], v[i + 1], top[i], a);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use program::{ReadSettings, read};

    /// Rest to rest at a 1000 mm/s², v 100 mm/s: L100 1.1 s, L10 0.2 s, L5 0.141421 s; L20 from 50 to 0: 0.2625 s; L5 50/50: 0.0732051 s
    /// (closed forms of uniform acceleration).
    #[test]
    fn closed_forms() {
        for (l, v0, v1, want) in [
            (100.0, 0.0, 0.0, 1.1),
            (10.0, 0.0, 0.0, 0.2),
            (5.0, 0.0, 0.0, 0.141_421_356),
            (20.0, 50.0, 0.0, 0.2625),
            (5.0, 50.0, 50.0, 0.073_205_081),
        ] {
            assert!((trapezoid(l, v0, v1, 100.0, 1000.0) - want).abs() < 1e-8, "{l}");
        }
    }

    /// Corner of 90° within 0.01 mm at 1000 mm/s²: 4.91346 mm/s; straight on: no limit; back: stop.
    #[test]
    fn junctions() {
        assert!((junction_speed(DVec3::X, DVec3::Y, 1000.0, 0.01) - 4.913_464_7).abs() < 1e-6);
        assert!(junction_speed(DVec3::X, DVec3::X, 1000.0, 0.01).is_infinite());
        assert_eq!(junction_speed(DVec3::X, DVec3::NEG_X, 1000.0, 0.01), 0.0);
    }

    fn minutes_of(text: &str, m: &Motion) -> f64 {
        let p = read(text, &ReadSettings { zero_in_machine: DVec3::ZERO, ..Default::default() }).unwrap();
        seconds(&p.steps, m).iter().sum()
    }

    /// A hundred pieces of one straight line take as long as the line; a square of 50 mm with (nearly) full stops 2.4 s.
    #[test]
    fn pieces_of_a_line_cost_nothing_and_corners_do() {
        let m = Motion {
            rapid_mm_min: 1e5,
            acceleration_mm_s2: 1000.0,
            junction_mm: 1e-12,
            block_s: 0.0,
            tool_change_min: 0.5,
            reversal_s: 0.0,
        };
        let pieces: String = (1..=100).map(|k| format!("X{k}\n")).collect();
        assert!((minutes_of(&format!("G1 F6000\n{pieces}"), &m) - 1.1).abs() < 1e-6);
        assert!((minutes_of("G1 F6000\nX50\nY50\nX0\nY0", &m) - 2.4).abs() < 1e-3);
    }

    /// Never faster than length ÷ feed.
    #[test]
    fn constant_speed_is_a_lower_bound() {
        let text = "G0 X10 Y0\nG1 F900 Y5\nG3 X5 Y10 I-5 J0\nG1 X-3 Y2 Z-4\nX0.1\nX0.2 Y0.1\nG2 X1 Y1 R2";
        let p = read(text, &ReadSettings { zero_in_machine: DVec3::ZERO, ..Default::default() }).unwrap();
        let m = Motion::default();
        for (s, t) in p.steps.iter().zip(seconds(&p.steps, &m)) {
            let v = match s.kind {
                StepKind::Feed { feed } => feed,
                _ => m.rapid_mm_min,
            };
            assert!(t >= s.length() / v * 60.0 - 1e-9);
        }
    }

    /// Oracle: the same profile integrated in small steps of distance, without the trapezoid formula.
    #[test]
    fn agrees_with_numerical_integration() {
        for (l, v0, v1, top) in [(12.0, 3.0, 9.0, 40.0), (2.0, 10.0, 4.0, 12.0), (80.0, 0.0, 20.0, 25.0)] {
            let a = 400.0;
            let n = 400_000;
            let ds = l / f64::from(n);
            let t: f64 = (0..n)
                .map(|k| {
                    let s = (f64::from(k) + 0.5) * ds;
                    let v2 = (v0 * v0 + 2.0 * a * s).at_most(v1 * v1 + 2.0 * a * (l - s)).at_most(top * top);
                    ds / v2.sqrt()
                })
                .sum();
            assert!((t - trapezoid(l, v0, v1, top, a)).abs() < 1e-3 * t, "{l}");
        }
    }
}
