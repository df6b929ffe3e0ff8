//! Who did what when: sign-ins, people, uploads, what was put away or renamed, programs that were taken.

use crate::db::schema::audit;
use crate::db::{Conn, now};
use crate::fault::Fault;
use crate::jobs::stamp;
use crate::people::Me;
use chrono::NaiveDateTime;
use diesel::prelude::*;
use serde::Serialize;
use ts_rs::TS;

/// Entries of a page.
const PAGE: i64 = 100;

/// One thing that somebody did.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, TS)]
pub struct Entry {
    /// Number; older ones are smaller.
    #[ts(type = "number")]
    pub id: i64,
    /// UTC.
    pub at: String,
    /// Name.
    pub who: String,
    /// "sign_in", "sign_in_failed", "people", "upload", "job", "program".
    pub what: String,
    /// A sentence.
    pub words: String,
    /// Address of the client, where it is known.
    pub client: String,
}

/// Note that somebody did something.
pub fn note(c: &mut Conn, me: &Me, what: &str, words: &str, client: &str) -> Result<(), Fault> {
    note_of(c, me.shop_id, Some(me.id), &me.name, what, words, client)
}

/// The same of somebody who is not signed in.
pub fn note_of(
    c: &mut Conn,
    shop: i64,
    person: Option<i64>,
    who: &str,
    what: &str,
    words: &str,
    client: &str,
) -> Result<(), Fault> {
    let short = |s: &str, n: usize| s.chars().take(n).collect::<String>();
    diesel::insert_into(audit::table)
        .values((
            audit::shop_id.eq(shop),
            audit::person_id.eq(person),
            audit::who.eq(short(who, 80)),
            audit::at.eq(now()),
            audit::what.eq(what),
            audit::words.eq(short(words, 400)),
            audit::client.eq(short(client, 64)),
        ))
        .execute(c)?;
    Ok(())
}

/// A page of a shop's entries, the newest first, older than `before`.
pub fn page(c: &mut Conn, me: &Me, before: Option<i64>) -> Result<Vec<Entry>, Fault> {
    if !me.owner {
        return Err(Fault::OwnerOnly);
    }
    let rows: Vec<(i64, NaiveDateTime, String, String, String, String)> = audit::table
        .filter(audit::shop_id.eq(me.shop_id).and(audit::id.lt(before.unwrap_or(i64::MAX))))
        .order(audit::id.desc())
        .limit(PAGE)
        .select((audit::id, audit::at, audit::who, audit::what, audit::words, audit::client))
        .load(c)?;
    let entry = |(id, at, who, what, words, client)| Entry { id, at: stamp(at), who, what, words, client };
    Ok(rows.into_iter().map(entry).collect())
}
