//! The `cxx` bridge: the only place where Rust and C++ meet.

#[cxx::bridge(namespace = "goldchip")]
pub(crate) mod ffi {
    /// One face: analytic kind, its numbers, its triangles.
    struct RawFace {
        solid: u32,
        /// 0 plane, 1 cylinder, 2 cone, 3 sphere, 4 torus, 9 other.
        kind: u8,
        /// Origin xyz, axis xyz, then radius, second radius, half angle (rad), as the kind needs them.
        numbers: Vec<f64>,
        /// Parameter bounds u0 u1 v0 v1.
        bounds: Vec<f64>,
        area: f64,
        /// 0xRRGGBB, or -1.
        colour: i32,
        /// Largest curvature of a free face where it is hollow, 1/mm.
        concave: f64,
        /// The same where it bulges.
        convex: f64,
        /// Of a free face: places on it and outward normals, 6 numbers each.
        samples: Vec<f64>,
        /// It was not in the file: it closes an opening.
        cap: bool,
        /// Distance between triangles and surface as measured, mm; less than nothing where it was not.
        sag: f64,
        first_triangle: u32,
        triangle_count: u32,
    }
    /// One solid.
    struct RawSolid {
        name: String,
        volume: f64,
    }
    /// One edge between two faces (both the same on a seam).
    struct RawEdge {
        face_a: u32,
        face_b: u32,
        /// 0 line, 1 circle, 9 other.
        kind: u8,
        /// Of a circle: centre, axis, radius.
        numbers: Vec<f64>,
        length: f64,
        /// One face only.
        open: bool,
        first_point: u32,
        point_count: u32,
    }
    /// Everything that the kernel says of a file, in mm.
    struct RawModel {
        solids: Vec<RawSolid>,
        loose_shells: u32,
        valid: bool,
        length_units: Vec<String>,
        lax: bool,
        /// Height of chords of the mesh, mm.
        chord: f64,
        /// Solids that were made of loose surfaces.
        sewn: u32,
        /// Boxes around openings that nothing closes: least and largest corner, 6 numbers each.
        openings: Vec<f64>,
        vertices: Vec<f64>,
        triangles: Vec<u32>,
        faces: Vec<RawFace>,
        edges: Vec<RawEdge>,
        /// Numbers of vertices.
        edge_points: Vec<u32>,
    }

    /// How a file is read.
    #[derive(Clone, Copy)]
    struct Care {
        /// Faulty entities are passed over.
        lax: bool,
        /// With the kernel's healing and its check of the topology; without, the caller looks whether the result holds.
        heal: bool,
        /// The slower way to triangles.
        sturdy: bool,
    }

    unsafe extern "C++" {
        include!("kernel/shim/shim.h");

        fn warm_up();
        fn read_step(bytes: &[u8], chord_mm: f64, angle_rad: f64, care: Care) -> Result<RawModel>;

        /// The kernel's own read, mesh and volume, nothing else: what the bench compares with.
        fn plain_read(path: &str, chord_mm: f64, angle_rad: f64) -> Result<f64>;

        /// A solid held by the kernel.
        type Solid;
        fn make_box(min: [f64; 3], max: [f64; 3]) -> Result<UniquePtr<Solid>>;
        fn make_cylinder(base: [f64; 3], axis: [f64; 3], radius: f64, height: f64) -> Result<UniquePtr<Solid>>;
        fn make_cone(
            base: [f64; 3],
            axis: [f64; 3],
            radius_base: f64,
            radius_top: f64,
            height: f64,
        ) -> Result<UniquePtr<Solid>>;
        fn make_prism(outline: &[f64], z0: f64, z1: f64) -> Result<UniquePtr<Solid>>;
        fn make_loft(outlines: &[f64], pieces: usize, heights: &[f64]) -> Result<UniquePtr<Solid>>;
        fn make_ball(centre: [f64; 3], radius: f64) -> Result<UniquePtr<Solid>>;
        fn fuse(a: &Solid, b: &Solid) -> Result<UniquePtr<Solid>>;
        fn cut(a: &Solid, b: &Solid) -> Result<UniquePtr<Solid>>;
        fn chamfer_edges(a: &Solid, size: f64, box_min: [f64; 3], box_max: [f64; 3]) -> Result<UniquePtr<Solid>>;
        fn fillet_edges(a: &Solid, radius: f64, box_min: [f64; 3], box_max: [f64; 3]) -> Result<UniquePtr<Solid>>;
        fn moved(a: &Solid, turn_axis: [f64; 3], turn_rad: f64, shift: [f64; 3]) -> Result<UniquePtr<Solid>>;
        fn step_solid(bytes: &[u8], number: usize, scale: f64) -> Result<UniquePtr<Solid>>;
        fn beside(a: &Solid, b: &Solid) -> Result<UniquePtr<Solid>>;
        fn as_splines(a: &Solid) -> Result<UniquePtr<Solid>>;
        fn without_faces(a: &Solid, box_min: [f64; 3], box_max: [f64; 3]) -> Result<UniquePtr<Solid>>;
        fn volume(a: &Solid) -> f64;
        fn read_solid(a: &Solid, chord_mm: f64, angle_rad: f64, sturdy: bool) -> Result<RawModel>;
        fn to_step(a: &Solid) -> Result<Vec<u8>>;
    }
}
