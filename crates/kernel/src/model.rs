//! What the kernel says of a file, as plain data that can cross a process border.

use crate::bridge::ffi;
use serde::{Deserialize, Serialize};

/// A face's analytic surface. Points and lengths mm, axes unit vectors, angles rad.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub enum RawSurface {
    /// Through `origin`, with the surface's own normal (which may point into the material).
    Plane { origin: [f64; 3], normal: [f64; 3] },
    /// A cylinder about the axis.
    Cylinder { origin: [f64; 3], axis: [f64; 3], radius: f64 },
    /// `radius` at `origin`; it grows along `axis` by tan(`half_angle`).
    Cone { origin: [f64; 3], axis: [f64; 3], radius: f64, half_angle: f64 },
    /// A ball's surface.
    Sphere { origin: [f64; 3], radius: f64 },
    /// A ring: tube radius `minor` about a circle of radius `major`.
    Torus { origin: [f64; 3], axis: [f64; 3], major: f64, minor: f64 },
    /// Anything else: known by its triangles only.
    Other,
}

/// A face: its surface, parameter bounds (u0, u1, v0, v1 as the kernel has them), exact area mm², range of triangles.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct RawFace {
    /// Which solid of the file it belongs to.
    pub solid: u32,
    /// The analytic surface.
    pub surface: RawSurface,
    /// u0, u1, v0, v1.
    pub bounds: [f64; 4],
    /// mm².
    pub area: f64,
    /// 0xRRGGBB if the file gives one.
    pub colour: Option<u32>,
    /// Of a free face: largest curvature where it is hollow and where it bulges, 1/mm, taken at the nodes of its mesh.
    pub curvature: [f64; 2],
    /// Of a free face: places on it with the outward normal, from which the reader tells what it really is; empty after that.
    pub samples: Vec<[[f64; 3]; 2]>,
    /// The file stores it as a free form; its surface was recognised, with this largest deviation, mm.
    pub recognised: Option<f64>,
    /// It was not in the file: it closes an opening.
    pub cap: bool,
    /// Largest distance between its triangles and its surface as measured, mm; none where it was not.
    pub sag: Option<f64>,
    /// First triangle.
    pub first_triangle: u32,
    /// Number of triangles.
    pub triangle_count: u32,
}

/// The curve of an edge.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub enum EdgeKind {
    /// Straight.
    Line,
    /// Circular, about this centre and axis, mm.
    Circle { centre: [f64; 3], axis: [f64; 3], radius: f64 },
    /// Anything else.
    Other,
}

/// An edge between two faces (the same twice on a seam), with the vertices at which the mesh follows it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct RawEdge {
    /// The two faces.
    pub faces: [u32; 2],
    /// Its curve.
    pub kind: EdgeKind,
    /// mm.
    pub length: f64,
    /// The mesh's vertices along it.
    pub points: Vec<u32>,
    /// Only one face lies at it.
    pub open: bool,
}

/// A solid of the file.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct RawSolid {
    /// As the file names it, or empty.
    pub name: String,
    /// Exact volume, mm³ (of meshes: of the triangles).
    pub volume: f64,
}

/// A file as it was read, mm.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct RawModel {
    /// "STEP AP214".
    pub format: String,
    /// Solids in the file's order.
    pub solids: Vec<RawSolid>,
    /// Shells that belong to no solid.
    pub loose_shells: u32,
    /// The kernel's own judgement of the topology.
    pub valid: bool,
    /// Length units that the file names, in its own words.
    pub length_units: Vec<String>,
    /// The strict reading refused it and the lax one was used.
    pub lax: bool,
    /// Largest distance between triangles and the true surface that was asked for, mm (of meshes: what the fit says).
    pub chord_error: f64,
    /// Solids that were closed from loose surfaces.
    pub sewn: u32,
    /// Around openings that nothing closes, mm: least and largest corner.
    pub openings: Vec<[[f64; 3]; 2]>,
    /// Faces were fitted to facets; the vertices lie within this of them, mm.
    pub fitted: Option<f64>,
    /// What else the reader wants to say, a sentence each.
    pub remarks: Vec<String>,
    /// Welded vertices.
    pub vertices: Vec<[f64; 3]>,
    /// Outward counter-clockwise triangles.
    pub triangles: Vec<[u32; 3]>,
    /// Faces.
    pub faces: Vec<RawFace>,
    /// Edges.
    pub edges: Vec<RawEdge>,
}

fn triples<T: Copy>(flat: &[T]) -> Vec<[T; 3]> {
    flat.chunks_exact(3).map(|c| [c[0], c[1], c[2]]).collect()
}

fn surface(kind: u8, n: &[f64]) -> RawSurface {
    let p = |i: usize| [n[i], n[i + 1], n[i + 2]];
    match kind {
        0 => RawSurface::Plane { origin: p(0), normal: p(3) },
        1 => RawSurface::Cylinder { origin: p(0), axis: p(3), radius: n[6] },
        2 => RawSurface::Cone { origin: p(0), axis: p(3), radius: n[6], half_angle: n[8] },
        3 => RawSurface::Sphere { origin: p(0), radius: n[6] },
        4 => RawSurface::Torus { origin: p(0), axis: p(3), major: n[6], minor: n[7] },
        _ => RawSurface::Other,
    }
}

impl RawModel {
    pub(crate) fn from_ffi(m: ffi::RawModel, format: String) -> Self {
        RawModel {
            format,
            solids: m.solids.into_iter().map(|s| RawSolid { name: s.name, volume: s.volume }).collect(),
            loose_shells: m.loose_shells,
            valid: m.valid,
            length_units: m.length_units,
            lax: m.lax,
            chord_error: m.faces.iter().map(|f| f.sag).fold(m.chord, f64::max),
            sewn: m.sewn,
            openings: m.openings.chunks_exact(6).map(|c| [[c[0], c[1], c[2]], [c[3], c[4], c[5]]]).collect(),
            fitted: None,
            remarks: Vec::new(),
            vertices: triples(&m.vertices),
            triangles: triples(&m.triangles),
            faces: m
                .faces
                .iter()
                .map(|f| RawFace {
                    solid: f.solid,
                    surface: surface(f.kind, &f.numbers),
                    bounds: [f.bounds[0], f.bounds[1], f.bounds[2], f.bounds[3]],
                    area: f.area,
                    colour: u32::try_from(f.colour).ok(),
                    curvature: [f.concave, f.convex],
                    samples: f.samples.chunks_exact(6).map(|c| [[c[0], c[1], c[2]], [c[3], c[4], c[5]]]).collect(),
                    recognised: None,
                    cap: f.cap,
                    sag: Some(f.sag).filter(|s| *s >= 0.0),
                    first_triangle: f.first_triangle,
                    triangle_count: f.triangle_count,
                })
                .collect(),
            edges: m
                .edges
                .iter()
                .map(|e| RawEdge {
                    faces: [e.face_a, e.face_b],
                    kind: match (e.kind, e.numbers.as_slice()) {
                        (0, _) => EdgeKind::Line,
                        (1, &[x, y, z, i, j, k, radius]) => {
                            EdgeKind::Circle { centre: [x, y, z], axis: [i, j, k], radius }
                        }
                        _ => EdgeKind::Other,
                    },
                    length: e.length,
                    points: m.edge_points[e.first_point as usize..(e.first_point + e.point_count) as usize].to_vec(),
                    open: e.open,
                })
                .collect(),
        }
    }

    /// Both models in one; the other's solids come after this one's.
    #[must_use]
    pub fn beside(mut self, other: RawModel) -> RawModel {
        let (v, t, f) = (self.vertices.len() as u32, self.triangles.len() as u32, self.faces.len() as u32);
        let s = self.solids.len() as u32;
        self.vertices.extend(other.vertices);
        self.triangles.extend(other.triangles.iter().map(|c| c.map(|k| k + v)));
        self.faces.extend(other.faces.into_iter().map(|o| RawFace {
            solid: o.solid + s,
            first_triangle: o.first_triangle + t,
            ..o
        }));
        self.edges.extend(other.edges.into_iter().map(|o| RawEdge {
            faces: o.faces.map(|k| k + f),
            points: o.points.iter().map(|k| k + v).collect(),
            ..o
        }));
        self.solids.extend(other.solids);
        self.valid &= other.valid;
        self.loose_shells += other.loose_shells;
        self.sewn += other.sewn;
        self.openings.extend(other.openings);
        self.chord_error = self.chord_error.max(other.chord_error);
        self
    }

    /// Every face is meshed with the area that it has, and each solid's triangles enclose what its surfaces enclose, to a thousandth.
    pub fn holds(&self) -> bool {
        // Two hundredths, and what chords take off a ball.
        let allowed = |f: &RawFace| 0.02 * f.area + 0.01 + 8.0 * self.chord_error * f.area.sqrt();
        let meshed = |f: &RawFace| f.triangle_count > 0 && (self.mesh_area(f) - f.area).abs() < allowed(f);
        self.faces.iter().all(|f| f.area <= 1e-6 || meshed(f))
            && (0..self.solids.len()).all(|k| {
                let v = self.solids[k].volume;
                v > 0.0 && (self.mesh_volume(k as u32) - v).abs() < 1e-3 * v
            })
    }

    /// Area of a face's triangles, mm².
    pub fn mesh_area(&self, face: &RawFace) -> f64 {
        let v = |i: u32| self.vertices[i as usize];
        let range = face.first_triangle as usize..(face.first_triangle + face.triangle_count) as usize;
        self.triangles[range]
            .iter()
            .map(|t| {
                let (a, b, c) = (v(t[0]), v(t[1]), v(t[2]));
                let (p, q) = ([0, 1, 2].map(|k| b[k] - a[k]), [0, 1, 2].map(|k| c[k] - a[k]));
                let n = [p[1] * q[2] - p[2] * q[1], p[2] * q[0] - p[0] * q[2], p[0] * q[1] - p[1] * q[0]];
                n.iter().map(|x| x * x).sum::<f64>().sqrt() / 2.0
            })
            .sum()
    }

    /// Volume enclosed by a solid's triangles, mm³ (divergence theorem).
    pub fn mesh_volume(&self, solid: u32) -> f64 {
        let v = |i: u32| self.vertices[i as usize];
        let mine = self.faces.iter().filter(|f| f.solid == solid);
        mine.flat_map(|f| &self.triangles[f.first_triangle as usize..(f.first_triangle + f.triangle_count) as usize])
            .map(|t| {
                let (a, b, c) = (v(t[0]), v(t[1]), v(t[2]));
                (a[0] * (b[1] * c[2] - b[2] * c[1]) - a[1] * (b[0] * c[2] - b[2] * c[0])
                    + a[2] * (b[0] * c[1] - b[1] * c[0]))
                    / 6.0
            })
            .sum()
    }
}
