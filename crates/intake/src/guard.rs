//! Reading an untrusted file in a child process with limits on memory, time and output.

use crate::out::{Export, export_here};
use crate::{Format, Model, Reading, read_here};
use kernel::Meshing;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::ffi::OsStr;
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
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
    Read {
        file: PathBuf,
        reading: Reading,
    },
    /// What to write lies in a file: a command line has not room for it.
    Write {
        errand: PathBuf,
    },
}

/// A task with its limits.
#[derive(Serialize, Deserialize)]
struct Errand {
    task: Task,
    chord_mm: f64,
    angle_rad: f64,
    memory_bytes: u64,
    cpu_seconds: u64,
}

/// Read `file` in a child: `reader` with `reader_args` and one argument more is started and must call [`reader_main`].
pub fn read_guarded<S: AsRef<OsStr>>(
    reader: &Path,
    reader_args: &[S],
    file: &Path,
    reading: &Reading,
    limits: &Limits,
) -> Result<Model, ReadError> {
    precheck(file, limits)?;
    ask(reader, reader_args, Task::Read { file: file.to_path_buf(), reading: reading.clone() }, limits)
}

/// Have a child write something.
pub(crate) fn send<S: AsRef<OsStr>>(
    reader: &Path,
    reader_args: &[S],
    what: &Export,
    limits: &Limits,
) -> Result<Vec<u8>, ReadError> {
    let failed = |e: String| ReadError::Reader(e);
    let bytes = postcard::to_stdvec(what).map_err(|e| failed(e.to_string()))?;
    let errand = tempfile::NamedTempFile::new().map_err(|e| failed(e.to_string()))?;
    std::fs::write(errand.path(), bytes).map_err(|e| failed(e.to_string()))?;
    ask(reader, reader_args, Task::Write { errand: errand.path().to_path_buf() }, limits)
}

fn ask<T: DeserializeOwned, S: AsRef<OsStr>>(
    reader: &Path,
    reader_args: &[S],
    task: Task,
    limits: &Limits,
) -> Result<T, ReadError> {
    let errand = Errand {
        task,
        chord_mm: limits.meshing.chord_mm,
        angle_rad: limits.meshing.angle_rad,
        memory_bytes: limits.memory_bytes,
        cpu_seconds: limits.cpu_seconds,
    };
    let errand = serde_json::to_string(&errand).map_err(|e| ReadError::Reader(e.to_string()))?;
    let mut child = Command::new(reader)
        .args(reader_args)
        .arg(errand)
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .map_err(|e| ReadError::Reader(e.to_string()))?;
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
    if !status.success() {
        return Err(ReadError::Stopped("it needs more time or memory than is allowed, or is damaged".into()));
    }
    match postcard::from_bytes::<Result<T, String>>(&bytes) {
        Ok(Ok(answer)) => Ok(answer),
        Ok(Err(why)) => Err(ReadError::Refused(why)),
        Err(_) => Err(ReadError::Stopped("its answer broke off".into())),
    }
}

fn set_limit(which: libc::__rlimit_resource_t, value: u64) {
    let limit = libc::rlimit { rlim_cur: value, rlim_max: value };
    // SAFETY: `setrlimit` only reads the struct it is given, which lives through the call.
    unsafe {
        libc::setrlimit(which, &limit);
    }
}

/// The child's side. Writes the answer to standard output and returns the exit code.
pub fn reader_main(args: &[String]) -> i32 {
    let [errand] = args else { return 64 };
    let Ok(e) = serde_json::from_str::<Errand>(errand) else { return 64 };
    set_limit(libc::RLIMIT_AS, e.memory_bytes);
    set_limit(libc::RLIMIT_CPU, e.cpu_seconds);
    set_limit(libc::RLIMIT_CORE, 0);
    let meshing = Meshing { chord_mm: e.chord_mm, angle_rad: e.angle_rad };
    let done = std::panic::catch_unwind(|| match &e.task {
        Task::Read { file, reading } => postcard::to_stdvec(&read_here(file, reading, &meshing)).ok(),
        Task::Write { errand } => {
            let what: Export = postcard::from_bytes(&std::fs::read(errand).ok()?).ok()?;
            postcard::to_stdvec(&export_here(&what, &meshing)).ok()
        }
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
