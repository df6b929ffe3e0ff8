//! Pieces of the rack in plans: the block that is proved is the blank that the piece gives; rehearsals keep to themselves.

use geom::DVec3;
use job::stocking::{bench, offer};
use job::{Decision, Laid, Proved, Rehearsal, Settled, StockDecision, plan, prove_plan};
use kernel::shape::{Shape, rounded_polygon};
use part::Part;
use reason::Severity;
use shop::Shop;
use stock::{Fit, Form, Lay, Piece, Range, Skin};

fn read(shape: &Shape) -> Part {
    Part::from_raw(&shape.read(&kernel::Meshing::default()).unwrap()).unwrap()
}

/// A pocket in a block of 40 × 30 × 10.
fn tray() -> Part {
    let c = [([8.0, 8.0], 4.0), ([32.0, 8.0], 4.0), ([32.0, 22.0], 4.0), ([8.0, 22.0], 4.0)];
    let hollow = Shape::prism(&rounded_polygon(&c), 5.0, 11.0).unwrap();
    read(&Shape::block([0.0; 3], [40.0, 30.0, 10.0]).unwrap().cut(&hollow).unwrap())
}

fn piece(name: &str, shape: Form, skin: Skin) -> Piece {
    Piece::new(name, "aluminium-6082", shape, skin)
}

fn flat(length: f64, width: f64, height: f64) -> Form {
    Form::Flat { length: Range::just(length), width, height }
}

#[test]
fn the_proposed_piece_is_planned_and_proved_as_it_is() {
    let shop = Shop::demo().unwrap();
    let part = tray();
    let rack = [
        piece("thin", flat(500.0, 32.0, 12.0), Skin::Drawn),
        piece("wide", flat(500.0, 60.0, 25.0), Skin::Rolled),
        piece("right", flat(500.0, 30.0, 20.0), Skin::Drawn),
    ];
    let laid = offer(&part, &shop, &Settled::default(), &rack).unwrap();
    assert_eq!(laid.piece.name, "right", "the bar of the part's own width stays uncut on its sides");
    let settled = Settled { offer: Some(Box::new(laid)), ..Default::default() };
    let p = plan(&part, "p", &shop, &settled).unwrap().plan;
    let size = p.scheme.stock.size();
    assert!((size.y - 30.0).abs() < 1e-9 && (size.z - 20.0).abs() < 1e-9 && (size.x - 44.0).abs() < 1e-9, "{size}");
    assert!((p.scheme.stock.max.z - part.bounds.max.z - 0.5).abs() < 1e-9, "half a millimetre to clean on top");
    let proof = prove_plan(&part, &p, &shop).unwrap();
    assert!(proof.passed() && proof.complete, "{:#?}", proof.findings);
    assert!(proof.gouge_mm < 0.005 && proof.leftover_mm < 0.02, "{} {}", proof.gouge_mm, proof.leftover_mm);
    let prepared = p.prepared.unwrap();
    assert_eq!(prepared.laying.serves, ["−Y and +Y as drawn"]);
    // An explicit wish for the rule wins over the proposal.
    let by_rule = Settled { stock: Some(StockDecision::Rule), ..settled };
    let p = plan(&part, "p", &shop, &by_rule).unwrap().plan;
    assert!(p.prepared.is_none() && p.scheme.stock.size().y > 31.0);
}

#[test]
fn a_sawn_block_is_planned_from_what_squaring_leaves() {
    let shop = Shop::demo().unwrap();
    let part = tray();
    let shape = Form::Block { length: Range::just(46.0), width: 38.0, height: 30.0 };
    let rack = [piece("auction", shape, Skin::Sawn)];
    let laid = offer(&part, &shop, &Settled::default(), &rack).unwrap();
    let p = plan(&part, "p", &shop, &Settled { offer: Some(Box::new(laid)), ..Default::default() }).unwrap().plan;
    let prepared = p.prepared.as_ref().unwrap();
    assert_eq!(prepared.laying.squaring.len(), 3, "what it rests on and what is gripped");
    // The block planned is the blank less one skim where it was squared.
    let blank = DVec3::from_array(prepared.laying.blank);
    let less = blank - p.scheme.stock.size();
    let mut skims: Vec<f64> = less.to_array().to_vec();
    skims.sort_by(f64::total_cmp);
    assert!(skims[0].abs() < 1e-9 && (skims[1] - 2.54).abs() < 1e-9 && (skims[2] - 5.08).abs() < 1e-9, "{skims:?}");
    let proof = prove_plan(&part, &p, &shop).unwrap();
    assert!(proof.passed() && proof.complete, "{:#?}", proof.findings);
}

/// Shifted and turned in the piece, the plan follows, and what is over lies where it was put.
#[test]
fn the_part_can_be_turned_and_shifted_in_its_piece() {
    let shop = Shop::demo().unwrap();
    let part = tray();
    let p = piece("big", flat(120.0, 50.0, 24.0), Skin::Rolled);
    let up = stock::ways().iter().position(|m| (*m * DVec3::Z).z > 0.9 && (*m * DVec3::X).y > 0.9).unwrap();
    let lay = Lay { way: up, angle_deg: 0.0, shift: [0.0, 2.0, 0.0] };
    let settled =
        Settled::after(&[Decision::Stock { choice: Some(StockDecision::Piece(Box::new(Laid { piece: p, lay }))) }]);
    let plan = plan(&part, "p", &shop, &settled).unwrap().plan;
    // The part's x lies across the bar: 50 − 40 is over, 2 mm more at its low end.
    let over = plan.prepared.as_ref().unwrap().laying.over;
    assert!((over[0][0] - 7.0).abs() < 1e-9 && (over[0][1] - 3.0).abs() < 1e-9, "{over:?}");
    assert!((part.bounds.min.x - plan.scheme.stock.min.x - 7.0).abs() < 1e-9);
    let proof = prove_plan(&part, &plan, &shop).unwrap();
    assert!(proof.passed() && proof.complete, "{:#?}", proof.findings);
}

/// A casting of uneven allowance: the first pass lies above its highest point, and until the lowest is cut no step is over 0.25 mm.
#[test]
fn a_casting_is_faced_in_small_steps_through_its_skin() {
    let shop = Shop::demo().unwrap();
    let part = tray();
    let size = part.bounds.size();
    // Its lowest place still leaves the hat that holds it.
    let allowance = Range { least: 6.0, most: 8.0 };
    let [length, width, height] = size.to_array().map(|s| s + 16.0);
    let shape = Form::Casting { length, width, height, allowance };
    let laid = offer(&part, &shop, &Settled::default(), &[piece("cast", shape, Skin::Cast)]);
    let laid = laid.expect("a casting of the part's own size is offered for it");
    let settled = Settled { offer: Some(Box::new(laid)), ..Default::default() };
    let p = plan(&part, "p", &shop, &settled).unwrap().plan;
    let top = p.scheme.stock.max.z;
    assert!((top - part.bounds.max.z - 8.0).abs() < 1e-9, "planned as high as it may be");
    for side in &p.sides {
        let face = side.operations.iter().find(|o| o.kind == route::OpKind::Face).unwrap();
        let mut levels: Vec<f64> = Vec::new();
        for m in &face.path.as_ref().unwrap().moves {
            if let path::motion::Move::Feed { to, .. } = m
                && levels.last().is_none_or(|z| *z > to.z + 1e-6)
            {
                levels.push(to.z);
            }
        }
        let steps: Vec<f64> = std::iter::once(face.top)
            .chain(levels.iter().copied())
            .collect::<Vec<_>>()
            .windows(2)
            .map(|w| w[0] - w[1])
            .collect();
        assert!(steps.len() >= 8 && steps[..7].iter().all(|s| *s <= 0.25 + 1e-9), "{steps:?}");
        assert!(face.cutter_why.iter().any(|t| t.meaning.contains("casting")));
    }
    let proof = prove_plan(&part, &p, &shop).unwrap();
    assert!(proof.passed() && proof.gouge_mm < 0.005, "{:#?}", proof.findings);
}

#[test]
fn what_the_plan_cannot_take_is_a_stop_and_not_a_silent_block() {
    let shop = Shop::demo().unwrap();
    let part = tray();
    let with = |p: Piece| {
        let way = stock::ways().iter().position(|m| (*m * DVec3::Z).x > 0.9).unwrap();
        let laid = Laid { piece: p, lay: Lay { way, ..Lay::default() } };
        let s = Settled { stock: Some(StockDecision::Piece(Box::new(laid))), ..Default::default() };
        plan(&part, "p", &shop, &s).unwrap().plan
    };
    for p in [
        piece("bar", Form::Round { length: Range::just(200.0), diameter: 60.0 }, Skin::Rolled),
        piece("small", flat(20.0, 20.0, 20.0), Skin::Rolled),
        Piece { material: "brass".into(), ..piece("brass", flat(200.0, 60.0, 60.0), Skin::Rolled) },
    ] {
        let found = with(p.clone()).findings;
        let kind = if p.material == "brass" { "stock_material" } else { "stock_not_planned" };
        assert!(found.iter().any(|f| f.kind == kind && f.severity == Severity::Stop), "{}: {found:#?}", p.name);
    }
}

#[test]
fn a_rehearsal_has_its_own_material_and_feeds_and_says_so() {
    let shop = Shop::demo().unwrap();
    let part = tray();
    let real = plan(&part, "p", &shop, &Settled::default()).unwrap().plan;
    let op = real.sides[0].operations.iter().find(|o| o.mill.is_some()).unwrap().id.clone();
    let mine = route::Override { rpm: Some(3210.0), ..Default::default() };
    let rehearsed = Rehearsal { material: "sheet-wood".into() };
    let list = vec![
        Decision::Operation { id: op, change: Some(mine) },
        Decision::Rehearsal { on: Some(rehearsed) },
        Decision::Rehearsed {
            id: "1".into(),
            proved: Some(Proved {
                text: "bearing drops in".into(),
                good: true,
                material: "sheet-wood".into(),
                when: "2026-11-26".into(),
            }),
        },
    ];
    let settled = Settled::after(&list);
    let p = plan(&part, "p", &shop, &settled).unwrap().plan;
    assert_eq!(p.material, "sheet-wood");
    assert_eq!(p.scheme.stock, real.scheme.stock, "the block is the real one's");
    for s in &p.sides {
        assert!(s.program.contains("REHEARSAL IN SHEET WOOD"), "{}", &s.program[..200]);
        assert!(!s.program.contains("S3210"), "a person's speed is for the real material");
    }
    assert!(p.findings.iter().any(|f| f.kind == "rehearsal"));
    assert_eq!(settled.rehearsed["1"].text, "bearing drops in");
    // Over, the person's speed stands again, and what was proved is kept.
    let over = Settled::after(list.iter().chain(&[Decision::Rehearsal { on: None }]));
    let p = plan(&part, "p", &shop, &over).unwrap().plan;
    assert!(
        p.sides[0].program.contains("S3210") && !p.sides[0].program.contains("REHEARSAL") && over.rehearsed.len() == 1
    );
}

#[test]
fn turned_parts_look_for_round_bar() {
    let shop = Shop::demo().unwrap();
    let body = Shape::cylinder([0.0; 3], [0.0, 0.0, 1.0], 12.0, 40.0).unwrap();
    let part = read(&body.fuse(&Shape::cylinder([0.0, 0.0, 40.0], [0.0, 0.0, 1.0], 8.0, 20.0).unwrap()).unwrap());
    let rack = [
        piece("flat", flat(300.0, 40.0, 40.0), Skin::Rolled),
        piece("round 24", Form::Round { length: Range::just(300.0), diameter: 24.0 }, Skin::Ground),
        piece("round 40", Form::Round { length: Range::just(300.0), diameter: 40.0 }, Skin::Rolled),
    ];
    let lathe = Shop { collet_blocks: vec![], ..shop.clone() };
    let b = bench(&part, &lathe, &Settled::default(), &rack, &[]).unwrap();
    assert!(reason::plain(&b.made).contains("turned about Z, largest Ø24"), "{}", b.made);
    let best = &b.candidates[0];
    assert_eq!((best.piece.name.as_str(), best.laying.fit), ("round 24", Fit::Fits));
    assert_eq!((b.ways.len(), b.others, b.stands.is_none()), (24, 0, true));
    let turned = best.laying.blank[2];
    // With a collet block it is milled from that bar, which is as much longer as the collet wants: the same as the plan takes.
    let b = bench(&part, &shop, &Settled::default(), &rack, &[]).unwrap();
    assert!(reason::plain(&b.made).contains("from a bar along Z, largest Ø24"), "{}", b.made);
    let best = &b.candidates[0];
    assert_eq!((best.piece.name.as_str(), best.laying.blank[2]), ("round 24", turned + 39.0 - 18.0));
    let laid = Laid { piece: best.piece.clone(), lay: best.laying.lay };
    let settled = Settled { stock: Some(StockDecision::Piece(Box::new(laid))), ..Settled::default() };
    let p = plan(&part, "p", &shop, &settled).unwrap().plan;
    let bar = p.scheme.bar.unwrap();
    assert!(matches!(bar.form, geom::BarForm::Round { diameter_mm } if (diameter_mm - 24.0).abs() < 1e-9), "{bar:?}");
    assert!(
        p.scheme.stock.size().z <= best.laying.blank[2] + 1e-6,
        "{} {:?}",
        p.scheme.stock.size(),
        best.laying.blank
    );
    // Too thick for any collet: said, and a block by the rule instead.
    let thick = b.candidates.iter().find(|c| c.piece.name == "round 40").unwrap();
    let laid = Laid { piece: thick.piece.clone(), lay: thick.laying.lay };
    let settled = Settled { stock: Some(StockDecision::Piece(Box::new(laid))), ..Settled::default() };
    let p = plan(&part, "p", &shop, &settled).unwrap().plan;
    let told = p.findings.iter().find(|f| f.kind == "stock_not_planned").unwrap();
    assert!(reason::plain(&told.what).contains("no collet of the shop takes round Ø40"), "{}", told.what);
}
