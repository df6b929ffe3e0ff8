//! The modal state of a control, and what a line does to it, in the order of NISTIR 6556, table "order of execution".

use super::coordinates::Coordinates;
use super::words::{Words, group, name, whole};
use super::{Program, ReadSettings, Shape, Step, StepKind};
use crate::lex::{Expr, worth};
use geom::DVec3;
use shop::dialect::{Arcs, Change, Dwell, Home, LengthOffset};
use std::collections::{BTreeMap, BTreeSet};

#[derive(Clone, Copy, PartialEq)]
enum Mode {
    None,
    Rapid,
    Feed,
    Arc { ccw: bool },
    Cycle(u32),
    Thread,
}

#[derive(Clone, Copy, PartialEq)]
enum FeedMode {
    Minute,
    Turn,
    Inverse,
}

/// Where the program goes after a line.
pub(super) enum After {
    Next,
    End,
    Call { name: String, times: u32 },
    Return,
}

/// From which step on the path is a cutter's width beside the programmed one.
#[derive(Debug, Clone, Copy)]
pub(super) struct Beside {
    /// First step.
    pub from: usize,
    /// The first step that is not.
    pub to: usize,
    /// 1: left of the path; −1: right.
    pub side: f64,
    /// mm.
    pub radius: f64,
    /// Line of the word.
    pub line: u32,
}

pub(super) struct State<'a> {
    pub settings: &'a ReadSettings,
    pub pos: DVec3,
    /// What the coordinates of the program mean.
    pub c: Coordinates,
    mode: Mode,
    pub plane: u32,
    /// Its height is that of the nose in machine coordinates, the last that was told.
    at_nose: bool,
    pub absolute: bool,
    pub absolute_centre: bool,
    pub unit: f64,
    feed: f64,
    feed_mode: FeedMode,
    rpm: f64,
    pub spindle: i32,
    mist: bool,
    flood: bool,
    tool: u32,
    selected: u32,
    h: Option<u32>,
    pub back_to_start: bool,
    pub sticky: [Option<f64>; 4],
    params: BTreeMap<u32, f64>,
    pub compensated: Vec<Beside>,
    beside: Option<Beside>,
    told: BTreeSet<String>,
}

impl<'a> State<'a> {
    pub(super) fn new(settings: &'a ReadSettings) -> State<'a> {
        State {
            settings,
            pos: -settings.zero_in_machine,
            c: Coordinates::new(settings),
            mode: Mode::None,
            plane: 17,
            at_nose: false,
            absolute: true,
            absolute_centre: settings.dialect.arcs == Arcs::AbsoluteCentre,
            unit: if settings.dialect.inch { 25.4 } else { 1.0 },
            feed: 0.0,
            feed_mode: FeedMode::Minute,
            rpm: 0.0,
            spindle: 0,
            mist: false,
            flood: false,
            tool: 0,
            selected: 0,
            h: None,
            back_to_start: true,
            sticky: [None; 4],
            params: BTreeMap::new(),
            compensated: Vec::new(),
            beside: None,
            told: BTreeSet::new(),
        }
    }

    /// A word that is understood though NISTIR 6556 does not have it.
    pub(super) fn extension(&mut self, p: &mut Program, line: u32, word: &str) {
        if self.told.insert(word.into()) {
            p.extensions.push((line, word.into()));
        }
    }
    /// What an expression is worth now.
    pub(super) fn worth(&self, e: &Expr) -> Result<f64, String> {
        worth(e, &|n| {
            self.params.get(&n).copied().ok_or_else(|| {
                format!("#{n} is used before this program sets it: what it holds is in the control; set it in the text")
            })
        })
    }
    /// All values are worked out before any is set.
    pub(super) fn assign(&mut self, sets: &[(Expr, Expr)]) -> Result<(), String> {
        let mut found = Vec::new();
        for (which, value) in sets {
            let n = self.worth(which)?;
            if (n - n.round()).abs() > 1e-4 || !(1.0..=9999.0).contains(&n.round()) {
                return Err(format!("#{n} is no variable: they go from #1 to #9999"));
            }
            let n = n.round() as u32;
            if (5161..=5399).contains(&n) {
                return Err(format!("#{n} holds a zero or an offset of the control: set it by G10 or at the machine"));
            }
            found.push((n, self.worth(value)?));
        }
        self.params.extend(found);
        Ok(())
    }

    /// Where it stands in programmed coordinates.
    pub(super) fn programmed(&self) -> DVec3 {
        self.c.programmed(self.pos)
    }
    /// Where a line's axis words lead, work coordinates.
    pub(super) fn target(&self, w: &Words) -> DVec3 {
        let given = ['X', 'Y', 'Z'].map(|l| w.get(l).map(|v| v * self.unit));
        if self.c.polar {
            let angle = w.get('Y').map(f64::to_radians);
            return self.c.polar_target(self.pos, given[0], angle, given[2], self.absolute);
        }
        self.c.target(self.pos, given, self.absolute)
    }

    pub(super) fn push(&self, p: &mut Program, line: u32, kind: StepKind, to: DVec3, shape: Shape, machine: bool) {
        p.steps.push(Step {
            line,
            kind,
            from: self.pos,
            to,
            shape,
            tool: self.tool,
            spindle: (self.spindle != 0).then_some(self.rpm * f64::from(self.spindle)),
            coolant: self.mist || self.flood,
            mist: self.mist && !self.flood,
            length_offset: self.h,
            machine,
        });
    }
    pub(super) fn go(&mut self, p: &mut Program, line: u32, kind: StepKind, to: DVec3, shape: Shape, machine: bool) {
        self.push(p, line, kind, to, shape, machine);
        self.at_nose &= machine || to.z == self.pos.z;
        self.pos = to;
    }
    /// Feed of a move of this length (mm), mm/min.
    pub(super) fn feed_of(&self, w: &Words, length: f64) -> Result<f64, String> {
        let feed = match self.feed_mode {
            FeedMode::Minute => self.feed,
            FeedMode::Turn if self.spindle == 0 => {
                return Err("a feed by the turn (G95) while the spindle stands still".into());
            }
            FeedMode::Turn => self.feed * self.rpm,
            FeedMode::Inverse => {
                let f = w.get('F').ok_or("in G93 each move at feed has its own F")?;
                return if f > 0.0 { Ok(length * f) } else { Err("F must be above 0".into()) };
            }
        };
        if feed > 0.0 { Ok(feed) } else { Err("a feed move before any F; set the feed".into()) }
    }
    /// Seconds of a P.
    pub(super) fn seconds(&self, p: f64) -> f64 {
        if self.settings.dialect.dwell == Dwell::PMilliseconds { p / 1000.0 } else { p }
    }

    fn call(&mut self, p: &mut Program, line: u32) {
        self.tool = self.selected;
        self.spindle = 0;
        if self.settings.dialect.length == LengthOffset::WithTool {
            self.h = Some(self.tool);
        }
        self.push(p, line, StepKind::ToolChange, self.pos, Shape::Line, false);
    }

    /// What switches do at the beginning of a line: F, S, T, M words.
    fn switches(&mut self, w: &Words, line: u32, p: &mut Program) -> Result<(), String> {
        let d = &self.settings.dialect;
        let own = |word: &str| word.strip_prefix(['M', 'm']).and_then(|n| n.trim().parse::<u32>().ok());
        let (flood, mist, off) = (own(&d.flood), own(&d.mist), own(&d.coolant_off));
        let cools = |m: u32| [flood, mist, off].contains(&Some(m));
        for &m in &w.m {
            if !matches!(m, 0..=9 | 30 | 48 | 49 | 60 | 98 | 99) && !cools(m) {
                return Err(format!("M{m} is not part of this dialect; take it out"));
            }
        }
        for &(letter, _) in &w.other {
            if !"XYZIJKRFSTHPQLD".contains(letter) {
                return Err(format!("{letter} is not a word of this dialect; a three-axis mill has X, Y and Z"));
            }
        }
        // Unit first: the numbers of this line are in it.
        if w.has_g(200) {
            self.unit = 25.4;
            p.inch = true;
        }
        if w.has_g(210) {
            self.unit = 1.0;
        }
        for (code, mode) in [(930, FeedMode::Inverse), (940, FeedMode::Minute), (950, FeedMode::Turn)] {
            if w.has_g(code) && self.feed_mode != mode {
                self.feed_mode = mode;
                // A feed of the other kind means nothing here.
                self.feed = 0.0;
                if mode == FeedMode::Turn {
                    self.extension(p, line, "G95");
                }
            }
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
            if self.settings.dialect.change == Change::T {
                self.call(p, line);
            }
        }
        if w.m.contains(&6) {
            self.call(p, line);
        }
        for &m in &w.m {
            match m {
                3 => self.spindle = 1,
                4 => self.spindle = -1,
                5 => self.spindle = 0,
                m if Some(m) == mist || m == 7 && flood != Some(7) && off != Some(7) => self.mist = true,
                m if Some(m) == flood || m == 8 && off != Some(8) => self.flood = true,
                m if Some(m) == off || m == 9 => (self.mist, self.flood) = (false, false),
                _ => {}
            }
        }
        if w.has_g(40) {
            let by_x = self.settings.dialect.dwell == Dwell::XSeconds;
            let seconds = match (w.get('P'), w.get('X').filter(|_| by_x)) {
                (_, Some(x)) => x,
                (Some(p), None) => self.seconds(p),
                (None, None) => return Err("G4 needs P, the time to wait".into()),
            };
            if !(0.0..=36_000.0).contains(&seconds) {
                return Err(format!("a wait of {seconds} s; is the unit right?"));
            }
            self.push(p, line, StepKind::Dwell { seconds }, self.pos, Shape::Line, false);
        }
        Ok(())
    }

    /// Cutter compensation on or off.
    fn compensation(&mut self, w: &Words, line: u32, p: &Program) -> Result<(), String> {
        let Some(&g) = w.g.iter().find(|g| matches!(g, 400 | 410 | 420)) else { return Ok(()) };
        if let Some(b) = self.beside.take() {
            self.compensated.push(Beside { to: p.steps.len(), ..b });
        }
        if g == 400 {
            return Ok(());
        }
        if self.plane != 17 {
            return Err(format!("{} works in G17 only", name(g)));
        }
        let d = w.get('D').map(|d| whole('D', d)).transpose()?.unwrap_or(self.tool);
        let radius = *self
            .settings
            .radii
            .get(&d)
            .ok_or_else(|| format!("{} D{d}: the plan has no cutter T{d} whose radius that could be", name(g)))?;
        self.beside =
            Some(Beside { from: p.steps.len(), to: 0, side: if g == 410 { 1.0 } else { -1.0 }, radius, line });
        Ok(())
    }

    /// G words that only set something.
    fn modes(&mut self, w: &Words, line: u32, p: &mut Program) -> Result<(), String> {
        for &g in &w.g {
            match g {
                170 | 180 | 190 => {
                    if self.beside.is_some() && g != 170 {
                        return Err("the plane changes while the cutter is compensated; G40 first".into());
                    }
                    self.plane = g / 10;
                }
                490 => self.h = (self.settings.dialect.length == LengthOffset::WithTool).then_some(self.tool),
                430 => {
                    let h = w.get('H').map(|h| whole('H', h)).transpose()?;
                    self.h = Some(h.unwrap_or(self.tool));
                }
                431 => return Err("G43.1 gives a length that the plan does not know; use G43 with H".into()),
                540 | 550 | 560 | 570 | 580 | 590 | 591 | 592 | 593 => {
                    let n = if g < 591 { g / 10 } else { 60 + (g - 591) };
                    if !self.c.systems.contains_key(&n) {
                        return Err(format!(
                            "{0}: the plan knows no such zero; say in plan.json where it is (\"zeros\": {{\"{0}\": [x, y, z]}}), or set it by G10 L2",
                            name(g)
                        ));
                    }
                    self.c.system = n;
                }
                900 => self.absolute = true,
                910 => self.absolute = false,
                901 | 911 => {
                    self.extension(p, line, &name(g));
                    self.absolute_centre = g == 901;
                }
                980 => self.back_to_start = true,
                990 => self.back_to_start = false,
                150 | 160 => {
                    self.c.polar = g == 160;
                    self.extension(p, line, "G16");
                }
                690 => (self.c.turn, self.c.turn_about) = (0.0, DVec3::ZERO),
                500 => (self.c.scale, self.c.scale_about) = (1.0, DVec3::ZERO),
                _ => {}
            }
        }
        Ok(())
    }

    /// G words that take the line's axis words for themselves. True where one did.
    fn takes_axes(&mut self, w: &Words, line: u32, p: &mut Program) -> Result<bool, String> {
        let axis = |l: char, unit: f64| w.get(l).map(|v| v * unit);
        let given = ['X', 'Y', 'Z'].map(|l| axis(l, self.unit));
        let any = given.iter().any(Option::is_some);
        let mut took = w.has_g(40);
        for &g in &w.g {
            match g {
                280 | 300 => {
                    if self.settings.dialect.home != Home::G28 || g == 300 {
                        return Err(format!("{}: use G53 G0 Z0, whose way is known", name(g)));
                    }
                    if !any {
                        return Err("G28 needs the axes that go to their reference point: G91 G28 Z0".into());
                    }
                    let over = self.target(w);
                    if over.distance(self.pos) > 1e-9 {
                        self.go(p, line, StepKind::Rapid, over, Shape::Line, false);
                    }
                    let mut to = self.pos;
                    for (k, v) in given.iter().enumerate() {
                        if v.is_some() {
                            to[k] = self.settings.reference[k] - self.c.zero[k];
                        }
                    }
                    self.at_nose |= given[2].is_some();
                    self.go(p, line, StepKind::Rapid, to, Shape::Line, self.at_nose);
                    took = true;
                }
                100 => {
                    if w.get('L').is_none_or(|l| (l - 2.0).abs() > 1e-4) {
                        return Err("G10 L2 sets a zero; other kinds of G10 change what only the control knows".into());
                    }
                    let n = whole('P', w.get('P').ok_or("G10 L2 needs P, the number of the zero: 1 for G54")?)?;
                    if !(1..=9).contains(&n) {
                        return Err(format!("G10 L2 P{n}: zeros are numbered 1 to 9"));
                    }
                    let n = 53 + n;
                    let mut at = self.c.systems.get(&n).copied().unwrap_or(DVec3::ZERO);
                    for (k, v) in given.iter().enumerate() {
                        if let Some(v) = v {
                            // Given in machine coordinates.
                            at[k] = v - self.c.zero[k];
                        }
                    }
                    self.c.systems.insert(n, at);
                    took = true;
                }
                520 => {
                    self.extension(p, line, "G52");
                    for (k, v) in given.iter().enumerate() {
                        if let Some(v) = *v {
                            self.c.local[k] = v;
                        }
                    }
                    took = true;
                }
                680 => {
                    self.extension(p, line, "G68");
                    if self.plane != 17 {
                        return Err("G68 turns in G17 only".into());
                    }
                    let now = self.programmed();
                    let about = DVec3::new(given[0].unwrap_or(now.x), given[1].unwrap_or(now.y), 0.0);
                    let angle = w.get('R').ok_or("G68 needs R, the angle in degrees")?;
                    (self.c.turn, self.c.turn_about) = (angle.to_radians(), about);
                    took = true;
                }
                510 => {
                    self.extension(p, line, "G51");
                    let factor = w.get('P').ok_or("G51 needs P, the factor")?;
                    if !(0.001..=1000.0).contains(&factor) {
                        return Err(format!("G51 P{factor}: a factor above 0, the same for all axes"));
                    }
                    let now = self.programmed();
                    self.c.scale_about = DVec3::from_array([0, 1, 2].map(|k| given[k].unwrap_or(now[k])));
                    self.c.scale = factor;
                    took = true;
                }
                920 => {
                    // The current point gets the given coordinates.
                    for (k, v) in given.iter().enumerate() {
                        if let Some(v) = *v {
                            self.c.shift[k] = 0.0;
                            self.c.shift[k] = self.pos[k] - self.c.origin()[k] - v;
                        }
                    }
                    self.c.shift_kept = Some(self.c.shift);
                    took = true;
                }
                921 => (self.c.shift, self.c.shift_kept) = (DVec3::ZERO, Some(DVec3::ZERO)),
                922 => self.c.shift = DVec3::ZERO,
                923 => {
                    self.c.shift = self
                        .c
                        .shift_kept
                        .ok_or("G92.3 restores an offset that the program does not show; write it out")?;
                }
                _ => {}
            }
        }
        Ok(took)
    }

    /// Run a line.
    pub(super) fn line(&mut self, w: &Words, line: u32, p: &mut Program) -> Result<After, String> {
        self.switches(w, line, p)?;
        self.compensation(w, line, p)?;
        self.modes(w, line, p)?;
        let took = self.takes_axes(w, line, p)?;
        let any_axis = ['X', 'Y', 'Z'].iter().any(|l| w.get(*l).is_some());
        let motion = w.g.iter().copied().find(|&g| group(g) == Some(1));
        match motion {
            Some(0) => self.mode = Mode::Rapid,
            Some(10) => self.mode = Mode::Feed,
            Some(20) => self.mode = Mode::Arc { ccw: false },
            Some(30) => self.mode = Mode::Arc { ccw: true },
            Some(330) => {
                self.mode = Mode::Thread;
                self.extension(p, line, "G33");
            }
            Some(800) => {
                self.mode = Mode::None;
                if any_axis && !took {
                    return Err("G80 with axis words: say G0 or G1".into());
                }
            }
            Some(g @ (810 | 820 | 830 | 840 | 850 | 860 | 890 | 730)) => {
                if self.mode != Mode::Cycle(g) {
                    self.sticky = [None; 4];
                }
                self.mode = Mode::Cycle(g);
            }
            Some(870 | 880) => {
                return Err("G87 and G88 need a spindle that is turned by hand to an angle; write the bore out".into());
            }
            Some(g) => return Err(format!("{} is not part of this dialect", name(g))),
            None => {}
        }
        if any_axis && !took {
            self.motion(w, line, p)?;
        } else if matches!(motion, Some(20 | 30)) && ['I', 'J', 'K'].iter().any(|l| w.get(*l).is_some()) {
            // A full circle may leave out its end point.
            self.motion(w, line, p)?;
        }
        let mut after = After::Next;
        for &m in &w.m {
            match m {
                0 | 60 => self.push(p, line, StepKind::Pause { optional: false }, self.pos, Shape::Line, false),
                1 => self.push(p, line, StepKind::Pause { optional: true }, self.pos, Shape::Line, false),
                2 | 30 => after = After::End,
                98 => {
                    let name = whole('P', w.get('P').ok_or("M98 needs P, the number of the subprogram")?)?;
                    let times = w.get('L').map(|l| whole('L', l)).transpose()?.unwrap_or(1);
                    after = After::Call { name: name.to_string(), times };
                }
                99 => after = After::Return,
                _ => {}
            }
        }
        if matches!(after, After::End)
            && let Some(b) = self.beside.take()
        {
            self.compensated.push(Beside { to: p.steps.len(), ..b });
        }
        Ok(after)
    }

    fn motion(&mut self, w: &Words, line: u32, p: &mut Program) -> Result<(), String> {
        let to = self.target(w);
        if w.has_g(530) {
            if !matches!(self.mode, Mode::Rapid | Mode::Feed) {
                return Err("G53 needs G0 or G1".into());
            }
            if self.beside.is_some() {
                return Err("G53 while the cutter is compensated; G40 first".into());
            }
            let mut to = self.pos;
            let given = ['X', 'Y', 'Z'].map(|l| w.get(l).map(|v| v * self.unit));
            for (k, v) in given.iter().enumerate() {
                if let Some(v) = v {
                    to[k] = v - self.c.zero[k];
                }
            }
            let kind = if self.mode == Mode::Rapid {
                StepKind::Rapid
            } else {
                StepKind::Feed { feed: self.feed_of(w, to.distance(self.pos))? }
            };
            self.at_nose |= given[2].is_some();
            self.go(p, line, kind, to, Shape::Line, self.at_nose);
            return Ok(());
        }
        match self.mode {
            Mode::None => return Err("axis words without a motion word: say G0 or G1".into()),
            Mode::Rapid => self.go(p, line, StepKind::Rapid, to, Shape::Line, false),
            Mode::Feed => {
                let feed = self.feed_of(w, to.distance(self.pos))?;
                self.go(p, line, StepKind::Feed { feed }, to, Shape::Line, false);
            }
            Mode::Thread => {
                let k = w.get('K').ok_or("G33 needs K, the way of a turn")? * self.unit;
                if self.spindle == 0 || self.rpm <= 0.0 || k <= 0.0 {
                    return Err("G33 follows a spindle that turns, by K above 0".into());
                }
                self.go(p, line, StepKind::Feed { feed: k * self.rpm }, to, Shape::Line, false);
            }
            Mode::Arc { ccw } => self.arc(w, to, ccw, line, p)?,
            Mode::Cycle(g) => {
                if self.beside.is_some() {
                    return Err("a cycle while the cutter is compensated; G40 first".into());
                }
                self.cycle(g, w, line, p)?;
            }
        }
        Ok(())
    }
}
