//! The crew: worker processes, one task each. Whoever dies is replaced, and what it held waits again at once.

use crate::db::Db;
use crate::queue::{self, Kind};
use std::path::PathBuf;
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// The word with which this program starts itself as a worker.
pub const HAND_WORD: &str = "worker-hand";
/// So long a worker may take to give its task back when the house closes.
const CLOSING: Duration = Duration::from_secs(3);
/// A worker that dies sooner than this is not replaced at once.
const YOUNG: Duration = Duration::from_secs(2);

/// A place in the crew.
struct Hand {
    name: String,
    only: Option<Kind>,
    child: Option<Child>,
    since: Instant,
}

/// Worker processes to be started and kept.
pub struct Crew {
    /// Where the tasks are.
    pub db: Db,
    /// This program.
    pub program: PathBuf,
    /// How many work on plans. One more only recognises parts, so that nobody at a screen waits for another's plan; one
    /// compares ways and tries faults, behind all others.
    pub plans: usize,
}

fn kinds(only: Option<Kind>) -> &'static str {
    match only {
        Some(Kind::Part) => "part",
        Some(Kind::Compare | Kind::WhatIf) => "compare",
        Some(Kind::Plan | Kind::Round) | None => "all",
    }
}

/// What a worker is started for, from its argument.
pub fn kind_of(word: &str) -> Option<Kind> {
    match word {
        "part" => Some(Kind::Part),
        "compare" => Some(Kind::Compare),
        _ => None,
    }
}

/// Step back: whoever else wants the processor has it.
pub fn step_back() {
    const BACK: libc::c_int = 15;
    // SAFETY: no memory is touched.
    unsafe { libc::setpriority(libc::PRIO_PROCESS, 0, BACK) };
}

impl Crew {
    fn start(&self, h: &mut Hand) {
        h.name = format!("{}-{:08x}", std::process::id(), rand::random::<u32>());
        h.since = Instant::now();
        let mut command = Command::new(&self.program);
        command.args([HAND_WORD, &h.name, kinds(h.only)]).stdin(Stdio::null()).stdout(Stdio::null());
        if h.only == Some(Kind::Compare) {
            // One thread of the pool: it works when nobody else does, and leaves the memory's bandwidth to them.
            command.env("RAYON_NUM_THREADS", "1");
        }
        match command.spawn() {
            Ok(c) => h.child = Some(c),
            Err(e) => tracing::error!("a worker could not be started: {e}"),
        }
    }

    fn bury(&self, h: &mut Hand) {
        h.child = None;
        if let Err(e) = self.db.act(|c| queue::give_back(c, &h.name)) {
            tracing::error!("what {} held could not be given back: {e:?}", h.name);
        }
    }

    /// Keep the crew until told to stop; then each gives its task back, or is killed.
    pub fn keep(&self, stop: &AtomicBool) {
        let one = |only| Hand { name: String::new(), only, child: None, since: Instant::now() - YOUNG };
        let mut hands = vec![one(Some(Kind::Part)), one(Some(Kind::Compare))];
        hands.extend((0..self.plans).map(|_| one(None)));
        while !stop.load(Ordering::Relaxed) {
            for h in &mut hands {
                if h.child.as_mut().is_some_and(|c| !matches!(c.try_wait(), Ok(None))) {
                    self.bury(h);
                }
                if h.child.is_none() && h.since.elapsed() >= YOUNG {
                    self.start(h);
                }
            }
            std::thread::sleep(Duration::from_millis(100));
        }
        let end = Instant::now() + CLOSING;
        for c in hands.iter().filter_map(|h| h.child.as_ref()) {
            signal(c);
        }
        for h in &mut hands {
            let Some(c) = &mut h.child else { continue };
            while matches!(c.try_wait(), Ok(None)) && Instant::now() < end {
                std::thread::sleep(Duration::from_millis(30));
            }
            if matches!(c.try_wait(), Ok(None)) {
                let _ = c.kill();
            }
            let _ = c.wait();
            self.bury(h);
        }
    }
}

/// Ask a process to end.
fn signal(c: &Child) {
    // SAFETY: a signal to a child that has not been waited for; its number cannot belong to another yet.
    unsafe { libc::kill(c.id() as libc::pid_t, libc::SIGTERM) };
}

/// A worker ends with the process that started it, however that ends. Its name begins with that one's number: it may have ended before it could be
/// tied to it.
pub fn end_with_parent(name: &str) {
    // SAFETY: no memory is touched.
    unsafe { libc::prctl(libc::PR_SET_PDEATHSIG, libc::SIGTERM) };
    let parent: Option<u32> = name.split('-').next().and_then(|p| p.parse().ok());
    if parent.is_some_and(|p| p != std::os::unix::process::parent_id()) {
        std::process::exit(0);
    }
}

/// At most so much memory, bytes: what goes beyond ends the worker, not the machine.
pub fn limit_memory(bytes: u64) {
    let limit = libc::rlimit { rlim_cur: bytes, rlim_max: bytes };
    // SAFETY: `limit` is a whole struct that lives over the call.
    unsafe { libc::setrlimit(libc::RLIMIT_AS, &raw const limit) };
}
