//! A plan's folder with its programs written for another control: from what the texts do, as they stand in the folder.

use crate::files::{FileError, MADE, POSTED, SHOP, io, json, load, plain_name, promises_of};
use crate::plan_file::{DialectRef, KeepOutFile, SetupFile, Stands};
use geom::DVec3;
use program::{Dialect, Heading, ReadSettings, StepKind};
use shop::Shop;
use shop::tool::Tool;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// Write the folder `dir` anew into `out`, its programs for the control `to`; the pieces that are made to hold the part too. Nothing in `dir` is changed.
/// What it gives is the files that were written; they are not proved yet.
///
/// # Errors
/// [`FileError::Refused`] where a text cannot be followed, or does what the other control has no words for, with file and line; where `out` is `dir`.
pub fn post_for(dir: &Path, out: &Path, to: &Dialect, shop: &Shop) -> Result<Vec<PathBuf>, FileError> {
    let same = std::fs::canonicalize(out).is_ok_and(|o| std::fs::canonicalize(dir).is_ok_and(|d| d == o));
    if same || out.starts_with(dir) {
        return Err(FileError::Refused(format!(
            "--out {} lies in the plan's own folder; give another one, so that the plan stays as it is",
            out.display()
        )));
    }
    let loaded = load(dir)?;
    let mut plan = loaded.plan;
    let control = plan.control(shop)?;
    let mut written = Vec::new();
    std::fs::create_dir_all(out.join(POSTED)).map_err(io(out))?;
    let mut put = |name: &str, content: &[u8]| -> Result<(), FileError> {
        let path = out.join(name);
        if let Some(p) = path.parent() {
            std::fs::create_dir_all(p).map_err(io(p))?;
        }
        std::fs::write(&path, content).map_err(io(&path))?;
        written.push(path);
        Ok(())
    };
    let machine = plan.machine.clone().unwrap_or_else(|| shop.machine.clone());
    let mut findings = Vec::new();
    for (k, s) in plan.setups.iter_mut().enumerate() {
        let path = dir.join(&s.program);
        let text = std::fs::read_to_string(&path).map_err(io(&path))?;
        let tools: Vec<Tool> = s.tools.iter().map(|t| t.tool.clone()).collect();
        let zeros =
            s.zeros.iter().filter_map(|(n, at)| Some((crate::proving::zero_number(n)?, DVec3::from_array(*at))));
        let settings = ReadSettings {
            zeros: zeros.collect(),
            ..control.settings(DVec3::from_array(s.zero_in_machine_mm), &tools)
        };
        let promises = promises_of(dir, s, &text, &mut findings).map(|a| a.promises);
        let stem = Path::new(&s.program).file_stem().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        let heading = Heading {
            name: stem.clone(),
            number: k as u32 + 1,
            table_forward_mm: Some(machine.reference_mm()[1]),
            ..Heading::default()
        };
        let posted = program::translate(&text, &settings, &heading, to, promises.as_deref().unwrap_or_default())
            .map_err(|e| FileError::Refused(format!("{}: {e}", path.display())))?;
        let name = format!("{stem}.{}", to.extension);
        put(&name, posted.text.as_bytes())?;
        put(&format!("{POSTED}/{name}"), posted.text.as_bytes())?;
        // All is in the coordinates of the first zero.
        s.zeros = BTreeMap::new();
        s.posted = promises.map(|_| posted.promises);
        stands_anew(s, &posted.text, &ReadSettings { dialect: to.clone(), ..settings });
        s.program = name;
    }
    if let Some(m) = &mut plan.machine {
        m.dialect.clone_from(&to.id);
    }
    plan.dialect = Some(DialectRef::Whole(Box::new(to.clone())));
    let model = std::fs::read(&loaded.model).map_err(io(&loaded.model))?;
    let file = loaded.model.file_name().map_or_else(|| "part.step".into(), |n| n.to_string_lossy().into_owned());
    plan.part.file.clone_from(&file);
    put(&file, &model)?;
    let shop_file = dir.join(SHOP);
    if shop_file.exists() {
        put(SHOP, &std::fs::read(&shop_file).map_err(io(&shop_file))?)?;
    }
    let models = plan.setups.iter().flat_map(|s| &s.keep_out).filter_map(|k| match k {
        KeepOutFile::Model { model, .. } => Some(model.clone()),
        KeepOutFile::Box { .. } => None,
    });
    for m in models.collect::<Vec<_>>() {
        put(&m, &std::fs::read(dir.join(&m)).map_err(io(&dir.join(&m)))?)?;
    }
    put("plan.json", json(&plan).as_bytes())?;
    let pieces = plan.setups.iter().filter_map(|s| s.hold.as_ref()).filter_map(holding::Hold::makes);
    for piece in pieces {
        let name = plain_name(piece.name())?;
        let from = dir.join(MADE).join(name);
        if from.exists() {
            written.extend(post_for(&from, &out.join(MADE).join(name), to, shop)?);
        }
    }
    Ok(written)
}

/// What stands from stop to stop, at the lines of the new text.
fn stands_anew(s: &mut SetupFile, text: &str, settings: &ReadSettings) {
    let stops: Vec<u32> = program::read(text, settings).map_or_else(
        |_| Vec::new(),
        |p| {
            let stop = |s: &&program::Step| s.kind == StepKind::Pause { optional: false };
            p.steps.iter().filter(stop).map(|s| s.line).collect()
        },
    );
    let last = text.lines().count() as u32;
    for k in &mut s.keep_out {
        let (KeepOutFile::Box { stands, .. } | KeepOutFile::Model { stands, .. }) = k;
        if let Some(between) = stands.between() {
            *stands = Stands::of(stands.clamps, between, &stops, last);
        }
    }
}
