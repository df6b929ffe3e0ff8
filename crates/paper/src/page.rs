//! What stands on a sheet, as data.

use crate::picture::{Body, Held, Picture, from_above, from_the_front};
use geom::{Box3, Placement, TriMesh};
use job::files::{KeepOutFile, PlanFile};
use job::sheet::{Sheet, SideSheet};
use proof::Proof;
use reason::{Finding, Severity};
use serde_json::Value;
use sha2::{Digest, Sha256};
use shop::Shop;

/// A cutter of a setup.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ToolRow {
    /// T.
    pub number: u32,
    /// "flat end mill Ø12, 3 teeth, carbide".
    pub words: String,
    /// How far it stands out of its holder, mm.
    pub stickout: String,
}

/// A step of a setup, or several alike that follow one another.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StepRow {
    /// First and last, from 1.
    pub numbered: [usize; 2],
    /// T.
    pub tool: u32,
    /// What.
    pub title: String,
    /// 1/min and mm/min, where they are known.
    pub numbers: String,
}

/// One setup on paper.
#[derive(Debug, Clone, PartialEq)]
pub struct Page {
    /// "Encoder bracket: side 1 of 3".
    pub title: String,
    /// "proved", or what forbids cutting.
    pub verdict: String,
    /// It may be cut.
    pub passed: bool,
    /// Lines under the title: material and stock, machine and control, program.
    pub about: Vec<String>,
    /// From the front and from above.
    pub pictures: [Picture; 2],
    /// What to do before the start, in order.
    pub load: Vec<String>,
    /// Cutters.
    pub tools: Vec<ToolRow>,
    /// Steps.
    pub steps: Vec<StepRow>,
    /// At each stop of the program.
    pub at_stops: Vec<Vec<String>>,
    /// Before it is unclamped.
    pub tried: Vec<String>,
    /// By hand afterwards.
    pub by_hand: Vec<String>,
    /// What to look out for.
    pub warnings: Vec<String>,
}

/// A number without noise.
fn short(v: f64) -> String {
    let s = format!("{v:.2}");
    s.trim_end_matches('0').trim_end_matches('.').to_string()
}

fn zero_words(z: [f64; 3]) -> String {
    let [x, y, z] = z.map(short);
    format!("Work zero planned at machine X {x} Y {y} Z {z} (nose, without the cutter)")
}

/// First signs of a text's SHA-256, to compare what is loaded with what was proved.
fn sum(text: &str) -> String {
    Sha256::digest(text.as_bytes()).iter().take(8).map(|b| format!("{b:02x}")).collect()
}

/// A number that stands by itself or with its reasons.
fn value(o: &Value) -> Option<f64> {
    o.as_f64().or_else(|| o["value"].as_f64())
}

/// Steps, those alike that follow one another as one.
fn steps<'a>(all: impl Iterator<Item = &'a Value>) -> Vec<StepRow> {
    let mut out: Vec<StepRow> = Vec::new();
    for (number, o) in (1..).zip(all) {
        let of = if o["mill"].is_object() { &o["mill"] } else { &o["drill"] };
        let said = |key: &str, unit: &str| value(&of[key]).map(|v| format!("{v:.0} {unit}"));
        let numbers = [said("rpm", "rpm"), said("feed", "mm/min")];
        let row = StepRow {
            numbered: [number, number],
            tool: o["tool"].as_u64().unwrap_or(0) as u32,
            title: reason::plain(o["title"].as_str().unwrap_or("step")).into_owned(),
            numbers: numbers.into_iter().flatten().collect::<Vec<_>>().join(", "),
        };
        match out.last_mut() {
            Some(l) if (l.tool, &l.title, &l.numbers) == (row.tool, &row.title, &row.numbers) => l.numbered[1] = number,
            _ => out.push(row),
        }
    }
    out
}

fn tool_row(t: &shop::tool::Tool) -> ToolRow {
    ToolRow { number: t.number, words: reason::plain(&t.words()).into_owned(), stickout: short(t.stickout_mm) }
}

/// The sheets of a plan's folder: a page for each setup. `text`: a program's text by its file name; `bodies`: what holds setup k and is no box;
/// `proof`: of these very texts.
pub fn pages(
    plan: &PlanFile,
    title: &str,
    part: &TriMesh,
    shop: &Shop,
    proof: &Proof,
    text: &dyn Fn(&str) -> String,
    bodies: &dyn Fn(usize) -> Vec<Held>,
) -> Vec<Page> {
    let (verdict, _) = job::sheet::verdict(proof);
    let material = shop.material(&plan.material).map_or_else(|_| plan.material.clone(), |m| m.name.clone());
    let stock = Box3 { min: plan.stock.min_mm.into(), max: plan.stock.max_mm.into() };
    let size = stock.size();
    let stock_words = format!("{} × {} × {} mm", short(size[0]), short(size[1]), short(size[2]));
    let machine = plan.machine.as_ref().unwrap_or(&shop.machine);
    let control = plan.control(shop).map(|c| c.dialect.name).unwrap_or_default();
    let n = plan.setups.len();
    let plain = |l: &String| reason::plain(l).into_owned();
    (0..n)
        .map(|k| {
            let s = &plan.setups[k];
            let program = text(&s.program);
            let sum = sum(&program);
            let minutes = proof.setup_minutes.get(k).map(|m| format!(", {m:.1} min")).unwrap_or_default();
            let work_from_part = Placement::from_rows(&s.part_from_work).unwrap_or(Placement::IDENTITY).inverse();
            let mesh = part.placed(&work_from_part);
            let stock_box = work_from_part.bounds(&stock);
            let mut held = bodies(k);
            held.extend(s.keep_out.iter().filter_map(|b| match b {
                KeepOutFile::Box { name, min_mm, max_mm, .. } => {
                    let body = Body::Box(Box3 { min: (*min_mm).into(), max: (*max_mm).into() });
                    Some(Held { name: name.clone(), body })
                }
                KeepOutFile::Model { .. } => None,
            }));
            let first = (k == 0).then_some(stock_box);
            Page {
                title: if n == 1 { format!("{title}: {}", s.name) } else { format!("{title}: {} of {n}", s.name) },
                verdict: verdict.clone(),
                passed: proof.passed(),
                about: vec![
                    format!("{material}, stock {stock_words}"),
                    format!("{}, {control}", machine.name),
                    format!("Program {}, {} lines{minutes}, sum {sum}", s.program, program.lines().count()),
                    zero_words(s.zero_in_machine_mm),
                ],
                pictures: [from_the_front(&mesh, first.as_ref(), &held), from_above(&mesh, first.as_ref(), &held)],
                load: s.words.load.iter().map(plain).collect(),
                tools: s.tools.iter().map(|t| tool_row(&t.tool)).collect(),
                steps: steps(s.operations.as_array().into_iter().flatten()),
                at_stops: s.words.at_stops.iter().map(|l| l.iter().map(plain).collect()).collect(),
                tried: s.words.tried.iter().map(plain).collect(),
                by_hand: s.words.by_hand.iter().map(plain).collect(),
                warnings: warnings(&proof.findings, &s.name),
            }
        })
        .collect()
}

/// The sheets of a job as its screens show it; those of pieces that are made to hold it are not among them. `machine`: in words.
///
/// # Errors
/// In words, where an operation cannot be told.
pub fn of_sheet(sheet: &Sheet, title: &str, part: &TriMesh, machine: &str) -> Result<Vec<Page>, String> {
    let n = sheet.sides.len();
    let size = sheet.stock.size;
    let plain = |l: &String| reason::plain(l).into_owned();
    let block = Box3 { min: sheet.stock.place.min_mm.into(), max: sheet.stock.place.max_mm.into() };
    let page = |(k, s): (usize, &SideSheet)| {
        let rows: Option<[f64; 16]> = s.part_from_work.as_slice().try_into().ok();
        let placed = rows.and_then(|r| Placement::from_rows(&r)).unwrap_or(Placement::IDENTITY);
        let work_from_part = placed.inverse();
        let mesh = part.placed(&work_from_part);
        let stock = (k == 0).then(|| work_from_part.bounds(&block));
        let held: Vec<Held> = s
            .keep_out
            .iter()
            .map(|b| {
                let whole = Box3 { min: b.place.min_mm.into(), max: b.place.max_mm.into() };
                // What lies in a frame of its own is drawn as the box around it.
                let layers = !b.layers.is_empty() && b.lies.is_none();
                Held {
                    name: b.name.clone(),
                    body: if layers { Body::Layers(b.layers.clone()) } else { Body::Box(whole) },
                }
            })
            .collect();
        let operations: Result<Vec<Value>, String> =
            s.operations.iter().map(|o| serde_json::to_value(&o.op).map_err(|e| e.to_string())).collect();
        let sum = sum(&s.program);
        Ok(Page {
            title: if n == 1 { format!("{title}: {}", s.name) } else { format!("{title}: {} of {n}", s.name) },
            verdict: sheet.proof.verdict.clone(),
            passed: sheet.proof.passed,
            about: vec![
                format!(
                    "{}, stock {} × {} × {} mm",
                    sheet.stock.material_name,
                    short(size[0]),
                    short(size[1]),
                    short(size[2])
                ),
                format!("{machine}, {}", sheet.control.name),
                format!("Program of {} lines, {:.1} min, sum {sum}", s.program.lines().count(), s.minutes),
                zero_words(s.zero_in_machine),
            ],
            pictures: [from_the_front(&mesh, stock.as_ref(), &held), from_above(&mesh, stock.as_ref(), &held)],
            load: s.words.load.iter().map(plain).collect(),
            tools: s.tools.iter().map(tool_row).collect(),
            steps: steps(operations?.iter()),
            at_stops: s.words.at_stops.iter().map(|l| l.iter().map(plain).collect()).collect(),
            tried: s.words.tried.iter().map(plain).collect(),
            by_hand: s.words.by_hand.iter().map(plain).collect(),
            warnings: warnings(&sheet.proof.findings, &s.name),
        })
    };
    sheet.sides.iter().enumerate().map(page).collect()
}

/// What a proof says of a setup, or of all, but for notes.
fn warnings(findings: &[Finding], setup: &str) -> Vec<String> {
    let mine = |f: &&Finding| f.setup.as_ref().is_none_or(|n| n == setup) && f.severity != Severity::Note;
    findings.iter().filter(mine).map(|f| reason::plain(&f.what).into_owned()).collect()
}

/// What is measured in each setup as a table: an inspection sheet with room for what was found. Sizes in mm.
///
/// # Errors
/// Never in practice: a table in memory that cannot be written, in words.
pub fn sizes_csv(plan: &PlanFile) -> Result<String, String> {
    let mut w = csv::Writer::from_writer(Vec::new());
    let head = ["setup", "what", "nominal_mm", "least_mm", "most_mm", "grows_when_cut", "limits_from", "measured_mm"];
    w.write_record(head).map_err(|e| e.to_string())?;
    let number = |v: f64| format!("{v:.4}").trim_end_matches('0').trim_end_matches('.').to_string();
    for s in &plan.setups {
        for z in &s.sizes {
            let row = [
                s.name.clone(),
                reason::plain(&z.what).into_owned(),
                number(z.nominal_mm),
                number(z.limits_mm[0]),
                number(z.limits_mm[1]),
                if z.inside { "yes" } else { "no" }.into(),
                z.source.to_string(),
                String::new(),
            ];
            w.write_record(row).map_err(|e| e.to_string())?;
        }
    }
    let bytes = w.into_inner().map_err(|e| e.to_string())?;
    String::from_utf8(bytes).map_err(|e| e.to_string())
}

/// Cutters of all setups as a table: setup, T, cutter, sizes in mm.
///
/// # Errors
/// Never in practice: a table in memory that cannot be written, in words.
pub fn tools_csv(plan: &PlanFile) -> Result<String, String> {
    let mut w = csv::Writer::from_writer(Vec::new());
    let head = ["setup", "program", "T", "cutter", "diameter_mm", "flute_mm", "stickout_mm", "holder"];
    w.write_record(head).map_err(|e| e.to_string())?;
    for s in &plan.setups {
        for t in &s.tools {
            let t = &t.tool;
            let holder: Vec<String> =
                t.holder.iter().map(|h| format!("{} x {}", short(h.diameter_mm), short(h.length_mm))).collect();
            let row = [
                s.name.clone(),
                s.program.clone(),
                t.number.to_string(),
                reason::plain(&t.words()).into_owned(),
                short(t.diameter_mm),
                short(t.flute_length_mm),
                short(t.stickout_mm),
                holder.join(" + "),
            ];
            w.write_record(row).map_err(|e| e.to_string())?;
        }
    }
    let bytes = w.into_inner().map_err(|e| e.to_string())?;
    String::from_utf8(bytes).map_err(|e| e.to_string())
}
