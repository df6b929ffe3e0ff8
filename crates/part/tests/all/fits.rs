//! Two solids of one file: fits with known clearances.

use intake::Reading;
use kernel::shape::Shape;
use part::{Part, fits};
use std::f64::consts::PI;

const UP: [f64; 3] = [0.0, 0.0, 1.0];

fn part(both: &Shape, solid: u32) -> Part {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("p.step");
    both.write_step(&file).unwrap();
    let reading = Reading { solid: Some(solid), ..Reading::default() };
    Part::from_model(&intake::read_trusted(&file).unwrap(), &reading).unwrap()
}

/// A plate with a bore, and a pin of the given diameter with a collar that stands `gap` over the plate; far away a block.
fn assembly(bore: f64, pin: f64, gap: f64) -> Shape {
    let plate = Shape::block([0.0; 3], [60.0, 40.0, 12.0]).unwrap();
    let plate = plate.cut(&Shape::cylinder([30.0, 20.0, -1.0], UP, bore / 2.0, 14.0).unwrap()).unwrap();
    let shaft = Shape::cylinder([30.0, 20.0, -5.0], UP, pin / 2.0, 30.0).unwrap();
    let collar = Shape::cylinder([30.0, 20.0, 12.0 + gap], UP, 10.0, 5.0).unwrap();
    let away = Shape::block([200.0, 0.0, 0.0], [205.0, 5.0, 5.0]).unwrap();
    plate.beside(&shaft.fuse(&collar).unwrap()).unwrap().beside(&away).unwrap()
}

#[test]
fn clearance_and_gap_are_those_of_the_sizes() {
    for (bore, pin, gap) in [(10.0, 9.98, 0.0), (10.0, 9.5, 0.2), (10.0, 10.02, 0.1)] {
        let both = assembly(bore, pin, gap);
        let plate = part(&both, 0);
        assert_eq!(plate.others.len(), 2);
        let f = fits(&plate);
        assert_eq!(f.len(), 1, "the block is far away: {f:?}");
        let round = f[0].contacts.iter().find(|c| c.round).unwrap();
        assert!((round.clearance - (bore - pin)).abs() < 1e-9, "{round:?}");
        assert!(reason::plain(&round.what).starts_with("hole Ø10 over its Ø"), "{}", round.what);
        let flat = f[0].contacts.iter().find(|c| !c.round).unwrap();
        assert!((flat.clearance - gap).abs() < 1e-9, "{flat:?}");
        // Seen from the pin it is the same.
        let back = fits(&part(&both, 1));
        let same = back[0].contacts.iter().find(|c| c.round).unwrap();
        assert!(
            (same.clearance - round.clearance).abs() < 1e-9 && reason::plain(&same.what).contains("in its hole Ø10")
        );
    }
}

#[test]
fn material_that_both_claim_is_told() {
    // A pin of Ø12 in a bore of Ø10: a ring of π/4·(144 − 100)·12.
    let f = fits(&part(&assembly(10.0, 12.0, 0.1), 0));
    let wanted = PI / 4.0 * 44.0 * 12.0;
    assert!((f[0].shared / wanted - 1.0).abs() < 0.05, "{} {wanted}", f[0].shared);
    assert!(fits(&part(&assembly(10.0, 9.9, 0.1), 0))[0].shared < 0.01);
    assert!(fits(&part(&assembly(10.0, 9.9, 0.0), 0))[0].shared < 0.01, "touching is not sharing");
}
