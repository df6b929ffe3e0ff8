//! The queue on the real database: nothing is done twice, and nothing is lost with a worker.

mod common;

use common::Base;
use diesel::prelude::*;
use server::db::schema::{jobs, shop_revisions, tasks};
use server::db::{Conn, now};
use server::fault::Fault;
use server::queue::{self, SILENT_S};
use std::collections::BTreeMap;
use std::sync::Mutex;

/// So many jobs of no content, each with a task.
fn fill(base: &Base, n: usize) {
    let data = shop::Shop::demo().unwrap();
    base.db
        .act(|c| {
            let shop = server::demo::make_shop(c, "Shop", &data)?;
            let revision: i64 = shop_revisions::table.select(shop_revisions::id).first(c)?;
            for k in 0..n {
                diesel::insert_into(jobs::table)
                    .values((
                        jobs::shop_id.eq(shop),
                        jobs::title.eq(format!("Job {k}")),
                        jobs::file.eq("x.step"),
                        jobs::model.eq("0"),
                        jobs::shop_revision_id.eq(revision),
                        jobs::made_at.eq(now()),
                    ))
                    .execute(c)?;
                let id = server::db::last_id(c)?;
                queue::ask(c, id, 0, None)?;
            }
            Ok(())
        })
        .unwrap();
}

fn states(c: &mut Conn) -> Result<BTreeMap<String, i64>, Fault> {
    let all: Vec<String> = tasks::table.select(tasks::state).load(c)?;
    let mut out = BTreeMap::new();
    all.into_iter().for_each(|s| *out.entry(s).or_default() += 1);
    Ok(out)
}

#[test]
fn many_workers_do_each_task_once() {
    let base = Base::new();
    fill(&base, 60);
    let done: Mutex<Vec<i64>> = Mutex::new(vec![]);
    std::thread::scope(|s| {
        for w in 0..6 {
            let (base, done) = (&base, &done);
            s.spawn(move || {
                let name = format!("w{w}");
                while let Some(t) = base.db.act(|c| queue::claim(c, &name, None)).unwrap() {
                    assert!(base.db.act(|c| queue::beat(c, t.id, &name, "model", 0.5)).unwrap());
                    assert!(base.db.act(|c| queue::end(c, t.id, &name, "done", None)).unwrap());
                    done.lock().unwrap().push(t.id);
                }
            });
        }
    });
    let mut done = done.into_inner().unwrap();
    done.sort_unstable();
    let n = done.len();
    done.dedup();
    assert_eq!((n, done.len()), (60, 60));
    assert_eq!(base.db.act(states).unwrap(), BTreeMap::from([("done".to_string(), 60)]));
}

#[test]
fn a_silent_workers_task_goes_to_another_and_at_last_fails() {
    let base = Base::new();
    fill(&base, 1);
    let fall_silent = |c: &mut Conn| {
        diesel::update(tasks::table)
            .set(tasks::beat_at.eq(now() - chrono::Duration::seconds(SILENT_S + 1)))
            .execute(c)?;
        Ok(())
    };
    let t = base.db.act(|c| queue::claim(c, "first", None)).unwrap().unwrap();
    assert_eq!(base.db.act(|c| queue::claim(c, "second", None)).unwrap(), None);
    base.db.act(fall_silent).unwrap();
    assert_eq!(base.db.act(|c| queue::claim(c, "second", None)).unwrap(), Some(t.clone()));
    // The first one comes back: it may neither go on nor finish.
    assert!(!base.db.act(|c| queue::beat(c, t.id, "first", "proof", 0.9)).unwrap());
    assert!(!base.db.act(|c| queue::end(c, t.id, "first", "done", None)).unwrap());
    base.db.act(fall_silent).unwrap();
    assert!(base.db.act(|c| queue::claim(c, "third", None)).unwrap().is_some());
    base.db.act(fall_silent).unwrap();
    assert_eq!(base.db.act(|c| queue::claim(c, "fourth", None)).unwrap(), None);
    let why: Option<String> = base.db.act(|c| Ok(tasks::table.select(tasks::why).first(c)?)).unwrap();
    assert!(why.unwrap().contains("three times"));
}

#[test]
fn newer_work_takes_the_place_of_older() {
    let base = Base::new();
    fill(&base, 1);
    let t = base.db.act(|c| queue::claim(c, "w", None)).unwrap().unwrap();
    base.db.act(|c| queue::ask(c, t.job_id, 1, None)).unwrap();
    base.db.act(|c| queue::ask(c, t.job_id, 2, None)).unwrap();
    assert!(!base.db.act(|c| queue::beat(c, t.id, "w", "model", 0.1)).unwrap());
    base.db.act(|c| queue::end(c, t.id, "w", "stopped", None)).unwrap();
    let n = base.db.act(|c| queue::claim(c, "w", None)).unwrap().unwrap();
    assert_eq!(n.revision, 2);
    let want = [("dropped", 1), ("running", 1), ("stopped", 1)].map(|(s, n)| (s.to_string(), n));
    assert_eq!(base.db.act(states).unwrap(), BTreeMap::from(want));
}
