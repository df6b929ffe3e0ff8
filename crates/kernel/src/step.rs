//! Reading STEP in this very process.

use crate::bridge::ffi;
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

/// Read a STEP file: strictly, and if entities are faulty, leniently. The error is one plain sentence without a remedy.
///
/// A damaged file can end or hang the process: for files from outside use `intake`.
pub fn read_step(file: &Path, meshing: &Meshing) -> Result<RawModel, String> {
    let _turn = one_at_a_time();
    let path = file.to_string_lossy();
    let answer = match ffi::read_step(&path, meshing.chord_mm, meshing.angle_rad, false) {
        Err(e) if e.what().starts_with("STRICT ") => ffi::read_step(&path, meshing.chord_mm, meshing.angle_rad, true),
        other => other,
    };
    answer
        .map(|m| RawModel::from_ffi(m, format!("STEP{}", schema(file)), meshing.chord_mm))
        .map_err(|e| e.what().to_string())
}

/// The kernel's own read, mesh and volume (mm³) and nothing else: what a bench compares [`read_step`] with.
pub fn plain_read(file: &Path, meshing: &Meshing) -> Result<f64, String> {
    let _turn = one_at_a_time();
    ffi::plain_read(&file.to_string_lossy(), meshing.chord_mm, meshing.angle_rad).map_err(|e| e.what().to_string())
}

/// " AP214" by the schema's name in the header.
fn schema(file: &Path) -> &'static str {
    use std::io::Read;
    let mut head = vec![0; 64 << 10];
    let n = std::fs::File::open(file).and_then(|mut f| f.read(&mut head)).unwrap_or(0);
    let text = String::from_utf8_lossy(&head[..n]).to_uppercase();
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
