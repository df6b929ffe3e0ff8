//! `goldchip run`: the run card of a plan's folder, worked through on a simulated machine.

use crate::cli::{Failure, USAGE, beside_or, say, shop_of};
use job::files;
use lexopt::prelude::*;
use machine::{Link, Order};
use run::answer::{Act, state};
use run::at_machine::{Hands, fitted};
use run::card::{Card, StepKind};
use std::net::TcpListener;
use std::path::{Path, PathBuf};

/// So much faster than a real one, where nothing else is said.
const TIMES: f64 = 10_000.0;

struct Told {
    dir: PathBuf,
    machine: Option<String>,
    book: Option<PathBuf>,
    times: f64,
    faults: bool,
}

fn told(mut parser: lexopt::Parser) -> Result<Told, Failure> {
    let (mut dir, mut machine, mut book, mut times, mut faults) = (None, None, None, TIMES, false);
    while let Some(arg) = parser.next()? {
        match arg {
            Long("machine") => machine = Some(parser.value()?.string()?),
            Long("shop") => book = Some(parser.value()?.into()),
            Long("times") => times = parser.value()?.parse()?,
            Long("faults") => faults = true,
            Value(v) if dir.is_none() => dir = Some(PathBuf::from(v)),
            other => return Err(other.unexpected().into()),
        }
    }
    let dir = dir.ok_or_else(|| Failure::Refused(format!("no plan is given; {USAGE}")))?;
    Ok(Told { dir, machine, book, times, faults })
}

/// The rest of a program of a folder, or of one of the pieces that are made for it.
fn rest(dir: &Path, file: &str, line: u32, shop: &shop::Shop) -> Result<String, String> {
    let (dir, name) = match file.rsplit_once('/') {
        Some((below, name)) => (dir.join(below), name),
        None => (dir.to_path_buf(), file),
    };
    let plan = files::load(&dir).map_err(|e| e.to_string())?.plan;
    let setup = plan.setups.iter().find(|s| s.program == name).ok_or_else(|| format!("{file}: no such program"))?;
    let tools: Vec<_> = setup.tools.iter().map(|t| t.tool.clone()).collect();
    let control = plan.control(shop).map_err(|e| e.to_string())?;
    let settings = control.settings(geom::DVec3::from_array(setup.zero_in_machine_mm), &tools);
    let text = std::fs::read_to_string(dir.join(name)).map_err(|e| format!("{file}: {e}"))?;
    let heading = program::Heading { name: "rest".into(), number: 1, ..program::Heading::default() };
    program::restart(&text, &settings, &heading, &[], line, program::GoOn::LastLift)
        .map(|r| r.text)
        .map_err(|e| e.to_string())
}

pub(crate) fn run(parser: lexopt::Parser) -> Result<i32, Failure> {
    let t = told(parser)?;
    let shop = shop_of(beside_or(t.book, &t.dir).as_deref())?;
    let plan = files::load(&t.dir)?.plan;
    let path = t.dir.join("run-card.json");
    let card = std::fs::read_to_string(&path).map_err(|e| {
        Failure::Refused(format!("{}: {e}; a card lies beside a plan that is proved: plan it again", path.display()))
    })?;
    let card: Card = serde_json::from_str(&card).map_err(|e| Failure::Refused(format!("{}: {e}", path.display())))?;
    let address = match t.machine {
        Some(a) => a,
        None => stand().map_err(|e| Failure::Internal(format!("no machine could be stood up: {e}")))?,
    };
    let link = Link::to(&address).map_err(Failure::Refused)?;
    let refused = |e: String| Failure::Refused(e);
    let dialect = Box::new(plan.control(&shop)?.dialect);
    let taken = Order::Take { who: "the command line".into(), machine: Box::new(shop.machine.clone()), dialect };
    link.ask(&taken).map_err(refused)?;
    for o in fitted(&card).into_iter().chain([Order::Factor { times: t.times }]) {
        link.ask(&o).map_err(refused)?;
    }
    let text = |file: &str| std::fs::read_to_string(t.dir.join(file)).ok();
    let before = |s: &run::Step| {
        say!("{}{}{}", s.setup, if s.setup.is_empty() { "" } else { ": " }, s.title);
        let program = card.programs.iter().find(|p| p.setup == s.setup);
        if let (true, StepKind::Run, Some(p)) = (t.faults && s.id.ends_with("/run-1"), s.kind, program) {
            // What the machine says to this is seen in the work that follows.
            for fault in [machine::Fault::Break { line: p.lines / 2 }, machine::Fault::Line { seconds: 0.2 }] {
                drop(link.ask(&Order::Fault { fault }));
            }
        }
    };
    let rest = |file: &str, line: u32| rest(&t.dir, file, line, &shop);
    let entries = Hands { card: &card, link: &link, text: &text, rest: &rest, before: &before }.work();
    let entries = match entries {
        Ok(e) => e,
        Err(why) => {
            eprintln!("goldchip: the card stands: {why}");
            return Ok(3);
        }
    };
    let end = state(&card, 0, &entries);
    let log = run::log::csv(&card, &end, &entries).map_err(Failure::Internal)?;
    let out = t.dir.join("run-log.csv");
    std::fs::write(&out, log).map_err(|e| Failure::Internal(format!("{} cannot be written: {e}", out.display())))?;
    let broke = entries.iter().filter(|e| matches!(e.act, Act::Cutter { .. })).count();
    link.ask(&Order::Release).map_err(Failure::Internal)?;
    say!("{} steps, {} programs, {broke} cutters changed: {}", card.steps.len(), card.programs.len(), out.display());
    Ok(0)
}

/// One in this process.
fn stand() -> std::io::Result<String> {
    let listener = TcpListener::bind("127.0.0.1:0")?;
    let at = listener.local_addr()?.to_string();
    std::thread::spawn(move || machine::serve::serve(&listener, fastrand::u64(..)));
    Ok(at)
}
