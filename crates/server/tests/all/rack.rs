//! The rack and the stock of jobs, as a browser sees them, on the real database.

use crate::common::person::{Person, body, peopled, refusal};
use serde_json::{Value, json};
use server::demo::PASSWORD;

fn flat(tag: &str, quantity: u32) -> Value {
    json!({"name": tag, "material": "aluminium-6082", "skin": "rolled", "quantity": quantity, "cost": null, "remnant_of": null, "note": "",
        "shape": {"form": "flat", "length": {"least": 300.0, "most": 300.0}, "width": 50.0, "height": 25.0}})
}

/// Pieces come, leave, return as remnants, and each act can be taken back as long as nobody touched the piece since.
#[test]
fn the_rack_keeps_its_books() {
    let house = peopled(0);
    let ida = Person::of(&house, "ida", PASSWORD);
    let bruno = Person::of(&house, "bruno", PASSWORD);
    let act = |p: &Person, a: Value| p.post("/api/rack", &a);
    let count = |tag: &str| -> Option<u64> {
        let r = ida.json("/api/rack");
        let list = r["pieces"].as_array().unwrap();
        list.iter().find(|p| p["name"] == tag).map(|p| p["quantity"].as_u64().unwrap())
    };
    assert_eq!(act(&ida, json!({"act": "put", "piece": flat("A1", 2), "was": null})).status(), 200);
    let (status, _, why) = refusal(act(&ida, json!({"act": "put", "piece": flat("A1", 2), "was": null})));
    assert!(status == 400 && why.contains("already"), "{why}");
    let (status, _, why) = refusal(act(&ida, json!({"act": "put", "piece": flat("", 2), "was": null})));
    assert!(status == 400 && why.contains("tag"), "{why}");
    let mut odd = flat("A2", 1);
    odd["material"] = json!("kryptonite");
    assert_eq!(act(&ida, json!({"act": "put", "piece": odd, "was": null})).status(), 400);

    // One is used; its rest returns under a tag of its own, twice.
    let rest = flat("A1 rest", 1);
    let take = |n: usize| json!({"act": "take", "tag": "A1", "job": null, "remnants": vec![&rest; n]});
    assert_eq!(act(&ida, take(1)).status(), 200);
    assert_eq!((count("A1"), count("A1 rest"), count("A1 rest 2")), (Some(1), Some(1), None));
    assert_eq!(act(&ida, take(1)).status(), 200);
    assert_eq!((count("A1"), count("A1 rest 2")), (None, Some(1)));
    assert_eq!(refusal(act(&ida, take(0))).0, 404);

    // Undo and redo are each person's own.
    assert_eq!(bruno.post("/api/rack/undo", &Value::Null).status(), 409);
    assert_eq!(ida.post("/api/rack/undo", &Value::Null).status(), 200);
    assert_eq!((count("A1"), count("A1 rest 2")), (Some(1), None));
    assert_eq!(ida.post("/api/rack/redo", &Value::Null).status(), 200);
    assert_eq!((count("A1"), count("A1 rest 2")), (None, Some(1)));
    ida.post("/api/rack/undo", &Value::Null);
    // Bruno changes the piece; what Ida did before cannot be taken back over it.
    assert_eq!(act(&bruno, json!({"act": "put", "piece": flat("A1", 9), "was": "A1"})).status(), 200);
    let (status, code, _) = refusal(ida.post("/api/rack/undo", &Value::Null));
    assert_eq!((status, code.as_str()), (409, "conflict"));
    assert_eq!(count("A1"), Some(9));

    // Nobody else's shop.
    let carla = Person::of(&house, "carla", "another-password");
    assert_eq!(carla.json("/api/rack")["pieces"].as_array().unwrap().len(), 0);
    assert_eq!(refusal(act(&carla, json!({"act": "remove", "tag": "A1"}))).0, 404);
    assert_eq!(Person::nobody(&house).get("/api/rack").status(), 401);
}

#[test]
fn tables_are_looked_through_before_they_are_taken() {
    let house = peopled(0);
    let ida = Person::of(&house, "ida", PASSWORD);
    let look = |text: &str| body(ida.agent.post(format!("{}/api/rack/preview", ida.at)).send(text.as_bytes()).unwrap());
    let p = look("tag,form,material,length,width,height\nA,flat,brass,300,40,20\nB,flat,brass,,40,20\n");
    assert_eq!((p["pieces"].as_array().unwrap().len(), p["errors"][0]["line"].as_u64()), (1, Some(3)));
    assert!(p["errors"][0]["what"].as_str().unwrap().contains("length"));
    assert_eq!(ida.json("/api/rack")["pieces"].as_array().unwrap().len(), 0, "looking changes nothing");
    let take = |text: &str| ida.agent.post(format!("{}/api/rack/import", ida.at)).send(text.as_bytes()).unwrap();
    assert_eq!(
        take("tag,form,material,length,width,height\nA,flat,brass,300,40,20\nB,flat,brass,,40,20\n").status(),
        200
    );
    let mut out = String::new();
    std::io::Read::read_to_string(&mut ida.get("/api/rack.csv").into_body().into_reader(), &mut out).unwrap();
    assert!(out.starts_with("tag,form,material") && out.contains("A,flat,brass"), "{out}");
    let again = look(&out);
    assert_eq!((again["known"][0].as_str(), again["errors"].as_array().unwrap().len()), (Some("A"), 0));
    // A whole shop's rack at once, and back out again.
    let many: String = (0..1500).map(|k| format!("M{k},flat,brass,300,40,{}\n", 5 + k % 50)).collect();
    assert_eq!(take(&format!("tag,form,material,length,width,height\n{many}")).status(), 200);
    assert_eq!(ida.json("/api/rack")["pieces"].as_array().unwrap().len(), 1501);
    assert_eq!(ida.post("/api/rack/undo", &Value::Null).status(), 200);
    assert_eq!(ida.json("/api/rack")["pieces"].as_array().unwrap().len(), 1);
    assert_eq!(refusal(take("tag,form,material\n")).0, 400);
    let bad = ida.agent.post(format!("{}/api/rack/preview", ida.at)).send(&[0xff_u8, 0xfe, 0x41][..]).unwrap();
    assert!(refusal(bad).2.contains("UTF-8"));
}

/// A job without a choice gets the best piece of the rack; it stays with it when the rack changes, and looks again when the job does.
#[test]
fn the_rack_is_looked_through_for_each_job() {
    let house = peopled(1);
    let ida = Person::of(&house, "ida", PASSWORD);
    let put =
        |p: Value| assert_eq!(ida.post("/api/rack", &json!({"act": "put", "piece": p, "was": null})).status(), 200);
    put(flat("A1", 1));
    let mut brass = flat("B1", 1);
    brass["material"] = json!("brass");
    put(brass);
    let job = ida.job("encoder-bracket.step");
    let s = ida.wait(job, "a plan", |s| s["fresh"] == true);
    assert_eq!(s["settled"]["offer"]["piece"]["name"], "A1");
    let sheet = ida.json(&format!("/api/jobs/{job}/sheet"));
    assert_eq!(
        (sheet["stock"]["laid"]["piece"]["name"].as_str(), sheet["stock"]["laid_decided"].as_bool()),
        (Some("A1"), Some(false))
    );
    assert_eq!(sheet["stock"]["size"][1], 50.0);
    assert_eq!(sheet["proof"]["passed"], true);

    // The bench ranks what there is; a lay can be tried without deciding it.
    let bench = ida.json(&format!("/api/jobs/{job}/stock"));
    assert_eq!(
        (bench["candidates"].as_array().unwrap().len(), bench["others"].as_u64(), bench["there"].as_bool()),
        (1, Some(1), Some(true))
    );
    let way = bench["candidates"][0]["laying"]["lay"]["way"].clone();
    let lay =
        |shift: f64| json!({"piece": flat("A1", 1), "lay": {"way": way, "angle_deg": 0.0, "shift": [0.0, shift, 0.0]}});
    let tried = body(ida.post(&format!("/api/jobs/{job}/lay"), &lay(40.0)));
    assert_eq!(tried["fit"], "too_small");
    assert_eq!(
        ida.post(
            &format!("/api/jobs/{job}/lay"),
            &json!({"piece": flat("A1", 1), "lay": {"way": 99, "angle_deg": 0.0, "shift": [0.0, 0.0, 0.0]}})
        )
        .status(),
        400
    );

    // Taken away, it still stands for this job, which says so.
    assert_eq!(
        ida.post(
            "/api/rack",
            &json!({"act": "take", "tag": "A1", "job": job, "remnants": bench["stands"]["laying"]["remnants"]})
        )
        .status(),
        200
    );
    let after = ida.json(&format!("/api/jobs/{job}/stock"));
    assert_eq!(after["taken"], true);
    assert_eq!((after["there"].as_bool(), after["stands"]["piece"]["name"].as_str()), (Some(false), Some("A1")));
    assert!(ida.json("/api/rack")["acts"][0]["words"].as_str().unwrap().contains("for Encoder bracket"));

    // Another material: another piece.
    let r = ida.state(job)["card"]["revision"].as_i64().unwrap();
    assert_eq!(ida.decide(job, r, json!({"about": "material", "id": "brass"})).status(), 200);
    let s = ida.wait(job, "brass", |s| s["fresh"] == true && s["settled"]["material"] == "brass");
    assert_eq!(s["settled"]["offer"]["piece"]["name"], "B1");
}

/// One blank, several finished forms: they are told with what they share, and so is a rack that has too few.
#[test]
fn finished_forms_of_one_blank_know_of_each_other() {
    let house = peopled(0);
    let ida = Person::of(&house, "ida", PASSWORD);
    assert_eq!(ida.post("/api/rack", &json!({"act": "put", "piece": flat("A1", 1), "was": null})).status(), 200);
    let give = |file: &str| {
        let r = ida.give(file, &std::fs::read(crate::common::root().join("demo").join(file)).unwrap());
        assert_eq!(r.status(), 200);
        body(r)["id"].as_i64().unwrap()
    };
    let (a, b) = (give("parts/encoder-bracket.step"), give("reading/encoder-bracket-b.step"));
    let forms = |job: i64| ida.json(&format!("/api/jobs/{job}/forms"));
    // Nothing is planned here, so nothing is proposed yet.
    assert_eq!(forms(a)["piece"], Value::Null);
    let cut_from = |job: i64| {
        let way = ida.json(&format!("/api/jobs/{job}/stock"))["candidates"][0]["laying"]["lay"].clone();
        let choice = json!({"Piece": {"piece": flat("A1", 1), "lay": way}});
        assert_eq!(ida.decide(job, 0, json!({"about": "stock", "choice": choice})).status(), 200);
    };
    cut_from(a);
    let f = forms(a);
    assert_eq!((f["piece"].as_str(), f["left"].as_u64(), f["wanted"].as_u64()), (Some("A1"), Some(1), Some(1)));
    assert_eq!(f["forms"], json!([]));
    cut_from(b);
    let f = forms(a);
    assert_eq!((f["wanted"].as_u64(), f["forms"].as_array().unwrap().len()), (Some(2), 1));
    // Two lengths of some 78 mm and their cuts off a bar of 300.
    let need = f["lengths"][0].as_f64().unwrap();
    assert!(f["enough"] == true && (150.0..170.0).contains(&need) && f["lengths"][1] == 300.0, "{f}");
    let other = &f["forms"][0];
    assert_eq!(
        (other["job"].as_i64(), other["chosen"].as_bool(), other["taken"].as_bool()),
        (Some(b), Some(true), Some(false))
    );
    // What the two revisions differ in, as their comparison tells it: a bore resized, two screws moved, one hole gone, a slot new.
    let words = other["words"].as_str().unwrap();
    assert!(words.ends_with("2 in another place, 1 of other sizes, 1 only here, 1 only there"), "{words}");
    // Taken for one, the other still wants it, and the rack has none.
    let act = json!({"act": "take", "tag": "A1", "job": b, "remnants": []});
    assert_eq!(ida.post("/api/rack", &act).status(), 200);
    let f = forms(a);
    assert_eq!(
        (f["left"].as_u64(), f["wanted"].as_u64(), f["forms"][0]["taken"].as_bool()),
        (Some(0), Some(1), Some(true))
    );
    assert!(f["enough"] == false && f["lengths"][1] == 0.0, "{f}");
    // Put away it is no longer of interest.
    assert_eq!(ida.patch(&format!("/api/jobs/{b}"), &json!({"title": null, "archived": true})).status(), 204);
    assert_eq!(forms(a)["forms"], json!([]));
    assert_eq!(Person::of(&house, "carla", "another-password").get(&format!("/api/jobs/{a}/forms")).status(), 404);
}
