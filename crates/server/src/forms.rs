//! Jobs that are cut from the same blank: other finished forms of it, what they share, and whether there is enough.

use crate::db::Db;
use crate::db::rows::Job;
use crate::db::schema::jobs;
use crate::fault::Fault;
use crate::people::Me;
use crate::{jobs as job_rows, rack, work};
use diesel::prelude::*;
use job::{Laid, Settled};
use part::{Fate, Part, Recognised, compare, recognise};
use serde::Serialize;
use shop::Shop;
use std::path::Path;
use ts_rs::TS;

/// Parts that are looked at; more jobs are only named, and each is thought to use up a whole piece.
const LOOKED_AT: usize = 12;

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
    /// "6 features the same, 2 of other sizes, 1 only here, 3 only there"; empty if they share none.
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
    /// Of a bar: what they saw off it in all, and what the rack has, mm.
    pub lengths: Option<[f64; 2]>,
    /// It suffices for all of them.
    pub enough: bool,
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
    let none = FormsSheet { piece: None, left: 0, wanted: 0, lengths: None, enough: true, forms: Vec::new() };
    let (wants, left, shop) = db.act(|c| {
        let mine = job_rows::of(c, me, id)?;
        let settled = job_rows::settled(c, id)?;
        let shop = crate::book::of_job(c, &mine, &settled)?;
        let Some(piece) = laid_of(&mine, settled).map(|(_, l)| l.piece) else {
            return Ok((Vec::new(), 0, shop));
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
        Ok((wants, left, shop))
    })?;
    let Some(own) = wants.iter().find(|w| w.job.id == id) else { return Ok(none) };
    // A part that cannot be read is still cut from the blank.
    let parts: Vec<Option<Part>> =
        wants
            .iter()
            .enumerate()
            .map(|(k, w)| {
                if k < LOOKED_AT || w.job.id == id { work::part_of(db, reader, &w.job, &w.settled).ok() } else { None }
            })
            .collect();
    let here = wants.iter().zip(&parts).find(|(w, _)| w.job.id == id).and_then(|(_, p)| p.as_ref()).map(recognise);
    let forms = wants
        .iter()
        .zip(&parts)
        .filter(|(w, _)| w.job.id != id)
        .map(|(w, part)| FormOf {
            job: w.job.id,
            title: w.job.title.clone(),
            chosen: w.settled.stock.is_some(),
            taken: w.taken,
            words: match (&here, part) {
                (Some(here), Some(part)) => shared(here, &recognise(part)),
                _ => String::new(),
            },
        })
        .collect();
    let open = || wants.iter().zip(&parts).filter(|(w, _)| !w.taken);
    let wanted = open().count() as u32;
    let length = own.laid.piece.shape.envelope()[0].least;
    let lengths = own.laid.piece.shape.is_bar().then(|| {
        let off = |(w, part): (&Wants, &Option<Part>)| part.as_ref().map_or(length, |p| sawn_off(p, &shop, w, length));
        [open().map(off).sum(), length * f64::from(left)]
    });
    let enough = lengths.map_or(wanted <= left, |[need, have]| need <= have + 1e-9);
    Ok(FormsSheet { piece: Some(own.laid.piece.name.clone()), left, wanted, lengths, enough, forms })
}

/// What a job takes off a bar: all but the longest rest that returns, mm.
fn sawn_off(part: &Part, shop: &Shop, w: &Wants, length: f64) -> f64 {
    let laying = job::stocking::try_lay(part, shop, &w.settled, &w.laid.piece, &w.laid.lay);
    let rests = laying.map(|l| l.remnants).unwrap_or_default();
    let across = |s: &stock::Form| [s.envelope()[1], s.envelope()[2]];
    let same = rests.iter().filter(|r| across(&r.shape) == across(&w.laid.piece.shape));
    length - same.map(|r| r.shape.envelope()[0].least).fold(0.0, f64::max)
}

fn laid_of(job: &Job, settled: Settled) -> Option<(Settled, Box<Laid>)> {
    let settled = job_rows::with_offer(job, settled);
    let laid = Box::new(settled.laid()?.clone());
    Some((settled, laid))
}

/// What two finished forms share; nothing if they have nothing in common.
fn shared(here: &Recognised, there: &Recognised) -> String {
    let changes = compare(here, there);
    let count = |fates: &[Fate]| changes.iter().filter(|c| fates.contains(&c.fate)).count();
    let same = count(&[Fate::Unchanged]);
    if same == 0 {
        return String::new();
    }
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
