//! What a plan promises: decisions stand, the rest follows; the same inputs give the same text; what cannot be made or held is said.

use holding::Order;
use job::StockDecision;
use job::{Decision, Settled, plan, prove_plan};
use kernel::shape::{Piece, Shape, rounded_polygon};
use part::Part;
use reason::Severity;
use route::{OpKind, Override};
use shop::Shop;

fn read(shape: &Shape) -> Part {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("p.step");
    shape.write_step(&file).unwrap();
    Part::from_raw(&intake::read_trusted(&file).unwrap().raw).unwrap()
}

fn pocket(r: f64, depth: f64) -> Shape {
    let corners = [([8.0, 8.0], r), ([32.0, 8.0], r), ([32.0, 22.0], r), ([8.0, 22.0], r)];
    let hollow = Shape::prism(&rounded_polygon(&corners), 10.0 - depth, 11.0).unwrap();
    Shape::block([0.0; 3], [40.0, 30.0, 10.0]).unwrap().cut(&hollow).unwrap()
}

#[test]
fn a_persons_numbers_stand_and_undoing_them_gives_the_proposal_back() {
    let shop = Shop::demo().unwrap();
    let part = read(&pocket(4.0, 5.0));
    let first = plan(&part, "p", &shop, &Settled::default()).unwrap().plan;
    let again = plan(&part, "p", &shop, &Settled::default()).unwrap().plan;
    assert_eq!(first.sides[0].program, again.sides[0].program, "the same inputs give the same text");

    let op = first.sides[0].operations.iter().find(|o| o.kind == OpKind::Wall).unwrap().clone();
    let change = Override { rpm: Some(4321.0), feed: Some(234.0), ..Default::default() };
    let mut list = vec![
        Decision::Material { id: Some("brass".into()) },
        Decision::Operation { id: op.id.clone(), change: Some(change) },
    ];
    let mine = plan(&part, "p", &shop, &Settled::after(&list)).unwrap().plan;
    let changed = mine.sides[0].operations.iter().find(|o| o.id == op.id).expect("the operation keeps its id");
    let mill = changed.mill.as_ref().unwrap();
    assert_eq!((mill.rpm.value, mill.rpm.bound_by.as_str(), mill.feed.value), (4321.0, "a person", 234.0));
    assert_eq!(mill.rpm.source.0, [reason::Source::person()]);
    assert!(mine.sides[0].program.contains("S4321 M3") && mine.sides[0].program.contains("F234."));
    assert_eq!(mine.material, "brass");
    assert!(prove_plan(&part, &mine, &shop).unwrap().passed());

    list.push(Decision::Operation { id: op.id, change: None });
    list.push(Decision::Material { id: None });
    let back = plan(&part, "p", &shop, &Settled::after(&list)).unwrap().plan;
    assert_eq!(back.sides[0].program, first.sides[0].program);
}

#[test]
fn the_order_of_sides_and_the_block_can_be_settled() {
    let shop = Shop::demo().unwrap();
    let part = read(&pocket(4.0, 5.0));
    for positive in [true, false] {
        let settled = Settled {
            order: Some(Order::Up { axis: 2, positive }),
            stock: Some(StockDecision::Sizes([46.0, 36.0, 22.0])),
            ..Default::default()
        };
        let p = plan(&part, "p", &shop, &settled).unwrap().plan;
        assert_eq!(p.scheme.up.z, if positive { 1.0 } else { -1.0 });
        assert!((p.scheme.stock.size() - geom::DVec3::new(46.0, 36.0, 22.0)).length() < 1e-9);
        let proof = prove_plan(&part, &p, &shop).unwrap();
        assert!(proof.passed() && proof.complete, "{positive}: {:#?}", proof.findings);
        // The last finishing pass lies at the part's own heights in both orders.
        assert!(proof.gouge_mm < 0.005 && proof.leftover_mm < 0.02);
    }
}

/// A sharp inside corner cannot be made: a stop with its place, tight around the four corners.
#[test]
fn sharp_corners_are_a_stop_with_their_places() {
    let shop = Shop::demo().unwrap();
    let part = read(&pocket(0.0, 5.0));
    let p = plan(&part, "p", &shop, &Settled::default()).unwrap().plan;
    let proof = prove_plan(&part, &p, &shop).unwrap();
    let corners: Vec<_> = proof.findings.iter().filter(|f| f.kind == "corner").collect();
    // One line of them all.
    assert!(!proof.complete && corners.len() == 1 && corners[0].places.len() >= 4, "{:#?}", proof.findings);
    for f in corners {
        assert_eq!(f.severity, Severity::Stop);
        for b in &f.places {
            let near = |v: f64, a: f64, c: f64| (v - a).abs() < 1.6 || (v - c).abs() < 1.6;
            assert!(near(b.min_mm[0], 8.0, 32.0) && near(b.max_mm[1], 8.0, 22.0), "{b:?}");
        }
    }
    assert!(proof.leftover_mm < 0.1 && proof.gouge_mm < 0.02);
}

/// A round part leaves nothing parallel to grip, and this shop has no soft jaws, no chuck and nothing that sticks.
#[test]
fn nothing_to_grip_is_said() {
    let shop = Shop { jaw_blanks: Vec::new(), chucks: Vec::new(), adhesives: Vec::new(), ..Shop::demo().unwrap() };
    let ring: Vec<Piece> =
        vec![Piece { to: [-20.0, 0.0], mid: Some([0.0, 20.0]) }, Piece { to: [20.0, 0.0], mid: Some([0.0, -20.0]) }];
    let part = read(&Shape::prism(&ring, 0.0, 12.0).unwrap());
    let p = plan(&part, "p", &shop, &Settled::default()).unwrap().plan;
    let f = p.findings.iter().find(|f| f.kind == "no_grip").expect("a finding");
    assert!(f.severity == Severity::Stop && f.what.contains("parallel faces"));
}
