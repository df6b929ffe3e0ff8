//! Faces stored as splines, surfaces that do not close, files with thousands of faces, and the reader that waits.

use intake::{Limits, Reading, keep_ready, read_guarded, read_here, write_stl};
use kernel::shape::{Shape, rounded_polygon};
use kernel::{Meshing, RawModel, RawSurface};
use std::f64::consts::PI;
use std::path::Path;

const UP: [f64; 3] = [0.0, 0.0, 1.0];
const READER: &str = env!("CARGO_BIN_EXE_goldchip-reader");

fn file_of(s: &Shape) -> tempfile::NamedTempFile {
    let f = tempfile::Builder::new().suffix(".step").tempfile().unwrap();
    s.write_step(f.path()).unwrap();
    f
}

fn through_a_file(s: &Shape) -> RawModel {
    read_here(file_of(s).path(), &Reading::default(), &Meshing::default()).unwrap().raw
}

fn near(a: f64, b: f64, off: f64) {
    assert!((a - b).abs() <= off, "{a} is not {b} ± {off}");
}

/// Numbers of a surface that do not hang on where its origin lies along its axis.
fn words(s: &RawSurface) -> String {
    let along = |a: [f64; 3]| {
        let big = a.iter().fold(0.0, |m: f64, v| if v.abs() > m.abs() + 1e-9 { *v } else { m });
        a.map(|v| format!("{:.3}", v / big.signum() + 0.0)).join(" ")
    };
    match s {
        RawSurface::Plane { normal, .. } => format!("plane {}", along(*normal)),
        RawSurface::Cylinder { axis, radius, .. } => format!("cylinder {radius:.4} {}", along(*axis)),
        RawSurface::Cone { axis, half_angle, .. } => format!("cone {:.4} {}", half_angle.abs(), along(*axis)),
        RawSurface::Sphere { radius, origin } => format!("sphere {radius:.4} {origin:.3?}"),
        RawSurface::Torus { axis, major, minor, origin } => {
            format!("torus {major:.4} {minor:.4} {} {origin:.3?}", along(*axis))
        }
        RawSurface::Other => "free".into(),
    }
}

fn all_words(m: &RawModel) -> Vec<String> {
    let mut w: Vec<String> = m.faces.iter().map(|f| words(&f.surface)).collect();
    w.sort();
    w
}

/// Every kind of face, lying askew: a cup with a rounded rim, a cone inside, a ball at the bottom.
fn cup() -> Shape {
    let p = Shape::cylinder([0.0, 0.0, 0.0], UP, 20.0, 30.0).unwrap();
    let p = p.fillet(3.0, [-21.0, -21.0, 29.9], [21.0, 21.0, 30.1]).unwrap();
    let p = p.cut(&Shape::cone([0.0, 0.0, 12.0], UP, 6.0, 12.0, 20.0).unwrap()).unwrap();
    let p = p.cut(&Shape::ball([0.0, 0.0, 12.0], 5.5).unwrap()).unwrap();
    let p = p.cut(&Shape::block([12.0, -30.0, -1.0], [30.0, 30.0, 8.0]).unwrap()).unwrap();
    p.moved([0.36, 0.48, 0.8], 0.7, [11.0, -7.0, 3.0]).unwrap()
}

/// Triangles lie as close to their surfaces as the model says, use each other's edges once each way, and stand face by face.
#[track_caller]
fn close_to_its_surfaces(m: &RawModel) {
    let sub = |a: [f64; 3], b: [f64; 3]| [0, 1, 2].map(|k| a[k] - b[k]);
    let dot = |a: [f64; 3], b: [f64; 3]| (0..3).map(|k| a[k] * b[k]).sum::<f64>();
    let mut uses = std::collections::HashMap::<(u32, u32), i32>::new();
    for f in &m.faces {
        let off = |p: [f64; 3]| {
            let round = |o: [f64; 3], a: [f64; 3]| {
                let d = sub(p, o);
                let s = dot(d, a);
                ((dot(d, d) - s * s).max(0.0).sqrt(), s)
            };
            match f.surface {
                RawSurface::Plane { origin, normal } => dot(sub(p, origin), normal).abs(),
                RawSurface::Sphere { origin, radius } => (dot(sub(p, origin), sub(p, origin)).sqrt() - radius).abs(),
                RawSurface::Cylinder { origin, axis, radius } => (round(origin, axis).0 - radius).abs(),
                RawSurface::Cone { origin, axis, radius, half_angle } => {
                    let (r, s) = round(origin, axis);
                    ((r - radius) * half_angle.cos() - s * half_angle.sin()).abs()
                }
                RawSurface::Torus { origin, axis, major, minor } => {
                    let (r, s) = round(origin, axis);
                    ((r - major).hypot(s) - minor).abs()
                }
                RawSurface::Other => 0.0,
            }
        };
        for t in &m.triangles[f.first_triangle as usize..(f.first_triangle + f.triangle_count) as usize] {
            let v = t.map(|k| m.vertices[k as usize]);
            for k in 0..3 {
                let mid = [0, 1, 2].map(|i| f64::midpoint(v[k][i], v[(k + 1) % 3][i]));
                assert!(off(mid) <= m.chord_error + 1e-9, "{} {}: {:?}", off(mid), m.chord_error, f.surface);
                let (a, b) = (t[k], t[(k + 1) % 3]);
                *uses.entry((a.min(b), a.max(b))).or_default() += if a < b { 1 } else { -1 };
            }
        }
        let share = m.mesh_area(f) / f.area;
        assert!((share - 1.0).abs() < 0.01, "{share}: {:?}", f.surface);
    }
    assert!(uses.values().all(|n| *n == 0), "the triangles do not close");
    // Borders follow the mesh.
    for e in &m.edges {
        assert!(e.points.windows(2).all(|w| uses.contains_key(&(w[0].min(w[1]), w[0].max(w[1])))), "{:?}", e.kind);
    }
}

#[test]
fn every_kind_of_face_is_known_again_when_stored_as_a_spline() {
    let exact = through_a_file(&cup());
    let splines = through_a_file(&cup().as_splines().unwrap());
    let kinds = ["plane", "cylinder", "cone", "sphere", "torus"];
    let of = all_words(&exact);
    assert!(kinds.iter().all(|k| of.iter().any(|w| w.starts_with(k))), "{of:?}");
    assert_eq!(all_words(&splines), of);
    assert!(exact.faces.iter().all(|f| f.recognised.is_none()));
    assert!(splines.faces.iter().all(|f| f.recognised.is_some_and(|off| off < 1e-6)));
    // What the mesher leaves a tenth of a millimetre off is made finer, and keeps its word.
    for m in [&splines, &exact] {
        assert!(m.chord_error < 0.003, "{}", m.chord_error);
        close_to_its_surfaces(m);
    }
    // Circles and lines between them too.
    let kinds = |m: &RawModel| {
        let n = |want: fn(&kernel::EdgeKind) -> bool| m.edges.iter().filter(|e| want(&e.kind)).count();
        [n(|k| matches!(k, kernel::EdgeKind::Line)), n(|k| matches!(k, kernel::EdgeKind::Circle { .. }))]
    };
    assert_eq!(kinds(&splines), kinds(&exact));
    // How far round each face goes is measured, not stored.
    for (a, b) in splines.faces.iter().zip(&exact.faces) {
        if matches!(b.surface, RawSurface::Cylinder { .. } | RawSurface::Cone { .. }) {
            near((a.bounds[1] - a.bounds[0]).abs(), (b.bounds[1] - b.bounds[0]).abs(), 0.01);
        }
    }
}

#[test]
fn what_is_only_nearly_a_cylinder_stays_a_free_form() {
    // From a circle of 10 mm up to one that is 2 mm out of round: its arcs have other middles there, and no wall is a cylinder or cone.
    let ring = |a: f64, b: f64| {
        let mid = |k: f64| [a * (k * PI / 4.0).cos(), b * (k * PI / 4.0).sin()];
        (0..4)
            .map(|k| kernel::shape::Piece {
                to: mid(2.0 * f64::from(k) + 2.0),
                mid: Some(mid(2.0 * f64::from(k) + 1.0)),
            })
            .collect::<Vec<_>>()
    };
    let odd = Shape::loft(&[(ring(10.0, 10.0), 0.0), (ring(12.0, 10.0), 20.0)]).unwrap();
    let m = through_a_file(&odd);
    assert!(m.faces.iter().any(|f| f.surface == RawSurface::Other), "{:?}", all_words(&m));
    // The same with two true circles is one.
    let even = through_a_file(&Shape::loft(&[(ring(10.0, 10.0), 0.0), (ring(10.0, 10.0), 20.0)]).unwrap());
    assert!(even.faces.iter().all(|f| f.surface != RawSurface::Other), "{:?}", all_words(&even));
}

fn plate_with_holes() -> Shape {
    let o = rounded_polygon(&[([0.0, 0.0], 4.0), ([50.0, 0.0], 4.0), ([50.0, 30.0], 4.0), ([0.0, 30.0], 4.0)]);
    let p = Shape::prism(&o, 0.0, 9.0).unwrap();
    p.cut(&Shape::cylinder([15.0, 15.0, -1.0], UP, 5.0, 11.0).unwrap()).unwrap()
}

/// The top face is missing, with its hole: the lid has the hole too.
#[test]
fn surfaces_without_a_lid_are_closed_by_a_flat_one_with_its_hole() {
    let whole = plate_with_holes();
    let open = whole.without_faces([-1.0, -1.0, 8.9], [51.0, 31.0, 9.1]).unwrap();
    let m = through_a_file(&open);
    assert_eq!((m.solids.len(), m.sewn, m.loose_shells), (1, 1, 0));
    assert_eq!(m.faces.iter().filter(|f| f.cap).count(), 1);
    near(m.solids[0].volume, whole.volume(), 1e-6 * whole.volume());
    assert!(m.holds() && m.edges.iter().all(|e| !e.open));
    // The same as a mesh.
    let raw = whole.read(&Meshing { chord_mm: 0.01, angle_rad: 0.3 }).unwrap();
    let top = |t: &&[u32; 3]| !t.iter().all(|&c| raw.vertices[c as usize][2] > 8.99);
    let kept: Vec<[u32; 3]> = raw.triangles.iter().filter(top).copied().collect();
    assert!(kept.len() < raw.triangles.len());
    let f = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(f.path(), write_stl(&raw.vertices, &kept)).unwrap();
    let mesh = read_here(f.path(), &Reading::default(), &Meshing::default()).unwrap().raw;
    assert_eq!((mesh.sewn, mesh.faces.iter().filter(|f| f.cap).count()), (1, 1));
    near(mesh.solids[0].volume, raw.mesh_volume(0), 1e-5 * raw.mesh_volume(0));
    assert!(mesh.edges.iter().all(|e| !e.open));
}

/// Closed surfaces that nobody called a solid; both ends of a tube; and an opening that is not flat, which nobody closes.
#[test]
fn closed_surfaces_become_a_solid_and_crooked_openings_do_not() {
    let whole = plate_with_holes();
    let far = [1e3; 3];
    let m = through_a_file(&whole.without_faces(far, far).unwrap());
    assert_eq!((m.solids.len(), m.sewn, m.faces.iter().filter(|f| f.cap).count()), (1, 1, 0));
    near(m.solids[0].volume, whole.volume(), 1e-6 * whole.volume());

    let tube = Shape::cylinder([0.0; 3], UP, 10.0, 40.0).unwrap();
    let tube = tube.cut(&Shape::cylinder([0.0, 0.0, -1.0], UP, 7.0, 42.0).unwrap()).unwrap();
    let ends = tube
        .without_faces([-11.0, -11.0, -0.1], [11.0, 11.0, 0.1])
        .and_then(|t| t.without_faces([-11.0, -11.0, 39.9], [11.0, 11.0, 40.1]))
        .unwrap();
    let m = through_a_file(&ends);
    assert_eq!((m.solids.len(), m.faces.iter().filter(|f| f.cap).count()), (1, 2));
    near(m.solids[0].volume, PI * (100.0 - 49.0) * 40.0, 1e-3);

    // Without a corner's round the opening goes round the corner: it has no plane.
    let gap = whole.without_faces([-0.1, -0.1, -0.1], [4.1, 4.1, 9.1]).unwrap();
    let m = through_a_file(&gap);
    assert!(m.solids.is_empty(), "{} solids", m.solids.len());
    // Its place is told: the round stood from (0, 0) to (4, 4), all through.
    let [lo, hi] = m.openings[0];
    assert!(m.openings.len() == 1 && lo.iter().all(|c| c.abs() < 1e-3), "{:?}", m.openings);
    assert!((hi[0] - 4.0).abs() < 1e-3 && (hi[1] - 4.0).abs() < 1e-3 && (hi[2] - 9.0).abs() < 1e-3, "{hi:?}");
    let model = intake::Model { raw: m, drawing: None };
    let said = part::Part::from_model(&model, &Reading::default()).map(|_| ()).unwrap_err().to_string();
    assert!(reason::plain(&said).contains("an opening 4.0 × 4.0 × 9.0 mm around X 2.0 Y 2.0 Z 4.5"), "{said}");
    // Of a mesh: two triangles of a block are gone that meet at an edge between two sides.
    let raw = Shape::block([0.0; 3], [20.0, 30.0, 10.0]).unwrap().read(&Meshing::default()).unwrap();
    let (a, b) = (0..12)
        .flat_map(|a| (0..a).map(move |b| (a, b)))
        .find(|&(a, b)| {
            let shared = raw.triangles[a].iter().filter(|c| raw.triangles[b].contains(c)).count();
            // Two triangles make a side.
            shared == 2 && a / 2 != b / 2
        })
        .unwrap();
    let kept: Vec<[u32; 3]> = (0..12).filter(|k| *k != a && *k != b).map(|k| raw.triangles[k]).collect();
    let f = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(f.path(), write_stl(&raw.vertices, &kept)).unwrap();
    let mesh = read_here(f.path(), &Reading::default(), &Meshing::default()).unwrap();
    let said = part::Part::from_model(&mesh, &Reading::default()).map(|_| ()).unwrap_err().to_string();
    assert!(said.contains("edges have one face only; an opening") && said.contains("around X"), "{said}");
}

/// 100 pockets, more than is read with the kernel's healing at first: every face is there and the volume is the drawn one.
#[test]
fn a_large_file_is_read_whole() {
    let mut plate = Shape::block([0.0; 3], [200.0, 150.0, 12.0]).unwrap();
    // One tool of ten pockets at a time: the cutting itself is what takes long.
    for row in 0..10 {
        let mut tool: Option<Shape> = None;
        for k in 0..10 {
            let (x, y) = (f64::from(k) * 20.0 + 2.0, f64::from(row) * 15.0 + 2.0);
            let c = [([x, y], 3.0), ([x + 16.0, y], 3.0), ([x + 16.0, y + 11.0], 3.0), ([x, y + 11.0], 3.0)];
            let p = Shape::prism(&rounded_polygon(&c), 4.0, 14.0).unwrap();
            tool = Some(match tool {
                Some(t) => t.beside(&p).unwrap(),
                None => p,
            });
        }
        plate = plate.cut(&tool.unwrap()).unwrap();
    }
    let file = file_of(&plate);
    assert!(std::fs::metadata(file.path()).unwrap().len() > 3 << 20, "large enough to go the quick way");
    let m = read_here(file.path(), &Reading::default(), &Meshing::default()).unwrap().raw;
    assert_eq!((m.faces.len(), m.solids.len()), (906, 1));
    let pocket = (16.0 * 11.0 - (4.0 - PI) * 9.0) * 8.0;
    near(m.solids[0].volume, 200.0 * 150.0 * 12.0 - 100.0 * pocket, 1e-3);
    assert!(m.holds() && m.edges.iter().all(|e| !e.open));
}

/// Large free faces are meshed as finely as can be afforded, and the mesh keeps what it states.
#[test]
fn a_coarser_mesh_says_so_and_keeps_its_word() {
    let ball = Shape::ball([0.0; 3], 90.0).unwrap();
    let ball = ball.cut(&Shape::block([-100.0, -100.0, -100.0], [100.0, 100.0, 0.0]).unwrap()).unwrap();
    let m = through_a_file(&ball);
    assert!(m.chord_error > 0.002 && m.chord_error < 0.1, "{}", m.chord_error);
    // Chords of height h take no more than h off the surface everywhere, and the shell between holds area × h.
    let exact = ball.volume();
    let lost = exact - m.mesh_volume(0);
    let area: f64 = m.faces.iter().map(|f| f.area).sum();
    assert!(lost > 0.0 && lost < area * m.chord_error, "{lost} of {}", area * m.chord_error);
    // A small one is as fine as ever.
    near(through_a_file(&Shape::ball([0.0; 3], 4.0).unwrap()).chord_error, 0.0015, 5.1e-4);
}

/// The reader that waits reads one file and no second; when it was killed, another takes its place.
#[test]
fn a_waiting_reader_is_used_once_and_replaced() {
    let reader = Path::new(READER);
    keep_ready::<&str>(reader, &[]);
    let good = file_of(&plate_with_holes());
    let bad = tempfile::Builder::new().suffix(".step").tempfile().unwrap();
    let mut text = std::fs::read_to_string(good.path()).unwrap();
    text = text.replace("CARTESIAN_POINT", "CARTESIAN_PINT");
    std::fs::write(bad.path(), text).unwrap();
    let read = |f: &Path| read_guarded::<&str>(reader, &[], f, &Reading::default(), &Limits::default());
    for _ in 0..3 {
        assert!(read(bad.path()).is_err());
        assert_eq!(read(good.path()).unwrap().raw.solids.len(), 1);
    }
    // Limits hold for the one that waited, too.
    let tight = Limits { wall: std::time::Duration::from_millis(0), ..Default::default() };
    let why = read_guarded::<&str>(reader, &[], good.path(), &Reading::default(), &tight).unwrap_err();
    assert!(why.to_string().contains("longer than 0 s"), "{why}");
    for child in children(READER) {
        // SAFETY: a signal to a child of this very test.
        unsafe { libc::kill(child, libc::SIGKILL) };
    }
    std::thread::sleep(std::time::Duration::from_millis(50));
    assert_eq!(read(good.path()).unwrap().raw.solids.len(), 1);
    assert_eq!(children(READER).len(), 1, "one waits again");
}

/// Children of this process that run this program.
fn children(program: &str) -> Vec<i32> {
    let mine = std::process::id().to_string();
    let list = std::fs::read_dir("/proc").unwrap().flatten();
    list.filter_map(|e| {
        let pid: i32 = e.file_name().to_str()?.parse().ok()?;
        let stat = std::fs::read_to_string(e.path().join("stat")).ok()?;
        let parent = stat.rsplit(')').next()?.split_whitespace().nth(1)?.to_string();
        let runs = std::fs::read_link(e.path().join("exe")).ok()?;
        (parent == mine && runs == Path::new(program)).then_some(pid)
    })
    .collect()
}

#[test]
fn an_assembly_of_files_says_where_its_parts_are() {
    let f = tempfile::Builder::new().suffix(".step").tempfile().unwrap();
    let text = "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME('a','2026-01-01T00:00:00',(''),(''),'','','');\nFILE_SCHEMA(('AUTOMOTIVE_DESIGN { 1 0 10303 214 1 1 1 }'));\nENDSEC;\nDATA;\n#1=DOCUMENT_FILE('arm.stp','','',#2,'','');\n#2=DOCUMENT_TYPE('geometry');\nENDSEC;\nEND-ISO-10303-21;\n";
    std::fs::write(f.path(), text).unwrap();
    let why = read_here(f.path(), &Reading::default(), &Meshing::default()).unwrap_err();
    assert!(why.contains("files of their own"), "{why}");
}
