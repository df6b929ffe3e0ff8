//! Where a number or a rule comes from, or who settled it, and how sure that is.

use serde::{Deserialize, Deserializer, Serialize};
use std::fmt;
use ts_rs::TS;

/// One source, or one decider.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Source {
    /// A published work that was looked up, with what is taken from it.
    Cited {
        /// "vf = n·z·fz, Machinery's Handbook".
        work: String,
    },
    /// A published work as it is remembered, or an estimate.
    Memory {
        /// Work and what is taken from it.
        work: String,
        /// How likely it is right, percent; none: not said.
        share: Option<u8>,
    },
    /// What the trade does; no work is named.
    Practice {
        /// The rule.
        what: String,
    },
    /// Somebody settled it.
    Person {
        /// Name; empty: one who decided in this job.
        who: String,
    },
    /// Measured on the machine or the part.
    Measured {
        /// Which log.
        log: String,
    },
    /// It follows from geometry, from the model or from other numbers here.
    Derived {
        /// How.
        how: String,
    },
}

/// Several sources of one number.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, TS)]
#[serde(transparent)]
pub struct Sources(pub Vec<Source>);

const PRACTICE: &str = "common practice, no source";

impl Source {
    /// A published work that was looked up.
    pub fn cited(work: impl Into<String>) -> Source {
        Source::Cited { work: work.into() }
    }
    /// A published work from memory, right with this likelihood in percent.
    pub fn memory(work: impl Into<String>, share: u8) -> Source {
        Source::Memory { work: work.into(), share: Some(share) }
    }
    /// Common practice.
    pub fn practice(what: impl Into<String>) -> Source {
        Source::Practice { what: what.into() }
    }
    /// It follows from something here.
    pub fn derived(how: impl Into<String>) -> Source {
        Source::Derived { how: how.into() }
    }
    /// Whoever decided it in this job.
    pub fn person() -> Source {
        Source::Person { who: String::new() }
    }
    /// One source in its written form (tables, shop data): a work, and behind it its mark – "…, from memory, 75 %" (of a range the lower number), "… estimate, 25 %",
    /// "…: common practice, no source" – or no mark: looked up.
    fn written(text: &str) -> Source {
        let text = text.trim();
        let bare = |t: &str| t.trim_end_matches([' ', ',', ':', '(']).to_string();
        if let Some(k) = text.find("common practice") {
            let rest = text[k..].trim_start_matches(PRACTICE).trim_start_matches("common practice");
            return Source::practice(format!("{}{}", bare(&text[..k]), rest.trim_end_matches(')').trim_end()));
        }
        for mark in ["from memory", "estimate"] {
            if let Some(k) = text.find(mark) {
                let digits: String =
                    text[k..].chars().skip_while(|c| !c.is_ascii_digit()).take_while(char::is_ascii_digit).collect();
                let work = if mark == "estimate" { bare(&text[..k]) + ": estimate" } else { bare(&text[..k]) };
                return Source::Memory { work, share: digits.parse().ok() };
            }
        }
        Source::cited(text)
    }
}

impl Sources {
    /// None named.
    pub fn none() -> Sources {
        Sources::default()
    }
    /// Several in their written form, with semicolons between them.
    pub fn written(text: &str) -> Sources {
        Sources(text.split(';').map(str::trim).filter(|t| !t.is_empty()).map(Source::written).collect())
    }
    /// And these too.
    pub fn and(mut self, more: impl Into<Sources>) -> Sources {
        self.0.extend(more.into().0);
        self
    }
    /// Serialised in the written form, as shop data are kept.
    pub fn as_written<S: serde::Serializer>(sources: &Sources, s: S) -> Result<S::Ok, S::Error> {
        s.collect_str(sources)
    }
    /// Is none named?
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

impl From<Source> for Sources {
    fn from(s: Source) -> Sources {
        Sources(vec![s])
    }
}

impl From<&Sources> for Sources {
    fn from(s: &Sources) -> Sources {
        s.clone()
    }
}

impl fmt::Display for Source {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Source::Cited { work } => f.write_str(work),
            Source::Memory { work, share: Some(p) } => write!(f, "{work}, from memory, {p} %"),
            Source::Memory { work, share: None } => write!(f, "{work}, from memory"),
            Source::Practice { what } if what.is_empty() => f.write_str(PRACTICE),
            Source::Practice { what } => write!(f, "{what}: {PRACTICE}"),
            Source::Person { who } if who.is_empty() => f.write_str("a person"),
            Source::Person { who } => f.write_str(who),
            Source::Measured { log } => write!(f, "measured: {log}"),
            Source::Derived { how } => f.write_str(how),
        }
    }
}

impl fmt::Display for Sources {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (k, s) in self.0.iter().enumerate() {
            write!(f, "{}{s}", if k > 0 { "; " } else { "" })?;
        }
        Ok(())
    }
}

/// Read as the list that is written, or from the written form of a table.
impl<'de> Deserialize<'de> for Sources {
    fn deserialize<D: Deserializer<'de>>(d: D) -> Result<Sources, D::Error> {
        #[derive(Deserialize)]
        #[serde(untagged)]
        enum Form {
            Text(String),
            List(Vec<Source>),
        }
        Ok(match Form::deserialize(d)? {
            Form::Text(t) => Sources::written(&t),
            Form::List(l) => Sources(l),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_written_form_becomes_types_and_back() {
        let s = Sources::written(
            "kc1.1 650 / mc 0.25: toolmaker handbook family ISO-N, from memory, 70 %; vc, fz: handbook starting range, from memory, 60-75 %; \
             minimum chip 0.0026 D: common practice, no source; yield 235: EN 10025-2, by its name; kc1.1 about 180: estimate, 25 %; sizes of ISO 8734 (from memory, 95 %)",
        );
        assert_eq!(
            s.0,
            [
                Source::memory("kc1.1 650 / mc 0.25: toolmaker handbook family ISO-N", 70),
                Source::memory("vc, fz: handbook starting range", 60),
                Source::practice("minimum chip 0.0026 D"),
                Source::cited("yield 235: EN 10025-2, by its name"),
                Source::memory("kc1.1 about 180: estimate", 25),
                Source::memory("sizes of ISO 8734", 95),
            ]
        );
        // What is shown is the written form again.
        assert_eq!(Sources::written(&s.to_string()), s);
        let json = serde_json::to_string(&s).unwrap();
        assert!(json.starts_with(r#"[{"kind":"memory","work":"kc1.1 650"#));
        assert_eq!(serde_json::from_str::<Sources>(&json).unwrap(), s);
        assert_eq!(
            serde_json::from_str::<Sources>(r#""common practice, no source""#).unwrap().0,
            [Source::practice("")]
        );
        assert!(Sources::written(" ; ").is_empty());
        let two = Sources::from(Source::person()).and(Source::derived("the model"));
        assert_eq!(two.to_string(), "a person; the model");
    }
}
