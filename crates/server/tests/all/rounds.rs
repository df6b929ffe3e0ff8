//! The trainer as a browser sees it, on the real database: a fault is hidden by a worker, told only to whoever answered, and nobody else hears of it.

use crate::common::person::{Person, body, peopled, refusal};
use serde_json::{Value, json};
use server::demo::PASSWORD;

fn ready(p: &Person, at: &str) -> Value {
    for _ in 0..600 {
        let r = p.json(at);
        assert!(r["brief"]["why"].is_null(), "{}", r["brief"]["why"]);
        if r["brief"]["ready"] == true {
            return r;
        }
        std::thread::sleep(std::time::Duration::from_millis(200));
    }
    panic!("no round came");
}

#[test]
fn a_round_is_hidden_read_answered_and_ones_own() {
    let house = peopled(1);
    let ida = Person::of(&house, "ida", PASSWORD);
    let job = ida.job("shutter-lever.step");
    let ask = format!("/api/jobs/{job}/rounds");
    assert_eq!(refusal(ida.post(&ask, &Value::Null)).1, "not_yet");
    let plan = ida.wait(job, "a plan", |s| s["fresh"] == true);
    let sheet = ida.json(&format!("/api/jobs/{job}/sheet"));
    assert!(plan["fresh"] == true);

    let first = body(ida.post(&ask, &Value::Null));
    assert!(first["truth"].is_null() && first["ended"].is_null());
    // Asked again while it is open it is the same one.
    assert_eq!(body(ida.post(&ask, &Value::Null))["id"], first["id"]);
    let at = format!("{ask}/{}", first["id"]);
    let round = ready(&ida, &at);
    // What is read is there, the truth is not.
    let lesson = &round["lesson"];
    assert!(lesson["side"]["program"].as_str().unwrap().lines().count() > 20);
    assert!(lesson["steps"].as_array().unwrap().len() > 5 && !lesson["tools"].as_array().unwrap().is_empty());
    assert_eq!(lesson["strip"]["setups"].as_array().unwrap().len(), 1);
    assert!(round["brief"]["truth"].is_null() && round["brief"]["marks"].is_null());
    assert_eq!(ida.get(&format!("{at}/history")).status(), 200);
    // Not to anybody else, of the same shop or of another; nor to the owner.
    let bruno = Person::of(&house, "bruno", PASSWORD);
    let carla = Person::of(&house, "carla", "another-password");
    for other in [&bruno, &carla] {
        assert_eq!(refusal(other.get(&at)).0, 404);
        assert_eq!(refusal(other.get(&format!("{at}/history"))).0, 404);
        assert_eq!(refusal(other.post(&format!("{at}/answer"), &json!({"said": null}))).0, 404);
        assert_eq!(other.json("/api/rounds")["list"], json!([]));
    }

    // Given up: the truth is told, and is what differs from the plan.
    assert_eq!(refusal(ida.post(&format!("{at}/answer"), &json!({"said": {"wrong": "weather"}}))).0, 400);
    let over = body(ida.post(&format!("{at}/answer"), &json!({"said": null})));
    let truth = &over["brief"]["truth"];
    assert_eq!(over["brief"]["marks"]["points"], 0);
    let name = lesson["side"]["name"].as_str().unwrap();
    let own = sheet["sides"].as_array().unwrap().iter().find(|s| s["name"] == name).unwrap();
    let same = |field: &str| own[field] == lesson["side"][field];
    match truth["wrong"].as_str().unwrap() {
        "nothing" => assert!(same("program") && same("tools") && same("datum")),
        "cutter" => assert!(same("program") && !same("tools")),
        "zero" => assert!(same("program") && !same("datum")),
        _ => {
            assert!(!same("program") && same("tools") && same("datum"));
            let first = truth["lines"][0].as_u64().unwrap() as usize;
            let last = truth["lines"][1].as_u64().unwrap() as usize;
            let lines = |s: &Value| s["program"].as_str().unwrap().lines().map(String::from).collect::<Vec<_>>();
            let (was, is) = (lines(own), lines(&lesson["side"]));
            let differs = (0..is.len()).find(|&k| was.get(k) != is.get(k)).unwrap_or(is.len()) + 1;
            assert!((first..=last + 1).contains(&differs), "{truth}: {differs}");
        }
    }
    // It is answered once.
    assert_eq!(refusal(ida.post(&format!("{at}/answer"), &json!({"said": null}))).0, 400);
    // The next one, answered by what it is: whole marks. The truth is not told before, so the right answer is taken from a round that was given up; here a person
    // says that nothing is wrong.
    let second = body(ida.post(&ask, &Value::Null));
    assert_ne!(second["id"], first["id"]);
    let at = format!("{ask}/{}", second["id"]);
    ready(&ida, &at);
    let over = body(ida.post(&format!("{at}/answer"), &json!({"said": {"wrong": "nothing"}})));
    let clean = over["brief"]["truth"]["wrong"] == "nothing";
    assert_eq!(over["brief"]["marks"]["points"], if clean { 100 } else { 0 });
    let eye = ida.json("/api/rounds");
    assert_eq!((eye["rounds"].as_u64(), eye["whole"].as_u64()), (Some(2), Some(u64::from(clean))));
    assert_eq!(eye["list"].as_array().unwrap().len(), 2);
    assert_eq!(bruno.json("/api/rounds")["rounds"], 0);
}
