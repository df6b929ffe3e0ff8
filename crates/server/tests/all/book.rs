//! The shop's book as a browser sees it, on the real database: changes, undo, files, and jobs that keep the book they were begun with.

use crate::common::person::{Person, body, peopled, refusal};
use serde_json::{Value, json};
use server::demo::PASSWORD;

fn chapter<'a>(book: &'a Value, key: &str) -> &'a Value {
    book["chapters"].as_array().unwrap().iter().find(|c| c["layout"]["key"] == key).unwrap()
}

fn entry(p: &Person, key: &str, at: usize) -> Value {
    chapter(&p.json("/api/book"), key)["entries"][at]["value"].clone()
}

fn change(p: &Person, key: &str, before: &Value, after: &Value) -> ureq::http::Response<ureq::Body> {
    p.post("/api/book", &json!({"chapter": key, "before": before, "after": after, "at": null}))
}

fn with(entry: &Value, key: &str, to: Value) -> Value {
    let mut e = entry.clone();
    e[key] = to;
    e
}

#[test]
fn the_book_is_changed_and_taken_back() {
    let house = peopled(0);
    let ida = Person::of(&house, "ida", PASSWORD);
    let bruno = Person::of(&house, "bruno", PASSWORD);
    let vise = entry(&ida, "vise", 0);
    let weak = with(&vise, "clamp_kn", json!(8));
    assert_eq!(change(&ida, "vise", &vise, &weak).status(), 200);
    assert_eq!(ida.json("/api/shop")["vise"]["clamp_kn"], 8.0);
    let book = ida.json("/api/book");
    assert_eq!(book["undo"], "125 mm vise: presses with 12 kN → 8 kN");
    assert_eq!(book["acts"][0]["who"], "ida");
    // Made from what stood before: somebody else was quicker.
    let (status, code, _) = refusal(change(&bruno, "vise", &vise, &with(&vise, "clamp_kn", json!(9))));
    assert_eq!((status, code.as_str()), (409, "conflict"));
    // What makes no sense is refused, with what to do, and nothing is changed.
    let (status, _, why) = refusal(change(&bruno, "vise", &weak, &with(&weak, "opening_mm", json!(-4))));
    assert!(status == 400 && why.contains("above 0"), "{why}");
    let (status, _, why) = refusal(change(&bruno, "vise", &weak, &with(&weak, "opening_mm", json!("wide"))));
    assert!(status == 400 && why.contains("wide"), "{why}");
    assert_eq!(refusal(change(&bruno, "lathe", &Value::Null, &weak)).0, 404);
    assert_eq!(refusal(change(&bruno, "vise", &Value::Null, &Value::Null)).0, 409);

    // Each person's own undo; not over what another did since.
    assert_eq!(refusal(bruno.post("/api/book/undo", &Value::Null)).0, 409);
    assert_eq!(ida.post("/api/book/undo", &Value::Null).status(), 200);
    assert_eq!(ida.json("/api/shop")["vise"]["clamp_kn"], 12.0);
    assert_eq!(ida.post("/api/book/redo", &Value::Null).status(), 200);
    assert_eq!(change(&bruno, "vise", &weak, &with(&weak, "clamp_kn", json!(9))).status(), 200);
    assert_eq!(refusal(ida.post("/api/book/undo", &Value::Null)).1, "conflict");
    assert_eq!(ida.json("/api/shop")["vise"]["clamp_kn"], 9.0);

    // Out of a list, and back to its place.
    let first = entry(&ida, "straps", 0);
    assert_eq!(change(&ida, "straps", &first, &Value::Null).status(), 200);
    assert_eq!(chapter(&ida.json("/api/book"), "straps")["entries"].as_array().unwrap().len(), 0);
    ida.post("/api/book/undo", &Value::Null);
    assert_eq!(entry(&ida, "straps", 0), first);
    // Nobody else's shop.
    let carla = Person::of(&house, "carla", "another-password");
    assert_eq!(carla.json("/api/shop")["vise"]["clamp_kn"], 12.0);
    assert_eq!(Person::nobody(&house).get("/api/book").status(), 401);
}

#[test]
fn a_whole_book_goes_out_and_comes_back() {
    let house = peopled(0);
    let ida = Person::of(&house, "ida", PASSWORD);
    let mut out = String::new();
    std::io::Read::read_to_string(&mut ida.get("/api/book.json").into_body().into_reader(), &mut out).unwrap();
    let mut shop: Value = serde_json::from_str(&out).unwrap();
    shop["jaw_blanks"] = json!([]);
    shop["vise"]["opening_mm"] = json!(100);
    let send = |path: &str, text: &str| ida.agent.post(format!("{}{path}", ida.at)).send(text.as_bytes()).unwrap();
    let told = body(send("/api/book/preview", &shop.to_string()));
    assert_eq!(told["changes"].as_array().unwrap().len(), 3, "{told}");
    assert_eq!(ida.json("/api/shop")["vise"]["opening_mm"], 150.0, "looking changes nothing");
    assert_eq!(send("/api/book/import", &shop.to_string()).status(), 200);
    assert_eq!(ida.json("/api/shop")["vise"]["opening_mm"], 100.0);
    assert_eq!(refusal(send("/api/book/import", &shop.to_string())).1, "nothing");
    assert_eq!(ida.post("/api/book/undo", &Value::Null).status(), 200);
    let again: Value = ida.json("/api/shop");
    assert_eq!(again, serde_json::from_str::<Value>(&out).unwrap());
    // What is no book says where it stops making sense.
    let (status, _, why) = refusal(send("/api/book/preview", "{\n \"vise\": 3 }"));
    assert!(status == 400 && why.contains("line 2"), "{why}");
    assert_eq!(refusal(send("/api/book/import", "\u{0}\u{1}")).0, 400);
    // What the rack holds has its material.
    let piece = json!({"name": "B", "material": "brass", "skin": "drawn", "quantity": 1, "cost": null, "remnant_of": null, "note": "",
        "shape": {"form": "round", "length": {"least": 300.0, "most": 300.0}, "diameter": 20.0}});
    assert_eq!(ida.post("/api/rack", &json!({"act": "put", "piece": piece, "was": null})).status(), 200);
    let book = ida.json("/api/book");
    let list = chapter(&book, "materials")["entries"].as_array().unwrap();
    let brass = &list.iter().find(|m| m["value"]["id"] == "brass").unwrap()["value"];
    let (status, _, why) = refusal(change(&ida, "materials", brass, &Value::Null));
    assert!(status == 400 && why.contains("'B'"), "{why}");
}

/// A job keeps the book it was begun with, learns that there is a newer one and what differs, takes it by a decision, and goes back by undo.
#[test]
fn a_job_is_planned_with_its_own_book() {
    let house = peopled(2);
    let ida = Person::of(&house, "ida", PASSWORD);
    let part = std::fs::read(crate::common::part("shutter-lever.step")).unwrap();
    assert_eq!(ida.give("shutter-lever.step", &part).status(), 200);
    let fresh = |s: &Value| s["fresh"] == true;
    let was = ida.wait(1, "a plan", fresh);
    assert_eq!(was["newer_book"], Value::Null);
    let grip = |p: &Person| p.json("/api/jobs/1/sheet")["sides"][0]["hold"].clone();
    let before = grip(&ida);
    let vise = entry(&ida, "vise", 0);
    assert_eq!(change(&ida, "vise", &vise, &with(&vise, "clamp_kn", json!(7))).status(), 200);
    let s = ida.state(1);
    assert_eq!(s["newer_book"]["changes"][0], "125 mm vise: presses with 12 kN → 7 kN");
    assert_eq!((s["fresh"].clone(), grip(&ida)), (json!(true), before.clone()), "the job stays as it is");
    assert_eq!(ida.json("/api/jobs/1/shop")["vise"]["clamp_kn"], 12.0);
    let newer = s["newer_book"]["revision"].as_i64().unwrap();
    assert_eq!(refusal(ida.decide(1, 0, json!({"about": "shop", "revision": newer + 50}))).0, 400);
    assert_eq!(ida.decide(1, 0, json!({"about": "shop", "revision": newer})).status(), 200);
    let s = ida.wait(1, "a plan with the new book", fresh);
    assert_eq!(
        (s["newer_book"].clone(), ida.json("/api/jobs/1/shop")["vise"]["clamp_kn"].clone()),
        (Value::Null, json!(7.0))
    );
    assert_ne!(grip(&ida), before, "the vise presses less");
    assert_eq!(ida.act(1, "undo").status(), 200);
    ida.wait(1, "the old plan", fresh);
    assert_eq!(grip(&ida), before);
    // Carla's book is none of this shop's.
    let carla = Person::of(&house, "carla", "another-password");
    let theirs = carla.json("/api/book")["revision"].as_i64().unwrap();
    assert_eq!(refusal(ida.decide(1, 2, json!({"about": "shop", "revision": theirs}))).0, 400);
    // A cutter that was chosen here and is no longer there.
    let list = ida.json("/api/book");
    let crib = chapter(&list, "crib")["entries"].as_array().unwrap();
    let t = &crib.iter().find(|t| t["value"]["number"] == 4).unwrap()["value"];
    let sheet = ida.json("/api/jobs/1/sheet");
    let op = sheet["sides"][0]["operations"].as_array().unwrap().iter().map(|o| o["op"]["id"].clone()).next().unwrap();
    let change_op = json!({"about": "operation", "id": op, "change": {"tool": 4, "rpm": null, "feed": null, "depth": null, "width": null}});
    assert_eq!(ida.decide(1, 2, change_op).status(), 200);
    assert_eq!(change(&ida, "crib", t, &Value::Null).status(), 200);
    let newest = ida.json("/api/book")["revision"].as_i64().unwrap();
    let (status, _, why) = refusal(ida.decide(1, 3, json!({"about": "shop", "revision": newest})));
    assert!(status == 400 && why.contains("no T4"), "{why}");
}
