//! A piece with blank and part in it, to scale.

use crate::lay::Wanted;
use crate::piece::Piece;
use geom::{DVec2, DVec3, Placement, Region};
use reason::Sure;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Closed lines, mm.
pub type Loops = Vec<Vec<[f64; 2]>>;

/// Three views of a piece, in its coordinates: from above (x, y), from the front (x, z), from its end (y, z).
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct Drawing {
    /// The piece.
    pub piece: [Loops; 3],
    /// The blank sawn off it.
    pub blank: [Loops; 3],
    /// The part.
    pub part: [Loops; 3],
    /// Joints of glued slabs: heights in the piece, mm.
    pub joints: Vec<f64>,
}

/// Finer than a line on a screen, mm.
const FINE: f64 = 0.08;

/// The part's shadow along an axis of the piece, in the two axes that follow it (yz, zx, xy), where the part is turned square.
pub(crate) fn outline(w: &Wanted, at: &Placement, j: usize) -> Vec<Vec<DVec2>> {
    let along = |k: usize| (at.turn * [DVec3::X, DVec3::Y, DVec3::Z][k])[j].abs();
    match (0..3).find(|&k| along(k) > 1.0 - 1e-9) {
        Some(k) => {
            let loops = w.outlines[k].loops();
            let flip = at.turn.determinant() * (at.turn * [DVec3::X, DVec3::Y, DVec3::Z][k])[j] < 0.0;
            loops
                .into_iter()
                .map(|l| {
                    let mut l: Vec<DVec2> = l
                        .into_iter()
                        .map(|p| {
                            let mut q = DVec3::ZERO;
                            q[(k + 1) % 3] = p.x;
                            q[(k + 2) % 3] = p.y;
                            let r = at.point(q);
                            DVec2::new(r[(j + 1) % 3], r[(j + 2) % 3])
                        })
                        .collect();
                    if flip {
                        l.reverse();
                    }
                    l
                })
                .collect()
        }
        None => {
            let axes = [DVec3::X, DVec3::Y, DVec3::Z];
            let turn = geom::DMat3::from_cols(axes[(j + 1) % 3], axes[(j + 2) % 3], axes[j]).transpose();
            let m = w.mesh.placed(&Placement { turn, shift: DVec3::ZERO }.after(at));
            m.shadow_above(m.bounds().min.z - 1.0).loops()
        }
    }
}

fn plain(loops: Vec<Vec<DVec2>>) -> Loops {
    Region::from_oriented(&loops)
        .simplified(FINE)
        .loops()
        .into_iter()
        .map(|l| l.into_iter().map(|p| p.to_array()).collect())
        .collect()
}

fn rect(x: (f64, f64), y: (f64, f64)) -> Vec<Vec<DVec2>> {
    Region::rect(DVec2::new(x.0, y.0), DVec2::new(x.1, y.1)).loops()
}

/// `blank` is low end and length along the blank's x, y, z.
pub(crate) fn drawing(
    w: &Wanted,
    piece: &Piece,
    at: &Placement,
    blank_at: &Placement,
    blank: [(f64, f64); 3],
) -> Drawing {
    let e = piece.shape.envelope().map(|r| (0.0, r.most));
    let swap = |l: Vec<Vec<DVec2>>| {
        l.into_iter().map(|l| l.into_iter().rev().map(|p| DVec2::new(p.y, p.x)).collect()).collect::<Vec<Vec<DVec2>>>()
    };
    let b = blank.map(|(from, long)| (from, from + long));
    let corners = [(b[0].0, b[1].0), (b[0].1, b[1].0), (b[0].1, b[1].1), (b[0].0, b[1].1)]
        .map(|(x, y)| blank_at.point(DVec3::new(x, y, 0.0)).truncate());
    let span = |k: usize| {
        let v: Vec<f64> = corners.iter().map(|c| c[k]).collect();
        (
            v.iter().copied().fold(f64::INFINITY, Sure::at_most),
            v.iter().copied().fold(f64::NEG_INFINITY, Sure::at_least),
        )
    };
    let plan = if piece.shape.plan().loops().is_empty() || piece.shape.is_box() {
        rect(e[0], e[1])
    } else {
        piece.shape.plan().loops()
    };
    let section = plain(piece.shape.section().loops());
    let end = if piece.shape.is_round_bar() { section.clone() } else { plain(rect(span(1), b[2])) };
    Drawing {
        piece: [plain(plan), plain(rect(e[0], e[2])), section],
        blank: [plain(vec![corners.to_vec()]), plain(rect(span(0), b[2])), end],
        // Seen from the front, x runs to the right and z up; the outline along y comes as (z, x).
        part: [plain(outline(w, at, 2)), plain(swap(outline(w, at, 1))), plain(outline(w, at, 0))],
        joints: piece.shape.joints(),
    }
}
