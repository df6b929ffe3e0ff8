//! What keeps the house in order by the clock: results that nobody uses, jobs that were thrown away a month ago, a backup a day; and how much room
//! each shop takes.

use crate::audit;
use crate::backup;
use crate::blobs;
use crate::db::rows::Job;
use crate::db::schema::{
    acts, audit as audit_rows, backups, blobs as blob_rows, decisions, issued, jobs, known_browsers, sessions, shops,
    sign_in_failures, tasks,
};
use crate::db::{Address, Conn, Db, now};
use crate::fault::Fault;
use crate::jobs::{self as job_rows, stamp};
use crate::people::{self, Me};
use crate::queue;
use chrono::{Duration, NaiveDateTime};
use diesel::prelude::*;
use diesel::sql_types::{Integer, Nullable};
use job::Decision;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Instant;
use ts_rs::TS;

/// What is thrown away can be taken back for so long.
pub const BIN_DAYS: i64 = 30;
/// Entries of who did what are kept for so long.
const AUDIT_DAYS: i64 = 3 * 365;
/// The clock strikes so often, s.
const STRIKE_S: u64 = 60;
/// A backup that failed is tried again after, s.
const AGAIN_S: u64 = 1800;
/// Nothing large is taken when the disk has less than this left, MB: what is small (decisions) still finds room.
const SPARE_MB: u64 = 512;

#[derive(QueryableByName)]
struct Got {
    #[diesel(sql_type = Nullable<Integer>)]
    got: Option<i32>,
}

/// Do something while nobody else keeps house: nothing is thrown away meanwhile. Waits so many seconds for it.
pub fn alone<T>(db: &Db, seconds: u32, f: impl FnOnce(&mut Conn) -> Result<T, String>) -> Result<T, String> {
    let mut f = Some(f);
    let done = db.with(|c| {
        let ask = format!("SELECT GET_LOCK(CONCAT('goldchip-keeping-', DATABASE()), {seconds}) AS got");
        let got: Got = diesel::sql_query(ask).get_result(c)?;
        if got.got != Some(1) {
            return Ok(Err("somebody else keeps house just now (a backup is being made); try again later".into()));
        }
        let done = f.take().map_or_else(|| Err(String::new()), |f| f(c));
        let _: Got =
            diesel::sql_query("SELECT RELEASE_LOCK(CONCAT('goldchip-keeping-', DATABASE())) AS got").get_result(c)?;
        Ok(done)
    });
    done.unwrap_or_else(|e| Err(format!("{e:?}")))
}

/// Keeps house by the clock.
pub struct Keeper {
    /// The database.
    pub db: Db,
    /// And where it is, for the programs that make backups.
    pub address: Address,
    /// Where backups go, if any are made by the clock.
    pub backups: Option<PathBuf>,
}

impl Keeper {
    /// Until told to stop.
    pub fn keep(&self, stop: &AtomicBool) {
        let (mut struck, mut failed): (Option<Instant>, Option<Instant>) = (None, None);
        while !stop.load(Ordering::Relaxed) {
            if struck.is_none_or(|s| s.elapsed().as_secs() >= STRIKE_S) {
                struck = Some(Instant::now());
                self.tidy();
                if failed.is_none_or(|f| f.elapsed().as_secs() >= AGAIN_S) {
                    failed = (!self.back_up()).then(Instant::now);
                }
            }
            std::thread::sleep(std::time::Duration::from_millis(200));
        }
    }
    fn tidy(&self) {
        // Whoever has the lock does it for all.
        let done = alone(&self.db, 0, |c| c.transaction(|c| tidy(c, now())).map_err(|e: Fault| format!("{e:?}")));
        if let Ok(n) = done
            && n > 0
        {
            tracing::info!("{n} things that nobody needs any more were thrown away");
        }
    }
    /// A backup, if it is time for one; false if it failed.
    fn back_up(&self) -> bool {
        let Some(dir) = &self.backups else { return true };
        match backup::by_clock(&self.db, &self.address, dir) {
            Ok(true) => tracing::info!("a backup was made in {}", dir.display()),
            Ok(false) => {}
            Err(e) => {
                tracing::error!("no backup was made: {e}");
                return false;
            }
        }
        true
    }
}

/// Throw away whatever is over its time. How many things went.
pub fn tidy(c: &mut Conn, now: NaiveDateTime) -> Result<usize, Fault> {
    let mut n = blobs::tidy_usual(c)?;
    let late = now - Duration::days(BIN_DAYS);
    let gone: Vec<Job> = jobs::table.filter(jobs::deleted_at.lt(late)).select(Job::as_select()).load(c)?;
    for job in &gone {
        n += 1;
        purge(c, job)?;
    }
    n += diesel::delete(sessions::table.filter(sessions::seen_at.lt(now - Duration::days(people::IDLE_DAYS))))
        .execute(c)?;
    diesel::delete(sign_in_failures::table.filter(sign_in_failures::at.lt(now - Duration::days(2)))).execute(c)?;
    diesel::delete(known_browsers::table.filter(known_browsers::at.lt(now - Duration::days(400)))).execute(c)?;
    diesel::delete(audit_rows::table.filter(audit_rows::at.lt(now - Duration::days(AUDIT_DAYS)))).execute(c)?;
    diesel::delete(backups::table.filter(backups::at.lt(now - Duration::days(AUDIT_DAYS)))).execute(c)?;
    let old = tasks::id.eq_any(old_tasks(c)?);
    n += diesel::delete(tasks::table.filter(old)).execute(c)?;
    Ok(n)
}

/// Tasks that are over and not the newest of their kind: at most so many at once.
fn old_tasks(c: &mut Conn) -> Result<Vec<i64>, Fault> {
    let newest: Vec<Option<i64>> =
        tasks::table.group_by((tasks::job_id, tasks::kind)).select(diesel::dsl::max(tasks::id)).load(c)?;
    let newest: BTreeSet<i64> = newest.into_iter().flatten().collect();
    let over: Vec<i64> = tasks::table
        .filter(tasks::state.ne_all(["queued", "running"]))
        // Turns are told from the last hours'.
        .filter(tasks::started_at.is_null().or(tasks::started_at.lt(now() - Duration::days(1))))
        .order(tasks::id)
        .select(tasks::id)
        .load(c)?;
    Ok(over.into_iter().filter(|id| !newest.contains(id)).take(1000).collect())
}

/// Names of all that people brought to these jobs: models, as they came and as they were read, pictures, edited programs.
fn brought(c: &mut Conn, list: &[Job]) -> Result<BTreeSet<String>, Fault> {
    let mut out = BTreeSet::new();
    let mut model = |sha: &str| {
        out.extend([format!("model-{sha}"), crate::work::read_name(sha), format!("picture-{sha}")]);
    };
    let ids: Vec<i64> = list.iter().map(|j| j.id).collect();
    list.iter().for_each(|j| model(&j.model));
    let about = decisions::about.eq("model").or(decisions::about.like("edited%"));
    let given: Vec<String> =
        decisions::table.filter(decisions::job_id.eq_any(&ids).and(about)).select(decisions::body).load(c)?;
    let mut texts = Vec::new();
    for body in given {
        match serde_json::from_str(&body) {
            Ok(Decision::Model { sha: Some(sha), .. }) => model(&sha),
            Ok(Decision::Edited { sha: Some(sha), .. }) => texts.push(crate::decide::text_name(&sha)),
            _ => {}
        }
    }
    out.extend(texts);
    Ok(out)
}

fn size_of(c: &mut Conn, names: &BTreeSet<String>) -> Result<i64, Fault> {
    let names: Vec<&String> = names.iter().collect();
    let mut total = 0;
    for some in names.chunks(1000) {
        let sizes: Vec<i64> = blob_rows::table.filter(blob_rows::name.eq_any(some)).select(blob_rows::size).load(c)?;
        total += sizes.iter().sum::<i64>();
    }
    Ok(total)
}

/// A job goes for good, and what it alone brought. What the rack's books say of it stays.
fn purge(c: &mut Conn, job: &Job) -> Result<(), Fault> {
    let mine = brought(c, std::slice::from_ref(job))?;
    diesel::update(acts::table.filter(acts::job_id.eq(job.id))).set(acts::job_id.eq(None::<i64>)).execute(c)?;
    diesel::delete(issued::table.filter(issued::job_id.eq(job.id))).execute(c)?;
    crate::runs::purge(c, job.id)?;
    crate::rounds::purge(c, job.id)?;
    diesel::delete(tasks::table.filter(tasks::job_id.eq(job.id))).execute(c)?;
    diesel::delete(decisions::table.filter(decisions::job_id.eq(job.id))).execute(c)?;
    diesel::delete(jobs::table.find(job.id)).execute(c)?;
    let rest: Vec<Job> = jobs::table.select(Job::as_select()).load(c)?;
    let needed = brought(c, &rest)?;
    let free: Vec<&String> = mine.difference(&needed).collect();
    diesel::delete(blob_rows::table.filter(blob_rows::name.eq_any(free))).execute(c)?;
    Ok(())
}

/// Bytes that a shop's jobs hold and can not be worked out again; those in the bin too, for they can come back.
pub fn used(c: &mut Conn, shop: i64) -> Result<i64, Fault> {
    let list: Vec<Job> = jobs::table.filter(jobs::shop_id.eq(shop)).select(Job::as_select()).load(c)?;
    let names = brought(c, &list)?;
    size_of(c, &names)
}

/// Is there room for so many bytes more in this shop, and on the disk?
pub fn room(c: &mut Conn, shop: i64, more: usize) -> Result<(), Fault> {
    if let Some((free, spare)) = disk()
        && free < spare + ((more as u64) >> 20)
    {
        return Err(Fault::Full(format!("{free} MB are free, {spare} MB are kept free")));
    }
    let quota: i64 = shops::table.find(shop).select(shops::quota_mb).first(c)?;
    let mb = |b: i64| b as f64 / f64::from(1 << 20);
    let full = used(c, shop)?;
    if full + more as i64 > quota << 20 {
        return Err(Fault::Quota(format!(
            "This shop's models and programs fill {:.1} MB of the {quota} MB that it may; {:.1} MB more do not fit. Throw archived jobs away, or let the owner raise the limit under Keeping",
            mb(full),
            mb(more as i64)
        )));
    }
    Ok(())
}

/// Room on the disk where the database lies, and what is kept free of it, MB; where that is known.
fn disk() -> Option<(u64, u64)> {
    let dir = std::env::var_os("GOLDCHIP_DATA")?;
    let spare = std::env::var("GOLDCHIP_SPARE_MB").ok().and_then(|v| v.parse().ok()).unwrap_or(SPARE_MB);
    let path = std::ffi::CString::new(std::os::unix::ffi::OsStrExt::as_bytes(dir.as_os_str())).ok()?;
    // SAFETY: a struct of plain numbers, for which zeros are fine; the path ends with a zero and lives over the call.
    let mut s: libc::statvfs = unsafe { std::mem::zeroed() };
    if unsafe { libc::statvfs(path.as_ptr(), &raw mut s) } != 0 {
        return None;
    }
    Some(((s.f_bavail as u64 * s.f_frsize as u64) >> 20, spare))
}

/// What goes with a job.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct Goes {
    /// Job.
    #[ts(type = "number")]
    pub id: i64,
    /// Its title.
    pub title: String,
    /// Decisions of it.
    #[ts(type = "number")]
    pub decisions: i64,
    /// Programs that were taken of it.
    #[ts(type = "number")]
    pub programs: i64,
    /// Models and edited programs, bytes (those that other jobs use too stay).
    #[ts(type = "number")]
    pub bytes: i64,
    /// Thrown away, UTC.
    pub deleted_at: Option<String>,
    /// Gone for good, UTC.
    pub goes_at: Option<String>,
}

fn goes_of(c: &mut Conn, job: &Job, deleted: Option<NaiveDateTime>) -> Result<Goes, Fault> {
    let names = brought(c, std::slice::from_ref(job))?;
    Ok(Goes {
        id: job.id,
        title: job.title.clone(),
        decisions: decisions::table.filter(decisions::job_id.eq(job.id)).count().get_result(c)?,
        programs: issued::table.filter(issued::job_id.eq(job.id)).count().get_result(c)?,
        bytes: size_of(c, &names)?,
        deleted_at: deleted.map(stamp),
        goes_at: deleted.map(|d| stamp(d + Duration::days(BIN_DAYS))),
    })
}

/// What would go with a job.
pub fn goes(c: &mut Conn, me: &Me, id: i64) -> Result<Goes, Fault> {
    let job = job_rows::of(c, me, id)?;
    goes_of(c, &job, None)
}

/// Throw an archived job away.
pub fn throw_away(c: &mut Conn, me: &Me, id: i64) -> Result<(), Fault> {
    let job = job_rows::of_locked(c, me, id)?;
    if !job.archived {
        return Err(Fault::Bad("Only an archived job is thrown away; archive it first".into()));
    }
    queue::stop(c, id)?;
    diesel::update(jobs::table.find(id)).set(jobs::deleted_at.eq(now())).execute(c)?;
    crate::watch::job_changed(c, id)?;
    audit::note(
        c,
        me,
        "job",
        &format!("threw job {id}, {}, away; it can be taken back for {BIN_DAYS} days", job.title),
        "",
    )
}

/// Take it back, to where it was: among the archived.
pub fn take_back(c: &mut Conn, me: &Me, id: i64) -> Result<(), Fault> {
    let thrown = jobs::id.eq(id).and(jobs::shop_id.eq(me.shop_id)).and(jobs::deleted_at.is_not_null());
    let n = diesel::update(jobs::table.filter(thrown)).set(jobs::deleted_at.eq(None::<NaiveDateTime>)).execute(c)?;
    if n == 0 {
        return Err(Fault::NoSuch("job in the bin"));
    }
    crate::watch::job_changed(c, id)?;
    audit::note(c, me, "job", &format!("took job {id} back from the bin"), "")
}

/// A backup.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct Backup {
    /// UTC.
    pub at: String,
    /// Where it lies.
    pub file: String,
    /// Its size.
    #[ts(type = "number")]
    pub bytes: i64,
    /// Why there is none.
    pub why: Option<String>,
}

/// How the house is kept.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct Keeping {
    /// The newest backup that was made.
    pub backup: Option<Backup>,
    /// The newest try, if it failed.
    pub failed: Option<Backup>,
    /// They are made by the clock.
    pub by_clock: bool,
    /// Models and edited programs of this shop, bytes.
    #[ts(type = "number")]
    pub used: i64,
    /// What it may fill, MB.
    #[ts(type = "number")]
    pub quota_mb: i64,
    /// What can be worked out again, of all shops, bytes.
    #[ts(type = "number")]
    pub results: i64,
    /// Free on the disk, MB, where that is known.
    #[ts(type = "number | null")]
    pub free_mb: Option<u64>,
    /// What is in the bin, the newest first.
    pub bin: Vec<Goes>,
}

/// How the house is kept, for its people. Where backups lie is the owner's business.
pub fn sheet(c: &mut Conn, me: &Me) -> Result<Keeping, Fault> {
    let thrown: Vec<(Job, Option<NaiveDateTime>)> = jobs::table
        .filter(jobs::shop_id.eq(me.shop_id).and(jobs::deleted_at.is_not_null()))
        .order(jobs::deleted_at.desc())
        .select((Job::as_select(), jobs::deleted_at))
        .load(c)?;
    let bin = thrown.iter().map(|(j, d)| goes_of(c, j, *d)).collect::<Result<_, _>>()?;
    type Row = (i64, NaiveDateTime, String, i64, Option<String>);
    let of = |(_, at, file, bytes, why): Row| Backup {
        at: stamp(at),
        file: if me.owner { file } else { String::new() },
        bytes,
        why: why.filter(|_| me.owner),
    };
    let made: Option<Row> =
        backups::table.filter(backups::why.is_null()).order(backups::id.desc()).first(c).optional()?;
    let newest: Option<Row> = backups::table.order(backups::id.desc()).first(c).optional()?;
    let failed = newest.filter(|n| made.as_ref().is_none_or(|m| m.0 < n.0));
    let results: Vec<i64> = blob_rows::table.filter(blob_rows::kept.eq(false)).select(blob_rows::size).load(c)?;
    Ok(Keeping {
        backup: made.map(of),
        failed: failed.map(of),
        by_clock: std::env::var_os("GOLDCHIP_BACKUPS").is_some(),
        used: used(c, me.shop_id)?,
        quota_mb: shops::table.find(me.shop_id).select(shops::quota_mb).first(c)?,
        results: results.iter().sum(),
        free_mb: disk().map(|d| d.0),
        bin,
    })
}

/// What a shop may fill.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct NewQuota {
    /// MB.
    #[ts(type = "number")]
    pub quota_mb: i64,
}

/// Set it.
pub fn set_quota(c: &mut Conn, me: &Me, q: &NewQuota) -> Result<(), Fault> {
    if !me.owner {
        return Err(Fault::OwnerOnly);
    }
    if !(100..=10_000_000).contains(&q.quota_mb) {
        return Err(Fault::Bad("A shop may fill between 100 MB and 10 000 000 MB".into()));
    }
    diesel::update(shops::table.find(me.shop_id)).set(shops::quota_mb.eq(q.quota_mb)).execute(c)?;
    audit::note(c, me, "shop", &format!("the shop may fill {} MB", q.quota_mb), "")
}
