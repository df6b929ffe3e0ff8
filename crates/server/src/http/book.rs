//! Routes of the shop's book.

use super::routes::{Answer, download};
use super::stock::text_of;
use super::{House, Signed};
use crate::book::{self, BookPreview, BookSheet};
use crate::db::Conn;
use crate::fault::Fault;
use crate::people::Me;
use actix_web::web::{Bytes, Data, Json, ServiceConfig};
use actix_web::{HttpResponse, get, post};
use shop::book::BookChange;

/// Register everything.
pub fn all(c: &mut ServiceConfig) {
    c.service(now)
        .service(act)
        .service(undo)
        .service(redo)
        .service(preview)
        .service(import)
        .service(file)
        .service(sample);
}

/// Do something with the book; what stands in it then.
async fn done(
    me: Me,
    house: Data<House>,
    f: impl Fn(&mut Conn, &Me) -> Result<(), Fault> + Send + 'static,
) -> Answer<BookSheet> {
    let sheet = house.db.run(move |c| {
        f(c, &me)?;
        book::sheet(c, &me)
    });
    Ok(Json(sheet.await?))
}

#[get("/api/book")]
async fn now(Signed(me): Signed, house: Data<House>) -> Answer<BookSheet> {
    done(me, house, |_, _| Ok(())).await
}

#[post("/api/book")]
async fn act(Signed(me): Signed, house: Data<House>, b: Json<BookChange>) -> Answer<BookSheet> {
    done(me, house, move |c, me| book::act(c, me, &b)).await
}

#[post("/api/book/undo")]
async fn undo(Signed(me): Signed, house: Data<House>) -> Answer<BookSheet> {
    done(me, house, book::undo).await
}

#[post("/api/book/redo")]
async fn redo(Signed(me): Signed, house: Data<House>) -> Answer<BookSheet> {
    done(me, house, book::redo).await
}

/// Look a book in a file through; nothing is changed.
#[post("/api/book/preview")]
async fn preview(Signed(me): Signed, house: Data<House>, body: Bytes) -> Answer<BookPreview> {
    let text = text_of(&body)?;
    Ok(Json(house.db.run(move |c| book::preview(c, &me, &text)).await?))
}

/// Take it.
#[post("/api/book/import")]
async fn import(Signed(me): Signed, house: Data<House>, body: Bytes) -> Answer<BookSheet> {
    let text = text_of(&body)?;
    done(me, house, move |c, me| book::import(c, me, &text)).await
}

/// What a control's description comes to: a sample, read back. Nothing is kept.
#[post("/api/book/sample")]
async fn sample(Signed(_): Signed, d: Json<shop::dialect::Dialect>) -> Json<program::Sample> {
    Json(program::sample(&d))
}

#[get("/api/book.json")]
async fn file(Signed(me): Signed, house: Data<House>) -> Result<HttpResponse, Fault> {
    let bytes = house.db.run(move |c| book::file(c, &me)).await?;
    Ok(download("shop.json", "application/json", bytes))
}
