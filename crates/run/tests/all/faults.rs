//! Checks that faults ask for, on the card.

use crate::plans::{block, card_of, planned};
use job::what_if::{Check, WhatIf};
use run::StepKind;
use shop::Shop;

fn row(setup: &str, fault: &str, gravity: u8, check: Check) -> WhatIf {
    WhatIf {
        fault: fault.into(),
        setup: Some(setup.into()),
        spoiled: "the part is cut 0.50 mm too deep".into(),
        gravity,
        shows_in: None,
        line: Some(40),
        minute: None,
        places: Vec::new(),
        caught_by: "a check".into(),
        check,
        proposed: gravity > 0,
    }
}

#[test]
fn proposed_checks_stand_where_they_still_help() {
    let c = planned(block(), Shop::demo().unwrap());
    let plain = card_of(&c);
    let mut card = plain.clone();
    let first = card.steps.iter().find(|s| s.kind == StepKind::FirstCut).unwrap();
    let label = &first.ways[0].outcomes[1].label;
    let proved: u32 = label.rsplit('T').next().unwrap().parse().unwrap();
    let rows = [
        row("side 1", "harmless", 0, Check::Indicator),
        row("side 1", "the piece lies askew", 1, Check::Indicator),
        row("side 1", "the piece lies askew the other way", 2, Check::Indicator),
        row("side 2", "the override stands high", 2, Check::Override),
        row("side 1", "the first one is longer", 2, Check::ShortCut { tool: proved }),
        row("side 2", "T99 is longer", 1, Check::ShortCut { tool: 99 }),
        WhatIf { setup: None, ..row("", "the block is larger", 1, Check::Block) },
    ];
    run::faults::onto(&mut card, &rows);
    let new: Vec<(String, StepKind, String)> = card
        .steps
        .iter()
        .zip(&plain.steps)
        .flat_map(|(now, was)| {
            assert_eq!(now.cautions[..was.cautions.len()], was.cautions, "what stood there stays");
            let new = now.cautions[was.cautions.len()..].iter();
            new.map(|w| (now.setup.clone(), now.kind, w.clone())).collect::<Vec<_>>()
        })
        .collect();
    // The worst of two that one check would catch; nothing harmless, nothing twice, not what the first cut proves anyhow.
    assert_eq!(new.len(), 3, "{new:?}");
    let has = |setup: &str, kinds: &[StepKind], fault: &str| {
        new.iter().any(|(s, k, w)| s == setup && kinds.contains(k) && w.contains(fault) && w.starts_with("A check. If"))
    };
    assert!(has("side 1", &[StepKind::Load], "askew the other way"), "{new:?}");
    assert!(has("side 2", &[StepKind::DryRun], "override"), "{new:?}");
    assert!(has("side 2", &[StepKind::FirstCut, StepKind::DryRun], "T99"), "{new:?}");
}
