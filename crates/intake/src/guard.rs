//! Reading an untrusted file in a child process with limits on memory, time and output.

use crate::out::{Export, export_here};
use crate::sandbox::{self, Probe};
use crate::{Format, Model, Reading, read_bytes, read_here};
use kernel::Meshing;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::ffi::{OsStr, OsString};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

/// What a reading may use. The defaults are those that were measured to suffice for ordinary parts with a wide margin.
#[derive(Debug, Clone, Copy)]
pub struct Limits {
    /// Largest file, bytes.
    pub file_bytes: u64,
    /// Address space of the child, bytes.
    pub memory_bytes: u64,
    /// Processor seconds.
    pub cpu_seconds: u64,
    /// Seconds on the wall.
    pub wall: Duration,
    /// Largest answer, bytes.
    pub output_bytes: u64,
    /// How finely surfaces become triangles.
    pub meshing: Meshing,
}

impl Default for Limits {
    fn default() -> Self {
        Limits {
            file_bytes: 60 << 20,
            memory_bytes: 2 << 30,
            cpu_seconds: 30,
            wall: Duration::from_secs(60),
            output_bytes: 512 << 20,
            meshing: Meshing::default(),
        }
    }
}

/// Why a file gave no model. Each message is one sentence that says what to do.
#[derive(Debug, thiserror::Error)]
pub enum ReadError {
    /// The file itself could not be opened.
    #[error("{path} cannot be opened ({why}); check the name and the permissions")]
    Open {
        /// The path as given.
        path: String,
        /// The system's reason.
        why: String,
    },
    /// Nothing in it.
    #[error("the file is empty; export the part again as STEP")]
    Empty,
    /// Too large.
    #[error(
        "the file has {mb} MB, more than the {limit} MB that are read; export the one part alone, without its assembly"
    )]
    TooLarge {
        /// Its size.
        mb: u64,
        /// The limit.
        limit: u64,
    },
    /// No format that is read here.
    #[error("{0}")]
    Unknown(&'static str),
    /// The end of the file is missing.
    #[error("the {0} file is cut off (its end is missing); copy or export it again")]
    CutOff(Format),
    /// The reader refused; a whole sentence.
    #[error("{0}")]
    Refused(String),
    /// The child died or ran over a limit.
    #[error("reading the file was stopped: {0}; export the part again with fewer or simpler faces")]
    Stopped(String),
    /// The reader itself could not be started.
    #[error("the reader could not be started ({0}); reinstall Gold Chip")]
    Reader(String),
}

/// First checks that need no kernel.
fn precheck(file: &Path, limits: &Limits) -> Result<(), ReadError> {
    let open = |e: std::io::Error| ReadError::Open { path: file.display().to_string(), why: e.to_string() };
    let meta = std::fs::metadata(file).map_err(open)?;
    if !meta.is_file() {
        return Err(ReadError::Open { path: file.display().to_string(), why: "not a file".into() });
    }
    if meta.len() == 0 {
        return Err(ReadError::Empty);
    }
    if meta.len() > limits.file_bytes {
        return Err(ReadError::TooLarge { mb: meta.len() >> 20, limit: limits.file_bytes >> 20 });
    }
    let bytes = std::fs::read(file).map_err(open)?;
    match Format::of(&bytes) {
        Err(why) => Err(ReadError::Unknown(why)),
        Ok(f @ Format::Step) => {
            let tail = &bytes[bytes.len().saturating_sub(4096)..];
            let end = b"END-ISO-10303-21";
            if tail.windows(end.len()).any(|w| w == end) { Ok(()) } else { Err(ReadError::CutOff(f)) }
        }
        Ok(_) => Ok(()),
    }
}

/// What the child is to do.
#[derive(Serialize, Deserialize)]
enum Task {
    /// The file's bytes follow the errand.
    Read { reading: Reading },
    /// What to write follows the errand.
    Write,
    /// Say what could be done in here.
    Probe,
}

/// Exit code of a reader that could not shut itself in: it reads nothing then.
const NO_SANDBOX: i32 = 71;

/// A task with its limits.
#[derive(Serialize, Deserialize)]
struct Errand {
    task: Task,
    chord_mm: f64,
    angle_rad: f64,
    memory_bytes: u64,
    cpu_seconds: u64,
    /// Bytes that follow, at most.
    input_bytes: u64,
}

/// A reader and its arguments.
type Program = (PathBuf, Vec<OsString>);

/// A child that has loaded the kernel and waits for its one errand.
struct Spare {
    program: Program,
    /// None while none waits.
    child: Option<Child>,
}

fn spare() -> MutexGuard<'static, Option<Spare>> {
    static SPARE: Mutex<Option<Spare>> = Mutex::new(None);
    SPARE.lock().unwrap_or_else(PoisonError::into_inner)
}

fn start(program: &Program) -> std::io::Result<Child> {
    // It knows nothing of where it runs: no environment, and no other descriptor than its three pipes (it closes the rest itself).
    let mut command = Command::new(&program.0);
    command.args(&program.1).env_clear().current_dir("/");
    command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::null()).spawn()
}

/// From now on keep one reader started, which waits for the next file: most of the time of a small file is the start of its reader. Each
/// still reads one file only. It ends by itself when this process does.
pub fn keep_ready<S: AsRef<OsStr>>(reader: &Path, reader_args: &[S]) {
    let program = program(reader, reader_args);
    let child = start(&program).ok();
    if let Some(Spare { child: Some(mut old), .. }) = spare().replace(Spare { program, child }) {
        let _ = old.kill();
        let _ = old.wait();
    }
}

fn program<S: AsRef<OsStr>>(reader: &Path, reader_args: &[S]) -> Program {
    (reader.to_path_buf(), reader_args.iter().map(|a| a.as_ref().to_os_string()).collect())
}

/// The waiting reader if there is one and it lives; else a new one.
fn reader_for(program: &Program) -> std::io::Result<Child> {
    let waiting = match spare().as_mut() {
        Some(s) if s.program == *program => s.child.take(),
        _ => None,
    };
    if let Some(mut child) = waiting
        && matches!(child.try_wait(), Ok(None))
    {
        return Ok(child);
    }
    start(program)
}

/// Start the next one, if one is to be kept.
fn refill(program: &Program) {
    if let Some(s) = spare().as_mut()
        && s.program == *program
        && s.child.is_none()
    {
        s.child = start(program).ok();
    }
}

/// Read `file` in a child: `reader` with `reader_args` is started and must call [`reader_main`].
pub fn read_guarded<S: AsRef<OsStr>>(
    reader: &Path,
    reader_args: &[S],
    file: &Path,
    reading: &Reading,
    limits: &Limits,
) -> Result<Model, ReadError> {
    precheck(file, limits)?;
    let bytes =
        std::fs::read(file).map_err(|e| ReadError::Open { path: file.display().to_string(), why: e.to_string() })?;
    ask(reader, reader_args, Task::Read { reading: reading.clone() }, bytes, limits)
}

/// What a reader finds when it tries to do what it must not: for tests, and for whoever wants to know.
pub fn probe<S: AsRef<OsStr>>(reader: &Path, reader_args: &[S]) -> Result<Probe, ReadError> {
    ask(reader, reader_args, Task::Probe, Vec::new(), &Limits::default())
}

/// Have a child write something.
pub(crate) fn send<S: AsRef<OsStr>>(
    reader: &Path,
    reader_args: &[S],
    what: &Export,
    limits: &Limits,
) -> Result<Vec<u8>, ReadError> {
    let bytes = postcard::to_stdvec(what).map_err(|e| ReadError::Reader(e.to_string()))?;
    ask(reader, reader_args, Task::Write, bytes, limits)
}

fn ask<T: DeserializeOwned, S: AsRef<OsStr>>(
    reader: &Path,
    reader_args: &[S],
    task: Task,
    input: Vec<u8>,
    limits: &Limits,
) -> Result<T, ReadError> {
    let errand = Errand {
        task,
        chord_mm: limits.meshing.chord_mm,
        angle_rad: limits.meshing.angle_rad,
        memory_bytes: limits.memory_bytes,
        cpu_seconds: limits.cpu_seconds,
        input_bytes: input.len() as u64,
    };
    let failed = |e: String| ReadError::Reader(e);
    let errand = serde_json::to_vec(&errand).map_err(|e| failed(e.to_string()))?;
    let program = program(reader, reader_args);
    let mut child = reader_for(&program).map_err(|e| failed(e.to_string()))?;
    // Handed over beside the clock: a reader that takes nothing is found out by it, one that is gone already by its exit.
    let handing = child.stdin.take().map(|mut stdin| {
        std::thread::spawn(move || {
            let length = (errand.len() as u64).to_le_bytes();
            let _ =
                stdin.write_all(&length).and_then(|()| stdin.write_all(&errand)).and_then(|()| stdin.write_all(&input));
        })
    });
    let answer = answer_of(child, limits);
    if let Some(h) = handing {
        let _ = h.join();
    }
    refill(&program);
    answer
}

fn answer_of<T: DeserializeOwned>(mut child: Child, limits: &Limits) -> Result<T, ReadError> {
    let stdout = child.stdout.take().ok_or_else(|| ReadError::Reader("no output pipe".into()))?;
    let cap = limits.output_bytes;
    let reading = std::thread::spawn(move || {
        let mut bytes = Vec::new();
        let done = stdout.take(cap + 1).read_to_end(&mut bytes);
        done.map(|_| bytes)
    });
    let start = Instant::now();
    let status = loop {
        match child.try_wait() {
            Ok(Some(status)) => break Some(status),
            Ok(None) if start.elapsed() > limits.wall => {
                let _ = child.kill();
                let _ = child.wait();
                break None;
            }
            Ok(None) => std::thread::sleep(Duration::from_millis(3)),
            Err(e) => return Err(ReadError::Reader(e.to_string())),
        }
    };
    let bytes = match reading.join() {
        Ok(Ok(bytes)) => bytes,
        _ => return Err(ReadError::Stopped("its answer broke off".into())),
    };
    let Some(status) = status else {
        return Err(ReadError::Stopped(format!("it took longer than {} s", limits.wall.as_secs())));
    };
    if bytes.len() as u64 > cap {
        return Err(ReadError::Stopped("the geometry is too large".into()));
    }
    if status.code() == Some(NO_SANDBOX) {
        return Err(ReadError::Reader("this system lets it not be shut in (seccomp)".into()));
    }
    if !status.success() {
        return Err(ReadError::Stopped("it needs more time or memory than is allowed, or is damaged".into()));
    }
    match postcard::from_bytes::<Result<T, String>>(&bytes) {
        Ok(Ok(answer)) => Ok(answer),
        Ok(Err(why)) => Err(ReadError::Refused(why)),
        Err(_) => Err(ReadError::Stopped("its answer broke off".into())),
    }
}

/// Processor seconds that this process used, rounded up.
fn used_seconds() -> u64 {
    // SAFETY: `getrusage` fills the struct it is given, which lives through the call; all bytes zero are a valid value of it.
    let usage = unsafe {
        let mut usage: libc::rusage = std::mem::zeroed();
        libc::getrusage(libc::RUSAGE_SELF, &raw mut usage);
        usage
    };
    (usage.ru_utime.tv_sec + usage.ru_stime.tv_sec).max(0) as u64 + 1
}

fn set_limit(which: libc::__rlimit_resource_t, value: u64) {
    let limit = libc::rlimit { rlim_cur: value, rlim_max: value };
    // SAFETY: `setrlimit` only reads the struct it is given, which lives through the call.
    unsafe {
        libc::setrlimit(which, &limit);
    }
}

/// The child's side: takes its errand and its input from standard input, shuts itself in, writes the answer to standard output and returns the exit
/// code.
pub fn reader_main() -> i32 {
    sandbox::close_others();
    kernel::warm_up();
    let mut stdin = std::io::stdin().lock();
    let mut length = [0; 8];
    // Nobody came: whoever started this reader has ended.
    if stdin.read_exact(&mut length).is_err() {
        return 0;
    }
    let mut errand = Vec::new();
    let length = u64::from_le_bytes(length);
    if length > 1 << 20 || stdin.by_ref().take(length).read_to_end(&mut errand).is_err() {
        return 64;
    }
    let Ok(e) = serde_json::from_slice::<Errand>(&errand) else { return 64 };
    set_limit(libc::RLIMIT_AS, e.memory_bytes);
    set_limit(libc::RLIMIT_CPU, used_seconds() + e.cpu_seconds);
    set_limit(libc::RLIMIT_CORE, 0);
    let mut input = Vec::new();
    if stdin.by_ref().take(e.input_bytes).read_to_end(&mut input).is_err() || input.len() as u64 != e.input_bytes {
        return 64;
    }
    if sandbox::shut_in().is_err() {
        return NO_SANDBOX;
    }
    let meshing = Meshing { chord_mm: e.chord_mm, angle_rad: e.angle_rad };
    let done = std::panic::catch_unwind(|| match &e.task {
        Task::Read { reading } => postcard::to_stdvec(&read_bytes(&input, reading, &meshing)).ok(),
        Task::Write => {
            let what: Export = postcard::from_bytes(&input).ok()?;
            postcard::to_stdvec(&export_here(&what, &meshing)).ok()
        }
        Task::Probe => postcard::to_stdvec(&Ok::<_, String>(sandbox::probe())).ok(),
    });
    let Ok(Some(bytes)) = done else { return 70 };
    let mut out = std::io::stdout().lock();
    if out.write_all(&bytes).and_then(|()| out.flush()).is_err() { 74 } else { 0 }
}

/// Read a file that we made ourselves in this very process (demo parts, tests). Never use it for a file from outside.
pub fn read_trusted(file: &Path) -> Result<Model, ReadError> {
    let limits = Limits::default();
    precheck(file, &limits)?;
    read_here(file, &Reading::default(), &limits.meshing).map_err(ReadError::Refused)
}
