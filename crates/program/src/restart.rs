//! A program that was broken off, to be gone on with: where that is safe, from which line, and the text that does it.
//!
//! A controller that is told to begin in the middle knows neither cutter nor speed, coolant or place. So what those were at that line is worked out by reading from the
//! top, and the rest of the program is written anew with a beginning of its own: cutter, speed, above the place at the top, down, and on. It goes on where the
//! cutter last travelled at its highest level before the line, or where its step begins: whatever was cut since is gone over once more, in the air. (Common
//! practice, no source.)

use crate::act::{self, Act};
use crate::write::write;
use crate::{Heading, Program, ReadError, ReadSettings, Shape, Step, StepKind, read};
use geom::DVec3;
use path::motion::Cycle;
use reason::Sure;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Where it is gone on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum GoOn {
    /// Where the cutter last travelled above all.
    LastLift,
    /// Where the step begins: after a cutter broke, for what it left last is not known.
    Step,
}

/// The rest of a program.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Restart {
    /// Line of the first program on which it goes on.
    pub from_line: u32,
    /// The whole text.
    pub text: String,
    /// Cutter that is called.
    pub tool: u32,
    /// Speed at which it begins, 1/min.
    pub rpm: f64,
    /// The place above which it comes down, work coordinates, mm.
    pub above: [f64; 3],
    /// The operation that it belongs to, if any was told.
    pub operation: Option<String>,
    /// A tap or thread was in its hole: it is turned out by hand first.
    pub in_thread: bool,
}

/// Number of the last step at or before a line that moves in work coordinates.
fn reached(p: &Program, line: u32) -> Option<usize> {
    p.steps.iter().rposition(|s| s.line <= line && s.moves() && !s.machine)
}

/// Moves of one cutter, from its call or from a stop on.
fn section(p: &Program, at: usize) -> (usize, usize) {
    let border = |s: &Step| matches!(s.kind, StepKind::ToolChange | StepKind::Pause { .. });
    let from = p.steps[..=at].iter().rposition(border).map_or(0, |k| k + 1);
    let to = p.steps[at..].iter().position(border).map_or(p.steps.len(), |k| at + k);
    (from, to)
}

/// Steps at whose beginning the cutter stands above all that its section does: it comes down there, or travels on from there.
fn places(p: &Program, (from, to): (usize, usize)) -> Vec<usize> {
    let own = |s: &&Step| s.moves() && !s.machine;
    // It comes over its first place at the machine's top, then down.
    let Some(down) = (from..to).find(|k| own(&&p.steps[*k]) && p.steps[*k].to.z < p.steps[*k].from.z - 1e-9) else {
        return Vec::new();
    };
    let top = p.steps[down..to].iter().filter(own).map(|s| s.to.z).fold(f64::NEG_INFINITY, Sure::at_least);
    (down..to)
        .filter(|&k| {
            let s = &p.steps[k];
            let level = (s.to.z - s.from.z).abs() < 1e-9 && s.from.z > top - 1e-6;
            k == down || (own(&s) && s.kind == StepKind::Rapid && level)
        })
        .map(|k| p.holes.iter().find(|h| (h.first..=h.last).contains(&k)).map_or(k, |h| h.first))
        .collect()
}

/// Go on with a program that was broken off at a line of it. `operations`: ids of its steps, each with its first and last line.
///
/// # Errors
/// [`ReadError`] where the text cannot be followed, where nothing moves up to that line, or where the control has no words for what is left.
pub fn restart(
    text: &str,
    settings: &ReadSettings,
    heading: &Heading,
    operations: &[(String, [u32; 2])],
    line: u32,
    how: GoOn,
) -> Result<Restart, ReadError> {
    let program = read(text, settings)?;
    let at = reached(&program, line).filter(|k| program.steps[*k].tool != 0).ok_or_else(|| ReadError {
        line,
        what: "no cutter has moved up to here; run the program from its beginning".into(),
    })?;
    if line as usize > text.lines().count() {
        return Err(ReadError { line, what: "the program has no such line".into() });
    }
    let all = places(&program, section(&program, at));
    let operation = operations.iter().find(|(_, [a, b])| (*a..=*b).contains(&program.steps[at].line));
    let wanted = match (how, operation) {
        (GoOn::Step, Some((_, [first, _]))) => {
            let begins = program.steps.iter().position(|s| s.line >= *first).unwrap_or(at);
            all.iter()
                .copied()
                .find(|k| (begins..=at).contains(k))
                .or_else(|| all.iter().rfind(|k| **k <= begins).copied())
        }
        (GoOn::Step, None) => all.first().copied(),
        (GoOn::LastLift, _) => all.iter().rfind(|k| **k <= at).copied(),
    };
    let from = wanted.or_else(|| all.first().copied()).unwrap_or(at);
    let first = program.steps[from].clone();
    let tail = &program.steps[from..];
    // What hangs on it: its own height, or that of the section where it comes from the machine's top.
    let above = if first.to.z < first.from.z - 1e-9 { first.to } else { first.from };
    let quiet = |kind: StepKind, machine: bool, from: DVec3, to: DVec3| Step {
        line: first.line,
        kind,
        from,
        to,
        shape: Shape::Line,
        machine,
        ..first.clone()
    };
    let far = above + DVec3::Z * 1000.0;
    let mut steps = vec![
        Step { spindle: None, coolant: false, tool: 0, ..quiet(StepKind::Rapid, true, far, far) },
        Step { spindle: None, coolant: false, ..quiet(StepKind::ToolChange, false, far, far) },
        quiet(StepKind::Rapid, true, far, far),
        quiet(StepKind::Rapid, false, far - DVec3::X, far),
        quiet(StepKind::Rapid, false, far, above),
    ];
    let lead = steps.len();
    // The first of the tail begins where this one ends.
    steps.extend(
        tail.iter().enumerate().map(|(k, s)| if k == 0 { Step { from: above, ..s.clone() } } else { s.clone() }),
    );
    let holes = program.holes.iter().filter(|h| h.first >= from).cloned().map(|mut h| {
        (h.first, h.last) = (h.first - from + lead, h.last - from + lead);
        h
    });
    let rest = Program { steps, holes: holes.collect(), ..program.clone() };
    let mut acts = act::of_program(&rest, settings.zero_in_machine);
    // Over the place with the spindle at speed, at the machine's top.
    if let Some(k) = acts.list.iter().position(|(a, _)| matches!(a, Act::Rapid(_))) {
        acts.list.insert(k, (Act::Fresh, first.line));
    }
    let lines = [
        format!(
            "GOES ON FROM LINE {} OF {}",
            first.line,
            if heading.name.is_empty() { "THE PROGRAM" } else { &heading.name }
        ),
        format!("IT WAS BROKEN OFF AT LINE {line}"),
    ];
    let heading =
        Heading { lines: lines.into_iter().chain(heading.lines.iter().cloned()).collect(), ..heading.clone() };
    let written = write(&heading, &acts, &settings.dialect).map_err(|(k, what)| ReadError {
        line: acts.list.get(k).map_or(0, |a| a.1),
        what: format!("{}: {what}", settings.dialect.name),
    })?;
    let in_thread = program.holes.iter().any(|h| (h.first..=h.last).contains(&at) && h.cycle == Cycle::Tap);
    Ok(Restart {
        from_line: first.line,
        text: written.text,
        tool: first.tool,
        rpm: first.spindle.unwrap_or(0.0),
        above: above.to_array(),
        operation: operation.map(|o| o.0.clone()),
        in_thread,
    })
}
