//! `goldchip plan` and `goldchip prove`.

use crate::programs::{self, Opened};
use holding::HoldKind;
use job::files;
use job::{JobError, Settled};
use lexopt::prelude::*;
use proof::Proof;
use reason::Severity;
use shop::Shop;
use std::ffi::OsString;
use std::path::{Path, PathBuf};
use std::time::Instant;

/// The hidden word with which this program starts itself to read a model.
pub const READER_WORD: &str = "read-model";

pub(crate) const USAGE: &str = "usage: goldchip plan PART (STEP, STL, 3MF or DXF) [--material NAME] [--machine NAME] [--stock X,Y,Z | --rack CSV] [--solid N] [--stays N] [--unit mm|inch|cm|m]
                [--thickness MM] [--answer QUESTION=ANSWER]… [--hold vise|soft-jaws[,…]] [--scheme NAME] [--pieces N] [--compare] [--dialect NAME] [--shop FILE] --out DIR
       goldchip questions PART [--solid N] [--unit mm|inch|cm|m] [--answer QUESTION=ANSWER]…
       goldchip prove PLAN_DIR [--shop FILE]
       goldchip dialects [--long] [--shop FILE]
       goldchip post PLAN_DIR --dialect NAME --out DIR [--shop FILE]
       goldchip sheet PLAN_DIR --out FILE.pdf [--paper a4|letter] [--tools FILE.csv] [--inspection FILE.csv] [--shop FILE]
       goldchip what-if PLAN_DIR [--shop FILE]
       goldchip read PROGRAM --dialect NAME [--shop FILE]
       goldchip run PLAN_DIR [--machine 127.0.0.1:PORT] [--times N] [--faults] [--shop FILE]";

pub(crate) enum Failure {
    /// Exit 2.
    Refused(String),
    /// Exit 1.
    Internal(String),
}

impl From<lexopt::Error> for Failure {
    fn from(e: lexopt::Error) -> Self {
        Failure::Refused(format!("{e}; {USAGE}"))
    }
}

impl From<JobError> for Failure {
    fn from(e: JobError) -> Self {
        match e {
            JobError::Read(intake::ReadError::Reader(_)) => Failure::Internal(e.to_string()),
            e => Failure::Refused(e.to_string()),
        }
    }
}

/// A line to standard output; a closed pipe is no reason to fail.
macro_rules! say {
    ($($t:tt)*) => { { use std::io::Write as _; let _ = writeln!(std::io::stdout(), "{}", reason::plain(&format!($($t)*))); } };
}
pub(crate) use say;

/// Run and give the exit code.
pub fn run(args: Vec<OsString>) -> i32 {
    let done = std::panic::catch_unwind(|| command(args));
    match done {
        Ok(Ok(code)) => code,
        Ok(Err(Failure::Refused(why))) => {
            eprintln!("goldchip: {}", reason::plain(&why.replace('\n', " ")));
            2
        }
        Ok(Err(Failure::Internal(why))) => {
            eprintln!("goldchip: {}", reason::plain(&why.replace('\n', " ")));
            1
        }
        Err(_) => {
            eprintln!(
                "goldchip: an internal error stopped the work (above); nothing was proved; please report it with the model"
            );
            1
        }
    }
}

fn command(args: Vec<OsString>) -> Result<i32, Failure> {
    let mut parser = lexopt::Parser::from_args(args);
    match parser.next()? {
        Some(Value(word)) if word == "plan" => plan(parser),
        Some(Value(word)) if word == "questions" => questions(parser),
        Some(Value(word)) if word == "prove" => prove(parser),
        Some(Value(word)) if word == "dialects" => programs::dialects(parser),
        Some(Value(word)) if word == "post" => programs::post(parser),
        Some(Value(word)) if word == "sheet" => programs::sheet(parser),
        Some(Value(word)) if word == "what-if" => programs::what_if(parser),
        Some(Value(word)) if word == "run" => crate::rehearse::run(parser),
        Some(Value(word)) if word == "read" => programs::read(parser),
        Some(Short('h') | Long("help")) => {
            say!("{USAGE}");
            Ok(0)
        }
        Some(Value(word)) => Err(Failure::Refused(format!("'{}' is not a command; {USAGE}", word.to_string_lossy()))),
        Some(other) => Err(other.unexpected().into()),
        None => Err(Failure::Refused(USAGE.into())),
    }
}

fn sizes(text: &str) -> Result<[f64; 3], Failure> {
    let parts: Vec<f64> = text.split(',').map(str::trim).map_while(|p| p.parse().ok()).collect();
    match parts[..] {
        [x, y, z] if text.split(',').count() == 3 => Ok([x, y, z]),
        _ => Err(Failure::Refused(format!(
            "--stock {text} is not three lengths in mm; write for example --stock 80,50,25"
        ))),
    }
}

/// Ways of holding, by their words.
fn kinds(text: &str) -> Result<Vec<HoldKind>, Failure> {
    let known = || HoldKind::ALL.map(|k| k.words().replace(' ', "-")).join(", ");
    text.split(',')
        .map(|w| {
            HoldKind::of(w)
                .ok_or_else(|| Failure::Refused(format!("--hold {w} is no way of holding; there are {}", known())))
        })
        .collect()
}

pub(crate) fn reader() -> Result<PathBuf, Failure> {
    std::env::current_exe().map_err(|e| Failure::Internal(format!("the program cannot find itself ({e})")))
}

/// The best piece of a rack given as a table.
fn from_rack(table: &Path, part: &part::Part, shop: &Shop, settled: &Settled) -> Result<job::Laid, Failure> {
    let text = std::fs::read_to_string(table)
        .map_err(|e| Failure::Refused(format!("the rack {} cannot be read: {e}", table.display())))?;
    let materials: Vec<(String, String)> = shop.materials.iter().map(|m| (m.id.clone(), m.name.clone())).collect();
    let rack = stock::read_csv(&text, &materials);
    if let Some(e) = rack.errors.first() {
        let more = rack.errors.len() - 1;
        let more = if more > 0 { format!(" ({more} more)") } else { String::new() };
        return Err(Failure::Refused(format!("{}, line {}: {}{more}", table.display(), e.line, e.what)));
    }
    let laid = job::stocking::offer(part, shop, settled, &rack.pieces).ok_or_else(|| {
        Failure::Refused("no piece of the rack holds the part with all that is to be cut off; leave out --rack for a block by the rule".into())
    })?;
    say!("from the rack: {}", laid.piece.words());
    Ok(laid)
}

/// An answer as it is given.
fn answered(text: &str, settled: &mut Settled) -> Result<(), Failure> {
    let Some((question, answer)) = text.rsplit_once('=') else {
        return Err(Failure::Refused(format!(
            "--answer {text} has no '='; write for example --answer \"flat bottoms=as drawn\""
        )));
    };
    settled.answers.insert(question.trim().into(), answer.trim().into());
    Ok(())
}

/// Answers that cannot be are refused.
fn sound(settled: &Settled) -> Result<(), Failure> {
    for (question, answer) in &settled.answers {
        let said = job::Decision::Answer { question: question.clone(), answer: Some(answer.clone()) };
        if let Some(why) = said.fault() {
            return Err(Failure::Refused(why));
        }
    }
    Ok(())
}

/// What is open about a part: each question with what may be answered, the proposal first.
fn questions(mut parser: lexopt::Parser) -> Result<i32, Failure> {
    let mut model = None::<PathBuf>;
    let mut settled = Settled::default();
    while let Some(arg) = parser.next()? {
        match arg {
            Long("solid") => {
                let n = number_of_solid("solid", &parser.value()?.string()?)?;
                settled.answers.insert("solid".into(), (n - 1).to_string());
            }
            Long("unit") => drop(settled.answers.insert("unit".into(), parser.value()?.string()?)),
            Long("answer") => answered(&parser.value()?.string()?, &mut settled)?,
            Value(v) if model.is_none() => model = Some(v.into()),
            other => return Err(other.unexpected().into()),
        }
    }
    let model = model.ok_or_else(|| Failure::Refused(format!("no model is given; {USAGE}")))?;
    sound(&settled)?;
    let part = job::read_part(&model, &settled.reading(), &reader()?, &[READER_WORD])?;
    let all = part::questions(&part, &part::recognise(&part), &settled.answers);
    for q in &all {
        say!("{}", q.text);
        for (k, c) in q.choices.iter().enumerate() {
            let mark = match &q.answer {
                Some(a) => a == &c.key,
                None => k == 0,
            };
            say!("  {} --answer \"{}={}\"   {}", if mark { "*" } else { " " }, q.id, c.key, c.words);
        }
        if let Some([before, unit]) = &q.number {
            say!("    --answer \"{}={before}NUMBER\"   {unit}", q.id);
        }
    }
    if all.is_empty() {
        say!("nothing is open about this part");
    }
    Ok(0)
}

fn plan(mut parser: lexopt::Parser) -> Result<i32, Failure> {
    let (mut model, mut out) = (None::<PathBuf>, None::<PathBuf>);
    let mut settled = Settled::default();
    let (mut machine, mut rack, mut compare) = (None::<String>, None::<PathBuf>, false);
    let mut book = None::<PathBuf>;
    while let Some(arg) = parser.next()? {
        match arg {
            Long("material") => settled.material = Some(parser.value()?.string()?),
            Long("machine") => machine = Some(parser.value()?.string()?),
            Long("stock") => settled.stock = Some(job::StockDecision::Sizes(sizes(&parser.value()?.string()?)?)),
            Long("shop") => book = Some(parser.value()?.into()),
            Long("rack") => rack = Some(parser.value()?.into()),
            Long("solid") => {
                let n = number_of_solid("solid", &parser.value()?.string()?)?;
                settled.answers.insert("solid".into(), (n - 1).to_string());
            }
            Long("stays") => {
                let n = number_of_solid("stays", &parser.value()?.string()?)?;
                settled.answers.insert(format!("stays/{}", n - 1), "yes".into());
            }
            Long("unit") => drop(settled.answers.insert("unit".into(), parser.value()?.string()?)),
            Long("thickness") => drop(settled.answers.insert("thickness".into(), parser.value()?.string()?)),
            Long("answer") => answered(&parser.value()?.string()?, &mut settled)?,
            Long("dialect") => settled.control = Some(parser.value()?.string()?),
            Long("hold") => settled.hold = Some(kinds(&parser.value()?.string()?)?),
            Long("scheme") => settled.scheme = Some(parser.value()?.string()?.parse().map_err(Failure::Refused)?),
            Long("pieces") => settled.quantity = Some(pieces(&parser.value()?.string()?)?),
            Long("compare") => compare = true,
            Long("out") => out = Some(parser.value()?.into()),
            Value(v) if model.is_none() => model = Some(v.into()),
            other => return Err(other.unexpected().into()),
        }
    }
    let model = model.ok_or_else(|| Failure::Refused(format!("no model is given; {USAGE}")))?;
    let out = out.ok_or_else(|| Failure::Refused(format!("--out DIR is missing; {USAGE}")))?;
    let shop = shop_of(book.as_deref())?;
    if let Some(name) = machine
        && !shop.machine.id.eq_ignore_ascii_case(&name)
        && !shop.machine.name.eq_ignore_ascii_case(&name)
    {
        return Err(JobError::from(shop::ShopError::NoMachine { name, known: shop.machine.id.clone() }).into());
    }
    if let Some(d) = &settled.control {
        shop.dialect(d).map_err(JobError::from)?;
    }
    if let Some(m) = &settled.material {
        shop.material(m).map_err(JobError::from)?;
    }
    sound(&settled)?;
    let mut clock = Instant::now();
    let part = job::read_part(&model, &settled.reading(), &reader()?, &[READER_WORD])?;
    let mut stages = vec![("model", clock.elapsed().as_secs_f64())];
    if let Some(table) = rack.filter(|_| settled.stock.is_none()) {
        settled.offer = Some(Box::new(from_rack(&table, &part, &shop, &settled)?));
    }
    let title = model.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
    // What several ways share is made once.
    let kept = job::cache::Memory::default();
    let desk = job::Desk::keeping(if compare { "the model" } else { "" }, &kept);
    let planned = job::plan_at(&part, &title, &shop, &settled, &desk)?;
    stages.extend(planned.stages.iter().map(|s| (s.name, s.seconds)));
    clock = Instant::now();
    let proof = job::prove_plan_at(&part, &planned.plan, &shop, &desk)?;
    stages.push(("proof", clock.elapsed().as_secs_f64()));
    clock = Instant::now();
    let here = job::Standing { plan: &planned.plan, proof: &proof };
    let schemes = if compare {
        job::compare_at(&part, &title, &shop, &settled, &here, &desk, &mut |_| {})?
    } else {
        job::estimated(&part, &shop, &settled, &here)?
    };
    stages.push(("whole ways", clock.elapsed().as_secs_f64()));
    files::write(&out, &model, &settled.reading(), &planned.plan, &proof, &shop, Some(schemes.clone()))?;
    run_card(&out, &title, &here, &part, &shop, &settled)?;
    let size = part.bounds.size();
    let stock = reason::plain(&planned.plan.scheme.stock_words()).into_owned();
    say!("part {:.2} x {:.2} x {:.2} mm, {stock}, {}", size.x, size.y, size.z, planned.plan.material);
    for side in &planned.plan.sides {
        say!(
            "{}: {} operations, {} tools, {} lines",
            side.setup.name,
            side.operations.len(),
            side.tools.len(),
            side.program.lines().count()
        );
    }
    for m in &planned.plan.made {
        let minutes = proof.made.iter().find(|(name, _)| *name == m.name).map_or(0.0, |(_, p)| p.minutes);
        say!("made/{}: {}, {minutes:.1} min", m.name, m.title);
    }
    for f in &proof.fits {
        say!(
            "{}: overlap {:.3} mm, bears on {:.0}, {:.0} and {:.0} mm²",
            f.name,
            f.overlap_mm,
            f.bears_mm2[0],
            f.bears_mm2[1],
            f.bears_mm2[2]
        );
    }
    for w in schemes.ways.iter().filter(|w| w.why_not.is_empty()) {
        let said = if w.planned { "proved" } else { "about" };
        say!("{} {}: {said} {:.1} min a piece; {}", if w.chosen { "*" } else { "-" }, w.id, w.piece_min, w.why);
    }
    schemes.refused.iter().for_each(|(words, why)| say!("cannot be: {words}: {why}"));
    schemes.pays.iter().for_each(|p| say!("{p}"));
    report(&proof);
    let times: Vec<String> = stages.iter().map(|(n, t)| format!("{n} {t:.2} s")).collect();
    say!("took {}", times.join(", "));
    Ok(code(&proof))
}

/// Beside the plan of a part that is proved: what a person at the machine is led through, as data.
fn run_card(
    out: &Path,
    title: &str,
    here: &job::Standing,
    part: &part::Part,
    shop: &Shop,
    settled: &Settled,
) -> Result<(), Failure> {
    let path = out.join("run-card.json");
    if !here.proof.passed() {
        // One of an earlier plan would lead astray.
        return match std::fs::remove_file(&path) {
            Err(e) if e.kind() != std::io::ErrorKind::NotFound => Err(Failure::Internal(e.to_string())),
            _ => Ok(()),
        };
    }
    let sheet = job::sheet::sheet(part, here.plan, here.proof, shop, settled);
    let names: Vec<String> = files::load(out)?.plan.setups.iter().map(|s| s.program.clone()).collect();
    let ending = &here.plan.sides[0].control.dialect.extension;
    let made =
        |k: usize| here.plan.made.get(k).map_or_else(String::new, |m| format!("made/{0}/1-{0}.{ending}", m.name));
    let file = |k: usize| names.get(k).cloned().unwrap_or_else(|| made(k - names.len()));
    let card = run::card(&run::make::Planned { sheet: &sheet, shop, title, file: &file }).map_err(Failure::Internal)?;
    let json = serde_json::to_string_pretty(&card).map_err(|e| Failure::Internal(e.to_string()))?;
    std::fs::write(&path, reason::plain(&json).as_bytes())
        .map_err(|e| Failure::Internal(format!("{} cannot be written: {e}", path.display())))
}

/// The shop's book of a file, as the Shop page writes it; the demo shop's where none is given.
pub(crate) fn shop_of(file: Option<&Path>) -> Result<Shop, Failure> {
    let Some(file) = file else { return Ok(Shop::demo().map_err(JobError::from)?) };
    let text = std::fs::read_to_string(file)
        .map_err(|e| Failure::Refused(format!("the shop's book {} cannot be read: {e}", file.display())))?;
    Shop::from_text(&text).map_err(|e| Failure::Refused(format!("{}: {e}", file.display())))
}

/// The book that is given, else the one that lies beside the plan, as it was planned with.
pub(crate) fn beside_or(book: Option<PathBuf>, dir: &Path) -> Option<PathBuf> {
    book.or_else(|| Some(dir.join(files::SHOP)).filter(|f| f.exists()))
}

fn pieces(text: &str) -> Result<u32, Failure> {
    let refused = |why: String| Failure::Refused(format!("--pieces {text}: {why}; write for example --pieces 50"));
    let n: u32 = text.parse().map_err(|_| refused("that is no number".into()))?;
    match (job::Decision::Quantity { pieces: Some(n) }).fault() {
        Some(why) => Err(refused(why)),
        None => Ok(n),
    }
}

fn number_of_solid(option: &str, text: &str) -> Result<u32, Failure> {
    text.parse()
        .ok()
        .filter(|n| *n > 0)
        .ok_or_else(|| Failure::Refused(format!("--{option} {text} is no number; write for example --{option} 2")))
}

fn prove(mut parser: lexopt::Parser) -> Result<i32, Failure> {
    let (mut dir, mut book) = (None::<PathBuf>, None::<PathBuf>);
    while let Some(arg) = parser.next()? {
        match arg {
            Long("shop") => book = Some(parser.value()?.into()),
            Value(v) if dir.is_none() => dir = Some(v.into()),
            other => return Err(other.unexpected().into()),
        }
    }
    let dir = dir.ok_or_else(|| Failure::Refused(format!("no plan is given; {USAGE}")))?;
    let mut opened = Opened::of(&dir)?;
    if book.is_some() {
        // The mill that it was planned for stands in the plan; now another is asked for.
        opened.loaded.plan.machine = None;
    }
    let proof = opened.proved(&shop_of(beside_or(book, &dir).as_deref())?)?;
    files::write_proof(&dir, &proof)?;
    report(&proof);
    Ok(code(&proof))
}

pub(crate) fn code(proof: &Proof) -> i32 {
    if proof.passed() { 0 } else { 3 }
}

pub(crate) fn report(proof: &Proof) {
    for f in &proof.findings {
        let severity = match f.severity {
            Severity::Stop => "stop",
            Severity::Warn => "warn",
            Severity::Note => "note",
        };
        let place =
            [f.setup.clone(), f.line.map(|l| format!("line {l}"))].into_iter().flatten().collect::<Vec<_>>().join(", ");
        say!(
            "{severity}: {}{}. {}",
            f.what,
            if place.is_empty() { String::new() } else { format!(" ({place})") },
            f.why
        );
    }
    let (verdict, _) = job::sheet::verdict(proof);
    say!(
        "{verdict}{}: gouge {:.3} mm, leftover {:.3} mm (± {:.3}), {:.1} min",
        if proof.complete { String::new() } else { format!(", {:.2} cm³ left", proof.left_mm3 / 1000.0) },
        proof.gouge_mm,
        proof.leftover_mm,
        proof.error_mm,
        proof.minutes
    );
}
