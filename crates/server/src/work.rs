//! The worker: claims tasks, plans and proves, keeps what comes out.

use crate::blobs::{self, DbCache};
use crate::db::rows::Job;
use crate::db::schema::jobs;
use crate::db::{Conn, Db};
use crate::fault::Fault;
use crate::jobs as job_rows;
use crate::people::Me;
use crate::queue::{self, Claim, Kind};
use diesel::prelude::*;
use intake::{Model, Reading};
use job::cache::StageKey;
use job::proving::{limits_of, setups_of};
use job::what_if::WhatIfs;
use job::{Cache, Desk, JobError, Settled};
use part::Part;
use shop::Shop;
use std::panic::AssertUnwindSafe;
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

/// Columns of the picture that follows the hand on the proof strip.
const COLUMNS: f64 = 14_000.0;

/// Names under which the parts of a sheet lie.
pub struct Names(String);

impl Names {
    /// Of a sheet's key.
    pub fn of(key: &str) -> Names {
        Names(key.into())
    }
    /// The proof strip.
    pub fn strip(&self) -> String {
        format!("strip-{}", self.0)
    }
    /// The other whole ways: all of them, or as far as they are.
    pub fn ways(&self, done: bool) -> String {
        format!("ways{}-{}", if done { "" } else { "-so-far" }, self.0)
    }
    /// Faults at the machine: all of them, or as far as they are.
    pub fn what_ifs(&self, done: bool) -> String {
        format!("what-if{}-{}", if done { "" } else { "-so-far" }, self.0)
    }
    /// The stock as planned after one setup, from 0, in layers.
    pub fn stock(&self, setup: usize) -> String {
        format!("stock-{setup}-{}", self.0)
    }
    /// The stock's history in one setup, from 0.
    pub fn history(&self, setup: usize) -> String {
        format!("history-{setup}-{}", self.0)
    }
}

/// Stock after a setup as it is kept: layers in work coordinates, and where they stand on the part.
pub type StockAfter = (Vec<intake::Layer3>, geom::Placement);

/// Key of a sheet: what goes into it, and the build.
pub fn sheet_key(model: &str, shop: &Shop, title: &str, settled: &Settled) -> String {
    // The unit of the screens and how many are made change nothing of the plan.
    let settled = Settled { units: None, quantity: None, rehearsed: Default::default(), ..settled.clone() };
    StageKey::new("sheet").with(&model).with(shop).with(&title).with(&settled).done()
}

/// Name under which a model lies as it was read. The number is that of the form in which it lies.
pub fn read_name(sha: &str) -> String {
    format!("read4-{sha}")
}

/// Hash of the file that a job is about: its newest revision's.
pub fn model_of(job: &Job, settled: &Settled) -> String {
    settled.model.as_ref().map_or_else(|| job.model.clone(), |m| m.sha.clone())
}

/// A job's part: the model as it was read with what was answered about it. What only the reader can do over again (a drawing's plate) it does;
/// so it does for models that an older build of this program read.
pub fn part_of(db: &Db, reader: &Path, job: &Job, settled: &Settled) -> Result<Part, Fault> {
    part_of_model(db, reader, &model_of(job, settled), settled)
}

/// The revision before the newest, if there is one.
pub fn part_before(db: &Db, reader: &Path, job: &Job, settled: &Settled) -> Result<Option<Part>, Fault> {
    let Some(m) = &settled.model else { return Ok(None) };
    let sha = m.before.as_ref().unwrap_or(&job.model);
    part_of_model(db, reader, sha, settled).map(Some)
}

fn part_of_model(db: &Db, reader: &Path, sha: &str, settled: &Settled) -> Result<Part, Fault> {
    let reading = settled.reading();
    let broken = |e: std::io::Error| Fault::internal(format!("a model could not be put down: {e}"));
    let kept = db.act(|c| blobs::get(c, &read_name(sha)))?;
    let kept: Option<Model> = kept.and_then(|b| postcard::from_bytes(&b).ok());
    let drawn = |m: &Model| {
        m.drawing.is_some() && Reading { solid: None, stays: Vec::new(), ..reading.clone() } != Reading::default()
    };
    let model = match kept {
        Some(m) if !drawn(&m) => m,
        _ => {
            let bytes = db
                .act(|c| blobs::get(c, &format!("model-{sha}")))?
                .ok_or_else(|| Fault::internal(format!("the model {sha} is gone")))?;
            let tmp = tempfile::Builder::new().prefix("goldchip-").tempfile().map_err(broken)?;
            std::fs::write(tmp.path(), &bytes).map_err(broken)?;
            intake::read_guarded(reader, &[crate::READER_WORD], tmp.path(), &reading, &intake::Limits::default())
                .map_err(|e| match e {
                    intake::ReadError::Reader(why) => Fault::internal(why),
                    e => Fault::Model(e.to_string()),
                })?
        }
    };
    Part::from_model(&model, &reading).map_err(|e| Fault::Model(e.to_string()))
}

/// What a job's plan is about: the file, and all that was said of how to read it. Kept stages hang on it.
pub fn read_as(job: &Job, settled: &Settled) -> String {
    StageKey::new("read").with(&model_of(job, settled)).with(&settled.reading()).done()
}

/// Key of the part's ticket: what it depends on.
fn part_key(job: &Job, settled: &Settled, shop: &Shop) -> String {
    let material = shop.material(settled.material.as_deref().unwrap_or(job::chain::DEFAULT_MATERIAL)).ok();
    StageKey::new("part")
        .with(&job.model)
        .with(&settled.model)
        .with(&settled.answers)
        .with(&settled.marks)
        .with(&settled.asks)
        .with(&material)
        .done()
}

/// The part's ticket as JSON, if a worker has made it; else it is asked for, once. Why it cannot be made is a refusal.
pub fn part_seen(c: &mut Conn, me: &Me, id: i64) -> Result<Option<Vec<u8>>, Fault> {
    let job = job_rows::of(c, me, id)?;
    let settled = job_rows::settled(c, id)?;
    let shop = crate::book::of_job(c, &job, &settled)?;
    if let Some(kept) = blobs::get(c, &part_key(&job, &settled, &shop))? {
        return Ok(Some(kept));
    }
    match job_rows::newest_part(c, id)? {
        Some(t) if t.revision == job.revision && t.state == "failed" => Err(Fault::Model(t.why.unwrap_or_default())),
        _ => queue::ask_part(c, id, job.revision, Some(me.id)).map(|()| None),
    }
}

/// Recognise the part and keep its ticket.
fn see_part(db: &Db, reader: &Path, job: &Job, settled: &Settled, shop: &Shop) -> Result<(), Fault> {
    let key = part_key(job, settled, shop);
    if db.act(|c| blobs::get(c, &key))?.is_some() {
        return Ok(());
    }
    let part = part_of(db, reader, job, settled)?;
    let sheet = match (part_before(db, reader, job, settled)?, &settled.model) {
        (Some(before), Some(m)) => job::sheet::part_sheet_revised(&part, &before, &m.file, shop, settled),
        _ => job::sheet::part_sheet(&part, shop, settled),
    };
    let json = serde_json::to_vec(&sheet).map_err(|e| Fault::internal(e.to_string()))?;
    db.act(|c| blobs::put(c, &key, &json, false))
}

struct Order {
    job: Job,
    shop: Shop,
    settled: Settled,
}

/// A worker that is told to stop and does not hear it for this long is ended, with its process.
const DEAF: Duration = Duration::from_millis(1300);
/// How long a task may take, s.
const LONGEST: [(Kind, u64); 5] = [
    (Kind::Part, 60),
    (Kind::Plan, 30 * 60),
    (Kind::Compare, 60 * 60),
    (Kind::WhatIf, 60 * 60),
    (Kind::Round, 30 * 60),
];
/// With this code a worker's process ends that had to be broken off.
pub const BROKEN_OFF: i32 = 75;

/// Work until told to stop: one task after the other. A task that does not hear takes the whole process with it; whoever started it starts
/// another.
pub fn run(db: &Db, name: &str, only: Option<Kind>, reader: &Path, stop: &AtomicBool) {
    while !stop.load(Ordering::Relaxed) {
        match db.act(|c| queue::claim(c, name, only)) {
            Ok(Some(claim)) => {
                one(db, name, reader, &claim, stop);
                let _ = db.act(blobs::note_used);
            }
            Ok(None) => {
                std::thread::sleep(Duration::from_millis(150));
            }
            Err(e) => {
                tracing::error!("the queue: {e:?}");
                std::thread::sleep(Duration::from_secs(2));
            }
        }
    }
}

/// The heart of a task: it beats as long as the work goes on, brings word that it should not, and breaks off what does not hear or takes too
/// long.
struct Heart<'a> {
    db: &'a Db,
    name: &'a str,
    claim: &'a Claim,
    shutdown: &'a AtomicBool,
    stop: AtomicBool,
    over: AtomicBool,
    at: Mutex<(&'static str, f64)>,
}

impl Heart<'_> {
    fn beat(&self) {
        let start = Instant::now();
        let longest =
            LONGEST.iter().find(|l| l.0 == self.claim.kind).map_or(Duration::MAX, |l| Duration::from_secs(l.1));
        let mut told: Option<Instant> = None;
        while !self.over.load(Ordering::Relaxed) {
            let (stage, share) = *self.at.lock().unwrap_or_else(PoisonError::into_inner);
            let wanted = self.db.act(|c| queue::beat(c, self.claim.id, self.name, stage, share)).unwrap_or(true);
            let leaving = self.shutdown.load(Ordering::Relaxed);
            if !wanted || leaving {
                self.stop.store(true, Ordering::Relaxed);
                told.get_or_insert_with(Instant::now);
            }
            if told.is_some_and(|t| t.elapsed() > DEAF) {
                self.break_off(if wanted { "queued" } else { "stopped" }, None);
            }
            if start.elapsed() > longest {
                let minutes = longest.as_secs() / 60;
                let why = format!(
                    "It takes more than {minutes} min and was broken off; simplify the model (fewer faces), or take a part of it"
                );
                self.break_off("failed", Some(&why));
            }
            std::thread::sleep(Duration::from_millis(200));
        }
    }
    /// The end of this process: nothing else stops a thread that computes.
    fn break_off(&self, state: &str, why: Option<&str>) {
        if self.over.load(Ordering::Relaxed) {
            return;
        }
        let _ = self.db.act(|c| queue::end(c, self.claim.id, self.name, state, why));
        std::process::exit(BROKEN_OFF);
    }
}

/// One task, whatever comes of it.
fn one(db: &Db, name: &str, reader: &Path, claim: &Claim, shutdown: &AtomicBool) {
    let (stop, over) = (AtomicBool::new(false), AtomicBool::new(false));
    let heart = Heart { db, name, claim, shutdown, stop, over, at: Mutex::new(("model", 0.0)) };
    let done = std::thread::scope(|s| {
        s.spawn(|| heart.beat());
        let heard = |stage: &'static str, share: f64| {
            *heart.at.lock().unwrap_or_else(PoisonError::into_inner) = (stage, share);
        };
        let done = std::panic::catch_unwind(AssertUnwindSafe(|| match claim.kind {
            Kind::Plan => plan(db, reader, claim, &heart.stop, &heard),
            Kind::Compare => behind(db, reader, claim, &heart.stop, &heard, |n| n.ways(true), compare),
            Kind::Round => rounds(db, reader, claim, &heart.stop, &heard),
            Kind::WhatIf => behind(db, reader, claim, &heart.stop, &heard, |n| n.what_ifs(true), what_if),
            Kind::Part => {
                let o = order(db, claim)?;
                Ok(see_part(db, reader, &o.job, &o.settled, &o.shop)?)
            }
        }));
        heart.over.store(true, Ordering::Relaxed);
        done
    });
    let (state, why) = match done {
        Ok(Ok(())) => ("done", None),
        // A worker that shuts down gives its task back.
        Ok(Err(Outcome::Stopped)) if shutdown.load(Ordering::Relaxed) => ("queued", None),
        Ok(Err(Outcome::Stopped)) => ("stopped", None),
        Ok(Err(Outcome::GivesWay)) => ("queued", None),
        Ok(Err(Outcome::Refused(why))) => ("failed", Some(why)),
        // The database was away for a moment, which is nobody's fault: it waits again.
        Ok(Err(Outcome::Fault(f @ (Fault::Away(_) | Fault::Again(_))))) => {
            tracing::warn!("task {} is given back: {f:?}", claim.id);
            ("queued", None)
        }
        Ok(Err(Outcome::Fault(Fault::Full(why)))) => {
            tracing::error!("task {}: {why}", claim.id);
            ("failed", Some(Fault::Full(String::new()).to_string()))
        }
        Ok(Err(Outcome::Fault(f))) => {
            tracing::error!("task {}: {f:?}", claim.id);
            (
                "failed",
                Some("Planning failed here; it is in the server's log. Change something, or try again".to_string()),
            )
        }
        Err(_) => (
            "failed",
            Some("Planning stopped with an internal error; report it with the model. Nothing was proved".to_string()),
        ),
    };
    if let Err(e) = db.act(|c| queue::end(c, claim.id, name, state, why.as_deref())) {
        tracing::error!("task {}: {e:?}", claim.id);
    }
}

enum Outcome {
    Stopped,
    /// Others go first; what is done is kept.
    GivesWay,
    Refused(String),
    Fault(Fault),
}

impl From<Fault> for Outcome {
    fn from(f: Fault) -> Self {
        match f {
            Fault::Model(why) => Outcome::Refused(why),
            f => Outcome::Fault(f),
        }
    }
}

impl From<JobError> for Outcome {
    fn from(e: JobError) -> Self {
        match e {
            JobError::Stopped => Outcome::Stopped,
            e => Outcome::Refused(e.to_string()),
        }
    }
}

fn order(db: &Db, claim: &Claim) -> Result<Order, Fault> {
    db.act(|c| {
        let job: Job = jobs::table.find(claim.job_id).select(Job::as_select()).first(c)?;
        let settled = job_rows::settled(c, job.id)?;
        let shop = crate::book::of_job(c, &job, &settled)?;
        Ok(Order { job, shop, settled })
    })
}

/// An order with the piece that is proposed for it, and the texts that somebody edited.
fn whole_order(db: &Db, reader: &Path, claim: &Claim) -> Result<Order, Fault> {
    let mut o = order(db, claim)?;
    o.settled = crate::rack::look_out(db, reader, &o.job, &o.settled, &o.shop)?;
    for e in o.settled.edited.values_mut() {
        let text = db.act(|c| blobs::get(c, &crate::decide::text_name(&e.sha)))?;
        let text = text.ok_or_else(|| Fault::internal(format!("the edited program {} is gone", e.sha)))?;
        e.text = Some(String::from_utf8_lossy(&text).into_owned());
    }
    Ok(o)
}

/// The part of an order, planned and proved.
fn worked_out(db: &Db, reader: &Path, o: &Order, desk: &Desk) -> Result<(Part, job::Planned, proof::Proof), Outcome> {
    desk.tell("model", 0.0)?;
    let part = part_of(db, reader, &o.job, &o.settled)?;
    let planned = job::plan_at(&part, &o.job.title, &o.shop, &o.settled, desk)?;
    let proof = job::prove_plan_at(&part, &planned.plan, &o.shop, desk)?;
    Ok((part, planned, proof))
}

fn plan(
    db: &Db,
    reader: &Path,
    claim: &Claim,
    stop: &AtomicBool,
    heard: &(dyn Fn(&'static str, f64) + Sync),
) -> Result<(), Outcome> {
    let o = whole_order(db, reader, claim)?;
    let key = sheet_key(&o.job.model, &o.shop, &o.job.title, &o.settled);
    let cache = DbCache::of(db);
    let names = Names::of(&key);
    let there = db.act(|c| {
        let all = [key.clone(), names.strip(), names.history(0), names.history(1), names.stock(0), names.stock(1)];
        for n in &all {
            if blobs::get(c, n)?.is_none() {
                return Ok(false);
            }
        }
        Ok(true)
    })?;
    if !there {
        let desk = Desk { model: read_as(&o.job, &o.settled), cache: &cache, stop, heard };
        let (part, planned, proof) = worked_out(db, reader, &o, &desk)?;
        desk.tell("card", 0.0)?;
        let sheet = job::sheet::sheet(&part, &planned.plan, &proof, &o.shop, &o.settled);
        let mut strip = job::sheet::strip(&planned.plan, &proof, &o.shop);
        let setups = setups_of(&planned.plan)?;
        let scheme = &planned.plan.scheme;
        let motion = limits_of(&o.shop.machine).motion;
        let histories = proof::histories(&scheme.stock, scheme.bar.as_ref(), &setups, &motion, COLUMNS);
        job::sheet::mark_no_return(&mut strip, &planned.plan, &histories);
        desk.tell("card", 0.8)?;
        let json = |v: serde_json::Result<Vec<u8>>| v.map_err(|e| Fault::internal(e.to_string()));
        cache.put(&names.strip(), &json(serde_json::to_vec(&strip))?);
        for (k, h) in histories.iter().enumerate() {
            cache.put(&names.history(k), &job::sheet::history_bytes(h));
        }
        for (k, s) in planned.plan.sides.iter().enumerate() {
            let layers: StockAfter = (s.after.clone(), s.setup.part_from_work);
            let bytes = postcard::to_stdvec(&layers).map_err(|e| Fault::internal(e.to_string()))?;
            cache.put(&names.stock(k), &bytes);
        }
        db.act(|c| job_rows::put_summary(c, &key, &sheet))?;
        cache.put(&key, &json(serde_json::to_vec(&sheet))?);
    }
    db.act(|c| {
        let job: Job = jobs::table.find(o.job.id).for_update().select(Job::as_select()).first(c)?;
        let now = job_rows::key_of(c, &job)?;
        let revision = if now == key {
            job.revision
        } else if o.job.revision < job.revision {
            o.job.revision
        } else {
            job_rows::OUTDATED
        };
        if now == key || job.sheet_revision.is_none_or(|r| r <= o.job.revision) {
            diesel::update(jobs::table.find(job.id))
                .set((jobs::sheet.eq(&key), jobs::sheet_revision.eq(revision)))
                .execute(c)?;
            crate::watch::job_changed(c, job.id)?;
        }
        if now == key {
            ask_behind(c, &names, job.id, job.revision)?;
        }
        Ok(())
    })?;
    Ok(())
}

/// What there is to do of a plan when nobody waits for anything: the other ways, then the faults.
fn ask_behind(c: &mut Conn, names: &Names, job: i64, revision: i64) -> Result<(), Fault> {
    for (kind, name) in [(Kind::Compare, names.ways(true)), (Kind::WhatIf, names.what_ifs(true))] {
        if !blobs::is_there(c, &name)? {
            queue::ask_behind(c, job, revision, kind, None)?;
        }
    }
    Ok(())
}

/// A job's plan with all that is at hand to go on from it.
struct AtHand<'a> {
    o: &'a Order,
    names: &'a Names,
    desk: &'a Desk<'a>,
    part: Part,
    planned: job::Planned,
    proof: proof::Proof,
}

impl AtHand<'_> {
    fn put<T: serde::Serialize>(&self, name: &str, v: &T) {
        if let Ok(json) = serde_json::to_vec(v) {
            self.desk.cache.put(name, &json);
        }
    }
    /// What is known so far of a result that grows.
    fn grow<T: serde::Serialize>(&self, db: &Db, name: &str, v: &T) {
        let kept = serde_json::to_vec(v).map(|json| db.act(|c| blobs::renew(c, name, &json)));
        if let Ok(Err(e)) = kept {
            tracing::warn!("what is known so far was not kept: {e:?}");
        }
    }
}

/// Work that goes on from a plan, unless what it ends in is there. What of it the plan has made is at hand.
fn behind(
    db: &Db,
    reader: &Path,
    claim: &Claim,
    stop: &AtomicBool,
    heard: &(dyn Fn(&'static str, f64) + Sync),
    end: fn(&Names) -> String,
    work: fn(&Db, &AtHand) -> Result<(), Outcome>,
) -> Result<(), Outcome> {
    let o = whole_order(db, reader, claim)?;
    let names = Names::of(&sheet_key(&o.job.model, &o.shop, &o.job.title, &o.settled));
    if db.act(|c| blobs::is_there(c, &end(&names)))? {
        return Ok(());
    }
    let cache = DbCache::of(db);
    let desk = Desk { model: read_as(&o.job, &o.settled), cache: &cache, stop, heard };
    let (part, planned, proof) = worked_out(db, reader, &o, &desk)?;
    work(db, &AtHand { o: &o, names: &names, desk: &desk, part, planned, proof })?;
    db.act(|c| crate::watch::job_changed(c, o.job.id))?;
    Ok(())
}

/// The faults of a job's plan. It gives way to ways that are to be compared, and goes on later where it was.
fn what_if(db: &Db, at: &AtHand) -> Result<(), Outcome> {
    // Where nothing is proved there is nothing to compare with.
    let nothing = || WhatIfs { done: true, ..WhatIfs::default() };
    let all = if at.proof.passed() {
        let known = db.act(|c| blobs::get(c, &at.names.what_ifs(false)))?;
        let known: WhatIfs = known.and_then(|b| serde_json::from_slice(&b).ok()).unwrap_or_default();
        let mut gives_way = false;
        let mut so_far = |now: &WhatIfs| {
            at.grow(db, &at.names.what_ifs(false), now);
            gives_way = db.act(queue::ways_wait).unwrap_or(false);
            !gives_way
        };
        match job::what_if::of_plan(&at.part, &at.planned.plan, &at.o.shop, known.rows, at.desk, &mut so_far) {
            Err(_) if gives_way => return Err(Outcome::GivesWay),
            Err(JobError::NotProved) => nothing(),
            all => all?,
        }
    } else {
        nothing()
    };
    at.put(&at.names.what_ifs(true), &all);
    Ok(())
}

/// The trainer's rounds that wait for this job, on its plan as it stands.
fn rounds(
    db: &Db,
    reader: &Path,
    claim: &Claim,
    stop: &AtomicBool,
    heard: &(dyn Fn(&'static str, f64) + Sync),
) -> Result<(), Outcome> {
    let o = whole_order(db, reader, claim)?;
    let cache = DbCache::of(db);
    let desk = Desk { model: read_as(&o.job, &o.settled), cache: &cache, stop, heard };
    let mut at_hand = None;
    // Others may ask while one is made.
    while let Some(id) = db.act(|c| crate::rounds::waiting(c, o.job.id))?.first().copied() {
        if at_hand.is_none() {
            let (part, planned, proof) = worked_out(db, reader, &o, &desk)?;
            let sheet = job::sheet::sheet(&part, &planned.plan, &proof, &o.shop, &o.settled);
            at_hand = Some((part, planned, proof, sheet));
        }
        let Some((part, planned, proof, sheet)) = &at_hand else { break };
        match job::trainer::round(part, &planned.plan, proof, &o.shop, fastrand::u64(..), &desk) {
            Ok(made) => crate::rounds::keep(db, id, &made, sheet, &o.shop, &o.job.title)?,
            Err(JobError::Stopped) => return Err(Outcome::Stopped),
            Err(e) => crate::rounds::refuse(db, id, &e.to_string())?,
        }
    }
    db.act(|c| crate::watch::job_changed(c, o.job.id))?;
    Ok(())
}

/// The faults of a sheet as far as they were tried; none: not yet begun.
pub fn what_ifs_kept(c: &mut Conn, key: &str) -> Result<Option<WhatIfs>, Fault> {
    let names = Names::of(key);
    for done in [true, false] {
        if let Some(b) = blobs::get(c, &names.what_ifs(done))? {
            return Ok(serde_json::from_slice(&b).ok());
        }
    }
    Ok(None)
}

/// The faults of a job's plan as far as they were tried; those that were not are asked for.
pub fn what_ifs_seen(c: &mut Conn, me: &Me, id: i64) -> Result<Option<WhatIfs>, Fault> {
    let job = job_rows::of(c, me, id)?;
    let key = job.sheet.clone().ok_or(Fault::NotYet("The first plan of this job is still being worked out"))?;
    let kept = what_ifs_kept(c, &key)?;
    if kept.as_ref().is_none_or(|k| !k.done) && job_rows::sheet_is_newest(&job) {
        queue::ask_behind(c, id, job.revision, Kind::WhatIf, Some(me.id))?;
    }
    Ok(kept)
}

/// The other whole ways of a job beside its plan.
fn compare(db: &Db, at: &AtHand) -> Result<(), Outcome> {
    let here = job::Standing { plan: &at.planned.plan, proof: &at.proof };
    let mut so_far = |c: &job::Comparison| at.grow(db, &at.names.ways(false), c);
    let all = job::compare_at(&at.part, &at.o.job.title, &at.o.shop, &at.o.settled, &here, at.desk, &mut so_far)?;
    at.put(&at.names.ways(true), &all);
    Ok(())
}

/// The other whole ways of a job as far as they are known, for the pieces that are made now; none: they are being looked for.
pub fn ways_seen(c: &mut Conn, me: &Me, id: i64) -> Result<Option<job::Comparison>, Fault> {
    let job = job_rows::of(c, me, id)?;
    let key = job.sheet.clone().ok_or(Fault::NotYet("The first plan of this job is still being worked out"))?;
    let quantity = job_rows::settled(c, id)?.quantity.unwrap_or(1);
    let read = |b: Vec<u8>| serde_json::from_slice(&b).map(|w: job::Comparison| w.of_pieces(quantity)).ok();
    if let Some(done) = blobs::get(c, &Names::of(&key).ways(true))?.and_then(read) {
        return Ok(Some(done));
    }
    // It was tidied away, or stopped.
    if job_rows::sheet_is_newest(&job) {
        queue::ask_behind(c, id, job.revision, Kind::Compare, Some(me.id))?;
    }
    Ok(blobs::get(c, &Names::of(&key).ways(false))?.and_then(read))
}
