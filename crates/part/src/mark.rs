//! Marks of a person on the part: what is tight, what is visible, what comes after machining, and what size must be machined for it.
//!
//! Tolerances seldom travel in a model; so faces are marked by hand. A face is named by its own geometry, so a mark finds it again in a new
//! reading of the file, and says so when it does not.
//!
//! Size to machine: the final size less the plating on both sides outside (plus in bores), plus the grinding allowance (less in bores). Common
//! practice; the allowance for grinding is usually 0.2 to 0.4 mm on the diameter (common practice, no source).

use crate::feature::number;
use crate::{Part, Surface};
use reason::{Source, Sources, Term, len};
use serde::{Deserialize, Serialize};
use shop::standards;
use std::collections::BTreeMap;
use ts_rs::TS;

/// What happens to a face after machining.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Process {
    /// A layer on each side, mm.
    Plating {
        /// mm per side.
        layer: f64,
    },
    /// About half of the layer grows out of the metal.
    Anodising {
        /// Thickness of the whole layer, mm.
        layer: f64,
    },
    /// Ground afterwards: material to leave, on the diameter or thickness, mm.
    Grinding {
        /// mm on diameter.
        allowance: f64,
    },
    /// The part moves and grows; what must be true is ground after it.
    Hardening,
}

/// What is marked.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum MarkKind {
    /// A size with its limits: a class of ISO 286, or deviations in mm.
    Size {
        /// "H7"; or none, and the deviations count.
        class: Option<String>,
        /// Over nominal, mm.
        upper: f64,
        /// Over nominal, mm.
        lower: f64,
        /// What comes after machining.
        processes: Vec<Process>,
    },
    /// True position, mm.
    Position {
        /// mm.
        tolerance: f64,
        /// "A B".
        datums: String,
    },
    /// Distance to another face, with deviations, mm.
    Distance {
        /// Id of the other face.
        to: String,
        /// Over nominal, mm.
        upper: f64,
        /// Over nominal, mm.
        lower: f64,
    },
    /// A datum.
    Datum {
        /// "A".
        letter: String,
    },
    /// Parallel to a datum, mm.
    Parallel {
        /// mm.
        tolerance: f64,
        /// "A".
        datum: String,
    },
    /// A thread, by name.
    Thread {
        /// "M8".
        name: String,
    },
    /// Roughness Ra at most, µm.
    Finish {
        /// µm.
        ra: f64,
    },
    /// It is seen: no clamp marks, no witness lines.
    Visible,
    /// Nobody sees it.
    Hidden,
}

/// A mark.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Mark {
    /// Id of the face.
    pub face: String,
    /// What.
    pub what: MarkKind,
    /// In a person's own words.
    #[serde(default)]
    pub note: String,
}

impl MarkKind {
    /// Does it ask for more than what any cut gives: a size, a place, a distance or a form with limits?
    pub fn is_tight(&self) -> bool {
        !matches!(self, MarkKind::Datum { .. } | MarkKind::Thread { .. } | MarkKind::Visible | MarkKind::Hidden)
    }
}

/// A question to the drawing's owner.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Ask {
    /// "May a centre hole stay in the end?"
    pub text: String,
    /// What is planned until there is an answer.
    pub proposal: String,
    /// Who was asked.
    pub whom: String,
    /// When, as a date.
    pub when: String,
    /// What waits for it.
    pub blocks: String,
    /// The answer; empty while it is open.
    #[serde(default)]
    pub answer: String,
}

/// A mark with what follows from it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Marked {
    /// Key of its decision.
    pub id: String,
    /// The mark.
    pub mark: Mark,
    /// In words: "Ø22 H7".
    pub words: String,
    /// Faces; empty when the part has no such face any more.
    pub faces: Vec<u32>,
    /// Nominal size in the model, mm.
    pub nominal: Option<f64>,
    /// Finished size, least and most, mm.
    pub finished: Option<[f64; 2]>,
    /// Size to machine, least and most, mm.
    pub machine: Option<[f64; 2]>,
    /// How that follows.
    pub terms: Vec<Term>,
    /// Where the numbers come from.
    pub source: Sources,
    /// What does not fit, in a sentence.
    pub doubt: Option<String>,
}

/// Names of all faces, from kind, direction, size and place; equal ones are numbered.
pub fn face_ids(part: &Part) -> Vec<String> {
    let mut seen: BTreeMap<String, usize> = BTreeMap::new();
    part.faces
        .iter()
        .map(|f| {
            let c = (f.bounds.min + f.bounds.max) / 2.0;
            let q = |v: f64| (v * 10.0).round() / 10.0 + 0.0;
            let d = |v: geom::DVec3| {
                let (_, v) = crate::feature::settled(v);
                format!("{:.2}_{:.2}_{:.2}", v.x + 0.0, v.y + 0.0, v.z + 0.0)
            };
            let what = match f.surface {
                Surface::Plane { normal, .. } => {
                    format!("plane/{:.2}_{:.2}_{:.2}", normal.x + 0.0, normal.y + 0.0, normal.z + 0.0)
                }
                Surface::Cylinder { axis, radius, hollow, .. } => {
                    format!("{}/{}/{:.2}", if hollow { "bore" } else { "round" }, d(axis), 2.0 * radius)
                }
                Surface::Cone { axis, half_angle, .. } => {
                    format!("cone/{}/{:.1}", d(axis), half_angle.abs().to_degrees())
                }
                Surface::Sphere { radius, .. } => format!("ball/{radius:.2}"),
                Surface::Torus { axis, minor, .. } => format!("ring/{}/{minor:.2}", d(axis)),
                Surface::Free => "free".into(),
            };
            let id = format!("{what}/{:.1}_{:.1}_{:.1}", q(c.x), q(c.y), q(c.z));
            let n = seen.entry(id.clone()).or_insert(0);
            *n += 1;
            if *n > 1 { format!("{id}#{n}") } else { id }
        })
        .collect()
}

impl Mark {
    /// Key of the decision: one mark of a kind for each face.
    pub fn id(&self) -> String {
        let kind = match &self.what {
            MarkKind::Size { .. } => "size",
            MarkKind::Position { .. } => "position",
            MarkKind::Distance { .. } => "distance",
            MarkKind::Datum { .. } => "datum",
            MarkKind::Parallel { .. } => "parallel",
            MarkKind::Thread { .. } => "thread",
            MarkKind::Finish { .. } => "finish",
            MarkKind::Visible | MarkKind::Hidden => "seen",
        };
        format!("{kind}/{}", self.face)
    }
    /// What makes no sense in it, whatever the part.
    pub fn fault(&self) -> Option<String> {
        let small = |v: f64, most: f64| v.is_finite() && (0.0..=most).contains(&v);
        if self.note.len() > 500 || self.face.len() > 150 {
            return Some("A mark's note is at most 500 characters long".into());
        }
        match &self.what {
            MarkKind::Size { class, upper, lower, processes } => {
                if class.is_none() && !(upper > lower && upper.abs() < 50.0 && lower.abs() < 50.0) {
                    return Some("The upper deviation must lie above the lower one, both within 50 mm".into());
                }
                let fine = processes.iter().all(|p| match p {
                    Process::Plating { layer } | Process::Anodising { layer } => small(*layer, 2.0),
                    Process::Grinding { allowance } => small(*allowance, 5.0),
                    Process::Hardening => true,
                });
                (!fine).then(|| "A layer is between 0 and 2 mm, a grinding allowance between 0 and 5 mm".into())
            }
            MarkKind::Position { tolerance, .. } | MarkKind::Parallel { tolerance, .. }
                if !(small(*tolerance, 10.0) && *tolerance > 0.0) =>
            {
                Some("A tolerance is more than 0 and at most 10 mm".into())
            }
            MarkKind::Distance { upper, lower, .. } if upper.is_nan() || lower.is_nan() || upper <= lower => {
                Some("The upper deviation must lie above the lower one".into())
            }
            MarkKind::Datum { letter } if letter.is_empty() || letter.chars().count() > 2 => {
                Some("A datum is a letter or two".into())
            }
            MarkKind::Thread { name } if !standards::threads().iter().any(|t| t.name == *name) => Some(format!(
                "No thread is called '{}'; write it like M8, M8×1, 1/4-20 or G 1/4",
                name.chars().take(20).collect::<String>()
            )),
            MarkKind::Finish { ra } if !(0.01..=100.0).contains(ra) => Some("Ra lies between 0.01 and 100 µm".into()),
            _ => None,
        }
    }
}

/// The face opposite a flat one with their distance, mm: less than 0 across a gap. Thickness, or the width of the gap in front of it: whichever is nearer.
pub fn opposite(part: &Part, face: usize) -> Option<(usize, f64)> {
    let Surface::Plane { normal, offset } = part.faces.get(face)?.surface else { return None };
    let others = part.faces.iter().enumerate().filter_map(|(i, f)| match f.surface {
        Surface::Plane { normal: n, offset: o } if n.dot(normal) < -1.0 + 1e-6 => {
            let lap = part.faces[face].bounds.grown(0.01);
            let mut b = f.bounds;
            let k = (0..3).max_by(|&a, &b| normal[a].abs().total_cmp(&normal[b].abs())).unwrap_or(2);
            (b.min[k], b.max[k]) = (lap.min[k], lap.max[k]);
            b.meets(&lap).then_some((i, offset + o))
        }
        _ => None,
    });
    others.filter(|(_, t)| t.abs() > 1e-6).min_by(|a, b| a.1.abs().total_cmp(&b.1.abs()))
}

/// Nominal size of a face: its diameter, or the distance to the face opposite it.
fn nominal(part: &Part, face: usize) -> Option<(f64, bool)> {
    match part.faces[face].surface {
        Surface::Cylinder { radius, hollow, .. } => Some((2.0 * radius, hollow)),
        Surface::Sphere { radius, hollow, .. } => Some((2.0 * radius, hollow)),
        Surface::Plane { .. } => opposite(part, face).map(|(_, t)| (t.abs(), t < 0.0)),
        _ => None,
    }
}

/// All marks with what follows from them.
pub fn marked(part: &Part, marks: &BTreeMap<String, Mark>) -> Vec<Marked> {
    let ids = face_ids(part);
    let mut out: Vec<Marked> = marks.iter().map(|(id, m)| one(part, &ids, id, m)).collect();
    let has = |letter: &str| {
        marks.values().any(|m| matches!(&m.what, MarkKind::Datum { letter: l } if l.eq_ignore_ascii_case(letter)))
    };
    for m in out.iter_mut().filter(|m| m.doubt.is_none()) {
        let missing = |letters: &str| letters.split_whitespace().find(|l| !has(l)).map(str::to_string);
        m.doubt = match &m.mark.what {
            MarkKind::Position { datums, .. } => missing(datums),
            MarkKind::Parallel { datum, .. } => missing(datum),
            MarkKind::Finish { ra } => {
                m.doubt = wasted(marks, &m.mark.face, *ra);
                continue;
            }
            _ => None,
        }
        .map(|l| format!("No face is marked as datum {l}; mark it, or name another"));
    }
    out
}

/// A finish that a later process takes away or covers.
fn wasted(marks: &BTreeMap<String, Mark>, face: &str, ra: f64) -> Option<String> {
    let later = marks.values().filter(|m| m.face == face).find_map(|m| match &m.what {
        MarkKind::Size { processes, .. } => processes.iter().find_map(|p| match p {
            Process::Grinding { .. } => Some("Grinding takes this face off again"),
            Process::Plating { .. } => Some("Plating covers this face"),
            Process::Anodising { .. } => Some("Anodising roughens this face"),
            Process::Hardening => None,
        }),
        _ => None,
    })?;
    Some(format!("{later}: Ra {ra} µm before it may be wasted; ask at which stage the finish counts"))
}

fn one(part: &Part, ids: &[String], id: &str, m: &Mark) -> Marked {
    let face = ids.iter().position(|i| *i == m.face);
    let mut out = Marked {
        id: id.into(),
        mark: m.clone(),
        words: String::new(),
        faces: face.iter().map(|f| *f as u32).collect(),
        nominal: None,
        finished: None,
        machine: None,
        terms: Vec::new(),
        source: Sources::none(),
        doubt: None,
    };
    let size = face.and_then(|f| nominal(part, f));
    out.nominal = size.map(|s| s.0);
    let round = face.is_some_and(|f| !matches!(part.faces[f].surface, Surface::Plane { .. }));
    let name = |v: f64| if round { format!("Ø{}", len(number(v))) } else { len(number(v)).to_string() };
    out.words = match &m.what {
        MarkKind::Size { class, upper, lower, processes } => {
            let said = size.map_or("size".to_string(), |s| name(s.0));
            if let Some((d, inside)) = size {
                size_of(&mut out, d, inside, class.as_deref(), [*lower, *upper], processes);
            } else if face.is_some() {
                out.doubt = Some("This face has no size of its own; mark a distance instead".into());
            }
            match class {
                Some(c) => format!("{said} {c}"),
                None => format!("{said} {upper:+} {lower:+}"),
            }
        }
        MarkKind::Position { tolerance, datums } => {
            format!("position within {tolerance} mm to {datums}", tolerance = len(tolerance))
        }
        MarkKind::Distance { to, upper, lower } => {
            let other = ids.iter().position(|i| i == to);
            let d = match (face, other) {
                (Some(a), Some(b)) => distance(&part.faces[a].surface, &part.faces[b].surface),
                _ => None,
            };
            out.faces.extend(other.map(|f| f as u32));
            match d {
                Some(d) => {
                    out.nominal = Some(d);
                    out.finished = Some([d + lower, d + upper]);
                }
                None => out.doubt = Some("There is no fixed distance between these two faces".into()),
            }
            format!("distance {} {upper:+} {lower:+}", d.map_or("?".into(), number))
        }
        MarkKind::Datum { letter } => format!("datum {letter}"),
        MarkKind::Parallel { tolerance, datum } => {
            format!("parallel to {datum} within {tolerance} mm", tolerance = len(tolerance))
        }
        MarkKind::Thread { name } => {
            if let (Some((d, true)), Some(t)) = (size, standards::threads().iter().find(|t| t.name == *name)) {
                let near = t.drills.iter().chain([&t.major, &t.minor]).any(|x| (x - d).abs() < 0.06);
                if !near {
                    out.doubt = Some(format!(
                        "Ø{} is neither a tap drill of {name} nor its diameter Ø{}",
                        len(number(d)),
                        len(number(t.major))
                    ));
                }
                out.terms = vec![
                    Term::new("D", "nominal diameter", t.major, "mm"),
                    Term::new("P", "pitch", t.pitch, "mm"),
                    Term::new("d", "tap drill", t.drills.first().copied().unwrap_or(t.minor), "mm"),
                ];
                out.source = Sources::written(t.source);
            }
            format!("thread {name}")
        }
        MarkKind::Finish { ra } => format!("finish Ra {ra} µm"),
        MarkKind::Visible => "visible face".into(),
        MarkKind::Hidden => "hidden face".into(),
    };
    if face.is_none() {
        out.doubt = Some("The part has no such face any more; mark it anew or take the mark away".into());
    }
    out
}

fn distance(a: &Surface, b: &Surface) -> Option<f64> {
    match (a, b) {
        (Surface::Plane { normal: m, offset: p }, Surface::Plane { normal: n, offset: q })
            if m.dot(*n).abs() > 1.0 - 1e-9 =>
        {
            Some((p - m.dot(*n).signum() * q).abs())
        }
        (Surface::Cylinder { origin, axis, .. }, Surface::Cylinder { origin: o, axis: v, .. })
            if axis.dot(*v).abs() > 1.0 - 1e-9 =>
        {
            Some((*o - *origin).reject_from_normalized(*axis).length())
        }
        (Surface::Cylinder { origin, axis, .. }, Surface::Plane { normal, offset })
        | (Surface::Plane { normal, offset }, Surface::Cylinder { origin, axis, .. })
            if axis.dot(*normal).abs() < 1e-9 =>
        {
            Some((origin.dot(*normal) - offset).abs())
        }
        _ => None,
    }
}

fn size_of(out: &mut Marked, d: f64, inside: bool, class: Option<&str>, typed: [f64; 2], processes: &[Process]) {
    let (low, high) = match class {
        Some(c) => match standards::fit(c, d) {
            Some(l) => {
                out.source = Sources::written(l.source);
                (l.lower, l.upper)
            }
            None => {
                out.doubt =
                    Some(format!("The tables have no class {c} at {} mm; give the deviations instead", len(number(d))));
                return;
            }
        },
        None => {
            out.source = Source::person().into();
            (typed[0], typed[1])
        }
    };
    // Capital letters are for holes (ISO 286-1).
    if let Some(c) = class
        && c.starts_with(char::is_uppercase) != inside
    {
        out.doubt = Some(format!(
            "{c} is a class for {}, this is {}",
            if inside { "shafts" } else { "holes" },
            if inside { "a hole" } else { "a shaft" }
        ));
    }
    out.finished = Some([d + low, d + high]);
    let sense = if inside { 1.0 } else { -1.0 };
    let mut shift = 0.0;
    out.terms = vec![
        Term::new("D", "nominal", d, "mm"),
        Term::new("EI", "lower deviation", low * 1000.0, "µm"),
        Term::new("ES", "upper deviation", high * 1000.0, "µm"),
    ];
    for p in processes {
        match p {
            Process::Plating { layer } => {
                shift += sense * 2.0 * layer;
                out.terms.push(Term::new(
                    "2p",
                    if inside {
                        "plating on both sides, bored larger"
                    } else {
                        "plating on both sides, turned smaller"
                    },
                    2.0 * layer,
                    "mm",
                ));
            }
            Process::Anodising { layer } => {
                shift += sense * layer;
                out.terms.push(Term::new("a", "anodising: half of the layer grows out on each side", *layer, "mm"));
            }
            Process::Grinding { allowance } => {
                shift -= sense * allowance;
                out.terms.push(Term::new("g", "left for grinding", *allowance, "mm"));
            }
            Process::Hardening => {
                if !processes.iter().any(|p| matches!(p, Process::Grinding { .. })) && out.doubt.is_none() {
                    out.doubt = Some(
                        "Hardening moves the part: leave something to grind, or ask whether the limits hold before it"
                            .into(),
                    );
                }
            }
        }
    }
    if processes.is_empty() {
        return;
    }
    out.machine = Some([d + low + shift, d + high + shift]);
    out.source.0.push(Source::practice(
        "size to machine: final − 2 × plating outside (+ in bores), + grinding allowance (− in bores)",
    ));
}
