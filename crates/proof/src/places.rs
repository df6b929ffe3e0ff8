//! Few boxes for much material: a finding names where it is, not each ray of it.

use geom::{Box3, DVec3};
use reason::Place;
use std::collections::BTreeMap;

/// At most so many boxes for a finding.
pub(crate) const MOST: usize = 2000;
/// Side of the cells in which boxes are gathered at first, mm.
const CELL: f64 = 0.5;

/// The same material in at most [`MOST`] boxes: gathered in cells, rows and slabs of cells, each shrunk to what it holds.
pub(crate) fn fewer(boxes: Vec<Place>) -> Vec<Place> {
    if boxes.len() <= MOST {
        return boxes;
    }
    let mut cell = CELL;
    loop {
        let out = gathered(&boxes, cell);
        if out.len() <= MOST {
            return out;
        }
        cell *= 1.4;
    }
}

type Key = [i64; 3];

fn gathered(boxes: &[Place], cell: f64) -> Vec<Place> {
    // What lies in each cell.
    let mut cells: BTreeMap<Key, Box3> = BTreeMap::new();
    for p in boxes {
        let (lo, hi) = (DVec3::from_array(p.min_mm), DVec3::from_array(p.max_mm));
        let (a, b) = ((lo / cell).floor().as_i64vec3(), (hi / cell - 1e-9).floor().as_i64vec3());
        for x in a.x..=b.x {
            for y in a.y..=b.y {
                for z in a.z..=b.z {
                    let c = DVec3::new(x as f64, y as f64, z as f64) * cell;
                    let part = Box3 { min: lo.max(c), max: hi.min(c + cell) };
                    let held = cells.entry([z, y, x]).or_insert(Box3::EMPTY);
                    *held = held.joined(&part);
                }
            }
        }
    }
    // Rows along x, then rows that lie side by side along y, then along z.
    let mut list: Vec<(Key, Key, Box3)> = cells.into_iter().map(|(k, b)| (k, k, b)).collect();
    for axis in [2, 1, 0] {
        let others: Vec<usize> = (0..3).filter(|k| *k != axis).collect();
        let name = |e: &(Key, Key, Box3)| [e.0[others[0]], e.1[others[0]], e.0[others[1]], e.1[others[1]]];
        list.sort_by_key(|e| (name(e), e.0[axis]));
        let mut out: Vec<(Key, Key, Box3)> = Vec::new();
        for e in list {
            match out.last_mut() {
                Some(l) if name(l) == name(&e) && l.1[axis] + 1 == e.0[axis] && alike(&l.2, &e.2, 2 - axis, cell) => {
                    l.1[axis] = e.1[axis];
                    l.2 = l.2.joined(&e.2);
                }
                _ => out.push(e),
            }
        }
        list = out;
    }
    list.into_iter().map(|(_, _, b)| Place::new(b.min, b.max)).collect()
}

/// Do two boxes that touch along an axis agree across it, to half a cell?
fn alike(a: &Box3, b: &Box3, axis: usize, cell: f64) -> bool {
    (0..3)
        .filter(|k| *k != axis)
        .all(|k| (a.min[k] - b.min[k]).abs() <= 0.5 * cell && (a.max[k] - b.max[k]).abs() <= 0.5 * cell)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A dome of thin columns: 30 000 of them become few boxes that hold every one, and not half as much again with 0.5 mm around.
    #[test]
    fn a_dome_of_columns_becomes_few_boxes() {
        let mut boxes = Vec::new();
        for i in 0..180 {
            for j in 0..180 {
                let (x, y) = (f64::from(i) * 0.25 - 22.5, f64::from(j) * 0.25 - 22.5);
                let h = 400.0 - x * x / 2.0 - y * y / 2.0;
                if h > 0.0 {
                    let top = h.sqrt();
                    boxes.push(Place::new(DVec3::new(x, y, top), DVec3::new(x + 0.25, y + 0.25, top + 1.5)));
                }
            }
        }
        assert!(boxes.len() > 15_000);
        let few = fewer(boxes.clone());
        assert!(few.len() <= MOST, "{}", few.len());
        let volume = |p: &Place| (0..3).map(|k| p.max_mm[k] - p.min_mm[k]).product::<f64>();
        for p in boxes.iter().step_by(97) {
            let mid = (DVec3::from_array(p.min_mm) + DVec3::from_array(p.max_mm)) / 2.0;
            assert!(few.iter().any(|q| q.contains(mid, 1e-9)));
        }
        let fat: f64 = boxes.iter().map(volume).sum::<f64>() / 1.5 * 2.5;
        let union: f64 = few.iter().map(volume).sum();
        assert!(union < 1.5 * fat, "{union} {fat}");
    }

    #[test]
    fn a_block_of_columns_becomes_one_box() {
        let at = |i: i32, j: i32| DVec3::new(f64::from(i), f64::from(j), 0.0) * 0.2;
        let columns = (0..60).flat_map(|i| (0..60).map(move |j| at(i, j)));
        let boxes: Vec<Place> = columns.map(|p| Place::new(p, p + DVec3::new(0.2, 0.2, 7.0))).collect();
        let few = fewer(boxes);
        assert!(few.len() < 4, "{few:?}");
    }
}
