//! The list of answers: what goes on, what stops, what is to be done again.

use run::answer::{Act, Entry, Standing, may, state};
use run::card::{Ask, Card, CardTool, Check, Outcome, Step, StepKind, Sum, Way};
use std::collections::BTreeMap;

fn ask(id: &str, must: [f64; 2], should: [f64; 2]) -> Ask {
    let check = Check::must(must[0], must[1], "a test").should(should[0], should[1]).or("too small", "too large");
    Ask::length(id, id.into(), None, check)
}

fn step(id: &str, setup: &str, kind: StepKind, asks: Vec<Ask>, outcomes: Vec<Outcome>) -> Step {
    let way = Way { id: "so".into(), title: String::new(), says: vec![], asks, outcomes };
    Step {
        id: id.into(),
        setup: setup.into(),
        kind,
        title: id.into(),
        says: vec![],
        cautions: vec![],
        ways: vec![way],
        line: None,
        minutes: None,
        raise_mm: None,
    }
}

fn card() -> Card {
    let twice = Outcome {
        id: "twice".into(),
        label: "twice".into(),
        unit: "mm".into(),
        then: String::new(),
        sum: Sum::of(1.0, &[("v", 2.0), ("t5/length", 1.0)]),
        formula: String::new(),
        check: Check::none(),
        sets: None,
    };
    Card {
        title: "t".into(),
        about: vec![],
        programs: vec![],
        tools: vec![CardTool { number: 5, words: "T5".into(), stickout_mm: 30.0, length_mm: 90.0, diameter_mm: 8.0 }],
        steps: vec![
            step("a/cutters", "a", StepKind::Cutters, vec![ask("t5", [80.0, 100.0], [89.0, 91.0])], vec![]),
            step("a/zero", "a", StepKind::Zero, vec![ask("v", [0.0, 10.0], [4.0, 6.0])], vec![twice]),
            step("a/run", "a", StepKind::Run, vec![], vec![]),
            step("b/run", "b", StepKind::Run, vec![], vec![]),
        ],
        drawings: vec![],
    }
}

fn done(step: &str, values: &[(&str, f64)], sure: bool) -> Act {
    let values = values.iter().map(|(k, v)| ((*k).to_string(), *v)).collect::<BTreeMap<_, _>>();
    Act::Done { step: step.into(), way: "so".into(), values, sure, note: String::new() }
}

struct Book {
    card: Card,
    entries: Vec<Entry>,
}

impl Book {
    fn new() -> Book {
        Book { card: card(), entries: vec![] }
    }
    fn put(&mut self, act: Act) -> Result<run::Run, String> {
        may(&self.card, 0, &self.entries, &act).map_err(|e| e.to_string())?;
        let n = self.entries.len();
        self.entries.push(Entry { id: n.to_string(), who: "ida".into(), at_ms: 60_000 * (n as i64 + 1), act });
        Ok(state(&self.card, 0, &self.entries))
    }
}

#[test]
fn a_card_goes_on_step_by_step_and_counts_with_what_was_typed() {
    let mut b = Book::new();
    assert!(b.put(done("a/zero", &[("v", 5.0)], false)).unwrap_err().contains("First: a/cutters"));
    assert!(b.put(done("a/cutters", &[], false)).unwrap_err().contains("Type a number: t5"));
    b.put(done("a/cutters", &[("t5", 90.5)], false)).unwrap();
    let r = b.put(done("a/zero", &[("v", 5.0)], false)).unwrap();
    assert!((r.values["a/zero/twice"] - 101.5).abs() < 1e-12 && r.next.as_deref() == Some("a/run"));
    assert!(b.put(Act::Ended { good: true, cause: String::new() }).unwrap_err().contains("Not all is done"));
    b.put(done("a/run", &[], false)).unwrap();
    let r = b.put(done("b/run", &[], false)).unwrap();
    assert!(r.next.is_none() && r.steps.iter().all(|s| (s.took_min.unwrap() - 1.0).abs() < 1e-9));
    let r = b.put(Act::Ended { good: true, cause: String::new() }).unwrap();
    assert!(r.ended.unwrap().good);
    assert!(b.put(Act::Note { text: "late".into() }).unwrap_err().contains("over"));
}

#[test]
fn what_is_outside_its_limits_stops_the_card_and_says_what_to_do() {
    let mut b = Book::new();
    b.put(done("a/cutters", &[("t5", 90.0)], false)).unwrap();
    let r = b.put(done("a/zero", &[("v", 11.0)], true)).unwrap();
    assert_eq!(r.steps[1].standing, Standing::Stopped);
    assert!(r.steps[1].answer.as_ref().unwrap().judged.iter().any(|j| j.says == "too large"));
    assert!(b.put(done("a/run", &[], false)).is_err());
    let r = b.put(done("a/zero", &[("v", 3.0)], false)).unwrap();
    assert_eq!(r.steps[1].standing, Standing::Doubt);
    assert!(b.put(done("a/run", &[], false)).is_err());
    let r = b.put(done("a/zero", &[("v", 3.0)], true)).unwrap();
    assert_eq!(r.steps[1].standing, Standing::Done);
    b.put(done("a/run", &[], false)).unwrap();
    assert!(b.put(Act::Ended { good: false, cause: " ".into() }).is_err());
}

#[test]
fn another_number_asks_for_what_hung_on_it_again_and_another_cutter_counts() {
    let mut b = Book::new();
    b.put(done("a/cutters", &[("t5", 90.0)], false)).unwrap();
    b.put(done("a/zero", &[("v", 5.0)], false)).unwrap();
    b.put(done("a/run", &[], false)).unwrap();
    // The same again changes nothing.
    let r = b.put(done("a/zero", &[("v", 5.0)], false)).unwrap();
    assert_eq!(r.next.as_deref(), Some("b/run"));
    let r = b.put(done("a/zero", &[("v", 5.1)], false)).unwrap();
    assert_eq!(r.next.as_deref(), Some("a/run"));
    let r = b.put(Act::Cutter { tool: 5, length_mm: 95.0, why: "broken".into() }).unwrap();
    assert!((r.values["t5/length"] - 95.0).abs() < 1e-12);
    assert!(b.put(Act::Cutter { tool: 6, length_mm: 95.0, why: "broken".into() }).unwrap_err().contains("T6"));
    let r = b.put(Act::Again { step: "a/cutters".into(), note: String::new() }).unwrap();
    assert_eq!(r.next.as_deref(), Some("a/cutters"));
    assert!(b.put(Act::Again { step: "a/run".into(), note: String::new() }).is_err());
}

#[test]
fn nonsense_is_refused_in_words() {
    let mut b = Book::new();
    for (act, word) in [
        (done("x", &[], false), "no such step"),
        (done("a/cutters", &[("t9", 1.0)], false), "t9"),
        (done("a/cutters", &[("t5", f64::NAN)], false), "Type numbers"),
        (done("a/cutters", &[("t5", 1e9)], false), "Type numbers"),
        (Act::Note { text: String::new() }, "between 1 and"),
        (Act::Note { text: "x".repeat(1001) }, "between 1 and"),
        (Act::Cutter { tool: 5, length_mm: -1.0, why: "worn".into() }, "between 0 and 1000"),
        (Act::Again { step: "a/run".into(), note: String::new() }, "not been done"),
    ] {
        let said = b.put(act.clone()).unwrap_err();
        assert!(said.contains(word), "{act:?}: {said}");
    }
    assert!(b.entries.is_empty());
}

/// Random acts on a card, and what they come to, in a file that the screens' arithmetic is held to. `GOLDCHIP_WRITE_CASES=1` writes it anew.
#[test]
fn the_screens_arithmetic_has_the_same_cases() {
    let mut rng = fastrand::Rng::with_seed(1214);
    let mut cases = Vec::new();
    for _ in 0..40 {
        let mut card = card();
        // An angle, a length that counts by itself, and limits with one end open.
        let way = &mut card.steps[1].ways[0];
        way.asks[0].from = Some("t5/length".into());
        way.asks[0].unsaid = Some(5.5);
        way.outcomes[0].check = Check { must: [None, Some(103.0)], ..Check::none() }.or("", "too long");
        way.outcomes.push(Outcome {
            id: "turn".into(),
            sum: Sum { over: Some(40.0), ..Sum::of(-5.0, &[("v", 1.0)]) },
            ..way.outcomes[0].clone()
        });
        let mut entries: Vec<Entry> = Vec::new();
        for n in 0..rng.usize(3..14) {
            let v = (rng.f64() * 12000.0).round() / 1000.0 - 0.5;
            let typed: &[(&str, f64)] = if rng.u8(0..4) == 0 { &[] } else { &[("v", v)] };
            let act = match rng.u8(0..9) {
                0 | 1 => done("a/cutters", &[("t5", 86.0 + v / 2.0)], rng.bool()),
                2 | 3 => done("a/zero", typed, rng.bool()),
                4 => done("a/run", &[], false),
                5 => done("b/run", &[], false),
                6 => Act::Again { step: "a/zero".into(), note: String::new() },
                7 => Act::Cutter { tool: 5, length_mm: 88.0 + v / 4.0, why: "worn".into() },
                _ => Act::Note { text: "n".into() },
            };
            let at_ms = 1000 * rng.i64(0..600);
            entries.push(Entry { id: n.to_string(), who: "ida".into(), at_ms, act });
        }
        let state = state(&card, 5000, &entries);
        cases.push(serde_json::json!({"card": card, "began_ms": 5000, "entries": entries, "state": state}));
    }
    let text = serde_json::to_string(&cases).unwrap() + "\n";
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../web/src/model/run.cases.json");
    if std::env::var_os("GOLDCHIP_WRITE_CASES").is_some() {
        std::fs::write(path, &text).unwrap();
    }
    let kept: serde_json::Value = serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap();
    assert_eq!(kept, serde_json::from_str::<serde_json::Value>(&text).unwrap(), "write the cases anew");
}
