//! Reading STEP in this very process.

use crate::bridge::ffi::{self, Care};
use crate::model::RawModel;
use std::path::Path;
use std::sync::{Mutex, MutexGuard};

/// How finely surfaces are turned into triangles.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Meshing {
    /// Largest distance between mesh and surface, mm.
    pub chord_mm: f64,
    /// Largest turn between neighbouring chords, rad.
    pub angle_rad: f64,
}

impl Default for Meshing {
    fn default() -> Self {
        Meshing { chord_mm: 0.001, angle_rad: 0.2 }
    }
}

/// The kernel's STEP reader and writer share state: one use at a time in a process.
pub(crate) fn one_at_a_time() -> MutexGuard<'static, ()> {
    static LOCK: Mutex<()> = Mutex::new(());
    LOCK.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
}

/// Files larger than this are first read without the kernel's healing, bytes.
const LARGE: usize = 3 << 20;
/// A reading that took longer is not tried a second time.
const PATIENCE: std::time::Duration = std::time::Duration::from_secs(6);

/// Load what reading needs: a process that waits for a file does this beforehand.
pub fn warm_up() {
    let _turn = one_at_a_time();
    ffi::warm_up();
}

/// Read a STEP file: strictly, and if entities are faulty, leniently. The error is one plain sentence without a remedy.
///
/// A large file is first read without the kernel's healing, whose search for crossing edges grows with the square of a face's edges, and every
/// file is meshed by the quick triangulation. If then a face has no triangles, or the triangles enclose another volume than the surfaces,
/// it is read again with more care.
///
/// A damaged file can end or hang the process: for files from outside use `intake`.
pub fn read_step(file: &Path, meshing: &Meshing) -> Result<RawModel, String> {
    let bytes = std::fs::read(file).map_err(|e| format!("the file cannot be opened ({e})"))?;
    read_step_bytes(&bytes, meshing)
}

/// The same from the file's bytes: no file is opened.
pub fn read_step_bytes(bytes: &[u8], meshing: &Meshing) -> Result<RawModel, String> {
    let _turn = one_at_a_time();
    let read = |care: Care| {
        let once = |care| ffi::read_step(bytes, meshing.chord_mm, meshing.angle_rad, care);
        let answer = match once(care) {
            Err(e) if e.what().starts_with("STRICT ") => once(Care { lax: true, ..care }),
            other => other,
        };
        answer.map(|m| RawModel::from_ffi(m, format!("STEP{}", schema(bytes)))).map_err(|e| e.what().to_string())
    };
    let quick = Care { lax: false, heal: false, sturdy: false };
    if bytes.len() > LARGE
        && let Ok(m) = read(quick)
        && m.holds()
        && !m.edges.iter().any(|e| e.open)
    {
        return Ok(m);
    }
    let start = std::time::Instant::now();
    match read(Care { heal: true, ..quick }) {
        Ok(m) if !m.holds() && start.elapsed() < PATIENCE => read(Care { heal: true, sturdy: true, ..quick }),
        other => other,
    }
}

/// The kernel's own read, mesh and volume (mm³) and nothing else: what a bench compares [`read_step`] with.
pub fn plain_read(file: &Path, meshing: &Meshing) -> Result<f64, String> {
    let _turn = one_at_a_time();
    ffi::plain_read(&file.to_string_lossy(), meshing.chord_mm, meshing.angle_rad).map_err(|e| e.what().to_string())
}

/// " AP214" by the schema's name in the header.
fn schema(bytes: &[u8]) -> &'static str {
    let text = String::from_utf8_lossy(&bytes[..bytes.len().min(64 << 10)]).to_uppercase();
    let Some(at) = text.find("FILE_SCHEMA") else { return "" };
    let name = &text[at..];
    if name.contains("AP242") {
        " AP242"
    } else if name.contains("AUTOMOTIVE_DESIGN") || name.contains("AP214") {
        " AP214"
    } else if name.contains("CONFIG_CONTROL_DESIGN") || name.contains("AP203") {
        " AP203"
    } else {
        ""
    }
}
