//! Marks, measuring, and names of faces.

use kernel::Meshing;
use kernel::shape::Shape;
use part::{Mark, MarkKind, Part, Process, Rays, Spot, Surface, face_ids, marked, measure};
use std::collections::BTreeMap;

const UP: [f64; 3] = [0.0, 0.0, 1.0];

/// 60 × 40 × 12, bore Ø22 at (20, 20), hole Ø8 at (45, 20), a pin Ø10 on top at (45, 32).
fn plate(bore: f64) -> Part {
    let rod = |x: f64, y: f64, d: f64, z0: f64, z1: f64| Shape::cylinder([x, y, z0], UP, d / 2.0, z1 - z0).unwrap();
    let p = Shape::block([0.0; 3], [60.0, 40.0, 12.0]).unwrap();
    let p = p.cut(&rod(20.0, 20.0, bore, -1.0, 13.0)).unwrap().cut(&rod(45.0, 20.0, 8.0, -1.0, 13.0)).unwrap();
    let p = p.fuse(&rod(45.0, 32.0, 10.0, 12.0, 20.0)).unwrap();
    Part::from_raw(&p.read(&Meshing::default()).unwrap()).unwrap()
}

fn round(p: &Part, d: f64) -> u32 {
    let fits = |s: &Surface| matches!(s, Surface::Cylinder { radius, .. } if (2.0 * radius - d).abs() < 1e-9);
    p.faces.iter().position(|f| fits(&f.surface)).unwrap() as u32
}

fn plane(p: &Part, n: [f64; 3], at: f64) -> u32 {
    let fits = |s: &Surface| matches!(s, Surface::Plane { normal, offset } if normal.to_array() == n && (offset - at).abs() < 1e-9);
    p.faces.iter().position(|f| fits(&f.surface)).unwrap() as u32
}

fn size(face: &str, class: Option<&str>, processes: Vec<Process>) -> BTreeMap<String, Mark> {
    let what = MarkKind::Size { class: class.map(Into::into), upper: 0.05, lower: -0.02, processes };
    let m = Mark { face: face.into(), what, note: String::new() };
    BTreeMap::from([(m.id(), m)])
}

#[test]
fn a_class_gives_limits_and_later_processes_the_size_to_machine() {
    let p = plate(22.0);
    let ids = face_ids(&p);
    let bore = &ids[round(&p, 22.0) as usize];
    let m = &marked(&p, &size(bore, Some("H7"), vec![]))[0];
    // ISO 286-2: 22 H7 is 0/+21 µm.
    assert_eq!((reason::plain(&m.words).as_ref(), m.finished, m.machine), ("Ø22 H7", Some([22.0, 22.021]), None));
    // Plated 8 µm a side and ground 0.3 on diameter: the bore is made 16 µm larger and 0.3 mm smaller.
    let later = vec![Process::Plating { layer: 0.008 }, Process::Grinding { allowance: 0.3 }];
    let m = &marked(&p, &size(bore, Some("H7"), later.clone()))[0];
    let [a, b] = m.machine.unwrap();
    assert!((a - 21.716).abs() < 1e-9 && (b - 21.737).abs() < 1e-9, "{a} {b}");
    // Outside it is the other way round: 10 −7/−22 … here by typed deviations.
    let pin = &ids[round(&p, 10.0) as usize];
    let m = &marked(&p, &size(pin, None, later))[0];
    let [a, b] = m.machine.unwrap();
    assert!((a - (10.0 - 0.02 - 0.016 + 0.3)).abs() < 1e-9 && (b - (10.0 + 0.05 - 0.016 + 0.3)).abs() < 1e-9);
    // A hole's class on a pin, and a class that the table lacks.
    assert!(marked(&p, &size(pin, Some("H7"), vec![]))[0].doubt.as_ref().unwrap().contains("class for holes"));
    assert!(marked(&p, &size(pin, Some("Q3"), vec![]))[0].doubt.as_ref().unwrap().contains("no class"));
}

#[test]
fn a_mark_finds_its_face_again_or_says_that_it_is_gone() {
    let p = plate(22.0);
    let ids = face_ids(&p);
    let mut sorted = ids.clone();
    sorted.sort();
    sorted.dedup();
    assert_eq!(sorted.len(), ids.len());
    let marks = size(&ids[round(&p, 22.0) as usize], Some("H7"), vec![]);
    // Read again it is the same face; in a revision with another bore it is gone, in one with another hole it is still there.
    assert_eq!(marked(&plate(22.0), &marks)[0].faces, marked(&p, &marks)[0].faces);
    let gone = &marked(&plate(24.0), &marks)[0];
    assert!(gone.faces.is_empty() && gone.doubt.as_ref().unwrap().contains("no such face"));
    let pin = size(&ids[round(&p, 10.0) as usize], Some("h6"), vec![]);
    assert!(marked(&plate(24.0), &pin)[0].doubt.is_none());
}

#[test]
fn senseless_marks_are_refused() {
    let m = |what| Mark { face: "x".into(), what, note: String::new() };
    let bad = [
        MarkKind::Size { class: None, upper: -0.1, lower: 0.1, processes: vec![] },
        MarkKind::Size { class: None, upper: 0.1, lower: 0.0, processes: vec![Process::Plating { layer: f64::NAN }] },
        MarkKind::Position { tolerance: 0.0, datums: "A".into() },
        MarkKind::Distance { to: "y".into(), upper: 0.0, lower: 0.0 },
        MarkKind::Datum { letter: String::new() },
        MarkKind::Thread { name: "M7.3".into() },
        MarkKind::Finish { ra: -1.0 },
    ];
    for b in bad {
        assert!(m(b.clone()).fault().is_some(), "{b:?}");
    }
    assert!(m(MarkKind::Thread { name: "M8".into() }).fault().is_none());
    assert!(m(MarkKind::Visible).fault().is_none());
}

#[test]
fn measured_between_faces_and_axes() {
    let p = plate(22.0);
    let rays = Rays::new(&p);
    let spot = |face: u32, point: [f64; 3]| Spot { face, point };
    let read = |a: Spot, b: Option<Spot>, name: &str| {
        let m = measure(&p, &rays, a, b).unwrap();
        let r = m.readings.iter().find(|r| r.name == name).unwrap_or_else(|| panic!("{name}: {m:?}"));
        (r.value, r.exact)
    };
    let bore = spot(round(&p, 22.0), [31.0, 20.0, 6.0]);
    let hole = spot(round(&p, 8.0), [41.0, 20.0, 6.0]);
    let top = spot(plane(&p, [0.0, 0.0, 1.0], 12.0), [5.0, 5.0, 12.0]);
    let under = spot(plane(&p, [0.0, 0.0, -1.0], 0.0), [5.0, 5.0, 0.0]);
    let side = spot(plane(&p, [-1.0, 0.0, 0.0], 0.0), [0.0, 20.0, 6.0]);
    assert_eq!(read(bore, None, "diameter"), (22.0, true));
    assert_eq!(read(bore, Some(hole), "distance between the axes"), (25.0, true));
    assert_eq!(read(bore, Some(hole), "least distance between the rounds"), (10.0, true));
    assert_eq!(read(top, Some(under), "distance between the faces"), (12.0, true));
    assert_eq!(read(bore, Some(side), "distance from the axis to the face"), (20.0, true));
    assert_eq!(read(bore, Some(side), "wall between round and face"), (9.0, true));
    let (angle, exact) = read(top, Some(side), "angle between the faces");
    assert!((angle - 90.0).abs() < 1e-9 && exact);
    // Thickness is measured by a ray: to the triangles, not exact.
    let (t, exact) = read(top, None, "material below this point");
    assert!((t - 12.0).abs() < 1e-6 && !exact);
    let (t, _) = read(side, None, "material below this point");
    assert!((t - 9.0).abs() < 2e-3, "{t}");
    assert!(measure(&p, &rays, spot(999, [0.0; 3]), None).is_err());
    // Swapped, it reads the same.
    assert_eq!(read(side, Some(bore), "wall between round and face").0, 9.0);
}
