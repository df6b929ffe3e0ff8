//! Signing in and out, and the people of a shop.

use super::routes::Answer;
use super::session::{browser_name, cookie_name, token};
use super::{House, Outer, Signed};
use crate::audit::{self, Entry};
use crate::fault::Fault;
use crate::people::{self, SignIn};
use crate::sign_in::Attempt;
use actix_web::cookie::{Cookie, SameSite, time};
use actix_web::web::{Data, Json, Path, Query, ServiceConfig, block};
use actix_web::{HttpRequest, HttpResponse, delete, get, patch, post};
use diesel::prelude::*;
use job::cache::hex;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Register them.
pub fn all(c: &mut ServiceConfig) {
    c.service(sign_in)
        .service(sign_out)
        .service(new_password)
        .service(list)
        .service(add)
        .service(change)
        .service(put_out)
        .service(audited);
}

/// A cookie of ours: for this house only, out of reach of scripts, and over https only where the client speaks it.
fn cookie(name: String, value: String, days: i64, secure: bool) -> Cookie<'static> {
    Cookie::build(name, value)
        .path("/")
        .http_only(true)
        .secure(secure)
        .same_site(SameSite::Strict)
        .max_age(time::Duration::days(days))
        .finish()
}

#[post("/api/session")]
async fn sign_in(req: HttpRequest, house: Data<House>, body: Json<SignIn>) -> Result<HttpResponse, Fault> {
    let SignIn { name, password } = body.into_inner();
    let host = Outer::host_of(&req);
    let client = house.outer.client_of(&req);
    let browser = req.cookie(&browser_name(host.as_deref())).map(|c| c.value().to_string());
    let browser = browser.filter(|b| b.len() == 64 && b.bytes().all(|c| c.is_ascii_hexdigit()));
    let try_ = Attempt { name, client: client.clone(), browser: browser.clone() };
    // Counted in one transaction, looked at in the next: guesses at the same time count one another.
    let attempt = try_.clone();
    let counted = house.db.run(move |c| attempt.count(c)).await?;
    let attempt = try_.clone();
    let own = counted.clone();
    if let Some(seconds) = house.db.run(move |c| attempt.wait(c, &own)).await? {
        return Err(Fault::Wait(seconds));
    }
    let name = try_.name.clone();
    let person = house.db.run(move |c| people::find(c, &name)).await?;
    // An unknown name takes as long as a known one.
    const NOBODY: &str =
        "$argon2id$v=19$m=19456,t=2,p=1$c29tZSBzYWx0IGhlcmU$o9mSjPNXbLVVwvM0Cr5F8kYwmOFWBVNAwEcgC0Qx7NE";
    let hash = person.as_ref().map_or(NOBODY.to_string(), |p| p.password.clone());
    let right = block(move || people::fits(&password, &hash)).await.map_err(|e| Fault::internal(e.to_string()))?;
    let browser = browser.unwrap_or_else(|| hex(&rand::random::<[u8; 32]>()));
    let Some(p) = person.as_ref().filter(|_| right).cloned() else {
        if let Some(p) = person {
            let failed = move |c: &mut crate::db::Conn| {
                audit::note_of(c, p.shop_id, None, &p.name, "sign_in_failed", "a wrong password", &client)
            };
            house.db.run(failed).await?;
        }
        return Err(Fault::BadSignIn);
    };
    let known = browser.clone();
    let token = house
        .db
        .run(move |c| {
            try_.succeeded(c, &counted, p.id, &known)?;
            audit::note_of(c, p.shop_id, Some(p.id), &p.name, "sign_in", "signed in", &client)?;
            people::open_session(c, p.id)
        })
        .await?;
    let secure = house.outer.is_https(&req);
    Ok(HttpResponse::NoContent()
        .cookie(cookie(cookie_name(host.as_deref()), token, 14, secure))
        .cookie(cookie(browser_name(host.as_deref()), browser, 180, secure))
        .finish())
}

#[delete("/api/session")]
async fn sign_out(req: HttpRequest, house: Data<House>) -> Result<HttpResponse, Fault> {
    if let Some(t) = token(&req) {
        house.db.run(move |c| people::close_session(c, &t)).await?;
    }
    let mut gone = Cookie::build(cookie_name(Outer::host_of(&req).as_deref()), "").path("/").finish();
    gone.make_removal();
    Ok(HttpResponse::NoContent().cookie(gone).finish())
}

/// One's own new password.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct NewPassword {
    /// The one that holds now.
    pub old: String,
    /// At least 10 characters.
    pub new: String,
}

#[post("/api/me/password")]
async fn new_password(
    req: HttpRequest,
    Signed(me): Signed,
    house: Data<House>,
    b: Json<NewPassword>,
) -> Result<HttpResponse, Fault> {
    let token = token(&req).unwrap_or_default();
    house.db.run(move |c| people::change_password(c, &me, &b.old, &b.new, &token)).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// A person of the shop.
#[derive(Debug, Clone, Serialize, TS)]
pub struct PersonCard {
    /// Name.
    pub name: String,
    /// May change the shop.
    pub owner: bool,
}

#[get("/api/people")]
async fn list(Signed(me): Signed, house: Data<House>) -> Answer<Vec<PersonCard>> {
    use crate::db::schema::people::dsl;
    let rows = house.db.run(move |c| {
        let rows: Vec<(String, bool)> = dsl::people
            .filter(dsl::shop_id.eq(me.shop_id).and(dsl::active.eq(true)))
            .order(dsl::name)
            .select((dsl::name, dsl::owner))
            .load(c)?;
        Ok(rows)
    });
    Ok(Json(rows.await?.into_iter().map(|(name, owner)| PersonCard { name, owner }).collect()))
}

/// A new person.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct NewPerson {
    /// Name to sign in with.
    pub name: String,
    /// At least 10 characters.
    pub password: String,
}

#[post("/api/people")]
async fn add(Signed(me): Signed, house: Data<House>, body: Json<NewPerson>) -> Result<HttpResponse, Fault> {
    if !me.owner {
        return Err(Fault::OwnerOnly);
    }
    let b = body.into_inner();
    let new = move |c: &mut crate::db::Conn| {
        people::add(c, me.shop_id, &b.name, &b.password, false)?;
        audit::note(c, &me, "people", &format!("{} may sign in now", people::normal(&b.name)), "")
    };
    house.db.run(new).await?;
    Ok(HttpResponse::Created().finish())
}

/// An owner, or a member.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct NewOwner {
    /// May change the shop.
    pub owner: bool,
}

#[patch("/api/people/{name}")]
async fn change(
    Signed(me): Signed,
    house: Data<House>,
    name: Path<String>,
    b: Json<NewOwner>,
) -> Result<HttpResponse, Fault> {
    house.db.run(move |c| people::set_owner(c, &me, &name, b.owner)).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[delete("/api/people/{name}")]
async fn put_out(Signed(me): Signed, house: Data<House>, name: Path<String>) -> Result<HttpResponse, Fault> {
    house.db.run(move |c| people::put_out(c, &me, &name)).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[derive(Debug, Deserialize)]
struct Before {
    before: Option<i64>,
}

/// Who did what when, a page at a time.
#[get("/api/audit")]
async fn audited(Signed(me): Signed, house: Data<House>, q: Query<Before>) -> Answer<Vec<Entry>> {
    Ok(Json(house.db.run(move |c| audit::page(c, &me, q.before)).await?))
}
