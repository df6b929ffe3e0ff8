//! Gathers moves and goes from one cut to the next without touching anything.

use crate::motion::Move;
use geom::{DVec2, DVec3, Path2, Seg, Slabs};
use reason::Sure;

/// Feeds of an operation, mm/min.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Feeds {
    /// Cutting.
    pub cut: f64,
    /// Downwards.
    pub plunge: f64,
    /// Through air at depth.
    pub link: f64,
    /// Where nothing should be met, and ridges of the passes before may be.
    pub brush: f64,
}

/// Distance above material at which a rapid comes down ends, mm.
const ABOVE: f64 = 0.5;
/// A rapid down keeps this far from material beside it, mm.
const BESIDE: f64 = 0.1;

/// The moves so far and where they have come to.
pub struct Mover<'a> {
    /// What was gathered.
    pub moves: Vec<Move>,
    /// Safe height over everything.
    pub clear_z: f64,
    /// Cutter radius.
    pub radius: f64,
    /// Feeds.
    pub feeds: Feeds,
    /// Material as it stands before this operation.
    pub stock: &'a Slabs,
    at: Option<DVec3>,
}

impl<'a> Mover<'a> {
    /// Begin above everything.
    pub fn new(clear_z: f64, radius: f64, feeds: Feeds, stock: &'a Slabs) -> Self {
        Mover { moves: Vec::new(), clear_z, radius, feeds, stock, at: None }
    }
    /// Where it is.
    pub fn at(&self) -> Option<DVec3> {
        self.at
    }
    fn push(&mut self, m: Move, to: DVec3) {
        self.moves.push(m);
        self.at = Some(to);
    }
    /// In a straight line at rapid.
    pub fn rapid(&mut self, to: DVec3) {
        if self.at != Some(to) {
            self.push(Move::Rapid { to }, to);
        }
    }
    /// In a straight line at feed.
    pub fn feed(&mut self, to: DVec3, feed: f64) {
        if self.at != Some(to) {
            self.push(Move::Feed { to, feed }, to);
        }
    }
    /// An arc.
    pub fn arc(&mut self, to: DVec3, center: DVec2, ccw: bool, feed: f64) {
        self.push(Move::Arc { to, center, ccw, feed }, to);
    }
    /// Up to the safe height.
    pub fn retract(&mut self) {
        if let Some(p) = self.at
            && p.z < self.clear_z
        {
            self.rapid(p.with_z(self.clear_z));
        }
    }
    /// Over the safe height to `p` and down to `z`: at rapid as far as the stock lets it, then at plunge feed. `own` is
    /// (height to which this operation itself has cleared a wider disc there, height of the material it began with).
    pub fn enter(&mut self, p: DVec2, z: f64, own: Option<(f64, f64)>) {
        self.retract();
        self.rapid(p.extend(self.clear_z));
        let stop = self.lowest_rapid(p, z, own);
        if stop < self.clear_z {
            self.rapid(p.extend(if stop > z { stop } else { z }));
        }
        self.feed(p.extend(z), self.feeds.plunge);
    }
    /// How far a rapid may come down over `p` on the way to `z`.
    fn lowest_rapid(&self, p: DVec2, z: f64, own: Option<(f64, f64)>) -> f64 {
        let safe = match own {
            None => self.stock.clear_to(p, self.radius + BESIDE),
            Some((cleared, top)) => self.stock.clear_over(p, self.radius + BESIDE, top).at_least(cleared),
        };
        // Below the stock is what it lies on.
        let ground = self.stock.bottom();
        let stop = (safe + ABOVE).at_least(z + if safe < z - ABOVE { 0.0 } else { ABOVE });
        if z < ground { stop.at_least(ground + ABOVE) } else { stop }
    }
    /// Standing at `height`, can it go down at `p` to `z` without rising first?
    pub fn can_sink(&self, p: DVec2, z: f64, height: f64, own: (f64, f64)) -> bool {
        self.lowest_rapid(p, z, Some(own)) <= height.at_least(z + ABOVE) + 1e-9
    }
    /// Down where it stands (see [`Mover::can_sink`]).
    pub fn sink(&mut self, p: DVec2, z: f64, own: (f64, f64)) {
        let stop = self.lowest_rapid(p, z, Some(own));
        if self.at.is_some_and(|at| stop < at.z - 1e-6) {
            self.rapid(p.extend(stop));
        }
        self.feed(p.extend(z), self.feeds.plunge);
    }
    /// Is a way at depth along these points no longer in time than a lift over everything? Staying down leaves no mark and makes no noise,
    /// so a second more is granted.
    pub fn pays(&self, way: &[DVec2]) -> bool {
        const GRANTED: f64 = 1.0 / 60.0;
        let Some(at) = self.at else { return false };
        let length: f64 = way.windows(2).map(|w| w[0].distance(w[1])).sum();
        let lift = 2.0 * (self.clear_z - at.z) / self.feeds.link + 1.0 / self.feeds.plunge;
        length / self.feeds.link <= lift + GRANTED
    }
    /// Along a path from where it stands.
    pub fn follow(&mut self, path: &Path2, z: f64, feed: f64) {
        for s in &path.segs {
            match *s {
                Seg::Line { to } => self.feed(to.extend(z), feed),
                Seg::Arc { to, center, ccw } => self.arc(to.extend(z), center, ccw, feed),
            }
        }
    }
    /// A helix down from where it stands (on the circle) to `z`, then once round at that depth. `pitch` is the fall of a turn.
    pub fn helix(&mut self, center: DVec2, z: f64, pitch: f64, feed: f64) {
        let Some(start) = self.at else { return };
        let half_turns = ((start.z - z) / pitch * 2.0).ceil().at_least(1.0) as usize;
        let d = start.truncate() - center;
        for k in 1..=half_turns {
            let side = if k % 2 == 1 { -d } else { d };
            let h = start.z + (z - start.z) * k as f64 / half_turns as f64;
            self.arc((center + side).extend(h), center, true, feed);
        }
        let first = if half_turns % 2 == 1 { d } else { -d };
        self.arc((center + first).extend(z), center, true, feed);
        self.arc((center - first).extend(z), center, true, feed);
    }
    /// State a limit of engagement from here on.
    pub fn state(&mut self, words: &str, engagement_limit: Option<f64>) {
        self.moves.push(Move::State { words: words.into(), engagement_limit });
    }
    /// Retract and hand over the moves.
    pub fn finish(mut self) -> Vec<Move> {
        self.retract();
        self.moves
    }
}
