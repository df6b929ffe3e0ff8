//! In a chuck on the table: round parts without a piece to be made for them, and what is told of it is what a sum by hand gives.

use crate::oracle::read;
use holding::{Demand, Hold, HoldKind};
use job::{Plan, Settled, plan, prove_plan};
use kernel::shape::Shape;
use part::Part;
use proof::Proof;
use reason::Severity;
use shop::Shop;

const UP: [f64; 3] = [0.0, 0.0, 1.0];

/// A flange with a hub below, a bore and six holes.
fn flange() -> Part {
    let disc = |r: f64, z0: f64, z1: f64| Shape::cylinder([0.0, 0.0, z0], UP, r, z1 - z0).unwrap();
    let mut s = disc(34.0, 0.0, 12.0).fuse(&disc(20.0, 12.0, 18.0)).unwrap().cut(&disc(11.0, -1.0, 20.0)).unwrap();
    s = s.cut(&disc(15.0, -1.0, 4.0)).unwrap();
    for k in 0..6 {
        let a = std::f64::consts::TAU * f64::from(k) / 6.0 + 0.2;
        s = s.cut(&Shape::cylinder([27.0 * a.cos(), 27.0 * a.sin(), -1.0], UP, 2.75, 20.0).unwrap()).unwrap();
    }
    read(&s)
}

fn planned(part: &Part, shop: &Shop, kinds: &[HoldKind]) -> (Plan, Proof) {
    let settled = Settled { hold: Some(kinds.to_vec()), ..Settled::default() };
    let plan = plan(part, "flange", shop, &settled).unwrap().plan;
    let proof = prove_plan(part, &plan, shop).unwrap();
    (plan, proof)
}

fn stops(proof: &Proof) -> Vec<&str> {
    proof.findings.iter().filter(|f| f.severity == Severity::Stop).map(|f| f.what.as_str()).collect()
}

#[test]
fn a_flange_is_held_by_its_round() {
    let shop = Shop::demo().unwrap();
    let (plan, proof) = planned(&flange(), &shop, &[HoldKind::Chuck]);
    assert_eq!(plan.scheme.id.hold, HoldKind::Chuck, "{:?}", plan.scheme.not_planned);
    assert!(stops(&proof).is_empty() && proof.complete, "{:?}", stops(&proof));
    let Hold::Chuck(c) = &plan.sides[1].setup.hold else { panic!("no chuck") };
    assert!((c.diameter - 68.0).abs() < 0.02 || (c.diameter - 40.0).abs() < 0.02, "{}", c.diameter);
    // Blocks and grip make the jaws' height; nothing is made for it.
    assert!((c.stand + c.depth - c.chuck.jaw_height_mm).abs() < 1e-9 && plan.made.is_empty());
    // Three jaws as solids that the proof keeps out of, a third of a turn apart.
    let side = &plan.sides[1];
    assert_eq!(side.solids.len(), 4);
    let middle = |k: usize| {
        let b = side.solids[k].mesh.bounds();
        (b.middle().truncate() - c.middle).normalize()
    };
    assert!((middle(0).dot(middle(1)) + 0.5).abs() < 0.05 && (middle(1).dot(middle(2)) + 0.5).abs() < 0.05);
    for s in &side.solids[..3] {
        // No jaw stands in the packed round.
        assert!(s.mesh.points.iter().all(|p| p.truncate().distance(c.middle) > c.diameter / 2.0 + 0.4), "{}", s.name);
    }
    // T = 3·μ·F·r by hand, the answer of the solver within its pyramids.
    let friction = 0.15;
    let twist = Demand { torque: 1.0, height: c.depth, ..Demand::default() };
    let held = side.setup.hold.holds(friction, &twist)[0].held;
    let by_hand = 3.0 * friction * c.clamp_kn * c.diameter / 2.0;
    assert!(held > 0.9 * by_hand && held < 1.35 * by_hand, "{held} {by_hand}");
}

/// Planted: a cutter sent into a jaw is found; a shop without a chuck, an outline that is not round and one out of range say so.
#[test]
fn jaws_of_a_chuck_are_not_cut_and_what_it_cannot_hold_is_said() {
    let shop = Shop::demo().unwrap();
    let part = flange();
    let (mut plan, _) = planned(&part, &shop, &[HoldKind::Chuck]);
    let text = &mut plan.sides[1].program;
    let end = text.rfind("M30").unwrap();
    let at = text[..end].rfind("G53").unwrap();
    text.insert_str(at, "G0 X34 Y30\nG0 Z1\nG0 X34 Y6\nG0 Z60\n");
    let proof = prove_plan(&part, &plan, &shop).unwrap();
    assert!(stops(&proof).iter().any(|w| w.contains("chuck jaw")), "{:?}", stops(&proof));
    let why = |part: &Part, shop: &Shop| {
        let (plan, _) = planned(part, shop, &[HoldKind::Chuck]);
        plan.scheme.not_planned.first().map(|n| n.why.clone()).unwrap_or_default()
    };
    let bare = Shop { chucks: Vec::new(), ..shop.clone() };
    assert!(why(&part, &bare).contains("no chuck"));
    let small =
        Shop { chucks: vec![shop::machine::Chuck { range_mm: [8.0, 30.0], ..shop.chucks[0].clone() }], ..shop.clone() };
    assert!(why(&part, &small).contains("range"));
    let square = read(&Shape::block([0.0; 3], [40.0, 40.0, 12.0]).unwrap());
    assert!(why(&square, &shop).contains("not round"));
}
