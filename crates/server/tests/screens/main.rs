//! The screens in a real browser, on the real server and database. Needs a built front end (`npm run build` in web/).

mod book;
#[path = "../common/mod.rs"]
mod common;
mod holding;
mod keeping;
mod program;
mod run;
mod trainer;
mod what_if;

use common::browser::Browser;
use common::{House, part, root};
use serde_json::{Value, json};
use server::demo::PASSWORD;
use std::path::Path;
use std::time::Duration;
use thirtyfour::prelude::*;

const TICKETS: [&str; 9] = ["part", "stock", "hold", "order", "cutters", "proof", "program", "run", "log"];

/// A file dropped on the bench, as a hand drops it.
async fn drop_file(b: &Browser, file: &Path) {
    let data = json!({"items": [], "files": [file], "dragOperationsMask": 1});
    for kind in ["dragEnter", "dragOver", "drop"] {
        let event = json!({"type": kind, "x": 600, "y": 700, "data": data});
        b.page.cdp().send_raw("Input.dispatchDragEvent", event).await.unwrap();
    }
}

/// The same with a file that is made for it.
async fn drop_text(b: &Browser, name: &str, text: &str) {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join(name);
    std::fs::write(&file, text).unwrap();
    drop_file(b, &file).await;
    // The browser reads it when the page asks for it.
    tokio::time::sleep(Duration::from_secs(1)).await;
}

async fn signed_in(house: &House) -> Browser {
    let b = Browser::open(&house.address).await;
    b.sign_in("ida", PASSWORD).await;
    b.text("On the bench").await;
    b
}

/// Violations of WCAG 2.2 A and AA that axe-core finds on the page.
async fn axe(b: &Browser, at: &str) -> Vec<String> {
    let source = std::fs::read_to_string(root().join("web/node_modules/axe-core/axe.min.js")).unwrap();
    b.page.execute(source, vec![]).await.unwrap();
    let script = r"
        const done = arguments[arguments.length - 1];
        axe.run(document, { runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'] }).then(
          (r) => done({ passes: r.passes.length, bad: r.violations.map((v) => v.id + ': ' + v.nodes.map((n) => n.html.slice(0, 160) + ' ' + n.failureSummary).join(' || ')) }),
          (e) => done({ passes: 0, bad: [String(e)] }));";
    let r = b.page.execute_async(script, vec![]).await.unwrap();
    let r: &Value = r.json();
    assert!(r["passes"].as_u64().unwrap() > 15, "axe looked at the page: {r}");
    let bad: Vec<String> =
        r["bad"].as_array().unwrap().iter().map(|v| format!("{at}: {}", v.as_str().unwrap())).collect();
    bad
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn signing_in() {
    let house = House::demo(0);
    let b = Browser::open(&house.address).await;
    let mut bad = axe(&b, "sign-in").await;
    b.sign_in("ida", "not the password").await;
    b.text("do not belong together").await;
    b.find("input[name=password]").await.clear().await.unwrap();
    b.find("input[name=name]").await.clear().await.unwrap();
    b.sign_in("ida", PASSWORD).await;
    b.text("On the bench").await;
    b.text("Hill observatory workshop").await;
    bad.extend(axe(&b, "bench").await);
    // The owner takes in a member.
    b.press("People").await;
    b.text("owner: keeps people and copies").await;
    b.find("[role=dialog] input[name=name]").await.send_keys("dora").await.unwrap();
    b.find("[role=dialog] input[name=password]").await.send_keys("long enough to be one").await.unwrap();
    b.find("[role=dialog] button[type=submit]").await.click().await.unwrap();
    b.js_until("return document.querySelector('[role=dialog]').innerText.includes('dora')").await;
    // Makes her an owner, and lets her go; all of it stands below.
    b.press("Make an owner: dora").await;
    b.press("Make a member: dora").await;
    b.press("Leaves the shop: dora").await;
    b.press("dora leaves: yes").await;
    for words in ["dora may sign in now", "dora is an owner now", "dora may no longer sign in", "signed in"] {
        let there =
            format!("return document.querySelector('[aria-label=\"What happened\"]')?.innerText.includes('{words}')");
        b.js_until(&there).await;
    }
    bad.extend(axe(&b, "people").await);
    assert!(bad.is_empty(), "{bad:#?}");
    b.keys("\u{e00c}").await;
    b.js_until("return !document.querySelector('[role=dialog]')").await;
    // The session outlives the page; signing out ends it.
    b.go("/jobs/1/part").await;
    b.press("Sign out").await;
    b.find("input[name=password]").await;
    b.go("/jobs/1/part").await;
    b.find("input[name=password]").await;
    b.close().await;
}

/// A browser opens six connections to a house: with a stream in each window the seventh would stay blank.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn ten_windows_load_and_hear() {
    let house = House::demo(0);
    let b = signed_in(&house).await;
    let mut all = vec![b.page.window().await.unwrap()];
    for _ in 0..9 {
        let w = b.page.new_tab().await.unwrap();
        b.page.switch_to_window(w.clone()).await.unwrap();
        b.go("/").await;
        b.text("On the bench").await;
        b.text("Spider plate").await;
        all.push(w);
    }
    // What one of them does is seen in all the others.
    b.js("const r = new XMLHttpRequest(); r.open('PATCH', '/api/jobs/1', false); r.setRequestHeader('Content-Type', 'application/json'); r.send(JSON.stringify({title: 'Renamed by the tenth'}))").await;
    for w in all {
        b.page.switch_to_window(w).await.unwrap();
        b.text("Renamed by the tenth").await;
    }
    b.close().await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn bad_files_get_their_sentence() {
    let house = House::demo(0);
    let b = signed_in(&house).await;
    let jobs = "return document.querySelectorAll('[data-job]').length";
    b.js_until("return document.querySelectorAll('[data-job]').length === 4").await;
    drop_text(&b, "drawing.pdf", "%PDF").await;
    b.text("this is a PDF, a picture of a drawing").await;
    drop_text(&b, "empty.step", "").await;
    b.text("empty").await;
    drop_text(&b, "garbage.step", &"no such thing ".repeat(500)).await;
    let said = b
        .js_until("const m = document.querySelector('[data-message=refused]'); return m && !m.innerText.includes('empty') && m.innerText")
        .await;
    assert!(said.as_str().unwrap().len() > 30, "{said}");
    assert_eq!(b.js(jobs).await, json!(4));
    b.close().await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_dropped_part_is_proved_overruled_and_looked_at() {
    let house = House::with(
        {
            let base = common::Base::new();
            let data = shop::Shop::demo().unwrap();
            base.db
                .act(|c| {
                    let id = server::demo::make_shop(c, "Hill observatory workshop", &data)?;
                    server::people::add(c, id, "ida", PASSWORD, true)
                })
                .unwrap();
            base
        },
        1,
    );
    let b = signed_in(&house).await;
    b.text("The bench is clear").await;
    drop_file(&b, &part("spider-plate.step")).await;

    // Without an answer of anybody's: a whole proposal, and its proof.
    b.text("Working out").await;
    b.fresh(0).await;
    b.drawn().await;
    // The part is on the page before the sheet is.
    b.js_until(
        "const s = document.querySelector('[data-ticket=proof] [data-stamp]'); return s && s.innerText === 'proved'",
    )
    .await;
    let mut bad = Vec::new();
    for t in TICKETS {
        b.find(&format!("[data-ticket={t}]")).await.click().await.unwrap();
        b.find(&format!("section.card[aria-label={t}] h1")).await;
        b.drawn().await;
        bad.extend(axe(&b, t).await);
    }
    // The dark light has its own colours.
    b.press("Light:").await;
    bad.extend(axe(&b, "program in machine light").await);
    b.keys("6").await;
    b.find("section.card[aria-label=proof]").await;
    bad.extend(axe(&b, "proof in machine light").await);
    assert!(bad.is_empty(), "{bad:#?}");

    scrub(&b).await;
    overrule(&b).await;
    look_back(&b).await;
    reorder(&b).await;
    turn_over(&b).await;
    program::edited(&b, 6).await;
    b.close().await;
}

/// The strip moves stock, cutter and line of text together.
async fn scrub(b: &Browser) {
    b.keys("7").await;
    b.find("section.card[aria-label=program]").await;
    b.drawn().await;
    let seconds = || async {
        b.drawn().await;
        b.js("return Number(document.querySelector('[data-stage]').dataset.seconds)").await.as_f64().unwrap()
    };
    let line = "return Number(document.querySelector('[data-line]').dataset.line)";
    let strip = b.find("[data-strip]").await;
    let drag = async |x: i64| {
        b.page
            .action_chain()
            .move_to_element_with_offset(&strip, x, 0)
            .click_and_hold()
            .release()
            .perform()
            .await
            .unwrap();
    };
    drag(-200).await;
    let (t1, l1) = (seconds().await, b.js(line).await.as_i64().unwrap());
    drag(-100).await;
    let (t2, l2) = (seconds().await, b.js(line).await.as_i64().unwrap());
    assert!(t2 > t1 + 10.0 && l2 > l1, "{t1} {l1} {t2} {l2}");
    // The stock follows: cut faces are brass, and near the start there are none.
    let brass = r"
        const from = document.querySelector('canvas');
        const to = document.createElement('canvas');
        [to.width, to.height] = [from.width, from.height];
        const g = to.getContext('2d');
        g.drawImage(from, 0, 0);
        const p = g.getImageData(0, 0, to.width, to.height).data;
        let n = 0;
        for (let k = 0; k < p.length; k += 4) if (p[k + 3] > 200 && p[k] - p[k + 2] > 60) n += 1;
        return n;";
    let late = b.js(brass).await.as_i64().unwrap();
    drag(-600).await;
    let t3 = seconds().await;
    let early = b.js(brass).await.as_i64().unwrap();
    assert!(t3 < t1 && late > 5000 && early * 10 < late, "{t3} s: {early} brass points, {t2} s: {late}");
    // One line on and back, by the keyboard.
    let l3 = b.js(line).await.as_i64().unwrap();
    b.keys(".").await;
    let l4 = b.js(line).await.as_i64().unwrap();
    assert!(l4 > l3, "{l3} {l4}");
    b.keys(",").await;
    assert_eq!(b.js(line).await.as_i64().unwrap(), l3);
}

/// Overrule a number and take it back.
async fn overrule(b: &Browser) {
    b.keys("5").await;
    b.find("section.card[aria-label=cutters]").await;
    let text = b.find("input[aria-label=Speed]").await;
    let before = text.value().await.unwrap().unwrap();
    text.click().await.unwrap();
    text.send_keys(Key::Control + "a").await.unwrap();
    text.send_keys("2*2000+").await.unwrap();
    b.text("Something is missing at the end").await;
    text.send_keys("500").await.unwrap();
    b.text("Understood: 4\u{202f}500 rpm").await;
    text.send_keys(Key::Enter).await.unwrap();
    // At once what hangs on it is stale, and nothing says "proved".
    b.find("[data-ticket=proof] [data-stamp=stale]").await;
    assert!(!b.find("[data-ticket=proof]").await.text().await.unwrap().contains("proved"));
    b.fresh(1).await;
    b.text("other numbers in 1 step").await;
    b.js_until("return document.querySelector('input[aria-label=Speed]').value === '4\u{202f}500'").await;
    assert_eq!(b.find("[data-ticket=cutters] [data-stamp]").await.text().await.unwrap(), "decided");
    b.keys("7").await;
    b.text("Side 1").await;
    b.keys("5").await;
    // Undo, by the key.
    b.find("section.card[aria-label=cutters] h1").await.click().await.unwrap();
    b.keys("z").await;
    b.fresh(2).await;
    let back = format!("return document.querySelector('input[aria-label=Speed]').value === '{before}'");
    b.js_until(&back).await;
    assert_eq!(b.find("[data-ticket=cutters] [data-stamp]").await.text().await.unwrap(), "proposed");
}

/// Who decided what stays to be seen.
async fn look_back(b: &Browser) {
    b.keys("d").await;
    b.text("speed 4500 rpm").await;
    b.text("undo of 1").await;
    let bad = axe(b, "decisions").await;
    assert!(bad.is_empty(), "{bad:#?}");
    b.keys("\u{e00c}").await;
    b.js_until("return !document.querySelector('[role=dialog]')").await;
}

/// Two steps change places, and back.
async fn reorder(b: &Browser) {
    b.keys("4").await;
    let order = "return [...document.querySelectorAll('[data-op]')].map((o) => o.dataset.op)";
    b.find("[data-op]").await;
    let before = b.js(order).await;
    b.js("document.querySelectorAll('[data-op]')[2].click()").await;
    b.press("One earlier").await;
    b.fresh(3).await;
    let moved = b
        .js_until(&format!(
            "const now = (() => {{ {order} }})(); return now[1] === '{}' && now",
            before[2].as_str().unwrap()
        ))
        .await;
    assert_ne!(moved, before);
    b.keys("z").await;
    b.fresh(4).await;
    b.js_until(&format!("const now = (() => {{ {order} }})(); return now[1] === '{}'", before[1].as_str().unwrap()))
        .await;
}

/// The other side first, and back; the choice shows what stands in both.
async fn turn_over(b: &Browser) {
    b.keys("3").await;
    b.find("section.card[aria-label=hold]").await;
    b.press("+Z up, then −Z").await;
    b.js_until("const o = [...document.querySelectorAll('[role=option]')].find((o) => o.innerText.startsWith('−Z up')); o?.click(); return Boolean(o)").await;
    b.fresh(5).await;
    b.text("2 sides, −Z up first").await;
    b.press("−Z up, then +Z").await;
    b.keys("\u{e00c}").await;
    b.press("Undo").await;
    b.fresh(6).await;
    b.text("2 sides, +Z up first").await;
}

/// A press on the middle of the stage, moved by a share of its size.
async fn press_stage(b: &Browser, dx: f64, dy: f64) {
    b.drawn().await;
    b.js(&format!(
        "const c = document.querySelector('[data-stage] canvas'); const r = c.getBoundingClientRect();
         const at = {{ clientX: r.left + r.width * (0.5 + {dx}), clientY: r.top + r.height * (0.5 + {dy}), bubbles: true }};
         for (const t of ['pointerdown', 'pointerup', 'click']) c.dispatchEvent(new MouseEvent(t, at));"
    ))
    .await;
}

/// Nobody plans here: the part is read, asked about, measured and marked before there is any plan.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_part_is_asked_about_measured_and_marked() {
    let house = House::demo(0);
    let b = signed_in(&house).await;
    b.go("/jobs/3/part").await;
    b.text("Plate, 110 × 66 × 9").await;
    // A doubt is answered, changed, and opened again by undo.
    let tapped = "document.querySelector('[data-question=\"hole/4.20/6.00/blind\"]')";
    b.js_until(&format!("return {tapped}?.innerText.includes('Thread M5')")).await;
    b.js(&format!("{tapped}.querySelector('button').click()")).await;
    b.js_until(&format!("return {tapped}?.dataset.answered === 'true'")).await;
    b.press("Undo").await;
    b.js_until(&format!("return {tapped}?.dataset.answered === 'false'")).await;
    b.press("2 walls, patterns, crossings").await;
    b.text("on a circle Ø34").await;
    // A face is measured and marked.
    press_stage(&b, 0.0, -0.08).await;
    b.js_until("return document.querySelector('[data-measured]')?.innerText.includes('at 9 mm')").await;
    b.text("Mark it").await;
    let bad = axe(&b, "part with a picked face").await;
    assert!(bad.is_empty(), "{bad:#?}");
    b.press("Mark it").await;
    b.js_until("return document.querySelector('[data-mark]')?.innerText.includes('9 h7')").await;
    // 9 h7 is 0/−15 µm (ISO 286-2).
    b.js_until("return document.querySelector('[data-mark]')?.innerText.includes('8.985 mm to 9 mm')").await;
    b.press("Take away").await;
    b.js_until("return !document.querySelector('[data-mark]')").await;
    // A question to the owner of the drawing.
    b.press("Ask something").await;
    b.js("document.querySelector('form[aria-label=\"A question to the owner of the drawing\"] input').focus()").await;
    b.keys("May the corners be rounder?").await;
    b.press("Ask").await;
    b.js_until("return document.querySelector('[data-ask]')?.innerText.includes('rounder')").await;
    b.close().await;
}

/// The part cut open: its walls are measured on the stage and beside it, where the slider stands, in the unit of the screen.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_section_slides_and_tells_its_walls() {
    let house = House::demo(0);
    let b = signed_in(&house).await;
    drop_file(&b, &root().join("demo/reading/switch-box.step")).await;
    b.text("Block, 80 × 50 × 26").await;
    b.find("button[aria-label*=Section]").await.click().await.unwrap();
    b.js_until("const o = [...document.querySelectorAll('[role=option]')].find((x) => x.innerText.includes('along Z')); o?.click(); return o !== undefined").await;
    // Half way up there are the outside walls and the one between the two rooms.
    b.js_until("return document.querySelector('[data-stage]').dataset.dims?.startsWith('1.5 mm; 1.6 mm')").await;
    b.text("Walls here: 1.5 mm").await;
    b.drawn().await;
    let bad = axe(&b, "a section").await;
    assert!(bad.is_empty(), "{bad:#?}");
    // In inch, words of the core included.
    b.keys("u").await;
    b.text("Walls here: 0.0591 in").await;
    b.text("Block, 3.15 × 1.969 × 1.024").await;
    b.keys("u").await;
    // Down in the floor nothing but the whole is left.
    let slide = "const s = document.querySelector('input[type=range]'); const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set; set.call(s, '0.6'); s.dispatchEvent(new Event('input', { bubbles: true }))";
    b.js(slide).await;
    b.js_until("const d = document.querySelector('[data-stage]').dataset.dims; return d !== undefined && !d.includes('1.5 mm')").await;
    b.close().await;
}

/// Another solid of the file stays while the part is machined: said by one tick, a decision that undo takes back.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_solid_beside_the_part_stays_by_one_tick() {
    let house = House::demo(0);
    let b = signed_in(&house).await;
    drop_file(&b, &root().join("demo/reading/slit-latch.step")).await;
    b.text("What it must fit").await;
    let tick = "section[aria-label='What it must fit'] label";
    b.find(tick).await.scroll_into_view().await.unwrap();
    b.find(tick).await.click().await.unwrap();
    b.js_until("return document.querySelector(\"section[aria-label='What it must fit'] input\")?.checked === true")
        .await;
    b.text("1 decision").await;
    let bad = axe(&b, "a solid that stays").await;
    assert!(bad.is_empty(), "{bad:#?}");
    b.keys("z").await;
    b.js_until("return document.querySelector(\"section[aria-label='What it must fit'] input\")?.checked === false")
        .await;
    b.close().await;
}

/// A drawing says neither its unit nor its thickness: an answer makes another plate of it.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn an_answer_changes_the_plate_of_a_drawing() {
    let house = House::demo(0);
    let b = signed_in(&house).await;
    drop_file(&b, &root().join("demo/reading/dew-flange.dxf")).await;
    b.text("Plate, 150 × 60 × 10").await;
    b.text("needs 1 answer").await;
    let thick = "document.querySelector('[data-question=thickness]')";
    b.js(&format!("[...{thick}.querySelectorAll('button')].find((x) => x.innerText.startsWith('Why')).click()")).await;
    b.js_until(&format!("return {thick}.querySelectorAll('[role=radiogroup] label').length > 3")).await;
    b.js(&format!("[...{thick}.querySelectorAll('label')].find((x) => x.innerText.startsWith('6 mm')).click()")).await;
    b.text("Plate, 150 × 60 × 6").await;
    b.js_until(&format!("return {thick}?.dataset.answered === 'true'")).await;
    b.close().await;
}

/// A new revision of the bracket: what changed is told, decisions that no longer hold are findings, and undo brings the first one back.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_revision_is_compared_with_the_one_before() {
    let house = House::demo(0);
    let b = signed_in(&house).await;
    b.go("/jobs/1/part").await;
    b.text("Upload a new revision").await;
    // The bearing bore is marked 17 H7; the revision makes it Ø18.
    let marked = r"
        const done = arguments[arguments.length - 1];
        (async () => {
          const part = await (await fetch('/api/jobs/1/part')).json();
          const face = part.face_ids.find((f) => f.startsWith('bore/') && f.includes('/17.00/'));
          const what = { kind: 'size', class: 'H7', upper: 0, lower: 0, processes: [] };
          const decision = { about: 'mark', id: `size/${face}`, mark: { face, what, note: '' } };
          const { card } = await (await fetch('/api/jobs/1')).json();
          const r = await fetch('/api/jobs/1/decisions', { method: 'POST', headers: { 'content-type': 'application/json' },
            body: JSON.stringify({ revision: card.revision, decision }) });
          done(r.status);
        })();";
    let status = b.page.execute_async(marked, vec![]).await.unwrap();
    assert_eq!(status.json(), &json!(200));
    b.text("Ø17 H7").await;
    let input = b.page.find(By::Css("input[type=file]")).await.unwrap();
    input.send_keys(root().join("demo/reading/encoder-bracket-b.step").to_str().unwrap()).await.unwrap();
    b.text("Revision encoder-bracket-b.step").await;
    let changes = b
        .js_until("const c = [...document.querySelectorAll('[data-change]')]; return c.length > 0 && c.map((x) => x.innerText.replaceAll('\\n', ' '))")
        .await;
    let said: Vec<&str> = changes.as_array().unwrap().iter().map(|c| c.as_str().unwrap()).collect();
    assert_eq!(said.len(), 5, "{said:#?}");
    assert!(said.iter().any(|c| c.contains("new") && c.contains("Slot 14 wide")), "{said:#?}");
    assert!(said.iter().any(|c| c.contains("gone") && c.contains("Ø3.3")), "{said:#?}");
    assert!(said.iter().any(|c| c.contains("diameter 17 → 18 mm")), "{said:#?}");
    assert_eq!(said.iter().filter(|c| c.contains("moved by 1.5 mm")).count(), 2, "{said:#?}");
    b.text("Its face changed: Ø17 is now Ø18").await;
    b.press("Show the old one over it").await;
    b.drawn().await;
    let bad = axe(&b, "a revision").await;
    assert!(bad.is_empty(), "{bad:#?}");
    b.press("Carry the mark over").await;
    b.js_until("const m = document.querySelectorAll('[data-mark]'); return m.length === 1 && m[0].innerText.includes('Ø18 H7')")
        .await;
    for _ in 0..3 {
        b.press("Undo").await;
        tokio::time::sleep(Duration::from_millis(700)).await;
    }
    b.text("Ø17 H7").await;
    b.js_until("return document.querySelectorAll('[data-change]').length === 0").await;
    b.close().await;
}

/// A table with a bad line: it is told by its number, and the good lines are taken; every act of the rack goes back.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_rack_reads_a_table_and_tells_its_bad_line() {
    let house = House::demo(0);
    let b = signed_in(&house).await;
    b.press("The rack").await;
    b.text("A1 flat 50 × 25").await;
    let mut bad = axe(&b, "the rack").await;
    let table =
        "tag,form,material,length,width,height\nK1 bar,flat,brass,400,30,12\nK2 bar,flat,brass,four hundred,30,12\n";
    drop_text(&b, "rack.csv", table).await;
    let line = b.find("[data-line='3']").await;
    let said = line.text().await.unwrap();
    assert!(said.contains("Line 3") && said.contains("four hundred") && said.contains("3/8"), "{said}");
    bad.extend(axe(&b, "a table looked through").await);
    assert_eq!(
        b.js("return document.querySelectorAll('[data-tag=\"K1 bar\"]').length").await,
        json!(0),
        "only looked at"
    );
    b.press("Take the 1 good line").await;
    b.find("[data-tag='K1 bar']").await;
    assert_eq!(b.js("return document.querySelectorAll('[data-tag=\"K2 bar\"]').length").await, json!(0));
    b.keys("z").await;
    b.js_until("return document.querySelectorAll('[data-tag=\"K1 bar\"]').length === 0").await;
    b.keys("y").await;
    b.find("[data-tag='K1 bar']").await;

    // A piece by hand, with a size in inch; then one of it is used up.
    b.press("A new piece").await;
    b.find("form[aria-label='A new piece'] input.words").await.send_keys("K3 bar").await.unwrap();
    let width = b.find("input[aria-label='Width']").await;
    width.send_keys(Key::Control + "a").await.unwrap();
    width.send_keys("1 1/2 in\u{e007}").await.unwrap();
    bad.extend(axe(&b, "a new piece").await);
    b.press("Into the rack").await;
    b.js_until("const r = document.querySelector('[data-tag=\"K3 bar\"]'); return r && r.innerText.includes('38.1')")
        .await;
    b.press("K3 bar").await;
    b.press("One is used up").await;
    b.js_until("return document.querySelectorAll('[data-tag=\"K3 bar\"]').length === 0").await;
    b.text("used one K3 bar").await;
    // A tag that is there already is refused, and what was typed stays.
    b.press("A new piece").await;
    b.find("form[aria-label='A new piece'] input.words").await.send_keys("K1 bar").await.unwrap();
    b.press("Into the rack").await;
    b.text("already; give it another tag").await;
    assert_eq!(b.js("return document.querySelector('form input.words').value").await, json!("K1 bar"));
    assert!(bad.is_empty(), "{bad:#?}");
    b.close().await;
}

/// The piece that was looked out is turned down for another, the part is shifted in it, the piece leaves the rack, a rehearsal comes first.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_piece_of_the_rack_is_chosen_laid_and_taken() {
    let house = House::demo(1);
    let b = signed_in(&house).await;
    let card = "[...document.querySelectorAll('[data-job]')].find((c) => c.innerText.includes('Encoder'))";
    b.js_until(&format!("return !!{card}")).await;
    let job = b.js(&format!("return {card}.dataset.job")).await;
    let job = job.as_str().unwrap().to_string();
    b.go(&format!("/jobs/{job}/stock")).await;
    b.js_until("return document.querySelector('.card h1')?.innerText === 'A1 flat 50 × 25'").await;
    let mut bad = axe(&b, "stock").await;
    // Another piece: one press, and the plan follows.
    let cut = "[data-piece='A2 flat 70 × 25'] button:not([aria-label])";
    b.find(cut).await.scroll_into_view().await.unwrap();
    b.find(cut).await.click().await.unwrap();
    b.js_until("return document.querySelector('.card h1')?.innerText === 'A2 flat 70 × 25'").await;
    b.fresh(1).await;
    b.text("decided").await;
    // Tried first, then laid so.
    let shift = b.find("input[aria-label='Shift across the piece']").await;
    shift.send_keys("40\u{e007}").await.unwrap();
    b.find("[data-tried='too_small']").await;
    b.text("sticks out of the piece").await;
    let shift = b.find("input[aria-label='Shift across the piece']").await;
    shift.send_keys(Key::Control + "a").await.unwrap();
    shift.send_keys("-3\u{e007}").await.unwrap();
    b.find("[data-tried='fits']").await;
    bad.extend(axe(&b, "a lay tried").await);
    b.press("Lay it so").await;
    b.fresh(2).await;
    // Over the part: (70 − 48) ÷ 2, less 3 and more 3.
    b.js_until("const r = [...document.querySelectorAll('section[aria-label=\"Size of the block\"] tbody tr')][1]; return r && /\\b8\\b.*\\b14\\b/s.test(r.innerText)").await;
    b.press("Take it from the rack").await;
    b.text("taken from the rack").await;
    // A rehearsal is a state of its own.
    b.press("Sheet wood").await;
    b.find("[data-rehearsal='sheet-wood']").await;
    b.fresh(3).await;
    b.find("input[aria-label='What the rehearsal proved']").await.send_keys("Bearing drops in").await.unwrap();
    b.press("It proved this").await;
    b.text("Bearing drops in").await;
    b.text("Rehearsal in Sheet wood").await;
    let read = "const x = new XMLHttpRequest(); x.open('GET', '/api/jobs/' + location.pathname.split('/')[2] + '/sheet', false); x.send(); return JSON.parse(x.responseText).sides[0].program.includes('REHEARSAL IN SHEET WOOD')";
    assert_eq!(b.js(read).await, json!(true));
    b.press("Back to the real material").await;
    b.js_until("return !document.querySelector('[data-rehearsal]')").await;
    assert!(bad.is_empty(), "{bad:#?}");
    b.go("/shop").await;
    b.text("used one A2 flat 70 × 25 for Encoder bracket").await;
    b.find("[data-tag='A2 flat 70 × 25 rest']").await;
    b.keys("z").await;
    b.find("[data-tag='A2 flat 70 × 25']").await;
    b.close().await;
}
