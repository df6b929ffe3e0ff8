//! How the house is kept: backups, room, the bin.

use super::routes::Answer;
use super::{House, Signed};
use crate::fault::Fault;
use crate::keeping::{self, Goes, Keeping, NewQuota};
use actix_web::web::{Data, Json, Path, ServiceConfig};
use actix_web::{HttpResponse, delete, get, patch, post};

/// Register them.
pub fn all(c: &mut ServiceConfig) {
    c.service(sheet).service(quota).service(goes).service(throw_away).service(take_back);
}

#[get("/api/keeping")]
async fn sheet(Signed(me): Signed, house: Data<House>) -> Answer<Keeping> {
    Ok(Json(house.db.run(move |c| keeping::sheet(c, &me)).await?))
}

#[patch("/api/keeping")]
async fn quota(Signed(me): Signed, house: Data<House>, b: Json<NewQuota>) -> Result<HttpResponse, Fault> {
    house.db.run(move |c| keeping::set_quota(c, &me, &b)).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[get("/api/jobs/{id}/goes")]
async fn goes(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Answer<Goes> {
    Ok(Json(house.db.run(move |c| keeping::goes(c, &me, *id)).await?))
}

#[delete("/api/jobs/{id}")]
async fn throw_away(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Result<HttpResponse, Fault> {
    house.db.run(move |c| keeping::throw_away(c, &me, *id)).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[post("/api/jobs/{id}/back")]
async fn take_back(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Result<HttpResponse, Fault> {
    house.db.run(move |c| keeping::take_back(c, &me, *id)).await?;
    Ok(HttpResponse::NoContent().finish())
}
