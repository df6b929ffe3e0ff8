//! What a flip spoils: how far faces that are made in different setups may lie off one another, against what is allowed.
//!
//! A face is made in the first setup after which there is no stock before it. Between two faces of one setup there is no such error. The setup that comes
//! later stands on faces of an earlier one, so its own zero, seat and turn count, and if the earlier face is not of the first side, those of its setup too.
//! Worst case: all terms in one direction; likely: root of the sum of their squares.

use crate::plan::{Plan, SidePlan};
use geom::{DVec2, DVec3, Region};
use holding::Setup;
use part::{MarkKind, Marked, Part, Surface, View};
use reason::{Finding, Kind, Place, Severity, Source, Sources, Sure, Term, len};
use serde::{Deserialize, Serialize};
use shop::standards::{general, general_edge};
use ts_rs::TS;

/// Place of the machine's axes, mm (common practice for a small mill, no source).
const AXES: f64 = 0.005;
/// So far before a face there must be no stock for it to be made, mm: less than any skin of roughing.
const BEFORE: f64 = 0.12;

/// Does what may come of a flip lie within what is allowed?
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// Even the worst case.
    Meets,
    /// The likely error does, the worst case does not.
    Likely,
    /// Not even the likely one.
    Fails,
}

/// The drawing's general tolerance.
fn general_source() -> Sources {
    Sources(vec![Source::Memory { work: "ISO 2768-1, class m".into(), share: Some(95) }])
}

/// Two faces of different setups that something is asked of.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Crossing {
    /// In words: "16 mm along Z, without a mark".
    pub what: String,
    /// Key of the mark; none for what the drawing's general tolerance asks.
    pub mark: Option<String>,
    /// Setups in which its faces are made.
    pub setups: [String; 2],
    /// Allowed to each side, mm.
    pub allowed_mm: f64,
    /// All terms in one direction, mm.
    pub worst_mm: f64,
    /// Root of the sum of their squares, mm.
    pub likely_mm: f64,
    /// Judgement.
    pub verdict: Verdict,
    /// What goes into it.
    pub terms: Vec<Term>,
    /// Where the allowance comes from.
    pub source: Sources,
    /// Around its faces, part coordinates.
    pub places: Vec<Place>,
}

/// A height range of the stock with its section.
type Slab = (f64, f64, Region);

/// The stock after each setup.
pub(crate) struct After<'a> {
    sides: Vec<(&'a SidePlan, Vec<Slab>)>,
    stock: geom::Box3,
    bar: Option<geom::Bar>,
}

impl<'a> After<'a> {
    pub(crate) fn of(plan: &'a Plan) -> After<'a> {
        let slabs = |s: &'a SidePlan| {
            let layer = |(a, b, l): &(f64, f64, Vec<Vec<DVec2>>)| (*a, *b, Region::from_oriented(l));
            (s, s.after.iter().map(layer).collect())
        };
        After { sides: plan.sides.iter().map(slabs).collect(), stock: plan.scheme.stock, bar: plan.scheme.bar }
    }
    /// Number of the setup in which a face is made: after which most of it lies bare. None if it is the block's own.
    pub(crate) fn made_in(&self, part: &Part, face: usize) -> Option<usize> {
        let f = &part.faces[face];
        let step = (f.triangles.len() / 12).max(1);
        let points: Vec<DVec3> = (f.triangles.clone().step_by(step))
            .map(|t| {
                let [a, b, c] = part.mesh.corners(t);
                (a + b + c) / 3.0 + part.mesh.normal(t).normalize_or_zero() * BEFORE
            })
            .filter(|p| p.cmpgt(self.stock.min).all() && p.cmplt(self.stock.max).all())
            .filter(|p| self.bar.is_none_or(|b| b.contains(*p)))
            .collect();
        if points.is_empty() {
            return None;
        }
        (0..self.sides.len()).find(|&k| {
            let (side, layers) = &self.sides[k];
            let work = side.setup.part_from_work.inverse();
            let bare = points
                .iter()
                .map(|p| work.point(*p))
                .filter(|p| !layers.iter().any(|(a, b, r)| p.z > *a && p.z < *b && r.contains(p.truncate())));
            2 * bare.count() > points.len()
        })
    }
}

/// What a setup adds along a direction of the part, at the part's far end.
fn terms_of(setup: &Setup, along: DVec3, part: &Part) -> Vec<Term> {
    let work = setup.part_from_work.inverse();
    let d = work.dir(along).abs();
    let axis = (0..3).max_by(|&a, &b| d[a].total_cmp(&d[b])).unwrap_or(2);
    let mut out: Vec<Term> = (setup.datum[axis].error.iter())
        .map(|t| Term { meaning: format!("{}: {}", setup.name, t.meaning), ..t.clone() })
        .collect();
    out.push(Term::new("", &format!("{}: the machine's axes (common practice, no source)", setup.name), AXES, "mm"));
    let [play, span] = setup.hold.turn();
    if axis < 2 && play > 0.0 && span > 0.0 {
        let size = work.bounds(&part.bounds).size();
        let arm = size[1 - axis] / 2.0;
        let what = format!(
            "{}: turned by the play of its seat, {:.3} mm over {:.0} mm, at the end",
            setup.name,
            len(play),
            len(span)
        );
        out.push(Term::new("", &what, play / span * arm, "mm"));
    }
    out
}

/// What is asked of two faces.
pub(crate) struct Asked<'a> {
    pub(crate) what: String,
    pub(crate) mark: Option<&'a Marked>,
    pub(crate) faces: [usize; 2],
    along: DVec3,
    pub(crate) allowed: f64,
    pub(crate) source: Sources,
}

fn crossing(a: Asked, made: [usize; 2], plan: &Plan, part: &Part) -> Option<Crossing> {
    let [first, later] = if made[0] <= made[1] { made } else { [made[1], made[0]] };
    if first == later {
        return None;
    }
    let setup = |k: usize| &plan.sides[k].setup;
    let mut terms = terms_of(setup(later), a.along, part);
    if first > 0 {
        terms.extend(terms_of(setup(first), a.along, part));
    }
    let worst: f64 = terms.iter().map(|t| t.value).sum();
    let likely = terms.iter().map(|t| t.value * t.value).sum::<f64>().sqrt();
    let place = |f: usize| Place::new(part.faces[f].bounds.min, part.faces[f].bounds.max);
    Some(Crossing {
        what: a.what,
        mark: a.mark.map(|m| m.id.clone()),
        setups: [setup(first).name.clone(), setup(later).name.clone()],
        allowed_mm: a.allowed,
        worst_mm: worst,
        likely_mm: likely,
        verdict: judged(worst, likely, a.allowed),
        terms,
        source: a.source,
        places: a.faces.map(place).to_vec(),
    })
}

fn judged(worst: f64, likely: f64, allowed: f64) -> Verdict {
    if worst <= allowed {
        Verdict::Meets
    } else if likely <= allowed {
        Verdict::Likely
    } else {
        Verdict::Fails
    }
}

/// Everything that crosses a flip: marks first, then overall sizes and chamfers that the general tolerance covers. The tightest first.
pub fn crossings(part: &Part, plan: &Plan, marks: &[Marked]) -> Vec<Crossing> {
    let after = After::of(plan);
    let mut out = Vec::new();
    for a in asked(part, marks) {
        if let (Some(x), Some(y)) = (after.made_in(part, a.faces[0]), after.made_in(part, a.faces[1])) {
            out.extend(crossing(a, [x, y], plan, part));
        }
    }
    out.extend(chamfers(part, plan, &after));
    let share = |c: &Crossing| c.worst_mm / c.allowed_mm;
    out.sort_by(|a, b| a.mark.is_none().cmp(&b.mark.is_none()).then(share(b).total_cmp(&share(a))));
    out
}

fn normal(part: &Part, face: usize) -> DVec3 {
    match part.faces[face].surface {
        Surface::Plane { normal, .. } => normal,
        Surface::Cylinder { axis, .. } | Surface::Cone { axis, .. } | Surface::Torus { axis, .. } => {
            axis.any_orthonormal_vector()
        }
        Surface::Sphere { .. } | Surface::Free => DVec3::Z,
    }
}

pub(crate) fn asked<'a>(part: &Part, marks: &'a [Marked]) -> Vec<Asked<'a>> {
    let ids = part::face_ids(part);
    let face_of = |id: &str| ids.iter().position(|i| i == id);
    let datum = |letter: &str| {
        let is = |m: &&Marked| matches!(&m.mark.what, MarkKind::Datum { letter: l } if l.eq_ignore_ascii_case(letter));
        marks.iter().find(is).and_then(|m| m.faces.first()).map(|f| *f as usize)
    };
    let said = || Sources(vec![Source::Person { who: String::new() }]);
    let mut out = Vec::new();
    for m in marks {
        let Some(face) = m.faces.first().map(|f| *f as usize) else { continue };
        let mut ask = |other: usize, allowed: f64| {
            let flat = |f: usize| matches!(part.faces[f].surface, Surface::Plane { .. });
            let along = if flat(face) || !flat(other) { normal(part, face) } else { normal(part, other) };
            out.push(Asked {
                what: m.words.clone(),
                mark: Some(m),
                faces: [face, other],
                along,
                allowed,
                source: said(),
            });
        };
        match &m.mark.what {
            MarkKind::Size { .. } => {
                if let (Some((other, _)), Some([least, most])) = (part::opposite(part, face), m.machine) {
                    ask(other, (most - least) / 2.0);
                }
            }
            MarkKind::Distance { to, upper, lower } => {
                if let Some(other) = face_of(to) {
                    ask(other, (upper - lower) / 2.0);
                }
            }
            MarkKind::Parallel { tolerance, datum: letter } => {
                if let Some(other) = datum(letter) {
                    ask(other, *tolerance);
                }
            }
            MarkKind::Position { tolerance, datums } => {
                for other in datums.split_whitespace().filter_map(datum) {
                    // A zone of that diameter: half of it to each side.
                    ask(other, tolerance / 2.0);
                }
            }
            _ => {}
        }
    }
    for (k, name) in ["X", "Y", "Z"].into_iter().enumerate() {
        let end = |sign: f64| {
            let at = if sign > 0.0 { part.bounds.max[k] } else { part.bounds.min[k] };
            let here = |f: &&usize| match part.faces[**f].surface {
                Surface::Plane { normal, .. } => {
                    normal[k] * sign > 1.0 - 1e-6 && (part.faces[**f].bounds.max[k] - at).abs() < 1e-3
                }
                _ => false,
            };
            let all: Vec<usize> = (0..part.faces.len()).collect();
            all.iter().filter(here).max_by(|a, b| part.faces[**a].area.total_cmp(&part.faces[**b].area)).copied()
        };
        let size = part.bounds.size()[k];
        if let (Some(low), Some(high), Some(allowed)) = (end(-1.0), end(1.0), general(size)) {
            let mut along = DVec3::ZERO;
            along[k] = 1.0;
            let what = format!("{:.2} mm along {name}, without a mark", len(size));
            let source = general_source();
            out.push(Asked { what, mark: None, faces: [low, high], along, allowed, source });
        }
    }
    out
}

/// Chamfers of later sides on walls that an earlier one has made: a shift shows as an uneven width.
fn chamfers(part: &Part, plan: &Plan, after: &After) -> Vec<Crossing> {
    let mut out = Vec::new();
    for (k, s) in plan.sides.iter().enumerate().skip(1) {
        if !s.operations.iter().any(|o| o.kind == route::OpKind::Chamfer) {
            continue;
        }
        let view = View::new(part, s.setup.part_from_work.inverse());
        let here = |c: &part::Chamfer| c.faces.iter().any(|f| after.made_in(part, *f as usize) == Some(k));
        let cut: Vec<f64> = view.chamfers(4.0).iter().filter(|c| here(c)).map(|c| c.high - c.low).collect();
        let Some(size) = cut.into_iter().reduce(Sure::at_most) else { continue };
        let Some(allowed) = general_edge(size) else { continue };
        let worst_axis = [DVec3::X, DVec3::Y].map(|d| terms_of(&s.setup, s.setup.part_from_work.dir(d), part));
        let sum = |t: &Vec<Term>| t.iter().map(|t| t.value).sum::<f64>();
        let [x, y] = worst_axis;
        let terms = if sum(&x) > sum(&y) { x } else { y };
        let worst = sum(&terms);
        let likely = terms.iter().map(|t| t.value * t.value).sum::<f64>().sqrt();
        out.push(Crossing {
            what: format!(
                "chamfers of {:.2} mm on {}: their width is uneven by {:.0} %, at worst {:.0} %",
                len(size),
                s.setup.name,
                100.0 * likely / size,
                100.0 * worst / size
            ),
            mark: None,
            setups: [plan.sides[0].setup.name.clone(), plan.sides[k].setup.name.clone()],
            allowed_mm: allowed,
            worst_mm: worst,
            likely_mm: likely,
            verdict: judged(worst, likely, allowed),
            terms,
            source: general_source(),
            places: Vec::new(),
        });
    }
    out
}

/// What does not surely meet its allowance.
pub(crate) fn findings(all: &[Crossing]) -> Vec<Finding> {
    let told = all.iter().filter(|c| c.verdict != Verdict::Meets);
    told.map(|c| {
        let fails = c.verdict == Verdict::Fails;
        let what = format!(
            "{}: its faces are made in {} and {}, and may lie {:.3} mm off one another ({:.3} mm at worst); {:.3} mm are allowed",
            c.what, c.setups[0], c.setups[1], len(c.likely_mm), len(c.worst_mm), len(c.allowed_mm)
        );
        let why = "Turn the part so that one side makes both faces, or touch the zero again on the finished face before the cut, and measure.";
        let severity = if fails { Severity::Warn } else { Severity::Note };
        Finding::new(Kind::FlipError, severity, what, why).keyed(c.mark.as_deref().unwrap_or(&c.what)).at(c.places.clone())
    })
    .collect()
}
