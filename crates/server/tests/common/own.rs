//! A database server of a test's own, to be killed.

use super::person::Person;
use server::db::{Address, Db};
use server::demo::{PASSWORD, make_shop};
use server::people;
use std::path::PathBuf;
use std::process::Command;

pub struct OwnDb {
    dir: tempfile::TempDir,
    more: String,
    /// Rights of its user: "tests" for all, nothing for its own schema only.
    rights: &'static str,
    pub password: String,
}

impl OwnDb {
    /// Started with more arguments.
    pub fn start(more: &str) -> OwnDb {
        OwnDb::with_rights(more, "tests")
    }
    /// As the house has it in a shop: its user has rights on its own schema only.
    pub fn as_in_a_shop() -> OwnDb {
        OwnDb::with_rights("", "")
    }
    fn with_rights(more: &str, rights: &'static str) -> OwnDb {
        let dir = tempfile::Builder::new().prefix("goldchip-own-").tempdir().unwrap();
        let mut own = OwnDb { dir, more: more.into(), rights, password: String::new() };
        own.again(false);
        own.password = std::fs::read_to_string(own.db().join("password")).unwrap();
        own
    }
    fn db(&self) -> PathBuf {
        self.dir.path().join("db")
    }
    /// The word by which a house finds it wherever it is.
    pub fn place(&self) -> String {
        format!("file:{}", self.db().join("address").display())
    }
    pub fn address(&self) -> Address {
        Address { place: self.place(), password: Some(self.password.clone()) }
    }
    pub fn port(&self) -> String {
        std::fs::read_to_string(self.db().join("port")).unwrap().trim().to_string()
    }
    fn script(&self, word: &str) {
        let script = super::root().join("scripts/db.sh");
        let done = Command::new(script)
            .args([word])
            .arg(self.db())
            .arg(self.rights)
            .env("GOLDCHIP_DB_ARGS", &self.more)
            .output();
        let done = done.unwrap();
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    }
    /// Start it again if it does not run, on another port if wished.
    pub fn again(&self, elsewhere: bool) {
        if elsewhere {
            std::fs::remove_file(self.db().join("port")).unwrap();
        }
        self.script("start");
    }
    /// As a power cut would.
    pub fn kill(&self) {
        let pid = std::fs::read_to_string(self.db().join("db.pid")).unwrap();
        super::kill(pid.trim(), "KILL");
    }
    /// A house on it, with the demo's people.
    pub fn house(&self, workers: usize) -> super::House {
        let db = Db::open(self.address(), 4).unwrap();
        db.act(|c| {
            let id = make_shop(c, "Hill observatory workshop", &shop::Shop::demo().unwrap())?;
            people::add(c, id, "ida", PASSWORD, true)?;
            people::add(c, id, "bruno", PASSWORD, false)
        })
        .unwrap();
        self.serve(workers)
    }
    pub fn serve(&self, workers: usize) -> super::House {
        self.serve_at("127.0.0.1:0", workers)
    }
    pub fn serve_at(&self, at: &str, workers: usize) -> super::House {
        let more = [("GOLDCHIP_DATABASE", self.place()), ("GOLDCHIP_DATABASE_PASSWORD", self.password.clone())];
        let more: Vec<(&str, &str)> = more.iter().map(|(a, b)| (*a, b.as_str())).collect();
        super::House::start(None, at, workers, &more)
    }
}

impl Drop for OwnDb {
    fn drop(&mut self) {
        let _ = Command::new(super::root().join("scripts/db.sh")).arg("stop").arg(self.db()).output();
    }
}

/// Somebody who has patience: asks again as long as the house or its database is away.
pub fn patient(
    p: &Person,
    f: impl Fn(&Person) -> Result<ureq::http::Response<ureq::Body>, ureq::Error>,
) -> ureq::http::Response<ureq::Body> {
    let start = std::time::Instant::now();
    loop {
        match f(p) {
            Ok(r) if r.status() != 503 => return r,
            _ => assert!(start.elapsed().as_secs() < 60, "it does not come back"),
        }
        std::thread::sleep(std::time::Duration::from_millis(50));
    }
}
