//! What the words of a program mean (RS274/NGC), as a table: screens put it together, they do not know it.

use serde::Serialize;
use ts_rs::TS;

/// What a word does.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, TS)]
#[serde(rename_all = "lowercase")]
pub enum WordKind {
    /// A way to move; coordinates belong to it.
    Motion,
    /// A mode or a switch.
    Mode,
    /// A letter that carries a coordinate.
    Coordinate,
    /// A letter that carries a number.
    Number,
}

/// One word, or a letter with a number of its own.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, TS)]
pub struct Meaning {
    /// "G81", or "F".
    pub word: &'static str,
    /// What it does.
    pub kind: WordKind,
    /// In plain words; of a letter what stands before its number.
    pub says: &'static str,
    /// Unit of a letter's number: "mm", "mm/min", "1/min", "s", or none.
    pub unit: &'static str,
}

const fn motion(word: &'static str, says: &'static str) -> Meaning {
    Meaning { word, kind: WordKind::Motion, says, unit: "" }
}

const fn mode(word: &'static str, says: &'static str) -> Meaning {
    Meaning { word, kind: WordKind::Mode, says, unit: "" }
}

const fn number(word: &'static str, says: &'static str, unit: &'static str) -> Meaning {
    Meaning { word, kind: WordKind::Number, says, unit }
}

const fn coordinate(word: &'static str) -> Meaning {
    Meaning { word, kind: WordKind::Coordinate, says: word, unit: "mm" }
}

/// All words that are told.
pub const LANGUAGE: &[Meaning] = &[
    motion("G0", "rapid"),
    motion("G1", "cut straight"),
    motion("G2", "cut an arc clockwise"),
    motion("G3", "cut an arc counter-clockwise"),
    motion("G4", "wait"),
    motion("G33", "cut in step with the spindle"),
    motion("G73", "drill, breaking chips"),
    motion("G81", "drill"),
    motion("G82", "drill and dwell"),
    motion("G83", "drill with pecks"),
    motion("G84", "tap, and back with the spindle turned round"),
    motion("G85", "ream, and back at feed"),
    motion("G86", "bore, and back with the spindle still"),
    motion("G89", "bore, dwell, and back at feed"),
    motion("G28", "to the reference point"),
    mode("G10", "set a zero"),
    mode("G15", "end of polar coordinates"),
    mode("G16", "polar coordinates"),
    mode("G17", "arcs lie flat (XY)"),
    mode("G18", "arcs stand in XZ"),
    mode("G19", "arcs stand in YZ"),
    mode("G20", "lengths are in inch"),
    mode("G21", "lengths are in mm"),
    mode("G40", "no cutter compensation"),
    mode("G41", "cutter to the left of the path"),
    mode("G42", "cutter to the right of the path"),
    mode("G43", "count the cutter’s length"),
    mode("G49", "cutter length no longer counted"),
    mode("G50", "true size again"),
    mode("G51", "scaled"),
    mode("G52", "zero shifted"),
    mode("G53", "in machine coordinates"),
    mode("G54", "from the work zero of this side"),
    mode("G55", "from the second zero of this side"),
    mode("G56", "from the third zero of this side"),
    mode("G57", "from the fourth zero of this side"),
    mode("G58", "from the fifth zero of this side"),
    mode("G59", "from the sixth zero of this side"),
    mode("G68", "turned about a place"),
    mode("G69", "not turned any more"),
    mode("G80", "end of the drilling cycle"),
    mode("G90", "coordinates from zero"),
    mode("G91", "coordinates from where it stands"),
    mode("G90.1", "arc centres from zero"),
    mode("G91.1", "arc centres from the start of the arc"),
    mode("G92", "this place has these coordinates"),
    mode("G92.1", "shift of zero forgotten"),
    mode("G92.2", "shift of zero off"),
    mode("G92.3", "shift of zero on again"),
    mode("G93", "feed as moves a minute"),
    mode("G94", "feed in length a minute"),
    mode("G95", "feed in length a turn"),
    mode("G98", "drilling returns to the height it came from"),
    mode("G99", "drilling returns to the clear height"),
    mode("M0", "stop and wait for a person"),
    mode("M1", "stop if the switch says so"),
    mode("M2", "end of the program"),
    mode("M3", "spindle on, clockwise"),
    mode("M4", "spindle on, counter-clockwise"),
    mode("M5", "spindle off"),
    mode("M6", "change the cutter"),
    mode("M7", "mist on"),
    mode("M8", "coolant on"),
    mode("M9", "coolant off"),
    mode("M30", "end of the program"),
    mode("M48", "overrides work"),
    mode("M49", "overrides do not work"),
    mode("M98", "run a subprogram"),
    mode("M99", "end of the subprogram"),
    number("I", "arc centre X", "mm"),
    number("J", "arc centre Y", "mm"),
    number("K", "arc centre Z, or way of a turn", "mm"),
    coordinate("X"),
    coordinate("Y"),
    coordinate("Z"),
    number("F", "feed", "mm/min"),
    number("S", "", "1/min"),
    number("T", "cutter T", ""),
    number("H", "length offset", ""),
    number("D", "cutter’s width of D", ""),
    number("L", "times", ""),
    number("N", "line", ""),
    number("O", "program", ""),
    number("R", "clear height", "mm"),
    number("Q", "pecks of", "mm"),
    number("P", "", "s"),
];

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Heading, Stop, post};
    use geom::{DVec2, DVec3};
    use path::motion::{Coolant, Cycle, Move, Toolpath};

    /// Whatever the post writes is told: no word of a posted program is missing here.
    #[test]
    fn every_word_that_is_posted_has_its_meaning() {
        let drill = Toolpath {
            op: "drill:1".into(),
            title: "Drill".into(),
            tool: 1,
            rpm: 1000.0,
            coolant: Coolant::Flood,
            engagement_limit: None,
            power_kw: None,
            moves: vec![
                Move::Rapid { to: DVec3::new(0.0, 0.0, 9.0) },
                Move::Feed { to: DVec3::new(1.0, 0.0, 2.0), feed: 100.0 },
                Move::Arc { to: DVec3::new(2.0, 1.0, 2.0), center: DVec2::new(1.0, 1.0), ccw: true, feed: 90.0 },
                Move::Drill {
                    at: vec![DVec2::ZERO],
                    clear: 5.0,
                    start: 1.0,
                    bottom: -9.0,
                    cycle: Cycle::Peck(3.0),
                    feed: 100.0,
                },
            ],
        };
        for d in shop::dialect::shipped() {
            let heading = Heading { stops: vec![Stop { before: 0, lines: vec!["Look".into()] }], ..Heading::default() };
            let text = post(&heading, std::slice::from_ref(&drill), d).unwrap().text;
            let mut words = 0;
            for line in text.lines() {
                for (letter, value) in crate::lex::line(line).unwrap().words {
                    let crate::lex::Value::Number(v, _) = value else { panic!("{line}") };
                    let known = |x: &str| LANGUAGE.iter().any(|m| m.word == x);
                    let code = format!("{letter}{v}");
                    assert!(
                        if matches!(letter, 'G' | 'M') { known(&code) } else { known(&letter.to_string()) },
                        "{code} in {line}"
                    );
                    words += 1;
                }
            }
            assert!(words > 20, "{text}");
        }
    }
}
