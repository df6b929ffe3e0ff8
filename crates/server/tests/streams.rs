//! Streams of events under load: what they ask of the database, how many one may have, and when they end.

mod common;

use common::Base;
use common::person::{Person, peopled, refusal};
use diesel::prelude::*;
use serde_json::json;
use server::db::Conn;
use server::db::schema::people;
use server::demo::PASSWORD;
use server::fault::Fault;
use server::jobs;
use server::people as persons;
use std::io::Read;
use std::time::{Duration, Instant};

#[derive(QueryableByName)]
struct Status {
    #[diesel(sql_type = diesel::sql_types::Text)]
    #[diesel(column_name = Value)]
    value: String,
}

/// Questions and changes that the whole database server has had.
fn counts(c: &mut Conn) -> Result<[u64; 2], Fault> {
    let mut get = |name: &str| -> Result<u64, Fault> {
        let r: Status = diesel::sql_query(format!("SHOW GLOBAL STATUS LIKE '{name}'")).get_result(c)?;
        Ok(r.value.parse().unwrap())
    };
    Ok([get("Com_select")?, get("Com_update")? + get("Com_insert")? + get("Com_delete")?])
}

fn more_jobs(base: &Base, n: usize) {
    base.db
        .act(|c| {
            let shop: i64 = people::table.filter(people::name.eq("ida")).select(people::shop_id).first(c)?;
            for k in 0..n {
                common::empty_job(c, shop, &format!("Job {k}"))?;
            }
            Ok(())
        })
        .unwrap();
}

/// Three hundred streams over five hundred jobs ask the database next to nothing while nothing happens, and write nothing.
/// Other tests use the same server, so the least of several looks counts.
#[test]
fn streams_at_rest_ask_for_next_to_nothing() {
    let h = peopled(0);
    more_jobs(h.base(), 500);
    let shop: i64 = h
        .base()
        .db
        .act(|c| Ok(people::table.filter(people::name.eq("ida")).select(people::shop_id).first(c)?))
        .unwrap();
    for k in 0..25 {
        let name = format!("member {k} of the shop");
        h.base().db.act(|c| persons::add(c, shop, &name, "three odd lathes sing", false)).unwrap();
    }
    let people: Vec<Person> =
        (0..25).map(|k| Person::of(&h, &format!("member {k} of the shop"), "three odd lathes sing")).collect();
    let mut streams = Vec::new();
    for p in &people {
        for _ in 0..server::watch::STREAMS {
            let mut r = p.get("/api/events").into_body().into_reader();
            let mut first = [0; 6];
            r.read_exact(&mut first).unwrap();
            assert_eq!(&first, b"event:");
            streams.push(r);
        }
    }
    assert_eq!(streams.len(), 300);
    std::thread::sleep(Duration::from_millis(500));
    let second = Duration::from_secs(1);
    let looks: Vec<[u64; 2]> = (0..5)
        .map(|_| {
            let a = h.base().db.act(counts).unwrap();
            std::thread::sleep(second);
            let b = h.base().db.act(counts).unwrap();
            [b[0] - a[0], b[1] - a[1]]
        })
        .collect();
    let least = |k: usize| looks.iter().map(|l| l[k]).min().unwrap();
    println!("selects and changes a second: {looks:?}");
    assert!(least(0) <= 50 && least(1) <= 4, "{looks:?}");
    // The house is quick with all of them open.
    for path in ["/api/jobs", "/api/me"] {
        let mut took: Vec<Duration> = (0..40)
            .map(|_| {
                let start = Instant::now();
                let answer = people[0].json(path);
                assert!(path == "/api/me" || answer["jobs"].as_array().unwrap().len() == jobs::PAGE as usize);
                start.elapsed()
            })
            .collect();
        took.sort();
        println!("{path} beside 300 streams: {:?} in the middle, {:?} at most", took[20], took[39]);
    }
    drop(streams);
}

/// The bench comes in pages, and what is looked for is found whatever page it is on.
#[test]
fn the_bench_comes_in_pages() {
    let h = peopled(0);
    more_jobs(h.base(), 250);
    let ida = Person::of(&h, "ida", PASSWORD);
    let (mut seen, mut before): (Vec<i64>, String) = Default::default();
    loop {
        let page = ida.json(&format!("/api/jobs{before}"));
        let ids: Vec<i64> = page["jobs"].as_array().unwrap().iter().map(|j| j["id"].as_i64().unwrap()).collect();
        seen.extend(&ids);
        if page["more"] == false {
            assert_eq!(ids.len(), 50);
            break;
        }
        assert_eq!(ids.len(), 100);
        before = format!("?before={}", ids[99]);
    }
    assert!(seen.len() == 250 && seen.windows(2).all(|w| w[0] > w[1]), "each once, the newest first");
    let titles = |find: &str| -> Vec<String> {
        let page = ida.json(&format!("/api/jobs?find={find}"));
        page["jobs"].as_array().unwrap().iter().map(|j| j["title"].as_str().unwrap().to_string()).collect()
    };
    assert_eq!(titles("JOB%2013")[..2], ["Job 139", "Job 138"]);
    assert_eq!(titles("job%2013").len(), 11);
    assert_eq!(titles("x.STEP").len(), 100);
    // Letters that mean something to the database mean themselves.
    for odd in ["%25", "_", "%5C", "%27"] {
        assert_eq!(titles(odd), Vec::<String>::new(), "{odd}");
    }
    assert_eq!(ida.patch(&format!("/api/jobs/{}", seen[0]), &json!({"archived": true})).status(), 204);
    let (bench, away) = (ida.json("/api/jobs"), ida.json("/api/jobs?archived=true"));
    assert_eq!((bench["archived"].as_i64(), away["jobs"].as_array().unwrap().len()), (Some(1), 1));
    assert_eq!(bench["jobs"][0]["id"], seen[1]);
}

#[test]
fn streams_are_counted_and_end_with_their_session() {
    let h = peopled(0);
    let ida = Person::of(&h, "ida", PASSWORD);
    let open = || ida.get("/api/events");
    let streams: Vec<_> = (0..server::watch::STREAMS).map(|_| open()).collect();
    assert!(streams.iter().all(|s| s.status() == 200));
    let more = open();
    assert_eq!(more.status(), 429);
    assert_eq!(refusal(more).1, "too_many_streams");
    // Another of hers, at another screen, goes on when this one signs out.
    let start = Instant::now();
    assert_eq!(ida.agent.delete(format!("{}/api/session", h.address)).call().unwrap().status(), 204);
    for s in streams {
        let mut rest = String::new();
        let _ = s.into_body().into_reader().read_to_string(&mut rest);
    }
    assert!(start.elapsed() < Duration::from_secs(5), "{:?}", start.elapsed());
    let again = Person::of(&h, "ida", PASSWORD);
    assert_eq!(again.get("/api/events").status(), 200);
}
