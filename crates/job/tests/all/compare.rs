//! Whole ways side by side: what is said of a way is what its plan has; each can be chosen, and nothing else that was decided is lost.

use crate::oracle::read;
use holding::{HoldKind, SchemeId, School};
use job::{Comparison, Desk, Settled, Standing, compare_at, estimated, plan, prove_plan};
use kernel::shape::{Shape, rounded_polygon};
use part::Part;
use route::Override;
use shop::Shop;

/// A block with a pocket, straight enough for every way.
fn tray() -> Part {
    let c = [([8.0, 8.0], 4.0), ([40.0, 8.0], 4.0), ([40.0, 26.0], 4.0), ([8.0, 26.0], 4.0)];
    let block = Shape::block([0.0; 3], [48.0, 34.0, 14.0]).unwrap();
    read(&block.cut(&Shape::prism(&rounded_polygon(&c), 8.0, 15.0).unwrap()).unwrap())
}

fn compared(part: &Part, shop: &Shop, settled: &Settled) -> (Comparison, Vec<Comparison>) {
    let planned = plan(part, "tray", shop, settled).unwrap();
    let proof = prove_plan(part, &planned.plan, shop).unwrap();
    let here = Standing { plan: &planned.plan, proof: &proof };
    let mut heard = Vec::new();
    let mut told = |c: &Comparison| heard.push(c.clone());
    let all = compare_at(part, "tray", shop, settled, &here, &Desk::bare(), &mut told).unwrap();
    assert_eq!(heard[0], estimated(part, shop, settled, &here).unwrap());
    (all, heard)
}

#[test]
fn the_best_three_are_planned_and_any_can_be_chosen() {
    let shop = Shop::demo().unwrap();
    let part = tray();
    let (all, heard) = compared(&part, &shop, &Settled::default());
    assert!(all.done && !heard[0].done && heard.len() == 3);
    let planned: Vec<_> = all.ways.iter().filter(|w| w.planned).collect();
    assert_eq!(planned.len(), 3);
    assert!(planned.iter().all(|w| w.proved == Some(true) && w.complete == Some(true) && w.holds.unwrap() > 1.2));
    // Three sorts, not one three times.
    let sort = |id: &str| id.parse::<SchemeId>().map(|i| (i.school, i.hold)).unwrap();
    let sorts: Vec<(School, HoldKind)> = planned.iter().map(|w| sort(&w.id)).collect();
    assert!(sorts[0] != sorts[1] && sorts[1] != sorts[2] && sorts[0] != sorts[2]);
    // The first is what is planned unasked: hat and deck between flat jaws.
    assert!(all.ways[0].chosen && sort(&all.ways[0].id) == (School::Deck, HoldKind::Vise), "{:?}", all.ways[0].id);
    for w in &all.ways {
        assert_eq!(w.why_not.is_empty(), !w.setups.is_empty());
        let sum = |t: &[reason::Term]| t.iter().map(|t| t.value).sum::<f64>();
        assert!(
            (sum(&w.each) - w.machine_min - w.attended_min).abs() < 1e-9 && (sum(&w.once) - w.once_min).abs() < 1e-9
        );
        assert!((w.piece_min - sum(&w.each) - sum(&w.once)).abs() < 1e-9 && !w.why.is_empty());
    }
    // What is said of another way is what its own plan has, and a number that somebody set stays.
    let soft = planned.iter().find(|w| w.hold == HoldKind::SoftJaws).unwrap();
    let rough = {
        let p = plan(&part, "tray", &shop, &Settled::default()).unwrap().plan;
        p.sides[0].operations.iter().find(|o| o.kind == route::OpKind::Rough).unwrap().id.clone()
    };
    let slow = Override { feed: Some(123.0), ..Override::default() };
    let settled = Settled {
        scheme: soft.id.parse().ok(),
        operations: [(rough.clone(), slow)].into_iter().collect(),
        ..Settled::default()
    };
    let other = plan(&part, "tray", &shop, &settled).unwrap().plan;
    assert_eq!(other.scheme.id.to_string(), soft.id);
    assert!(other.made.len() == 1 && soft.makes == [other.made[0].name.clone()]);
    let kept = other.sides[0].operations.iter().find(|o| o.id == rough).unwrap();
    assert_eq!(kept.mill.as_ref().unwrap().feed.value, 123.0);
    assert_eq!(other.sides.len(), soft.setups.len());
}

/// Jaws that are made once cost a piece less, the more are made; a way is told to pay from some number on only where it does.
#[test]
fn the_number_of_pieces_shares_what_is_made_once() {
    let shop = Shop::demo().unwrap();
    let part = tray();
    let (one, _) = compared(&part, &shop, &Settled::default());
    let many = one.clone().of_pieces(50);
    assert_eq!((one.quantity, many.quantity), (1, 50));
    let of = |c: &Comparison, id: &str| c.ways.iter().find(|w| w.id == id).unwrap().piece_min;
    for w in one.ways.iter().filter(|w| w.why_not.is_empty()) {
        let each = w.machine_min + w.attended_min;
        assert!((of(&many, &w.id) - each - w.once_min / 50.0).abs() < 1e-9);
    }
    let first = &many.ways[0];
    assert_eq!(
        many.pays.len(),
        many.ways
            .iter()
            .filter(|w| {
                let each = |w: &job::compare::WholeWay| w.machine_min + w.attended_min;
                w.why_not.is_empty() && w.id != first.id && each(w) < each(first) - 0.01 && w.once_min > first.once_min
            })
            .count()
    );
    // It comes back whatever is asked in between.
    assert_eq!(many.of_pieces(1), one);
}

/// A wish that cannot be is told and mended, and a shop without blanks refuses soft jaws by name.
#[test]
fn what_cannot_be_says_why() {
    let bare = Shop { jaw_blanks: Vec::new(), ..Shop::demo().unwrap() };
    let part = tray();
    let settled = Settled { scheme: "deck.soft-jaws.+z.x".parse().ok(), ..Settled::default() };
    let p = plan(&part, "tray", &bare, &settled).unwrap().plan;
    let lost = p.findings.iter().find(|f| f.kind == "decision_lost").unwrap();
    assert!(lost.what.contains("no blanks") && lost.remedy.is_some());
    assert_eq!(p.scheme.id.hold, HoldKind::Vise);
    let (all, _) = compared(&part, &bare, &Settled::default());
    let soft: Vec<_> = all.ways.iter().filter(|w| w.id.starts_with("deck.soft-jaws")).collect();
    assert!(!soft.is_empty() && soft.iter().all(|w| w.why_not.contains("no blanks") && !w.planned));
}
