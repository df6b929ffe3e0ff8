//! Ways of holding side by side: one is chosen, its jaws are made, looked into, taken, and undone.

use super::{axe, signed_in};
use crate::common::part;
use crate::common::person::{Person, peopled};
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
