//! Words of a line with their numbers, one of each modal group (NISTIR 6556, table 4).

use super::state::State;
use crate::lex::{Line, Value};
use shop::dialect::Point;

const MODAL_GROUPS: &[(u32, &[u32])] = &[
    (1, &[0, 10, 20, 30, 330, 382, 800, 810, 820, 830, 840, 850, 860, 870, 880, 890, 730, 760]),
    (2, &[170, 180, 190]),
    (3, &[900, 910]),
    (4, &[901, 911]),
    (5, &[930, 940, 950]),
    (6, &[200, 210]),
    (7, &[400, 410, 420]),
    (8, &[430, 490, 431]),
    (10, &[980, 990]),
    (12, &[540, 550, 560, 570, 580, 590, 591, 592, 593]),
    (13, &[610, 611, 640]),
    (16, &[680, 690]),
    (17, &[150, 160]),
    (18, &[500, 510]),
    (100, &[40, 100, 280, 300, 520, 530, 920, 921, 922, 923]),
];

pub(super) fn group(code: u32) -> Option<u32> {
    MODAL_GROUPS.iter().find(|(_, codes)| codes.contains(&code)).map(|g| g.0)
}

pub(super) fn name(code: u32) -> String {
    if code.is_multiple_of(10) { format!("G{}", code / 10) } else { format!("G{}.{}", code / 10, code % 10) }
}

/// A whole number, "close to an integer" within 0.0001 as NISTIR 6556 allows.
pub(super) fn whole(letter: char, v: f64) -> Result<u32, String> {
    if (v - v.round()).abs() > 1e-4 || !(-1e-4..=1e9).contains(&v) {
        return Err(format!("{letter}{v} must be a whole number, not negative"));
    }
    Ok(v.round() as u32)
}

/// Words of a line with their numbers.
pub(super) struct Words {
    pub g: Vec<u32>,
    pub m: Vec<u32>,
    pub other: Vec<(char, f64)>,
}

impl Words {
    pub(super) fn of(line: &Line, s: &State) -> Result<Words, String> {
        let d = &s.settings.dialect;
        let mut w = Words { g: vec![], m: vec![], other: vec![] };
        let mut groups = Vec::new();
        // In a wait X is a time, and P may be.
        for (letter, value) in &line.words {
            let letter = *letter;
            let v = match value {
                Value::Number(v, point) => {
                    let increments = d.point == Point::None && !point;
                    match letter {
                        'X' | 'Y' | 'Z' | 'I' | 'J' | 'K' | 'R' | 'Q' if increments => {
                            v / 10f64.powi(d.decimals as i32)
                        }
                        'F' if increments => v / 10f64.powi(d.feed_decimals as i32),
                        _ => *v,
                    }
                }
                Value::Expr(e) => s.worth(e)?,
            };
            match letter {
                'G' => {
                    let code = (v * 10.0).round();
                    if (v * 10.0 - code).abs() > 1e-3 || !(0.0..=9999.0).contains(&code) {
                        return Err(format!("G{v} is not a code"));
                    }
                    let code = code as u32;
                    let g = group(code)
                        .ok_or_else(|| format!("{} is not part of this dialect; take it out", name(code)))?;
                    if groups.contains(&g) {
                        return Err(format!(
                            "{} and another word of the same group stand on one line; keep one",
                            name(code)
                        ));
                    }
                    groups.push(g);
                    w.g.push(code);
                }
                'M' => w.m.push(whole('M', v)?),
                'N' => {}
                _ => {
                    if w.other.iter().any(|o| o.0 == letter) {
                        return Err(format!("{letter} stands twice on the line; keep one"));
                    }
                    w.other.push((letter, v));
                }
            }
        }
        if w.m.len() > 4 {
            return Err("more than four M words on the line; split it".into());
        }
        Ok(w)
    }
    pub(super) fn get(&self, letter: char) -> Option<f64> {
        self.other.iter().find(|o| o.0 == letter).map(|o| o.1)
    }
    pub(super) fn has_g(&self, code: u32) -> bool {
        self.g.contains(&code)
    }
}
