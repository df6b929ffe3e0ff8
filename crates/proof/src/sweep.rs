//! What a moving cutter takes from a ray, in closed form.
//!
//! The cutter's axis is z. Seen along z a move is a line or an arc; a cut at one height is that path grown by the cutter's
//! radius there (a stadium or a ring piece with round ends), and a ray along x or y meets it in at most two intervals. A ray
//! along z is cut from the lowest cutter surface that passes over it. Only a cutter with a point or a round corner that moves
//! sideways and in z at once has no closed form here; it is taken in slices of [`SLICE`] mm.

use geom::{DVec2, DVec3};
use program::Shape;
use reason::Sure;
use shop::tool::Tool;
use smallvec::SmallVec;
use std::f64::consts::{PI, TAU};

/// Height of the slices of a sloping move with a pointed or rounded cutter, mm. The error is at most half of it.
pub(crate) const SLICE: f64 = 0.004;

pub(crate) type Spans = SmallVec<[(f64, f64); 4]>;

/// A move seen along z.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Track {
    Line {
        a: DVec2,
        b: DVec2,
    },
    /// With where it begins and ends, for sine and cosine are asked of it a million times.
    Arc {
        c: DVec2,
        r: f64,
        from: f64,
        sweep: f64,
        ends: [DVec2; 2],
    },
}

impl Track {
    /// An arc from an angle on, rad.
    pub fn arc(c: DVec2, r: f64, from: f64, sweep: f64) -> Track {
        let ends = [from, from + sweep].map(|a| c + DVec2::from_angle(a) * r);
        Track::Arc { c, r, from, sweep, ends }
    }
}

/// A move: track and the heights at its ends (evenly between).
#[derive(Debug, Clone, Copy)]
pub(crate) struct Sweep {
    pub track: Track,
    pub z0: f64,
    pub z1: f64,
}

impl Sweep {
    pub fn new(from: DVec3, to: DVec3, shape: &Shape) -> Sweep {
        let (a, b) = (from.truncate(), to.truncate());
        let track = match *shape {
            Shape::Line => Track::Line { a, b },
            Shape::Arc { center, sweep } => {
                let d = a - center;
                Track::arc(center, d.length(), d.to_angle(), sweep)
            }
        };
        Sweep { track, z0: from.z, z1: to.z }
    }
    pub fn point(&self, t: f64) -> DVec2 {
        match self.track {
            Track::Line { a, b } => a.lerp(b, t),
            Track::Arc { ends, .. } if t == 0.0 => ends[0],
            Track::Arc { ends, .. } if t == 1.0 => ends[1],
            Track::Arc { c, r, from, sweep, .. } => c + DVec2::from_angle(from + sweep * t) * r,
        }
    }
    pub fn z(&self, t: f64) -> f64 {
        self.z0 + (self.z1 - self.z0) * t
    }
    pub fn z_min(&self) -> f64 {
        self.z0.at_most(self.z1)
    }
    pub fn z_max(&self) -> f64 {
        self.z0.at_least(self.z1)
    }
    pub fn length2(&self) -> f64 {
        match self.track {
            Track::Line { a, b } => a.distance(b),
            Track::Arc { r, sweep, .. } => r * sweep.abs(),
        }
    }
    pub fn level(&self) -> bool {
        (self.z1 - self.z0).abs() < 1e-9
    }
    pub fn upright(&self) -> bool {
        self.length2() < 1e-9
    }
    /// The part from t0 to t1.
    pub fn part(&self, t0: f64, t1: f64) -> Sweep {
        let track = match self.track {
            Track::Line { .. } => Track::Line { a: self.point(t0), b: self.point(t1) },
            Track::Arc { c, r, from, sweep, .. } => Track::arc(c, r, from + sweep * t0, sweep * (t1 - t0)),
        };
        Sweep { track, z0: self.z(t0), z1: self.z(t1) }
    }
    /// The part whose cutting body (lowest point to `flute` above it) is at height `h`, for a cutter of one section.
    pub fn at_height(&self, h: f64, flute: f64) -> Option<Sweep> {
        if self.level() {
            return (h >= self.z0 && h <= self.z0 + flute).then_some(*self);
        }
        // z(t) in [h - flute, h].
        let (ta, tb) = ((h - flute - self.z0) / (self.z1 - self.z0), (h - self.z0) / (self.z1 - self.z0));
        let (lo, hi) = (ta.at_most(tb).at_least(0.0), ta.at_least(tb).at_most(1.0));
        (lo <= hi).then(|| self.part(lo, hi))
    }
    /// Rectangle around the track.
    pub fn bounds2(&self) -> (DVec2, DVec2) {
        match self.track {
            Track::Line { a, b } => (a.min(b), a.max(b)),
            Track::Arc { c, r, from, sweep, .. } => {
                let (a, b) = (self.point(0.0), self.point(1.0));
                let (mut lo, mut hi) = (a.min(b), a.max(b));
                for k in 0..4 {
                    let angle = f64::from(k) * PI / 2.0;
                    if on_arc(angle, from, sweep) {
                        let p = c + DVec2::from_angle(angle) * r;
                        lo = lo.min(p);
                        hi = hi.max(p);
                    }
                }
                (lo, hi)
            }
        }
    }
    /// Distance from `q` to the track, seen along z.
    pub fn distance(&self, q: DVec2) -> f64 {
        match self.track {
            Track::Line { a, b } => {
                let d = b - a;
                let l2 = d.length_squared();
                let t = if l2 > 0.0 { ((q - a).dot(d) / l2).clamp(0.0, 1.0) } else { 0.0 };
                q.distance(a + d * t)
            }
            Track::Arc { c, r, sweep, ends, .. } => {
                let d = q - c;
                if d.length_squared() < 1e-18 || faces(d, sweep, ends.map(|e| e - c)) {
                    (d.length() - r).abs()
                } else {
                    q.distance(ends[0]).at_most(q.distance(ends[1]))
                }
            }
        }
    }
    /// Where the line y = `y` (or x = `y` with `swap`) passes within `radius` of the track.
    pub fn spans(&self, y: f64, swap: bool, radius: f64) -> Spans {
        let flip = |p: DVec2| if swap { DVec2::new(p.y, p.x) } else { p };
        let mut out = Spans::new();
        let disc = |p: DVec2, out: &mut Spans| {
            let h2 = radius * radius - (y - p.y) * (y - p.y);
            if h2 > 0.0 {
                let h = h2.sqrt();
                out.push((p.x - h, p.x + h));
            }
        };
        match self.track {
            Track::Line { a, b } => {
                let (a, b) = (flip(a), flip(b));
                disc(a, &mut out);
                disc(b, &mut out);
                let d = b - a;
                let l = d.length();
                if l > 1e-12 {
                    // The rectangle between the ends: both its coordinates are linear in x.
                    let (u, n) = (d / l, d.perp() / l);
                    let dy = y - a.y;
                    let (mut lo, mut hi) = (f64::NEG_INFINITY, f64::INFINITY);
                    let mut cut = |k: f64, c: f64, from: f64, to: f64| {
                        // from ≤ k·x + c ≤ to
                        if k.abs() < 1e-15 {
                            if c < from || c > to {
                                hi = f64::NEG_INFINITY;
                            }
                        } else {
                            let (p, q) = ((from - c) / k, (to - c) / k);
                            lo = lo.at_least(p.at_most(q));
                            hi = hi.at_most(p.at_least(q));
                        }
                    };
                    cut(u.x, u.y * dy, 0.0, l);
                    cut(n.x, n.y * dy, -radius, radius);
                    if lo < hi {
                        out.push((lo + a.x, hi + a.x));
                    }
                }
                // A stadium is convex: one interval.
                if let Some(all) = out.iter().copied().reduce(|p, q| (p.0.at_most(q.0), p.1.at_least(q.1))) {
                    out.clear();
                    out.push(all);
                }
            }
            Track::Arc { c, r, .. } => {
                let centre = flip(c);
                let dy = y - centre.y;
                let mut cuts: SmallVec<[f64; 16]> = SmallVec::new();
                let circle = |cuts: &mut SmallVec<[f64; 16]>, m: DVec2, rho: f64| {
                    let h2 = rho * rho - (y - m.y) * (y - m.y);
                    if h2 > 0.0 {
                        cuts.push(m.x - h2.sqrt());
                        cuts.push(m.x + h2.sqrt());
                    }
                };
                circle(&mut cuts, centre, r + radius);
                if r > radius {
                    circle(&mut cuts, centre, r - radius);
                }
                let ends = [self.point(0.0), self.point(1.0)];
                for e in ends {
                    circle(&mut cuts, flip(e), radius);
                    // The straight borders between ring piece and round end.
                    let d = flip(e) - centre;
                    if d.y.abs() > 1e-12 {
                        cuts.push(centre.x + d.x * dy / d.y);
                    }
                }
                cuts.sort_by(f64::total_cmp);
                for w in cuts.windows(2) {
                    if w[1] - w[0] < 1e-12 {
                        continue;
                    }
                    let m = flip(DVec2::new((w[0] + w[1]) / 2.0, y));
                    if self.distance(m) <= radius {
                        match out.last_mut() {
                            Some(last) if (last.1 - w[0]).abs() < 1e-12 => last.1 = w[1],
                            _ => out.push((w[0], w[1])),
                        }
                    }
                }
            }
        }
        out
    }
    /// Ranges of t in which a disc of `radius` about the track covers `q`.
    pub fn covering(&self, q: DVec2, radius: f64) -> SmallVec<[(f64, f64); 2]> {
        let mut out = SmallVec::new();
        match self.track {
            Track::Line { a, b } => {
                let d = b - a;
                let l2 = d.length_squared();
                if l2 < 1e-18 {
                    if q.distance(a) <= radius {
                        out.push((0.0, 1.0));
                    }
                    return out;
                }
                let t = (q - a).dot(d) / l2;
                let off2 = (q - a - d * t).length_squared();
                if off2 <= radius * radius {
                    let h = ((radius * radius - off2) / l2).sqrt();
                    let (lo, hi) = ((t - h).at_least(0.0), (t + h).at_most(1.0));
                    if lo <= hi {
                        out.push((lo, hi));
                    }
                }
            }
            Track::Arc { c, r, from, sweep, .. } => {
                let d = q - c;
                let rho = d.length();
                if (rho - r).abs() > radius {
                    return out;
                }
                let cos = if rho < 1e-9 { -1.0 } else { (rho * rho + r * r - radius * radius) / (2.0 * rho * r) };
                let half = cos.clamp(-1.0, 1.0).acos();
                if half >= PI - 1e-12 {
                    out.push((0.0, 1.0));
                    return out;
                }
                // Angle of q in the sense of the sweep, counted from the start.
                let s = sweep.abs();
                let rel = ((d.to_angle() - from) * sweep.signum()).rem_euclid(TAU);
                let mut mid = rel - TAU;
                while mid - half <= s {
                    let (lo, hi) = ((mid - half).at_least(0.0), (mid + half).at_most(s));
                    if lo <= hi && s > 0.0 {
                        out.push((lo / s, hi / s));
                    }
                    mid += TAU;
                }
            }
        }
        out
    }
}

fn on_arc(angle: f64, from: f64, sweep: f64) -> bool {
    if sweep.abs() >= TAU {
        return true;
    }
    ((angle - from) * sweep.signum()).rem_euclid(TAU) <= sweep.abs()
}

/// Does a direction from the centre lie between the ends of an arc, seen from there? As [`on_arc`], without angles.
fn faces(d: DVec2, sweep: f64, [a, b]: [DVec2; 2]) -> bool {
    let (s, all) = (sweep.signum(), sweep.abs());
    if all >= TAU {
        true
    } else if all <= PI {
        // Of a short arc the other side of the centre lies on neither side of its ends.
        s * a.perp_dot(d) >= 0.0 && s * d.perp_dot(b) >= 0.0 && (all > 1.0 || d.dot(a) >= 0.0)
    } else {
        !(s * b.perp_dot(d) > 0.0 && s * d.perp_dot(a) > 0.0)
    }
}

/// The pieces in which a move must be taken so that each has a closed form with this tool.
pub(crate) fn pieces(s: &Sweep, tool: &Tool) -> Vec<Sweep> {
    if s.level() || s.upright() || tool.is_cylinder() {
        return vec![*s];
    }
    let n = ((s.z1 - s.z0).abs() / SLICE).ceil().clamp(1.0, 20_000.0) as usize;
    (0..n)
        .map(|k| {
            let mut p = s.part(k as f64 / n as f64, (k + 1) as f64 / n as f64);
            let mid = f64::midpoint(p.z0, p.z1);
            (p.z0, p.z1) = (mid, mid);
            p
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// By angle and by sides: the same, for arcs of any length and either sense.
    #[test]
    fn an_arc_faces_what_its_angles_say() {
        let mut rng = fastrand::Rng::with_seed(3);
        for _ in 0..20_000 {
            let (from, sweep) = (rng.f64() * 14.0 - 7.0, (rng.f64() * 2.0 - 1.0) * if rng.bool() { 6.2 } else { 0.3 });
            let angle = rng.f64() * 14.0 - 7.0;
            let ends = [from, from + sweep].map(|a| DVec2::from_angle(a) * 3.0);
            let rel = ((angle - from) * sweep.signum()).rem_euclid(TAU);
            let sure = [0.0, sweep.abs(), TAU].iter().all(|e| (rel - e).abs() > 1e-9);
            assert!(
                !sure || faces(DVec2::from_angle(angle) * 0.4, sweep, ends) == on_arc(angle, from, sweep),
                "{from} {sweep} {angle}"
            );
        }
    }

    fn samples() -> Vec<Sweep> {
        let line =
            |a: (f64, f64), b: (f64, f64), z0, z1| Sweep { track: Track::Line { a: a.into(), b: b.into() }, z0, z1 };
        let arc = |r: f64, from: f64, sweep: f64, z0, z1| Sweep {
            track: Track::arc(DVec2::new(0.3, -0.7), r, from, sweep),
            z0,
            z1,
        };
        vec![
            line((0.0, 0.0), (7.0, 3.0), 0.0, 0.0),
            line((1.0, -4.0), (1.0, 5.0), 0.0, 0.0),
            line((-3.0, 2.0), (6.0, 2.0), 0.0, -2.0),
            line((2.0, 2.0), (2.0, 2.0), 5.0, 0.0),
            arc(5.0, 0.4, 2.0, 0.0, 0.0),
            arc(5.0, 0.4, -4.5, 0.0, 0.0),
            arc(1.0, 1.0, TAU, 0.0, 0.0),
            arc(4.0, -2.0, 3.0 * TAU, 0.0, -3.0),
        ]
    }

    /// Oracle: a thousand positions along the track.
    #[test]
    fn spans_agree_with_many_discs() {
        let radius = 2.0;
        for s in samples() {
            for swap in [false, true] {
                for k in -20..=20 {
                    let y = f64::from(k) * 0.4 + 0.03;
                    let spans = s.spans(y, swap, radius);
                    for i in -30..=30 {
                        let x = f64::from(i) * 0.4 + 0.017;
                        let q = if swap { DVec2::new(y, x) } else { DVec2::new(x, y) };
                        let d = (0..=1500)
                            .map(|t| s.point(f64::from(t) / 1500.0).distance(q))
                            .fold(f64::INFINITY, Sure::at_most);
                        let inside = spans.iter().any(|p| x > p.0 && x < p.1);
                        if (d - radius).abs() > 2e-3 {
                            assert_eq!(inside, d < radius, "{s:?} {q} {d}");
                        }
                    }
                }
            }
        }
    }

    #[test]
    fn covering_agrees_with_many_discs() {
        let radius = 2.0;
        for s in samples() {
            for i in -30..30 {
                for j in -30..30 {
                    let q = DVec2::new(f64::from(i) * 0.31, f64::from(j) * 0.29);
                    let got = s.covering(q, radius);
                    for t in 0..=200 {
                        let t = f64::from(t) / 200.0;
                        let d = s.point(t).distance(q);
                        if (d - radius).abs() > 1e-6 {
                            assert_eq!(
                                got.iter().any(|g| t >= g.0 - 1e-12 && t <= g.1 + 1e-12),
                                d < radius,
                                "{s:?} {q} {t}"
                            );
                        }
                    }
                }
            }
        }
    }
}
