//! Slips in a program: what a hand that edits or a post that is wrong does to a text, put in on purpose so that somebody may learn to see it.
//!
//! The sorts are those of common practice (no source): a decimal point, a sign, a letter or a step that is not there.

use crate::{Dialect, Program, Promise, Shape, StepKind};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::ops::Range;
use ts_rs::TS;

/// What sort of slip.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Slip {
    /// A cut goes deeper than it should.
    Depth,
    /// The minus of a coordinate is lost.
    Sign,
    /// The point of a feed is one place off.
    Feed,
    /// The point of a speed is one place off.
    Speed,
    /// It goes down at rapid where it should feed.
    Rapid,
    /// An arc goes the other way round.
    Arc,
    /// Another cutter's length offset.
    Length,
    /// The coolant is not turned on.
    Coolant,
    /// A step is not there.
    LeftOut,
    /// Two steps have changed places.
    Order,
}

/// A place where a text may have a slip.
#[derive(Debug, Clone, PartialEq)]
pub struct Site {
    /// Sort.
    pub slip: Slip,
    edit: Edit,
}

#[derive(Debug, Clone, PartialEq)]
enum Edit {
    /// Bytes of a line (from 0) are replaced.
    Word { line: usize, at: Range<usize>, by: String },
    /// Lines (from 0, end excluded) go.
    Out(Range<usize>),
    /// The second lines come before the first ones, which they follow.
    Swap(Range<usize>, Range<usize>),
}

/// A text with its slip.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Slipped {
    /// Sort.
    pub slip: Slip,
    /// The text.
    pub text: String,
    /// First and last line of it that one would point at, from 1.
    pub lines: [u32; 2],
    /// What stood there.
    pub was: String,
    /// What stands there now; nothing where something is gone.
    pub is: String,
}

/// A line that is gone is pointed at by those around its place: so many on either side.
const AROUND: usize = 6;

/// Letters of a line with where they stand, number included; comments, line numbers and what is no plain number are left out.
fn words(line: &str) -> Vec<(char, Range<usize>)> {
    let bytes = line.as_bytes();
    let mut out = Vec::new();
    let mut k = 0;
    while let Some(&b) = bytes.get(k) {
        match b {
            b';' => break,
            b'(' => k = line[k..].find(')').map_or(bytes.len(), |n| k + n + 1),
            b if b.is_ascii_alphabetic() => {
                let from = k;
                k += 1;
                while bytes.get(k).is_some_and(|c| matches!(c, b'0'..=b'9' | b'.' | b'-' | b'+')) {
                    k += 1;
                }
                if k > from + 1 && !b.eq_ignore_ascii_case(&b'N') {
                    out.push((char::from(b.to_ascii_uppercase()), from..k));
                }
            }
            _ => k += 1,
        }
    }
    out
}

/// A number ten times as large, or as small, written as it is written.
fn tenfold(number: &str, up: bool) -> Option<String> {
    let (sign, plain) = number.strip_prefix('-').map_or(("", number), |p| ("-", p));
    let (whole, part, point) = match plain.split_once('.') {
        Some((w, p)) => (w, p, true),
        None => (plain, "", false),
    };
    let mut digits = format!("{whole}{part}");
    let mut before = whole.len();
    if up {
        before += 1;
        if digits.len() < before {
            digits.push('0');
        }
    } else {
        // Without a point only a nought can go.
        if before == 0 || !point && !digits.ends_with('0') {
            return None;
        }
        before -= 1;
        if !point {
            digits.pop();
        }
    }
    let (w, p) = digits.split_at(before.min(digits.len()));
    // Noughts that nobody writes would tell it.
    let w = Some(w.trim_start_matches('0')).filter(|w| !w.is_empty()).unwrap_or("0");
    Some(if point { format!("{sign}{w}.{p}") } else { format!("{sign}{w}") })
}

/// A number with this much added, in units of its last increment where it has no point, written with as many places as it has.
fn plus(number: &str, mm: f64, dialect: &Dialect) -> Option<String> {
    let places = number.split_once('.').map(|p| p.1.len());
    let by = dialect.of_mm(mm);
    Some(match places {
        // A point at the end may stand before places that are none now.
        Some(p) => {
            let out = format!("{:.*}", p.max(if p == 0 { 0 } else { 1 }), number.parse::<f64>().ok()? + by);
            if p == 0 { format!("{out}.") } else { out }
        }
        None => format!("{:.0}", number.parse::<f64>().ok()? + (by * 10f64.powi(dialect.decimals as i32)).round()),
    })
}

/// Lines of each operation and its cutter: text lines from 0, end excluded, up to where the next one begins.
fn blocks(lines: &[&str], promises: &[Promise]) -> Vec<(Range<usize>, u32)> {
    let mut out: Vec<(Range<usize>, u32)> = Vec::new();
    for p in promises {
        let first = (p.first_line as usize).saturating_sub(1);
        if let Some(last) = out.last_mut() {
            last.0.end = first;
        }
        out.push((first..(p.last_line as usize).min(lines.len()), p.tool));
    }
    out
}

/// Where this text may have a slip. `program` is what it reads as, `promises` are its operations in the order of the text.
pub fn sites(text: &str, program: &Program, promises: &[Promise], dialect: &Dialect) -> Vec<Site> {
    let lines: Vec<&str> = text.lines().collect();
    // What each line does, as far as it moves anything: the first such step.
    let mut does = BTreeMap::new();
    for s in program.steps.iter().filter(|s| s.moves() && !s.machine) {
        does.entry(s.line).or_insert(s);
    }
    let tools: Vec<u32> = promises.iter().map(|p| p.tool).collect();
    let mut out = Vec::new();
    for (k, line) in lines.iter().enumerate() {
        let all = words(line);
        let word = |w: char| all.iter().find(|a| a.0 == w).map(|a| (a.1.clone(), &line[a.1.start + 1..a.1.end]));
        let g = |n: u32| {
            all.iter().find(|a| a.0 == 'G' && line[a.1.start + 1..a.1.end].parse() == Ok(n)).map(|a| a.1.clone())
        };
        let mut put = |slip, at: Range<usize>, by: String| {
            if line[at.clone()] != by {
                out.push(Site { slip, edit: Edit::Word { line: k, at, by } });
            }
        };
        let step = does.get(&(k as u32 + 1));
        let feeds = step.is_some_and(|s| matches!(s.kind, StepKind::Feed { .. }));
        if let Some(s) = step.filter(|_| feeds) {
            let down = s.to.z < s.from.z - 0.05;
            if let Some((at, z)) = word('Z').filter(|_| down)
                && let Some(v) = plus(z, -2.0, dialect)
            {
                put(Slip::Depth, at, format!("Z{v}"));
            }
            for w in ['X', 'Y'] {
                if let Some((at, v)) = word(w)
                    && let Some(v) = v.strip_prefix('-')
                {
                    put(Slip::Sign, at, format!("{w}{v}"));
                }
            }
            if let Some((at, v)) = word('F') {
                for up in [true, false] {
                    if let Some(v) = tenfold(v, up) {
                        put(Slip::Feed, at.clone(), format!("F{v}"));
                    }
                }
            }
            if down
                && word('Z').is_some()
                && matches!(s.shape, Shape::Line)
                && let Some(at) = g(1)
            {
                let by = if dialect.two_digits { "G00" } else { "G0" };
                put(Slip::Rapid, at, by.into());
            }
            for (is, other) in [(2, 3), (3, 2)] {
                if let Some(at) = g(is).filter(|_| matches!(s.shape, Shape::Arc { .. })) {
                    put(Slip::Arc, at, if dialect.two_digits { format!("G0{other}") } else { format!("G{other}") });
                }
            }
        }
        if let Some((at, v)) = word('S') {
            for up in [true, false] {
                if let Some(v) = tenfold(v, up) {
                    put(Slip::Speed, at.clone(), format!("S{v}"));
                }
            }
        }
        if let Some((at, h)) = word('H').filter(|_| g(43).is_some())
            && let Ok(own) = h.parse::<u32>()
            && let Some(other) = tools.iter().find(|t| **t != own)
        {
            put(Slip::Length, at, format!("H{other}"));
        }
        // A mist or a flood that is turned on by a word of its own line.
        let mists = [&dialect.flood, &dialect.mist].into_iter().filter(|w| !w.is_empty());
        if all.len() == 1 && mists.clone().any(|w| same_word(&line[all[0].1.clone()], w)) {
            out.push(Site { slip: Slip::Coolant, edit: Edit::Out(k..k + 1) });
        }
    }
    let blocks = blocks(&lines, promises);
    for (k, (b, tool)) in blocks.iter().enumerate() {
        out.push(Site { slip: Slip::LeftOut, edit: Edit::Out(b.clone()) });
        if let Some((next, other)) = blocks.get(k + 1)
            && other != tool
            && b.end == next.start
        {
            out.push(Site { slip: Slip::Order, edit: Edit::Swap(b.clone(), next.clone()) });
        }
    }
    out
}

/// "M8" and "M08" are the same.
fn same_word(a: &str, b: &str) -> bool {
    let of = |w: &str| Some((w.chars().next()?.to_ascii_uppercase(), w[1..].parse::<u32>().ok()?));
    of(a).is_some() && of(a) == of(b)
}

/// Line numbers (N) follow one another as they did: a gap would tell.
fn renumbered(lines: &mut [String], before: &[&str]) {
    fn number(line: &str) -> Option<Range<usize>> {
        let from = line.find(|c: char| c != '/' && c != ' ').filter(|&k| line[k..].starts_with(['N', 'n']))?;
        let digits = line[from + 1..].bytes().take_while(u8::is_ascii_digit).count();
        (digits > 0).then_some(from..from + 1 + digits)
    }
    let mut own = before.iter().filter_map(|l| Some(&l[number(l)?]));
    for l in lines {
        if let Some(at) = number(l)
            && let Some(n) = own.next()
        {
            l.replace_range(at, n);
        }
    }
}

/// The text with this slip.
pub fn slipped(text: &str, site: &Site) -> Slipped {
    let lines: Vec<&str> = text.lines().collect();
    let one = |n: usize| [n as u32 + 1; 2];
    let whole = |l: Vec<String>| {
        let mut t = l.join("\n");
        if text.ends_with('\n') {
            t.push('\n');
        }
        t
    };
    let mut new: Vec<String> = lines.iter().map(|l| (*l).to_string()).collect();
    let (at, was, is) = match &site.edit {
        Edit::Word { line, at, by } => {
            new[*line].replace_range(at.clone(), by);
            (one(*line), lines[*line].trim().to_string(), new[*line].trim().to_string())
        }
        Edit::Out(r) => {
            new.drain(r.clone());
            let (first, last) = (r.start.saturating_sub(AROUND), (r.start + AROUND).min(new.len().max(1)) - 1);
            ([first as u32 + 1, last as u32 + 1], first_words(&lines[r.clone()]), String::new())
        }
        Edit::Swap(a, b) => {
            let moved: Vec<String> = new.drain(b.clone()).collect();
            new.splice(a.start..a.start, moved);
            let names = |x: &Range<usize>, y: &Range<usize>| {
                format!("{}, then {}", first_words(&lines[x.clone()]), first_words(&lines[y.clone()]))
            };
            ([a.start as u32 + 1, b.end as u32], names(a, b), names(b, a))
        }
    };
    renumbered(&mut new, &lines);
    Slipped { slip: site.slip, text: whole(new), lines: at, was, is }
}

/// What lines begin with.
fn first_words(lines: &[&str]) -> String {
    lines.iter().find(|l| !l.trim().is_empty()).map_or_else(String::new, |l| l.trim().to_string())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_slip_as_they_are_written() {
        let ten = |n: &str, up| tenfold(n, up).unwrap_or_default();
        assert_eq!(
            ["576.", "17.25", "0.5", "-.5", "576", "12.0000"].map(|n| ten(n, true)),
            ["5760.", "172.5", "5.", "-5.", "5760", "120.000"]
        );
        assert_eq!(["576.", "17.25", "1980", "576", ".5"].map(|n| ten(n, false)), ["57.6", "1.725", "198", "", ""]);
        let (mm, steps) = (Dialect::default(), Dialect { decimals: 3, ..Dialect::default() });
        assert_eq!(plus("24.25", -2.0, &mm).as_deref(), Some("22.25"));
        assert_eq!(plus("24.", -2.0, &mm).as_deref(), Some("22."));
        assert_eq!(plus("-500", -2.0, &steps).as_deref(), Some("-2500"));
        let inch = Dialect { inch: true, ..Dialect::default() };
        assert_eq!(plus("-.1000", -2.54, &inch).as_deref(), Some("-0.2000"));
    }

    #[test]
    fn words_are_found_outside_comments() {
        let found: Vec<(char, &str)> = words("N120G01X-1.5(X9)F20.;Z3").into_iter().map(|w| (w.0, "")).collect();
        assert_eq!(found, [('G', ""), ('X', ""), ('F', "")]);
    }
}
