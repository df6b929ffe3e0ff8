//! What a run leaves behind: a table for people and other programs.

use crate::answer::{Act, Entry, Run, Verdict};
use crate::card::Card;
use reason::plain;

/// One row for each number that holds, and for each act beside the steps: setup, step, what, value, unit, planned, verdict, who, minutes.
///
/// # Errors
/// Never in practice: a table in memory that cannot be written, in words.
pub fn csv(card: &Card, run: &Run, entries: &[Entry]) -> Result<String, String> {
    let mut w = csv::Writer::from_writer(Vec::new());
    let head = ["setup", "step", "what", "value", "unit", "planned", "verdict", "who", "at_ms", "minutes", "note"];
    w.write_record(head).map_err(|e| e.to_string())?;
    let number = |v: f64| format!("{v:.4}").trim_end_matches('0').trim_end_matches('.').to_string();
    for (s, state) in card.steps.iter().zip(&run.steps) {
        let Some(a) = &state.answer else { continue };
        let minutes = state.took_min.map(|m| format!("{m:.2}")).unwrap_or_default();
        let (setup, title, at) = (plain(&s.setup).into_owned(), plain(&s.title).into_owned(), a.at_ms.to_string());
        let mut row = |what: &str, value: String, unit: &str, planned: String, verdict: &str, minutes: &str| {
            let what = plain(what).into_owned();
            let note = a.note.as_str();
            w.write_record([&setup, &title, &what, &value, unit, &planned, verdict, &a.who, &at, minutes, note])
                .map_err(|e| e.to_string())
        };
        row("done", String::new(), "", String::new(), "", &minutes)?;
        let Some(way) = s.way(&a.way) else { continue };
        for j in &a.judged {
            let asked = way.asks.iter().find(|x| x.id == j.id).map(|x| (&x.label, &x.unit, x.planned));
            let out = way.outcomes.iter().find(|x| x.id == j.id).map(|x| (&x.label, &x.unit, None));
            let Some((label, unit, planned)) = asked.or(out) else { continue };
            let verdict = match j.verdict {
                Verdict::Good => "good",
                Verdict::Doubt => "doubt",
                Verdict::Stop => "stop",
            };
            row(label, number(j.value), unit, planned.map(number).unwrap_or_default(), verdict, "")?;
        }
    }
    for e in entries {
        let (what, value, note) = match &e.act {
            Act::Cutter { tool, length_mm, why } => {
                (format!("cutter T{tool} changed"), number(*length_mm), why.clone())
            }
            Act::Again { step, note } => (format!("done again from {step}"), String::new(), note.clone()),
            Act::Note { text } => ("note".into(), String::new(), text.clone()),
            Act::Ended { good, cause } => {
                (if *good { "good piece" } else { "scrap or broken off" }.into(), String::new(), cause.clone())
            }
            Act::Done { .. } => continue,
        };
        let at = e.at_ms.to_string();
        w.write_record(["", "", &what, &value, "", "", "", &e.who, &at, "", &note]).map_err(|e| e.to_string())?;
    }
    let bytes = w.into_inner().map_err(|e| e.to_string())?;
    String::from_utf8(bytes).map_err(|e| e.to_string())
}
