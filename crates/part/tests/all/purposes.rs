//! What a hole is for, against the standards' tables: tap drills of ISO 2306, clearance holes of ISO 273, sizes of bearings of ISO 15, nuts and
//! dowels; all from memory (90 to 95 %), apart from the tables that the product carries.

use kernel::shape::Shape;
use part::{Choice, FeatureKind, Part, purposes, recognise};

const UP: [f64; 3] = [0.0, 0.0, 1.0];

/// The ranked purposes of `count` equal holes in a plate 25 thick: `depth` deep, or through; a drill point at the end of blind ones.
fn ranked(d: f64, depth: Option<f64>, count: usize) -> Vec<Choice> {
    let mut p = Shape::block([0.0; 3], [60.0 * count as f64, 80.0, 25.0]).unwrap();
    for k in 0..count {
        let (x, y) = (30.0 + 60.0 * k as f64, 40.0);
        let low = depth.map_or(-1.0, |t| 25.0 - t);
        p = p.cut(&Shape::cylinder([x, y, low], UP, d / 2.0, 27.0 - low).unwrap()).unwrap();
        if depth.is_some() {
            let tip = d / 2.0 / 59.0_f64.to_radians().tan();
            p = p.cut(&Shape::cone([x, y, low - tip], UP, 0.0, d / 2.0, tip).unwrap()).unwrap();
        }
    }
    let part = Part::from_raw(&p.read(&kernel::Meshing::default()).unwrap()).unwrap();
    let all = recognise(&part).features;
    let hole = all.iter().find(|f| f.kind == FeatureKind::Hole).unwrap();
    purposes(hole, count)
}

/// ISO 2306, coarse threads: thread and tap drill, mm.
const TAP: [(&str, f64); 9] = [
    ("M2.5", 2.05),
    ("M3", 2.5),
    ("M4", 3.3),
    ("M5", 4.2),
    ("M6", 5.0),
    ("M8", 6.8),
    ("M10", 8.5),
    ("M12", 10.2),
    ("M16", 14.0),
];

/// ISO 273, medium series: screw and hole, mm.
const CLEAR: [(&str, f64); 8] =
    [("M3", 3.4), ("M4", 4.5), ("M5", 5.5), ("M6", 6.6), ("M8", 9.0), ("M10", 11.0), ("M12", 13.5), ("M16", 17.5)];

#[test]
fn blind_holes_of_tap_drill_size_are_threads_first() {
    for (thread, drill) in TAP {
        let list = ranked(drill, Some((1.8 * drill + 2.0).min(20.0)), 2);
        let first = &list[0];
        assert!(
            first.key == format!("tap {thread}"),
            "Ø{drill}: {:?}",
            list.iter().map(|c| &c.key).collect::<Vec<_>>()
        );
        assert!(first.words.contains(thread) && !first.reasons.is_empty() && !first.source.is_empty(), "{first:?}");
    }
}

#[test]
fn equal_through_holes_of_clearance_size_are_for_screws_first() {
    for (screw, d) in CLEAR {
        let list = ranked(d, None, 4);
        assert_eq!(
            list[0].key,
            format!("clear {screw} medium"),
            "Ø{d}: {:?}",
            list.iter().map(|c| &c.key).collect::<Vec<_>>()
        );
    }
}

/// ISO 15, deep-groove series: designation, outside diameter, width.
const SEATS: [(&str, f64, f64); 5] =
    [("608", 22.0, 7.0), ("6000", 26.0, 8.0), ("6001", 28.0, 8.0), ("6201", 32.0, 10.0), ("6202", 35.0, 11.0)];

#[test]
fn seats_of_bearings_are_offered() {
    for (name, outside, width) in SEATS {
        let mut p = Shape::block([0.0; 3], [80.0, 80.0, 25.0]).unwrap();
        let bore = outside - 8.0;
        p = p.cut(&Shape::cylinder([40.0, 40.0, 25.0 - width], UP, outside / 2.0, 30.0).unwrap()).unwrap();
        p = p.cut(&Shape::cylinder([40.0, 40.0, -1.0], UP, bore / 2.0, 30.0).unwrap()).unwrap();
        let part = Part::from_raw(&p.read(&kernel::Meshing::default()).unwrap()).unwrap();
        let all = recognise(&part).features;
        let hole = all.iter().find(|f| f.kind == FeatureKind::Hole).unwrap();
        let list = purposes(hole, 1);
        let seat = list
            .iter()
            .find(|c| c.words.contains(&format!("bearing {name}")))
            .unwrap_or_else(|| panic!("{name}: {list:#?}"));
        assert!(seat.words.contains("H7") && seat.reasons.iter().any(|r| r.contains("outside")), "{seat:?}");
    }
}

/// Whatever the hole, the list ends with "as drawn", every answer has its own key, and likelier stands before less likely.
#[test]
fn lists_are_ranked_and_always_leave_a_way_out() {
    for k in 0..60 {
        let d = 1.5 + 0.37 * f64::from(k);
        let list = ranked(d, if k % 2 == 0 { None } else { Some((0.8 * d).min(15.0) + 2.0) }, 1 + (k as usize) % 2);
        assert_eq!(list.iter().filter(|c| c.key == "plain").count(), 1, "Ø{d}");
        let mut keys: Vec<&str> = list.iter().map(|c| c.key.as_str()).collect();
        keys.sort_unstable();
        keys.dedup();
        assert_eq!(keys.len(), list.len(), "Ø{d}");
        let scores: Vec<f64> = list.iter().map(|c| c.score).collect();
        assert!(scores.windows(2).all(|w| w[0] >= w[1] - 1e-12), "Ø{d}: {scores:?}");
        assert!(list.iter().all(|c| !c.words.is_empty()), "Ø{d}");
    }
}
