//! Cards of real plans: walked from the first step to the last, and their limits held against the proof.

use job::{Plan, Settled, plan, prove_plan};
use kernel::shape::{Shape, rounded_polygon};
use part::Part;
use proof::Proof;
use reason::Severity;
use run::answer::{Act, Entry, Standing, may, state};
use run::card::{Card, StepKind};
use run::make::{Planned, card};
use run::reach;
use shop::Shop;
use std::collections::BTreeMap;

fn read(shape: &Shape) -> Part {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("p.step");
    shape.write_step(&file).unwrap();
    Part::from_raw(&intake::read_trusted(&file).unwrap().raw).unwrap()
}

pub(crate) fn block() -> Part {
    let c = |x: f64, y: f64, r: f64| Shape::cylinder([x, y, -1.0], [0.0, 0.0, 1.0], r, 30.0).unwrap();
    let body = Shape::prism(
        &rounded_polygon(&[([0.0, 0.0], 4.0), ([50.0, 0.0], 4.0), ([50.0, 30.0], 4.0), ([0.0, 30.0], 4.0)]),
        0.0,
        14.0,
    );
    read(&body.unwrap().cut(&c(12.0, 15.0, 2.5)).unwrap().cut(&c(38.0, 15.0, 4.0)).unwrap())
}

/// A pear with a hole and a pocket below: its second side needs soft jaws.
pub(crate) fn pear() -> Part {
    let c = [([0.0, 0.0], 8.0), ([58.0, 6.0], 5.0), ([64.0, 30.0], 6.0), ([22.0, 44.0], 9.0), ([4.0, 30.0], 6.0)];
    let body = Shape::prism(&rounded_polygon(&c), 0.0, 14.0).unwrap();
    let bore = Shape::cylinder([18.0, 16.0, -1.0], [0.0, 0.0, 1.0], 3.0, 20.0).unwrap();
    let p = [([28.0, 12.0], 4.0), ([48.0, 12.0], 4.0), ([48.0, 26.0], 4.0), ([28.0, 26.0], 4.0)];
    let pocket = Shape::prism(&rounded_polygon(&p), -1.0, 5.0).unwrap();
    read(&body.cut(&bore).unwrap().cut(&pocket).unwrap())
}

pub(crate) struct Case {
    pub part: Part,
    pub plan: Plan,
    pub proof: Proof,
    pub shop: Shop,
}

pub(crate) fn planned(part: Part, shop: Shop) -> Case {
    let plan = plan(&part, "case", &shop, &Settled::default()).unwrap().plan;
    let proof = prove_plan(&part, &plan, &shop).unwrap();
    assert!(proof.passed(), "{:#?}", proof.findings);
    Case { part, plan, proof, shop }
}

pub(crate) fn card_of(c: &Case) -> Card {
    let sheet = job::sheet::sheet(&c.part, &c.plan, &c.proof, &c.shop, &Settled::default());
    let file = |k: usize| format!("{}.ngc", k + 1);
    card(&Planned { sheet: &sheet, shop: &c.shop, title: "Case", file: &file }).unwrap()
}

/// Every step by the way `pick` says, with what is planned typed in; what holds at the end.
fn walk(card: &Card, pick: &dyn Fn(&run::Step) -> usize) -> BTreeMap<String, f64> {
    let mut entries: Vec<Entry> = Vec::new();
    for s in &card.steps {
        let way = &s.ways[pick(s).min(s.ways.len() - 1)];
        let values = way.asks.iter().filter_map(|a| Some((a.id.clone(), a.planned?))).collect();
        let act = Act::Done { step: s.id.clone(), way: way.id.clone(), values, sure: false, note: String::new() };
        may(card, 0, &entries, &act).unwrap_or_else(|e| panic!("{}: {e}", s.id));
        entries.push(Entry { id: s.id.clone(), who: "ida".into(), at_ms: 0, act });
        let now = state(card, 0, &entries);
        let stands = now.steps.iter().find(|x| x.id == s.id).unwrap();
        assert_eq!(stands.standing, Standing::Done, "{}: {:?}", s.id, stands.answer);
    }
    let end = state(card, 0, &entries);
    assert!(end.next.is_none());
    end.values
}

/// All ids differ, and each key that an outcome hangs on is one of an earlier step.
fn sound(card: &Card) {
    let mut keys: Vec<String> = card.tools.iter().map(|t| format!("t{}/length", t.number)).collect();
    let mut ids: Vec<&str> = Vec::new();
    for s in &card.steps {
        assert!(!ids.contains(&s.id.as_str()), "{} twice", s.id);
        ids.push(&s.id);
        assert!(!s.ways.is_empty() && !s.title.is_empty());
        for o in s.ways.iter().flat_map(|w| &w.outcomes) {
            assert!(o.sum.elsewhere().all(|k| keys.iter().any(|x| x == k)), "{}: {:?}", s.id, o.sum);
        }
        keys.extend(s.ways.iter().flat_map(|w| {
            let asks = w.asks.iter().map(|a| &a.id);
            asks.chain(w.outcomes.iter().map(|o| &o.id)).map(|id| format!("{}/{id}", s.id)).collect::<Vec<_>>()
        }));
    }
}

/// Found as planned; `stays`: the vise is not moved, so its fixed jaw keeps the Y of the first side.
fn zeros_are_planned(c: &Case, values: &BTreeMap<String, f64>, stays: bool) {
    for side in &c.plan.sides {
        let key = side.setup.name.replace(' ', "-");
        for (k, axis) in ["x", "y", "z"].into_iter().enumerate() {
            let found = values[&format!("{key}/zero-{axis}/offset")];
            let planned = if stays && k == 1 { &c.plan.sides[0] } else { side }.setup.zero_in_machine[k];
            assert!((found - planned).abs() < 1e-9, "{key} {axis}: {found}");
        }
    }
}

#[test]
fn a_block_in_the_vise_is_led_from_stock_to_the_last_size_by_every_aid() {
    let c = planned(block(), Shop::demo().unwrap());
    let card = card_of(&c);
    sound(&card);
    let order: Vec<StepKind> = card.steps.iter().filter(|s| s.setup == "side 1").map(|s| s.kind).collect();
    let at = |k: StepKind| order.iter().position(|x| *x == k).unwrap();
    assert!(at(StepKind::Zero) < at(StepKind::Load), "the stop and the jaw are touched empty");
    assert!(at(StepKind::DryRun) < at(StepKind::FirstCut) && at(StepKind::FirstCut) < at(StepKind::Run));
    let sizes: Vec<&str> = card.steps.iter().filter(|s| s.kind == StepKind::Measure).map(|s| s.id.as_str()).collect();
    assert!(!sizes.is_empty(), "height and outline are measured");
    let asked = card.steps.iter().filter(|s| s.kind == StepKind::Measure).flat_map(|s| &s.ways[0].asks);
    let nominal: Vec<f64> = asked.map(|a| a.planned.unwrap()).collect();
    for size in [50.0, 30.0, 14.0] {
        assert!(nominal.iter().any(|v| (v - size).abs() < 1e-6), "{size} is measured: {nominal:?}");
    }
    for n in 0..4 {
        let touched = |s: &run::Step| usize::from(s.ways[0].id == "as-before");
        zeros_are_planned(&c, &walk(&card, &|s| if s.kind == StepKind::Zero { n + touched(s) } else { 0 }), false);
    }
    assert!(card.steps.iter().any(|s| s.setup == "side 2" && s.ways[0].id == "as-before"));
    zeros_are_planned(&c, &walk(&card, &|_| 0), true);
    // What is touched is where the bodies of the hold stand.
    for side in &c.plan.sides {
        let body = |name: &str| side.setup.hold.bodies().iter().find(|b| b.name.contains(name)).unwrap();
        let at = |k: usize| side.setup.datum[k].touched.unwrap().at_mm;
        assert!((body("fixed jaw").min.y - at(1)).abs() < 1e-9);
        assert!((body("parallel").max.z - at(2)).abs() < 1e-9);
    }
}

/// Inside the limits of a zero the proof finds no axis beyond its travel, outside it does.
#[test]
fn the_limits_of_a_zero_are_those_of_the_proof() {
    let c = planned(block(), Shop::demo().unwrap());
    let beyond = |k: usize, axis: usize, zero: f64| {
        let mut plan = c.plan.clone();
        plan.sides[k].setup.zero_in_machine[axis] = zero;
        let proof = prove_plan(&c.part, &plan, &c.shop).unwrap();
        proof.findings.iter().any(|f| f.kind == "travel" && f.severity == Severity::Stop)
    };
    let side = &c.plan.sides[0];
    let settings = side.control.settings(side.setup.zero_in_machine, &side.tools);
    let range = reach::of(&program::read(&side.program, &settings).unwrap(), &side.tools, &c.shop.machine);
    for (axis, [lo, hi]) in range.into_iter().enumerate() {
        let z = side.setup.zero_in_machine[axis];
        assert!(lo < z && z < hi, "{axis}: {lo} {z} {hi}");
        for (zero, out) in [(lo + 0.01, false), (lo - 0.01, true), (hi - 0.01, false), (hi + 0.01, true)] {
            assert_eq!(beyond(0, axis, zero), out, "axis {axis}, {zero} of {lo} to {hi}");
        }
    }
}

#[test]
fn soft_jaws_come_first_and_their_zero_stays() {
    let shop = Shop { adhesives: Vec::new(), chucks: Vec::new(), ..Shop::demo().unwrap() };
    let c = planned(pear(), shop);
    assert!(!c.plan.made.is_empty(), "the pear is held in soft jaws");
    let card = card_of(&c);
    sound(&card);
    let made = &c.plan.made[0];
    let first = |setup: &str| card.steps.iter().position(|s| s.setup == setup).unwrap();
    assert!(first("side 1") < first(&made.title) && first(&made.title) < first(&made.setup));
    assert_eq!(card.programs.len(), c.plan.sides.len() + 1);
    let values = walk(&card, &|_| 0);
    zeros_are_planned(&c, &values, false);
    // A jaw zero that came out otherwise is that of the part's setup.
    let zero = card.steps.iter().find(|s| s.setup == made.setup && s.id.ends_with("zero-x")).unwrap();
    assert_eq!(zero.ways[0].id, "kept");
    let (key, weight) = &zero.ways[0].outcomes[0].sum.terms[0];
    assert!(key.starts_with(&made.name) && (*weight - 1.0).abs() < 1e-12);
}

#[test]
fn a_plan_that_is_not_proved_has_no_card() {
    let c = planned(block(), Shop::demo().unwrap());
    let mut sheet = job::sheet::sheet(&c.part, &c.plan, &c.proof, &c.shop, &Settled::default());
    sheet.proof.passed = false;
    let file = |_: usize| String::new();
    let said = card(&Planned { sheet: &sheet, shop: &c.shop, title: "Case", file: &file }).unwrap_err();
    assert!(said.contains("not proved"));
}

/// A block that is too small or too large stops; one that is somewhat off is asked about.
#[test]
fn stock_in_hand_must_be_what_was_planned() {
    let c = planned(block(), Shop::demo().unwrap());
    let card = card_of(&c);
    let stock = card.steps.iter().find(|s| s.kind == StepKind::Stock).unwrap();
    for a in &stock.ways[0].asks {
        let p = a.planned.unwrap();
        let verdict = |v: f64| run::answer::judge(v, &a.check).0;
        assert_eq!(verdict(p), run::Verdict::Good);
        assert_eq!(verdict(p + 0.9), run::Verdict::Doubt, "{}", a.label);
        assert_eq!(verdict(p + 1.1), run::Verdict::Stop);
        assert_eq!(verdict(p - 5.0), run::Verdict::Stop);
    }
}
