//! What leaves as an open format: the part, its outline, the stock after a setup.

use super::routes::download;
use super::{House, Signed};
use crate::fault::Fault;
use crate::work::{Names, StockAfter};
use crate::{blobs, jobs};
use actix_web::web::{Data, Path};
use actix_web::{HttpResponse, get};
use intake::{Export, LengthUnit, Limits, Meshing, export_guarded, write_dxf, write_stl};

/// Triangles of stock in process are this near to its surface, mm: its layers are not nearer to the truth.
const STOCK_CHORD: f64 = 0.005;

fn told(e: intake::ReadError) -> Fault {
    match e {
        intake::ReadError::Reader(why) => Fault::internal(why),
        e => Fault::Model(e.to_string()),
    }
}

/// `part.step`, `part.stl`, `outline.dxf`, `stock-1.step`, `stock-1.stl`, `stock-2.step`, `stock-2.stl`.
#[get("/api/jobs/{id}/export/{what}")]
pub async fn export(Signed(me): Signed, house: Data<House>, p: Path<(i64, String)>) -> Result<HttpResponse, Fault> {
    let (id, what) = p.into_inner();
    let (db, reader) = (house.db.clone(), house.reader.clone());
    let work = actix_web::web::block(move || {
        let (job, settled) = db.act(|c| Ok((jobs::of(c, &me, id)?, jobs::settled(c, id)?)))?;
        let name = format!("{}-{what}", jobs::stem_of(&job.title));
        let child = [crate::READER_WORD];
        let bytes = match what.as_str() {
            "part.stl" => {
                let part = crate::work::part_of(&db, &reader, &job, &settled)?;
                let points: Vec<[f64; 3]> = part.mesh.points.iter().map(|p| p.to_array()).collect();
                write_stl(&points, &part.mesh.triangles)
            }
            "part.step" => {
                let part = crate::work::part_of(&db, &reader, &job, &settled)?;
                let sha = crate::work::model_of(&job, &settled);
                let model = db
                    .act(|c| blobs::get(c, &format!("model-{sha}")))?
                    .ok_or_else(|| Fault::internal(format!("the model {sha} is gone")))?;
                let reading = settled.reading();
                // Part and file differ by the unit that a person named instead of the file's own.
                let says = part.origin.units.first().and_then(|u| LengthUnit::of(u)).map_or(1.0, LengthUnit::mm);
                let scale = reading.unit.map_or(1.0, |u| u.mm() / says);
                let e = Export::Part { file: model, reading, solid: part.origin.solid, scale };
                export_guarded(&reader, &child, &e, &Limits::default()).map_err(told)?
            }
            "outline.dxf" => {
                let part = crate::work::part_of(&db, &reader, &job, &settled)?;
                let outlines = stock::Wanted::outlines_of(&part.mesh);
                let largest = outlines.iter().max_by(|a, b| a.area().total_cmp(&b.area()));
                let outline = largest.ok_or_else(|| Fault::internal("no outline".into()))?;
                write_dxf(outline).map_err(Fault::Model)?
            }
            _ => {
                let (setup, stl) = match what.as_str() {
                    "stock-1.stl" => (0, true),
                    "stock-2.stl" => (1, true),
                    "stock-1.step" => (0, false),
                    "stock-2.step" => (1, false),
                    _ => return Err(Fault::NoSuch("file to take")),
                };
                let key = job.sheet.clone().ok_or(Fault::NotYet("The first plan is still being worked out"))?;
                let kept = db.act(|c| blobs::get(c, &Names::of(&key).stock(setup)))?;
                let kept = kept.ok_or(Fault::NotYet("The plan is no longer at hand; ask for it again"))?;
                let (layers, place): StockAfter =
                    postcard::from_bytes(&kept).map_err(|e| Fault::internal(e.to_string()))?;
                let meshing = Meshing { chord_mm: STOCK_CHORD, ..Meshing::default() };
                let limits = Limits {
                    meshing,
                    cpu_seconds: 120,
                    wall: std::time::Duration::from_secs(180),
                    ..Limits::default()
                };
                export_guarded(&reader, &child, &Export::Layers { layers, place, stl }, &limits).map_err(told)?
            }
        };
        Ok((name, bytes))
    });
    let (name, bytes) = work.await.map_err(|e| Fault::internal(e.to_string()))??;
    Ok(download(&name, "application/octet-stream", bytes))
}
