//! Workers are processes: they can be stopped, killed, and ended with the house, and no work is lost by it.

use crate::common::House;
use crate::common::person::{Person, peopled};
use serde_json::Value;
use server::demo::PASSWORD;
use std::process::Command;
use std::time::{Duration, Instant};

/// Workers that a process started.
fn children(pid: u32) -> Vec<u32> {
    crate::common::children(pid, "worker-hand").iter().filter_map(|l| l.parse().ok()).collect()
}

fn kill(pid: u32) {
    assert!(Command::new("kill").args(["-9", &pid.to_string()]).status().unwrap().success());
}

fn is_running(s: &Value) -> bool {
    s["card"]["work"]["kind"] == "running"
}

fn is_done(s: &Value) -> bool {
    s["card"]["work"]["kind"] == "done" && !s["card"]["summary"].is_null()
}

/// A stopped plan frees its worker within two seconds, and is never taken up again.
#[test]
fn a_stopped_plan_frees_its_worker() {
    let h = peopled(1);
    let ida = Person::of(&h, "ida", PASSWORD);
    let first = ida.job("worm-cover.step");
    ida.wait(first, "the first to run", is_running);
    let second = ida.job("spider-plate.step");
    let start = Instant::now();
    assert_eq!(ida.act(first, "stop").status(), 204);
    ida.wait(second, "the second to run", |s| is_running(s) || is_done(s));
    let took = start.elapsed();
    println!("after a stop the next plan runs in {took:?}");
    // A worker that had to be broken off is replaced first.
    assert!(took < Duration::from_millis(4500), "{took:?}");
    ida.wait(second, "the second to be done", is_done);
    assert_eq!(ida.state(first)["card"]["work"]["kind"], "stopped");
    assert_eq!(ida.act(first, "again").status(), 204);
    ida.wait(first, "the first to be done after all", is_done);
}

/// A worker that dies (out of memory, by hand) is replaced, and its plan goes on within ten seconds.
#[test]
fn a_killed_worker_loses_nothing() {
    let h = peopled(1);
    let ida = Person::of(&h, "ida", PASSWORD);
    let job = ida.job("worm-cover.step");
    ida.wait(job, "it to run", is_running);
    let before = children(h.pid());
    assert_eq!(before.len(), 3, "one for plans, one for parts, one that compares ways");
    before.iter().for_each(|p| kill(*p));
    let start = Instant::now();
    std::thread::sleep(Duration::from_millis(400));
    ida.wait(job, "it to run again", |s| is_running(s) || is_done(s));
    println!("after its worker was killed a plan runs again in {:?}", start.elapsed());
    assert!(start.elapsed() < Duration::from_secs(10), "{:?}", start.elapsed());
    ida.wait(job, "it to be done", is_done);
    let after = children(h.pid());
    assert!(after.len() == 3 && after.iter().all(|p| !before.contains(p)));
}

/// In the middle of a plan the house closes within ten seconds, its workers with it; the next house takes the plan up.
#[test]
fn a_closing_house_takes_its_workers_along_and_the_next_goes_on() {
    let mut h: House = peopled(1);
    let ida = Person::of(&h, "ida", PASSWORD);
    let job = ida.job("worm-cover.step");
    ida.wait(job, "it to run", is_running);
    let workers = children(h.pid());
    let took = h.end();
    println!("asked to end in the middle of a plan the house is closed in {took:?}");
    assert!(took < Duration::from_secs(10), "{took:?}");
    std::thread::sleep(Duration::from_millis(200));
    assert!(workers.iter().all(|p| !std::path::Path::new(&format!("/proc/{p}")).exists()), "{workers:?}");
    // Killed outright, it leaves its workers no house to work for either.
    let h = h.again(1);
    let ida = Person::of(&h, "ida", PASSWORD);
    ida.wait(job, "the next house to take it up", |s| is_running(s) || is_done(s));
    let workers = children(h.pid());
    kill(h.pid());
    let end = Instant::now() + Duration::from_secs(5);
    while workers.iter().any(|p| std::path::Path::new(&format!("/proc/{p}")).exists()) {
        assert!(Instant::now() < end, "workers outlive their house");
        std::thread::sleep(Duration::from_millis(50));
    }
    let h = h.again(1);
    Person::of(&h, "ida", PASSWORD).wait(job, "it to be done in the third", is_done);
}
