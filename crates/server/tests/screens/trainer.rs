//! A round of the trainer in the browser: hidden, read, pointed at, answered, told, and left in one's own record.

use super::axe;
use crate::common::browser::Browser;
use crate::common::person::Person;
use serde_json::Value;

/// The line of the text, or the step of the card, at which a round differs from the plan; neither where it does not.
fn differs(plan: &Value, lesson: &Value) -> (Option<usize>, Option<&'static str>) {
    let own = plan["sides"].as_array().unwrap().iter().find(|s| s["name"] == lesson["side"]["name"]).unwrap();
    let side = &lesson["side"];
    let lines = |s: &Value| s["program"].as_str().unwrap().lines().map(String::from).collect::<Vec<_>>();
    let (was, is) = (lines(own), lines(side));
    if was != is {
        return (Some((0..is.len()).find(|&k| was.get(k) != is.get(k)).unwrap_or(is.len() - 1) + 1), None);
    }
    let zero = (0..3).find(|&k| own["datum"][k]["touches"] != side["datum"][k]["touches"]);
    let step = zero.map(|k| ["zero-x", "zero-y", "zero-z"][k]);
    (None, step.or((own["tools"] != side["tools"]).then_some("cutters")))
}

/// On a job that is planned and proved, in a browser that is signed in.
pub async fn a_round(b: &Browser, ida: &Person, job: i64) {
    b.go(&format!("/jobs/{job}/log")).await;
    b.press("Hide one for me").await;
    b.find_slow("[data-round]").await;
    let id = ida.json("/api/rounds")["list"][0]["id"].as_i64().unwrap();
    let round = ida.json(&format!("/api/jobs/{job}/rounds/{id}"));
    let (line, step) = differs(&ida.json(&format!("/api/jobs/{job}/sheet")), &round["lesson"]);
    let mut bad = axe(b, "a round").await;
    // Not before both are said.
    let says = "return [...document.querySelectorAll('button')].find((e) => e.textContent === 'That is it').disabled";
    assert_eq!(b.js(says).await, true);
    b.press("What is wrong?").await;
    let sort = if line.is_none() && step.is_none() { "nothing" } else { "depth" };
    b.find(&format!("[role=option][data-key={sort}]")).await.click().await.unwrap();
    if let Some(n) = line {
        b.js(&format!("document.querySelector('[data-line]').scrollTop = {}", n.saturating_sub(5) * 22)).await;
        b.js_until(&format!(
            "const r = [...document.querySelectorAll('.row')].find((e) => e.firstChild.textContent === '{n}'); r?.click(); return !!r"
        ))
        .await;
    } else if let Some(s) = step {
        b.js(&format!("document.querySelector('[data-card-step={s}] button').click()")).await;
    }
    b.js_until(&format!("return !({})", says.trim_start_matches("return "))).await;
    b.press("That is it").await;
    let points = b.find("[data-points]").await.attr("data-points").await.unwrap().unwrap();
    let told = ida.json(&format!("/api/jobs/{job}/rounds/{id}"));
    let (truth, marks) = (&told["brief"]["truth"], &told["brief"]["marks"]);
    assert_eq!(points, marks["points"].to_string());
    // What differs is what was hidden: the place is right, and all of it where a depth was it, or nothing.
    assert_eq!(marks["place"], true, "{truth} {line:?} {step:?}");
    assert_eq!(marks["what"], truth["wrong"] == sort, "{truth}");
    bad.extend(axe(b, "a round that is over").await);
    assert!(bad.is_empty(), "{bad:#?}");
    // In one's own record.
    b.go(&format!("/jobs/{job}/log")).await;
    b.find("[data-eye='1']").await;
    b.text(&format!("{points} of 100 points")).await;
    // On the same ticket what a piece costs, and for how many.
    b.find("[data-price='1']").await;
    let field = b.find("input[aria-label='Pieces to reckon with']").await;
    field.click().await.unwrap();
    field.send_keys("\u{e009}a\u{e000}12\u{e007}").await.unwrap();
    b.find("[data-price='12']").await;
    b.text("the shop’s rates").await;
}
