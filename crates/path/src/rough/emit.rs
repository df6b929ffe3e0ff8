//! Motion from passes: how each stroke is come to, entered and followed, level by level.

use super::{Batch, CONTACTS, Clearing, Cutting, MARGIN, Pass, Passes, Plan, Stroke};
use crate::Mover;
use crate::motion::Move;
use geom::{DVec2, Path2, Ways};
use std::f64::consts::{FRAC_PI_2, PI, TAU};

/// The motion of some passes at every level, ended above everything.
pub fn cut(c: &Clearing, passes: &Passes, at: &Cutting) -> Vec<Move> {
    let mover = Mover::new(at.clear_z, c.radius, at.feeds, at.stock);
    let mut e = Emit { mover, c, at, stated: None };
    passes.components.iter().for_each(|p| e.component(p));
    e.mover.finish()
}

/// Writes the passes as moves.
struct Emit<'a, 'b> {
    mover: Mover<'a>,
    c: &'b Clearing,
    at: &'b Cutting<'a>,
    stated: Option<f64>,
}

impl Emit<'_, '_> {
    fn state(&mut self, engagement: f64) {
        if !self.c.skin_only && self.stated.is_none_or(|s| (s - engagement).abs() > 0.5f64.to_radians()) {
            self.mover.state("", Some(engagement));
            self.stated = Some(engagement);
        }
    }

    /// Where more is met than what the numbers are for, the feed gives way so that the power stays.
    fn feed_at(&self, engagement: f64) -> f64 {
        let most = (self.at.feed_where)(engagement);
        if most < self.mover.feeds.cut { most } else { self.mover.feeds.cut }
    }

    /// An arc by which a stroke is entered from the cleared side, so that the cut grows evenly: (where it begins, its middle).
    fn roll_in(&self, stroke: &Stroke, pass: &Pass) -> Option<(DVec2, DVec2)> {
        let (p, dir) = (stroke.start(), stroke.runs[0].path.start_dir());
        let width = -pass.free.signed_distance(p);
        if width < 0.05 * self.c.radius {
            return None;
        }
        [3.0, 2.0, 1.5, 1.1].into_iter().map(|k| k * width).find_map(|r| {
            let center = p + dir.perp() * r;
            let begins = center - dir * r;
            let on = |t: f64| center + (begins - center) * (t * FRAC_PI_2).cos() + (p - center) * (t * FRAC_PI_2).sin();
            let free = pass.free.contains(begins) && (1..8).all(|k| pass.after.contains(on(f64::from(k) / 8.0)));
            free.then_some((begins, center))
        })
    }

    fn component(&mut self, plan: &Plan) {
        let c = self.c;
        let done = Ways::within(&plan.done, MARGIN);
        let top = self.at.top;
        let mut above = top;
        for (level, &z) in self.at.levels.iter().enumerate() {
            if let Some((center, radius)) = plan.helix {
                // What the level above has cleared is free down to it; its own helix begins there.
                let start = center + DVec2::X * radius;
                let from = if level == 0 { above + 0.2 } else { above };
                let from = if from > z + 0.05 { from } else { z + 0.05 };
                if level == 0 || !self.over(&done, start, from) {
                    self.mover.enter(start, from, Some((above, top)));
                }
                self.state(PI);
                let pitch = TAU * radius * c.helix_slope.tan();
                self.mover.helix(center, z, pitch, self.mover.feeds.cut * 0.5);
            }
            for batch in &plan.batches {
                let pass = &plan.passes[batch.pass];
                let mut left: Vec<&Stroke> = batch.strokes.iter().map(|&s| &pass.strokes[s]).collect();
                while !left.is_empty() {
                    let at = self.mover.at().map_or(left[0].start(), |p| p.truncate());
                    let near = (0..left.len()).min_by(|&i, &j| left[i].distance(at).total_cmp(&left[j].distance(at)));
                    let stroke = left.remove(near.unwrap_or(0)).begun_near(at);
                    self.state(stroke.runs[0].meets.unwrap_or(self.c.engagement));
                    let square = self.approach(&stroke, z, (pass, batch), &done, above);
                    for (k, run) in stroke.runs.iter().enumerate() {
                        match run.meets {
                            Some(engagement) => {
                                self.state(engagement);
                                // Along a front that met nothing the cutter's whole leading half comes upon what is there.
                                let after_air = k > 0 && stroke.runs[k - 1].meets.is_none();
                                self.first_contact(
                                    &run.path,
                                    z,
                                    engagement,
                                    (k == 0 && square || after_air).then_some(pass),
                                );
                            }
                            None => self.mover.follow(&run.path, z, self.mover.feeds.brush),
                        }
                    }
                }
            }
            above = z;
        }
    }

    /// At the height where it stands over ground that this plan has cleared, to above a place, then down to `z` as far as that is free.
    /// False if there is no such way, and then nothing has moved.
    fn over(&mut self, cleared: &Ways, to: DVec2, z: f64) -> bool {
        let Some(at) = self.mover.at() else { return false };
        // What was cleared is cleared down to where it stands; above that the mover must have come from outside.
        if at.z > self.mover.clear_z - 1e-9 || at.z < z - 1e-9 {
            return false;
        }
        let (Some(a), Some(b)) = (cleared.nearest(at.truncate()), cleared.nearest(to)) else { return false };
        let far = 3.0 * MARGIN + self.c.radius;
        if a.distance(at.truncate()) > far || b.distance(to) > far {
            return false;
        }
        let Some(way) = cleared.shortest(a, b) else { return false };
        self.walk(at.truncate(), a, &way, at.z);
        self.mover.feed(to.extend(at.z), self.mover.feeds.link);
        self.mover.feed(to.extend(z), self.mover.feeds.plunge);
        true
    }

    /// From the end of a cut back onto cleared ground, and along a way.
    fn walk(&mut self, at: DVec2, back: DVec2, way: &[DVec2], z: f64) {
        if back.distance(at) > 1e-6 {
            self.mover.feed(back.extend(z), self.mover.feeds.cut);
        }
        for p in way {
            self.mover.feed(p.extend(z), self.mover.feeds.link);
        }
    }

    /// Along a cut. What is met where it begins beside uncleared ground is measured, for the model of a front does not hold there.
    fn first_contact(&mut self, path: &Path2, z: f64, engagement: f64, pass: Option<&Pass>) {
        let feed = self.feed_at(engagement);
        let Some(pass) = pass.filter(|_| !self.c.skin_only) else { return self.mover.follow(path, z, feed) };
        let mut rest = Some(path.clone());
        for _ in 0..CONTACTS {
            let Some(p) = rest.take() else { return };
            let (head, tail) = p.split(self.c.radius / CONTACTS as f64);
            let met = self.met(head.start, head.start_dir(), pass);
            self.mover.follow(&head, z, self.feed_at(if met > engagement { met } else { engagement }));
            rest = tail;
        }
        if let Some(rest) = rest {
            self.mover.follow(&rest, z, feed);
        }
    }

    /// Engagement at a place with this direction, rad: the part of the rim that stands in material which no pass before has taken.
    fn met(&self, at: DVec2, dir: DVec2, pass: &Pass) -> f64 {
        const N: usize = 24;
        let r = self.c.radius;
        let ahead = at + dir * (0.5 * r / CONTACTS as f64);
        let uncut = |k: usize| {
            let q = ahead + dir.rotate(DVec2::from_angle(PI * ((k as f64 + 0.5) / N as f64 - 0.5))) * r;
            self.c.material.contains(q) && -pass.free.signed_distance(q) > r
        };
        PI * (0..N).filter(|&k| uncut(k)).count() as f64 / N as f64
    }

    /// Come to the start of a stroke from what is already cleared at this level. Is it entered square to the front?
    fn approach(&mut self, stroke: &Stroke, z: f64, (pass, batch): (&Pass, &Batch), done: &Ways, above: f64) -> bool {
        let top = self.at.top;
        let ways = batch.ways(pass);
        let start = stroke.start();
        let engagement = stroke.runs[0].meets.unwrap_or(self.c.engagement);
        // Onto the front from what is cleared: by an arc where there is room, else square to it, which is a short slot.
        let arc = self.roll_in(stroke, pass);
        let foot = match arc {
            Some((begins, _)) => begins,
            None if pass.free.contains(start) => start,
            None => pass.free.nearest_on_border(start).unwrap_or(start),
        };
        let down = ways.nearest(foot).filter(|q| q.distance(foot) < 3.0 + MARGIN).unwrap_or(foot);
        if let Some(at) = self.mover.at() {
            let a = at.truncate();
            if (at.z - z).abs() < 1e-9 {
                if a.distance(start) < 1e-6 {
                    return false;
                }
                // Its end may stand on the new border, a step away from what was cleared before.
                let back = ways.nearest(a).filter(|q| q.distance(a) < self.mover.radius + MARGIN);
                if let Some(back) = back
                    && let Some(way) = ways.shortest(back, down)
                    && self.mover.pays(&[&[a, back], &way[..]].concat())
                {
                    self.walk(a, back, &way, z);
                    return self.onto(foot, arc, start, z, engagement);
                }
            } else if at.z < self.mover.clear_z - 1e-9 && at.z > z {
                // At the height of the level above, over what is cleared there.
                let from = done.nearest(a).filter(|q| q.distance(a) < self.mover.radius + MARGIN);
                let to = done.nearest(down).filter(|q| q.distance(down) < 1e-6 + MARGIN);
                if let (Some(from), Some(to)) = (from, to)
                    && let Some(mut way) = done.shortest(from, to)
                    && self.mover.pays(&[&[a, from], &way[..]].concat())
                    && self.mover.can_sink(down, z, at.z, (z, top))
                {
                    way.push(down);
                    self.walk(a, from, &way, at.z);
                    self.mover.sink(down, z, (z, top));
                    return self.onto(foot, arc, start, z, engagement);
                }
            }
        }
        let cleared = if ways.nearest(down).is_none() { above } else { z };
        self.mover.enter(down, z, Some((cleared, top)));
        self.onto(foot, arc, start, z, engagement)
    }

    /// The last bit from cleared ground onto a front; was it square to it?
    fn onto(&mut self, foot: DVec2, arc: Option<(DVec2, DVec2)>, start: DVec2, z: f64, engagement: f64) -> bool {
        self.mover.feed(foot.extend(z), self.mover.feeds.link);
        match arc {
            Some((_, center)) => {
                self.mover.arc(start.extend(z), center, true, self.feed_at(engagement));
                false
            }
            None if foot.distance(start) > 1e-6 => {
                self.state(PI);
                self.mover.feed(start.extend(z), self.feed_at(PI));
                self.state(engagement);
                true
            }
            None => false,
        }
    }
}
