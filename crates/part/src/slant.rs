//! Directions at an angle from which something of the part is cut.

use crate::{Part, Surface, direction_words};
use geom::DVec3;

/// Axes nearer to a direction than this are no slant (sine of the angle).
const SQUARE: f64 = 1e-4;

/// Directions that are along no axis of the part and from which a tilted setup would look at some face: out of hollow rounds, square to
/// flats. Unit vectors with their words, each once; at most 64.
pub fn slants(part: &Part) -> Vec<(DVec3, String)> {
    let mut out: Vec<(DVec3, String)> = Vec::new();
    let mut add = |d: DVec3| {
        let along = d.abs().max_element();
        let slanted = (1.0 - along * along).max(0.0).sqrt() > SQUARE;
        if slanted && out.len() < 64 && out.iter().all(|o| o.0.dot(d) < 1.0 - 1e-8) {
            out.push((d, direction_words(d)));
        }
    };
    for f in &part.faces {
        match f.surface {
            Surface::Cylinder { axis, hollow: true, .. } | Surface::Cone { axis, hollow: true, .. } => {
                add(axis);
                add(-axis);
            }
            Surface::Plane { normal, .. } => add(normal),
            _ => {}
        }
    }
    out
}
