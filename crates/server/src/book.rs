//! The shop's book: what the shop owns and counts with. A change makes a new revision; jobs keep theirs until a person takes the newer one. Every act is kept with what
//! it changed, so that it can be taken back as long as nobody touched the same entries since.

use crate::db::rows::Job;
use crate::db::schema::{book_acts, people, pieces, shop_revisions, shops};
use crate::db::{Conn, last_id, now};
use crate::decide::stacks_of;
use crate::fault::Fault;
use crate::jobs as job_rows;
use crate::people::Me;
use crate::rack::RackEntry;
use chrono::NaiveDateTime;
use diesel::prelude::*;
use job::Settled;
use serde::Serialize;
use sha2::{Digest, Sha256};
use shop::Shop;
use shop::book::{BookChange, BookError, Chapter, chapter, chapters};
use ts_rs::TS;

/// An entry of a chapter.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct BookEntry {
    /// What it is called.
    pub name: String,
    /// As it is kept.
    #[ts(type = "Record<string, unknown>")]
    pub value: serde_json::Value,
}

/// A chapter with what stands in it.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct BookChapter {
    /// How it is laid out.
    pub layout: Chapter,
    /// In order.
    pub entries: Vec<BookEntry>,
    /// What a new entry begins from.
    #[ts(type = "Record<string, unknown> | null")]
    pub fresh: Option<serde_json::Value>,
}

/// The book as its screen needs it.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct BookSheet {
    /// In order.
    pub chapters: Vec<BookChapter>,
    /// The last acts, the newest first.
    pub acts: Vec<RackEntry>,
    /// What undo would take back.
    pub undo: Option<String>,
    /// What redo would make again.
    pub redo: Option<String>,
    /// The shop's newest revision.
    #[ts(type = "number")]
    pub revision: i64,
}

/// A book in a file, looked through before anything of it is taken.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct BookPreview {
    /// What it would change, in words.
    pub changes: Vec<String>,
}

impl From<BookError> for Fault {
    fn from(e: BookError) -> Fault {
        match e {
            BookError::Changed(_) => Fault::Conflict { changed: e.to_string() },
            BookError::NoChapter(_) => Fault::NoSuch("chapter"),
            BookError::Wrong(why) => Fault::Bad(why),
        }
    }
}

/// Number, person, what it takes back, what it makes again.
type ActRow = (i64, i64, Option<i64>, Option<i64>);

fn acts(c: &mut Conn, shop: i64) -> Result<Vec<ActRow>, Fault> {
    Ok(book_acts::table
        .filter(book_acts::shop_id.eq(shop))
        .order(book_acts::id)
        .select((book_acts::id, book_acts::person_id, book_acts::undoes, book_acts::redoes))
        .load(c)?)
}

fn my_stacks(rows: &[ActRow], person: i64) -> (Vec<i64>, Vec<i64>) {
    stacks_of(rows.iter().filter(|r| r.1 == person).map(|r| (r.0, r.2, r.3)))
}

fn newest(c: &mut Conn, shop: i64) -> Result<(i64, Shop), Fault> {
    let r = job_rows::newest_shop_revision(c, shop)?;
    Ok((r, job_rows::shop_of(c, r)?))
}

/// The book.
pub fn sheet(c: &mut Conn, me: &Me) -> Result<BookSheet, Fault> {
    let (revision, shop) = newest(c, me.shop_id)?;
    let data = serde_json::to_value(&shop).map_err(|e| Fault::internal(e.to_string()))?;
    let told = |ch: &Chapter| {
        let of = &data[&ch.key];
        let values = match of {
            serde_json::Value::Array(list) => list.clone(),
            serde_json::Value::Null => Vec::new(),
            one => vec![one.clone()],
        };
        let entries = values.into_iter().map(|value| BookEntry { name: ch.name_of(&value), value }).collect();
        BookChapter { layout: ch.clone(), entries, fresh: ch.fresh(&shop) }
    };
    let rows = acts(c, me.shop_id)?;
    let (undo, redo) = my_stacks(&rows, me.id);
    let mut words = |id: Option<&i64>| -> Result<Option<String>, Fault> {
        id.map(|i| Ok(book_acts::table.find(i).select(book_acts::words).first(c)?)).transpose()
    };
    let (undo, redo) = (words(undo.last())?, words(redo.last())?);
    let names: Vec<(i64, String)> =
        people::table.filter(people::shop_id.eq(me.shop_id)).select((people::id, people::name)).load(c)?;
    let who = |p: i64| names.iter().find(|n| n.0 == p).map_or_else(String::new, |n| n.1.clone());
    let last: Vec<(i64, NaiveDateTime, String)> = book_acts::table
        .filter(book_acts::shop_id.eq(me.shop_id))
        .order(book_acts::id.desc())
        .limit(30)
        .select((book_acts::person_id, book_acts::at, book_acts::words))
        .load(c)?;
    let entry =
        |(p, at, words): (i64, NaiveDateTime, String)| RackEntry { words, who: who(p), at: job_rows::stamp(at) };
    Ok(BookSheet {
        chapters: chapters().iter().map(told).collect(),
        acts: last.into_iter().map(entry).collect(),
        undo,
        redo,
        revision,
    })
}

fn lock(c: &mut Conn, shop: i64) -> Result<(), Fault> {
    let _: i64 = shops::table.find(shop).select(shops::id).for_update().first(c)?;
    Ok(())
}

/// What the rack or the rest of the house needs, and the book lost.
fn missed(c: &mut Conn, shop: i64, now: &Shop) -> Result<(), Fault> {
    let rows: Vec<String> = pieces::table.filter(pieces::shop_id.eq(shop)).select(pieces::body).load(c)?;
    for body in rows {
        let piece: stock::Piece = serde_json::from_str(&body).map_err(|e| Fault::internal(e.to_string()))?;
        if now.material(&piece.material).is_err() {
            let (name, of) = (piece.name, piece.material);
            return Err(Fault::Bad(format!("The rack has '{name}' of {of}; take it out first, or keep the material")));
        }
    }
    Ok(())
}

fn record(
    c: &mut Conn,
    me: &Me,
    words: &str,
    changes: &[BookChange],
    undoes: Option<i64>,
    redoes: Option<i64>,
) -> Result<(), Fault> {
    let (_, was) = newest(c, me.shop_id)?;
    let (shop, done) = was.with_all(changes)?;
    missed(c, me.shop_id, &shop)?;
    let internal = |e: serde_json::Error| Fault::internal(e.to_string());
    let json = serde_json::to_string(&shop).map_err(internal)?;
    let sha = Sha256::digest(json.as_bytes()).iter().map(|b| format!("{b:02x}")).collect::<String>();
    // What was taken back is the revision that it was.
    let known = shop_revisions::shop_id.eq(me.shop_id).and(shop_revisions::sha.eq(&sha));
    let there: Option<i64> = shop_revisions::table.filter(known).select(shop_revisions::id).first(c).optional()?;
    let revision = match there {
        Some(id) => id,
        None => {
            diesel::insert_into(shop_revisions::table)
                .values((
                    shop_revisions::shop_id.eq(me.shop_id),
                    shop_revisions::sha.eq(sha),
                    shop_revisions::data.eq(&json),
                    shop_revisions::made_at.eq(now()),
                ))
                .execute(c)?;
            last_id(c)?
        }
    };
    diesel::update(shops::table.find(me.shop_id)).set(shops::revision_id.eq(revision)).execute(c)?;
    diesel::insert_into(book_acts::table)
        .values((
            book_acts::shop_id.eq(me.shop_id),
            book_acts::person_id.eq(me.id),
            book_acts::at.eq(now()),
            book_acts::words.eq(words.chars().take(390).collect::<String>()),
            book_acts::changes.eq(serde_json::to_string(&done).map_err(internal)?),
            book_acts::revision_id.eq(revision),
            book_acts::undoes.eq(undoes),
            book_acts::redoes.eq(redoes),
        ))
        .execute(c)?;
    Ok(())
}

/// Put in, change or take out an entry.
pub fn act(c: &mut Conn, me: &Me, change: &BookChange) -> Result<(), Fault> {
    lock(c, me.shop_id)?;
    let ch = chapter(&change.chapter)?;
    if change.before.is_none() && change.after.is_none() {
        return Err(Fault::Nothing("There is nothing to change"));
    }
    record(c, me, &ch.words(change), std::slice::from_ref(change), None, None)
}

fn read(text: &str) -> Result<Shop, Fault> {
    Shop::from_text(text).map_err(|e| Fault::Bad(e.to_string()))
}

/// What a book in a file would change.
pub fn preview(c: &mut Conn, me: &Me, text: &str) -> Result<BookPreview, Fault> {
    let (_, was) = newest(c, me.shop_id)?;
    Ok(BookPreview { changes: told(&was.changes_to(&read(text)?)?) })
}

/// A book from a file takes the place of the shop's own.
pub fn import(c: &mut Conn, me: &Me, text: &str) -> Result<(), Fault> {
    lock(c, me.shop_id)?;
    let (_, was) = newest(c, me.shop_id)?;
    let changes = was.changes_to(&read(text)?)?;
    let words = match changes.len() {
        0 => return Err(Fault::Nothing("The file tells what the book has already")),
        1 => "1 entry from a file".into(),
        n => format!("{n} entries from a file"),
    };
    record(c, me, &words, &changes, None, None)
}

/// Changes in words.
fn told(changes: &[BookChange]) -> Vec<String> {
    changes.iter().filter_map(|x| Some(chapter(&x.chapter).ok()?.words(x))).collect()
}

fn turn_back(c: &mut Conn, me: &Me, id: i64, back: bool) -> Result<(), Fault> {
    let (json, words): (String, String) =
        book_acts::table.find(id).select((book_acts::changes, book_acts::words)).first(c)?;
    let was: Vec<BookChange> = serde_json::from_str(&json).map_err(|e| Fault::internal(e.to_string()))?;
    let (word, undoes, redoes) = if back { ("taken back", Some(id), None) } else { ("made again", None, Some(id)) };
    let changes = if back { was.iter().rev().map(BookChange::back).collect() } else { was };
    record(c, me, &format!("{word}: {words}"), &changes, undoes, redoes)
}

/// Take back one's own last act, if its entries are as it left them.
pub fn undo(c: &mut Conn, me: &Me) -> Result<(), Fault> {
    lock(c, me.shop_id)?;
    let rows = acts(c, me.shop_id)?;
    let last = *my_stacks(&rows, me.id).0.last().ok_or(Fault::Nothing("There is nothing of yours to undo"))?;
    turn_back(c, me, last, true)
}

/// Make again what was taken back last.
pub fn redo(c: &mut Conn, me: &Me) -> Result<(), Fault> {
    lock(c, me.shop_id)?;
    let rows = acts(c, me.shop_id)?;
    let last = *my_stacks(&rows, me.id).1.last().ok_or(Fault::Nothing("There is nothing to redo"))?;
    turn_back(c, me, last, false)
}

/// The book as a file.
pub fn file(c: &mut Conn, me: &Me) -> Result<Vec<u8>, Fault> {
    let (_, shop) = newest(c, me.shop_id)?;
    serde_json::to_vec_pretty(&shop).map_err(|e| Fault::internal(e.to_string()))
}

/// The revision that a job is planned with: what was taken for it, else that of its beginning.
pub fn revision_of(job: &Job, settled: &Settled) -> i64 {
    settled.shop.unwrap_or(job.shop_revision_id)
}

/// The shop that a job is planned with.
pub fn of_job(c: &mut Conn, job: &Job, settled: &Settled) -> Result<Shop, Fault> {
    job_rows::shop_of(c, revision_of(job, settled))
}

/// A newer book that a job may be planned with.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct NewerBook {
    /// Its revision.
    #[ts(type = "number")]
    pub revision: i64,
    /// What differs, in words.
    pub changes: Vec<String>,
}

/// What changed in the book since the revision that a job is planned with; none where it is the newest, or says the same.
pub fn newer(c: &mut Conn, job: &Job, settled: &Settled) -> Result<Option<NewerBook>, Fault> {
    let (revision, shop) = newest(c, job.shop_id)?;
    if revision == revision_of(job, settled) {
        return Ok(None);
    }
    let changes = told(&of_job(c, job, settled)?.changes_to(&shop)?);
    Ok((!changes.is_empty()).then_some(NewerBook { revision, changes }))
}

/// Is this a revision of the job's shop that the job can be planned with? Else what to do.
pub fn takes(c: &mut Conn, job: &Job, settled: &Settled, revision: i64) -> Result<(), Fault> {
    let known =
        shop_revisions::table.filter(shop_revisions::shop_id.eq(job.shop_id).and(shop_revisions::id.eq(revision)));
    if known.count().get_result::<i64>(c)? == 0 {
        return Err(Fault::Bad("The shop's book has no such revision".into()));
    }
    let shop = job_rows::shop_of(c, revision)?;
    if let Some(m) = &settled.material
        && shop.material(m).is_err()
    {
        return Err(Fault::Bad(format!(
            "The newer book has no material '{m}', which this job is cut from; choose another one first"
        )));
    }
    let lost = settled.operations.values().filter_map(|o| o.tool).find(|n| shop.crib.iter().all(|t| t.number != *n));
    match lost {
        Some(n) => {
            Err(Fault::Bad(format!("The newer book has no T{n}, which was chosen here; choose another cutter first")))
        }
        None => Ok(()),
    }
}
