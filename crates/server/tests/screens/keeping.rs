//! How the house is kept, on the screen; and a house whose database is away for a moment.

use super::{Browser, axe, signed_in};
use crate::common::own::OwnDb;
use crate::common::part;
use crate::common::person::{Person, peopled};
use server::backup;
use server::demo::PASSWORD;
use std::time::Duration;

const NO_DIALOG: &str = "return !document.querySelector('[role=dialog]')";

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_job_is_found_thrown_away_and_taken_back() {
    let h = peopled(0);
    let ida = Person::of(&h, "ida", PASSWORD);
    let bytes = std::fs::read(part("spider-plate.step")).unwrap();
    for name in ["plate-one.step", "plate-two.step", "lever.step"] {
        assert_eq!(ida.give(name, &bytes).status(), 200);
    }
    let b = signed_in(&h).await;
    let cards = |n: usize| format!("return document.querySelectorAll('article[data-job]').length === {n}");
    b.js_until(&cards(3)).await;
    b.find("input[type=search]").await.send_keys("PLATE").await.unwrap();
    b.js_until(&cards(2)).await;
    b.find("input[type=search]").await.send_keys("x").await.unwrap();
    b.text("No job is called").await;
    b.press("Show all").await;
    b.js_until(&cards(3)).await;
    b.press("Archive: Lever").await;
    b.js_until(&cards(2)).await;
    b.press("Archive (1)").await;
    b.js_until(&cards(1)).await;
    b.press("Throw away: Lever").await;
    b.text("0 decisions, 0 programs that were taken").await;
    let mut bad = axe(&b, "throwing away").await;
    b.press("Throw it away").await;
    b.text("Nothing is put away").await;
    b.js_until(NO_DIALOG).await;

    // Under Keeping: no backup yet, then one; and the job, which comes back.
    b.press("Keeping").await;
    b.text("There is none yet").await;
    b.text("gone for good").await;
    bad.extend(axe(&b, "keeping").await);
    assert!(bad.is_empty(), "{bad:#?}");
    b.press("Take back: Lever").await;
    b.text("for 30 days it lies here").await;
    // The button that had the focus is gone: the focus stays in the dialog, else no key would reach it.
    b.js_until("return document.querySelector('[role=dialog]')?.contains(document.activeElement)").await;
    b.keys("\u{e00c}").await;
    b.js_until(NO_DIALOG).await;
    b.js_until(&cards(1)).await;
    let dir = tempfile::tempdir().unwrap();
    backup::make(&h.base().db, &h.base().address(), &dir.path().join("x.backup")).unwrap();
    b.press("Keeping").await;
    b.text("The last one was made").await;
    b.text("x.backup").await;
    b.close().await;
}

/// What is decided while the database is away waits on the screen and is saved when it is back, on another port.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_change_waits_for_a_database_that_is_away() {
    let own = OwnDb::start("");
    let h = own.house(0);
    let ida = Person::of(&h, "ida", PASSWORD);
    let job = ida.job("spider-plate.step");
    let b = Browser::open(&h.address).await;
    b.sign_in("ida", PASSWORD).await;
    b.text("On the bench").await;
    b.go(&format!("/jobs/{job}/part")).await;
    b.text("Lengths in mm").await;
    own.kill();
    b.press("Lengths in").await;
    b.text("Your change waits here").await;
    own.again(true);
    b.text("Saved").await;
    tokio::time::sleep(Duration::from_millis(300)).await;
    let s = ida.state(job);
    assert_eq!(s["settled"]["units"], "inch");
    assert_eq!(s["decisions"].as_array().unwrap().len(), 1, "once");
    b.close().await;
}
