//! Other ways, forms of cutters and doubts of marks, on parts where the answer is known.

use kernel::shape::{Shape, rounded_polygon};
use part::{Feature, FeatureKind, Mark, MarkKind, Part, Process, face_ids, marked, recognise};
use std::collections::BTreeMap;

const UP: [f64; 3] = [0.0, 0.0, 1.0];

fn read(shape: &Shape) -> Part {
    Part::from_raw(&shape.read(&kernel::Meshing::default()).unwrap()).unwrap()
}

fn block(x: f64, y: f64, z: f64) -> Shape {
    Shape::block([0.0; 3], [x, y, z]).unwrap()
}

fn pocket(r: f64, z0: f64, z1: f64) -> Shape {
    let c = [([10.0, 10.0], r), ([40.0, 10.0], r), ([40.0, 30.0], r), ([10.0, 30.0], r)];
    Shape::prism(&rounded_polygon(&c), z0, z1).unwrap()
}

fn of(all: &[Feature], kind: FeatureKind) -> &Feature {
    all.iter()
        .find(|f| f.kind == kind)
        .unwrap_or_else(|| panic!("{kind:?}: {:#?}", all.iter().map(|f| &f.what).collect::<Vec<_>>()))
}

#[test]
fn a_sharp_corner_gets_relief_holes_or_a_radius_with_a_question_ready() {
    let p = read(&block(50.0, 40.0, 20.0).cut(&pocket(0.0, 8.0, 21.0)).unwrap());
    let all = recognise(&p).features;
    let f = of(&all, FeatureKind::Pocket);
    assert_eq!(f.corner, Some(0.0));
    // 12 deep at 3 × D: a cutter of 4 mm; R = 2 ÷ 0.8 = 2.5.
    assert!(
        reason::plain(&f.ways[0].what).contains("Relief holes Ø4 in the corners")
            && reason::plain(&f.ways[0].ask).contains("relief holes Ø4")
    );
    assert!((f.ways[0].terms[1].value - 2.0 * std::f64::consts::FRAC_1_SQRT_2).abs() < 1e-9);
    assert!(reason::plain(&f.ways[1].what).contains("radius of 2.5 mm") && f.ways[1].ask.ends_with('?'));
    // With a radius there is nothing to ask.
    let p = read(&block(50.0, 40.0, 20.0).cut(&pocket(5.0, 8.0, 21.0)).unwrap());
    assert!(of(&recognise(&p).features, FeatureKind::Pocket).ways.is_empty());
}

#[test]
fn a_deep_pocket_has_other_ways_by_its_ratio() {
    // Corners R2.5: the largest cutter is Ø5; 18 deep is 3.6 ×, 38 deep is 7.6 ×.
    let ways = |deep: f64| {
        let p = read(&block(50.0, 40.0, 45.0).cut(&pocket(2.5, 45.0 - deep, 46.0)).unwrap());
        let all = recognise(&p).features;
        let f = of(&all, FeatureKind::Pocket);
        (f.reach.unwrap(), f.ways.iter().map(|w| w.what.clone()).collect::<Vec<_>>())
    };
    let (shallow, mid, deep) = (ways(10.0), ways(18.0), ways(38.0));
    assert!(shallow.0 < 3.0 && shallow.1.is_empty(), "{shallow:?}");
    assert!(mid.0 > 3.0 && mid.1.len() == 1, "{mid:?}");
    assert!(
        deep.0 > 5.0 && deep.1.iter().any(|w| w.contains("plunges")) && deep.1.iter().any(|w| w.contains("reliefs")),
        "{deep:?}"
    );
}

#[test]
fn holes_crossing_at_a_shallow_angle_are_plugged() {
    let a = 14f64.to_radians();
    let straight = Shape::cylinder([-1.0, 20.0, 20.0], [1.0, 0.0, 0.0], 3.0, 160.0).unwrap();
    let slanted = Shape::cylinder([20.0, 20.0, 20.0 - 50.0 * a.tan()], [a.cos(), 0.0, a.sin()], 3.0, 120.0).unwrap();
    let p = read(&block(150.0, 40.0, 40.0).cut(&straight).unwrap().cut(&slanted).unwrap());
    let all = recognise(&p).features;
    let f = of(&all, FeatureKind::Crossing);
    let plug = &f.ways[0];
    assert!(plug.what.contains("plug it with a close rod"), "{plug:?}");
    let term = |s: &str| plug.terms.iter().find(|t| t.symbol == s).unwrap().value;
    // D / tan(θ/2), and p·A of 6 mm at 1500 psi.
    assert!((term("L") - 6.0 / (a / 2.0).tan()).abs() < 0.01 && (term("D") - 6.0).abs() < 1e-6);
    assert!((term("F") - 10.342 * std::f64::consts::PI * 9.0).abs() < 0.1);
}

#[test]
fn a_hole_beside_a_thin_wall_is_finished_first() {
    // A wall of 1 mm, 14 high, beside a pocket; a hole through the wall and one far away.
    let c = [([2.0, 5.0], 3.0), ([50.0, 5.0], 3.0), ([50.0, 35.0], 3.0), ([2.0, 35.0], 3.0)];
    let c: Vec<([f64; 2], f64)> = c.iter().map(|(p, r)| ([p[0] - 1.0, p[1]], *r)).collect();
    let tray = block(80.0, 40.0, 20.0).cut(&Shape::prism(&rounded_polygon(&c), 4.0, 21.0).unwrap()).unwrap();
    let across = Shape::cylinder([-1.0, 20.0, 14.0], [1.0, 0.0, 0.0], 1.5, 3.0).unwrap();
    let far = Shape::cylinder([70.0, 20.0, -1.0], UP, 2.5, 22.0).unwrap();
    let p = read(&tray.cut(&across).unwrap().cut(&far).unwrap());
    let all = recognise(&p).features;
    let wall = all
        .iter()
        .find(|f| f.kind == FeatureKind::Wall && reason::plain(&f.what).contains("Wall 1 thick"))
        .expect("the wall");
    assert!(wall.ways[0].what.contains("alternating sides"), "{:?}", wall.ways);
    let first = wall.ways.iter().find(|w| w.what.contains("Finish before")).expect("an order rule");
    assert!(reason::plain(&first.what).contains("Ø3") && !reason::plain(&first.what).contains("Ø5"), "{}", first.what);
}

#[test]
fn the_form_of_a_t_slot_cutter_is_drawn_from_the_slot() {
    let slot = Shape::block([-1.0, 12.0, 4.0], [61.0, 28.0, 10.0]).unwrap();
    let neck = Shape::block([-1.0, 16.0, 9.0], [61.0, 24.0, 21.0]).unwrap();
    let p = read(&block(60.0, 40.0, 20.0).cut(&slot).unwrap().cut(&neck).unwrap());
    let all = recognise(&p).features;
    let f = of(&all, FeatureKind::TSlot);
    let c = f.form.as_ref().expect("a form");
    let widest = c.profile.iter().map(|p| p[0]).fold(0.0, f64::max);
    assert!((widest - 8.0).abs() < 1e-9 && (c.reach - 16.0).abs() < 1e-6, "{c:?}");
    // The neck passes between the walls above, the head is no higher than the slot.
    let neck: Vec<f64> = c.profile.iter().filter(|p| p[1] > 6.0 + 1e-9).map(|p| p[0]).collect();
    assert!(
        neck.iter().all(|r| *r < 4.0)
            && c.days[1] >= c.days[0]
            && c.source.0.iter().any(|s| matches!(s, reason::Source::Practice { .. }))
    );
}

#[test]
fn marks_that_hang_in_the_air_are_doubted() {
    let p = read(&block(50.0, 40.0, 20.0).cut(&Shape::cylinder([25.0, 20.0, -1.0], UP, 8.0, 22.0).unwrap()).unwrap());
    let ids = face_ids(&p);
    let bore = ids.iter().find(|i| i.starts_with("bore")).unwrap().clone();
    let flat = ids.iter().find(|i| !i.starts_with("bore")).unwrap().clone();
    let mut marks: BTreeMap<String, Mark> = BTreeMap::new();
    let mut put = |face: &str, what: MarkKind| {
        let m = Mark { face: face.into(), what, note: String::new() };
        marks.insert(m.id(), m);
        marked(&p, &marks)
    };
    let doubt = |list: &[part::Marked], kind: &str| list.iter().find(|m| m.id.starts_with(kind)).unwrap().doubt.clone();
    let list = put(&bore, MarkKind::Position { tolerance: 0.05, datums: "A".into() });
    assert!(doubt(&list, "position").unwrap().contains("datum A"));
    let list = put(&flat, MarkKind::Datum { letter: "A".into() });
    assert_eq!(doubt(&list, "position"), None);
    let list = put(&bore, MarkKind::Finish { ra: 0.8 });
    assert_eq!(doubt(&list, "finish"), None);
    let processes = vec![Process::Grinding { allowance: 0.3 }];
    let list = put(&bore, MarkKind::Size { class: Some("H7".into()), upper: 0.0, lower: 0.0, processes });
    assert!(doubt(&list, "finish").unwrap().contains("may be wasted"));
}
