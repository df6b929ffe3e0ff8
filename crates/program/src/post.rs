//! The post: a plan's paths in, text out, with what each line promises.

use crate::act::{self, Of};
use crate::write::write;
use crate::{Posted, Promise};
use path::motion::Toolpath;
use shop::dialect::Dialect;

/// A line of the tool list.
#[derive(Debug, Clone)]
pub struct PostTool {
    /// Number.
    pub number: u32,
    /// Words: "flat end mill 6 mm, stick-out 20".
    pub words: String,
}

/// What stands above the motion.
#[derive(Debug, Clone, Default)]
pub struct Heading {
    /// The program's name.
    pub name: String,
    /// And number, from 1.
    pub number: u32,
    /// Lines of comment: part, setup, zero, holding.
    pub lines: Vec<String>,
    /// Tools in the order of use.
    pub tools: Vec<PostTool>,
    /// Where it stops for a person.
    pub stops: Vec<Stop>,
    /// What is tried while the piece is still clamped: an optional stop (M1) at the end.
    pub tried: Vec<String>,
    /// Where the table is at the front, machine y, mm: for controls that send it there at the end.
    pub table_forward_mm: Option<f64>,
}

/// A place where the program stops until a person starts it again (M0).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stop {
    /// Before the path of this number, from 0.
    pub before: usize,
    /// What is done there.
    pub lines: Vec<String>,
}

/// A path that a control cannot be told.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{control} cannot be told '{title}': {what}")]
pub struct PostError {
    /// The control.
    pub control: String,
    /// Title of the operation.
    pub title: String,
    /// Why.
    pub what: String,
}

/// A promise of engagement is rounded up to a degree, so that it is never sharper than what was planned.
fn degrees(limit: Option<f64>) -> Option<f64> {
    limit.map(|a| (a.to_degrees() - 1e-6).ceil())
}

/// The promises of the operations, as their lines are written.
struct Promises {
    done: Vec<Promise>,
    open: Option<Promise>,
}

impl Promises {
    /// From line `first` on `path` keeps this limit.
    fn begin(&mut self, path: &Toolpath, limit: Option<f64>, first: u32) {
        let engagement_deg = degrees(limit);
        if self.open.as_ref().is_some_and(|p| p.operation == path.op && p.engagement_deg == engagement_deg) {
            return;
        }
        self.close(first - 1);
        self.open = Some(Promise {
            operation: path.op.clone(),
            first_line: first,
            last_line: 0,
            tool: path.tool,
            engagement_deg,
            coolant: path.coolant.word().into(),
            power_kw: path.power_kw,
        });
    }
    fn close(&mut self, lines: u32) {
        if let Some(mut p) = self.open.take()
            && lines >= p.first_line
        {
            p.last_line = lines;
            self.done.push(p);
        }
    }
}

/// The program of one setup. Each operation's first move must be a rapid to a safe height above its first point.
///
/// # Errors
/// [`PostError`] where the control has no words for what a path does.
pub fn post(heading: &Heading, paths: &[Toolpath], dialect: &Dialect) -> Result<Posted, PostError> {
    let acts = act::of_paths(heading, paths);
    let written = write(heading, &acts, dialect).map_err(|(k, what)| {
        let path = acts.list[..=k].iter().rev().find_map(|(_, of)| match of {
            Of::Path(p, _) | Of::Move(p, _) => paths.get(*p),
            _ => None,
        });
        PostError { control: dialect.name.clone(), title: path.map(|p| p.title.clone()).unwrap_or_default(), what }
    })?;
    let mut promises = Promises { done: Vec::new(), open: None };
    let mut moves: Vec<(u32, usize, usize)> = Vec::new();
    for ((_, of), (first, last)) in acts.list.iter().zip(&written.lines) {
        match of {
            Of::Frame => {}
            Of::Between => promises.close(first - 1),
            Of::Path(k, limit) => promises.begin(&paths[*k], *limit, *first),
            Of::Move(k, n) => moves.extend((*first..=*last).map(|l| (l, *k, *n))),
        }
    }
    promises.close(written.text.lines().count() as u32);
    Ok(Posted { text: written.text, promises: promises.done, moves })
}
