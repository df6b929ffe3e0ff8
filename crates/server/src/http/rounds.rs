//! Routes of the trainer.

use super::routes::Answer;
use super::{House, Signed};
use crate::fault::Fault;
use crate::rounds::{self, Eye, NewAnswer, RoundCard, RoundSheet};
use actix_web::web::{Data, Json, Path, ServiceConfig};
use actix_web::{HttpResponse, get, post};

/// Register everything.
pub fn all(c: &mut ServiceConfig) {
    c.service(ask).service(one).service(history).service(answer).service(eye);
}

#[post("/api/jobs/{id}/rounds")]
async fn ask(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Answer<RoundCard> {
    Ok(Json(house.db.run(move |c| rounds::ask(c, &me, *id)).await?))
}

#[get("/api/jobs/{id}/rounds/{round}")]
async fn one(Signed(me): Signed, house: Data<House>, p: Path<(i64, i64)>) -> Answer<RoundSheet> {
    let (id, round) = p.into_inner();
    Ok(Json(house.db.run(move |c| rounds::sheet_of(c, &me, id, round)).await?))
}

#[get("/api/jobs/{id}/rounds/{round}/history")]
async fn history(Signed(me): Signed, house: Data<House>, p: Path<(i64, i64)>) -> Result<HttpResponse, Fault> {
    let (id, round) = p.into_inner();
    let bytes = house.db.run(move |c| rounds::history_of(c, &me, id, round)).await?;
    Ok(HttpResponse::Ok().content_type("application/octet-stream").body(bytes))
}

#[post("/api/jobs/{id}/rounds/{round}/answer")]
async fn answer(Signed(me): Signed, house: Data<House>, p: Path<(i64, i64)>, b: Json<NewAnswer>) -> Answer<RoundSheet> {
    let (id, round) = p.into_inner();
    Ok(Json(house.db.run(move |c| rounds::answer(c, &me, id, round, &b)).await?))
}

/// How one reads oneself.
#[get("/api/rounds")]
async fn eye(Signed(me): Signed, house: Data<House>) -> Answer<Eye> {
    Ok(Json(house.db.run(move |c| rounds::eye(c, &me)).await?))
}
