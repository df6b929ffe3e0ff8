//! Doubts as questions, each with a proposal and what it blocks; an answer is a decision, or the question stays open.

use crate::purpose::{asked_about, purposes};
use crate::{Ending, FeatureKind, Part, Recognised, Surface};
use geom::DVec3;
use intake::{LayerUse, LengthUnit};
use reason::{Place, Sources, Term, len};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ts_rs::TS;

/// Sizes between which a part is believed, mm: largest extent.
const BELIEVED: [f64; 2] = [3.0, 1000.0];
/// Edges shorter than this are told, mm.
const TINY: f64 = 0.02;
/// Parallel faces closer than this are told, mm.
const HAIR: f64 = 0.0105;

/// An answer that can be chosen.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Choice {
    /// What the decision holds.
    pub key: String,
    /// In words.
    pub words: String,
    /// 0 to 1.
    pub score: f64,
    /// What speaks for it.
    pub reasons: Vec<String>,
    /// Its numbers.
    pub terms: Vec<Term>,
    /// Where they come from.
    pub source: Sources,
}

/// A question about the part.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Question {
    /// Key of the decision that answers it.
    pub id: String,
    /// "Ø6.8 × 18 blind, 4 times: what for?"
    pub text: String,
    /// Why it is asked.
    pub why: String,
    /// What waits for the answer; empty if the plan can go on with the proposal.
    pub blocks: String,
    /// The best first; the first is the proposal.
    pub choices: Vec<Choice>,
    /// A number with this unit may be typed instead; what it is written behind in the answer ("pocket:").
    pub number: Option<[String; 2]>,
    /// What was answered.
    pub answer: Option<String>,
    /// The plan would be wrong if the proposal were.
    pub grave: bool,
    /// Faces that it is about.
    pub faces: Vec<u32>,
    /// Features that it is about.
    pub features: Vec<String>,
    /// Where.
    pub place: Option<Place>,
}

impl Question {
    fn new(id: &str, text: String, why: &str) -> Question {
        Question {
            id: id.into(),
            text,
            why: why.into(),
            blocks: String::new(),
            choices: Vec::new(),
            number: None,
            answer: None,
            grave: false,
            faces: Vec::new(),
            features: Vec::new(),
            place: None,
        }
    }
    /// The answer, or the proposal.
    pub fn stands(&self) -> Option<&str> {
        self.answer.as_deref().or_else(|| self.choices.first().map(|c| c.key.as_str()))
    }
}

fn choice(key: &str, words: String, score: f64, reason: &str) -> Choice {
    Choice {
        key: key.into(),
        words,
        score,
        reasons: if reason.is_empty() { vec![] } else { vec![reason.into()] },
        terms: vec![],
        source: Sources::none(),
    }
}

fn n(v: f64) -> String {
    crate::feature::number(v)
}

/// Those on which the whole plan rests: unit, solid, thickness.
pub fn grave_questions(part: &Part, answers: &BTreeMap<String, String>) -> Vec<Question> {
    let mut out = Vec::new();
    unit(part, answers, &mut out);
    solid(part, &mut out);
    closed(part, &mut out);
    drawing(part, &mut out);
    out.retain(|q| q.grave);
    for q in &mut out {
        q.answer = answers.get(&q.id).cloned();
    }
    out
}

/// All questions, the grave ones first.
pub fn questions(part: &Part, seen: &Recognised, answers: &BTreeMap<String, String>) -> Vec<Question> {
    let mut out = Vec::new();
    unit(part, answers, &mut out);
    solid(part, &mut out);
    closed(part, &mut out);
    drawing(part, &mut out);
    holes(seen, &mut out);
    points(seen, &mut out);
    bottoms(seen, &mut out);
    hairs(part, &mut out);
    for q in &mut out {
        q.answer = answers.get(&q.id).cloned();
    }
    out.sort_by_key(|q| !q.grave);
    out
}

/// Sizes that no bench part has, or that the file leaves open.
fn unit(part: &Part, answers: &BTreeMap<String, String>, out: &mut Vec<Question>) {
    let size = part.bounds.size();
    let largest = size.max_element() / part.origin.scale;
    let says = part.origin.units.first().and_then(|u| LengthUnit::of(u));
    let bare = matches!(part.origin.format.split([',', ' ']).next(), Some("STL" | "DXF"));
    let odd = !(BELIEVED[0]..=BELIEVED[1]).contains(&largest);
    if !(odd || bare || answers.contains_key("unit")) {
        return;
    }
    // The numbers of the file, whatever they are in.
    let file_mm = says.map_or(1.0, LengthUnit::mm);
    let raw = if part.origin.drawing.is_some() { size.max_element() / part.origin.scale } else { largest / file_mm };
    let now = if part.origin.drawing.is_some() {
        LengthUnit::ALL.into_iter().find(|u| (u.mm() - part.origin.scale).abs() < 1e-9)
    } else {
        says.or(Some(LengthUnit::Mm))
    };
    let mut q = Question::new(
        "unit",
        format!(
            "The numbers of the file make a part of {} × {} × {} {}: in which unit are they?",
            n(size.x / size.max_element() * raw),
            n(size.y / size.max_element() * raw),
            n(size.z / size.max_element() * raw),
            now.map_or("units", LengthUnit::word)
        ),
        if bare {
            "This format has no unit, or one that is often wrong; a factor of 25.4 or 10 is a common slip."
        } else {
            "The part is much smaller or larger than what is made on a bench mill; a factor of 25.4, 10 or 1000 is a common slip."
        },
    );
    for u in [LengthUnit::Mm, LengthUnit::Inch, LengthUnit::Cm, LengthUnit::M] {
        let mm = raw * u.mm();
        let fits = (8.0..=600.0).contains(&mm);
        let score = if Some(u) == now && !odd {
            0.8
        } else if fits {
            0.5
        } else {
            0.1
        };
        let mut c = choice(
            u.word(),
            format!("{}: the part is {} mm long", u.word(), len(n(mm))),
            score,
            if fits { "a size that fits on a bench" } else { "no usual size" },
        );
        if Some(u) == now {
            c.reasons.push("as the file says, or as it was taken".into());
        }
        q.choices.push(c);
    }
    q.choices.sort_by(|a, b| b.score.total_cmp(&a.score));
    // Nothing is scaled in silence: what is planned stands first.
    if let Some(k) = q.choices.iter().position(|c| Some(c.key.as_str()) == now.map(LengthUnit::word)) {
        let c = q.choices.remove(k);
        q.choices.insert(0, c);
    }
    q.grave = odd;
    q.blocks = if odd { "every size of the plan".into() } else { String::new() };
    out.push(q);
}

fn solid(part: &Part, out: &mut Vec<Question>) {
    let all = &part.origin.solids;
    if all.len() < 2 {
        return;
    }
    let mut q = Question::new(
        "solid",
        format!("The file holds {} solids: which one is to be made?", all.len()),
        "One job makes one part; the others are shown beside it as what it must fit.",
    );
    q.grave = true;
    q.blocks = "the whole plan".into();
    let largest = all.iter().map(|s| s.volume).fold(0.0, f64::max);
    let mut list: Vec<(usize, &crate::Solid)> = all.iter().enumerate().collect();
    list.sort_by(|a, b| b.1.volume.total_cmp(&a.1.volume).then(a.0.cmp(&b.0)));
    for (k, s) in list.into_iter().take(60) {
        let size = s.bounds.size();
        q.choices.push(choice(
            &k.to_string(),
            format!("{}: {} × {} × {} mm", s.name, len(n(size.x)), len(n(size.y)), len(n(size.z))),
            s.volume / largest * 0.9,
            if s.volume == largest { "the largest" } else { "" },
        ));
    }
    out.push(q);
}

/// Surfaces that did not close and were closed.
fn closed(part: &Part, out: &mut Vec<Question>) {
    if !part.origin.closed {
        return;
    }
    let caps: Vec<u32> = (0..part.faces.len() as u32).filter(|&k| part.faces[k as usize].cap).collect();
    let area: f64 = caps.iter().map(|&k| part.faces[k as usize].area).sum();
    let text = match caps.len() {
        0 => "The file holds surfaces, no solid; sewn at their edges they close. Is that the part?".to_string(),
        n => format!(
            "The surfaces of the file do not close; {} them. Is that the part?",
            if n == 1 {
                format!("a flat face of {} mm² closes", self::n(area))
            } else {
                format!("{n} flat faces, {} mm² in all, close", self::n(area))
            }
        ),
    };
    let mut q = Question::new(
        "closed",
        text,
        "Without a closed border there is no inside; a face that was lost may have had a hole or a step.",
    );
    let flat = if caps.is_empty() {
        "edges that belong together lie within 0.01 mm"
    } else {
        "each opening has a border in one plane"
    };
    q.choices.push(choice("yes", "It is: go on with it".into(), if caps.is_empty() { 0.9 } else { 0.7 }, flat));
    q.choices.push(choice("no", "It is not: the file must be mended".into(), 0.1, ""));
    q.grave = !caps.is_empty();
    q.blocks = if q.grave { "the whole plan".into() } else { String::new() };
    q.faces = caps;
    out.push(q);
}

fn drawing(part: &Part, out: &mut Vec<Question>) {
    let Some(d) = &part.origin.drawing else { return };
    let mut q = Question::new(
        "thickness",
        "How thick is the plate?".into(),
        "A drawing of an outline does not say how thick it is.",
    );
    q.grave = !d.thickness_why.is_empty() && d.thickness_why.contains("guess");
    q.blocks = "stock, depths and times".into();
    let known = [d.thickness, 3.0, 5.0, 6.0, 8.0, 10.0, 12.0, 15.0, 20.0];
    for (k, t) in known.iter().enumerate() {
        if k == 0 || (*t - d.thickness).abs() > 1e-9 {
            let why = if k == 0 { d.thickness_why.as_str() } else { "a plate that is kept" };
            q.choices.push(choice(&n(*t), format!("{} mm", len(n(*t))), if k == 0 { 0.5 } else { 0.2 }, why));
        }
    }
    q.number = Some([String::new(), "mm".into()]);
    out.push(q);
    for l in &d.layers {
        let mut q = Question::new(
            &format!("layer/{}", l.name),
            format!(
                "Layer {}: {} closed outline{}{}. What are they?",
                l.name,
                l.closed,
                if l.closed == 1 { "" } else { "s" },
                if l.open > 0 { format!(", {} that do not close", l.open) } else { String::new() }
            ),
            "Layers mean what their draughtsman thought.",
        );
        let word = |u: LayerUse| match u {
            LayerUse::Through => ("through".to_string(), "the border, or cut through".to_string()),
            LayerUse::Ignore => ("ignore".to_string(), "not part of the geometry".to_string()),
            LayerUse::Pocket { depth } => {
                (format!("pocket:{}", n(depth)), format!("cleared {} mm deep", len(n(depth))))
            }
        };
        let mut uses = vec![l.used];
        for u in [LayerUse::Through, LayerUse::Pocket { depth: (d.thickness / 2.0).min(3.0) }, LayerUse::Ignore] {
            if std::mem::discriminant(&u) != std::mem::discriminant(&l.used) {
                uses.push(u);
            }
        }
        for (k, u) in uses.into_iter().enumerate() {
            let (key, words) = word(u);
            q.choices.push(choice(&key, words, if k == 0 { 0.6 } else { 0.2 }, if k == 0 { &l.why } else { "" }));
        }
        q.number = Some(["pocket:".into(), "mm deep".into()]);
        out.push(q);
    }
}

/// The question's id for a hole: its own sizes, so that equal holes are asked about once.
pub fn hole_question(f: &crate::Feature) -> String {
    let end = if f.ends == Some(Ending::Through) { "through" } else { "blind" };
    format!("hole/{:.2}/{:.2}/{end}", f.dim("diameter").unwrap_or(0.0), f.dim("depth").unwrap_or(0.0))
}

fn holes(seen: &Recognised, out: &mut Vec<Question>) {
    let mut groups: Vec<(String, Vec<&crate::Feature>)> = Vec::new();
    for f in seen.features.iter().filter(|f| asked_about(f)) {
        let id = hole_question(f);
        match groups.iter_mut().find(|g| g.0 == id) {
            Some(g) => g.1.push(f),
            None => groups.push((id, vec![f])),
        }
    }
    groups.sort_by(|a, b| a.0.cmp(&b.0));
    for (id, list) in groups {
        let ranked = purposes(list[0], list.len());
        // A hole that matches nothing is not worth a question.
        if ranked.len() < 2 {
            continue;
        }
        let times = if list.len() > 1 { format!(", {} times", list.len()) } else { String::new() };
        let mut q = Question::new(
            &id,
            format!("{}{times}: what for?", list[0].what),
            "Threads and fits seldom travel in a model; the tables say what its diameter may mean.",
        );
        q.choices = ranked;
        q.features = list.iter().map(|f| f.id.clone()).collect();
        q.faces = list.iter().flat_map(|f| f.faces.iter().copied()).collect();
        q.place = Some(list[0].place);
        out.push(q);
    }
}

/// Included angles of drills that shops have, degrees.
const DRILLS: [f64; 6] = [90.0, 118.0, 120.0, 130.0, 135.0, 140.0];

/// Cones at the bottom that no drill leaves.
fn points(seen: &Recognised, out: &mut Vec<Question>) {
    let mut told: Vec<String> = Vec::new();
    for f in &seen.features {
        let Some(a) = f.dim("point angle") else { continue };
        let id = format!("point/{a:.1}");
        if DRILLS.iter().any(|d| (d - a).abs() < 1.1) || told.contains(&id) {
            continue;
        }
        told.push(id.clone());
        let mut q = Question::new(
            &id,
            format!("{} ends on a cone of {}°: is that wanted?", f.what, n(a)),
            "No usual drill leaves this angle; many models draw any cone at the bottom of a hole.",
        );
        q.choices = vec![
            choice(
                "as the drill leaves it",
                "As the drill leaves it: 118° or 140°".into(),
                0.7,
                "cones are mostly drawn for looks",
            ),
            choice("as drawn", format!("As drawn, {}°", n(a)), 0.3, "it may seat something"),
        ];
        q.features = vec![f.id.clone()];
        q.faces.clone_from(&f.faces);
        q.place = Some(f.place);
        out.push(q);
    }
}

/// Id of the question whether a drill's point may go deeper than a bottom that is drawn flat.
pub const FLAT_BOTTOMS: &str = "flat bottoms";
/// The answer that it may not.
const STAY_FLAT: &str = "as drawn";
/// Blind holes up to this are drilled, mm; wider ones are bored and milled anyhow (common practice, no source).
const DRILLED: f64 = 13.0;

/// May a drill's point go deeper than bottoms that are drawn flat? Yes, as long as nobody said no.
pub fn may_go_deeper(answers: &BTreeMap<String, String>) -> bool {
    answers.get(FLAT_BOTTOMS).is_none_or(|a| a != STAY_FLAT)
}

/// Blind holes drawn with a flat bottom, asked about once for all of them.
fn bottoms(seen: &Recognised, out: &mut Vec<Question>) {
    let flat = |f: &&crate::Feature| {
        let [d, deep] = ["diameter", "depth"].map(|n| f.dim(n).unwrap_or(0.0));
        f.kind == FeatureKind::Hole && f.ends == Some(Ending::Flat) && d <= DRILLED && deep >= d
    };
    let list: Vec<&crate::Feature> = seen.features.iter().filter(flat).collect();
    let Some(first) = list.first() else { return };
    let text = if list.len() == 1 {
        format!("{}: may the drill's point go deeper?", first.what)
    } else {
        format!("{} blind holes are drawn with a flat bottom: may the drill's point go deeper?", list.len())
    };
    let mut q = Question::new(
        FLAT_BOTTOMS,
        text,
        "Models seldom draw the point of a drill. With it the full diameter comes to the drawn depth; a flat bottom wants an end mill.",
    );
    q.choices = vec![
        choice(
            "deeper",
            "Yes, where there is enough material below".into(),
            0.8,
            "usual for threads, screws and pilots",
        ),
        choice(STAY_FLAT, "No, flat as drawn".into(), 0.2, "something seats on the bottom, or it would come through"),
    ];
    q.features = list.iter().map(|f| f.id.clone()).collect();
    q.faces = list.iter().flat_map(|f| f.faces.iter().copied()).collect();
    q.place = Some(first.place);
    out.push(q);
}

/// What is suspiciously small: radii that nearly agree, faces a hair apart, edges too short to see.
fn hairs(part: &Part, out: &mut Vec<Question>) {
    let mut radii: Vec<(f64, u32)> = part
        .faces
        .iter()
        .enumerate()
        .filter_map(|(k, f)| match f.surface {
            Surface::Cylinder { radius, .. } => Some((radius, k as u32)),
            _ => None,
        })
        .collect();
    radii.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
    // Fitted radii scatter by the fit.
    let least = 1e-4 + 4.0 * part.origin.fitted.unwrap_or(0.0);
    let mut pairs: Vec<(f64, f64, Vec<u32>)> = Vec::new();
    for w in radii.windows(2) {
        let apart = w[1].0 - w[0].0;
        if apart > least && apart < 0.0105 && !pairs.iter().any(|p| (p.0 - w[0].0).abs() < 1e-6) {
            let of = |r: f64| radii.iter().filter(|x| (x.0 - r).abs() < least).map(|x| x.1).collect::<Vec<_>>();
            let mut faces = of(w[0].0);
            faces.extend(of(w[1].0));
            pairs.push((w[0].0, w[1].0, faces));
        }
    }
    for (a, b, faces) in pairs.into_iter().take(6) {
        let mut q = Question::new(
            &format!("radii/{a:.4}/{b:.4}"),
            format!("Radii of {a:.4} and {b:.4} mm nearly agree: are they meant to be one?", a = len(a), b = len(b)),
            "Rounded numbers or a unit conversion leave such pairs; one cutter makes both.",
        );
        q.choices = vec![
            choice("one", "One radius, drawn twice".into(), 0.7, "less than 0.01 mm apart"),
            choice("two", "Two radii on purpose".into(), 0.3, "a fit may want it"),
        ];
        q.faces = faces;
        out.push(q);
    }
    let mut steps: Vec<(f64, u32, u32)> = Vec::new();
    let planes: Vec<(u32, DVec3, f64)> = part
        .faces
        .iter()
        .enumerate()
        .filter_map(|(k, f)| match f.surface {
            Surface::Plane { normal, offset } => Some((k as u32, normal, offset)),
            _ => None,
        })
        .collect();
    for (i, a) in planes.iter().enumerate() {
        for b in &planes[i + 1..] {
            let apart = (a.2 - b.2).abs();
            if a.1.dot(b.1) > 1.0 - 1e-8
                && apart > least
                && apart < HAIR
                && part.faces[a.0 as usize].bounds.grown(0.5).meets(&part.faces[b.0 as usize].bounds)
            {
                steps.push((apart, a.0, b.0));
            }
        }
    }
    if let Some(first) = steps.first() {
        let mut q = Question::new(
            "hair/faces",
            format!(
                "{} pair{} of faces lie {:.3} mm apart: one face, or a step?",
                steps.len(),
                if steps.len() > 1 { "s" } else { "" },
                len(first.0)
            ),
            "A step of a hundredth is no step; it is made as one pass unless somebody wants it.",
        );
        q.choices = vec![
            choice("one", "One face".into(), 0.8, "less than 0.01 mm apart"),
            choice("two", "A step on purpose".into(), 0.2, "a fit may want it"),
        ];
        q.faces = steps.iter().flat_map(|s| [s.1, s.2]).collect();
        out.push(q);
    }
    let tiny: Vec<&crate::Edge> = part.edges.iter().filter(|e| e.length < TINY && e.length > 0.0).collect();
    if !tiny.is_empty() && part.origin.fitted.is_none() {
        let shortest = tiny.iter().map(|e| e.length).fold(f64::INFINITY, f64::min);
        let mut q = Question::new(
            "hair/edges",
            format!(
                "{} edge{} shorter than {TINY} mm (down to {shortest:.4} mm): leavings of the model?",
                tiny.len(),
                if tiny.len() > 1 { "s are" } else { " is" },
                TINY = len(TINY),
                shortest = len(shortest)
            ),
            "Tiny edges come from trimming; what they bound is cut as if they were not there.",
        );
        q.choices = vec![
            choice("leavings", "Leavings of the model".into(), 0.9, "shorter than any cutter could show"),
            choice("meant", "They mean something: ask".into(), 0.1, ""),
        ];
        q.faces = tiny.iter().flat_map(|e| e.faces).collect();
        out.push(q);
    }
}
