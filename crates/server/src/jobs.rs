//! Jobs: making, listing, reading.

use crate::audit;
use crate::blobs;
use crate::book::{self, NewerBook};
use crate::db::rows::{DecisionRow, Job, Task};
use crate::db::schema::{decisions, issued, jobs, people, shop_revisions, shops, tasks};
use crate::db::{Conn, last_id, now};
use crate::decide;
use crate::fault::Fault;
use crate::people::Me;
use crate::queue;
use chrono::NaiveDateTime;
use diesel::prelude::*;
use job::cache::hex;
use job::sheet::Sheet;
use job::{Decision, Settled};
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use shop::Shop;
use ts_rs::TS;
use unicode_normalization::UnicodeNormalization;

/// Where the background work of a job stands.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Work {
    /// The sheet is that of the newest revision.
    Done,
    /// Somebody will take it.
    Waiting,
    /// At it.
    Running {
        /// "paths of side 1".
        stage: String,
        /// Of that stage, 0 to 1.
        share: f64,
    },
    /// A person stopped it.
    Stopped,
    /// It cannot be planned.
    Failed {
        /// Says what to do.
        why: String,
    },
}

/// A job on the bench.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct JobCard {
    /// Id.
    #[ts(type = "number")]
    pub id: i64,
    /// Title.
    pub title: String,
    /// File that it came from.
    pub file: String,
    /// Put away.
    pub archived: bool,
    /// Made, UTC.
    pub made_at: String,
    /// Number of the last decision.
    #[ts(type = "number")]
    pub revision: i64,
    /// Background work.
    pub work: Work,
    /// What the newest sheet says; none before the first.
    pub summary: Option<Summary>,
}

/// A sheet in a few numbers.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Summary {
    /// Part, mm.
    pub size: [f64; 3],
    /// Material in words.
    pub material: String,
    /// min.
    pub minutes: f64,
    /// "proved, 1 feature left".
    pub verdict: String,
    /// Nothing forbids cutting.
    pub passed: bool,
    /// Findings by severity: stop, warn, note.
    pub counts: [usize; 3],
    /// The gravest finding.
    pub next: Option<String>,
}

/// What a decision was, who made it and when.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct Decided {
    /// Its number.
    #[ts(type = "number")]
    pub revision: i64,
    /// The decision.
    pub decision: Decision,
    /// In words.
    pub words: String,
    /// Name.
    pub who: String,
    /// UTC.
    pub at: String,
    /// It takes back this one.
    #[ts(type = "number | null")]
    pub undoes: Option<i64>,
    /// It makes this one again.
    #[ts(type = "number | null")]
    pub redoes: Option<i64>,
}

/// A job as its screens need it.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct JobState {
    /// The card.
    pub card: JobCard,
    /// What stands.
    pub settled: Settled,
    /// All decisions, oldest first.
    pub decisions: Vec<Decided>,
    /// What undo would take back.
    pub undo: Option<String>,
    /// What redo would make again.
    pub redo: Option<String>,
    /// Revision that the sheet belongs to.
    #[ts(type = "number | null")]
    pub sheet_revision: Option<i64>,
    /// The sheet is that of the newest revision and of this build: only then may it say *proved*.
    pub fresh: bool,
    /// The shop's book has changed since the revision that the job is planned with.
    pub newer_book: Option<NewerBook>,
    /// Programs that left the house.
    pub issued: Vec<Issued>,
}

/// A program that left the house.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct Issued {
    /// Id.
    #[ts(type = "number")]
    pub id: i64,
    /// Revision it was made from.
    #[ts(type = "number")]
    pub revision: i64,
    /// "side 1".
    pub side: String,
    /// File name.
    pub file: String,
    /// Who took it.
    pub who: String,
    /// UTC.
    pub at: String,
}

pub(crate) fn stamp(t: NaiveDateTime) -> String {
    t.format("%Y-%m-%dT%H:%M:%SZ").to_string()
}

/// The newest revision of a shop's data.
pub fn shop_of(c: &mut Conn, revision: i64) -> Result<Shop, Fault> {
    let data: String = shop_revisions::table.find(revision).select(shop_revisions::data).first(c)?;
    serde_json::from_str(&data).map_err(|e| Fault::internal(format!("shop revision {revision}: {e}")))
}

/// The shop's newest revision.
pub fn newest_shop_revision(c: &mut Conn, shop: i64) -> Result<i64, Fault> {
    let id: Option<i64> = shops::table.find(shop).select(shops::revision_id).first(c)?;
    id.ok_or_else(|| Fault::internal("the shop has no data".into()))
}

/// A job of a person's shop; whoever is not of that shop sees none.
pub fn of(c: &mut Conn, me: &Me, id: i64) -> Result<Job, Fault> {
    jobs::table
        .filter(jobs::id.eq(id).and(jobs::shop_id.eq(me.shop_id)).and(jobs::deleted_at.is_null()))
        .select(Job::as_select())
        .first(c)
        .optional()?
        .ok_or(Fault::NoSuch("job"))
}

/// The same, locked until the transaction ends: revisions are numbered under this lock.
pub fn of_locked(c: &mut Conn, me: &Me, id: i64) -> Result<Job, Fault> {
    jobs::table
        .filter(jobs::id.eq(id).and(jobs::shop_id.eq(me.shop_id)).and(jobs::deleted_at.is_null()))
        .select(Job::as_select())
        .for_update()
        .first(c)
        .optional()?
        .ok_or(Fault::NoSuch("job"))
}

/// A title from a file's name: "encoder-bracket.step" → "Encoder bracket".
pub fn title_of(file: &str) -> String {
    let stem = file.rsplit_once('.').map_or(file, |p| p.0).replace(['-', '_'], " ");
    let mut chars = stem.trim().chars();
    let title: String = chars.next().map(|f| f.to_uppercase().chain(chars).collect()).unwrap_or_default();
    if title.is_empty() { "Part".into() } else { title.chars().take(120).collect() }
}

/// A file's name from a title: "Encoder bracket" → "encoder-bracket", "Ölblock (2. Seite)" → "olblock-2-seite"; at most 60 characters that every
/// control and every file system takes. A title that has none of them is "part".
pub fn stem_of(title: &str) -> String {
    let plain = title.nfkd().filter(|c| !unicode_normalization::char::is_combining_mark(*c));
    let mut out = String::new();
    for c in plain.flat_map(char::to_lowercase) {
        match c {
            c if c.is_ascii_alphanumeric() => out.push(c),
            'ß' => out.push_str("ss"),
            'ø' => out.push('o'),
            'æ' => out.push_str("ae"),
            _ if out.ends_with('-') || out.is_empty() => {}
            _ => out.push('-'),
        }
    }
    let out: String = out.chars().take(60).collect();
    let out = out.trim_matches('-');
    if out.is_empty() { "part".into() } else { out.into() }
}

/// Keep a model as it came and as it was read; its hash.
pub fn keep_model(c: &mut Conn, model: &[u8], read: &[u8]) -> Result<String, Fault> {
    let sha = hex(&Sha256::digest(model));
    blobs::put(c, &format!("model-{sha}"), model, true)?;
    blobs::put(c, &crate::work::read_name(&sha), read, true)?;
    Ok(sha)
}

/// A new job from a model that was read: bytes as they came, and the reader's answer.
pub fn make(
    c: &mut Conn,
    shop: i64,
    who: Option<i64>,
    file: &str,
    model: &[u8],
    raw: &[u8],
    picture: &[u8],
) -> Result<i64, Fault> {
    crate::keeping::room(c, shop, model.len() + raw.len() + picture.len())?;
    let sha = keep_model(c, model, raw)?;
    blobs::put(c, &format!("picture-{sha}"), picture, true)?;
    let revision = newest_shop_revision(c, shop)?;
    diesel::insert_into(jobs::table)
        .values((
            jobs::shop_id.eq(shop),
            jobs::title.eq(title_of(file)),
            jobs::file.eq(file.chars().take(255).collect::<String>()),
            jobs::model.eq(sha),
            jobs::shop_revision_id.eq(revision),
            jobs::made_at.eq(now()),
        ))
        .execute(c)?;
    let id = last_id(c)?;
    queue::ask(c, id, 0, who)?;
    Ok(id)
}

/// A job for another solid of the same file: parts of one assembly, each its own card.
pub fn make_beside(c: &mut Conn, me: &Me, id: i64, solid: usize, name: &str) -> Result<i64, Fault> {
    let job = of(c, me, id)?;
    let model = crate::work::model_of(&job, &settled(c, id)?);
    diesel::insert_into(jobs::table)
        .values((
            jobs::shop_id.eq(me.shop_id),
            jobs::title.eq(title_of(&format!("{name}.")).chars().take(120).collect::<String>()),
            jobs::file.eq(&job.file),
            jobs::model.eq(model),
            jobs::shop_revision_id.eq(newest_shop_revision(c, me.shop_id)?),
            jobs::made_at.eq(now()),
        ))
        .execute(c)?;
    let new = last_id(c)?;
    let decision = Decision::Answer { question: "solid".into(), answer: Some(solid.to_string()) };
    decide::decide(c, me, new, &decide::Decide { revision: 0, decision })?;
    Ok(new)
}

/// Instead of a sheet's revision: it belongs to no revision any more.
pub const OUTDATED: i64 = -1;

/// Key of the sheet that a job should have: what goes into it, as it stands.
pub fn key_of(c: &mut Conn, job: &Job) -> Result<String, Fault> {
    let settled = settled(c, job.id)?;
    let shop = book::of_job(c, job, &settled)?;
    Ok(crate::work::sheet_key(&job.model, &shop, &job.title, &with_offer(job, settled)))
}

/// Ask for the sheets that another build of this program made, or that a crash left behind. Called at the start of the server.
pub fn renew(c: &mut Conn) -> Result<usize, Fault> {
    let there = jobs::archived.eq(false).and(jobs::deleted_at.is_null());
    let all: Vec<Job> = jobs::table.filter(there).select(Job::as_select()).load(c)?;
    let mut n = 0;
    for job in all {
        let waiting = newest_task(c, job.id)?.is_some_and(|t| ["queued", "running"].contains(&t.state.as_str()));
        // A backup brings no results, only what they are made of.
        let lost = match &job.sheet {
            Some(s) => !blobs::is_there(c, s)?,
            None => false,
        };
        if lost || job.sheet.is_some() && job.sheet != Some(key_of(c, &job)?) {
            diesel::update(jobs::table.find(job.id)).set(jobs::sheet_revision.eq(OUTDATED)).execute(c)?;
            if !waiting {
                queue::ask(c, job.id, job.revision, None)?;
                n += 1;
            }
        }
    }
    Ok(n)
}

/// Is the sheet that of all decisions as they stand?
pub fn sheet_is_newest(job: &Job) -> bool {
    job.sheet.is_some() && job.sheet_revision == Some(job.revision)
}

fn work_of(job: &Job, task: Option<&Task>) -> Work {
    let sheet_is_newest = sheet_is_newest(job);
    match task {
        Some(t) => match t.state.as_str() {
            "queued" => Work::Waiting,
            "running" if t.stop => Work::Stopped,
            "running" => Work::Running { stage: t.stage.clone(), share: t.share },
            "stopped" if !sheet_is_newest => Work::Stopped,
            "failed" if !sheet_is_newest => Work::Failed { why: t.why.clone().unwrap_or_default() },
            _ => Work::Done,
        },
        None => Work::Done,
    }
}

/// The newest plan that was asked for of a job.
pub fn newest_task(c: &mut Conn, job: i64) -> Result<Option<Task>, Fault> {
    newest(c, job, "plan")
}

/// The newest recognition of its part.
pub fn newest_part(c: &mut Conn, job: i64) -> Result<Option<Task>, Fault> {
    newest(c, job, "part")
}

fn newest(c: &mut Conn, job: i64, kind: &str) -> Result<Option<Task>, Fault> {
    Ok(tasks::table
        .filter(tasks::job_id.eq(job).and(tasks::kind.eq(kind)))
        .order(tasks::id.desc())
        .select(Task::as_select())
        .first(c)
        .optional()?)
}

fn summary_name(sheet: &str) -> String {
    format!("summary-{sheet}")
}

/// Keep the few numbers of a sheet beside it.
pub fn put_summary(c: &mut Conn, key: &str, s: &Sheet) -> Result<(), Fault> {
    let count = |v: reason::Severity| s.proof.findings.iter().filter(|f| f.severity == v).count();
    let summary = Summary {
        size: s.part.size,
        material: match &s.stock.rehearsal {
            Some(_) => format!("rehearsal in {}", s.stock.material_name),
            None => s.stock.material_name.clone(),
        },
        minutes: s.proof.minutes,
        verdict: s.proof.verdict.clone(),
        passed: s.proof.passed,
        counts: [reason::Severity::Stop, reason::Severity::Warn, reason::Severity::Note].map(count),
        next: s.proof.findings.first().map(|f| f.what.clone()),
    };
    let json = serde_json::to_vec(&summary).map_err(|e| Fault::internal(e.to_string()))?;
    blobs::put(c, &summary_name(key), &json, false)
}

/// A card.
pub fn card(c: &mut Conn, job: &Job) -> Result<JobCard, Fault> {
    let mut all = cards(c, std::slice::from_ref(job))?;
    all.pop().ok_or_else(|| Fault::internal("a job has no card".into()))
}

/// Cards of several jobs, in two questions to the database, however many they are.
pub fn cards(c: &mut Conn, list: &[Job]) -> Result<Vec<JobCard>, Fault> {
    let ids: Vec<i64> = list.iter().map(|j| j.id).collect();
    let newest: Vec<Option<i64>> = tasks::table
        .filter(tasks::job_id.eq_any(&ids).and(tasks::kind.eq("plan")))
        .group_by(tasks::job_id)
        .select(diesel::dsl::max(tasks::id))
        .load(c)?;
    let newest: Vec<i64> = newest.into_iter().flatten().collect();
    let work: Vec<Task> = tasks::table.filter(tasks::id.eq_any(&newest)).select(Task::as_select()).load(c)?;
    let names: Vec<String> = list.iter().filter_map(|j| j.sheet.as_deref().map(summary_name)).collect();
    let summaries = blobs::get_small(c, &names)?;
    let summary = |j: &Job| serde_json::from_slice(summaries.get(&summary_name(j.sheet.as_deref()?))?).ok();
    Ok(list
        .iter()
        .map(|job| JobCard {
            id: job.id,
            title: job.title.clone(),
            file: job.file.clone(),
            archived: job.archived,
            made_at: stamp(job.made_at),
            revision: job.revision,
            work: work_of(job, work.iter().find(|t| t.job_id == job.id)),
            summary: summary(job),
        })
        .collect())
}

/// Cards of a page.
pub const PAGE: i64 = 100;

/// Which jobs are wanted.
#[derive(Debug, Clone, Default, Deserialize)]
pub struct Wanted {
    /// Older than this one.
    pub before: Option<i64>,
    /// With these letters in title or file.
    #[serde(default)]
    pub find: String,
    /// Those that were put away.
    #[serde(default)]
    pub archived: bool,
}

/// A page of the bench.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct BenchPage {
    /// The newest first.
    pub jobs: Vec<JobCard>,
    /// There are older ones.
    pub more: bool,
    /// So many were put away.
    #[ts(type = "number")]
    pub archived: i64,
}

/// A page of a shop's jobs, the newest first.
pub fn list(c: &mut Conn, me: &Me, wanted: &Wanted) -> Result<BenchPage, Fault> {
    let there = || jobs::shop_id.eq(me.shop_id).and(jobs::deleted_at.is_null());
    let archived = jobs::table.filter(there().and(jobs::archived.eq(true))).count().get_result(c)?;
    let mut query = jobs::table
        .filter(there().and(jobs::archived.eq(wanted.archived)))
        .filter(jobs::id.lt(wanted.before.unwrap_or(i64::MAX)))
        .order(jobs::id.desc())
        .limit(PAGE + 1)
        .select(Job::as_select())
        .into_boxed();
    let find = wanted.find.trim();
    if !find.is_empty() {
        let plain: String = find
            .chars()
            .take(120)
            .flat_map(|ch| ['\\', '%', '_'].contains(&ch).then_some('\\').into_iter().chain([ch]))
            .collect();
        // Titles are compared letter by letter elsewhere; whoever looks for one does not mind capitals.
        let like = format!("%{}%", plain.to_lowercase());
        query = query.filter(lower(jobs::title).like(like.clone()).or(lower(jobs::file).like(like)));
    }
    let mut rows: Vec<Job> = query.load(c)?;
    let more = rows.len() as i64 > PAGE;
    rows.truncate(PAGE as usize);
    Ok(BenchPage { jobs: cards(c, &rows)?, more, archived })
}

diesel::define_sql_function! {
    /// Without capitals.
    fn lower(x: diesel::sql_types::Text) -> diesel::sql_types::Text;
}

/// Decisions of a job with who made them, oldest first.
pub fn decisions_of(c: &mut Conn, job: i64) -> Result<Vec<(DecisionRow, String)>, Fault> {
    Ok(decisions::table
        .inner_join(people::table)
        .filter(decisions::job_id.eq(job))
        .order(decisions::revision)
        .select((DecisionRow::as_select(), people::name))
        .load(c)?)
}

/// A decision from its row.
pub fn decision_of(row: &DecisionRow) -> Result<Decision, Fault> {
    serde_json::from_str(&row.body).map_err(|e| Fault::internal(format!("decision {}: {e}", row.revision)))
}

/// What stands.
pub fn settled(c: &mut Conn, job: i64) -> Result<Settled, Fault> {
    let rows = decisions_of(c, job)?;
    let list: Vec<Decision> = rows.iter().map(|r| decision_of(&r.0)).collect::<Result<_, _>>()?;
    Ok(Settled::after(&list))
}

/// The same with the piece that is proposed, where none is chosen.
pub fn with_offer(job: &Job, s: Settled) -> Settled {
    let offer = if s.stock.is_none() { crate::rack::offer_of(job) } else { None };
    Settled { offer, ..s }
}

/// Everything a job's screens need but the sheet.
pub fn state(c: &mut Conn, me: &Me, id: i64) -> Result<JobState, Fault> {
    let job = of(c, me, id)?;
    let rows = decisions_of(c, id)?;
    let mut list = Vec::new();
    for (r, who) in &rows {
        let decision = decision_of(r)?;
        list.push(Decided {
            revision: r.revision,
            words: decide::words(&decision),
            decision,
            who: who.clone(),
            at: stamp(r.at),
            undoes: r.undoes,
            redoes: r.redoes,
        });
    }
    let all: Vec<DecisionRow> = rows.into_iter().map(|r| r.0).collect();
    let (undo, redo) = decide::stacks(&all, me.id);
    let words_of = |rev: Option<&i64>| {
        rev.and_then(|r| list.iter().find(|d| d.revision == *r)).map(|d| decide::words(&d.decision))
    };
    let settled = with_offer(&job, Settled::after(list.iter().map(|d| &d.decision)));
    let card = card(c, &job)?;
    let fresh = job.sheet_revision == Some(job.revision) && card.work == Work::Done;
    let out: Vec<(i64, i64, String, String, i64, NaiveDateTime)> = issued::table
        .filter(issued::job_id.eq(id))
        .order(issued::id.desc())
        .select((issued::id, issued::revision, issued::side, issued::file, issued::person_id, issued::at))
        .load(c)?;
    let names: Vec<(i64, String)> = people::table.select((people::id, people::name)).load(c)?;
    let name = |p: i64| names.iter().find(|n| n.0 == p).map_or_else(String::new, |n| n.1.clone());
    Ok(JobState {
        undo: words_of(undo.last()),
        redo: words_of(redo.last()),
        decisions: list,
        newer_book: book::newer(c, &job, &settled)?,
        settled,
        sheet_revision: job.sheet_revision,
        fresh,
        issued: out
            .into_iter()
            .map(|(id, revision, side, file, p, at)| Issued { id, revision, side, file, who: name(p), at: stamp(at) })
            .collect(),
        card,
    })
}

/// Hand out a program: it is kept as it is, with its plan, shop and build. After the sides come the pieces that are made to hold them.
pub fn issue(c: &mut Conn, me: &Me, id: i64, side: usize) -> Result<(String, String), Fault> {
    let Proved { job, json, sheet } = proved(c, me, id)?;
    issue_of(c, me, &job, &json, &sheet, side)
}

/// A job with its newest plan: worked out with all decisions as they stand, and proved.
pub(crate) struct Proved {
    /// The job.
    pub job: Job,
    /// Its sheet as it is kept.
    pub json: Vec<u8>,
    /// The same.
    pub sheet: Sheet,
}

/// The newest plan of a job, if a program of it may leave the house.
///
/// # Errors
/// It is being worked out, or is not proved.
pub(crate) fn proved(c: &mut Conn, me: &Me, id: i64) -> Result<Proved, Fault> {
    let job = of(c, me, id)?;
    let key = job.sheet.clone().filter(|_| job.sheet_revision == Some(job.revision));
    let key =
        key.ok_or(Fault::NotYet("The plan is being worked out again; wait until it is proved, then take the program"))?;
    let json = blobs::get(c, &key)?.ok_or(Fault::NotYet("The plan is no longer at hand; it is worked out again"))?;
    let sheet: Sheet = serde_json::from_slice(&json).map_err(|e| Fault::internal(e.to_string()))?;
    if !sheet.proof.passed {
        return Err(Fault::NotYet(
            "The proof found something that forbids cutting; see its stops, change the plan, then take the program",
        ));
    }
    Ok(Proved { job, json, sheet })
}

/// A side, or after all of them a piece that is made, with its program's file.
pub(crate) fn program_of<'a>(
    sheet: &'a Sheet,
    title: &str,
    side: usize,
) -> Option<(&'a job::sheet::SideSheet, String)> {
    let made = side.checked_sub(sheet.sides.len()).and_then(|k| sheet.made.get(k));
    let s = sheet.sides.get(side).or(made.map(|m| &m.side))?;
    let rehearsal = if sheet.stock.rehearsal.is_some() { "rehearsal-" } else { "" };
    let what = format!("{rehearsal}{}", if s.edited.is_some() { "edited-" } else { "" });
    let ending = if sheet.control.extension.is_empty() { "ngc" } else { &sheet.control.extension };
    let file = match made {
        Some(m) => format!("{}-{}.{ending}", m.name, stem_of(title)),
        None => format!("{}-{what}{}.{ending}", side + 1, stem_of(title)),
    };
    Some((s, file))
}

/// Keep a program as it leaves, with all that it came from.
pub(crate) fn issue_of(
    c: &mut Conn,
    me: &Me,
    job: &Job,
    json: &[u8],
    sheet: &Sheet,
    side: usize,
) -> Result<(String, String), Fault> {
    let id = job.id;
    let (s, file) = program_of(sheet, &job.title, side).ok_or(Fault::NoSuch("side"))?;
    let with = book::revision_of(job, &settled(c, id)?);
    diesel::insert_into(issued::table)
        .values((
            issued::job_id.eq(id),
            issued::revision.eq(job.revision),
            issued::side.eq(&s.name),
            issued::file.eq(&file),
            issued::program.eq(&s.program),
            issued::sheet.eq(String::from_utf8_lossy(json).into_owned()),
            issued::shop_revision_id.eq(with),
            issued::build.eq(job::cache::BUILD),
            issued::person_id.eq(me.id),
            issued::at.eq(now()),
        ))
        .execute(c)?;
    audit::note(c, me, "program", &format!("took {file} of job {id}, {}, revision {}", job.title, job.revision), "")?;
    Ok((file, s.program.clone()))
}

/// A program that left the house, as it left.
pub fn issued_text(c: &mut Conn, me: &Me, id: i64, issue: i64) -> Result<(String, String), Fault> {
    of(c, me, id)?;
    issued::table
        .filter(issued::id.eq(issue).and(issued::job_id.eq(id)))
        .select((issued::file, issued::program))
        .first(c)
        .optional()?
        .ok_or(Fault::NoSuch("program"))
}

/// Change a title, put a job away or take it out again.
#[derive(Debug, Clone, Default, Deserialize, TS)]
#[ts(optional_fields)]
pub struct JobChange {
    /// New title.
    pub title: Option<String>,
    /// Put away or not.
    pub archived: Option<bool>,
}

/// Make such a change.
pub fn change(c: &mut Conn, me: &Me, id: i64, change: &JobChange) -> Result<(), Fault> {
    let job = of_locked(c, me, id)?;
    if let Some(t) = &change.title {
        let t = t.trim();
        if t.is_empty() || t.chars().count() > 120 {
            return Err(Fault::Bad("A title has between 1 and 120 characters".into()));
        }
        if t != job.title {
            // It stands in the programs.
            audit::note(c, me, "job", &format!("renamed job {id}, {}, to {t}", job.title), "")?;
            diesel::update(jobs::table.find(id))
                .set((jobs::title.eq(t), jobs::sheet_revision.eq(OUTDATED)))
                .execute(c)?;
            queue::ask(c, id, job.revision, Some(me.id))?;
        }
    }
    crate::watch::job_changed(c, id)?;
    if let Some(a) = change.archived {
        let what = if a { "archived" } else { "took from the archive" };
        audit::note(c, me, "job", &format!("{what} job {id}, {}", job.title), "")?;
        diesel::update(jobs::table.find(id)).set(jobs::archived.eq(a)).execute(c)?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn titles_come_from_file_names() {
        assert_eq!(title_of("encoder-bracket.step"), "Encoder bracket");
        assert_eq!(title_of("a.b_c.stp"), "A.b c");
        assert_eq!(title_of(".step"), "Part");
    }

    /// Any title gives a name that fits its column, whatever is put before and behind it.
    #[test]
    fn every_title_gives_a_file_name() {
        for (title, stem) in [
            ("Encoder bracket", "encoder-bracket"),
            ("Ölblock (2. Seite)", "olblock-2-seite"),
            ("望遠鏡", "part"),
            ("../../etc/passwd", "etc-passwd"),
            ("  --  ", "part"),
            ("Straße №5", "strasse-no5"),
        ] {
            assert_eq!(stem_of(title), stem, "{title}");
        }
        let mut rng = fastrand::Rng::with_seed(9);
        for _ in 0..2000 {
            let n = rng.usize(1..=120);
            let title: String = (0..n).map(|_| rng.char('\0'..'\u{2ffff}')).collect();
            let s = stem_of(&title);
            assert!(!s.is_empty() && s.len() <= 60 && !s.starts_with('-') && !s.ends_with('-'), "{title:?} {s}");
            assert!(s.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-'), "{title:?} {s}");
        }
    }
}
