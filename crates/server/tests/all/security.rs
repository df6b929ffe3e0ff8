//! Who may see and do what, asked from outside.

use crate::common::House;
use crate::common::person::{PRIVATE, Person, body, peopled, peopled_with, refusal};
use serde_json::{Value, json};
use server::demo::PASSWORD;
use std::io::{Read, Write};
use std::net::TcpStream;
use ureq::http::Response;

/// What a route gives away, and to whom.
#[derive(Clone, Copy, PartialEq, Debug)]
enum Open {
    /// To anybody.
    All,
    /// To whoever is signed in.
    Signed,
    /// To the owner of a shop.
    Owner,
    /// To the shop whose job it is.
    Job,
}

/// Every route with whom it is open to, and a body that is well formed.
const ROUTES: &[(&str, &str, Open, &str)] = &[
    ("post", "/api/session", Open::All, r#"{"name":"x","password":"y"}"#),
    ("delete", "/api/session", Open::All, ""),
    ("get", "/api/me", Open::Signed, ""),
    ("post", "/api/me/password", Open::Signed, r#"{"old":"x","new":"y"}"#),
    ("get", "/api/language", Open::Signed, ""),
    ("get", "/api/log", Open::Signed, ""),
    ("get", "/api/rounds", Open::Signed, ""),
    ("get", "/api/shop", Open::Signed, ""),
    ("patch", "/api/shop", Open::Owner, r#"{"units":"mm"}"#),
    ("get", "/api/people", Open::Signed, ""),
    ("post", "/api/people", Open::Owner, r#"{"name":"x","password":"y"}"#),
    ("patch", "/api/people/{name}", Open::Owner, r#"{"owner":true}"#),
    ("delete", "/api/people/{name}", Open::Owner, ""),
    ("get", "/api/audit", Open::Owner, ""),
    ("get", "/api/events", Open::Signed, ""),
    ("get", "/api/keeping", Open::Signed, ""),
    ("patch", "/api/keeping", Open::Owner, r#"{"quota_mb":1000}"#),
    ("get", "/api/jobs", Open::Signed, ""),
    ("post", "/api/jobs", Open::Signed, ""),
    ("get", "/api/rack", Open::Signed, ""),
    ("get", "/api/rack.csv", Open::Signed, ""),
    ("post", "/api/rack", Open::Signed, r#"{"revision":0,"pieces":[]}"#),
    ("post", "/api/rack/import", Open::Signed, ""),
    ("post", "/api/rack/preview", Open::Signed, ""),
    ("post", "/api/rack/undo", Open::Signed, ""),
    ("post", "/api/rack/redo", Open::Signed, ""),
    ("get", "/api/book", Open::Signed, ""),
    ("get", "/api/book.json", Open::Signed, ""),
    ("post", "/api/book", Open::Signed, r#"{"chapter":"vise","before":null,"after":null,"at":null}"#),
    ("post", "/api/book/import", Open::Signed, ""),
    ("post", "/api/book/preview", Open::Signed, ""),
    ("post", "/api/book/sample", Open::Signed, r#"{"id":"x"}"#),
    ("post", "/api/book/undo", Open::Signed, ""),
    ("post", "/api/book/redo", Open::Signed, ""),
    ("get", "/api/jobs/{id}", Open::Job, ""),
    ("get", "/api/jobs/{id}/shop", Open::Job, ""),
    ("patch", "/api/jobs/{id}", Open::Job, r#"{"title":"Mine"}"#),
    ("delete", "/api/jobs/{id}", Open::Job, ""),
    ("get", "/api/jobs/{id}/goes", Open::Job, ""),
    ("post", "/api/jobs/{id}/back", Open::Job, ""),
    ("get", "/api/jobs/{id}/export/{what}", Open::Job, ""),
    ("get", "/api/jobs/{id}/forms", Open::Job, ""),
    ("get", "/api/jobs/{id}/history/{setup}", Open::Job, ""),
    ("get", "/api/jobs/{id}/issued/{issue}", Open::Job, ""),
    ("get", "/api/jobs/{id}/mesh", Open::Job, ""),
    ("get", "/api/jobs/{id}/mesh-before", Open::Job, ""),
    ("get", "/api/jobs/{id}/mesh-others", Open::Job, ""),
    ("get", "/api/jobs/{id}/model", Open::Job, ""),
    ("get", "/api/jobs/{id}/part", Open::Job, ""),
    ("get", "/api/jobs/{id}/picture", Open::Job, ""),
    ("get", "/api/jobs/{id}/runs", Open::Job, ""),
    ("get", "/api/jobs/{id}/price", Open::Job, ""),
    ("get", "/api/jobs/{id}/rounds/{round}", Open::Job, ""),
    ("get", "/api/jobs/{id}/rounds/{round}/history", Open::Job, ""),
    ("get", "/api/jobs/{id}/sizes", Open::Job, ""),
    ("get", "/api/jobs/{id}/runs/{run}", Open::Job, ""),
    ("get", "/api/jobs/{id}/runs/{run}/log.csv", Open::Job, ""),
    ("get", "/api/jobs/{id}/runs/{run}/log.json", Open::Job, ""),
    ("get", "/api/jobs/{id}/runs/{run}/machine", Open::Job, ""),
    ("get", "/api/jobs/{id}/sheet", Open::Job, ""),
    ("get", "/api/jobs/{id}/stock", Open::Job, ""),
    ("get", "/api/jobs/{id}/strip", Open::Job, ""),
    ("get", "/api/jobs/{id}/ways", Open::Job, ""),
    ("get", "/api/jobs/{id}/what-if", Open::Job, ""),
    ("post", "/api/jobs/{id}/again", Open::Job, ""),
    ("post", "/api/jobs/{id}/beside/{solid}", Open::Job, ""),
    ("post", "/api/jobs/{id}/decisions", Open::Job, r#"{"revision":0,"decision":{"about":"material","id":null}}"#),
    ("post", "/api/jobs/{id}/edited", Open::Job, "G21 G90\nM30\n"),
    ("post", "/api/jobs/{id}/issue/{side}", Open::Job, ""),
    ("post", "/api/jobs/{id}/lay", Open::Job, LAY),
    ("post", "/api/jobs/{id}/measure", Open::Job, r#"{"a":{"point":[0,0,0],"face":0},"b":null}"#),
    ("post", "/api/jobs/{id}/redo", Open::Job, ""),
    ("post", "/api/jobs/{id}/revise", Open::Job, ""),
    ("post", "/api/jobs/{id}/rounds", Open::Job, ""),
    ("post", "/api/jobs/{id}/rounds/{round}/answer", Open::Job, r#"{"said":null}"#),
    ("post", "/api/jobs/{id}/runs", Open::Job, ""),
    (
        "post",
        "/api/jobs/{id}/runs/{run}/entries",
        Open::Job,
        r#"{"id":"a","at_ms":0,"act":{"kind":"note","text":"x"}}"#,
    ),
    ("post", "/api/jobs/{id}/runs/{run}/machine", Open::Job, r#"{"do":"hold"}"#),
    ("post", "/api/jobs/{id}/runs/{run}/rest", Open::Job, r#"{"file":"x.ngc","line":9,"how":"step"}"#),
    ("post", "/api/jobs/{id}/section", Open::Job, r#"{"axis":2,"at":1.0}"#),
    ("post", "/api/jobs/{id}/stop", Open::Job, ""),
    ("post", "/api/jobs/{id}/undo", Open::Job, ""),
];
const LAY: &str = "{}";

/// The table above holds every route that the server has.
#[test]
fn no_route_is_missing_in_the_table() {
    let mut there: Vec<String> = Vec::new();
    for file in std::fs::read_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/src/http")).unwrap() {
        let text = std::fs::read_to_string(file.unwrap().path()).unwrap();
        for line in text.lines().filter(|l| l.starts_with("#[") && l.contains("(\"/api")) {
            there.push(line.trim_start_matches("#[").replace(['"', ')', ']'], "").replace('(', " "));
        }
    }
    let mut told: Vec<String> = ROUTES.iter().map(|r| format!("{} {}", r.0, r.1)).collect();
    there.sort();
    told.sort();
    assert!(there.len() > 40);
    assert_eq!(there, told);
}

fn ask(p: &Person, route: &(&str, &str, Open, &str), job: i64) -> Response<ureq::Body> {
    let (method, path, _, text) = *route;
    let mut path = path.replace("{id}", &job.to_string()).replace("{name}", "bruno").replace("{what}", "part.stl");
    for n in ["{setup}", "{issue}", "{side}", "{solid}", "{run}"] {
        path = path.replace(n, "1");
    }
    path += match path.rsplit('/').next().unwrap() {
        "revise" => "?file=x.step&revision=0",
        "edited" => "?file=x.ngc&revision=0&setup=side%201",
        "jobs" if method == "post" => "?file=x.step",
        _ => "",
    };
    let url = format!("{}{path}", p.at);
    let typed = |r: ureq::RequestBuilder<ureq::typestate::WithBody>| {
        let json = text.starts_with('{');
        r.header("content-type", if json { "application/json" } else { "application/octet-stream" }).send(text).unwrap()
    };
    match method {
        "get" => p.agent.get(url).call().unwrap(),
        "delete" => p.agent.delete(url).call().unwrap(),
        "patch" => typed(p.agent.patch(url)),
        _ => typed(p.agent.post(url)),
    }
}

/// Two shops and all roles over every route: signed out there is nothing, another shop's job is not there, a member leaves the owner's things
/// alone. Each refusal is JSON with a code, and has the headers of every answer.
#[test]
fn every_route_is_kept_from_whom_it_is_not_for() {
    let h = peopled(0);
    let job = Person::of(&h, "ida", PASSWORD).job("spider-plate.step");
    let (nobody, bruno) = (Person::nobody(&h), Person::of(&h, "bruno", PASSWORD));
    let carla = Person::of(&h, "carla", "another-password");
    let refused = |who: &str, route: &(&str, &str, Open, &str), r: Response<ureq::Body>, want: (u16, &str)| {
        let header = |n: &str| r.headers().get(n).map_or("", |v| v.to_str().unwrap()).to_string();
        assert_eq!(header("x-content-type-options"), "nosniff", "{who} {route:?}");
        assert!(header("content-security-policy").contains("default-src"), "{who} {route:?}");
        assert_eq!(header("cache-control"), "no-store", "{who} {route:?}");
        let (status, code, why) = refusal(r);
        assert_eq!((status, code.as_str()), want, "{who} {route:?}: {why}");
    };
    for route in ROUTES {
        if route.2 != Open::All {
            refused("nobody", route, ask(&nobody, route, job), (401, "signed_out"));
        }
        if route.2 == Open::Job && route.3 != LAY {
            refused("carla", route, ask(&carla, route, job), (404, "no_such"));
        }
        if route.2 == Open::Owner {
            refused("bruno", route, ask(&bruno, route, job), (403, "owner_only"));
        }
    }
    // Of other shops' people there are none.
    assert_eq!(refusal(carla.agent.delete(format!("{}/api/people/bruno", h.address)).call().unwrap()).0, 404);
    assert!(carla.json("/api/people").as_array().unwrap().iter().all(|p| p["name"] == "carla"));
    assert!(carla.json("/api/audit").as_array().unwrap().iter().all(|e| e["who"] == "carla"));
}

/// A file's hash in a name that one may choose oneself opens nothing.
#[test]
fn a_hash_in_ones_own_words_gives_no_file_away() {
    let h = peopled(0);
    let ida = Person::of(&h, "ida", PASSWORD);
    let theirs = ida.job("worm-cover.step");
    let bytes = std::fs::read(crate::common::part("worm-cover.step")).unwrap();
    use sha2::Digest;
    let sha: String = sha2::Sha256::digest(&bytes).iter().map(|b| format!("{b:02x}")).collect();
    let carla = Person::of(&h, "carla", "another-password");
    let mine = carla.job("spider-plate.step");
    // A revision whose file is called like the other shop's hash.
    let own = std::fs::read(crate::common::part("spider-plate.step")).unwrap();
    let url = format!("{}/api/jobs/{mine}/revise?file={sha}.step&revision=0", h.address);
    assert_eq!(carla.agent.post(url).send(&own[..]).unwrap().status(), 200);
    let take = json!({"about": "model", "sha": sha, "file": "mine.step"});
    let (status, code, why) = refusal(carla.decide(mine, 1, take));
    assert_eq!((status, code.as_str()), (400, "bad"), "{why}");
    let mut model = carla.get(&format!("/api/jobs/{mine}/model"));
    assert_ne!(model.body_mut().read_to_vec().unwrap(), bytes);
    // The same with an edited program's text.
    let text = "G21 G90\nM30\n";
    let url = format!("{}/api/jobs/{theirs}/edited?file=a.ngc&revision=0&setup=side%201", h.address);
    let r = ida.agent.post(url).send(text).unwrap();
    assert_eq!(r.status(), 200, "{:?}", body(r));
    let secret: String = sha2::Sha256::digest(text).iter().map(|b| format!("{b:02x}")).collect();
    let url = format!("{}/api/jobs/{mine}/edited?file={secret}&revision=1&setup=side%201", h.address);
    assert_eq!(carla.agent.post(url).send("G21 G90\nG4 P1\nM30\n").unwrap().status(), 200);
    let take = json!({"about": "edited", "setup": "side 1", "sha": secret, "file": "x"});
    assert_eq!(refusal(carla.decide(mine, 2, take)).1, "bad");
}

/// From another address behind the proxy.
fn try_from(h: &House, address: &str, name: &str, password: &str) -> u16 {
    let p = Person::nobody(h);
    let r = p.agent.post(format!("{}/api/session", h.address)).header("x-forwarded-for", address);
    r.send_json(json!({"name": name, "password": password})).unwrap().status().as_u16()
}

#[test]
fn whoever_guesses_at_a_name_holds_up_only_himself() {
    let h = peopled_with(0, &[("GOLDCHIP_PROXY", "127.0.0.1")]);
    for _ in 0..5 {
        assert_eq!(try_from(&h, "192.0.2.1", "ida", "wrong"), 401);
    }
    assert_eq!(try_from(&h, "192.0.2.1", "ida", PRIVATE), 429, "the guesser waits");
    assert_eq!(try_from(&h, "192.0.2.2", "ida", PRIVATE), 204, "ida does not");
    // Having waited, the guesser is looked at again, and the right word lets him in; then nothing is held against him any more.
    std::thread::sleep(std::time::Duration::from_millis(2300));
    assert_eq!(try_from(&h, "192.0.2.1", "ida", "wrong"), 401);
    assert_eq!(try_from(&h, "192.0.2.1", "ida", PRIVATE), 429, "longer now");
    std::thread::sleep(std::time::Duration::from_millis(4300));
    assert_eq!(try_from(&h, "192.0.2.1", "ida", PRIVATE), 204);
    for _ in 0..5 {
        assert_eq!(try_from(&h, "192.0.2.1", "ida", "wrong"), 401);
    }
    // What a client says of itself is not believed: the proxy's word, the last, counts.
    assert_eq!(try_from(&h, "192.0.2.77, 192.0.2.1", "ida", PRIVATE), 429);
}

#[test]
fn a_known_browser_keeps_its_way_in() {
    let h = peopled(0);
    let ida = Person::of(&h, "ida", PASSWORD);
    let stranger = Person::nobody(&h);
    for _ in 0..7 {
        let _ = stranger.sign_in("ida", "wrong");
    }
    assert_eq!(stranger.sign_in("ida", PASSWORD).status(), 429);
    assert_eq!(ida.sign_in("ida", PASSWORD).status(), 204, "from the same address, but known");
    // Guessing in a known browser is held up as well.
    for _ in 0..5 {
        assert_eq!(ida.sign_in("ida", "wrong").status(), 401);
    }
    assert_eq!(ida.sign_in("ida", PASSWORD).status(), 429);
}

#[test]
fn guesses_at_the_same_time_count_one_another() {
    let h = peopled(0);
    let statuses: Vec<u16> = std::thread::scope(|s| {
        let all: Vec<_> = (0..24)
            .map(|k| {
                s.spawn({
                    let h = &h;
                    move || Person::nobody(h).sign_in("ida", &format!("guess {k}")).status().as_u16()
                })
            })
            .collect();
        all.into_iter().map(|t| t.join().unwrap()).collect()
    });
    let looked_at = statuses.iter().filter(|s| **s == 401).count();
    assert!(looked_at <= 12 && statuses.contains(&429), "{statuses:?}");
}

/// A request as it goes over the wire.
fn raw(h: &House, text: &str) -> String {
    let mut s = TcpStream::connect(h.address.trim_start_matches("http://")).unwrap();
    s.set_read_timeout(Some(std::time::Duration::from_secs(20))).unwrap();
    s.write_all(text.as_bytes()).unwrap();
    let mut out = String::new();
    let _ = s.read_to_string(&mut out);
    out
}

#[test]
fn the_house_answers_to_its_own_names_only() {
    let h = peopled_with(0, &[("GOLDCHIP_HOSTS", "mill.shop")]);
    let at = |host: &str| raw(&h, &format!("GET /api/me HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\r\n"));
    for ours in ["localhost", "127.0.0.1:1", "mill.shop", "MILL.SHOP:443"] {
        assert!(at(ours).starts_with("HTTP/1.1 401"), "{ours}");
    }
    let other = at("rebound.example");
    assert!(other.starts_with("HTTP/1.1 421") && other.contains("other_name") && other.contains("nosniff"), "{other}");
}

#[test]
fn over_https_cookies_are_secure_and_the_browser_is_told_to_stay() {
    let h = peopled_with(0, &[("GOLDCHIP_PROXY", "127.0.0.1"), ("GOLDCHIP_HOSTS", "mill.shop")]);
    let sign_in = |proto: &str| {
        let p = Person::nobody(&h);
        let r = p.agent.post(format!("{}/api/session", h.address)).header("x-forwarded-proto", proto);
        r.send_json(json!({"name": "ida", "password": PRIVATE})).unwrap()
    };
    let cookies = |r: &Response<ureq::Body>| -> Vec<String> {
        r.headers().get_all("set-cookie").iter().map(|c| c.to_str().unwrap().to_string()).collect()
    };
    let r = sign_in("https");
    assert_eq!(cookies(&r).len(), 2);
    assert!(
        cookies(&r).iter().all(|c| c.contains("Secure") && c.contains("HttpOnly") && c.contains("SameSite=Strict"))
    );
    assert!(r.headers()["strict-transport-security"].to_str().unwrap().contains("max-age="));
    let r = sign_in("http");
    assert!(
        cookies(&r).iter().all(|c| !c.contains("Secure")) && !r.headers().contains_key("strict-transport-security")
    );
}

#[test]
fn people_come_change_and_leave() {
    let h = peopled(0);
    let (ida, bruno) = (Person::of(&h, "ida", PASSWORD), Person::of(&h, "bruno", PASSWORD));
    let change = |p: &Person, old: &str, new: &str| p.post("/api/me/password", &json!({"old": old, "new": new}));
    // One's own password, by the old one; other sessions of one's own end, this one stays.
    let elsewhere = Person::of(&h, "bruno", PASSWORD);
    assert_eq!(refusal(change(&bruno, "wrong", "three odd lathes sing")).0, 400);
    assert!(refusal(change(&bruno, PASSWORD, "password1234")).2.contains("soon guessed"));
    assert_eq!(change(&bruno, PASSWORD, "three odd lathes sing").status(), 204);
    assert_eq!((bruno.get("/api/me").status().as_u16(), elsewhere.get("/api/me").status().as_u16()), (200, 401));
    assert_eq!(Person::nobody(&h).sign_in("bruno", PASSWORD).status(), 401);
    // Names that are taken for one another.
    let new = |name: &str| ida.post("/api/people", &json!({"name": name, "password": "three odd lathes sing"}));
    for name in ["Ida", "id\u{430}", "i\u{200b}da", "  ", "ｉｄａ"] {
        assert_eq!(refusal(new(name)).0, 400, "{name}");
    }
    // A second owner; then the first may go, but never the last.
    let url = |name: &str| format!("{}/api/people/{name}", h.address);
    let put_out = |p: &Person, name: &str| p.agent.delete(url(name)).call().unwrap();
    assert!(refusal(put_out(&ida, "ida")).2.contains("at least one owner"));
    assert!(refusal(ida.patch("/api/people/ida", &json!({"owner": false}))).2.contains("at least one owner"));
    assert_eq!(ida.patch("/api/people/bruno", &json!({"owner": true})).status(), 204);
    assert_eq!(put_out(&bruno, "ida").status(), 204);
    assert_eq!(ida.get("/api/me").status(), 401, "her session has ended");
    assert_eq!(Person::nobody(&h).sign_in("ida", PASSWORD).status(), 401);
    let again = bruno.post("/api/people", &json!({"name": "ida", "password": "three odd lathes sing"}));
    assert!(refusal(again).2.contains("was already somebody"));
    // All of it can be read again, the newest first.
    let entries = bruno.json("/api/audit");
    let words: Vec<&str> = entries.as_array().unwrap().iter().map(|e| e["words"].as_str().unwrap()).collect();
    assert_eq!(words[0], "ida may no longer sign in");
    for part in ["bruno is an owner now", "took a new password", "a wrong password", "signed in"] {
        assert!(words.contains(&part), "{part}: {words:?}");
    }
    let last = entries.as_array().unwrap().last().unwrap()["id"].as_i64().unwrap();
    assert_eq!(bruno.json(&format!("/api/audit?before={last}")), Value::Array(vec![]));
}
