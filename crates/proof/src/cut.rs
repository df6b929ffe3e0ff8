//! Taking a move out of the stock, and asking what a dead body (shank, holder) would meet.

use crate::dexel::{Field, subtract};
use crate::sweep::{Spans, Sweep, Track, pieces};
use geom::{Box3, DVec2, DVec3};
use reason::Sure;
use shop::tool::{Tool, ToolKind};
use smallvec::SmallVec;

/// What a move took along the rays of one field.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Taken {
    /// Longest piece taken from one ray, mm.
    pub longest: f64,
    /// Sum of lengths × pitch², mm³.
    pub volume: f64,
    /// Around what was taken.
    pub bounds: Box3,
}

/// Gathers in ray numbers; points are made once at the end.
struct Sum {
    longest: f64,
    length: f64,
    i: (usize, usize),
    j: (usize, usize),
    t: (f64, f64),
}

impl Sum {
    fn nothing() -> Sum {
        let (i, j) = ((usize::MAX, 0), (usize::MAX, 0));
        Sum { longest: 0.0, length: 0.0, i, j, t: (f64::INFINITY, f64::NEG_INFINITY) }
    }
}

/// Subtract `tool` moved along `sweep` from a field in the frame of the work.
pub(crate) fn cut(field: &mut Field, sweep: &Sweep, tool: &Tool) -> Taken {
    let mut sum = Sum::nothing();
    let ball = Ball::of(sweep, tool);
    if let Some(b) = &ball {
        b.cut(field, &mut sum);
    }
    // Above its middle a ball is a cylinder.
    let (raised, above);
    let (sweep, tool) = match &ball {
        Some(b) => {
            (raised, above) = b.above(sweep, tool);
            (&raised, &above)
        }
        None => (sweep, tool),
    };
    for s in pieces(sweep, tool) {
        match field.grid.axis {
            2 => cut_along(field, &s, tool, &mut sum),
            axis => cut_across(field, axis, &s, tool, &mut sum),
        }
    }
    let grid = field.grid;
    let bounds = if sum.length > 0.0 {
        let at = |i: usize, j: usize, t: f64| grid.point(j * grid.count[0] + i, t);
        Box3::of([at(sum.i.0, sum.j.0, sum.t.0), at(sum.i.1, sum.j.1, sum.t.1)])
    } else {
        Box3::EMPTY
    };
    Taken { longest: sum.longest, volume: sum.length * grid.pitch * grid.pitch, bounds }
}

fn take(field: &mut Field, (i, j): (usize, usize), a: f64, b: f64, sum: &mut Sum) {
    let ray = &mut field.rays[j * field.grid.count[0] + i];
    let (Some(first), Some(last)) = (ray.first(), ray.last()) else { return };
    // Where the material taken lies: cut to what was there, before it goes.
    let (lo, hi) = (first.0.at_least(a), last.1.at_most(b));
    if lo >= hi {
        return;
    }
    let removed = subtract(ray, a, b);
    if removed > 0.0 {
        sum.longest = sum.longest.at_least(removed);
        sum.length += removed;
        sum.i = (sum.i.0.min(i), sum.i.1.max(i));
        sum.j = (sum.j.0.min(j), sum.j.1.max(j));
        sum.t = (sum.t.0.at_most(lo), sum.t.1.at_least(hi));
    }
}

fn cut_along(field: &mut Field, s: &Sweep, tool: &Tool, sum: &mut Sum) {
    let (lo, hi) = s.bounds2();
    let (r, flute) = (tool.radius(), tool.flute_length_mm);
    let grid = field.grid;
    for j in grid.range(1, lo.y - r, hi.y + r) {
        let y = grid.origin.y + j as f64 * grid.pitch;
        for (x0, x1) in s.spans(y, false, r) {
            for i in grid.range(0, x0, x1) {
                let index = j * grid.count[0] + i;
                if field.rays[index].is_empty() {
                    continue;
                }
                let q = DVec2::new(grid.origin.x + i as f64 * grid.pitch, y);
                if s.level() || s.upright() {
                    let (low, high) = if tool.is_cylinder() {
                        (0.0, flute)
                    } else {
                        let d = s.distance(q).at_most(r);
                        (tool.height_at(d), tool.top_at(d))
                    };
                    take(field, (i, j), s.z_min() + low, s.z_max() + high, sum);
                } else {
                    for (t0, t1) in s.covering(q, r) {
                        let (za, zb) = (s.z(t0), s.z(t1));
                        take(field, (i, j), za.at_most(zb), za.at_least(zb) + flute, sum);
                    }
                }
            }
        }
    }
}

fn cut_across(field: &mut Field, axis: usize, s: &Sweep, tool: &Tool, sum: &mut Sum) {
    let grid = field.grid;
    let (lo, hi) = s.bounds2();
    let (r, flute) = (tool.radius(), tool.flute_length_mm);
    // Rays along x: u = y, v = z. Rays along y: u = z, v = x.
    let swap = axis == 1;
    let (row, height) = if swap { (1, 0) } else { (0, 1) };
    let (from, to) = if swap { (lo.x, hi.x) } else { (lo.y, hi.y) };
    let rows = grid.range(row, from - r, to + r);
    let heights = grid.range(height, s.z_min(), s.z_max() + flute);
    if rows.is_empty() || heights.is_empty() {
        return;
    }
    let cell = |k: usize, h: usize| if swap { (h, k) } else { (k, h) };
    // Where a ray has nothing left along the move there is nothing to ask.
    let (along0, along1) = if swap { (lo.y - r, hi.y + r) } else { (lo.x - r, hi.x + r) };
    let stands = |field: &Field, (i, j): (usize, usize)| {
        field.rays[j * grid.count[0] + i].iter().any(|m| m.0 < along1 && m.1 > along0)
    };
    let at_row = |k: usize| grid.origin[row] + k as f64 * grid.pitch;
    let at_height = |h: usize| grid.origin[height] + h as f64 * grid.pitch;
    let apply = |field: &mut Field, at: (usize, usize), spans: &Spans, sum: &mut Sum| {
        for &(a, b) in spans {
            take(field, at, a, b, sum);
        }
    };
    if s.level() || s.upright() {
        // Between these it is as wide as it is anywhere.
        let full = (s.z_min() + tool.point_height(), if tool.top_at(r) < flute { s.z_max() } else { f64::INFINITY });
        for k in rows {
            if !heights.clone().any(|h| stands(field, cell(k, h))) {
                continue;
            }
            let wide = s.spans(at_row(k), swap, r);
            for h in heights.clone() {
                if !stands(field, cell(k, h)) {
                    continue;
                }
                let z = at_height(h);
                if z >= full.0 && z <= full.1 {
                    apply(field, cell(k, h), &wide, sum);
                } else {
                    let radius = tool.widest(z - s.z_max(), z - s.z_min());
                    apply(field, cell(k, h), &s.spans(at_row(k), swap, radius), sum);
                }
            }
        }
    } else {
        for h in heights {
            if let Some(part) = s.at_height(at_height(h), flute) {
                for k in rows.clone().filter(|k| stands(field, cell(*k, h))).collect::<SmallVec<[usize; 64]>>() {
                    apply(field, cell(k, h), &part.spans(at_row(k), swap, r), sum);
                }
            }
        }
    }
}

/// A half ball on a straight slope: what it passes through is a ball drawn along a line, and that meets a ray in one interval, in closed form.
pub(crate) struct Ball {
    from: DVec3,
    to: DVec3,
    radius: f64,
}

impl Ball {
    /// Nothing for what is no ball, or moves otherwise.
    pub fn of(s: &Sweep, tool: &Tool) -> Option<Ball> {
        let Track::Line { a, b } = s.track else { return None };
        let radius = tool.radius();
        (tool.kind == ToolKind::Ball && !s.level() && !s.upright() && tool.flute_length_mm > radius).then(|| Ball {
            from: a.extend(s.z0 + radius),
            to: b.extend(s.z1 + radius),
            radius,
        })
    }
    /// What moves above its middle.
    pub fn above(&self, s: &Sweep, tool: &Tool) -> (Sweep, Tool) {
        let r = self.radius;
        let flat = Tool { kind: ToolKind::Flat, flute_length_mm: tool.flute_length_mm - r, ..tool.clone() };
        (Sweep { track: s.track, z0: s.z0 + r, z1: s.z1 + r }, flat)
    }
    fn cut(&self, field: &mut Field, sum: &mut Sum) {
        let grid = field.grid;
        let (u, v) = grid.uv();
        let mut along = DVec3::ZERO;
        along[grid.axis] = 1.0;
        let (low, high) = (self.from.min(self.to) - self.radius, self.from.max(self.to) + self.radius);
        for j in grid.range(1, low[v], high[v]) {
            for i in grid.range(0, low[u], high[u]) {
                let index = j * grid.count[0] + i;
                let stands = field.rays[index].iter().any(|m| m.0 < high[grid.axis] && m.1 > low[grid.axis]);
                if stands && let Some((a, b)) = self.meets(grid.point(index, 0.0), along) {
                    take(field, (i, j), a, b, sum);
                }
            }
        }
    }
    /// Where a ray `o + e·t` (`e` of length 1) passes through.
    pub fn meets(&self, o: DVec3, e: DVec3) -> Option<(f64, f64)> {
        let mut out: Option<(f64, f64)> = None;
        let mut join = |a: f64, b: f64| {
            out = Some(out.map_or((a, b), |(p, q)| (p.at_most(a), q.at_least(b))));
        };
        for c in [self.from, self.to] {
            let d = o - c;
            let middle = -d.dot(e);
            let h2 = self.radius * self.radius - (d + e * middle).length_squared();
            if h2 > 0.0 {
                join(middle - h2.sqrt(), middle + h2.sqrt());
            }
        }
        // Between both ends: no further from the line than the radius.
        let (w, d) = (self.to - self.from, o - self.from);
        let all = w.length_squared();
        let (dw, ew) = (d.dot(w), e.dot(w));
        let (qa, qb) = (1.0 - ew * ew / all, d.dot(e) - dw * ew / all);
        let qc = d.length_squared() - dw * dw / all - self.radius * self.radius;
        let (mut a, mut b) = if qa < 1e-12 {
            if qc > 0.0 {
                return out;
            }
            (f64::NEG_INFINITY, f64::INFINITY)
        } else {
            let root = qb * qb - qa * qc;
            if root <= 0.0 {
                return out;
            }
            ((-qb - root.sqrt()) / qa, (-qb + root.sqrt()) / qa)
        };
        // 0 ≤ (dw + t·ew) ≤ all
        if ew.abs() < 1e-12 {
            if dw < 0.0 || dw > all {
                return out;
            }
        } else {
            let (p, q) = (-dw / ew, (all - dw) / ew);
            (a, b) = (a.at_least(p.at_most(q)), b.at_most(p.at_least(q)));
        }
        if a < b {
            join(a, b);
        }
        out
    }
}

/// Upper bounds of material per tile of columns, so that a holder far above the stock costs nothing.
pub(crate) struct Tops {
    tile: usize,
    count: [usize; 2],
    top: Vec<f64>,
}

impl Tops {
    const TILE: usize = 16;

    pub fn new(field: &Field) -> Tops {
        let count = [field.grid.count[0].div_ceil(Self::TILE), field.grid.count[1].div_ceil(Self::TILE)];
        let mut t = Tops { tile: Self::TILE, count, top: vec![f64::NEG_INFINITY; count[0] * count[1]] };
        for k in 0..t.top.len() {
            t.refresh(field, k);
        }
        t
    }

    fn refresh(&mut self, field: &Field, k: usize) {
        let (ti, tj) = (k % self.count[0], k / self.count[0]);
        let mut top = f64::NEG_INFINITY;
        for j in tj * self.tile..((tj + 1) * self.tile).min(field.grid.count[1]) {
            for i in ti * self.tile..((ti + 1) * self.tile).min(field.grid.count[0]) {
                if let Some(last) = field.rays[j * field.grid.count[0] + i].last() {
                    top = top.at_least(last.1);
                }
            }
        }
        self.top[k] = top;
    }

    /// Material of the columns within `radius` of the track that stands in the heights `from`..`to` above the cutter's lowest point.
    /// Returns the overlap's greatest height and a box around the material met.
    pub fn meets(&mut self, field: &Field, s: &Sweep, radius: f64, from: f64, to: f64) -> Option<(f64, Box3)> {
        let grid = field.grid;
        let low = s.z_min() + from;
        let (lo, hi) = s.bounds2();
        let (is, js) = (grid.range(0, lo.x - radius, hi.x + radius), grid.range(1, lo.y - radius, hi.y + radius));
        if is.is_empty() || js.is_empty() {
            return None;
        }
        let mut suspect = false;
        for tj in js.start / self.tile..=(js.end - 1) / self.tile {
            for ti in is.start / self.tile..=(is.end - 1) / self.tile {
                let k = tj * self.count[0] + ti;
                if self.top[k] > low {
                    self.refresh(field, k);
                    suspect |= self.top[k] > low;
                }
            }
        }
        if !suspect {
            return None;
        }
        let (mut worst, mut bounds) = (0.0_f64, Box3::EMPTY);
        for j in js {
            let y = grid.origin.y + j as f64 * grid.pitch;
            for (x0, x1) in s.spans(y, false, radius) {
                for i in grid.range(0, x0, x1) {
                    let index = j * grid.count[0] + i;
                    let Some(last) = field.rays[index].last() else { continue };
                    if last.1 <= low {
                        continue;
                    }
                    let q = DVec2::new(grid.origin.x + i as f64 * grid.pitch, y);
                    for (t0, t1) in s.covering(q, radius) {
                        let (za, zb) = (s.z(t0), s.z(t1));
                        let (a, b) = (za.at_most(zb) + from, za.at_least(zb) + to);
                        for &(m0, m1) in &field.rays[index] {
                            let (p, r) = (m0.at_least(a), m1.at_most(b));
                            if r > p {
                                worst = worst.at_least(r - p);
                                bounds = bounds.joined(&Box3::of([grid.point(index, p), grid.point(index, r)]));
                            }
                        }
                    }
                }
            }
        }
        (worst > 0.0).then_some((worst, bounds))
    }
}

/// Angle over which a milling cutter at `p`, moving along `dir`, meets material with its leading half, rad: the share of its rim,
/// a hair inside, over which some material stands between its lowest point and the end of its flutes.
pub(crate) fn engagement(field: &Field, p: DVec2, dir: DVec2, z: f64, tool: &Tool) -> f64 {
    const RIM: usize = 90;
    let grid = field.grid;
    let r = tool.radius() - (0.7 * grid.pitch).at_most(0.2 * tool.radius());
    // Where it is widest: all the length of its teeth, of a dovetail cutter its end.
    let (lo, hi) = (z + tool.point_height() + 0.02, z + tool.top_at(r).at_least(0.05));
    let mut met = 0;
    for k in 0..RIM {
        let a = (k as f64 + 0.5) / RIM as f64 * std::f64::consts::PI - std::f64::consts::FRAC_PI_2;
        let q = p + dir.rotate(DVec2::from_angle(a)) * r;
        let i = ((q.x - grid.origin.x) / grid.pitch).round();
        let j = ((q.y - grid.origin.y) / grid.pitch).round();
        if i < 0.0 || j < 0.0 || i >= grid.count[0] as f64 || j >= grid.count[1] as f64 {
            continue;
        }
        let ray = &field.rays[j as usize * grid.count[0] + i as usize];
        met += usize::from(ray.iter().any(|m| m.0 < hi && m.1 > lo));
    }
    met as f64 / RIM as f64 * std::f64::consts::PI
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dexel::Stock;

    fn ball(d: f64) -> Tool {
        let flat = shop::Shop::demo().unwrap().crib.into_iter().find(|t| t.kind == ToolKind::Flat).unwrap();
        Tool { kind: ToolKind::Ball, diameter_mm: d, flute_length_mm: 3.0 * d, ..flat }
    }

    /// Straight slopes of a ball, in one closed form and in thin slices: the same along rays of all three axes, and as much volume.
    #[test]
    fn a_ball_on_a_slope_is_what_its_slices_are() {
        let mut rng = fastrand::Rng::with_seed(8);
        let mut rnd = |a: f64, b: f64| a + (b - a) * rng.f64();
        let block = Box3 { min: DVec3::ZERO, max: DVec3::new(30.0, 24.0, 12.0) };
        for _ in 0..12 {
            let tool = ball(rnd(2.0, 8.0));
            let at = |x: f64, y: f64, z: f64| DVec3::new(x, y, z);
            let (from, to) = (
                at(rnd(2.0, 28.0), rnd(2.0, 22.0), rnd(2.0, 11.0)),
                at(rnd(2.0, 28.0), rnd(2.0, 22.0), rnd(2.0, 11.0)),
            );
            let s = Sweep::new(from, to, &program::Shape::Line);
            let mut stock = Stock::block(&block, [0.3; 3]);
            let mut slow = Stock::block(&block, [0.3; 3]);
            for k in 0..3 {
                let closed = cut(&mut stock.fields[k], &s, &tool);
                let mut sum = Sum::nothing();
                for p in pieces(&s, &tool) {
                    match slow.fields[k].grid.axis {
                        2 => cut_along(&mut slow.fields[k], &p, &tool, &mut sum),
                        axis => cut_across(&mut slow.fields[k], axis, &p, &tool, &mut sum),
                    }
                }
                let volume = sum.length * slow.fields[k].grid.pitch.powi(2);
                assert!((closed.volume - volume).abs() < 0.004 * volume + 0.02, "axis {k}: {} {volume}", closed.volume);
                for (a, b) in stock.fields[k].rays.iter().zip(&slow.fields[k].rays) {
                    let length = |r: &[(f64, f64)]| r.iter().map(|m| m.1 - m.0).sum::<f64>();
                    // Of slices the lower side stands out by half their height, over its slope.
                    assert!((length(a) - length(b)).abs() < 0.25, "axis {k}: {a:?} {b:?}");
                }
            }
        }
    }
}
