//! Finishing walls: climb along the border of the allowed region, with tangent ways in and out.

use crate::motion::Move;
use crate::rough::join;
use crate::{Feeds, Mover};
use geom::{DVec2, FitSettings, Path2, Region, Seg, Slabs, fit_arcs};
use reason::Sure;

/// Walls to finish at some heights.
#[derive(Debug, Clone)]
pub struct Walls {
    /// Where the cutter's axis may be: its border is the path.
    pub allowed: Region,
    /// Only where the border lies in this; none for all of it.
    pub only: Option<Region>,
    /// Not where it lies in this.
    pub not: Option<Region>,
    /// Centre positions from which this much is already free around the cutter: entries stay in it.
    pub entry: Region,
    /// Cutter radius, mm.
    pub radius: f64,
    /// Heights from the top down.
    pub levels: Vec<f64>,
    /// What is taken off the wall, mm.
    pub width: f64,
    /// Fit of arcs, mm.
    pub tolerance: f64,
}

/// The paths of a level, climb.
pub fn wall_paths(w: &Walls) -> Vec<Path2> {
    let fit = FitSettings { tolerance_mm: w.tolerance, ..Default::default() };
    let mut out = Vec::new();
    for l in w.allowed.loops() {
        let mut line = l;
        line.push(line[0]);
        let whole = line.clone();
        let mut pieces = vec![line];
        if let Some(only) = &w.only {
            pieces = only.clip_lines(&pieces, true);
        }
        if let Some(not) = &w.not {
            pieces = not.clip_lines(&pieces, false);
        }
        let len = |l: &[DVec2]| l.windows(2).map(|p| p[0].distance(p[1])).sum::<f64>();
        let total: f64 = pieces.iter().map(|p| len(p)).sum();
        if total > len(&whole) - 1e-3 {
            out.push(fit_arcs(&whole, true, &fit).started_mid_longest());
            continue;
        }
        out.extend(join(pieces).into_iter().filter(|p| len(p) > 0.01).map(|p| fit_arcs(&p, false, &fit)));
    }
    out
}

/// Thickest chip ÷ feed per tooth at a width, by √(ae/D − (ae/D)²).
fn chip(width: f64, diameter: f64) -> f64 {
    let q = (width / diameter).clamp(0.0, 1.0);
    if q < 0.5 { 2.0 * (q - q * q).sqrt() } else { 1.0 }
}

/// Width that a cutter of diameter D meets, taking `width` off a wall round which its middle runs on a circle of `radius`: inside, from the
/// bore D_p to D_h, (D_h² − D_p²)/(4·(D_h − D)); outside, from the boss D_p to D_b, (D_p² − D_b²)/(4·(D_b + D)).
pub fn engaged_width(width: f64, radius: f64, diameter: f64, inside: bool) -> f64 {
    let r = diameter / 2.0;
    let (wall, past) = if inside { (radius + r, 2.0 * radius) } else { (radius - r, 2.0 * radius) };
    if past <= 0.0 {
        return diameter;
    }
    let before = if inside { 2.0 * (wall - width) } else { 2.0 * (wall + width) };
    let after = 2.0 * wall;
    ((after * after - before * before).abs() / (4.0 * past)).clamp(0.0, diameter)
}

/// Feed of the middle on an arc ÷ the feed on a straight wall, for the same thickest chip. Round an outside corner the formula counts on a skin of
/// even thickness; what stands at a sharp corner is thicker, so the feed is raised at most by the wall's share of the arc's radius.
pub fn arc_feed(width: f64, radius: f64, diameter: f64, inside: bool) -> f64 {
    let share = chip(width, diameter) / chip(engaged_width(width, radius, diameter, inside), diameter).clamp(1e-6, 1.0);
    let wall = (1.0 - diameter / 2.0 / radius).clamp(0.0, 1.0);
    if !inside && share > 1.0 + wall { 1.0 + wall } else { share }
}

/// Along a wall, its arcs at the feed that keeps the chip. Climb: an arc to the left is inside.
fn along_wall(m: &mut Mover, w: &Walls, path: &Path2, z: f64, feeds: Feeds) {
    let mut at = path.start;
    for s in &path.segs {
        match *s {
            Seg::Line { to } => m.feed(to.extend(z), feeds.cut),
            Seg::Arc { to, center, ccw } => {
                let share = arc_feed(w.width, at.distance(center), 2.0 * w.radius, ccw);
                let feed = feeds.cut * share;
                m.arc(to.extend(z), center, ccw, if feed < feeds.link { feed } else { feeds.link });
            }
        }
        at = s.to();
    }
}

/// Radii tried for the arcs in and out, mm.
const LEADS: [f64; 6] = [3.0, 2.0, 1.2, 0.8, 0.5, 0.3];
/// Overlap at the end of a closed path, mm.
const OVERLAP: f64 = 1.0;

/// Quarter arcs on the left of the path (its free side) with which to come in and go out at a closed path's start.
fn quarter(p: DVec2, dir: DVec2, r: f64, coming: bool) -> (DVec2, DVec2) {
    let left = dir.perp();
    let center = p + left * r;
    (center + if coming { -dir } else { dir } * r, center)
}

/// A straight run beyond an open end, as far as the allowed region lets it (2 mm past the radius at most).
fn run_out(allowed: &Region, p: DVec2, dir: DVec2, radius: f64) -> Option<DVec2> {
    [radius + 2.0, 0.5 * radius + 0.5, 0.5]
        .into_iter()
        .map(|l| p + dir * l)
        .find(|&q| allowed.contains_segment(p + dir * 0.002 + dir.perp() * 0.0015, q + dir.perp() * 0.0015))
}

/// Does the quarter arc between the path's point `p` and its free end stay where the axis may be, and end well clear?
fn arc_is_free(w: &Walls, p: DVec2, end: DVec2, center: DVec2) -> bool {
    let (u, v) = (p - center, end - center);
    w.entry.contains(end)
        && (1..8).all(|k| {
            w.allowed.contains(
                center
                    + (u * (f64::from(k) * std::f64::consts::FRAC_PI_2 / 8.0).cos()
                        + v * (f64::from(k) * std::f64::consts::FRAC_PI_2 / 8.0).sin()),
            )
        })
}

/// The nearest well-clear place that a straight way within the allowed region leads to.
fn clear_place(w: &Walls, p: DVec2) -> Option<DVec2> {
    w.entry.nearest_on_border(p).filter(|&q| w.allowed.contains_segment(p, q))
}

/// All walls at all levels.
pub fn finish_walls(w: &Walls, feeds: Feeds, clear_z: f64, stock: &Slabs) -> Vec<Move> {
    let mut m = Mover::new(clear_z, w.radius, feeds, stock);
    let mut paths = wall_paths(w);
    let mut at = DVec2::ZERO;
    while !paths.is_empty() {
        let k = (0..paths.len())
            .min_by(|&i, &j| at.distance(paths[i].start).total_cmp(&at.distance(paths[j].start)))
            .unwrap_or(0);
        let path = paths.remove(k);
        at = path.start;
        for &z in &w.levels {
            if path.is_closed() {
                closed(&mut m, w, &path, z, feeds);
            } else {
                open(&mut m, w, &path, z, feeds);
            }
        }
    }
    m.finish()
}

fn closed(m: &mut Mover, w: &Walls, path: &Path2, z: f64, feeds: Feeds) {
    let (p, dir) = (path.start, path.start_dir());
    let lead = LEADS.into_iter().find(|&r| {
        let (a, ca) = quarter(p, dir, r, true);
        let (b, cb) = quarter(p, dir, r, false);
        arc_is_free(w, p, a, ca) && arc_is_free(w, p, b, cb)
    });
    // A little further than once round, so that the entry leaves no step.
    let again = overlap(path);
    match lead {
        Some(r) => {
            let (a, ca) = quarter(p, dir, r, true);
            m.enter(a, z, None);
            m.arc(p.extend(z), ca, true, feeds.cut);
            along_wall(m, w, path, z, feeds);
            if let Some((seg, q, qdir)) = again {
                m.follow(&Path2 { start: p, segs: vec![seg] }, z, feeds.cut);
                let (b, cb) = quarter(q, qdir, r, false);
                if arc_is_free(w, q, b, cb) {
                    m.arc(b.extend(z), cb, true, feeds.cut);
                }
            } else {
                let (b, cb) = quarter(p, dir, r, false);
                m.arc(b.extend(z), cb, true, feeds.cut);
            }
        }
        None => {
            // No room for an arc: straight from the freest place near by.
            let from = clear_place(w, p).unwrap_or(p);
            m.enter(from, z, None);
            m.feed(p.extend(z), feeds.cut * 0.5);
            along_wall(m, w, path, z, feeds);
            m.feed(from.extend(z), feeds.cut);
        }
    }
    m.retract();
}

/// The first millimetre of a closed path once more: its piece, end and direction.
fn overlap(path: &Path2) -> Option<(Seg, DVec2, DVec2)> {
    match path.segs[0] {
        Seg::Line { to } if path.start.distance(to) > OVERLAP => {
            let q = path.start + path.start_dir() * OVERLAP;
            Some((Seg::Line { to: q }, q, path.start_dir()))
        }
        Seg::Arc { center, ccw, .. } => {
            let r = path.start.distance(center);
            let turn = (OVERLAP / r).at_most(0.3) * if ccw { 1.0 } else { -1.0 };
            let q = center + DVec2::from_angle(turn).rotate(path.start - center);
            let dir = if ccw { (q - center).perp() } else { -(q - center).perp() };
            Some((Seg::Arc { to: q, center, ccw }, q, dir.normalize_or(DVec2::X)))
        }
        Seg::Line { .. } => None,
    }
}

fn open(m: &mut Mover, w: &Walls, path: &Path2, z: f64, feeds: Feeds) {
    let (p, dir) = (path.start, path.start_dir());
    let (e, end_dir) = (path.end(), path.end_dir());
    let come = |q: DVec2, d: DVec2, coming: bool| {
        LEADS
            .into_iter()
            .map(|r| (quarter(q, d, r, coming), r))
            .find(|&((a, c), _)| arc_is_free(w, q, a, c))
            .map(|(x, _)| x)
    };
    if let Some(q) = run_out(&w.allowed, p, -dir, w.radius).filter(|q| w.entry.contains(*q)) {
        m.enter(q, z, None);
        m.feed(p.extend(z), feeds.cut);
    } else if let Some((a, c)) = come(p, dir, true) {
        m.enter(a, z, None);
        m.arc(p.extend(z), c, true, feeds.cut);
    } else {
        let from = clear_place(w, p).unwrap_or(p);
        m.enter(from, z, None);
        m.feed(p.extend(z), feeds.cut * 0.5);
    }
    along_wall(m, w, path, z, feeds);
    let on = run_out(&w.allowed, e, end_dir, w.radius);
    // Straight on where that leads into the open; along a wall that goes on it would lift off it with a mark.
    if let Some(q) = on.filter(|q| w.entry.contains(*q)) {
        m.feed(q.extend(z), feeds.cut);
    } else if let Some((b, c)) = come(e, end_dir, false) {
        m.arc(b.extend(z), c, true, feeds.cut);
    } else if let Some(q) = on.or_else(|| clear_place(w, e)) {
        m.feed(q.extend(z), feeds.cut);
    }
    m.retract();
}

#[cfg(test)]
mod tests {
    use super::*;
    use geom::DVec3;

    const FEEDS: Feeds = Feeds { cut: 400.0, plunge: 100.0, link: 900.0, brush: 900.0 };

    /// A piece of a wall that goes on beyond it is left by an arc: the cutter lifts off no finished wall.
    #[test]
    fn a_piece_of_a_wall_is_left_by_an_arc() {
        let (mut w, stock) = pocket();
        // One corner only.
        w.only = Some(Region::rect(DVec2::splat(-1.0), DVec2::splat(8.0)));
        w.levels = vec![-6.0];
        let mut at = DVec3::ZERO;
        let mut lifts = 0;
        for m in finish_walls(&w, FEEDS, 5.0, &stock) {
            let to = m.way(at).1;
            if matches!(m, Move::Rapid { .. }) && to.z > at.z + 1.0 && at.z < 0.0 {
                lifts += 1;
                let off = w.allowed.signed_distance(at.truncate());
                assert!(off > 0.2, "lifts {off:.3} mm off the wall's offset at {at}");
            }
            at = to;
        }
        assert!(lifts >= 1);
    }

    fn pocket() -> (Walls, Slabs) {
        let pocket = Region::rect(DVec2::ZERO, DVec2::new(30.0, 20.0)).shrunk(4.0, 0.0005).grown(4.0, 0.0005);
        let allowed = pocket.shrunk(3.0, 0.0005);
        let mut stock = Slabs::prism(Region::rect(DVec2::splat(-5.0), DVec2::new(35.0, 25.0)), -10.0, 0.0);
        stock.cut(&pocket.shrunk(0.25, 0.001), -6.0);
        let entry = allowed.shrunk(0.3, 0.001);
        (
            Walls {
                allowed,
                only: None,
                not: None,
                entry,
                radius: 3.0,
                levels: vec![-6.0],
                width: 0.25,
                tolerance: 0.001,
            },
            stock,
        )
    }

    /// A rounded pocket's wall is four lines and four arcs, climb: counter-clockwise round a pocket.
    #[test]
    fn a_pocket_wall_is_lines_and_arcs_with_tangent_leads() {
        let (w, stock) = pocket();
        let moves = finish_walls(&w, FEEDS, 10.0, &stock);
        let arcs: Vec<f64> = moves
            .iter()
            .filter_map(|m| {
                if let Move::Arc { to, center, ccw: true, .. } = m {
                    Some(to.truncate().distance(*center))
                } else {
                    None
                }
            })
            .collect();
        assert!(arcs.iter().filter(|r| (*r - 1.0).abs() < 2e-3).count() == 4, "{arcs:?}");
        assert!(arcs.len() >= 6 && moves.len() < 20, "{moves:#?}");
        // The way down does not touch the skin.
        let down = moves
            .iter()
            .rev()
            .find_map(|m| if let Move::Feed { to, .. } = m { (to.z == -6.0).then_some(to.truncate()) } else { None });
        assert!(down.is_some());
    }

    /// Worked: a bore Ø17 by a Ø12 from Ø16.5 meets 0.8375 mm, and its middle goes at 0.56 of a straight 0.25 mm pass. The formula is that
    /// of circular interpolation in the tool makers' handbooks; the chip is that of ISO 3002.
    #[test]
    fn inside_an_arc_the_cutter_meets_more_and_goes_slower() {
        assert!((engaged_width(0.25, 2.5, 12.0, true) - 0.8375).abs() < 1e-9);
        assert!((arc_feed(0.25, 2.5, 12.0, true) - 0.56).abs() < 0.003);
        // Round a sharp corner the skin is not even: no faster than straight on; and never above what the formula gives.
        assert_eq!(arc_feed(0.3, 3.0, 6.0, false), 1.0);
        assert!(arc_feed(0.3, 3.5, 6.0, false) < 1.15 && (arc_feed(0.3, 6.0, 6.0, false) - 1.36).abs() < 0.02);
        // Round a boss it meets less, and a wall of large radius is straight.
        assert!(arc_feed(0.25, 16.0, 12.0, false) > 1.1);
        for inside in [true, false] {
            assert!((arc_feed(0.25, 1e6, 12.0, inside) - 1.0).abs() < 1e-3);
        }
    }

    #[test]
    fn arcs_of_a_pocket_are_slower_than_its_lines() {
        let (w, stock) = pocket();
        let moves = finish_walls(&w, FEEDS, 10.0, &stock);
        let corner = moves.iter().find_map(|m| match m {
            Move::Arc { to, center, feed, .. } if (to.truncate().distance(*center) - 1.0).abs() < 2e-3 => Some(*feed),
            _ => None,
        });
        let share = arc_feed(0.25, 1.0, 6.0, true);
        assert!((corner.unwrap() - FEEDS.cut * share).abs() < 1.0 && share < 0.6, "{corner:?} {share}");
    }

    #[test]
    fn only_and_not_cut_the_path() {
        let (mut w, _) = pocket();
        w.only = Some(Region::rect(DVec2::splat(-10.0), DVec2::new(15.0, 40.0)));
        let half: f64 = wall_paths(&w).iter().map(Path2::length).sum();
        w.not = w.only.take();
        let other: f64 = wall_paths(&w).iter().map(Path2::length).sum();
        w.not = None;
        let all: f64 = wall_paths(&w).iter().map(Path2::length).sum();
        assert!((half + other - all).abs() < 1e-3 && half > 20.0);
    }
}
