//! Data that stays: backups, the bin, room.

mod common;

use common::own::OwnDb;
use common::person::{Person, body, peopled, peopled_with, refusal};
use common::{Base, House, part, program};
use diesel::prelude::*;
use diesel::sql_types::{Bigint, Nullable, Text};
use serde_json::{Value, json};
use server::db::{Conn, Db, now};
use server::demo::PASSWORD;
use server::{backup, keeping};
use std::collections::BTreeMap;
use std::path::Path;
use std::process::Command;

#[derive(QueryableByName)]
struct Name {
    #[diesel(sql_type = Text)]
    name: String,
}

#[derive(QueryableByName)]
struct Line {
    #[diesel(sql_type = Nullable<Text>)]
    line: Option<String>,
}

/// Every row of every table as text, but for what can be worked out again and what only the running house needs.
fn contents(c: &mut Conn) -> BTreeMap<String, Vec<String>> {
    let tables: Vec<Name> = diesel::sql_query(
        "SELECT table_name AS name FROM information_schema.tables WHERE table_schema = DATABASE() ORDER BY 1",
    )
    .load(c)
    .unwrap();
    let mut out = BTreeMap::new();
    for t in tables.into_iter().map(|t| t.name) {
        if ["backups", "events"].contains(&t.as_str()) {
            continue;
        }
        let columns: Vec<Name> = diesel::sql_query(format!(
            "SELECT CONCAT('COALESCE(HEX(`', column_name, '`), ''-'')') AS name FROM information_schema.columns \
             WHERE table_schema = DATABASE() AND table_name = '{t}' AND column_name <> 'used_at' ORDER BY ordinal_position"
        ))
        .load(c)
        .unwrap();
        let all: Vec<String> = columns.into_iter().map(|n| n.name).collect();
        let kept = match t.as_str() {
            "blobs" => " WHERE kept = 1",
            "blob_pieces" => " WHERE name IN (SELECT name FROM blobs WHERE kept = 1)",
            // Other ways and faults are looked at behind all else, and asked for again by whoever wants to see them.
            "tasks" => " WHERE kind IN ('plan', 'part')",
            _ => "",
        };
        let rows: Vec<Line> =
            diesel::sql_query(format!("SELECT CONCAT_WS(',', {}) AS line FROM `{t}`{kept} ORDER BY 1", all.join(", ")))
                .load(c)
                .unwrap();
        out.insert(t, rows.into_iter().map(|r| r.line.unwrap_or_default()).collect());
    }
    out
}

fn command(base: &Base, args: &[&str]) -> (Option<i32>, String) {
    let out = Command::new(program()).args(args).env("GOLDCHIP_DATABASE", &base.url).output().unwrap();
    let said = [out.stdout, out.stderr].concat();
    (out.status.code(), String::from_utf8_lossy(&said).into_owned())
}

/// A shop with models, decisions, an edited program and a program that was taken goes into a file while it is served, and comes back byte for byte.
#[test]
fn a_backup_brings_everything_back() {
    let h = peopled(1);
    let ida = Person::of(&h, "ida", PASSWORD);
    let job = ida.job("spider-plate.step");
    assert_eq!(ida.decide(job, 0, json!({"about": "units", "units": "inch"})).status(), 200);
    let other = ida.job("worm-cover.step");
    ida.wait(job, "the plan", |s| s["fresh"] == true);
    ida.wait(other, "the other plan", |s| s["card"]["work"]["kind"] == "done");
    let sheet = ida.json(&format!("/api/jobs/{job}/sheet"));
    let text = sheet["sides"][0]["program"].as_str().unwrap();
    let url = format!("{}/api/jobs/{job}/edited?file=e.ngc&revision=1&setup=side%201", h.address);
    assert_eq!(ida.agent.post(url).send(text.as_bytes()).unwrap().status(), 200);
    ida.wait(job, "the edited one's proof", |s| s["fresh"] == true);
    assert_eq!(ida.act(job, "issue/0").status(), 200);

    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("shop.backup");
    let before = h.base().db.act(|c| Ok(contents(c))).unwrap();
    let (code, said) = command(h.base(), &["backup", file.to_str().unwrap()]);
    assert_eq!(code, Some(0), "{said}");
    assert_eq!(h.base().db.act(|c| Ok(contents(c))).unwrap(), before, "a backup changes nothing");
    let k = ida.json("/api/keeping");
    assert_eq!((k["backup"]["file"].as_str(), k["failed"].is_null()), (file.to_str(), true));
    use std::os::unix::fs::PermissionsExt;
    assert_eq!(std::fs::metadata(&file).unwrap().permissions().mode() & 0o777, 0o600);

    // Nothing is written over.
    let (code, said) = command(h.base(), &["restore", file.to_str().unwrap()]);
    assert!(code == Some(2) && said.contains("not empty") && said.contains("--restore"), "{said}");

    let empty = Base::new();
    // A file that was changed, cut or is none is found out, and the database stays empty.
    let whole = std::fs::read(&file).unwrap();
    let bad = dir.path().join("bad");
    let mut turned = whole.clone();
    let middle = turned.len() / 2;
    turned[middle] ^= 0x40;
    for bytes in [&whole[..whole.len() * 2 / 3], &turned[..], b"not a backup", b""] {
        std::fs::write(&bad, bytes).unwrap();
        let (code, said) = command(&empty, &["restore", bad.to_str().unwrap()]);
        assert!(code == Some(2) && said.contains("no whole backup"), "{code:?} {said}");
    }
    let there = empty.db.act(|c| Ok(contents(c))).unwrap();
    assert!(there.iter().all(|(t, rows)| t.starts_with("__") || rows.is_empty()));

    let (code, said) = command(&empty, &["restore", file.to_str().unwrap()]);
    assert_eq!(code, Some(0), "{said}");
    let after = empty.db.act(|c| Ok(contents(c))).unwrap();
    assert!(before["issued"].len() == 1 && before["decisions"].len() == 2 && before["blobs"].len() >= 7, "{before:?}");
    assert_eq!(before.keys().collect::<Vec<_>>(), after.keys().collect::<Vec<_>>());
    for (table, rows) in &before {
        assert_eq!(rows, &after[table], "{table}");
    }

    // A house on it goes on: people sign in, and what can be worked out again is.
    let second = House::with(empty, 1);
    let ida = Person::of(&second, "ida", PASSWORD);
    let s = ida.wait(job, "the plan again", |s| s["fresh"] == true);
    assert_eq!(s["issued"].as_array().unwrap().len(), 1);
    assert_eq!(ida.json(&format!("/api/jobs/{job}/sheet"))["sides"][0]["program"], text);
}

/// A backup of an older Gold Chip is brought up to date; one of a newer is refused.
#[test]
fn older_tables_are_brought_up_to_date_and_newer_refused() {
    use diesel::connection::SimpleConnection;
    use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
    const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("x.backup");
    let save = |b: &Base| backup::make(&b.db, &b.address(), &file).unwrap();
    let (old, new) = (peopled(0), peopled(0));
    // As it was before whatever is newer than the fifth migration.
    old.base()
        .db
        .with(|c| {
            let newest = |c: &mut Conn| c.applied_migrations().unwrap().first().unwrap().to_string();
            assert!(newest(c).as_str() > "0005");
            while newest(c).as_str() > "0005" {
                c.revert_last_migration(MIGRATIONS).unwrap();
            }
            Ok(())
        })
        .unwrap();
    save(old.base());
    let empty = Base::new();
    backup::restore(&empty.address(), &file).unwrap();
    let h = House::with(empty, 0);
    let ida = Person::of(&h, "ida", PASSWORD);
    assert_eq!(ida.json("/api/keeping")["quota_mb"], 20480);

    new.base()
        .db
        .with(|c| {
            c.batch_execute("INSERT INTO __diesel_schema_migrations (version) VALUES ('9999')").unwrap();
            Ok(())
        })
        .unwrap();
    save(new.base());
    let why = backup::restore(&Base::new().address(), &file).unwrap_err();
    assert!(why.contains("newer"), "{why}");
}

/// The server's user has rights on its own schema only; with them a backup is made and put back.
#[test]
fn rights_on_ones_own_schema_are_enough() {
    let (own, other) = (OwnDb::as_in_a_shop(), OwnDb::as_in_a_shop());
    let h = own.house(0);
    let ida = Person::of(&h, "ida", PASSWORD);
    let job = ida.job("spider-plate.step");
    let mut c = MysqlConnection::establish(&own.address().url().unwrap()).unwrap();
    for beyond in [
        "CREATE DATABASE another",
        "SELECT user FROM mysql.user",
        "CREATE USER x",
        "SET GLOBAL max_connections = 3",
        "SELECT 1 INTO OUTFILE '/tmp/goldchip-outfile'",
        "SHUTDOWN",
    ] {
        let e = diesel::sql_query(beyond).execute(&mut c).unwrap_err().to_string();
        assert!(e.contains("denied"), "{beyond}: {e}");
    }
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("x.backup");
    backup::make(&Db::open(own.address(), 2).unwrap(), &own.address(), &file).unwrap();
    backup::restore(&other.address(), &file).unwrap();
    let second = other.serve(0);
    let ida = Person::of(&second, "ida", PASSWORD);
    assert_eq!(ida.get(&format!("/api/jobs/{job}/model")).status(), 200);
}

/// One a day, seven of them; one that fails is told, and the last good one stays named.
#[test]
fn backups_by_the_clock() {
    let h = peopled(0);
    let dir = tempfile::tempdir().unwrap();
    let (db, address) = (h.base().db.clone(), h.base().address());
    let clock = |dir: &Path| backup::by_clock(&db, &address, dir);
    for day in 1..=9 {
        std::fs::write(dir.path().join(format!("goldchip-2026-01-{day:02}-030000.backup")), "old").unwrap();
    }
    std::fs::write(dir.path().join("mine.txt"), "mine").unwrap();
    // A house that was killed has left one half done.
    std::fs::create_dir(dir.path().join(".goldchip-backup-half")).unwrap();
    // Their age is that of the files.
    for f in std::fs::read_dir(dir.path()).unwrap() {
        let f = std::fs::File::open(f.unwrap().path()).unwrap();
        f.set_modified(std::time::SystemTime::now() - std::time::Duration::from_secs(25 * 3600)).unwrap();
    }
    assert_eq!(clock(dir.path()), Ok(true));
    assert_eq!(clock(dir.path()), Ok(false), "one a day");
    let mut names: Vec<String> =
        std::fs::read_dir(dir.path()).unwrap().map(|f| f.unwrap().file_name().into_string().unwrap()).collect();
    names.sort();
    assert_eq!(names.len(), backup::KEPT + 1);
    assert!(names[0] == "goldchip-2026-01-04-030000.backup" && names[7] == "mine.txt", "{names:?}");
    let why = clock(Path::new("/proc/nowhere")).unwrap_err();
    assert!(why.contains("/proc/nowhere"), "{why}");
    let ida = Person::of(&h, "ida", PASSWORD);
    let k = ida.json("/api/keeping");
    assert!(k["backup"]["bytes"].as_i64().unwrap() > 1000 && k["failed"]["why"].as_str().unwrap().contains("nowhere"));
    // Where they lie is the owner's business.
    let bruno = Person::of(&h, "bruno", PASSWORD).json("/api/keeping");
    assert_eq!((bruno["backup"]["file"].as_str(), bruno["failed"]["why"].is_null()), (Some(""), true));
}

/// A house is closed at once even while it makes a backup; nothing half done stays, and the try is told.
#[test]
fn a_house_closes_in_the_middle_of_a_backup() {
    use std::os::unix::fs::PermissionsExt;
    let (dir, fake) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    let dump = fake.path().join("mariadb-dump");
    std::fs::write(&dump, "#!/bin/sh\nexec sleep 60\n").unwrap();
    std::fs::set_permissions(&dump, std::fs::Permissions::from_mode(0o755)).unwrap();
    let path = format!("{}:{}", fake.path().display(), std::env::var("PATH").unwrap());
    let mut h = House::with_env(Base::new(), 0, &[("GOLDCHIP_BACKUPS", dir.path().to_str().unwrap()), ("PATH", &path)]);
    let begun = std::time::Instant::now();
    while std::fs::read_dir(dir.path()).unwrap().count() == 0 {
        assert!(begun.elapsed().as_secs() < 20, "it begins by itself");
        std::thread::sleep(std::time::Duration::from_millis(50));
    }
    let took = h.end();
    println!("closed in the middle of a backup after {took:?}");
    assert!(took.as_secs() < 10, "{took:?}");
    assert_eq!(std::fs::read_dir(dir.path()).unwrap().count(), 0);
    assert!(h.log().contains("no backup was made: the house closes"), "{}", h.log());
}

fn thrown(p: &Person, job: i64) -> ureq::http::Response<ureq::Body> {
    p.agent.delete(format!("{}/api/jobs/{job}", p.at)).call().unwrap()
}

/// An archived job goes into the bin, comes back, and is gone for good after its time, with what it alone brought.
#[test]
fn the_bin() {
    let h = peopled(0);
    let (ida, carla) = (Person::of(&h, "ida", PASSWORD), Person::of(&h, "carla", "another-password"));
    let (a, b, c) = (ida.job("spider-plate.step"), ida.job("spider-plate.step"), ida.job("worm-cover.step"));
    ida.decide(a, 0, json!({"about": "material", "id": "brass"}));
    let (status, code, why) = refusal(thrown(&ida, a));
    assert_eq!((status, code.as_str()), (400, "bad"), "{why}");
    for j in [a, c] {
        assert_eq!(ida.patch(&format!("/api/jobs/{j}"), &json!({"archived": true})).status(), 204);
    }
    let goes = ida.json(&format!("/api/jobs/{a}/goes"));
    assert!(goes["decisions"] == 1 && goes["bytes"].as_i64().unwrap() > 10_000, "{goes}");
    assert_eq!(
        (thrown(&ida, a).status(), thrown(&ida, c).status()),
        (204.try_into().unwrap(), 204.try_into().unwrap())
    );
    // It is nowhere, but in the bin.
    assert_eq!(refusal(ida.get(&format!("/api/jobs/{a}"))).0, 404);
    assert_eq!(ida.json("/api/jobs")["jobs"].as_array().unwrap().len(), 1);
    let bin = ida.json("/api/keeping")["bin"].clone();
    assert_eq!(bin.as_array().unwrap().len(), 2);
    assert!(bin[0]["goes_at"].as_str().unwrap() > bin[0]["deleted_at"].as_str().unwrap());
    // Of another shop nobody takes it back.
    assert_eq!(carla.json("/api/keeping")["bin"], json!([]));
    assert_eq!(refusal(carla.act(a, "back")).0, 404);
    assert_eq!(ida.act(a, "back").status(), 204);
    assert_eq!(ida.state(a)["decisions"].as_array().unwrap().len(), 1);
    assert_eq!(refusal(ida.act(a, "back")).0, 404);
    assert_eq!(thrown(&ida, a).status(), 204);

    let names = |db: &Db| {
        use server::db::schema::blobs::dsl;
        db.act(|c| Ok(dsl::blobs.filter(dsl::kept.eq(true)).order(dsl::name).select(dsl::name).load::<String>(c)?))
            .unwrap()
    };
    let (db, before) = (&h.base().db, names(&h.base().db));
    let tidy = |days: i64| db.act(|c| keeping::tidy(c, now() + chrono::Duration::days(days))).unwrap();
    tidy(keeping::BIN_DAYS - 1);
    assert_eq!(names(db), before, "its time is not over");
    tidy(keeping::BIN_DAYS + 1);
    let after = names(db);
    // The worm cover's model is gone; the spider plate's stays, for the other job has it too.
    assert_eq!((before.len(), after.len()), (6, 3));
    let ida = Person::of(&h, "ida", PASSWORD);
    assert_eq!(ida.json("/api/keeping")["bin"], json!([]));
    assert_eq!(ida.get(&format!("/api/jobs/{b}/model")).status(), 200);
    assert_eq!(refusal(ida.act(a, "back")).0, 404);
}

/// A shop that is full takes nothing more, says so, and goes on deciding.
#[test]
fn a_shop_has_its_room() {
    let h = peopled(0);
    let ida = Person::of(&h, "ida", PASSWORD);
    let job = ida.job("spider-plate.step");
    assert_eq!(refusal(ida.patch("/api/keeping", &json!({"quota_mb": 1}))).0, 400);
    assert_eq!(ida.patch("/api/keeping", &json!({"quota_mb": 100})).status(), 204);
    h.base()
        .db
        .act(|c| {
            use server::db::schema::shops::dsl;
            Ok(diesel::update(dsl::shops).set(dsl::quota_mb.eq(0)).execute(c)?)
        })
        .unwrap();
    let bytes = std::fs::read(part("worm-cover.step")).unwrap();
    let (status, code, why) = refusal(ida.give("worm-cover.step", &bytes));
    assert_eq!((status, code.as_str()), (413, "quota"));
    assert!(why.contains("0 MB that it may") && why.contains("archived"), "{why}");
    assert_eq!(ida.decide(job, 0, json!({"about": "material", "id": "brass"})).status(), 200);
    assert_eq!(ida.json("/api/jobs")["jobs"].as_array().unwrap().len(), 1);
}

/// On a disk that is nearly full nothing large is taken; what is small still is, and all can be read.
#[test]
fn a_disk_that_is_nearly_full() {
    let h = peopled_with(0, &[("GOLDCHIP_DATA", "/tmp"), ("GOLDCHIP_SPARE_MB", "900000000")]);
    let ida = Person::of(&h, "ida", common::person::PRIVATE);
    let bytes = std::fs::read(part("worm-cover.step")).unwrap();
    let (status, code, why) = refusal(ida.give("worm-cover.step", &bytes));
    assert_eq!((status, code.as_str()), (507, "full"));
    assert!(why.contains("disk is full") && !why.contains("900000000"), "{why}");
    assert_eq!(ida.json("/api/jobs")["jobs"], json!([]));
    assert_eq!(ida.patch("/api/shop", &json!({"units": "inch"})).status(), 204);
    assert!(ida.json("/api/keeping")["free_mb"].as_i64().unwrap() > 0);
}

/// A shop of one's own: no demo comes into it.
#[test]
fn a_shop_of_ones_own() {
    use std::io::Write;
    use std::process::Stdio;
    let base = Base::new();
    let run = |args: &[&str], input: &str| {
        let mut c = Command::new(program());
        c.args(args).env("GOLDCHIP_DATABASE", &base.url).stdin(Stdio::piped()).stdout(Stdio::piped());
        let mut child = c.spawn().unwrap();
        child.stdin.take().unwrap().write_all(input.as_bytes()).unwrap();
        String::from_utf8(child.wait_with_output().unwrap().stdout).unwrap()
    };
    assert!(run(&["shop", "Hollow lane works", "mina"], "seven blunt drills\n").contains("mina is the owner"));
    assert!(run(&["demo", "--parts", part("").to_str().unwrap()], "").contains("0 jobs"));
    let h = House::with(base, 0);
    let mina = Person::of(&h, "mina", "seven blunt drills");
    let me: Value = body(mina.get("/api/me"));
    assert_eq!((me["shop"].as_str(), me["owner"].as_bool()), (Some("Hollow lane works"), Some(true)));
    assert_eq!(refusal(mina.sign_in("ida", PASSWORD)).0, 401);
}

#[derive(QueryableByName)]
struct Count {
    #[diesel(sql_type = Bigint)]
    n: i64,
}

/// Tasks that are over go; whose turn it was, and the newest of each job, stay known.
#[test]
fn tasks_that_are_over_go() {
    let h = peopled(0);
    let ida = Person::of(&h, "ida", PASSWORD);
    let job = ida.job("spider-plate.step");
    for k in 0..5 {
        ida.decide(job, k, json!({"about": "material", "id": if k % 2 == 0 { "brass" } else { "acetal" }}));
    }
    let count = || {
        h.base().db.act(|c| Ok(diesel::sql_query("SELECT COUNT(*) AS n FROM tasks").get_result::<Count>(c)?.n)).unwrap()
    };
    assert_eq!(count(), 6);
    h.base().db.act(|c| keeping::tidy(c, now())).unwrap();
    assert_eq!(count(), 1);
    assert_eq!(ida.state(job)["card"]["work"]["kind"], "waiting");
}
