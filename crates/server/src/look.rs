//! What somebody at a screen waits for, and what computes it: never the process that answers requests, but one beside it (`lookers`).

use crate::blobs;
use crate::db::Db;
use crate::db::rows::Job;
use crate::fault::Fault;
use crate::http::{Measure, TryLay};
use crate::jobs as job_rows;
use crate::people::Me;
use crate::work::{self, Names, StockAfter};
use crate::{forms, rack};
use intake::{Export, LengthUnit, Limits, Meshing, export_guarded, write_dxf, write_stl};
use job::cache::StageKey;
use job::{Settled, stocking};
use part::Part;
use serde::{Deserialize, Serialize};
use std::path::Path;
use std::sync::Arc;

/// What is asked.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub enum Ask {
    /// Read a model (it follows): the model as read, and a picture.
    Read {
        /// Its file's name.
        file: String,
    },
    /// Something of a job.
    Job(i64, Of),
}

/// What of a job.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub enum Of {
    /// Triangles of the part.
    Mesh,
    /// Those of the revision before.
    MeshBefore,
    /// Those of the file's other solids.
    MeshOthers,
    /// Names of the file's solids, and which one the part is.
    Solids,
    /// What lies between two places.
    Measure(Measure),
    /// A section with its walls.
    Section(part::Cut),
    /// What would follow from a lay.
    Lay(TryLay),
    /// The rack's pieces for it.
    Stock,
    /// What else is cut from its blank.
    Forms,
    /// A file to take away.
    Export(String),
    /// The setups of its plan, drawn: the sheet's key, and a list of `run::card::Drawing`.
    Pictures,
    /// Can a program (it follows) of this name be followed by the job's control?
    Text(String),
}

impl Ask {
    /// So long it may take, s.
    pub fn longest_s(&self) -> u32 {
        match self {
            Ask::Read { .. } => 70,
            Ask::Job(_, Of::Export(_)) => 200,
            _ => 40,
        }
    }
}

/// Triangles of stock in process are this near to its surface, mm: its layers are not nearer to the truth.
const STOCK_CHORD: f64 = 0.005;
/// Parts that are kept at hand.
const AT_HAND: usize = 3;

/// Whoever looks: the parts that it looked at last are at hand.
pub struct Looker<'a> {
    /// The database.
    pub db: &'a Db,
    /// This program, to be started again as a reader.
    pub reader: &'a Path,
    parts: Vec<(String, Arc<Part>)>,
}

fn json(v: &impl Serialize) -> Result<Vec<u8>, Fault> {
    serde_json::to_vec(v).map_err(|e| Fault::internal(e.to_string()))
}

/// With a capital at the start.
fn sentence(s: &str) -> String {
    let mut c = s.chars();
    c.next().map(|f| f.to_uppercase().chain(c).collect()).unwrap_or_default()
}

fn told(e: intake::ReadError) -> Fault {
    match e {
        intake::ReadError::Reader(why) => Fault::internal(why),
        e => Fault::Model(e.to_string()),
    }
}

/// Key under which triangles are kept.
pub fn mesh_key(what: &Of, job: &Job, settled: &Settled) -> String {
    let before = settled.model.as_ref().and_then(|m| m.before.clone());
    StageKey::new("triangles").with(what).with(&work::read_as(job, settled)).with(&before).done()
}

/// Read an uploaded model in a child process; what it said, and a picture of the part.
pub fn read_model(reader: &Path, file: &str, bytes: &[u8]) -> Result<(Vec<u8>, Vec<u8>), Fault> {
    let io = |e: std::io::Error| Fault::internal(format!("a model could not be put down: {e}"));
    let tmp = tempfile::Builder::new().prefix("goldchip-").tempfile().map_err(io)?;
    std::fs::write(tmp.path(), bytes).map_err(io)?;
    let reading = intake::Reading::default();
    let model =
        intake::read_guarded(reader, &[crate::READER_WORD], tmp.path(), &reading, &Limits::default()).map_err(|e| {
            match e {
                intake::ReadError::Reader(why) => Fault::internal(why),
                e => Fault::Model(format!("{file}: {e}")),
            }
        })?;
    let part = Part::from_model(&model, &reading).map_err(|e| Fault::Model(format!("{file}: {e}")))?;
    let raw = postcard::to_stdvec(&model).map_err(|e| Fault::internal(e.to_string()))?;
    Ok((raw, job::sheet::picture(&part.mesh)))
}

impl<'a> Looker<'a> {
    /// With nothing at hand.
    pub fn new(db: &'a Db, reader: &'a Path) -> Looker<'a> {
        Looker { db, reader, parts: Vec::new() }
    }

    /// Look. `more` is what follows an ask: a file's bytes.
    pub fn look(&mut self, me: &Me, ask: &Ask, more: Vec<u8>) -> Result<Vec<u8>, Fault> {
        match ask {
            Ask::Read { file } => {
                let (raw, picture) = read_model(self.reader, file, &more)?;
                Ok([&(raw.len() as u64).to_le_bytes()[..], &raw, &picture].concat())
            }
            Ask::Job(id, of) => self.of_job(me, *id, of, more),
        }
    }

    fn part(&mut self, job: &Job, settled: &Settled) -> Result<Arc<Part>, Fault> {
        let key = work::read_as(job, settled);
        if let Some(k) = self.parts.iter().position(|p| p.0 == key) {
            let found = self.parts.remove(k);
            self.parts.push(found);
        } else {
            let part = Arc::new(work::part_of(self.db, self.reader, job, settled)?);
            self.parts.push((key, part));
            if self.parts.len() > AT_HAND {
                self.parts.remove(0);
            }
        }
        self.parts.last().map(|p| p.1.clone()).ok_or_else(|| Fault::internal("no part is at hand".into()))
    }

    /// Whether the job's control would follow a text.
    fn text(&self, job: &Job, settled: &Settled, file: &str, bytes: Vec<u8>) -> Result<Vec<u8>, Fault> {
        let text = String::from_utf8(bytes)
            .map_err(|_| Fault::Bad(format!("{file} is no text; give the program as the control saves it")))?;
        let shop = self.db.act(|c| crate::book::of_job(c, job, settled))?;
        let (control, _) = job::Control::chosen(&shop, settled).map_err(|e| Fault::Bad(e.to_string()))?;
        program::read(&text, &control.settings(program::ReadSettings::default().zero_in_machine, &shop.crib)).map_err(
            |e| {
                Fault::Bad(format!(
                    "{file} cannot be followed as a program of {}: {e}. Mend that line and upload it again",
                    control.dialect.name
                ))
            },
        )?;
        Ok(Vec::new())
    }

    fn of_job(&mut self, me: &Me, id: i64, of: &Of, more: Vec<u8>) -> Result<Vec<u8>, Fault> {
        let (job, settled) = self.db.act(|c| Ok((job_rows::of(c, me, id)?, job_rows::settled(c, id)?)))?;
        match of {
            Of::Text(file) => self.text(&job, &settled, file, more),
            Of::Mesh => Ok(job::sheet::mesh_bytes(&self.part(&job, &settled)?.mesh)),
            Of::MeshBefore => {
                let before = work::part_before(self.db, self.reader, &job, &settled)?;
                Ok(job::sheet::mesh_bytes(&before.ok_or(Fault::NoSuch("revision before"))?.mesh))
            }
            Of::MeshOthers => {
                let mut all = geom::TriMesh::default();
                for o in &self.part(&job, &settled)?.others {
                    let n = all.points.len() as u32;
                    all.points.extend(&o.mesh.points);
                    all.triangles.extend(o.mesh.triangles.iter().map(|t| t.map(|k| k + n)));
                    all.face.extend(o.mesh.face.iter().map(|f| f + 1000 * o.solid as u32));
                }
                if all.triangles.is_empty() {
                    return Err(Fault::NoSuch("other solid"));
                }
                Ok(job::sheet::mesh_bytes(&all))
            }
            Of::Solids => {
                let origin = &self.part(&job, &settled)?.origin;
                json(&(origin.solid, origin.solids.iter().map(|s| &s.name).collect::<Vec<_>>()))
            }
            Of::Measure(m) => {
                let part = self.part(&job, &settled)?;
                let done = part::measure(&part, &part::Rays::new(&part), m.a, m.b);
                json(&done.map_err(|e| Fault::Bad(sentence(&e.to_string())))?)
            }
            Of::Section(cut) => {
                let part = self.part(&job, &settled)?;
                json(&part::slice(&part, *cut))
            }
            Of::Lay(t) => {
                let (part, settled, shop) = self.stocked(&job, settled)?;
                let done = stocking::try_lay(&part, &shop, &settled, &t.piece, &t.lay);
                json(&done.map_err(|e| Fault::Bad(e.to_string()))?)
            }
            Of::Stock => {
                let (pieces, taken) = self.db.act(|c| Ok((rack::all(c, me.shop_id)?, rack::taken_for(c, me, id)?)))?;
                let (part, settled, shop) = self.stocked(&job, settled)?;
                let done = stocking::bench(&part, &shop, &settled, &pieces, &taken);
                json(&done.map_err(|e| Fault::Bad(e.to_string()))?)
            }
            Of::Forms => json(&forms::forms(self.db, self.reader, me, id)?),
            Of::Pictures => json(&self.pictures(&job, &settled)?),
            Of::Export(what) => self.export(&job, &settled, what),
        }
    }

    fn stocked(&mut self, job: &Job, settled: Settled) -> Result<(Arc<Part>, Settled, shop::Shop), Fault> {
        let shop = self.db.act(|c| crate::book::of_job(c, job, &settled))?;
        let settled = job_rows::with_offer(job, settled);
        Ok((self.part(job, &settled)?, settled, shop))
    }

    /// The setup sheet of the plan as it stands.
    fn paper(&mut self, job: &Job, settled: &Settled, format: paper::Format) -> Result<Vec<u8>, Fault> {
        let key = job.sheet.clone().filter(|_| job.sheet_revision == Some(job.revision));
        let key = key
            .ok_or(Fault::NotYet("The plan is being worked out again; wait until it is there, then take the sheet"))?;
        let kept = self.db.act(|c| blobs::get(c, &key))?;
        let kept = kept.ok_or(Fault::NotYet("The plan is no longer at hand; it is worked out again"))?;
        let sheet: job::sheet::Sheet = serde_json::from_slice(&kept).map_err(|e| Fault::internal(e.to_string()))?;
        let shop = self.db.act(|c| crate::book::of_job(c, job, settled))?;
        let part = self.part(job, settled)?;
        let pages = paper::of_sheet(&sheet, &job.title, &part.mesh, &shop.machine.name).map_err(Fault::internal)?;
        paper::pdf(&pages, format).map_err(Fault::internal)
    }

    /// Each setup from the front and from above.
    fn pictures(&mut self, job: &Job, settled: &Settled) -> Result<(String, Vec<run::card::Drawing>), Fault> {
        let key = job.sheet.clone().ok_or(Fault::NotYet("The first plan is still being worked out"))?;
        let json = self.db.act(|c| blobs::get(c, &key))?;
        let json = json.ok_or(Fault::NotYet("The plan is no longer at hand; ask for it again"))?;
        let sheet: job::sheet::Sheet = serde_json::from_slice(&json).map_err(|e| Fault::internal(e.to_string()))?;
        let part = self.part(job, settled)?;
        let pages = paper::of_sheet(&sheet, &job.title, &part.mesh, "").map_err(Fault::internal)?;
        let drawn = pages.iter().zip(&sheet.sides).flat_map(|(page, side)| {
            page.pictures.iter().map(|p| run::card::Drawing {
                setup: side.name.clone(),
                title: p.title.clone(),
                svg: paper::svg(p),
            })
        });
        Ok((key, drawn.collect()))
    }

    /// `part.step`, `part.stl`, `outline.dxf`, `setup-sheet-a4.pdf`, `setup-sheet-letter.pdf`, `stock-1.step`, `stock-1.stl`, `stock-2.step`, `stock-2.stl`.
    fn export(&mut self, job: &Job, settled: &Settled, what: &str) -> Result<Vec<u8>, Fault> {
        let child = [crate::READER_WORD];
        match what {
            "part.stl" => {
                let part = self.part(job, settled)?;
                let points: Vec<[f64; 3]> = part.mesh.points.iter().map(|p| p.to_array()).collect();
                Ok(write_stl(&points, &part.mesh.triangles))
            }
            "part.step" => {
                let part = self.part(job, settled)?;
                let sha = work::model_of(job, settled);
                let file = self
                    .db
                    .act(|c| blobs::get(c, &format!("model-{sha}")))?
                    .ok_or_else(|| Fault::internal(format!("the model {sha} is gone")))?;
                let reading = settled.reading();
                // Part and file differ by the unit that a person named instead of the file's own.
                let says = part.origin.units.first().and_then(|u| LengthUnit::of(u)).map_or(1.0, LengthUnit::mm);
                let scale = reading.unit.map_or(1.0, |u| u.mm() / says);
                let e = Export::Part { file, reading, solid: part.origin.solid, scale };
                export_guarded(self.reader, &child, &e, &Limits::default()).map_err(told)
            }
            "outline.dxf" => {
                let part = self.part(job, settled)?;
                let outlines = stock::Wanted::outlines_of(&part.mesh);
                let largest = outlines.iter().max_by(|a, b| a.area().total_cmp(&b.area()));
                let outline = largest.ok_or_else(|| Fault::internal("no outline".into()))?;
                write_dxf(outline).map_err(Fault::Model)
            }
            "setup-sheet-a4.pdf" => self.paper(job, settled, paper::Format::A4),
            "setup-sheet-letter.pdf" => self.paper(job, settled, paper::Format::Letter),
            _ => {
                let (setup, stl) = match what {
                    "stock-1.stl" => (0, true),
                    "stock-2.stl" => (1, true),
                    "stock-1.step" => (0, false),
                    "stock-2.step" => (1, false),
                    _ => return Err(Fault::NoSuch("file to take")),
                };
                let key = job.sheet.clone().ok_or(Fault::NotYet("The first plan is still being worked out"))?;
                let kept = self.db.act(|c| blobs::get(c, &Names::of(&key).stock(setup)))?;
                let kept = kept.ok_or(Fault::NotYet("The plan is no longer at hand; ask for it again"))?;
                let (layers, place): StockAfter =
                    postcard::from_bytes(&kept).map_err(|e| Fault::internal(e.to_string()))?;
                let meshing = Meshing { chord_mm: STOCK_CHORD, ..Meshing::default() };
                let wall = std::time::Duration::from_secs(180);
                let limits = Limits { meshing, cpu_seconds: 120, wall, ..Limits::default() };
                export_guarded(self.reader, &child, &Export::Layers { layers, place, stl }, &limits).map_err(told)
            }
        }
    }
}
