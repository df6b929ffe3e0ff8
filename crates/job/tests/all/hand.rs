//! Findings that one decision mends: what no cutter makes and a person leaves for the hand, a cut that the grip does not bear.

use job::{Decision, Settled, plan, prove_plan};
use kernel::shape::{Shape, rounded_polygon};
use part::Part;
use reason::{Act, Finding, Kind, Severity};
use shop::Shop;

/// A plate with two closed pockets, the corners of one with a round.
fn plate(r: f64) -> Part {
    let pocket = |x: f64, r: f64| {
        let corners = [([x, 8.0], r), ([x + 20.0, 8.0], r), ([x + 20.0, 28.0], r), ([x, 28.0], r)];
        Shape::prism(&rounded_polygon(&corners), 5.0, 11.0).unwrap()
    };
    let shape = Shape::block([0.0; 3], [60.0, 36.0, 10.0]).unwrap();
    let shape = shape.cut(&pocket(6.0, 4.0)).unwrap().cut(&pocket(34.0, r)).unwrap();
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("p.step");
    shape.write_step(&file).unwrap();
    Part::from_raw(&intake::read_trusted(&file).unwrap().raw).unwrap()
}

fn of(all: &[Finding], kind: Kind) -> Vec<&Finding> {
    all.iter().filter(|f| f.kind == kind).collect()
}

#[test]
fn a_sharp_corner_stops_until_a_person_leaves_it_for_the_hand() {
    let shop = Shop::demo().unwrap();
    let part = plate(0.0);
    let made = plan(&part, "p", &shop, &Settled::default()).unwrap().plan;
    // Four corners of one pocket are one line, with a button.
    let corners = of(&made.named, Kind::Corner);
    assert!(corners.len() == 1 && corners[0].places.len() == 4, "{corners:#?}");
    assert_eq!(corners[0].severity, Severity::Stop);
    let proof = prove_plan(&part, &made, &shop).unwrap();
    assert!(!proof.passed() && !proof.complete);
    let stops: Vec<_> = proof.findings.iter().filter(|f| f.severity == Severity::Stop).collect();
    assert!(stops.len() == 1 && stops[0].kind == Kind::Corner, "{stops:#?}");
    let remedy = stops[0].remedy.clone().expect("it can be left for the hand");
    assert_eq!(remedy.words, "Leave it for the hand");

    // What the button decides, as it crosses the wire.
    let decision: Decision = serde_json::from_value(serde_json::to_value(&remedy.decision).unwrap()).unwrap();
    assert!(decision.fault().is_none());
    let settled = Settled::after([&decision]);
    let left = plan(&part, "p", &shop, &settled).unwrap().plan;
    assert!(left.sides.iter().zip(&made.sides).all(|(a, b)| a.program == b.program), "it changes no program");
    let proof = prove_plan(&part, &left, &shop).unwrap();
    assert!(proof.passed(), "{:#?}", proof.findings);
    // It is said, it counts as left, its place and its size are measured all the same.
    assert!(!proof.complete && !proof.left.is_empty() && proof.left_mm3 > 0.1);
    let told = of(&proof.findings, Kind::Corner);
    assert!(told.len() == 1 && told[0].severity == Severity::Warn && told[0].what.contains("left for the hand"));
    let back = told[0].remedy.as_ref().expect("and taken back");
    assert!(matches!(&back.decision, Act::Answer { answer: None, .. }));
    let again = Settled::after([&decision, &decision.cleared()]);
    assert_eq!(again, Settled::default());
}

#[test]
fn left_for_the_hand_and_no_longer_there_is_told() {
    let shop = Shop::demo().unwrap();
    let id = of(&plan(&plate(0.0), "p", &shop, &Settled::default()).unwrap().plan.named, Kind::Corner)[0].id.clone();
    let question = part::hand_question(&id);
    let settled = Settled::after([&Decision::Answer { question: question.clone(), answer: Some("yes".into()) }]);
    // A new revision has round corners.
    let made = plan(&plate(4.0), "p", &shop, &settled).unwrap().plan;
    let lost = of(&made.findings, Kind::AnswerLost);
    assert_eq!(lost.len(), 1, "{:#?}", made.findings);
    let remedy = lost[0].remedy.as_ref().unwrap();
    assert_eq!(remedy.decision, Act::Answer { question, answer: None });
    assert!(made.named.iter().all(|f| f.severity != Severity::Stop));
}

#[test]
fn a_cut_that_the_grip_does_not_bear_is_made_shallower_by_its_remedy() {
    let shop = Shop::demo().unwrap();
    // High and narrow, so that it tilts before anything else gives way.
    let block = Shape::block([0.0; 3], [60.0, 14.0, 40.0]).unwrap();
    let step = Shape::block([30.0, -1.0, 25.0], [31.0, 16.0, 16.0]).unwrap();
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("p.step");
    block.cut(&step).unwrap().write_step(&file).unwrap();
    let part = Part::from_raw(&intake::read_trusted(&file).unwrap().raw).unwrap();
    let material = Decision::Material { id: Some("stainless-304".into()) };
    let first = plan(&part, "p", &shop, &Settled::after([&material])).unwrap().plan;
    let rough = first.sides.iter().flat_map(|s| &s.operations).filter(|o| o.kind == route::OpKind::Rough);
    // Somebody takes all of them as deep as the flutes, and one of them with a feed of his own.
    let deep = |o: &route::Operation| Decision::Operation {
        id: o.id.clone(),
        change: Some(route::Override { depth: Some(24.0), feed: Some(1200.0), ..Default::default() }),
    };
    let mut list: Vec<Decision> = [material].into_iter().chain(rough.map(deep)).collect();
    let mut stops = Vec::new();
    for _ in 0..12 {
        let made = plan(&part, "p", &shop, &Settled::after(&list)).unwrap().plan;
        let Some(f) = of(&made.findings, Kind::HoldingForce).into_iter().next().cloned() else { break };
        let remedy = f.remedy.expect("what is too deep can be less deep");
        assert!(remedy.words.contains("a level"), "{}", remedy.words);
        let Act::Operation { change: Some(n), .. } = &remedy.decision else { panic!("{remedy:?}") };
        assert!(n.depth.is_some_and(|d| d < 24.0) && n.feed == Some(1200.0), "the feed that was settled stays: {n:?}");
        list.push(serde_json::from_value(serde_json::to_value(&remedy.decision).unwrap()).unwrap());
        stops.push(f.what);
    }
    assert!(!stops.is_empty() && stops.len() < 12, "one press each: {stops:#?}");
}
