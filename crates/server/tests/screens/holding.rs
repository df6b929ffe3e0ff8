//! Ways of holding side by side: one is chosen, its jaws are made, looked into, taken, and undone.

use super::{axe, signed_in};
use crate::common::part;
use crate::common::person::{Person, peopled, peopled_in};
use serde_json::json;
use server::demo::PASSWORD;

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn soft_jaws_are_chosen_made_and_undone() {
    let h = peopled(2);
    let ida = Person::of(&h, "ida", PASSWORD);
    assert_eq!(ida.give("spider-plate.step", &std::fs::read(part("spider-plate.step")).unwrap()).status(), 200);
    let b = signed_in(&h).await;
    b.go("/jobs/1/hold").await;
    b.fresh(0).await;
    b.press("Side 2").await;
    // Two ways, the one that is proposed and the other with what it costs; nothing is made yet.
    b.find("[data-offer=vise]").await;
    let soft = b.find("[data-offer=soft_jaws]").await.text().await.unwrap();
    assert!(soft.contains("once to change the jaws") && soft.contains("Is made first"), "{soft}");
    assert_eq!(b.js("return document.querySelectorAll('[data-made]').length").await, 0);
    b.press("Hold it this way").await;
    b.fresh(1).await;
    b.find("[data-made='jaws-side-2']").await;
    let fit = b.js("return document.querySelector('[data-fit]').dataset.fit").await;
    assert!(fit.as_str().unwrap().parse::<f64>().unwrap() <= 0.01, "{fit}");
    b.js("document.querySelector('[data-made] summary').click()").await;
    b.text("left end of the blanks is X").await;
    b.text("Jaws with the nest that is cut for it").await;
    let bad = axe(&b, "soft jaws").await;
    assert!(bad.is_empty(), "{bad:#?}");
    b.press("Download the program of the jaws").await;
    b.text("jaws-side-2-spider-plate.ngc was taken").await;
    // Where the size of the part crosses the flip it says how far it may be off.
    b.find("[data-crossing=meets]").await;
    b.press("Back to the proposed way of holding").await;
    b.fresh(2).await;
    b.js_until("return !document.querySelector('[data-made]')").await;
    b.close().await;
}

/// Whole ways side by side: the best are planned unasked behind everything else, one is chosen with one press, a refused one has its reason, undo goes back.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn whole_ways_are_compared_and_one_is_chosen() {
    let h = peopled(2);
    let ida = Person::of(&h, "ida", PASSWORD);
    assert_eq!(ida.give("spider-plate.step", &std::fs::read(part("spider-plate.step")).unwrap()).status(), 200);
    let b = signed_in(&h).await;
    b.go("/jobs/1/hold").await;
    b.fresh(0).await;
    b.find("[data-way]").await;
    let first = b.js("return document.querySelector('[data-way]').dataset.way").await;
    assert!(first.as_str().unwrap().starts_with("deck.vise."), "{first}");
    let all = "[...document.querySelectorAll('[data-refused]')].map((e) => e.textContent).join(' | ')";
    let refused = b.js(&format!("return {all}")).await;
    // It is thin: half from each side leaves the jaws nothing.
    assert!(refused.as_str().unwrap().contains("too low"), "{refused}");
    // The others are planned without anybody asking: the note that they are goes away.
    b.find_slow("section[aria-label='Whole ways']:not(:has([role=status]))").await;
    let soft = b.js("return document.querySelector('[data-way^=\"deck.soft-jaws\"]').dataset.way").await;
    let soft = soft.as_str().unwrap().to_string();
    let words = b.find(&format!("[data-way='{soft}']")).await.text().await.unwrap();
    assert!(words.contains("To be made first: jaws-side-2") && words.contains("min more a piece"), "{words}");
    let bad = axe(&b, "whole ways").await;
    assert!(bad.is_empty(), "{bad:#?}");
    // One press, and nothing else that was decided is lost.
    assert_eq!(ida.decide(1, 0, serde_json::json!({ "about": "quantity", "pieces": 40 })).status(), 200);
    b.fresh(1).await;
    b.js(&format!("document.querySelector(\"[data-way='{soft}'] button[aria-label^='Make it']\").click()")).await;
    b.fresh(2).await;
    b.text("Back to the proposed way").await;
    b.find("[data-way]").await;
    b.press("Side 2").await;
    b.find("[data-made='jaws-side-2']").await;
    let pieces = b.js("return document.querySelector(\"input[aria-label='Pieces']\").value").await;
    assert_eq!(pieces, "40");
    b.press("Undo").await;
    b.fresh(3).await;
    b.js_until("return !document.querySelector('[data-made]')").await;
    b.close().await;
}

/// A plate by the part's own holes: chosen as a whole way, it stands on its side with pins and heads, opens as a piece that is made, and goes with one undo.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_plate_is_chosen_and_opened() {
    let h = peopled_in(2, &shop::Shop::demo().unwrap());
    let ida = Person::of(&h, "ida", PASSWORD);
    let file = std::fs::read(part("../reading/guider-plate.step")).unwrap();
    assert_eq!(ida.give("guider-plate.step", &file).status(), 200);
    let way = serde_json::json!({ "about": "scheme", "id": "inside.plate.+z.x" });
    assert_eq!(ida.decide(1, 0, way).status(), 200);
    let b = signed_in(&h).await;
    b.go("/jobs/1/hold").await;
    b.fresh(1).await;
    b.text("3 sides, +Z up first").await;
    b.press("Side 3").await;
    b.text("On its plate: set by two pins, held by screws through its own holes").await;
    let offer = b.find("[data-offer=plate]").await.text().await.unwrap();
    assert!(offer.contains("Pins apart 76.47mm") && offer.contains("to set the plate, ream and tap"), "{offer}");
    let made = b.find("[data-made='plate-side-3']").await.text().await.unwrap();
    assert!(made.contains("Plate for side 3") && made.contains("proved"), "{made}");
    let bad = axe(&b, "a plate").await;
    assert!(bad.is_empty(), "{bad:#?}");
    b.press("Undo").await;
    b.fresh(2).await;
    b.js_until("return !document.querySelector('[data-made=\"plate-side-3\"]')").await;
    b.close().await;
}

/// A plate that no vise opens for: straps and screws on its side, and the stop between them stands in the order with what is done there; no step is moved over it.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_plate_on_the_table_stops_for_its_screws() {
    let h = peopled_in(2, &shop::Shop::demo().unwrap());
    let ida = Person::of(&h, "ida", PASSWORD);
    let file = std::fs::read(part("../reading/pier-plate.step")).unwrap();
    assert_eq!(ida.give("pier-plate.step", &file).status(), 200);
    let b = signed_in(&h).await;
    b.go("/jobs/1/hold").await;
    b.fresh(0).await;
    b.text("1 side, +Z up").await;
    b.text("each of 4, nuts with 16 N m").await;
    b.text("8 in its own holes, from the program's stop on").await;
    let mut bad = axe(&b, "on the table").await;
    b.go("/jobs/1/order").await;
    let stop = b.find("[data-stop='1']").await.text().await.unwrap();
    assert!(stop.contains("Stop 1") && stop.contains("through its own holes into the sheet"), "{stop}");
    // The first step after the stop cannot go before it.
    b.js("const all = [...document.querySelectorAll('[data-op]')]; all.find((o) => o.previousElementSibling?.innerText.includes('stop')).click()").await;
    b.js_until("return [...document.querySelectorAll('button')].find((x) => x.innerText === 'One earlier').disabled")
        .await;
    b.js_until(
        "return !![...document.querySelectorAll('h2')].find((x) => x.innerText.includes('Rough outline to Z-0.40'))",
    )
    .await;
    bad.extend(axe(&b, "an order with a stop").await);
    assert!(bad.is_empty(), "{bad:#?}");
    b.close().await;
}

/// A cross-drilled hexagon: its stock is a bar, its sides are turned with the collet block, and the saw stands before the last.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_bar_is_turned_in_its_block() {
    let h = peopled_in(2, &shop::Shop::demo().unwrap());
    let ida = Person::of(&h, "ida", PASSWORD);
    let file = std::fs::read(part("../reading/cord-post.step")).unwrap();
    assert_eq!(ida.give("cord-post.step", &file).status(), 200);
    let b = signed_in(&h).await;
    b.go("/jobs/1/hold").await;
    b.fresh(0).await;
    b.text("5 sides, +Z up first").await;
    b.text("A bar in its collet block, which is turned as a unit").await;
    b.text("hexagon 17 across flats in a hexagon collet 17").await;
    let mut bad = axe(&b, "a bar, nose up").await;
    b.press("Side 3").await;
    b.text("as it was found before the block was turned").await;
    b.press("Side 5").await;
    b.text("Jaw that grips").await;
    bad.extend(axe(&b, "a bar, sawn off").await);
    b.go("/jobs/1/stock").await;
    b.text("Bar, hexagon 17 across flats, 86 mm long").await;
    bad.extend(axe(&b, "the stock is a bar").await);
    assert!(bad.is_empty(), "{bad:#?}");
    b.close().await;
}

/// A side on a slope says what sets it, and with what zero; the picture is in another frame and still has its steps.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_slope_is_seen_as_it_stands() {
    let h = peopled_in(2, &shop::Shop::demo().unwrap());
    let ida = Person::of(&h, "ida", PASSWORD);
    let file = std::fs::read(part("../reading/mirror-wedge.step")).unwrap();
    assert_eq!(ida.give("mirror-wedge.step", &file).status(), 200);
    let b = signed_in(&h).await;
    b.go("/jobs/1/hold").await;
    b.fresh(0).await;
    b.press("Side 3").await;
    b.text("On a slope between flat jaws").await;
    b.text("angle block 15°").await;
    let offers = b.js("return document.querySelectorAll('[data-offer]').length").await;
    assert_eq!(offers.as_u64(), Some(1), "{offers}");
    b.text("gauge pin Ø8 in the corner of slope and stop").await;
    let bad = axe(&b, "a slope").await;
    assert!(bad.is_empty(), "{bad:#?}");
    // A shop that has none says so.
    let bare = shop::Shop { angle_blocks: None, sine_bars: vec![], ..shop::Shop::demo().unwrap() };
    let other = peopled_in(2, &bare);
    let ida = Person::of(&other, "ida", PASSWORD);
    assert_eq!(ida.give("mirror-wedge.step", &file).status(), 200);
    let c = signed_in(&other).await;
    c.go("/jobs/1/hold").await;
    c.fresh(0).await;
    c.press("Checks").await;
    c.text("the shop has neither angle blocks nor a sine bar").await;
    c.close().await;
    b.close().await;
}

/// A shop without blanks: soft jaws say so, and an odd thin plate is stuck to a pallet.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_shop_without_blanks_says_so() {
    let bare = shop::Shop { jaw_blanks: Vec::new(), ..shop::Shop::demo().unwrap() };
    let h = peopled_in(2, &bare);
    let ida = Person::of(&h, "ida", PASSWORD);
    let file = std::fs::read(part("../reading/sight-plate.step")).unwrap();
    assert_eq!(ida.give("sight-plate.step", &file).status(), 200);
    let b = signed_in(&h).await;
    b.go("/jobs/1/hold").await;
    b.fresh(0).await;
    b.text("Stuck to a pallet that is gripped in the vise").await;
    b.find("[data-way^='sheet.bond']").await;
    let all = "[...document.querySelectorAll('[data-refused]')].map((e) => e.textContent).join(' | ')";
    let refused = b.js(&format!("return {all}")).await;
    assert!(refused.as_str().unwrap().contains("the shop has no blanks for soft jaws"), "{refused}");
    b.close().await;
}

/// A thread is made in three ways, each by a person's word, and as proposed again; what cannot make it says why.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_thread_is_made_as_one_wants_it() {
    let mut shop = shop::Shop::demo().unwrap();
    // A spindle that bears a tap M8.
    shop.machine.usable_share = 0.6;
    let h = peopled_in(2, &shop);
    let ida = Person::of(&h, "ida", PASSWORD);
    let file = std::fs::read(part("../reading/cord-post.step")).unwrap();
    assert_eq!(ida.give("cord-post.step", &file).status(), 200);
    let tap = json!({"about": "answer", "question": "hole/6.80/20.00/blind", "answer": "tap M8"});
    assert_eq!(ida.decide(1, 0, tap).status(), 200);
    let b = signed_in(&h).await;
    b.go("/jobs/1/order").await;
    b.js_until("return !!document.querySelector('[data-finish=\"made/M8\"][data-how=\"tap\"]')").await;
    b.text("A tap is quick, and the spindle bears it").await;
    let mut bad = axe(&b, "threads and fits").await;
    for (words, how) in
        [("by a thread mill", "mill"), ("by hand, after the program", "hand"), ("by a tap in the spindle", "tap")]
    {
        b.js("document.querySelector('[data-finish] button').click()").await;
        b.js_until("return !!document.querySelector('[role=option]')").await;
        b.js(&format!(
            "[...document.querySelectorAll('[role=option]')].find((x) => x.innerText.includes('{words}')).click()"
        ))
        .await;
        b.js_until(&format!("return !!document.querySelector('[data-finish][data-how={how}]')")).await;
        b.text("A person wants it").await;
    }
    b.press("As proposed").await;
    b.text("A tap is quick, and the spindle bears it").await;
    // Its feed is no field: it follows from the pitch.
    b.press("side 1, T49").await;
    b.press("Its cutter").await;
    b.text("pitch × speed").await;
    bad.extend(axe(&b, "numbers of a tap").await);
    assert!(bad.is_empty(), "{bad:#?}");
    b.close().await;
}
