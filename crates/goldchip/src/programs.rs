//! Commands about programs alone: the controls that there are, a plan written for another one, a text told line by line.

use crate::cli::{Failure, READER_WORD, USAGE, beside_or, code, reader, report, say, shop_of};
use job::files::{self, FileError};
use lexopt::prelude::*;
use program::{ReadError, ReadSettings};
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

fn dialect(name: Option<&str>, shop: &shop::Shop) -> Result<Dialect, Failure> {
    let name = name.ok_or_else(|| {
        Failure::Refused(format!("--dialect NAME is missing; 'goldchip dialects' lists the names; {USAGE}"))
    })?;
    Ok(shop.dialect(name).map_err(job::JobError::from)?.clone())
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
    let loaded = files::load(&out)?;
    let reader = reader()?;
    let part = job::read_part(&loaded.model, &loaded.plan.part.reading, &reader, &[READER_WORD])?;
    let read = |file: &Path| job::read_part(file, &intake::Reading::default(), &reader, &[READER_WORD]);
    let proof = files::prove(&out, &loaded, &part, &shop, &read)?;
    files::write_proof(&out, &proof)?;
    report(&proof);
    Ok(code(&proof))
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
