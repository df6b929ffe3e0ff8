//! Sections with walls whose thickness is known from the sizes they were made with.

use kernel::shape::{Shape, rounded_polygon};
use part::{Cut, Part, Slice, slice};
use std::f64::consts::PI;

const UP: [f64; 3] = [0.0, 0.0, 1.0];

fn part(s: &Shape) -> Part {
    Part::from_raw(&s.read(&kernel::Meshing::default()).unwrap()).unwrap()
}

fn prism(corners: &[[f64; 2]]) -> Part {
    let sharp: Vec<([f64; 2], f64)> = corners.iter().map(|c| (*c, 0.0)).collect();
    part(&Shape::prism(&rounded_polygon(&sharp), 0.0, 20.0).unwrap())
}

fn thicknesses(s: &Slice) -> Vec<f64> {
    s.walls.iter().map(|w| w.thickness).collect()
}

fn has(s: &Slice, t: f64, within: f64) -> bool {
    s.walls.iter().any(|w| (w.thickness - t).abs() < within)
}

/// A box 60 × 40 × 30 with a pocket that leaves walls of 2, 3, 4 and 5 mm and a floor of 6.
fn tray() -> Part {
    let b = Shape::block([0.0; 3], [60.0, 40.0, 30.0]).unwrap();
    part(&b.cut(&Shape::block([2.0, 4.0, 6.0], [57.0, 35.0, 31.0]).unwrap()).unwrap())
}

#[test]
fn walls_and_floor_of_a_tray() {
    let p = tray();
    let s = slice(&p, Cut { axis: 2, at: 15.0 });
    assert!((s.area - (60.0 * 40.0 - 55.0 * 31.0)).abs() < 1e-4, "{}", s.area);
    let mut t = thicknesses(&s);
    t.truncate(4);
    for (got, want) in t.iter().zip([2.0, 3.0, 4.0, 5.0]) {
        assert!((got - want).abs() < 1e-5, "{t:?}");
    }
    let thin = &s.walls[0];
    assert!(thin.even && (thin.length - 31.0).abs() < 3.0, "{thin:?}");
    // At the middle of the wall that is thin: it stands from y 4 to 35.
    assert!((thin.from[1] - 19.5).abs() < 1.0 && thin.from[2] == 15.0 && thin.to[2] == 15.0, "{thin:?}");
    let across = slice(&p, Cut { axis: 0, at: 30.0 });
    assert!(
        has(&across, 6.0, 1e-5) && has(&across, 4.0, 1e-5) && has(&across, 5.0, 1e-5),
        "{:?}",
        thicknesses(&across)
    );
    // Through the floor it is one block, and beyond it there is nothing.
    let floor = slice(&p, Cut { axis: 2, at: 3.0 });
    assert!((floor.area - 2400.0).abs() < 1e-4 && has(&floor, 40.0, 1e-5), "{:?}", thicknesses(&floor));
    let none = slice(&p, Cut { axis: 2, at: 31.0 });
    assert!(none.area == 0.0 && none.walls.is_empty() && none.outline.is_empty());
}

/// Rounds in the corners belong to no wall: the even stretch is told at its middle.
#[test]
fn a_wall_between_rounded_corners_is_told_at_its_middle() {
    let round = |x0: f64, x1: f64, y0: f64, y1: f64, r: f64, z: f64| {
        let corners = [[x0, y0], [x1, y0], [x1, y1], [x0, y1]].map(|c| (c, r));
        Shape::prism(&rounded_polygon(&corners), z, 40.0).unwrap()
    };
    let b = round(0.0, 60.0, 0.0, 40.0, 5.0, 0.0).cut(&round(2.0, 56.0, 2.0, 38.0, 3.0, 6.0)).unwrap();
    let s = slice(&part(&b), Cut { axis: 2, at: 15.0 });
    // Three walls and the concentric rounds between them are one, 2 mm all along.
    assert!((s.walls[0].thickness - 2.0).abs() < 1e-3 && s.walls[0].even && s.walls[0].length > 130.0, "{:?}", s.walls);
    let right = s.walls.iter().find(|w| (w.thickness - 4.0).abs() < 1e-4).unwrap();
    assert!(right.even && (right.from[1] - 20.0).abs() < 2.0 && right.length > 28.0, "{right:?}");
}

/// A rib across the tray parts its long walls: each is told once.
#[test]
fn a_wall_that_a_rib_parts_is_one_wall() {
    let b = Shape::block([0.0; 3], [60.0, 40.0, 30.0]).unwrap();
    let b = b.cut(&Shape::block([2.0, 4.0, 6.0], [28.0, 35.0, 31.0]).unwrap()).unwrap();
    let b = b.cut(&Shape::block([31.0, 4.0, 6.0], [57.5, 35.0, 31.0]).unwrap()).unwrap();
    let mut t = thicknesses(&slice(&part(&b), Cut { axis: 2, at: 15.0 }));
    t.truncate(5);
    for (got, want) in t.iter().zip([2.0, 2.5, 3.0, 4.0, 5.0]) {
        assert!((got - want).abs() < 1e-5, "{t:?}");
    }
}

#[test]
fn a_tube_is_as_thick_all_round_and_an_eccentric_one_is_not() {
    let tube = |off: f64| {
        let t = Shape::cylinder([0.0; 3], UP, 15.0, 40.0).unwrap();
        part(&t.cut(&Shape::cylinder([off, 0.0, -1.0], UP, 12.0, 42.0).unwrap()).unwrap())
    };
    let s = slice(&tube(0.0), Cut { axis: 2, at: 20.0 });
    assert!((s.area - PI * (225.0 - 144.0)).abs() < 0.2, "{}", s.area);
    assert!((s.walls[0].thickness - 3.0).abs() < 2.0 * s.within + 0.005 && s.walls[0].even, "{:?}", s.walls);
    assert_eq!(s.walls.len(), 1, "{:?}", s.walls);
    // Bored 1 mm off: 2 mm at its thinnest, on +x.
    let s = slice(&tube(1.0), Cut { axis: 2, at: 20.0 });
    let w = &s.walls[0];
    assert!((w.thickness - 2.0).abs() < 0.01 && !w.even && w.from[0].min(w.to[0]) > 11.9, "{:?}", s.walls);
    // Along the axis both walls are seen.
    let along = slice(&tube(1.0), Cut { axis: 1, at: 0.0 });
    assert!(has(&along, 2.0, 0.01) && has(&along, 4.0, 0.01), "{:?}", thicknesses(&along));
}

#[test]
fn a_wall_that_tapers_is_told_where_it_is_thinnest_and_a_wedge_is_no_wall() {
    // 2 mm at the top, 4 mm at the bottom over 30 mm of height: extruded along y.
    let taper = prism(&[[0.0, 0.0], [4.0, 0.0], [2.0, 30.0], [0.0, 30.0]]);
    let axis = 2;
    let s = slice(&taper, Cut { axis, at: 10.0 });
    let w = &s.walls[0];
    assert!(!w.even && w.thickness < 2.05 && w.thickness > 1.9, "{:?}", s.walls);
    // 45°: its faces do not look at each other.
    let wedge = prism(&[[0.0, 0.0], [30.0, 0.0], [0.0, 30.0]]);
    assert!(slice(&wedge, Cut { axis, at: 10.0 }).walls.is_empty());
}

#[test]
fn every_place_and_axis_has_the_area_of_its_slice() {
    let p = tray();
    for axis in 0..3 {
        let (lo, hi) = (p.bounds.min[axis], p.bounds.max[axis]);
        let n = 120;
        let step = (hi - lo) / n as f64;
        let sum: f64 = (0..n).map(|k| slice(&p, Cut { axis, at: lo + (k as f64 + 0.5) * step }).area * step).sum();
        assert!((sum / p.volume - 1.0).abs() < 1e-6, "{axis} {sum} {}", p.volume);
    }
}
