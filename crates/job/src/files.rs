//! A plan as a folder of files: the programs, `plan.json`, `proof.json` and the model, so that the folder stands alone.

use crate::error::JobError;
use crate::plan::Plan;
use crate::plan_file::{AxisError, ThreadFile, ToolFile, check};
pub use crate::plan_file::{DialectRef, KeepOutFile, PartRef, PlanFile, SetupFile, SetupWords, Stands, StockBox};
use crate::proving::{limits_of, setup_input};
use geom::{DVec3, Placement};
use part::Part;
use program::{Anchored, Posted, anchor};
use proof::{Body, KeepOut, Proof};
use reason::{Finding, Kind, Severity, Sources};
use serde::Serialize;
use sha2::{Digest, Sha256};
use shop::Shop;
use shop::tool::Tool;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// Longest program that is read, bytes.
pub const MOST_TEXT: usize = 64 << 20;
/// Folder of the programs as they were posted: an edited one is compared with them.
pub const POSTED: &str = "posted";
/// Folder of the pieces that are made to hold the part, each with the same files.
pub const MADE: &str = "made";
/// Folder of the solids that hold a setup and are not made for it: chuck jaws.
const HOLD: &str = "hold";
/// Their model.
const MODEL: &str = "model.step";

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

pub(crate) fn io(path: &Path) -> impl FnOnce(std::io::Error) -> FileError + '_ {
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
            program: format!("{}-{stem}.{}", k + 1, s.control.dialect.extension),
            part_from_work: s.setup.part_from_work.to_rows(),
            zero_in_machine_mm: s.setup.zero_in_machine.to_array(),
            zeros: BTreeMap::new(),
            sawn: s.setup.sawn.map(|saw| StockBox::of(&saw.left)),
            words: words_of(s),
            tools: s.tools.iter().map(ToolFile::of).collect(),
            keep_out: keep_outs(s, k, &plan.made),
            error: error_file(&s.setup),
            station: s.setup.station.clone(),
            hold: Some(s.setup.hold.clone()),
            zero: s.setup.datum.to_vec(),
            sizes: plan.sizes.get(k).cloned().unwrap_or_default(),
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
        dialect: plan.sides.first().map(|s| DialectRef::Whole(Box::new(s.control.dialect.clone()))),
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

/// What a person at the machine is told of a side.
pub(crate) fn words_of(s: &crate::SidePlan) -> SetupWords {
    let by_hand = s.finished.iter().filter(|f| f.operation.is_none());
    SetupWords {
        load: s.setup.actions(),
        at_stops: s.setup.hold.at_stops(),
        tried: crate::chain::tried(&s.finished),
        by_hand: by_hand.map(|f| format!("{}: by hand, {} ×", f.wants, f.holes.len())).collect(),
    }
}

/// What nothing may enter: boxes, and the solids of what is made, as they stand when they hold.
fn keep_outs(side: &crate::SidePlan, k: usize, made: &[crate::Made]) -> Vec<KeepOutFile> {
    let setup = &side.setup;
    let settings = side.control.settings(setup.zero_in_machine, &side.tools);
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

pub(crate) fn json<T: Serialize>(v: &T) -> String {
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
    check(&plan).map_err(FileError::Refused)?;
    Ok(Loaded { plan, model })
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
    let mut findings = p.findings.clone();
    let setups = setups_in(dir, p, shop, read, &mut findings)?;
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
        let control = own.plan.control(shop)?;
        let none = Vec::new();
        let program = setup_input(&t.name, &t.program, &text, placement, zero, &tools, none, None, &t.zeros, &control)?;
        if let Some(jaws) = s.hold.as_ref().and_then(holding::Hold::jaws) {
            nests.push(crate::proving::nest_of(k, jaws, program));
        }
        made.push((piece.name().to_string(), proved));
    }
    let mut proof = judged(part, p, shop, p.stock.as_box(), &setups, &nests);
    proof.made = made;
    proof.findings.extend(findings);
    proof.findings.sort_by(|a, b| b.severity.cmp(&a.severity).then_with(|| a.id.cmp(&b.id)));
    Ok(proof)
}

/// The setups of a folder, their programs read back from the texts that lie there.
pub(crate) fn setups_in(
    dir: &Path,
    p: &PlanFile,
    shop: &Shop,
    read: &dyn Fn(&Path) -> Result<Part, JobError>,
    findings: &mut Vec<Finding>,
) -> Result<Vec<proof::SetupInput>, FileError> {
    let control = p.control(shop)?;
    let mut setups = Vec::new();
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
        if bytes.len() > MOST_TEXT {
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
            promises_of(dir, s, &text, findings),
            &s.zeros,
            &control,
        )?;
        let sawn = s.sawn.as_ref().map(StockBox::as_box);
        setups.push(proof::SetupInput { bodies, sawn, ..input });
    }
    Ok(setups)
}

/// The proof of setups as they are given, from this block.
pub(crate) fn judged(
    part: &Part,
    p: &PlanFile,
    shop: &Shop,
    stock: geom::Box3,
    setups: &[proof::SetupInput],
    nests: &[proof::Nest],
) -> Proof {
    let machine = p.machine.as_ref().unwrap_or(&shop.machine);
    let input = proof::Input {
        model: &part.mesh,
        chord_error: part.chord_error,
        stock,
        bar: p.bar,
        setups,
        named: &p.named,
        points: &p.points.iter().map(crate::proving::drill_point).collect::<Vec<_>>(),
        threads: &p.threads.iter().map(ThreadFile::as_thread).collect::<Vec<_>>(),
        not_planned: &p.not_planned.iter().map(|n| (n.name.clone(), n.up)).collect::<Vec<_>>(),
        nests,
        slants: &part::slants(part),
        standing: &crate::beside::standing(part),
        machine: Some(machine),
        material: shop.material(&p.material).ok(),
        limits: limits_of(machine),
    };
    proof::prove(&input)
}

/// A name that is no path.
pub(crate) fn plain_name(name: &str) -> Result<&str, FileError> {
    let plain = !name.is_empty() && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '-' || c == '_');
    plain.then_some(name).ok_or_else(|| {
        FileError::Refused(format!("plan.json: '{name}' is no name of a made piece; plan the part again"))
    })
}

/// The promises of a setup at the lines of its text as it is now.
pub(crate) fn promises_of(dir: &Path, s: &SetupFile, text: &str, findings: &mut Vec<Finding>) -> Option<Anchored> {
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
