//! Results of stages under the hash of what they came from, with progress and a token to stop.
//!
//! A key covers the core's sources, the lock file and the kernel (the build), the stage and everything that goes into it; so an edit computes anew
//! only what it touches, and undo finds what was there before.

use crate::error::JobError;
use reason::Watch;
use serde::Serialize;
use serde::de::DeserializeOwned;
use sha2::{Digest, Sha256};
use std::collections::HashMap;
use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Mutex, PoisonError};

/// Hash of the core's sources, the lock file and the kernel's version, taken when this was built.
pub const BUILD: &str = env!("GOLDCHIP_BUILD");

/// Where results are kept. A result may be lost at any time: it is computed again.
pub trait Cache: Sync {
    /// What was put under this key, if it is still there.
    fn get(&self, key: &str) -> Option<Vec<u8>>;
    /// Keep it, or not.
    fn put(&self, key: &str, value: &[u8]);
}

/// Keeps nothing.
pub struct NoCache;

impl Cache for NoCache {
    fn get(&self, _: &str) -> Option<Vec<u8>> {
        None
    }
    fn put(&self, _: &str, _: &[u8]) {}
}

/// Keeps all, as long as the process runs.
#[derive(Default)]
pub struct Memory(Mutex<HashMap<String, Vec<u8>>>);

impl Cache for Memory {
    fn get(&self, key: &str) -> Option<Vec<u8>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).get(key).cloned()
    }
    fn put(&self, key: &str, value: &[u8]) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).insert(key.into(), value.into());
    }
}

/// Keeps all as files of a folder that several processes may share. A result is written beside and then moved there, so none is read in part.
pub struct Folder(pub PathBuf);

impl Folder {
    /// A key as the name of a file: what is no letter or digit in it could lead elsewhere.
    fn file(&self, key: &str) -> PathBuf {
        let name: String = key.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
        self.0.join(name)
    }
}

impl Cache for Folder {
    fn get(&self, key: &str) -> Option<Vec<u8>> {
        std::fs::read(self.file(key)).ok()
    }
    fn put(&self, key: &str, value: &[u8]) {
        static COUNT: AtomicU64 = AtomicU64::new(0);
        let n = COUNT.fetch_add(1, Ordering::Relaxed);
        let beside = self.0.join(format!("new.{}.{n}", std::process::id()));
        // Where it cannot be kept it is computed again.
        let kept = std::fs::create_dir_all(&self.0).and_then(|()| std::fs::write(&beside, value));
        if kept.and_then(|()| std::fs::rename(&beside, self.file(key))).is_err() {
            let _ = std::fs::remove_file(&beside);
        }
    }
}

/// The place at which a chain of stages is worked.
pub struct Desk<'a> {
    /// Hash of the model as it was read, answers about its reading included; results are only kept when it is given.
    pub model: String,
    /// Kept results.
    pub cache: &'a dyn Cache,
    /// Set to stop.
    pub stop: &'a AtomicBool,
    /// Hears the stage and the share of it that is done.
    pub heard: &'a (dyn Fn(&'static str, f64) + Sync),
}

static NEVER: AtomicBool = AtomicBool::new(false);

impl<'a> Desk<'a> {
    /// With what is kept of a model, nobody watching.
    pub fn keeping(model: &str, cache: &'a dyn Cache) -> Desk<'a> {
        Desk { model: model.into(), cache, stop: &NEVER, heard: &|_, _| {} }
    }
}

impl Desk<'static> {
    /// Nothing kept, nobody watching.
    pub fn bare() -> Desk<'static> {
        Desk { model: String::new(), cache: &NoCache, stop: &NEVER, heard: &|_, _| {} }
    }
}

impl Desk<'_> {
    /// Tell of progress; an error when the work is to stop.
    pub fn tell(&self, stage: &'static str, share: f64) -> Result<(), JobError> {
        (self.heard)(stage, share);
        if self.stop.load(Ordering::Relaxed) { Err(JobError::Stopped) } else { Ok(()) }
    }
}

/// A key in the making.
pub struct StageKey(Sha256);

impl StageKey {
    /// For a stage.
    pub fn new(stage: &str) -> StageKey {
        let mut h = Sha256::new();
        h.update(BUILD);
        h.update([0]);
        h.update(stage);
        StageKey(h)
    }
    /// It depends on this too. Two values never run into one another: lengths are hashed.
    pub fn with<T: Serialize>(mut self, v: &T) -> StageKey {
        let bytes = rmp_serde::to_vec_named(v).unwrap_or_default();
        self.0.update((bytes.len() as u64).to_le_bytes());
        self.0.update(&bytes);
        self
    }
    /// The key in hexadecimal.
    pub fn done(self) -> String {
        hex(&self.0.finalize())
    }
}

/// Bytes in hexadecimal.
pub fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}

/// A stage's result: kept, or worked out and kept. Both pass through the same bytes, so that it makes no difference which.
pub fn cached<T: Serialize + DeserializeOwned>(
    desk: &Desk,
    key: &str,
    stage: &'static str,
    work: impl FnOnce(&Watch) -> T,
) -> Result<T, JobError> {
    desk.tell(stage, 0.0)?;
    let keep = !desk.model.is_empty();
    if keep && let Some(v) = desk.cache.get(key).and_then(|b| rmp_serde::from_slice(&b).ok()) {
        return Ok(v);
    }
    let heard = |share: f64| (desk.heard)(stage, share);
    let v = work(&Watch::new(desk.stop, &heard));
    desk.tell(stage, 1.0)?;
    let Ok(bytes) = rmp_serde::to_vec_named(&v) else { return Ok(v) };
    if keep {
        desk.cache.put(key, &bytes);
    }
    Ok(rmp_serde::from_slice(&bytes).unwrap_or(v))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_stage_is_worked_once_and_a_stopped_one_is_not_kept() {
        let (cache, stop) = (Memory::default(), AtomicBool::new(false));
        let desk = Desk { model: "m".into(), cache: &cache, stop: &stop, heard: &|_, _| {} };
        let mut times = 0;
        for _ in 0..2 {
            let v = cached(&desk, "k", "s", |_| {
                times += 1;
                vec![f64::INFINITY, 0.1]
            });
            assert_eq!(v.unwrap(), [f64::INFINITY, 0.1]);
        }
        assert_eq!(times, 1);
        let stopped = cached(&desk, "other", "s", |_| {
            stop.store(true, Ordering::Relaxed);
            1
        });
        assert!(matches!(stopped, Err(JobError::Stopped)) && cache.get("other").is_none());
    }

    #[test]
    fn a_folder_gives_back_what_was_put_and_stays_in_itself() {
        let dir = tempfile::tempdir().unwrap();
        let (a, b) = (Folder(dir.path().join("kept")), Folder(dir.path().join("kept")));
        assert!(a.get("k").is_none());
        a.put("k", b"one");
        b.put("../k", b"two");
        assert_eq!((b.get("k"), a.get("../k")), (Some(b"one".to_vec()), Some(b"two".to_vec())));
        let names = |p: &std::path::Path| std::fs::read_dir(p).unwrap().count();
        assert_eq!(
            (names(dir.path()), names(&dir.path().join("kept"))),
            (1, 2),
            "nothing beside it, nothing half written"
        );
        // Where nothing can be written it is a cache that has nothing.
        let nowhere = Folder("/proc/nowhere".into());
        nowhere.put("k", b"one");
        assert!(nowhere.get("k").is_none());
    }

    #[test]
    fn keys_do_not_run_into_one_another() {
        let k = |a: &str, b: &str| StageKey::new("s").with(&a).with(&b).done();
        assert_ne!(k("ab", "c"), k("a", "bc"));
        assert_eq!(k("a", "b"), k("a", "b"));
    }
}
