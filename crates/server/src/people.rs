//! People: signing in and out, who may do what.

use crate::db::rows::Person;
use crate::db::schema::{people, sessions, shops, sign_in_failures};
use crate::db::{Conn, last_id, now};
use crate::fault::Fault;
use argon2::Argon2;
use argon2::password_hash::phc::PasswordHash;
use argon2::password_hash::{PasswordHasher, PasswordVerifier};
use chrono::Duration;
use diesel::prelude::*;
use job::cache::hex;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use ts_rs::TS;

/// A session ends after this many days without a visit.
const IDLE_DAYS: i64 = 14;
/// So many failures in [`WINDOW_MIN`] minutes, by name or by address, and one has to wait.
const FAILURES: i64 = 5;
/// See [`FAILURES`]. An address may belong to a whole shop: it gets four times as many.
const WINDOW_MIN: i64 = 10;

/// Who is at the screen.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, TS)]
pub struct Me {
    /// Person.
    #[ts(type = "number")]
    pub id: i64,
    /// Name.
    pub name: String,
    /// May change the shop.
    pub owner: bool,
    /// The shop's id.
    #[ts(skip)]
    #[serde(skip)]
    pub shop_id: i64,
    /// The shop's name.
    pub shop: String,
    /// "mm" or "inch".
    pub units: String,
}

/// Name and password.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct SignIn {
    /// As the owner wrote it.
    pub name: String,
    /// In the clear: the connection is the shop's own.
    pub password: String,
}

/// Argon2id with the library's recommended parameters (OWASP's: 19 MiB, 2 passes).
pub fn hash(password: &str) -> Result<String, Fault> {
    let h: argon2::password_hash::phc::PasswordHash =
        Argon2::default().hash_password(password.as_bytes()).map_err(|e| Fault::internal(e.to_string()))?;
    Ok(h.to_string())
}

/// Does the password belong to the hash?
pub fn fits(password: &str, hash: &str) -> bool {
    PasswordHash::new(hash).is_ok_and(|h| Argon2::default().verify_password(password.as_bytes(), &h).is_ok())
}

fn sha(token: &str) -> String {
    hex(&Sha256::digest(token.as_bytes()))
}

/// Seconds to wait for one more try, if any.
fn must_wait(c: &mut Conn, bucket: &str, most: i64) -> Result<Option<u32>, Fault> {
    let since = now() - Duration::minutes(WINDOW_MIN);
    let failed: Vec<chrono::NaiveDateTime> = sign_in_failures::table
        .filter(sign_in_failures::bucket.eq(bucket).and(sign_in_failures::at.gt(since)))
        .order(sign_in_failures::at.desc())
        .limit(most)
        .select(sign_in_failures::at)
        .load(c)?;
    if (failed.len() as i64) < most {
        return Ok(None);
    }
    let oldest = failed.last().copied().unwrap_or(since);
    Ok(Some((oldest - since).num_seconds().max(1) as u32))
}

/// May this name try from this address? Called before the slow hash.
pub fn may_try(c: &mut Conn, name: &str, address: &str) -> Result<(), Fault> {
    let tries = [(format!("name:{}", name.to_lowercase()), FAILURES), (format!("from:{address}"), 4 * FAILURES)];
    for (bucket, most) in tries {
        if let Some(s) = must_wait(c, &bucket, most)? {
            return Err(Fault::Wait(s));
        }
    }
    Ok(())
}

/// Remember a failure.
pub fn failed(c: &mut Conn, name: &str, address: &str) -> Result<(), Fault> {
    let rows: Vec<_> = [format!("name:{}", name.to_lowercase()), format!("from:{address}")]
        .into_iter()
        .map(|b| b.chars().take(120).collect::<String>())
        .map(|b| (sign_in_failures::bucket.eq(b), sign_in_failures::at.eq(now())))
        .collect();
    diesel::insert_into(sign_in_failures::table).values(rows).execute(c)?;
    let old = now() - Duration::days(1);
    diesel::delete(sign_in_failures::table.filter(sign_in_failures::at.lt(old))).execute(c)?;
    Ok(())
}

/// A person by name.
pub fn find(c: &mut Conn, name: &str) -> Result<Option<Person>, Fault> {
    Ok(people::table
        .filter(people::name.eq(name).and(people::active.eq(true)))
        .select(Person::as_select())
        .first(c)
        .optional()?)
}

/// Open a session and give its token; only its hash is kept.
pub fn open_session(c: &mut Conn, person: i64) -> Result<String, Fault> {
    let token = hex(&rand::random::<[u8; 32]>());
    diesel::insert_into(sessions::table)
        .values((
            sessions::token_sha.eq(sha(&token)),
            sessions::person_id.eq(person),
            sessions::made_at.eq(now()),
            sessions::seen_at.eq(now()),
        ))
        .execute(c)?;
    let old = now() - Duration::days(IDLE_DAYS);
    diesel::delete(sessions::table.filter(sessions::seen_at.lt(old))).execute(c)?;
    Ok(token)
}

/// Who a token belongs to.
pub fn who(c: &mut Conn, token: &str) -> Result<Me, Fault> {
    let alive = now() - Duration::days(IDLE_DAYS);
    let key = sha(token);
    let row: Option<(Person, chrono::NaiveDateTime)> = sessions::table
        .inner_join(people::table)
        .filter(sessions::token_sha.eq(&key).and(sessions::seen_at.gt(alive)).and(people::active.eq(true)))
        .select((Person::as_select(), sessions::seen_at))
        .first(c)
        .optional()?;
    let (p, seen) = row.ok_or(Fault::SignedOut)?;
    if now() - seen > Duration::minutes(5) {
        diesel::update(sessions::table.find(&key)).set(sessions::seen_at.eq(now())).execute(c)?;
    }
    let (shop, units): (String, String) = shops::table.find(p.shop_id).select((shops::name, shops::units)).first(c)?;
    Ok(Me { id: p.id, name: p.name, owner: p.owner, shop_id: p.shop_id, shop, units })
}

/// End a session.
pub fn close_session(c: &mut Conn, token: &str) -> Result<(), Fault> {
    diesel::delete(sessions::table.find(sha(token))).execute(c)?;
    Ok(())
}

fn good_password(password: &str) -> Result<(), Fault> {
    if password.chars().count() < 10 {
        return Err(Fault::Bad("A password has at least 10 characters".into()));
    }
    Ok(())
}

/// Another password; whoever is signed in under the name is signed out.
pub fn set_password(c: &mut Conn, name: &str, password: &str) -> Result<(), Fault> {
    good_password(password)?;
    let p = find(c, name)?.ok_or(Fault::NoSuch("person"))?;
    diesel::update(people::table.find(p.id)).set(people::password.eq(hash(password)?)).execute(c)?;
    diesel::delete(sessions::table.filter(sessions::person_id.eq(p.id))).execute(c)?;
    Ok(())
}

/// A new person.
pub fn add(c: &mut Conn, shop: i64, name: &str, password: &str, owner: bool) -> Result<i64, Fault> {
    if name.trim().is_empty() || name.chars().count() > 80 {
        return Err(Fault::Bad("A name has between 1 and 80 characters".into()));
    }
    good_password(password)?;
    if find(c, name)?.is_some() {
        return Err(Fault::Bad(format!("There is already somebody called {name}; choose another name")));
    }
    diesel::insert_into(people::table)
        .values((
            people::shop_id.eq(shop),
            people::name.eq(name.trim()),
            people::password.eq(hash(password)?),
            people::owner.eq(owner),
        ))
        .execute(c)?;
    last_id(c)
}

/// Does anybody still use this password? (The demo's must not be open to a network.)
pub fn anybody_uses(c: &mut Conn, password: &str) -> Result<Option<String>, Fault> {
    let all: Vec<(String, String)> =
        people::table.filter(people::active.eq(true)).select((people::name, people::password)).load(c)?;
    Ok(all.into_iter().find(|(_, h)| fits(password, h)).map(|p| p.0))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_hash_is_argon2id_and_fits_its_password_only() {
        let h = hash("correct horse").unwrap();
        assert!(h.starts_with("$argon2id$"), "{h}");
        assert!(fits("correct horse", &h) && !fits("correct horse ", &h) && !fits("x", "no hash"));
    }
}
