//! How a control wants its programs written, as data: one table for writing a program, reading it and explaining its lines.
//!
//! What the words mean is ISO 6983-1 and RS-274 (NISTIR 6556); controls differ in what of it they have and how they write it. The descriptions
//! that ship with the product are invented: each stands for a habit that is met in shops (common practice, no source).

use serde::{Deserialize, Serialize};
use std::sync::OnceLock;
use ts_rs::TS;

/// The point of a length or feed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Point {
    /// Always there: "12.", "12.5".
    Always,
    /// Where it is needed: "12", "12.5".
    Needed,
    /// With all its digits: "12.0000".
    Full,
    /// Never: whole increments, "12000" for 12 mm at three digits. A number with a point is still read as what it says.
    None,
}

/// How comments are marked.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Comments {
    /// (so)
    Brackets,
    /// ; so, to the end of the line
    Semicolon,
    /// It has none.
    None,
}

/// How an arc is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Arcs {
    /// I and J from the arc's start to its centre.
    Centre,
    /// I and J are the centre itself.
    AbsoluteCentre,
    /// R, and never more than a quarter turn at a time.
    Radius,
    /// It has none: short straight moves.
    Chords,
}

/// How the spindle is sent to the top.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Home {
    /// In machine coordinates: G53 G0 Z0.
    G53,
    /// To the reference point: G91 G28 Z0, then G90.
    G28,
}

/// How a cutter is called.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Change {
    /// T3 M6
    TM6,
    /// M6 T3
    M6T,
    /// T3 alone.
    T,
}

/// Where the length of a cutter comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum LengthOffset {
    /// G43 with the cutter's own H.
    G43,
    /// It goes with the cutter's number.
    WithTool,
}

/// The word of a dwell.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Dwell {
    /// P in seconds.
    PSeconds,
    /// P in milliseconds.
    PMilliseconds,
    /// X in seconds.
    XSeconds,
}

/// How a tap is led.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Tapping {
    /// G84 with the feed a minute.
    Cycle,
    /// G95 and G84: F is the pitch.
    CycleByTurn,
    /// In step without a cycle: G33 with K, the pitch, in and – the spindle turned round – out.
    Threading,
    /// No words for it: G1 down, M4, G1 up. Only for a holder that gives.
    WrittenOut,
}

/// A control, as programs are written for it and read back.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Dialect {
    /// Stable name; a mill names its control by it.
    pub id: String,
    /// Words.
    pub name: String,
    /// Lengths in inch (G20) instead of mm (G21).
    #[serde(default)]
    pub inch: bool,
    /// Digits of a length after its point; the last is the least increment.
    pub decimals: u32,
    /// Digits of a feed after its point.
    pub feed_decimals: u32,
    /// Its point.
    pub point: Point,
    /// "0.5", else ".5".
    #[serde(default = "yes")]
    pub leading_zero: bool,
    /// Lines are numbered in such steps (N); 0: not at all.
    #[serde(default)]
    pub numbered: u32,
    /// A blank between words.
    #[serde(default = "yes")]
    pub blanks: bool,
    /// "G01", else "G1".
    #[serde(default)]
    pub two_digits: bool,
    /// Comments.
    pub comments: Comments,
    /// Longest comment; longer ones go on in a further line.
    #[serde(default = "comment_length")]
    pub comment_length: u32,
    /// First and last line of the file, such as "%"; none where empty.
    #[serde(default)]
    pub tape_mark: String,
    /// Its name's line: "{number}" becomes four digits, "{name}" the job's name. None where empty.
    #[serde(default)]
    pub program_name: String,
    /// What puts the control into a known state, lines divided by "|".
    pub safe_start: String,
    /// Last line.
    pub end: String,
    /// Ending of the file's name.
    pub extension: String,
    /// Arcs.
    pub arcs: Arcs,
    /// Longest arc in one line, degrees.
    #[serde(default = "full_turn")]
    pub arc_most_deg: f64,
    /// An arc may rise; else a helix is written in short straight moves.
    #[serde(default = "yes")]
    pub helix: bool,
    /// Short straight moves leave their curve by up to, mm.
    #[serde(default = "chord")]
    pub chord_mm: f64,
    /// The way up.
    pub home: Home,
    /// At the end the table comes to the front.
    #[serde(default)]
    pub table_forward: bool,
    /// Work offsets G54 to G59; else one zero that is set at the control.
    #[serde(default = "yes")]
    pub offsets: bool,
    /// Calling a cutter.
    pub change: Change,
    /// The next cutter is called for right after a change.
    #[serde(default)]
    pub preselect: bool,
    /// Length of a cutter.
    pub length: LengthOffset,
    /// After a new speed the spindle is waited for, s.
    #[serde(default)]
    pub spin_up_s: f64,
    /// Word of a dwell.
    pub dwell: Dwell,
    /// Coolant on.
    #[serde(default = "flood")]
    pub flood: String,
    /// Mist on; where empty the coolant that there is.
    #[serde(default)]
    pub mist: String,
    /// Both off.
    #[serde(default = "off")]
    pub coolant_off: String,
    /// Cycles for holes that it has, such as "G81 G83 G85"; what is not there is written out.
    #[serde(default)]
    pub cycles: String,
    /// In cycles F is the way of a turn (G95).
    #[serde(default)]
    pub cycles_by_turn: bool,
    /// Taps.
    pub tapping: Tapping,
    /// It has M1; else a stop may be left out by block skip, or is M0.
    #[serde(default = "yes")]
    pub optional_stop: bool,
    /// A line that begins with "/" may be left out at the control.
    #[serde(default)]
    pub block_skip: bool,
}

fn yes() -> bool {
    true
}
fn comment_length() -> u32 {
    72
}
fn full_turn() -> f64 {
    360.0
}
fn chord() -> f64 {
    0.004
}
fn flood() -> String {
    "M8".into()
}
fn off() -> String {
    "M9".into()
}

impl Dialect {
    /// One mm in the unit of its lengths.
    pub fn of_mm(&self, mm: f64) -> f64 {
        if self.inch { mm / 25.4 } else { mm }
    }
    /// The least step of a length, mm.
    pub fn increment_mm(&self) -> f64 {
        10f64.powi(-(self.decimals as i32)) * if self.inch { 25.4 } else { 1.0 }
    }
    /// Does it have this cycle?
    pub fn has_cycle(&self, code: &str) -> bool {
        self.cycles.split_whitespace().any(|c| c == code)
    }
    /// Lines of its safe start.
    pub fn start_lines(&self) -> Vec<String> {
        self.safe_start.split('|').map(|l| l.trim().to_string()).filter(|l| !l.is_empty()).collect()
    }
    /// Why no program can be written so, if none can.
    pub fn fault(&self) -> Option<String> {
        let name = &self.name;
        let word = |s: &str| !s.is_empty() && s.chars().all(|c| c.is_ascii_alphanumeric() || c == '.' || c == ' ');
        let id =
            !self.id.is_empty() && self.id.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-');
        if !id {
            return Some(format!("'{}': a control's short name has small letters, digits and '-'", self.id));
        }
        if self.decimals > 6 || self.feed_decimals > 4 || (self.point == Point::None && self.decimals == 0) {
            return Some(format!(
                "{name}: lengths have 0 to 6 digits after the point (1 to 6 without one), feeds 0 to 4"
            ));
        }
        if self.increment_mm() > 0.011 {
            return Some(format!("{name}: its least increment is over 0.01 mm; no part keeps its size with that"));
        }
        if !(1.0..=360.0).contains(&self.arc_most_deg) || !(0.0001..=0.05).contains(&self.chord_mm) {
            return Some(format!(
                "{name}: an arc of one line is 1 to 360 degrees, and chords leave their curve by 0.0001 to 0.05 mm"
            ));
        }
        if !(0.0..=120.0).contains(&self.spin_up_s) || !(8..=200).contains(&self.comment_length) || self.numbered > 1000
        {
            return Some(format!(
                "{name}: a spindle is up within 120 s, comments are 8 to 200 signs long, lines are numbered in steps up to 1000"
            ));
        }
        if self.change == Change::T && self.preselect {
            return Some(format!("{name}: where T alone changes the cutter the next one cannot be called for before"));
        }
        let cycles = self.cycles.split_whitespace().all(|c| matches!(c, "G73" | "G81" | "G82" | "G83" | "G85"));
        if !cycles {
            return Some(format!(
                "{name}: cycles are of G73 G81 G82 G83 G85, with blanks between them; taps have a field of their own"
            ));
        }
        if !word(&self.flood) || !word(&self.coolant_off) || (!self.mist.is_empty() && !word(&self.mist)) {
            return Some(format!("{name}: coolant needs a word to come on and one to go off"));
        }
        let lines = [self.safe_start.as_str(), &self.end, &self.tape_mark, &self.program_name, &self.extension];
        if lines.iter().any(|l| !l.is_ascii() || l.len() > 200 || l.contains(['\n', '\r']))
            || self.extension.contains(['/', '\\', ' '])
        {
            return Some(format!("{name}: its lines are plain signs, and the file's ending has no blank or slash"));
        }
        if self.extension.is_empty() || self.end.trim().is_empty() {
            return Some(format!("{name}: a program needs a last line (M30) and its file an ending"));
        }
        let start = self.safe_start.to_uppercase();
        let unit = |code: &str| start.split(['|', ' ']).any(|w| w == code) || start.contains(&format!("{code}G"));
        if unit(if self.inch { "G21" } else { "G20" }) {
            return Some(format!("{name}: its first lines say another unit than its lengths have"));
        }
        (self.start_lines().is_empty() || !start.contains("G90"))
            .then(|| format!("{name}: its first lines must put the control into a known state, G90 among it"))
    }
}

/// The descriptions that ship with the product, the one of the demo shop's mill first.
pub fn shipped() -> &'static [Dialect] {
    #[derive(Deserialize)]
    struct File {
        dialect: Vec<Dialect>,
    }
    static SHIPPED: OnceLock<Vec<Dialect>> = OnceLock::new();
    SHIPPED.get_or_init(|| {
        toml::from_str::<File>(include_str!("../data/dialects.toml")).map(|f| f.dialect).unwrap_or_default()
    })
}

impl Default for Dialect {
    /// The control of the demo shop's mill: RS-274 with all its state in the open.
    fn default() -> Dialect {
        shipped()
            .first()
            .cloned()
            .unwrap_or_else(|| unreachable!("the shipped dialects are data of this crate, and a test reads them"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_differs_from_each_other_in_at_least_six_points() {
        let all = shipped();
        assert!(all.len() >= 5);
        for d in all {
            assert_eq!(d.fault(), None);
        }
        let fields = |d: &Dialect| serde_json::to_value(d).unwrap().as_object().unwrap().clone();
        for (k, a) in all.iter().enumerate() {
            for b in &all[k + 1..] {
                let (x, y) = (fields(a), fields(b));
                let words = ["id", "name", "extension", "safe_start", "end", "comment_length", "chord_mm"];
                let other = x.iter().filter(|(n, v)| !words.contains(&n.as_str()) && y.get(*n) != Some(*v)).count();
                assert!(other >= 6, "{} and {}: {other}", a.id, b.id);
            }
        }
    }

    #[test]
    fn what_cannot_be_written_is_no_dialect() {
        type Broken<'a> = (&'a str, fn(&mut Dialect));
        let broken: [Broken<'_>; 9] = [
            ("short name", |d| d.id = "Great One".into()),
            ("increment", |d| d.decimals = 1),
            ("digits", |d| d.decimals = 9),
            ("arc", |d| d.arc_most_deg = 0.0),
            ("T alone", |d| (d.change, d.preselect) = (Change::T, true)),
            ("cycles", |d| d.cycles = "G84".into()),
            ("coolant", |d| d.flood = String::new()),
            ("another unit", |d| d.safe_start = "G17 G20 G90".into()),
            ("known state", |d| d.safe_start = "G17".into()),
        ];
        for (says, breaks) in broken {
            let mut d = Dialect::default();
            breaks(&mut d);
            let fault = d.fault().unwrap_or_default();
            assert!(fault.contains(says), "{says}: {fault}");
        }
    }
}
