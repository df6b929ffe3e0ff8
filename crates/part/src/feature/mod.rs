//! What there is on a part, as a machinist names it: holes with everything about their axis, pockets, slots, steps, undercuts, rounds, walls,
//! patterns, turned shapes; each with its own sizes, the sides from which it can be cut, and the one number that makes it hard.
//!
//! Problem: a model is faces. Recognition here goes by three notions.
//! - **Stacks** (`stack`): hollow round faces about one axis that touch, or have only air between them, are one hole, however many steps it has.
//! - **Hollows** (`hollow`): faces joined over hollow edges (inside corners, and blends that stand for them) are one pocket, slot, step or
//!   cut-out; an outside corner parts them. (Concave-edge components: Joshi and Chang, "Graph-based heuristics for recognition of machined
//!   features from a 3D solid model", Computer-Aided Design 20(2), 1988; from memory.)
//! - **Rays** (`rays`): what stands in the way, and how thick a wall is, is measured, not inferred.
//!
//! Sizes come from analytic faces, so they are exact; for fitted faces of a mesh they are as good as the fit. A feature's own sizes do not
//! change when another feature does; walls, crossings, patterns and what stands in the way are relations and may.
//!
//! The planner does not plan from this list (see [`View`](crate::View)): it is there to be read, asked about and marked.

mod body;
mod crossing;
mod edges;
mod hollow;
mod pattern;
mod rays;
mod stack;
mod wall;
mod ways;

pub use body::{Body, BodyKind, Section, SectionKind, Symmetry};
pub use rays::Rays;
pub use ways::{FormCutter, OtherWay, before_thin, plug_force, relief_offset};

use crate::{Part, Surface};
use geom::{Box3, DIRECTIONS, DVec3};
use reason::Place;
use reason::len;
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// Sort of feature.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
pub enum FeatureKind {
    /// Round faces about one axis: a hole with all its steps.
    Hole,
    /// A six-sided pocket for a nut, with its hole.
    NutPocket,
    /// A floor with walls all round.
    Pocket,
    /// A floor between two walls.
    Slot,
    /// A floor beside walls, open at sides.
    Step,
    /// Through the part, not round.
    CutOut,
    /// Inside corners of the outline.
    Corner,
    /// Wider inside than its mouth, straight walls.
    TSlot,
    /// Covered from every side that looks into it.
    Undercut,
    /// A ring cut into a turned surface.
    Groove,
    /// A flat on a round or a chordal cut.
    Flat,
    /// A slot in a round for a key.
    KeySeat,
    /// A diameter of a turned part.
    Diameter,
    /// A taper of a turned part.
    Taper,
    /// A bulging edge with a radius.
    Round,
    /// A hollow edge with a radius.
    Fillet,
    /// A bevelled edge.
    Chamfer,
    /// No plane, cylinder, cone, ball or ring.
    Free,
    /// A flat face with nothing but outside corners.
    Face,
    /// Slanted to all axes of the part.
    Slanted,
    /// A wall or rib between two faces.
    Wall,
    /// A floor with a pocket above.
    Floor,
    /// Two holes that meet.
    Crossing,
    /// Equal features in a circle or a grid.
    Pattern,
}

/// One of a feature's own sizes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Dim {
    /// "diameter".
    pub name: String,
    /// Value.
    pub value: f64,
    /// "mm", "deg" or "".
    pub unit: String,
}

/// A side from which it cannot be cut.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Blocked {
    /// "+Z".
    pub from: String,
    /// What stands in the way.
    pub by: String,
    /// The face that does.
    pub face: u32,
}

/// The number that makes it hard.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Hard {
    /// "depth ÷ diameter".
    pub what: String,
    /// Value.
    pub value: f64,
    /// "×", "mm" or "".
    pub unit: String,
    /// From here on it is hard.
    pub limit: f64,
    /// Why, and where the limit comes from.
    pub why: String,
}

/// An axis in part coordinates.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, TS)]
pub struct Axis {
    /// A point on it, mm.
    #[ts(type = "[number, number, number]")]
    pub origin: DVec3,
    /// Unit vector.
    #[ts(type = "[number, number, number]")]
    pub direction: DVec3,
}

/// A feature.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Feature {
    /// From kind, axis, size and place: the same in every run, and its own.
    pub id: String,
    /// Sort.
    pub kind: FeatureKind,
    /// In words: "Hole Ø4.5 through, counterbore Ø8 × 4.6".
    pub what: String,
    /// Its own sizes.
    pub dims: Vec<Dim>,
    /// Axis or main direction, if it has one; of holes it points out of the mouth.
    pub axis: Option<Axis>,
    /// Directions of the part from which it can be cut, "+Z", or "turning".
    pub from: Vec<String>,
    /// Directions that look right but are covered.
    pub blocked: Vec<Blocked>,
    /// Below the part's highest point on its first side, mm.
    pub depth: Option<f64>,
    /// Smallest inside corner upright to its floor, mm; 0 is sharp.
    pub corner: Option<f64>,
    /// Depth ÷ diameter of the largest cutter that fits.
    pub reach: Option<f64>,
    /// What makes it hard.
    pub hard: Vec<Hard>,
    /// A cutter of a form of its own that it needs.
    pub cutter: Option<String>,
    /// Its half profile, where it must be ground or bought.
    pub form: Option<FormCutter>,
    /// Other ways, what to ask.
    pub ways: Vec<OtherWay>,
    /// Things to know: "enters a face that is inclined by 15°".
    pub remarks: Vec<String>,
    /// How a hole ends.
    pub ends: Option<Ending>,
    /// Ids of the features that it consists of or is about.
    pub of: Vec<String>,
    /// Faces of the part.
    pub faces: Vec<u32>,
    /// Around it, part coordinates.
    pub place: Place,
}

/// How a hole ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "lowercase")]
pub enum Ending {
    /// It goes through.
    Through,
    /// On a flat bottom.
    Flat,
    /// On a drill's point or another cone.
    Point,
}

impl Feature {
    /// A size by its name.
    pub fn dim(&self, name: &str) -> Option<f64> {
        self.dims.iter().find(|d| d.name == name).map(|d| d.value)
    }
    /// How hard it is: the largest of value ÷ limit (or limit ÷ value where small is hard), 0 if nothing is.
    pub fn hardness(&self) -> f64 {
        let no_side = if self.from.is_empty() && self.cuts() { 3.0 } else { 0.0 };
        self.hard.iter().map(Hard::share).fold(no_side, f64::max)
    }
    /// Is it something to cut by itself, or a relation of others?
    pub fn cuts(&self) -> bool {
        !matches!(
            self.kind,
            FeatureKind::Wall | FeatureKind::Floor | FeatureKind::Crossing | FeatureKind::Pattern | FeatureKind::Face
        )
    }
}

impl Hard {
    /// Of the limit: 1 is at it.
    pub fn share(&self) -> f64 {
        // Corner radii and wall thicknesses are hard where small.
        if self.unit == "mm" { self.limit / self.value.max(1e-3) } else { self.value / self.limit }
    }
}

/// Everything that was recognised.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Recognised {
    /// What the part is as a whole.
    pub body: Body,
    /// Features, the hardest first.
    pub features: Vec<Feature>,
}

/// Name of a direction along an axis of the part.
pub fn direction_name(d: DVec3) -> &'static str {
    DIRECTIONS.iter().find(|(v, _)| v.dot(d) > 1.0 - 1e-6).map_or("slanted", |p| p.1)
}

/// A direction in words, also where it is slanted: "15° from +Z to +X".
pub fn direction_words(d: DVec3) -> String {
    let straight = direction_name(d);
    if straight != "slanted" {
        return straight.into();
    }
    let mut near: Vec<(DVec3, &str)> = DIRECTIONS.to_vec();
    near.sort_by(|a, b| b.0.dot(d).total_cmp(&a.0.dot(d)));
    let angle = near[0].0.angle_between(d).to_degrees();
    format!("{}° from {} to {}", number(angle), near[0].1, near[1].1)
}

/// A direction whose sense does not matter, with a settled one.
pub(crate) fn settled(d: DVec3) -> (DVec3, DVec3) {
    stack::line_of(DVec3::ZERO, d)
}

/// A length in words, without needless zeros.
pub(crate) fn number(v: f64) -> String {
    let s = format!("{v:.2}");
    let s = s.trim_end_matches('0').trim_end_matches('.');
    if s == "-0" { "0".into() } else { s.to_string() }
}

/// Without a capital at the start.
pub(crate) fn lower(s: &str) -> String {
    let mut c = s.chars();
    c.next().map(|f| f.to_lowercase().chain(c).collect()).unwrap_or_default()
}

pub(crate) fn mm(name: &str, value: f64) -> Dim {
    Dim { name: name.into(), value, unit: "mm".into() }
}

pub(crate) fn degrees(name: &str, rad: f64) -> Dim {
    Dim { name: name.into(), value: rad.to_degrees(), unit: "deg".into() }
}

pub(crate) fn count(name: &str, n: usize) -> Dim {
    Dim { name: name.into(), value: n as f64, unit: String::new() }
}

pub(crate) fn hard(what: &str, value: f64, unit: &str, limit: f64, why: &str) -> Hard {
    Hard { what: what.into(), value, unit: unit.into(), limit, why: why.into() }
}

/// What a face is, in words.
pub fn face_words(s: &Surface, turn: f64) -> String {
    match *s {
        Surface::Plane { normal, .. } => match direction_name(normal) {
            "slanted" => format!("Flat, looks {}", direction_words(normal)),
            d => format!("Flat, looks to {d}"),
        },
        Surface::Cylinder { radius, hollow: true, .. } if turn > 3.5 => format!("Hole Ø{}", len(number(2.0 * radius))),
        Surface::Cylinder { radius, hollow: true, .. } => format!("Inside corner R{}", len(number(radius))),
        Surface::Cylinder { radius, .. } if turn > 3.5 => format!("Round Ø{}", len(number(2.0 * radius))),
        Surface::Cylinder { radius, .. } => format!("Outside corner R{}", len(number(radius))),
        Surface::Cone { half_angle, .. } => format!("Cone, {}° included", number(2.0 * half_angle.abs().to_degrees())),
        Surface::Sphere { radius, .. } => format!("Ball R{}", len(number(radius))),
        Surface::Torus { minor, .. } => format!("Round R{}", len(number(minor))),
        Surface::Free => "Free form".into(),
    }
}

/// A feature in the making; everything that is measured afterwards is still empty.
pub(crate) struct Draft {
    pub kind: FeatureKind,
    pub what: String,
    pub dims: Vec<Dim>,
    pub axis: Option<Axis>,
    /// Directions that look into it.
    pub looks: Vec<DVec3>,
    /// Points from which these directions must be free.
    pub probes: Vec<DVec3>,
    pub corner: Option<f64>,
    /// Diameter of the largest cutter that fits, mm.
    pub cutter_d: Option<f64>,
    /// Depth of its own, mm.
    pub deep: f64,
    pub hard: Vec<Hard>,
    pub cutter: Option<String>,
    pub remarks: Vec<String>,
    pub ends: Option<Ending>,
    pub of: Vec<usize>,
    pub faces: Vec<u32>,
    /// Part of the identity beside kind and place.
    pub size: f64,
    /// Made while the part turns.
    pub turned: bool,
}

impl Draft {
    pub fn new(kind: FeatureKind, what: String, faces: Vec<u32>) -> Draft {
        Draft {
            kind,
            what,
            dims: Vec::new(),
            axis: None,
            looks: Vec::new(),
            probes: Vec::new(),
            corner: None,
            cutter_d: None,
            deep: 0.0,
            hard: Vec::new(),
            cutter: None,
            remarks: Vec::new(),
            ends: None,
            of: Vec::new(),
            faces,
            size: 0.0,
            turned: false,
        }
    }
}

/// Two directions in a flat face, the first along its longest straight edge.
pub(crate) fn face_frame(shop: &Shop, face: u32, n: DVec3) -> (DVec3, DVec3) {
    let p = |k: u32| shop.part.mesh.points[k as usize];
    let x = shop.at[face as usize]
        .iter()
        .map(|&e| &shop.part.edges[e])
        .filter(|e| matches!(e.kind, kernel::EdgeKind::Line) && e.points.len() >= 2)
        .max_by(|a, b| a.length.total_cmp(&b.length))
        .map_or(n.any_orthonormal_vector(), |e| {
            (p(e.points[e.points.len() - 1]) - p(e.points[0])).normalize_or(n.any_orthonormal_vector())
        });
    (x, n.cross(x))
}

/// What the recognisers share.
pub(crate) struct Shop<'a> {
    pub part: &'a Part,
    pub rays: &'a Rays,
    /// Edges at each face.
    pub at: Vec<Vec<usize>>,
    /// Points within this are one, mm.
    pub same: f64,
}

impl<'a> Shop<'a> {
    fn new(part: &'a Part, rays: &'a Rays) -> Shop<'a> {
        let mut at = vec![Vec::new(); part.faces.len()];
        for (k, e) in part.edges.iter().enumerate() {
            at[e.faces[0] as usize].push(k);
            at[e.faces[1] as usize].push(k);
        }
        Shop { part, rays, at, same: 1e-3 + 5.0 * part.origin.fitted.unwrap_or(0.0) }
    }
    /// Points of a face's mesh.
    pub fn points(&self, face: u32) -> impl Iterator<Item = DVec3> + '_ {
        self.part.faces[face as usize].triangles.clone().flat_map(|t| self.part.mesh.corners(t))
    }
    /// From least to most along a direction.
    pub fn span(&self, faces: &[u32], d: DVec3) -> (f64, f64) {
        faces
            .iter()
            .flat_map(|f| self.points(*f))
            .map(|p| p.dot(d))
            .fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), s| (a.min(s), b.max(s)))
    }
    /// The same with round faces taken as round: their mesh falls short of them by its chords.
    pub fn extent(&self, faces: &[u32], d: DVec3) -> (f64, f64) {
        let (mut lo, mut hi) = self.span(faces, d);
        for &f in faces {
            let Surface::Cylinder { origin, axis, radius, .. } = *self.surface(f) else { continue };
            if axis.dot(d).abs() > 1e-6 {
                continue;
            }
            for sense in [-1.0, 1.0] {
                // Is the outermost line of the cylinder on the face: has it points a little to both sides?
                let (out, side) = (d * sense, axis.cross(d));
                let (mut left, mut right) = (false, false);
                for p in self.points(f) {
                    let r = (p - origin).reject_from_normalized(axis);
                    let a = r.dot(side).atan2(r.dot(out));
                    left |= (-0.7..=1e-6).contains(&a);
                    right |= (-1e-6..=0.7).contains(&a);
                }
                if left && right {
                    let s = origin.dot(d) + sense * radius;
                    (lo, hi) = (lo.min(s), hi.max(s));
                }
            }
        }
        (lo, hi)
    }
    pub fn place(&self, faces: &[u32]) -> Place {
        let b = faces.iter().fold(Box3::EMPTY, |b, &k| b.joined(&self.part.faces[k as usize].bounds));
        Place::new(b.min, b.max)
    }
    /// About `n` points spread over a face's triangles, a little off it to the outside.
    pub fn samples(&self, face: u32, n: usize) -> Vec<DVec3> {
        // Inside a triangle, away from its border.
        const SPOTS: [[f64; 3]; 7] = [
            [1.0 / 3.0, 1.0 / 3.0, 1.0 / 3.0],
            [0.7, 0.15, 0.15],
            [0.15, 0.7, 0.15],
            [0.15, 0.15, 0.7],
            [0.46, 0.46, 0.08],
            [0.08, 0.46, 0.46],
            [0.46, 0.08, 0.46],
        ];
        let r = self.part.faces[face as usize].triangles.clone();
        let step = (r.len() / n.max(1)).max(1);
        let each = (n / r.len().max(1)).clamp(1, SPOTS.len());
        r.step_by(step)
            .flat_map(|t| {
                let c = self.part.mesh.corners(t);
                let off = self.part.mesh.normal(t).normalize_or_zero() * 0.005;
                SPOTS[..each].iter().map(move |w| c[0] * w[0] + c[1] * w[1] + c[2] * w[2] + off)
            })
            .collect()
    }
    pub fn normal(&self, face: u32) -> Option<DVec3> {
        match self.part.faces[face as usize].surface {
            Surface::Plane { normal, .. } => Some(normal),
            _ => None,
        }
    }
    pub fn surface(&self, face: u32) -> &Surface {
        &self.part.faces[face as usize].surface
    }
}

/// Recognise everything.
pub fn recognise(part: &Part) -> Recognised {
    let rays = Rays::new(part);
    recognise_with(part, &rays)
}

/// The same with rays that are at hand.
pub fn recognise_with(part: &Part, rays: &Rays) -> Recognised {
    let shop = Shop::new(part, rays);
    let mut drafts: Vec<Draft> = Vec::new();
    let stacks = stack::find(&shop);
    let taken: Vec<bool> = {
        let mut t = vec![false; part.faces.len()];
        stacks.iter().flat_map(|s| &s.draft.faces).for_each(|f| t[*f as usize] = true);
        t
    };
    let body = body::find(&shop, &stacks);
    let holes: Vec<stack::Line> = stacks.iter().map(|s| s.line.clone()).collect();
    drafts.extend(stacks.into_iter().map(|s| s.draft));
    let n_holes = drafts.len();
    body::turned(&shop, &body, &mut drafts);
    hollow::find(&shop, &taken, &body, &mut drafts);
    hollow::nuts(&shop, &mut drafts, n_holes);
    edges::find(&shop, &mut drafts);
    wall::find(&shop, &mut drafts);
    crossing::find(&shop, &holes, &mut drafts);
    edges::rest(&shop, &body, &mut drafts);
    let mut features: Vec<Feature> = finish(&shop, drafts);
    let symmetry = pattern::symmetry(&shop);
    pattern::find(&shop, &mut features);
    ways::find(&mut features);
    unique(&mut features);
    features.sort_by(|a, b| b.hardness().total_cmp(&a.hardness()).then(a.kind.cmp(&b.kind)).then(a.id.cmp(&b.id)));
    Recognised { body: Body { symmetry, ..body }, features }
}

/// Measure what all features have in common and give them their names.
fn finish(shop: &Shop, drafts: Vec<Draft>) -> Vec<Feature> {
    let mut ids: Vec<String> = Vec::new();
    for d in &drafts {
        let b = d.faces.iter().fold(Box3::EMPTY, |b, &k| b.joined(&shop.part.faces[k as usize].bounds));
        let c = (b.min + b.max) / 2.0;
        let way = d.axis.map_or(DVec3::ZERO, |a| a.direction);
        let way = match direction_name(way) {
            "slanted" if way == DVec3::ZERO => "free".to_string(),
            "slanted" => format!("{:.3}_{:.3}_{:.3}", way.x + 0.0, way.y + 0.0, way.z + 0.0),
            n => n.replace('−', "-"),
        };
        let kind = kind_name(d.kind);
        let q = |v: f64| if (v * 10.0).round() == 0.0 { 0.0 } else { (v * 10.0).round() / 10.0 };
        ids.push(format!("{kind}/{way}/{:.2}/{:.1}_{:.1}_{:.1}", d.size, q(c.x), q(c.y), q(c.z)));
    }
    for k in 0..ids.len() {
        let same = ids[..k].iter().filter(|i| i.split('#').next() == Some(ids[k].as_str())).count();
        if same > 0 {
            ids[k] = format!("{}#{}", ids[k], same + 1);
        }
    }
    // A hole that went into a nut's pocket has that one's name.
    for k in 0..drafts.len() {
        if let (true, Some(&o)) = (drafts[k].faces.is_empty(), drafts[k].of.first()) {
            ids[k] = ids[o].clone();
        }
    }
    drafts
        .into_iter()
        .enumerate()
        .filter(|(_, d)| !d.faces.is_empty())
        .map(|(k, d)| {
            let (mut from, mut blocked): (Vec<String>, Vec<Blocked>) = (Vec::new(), Vec::new());
            let mut depth = None;
            for way in &d.looks {
                match shop.rays.covered(&d.probes, *way) {
                    None => {
                        if depth.is_none() {
                            let top =
                                shop.part.mesh.points.iter().map(|p| p.dot(*way)).fold(f64::NEG_INFINITY, f64::max);
                            // A drill's point lies below the depth that counts.
                            let mouth = d.axis.filter(|a| d.kind == FeatureKind::Hole && a.direction.dot(*way) > 0.99);
                            let low = mouth.map_or(shop.span(&d.faces, *way).0, |a| a.origin.dot(*way) - d.deep);
                            depth = Some((top - low).max(0.0));
                        }
                        from.push(direction_words(*way));
                    }
                    Some(face) => {
                        let f = &shop.part.faces[face as usize];
                        blocked.push(Blocked { from: direction_words(*way), by: face_words(&f.surface, f.turn), face });
                    }
                }
            }
            if d.turned {
                from.push("turning".into());
            }
            let reach = match (depth, d.cutter_d) {
                (Some(deep), Some(c)) if c > 0.0 => Some(deep / c),
                _ => None,
            };
            let mut hards = d.hard;
            if let Some(r) = reach.filter(|_| d.kind != FeatureKind::Hole) {
                hards.push(hard(
                    "depth ÷ largest cutter",
                    r,
                    "×",
                    3.0,
                    "over 3 ask, over 5 warn, over 8 another way (common practice, no source)",
                ));
            }
            if d.corner == Some(0.0) {
                hards.push(hard(
                    "sharp inside corner",
                    1.0,
                    "",
                    0.5,
                    "no round cutter makes it: relief holes, another side, or ask for a radius (common practice)",
                ));
            }
            Feature {
                id: ids[k].clone(),
                kind: d.kind,
                what: d.what,
                dims: d.dims,
                axis: d.axis,
                from,
                blocked,
                depth,
                corner: d.corner,
                reach,
                hard: hards,
                cutter: d.cutter,
                form: None,
                ways: Vec::new(),
                remarks: d.remarks,
                ends: d.ends,
                of: d.of.iter().filter_map(|&k| ids.get(k).cloned()).collect(),
                place: shop.place(&d.faces),
                faces: d.faces,
            }
        })
        .collect()
}

pub(crate) fn kind_name(k: FeatureKind) -> &'static str {
    use FeatureKind as K;
    match k {
        K::Hole => "hole",
        K::NutPocket => "nut",
        K::Pocket => "pocket",
        K::Slot => "slot",
        K::Step => "step",
        K::CutOut => "cutout",
        K::Corner => "corner",
        K::TSlot => "tslot",
        K::Undercut => "undercut",
        K::Groove => "groove",
        K::Flat => "flat",
        K::KeySeat => "keyseat",
        K::Diameter => "diameter",
        K::Taper => "taper",
        K::Round => "round",
        K::Fillet => "fillet",
        K::Chamfer => "chamfer",
        K::Free => "free",
        K::Face => "face",
        K::Slanted => "slanted",
        K::Wall => "wall",
        K::Floor => "floor",
        K::Crossing => "crossing",
        K::Pattern => "pattern",
    }
}

/// Names that came out the same get a number, in a stable order.
fn unique(list: &mut [Feature]) {
    for k in 0..list.len() {
        let same = list[..k].iter().filter(|f| f.id.split('#').next() == Some(list[k].id.as_str())).count();
        if same > 0 {
            list[k].id = format!("{}#{}", list[k].id, same + 1);
        }
    }
}
