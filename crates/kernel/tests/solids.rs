//! Solids of geometry's own formulas: volumes and areas of the modelled bodies, their triangles, edges and faces, to and from STEP.

use kernel::shape::{Piece, Shape, rounded_polygon};
use kernel::{EdgeKind, Meshing, RawModel, RawSurface};
use std::collections::HashMap;
use std::f64::consts::{PI, TAU};

const UP: [f64; 3] = [0.0, 0.0, 1.0];

fn read(s: &Shape) -> RawModel {
    s.read(&Meshing::default()).unwrap()
}

fn area(m: &RawModel) -> f64 {
    m.faces.iter().map(|f| f.area).sum()
}

#[track_caller]
fn near(got: f64, want: f64) {
    assert!((got - want).abs() <= 1e-9 * want.abs().max(1.0), "{got} is not {want}");
}

/// What holds of every closed solid, however it was made.
#[track_caller]
fn sound(m: &RawModel) {
    assert!(m.holds(), "numbers of faces, edges and triangles belong together");
    // Every edge of a triangle is used once each way: closed, and outward.
    let mut uses: HashMap<(u32, u32), i32> = HashMap::new();
    for t in &m.triangles {
        for k in 0..3 {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            *uses.entry((a.min(b), a.max(b))).or_default() += if a < b { 1 } else { -1 };
        }
    }
    assert!(uses.values().all(|n| *n == 0), "the triangles do not close");
    assert!(m.edges.iter().all(|e| !e.open));
    let mut at = 0;
    for f in &m.faces {
        assert_eq!(f.first_triangle, at, "triangles stand face by face");
        at += f.triangle_count;
    }
    assert_eq!(at as usize, m.triangles.len());
    for f in &m.faces {
        assert!((m.mesh_area(f) / f.area - 1.0).abs() < 5e-3, "{} {}", m.mesh_area(f), f.area);
    }
    for (k, s) in m.solids.iter().enumerate() {
        let meshed = m.mesh_volume(k as u32);
        assert!((meshed / s.volume - 1.0).abs() < 5e-3, "{meshed} {}", s.volume);
    }
}

#[test]
fn bodies_have_the_volume_and_area_of_the_textbook() {
    let block = read(&Shape::block([1.0, 2.0, 3.0], [11.0, 22.0, 33.0]).unwrap());
    near(block.solids[0].volume, 6000.0);
    near(area(&block), 2.0 * (10.0 * 20.0 + 10.0 * 30.0 + 20.0 * 30.0));
    assert_eq!((block.faces.len(), block.edges.len(), block.triangles.len(), block.vertices.len()), (6, 12, 12, 8));
    let rod = read(&Shape::cylinder([0.0; 3], [1.0, 0.0, 0.0], 4.0, 10.0).unwrap());
    near(rod.solids[0].volume, PI * 160.0);
    near(area(&rod), TAU * 4.0 * 10.0 + TAU * 16.0);
    let cone = read(&Shape::cone([0.0; 3], UP, 6.0, 2.0, 3.0).unwrap());
    near(cone.solids[0].volume, PI * 3.0 / 3.0 * (36.0 + 12.0 + 4.0));
    near(area(&cone), PI * (6.0 + 2.0) * 5.0 + PI * 40.0);
    let ball = read(&Shape::ball([5.0, 5.0, 5.0], 3.0).unwrap());
    near(ball.solids[0].volume, 4.0 / 3.0 * PI * 27.0);
    near(area(&ball), 4.0 * PI * 9.0);
    for m in [&block, &rod, &cone, &ball] {
        sound(m);
    }
}

#[test]
fn outlines_with_arcs_and_rounded_corners() {
    // A half disc: a line and an arc through its top.
    let half = [Piece { to: [5.0, 0.0], mid: None }, Piece { to: [-5.0, 0.0], mid: Some([0.0, 5.0]) }];
    let m = read(&Shape::prism(&half, 0.0, 2.0).unwrap());
    near(m.solids[0].volume, PI * 25.0);
    sound(&m);
    let r = 3.0;
    let corners = [[0.0, 0.0], [40.0, 0.0], [40.0, 25.0], [0.0, 25.0]].map(|c| (c, r));
    let m = read(&Shape::prism(&rounded_polygon(&corners), 1.0, 11.0).unwrap());
    near(m.solids[0].volume, 10.0 * (1000.0 - (4.0 - PI) * r * r));
    let round = m.faces.iter().filter(|f| matches!(f.surface, RawSurface::Cylinder { .. })).count();
    assert_eq!((m.faces.len(), round), (10, 4));
    let arcs = m.edges.iter().filter(|e| matches!(e.kind, EdgeKind::Circle { .. }));
    assert!(arcs.clone().count() == 8 && arcs.clone().all(|e| (e.length - PI / 2.0 * r).abs() < 1e-9));
    sound(&m);
    // A radius that leaves nothing of a side, and an outline of nothing, are refused or closed, never a crash.
    assert!(Shape::prism(&[], 0.0, 1.0).is_err());
}

#[test]
fn what_is_cut_away_and_joined_adds_up() {
    let block = Shape::block([0.0; 3], [30.0, 20.0, 10.0]).unwrap();
    let bore = Shape::cylinder([15.0, 10.0, -1.0], UP, 3.0, 12.0).unwrap();
    let cut = block.cut(&bore).unwrap();
    near(cut.volume(), 6000.0 - PI * 90.0);
    sound(&read(&cut));
    near(block.fuse(&bore).unwrap().volume(), 6000.0 + PI * 18.0);
    // Two equal rods that cross square share Steinmetz' solid, 16 r³ / 3.
    let a = Shape::cylinder([-20.0, 0.0, 0.0], [1.0, 0.0, 0.0], 3.0, 40.0).unwrap();
    let b = Shape::cylinder([0.0, -20.0, 0.0], [0.0, 1.0, 0.0], 3.0, 40.0).unwrap();
    let both = a.fuse(&b).unwrap();
    let wanted = 2.0 * PI * 9.0 * 40.0 - 16.0 * 27.0 / 3.0;
    assert!((both.volume() / wanted - 1.0).abs() < 1e-6, "{} {wanted}", both.volume());
    sound(&read(&both));
    // Nothing left is an error that says so, or an empty body; not a wrong one.
    if let Ok(none) = block.cut(&Shape::block([-1.0; 3], [40.0, 40.0, 40.0]).unwrap()) {
        assert!(none.volume().abs() < 1e-9);
    }
}

#[test]
fn edges_are_broken_and_rounded_by_what_the_formulas_say() {
    let block = Shape::block([0.0; 3], [30.0, 20.0, 10.0]).unwrap();
    // The four upright edges.
    let top = |z: f64| ([-0.1, -0.1, z - 0.1], [30.1, 20.1, z + 0.1]);
    let (lo, hi) = top(10.0);
    let c = block.chamfer(1.0, lo, hi).unwrap();
    // Around the top: ½·s² over the outline, less what the corners share: pyramids.
    let chamfered = 6000.0 - (0.5 * 100.0 - 4.0 * (1.0 / 3.0));
    assert!((c.volume() - chamfered).abs() < 0.2, "{} {chamfered}", c.volume());
    sound(&read(&c));
    let upright = block.fillet(2.0, [-0.1, -0.1, -0.1], [0.1, 0.1, 10.1]).unwrap();
    near(upright.volume(), 6000.0 - (1.0 - PI / 4.0) * 4.0 * 10.0);
    sound(&read(&upright));
    // No edge in the box.
    assert!(block.fillet(2.0, [100.0; 3], [101.0; 3]).is_err());
}

#[test]
fn a_body_that_is_moved_stays_itself() {
    let s = Shape::block([0.0; 3], [10.0, 8.0, 6.0]).unwrap().cut(&Shape::ball([0.0; 3], 2.0).unwrap()).unwrap();
    let (still, moved) = (read(&s), read(&s.moved([1.0, 2.0, 3.0], 0.7, [100.0, -50.0, 3.0]).unwrap()));
    near(moved.solids[0].volume, still.solids[0].volume);
    near(area(&moved), area(&still));
    assert_eq!(moved.faces.len(), still.faces.len());
    let turned = read(&s.moved(UP, PI / 2.0, [0.0; 3]).unwrap());
    let span = |m: &RawModel, k: usize| {
        let v = m.vertices.iter().map(|p| p[k]);
        v.clone().fold(f64::NEG_INFINITY, f64::max) - v.fold(f64::INFINITY, f64::min)
    };
    assert!((span(&turned, 0) - 8.0).abs() < 1e-9 && (span(&turned, 1) - 10.0).abs() < 1e-9);
}

#[test]
fn through_a_file_and_back() {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("two.step");
    let first = Shape::block([0.0; 3], [20.0, 10.0, 5.0]).unwrap();
    let second = Shape::cylinder([40.0, 0.0, 0.0], UP, 4.0, 9.0).unwrap();
    first.beside(&second).unwrap().write_step(&file).unwrap();
    let m = kernel::read_step(&file, &Meshing::default()).unwrap();
    assert_eq!(m.solids.len(), 2);
    near(m.solids[0].volume, 1000.0);
    near(m.solids[1].volume, PI * 144.0);
    assert!(m.length_units.iter().any(|u| u.to_lowercase().starts_with("m")), "{:?}", m.length_units);
    assert!(m.format.contains("STEP") && m.valid && !m.lax && m.loose_shells == 0);
    sound(&m);
    // One of them alone, twice as large.
    let bytes = std::fs::read(&file).unwrap();
    near(Shape::from_step(&bytes, 1, 2.0).unwrap().volume(), 8.0 * PI * 144.0);
    assert!(Shape::from_step(&bytes, 2, 1.0).is_err());
    near(kernel::plain_read(&file, &Meshing::default()).unwrap(), 1000.0 + PI * 144.0);
    // What is no STEP file is told.
    let other = dir.path().join("x.step");
    for text in ["", "solid x\nendsolid\n", "ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\nENDSEC;\nEND-ISO-10303-21;\n"] {
        std::fs::write(&other, text).unwrap();
        assert!(!kernel::read_step(&other, &Meshing::default()).unwrap_err().is_empty(), "{text:?}");
    }
}

#[test]
fn a_finer_mesh_is_closer_and_says_how_close() {
    let s = Shape::ball([0.0; 3], 10.0).unwrap();
    let mut last = f64::INFINITY;
    for chord in [0.2, 0.05, 0.01] {
        let m = s.read(&Meshing { chord_mm: chord, angle_rad: 1.0 }).unwrap();
        let off = |p: [f64; 3]| (p.iter().map(|v| v * v).sum::<f64>().sqrt() - 10.0).abs();
        assert!(m.vertices.iter().all(|p| off(*p) < 1e-9), "nodes lie on the ball");
        let middle = |t: &[u32; 3]| {
            let mut c = [0.0; 3];
            for k in t {
                (0..3).for_each(|i| c[i] += m.vertices[*k as usize][i] / 3.0);
            }
            off(c)
        };
        let worst = m.triangles.iter().map(middle).fold(0.0, f64::max);
        assert!(worst <= 1.5 * m.chord_error && m.chord_error >= chord * 0.999, "{worst} {}", m.chord_error);
        let missing = m.solids[0].volume - m.mesh_volume(0);
        assert!(missing > 0.0 && missing < last, "{chord}: {missing}");
        last = missing;
    }
}

#[test]
fn surfaces_tell_their_own_numbers() {
    let ring =
        Shape::cylinder([1.0, 2.0, 0.0], UP, 10.0, 8.0).unwrap().fillet(2.0, [-20.0, -20.0, 7.9], [20.0, 20.0, 8.1]);
    let m = read(&ring.unwrap());
    let mut seen = [0; 3];
    for f in &m.faces {
        match f.surface {
            RawSurface::Torus { major, minor, origin, .. } => {
                seen[0] += 1;
                assert!((major - 8.0).abs() < 1e-9 && (minor - 2.0).abs() < 1e-9 && (origin[2] - 6.0).abs() < 1e-9);
            }
            RawSurface::Cylinder { radius, origin, axis } => {
                seen[1] += 1;
                assert!((radius - 10.0).abs() < 1e-9 && axis[2].abs() > 1.0 - 1e-12);
                assert!((origin[0] - 1.0).abs() < 1e-9 && (origin[1] - 2.0).abs() < 1e-9);
            }
            RawSurface::Plane { normal, .. } => {
                seen[2] += 1;
                assert!(normal[2].abs() > 1.0 - 1e-12);
            }
            _ => panic!("{:?}", f.surface),
        }
    }
    assert_eq!(seen, [1, 1, 2]);
    // A quarter of a ring's skin by Pappus: the arc ½πr at its own centroid.
    let torus = m.faces.iter().find(|f| matches!(f.surface, RawSurface::Torus { .. })).unwrap();
    near(torus.area, TAU * (8.0 + 2.0 * 2.0 / PI) * (PI / 2.0 * 2.0));
}
