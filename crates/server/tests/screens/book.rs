//! The shop's book in the browser: an entry changed and taken back, and a shop that loses what a way of holding needs.

use super::{axe, signed_in};
use crate::common::part;
use crate::common::person::{Person, peopled};
use server::demo::PASSWORD;

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_shop_without_soft_jaw_blanks() {
    let h = peopled(2);
    let ida = Person::of(&h, "ida", PASSWORD);
    assert_eq!(ida.give("spider-plate.step", &std::fs::read(part("spider-plate.step")).unwrap()).status(), 200);
    let b = signed_in(&h).await;
    b.go("/jobs/1/hold").await;
    b.fresh(0).await;
    b.press("Side 2").await;
    b.find("[data-offer=soft_jaws]").await;
    // The blanks go out of the book, both kinds; the book says what it lost.
    b.go("/shop/jaw_blanks").await;
    b.find("[data-entry]").await;
    let mut bad = axe(&b, "jaw blanks").await;
    for _ in 0..2 {
        b.js_until("const l = document.querySelector('[data-entry] button'); l?.click(); return !!l").await;
        b.press("Take it out").await;
        b.text("is out of the book").await;
        b.js_until("return !document.querySelector('[aria-label=\"This pair of jaw blanks\"]')").await;
    }
    b.text("The shop has none").await;
    // The job keeps its own book until somebody takes the newer one.
    b.go("/jobs/1/hold").await;
    b.press("Side 2").await;
    b.find("[data-offer=soft_jaws]").await;
    b.find("[data-newer-book]").await;
    bad.extend(axe(&b, "a newer book").await);
    b.press("Plan with the new book").await;
    b.fresh(1).await;
    b.js_until("return !document.querySelector('[data-newer-book]')").await;
    b.press("Side 2").await;
    b.text("the shop has no blanks for soft jaws").await;
    b.press("Undo").await;
    b.fresh(2).await;
    b.press("Side 2").await;
    b.js_until("return !document.body.innerText.includes('the shop has no blanks for soft jaws')").await;
    assert!(bad.is_empty(), "{bad:#?}");
    b.close().await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn an_entry_is_changed_and_taken_back() {
    let h = peopled(0);
    let b = signed_in(&h).await;
    b.go("/shop").await;
    b.find("a[href='/shop/chucks']").await.click().await.unwrap();
    b.js_until(
        "document.querySelector('[data-entry] button')?.click(); return !!document.querySelector('[data-field]')",
    )
    .await;
    let mut bad = axe(&b, "a chuck").await;
    let field = b.find("input[aria-label='Each jaw presses with']").await;
    field.click().await.unwrap();
    field.send_keys("2+2.5\u{e007}").await.unwrap();
    b.press("Change it").await;
    b.text("each jaw presses with 6 kN → 4.5 kN").await;
    b.keys("z").await;
    b.text("taken back").await;
    // What makes no sense is refused in words, and what was typed stays.
    b.js_until(
        "document.querySelector('[data-entry] button')?.click(); return !!document.querySelector('[data-field]')",
    )
    .await;
    let field = b.find("input[aria-label='Grips from outside, to']").await;
    field.click().await.unwrap();
    field.send_keys("1\u{e007}").await.unwrap();
    b.press("Change it").await;
    b.text("must have sizes above 0 and a range").await;
    let kept = b.js("return document.querySelector(\"input[aria-label='Grips from outside, to']\").value").await;
    assert_eq!(kept, "1");
    // A list with a word in it waits.
    b.go("/shop/vise").await;
    let list = b.find("input[aria-label='Parallels, heights']").await;
    list.send_keys("; ten").await.unwrap();
    b.text("ten: ").await;
    bad.extend(axe(&b, "vise").await);
    // A control says at once what its description comes to, and what its own reader cannot follow.
    b.go("/shop/dialects").await;
    b.press("Production mill: numbered lines, reference point, feed a turn").await;
    b.text("What is written is what is read").await;
    b.text("N30G17G21G90G94").await;
    bad.extend(axe(&b, "a control").await);
    let start = b.find("input[aria-label^='Safe start']").await;
    start.send_keys("|G77").await.unwrap();
    b.text("G77 is not part of this dialect").await;
    start.send_keys("\u{e003}\u{e003}\u{e003}\u{e003}").await.unwrap();
    b.text("What is written is what is read").await;
    b.press("A new control").await;
    b.text("a control's short name has small letters").await;
    assert!(bad.is_empty(), "{bad:#?}");
    b.close().await;
}
