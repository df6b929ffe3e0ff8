//! Models on their way out: parts and stock in process as STEP and STL, outlines as DXF. Lengths are mm.
//!
//! The kernel works on files from outside here too, so STEP is written in the same guarded child that reads.

use crate::drawing;
use crate::guard::{Limits, ReadError, send};
use crate::{Format, Reading};
use dxf::entities::{Entity, EntityType, LwPolyline};
use geom::{DMat3, DVec2, FitSettings, Path2, Placement, Region, Seg, fit_arcs};
use kernel::Meshing;
use kernel::shape::{ModelError, Shape};
use serde::{Deserialize, Serialize};
use std::ffi::OsStr;
use std::path::Path;

/// A layer of material: from, to, outlines (solid ones counter-clockwise, holes clockwise).
pub type Layer3 = (f64, f64, Vec<Vec<DVec2>>);

/// What the kernel is to write.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub enum Export {
    /// A part as it is in its file, exact: which solid, all lengths times `scale`.
    Part {
        /// STEP or DXF, whole.
        file: Vec<u8>,
        /// What was answered about it.
        reading: Reading,
        /// Of several solids.
        solid: usize,
        /// Of a STEP file.
        scale: f64,
    },
    /// Layers of one section each, one on top of the other, as one solid where the kernel can join them.
    Layers {
        /// From the bottom up.
        layers: Vec<Layer3>,
        /// Where they stand.
        place: Placement,
        /// Triangles instead of STEP.
        stl: bool,
    },
}

/// Write in a child with limits, as [`read_guarded`](crate::read_guarded) reads. Returns the file's bytes.
pub fn export_guarded<S: AsRef<OsStr>>(
    reader: &Path,
    reader_args: &[S],
    what: &Export,
    limits: &Limits,
) -> Result<Vec<u8>, ReadError> {
    send(reader, reader_args, what, limits)
}

/// Write in this very process. The error is a whole sentence.
pub(crate) fn export_here(what: &Export, meshing: &Meshing) -> Result<Vec<u8>, String> {
    match what {
        Export::Part { file, reading, solid, scale } => {
            let shape = match Format::of(file)? {
                Format::Step => Shape::from_step(file, *solid, *scale).map_err(failed)?,
                Format::Dxf => {
                    let (mut solids, ..) = drawing::solids(file, reading)?;
                    if *solid >= solids.len() {
                        return Err("the drawing has no plate of that number; answer which one is the part".into());
                    }
                    solids.swap_remove(*solid)
                }
                f => {
                    return Err(format!(
                        "the part came as {f}: its faces are fitted to facets and there are no exact ones to write as STEP; take it as STL"
                    ));
                }
            };
            step(&shape)
        }
        Export::Layers { layers, place, stl } => {
            let shape =
                stacked(layers).map_err(failed)?.ok_or("nothing is left of the stock: there is no solid to write")?;
            let shape = placed(&shape, place).map_err(failed)?;
            if *stl {
                let raw = shape.read(meshing).map_err(failed)?;
                Ok(crate::write_stl(&raw.vertices, &raw.triangles))
            } else {
                step(&shape)
            }
        }
    }
}

fn failed(e: ModelError) -> String {
    format!("the solid could not be written ({e}); take the mesh (STL) instead")
}

fn step(shape: &Shape) -> Result<Vec<u8>, String> {
    shape.to_step().map_err(failed)
}

/// Arcs within this of the outlines, mm.
const FIT: FitSettings = FitSettings { tolerance_mm: 0.002, largest_radius_mm: 2000.0, smallest_radius_mm: 0.05 };

fn path_of(points: &[DVec2]) -> Path2 {
    let mut p = fit_arcs(points, true, &FIT);
    if !p.is_closed() {
        p.segs.push(Seg::Line { to: p.start });
    }
    p
}

/// Layers as one solid. Where the kernel's joining goes wrong (told by the volume), they stay beside one another.
fn stacked(layers: &[Layer3]) -> Result<Option<Shape>, ModelError> {
    let mut wanted = 0.0;
    let mut pieces: Vec<Shape> = Vec::new();
    for (z0, z1, loops) in layers {
        for part in Region::from_oriented(loops).simplified(0.0005).components() {
            if part.area() < 1e-3 {
                continue;
            }
            wanted += part.area() * (z1 - z0);
            let mut loops = part.loops();
            // The outer one is the longest way round.
            loops.sort_by(|a, b| area(b).abs().total_cmp(&area(a).abs()));
            let mut shape = drawing::prism(&path_of(&loops[0]), *z0, *z1)?;
            for hole in &loops[1..] {
                shape = shape.cut(&drawing::prism(&path_of(hole), z0 - 1.0, z1 + 1.0)?)?;
            }
            pieces.push(shape);
        }
    }
    let mut rest = pieces.into_iter();
    let Some(first) = rest.next() else { return Ok(None) };
    let rest: Vec<Shape> = rest.collect();
    let mut joined: Option<Shape> = None;
    for p in &rest {
        match joined.as_ref().unwrap_or(&first).fuse(p) {
            Ok(f) => joined = Some(f),
            Err(_) => break,
        }
    }
    match joined {
        Some(j) if (j.volume() - wanted).abs() < 1e-3 * wanted => Ok(Some(j)),
        _ => rest.iter().try_fold(first, |a, b| a.beside(b)).map(Some),
    }
}

fn area(l: &[DVec2]) -> f64 {
    (0..l.len()).map(|k| l[k].perp_dot(l[(k + 1) % l.len()])).sum::<f64>() / 2.0
}

fn placed(s: &Shape, p: &Placement) -> Result<Shape, ModelError> {
    let (axis, angle) = axis_angle(&p.turn);
    s.moved(axis, angle, p.shift.to_array())
}

/// Axis and angle of a rotation.
fn axis_angle(m: &DMat3) -> ([f64; 3], f64) {
    let angle = ((m.x_axis.x + m.y_axis.y + m.z_axis.z - 1.0) / 2.0).clamp(-1.0, 1.0).acos();
    let skew = geom::DVec3::new(m.y_axis.z - m.z_axis.y, m.z_axis.x - m.x_axis.z, m.x_axis.y - m.y_axis.x);
    if skew.length() > 1e-9 {
        return (skew.normalize().to_array(), angle);
    }
    if angle < 1e-9 {
        return ([0.0, 0.0, 1.0], 0.0);
    }
    // Half a turn: the axis is the longest column of m + 1.
    let columns = [m.x_axis + geom::DVec3::X, m.y_axis + geom::DVec3::Y, m.z_axis + geom::DVec3::Z];
    let axis = columns.into_iter().max_by(|a, b| a.length().total_cmp(&b.length())).unwrap_or(geom::DVec3::Z);
    (axis.normalize().to_array(), angle)
}

/// An outline as DXF: closed polylines with bulges, arcs within 0.002 mm of it, on the layer OUTLINE; the header says millimetres.
pub fn write_dxf(outline: &Region) -> Result<Vec<u8>, String> {
    write_outlines(&[("OUTLINE", &outline.loops())])
}

/// The same for several outlines, each on a layer of its name.
pub fn write_outlines(layers: &[(&str, &[Vec<DVec2>])]) -> Result<Vec<u8>, String> {
    let mut d = dxf::Drawing::new();
    d.header.version = dxf::enums::AcadVersion::R2000;
    d.header.default_drawing_units = dxf::enums::Units::Millimeters;
    for (name, l) in layers.iter().flat_map(|(name, all)| all.iter().map(move |l| (*name, l))) {
        let path = path_of(l);
        let mut line = LwPolyline::default();
        line.set_is_closed(true);
        line.vertices = path
            .pieces()
            .map(|(from, s)| {
                let bulge = match s {
                    Seg::Line { .. } => 0.0,
                    Seg::Arc { to, center, ccw } => {
                        let (u, v) = (from - center, to - center);
                        let mut sweep = u.perp_dot(v).atan2(u.dot(v));
                        if ccw && sweep < 0.0 {
                            sweep += std::f64::consts::TAU;
                        } else if !ccw && sweep > 0.0 {
                            sweep -= std::f64::consts::TAU;
                        }
                        (sweep / 4.0).tan()
                    }
                };
                dxf::LwPolylineVertex { x: from.x, y: from.y, bulge, ..Default::default() }
            })
            .collect();
        let mut e = Entity::new(EntityType::LwPolyline(line));
        e.common.layer = name.to_uppercase().replace(' ', "_");
        d.add_entity(e);
    }
    let mut out = Vec::new();
    d.save(&mut out).map_err(|e| format!("the drawing could not be written ({e})"))?;
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use geom::DVec3;

    #[test]
    fn a_rotation_has_its_axis_and_angle() {
        for (m, _) in [
            (DMat3::IDENTITY, ()),
            (DMat3::from_rotation_z(0.7), ()),
            (DMat3::from_rotation_x(std::f64::consts::PI), ()),
            (DMat3::from_rotation_y(std::f64::consts::PI) * DMat3::from_rotation_z(std::f64::consts::FRAC_PI_2), ()),
            (DMat3::from_rotation_y(-2.0) * DMat3::from_rotation_x(1.0), ()),
        ] {
            let (axis, angle) = axis_angle(&m);
            let back = DMat3::from_axis_angle(DVec3::from_array(axis), angle);
            assert!((back - m).to_cols_array().iter().all(|v| v.abs() < 1e-9), "{m}");
        }
    }
}
