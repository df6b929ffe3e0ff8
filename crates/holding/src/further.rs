//! Further sides: from which directions across the first two can be cut what those two do not see.
//!
//! Hidden is what lies in a gap between material above and below it, along the first two sides' axis. Of the four directions across, the
//! fewest are taken that together see as much of it as all four (all sixteen choices are looked at).

use geom::{DMat3, DVec3, Placement, RayGrid};
use part::{Part, View};
use serde::{Deserialize, Serialize};

/// What a further side is for: places in part coordinates, each the middle of a cube of side `cell`.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Only {
    /// Middles, part coordinates.
    pub places: Vec<DVec3>,
    /// mm.
    pub cell: f64,
}

/// A further direction, and what is cut from it.
#[derive(Debug, Clone)]
pub(crate) struct Further {
    pub up: DVec3,
    pub only: Only,
}

/// Less than this is no reason for a further setup, mm³.
const LEAST: f64 = 0.4;

pub(crate) fn further(part: &Part, up: DVec3) -> Vec<Further> {
    // A frame whose z is up; its x and y are the directions across.
    let x = if up.x.abs() > 0.5 { DVec3::Y } else { DVec3::X };
    let turn = DMat3::from_cols(x, up.cross(x), up);
    let frame = Placement { turn, shift: DVec3::ZERO };
    let view = View::new(part, frame.inverse());
    let b = view.bounds;
    let size = b.size();
    let cell = (size.x * size.y / 60_000.0).sqrt().clamp(0.12, 0.6);
    let grid = RayGrid::covering(2, &b, cell);
    let mut hidden: Vec<DVec3> = Vec::new();
    for (k, ray) in view.mesh.crossings(&grid).iter().enumerate() {
        for w in ray.windows(2).filter(|w| !w[0].enters && w[1].enters) {
            let n = ((w[1].t - w[0].t) / cell).round();
            hidden.extend((0..n as usize).map(|i| grid.point(k, w[0].t + (w[1].t - w[0].t) * (i as f64 + 0.5) / n)));
        }
    }
    if (hidden.len() as f64) * cell.powi(3) < LEAST {
        return Vec::new();
    }
    let across = [RayGrid::covering(0, &b, cell), RayGrid::covering(1, &b, cell)];
    let rays = across.each_ref().map(|g| view.mesh.crossings(g));
    // Bit k: seen from direction k of +x, −x, +y, −y.
    let seen = |p: &DVec3| -> u8 {
        let mut mask = 0;
        for axis in 0..2 {
            let g = &across[axis];
            let (u, v) = g.uv();
            let (i, j) =
                (g.range(0, p[u] - 0.5 * cell, p[u] + 0.5 * cell), g.range(1, p[v] - 0.5 * cell, p[v] + 0.5 * cell));
            let (Some(i), Some(j)) = (i.clone().next(), j.clone().next()) else { continue };
            let ray = &rays[axis][j * g.count[0] + i];
            if ray.iter().all(|c| c.t <= p[axis]) {
                mask |= 1 << (2 * axis);
            }
            if ray.iter().all(|c| c.t >= p[axis]) {
                mask |= 2 << (2 * axis);
            }
        }
        mask
    };
    let masks: Vec<u8> = hidden.iter().map(seen).collect();
    let volume = |n: usize| n as f64 * cell.powi(3);
    let covered = |choice: u8| masks.iter().filter(|m| *m & choice != 0).count();
    let most = covered(0b1111);
    let best = (0..16_u8)
        .filter(|c| volume(most - covered(*c)) < LEAST)
        .min_by_key(|c| (c.count_ones(), most - covered(*c), *c))
        .unwrap_or(0);
    // The direction that sees most takes what it sees; the others what is left.
    let mut order: Vec<u8> = (0..4).filter(|k| best & (1 << k) != 0).collect();
    order.sort_by_key(|k| std::cmp::Reverse(covered(1 << k)));
    let mut taken: u8 = 0;
    let mut out = Vec::new();
    for k in order {
        let mine = |m: u8| m & (1 << k) != 0 && m & taken == 0;
        let places: Vec<DVec3> =
            hidden.iter().zip(&masks).filter(|(_, m)| mine(**m)).map(|(p, _)| frame.point(*p)).collect();
        taken |= 1 << k;
        let d = if k < 2 { DVec3::X } else { DVec3::Y };
        let up = frame.dir(if k % 2 == 0 { d } else { -d });
        out.push(Further { up: up.round(), only: Only { places, cell } });
    }
    out
}
