//! Power cuts: server, worker and database die at random while four people decide. `GOLDCHIP_KILL_ROUNDS=200 cargo test -p server --test kill` is
//! the long form; `./check` runs a few rounds.

mod common;

use common::own::{OwnDb, patient};
use common::person::{Person, body, refusal};
use common::{children, kill, part};
use serde_json::{Value, json};
use server::db::Db;
use server::demo::PASSWORD;
use server::fault::Fault;
use server::jobs;
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// A question of somebody's that nobody else asks.
fn question(who: usize, n: usize) -> Value {
    let ask =
        json!({"text": format!("q{who}-{n}"), "proposal": "", "whom": "", "when": "", "blocks": "", "answer": ""});
    json!({"about": "ask", "id": format!("p{who}-{n}"), "ask": ask})
}

/// What was acknowledged is there, once; what is sent again because no answer came is made once; every job comes to its plan.
#[test]
fn nothing_acknowledged_is_lost_and_nothing_is_doubled() {
    let rounds: usize = std::env::var("GOLDCHIP_KILL_ROUNDS").map_or(5, |r| r.parse().unwrap());
    let own = OwnDb::start("");
    let mut house = own.house(1);
    let address = house.address.clone();
    let listen = address.strip_prefix("http://").unwrap().to_string();
    let ida = Person::of(&house, "ida", PASSWORD);
    let jobs = [ida.job("spider-plate.step"), ida.job("spider-plate.step")];
    let over = AtomicBool::new(false);
    let (mut worst, mut killed) = (Duration::ZERO, BTreeMap::new());
    let made: Vec<Vec<(i64, String, i64)>> = std::thread::scope(|s| {
        let people: Vec<_> = (0..4)
            .map(|who| {
                let (at, over) = (address.clone(), &over);
                let name = if who % 2 == 0 { "ida" } else { "bruno" };
                s.spawn(move || {
                    let p = Person { agent: Person::agent(), at };
                    patient(&p, |p| {
                        p.agent
                            .post(format!("{}/api/session", p.at))
                            .send_json(json!({"name": name, "password": PASSWORD}))
                    });
                    let (mut out, mut seen) = (Vec::new(), [0_i64; 2]);
                    for n in 0.. {
                        if over.load(Ordering::Relaxed) {
                            break;
                        }
                        let (k, decision) = (n % 2, question(who, n));
                        let word = format!("word-{who}-{n}");
                        let sent = json!({"revision": seen[k], "decision": decision});
                        let url = format!("{}/api/jobs/{}/decisions", p.at, jobs[k]);
                        let r = patient(&p, |p| p.agent.post(&url).header("idempotency-key", &word).send_json(&sent));
                        assert_eq!(r.status(), 200, "{:?}", refusal(r));
                        seen[k] = body(r)["revision"].as_i64().unwrap();
                        out.push((jobs[k], decision["id"].as_str().unwrap().to_string(), seen[k]));
                        std::thread::sleep(Duration::from_millis(fastrand::u64(5..60)));
                    }
                    out
                })
            })
            .collect();
        let mut rng = fastrand::Rng::new();
        for round in 0..rounds {
            std::thread::sleep(Duration::from_millis(rng.u64(300..1500)));
            let what =
                ["server", "worker", "database", "database elsewhere"][if round < 4 { round } else { rng.usize(..4) }];
            *killed.entry(what).or_insert(0) += 1;
            let start = Instant::now();
            match what {
                "server" => {
                    house.kill();
                    house = own.serve_at(&listen, 1);
                }
                "worker" => children(house.pid(), "worker-hand").iter().for_each(|w| kill(w, "KILL")),
                _ => {
                    own.kill();
                    own.again(what == "database elsewhere");
                }
            }
            let nobody = Person { agent: Person::agent(), at: address.clone() };
            // Signed out is an answer of the database too: a stranger's token is looked up in it.
            let cookie = format!("goldchip-{}=x", listen.rsplit_once(':').unwrap().1);
            patient(&nobody, |p| p.agent.get(format!("{}/api/me", p.at)).header("cookie", &cookie).call());
            worst = worst.max(start.elapsed());
        }
        over.store(true, Ordering::Relaxed);
        people.into_iter().map(|p| p.join().unwrap()).collect()
    });
    let all: Vec<(i64, String, i64)> = made.into_iter().flatten().collect();
    println!(
        "{rounds} deaths {killed:?}; {} decisions acknowledged; away for {:.1} s at most",
        all.len(),
        worst.as_secs_f64()
    );
    assert!(all.len() > 4 * rounds, "people got something done: {}", all.len());
    assert!(worst < Duration::from_secs(15), "{worst:?}");
    let ida = Person::of(&house, "ida", PASSWORD);
    let mut found: BTreeMap<(i64, String), Vec<i64>> = BTreeMap::new();
    for job in jobs {
        for (k, d) in ida.state(job)["decisions"].as_array().unwrap().iter().enumerate() {
            assert_eq!(d["revision"].as_i64(), Some(k as i64 + 1), "numbers follow one another");
            let id = d["decision"]["id"].as_str().unwrap().to_string();
            found.entry((job, id)).or_default().push(d["revision"].as_i64().unwrap());
        }
    }
    assert_eq!(found.len(), all.len(), "all that was made was acknowledged in the end");
    for (job, id, revision) in all {
        assert_eq!(found.get(&(job, id.clone())), Some(&vec![revision]), "{id} of job {job}");
    }
    for job in jobs {
        ida.wait(job, "its plan", |s| s["fresh"] == true);
    }
}

/// The database dies and comes back on another port: what is asked meanwhile is told in words, and nothing has to be started anew.
#[test]
fn a_database_that_dies_and_moves() {
    let own = OwnDb::start("");
    let house = own.house(0);
    let ida = Person::of(&house, "ida", PASSWORD);
    let job = ida.job("spider-plate.step");
    let port = own.port();
    own.kill();
    let start = Instant::now();
    let (status, code, why) = refusal(ida.get("/api/jobs"));
    assert_eq!((status, code.as_str()), (503, "away"));
    assert!(why.contains("What was saved is safe"), "{why}");
    let told = start.elapsed();
    // Who is started now, as a worker or a looker is, is told when it asks, and waits.
    let late = Db::join(own.address(), 1);
    assert!(matches!(late.act(jobs::renew), Err(Fault::Away(_))));
    assert_eq!(refusal(ida.decide(job, 0, json!({"about": "material", "id": "brass"}))).1, "away");
    let start = Instant::now();
    own.again(true);
    assert_ne!(own.port(), port);
    let r = patient(&ida, |p| p.agent.get(format!("{}/api/jobs", p.at)).call());
    assert_eq!(r.status(), 200);
    let back = start.elapsed();
    assert!(late.act(jobs::renew).is_ok());
    println!("told after {:.1} s; with the new database there after {:.1} s", told.as_secs_f64(), back.as_secs_f64());
    assert!(told < Duration::from_secs(5) && back < Duration::from_secs(15));
    assert_eq!(ida.decide(job, 0, json!({"about": "material", "id": "brass"})).status(), 200);
}

/// Where the database has no room left, reading works, writing says so, and nothing is half there.
#[test]
fn a_database_that_is_full() {
    // One space of a fixed size for all tables.
    let own = OwnDb::start("--innodb-file-per-table=0 --innodb-data-file-path=ibdata1:24M");
    let house = own.house(0);
    let ida = Person::of(&house, "ida", PASSWORD);
    let first = ida.job("spider-plate.step");
    let bytes = std::fs::read(part("spider-plate.step")).unwrap();
    let (mut given, mut full) = (1, None);
    while full.is_none() {
        // Another file each time: a comment at its beginning.
        let comment = format!("ISO-10303-21;\n{}", format!("/* {given} */\n").repeat(30_000));
        let other = [comment.as_bytes(), bytes.strip_prefix(b"ISO-10303-21;").unwrap()].concat();
        match ida.give("spider-plate.step", &other) {
            r if r.status() == 200 => given += 1,
            r => full = Some(refusal(r)),
        }
        assert!(given < 200, "it is never full");
    }
    let (status, code, why) = full.unwrap();
    assert_eq!((status, code.as_str()), (507, "full"), "{why}");
    println!("full after {given} models: {why}");
    assert_eq!(ida.json("/api/jobs")["jobs"].as_array().unwrap().len(), given, "no job is half there");
    assert_eq!(ida.state(first)["card"]["title"], "Spider plate");
    assert_eq!(ida.get(&format!("/api/jobs/{first}/model")).status(), 200);
}

/// Sent twice it is made once, whatever it is; another word is another decision, and another person's word is their own.
#[test]
fn what_is_sent_twice_is_made_once() {
    let h = common::person::peopled(0);
    let (ida, bruno) = (Person::of(&h, "ida", PASSWORD), Person::of(&h, "bruno", PASSWORD));
    let job = ida.job("spider-plate.step");
    let send = |p: &Person, path: &str, word: &str, b: &Value| {
        let r = p
            .agent
            .post(format!("{}/api/jobs/{job}/{path}", p.at))
            .header("idempotency-key", word)
            .send_json(b)
            .unwrap();
        let status = r.status().as_u16();
        (status, body(r)["revision"].as_i64())
    };
    let first = json!({"revision": 0, "decision": question(0, 0)});
    assert_eq!(send(&ida, "decisions", "a", &first), (200, Some(1)));
    assert_eq!(send(&ida, "decisions", "a", &first), (200, Some(1)));
    assert_eq!(send(&bruno, "decisions", "a", &json!({"revision": 1, "decision": question(1, 0)})), (200, Some(2)));
    assert_eq!(send(&ida, "undo", "b", &Value::Null), (200, Some(3)));
    assert_eq!(send(&ida, "undo", "b", &Value::Null), (200, Some(3)), "it takes back one thing, not two");
    assert_eq!(send(&ida, "redo", "c", &Value::Null), (200, Some(4)));
    assert_eq!(send(&ida, "redo", "c", &Value::Null), (200, Some(4)));
    assert_eq!(send(&ida, "decisions", &"x".repeat(65), &first).0, 400);
    assert_eq!(ida.state(job)["decisions"].as_array().unwrap().len(), 4);
}
