//! What crosses a flip, by hand sums.

use crate::oracle::read;
use job::budget::Verdict;
use job::{Plan, Settled, plan};
use kernel::shape::{Shape, rounded_polygon};
use part::{Mark, MarkKind, Part, Surface};
use shop::Shop;

/// A block of 60 × 40 × 12 with a pocket 5 deep from above.
fn tray() -> Part {
    let c = [([12.0, 10.0], 5.0), ([48.0, 10.0], 5.0), ([48.0, 30.0], 5.0), ([12.0, 30.0], 5.0)];
    let pocket = Shape::prism(&rounded_polygon(&c), 7.0, 13.0).unwrap();
    read(&Shape::block([0.0; 3], [60.0, 40.0, 12.0]).unwrap().cut(&pocket).unwrap())
}

/// Id of the flat face that looks along z at a height.
fn face(part: &Part, up: f64, z: f64) -> String {
    let is = |f: &part::Face| {
        matches!(f.surface, Surface::Plane { normal, .. } if normal.z * up > 0.9) && (f.bounds.max.z - z).abs() < 1e-6
    };
    let k = part.faces.iter().position(is).unwrap();
    part::face_ids(part)[k].clone()
}

fn with(part: &Part, mark: Mark) -> Plan {
    let settled = Settled { marks: [(mark.id(), mark)].into(), ..Settled::default() };
    plan(part, "tray", &Shop::demo().unwrap(), &settled).unwrap().plan
}

fn distance(part: &Part, to: String, by: f64) -> Mark {
    Mark { face: face(part, -1.0, 0.0), what: MarkKind::Distance { to, upper: by, lower: -by }, note: String::new() }
}

#[test]
fn a_thickness_crosses_the_flip_and_a_depth_does_not() {
    let part = tray();
    let top = || face(&part, 1.0, 12.0);
    for (by, verdict, told) in
        [(0.05, Verdict::Meets, None), (0.02, Verdict::Likely, Some("note")), (0.01, Verdict::Fails, Some("warn"))]
    {
        let p = with(&part, distance(&part, top(), by));
        let c = p.crossings.iter().find(|c| c.mark.is_some()).expect("it crosses");
        // Touch 0.01, seat 0.01, parallels 0.005, axes 0.005 of side 2: side 1 is what it stands on.
        let worst = 0.01 + 0.01 + 0.005 + 0.005;
        let likely = (0.01f64.powi(2) * 2.0 + 0.005f64.powi(2) * 2.0).sqrt();
        assert!((c.worst_mm - worst).abs() < 1e-9 && (c.likely_mm - likely).abs() < 1e-9, "{c:?}");
        assert_eq!((c.verdict, c.setups.clone()), (verdict, ["side 1".to_string(), "side 2".into()]));
        let f = p.findings.iter().find(|f| f.kind == "flip_error").map(|f| format!("{:?}", f.severity).to_lowercase());
        assert_eq!(f.as_deref(), told, "± {by}");
    }
    // The pocket's floor and the rim are made by one side: nothing crosses.
    let inside = Mark { face: face(&part, 1.0, 7.0), ..distance(&part, top(), 0.005) };
    let p = with(&part, inside);
    assert!(p.crossings.iter().all(|c| c.mark.is_none()), "{:?}", p.crossings);
    // Without a mark the general tolerance asks for the thickness: 12 mm, ± 0.2.
    let z = p.crossings.iter().find(|c| c.what.contains("along Z")).unwrap();
    assert!((z.allowed_mm - 0.2).abs() < 1e-12 && z.verdict == Verdict::Meets && !z.source.is_empty());
    assert!(!p.crossings.iter().any(|c| c.what.contains("along X")), "the outline is made by one side");
}

/// ISO 2768-1, tables 1 and 2, class m, as remembered.
#[test]
fn general_tolerances() {
    use shop::standards::{general, general_edge};
    for (size, by) in [
        (0.4, None),
        (3.0, Some(0.1)),
        (6.1, Some(0.2)),
        (30.0, Some(0.2)),
        (100.0, Some(0.3)),
        (400.1, Some(0.8)),
        (3000.0, None),
    ] {
        assert_eq!(general(size), by, "{size}");
    }
    assert_eq!([0.4, 1.0, 5.0, 9.0].map(general_edge), [None, Some(0.2), Some(0.5), Some(1.0)]);
}
