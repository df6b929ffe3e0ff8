//! From a plan's programs, read back from their text, to the proof.

use crate::beside;
use crate::cache::{Desk, StageKey, cached};
use crate::chain::{JobError, Plan};
use geom::{DVec3, Placement};
use part::Part;
use program::{Anchored, ReadSettings};
use proof::{KeepOut, Limits, Proof, SetupInput, StepLoad, time::Motion};
use route::Point;
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::machine::Machine;
use shop::tool::Tool;

/// A drill's point as the proof takes it.
pub(crate) fn drill_point(p: &Point) -> proof::DrillPoint {
    proof::DrillPoint { bottom: p.bottom_mm.into(), out: p.out.into(), radius: p.diameter_mm / 2.0, length: p.point_mm }
}

/// What the proof needs of a machine.
pub fn limits_of(m: &Machine) -> Limits {
    Limits {
        travel_min: m.travel_min_mm.into(),
        travel_max: m.travel_max_mm.into(),
        motion: Motion {
            rapid_mm_min: m.rapid_mm_min,
            acceleration_mm_s2: m.acceleration_mm_s2,
            junction_mm: m.junction_mm,
            block_s: m.block_s,
            tool_change_min: m.tool_change_min,
        },
        ..Limits::default()
    }
}

/// A setup's text, read back.
pub fn setup_input(
    name: &str,
    file: &str,
    text: &str,
    part_from_work: Placement,
    zero: DVec3,
    tools: &[Tool],
    keep_out: Vec<KeepOut>,
    promises: Option<Anchored>,
) -> Result<SetupInput, JobError> {
    let program = program::read(text, &ReadSettings { zero_in_machine: zero, ..Default::default() })
        .map_err(|error| JobError::Program { program: file.into(), error })?;
    Ok(SetupInput {
        name: name.into(),
        program,
        part_from_work,
        zero_in_machine: zero,
        tools: tools.to_vec(),
        keep_out,
        bodies: Vec::new(),
        promises,
    })
}

/// Prove a plan from its programs' text. The plan's own findings are joined to the proof's.
pub fn prove_plan(part: &Part, plan: &Plan, shop: &Shop) -> Result<Proof, JobError> {
    prove_plan_at(part, plan, shop, &Desk::bare())
}

/// A proof as it is kept.
#[derive(Serialize, Deserialize)]
struct KeptProof {
    proof: Proof,
    loads: Vec<Vec<StepLoad>>,
    promised: Vec<Vec<proof::Kept>>,
}

/// The plan's programs, read back from their text.
pub fn setups_of(plan: &Plan) -> Result<Vec<SetupInput>, JobError> {
    plan.sides
        .iter()
        .map(|s| {
            let keep_out = s
                .setup
                .hold
                .bodies()
                .iter()
                .map(|b| KeepOut { name: b.name.clone(), min: b.min, max: b.max })
                .collect();
            setup_input(
                &s.setup.name,
                &s.setup.name,
                &s.program,
                s.setup.part_from_work,
                s.setup.zero_in_machine,
                &s.tools,
                keep_out,
                Some(s.promises.clone()),
            )
        })
        .collect()
}

/// Prove at a desk: kept, watched and stoppable like [`plan_at`].
pub fn prove_plan_at(part: &Part, plan: &Plan, shop: &Shop, desk: &Desk) -> Result<Proof, JobError> {
    let setups = setups_of(plan)?;
    let mut key = StageKey::new("proof")
        .with(&desk.model)
        .with(&shop.machine)
        .with(&plan.scheme.stock)
        .with(&plan.named)
        .with(&plan.points)
        .with(&plan.scheme.not_planned);
    key = key.with(&shop.material(&plan.material).ok());
    for s in &plan.sides {
        key = key.with(&s.program).with(&s.promises).with(&s.tools);
        let setup = &s.setup;
        key = key.with(&setup.name).with(&setup.part_from_work).with(&setup.zero_in_machine).with(&setup.hold.bodies());
    }
    let input = proof::Input {
        model: &part.mesh,
        chord_error: part.chord_error,
        stock: plan.scheme.stock,
        setups: &setups,
        named: &plan.named,
        points: &plan.points.iter().map(drill_point).collect::<Vec<_>>(),
        not_planned: &plan.scheme.not_planned.iter().map(|n| (n.name.clone(), n.up)).collect::<Vec<_>>(),
        slants: &part::slants(part),
        standing: &beside::standing(part),
        machine: Some(&shop.machine),
        material: shop.material(&plan.material).ok(),
        limits: limits_of(&shop.machine),
    };
    // Not kept: large, and only wanted beside the proof that was just made.
    let mut left = Vec::new();
    let kept = cached(desk, &key.done(), "proof", |watch| {
        let mut proof = proof::prove_watched(&input, watch);
        left = std::mem::take(&mut proof.left);
        KeptProof { loads: proof.loads.clone(), promised: proof.kept.clone(), proof }
    })?;
    let mut proof = Proof { loads: kept.loads, kept: kept.promised, left, ..kept.proof };
    proof.findings.extend(plan.findings.iter().cloned());
    proof.findings.sort_by(|a, b| b.severity.cmp(&a.severity).then_with(|| a.id.cmp(&b.id)));
    Ok(proof)
}
