//! Marks go over to the faces of a new revision, as a proposal.

use kernel::Meshing;
use kernel::shape::Shape;
use part::{Carried, Mark, MarkKind, Part, Surface, carried, compare, face_ids, marked, recognise};
use std::collections::BTreeMap;

const UP: [f64; 3] = [0.0, 0.0, 1.0];

/// A block of this length with a bore and two holes, and a step on its right end.
fn plate(long: f64, bore: (f64, f64), holes: &[(f64, f64)]) -> Part {
    let rod = |x: f64, y: f64, d: f64| Shape::cylinder([x, y, -1.0], UP, d / 2.0, 22.0).unwrap();
    let mut p = Shape::block([0.0; 3], [long, 50.0, 20.0]).unwrap();
    p = p.cut(&Shape::block([long - 12.0, -1.0, 12.0], [long + 1.0, 51.0, 21.0]).unwrap()).unwrap();
    p = p.cut(&rod(bore.0, 25.0, bore.1)).unwrap();
    for (x, y) in holes {
        p = p.cut(&rod(*x, *y, 6.0)).unwrap();
    }
    Part::from_raw(&p.read(&Meshing::default()).unwrap()).unwrap()
}

fn bore(p: &Part, d: f64) -> usize {
    let fits = |s: &Surface| matches!(s, Surface::Cylinder { radius, .. } if (2.0 * radius - d).abs() < 1e-9);
    p.faces.iter().position(|f| fits(&f.surface)).unwrap()
}

fn plane(p: &Part, n: [f64; 3], at: f64) -> usize {
    let fits = |s: &Surface| matches!(s, Surface::Plane { normal, offset } if normal.to_array() == n && (offset - at).abs() < 1e-9);
    p.faces.iter().position(|f| fits(&f.surface)).unwrap()
}

fn over(a: &Part, b: &Part, marks: &BTreeMap<String, Mark>) -> Vec<Carried> {
    let (x, y) = (recognise(a), recognise(b));
    carried((a, &x), (b, &y), &compare(&x, &y), marks)
}

fn mark(p: &Part, face: usize, what: MarkKind) -> (String, Mark) {
    let m = Mark { face: face_ids(p)[face].clone(), what, note: "as drawn".into() };
    (m.id(), m)
}

fn h7() -> MarkKind {
    MarkKind::Size { class: Some("H7".into()), upper: 0.0, lower: 0.0, processes: vec![] }
}

#[test]
fn a_mark_goes_with_its_bore_when_it_is_moved_or_resized() {
    let a = plate(100.0, (40.0, 20.0), &[(10.0, 10.0), (10.0, 40.0)]);
    for (b, d, words) in [
        (plate(100.0, (43.0, 20.0), &[(10.0, 10.0), (10.0, 40.0)]), 20.0, "3 mm from where it was"),
        (plate(100.0, (40.0, 22.0), &[(10.0, 10.0), (10.0, 40.0)]), 22.0, "Ø20 is now Ø22"),
        (plate(100.0, (42.0, 21.0), &[(10.0, 10.0), (10.0, 40.0)]), 21.0, "Ø20 is now Ø21, 2 mm from where it was"),
    ] {
        let marks = BTreeMap::from([mark(&a, bore(&a, 20.0), h7())]);
        assert!(marked(&b, &marks)[0].faces.is_empty(), "the old face is not there");
        let c = over(&a, &b, &marks);
        assert_eq!(c.len(), 1);
        assert_eq!((reason::plain(&c[0].words).as_ref(), c[0].faces.as_slice()), (words, &[bore(&b, d) as u32][..]));
        assert_eq!(c[0].now.note, "as drawn");
        // Carried over it holds, and nothing is left to carry.
        let after = BTreeMap::from([(c[0].now.id(), c[0].now.clone())]);
        let m = &marked(&b, &after)[0];
        assert_eq!((reason::plain(&m.words).into_owned(), m.doubt.clone()), (format!("Ø{} H7", part_number(d)), None));
        assert!(over(&a, &b, &after).is_empty());
    }
}

fn part_number(d: f64) -> String {
    format!("{d:.0}")
}

/// A longer part: its end face moved, its top has another middle; both ends of a distance follow.
#[test]
fn planes_follow_when_the_part_grows() {
    let a = plate(100.0, (40.0, 20.0), &[]);
    let b = plate(108.0, (40.0, 20.0), &[]);
    let (left, right) = (plane(&a, [-1.0, 0.0, 0.0], 0.0), plane(&a, [1.0, 0.0, 0.0], 100.0));
    let to = face_ids(&a)[right].clone();
    let marks = BTreeMap::from([
        mark(&a, left, MarkKind::Distance { to, upper: 0.02, lower: -0.02 }),
        mark(&a, right, MarkKind::Visible),
        mark(&a, plane(&a, [0.0, 0.0, 1.0], 20.0), MarkKind::Datum { letter: "A".into() }),
    ]);
    let c = over(&a, &b, &marks);
    let of = |kind: &str| c.iter().find(|c| c.mark.starts_with(kind)).unwrap();
    assert_eq!(c.len(), 3, "{c:#?}");
    assert_eq!(of("seen").faces, [plane(&b, [1.0, 0.0, 0.0], 108.0) as u32]);
    assert_eq!(reason::plain(&of("seen").words), "8 mm from where it was");
    assert_eq!(of("datum").words, "the same face with another border");
    let d = &of("distance").now;
    assert_eq!(d.face, marks.values().find(|m| matches!(m.what, MarkKind::Distance { .. })).unwrap().face);
    let m = &marked(&b, &BTreeMap::from([(d.id(), d.clone())]))[0];
    assert_eq!((m.nominal, m.doubt.clone()), (Some(108.0), None));
}

/// What went without an heir is not put on something else.
#[test]
fn a_mark_on_what_is_gone_stays_a_question() {
    let a = plate(100.0, (40.0, 20.0), &[(10.0, 10.0), (10.0, 40.0)]);
    let b = plate(100.0, (40.0, 20.0), &[(10.0, 40.0)]);
    let gone = face_ids(&a).iter().position(|i| i.contains("/6.00/10.0_10.0")).unwrap();
    let marks = BTreeMap::from([mark(&a, gone, h7()), mark(&a, bore(&a, 20.0), h7())]);
    assert!(over(&a, &b, &marks).is_empty());
    assert_eq!(marked(&b, &marks).iter().filter(|m| m.faces.is_empty()).count(), 1);
}
