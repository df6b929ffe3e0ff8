//! The rack of a shop: what lies in it, what leaves and returns. Every act is kept with each piece before and after it, so that it can be
//! taken back as long as nobody touched the same pieces since.

use crate::acts::{self, About, Act, History, Turn, lock};
use crate::db::rows::Job;
use crate::db::schema::{jobs, pieces};
use crate::db::{Conn, Db};
use crate::fault::Fault;
use crate::people::Me;
use crate::{jobs as job_rows, work};
use diesel::prelude::*;
use job::cache::StageKey;
use job::{Laid, Settled};
use serde::{Deserialize, Serialize};
use shop::Shop;
use stock::{LineError, Piece, Table};
use ts_rs::TS;

/// Kinds of pieces in a rack at most.
const MOST: usize = 5000;

/// One thing done with the rack.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(tag = "act", rename_all = "snake_case")]
pub enum RackAct {
    /// A new piece, or another in the place of the one with this tag.
    Put {
        /// As it is now.
        piece: Piece,
        /// Tag that it had.
        was: Option<String>,
    },
    /// Away with all that have this tag.
    Remove {
        /// Tag.
        tag: String,
    },
    /// One piece is used: it leaves, and what is sawn off returns.
    Take {
        /// Tag.
        tag: String,
        /// For this job.
        #[ts(type = "number | null")]
        job: Option<i64>,
        /// What returns.
        remnants: Vec<Piece>,
    },
}

/// The rack as its screen needs it.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct RackSheet {
    /// By material and tag.
    pub pieces: Vec<Piece>,
    /// What was done.
    #[serde(flatten)]
    pub history: History,
}

/// A table looked through before anything of it is taken.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct RackPreview {
    /// Good lines.
    pub pieces: Vec<Piece>,
    /// Of them with tags that the rack has already.
    pub known: Vec<String>,
    /// Bad lines.
    pub errors: Vec<LineError>,
}

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
struct Change {
    tag: String,
    before: Option<Piece>,
    after: Option<Piece>,
}

fn read(body: &str) -> Result<Piece, Fault> {
    serde_json::from_str(body).map_err(|e| Fault::internal(format!("a piece of the rack: {e}")))
}

/// All pieces of a shop.
pub fn all(c: &mut Conn, shop: i64) -> Result<Vec<Piece>, Fault> {
    let rows: Vec<String> =
        pieces::table.filter(pieces::shop_id.eq(shop)).order(pieces::tag).select(pieces::body).load(c)?;
    rows.iter().map(|b| read(b)).collect()
}

fn one(c: &mut Conn, shop: i64, tag: &str) -> Result<Option<Piece>, Fault> {
    let body: Option<String> = pieces::table.find((shop, tag)).select(pieces::body).first(c).optional()?;
    body.map(|b| read(&b)).transpose()
}

fn set(c: &mut Conn, shop: i64, tag: &str, to: Option<&Piece>) -> Result<(), Fault> {
    match to {
        Some(p) => {
            let body = serde_json::to_string(p).map_err(|e| Fault::internal(e.to_string()))?;
            diesel::replace_into(pieces::table)
                .values((pieces::shop_id.eq(shop), pieces::tag.eq(tag), pieces::body.eq(body)))
                .execute(c)?;
        }
        None => drop(diesel::delete(pieces::table.find((shop, tag))).execute(c)?),
    }
    Ok(())
}

/// The rack.
pub fn sheet(c: &mut Conn, me: &Me) -> Result<RackSheet, Fault> {
    let mut pieces = all(c, me.shop_id)?;
    pieces.sort_by(|a, b| (&a.material, &a.name).cmp(&(&b.material, &b.name)));
    Ok(RackSheet { pieces, history: acts::history(c, me, About::Rack)? })
}

fn record(c: &mut Conn, me: &Me, act: &Act<Change>) -> Result<(), Fault> {
    for ch in act.changes {
        set(c, me.shop_id, &ch.tag, ch.after.as_ref())?;
    }
    let kinds: i64 = pieces::table.filter(pieces::shop_id.eq(me.shop_id)).count().get_result(c)?;
    if kinds > MOST as i64 {
        return Err(Fault::Bad(format!("A rack holds at most {MOST} kinds of pieces; take some out first")));
    }
    acts::keep(c, me, About::Rack, act)
}

/// An act of its own.
fn done<'a>(words: &'a str, changes: &'a [Change], job: Option<i64>) -> Act<'a, Change> {
    Act { words, changes, job, turns: None }
}

fn sound(p: &Piece, shop: &Shop) -> Result<Piece, Fault> {
    let p = Piece { name: p.name.trim().to_string(), ..p.clone() };
    if let Some(why) = p.fault() {
        return Err(Fault::Bad(why));
    }
    shop.material(&p.material).map_err(|e| Fault::Bad(e.to_string()))?;
    Ok(p)
}

/// Do something with the rack.
pub fn act(c: &mut Conn, me: &Me, a: &RackAct) -> Result<(), Fault> {
    lock(c, me.shop_id)?;
    let shop = {
        let r = job_rows::newest_shop_revision(c, me.shop_id)?;
        job_rows::shop_of(c, r)?
    };
    let no_such = Fault::NoSuch("piece");
    match a {
        RackAct::Put { piece, was } => {
            let piece = sound(piece, &shop)?;
            let mut changes = Vec::new();
            let there = one(c, me.shop_id, &piece.name)?;
            match was.as_deref().filter(|w| *w != piece.name) {
                Some(old) => {
                    let before = one(c, me.shop_id, old)?.ok_or(no_such)?;
                    changes.push(Change { tag: old.into(), before: Some(before), after: None });
                    if there.is_some() {
                        return Err(Fault::Bad(format!(
                            "The rack has a '{}' already; give it another tag",
                            piece.name
                        )));
                    }
                }
                None if was.is_none() && there.is_some() => {
                    return Err(Fault::Bad(format!("The rack has a '{}' already; give it another tag", piece.name)));
                }
                None => {}
            }
            let word = if was.is_some() { "changed" } else { "added" };
            changes.push(Change { tag: piece.name.clone(), before: there, after: Some(piece.clone()) });
            record(c, me, &done(&format!("{word} {}", piece.words()), &changes, None))
        }
        RackAct::Remove { tag } => {
            let before = one(c, me.shop_id, tag)?.ok_or(no_such)?;
            let words = format!("took out {}", before.words());
            record(c, me, &done(&words, &[Change { tag: tag.clone(), before: Some(before), after: None }], None))
        }
        RackAct::Take { tag, job, remnants } => {
            let for_job = job.map(|id| job_rows::of(c, me, id)).transpose()?;
            let before = one(c, me.shop_id, tag)?.ok_or(no_such)?;
            if before.quantity == 0 {
                return Err(Fault::Bad(format!("There is no {tag} left; choose another piece")));
            }
            let after = (before.quantity > 1).then(|| Piece { quantity: before.quantity - 1, ..before.clone() });
            let mut words = format!("used one {}", before.name);
            if let Some(j) = &for_job {
                words += &format!(" for {}", j.title);
            }
            let mut changes = vec![Change { tag: tag.clone(), before: Some(before), after }];
            if remnants.len() > 20 {
                return Err(Fault::Bad("At most 20 remnants return of one piece".into()));
            }
            for r in remnants {
                let mut r = sound(r, &shop)?;
                let base: String = r.name.chars().take(54).collect();
                for n in 2.. {
                    if one(c, me.shop_id, &r.name)?.is_none() && !changes.iter().any(|x| x.tag == r.name) {
                        break;
                    }
                    r.name = format!("{base} {n}");
                }
                words += &format!("; back: {}", r.name);
                changes.push(Change { tag: r.name.clone(), before: None, after: Some(r) });
            }
            record(c, me, &done(&words, &changes, *job))
        }
    }
}

/// The good lines of a table: new tags are added, known ones replaced.
pub fn import(c: &mut Conn, me: &Me, text: &str) -> Result<(), Fault> {
    lock(c, me.shop_id)?;
    let pieces = looked_through(c, me, text)?.pieces;
    if pieces.is_empty() {
        return Err(Fault::Bad("The table has no good line".into()));
    }
    if pieces.len() > MOST {
        return Err(Fault::Bad(format!("A table has at most {MOST} lines")));
    }
    let lines = pieces.len();
    let there = all(c, me.shop_id)?;
    let changes: Vec<Change> = pieces
        .into_iter()
        .map(|p| Change {
            tag: p.name.clone(),
            before: there.iter().find(|t| t.name == p.name).cloned(),
            after: Some(p),
        })
        .filter(|x| x.before != x.after)
        .collect();
    let words = if lines == 1 { "1 line of a table".into() } else { format!("{lines} lines of a table") };
    record(c, me, &done(&words, &changes, None))
}

fn looked_through(c: &mut Conn, me: &Me, text: &str) -> Result<Table, Fault> {
    let r = job_rows::newest_shop_revision(c, me.shop_id)?;
    let shop = job_rows::shop_of(c, r)?;
    let materials: Vec<(String, String)> = shop.materials.iter().map(|m| (m.id.clone(), m.name.clone())).collect();
    Ok(stock::read_csv(text, &materials))
}

fn turn(c: &mut Conn, me: &Me, which: Turn) -> Result<(), Fault> {
    let (Turn::Back(id) | Turn::Again(id)) = which;
    let (changes, words) = acts::changed::<Change>(c, id)?;
    let mut out = Vec::new();
    for ch in changes {
        let (from, to) = if which.is_back() { (ch.after, ch.before) } else { (ch.before, ch.after) };
        if one(c, me.shop_id, &ch.tag)? != from {
            return Err(Fault::Conflict { changed: format!("'{}' was changed", ch.tag) });
        }
        out.push(Change { tag: ch.tag, before: from, after: to });
    }
    record(c, me, &Act { words: &which.words(&words), changes: &out, job: None, turns: Some(which) })
}

/// Take back one's own last act, if its pieces are as it left them.
pub fn undo(c: &mut Conn, me: &Me) -> Result<(), Fault> {
    lock(c, me.shop_id)?;
    let which = acts::last(c, me, About::Rack)?;
    turn(c, me, which)
}

/// Make again what was taken back last.
pub fn redo(c: &mut Conn, me: &Me) -> Result<(), Fault> {
    lock(c, me.shop_id)?;
    let which = acts::next(c, me, About::Rack)?;
    turn(c, me, which)
}

/// Look a table through.
pub fn preview(c: &mut Conn, me: &Me, text: &str) -> Result<RackPreview, Fault> {
    let Table { pieces, errors, .. } = looked_through(c, me, text)?;
    let there = all(c, me.shop_id)?;
    let known = pieces.iter().filter(|p| there.iter().any(|t| t.name == p.name)).map(|p| p.name.clone()).collect();
    Ok(RackPreview { pieces, known, errors })
}

/// Tags of the pieces that were taken for a job, and not put back.
pub fn taken_for(c: &mut Conn, me: &Me, job: i64) -> Result<Vec<String>, Fault> {
    let mut out = Vec::new();
    for id in acts::standing_for(c, me, About::Rack, job)? {
        out.extend(acts::changed::<Change>(c, id)?.0.into_iter().filter(|x| x.before.is_some()).map(|x| x.tag));
    }
    Ok(out)
}

/// A proposal as it is kept with its job: what it was looked out for, and the piece, if one fits.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct Offer {
    key: String,
    laid: Option<Box<Laid>>,
}

/// What an offer hangs on, as far as the job is concerned.
fn offer_key(job: &Job, settled: &Settled, shop: &Shop) -> String {
    StageKey::new("offer")
        .with(&job.model)
        .with(&settled.model)
        .with(&settled.answers)
        .with(&settled.material)
        .with(&settled.order)
        .with(&shop.vise)
        .done()
}

/// The offer that a job has, whatever it was looked out for.
pub fn offer_of(job: &Job) -> Option<Box<Laid>> {
    job.offer.as_deref().and_then(|o| serde_json::from_str::<Offer>(o).ok()).and_then(|o| o.laid)
}

/// Look out a piece for a job that has none chosen, unless that was done for what it is now. Returns the settlement with it.
pub fn look_out(
    db: &Db,
    reader: &std::path::Path,
    job: &Job,
    settled: &Settled,
    shop: &Shop,
) -> Result<Settled, Fault> {
    if settled.stock.is_some() {
        return Ok(Settled { offer: None, ..settled.clone() });
    }
    let key = offer_key(job, settled, shop);
    if let Some(o) = job.offer.as_deref().and_then(|o| serde_json::from_str::<Offer>(o).ok())
        && o.key == key
    {
        return Ok(Settled { offer: o.laid, ..settled.clone() });
    }
    let rack = db.act(|c| all(c, job.shop_id))?;
    let laid = if rack.is_empty() {
        None
    } else {
        let part = work::part_of(db, reader, job, settled)?;
        job::stocking::offer(&part, shop, settled, &rack).map(Box::new)
    };
    let json = serde_json::to_string(&Offer { key, laid: laid.clone() }).map_err(|e| Fault::internal(e.to_string()))?;
    db.act(|c| Ok(diesel::update(jobs::table.find(job.id)).set(jobs::offer.eq(&json)).execute(c)?))?;
    Ok(Settled { offer: laid, ..settled.clone() })
}
