//! What a program promises: data beside its text, by lines. Comments are for people and promise nothing.
//!
//! A text that comes back edited keeps its promises where its lines are the same: they are anchored anew by a comparison of lines (Myers
//! 1986, by the crate `similar`).

use serde::{Deserialize, Serialize};
use similar::{Algorithm, DiffOp, capture_diff_slices};
use ts_rs::TS;

/// What some lines of a program keep.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Promise {
    /// Id of the operation.
    pub operation: String,
    /// First line, from 1.
    pub first_line: u32,
    /// Last line, itself included.
    pub last_line: u32,
    /// Cutter.
    pub tool: u32,
    /// Greatest engagement, degrees; none where it is not a side cut.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub engagement_deg: Option<f64>,
    /// "flood", "mist" or "dry".
    pub coolant: String,
    /// Expected power at the cutter, kW.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub power_kw: Option<f64>,
}

/// A posted program: its text and what it promises.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Posted {
    /// The text.
    pub text: String,
    /// In the order of the text.
    pub promises: Vec<Promise>,
    /// Of each line that moves: its number, from 1, of which path and of which of its moves it is.
    pub moves: Vec<(u32, usize, usize)>,
}

/// Promises in an edited text.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Anchored {
    /// At their new lines.
    pub promises: Vec<Promise>,
    /// Of these no line is left, though they were about lines with motion.
    pub lost: Vec<Promise>,
}

/// What an edit changed of a text.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, TS)]
pub struct Changes {
    /// Lines of the text as it is now that are new or other than before, from 1.
    pub lines: Vec<u32>,
    /// How many lines of before are gone or were replaced.
    pub gone: u32,
}

fn trimmed(text: &str) -> Vec<String> {
    text.lines().map(|l| l.trim_end().to_string()).collect()
}

/// Compare a text with what it was before. Blanks at the ends of lines count for nothing.
pub fn changes(before: &str, now: &str) -> Changes {
    let (old, new) = (trimmed(before), trimmed(now));
    let mut out = Changes::default();
    for op in capture_diff_slices(Algorithm::Myers, &old, &new) {
        if !matches!(op, DiffOp::Equal { .. }) {
            out.gone += op.old_range().len() as u32;
            out.lines.extend(op.new_range().map(|k| k as u32 + 1));
        }
    }
    out
}

/// Find the promises of a posted text in the text as it is now. Lines that were put between lines of a promise are under it too; lines that
/// replace its first or last ones as well.
pub fn anchor(posted: &Posted, now: &str) -> Anchored {
    if posted.text == now {
        return Anchored { promises: posted.promises.clone(), lost: Vec::new() };
    }
    let (old, new) = (trimmed(&posted.text), trimmed(now));
    // For each old line: where it is now (from, to), to excluded; empty if it is gone; and whether it is unchanged.
    let mut at: Vec<(usize, usize, bool)> = vec![(0, 0, false); old.len()];
    for op in capture_diff_slices(Algorithm::Myers, &old, &new) {
        match op {
            DiffOp::Equal { old_index, new_index, len } => {
                (0..len).for_each(|k| at[old_index + k] = (new_index + k, new_index + k + 1, true));
            }
            DiffOp::Delete { old_index, old_len, new_index } => {
                (0..old_len).for_each(|k| at[old_index + k] = (new_index, new_index, false));
            }
            DiffOp::Replace { old_index, old_len, new_index, new_len } => {
                (0..old_len).for_each(|k| at[old_index + k] = (new_index, new_index + new_len, false));
            }
            DiffOp::Insert { .. } => {}
        }
    }
    let mut out = Anchored { promises: Vec::new(), lost: Vec::new() };
    for p in &posted.promises {
        let lines = (p.first_line as usize).saturating_sub(1)..(p.last_line as usize).min(old.len());
        let range = at.get(lines).unwrap_or_default();
        let kept = range.iter().any(|r| r.2);
        let replaced = range.iter().any(|r| r.1 > r.0);
        let (from, to) = (range.iter().map(|r| r.0).min().unwrap_or(0), range.iter().map(|r| r.1).max().unwrap_or(0));
        if (kept || replaced) && to > from {
            out.promises.push(Promise { first_line: from as u32 + 1, last_line: to as u32, ..p.clone() });
        } else {
            out.lost.push(p.clone());
        }
    }
    // What was put between two promises goes with the one before it.
    for k in 1..out.promises.len() {
        let next = out.promises[k].first_line;
        let before = &mut out.promises[k - 1];
        if before.last_line + 1 < next || before.last_line >= next {
            before.last_line = next.saturating_sub(1).max(before.first_line);
        }
    }
    if let Some(last) = out.promises.last_mut() {
        last.last_line = last.last_line.max(new.len() as u32);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn posted() -> Posted {
        let text = (1..=30).map(|k| format!("X{k}\n")).collect();
        let p = |operation: &str, first_line, last_line, deg| Promise {
            operation: operation.into(),
            first_line,
            last_line,
            tool: 1,
            engagement_deg: Some(deg),
            coolant: "flood".into(),
            power_kw: None,
        };
        Posted { text, promises: vec![p("a", 3, 10, 60.0), p("b", 11, 20, 40.0), p("c", 21, 30, 90.0)], moves: vec![] }
    }

    fn lines(a: &Anchored) -> Vec<(u32, u32)> {
        a.promises.iter().map(|p| (p.first_line, p.last_line)).collect()
    }

    #[test]
    fn an_unchanged_text_keeps_its_promises_as_they_are() {
        let p = posted();
        assert_eq!(anchor(&p, &p.text).promises, p.promises);
        assert_eq!(changes(&p.text, &p.text.replace('\n', " \r\n")), Changes::default());
    }

    #[test]
    fn they_move_with_their_lines_and_a_deleted_one_is_told() {
        let p = posted();
        let all: Vec<&str> = p.text.lines().collect();
        // Two lines put in at the front, one inside the first promise.
        let mut more = vec!["(NEW)", "(NEW TOO)"];
        more.extend(&all[..5]);
        more.push("X5.5");
        more.extend(&all[5..]);
        assert_eq!(lines(&anchor(&p, &more.join("\n"))), [(5, 13), (14, 23), (24, 33)]);
        // A changed line keeps its promise.
        let changed: Vec<String> =
            all.iter().map(|l| if *l == "X11" { "X999".into() } else { (*l).to_string() }).collect();
        let a = anchor(&p, &changed.join("\n"));
        assert_eq!((lines(&a), a.lost.len()), (vec![(3, 10), (11, 20), (21, 30)], 0));
        assert_eq!(changes(&p.text, &changed.join("\n")), Changes { lines: vec![11], gone: 1 });
        // The middle one is cut out.
        let cut: Vec<&str> = all[..10].iter().chain(&all[20..]).copied().collect();
        let a = anchor(&p, &cut.join("\n"));
        assert_eq!((lines(&a), a.lost[0].operation.as_str()), (vec![(3, 10), (11, 20)], "b"));
        assert_eq!(anchor(&p, "nothing of it").lost.len() + anchor(&p, "nothing of it").promises.len(), 3);
        assert_eq!(anchor(&p, "").lost.len(), 3);
    }
}
