//! What a program does, between a text and the motion that it says: one act after the other, without the habits of any control. The post
//! writes acts for a dialect; acts come from a plan's paths, or from a text that was read.

use crate::{Heading, Program, Step, StepKind};
use geom::{DVec2, DVec3};
use path::motion::{Coolant, Cycle, Move, Toolpath};
use std::f64::consts::TAU;

/// Where an axis goes; none: it stays.
pub(crate) type Axes = [Option<f64>; 3];

/// One act. Lengths mm in work coordinates (of a machine move: the spindle nose in machine coordinates), feeds mm/min.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Act {
    /// Words for a person.
    Comment(String),
    /// What follows says its modal words anew.
    Fresh,
    /// In machine coordinates at rapid.
    Machine(Axes),
    /// The cutter in the spindle from here on.
    Call(u32),
    /// Speed, 1/min, negative counter-clockwise; 0 stops it.
    Spindle(f64),
    /// What cools from here on.
    Coolant(Coolant),
    /// At rapid.
    Rapid(Axes),
    /// At feed.
    Feed(Axes, f64),
    /// About a vertical axis; sweep in rad, positive counter-clockwise, more than 2π for several turns.
    Arc { to: DVec3, center: DVec2, sweep: f64, feed: f64 },
    /// Holes.
    Drill { at: Vec<DVec2>, clear: f64, start: f64, bottom: f64, cycle: Cycle, feed: f64 },
    /// A person is waited for.
    Stop { optional: bool },
    /// Seconds.
    Dwell(f64),
}

fn all(p: DVec3) -> Axes {
    p.to_array().map(Some)
}

const TOP: Act = Act::Machine([None, None, Some(0.0)]);

/// Acts, each with where it comes from.
#[derive(Debug, Default)]
pub(crate) struct Acts<T> {
    pub list: Vec<(Act, T)>,
}

impl<T: Copy> Acts<T> {
    fn put(&mut self, act: Act, of: T) {
        self.list.push((act, of));
    }
}

/// What an act of a plan's paths is: of which path it is the beginning or which of its moves, and what is promised from it on.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Of {
    /// Nothing's.
    Frame,
    /// From here on this path, with this limit of engagement, rad.
    Path(usize, Option<f64>),
    /// A move of it.
    Move(usize, usize),
    /// Here the promises of the last path end.
    Between,
}

/// Acts of the paths of a setup. Each path's first move must be a rapid to a safe height above its first point.
pub(crate) fn of_paths(heading: &Heading, paths: &[Toolpath]) -> Acts<Of> {
    let mut a = Acts { list: Vec::new() };
    a.put(TOP, Of::Frame);
    let mut tool = 0;
    let mut coolant = Coolant::Dry;
    let mut rpm = f64::NAN;
    let mut down = false;
    let mut stops = heading.stops.iter().peekable();
    for (k, path) in paths.iter().enumerate() {
        let first = path.moves.iter().find_map(|m| match m {
            Move::Rapid { to } | Move::Feed { to, .. } | Move::Arc { to, .. } => Some(*to),
            Move::Drill { at, clear, .. } => at.first().map(|p| p.extend(*clear)),
            Move::State { .. } => None,
        });
        if path.moves.is_empty() {
            continue;
        }
        a.put(Act::Fresh, Of::Between);
        let mut stopped = false;
        let quiet = |a: &mut Acts<Of>, coolant: &mut Coolant| {
            if *coolant != Coolant::Dry {
                a.put(Act::Coolant(Coolant::Dry), Of::Frame);
                *coolant = Coolant::Dry;
            }
            a.put(TOP, Of::Frame);
            a.put(Act::Spindle(0.0), Of::Frame);
        };
        while let Some(stop) = stops.next_if(|s| s.before <= k) {
            // The spindle stands still at the top before a person reaches in.
            quiet(&mut a, &mut coolant);
            for l in &stop.lines {
                a.put(Act::Comment(format!("STOP: {l}")), Of::Frame);
            }
            a.put(Act::Stop { optional: false }, Of::Frame);
            rpm = f64::NAN;
            down = false;
            stopped = true;
        }
        let title = Act::Comment(format!("STEP {}: {}", k + 1, path.title));
        if path.tool == tool {
            a.put(title, Of::Frame);
        } else {
            if tool != 0 && !stopped {
                quiet(&mut a, &mut coolant);
            }
            a.put(title, Of::Frame);
            a.put(Act::Call(path.tool), Of::Frame);
            a.put(TOP, Of::Frame);
            tool = path.tool;
            rpm = f64::NAN;
            down = false;
        }
        a.put(Act::Fresh, Of::Path(k, path.engagement_limit));
        if path.rpm.round() != rpm {
            rpm = path.rpm.round();
            a.put(Act::Spindle(rpm), Of::Frame);
        }
        let Some(first) = first else { continue };
        if !down {
            // After a change of the cutter: over the point first, at the top, then down with the length applied.
            a.put(Act::Rapid([Some(first.x), Some(first.y), None]), Of::Frame);
            a.put(Act::Rapid(all(first)), Of::Frame);
            down = true;
        }
        if path.coolant != coolant {
            // One is off before the other comes on.
            if coolant != Coolant::Dry {
                a.put(Act::Coolant(Coolant::Dry), Of::Frame);
            }
            if path.coolant != Coolant::Dry {
                a.put(Act::Coolant(path.coolant), Of::Frame);
            }
            coolant = path.coolant;
        }
        let mut at = first;
        for (n, m) in path.moves.iter().enumerate() {
            let of = Of::Move(k, n);
            match m {
                Move::Rapid { to } => a.put(Act::Rapid(all(*to)), of),
                Move::Feed { to, feed } => a.put(Act::Feed(all(*to), *feed), of),
                Move::Arc { to, center, ccw, feed } => {
                    let sweep = path::motion::turn_of(at.truncate() - *center, to.truncate() - *center, *ccw);
                    a.put(Act::Arc { to: *to, center: *center, sweep, feed: *feed }, of);
                }
                Move::State { words, engagement_limit } => {
                    a.put(Act::Comment(words.clone()), Of::Path(k, *engagement_limit));
                }
                Move::Drill { at, clear, start, bottom, cycle, feed } => a.put(
                    Act::Drill {
                        at: at.clone(),
                        clear: *clear,
                        start: *start,
                        bottom: *bottom,
                        cycle: *cycle,
                        feed: *feed,
                    },
                    of,
                ),
            }
            at = m.way(at).1;
        }
    }
    a.put(Act::Fresh, Of::Between);
    if coolant != Coolant::Dry {
        a.put(Act::Coolant(Coolant::Dry), Of::Frame);
    }
    a.put(TOP, Of::Frame);
    a.put(Act::Spindle(0.0), Of::Frame);
    if !heading.tried.is_empty() {
        for l in &heading.tried {
            a.put(Act::Comment(format!("BEFORE UNCLAMPING: {l}")), Of::Frame);
        }
        a.put(Act::Stop { optional: true }, Of::Frame);
    }
    a
}

/// Axes that a step moves.
fn moved(s: &Step) -> Axes {
    [0, 1, 2].map(|k| ((s.to[k] - s.from[k]).abs() > 1e-9).then_some(s.to[k]))
}

/// The same, and those in the plane that were not said since the cutter or a stop: so that each piece of a program stands by itself.
fn said(s: &Step, known: &mut [bool; 2]) -> Axes {
    let mut axes = moved(s);
    for k in 0..2 {
        if !known[k] {
            axes[k] = Some(s.to[k]);
        }
    }
    *known = [true; 2];
    axes
}

/// A tapped hole that is written out: straight down, the spindle turned round, straight up to where it began.
fn tapped(p: &Program, k: usize) -> Option<Act> {
    let (down, up) = (p.steps.get(k)?, p.steps.get(k + 1)?);
    let StepKind::Feed { feed } = down.kind else { return None };
    let upright = |s: &Step| {
        matches!(s.kind, StepKind::Feed { .. }) && !s.machine && s.from.truncate().distance(s.to.truncate()) < 1e-9
    };
    let round = down.spindle? > 0.0 && up.spindle? < 0.0;
    let there = down.to.z < down.from.z && (up.to.z - down.from.z).abs() < 1e-6;
    (upright(down) && upright(up) && round && there).then(|| Act::Drill {
        at: vec![down.to.truncate()],
        clear: down.from.z,
        start: down.from.z,
        bottom: down.to.z,
        cycle: Cycle::Tap,
        feed,
    })
}

/// Acts of a text that was read; each with its line.
pub(crate) fn of_program(p: &Program, zero_in_machine: DVec3) -> Acts<u32> {
    let mut a = Acts { list: Vec::new() };
    let (mut spindle, mut coolant, mut tool) = (0.0, Coolant::Dry, 0);
    let mut holes = p.holes.iter().peekable();
    let mut known = [false; 2];
    let mut k = 0;
    while let Some(s) = p.steps.get(k) {
        let line = s.line;
        if s.kind == StepKind::ToolChange {
            // Most controls stop the spindle at a change by themselves; it is said where it may turn.
            if spindle != 0.0 {
                a.put(Act::Spindle(0.0), line);
            }
            spindle = 0.0;
            known = [false; 2];
            if s.tool != tool {
                tool = s.tool;
                a.put(Act::Call(tool), line);
                a.put(Act::Fresh, line);
            }
            k += 1;
            continue;
        }
        let hole = holes.next_if(|h| h.first <= k);
        let turns = s.spindle.unwrap_or(0.0);
        // It begins to turn with the first move or wait that has it; it stands still from where the text says so.
        let waits = matches!(s.kind, StepKind::Dwell { .. });
        if turns != spindle && (s.moves() || waits || turns == 0.0) {
            spindle = turns;
            a.put(Act::Spindle(turns), line);
        }
        let now = match (s.coolant, s.mist) {
            (false, _) => Coolant::Dry,
            (true, true) => Coolant::Mist,
            (true, false) => Coolant::Flood,
        };
        if now != coolant && (s.moves() || matches!(s.kind, StepKind::Pause { .. })) {
            if coolant != Coolant::Dry && now != Coolant::Dry {
                a.put(Act::Coolant(Coolant::Dry), line);
            }
            coolant = now;
            a.put(Act::Coolant(now), line);
        }
        if let Some(h) = hole {
            // Holes of one cycle that follow one another are one act.
            match a.list.last_mut() {
                Some((Act::Drill { at, clear, start, bottom, cycle, feed }, _))
                    if (*clear, *start, *bottom, *cycle, *feed) == (h.clear, h.start, h.bottom, h.cycle, h.feed) =>
                {
                    at.push(h.at);
                }
                _ => {
                    a.put(
                        Act::Drill {
                            at: vec![h.at],
                            clear: h.clear,
                            start: h.start,
                            bottom: h.bottom,
                            cycle: h.cycle,
                            feed: h.feed,
                        },
                        line,
                    );
                }
            }
            k = h.last + 1;
            // What it needs of the spindle it does by itself.
            continue;
        }
        if let Some(tap) = tapped(p, k) {
            // Written out again it would wait for the spindle while the tap stands in the hole.
            a.put(tap, line);
            k += 2;
            continue;
        }
        match &s.kind {
            StepKind::Note { text } => a.put(Act::Comment(text.clone()), line),
            StepKind::Pause { optional } => {
                known = [false; 2];
                a.put(Act::Stop { optional: *optional }, line);
            }
            StepKind::Dwell { seconds } => a.put(Act::Dwell(*seconds), line),
            StepKind::ToolChange => {}
            StepKind::Rapid | StepKind::Feed { .. } if s.machine => {
                let m = s.to + zero_in_machine;
                let axes = moved(s);
                // Up at the top already is said again: it costs nothing and is safe.
                let to = [0, 1, 2].map(|k| axes[k].map(|_| m[k]));
                for j in 0..2 {
                    known[j] &= to[j].is_none();
                }
                a.put(if axes == [None; 3] { TOP } else { Act::Machine(to) }, line);
            }
            StepKind::Rapid => a.put(Act::Rapid(said(s, &mut known)), line),
            StepKind::Feed { feed } => match s.shape {
                crate::Shape::Line => a.put(Act::Feed(said(s, &mut known), *feed), line),
                crate::Shape::Arc { center, sweep } => {
                    a.put(Act::Arc { to: s.to, center, sweep, feed: *feed }, line);
                }
            },
        }
        k += 1;
    }
    if spindle != 0.0 {
        a.put(Act::Spindle(0.0), p.steps.last().map_or(0, |s| s.line));
    }
    a
}

/// Pieces of a turn, none longer than `most` rad.
pub(crate) fn pieces(sweep: f64, most: f64) -> usize {
    (sweep.abs() / most.min(TAU) - 1e-9).ceil().max(1.0) as usize
}
