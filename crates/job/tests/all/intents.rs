//! What a person says of a hole steers the drill: threads drawn at their outside, holes to be reamed, drills that are not there.

use job::{Decision, Plan, Settled, plan, prove_plan};
use kernel::shape::Shape;
use part::{Mark, MarkKind, Part, face_ids, questions, recognise};
use reason::{Severity, plain};
use route::OpKind;
use shop::Shop;
use shop::tool::ToolKind;
use std::collections::BTreeMap;

const UP: [f64; 3] = [0.0, 0.0, 1.0];

/// 60 × 40 × 12 with two through holes Ø6, one Ø8 and one Ø5.
fn plate() -> Part {
    let mut p = Shape::block([0.0; 3], [60.0, 40.0, 12.0]).unwrap();
    for (x, y, d) in [(12.0, 12.0, 6.0), (48.0, 12.0, 6.0), (12.0, 28.0, 8.0), (48.0, 28.0, 5.0)] {
        p = p.cut(&Shape::cylinder([x, y, -1.0], UP, d / 2.0, 14.0).unwrap()).unwrap();
    }
    Part::from_raw(&p.read(&kernel::Meshing::default()).unwrap()).unwrap()
}

/// A shop that cuts no thread and reams no hole in the machine.
fn by_hand() -> Shop {
    let mut shop = Shop::demo().unwrap();
    shop.crib.retain(|t| !matches!(t.kind, ToolKind::Tap | ToolKind::ThreadMill | ToolKind::Reamer));
    shop
}

/// Key of the question about holes of this diameter.
fn about(part: &Part, d: f64) -> String {
    let all = questions(part, &recognise(part), &BTreeMap::new());
    all.iter().find(|q| q.id.starts_with(&format!("hole/{d:.2}/"))).unwrap().id.clone()
}

fn answered(part: &Part, said: &[(f64, &str)]) -> Settled {
    let all: Vec<Decision> =
        said.iter().map(|(d, a)| Decision::Answer { question: about(part, *d), answer: Some(a.to_string()) }).collect();
    Settled::after(&all)
}

fn planned(part: &Part, shop: &Shop, settled: &Settled) -> Plan {
    plan(part, "p", shop, settled).unwrap().plan
}

fn drills(p: &Plan) -> Vec<String> {
    let ops = p.sides.iter().flat_map(|s| &s.operations).filter(|o| o.kind == OpKind::Drill);
    let mut t: Vec<String> = ops.map(|o| reason::plain(&o.title).into_owned()).collect();
    t.sort();
    t
}

#[test]
fn without_an_answer_holes_are_drilled_as_drawn() {
    let (part, shop) = (plate(), Shop::demo().unwrap());
    let p = planned(&part, &shop, &Settled::default());
    assert_eq!(drills(&p), ["Drill 1 × Ø5 through", "Drill 1 × Ø8 through", "Drill 2 × Ø6 through"]);
    let proof = prove_plan(&part, &p, &shop).unwrap();
    assert!(proof.complete && proof.passed(), "{:#?}", proof.findings);
}

/// M6 drawn at Ø6 is drilled Ø5; what is over is named beforehand, found by the proof, and nothing is cut too large.
#[test]
fn a_thread_drawn_at_its_outside_gets_its_tap_drill() {
    let (part, shop) = (plate(), by_hand());
    let p = planned(&part, &shop, &answered(&part, &[(6.0, "tap M6 drawn at major")]));
    assert_eq!(drills(&p), ["Drill 1 × Ø5 through", "Drill 1 × Ø8 through", "Drill 2 × Ø5 through for M6"]);
    let proof = prove_plan(&part, &p, &shop).unwrap();
    assert!(proof.gouge_mm < 0.005, "{}", proof.gouge_mm);
    // Half of 6 − 5 is over on the radius, and nothing without a name.
    let found: Vec<_> = proof.findings.iter().filter(|f| f.kind == "to_tap").collect();
    assert!(found.iter().all(|f| plain(&f.what).contains("up to 0.50")) && found.len() == 2, "{found:#?}");
    assert!(!proof.complete && proof.leftover_mm < 0.02, "{}", proof.leftover_mm);
    assert!(proof.passed(), "a thread to be cut does not stop the job: {:#?}", proof.findings);
    // The drill tells why it is smaller than the hole.
    let op = p.sides.iter().flat_map(|s| &s.operations).find(|o| o.title.ends_with("for M6")).unwrap();
    let term = |s: &str| op.cutter_why.iter().find(|t| t.symbol == s).map(|t| t.value);
    assert_eq!((term("D"), term("D₁"), term("P")), (Some(5.0), Some(6.0), Some(1.0)), "{:#?}", op.cutter_why);
    let told: Vec<_> = p.named.iter().filter(|f| f.kind == "to_tap").collect();
    assert_eq!(told.len(), 2);
    assert!(told[0].severity == Severity::Warn && told[0].what.contains("the tap M6 follows"), "{:#?}", told[0]);
}

#[test]
fn a_thread_drawn_at_its_drill_is_told_and_changes_nothing() {
    let (part, shop) = (plate(), by_hand());
    let p = planned(&part, &shop, &answered(&part, &[(5.0, "tap M6")]));
    assert_eq!(drills(&p), ["Drill 1 × Ø5 through", "Drill 1 × Ø8 through", "Drill 2 × Ø6 through"]);
    let proof = prove_plan(&part, &p, &shop).unwrap();
    assert!(proof.complete && proof.passed());
    let note = p.findings.iter().find(|f| f.kind == "to_tap").unwrap();
    assert!(note.severity == Severity::Note && note.what.starts_with("1 × M6"), "{note:#?}");
}

/// Where no drill between 7.6 and 7.9 is in the crib the hole is left full and not milled either; with the drill it is made.
#[test]
fn a_hole_to_be_reamed_is_never_made_too_large() {
    let (part, mut shop) = (plate(), by_hand());
    let (with, without) = shop.crib.into_iter().partition(|t| t.diameter_mm == 7.8);
    shop.crib = without;
    let settled = answered(&part, &[(8.0, "ream 8 H7")]);
    let p = planned(&part, &shop, &settled);
    assert!(!drills(&p).iter().any(|t| t.contains("Ø8")), "{:?}", drills(&p));
    let left = p.named.iter().find(|f| f.kind == "hole_without_tool").unwrap();
    assert!(
        left.severity == Severity::Stop && plain(&left.what).contains("Ø7.6 to 7.9") && plain(&left.why).contains("Ø8"),
        "{left:#?}"
    );
    let proof = prove_plan(&part, &p, &shop).unwrap();
    let found = proof.findings.iter().find(|f| f.kind == "hole_without_tool").unwrap();
    assert!(proof.gouge_mm < 0.005 && !proof.passed() && plain(&found.what).contains("up to about 4"), "{found:#?}");

    shop.crib.extend::<Vec<shop::tool::Tool>>(with);
    let p = planned(&part, &shop, &settled);
    assert!(drills(&p).contains(&"Drill 1 × Ø7.8 through for Ø8 H7".to_string()), "{:?}", drills(&p));
    let proof = prove_plan(&part, &p, &shop).unwrap();
    assert!(proof.passed() && proof.gouge_mm < 0.005, "{:#?}", proof.findings);
    let note = p.findings.iter().find(|f| f.kind == "to_ream").unwrap();
    assert!(plain(&note.what).contains("1 × Ø8 H7: drilled smaller, the reamer Ø8 H7 follows"), "{note:#?}");
}

/// What was said of holes that a revision changed is told as lost; what still holds is not.
#[test]
fn an_answer_without_its_hole_is_told() {
    let (part, shop) = (plate(), Shop::demo().unwrap());
    let mut settled = answered(&part, &[(5.0, "tap M6")]);
    assert!(planned(&part, &shop, &settled).findings.iter().all(|f| f.kind != "answer_lost"));
    settled.answers.insert("hole/5.50/12.00/through".into(), "clear M5 medium".into());
    let p = planned(&part, &shop, &settled);
    let lost: Vec<_> = p.findings.iter().filter(|f| f.kind == "answer_lost").collect();
    assert_eq!(lost.len(), 1);
    assert!(
        lost[0].what.contains("clear M5 medium") && plain(&lost[0].what).contains("5.50 12.00 through"),
        "{:#?}",
        lost[0]
    );
}

/// A mark on one wall speaks for that hole alone.
#[test]
fn a_marked_thread_steers_its_own_hole() {
    let (part, shop) = (plate(), Shop::demo().unwrap());
    let ids = face_ids(&part);
    let face = ids.iter().find(|i| i.starts_with("bore/") && i.contains("/6.00/12.0_12.0")).unwrap().clone();
    let m = Mark { face, what: MarkKind::Thread { name: "M6".into() }, note: String::new() };
    let settled = Settled::after(&[Decision::Mark { id: m.id(), mark: Some(m) }]);
    let p = planned(&part, &shop, &settled);
    assert_eq!(
        drills(&p),
        ["Drill 1 × Ø5 through", "Drill 1 × Ø5 through for M6", "Drill 1 × Ø6 through", "Drill 1 × Ø8 through"]
    );
}

/// A hole at the end of a wall of 1.2 × 14 is drilled before the pocket that makes the wall; one far away stays where it was.
#[test]
fn a_hole_beside_a_thin_wall_goes_first() {
    let shop = Shop::demo().unwrap();
    let block = Shape::block([0.0; 3], [80.0, 40.0, 18.0]).unwrap();
    let bar = |x0: f64, y0: f64, x1: f64, y1: f64| {
        let c = [([x0, y0], 4.0), ([x1, y0], 4.0), ([x1, y1], 4.0), ([x0, y1], 4.0)];
        Shape::prism(&kernel::shape::rounded_polygon(&c), 4.0, 19.0).unwrap()
    };
    // A pocket 14 deep that leaves 1.2 mm towards the front.
    let p = block.cut(&bar(12.0, 1.2, 60.0, 24.0)).unwrap();
    let rod = |x: f64, y: f64| Shape::cylinder([x, y, -1.0], UP, 2.5, 20.0).unwrap();
    let p = p.cut(&rod(7.0, 4.5)).unwrap().cut(&rod(72.0, 32.0)).unwrap();
    let part = Part::from_raw(&p.read(&kernel::Meshing::default()).unwrap()).unwrap();
    let seen = recognise(&part);
    assert_eq!(part::before_thin(&seen).len(), 1, "{:#?}", seen.features.iter().map(|f| &f.what).collect::<Vec<_>>());
    let p = planned(&part, &shop, &Settled::default());
    let side = p.sides.iter().find(|s| s.operations.iter().any(|o| o.early)).expect("a side with the early hole");
    let at = |ok: &dyn Fn(&route::Operation) -> bool| side.operations.iter().position(ok).unwrap();
    let early = at(&|o| o.kind == OpKind::Drill && o.early);
    let late = at(&|o| o.kind == OpKind::Drill && !o.early);
    let (rough, wall) = (at(&|o| o.kind == OpKind::Rough), at(&|o| o.kind == OpKind::Wall));
    assert!(early < rough && early < wall && late > wall, "{early} {rough} {wall} {late}");
    assert!(side.operations[early].order_why.contains("while there is material behind"));
    // The need is told, and breaking it too.
    let needs = &route::needs(&side.operations)[&side.operations[rough].id];
    assert!(needs.iter().any(|n| n.first == side.operations[early].id && n.why.contains("thin wall")), "{needs:#?}");
    let back =
        Decision::Sequence { id: side.operations[rough].id.clone(), before: Some(side.operations[early].id.clone()) };
    let other = planned(&part, &shop, &Settled::after(&[back]));
    assert!(other.findings.iter().any(|f| f.kind == "order_broken" && f.why.contains("thin wall")));
    let proof = prove_plan(&part, &p, &shop).unwrap();
    assert!(proof.passed() && proof.complete && proof.gouge_mm < 0.005, "{:#?}", proof.findings);
}
