//! Runs at the machine as a browser sees them, on the real database: begun only from a proved plan, kept once, led step by step, and left in the log.

use crate::common::House;
use crate::common::mill::stand;
use crate::common::person::{PRIVATE, Person, body, peopled, peopled_with, refusal};
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
    let planned_price = ida.json(&format!("/api/jobs/{job}/price"));
    assert!(planned_price["took"].is_null() && planned_price["now"]["each"].as_f64().unwrap() > 1.0, "{planned_price}");
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

    // The sizes of the piece, each with its limits; one piece is no series yet.
    let sizes = ida.json(&format!("/api/jobs/{job}/sizes"));
    let measured: usize =
        steps.iter().filter(|s| s["kind"] == "measure").map(|s| s["ways"][0]["asks"].as_array().unwrap().len()).sum();
    assert!(measured > 0 && sizes.as_array().unwrap().len() == measured, "{sizes}");
    assert!(sizes[0]["pieces"][0]["value"] == sizes[0]["target"] && sizes[0]["series"]["spread"].is_null());

    // What a piece costs: from what this one took. The shop's rates change it, and ask for no new plan.
    let price = |of: &str| ida.json(&format!("/api/jobs/{job}/price{of}"));
    let own = price("");
    assert!(own["took"]["pieces"] == 1 && own["now"]["pieces"] == 1, "{own}");
    assert!(own["planned"][0].as_f64().unwrap() > own["took"]["running"].as_f64().unwrap());
    let each = |p: &Value| p["now"]["each"].as_f64().unwrap();
    assert!(each(&price("?pieces=50")) < each(&own));
    let before = &ida.json("/api/shop")["rates"];
    let mut dearer = before.clone();
    dearer["person_per_hour"] = json!(2.0 * before["person_per_hour"].as_f64().unwrap());
    let change = json!({"chapter": "rates", "before": before, "after": dearer});
    body(ida.post("/api/book", &change));
    assert!(each(&price("")) > 1.3 * each(&own), "{} {}", price(""), own);
    assert!(ida.state(job)["newer_book"].is_null());

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

/// A run has the machine on the house's line: reads from it, enters in it, loads it, and another run does not.
#[test]
fn a_run_reads_enters_and_loads_the_machine_that_it_has_taken() {
    let mill = stand(4);
    let house = peopled_with(1, &[("GOLDCHIP_MACHINE", &mill)]);
    let ida = Person::of(&house, "ida", PRIVATE);
    let job = ida.job("shutter-lever.step");
    ida.wait(job, "a plan", |s| s["fresh"] == true);
    let begin = || body(ida.post(&format!("/api/jobs/{job}/runs"), &Value::Null));
    let (run, other) = (begin(), begin());
    let path = |r: &Value| format!("/api/jobs/{job}/runs/{}", r["brief"]["id"]);
    let at = path(&run);
    let ask = |at: &str, a: Value| ida.post(&format!("{at}/machine"), &a);
    let free = ida.json(&format!("{at}/machine"));
    assert!(free["there"] == true && free["heard"] == true && free["mine"] == false, "{free}");
    let (status, _, why) = refusal(ask(&at, json!({"do": "start"})));
    assert!(status == 400 && why.contains("take it first"), "{why}");
    assert_eq!(body(ask(&at, json!({"do": "take"})))["mine"], true);
    let (status, _, why) = refusal(ask(&path(&other), json!({"do": "take"})));
    assert!(status == 400 && why.contains("taken by run"), "{why}");

    let steps = run["card"]["steps"].as_array().unwrap().clone();
    // Taken again nothing is put in anew: a cutter is as long as before.
    let length = || {
        let s = steps.iter().find(|s| s["kind"] == "cutters").unwrap();
        let read =
            json!({"do": "read", "step": s["id"], "way": s["ways"][0]["id"], "ask": s["ways"][0]["asks"][0]["id"]});
        body(ask(&at, read))["gave"].as_f64().unwrap()
    };
    let before = length();
    body(ask(&at, json!({"do": "take"})));
    assert!((length() - before).abs() < 0.006);

    // What is asked in each step is read from it, and what comes out is entered.
    let mut read = 0;
    for (k, s) in steps.iter().enumerate().take_while(|(_, s)| s["kind"] != "program") {
        let mut act_of = planned(s, 0);
        for a in s["ways"][0]["asks"].as_array().unwrap().iter().filter(|a| a["reads"].is_object()) {
            let gave =
                body(ask(&at, json!({"do": "read", "step": s["id"], "way": s["ways"][0]["id"], "ask": a["id"]})));
            act_of["values"][a["id"].as_str().unwrap()] = gave["gave"].clone();
            read += 1;
        }
        let (status, _, why) = refusal(ask(&at, json!({"do": "enter", "step": s["id"]})));
        assert!(status == 400 && why.contains("not done"), "{why}");
        let told = body(act(&ida, &at, &format!("s{k}"), &act_of));
        assert_eq!(told["state"]["steps"][k]["standing"], "done", "{}", s["id"]);
        let now = body(ask(&at, json!({"do": "enter", "step": s["id"]})))["state"].clone();
        if s["id"] == "side-1/zero-x" {
            let out = &told["state"]["values"]["side-1/zero-x/offset"];
            assert_eq!(&now["zero_mm"][0], out, "what came out stands in the control");
        }
    }
    assert!(read > 3, "{read}");
    // The very text of the card.
    let program = &run["card"]["programs"][0];
    let now = body(ask(&at, json!({"do": "load", "file": program["file"]})))["state"].clone();
    assert!(now["sum"] == program["sum"] && now["lines"] == program["lines"], "{now}");
    assert_eq!(refusal(ask(&at, json!({"do": "load", "file": "x.ngc"}))).0, 404);
    assert_eq!(refusal(ask(&at, json!({"do": "read", "step": "stock", "way": "so", "ask": "x"}))).0, 400);
    assert_eq!(refusal(ask(&at, json!({"do": "jump"}))).0, 400);
    // It runs, breaks a cutter at a line, gets a new one and goes on with the rest.
    body(ask(&at, json!({"do": "factor", "times": 50000})));
    body(ask(&at, json!({"do": "fault", "fault": {"kind": "break", "line": 40}})));
    body(ask(&at, json!({"do": "start"})));
    let until = |mode: &str| {
        for _ in 0..200 {
            let now = ida.json(&format!("{at}/machine"))["state"].clone();
            if now["mode"] == mode {
                return now;
            }
            std::thread::sleep(std::time::Duration::from_millis(25));
        }
        panic!("not {mode}: {}", ida.json(&format!("{at}/machine")));
    };
    let broke = until("alarm");
    let (line, tool) = (broke["line"].as_u64().unwrap(), broke["tool"].as_u64().unwrap());
    assert!(line >= 40 && broke["says"].as_str().unwrap().contains(&format!("look at T{tool}")), "{broke}");
    body(ask(&at, json!({"do": "reset"})));
    let fresh = body(ask(&at, json!({"do": "new_cutter", "tool": tool})));
    assert_eq!(fresh["state"]["lengths_mm"][tool.to_string()], fresh["gave"], "measured and entered");
    let rest = body(ida.post(&format!("{at}/rest"), &json!({"file": program["file"], "line": line, "how": "step"})));
    body(ask(&at, json!({"do": "load_rest", "file": rest["file"]})));
    body(ask(&at, json!({"do": "optional_stop", "on": false})));
    body(ask(&at, json!({"do": "start"})));
    let mut now = ida.json(&format!("{at}/machine"))["state"].clone();
    for _ in 0..200 {
        if now["mode"] == "stopped" {
            body(ask(&at, json!({"do": "start"})));
        }
        if now["mode"] == "done" {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(25));
        now = ida.json(&format!("{at}/machine"))["state"].clone();
    }
    assert_eq!(now["mode"], "done", "{}", now["says"]);

    // The line is lost and comes back; then it is let go, and the other run has it.
    body(ask(&at, json!({"do": "fault", "fault": {"kind": "line", "seconds": 0.5}})));
    let lost = ida.json(&format!("{at}/machine"));
    assert!(lost["there"] == true && lost["heard"] == false && lost["why"].as_str().unwrap().contains("not heard"));
    std::thread::sleep(std::time::Duration::from_millis(700));
    body(ask(&at, json!({"do": "release"})));
    assert_eq!(body(ask(&path(&other), json!({"do": "take"})))["mine"], true);
}

#[test]
fn a_house_without_a_line_says_so() {
    let house = peopled(1);
    let (ida, job, run) = begun(&house);
    let at = format!("/api/jobs/{job}/runs/{}", run["brief"]["id"]);
    assert_eq!(ida.json(&format!("{at}/machine"))["there"], false);
    let (status, _, why) = refusal(ida.post(&format!("{at}/machine"), &json!({"do": "take"})));
    assert!(status == 400 && why.contains("no line"), "{why}");
}
