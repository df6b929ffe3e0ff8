//! Paths of lines and circular arcs in the plane.

use glam::DVec2;
use serde::{Deserialize, Serialize};
use std::f64::consts::TAU;

/// A piece that begins where the one before ends.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub enum Seg {
    /// Straight to `to`.
    Line { to: DVec2 },
    /// About `center` to `to`, counter-clockwise or not. End = start is a full circle.
    Arc { to: DVec2, center: DVec2, ccw: bool },
}

impl Seg {
    /// Where it ends.
    pub fn to(&self) -> DVec2 {
        match *self {
            Seg::Line { to } | Seg::Arc { to, .. } => to,
        }
    }
}

/// Swept angle from `a` to `b` about `c`, in (0, 2π] in the given sense; full circle when they coincide.
pub(crate) fn sweep(a: DVec2, b: DVec2, c: DVec2, ccw: bool) -> f64 {
    let (u, v) = (a - c, b - c);
    let mut s = u.perp_dot(v).atan2(u.dot(v));
    if !ccw {
        s = -s;
    }
    if s <= 1e-12 { s + TAU } else { s }
}

/// A path: a start and its pieces. It is closed when the last piece ends at the start.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Path2 {
    /// First point.
    pub start: DVec2,
    /// Pieces in order.
    pub segs: Vec<Seg>,
}

impl Path2 {
    /// Through the points by lines.
    pub fn polyline(points: &[DVec2]) -> Path2 {
        Path2 { start: points[0], segs: points[1..].iter().map(|&to| Seg::Line { to }).collect() }
    }
    /// A full circle from the point at angle 0, as two half circles (some controls refuse a full one).
    pub fn circle(center: DVec2, radius: f64, ccw: bool) -> Path2 {
        let (a, b) = (center + DVec2::X * radius, center - DVec2::X * radius);
        Path2 { start: a, segs: vec![Seg::Arc { to: b, center, ccw }, Seg::Arc { to: a, center, ccw }] }
    }
    /// Last point.
    pub fn end(&self) -> DVec2 {
        self.segs.last().map_or(self.start, Seg::to)
    }
    /// Ends where it starts (to 1 nm)?
    pub fn is_closed(&self) -> bool {
        !self.segs.is_empty() && self.start.distance(self.end()) < 1e-6
    }
    /// Pieces with their start points.
    pub fn pieces(&self) -> impl Iterator<Item = (DVec2, Seg)> + '_ {
        let mut at = self.start;
        self.segs.iter().map(move |&s| {
            let from = at;
            at = s.to();
            (from, s)
        })
    }
    /// Length, mm.
    pub fn length(&self) -> f64 {
        self.pieces().map(|(from, s)| seg_length(from, &s)).sum()
    }
    /// Its first `length` mm, and the rest; none where it is no longer than that.
    pub fn split(&self, length: f64) -> (Path2, Option<Path2>) {
        let mut left = length;
        for (k, (from, s)) in self.pieces().enumerate() {
            let l = seg_length(from, &s);
            if l > left + 1e-6 {
                let t = left / l;
                let (mid, first) = match s {
                    Seg::Line { to } => (from.lerp(to, t), Seg::Line { to: from.lerp(to, t) }),
                    Seg::Arc { to, center, ccw } => {
                        let turn = sweep(from, to, center, ccw) * t * if ccw { 1.0 } else { -1.0 };
                        let mid = center + DVec2::from_angle(turn).rotate(from - center);
                        (mid, Seg::Arc { to: mid, center, ccw })
                    }
                };
                let mut head = self.segs[..k].to_vec();
                if left > 1e-6 {
                    head.push(first);
                }
                let start = if left > 1e-6 { mid } else { from };
                return (Path2 { start: self.start, segs: head }, Some(Path2 { start, segs: self.segs[k..].to_vec() }));
            }
            left -= l;
        }
        (self.clone(), None)
    }
    /// Unit direction in which it leaves its start.
    pub fn start_dir(&self) -> DVec2 {
        self.segs.first().map_or(DVec2::X, |s| tangent(self.start, s, true))
    }
    /// Unit direction in which it reaches its end.
    pub fn end_dir(&self) -> DVec2 {
        self.pieces().last().map_or(DVec2::X, |(from, s)| tangent(from, &s, false))
    }
    /// The same path run the other way.
    pub fn reversed(&self) -> Path2 {
        let pieces: Vec<_> = self.pieces().collect();
        let segs = pieces
            .iter()
            .rev()
            .map(|&(from, s)| match s {
                Seg::Line { .. } => Seg::Line { to: from },
                Seg::Arc { center, ccw, .. } => Seg::Arc { to: from, center, ccw: !ccw },
            })
            .collect();
        Path2 { start: self.end(), segs }
    }
    /// A closed path begun at the middle of its longest straight piece (or of its longest piece), so that an entry mark does not
    /// fall on a corner.
    pub fn started_mid_longest(&self) -> Path2 {
        let pieces: Vec<_> = self.pieces().collect();
        let score =
            |(from, s): &(DVec2, Seg)| seg_length(*from, s) * if matches!(s, Seg::Line { .. }) { 4.0 } else { 1.0 };
        let Some(k) =
            (0..pieces.len()).max_by(|&a, &b| score(&pieces[a]).total_cmp(&score(&pieces[b])).then(b.cmp(&a)))
        else {
            return self.clone();
        };
        let (from, s) = pieces[k];
        let mid = match s {
            Seg::Line { to } => (from + to) / 2.0,
            Seg::Arc { to, center, ccw } => {
                let half = sweep(from, to, center, ccw) / 2.0 * if ccw { 1.0 } else { -1.0 };
                center + DVec2::from_angle(half).rotate(from - center)
            }
        };
        self.started_at(k, mid)
    }
    /// A closed path begun where it comes nearest to a point.
    pub fn started_near(&self, p: DVec2) -> Path2 {
        let foot = |(from, s): (DVec2, Seg)| match s {
            Seg::Line { to } => {
                let d = to - from;
                let l2 = d.length_squared();
                from + d * if l2 > 0.0 { ((p - from).dot(d) / l2).clamp(0.0, 1.0) } else { 0.0 }
            }
            Seg::Arc { to, center, ccw } => {
                let on = center + (p - center).normalize_or(DVec2::X) * from.distance(center);
                if sweep(from, on, center, ccw) <= sweep(from, to, center, ccw) {
                    on
                } else if from.distance(p) < to.distance(p) {
                    from
                } else {
                    to
                }
            }
        };
        let feet: Vec<DVec2> = self.pieces().map(foot).collect();
        let near = (0..feet.len()).min_by(|&i, &j| feet[i].distance(p).total_cmp(&feet[j].distance(p)));
        near.map_or_else(|| self.clone(), |k| self.started_at(k, feet[k]))
    }
    /// A closed path begun at a place on its piece `k`.
    fn started_at(&self, k: usize, place: DVec2) -> Path2 {
        const SAME: f64 = 1e-6;
        let pieces: Vec<_> = self.pieces().collect();
        let (from, s) = pieces[k];
        let split = |to: DVec2| match s {
            Seg::Line { .. } => Seg::Line { to },
            Seg::Arc { center, ccw, .. } => Seg::Arc { to, center, ccw },
        };
        // At an end of the piece nothing is split off.
        let at_end = place.distance(s.to()) < SAME;
        let at_start = place.distance(from) < SAME && !at_end;
        let start = if at_end {
            s.to()
        } else if at_start {
            from
        } else {
            place
        };
        let mut segs = Vec::with_capacity(pieces.len() + 1);
        if !at_end {
            segs.push(s);
        }
        segs.extend(pieces[k + 1..].iter().map(|p| p.1));
        segs.extend(pieces[..k].iter().map(|p| p.1));
        if at_end {
            segs.push(s);
        } else if !at_start {
            segs.push(split(place));
        }
        Path2 { start, segs }
    }
    /// Points along it whose chords stay within `tol` mm of it, ends included.
    pub fn flatten(&self, tol: f64) -> Vec<DVec2> {
        let mut out = vec![self.start];
        for (from, s) in self.pieces() {
            if let Seg::Arc { to, center, ccw } = s {
                let r = from.distance(center);
                let total = sweep(from, to, center, ccw);
                let step = 2.0 * (1.0 - (tol / r.max(tol)).min(1.0)).acos();
                let n = (total / step.max(1e-3)).ceil().max(1.0) as usize;
                for k in 1..n {
                    let a = total * k as f64 / n as f64 * if ccw { 1.0 } else { -1.0 };
                    out.push(center + DVec2::from_angle(a).rotate(from - center));
                }
            }
            out.push(s.to());
        }
        out
    }
}

fn seg_length(from: DVec2, s: &Seg) -> f64 {
    match *s {
        Seg::Line { to } => from.distance(to),
        Seg::Arc { to, center, ccw } => from.distance(center) * sweep(from, to, center, ccw),
    }
}

fn tangent(from: DVec2, s: &Seg, at_start: bool) -> DVec2 {
    match *s {
        Seg::Line { to } => (to - from).normalize_or(DVec2::X),
        Seg::Arc { to, center, ccw } => {
            let r = if at_start { from } else { to } - center;
            let t = if ccw { r.perp() } else { -r.perp() };
            t.normalize_or(DVec2::X)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn stadium() -> Path2 {
        let v = DVec2::new;
        Path2 {
            start: v(0.0, -2.0),
            segs: vec![
                Seg::Line { to: v(10.0, -2.0) },
                Seg::Arc { to: v(10.0, 2.0), center: v(10.0, 0.0), ccw: true },
                Seg::Line { to: v(0.0, 2.0) },
                Seg::Arc { to: v(0.0, -2.0), center: v(0.0, 0.0), ccw: true },
            ],
        }
    }

    #[test]
    fn a_path_is_split_on_lines_and_arcs() {
        let c = Path2::circle(DVec2::new(1.0, 2.0), 3.0, false);
        for at in [0.0, 1.0, c.length() / 2.0, c.length() - 0.5] {
            let (a, b) = c.split(at);
            let b = b.unwrap();
            assert!((a.length() - at).abs() < 1e-9 && (a.length() + b.length() - c.length()).abs() < 1e-9, "{at}");
            assert!(a.end().distance(b.start) < 1e-12 && b.end().distance(c.end()) < 1e-12);
        }
        let l = Path2::polyline(&[DVec2::ZERO, DVec2::X, DVec2::new(1.0, 5.0)]);
        let (a, b) = l.split(3.0);
        assert_eq!((a.end(), b.unwrap().length()), (DVec2::new(1.0, 2.0), 3.0));
        assert!(l.split(6.0).1.is_none());
    }

    #[test]
    fn length_survives_reversal_and_another_start() {
        let p = stadium();
        let want = 20.0 + TAU * 2.0;
        for q in [p.clone(), p.reversed(), p.started_mid_longest(), p.reversed().started_mid_longest()] {
            assert!((q.length() - want).abs() < 1e-9 && q.is_closed());
        }
    }

    #[test]
    fn begun_near_a_point_it_is_the_same_ring_from_there() {
        let p = stadium();
        for q in [
            DVec2::new(3.0, -9.0),
            DVec2::new(15.0, 0.5),
            DVec2::new(0.0, -2.0),
            DVec2::new(10.0, 2.0),
            DVec2::new(-7.0, 4.0),
        ] {
            let r = p.started_near(q);
            assert!((r.length() - p.length()).abs() < 1e-9 && r.is_closed(), "{q}");
            let nearest = p.flatten(1e-4).iter().map(|x| x.distance(q)).fold(f64::INFINITY, f64::min);
            assert!(r.start.distance(q) < nearest + 0.05, "{q} {} {nearest}", r.start);
        }
    }

    #[test]
    fn flattening_stays_within_its_tolerance() {
        let p = Path2::circle(DVec2::ZERO, 5.0, true);
        let pts = p.flatten(0.01);
        let worst = pts.windows(2).map(|w| 5.0 - ((w[0] + w[1]) / 2.0).length()).fold(0.0, f64::max);
        assert!(worst <= 0.01 && worst > 0.002, "{worst}");
    }

    #[test]
    fn directions_are_tangent() {
        let p = Path2::circle(DVec2::ZERO, 5.0, false);
        assert!((p.start_dir() - DVec2::NEG_Y).length() < 1e-12);
        assert!((p.end_dir() - DVec2::NEG_Y).length() < 1e-12);
    }
}
