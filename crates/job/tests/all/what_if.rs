//! Faults tried on a plan as it was worked out, in pieces; points of no return that lie in a program.

use job::cache::NoCache;
use job::proving::{limits_of, setups_of};
use job::sheet::{mark_no_return, strip};
use job::what_if::{Check, WhatIf, WhatIfs, of_plan};
use job::{Desk, JobError, Plan, Settled, plan, prove_plan};
use kernel::shape::{Shape, rounded_polygon};
use part::Part;
use proof::Proof;
use reason::Sure;
use shop::Shop;
use std::sync::atomic::AtomicBool;

/// A small block with a step that only the second side sees.
pub fn block() -> (Part, Plan, Proof, Shop) {
    let around = [([0.0, 0.0], 4.0), ([24.0, 0.0], 4.0), ([24.0, 16.0], 4.0), ([0.0, 16.0], 4.0)];
    let body = Shape::prism(&rounded_polygon(&around), 0.0, 8.0).unwrap();
    let step = |z: f64| Shape::block([15.0, -1.0, z], [30.0, 18.0, z + 6.0]).unwrap();
    let body = body.cut(&step(-3.0)).unwrap();
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("p.step");
    body.write_step(&file).unwrap();
    let part = Part::from_raw(&intake::read_trusted(&file).unwrap().raw).unwrap();
    let shop = Shop::demo().unwrap();
    let plan = plan(&part, "block", &shop, &Settled::default()).unwrap().plan;
    let proof = prove_plan(&part, &plan, &shop).unwrap();
    assert!(proof.passed() && proof.complete, "{:#?}", proof.findings);
    (part, plan, proof, shop)
}

/// What was tried is not tried again; what is broken off goes on where it was; each fault does what geometry says.
#[test]
fn faults_are_tried_in_pieces_and_say_what_they_spoil() {
    let (part, plan, _, shop) = block();
    let never = AtomicBool::new(false);
    let desk = Desk { model: String::new(), cache: &NoCache, stop: &never, heard: &|_, _| {} };
    let mut kept = WhatIfs::default();
    let broken_off = of_plan(&part, &plan, &shop, Vec::new(), &desk, &mut |now| {
        kept = now.clone();
        now.rows.len() < 7
    });
    assert!(matches!(broken_off, Err(JobError::Stopped)));
    assert!(kept.rows.len() == 7 && !kept.done && kept.of > 20);
    let mut least = usize::MAX;
    let all = of_plan(&part, &plan, &shop, kept.rows.clone(), &desk, &mut |now| {
        least = least.min(now.rows.len());
        true
    });
    let all = all.unwrap();
    assert!(least == 7 && all.done && all.rows.len() == all.of && all.rows[..7] == kept.rows);

    // Half a millimetre off in the second side is half a millimetre too deep, at a place on the part, on a line of that setup.
    let row = |setup: &str, words: &str| {
        let of = |r: &&WhatIf| r.setup.as_deref() == Some(setup) && reason::plain(&r.fault).starts_with(words);
        all.rows.iter().find(of).unwrap_or_else(|| panic!("{setup} {words}: {all:#?}"))
    };
    let off = row("side 2", "Z0 is off by -0.5");
    assert!(off.gravity == 1 && reason::plain(&off.spoiled).contains("0.50 mm too deep"), "{off:?}");
    assert!(off.check == Check::Touch { axis: 2 } && !off.places.is_empty() && off.line.is_some());
    let on_part = |p: &reason::Place| (0..3).all(|k| p.max_mm[k] >= -0.6 && p.min_mm[k] <= [24.6, 16.6, 8.6][k]);
    assert!(off.places.iter().all(on_part), "{:?}", off.places);
    // In the first side the part is cut out elsewhere, and all that follows goes with it: there is stock around. A block that lies turned is the same block.
    for words in ["X0 is off by +0.5", "Y0 is off by -0.5", "the piece is turned by half a turn"] {
        assert_eq!(row("side 1", words).gravity, 0, "{:?}", row("side 1", words));
    }
    // The second side faces the part to its height: a longer cutter spoils it by what it is longer.
    let facing = plan.sides[1].operations[0].tool;
    let long = row("side 2", &format!("T{facing} is 1 mm longer"));
    assert!(long.gravity > 0 && long.check == Check::ShortCut { tool: facing } && long.proposed, "{long:?}");
    // Rows that belong to another plan are not taken over.
    let mut other = kept.rows.clone();
    other[0].fault = "another".into();
    let mut from = usize::MAX;
    let refused = of_plan(&part, &plan, &shop, other, &desk, &mut |now| {
        from = from.min(now.rows.len());
        false
    });
    assert!(refused.is_err() && from == 0);

    // A plan that stops has nothing to compare with.
    let mut bad = plan.clone();
    bad.sides[0].program = bad.sides[0].program.replace(" M3", "");
    assert!(matches!(of_plan(&part, &bad, &shop, Vec::new(), &desk, &mut |_| true), Err(JobError::NotProved)));
}

/// The face that Z was touched on is gone when the facing is done, not before; each setup ends with the unclamping.
#[test]
fn points_of_no_return_are_found() {
    let (_, mut plan, proof, shop) = block();
    let mut strip = strip(&plan, &proof, &shop);
    let setups = setups_of(&plan).unwrap();
    let motion = limits_of(&shop.machine).motion;
    let histories = proof::histories(&plan.scheme.stock, None, &setups, &motion, 14_000.0);
    mark_no_return(&mut strip, &plan, &histories);
    // By itself the plan touches stop, jaw and parallels before it loads: nothing of that is cut away.
    for s in &strip.setups {
        let last = s.no_return.last().unwrap();
        assert!(last.at == s.seconds && last.words.starts_with("unclamped"), "{last:?}");
        assert!(s.no_return.iter().all(|n| !n.words.contains("cut away")), "{:?}", s.no_return);
    }
    // Were Z0 touched on the top of the block it would be gone with the facing, and not at its first cut; an end of the block stays in the hat, above the jaws.
    let block = plan.sides[0].setup.part_from_work.inverse().bounds(&plan.scheme.stock);
    let face = |at_mm: f64, above: bool| {
        Some(holding::Touched { at_mm, on: holding::TouchedOn::Face { above }, when: holding::TouchedWhen::Loaded })
    };
    let datum = &mut plan.sides[0].setup.datum;
    datum[2].touched = face(block.max.z, true);
    datum[0].touched = face(block.max.x, true);
    mark_no_return(&mut strip, &plan, &histories);
    let s = &strip.setups[0];
    let gone = s.no_return.iter().find(|n| n.words.contains("Z0")).unwrap_or_else(|| panic!("{:?}", s.no_return));
    let op = s.ops.iter().find(|o| gone.at > o.start && gone.at <= o.end + 1e-6).unwrap();
    assert!(op.word == "face" && op.lines[0] <= gone.line && gone.line <= op.lines[1], "{gone:?} {op:?}");
    assert!(gone.at > op.start + 0.2 * (op.end - op.start), "not at the first cut: {gone:?} {op:?}");
    let jaws = plan.sides[0].setup.hold.bodies().iter().map(|b| b.max.z).fold(0.0, Sure::at_least);
    let hat = plan.sides[0].operations.iter().map(|o| o.bottom).fold(block.max.z, Sure::at_most);
    assert_eq!(s.no_return.iter().any(|n| n.words.contains("X0")), hat < jaws + 1.0, "{hat} {jaws}: {:?}", s.no_return);
    // A face that nothing cuts stays.
    plan.sides[0].setup.datum[2].touched = face(block.min.z + 1.0, true);
    mark_no_return(&mut strip, &plan, &histories);
    assert!(strip.setups[0].no_return.iter().all(|n| !n.words.contains("Z0")), "{:?}", strip.setups[0].no_return);
}
