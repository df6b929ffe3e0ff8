//! From line to line: labels, jumps, loops and subprograms, all bounded.

use super::state::{After, State};
use super::words::Words;
use super::{Program, ReadError, ReadSettings, Shape, StepKind};
use crate::lex::{self, Expr, Flow, Line, Value};
use std::collections::BTreeMap;

/// Most calls in one another.
const DEEPEST: usize = 10;

/// A subprogram that is being run.
struct Frame {
    back_to: usize,
    begins: usize,
    left: u32,
}

struct Text {
    lines: Vec<Result<Line, String>>,
    labels: BTreeMap<String, usize>,
    numbers: BTreeMap<u64, usize>,
    marks: Vec<bool>,
}

impl Text {
    fn of(text: &str) -> Text {
        let mut t = Text { lines: Vec::new(), labels: BTreeMap::new(), numbers: BTreeMap::new(), marks: Vec::new() };
        for (k, raw) in text.lines().enumerate() {
            let line = lex::line(raw);
            t.marks.push(raw.trim_start_matches('\u{feff}').trim() == "%");
            if let Ok(l) = &line {
                if let Some(name) = &l.label {
                    t.labels.entry(trimmed(name)).or_insert(k);
                }
                if let Some((_, Value::Number(n, _))) = l.words.iter().find(|w| w.0 == 'N')
                    && *n >= 0.0
                {
                    t.numbers.entry(*n as u64).or_insert(k);
                }
            }
            t.lines.push(line);
        }
        t
    }
    /// The END of a WHILE, or the WHILE of an END.
    fn partner(&self, at: usize, id: u32, forwards: bool) -> Option<usize> {
        let mut open = 0;
        let mut k = at;
        loop {
            k = if forwards { k + 1 } else { k.checked_sub(1)? };
            match self.lines.get(k)?.as_ref().ok().and_then(|l| l.flow.as_ref()) {
                Some(Flow::While(_, n)) if *n == id => {
                    if !forwards && open == 0 {
                        return Some(k);
                    }
                    open += if forwards { 1 } else { -1 };
                }
                Some(Flow::End(n)) if *n == id => {
                    if forwards && open == 0 {
                        return Some(k);
                    }
                    open += if forwards { -1 } else { 1 };
                }
                _ => {}
            }
        }
    }
}

fn trimmed(name: &str) -> String {
    let t = name.trim_start_matches('0');
    if t.is_empty() { "0".into() } else { t.into() }
}

/// Run a text.
pub(super) fn run(source: &str, settings: &ReadSettings) -> Result<Program, ReadError> {
    let text = Text::of(source);
    let mut s = State::new(settings);
    let mut p = Program {
        steps: Vec::new(),
        ended: false,
        inch: settings.dialect.inch,
        holes: Vec::new(),
        extensions: Vec::new(),
    };
    let mut frames: Vec<Frame> = Vec::new();
    let (mut k, mut run, mut marks) = (0, 0, 0);
    while k < text.lines.len() {
        let number = k as u32 + 1;
        let fail = |what: String| ReadError { line: number, what };
        run += 1;
        if run > settings.most_steps {
            return Err(fail("the program runs through more lines than can be followed; does a loop end?".into()));
        }
        if text.marks[k] {
            marks += 1;
            if marks == 2 {
                p.ended = true;
                break;
            }
            k += 1;
            continue;
        }
        let line = text.lines[k].as_ref().map_err(|e| fail(e.clone()))?;
        if line.skip && settings.skip {
            k += 1;
            continue;
        }
        for c in &line.comments {
            s.note(&mut p, number, c);
        }
        if let Some(flow) = &line.flow {
            k = jump(&text, k, flow, &mut s, &mut p).map_err(fail)?;
            continue;
        }
        let words = Words::of(line, &s).map_err(fail)?;
        s.assign(&line.sets).map_err(fail)?;
        let after = s.line(&words, number, &mut p).map_err(fail)?;
        if p.steps.len() > settings.most_steps {
            return Err(fail("the program has more motions than can be followed; split it".into()));
        }
        match after {
            After::Next => k += 1,
            After::End => {
                p.ended = true;
                break;
            }
            After::Call { name, times } => {
                s.extension(&mut p, number, "M98");
                let Some(&at) = text.labels.get(&trimmed(&name)) else {
                    return Err(fail(format!(
                        "the subprogram {name} is not in this text; put it behind the end of the program, O{name} … M99"
                    )));
                };
                if frames.len() >= DEEPEST {
                    return Err(fail(format!("subprograms call one another more than {DEEPEST} deep")));
                }
                if times > 0 {
                    frames.push(Frame { back_to: k + 1, begins: at + 1, left: times - 1 });
                    k = at + 1;
                } else {
                    k += 1;
                }
            }
            After::Return => match frames.last_mut() {
                Some(f) if f.left > 0 => {
                    f.left -= 1;
                    k = f.begins;
                }
                Some(f) => {
                    k = f.back_to;
                    frames.pop();
                }
                None => {
                    return Err(fail("M99 outside a subprogram would begin the program again; end it with M30".into()));
                }
            },
        }
    }
    super::compensate::compensate(&mut p, &s.compensated)?;
    p.holes.retain(|h| h.last < p.steps.len());
    Ok(p)
}

fn jump(text: &Text, k: usize, flow: &Flow, s: &mut State, p: &mut Program) -> Result<usize, String> {
    let worth = |e: &Expr, s: &State| s.worth(e);
    let target = |e: &Expr, s: &State| -> Result<usize, String> {
        let n = worth(e, s)?;
        text.numbers.get(&(n.round() as u64)).copied().ok_or_else(|| format!("GOTO {n}: no line has that number"))
    };
    let line = k as u32 + 1;
    match flow {
        Flow::Goto(e) => {
            s.extension(p, line, "GOTO");
            target(e, s)
        }
        Flow::IfGoto(when, e) => {
            s.extension(p, line, "IF");
            if worth(when, s)? == 0.0 { Ok(k + 1) } else { target(e, s) }
        }
        Flow::While(when, id) => {
            s.extension(p, line, "WHILE");
            let end = text.partner(k, *id, true).ok_or_else(|| format!("WHILE … DO{id} has no END{id}"))?;
            Ok(if worth(when, s)? == 0.0 { end + 1 } else { k + 1 })
        }
        Flow::End(id) => text.partner(k, *id, false).ok_or_else(|| format!("END{id} has no WHILE … DO{id} before it")),
    }
}

impl State<'_> {
    /// A comment.
    fn note(&self, p: &mut Program, line: u32, text: &str) {
        self.push(p, line, StepKind::Note { text: text.into() }, self.pos, Shape::Line, false);
    }
}
