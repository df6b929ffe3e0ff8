//! Clearing a region with bounded engagement: growth of the cleared region by equal steps.
//!
//! Let K be the set of centre positions already cleared and A the positions allowed. The next pass runs along the border of
//! K' = A ∩ (K ⊕ disc(s)); what it meets is s wide, measured square to the front, wherever it cuts. Where the front is a bulge of
//! radius ρ into the material the cutter meets more: with cutter radius R and limit θ the law of cosines gives
//! s = √((ρ + R)² − R²·sin²θ) − R·cos θ − ρ, which tends to R·(1 − cos θ) for a straight front. Where two fronts meet the material
//! is a ridge and the engagement falls. In a corner the passes become arcs from wall to wall, in a slot strokes across it, so
//! nothing special is needed there (they are the "stepping circles" and strokes that the literature treats as cases). Fronts
//! start in the air where the region is open, else from a helix at its widest place.
//!
//! Not guaranteed: the first contact of each pass beside a wall, shorter than about half a diameter, goes over the limit; a
//! region hardly wider than the cutter is a slot whatever the order. Published kin, from memory: offset and wavefront ("brush
//! fire") pocketing; constant-engagement offsets (Stori & Wright 2000); stepping circles (Coleman & Evans).

use crate::motion::Move;
use crate::{Feeds, Mover, Slabs};
use geom::{DVec2, FitSettings, Path2, Region, fit_arcs};
use std::f64::consts::FRAC_PI_2;

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
    /// Heights of the levels from the top down.
    pub levels: Vec<f64>,
    /// Height of the material over the first level.
    pub top: f64,
    /// Fall of a helix turn, mm.
    pub helix_pitch: f64,
    /// Entries into full material need no helix: the layer is a skin.
    pub skin_only: bool,
    /// Arcs and fits to this, mm.
    pub tolerance: f64,
}

/// What came of it.
#[derive(Debug, Clone)]
pub struct Cleared {
    /// Motion, ended above everything.
    pub moves: Vec<Move>,
    /// What the cutter has swept, seen from above (a hair less).
    pub swept: Region,
    /// Number of passes of one level.
    pub passes: usize,
}

/// Step for which a front of radius `rho` meets the cutter (radius `r`) over the angle `theta`.
pub fn step_at(rho: f64, r: f64, theta: f64) -> f64 {
    if theta >= FRAC_PI_2 * 1.999 {
        return 2.0 * r;
    }
    ((rho + r).powi(2) - (r * theta.sin()).powi(2)).sqrt() - r * theta.cos() - rho
}

/// Engagement of a step `s` from a front of radius `rho` (the reverse of [`step_at`]).
pub fn engagement_at(rho: f64, r: f64, s: f64) -> f64 {
    (((rho + r).powi(2) - (rho + s).powi(2) - r * r) / (2.0 * (rho + s) * r)).clamp(-1.0, 1.0).acos()
}

/// Tolerance of telling air from material, mm.
const AIR: f64 = 0.015;

struct Pass {
    /// Cut paths in climb direction.
    paths: Vec<Path2>,
    /// Cleared before it.
    free: Region,
}

struct Plan {
    passes: Vec<Pass>,
    /// Helix (centre, radius) where there is no way in from the air.
    helix: Option<(DVec2, f64)>,
    done: Region,
}

/// Smallest helix, as a share of the cutter's radius.
const SMALLEST_HELIX: f64 = 0.1;

fn plan_component(c: &Clearing, a: &Region, touched: &Region) -> Option<Plan> {
    let r = c.radius;
    let tol = c.tolerance;
    let mut k = a.minus(touched).without_specks(1e-3);
    let mut helix = None;
    let mut rho = f64::INFINITY;
    if k.opened(0.02, tol).is_empty() {
        let (center, deep) = a.deepest(0.02)?;
        let radius = (0.85 * r).min(deep - 0.01);
        if radius < SMALLEST_HELIX * r && !c.skin_only {
            return None;
        }
        let radius = radius.max(0.02);
        helix = Some((center, radius));
        k = Region::disc(center, radius, tol / 4.0).intersect(a);
        rho = radius;
    }
    let mut passes = Vec::new();
    for _ in 0..2000 {
        let rest = a.minus(&k);
        if rest.area() < 1e-3 {
            break;
        }
        // At least a fortieth of the diameter, so that a limit that cannot be kept still comes to an end.
        let s = step_at(rho, r, c.engagement).max(0.05 * r);
        let next = k.grown(s, tol).intersect(a).union(&k);
        // Only to skip the air.
        let remaining = c.material.minus(&k.grown(r, AIR));
        if remaining.area() < 1e-4 {
            break;
        }
        let reach = remaining.grown(r - 0.01, AIR);
        // The new border: not where it was cleared before, and only where there is something to take.
        let hair = k.grown((0.03 * s).max(0.002), tol);
        let lines: Vec<Vec<DVec2>> = next.loops().into_iter().map(closed_line).collect();
        let fresh = hair.clip_lines(&lines, false);
        let cutting = reach.clip_lines(&fresh, true);
        let fit = FitSettings { tolerance_mm: tol, ..Default::default() };
        let mut paths: Vec<Path2> =
            join(cutting).into_iter().filter(|l| length(l) > 0.05).map(|l| fit_arcs(&l, false, &fit)).collect();
        paths.retain(|p| p.length() > 0.02);
        let grew = next.area() - k.area();
        if !paths.is_empty() {
            passes.push(Pass { paths, free: k.clone() });
        }
        if grew < 1e-5 {
            break;
        }
        rho += s;
        k = next.simplified(tol / 4.0);
    }
    Some(Plan { passes, helix, done: k })
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

/// Clear every level. `stock` is the material before (for safe ways down); parts of the region that cannot be entered are left.
pub fn clear(c: &Clearing, feeds: Feeds, clear_z: f64, stock: &Slabs) -> Cleared {
    let r = c.radius;
    // Positions at which the cutter touches material.
    let touched = c.material.grown(r, c.tolerance);
    let mut mover = Mover::new(clear_z, r, feeds, stock);
    let mut swept: Vec<Region> = Vec::new();
    let mut count = 0;
    for a in c.allowed.components() {
        if a.grown(r, c.tolerance).intersect(&c.material).area() < 1e-3 {
            continue;
        }
        let Some(plan) = plan_component(c, &a, &touched) else { continue };
        if plan.passes.is_empty() && plan.helix.is_none() {
            continue;
        }
        count += plan.passes.len();
        let mut above = c.top;
        for &z in &c.levels {
            if let Some((center, radius)) = plan.helix {
                // What the level above has cleared is free down to it; its own helix begins there.
                let start = center + DVec2::X * radius;
                let from = (above + 0.2).max(z + 0.05);
                mover.enter(start, from, Some((above, c.top)));
                if !c.skin_only {
                    mover.state(
                        &format!("ENTRY BY HELIX, FULL WIDTH {:.2} DEEP", c.helix_pitch),
                        Some(std::f64::consts::PI),
                    );
                }
                mover.helix(center, z, c.helix_pitch, feeds.cut * 0.5);
                if !c.skin_only {
                    mover.state("ON", Some(c.engagement));
                }
            }
            for pass in &plan.passes {
                let mut left: Vec<&Path2> = pass.paths.iter().collect();
                while !left.is_empty() {
                    let at = mover.at().map_or(left[0].start, |p| p.truncate());
                    let near = (0..left.len())
                        .min_by(|&i, &j| at.distance(left[i].start).total_cmp(&at.distance(left[j].start)));
                    let path = left.remove(near.unwrap_or(0));
                    approach(&mut mover, path, z, pass, (above, c.top));
                    mover.follow(path, z, feeds.cut);
                }
            }
            above = z;
        }
        swept.push(plan.done.shrunk(0.003, c.tolerance).grown(r - 0.003, c.tolerance));
    }
    Cleared { moves: mover.finish(), swept: Region::union_all(&swept), passes: count }
}

/// Come to the start of a pass from what is already cleared at this level.
fn approach(mover: &mut Mover, path: &Path2, z: f64, pass: &Pass, (above, top): (f64, f64)) {
    let start = path.start;
    let foot = if pass.free.contains(start) { start } else { pass.free.nearest_on_border(start).unwrap_or(start) };
    let inside = pass.free.shrunk(0.15, 0.02);
    // A little into the cleared part, so that the way down does not scrape.
    let down = if inside.contains(foot) {
        foot
    } else {
        inside.nearest_on_border(foot).filter(|q| q.distance(foot) < 3.0).unwrap_or(foot)
    };
    let cleared = if inside.is_empty() { above } else { z };
    if let Some(at) = mover.at()
        && (at.z - z).abs() < 1e-9
    {
        let a = at.truncate();
        let free = &pass.free;
        // Straight over what was cleared before this pass (its end may stand on the new border, a step away).
        let back = if free.contains(a) { a } else { free.nearest_on_border(a).unwrap_or(a) };
        if back.distance(a) < mover.radius && free.contains_segment(back, foot) {
            mover.feed(back.extend(z), mover.feeds.cut);
            mover.feed(foot.extend(z), mover.feeds.link);
            mover.feed(start.extend(z), mover.feeds.cut);
            return;
        }
    }
    mover.enter(down, z, Some((cleared, top)));
    mover.feed(foot.extend(z), mover.feeds.cut);
    mover.feed(start.extend(z), mover.feeds.cut);
}

#[cfg(test)]
mod tests {
    use super::*;

    /// For a straight front the step is R·(1 − cos θ); from a hole as small as the cutter every step meets more than 90°.
    #[test]
    fn step_and_engagement_are_inverse() {
        for rho in [0.5, 2.0, 10.0, 1000.0] {
            for deg in [30.0_f64, 60.0, 80.0] {
                let s = step_at(rho, 3.0, deg.to_radians());
                assert!((engagement_at(rho, 3.0, s).to_degrees() - deg).abs() < 1e-6);
            }
        }
        assert!((step_at(1e7, 3.0, 1.0) - 3.0 * (1.0 - 1f64.cos())).abs() < 1e-5);
        assert!(engagement_at(1e-9, 3.0, 0.1).to_degrees() > 90.0);
    }

    fn clearing(allowed: Region, material: Region, r: f64) -> Clearing {
        Clearing {
            allowed,
            material,
            radius: r,
            engagement: 1.1,
            levels: vec![-2.0, -4.0],
            top: 0.0,
            helix_pitch: 0.4,
            skin_only: false,
            tolerance: 0.01,
        }
    }

    const FEEDS: Feeds = Feeds { cut: 600.0, plunge: 150.0, link: 1500.0 };

    /// Everything a disc can reach is swept, nothing else.
    #[test]
    fn a_closed_pocket_is_swept_but_for_its_corners() {
        let pocket = Region::rect(DVec2::ZERO, DVec2::new(40.0, 25.0));
        let stock = Slabs::prism(Region::rect(DVec2::splat(-10.0), DVec2::new(50.0, 35.0)), -10.0, 0.0);
        let c = clearing(pocket.shrunk(3.0, 0.001), pocket.clone(), 3.0);
        let done = clear(&c, FEEDS, 10.0, &stock);
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
        let done = clear(&clearing(outside, block.minus(&part), 3.0), FEEDS, 10.0, &stock);
        assert!(!done.moves.iter().any(|m| matches!(m, Move::State { .. })));
        let left = block.minus(&part.grown(0.25, 0.001)).minus(&done.swept);
        assert!(left.area() < 90.0 * 0.013, "{}", left.area());
    }

    #[test]
    fn too_narrow_to_enter_is_left_alone() {
        let slit = Region::rect(DVec2::ZERO, DVec2::new(40.0, 6.02));
        let stock = Slabs::prism(Region::rect(DVec2::splat(-10.0), DVec2::new(50.0, 35.0)), -10.0, 0.0);
        assert!(clear(&clearing(slit.shrunk(3.0, 0.001), slit, 3.0), FEEDS, 10.0, &stock).moves.is_empty());
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
