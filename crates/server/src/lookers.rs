//! Processes that compute what somebody at a screen waits for. Each is warm (it keeps the last parts at hand), has one ask at a time, and is killed
//! when it takes too long; the next ask starts another. They are asked by pipes: a head as JSON, then bytes.

use crate::db::Db;
use crate::fault::Fault;
use crate::look::{Ask, Looker};
use crate::people::Me;
use std::collections::BTreeSet;
use std::io::{self, Read, Write};
use std::os::fd::AsRawFd;
use std::path::{Path, PathBuf};
use std::process::{Child, ChildStdin, ChildStdout, Command, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

/// The word with which this program starts itself as one that looks.
pub const LOOK_WORD: &str = "looker-hand";
/// Memory of one, bytes.
pub const MEMORY: u64 = 4 << 30;

type Head = (i64, i64, Ask);
type Answer = Result<(), (u16, String, String)>;

fn send(to: &mut impl Write, head: &[u8], more: &[u8]) -> io::Result<()> {
    to.write_all(&(head.len() as u64).to_le_bytes())?;
    to.write_all(&(more.len() as u64).to_le_bytes())?;
    to.write_all(head)?;
    to.write_all(more)?;
    to.flush()
}

fn receive(from: &mut impl Read) -> io::Result<(Vec<u8>, Vec<u8>)> {
    let mut lengths = [0; 16];
    from.read_exact(&mut lengths)?;
    let length = |k: usize| u64::from_le_bytes(lengths[k..k + 8].try_into().unwrap_or_default());
    let mut read = |n: u64| {
        let mut all = Vec::new();
        from.take(n).read_to_end(&mut all)?;
        if all.len() as u64 == n { Ok(all) } else { Err(io::Error::from(io::ErrorKind::UnexpectedEof)) }
    };
    Ok((read(length(0))?, read(length(8))?))
}

/// The looker's side: look until nobody asks any more.
pub fn look_on(db: &Db, reader: &Path) {
    let (mut asks, mut answers) = (io::stdin().lock(), io::stdout().lock());
    let mut looker = Looker::new(db, reader);
    while let Ok((head, more)) = receive(&mut asks) {
        let done = match serde_json::from_slice::<Head>(&head) {
            Ok((id, shop_id, ask)) => {
                // Whoever asked may be gone, and with it who would kill this process: then the system does.
                // SAFETY: a plain call.
                unsafe { libc::alarm(ask.longest_s() + 10) };
                let me =
                    Me { id, name: String::new(), owner: false, shop_id, shop: String::new(), units: String::new() };
                let done = looker.look(&me, &ask, more);
                // SAFETY: as above.
                unsafe { libc::alarm(0) };
                done
            }
            Err(e) => Err(Fault::internal(e.to_string())),
        };
        let (answer, bytes): (Answer, Vec<u8>) = match done {
            Ok(bytes) => (Ok(()), bytes),
            Err(f) => (Err(f.told()), Vec::new()),
        };
        let Ok(head) = serde_json::to_vec(&answer) else { return };
        if send(&mut answers, &head, &bytes).is_err() {
            return;
        }
    }
}

struct Hand {
    child: Child,
    stdin: ChildStdin,
    stdout: ChildStdout,
}

impl Drop for Hand {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// All that there are.
#[derive(Default)]
pub struct Lookers {
    program: PathBuf,
    idle: Mutex<Vec<Hand>>,
    alive: Mutex<BTreeSet<u32>>,
    closed: AtomicBool,
}

fn held<T>(m: &Mutex<T>) -> MutexGuard<'_, T> {
    m.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Lookers {
    /// None yet; they are started when they are needed.
    pub fn new(program: &Path) -> Lookers {
        Lookers { program: program.to_path_buf(), ..Lookers::default() }
    }

    fn start(&self) -> io::Result<Hand> {
        // Under this lock: whoever is started is known to whoever closes.
        let mut alive = held(&self.alive);
        if self.closed.load(Ordering::Relaxed) {
            return Err(io::Error::other("the house closes"));
        }
        let mut child =
            Command::new(&self.program).arg(LOOK_WORD).stdin(Stdio::piped()).stdout(Stdio::piped()).spawn()?;
        let (Some(stdin), Some(stdout)) = (child.stdin.take(), child.stdout.take()) else {
            return Err(io::Error::other("no pipes"));
        };
        alive.insert(child.id());
        Ok(Hand { child, stdin, stdout })
    }

    /// Ask, and wait for the answer: on a thread that may. Whoever dies over it is replaced once.
    pub fn ask(&self, me: &Me, ask: &Ask, more: &[u8]) -> Result<Vec<u8>, Fault> {
        let head = serde_json::to_vec(&(me.id, me.shop_id, ask)).map_err(|e| Fault::internal(e.to_string()))?;
        let end = Instant::now() + Duration::from_secs(ask.longest_s().into());
        let mut again = true;
        loop {
            let idle = held(&self.idle).pop();
            let mut hand = match idle {
                Some(h) => h,
                None => self.start().map_err(|e| Fault::internal(format!("a looker: {e}")))?,
            };
            let got = send(&mut hand.stdin, &head, more).and_then(|()| {
                wait(&hand.stdout, end)?;
                receive(&mut hand.stdout)
            });
            let why = match got {
                Ok((head, bytes)) => {
                    held(&self.idle).push(hand);
                    let answer: Answer = serde_json::from_slice(&head).map_err(|e| Fault::internal(e.to_string()))?;
                    return answer.map(|()| bytes).map_err(|(status, code, why)| Fault::passed(status, code, why));
                }
                Err(e) => e,
            };
            self.bury(hand);
            if why.kind() == io::ErrorKind::TimedOut {
                return Err(Fault::Model(
                    "It takes too long to work this out and was broken off; take a simpler model, or a shorter program"
                        .into(),
                ));
            }
            tracing::warn!("a looker died: {why}");
            if !std::mem::take(&mut again) {
                return Err(Fault::Model(
                    "This needs more memory than is allowed; take a simpler model, or a shorter program".into(),
                ));
            }
        }
    }

    fn bury(&self, hand: Hand) {
        held(&self.alive).remove(&hand.child.id());
        drop(hand);
    }

    /// The house closes: whoever still looks is ended.
    pub fn close(&self) {
        self.closed.store(true, Ordering::Relaxed);
        let idle = std::mem::take(&mut *held(&self.idle));
        idle.into_iter().for_each(|h| self.bury(h));
        for pid in held(&self.alive).iter() {
            // SAFETY: a signal to children that were not waited for: they are taken off this list, under its lock, before they are.
            unsafe { libc::kill(*pid as libc::pid_t, libc::SIGKILL) };
        }
    }
}

/// Wait until something comes, or it is over.
fn wait(from: &ChildStdout, end: Instant) -> io::Result<()> {
    loop {
        let left = end.saturating_duration_since(Instant::now()).as_millis().min(1 << 20) as i32;
        let mut p = libc::pollfd { fd: from.as_raw_fd(), events: libc::POLLIN, revents: 0 };
        // SAFETY: one struct that lives over the call.
        match unsafe { libc::poll(&raw mut p, 1, left) } {
            1.. => return Ok(()),
            0 if left == 0 => return Err(io::ErrorKind::TimedOut.into()),
            0 => {}
            _ => {
                let e = io::Error::last_os_error();
                if e.kind() != io::ErrorKind::Interrupted {
                    return Err(e);
                }
            }
        }
    }
}
