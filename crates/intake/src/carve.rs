//! Solids that Gold Chip designs itself: a block with pockets from above, as a model and as STEP.

use crate::Model;
use crate::drawing::prism;
use geom::{Box3, DVec2, DVec3, FitSettings, RayGrid, Region, TriMesh, fit_arcs};
use kernel::shape::{ModelError, Shape};
use kernel::{Meshing, RawModel};
use std::collections::HashMap;

/// A pocket from above.
#[derive(Debug, Clone)]
pub struct Hollow<'a> {
    /// Closed outlines, mm: outer ones counter-clockwise, holes clockwise.
    pub outlines: &'a [Vec<DVec2>],
    /// Height of its floor, mm.
    pub floor: f64,
    /// Outlines of what stays standing in it.
    pub islands: &'a [Vec<DVec2>],
    /// Height up to which it stays, mm.
    pub islands_to: f64,
}

/// A solid of one's own.
#[derive(Debug, Clone)]
pub struct Carved {
    /// As a file's reading gives it.
    pub model: Model,
    /// The same as STEP AP214.
    pub step: Vec<u8>,
    /// The edges asked for have their chamfer.
    pub chamfered: bool,
}

/// All of an outline between two heights.
fn solid_of(outlines: &[Vec<DVec2>], z0: f64, z1: f64) -> Result<Option<Shape>, ModelError> {
    let fit = |l: &[DVec2]| fit_arcs(l, true, &FitSettings::default()).started_mid_longest();
    let mut all: Option<Shape> = None;
    for part in Region::from_oriented(outlines).without_specks(0.01).components() {
        let loops = part.loops();
        let Some((outer, holes)) = loops.split_first() else { continue };
        let mut solid = prism(&fit(outer), z0, z1)?;
        for h in holes {
            solid = solid.cut(&prism(&fit(h), z0 - 1.0, z1 + 1.0)?)?;
        }
        all = Some(match all {
            Some(a) => a.fuse(&solid)?,
            None => solid,
        });
    }
    Ok(all)
}

fn carved_shape(block: &Box3, hollows: &[Hollow]) -> Result<Shape, ModelError> {
    let over = block.max.z + 1.0;
    let mut shape = Shape::block(block.min.to_array(), block.max.to_array())?;
    for h in hollows {
        let Some(mut tool) = solid_of(h.outlines, h.floor, over)? else { continue };
        if let Some(island) = solid_of(h.islands, h.floor - 1.0, h.islands_to)? {
            tool = tool.cut(&island)?;
        }
        shape = shape.cut(&tool)?;
    }
    Ok(shape)
}

/// Is a mesh closed, and does every ray through it go in and out in turn? A crack that a modeller leaves is narrower than any measure of volume sees.
fn is_whole(raw: &RawModel) -> bool {
    let mut edges: HashMap<(u32, u32), i32> = HashMap::new();
    for t in &raw.triangles {
        for k in 0..3 {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            *edges.entry((a.min(b), a.max(b))).or_default() += if a < b { 1 } else { -1 };
        }
    }
    if !raw.holds() || edges.values().any(|n| *n != 0) {
        return false;
    }
    let points = raw.vertices.iter().map(|v| DVec3::from_array(*v)).collect();
    let mesh = TriMesh { points, triangles: raw.triangles.clone(), face: vec![0; raw.triangles.len()] };
    (0..3).all(|axis| {
        let b = mesh.bounds();
        let (u, v) = ((axis + 1) % 3, (axis + 2) % 3);
        let pitch = (b.size()[u] * b.size()[v] / 200_000.0).sqrt();
        let in_turn =
            |r: &Vec<geom::Crossing>| r.len().is_multiple_of(2) && r.chunks(2).all(|c| c[0].enters && !c[1].enters);
        mesh.crossings(&RayGrid::covering(axis, &b, pitch)).iter().all(in_turn)
    })
}

/// A block less its pockets; `chamfer` breaks the edges of its top within a box by so much, mm, where the modeller can.
pub fn carve(block: &Box3, hollows: &[Hollow], chamfer: Option<(f64, Box3)>) -> Result<Carved, String> {
    let failed = |e: ModelError| format!("it could not be modelled ({e})");
    let plain = carved_shape(block, hollows).map_err(failed)?;
    let mut chamfered = false;
    let mut shape = plain;
    if let Some((size, edges)) = chamfer
        && let Ok(broken) = shape.chamfer(size, edges.min.to_array(), edges.max.to_array())
    {
        // It takes something, and not more than a chamfer can.
        let taken = shape.volume() - broken.volume();
        let round = 2.0 * (edges.size().x + edges.size().y);
        let whole = broken.read(&Meshing::default()).is_ok_and(|r| is_whole(&r));
        if taken > 0.0 && taken < 4.0 * size * size * round && whole {
            (shape, chamfered) = (broken, true);
        }
    }
    let raw = shape.read(&Meshing::default()).map_err(failed)?;
    if !is_whole(&raw) {
        return Err("its solid has no closed mesh".into());
    }
    let step = shape.to_step().map_err(failed)?;
    Ok(Carved { model: Model { raw, drawing: None }, step, chamfered })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn square(x: f64, half: f64) -> Vec<DVec2> {
        [(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)].map(|(a, b)| DVec2::new(x + a * half, b * half)).to_vec()
    }

    /// A block of 60 × 40 × 20 with a pocket of 20 × 20 × 8, an island of 6 × 6 × 3 in it, and a chamfer around: volumes by hand; what is written is what is
    /// read.
    #[test]
    fn a_block_with_a_pocket_and_an_island() {
        let block = Box3 { min: DVec3::new(-30.0, -20.0, 0.0), max: DVec3::new(30.0, 20.0, 20.0) };
        let (outer, island) = ([square(0.0, 10.0)], [square(0.0, 3.0)]);
        let h = Hollow { outlines: &outer, floor: 12.0, islands: &island, islands_to: 15.0 };
        let edges = Box3 { min: DVec3::new(-11.0, -11.0, 19.99), max: DVec3::new(11.0, 11.0, 20.01) };
        let c = carve(&block, std::slice::from_ref(&h), None).unwrap();
        let want = 48_000.0 - 20.0 * 20.0 * 8.0 + 6.0 * 6.0 * 3.0;
        assert!((c.model.raw.solids[0].volume - want).abs() < 1e-3 && !c.chamfered);
        let b = carve(&block, &[h], Some((0.5, edges))).unwrap();
        // Four wedges of 20 × 0.125 mm², and a corner piece of c³/3 at each end of them.
        let wedge = 4.0 * 20.0 * 0.125 + 4.0 * 0.125 / 3.0;
        assert!(b.chamfered && (want - b.model.raw.solids[0].volume - wedge).abs() < 0.01);
        let again = crate::read_bytes(&b.step, &crate::Reading::default(), &Meshing::default()).unwrap();
        assert!((again.raw.solids[0].volume - b.model.raw.solids[0].volume).abs() < 1e-3);
    }
}
