//! Reading an untrusted file in a child process with limits on memory, time and output.

use crate::bridge::ffi;
use crate::model::RawModel;
use std::ffi::OsStr;
use std::io::{Read, Write};
use std::path::Path;
use std::process::{Command, Stdio};
use std::sync::{Mutex, MutexGuard};
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
    /// Largest distance between mesh and surface, mm.
    pub chord_mm: f64,
    /// Largest turn between neighbouring chords, rad.
    pub angle_rad: f64,
}

impl Default for Limits {
    fn default() -> Self {
        Limits {
            file_bytes: 60 << 20,
            memory_bytes: 2 << 30,
            cpu_seconds: 30,
            wall: Duration::from_secs(60),
            output_bytes: 512 << 20,
            chord_mm: 0.001,
            angle_rad: 0.2,
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
    /// No STEP header.
    #[error(
        "this is not a STEP file (it does not begin with ISO-10303-21); export the part as STEP, AP203, AP214 or AP242"
    )]
    NotStep,
    /// The end of the file is missing.
    #[error("the STEP file is cut off (END-ISO-10303-21 is missing); copy or export it again")]
    CutOff,
    /// The kernel refused.
    #[error("the STEP file could not be read: {0}; open it where it was made and export it again")]
    Refused(String),
    /// The child died or ran over a limit.
    #[error("reading the STEP file was stopped: {0}; export the part again with fewer or simpler faces")]
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
    let head = &bytes[..bytes.len().min(4096)];
    let find = |hay: &[u8], needle: &[u8]| hay.windows(needle.len()).any(|w| w == needle);
    if !find(head, b"ISO-10303-21") {
        return Err(ReadError::NotStep);
    }
    let tail = &bytes[bytes.len().saturating_sub(4096)..];
    if !find(tail, b"END-ISO-10303-21") {
        return Err(ReadError::CutOff);
    }
    Ok(())
}

/// Read `file` in a child: `reader` with `reader_args`, the file, the chord and the angle is started and must call
/// [`reader_main`]. The strict reading is tried first, then the lax one (the child does both).
pub fn read_guarded<S: AsRef<OsStr>>(
    reader: &Path,
    reader_args: &[S],
    file: &Path,
    limits: &Limits,
) -> Result<RawModel, ReadError> {
    precheck(file, limits)?;
    let mut child = Command::new(reader)
        .args(reader_args)
        .arg(file)
        .arg(format!("{}", limits.chord_mm))
        .arg(format!("{}", limits.angle_rad))
        .arg(format!("{}", limits.memory_bytes))
        .arg(format!("{}", limits.cpu_seconds))
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
    match postcard::from_bytes::<Result<RawModel, String>>(&bytes) {
        Ok(Ok(model)) => Ok(model),
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

/// The kernel's STEP reader and writer share state: one use at a time in a process.
pub(crate) fn one_at_a_time() -> MutexGuard<'static, ()> {
    static LOCK: Mutex<()> = Mutex::new(());
    LOCK.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
}

/// Read a file that we made ourselves in this very process (demo parts, tests). Readings exclude one another: the kernel's
/// reader is not safe to run twice at once. Never use it for a file from outside.
pub fn read_trusted(file: &Path, limits: &Limits) -> Result<RawModel, ReadError> {
    let _turn = one_at_a_time();
    precheck(file, limits)?;
    ffi::read_step(&file.to_string_lossy(), limits.chord_mm, limits.angle_rad, true)
        .map(|m| RawModel::from_ffi(m, limits.chord_mm))
        .map_err(|e| ReadError::Refused(e.what().to_string()))
}

/// The child's side: arguments are file, chord (mm), angle (rad), memory (bytes), processor seconds. Writes the answer to
/// standard output and returns the exit code.
pub fn reader_main(args: &[String]) -> i32 {
    let [file, chord, angle, memory, cpu] = args else { return 64 };
    let (Ok(chord), Ok(angle), Ok(memory), Ok(cpu)) =
        (chord.parse::<f64>(), angle.parse::<f64>(), memory.parse(), cpu.parse())
    else {
        return 64;
    };
    set_limit(libc::RLIMIT_AS, memory);
    set_limit(libc::RLIMIT_CPU, cpu);
    set_limit(libc::RLIMIT_CORE, 0);
    let answer = match ffi::read_step(file, chord, angle, false) {
        Err(e) if e.what().starts_with("STRICT ") => ffi::read_step(file, chord, angle, true),
        other => other,
    };
    let answer = answer.map(|m| RawModel::from_ffi(m, chord)).map_err(|e| e.what().to_string());
    let Ok(bytes) = postcard::to_stdvec(&answer) else { return 70 };
    let mut out = std::io::stdout().lock();
    if out.write_all(&bytes).and_then(|()| out.flush()).is_err() { 74 } else { 0 }
}
