//! The shop's book: what the shop owns and counts with. A change makes a new revision; jobs keep theirs until a person takes the newer one. Every act is kept with what
//! it changed, so that it can be taken back as long as nobody touched the same entries since.

use crate::acts::{self, About, Act, History, Turn, lock};
use crate::db::rows::Job;
use crate::db::schema::{pieces, shop_revisions, shops};
use crate::db::{Conn, last_id, now};
use crate::fault::Fault;
use crate::jobs as job_rows;
use crate::people::Me;
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
    /// What was done.
    #[serde(flatten)]
    pub history: History,
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

pub(crate) fn newest(c: &mut Conn, shop: i64) -> Result<(i64, Shop), Fault> {
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
    let history = acts::history(c, me, About::Book)?;
    Ok(BookSheet { chapters: chapters().iter().map(told).collect(), history, revision })
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

fn record(c: &mut Conn, me: &Me, words: &str, changes: &[BookChange], turns: Option<Turn>) -> Result<(), Fault> {
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
    acts::keep(c, me, About::Book, &Act { words, changes: &done, job: None, turns })
}

/// Put in, change or take out an entry.
pub fn act(c: &mut Conn, me: &Me, change: &BookChange) -> Result<(), Fault> {
    lock(c, me.shop_id)?;
    let ch = chapter(&change.chapter)?;
    if change.before.is_none() && change.after.is_none() {
        return Err(Fault::Nothing("There is nothing to change"));
    }
    record(c, me, &ch.words(change), std::slice::from_ref(change), None)
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
    record(c, me, &words, &changes, None)
}

/// Changes in words.
fn told(changes: &[BookChange]) -> Vec<String> {
    changes.iter().filter_map(|x| Some(chapter(&x.chapter).ok()?.words(x))).collect()
}

fn turn(c: &mut Conn, me: &Me, which: Turn) -> Result<(), Fault> {
    let (Turn::Back(id) | Turn::Again(id)) = which;
    let (was, words) = acts::changed::<BookChange>(c, id)?;
    let changes = if which.is_back() { was.iter().rev().map(BookChange::back).collect() } else { was };
    record(c, me, &which.words(&words), &changes, Some(which))
}

/// Take back one's own last act, if its entries are as it left them.
pub fn undo(c: &mut Conn, me: &Me) -> Result<(), Fault> {
    lock(c, me.shop_id)?;
    let which = acts::last(c, me, About::Book)?;
    turn(c, me, which)
}

/// Make again what was taken back last.
pub fn redo(c: &mut Conn, me: &Me) -> Result<(), Fault> {
    lock(c, me.shop_id)?;
    let which = acts::next(c, me, About::Book)?;
    turn(c, me, which)
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
    let own = of_job(c, job, settled)?;
    // Rates change no plan.
    let changes = told(&own.changes_to(&Shop { rates: own.rates.clone(), ..shop })?);
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
