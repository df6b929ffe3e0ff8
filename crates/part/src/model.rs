//! The part as read: one closed solid, faces with their analytic kind, a mesh with a stated error, and what is doubtful.

use geom::{Box3, DVec3, TriMesh};
use kernel::{RawModel, RawSurface};
use reason::{Finding, Severity};

/// The analytic kind of a face, part coordinates, mm and rad. Directions are unit vectors.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Surface {
    /// Flat; `normal` points out of the material.
    Plane { normal: DVec3, offset: f64 },
    /// `hollow`: the material lies outside (a hole).
    Cylinder { origin: DVec3, axis: DVec3, radius: f64, hollow: bool },
    /// Radius at height s along `axis` from `origin`: radius + s·tan(half_angle).
    Cone { origin: DVec3, axis: DVec3, radius: f64, half_angle: f64, hollow: bool },
    /// A ball.
    Sphere { origin: DVec3, radius: f64, hollow: bool },
    /// A ring.
    Torus { origin: DVec3, axis: DVec3, major: f64, minor: f64, hollow: bool },
    /// Known by its triangles only.
    Free,
}

/// A face.
#[derive(Debug, Clone)]
pub struct Face {
    /// Kind and numbers.
    pub surface: Surface,
    /// Exact area, mm².
    pub area: f64,
    /// Range of its triangles in the mesh.
    pub triangles: std::ops::Range<usize>,
    /// Box around its triangles.
    pub bounds: Box3,
    /// Angle covered about the axis for round faces, rad (2π for a full turn).
    pub turn: f64,
}

/// A part.
#[derive(Debug, Clone)]
pub struct Part {
    /// Closed, outward.
    pub mesh: TriMesh,
    /// Faces.
    pub faces: Vec<Face>,
    /// Pairs of faces that share an edge.
    pub neighbours: Vec<[u32; 2]>,
    /// Around it.
    pub bounds: Box3,
    /// Exact, mm³.
    pub volume: f64,
    /// Exact, mm².
    pub area: f64,
    /// Largest distance between mesh and surface, mm.
    pub chord_error: f64,
    /// What to ask or know about the file.
    pub doubts: Vec<Finding>,
}

/// Why a file that was read gives no part.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum PartError {
    /// Surfaces only.
    #[error("the file holds no solid, only loose surfaces or curves; join them to a closed solid and export it again")]
    NoSolid,
    /// More than one.
    #[error("the file holds {0} solids; export the one that is to be made alone")]
    SeveralSolids(u32),
    /// Not closed.
    #[error("the solid is not closed ({0}); repair it where it was drawn and export it again")]
    Open(String),
    /// Too small or too large for any machine.
    #[error("the part measures {0} mm, which no mill here can make; check the unit of the export")]
    AbsurdSize(String),
}

fn v(a: [f64; 3]) -> DVec3 {
    DVec3::from_array(a)
}

impl Part {
    /// From what the kernel read.
    pub fn from_raw(raw: &RawModel) -> Result<Part, PartError> {
        match raw.solids {
            0 => return Err(PartError::NoSolid),
            1 => {}
            n => return Err(PartError::SeveralSolids(n)),
        }
        if raw.open_edges > 0 {
            return Err(PartError::Open(format!("{} edges have one face only", raw.open_edges)));
        }
        if raw.unmeshed_faces > 0 {
            return Err(PartError::Open(format!("{} faces could not be meshed", raw.unmeshed_faces)));
        }
        let points: Vec<DVec3> = raw.vertices.iter().map(|&p| v(p)).collect();
        let bounds = Box3::of(points.iter().copied());
        let size = bounds.size();
        let words = format!("{:.3} × {:.3} × {:.3}", size.x, size.y, size.z);
        if !size.is_finite() || size.max_element() > 10_000.0 || size.max_element() < 0.02 {
            return Err(PartError::AbsurdSize(words));
        }
        let mesh_volume = raw.mesh_volume();
        if raw.volume <= 0.0 || (mesh_volume - raw.volume).abs() > 0.01 * raw.volume.abs() {
            return Err(PartError::Open(format!(
                "its triangles enclose {mesh_volume:.1} mm³ and its surfaces {:.1} mm³",
                raw.volume
            )));
        }
        let mut face_of = vec![0; raw.triangles.len()];
        for (k, f) in raw.faces.iter().enumerate() {
            for t in f.first_triangle..f.first_triangle + f.triangle_count {
                face_of[t as usize] = k as u32;
            }
        }
        let mesh = TriMesh { points, triangles: raw.triangles.clone(), face: face_of };
        let faces = raw.faces.iter().map(|f| face(f, &mesh)).collect();
        let neighbours = raw.edges.iter().map(|e| e.faces).filter(|f| f[0] != f[1]).collect();
        Ok(Part {
            mesh,
            faces,
            neighbours,
            bounds,
            volume: raw.volume,
            area: raw.area,
            chord_error: raw.chord_error,
            doubts: doubts(raw, size, &words),
        })
    }
}

fn doubts(raw: &RawModel, size: DVec3, words: &str) -> Vec<Finding> {
    let mut out = Vec::new();
    let mut doubt = |key: &str, what: String, why: &str| {
        out.push(Finding::new("model_doubt", Severity::Warn, what, why).keyed(key))
    };
    if size.max_element() < 3.0 || size.max_element() > 1000.0 {
        let unit = raw.length_units.first().map_or("no unit", String::as_str);
        doubt(
            "size",
            format!("The part measures {words} mm (the file says {unit})"),
            "Check the unit: a factor of 25.4, 10 or 1000 is a common slip. It is planned as it is.",
        );
    }
    if !raw.valid {
        doubt(
            "invalid",
            "The kernel calls the solid's topology invalid".into(),
            "Many such files are good; compare volume and looks with the drawing.",
        );
    }
    if raw.lax {
        doubt(
            "lax",
            "Some entities of the file are faulty and were read leniently".into(),
            "Compare the part on the stage with the drawing.",
        );
    }
    if raw.loose_shells > 0 {
        doubt(
            "loose",
            format!("{} loose surfaces beside the solid are left out", raw.loose_shells),
            "If they belong to the part, join them and export again.",
        );
    }
    if raw.length_units.len() > 1 {
        doubt(
            "units",
            format!("The file names several length units: {}", raw.length_units.join(", ")),
            "Check a known size.",
        );
    }
    out
}

fn face(f: &kernel::RawFace, mesh: &TriMesh) -> Face {
    let range = f.first_triangle as usize..(f.first_triangle + f.triangle_count) as usize;
    let bounds = Box3::of(range.clone().flat_map(|t| mesh.corners(t)));
    // Does the outward side look away from `from(centre of triangle)`? Decided by area.
    let looks = |away: &dyn Fn(DVec3) -> DVec3| {
        let s: f64 = range
            .clone()
            .map(|t| {
                let c = mesh.corners(t);
                mesh.normal(t).dot(away((c[0] + c[1] + c[2]) / 3.0))
            })
            .sum();
        s < 0.0
    };
    let radial = |o: DVec3, a: DVec3| move |p: DVec3| (p - o) - a * (p - o).dot(a);
    let surface = match f.surface {
        RawSurface::Plane { origin, normal } => {
            let n = v(normal);
            let out = if looks(&|_| n) { -n } else { n };
            Surface::Plane { normal: out, offset: v(origin).dot(out) }
        }
        RawSurface::Cylinder { origin, axis, radius } => {
            Surface::Cylinder { origin: v(origin), axis: v(axis), radius, hollow: looks(&radial(v(origin), v(axis))) }
        }
        RawSurface::Cone { origin, axis, radius, half_angle } => Surface::Cone {
            origin: v(origin),
            axis: v(axis),
            radius,
            half_angle,
            hollow: looks(&radial(v(origin), v(axis))),
        },
        RawSurface::Sphere { origin, radius } => {
            let o = v(origin);
            Surface::Sphere { origin: o, radius, hollow: looks(&|p| p - o) }
        }
        RawSurface::Torus { origin, axis, major, minor } => {
            let (o, a) = (v(origin), v(axis));
            let tube = move |p: DVec3| {
                let r = radial(o, a)(p);
                p - (o + r.normalize_or_zero() * major)
            };
            Surface::Torus { origin: o, axis: a, major, minor, hollow: looks(&tube) }
        }
        RawSurface::Other => Surface::Free,
    };
    Face { surface, area: f.area, triangles: range, bounds, turn: (f.bounds[1] - f.bounds[0]).abs() }
}
