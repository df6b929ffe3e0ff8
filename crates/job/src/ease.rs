//! Feeds that give way where the stock, as it is cut, asks more of the spindle than the front of a pass promised: at corners, on ridges between passes. The text is cut as the
//! proof cuts it, and lines that ask too much are slowed; what is borne goes with its full feed. (Feeds scheduled by measured removal: Yazar, Koch, Merrick and Altan,
//! Int. J. Mach. Tools Manufact. 34 (1994), from memory, 60 %.)

use crate::cache::Desk;
use crate::error::JobError;
use crate::plan::{Plan, SidePlan};
use crate::proving::{keep, prove_plan_at, setups_of};
use part::Part;
use path::motion::Move;
use proof::Ease;
use reason::{Finding, Kind, Severity};
use route::Operation;
use shop::Shop;
use std::collections::BTreeMap;

/// Rounds: what is slowed stays longer in what it cuts, and may be told then where it was too short before.
const ROUNDS: usize = 3;
/// A plan none of whose cuts is meant to take this share of what the spindle bears asks nothing.
const NEAR: f64 = 0.5;
/// No feed falls below this share of itself.
const LEAST: f64 = 0.2;

/// Does a cut come near what the spindle bears?
fn comes_near(side: &SidePlan, shop: &Shop) -> bool {
    let m = &shop.machine;
    let mut paths = side.operations.iter().filter_map(|o| o.path.as_ref());
    paths.any(|p| {
        p.power_kw.is_some_and(|kw| {
            kw > NEAR * m.usable_kw(p.rpm) || cutting::formula::torque(kw, p.rpm) > NEAR * m.usable_nm(p.rpm)
        })
    })
}

/// Slow the moves of the lines; how many were, and the largest and least feeds that came of it, mm/min.
fn slow(op: &mut Operation, factors: &BTreeMap<usize, f64>) -> Option<(usize, [f64; 2])> {
    let moves = &mut op.path.as_mut()?.moves;
    let (mut n, mut least, mut was) = (0, f64::INFINITY, 0.0);
    for (&k, &factor) in factors {
        let Some(Move::Feed { feed, .. } | Move::Arc { feed, .. } | Move::Drill { feed, .. }) = moves.get_mut(k) else {
            continue;
        };
        let before = *feed;
        *feed *= factor.clamp(LEAST, 1.0);
        n += 1;
        if *feed < least {
            (least, was) = (*feed, before);
        }
    }
    (n > 0).then_some((n, [was, least]))
}

/// Factor by operation and move of a side.
type Factors = BTreeMap<usize, BTreeMap<usize, f64>>;

fn factors(side: &SidePlan, moves: &[(u32, usize, usize)], eases: &[Ease]) -> Factors {
    // Paths are posted of the operations that have one.
    let with_path: Vec<usize> = (0..side.operations.len()).filter(|&k| side.operations[k].path.is_some()).collect();
    let mut out = Factors::new();
    for e in eases {
        let Ok(k) = moves.binary_search_by_key(&e.line, |m| m.0) else { continue };
        let (_, path, n) = moves[k];
        let of = out.entry(with_path[path]).or_default().entry(n).or_insert(1.0);
        if e.factor < *of {
            *of = e.factor;
        }
    }
    out
}

fn told(side: &str, op: &Operation, n: usize, [was, least]: [f64; 2]) -> Finding {
    Finding::new(
        Kind::EasedFeed,
        Severity::Note,
        format!("{}: slower on {n} of its moves, {was:.0} → {least:.0} mm/min at most", op.title),
        "More is met there than along the rest, and the spindle would not bear it at full feed.",
    )
    .in_setup(side)
    .keyed(&op.id)
}

/// The plan with feeds that the spindle bears wherever they are the plan's own. `post` posts a side's operations again, with the lines of its moves.
///
/// # Errors
/// Those of the proof; stopped.
pub(crate) fn eased(
    part: &Part,
    mut plan: Plan,
    set_by_hand: impl Fn(&str) -> bool,
    shop: &Shop,
    desk: &Desk,
    post: impl Fn(&SidePlan) -> Result<crate::chain::PostedSide, JobError>,
) -> Result<Plan, JobError> {
    if !plan.sides.iter().any(|s| comes_near(s, shop)) || setups_of(&plan).is_err() {
        return Ok(plan);
    }
    for _ in 0..ROUNDS {
        let proof = prove_plan_at(part, &plan, shop, desk)?;
        if proof.eases.iter().all(Vec::is_empty) {
            keep(part, &plan, shop, proof);
            break;
        }
        let mut changed = false;
        for (side, eases) in
            plan.sides.iter_mut().zip(&proof.eases).filter(|(s, e)| s.edited.is_none() && !e.is_empty())
        {
            let (_, moves) = post(side)?;
            for (k, factors) in factors(side, &moves, eases) {
                let op = &mut side.operations[k];
                // What a person set stands; the proof says what comes of it.
                if set_by_hand(&op.id) {
                    continue;
                }
                if let Some((n, feeds)) = slow(op, &factors) {
                    let finding = told(&side.setup.name, op, n, feeds);
                    plan.findings.retain(|f| f.id != finding.id);
                    plan.findings.push(finding);
                    changed = true;
                }
            }
            let (posted, _) = post(side)?;
            (side.program, side.promises) = (posted.program, posted.promises);
        }
        if !changed {
            break;
        }
    }
    Ok(plan)
}
