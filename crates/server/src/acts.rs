//! What people did with what the shop owns – its rack, its book – and what undo and redo of each of them would take back. An act is kept with what it changed; each person's own.

use crate::db::schema::{acts, people, shops};
use crate::db::{Conn, now};
use crate::decide::stacks_of;
use crate::fault::Fault;
use crate::jobs::stamp;
use crate::people::Me;
use chrono::NaiveDateTime;
use diesel::prelude::*;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What an act is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum About {
    /// Pieces of stock.
    Rack,
    /// Everything else that the shop owns.
    Book,
}

impl About {
    fn word(self) -> &'static str {
        match self {
            About::Rack => "rack",
            About::Book => "book",
        }
    }
}

/// An act that was done.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct ActEntry {
    /// In words.
    pub words: String,
    /// Who.
    pub who: String,
    /// UTC.
    pub at: String,
}

/// What was done, as a screen needs it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct History {
    /// The last acts, the newest first.
    pub acts: Vec<ActEntry>,
    /// What undo would take back.
    pub undo: Option<String>,
    /// What redo would make again.
    pub redo: Option<String>,
    /// Changes with every act.
    #[ts(type = "number")]
    pub acted: i64,
}

/// An act to keep: what it changed can be turned round.
pub struct Act<'a, T> {
    /// In words.
    pub words: &'a str,
    /// Before and after.
    pub changes: &'a [T],
    /// For a job.
    pub job: Option<i64>,
    /// It takes back or makes again another one.
    pub turns: Option<Turn>,
}

/// An act that is turned round.
#[derive(Debug, Clone, Copy)]
pub enum Turn {
    /// Taken back.
    Back(i64),
    /// Made again.
    Again(i64),
}

impl Turn {
    /// Is it taken back?
    pub fn is_back(self) -> bool {
        matches!(self, Turn::Back(_))
    }
    /// Words of an act that turns one round.
    pub fn words(self, of: &str) -> String {
        format!("{}: {of}", if self.is_back() { "taken back" } else { "made again" })
    }
}

/// One change of the shop at a time.
pub fn lock(c: &mut Conn, shop: i64) -> Result<(), Fault> {
    let _: i64 = shops::table.find(shop).select(shops::id).for_update().first(c)?;
    Ok(())
}

/// Number, person, what it takes back, what it makes again.
type Row = (i64, i64, Option<i64>, Option<i64>);

fn rows(c: &mut Conn, shop: i64, about: About) -> Result<Vec<Row>, Fault> {
    Ok(acts::table
        .filter(acts::shop_id.eq(shop).and(acts::about.eq(about.word())))
        .order(acts::id)
        .select((acts::id, acts::person_id, acts::undoes, acts::redoes))
        .load(c)?)
}

fn mine(rows: &[Row], person: i64) -> (Vec<i64>, Vec<i64>) {
    stacks_of(rows.iter().filter(|r| r.1 == person).map(|r| (r.0, r.2, r.3)))
}

/// What was done, and what this person's undo and redo are.
pub fn history(c: &mut Conn, me: &Me, about: About) -> Result<History, Fault> {
    let all = rows(c, me.shop_id, about)?;
    let (undo, redo) = mine(&all, me.id);
    let mut words = |id: Option<&i64>| -> Result<Option<String>, Fault> {
        id.map(|i| Ok(acts::table.find(i).select(acts::words).first(c)?)).transpose()
    };
    let (undo, redo) = (words(undo.last())?, words(redo.last())?);
    let names: Vec<(i64, String)> =
        people::table.filter(people::shop_id.eq(me.shop_id)).select((people::id, people::name)).load(c)?;
    let who = |p: i64| names.iter().find(|n| n.0 == p).map_or_else(String::new, |n| n.1.clone());
    let last: Vec<(i64, NaiveDateTime, String)> = acts::table
        .filter(acts::shop_id.eq(me.shop_id).and(acts::about.eq(about.word())))
        .order(acts::id.desc())
        .limit(30)
        .select((acts::person_id, acts::at, acts::words))
        .load(c)?;
    let acts = last.into_iter().map(|(p, at, words)| ActEntry { words, who: who(p), at: stamp(at) }).collect();
    Ok(History { acts, undo, redo, acted: all.last().map_or(0, |r| r.0) })
}

/// Keep an act; what it changes is changed by whoever does it.
pub fn keep<T: Serialize>(c: &mut Conn, me: &Me, about: About, act: &Act<T>) -> Result<(), Fault> {
    let json = serde_json::to_string(act.changes).map_err(|e| Fault::internal(e.to_string()))?;
    let (undoes, redoes) = match act.turns {
        Some(Turn::Back(id)) => (Some(id), None),
        Some(Turn::Again(id)) => (None, Some(id)),
        None => (None, None),
    };
    diesel::insert_into(acts::table)
        .values((
            acts::shop_id.eq(me.shop_id),
            acts::about.eq(about.word()),
            acts::person_id.eq(me.id),
            acts::at.eq(now()),
            acts::words.eq(act.words.chars().take(390).collect::<String>()),
            acts::changes.eq(json),
            acts::job_id.eq(act.job),
            acts::undoes.eq(undoes),
            acts::redoes.eq(redoes),
        ))
        .execute(c)?;
    Ok(())
}

/// What an act changed, and its words.
pub fn changed<T: DeserializeOwned>(c: &mut Conn, id: i64) -> Result<(Vec<T>, String), Fault> {
    let (json, words): (String, String) = acts::table.find(id).select((acts::changes, acts::words)).first(c)?;
    Ok((serde_json::from_str(&json).map_err(|e| Fault::internal(e.to_string()))?, words))
}

/// The act that this person's undo takes back.
pub fn last(c: &mut Conn, me: &Me, about: About) -> Result<Turn, Fault> {
    let all = rows(c, me.shop_id, about)?;
    let id = mine(&all, me.id).0.last().copied();
    id.map(Turn::Back).ok_or(Fault::Nothing("There is nothing of yours to undo"))
}

/// The act that this person's redo makes again.
pub fn next(c: &mut Conn, me: &Me, about: About) -> Result<Turn, Fault> {
    let all = rows(c, me.shop_id, about)?;
    let id = mine(&all, me.id).1.last().copied();
    id.map(Turn::Again).ok_or(Fault::Nothing("There is nothing to redo"))
}

/// Acts for a job that stand: done and not taken back.
pub fn standing_for(c: &mut Conn, me: &Me, about: About, job: i64) -> Result<Vec<i64>, Fault> {
    let all = rows(c, me.shop_id, about)?;
    let (standing, _) = stacks_of(all.iter().map(|r| (r.0, r.2, r.3)));
    let of_job: Vec<i64> =
        acts::table.filter(acts::shop_id.eq(me.shop_id).and(acts::job_id.eq(job))).select(acts::id).load(c)?;
    Ok(of_job.into_iter().filter(|id| standing.contains(id)).collect())
}
