//! Under an overhang: a head on a neck is led along lines at even distances from where it may not go, from the open inwards, and never rises but where it came in.

use crate::motion::Move;
use crate::profile::arc_feed;
use crate::rough::join;
use crate::{Feeds, Mover};
use geom::{DVec2, FitSettings, Path2, Region, Seg, Slabs, Ways, fit_arcs};
use reason::Sure;

/// One height.
#[derive(Debug, Clone)]
pub struct Under {
    /// Of the cutter's end, mm.
    pub z: f64,
    /// Where its axis may be.
    pub centres: Region,
    /// Where nothing stands above it, neither part nor stock: it comes and goes there.
    pub open: Region,
    /// What its head would meet.
    pub material: Region,
}

/// What is done under overhangs.
#[derive(Debug, Clone)]
pub struct Undercutting {
    /// From the first to the last.
    pub levels: Vec<Under>,
    /// Of the head, mm.
    pub radius: f64,
    /// Between two lines, mm.
    pub step: f64,
    /// What the last but one leaves on the walls, mm.
    pub skin: f64,
    /// Fit of arcs, mm.
    pub tolerance: f64,
}

/// Regions keep to their curves within this, mm.
const TOL: f64 = 0.003;
/// A line is begun and left so far away from what it cuts, mm.
const CLEAR: f64 = 0.4;
/// What is asked on a border is asked so far inside, mm.
const HAIR: f64 = 0.002;
/// A line is followed where its head bites more than this, mm.
const BITES: f64 = 0.03;
/// Less than this is not worth a line, mm².
const NOTHING: f64 = 2e-3;
/// Ways keep this far inside what is free, mm.
const MARGIN: f64 = 0.02;
/// A closed line goes on so far over its beginning, mm.
const OVER: f64 = 1.0;

/// A line of one level: where the axis runs, and whether it closes.
struct Line {
    points: Vec<DVec2>,
    closed: bool,
}

fn length(l: &[DVec2]) -> f64 {
    l.windows(2).map(|p| p[0].distance(p[1])).sum()
}

impl Undercutting {
    /// Distances of lines from where the axis may not go, mm, the farthest first.
    fn depths(&self, centres: &Region) -> Vec<f64> {
        let deepest = centres.deepest(0.01).map_or(0.0, |d| d.1);
        let mut out = vec![0.0];
        let mut d = self.skin;
        while d < deepest {
            out.push(d);
            d += self.step;
        }
        out.reverse();
        out
    }
    /// Along the border of `ring` where the head meets something; climb.
    fn lines(&self, ring: &Region, material: &Region) -> Vec<Line> {
        // Where it only touches, round the corners of an opening, there is nothing to follow.
        let near = material.grown(self.radius - BITES, TOL);
        let mut out = Vec::new();
        for mut l in ring.loops() {
            l.push(l[0]);
            let whole = length(&l);
            let pieces = near.clip_lines(&[l.clone()], true);
            if pieces.iter().map(|p| length(p)).sum::<f64>() > whole - 1e-3 {
                out.push(Line { points: l, closed: true });
            } else {
                let pieces = join(pieces).into_iter().filter(|p| length(p) > 0.05);
                out.extend(pieces.map(|p| Line { points: self.run_in(p, ring), closed: false }));
            }
        }
        out
    }
    /// A line that begins and ends straight, well clear of what it cuts, where there is room.
    fn run_in(&self, mut line: Vec<DVec2>, ring: &Region) -> Vec<DVec2> {
        let far = 0.6 * self.radius + CLEAR;
        // The line is the ring's own border, on whose left the ring lies: asked a hair inside.
        let beyond = |p: DVec2, from: DVec2, left: f64| {
            let dir = (p - from).normalize_or_zero();
            let hair = dir.perp() * (left * HAIR);
            let inside = |q: DVec2| ring.contains_segment(p + dir * HAIR + hair, q + hair);
            [far, 0.5 * far, CLEAR].into_iter().map(|l| p + dir * l).find(|q| inside(*q))
        };
        let n = line.len();
        let (first, last) = (beyond(line[0], line[1], -1.0), beyond(line[n - 1], line[n - 2], 1.0));
        line.splice(0..0, first);
        line.extend(last);
        line
    }
    /// All of it.
    pub fn moves(&self, feeds: Feeds, clear_z: f64, stock: &Slabs) -> Cut {
        let mut m = Mover::new(clear_z, self.radius, feeds, stock);
        let (mut left, mut engagement) = (0.0, 0.0);
        for level in &self.levels {
            let mut run = Run { of: self, level, material: level.material.clone(), feeds, engagement: 0.0 };
            for d in self.depths(&level.centres) {
                let ring = if d > 0.0 { level.centres.shrunk(d, TOL) } else { level.centres.clone() };
                let mut todo = self.lines(&ring, &run.material);
                while !todo.is_empty() {
                    let here = m.at().map_or(DVec2::ZERO, |p| p.truncate());
                    let near = |l: &Line| l.points[0].distance(here);
                    let k = (0..todo.len()).min_by(|&a, &b| near(&todo[a]).total_cmp(&near(&todo[b]))).unwrap_or(0);
                    let line = todo.swap_remove(k);
                    run.along(&mut m, line);
                }
            }
            run.out(&mut m);
            // What it could have met and did not.
            let reach = level.centres.grown(self.radius - 0.02, TOL);
            left += run.material.intersect(&reach).shrunk(0.02, TOL).area();
            engagement = run.engagement.at_least(engagement);
        }
        Cut { moves: m.finish(), left, engagement }
    }
}

/// What came out.
#[derive(Debug, Clone)]
pub struct Cut {
    /// In order.
    pub moves: Vec<Move>,
    /// What the head would have met and no way leads to, mm² over all levels.
    pub left: f64,
    /// The most of the rim that is in material at once, rad.
    pub engagement: f64,
}

/// A level at work.
struct Run<'a> {
    of: &'a Undercutting,
    level: &'a Under,
    /// What its head would still meet.
    material: Region,
    feeds: Feeds,
    /// The most of the rim that was in it, rad.
    engagement: f64,
}

impl Run<'_> {
    /// Where the axis may go without meeting anything.
    fn cleared(&self) -> Region {
        self.level.centres.minus(&self.material.grown(self.of.radius - 0.01, TOL))
    }
    /// Is it down at this level?
    fn is_in(&self, m: &Mover) -> bool {
        m.at().is_some_and(|p| (p.z - self.level.z).abs() < 1e-6)
    }
    /// From where it stands, or from above, to a place at this level over cleared ground; the last bit is fed.
    fn go(&self, m: &mut Mover, to: DVec2) -> bool {
        let z = self.level.z;
        let ways = Ways::within(&self.cleared(), MARGIN);
        let Some(end) = ways.nearest(to).filter(|e| e.distance(to) < self.of.radius + CLEAR) else { return false };
        if self.is_in(m)
            && let Some(at) = m.at().map(|p| p.truncate())
            && let Some(begin) = ways.nearest(at).filter(|b| b.distance(at) < 0.5)
            && let Some(way) = ways.shortest(begin, end)
        {
            m.feed(begin.extend(z), self.feeds.cut);
            way.into_iter().for_each(|p| m.feed(p.extend(z), self.feeds.link));
        } else {
            self.out(m);
            if self.is_in(m) {
                return false;
            }
            let open = self.level.open.shrunk(MARGIN, TOL);
            let Some(begin) = (if open.contains(end) { Some(end) } else { open.nearest_on_border(end) }) else {
                return false;
            };
            let Some((from, way)) = ways.nearest(begin).and_then(|b| Some((b, ways.shortest(b, end)?))) else {
                return false;
            };
            m.enter(begin, z, None);
            m.feed(from.extend(z), self.feeds.link);
            way.into_iter().for_each(|p| m.feed(p.extend(z), self.feeds.link));
        }
        m.feed(to.extend(z), self.feeds.cut * 0.5);
        true
    }
    /// Out to where nothing stands above, and up.
    fn out(&self, m: &mut Mover) {
        if !self.is_in(m) {
            return;
        }
        let Some(at) = m.at().map(|p| p.truncate()) else { return };
        let z = self.level.z;
        let open = self.level.open.shrunk(MARGIN, TOL);
        if !open.contains(at) {
            let ways = Ways::within(&self.cleared(), MARGIN);
            let way = (|| {
                let begin = ways.nearest(at).filter(|b| b.distance(at) < 0.5)?;
                let end = ways.nearest(open.nearest_on_border(begin)?)?;
                let end = if open.contains(end) { end } else { open.nearest_on_border(end)? };
                let inside = ways.nearest(end)?;
                let mut way = vec![begin];
                way.extend(ways.shortest(begin, inside)?);
                way.push(end);
                Some(way)
            })();
            let Some(way) = way else { return };
            m.feed(way[0].extend(z), self.feeds.cut);
            way[1..].iter().for_each(|p| m.feed(p.extend(z), self.feeds.link));
        }
        m.retract();
    }
    /// One line, and what its head sweeps is gone.
    fn along(&mut self, m: &mut Mover, line: Line) {
        let mut points = line.points;
        let swept = |points: &[DVec2]| Region::swept(points, self.of.radius - 0.002, TOL);
        if self.material.intersect(&swept(&points)).without_specks(NOTHING).is_empty() {
            return;
        }
        if line.closed {
            self.turn(&mut points);
        }
        if !self.go(m, points[0]) {
            return;
        }
        let fit = FitSettings { tolerance_mm: self.of.tolerance, ..Default::default() };
        // Open to the fit even where it closes: it begins where it was entered.
        self.follow(m, &fit_arcs(&points, false, &fit));
        if line.closed {
            // A little over its beginning, so that the way in leaves no step.
            let mut more = vec![points[0]];
            let mut far = 0.0;
            for w in points.windows(2) {
                let l = w[0].distance(w[1]);
                let share = if l > 0.0 { ((OVER - far) / l).at_most(1.0) } else { 0.0 };
                more.push(w[0].lerp(w[1], share));
                far += l;
                if far >= OVER {
                    break;
                }
            }
            self.follow(m, &fit_arcs(&more, false, &fit));
        }
        self.engagement = self.met(&points).at_least(self.engagement);
        self.material = self.material.minus(&Region::swept(&points, self.of.radius + 0.001, TOL));
    }
    /// The most of the leading half of the rim that is in material along a line, rad.
    fn met(&self, points: &[DVec2]) -> f64 {
        const RIM: usize = 48;
        const APART: f64 = 0.7;
        let mut most = 0;
        // What a place of the line has behind it is gone.
        let mut last: Option<DVec2> = None;
        for w in points.windows(2) {
            let dir = (w[1] - w[0]).normalize_or_zero();
            let n = (w[0].distance(w[1]) / APART).ceil().at_least(1.0) as usize;
            for k in 1..=n {
                let p = w[0].lerp(w[1], k as f64 / n as f64);
                if last.is_some_and(|l| l.distance(p) < 0.5 * APART) {
                    continue;
                }
                last = Some(p);
                let angle =
                    |k: usize| (k as f64 + 0.5) / RIM as f64 * std::f64::consts::PI - std::f64::consts::FRAC_PI_2;
                let rim = |k: usize| p + dir.rotate(DVec2::from_angle(angle(k))) * (self.of.radius - 0.01);
                most = (0..RIM).filter(|&k| self.material.contains(rim(k))).count().max(most);
            }
        }
        most as f64 / RIM as f64 * std::f64::consts::PI
    }
    /// A closed line begins where the way in from what is cleared is shortest.
    fn turn(&self, points: &mut Vec<DVec2>) {
        points.pop();
        let cleared = self.cleared();
        let far = |p: &DVec2| {
            if cleared.contains(*p) {
                0.0
            } else {
                cleared.nearest_on_border(*p).map_or(f64::INFINITY, |q| q.distance(*p))
            }
        };
        let k = (0..points.len()).min_by(|&a, &b| far(&points[a]).total_cmp(&far(&points[b]))).unwrap_or(0);
        points.rotate_left(k);
        points.push(points[0]);
    }
    /// Arcs inside at the feed that keeps the chip.
    fn follow(&self, m: &mut Mover, path: &Path2) {
        let z = self.level.z;
        let mut at = path.start;
        for s in &path.segs {
            match *s {
                Seg::Line { to } => m.feed(to.extend(z), self.feeds.cut),
                Seg::Arc { to, center, ccw } => {
                    let r = self.of.radius;
                    let share = arc_feed(self.of.step.at_most(r), at.distance(center), 2.0 * r, ccw).at_most(1.0);
                    m.arc(to.extend(z), center, ccw, self.feeds.cut * share);
                }
            }
            at = s.to();
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn rect(x0: f64, y0: f64, x1: f64, y1: f64) -> Region {
        Region::rect(DVec2::new(x0, y0), DVec2::new(x1, y1))
    }

    /// A head of radius 6 in a slot along x from 0 to 50, whose neck is 8 wide; wings of 2.8 to both sides.
    fn slot(open: Region) -> Undercutting {
        let centres = rect(-9.0, -0.8, 59.0, 0.8);
        let material = Region::union_all(&[rect(0.0, 4.0, 50.0, 6.8), rect(0.0, -6.8, 50.0, -4.0)]);
        let level = |z| Under { z, centres: centres.clone(), open: open.clone(), material: material.clone() };
        Undercutting { levels: vec![level(3.0), level(5.0)], radius: 6.0, step: 3.0, skin: 0.2, tolerance: 0.003 }
    }

    fn cut(u: &Undercutting) -> Cut {
        let feeds = Feeds { cut: 300.0, plunge: 100.0, link: 2000.0, brush: 300.0 };
        u.moves(feeds, 20.0, &Slabs::prism(rect(0.0, -20.0, 50.0, 20.0), 0.0, 10.0))
    }

    /// At depth it stays where the axis may be; it comes down and goes up only where nothing stands above; all is cut, whether both ends are open or one.
    #[test]
    fn a_head_rises_only_where_it_is_open() {
        let ends = [rect(-9.0, -0.8, -6.3, 0.8), rect(56.3, -0.8, 59.0, 0.8)];
        for open in [Region::union_all(&ends), ends[0].clone(), ends[1].clone()] {
            let u = slot(open.clone());
            let out = cut(&u);
            let may = u.levels[0].centres.grown(0.004, 0.001);
            let mut at = DVec2::ZERO;
            let mut z = 20.0;
            for m in &out.moves {
                let to = match m {
                    Move::Rapid { to } | Move::Feed { to, .. } | Move::Arc { to, .. } => *to,
                    _ => continue,
                };
                if (to.z - z).abs() > 1e-9 {
                    assert!(
                        to.truncate().distance(at) < 1e-9 && open.grown(0.01, 0.001).contains(at),
                        "{at} {z} → {to}"
                    );
                } else if z < 10.0 {
                    assert!(may.contains_segment(at, to.truncate()), "{at} → {to}");
                }
                (at, z) = (to.truncate(), to.z);
            }
            assert!(z == 20.0 && out.left < 0.05, "{}", out.left);
            // Wings of 2.8 on both sides at most: each side less than acos(1 − 2.8/6) = 57.8°.
            assert!((50.0..116.0).contains(&out.engagement.to_degrees()), "{}", out.engagement.to_degrees());
        }
    }

    /// Nowhere to come down: nothing is cut, and it says how much is left.
    #[test]
    fn a_slot_without_an_opening_is_left() {
        let out = cut(&slot(Region::empty()));
        assert!(out.moves.is_empty() && out.left > 400.0, "{}", out.left);
    }
}
