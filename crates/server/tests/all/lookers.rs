//! What a screen waits for is computed beside the server.

use crate::common::kill;
use crate::common::person::{Person, peopled, refusal};
use serde_json::json;
use server::demo::PASSWORD;
use std::time::{Duration, Instant};

fn lookers_of(server: u32) -> Vec<String> {
    crate::common::children(server, "looker-hand")
}

/// Processor time that a process used so far, s.
fn used(pid: &str) -> f64 {
    let stat = std::fs::read_to_string(format!("/proc/{pid}/stat")).unwrap();
    let fields: Vec<&str> = stat.rsplit_once(')').unwrap().1.split_whitespace().collect();
    let ticks: f64 = fields[11].parse::<f64>().unwrap() + fields[12].parse::<f64>().unwrap();
    ticks / 100.0
}

/// Reading, triangles, sections, measuring, the rack and files: the server itself only passes them on; who looks has the part at hand.
#[test]
fn the_server_computes_nothing_of_a_part() {
    let h = peopled(0);
    let ida = Person::of(&h, "ida", PASSWORD);
    let server = h.pid().to_string();
    let before = used(&server);
    let job = ida.job("spider-plate.step");
    let look = |n: usize| {
        let cut = json!({"axis": 2, "at": 1.0 + n as f64 * 0.1});
        assert_eq!(ida.post(&format!("/api/jobs/{job}/section"), &cut).status(), 200);
        let spots = json!({"a": {"face": 0, "point": [0.0, 0.0, 0.0]}, "b": null});
        assert_eq!(ida.post(&format!("/api/jobs/{job}/measure"), &spots).status(), 200);
        assert_eq!(ida.get(&format!("/api/jobs/{job}/stock")).status(), 200);
        assert_eq!(ida.get(&format!("/api/jobs/{job}/mesh")).status(), 200);
    };
    look(0);
    let start = Instant::now();
    (1..11).for_each(look);
    let warm = start.elapsed() / 40;
    for what in ["part.stl", "part.step", "outline.dxf"] {
        let mut r = ida.get(&format!("/api/jobs/{job}/export/{what}"));
        assert_eq!(r.status(), 200, "{what}");
        assert!(r.body_mut().read_to_vec().unwrap().len() > 1000);
    }
    let hands = lookers_of(h.pid());
    assert!((1..=2).contains(&hands.len()), "warm, not one an ask: {hands:?}");
    let (mine, theirs) = (used(&server) - before, hands.iter().map(|p| used(p)).sum::<f64>());
    println!("server {mine:.2} s, lookers {theirs:.2} s of processor; {warm:?} an ask when warm");
    assert!(mine < theirs / 2.0, "the server computes: {mine} s against {theirs} s");
}

/// A looker that dies is replaced, whoever waited is told, and the house closes at once while one is at work.
#[test]
fn a_looker_may_die() {
    let mut h = peopled(0);
    let ida = Person::of(&h, "ida", PASSWORD);
    let job = ida.job("spider-plate.step");
    let cut = json!({"axis": 2, "at": 1.0});
    let section = || ida.post(&format!("/api/jobs/{job}/section"), &cut);
    assert_eq!(section().status(), 200);
    // While it is idle nobody notices.
    lookers_of(h.pid()).iter().for_each(|p| kill(p, "KILL"));
    assert_eq!(section().status(), 200);
    // While it is at work another does it.
    lookers_of(h.pid()).iter().for_each(|p| kill(p, "STOP"));
    std::thread::scope(|s| {
        let waiting = s.spawn(section);
        std::thread::sleep(Duration::from_millis(300));
        lookers_of(h.pid()).iter().for_each(|p| kill(p, "KILL"));
        assert_eq!(waiting.join().unwrap().status(), 200);
    });
    assert!(h.log().matches("a looker died").count() >= 2);
    // What is refused beside is refused here, with the same words.
    let (status, code, why) = refusal(
        ida.post(&format!("/api/jobs/{job}/measure"), &json!({"a": {"face": 9999, "point": [0, 0, 0]}, "b": null})),
    );
    assert!(status == 400 && code == "bad" && why.contains("9999"), "{status} {code} {why}");
    assert_eq!(
        refusal(ida.get(&format!("/api/jobs/{job}/mesh-before"))),
        (404, "no_such".into(), "There is no such revision before in this shop".into())
    );
    let bad = refusal(ida.give("x.step", b"no model"));
    assert_eq!((bad.0, bad.1.as_str()), (422, "model_refused"));
    // A large mesh is being read when the house is told to close.
    let triangle = [0_u8; 50];
    let mut stl = vec![0; 80];
    stl.extend(900_000_u32.to_le_bytes());
    stl.extend(triangle.repeat(900_000));
    let agent = ida.agent.clone();
    let url = format!("{}/api/jobs?file=x.stl", h.address);
    let giving = std::thread::spawn(move || agent.post(url).send(&stl[..]).map(|r| r.status().as_u16()));
    std::thread::sleep(Duration::from_millis(600));
    let hands = lookers_of(h.pid());
    assert!(!hands.is_empty());
    let took = h.end();
    let alive = |p: &String| std::path::Path::new(&format!("/proc/{p}")).exists();
    let end = Instant::now() + Duration::from_secs(3);
    while hands.iter().any(alive) {
        assert!(Instant::now() < end, "lookers outlive their house: {hands:?}");
        std::thread::sleep(Duration::from_millis(50));
    }
    println!("closed after {took:?}");
    assert!(took < Duration::from_secs(10), "{took:?}");
    let _ = giving.join().unwrap();
}
