//! A run and the machine on the house's line: what is asked for a card is given as the machine's orders.

use crate::db::Conn;
use crate::db::schema::{issued, runs};
use crate::fault::Fault;
use crate::jobs as job_rows;
use crate::people::Me;
use crate::runs::{RunSheet, sheet_of};
use diesel::prelude::*;
use machine::{Fault as MachineFault, Link, Order, State};
use run::answer::Standing;
use run::at_machine;
use run::card::Loaded;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What is asked of the machine for a run.
#[derive(Debug, Clone, Deserialize, TS)]
#[serde(tag = "do", rename_all = "snake_case")]
pub enum MachineAsk {
    /// Have it for this run, with the card's cutters in their places.
    Take,
    /// Let it go.
    Release,
    /// Read a number of a step.
    Read {
        /// The step.
        step: String,
        /// The way.
        way: String,
        /// The number.
        ask: String,
    },
    /// Enter what came out of a step.
    Enter {
        /// The step.
        step: String,
    },
    /// Load a program of the card.
    Load {
        /// File.
        file: String,
    },
    /// Load the rest of one, as it was written for this run.
    LoadRest {
        /// File.
        file: String,
    },
    /// Put a new cutter in and measure it; gives its length, entered already.
    NewCutter {
        /// T.
        tool: u32,
    },
    /// Enter an axis of the zero.
    Zero {
        /// 0 X, 1 Y, 2 Z.
        axis: usize,
        /// Machine coordinate, mm.
        value: f64,
    },
    /// Enter a length.
    Length {
        /// T.
        tool: u32,
        /// mm.
        value: f64,
    },
    /// Cycle start.
    Start,
    /// Feed hold.
    Hold,
    /// To the beginning; alarms are cleared.
    Reset,
    /// To the reference point.
    Home,
    /// The main switch.
    Power {
        /// On.
        on: bool,
    },
    /// Feed override.
    Override {
        /// Percent.
        percent: f64,
    },
    /// So many times as fast as a real one.
    Factor {
        /// Times.
        times: f64,
    },
    /// Stop at M1.
    OptionalStop {
        /// It does.
        on: bool,
    },
    /// Stop after each step.
    Single {
        /// It does.
        on: bool,
    },
    /// The door.
    Door {
        /// Open.
        open: bool,
    },
    /// The tank.
    Coolant {
        /// There is enough.
        enough: bool,
    },
    /// A fault, to try what then.
    Fault {
        /// Which.
        fault: MachineFault,
    },
}

/// The machine, as a run sees it.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct MachineSays {
    /// The house has a line to one.
    pub there: bool,
    /// It is heard.
    pub heard: bool,
    /// If not, why.
    pub why: String,
    /// This run has it.
    pub mine: bool,
    /// The number that was asked for.
    pub gave: Option<f64>,
    /// How it stands.
    pub state: Option<State>,
}

impl MachineSays {
    fn away(there: bool, why: &str) -> MachineSays {
        MachineSays { there, heard: false, why: why.into(), mine: false, gave: None, state: None }
    }
}

/// The word under which a run has the machine.
fn who(run: i64) -> String {
    format!("run {run}")
}

/// How the machine stands.
pub fn state(link: Option<&Link>, run: i64) -> MachineSays {
    let Some(link) = link else { return MachineSays::away(false, "This house has no line to a machine") };
    match link.ask(&Order::State) {
        Ok(r) => said(run, r),
        Err(why) => MachineSays::away(true, &why),
    }
}

fn said(run: i64, r: machine::Reply) -> MachineSays {
    let mine = r.state.who.as_deref() == Some(&who(run));
    MachineSays { there: true, heard: true, why: String::new(), mine, gave: r.gave, state: Some(r.state) }
}

/// What is ordered for an ask, worked out from the run as it stands; the last one's number is the answer.
pub fn orders(c: &mut Conn, me: &Me, job: i64, run: i64, ask: &MachineAsk) -> Result<Vec<Order>, Fault> {
    let at = sheet_of(c, me, job, run)?;
    if at.state.ended.is_some() && !matches!(ask, MachineAsk::Release | MachineAsk::Hold) {
        return Err(Fault::Bad("This run is over; begin another one".into()));
    }
    let bad = |what: &str| Fault::Bad(what.into());
    Ok(match ask {
        MachineAsk::Take => take(c, job, run, &at)?,
        MachineAsk::Read { step, way, ask } => {
            let step = at.card.steps.iter().find(|s| s.id == *step).ok_or(Fault::NoSuch("step"))?;
            let way = step.way(way).ok_or(Fault::NoSuch("way"))?;
            let ask = way.asks.iter().find(|a| a.id == *ask).ok_or(Fault::NoSuch("number"))?;
            vec![at_machine::order(ask.reads.as_ref().ok_or_else(|| bad("No machine can read this number: type it"))?)]
        }
        MachineAsk::Enter { step } => {
            let stands = at.state.steps.iter().find(|s| s.id == *step).ok_or(Fault::NoSuch("step"))?;
            let answer = stands.answer.as_ref().filter(|_| stands.standing == Standing::Done);
            let answer = answer.ok_or_else(|| bad("This step is not done: nothing is entered from it"))?;
            let step = at.card.steps.iter().find(|s| s.id == *step).ok_or(Fault::NoSuch("step"))?;
            at_machine::entered(step.way(&answer.way).ok_or(Fault::NoSuch("way"))?, &answer.judged)
        }
        MachineAsk::Load { file } => {
            let loaded = at.card.programs.iter().find(|p| p.file == *file).ok_or(Fault::NoSuch("program"))?;
            vec![Order::Load { name: file.clone(), text: kept(c, job, loaded)? }]
        }
        MachineAsk::LoadRest { file } => {
            let text: Option<String> = issued::table
                .filter(issued::job_id.eq(job).and(issued::file.eq(file)).and(issued::sheet.eq("{}")))
                .order(issued::id.desc())
                .select(issued::program)
                .first(c)
                .optional()?;
            vec![Order::Load { name: file.clone(), text: text.ok_or(Fault::NoSuch("program"))? }]
        }
        MachineAsk::NewCutter { tool } => {
            let t = at.card.tools.iter().find(|t| t.number == *tool).ok_or(Fault::NoSuch("cutter"))?;
            let (tool, length_mm, diameter_mm) = (t.number, t.length_mm, t.diameter_mm);
            vec![Order::Fit { tool, length_mm, diameter_mm }, Order::Setter { tool }]
        }
        plain => vec![simple(plain)],
    })
}

/// Asks that are an order by themselves.
fn simple(ask: &MachineAsk) -> Order {
    match *ask {
        MachineAsk::Release => Order::Release,
        MachineAsk::Zero { axis, value } => Order::Zero { axis, value },
        MachineAsk::Length { tool, value } => Order::Length { tool, value },
        MachineAsk::Start => Order::Start,
        MachineAsk::Hold => Order::Hold,
        MachineAsk::Reset => Order::Reset,
        MachineAsk::Home => Order::Home,
        MachineAsk::Power { on } => Order::Power { on },
        MachineAsk::Override { percent } => Order::Override { percent },
        MachineAsk::Factor { times } => Order::Factor { times },
        MachineAsk::OptionalStop { on } => Order::OptionalStop { on },
        MachineAsk::Single { on } => Order::Single { on },
        MachineAsk::Door { open } => Order::Door { open },
        MachineAsk::Coolant { enough } => Order::Coolant { enough },
        MachineAsk::Fault { fault } => Order::Fault { fault },
        _ => Order::State,
    }
}

fn take(c: &mut Conn, job: i64, run: i64, at: &RunSheet) -> Result<Vec<Order>, Fault> {
    let with: i64 = runs::table.find(run).select(runs::shop_revision_id).first(c)?;
    let shop = job_rows::shop_of(c, with)?;
    let first = at.card.programs.first().ok_or(Fault::NoSuch("program"))?;
    // The programs' own control, as it was when they left.
    let sheets: Vec<(String, String)> = issued::table
        .filter(issued::job_id.eq(job).and(issued::file.eq(&first.file)).and(issued::sheet.ne("{}")))
        .order(issued::id.desc())
        .select((issued::program, issued::sheet))
        .load(c)?;
    let sheet = sheets.into_iter().find(|s| run::make::sum(&s.0) == first.sum).ok_or(Fault::NoSuch("program"))?.1;
    let sheet: job::sheet::Sheet = serde_json::from_str(&sheet).map_err(|e| Fault::internal(e.to_string()))?;
    let dialect = shop.dialect(&sheet.control.id).map_err(|e| Fault::Bad(e.to_string()))?.clone();
    let taken = Order::Take { who: who(run), machine: Box::new(shop.machine.clone()), dialect: Box::new(dialect) };
    Ok(std::iter::once(taken).chain(at_machine::fitted(&at.card)).collect())
}

/// The very text that a card speaks of.
fn kept(c: &mut Conn, job: i64, loaded: &Loaded) -> Result<String, Fault> {
    let all: Vec<String> = issued::table
        .filter(issued::job_id.eq(job).and(issued::file.eq(&loaded.file)))
        .order(issued::id.desc())
        .select(issued::program)
        .load(c)?;
    all.into_iter().find(|t| run::make::sum(t) == loaded.sum).ok_or(Fault::NoSuch("program"))
}

/// Give the orders; a refusal of the machine is told as it says it. Blocks while the machine answers.
pub fn give(link: Option<&Link>, run: i64, ask: &MachineAsk, orders: Vec<Order>) -> Result<MachineSays, Fault> {
    let Some(link) = link else { return Err(Fault::Bad("This house has no line to a machine".into())) };
    let now = match link.ask(&Order::State) {
        Ok(r) => said(run, r),
        Err(why) => return Ok(MachineSays::away(true, &why)),
    };
    if !now.mine && !matches!(ask, MachineAsk::Take) {
        return Err(Fault::Bad("This run does not have the machine: take it first".into()));
    }
    // Taken already: its cutters are in their places, and put in again they would be other ones.
    let orders = if now.mine && matches!(ask, MachineAsk::Take) { Vec::new() } else { orders };
    let mut out = now;
    for o in orders {
        out = match link.exchange(&o) {
            Err(e) => return Ok(MachineSays::away(true, &format!("The machine is not heard on its line: {e}"))),
            Ok(machine::Reply { no: Some(no), .. }) => return Err(Fault::Bad(no)),
            Ok(r) => said(run, r),
        };
    }
    if let (MachineAsk::NewCutter { tool }, Some(value)) = (ask, out.gave) {
        let gave = out.gave;
        out = match link.ask(&Order::Length { tool: *tool, value }) {
            Ok(r) => MachineSays { gave, ..said(run, r) },
            Err(why) => return Err(Fault::Bad(why)),
        };
    }
    Ok(out)
}
