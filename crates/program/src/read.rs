//! The reader: text in, motion in work coordinates out.

use crate::lex;
use geom::{DVec2, DVec3};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::f64::consts::TAU;

/// What the reader must be told of the setup.
#[derive(Debug, Clone)]
pub struct ReadSettings {
    /// Where the work zero (G54) stands in machine coordinates, mm. Machine z = work z + zero z + tool length.
    pub zero_in_machine: DVec3,
    /// Further zeros by their number (55 for G55): where they stand in work coordinates, mm.
    pub zeros: BTreeMap<u32, DVec3>,
    /// Most motions; a repeat count beyond it is an error, not an endless run.
    pub most_steps: usize,
}

impl Default for ReadSettings {
    fn default() -> Self {
        ReadSettings { zero_in_machine: DVec3::new(0.0, 0.0, -300.0), zeros: BTreeMap::new(), most_steps: 2_000_000 }
    }
}

/// A program that cannot be followed; `line` counts from 1.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[error("line {line}: {what}")]
pub struct ReadError {
    /// Line of the text.
    pub line: u32,
    /// What is wrong and what to do.
    pub what: String,
}

/// Shape of a motion.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub enum Shape {
    /// Straight.
    Line,
    /// About a vertical axis through `center`; sweep in rad, positive counter-clockwise, more than 2π for several turns.
    Arc { center: DVec2, sweep: f64 },
}

/// What happens in a step.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub enum StepKind {
    /// At rapid.
    Rapid,
    /// At `feed` mm/min.
    Feed { feed: f64 },
    /// The tool is changed.
    ToolChange,
    /// Seconds of dwell.
    Dwell { seconds: f64 },
    /// The program waits for a person (M0) or may (M1).
    Pause { optional: bool },
    /// A comment.
    Note { text: String },
}

/// One step with the modal state in which it happens.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Step {
    /// Line of the text, from 1.
    pub line: u32,
    /// What.
    pub kind: StepKind,
    /// Where it begins: cutter's lowest point in work coordinates, mm.
    pub from: DVec3,
    /// Where it ends.
    pub to: DVec3,
    /// Along what.
    pub shape: Shape,
    /// Tool in the spindle, 0 for none.
    pub tool: u32,
    /// Spindle speed when it turns, 1/min; negative counter-clockwise.
    pub spindle: Option<f64>,
    /// Flood or mist is on.
    pub coolant: bool,
    /// Tool length is applied (G43), and by which H.
    pub length_offset: Option<u32>,
    /// Position is in machine coordinates (G53): z is the spindle nose, the tool's length is not in it.
    pub machine: bool,
}

impl Step {
    /// Does the machine move in it?
    pub fn moves(&self) -> bool {
        matches!(self.kind, StepKind::Rapid | StepKind::Feed { .. })
    }
    /// Length of the path, mm.
    pub fn length(&self) -> f64 {
        match self.shape {
            Shape::Line => self.from.distance(self.to),
            Shape::Arc { center, sweep } => {
                (self.from.truncate().distance(center) * sweep).hypot(self.to.z - self.from.z)
            }
        }
    }
    /// Point at fraction `t` of it.
    pub fn at(&self, t: f64) -> DVec3 {
        match self.shape {
            Shape::Line => self.from.lerp(self.to, t),
            Shape::Arc { center, sweep } => {
                let r = self.from.truncate() - center;
                (center + DVec2::from_angle(sweep * t).rotate(r)).extend(self.from.z + (self.to.z - self.from.z) * t)
            }
        }
    }
}

/// A program as followed.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Program {
    /// Steps in order.
    pub steps: Vec<Step>,
    /// It reached M2 or M30 (or the closing `%`).
    pub ended: bool,
    /// It was in inch at some time.
    pub inch: bool,
}

#[derive(Clone, Copy, PartialEq)]
enum Mode {
    None,
    Rapid,
    Feed,
    Arc { ccw: bool },
    Cycle(u32),
}

struct State {
    pos: DVec3,
    zero: DVec3,
    /// By G92.
    shift: DVec3,
    /// The zero in use, work coordinates: that of G54 is the origin.
    system: DVec3,
    mode: Mode,
    plane: u32,
    absolute: bool,
    unit: f64,
    feed: f64,
    rpm: f64,
    spindle: i32,
    mist: bool,
    flood: bool,
    tool: u32,
    selected: u32,
    h: Option<u32>,
    back_to_start: bool,
    sticky: [Option<f64>; 4],
}

const MODAL_GROUPS: &[(u32, &[u32])] = &[
    (1, &[0, 10, 20, 30, 382, 800, 810, 820, 830, 840, 850, 860, 870, 880, 890, 730, 330, 760]),
    (2, &[170, 180, 190]),
    (3, &[900, 910]),
    (5, &[930, 940, 950]),
    (6, &[200, 210]),
    (7, &[400, 410, 420]),
    (8, &[430, 490, 431]),
    (10, &[980, 990]),
    (12, &[540, 550, 560, 570, 580, 590, 591, 592, 593]),
    (13, &[610, 611, 640]),
    (100, &[40, 100, 280, 300, 530, 920, 921, 922, 923]),
];

fn group(code: u32) -> Option<u32> {
    MODAL_GROUPS.iter().find(|(_, codes)| codes.contains(&code)).map(|g| g.0)
}

fn name(code: u32) -> String {
    if code.is_multiple_of(10) { format!("G{}", code / 10) } else { format!("G{}.{}", code / 10, code % 10) }
}

/// A whole number, "close to an integer" within 0.0001 as NISTIR 6556 allows.
fn whole(letter: char, v: f64) -> Result<u32, String> {
    if (v - v.round()).abs() > 1e-4 || v < -1e-4 {
        return Err(format!("{letter}{v} must be a whole number, not negative"));
    }
    Ok(v.round() as u32)
}

struct Words {
    g: Vec<u32>,
    m: Vec<u32>,
    other: Vec<(char, f64)>,
}

impl Words {
    fn of(line: &lex::Line) -> Result<Words, String> {
        let mut w = Words { g: vec![], m: vec![], other: vec![] };
        let mut groups = Vec::new();
        for &(letter, v) in &line.words {
            match letter {
                'G' => {
                    let code = (v * 10.0).round();
                    if (v * 10.0 - code).abs() > 1e-3 || code < 0.0 {
                        return Err(format!("G{v} is not a code"));
                    }
                    let code = code as u32;
                    let g = group(code)
                        .ok_or_else(|| format!("{} is not part of this dialect; take it out", name(code)))?;
                    if groups.contains(&g) {
                        return Err(format!(
                            "{} and another word of the same group stand on one line; keep one",
                            name(code)
                        ));
                    }
                    groups.push(g);
                    w.g.push(code);
                }
                'M' => w.m.push(whole('M', v)?),
                'N' => {}
                _ => {
                    if w.other.iter().any(|o| o.0 == letter) {
                        return Err(format!("{letter} stands twice on the line; keep one"));
                    }
                    w.other.push((letter, v));
                }
            }
        }
        if w.m.len() > 4 {
            return Err("more than four M words on the line; split it".into());
        }
        Ok(w)
    }
    fn get(&self, letter: char) -> Option<f64> {
        self.other.iter().find(|o| o.0 == letter).map(|o| o.1)
    }
    fn has_g(&self, code: u32) -> bool {
        self.g.contains(&code)
    }
}

/// Follow a program.
pub fn read(text: &str, settings: &ReadSettings) -> Result<Program, ReadError> {
    let mut s = State {
        pos: -settings.zero_in_machine,
        zero: settings.zero_in_machine,
        shift: DVec3::ZERO,
        system: DVec3::ZERO,
        mode: Mode::None,
        plane: 17,
        absolute: true,
        unit: 1.0,
        feed: 0.0,
        rpm: 0.0,
        spindle: 0,
        mist: false,
        flood: false,
        tool: 0,
        selected: 0,
        h: None,
        back_to_start: true,
        sticky: [None; 4],
    };
    let mut p = Program { steps: Vec::new(), ended: false, inch: false };
    let mut number = 0;
    let mut marks = 0;
    for raw in text.lines() {
        number += 1;
        let fail = |what: String| ReadError { line: number, what };
        if raw.trim_start_matches('\u{feff}').trim() == "%" {
            marks += 1;
            if marks == 2 {
                p.ended = true;
                break;
            }
            continue;
        }
        let line = lex::line(raw).map_err(fail)?;
        let words = Words::of(&line).map_err(fail)?;
        for c in &line.comments {
            s.push(&mut p, number, StepKind::Note { text: c.clone() }, s.pos, Shape::Line, false);
        }
        if s.line(&words, number, &mut p, settings).map_err(fail)? {
            p.ended = true;
            break;
        }
    }
    Ok(p)
}

impl State {
    /// Where the program's coordinates begin, work coordinates.
    fn origin(&self) -> DVec3 {
        self.system + self.shift
    }

    fn push(&self, p: &mut Program, line: u32, kind: StepKind, to: DVec3, shape: Shape, machine: bool) {
        p.steps.push(Step {
            line,
            kind,
            from: self.pos,
            to,
            shape,
            tool: self.tool,
            spindle: (self.spindle != 0).then_some(self.rpm * f64::from(self.spindle)),
            coolant: self.mist || self.flood,
            length_offset: self.h,
            machine,
        });
    }

    fn go(&mut self, p: &mut Program, line: u32, kind: StepKind, to: DVec3, shape: Shape, machine: bool) {
        self.push(p, line, kind, to, shape, machine);
        self.pos = to;
    }

    /// Execute one line in the order of NISTIR 6556, table "order of execution". True at the program's end.
    fn line(&mut self, w: &Words, line: u32, p: &mut Program, settings: &ReadSettings) -> Result<bool, String> {
        for &m in &w.m {
            if !matches!(m, 0 | 1 | 2 | 3 | 4 | 5 | 6 | 7 | 8 | 9 | 30 | 48 | 49 | 60) {
                return Err(format!("M{m} is not part of this dialect; take it out"));
            }
        }
        for &(letter, _) in &w.other {
            if !"XYZIJRFSTHPQLDK".contains(letter) {
                return Err(format!("{letter} is not a word of this dialect; a three-axis mill has X, Y and Z"));
            }
        }
        for code in [410, 420] {
            if w.has_g(code) {
                return Err(format!(
                    "{}: cutter compensation is not part of this dialect; the path is the cutter's centre",
                    name(code)
                ));
            }
        }
        if w.has_g(930) || w.has_g(950) {
            return Err("only feed per minute (G94) is part of this dialect".into());
        }
        // Unit first: the numbers of this line are in it.
        if w.has_g(200) {
            self.unit = 25.4;
            p.inch = true;
        }
        if w.has_g(210) {
            self.unit = 1.0;
        }
        if let Some(f) = w.get('F') {
            if f < 0.0 {
                return Err("F is negative".into());
            }
            self.feed = f * self.unit;
        }
        if let Some(v) = w.get('S') {
            if v < 0.0 {
                return Err("S is negative; use M4 to turn the other way".into());
            }
            self.rpm = v;
        }
        if let Some(t) = w.get('T') {
            self.selected = whole('T', t)?;
        }
        if w.m.contains(&6) {
            self.tool = self.selected;
            self.spindle = 0;
            self.push(p, line, StepKind::ToolChange, self.pos, Shape::Line, false);
        }
        for &m in &w.m {
            match m {
                3 => self.spindle = 1,
                4 => self.spindle = -1,
                5 => self.spindle = 0,
                7 => self.mist = true,
                8 => self.flood = true,
                9 => (self.mist, self.flood) = (false, false),
                _ => {}
            }
        }
        if w.has_g(40) {
            let seconds = w.get('P').ok_or("G4 needs P, the seconds to wait")?;
            self.push(p, line, StepKind::Dwell { seconds }, self.pos, Shape::Line, false);
        }
        for &g in &w.g {
            match g {
                170 | 180 | 190 => self.plane = g / 10,
                490 => self.h = None,
                430 => {
                    let h = w.get('H').map(|h| whole('H', h)).transpose()?;
                    self.h = Some(h.unwrap_or(self.tool));
                }
                431 => return Err("G43.1 is not part of this dialect; use G43 with H".into()),
                540 => self.system = DVec3::ZERO,
                550 | 560 | 570 | 580 | 590 => {
                    self.system = *settings.zeros.get(&(g / 10)).ok_or_else(|| {
                        format!("{0}: the plan knows no such zero; say in plan.json where it is (\"zeros\": {{\"{0}\": [x, y, z]}})", name(g))
                    })?;
                }
                591..=593 => {
                    return Err(format!("{} is not part of this dialect; use one of G54 to G59", name(g)));
                }
                900 => self.absolute = true,
                910 => self.absolute = false,
                980 => self.back_to_start = true,
                990 => self.back_to_start = false,
                _ => {}
            }
        }
        let axis = |letter: char| w.get(letter).map(|v| v * self.unit);
        let target = [axis('X'), axis('Y'), axis('Z')];
        let any_axis = target.iter().any(Option::is_some);
        let mut axes_used = false;
        for &g in &w.g {
            match g {
                280 | 300 => return Err(format!("{}: use G53 G0 Z0, whose way is known", name(g))),
                100 => return Err("G10 changes offsets from inside the program; set the zero at the machine".into()),
                920 => {
                    // The current point gets the given coordinates.
                    for (k, value) in target.iter().enumerate() {
                        if let Some(v) = value {
                            self.shift[k] = self.pos[k] - self.system[k] - v;
                        }
                    }
                    axes_used = true;
                }
                921 | 922 => self.shift = DVec3::ZERO,
                923 => return Err("G92.3 restores an offset that the program does not show; write it out".into()),
                _ => {}
            }
        }
        let motion = w.g.iter().copied().find(|&g| group(g) == Some(1));
        match motion {
            Some(0) => self.mode = Mode::Rapid,
            Some(10) => self.mode = Mode::Feed,
            Some(20) => self.mode = Mode::Arc { ccw: false },
            Some(30) => self.mode = Mode::Arc { ccw: true },
            Some(800) => {
                self.mode = Mode::None;
                if any_axis && !axes_used {
                    return Err("G80 with axis words: say G0 or G1".into());
                }
            }
            Some(g @ (810 | 820 | 830 | 840 | 850 | 890 | 730)) => {
                if self.mode != Mode::Cycle(g) {
                    self.sticky = [None; 4];
                }
                self.mode = Mode::Cycle(g);
            }
            Some(g) => return Err(format!("{} is not part of this dialect", name(g))),
            None => {}
        }
        let mut ended = false;
        if any_axis && !axes_used {
            let from = p.steps.len();
            self.motion(w, target, line, p, settings)?;
            if p.steps.len() - from > settings.most_steps || p.steps.len() > settings.most_steps {
                return Err("the program has more motions than can be followed; split it".into());
            }
        } else if matches!(motion, Some(20 | 30)) && (w.get('I').is_some() || w.get('J').is_some()) {
            // A full circle may leave out its end point.
            self.motion(w, target, line, p, settings)?;
        }
        for &m in &w.m {
            match m {
                0 | 60 => self.push(p, line, StepKind::Pause { optional: false }, self.pos, Shape::Line, false),
                1 => self.push(p, line, StepKind::Pause { optional: true }, self.pos, Shape::Line, false),
                2 | 30 => ended = true,
                _ => {}
            }
        }
        Ok(ended)
    }

    fn motion(
        &mut self,
        w: &Words,
        target: [Option<f64>; 3],
        line: u32,
        p: &mut Program,
        settings: &ReadSettings,
    ) -> Result<(), String> {
        let mut to = self.pos;
        for k in 0..3 {
            if let Some(v) = target[k] {
                to[k] = if self.absolute { v + self.origin()[k] } else { self.pos[k] + v };
            }
        }
        if w.has_g(530) {
            if !matches!(self.mode, Mode::Rapid | Mode::Feed) {
                return Err("G53 needs G0 or G1".into());
            }
            for k in 0..3 {
                if let Some(v) = target[k] {
                    to[k] = v - self.zero[k];
                }
            }
            let kind = if self.mode == Mode::Rapid { StepKind::Rapid } else { StepKind::Feed { feed: self.feed } };
            self.go(p, line, kind, to, Shape::Line, target[2].is_some());
            return Ok(());
        }
        match self.mode {
            Mode::None => Err("axis words without a motion word: say G0 or G1".into()),
            Mode::Rapid => {
                self.go(p, line, StepKind::Rapid, to, Shape::Line, false);
                Ok(())
            }
            Mode::Feed => {
                self.need_feed()?;
                self.go(p, line, StepKind::Feed { feed: self.feed }, to, Shape::Line, false);
                Ok(())
            }
            Mode::Arc { ccw } => {
                self.need_feed()?;
                if self.plane != 17 {
                    return Err(format!("an arc in G{}: this dialect has arcs in G17 only", self.plane));
                }
                let shape = self.arc(w, to, ccw)?;
                self.go(p, line, StepKind::Feed { feed: self.feed }, to, shape, false);
                Ok(())
            }
            Mode::Cycle(g) => self.cycle(g, w, target, line, p, settings),
        }
    }

    fn need_feed(&self) -> Result<(), String> {
        if self.feed > 0.0 { Ok(()) } else { Err("a feed move before any F; set the feed".into()) }
    }

    fn arc(&self, w: &Words, to: DVec3, ccw: bool) -> Result<Shape, String> {
        let (a, b) = (self.pos.truncate(), to.truncate());
        let tol = if self.unit > 1.0 { 0.0002 * 25.4 } else { 0.002 };
        let turns = match w.get('P') {
            None => 1.0,
            Some(t) => f64::from(whole('P', t)?.max(1)),
        };
        let center = if let Some(r) = w.get('R') {
            let r = r * self.unit;
            let chord = b - a;
            let d = chord.length();
            if d < 1e-9 {
                return Err("an arc by R whose end is its start: give I and J".into());
            }
            if r == 0.0 || d / 2.0 > r.abs() + tol {
                return Err(format!("R{:.4} mm is too small to reach the end, {d:.4} mm away", r.abs()));
            }
            let h = (r * r - d * d / 4.0).max(0.0).sqrt();
            // Centre left of the chord for a short counter-clockwise arc; R < 0 asks for the long way.
            let left = ccw == (r > 0.0);
            a + chord / 2.0 + chord.perp() / d * if left { h } else { -h }
        } else {
            let (i, j) = (w.get('I'), w.get('J'));
            if i.is_none() && j.is_none() {
                return Err("an arc needs I and J, or R".into());
            }
            a + DVec2::new(i.unwrap_or(0.0), j.unwrap_or(0.0)) * self.unit
        };
        if w.get('K').is_some() {
            return Err("K belongs to arcs in G18 and G19, which this dialect does not have".into());
        }
        let (ra, rb) = (a.distance(center), b.distance(center));
        if ra < 1e-9 {
            return Err("the arc's centre is its start".into());
        }
        if (ra - rb).abs() > tol {
            return Err(format!("the arc's end is {:.4} mm off its circle; check I and J", (ra - rb).abs()));
        }
        let (u, v) = (a - center, b - center);
        let mut sweep = u.perp_dot(v).atan2(u.dot(v)) * if ccw { 1.0 } else { -1.0 };
        if sweep <= 1e-9 {
            sweep += TAU;
        }
        if a.distance(b) < 1e-9 {
            sweep = TAU;
        }
        sweep += TAU * (turns - 1.0);
        Ok(Shape::Arc { center, sweep: if ccw { sweep } else { -sweep } })
    }

    fn cycle(
        &mut self,
        g: u32,
        w: &Words,
        target: [Option<f64>; 3],
        line: u32,
        p: &mut Program,
        settings: &ReadSettings,
    ) -> Result<(), String> {
        self.need_feed()?;
        if self.plane != 17 {
            return Err("drilling cycles are in G17 only".into());
        }
        if g == 840 && self.spindle != 1 {
            return Err("G84 taps a right-hand thread: start the spindle clockwise (S… M3) before it".into());
        }
        for (k, letter) in ['Z', 'R', 'Q', 'P'].into_iter().enumerate() {
            if let Some(v) = w.get(letter) {
                self.sticky[k] = Some(if letter == 'P' { v } else { v * self.unit });
            }
        }
        let [Some(z), Some(r), q, dwell] = self.sticky else {
            return Err("a drilling cycle needs Z and R".into());
        };
        let repeats = w.get('L').map(|l| whole('L', l)).transpose()?.unwrap_or(1);
        if repeats as usize > settings.most_steps / 4 {
            return Err(format!("L{repeats} is more repeats than can be followed"));
        }
        let old_z = self.pos.z;
        let (r_level, bottom) =
            if self.absolute { (r + self.origin().z, z + self.origin().z) } else { (old_z + r, old_z + r + z) };
        if bottom > r_level + 1e-9 {
            return Err(format!("the cycle's bottom (Z {bottom:.4}) is above its start (R {r_level:.4})"));
        }
        let deep = g == 830 || g == 730;
        let q = match (deep, q) {
            (true, Some(q)) if q > 0.0 => q,
            (true, _) => return Err(format!("{} needs Q, the depth of a peck, above 0", name(g))),
            _ => f64::INFINITY,
        };
        if (r_level - bottom) / q > 10_000.0 {
            return Err("more than 10 000 pecks in one hole; check Q".into());
        }
        let clear = if self.back_to_start { old_z.max(r_level) } else { r_level };
        let rapid = StepKind::Rapid;
        let feed = StepKind::Feed { feed: self.feed };
        if self.pos.z < r_level {
            self.go(p, line, rapid.clone(), self.pos.with_z(r_level), Shape::Line, false);
        }
        for n in 0..repeats {
            let mut xy = self.pos;
            for k in 0..2 {
                if let Some(v) = target[k] {
                    if !self.absolute {
                        xy[k] += v;
                    } else if n == 0 {
                        xy[k] = v + self.origin()[k];
                    }
                }
            }
            self.go(p, line, rapid.clone(), xy, Shape::Line, false);
            if self.pos.z > r_level {
                self.go(p, line, rapid.clone(), xy.with_z(r_level), Shape::Line, false);
            }
            let mut at = r_level;
            // NISTIR 6556: return to 0.010 in above the last depth.
            const BACK_OFF: f64 = 0.254;
            loop {
                let next = (at - q).max(bottom);
                self.go(p, line, feed.clone(), xy.with_z(next), Shape::Line, false);
                at = next;
                if at <= bottom + 1e-9 {
                    break;
                }
                let out = if g == 830 { r_level } else { at + BACK_OFF };
                self.go(p, line, rapid.clone(), xy.with_z(out), Shape::Line, false);
                if g == 830 {
                    self.go(p, line, rapid.clone(), xy.with_z((at + BACK_OFF).min(r_level)), Shape::Line, false);
                }
            }
            if matches!(g, 820 | 890) {
                self.push(p, line, StepKind::Dwell { seconds: dwell.unwrap_or(0.0) }, self.pos, Shape::Line, false);
            }
            // NISTIR 6556: at the bottom of G84 the spindle is turned round, and round again at R.
            if g == 840 {
                self.spindle = -1;
            }
            if matches!(g, 840 | 850 | 890) {
                self.go(p, line, feed.clone(), xy.with_z(r_level), Shape::Line, false);
            }
            if g == 840 {
                self.spindle = 1;
            }
            if self.pos.z < clear {
                self.go(p, line, rapid.clone(), xy.with_z(clear), Shape::Line, false);
            }
        }
        Ok(())
    }
}
