//! In which order strokes are cut. A pass is cut in as many places as its front is in pieces; one place is followed from pass to pass to where it ends or meets another
//! one, so that the cutter need not fly between them.
//!
//! The ground that a pass clears falls into pieces; each hangs on those of the pass before that it borders on, and on no other: what a stroke meets lies within a radius
//! of its own piece, and places from which the same material is met are joined by places from which it is met as well, as far as the cutter may go there.

use super::{MARGIN, Pass, Stroke};
use geom::{Box3, DVec2, Region, Ways};
use reason::Sure;
use std::cell::OnceCell;

/// Ground that is thinner than twice this is a sliver along a wall, mm.
const THIN: f64 = 0.01;
/// Pieces of ground that are nearer hang on one another, in radii of the cutter: the same material may be met from both.
const BORDERS: f64 = 0.75;
/// Ways are looked for so far around two pieces, in radii of the cutter.
const AROUND: f64 = 4.0;

/// Strokes of a pass on one piece of ground.
pub(super) struct Batch {
    pub pass: usize,
    pub strokes: Vec<usize>,
    /// What is cleared by then, where that is less than what the passes before clear.
    free: Option<Region>,
    ways: OnceCell<Ways>,
}

impl Batch {
    /// Ways over what is cleared by then.
    pub fn ways<'a>(&'a self, pass: &'a Pass) -> &'a Ways {
        match &self.free {
            Some(free) => self.ways.get_or_init(|| Ways::within(free, MARGIN)),
            None => pass.ways(),
        }
    }
}

/// A piece of ground that a pass clears, with its strokes.
struct Piece {
    pass: usize,
    ground: Region,
    strokes: Vec<usize>,
    /// Pieces that come before it.
    after: Vec<usize>,
    done: bool,
}

/// All strokes of some passes in order; `radius` of the cutter, mm.
pub(super) fn batches(passes: &[Pass], radius: f64) -> Vec<Batch> {
    let mut all: Vec<Piece> = Vec::new();
    // Of each piece all that come before it, at once or by others.
    let mut before: Vec<Vec<bool>> = Vec::new();
    for (k, pass) in passes.iter().enumerate() {
        // With what passes without a stroke add: there is nothing left to take once their neighbours are cut.
        let until = passes.get(k + 1).map_or(&pass.after, |next| &next.free);
        let from = all.len();
        all.extend(pieces(k, pass, until));
        for n in from..all.len() {
            let mut mine = vec![false; from];
            for m in (0..from).rev() {
                if mine[m] || !near(&all[m].ground, &all[n].ground, BORDERS * radius) {
                    continue;
                }
                all[n].after.push(m);
                mine[m] = true;
                mine.iter_mut().zip(&before[m]).for_each(|(mine, its)| *mine |= its);
            }
            if all[n].after.is_empty() {
                // Nothing near: whatever was before.
                all[n].after = (0..from).collect();
                mine.fill(true);
            }
            before.push(mine);
        }
    }
    let mut out = Vec::new();
    let (mut at, mut previous): (Option<DVec2>, Option<usize>) = (None, None);
    empty_ones(&mut all);
    while let Some(next) = next(&all, passes, at, previous) {
        let (k, pass) = (all[next].pass, &passes[all[next].pass]);
        let here = previous.map_or_else(|| all[next].ground.clone(), |p| all[p].ground.union(&all[next].ground));
        let around = here.bounds().map(|(lo, hi)| [lo - AROUND * radius, hi + AROUND * radius]);
        let free = around.and_then(|around| cleared(&all, k, pass, around));
        at = all[next].strokes.last().map(|&s| pass.strokes[s].end());
        all[next].done = true;
        empty_ones(&mut all);
        previous = Some(next);
        out.push(Batch { pass: k, strokes: all[next].strokes.clone(), free, ways: OnceCell::new() });
    }
    debug_assert_eq!(
        out.iter().map(|b: &Batch| b.strokes.len()).sum::<usize>(),
        passes.iter().map(|p| p.strokes.len()).sum::<usize>(),
        "each stroke is cut once"
    );
    out
}

/// What is cleared around a place before pieces of a pass are, where that is other than what the passes before clear.
fn cleared(all: &[Piece], k: usize, pass: &Pass, [lo, hi]: [DVec2; 2]) -> Option<Region> {
    let here = |p: &&Piece| p.ground.bounds().is_some_and(|b| flat(b).meets(&flat((lo, hi))));
    // What others have not cleared yet, though it belongs to passes before this one; what has been cleared though it belongs to later ones.
    let waiting: Vec<&Piece> = all.iter().filter(|p| !p.done && p.pass < k).collect();
    let ahead: Vec<&Piece> = all.iter().filter(|p| p.done && p.pass >= k).collect();
    if waiting.is_empty() && ahead.is_empty() {
        return None;
    }
    let near = Region::rect(lo, hi);
    let waiting: Vec<Region> = waiting.into_iter().filter(here).map(|p| p.ground.grown(0.005, 0.005)).collect();
    let ahead = ahead.into_iter().filter(here).map(|p| &p.ground);
    let cleared = Region::union_all(ahead.chain([&pass.free])).intersect(&near);
    Some(cleared.minus(&Region::union_all(&waiting)).grown(0.01, 0.005).shrunk(0.01, 0.005))
}

fn flat((lo, hi): (DVec2, DVec2)) -> Box3 {
    Box3 { min: lo.extend(0.0), max: hi.extend(0.0) }
}

/// A piece without a stroke is cleared as soon as those before it are.
fn empty_ones(all: &mut [Piece]) {
    // Those before stand before it.
    for n in 0..all.len() {
        all[n].done |= all[n].strokes.is_empty() && all[n].after.iter().all(|m| all[*m].done);
    }
}

/// Of the pieces whose turn has come: one that goes on where the last one ended, else the nearest.
fn next(all: &[Piece], passes: &[Pass], at: Option<DVec2>, previous: Option<usize>) -> Option<usize> {
    let ready = |p: &Piece| !p.done && p.after.iter().all(|m| all[*m].done);
    let far = |n: usize| {
        let p = &all[n];
        let to = |s: &usize| at.map_or(0.0, |a| passes[p.pass].strokes[*s].distance(a));
        p.strokes.iter().map(to).fold(f64::INFINITY, Sure::at_most)
    };
    let candidates = (0..all.len()).filter(|&n| ready(&all[n]));
    let goes_on = |n: usize| {
        let through = |m: &usize| all[*m].strokes.is_empty() && previous.is_some_and(|p| all[*m].after.contains(&p));
        previous.is_some_and(|p| all[n].after.contains(&p)) || all[n].after.iter().any(through)
    };
    candidates.min_by(|&a, &b| {
        let key = |n: usize| (!goes_on(n), all[n].pass);
        let (x, y) = (key(a), key(b));
        x.0.cmp(&y.0).then(far(a).total_cmp(&far(b))).then(x.1.cmp(&y.1))
    })
}

/// Where the cuts of a stroke are.
fn places(s: &Stroke) -> impl Iterator<Item = DVec2> {
    s.runs.iter().filter(|r| r.meets.is_some()).map(|r| r.path.split(r.path.length() / 2.0).0.end())
}

/// Do two regions come near one another?
fn near(a: &Region, b: &Region, within: f64) -> bool {
    let (Some(p), Some(q)) = (a.bounds(), b.bounds()) else { return false };
    flat(p).grown(within).meets(&flat(q)) && !a.grown(within, 0.1).intersect(b).is_empty()
}

/// The pieces of ground that a pass clears; those that a stroke runs through both of are one.
fn pieces(pass: usize, p: &Pass, until: &Region) -> Vec<Piece> {
    let all = || (0..p.strokes.len()).collect::<Vec<_>>();
    let one = |ground: Region| vec![Piece { pass, ground, strokes: all(), after: Vec::new(), done: false }];
    let new = until.minus(&p.free);
    if p.strokes.len() == 1 {
        return one(new);
    }
    let grounds = new.opened(THIN, THIN / 2.0).components();
    if grounds.len() < 2 {
        return one(new);
    }
    let of = |at: DVec2| {
        let inside = |i: &usize| grounds[*i].signed_distance(at);
        (0..grounds.len()).max_by(|i, j| inside(i).total_cmp(&inside(j))).unwrap_or(0)
    };
    let mut joined: Vec<usize> = (0..grounds.len()).collect();
    let owner: Vec<usize> = (p.strokes.iter())
        .map(|s| {
            let mut through = places(s).map(of);
            let first = through.next().unwrap_or(0);
            for other in through {
                let (a, b) = (joined[first], joined[other]);
                joined.iter_mut().filter(|j| **j == b).for_each(|j| *j = a);
            }
            first
        })
        .collect();
    let mut names = joined.clone();
    names.sort_unstable();
    names.dedup();
    let piece = |name: &usize| {
        let mine: Vec<Region> =
            (0..grounds.len()).filter(|i| joined[*i] == *name).map(|i| grounds[i].clone()).collect();
        let strokes: Vec<usize> = all().into_iter().filter(|s| joined[owner[*s]] == *name).collect();
        let ground = Region::union_all(&mine);
        Piece { pass, ground, strokes, after: Vec::new(), done: false }
    };
    names.iter().map(piece).collect()
}
