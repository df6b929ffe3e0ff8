//! One line of text into words and comments.

/// A line taken apart.
#[derive(Debug, Default, PartialEq)]
pub(crate) struct Line {
    pub words: Vec<(char, f64)>,
    pub comments: Vec<String>,
}

/// Words of a line; blanks do not count outside comments, nor does case. The error says what is wrong with it.
pub(crate) fn line(text: &str) -> Result<Line, String> {
    let mut out = Line::default();
    let mut chars = text.chars().filter(|c| !matches!(c, '\r' | '\u{feff}')).peekable();
    let mut seen_any = false;
    while let Some(c) = chars.next() {
        match c {
            ' ' | '\t' => {}
            '%' => {}
            ';' => {
                out.comments.push(chars.by_ref().collect::<String>().trim().to_string());
            }
            '(' => {
                let mut comment = String::new();
                loop {
                    match chars.next() {
                        Some(')') => break,
                        Some('(') => return Err("a comment opens inside a comment; close the first one".into()),
                        Some(c) => comment.push(c),
                        None => return Err("a comment is not closed; add the ')'".into()),
                    }
                }
                out.comments.push(comment.trim().to_string());
            }
            '/' if !seen_any => {}
            '#' => return Err("variables are not part of this dialect; write the number".into()),
            '[' => return Err("expressions are not part of this dialect; write the number".into()),
            c if c.is_ascii_alphabetic() => {
                let letter = c.to_ascii_uppercase();
                if letter == 'O' {
                    return Err("subprograms (O words) are not part of this dialect; write the motion out".into());
                }
                let mut number = String::new();
                while let Some(&d) = chars.peek() {
                    match d {
                        ' ' | '\t' => {}
                        '+' | '-' if number.is_empty() => number.push(d),
                        '0'..='9' | '.' => number.push(d),
                        _ => break,
                    }
                    chars.next();
                }
                if let Some('#' | '[') = chars.peek() {
                    return Err(format!(
                        "{letter} is given by a variable or expression, which this dialect does not have; write the number"
                    ));
                }
                let value: f64 = number.parse().map_err(|_| format!("{letter} has no number ('{number}')"))?;
                if !value.is_finite() || value.abs() > 1e7 {
                    return Err(format!("{letter}{number} is out of all range"));
                }
                out.words.push((letter, value));
            }
            c => return Err(format!("'{c}' is not part of the language")),
        }
        seen_any |= !c.is_whitespace();
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// NISTIR 6556: case and blanks are ignored outside comments.
    #[test]
    fn blanks_and_case_do_not_count() {
        let l = line("g0x +0. 12 34y 7").unwrap();
        assert_eq!(l.words, vec![('G', 0.0), ('X', 0.1234), ('Y', 7.0)]);
    }

    #[test]
    fn what_the_dialect_lacks_is_refused_by_name() {
        for (text, word) in [
            ("#1=3", "variables"),
            ("G0 X[1+2]", "variable or expression"),
            ("o100 call", "subprograms"),
            ("G0 X", "no number"),
            ("(a (b)", "inside"),
            ("(a", "not closed"),
            ("G1 X1 & Y2", "'&'"),
        ] {
            assert!(line(text).unwrap_err().contains(word), "{text}");
        }
    }
}
