//! Cards worked through on the simulated machine, from stock to the last size, over what goes wrong on the way.

use crate::plans::{Case, block, card_of, pear, planned};
use machine::hidden::Hidden;
use machine::{Fault, Link, Order};
use run::answer::{Act, Entry, Standing, state};
use run::at_machine::{Hands, fitted};
use run::card::{Card, StepKind};
use run::series::of_runs;
use shop::Shop;
use std::cell::RefCell;
use std::net::TcpListener;

/// A machine in this process.
fn stand(seed: u64) -> Link {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let at = listener.local_addr().unwrap().to_string();
    std::thread::spawn(move || machine::serve::serve(&listener, seed).unwrap());
    Link::to(&at).unwrap()
}

/// Programs in the card's order.
fn texts(c: &Case, card: &Card) -> Vec<(String, String)> {
    let made = c.plan.made.iter().map(|m| (m.title.clone(), m.plan.sides[0].program.clone()));
    let all: Vec<(String, String)> =
        c.plan.sides.iter().map(|s| (s.setup.name.clone(), s.program.clone())).chain(made).collect();
    let of = |setup: &str| all.iter().find(|t| t.0 == setup).unwrap().1.clone();
    card.programs.iter().map(|p| (p.file.clone(), of(&p.setup))).collect()
}

/// The card on the machine; `faults` are put in before the step that they are named with. What was noted, and what was hidden.
fn worked(c: &Case, seed: u64, faults: &[(&str, Fault)]) -> (Card, Vec<Entry>, Hidden) {
    let card = card_of(c);
    let link = stand(seed);
    let dialect = Box::new(c.shop.dialect(&c.shop.machine.dialect).unwrap().clone());
    let taken = Order::Take { who: "run 1".into(), machine: Box::new(c.shop.machine.clone()), dialect };
    link.ask(&taken).unwrap();
    for o in fitted(&card) {
        link.ask(&o).unwrap();
    }
    link.ask(&Order::Factor { times: 100_000.0 }).unwrap();
    let texts = texts(c, &card);
    let text = |file: &str| texts.iter().find(|t| t.0 == file).map(|t| t.1.clone());
    let rest = |file: &str, line: u32| {
        let side = c.plan.sides.iter().find(|s| Some(&s.program) == text(file).as_ref()).unwrap();
        let settings = side.control.settings(side.setup.zero_in_machine, &side.tools);
        let heading = program::Heading { name: "rest".into(), number: 1, ..program::Heading::default() };
        let made = program::restart(&side.program, &settings, &heading, &[], line, program::GoOn::LastLift);
        made.map(|r| r.text).map_err(|e| e.to_string())
    };
    let left = RefCell::new(faults.to_vec());
    let before = |s: &run::Step| {
        left.borrow_mut().retain(|(step, fault)| {
            let here = *step == s.id;
            if here {
                link.ask(&Order::Fault { fault: *fault }).unwrap();
            }
            !here
        });
    };
    let entries = Hands { card: &card, link: &link, text: &text, rest: &rest, before: &before }.work();
    let entries = entries.unwrap_or_else(|e| panic!("seed {seed}: {e}"));
    assert!(left.borrow().is_empty(), "every fault was put in");
    let hidden = link.ask(&Order::Reveal).unwrap().hidden.unwrap();
    (card, entries, hidden)
}

/// All is done, the zeros are where what holds the piece really stands, the lengths are those of the cutters.
fn came_out(c: &Case, card: &Card, entries: &[Entry], hidden: &Hidden) {
    let end = state(card, 0, entries);
    assert!(end.next.is_none() && end.ended.as_ref().is_some_and(|e| e.good));
    assert!(end.steps.iter().all(|s| s.standing == Standing::Done));
    for side in &c.plan.sides {
        let key = side.setup.name.replace(' ', "-");
        for (k, axis) in ["x", "y", "z"].into_iter().enumerate() {
            let found = end.values[&format!("{key}/zero-{axis}/offset")];
            // Not touched again: the vise was not moved, and its fixed jaw keeps the Y of the first side.
            let step = end.steps.iter().find(|s| s.id == format!("{key}/zero-{axis}")).unwrap();
            let stays = k == 1 && step.answer.as_ref().unwrap().way == "as-before";
            let planned = if stays { &c.plan.sides[0] } else { side }.setup.zero_in_machine[k];
            let truth = planned + hidden.shift[k];
            // Two aids at most, each off by 0.01, and the setter.
            assert!((found - truth).abs() < 0.025, "{key} {axis}: {found} {truth}");
        }
    }
    for t in &card.tools {
        let (told, real) = (end.values[&format!("t{}/length", t.number)], hidden.cutters[&t.number].length_mm);
        assert!((told - real).abs() < 0.02, "T{}: {told} {real}", t.number);
        assert!((real - t.length_mm).abs() < 0.31, "set by hand");
    }
}

#[test]
fn cards_are_worked_through_from_stock_to_the_last_size() {
    let c = planned(block(), Shop::demo().unwrap());
    for seed in 0..8 {
        let (card, entries, hidden) = worked(&c, seed, &[]);
        came_out(&c, &card, &entries, &hidden);
        assert!(hidden.shift.length() > 1e-3);
    }
    let shop = Shop { adhesives: Vec::new(), chucks: Vec::new(), ..Shop::demo().unwrap() };
    let c = planned(pear(), shop);
    let (card, entries, hidden) = worked(&c, 3, &[]);
    came_out(&c, &card, &entries, &hidden);
}

/// A broken cutter, the power, the line and a tip that sticks: the card goes on, with a new length for the cutter that broke.
#[test]
fn what_goes_wrong_on_the_way_is_gone_on_from() {
    let c = planned(block(), Shop::demo().unwrap());
    let lines = |k: usize| c.plan.sides[k].program.lines().count() as u32;
    let faults = [
        ("side-1/zero-x", Fault::Probe),
        ("side-1/run-1", Fault::Break { line: lines(0) / 2 }),
        ("side-1/run-1", Fault::Line { seconds: 0.3 }),
        ("side-1/measure", Fault::Line { seconds: 0.3 }),
        ("side-2/run-1", Fault::Power { line: lines(1) / 2 }),
    ];
    let (card, entries, hidden) = worked(&c, 11, &faults);
    came_out(&c, &card, &entries, &hidden);
    let changed: Vec<&Act> = entries.iter().map(|e| &e.act).filter(|a| matches!(a, Act::Cutter { .. })).collect();
    assert_eq!(changed.len(), 1);
    assert!(entries.iter().any(|e| matches!(&e.act, Act::Note { text } if text.contains("power went"))));
}

/// Broken: what the machine would not do stops the work, and says where.
#[test]
fn what_nobody_knows_a_way_out_of_stops_the_work() {
    let c = planned(block(), Shop::demo().unwrap());
    let card = card_of(&c);
    let link = stand(1);
    let none = |_: &str| None;
    let rest = |_: &str, _: u32| Err::<String, String>("no rest".into());
    let hands = Hands { card: &card, link: &link, text: &none, rest: &rest, before: &|_| () };
    let said = hands.work().unwrap_err();
    assert!(said.contains("take it first"), "{said}");
    let dialect = Box::new(c.shop.dialect(&c.shop.machine.dialect).unwrap().clone());
    let mut short = c.shop.machine.clone();
    short.travel_min_mm[2] = short.travel_max_mm[2] - 40.0;
    link.ask(&Order::Take { who: "x".into(), machine: Box::new(short), dialect }).unwrap();
    for o in fitted(&card) {
        link.ask(&o).unwrap();
    }
    link.ask(&Order::Factor { times: 100_000.0 }).unwrap();
    let all = texts(&c, &card);
    let text = |file: &str| all.iter().find(|t| t.0 == file).map(|t| t.1.clone());
    let said = Hands { text: &text, ..hands }.work().unwrap_err();
    assert!(said.contains("beyond the travel") && said.contains("side-1/"), "{said}");
    assert!(card.steps.iter().any(|s| s.kind == StepKind::Run));
}

/// Pieces that come out 0.04 mm too large in a row: every size says so, and by as much; the spread is that of the gauge.
#[test]
fn a_series_of_cards_says_what_to_correct() {
    let c = planned(block(), Shop::demo().unwrap());
    let all: Vec<_> = (0..6)
        .map(|seed| {
            let (card, entries, _) = worked(&c, seed, &[("stock", Fault::Large { by: 0.04 })]);
            let run = state(&card, 0, &entries);
            (card, run)
        })
        .collect();
    let told = of_runs(&all.iter().zip(1..).map(|((card, run), k)| (k, card, run)).collect::<Vec<_>>());
    assert!(told.len() >= 3, "{told:?}");
    for s in &told {
        assert_eq!(s.pieces.iter().map(|p| p.piece).collect::<Vec<_>>(), [1, 2, 3, 4, 5, 6]);
        let correct = s.series.correction.unwrap();
        assert!((correct + 0.04).abs() < 0.003 && s.series.spread.unwrap() < 0.003, "{}: {:?}", s.label, s.series);
    }
    // Planned otherwise, it is another series.
    let mut other = all[0].clone();
    for a in other.0.steps.iter_mut().flat_map(|s| &mut s.ways).flat_map(|w| &mut w.asks) {
        a.planned = a.planned.map(|p| p + 1.0);
    }
    let two = of_runs(&[(1, &all[0].0, &all[0].1), (2, &other.0, &other.1)]);
    assert_eq!(two.len(), 2 * told.len());
}
