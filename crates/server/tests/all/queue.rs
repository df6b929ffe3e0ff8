//! The queue on the real database: nothing is done twice, and nothing is lost with a worker.

use crate::common::Base;
use diesel::prelude::*;
use server::db::schema::tasks;
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
            for k in 0..n {
                let id = crate::common::empty_job(c, shop, &format!("Job {k}"))?;
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

/// After a new build all plans wait for nobody; the one that somebody looks at goes first.
#[test]
fn who_looks_at_a_job_goes_first() {
    let base = Base::new();
    fill(&base, 9);
    let next = || base.db.act(|c| queue::claim(c, "w", None)).unwrap().unwrap();
    let first = next();
    base.db.act(|c| queue::looked_at(c, first.job_id + 7, 42)).unwrap();
    assert_eq!(next().job_id, first.job_id + 7);
    // A second one of that person's waits for its turn, and what runs is nobody's to take over.
    base.db.act(|c| queue::looked_at(c, first.job_id, 42)).unwrap();
    assert_eq!(next().job_id, first.job_id + 1);
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

/// A house that is closed and opened again and again in the middle of a plan has killed no worker.
#[test]
fn what_is_given_back_in_good_order_is_never_given_up() {
    let base = Base::new();
    fill(&base, 1);
    for k in 0..8 {
        let name = format!("w{k}");
        let t = base.db.act(|c| queue::claim(c, &name, None)).unwrap().expect("it waits again");
        assert!(base.db.act(|c| queue::end(c, t.id, &name, "queued", None)).unwrap());
    }
    // Workers that die over it are counted: the third is the last.
    for k in 0..3 {
        let name = format!("d{k}");
        assert!(base.db.act(|c| queue::claim(c, &name, None)).unwrap().is_some());
        base.db.act(|c| queue::give_back(c, &name)).unwrap();
    }
    assert_eq!(base.db.act(states).unwrap(), BTreeMap::from([("failed".to_string(), 1)]));
}

/// A stopped task whose worker then dies or falls silent is stopped, not taken up by another.
#[test]
fn what_was_stopped_is_never_taken_up_again() {
    let base = Base::new();
    fill(&base, 2);
    for dies in [true, false] {
        let t = base.db.act(|c| queue::claim(c, "w", None)).unwrap().unwrap();
        base.db.act(|c| queue::stop(c, t.job_id)).unwrap();
        if dies {
            base.db.act(|c| queue::give_back(c, "w")).unwrap();
        } else {
            let long_ago = now() - chrono::Duration::seconds(SILENT_S + 1);
            base.db
                .act(|c| {
                    diesel::update(tasks::table.find(t.id)).set(tasks::beat_at.eq(long_ago)).execute(c)?;
                    Ok(())
                })
                .unwrap();
            assert_eq!(base.db.act(|c| queue::claim(c, "other", None)).unwrap(), None);
        }
    }
    assert_eq!(base.db.act(states).unwrap(), BTreeMap::from([("stopped".to_string(), 2)]));
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
