//! Finishing faces that are neither walls nor floors with a ball-ended cutter: rows over what is shallow, lines of one height round what is steep, so close
//! that the ridges between them stay below a stated height.
//!
//! All is taken from where the cutter rests on the part ([`Ground`]); points of a path lie on that exactly, and between them it is looked at again until the
//! chord keeps to it. A ridge between two paths `s` apart along the surface is s²/8r high (Choi, Jerard, "Sculptured Surface Machining", 1998, from memory).

use crate::ground::{Ground, Rest};
use crate::motion::Move;
use crate::mover::{Feeds, Mover};
use geom::{DVec2, DVec3, FitSettings, Path2, Seg, Slabs, fit_arcs};
use rayon::prelude::*;
use reason::Sure;
use std::collections::HashMap;

/// Rows where the part's normal is at least so upright, lines of one height where it is at most so: between, both (49° to 45°).
const SHALLOW: f64 = 0.66;
const STEEP: f64 = 0.71;
/// Samples along a row, mm.
const SAMPLE: f64 = 0.25;
/// Below the floor that is allowed a cutter may want to go by this share of its radius; it goes along the floor then.
const ALONG_FLOOR: f64 = 0.6;
/// What a larger ball left counts from here on, mm.
const LEFT: f64 = 0.004;
/// Ways from one path to the next stay on the surface if they are no longer than this times the distance of paths.
const STAYS: f64 = 6.0;

/// What is to be finished.
pub struct Finish<'a> {
    /// The part, with the faces that are wanted.
    pub ground: &'a Ground<'a>,
    /// Of the ball, mm.
    pub radius: f64,
    /// Height of the ridges, mm.
    pub scallop: f64,
    /// Where the cutter's axis may have to be.
    pub low: DVec2,
    /// See `low`.
    pub high: DVec2,
    /// The tip goes no lower.
    pub floor: f64,
    /// Heights at which lines are wanted besides: where a face ends on a floor.
    pub feet: &'a [f64],
    /// Only what a larger ball of this radius has left, mm.
    pub after: Option<f64>,
    /// May the tip be there?
    pub may: &'a (dyn Fn(DVec3) -> bool + Sync),
    /// Chords keep to the surface within this, mm.
    pub tolerance: f64,
}

/// Paths of the tip, each a polyline.
#[derive(Debug, Default)]
pub struct Lines {
    /// Over what is shallow, in order.
    pub rows: Vec<Vec<DVec3>>,
    /// Round what is steep, from the top down, the part on the right, with all their points; closed ones repeat their first one.
    pub levels: Vec<Vec<DVec3>>,
}

impl Lines {
    /// Length of all, mm.
    pub fn length(&self) -> f64 {
        self.rows.iter().chain(&self.levels).flat_map(|l| l.windows(2)).map(|p| p[0].distance(p[1])).sum()
    }
}

/// Distance along a surface at which ridges of a height stay, mm.
pub fn spacing(radius: f64, scallop: f64) -> f64 {
    2.0 * (2.0 * radius * scallop - scallop * scallop).at_least(0.0).sqrt()
}

struct At {
    tip: f64,
    normal: DVec3,
}

impl Finish<'_> {
    fn rest(&self, p: DVec2) -> Option<Rest> {
        let mut r = self.ground.rest(p, self.radius)?;
        if r.wanted
            && let Some(large) = self.after
        {
            // Would the larger one have touched here? Then it is done.
            let centre = r.touches + r.normal * large;
            let lifted = self.ground.rest(centre.truncate(), large).map_or(0.0, |l| l.tip + large - centre.z);
            r.wanted = lifted > LEFT;
        }
        let below = self.floor - r.tip;
        Some(if below > 0.0 {
            Rest { tip: self.floor, wanted: r.wanted && below < ALONG_FLOOR * self.radius, ..r }
        } else {
            r
        })
    }
    /// The cutter rests on what is wanted, and may.
    fn at(&self, p: DVec2) -> Option<At> {
        if !self.ground.near_wanted(p, self.radius) {
            return None;
        }
        self.rest(p).filter(|r| r.wanted && (self.may)(p.extend(r.tip))).map(|r| At { tip: r.tip, normal: r.normal })
    }

    /// All paths; of rows along x and along y the shorter.
    pub fn lines(&self) -> Lines {
        let levels = self.levels();
        let (a, b) = rayon::join(|| self.rows(false), || self.rows(true));
        let length =
            |rows: &[Vec<DVec3>]| -> f64 { rows.iter().flat_map(|l| l.windows(2)).map(|p| p[0].distance(p[1])).sum() };
        let rows = if length(&b) < length(&a) { b } else { a };
        Lines { rows, levels }
    }

    fn rows(&self, along_y: bool) -> Vec<Vec<DVec3>> {
        let (k, m) = if along_y { (1, 0) } else { (0, 1) };
        let put = |u: f64, v: f64| if along_y { DVec2::new(v, u) } else { DVec2::new(u, v) };
        let shallow = |p: DVec2| self.at(p).filter(|a| a.normal.z >= SHALLOW);
        let s = spacing(self.radius, self.scallop);
        let (from, to) = (self.low[k], self.high[k]);
        let n = ((to - from) / SAMPLE).ceil().at_least(1.0) as usize;
        let mut out = Vec::new();
        let mut v = self.low[m] + 0.02;
        while v < self.high[m] {
            let samples: Vec<Option<At>> =
                (0..=n).into_par_iter().map(|i| shallow(put(from + (to - from) * i as f64 / n as f64, v))).collect();
            // Across the row the surface falls: the next row lies so much closer.
            let leans = |a: &At| a.normal.z / a.normal.z.hypot(a.normal[m]);
            let closer = samples.iter().flatten().map(leans).fold(1.0, Sure::at_most);
            let place = |i: usize| put(from + (to - from) * i as f64 / n as f64, v);
            let mut i = 0;
            while i <= n {
                if samples[i].is_none() {
                    i += 1;
                    continue;
                }
                let first = i;
                while i < n && samples[i + 1].is_some() {
                    i += 1;
                }
                let mut line: Vec<DVec3> = Vec::new();
                if first > 0 {
                    line.extend(self.end_of(&shallow, place(first), place(first - 1)));
                }
                line.extend((first..=i).filter_map(|k| samples[k].as_ref().map(|a| place(k).extend(a.tip))));
                if i < n {
                    line.extend(self.end_of(&shallow, place(i), place(i + 1)));
                }
                let line = self.refined(line);
                if line.len() > 1 {
                    out.push(line);
                }
                i += 1;
            }
            v += s * closer.at_least(SHALLOW);
        }
        out
    }

    /// The last place from `good` towards `bad` where it still rests on what is wanted.
    fn end_of(&self, is: &impl Fn(DVec2) -> Option<At>, good: DVec2, bad: DVec2) -> Option<DVec3> {
        let (mut a, mut b, mut last) = (0.0, 1.0, None);
        for _ in 0..9 {
            let m = f64::midpoint(a, b);
            let p = good.lerp(bad, m);
            match is(p) {
                Some(at) => (a, last) = (m, Some(p.extend(at.tip))),
                None => b = m,
            }
        }
        last
    }

    /// With points between where the chord leaves the surface, and without those that it does not need.
    fn refined(&self, line: Vec<DVec3>) -> Vec<DVec3> {
        let mut out: Vec<DVec3> = line.first().copied().into_iter().collect();
        for w in line.windows(2) {
            self.between(w[0], w[1], 6, &mut out);
            out.push(w[1]);
        }
        out.dedup_by(|a, b| a.distance(*b) < 1e-6);
        thinned(&out, self.tolerance * 0.7)
    }

    fn between(&self, a: DVec3, b: DVec3, depth: u32, out: &mut Vec<DVec3>) {
        let m = a.lerp(b, 0.5);
        let Some(r) = self.rest(m.truncate()).filter(|_| depth > 0) else { return };
        if (r.tip - m.z).abs() > self.tolerance * 0.3 {
            let m = m.with_z(r.tip);
            self.between(a, m, depth - 1, out);
            out.push(m);
            self.between(m, b, depth - 1, out);
        }
    }

    fn levels(&self) -> Vec<Vec<DVec3>> {
        let s = spacing(self.radius, self.scallop);
        let g = s.clamp(0.15, 0.4);
        let size = self.high - self.low;
        let count = [size.x, size.y].map(|l| (l / g).ceil().at_least(1.0) as usize + 1);
        let node = |i: usize, j: usize| self.low + DVec2::new(i as f64, j as f64) * g;
        // Lines lie in cells of which a corner rests on what is wanted: nobody asks what is farther away.
        let asked = |p: &DVec2| self.ground.near_wanted(*p, self.radius + 2.0 * g);
        let rests: Vec<Option<Rest>> = (0..count[0] * count[1])
            .into_par_iter()
            .map(|k| Some(node(k % count[0], k / count[0])).filter(asked).and_then(|p| self.rest(p)))
            .collect();
        let steep = |r: &Rest| r.wanted && r.normal.z <= STEEP;
        let all: Vec<&Rest> = rests.iter().flatten().filter(|r| steep(r)).collect();
        let Some(top) = all.iter().map(|r| r.tip).reduce(Sure::at_least) else { return Vec::new() };
        let low = all.iter().map(|r| r.tip).fold(top, Sure::at_most);
        let mut heights = Vec::new();
        let mut z = top - 0.02;
        while z > low {
            heights.push(z);
            // So much lower is one distance of paths along the flattest that is steep there.
            let here = all.iter().filter(|r| r.tip <= z + 0.1 && r.tip >= z - s);
            let sine = here.map(|r| (1.0 - r.normal.z * r.normal.z).at_least(0.0).sqrt()).fold(1.0, Sure::at_most);
            z -= s * sine.at_least(0.7);
        }
        heights.push(low + 1e-3);
        heights.extend(self.feet.iter().map(|f| f + 2e-3).filter(|f| *f < top && *f > low - s));
        heights.sort_by(|a, b| b.total_cmp(a));
        heights.dedup_by(|a, b| (*a - *b).abs() < 0.02 * s);
        let at = |z: f64| self.level(z, count, &node, &rests);
        heights.into_par_iter().map(at).collect::<Vec<_>>().concat()
    }

    /// The lines of one height: where the surface on which the tip rests passes through it.
    fn level(
        &self,
        z: f64,
        count: [usize; 2],
        node: &impl Fn(usize, usize) -> DVec2,
        rests: &[Option<Rest>],
    ) -> Vec<Vec<DVec3>> {
        let rest = |i: usize, j: usize| rests[j * count[0] + i].as_ref();
        let above = |i: usize, j: usize| rest(i, j).is_some_and(|r| r.tip > z);
        // A crossing on an edge of the grid, with whether it lies on what is wanted; each is found once.
        let mut crossings: HashMap<(usize, usize, bool), (DVec2, bool)> = HashMap::new();
        let mut next: HashMap<(usize, usize, bool), (usize, usize, bool)> = HashMap::new();
        for j in 0..count[1] - 1 {
            for i in 0..count[0] - 1 {
                let corners = [(i, j), (i + 1, j), (i + 1, j + 1), (i, j + 1)];
                let high = corners.map(|(a, b)| above(a, b));
                if high == [high[0]; 4] || !corners.iter().any(|(a, b)| rest(*a, *b).is_some_and(|r| r.wanted)) {
                    continue;
                }
                let edges = [(i, j, false), (i + 1, j, true), (i, j + 1, false), (i, j, true)];
                for k in 0..4 {
                    // From where it rises, counter-clockwise, to where it falls next: what is high lies on the right.
                    if high[k] || !high[(k + 1) % 4] {
                        continue;
                    }
                    let falls = (1..4).map(|d| (k + d) % 4).find(|&f| high[f] && !high[(f + 1) % 4]);
                    let Some(f) = falls else { continue };
                    for e in [k, f] {
                        let (a, b) = (corners[e], corners[(e + 1) % 4]);
                        crossings.entry(edges[e]).or_insert_with(|| {
                            let (up, down) = if above(a.0, a.1) { (a, b) } else { (b, a) };
                            self.crossing(node(up.0, up.1), node(down.0, down.1), z)
                        });
                    }
                    next.insert(edges[k], edges[f]);
                }
            }
        }
        // A piece stays if one of its ends lies on what is wanted.
        next.retain(|a, b| crossings[a].1 || crossings[b].1);
        let ends: std::collections::HashSet<_> = next.values().copied().collect();
        let mut starts: Vec<_> = next.keys().copied().filter(|k| !ends.contains(k)).collect();
        let mut rings: Vec<_> = next.keys().copied().collect();
        starts.sort_unstable();
        rings.sort_unstable();
        let mut out = Vec::new();
        for s in starts.into_iter().chain(rings) {
            let mut line = Vec::new();
            let mut at = s;
            while let Some(to) = next.remove(&at) {
                if line.is_empty() {
                    line.push(crossings[&at].0);
                }
                line.push(crossings[&to].0);
                at = to;
            }
            line.dedup_by(|a, b| a.distance(*b) < 1e-6);
            if line.len() > 1 && line.windows(2).map(|p| p[0].distance(p[1])).sum::<f64>() > 0.05 {
                out.push(self.level_refined(&line, z));
            }
        }
        out
    }

    /// Where a height is passed between a place above it and one below it.
    fn crossing(&self, up: DVec2, down: DVec2, z: f64) -> (DVec2, bool) {
        let (mut a, mut b) = (0.0, 1.0);
        let mut found = None;
        for _ in 0..24 {
            let m = f64::midpoint(a, b);
            let r = self.rest(up.lerp(down, m));
            match r {
                Some(r) if r.tip > z => a = m,
                r => {
                    b = m;
                    found = r;
                }
            }
            if (b - a) * up.distance(down) < 2e-4 {
                break;
            }
        }
        // The lower side: never into the part.
        let p = up.lerp(down, b);
        let on = found.filter(|r| r.wanted && r.normal.z <= STEEP && z - r.tip < 0.1 * self.radius);
        (p, on.is_some() && (self.may)(p.extend(z)))
    }

    fn level_refined(&self, line: &[DVec2], z: f64) -> Vec<DVec3> {
        fn between(f: &Finish, a: DVec2, b: DVec2, z: f64, depth: u32, out: &mut Vec<DVec3>) {
            let mut m = a.midpoint(b);
            let start = m;
            for _ in 0..3 {
                let Some(r) = f.rest(m) else { return };
                let flat = r.normal.truncate();
                // Only where it is wanted is the surface what its contact says.
                if !r.wanted || flat.length() < 0.3 {
                    return;
                }
                let off = (r.tip - z) * r.normal.z / flat.length();
                if off.abs() > a.distance(b) {
                    return;
                }
                m += flat.normalize() * off;
                if off.abs() < 0.1 * f.tolerance {
                    break;
                }
            }
            if depth > 0 && m.distance(start) > 0.3 * f.tolerance {
                between(f, a, m, z, depth - 1, out);
                out.push(m.extend(z));
                between(f, m, b, z, depth - 1, out);
            }
        }
        let mut out: Vec<DVec3> = line.first().map(|p| p.extend(z)).into_iter().collect();
        for w in line.windows(2) {
            between(self, w[0], w[1], z, 5, &mut out);
            out.push(w[1].extend(z));
        }
        out
    }

    /// From one place to another on the surface, if that is allowed all the way.
    fn way(&self, a: DVec3, b: DVec3) -> Option<Vec<DVec3>> {
        let (p, q) = (a.truncate(), b.truncate());
        let n = (p.distance(q) / (0.6 * SAMPLE)).ceil().at_least(1.0) as usize;
        let mut out = vec![a];
        for k in 1..n {
            let m = p.lerp(q, k as f64 / n as f64);
            let tip = self.rest(m).map_or(self.floor, |r| r.tip);
            // Not down into what lies between.
            let m = m.extend(tip.at_least(a.z.at_most(b.z)));
            if !(self.may)(m) || m.z > a.z.at_least(b.z) + self.radius {
                return None;
            }
            out.push(m);
        }
        out.push(b);
        Some(self.refined_up(out))
    }

    /// With points between wherever the chord would go below the surface.
    fn refined_up(&self, line: Vec<DVec3>) -> Vec<DVec3> {
        fn between(f: &Finish, a: DVec3, b: DVec3, depth: u32, out: &mut Vec<DVec3>) {
            let m = a.lerp(b, 0.5);
            let Some(r) = f.rest(m.truncate()).filter(|r| depth > 0 && r.tip > m.z + 0.3 * f.tolerance) else { return };
            let m = m.with_z(r.tip);
            between(f, a, m, depth - 1, out);
            out.push(m);
            between(f, m, b, depth - 1, out);
        }
        let mut out: Vec<DVec3> = line.first().copied().into_iter().collect();
        for w in line.windows(2) {
            between(self, w[0], w[1], 6, &mut out);
            out.push(w[1]);
        }
        thinned(&out, self.tolerance * 0.5)
    }

    /// The moves of all lines: what is steep first, from the top down, then rows to and fro. Where the next begins close by, the cutter stays on the surface.
    pub fn moves(&self, lines: &Lines, feeds: Feeds, clear_z: f64, stock: &Slabs) -> Vec<Move> {
        let mut m = Mover::new(clear_z, self.radius, feeds, stock);
        let reach = STAYS * spacing(self.radius, self.scallop);
        let mut left: Vec<Vec<DVec3>> = lines.levels.clone();
        while !left.is_empty() {
            // Down where it stands, as long as something begins there; else the highest.
            let here = m.at();
            let closed = |l: &[DVec3]| l[0].distance(l[l.len() - 1]) < 1e-6;
            let begins = |l: &[DVec3], p: DVec3| {
                let far = |k: usize| l[k].distance(p);
                if closed(l) {
                    (0..l.len() - 1).map(|k| (far(k), k)).min_by(|a, b| a.0.total_cmp(&b.0)).unwrap_or((far(0), 0))
                } else {
                    (far(0), 0)
                }
            };
            let next = here.and_then(|p| {
                let all = left.iter().enumerate().map(|(k, l)| (k, begins(l, p)));
                let near = all.filter(|(k, (d, _))| *d <= reach && left[*k][0].z <= p.z + 1e-6);
                near.max_by(|a, b| left[a.0][0].z.total_cmp(&left[b.0][0].z).then(b.1.0.total_cmp(&a.1.0)))
            });
            let (k, at) = next.map_or((0, 0), |(k, (_, at))| (k, at));
            let mut line = left.remove(k);
            if at > 0 {
                line.pop();
                line.rotate_left(at);
                line.push(line[0]);
            }
            self.go(&mut m, line[0], reach);
            along(&mut m, &line, feeds.cut, self.tolerance);
        }
        let mut left: Vec<Vec<DVec3>> = lines.rows.clone();
        while !left.is_empty() {
            let begins = |l: &[DVec3], p: DVec3| l[0].distance(p).at_most(l[l.len() - 1].distance(p));
            // The nearest of those that come next; the first where nothing is near.
            let near = m.at().and_then(|p| {
                let d = left.iter().take(64).enumerate().map(|(k, l)| (k, begins(l, p)));
                d.filter(|d| d.1 <= reach).min_by(|a, b| a.1.total_cmp(&b.1))
            });
            let mut line = left.remove(near.map_or(0, |n| n.0));
            if m.at().is_some_and(|p| line[line.len() - 1].distance(p) < line[0].distance(p)) {
                line.reverse();
            }
            self.go(&mut m, line[0], reach);
            along(&mut m, &line, feeds.cut, self.tolerance);
        }
        m.finish()
    }

    fn go(&self, m: &mut Mover, to: DVec3, reach: f64) {
        let feed = m.feeds.cut;
        if let Some(from) = m.at().filter(|p| p.distance(to) <= reach)
            && let Some(way) = self.way(from, to)
        {
            way.into_iter().skip(1).for_each(|p| m.feed(p, feed));
        } else {
            m.enter(to.truncate(), to.z, None);
        }
    }
}

/// Along a line from where it stands on its first point; at one height by arcs where they fit.
fn along(m: &mut Mover, line: &[DVec3], feed: f64, tolerance: f64) {
    if line.iter().all(|p| (p.z - line[0].z).abs() < 1e-9) {
        let flat: Vec<DVec2> = line.iter().map(|p| p.truncate()).collect();
        let path: Path2 =
            fit_arcs(&flat, false, &FitSettings { tolerance_mm: 0.5 * tolerance, ..FitSettings::default() });
        for s in &path.segs {
            match *s {
                Seg::Line { to } => m.feed(to.extend(line[0].z), feed),
                Seg::Arc { to, center, ccw } => m.arc(to.extend(line[0].z), center, ccw, feed),
            }
        }
    } else {
        line.iter().skip(1).for_each(|p| m.feed(*p, feed));
    }
}

/// Without points that lie within `by` of the line between those that stay (Douglas and Peucker, "Algorithms for the reduction of the number of points required
/// to represent a digitized line", 1973).
fn thinned(line: &[DVec3], by: f64) -> Vec<DVec3> {
    if line.len() < 3 {
        return line.to_vec();
    }
    let mut stays = vec![false; line.len()];
    (stays[0], stays[line.len() - 1]) = (true, true);
    let mut todo = vec![(0, line.len() - 1)];
    while let Some((a, b)) = todo.pop() {
        if b <= a + 1 {
            continue;
        }
        let d = line[b] - line[a];
        let off = |p: DVec3| {
            let t = if d.length_squared() > 0.0 {
                ((p - line[a]).dot(d) / d.length_squared()).clamp(0.0, 1.0)
            } else {
                0.0
            };
            p.distance(line[a] + d * t)
        };
        let worst = (a + 1..b).map(|k| (off(line[k]), k)).max_by(|p, q| p.0.total_cmp(&q.0));
        if let Some((_, k)) = worst.filter(|w| w.0 > by) {
            stays[k] = true;
            todo.push((a, k));
            todo.push((k, b));
        }
    }
    line.iter().zip(stays).filter(|(_, s)| *s).map(|(p, _)| *p).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ground::tests::dome;
    use geom::{Region, TriMesh};

    const FEEDS: Feeds = Feeds { cut: 400.0, plunge: 100.0, link: 900.0, brush: 900.0 };

    fn distance(p: DVec3, a: DVec3, b: DVec3) -> f64 {
        let d = b - a;
        let t = if d.length_squared() > 0.0 { ((p - a).dot(d) / d.length_squared()).clamp(0.0, 1.0) } else { 0.0 };
        p.distance(a + d * t)
    }

    fn finish<'a>(ground: &'a Ground<'a>, radius: f64, half: f64) -> Finish<'a> {
        Finish {
            ground,
            radius,
            scallop: 0.01,
            low: DVec2::splat(-half),
            high: DVec2::splat(half),
            floor: 0.0,
            feet: &[0.0],
            after: None,
            may: &|_| true,
            tolerance: 0.003,
        }
    }

    /// Where the moves at feed go, as pieces of lines (arcs in chords of 0.01 mm), without ways down to the surface.
    fn cut_by(moves: &[Move]) -> Vec<[DVec3; 2]> {
        let mut out = Vec::new();
        let mut here = DVec3::ZERO;
        for m in moves {
            let to = m.way(here).1;
            match m {
                Move::Feed { .. } if here.truncate() != to.truncate() => out.push([here, to]),
                Move::Arc { center, ccw, .. } => {
                    let arc = Path2 {
                        start: here.truncate(),
                        segs: vec![Seg::Arc { to: to.truncate(), center: *center, ccw: *ccw }],
                    };
                    out.extend(arc.flatten(0.0005).windows(2).map(|p| [p[0].extend(here.z), p[1].extend(to.z)]));
                }
                _ => {}
            }
            here = to;
        }
        out
    }

    /// A half ball on a plate, with balls of two sizes: nowhere nearer than the radius, ridges as high as stated and no higher, few lifts.
    #[test]
    fn a_dome_is_finished_as_promised() {
        let mesh = dome(10.0, 60);
        let ground = Ground::new(&mesh).wanting(&[1]);
        for radius in [3.0, 1.5] {
            let f = finish(&ground, radius, 10.0 + radius);
            let lines = f.lines();
            let stock = Slabs::prism(Region::rect(DVec2::splat(-30.0), DVec2::splat(30.0)), -5.0, 11.0);
            let moves = f.moves(&lines, FEEDS, 20.0, &stock);
            let cut = cut_by(&moves);
            let up = DVec3::Z * radius;
            let nearest = |[a, b]: &[DVec3; 2]| distance(DVec3::ZERO, *a + up, *b + up);
            let deepest = cut.iter().map(nearest).fold(f64::INFINITY, Sure::at_most) - 10.0 - radius;
            assert!(deepest > -0.005, "{radius}: {deepest} into the dome");
            assert!(cut.iter().all(|p| p[0].z > -1e-9 && p[1].z > -1e-9));
            let mut rng = fastrand::Rng::with_seed(2);
            let mut worst = 0.0;
            for _ in 0..600 {
                let (t, z) = (rng.f64() * std::f64::consts::TAU, 0.02 + 0.98 * rng.f64());
                let flat = (1.0 - z * z).sqrt() * 10.0;
                let p = DVec3::new(flat * t.cos(), flat * t.sin(), 10.0 * z);
                // In the corner between dome and plate the ball stays.
                if (10.0 + radius) * z < radius + 0.02 {
                    continue;
                }
                let left =
                    cut.iter().map(|[a, b]| distance(p, *a + up, *b + up)).fold(f64::INFINITY, Sure::at_most) - radius;
                worst = left.at_least(worst);
            }
            assert!(worst < 0.0145, "{radius}: a ridge of {worst}");
            let lifts = moves
                .windows(2)
                .filter(|w| {
                    matches!(w[1], Move::Rapid { to } if to.z == 20.0)
                        && matches!(w[0], Move::Feed { .. } | Move::Arc { .. })
                })
                .count();
            assert!(lifts <= 4, "{lifts} lifts");
            // By area: of paths so close as the ridges ask there need to be so many.
            let least = std::f64::consts::TAU * 100.0 / spacing(radius, 0.01);
            assert!(lines.length() < 1.75 * least && lines.length() > least, "{} {least}", lines.length());
        }
    }

    /// A plane at 30° is rows with two points each; at 70° lines of one height.
    #[test]
    fn a_slope_is_straight_lines() {
        for (degrees, rows) in [(30.0_f64, true), (70.0, false)] {
            let t = degrees.to_radians().tan();
            let at = |x: f64, y: f64| DVec3::new(x, y, 12.0 - x * t);
            let mesh = TriMesh {
                points: vec![at(0.0, 0.0), at(6.0, 0.0), at(6.0, 20.0), at(0.0, 20.0)],
                triangles: vec![[0, 1, 2], [0, 2, 3]],
                face: vec![0, 0],
            };
            let ground = Ground::new(&mesh).wanting(&[0]);
            let f = Finish {
                low: DVec2::splat(-3.0),
                high: DVec2::splat(23.0),
                floor: -30.0,
                feet: &[],
                ..finish(&ground, 3.0, 0.0)
            };
            let lines = f.lines();
            assert_eq!((lines.rows.is_empty(), lines.levels.is_empty()), (!rows, rows));
            let all = if rows { lines.rows.clone() } else { lines.levels.iter().map(|l| thinned(l, 0.002)).collect() };
            // Round its ends the ball leans over the edge, no further than chords of a curved face turn.
            assert!(all.iter().all(|l| l.len() <= 12 && l.iter().all(|p| p.y > -0.7 && p.y < 20.7)), "{all:?}");
            let long = |l: &Vec<DVec3>| l.windows(2).map(|p| p[0].distance(p[1])).fold(0.0, Sure::at_least) > 9.0;
            assert!(all.iter().all(long));
            if !rows {
                assert!(all.iter().all(|l| l.iter().all(|p| p.z == l[0].z)));
                // The part, on the left of the picture, on the right of the way.
                assert!(all.iter().all(|l| l[l.len() - 1].y < l[0].y), "{:?}", all[0]);
            }
        }
    }
}
