//! The routes.

use super::{House, Once, Signed, events};
use crate::db::Conn;
use crate::db::schema::shops;
use crate::decide::{self, Decide, NewText, Revision};
use crate::fault::Fault;
use crate::jobs::{self, BenchPage, JobCard, JobChange, JobState, Wanted};
use crate::look::{self, Ask, Of};
use crate::people::Me;
use crate::work::Names;
use crate::{audit, blobs, book, queue};
use ::shop::Shop;
use actix_web::http::header::{self, ContentDisposition, DispositionParam, DispositionType};
use actix_web::web::{Bytes, Data, Json, Path, Query, ServiceConfig};
use actix_web::{HttpRequest, HttpResponse, get, patch, post};
use diesel::prelude::*;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

pub(super) type Answer<T> = Result<Json<T>, Fault>;

/// Register everything.
pub fn all(c: &mut ServiceConfig) {
    c.configure(super::people::all)
        .configure(super::keeping::all)
        .service(whoami)
        .configure(super::book::all)
        .service(shop_now)
        .service(shop_of_job)
        .service(language)
        .service(shop_change)
        .service(events::of_shop)
        .service(list)
        .service(upload)
        .service(state)
        .service(change)
        .service(decide_route)
        .service(undo)
        .service(redo)
        .service(stop)
        .service(again)
        .service(sheet)
        .service(ways)
        .service(what_if)
        .service(strip)
        .service(history)
        .service(part_route)
        .service(measure)
        .service(section)
        .service(revise)
        .service(edited)
        .service(mesh_before)
        .service(export)
        .configure(super::stock::all)
        .configure(super::runs::all)
        .configure(super::rounds::all)
        .service(beside)
        .service(mesh_others)
        .service(mesh)
        .service(picture_route)
        .service(model_route)
        .service(issue)
        .service(issued);
}

/// A page that is not a file: the application finds its own way, an unknown address under /api is refused.
pub async fn page(req: HttpRequest, house: Data<House>) -> Result<HttpResponse, Fault> {
    if req.path().starts_with("/api/") {
        return Err(Fault::NoSuch("address"));
    }
    match std::fs::read(house.web.join("index.html")) {
        Ok(html) => Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(html)),
        Err(_) => Ok(HttpResponse::ServiceUnavailable()
            .content_type("text/plain; charset=utf-8")
            .body("The front end is not built. Run ./start, or npm ci && npm run build in web/.")),
    }
}

#[get("/api/me")]
async fn whoami(Signed(me): Signed) -> Json<Me> {
    Json(me)
}

#[get("/api/shop")]
async fn shop_now(Signed(me): Signed, house: Data<House>) -> Answer<Shop> {
    let shop = house.db.run(move |c| {
        let r = jobs::newest_shop_revision(c, me.shop_id)?;
        jobs::shop_of(c, r)
    });
    Ok(Json(shop.await?))
}

/// The shop as a job is planned with it.
#[get("/api/jobs/{id}/shop")]
async fn shop_of_job(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Answer<Shop> {
    let shop = house.db.run(move |c| {
        let job = jobs::of(c, &me, *id)?;
        let settled = jobs::settled(c, *id)?;
        book::of_job(c, &job, &settled)
    });
    Ok(Json(shop.await?))
}

/// What the words of a program mean.
#[get("/api/language")]
async fn language(Signed(_): Signed) -> Json<&'static [program::Meaning]> {
    Json(program::LANGUAGE)
}

/// A change of the shop itself.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct ShopChange {
    /// "mm" or "inch".
    pub units: job::Units,
}

#[patch("/api/shop")]
async fn shop_change(Signed(me): Signed, house: Data<House>, body: Json<ShopChange>) -> Result<HttpResponse, Fault> {
    if !me.owner {
        return Err(Fault::OwnerOnly);
    }
    let units = if body.units == job::Units::Inch { "inch" } else { "mm" };
    house
        .db
        .run(move |c| {
            diesel::update(shops::table.find(me.shop_id)).set(shops::units.eq(units)).execute(c)?;
            Ok(())
        })
        .await?;
    Ok(HttpResponse::NoContent().finish())
}

#[get("/api/jobs")]
async fn list(Signed(me): Signed, house: Data<House>, q: Query<Wanted>) -> Answer<BenchPage> {
    Ok(Json(house.db.run(move |c| jobs::list(c, &me, &q)).await?))
}

#[derive(Debug, Deserialize)]
struct Upload {
    file: String,
}

#[post("/api/jobs")]
async fn upload(
    req: HttpRequest,
    Signed(me): Signed,
    house: Data<House>,
    q: Query<Upload>,
    body: Bytes,
) -> Answer<JobCard> {
    let (file, client) = (q.into_inner().file, house.outer.client_of(&req));
    let (raw, picture) = read_of(&me, &house, &file, body.clone()).await?;
    let card = house.db.run(move |c| {
        let id = jobs::make(c, me.shop_id, Some(me.id), &file, &body, &raw, &picture)?;
        audit::note(c, &me, "upload", &format!("began job {id} from {file}"), &client)?;
        let job = jobs::of(c, &me, id)?;
        jobs::card(c, &job)
    });
    Ok(Json(card.await?))
}

/// Somebody beside this process looks, and whoever asked waits. It goes on, and holds its turn, even if whoever asked leaves.
pub(super) async fn look(me: &Me, house: &House, ask: Ask, more: Bytes) -> Result<Vec<u8>, Fault> {
    let turns = if matches!(ask, Ask::Read { .. }) { &house.readers } else { &house.looking };
    let turn = turns.turn(me.id).await?;
    let (lookers, me) = (house.lookers.clone(), me.clone());
    let work = actix_web::web::block(move || {
        let _turn = turn;
        lookers.ask(&me, &ask, &more)
    });
    work.await.map_err(|e| Fault::internal(e.to_string()))?
}

/// The same of a job, as JSON.
pub(super) async fn look_json(me: &Me, house: &House, id: i64, of: Of) -> Result<HttpResponse, Fault> {
    let bytes = look(me, house, Ask::Job(id, of), Bytes::new()).await?;
    Ok(HttpResponse::Ok().content_type("application/json").body(bytes))
}

/// An uploaded model as it was read, and a picture of it.
async fn read_of(me: &Me, house: &House, file: &str, body: Bytes) -> Result<(Vec<u8>, Vec<u8>), Fault> {
    let mut raw = look(me, house, Ask::Read { file: file.into() }, body).await?;
    let n = raw.get(..8).and_then(|n| n.try_into().ok()).map_or(0, u64::from_le_bytes) as usize;
    if raw.len() < 8 + n {
        return Err(Fault::internal("a model came back without its end".into()));
    }
    let picture = raw.split_off(8 + n);
    Ok((raw.split_off(8), picture))
}

#[get("/api/jobs/{id}")]
async fn state(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Answer<JobState> {
    let seen = move |c: &mut Conn| {
        let state = jobs::state(c, &me, *id)?;
        if state.card.work == jobs::Work::Waiting {
            queue::looked_at(c, *id, me.id)?;
        }
        Ok(state)
    };
    Ok(Json(house.db.run(seen).await?))
}

#[patch("/api/jobs/{id}")]
async fn change(
    Signed(me): Signed,
    house: Data<House>,
    id: Path<i64>,
    b: Json<JobChange>,
) -> Result<HttpResponse, Fault> {
    house.db.run(move |c| jobs::change(c, &me, *id, &b)).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[post("/api/jobs/{id}/decisions")]
async fn decide_route(
    Signed(me): Signed,
    Once(word): Once,
    house: Data<House>,
    id: Path<i64>,
    b: Json<Decide>,
) -> Answer<Revision> {
    let make = move |c: &mut Conn| decide::once(c, &me, *id, word.as_deref(), |c| decide::decide(c, &me, *id, &b));
    Ok(Json(house.db.run(make).await?))
}

#[post("/api/jobs/{id}/undo")]
async fn undo(Signed(me): Signed, Once(word): Once, house: Data<House>, id: Path<i64>) -> Answer<Revision> {
    let make = move |c: &mut Conn| decide::once(c, &me, *id, word.as_deref(), |c| decide::undo(c, &me, *id));
    Ok(Json(house.db.run(make).await?))
}

#[post("/api/jobs/{id}/redo")]
async fn redo(Signed(me): Signed, Once(word): Once, house: Data<House>, id: Path<i64>) -> Answer<Revision> {
    let make = move |c: &mut Conn| decide::once(c, &me, *id, word.as_deref(), |c| decide::redo(c, &me, *id));
    Ok(Json(house.db.run(make).await?))
}

#[post("/api/jobs/{id}/stop")]
async fn stop(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Result<HttpResponse, Fault> {
    house
        .db
        .run(move |c| {
            let job = jobs::of(c, &me, *id)?;
            queue::stop(c, job.id)
        })
        .await?;
    Ok(HttpResponse::NoContent().finish())
}

#[post("/api/jobs/{id}/again")]
async fn again(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Result<HttpResponse, Fault> {
    house
        .db
        .run(move |c| {
            let job = jobs::of_locked(c, &me, *id)?;
            // A part that could not be looked at is looked at anew.
            queue::ask_part(c, job.id, job.revision, Some(me.id))?;
            queue::ask(c, job.id, job.revision, Some(me.id))
        })
        .await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Bytes that belong to a job's newest sheet; they never change under their key.
async fn of_sheet(
    me: Me,
    house: Data<House>,
    id: i64,
    kind: &'static str,
    name: impl Fn(&str) -> String + Send + 'static,
) -> Result<HttpResponse, Fault> {
    let bytes = house
        .db
        .run(move |c| {
            let job = jobs::of(c, &me, id)?;
            let key = job.sheet.clone().ok_or(Fault::NotYet("The first plan of this job is still being worked out"))?;
            match blobs::get(c, &name(&key))? {
                Some(b) => Ok(Some(b)),
                None => {
                    // It was tidied away; it is worked out again.
                    let waiting =
                        jobs::newest_task(c, id)?.is_some_and(|t| t.state == "queued" || t.state == "running");
                    if !waiting {
                        queue::ask(c, id, job.revision, Some(me.id))?;
                    }
                    Ok(None)
                }
            }
        })
        .await?
        .ok_or(Fault::NotYet("The plan is no longer at hand; it is worked out again"))?;
    Ok(HttpResponse::Ok().content_type(kind).body(bytes))
}

#[get("/api/jobs/{id}/sheet")]
async fn sheet(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Result<HttpResponse, Fault> {
    of_sheet(me, house, *id, "application/json", |k| k.to_string()).await
}

/// Whole ways beside the plan, as far as they are known; none: they are being looked for.
#[get("/api/jobs/{id}/ways")]
async fn ways(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Answer<Option<job::Comparison>> {
    let id = *id;
    Ok(Json(house.db.run(move |c| crate::work::ways_seen(c, &me, id)).await?))
}

/// Faults at the machine, each tried on the plan, as far as they are; none: not begun.
#[get("/api/jobs/{id}/what-if")]
async fn what_if(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Answer<Option<job::what_if::WhatIfs>> {
    let id = *id;
    Ok(Json(house.db.run(move |c| crate::work::what_ifs_seen(c, &me, id)).await?))
}

#[get("/api/jobs/{id}/strip")]
async fn strip(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Result<HttpResponse, Fault> {
    of_sheet(me, house, *id, "application/json", |k| Names::of(k).strip()).await
}

#[get("/api/jobs/{id}/history/{setup}")]
async fn history(Signed(me): Signed, house: Data<House>, p: Path<(i64, usize)>) -> Result<HttpResponse, Fault> {
    let (id, setup) = p.into_inner();
    of_sheet(me, house, id, "application/octet-stream", move |k| Names::of(k).history(setup)).await
}

/// Longest that somebody waits for a part to be recognised, s.
const PART_WAIT_S: u64 = 90;

/// What is seen of the part. A worker recognises it; here one only waits for it.
#[get("/api/jobs/{id}/part")]
async fn part_route(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Result<HttpResponse, Fault> {
    let (id, start) = (*id, std::time::Instant::now());
    let mut pause = 40;
    while start.elapsed().as_secs() < PART_WAIT_S {
        let me = me.clone();
        if let Some(json) = house.db.run(move |c| crate::work::part_seen(c, &me, id)).await? {
            return Ok(HttpResponse::Ok().content_type("application/json").body(json));
        }
        actix_web::rt::time::sleep(std::time::Duration::from_millis(pause)).await;
        pause = (pause * 3 / 2).min(400);
    }
    Err(Fault::NotYet("The part is still being looked at; look again in a minute"))
}

/// A new revision's name, and the newest revision that its giver had seen.
#[derive(Debug, Clone, Deserialize)]
struct NewModel {
    file: String,
    revision: i64,
}

#[post("/api/jobs/{id}/revise")]
async fn revise(
    Signed(me): Signed,
    house: Data<House>,
    id: Path<i64>,
    Once(word): Once,
    q: Query<NewModel>,
    body: Bytes,
) -> Answer<Revision> {
    let (q, id, who) = (q.into_inner(), *id, me.clone());
    house.db.run(move |c| jobs::of(c, &who, id).map(drop)).await?;
    let (read, _) = read_of(&me, &house, &q.file, body.clone()).await?;
    let make = move |c: &mut Conn| {
        decide::once(c, &me, id, word.as_deref(), |c| decide::revise(c, &me, id, q.revision, &q.file, &body, &read))
    };
    Ok(Json(house.db.run(make).await?))
}

/// Largest edited program, bytes.
const TEXT_LIMIT: usize = 16 << 20;

#[post("/api/jobs/{id}/edited")]
async fn edited(
    Signed(me): Signed,
    house: Data<House>,
    id: Path<i64>,
    Once(word): Once,
    q: Query<NewText>,
    body: Bytes,
) -> Answer<Revision> {
    if body.len() > TEXT_LIMIT {
        return Err(Fault::Bad("A program of more than 16 MB is too long to compare; split it".into()));
    }
    let (q, id, who) = (q.into_inner(), *id, me.clone());
    house.db.run(move |c| jobs::of(c, &who, id).map(drop)).await?;
    look(&me, &house, Ask::Job(id, Of::Text(q.file.clone())), body.clone()).await?;
    let text = String::from_utf8(body.to_vec()).map_err(|e| Fault::internal(e.to_string()))?;
    let make = move |c: &mut Conn| decide::once(c, &me, id, word.as_deref(), |c| decide::edit(c, &me, id, &q, &text));
    Ok(Json(house.db.run(make).await?))
}

/// What is to be measured.
#[derive(Debug, Clone, Serialize, Deserialize, TS)]
pub struct Measure {
    /// First place.
    pub a: part::Spot,
    /// Second place.
    pub b: Option<part::Spot>,
}

#[post("/api/jobs/{id}/measure")]
async fn measure(
    Signed(me): Signed,
    house: Data<House>,
    id: Path<i64>,
    m: Json<Measure>,
) -> Result<HttpResponse, Fault> {
    look_json(&me, &house, *id, Of::Measure(m.into_inner())).await
}

#[post("/api/jobs/{id}/section")]
async fn section(
    Signed(me): Signed,
    house: Data<House>,
    id: Path<i64>,
    c: Json<part::Cut>,
) -> Result<HttpResponse, Fault> {
    let cut = c.into_inner();
    if cut.axis > 2 || !cut.at.is_finite() {
        return Err(Fault::Bad("A section is square to axis 0, 1 or 2 (X, Y, Z), at a place in mm".into()));
    }
    look_json(&me, &house, *id, Of::Section(cut)).await
}

/// Another solid of a job's file becomes a job of its own.
#[post("/api/jobs/{id}/beside/{solid}")]
async fn beside(Signed(me): Signed, house: Data<House>, p: Path<(i64, usize)>) -> Answer<JobCard> {
    let (id, solid) = p.into_inner();
    let told = look(&me, &house, Ask::Job(id, Of::Solids), Bytes::new()).await?;
    let (mine, names): (usize, Vec<String>) =
        serde_json::from_slice(&told).map_err(|e| Fault::internal(e.to_string()))?;
    if solid == mine {
        return Err(Fault::Bad("This job is about that solid already".into()));
    }
    let name = names.get(solid).ok_or(Fault::NoSuch("solid"))?.clone();
    let card = house.db.run(move |c| {
        let new = jobs::make_beside(c, &me, id, solid, &name)?;
        let job = jobs::of(c, &me, new)?;
        jobs::card(c, &job)
    });
    Ok(Json(card.await?))
}

/// Triangles: made once, however many ask at the same time, and kept.
async fn triangles(me: Me, house: Data<House>, id: i64, of: Of) -> Result<HttpResponse, Fault> {
    let (who, what) = (me.clone(), of.clone());
    let key = house.db.run(move |c| Ok(look::mesh_key(&what, &jobs::of(c, &who, id)?, &jobs::settled(c, id)?))).await?;
    let flight = house.flights.of(&key);
    let _alone = flight.lock().await;
    let name = key.clone();
    let bytes = match house.db.run(move |c| blobs::get(c, &name)).await? {
        Some(b) => b,
        None => {
            let made = look(&me, &house, Ask::Job(id, of), Bytes::new()).await?;
            let kept = made.clone();
            house.db.run(move |c| blobs::put(c, &key, &kept, false)).await?;
            made
        }
    };
    Ok(HttpResponse::Ok().content_type("application/octet-stream").body(bytes))
}

/// Triangles of the file's other solids.
#[get("/api/jobs/{id}/mesh-others")]
async fn mesh_others(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Result<HttpResponse, Fault> {
    triangles(me, house, *id, Of::MeshOthers).await
}

#[get("/api/jobs/{id}/mesh")]
async fn mesh(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Result<HttpResponse, Fault> {
    triangles(me, house, *id, Of::Mesh).await
}

#[get("/api/jobs/{id}/mesh-before")]
async fn mesh_before(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Result<HttpResponse, Fault> {
    triangles(me, house, *id, Of::MeshBefore).await
}

/// A file to take away.
#[get("/api/jobs/{id}/export/{what}")]
async fn export(Signed(me): Signed, house: Data<House>, p: Path<(i64, String)>) -> Result<HttpResponse, Fault> {
    let (id, what) = p.into_inner();
    let who = me.clone();
    let title = house.db.run(move |c| Ok(jobs::of(c, &who, id)?.title)).await?;
    let bytes = look(&me, &house, Ask::Job(id, Of::Export(what.clone())), Bytes::new()).await?;
    Ok(download(&format!("{}-{what}", jobs::stem_of(&title)), "application/octet-stream", bytes))
}

#[get("/api/jobs/{id}/picture")]
async fn picture_route(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Result<HttpResponse, Fault> {
    let png = house.db.run(move |c| {
        let job = jobs::of(c, &me, *id)?;
        blobs::get(c, &format!("picture-{}", job.model))?.ok_or(Fault::NoSuch("picture"))
    });
    Ok(HttpResponse::Ok()
        .content_type("image/png")
        .insert_header((header::CACHE_CONTROL, "private, max-age=86400"))
        .body(png.await?))
}

pub(super) fn download(file: &str, kind: &str, body: Vec<u8>) -> HttpResponse {
    let name = file.chars().filter(|c| !c.is_control() && *c != '"' && *c != '/').collect();
    HttpResponse::Ok()
        .content_type(kind)
        .insert_header(ContentDisposition {
            disposition: DispositionType::Attachment,
            parameters: vec![DispositionParam::Filename(name)],
        })
        .body(body)
}

#[get("/api/jobs/{id}/model")]
async fn model_route(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Result<HttpResponse, Fault> {
    let (file, bytes) = house
        .db
        .run(move |c| {
            let job = jobs::of(c, &me, *id)?;
            let settled = jobs::settled(c, *id)?;
            let sha = crate::work::model_of(&job, &settled);
            let bytes = blobs::get(c, &format!("model-{sha}"))?.ok_or(Fault::NoSuch("model"))?;
            Ok((settled.model.map_or(job.file, |m| m.file), bytes))
        })
        .await?;
    Ok(download(&file, "application/octet-stream", bytes))
}

#[post("/api/jobs/{id}/issue/{side}")]
async fn issue(Signed(me): Signed, house: Data<House>, p: Path<(i64, usize)>) -> Result<HttpResponse, Fault> {
    let (id, side) = p.into_inner();
    let (file, text) = house.db.run(move |c| jobs::issue(c, &me, id, side)).await?;
    Ok(download(&file, "text/plain; charset=us-ascii", text.into_bytes()))
}

#[get("/api/jobs/{id}/issued/{issue}")]
async fn issued(Signed(me): Signed, house: Data<House>, p: Path<(i64, i64)>) -> Result<HttpResponse, Fault> {
    let (id, number) = p.into_inner();
    let (file, text) = house.db.run(move |c| jobs::issued_text(c, &me, id, number)).await?;
    Ok(download(&file, "text/plain; charset=us-ascii", text.into_bytes()))
}
