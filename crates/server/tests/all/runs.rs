//! Runs at the machine as a browser sees them, on the real database: begun only from a proved plan, kept once, led step by step, and left in the log.

use crate::common::House;
use crate::common::person::{Person, body, peopled, refusal};
use serde_json::{Value, json};
use server::demo::PASSWORD;

fn text(r: ureq::http::Response<ureq::Body>) -> String {
    let mut out = String::new();
    std::io::Read::read_to_string(&mut r.into_body().into_reader(), &mut out).unwrap();
    out
}

fn act(p: &Person, at: &str, id: &str, act: &Value) -> ureq::http::Response<ureq::Body> {
    p.post(&format!("{at}/entries"), &json!({"id": id, "at_ms": 0, "act": act}))
}

fn planned(step: &Value, way: usize) -> Value {
    let w = &step["ways"][way];
    let mut values = serde_json::Map::new();
    for a in w["asks"].as_array().unwrap() {
        if a["planned"].is_number() {
            values.insert(a["id"].as_str().unwrap().into(), a["planned"].clone());
        }
    }
    json!({"kind": "done", "step": step["id"], "way": w["id"], "values": values, "sure": false, "note": ""})
}

fn begun(house: &House) -> (Person, i64, Value) {
    let ida = Person::of(house, "ida", PASSWORD);
    let job = ida.job("shutter-lever.step");
    // Not before it is proved.
    assert_eq!(refusal(ida.post(&format!("/api/jobs/{job}/runs"), &Value::Null)).1, "not_yet");
    ida.wait(job, "a plan", |s| s["fresh"] == true);
    let run = body(ida.post(&format!("/api/jobs/{job}/runs"), &Value::Null));
    (ida, job, run)
}

#[test]
fn a_run_is_led_from_stock_to_the_last_size_by_two_people_and_stands_in_the_log() {
    let house = peopled(1);
    let (ida, job, run) = begun(&house);
    let bruno = Person::of(&house, "bruno", PASSWORD);
    let at = format!("/api/jobs/{job}/runs/{}", run["brief"]["id"]);
    let steps = run["card"]["steps"].as_array().unwrap().clone();
    assert!(steps.len() > 12 && run["state"]["next"] == steps[0]["id"] && run["stale"] == false);
    // Its programs are kept as they left.
    assert_eq!(ida.state(job)["issued"].as_array().unwrap().len(), run["card"]["programs"].as_array().unwrap().len());

    // The second step is not taken before the first.
    let (status, _, why) = refusal(act(&ida, &at, "early", &planned(&steps[1], 0)));
    assert!(status == 400 && why.starts_with("First:"), "{why}");
    for (k, s) in steps.iter().enumerate() {
        let who = if k % 2 == 0 { &ida } else { &bruno };
        let id = format!("step-{k}");
        let way = usize::from(s["kind"] == "zero" && s["ways"].as_array().unwrap().len() > 2);
        let told = body(act(who, &at, &id, &planned(s, way)));
        assert_eq!(told["state"]["steps"][k]["standing"], "done", "{} {}", s["id"], told["state"]["steps"][k]);
        // Sent again it is kept once.
        if k == 3 {
            let again = body(act(who, &at, &id, &planned(s, way)));
            assert_eq!(again["entries"].as_array().unwrap().len(), told["entries"].as_array().unwrap().len());
        }
        if s["kind"] == "stock" {
            let mut small = planned(s, 0);
            let first = s["ways"][0]["asks"][0]["id"].as_str().unwrap();
            small["values"][first] = json!(5.0);
            let told = body(act(&bruno, &at, "too-small", &small));
            assert_eq!(told["state"]["steps"][k]["standing"], "stopped");
            assert_eq!(told["state"]["next"], s["id"]);
            body(act(who, &at, "measured-again", &planned(s, 0)));
        }
    }
    let t = run["card"]["tools"][0]["number"].as_u64().unwrap();
    body(act(&ida, &at, "broke", &json!({"kind": "cutter", "tool": t, "length_mm": 91.0, "why": "broken at line 40"})));
    // Broken off at a line: the rest of that very text, kept too.
    let file = run["card"]["programs"][0]["file"].as_str().unwrap();
    let rest = body(ida.post(&format!("{at}/rest"), &json!({"file": file, "line": 60, "how": "last_lift"})));
    let from = rest["restart"]["from_line"].as_u64().unwrap();
    let rest_text = rest["restart"]["text"].as_str().unwrap();
    assert!(from <= 60 && rest_text.contains(&format!("GOES ON FROM LINE {from} OF")), "{rest_text}");
    assert!(ida.state(job)["issued"].as_array().unwrap().iter().any(|i| i["file"] == rest["file"]));
    let (status, _, why) = refusal(ida.post(&format!("{at}/rest"), &json!({"file": file, "line": 1, "how": "step"})));
    assert!(status == 400 && why.contains("from its beginning"), "{why}");
    assert_eq!(refusal(ida.post(&format!("{at}/rest"), &json!({"file": "x.ngc", "line": 9, "how": "step"}))).0, 404);
    let end = body(act(&ida, &at, "end", &json!({"kind": "ended", "good": true, "cause": ""})));
    assert!(end["brief"]["good"] == true && end["brief"]["ended"].is_string());
    assert_eq!(refusal(act(&ida, &at, "late", &json!({"kind": "note", "text": "x"}))).0, 400);

    // In lists, in the log, found by a word, as tables.
    assert_eq!(ida.json(&format!("/api/jobs/{job}/runs")).as_array().unwrap().len(), 1);
    let log = bruno.json("/api/log?find=broken%20at%20line");
    assert_eq!(log["runs"][0]["id"], run["brief"]["id"]);
    assert!(bruno.json("/api/log?find=nowhere")["runs"].as_array().unwrap().is_empty());
    let csv = text(ida.get(&format!("{at}/log.csv")));
    assert!(csv.lines().next().unwrap().starts_with("setup,step,what,value"));
    assert!(csv.contains("Zero X") && csv.contains("broken at line 40") && csv.contains("bruno"), "{csv}");
    assert!(!csv.contains('\u{e000}'), "no marks of lengths");
    let whole: Value = serde_json::from_str(&text(ida.get(&format!("{at}/log.json")))).unwrap();
    assert_eq!(whole["entries"], end["entries"]);

    // Nobody else's.
    let carla = Person::of(&house, "carla", "another-password");
    assert_eq!(refusal(carla.get(&at)).0, 404);
    assert!(carla.json("/api/log")["runs"].as_array().unwrap().is_empty());
    // A later decision leaves the run as it was, and says so; the next piece is number two.
    ida.decide(job, 0, json!({"about": "quantity", "pieces": 2}));
    assert_eq!(ida.json(&at)["stale"], true);
    ida.wait(job, "a plan", |s| s["fresh"] == true);
    let next = body(ida.post(&format!("/api/jobs/{job}/runs"), &Value::Null));
    assert_eq!(next["brief"]["piece"], 2);
    let (status, _, why) =
        refusal(act(&ida, &format!("/api/jobs/{job}/runs/999"), "x", &json!({"kind": "note", "text": "x"})));
    assert!(status == 404 && why.contains("run"), "{why}");
    assert_eq!(refusal(act(&ida, &at, "no good name!", &json!({"kind": "note", "text": "x"}))).0, 400);
}
