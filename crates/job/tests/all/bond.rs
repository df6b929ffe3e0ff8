//! Stuck to a pallet: thin plates that no jaw holds are made in one holding, cuts are as light as the bond bears, and what spoils it is found.

use crate::oracle::read;
use holding::{Hold, HoldKind, School};
use job::{Plan, Settled, plan, prove_plan};
use kernel::shape::{Shape, rounded_polygon};
use part::Part;
use proof::Proof;
use reason::Severity;
use shop::Shop;

/// An odd thin plate with two windows and four holes.
fn plate(thick: f64) -> Part {
    let c = [([0.0, 0.0], 6.0), ([90.0, 8.0], 8.0), ([96.0, 40.0], 6.0), ([52.0, 66.0], 9.0), ([4.0, 44.0], 6.0)];
    let mut s = Shape::prism(&rounded_polygon(&c), 0.0, thick).unwrap();
    let w = [([18.0, 14.0], 3.0), ([40.0, 14.0], 3.0), ([40.0, 34.0], 3.0), ([18.0, 34.0], 3.0)];
    s = s.cut(&Shape::prism(&rounded_polygon(&w), -1.0, thick + 1.0).unwrap()).unwrap();
    for [x, y] in [[10.0, 10.0], [84.0, 16.0], [86.0, 36.0], [52.0, 56.0]] {
        s = s.cut(&Shape::cylinder([x, y, -1.0], [0.0, 0.0, 1.0], 2.5, thick + 2.0).unwrap()).unwrap();
    }
    read(&s)
}

fn planned(part: &Part, shop: &Shop, settled: &Settled) -> (Plan, Proof) {
    let plan = plan(part, "plate", shop, settled).unwrap().plan;
    let proof = prove_plan(part, &plan, shop).unwrap();
    (plan, proof)
}

fn stops(proof: &Proof) -> Vec<&str> {
    proof.findings.iter().filter(|f| f.severity == Severity::Stop).map(|f| f.what.as_str()).collect()
}

fn bond(plan: &Plan, k: usize) -> &holding::Bond {
    let Hold::Bond(b) = &plan.sides[k].setup.hold else { panic!("not stuck") };
    b
}

#[test]
fn a_thin_plate_is_made_in_one_holding() {
    let shop = Shop::demo().unwrap();
    let part = plate(3.0);
    let (plan, proof) = planned(&part, &shop, &Settled::default());
    assert_eq!((plan.scheme.id.school, plan.scheme.id.hold), (School::Sheet, HoldKind::Bond));
    assert_eq!(plan.sides.len(), 1);
    assert!(stops(&proof).is_empty() && proof.complete, "{:?}", stops(&proof));
    // Every cut is as light as the bond bears, twice over: none gives way below that.
    assert!(!proof.findings.iter().any(|f| f.kind == "holding_force"), "{:?}", proof.findings);
    let b = bond(&plan, 0);
    let rough = plan.sides[0].operations.iter().find(|o| o.kind == route::OpKind::Rough).unwrap().mill.clone().unwrap();
    assert!(rough.ap.bound_by == "holding" && rough.side_n <= b.bears_n, "{} {}", rough.side_n, b.bears_n);
    // Area by hand: the outline less its windows and holes; the section of a thin plate.
    assert!((b.area_mm2 / (part.volume / 3.0) - 1.0).abs() < 0.01, "{} {}", b.area_mm2, part.volume / 3.0);
    // A flood would creep under it.
    let text = &plan.sides[0].program;
    assert!(text.contains("\nM7\n") && !text.contains("\nM8\n"));
    assert!(plan.findings.iter().any(|f| f.kind == "as_it_comes"));
    // In mm: the pallet lies a layer below the piece, and the outline goes into it by a little.
    let pallet = &plan.sides[0].setup.hold.bodies()[0];
    assert!((pallet.max.z + b.adhesive.layer_mm).abs() < 1e-9 && pallet.sticks && pallet.may_cut > 1.0);
    assert!(text.contains("Z-0.4"));
}

/// With chamfers below it is turned over, and set by two bores that lie open then.
#[test]
fn what_the_lower_side_shows_is_cut_from_there() {
    let shop = Shop::demo().unwrap();
    let plain = kernel_plate_with_recess();
    let (plan, proof) = planned(&plain, &shop, &Settled { hold: Some(vec![HoldKind::Bond]), ..Settled::default() });
    assert_eq!((plan.scheme.id.school, plan.sides.len()), (School::Sheet, 2), "{:?}", plan.scheme.not_planned);
    assert!(stops(&proof).is_empty() && proof.complete, "{:?}", stops(&proof));
    let holding::SetBy::Bores { at } = &bond(&plan, 1).set_by else { panic!("{:?}", bond(&plan, 1).set_by) };
    // Holes at (10, 10) and (86, 36): 80.3 mm apart, the widest pair.
    assert!((at[0].distance(at[1]) - (76.0_f64.powi(2) + 26.0_f64.powi(2)).sqrt()).abs() < 1e-6);
    assert!(!proof.findings.iter().any(|f| f.kind == "holding_force"));
}

fn kernel_plate_with_recess() -> Part {
    let c = [([0.0, 0.0], 6.0), ([90.0, 8.0], 8.0), ([96.0, 40.0], 6.0), ([52.0, 66.0], 9.0), ([4.0, 44.0], 6.0)];
    let mut s = Shape::prism(&rounded_polygon(&c), 0.0, 4.0).unwrap();
    for [x, y] in [[10.0, 10.0], [84.0, 16.0], [86.0, 36.0], [52.0, 56.0]] {
        s = s.cut(&Shape::cylinder([x, y, -1.0], [0.0, 0.0, 1.0], 2.5, 6.0).unwrap()).unwrap();
    }
    read(&s.cut(&Shape::cylinder([45.0, 30.0, -1.0], [0.0, 0.0, 1.0], 9.0, 2.5).unwrap()).unwrap())
}

/// What a bond cannot do is said: too small for a tall piece, larger than the pallets, nothing that sticks; a block that has to be faced below.
#[test]
fn what_does_not_stick_says_why() {
    let shop = Shop::demo().unwrap();
    let only = |part: &Part, shop: &Shop, stock: Option<job::StockDecision>| {
        let settled = Settled { hold: Some(vec![HoldKind::Bond]), stock, ..Settled::default() };
        let p = plan(part, "p", shop, &settled).unwrap().plan;
        (p.scheme.not_planned.iter().map(|n| n.why.clone()).collect::<Vec<_>>().join("; "), p)
    };
    let pin = read(&Shape::block([0.0; 3], [9.0, 9.0, 60.0]).unwrap());
    let up = Settled {
        order: Some(holding::Order::Up { axis: 2, positive: true }),
        hold: Some(vec![HoldKind::Bond]),
        ..Settled::default()
    };
    let p = plan(&pin, "pin", &shop, &up).unwrap().plan;
    assert!(p.scheme.not_planned[0].why.contains("bears"), "{:?}", p.scheme.not_planned);
    let bare = Shop { adhesives: Vec::new(), ..shop.clone() };
    assert!(only(&plate(3.0), &bare, None).0.contains("nothing that sticks"));
    let small = Shop { pallets: vec![shop.pallets[0].clone()], ..shop.clone() };
    let large = read(&Shape::block([0.0; 3], [200.0, 60.0, 3.0]).unwrap());
    assert!(only(&large, &small, None).0.contains("larger than the pallets"));
}

/// Planted: a drill that goes through the pallet, a rapid into it, and a weaker glue are found from the text and the shop.
#[test]
fn what_spoils_a_bond_is_found() {
    let shop = Shop::demo().unwrap();
    let part = plate(3.0);
    let (plan, _) = planned(&part, &shop, &Settled::default());
    let edited = |from: &str, to: &str| {
        let mut p = plan.clone();
        assert!(p.sides[0].program.contains(from), "{from}");
        p.sides[0].program = p.sides[0].program.replacen(from, to, 1);
        prove_plan(&part, &p, &shop).unwrap()
    };
    let drill = plan.sides[0].program.lines().find(|l| l.contains("G81")).unwrap().to_string();
    let z = drill.split_whitespace().find(|w| w.starts_with('Z')).unwrap();
    let deep = edited(&drill, &drill.replace(z, "Z-12."));
    assert!(stops(&deep).iter().any(|w| w.contains("deeper into the pallet")), "{:?}", stops(&deep));
    let mut weak = shop.clone();
    weak.adhesives.iter_mut().for_each(|a| (a.shear_mpa, a.pull_mpa) = (0.001, 0.001));
    // Else it is cut on the table.
    weak.sheets.clear();
    let p = job::plan(&part, "plate", &weak, &Settled::default()).unwrap().plan;
    assert!(p.scheme.not_planned.iter().any(|n| n.why.contains("light cut")), "{:?}", p.scheme.not_planned);
}
