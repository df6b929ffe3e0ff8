//! What an edited text does other than the posted one, told by what comes of it and not by its letters.

use crate::{Posted, Program, Promise, ReadError, ReadSettings, Step, StepKind, anchor, lex, read};
use reason::len;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What sort of thing is other.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Other {
    /// An operation is left out.
    Skipped,
    /// Another cutter.
    Cutter,
    /// It goes deeper or less deep.
    Depth,
    /// It goes another way.
    Way,
    /// More or fewer moves.
    Moves,
    /// Another speed.
    Speed,
    /// Another feed.
    Feed,
    /// Coolant comes or goes.
    Coolant,
    /// Stops for a person, waits.
    Stops,
    /// Only comments, blanks, or how numbers are written.
    Words,
}

/// One consequence of an edit. What of it an operation's numbers can keep stands in `rpm`, `feed_share` and `tool`.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Consequence {
    /// Sort.
    pub other: Other,
    /// Id of the operation; empty where it is none's.
    pub operation: String,
    /// Line of the edited text where it begins; 0: nowhere.
    pub line: u32,
    /// In words.
    pub words: String,
    /// Speed that the operation has now, 1/min.
    pub rpm: Option<f64>,
    /// Its feed now ÷ its feed as posted.
    pub feed_share: Option<f64>,
    /// Cutter that it has now.
    pub tool: Option<u32>,
}

impl Consequence {
    fn new(other: Other, operation: &str, line: u32, words: String) -> Consequence {
        Consequence { other, operation: operation.into(), line, words, rpm: None, feed_share: None, tool: None }
    }
}

/// Differences below this are rounding, mm.
const SAME_MM: f64 = 1e-6;

fn cuts<'a>(steps: &[&'a Step]) -> Vec<(&'a Step, f64)> {
    steps.iter().filter_map(|s| if let StepKind::Feed { feed } = s.kind { Some((*s, feed)) } else { None }).collect()
}

/// Values that occur, the one over the most length first.
fn most(all: &[(f64, f64)]) -> Option<f64> {
    let mut seen: Vec<(f64, f64)> = Vec::new();
    for &(v, length) in all {
        match seen.iter_mut().find(|s| (s.0 - v).abs() <= 1e-6 * v.abs()) {
            Some(s) => s.1 += length,
            None => seen.push((v, length)),
        }
    }
    seen.into_iter().max_by(|a, b| a.1.total_cmp(&b.1)).map(|s| s.0)
}

struct Pair<'a> {
    operation: &'a str,
    was: Vec<&'a Step>,
    now: Vec<&'a Step>,
}

impl Pair<'_> {
    fn tell(&self, other: Other, line: u32, words: String) -> Consequence {
        Consequence::new(other, self.operation, line, words)
    }
    fn first(&self) -> u32 {
        self.now.first().map_or(0, |s| s.line)
    }

    fn speed(&self) -> Option<Consequence> {
        let of = |steps: &[&Step]| {
            most(&cuts(steps).iter().map(|(s, _)| (s.spindle.unwrap_or(0.0), s.length())).collect::<Vec<_>>())
        };
        let (was, now) = (of(&self.was)?, of(&self.now)?);
        let other = self.now.iter().find(|s| s.spindle.unwrap_or(0.0) != was).map_or(self.first(), |s| s.line);
        ((was - now).abs() > 0.5).then(|| Consequence {
            rpm: (now > 0.0).then_some(now),
            ..self.tell(Other::Speed, other, format!("the spindle turns {now:.0} instead of {was:.0} a minute"))
        })
    }

    fn feed(&self) -> Option<Consequence> {
        let (was, now) = (cuts(&self.was), cuts(&self.now));
        if was.len() != now.len() {
            return None;
        }
        let shares: Vec<(f64, f64)> = was.iter().zip(&now).map(|(a, b)| (b.1 / a.1, b.0.length())).collect();
        let changed: Vec<usize> = (0..shares.len()).filter(|k| (shares[*k].0 - 1.0).abs() > 1e-6).collect();
        let first = *changed.first()?;
        let length = |of: &mut dyn Iterator<Item = usize>| of.map(|k| shares[k].1).sum::<f64>();
        let whole = length(&mut (0..shares.len()));
        let part = length(&mut changed.iter().copied());
        let share = most(&changed.iter().map(|k| shares[*k]).collect::<Vec<_>>())?;
        let line = now[first].0.line;
        let from_to = format!("{:.0} instead of {:.0} mm/min", now[first].1, was[first].1);
        let nearly_all = part >= 0.8 * whole;
        let words = if changed.len() == shares.len() || nearly_all {
            format!("the feed is {:.0} % of what it was ({from_to})", share * 100.0)
        } else {
            format!("the feed is {from_to} over {} mm of {}", len(format!("{part:.0}")), len(format!("{whole:.0}")))
        };
        Some(Consequence { feed_share: nearly_all.then_some(share), ..self.tell(Other::Feed, line, words) })
    }

    fn depth(&self) -> Option<Consequence> {
        let lowest =
            |steps: &[&Step]| cuts(steps).into_iter().map(|(s, _)| (s.to.z, s.line)).min_by(|a, b| a.0.total_cmp(&b.0));
        let (was, now) = (lowest(&self.was)?, lowest(&self.now)?);
        let d = now.0 - was.0;
        (d.abs() > SAME_MM).then(|| {
            let more = if d < 0.0 { "deeper" } else { "less deep" };
            let words = format!(
                "it goes {} mm {more}: to Z {} instead of {}",
                len(format!("{:.3}", d.abs())),
                len(format!("{:.3}", now.0)),
                len(format!("{:.3}", was.0))
            );
            self.tell(Other::Depth, now.1, words)
        })
    }

    fn way(&self) -> Option<Consequence> {
        if self.was.len() != self.now.len() {
            let (was, now) = (self.was.len(), self.now.len());
            let said =
                if now > was { format!("{} moves more", now - was) } else { format!("{} moves fewer", was - now) };
            let first = self.was.iter().zip(&self.now).find(|(a, b)| a.to.distance(b.to) > SAME_MM);
            return Some(self.tell(Other::Moves, first.map_or(self.first(), |f| f.1.line), said));
        }
        let off = |k: usize| {
            let (a, b) = (self.was[k], self.now[k]);
            let ends = (a.to - b.to).truncate().length();
            // Between its ends too: an arc may be another. Where a rapid comes from is told with what was before it.
            let rapid = a.kind == StepKind::Rapid && b.kind == StepKind::Rapid;
            let middle = if rapid { 0.0 } else { (a.at(0.5) - b.at(0.5)).truncate().length() };
            if ends > middle { ends } else { middle }
        };
        let worst = (0..self.was.len()).map(|k| (off(k), self.now[k].line)).max_by(|a, b| a.0.total_cmp(&b.0))?;
        (worst.0 > SAME_MM).then(|| {
            self.tell(
                Other::Way,
                worst.1,
                format!("it goes another way, up to {} mm beside", len(format!("{:.3}", worst.0))),
            )
        })
    }

    fn rest(&self) -> Vec<Consequence> {
        let mut out = Vec::new();
        let tool = |steps: &[&Step]| steps.first().map_or(0, |s| s.tool);
        let (a, b) = (tool(&self.was), tool(&self.now));
        if a != b {
            out.push(Consequence {
                tool: Some(b),
                ..self.tell(Other::Cutter, self.first(), format!("it is cut with T{b} instead of T{a}"))
            });
        }
        let dry = |steps: &[&Step]| cuts(steps).iter().filter(|(s, _)| !s.coolant).count();
        let (a, b) = (dry(&self.was), dry(&self.now));
        if (a == 0) != (b == 0) {
            let line = self.now.iter().find(|s| s.coolant != (b > 0)).map_or(self.first(), |s| s.line);
            let words = if b > 0 { "it is cut without coolant" } else { "it is cut with coolant" };
            out.push(self.tell(Other::Coolant, line, words.into()));
        }
        out
    }

    fn all(&self) -> Vec<Consequence> {
        if cuts(&self.now).is_empty() && !cuts(&self.was).is_empty() {
            return vec![self.tell(Other::Skipped, 0, "it is left out".into())];
        }
        let mut out = self.rest();
        out.extend([self.depth(), self.way(), self.speed(), self.feed()].into_iter().flatten());
        out
    }
}

fn stops(was: &Program, now: &Program) -> Vec<Consequence> {
    let count = |p: &Program, f: &dyn Fn(&StepKind) -> bool| p.steps.iter().filter(|s| f(&s.kind)).count();
    let tell = |line: u32, words: String| Consequence::new(Other::Stops, "", line, words);
    let mut out = Vec::new();
    type Sort<'a> = (&'a str, &'a str, &'a dyn Fn(&StepKind) -> bool);
    let sorts: [Sort<'_>; 3] = [
        ("stop for a person", "stops for a person", &|k| *k == StepKind::Pause { optional: false }),
        ("stop if the switch says so", "stops if the switch says so", &|k| *k == StepKind::Pause { optional: true }),
        ("wait", "waits", &|k| matches!(k, StepKind::Dwell { .. })),
    ];
    for (one, many, sort) in sorts {
        let (a, b) = (count(was, sort), count(now, sort));
        if a != b {
            let n = a.abs_diff(b);
            let line = now.steps.iter().find(|s| sort(&s.kind)).map_or(0, |s| s.line);
            out.push(tell(
                line,
                format!("{n} {} {}", if n == 1 { one } else { many }, if b > a { "more" } else { "fewer" }),
            ));
        }
    }
    if was.ended && !now.ended {
        out.push(tell(0, "the program has no end (M30, M2)".into()));
    }
    out
}

/// Lines whose words are the same and whose comments are not, counted.
fn comments_only(was: &str, now: &str) -> usize {
    let bare = |t: &str| -> Vec<String> {
        let lines = t.lines().filter_map(|l| lex::line(l).ok());
        lines.map(|l| format!("{:?}", (l.words, l.sets, l.flow))).filter(|l| *l != "([], [], None)").collect()
    };
    let comments =
        |t: &str| -> Vec<String> { t.lines().filter_map(|l| lex::line(l).ok()).flat_map(|l| l.comments).collect() };
    if bare(was) != bare(now) {
        return 0;
    }
    let c = crate::changes(&comments(was).join("\n"), &comments(now).join("\n"));
    c.lines.len().max(c.gone as usize)
}

/// What an edited text does other than the posted one, operation by operation.
///
/// # Errors
/// [`ReadError`] where either cannot be followed.
pub fn consequences(posted: &Posted, edited: &str, settings: &ReadSettings) -> Result<Vec<Consequence>, ReadError> {
    let (was, now) = (read(&posted.text, settings)?, read(edited, settings)?);
    let anchored = anchor(posted, edited);
    let mut out = Vec::new();
    // An operation's promises follow one another; together they are its lines.
    let mut operations: Vec<&str> = posted.promises.iter().map(|p| p.operation.as_str()).collect();
    operations.dedup();
    for operation in operations {
        let all = |list: &[Promise], p: &Program| -> Vec<usize> {
            let mine = list.iter().filter(|x| x.operation == operation);
            let lines: Vec<(u32, u32)> = mine.map(|x| (x.first_line, x.last_line)).collect();
            (0..p.steps.len()).filter(|k| lines.iter().any(|l| (l.0..=l.1).contains(&p.steps[*k].line))).collect()
        };
        let pick = |p: &'_ Program, at: &[usize]| -> Vec<usize> {
            at.iter().copied().filter(|k| p.steps[*k].moves() && !p.steps[*k].machine).collect()
        };
        let (a, b) = (pick(&was, &all(&posted.promises, &was)), pick(&now, &all(&anchored.promises, &now)));
        let pair = Pair {
            operation,
            was: a.iter().map(|k| &was.steps[*k]).collect(),
            now: b.iter().map(|k| &now.steps[*k]).collect(),
        };
        out.extend(pair.all());
    }
    out.extend(stops(&was, &now));
    if out.is_empty() && posted.text != edited {
        let n = comments_only(&posted.text, edited);
        let words = if n > 0 {
            format!("{n} {} other: nothing else", if n == 1 { "comment is" } else { "comments are" })
        } else {
            "it moves as the posted one: only its writing is other".into()
        };
        out.push(Consequence::new(Other::Words, "", 0, words));
    }
    Ok(out)
}
