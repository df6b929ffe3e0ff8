//! The part as read: one closed solid, faces with their analytic kind, a mesh with a stated error, and what is doubtful.

use crate::Neighbour;
use crate::edge::{Edge, edges};
use crate::looks::Looks;
use geom::{Box3, DVec3, TriMesh};
use intake::{Drawing, LengthUnit, Model, Reading};
use kernel::{RawModel, RawSurface};
use reason::{Finding, Kind, Severity, len};

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
    /// 0xRRGGBB if the file gives one.
    pub colour: Option<u32>,
    /// Smallest radius where a free face is hollow, mm.
    pub concave_radius: Option<f64>,
    /// The file stores it as a free form; its surface was recognised with this largest deviation, mm.
    pub recognised: Option<f64>,
    /// It was not in the file: it closes an opening.
    pub cap: bool,
}

/// A solid of the file.
#[derive(Debug, Clone, PartialEq)]
pub struct Solid {
    /// As named in the file, or "solid 2".
    pub name: String,
    /// mm³.
    pub volume: f64,
    /// Around it.
    pub bounds: Box3,
}

/// Where the part comes from.
#[derive(Debug, Clone, PartialEq)]
pub struct Origin {
    /// "STEP AP214".
    pub format: String,
    /// Length units that the file names.
    pub units: Vec<String>,
    /// All solids of the file.
    pub solids: Vec<Solid>,
    /// Which of them is the part.
    pub solid: usize,
    /// Factor that was put on all lengths.
    pub scale: f64,
    /// It was closed from surfaces that did not make a solid.
    pub closed: bool,
    /// Faces were fitted to facets, whose corners lie within this of them, mm.
    pub fitted: Option<f64>,
    /// What the reader remarked.
    pub remarks: Vec<String>,
    /// Of a DXF.
    pub drawing: Option<Drawing>,
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
    /// Where two faces meet.
    pub edges: Vec<Edge>,
    /// Around it.
    pub bounds: Box3,
    /// Exact, mm³.
    pub volume: f64,
    /// Exact, mm².
    pub area: f64,
    /// Largest distance between mesh and surface, mm.
    pub chord_error: f64,
    /// What to know about the file.
    pub doubts: Vec<Finding>,
    /// Where it comes from.
    pub origin: Origin,
    /// The file's other solids: what it must fit.
    pub others: Vec<Neighbour>,
    /// What was seen of it; nothing to a copy, which may be changed.
    pub(crate) looks: Looks,
}

/// Why a file that was read gives no part.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum PartError {
    /// Surfaces only.
    #[error("the file holds no solid, only loose surfaces or curves; join them to a closed solid and export it again")]
    NoSolid,
    /// Surfaces with openings that no flat face closes.
    #[error(
        "the file holds surfaces that do not close: {0}, and it is not flat, so nothing can be laid over it; close it where it was drawn and export the part as a solid"
    )]
    Gaping(String),
    /// More than one, and nobody said which.
    #[error("the file holds {count} solids ({names}); say which one is to be made, or export it alone")]
    SeveralSolids {
        /// How many.
        count: usize,
        /// The first few.
        names: String,
    },
    /// No such solid.
    #[error("the file has no solid number {0}; choose one of those it has")]
    NoSuchSolid(u32),
    /// Not closed.
    #[error("the solid is not closed ({0}); repair it where it was drawn and export it again")]
    Open(String),
    /// A person said that what closes it is wrong.
    #[error(
        "the surfaces of the file do not close, and what closed them was called wrong; close them where they were drawn and export the part as a solid"
    )]
    NotClosed,
    /// Too small or too large for any machine.
    #[error("the part measures {0} mm, which no mill here can make; check the unit of the export")]
    AbsurdSize(String),
}

fn v(a: [f64; 3]) -> DVec3 {
    DVec3::from_array(a)
}

/// Where the largest opening is that nothing closes, with all lengths times `put`; empty if there is none.
fn openings(raw: &RawModel, put: f64) -> String {
    let mut boxes: Vec<Box3> = raw.openings.iter().map(|[a, b]| Box3 { min: v(*a), max: v(*b) }).collect();
    if boxes.is_empty() {
        // Of a mesh: edges of one face that hang together.
        for e in raw.edges.iter().filter(|e| e.open) {
            let mut here = Box3::of(e.points.iter().map(|k| v(raw.vertices[*k as usize])));
            boxes.retain(|b| {
                let apart = !b.grown(1e-6).meets(&here);
                if !apart {
                    here = here.joined(b);
                }
                apart
            });
            boxes.push(here);
        }
    }
    let Some(b) = boxes.iter().max_by(|a, b| a.size().length().total_cmp(&b.size().length())) else {
        return String::new();
    };
    let (s, at) = (b.size() * put, (b.min + b.max) / 2.0 * put);
    let more = if boxes.len() > 1 { format!("{} openings, the largest", boxes.len()) } else { "an opening".into() };
    let [x, y, z] = [at.x, at.y, at.z].map(|c| if c.abs() < 0.05 { 0.0 } else { c });
    format!(
        "{more} {:.1} × {:.1} × {:.1} mm around X {x:.1} Y {y:.1} Z {z:.1}",
        len(s.x),
        len(s.y),
        len(s.z),
        x = len(x),
        y = len(y),
        z = len(z)
    )
}

impl Part {
    /// The file's other solids that stand beside it while it is machined.
    pub fn staying(&self) -> impl Iterator<Item = &Neighbour> {
        self.others.iter().filter(|o| o.stays)
    }
    /// From what the kernel read; a file of several solids is refused.
    pub fn from_raw(raw: &RawModel) -> Result<Part, PartError> {
        if raw.solids.len() > 1 {
            let names: Vec<String> = (0..raw.solids.len().min(4)).map(|k| name_of(raw, k)).collect();
            let more = if raw.solids.len() > 4 { ", …" } else { "" };
            return Err(PartError::SeveralSolids { count: raw.solids.len(), names: names.join(", ") + more });
        }
        Part::from_model(&Model { raw: raw.clone(), drawing: None }, &Reading::default())
    }

    /// From a file as read and what a person said of it. Of several solids the largest is proposed.
    pub fn from_model(model: &Model, reading: &Reading) -> Result<Part, PartError> {
        let raw = &model.raw;
        // A drawing is scaled before it is extruded.
        let (scale, put) = match &model.drawing {
            Some(d) => (d.scale, 1.0),
            None => {
                let says = raw.length_units.first().and_then(|u| LengthUnit::of(u)).map_or(1.0, LengthUnit::mm);
                let factor = reading.unit.map_or(1.0, |u| u.mm() / says);
                (factor, factor)
            }
        };
        if raw.solids.is_empty() {
            let open = openings(raw, put);
            return Err(if open.is_empty() { PartError::NoSolid } else { PartError::Gaping(open) });
        }
        let by_volume = |a: &usize, b: &usize| raw.solids[*a].volume.total_cmp(&raw.solids[*b].volume).then(b.cmp(a));
        let largest = (0..raw.solids.len()).max_by(by_volume).unwrap_or(0);
        let solid = match reading.solid {
            Some(k) if (k as usize) < raw.solids.len() => k as usize,
            Some(k) => return Err(PartError::NoSuchSolid(k)),
            None => largest,
        };
        let mine: Vec<usize> = (0..raw.faces.len()).filter(|&k| raw.faces[k].solid as usize == solid).collect();
        let open =
            raw.edges.iter().filter(|e| e.open && raw.faces[e.faces[0] as usize].solid as usize == solid).count();
        if open > 0 {
            let where_ = openings(raw, put);
            let where_ = if where_.is_empty() { String::new() } else { format!("; {where_}") };
            return Err(PartError::Open(format!("{open} edges have one face only{where_}")));
        }
        let bare = mine.iter().filter(|&&k| raw.faces[k].triangle_count == 0 && raw.faces[k].area > 1e-6).count();
        if bare > 0 {
            return Err(PartError::Open(format!("{bare} faces could not be meshed")));
        }
        let closed = raw.sewn > 0 || mine.iter().any(|&k| raw.faces[k].cap);
        if closed && reading.closed == Some(false) {
            return Err(PartError::NotClosed);
        }
        let (mesh, number) = mesh_of(raw, solid, put);
        let bounds = Box3::of(mesh.points.iter().copied());
        let size = bounds.size();
        let words = format!("{:.3} × {:.3} × {:.3}", size.x, size.y, size.z);
        if !size.is_finite() || size.max_element() > 10_000.0 || size.max_element() < 0.02 {
            return Err(PartError::AbsurdSize(words));
        }
        let volume = raw.solids[solid].volume * put.powi(3);
        let mesh_volume = raw.mesh_volume(solid as u32) * put.powi(3);
        if volume <= 0.0 || (mesh_volume - volume).abs() > 0.01 * volume.abs() {
            return Err(PartError::Open(format!(
                "its triangles enclose {mesh_volume:.1} mm³ and its surfaces {volume:.1} mm³"
            )));
        }
        let faces = faces_of(raw, solid, &mesh, put);
        let edges = edges(raw, &mine, &number, &mesh, &faces, put);
        let neighbours = edges.iter().map(|e| e.faces).collect();
        let others: Vec<Neighbour> = (0..raw.solids.len())
            .filter(|k| *k != solid)
            .map(|k| {
                let mesh = mesh_of(raw, k, put).0;
                Neighbour {
                    solid: k,
                    faces: faces_of(raw, k, &mesh, put),
                    mesh,
                    stays: reading.stays.contains(&(k as u32)),
                }
            })
            .collect();
        let solids = (0..raw.solids.len())
            .map(|k| {
                let b = if k == solid { bounds } else { others[if k < solid { k } else { k - 1 }].mesh.bounds() };
                Solid { name: name_of(raw, k), volume: raw.solids[k].volume * put.powi(3), bounds: b }
            })
            .collect();
        Ok(Part {
            area: faces.iter().map(|f| f.area).sum(),
            mesh,
            faces,
            neighbours,
            edges,
            bounds,
            volume,
            chord_error: raw.chord_error * put,
            doubts: doubts(raw),
            origin: Origin {
                format: raw.format.clone(),
                units: raw.length_units.clone(),
                solids,
                solid,
                scale,
                closed,
                fitted: raw.fitted.map(|f| f * put),
                remarks: raw.remarks.clone(),
                drawing: model.drawing.clone(),
            },
            others,
            looks: Looks::default(),
        })
    }
}

fn name_of(raw: &RawModel, k: usize) -> String {
    let n = raw.solids[k].name.trim();
    if n.is_empty() { format!("solid {}", k + 1) } else { n.chars().take(60).collect() }
}

/// A solid's faces, in the order of its mesh.
fn faces_of(raw: &RawModel, solid: usize, mesh: &TriMesh, put: f64) -> Vec<Face> {
    let mut at = 0;
    raw.faces
        .iter()
        .filter(|f| f.solid as usize == solid)
        .map(|f| {
            let n = f.triangle_count as usize;
            at += n;
            face(f, mesh, at - n..at, put)
        })
        .collect()
}

/// A solid's triangles face by face, and the new number of each vertex of the file.
fn mesh_of(raw: &RawModel, solid: usize, scale: f64) -> (TriMesh, Vec<u32>) {
    let mut number = vec![u32::MAX; raw.vertices.len()];
    let mut mesh = TriMesh::default();
    for (k, f) in raw.faces.iter().filter(|f| f.solid as usize == solid).enumerate() {
        for t in &raw.triangles[f.first_triangle as usize..(f.first_triangle + f.triangle_count) as usize] {
            mesh.triangles.push(t.map(|c| {
                if number[c as usize] == u32::MAX {
                    number[c as usize] = mesh.points.len() as u32;
                    mesh.points.push(v(raw.vertices[c as usize]) * scale);
                }
                number[c as usize]
            }));
            mesh.face.push(k as u32);
        }
    }
    (mesh, number)
}

fn doubts(raw: &RawModel) -> Vec<Finding> {
    let mut out = Vec::new();
    let mut doubt = |key: &str, what: String, why: &str| {
        out.push(Finding::new(Kind::ModelDoubt, Severity::Warn, what, why).keyed(key))
    };
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
    let stored: Vec<f64> = raw.faces.iter().filter_map(|f| f.recognised).collect();
    if let Some(worst) = stored.iter().copied().reduce(f64::max) {
        out.push(
            Finding::new(
                Kind::StoredAsSplines,
                Severity::Note,
                format!("{} of {} faces are stored as free forms and read as what they are", stored.len(), raw.faces.len()),
                format!(
                    "They are planes, cylinders, cones, balls or rings within {} mm; sizes are those of the surfaces found.",
                    len(if worst < 5e-5 { "0.0001".into() } else { format!("{worst:.4}") })),
            )
            .keyed("stored"),
        );
    }
    let mut doubt = |key: &str, what: String, why: &str| {
        out.push(Finding::new(Kind::ModelDoubt, Severity::Warn, what, why).keyed(key))
    };
    for (k, r) in raw.remarks.iter().enumerate() {
        doubt(&format!("remark{k}"), r.clone(), "Compare the part on the stage with the drawing.");
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

fn face(f: &kernel::RawFace, mesh: &TriMesh, range: std::ops::Range<usize>, scale: f64) -> Face {
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
    let at = |p: [f64; 3]| v(p) * scale;
    let radial = |o: DVec3, a: DVec3| move |p: DVec3| (p - o) - a * (p - o).dot(a);
    let surface = match f.surface {
        RawSurface::Plane { origin, normal } => {
            let n = v(normal);
            let out = if looks(&|_| n) { -n } else { n };
            Surface::Plane { normal: out, offset: at(origin).dot(out) }
        }
        RawSurface::Cylinder { origin, axis, radius } => {
            let (origin, axis) = (at(origin), v(axis));
            Surface::Cylinder { origin, axis, radius: radius * scale, hollow: looks(&radial(origin, axis)) }
        }
        RawSurface::Cone { origin, axis, radius, half_angle } => {
            let (origin, axis) = (at(origin), v(axis));
            Surface::Cone { origin, axis, radius: radius * scale, half_angle, hollow: looks(&radial(origin, axis)) }
        }
        RawSurface::Sphere { origin, radius } => {
            let o = at(origin);
            Surface::Sphere { origin: o, radius: radius * scale, hollow: looks(&|p| p - o) }
        }
        RawSurface::Torus { origin, axis, major, minor } => {
            let (o, a, major) = (at(origin), v(axis), major * scale);
            let tube = move |p: DVec3| {
                let r = radial(o, a)(p);
                p - (o + r.normalize_or_zero() * major)
            };
            Surface::Torus { origin: o, axis: a, major, minor: minor * scale, hollow: looks(&tube) }
        }
        RawSurface::Other => Surface::Free,
    };
    Face {
        surface,
        area: f.area * scale * scale,
        triangles: range,
        bounds,
        turn: (f.bounds[1] - f.bounds[0]).abs(),
        colour: f.colour,
        concave_radius: (f.curvature[0] > 1e-6).then(|| scale / f.curvature[0]),
        recognised: f.recognised.map(|d| d * scale),
        cap: f.cap,
    }
}

impl Surface {
    /// Outward normal at a point of the surface; none for free faces and at the axis.
    pub fn normal_at(&self, p: DVec3) -> Option<DVec3> {
        let turned = |n: DVec3, hollow: bool| n.try_normalize().map(|n| if hollow { -n } else { n });
        match *self {
            Surface::Plane { normal, .. } => Some(normal),
            Surface::Cylinder { origin, axis, hollow, .. } => turned((p - origin).reject_from_normalized(axis), hollow),
            Surface::Cone { origin, axis, half_angle, hollow, .. } => {
                let r = (p - origin).reject_from_normalized(axis).try_normalize()?;
                turned(r * half_angle.cos() - axis * half_angle.sin(), hollow)
            }
            Surface::Sphere { origin, hollow, .. } => turned(p - origin, hollow),
            Surface::Torus { origin, axis, major, hollow, .. } => {
                let r = (p - origin).reject_from_normalized(axis).try_normalize()?;
                turned(p - (origin + r * major), hollow)
            }
            Surface::Free => None,
        }
    }
    /// Origin and direction of the axis it turns about.
    pub fn axis(&self) -> Option<(DVec3, DVec3)> {
        match *self {
            Surface::Cylinder { origin, axis, .. }
            | Surface::Cone { origin, axis, .. }
            | Surface::Torus { origin, axis, .. } => Some((origin, axis)),
            _ => None,
        }
    }
    /// Does the material lie outside of it?
    pub fn hollow(&self) -> bool {
        match *self {
            Surface::Cylinder { hollow, .. }
            | Surface::Cone { hollow, .. }
            | Surface::Sphere { hollow, .. }
            | Surface::Torus { hollow, .. } => hollow,
            Surface::Plane { .. } | Surface::Free => false,
        }
    }
}
