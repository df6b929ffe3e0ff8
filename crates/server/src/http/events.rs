//! Server-sent events: a job's screens hear when something changes. An event carries the whole state that changed hands, so a client that was away is
//! up to date with the first one; its id is the revision.

use super::{House, Signed};
use crate::db::schema::jobs as jobs_table;
use crate::fault::Fault;
use crate::jobs::{self, JobCard};
use actix_web::http::header;
use actix_web::web::{Bytes, Data, Path};
use actix_web::{HttpResponse, get};
use diesel::prelude::*;
use futures_util::stream;
use std::time::Duration;

/// How often the tables are looked at, and how often a quiet line says that it is alive.
const LOOK: Duration = Duration::from_millis(300);
const QUIET: u32 = 50;

fn event(name: &str, id: i64, data: &str) -> Bytes {
    Bytes::from(format!("event: {name}\nid: {id}\ndata: {data}\n\n"))
}

type Look = Box<dyn Fn() -> std::pin::Pin<Box<dyn Future<Output = Result<(i64, String), Fault>>>>>;

/// A stream that sends what `look` sees whenever it is something new.
fn changes(name: &'static str, look: Look) -> HttpResponse {
    let body = stream::unfold((look, String::new(), 0_u32), move |(look, last, _)| async move {
        let mut quiet = 0;
        loop {
            match look().await {
                Ok((id, data)) if data != last => {
                    let out = event(name, id, &data);
                    return Some((Ok::<_, actix_web::Error>(out), (look, data, 0)));
                }
                Ok(_) => {}
                // Signed out, put away, or the database is gone: the client asks again and hears why.
                Err(_) => return None,
            }
            quiet += 1;
            if quiet >= QUIET {
                return Some((Ok(Bytes::from_static(b": alive\n\n")), (look, last, 0)));
            }
            actix_web::rt::time::sleep(LOOK).await;
        }
    });
    HttpResponse::Ok()
        .content_type("text/event-stream")
        .insert_header((header::CACHE_CONTROL, "no-store"))
        // Compression would hold events back.
        .insert_header((header::CONTENT_ENCODING, "identity"))
        .streaming(Box::pin(body))
}

fn json(card: &impl serde::Serialize) -> Result<String, Fault> {
    serde_json::to_string(card).map_err(|e| Fault::internal(e.to_string()))
}

/// One job.
#[get("/api/jobs/{id}/events")]
pub async fn of_job(Signed(me): Signed, house: Data<House>, id: Path<i64>) -> Result<HttpResponse, Fault> {
    let id = id.into_inner();
    let first = me.clone();
    house.db.run(move |c| jobs::of(c, &first, id)).await?;
    Ok(changes(
        "job",
        Box::new(move || {
            let (db, me) = (house.db.clone(), me.clone());
            Box::pin(async move {
                db.run(move |c| {
                    let job = jobs::of(c, &me, id)?;
                    let card = jobs::card(c, &job)?;
                    Ok((job.revision, json(&card)?))
                })
                .await
            })
        }),
    ))
}

/// The bench.
#[get("/api/events")]
pub async fn of_bench(Signed(me): Signed, house: Data<House>) -> HttpResponse {
    changes(
        "bench",
        Box::new(move || {
            let (db, me) = (house.db.clone(), me.clone());
            Box::pin(async move {
                db.run(move |c| {
                    let cards: Vec<JobCard> = jobs::list(c, &me)?;
                    let newest: Option<i64> = jobs_table::table
                        .filter(jobs_table::shop_id.eq(me.shop_id))
                        .select(diesel::dsl::max(jobs_table::id))
                        .first(c)?;
                    Ok((newest.unwrap_or(0), json(&cards)?))
                })
                .await
            })
        }),
    )
}
