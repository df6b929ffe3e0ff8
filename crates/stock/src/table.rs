//! The rack as a table (CSV, RFC 4180): out, and in with errors by line.

use crate::piece::{Form, Piece, Range, Skin};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

/// Columns, in the order of writing. Reading takes them in any order; those a form does not need may be missing.
const COLUMNS: [&str; 22] = [
    "tag",
    "form",
    "material",
    "skin",
    "quantity",
    "length",
    "longest",
    "width",
    "widest",
    "height",
    "highest",
    "diameter",
    "bore",
    "allowance",
    "largest_allowance",
    "slabs",
    "outline",
    "unit",
    "cost",
    "remnant_of",
    "result_of",
    "note",
];

/// A line that could not be read.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
pub struct LineError {
    /// Counted from 1, the heading included.
    pub line: u64,
    /// What is wrong and what to do.
    pub what: String,
}

/// A table as it was read.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize, TS)]
pub struct Table {
    /// Good lines.
    pub pieces: Vec<Piece>,
    /// Lines they stand on.
    #[ts(type = "number[]")]
    pub lines: Vec<u64>,
    /// Bad lines.
    pub errors: Vec<LineError>,
}

/// A number, in the unit of its line: 12.5, 12,5, 3/8, 1 1/2.
fn number(s: &str) -> Option<f64> {
    let s = s.trim();
    if let Some((whole, frac)) = s.rsplit_once(' ')
        && frac.contains('/')
    {
        return Some(number(whole)? + number(frac)?);
    }
    if let Some((a, b)) = s.split_once('/') {
        let (a, b): (f64, f64) = (a.trim().parse().ok()?, b.trim().parse().ok()?);
        return (b != 0.0).then(|| a / b);
    }
    let s = if s.contains(',') && !s.contains('.') { s.replacen(',', ".", 1) } else { s.to_string() };
    s.parse().ok().filter(|v: &f64| v.is_finite())
}

struct Row<'a> {
    cells: BTreeMap<&'a str, &'a str>,
    scale: f64,
}

impl Row<'_> {
    fn text(&self, column: &str) -> &str {
        self.cells.get(column).copied().unwrap_or("").trim()
    }
    fn some(&self, column: &str) -> Result<Option<f64>, String> {
        match self.text(column) {
            "" => Ok(None),
            s => number(s).map(Some).ok_or_else(|| format!("'{s}' in {column} is no number; write 12.5 or 3/8")),
        }
    }
    fn length(&self, column: &str, form: &str) -> Result<f64, String> {
        self.some(column)?.map(|v| v * self.scale).ok_or_else(|| format!("A {form} needs its {column}"))
    }
    fn range(&self, column: &str, most: &str, form: &str) -> Result<Range, String> {
        let least = self.length(column, form)?;
        Ok(Range { least, most: self.some(most)?.map_or(least, |v| v * self.scale) })
    }
    fn count(&self, column: &str, otherwise: u32) -> Result<u32, String> {
        match self.text(column) {
            "" => Ok(otherwise),
            s => s.parse().map_err(|_| format!("'{s}' in {column} is no whole number")),
        }
    }
    fn outline(&self) -> Result<Vec<[f64; 2]>, String> {
        let s = self.text("outline");
        if s.is_empty() {
            return Ok(Vec::new());
        }
        s.split(';')
            .map(|p| {
                let xy: Vec<&str> = p.split_whitespace().collect();
                match xy.as_slice() {
                    [x, y] => match (number(x), number(y)) {
                        (Some(x), Some(y)) => Ok([x * self.scale, y * self.scale]),
                        _ => Err(format!("'{p}' in outline is no corner; write x y;x y;x y")),
                    },
                    _ => Err(format!("'{p}' in outline is no corner; write x y;x y;x y")),
                }
            })
            .collect()
    }
    fn piece(&self, materials: &[(String, String)]) -> Result<Piece, String> {
        let form = self.text("form").to_lowercase();
        let f = form.as_str();
        let shape = match f {
            "block" => Form::Block {
                length: self.range("length", "longest", f)?,
                width: self.length("width", f)?,
                height: self.length("height", f)?,
            },
            "flat" => Form::Flat {
                length: self.range("length", "longest", f)?,
                width: self.length("width", f)?,
                height: self.length("height", f)?,
            },
            "plate" => Form::Plate {
                length: self.length("length", f)?,
                width: self.length("width", f)?,
                height: self.length("height", f)?,
                outline: self.outline()?,
            },
            "round" => {
                Form::Round { length: self.range("length", "longest", f)?, diameter: self.length("diameter", f)? }
            }
            "hex" => Form::Hex { length: self.range("length", "longest", f)?, across: self.length("height", f)? },
            "tube" => Form::Tube {
                length: self.range("length", "longest", f)?,
                diameter: self.length("diameter", f)?,
                bore: self.length("bore", f)?,
            },
            "casting" => Form::Casting {
                length: self.length("length", f)?,
                width: self.length("width", f)?,
                height: self.length("height", f)?,
                allowance: self.range("allowance", "largest_allowance", f)?,
            },
            "slabs" => Form::Slabs {
                length: self.length("length", f)?,
                width: self.length("width", f)?,
                slab: self.length("height", f)?,
                count: self.count("slabs", 0)?,
            },
            "blank" => Form::Blank {
                length: self.range("length", "longest", f)?,
                width: self.range("width", "widest", f)?,
                height: self.range("height", "highest", f)?,
            },
            "result" => Form::Result {
                job: self.text("result_of").to_string(),
                length: self.length("length", f)?,
                width: self.length("width", f)?,
                height: self.length("height", f)?,
            },
            "" => return Err(format!("The form is missing; it is one of {}", Form::NAMES.join(", "))),
            other => return Err(format!("There is no form '{other}'; it is one of {}", Form::NAMES.join(", "))),
        };
        let skin =
            match self.text("skin").to_lowercase().as_str() {
                "" => match f {
                    "block" | "slabs" | "blank" => Skin::Sawn,
                    "casting" => Skin::Cast,
                    "result" => Skin::Milled,
                    _ => Skin::Rolled,
                },
                s => Skin::ALL.iter().find(|k| k.1 == s).map(|k| k.0).ok_or_else(|| {
                    format!("There is no skin '{s}'; it is one of {}", Skin::ALL.map(|k| k.1).join(", "))
                })?,
            };
        let m = self.text("material");
        let material = materials
            .iter()
            .find(|(id, name)| id.eq_ignore_ascii_case(m) || name.eq_ignore_ascii_case(m))
            .map(|(id, _)| id.clone())
            .ok_or_else(|| {
                let known: Vec<&str> = materials.iter().map(|m| m.0.as_str()).collect();
                if m.is_empty() {
                    format!("The material is missing; it is one of {}", known.join(", "))
                } else {
                    format!("The shop has no material '{m}'; it is one of {}", known.join(", "))
                }
            })?;
        let piece = Piece {
            name: self.text("tag").to_string(),
            material,
            shape,
            skin,
            quantity: self.count("quantity", 1)?,
            cost: self.some("cost")?,
            remnant_of: Some(self.text("remnant_of")).filter(|s| !s.is_empty()).map(Into::into),
            note: self.text("note").to_string(),
        };
        match piece.fault() {
            Some(why) => Err(why),
            None => Ok(piece),
        }
    }
}

/// The line of a record, from 1. The reader's own count stands before empty lines that it skips.
fn line_at(text: &str, p: &csv::Position) -> u64 {
    let bytes = text.as_bytes();
    let mut at = (p.byte() as usize).min(bytes.len());
    while at < bytes.len() && matches!(bytes[at], b'\n' | b'\r') {
        at += 1;
    }
    1 + bytes[..at].iter().filter(|b| **b == b'\n').count() as u64
}

/// Read a table. Lengths are mm unless the line's `unit` says inch. `materials` are ids and names of the shop.
pub fn read_csv(text: &str, materials: &[(String, String)]) -> Table {
    let mut out = Table::default();
    let text = text.trim_start_matches('\u{feff}');
    let first = text.lines().next().unwrap_or("");
    // Spreadsheets of half of Europe write semicolons.
    let delimiter =
        [b',', b';', b'\t'].into_iter().max_by_key(|d| first.bytes().filter(|b| b == d).count()).unwrap_or(b',');
    let mut reader =
        csv::ReaderBuilder::new().delimiter(delimiter).flexible(true).trim(csv::Trim::All).from_reader(text.as_bytes());
    let heading: Vec<String> = match reader.headers() {
        Ok(h) => h.iter().map(|c| c.to_lowercase().replace(' ', "_")).collect(),
        Err(e) => {
            out.errors.push(LineError { line: 1, what: format!("The heading cannot be read: {e}") });
            return out;
        }
    };
    for needed in ["tag", "form", "material"] {
        if !heading.iter().any(|h| h == needed) {
            out.errors.push(LineError {
                line: 1,
                what: format!("The heading has no column '{needed}'; its columns are {}", COLUMNS.join(", ")),
            });
        }
    }
    for h in heading.iter().filter(|h| !h.is_empty() && !COLUMNS.contains(&h.as_str())) {
        out.errors
            .push(LineError { line: 1, what: format!("There is no column '{h}'; columns are {}", COLUMNS.join(", ")) });
    }
    if !out.errors.is_empty() {
        return out;
    }
    let mut tags: BTreeMap<String, u64> = BTreeMap::new();
    for record in reader.records() {
        let record = match record {
            Ok(r) => r,
            Err(e) => {
                let line = e.position().map_or(0, |p| line_at(text, p));
                out.errors.push(LineError { line, what: format!("The line cannot be read: {e}") });
                continue;
            }
        };
        let line = record.position().map_or(0, |p| line_at(text, p));
        if record.iter().all(|c| c.trim().is_empty()) {
            continue;
        }
        if record.len() > heading.len() {
            out.errors.push(LineError {
                line,
                what: format!(
                    "{} cells stand under {} columns; put texts that hold the separator in quotes",
                    record.len(),
                    heading.len()
                ),
            });
            continue;
        }
        let cells: BTreeMap<&str, &str> =
            heading.iter().map(String::as_str).zip(record.iter().map(unguarded)).collect();
        let scale = match cells.get("unit").map_or("", |u| u.trim()).to_lowercase().as_str() {
            "" | "mm" => 1.0,
            "in" | "inch" | "\"" => 25.4,
            u => {
                out.errors.push(LineError { line, what: format!("There is no unit '{u}'; write mm or inch") });
                continue;
            }
        };
        match (Row { cells, scale }).piece(materials) {
            Ok(p) => match tags.get(&p.name) {
                Some(first) => out.errors.push(LineError {
                    line,
                    what: format!("The tag '{}' stands on line {first} already; each piece has its own", p.name),
                }),
                None => {
                    tags.insert(p.name.clone(), line);
                    out.pieces.push(p);
                    out.lines.push(line);
                }
            },
            Err(what) => out.errors.push(LineError { line, what }),
        }
    }
    out
}

/// Characters with which a spreadsheet takes a cell for a formula, and the guard itself.
const FORMULA: [char; 7] = ['=', '+', '-', '@', '\t', '\r', '\''];

/// A cell that no spreadsheet takes for a formula: an apostrophe stands before it (OWASP, "CSV injection").
fn guarded(cell: &str) -> String {
    if cell.starts_with(FORMULA) { format!("'{cell}") } else { cell.into() }
}

/// As it was before.
fn unguarded(cell: &str) -> &str {
    cell.strip_prefix('\'').filter(|rest| rest.starts_with(FORMULA)).unwrap_or(cell)
}

/// Write a table, lengths in mm.
pub fn write_csv(pieces: &[Piece]) -> String {
    let mut w = csv::Writer::from_writer(Vec::new());
    let _ = w.write_record(COLUMNS);
    for p in pieces {
        let n = |v: f64| format!("{v}");
        let mut cells: BTreeMap<&str, String> = BTreeMap::new();
        let mut put = |k: &'static str, v: String| drop(cells.insert(k, v));
        put("tag", p.name.clone());
        put("form", p.shape.name().into());
        put("material", p.material.clone());
        put("skin", p.skin.word().into());
        put("quantity", p.quantity.to_string());
        put("unit", "mm".into());
        put("cost", p.cost.map(n).unwrap_or_default());
        put("remnant_of", p.remnant_of.clone().unwrap_or_default());
        put("note", p.note.clone());
        let e = p.shape.envelope();
        let range = |r: &Range| if r.is_one() { String::new() } else { n(r.most) };
        put("length", n(e[0].least));
        put("longest", range(&e[0]));
        match &p.shape {
            Form::Round { diameter, .. } => put("diameter", n(*diameter)),
            Form::Tube { diameter, bore, .. } => {
                put("diameter", n(*diameter));
                put("bore", n(*bore));
            }
            Form::Hex { across, .. } => put("height", n(*across)),
            Form::Slabs { width, slab, count, .. } => {
                put("width", n(*width));
                put("height", n(*slab));
                put("slabs", count.to_string());
            }
            _ => {
                put("width", n(e[1].least));
                put("widest", range(&e[1]));
                put("height", n(e[2].least));
                put("highest", range(&e[2]));
            }
        }
        match &p.shape {
            Form::Casting { allowance, .. } => {
                put("allowance", n(allowance.least));
                put("largest_allowance", range(allowance));
            }
            Form::Plate { outline, .. } => {
                put("outline", outline.iter().map(|c| format!("{} {}", c[0], c[1])).collect::<Vec<_>>().join(";"));
            }
            Form::Result { job, .. } => put("result_of", job.clone()),
            _ => {}
        }
        let _ = w.write_record(COLUMNS.map(|c| cells.get(c).map_or(String::new(), |c| guarded(c))));
    }
    w.into_inner().map(|b| String::from_utf8_lossy(&b).into_owned()).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn shop() -> Vec<(String, String)> {
        vec![("brass".into(), "Brass CuZn39Pb3".into()), ("aluminium-6082".into(), "Aluminium 6082 T6".into())]
    }

    #[test]
    fn numbers_as_a_shop_writes_them() {
        assert_eq!(number("12.5"), Some(12.5));
        assert_eq!(number("12,5"), Some(12.5));
        assert_eq!(number("3/8"), Some(0.375));
        assert_eq!(number("1 1/2"), Some(1.5));
        assert_eq!((number("1/0"), number("x"), number("NaN"), number("1,000.5")), (None, None, None, None));
    }

    #[test]
    fn every_form_comes_back_as_it_was_written() {
        let r = Range { least: 100.0, most: 102.5 };
        let one = Range::just(80.0);
        let forms = [
            Form::Block { length: r, width: 50.0, height: 30.5 },
            Form::Flat { length: one, width: 40.0, height: 20.0 },
            Form::Plate {
                length: 200.0,
                width: 100.0,
                height: 6.0,
                outline: vec![[0.0, 0.0], [200.0, 0.0], [120.5, 100.0]],
            },
            Form::Round { length: r, diameter: 25.0 },
            Form::Hex { length: one, across: 17.0 },
            Form::Tube { length: one, diameter: 30.0, bore: 20.0 },
            Form::Casting { length: 90.0, width: 60.0, height: 40.0, allowance: Range { least: 2.0, most: 4.0 } },
            Form::Slabs { length: 90.0, width: 60.0, slab: 20.0, count: 3 },
            Form::Blank { length: r, width: Range { least: 50.1, most: 50.4 }, height: one },
            Form::Result { job: "Cover, first side".into(), length: 90.0, width: 60.0, height: 20.0 },
        ];
        let pieces: Vec<Piece> = forms
            .into_iter()
            .enumerate()
            .map(|(k, shape)| Piece {
                name: format!("P{k}"),
                material: "brass".into(),
                shape,
                skin: Skin::ALL[k % 6].0,
                quantity: k as u32,
                cost: (k % 2 == 0).then_some(1.25 * k as f64),
                remnant_of: (k % 3 == 0).then(|| "A, \"old\"".into()),
                note: "shelf 3; back".into(),
            })
            .collect();
        let t = read_csv(&write_csv(&pieces), &shop());
        assert_eq!(t.errors, vec![]);
        assert_eq!(t.pieces, pieces);
    }

    /// What somebody wrote on a piece is never run by whoever opens the table.
    #[test]
    fn no_cell_is_a_formula() {
        let notes = ["=HYPERLINK(\"x\")", "+1", "-1+1", "@SUM(A1)", "'=1", "''", "don't", "a=b", "\"=1"];
        let piece = |(k, note): (usize, &&str)| Piece {
            name: format!("={k}"),
            material: "brass".into(),
            shape: Form::Round { length: Range::just(100.0), diameter: 25.0 },
            skin: Skin::ALL[0].0,
            quantity: 1,
            cost: None,
            remnant_of: Some(format!("@{k}")),
            note: (*note).into(),
        };
        let pieces: Vec<Piece> = notes.iter().enumerate().map(piece).collect();
        let text = write_csv(&pieces);
        for record in csv::Reader::from_reader(text.as_bytes()).records().map(Result::unwrap) {
            for cell in &record {
                assert!(!cell.starts_with(['=', '+', '-', '@', '\t', '\r']), "{cell}");
            }
        }
        let t = read_csv(&text, &shop());
        assert_eq!((t.errors, t.pieces), (vec![], pieces));
    }

    #[test]
    fn bad_lines_are_told_by_their_number_and_good_ones_are_kept() {
        let text = "\u{feff}tag;form;material;length;diameter;quantity;unit\n\
            A;round;brass;300;1/2;2;inch\n\
            B;rund;brass;300;20;1;mm\n\
            \n\
            C;round;brass;lang;20;1;mm\n\
            D;round;kryptonite;300;20;1;mm\n\
            A;round;brass;300;20;1;mm\n\
            E;round;brass;300;;1;mm\n\
            F;round;brass;300;20;1;mm;x\n";
        let t = read_csv(text, &shop());
        assert_eq!(t.pieces.len(), 1);
        assert_eq!(t.pieces[0].shape, Form::Round { length: Range::just(7620.0), diameter: 12.7 });
        let at: Vec<(u64, &str)> = t.errors.iter().map(|e| (e.line, e.what.as_str())).collect();
        assert_eq!(at.iter().map(|e| e.0).collect::<Vec<_>>(), [3, 5, 6, 7, 8, 9]);
        for (k, words) in
            ["no form 'rund'", "'lang' in length", "kryptonite", "line 2", "needs its diameter", "8 cells"]
                .iter()
                .enumerate()
        {
            assert!(at[k].1.contains(words), "{at:?}");
        }
        assert!(read_csv("tag,length\nA,3\n", &shop()).errors[0].what.contains("'form'"));
        assert!(read_csv("tag,form,material,colour\n", &shop()).errors[0].what.contains("'colour'"));
        assert!(read_csv("", &shop()).errors.len() >= 3);
    }
}
