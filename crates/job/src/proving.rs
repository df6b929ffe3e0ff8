//! From a plan's programs, read back from their text, to the proof.

use crate::Control;
use crate::beside;
use crate::cache::{Desk, StageKey, cached};
use crate::error::JobError;
use crate::plan::Plan;
use geom::{Box3, DVec3, Placement};
use part::Part;
use program::{Anchored, ReadSettings};
use proof::{Body, Ease, KeepOut, Limits, Nest, Proof, SetupInput, StepLoad, When, time::Motion};
use reason::{Finding, Kind, Severity};
use route::Point;
use serde::{Deserialize, Serialize};
use shop::Shop;
use shop::machine::Machine;
use shop::tool::Tool;
use std::collections::{BTreeMap, VecDeque};
use std::sync::{Mutex, MutexGuard, PoisonError};

/// A drill's point as the proof takes it.
pub(crate) fn drill_point(p: &Point) -> proof::DrillPoint {
    proof::DrillPoint { bottom: p.bottom_mm.into(), out: p.out.into(), radius: p.diameter_mm / 2.0, length: p.point_mm }
}

/// What the proof needs of a machine.
pub fn limits_of(m: &Machine) -> Limits {
    Limits {
        travel_min: m.travel_min_mm.into(),
        travel_max: m.travel_max_mm.into(),
        motion: Motion::of(m),
        ..Limits::default()
    }
}

/// The number of a further zero: 55 of "G55".
pub(crate) fn zero_number(name: &str) -> Option<u32> {
    name.strip_prefix('G')?.parse().ok().filter(|n| (55..=59).contains(n))
}

/// From which stop of a program to which, as the proof takes it.
pub(crate) fn when(stops: [u32; 2]) -> When {
    if stops == [0, holding::FOR_EVER] { When::Always } else { When::Stops(stops) }
}

/// A setup's text, read back. `zeros`: further ones by name, work coordinates.
pub fn setup_input(
    name: &str,
    file: &str,
    text: &str,
    part_from_work: Placement,
    zero: DVec3,
    tools: &[Tool],
    keep_out: Vec<KeepOut>,
    promises: Option<Anchored>,
    zeros: &BTreeMap<String, [f64; 3]>,
    control: &Control,
) -> Result<SetupInput, JobError> {
    let zeros = zeros.iter().filter_map(|(name, at)| Some((zero_number(name)?, DVec3::from_array(*at)))).collect();
    let program = program::read(text, &ReadSettings { zeros, ..control.settings(zero, tools) })
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
        sawn: None,
    })
}

/// Prove a plan from its programs' text. The plan's own findings are joined to the proof's.
pub fn prove_plan(part: &Part, plan: &Plan, shop: &Shop) -> Result<Proof, JobError> {
    prove_plan_at(part, plan, shop, &Desk::bare())
}

/// What a plan's proof hangs on, but for the part.
fn key_of(plan: &Plan, shop: &Shop, key: StageKey) -> StageKey {
    let mut key = key
        .with(&shop.machine)
        .with(&(plan.scheme.stock, plan.scheme.bar))
        .with(&plan.named)
        .with(&plan.points)
        .with(&plan.threads().collect::<Vec<_>>())
        .with(&plan.scheme.not_planned)
        .with(&shop.material(&plan.material).ok());
    for s in &plan.sides {
        key = key.with(&s.control).with(&s.program).with(&s.promises).with(&s.tools);
        let setup = &s.setup;
        key = key.with(&setup.name).with(&setup.part_from_work).with(&setup.zero_in_machine).with(&setup.hold.bodies());
        key = key.with(&setup.sawn);
    }
    for m in &plan.made {
        key = key.with(&m.plan.sides[0].program).with(&m.setup);
    }
    key
}

/// The last proofs that were made while a plan was, until they are asked for: (what they hang on, proof).
fn kept() -> MutexGuard<'static, VecDeque<(String, Proof)>> {
    static LAST: Mutex<VecDeque<(String, Proof)>> = Mutex::new(VecDeque::new());
    LAST.lock().unwrap_or_else(PoisonError::into_inner)
}

/// All that a proof hangs on, the part and the plan's own findings too.
fn made_of(part: &Part, plan: &Plan, shop: &Shop) -> String {
    let places: Vec<[f64; 3]> = part.mesh.points.iter().map(|p| p.to_array()).collect();
    let key = StageKey::new("proof made").with(&places).with(&part.mesh.triangles).with(&part.chord_error);
    key_of(plan, shop, key).with(&plan.findings).done()
}

/// A proof that was made while its plan was: whoever proves the plan next has it.
pub(crate) fn keep(part: &Part, plan: &Plan, shop: &Shop, proof: Proof) {
    const KEPT: usize = 4;
    let mut kept = kept();
    kept.truncate(KEPT - 1);
    kept.push_front((made_of(part, plan, shop), proof));
}

fn taken(part: &Part, plan: &Plan, shop: &Shop) -> Option<Proof> {
    if kept().is_empty() {
        return None;
    }
    let name = made_of(part, plan, shop);
    let mut kept = kept();
    let k = kept.iter().position(|k| k.0 == name)?;
    kept.remove(k).map(|k| k.1)
}

/// A proof as it is kept.
#[derive(Serialize, Deserialize)]
struct KeptProof {
    proof: Proof,
    loads: Vec<Vec<StepLoad>>,
    eases: Vec<Vec<Ease>>,
    promised: Vec<Vec<proof::Kept>>,
}

/// The plan's programs, read back from their text.
pub fn setups_of(plan: &Plan) -> Result<Vec<SetupInput>, JobError> {
    plan.sides
        .iter()
        .map(|s| {
            let solid = |b: &&holding::Body| b.layers.is_empty();
            let keep_out = s.setup.hold.bodies().iter().filter(solid);
            let keep_out = keep_out.map(|b| KeepOut {
                may_cut_mm: b.may_cut,
                sticks: b.sticks,
                clamps: b.clamps,
                when: when(b.stops),
                ..KeepOut::new(b.name.clone(), b.min, b.max)
            });
            let keep_out = keep_out.collect();
            let input = setup_input(
                &s.setup.name,
                &s.setup.name,
                &s.program,
                s.setup.part_from_work,
                s.setup.zero_in_machine,
                &s.tools,
                keep_out,
                Some(s.promises.clone()),
                &BTreeMap::new(),
                &s.control,
            )?;
            let made = plan.made.iter().filter(|m| m.setup == s.setup.name);
            let bodies = made.flat_map(|m| &m.bodies).chain(&s.solids).map(|b| Body {
                name: b.name.clone(),
                mesh: b.mesh.clone(),
                clamps: b.clamps,
                when: when(b.stops),
            });
            Ok(SetupInput { bodies: bodies.collect(), sawn: s.setup.sawn.map(|saw| saw.left), ..input })
        })
        .collect()
}

/// A thread as the proof takes it.
pub(crate) fn thread(setup: &str, name: &str, h: &route::FinishedHole) -> Option<proof::Thread> {
    Some(proof::Thread {
        name: name.into(),
        setup: setup.into(),
        mouth: h.mouth_mm.into(),
        out: h.out.into(),
        major: h.major_mm?,
        minor: h.minor_mm?,
        pitch: h.pitch_mm?,
        full: h.full_mm,
        reach: h.reach_mm,
        place: h.place,
    })
}

/// Jaws with the program that cuts them, as the proof of the setup that they hold takes them.
pub(crate) fn nest_of(setup: usize, j: &holding::SoftJaws, program: SetupInput) -> Nest {
    let [min, max] = j.block;
    Nest {
        setup,
        name: j.made.clone(),
        program,
        block: Box3 { min, max },
        gap: [j.split - j.spacer / 2.0, j.split + j.spacer / 2.0],
        heights: [j.seat, j.top],
        opens: holding::OPEN,
        planned: j.bears_mm2,
    }
}

/// What is not proved holds nothing.
pub(crate) fn made_not_proved(setup: &str, made: &str, proof: &Proof) -> Option<Finding> {
    let first = proof.findings.iter().find(|f| f.severity == Severity::Stop)?;
    Some(
        Finding::new(
            Kind::NotMade,
            Severity::Stop,
            format!("'{made}', which would hold it, is not proved: {}", first.what),
            "Open it and mend that first.",
        )
        .in_setup(setup)
        .keyed(format!("{made}/proof")),
    )
}

/// The proof of a plan's setups, or of what became of them, in a block.
pub(crate) fn judged_as(
    part: &Part,
    plan: &Plan,
    shop: &Shop,
    stock: geom::Box3,
    setups: &[SetupInput],
    nests: &[Nest],
    watch: &reason::Watch,
) -> Proof {
    let input = proof::Input {
        model: &part.mesh,
        chord_error: part.chord_error,
        stock,
        bar: plan.scheme.bar,
        setups,
        named: &plan.named,
        points: &plan.points.iter().map(drill_point).collect::<Vec<_>>(),
        threads: &plan.threads().filter_map(|(setup, name, h)| thread(setup, name, h)).collect::<Vec<_>>(),
        not_planned: &plan.scheme.not_planned.iter().map(|n| (n.name.clone(), n.up)).collect::<Vec<_>>(),
        nests,
        slants: &part::slants(part),
        standing: &beside::standing(part),
        machine: Some(&shop.machine),
        material: shop.material(&plan.material).ok(),
        limits: limits_of(&shop.machine),
    };
    proof::prove_watched(&input, watch)
}

/// Prove at a desk: kept, watched and stoppable like [`plan_at`].
pub fn prove_plan_at(part: &Part, plan: &Plan, shop: &Shop, desk: &Desk) -> Result<Proof, JobError> {
    if let Some(made) = taken(part, plan, shop) {
        return Ok(made);
    }
    let setups = setups_of(plan)?;
    let mut nests = Vec::new();
    let mut made = Vec::new();
    for m in &plan.made {
        let Some(k) = plan.sides.iter().position(|s| s.setup.name == m.setup) else { continue };
        if let (Some(jaws), Some(program)) = (plan.sides[k].setup.hold.jaws(), setups_of(&m.plan)?.pop()) {
            nests.push(nest_of(k, jaws, program));
        }
        let own = Desk { model: if desk.model.is_empty() { String::new() } else { m.model() }, ..*desk };
        made.push((m, prove_plan_at(&m.part, &m.plan, shop, &own)?));
    }
    let key = key_of(plan, shop, StageKey::new("proof").with(&desk.model));
    // Not kept: large, and only wanted beside the proof that was just made.
    let mut left = Vec::new();
    let kept = cached(desk, &key.done(), "proof", |watch| {
        let mut proof = judged_as(part, plan, shop, plan.scheme.stock, &setups, &nests, watch);
        left = std::mem::take(&mut proof.left);
        KeptProof { loads: proof.loads.clone(), eases: proof.eases.clone(), promised: proof.kept.clone(), proof }
    })?;
    let mut proof = Proof { loads: kept.loads, eases: kept.eases, kept: kept.promised, left, ..kept.proof };
    proof.findings.extend(made.iter().filter_map(|(m, p)| made_not_proved(&m.setup, &m.name, p)));
    proof.made = made.into_iter().map(|(m, p)| (m.name.clone(), p)).collect();
    proof.findings.extend(plan.findings.iter().cloned());
    proof.findings.sort_by(|a, b| b.severity.cmp(&a.severity).then_with(|| a.id.cmp(&b.id)));
    Ok(proof)
}
