//! A house for one test: its own database on the project's MariaDB, its own server process on a free port.

#![allow(dead_code)] // each test takes what it needs

pub mod browser;
pub mod mill;
pub mod own;
pub mod person;

use server::db::{Address, Db};
use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicU32, Ordering};

/// The server's program, built beside the tests.
pub fn program() -> PathBuf {
    match option_env!("CARGO_BIN_EXE_goldchip-server") {
        Some(p) => p.into(),
        None => std::env::current_exe().unwrap().parent().unwrap().parent().unwrap().join("goldchip-server"),
    }
}

pub fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").canonicalize().unwrap()
}

/// A file of the demo.
pub fn part(name: &str) -> PathBuf {
    root().join("demo/parts").join(name)
}

/// A database of a test's own, gone with it.
#[derive(Clone)]
pub struct Base(std::sync::Arc<BaseOf>);

impl std::ops::Deref for Base {
    type Target = BaseOf;
    fn deref(&self) -> &BaseOf {
        &self.0
    }
}

/// See [`Base`]: it goes when the last house that uses it does.
pub struct BaseOf {
    pub db: Db,
    pub url: String,
    name: String,
    server: String,
}

impl Base {
    pub fn new() -> Base {
        static COUNT: AtomicU32 = AtomicU32::new(0);
        let (Ok(url), Ok(password)) = (std::env::var("GOLDCHIP_DATABASE"), std::env::var("GOLDCHIP_DATABASE_PASSWORD"))
        else {
            panic!("these tests need the database: eval \"$(scripts/db.sh start .run/test-db tests)\", or run ./check");
        };
        let server = url.replacen('@', &format!(":{password}@"), 1);
        let name = format!("goldchip_test_{}_{}", std::process::id(), COUNT.fetch_add(1, Ordering::Relaxed));
        sql(&server, &format!("CREATE DATABASE {name} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin"));
        let url = format!("{}/{name}", url.rsplit_once('/').unwrap().0);
        let db = Db::open(Address { place: url.clone(), password: Some(password) }, 8).unwrap();
        Base(std::sync::Arc::new(BaseOf { db, url, name, server }))
    }
}

impl BaseOf {
    /// Where it is.
    pub fn address(&self) -> Address {
        Address { place: self.url.clone(), password: std::env::var("GOLDCHIP_DATABASE_PASSWORD").ok() }
    }
}

impl Drop for BaseOf {
    fn drop(&mut self) {
        sql(&self.server, &format!("DROP DATABASE {}", self.name));
    }
}

fn sql(server: &str, text: &str) {
    use diesel::{Connection, MysqlConnection, RunQueryDsl};
    let mut c = MysqlConnection::establish(server).unwrap();
    diesel::sql_query(text).execute(&mut c).unwrap();
}

/// A job of no content in a shop.
pub fn empty_job(c: &mut server::db::Conn, shop: i64, title: &str) -> Result<i64, server::fault::Fault> {
    use diesel::prelude::*;
    use server::db::schema::jobs;
    diesel::insert_into(jobs::table)
        .values((
            jobs::shop_id.eq(shop),
            jobs::title.eq(title),
            jobs::file.eq("x.step"),
            jobs::model.eq("0"),
            jobs::shop_revision_id.eq(server::jobs::newest_shop_revision(c, shop)?),
            jobs::made_at.eq(server::db::now()),
        ))
        .execute(c)?;
    server::db::last_id(c)
}

/// Send a process a signal.
pub fn kill(pid: &str, signal: &str) {
    let _ = Command::new("kill").args([&format!("-{signal}"), pid]).status();
}

/// Children of a process whose command has this word, by their numbers.
pub fn children(of: u32, word: &str) -> Vec<String> {
    let out = Command::new("pgrep").args(["-P", &of.to_string(), "-f", word]).output().unwrap();
    String::from_utf8_lossy(&out.stdout).split_whitespace().map(String::from).collect()
}

/// A served house.
pub struct House {
    base: Option<Base>,
    pub address: String,
    log: tempfile::NamedTempFile,
    /// What it said before it listened.
    pub said: Vec<String>,
    child: Child,
}

impl House {
    /// With the shop's people but without jobs.
    pub fn empty(workers: usize) -> House {
        House::with(Base::new(), workers)
    }

    /// With the demo's jobs, waiting to be worked on.
    pub fn demo(workers: usize) -> House {
        let base = Base::new();
        server::demo::load(&base.db, &root().join("demo/rack.csv"), &[&root().join("demo/parts")], &program()).unwrap();
        House::with(base, workers)
    }

    pub fn with(base: Base, workers: usize) -> House {
        House::with_env(base, workers, &[])
    }

    /// With more in the environment.
    pub fn with_env(base: Base, workers: usize, more: &[(&str, &str)]) -> House {
        House::at(base, "127.0.0.1:0", workers, more)
    }

    /// At an address.
    pub fn at(base: Base, address: &str, workers: usize, more: &[(&str, &str)]) -> House {
        House::start(Some(base), address, workers, more)
    }

    /// On a base, or wherever the environment says.
    pub fn start(base: Option<Base>, address: &str, workers: usize, more: &[(&str, &str)]) -> House {
        let log = tempfile::NamedTempFile::new().unwrap();
        let mut child = Command::new(program())
            .args(["serve", "--listen", address, "--web"])
            .arg(root().join("web/dist"))
            .envs(base.iter().map(|b| ("GOLDCHIP_DATABASE", &b.url)))
            .env("GOLDCHIP_WORKERS", workers.to_string())
            // Screens are about what is shown: what one house has worked out the next need not. All other tests are about the work itself.
            .envs(
                std::env::var("GOLDCHIP_TEST_KEPT")
                    .ok()
                    .filter(|_| module_path!().starts_with("screens"))
                    .map(|d| ("GOLDCHIP_KEPT", d)),
            )
            .envs(more.iter().copied())
            .stdout(Stdio::piped())
            .stderr(log.reopen().unwrap())
            .spawn()
            .unwrap();
        let mut said = Vec::new();
        for line in BufReader::new(child.stdout.as_mut().unwrap()).lines().map(Result::unwrap) {
            let here = line.contains("listening on");
            said.push(line);
            if here {
                break;
            }
        }
        let last = said.last().and_then(|l| l.rsplit_once(' '));
        let address = last.expect("the server says where it listens").1.to_string();
        House { base, address, said, log, child }
    }
}

impl House {
    /// Its database.
    pub fn base(&self) -> &Base {
        self.base.as_ref().expect("this house has a base of the tests")
    }
    /// What it and its workers wrote into their log so far.
    pub fn log(&self) -> String {
        std::fs::read_to_string(self.log.path()).unwrap()
    }
    /// As a power cut would.
    pub fn kill(&mut self) {
        kill(&self.child.id().to_string(), "KILL");
        let _ = self.child.wait();
    }
    /// Number of the server's process.
    pub fn pid(&self) -> u32 {
        self.child.id()
    }
    /// Another house on the same database, after this one.
    pub fn again(self, workers: usize) -> House {
        House::with(self.base().clone(), workers)
    }
    /// Ask it to end; how long that took.
    pub fn end(&mut self) -> std::time::Duration {
        let start = std::time::Instant::now();
        let _ = Command::new("kill").arg(self.child.id().to_string()).status();
        let _ = self.child.wait();
        start.elapsed()
    }
}

impl Drop for House {
    fn drop(&mut self) {
        if std::thread::panicking() {
            let log = self.log();
            let faults = log.lines().filter(|l| !l.contains(" request ")).collect::<Vec<_>>().join("\n");
            eprintln!("the house's log, without its requests:\n{faults}");
        }
        // A number that was waited for may be another's by now.
        if matches!(self.child.try_wait(), Ok(None)) {
            kill(&self.child.id().to_string(), "TERM");
            let _ = self.child.wait();
        }
    }
}
