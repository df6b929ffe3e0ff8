//! Modelling: for the demo's parts, soft jaws and tests. All lengths mm.

use crate::bridge::ffi;
use crate::{Meshing, RawModel};
use cxx::UniquePtr;
use std::path::Path;

/// A modelling step failed; the kernel's own words.
#[derive(Debug, thiserror::Error)]
#[error("modelling failed: {0}")]
pub struct ModelError(String);

impl From<cxx::Exception> for ModelError {
    fn from(e: cxx::Exception) -> Self {
        ModelError(e.what().to_string())
    }
}

/// One piece of a closed outline: from the previous end to `to`; `mid` makes it an arc through that point.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Piece {
    /// End point.
    pub to: [f64; 2],
    /// A point on the arc between, or none for a line.
    pub mid: Option<[f64; 2]>,
}

/// A solid.
pub struct Shape(UniquePtr<ffi::Solid>);

type Made = Result<Shape, ModelError>;

/// Five numbers a piece, as the shim takes them.
fn flat(outline: &[Piece]) -> Vec<f64> {
    outline
        .iter()
        .flat_map(|p| {
            let m = p.mid.unwrap_or_default();
            [p.to[0], p.to[1], f64::from(u8::from(p.mid.is_some())), m[0], m[1]]
        })
        .collect()
}

impl Shape {
    /// An axis-parallel block.
    pub fn block(min: [f64; 3], max: [f64; 3]) -> Made {
        Ok(Shape(ffi::make_box(min, max)?))
    }
    /// A cylinder from `base` along `axis`.
    pub fn cylinder(base: [f64; 3], axis: [f64; 3], radius: f64, height: f64) -> Made {
        Ok(Shape(ffi::make_cylinder(base, axis, radius, height)?))
    }
    /// A cone or frustum from `base` along `axis`.
    pub fn cone(base: [f64; 3], axis: [f64; 3], radius_base: f64, radius_top: f64, height: f64) -> Made {
        Ok(Shape(ffi::make_cone(base, axis, radius_base, radius_top, height)?))
    }
    /// A closed outline drawn up from `z0` to `z1`.
    pub fn prism(outline: &[Piece], z0: f64, z1: f64) -> Made {
        Ok(Shape(ffi::make_prism(&flat(outline), z0, z1)?))
    }
    /// Outlines of equally many pieces, one at each height, joined by smooth free-form faces.
    pub fn loft(sections: &[(Vec<Piece>, f64)]) -> Made {
        let outlines: Vec<f64> = sections.iter().flat_map(|s| flat(&s.0)).collect();
        let heights: Vec<f64> = sections.iter().map(|s| s.1).collect();
        let pieces = sections.first().map_or(0, |s| s.0.len());
        if heights.len() < 2 || sections.iter().any(|s| s.0.len() != pieces) {
            return Err(ModelError("a loft needs two outlines of equally many pieces".into()));
        }
        Ok(Shape(ffi::make_loft(&outlines, pieces, &heights)?))
    }
    /// A ball.
    pub fn ball(centre: [f64; 3], radius: f64) -> Made {
        Ok(Shape(ffi::make_ball(centre, radius)?))
    }
    /// Both together.
    pub fn fuse(&self, other: &Shape) -> Made {
        Ok(Shape(ffi::fuse(&self.0, &other.0)?))
    }
    /// This less the other.
    pub fn cut(&self, other: &Shape) -> Made {
        Ok(Shape(ffi::cut(&self.0, &other.0)?))
    }
    /// Equal-legged chamfer on each edge that lies wholly in the box.
    pub fn chamfer(&self, size: f64, min: [f64; 3], max: [f64; 3]) -> Made {
        Ok(Shape(ffi::chamfer_edges(&self.0, size, min, max)?))
    }
    /// Round on each edge that lies wholly in the box.
    pub fn fillet(&self, radius: f64, min: [f64; 3], max: [f64; 3]) -> Made {
        Ok(Shape(ffi::fillet_edges(&self.0, radius, min, max)?))
    }
    /// Turned about an axis through the origin, then shifted.
    pub fn moved(&self, axis: [f64; 3], angle_rad: f64, shift: [f64; 3]) -> Made {
        Ok(Shape(ffi::moved(&self.0, axis, angle_rad, shift)?))
    }
    /// A solid of a STEP file (its bytes) by its number from 0, in the order of [`crate::read_step`], with all lengths times `scale`. As with that, a
    /// damaged file can end the process: only a guarded child does this with a file from outside.
    pub fn from_step(bytes: &[u8], number: usize, scale: f64) -> Made {
        let _turn = crate::step::one_at_a_time();
        Ok(Shape(ffi::step_solid(bytes, number, scale)?))
    }
    /// The solids of both, not joined.
    pub fn beside(&self, other: &Shape) -> Made {
        Ok(Shape(ffi::beside(&self.0, &other.0)?))
    }
    /// The same solid as many writers store it: every face and edge a spline.
    pub fn as_splines(&self) -> Made {
        Ok(Shape(ffi::as_splines(&self.0)?))
    }
    /// Its faces without those that lie wholly in the box: surfaces, no solid.
    pub fn without_faces(&self, min: [f64; 3], max: [f64; 3]) -> Made {
        Ok(Shape(ffi::without_faces(&self.0, min, max)?))
    }
    /// mm³.
    pub fn volume(&self) -> f64 {
        ffi::volume(&self.0)
    }
    /// The same description that a file's reading gives.
    pub fn read(&self, meshing: &Meshing) -> Result<RawModel, ModelError> {
        let read = |sturdy| ffi::read_solid(&self.0, meshing.chord_mm, meshing.angle_rad, sturdy);
        let quick = RawModel::from_ffi(read(false)?, "modelled".into());
        // The quick triangulation is wrong once in some hundred faces; the other is asked when the volumes disagree.
        Ok(if quick.holds() { quick } else { RawModel::from_ffi(read(true)?, "modelled".into()) })
    }
    /// As STEP AP214, mm. No file is opened.
    pub fn to_step(&self) -> Result<Vec<u8>, ModelError> {
        let _turn = crate::step::one_at_a_time();
        Ok(ffi::to_step(&self.0)?)
    }
    /// The same into a file.
    pub fn write_step(&self, path: &Path) -> Result<(), ModelError> {
        std::fs::write(path, self.to_step()?).map_err(|e| ModelError(format!("{}: {e}", path.display())))
    }
}

/// A polygon with each corner rounded by its radius (0 keeps it sharp), as an outline for [`Shape::prism`].
/// Corners are given in order; a radius must leave something of both its sides.
pub fn rounded_polygon(corners: &[([f64; 2], f64)]) -> Vec<Piece> {
    let n = corners.len();
    let mut out = Vec::new();
    for i in 0..n {
        let (p, r) = corners[i];
        let (a, b) = (corners[(i + n - 1) % n].0, corners[(i + 1) % n].0);
        if r <= 0.0 {
            out.push(Piece { to: p, mid: None });
            continue;
        }
        let unit = |q: [f64; 2]| {
            let d = [q[0] - p[0], q[1] - p[1]];
            let l = d[0].hypot(d[1]);
            [d[0] / l, d[1] / l]
        };
        let (u, v) = (unit(a), unit(b));
        let half = (u[0] * v[0] + u[1] * v[1]).clamp(-1.0, 1.0).acos() / 2.0;
        let back = r / half.tan();
        let bis = [u[0] + v[0], u[1] + v[1]];
        let bl = bis[0].hypot(bis[1]);
        let to_mid = r / half.sin() - r;
        out.push(Piece { to: [p[0] + u[0] * back, p[1] + u[1] * back], mid: None });
        out.push(Piece {
            to: [p[0] + v[0] * back, p[1] + v[1] * back],
            mid: Some([p[0] + bis[0] / bl * to_mid, p[1] + bis[1] / bl * to_mid]),
        });
    }
    out
}
