//! The demo: an invented shop that makes one-off parts for an observatory, with its people and its jobs.

use crate::db::schema::{jobs, shop_revisions, shops};
use crate::db::{Conn, Db, last_id, now};
use crate::fault::Fault;
use crate::http::routes_read_model as read_model;
use crate::{jobs as job_rows, people};
use diesel::prelude::*;
use job::cache::hex;
use sha2::{Digest, Sha256};
use shop::Shop;
use std::path::Path;

/// The demo's people and the password of both. It is refused as soon as the server is open to a network.
pub const PEOPLE: [(&str, bool); 2] = [("ida", true), ("bruno", false)];
/// See [`PEOPLE`].
pub const PASSWORD: &str = "dome-and-slit";
const SHOP: &str = "Hill observatory workshop";

/// Make a shop with its data.
pub fn make_shop(c: &mut Conn, name: &str, data: &Shop) -> Result<i64, Fault> {
    diesel::insert_into(shops::table).values(shops::name.eq(name)).execute(c)?;
    let id = last_id(c)?;
    let json = serde_json::to_string(data).map_err(|e| Fault::internal(e.to_string()))?;
    diesel::insert_into(shop_revisions::table)
        .values((
            shop_revisions::shop_id.eq(id),
            shop_revisions::sha.eq(hex(&Sha256::digest(json.as_bytes()))),
            shop_revisions::data.eq(&json),
            shop_revisions::made_at.eq(now()),
        ))
        .execute(c)?;
    let revision = last_id(c)?;
    diesel::update(shops::table.find(id)).set(shops::revision_id.eq(revision)).execute(c)?;
    Ok(id)
}

/// Load the demo where it is missing. Returns how many jobs were made.
pub fn load(db: &Db, parts: &Path, reader: &Path) -> Result<usize, Fault> {
    let data = Shop::demo().map_err(|e| Fault::internal(e.to_string()))?;
    let shop = db.act(|c| {
        let there: Option<i64> = shops::table.filter(shops::name.eq(SHOP)).select(shops::id).first(c).optional()?;
        if let Some(id) = there {
            return Ok(id);
        }
        let id = make_shop(c, SHOP, &data)?;
        for (name, owner) in PEOPLE {
            people::add(c, id, name, PASSWORD, owner)?;
        }
        Ok(id)
    })?;
    let jobs_there: i64 = db.act(|c| Ok(jobs::table.filter(jobs::shop_id.eq(shop)).count().get_result(c)?))?;
    if jobs_there > 0 {
        return Ok(0);
    }
    let mut files: Vec<_> = std::fs::read_dir(parts)
        .map_err(|e| Fault::internal(format!("{}: {e}", parts.display())))?
        .flatten()
        .map(|e| e.path())
        .filter(|p| p.extension().is_some_and(|e| e == "step"))
        .collect();
    files.sort();
    for f in &files {
        let bytes = std::fs::read(f).map_err(|e| Fault::internal(format!("{}: {e}", f.display())))?;
        let name = f.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        let (raw, picture) = read_model(reader, &name, &bytes)?;
        db.act(|c| job_rows::make(c, shop, &name, &bytes, &raw, &picture))?;
    }
    Ok(files.len())
}
