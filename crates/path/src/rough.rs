//! Clearing a region with bounded engagement: growth of the cleared region by equal steps.
//!
//! Let K be the set of centre positions already cleared and A the positions allowed. The next pass runs along the border of
//! K' = A ∩ (K ⊕ disc(s)); what it meets is s wide, measured square to the front, wherever it cuts. Where the front is a bulge of
//! radius ρ into the material the cutter meets more: with cutter radius R and limit θ the law of cosines gives
//! s = √((ρ + R)² − R²·sin²θ) − R·cos θ − ρ, which tends to R·(1 − cos θ) for a straight front. Where two fronts meet the material
//! is a ridge and the engagement falls. In a corner the passes become arcs from wall to wall, in a slot strokes across it, so
//! nothing special is needed there (they are the "stepping circles" and strokes that the literature treats as cases). Fronts
//! start in the air where the region is open, else from a helix at its widest place. Stock that is narrower than the step is one pass,
//! and a few passes share the width evenly; each stroke states the engagement that its own width gives.
//!
//! From one stroke to the next the cutter stays down: along the front where it meets nothing, else by the shortest way over what is
//! cleared ([`geom::Ways`]); to the next level it goes at the height of the last one, and down in the air.
//!
//! Not guaranteed: the first contact of each pass beside a wall, shorter than about half a diameter, goes over the limit; a
//! region hardly wider than the cutter is a slot whatever the order. Published kin, from memory: offset and wavefront ("brush
//! fire") pocketing; constant-engagement offsets (Stori & Wright 2000); stepping circles (Coleman & Evans).

mod batch;
mod emit;

pub use emit::cut;

use crate::Feeds;
use batch::{Batch, batches};
use geom::{DVec2, FitSettings, Path2, Region, Slabs, Ways, fit_arcs};
use reason::Sure;
use std::cell::OnceCell;
use std::f64::consts::PI;

/// What to clear and how.
#[derive(Debug, Clone)]
pub struct Clearing {
    /// Where the cutter's axis may be.
    pub allowed: Region,
    /// Material to take, seen from above, over the whole depth range.
    pub material: Region,
    /// Cutter radius, mm.
    pub radius: f64,
    /// Limit of engagement, rad.
    pub engagement: f64,
    /// Slope of a helix, rad.
    pub helix_slope: f64,
    /// Entries into full material need no helix: the layer is a skin.
    pub skin_only: bool,
    /// Arcs and fits to this, mm.
    pub tolerance: f64,
}

/// The passes of a level, the same at each: geometry without heights and feeds.
pub struct Passes {
    components: Vec<Plan>,
    /// What the cutter sweeps, seen from above (a hair less).
    pub swept: Region,
}

impl Passes {
    /// Number of passes of a level.
    pub fn count(&self) -> usize {
        self.components.iter().map(|p| p.passes.len()).sum()
    }
    /// Is there nothing to cut?
    pub fn is_empty(&self) -> bool {
        self.components.is_empty()
    }
    /// Length of the strokes of a level, each with the engagement that it states: (mm, rad).
    pub fn strokes(&self) -> Vec<(f64, f64)> {
        let all = self.components.iter().flat_map(|p| &p.passes).flat_map(|p| &p.strokes).flat_map(|s| &s.runs);
        all.filter_map(|r| Some((r.path.length(), r.meets?))).collect()
    }
    /// Greatest engagement that a stroke states, rad; none without strokes.
    pub fn widest(&self) -> Option<f64> {
        self.strokes().into_iter().map(|s| s.1).reduce(|a, b| if b > a { b } else { a })
    }
    /// Radius of the smallest helix by which it enters, mm, and where.
    pub fn smallest_helix(&self) -> Option<(f64, DVec2)> {
        let all = self.components.iter().filter_map(|p| p.helix.map(|(at, r)| (r, at)));
        all.min_by(|a, b| a.0.total_cmp(&b.0))
    }
}

/// At which heights, how fast.
#[derive(Clone)]
pub struct Cutting<'a> {
    /// Heights of the levels from the top down.
    pub levels: Vec<f64>,
    /// Height of the material over the first level.
    pub top: f64,
    /// Feeds.
    pub feeds: Feeds,
    /// Feed where an engagement (rad) is met, mm/min.
    pub feed_where: &'a (dyn Fn(f64) -> f64 + Sync),
    /// Rapids in XY run here.
    pub clear_z: f64,
    /// Material as it stands before.
    pub stock: &'a Slabs,
}

/// Step for which a front of radius `rho` (infinite for a straight one) meets the cutter (radius `r`) over the angle `theta`.
pub fn step_at(rho: f64, r: f64, theta: f64) -> f64 {
    if theta >= 0.999 * PI {
        return 2.0 * r;
    }
    if rho.is_infinite() {
        return r * (1.0 - theta.cos());
    }
    // √(a² − b²) − (r·cos θ + ρ) as a quotient, so that a large ρ loses no digits: a² − b² − (…)² = 2·ρ·r·(1 − cos θ).
    let root = ((rho + r).powi(2) - (r * theta.sin()).powi(2)).sqrt();
    2.0 * rho * r * (1.0 - theta.cos()) / (root + r * theta.cos() + rho)
}

/// Engagement of a step `s` from a front of radius `rho` (the reverse of [`step_at`]).
pub fn engagement_at(rho: f64, r: f64, s: f64) -> f64 {
    if rho.is_infinite() {
        return (1.0 - s / r).clamp(-1.0, 1.0).acos();
    }
    (((rho + r).powi(2) - (rho + s).powi(2) - r * r) / (2.0 * (rho + s) * r)).clamp(-1.0, 1.0).acos()
}

/// Tolerance of telling air from material, mm.
const AIR: f64 = 0.015;
/// Smallest helix, as a share of the cutter's radius.
const SMALLEST_HELIX: f64 = 0.1;
/// Ways over cleared ground keep this far inside it, mm.
const MARGIN: f64 = 0.3;
/// Along the cutter's radius the first contact is looked at so often.
const CONTACTS: usize = 3;
/// So many passes share the width evenly; of more the last one is what is left.
const EVEN: usize = 8;

/// A piece of a front that is followed in one go; where it cuts, with the engagement that it meets, rad.
#[derive(Clone)]
struct Run {
    path: Path2,
    meets: Option<f64>,
}

/// Along a front: pieces that cut and pieces between them that meet nothing.
struct Stroke {
    runs: Vec<Run>,
}

impl Stroke {
    fn start(&self) -> DVec2 {
        self.runs[0].path.start
    }
    fn end(&self) -> DVec2 {
        self.runs[self.runs.len() - 1].path.end()
    }
    /// A ring can be begun anywhere.
    fn ring(&self) -> bool {
        self.runs.len() == 1 && self.runs[0].path.is_closed()
    }
    fn begun_near(&self, p: DVec2) -> Stroke {
        if !self.ring() {
            return Stroke { runs: self.runs.clone() };
        }
        Stroke { runs: vec![Run { path: self.runs[0].path.started_near(p), ..self.runs[0].clone() }] }
    }
    fn distance(&self, p: DVec2) -> f64 {
        let start = self.start().distance(p);
        let near = if self.ring() { self.runs[0].path.started_near(p).start.distance(p) } else { start };
        if near < start { near } else { start }
    }
    fn length(&self) -> f64 {
        self.runs.iter().filter(|r| r.meets.is_some()).map(|r| r.path.length()).sum()
    }
}

struct Pass {
    strokes: Vec<Stroke>,
    /// Cleared before it.
    free: Region,
    /// Cleared after it.
    after: Region,
    ways: OnceCell<Ways>,
}

impl Pass {
    fn ways(&self) -> &Ways {
        self.ways.get_or_init(|| Ways::within(&self.free, MARGIN))
    }
}

struct Plan {
    passes: Vec<Pass>,
    /// In this order.
    batches: Vec<Batch>,
    /// Helix (centre, radius) where there is no way in from the air.
    helix: Option<(DVec2, f64)>,
    done: Region,
}

/// The cleared region before and after a pass, and the step between them.
struct Front {
    before: Region,
    after: Region,
    step: f64,
    /// Positions from which something is still to be taken.
    reach: Region,
}

/// Let the cleared region grow until nothing is left that it can reach.
fn growth(c: &Clearing, a: &Region, k0: &Region, rho0: f64, step: &dyn Fn(f64) -> f64) -> Vec<Front> {
    let (r, tol) = (c.radius, c.tolerance);
    let (mut k, mut rho) = (k0.clone(), rho0);
    let mut out = Vec::new();
    for _ in 0..2000 {
        // Simplifying leaves slivers along the border, thinner than this: they would grow for ever.
        if a.minus(&k).shrunk(0.6 * tol, 0.2 * tol).is_empty() {
            break;
        }
        // Only to skip the air.
        let remaining = c.material.minus(&k.grown(r, AIR));
        if remaining.area() < 1e-4 {
            break;
        }
        let widest = step(rho);
        let front = |s: f64| {
            let next = k.grown(s, tol).intersect(a).union(&k);
            let after = (next.area() - k.area() >= 1e-5).then(|| next.simplified(tol / 4.0))?;
            Some(Front { before: k.clone(), after, step: s, reach: remaining.grown(r - 0.01, AIR) })
        };
        let Some(mut f) = front(widest) else { break };
        // Narrower, so that fronts that meet pass on both sides of what is between them.
        for share in [0.7, 0.5, 0.35, 0.2] {
            if !passed_over(c, a, &f, &remaining) {
                break;
            }
            let Some(narrow) = front(share * widest) else { break };
            f = narrow;
        }
        rho += f.step;
        k = f.after.clone();
        out.push(f);
    }
    out
}

/// Where fronts meet within one step they leave no border to run along: does material stay between the strokes there?
fn passed_over(c: &Clearing, a: &Region, f: &Front, remaining: &Region) -> bool {
    // Cleared positions with no front in sight any more.
    let new = f.after.minus(&f.before);
    let lost = new.minus(&a.minus(&f.after).grown(1.01 * f.step, AIR)).opened(0.02, AIR);
    if lost.is_empty() {
        return false;
    }
    let strokes: Vec<Region> =
        fresh(c, f).iter().flat_map(|(_, lines)| lines).map(|l| Region::swept(l, c.radius - 0.005, AIR)).collect();
    let left = remaining.intersect(&lost.grown(c.radius - 0.05, AIR)).minus(&Region::union_all(&strokes));
    left.opened(0.008, AIR).area() > 0.004
}

/// How wide the last of some passes is, where it cuts, mm.
fn width_of(f: &Front) -> f64 {
    let new = f.after.minus(&f.before).intersect(&f.reach).opened(0.01, 0.005);
    let far = |p: DVec2| -f.before.signed_distance(p);
    new.loops().into_iter().flatten().map(far).fold(0.0, |a, b| if b > a { b } else { a })
}

/// The passes from the air, evenly wide.
fn even_growth(c: &Clearing, a: &Region, k0: &Region) -> Vec<Front> {
    let widest = step_at(f64::INFINITY, c.radius, c.engagement);
    let fronts = growth(c, a, k0, f64::INFINITY, &|_| widest);
    let n = fronts.len();
    if n == 0 || n > EVEN {
        return fronts;
    }
    let total = (n - 1) as f64 * widest + width_of(&fronts[n - 1]);
    let even = (total / n as f64 + 0.002).clamp(0.05 * widest, widest);
    if even > 0.97 * widest {
        return fronts;
    }
    let again = growth(c, a, k0, f64::INFINITY, &|_| even);
    if again.len() > n { fronts } else { again }
}

fn plan_component(c: &Clearing, a: &Region, touched: &Region) -> Option<Plan> {
    let r = c.radius;
    let tol = c.tolerance;
    let k0 = a.minus(touched).without_specks(1e-3);
    let mut helix = None;
    let fronts = if k0.opened(0.02, tol).is_empty() {
        let (center, deep) = a.deepest(0.02)?;
        let radius = (0.85 * r).at_most(deep - 0.01);
        if radius < SMALLEST_HELIX * r && !c.skin_only {
            return None;
        }
        let radius = if radius > 0.02 { radius } else { 0.02 };
        helix = Some((center, radius));
        let disc = Region::disc(center, radius, tol / 4.0).intersect(a);
        growth(c, a, &disc, radius, &|rho| step_at(rho, r, c.engagement))
    } else {
        even_growth(c, a, &k0)
    };
    let k = match (fronts.last(), helix) {
        (Some(f), _) => f.after.clone(),
        (None, Some((center, radius))) => Region::disc(center, radius, tol / 4.0).intersect(a),
        (None, None) => k0,
    };
    let passes = fronts
        .into_iter()
        .map(|f| Pass { strokes: strokes(c, &f), free: f.before, after: f.after, ways: OnceCell::new() })
        .filter(|p| !p.strokes.is_empty())
        .collect::<Vec<_>>();
    let batches = batches(&passes, r);
    Some(Plan { passes, batches, helix, done: k })
}

fn closed_line(mut l: Vec<DVec2>) -> Vec<DVec2> {
    if let Some(&p) = l.first() {
        l.push(p);
    }
    l
}

fn length(l: &[DVec2]) -> f64 {
    l.windows(2).map(|w| w[0].distance(w[1])).sum()
}

/// Along a closed line: where each of its points stands.
fn stations(l: &[DVec2]) -> Vec<f64> {
    let mut at = 0.0;
    let steps = l.windows(2).map(|w| {
        at += w[0].distance(w[1]);
        at
    });
    std::iter::once(0.0).chain(steps).collect()
}

/// Place on a closed line nearest to a point on it.
fn station_of(l: &[DVec2], stations: &[f64], p: DVec2) -> f64 {
    let mut best = (f64::INFINITY, 0.0);
    for (k, w) in l.windows(2).enumerate() {
        let d = w[1] - w[0];
        let len2 = d.length_squared();
        let t = if len2 > 0.0 { ((p - w[0]).dot(d) / len2).clamp(0.0, 1.0) } else { 0.0 };
        let off = p.distance_squared(w[0] + d * t);
        if off < best.0 {
            best = (off, stations[k] + len2.sqrt() * t);
        }
    }
    best.1
}

/// The piece of a closed line from one place on (over its seam, if need be) for some length.
fn along(l: &[DVec2], stations: &[f64], from: f64, len: f64) -> Vec<DVec2> {
    let total = stations[stations.len() - 1];
    let point = |s: f64| {
        let s = s.rem_euclid(total);
        let k = stations.partition_point(|&x| x <= s).clamp(1, l.len() - 1) - 1;
        let span = stations[k + 1] - stations[k];
        l[k].lerp(l[k + 1], if span > 0.0 { ((s - stations[k]) / span).clamp(0.0, 1.0) } else { 0.0 })
    };
    let mut out = vec![point(from)];
    let corners = || stations[..stations.len() - 1].iter().enumerate();
    for turn in 0..2 {
        let shift = f64::from(turn) * total;
        out.extend(
            corners().filter(|(_, s)| **s + shift > from + 1e-7 && **s + shift < from + len - 1e-7).map(|(k, _)| l[k]),
        );
    }
    out.push(point(from + len));
    out
}

/// Borders of what a pass clears, each with its pieces that are new and from which something is to be taken.
fn fresh(c: &Clearing, f: &Front) -> Vec<(Vec<DVec2>, Vec<Vec<DVec2>>)> {
    let hair = f.before.grown(if f.step > 0.07 { 0.03 * f.step } else { 0.002 }, c.tolerance);
    let pieces = |l: Vec<DVec2>| {
        let new = hair.clip_lines(std::slice::from_ref(&l), false);
        let pieces: Vec<Vec<DVec2>> =
            join(f.reach.clip_lines(&new, true)).into_iter().filter(|p| length(p) > 0.05).collect();
        (!pieces.is_empty()).then_some((l, pieces))
    };
    f.after.loops().into_iter().map(closed_line).filter_map(pieces).collect()
}

/// The strokes of a pass: along the new border, not where it was cleared before, and only where there is something to take.
fn strokes(c: &Clearing, f: &Front) -> Vec<Stroke> {
    // Gaps that are shorter are run through along the front.
    let bridge = 4.0 * c.radius;
    let mut out = Vec::new();
    for (l, pieces) in fresh(c, f) {
        let at = stations(&l);
        let total = at[at.len() - 1];
        let mut cuts: Vec<(f64, f64)> =
            pieces.iter().map(|p| (station_of(&l, &at, p[0]), length(p))).filter(|p| p.1 < total + 1.0).collect();
        cuts.sort_by(|a, b| a.0.total_cmp(&b.0));
        if cuts.iter().map(|p| p.1).sum::<f64>() > total - 0.05 {
            out.push(stroke(c, f, &l, &at, &[(0.0, total)]));
            continue;
        }
        // Begin after the widest gap.
        let n = cuts.len();
        let gap = |k: usize| {
            let (s, len) = cuts[k];
            let next = if k + 1 < n { cuts[k + 1].0 } else { cuts[0].0 + total };
            next - s - len
        };
        let first = (0..n).max_by(|&i, &j| gap(i).total_cmp(&gap(j))).map_or(0, |k| (k + 1) % n);
        let mut run: Vec<(f64, f64)> = Vec::new();
        for k in 0..n {
            let (mut s, len) = cuts[(first + k) % n];
            if s < cuts[first].0 - 1e-9 {
                s += total;
            }
            if run.last().is_some_and(|p| s - p.0 - p.1 > bridge) {
                out.push(stroke(c, f, &l, &at, &run));
                run.clear();
            }
            run.push((s, len));
        }
        out.push(stroke(c, f, &l, &at, &run));
    }
    out.retain(|s| s.length() > 0.02);
    out
}

/// One stroke over places (from, length) of a front.
fn stroke(c: &Clearing, f: &Front, l: &[DVec2], at: &[f64], cuts: &[(f64, f64)]) -> Stroke {
    let fit = FitSettings { tolerance_mm: c.tolerance, ..Default::default() };
    let total = at[at.len() - 1];
    let mut runs: Vec<Run> = Vec::new();
    let mut end: Option<f64> = None;
    for &(s, len) in cuts {
        if let Some(e) = end
            && s - e > 1e-6
        {
            runs.push(Run { path: fit_arcs(&along(l, at, e, s - e), false, &fit), meets: None });
        }
        let sections = sections(c, f, l, at, s, len);
        let ring = len > total - 0.05 && sections.len() == 1;
        for (from, length, engagement) in sections {
            let points = if ring { l.to_vec() } else { along(l, at, from, length) };
            runs.push(Run { path: fit_arcs(&points, ring, &fit), meets: Some(engagement) });
        }
        end = Some(s + len);
    }
    Stroke { runs }
}

/// A section promises what it meets; neighbours whose engagements differ less than this are one.
const ALIKE: f64 = 1.1;

/// Pieces (from, length, engagement) of a cut over which the engagement is much the same. One that is shorter than a third of the diameter
/// joins its neighbour.
fn sections(c: &Clearing, f: &Front, l: &[DVec2], at: &[f64], from: f64, len: f64) -> Vec<(f64, f64, f64)> {
    let r = c.radius;
    let n = (len / (0.3 * r)).ceil() as usize + 1;
    let step = len / n as f64;
    let point = |s: f64| along(l, at, s, 1e-6)[0];
    let mut out: Vec<(f64, f64, f64)> = Vec::new();
    let (mut low, mut high) = (0.0, 0.0);
    for k in 0..n {
        let s = from + step * (k as f64 + 0.5);
        let p = point(s);
        let w = -f.before.signed_distance(p);
        let met = local_engagement(r, if w > 0.0 { w } else { 0.0 }, bend(point(s - 0.3 * r), p, point(s + 0.3 * r)));
        let met = met.clamp(5f64.to_radians(), PI);
        let (a, b) = (if met < low { met } else { low }, if met > high { met } else { high });
        match out.last_mut() {
            Some(last) if b <= ALIKE * ALIKE * a => {
                last.1 += step;
                last.2 = b;
                (low, high) = (a, b);
            }
            _ => {
                out.push((s - 0.5 * step, step, met));
                (low, high) = (met, met);
            }
        }
    }
    // The shortest first.
    while out.len() > 1 {
        let Some(k) = (0..out.len()).min_by(|&i, &j| out[i].1.total_cmp(&out[j].1)).filter(|&k| out[k].1 < 0.6 * r)
        else {
            break;
        };
        let (before, after) = (k.checked_sub(1), (k + 1 < out.len()).then_some(k + 1));
        let other = match (before, after) {
            (Some(i), Some(j)) => {
                if out[i].2 >= out[j].2 {
                    i
                } else {
                    j
                }
            }
            (Some(i), None) => i,
            (None, j) => j.unwrap_or(k),
        };
        let (first, second) = (if other < k { other } else { k }, if other < k { k } else { other });
        let gone = out.remove(second);
        let kept = &mut out[first];
        kept.1 += gone.1;
        // A first contact, shorter than half a diameter, may go over what the rest promises.
        if kept.1 - gone.1 < gone.1 {
            kept.2 = gone.2;
        }
    }
    // A short one lies at a corner or at a first contact, where the front is no line: it promises no less than its neighbours.
    let alone: Vec<f64> = out.iter().map(|s| s.2).collect();
    for (k, section) in out.iter_mut().enumerate().filter(|(_, s)| s.1 < 2.4 * r) {
        let around = [k.checked_sub(1), (k + 1 < alone.len()).then_some(k + 1)];
        section.2 = around.into_iter().flatten().map(|j| alone[j]).fold(section.2, |a, b| if b > a { b } else { a });
    }
    out
}

/// Curvature of a line through three points, 1/mm; to the left positive.
fn bend(a: DVec2, b: DVec2, c: DVec2) -> f64 {
    let product = a.distance(b) * b.distance(c) * a.distance(c);
    if product > 1e-12 { 2.0 * (b - a).perp_dot(c - b) / product } else { 0.0 }
}

/// Engagement of a cutter of radius `r` whose path bends and that takes `w` off the front on its right: round the outside of what is cleared
/// (the path turns left, see [`engagement_at`]) or round material (it turns right; the law of cosines the other way).
fn local_engagement(r: f64, w: f64, bend: f64) -> f64 {
    if bend > 1e-4 {
        let rho = 1.0 / bend - w;
        return engagement_at(if rho > 1e-3 { rho } else { 1e-3 }, r, w);
    }
    if bend < -1e-4 {
        let q = -1.0 / bend;
        let m = q - r + w;
        return if m > 0.0 { ((q * q + r * r - m * m) / (2.0 * q * r)).clamp(-1.0, 1.0).acos() } else { 0.0 };
    }
    engagement_at(f64::INFINITY, r, w)
}

/// Join pieces that a clip has cut at a loop's seam or at a vertex.
pub(crate) fn join(mut lines: Vec<Vec<DVec2>>) -> Vec<Vec<DVec2>> {
    let near = |a: DVec2, b: DVec2| a.distance(b) < 5e-6;
    let mut k = 0;
    while k < lines.len() {
        let end = lines[k][lines[k].len() - 1];
        if let Some(j) = (0..lines.len()).find(|&j| j != k && near(lines[j][0], end)) {
            let tail = lines.remove(j);
            let k2 = if j < k { k - 1 } else { k };
            lines[k2].extend_from_slice(&tail[1..]);
            k = k2;
        } else {
            k += 1;
        }
    }
    lines
}

/// The passes that clear a region; parts of it that cannot be entered are left.
pub fn passes(c: &Clearing) -> Passes {
    let r = c.radius;
    // Positions at which the cutter touches material.
    let touched = c.material.grown(r, c.tolerance);
    let mut components = Vec::new();
    let mut swept: Vec<Region> = Vec::new();
    for a in c.allowed.components() {
        if a.grown(r, c.tolerance).intersect(&c.material).area() < 1e-3 {
            continue;
        }
        let Some(plan) = plan_component(c, &a, &touched) else { continue };
        if plan.passes.is_empty() && plan.helix.is_none() {
            continue;
        }
        swept.push(plan.done.shrunk(0.003, c.tolerance).grown(r - 0.003, c.tolerance));
        components.push(plan);
    }
    Passes { components, swept: Region::union_all(&swept) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::motion::Move;

    /// For a straight front the step is R·(1 − cos θ); from a hole as small as the cutter every step meets more than 90°.
    #[test]
    fn step_and_engagement_are_inverse() {
        for rho in [0.5, 2.0, 10.0, 1000.0, 1e7, f64::INFINITY] {
            for deg in [30.0_f64, 60.0, 80.0] {
                let s = step_at(rho, 3.0, deg.to_radians());
                assert!((engagement_at(rho, 3.0, s).to_degrees() - deg).abs() < 1e-6);
            }
        }
        assert!((step_at(1e7, 3.0, 1.0) - 3.0 * (1.0 - 1f64.cos())).abs() < 1e-5);
        // Once a straight front gave ∞ − ∞, and a `max` made a twentieth of the radius of it.
        assert!((step_at(f64::INFINITY, 6.0, 60f64.to_radians()) - 3.0).abs() < 1e-12);
        assert!(engagement_at(1e-9, 3.0, 0.1).to_degrees() > 90.0);
    }

    fn clearing(allowed: Region, material: Region, r: f64) -> Clearing {
        Clearing {
            allowed,
            material,
            radius: r,
            engagement: 1.1,
            helix_slope: 0.035,
            skin_only: false,
            tolerance: 0.01,
        }
    }

    const FEEDS: Feeds = Feeds { cut: 600.0, plunge: 150.0, link: 1500.0, brush: 1500.0 };

    struct Done {
        moves: Vec<Move>,
        swept: Region,
    }

    fn clear(c: &Clearing, stock: &Slabs) -> Done {
        let p = passes(c);
        let at = Cutting {
            levels: vec![-2.0, -4.0],
            top: 0.0,
            feeds: FEEDS,
            feed_where: &|_| FEEDS.cut,
            clear_z: 10.0,
            stock,
        };
        Done { moves: cut(c, &p, &at), swept: p.swept }
    }

    fn lifts(moves: &[Move]) -> usize {
        let z = |m: &Move| match m {
            Move::Rapid { to } | Move::Feed { to, .. } | Move::Arc { to, .. } => Some(to.z),
            _ => None,
        };
        let heights: Vec<f64> = moves.iter().filter_map(z).collect();
        heights.windows(2).filter(|w| w[1] - w[0] > 3.0).count()
    }

    /// Everything a disc can reach is swept, nothing else.
    #[test]
    fn a_closed_pocket_is_swept_but_for_its_corners() {
        let pocket = Region::rect(DVec2::ZERO, DVec2::new(40.0, 25.0));
        let stock = Slabs::prism(Region::rect(DVec2::splat(-10.0), DVec2::new(50.0, 35.0)), -10.0, 0.0);
        let c = clearing(pocket.shrunk(3.0, 0.001), pocket.clone(), 3.0);
        let done = clear(&c, &stock);
        let reachable = pocket.opened(3.0, 0.001);
        // `swept` is told short by 0.003 mm and the polygons' 0.01 mm all along the border of 130 mm.
        assert!(reachable.minus(&done.swept).area() < 130.0 * 0.013, "{}", reachable.minus(&done.swept).area());
        assert!(done.swept.minus(&pocket.grown(0.002, 0.001)).area() < 1e-3);
        assert!(done.moves.iter().any(|m| matches!(m, Move::State { .. })), "it enters by a helix");
    }

    #[test]
    fn an_open_side_is_entered_from_outside() {
        let part = Region::rect(DVec2::new(5.0, 5.0), DVec2::new(35.0, 20.0));
        let block = Region::rect(DVec2::ZERO, DVec2::new(40.0, 25.0));
        let outside = block.grown(8.0, 0.001).minus(&part.grown(3.25, 0.001));
        let stock = Slabs::prism(block.clone(), -10.0, 0.0);
        let done = clear(&clearing(outside, block.minus(&part), 3.0), &stock);
        assert!(!done.moves.iter().any(|m| matches!(m, Move::State { engagement_limit: Some(l), .. } if *l > 3.0)));
        // It stays down: a lift at the end, and no more than one for each side beside.
        assert!(lifts(&done.moves) <= 4, "{}", lifts(&done.moves));
        let left = block.minus(&part.grown(0.25, 0.001)).minus(&done.swept);
        assert!(left.area() < 90.0 * 0.013, "{}", left.area());
    }

    /// A strip beside a part, open at both ends: one end is cut to the middle and then the other, not to and fro. Nothing is left where they meet.
    #[test]
    fn fronts_far_apart_are_followed_one_after_the_other() {
        let block = Region::rect(DVec2::ZERO, DVec2::new(150.0, 9.0));
        let walls = |y0: f64, y1: f64| Region::rect(DVec2::new(-20.0, y0), DVec2::new(170.0, y1));
        let free = walls(0.0, 9.0).shrunk(3.0, 0.001);
        let stock = Slabs::prism(block.clone(), -10.0, 0.0);
        let done = clear(&clearing(free, block.clone(), 3.0), &stock);
        // Two levels of two fronts, and a lift at the end: it was some forty times as many.
        assert!(lifts(&done.moves) <= 5, "{}", lifts(&done.moves));
        assert!(block.minus(&done.swept).area() < 300.0 * 0.013, "{}", block.minus(&done.swept).area());
    }

    #[test]
    fn too_narrow_to_enter_is_left_alone() {
        let slit = Region::rect(DVec2::ZERO, DVec2::new(40.0, 6.02));
        let stock = Slabs::prism(Region::rect(DVec2::splat(-10.0), DVec2::new(50.0, 35.0)), -10.0, 0.0);
        assert!(clear(&clearing(slit.shrunk(3.0, 0.001), slit, 3.0), &stock).moves.is_empty());
    }

    #[test]
    fn stock_narrower_than_the_step_is_one_pass_a_level() {
        let part = Region::rect(DVec2::ZERO, DVec2::new(60.0, 40.0));
        let block = part.grown(0.0, 0.001).offset(1.5, geom::Join::Miter, 0.001);
        let allowed = block.grown(10.0, 0.001).minus(&part.grown(6.25, 0.001));
        let stock = Slabs::prism(block.clone(), -10.0, 0.0);
        let c = Clearing {
            radius: 6.0,
            engagement: 60f64.to_radians(),
            ..clearing(allowed, block.minus(&part.grown(0.31, 0.001)), 6.0)
        };
        let p = passes(&c);
        assert_eq!(p.count(), 1);
        // 1.25 mm wide by a Ø12: acos(1 − 1.25/6) = 37.7°.
        // At the corners it is up to 1.87 mm wide.
        assert!((37.0..42.0).contains(&p.widest().unwrap().to_degrees()), "{}", p.widest().unwrap().to_degrees());
        assert_eq!(lifts(&clear(&c, &stock).moves), 1);
    }

    /// Ribs thinner than the step, alone and against a wall, at several steps: what a pass claims its strokes really sweep.
    #[test]
    fn fronts_that_meet_leave_nothing_between_them() {
        let v = DVec2::new;
        for (wide, share) in [(3.0, 0.7), (1.0, 0.7), (5.0, 0.7), (3.0, 0.5), (9.0, 0.6), (3.0, 0.3)] {
            for wall in [false, true] {
                let rib = Region::rect(v(0.0, 0.0), v(30.0, wide));
                let block = rib.union(&Region::rect(v(24.0, -20.0), v(36.0, 25.0)));
                let keep = if wall { Region::rect(v(24.0, -20.0), v(36.0, 25.0)) } else { Region::empty() };
                let allowed = block.grown(20.0, 0.01).minus(&keep.grown(6.3, 0.01));
                let material = if wall { rib.minus(&keep.grown(0.36, 0.01)) } else { rib };
                let c = Clearing {
                    radius: 6.0,
                    engagement: (1.0_f64 - 2.0 * share).acos(),
                    skin_only: true,
                    ..clearing(allowed, material.clone(), 6.0)
                };
                let p = passes(&c);
                let runs = p.components.iter().flat_map(|p| &p.passes).flat_map(|p| &p.strokes).flat_map(|s| &s.runs);
                let swept: Vec<Region> = runs.map(|r| Region::swept(&r.path.flatten(0.005), 5.99, 0.005)).collect();
                let left = material.minus(&Region::union_all(&swept)).opened(0.03, 0.005);
                assert!(left.area() < 0.06, "{wide} {share} {wall}: {:?}", left.bounds());
            }
        }
    }

    #[test]
    fn pieces_join_at_their_ends() {
        let v = DVec2::new;
        let j =
            join(vec![vec![v(1.0, 0.0), v(2.0, 0.0)], vec![v(5.0, 5.0), v(6.0, 5.0)], vec![v(0.0, 0.0), v(1.0, 0.0)]]);
        assert_eq!(j.len(), 2);
        assert!(j.iter().any(|l| l.len() == 3 && l[0] == v(0.0, 0.0)));
    }
}
