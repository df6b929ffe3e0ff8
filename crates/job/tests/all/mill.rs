//! Other mills than the demo shop's: the plan keeps to what their spindles bear, as the proof measures it, and not only where the passes are as they were meant.

use crate::family::Dice;
use crate::oracle::read;
use job::{Plan, Settled, plan, prove_plan};
use kernel::shape::{Shape, rounded_polygon};
use part::Part;
use proof::Proof;
use reason::{Kind, Severity};
use route::Override;
use shop::Shop;

/// A spindle with this share of the demo shop's power and torque, no faster than this.
fn mill(share: f64, rpm_max: f64) -> Shop {
    let mut shop = Shop::demo().unwrap();
    let m = &mut shop.machine;
    (m.plate_kw, m.torque_nm, m.rpm_max) = (share * m.plate_kw, share * m.torque_nm, rpm_max);
    m.spindle.iter_mut().for_each(|p| (p.kw, p.nm) = (share * p.kw, share * p.nm));
    shop.check().unwrap();
    shop
}

fn planned(part: &Part, shop: &Shop, settled: &Settled) -> (Plan, Proof) {
    let plan = plan(part, "plate", shop, settled).unwrap().plan;
    let proof = prove_plan(part, &plan, shop).unwrap();
    (plan, proof)
}

fn stops(proof: &Proof) -> Vec<String> {
    let all = proof.findings.iter().filter(|f| f.severity == Severity::Stop);
    all.map(|f| format!("{}: {}", f.kind, reason::plain(&f.what))).collect()
}

/// A plate with an odd outline and a pocket with an island: corners, ridges and first contacts.
fn plate(dice: &mut Dice) -> Shape {
    let (w, d) = (dice.between(50.0, 90.0), dice.between(38.0, 60.0));
    let corner = |x: f64, y: f64, r: f64| ([x, y], r);
    let cut = dice.between(8.0, 16.0);
    let outline = [
        corner(0.0, 0.0, 4.0),
        corner(w, 0.0, 6.0),
        corner(w, d - cut, 3.0),
        corner(w - cut, d, 3.0),
        corner(cut, d, 8.0),
        corner(0.0, d - cut, 5.0),
    ];
    let body = Shape::prism(&rounded_polygon(&outline), 0.0, 14.0).unwrap();
    let (a, b) = ([9.0, 9.0], [w - 12.0, d - 12.0]);
    let pocket = [corner(a[0], a[1], 6.5), corner(b[0], a[1], 6.5), corner(b[0], b[1], 6.5), corner(a[0], b[1], 6.5)];
    let island = Shape::cylinder([w / 2.0, d / 2.0, 4.0], [0.0, 0.0, 1.0], dice.between(2.5, 5.0), 20.0).unwrap();
    let pocket = Shape::prism(&rounded_polygon(&pocket), 5.0, 20.0).unwrap();
    body.cut(&pocket.cut(&island).unwrap()).unwrap()
}

#[test]
fn weaker_and_slower_mills_prove_their_own_plans() {
    let mut bad = Vec::new();
    let mut eased = 0;
    for (seed, shop) in
        [(3, mill(0.5, 6000.0)), (4, mill(1.0, 2500.0)), (5, mill(0.35, 4000.0)), (6, mill(4.0, 6000.0))]
    {
        let part = read(&plate(&mut Dice::new(seed)));
        let (plan, proof) = planned(&part, &shop, &Settled::default());
        eased += plan.findings.iter().filter(|f| f.kind == Kind::EasedFeed).count();
        println!("{seed}: {:.1} min, {} slower", proof.minutes, eased);
        if !stops(&proof).is_empty() || !proof.complete {
            bad.push(format!("{seed}: {:?}", stops(&proof)));
        }
    }
    assert!(bad.is_empty(), "{bad:#?}");
    assert!(eased > 0, "nothing had to give way: the test shows nothing");
}

/// What a person set is not slowed behind their back: the proof says what comes of it.
#[test]
fn a_feed_set_by_hand_stands() {
    let part = read(&plate(&mut Dice::new(4)));
    let shop = mill(1.0, 2500.0);
    let (plan, _) = planned(&part, &shop, &Settled::default());
    let note = plan.findings.iter().find(|f| f.kind == Kind::EasedFeed).expect("something gives way");
    let side = plan.sides.iter().find(|s| Some(&s.setup.name) == note.setup.as_ref()).unwrap();
    let op = side.operations.iter().find(|o| note.id.contains(&o.id)).expect("the note names its operation");
    let full = op.mill.as_ref().unwrap().feed.value;
    let mut settled = Settled::default();
    settled.operations.insert(op.id.clone(), Override { feed: Some(full), ..Override::default() });
    let (plan, proof) = planned(&part, &shop, &settled);
    assert!(plan.findings.iter().all(|f| f.id != note.id));
    assert!(stops(&proof).iter().any(|s| s.starts_with("overload")), "{:?}", stops(&proof));
}
