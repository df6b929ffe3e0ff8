//! The control: programs, tables, modes. Time passes only in [`Control::advance`], so a test needs no clock.

use crate::hidden::{GAUGED, Hidden, SETTER};
use crate::protocol::{Event, Fault, Mode, Order, Reply, State, With};
use geom::DVec3;
use program::{Dialect, Program, ReadSettings, Step, StepKind};
use proof::time::{Motion, seconds};
use reason::Sure;
use sha2::{Digest, Sha256};
use shop::machine::Machine;
use std::collections::BTreeMap;
use std::time::{Duration, Instant};

/// Events that are told.
const EVENTS: usize = 40;
/// A broken cutter is shorter by this, mm.
const BROKEN: f64 = 6.0;

/// A program that is followed.
struct Follow {
    program: Program,
    /// s of each step at 100 %.
    takes: Vec<f64>,
    /// The step that it is in.
    at: usize,
    /// s of it that are over, at 100 %.
    into: f64,
    /// s that it has run.
    ran: f64,
}

/// A control with its machine.
pub struct Control {
    machine: Option<(Machine, Dialect)>,
    hidden: Hidden,
    seed: u64,
    mode: Mode,
    says: String,
    who: Option<String>,
    text: Option<(String, String)>,
    follow: Option<Follow>,
    zero: DVec3,
    lengths: BTreeMap<u32, f64>,
    tool: u32,
    nose: DVec3,
    percent: f64,
    factor: f64,
    optional_stop: bool,
    single: bool,
    door_open: bool,
    coolant_enough: bool,
    faults: Vec<Fault>,
    silent_until: Option<Instant>,
    events: Vec<Event>,
    number: u32,
    line: u32,
    seen: Instant,
}

/// First signs of a text's SHA-256, as a run card shows them.
pub fn sum(text: &str) -> String {
    Sha256::digest(text.as_bytes()).iter().take(8).map(|b| format!("{b:02x}")).collect()
}

impl Control {
    /// Switched on, at its reference point, nobody's.
    pub fn new(seed: u64, now: Instant) -> Control {
        Control {
            machine: None,
            hidden: Hidden::new(seed, geom::DVec2::ZERO),
            seed,
            mode: Mode::Idle,
            says: String::new(),
            who: None,
            text: None,
            follow: None,
            zero: DVec3::ZERO,
            lengths: BTreeMap::new(),
            tool: 0,
            nose: DVec3::ZERO,
            percent: 100.0,
            factor: 1.0,
            optional_stop: true,
            single: false,
            door_open: false,
            coolant_enough: true,
            faults: Vec::new(),
            silent_until: None,
            events: Vec::new(),
            number: 0,
            line: 0,
            seen: now,
        }
    }
    /// Is the line cut just now?
    pub fn line_lost(&mut self, now: Instant) -> bool {
        if self.silent_until.is_some_and(|t| now >= t) {
            self.silent_until = None;
        }
        self.silent_until.is_some()
    }
    fn note(&mut self, what: &str) {
        self.number += 1;
        let line = self.line;
        self.events.push(Event { number: self.number, line, what: what.into() });
        let over = self.events.len().saturating_sub(EVENTS);
        self.events.drain(..over);
    }
    fn stand(&mut self, mode: Mode, says: &str) {
        self.mode = mode;
        self.says = says.into();
        self.note(says);
    }
    fn step(&self) -> Option<&Step> {
        self.follow.as_ref().and_then(|f| f.program.steps.get(f.at))
    }
    /// Where the nose is at fraction `t` of a step. Axes that it does not move stay where they stand: before its first move a program does not know where that is.
    fn nose_at(&self, s: &Step, t: f64) -> DVec3 {
        // In machine coordinates a cutter's length is not in it.
        let h = s.length_offset.filter(|_| !s.machine);
        let length = h.and_then(|h| self.lengths.get(&h)).copied().unwrap_or(0.0);
        let mut p = s.at(t) + self.zero + DVec3::Z * length;
        let round = matches!(s.shape, program::Shape::Arc { .. });
        for axis in 0..3 {
            if (s.to[axis] - s.from[axis]).abs() < 1e-9 && !(round && axis < 2) {
                p[axis] = self.nose[axis];
            }
        }
        p
    }

    /// So much time has passed since it was asked last.
    pub fn advance(&mut self, now: Instant) {
        let passed = now.saturating_duration_since(self.seen);
        self.seen = now;
        self.pass(passed);
    }
    /// So much of a clock's time passes.
    pub fn pass(&mut self, real: Duration) {
        let mut left = real.as_secs_f64() * self.factor;
        while self.mode == Mode::Running {
            let Some((step, takes, into)) =
                self.follow.as_ref().and_then(|f| Some((f.program.steps.get(f.at)?.clone(), f.takes[f.at], f.into)))
            else {
                self.stand(Mode::Done, "The program is at its end");
                return;
            };
            self.line = step.line;
            if into <= 0.0 && self.objects(&step) {
                return;
            }
            let share = if matches!(step.kind, StepKind::Feed { .. }) { self.percent / 100.0 } else { 1.0 };
            let wants = takes - into;
            if wants > 0.0 && (share <= 0.0 || left * share < wants) {
                // In the middle of it.
                if let Some(f) = &mut self.follow {
                    f.into = into + left * share;
                    f.ran += left;
                }
                let t = if takes > 0.0 { ((into + left * share) / takes).at_most(1.0) } else { 1.0 };
                self.nose = if step.moves() { self.nose_at(&step, t) } else { self.nose };
                return;
            }
            let spent = if share > 0.0 { wants / share } else { 0.0 };
            left -= spent;
            if step.moves() {
                self.nose = self.nose_at(&step, 1.0);
            }
            if step.kind == StepKind::ToolChange && step.tool != self.tool {
                self.tool = step.tool;
                self.note(&format!("T{} is in the spindle", step.tool));
            }
            if let Some(f) = &mut self.follow {
                f.ran += spent;
                f.at += 1;
                f.into = 0.0;
            }
            match step.kind {
                StepKind::Pause { optional } if !optional || self.optional_stop => {
                    let word = if optional { "M1" } else { "M0" };
                    self.stand(Mode::Stopped, &format!("{word} at line {}", step.line));
                }
                _ if self.single && takes > 0.0 => {
                    self.stand(Mode::Held, &format!("After line {}: single step", step.line));
                }
                _ => {}
            }
        }
    }
    /// Before a step begins: does the machine stand by itself? It is told then.
    fn objects(&mut self, s: &Step) -> bool {
        let Some((m, _)) = self.machine.clone() else { return true };
        if self.door_open {
            self.stand(Mode::Held, "The door is open");
            return true;
        }
        if s.coolant && !self.coolant_enough {
            self.stand(Mode::Held, "The tank is empty: fill it up, then cycle start");
            return true;
        }
        if let Some(k) = self.faults.iter().position(|f| matches!(f, Fault::Power { line } if s.line >= *line)) {
            self.faults.remove(k);
            self.power(false);
            return true;
        }
        let line = s.line;
        if s.kind == StepKind::ToolChange && s.tool != 0 && !self.hidden.cutters.contains_key(&s.tool) {
            return self.alarm(line, &format!("T{} is not in its place", s.tool));
        }
        if let Some(rpm) = s.spindle.map(f64::abs).filter(|r| *r > m.rpm_max + 0.5) {
            return self.alarm(line, &format!("S{rpm:.0} is more than the {:.0} that the spindle turns", m.rpm_max));
        }
        if !s.moves() {
            return false;
        }
        if let Some(h) = s.length_offset.filter(|h| !s.machine && !self.lengths.contains_key(h)) {
            return self.alarm(line, &format!("no length is entered for H{h}"));
        }
        let quarters = if matches!(s.shape, program::Shape::Arc { .. }) { 8 } else { 1 };
        for k in 1..=quarters {
            let at = self.nose_at(s, f64::from(k) / f64::from(quarters));
            for axis in 0..3 {
                let (lo, hi) = (m.travel_min_mm[axis], m.travel_max_mm[axis]);
                if at[axis] < lo - 1e-6 || at[axis] > hi + 1e-6 {
                    let name = ["X", "Y", "Z"][axis];
                    let what = format!("{name} {:.3} is beyond the travel of {lo:.1} to {hi:.1}", at[axis]);
                    return self.alarm(line, &what);
                }
            }
            let length = self.hidden.cutters.get(&self.tool).map_or(0.0, |c| c.length_mm);
            if at.z - length < -m.nose_to_table_mm {
                return self.alarm(line, &format!("T{} would go into the table", self.tool));
            }
        }
        if matches!(s.kind, StepKind::Feed { .. }) {
            if s.spindle.is_none() {
                return self.alarm(line, "it feeds and the spindle stands");
            }
            if let Some(k) = self.faults.iter().position(|f| matches!(f, Fault::Break { line: l } if line >= *l)) {
                self.faults.remove(k);
                if let Some(c) = self.hidden.cutters.get_mut(&self.tool).filter(|c| !c.broken) {
                    c.broken = true;
                    c.length_mm -= BROKEN;
                }
                return self.alarm(line, &format!("the load on the spindle fell away; look at T{}", self.tool));
            }
        }
        false
    }
    fn alarm(&mut self, line: u32, what: &str) -> bool {
        self.stand(Mode::Alarm, &format!("Line {line}: {what}"));
        true
    }
    fn power(&mut self, on: bool) {
        if on == (self.mode != Mode::Off) {
            return;
        }
        if on {
            self.stand(Mode::Lost, "Power is back: send the axes to their reference point");
            return;
        }
        let line = self.line;
        let says = if line > 0 && matches!(self.mode, Mode::Running | Mode::Held | Mode::Stopped) {
            format!("The power went at line {line}")
        } else {
            "Without power".into()
        };
        self.stand(Mode::Off, &says);
        // What does not survive: where the program was.
        self.follow = None;
    }

    /// Do what is ordered.
    pub fn order(&mut self, order: &Order, now: Instant) -> Reply {
        let done = self.obey(order, now);
        let mut reply = self.answer();
        match done {
            Ok(gave) => reply.gave = gave,
            Err(no) => reply.no = Some(no),
        }
        if *order == Order::Reveal {
            reply.hidden = Some(self.hidden.clone());
        }
        reply
    }
    fn obey(&mut self, order: &Order, now: Instant) -> Result<Option<f64>, String> {
        match order {
            Order::State | Order::Reveal => return Ok(None),
            Order::Fault { fault } => {
                self.put(*fault, now);
                return Ok(None);
            }
            Order::Power { on } => {
                self.power(*on);
                return Ok(None);
            }
            Order::Factor { times } if (0.1..=100_000.0).contains(times) => {
                self.factor = *times;
                return Ok(None);
            }
            Order::Factor { .. } => return Err("It runs 0.1 to 100 000 times as fast as a real one".into()),
            _ if self.mode == Mode::Off => return Err("The machine is without power".into()),
            _ => {}
        }
        let running = self.mode == Mode::Running;
        match order {
            Order::Take { who, machine, dialect } => return self.take(who, machine, dialect).map(|()| None),
            Order::Door { open } => {
                self.door_open = *open;
                if running && *open {
                    self.stand(Mode::Held, "The door is open");
                }
                return Ok(None);
            }
            Order::Coolant { enough } => {
                self.coolant_enough = *enough;
                return Ok(None);
            }
            Order::Override { percent } if (0.0..=200.0).contains(percent) => {
                self.percent = *percent;
                return Ok(None);
            }
            Order::Override { .. } => return Err("The feed goes from 0 to 200 %".into()),
            Order::OptionalStop { on } => {
                self.optional_stop = *on;
                return Ok(None);
            }
            Order::Single { on } => {
                self.single = *on;
                return Ok(None);
            }
            Order::Hold => {
                if running {
                    self.stand(Mode::Held, "Feed hold");
                }
                return Ok(None);
            }
            Order::Reset => {
                (self.follow, self.line) = (None, 0);
                let next = if self.mode == Mode::Lost { Mode::Lost } else { Mode::Idle };
                self.stand(next, "Reset");
                return Ok(None);
            }
            _ if running => return Err("A program runs: hold it or wait for its end".into()),
            _ => {}
        }
        self.at_rest(order)
    }
    /// What is done only while no program runs.
    fn at_rest(&mut self, order: &Order) -> Result<Option<f64>, String> {
        let Some((m, _)) = self.machine.clone() else {
            return Err("The machine is nobody's: take it first".into());
        };
        match order {
            Order::Release => {
                self.follow = None;
                self.who = None;
                self.stand(if self.mode == Mode::Lost { Mode::Lost } else { Mode::Idle }, "Let go");
            }
            Order::Fit { tool, length_mm, diameter_mm } => {
                self.hidden.fit(*tool, *length_mm, *diameter_mm);
                self.note(&format!("T{tool} is put in its place"));
            }
            Order::Home => {
                self.nose = DVec3::from_array(m.reference_mm());
                if self.mode == Mode::Lost {
                    self.stand(Mode::Idle, "Axes are at their reference point");
                }
            }
            _ if self.mode == Mode::Lost => {
                return Err("The axes do not know where they are: send them to their reference point".into());
            }
            Order::Setter { tool } => {
                let c = *self.hidden.cutters.get(tool).ok_or_else(|| format!("T{tool} is not in its place"))?;
                self.tool = *tool;
                let length = self.hidden.about(c.length_mm, SETTER);
                self.note(&format!("T{tool} is {length:.3} mm long at the setter"));
                return Ok(Some(length));
            }
            Order::Touch { at, axis, side, with } => return self.touch(*at, *axis, *side, *with).map(Some),
            Order::Middle { at, axis, off_mm } if *axis < 2 => {
                let real = self.hidden.real(DVec3::from_array(*at));
                return Ok(Some(self.hidden.about(real[*axis], *off_mm)));
            }
            Order::Height { tool, nominal_mm, zero_mm } => {
                let c = *self.hidden.cutters.get(tool).ok_or_else(|| format!("T{tool} is not in its place"))?;
                let entered = *self.lengths.get(tool).ok_or_else(|| format!("no length is entered for T{tool}"))?;
                let zero = self.hidden.real(DVec3::Z * *zero_mm).z;
                let height = nominal_mm + (entered - c.length_mm) + (self.zero.z - zero);
                return Ok(Some(self.hidden.about(height, GAUGED)));
            }
            Order::Gauge { nominal_mm } => {
                let size = nominal_mm + self.hidden.large;
                return Ok(Some(self.hidden.about(size, GAUGED)));
            }
            Order::Zero { axis, value } if *axis < 3 && value.is_finite() => {
                self.zero[*axis] = *value;
                self.note(&format!("{} of G54 is {value:.3}", ["X", "Y", "Z"][*axis]));
            }
            Order::Length { tool, value } if value.is_finite() && *value > 0.0 => {
                self.lengths.insert(*tool, *value);
                self.note(&format!("Length of T{tool} is {value:.3}"));
            }
            Order::Load { name, text } => {
                self.compile(text)?;
                self.text = Some((name.clone(), text.clone()));
                self.follow = None;
                self.stand(Mode::Idle, &format!("{name} is loaded, sum {}", sum(text)));
            }
            Order::Start => return self.start().map(|()| None),
            _ => return Err("That cannot be done here".into()),
        }
        Ok(None)
    }
    fn take(&mut self, who: &str, machine: &Machine, dialect: &Dialect) -> Result<(), String> {
        if let Some(other) = self.who.as_deref().filter(|w| *w != who) {
            return Err(format!("The machine is taken by {other}"));
        }
        if self.who.is_some() && self.machine.as_ref().is_some_and(|(m, d)| (m, d) == (machine, dialect)) {
            return Ok(());
        }
        let middle = machine.middle_mm();
        self.seed = self.seed.wrapping_add(1);
        self.hidden = Hidden::new(self.seed, geom::DVec2::from_array(middle));
        self.nose = DVec3::from_array(machine.reference_mm());
        self.machine = Some((machine.clone(), dialect.clone()));
        self.who = Some(who.into());
        (self.text, self.follow, self.tool) = (None, None, 0);
        (self.zero, self.lengths) = (DVec3::ZERO, BTreeMap::new());
        self.faults.clear();
        let next = if self.mode == Mode::Lost { Mode::Lost } else { Mode::Idle };
        self.stand(next, &format!("Taken by {who}"));
        Ok(())
    }
    fn touch(&mut self, at: [f64; 3], axis: usize, side: f64, with: With) -> Result<f64, String> {
        if axis > 2 || (side.abs() - 1.0).abs() > 1e-9 || at.iter().any(|v| !v.is_finite()) {
            return Err("Touch along X, Y or Z (0, 1, 2), from side 1 or −1".into());
        }
        let (off, r) = match with {
            With::Tip { diameter_mm, length_mm, off_mm } => {
                if let Some(k) = self.faults.iter().position(|f| *f == Fault::Probe) {
                    self.faults.remove(k);
                    return Err("The tip did not answer and was stopped: look at it, at its battery, at chips on the face; then touch again".into());
                }
                (off_mm, if axis == 2 { length_mm } else { diameter_mm / 2.0 })
            }
            With::Cutter { tool, gap_mm, off_mm } => {
                let c = *self.hidden.cutters.get(&tool).ok_or_else(|| format!("T{tool} is not in its place"))?;
                self.tool = tool;
                (off_mm, gap_mm + if axis == 2 { c.length_mm } else { c.diameter_mm / 2.0 })
            }
        };
        let found = self.hidden.touch(DVec3::from_array(at), axis, side, r);
        let read = self.hidden.about(found, off);
        self.nose[axis] = read;
        self.note(&format!("Touched at {} {read:.3}", ["X", "Y", "Z"][axis]));
        Ok(read)
    }
    fn compile(&self, text: &str) -> Result<Program, String> {
        let Some((m, d)) = &self.machine else { return Err("The machine is nobody's: take it first".into()) };
        let settings = ReadSettings {
            zero_in_machine: self.zero,
            dialect: d.clone(),
            reference: m.reference_mm().into(),
            radii: self.hidden.cutters.iter().map(|(t, c)| (*t, c.diameter_mm / 2.0)).collect(),
            ..ReadSettings::default()
        };
        program::read(text, &settings).map_err(|e| e.to_string())
    }
    fn start(&mut self) -> Result<(), String> {
        if self.door_open {
            return Err("The door is open: shut it".into());
        }
        match self.mode {
            Mode::Alarm => return Err("An alarm stands: reset first".into()),
            Mode::Held | Mode::Stopped => {
                self.mode = Mode::Running;
                self.says = String::new();
                self.note("Cycle start, on from where it stood");
                return Ok(());
            }
            _ => {}
        }
        let Some((name, text)) = self.text.clone() else { return Err("No program is loaded".into()) };
        // Zeros may have been entered since it was loaded.
        let program = self.compile(&text)?;
        let Some((m, _)) = &self.machine else { return Err("The machine is nobody's".into()) };
        let takes = seconds(&program.steps, &Motion::of(m));
        self.follow = Some(Follow { program, takes, at: 0, into: 0.0, ran: 0.0 });
        self.mode = Mode::Running;
        self.says = String::new();
        self.note(&format!("Cycle start of {name}"));
        Ok(())
    }
    fn put(&mut self, fault: Fault, now: Instant) {
        match fault {
            Fault::Line { seconds } => {
                self.silent_until = Some(now + Duration::from_secs_f64(seconds.clamp(0.0, 3600.0)));
            }
            Fault::Askew { mm_in_100 } => self.hidden.turn = (mm_in_100 / 100.0).atan(),
            Fault::Moved { by } => self.hidden.shift += DVec3::from_array(by),
            Fault::Large { by } => self.hidden.large = by,
            Fault::Break { .. } | Fault::Power { .. } | Fault::Probe => self.faults.push(fault),
        }
    }
    /// How it stands, as an answer.
    pub fn answer(&self) -> Reply {
        let step = self.step().filter(|_| self.mode == Mode::Running);
        let applied = self.lengths.get(&self.tool).copied().unwrap_or(0.0);
        let state = State {
            mode: self.mode,
            says: self.says.clone(),
            who: self.who.clone(),
            program: self.text.as_ref().map(|t| t.0.clone()),
            sum: self.text.as_ref().map_or_else(String::new, |t| sum(&t.1)),
            lines: self.text.as_ref().map_or(0, |t| t.1.lines().count() as u32),
            line: self.line,
            machine_mm: self.nose.to_array(),
            work_mm: (self.nose - self.zero - DVec3::Z * applied).to_array(),
            tool: self.tool,
            spindle: step.and_then(|s| s.spindle).unwrap_or(0.0),
            feed: match step.map(|s| &s.kind) {
                Some(StepKind::Feed { feed }) => *feed,
                _ => 0.0,
            },
            override_percent: self.percent,
            factor: self.factor,
            optional_stop: self.optional_stop,
            single: self.single,
            door_open: self.door_open,
            coolant_enough: self.coolant_enough,
            ran_min: self.follow.as_ref().map_or(0.0, |f| f.ran / 60.0),
            takes_min: self.follow.as_ref().map_or(0.0, |f| f.takes.iter().sum::<f64>() / 60.0),
            zero_mm: self.zero.to_array(),
            lengths_mm: self.lengths.clone(),
            events: self.events.clone(),
        };
        Reply { no: None, gave: None, hidden: None, state }
    }
}
