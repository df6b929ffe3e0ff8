//! A card and a machine with a line: what is read from it, what is entered in it, and a whole card worked through.

use crate::answer::{self, Act, Entry, Judged, Standing};
use crate::card::{Card, Reads, Sets, Step, StepKind, Way};
use machine::{Link, Mode, Order, State, With};
use std::collections::BTreeMap;
use std::time::Duration;

/// What is asked of the machine for a number.
pub fn order(reads: &Reads) -> Order {
    match *reads {
        Reads::Length { tool } => Order::Setter { tool },
        Reads::Face { at, axis, side, size_mm, tool, off_mm } => {
            let with = match tool {
                Some(tool) => With::Cutter { tool, gap_mm: size_mm, off_mm },
                None => With::Tip { diameter_mm: size_mm, length_mm: 0.0, off_mm },
            };
            Order::Touch { at, axis, side, with }
        }
        Reads::Middle { at, axis, off_mm } => Order::Middle { at, axis, off_mm },
        Reads::Height { tool, nominal_mm, zero_mm } => Order::Height { tool, nominal_mm, zero_mm },
        Reads::Size { nominal_mm } => Order::Gauge { nominal_mm },
    }
}

/// What is entered in the control after a step: numbers that were typed and numbers that came out.
pub fn entered(way: &Way, judged: &[Judged]) -> Vec<Order> {
    let typed = way.asks.iter().map(|a| (&a.id, a.sets));
    let out = way.outcomes.iter().map(|o| (&o.id, o.sets));
    typed
        .chain(out)
        .filter_map(|(id, sets)| {
            let value = judged.iter().find(|j| j.id == *id)?.value;
            Some(match sets? {
                Sets::Zero { axis } => Order::Zero { axis, value },
                Sets::Length { tool } => Order::Length { tool, value },
            })
        })
        .collect()
}

/// Cutters of a card as they are put into their places.
pub fn fitted(card: &Card) -> Vec<Order> {
    let fit =
        |t: &crate::card::CardTool| Order::Fit { tool: t.number, length_mm: t.length_mm, diameter_mm: t.diameter_mm };
    card.tools.iter().map(fit).collect()
}

/// So often a machine is looked at, and so many times in vain before it is given up: ten seconds.
const LOOK: Duration = Duration::from_millis(5);
const LOST: u32 = 2000;

/// A program that stopped, and the rest of it from this line on.
pub type Rest<'a> = &'a dyn Fn(&str, u32) -> Result<String, String>;

/// Somebody without eyes and hands of their own: works through a card on a machine, always by the first way that the machine can read, and types what it
/// reads. What it cannot read is typed as planned.
pub struct Hands<'a> {
    /// The card.
    pub card: &'a Card,
    /// The machine, taken, with its cutters in place.
    pub link: &'a Link,
    /// Text of a program by its file.
    pub text: &'a dyn Fn(&str) -> Option<String>,
    /// The rest of a program after a cutter broke or the power went.
    pub rest: Rest<'a>,
    /// Told before each step.
    pub before: &'a dyn Fn(&Step),
}

impl Hands<'_> {
    /// All steps, to the end.
    ///
    /// # Errors
    /// In words: what the machine refuses, an alarm that nothing is known against, or a step that stands still.
    pub fn work(&self) -> Result<Vec<Entry>, String> {
        let mut entries: Vec<Entry> = Vec::new();
        let put = |entries: &mut Vec<Entry>, act: Act| {
            answer::may(self.card, 0, entries, &act).map_err(|e| e.to_string())?;
            let at_ms = entries.len() as i64;
            entries.push(Entry { id: format!("hand-{at_ms}"), who: "the machine".into(), at_ms, act });
            Ok::<(), String>(())
        };
        for s in &self.card.steps {
            (self.before)(s);
            let way = s.ways.iter().find(|w| w.asks.iter().all(|a| a.reads.is_some() || a.unsaid.is_some()));
            let way = way.or(s.ways.first()).ok_or_else(|| format!("{}: no way", s.id))?;
            for act in self.at(s)? {
                put(&mut entries, act)?;
            }
            let values = self.values(s, way)?;
            let done = |sure| Act::Done {
                step: s.id.clone(),
                way: way.id.clone(),
                values: values.clone(),
                sure,
                note: String::new(),
            };
            put(&mut entries, done(false))?;
            let stands = |entries: &[Entry]| {
                let now = answer::state(self.card, 0, entries);
                now.steps.into_iter().find(|x| x.id == s.id)
            };
            let mut at = stands(&entries).ok_or_else(|| format!("{}: gone", s.id))?;
            if at.standing == Standing::Doubt {
                put(&mut entries, done(true))?;
                at = stands(&entries).ok_or_else(|| format!("{}: gone", s.id))?;
            }
            let Some(answered) = at.answer.filter(|_| at.standing == Standing::Done) else {
                return Err(format!("{}: the card stands still with {values:?}", s.id));
            };
            for o in entered(way, &answered.judged) {
                self.link.ask(&o)?;
            }
        }
        put(&mut entries, Act::Ended { good: true, cause: String::new() })?;
        Ok(entries)
    }
    fn values(&self, s: &Step, way: &Way) -> Result<BTreeMap<String, f64>, String> {
        let mut out = BTreeMap::new();
        for a in &way.asks {
            let value = match &a.reads {
                Some(r) => self.read(&order(r))?,
                // What an earlier step had counts.
                None if a.from.is_some() => None,
                None => a.planned.or(a.unsaid),
            };
            match value {
                Some(v) => _ = out.insert(a.id.clone(), v),
                None if a.from.is_some() => {}
                None => return Err(format!("{}: nobody knows {}", s.id, a.label)),
            }
        }
        Ok(out)
    }
    /// Read a number. A tip that did not answer is tried once more; a lost line is waited for, for reading twice changes nothing.
    fn read(&self, o: &Order) -> Result<Option<f64>, String> {
        let mut refused = false;
        for _ in 0..LOST {
            match self.link.exchange(o) {
                Ok(r) if r.no.is_none() => return Ok(r.gave),
                Ok(r) if refused => return Err(r.no.unwrap_or_default()),
                Ok(_) => refused = true,
                Err(_) => std::thread::sleep(LOOK),
            }
        }
        Err("The machine is not heard any more".into())
    }
    fn file(&self, s: &Step) -> Result<&str, String> {
        let p = self.card.programs.iter().find(|p| p.setup == s.setup);
        p.map(|p| p.file.as_str()).ok_or_else(|| format!("{}: no program", s.id))
    }
    /// What is done at the machine in a step, and what is noted of it.
    fn at(&self, s: &Step) -> Result<Vec<Act>, String> {
        match s.kind {
            StepKind::Program => {
                let file = self.file(s)?;
                let text = (self.text)(file).ok_or_else(|| format!("{file}: no such program"))?;
                let now = self.link.ask(&Order::Load { name: file.into(), text })?.state;
                let sum = self.card.programs.iter().find(|p| p.file == file).map(|p| p.sum.as_str());
                if sum != Some(now.sum.as_str()) {
                    return Err(format!("{file}: the control has another text, sum {}", now.sum));
                }
            }
            StepKind::DryRun => {
                let Some(raise) = s.raise_mm.filter(|r| *r > 0.0) else { return Ok(Vec::new()) };
                let z = self.link.ask(&Order::State)?.state.zero_mm[2];
                self.link.ask(&Order::Zero { axis: 2, value: z + raise })?;
                self.start()?;
                let mut now = self.wait()?;
                while now.mode == Mode::Stopped {
                    self.start()?;
                    now = self.wait()?;
                }
                if now.mode != Mode::Done {
                    return Err(format!("{}: {}", s.id, now.says));
                }
                self.link.ask(&Order::Reset)?;
                self.link.ask(&Order::Zero { axis: 2, value: z })?;
            }
            StepKind::FirstCut => {
                let reads = s.ways.iter().flat_map(|w| &w.asks).find_map(|a| match a.reads {
                    Some(Reads::Height { tool, nominal_mm, .. }) => Some((tool, a.planned? - nominal_mm)),
                    _ => None,
                });
                if let Some((tool, short)) = reads {
                    let had = self.link.ask(&Order::State)?.state.lengths_mm.get(&tool).copied();
                    let value = had.ok_or_else(|| format!("{}: no length of T{tool}", s.id))? + short;
                    self.link.ask(&Order::Length { tool, value })?;
                }
            }
            StepKind::Run => return self.run(s),
            StepKind::ByHand => self.to_the_end()?,
            _ => {}
        }
        Ok(Vec::new())
    }
    /// After the last stop there is nothing left but the program's end.
    fn to_the_end(&self) -> Result<(), String> {
        if self.link.ask(&Order::State)?.state.mode == Mode::Stopped {
            self.start()?;
            self.wait()?;
        }
        Ok(())
    }
    /// From cycle start to the next stop, over whatever breaks on the way.
    fn run(&self, s: &Step) -> Result<Vec<Act>, String> {
        let mut acts = Vec::new();
        let file = self.file(s)?;
        self.start()?;
        loop {
            let now = self.wait()?;
            match now.mode {
                Mode::Stopped | Mode::Done => return Ok(acts),
                Mode::Alarm if now.says.contains("look at T") => {
                    self.link.ask(&Order::Reset)?;
                    let t = self.card.tools.iter().find(|t| t.number == now.tool);
                    let t = t.ok_or_else(|| format!("{}: T{} is not on the card", s.id, now.tool))?;
                    self.link.ask(&Order::Fit {
                        tool: t.number,
                        length_mm: t.length_mm,
                        diameter_mm: t.diameter_mm,
                    })?;
                    let length = self.read(&Order::Setter { tool: t.number })?.unwrap_or(t.length_mm);
                    self.link.ask(&Order::Length { tool: t.number, value: length })?;
                    acts.push(Act::Cutter { tool: t.number, length_mm: length, why: "broken".into() });
                    self.go_on(file, now.line)?;
                }
                Mode::Off => {
                    self.link.ask(&Order::Power { on: true })?;
                    self.link.ask(&Order::Home)?;
                    acts.push(Act::Note { text: now.says.clone() });
                    self.go_on(file, now.line)?;
                }
                _ => return Err(format!("{}: {}", s.id, now.says)),
            }
        }
    }
    fn go_on(&self, file: &str, line: u32) -> Result<(), String> {
        let text = (self.rest)(file, line)?;
        self.link.ask(&Order::Load { name: format!("rest of {file}"), text })?;
        self.start()?;
        Ok(())
    }
    /// Cycle start. Where the line is lost it is not known whether it was heard: that is looked at before it is given again, for a second one could start what
    /// had stopped.
    fn start(&self) -> Result<(), String> {
        let happened = |s: &State| s.events.last().map_or(0, |e| e.number);
        let before = happened(&self.heard()?);
        for _ in 0..LOST {
            match self.link.exchange(&Order::Start) {
                Ok(r) => return r.no.map_or(Ok(()), Err),
                Err(_) if happened(&self.heard()?) > before => return Ok(()),
                Err(_) => {}
            }
        }
        Err("The machine does not start".into())
    }
    /// How it stands, as soon as it is heard.
    fn heard(&self) -> Result<State, String> {
        for _ in 0..LOST {
            if let Ok(r) = self.link.exchange(&Order::State) {
                return Ok(r.state);
            }
            std::thread::sleep(LOOK);
        }
        Err("The machine is not heard any more".into())
    }
    /// Until it stands. A line that is lost is waited for: the machine goes on by itself.
    fn wait(&self) -> Result<State, String> {
        loop {
            let now = self.heard()?;
            if now.mode != Mode::Running {
                return Ok(now);
            }
            std::thread::sleep(LOOK);
        }
    }
}
