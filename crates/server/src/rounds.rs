//! The trainer's rounds: asked for by a person, hidden by a worker, read, answered, and kept for that person alone.

use crate::blobs;
use crate::db::schema::{jobs, rounds};
use crate::db::{Conn, Db, last_id, now};
use crate::fault::Fault;
use crate::jobs::{self as job_rows, stamp};
use crate::people::Me;
use crate::queue;
use crate::watch;
use chrono::NaiveDateTime;
use diesel::prelude::*;
use job::sheet::{ControlSheet, Sheet, SideSheet, Strip};
use job::trainer::{Marks, Round, Said, Truth, Wrong};
use run::card::{CardTool, Step};
use run::make::{Planned, card};
use serde::{Deserialize, Serialize};
use shop::Shop;
use ts_rs::TS;

/// Rounds that a list shows.
const PAGE: i64 = 100;

/// A round in a list.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct RoundCard {
    /// Number.
    #[ts(type = "number")]
    pub id: i64,
    /// Its job.
    #[ts(type = "number")]
    pub job: i64,
    /// The job's title.
    pub title: String,
    /// UTC.
    pub asked: String,
    /// UTC.
    pub ended: Option<String>,
    /// It can be read.
    pub ready: bool,
    /// Why there is none.
    pub why: Option<String>,
    /// What was wrong: told when it is over.
    pub truth: Option<Truth>,
    /// What the person said; none of a round that was given up.
    pub said: Option<Said>,
    /// What that was worth; none of one that is not over.
    pub marks: Option<Marks>,
}

/// What is read in a round.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Lesson {
    /// The setup, with the text.
    pub side: SideSheet,
    /// Its cutters as the card lists them.
    pub tools: Vec<CardTool>,
    /// The card's steps of this setup.
    pub steps: Vec<Step>,
    /// The strip of this setup alone.
    pub strip: Strip,
    /// What the text is written for.
    pub control: ControlSheet,
}

/// A round with what is read in it.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct RoundSheet {
    /// In a list.
    pub brief: RoundCard,
    /// None: it is being made, or was tidied away.
    pub lesson: Option<Lesson>,
    /// Unit of its job's screens.
    pub units: job::Units,
}

/// How a person reads: over all rounds that are over.
#[derive(Debug, Clone, Default, PartialEq, Serialize, TS)]
pub struct Eye {
    /// Rounds.
    pub rounds: u32,
    /// Whole ones: what and where.
    pub whole: u32,
    /// Mean of the points, 0 to 100.
    pub points: f64,
    /// Of each sort: how many, and how many of them were found whole.
    pub sorts: Vec<(Wrong, u32, u32)>,
    /// The newest first.
    pub list: Vec<RoundCard>,
}

/// What a person answers.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct NewAnswer {
    /// What is wrong; none: given up.
    pub said: Option<Said>,
}

#[derive(Queryable, Selectable)]
#[diesel(table_name = rounds)]
struct Row {
    id: i64,
    job_id: i64,
    asked: NaiveDateTime,
    truth: Option<String>,
    why: Option<String>,
    said: Option<String>,
    ended: Option<NaiveDateTime>,
}

impl Row {
    fn truth(&self) -> Option<Truth> {
        self.truth.as_ref().and_then(|t| serde_json::from_str(t).ok())
    }
    fn card(&self, title: &str) -> RoundCard {
        let over = self.ended.is_some();
        let truth = self.truth().filter(|_| over);
        let said: Option<Said> = self.said.as_ref().and_then(|t| serde_json::from_str(t).ok());
        let none = Marks { points: 0, what: false, place: false };
        RoundCard {
            id: self.id,
            job: self.job_id,
            title: title.into(),
            asked: stamp(self.asked),
            ended: self.ended.map(stamp),
            ready: self.truth.is_some(),
            why: self.why.clone(),
            marks: truth.as_ref().map(|t| said.as_ref().map_or(none, |s| t.marks(s))),
            truth,
            said,
        }
    }
}

fn lesson_name(round: i64) -> String {
    format!("round-{round}")
}

fn history_name(round: i64) -> String {
    format!("round-history-{round}")
}

/// Ask for a round on a job's plan as it stands; one that is open is gone on with.
pub fn ask(c: &mut Conn, me: &Me, id: i64) -> Result<RoundCard, Fault> {
    job_rows::of_locked(c, me, id)?;
    let job = job_rows::proved(c, me, id)?.job;
    let mine = rounds::job_id.eq(id).and(rounds::person_id.eq(me.id));
    let open: Option<Row> = rounds::table
        .filter(mine.and(rounds::ended.is_null()).and(rounds::why.is_null()))
        .order(rounds::id.desc())
        .select(Row::as_select())
        .first(c)
        .optional()?;
    if let Some(r) = open {
        // What it is read from may have been tidied away.
        if r.truth.is_none() || blobs::is_there(c, &lesson_name(r.id))? {
            wanted(c, &r, job.revision, me)?;
            return Ok(r.card(&job.title));
        }
        diesel::delete(rounds::table.find(r.id)).execute(c)?;
    }
    diesel::insert_into(rounds::table)
        .values((rounds::job_id.eq(id), rounds::person_id.eq(me.id), rounds::asked.eq(now())))
        .execute(c)?;
    let new = last_id(c)?;
    let r = row(c, me, id, new, false)?;
    wanted(c, &r, job.revision, me)?;
    Ok(r.card(&job.title))
}

fn wanted(c: &mut Conn, r: &Row, revision: i64, me: &Me) -> Result<(), Fault> {
    if r.truth.is_some() {
        return Ok(());
    }
    queue::ask_round(c, r.job_id, revision, Some(me.id))
}

fn row(c: &mut Conn, me: &Me, job: i64, round: i64, lock: bool) -> Result<Row, Fault> {
    job_rows::of(c, me, job)?;
    // Only the person's own: to all others it is not there.
    let mine = rounds::id.eq(round).and(rounds::job_id.eq(job)).and(rounds::person_id.eq(me.id));
    let q = rounds::table.filter(mine).select(Row::as_select());
    let found = if lock { q.for_update().first(c).optional()? } else { q.first(c).optional()? };
    found.ok_or(Fault::NoSuch("round"))
}

/// A round of one's own, with what is read in it.
pub fn sheet_of(c: &mut Conn, me: &Me, job: i64, round: i64) -> Result<RoundSheet, Fault> {
    let r = row(c, me, job, round, false)?;
    let of = job_rows::of(c, me, job)?;
    let units = job_rows::settled(c, of.id)?.units;
    let units = units.unwrap_or(if me.units == "inch" { job::Units::Inch } else { job::Units::Mm });
    let lesson = blobs::get(c, &lesson_name(round))?.and_then(|b| serde_json::from_slice(&b).ok());
    Ok(RoundSheet { brief: r.card(&of.title), lesson, units })
}

/// The stock as its text would cut it.
pub fn history_of(c: &mut Conn, me: &Me, job: i64, round: i64) -> Result<Vec<u8>, Fault> {
    row(c, me, job, round, false)?;
    blobs::get(c, &history_name(round))?.ok_or(Fault::NoSuch("picture of this round"))
}

/// Answer a round, once.
pub fn answer(c: &mut Conn, me: &Me, job: i64, round: i64, new: &NewAnswer) -> Result<RoundSheet, Fault> {
    let r = row(c, me, job, round, true)?;
    if r.ended.is_some() {
        return Err(Fault::Bad("This round is over; begin another one".into()));
    }
    let Some(truth) = r.truth() else { return Err(Fault::NotYet("This round is still being made")) };
    let points = new.said.as_ref().map_or(0, |s| truth.marks(s).points);
    let said = new.said.as_ref().map(serde_json::to_string).transpose();
    let said = said.map_err(|e| Fault::internal(e.to_string()))?;
    diesel::update(rounds::table.find(round))
        .set((rounds::said.eq(said), rounds::points.eq(points as i32), rounds::ended.eq(now())))
        .execute(c)?;
    sheet_of(c, me, job, round)
}

/// All rounds of a person, on whatever job.
pub fn eye(c: &mut Conn, me: &Me) -> Result<Eye, Fault> {
    let all: Vec<(Row, String)> = rounds::table
        .inner_join(jobs::table)
        .filter(rounds::person_id.eq(me.id).and(jobs::deleted_at.is_null()))
        .order(rounds::id.desc())
        .select((Row::as_select(), jobs::title))
        .load(c)?;
    let cards: Vec<RoundCard> = all.iter().map(|(r, title)| r.card(title)).collect();
    let mut out = Eye::default();
    let mut points = 0;
    for (truth, marks) in cards.iter().filter_map(|r| Some((r.truth.as_ref()?, r.marks.as_ref()?))) {
        let whole = u32::from(marks.points == 100);
        out.rounds += 1;
        out.whole += whole;
        points += marks.points;
        match out.sorts.iter_mut().find(|s| s.0 == truth.wrong) {
            Some(s) => (s.1, s.2) = (s.1 + 1, s.2 + whole),
            None => out.sorts.push((truth.wrong, 1, whole)),
        }
    }
    out.sorts.sort_by_key(|s| s.0);
    out.points = f64::from(points) / f64::from(out.rounds.max(1));
    out.list = cards.into_iter().take(PAGE as usize).collect();
    Ok(out)
}

/// What is read in a round: the plan's sheet with the text and the card as they are in it.
fn lesson(sheet: &Sheet, shop: &Shop, title: &str, round: &Round) -> Result<Lesson, String> {
    let mut sheet = sheet.clone();
    let Some(side) = sheet.sides.get_mut(round.setup) else { return Err("the plan has no such side".into()) };
    side.program.clone_from(&round.program);
    side.tools.clone_from(&round.tools);
    side.datum.clone_from(&round.datum);
    let side = side.clone();
    let file = |k: usize| job_rows::program_of(&sheet, title, k).map_or_else(String::new, |p| p.1);
    let made = card(&Planned { sheet: &sheet, shop, title, file: &file })?;
    let numbers: Vec<u32> = side.tools.iter().map(|t| t.number).collect();
    // The card tells each cutter once: here as this setup has it.
    let mut tools: Vec<CardTool> = made.tools.into_iter().filter(|t| numbers.contains(&t.number)).collect();
    for t in &mut tools {
        if let Some(own) = side.tools.iter().find(|o| o.number == t.number) {
            (t.words, t.stickout_mm) = (own.words(), own.stickout_mm);
            (t.length_mm, t.diameter_mm) = (own.gauge_length(), own.diameter_mm);
        }
    }
    let steps = made.steps.into_iter().filter(|s| s.setup == side.name).collect();
    let strip = Strip { usable_kw: round.usable_kw, setups: vec![round.strip.clone()] };
    Ok(Lesson { tools, steps, strip, control: sheet.control.clone(), side })
}

/// Rounds of a job that were asked for and are not made.
pub(crate) fn waiting(c: &mut Conn, job: i64) -> Result<Vec<i64>, Fault> {
    let open = rounds::truth.is_null().and(rounds::why.is_null()).and(rounds::ended.is_null());
    Ok(rounds::table.filter(rounds::job_id.eq(job).and(open)).order(rounds::id).select(rounds::id).load(c)?)
}

/// Keep a round that was made.
pub(crate) fn keep(db: &Db, id: i64, made: &Round, sheet: &Sheet, shop: &Shop, title: &str) -> Result<(), Fault> {
    let read = lesson(sheet, shop, title, made).map_err(Fault::internal)?;
    let json = serde_json::to_vec(&read).map_err(|e| Fault::internal(e.to_string()))?;
    let truth = serde_json::to_string(&made.truth).map_err(|e| Fault::internal(e.to_string()))?;
    db.act(|c| {
        blobs::renew(c, &lesson_name(id), &json)?;
        blobs::renew(c, &history_name(id), &made.history)?;
        let job: i64 = rounds::table.find(id).select(rounds::job_id).first(c)?;
        diesel::update(rounds::table.find(id)).set(rounds::truth.eq(&truth)).execute(c)?;
        watch::job_changed(c, job)
    })
}

/// There is none, and why.
pub(crate) fn refuse(db: &Db, id: i64, why: &str) -> Result<(), Fault> {
    db.act(|c| {
        diesel::update(rounds::table.find(id)).set((rounds::why.eq(why), rounds::ended.eq(now()))).execute(c)?;
        Ok(())
    })
}

/// Rounds of a job that goes for good.
pub(crate) fn purge(c: &mut Conn, job: i64) -> Result<(), Fault> {
    diesel::delete(rounds::table.filter(rounds::job_id.eq(job))).execute(c)?;
    Ok(())
}
