//! Jobs that are cut from the same blank: other finished forms of it, what they share, and whether there is enough.

use crate::db::Db;
use crate::db::rows::Job;
use crate::db::schema::jobs;
use crate::fault::Fault;
use crate::people::Me;
use crate::{jobs as job_rows, rack, work};
use diesel::prelude::*;
use job::{Laid, Settled};
use part::{Fate, Recognised, compare, recognise};
use serde::Serialize;
use std::path::Path;
use ts_rs::TS;

/// Forms that are compared with the job's own; more are only named.
const COMPARED: usize = 6;

/// Another finished form of the same blank.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct FormOf {
    /// The other job.
    #[ts(type = "number")]
    pub job: i64,
    /// Its title.
    pub title: String,
    /// A person chose the blank for it; else it is proposed.
    pub chosen: bool,
    /// One was taken from the rack for it.
    pub taken: bool,
    /// "6 features the same, 2 of other sizes, 1 only here, 3 only there"; empty if it was not compared.
    pub words: String,
}

/// What else is cut from a job's blank.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct FormsSheet {
    /// The blank's tag; none: the job is cut from no piece of the rack.
    pub piece: Option<String>,
    /// How many the rack has.
    pub left: u32,
    /// Jobs that want one and have not taken it, this one included.
    pub wanted: u32,
    /// The others.
    pub forms: Vec<FormOf>,
}

struct Wants {
    job: Job,
    settled: Settled,
    laid: Box<Laid>,
    taken: bool,
}

/// Look through the shop's jobs that are on the bench.
pub fn forms(db: &Db, reader: &Path, me: &Me, id: i64) -> Result<FormsSheet, Fault> {
    let none = FormsSheet { piece: None, left: 0, wanted: 0, forms: Vec::new() };
    let (wants, left) = db.act(|c| {
        let mine = job_rows::of(c, me, id)?;
        let Some(piece) = laid_of(&mine, job_rows::settled(c, id)?).map(|(_, l)| l.piece) else {
            return Ok((Vec::new(), 0));
        };
        let on_the_bench = jobs::shop_id.eq(me.shop_id).and(jobs::archived.eq(false).or(jobs::id.eq(id)));
        let rows: Vec<Job> = jobs::table.filter(on_the_bench).order(jobs::id).select(Job::as_select()).load(c)?;
        let mut wants = Vec::new();
        for job in rows {
            let Some((settled, laid)) = laid_of(&job, job_rows::settled(c, job.id)?) else { continue };
            if laid.piece.name == piece.name && laid.piece.shape == piece.shape {
                let taken = rack::taken_for(c, me, job.id)?.contains(&piece.name);
                wants.push(Wants { job, settled, laid, taken });
            }
        }
        let left = rack::all(c, me.shop_id)?.iter().filter(|p| p.name == piece.name).map(|p| p.quantity).sum();
        Ok((wants, left))
    })?;
    let Some(own) = wants.iter().find(|w| w.job.id == id) else { return Ok(none) };
    let seen =
        |w: &Wants| -> Result<Recognised, Fault> { Ok(recognise(&work::part_of(db, reader, &w.job, &w.settled)?)) };
    let others: Vec<&Wants> = wants.iter().filter(|w| w.job.id != id).collect();
    let here = if others.is_empty() { None } else { Some(seen(own)?) };
    let mut forms = Vec::new();
    for (k, w) in others.into_iter().enumerate() {
        // A part that cannot be read is still cut from the blank.
        let words = match (&here, k < COMPARED) {
            (Some(here), true) => seen(w).map_or_else(|_| String::new(), |there| shared(here, &there)),
            _ => String::new(),
        };
        forms.push(FormOf {
            job: w.job.id,
            title: w.job.title.clone(),
            chosen: w.settled.stock.is_some(),
            taken: w.taken,
            words,
        });
    }
    let wanted = wants.iter().filter(|w| !w.taken).count() as u32;
    Ok(FormsSheet { piece: Some(own.laid.piece.name.clone()), left, wanted, forms })
}

fn laid_of(job: &Job, settled: Settled) -> Option<(Settled, Box<Laid>)> {
    let settled = job_rows::with_offer(job, settled);
    let laid = Box::new(settled.laid()?.clone());
    Some((settled, laid))
}

/// What two finished forms share.
fn shared(here: &Recognised, there: &Recognised) -> String {
    let changes = compare(here, there);
    let count = |fates: &[Fate]| changes.iter().filter(|c| fates.contains(&c.fate)).count();
    let same = count(&[Fate::Unchanged]);
    let mut out = vec![format!("{same} feature{} the same", if same == 1 { "" } else { "s" })];
    for (n, words) in [
        (count(&[Fate::Moved]), "in another place"),
        (count(&[Fate::Resized]), "of other sizes"),
        (count(&[Fate::Gone]), "only here"),
        (count(&[Fate::New]), "only there"),
    ] {
        if n > 0 {
            out.push(format!("{n} {words}"));
        }
    }
    out.join(", ")
}
