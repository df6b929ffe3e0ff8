//! Commands about programs alone: the controls that there are, a plan written for another one, a text told line by line.

use crate::cli::{Failure, READER_WORD, USAGE, beside_or, code, reader, report, say, shop_of};
use job::JobError;
use job::files::{self, FileError, Loaded};
use lexopt::prelude::*;
use paper::{Format, Held, Page};
use part::Part;
use program::{ReadError, ReadSettings};
use proof::Proof;
use shop::Shop;
use shop::dialect::Dialect;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// A plan's folder, or a program, with what else is told of it.
#[derive(Default)]
struct Told {
    what: Option<PathBuf>,
    dialect: Option<String>,
    out: Option<PathBuf>,
    book: Option<PathBuf>,
    long: bool,
}

fn told(mut parser: lexopt::Parser) -> Result<Told, Failure> {
    let mut t = Told::default();
    while let Some(arg) = parser.next()? {
        match arg {
            Long("dialect") => t.dialect = Some(parser.value()?.string()?),
            Long("out") => t.out = Some(parser.value()?.into()),
            Long("shop") => t.book = Some(parser.value()?.into()),
            Long("long") => t.long = true,
            Value(v) if t.what.is_none() => t.what = Some(v.into()),
            other => return Err(other.unexpected().into()),
        }
    }
    Ok(t)
}

/// A plan's folder with its part.
pub(crate) struct Opened {
    dir: PathBuf,
    pub loaded: Loaded,
    part: Part,
    reader: PathBuf,
}

impl Opened {
    pub(crate) fn of(dir: &Path) -> Result<Opened, Failure> {
        let (loaded, reader) = (files::load(dir)?, reader()?);
        let part = job::read_part(&loaded.model, &loaded.plan.part.reading, &reader, &[READER_WORD])?;
        Ok(Opened { dir: dir.into(), loaded, part, reader })
    }
    /// Another model of it.
    fn read(&self, file: &Path) -> Result<Part, JobError> {
        job::read_part(file, &intake::Reading::default(), &self.reader, &[READER_WORD])
    }
    /// Proved from its texts as they lie there now.
    pub(crate) fn proved(&self, shop: &Shop) -> Result<Proof, Failure> {
        Ok(files::prove(&self.dir, &self.loaded, &self.part, shop, &|file| self.read(file))?)
    }
}

fn dialect(name: Option<&str>, shop: &Shop) -> Result<Dialect, Failure> {
    let name = name.ok_or_else(|| {
        Failure::Refused(format!("--dialect NAME is missing; 'goldchip dialects' lists the names; {USAGE}"))
    })?;
    Ok(shop.dialect(name).map_err(JobError::from)?.clone())
}

/// The names of the controls, one a line; with `--long` what is particular about each.
pub(crate) fn dialects(parser: lexopt::Parser) -> Result<i32, Failure> {
    let t = told(parser)?;
    let shop = shop_of(t.book.as_deref())?;
    for d in &shop.dialects {
        if t.long {
            say!("{}\t{}: {}", d.id, d.name, program::particulars(d));
        } else {
            say!("{}", d.id);
        }
    }
    Ok(0)
}

/// A plan's folder with its programs for another control, proved from the new texts.
pub(crate) fn post(parser: lexopt::Parser) -> Result<i32, Failure> {
    let t = told(parser)?;
    let dir = t.what.ok_or_else(|| Failure::Refused(format!("no plan is given; {USAGE}")))?;
    let out = t.out.ok_or_else(|| Failure::Refused(format!("--out DIR is missing; {USAGE}")))?;
    let shop = shop_of(beside_or(t.book, &dir).as_deref())?;
    let to = dialect(t.dialect.as_deref(), &shop)?;
    let written = job::reposted::post_for(&dir, &out, &to, &shop)?;
    let ends = format!(".{}", to.extension);
    for w in written.iter().filter(|w| w.to_string_lossy().ends_with(&ends)) {
        if w.parent().and_then(Path::file_name).is_none_or(|n| n != files::POSTED) {
            say!("{}", w.display());
        }
    }
    let proof = Opened::of(&out)?.proved(&shop)?;
    files::write_proof(&out, &proof)?;
    report(&proof);
    Ok(code(&proof))
}

/// A plan's setup sheet as PDF, and its cutters as a table.
pub(crate) fn sheet(mut parser: lexopt::Parser) -> Result<i32, Failure> {
    let (mut dir, mut out, mut book, mut tools) = (None::<PathBuf>, None::<PathBuf>, None::<PathBuf>, None::<PathBuf>);
    let (mut format, mut inspection) = (Format::A4, None::<PathBuf>);
    while let Some(arg) = parser.next()? {
        match arg {
            Long("out") => out = Some(parser.value()?.into()),
            Long("inspection") => inspection = Some(parser.value()?.into()),
            Long("tools") => tools = Some(parser.value()?.into()),
            Long("shop") => book = Some(parser.value()?.into()),
            Long("paper") => {
                let name = parser.value()?.string()?;
                format = Format::of(&name)
                    .ok_or_else(|| Failure::Refused(format!("--paper {name}: there are a4 and letter")))?;
            }
            Value(v) if dir.is_none() => dir = Some(v.into()),
            other => return Err(other.unexpected().into()),
        }
    }
    let dir = dir.ok_or_else(|| Failure::Refused(format!("no plan is given; {USAGE}")))?;
    let out = out.ok_or_else(|| Failure::Refused(format!("--out FILE.pdf is missing; {USAGE}")))?;
    let shop = shop_of(beside_or(book, &dir).as_deref())?;
    let opened = Opened::of(&dir)?;
    let pages = pages_of(&opened, &shop, &opened.proved(&shop)?)?;
    let bytes = paper::pdf(&pages, format).map_err(Failure::Internal)?;
    write(&out, &bytes)?;
    say!("{}: {} setups", out.display(), pages.len());
    if let Some(file) = tools {
        write(&file, paper::tools_csv(&opened.loaded.plan).map_err(Failure::Internal)?.as_bytes())?;
        say!("{}", file.display());
    }
    if let Some(file) = inspection {
        write(&file, paper::sizes_csv(&opened.loaded.plan).map_err(Failure::Internal)?.as_bytes())?;
        say!("{}", file.display());
    }
    Ok(0)
}

fn write(path: &Path, bytes: &[u8]) -> Result<(), Failure> {
    std::fs::write(path, bytes).map_err(|e| Failure::Internal(format!("{} cannot be written: {e}", path.display())))
}

/// Pages of a folder's setups, and before each those of what is made to hold it. `proof`: of its texts as they lie there now.
fn pages_of(o: &Opened, shop: &Shop, proof: &Proof) -> Result<Vec<Page>, Failure> {
    let text = |file: &str| std::fs::read_to_string(o.dir.join(file)).unwrap_or_default();
    let mut solids: Vec<Vec<Held>> = Vec::new();
    for s in &o.loaded.plan.setups {
        let mut held = Vec::new();
        for k in &s.keep_out {
            if let files::KeepOutFile::Model { name, model, work_from_model, .. } = k {
                let placed = geom::Placement::from_rows(work_from_model).unwrap_or(geom::Placement::IDENTITY);
                let body = paper::Body::Mesh(o.read(&o.dir.join(model))?.mesh.placed(&placed));
                held.push(Held { name: name.clone(), body });
            }
        }
        solids.push(held);
    }
    let title = o.loaded.model.file_stem().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    let bodies = |k: usize| solids.get(k).cloned().unwrap_or_default();
    let own = paper::pages(&o.loaded.plan, &title, &o.part.mesh, shop, proof, &text, &bodies);
    let mut pages = Vec::new();
    for (page, setup) in own.into_iter().zip(&o.loaded.plan.setups) {
        if let Some(piece) = setup.hold.as_ref().and_then(holding::Hold::makes)
            && let Some((name, proof)) = proof.made.iter().find(|(name, _)| name == piece.name())
        {
            let made = pages_of(&Opened::of(&o.dir.join(files::MADE).join(name))?, shop, proof)?;
            let title = format!("{name}: made for {} of {title}", setup.name);
            pages.extend(made.into_iter().map(|p| Page { title: title.clone(), ..p }));
        }
        pages.push(page);
    }
    Ok(pages)
}

/// Faults at the machine, each run through the proof: a table, and `what-if.json` in the folder.
pub(crate) fn what_if(parser: lexopt::Parser) -> Result<i32, Failure> {
    let t = told(parser)?;
    let dir = t.what.ok_or_else(|| Failure::Refused(format!("no plan is given; {USAGE}")))?;
    let shop = shop_of(beside_or(t.book, &dir).as_deref())?;
    let o = Opened::of(&dir)?;
    let mut told = |k: usize, n: usize| {
        if k.is_multiple_of(10) || k == n {
            eprintln!("{k} of {n} faults");
        }
    };
    let rows = job::what_if::what_if(&dir, &o.loaded, &o.part, &shop, &|file| o.read(file), &mut told)?;
    for r in &rows {
        // Where it shows, if that is another setup than the one it is in.
        let other = r.shows_in.clone().filter(|s| Some(s) != r.setup.as_ref()).map(|s| format!("shows in {s}"));
        let line = r.line.map(|l| format!("line {l}"));
        let place = [r.setup.clone(), other, line, r.minute.map(|m| format!("{m:.1} min"))];
        let place: Vec<String> = place.into_iter().flatten().collect();
        say!(
            "{}{}",
            ["      ", "off   ", "BREAKS"][usize::from(r.gravity.min(2))],
            format!(" {} ({}): {}", r.fault, place.join(", "), r.spoiled)
        );
        if r.gravity > 0 {
            say!("         {}{}", if r.proposed { "no check yet; proposed: " } else { "caught by " }, r.caught_by);
        }
    }
    let json = serde_json::to_vec_pretty(&rows).map_err(|e| Failure::Internal(e.to_string()))?;
    write(&dir.join("what-if.json"), &json)?;
    let (off, breaks) = [1, 2].map(|g| rows.iter().filter(|r| r.gravity == g).count()).into();
    say!(
        "{} faults: {} harmless, {off} spoil the part, {breaks} break something",
        rows.len(),
        rows.len() - off - breaks
    );
    Ok(0)
}

/// A program of unknown origin, line by line.
pub(crate) fn read(parser: lexopt::Parser) -> Result<i32, Failure> {
    let t = told(parser)?;
    let file = t.what.ok_or_else(|| Failure::Refused(format!("no program is given; {USAGE}")))?;
    let shop = shop_of(t.book.as_deref())?;
    let d = dialect(t.dialect.as_deref(), &shop)?;
    let bytes = std::fs::read(&file)
        .map_err(|e| Failure::Refused(format!("the program {} cannot be read: {e}", file.display())))?;
    if bytes.len() > files::MOST_TEXT {
        return Err(Failure::Refused(format!("{} has more than 64 MB; split it", file.display())));
    }
    let text = String::from_utf8_lossy(&bytes);
    // Whose cutters it calls is not known: every number is taken, of the shop's own size where it has that number.
    let radii: BTreeMap<u32, f64> = shop.crib.iter().map(|t| (t.number, t.diameter_mm / 2.0)).collect();
    let reference = shop.machine.reference_mm().into();
    let settings = ReadSettings { dialect: d.clone(), radii, reference, ..ReadSettings::default() };
    let (program, lines) = program::explain(&text, &settings)
        .map_err(|ReadError { line, what }| Failure::Refused(format!("{}, line {line}: {what}", file.display())))?;
    for l in &lines {
        let both: Vec<&str> = [l.words.as_str(), l.comes.as_str()].into_iter().filter(|s| !s.is_empty()).collect();
        say!("{:>5}  {:<34}  {}", l.line, l.text, both.join(" | "));
    }
    for (line, word) in &program.extensions {
        say!("line {line}: {word} is not in RS-274 as published (NISTIR 6556); it is read as many controls do");
    }
    if !program.ended {
        say!("it has no end (M30 or M2)");
    }
    Ok(0)
}

impl From<FileError> for Failure {
    fn from(e: FileError) -> Self {
        match e {
            FileError::Io { .. } => Failure::Internal(e.to_string()),
            FileError::Refused(why) => Failure::Refused(why),
            FileError::Job(j) => j.into(),
        }
    }
}
