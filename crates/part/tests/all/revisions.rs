//! Two revisions of one part, with known differences.

use kernel::Meshing;
use kernel::shape::Shape;
use part::{Fate, Part, Recognised, compare, recognise};

const UP: [f64; 3] = [0.0, 0.0, 1.0];

fn plate(holes: &[(f64, f64, f64)], pocket: Option<f64>) -> Recognised {
    let mut p = Shape::block([0.0; 3], [100.0, 60.0, 12.0]).unwrap();
    for (x, y, d) in holes {
        p = p.cut(&Shape::cylinder([*x, *y, -1.0], UP, d / 2.0, 14.0).unwrap()).unwrap();
    }
    if let Some(deep) = pocket {
        p = p.cut(&Shape::block([60.0, 20.0, 12.0 - deep], [80.0, 40.0, 13.0]).unwrap()).unwrap();
    }
    recognise(&Part::from_raw(&p.read(&Meshing::default()).unwrap()).unwrap())
}

fn fates(a: &Recognised, b: &Recognised) -> Vec<(Fate, String)> {
    compare(a, b).into_iter().map(|c| (c.fate, c.words)).collect()
}

#[test]
fn nothing_changed_is_told_as_nothing() {
    let a = plate(&[(10.0, 10.0, 5.0), (20.0, 10.0, 5.0), (30.0, 40.0, 9.0)], Some(4.0));
    let all = fates(&a, &a);
    assert_eq!(all.len(), 4);
    assert!(all.iter().all(|f| f.0 == Fate::Unchanged), "{all:?}");
}

#[test]
fn moved_resized_gone_and_new_are_told_apart() {
    let a = plate(&[(10.0, 10.0, 5.0), (20.0, 10.0, 5.0), (30.0, 40.0, 9.0), (90.0, 50.0, 3.0)], Some(4.0));
    // One Ø5 moves by 2, the Ø9 becomes Ø10, the Ø3 goes, a Ø7 comes far away, the pocket gets deeper.
    let b = plate(&[(10.0, 10.0, 5.0), (22.0, 10.0, 5.0), (30.0, 40.0, 10.0), (50.0, 8.0, 7.0)], Some(5.5));
    let all = fates(&a, &b);
    let of = |f: Fate| all.iter().filter(|x| x.0 == f).map(|x| reason::plain(&x.1).into_owned()).collect::<Vec<_>>();
    assert_eq!(of(Fate::Unchanged), ["Hole Ø5 through"]);
    assert_eq!(of(Fate::Moved), ["Hole Ø5 through moved by 2 mm"]);
    assert_eq!(of(Fate::Gone), ["Hole Ø3 through"]);
    assert_eq!(of(Fate::New), ["Hole Ø7 through"]);
    let resized = of(Fate::Resized);
    assert_eq!(resized.len(), 2, "{resized:?}");
    assert!(resized[0].contains("diameter 9 → 10 mm") && resized[1].contains("depth 4 → 5.5 mm"), "{resized:?}");
}

/// The other way round: what went came, what came went, everything else stays as it is.
#[test]
fn compared_backwards_it_says_the_opposite() {
    let a = plate(&[(10.0, 10.0, 5.0), (30.0, 40.0, 9.0)], Some(4.0));
    let b = plate(&[(14.0, 10.0, 5.0), (50.0, 8.0, 7.0)], None);
    let n = |x: &Recognised, y: &Recognised, f: Fate| fates(x, y).iter().filter(|c| c.0 == f).count();
    assert_eq!(n(&a, &b, Fate::New), n(&b, &a, Fate::Gone));
    assert_eq!(n(&a, &b, Fate::Gone), n(&b, &a, Fate::New));
    assert_eq!(n(&a, &b, Fate::Moved), n(&b, &a, Fate::Moved));
}
