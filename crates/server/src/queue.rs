//! The work queue: rows that workers claim with `FOR UPDATE SKIP LOCKED`. A worker that falls silent loses its row to another.

use crate::db::schema::tasks;
use crate::db::{Conn, now};
use crate::fault::Fault;
use chrono::Duration;
use diesel::prelude::*;

/// A running task whose worker has not been heard of for this long is up for grabs, s.
pub const SILENT_S: i64 = 20;
/// So many workers may die over a task before it is given up.
const TRIES: i32 = 3;

/// A task that a worker holds.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Claim {
    /// Task.
    pub id: i64,
    /// Job.
    pub job_id: i64,
    /// Revision that it was asked for; whatever is newest when it starts is planned.
    pub revision: i64,
}

/// Ask for the work of a revision; older work on the same job is no longer wanted.
pub fn ask(c: &mut Conn, job: i64, revision: i64) -> Result<(), Fault> {
    diesel::update(tasks::table.filter(tasks::job_id.eq(job).and(tasks::state.eq("queued"))))
        .set(tasks::state.eq("dropped"))
        .execute(c)?;
    diesel::update(tasks::table.filter(tasks::job_id.eq(job).and(tasks::state.eq("running"))))
        .set(tasks::stop.eq(true))
        .execute(c)?;
    diesel::insert_into(tasks::table).values((tasks::job_id.eq(job), tasks::revision.eq(revision))).execute(c)?;
    Ok(())
}

/// Take the oldest task that waits, or one whose worker fell silent.
pub fn claim(c: &mut Conn, worker: &str) -> Result<Option<Claim>, Fault> {
    let silent = now() - Duration::seconds(SILENT_S);
    diesel::update(
        tasks::table.filter(tasks::state.eq("running").and(tasks::beat_at.lt(silent)).and(tasks::tries.ge(TRIES))),
    )
    .set((
        tasks::state.eq("failed"),
        tasks::why
            .eq("Planning stopped three times without an answer; simplify the model, or report it with the model"),
    ))
    .execute(c)?;
    let row: Option<(i64, i64, i64, i32)> = tasks::table
        .filter(tasks::state.eq("queued").or(tasks::state.eq("running").and(tasks::beat_at.lt(silent))))
        .order(tasks::id)
        .select((tasks::id, tasks::job_id, tasks::revision, tasks::tries))
        .for_update()
        .skip_locked()
        .first(c)
        .optional()?;
    let Some((id, job_id, revision, tries)) = row else { return Ok(None) };
    diesel::update(tasks::table.find(id))
        .set((
            tasks::state.eq("running"),
            tasks::worker.eq(worker),
            tasks::tries.eq(tries + 1),
            tasks::beat_at.eq(now()),
            tasks::stage.eq("model"),
            tasks::share.eq(0.0),
        ))
        .execute(c)?;
    Ok(Some(Claim { id, job_id, revision }))
}

/// Say that one is still at it and how far; false when the work is to stop or is no longer one's own.
pub fn beat(c: &mut Conn, task: i64, worker: &str, stage: &str, share: f64) -> Result<bool, Fault> {
    diesel::update(tasks::table.find(task).filter(tasks::worker.eq(worker).and(tasks::state.eq("running"))))
        .set((tasks::beat_at.eq(now()), tasks::stage.eq(stage), tasks::share.eq(share)))
        .execute(c)?;
    let row: Option<(bool, String, Option<String>)> =
        tasks::table.find(task).select((tasks::stop, tasks::state, tasks::worker)).first(c).optional()?;
    Ok(row.is_some_and(|(stop, state, who)| !stop && state == "running" && who.as_deref() == Some(worker)))
}

/// How a task ended: "done", "stopped", "failed".
pub fn end(c: &mut Conn, task: i64, worker: &str, state: &str, why: Option<&str>) -> Result<bool, Fault> {
    let n = diesel::update(tasks::table.find(task).filter(tasks::worker.eq(worker).and(tasks::state.eq("running"))))
        .set((tasks::state.eq(state), tasks::why.eq(why)))
        .execute(c)?;
    Ok(n == 1)
}

/// Stop a job's work.
pub fn stop(c: &mut Conn, job: i64) -> Result<(), Fault> {
    diesel::update(tasks::table.filter(tasks::job_id.eq(job).and(tasks::state.eq("queued"))))
        .set(tasks::state.eq("stopped"))
        .execute(c)?;
    diesel::update(tasks::table.filter(tasks::job_id.eq(job).and(tasks::state.eq("running"))))
        .set(tasks::stop.eq(true))
        .execute(c)?;
    Ok(())
}
