//! Chamfers along edges with a cone: the flank cuts, the tip stays below the edge.

use crate::motion::Move;
use crate::rough::join;
use crate::{Feeds, Mover};
use geom::{DVec2, FitSettings, Path2, Region, Slabs, fit_arcs};

/// Edges to chamfer at one height.
#[derive(Debug, Clone)]
pub struct Edges {
    /// The lower edge of the chamfer's flat, material on its right; a closed line repeats its first point.
    pub lines: Vec<Vec<DVec2>>,
    /// The part's section just below that edge.
    pub section: Region,
    /// Distance of the cutter's axis from the edge, mm.
    pub offset: f64,
    /// Centre positions at which the cutter would hit something.
    pub blocked: Region,
    /// Height of the tip.
    pub tip_z: f64,
    /// Cutter radius, for ways down.
    pub radius: f64,
}

/// What came of it.
pub struct Chamfered {
    /// Motion.
    pub moves: Vec<Move>,
    /// Length of path kept and length blocked, mm.
    pub kept: f64,
    /// See `kept`.
    pub blocked: f64,
    /// Parts of the edges that the cutter's flank does not come to.
    pub missed: Vec<Vec<DVec2>>,
}

/// Chamfer all edges that are not blocked.
pub fn chamfer(e: &Edges, feeds: Feeds, clear_z: f64, stock: &Slabs) -> Chamfered {
    let ring = e.section.grown(e.offset, 0.0005);
    let band =
        Region::union_all(&e.lines.iter().map(|l| Region::band(l, e.offset + 0.004, 0.0005)).collect::<Vec<_>>());
    let lines: Vec<Vec<DVec2>> = ring
        .loops()
        .into_iter()
        .map(|mut l| {
            // The section lies left of its own border; run with the material on the right.
            l.reverse();
            l.push(l[0]);
            l
        })
        .collect();
    let along = band.clip_lines(&lines, true);
    let free = e.blocked.clip_lines(&along, false);
    let len = |v: &[Vec<DVec2>]| v.iter().flat_map(|l| l.windows(2)).map(|w| w[0].distance(w[1])).sum::<f64>();
    let (all, kept) = (len(&along), len(&free));
    let touched = Region::union_all(&free.iter().map(|l| Region::swept(l, e.offset + 0.02, 0.001)).collect::<Vec<_>>());
    let missed =
        touched.clip_lines(&e.lines, false).into_iter().filter(|l| len(std::slice::from_ref(l)) > 0.02).collect();
    let fit = FitSettings { tolerance_mm: 0.001, ..Default::default() };
    let mut m = Mover::new(clear_z, e.radius, feeds, stock);
    for l in join(free) {
        let closed = l.len() > 2 && l[0].distance(l[l.len() - 1]) < 1e-5;
        let mut path: Path2 = fit_arcs(&l, closed, &fit);
        if path.length() < 0.05 {
            continue;
        }
        if closed {
            path = path.started_mid_longest();
        }
        m.enter(path.start, e.tip_z, None);
        m.follow(&path, e.tip_z, feeds.cut);
        m.retract();
    }
    Chamfered { moves: m.finish(), kept, blocked: all - kept, missed }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_block_is_chamfered_all_round_with_its_edge_on_the_right() {
        let section = Region::rect(DVec2::ZERO, DVec2::new(30.0, 20.0));
        let line: Vec<DVec2> =
            [(0.0, 0.0), (0.0, 20.0), (30.0, 20.0), (30.0, 0.0), (0.0, 0.0)].map(|p| DVec2::new(p.0, p.1)).to_vec();
        let stock = Slabs::prism(section.clone(), -10.0, 0.0);
        let feeds = Feeds { cut: 400.0, plunge: 100.0, link: 900.0, brush: 900.0 };
        let mut e =
            Edges { lines: vec![line], section, offset: 1.0, blocked: Region::empty(), tip_z: -1.5, radius: 4.0 };
        let c = chamfer(&e, feeds, 10.0, &stock);
        assert!((c.kept - (100.0 + std::f64::consts::TAU)).abs() < 0.05 && c.blocked.abs() < 1e-6);
        // Clockwise round the outside.
        assert!(c.moves.iter().all(|m| !matches!(m, Move::Arc { ccw: true, .. })));
        e.blocked = Region::rect(DVec2::new(20.0, -5.0), DVec2::new(40.0, 30.0));
        let c = chamfer(&e, feeds, 10.0, &stock);
        assert!(c.blocked > 30.0 && c.kept > 50.0);
    }
}
