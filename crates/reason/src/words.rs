//! Words with lengths in them. A length stands in a sentence as a marked number, in mm; whoever shows the sentence finds it by its marks,
//! not by what stands beside it, and writes it in the unit of the reader. What is not marked – names, threads, angles, counts – is never touched.
//!
//! The marks are two characters of Unicode's private use area, which no keyboard types: a sentence stays one string from its maker to the
//! screen. Where text leaves the product as text (command line, files, programs) [`plain`] takes them off.

use std::borrow::Cow;
use std::fmt::{Display, Formatter, Result, Write as _};

/// Before a length.
pub const OPEN: char = '\u{e000}';
/// After it.
pub const CLOSE: char = '\u{e001}';

/// A length in a sentence, mm: `format!("Grip {:.1} mm high", len(height))`. It takes the format that is asked of the number.
pub fn len<T: Display>(value: T) -> Len<T> {
    Len(value)
}

/// See [`len`].
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Len<T>(T);

impl<T: Display> Display for Len<T> {
    fn fmt(&self, f: &mut Formatter<'_>) -> Result {
        f.write_char(OPEN)?;
        self.0.fmt(f)?;
        f.write_char(CLOSE)
    }
}

/// A sentence without its marks: its lengths in mm.
pub fn plain(words: &str) -> Cow<'_, str> {
    if words.contains([OPEN, CLOSE]) { words.replace([OPEN, CLOSE], "").into() } else { words.into() }
}

/// A piece of a sentence.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Span<'a> {
    /// As it is.
    Text(&'a str),
    /// mm, with as many decimals as it was written with.
    Length(f64, usize),
}

/// A sentence in its pieces.
pub fn spans(words: &str) -> Vec<Span<'_>> {
    let mut out = Vec::new();
    let mut rest = words;
    while let Some((before, after)) = rest.split_once(OPEN) {
        let (number, tail) = after.split_once(CLOSE).unwrap_or((after, ""));
        if !before.is_empty() {
            out.push(Span::Text(before));
        }
        let decimals = number.split_once('.').map_or(0, |p| p.1.len());
        // What is marked and no number stays as it stands.
        out.push(number.parse().map_or(Span::Text(number), |v| Span::Length(v, decimals)));
        rest = tail;
    }
    if !rest.is_empty() {
        out.push(Span::Text(rest));
    }
    out
}

/// A sentence as text, its lengths in mm or in inch; a unit that stands behind a length goes with it.
pub fn said(words: &str, inch: bool) -> Cow<'_, str> {
    if !inch {
        return plain(words);
    }
    let mut out = String::new();
    let mut after_length = false;
    for s in spans(words) {
        match s {
            Span::Text(t) => {
                let unit = t
                    .strip_prefix(" mm")
                    .filter(|r| !r.starts_with(|c: char| c.is_alphanumeric() || "²³/".contains(c)));
                match unit.filter(|_| after_length) {
                    Some(rest) => {
                        out.push_str(" in");
                        out.push_str(rest);
                    }
                    None => out.push_str(t),
                }
                after_length = false;
            }
            Span::Length(mm, decimals) => {
                let decimals = if decimals + 2 > 3 { decimals + 2 } else { 3 };
                let number = format!("{:.decimals$}", mm / 25.4);
                let number = number.trim_end_matches('0').trim_end_matches('.');
                out.push_str(if number.is_empty() || number == "-" { "0" } else { number });
                after_length = true;
            }
        }
    }
    out.into()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lengths_keep_their_format_and_can_be_told_from_other_numbers() {
        let s = format!("M4 in {:.2} mm, 2 × Ø{} at 30°", len(3.0), len(String::from("4.5")));
        assert_eq!(plain(&s), "M4 in 3.00 mm, 2 × Ø4.5 at 30°");
        assert_eq!(
            spans(&s),
            [
                Span::Text("M4 in "),
                Span::Length(3.0, 2),
                Span::Text(" mm, 2 × Ø"),
                Span::Length(4.5, 1),
                Span::Text(" at 30°")
            ]
        );
        assert!(matches!(plain("Plate 10 mm"), Cow::Borrowed(_)));
        assert_eq!(spans("Plate 10 mm"), [Span::Text("Plate 10 mm")]);
        assert_eq!(spans(&format!("{:+}", len(0.021))), [Span::Length(0.021, 3)]);
        assert_eq!(spans(&format!("{}", len("thick"))), [Span::Text("thick")]);
    }

    #[test]
    fn a_reader_in_inch_gets_inch_and_names_stay() {
        let s = format!("Plate 10 mm: Ø{} in {:.1} mm of mm²", len("25.4"), len(12.7));
        assert_eq!(said(&s, true), "Plate 10 mm: Ø1 in 0.5 in of mm²");
        assert_eq!(said(&s, false), "Plate 10 mm: Ø25.4 in 12.7 mm of mm²");
        assert_eq!(said(&format!("Cast {}–{} mm over", len(2.0), len(4.0)), true), "Cast 0.079–0.157 in over");
        assert_eq!(said(&format!("({} to {} mm)", len(-330.0), len(0.0)), true), "(-12.992 to 0 in)");
    }
}
