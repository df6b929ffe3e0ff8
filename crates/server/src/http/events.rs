//! Server-sent events: the screens of a browser hear on one stream when a job of the shop looks otherwise. It begins with the
//! newest cards, so a client that was away is up to date with the first event; then each changed card follows, and the number of each job that went.

use super::session::token;
use super::{House, Signed};
use crate::fault::Fault;
use crate::jobs::{self, Wanted};
use crate::people::{self, Me};
use crate::watch::{Place, Told};
use actix_web::http::header;
use actix_web::web::{Bytes, Data};
use actix_web::{HttpRequest, HttpResponse, get};
use futures_util::stream;
use std::time::Duration;
use tokio::sync::broadcast::error::RecvError;

/// A quiet line after this long says that the stream is alive.
const QUIET: Duration = Duration::from_secs(15);

fn event(name: &str, id: i64, data: &str) -> Bytes {
    Bytes::from(format!("event: {name}\nid: {id}\ndata: {data}\n\n"))
}

struct Listener {
    house: Data<House>,
    me: Me,
    token: String,
    place: Place,
    /// All cards are due.
    all: bool,
}

impl Listener {
    async fn cards(&self) -> Result<Bytes, Fault> {
        let me = self.me.clone();
        let page = self.house.db.run(move |c| jobs::list(c, &me, &Wanted::default())).await?;
        let json = serde_json::to_string(&page).map_err(|e| Fault::internal(e.to_string()))?;
        Ok(event("bench", page.jobs.first().map_or(0, |c| c.id), &json))
    }
    /// The next bytes; none ends the stream.
    async fn next(&mut self) -> Option<Bytes> {
        loop {
            if self.all {
                self.all = false;
                // Where the database is away the client asks again.
                return self.cards().await.ok();
            }
            match tokio::time::timeout(QUIET, self.place.told.recv()).await {
                Err(_) => return Some(Bytes::from_static(b": alive\n\n")),
                Ok(Ok(Told::Card { shop, revision, json })) if shop == self.me.shop_id => {
                    return Some(event("card", revision, &json));
                }
                Ok(Ok(Told::Gone { shop, job })) if shop == self.me.shop_id => {
                    return Some(event("gone", job, &job.to_string()));
                }
                Ok(Ok(Told::Person(p))) if p == self.me.id => {
                    let token = self.token.clone();
                    self.house.db.run(move |c| people::who(c, &token)).await.ok()?;
                }
                Ok(Ok(Told::Lost) | Err(RecvError::Lagged(_))) => self.all = true,
                Ok(Ok(_)) => {}
                Ok(Err(RecvError::Closed)) => return None,
            }
        }
    }
}

/// The shop's jobs.
#[get("/api/events")]
pub async fn of_shop(req: HttpRequest, Signed(me): Signed, house: Data<House>) -> Result<HttpResponse, Fault> {
    let place = house.hub.place(me.id)?;
    let listener = Listener { house, me, token: token(&req).unwrap_or_default(), place, all: true };
    let body = stream::unfold(listener, |mut l| async move {
        let bytes = l.next().await?;
        Some((Ok::<_, actix_web::Error>(bytes), l))
    });
    Ok(HttpResponse::Ok()
        .content_type("text/event-stream")
        .insert_header((header::CACHE_CONTROL, "no-store"))
        // Compression would hold events back.
        .insert_header((header::CONTENT_ENCODING, "identity"))
        .streaming(Box::pin(body)))
}
