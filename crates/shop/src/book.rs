//! The shop's book: its data laid out in chapters as a page shows them, and changes to it, each of which can be taken back.

use crate::tool::trim;
use crate::{Shop, ShopError};
use reason::len;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};
use std::sync::OnceLock;
use ts_rs::TS;

/// What kind of thing stands in a field.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum FieldKind {
    /// A number in the field's unit.
    #[default]
    Number,
    /// The same, or nothing.
    Maybe,
    /// A whole number.
    Count,
    /// Any number of numbers.
    Numbers,
    /// As many numbers as it has names.
    Sizes,
    /// A line of words.
    Text,
    /// The same, or nothing.
    Line,
    /// More of them.
    Long,
    /// Yes or no.
    Flag,
    /// One of its names.
    Choice,
    /// Id of a material.
    Material,
    /// Short name of a control.
    Control,
    /// Lines of numbers.
    Rows,
}

/// A column of lines of numbers.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
pub struct RowField {
    /// Name in the data.
    pub key: String,
    /// In words.
    pub words: String,
    /// "mm", "kW".
    pub unit: String,
}

/// A field of an entry.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
pub struct BookField {
    /// Name in the data.
    pub key: String,
    /// In words.
    pub words: String,
    /// "mm", "N m"; none where it is a number alone, or none.
    #[serde(default)]
    pub unit: String,
    /// What stands in it.
    #[serde(default)]
    pub kind: FieldKind,
    /// Names of sizes, or what may be chosen.
    #[serde(default)]
    pub of: Vec<String>,
    /// Columns of its lines.
    #[serde(default)]
    pub rows: Vec<RowField>,
    /// Stands in the list of entries.
    #[serde(default)]
    pub column: bool,
    /// Other data name an entry by it: it is given once.
    #[serde(default)]
    pub fixed: bool,
}

fn yes() -> bool {
    true
}

fn by_name() -> String {
    "{name}".into()
}

/// A chapter: entries of one kind.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
pub struct Chapter {
    /// Name in the data.
    pub key: String,
    /// Chapters that stand together.
    pub group: String,
    /// Heading.
    pub title: String,
    /// One entry, in words.
    pub one: String,
    /// What an entry is called: its fields in braces.
    #[serde(default = "by_name")]
    pub name: String,
    /// Any number of entries; else one.
    #[serde(default = "yes")]
    pub many: bool,
    /// That one may be missing.
    #[serde(default)]
    pub optional: bool,
    /// What it is there for.
    pub about: String,
    /// In order.
    pub fields: Vec<BookField>,
}

/// An entry put in, changed or taken out. What stands there must still be as it was.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct BookChange {
    /// Chapter.
    pub chapter: String,
    /// As it was; none: a new one.
    #[ts(type = "unknown")]
    pub before: Option<Value>,
    /// As it is to be; none: taken out.
    #[ts(type = "unknown")]
    pub after: Option<Value>,
    /// Where a new one goes in a list; none: at the end.
    #[serde(default)]
    pub at: Option<usize>,
}

/// Why a change is not made.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum BookError {
    /// No such chapter.
    #[error("the shop's book has no chapter '{0}'")]
    NoChapter(String),
    /// Somebody was quicker.
    #[error("{0} was changed or taken out meanwhile; look again")]
    Changed(String),
    /// It makes no sense.
    #[error("{0}")]
    Wrong(String),
}

/// The chapters, in order.
///
/// # Panics
/// Never: the layout ships with the program and is read in its tests.
pub fn chapters() -> &'static [Chapter] {
    #[derive(Deserialize)]
    struct Book {
        chapter: Vec<Chapter>,
    }
    static BOOK: OnceLock<Vec<Chapter>> = OnceLock::new();
    BOOK.get_or_init(|| {
        let book: Book = toml::from_str(include_str!("../data/book.toml")).expect("the book's layout is sound");
        book.chapter
    })
}

/// A chapter by its key.
pub fn chapter(key: &str) -> Result<&'static Chapter, BookError> {
    chapters().iter().find(|c| c.key == key).ok_or_else(|| BookError::NoChapter(key.into()))
}

/// The same, whether a number is written 10 or 10.0.
fn same(a: &Value, b: &Value) -> bool {
    match (a, b) {
        (Value::Number(x), Value::Number(y)) => x.as_f64() == y.as_f64(),
        (Value::Array(x), Value::Array(y)) => x.len() == y.len() && x.iter().zip(y).all(|(x, y)| same(x, y)),
        (Value::Object(x), Value::Object(y)) => {
            // What is not written and what is empty are the same.
            let none = |v: Option<&Value>| v.is_none_or(|v| v.is_null() || v.as_array().is_some_and(Vec::is_empty));
            x.keys().chain(y.keys()).all(|k| match (x.get(k), y.get(k)) {
                (Some(a), Some(b)) => same(a, b) || none(Some(a)) && none(Some(b)),
                (a, b) => none(a) && none(b),
            })
        }
        _ => a == b,
    }
}

fn number(v: &Value, unit: &str) -> String {
    let Some(v) = v.as_f64() else { return "–".into() };
    let small = v != 0.0 && v.abs() < 0.001;
    let text = if small { format!("{v}") } else { trim(v) };
    match unit {
        "" => text,
        "°" => format!("{text}°"),
        "mm" if !small => format!("{} mm", len(text)),
        u => format!("{text} {u}"),
    }
}

impl BookField {
    /// A value of this field in words.
    fn say(&self, v: &Value) -> String {
        let list = |v: &Value, unit: &str| {
            let all = v.as_array().map(Vec::as_slice).unwrap_or_default();
            if all.is_empty() {
                return "none".into();
            }
            let all: Vec<String> = all.iter().map(|v| number(v, if unit == "mm" { "" } else { unit })).collect();
            let joined = if self.kind == FieldKind::Sizes { " × " } else { ", " };
            match unit {
                "mm" => format!("{} mm", all.iter().map(|t| len(t).to_string()).collect::<Vec<_>>().join(joined)),
                _ => all.join(joined),
            }
        };
        match (self.kind, v) {
            (_, Value::Null) => "–".into(),
            (FieldKind::Numbers | FieldKind::Sizes, v) => list(v, &self.unit),
            (FieldKind::Rows, v) => match v.as_array().map_or(0, Vec::len) {
                1 => "1 line".into(),
                n => format!("{n} lines"),
            },
            (_, Value::Bool(b)) => (if *b { "yes" } else { "no" }).into(),
            (_, Value::String(s)) => s.clone(),
            (_, v) => number(v, &self.unit),
        }
    }
}

impl Chapter {
    /// What an entry is called.
    pub fn name_of(&self, entry: &Value) -> String {
        let mut out = self.name.clone();
        for f in &self.fields {
            let brace = format!("{{{}}}", f.key);
            if out.contains(&brace) {
                let v = entry.get(&f.key).unwrap_or(&Value::Null);
                let text = match v {
                    Value::Number(n) if f.unit == "mm" => len(trim(n.as_f64().unwrap_or(f64::NAN))).to_string(),
                    v => f.say(v),
                };
                out = out.replace(&brace, &text);
            }
        }
        if self.fields.iter().any(|f| f.key == "name") || out != self.name && self.name != by_name() {
            out
        } else {
            self.title.to_lowercase()
        }
    }
    /// A change in words: "125 mm vise: presses with 12 → 10 kN".
    pub fn words(&self, c: &BookChange) -> String {
        match (&c.before, &c.after) {
            (None, Some(a)) => format!("new {}: {}", self.one, self.name_of(a)),
            (Some(b), None) => format!("took out {}: {}", self.one, self.name_of(b)),
            (Some(b), Some(a)) => {
                let differs = |f: &&BookField| {
                    let (b, a) = (b.get(&f.key).unwrap_or(&Value::Null), a.get(&f.key).unwrap_or(&Value::Null));
                    !same(b, a)
                };
                let say = |f: &BookField| {
                    let of = |v: &Value| f.say(v.get(&f.key).unwrap_or(&Value::Null));
                    match f.kind {
                        FieldKind::Long | FieldKind::Rows => format!("{} rewritten", f.words.to_lowercase()),
                        _ => format!("{} {} → {}", f.words.to_lowercase(), of(b), of(a)),
                    }
                };
                let all: Vec<String> = self.fields.iter().filter(differs).map(say).collect();
                format!("{}: {}", self.name_of(b), all.join("; "))
            }
            (None, None) => format!("{} as it was", self.one),
        }
    }
    /// An entry to begin a new one from: of the demo shop, without a name.
    pub fn fresh(&self, shop: &Shop) -> Option<Value> {
        let demo = serde_json::to_value(Shop::demo().ok()?).ok()?;
        let first = demo.get(&self.key)?;
        let mut entry = first.as_array().map_or(Some(first), |a| a.first())?.clone();
        let e = entry.as_object_mut()?;
        for f in &self.fields {
            if self.many && matches!(f.key.as_str(), "name" | "id") {
                e.insert(f.key.clone(), Value::String(String::new()));
            }
        }
        if self.key == "crib" {
            let free = (1..).find(|n| shop.crib.iter().all(|t| t.number != *n)).unwrap_or(1);
            e.insert("number".into(), free.into());
        }
        Some(entry)
    }
}

impl BookChange {
    /// What takes it back.
    pub fn back(&self) -> BookChange {
        BookChange {
            chapter: self.chapter.clone(),
            before: self.after.clone(),
            after: self.before.clone(),
            at: self.at,
        }
    }
}

impl Shop {
    /// The shop with a change, and the change as it was made: with its place in a list, and the entry as it is kept.
    ///
    /// # Errors
    /// [`BookError::Changed`] where what stands there is not what the change was made from; [`BookError::Wrong`] with what to do where the shop would not be sound.
    pub fn with(&self, change: &BookChange) -> Result<(Shop, BookChange), BookError> {
        let ch = chapter(&change.chapter)?;
        let wrong = |e: &dyn std::fmt::Display| BookError::Wrong(e.to_string());
        let mut data = serde_json::to_value(self).map_err(|e| wrong(&e))?;
        let book = data.as_object_mut().ok_or_else(|| BookError::NoChapter(ch.key.clone()))?;
        let mut done = change.clone();
        let at = if ch.many { put_in_list(book, ch, change)? } else { put_one(book, ch, change)? };
        done.at = at;
        let shop: Shop = serde_json::from_value(data).map_err(|e| wrong(&format!("{}: {e}", ch.title)))?;
        shop.check().map_err(|e| match e {
            ShopError::Wrong(why) => BookError::Wrong(why),
            e => wrong(&e),
        })?;
        if let Some(a) = &mut done.after {
            // As it is kept: without what the book does not know.
            let kept = serde_json::to_value(&shop).map_err(|e| wrong(&e))?;
            let of = &kept[&ch.key];
            *a = at.map_or(of, |k| &of[k]).clone();
        }
        Ok((shop, done))
    }
    /// The changes that make another shop of this one, chapter by chapter.
    ///
    /// # Errors
    /// [`BookError::Wrong`] where either is no data at all.
    pub fn changes_to(&self, other: &Shop) -> Result<Vec<BookChange>, BookError> {
        let value = |s: &Shop| serde_json::to_value(s).map_err(|e| BookError::Wrong(e.to_string()));
        let (from, to) = (value(self)?, value(other)?);
        let mut out = Vec::new();
        for ch in chapters() {
            let (a, b) = (&from[&ch.key], &to[&ch.key]);
            if same(a, b) {
                continue;
            }
            let change = |before: Option<&Value>, after: Option<&Value>, at: Option<usize>| BookChange {
                chapter: ch.key.clone(),
                before: before.filter(|v| !v.is_null()).cloned(),
                after: after.filter(|v| !v.is_null()).cloned(),
                at,
            };
            if !ch.many {
                out.push(change(Some(a), Some(b), None));
                continue;
            }
            let list = |v: &Value| v.as_array().cloned().unwrap_or_default();
            let (a, b) = (list(a), list(b));
            let common = a.len().min(b.len());
            for k in (0..common).filter(|&k| !same(&a[k], &b[k])) {
                let fixed = |f: &&BookField| f.fixed && a[k].get(&f.key) != b[k].get(&f.key);
                if ch.fields.iter().any(|f| fixed(&f)) {
                    out.extend([change(Some(&a[k]), None, Some(k)), change(None, Some(&b[k]), Some(k))]);
                } else {
                    out.push(change(Some(&a[k]), Some(&b[k]), Some(k)));
                }
            }
            out.extend((common..a.len()).rev().map(|k| change(Some(&a[k]), None, Some(k))));
            out.extend((common..b.len()).map(|k| change(None, Some(&b[k]), Some(k))));
        }
        Ok(out)
    }
    /// The shop with all of these, one after the other, and sound at the end; on the way it need not be.
    ///
    /// # Errors
    /// As [`Shop::with`].
    pub fn with_all(&self, changes: &[BookChange]) -> Result<(Shop, Vec<BookChange>), BookError> {
        if let [one] = changes {
            let (shop, done) = self.with(one)?;
            return Ok((shop, vec![done]));
        }
        let wrong = |e: &dyn std::fmt::Display| BookError::Wrong(e.to_string());
        let mut data = serde_json::to_value(self).map_err(|e| wrong(&e))?;
        let book = data.as_object_mut().ok_or_else(|| BookError::Wrong("the shop has no data".into()))?;
        let mut done = Vec::new();
        for c in changes {
            let ch = chapter(&c.chapter)?;
            let at = if ch.many { put_in_list(book, ch, c)? } else { put_one(book, ch, c)? };
            done.push(BookChange { at, ..c.clone() });
        }
        let shop: Shop = serde_json::from_value(data).map_err(|e| wrong(&e))?;
        shop.check().map_err(|e| wrong(&e))?;
        Ok((shop, done))
    }
    /// A shop's book from a file, JSON or TOML.
    ///
    /// # Errors
    /// [`ShopError::Unreadable`] with line and column, [`ShopError::Wrong`] with what to do.
    pub fn from_text(text: &str) -> Result<Shop, ShopError> {
        let text = text.trim_start_matches('\u{feff}');
        let shop: Shop = if text.trim_start().starts_with('{') {
            serde_json::from_str(text).map_err(|e| ShopError::Unreadable(e.to_string()))?
        } else {
            toml::from_str(text).map_err(|e| ShopError::Unreadable(e.to_string()))?
        };
        shop.check()?;
        Ok(shop)
    }
}

fn put_one(book: &mut Map<String, Value>, ch: &Chapter, c: &BookChange) -> Result<Option<usize>, BookError> {
    let there = book.get(&ch.key).filter(|v| !v.is_null());
    let as_it_was = match (there, &c.before) {
        (None, None) => true,
        (Some(t), Some(b)) => same(t, b),
        _ => false,
    };
    if !as_it_was {
        return Err(BookError::Changed(ch.title.clone()));
    }
    if c.after.is_none() && !ch.optional {
        return Err(BookError::Wrong(format!("A shop has a {}; change it instead", ch.one)));
    }
    book.insert(ch.key.clone(), c.after.clone().unwrap_or(Value::Null));
    Ok(None)
}

fn put_in_list(book: &mut Map<String, Value>, ch: &Chapter, c: &BookChange) -> Result<Option<usize>, BookError> {
    let list = book.entry(ch.key.clone()).or_insert_with(|| Value::Array(Vec::new()));
    let Some(list) = list.as_array_mut() else { return Err(BookError::NoChapter(ch.key.clone())) };
    let Some(before) = &c.before else {
        let Some(after) = &c.after else { return Ok(None) };
        let at = c.at.filter(|k| *k <= list.len()).unwrap_or(list.len());
        list.insert(at, after.clone());
        return Ok(Some(at));
    };
    // Where it was, or where another change has moved it.
    let here = c.at.filter(|&k| list.get(k).is_some_and(|v| same(v, before)));
    let at = here.or_else(|| list.iter().position(|v| same(v, before)));
    let Some(at) = at else { return Err(BookError::Changed(ch.name_of(before))) };
    match &c.after {
        Some(a) => {
            for f in ch.fields.iter().filter(|f| f.fixed) {
                if !same(before.get(&f.key).unwrap_or(&Value::Null), a.get(&f.key).unwrap_or(&Value::Null)) {
                    let what = f.words.to_lowercase();
                    return Err(BookError::Wrong(format!(
                        "The {what} of '{}' stays: jobs name it by that; put in a new {} instead",
                        ch.name_of(before),
                        ch.one
                    )));
                }
            }
            list[at] = a.clone();
        }
        None => {
            list.remove(at);
        }
    }
    Ok(Some(at))
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    fn demo() -> (Shop, Value) {
        let s = Shop::demo().unwrap();
        let v = serde_json::to_value(&s).unwrap();
        (s, v)
    }

    fn change(chapter: &str, before: Option<Value>, after: Option<Value>) -> BookChange {
        BookChange { chapter: chapter.into(), before, after, at: None }
    }

    fn set(v: &Value, key: &str, to: Value) -> Value {
        let mut v = v.clone();
        v[key] = to;
        v
    }

    /// Nothing of the shop is left out, and no field names what is not there.
    #[test]
    fn every_number_of_the_shop_stands_in_the_book() {
        let (_, shop) = demo();
        let keys: Vec<&String> = shop.as_object().unwrap().keys().collect();
        for k in &keys {
            assert!(chapter(k).is_ok(), "no chapter tells {k}");
        }
        for ch in chapters() {
            let of = &shop[&ch.key];
            let entries = if ch.many { of.as_array().unwrap().clone() } else { vec![of.clone()] };
            assert!(!entries.is_empty(), "{}", ch.key);
            let threads = ["pitch_mm", "least_pitch_mm", "lead_threads"];
            for f in ch.fields.iter().filter(|f| threads.contains(&f.key.as_str())) {
                assert!(entries.iter().any(|e| e.get(&f.key).is_some()), "no cutter has {}", f.key);
            }
            for e in entries {
                for k in e.as_object().unwrap().keys() {
                    assert!(ch.fields.iter().any(|f| f.key == *k), "{}: {k} stands in no field", ch.key);
                }
                for f in &ch.fields {
                    let key = f.key.as_str();
                    let sometimes = ["rpm_steps", "spindle", "ramp_deg", "helix_deg", "flank_deg"].contains(&key)
                        || threads.contains(&key);
                    assert!(sometimes || e.get(&f.key).is_some(), "{} has no {}", ch.key, f.key);
                    if f.kind == FieldKind::Sizes {
                        assert_eq!(e[&f.key].as_array().unwrap().len(), f.of.len(), "{} {}", ch.key, f.key);
                    }
                    if f.kind == FieldKind::Choice {
                        assert!(f.of.iter().any(|o| e[&f.key] == **o), "{} {}", ch.key, f.key);
                    }
                }
            }
        }
    }

    #[test]
    fn a_change_is_made_told_and_taken_back() {
        let (s, v) = demo();
        let vise = &v["vise"];
        let weaker = change("vise", Some(vise.clone()), Some(set(vise, "clamp_kn", json!(8))));
        assert_eq!(chapter("vise").unwrap().words(&weaker), "125 mm vise: presses with 12 kN → 8 kN");
        let (t, done) = s.with(&weaker).unwrap();
        assert_eq!(t.vise.clamp_kn, 8.0);
        assert_eq!(t.with(&done.back()).unwrap().0, s);
        // Somebody else was quicker.
        assert!(matches!(t.with(&weaker), Err(BookError::Changed(_))));
        // Out of a list and back to its place.
        let gone = change("jaw_blanks", Some(v["jaw_blanks"][0].clone()), None);
        let (t, done) = s.with(&gone).unwrap();
        assert_eq!((t.jaw_blanks.len(), done.at), (s.jaw_blanks.len() - 1, Some(0)));
        assert_eq!(t.with(&done.back()).unwrap().0, s);
        assert!(chapter("jaw_blanks").unwrap().words(&gone).starts_with("took out pair of jaw blanks: aluminium"));
    }

    #[test]
    fn what_makes_no_sense_is_refused_with_what_to_do() {
        let (s, v) = demo();
        let why = |c: BookChange| s.with(&c).unwrap_err().to_string();
        let set_in = |ch: &str, key: &str, to: Value| {
            let of = if v[ch].is_array() { &v[ch][0] } else { &v[ch] };
            why(change(ch, Some(of.clone()), Some(set(of, key, to))))
        };
        assert!(set_in("vise", "clamp_kn", json!(-1)).contains("above 0"));
        assert!(set_in("vise", "clamp_kn", json!("strong")).contains("invalid type"));
        assert!(set_in("jaw_blanks", "material", json!("cheese")).contains("no material is called 'cheese'"));
        assert!(set_in("crib", "diameter_mm", json!(0)).contains("above 0"));
        assert!(set_in("materials", "kc11_mpa", json!(0)).contains("kc1.1"));
        assert!(set_in("materials", "id", json!("other")).contains("stays"));
        assert!(set_in("machine", "travel_max_mm", json!([0, 0, -400])).contains("travel"));
        assert!(set_in("screws", "thread", json!("M99")).contains("M99"));
        assert!(why(change("vise", Some(v["vise"].clone()), None)).contains("change it instead"));
        assert!(why(change("lathe", None, Some(json!({})))).contains("no chapter"));
        // What jaw blanks are made of cannot leave.
        let al = v["materials"].as_array().unwrap().iter().find(|m| m["id"] == "aluminium-6082").unwrap();
        assert!(why(change("materials", Some(al.clone()), None)).contains("aluminium-6082"));
        // The same number twice.
        assert!(why(change("crib", None, Some(v["crib"][3].clone()))).contains("twice"));
    }

    #[test]
    fn new_entries_begin_from_one_that_is_sound() {
        let (s, _) = demo();
        for ch in chapters().iter().filter(|c| c.many) {
            let mut e = ch.fresh(&s).unwrap();
            for k in ["name", "id"] {
                if e.get(k).is_some() {
                    e[k] = json!(if ch.key == "dialects" { "a-new-one" } else { "a new one" });
                }
            }
            s.with(&change(&ch.key, None, Some(e))).unwrap_or_else(|e| panic!("{}: {e}", ch.key));
        }
        // But for a name.
        let e = chapter("straps").unwrap().fresh(&s).unwrap();
        assert!(s.with(&change("straps", None, Some(e))).unwrap_err().to_string().contains("name"));
    }

    #[test]
    fn a_whole_book_goes_out_and_comes_in() {
        let (s, v) = demo();
        let mut other = s.clone();
        other.vise.opening_mm = 90.0;
        other.collet_blocks.remove(0);
        other.angle_blocks = None;
        other.crib[2].stickout_mm = 31.0;
        let json = serde_json::to_string_pretty(&other).unwrap();
        assert_eq!(Shop::from_text(&json).unwrap(), other);
        assert_eq!(Shop::from_text(&toml::to_string(&s).unwrap()).unwrap(), s);
        let changes = s.changes_to(&other).unwrap();
        let (t, done) = s.with_all(&changes).unwrap();
        assert_eq!(t, other);
        let back: Vec<BookChange> = done.iter().rev().map(BookChange::back).collect();
        assert_eq!(t.with_all(&back).unwrap().0, s);
        assert!(s.changes_to(&s).unwrap().is_empty());
        let e = Shop::from_text("{\n  \"machine\": 3\n}").unwrap_err().to_string();
        assert!(e.contains("line 2"), "{e}");
        assert!(Shop::from_text("what = ").is_err());
        assert!(Shop::from_text(&set(&v, "straps", json!([{ "name": "x" }])).to_string()).is_err());
    }
}
