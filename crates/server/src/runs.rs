//! Runs at the machine: cards that were begun, what was typed into them, and the log that they leave.
//!
//! A card is made once from the plan that was proved, and its programs are kept as they left. An act is kept once however often it is sent, in the order in which it
//! comes; what it may follow is asked of the core under the run's lock, so two people at one card never pass one another.

use crate::db::schema::{issued, jobs, people, run_entries, runs};
use crate::db::{Conn, last_id, now};
use crate::fault::Fault;
use crate::jobs::{self as job_rows, Proved, stamp};
use crate::people::Me;
use crate::{audit, blobs, book, watch};
use chrono::{DateTime, NaiveDateTime};
use diesel::prelude::*;
use job::price::Price;
use job::sheet::Sheet;
use program::{GoOn, Restart};
use reason::len;
use run::answer::{self, Act, Entry};
use run::card::{Drawing, StepKind};
use run::make::{Planned, card};
use run::series::{SizeSeries, of_runs};
use run::{Card, Run};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Most acts of one run.
const MOST: i64 = 5000;
/// Most bytes of one act, so that the list stays short.
const MOST_ACT: usize = 64 << 10;
/// Most pieces that a price is asked for.
const MOST_PIECES: u32 = 1_000_000;
/// Runs that a page of the log shows.
const PAGE: i64 = 100;

/// A run in a list.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct RunCard {
    /// Number.
    #[ts(type = "number")]
    pub id: i64,
    /// Its job.
    #[ts(type = "number")]
    pub job: i64,
    /// The job's title.
    pub title: String,
    /// Which piece of the job, from 1.
    pub piece: i32,
    /// Revision of the job that it was made from.
    #[ts(type = "number")]
    pub revision: i64,
    /// Who began it.
    pub who: String,
    /// UTC.
    pub began: String,
    /// UTC.
    pub ended: Option<String>,
    /// The piece is good.
    pub good: Option<bool>,
    /// Why not.
    pub cause: String,
    /// Steps that are done, and all.
    pub done: [usize; 2],
    /// The next one, in words.
    pub next: Option<String>,
    /// From the beginning to the last act, min.
    pub minutes: f64,
    /// Notes, changed cutters, steps that were done again, in words.
    pub notes: Vec<String>,
}

/// A run with everything.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct RunSheet {
    /// In a list.
    pub brief: RunCard,
    /// Its card.
    pub card: Card,
    /// All acts.
    pub entries: Vec<Entry>,
    /// Where it stands.
    pub state: Run,
    /// When it began, ms since 1970.
    #[ts(type = "number")]
    pub began_ms: i64,
    /// The job has been planned otherwise since.
    pub stale: bool,
    /// Unit of its job's screens.
    pub units: job::Units,
}

/// An act that is sent.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct NewEntry {
    /// Given by whoever typed it.
    pub id: String,
    /// By the clock of whoever typed it, ms since 1970.
    #[ts(type = "number")]
    pub at_ms: i64,
    /// What.
    pub act: Act,
}

/// Runs of a whole shop.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct LogPage {
    /// The newest first.
    pub runs: Vec<RunCard>,
    /// There are more.
    pub more: bool,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = runs)]
struct Row {
    id: i64,
    job_id: i64,
    revision: i64,
    piece: i32,
    card: String,
    person_id: i64,
    began: NaiveDateTime,
    ended: Option<NaiveDateTime>,
    good: Option<bool>,
}

fn ms(at: NaiveDateTime) -> i64 {
    at.and_utc().timestamp_millis()
}

/// Begin a run of the job's plan as it stands: its card is made and its programs are kept.
/// `drawn`: its setups, with the key of the sheet that they are drawn from.
pub fn begin(c: &mut Conn, me: &Me, id: i64, drawn: &(String, Vec<Drawing>)) -> Result<RunSheet, Fault> {
    // One at a time of one job.
    job_rows::of_locked(c, me, id)?;
    let Proved { job, json, sheet } = job_rows::proved(c, me, id)?;
    let settled = job_rows::settled(c, id)?;
    let shop = book::of_job(c, &job, &settled)?;
    let file = |k: usize| job_rows::program_of(&sheet, &job.title, k).map_or_else(String::new, |p| p.1);
    let mut made = card(&Planned { sheet: &sheet, shop: &shop, title: &job.title, file: &file }).map_err(Fault::Bad)?;
    // Checks that its faults ask for, as far as they have been tried.
    if let Some(key) = &job.sheet
        && let Some(tried) = crate::work::what_ifs_kept(c, key)?
    {
        run::faults::onto(&mut made, &tried.rows);
    }
    if job.sheet.as_ref() == Some(&drawn.0) {
        made.drawings.clone_from(&drawn.1);
    }
    let text = serde_json::to_string(&made).map_err(|e| Fault::internal(e.to_string()))?;
    for side in 0..sheet.sides.len() + sheet.made.len() {
        job_rows::issue_of(c, me, &job, &json, &sheet, side)?;
    }
    let before: i64 = runs::table.filter(runs::job_id.eq(id)).count().get_result(c)?;
    diesel::insert_into(runs::table)
        .values((
            runs::shop_id.eq(me.shop_id),
            runs::job_id.eq(id),
            runs::revision.eq(job.revision),
            runs::piece.eq(i32::try_from(before + 1).unwrap_or(i32::MAX)),
            runs::card.eq(text),
            runs::shop_revision_id.eq(book::revision_of(&job, &settled)),
            runs::build.eq(job::cache::BUILD),
            runs::person_id.eq(me.id),
            runs::began.eq(now()),
        ))
        .execute(c)?;
    let run = last_id(c)?;
    audit::note(c, me, "run", &format!("began run {run} of job {id}, {}", job.title), "")?;
    watch::job_changed(c, id)?;
    sheet_of(c, me, id, run)
}

fn row(c: &mut Conn, me: &Me, job: i64, run: i64, lock: bool) -> Result<Row, Fault> {
    job_rows::of(c, me, job)?;
    let q = runs::table.filter(runs::id.eq(run).and(runs::job_id.eq(job))).select(Row::as_select());
    let found = if lock { q.for_update().first(c).optional()? } else { q.first(c).optional()? };
    found.ok_or(Fault::NoSuch("run"))
}

/// A run that this person may see.
pub fn there(c: &mut Conn, me: &Me, job: i64, run: i64) -> Result<(), Fault> {
    row(c, me, job, run, false).map(drop)
}

fn entries_of(c: &mut Conn, run: i64, names: &[(i64, String)]) -> Result<Vec<Entry>, Fault> {
    let all: Vec<(String, i64, i64, String)> = run_entries::table
        .filter(run_entries::run_id.eq(run))
        .order(run_entries::id)
        .select((run_entries::word, run_entries::person_id, run_entries::at_ms, run_entries::act))
        .load(c)?;
    all.into_iter()
        .map(|(id, person, at_ms, act)| {
            let act = serde_json::from_str(&act).map_err(|e| Fault::internal(format!("act of run {run}: {e}")))?;
            let who = names.iter().find(|n| n.0 == person).map_or_else(String::new, |n| n.1.clone());
            Ok(Entry { id, who, at_ms, act })
        })
        .collect()
}

fn names(c: &mut Conn) -> Result<Vec<(i64, String)>, Fault> {
    Ok(people::table.select((people::id, people::name)).load(c)?)
}

fn brief(r: &Row, title: &str, card: &Card, state: &Run, entries: &[Entry], names: &[(i64, String)]) -> RunCard {
    let done = state.steps.iter().filter(|s| s.standing == answer::Standing::Done).count();
    let step = |id: &String| card.steps.iter().find(|s| s.id == *id).map(|s| s.title.clone());
    let last = entries.iter().map(|e| e.at_ms).max().unwrap_or(ms(r.began));
    let note = |e: &Entry| match &e.act {
        Act::Note { text } => Some(text.clone()),
        Act::Cutter { tool, why, .. } => Some(format!("T{tool} changed: {why}")),
        Act::Again { step: id, note } => {
            let title = step(id).unwrap_or_default();
            Some(if note.is_empty() { format!("again from: {title}") } else { format!("again from: {title} ({note})") })
        }
        Act::Done { note, .. } => Some(note.clone()).filter(|n| !n.is_empty()),
        Act::Ended { .. } => None,
    };
    RunCard {
        id: r.id,
        job: r.job_id,
        title: title.into(),
        piece: r.piece,
        revision: r.revision,
        who: names.iter().find(|n| n.0 == r.person_id).map_or_else(String::new, |n| n.1.clone()),
        began: stamp(r.began),
        ended: r.ended.map(stamp),
        good: r.good,
        cause: state.ended.as_ref().map_or_else(String::new, |e| e.cause.clone()),
        done: [done, state.steps.len()],
        next: state.next.as_ref().and_then(step),
        minutes: (last - ms(r.began)).max(0) as f64 / 60_000.0,
        notes: entries.iter().filter_map(note).collect(),
    }
}

fn told(c: &mut Conn, r: &Row, title: &str, now_at: i64, units: job::Units) -> Result<RunSheet, Fault> {
    let card: Card =
        serde_json::from_str(&r.card).map_err(|e| Fault::internal(format!("card of run {}: {e}", r.id)))?;
    let names = names(c)?;
    let entries = entries_of(c, r.id, &names)?;
    let began_ms = ms(r.began);
    let state = answer::state(&card, began_ms, &entries);
    let brief = brief(r, title, &card, &state, &entries, &names);
    Ok(RunSheet { brief, card, entries, state, began_ms, stale: now_at != r.revision, units })
}

/// A run with everything.
pub fn sheet_of(c: &mut Conn, me: &Me, job: i64, run: i64) -> Result<RunSheet, Fault> {
    let r = row(c, me, job, run, false)?;
    let job = job_rows::of(c, me, job)?;
    let units = job_rows::settled(c, job.id)?.units;
    let units = units.unwrap_or(if me.units == "inch" { job::Units::Inch } else { job::Units::Mm });
    told(c, &r, &job.title, job.revision, units)
}

/// Runs of a job, the newest first.
pub fn of_job(c: &mut Conn, me: &Me, job: i64) -> Result<Vec<RunCard>, Fault> {
    let job = job_rows::of(c, me, job)?;
    let rows: Vec<Row> =
        runs::table.filter(runs::job_id.eq(job.id)).order(runs::id.desc()).select(Row::as_select()).load(c)?;
    rows.iter().map(|r| Ok(told(c, r, &job.title, job.revision, job::Units::Mm)?.brief)).collect()
}

/// Sizes over the pieces of a job, in the order in which they were run.
pub fn sizes(c: &mut Conn, me: &Me, job: i64) -> Result<Vec<SizeSeries>, Fault> {
    let job = job_rows::of(c, me, job)?;
    let rows: Vec<Row> =
        runs::table.filter(runs::job_id.eq(job.id)).order(runs::id).select(Row::as_select()).load(c)?;
    let all = rows.iter().map(|r| told(c, r, &job.title, job.revision, job::Units::Mm));
    let all: Vec<RunSheet> = all.collect::<Result<_, _>>()?;
    Ok(of_runs(&all.iter().map(|r| (r.brief.piece, &r.card, &r.state)).collect::<Vec<_>>()))
}

/// Minutes of a piece that is good: its programs and its loading, of the setups of the part alone; none where a step of them has no time.
fn minutes_of(r: &RunSheet, sides: &[&str]) -> (Option<f64>, Option<f64>) {
    let sum = |kind: StepKind| {
        let steps = r.card.steps.iter().zip(&r.state.steps);
        let own = steps.filter(|(s, _)| s.kind == kind && sides.contains(&s.setup.as_str()));
        own.map(|(_, at)| at.took_min).sum::<Option<f64>>()
    };
    (sum(StepKind::Run), sum(StepKind::Load))
}

/// What a piece of a job costs by the shop's newest rates, for the pieces that are made now or for so many; from what good pieces of this very plan took, where there are
/// any.
pub fn price(c: &mut Conn, me: &Me, id: i64, pieces: Option<u32>) -> Result<Price, Fault> {
    let of = job_rows::of(c, me, id)?;
    let key = of.sheet.clone().ok_or(Fault::NotYet("The first plan of this job is still being worked out"))?;
    let json = blobs::get(c, &key)?.ok_or(Fault::NotYet("The plan is no longer at hand; it is worked out again"))?;
    let sheet: Sheet = serde_json::from_slice(&json).map_err(|e| Fault::internal(e.to_string()))?;
    let quantity = pieces.or(job_rows::settled(c, id)?.quantity).unwrap_or(1).clamp(1, MOST_PIECES);
    let (_, shop) = book::newest(c, of.shop_id)?;
    let sides: Vec<&str> = sheet.sides.iter().map(|s| s.name.as_str()).collect();
    let planned: f64 = sheet.sides.iter().flat_map(|s| &s.operations).map(|o| o.minutes).sum();
    let rows: Vec<Row> = runs::table
        .filter(runs::job_id.eq(id).and(runs::good.eq(true)))
        .order(runs::id)
        .select(Row::as_select())
        .load(c)?;
    let all: Vec<RunSheet> =
        rows.iter().map(|r| told(c, r, &of.title, of.revision, job::Units::Mm)).collect::<Result<_, _>>()?;
    // A piece that was cut by another plan says nothing of this one.
    let same = |r: &&RunSheet| {
        let own = r.card.steps.iter().filter(|s| s.kind == StepKind::Run && sides.contains(&s.setup.as_str()));
        let sum: f64 = own.filter_map(|s| s.minutes).sum();
        (sum - planned).abs() <= 0.005 * planned
    };
    let took: Vec<_> = all.iter().filter(same).map(|r| minutes_of(r, &sides)).collect();
    Ok(job::price::price(&sheet, &shop.rates, quantity, job::price::took(&took)))
}

/// Runs of the shop, the newest first, from before `before`; only those in whose title, notes or cause `find` stands.
pub fn log(c: &mut Conn, me: &Me, before: Option<i64>, find: &str) -> Result<LogPage, Fault> {
    let mut q = runs::table
        .inner_join(jobs::table)
        .filter(runs::shop_id.eq(me.shop_id).and(jobs::deleted_at.is_null()))
        .order(runs::id.desc())
        .select((Row::as_select(), jobs::title, jobs::revision))
        .into_boxed();
    if let Some(b) = before {
        q = q.filter(runs::id.lt(b));
    }
    let find = find.trim().to_lowercase();
    let rows: Vec<(Row, String, i64)> =
        if find.is_empty() { q.limit(PAGE + 1).load(c)? } else { q.limit(20 * PAGE).load(c)? };
    let mut out = Vec::new();
    for (r, title, revision) in &rows {
        let b = told(c, r, title, *revision, job::Units::Mm)?.brief;
        let words = [&b.title, &b.cause, &b.who];
        if find.is_empty() || words.into_iter().chain(&b.notes).any(|w| w.to_lowercase().contains(&find)) {
            out.push(b);
        }
    }
    let more = out.len() as i64 > PAGE;
    out.truncate(PAGE as usize);
    Ok(LogPage { runs: out, more })
}

/// Keep an act; one that is there already changes nothing.
pub fn add(c: &mut Conn, me: &Me, job: i64, run: i64, new: &NewEntry) -> Result<RunSheet, Fault> {
    let plain = |c: char| c.is_ascii_alphanumeric() || c == '-';
    if new.id.is_empty() || new.id.len() > 64 || !new.id.chars().all(plain) {
        return Err(Fault::Bad("An act has a name of 1 to 64 letters, digits and dashes".into()));
    }
    row(c, me, job, run, true)?;
    let text = serde_json::to_string(&new.act).map_err(|e| Fault::internal(e.to_string()))?;
    if text.len() > MOST_ACT {
        return Err(Fault::Bad("That is too much for one act; make the note shorter".into()));
    }
    let before = sheet_of(c, me, job, run)?;
    if before.entries.iter().any(|e| e.id == new.id) {
        return Ok(before);
    }
    if before.entries.len() as i64 >= MOST {
        return Err(Fault::Bad(format!("A run has at most {MOST} acts; end it and begin another")));
    }
    answer::may(&before.card, before.began_ms, &before.entries, &new.act).map_err(|e| Fault::Bad(e.to_string()))?;
    // A clock that runs ahead is set right; one that is behind the run's beginning too.
    let at_ms = new.at_ms.clamp(before.began_ms, ms(now()).max(before.began_ms));
    diesel::insert_into(run_entries::table)
        .values((
            run_entries::run_id.eq(run),
            run_entries::word.eq(&new.id),
            run_entries::person_id.eq(me.id),
            run_entries::at_ms.eq(at_ms),
            run_entries::act.eq(text),
            run_entries::kept_at.eq(now()),
        ))
        .execute(c)?;
    if let Act::Ended { good, .. } = &new.act {
        let at = DateTime::from_timestamp_millis(at_ms).map_or_else(now, |t| t.naive_utc());
        diesel::update(runs::table.find(run)).set((runs::ended.eq(at), runs::good.eq(good))).execute(c)?;
        let word = if *good { "a good piece" } else { "broken off" };
        audit::note(c, me, "run", &format!("ended run {run} of job {job}: {word}"), "")?;
    }
    watch::job_changed(c, job)?;
    sheet_of(c, me, job, run)
}

/// A program that was broken off, to be gone on with.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct BrokenOff {
    /// File of the program, as the card names it.
    pub file: String,
    /// The line at which it stood.
    pub line: u32,
    /// Where it is to go on.
    pub how: GoOn,
}

/// The rest of it, as it was kept.
#[derive(Debug, Clone, Serialize, TS)]
pub struct Rest {
    /// Its file's name.
    pub file: String,
    /// The rest.
    pub restart: Restart,
    /// What to look at first.
    pub says: Vec<String>,
}

/// Write the rest of a program of this run. It is kept as any program that leaves.
pub fn rest(c: &mut Conn, me: &Me, job: i64, run: i64, b: &BrokenOff) -> Result<Rest, Fault> {
    let at = sheet_of(c, me, job, run)?;
    if at.state.ended.is_some() {
        return Err(Fault::Bad("This run is over; begin another one".into()));
    }
    let loaded = at.card.programs.iter().find(|p| p.file == b.file).ok_or(Fault::NoSuch("program"))?;
    // The very text that this card speaks of.
    let kept: Vec<(i64, String, String, String, i64)> = issued::table
        .filter(issued::job_id.eq(job).and(issued::file.eq(&b.file)))
        .order(issued::id.desc())
        .select((issued::revision, issued::side, issued::program, issued::sheet, issued::shop_revision_id))
        .load(c)?;
    let kept = kept.into_iter().find(|k| run::make::sum(&k.2) == loaded.sum);
    let (revision, side, text, sheet, with) = kept.ok_or(Fault::NoSuch("program"))?;
    let sheet: job::sheet::Sheet = serde_json::from_str(&sheet).map_err(|e| Fault::internal(e.to_string()))?;
    let shop = job_rows::shop_of(c, with)?;
    let s = sheet.sides.iter().find(|s| s.name == side).or(sheet.made.iter().map(|m| &m.side).find(|s| s.name == side));
    let s = s.ok_or(Fault::NoSuch("setup"))?;
    let dialect = shop.dialect(&sheet.control.id).map_err(|e| Fault::Bad(e.to_string()))?;
    let control = job::Control::new(dialect, &shop.machine);
    let settings = control.settings(geom::DVec3::from_array(s.zero_in_machine), &s.tools);
    // What belongs together goes on from its own beginning.
    let operations: Vec<(String, [u32; 2])> = s.operations.iter().map(|o| (o.op.id.clone(), o.lines)).collect();
    let (stem, ending) = b.file.rsplit_once('.').unwrap_or((&b.file, "ngc"));
    let heading = program::Heading {
        name: stem.into(),
        number: 1,
        table_forward_mm: Some(shop.machine.reference_mm()[1]),
        ..program::Heading::default()
    };
    let made = program::restart(&text, &settings, &heading, &operations, b.line, b.how)
        .map_err(|e| Fault::Bad(format!("Line {}: {}", e.line, e.what)))?;
    let file = format!("{stem}-from-{}.{ending}", made.from_line);
    diesel::insert_into(issued::table)
        .values((
            issued::job_id.eq(job),
            issued::revision.eq(revision),
            issued::side.eq(&side),
            issued::file.eq(&file),
            issued::program.eq(&made.text),
            issued::sheet.eq("{}"),
            issued::shop_revision_id.eq(with),
            issued::build.eq(job::cache::BUILD),
            issued::person_id.eq(me.id),
            issued::at.eq(now()),
        ))
        .execute(c)?;
    audit::note(c, me, "program", &format!("took {file} of run {run} of job {job}"), "")?;
    let words = sheet.sides.iter().flat_map(|s| &s.tools).find(|t| t.number == made.tool).map(shop::tool::Tool::words);
    let mut says = Vec::new();
    if made.in_thread {
        says.push("A tap stood in its hole: turn it out by hand before anything moves".to_string());
    }
    says.extend([
        "Bring the axes to their reference; look that offsets and lengths stand as this card has them".to_string(),
        format!(
            "T{}{}: look at its edges; a new one needs its length first",
            made.tool,
            words.map(|w| format!(", {w}")).unwrap_or_default()
        ),
        "Is the piece where it was? Tap it, and touch one face again".into(),
        format!(
            "Load {file}, {} lines, sum {}. It goes on from line {} with {:.0} rpm, above X {:.2} Y {:.2}, at Z {:.2}",
            made.text.lines().count(),
            run::make::sum(&made.text),
            made.from_line,
            made.rpm.abs(),
            len(made.above[0]),
            len(made.above[1]),
            len(made.above[2])
        ),
        "Block by block until it has come down; what was cut since that line is gone over once more, in the air".into(),
    ]);
    watch::job_changed(c, job)?;
    Ok(Rest { file, restart: made, says })
}

/// What a run left behind, as a table.
pub fn table(c: &mut Conn, me: &Me, job: i64, run: i64) -> Result<String, Fault> {
    let s = sheet_of(c, me, job, run)?;
    run::log::csv(&s.card, &s.state, &s.entries).map_err(Fault::internal)
}

/// Runs of a job that goes for good.
pub(crate) fn purge(c: &mut Conn, job: i64) -> Result<(), Fault> {
    let of_job = runs::table.filter(runs::job_id.eq(job)).select(runs::id);
    let ids: Vec<i64> = of_job.load(c)?;
    diesel::delete(run_entries::table.filter(run_entries::run_id.eq_any(&ids))).execute(c)?;
    diesel::delete(runs::table.filter(runs::id.eq_any(&ids))).execute(c)?;
    Ok(())
}
