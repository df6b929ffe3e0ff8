//! Large things in pieces: models as uploaded, and results that can be computed again.

use crate::db::schema::{blob_pieces, blobs};
use crate::db::{Conn, Db, now};
use crate::fault::Fault;
use diesel::prelude::*;
use job::Cache;
use job::cache::Folder;
use std::collections::{BTreeSet, HashMap};
use std::sync::{Mutex, PoisonError};

/// Bytes of a piece: well under the database's packet.
const PIECE: usize = 4 << 20;
/// Results larger than this are not kept.
const LARGEST: usize = 256 << 20;
/// Results in all; the least recently used go first.
const CAP: i64 = 8 << 30;

/// Keep bytes under a name; the same name is the same content.
pub fn put(c: &mut Conn, name: &str, bytes: &[u8], kept: bool) -> Result<(), Fault> {
    let row =
        (blobs::name.eq(name), blobs::size.eq(bytes.len() as i64), blobs::kept.eq(kept), blobs::used_at.eq(now()));
    let new = diesel::insert_or_ignore_into(blobs::table).values(row).execute(c)?;
    if new == 0 {
        return Ok(());
    }
    for (k, piece) in bytes.chunks(PIECE).enumerate() {
        diesel::insert_into(blob_pieces::table)
            .values((blob_pieces::name.eq(name), blob_pieces::piece.eq(k as i32), blob_pieces::bytes.eq(piece)))
            .execute(c)?;
    }
    Ok(())
}

/// Keep the newest of a result that grows: under its name stood less.
pub fn renew(c: &mut Conn, name: &str, bytes: &[u8]) -> Result<(), Fault> {
    // Its pieces go with it.
    diesel::delete(blobs::table.find(name)).execute(c)?;
    put(c, name, bytes, false)
}

/// Read them again.
pub fn get(c: &mut Conn, name: &str) -> Result<Option<Vec<u8>>, Fault> {
    let size: Option<i64> = blobs::table.find(name).select(blobs::size).first(c).optional()?;
    let Some(size) = size else { return Ok(None) };
    let pieces: Vec<Vec<u8>> = blob_pieces::table
        .filter(blob_pieces::name.eq(name))
        .order(blob_pieces::piece)
        .select(blob_pieces::bytes)
        .load(c)?;
    let all = pieces.concat();
    if all.len() as i64 != size {
        return Ok(None);
    }
    USED.lock().unwrap_or_else(PoisonError::into_inner).insert(name.into());
    Ok(Some(all))
}

/// Are they there?
pub fn is_there(c: &mut Conn, name: &str) -> Result<bool, Fault> {
    Ok(diesel::select(diesel::dsl::exists(blobs::table.find(name))).get_result(c)?)
}

/// Several small ones (of one piece) at once.
pub fn get_small(c: &mut Conn, names: &[String]) -> Result<HashMap<String, Vec<u8>>, Fault> {
    let rows: Vec<(String, Vec<u8>)> = blob_pieces::table
        .filter(blob_pieces::name.eq_any(names).and(blob_pieces::piece.eq(0)))
        .select((blob_pieces::name, blob_pieces::bytes))
        .load(c)?;
    USED.lock().unwrap_or_else(PoisonError::into_inner).extend(rows.iter().map(|r| r.0.clone()));
    Ok(rows.into_iter().collect())
}

/// What was read since it was last noted.
static USED: Mutex<BTreeSet<String>> = Mutex::new(BTreeSet::new());

/// Note what was read lately: once in minutes, and never on the way of a read.
pub fn note_used(c: &mut Conn) -> Result<(), Fault> {
    let used: Vec<String> =
        std::mem::take(&mut *USED.lock().unwrap_or_else(PoisonError::into_inner)).into_iter().collect();
    for some in used.chunks(500) {
        diesel::update(blobs::table.filter(blobs::name.eq_any(some))).set(blobs::used_at.eq(now())).execute(c)?;
    }
    Ok(())
}

/// Let go of the results that nobody has used for longest, until at most `cap` bytes of them are left. Returns how many went.
pub fn tidy(c: &mut Conn, cap: i64) -> Result<usize, Fault> {
    let list: Vec<(String, i64)> = blobs::table
        .filter(blobs::kept.eq(false))
        .order(blobs::used_at.desc())
        .select((blobs::name, blobs::size))
        .load(c)?;
    let mut total = 0;
    let mut gone = 0;
    for (name, size) in list {
        total += size;
        if total > cap {
            gone += diesel::delete(blobs::table.find(name)).execute(c)?;
        }
    }
    Ok(gone)
}

/// Results in the database, and in a folder that houses of one machine share where `GOLDCHIP_KEPT` names one: names are hashes of all that a result came from, the
/// build included. A database that does not answer is a cache that has nothing.
pub struct DbCache {
    db: Db,
    shared: Option<Folder>,
}

impl DbCache {
    /// Of a house.
    pub fn of(db: &Db) -> DbCache {
        DbCache { db: db.clone(), shared: std::env::var_os("GOLDCHIP_KEPT").map(|dir| Folder(dir.into())) }
    }
}

impl Cache for DbCache {
    fn get(&self, key: &str) -> Option<Vec<u8>> {
        let own = self.db.act(|c| get(c, key)).ok().flatten();
        own.or_else(|| self.shared.as_ref()?.get(key))
    }
    fn put(&self, key: &str, value: &[u8]) {
        if value.len() > LARGEST {
            return;
        }
        if let Some(f) = &self.shared {
            f.put(key, value);
        }
        if let Err(e) = self.db.act(|c| put(c, key, value, false)) {
            tracing::warn!("a result was not kept: {e:?}");
        }
    }
}

/// Tidy to the usual cap.
pub fn tidy_usual(c: &mut Conn) -> Result<usize, Fault> {
    tidy(c, CAP)
}
