//! One line of text into words, assignments and comments. Numbers may be expressions (NISTIR 6556, section 3.3.2).

/// A number, or what makes one when the line is run.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Value {
    /// As written, and whether it has a point.
    Number(f64, bool),
    /// To be worked out.
    Expr(Expr),
}

/// An expression.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Expr {
    Number(f64),
    /// #n
    Parameter(Box<Expr>),
    Unary(Unary, Box<Expr>),
    Binary(Binary, Box<Expr>, Box<Expr>),
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Unary {
    Negative,
    Abs,
    Acos,
    Asin,
    Cos,
    Exp,
    Fix,
    Fup,
    Ln,
    Round,
    Sin,
    Sqrt,
    Tan,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Binary {
    Power,
    Divide,
    Modulo,
    Times,
    And,
    Xor,
    Minus,
    Or,
    Plus,
    /// Comparisons: an extension.
    Equal,
    NotEqual,
    Greater,
    GreaterEqual,
    Less,
    LessEqual,
    /// ATAN[a]/[b]
    Atan,
}

/// What leads a program through its lines: extensions, not in NISTIR 6556.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Flow {
    /// GOTO n
    Goto(Expr),
    /// IF [c] GOTO n
    IfGoto(Expr, Expr),
    /// WHILE [c] DO n
    While(Expr, u32),
    /// END n
    End(u32),
}

/// A line taken apart.
#[derive(Debug, Default, PartialEq)]
pub(crate) struct Line {
    pub words: Vec<(char, Value)>,
    /// #n = value, all worked out before any is set.
    pub sets: Vec<(Expr, Expr)>,
    pub comments: Vec<String>,
    /// It begins with "/".
    pub skip: bool,
    pub flow: Option<Flow>,
    /// A program or subprogram begins here: its number or name.
    pub label: Option<String>,
}

/// Most brackets and powers in one another.
const DEEPEST: u32 = 40;

struct Chars {
    c: Vec<char>,
    k: usize,
    deep: u32,
}

impl Chars {
    fn peek(&mut self) -> Option<char> {
        while matches!(self.c.get(self.k), Some(' ' | '\t' | '\r' | '\u{feff}')) {
            self.k += 1;
        }
        self.c.get(self.k).copied()
    }
    fn take(&mut self) -> Option<char> {
        let c = self.peek();
        self.k += usize::from(c.is_some());
        c
    }
    /// The word that comes, capitals, if it is this one.
    fn word(&mut self, w: &str) -> bool {
        let from = self.k;
        for want in w.chars() {
            if self.take().map(|c| c.to_ascii_uppercase()) != Some(want) {
                self.k = from;
                return false;
            }
        }
        true
    }
    fn digits(&mut self, signed: bool) -> Option<(f64, bool)> {
        let from = self.k;
        let mut s = String::new();
        while let Some(c) = self.peek() {
            match c {
                '+' | '-' if signed && s.is_empty() => s.push(c),
                '0'..='9' | '.' => s.push(c),
                _ => break,
            }
            self.k += 1;
        }
        let v = s.parse::<f64>().ok();
        if v.is_none() {
            self.k = from;
        }
        v.map(|v| (v, s.contains('.')))
    }
    /// A value that may be signed: number, parameter, function or bracket.
    fn primary(&mut self) -> Result<Expr, String> {
        self.deep += 1;
        if self.deep > DEEPEST {
            return Err("brackets stand in one another too deep".into());
        }
        let out = self.primary_inner();
        self.deep -= 1;
        out
    }
    fn primary_inner(&mut self) -> Result<Expr, String> {
        match self.peek() {
            Some('+') => {
                self.take();
                self.primary()
            }
            Some('-') => {
                self.take();
                Ok(Expr::Unary(Unary::Negative, Box::new(self.primary()?)))
            }
            Some('#') => {
                self.take();
                if self.peek() == Some('<') {
                    return Err("named variables are not read; write the number".into());
                }
                Ok(Expr::Parameter(Box::new(self.primary()?)))
            }
            Some('[') => {
                self.take();
                let e = self.expression(0)?;
                if self.take() == Some(']') { Ok(e) } else { Err("a '[' is not closed; add the ']'".into()) }
            }
            Some('0'..='9' | '.') => {
                self.digits(false).map(|d| Expr::Number(d.0)).ok_or_else(|| "that is no number".to_string())
            }
            _ => {
                if self.word("ATAN") {
                    let a = self.bracket("ATAN")?;
                    if self.take() != Some('/') {
                        return Err("ATAN is written ATAN[a]/[b]".into());
                    }
                    let b = self.bracket("ATAN")?;
                    return Ok(Expr::Binary(Binary::Atan, Box::new(a), Box::new(b)));
                }
                for (name, op) in [
                    ("ABS", Unary::Abs),
                    ("ACOS", Unary::Acos),
                    ("ASIN", Unary::Asin),
                    ("COS", Unary::Cos),
                    ("EXP", Unary::Exp),
                    ("FIX", Unary::Fix),
                    ("FUP", Unary::Fup),
                    ("LN", Unary::Ln),
                    ("ROUND", Unary::Round),
                    ("SIN", Unary::Sin),
                    ("SQRT", Unary::Sqrt),
                    ("TAN", Unary::Tan),
                ] {
                    if self.word(name) {
                        return Ok(Expr::Unary(op, Box::new(self.bracket(name)?)));
                    }
                }
                Err("a number, '#', '[' or a function such as SQRT is missing".into())
            }
        }
    }
    fn bracket(&mut self, of: &str) -> Result<Expr, String> {
        if self.peek() == Some('[') {
            self.primary()
        } else {
            Err(format!("{of} is followed by its value in brackets"))
        }
    }
    fn operator(&mut self) -> Option<(Binary, u8)> {
        // NISTIR 6556, table 6: powers first, then × ÷ MOD, then all the others; comparisons (an extension) last.
        for (name, op, rank) in [
            ("**", Binary::Power, 4),
            ("*", Binary::Times, 3),
            ("/", Binary::Divide, 3),
            ("MOD", Binary::Modulo, 3),
            ("+", Binary::Plus, 2),
            ("-", Binary::Minus, 2),
            ("AND", Binary::And, 2),
            ("XOR", Binary::Xor, 2),
            ("OR", Binary::Or, 2),
            ("EQ", Binary::Equal, 1),
            ("NE", Binary::NotEqual, 1),
            ("GE", Binary::GreaterEqual, 1),
            ("GT", Binary::Greater, 1),
            ("LE", Binary::LessEqual, 1),
            ("LT", Binary::Less, 1),
        ] {
            if self.word(name) {
                return Some((op, rank));
            }
        }
        None
    }
    fn expression(&mut self, least: u8) -> Result<Expr, String> {
        let mut left = self.primary()?;
        loop {
            let from = self.k;
            let Some((op, rank)) = self.operator() else { return Ok(left) };
            if rank <= least {
                self.k = from;
                return Ok(left);
            }
            // All go from left to right.
            let right = self.expression(rank)?;
            left = Expr::Binary(op, Box::new(left), Box::new(right));
        }
    }
}

fn comment(c: &mut Chars) -> Result<String, String> {
    let mut s = String::new();
    while let Some(&d) = c.c.get(c.k) {
        c.k += 1;
        match d {
            ')' => return Ok(s.trim().to_string()),
            '(' => return Err("a comment opens inside a comment; close the first one".into()),
            '\r' | '\u{feff}' => {}
            d => s.push(d),
        }
    }
    Err("a comment is not closed; add the ')'".into())
}

/// Words of a line; blanks do not count outside comments, nor does case. The error says what is wrong with it.
pub(crate) fn line(text: &str) -> Result<Line, String> {
    let mut out = Line::default();
    let mut c = Chars { c: text.chars().collect(), k: 0, deep: 0 };
    let mut first = true;
    while let Some(d) = c.take() {
        let begins = std::mem::replace(&mut first, false);
        match d {
            '%' if begins => {
                // A name may stand behind it.
                let name: String = c.c[c.k..].iter().collect();
                out.label = Some(name.trim().to_string()).filter(|n| !n.is_empty());
                break;
            }
            ';' => {
                let rest: String = c.c[c.k..].iter().collect();
                out.comments.push(rest.trim().to_string());
                break;
            }
            '(' => {
                out.comments.push(comment(&mut c)?);
                first = begins;
            }
            '/' if begins => {
                out.skip = true;
                // Its number, where there are several switches.
                if matches!(c.c.get(c.k), Some('1'..='9')) {
                    c.k += 1;
                }
            }
            ':' if begins => {
                let n = c.digits(false).ok_or("':' is followed by the program's number")?;
                out.label = Some(format!("{:.0}", n.0));
            }
            '#' => {
                if c.peek() == Some('<') {
                    return Err("named variables are not read; number it (#100)".into());
                }
                let which = c.primary()?;
                if c.take() != Some('=') {
                    return Err("a variable that stands alone is set: #100 = 3".into());
                }
                let value = c.expression(0)?;
                out.sets.push((which, value));
            }
            '[' => return Err("an expression belongs to a letter: X[1 + 2]".into()),
            d if d.is_ascii_alphabetic() => {
                c.k -= 1;
                if flow(&mut c, &mut out)? {
                    continue;
                }
                c.k += 1;
                let letter = d.to_ascii_uppercase();
                let value = match c.peek() {
                    Some('#' | '[') => Value::Expr(c.primary()?),
                    Some('-' | '+') if matches!(after_sign(&c), Some('#' | '[')) => Value::Expr(c.primary()?),
                    _ => match c.digits(true) {
                        Some((v, point)) => Value::Number(v, point),
                        None if c.peek().is_some_and(|x| x.is_ascii_alphabetic()) => match c.primary() {
                            Ok(e) => Value::Expr(e),
                            Err(_) => return Err(format!("{letter} has no number")),
                        },
                        None => return Err(format!("{letter} has no number")),
                    },
                };
                if let Value::Number(v, _) = value
                    && (!v.is_finite() || v.abs() > 1e9)
                {
                    return Err(format!("{letter}{v} is out of all range"));
                }
                if letter == 'O' {
                    let Value::Number(n, _) = value else { return Err("O has a number".into()) };
                    out.label = Some(format!("{n:.0}"));
                } else {
                    out.words.push((letter, value));
                }
            }
            d => return Err(format!("'{d}' is not part of the language")),
        }
    }
    Ok(out)
}

/// What comes after a sign, not taken.
fn after_sign(c: &Chars) -> Option<char> {
    c.c[c.k..].iter().skip(1).find(|x| !matches!(x, ' ' | '\t')).copied()
}

fn whole_number(c: &mut Chars, of: &str) -> Result<u32, String> {
    let n = c.digits(false).ok_or_else(|| format!("{of} is followed by a number"))?.0;
    if n.fract() == 0.0 && n < 1e6 { Ok(n as u32) } else { Err(format!("{of} {n}: a whole number")) }
}

/// Words that lead through the lines.
fn flow(c: &mut Chars, out: &mut Line) -> Result<bool, String> {
    let found = if c.word("GOTO") {
        Flow::Goto(c.primary()?)
    } else if c.word("IF") {
        let when = c.bracket("IF")?;
        if !c.word("GOTO") {
            return Err("IF [condition] is followed by GOTO and a line's number".into());
        }
        Flow::IfGoto(when, c.primary()?)
    } else if c.word("WHILE") {
        let when = c.bracket("WHILE")?;
        if !c.word("DO") {
            return Err("WHILE [condition] is followed by DO and a number".into());
        }
        Flow::While(when, whole_number(c, "DO")?)
    } else if c.word("END") {
        Flow::End(whole_number(c, "END")?)
    } else {
        return Ok(false);
    };
    if out.flow.replace(found).is_some() {
        return Err("one GOTO, WHILE or END a line".into());
    }
    Ok(true)
}

/// A value worked out. `get`: what a parameter holds.
pub(crate) fn worth(e: &Expr, get: &dyn Fn(u32) -> Result<f64, String>) -> Result<f64, String> {
    let v = match e {
        Expr::Number(v) => *v,
        Expr::Parameter(n) => {
            let n = worth(n, get)?;
            if (n - n.round()).abs() > 1e-4 || !(1.0..=9999.0).contains(&n.round()) {
                return Err(format!("#{n} is no variable: they go from #1 to #9999"));
            }
            get(n.round() as u32)?
        }
        Expr::Unary(op, a) => {
            let a = worth(a, get)?;
            match op {
                Unary::Negative => -a,
                Unary::Abs => a.abs(),
                Unary::Acos if a.abs() > 1.0 => return Err(format!("ACOS[{a}]: only from −1 to 1")),
                Unary::Asin if a.abs() > 1.0 => return Err(format!("ASIN[{a}]: only from −1 to 1")),
                Unary::Acos => a.acos().to_degrees(),
                Unary::Asin => a.asin().to_degrees(),
                Unary::Cos => a.to_radians().cos(),
                Unary::Exp => a.exp(),
                Unary::Fix => a.floor(),
                Unary::Fup => a.ceil(),
                Unary::Ln if a <= 0.0 => return Err(format!("LN[{a}]: only above 0")),
                Unary::Ln => a.ln(),
                Unary::Round => a.round(),
                Unary::Sin => a.to_radians().sin(),
                Unary::Sqrt if a < 0.0 => return Err(format!("SQRT[{a}]: not below 0")),
                Unary::Sqrt => a.sqrt(),
                Unary::Tan => a.to_radians().tan(),
            }
        }
        Expr::Binary(op, a, b) => {
            let (a, b) = (worth(a, get)?, worth(b, get)?);
            let truth = |t: bool| f64::from(u8::from(t));
            match op {
                Binary::Power if a < 0.0 && b.fract() != 0.0 => {
                    return Err("a negative number has whole powers only".into());
                }
                Binary::Power => a.powf(b),
                Binary::Divide | Binary::Modulo if b == 0.0 => return Err("divided by 0".into()),
                Binary::Divide => a / b,
                // NISTIR 6556: never negative.
                Binary::Modulo => a.rem_euclid(b),
                Binary::Times => a * b,
                Binary::And => truth(a != 0.0 && b != 0.0),
                Binary::Xor => truth((a != 0.0) != (b != 0.0)),
                Binary::Or => truth(a != 0.0 || b != 0.0),
                Binary::Minus => a - b,
                Binary::Plus => a + b,
                Binary::Equal => truth((a - b).abs() < 1e-9),
                Binary::NotEqual => truth((a - b).abs() >= 1e-9),
                Binary::Greater => truth(a > b + 1e-9),
                Binary::GreaterEqual => truth(a >= b - 1e-9),
                Binary::Less => truth(a < b - 1e-9),
                Binary::LessEqual => truth(a <= b + 1e-9),
                Binary::Atan => a.atan2(b).to_degrees(),
            }
        }
    };
    if v.is_finite() { Ok(v) } else { Err("the value is out of all range".into()) }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn value(text: &str) -> Result<f64, String> {
        let l = line(&format!("X[{text}]"))?;
        let Some((_, Value::Expr(e))) = l.words.first() else { return Err("no expression".into()) };
        worth(e, &|n| Ok(f64::from(n) * 10.0))
    }

    /// NISTIR 6556: case and blanks are ignored outside comments.
    #[test]
    fn blanks_and_case_do_not_count() {
        let l = line("g0x +0. 12 34y 7").unwrap();
        let n = |v: f64, p| Value::Number(v, p);
        assert_eq!(l.words, vec![('G', n(0.0, false)), ('X', n(0.1234, true)), ('Y', n(7.0, false))]);
    }

    /// NISTIR 6556, 3.3.2.3 and 3.3.2.4: values, powers first, from left to right, angles in degrees.
    #[test]
    fn expressions_are_worked_out_as_published() {
        for (text, want) in [
            ("1 + 2 * 3 - 4 / 5", 6.2),
            ("2 ** 3 * 2", 16.0),
            ("2 ** 3 ** 2", 64.0),
            ("10 - 4 - 3", 3.0),
            ("15 mod 4.3", 2.1),
            ("-1 mod 4", 3.0),
            ("1 + acos[0]", 91.0),
            ("sin[30]", 0.5),
            ("atan[1]/[-1]", 135.0),
            ("sqrt[3] ** 2", 3.0),
            ("fix[2.8] + fup[-2.8]", 0.0),
            ("round[2.5]", 3.0),
            ("1 and 0 or 1", 1.0),
            ("1 xor 1", 0.0),
            ("#2 + ##1", 20.0 + 100.0),
            ("[1 + 2] * -3", -9.0),
            ("3 GT 2", 1.0),
        ] {
            let v = value(text).unwrap_or_else(|e| panic!("{text}: {e}"));
            assert!((v - want).abs() < 1e-9, "{text}: {v}, not {want}");
        }
        for (text, says) in [
            ("1 / 0", "divided"),
            ("sqrt[-1]", "SQRT"),
            ("1 +", "missing"),
            ("#0", "no variable"),
            ("ln[0]", "LN"),
            ("2", "x"),
            (&"[".repeat(99), "deep"),
        ] {
            match value(text) {
                Err(e) => assert!(e.contains(says), "{text}: {e}"),
                Ok(v) => assert_eq!(v, 2.0),
            }
        }
    }

    #[test]
    fn what_is_not_understood_is_refused_by_name() {
        for (text, word) in [
            ("#1", "set"),
            ("#<feed> = 3", "named"),
            ("G0 X", "no number"),
            ("(a (b)", "inside"),
            ("(a", "not closed"),
            ("G1 X1 & Y2", "'&'"),
            ("X[1+2", "not closed"),
            ("IF [1] X3", "GOTO"),
        ] {
            let e = line(text).unwrap_err();
            assert!(e.contains(word), "{text}: {e}");
        }
    }
}
