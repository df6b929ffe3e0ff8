//! What a plan tells besides its programs: open questions, what follows the drill, marks, what a grip holds, decisions that lost their place.

use crate::decision::Settled;
use geom::DVec3;
use holding::Setup;
use part::{After, FeatureKind, Intent, Part, Recognised};
use reason::{Act, Finding, Kind, Override, Place, Remedy, Severity, len};
use route::{Finished, FinishedHole, Operation};
use shop::machine::Material;
use shop::tool::trim;
use std::collections::{BTreeMap, BTreeSet};

/// Grave doubts that nobody answered: the plan rests on their proposal.
pub(crate) fn open_questions(part: &Part, seen: &Recognised, settled: &Settled) -> Vec<Finding> {
    let open = |q: &part::Question| q.answer.is_none();
    // The proposal becomes an answer.
    let answer = |q: &part::Question, f: Finding| match q.choices.first() {
        Some(c) => f.mended_by(
            format!("Answer: {}", c.words),
            Act::Answer { question: q.id.clone(), answer: Some(c.key.clone()) },
        ),
        None => f,
    };
    let taken = |q: &part::Question| q.choices.first().map_or_else(String::new, |c| c.words.clone());
    let mut out: Vec<Finding> = part::grave_questions(part, &settled.answers)
        .into_iter()
        .filter(open)
        .map(|q| {
            let why = format!("{} Until it is answered on the Part ticket the plan takes: {}", q.why, taken(&q));
            let f = Finding::new(Kind::OpenQuestion, Severity::Warn, q.text.clone(), why).keyed(&q.id);
            answer(&q, f)
        })
        .collect();
    // Drilled as drawn such a hole can no longer be tapped.
    let at_major = |q: &part::Question| q.choices.first().is_some_and(|c| c.key.ends_with(" drawn at major"));
    let all = part::questions(part, seen, &settled.answers);
    // After a revision, or another answer about the unit, a hole may have other sizes: what was said of it goes with nothing silently.
    let holes = seen.features.iter().filter(|f| f.kind == FeatureKind::Hole);
    let beside = part.others.iter().map(|o| format!("stays/{}", o.solid));
    let asked = all.iter().map(|q| q.id.clone());
    let there: BTreeSet<String> = holes.map(part::hole_question).chain(asked).chain(beside).collect();
    let about_features = |id: &&String| ["hole/", "point/", "radii/", "stays/"].iter().any(|p| id.starts_with(p));
    out.extend(settled.answers.keys().filter(about_features).filter(|id| !there.contains(*id)).map(|id| {
        let said = part::answer_words(id, settled.answers.get(id).map(String::as_str));
        let about = id.replace('/', " ");
        Finding::new(
            Kind::AnswerLost,
            Severity::Warn,
            format!("'{said}' was said of {about}, and the part has none any more"),
            "It has no effect now. Answer for what took its place on the Part ticket, or undo what changed the part.",
        )
        .keyed(id)
        .mended_by("Forget that answer", Act::Answer { question: id.clone(), answer: None })
    }));
    out.extend(all.into_iter().filter(|q| open(q) && at_major(q)).map(|q| {
        let why =
            format!("Likely: {}. It is drilled as drawn, and then no thread holds in it: answer it first.", taken(&q));
        let places = q.place.into_iter().collect();
        let f = Finding::new(Kind::MayBeThread, Severity::Warn, q.text.clone(), why).keyed(&q.id).at(places);
        answer(&q, f)
    }));
    out
}

/// Threads and fits that no program makes: of these the proof misses nothing, or too little to tell.
pub(crate) fn after_the_drill<'a>(
    intents: &[Intent],
    finished: impl IntoIterator<Item = &'a Finished>,
) -> Vec<Finding> {
    let mut by: BTreeMap<&str, Vec<&Intent>> = BTreeMap::new();
    let (machine, hand): (Vec<&Finished>, Vec<&Finished>) = finished.into_iter().partition(|f| f.operation.is_some());
    let is_of = |i: &Intent, h: &FinishedHole| {
        let v = DVec3::from_array(h.mouth_mm) - i.origin;
        v.reject_from(i.direction.normalize_or(DVec3::Z)).length() < 0.05 && (h.drawn_mm - i.drawn).abs() < 0.01
    };
    let told = |i: &&Intent| {
        !machine.iter().any(|f| f.wants == i.wants && f.holes.iter().any(|h| is_of(i, h)))
            && (i.drills.is_empty() || i.after == After::Reamer)
    };
    intents.iter().filter(told).for_each(|i| by.entry(&i.wants).or_default().push(i));
    by.into_iter()
        .map(|(wants, list)| {
            let (kind, how) = match list[0].after {
                After::Reamer => (Kind::ToReam, "drilled smaller"),
                After::Tap => (Kind::ToTap, "drilled as drawn"),
            };
            Finding::new(
                kind,
                Severity::Note,
                format!("{} × {wants}: {how}, {} follows after the program", list.len(), list[0].tool()),
                match hand.iter().find(|f| f.wants == wants) {
                    Some(f) => format!("The programs make the holes. {}.", f.why),
                    None => "The programs make the holes; no thread is cut and no hole is reamed by them.".to_string(),
                },
            )
            .keyed(wants)
            .at(list.iter().map(|i| i.place).collect())
        })
        .collect()
}

/// Marks that do not fit the part, and questions that the drawing's owner has not answered.
pub(crate) fn marks_and_asks(part: &Part, settled: &Settled) -> Vec<Finding> {
    let marks = part::marked(part, &settled.marks).into_iter().filter_map(|m| {
        let doubt = m.doubt?;
        Some(
            Finding::new(Kind::MarkDoubt, Severity::Warn, format!("The mark '{}' does not fit", m.words), doubt)
                .keyed(&m.id)
                .mended_by("Take the mark away", Act::Mark { id: m.id.clone(), mark: None })
                .at(m.faces.iter().map(|f| part.faces[*f as usize].bounds).map(|b| Place::new(b.min, b.max)).collect()),
        )
    });
    let asks = settled.asks.iter().filter(|(_, a)| a.answer.is_empty()).map(|(id, a)| {
        Finding::new(
            Kind::OwnerAsked,
            Severity::Note,
            format!("{} was asked: {}", if a.whom.is_empty() { "The drawing's owner" } else { &a.whom }, a.text),
            format!(
                "Until there is an answer it is planned so: {}",
                if a.proposal.is_empty() { "as drawn" } else { &a.proposal }
            ),
        )
        .keyed(id)
    });
    marks.chain(asks).collect()
}

/// What no cutter makes and a person left for the hand stops nothing; of the rest each says that it can be left so.
pub(crate) fn by_hand(named: &mut [Finding], settled: &Settled) -> Vec<Finding> {
    let stops = |f: &&mut Finding| f.kind.by_hand() && f.severity == Severity::Stop;
    for f in named.iter_mut().filter(stops) {
        let question = part::hand_question(&f.id);
        let left = settled.answers.contains_key(&question);
        let (words, answer) = if left { ("Not by hand", None) } else { ("Leave it for the hand", Some("yes".into())) };
        f.remedy = Some(Remedy::new(words, Act::Answer { question, answer }));
        if left {
            f.severity = Severity::Warn;
            f.what.push_str("; left for the hand");
            f.why =
                "A person decided so: finish it with a file, a broach or a borrowed tool after the last side.".into();
        }
    }
    let left = settled.answers.keys().filter_map(|q| Some((q, part::left_for_the_hand(q)?)));
    let lost = left.filter(|(_, (id, _))| !named.iter().any(|f| f.id == **id));
    lost.map(|(question, (id, kind))| {
        Finding::new(
            Kind::AnswerLost,
            Severity::Warn,
            format!("Left for the hand was: {} ({id}); the plan leaves it no more", kind.meaning()),
            "It has no effect now. Look whether a cutter makes it, or something else took its place.",
        )
        .keyed(question)
        .mended_by("Forget that decision", Act::Answer { question: question.clone(), answer: None })
    })
    .collect()
}

pub(crate) fn posted_again(setup: &str) -> Act {
    Act::Edited { setup: setup.into(), sha: None, file: String::new() }
}

/// Of two operations in the wrong order the one that a person moved goes back.
pub(crate) fn put_back(late: &str, first: &str, moved: &[route::Moved]) -> Act {
    let id = if moved.iter().any(|m| m.id == late) { late } else { first };
    Act::Sequence { id: id.into(), before: None }
}

pub(crate) fn lost_decision(id: &str) -> Finding {
    Finding::new(
        Kind::DecisionLost,
        Severity::Warn,
        format!("A decision names an operation that the plan no longer has ({id})"),
        "It has no effect now. Look whether what you wanted still holds; forget the decision or decide anew.",
    )
    .keyed(id)
    .mended_by("Forget that decision", Act::Operation { id: id.into(), change: None })
}

/// What an operation asks of the grip at its highest.
pub(crate) fn demand(o: &Operation) -> holding::Demand {
    holding::Demand {
        side: o.mill.as_ref().map_or(0.0, |m| m.side_n),
        lift: o.mill.as_ref().map_or(0.0, |m| m.axial_n),
        height: o.top,
        over: o.over,
        thrust: o.drill.as_ref().map_or(0.0, |d| d.thrust_n),
        torque: o.drill.as_ref().map_or(0.0, |d| d.torque_nm),
    }
}

/// Each limit of a grip with the operation that asks most of it, the nearest limit first.
pub(crate) fn hold_limits<'a>(h: &Setup, ops: &'a [Operation], friction: f64) -> Vec<(holding::Holds, &'a Operation)> {
    let setups = h.between_stops();
    let all = ops.iter().flat_map(|o| {
        let then = &setups[(o.after_stop as usize).min(setups.len() - 1)];
        let held = then.hold.holds(friction, &demand(o));
        held.into_iter().map(move |l| (l, o))
    });
    let mut out: Vec<(holding::Holds, &Operation)> = Vec::new();
    for (l, o) in all {
        match out.iter_mut().find(|x| x.0.limit == l.limit) {
            Some(x) if l.factor < x.0.factor => *x = (l, o),
            Some(_) => {}
            None => out.push((l, o)),
        }
    }
    out.retain(|x| x.0.asked > 0.0);
    out.sort_by(|a, b| a.0.factor.total_cmp(&b.0.factor));
    out
}

/// Operations that ask more than half of what the hold bears, with the force across, N, that would be half of it; where no cut is left of that they stay.
pub(crate) fn too_much(
    h: &Setup,
    ops: &[Operation],
    paths: &[Option<path::motion::Toolpath>],
    friction: f64,
) -> Vec<(String, f64)> {
    /// Less is no cut, N (common practice, no source).
    const LEAST: f64 = 12.0;
    /// A little under the half, for what the depth of even levels makes of it.
    const UNDER: f64 = 0.97;
    let asks = |(o, p): (&Operation, &Option<path::motion::Toolpath>)| {
        let over = p.as_ref().and_then(|p| p.over()).map(|b| b.map(|c| c.to_array()));
        let d = holding::Demand { over, ..demand(o) };
        let factor = h.hold.holds(friction, &d).first()?.factor;
        let bears = UNDER * d.side * factor / SAFETY;
        (d.side > 0.0 && factor < SAFETY && bears > LEAST).then(|| (o.id.clone(), bears))
    };
    ops.iter().zip(paths).filter_map(asks).collect()
}

/// Times over that a hold bears what is asked of it.
const SAFETY: f64 = 2.0;

/// What the grip holds against the highest forces of the setup's operations, with a factor of 2.
pub(crate) fn hold_findings(h: &Setup, ops: &[Operation], material: &Material, settled: &Settled) -> Vec<Finding> {
    // Below this nobody presses the green button (common practice, no source).
    const STOP: f64 = 1.2;
    let mut out = Vec::new();
    if let Some((l, o)) = hold_limits(h, ops, material.friction).into_iter().next()
        && l.factor < SAFETY
    {
        let severity = if l.factor < STOP { Severity::Stop } else { Severity::Warn };
        let what = format!(
            "{}: {:.1} times what '{}' asks at its highest{} ({:.0} of {:.0} {})",
            l.fails, l.factor, o.title, l.place, l.asked, l.held, l.unit
        );
        let f = Finding::new(Kind::HoldingForce, severity, what, h.hold.hold_better()).in_setup(&h.name).keyed(&h.name);
        out.push(match shallower(o, l.factor / SAFETY, settled) {
            Some((depth, change)) => {
                let words = format!("Take {} mm a level", len(trim(depth)));
                f.mended_by(words, Act::Operation { id: o.id.clone(), change: Some(change) })
            }
            None => f,
        });
    }
    if let Some((what, why)) = h.hold.gently(material) {
        out.push(Finding::new(Kind::ClampGently, Severity::Warn, what, why).in_setup(&h.name).keyed(&h.name));
    }
    out
}

/// An operation at a depth that asks for this share of its force (side force goes with depth), and what else a person settled of it.
fn shallower(o: &Operation, share: f64, settled: &Settled) -> Option<(f64, Override)> {
    const LEAST: f64 = 0.2;
    let ap = o.mill.as_ref().filter(|_| o.kind == route::OpKind::Rough)?.ap.value;
    let depth = (ap * share * 0.95 * 20.0).floor() / 20.0;
    let mine = settled.operations.get(&o.id).copied().unwrap_or_default();
    (depth >= LEAST).then_some((depth, Override { depth: Some(depth), ..mine }))
}

pub(crate) fn remarks(setup: &str, ops: &[Operation]) -> Vec<Finding> {
    ops.iter()
        .flat_map(|o| {
            let of_drill = o.drill.iter().flat_map(|d| d.remarks.iter());
            o.mill.iter().flat_map(|m| m.remarks.iter()).chain(of_drill).map(move |r| {
                Finding::new(
                    Kind::CuttingData,
                    Severity::Note,
                    format!("{}: {r}", o.title),
                    "The limit named stopped it; another cutter or speed may serve better.",
                )
                .in_setup(setup)
                .keyed(&o.id)
            })
        })
        .collect()
}
