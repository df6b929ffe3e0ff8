//! The server as a browser sees it, on the real database.

use crate::common::person::{Person, body, peopled, refusal};
use crate::common::{Base, part, program};
use serde_json::{Value, json};
use server::demo::PASSWORD;
use std::io::{BufRead, BufReader, Write};
use std::time::Instant;

const BRASS: &str = "brass";

#[test]
fn signing_in_and_out() {
    let h = peopled(0);
    let p = Person::nobody(&h);
    assert_eq!(refusal(p.get("/api/me")).0, 401);
    let (status, code, why) = refusal(p.sign_in("ida", "wrong"));
    assert_eq!((status, code.as_str()), (401, "bad_sign_in"));
    // Whether the name or the password was wrong stays untold.
    assert_eq!(refusal(p.sign_in("nobody", "wrong")).2, why);
    let r = p.sign_in("ida", PASSWORD);
    let cookie = r.headers()["set-cookie"].to_str().unwrap().to_string();
    assert!(cookie.contains("HttpOnly") && cookie.contains("SameSite=Strict"), "{cookie}");
    let me = p.json("/api/me");
    assert_eq!((me["name"].as_str(), me["owner"].as_bool()), (Some("ida"), Some(true)));
    assert!(me.get("password").is_none() && me.get("shop_id").is_none());
    assert_eq!(p.agent.delete(format!("{}/api/session", h.address)).call().unwrap().status(), 204);
    assert_eq!(refusal(p.get("/api/me")).1, "signed_out");
    // The old token is worth nothing any more.
    let old = cookie.split(';').next().unwrap();
    let r = ureq::agent()
        .get(format!("{}/api/me", h.address))
        .header("cookie", old)
        .config()
        .http_status_as_error(false)
        .build()
        .call();
    assert_eq!(r.unwrap().status(), 401);
}

#[test]
fn wrong_passwords_have_to_wait() {
    let h = peopled(0);
    let p = Person::nobody(&h);
    for _ in 0..5 {
        assert_eq!(refusal(p.sign_in("ida", "wrong")).0, 401);
    }
    let r = p.sign_in("IDA", PASSWORD);
    assert_eq!(r.status(), 429);
    let b = body(r);
    assert!((1..=600).contains(&b["seconds"].as_i64().unwrap()), "{b}");
    // Another name is not held up.
    assert_eq!(p.sign_in("bruno", PASSWORD).status(), 204);
}

#[test]
fn other_pages_cannot_act_and_headers_guard_ours() {
    let h = peopled(0);
    let p = Person::of(&h, "ida", PASSWORD);
    let patch = |name: &str, value: &str| {
        let r =
            p.agent.patch(format!("{}/api/shop", h.address)).header(name, value).send_json(json!({"units": "inch"}));
        r.unwrap().status().as_u16()
    };
    assert_eq!(patch("origin", "http://elsewhere.example"), 403);
    assert_eq!(patch("origin", "null"), 403);
    assert_eq!(patch("sec-fetch-site", "cross-site"), 403);
    assert_eq!(p.json("/api/me")["units"], "mm");
    assert_eq!(patch("origin", &h.address), 204);
    assert_eq!(p.json("/api/me")["units"], "inch");
    for path in ["/", "/api/me", "/api/jobs/7"] {
        let r = p.get(path);
        let header = |n: &str| r.headers().get(n).map_or("", |v| v.to_str().unwrap()).to_string();
        assert!(header("content-security-policy").contains("default-src 'self'"), "{path}");
        assert_eq!(header("x-content-type-options"), "nosniff");
        assert_eq!(header("x-frame-options"), "DENY");
    }
    assert_eq!(p.get("/api/me").headers()["cache-control"], "no-store");
}

#[test]
fn each_route_keeps_to_its_own_shop() {
    let h = peopled(0);
    let job = Person::of(&h, "ida", PASSWORD).job("spider-plate.step");
    let carla = Person::of(&h, "carla", "another-password");
    assert_eq!(carla.json("/api/jobs")["jobs"], json!([]));
    let at = format!("/api/jobs/{job}");
    for path in [
        "",
        "/sheet",
        "/strip",
        "/ways",
        "/what-if",
        "/history/0",
        "/mesh",
        "/picture",
        "/model",
        "/events",
        "/issued/1",
    ] {
        assert_eq!(carla.get(&format!("{at}{path}")).status(), 404, "{path}");
    }
    assert_eq!(carla.decide(job, 0, json!({"about": "material", "id": null})).status(), 404);
    for word in ["undo", "redo", "stop", "again", "issue/0"] {
        assert_eq!(carla.act(job, word).status(), 404, "{word}");
    }
    assert_eq!(carla.patch(&at, &json!({"title": "Mine", "archived": null})).status(), 404);
    // Signed out nothing is told at all.
    let nobody = Person::nobody(&h);
    for path in ["/api/shop", "/api/people", "/api/jobs", "/api/events", &at, &format!("{at}/sheet")] {
        assert_eq!(nobody.get(path).status(), 401, "{path}");
    }
}

#[test]
fn members_leave_the_shop_alone() {
    let h = peopled(0);
    let bruno = Person::of(&h, "bruno", PASSWORD);
    assert_eq!(refusal(bruno.patch("/api/shop", &json!({"units": "inch"}))).1, "owner_only");
    let dora = json!({"name": "dora", "password": "long enough to be one"});
    assert_eq!(refusal(bruno.post("/api/people", &dora)).1, "owner_only");
    let ida = Person::of(&h, "ida", PASSWORD);
    assert!(
        refusal(ida.post("/api/people", &json!({"name": "dora", "password": "short"}))).2.contains("10 characters")
    );
    assert_eq!(ida.post("/api/people", &dora).status(), 201);
    Person::of(&h, "dora", "long enough to be one");
}

#[test]
fn bad_files_get_a_sentence_and_leave_nothing() {
    let h = peopled(0);
    let p = Person::of(&h, "ida", PASSWORD);
    let good = std::fs::read(part("spider-plate.step")).unwrap();
    let tries: [(&str, Vec<u8>); 5] = [
        ("part.stl", b"solid part\nendsolid part\n".to_vec()),
        ("empty.step", vec![]),
        ("garbage.step", (0..40_000_u32).map(|k| (k.wrapping_mul(2_654_435_761) >> 24) as u8).collect()),
        ("cut.step", good[..good.len() / 2].to_vec()),
        ("large.step", vec![b' '; 61 << 20]),
    ];
    for (name, bytes) in tries {
        let (status, _, why) = refusal(p.give(name, &bytes));
        assert!([413, 422].contains(&status), "{name}: {status} {why}");
        assert!(why.len() > 30 && why.len() < 400 && !why.contains("panicked"), "{name}: {why}");
    }
    assert_eq!(p.json("/api/jobs")["jobs"], json!([]));
    let r = p.agent.post(format!("{}/api/jobs", h.address)).send(&good).unwrap();
    assert_eq!(r.status(), 400);
}

#[test]
fn decisions_meet_without_loss() {
    let h = peopled(0);
    let (ida, bruno) = (Person::of(&h, "ida", PASSWORD), Person::of(&h, "bruno", PASSWORD));
    let job = ida.job("spider-plate.step");
    let material = |id: &str| json!({"about": "material", "id": id});
    let up = json!({"about": "order", "choice": {"Up": {"axis": 2, "positive": false}}});
    assert_eq!(body(ida.decide(job, 0, material(BRASS)))["revision"], 1);
    // Another question: both stand.
    assert_eq!(bruno.decide(job, 0, up).status(), 200);
    // The same question on an old picture: refused, and who decided what is told.
    let r = bruno.decide(job, 0, material("acetal"));
    assert_eq!(r.status(), 409);
    assert!(body(r)["changed"].as_str().unwrap().contains("ida decided: material"));
    assert_eq!(bruno.decide(job, 2, material("acetal")).status(), 200);
    let s = ida.state(job);
    assert_eq!(s["settled"]["material"], "acetal");
    assert_eq!(s["settled"]["order"]["Up"]["positive"], false);
    // Undo is each person's own: Ida's material was overruled since, so hers is a conflict; Bruno's goes back to hers.
    assert_eq!(ida.act(job, "undo").status(), 409);
    assert_eq!(bruno.act(job, "undo").status(), 200);
    assert_eq!(ida.state(job)["settled"]["material"], BRASS);
    assert_eq!(bruno.act(job, "undo").status(), 200);
    assert_eq!(ida.state(job)["settled"]["order"], Value::Null);
    assert_eq!(refusal(bruno.act(job, "undo")).1, "nothing");
    assert_eq!(bruno.act(job, "redo").status(), 200);
    assert_eq!(ida.state(job)["settled"]["order"]["Up"]["positive"], false);
    // Nothing is ever overwritten.
    let all = ida.state(job)["decisions"].as_array().unwrap().len();
    assert_eq!(all, 6);
    assert_eq!(ida.state(job)["card"]["revision"], 6);
}

#[test]
fn two_at_once_get_two_revisions() {
    let h = peopled(0);
    let ida = Person::of(&h, "ida", PASSWORD);
    let job = ida.job("spider-plate.step");
    let eight: Vec<Person> = (0..8).map(|_| Person::of(&h, "ida", PASSWORD)).collect();
    std::thread::scope(|s| {
        for (k, p) in eight.iter().enumerate() {
            s.spawn(move || {
                let id = format!("rough:side 1/{k}");
                let d = json!({"about": "sequence", "id": id, "before": "face:side 1"});
                assert_eq!(p.decide(job, 0, d).status(), 200);
            });
        }
    });
    let s = ida.state(job);
    assert_eq!(s["settled"]["sequence"].as_array().unwrap().len(), 8);
    let revisions: Vec<i64> =
        s["decisions"].as_array().unwrap().iter().map(|d| d["revision"].as_i64().unwrap()).collect();
    assert_eq!(revisions, (1..=8).collect::<Vec<_>>());
}

#[test]
fn senseless_decisions_are_refused() {
    let h = peopled(0);
    let ida = Person::of(&h, "ida", PASSWORD);
    let job = ida.job("spider-plate.step");
    let no = [
        json!({"about": "material", "id": "cheese"}),
        json!({"about": "stock", "choice": {"Sizes": [0.0, 10.0, 10.0]}}),
        json!({"about": "order", "choice": {"Up": {"axis": 3, "positive": true}}}),
        json!({"about": "operation", "id": "x", "change": {"tool": 99, "rpm": null, "feed": null, "depth": null, "width": null}}),
        json!({"about": "operation", "id": "x", "change": {"tool": null, "rpm": -5.0, "feed": null, "depth": null, "width": null}}),
        json!({"about": "sequence", "id": "a", "before": "a"}),
        json!({"about": "weather"}),
    ];
    for d in no {
        let (status, _, why) = refusal(ida.decide(job, 0, d.clone()));
        assert_eq!(status, 400, "{d}");
        assert!(why.len() > 20, "{d}: {why}");
    }
    assert_eq!(ida.state(job)["card"]["revision"], 0);
}

#[test]
fn a_part_is_planned_proved_overruled_and_taken() {
    let h = peopled(1);
    let ida = Person::of(&h, "ida", PASSWORD);
    let job = ida.job("spider-plate.step");
    let first = ida.wait(job, "the first plan", |s| s["fresh"] == true);
    assert_eq!(first["sheet_revision"], 0);
    let sheet = ida.json(&format!("/api/jobs/{job}/sheet"));
    assert_eq!(sheet["proof"]["verdict"], "proved");
    let strip = ida.json(&format!("/api/jobs/{job}/strip"));
    let minutes: f64 = strip["setups"].as_array().unwrap().iter().map(|s| s["seconds"].as_f64().unwrap() / 60.0).sum();
    assert!((minutes - sheet["proof"]["minutes"].as_f64().unwrap()).abs() < 1e-6);
    for path in ["mesh", "history/0", "history/1", "picture", "model"] {
        let mut r = ida.get(&format!("/api/jobs/{job}/{path}"));
        assert_eq!(r.status(), 200, "{path}");
        assert!(r.body_mut().read_to_vec().unwrap().len() > 1000, "{path}");
    }
    // The model comes back as it was given.
    let mut r = ida.get(&format!("/api/jobs/{job}/model"));
    assert_eq!(r.body_mut().read_to_vec().unwrap(), std::fs::read(part("spider-plate.step")).unwrap());

    // Part, outline and stock leave in open formats; what was written is read again.
    let leaves = |what: &str| {
        let mut r = ida.get(&format!("/api/jobs/{job}/export/{what}"));
        let name = r.headers()["content-disposition"].to_str().unwrap().to_string();
        assert!(name.contains(&format!("spider-plate-{what}")), "{name}");
        r.body_mut().read_to_vec().unwrap()
    };
    let solid = |what: &str| {
        let bytes = leaves(what);
        let (read, _) = server::look::read_model(&program(), what, &bytes).unwrap();
        let m: intake::Model = postcard::from_bytes(&read).unwrap();
        m.raw.solids.iter().map(|s| s.volume).sum::<f64>()
    };
    let volume = ida.json(&format!("/api/jobs/{job}/part"))["volume"].as_f64().unwrap();
    let size: Vec<f64> = sheet["stock"]["size"].as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect();
    let block: f64 = size.iter().product();
    assert!((solid("part.step") / volume - 1.0).abs() < 1e-6);
    assert!((solid("part.stl") / volume - 1.0).abs() < 1e-3);
    assert!(String::from_utf8_lossy(&leaves("outline.dxf")).contains("LWPOLYLINE"));
    for paper in ["a4", "letter"] {
        assert!(leaves(&format!("setup-sheet-{paper}.pdf")).starts_with(b"%PDF-"), "{paper}");
    }
    // After the first side the hat is still there; after the second the part is left, but for what the planner does not see of it.
    let (one, two) = (solid("stock-1.step"), solid("stock-2.step"));
    assert!(
        one < 0.9 * block && one > two && two > 0.999 * volume && two < 1.1 * volume,
        "{block} {one} {two} {volume}"
    );
    assert!((solid("stock-1.stl") / one - 1.0).abs() < 2e-3);
    assert_eq!(refusal(ida.get(&format!("/api/jobs/{job}/export/part.obj"))).0, 404);

    // Taken: word for word what was proved, and kept.
    let mut r = ida.act(job, "issue/0");
    assert!(r.headers()["content-disposition"].to_str().unwrap().contains("1-spider-plate.ngc"));
    let text = r.body_mut().read_to_string().unwrap();
    assert_eq!(sheet["sides"][0]["program"], text);
    let issued = ida.state(job)["issued"][0].clone();
    assert_eq!(issued["who"], "ida");

    // The unit of the screens makes nothing stale; a material does.
    assert_eq!(ida.decide(job, 0, json!({"about": "units", "units": "inch"})).status(), 200);
    assert_eq!(ida.state(job)["fresh"], true);
    assert_eq!(ida.decide(job, 1, json!({"about": "material", "id": BRASS})).status(), 200);
    let s = ida.state(job);
    assert_eq!((s["fresh"].as_bool(), s["sheet_revision"].as_i64()), (Some(false), Some(1)));
    assert_eq!(refusal(ida.act(job, "issue/0")).1, "not_yet");
    ida.wait(job, "the plan in brass", |s| s["fresh"] == true);
    let brass = ida.json(&format!("/api/jobs/{job}/sheet"));
    assert_eq!(brass["stock"]["material"], BRASS);
    assert_ne!(brass["sides"][0]["program"], sheet["sides"][0]["program"]);
    // Undone: the first sheet, from the store.
    assert_eq!(ida.act(job, "undo").status(), 200);
    let start = Instant::now();
    ida.wait(job, "the first plan again", |s| s["fresh"] == true);
    println!("undo brought the kept plan back in {:.1} s", start.elapsed().as_secs_f64());
    assert_eq!(ida.json(&format!("/api/jobs/{job}/sheet")), sheet);
    // A program that left stays as it left.
    let mut r = ida.get(&format!("/api/jobs/{job}/issued/{}", issued["id"]));
    assert_eq!(r.body_mut().read_to_string().unwrap(), text);

    // Renaming is in the programs: they are posted again under the new title.
    assert_eq!(ida.patch(&format!("/api/jobs/{job}"), &json!({"title": "Vane", "archived": null})).status(), 204);
    assert_eq!(ida.state(job)["fresh"], false);
    ida.wait(job, "the renamed plan", |s| s["fresh"] == true);
    assert!(ida.json(&format!("/api/jobs/{job}/sheet"))["sides"][0]["program"].as_str().unwrap().contains("VANE"));
}

#[test]
fn work_can_be_stopped_and_taken_up_again() {
    let h = peopled(1);
    let ida = Person::of(&h, "ida", PASSWORD);
    let job = ida.job("worm-cover.step");
    ida.wait(job, "work to begin", |s| s["card"]["work"]["kind"] == "running");
    assert_eq!(ida.act(job, "stop").status(), 204);
    let s = ida.wait(job, "the stop", |s| s["card"]["work"]["kind"] == "stopped");
    assert_eq!((s["fresh"].as_bool(), s["sheet_revision"].is_null()), (Some(false), true));
    assert_eq!(refusal(ida.get(&format!("/api/jobs/{job}/sheet"))).1, "not_yet");
    assert_eq!(ida.act(job, "again").status(), 204);
    ida.wait(job, "the plan", |s| s["fresh"] == true);
}

#[test]
fn screens_hear_of_what_others_decide() {
    let h = peopled(0);
    let (ida, bruno) = (Person::of(&h, "ida", PASSWORD), Person::of(&h, "bruno", PASSWORD));
    let job = ida.job("spider-plate.step");
    ida.decide(job, 0, json!({"about": "material", "id": BRASS}));
    let carla = Person::of(&h, "carla", "another-password");
    let listen =
        |p: &Person| BufReader::new(p.get("/api/events").into_body().into_reader()).lines().map(Result::unwrap);
    let (mut lines, mut theirs) = (listen(&ida), listen(&carla));
    fn next(mut lines: &mut dyn Iterator<Item = String>) -> (String, Value) {
        let lines = &mut lines;
        let name = lines.find(|l| l.starts_with("event: ")).unwrap()[7..].to_string();
        let data = lines.find(|l| l.starts_with("data: ")).unwrap();
        (name, serde_json::from_str(&data[6..]).unwrap())
    }
    // Who comes late is up to date at once.
    let (name, all) = next(&mut lines);
    assert!(name == "bench" && all["jobs"].as_array().unwrap().len() == 1 && all["jobs"][0]["revision"] == 1, "{all}");
    assert_eq!(next(&mut theirs), ("bench".into(), json!({"jobs": [], "more": false, "archived": 0})));
    bruno.decide(job, 1, json!({"about": "order", "choice": null}));
    // What a stream was told at its beginning may be told once more (the watcher looks later than it was written), but nothing older.
    let mut card = Value::Null;
    while card["revision"] != 2 {
        let (name, next) = next(&mut lines);
        assert_eq!((name.as_str(), next["id"].as_i64()), ("card", Some(job)));
        assert!(card["revision"].as_i64().unwrap_or(1) <= next["revision"].as_i64().unwrap(), "{card} then {next}");
        card = next;
    }
    // Another shop hears of its own jobs only.
    let own = carla.job("spider-plate.step");
    assert_eq!(next(&mut theirs).1["id"].as_i64(), Some(own));
    // What is thrown away goes from every bench.
    carla.patch(&format!("/api/jobs/{own}"), &json!({"archived": true}));
    carla.agent.delete(format!("{}/api/jobs/{own}", h.address)).call().unwrap();
    let gone = loop {
        let (name, data) = next(&mut theirs);
        if name != "card" {
            break (name, data);
        }
    };
    assert_eq!(gone, ("gone".into(), json!(own)));
}

#[test]
fn the_demos_password_does_not_go_on_the_network() {
    let base = Base::new();
    server::demo::load(
        &base.db,
        &crate::common::root().join("demo/rack.csv"),
        &[&crate::common::root().join("demo/parts")],
        &program(),
    )
    .unwrap();
    let run = |args: &[&str], input: &str| {
        let mut child = std::process::Command::new(program())
            .args(args)
            .env("GOLDCHIP_DATABASE", &base.url)
            .env("GOLDCHIP_WORKERS", "0")
            .stdin(std::process::Stdio::piped())
            .stdout(std::process::Stdio::piped())
            .stderr(std::process::Stdio::piped())
            .spawn()
            .unwrap();
        child.stdin.take().unwrap().write_all(input.as_bytes()).unwrap();
        child
    };
    let refused = |args: &[&str], input: &str| {
        let out = run(args, input).wait_with_output().unwrap();
        assert_eq!(out.status.code(), Some(2), "{args:?}");
        String::from_utf8_lossy(&out.stderr).to_string()
    };
    let open = ["serve", "--listen", "0.0.0.0:0"];
    assert!(refused(&open, "").contains("demo's password"));
    assert!(refused(&["password", "ida"], "short\n").contains("10 characters"));
    assert!(refused(&["password", "nobody"], "long enough to be one\n").contains("no such person"));
    for name in ["ida", "bruno"] {
        assert!(run(&["password", name], "long enough to be one\n").wait().unwrap().success());
    }
    let mut served = run(&open, "");
    let mut said = String::new();
    BufReader::new(served.stdout.as_mut().unwrap()).read_line(&mut said).unwrap();
    assert!(said.contains("listening on http://0.0.0.0:"), "{said}");
    served.kill().unwrap();
    served.wait().unwrap();
}

/// A box without its lid: it is closed, that is asked about, and whoever says no gets no part until it is taken back.
#[test]
fn open_surfaces_are_asked_about() {
    let house = peopled(0);
    let ida = Person::of(&house, "ida", PASSWORD);
    let (x, y, z) = (60.0_f32, 40.0_f32, 20.0_f32);
    let quads = [
        [[0.0, 0.0, 0.0], [0.0, y, 0.0], [x, y, 0.0], [x, 0.0, 0.0]],
        [[0.0, 0.0, 0.0], [x, 0.0, 0.0], [x, 0.0, z], [0.0, 0.0, z]],
        [[0.0, y, 0.0], [0.0, y, z], [x, y, z], [x, y, 0.0]],
        [[0.0, 0.0, 0.0], [0.0, 0.0, z], [0.0, y, z], [0.0, y, 0.0]],
        [[x, 0.0, 0.0], [x, y, 0.0], [x, y, z], [x, 0.0, z]],
    ];
    let mut text = String::from("solid box\n");
    for q in quads {
        for t in [[q[0], q[1], q[2]], [q[0], q[2], q[3]]] {
            text.push_str("facet normal 0 0 0\nouter loop\n");
            t.iter().for_each(|p| text.push_str(&format!("vertex {} {} {}\n", p[0], p[1], p[2])));
            text.push_str("endloop\nendfacet\n");
        }
    }
    text.push_str("endsolid box\n");
    let r = ida.give("open-box.stl", text.as_bytes());
    assert_eq!(r.status(), 200);
    let job = body(r)["id"].as_i64().unwrap();
    let part = format!("/api/jobs/{job}/part");
    let p = ida.json(&part);
    assert!((p["volume"].as_f64().unwrap() - 48_000.0).abs() < 1.0, "{}", p["volume"]);
    let q = p["questions"].as_array().unwrap().iter().find(|q| q["id"] == "closed").unwrap().clone();
    assert!(q["grave"] == true && q["answer"].is_null() && q["faces"].as_array().unwrap().len() == 1, "{q}");
    assert!(q["text"].as_str().unwrap().contains("a flat face of 2400 mm² closes them"), "{q}");
    let say = |revision: i64, a: &str| {
        ida.decide(job, revision, json!({"about": "answer", "question": "closed", "answer": a}))
    };
    assert_eq!(refusal(say(0, "perhaps")).0, 400);
    assert_eq!(say(0, "no").status(), 200);
    let (status, _, why) = refusal(ida.get(&part));
    assert!(status >= 400 && why.contains("close them where they were drawn"), "{status} {why}");
    assert_eq!(ida.act(job, "undo").status(), 200);
    assert!(
        ida.json(&part)["questions"].as_array().unwrap().iter().any(|q| q["id"] == "closed" && q["answer"].is_null())
    );
    let now = ida.state(job)["card"]["revision"].as_i64().unwrap();
    assert_eq!(say(now, "yes").status(), 200);
    assert!(
        ida.json(&part)["questions"].as_array().unwrap().iter().any(|q| q["id"] == "closed" && q["answer"] == "yes")
    );
}

/// A file of two solids: the fit between them is told, and the other becomes a job of its own.
#[test]
fn parts_of_one_assembly_fit_each_other() {
    let house = peopled(0);
    let ida = Person::of(&house, "ida", PASSWORD);
    let file = crate::common::root().join("demo/reading/slit-latch.step");
    let r = ida.give("slit-latch.step", &std::fs::read(file).unwrap());
    assert_eq!(r.status(), 200);
    let job = body(r)["id"].as_i64().unwrap();
    let p = ida.json(&format!("/api/jobs/{job}/part"));
    let (mine, other) = (p["origin"]["solid"].as_u64().unwrap(), p["fits"][0]["solid"].as_u64().unwrap());
    let contact = &p["fits"][0]["contacts"][0];
    assert!((contact["clearance"].as_f64().unwrap() - 0.04).abs() < 1e-9 && mine != other, "{contact}");
    assert!(ida.get(&format!("/api/jobs/{job}/mesh-others")).body_mut().read_to_vec().unwrap().len() > 1000);
    // It can stay while the part is machined: a decision like others.
    let stays = |p: &Value| p["origin"]["solids"][other as usize]["stays"].as_bool().unwrap();
    assert!(!stays(&p));
    let question = format!("stays/{other}");
    let said = |answer: Value| json!({"about": "answer", "question": question, "answer": answer});
    assert_eq!(ida.decide(job, 1, said(json!("yes"))).status(), 200);
    assert!(stays(&ida.json(&format!("/api/jobs/{job}/part"))));
    assert_eq!(refusal(ida.decide(job, 2, said(json!("often")))).0, 400);
    assert_eq!(ida.decide(job, 2, said(Value::Null)).status(), 200);
    assert!(!stays(&ida.json(&format!("/api/jobs/{job}/part"))));
    let made = body(ida.post(&format!("/api/jobs/{job}/beside/{other}"), &Value::Null));
    let second = ida.json(&format!("/api/jobs/{}/part", made["id"]));
    assert_eq!((second["origin"]["solid"].as_u64(), second["fits"][0]["solid"].as_u64()), (Some(other), Some(mine)));
    assert_eq!(refusal(ida.post(&format!("/api/jobs/{job}/beside/{mine}"), &Value::Null)).0, 400);
    assert_eq!(refusal(ida.post(&format!("/api/jobs/{job}/beside/7"), &Value::Null)).0, 404);
    // One solid alone has no others.
    let alone = ida.job("spider-plate.step");
    assert_eq!(ida.get(&format!("/api/jobs/{alone}/mesh-others")).status(), 404);
}
