//! The post: motion in, text out. Rounding happens here and nowhere else.

use crate::{Dialect, Posted, Promise};
use geom::{DVec2, DVec3};
use path::motion::{Coolant, Cycle, Move, Toolpath};
use std::fmt::Write;

/// A line of the tool list.
#[derive(Debug, Clone)]
pub struct PostTool {
    /// Number.
    pub number: u32,
    /// Words: "flat end mill 6 mm, stick-out 20".
    pub words: String,
}

/// What stands above the motion.
#[derive(Debug, Clone, Default)]
pub struct Heading {
    /// Lines of comment: part, setup, zero, holding.
    pub lines: Vec<String>,
    /// Tools in the order of use.
    pub tools: Vec<PostTool>,
    /// Where it stops for a person.
    pub stops: Vec<Stop>,
    /// What is tried while the piece is still clamped: an optional stop (M1) at the end.
    pub tried: Vec<String>,
}

/// A place where the program stops until a person starts it again (M0).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stop {
    /// Before the path of this number, from 0.
    pub before: usize,
    /// What is done there.
    pub lines: Vec<String>,
}

struct Writer<'a> {
    d: &'a Dialect,
    out: String,
    at: [Option<String>; 3],
    word: &'static str,
    feed: Option<String>,
    /// Lines written so far.
    lines: u32,
}

/// Comments hold what every control can show: capitals, digits, plain signs.
fn plain(text: &str) -> String {
    let mut s = String::new();
    for c in text.to_uppercase().chars() {
        match c {
            'A'..='Z' | '0'..='9' | ' ' | '.' | ',' | '-' | '+' | '/' | ':' | '=' | '%' | '<' | '>' => s.push(c),
            'Ø' => s.push('D'),
            '–' | '−' => s.push('-'),
            '×' => s.push('X'),
            '°' => s.push_str(" DEG"),
            'Ä' => s.push_str("AE"),
            'Ö' => s.push_str("OE"),
            'Ü' => s.push_str("UE"),
            '(' | '[' => s.push('<'),
            ')' | ']' => s.push('>'),
            '_' => s.push('-'),
            ';' => s.push(','),
            _ => s.push(' '),
        }
    }
    s
}

/// In lines of at most `most` signs, broken between words; only a word longer than a line is broken itself.
fn wrapped(text: &str, most: usize) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    for word in text.split_whitespace() {
        let mut word = word;
        while word.len() > most {
            let (a, b) = word.split_at(most);
            out.push(a.into());
            word = b;
        }
        match out.last_mut() {
            Some(l) if l.len() + 1 + word.len() <= most => {
                l.push(' ');
                l.push_str(word);
            }
            _ => out.push(word.into()),
        }
    }
    out
}

impl Writer<'_> {
    fn number(&self, mm: f64, decimals: usize) -> String {
        let v = if self.d.inch { mm / 25.4 } else { mm };
        let mut s = format!("{v:.decimals$}");
        if s.contains('.') {
            s.truncate(s.trim_end_matches('0').len());
        }
        if s == "-0." || s == "-0" { "0.".into() } else { s }
    }
    fn line(&mut self, text: &str) {
        self.out.push_str(text);
        self.out.push('\n');
        self.lines += 1;
    }
    fn comment(&mut self, text: &str) {
        for c in wrapped(&plain(&reason::said(text, self.d.inch)), self.d.comment_length) {
            self.line(&format!("({c})"));
        }
    }
    /// Axis words that changed.
    fn axes(&mut self, to: DVec3) -> String {
        let mut s = String::new();
        for (k, letter) in ['X', 'Y', 'Z'].into_iter().enumerate() {
            let n = self.number(to[k], self.d.decimals);
            if self.at[k].as_ref() != Some(&n) {
                let _ = write!(s, " {letter}{n}");
                self.at[k] = Some(n);
            }
        }
        s
    }
    fn word(&mut self, g: &'static str) -> String {
        if self.word == g {
            return String::new();
        }
        self.word = g;
        g.to_string()
    }
    fn feed(&mut self, feed: f64) -> String {
        let n = self.number(feed, self.d.feed_decimals);
        if self.feed.as_ref() == Some(&n) {
            return String::new();
        }
        let s = format!(" F{n}");
        self.feed = Some(n);
        s
    }
    fn motion(&mut self, g: &'static str, to: DVec3, arc_center: Option<DVec2>, feed: Option<f64>) {
        // An arc's I and J are taken from the rounded start, so that rounding does not add up.
        let start: Vec<f64> =
            self.at.iter().take(2).map(|a| a.as_ref().and_then(|s| s.parse::<f64>().ok()).unwrap_or(0.0)).collect();
        let axes = self.axes(to);
        if axes.is_empty() && arc_center.is_none() {
            return;
        }
        let mut s = self.word(g);
        s.push_str(&axes);
        if let Some(c) = arc_center {
            let unit = if self.d.inch { 25.4 } else { 1.0 };
            let i = self.number(c.x - start[0] * unit, self.d.decimals);
            let j = self.number(c.y - start[1] * unit, self.d.decimals);
            let _ = write!(s, " I{i} J{j}");
        }
        if let Some(f) = feed {
            s.push_str(&self.feed(f));
        }
        let s = s.trim_start().to_string();
        self.line(&s);
    }
    fn drill(&mut self, at: &[DVec2], clear: f64, start: f64, bottom: f64, cycle: Cycle, feed: f64) {
        let Some(first) = at.first() else { return };
        self.motion("G0", DVec3::new(first.x, first.y, clear), None, None);
        let (z, r) = (self.number(bottom, self.d.decimals), self.number(start, self.d.decimals));
        for (k, p) in at.iter().enumerate() {
            let (x, y) = (self.number(p.x, self.d.decimals), self.number(p.y, self.d.decimals));
            if k == 0 {
                let f = self.number(feed, self.d.feed_decimals);
                let (code, q) = match cycle {
                    Cycle::Plain => ("G81", String::new()),
                    Cycle::Peck(q) => ("G83", format!(" Q{}", self.number(q, self.d.decimals))),
                    Cycle::Ream => ("G85", String::new()),
                    Cycle::Tap => ("G84", String::new()),
                };
                self.line(&format!("G98 {code} X{x} Y{y} Z{z} R{r}{q} F{f}"));
                self.feed = Some(f);
            } else {
                self.line(&format!("X{x} Y{y}"));
            }
            self.at = [Some(x), Some(y), Some(self.number(clear, self.d.decimals))];
        }
        self.line("G80");
        self.word = "";
    }
}

/// A promise of engagement is rounded up to a degree, so that it is never sharper than what was planned.
fn degrees(limit: Option<f64>) -> Option<f64> {
    limit.map(|a| (a.to_degrees() - 1e-6).ceil())
}

/// The promises of the operations, as their lines are written.
struct Promises {
    done: Vec<Promise>,
    open: Option<Promise>,
}

impl Promises {
    /// From the next line on `path` keeps this limit.
    fn begin(&mut self, path: &Toolpath, limit: Option<f64>, lines: u32) {
        let engagement_deg = degrees(limit);
        if self.open.as_ref().is_some_and(|p| p.operation == path.op && p.engagement_deg == engagement_deg) {
            return;
        }
        self.close(lines);
        self.open = Some(Promise {
            operation: path.op.clone(),
            first_line: lines + 1,
            last_line: 0,
            tool: path.tool,
            engagement_deg,
            coolant: path.coolant.word().into(),
            power_kw: path.power_kw,
        });
    }
    fn close(&mut self, lines: u32) {
        if let Some(mut p) = self.open.take()
            && lines >= p.first_line
        {
            p.last_line = lines;
            self.done.push(p);
        }
    }
}

/// The program of one setup. Each operation's first move must be a rapid to a safe height above its first point.
pub fn post(heading: &Heading, paths: &[Toolpath], dialect: &Dialect) -> Posted {
    let mut w = Writer { d: dialect, out: String::new(), at: [None, None, None], word: "", feed: None, lines: 0 };
    let mut promises = Promises { done: Vec::new(), open: None };
    let mut moved: Vec<(u32, usize, usize)> = Vec::new();
    if let Some(mark) = &dialect.tape_mark {
        w.line(mark);
    }
    for l in &heading.lines {
        w.comment(l);
    }
    w.comment(&format!("LENGTHS IN {}", if dialect.inch { "INCH" } else { "MM" }));
    for t in &heading.tools {
        w.comment(&format!("T{} {}", t.number, t.words));
    }
    for l in &dialect.safe_start {
        w.line(l);
    }
    w.line("G53 G0 Z0.");
    let mut tool = 0;
    let mut coolant = Coolant::Dry;
    let mut rpm = String::new();
    let mut stops = heading.stops.iter().peekable();
    for (k, path) in paths.iter().enumerate() {
        if path.moves.is_empty() {
            continue;
        }
        promises.close(w.lines);
        let mut stopped = false;
        while let Some(stop) = stops.next_if(|s| s.before <= k) {
            // The spindle stands still at the top before a person reaches in.
            if coolant != Coolant::Dry {
                w.line("M9");
                coolant = Coolant::Dry;
            }
            w.line("G53 G0 Z0.");
            w.line("M5");
            for l in &stop.lines {
                w.comment(&format!("STOP: {l}"));
            }
            w.line("M0");
            rpm.clear();
            w.at = [None, None, None];
            stopped = true;
        }
        if path.tool != tool {
            if tool != 0 && !stopped {
                if coolant != Coolant::Dry {
                    w.line("M9");
                    coolant = Coolant::Dry;
                }
                w.line("G53 G0 Z0.");
                w.line("M5");
            }
            w.comment(&format!("STEP {}: {}", k + 1, path.title));
            w.line(&format!("T{} M6", path.tool));
            w.line("G53 G0 Z0.");
            tool = path.tool;
            rpm.clear();
            w.at = [None, None, None];
        } else {
            w.comment(&format!("STEP {}: {}", k + 1, path.title));
        }
        promises.begin(path, path.engagement_limit, w.lines);
        w.word = "";
        w.feed = None;
        let s = format!("{:.0}", path.rpm);
        if s != rpm {
            w.line(&format!("S{s} M3"));
            rpm = s;
        }
        let first = path.moves.iter().find_map(|m| match m {
            Move::Rapid { to } | Move::Feed { to, .. } | Move::Arc { to, .. } => Some(*to),
            Move::Drill { at, clear, .. } => at.first().map(|p| p.extend(*clear)),
            Move::State { .. } => None,
        });
        let Some(first) = first else { continue };
        if w.at[2].is_none() {
            // After a tool change: over the point first, at the top, then down with the length applied.
            let x = w.number(first.x, dialect.decimals);
            let y = w.number(first.y, dialect.decimals);
            let z = w.number(first.z, dialect.decimals);
            w.line(&format!("G0 X{x} Y{y}"));
            w.line(&format!("G43 H{tool} Z{z}"));
            w.at = [Some(x), Some(y), Some(z)];
            w.word = "G0";
        }
        if path.coolant != coolant {
            // One is off before the other comes on.
            if coolant != Coolant::Dry {
                w.line("M9");
            }
            match path.coolant {
                Coolant::Dry => {}
                Coolant::Flood => w.line("M8"),
                Coolant::Mist => w.line("M7"),
            }
            coolant = path.coolant;
        }
        for (n, m) in path.moves.iter().enumerate() {
            let before = w.lines;
            match m {
                Move::Rapid { to } => w.motion("G0", *to, None, None),
                Move::Feed { to, feed } => w.motion("G1", *to, None, Some(*feed)),
                Move::Arc { to, center, ccw, feed } => {
                    w.motion(if *ccw { "G3" } else { "G2" }, *to, Some(*center), Some(*feed))
                }
                Move::State { words, engagement_limit } => {
                    promises.begin(path, *engagement_limit, w.lines);
                    w.comment(words);
                }
                Move::Drill { at, clear, start, bottom, cycle, feed } => {
                    w.drill(at, *clear, *start, *bottom, *cycle, *feed)
                }
            }
            if !matches!(m, Move::State { .. }) {
                moved.extend((before..w.lines).map(|l| (l + 1, k, n)));
            }
        }
    }
    promises.close(w.lines);
    if coolant != Coolant::Dry {
        w.line("M9");
    }
    w.line("G53 G0 Z0.");
    w.line("M5");
    if !heading.tried.is_empty() {
        for l in &heading.tried {
            w.comment(&format!("BEFORE UNCLAMPING: {l}"));
        }
        w.line("M1");
    }
    let end = dialect.end.clone();
    w.line(&end);
    if let Some(mark) = &dialect.tape_mark {
        let mark = mark.clone();
        w.line(&mark);
    }
    Posted { text: w.out, promises: promises.done, moves: moved }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn comments_are_broken_between_words_and_lose_nothing() {
        let text = "Rough the outline below the part's bottom to Z-0.40, flat end mill Ø12, engagement to 90°";
        let lines = wrapped(&plain(text), 30);
        assert!(lines.iter().all(|l| l.len() <= 30), "{lines:?}");
        assert_eq!(lines.join(" "), plain(text).split_whitespace().collect::<Vec<_>>().join(" "));
        assert_eq!(wrapped(&"x".repeat(65), 30).len(), 3);
    }
}
