//! A program told line by line, in plain words and with what comes of it.

use crate::lex::{self, Value};
use crate::{LANGUAGE, Program, ReadError, ReadSettings, Shape, StepKind, read};
use serde::Serialize;
use shop::dialect::{Arcs, Dialect, Dwell, LengthOffset, Point, Tapping};
use ts_rs::TS;

/// A line and what it does.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, TS)]
pub struct Told {
    /// From 1.
    pub line: u32,
    /// As it stands.
    pub text: String,
    /// What its words say.
    pub words: String,
    /// What comes of it: where it goes, how far, how fast.
    pub comes: String,
}

fn short(v: f64) -> String {
    let s = format!("{v:.3}");
    let s = s.trim_end_matches('0').trim_end_matches('.');
    if s == "-0" { "0".into() } else { s.into() }
}

fn says(line: &lex::Line) -> String {
    let mut out: Vec<String> = Vec::new();
    if line.skip {
        out.push("may be left out by the switch".into());
    }
    if let Some(name) = &line.label {
        out.push(format!("program {name}"));
    }
    for (letter, value) in &line.words {
        let Value::Number(v, _) = value else {
            out.push(format!("{letter} worked out"));
            continue;
        };
        let code = format!("{letter}{}", short(*v));
        let known = LANGUAGE.iter().find(|m| m.word == code);
        match (letter, known) {
            ('G' | 'M', Some(m)) => out.push(m.says.into()),
            ('G' | 'M', None) => out.push(code),
            ('T', _) => out.push(format!("cutter {code}")),
            ('S', _) => out.push(format!("{} turns a minute", short(*v))),
            _ => {}
        }
    }
    out.extend(line.sets.iter().map(|_| "a variable is set".into()));
    if line.flow.is_some() {
        out.push("decides where to go on".into());
    }
    out.extend(line.comments.iter().filter(|c| !c.is_empty()).map(|c| format!("says: {c}")));
    out.join("; ")
}

/// What the steps of a line come to.
fn comes(p: &Program, line: u32, at: &mut usize) -> String {
    let (mut rapid, mut feed, mut last, mut rates) = (0.0, 0.0, None, Vec::new());
    let mut more: Vec<String> = Vec::new();
    while let Some(s) = p.steps.get(*at).filter(|s| s.line == line) {
        match &s.kind {
            StepKind::Rapid => rapid += s.length(),
            StepKind::Feed { feed: f } => {
                feed += s.length();
                if !rates.contains(&f.round()) {
                    rates.push(f.round());
                }
            }
            StepKind::Dwell { seconds } => more.push(format!("waits {} s", short(*seconds))),
            StepKind::Pause { .. } | StepKind::ToolChange | StepKind::Note { .. } => {}
        }
        if s.moves() {
            last = Some(s);
        }
        *at += 1;
    }
    let Some(s) = last else { return more.join("; ") };
    let to = if s.machine {
        "to the top, in machine coordinates".to_string()
    } else {
        format!("to X{} Y{} Z{}", short(s.to.x), short(s.to.y), short(s.to.z))
    };
    more.push(to);
    if let Shape::Arc { center, sweep } = s.shape {
        let r = short(s.from.truncate().distance(center));
        more.push(format!(
            "{}° around X{} Y{}, radius {r}",
            short(sweep.to_degrees()),
            short(center.x),
            short(center.y)
        ));
    }
    if rapid > 0.0 {
        more.push(format!("{} mm at rapid", short(rapid)));
    }
    if feed > 0.0 {
        let rates: Vec<String> = rates.iter().map(|r| format!("{r:.0}")).collect();
        more.push(format!("{} mm at {} mm/min", short(feed), rates.join(" and ")));
    }
    more.join("; ")
}

/// Tell a program line by line; lengths mm in work coordinates. A line that is run more than once is told as it is run first.
///
/// # Errors
/// [`ReadError`] at the first line that cannot be followed.
pub fn explain(text: &str, settings: &ReadSettings) -> Result<(Program, Vec<Told>), ReadError> {
    let program = read(text, settings)?;
    let mut first: std::collections::BTreeMap<u32, usize> = std::collections::BTreeMap::new();
    for (k, s) in program.steps.iter().enumerate() {
        first.entry(s.line).or_insert(k);
    }
    let told = (1..).zip(text.lines()).map(|(line, raw)| {
        let words = lex::line(raw).map(|l| says(&l)).unwrap_or_default();
        let comes = first.get(&line).map(|k| comes(&program, line, &mut k.clone())).unwrap_or_default();
        Told { line, text: raw.trim_end().into(), words, comes }
    });
    let told = told.collect();
    Ok((program, told))
}

/// A control in a few words: what is particular about its programs.
pub fn particulars(d: &Dialect) -> String {
    let unit = if d.inch { "inch" } else { "mm" };
    let point = match d.point {
        Point::Always => "a point in every number",
        Point::Needed => "a point where it is needed",
        Point::Full => "all digits",
        Point::None => "whole increments",
    };
    let arcs = match d.arcs {
        Arcs::Centre => "arcs by I and J",
        Arcs::AbsoluteCentre => "arcs by their centre",
        Arcs::Radius => "arcs by R",
        Arcs::Chords => "no arcs",
    };
    let length = if d.length == LengthOffset::G43 { "G43" } else { "length with the cutter" };
    let tap = match d.tapping {
        Tapping::Cycle => "G84",
        Tapping::CycleByTurn => "G84 by the turn",
        Tapping::Threading => "taps by G33",
        Tapping::WrittenOut => "taps written out",
    };
    let dwell = if d.dwell == Dwell::PMilliseconds { "waits in ms" } else { "waits in s" };
    format!("{unit}, {point}, {arcs}, {length}, {tap}, {dwell}")
}
