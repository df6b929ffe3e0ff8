//! A program that comes back edited, on the screen.

use crate::common::browser::Browser;

/// The posted text of the first side, as the page gets it.
async fn posted(b: &Browser) -> String {
    b.js("window.sheetOf = null;
          fetch(location.pathname.replace(/jobs.*/, 'api' + location.pathname.match(/\\/jobs\\/\\d+/)[0] + '/sheet'))
            .then((r) => r.json()).then((s) => { window.sheetOf = s.sides[0].program; });
          return true")
        .await;
    b.js_until("return window.sheetOf").await.as_str().unwrap().to_string()
}

async fn upload(b: &Browser, name: &str, text: &str) {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join(name);
    std::fs::write(&file, text).unwrap();
    b.find("section[aria-label='Edited program'] input[type=file]")
        .await
        .send_keys(file.to_str().unwrap())
        .await
        .unwrap();
    // The browser reads it when the page sends it.
    tokio::time::sleep(std::time::Duration::from_secs(1)).await;
}

/// The first number after each of some letters is another one.
fn with_word(text: &str, letter: char, number: &str) -> String {
    let mut done = false;
    let change = |line: &str| {
        let words = line.split(' ').map(|w| {
            let is = !done && !line.starts_with('(') && w.starts_with(letter) && w.len() > 1;
            done |= is;
            if is { format!("{letter}{number}") } else { w.to_string() }
        });
        words.collect::<Vec<_>>().join(" ")
    };
    let lines: Vec<String> = text.lines().map(change).collect();
    lines.join("\n") + "\n"
}

/// Each fault that is planted in the posted text is stopped with its reason; the posted text comes back.
pub async fn edited(b: &Browser, mut revision: i64) {
    b.keys("7").await;
    b.find("section.card[aria-label=program]").await;
    let text = posted(b).await;
    let first_tool: u32 = text.lines().find_map(|l| l.strip_prefix('T')?.split(' ').next()?.parse().ok()).unwrap();
    let other = if first_tool == 1 { "2" } else { "1" };
    let no_coolant: String = text.lines().filter(|l| l.trim() != "M8").map(|l| l.replace(" M8", "") + "\n").collect();
    let faults = [
        ("speed.ngc", with_word(&text, 'S', "60000"), "rpm"),
        ("feed.ngc", with_word(&text, 'F', "9999"), "feed"),
        ("dry.ngc", no_coolant, "no_coolant"),
        ("cutter.ngc", with_word(&text, 'T', other), "other_tool"),
    ];
    for (name, fault, kind) in faults {
        assert_ne!(fault, text, "{name} is edited");
        upload(b, name, &fault).await;
        revision += 1;
        b.fresh(revision).await;
        b.text(name).await;
        b.find(&format!("section[aria-label='Edited program'] [data-finding={kind}]")).await;
        let stamp = b.find("[data-ticket=proof] [data-stamp]").await.text().await.unwrap();
        assert_eq!(stamp, "stop", "{name}");
        b.text("Stops forbid cutting").await;
    }
    // A speed that a person wants less: told by what comes of it, and kept in the plan by one press.
    let slower = with_word(&text, 'S', "1500");
    upload(b, "slower.ngc", &slower).await;
    revision += 1;
    b.fresh(revision).await;
    b.find("[data-other=speed]").await;
    b.text("the spindle turns 1500 instead of").await;
    b.press("Keep it in the plan").await;
    revision += 1;
    b.fresh(revision).await;
    b.js_until("return !document.querySelector('[data-other=speed]')").await;
    b.press("Undo").await;
    revision += 1;
    b.fresh(revision).await;
    b.find("[data-other=speed]").await;
    // What says the same with another comment is as good as the posted text.
    upload(b, "same.ngc", &format!("(READ BACK FROM THE CONTROL)\n{text}")).await;
    revision += 1;
    b.fresh(revision).await;
    b.text("1 line is new or changed").await;
    b.text("1 comment is other: nothing else").await;
    assert_eq!(b.find("[data-ticket=proof] [data-stamp]").await.text().await.unwrap(), "proved");
    // What no control could follow is refused with its line, and nothing is lost.
    upload(b, "broken.ngc", &text.replacen("M5", "G73.4.2", 1)).await;
    b.text("broken.ngc cannot be followed").await;
    b.press("Back to the posted program").await;
    revision += 1;
    b.fresh(revision).await;
    b.js_until("return !document.body.innerText.includes('stands in the place of the posted program')").await;
    assert_eq!(posted(b).await, text);
    for_another_control(b, revision, &text).await;
}

/// The same plan for a control that the mill does not have: other words, the same proof; and back.
async fn for_another_control(b: &Browser, mut revision: i64, text: &str) {
    b.js("document.querySelector('[aria-label=\"Written for\"] button').click()").await;
    b.js_until("const o = [...document.querySelectorAll('[role=option]')].find((o) => o.innerText.startsWith('Old control')); o?.click(); return Boolean(o)").await;
    revision += 1;
    b.fresh(revision).await;
    b.text("whole increments, arcs by their centre").await;
    let other = posted(b).await;
    assert!(other.starts_with("%\n%0001\n") && !other.contains('.') && !other.contains('('), "{}", &other[..200]);
    assert_eq!(b.find("[data-ticket=proof] [data-stamp]").await.text().await.unwrap(), "proved");
    // Told in mm, not in increments.
    let line = other.lines().position(|l| l.contains(" X") && l.contains("G01")).unwrap() + 1;
    b.js(&format!(
        "document.querySelector('[aria-label^=\"Program text\"]').scrollTop = {}",
        (line as u32).saturating_sub(4) * 22
    ))
    .await;
    b.js_until(&format!("const r = [...document.querySelectorAll('.row')].find((r) => r.querySelector('i')?.innerText === '{line}'); r?.click(); return Boolean(r)")).await;
    b.js_until("return /Line \\d+: .*cut straight; to X -?\\d{1,3}(\\.\\d+)? mm/.test(document.body.innerText)").await;
    b.press("As the mill has it").await;
    revision += 1;
    b.fresh(revision).await;
    assert_eq!(posted(b).await, text);
}
