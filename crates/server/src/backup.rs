//! Everything that people brought and decided, in one file: made while the house is open, put back into an empty database.
//!
//! The file is a gzipped tar: `manifest.json` (form, time, migrations, and a SHA-256 of each part) and the parts: MariaDB's own dumps as SQL. First
//! all tables but the blobs, in one consistent snapshot; then the kept blobs. A blob never changes under its name, and nothing is thrown away
//! while a backup is made (it holds the lock of the keeping), so the second snapshot has all that the first speaks of. What can be worked out
//! again is left out.

use crate::db::schema::{backups, people};
use crate::db::{Address, Conn, Db, now};
use crate::keeping;
use diesel::prelude::*;
use flate2::Compression;
use flate2::read::GzDecoder;
use flate2::write::GzEncoder;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::collections::BTreeMap;
use std::fs::File;
use std::io::{self, BufReader, BufWriter, Read, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};

/// The form of the file that this program writes; it reads this and older ones.
const FORM: u32 = 1;
const MANIFEST: &str = "manifest.json";
/// So a folder begins in which a backup is being made.
const HALF: &str = ".goldchip-backup-";
/// Backups by the clock that are kept.
pub const KEPT: usize = 7;

/// What a backup says of itself.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Manifest {
    /// Form of the file.
    pub form: u32,
    /// UTC.
    pub made_at: String,
    /// Migrations that its tables have seen.
    pub migrations: Vec<String>,
    /// SHA-256 of each part, hexadecimal.
    pub parts: BTreeMap<String, String>,
}

/// Where the database is, in parts.
struct Way {
    host: String,
    port: String,
    user: String,
    password: Option<String>,
    name: String,
}

impl Way {
    fn to(address: &Address) -> Result<Way, String> {
        let line = Address { password: None, ..address.clone() }.url()?;
        let odd = || format!("{line} is no address of a database; write mysql://user@host:port/name");
        let (user, rest) = line.strip_prefix("mysql://").and_then(|l| l.split_once('@')).ok_or_else(odd)?;
        let (host, name) = rest.split_once('/').ok_or_else(odd)?;
        let (host, port) = host.rsplit_once(':').unwrap_or((host, "3306"));
        let name = name.split('?').next().unwrap_or(name).to_string();
        let (user, own) = user.split_once(':').map_or((user, None), |(u, p)| (u, Some(p.to_string())));
        let password = address.password.clone().or(own);
        Ok(Way { host: host.into(), port: port.into(), user: user.into(), password, name })
    }
    /// One of MariaDB's own programs; the password goes by the environment, never on the command line.
    fn program(&self, name: &str) -> Command {
        let mut c = Command::new(name);
        c.args(["--no-defaults", "--protocol=tcp", "--default-character-set=utf8mb4"]);
        c.args(["--host", &self.host, "--port", &self.port, "--user", &self.user]);
        c.envs(self.password.iter().map(|p| ("MYSQL_PWD", p)));
        c
    }
}

fn told<E: std::fmt::Display>(what: &str) -> impl Fn(E) -> String + '_ {
    move |e| format!("{what}: {e}")
}

/// The house closes: what is being written is given up.
static CLOSING: AtomicBool = AtomicBool::new(false);

/// Give up what is being written.
pub fn close() {
    CLOSING.store(true, Ordering::Relaxed);
}

/// Run a program to its end; what it complained of is the error.
fn run(mut c: Command) -> Result<(), String> {
    let name = c.get_program().to_string_lossy().into_owned();
    let missing = |e: io::Error| format!("{name} cannot be run ({e}); it comes with MariaDB's client");
    let mut child = c.stderr(Stdio::piped()).spawn().map_err(missing)?;
    let status = loop {
        if let Some(s) = child.try_wait().map_err(told(&name))? {
            break s;
        }
        if CLOSING.load(Ordering::Relaxed) {
            let _ = child.kill();
            let _ = child.wait();
            return Err("the house closes".into());
        }
        std::thread::sleep(std::time::Duration::from_millis(20));
    };
    if status.success() {
        return Ok(());
    }
    // A few lines at most: the pipe holds them.
    let mut said = String::new();
    let _ = child.stderr.take().map(|mut e| e.read_to_string(&mut said));
    Err(format!("{name}: {}", said.trim()))
}

fn dump(way: &Way, to: &Path, more: &[&str]) -> Result<(), String> {
    let mut c = way.program("mariadb-dump");
    c.args(["--single-transaction", "--quick", "--hex-blob", "--skip-comments", "--skip-tz-utc"]).args(more);
    c.stdout(File::create(to).map_err(told("a dump could not be written"))?);
    run(c)
}

fn sha_of(path: &Path) -> Result<String, String> {
    let mut sha = Sha256::new();
    let mut file = File::open(path).map_err(told("a part is gone"))?;
    let mut some = vec![0; 1 << 16];
    loop {
        match file.read(&mut some).map_err(told("a part"))? {
            0 => break,
            n => sha.update(&some[..n]),
        }
    }
    Ok(job::cache::hex(&sha.finalize()))
}

#[derive(QueryableByName)]
struct Version {
    #[diesel(sql_type = diesel::sql_types::Text)]
    version: String,
}

fn migrations(c: &mut Conn) -> Result<Vec<String>, String> {
    let all = diesel::sql_query("SELECT version FROM __diesel_schema_migrations ORDER BY version");
    Ok(all.load::<Version>(c).map_err(told("migrations"))?.into_iter().map(|v| v.version).collect())
}

/// Write a backup; nothing stands under its name before it is whole. How large it is, bytes.
pub fn make(db: &Db, address: &Address, file: &Path) -> Result<u64, String> {
    let done = write(db, address, file);
    let shown = file.display().to_string();
    let (bytes, why) = match &done {
        Ok(n) => (*n as i64, None),
        Err(e) => (0, Some(e.chars().take(400).collect::<String>())),
    };
    let row = (
        backups::at.eq(now()),
        backups::file.eq(shown.chars().take(400).collect::<String>()),
        backups::bytes.eq(bytes),
        backups::why.eq(why),
    );
    // The database may be the very thing that is away.
    if let Err(e) = db.act(|c| Ok(diesel::insert_into(backups::table).values(row.clone()).execute(c)?)) {
        tracing::error!("a backup could not be noted: {e:?}");
    }
    done
}

fn write(db: &Db, address: &Address, file: &Path) -> Result<u64, String> {
    let dir = file.parent().filter(|d| !d.as_os_str().is_empty()).unwrap_or(Path::new("."));
    std::fs::create_dir_all(dir).map_err(told(&dir.display().to_string()))?;
    let tmp = tempfile::Builder::new().prefix(HALF).tempdir_in(dir);
    let tmp = tmp.map_err(|e| format!("{} cannot be written ({e}); choose another folder", dir.display()))?;
    let way = Way::to(address)?;
    let (main, blobs) = (tmp.path().join("tables.sql"), tmp.path().join("kept.sql"));
    let migrations = keeping::alone(db, 120, |c| {
        let without: Vec<String> = ["blobs", "blob_pieces"].map(|t| format!("--ignore-table={}.{t}", way.name)).into();
        let mut args: Vec<&str> = without.iter().map(String::as_str).collect();
        args.push(&way.name);
        dump(&way, &main, &args)?;
        // Two dumps into one file: pieces belong to blobs.
        let pieces = tmp.path().join("pieces.sql");
        dump(&way, &blobs, &["--where=kept = 1", &way.name, "blobs"])?;
        let of = "--where=name IN (SELECT name FROM blobs WHERE kept = 1)";
        dump(&way, &pieces, &[of, &way.name, "blob_pieces"])?;
        let mut all = File::options().append(true).open(&blobs).map_err(told("a dump"))?;
        let mut more = File::open(&pieces).map_err(told("a dump"))?;
        io::copy(&mut more, &mut all).map_err(told("a dump"))?;
        std::fs::remove_file(&pieces).map_err(told("a dump"))?;
        migrations(c)
    })?;
    let mut parts = BTreeMap::new();
    for p in [&main, &blobs] {
        parts.insert(name_of(p), sha_of(p)?);
    }
    let manifest = Manifest { form: FORM, made_at: crate::jobs::stamp(now()), migrations, parts };
    let whole = tmp.path().join("whole");
    let out = File::create(&whole).map_err(told("the backup"))?;
    let mut tar = tar::Builder::new(GzEncoder::new(BufWriter::new(out), Compression::fast()));
    let said = serde_json::to_vec_pretty(&manifest).map_err(told("the manifest"))?;
    let mut head = tar::Header::new_gnu();
    head.set_size(said.len() as u64);
    head.set_mode(0o600);
    tar.append_data(&mut head, MANIFEST, &said[..]).map_err(told("the backup"))?;
    for p in [&main, &blobs] {
        tar.append_path_with_name(p, name_of(p)).map_err(told("the backup"))?;
    }
    let gz = tar.into_inner().and_then(GzEncoder::finish).map_err(told("the backup"))?;
    let out = gz.into_inner().map_err(told("the backup"))?;
    // Passwords' hashes are in it: it is its owner's alone.
    private(&out).and_then(|()| out.sync_all()).map_err(told("the backup"))?;
    std::fs::rename(&whole, file).map_err(told(&file.display().to_string()))?;
    std::fs::metadata(file).map(|m| m.len()).map_err(told("the backup"))
}

fn private(f: &File) -> io::Result<()> {
    use std::os::unix::fs::PermissionsExt;
    f.set_permissions(std::fs::Permissions::from_mode(0o600))
}

fn name_of(p: &Path) -> String {
    p.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default()
}

/// Take a backup apart into a folder and look whether it is whole.
fn open(file: &Path, dir: &Path) -> Result<Manifest, String> {
    let no = |why: &str| format!("{} is no whole backup: {why}. Nothing was changed", file.display());
    let from = File::open(file).map_err(|e| format!("{}: {e}", file.display()))?;
    let mut tar = tar::Archive::new(GzDecoder::new(BufReader::new(from)));
    let mut manifest: Option<Manifest> = None;
    for entry in tar.entries().map_err(|e| no(&e.to_string()))? {
        let mut entry = entry.map_err(|e| no(&e.to_string()))?;
        let path = entry.path().map_err(|e| no(&e.to_string()))?.into_owned();
        match &manifest {
            None if path == Path::new(MANIFEST) => {
                let mut text = String::new();
                entry.read_to_string(&mut text).map_err(|e| no(&e.to_string()))?;
                let m: Manifest = serde_json::from_str(&text).map_err(|e| no(&e.to_string()))?;
                if m.form > FORM {
                    return Err(no("a newer Gold Chip made it; take that one to put it back"));
                }
                manifest = Some(m);
            }
            // Only what the manifest names, under a plain name: nothing lands elsewhere.
            Some(m) if path.to_str().is_some_and(|n| m.parts.contains_key(n) && !n.contains(['/', '\\'])) => {
                let mut out = BufWriter::new(File::create(dir.join(&path)).map_err(told("a part"))?);
                io::copy(&mut entry, &mut out).and_then(|_| out.flush()).map_err(|e| no(&e.to_string()))?;
            }
            _ => return Err(no("it holds something else")),
        }
    }
    let manifest = manifest.ok_or_else(|| no("it has no manifest"))?;
    for (name, sha) in &manifest.parts {
        let path = dir.join(name);
        if !path.exists() || sha_of(&path)? != *sha {
            return Err(no(&format!("{name} is missing or was changed")));
        }
    }
    Ok(manifest)
}

/// Put a backup back, into a database that holds nobody and nothing. Tables of an older form are brought up to date.
pub fn restore(address: &Address, file: &Path) -> Result<Manifest, String> {
    let tmp = tempfile::Builder::new().prefix("goldchip-restore-").tempdir().map_err(told("a folder"))?;
    let manifest = open(file, tmp.path())?;
    let db = Db::open(address.clone(), 2).map_err(|e| format!("{e:?}"))?;
    let way = Way::to(address)?;
    keeping::alone(&db, 120, |c| {
        let known = migrations(c)?;
        if let Some(m) = manifest.migrations.iter().find(|m| !known.contains(m)) {
            return Err(format!("the backup's tables are newer than this program knows ({m}); take a newer Gold Chip"));
        }
        let there: i64 = people::table.count().get_result(c).map_err(told("people"))?;
        if there > 0 {
            return Err(format!(
                "the database {} is not empty ({there} people are in it), and nothing is ever written over. Start with an empty folder: GOLDCHIP_DATA=/another/folder ./start --restore FILE",
                way.name
            ));
        }
        let done = drop_all(c)
            .and_then(|()| manifest.parts.keys().rev().try_for_each(|name| fill(&way, &tmp.path().join(name))));
        if done.is_err() {
            // Half a shop is none: it is empty again.
            drop_all(c)?;
        }
        done
    })?;
    // What an older form lacks is made now; or all of it, where nothing came.
    Db::open(address.clone(), 1).map_err(|e| format!("{e:?}"))?;
    Ok(manifest)
}

fn fill(way: &Way, sql: &Path) -> Result<(), String> {
    let mut c = way.program("mariadb");
    c.args(["--max-allowed-packet=1G", &way.name]);
    c.stdin(File::open(sql).map_err(told("a part"))?).stdout(Stdio::null());
    run(c)
}

#[derive(QueryableByName)]
struct Table {
    #[diesel(sql_type = diesel::sql_types::Text)]
    name: String,
}

fn drop_all(c: &mut Conn) -> Result<(), String> {
    use diesel::connection::SimpleConnection;
    let all = "SELECT table_name AS name FROM information_schema.tables WHERE table_schema = DATABASE()";
    let all: Vec<Table> = diesel::sql_query(all).load(c).map_err(told("tables"))?;
    let mut sql = String::from("SET FOREIGN_KEY_CHECKS = 0;");
    all.iter().for_each(|t| sql += &format!("DROP TABLE `{}`;", t.name));
    sql += "SET FOREIGN_KEY_CHECKS = 1;";
    c.batch_execute(&sql).map_err(told("tables"))
}

/// A backup into a folder under the day's name, if the newest there is older than a day; older ones than the newest seven go. Whether one was made.
pub fn by_clock(db: &Db, address: &Address, dir: &Path) -> Result<bool, String> {
    clear(dir);
    let newest = list(dir).pop();
    let young = |p: &PathBuf| {
        let age = std::fs::metadata(p).and_then(|m| m.modified()).ok().and_then(|t| t.elapsed().ok());
        age.is_some_and(|a| a.as_secs() < 24 * 3600)
    };
    if newest.as_ref().is_some_and(young) {
        return Ok(false);
    }
    make(db, address, &dir.join(format!("goldchip-{}.backup", now().format("%Y-%m-%d-%H%M%S"))))?;
    let all = list(dir);
    for old in &all[..all.len().saturating_sub(KEPT)] {
        std::fs::remove_file(old).map_err(told("an old backup"))?;
    }
    Ok(true)
}

/// What a house that was killed has left half done goes after a day.
fn clear(dir: &Path) {
    let old = |m: std::fs::Metadata| {
        m.is_dir() && m.modified().ok().and_then(|t| t.elapsed().ok()).is_some_and(|a| a.as_secs() > 24 * 3600)
    };
    for e in std::fs::read_dir(dir).into_iter().flatten().flatten() {
        if e.file_name().to_string_lossy().starts_with(HALF) && e.metadata().is_ok_and(old) {
            let _ = std::fs::remove_dir_all(e.path());
        }
    }
}

/// Backups by the clock in a folder, the newest last.
fn list(dir: &Path) -> Vec<PathBuf> {
    let ours = |n: &str| n.starts_with("goldchip-") && n.ends_with(".backup");
    let mut all: Vec<PathBuf> = std::fs::read_dir(dir).into_iter().flatten().flatten().map(|e| e.path()).collect();
    all.retain(|p| ours(&name_of(p)));
    all.sort();
    all
}
