//! Decisions: append-only, numbered under the job's lock, with keys, conflicts, undo and redo.

use crate::blobs;
use crate::book;
use crate::db::rows::DecisionRow;
use crate::db::schema::{decisions, jobs};
use crate::db::{Conn, now};
use crate::fault::Fault;
use crate::jobs as job_rows;
use crate::people::Me;
use crate::queue;
use diesel::prelude::*;
use holding::Order;
use job::StockDecision;
use job::{Decision, Units};
use part::{Mark, MarkKind};
use reason::len;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use shop::tool::trim;
use ts_rs::TS;

/// An edited program: whose it is, its file's name, and the newest revision that its giver had seen.
#[derive(Debug, Clone, Deserialize)]
pub struct NewText {
    /// Name of the setup.
    pub setup: String,
    /// Of the file.
    pub file: String,
    /// Revision.
    pub revision: i64,
}

/// A decision with the revision on which it was made.
#[derive(Debug, Clone, Deserialize, TS)]
pub struct Decide {
    /// The newest revision that its maker had seen.
    #[ts(type = "number")]
    pub revision: i64,
    /// What.
    pub decision: Decision,
}

/// What was made of it.
#[derive(Debug, Clone, Serialize, TS)]
pub struct Revision {
    /// Number of the new decision.
    #[ts(type = "number")]
    pub revision: i64,
}

/// A decision in words: "material brass".
pub fn words(d: &Decision) -> String {
    let op = |id: &str| id.split(':').next().unwrap_or("step").to_string();
    match d {
        Decision::Material { id: Some(m) } => format!("material {m}"),
        Decision::Material { id: None } => "material as proposed".into(),
        Decision::Stock { choice: Some(StockDecision::Piece(l)) } => format!("cut from {}", l.piece.words()),
        Decision::Stock { choice: Some(StockDecision::Sizes(s)) } => {
            format!("block {} × {} × {} mm", len(trim(s[0])), len(trim(s[1])), len(trim(s[2])))
        }
        Decision::Stock { choice: Some(StockDecision::Rule) } => "block by the rule".into(),
        Decision::Stock { choice: None } => "stock as proposed".into(),
        Decision::Rehearsal { on: Some(r) } => format!("rehearsed in {}", r.material),
        Decision::Rehearsal { on: None } => "rehearsal over".into(),
        Decision::Rehearsed { proved: Some(p), .. } => {
            format!("rehearsal {}: {}", if p.good { "proved" } else { "found" }, p.text)
        }
        Decision::Rehearsed { proved: None, .. } => "line of the rehearsal taken away".into(),
        Decision::Order { choice: Some(Order::Up { axis, positive }) } => {
            format!("{}{} up first", if *positive { '+' } else { '−' }, ['X', 'Y', 'Z'].get(*axis).unwrap_or(&'?'))
        }
        Decision::Order { .. } => "sides as proposed".into(),
        Decision::Hold { kinds: Some(k) } => {
            format!("held by {}", k.iter().map(|k| k.words()).collect::<Vec<_>>().join(" or "))
        }
        Decision::Hold { kinds: None } => "held as proposed".into(),
        Decision::Operation { id, change: Some(c) } => {
            let mut list = Vec::new();
            let mut say = |name: &str, v: Option<f64>, unit: &str| {
                list.extend(v.map(|v| format!("{name} {}{unit}", trim(v))));
            };
            say("cutter T", c.tool.map(f64::from), "");
            say("speed", c.rpm, " rpm");
            say("feed", c.feed, " mm/min");
            say("depth", c.depth, " mm");
            say("width", c.width, " mm");
            format!("{}: {}", op(id), list.join(", "))
        }
        Decision::Operation { id, change: None } => format!("{} as proposed", op(id)),
        Decision::Sequence { id, before: Some(b) } => format!("{} goes before {}", op(id), op(b)),
        Decision::Sequence { id, before: None } => format!("{} in its proposed place", op(id)),
        Decision::Model { sha: Some(_), file } => format!("new revision: {file}"),
        Decision::Model { sha: None, .. } => "first revision of the model".into(),
        Decision::Mark { mark: Some(m), .. } => format!("mark: {}", mark_words(m)),
        Decision::Mark { id, mark: None } => format!("{} mark taken away", id.split('/').next().unwrap_or("a")),
        Decision::Ask { ask: Some(a), .. } if !a.answer.is_empty() => format!("answered: {}", a.answer),
        Decision::Ask { ask: Some(a), .. } => format!("asked {}: {}", a.whom, a.text),
        Decision::Ask { ask: None, .. } => "question taken back".into(),
        Decision::Answer { question, answer } => part::answer_words(question, answer.as_deref()),
        Decision::Edited { setup, sha: Some(_), file } => format!("program of {setup} as edited: {file}"),
        Decision::Edited { setup, sha: None, .. } => format!("program of {setup} as posted"),
        Decision::Units { units: Some(Units::Inch) } => "lengths in inch".into(),
        Decision::Units { units: Some(Units::Mm) } => "lengths in mm".into(),
        Decision::Scheme { id: None } => "the proposed way of making it".into(),
        Decision::Scheme { id: Some(id) } => {
            id.parse::<holding::SchemeId>().map_or_else(|_| id.clone(), |id| id.words())
        }
        Decision::Control { id: Some(id) } => format!("programs for the control {id}"),
        Decision::Control { id: None } => "programs for the mill's own control".into(),
        Decision::Quantity { pieces } => match pieces.unwrap_or(1) {
            1 => "one piece".into(),
            n => format!("{n} pieces"),
        },
        Decision::Shop { revision: Some(_) } => "planned with the shop's newer book".into(),
        Decision::Shop { revision: None } => "planned with the book of its beginning".into(),
        Decision::Units { units: None } => "lengths as in the shop".into(),
    }
}

fn mark_words(m: &Mark) -> String {
    match &m.what {
        MarkKind::Size { class: Some(c), .. } => format!("size {c}"),
        MarkKind::Size { upper, lower, .. } => {
            format!("size {upper:+} {lower:+} mm", upper = len(upper), lower = len(lower))
        }
        MarkKind::Position { tolerance, .. } => format!("position within {tolerance} mm", tolerance = len(tolerance)),
        MarkKind::Distance { upper, lower, .. } => {
            format!("distance {upper:+} {lower:+} mm", upper = len(upper), lower = len(lower))
        }
        MarkKind::Datum { letter } => format!("datum {letter}"),
        MarkKind::Parallel { tolerance, datum } => {
            format!("parallel to {datum} within {tolerance} mm", tolerance = len(tolerance))
        }
        MarkKind::Thread { name } => format!("thread {name}"),
        MarkKind::Finish { ra } => format!("finish Ra {ra} µm"),
        MarkKind::Visible => "visible face".into(),
        MarkKind::Hidden => "hidden face".into(),
    }
}

/// Revisions that a person could take back, and those they took back and could make again; the last of each is next.
pub fn stacks(rows: &[DecisionRow], person: i64) -> (Vec<i64>, Vec<i64>) {
    stacks_of(rows.iter().filter(|r| r.person_id == person).map(|r| (r.revision, r.undoes, r.redoes)))
}

/// The same of any numbered acts: number, what it takes back, what it makes again.
pub fn stacks_of(rows: impl Iterator<Item = (i64, Option<i64>, Option<i64>)>) -> (Vec<i64>, Vec<i64>) {
    let (mut undo, mut redo) = (Vec::new(), Vec::new());
    for (number, undoes, redoes) in rows {
        match (undoes, redoes) {
            (Some(u), _) => {
                undo.retain(|x| *x != u);
                redo.push(u);
            }
            (None, Some(u)) => {
                redo.retain(|x| *x != u);
                undo.push(u);
            }
            (None, None) => {
                undo.push(number);
                redo.clear();
            }
        }
    }
    (undo, redo)
}

fn append(
    c: &mut Conn,
    me: &Me,
    job: &crate::db::rows::Job,
    decision: &Decision,
    undoes: Option<i64>,
    redoes: Option<i64>,
) -> Result<Revision, Fault> {
    let revision = job.revision + 1;
    let body = serde_json::to_string(decision).map_err(|e| Fault::internal(e.to_string()))?;
    diesel::insert_into(decisions::table)
        .values((
            decisions::job_id.eq(job.id),
            decisions::revision.eq(revision),
            decisions::about.eq(decision.key()),
            decisions::body.eq(body),
            decisions::person_id.eq(me.id),
            decisions::at.eq(now()),
            decisions::undoes.eq(undoes),
            decisions::redoes.eq(redoes),
        ))
        .execute(c)?;
    diesel::update(jobs::table.find(job.id)).set(jobs::revision.eq(revision)).execute(c)?;
    if matches!(decision, Decision::Units { .. }) {
        // It changes no plan: what was fresh stays so, and what is being worked on goes on.
        if job.sheet_revision == Some(job.revision) {
            diesel::update(jobs::table.find(job.id)).set(jobs::sheet_revision.eq(revision)).execute(c)?;
        }
        crate::watch::job_changed(c, job.id)?;
    } else {
        queue::ask(c, job.id, revision, Some(me.id))?;
    }
    Ok(Revision { revision })
}

/// What is sent a second time, because the answer to the first was lost, is made once: the job remembers its sender's word for it.
pub fn once(
    c: &mut Conn,
    me: &Me,
    id: i64,
    word: Option<&str>,
    make: impl FnOnce(&mut Conn) -> Result<Revision, Fault>,
) -> Result<Revision, Fault> {
    let Some(word) = word else { return make(c) };
    if word.is_empty() || word.len() > 64 || !word.is_ascii() {
        return Err(Fault::Bad("The Idempotency-Key of a decision has between 1 and 64 plain characters".into()));
    }
    job_rows::of_locked(c, me, id)?;
    // Of oneself alone: nobody learns of another's.
    let mine = decisions::job_id.eq(id).and(decisions::person_id.eq(me.id)).and(decisions::once.eq(word));
    let made: Option<i64> = decisions::table.filter(mine).select(decisions::revision).first(c).optional()?;
    if let Some(revision) = made {
        return Ok(Revision { revision });
    }
    let done = make(c)?;
    diesel::update(decisions::table.find((id, done.revision))).set(decisions::once.eq(word)).execute(c)?;
    Ok(done)
}

/// The newest decision about a key after a revision, if any, as a conflict.
fn conflict(c: &mut Conn, job: i64, key: &str, after: i64) -> Result<(), Fault> {
    let rows = job_rows::decisions_of(c, job)?;
    match rows.iter().rev().find(|(r, _)| r.about == key && r.revision > after) {
        Some((r, who)) => {
            Err(Fault::Conflict { changed: format!("{who} decided: {}", words(&job_rows::decision_of(r)?)) })
        }
        None => Ok(()),
    }
}

/// Does a decision of this job name the very thing? What else stands in it, a file's name among it, is the giver's own words and proves nothing.
fn named_before(rows: &[(DecisionRow, String)], given: impl Fn(&Decision) -> bool) -> bool {
    rows.iter().filter_map(|(r, _)| job_rows::decision_of(r).ok()).any(|d| given(&d))
}

/// Decide.
pub fn decide(c: &mut Conn, me: &Me, id: i64, d: &Decide) -> Result<Revision, Fault> {
    if let Some(why) = d.decision.fault() {
        return Err(Fault::Bad(why));
    }
    let key = d.decision.key();
    if key.len() > 190 {
        return Err(Fault::Bad("The operation's name is too long to be one of ours".into()));
    }
    let job = job_rows::of_locked(c, me, id)?;
    // A model comes with its file: only then is it sure that its bytes belong to this shop.
    if let Decision::Model { sha: Some(sha), .. } = &d.decision {
        let mine = job_rows::decisions_of(c, id)?;
        let given = |d: &Decision| matches!(d, Decision::Model { sha: Some(s), .. } if s == sha);
        if !named_before(&mine, given) {
            return Err(Fault::Bad("A new revision is given as a file, on the Part ticket".into()));
        }
    }
    // So does an edited program.
    if let Decision::Edited { sha: Some(sha), .. } = &d.decision {
        let mine = job_rows::decisions_of(c, id)?;
        let given = |d: &Decision| d.key() == key && matches!(d, Decision::Edited { sha: Some(s), .. } if s == sha);
        if !named_before(&mine, given) {
            return Err(Fault::Bad("An edited program is given as a file, on the Program ticket".into()));
        }
    }
    named_in_the_book(c, &job, &d.decision)?;
    conflict(c, id, &key, d.revision)?;
    append(c, me, &job, &d.decision, None, None)
}

/// What a decision names of the shop must stand in the book that the job is planned with.
fn named_in_the_book(c: &mut Conn, job: &crate::db::rows::Job, d: &Decision) -> Result<(), Fault> {
    let settled = job_rows::settled(c, job.id)?;
    let (material, tool) = match d {
        Decision::Material { id: Some(m) } => (Some(m), None),
        Decision::Rehearsal { on: Some(r) } => (Some(&r.material), None),
        Decision::Operation { change: Some(change), .. } => (None, change.tool),
        Decision::Shop { revision: Some(r) } => return book::takes(c, job, &settled, *r),
        _ => return Ok(()),
    };
    let shop = book::of_job(c, job, &settled)?;
    if let Some(m) = material {
        shop.material(m).map_err(|e| Fault::Bad(e.to_string()))?;
    }
    match tool.filter(|n| shop.crib.iter().all(|t| t.number != *n)) {
        Some(n) => Err(Fault::Bad(format!("The crib has no T{n}; choose one of its cutters"))),
        None => Ok(()),
    }
}

/// A new revision of the model, with its file as it came and as it was read.
pub fn revise(
    c: &mut Conn,
    me: &Me,
    id: i64,
    revision: i64,
    file: &str,
    bytes: &[u8],
    read: &[u8],
) -> Result<Revision, Fault> {
    let job = job_rows::of_locked(c, me, id)?;
    conflict(c, id, "model", revision)?;
    crate::keeping::room(c, me.shop_id, bytes.len() + read.len())?;
    let sha = job_rows::keep_model(c, bytes, read)?;
    let file = file.chars().take(255).collect();
    append(c, me, &job, &Decision::Model { sha: Some(sha), file }, None, None)
}

/// Name under which an edited program lies.
pub fn text_name(sha: &str) -> String {
    format!("program-{sha}")
}

/// A setup's program as somebody edited it.
pub fn edit(c: &mut Conn, me: &Me, id: i64, at: &NewText, text: &str) -> Result<Revision, Fault> {
    let job = job_rows::of_locked(c, me, id)?;
    let made = |sha| Decision::Edited { setup: at.setup.clone(), sha, file: at.file.chars().take(255).collect() };
    conflict(c, id, &made(None).key(), at.revision)?;
    let sha: String = Sha256::digest(text).iter().map(|b| format!("{b:02x}")).collect();
    crate::keeping::room(c, me.shop_id, text.len())?;
    blobs::put(c, &text_name(&sha), text.as_bytes(), true)?;
    append(c, me, &job, &made(Some(sha)), None, None)
}

/// Take back one's own last decision: its key gets the value that it had before.
pub fn undo(c: &mut Conn, me: &Me, id: i64) -> Result<Revision, Fault> {
    let job = job_rows::of_locked(c, me, id)?;
    let rows: Vec<DecisionRow> = job_rows::decisions_of(c, id)?.into_iter().map(|r| r.0).collect();
    let (undo, _) = stacks(&rows, me.id);
    let last = *undo.last().ok_or(Fault::Nothing("There is no decision of yours to undo"))?;
    let Some(row) = rows.iter().find(|r| r.revision == last) else { return Err(Fault::NoSuch("decision")) };
    // Whatever came last on this key by one's own hand is a redo of it, or itself.
    let mine = rows.iter().rev().find(|r| r.person_id == me.id && r.about == row.about).map_or(last, |r| r.revision);
    conflict(c, id, &row.about, mine)?;
    let before = rows.iter().rev().find(|r| r.about == row.about && r.revision < last);
    let value = match before {
        Some(b) => job_rows::decision_of(b)?,
        None => job_rows::decision_of(row)?.cleared(),
    };
    append(c, me, &job, &value, Some(last), None)
}

/// Make again what was taken back last.
pub fn redo(c: &mut Conn, me: &Me, id: i64) -> Result<Revision, Fault> {
    let job = job_rows::of_locked(c, me, id)?;
    let rows: Vec<DecisionRow> = job_rows::decisions_of(c, id)?.into_iter().map(|r| r.0).collect();
    let (_, redo) = stacks(&rows, me.id);
    let last = *redo.last().ok_or(Fault::Nothing("There is nothing to redo"))?;
    let Some(row) = rows.iter().find(|r| r.revision == last) else { return Err(Fault::NoSuch("decision")) };
    let mine = rows.iter().rev().find(|r| r.person_id == me.id && r.about == row.about).map_or(last, |r| r.revision);
    conflict(c, id, &row.about, mine)?;
    append(c, me, &job, &job_rows::decision_of(row)?, None, Some(last))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn row(revision: i64, person_id: i64, undoes: Option<i64>, redoes: Option<i64>) -> DecisionRow {
        DecisionRow {
            job_id: 1,
            revision,
            about: "material".into(),
            body: String::new(),
            person_id,
            at: now(),
            undoes,
            redoes,
        }
    }

    #[test]
    fn undo_and_redo_are_each_persons_own() {
        let mut rows = vec![row(1, 1, None, None), row(2, 2, None, None), row(3, 1, None, None)];
        assert_eq!(stacks(&rows, 1), (vec![1, 3], vec![]));
        rows.push(row(4, 1, Some(3), None));
        rows.push(row(5, 1, Some(1), None));
        assert_eq!(stacks(&rows, 1), (vec![], vec![3, 1]));
        rows.push(row(6, 1, None, Some(1)));
        assert_eq!(stacks(&rows, 1), (vec![1], vec![3]));
        rows.push(row(7, 1, None, None));
        assert_eq!(stacks(&rows, 1), (vec![1, 7], vec![]));
        assert_eq!(stacks(&rows, 2), (vec![2], vec![]));
    }

    #[test]
    fn decisions_are_told_in_words() {
        let d = Decision::Operation {
            id: "rough:side 1/x".into(),
            change: Some(route::Override { rpm: Some(4000.0), width: Some(1.5), ..Default::default() }),
        };
        assert_eq!(words(&d), "rough: speed 4000 rpm, width 1.5 mm");
        assert_eq!(words(&d.cleared()), "rough as proposed");
    }
}
