//! Somebody at a screen, by plain requests.

use super::{Base, House, part};
use serde_json::{Value, json};
use server::demo::{PASSWORD, make_shop};
use server::people;
use std::time::{Duration, Instant};
use ureq::http::Response;
use ureq::{Agent, Body};

/// Somebody at a screen.
pub struct Person {
    pub agent: Agent,
    pub at: String,
}

impl Person {
    pub fn agent() -> Agent {
        Agent::config_builder().http_status_as_error(false).build().into()
    }
    pub fn nobody(house: &House) -> Person {
        Person { agent: Person::agent(), at: house.address.clone() }
    }
    pub fn of(house: &House, name: &str, password: &str) -> Person {
        let p = Person::nobody(house);
        assert_eq!(p.sign_in(name, password).status(), 204);
        p
    }
    pub fn sign_in(&self, name: &str, password: &str) -> Response<Body> {
        self.post("/api/session", &json!({"name": name, "password": password}))
    }
    pub fn get(&self, path: &str) -> Response<Body> {
        self.agent.get(format!("{}{path}", self.at)).call().unwrap()
    }
    pub fn post(&self, path: &str, body: &Value) -> Response<Body> {
        self.agent.post(format!("{}{path}", self.at)).send_json(body).unwrap()
    }
    pub fn patch(&self, path: &str, body: &Value) -> Response<Body> {
        self.agent.patch(format!("{}{path}", self.at)).send_json(body).unwrap()
    }
    pub fn give(&self, file: &str, bytes: &[u8]) -> Response<Body> {
        self.agent.post(format!("{}/api/jobs?file={file}", self.at)).send(bytes).unwrap()
    }
    pub fn json(&self, path: &str) -> Value {
        let r = self.get(path);
        assert_eq!(r.status(), 200, "{path}");
        body(r)
    }
    /// A new job from a part of the demo.
    pub fn job(&self, file: &str) -> i64 {
        let r = self.give(file, &std::fs::read(part(file)).unwrap());
        assert_eq!(r.status(), 200);
        body(r)["id"].as_i64().unwrap()
    }
    pub fn decide(&self, job: i64, revision: i64, decision: Value) -> Response<Body> {
        self.post(&format!("/api/jobs/{job}/decisions"), &json!({"revision": revision, "decision": decision}))
    }
    pub fn act(&self, job: i64, word: &str) -> Response<Body> {
        self.post(&format!("/api/jobs/{job}/{word}"), &Value::Null)
    }
    pub fn state(&self, job: i64) -> Value {
        self.json(&format!("/api/jobs/{job}"))
    }
    /// Waits until the state is as wanted.
    pub fn wait(&self, job: i64, what: &str, ok: impl Fn(&Value) -> bool) -> Value {
        let start = Instant::now();
        loop {
            let s = self.state(job);
            if ok(&s) {
                return s;
            }
            assert!(start.elapsed() < Duration::from_secs(300), "waited too long for {what}: {s}");
            std::thread::sleep(Duration::from_millis(100));
        }
    }
}

pub fn body(mut r: Response<Body>) -> Value {
    r.body_mut().read_json().unwrap()
}

/// Status, code and sentence of a refusal.
pub fn refusal(r: Response<Body>) -> (u16, String, String) {
    let status = r.status().as_u16();
    let b = body(r);
    (status, b["error"].as_str().unwrap().into(), b["why"].as_str().unwrap().into())
}

/// A house with the demo's people and no jobs.
pub fn peopled(workers: usize) -> House {
    peopled_with(workers, &[])
}

/// Of everybody in a house that is named to the outside: the demo's is refused there.
pub const PRIVATE: &str = "three odd lathes sing";

/// With more in the environment, and private passwords.
pub fn peopled_with(workers: usize, more: &[(&str, &str)]) -> House {
    house_of(workers, more, &shop::Shop::demo().unwrap())
}

/// In a shop that has other things.
pub fn peopled_in(workers: usize, shop: &shop::Shop) -> House {
    house_of(workers, &[], shop)
}

fn house_of(workers: usize, more: &[(&str, &str)], data: &shop::Shop) -> House {
    let base = Base::new();
    base.db
        .act(|c| {
            let id = make_shop(c, "Hill observatory workshop", data)?;
            let password = if more.is_empty() { PASSWORD } else { PRIVATE };
            people::add(c, id, "ida", password, true)?;
            people::add(c, id, "bruno", password, false)?;
            let other = make_shop(c, "Valley shop", data)?;
            people::add(c, other, "carla", "another-password", true)
        })
        .unwrap();
    House::with_env(base, workers, more)
}
