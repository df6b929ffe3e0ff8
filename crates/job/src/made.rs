//! Pieces that are made to hold a part: each a job of its own, with model, stock, program and proof.

use crate::cache::{Desk, StageKey};
use crate::chain::plan_single;
use crate::error::JobError;
use crate::plan::Plan;
use geom::{Box3, DVec2, Placement, Region, TriMesh};
use holding::{Making, Pocket, Setup};
use intake::{Carved, Hollow, Reading};
use part::Part;
use reason::{Finding, Kind, Severity};
use shop::Shop;
use std::collections::VecDeque;
use std::sync::{Mutex, PoisonError};

/// Edges around a nest are broken by this, mm.
const EDGE: f64 = 0.5;

/// A solid of a made piece as it stands when it holds.
#[derive(Debug, Clone)]
pub struct MadeBody {
    /// Name of the body that it is: "fixed soft jaw".
    pub name: String,
    /// Its file in the piece's folder.
    pub file: String,
    /// STEP.
    pub step: Vec<u8>,
    /// From the file's coordinates to the work coordinates of the setup that it holds.
    pub work_from_model: Placement,
    /// Work coordinates of the setup that it holds.
    pub mesh: TriMesh,
    /// It presses on what lies under it.
    pub clamps: bool,
    /// It stands there from this stop of the program on, until that one.
    pub stops: [u32; 2],
}

/// A piece that is made to hold a part.
#[derive(Debug, Clone)]
pub struct Made {
    /// Its folder's name: "jaws-side-2".
    pub name: String,
    /// "Soft jaws for side 2 of dome-cap".
    pub title: String,
    /// The setup that it holds.
    pub setup: String,
    /// The piece.
    pub part: Part,
    /// Its model as STEP.
    pub step: Vec<u8>,
    /// Its solids when it holds.
    pub bodies: Vec<MadeBody>,
    /// What is cut into it, from above, mm.
    pub pockets: Vec<Pocket>,
    /// How it is made.
    pub plan: Plan,
}

impl Made {
    /// Its outlines from above as DXF, a layer for each kind of pocket.
    pub fn outline(&self) -> Result<Vec<u8>, String> {
        let layers: Vec<(&str, &[Vec<DVec2>])> =
            self.pockets.iter().map(|p| (p.name.as_str(), p.outlines.as_slice())).collect();
        intake::write_outlines(&layers)
    }
    /// Its model, as stages are kept under it.
    pub(crate) fn model(&self) -> String {
        StageKey::new("jaws").with(&self.step).done()
    }
}

fn hollows(pockets: &[Pocket]) -> Vec<Hollow<'_>> {
    pockets
        .iter()
        .map(|p| Hollow { outlines: &p.outlines, floor: p.floor, islands: &p.islands, islands_to: p.islands_to })
        .collect()
}

/// The top edges around the nest, if they lie wholly inside the jaws.
fn edges(c: &holding::Carved) -> Option<(f64, Box3)> {
    let nest = c.pockets.iter().find(|p| p.name == "nest")?;
    let b = Box3::of(nest.outlines.iter().flatten().map(|p| p.extend(c.block.max.z)));
    let inside = (0..2).all(|k| b.min[k] > c.block.min[k] + 2.0 && b.max[k] < c.block.max[k] - 2.0);
    inside.then(|| (EDGE, b.grown(0.01)))
}

/// Model, plan and bodies of what is made to hold a setup; the inner error says why it cannot be modelled.
pub(crate) fn made(
    making: Making,
    title: &str,
    setup: &str,
    shop: &Shop,
    control: &crate::Control,
    desk: &Desk,
) -> Result<Result<Made, String>, JobError> {
    desk.tell("what is made to hold it", 0.0)?;
    let whole = making.carved();
    let carved = match intake::carve(&whole.block, &hollows(&whole.pockets), edges(&whole)) {
        Ok(c) => c,
        Err(why) => return Ok(Err(why)),
    };
    let mut bodies = Vec::new();
    for (name, solid) in making.solids() {
        let c = match intake::carve(&solid.block, &hollows(&solid.pockets), None) {
            Ok(c) => c,
            Err(why) => return Ok(Err(why)),
        };
        bodies.push(body(name, c, Placement::IDENTITY)?);
    }
    let part = Part::from_model(&carved.model, &Reading::default())?;
    let material = shop.material(making.material())?;
    let title = format!("{} for {setup} of {title}", making.what());
    let kept = !desk.model.is_empty();
    let model = if kept { StageKey::new("jaws").with(&carved.step).done() } else { String::new() };
    let desk = Desk { model, cache: desk.cache, stop: desk.stop, heard: desk.heard };
    let plan = plan_single(&part, &title, shop, material, making, making.own_setup(shop), control, &desk)?;
    Ok(Ok(Made {
        name: making.name().into(),
        title,
        setup: setup.into(),
        part,
        step: carved.step,
        bodies,
        pockets: whole.pockets,
        plan,
    }))
}

fn body(name: &str, c: Carved, work_from_model: Placement) -> Result<MadeBody, JobError> {
    let mesh = Part::from_model(&c.model, &Reading::default())?.mesh;
    let mesh = if work_from_model == Placement::IDENTITY { mesh } else { mesh.placed(&work_from_model) };
    let plain: String = name.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
    let file = format!("{}.step", plain.trim_matches('-'));
    let stops = [0, holding::FOR_EVER];
    Ok(MadeBody { name: name.into(), file, step: c.step, work_from_model, mesh, clamps: false, stops })
}

/// What holds a setup and is no box, as solids: chuck jaws, pins, heads of screws. Pieces that are made have theirs of their own. The inner error says why they
/// cannot be modelled.
pub(crate) fn solids(setup: &Setup) -> Result<Result<Vec<MadeBody>, String>, JobError> {
    let own: Vec<&str> = setup.hold.makes().iter().flat_map(|m| m.solids()).map(|(name, _)| name).collect();
    let there = setup.hold.bodies().iter().filter(|b| !own.contains(&b.name.as_str()));
    modelled(&there.cloned().collect::<Vec<_>>())
}

/// Bodies in layers as solids.
pub(crate) fn modelled(bodies: &[holding::Body]) -> Result<Result<Vec<MadeBody>, String>, JobError> {
    let mut out = Vec::new();
    for b in bodies.iter().filter(|b| !b.layers.is_empty()) {
        let lies = b.lies.unwrap_or(Placement::IDENTITY);
        let block = lies.inverse().bounds(&Box3 { min: b.min, max: b.max });
        let whole = Region::rect(block.min.truncate() - DVec2::ONE, block.max.truncate() + DVec2::ONE);
        // From below up each section is what the one above may not be wider than.
        let around: Vec<(Vec<Vec<DVec2>>, f64)> =
            (b.layers.iter()).map(|(z0, _, l)| (whole.minus(&Region::from_oriented(l)).loops(), *z0)).collect();
        let hollows: Vec<Hollow> = (around.iter())
            .map(|(outlines, floor)| {
                let floor = if *floor <= block.min.z + 1e-9 { floor - 1.0 } else { *floor };
                Hollow { outlines, floor, islands: &[], islands_to: floor }
            })
            .collect();
        let c = match carved_once(&block, &b.layers, || intake::carve(&block, &hollows, None)) {
            Ok(c) => c,
            Err(why) => return Ok(Err(format!("{}: {why}", b.name))),
        };
        out.push(MadeBody { clamps: b.clamps, stops: b.stops, ..body(&b.name, c, lies)? });
    }
    Ok(Ok(out))
}

/// What holds several setups is the same solid in each, and a modeller takes its time: the last ones are kept.
fn carved_once(
    block: &Box3,
    layers: &[holding::Layer],
    carve: impl FnOnce() -> Result<Carved, String>,
) -> Result<Carved, String> {
    static LAST: Mutex<VecDeque<(String, Carved)>> = Mutex::new(VecDeque::new());
    const KEPT: usize = 32;
    let key = StageKey::new("solid").with(block).with(&layers).done();
    let kept = || LAST.lock().unwrap_or_else(PoisonError::into_inner);
    if let Some((_, c)) = kept().iter().find(|(k, _)| *k == key) {
        return Ok(c.clone());
    }
    let c = carve()?;
    let mut kept = kept();
    kept.truncate(KEPT - 1);
    kept.push_front((key, c.clone()));
    Ok(c)
}

/// What cannot be made holds nothing.
pub(crate) fn not_made(setup: &str, made: &str, why: &str) -> Finding {
    Finding::new(
        Kind::NotMade,
        Severity::Stop,
        format!("{made} has no model: {why}"),
        "Choose another way of holding, or another way up; and report it with the part's file.",
    )
    .in_setup(setup)
    .keyed(made)
}
