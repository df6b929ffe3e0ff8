//! What is written is read again, by the same guarded child, and compared with what it came from.

use geom::{DMat3, DVec2, DVec3, Placement, Region};
use intake::{DrawingAnswers, Export, Limits, Model, Reading, export_guarded, read_guarded, write_dxf};
use kernel::shape::{Shape, rounded_polygon};
use std::f64::consts::PI;
use std::path::Path;

const READER: &str = env!("CARGO_BIN_EXE_goldchip-reader");
const NO_ARGS: [&str; 0] = [];

fn out(e: &Export) -> Result<Vec<u8>, String> {
    export_guarded(Path::new(READER), &NO_ARGS, e, &Limits::default()).map_err(|e| e.to_string())
}

fn back(name: &str, bytes: &[u8], reading: &Reading) -> Model {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join(name);
    std::fs::write(&file, bytes).unwrap();
    read_guarded(Path::new(READER), &NO_ARGS, &file, reading, &Limits::default()).unwrap()
}

fn volume(m: &Model) -> f64 {
    m.raw.solids.iter().map(|s| s.volume).sum()
}

fn near(a: f64, b: f64, share: f64) {
    assert!((a / b - 1.0).abs() < share, "{a} is not {b}");
}

/// A plate with a bore and rounded corners, and a pin beside it.
fn two() -> Shape {
    let c = [([0.0, 0.0], 5.0), ([60.0, 0.0], 5.0), ([60.0, 40.0], 5.0), ([0.0, 40.0], 5.0)];
    let plate = Shape::prism(&rounded_polygon(&c), 0.0, 10.0).unwrap();
    let bored = plate.cut(&Shape::cylinder([30.0, 20.0, -1.0], [0.0, 0.0, 1.0], 8.0, 12.0).unwrap()).unwrap();
    bored.beside(&Shape::cylinder([100.0, 0.0, 0.0], [0.0, 0.0, 1.0], 3.0, 20.0).unwrap()).unwrap()
}

fn plate_volume() -> f64 {
    (2400.0 - (4.0 - PI) * 25.0 - PI * 64.0) * 10.0
}

#[test]
fn one_solid_of_several_leaves_exactly_and_in_another_unit() {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("two.step");
    two().write_step(&file).unwrap();
    let part =
        |solid, scale| Export::Part { file: std::fs::read(&file).unwrap(), reading: Reading::default(), solid, scale };
    let m = back("a.step", &out(&part(0, 1.0)).unwrap(), &Reading::default());
    assert_eq!(m.raw.solids.len(), 1);
    near(volume(&m), plate_volume(), 1e-9);
    let m = back("b.step", &out(&part(1, 25.4)).unwrap(), &Reading::default());
    near(volume(&m), PI * 9.0 * 20.0 * 25.4_f64.powi(3), 1e-9);
    assert!(out(&part(2, 1.0)).unwrap_err().contains("no solid of that number"));
    // A mesh has no exact faces to write.
    let stl = intake::write_stl(&[[0.0; 3], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]], &[[0, 1, 2]]);
    let e = out(&Export::Part { file: stl, reading: Reading::default(), solid: 0, scale: 1.0 }).unwrap_err();
    assert!(e.contains("take it as STL"), "{e}");
}

#[test]
fn an_outline_comes_back_with_its_arcs() {
    let c = Region::rect(DVec2::ZERO, DVec2::new(60.0, 40.0)).opened(5.0, 0.0005);
    let outline = c.minus(&Region::disc(DVec2::new(30.0, 20.0), 8.0, 0.0005));
    let dxf = write_dxf(&outline).unwrap();
    let reading = Reading {
        drawing: DrawingAnswers { thickness: Some(10.0), ..DrawingAnswers::default() },
        ..Reading::default()
    };
    let m = back("o.dxf", &dxf, &reading);
    near(volume(&m), plate_volume(), 2e-4);
    // Lines and arcs, not a chain of chords: four sides, four corners in one or two arcs each, a bore, top and bottom.
    assert!(m.raw.faces.len() <= 18, "{} faces", m.raw.faces.len());
    assert_eq!(m.drawing.unwrap().unit, "mm");
    // The plate drawn from it leaves as STEP again.
    let step = out(&Export::Part { file: dxf, reading, solid: 0, scale: 1.0 }).unwrap();
    near(volume(&back("p.step", &step, &Reading::default())), plate_volume(), 2e-4);
}

/// Stock after a side: a hat, over it the part's outline, a pocket, a bore through all.
#[test]
fn layers_become_one_solid_where_they_stand() {
    let block = Region::rect(DVec2::ZERO, DVec2::new(80.0, 50.0));
    let bore = Region::disc(DVec2::new(40.0, 25.0), 6.0, 0.001);
    let outline = Region::rect(DVec2::splat(5.0), DVec2::new(75.0, 45.0)).opened(6.0, 0.001).minus(&bore);
    let pocket = Region::rect(DVec2::new(10.0, 10.0), DVec2::new(30.0, 40.0)).opened(3.0, 0.001);
    let layers =
        vec![(0.0, 8.0, block.loops()), (8.0, 14.0, outline.loops()), (14.0, 20.0, outline.minus(&pocket).loops())];
    let wanted = 8.0 * block.area() + 6.0 * outline.area() + 6.0 * outline.minus(&pocket).area();
    let turn = DMat3::from_rotation_x(PI);
    let place = Placement { turn, shift: DVec3::new(1.0, 2.0, 3.0) };
    let export = |stl| out(&Export::Layers { layers: layers.clone(), place, stl }).unwrap();
    let m = back("s.step", &export(false), &Reading::default());
    assert_eq!(m.raw.solids.len(), 1, "joined to one");
    near(volume(&m), wanted, 2e-4);
    let z: Vec<f64> = m.raw.vertices.iter().map(|v| v[2]).collect();
    near(z.iter().copied().fold(f64::INFINITY, f64::min), 3.0 - 20.0, 1e-9);
    near(z.iter().copied().fold(f64::NEG_INFINITY, f64::max), 3.0, 1e-9);
    // The mesh is closed and of the same volume.
    let m = back("s.stl", &export(true), &Reading::default());
    near(volume(&m), wanted, 1e-3);
    assert!(m.raw.edges.iter().all(|e| !e.open), "the mesh has holes");
    // Nothing left is told.
    let e = out(&Export::Layers { layers: vec![], place, stl: true }).unwrap_err();
    assert!(e.contains("nothing is left"), "{e}");
}
