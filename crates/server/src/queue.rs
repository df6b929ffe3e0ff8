//! The work queue: rows that workers claim with `FOR UPDATE SKIP LOCKED`. A worker that falls silent loses its row to another.

use crate::db::schema::tasks;
use crate::db::{Conn, now};
use crate::fault::Fault;
use crate::watch::job_changed;
use chrono::{Duration, NaiveDateTime};
use diesel::prelude::*;
use std::collections::BTreeMap;

/// A running task whose worker has not been heard of for this long is up for grabs, s.
pub const SILENT_S: i64 = 8;
/// So many workers may die over a task before it is given up.
const TRIES: i32 = 3;
/// Told where they did.
const GIVEN_UP: &str =
    "Planning stopped three times without an answer; simplify the model, or report it with the model";
/// So many waiting tasks are looked at for whose turn it is.
const LOOK: i64 = 2000;

/// What is to be worked out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// What is seen of the part: the Part ticket. Somebody waits for it at a screen.
    Part,
    /// The whole plan and its proof.
    Plan,
    /// Other whole ways beside the plan. Nobody waits for it; who works on it steps back for all others.
    Compare,
    /// Faults at the machine, each tried on the plan: behind even that.
    WhatIf,
    /// A trainer's round: somebody waits for it.
    Round,
}

impl Kind {
    fn word(self) -> &'static str {
        match self {
            Kind::Part => "part",
            Kind::Plan => "plan",
            Kind::Compare => "compare",
            Kind::WhatIf => "what-if",
            Kind::Round => "round",
        }
    }
    fn of(word: &str) -> Kind {
        match word {
            "part" => Kind::Part,
            "compare" => Kind::Compare,
            "what-if" => Kind::WhatIf,
            "round" => Kind::Round,
            _ => Kind::Plan,
        }
    }
}

/// A task that a worker holds.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Claim {
    /// Task.
    pub id: i64,
    /// Job.
    pub job_id: i64,
    /// Revision that it was asked for; whatever is newest when it starts is worked out.
    pub revision: i64,
    /// What of it.
    pub kind: Kind,
}

/// Ask for the plan of a revision; older work on the same job is no longer wanted.
pub fn ask(c: &mut Conn, job: i64, revision: i64, person: Option<i64>) -> Result<(), Fault> {
    end_behind(c, job)?;
    for_job(c, job, Kind::Plan, revision, person)
}

/// What nobody waits for is no longer wanted.
fn end_behind(c: &mut Conn, job: i64) -> Result<(), Fault> {
    BEHIND.iter().try_for_each(|k| end_all(c, job, *k))
}

/// What one worker does behind all others.
const BEHIND: [Kind; 2] = [Kind::Compare, Kind::WhatIf];

/// Ask for what is done behind all else of a revision, unless somebody did already.
pub fn ask_behind(c: &mut Conn, job: i64, revision: i64, kind: Kind, person: Option<i64>) -> Result<(), Fault> {
    if !alive(c, job, revision, kind)? {
        return for_job(c, job, kind, revision, person);
    }
    // Somebody looks at it now: it is theirs, and takes its turn among what people want.
    let waits = tasks::job_id.eq(job).and(tasks::kind.eq(kind.word())).and(tasks::state.eq("queued"));
    if person.is_some() {
        diesel::update(tasks::table.filter(waits.and(tasks::person_id.is_null())))
            .set(tasks::person_id.eq(person))
            .execute(c)?;
    }
    Ok(())
}

/// Is it waited for, or worked on?
fn alive(c: &mut Conn, job: i64, revision: i64, kind: Kind) -> Result<bool, Fault> {
    let mine = tasks::job_id.eq(job).and(tasks::kind.eq(kind.word())).and(tasks::revision.eq(revision));
    let alive = tasks::state.eq_any(["queued", "running"]).and(tasks::stop.eq(false));
    let there: i64 = tasks::table.filter(mine.and(alive)).count().get_result(c)?;
    Ok(there > 0)
}

/// Do whole ways wait to be compared? Whoever tries faults gives way to them.
pub fn ways_wait(c: &mut Conn) -> Result<bool, Fault> {
    let waits = tasks::kind.eq(Kind::Compare.word()).and(tasks::state.eq("queued"));
    let n: i64 = tasks::table.filter(waits).count().get_result(c)?;
    Ok(n > 0)
}

/// Ask for what is seen of the part, unless somebody did already.
pub fn ask_part(c: &mut Conn, job: i64, revision: i64, person: Option<i64>) -> Result<(), Fault> {
    if alive(c, job, revision, Kind::Part)? {
        return Ok(());
    }
    for_job(c, job, Kind::Part, revision, person)
}

/// Ask for the rounds of a job that are not made; a worker that is at it makes all of them.
pub fn ask_round(c: &mut Conn, job: i64, revision: i64, person: Option<i64>) -> Result<(), Fault> {
    if alive(c, job, revision, Kind::Round)? {
        return Ok(());
    }
    for_job(c, job, Kind::Round, revision, person)
}

/// Somebody looks at a job whose plan waits for nobody, such as those of an older build: it takes its turn among what people want.
pub fn looked_at(c: &mut Conn, job: i64, person: i64) -> Result<(), Fault> {
    let waits = tasks::job_id.eq(job).and(tasks::kind.eq(Kind::Plan.word())).and(tasks::state.eq("queued"));
    diesel::update(tasks::table.filter(waits.and(tasks::person_id.is_null())))
        .set(tasks::person_id.eq(person))
        .execute(c)?;
    Ok(())
}

/// What waits of a kind is dropped, what runs is told to stop.
fn end_all(c: &mut Conn, job: i64, kind: Kind) -> Result<(), Fault> {
    let of = tasks::job_id.eq(job).and(tasks::kind.eq(kind.word()));
    diesel::update(tasks::table.filter(of.and(tasks::state.eq("queued"))))
        .set(tasks::state.eq("dropped"))
        .execute(c)?;
    diesel::update(tasks::table.filter(of.and(tasks::state.eq("running")))).set(tasks::stop.eq(true)).execute(c)?;
    Ok(())
}

fn for_job(c: &mut Conn, job: i64, kind: Kind, revision: i64, person: Option<i64>) -> Result<(), Fault> {
    end_all(c, job, kind)?;
    diesel::insert_into(tasks::table)
        .values((
            tasks::job_id.eq(job),
            tasks::revision.eq(revision),
            tasks::kind.eq(kind.word()),
            tasks::person_id.eq(person),
        ))
        .execute(c)?;
    job_changed(c, job)
}

/// Whose turn it is of those who wait (id, kind, person; the oldest first): what somebody sees soon goes before plans, whole ways before faults, and of
/// the people the one whose last turn is longest ago; of theirs the oldest.
pub fn turn(waiting: &[(i64, Kind, Option<i64>)], last: &BTreeMap<Option<i64>, NaiveDateTime>) -> Option<i64> {
    let first = waiting
        .iter()
        .min_by_key(|(id, kind, who)| (*kind != Kind::Part, *kind == Kind::WhatIf, last.get(who).copied(), *id))?;
    Some(first.0)
}

/// Take the task of whoever's turn it is, or one whose worker fell silent. Only `kind`, where one is given: with the ways go the faults.
pub fn claim(c: &mut Conn, worker: &str, only: Option<Kind>) -> Result<Option<Claim>, Fault> {
    let silent = now() - Duration::seconds(SILENT_S);
    let fallen = || tasks::state.eq("running").and(tasks::beat_at.lt(silent));
    let kinds: &[&str] = match only {
        Some(k) if BEHIND.contains(&k) => &["compare", "what-if"],
        Some(k) => &[k.word()],
        None => &["part", "plan", "round"],
    };
    // One question where nothing waits: an idle worker writes nothing.
    let mut rows: Vec<(i64, String, Option<i64>, bool, String, i32)> = tasks::table
        .filter(tasks::state.eq("queued").or(fallen()))
        .filter(tasks::kind.eq_any(kinds))
        .order(tasks::id)
        .limit(LOOK)
        .select((tasks::id, tasks::kind, tasks::person_id, tasks::stop, tasks::state, tasks::tries))
        .load(c)?;
    let given_up = |r: &(i64, String, Option<i64>, bool, String, i32)| r.4 == "running" && (r.3 || r.5 >= TRIES);
    if rows.iter().any(given_up) {
        // What was stopped is never taken up again, whatever became of its worker.
        let stopped = tasks::table.filter(fallen().and(tasks::stop.eq(true)));
        diesel::update(stopped).set(tasks::state.eq("stopped")).execute(c)?;
        diesel::update(tasks::table.filter(fallen().and(tasks::tries.ge(TRIES))))
            .set((tasks::state.eq("failed"), tasks::why.eq(GIVEN_UP)))
            .execute(c)?;
        rows.retain(|r| !given_up(r));
    }
    rows.retain(|r| !r.3);
    if rows.is_empty() {
        return Ok(None);
    }
    let mut waiting: Vec<(i64, Kind, Option<i64>)> = rows.iter().map(|r| (r.0, Kind::of(&r.1), r.2)).collect();
    let turns: Vec<(Option<i64>, Option<NaiveDateTime>)> = tasks::table
        .group_by(tasks::person_id)
        .filter(tasks::started_at.gt(now() - Duration::hours(6)))
        .select((tasks::person_id, diesel::dsl::max(tasks::started_at)))
        .load(c)?;
    let last: BTreeMap<Option<i64>, NaiveDateTime> = turns.into_iter().filter_map(|(p, t)| Some((p, t?))).collect();
    while let Some(next) = turn(&waiting, &last) {
        let row: Option<(i64, i64, i32)> = tasks::table
            .find(next)
            .filter(tasks::state.eq("queued").or(fallen()))
            .filter(tasks::stop.eq(false))
            .select((tasks::job_id, tasks::revision, tasks::tries))
            .for_update()
            .skip_locked()
            .first(c)
            .optional()?;
        // Another worker has it.
        let Some((job_id, revision, tries)) = row else {
            waiting.retain(|w| w.0 != next);
            continue;
        };
        diesel::update(tasks::table.find(next))
            .set((
                tasks::state.eq("running"),
                tasks::worker.eq(worker),
                tasks::tries.eq(tries + 1),
                tasks::beat_at.eq(now()),
                tasks::started_at.eq(now()),
                tasks::stage.eq("model"),
                tasks::share.eq(0.0),
            ))
            .execute(c)?;
        job_changed(c, job_id)?;
        let kind = waiting.iter().find(|w| w.0 == next).map_or(Kind::Plan, |w| w.1);
        return Ok(Some(Claim { id: next, job_id, revision, kind }));
    }
    Ok(None)
}

/// Say that one is still at it and how far; false when the work is to stop or is no longer one's own.
pub fn beat(c: &mut Conn, task: i64, worker: &str, stage: &str, share: f64) -> Result<bool, Fault> {
    let row: Option<(bool, String, Option<String>, String, f64, i64)> = tasks::table
        .find(task)
        .select((tasks::stop, tasks::state, tasks::worker, tasks::stage, tasks::share, tasks::job_id))
        .first(c)
        .optional()?;
    let Some((stop, state, who, was, had, job)) = row else { return Ok(false) };
    let mine = state == "running" && who.as_deref() == Some(worker);
    if mine {
        diesel::update(tasks::table.find(task).filter(tasks::worker.eq(worker).and(tasks::state.eq("running"))))
            .set((tasks::beat_at.eq(now()), tasks::stage.eq(stage), tasks::share.eq(share)))
            .execute(c)?;
        // Screens hear of a step that is seen.
        if was != stage || (had - share).abs() >= 0.01 {
            job_changed(c, job)?;
        }
    }
    Ok(mine && !stop)
}

/// How a task ended: "done", "stopped", "failed", or "queued" if it is given back.
pub fn end(c: &mut Conn, task: i64, worker: &str, state: &str, why: Option<&str>) -> Result<bool, Fault> {
    let n = diesel::update(tasks::table.find(task).filter(tasks::worker.eq(worker).and(tasks::state.eq("running"))))
        .set((tasks::state.eq(state), tasks::why.eq(why)))
        .execute(c)?;
    // Given back in good order is no death.
    if n == 1 && state == "queued" {
        diesel::update(tasks::table.find(task)).set(tasks::tries.eq(tasks::tries - 1)).execute(c)?;
    }
    let job: Option<i64> = tasks::table.find(task).select(tasks::job_id).first(c).optional()?;
    if let Some(job) = job {
        job_changed(c, job)?;
    }
    Ok(n == 1)
}

/// A worker is dead: what it held waits again, unless it was stopped, or three have died over it.
pub fn give_back(c: &mut Conn, worker: &str) -> Result<usize, Fault> {
    let held = || tasks::worker.eq(worker).and(tasks::state.eq("running"));
    let jobs: Vec<i64> = tasks::table.filter(held()).select(tasks::job_id).load(c)?;
    jobs.into_iter().try_for_each(|j| job_changed(c, j))?;
    diesel::update(tasks::table.filter(held().and(tasks::stop.eq(true)))).set(tasks::state.eq("stopped")).execute(c)?;
    diesel::update(tasks::table.filter(held().and(tasks::tries.ge(TRIES))))
        .set((tasks::state.eq("failed"), tasks::why.eq(GIVEN_UP)))
        .execute(c)?;
    Ok(diesel::update(tasks::table.filter(held())).set(tasks::state.eq("queued")).execute(c)?)
}

/// Stop a job's plan.
pub fn stop(c: &mut Conn, job: i64) -> Result<(), Fault> {
    end_behind(c, job)?;
    let of = tasks::job_id.eq(job).and(tasks::kind.eq(Kind::Plan.word()));
    diesel::update(tasks::table.filter(of.and(tasks::state.eq("queued"))))
        .set(tasks::state.eq("stopped"))
        .execute(c)?;
    diesel::update(tasks::table.filter(of.and(tasks::state.eq("running")))).set(tasks::stop.eq(true)).execute(c)?;
    job_changed(c, job)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Fifty of one person's do not hold up another's first by more than one.
    #[test]
    fn people_take_turns() {
        let mut waiting: Vec<(i64, Kind, Option<i64>)> = (1..=50).map(|k| (k, Kind::Plan, Some(1))).collect();
        waiting.extend([(51, Kind::Plan, Some(2)), (52, Kind::Plan, None), (53, Kind::Plan, Some(2))]);
        let mut last = BTreeMap::new();
        let mut done = Vec::new();
        for minute in 0..waiting.len() as i64 {
            let id = turn(&waiting, &last).unwrap();
            let k = waiting.iter().position(|w| w.0 == id).unwrap();
            let (_, _, who) = waiting.remove(k);
            last.insert(who, NaiveDateTime::default() + Duration::minutes(minute));
            done.push(id);
        }
        assert_eq!(done[..7], [1, 51, 52, 2, 53, 3, 4]);
        assert_eq!(turn(&[], &last), None);
        // What somebody looks at goes before plans.
        let both = [(1, Kind::Plan, Some(3)), (2, Kind::Part, Some(1))];
        assert_eq!(turn(&both, &last), Some(2));
        // Faults are tried when no ways wait, whoever asked for them.
        let behind = [(1, Kind::WhatIf, Some(3)), (2, Kind::Compare, Some(1))];
        assert_eq!(turn(&behind, &last), Some(2));
    }
}
