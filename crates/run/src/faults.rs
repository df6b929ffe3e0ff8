//! Checks that faults at the machine ask for and that no step of a card makes: they are put where they still help.

use crate::card::{Card, StepKind};
use job::what_if::{Check, WhatIf};

/// Put the proposed checks onto a card. Of several faults that one check would catch, the worst is told.
pub fn onto(card: &mut Card, rows: &[WhatIf]) {
    let mut told: Vec<(&str, Check)> = Vec::new();
    let mut worst: Vec<&WhatIf> = rows.iter().filter(|r| r.proposed && r.gravity > 0).collect();
    worst.sort_by_key(|r| std::cmp::Reverse(r.gravity));
    for r in worst {
        let Some(setup) = r.setup.as_deref() else { continue };
        if told.contains(&(setup, r.check)) {
            continue;
        }
        told.push((setup, r.check));
        let mine = |s: &&mut crate::card::Step, kind: StepKind| s.setup == setup && s.kind == kind;
        let step = match r.check {
            Check::ShortCut { tool } => {
                // The first cutter's length has a step of its own.
                let proved = format!("length of T{tool}");
                let has = |s: &crate::card::Step| {
                    s.ways.iter().flat_map(|w| &w.outcomes).any(|o| o.label.to_lowercase() == proved.to_lowercase())
                };
                if card.steps.iter().any(|s| s.kind == StepKind::FirstCut && has(s)) {
                    continue;
                }
                let first = card.steps.iter().any(|s| s.setup == setup && s.kind == StepKind::FirstCut);
                let kind = if first { StepKind::FirstCut } else { StepKind::DryRun };
                card.steps.iter_mut().find(|s| mine(s, kind))
            }
            Check::Tap | Check::Indicator => card.steps.iter_mut().find(|s| mine(s, StepKind::Load)),
            _ => card.steps.iter_mut().find(|s| mine(s, StepKind::DryRun)),
        };
        let Some(step) = step else { continue };
        let mut words = r.caught_by.clone();
        if let Some(first) = words.get(..1) {
            words = first.to_uppercase() + &words[1..];
        }
        step.cautions.push(format!("{words}. If {}: {}", r.fault, lower(&r.spoiled)));
    }
}

/// A sentence in the middle of another: its first letter small, unless it is a name (T3, Ø8).
fn lower(words: &str) -> String {
    let mut c = words.chars();
    match (c.next(), c.clone().next()) {
        (Some(a), Some(b)) if a.is_uppercase() && (b.is_lowercase() || b == ' ') => a.to_lowercase().chain(c).collect(),
        _ => words.into(),
    }
}
