//! Routes of runs at the machine and of the log.

use super::routes::{Answer, download, look};
use super::{House, Signed};
use crate::at_machine::{self, MachineAsk, MachineSays};
use crate::fault::Fault;
use crate::look::{Ask, Of};
use crate::runs::{self, BrokenOff, LogPage, NewEntry, Rest, RunCard, RunSheet};
use actix_web::web::{Bytes, Data, Json, Path, Query, ServiceConfig, block};
use actix_web::{HttpResponse, get, post};
use job::price::Price;
use run::series::SizeSeries;
use serde::Deserialize;

/// Register everything.
pub fn all(c: &mut ServiceConfig) {
    c.service(list)
        .service(begin)
        .service(sizes)
        .service(price)
        .service(table)
        .service(json)
        .service(one)
        .service(add)
        .service(rest)
        .service(machine)
        .service(order)
        .service(log);
}

#[get("/api/jobs/{id}/runs")]
async fn list(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Answer<Vec<RunCard>> {
    Ok(Json(house.db.run(move |c| runs::of_job(c, &me, *id)).await?))
}

/// Sizes over the pieces of a job.
#[get("/api/jobs/{id}/sizes")]
async fn sizes(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Answer<Vec<SizeSeries>> {
    Ok(Json(house.db.run(move |c| runs::sizes(c, &me, *id)).await?))
}

#[derive(Debug, Deserialize)]
struct Pieces {
    pieces: Option<u32>,
}

/// What a piece costs.
#[get("/api/jobs/{id}/price")]
async fn price(Signed(me): Signed, house: Data<House>, id: Path<i64>, q: Query<Pieces>) -> Answer<Price> {
    Ok(Json(house.db.run(move |c| runs::price(c, &me, *id, q.pieces)).await?))
}

#[post("/api/jobs/{id}/runs")]
async fn begin(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Answer<RunSheet> {
    let (id, who) = (*id, me.clone());
    // Whoever may not begin hears so before anything is drawn.
    house.db.run(move |c| crate::jobs::proved(c, &who, id).map(drop)).await?;
    let drawn = look(&me, &house, Ask::Job(id, Of::Pictures), Bytes::new()).await?;
    let drawn: (String, Vec<run::card::Drawing>) =
        serde_json::from_slice(&drawn).map_err(|e| Fault::internal(e.to_string()))?;
    Ok(Json(house.db.run(move |c| runs::begin(c, &me, id, &drawn)).await?))
}

#[get("/api/jobs/{id}/runs/{run}")]
async fn one(Signed(me): Signed, house: Data<House>, p: Path<(i64, i64)>) -> Answer<RunSheet> {
    let (id, run) = p.into_inner();
    Ok(Json(house.db.run(move |c| runs::sheet_of(c, &me, id, run)).await?))
}

#[post("/api/jobs/{id}/runs/{run}/entries")]
async fn add(Signed(me): Signed, house: Data<House>, p: Path<(i64, i64)>, b: Json<NewEntry>) -> Answer<RunSheet> {
    let (id, run) = p.into_inner();
    Ok(Json(house.db.run(move |c| runs::add(c, &me, id, run, &b)).await?))
}

/// The rest of a program that was broken off.
#[post("/api/jobs/{id}/runs/{run}/rest")]
async fn rest(Signed(me): Signed, house: Data<House>, p: Path<(i64, i64)>, b: Json<BrokenOff>) -> Answer<Rest> {
    let (id, run) = p.into_inner();
    Ok(Json(house.db.run(move |c| runs::rest(c, &me, id, run, &b)).await?))
}

/// The machine, as this run sees it.
#[get("/api/jobs/{id}/runs/{run}/machine")]
async fn machine(Signed(me): Signed, house: Data<House>, p: Path<(i64, i64)>) -> Answer<MachineSays> {
    let (id, run) = p.into_inner();
    house.db.run(move |c| runs::there(c, &me, id, run)).await?;
    let link = house.machine.clone();
    let said = block(move || at_machine::state(link.as_ref(), run)).await;
    Ok(Json(said.map_err(|e| Fault::internal(e.to_string()))?))
}

/// Something is asked of it.
#[post("/api/jobs/{id}/runs/{run}/machine")]
async fn order(
    Signed(me): Signed,
    house: Data<House>,
    p: Path<(i64, i64)>,
    b: Json<MachineAsk>,
) -> Answer<MachineSays> {
    let (id, run) = p.into_inner();
    let ask = b.into_inner();
    let (wanted, link) = (ask.clone(), house.machine.clone());
    let orders = house.db.run(move |c| at_machine::orders(c, &me, id, run, &wanted)).await?;
    let said = block(move || at_machine::give(link.as_ref(), run, &ask, orders)).await;
    Ok(Json(said.map_err(|e| Fault::internal(e.to_string()))??))
}

#[get("/api/jobs/{id}/runs/{run}/log.csv")]
async fn table(Signed(me): Signed, house: Data<House>, p: Path<(i64, i64)>) -> Result<HttpResponse, Fault> {
    let (id, run) = p.into_inner();
    let text = house.db.run(move |c| runs::table(c, &me, id, run)).await?;
    Ok(download(&format!("run-{run}.csv"), "text/csv; charset=utf-8", text.into_bytes()))
}

#[get("/api/jobs/{id}/runs/{run}/log.json")]
async fn json(Signed(me): Signed, house: Data<House>, p: Path<(i64, i64)>) -> Result<HttpResponse, Fault> {
    let (id, run) = p.into_inner();
    let sheet = house.db.run(move |c| runs::sheet_of(c, &me, id, run)).await?;
    let text = serde_json::to_vec_pretty(&sheet).map_err(|e| Fault::internal(e.to_string()))?;
    let text = reason::plain(&String::from_utf8_lossy(&text)).into_owned();
    Ok(download(&format!("run-{run}.json"), "application/json", text.into_bytes()))
}

#[derive(Debug, Deserialize)]
struct Wanted {
    before: Option<i64>,
    #[serde(default)]
    find: String,
}

#[get("/api/log")]
async fn log(Signed(me): Signed, house: Data<House>, q: Query<Wanted>) -> Answer<LogPage> {
    Ok(Json(house.db.run(move |c| runs::log(c, &me, q.before, &q.find)).await?))
}
