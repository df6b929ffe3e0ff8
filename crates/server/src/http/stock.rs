//! Routes of the Stock ticket and of the rack.

use super::routes::{Answer, download, look_json};
use super::{House, Signed};
use crate::db::Conn;
use crate::fault::Fault;
use crate::look::Of;
use crate::people::Me;
use crate::rack::{self, RackAct, RackPreview, RackSheet};
use actix_web::web::{Bytes, Data, Json, Path, ServiceConfig};
use actix_web::{HttpResponse, get, post};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Register everything.
pub fn all(c: &mut ServiceConfig) {
    c.service(bench).service(try_lay).service(now).service(act).service(undo).service(redo);
    c.service(preview).service(import).service(csv).service(other_forms);
}

/// The rack for a job: its pieces ranked, the part laid into each. It needs no plan.
#[get("/api/jobs/{id}/stock")]
async fn bench(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Result<HttpResponse, Fault> {
    look_json(&me, &house, *id, Of::Stock).await
}

/// What else is cut from the job's blank.
#[get("/api/jobs/{id}/forms")]
async fn other_forms(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Result<HttpResponse, Fault> {
    look_json(&me, &house, *id, Of::Forms).await
}

/// A lay to try.
#[derive(Debug, Clone, Serialize, Deserialize, TS)]
pub struct TryLay {
    /// The piece.
    pub piece: stock::Piece,
    /// The part in it.
    pub lay: stock::Lay,
}

#[post("/api/jobs/{id}/lay")]
async fn try_lay(
    Signed(me): Signed,
    house: Data<House>,
    id: Path<i64>,
    b: Json<TryLay>,
) -> Result<HttpResponse, Fault> {
    let t = b.into_inner();
    if let Some(why) = t.piece.fault().or_else(|| t.lay.fault()) {
        return Err(Fault::Bad(why));
    }
    look_json(&me, &house, *id, Of::Lay(t)).await
}

#[get("/api/rack")]
async fn now(Signed(me): Signed, house: Data<House>) -> Answer<RackSheet> {
    done(me, house, |_, _| Ok(())).await
}

/// Do something with the rack; how it lies then.
async fn done(
    me: Me,
    house: Data<House>,
    f: impl Fn(&mut Conn, &Me) -> Result<(), Fault> + Send + 'static,
) -> Answer<RackSheet> {
    let sheet = house.db.run(move |c| {
        f(c, &me)?;
        rack::sheet(c, &me)
    });
    Ok(Json(sheet.await?))
}

#[post("/api/rack")]
async fn act(Signed(me): Signed, house: Data<House>, b: Json<RackAct>) -> Answer<RackSheet> {
    done(me, house, move |c, me| rack::act(c, me, &b)).await
}

#[post("/api/rack/undo")]
async fn undo(Signed(me): Signed, house: Data<House>) -> Answer<RackSheet> {
    done(me, house, rack::undo).await
}

#[post("/api/rack/redo")]
async fn redo(Signed(me): Signed, house: Data<House>) -> Answer<RackSheet> {
    done(me, house, rack::redo).await
}

pub(super) fn text_of(body: &Bytes) -> Result<String, Fault> {
    if body.len() > 4 << 20 {
        return Err(Fault::TooLarge("A file is at most 4 MB large".into()));
    }
    String::from_utf8(body.to_vec())
        .map_err(|_| Fault::Bad("The file is no text in UTF-8; save it again as plain text (UTF-8)".into()))
}

/// Look a table through; nothing is changed.
#[post("/api/rack/preview")]
async fn preview(Signed(me): Signed, house: Data<House>, body: Bytes) -> Answer<RackPreview> {
    let text = text_of(&body)?;
    Ok(Json(house.db.run(move |c| rack::preview(c, &me, &text)).await?))
}

/// Take a table's good lines.
#[post("/api/rack/import")]
async fn import(Signed(me): Signed, house: Data<House>, body: Bytes) -> Answer<RackSheet> {
    let text = text_of(&body)?;
    done(me, house, move |c, me| rack::import(c, me, &text)).await
}

#[get("/api/rack.csv")]
async fn csv(Signed(me): Signed, house: Data<House>) -> Result<HttpResponse, Fault> {
    let text = house.db.run(move |c| Ok(stock::write_csv(&rack::sheet(c, &me)?.pieces))).await?;
    Ok(download("rack.csv", "text/csv; charset=utf-8", text.into_bytes()))
}
