//! A plan as a folder of files: the programs, `plan.json`, `proof.json` and the model, so that the folder stands alone.

use crate::error::JobError;
use crate::plan::Plan;
use crate::proving::{limits_of, setup_input};
use geom::{Bar, Box3, DVec3, Placement};
use part::Part;
use program::{Anchored, Posted, Promise, anchor};
use proof::{Body, KeepOut, Proof, When};
use reason::{Finding, Kind, Severity, Sources};
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use shop::Shop;
use shop::machine::Machine;
use shop::tool::{Tool, ToolKind};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// Folder of the programs as they were posted: an edited one is compared with them.
const POSTED: &str = "posted";
/// Folder of the pieces that are made to hold the part, each with the same files.
const MADE: &str = "made";
/// Folder of the solids that hold a setup and are not made for it: chuck jaws.
const HOLD: &str = "hold";
/// Their model.
const MODEL: &str = "model.step";

/// `plan.json`. Lengths mm; frames as named.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PlanFile {
    /// The model.
    pub part: PartRef,
    /// Material id.
    #[serde(default)]
    pub material: String,
    /// Block in part coordinates.
    pub stock: StockBox,
    /// The stock is a bar: what of that box lies in it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bar: Option<Bar>,
    /// Setups in order.
    pub setups: Vec<SetupFile>,
    /// The machine; the demo shop's where it is missing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub machine: Option<Machine>,
    /// What the plan leaves uncut, by name.
    #[serde(default)]
    pub named: Vec<Finding>,
    /// Points of drills below bottoms that are drawn flat: allowed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub points: Vec<route::Point>,
    /// Threads that the programs cut into holes of the model.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub threads: Vec<ThreadFile>,
    /// Setups that would be needed and cannot be held: no program is made for them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub not_planned: Vec<holding::NotPlanned>,
    /// What else there is to know of the plan.
    #[serde(default)]
    pub findings: Vec<Finding>,
    /// Ways of holding that were compared, the best first.
    #[serde(default)]
    pub compared: Vec<String>,
    /// What crosses a flip: how far it may be off, and what is allowed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub crossings: Vec<crate::budget::Crossing>,
    /// Ways of holding that were looked at for each side after the first, with the reason why not.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub offers: Vec<holding::Offer>,
    /// Whole ways of making the part: what each takes and what speaks against it, the one to take first.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub schemes: Option<crate::Comparison>,
}

/// A thread that a program cuts: the model shows its hole. Lengths mm, part coordinates.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ThreadFile {
    /// Box around all that its tool cuts.
    pub place: StockBox,
    /// Core of the nut thread.
    pub minor_mm: f64,
    /// Outside.
    pub major_mm: f64,
    /// Pitch.
    pub pitch_mm: f64,
    /// "M8".
    #[serde(default)]
    pub name: String,
    /// Setup whose program cuts it; any where it is empty.
    #[serde(default)]
    pub setup: String,
    /// Middle of its mouth, and the direction out of it; without them an axis of the box as long as no other.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub axis: Option<[[f64; 3]; 2]>,
    /// From the mouth to the end of the full thread; all of the box where it is missing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub full_mm: Option<f64>,
    /// From the mouth to the lowest place of what cuts it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub reach_mm: Option<f64>,
}

impl ThreadFile {
    fn of(setup: &str, name: &str, h: &route::FinishedHole) -> Option<ThreadFile> {
        Some(ThreadFile {
            place: StockBox { min_mm: h.place.min_mm, max_mm: h.place.max_mm },
            minor_mm: h.minor_mm?,
            major_mm: h.major_mm?,
            pitch_mm: h.pitch_mm?,
            name: name.into(),
            setup: setup.into(),
            axis: Some([h.mouth_mm, h.out]),
            full_mm: Some(h.full_mm),
            reach_mm: Some(h.reach_mm),
        })
    }
    fn fault(&self) -> Option<String> {
        let sizes = [self.minor_mm, self.major_mm, self.pitch_mm];
        let sound = sizes.iter().all(|v| v.is_finite() && *v > 0.0 && *v < 1000.0) && self.minor_mm < self.major_mm;
        let axis = self.axis.is_none_or(|[at, out]| {
            at.iter().chain(&out).all(|v| v.is_finite()) && (DVec3::from_array(out).length() - 1.0).abs() < 1e-3
        });
        let deep = [self.full_mm, self.reach_mm].into_iter().flatten().all(|v| v.is_finite() && v > 0.0);
        (!(sound && axis && deep && self.place.has_size())).then(|| {
            format!("the thread '{}' has no size: minor_mm < major_mm, pitch_mm, place, axis and depths are lengths above 0", self.name)
        })
    }
    fn as_thread(&self) -> proof::Thread {
        let b = self.place.as_box();
        let size = b.size();
        let [mouth, out] = self.axis.map_or_else(
            || {
                let off = |k: usize| (size[k] - self.major_mm).abs();
                let axis = (0..3).max_by(|&i, &j| off(i).total_cmp(&off(j))).unwrap_or(2);
                let mut out = DVec3::ZERO;
                out[axis] = 1.0;
                let mut mouth = b.middle();
                mouth[axis] = b.max[axis];
                [mouth, out]
            },
            |a| a.map(DVec3::from_array),
        );
        let length = size.dot(out.abs());
        proof::Thread {
            name: self.name.clone(),
            setup: self.setup.clone(),
            mouth,
            out,
            major: self.major_mm,
            minor: self.minor_mm,
            pitch: self.pitch_mm,
            full: self.full_mm.unwrap_or(length),
            reach: self.reach_mm.unwrap_or(length),
            place: reason::Place::new(b.min, b.max),
        }
    }
}

/// The model's file.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PartRef {
    /// Beside `plan.json`, or a path.
    pub file: String,
    /// What was said about its reading: unit, solid, thickness of a drawn plate.
    #[serde(default)]
    pub reading: intake::Reading,
    /// Of the file's bytes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sha256: Option<String>,
}

/// A box.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct StockBox {
    /// Least corner.
    pub min_mm: [f64; 3],
    /// Largest corner.
    pub max_mm: [f64; 3],
}

impl StockBox {
    fn of(b: &Box3) -> StockBox {
        StockBox { min_mm: b.min.to_array(), max_mm: b.max.to_array() }
    }
    fn as_box(&self) -> Box3 {
        Box3 { min: self.min_mm.into(), max: self.max_mm.into() }
    }
    fn has_size(&self) -> bool {
        let (a, b) = (self.min_mm, self.max_mm);
        (0..3).all(|k| a[k].is_finite() && b[k].is_finite() && b[k] > a[k] && b[k] - a[k] < 5000.0)
    }
}

/// A cutter, and how it looks where its sizes do not say it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ToolFile {
    /// Its sizes.
    #[serde(flatten)]
    pub tool: Tool,
    /// Outline from the tip up to the end of its teeth, height and radius, of a spot drill, tap, reamer, thread mill; for readers of the file,
    /// it follows from the sizes.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub profile_mm: Vec<[f64; 2]>,
}

impl ToolFile {
    fn of(tool: &Tool) -> ToolFile {
        let own = matches!(tool.kind, ToolKind::Spot | ToolKind::Tap | ToolKind::Reamer | ToolKind::ThreadMill);
        ToolFile { profile_mm: if own { tool.profile() } else { Vec::new() }, tool: tool.clone() }
    }
}

/// A setup.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct SetupFile {
    /// Name.
    pub name: String,
    /// File of its program.
    pub program: String,
    /// Row by row, column vectors, shift in elements 4, 8, 12.
    pub part_from_work: [f64; 16],
    /// Work zero in machine coordinates.
    pub zero_in_machine_mm: [f64; 3],
    /// Further zeros, "G55" to "G59": where they stand in this setup's work coordinates.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub zeros: BTreeMap<String, [f64; 3]>,
    /// Sawn off before it: of the stock only what lies in this box is left, part coordinates.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sawn: Option<StockBox>,
    /// Tools.
    pub tools: Vec<ToolFile>,
    /// What nothing may enter.
    #[serde(default)]
    pub keep_out: Vec<KeepOutFile>,
    /// What its place may be off by, along its axes.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub error: Vec<AxisError>,
    /// Id of the station that it is cut on.
    #[serde(default)]
    pub station: String,
    /// How it is held.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hold: Option<holding::Hold>,
    /// What the zero touches.
    #[serde(default)]
    pub zero: Vec<holding::Datum>,
    /// Operations with their reasons.
    #[serde(default)]
    pub operations: serde_json::Value,
    /// What the lines of the program promise; the text that they were made for lies in `posted/`. None: no promises were given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub posted: Option<Vec<Promise>>,
}

/// What a setup's place may be off by along one axis.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct AxisError {
    /// "X".
    pub axis: String,
    /// All terms in one direction, mm.
    pub worst_mm: f64,
    /// Root of the sum of their squares, mm.
    pub likely_mm: f64,
}

/// Something named that nothing may enter: a box, or a solid.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum KeepOutFile {
    /// A box in work coordinates.
    Box {
        /// Name.
        name: String,
        /// Least corner.
        min_mm: [f64; 3],
        /// Largest corner.
        max_mm: [f64; 3],
        /// So deep a cutting cutter may go into its top, mm.
        #[serde(default, skip_serializing_if = "is_nothing")]
        may_cut_mm: f64,
        /// What lies on it sticks to it.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        sticks: bool,
        /// How and when it stands there.
        #[serde(flatten)]
        stands: Stands,
    },
    /// A solid from a model's file.
    Model {
        /// Name.
        name: String,
        /// In the folder: `made/NAME/model.step`.
        model: String,
        /// Row by row, column vectors, shift in elements 4, 8, 12.
        work_from_model: [f64; 16],
        /// How and when it stands there.
        #[serde(flatten)]
        stands: Stands,
    },
}

/// How and when something stands that holds a piece; with nothing said, all the time.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Stands {
    /// It presses on what lies under it: that does not come loose.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    clamps: bool,
    /// From this stop (M0) of the program on, until that one if there is a second number: `[0, 1]` up to the first stop, `[1]` after it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    stops: Vec<u32>,
    /// The same by the lines of the program as it was posted, first and last. Where both are given the stops say more: they move with an edited text.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    lines: Option<[u32; 2]>,
}

impl Stands {
    /// Of a body, with the lines of its program's stops and the program's last line.
    fn of(clamps: bool, [from, to]: [u32; 2], at: &[u32], last: u32) -> Stands {
        if [from, to] == [0, holding::FOR_EVER] {
            return Stands { clamps, ..Stands::default() };
        }
        let line = |stop: u32| stop.checked_sub(1).and_then(|k| at.get(k as usize)).copied();
        let until = if to == holding::FOR_EVER { last } else { line(to).unwrap_or(last) };
        let stops = if to == holding::FOR_EVER { vec![from] } else { vec![from, to] };
        Stands { clamps, stops, lines: Some([line(from).map_or(1, |l| l + 1), until]) }
    }
    fn when(&self) -> When {
        match (&self.stops[..], self.lines) {
            ([from], _) => When::Stops([*from, holding::FOR_EVER]),
            ([from, to], _) => When::Stops([*from, *to]),
            (_, Some(lines)) => When::Lines(lines),
            _ => When::Always,
        }
    }
    fn is_wrong(&self) -> bool {
        let turned = |v: &[u32]| matches!(v, [a, b] if b < a);
        self.stops.len() > 2 || turned(&self.stops) || self.lines.is_some_and(|l| turned(&l))
    }
}

// What skips a field is asked by reference.
#[expect(clippy::trivially_copy_pass_by_ref)]
fn is_nothing(v: &f64) -> bool {
    *v == 0.0
}

impl KeepOutFile {
    /// What is wrong with it.
    fn fault(&self) -> Option<String> {
        let (KeepOutFile::Box { name, stands, .. } | KeepOutFile::Model { name, stands, .. }) = self;
        if stands.is_wrong() {
            return Some(format!("keep_out '{name}' stands from a stop or line to one before it"));
        }
        match self {
            KeepOutFile::Box { name, may_cut_mm, .. } if !(0.0..1000.0).contains(may_cut_mm) => {
                Some(format!("may_cut_mm of the keep_out box '{name}' is no depth"))
            }
            KeepOutFile::Box { name, min_mm: a, max_mm: b, .. } => {
                let no_size = (0..3).any(|i| !a[i].is_finite() || !b[i].is_finite() || b[i] < a[i]);
                no_size.then(|| format!("the keep_out box '{name}' has no size"))
            }
            KeepOutFile::Model { name, model, work_from_model, .. } => {
                let inside = Path::new(model).components().all(|c| matches!(c, std::path::Component::Normal(_)));
                if !inside || model.is_empty() {
                    Some(format!("the model of keep_out '{name}' must lie in the plan's folder"))
                } else {
                    let rigid = Placement::from_rows(work_from_model).is_some();
                    (!rigid).then(|| format!("work_from_model of keep_out '{name}' is no right-handed rotation"))
                }
            }
        }
    }
}

/// A folder could not be written or read.
#[derive(Debug, thiserror::Error)]
pub enum FileError {
    /// The system refused.
    #[error("{path}: {why}")]
    Io {
        /// Where.
        path: String,
        /// Why.
        why: std::io::Error,
    },
    /// What the person gave is wrong.
    #[error("{0}")]
    Refused(String),
    /// From the job.
    #[error(transparent)]
    Job(#[from] JobError),
}

fn io(path: &Path) -> impl FnOnce(std::io::Error) -> FileError + '_ {
    move |why| FileError::Io { path: path.display().to_string(), why }
}

/// Write a plan and its proof into a folder, which may exist. Returns the files written.
pub fn write(
    dir: &Path,
    model: &Path,
    reading: &intake::Reading,
    plan: &Plan,
    proof: &Proof,
    shop: &Shop,
    schemes: Option<crate::Comparison>,
) -> Result<Vec<PathBuf>, FileError> {
    let bytes = std::fs::read(model).map_err(io(model))?;
    let file = model.file_name().map_or_else(|| "part.step".into(), |n| n.to_string_lossy().into_owned());
    let mut written = write_folder(dir, &stem_of(model), &file, &bytes, reading, plan, proof, shop, schemes)?;
    for m in &plan.made {
        let Some((_, own)) = proof.made.iter().find(|(name, _)| *name == m.name) else { continue };
        let dir = dir.join(MADE).join(&m.name);
        let read = intake::Reading::default();
        written.extend(write_folder(&dir, &m.name, MODEL, &m.step, &read, &m.plan, own, shop, None)?);
        for b in &m.bodies {
            let path = dir.join(&b.file);
            std::fs::write(&path, &b.step).map_err(io(&path))?;
            written.push(path);
        }
        let path = dir.join("outline.dxf");
        std::fs::write(&path, m.outline().map_err(FileError::Refused)?).map_err(io(&path))?;
        written.push(path);
    }
    let path = dir.join(SHOP);
    let book = serde_json::to_vec_pretty(shop).map_err(|e| FileError::Refused(e.to_string()))?;
    std::fs::write(&path, book).map_err(io(&path))?;
    written.push(path);
    Ok(written)
}

/// The shop's book beside `plan.json`, as it was planned with.
pub const SHOP: &str = "shop.json";

/// One folder: a plan with its model.
fn write_folder(
    dir: &Path,
    stem: &str,
    file: &str,
    bytes: &[u8],
    reading: &intake::Reading,
    plan: &Plan,
    proof: &Proof,
    shop: &Shop,
    schemes: Option<crate::Comparison>,
) -> Result<Vec<PathBuf>, FileError> {
    std::fs::create_dir_all(dir.join(POSTED)).map_err(io(dir))?;
    let mut written = Vec::new();
    let mut put = |name: &str, content: &[u8]| -> Result<(), FileError> {
        let path = dir.join(name);
        // Writing the model over itself would be harmless, but not if the folder holds the very file.
        if std::fs::read(&path).is_ok_and(|old| old == content) {
            written.push(path);
            return Ok(());
        }
        std::fs::write(&path, content).map_err(io(&path))?;
        written.push(path);
        Ok(())
    };
    let setups = plan
        .sides
        .iter()
        .enumerate()
        .map(|(k, s)| SetupFile {
            name: s.setup.name.clone(),
            program: format!("{}-{stem}.ngc", k + 1),
            part_from_work: s.setup.part_from_work.to_rows(),
            zero_in_machine_mm: s.setup.zero_in_machine.to_array(),
            zeros: BTreeMap::new(),
            sawn: s.setup.sawn.map(|saw| StockBox::of(&saw.left)),
            tools: s.tools.iter().map(ToolFile::of).collect(),
            keep_out: keep_outs(s, k, &plan.made),
            error: error_file(&s.setup),
            station: s.setup.station.clone(),
            hold: Some(s.setup.hold.clone()),
            zero: s.setup.datum.to_vec(),
            operations: sources_written(serde_json::to_value(&s.operations).unwrap_or_default()),
            posted: Some(s.promises.promises.clone()),
        })
        .collect::<Vec<_>>();
    for (s, f) in plan.sides.iter().zip(&setups) {
        put(&f.program, s.program.as_bytes())?;
        put(&format!("{POSTED}/{}", f.program), s.program.as_bytes())?;
    }
    let sha256 = Sha256::digest(bytes).iter().map(|b| format!("{b:02x}")).collect();
    let plan_file = PlanFile {
        part: PartRef { file: file.into(), reading: reading.clone(), sha256: Some(sha256) },
        material: plan.material.clone(),
        stock: StockBox::of(&plan.scheme.stock),
        bar: plan.scheme.bar,
        setups,
        machine: Some(shop.machine.clone()),
        named: plan.named.clone(),
        points: plan.points.clone(),
        threads: plan.threads().filter_map(|(setup, name, h)| ThreadFile::of(setup, name, h)).collect(),
        not_planned: plan.scheme.not_planned.clone(),
        findings: plan.findings.clone(),
        compared: plan.scheme.compared.clone(),
        offers: plan.scheme.offers.clone(),
        crossings: plan.crossings.clone(),
        schemes: schemes.map(crate::Comparison::plain),
    };
    for (k, s) in plan.sides.iter().enumerate().filter(|(_, s)| !s.solids.is_empty()) {
        std::fs::create_dir_all(dir.join(HOLD).join((k + 1).to_string())).map_err(io(dir))?;
        for b in &s.solids {
            put(&solid_file(k, b), &b.step)?;
        }
    }
    put(file, bytes)?;
    put("plan.json", json(&plan_file).as_bytes())?;
    put("proof.json", json(proof).as_bytes())?;
    Ok(written)
}

/// What nothing may enter: boxes, and the solids of what is made, as they stand when they hold.
fn keep_outs(side: &crate::SidePlan, k: usize, made: &[crate::Made]) -> Vec<KeepOutFile> {
    let setup = &side.setup;
    let settings = program::ReadSettings { zero_in_machine: setup.zero_in_machine, ..Default::default() };
    let at: Vec<u32> = program::read(&side.program, &settings).map_or_else(
        |_| Vec::new(),
        |p| {
            let stop = |s: &&program::Step| s.kind == program::StepKind::Pause { optional: false };
            p.steps.iter().filter(stop).map(|s| s.line).collect()
        },
    );
    let last = side.program.lines().count() as u32;
    let stands = |clamps: bool, stops: [u32; 2]| Stands::of(clamps, stops, &at, last);
    let boxes = setup.hold.bodies().iter().filter(|b| b.layers.is_empty());
    let boxes = boxes.map(|b| KeepOutFile::Box {
        name: b.name.clone(),
        min_mm: b.min.to_array(),
        max_mm: b.max.to_array(),
        may_cut_mm: b.may_cut,
        sticks: b.sticks,
        stands: stands(b.clamps, b.stops),
    });
    let solids = made.iter().filter(|m| m.setup == setup.name).flat_map(|m| {
        m.bodies.iter().map(|b| KeepOutFile::Model {
            name: b.name.clone(),
            model: format!("{MADE}/{}/{}", m.name, b.file),
            work_from_model: Placement::IDENTITY.to_rows(),
            stands: Stands::default(),
        })
    });
    let standing = side.solids.iter().map(|b| KeepOutFile::Model {
        name: b.name.clone(),
        model: solid_file(k, b),
        work_from_model: b.work_from_model.to_rows(),
        stands: stands(b.clamps, b.stops),
    });
    boxes.chain(solids).chain(standing).collect()
}

/// Where a solid that holds a setup (from 0) lies.
fn solid_file(k: usize, b: &crate::MadeBody) -> String {
    format!("{HOLD}/{}/{}", k + 1, b.file)
}

/// What the zero and the seat of a setup may be off by, along its axes, mm.
fn error_file(setup: &holding::Setup) -> Vec<AxisError> {
    let of = |d: &holding::Datum| AxisError { axis: d.axis.clone(), worst_mm: d.worst_mm, likely_mm: d.likely_mm };
    setup.datum.iter().map(of).collect()
}

fn stem_of(model: &Path) -> String {
    let s: String = model.file_stem().map(|s| s.to_string_lossy().to_lowercase()).unwrap_or_default();
    let s: String =
        s.chars().map(|c| if c.is_ascii_alphanumeric() || c == '-' || c == '_' { c } else { '-' }).take(40).collect();
    if s.is_empty() { "part".into() } else { s }
}

fn json<T: Serialize>(v: &T) -> String {
    // Files are read by others: lengths in mm, without marks.
    reason::plain(&serde_json::to_string_pretty(v).unwrap_or_else(|_| "{}".into())).into_owned() + "\n"
}

/// Sources as they are written in tables, with the list of them beside.
fn sources_written(v: serde_json::Value) -> serde_json::Value {
    use serde_json::Value;
    match v {
        Value::Array(l) => Value::Array(l.into_iter().map(sources_written).collect()),
        Value::Object(o) => {
            let mut out = serde_json::Map::new();
            for (k, v) in o {
                match serde_json::from_value::<Sources>(v.clone()) {
                    Ok(s) if k == "source" && v.is_array() => {
                        out.insert(k, Value::String(s.to_string()));
                        out.insert("sources".into(), v);
                    }
                    _ => drop(out.insert(k, sources_written(v))),
                }
            }
            Value::Object(out)
        }
        v => v,
    }
}

/// A plan read from its folder.
pub struct Loaded {
    /// `plan.json`.
    pub plan: PlanFile,
    /// Where the model is.
    pub model: PathBuf,
}

/// Read `plan.json`.
pub fn load(dir: &Path) -> Result<Loaded, FileError> {
    let path = dir.join("plan.json");
    let text = match std::fs::read_to_string(&path) {
        Ok(t) => t,
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => {
            return Err(FileError::Refused(format!(
                "{} is missing; give a folder that 'goldchip plan' has written",
                path.display()
            )));
        }
        Err(e) => return Err(io(&path)(e)),
    };
    let plan: PlanFile = serde_json::from_str(&text).map_err(|e| {
        FileError::Refused(format!("plan.json is not as it should be ({e}); plan the part again, or mend that place"))
    })?;
    let beside = dir.join(&plan.part.file);
    let model = if beside.exists() { beside } else { PathBuf::from(&plan.part.file) };
    check(&plan)?;
    Ok(Loaded { plan, model })
}

fn check(p: &PlanFile) -> Result<(), FileError> {
    let bad =
        |what: String| Err(FileError::Refused(format!("plan.json: {what}; plan the part again, or mend that place")));
    if !p.stock.has_size() {
        return bad("the stock has no size".into());
    }
    if let Some(f) = p.bar.as_ref().and_then(Bar::fault) {
        return bad(f);
    }
    if let Some(f) = p.threads.iter().find_map(ThreadFile::fault) {
        return bad(f);
    }
    if p.setups.is_empty() {
        return bad("it has no setup".into());
    }
    for s in &p.setups {
        if Placement::from_rows(&s.part_from_work).is_none() {
            return bad(format!("part_from_work of '{}' is no right-handed rotation", s.name));
        }
        if !s.zero_in_machine_mm.iter().all(|v| v.is_finite()) {
            return bad(format!("zero_in_machine_mm of '{}' is no place", s.name));
        }
        let zero = |(name, at): (&String, &[f64; 3])| {
            crate::proving::zero_number(name).is_none() || at.iter().any(|v| !v.is_finite())
        };
        if s.zeros.iter().any(zero) {
            return bad(format!("the zeros of '{}' are places named G55 to G59", s.name));
        }
        if s.sawn.as_ref().is_some_and(|b| !b.has_size()) {
            return bad(format!("what the saw leaves before '{}' has no size", s.name));
        }
        if let Some(f) = s.tools.iter().find_map(|t| t.tool.fault()) {
            return bad(f);
        }
        if let Some(f) = s.keep_out.iter().find_map(KeepOutFile::fault) {
            return bad(format!("{f} ('{}')", s.name));
        }
    }
    Ok(())
}

/// Prove a loaded plan against its model: the programs are read from the folder again, and with `read` the models of what holds the part.
pub fn prove(
    dir: &Path,
    loaded: &Loaded,
    part: &Part,
    shop: &Shop,
    read: &dyn Fn(&Path) -> Result<Part, JobError>,
) -> Result<Proof, FileError> {
    let p = &loaded.plan;
    let machine = p.machine.as_ref().unwrap_or(&shop.machine);
    let mut setups = Vec::new();
    let mut findings = p.findings.clone();
    for s in &p.setups {
        let path = dir.join(&s.program);
        let bytes = match std::fs::read(&path) {
            Ok(b) => b,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => {
                return Err(FileError::Refused(format!(
                    "the program {} is missing; put it back or plan the part again",
                    path.display()
                )));
            }
            Err(e) => return Err(io(&path)(e)),
        };
        if bytes.len() > 64 << 20 {
            return Err(FileError::Refused(format!("{} has more than 64 MB; split it", s.program)));
        }
        let text = String::from_utf8_lossy(&bytes);
        let placement = Placement::from_rows(&s.part_from_work).unwrap_or(Placement::IDENTITY);
        let (mut keep_out, mut bodies) = (Vec::new(), Vec::new());
        for k in &s.keep_out {
            match k {
                KeepOutFile::Box { name, min_mm, max_mm, may_cut_mm, sticks, stands } => {
                    let k = KeepOut::new(name.clone(), (*min_mm).into(), (*max_mm).into());
                    let (clamps, when) = (stands.clamps, stands.when());
                    keep_out.push(KeepOut { may_cut_mm: *may_cut_mm, sticks: *sticks, clamps, when, ..k });
                }
                KeepOutFile::Model { name, model, work_from_model, stands } => {
                    let solid = read(&dir.join(model))?;
                    let placed = Placement::from_rows(work_from_model).unwrap_or(Placement::IDENTITY);
                    let (clamps, when) = (stands.clamps, stands.when());
                    bodies.push(Body { name: name.clone(), mesh: solid.mesh.placed(&placed), clamps, when });
                }
            }
        }
        let input = setup_input(
            &s.name,
            &s.program,
            &text,
            placement,
            DVec3::from_array(s.zero_in_machine_mm),
            &s.tools.iter().map(|t| t.tool.clone()).collect::<Vec<_>>(),
            keep_out,
            promises_of(dir, s, &text, &mut findings),
            &s.zeros,
        )?;
        let sawn = s.sawn.as_ref().map(StockBox::as_box);
        setups.push(proof::SetupInput { bodies, sawn, ..input });
    }
    let mut nests = Vec::new();
    let mut made = Vec::new();
    for (k, s) in p.setups.iter().enumerate() {
        let Some(piece) = s.hold.as_ref().and_then(holding::Hold::makes) else { continue };
        let folder = dir.join(MADE).join(plain_name(piece.name())?);
        let own = load(&folder)?;
        let model = read(&own.model)?;
        let proved = prove(&folder, &own, &model, shop, read)?;
        findings.extend(crate::proving::made_not_proved(&s.name, piece.name(), &proved));
        let Some(t) = own.plan.setups.first() else { continue };
        let path = folder.join(&t.program);
        let text = std::fs::read_to_string(&path).map_err(io(&path))?;
        let placement = Placement::from_rows(&t.part_from_work).unwrap_or(Placement::IDENTITY);
        let zero = DVec3::from_array(t.zero_in_machine_mm);
        let tools: Vec<Tool> = t.tools.iter().map(|t| t.tool.clone()).collect();
        let program = setup_input(&t.name, &t.program, &text, placement, zero, &tools, Vec::new(), None, &t.zeros)?;
        if let Some(jaws) = s.hold.as_ref().and_then(holding::Hold::jaws) {
            nests.push(crate::proving::nest_of(k, jaws, program));
        }
        made.push((piece.name().to_string(), proved));
    }
    let input = proof::Input {
        model: &part.mesh,
        chord_error: part.chord_error,
        stock: p.stock.as_box(),
        bar: p.bar,
        setups: &setups,
        named: &p.named,
        points: &p.points.iter().map(crate::proving::drill_point).collect::<Vec<_>>(),
        threads: &p.threads.iter().map(ThreadFile::as_thread).collect::<Vec<_>>(),
        not_planned: &p.not_planned.iter().map(|n| (n.name.clone(), n.up)).collect::<Vec<_>>(),
        nests: &nests,
        slants: &part::slants(part),
        standing: &crate::beside::standing(part),
        machine: Some(machine),
        material: shop.material(&p.material).ok(),
        limits: limits_of(machine),
    };
    let mut proof = proof::prove(&input);
    proof.made = made;
    proof.findings.extend(findings);
    proof.findings.sort_by(|a, b| b.severity.cmp(&a.severity).then_with(|| a.id.cmp(&b.id)));
    Ok(proof)
}

/// A name that is no path.
fn plain_name(name: &str) -> Result<&str, FileError> {
    let plain = !name.is_empty() && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '-' || c == '_');
    plain.then_some(name).ok_or_else(|| {
        FileError::Refused(format!("plan.json: '{name}' is no name of a made piece; plan the part again"))
    })
}

/// The promises of a setup at the lines of its text as it is now.
fn promises_of(dir: &Path, s: &SetupFile, text: &str, findings: &mut Vec<Finding>) -> Option<Anchored> {
    let promises = s.posted.clone()?;
    match std::fs::read_to_string(dir.join(POSTED).join(&s.program)) {
        Ok(posted) => Some(anchor(&Posted { text: posted, promises, moves: Vec::new() }, text)),
        Err(_) => {
            let f = Finding::new(
                Kind::PostedMissing,
                Severity::Warn,
                format!("{POSTED}/{} is missing", s.program),
                "What the program promises is taken at the lines of plan.json as they stand; if the text was edited, they may be others.",
            );
            findings.push(f.keyed(&s.name).in_setup(&s.name));
            Some(Anchored { promises, lost: Vec::new() })
        }
    }
}

/// Write the proof beside the plan.
pub fn write_proof(dir: &Path, proof: &Proof) -> Result<(), FileError> {
    let path = dir.join("proof.json");
    std::fs::write(&path, json(proof)).map_err(io(&path))?;
    for (name, own) in &proof.made {
        write_proof(&dir.join(MADE).join(name), own)?;
    }
    Ok(())
}
