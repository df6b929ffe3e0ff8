//! Acts as text, by a dialect. Rounding happens here and nowhere else.

use crate::Heading;
use crate::act::{Act, Acts, Axes, pieces};
use geom::{DVec2, DVec3};
use path::motion::{Coolant, Cycle};
use shop::dialect::{Arcs, Change, Comments, Dialect, Dwell, Home, LengthOffset, Point, Tapping};
use std::f64::consts::{FRAC_PI_2, TAU};
use std::fmt::Write as _;

/// A text, and of each act its first and last line; the first is above the last where it wrote none.
pub(crate) struct Written {
    pub text: String,
    pub lines: Vec<(u32, u32)>,
}

/// Where a peck goes back to, above the depth that was reached: 0.010 in by NISTIR 6556.
pub(crate) const BACK_OFF_MM: f64 = 0.254;

struct Writer<'a> {
    d: &'a Dialect,
    out: String,
    /// Where it is by the text, as written, and exactly.
    at: [Option<String>; 3],
    pos: [Option<f64>; 3],
    /// G0, G1 … that still holds.
    word: u32,
    feed: Option<String>,
    rpm: f64,
    tool: u32,
    /// The cutter's length is not called for yet.
    length_open: bool,
    /// Cutters in the order of their calls that are still to come.
    calls: std::vec::IntoIter<u32>,
    lines: u32,
    number: u32,
    /// Machine y with the table at the front.
    front: Option<f64>,
    /// Seconds that were just waited for a new speed.
    waited: f64,
}

/// Holes of one cycle.
struct Holes<'a> {
    at: &'a [DVec2],
    clear: f64,
    start: f64,
    bottom: f64,
    cycle: Cycle,
    feed: f64,
}

const NO_WORD: u32 = u32::MAX;

/// Comments hold what every control can show: capitals, digits, plain signs.
pub(crate) fn plain(text: &str) -> String {
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
pub(crate) fn wrapped(text: &str, most: usize) -> Vec<String> {
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

/// A number as a control wants it.
fn figure(d: &Dialect, v: f64, decimals: u32) -> String {
    let digits = decimals as usize;
    if d.point == Point::None {
        let s = format!("{:.0}", v * 10f64.powi(decimals as i32));
        return if s == "-0" { "0".into() } else { s };
    }
    let mut s = format!("{v:.digits$}");
    if d.point != Point::Full {
        if s.contains('.') {
            s.truncate(s.trim_end_matches('0').len());
        } else if d.point == Point::Always {
            s.push('.');
        }
        if d.point == Point::Needed {
            s.truncate(s.trim_end_matches('.').len());
        }
    }
    let zero = s.chars().all(|c| matches!(c, '-' | '0' | '.'));
    if zero {
        s.truncate(s.len());
        s = s.trim_start_matches('-').into();
        return s;
    }
    if d.leading_zero { s } else { s.replacen("0.", ".", usize::from(s.starts_with("0.") || s.starts_with("-0."))) }
}

impl Writer<'_> {
    fn length(&self, mm: f64) -> String {
        figure(self.d, self.d.of_mm(mm), self.d.decimals)
    }
    fn rate(&self, mm: f64) -> String {
        figure(self.d, self.d.of_mm(mm), self.d.feed_decimals)
    }
    fn g(&self, code: u32) -> String {
        if self.d.two_digits { format!("G{code:02}") } else { format!("G{code}") }
    }
    fn m(&self, code: u32) -> String {
        if self.d.two_digits { format!("M{code:02}") } else { format!("M{code}") }
    }
    /// A line as it is.
    fn bare(&mut self, text: &str) {
        self.out.push_str(text);
        self.out.push('\n');
        self.lines += 1;
    }
    fn line(&mut self, words: &[String]) {
        self.skippable(words, false);
    }
    fn skippable(&mut self, words: &[String], skip: bool) {
        let mut s = String::from(if skip { "/" } else { "" });
        let gap = if self.d.blanks { " " } else { "" };
        if self.d.numbered > 0 {
            self.number += self.d.numbered;
            if self.number > 99_999 {
                self.number = self.d.numbered;
            }
            let _ = write!(s, "N{}{gap}", self.number);
        }
        s.push_str(&words.iter().filter(|w| !w.is_empty()).map(String::as_str).collect::<Vec<_>>().join(gap));
        self.bare(&s);
    }
    fn comment(&mut self, text: &str) {
        for c in wrapped(&plain(&reason::said(text, self.d.inch)), self.d.comment_length as usize) {
            match self.d.comments {
                Comments::Brackets => self.line(&[format!("({c})")]),
                Comments::Semicolon => self.line(&[format!("; {c}")]),
                Comments::None => {}
            }
        }
    }
    /// Axis words that changed.
    fn axes(&mut self, to: Axes) -> Vec<String> {
        let mut out = Vec::new();
        for (k, letter) in ['X', 'Y', 'Z'].into_iter().enumerate() {
            let Some(v) = to[k] else { continue };
            let n = self.length(v);
            self.pos[k] = Some(v);
            if self.at[k].as_ref() != Some(&n) {
                out.push(format!("{letter}{n}"));
                self.at[k] = Some(n);
            }
        }
        out
    }
    fn mode(&mut self, code: u32) -> String {
        if self.word == code {
            return String::new();
        }
        self.word = code;
        self.g(code)
    }
    fn feed_word(&mut self, feed: f64) -> String {
        let n = self.rate(feed);
        if self.feed.as_ref() == Some(&n) {
            return String::new();
        }
        self.feed = Some(n.clone());
        format!("F{n}")
    }
    fn straight(&mut self, code: u32, to: Axes, feed: Option<f64>) {
        let axes = self.axes(to);
        let length = (self.length_open && to[2].is_some()).then(|| format!("{} H{}", self.g(43), self.tool));
        if axes.is_empty() && length.is_none() {
            return;
        }
        let mut words = vec![self.mode(code)];
        if let Some(l) = length {
            words.extend(l.split(' ').map(String::from));
            self.length_open = false;
        }
        words.extend(axes);
        if let Some(f) = feed {
            words.push(self.feed_word(f));
        }
        self.line(&words);
    }
    fn here(&self) -> Option<DVec3> {
        let [x, y, z] = self.pos;
        Some(DVec3::new(x?, y?, z?))
    }
    fn arc(&mut self, to: DVec3, center: DVec2, sweep: f64, feed: f64) -> Result<(), String> {
        let from = self.here().ok_or("an arc begins where no line says where it is")?;
        let radius = from.truncate() - center;
        let rises = (to.z - from.z).abs() > 1e-9;
        let at = |t: f64| (center + DVec2::from_angle(sweep * t).rotate(radius)).extend(from.z + (to.z - from.z) * t);
        if self.d.arcs == Arcs::Chords || rises && !self.d.helix {
            // A chord leaves its arc by r (1 − cos half its angle); half of what it may is left for rounding.
            let share = self.d.chord_mm / 2.0 / radius.length();
            let most = if share >= 1.0 { FRAC_PI_2 } else { 2.0 * (1.0 - share).acos() };
            let n = pieces(sweep, most.clamp(0.01, FRAC_PI_2));
            for k in 1..=n {
                let p = if k == n { to } else { at(k as f64 / n as f64) };
                self.straight(1, p.to_array().map(Some), Some(feed));
            }
            return Ok(());
        }
        let quarter = if self.d.arcs == Arcs::Radius { FRAC_PI_2 } else { TAU };
        let most = self.d.arc_most_deg.to_radians();
        let n = pieces(sweep, if most < quarter { most } else { quarter });
        for k in 1..=n {
            let p = if k == n { to } else { at(k as f64 / n as f64) };
            self.arc_piece(p, center, sweep / n as f64, feed);
        }
        Ok(())
    }
    fn arc_piece(&mut self, to: DVec3, center: DVec2, sweep: f64, feed: f64) {
        // I and J are taken from the rounded start, so that rounding does not add up.
        let start: Vec<f64> = (0..2)
            .map(|k| {
                let inc = self.d.increment_mm();
                self.pos[k].map_or(0.0, |v| (v / inc).round() * inc)
            })
            .collect();
        let rounds_to_start = (0..2).all(|k| self.at[k].as_ref() == Some(&self.length(to[k])));
        if rounds_to_start && sweep.abs() < std::f64::consts::PI {
            // Less than an increment: as an arc it would be a full turn.
            self.straight(1, to.to_array().map(Some), Some(feed));
            return;
        }
        let radius = (to.truncate() - center).length();
        let mut axes = self.axes(to.to_array().map(Some));
        if rounds_to_start {
            // A whole turn says where it ends: a line of I and J alone is none where G2 or G3 still holds.
            let ends = ['X', 'Y'].into_iter().zip(&self.at).filter_map(|(l, n)| Some(format!("{l}{}", n.as_ref()?)));
            axes = ends.chain(axes).collect();
        }
        let mut words = vec![self.mode(if sweep > 0.0 { 3 } else { 2 })];
        words.extend(axes);
        match self.d.arcs {
            Arcs::Radius => words.push(format!("R{}", self.length(radius))),
            Arcs::AbsoluteCentre => {
                words.push(format!("I{}", self.length(center.x)));
                words.push(format!("J{}", self.length(center.y)));
            }
            Arcs::Centre | Arcs::Chords => {
                words.push(format!("I{}", self.length(center.x - start[0])));
                words.push(format!("J{}", self.length(center.y - start[1])));
            }
        }
        let f = self.feed_word(feed);
        words.push(f);
        self.line(&words);
    }
    fn machine(&mut self, to: Axes) -> Result<(), String> {
        let axes = ['X', 'Y', 'Z'].into_iter().zip(to).filter_map(|(l, v)| Some((l, v?)));
        match self.d.home {
            Home::G53 => {
                let mut words = vec![self.g(53), self.g(0)];
                words.extend(axes.map(|(l, v)| format!("{l}{}", self.length(v))));
                self.line(&words);
            }
            Home::G28 => {
                let mut words = vec![self.g(91), self.g(28)];
                for (l, v) in axes {
                    let reference = match l {
                        'Z' => v.abs() < 1e-6,
                        'Y' => self.front.is_some_and(|f| (f - v).abs() < 1e-6),
                        _ => false,
                    };
                    if !reference {
                        return Err(format!(
                            "it goes to machine {l} {v:.3}, and this control goes to its reference point only"
                        ));
                    }
                    words.push(format!("{l}{}", self.length(0.0)));
                }
                self.line(&words);
                self.line(&[self.g(90)]);
            }
        }
        for (k, v) in to.iter().enumerate() {
            if v.is_some() {
                (self.at[k], self.pos[k]) = (None, None);
            }
        }
        self.word = NO_WORD;
        Ok(())
    }
    fn spindle(&mut self, rpm: f64) {
        if rpm == 0.0 {
            let w = self.m(5);
            self.line(&[w]);
        } else {
            let turn = self.m(if rpm > 0.0 { 3 } else { 4 });
            self.line(&[format!("S{:.0}", rpm.abs()), turn]);
            if self.d.spin_up_s > 0.0 && rpm != self.rpm {
                self.dwell(self.d.spin_up_s);
                self.waited = self.d.spin_up_s;
            }
        }
        self.rpm = rpm;
    }
    fn dwell(&mut self, seconds: f64) {
        let word = match self.d.dwell {
            Dwell::PMilliseconds => format!("P{:.0}", seconds * 1000.0),
            Dwell::PSeconds => format!("P{}", figure(self.d, seconds, self.d.decimals)),
            Dwell::XSeconds => format!("X{}", figure(self.d, seconds, self.d.decimals)),
        };
        self.line(&[self.g(4), word]);
    }
    fn call(&mut self, tool: u32) {
        self.calls.next();
        let words = match self.d.change {
            Change::TM6 => vec![format!("T{tool}"), self.m(6)],
            Change::M6T => vec![self.m(6), format!("T{tool}")],
            Change::T => vec![format!("T{tool}")],
        };
        self.line(&words);
        if self.d.preselect
            && let Some(next) = self.calls.as_slice().first()
        {
            self.line(&[format!("T{next}")]);
        }
        self.tool = tool;
        self.rpm = 0.0;
        self.at = [None, None, None];
        self.pos = [None; 3];
        self.length_open = self.d.length == LengthOffset::G43;
    }
    fn coolant(&mut self, c: Coolant) {
        let word = match c {
            Coolant::Dry => &self.d.coolant_off,
            Coolant::Mist if !self.d.mist.is_empty() => &self.d.mist,
            Coolant::Flood | Coolant::Mist => &self.d.flood,
        };
        let word =
            if self.d.two_digits && word.len() == 2 { format!("{}0{}", &word[..1], &word[1..]) } else { word.clone() };
        self.line(&[word]);
    }
    fn drill(&mut self, h: &Holes<'_>) -> Result<(), String> {
        let code = match h.cycle {
            Cycle::Plain => 81,
            Cycle::Peck(_) => 83,
            Cycle::Ream => 85,
            Cycle::Tap => 84,
        };
        let has = match h.cycle {
            Cycle::Tap => matches!(self.d.tapping, Tapping::Cycle | Tapping::CycleByTurn),
            _ => self.d.has_cycle(&format!("G{code}")),
        };
        let by_turn = match h.cycle {
            Cycle::Tap => self.d.tapping == Tapping::CycleByTurn,
            _ => self.d.cycles_by_turn,
        };
        if has { self.cycle(h, code, by_turn) } else { self.written_out(h) }
    }
    fn cycle(&mut self, h: &Holes<'_>, code: u32, by_turn: bool) -> Result<(), String> {
        let Holes { at, clear, start, bottom, cycle, feed } = *h;
        let Some(first) = at.first() else { return Ok(()) };
        self.straight(0, [Some(first.x), Some(first.y), Some(clear)], None);
        let (z, r) = (self.length(bottom), self.length(start));
        for (k, p) in at.iter().enumerate() {
            let (x, y) = (self.length(p.x), self.length(p.y));
            if k == 0 {
                let mut words = vec![self.g(98)];
                if by_turn {
                    if self.rpm == 0.0 {
                        return Err("a feed by the turn needs a spindle that turns".into());
                    }
                    words.push(self.g(95));
                }
                words.push(self.g(code));
                words.extend([format!("X{x}"), format!("Y{y}"), format!("Z{z}"), format!("R{r}")]);
                if let Cycle::Peck(q) = cycle {
                    words.push(format!("Q{}", self.length(q)));
                }
                let f = if by_turn { self.rate(feed / self.rpm.abs()) } else { self.rate(feed) };
                words.push(format!("F{f}"));
                self.line(&words);
                self.feed = (!by_turn).then_some(f);
            } else {
                self.line(&[format!("X{x}"), format!("Y{y}")]);
            }
            self.at = [Some(x), Some(y), Some(self.length(clear))];
            self.pos = [Some(p.x), Some(p.y), Some(clear)];
        }
        let mut words = vec![self.g(80)];
        if by_turn {
            words.push(self.g(94));
            self.feed = None;
        }
        self.line(&words);
        self.word = NO_WORD;
        Ok(())
    }
    fn written_out(&mut self, h: &Holes<'_>) -> Result<(), String> {
        let Holes { at, clear, start, bottom, cycle, feed } = *h;
        let z = |v: f64| [None, None, Some(v)];
        for p in at {
            self.straight(0, [Some(p.x), Some(p.y), Some(clear)], None);
            self.straight(0, z(start), None);
            match cycle {
                Cycle::Plain => self.straight(1, z(bottom), Some(feed)),
                Cycle::Ream => {
                    self.straight(1, z(bottom), Some(feed));
                    self.straight(1, z(start), Some(feed));
                }
                Cycle::Peck(q) => {
                    let mut deep = start;
                    loop {
                        deep = if deep - q > bottom { deep - q } else { bottom };
                        self.straight(1, z(deep), Some(feed));
                        if deep <= bottom + 1e-9 {
                            break;
                        }
                        self.straight(0, z(start), None);
                        let back = deep + BACK_OFF_MM;
                        self.straight(0, z(if back < start { back } else { start }), None);
                    }
                }
                Cycle::Tap => {
                    let rpm = self.rpm;
                    if rpm == 0.0 {
                        return Err("a tap needs a spindle that turns".into());
                    }
                    let step = self.d.tapping == Tapping::Threading;
                    for (to, turn) in [(bottom, -rpm), (start, rpm)] {
                        if step {
                            let k = self.length(feed / rpm.abs());
                            let mut words = vec![self.mode(33)];
                            words.extend(self.axes(z(to)));
                            words.push(format!("K{k}"));
                            self.line(&words);
                        } else {
                            self.straight(1, z(to), Some(feed));
                        }
                        // The reversal is waited for by the machine; a written dwell would let the tap stand.
                        let word = self.m(if turn > 0.0 { 3 } else { 4 });
                        self.line(&[word]);
                    }
                }
            }
            self.straight(0, z(clear), None);
        }
        Ok(())
    }
    fn stop(&mut self, optional: bool) {
        let word = self.m(u32::from(optional && self.d.optional_stop));
        self.skippable(&[word], optional && !self.d.optional_stop && self.d.block_skip);
        self.rpm = 0.0;
        self.at = [None, None, None];
        self.length_open = self.d.length == LengthOffset::G43 && self.tool != 0;
    }
    fn act(&mut self, act: &Act) -> Result<(), String> {
        let waited = std::mem::take(&mut self.waited);
        match act {
            Act::Comment(text) => self.comment(text),
            Act::Fresh => {
                self.word = NO_WORD;
                self.feed = None;
            }
            Act::Machine(to) => self.machine(*to)?,
            Act::Call(tool) => self.call(*tool),
            Act::Spindle(rpm) => self.spindle(*rpm),
            Act::Coolant(c) => self.coolant(*c),
            Act::Rapid(to) => self.straight(0, *to, None),
            Act::Feed(to, feed) => self.straight(1, *to, Some(*feed)),
            Act::Arc { to, center, sweep, feed } => self.arc(*to, *center, *sweep, *feed)?,
            Act::Drill { at, clear, start, bottom, cycle, feed } => {
                let (clear, start, bottom, cycle, feed) = (*clear, *start, *bottom, *cycle, *feed);
                self.drill(&Holes { at, clear, start, bottom, cycle, feed })?;
            }
            Act::Stop { optional } => self.stop(*optional),
            // Another control's wait for the same speed: what is left of it.
            Act::Dwell(s) if *s <= waited => {}
            Act::Dwell(s) => self.dwell(*s - waited),
        }
        Ok(())
    }
}

/// Write a program. The error says which act this control cannot be told, and why.
pub(crate) fn write<T>(heading: &Heading, acts: &Acts<T>, dialect: &Dialect) -> Result<Written, (usize, String)> {
    let calls: Vec<u32> =
        acts.list.iter().filter_map(|(a, _)| if let Act::Call(t) = a { Some(*t) } else { None }).collect();
    let mut w = Writer {
        d: dialect,
        out: String::new(),
        at: [None, None, None],
        pos: [None; 3],
        word: NO_WORD,
        feed: None,
        rpm: 0.0,
        tool: 0,
        length_open: false,
        calls: calls.into_iter(),
        lines: 0,
        number: 0,
        front: heading.table_forward_mm,
        waited: 0.0,
    };
    if !dialect.tape_mark.is_empty() {
        w.bare(&dialect.tape_mark);
    }
    if !dialect.program_name.is_empty() {
        let name = plain(&heading.name);
        let number = format!("{:04}", heading.number.clamp(1, 9999));
        w.bare(&dialect.program_name.replace("{number}", &number).replace("{name}", &name));
    }
    for l in &heading.lines {
        w.comment(l);
    }
    w.comment(&format!("LENGTHS IN {}", if dialect.inch { "INCH" } else { "MM" }));
    for t in &heading.tools {
        w.comment(&format!("T{} {}", t.number, t.words));
    }
    for l in dialect.start_lines() {
        w.line(&[if dialect.blanks { l } else { l.replace(' ', "") }]);
    }
    let mut lines = Vec::with_capacity(acts.list.len());
    for (k, (act, _)) in acts.list.iter().enumerate() {
        let first = w.lines + 1;
        w.act(act).map_err(|e| (k, e))?;
        lines.push((first, w.lines));
    }
    if let Some(y) = heading.table_forward_mm.filter(|_| dialect.table_forward) {
        w.machine([None, Some(y), None]).map_err(|e| (acts.list.len().saturating_sub(1), e))?;
    }
    w.line(std::slice::from_ref(&dialect.end));
    if !dialect.tape_mark.is_empty() {
        w.bare(&dialect.tape_mark);
    }
    Ok(Written { text: w.out, lines })
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

    #[test]
    fn figures_are_as_each_control_wants_them() {
        let d = |point, leading_zero| Dialect { point, leading_zero, ..Dialect::default() };
        for (dialect, want) in [
            (d(Point::Always, true), ["12.", "-0.5", "0.", "1.2346"]),
            (d(Point::Needed, false), ["12", "-.5", "0", "1.2346"]),
            (d(Point::Full, true), ["12.0000", "-0.5000", "0.0000", "1.2346"]),
            (d(Point::None, true), ["120000", "-5000", "0", "12346"]),
        ] {
            let got = [12.0, -0.5, -0.000_01, 1.234_56].map(|v| figure(&dialect, v, 4));
            assert_eq!(got, want);
        }
        // Without digits there is nothing before a point to take off.
        assert_eq!(figure(&d(Point::Needed, false), 10.0, 0), "10");
        assert_eq!(figure(&d(Point::Always, false), 10.5, 1), "10.5");
    }
}
