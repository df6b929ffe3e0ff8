//! Faults that are hidden are faults: what a person reads in a round would not pass the proof, and differs from the plan where the truth says.

use crate::what_if::block;
use job::cache::NoCache;
use job::trainer::{CardStep, Round, Said, Wrong, round};
use job::{Desk, JobError, Plan, prove_plan};
use program::{Posted, anchor, changes};
use reason::Severity;
use std::collections::BTreeSet;
use std::sync::atomic::{AtomicBool, Ordering};

/// The plan with what is read in a round in place of its own.
fn as_read(plan: &Plan, r: &Round) -> Plan {
    let mut other = plan.clone();
    let side = &mut other.sides[r.setup];
    let posted = Posted { text: side.program.clone(), promises: side.promises.promises.clone(), moves: Vec::new() };
    side.promises = anchor(&posted, &r.program);
    side.program.clone_from(&r.program);
    side.tools.clone_from(&r.tools);
    other
}

#[test]
fn every_round_hides_one_fault_that_the_proof_stops_or_none() {
    let (part, plan, own, shop) = block();
    let stop = AtomicBool::new(false);
    let desk = Desk { model: String::new(), cache: &NoCache, stop: &stop, heard: &|_, _| {} };
    let mut sorts = BTreeSet::new();
    for seed in 0..12 {
        let r = round(&part, &plan, &own, &shop, seed, &desk).unwrap();
        let t = &r.truth;
        sorts.insert(t.wrong);
        let side = &plan.sides[r.setup];
        let own_words = side.setup.datum.iter().map(|d| &d.touches);
        let words = r.datum.iter().map(|d| &d.touches);
        let other_zeros: Vec<usize> =
            own_words.zip(words).enumerate().filter(|(_, w)| w.0 != w.1).map(|w| w.0).collect();
        let changed = changes(&side.program, &r.program);
        let other_tools = side.tools.iter().zip(&r.tools).filter(|(a, b)| a != b).count();
        // One thing is wrong, and that.
        let card = (other_tools, other_zeros.len());
        match t.wrong {
            Wrong::Nothing => assert_eq!((changed.lines.len() + changed.gone as usize, card), (0, (0, 0))),
            Wrong::Cutter => {
                assert_eq!((changed.gone, card, t.step), (0, (1, 0), Some(CardStep::Cutters)), "{t:?}");
                assert!(t.was != t.is);
            }
            Wrong::Zero => {
                assert_eq!((changed.gone, card), (0, (0, 1)), "{t:?}");
                let step = [CardStep::ZeroX, CardStep::ZeroY, CardStep::ZeroZ][other_zeros[0]];
                assert_eq!(t.step, Some(step));
            }
            _ => {
                assert_eq!((card, t.step), ((0, 0), None));
                let [first, last] = t.lines.unwrap();
                assert!(first <= last && last as usize <= r.program.lines().count(), "{t:?}");
                assert!(changed.lines.iter().all(|l| (first..=last).contains(l)), "{t:?}: {changed:?}");
                assert!(changed.gone > 0 || !changed.lines.is_empty());
            }
        }
        assert_eq!(t.gravity > 0, t.wrong != Wrong::Nothing);
        // Read in earnest it does not pass.
        if !matches!(t.wrong, Wrong::Nothing | Wrong::Zero) {
            let proof = prove_plan(&part, &as_read(&plan, &r), &shop).unwrap();
            assert!(!proof.passed(), "seed {seed}: {t:?}");
            assert!(proof.findings.iter().any(|f| f.severity == Severity::Stop));
        }
        // The strip is that of the text: a line of it at every step.
        let lines = r.program.lines().count() as u32;
        assert!(!r.history.is_empty() && r.strip.seconds > 0.0 && r.strip.line.iter().all(|l| (1..=lines).contains(l)));
        let right = Said { wrong: t.wrong, line: t.lines.map(|l| l[1]), step: t.step };
        assert_eq!(t.marks(&right).points, 100);
    }
    assert!(sorts.len() >= 6, "{sorts:?}");
    assert!(sorts.contains(&Wrong::Nothing), "who always cries is not right: {sorts:?}");

    // The same seed is the same round; stopped it stops; what is not proved is refused.
    let again = |own| round(&part, &plan, own, &shop, 3, &desk);
    assert_eq!(again(&own).unwrap(), again(&own).unwrap());
    let mut spoiled = plan.clone();
    let rapid = spoiled.sides[0].program.replacen("G1 ", "G0 ", 40);
    assert_ne!(rapid, spoiled.sides[0].program);
    spoiled.sides[0].program = rapid;
    let not = prove_plan(&part, &spoiled, &shop).unwrap();
    assert!(matches!(again(&not), Err(JobError::NotProved)));
    stop.store(true, Ordering::Relaxed);
    assert!(matches!(again(&own), Err(JobError::Stopped)));
}
