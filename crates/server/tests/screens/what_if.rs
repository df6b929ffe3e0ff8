//! Faults at the machine, tried unasked behind all else: a table with places on the stage, points of no return on the strip, checks on the run card.

use super::{axe, signed_in};
use crate::common::person::{Person, peopled};
use serde_json::Value;
use server::demo::PASSWORD;

/// A plain block as text, mm.
fn block(x: f64, y: f64, z: f64) -> String {
    let c = |k: usize| [(k & 1, x), (k >> 1 & 1, y), (k >> 2 & 1, z)].map(|(on, v)| on as f64 * v);
    let faces = [[0, 2, 3, 1], [4, 5, 7, 6], [0, 1, 5, 4], [2, 6, 7, 3], [0, 4, 6, 2], [1, 3, 7, 5]];
    let mut text = String::from("solid block\n");
    for f in faces {
        for t in [[f[0], f[1], f[2]], [f[0], f[2], f[3]]] {
            text += "facet normal 0 0 0\nouter loop\n";
            for k in t {
                let [x, y, z] = c(k);
                text += &format!("vertex {x} {y} {z}\n");
            }
            text += "endloop\nendfacet\n";
        }
    }
    text + "endsolid block\n"
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn faults_are_tried_unasked_and_shown_with_what_catches_them() {
    let h = peopled(2);
    let ida = Person::of(&h, "ida", PASSWORD);
    assert_eq!(ida.give("block.stl", block(40.0, 30.0, 10.0).as_bytes()).status(), 200);
    let b = signed_in(&h).await;
    b.go("/jobs/1/proof").await;
    b.fresh(0).await;
    // They come one after the other, and each is kept at once.
    b.find_slow("[data-what-if]").await;
    let mut lengths: Vec<usize> = Vec::new();
    loop {
        let now = ida.json("/api/jobs/1/what-if");
        let n = now["rows"].as_array().unwrap().len();
        assert!(lengths.last().is_none_or(|l| *l <= n), "{lengths:?} {n}");
        lengths.push(n);
        if now["done"] == true {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(300)).await;
    }
    lengths.dedup();
    assert!(lengths.len() > 4 && lengths[0] < lengths[lengths.len() - 2], "{lengths:?}");
    // All of them, in time, without anybody asking.
    b.js_until_slow("return document.querySelector(\"section[aria-label='What if']\").innerText.includes(' faults tried on these programs')")
        .await;
    let all = ida.json("/api/jobs/1/what-if");
    let rows = all["rows"].as_array().unwrap();
    assert!(all["done"] == true && rows.len() as u64 == all["of"].as_u64().unwrap() && rows.len() > 20, "{all}");
    let count = |g: u64| rows.iter().filter(|r| r["gravity"] == g).count();
    let text = b.js("return document.querySelector(\"section[aria-label='What if']\").innerText").await;
    let text = text.as_str().unwrap().to_string();
    for (g, words) in [(2, "break something"), (1, "spoil the part"), (0, "do nothing")] {
        assert!(text.contains(&format!("{} {words}", count(g))), "{g}: {text}");
    }
    assert!(text.contains("Points of no return") && text.contains("unclamped"), "{text}");
    let marks = b.js("return document.querySelectorAll('[data-no-return]').length").await;
    assert!(marks.as_u64().unwrap() >= 2, "{marks}");
    // A fault that breaks or spoils on a line: the strip goes there.
    let first = rows.iter().filter(|r| r["gravity"] != 0 && r["line"].is_u64()).max_by_key(|r| r["gravity"].as_u64());
    let first: &Value = first.unwrap();
    let before = b.js("return document.querySelector('[data-strip]').getAttribute('aria-valuenow')").await;
    b.js("[...document.querySelectorAll('[data-what-if] button')].find((e) => e.textContent === 'Show the place').click()")
        .await;
    b.js_until(&format!(
        "return document.querySelector('[data-strip]').getAttribute('aria-valuenow') !== '{}'",
        before.as_str().unwrap()
    ))
    .await;
    assert!(!first["caught_by"].as_str().unwrap().is_empty());
    // What does nothing is hidden until it is asked for; one side's alone can be looked at.
    assert_eq!(b.js("return document.querySelectorAll('[data-what-if=nothing]').length").await, 0);
    b.press("Show the").await;
    b.js_until(&format!("return document.querySelectorAll('[data-what-if=nothing]').length === {}", count(0))).await;
    let bad = axe(&b, "what if").await;
    assert!(bad.is_empty(), "{bad:#?}");
    // The card of a run takes the checks over that are proposed.
    let r = ida.post("/api/jobs/1/runs", &serde_json::json!({}));
    assert_eq!(r.status(), 200);
    let card = crate::common::person::body(r).to_string();
    let proposed = rows.iter().find(|r| r["proposed"] == true && r["check"]["kind"] == "override");
    assert_eq!(card.contains("A look at the override"), proposed.is_some(), "{card}");
    let tapped = rows.iter().any(|r| r["proposed"] == true && r["check"]["kind"] == "tap");
    assert_eq!(card.contains("Tapping it down until nothing"), tapped, "{card}");
    super::trainer::a_round(&b, &ida, 1).await;
    b.close().await;
}
