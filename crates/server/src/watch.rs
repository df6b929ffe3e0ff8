//! One watcher a process: it looks at the table of events, reads each changed job's card once, and tells every stream.
//!
//! A write that a screen shows notes an event in its own transaction. The watcher remembers the newest number that it has told; numbers are given
//! before they are committed, so it looks back a little and tells nothing twice.

use crate::blobs;
use crate::db::rows::Job;
use crate::db::schema::{events, jobs};
use crate::db::{Conn, Db, now};
use crate::fault::Fault;
use crate::jobs as job_rows;
use chrono::{Duration, NaiveDateTime};
use diesel::prelude::*;
use std::collections::{BTreeSet, HashMap};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Instant;
use tokio::sync::broadcast;

/// How often the table is looked at, ms.
const LOOK_MS: u64 = 200;
/// Events younger than this may still be followed by one of a smaller number, s.
const LATE_S: i64 = 10;
/// Events older than this go, min.
const KEPT_MIN: i64 = 30;
/// Streams of one person at once.
pub const STREAMS: usize = 12;

/// What streams are told.
#[derive(Debug, Clone)]
pub enum Told {
    /// A job's card, as JSON.
    Card {
        /// Of this shop.
        shop: i64,
        /// Newest revision.
        revision: i64,
        /// `JobCard`.
        json: Arc<str>,
    },
    /// A job went into the bin.
    Gone {
        /// Of this shop.
        shop: i64,
        /// The job.
        job: i64,
    },
    /// Somebody's sessions changed: streams look whether theirs still holds.
    Person(i64),
    /// The database was away: whatever was told may not be all.
    Lost,
}

/// Note that a job looks otherwise.
pub fn job_changed(c: &mut Conn, job: i64) -> Result<(), Fault> {
    diesel::insert_into(events::table).values((events::job_id.eq(job), events::at.eq(now()))).execute(c)?;
    Ok(())
}

/// Note that somebody's sessions are others.
pub fn person_changed(c: &mut Conn, person: i64) -> Result<(), Fault> {
    diesel::insert_into(events::table).values((events::person_id.eq(person), events::at.eq(now()))).execute(c)?;
    Ok(())
}

/// Where streams hear.
pub struct Hub {
    told: broadcast::Sender<Told>,
    streams: Mutex<HashMap<i64, usize>>,
}

/// A stream's place; it ends with it.
pub struct Place {
    hub: Arc<Hub>,
    person: i64,
    /// What is told.
    pub told: broadcast::Receiver<Told>,
}

impl Default for Hub {
    fn default() -> Self {
        Hub { told: broadcast::channel(1024).0, streams: Mutex::default() }
    }
}

impl Hub {
    /// A place for one more stream of a person.
    pub fn place(self: &Arc<Hub>, person: i64) -> Result<Place, Fault> {
        let mut all = self.streams.lock().unwrap_or_else(PoisonError::into_inner);
        let n = all.entry(person).or_default();
        if *n >= STREAMS {
            return Err(Fault::TooManyStreams);
        }
        *n += 1;
        Ok(Place { hub: self.clone(), person, told: self.told.subscribe() })
    }

    /// Watch until told to stop.
    pub fn watch(&self, db: &Db, stop: &AtomicBool) {
        let mut seen: BTreeSet<i64> = BTreeSet::new();
        let mut from = db.act(newest).unwrap_or(0);
        let (mut tidied, mut away) = (Instant::now(), false);
        while !stop.load(Ordering::Relaxed) {
            match db.act(|c| look(c, from, &seen)) {
                Ok((told, news, settled)) => {
                    if std::mem::take(&mut away) {
                        let _ = self.told.send(Told::Lost);
                    }
                    // Nobody listening is no fault.
                    told.into_iter().for_each(|t| drop(self.told.send(t)));
                    seen.extend(news);
                    from = from.max(settled);
                    seen.retain(|id| *id > from);
                }
                Err(_) => away = true,
            }
            if tidied.elapsed().as_secs() >= 60 {
                tidied = Instant::now();
                let _ = db.act(tidy);
                let _ = db.act(blobs::note_used);
            }
            std::thread::sleep(std::time::Duration::from_millis(LOOK_MS));
        }
    }
}

impl Drop for Place {
    fn drop(&mut self) {
        let mut all = self.hub.streams.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(n) = all.get_mut(&self.person) {
            *n -= 1;
            if *n == 0 {
                all.remove(&self.person);
            }
        }
    }
}

fn newest(c: &mut Conn) -> Result<i64, Fault> {
    Ok(events::table.select(diesel::dsl::max(events::id)).first::<Option<i64>>(c)?.unwrap_or(0))
}

fn tidy(c: &mut Conn) -> Result<(), Fault> {
    let old = now() - Duration::minutes(KEPT_MIN);
    diesel::delete(events::table.filter(events::at.lt(old))).execute(c)?;
    Ok(())
}

/// What is new after `from` and not in `seen`; the numbers of it, and up to where nothing can come any more.
fn look(c: &mut Conn, from: i64, seen: &BTreeSet<i64>) -> Result<(Vec<Told>, Vec<i64>, i64), Fault> {
    let rows: Vec<(i64, Option<i64>, Option<i64>, NaiveDateTime)> = events::table
        .filter(events::id.gt(from))
        .order(events::id)
        .select((events::id, events::job_id, events::person_id, events::at))
        .load(c)?;
    let sure = now() - Duration::seconds(LATE_S);
    let settled = rows.iter().take_while(|r| r.3 < sure).map(|r| r.0).last().unwrap_or(from);
    let news: Vec<_> = rows.into_iter().filter(|r| !seen.contains(&r.0)).collect();
    let mut told: Vec<Told> = Vec::new();
    let people: BTreeSet<i64> = news.iter().filter_map(|r| r.2).collect();
    told.extend(people.into_iter().map(Told::Person));
    let changed: BTreeSet<i64> = news.iter().filter_map(|r| r.1).collect();
    if !changed.is_empty() {
        let all: Vec<(Job, Option<NaiveDateTime>)> =
            jobs::table.filter(jobs::id.eq_any(&changed)).select((Job::as_select(), jobs::deleted_at)).load(c)?;
        let (list, thrown): (Vec<_>, Vec<_>) = all.into_iter().partition(|j| j.1.is_none());
        told.extend(thrown.into_iter().map(|(j, _)| Told::Gone { shop: j.shop_id, job: j.id }));
        let list: Vec<Job> = list.into_iter().map(|j| j.0).collect();
        for (job, card) in list.iter().zip(job_rows::cards(c, &list)?) {
            let json = serde_json::to_string(&card).map_err(|e| Fault::internal(e.to_string()))?;
            told.push(Told::Card { shop: job.shop_id, revision: job.revision, json: json.into() });
        }
    }
    Ok((told, news.into_iter().map(|r| r.0).collect(), settled))
}
