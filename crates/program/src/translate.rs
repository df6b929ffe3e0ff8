//! A program for one control, written anew for another: from what its text does, not from its letters.

use crate::act::{self, Act};
use crate::write::write;
use crate::{Heading, Posted, Promise, ReadError, ReadSettings, StepKind, read};
use shop::dialect::Dialect;

/// Write a program for another control. Comments keep the units that they were written in; all coordinates are those of the first zero; what a subprogram or
/// a loop did is written out. `promises` move to their new lines.
///
/// # Errors
/// [`ReadError`] where the text cannot be followed, or does what the other control has no words for.
pub fn translate(
    text: &str,
    settings: &ReadSettings,
    heading: &Heading,
    to: &Dialect,
    promises: &[Promise],
) -> Result<Posted, ReadError> {
    let mut program = read(text, settings)?;
    let says = |k: usize| match &program.steps[k].kind {
        StepKind::Note { text } => Some(text.clone()),
        _ => None,
    };
    // Comments at the top are the heading; the unit's line is written anew.
    let top: Vec<String> = (0..program.steps.len()).map_while(says).collect();
    let unit = |l: &String| l.starts_with("LENGTHS IN ");
    let heading = Heading { lines: top.iter().filter(|l| !unit(l)).cloned().collect(), ..heading.clone() };
    program.steps.drain(..top.len());
    for h in &mut program.holes {
        h.first -= top.len();
        h.last -= top.len();
    }
    let acts = act::of_program(&program, settings.zero_in_machine);
    let written = write(&heading, &acts, to).map_err(|(k, what)| ReadError {
        line: acts.list.get(k).map_or(0, |a| a.1),
        what: format!("{}: {what}", to.name),
    })?;
    let mut moved = Vec::new();
    for p in promises {
        let of = acts.list.iter().zip(&written.lines).filter(|((act, line), (first, last))| {
            (p.first_line..=p.last_line).contains(line) && first <= last && !matches!(act, Act::Fresh)
        });
        let lines = of.map(|(_, l)| *l).fold(None, |all: Option<(u32, u32)>, (a, b)| {
            Some(all.map_or((a, b), |(f, l)| (if a < f { a } else { f }, if b > l { b } else { l })))
        });
        if let Some((first_line, last_line)) = lines {
            moved.push(Promise { first_line, last_line, ..p.clone() });
        }
    }
    Ok(Posted { text: written.text, promises: moved, moves: Vec::new() })
}
