//! Cutter compensation (G41, G42): the path beside the programmed one. Entry by the tangent as in NISTIR 6556, section 3.5.10 and its appendix: the first
//! straight move ends where the cutter touches the programmed point and its way is tangent to the cutter's circle about it; outside corners get an
//! arc about the corner; inside corners, which the published interpreter refuses, end where the two neighbours meet (common practice, no source).

use super::state::Beside;
use super::{Program, ReadError, Shape, Step};
use geom::{DVec2, DVec3};
use std::f64::consts::TAU;

/// Directions that differ by less than this sine are one.
const SAME: f64 = 1e-6;

/// Direction at the beginning and at the end, and the shape moved to the side.
#[derive(Clone, Copy)]
struct Edge {
    a: DVec2,
    b: DVec2,
    arc: Option<(DVec2, f64)>,
}

impl Edge {
    fn of(s: &Step) -> Edge {
        let arc = match s.shape {
            Shape::Line => None,
            Shape::Arc { center, sweep } => Some((center, sweep)),
        };
        Edge { a: s.from.truncate(), b: s.to.truncate(), arc }
    }
    fn along(&self, at: DVec2) -> DVec2 {
        match self.arc {
            None => (self.b - self.a).normalize_or_zero(),
            Some((c, sweep)) => {
                let r = (at - c).normalize_or_zero();
                if sweep > 0.0 { r.perp() } else { -r.perp() }
            }
        }
    }
    fn starts(&self) -> DVec2 {
        self.along(self.a)
    }
    fn ends(&self) -> DVec2 {
        self.along(self.b)
    }
    /// A point of it moved to the side by `d`, positive to the left.
    fn beside(&self, at: DVec2, d: f64) -> DVec2 {
        at + self.along(at).perp() * d
    }
    /// Radius of the moved arc.
    fn radius(&self, d: f64) -> Option<f64> {
        self.arc.map(|(c, sweep)| self.a.distance(c) - d * sweep.signum())
    }
}

/// Places where two moved edges meet, whole lines and circles.
fn meets(e: &Edge, f: &Edge, d: f64) -> Vec<DVec2> {
    match (e.arc, f.arc) {
        (None, None) => {
            let (p, u, q, v) = (e.beside(e.a, d), e.starts(), f.beside(f.a, d), f.starts());
            let cross = u.perp_dot(v);
            if cross.abs() < SAME { vec![] } else { vec![p + u * ((q - p).perp_dot(v) / cross)] }
        }
        (None, Some((c, _))) | (Some((c, _)), None) => {
            let (line, arc) = if e.arc.is_none() { (e, f) } else { (f, e) };
            let r = arc.radius(d).unwrap_or(0.0);
            let (p, u) = (line.beside(line.a, d), line.starts());
            let foot = p + u * (c - p).dot(u);
            let h2 = r * r - foot.distance_squared(c);
            if h2 < 0.0 {
                return vec![];
            }
            vec![foot + u * h2.sqrt(), foot - u * h2.sqrt()]
        }
        (Some((c, _)), Some((o, _))) => {
            let (r, s) = (e.radius(d).unwrap_or(0.0), f.radius(d).unwrap_or(0.0));
            let gap = o - c;
            let g2 = gap.length_squared();
            if g2 < 1e-18 {
                return vec![];
            }
            let t = (g2 + r * r - s * s) / (2.0 * g2);
            let h2 = r * r / g2 - t * t;
            if h2 < 0.0 {
                return vec![];
            }
            vec![c + gap * t + gap.perp() * h2.sqrt(), c + gap * t - gap.perp() * h2.sqrt()]
        }
    }
}

/// The step between two places of its moved edge.
fn moved(s: &Step, e: &Edge, from: DVec2, to: DVec2, d: f64) -> Result<Step, String> {
    let mut out = Step { from: from.extend(s.from.z), to: to.extend(s.to.z), ..s.clone() };
    match e.arc {
        None => {
            if (to - from).dot(e.starts()) < -1e-6 {
                return Err("the cutter does not fit between the corners of this move".into());
            }
        }
        Some((c, sweep)) => {
            if e.radius(d).is_none_or(|r| r < 1e-6) {
                return Err("the cutter is larger than this inside arc".into());
            }
            let (u, v) = (from - c, to - c);
            let mut turn = u.perp_dot(v).atan2(u.dot(v));
            // As far round as the programmed arc, but for what its ends were shortened by.
            while turn < sweep - std::f64::consts::PI {
                turn += TAU;
            }
            while turn > sweep + std::f64::consts::PI {
                turn -= TAU;
            }
            if turn * sweep.signum() < -1e-9 {
                return Err("the cutter does not fit between the corners of this arc".into());
            }
            out.shape = Shape::Arc { center: c, sweep: turn };
        }
    }
    Ok(out)
}

/// Put the compensated parts of a program in the place of the programmed ones.
pub(super) fn compensate(p: &mut Program, parts: &[Beside]) -> Result<(), ReadError> {
    // From the last to the first, so that the numbers of the steps before stay.
    for b in parts.iter().rev() {
        one(p, b)?;
    }
    Ok(())
}

fn one(p: &mut Program, b: &Beside) -> Result<(), ReadError> {
    let fail = |line: u32, what: String| ReadError { line, what };
    let d = b.side * b.radius;
    // Moves that go somewhere in the plane; those that only rise or fall ride along.
    let flat = |s: &Step| {
        s.moves() && (s.from.truncate().distance(s.to.truncate()) > 1e-9 || matches!(s.shape, Shape::Arc { .. }))
    };
    let at: Vec<usize> = (b.from..b.to).filter(|k| flat(&p.steps[*k])).collect();
    let Some((&entry, rest)) = at.split_first() else { return Ok(()) };
    if matches!(p.steps[entry].shape, Shape::Arc { .. }) {
        return Err(fail(p.steps[entry].line, "the first move with G41 or G42 is straight (G0 or G1)".into()));
    }
    let target = p.steps[entry].to.truncate();
    let from = p.steps[entry].from.truncate();
    let edges: Vec<Edge> = rest.iter().map(|k| Edge::of(&p.steps[*k])).collect();
    // Where the entry ends.
    let way = target - from;
    let reach2 = way.length_squared() - d * d;
    if reach2 <= 0.0 {
        return Err(fail(
            b.line,
            format!("the first move with G41 or G42 is shorter than the cutter's radius, {:.3} mm", b.radius),
        ));
    }
    // The tangent from `from` to the circle about the target, on the asked side: its end E has E − target square to E − from.
    let tangent = {
        let l2 = way.length_squared();
        let k = d * d / l2;
        target - way * k + way.perp() * (d * reach2.sqrt() / l2)
    };
    let mut start = tangent;
    let along = (tangent - from).normalize_or_zero();
    let mut inserted: Vec<(usize, Step)> = Vec::new();
    let rolls = |at: DVec2, from: DVec2, to: DVec2, like: &Step, z: f64| {
        let (u, v) = (from - at, to - at);
        let mut sweep = u.perp_dot(v).atan2(u.dot(v));
        // Around an outside corner the cutter turns to its far side.
        if sweep * b.side > 1e-9 {
            sweep -= TAU * b.side;
        }
        Step { from: from.extend(z), to: to.extend(z), shape: Shape::Arc { center: at, sweep }, ..like.clone() }
    };
    if let Some(first) = edges.first() {
        let want = first.beside(first.a, d);
        let turn = along.perp_dot(first.starts()) * b.side;
        if turn > SAME {
            // Turning to the cutter's side: straight to where the first edge begins.
            start = want;
        } else if start.distance(want) > 1e-9 {
            let like = &p.steps[rest[0]];
            inserted.push((rest[0], rolls(target, start, want, like, p.steps[entry].to.z)));
        }
    }
    p.steps[entry].to = start.extend(p.steps[entry].to.z);
    // Where each edge begins and ends on its moved shape.
    let mut begins: Vec<DVec2> = edges.iter().map(|e| e.beside(e.a, d)).collect();
    let mut ends: Vec<DVec2> = edges.iter().map(|e| e.beside(e.b, d)).collect();
    for k in 1..edges.len() {
        let (e, f) = (edges[k - 1], edges[k]);
        let (step, line) = (&p.steps[rest[k]], p.steps[rest[k]].line);
        let turn = e.ends().perp_dot(f.starts()) * b.side;
        let back = e.ends().dot(f.starts()) < 0.0;
        if turn.abs() <= SAME && !back {
            continue;
        }
        if turn < 0.0 || turn.abs() <= SAME {
            inserted.push((rest[k], rolls(e.b, ends[k - 1], begins[k], step, step.from.z)));
            continue;
        }
        let all = meets(&e, &f, d);
        let near = all.into_iter().min_by(|x, y| x.distance(e.b).total_cmp(&y.distance(e.b)));
        let Some(near) = near else {
            return Err(fail(
                line,
                format!("the cutter of radius {:.3} mm does not fit into the corner before this move", b.radius),
            ));
        };
        (ends[k - 1], begins[k]) = (near, near);
    }
    for (n, k) in rest.iter().enumerate() {
        let s = moved(&p.steps[*k], &edges[n], begins[n], ends[n], d).map_err(|e| fail(p.steps[*k].line, e))?;
        p.steps[*k] = s;
    }
    // What only rises or falls, and what comes after, begins where the cutter is.
    let mut here = DVec3::new(from.x, from.y, 0.0);
    for k in b.from..p.steps.len() {
        let s = &mut p.steps[k];
        if k >= b.to && flat(s) {
            s.from = here.truncate().extend(s.from.z);
            break;
        }
        if at.contains(&k) {
            here = s.to;
        } else {
            let z = (s.from.z, s.to.z);
            s.from = here.truncate().extend(z.0);
            s.to = here.truncate().extend(z.1);
        }
    }
    for (before, step) in inserted.into_iter().rev() {
        p.steps.insert(before, step);
        for h in &mut p.holes {
            if h.first >= before {
                h.first += 1;
                h.last += 1;
            }
        }
    }
    Ok(())
}
