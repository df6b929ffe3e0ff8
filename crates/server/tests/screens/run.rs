//! The run card in a browser of a phone's size: typed readings become offsets, what is out of its limits stops, the house goes away and comes back, two people
//! see each other.

use crate::common::browser::Browser;
use crate::common::mill::stand;
use crate::common::{Base, House, part};
use crate::{axe, drop_file, signed_in};
use server::demo::PASSWORD;
use std::time::Duration;

/// Types into the asks of a step, in their order.
async fn type_in(b: &Browser, values: &[&str]) {
    let list = values.iter().map(|v| format!("{v:?}")).collect::<Vec<_>>().join(",");
    b.js(&format!(
        "const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
         const v = [{list}];
         document.querySelectorAll('[data-ask] input').forEach((e, k) => {{
           if (v[k] === undefined) return;
           set.call(e, v[k]); e.dispatchEvent(new Event('input', {{ bubbles: true }})); }});"
    ))
    .await;
}

/// What is planned for each ask of the step on the page.
async fn planned(b: &Browser) -> Vec<String> {
    let v = b
        .js("return [...document.querySelectorAll('[data-ask]')].map((e) =>
               /planned (-?[\\d.]+)/.exec(e.innerText.replace(/[\\u202f\\s]+/g, ' ').replace('−', '-'))[1])")
        .await;
    v.as_array().unwrap().iter().map(|x| x.as_str().unwrap().to_string()).collect()
}

async fn at(b: &Browser, step: &str) {
    b.find(&format!("[data-step='{step}']")).await;
}

async fn outcome(b: &Browser, id: &str) -> f64 {
    let text = b
        .js_until(&format!("const e = document.querySelector('[data-outcome={id}] .value'); return e && e.innerText"))
        .await;
    let t = text.as_str().unwrap().replace('\u{202f}', "").replace('−', "-");
    t.split_whitespace().next().unwrap().parse().unwrap()
}

async fn waits(b: &Browser, n: u32) {
    b.find(&format!("[data-run][data-waits='{n}']")).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_card_leads_through_a_lost_house_and_two_people_see_each_other() {
    let base = Base::new();
    server::demo::load(&base.db, &crate::root().join("demo/rack.csv"), &[], &crate::common::program()).unwrap();
    let mut house = House::at(base.clone(), "127.0.0.1:0", 2, &[]);
    let b = signed_in(&house).await;
    drop_file(&b, &part("shutter-lever.step")).await;
    b.js_until("return location.pathname.startsWith('/jobs/')").await;
    b.fresh(0).await;
    b.keys("8").await;
    b.find("section.card[aria-label=run]").await;
    let bad = axe(&b, "run ticket").await;
    assert!(bad.is_empty(), "{bad:#?}");
    b.press("Begin a run").await;
    at(&b, "cautions").await;
    let path = b.js("return location.pathname").await.as_str().unwrap().to_string();
    b.size(390, 844).await;
    b.text("a qualified person decides").await;
    let bad = axe(&b, "card").await;
    assert!(bad.is_empty(), "{bad:#?}");
    // A glove hits everything, and nothing is wider than the phone.
    let small = "return [...document.querySelectorAll('main button, header button, header a, main input')]
        .map((e) => e.getBoundingClientRect()).filter((r) => r.width > 0 && (r.height < 48 || r.width < 48)).length
        + (document.documentElement.scrollWidth > 390 ? 100 : 0)";
    assert_eq!(b.js(small).await, 0);
    b.press("Done").await;

    // Too small a block stops the card; what is right in another unit lets it go on.
    at(&b, "stock").await;
    let right = planned(&b).await;
    let mut wrong: Vec<&str> = right.iter().map(String::as_str).collect();
    wrong[0] = "5";
    type_in(&b, &wrong).await;
    b.text("Too small").await;
    b.press("Write it down").await;
    b.find("[data-step=stock][data-standing=stopped]").await;
    let inch = format!("{} mm + 0 in", right[0]);
    let typed: Vec<&str> = std::iter::once(inch.as_str()).chain(right[1..].iter().map(String::as_str)).collect();
    type_in(&b, &typed).await;
    b.press("Enter").await;
    at(&b, "side-1/cutters").await;
    assert_eq!(b.js(small).await, 0);
    b.js_until("return navigator.serviceWorker && navigator.serviceWorker.controller !== null").await;
    waits(&b, 0).await;

    // The house goes away in the middle: what is typed is counted and kept here, over a reload too.
    let address = house.address.trim_start_matches("http://").to_string();
    house.kill();
    b.press("Enter").await;
    at(&b, "side-1/zero-x").await;
    let reads: f64 = planned(&b).await[0].parse().unwrap();
    type_in(&b, &[&format!("{reads} + 1.25")]).await;
    let offset = outcome(&b, "offset").await;
    // The stop lies left of the edge finder, so its half tip comes off.
    assert!((offset - (reads + 1.25 - 5.0)).abs() < 1e-6, "{offset} from {reads}");
    b.press("Enter").await;
    at(&b, "side-1/zero-y").await;
    waits(&b, 2).await;
    b.text("2 kept here").await;
    b.go(&path).await;
    at(&b, "side-1/zero-y").await;
    waits(&b, 2).await;
    let house = House::at(base, &address, 2, &[]);
    waits(&b, 0).await;
    b.text("saved").await;

    // Somebody else sees it, goes on, and the first page follows.
    let c = Browser::open(&house.address).await;
    c.sign_in("bruno", PASSWORD).await;
    c.text("On the bench").await;
    c.go(&path).await;
    at(&c, "side-1/zero-y").await;
    let y = planned(&c).await;
    type_in(&c, &[&y[0]]).await;
    c.press("Enter").await;
    at(&c, "side-1/zero-z").await;
    at(&b, "side-1/zero-z").await;
    // A far zero is doubted; looked at again it holds, and stands with a name.
    let z: f64 = planned(&b).await[0].parse().unwrap();
    type_in(&b, &[&format!("{}", z + 7.0)]).await;
    b.text("Look again").await;
    b.press("I looked again").await;
    at(&b, "side-1/load").await;
    // A cutter breaks, a note is kept, the run is broken off with its cause: it stands in the log.
    b.press("More").await;
    b.find("form[aria-label='Note'] textarea").await.send_keys("chatter at the boss").await.unwrap();
    b.press("Keep the note").await;
    c.size(1280, 800).await;
    b.press("More").await;
    b.find("form[aria-label='Break off'] input").await.send_keys("dropped on the floor").await.unwrap();
    b.press("End this run").await;
    b.text("This run was broken off").await;
    tokio::time::sleep(Duration::from_millis(300)).await;
    c.go("/log").await;
    c.text("dropped on the floor").await;
    c.text("chatter at the boss").await;
    let bad = axe(&c, "log").await;
    assert!(bad.is_empty(), "{bad:#?}");
    b.close().await;
    c.close().await;
}

/// The machine on the line: taken, read, entered, loaded, run above the piece, a cutter breaks, the power goes; always by what the card offers next.
#[tokio::test(flavor = "multi_thread")]
async fn a_card_works_on_the_simulated_machine() {
    let base = Base::new();
    server::demo::load(&base.db, &crate::root().join("demo/rack.csv"), &[], &crate::common::program()).unwrap();
    let mill = stand(9);
    let house = House::at(base.clone(), "127.0.0.1:0", 2, &[("GOLDCHIP_MACHINE", &mill)]);
    let b = signed_in(&house).await;
    drop_file(&b, &part("shutter-lever.step")).await;
    b.js_until("return location.pathname.startsWith('/jobs/')").await;
    b.fresh(0).await;
    b.keys("8").await;
    b.find("section.card[aria-label=run]").await;
    b.press("Begin a run").await;
    at(&b, "cautions").await;
    b.size(390, 844).await;
    b.press("Work on it").await;
    b.find("[data-machine=idle]").await;
    let bad = axe(&b, "card with a machine").await;
    assert!(bad.is_empty(), "{bad:#?}");
    b.press("Done").await;
    at(&b, "stock").await;
    let right = planned(&b).await;
    type_in(&b, &right.iter().map(String::as_str).collect::<Vec<_>>()).await;
    b.press("Enter").await;
    for step in ["cutters", "zero-x", "zero-y", "zero-z"] {
        at(&b, &format!("side-1/{step}")).await;
        b.press("Read").await;
        b.js_until("return [...document.querySelectorAll('[data-ask] input')].some((e) => e.value !== '')").await;
        b.js_until("return [...document.querySelectorAll('[data-ask] input')].filter((e) => !e.placeholder).every((e) => e.value !== '')").await;
        b.press("Enter").await;
        waits(&b, 0).await;
    }
    at(&b, "side-1/load").await;
    b.press("Done").await;
    at(&b, "side-1/program").await;
    b.press("Load 1-shutter").await;
    b.find("[data-same=true]").await;
    b.press("Done").await;
    at(&b, "side-1/dry-run").await;
    b.press("Panel").await;
    b.press("600 times").await;
    let bad = axe(&b, "panel").await;
    assert!(bad.is_empty(), "{bad:#?}");
    b.press("Close").await;
    b.press("Raise Z by").await;
    b.find("[data-machine=done], [data-machine=stopped]").await;
    b.press("Set Z of the zero back").await;
    b.find("[data-machine=idle]").await;
    b.press("Done").await;
    at(&b, "side-1/first-cut").await;
    b.press("Make T").await;
    b.text("longer now").await;
    b.press("Read it").await;
    outcome(&b, "correction").await;
    b.press("Enter").await;
    at(&b, "side-1/run-1").await;
    waits(&b, 0).await;
    // The house says which machine it is, from another page too: the stage goes where the line is.
    b.press("Panel").await;
    b.js("const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
          const e = document.querySelector('[role=dialog] input'); set.call(e, '60'); e.dispatchEvent(new Event('input', { bubbles: true }))")
        .await;
    b.press("the cutter breaks").await;
    b.press("Close").await;
    b.press("Cycle start").await;
    b.find("[data-machine=alarm]").await;
    b.press("Put a new T").await;
    b.find("[data-machine=idle]").await;
    b.press("Write the rest").await;
    b.press("Load it into the machine").await;
    b.press("Cycle start").await;
    b.find("[data-machine=done], [data-machine=stopped]").await;
    let path = b.js("return location.pathname").await.as_str().unwrap().to_string();
    b.size(1280, 800).await;
    b.go(&path.replace("/run/", "/jobs/").rsplit_once('/').map(|p| format!("{}/run", p.0)).unwrap()).await;
    b.find("section[aria-label=Machine]").await;
    let bad = axe(&b, "run ticket with a machine").await;
    assert!(bad.is_empty(), "{bad:#?}");
    b.close().await;
}
