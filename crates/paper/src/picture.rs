//! A setup drawn in outlines: from the front, as the person stands at the machine, and from above.

use geom::{Box3, DMat3, DVec2, DVec3, Placement, Region, TriMesh};

/// How an outline is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Tone {
    /// What holds, behind or beside the part.
    Hold,
    /// What holds, between the part and the person: only its outline.
    Front,
    /// The block that the setup begins with.
    Stock,
    /// The part.
    Part,
}

/// Outlines of one thing, mm, upwards positive.
#[derive(Debug, Clone, PartialEq)]
pub struct Shape {
    /// How.
    pub tone: Tone,
    /// What; empty where it needs no name.
    pub name: String,
    /// Closed.
    pub loops: Vec<Vec<DVec2>>,
}

/// A drawing, mm; work zero is at 0, 0.
#[derive(Debug, Clone, PartialEq)]
pub struct Picture {
    /// "From the front".
    pub title: String,
    /// Letters of the axes to the right and up.
    pub axes: [&'static str; 2],
    /// From the back to the front.
    pub shapes: Vec<Shape>,
}

/// What lies towards the eye is up: from work coordinates to those of a view from the front.
fn front() -> Placement {
    Placement { turn: DMat3::from_cols(DVec3::X, DVec3::NEG_Z, DVec3::Y), shift: DVec3::ZERO }
}

fn outline(mesh: &TriMesh) -> Vec<Vec<DVec2>> {
    let below = mesh.bounds().min.z - 1.0;
    // Outlines of curved walls have more points than paper shows.
    mesh.shadow_above(below).simplified(0.02).loops()
}

fn rect(min: DVec2, max: DVec2) -> Vec<DVec2> {
    vec![min, DVec2::new(max.x, min.y), max, DVec2::new(min.x, max.y)]
}

/// The body of what holds a part, work coordinates, mm.
#[derive(Debug, Clone)]
pub enum Body {
    /// Any solid.
    Mesh(TriMesh),
    /// A box.
    Box(Box3),
    /// Sections from below up: from which height to which, outlines.
    Layers(Vec<(f64, f64, Vec<Vec<DVec2>>)>),
}

/// Something that holds the part.
#[derive(Debug, Clone)]
pub struct Held {
    /// "fixed jaw".
    pub name: String,
    /// Its body.
    pub body: Body,
}

impl Held {
    /// Outlines in a view, and how near to the eye it begins and ends.
    fn seen(&self, turn: Option<&Placement>) -> (Vec<Vec<DVec2>>, [f64; 2]) {
        let depth = |b: &Box3| [b.min.z, b.max.z];
        match (&self.body, turn) {
            (Body::Mesh(m), turn) => {
                let m = turn.map_or_else(|| m.clone(), |t| m.placed(t));
                (outline(&m), depth(&m.bounds()))
            }
            (Body::Box(b), turn) => {
                let b = turn.map_or(*b, |t| t.bounds(b));
                (vec![rect(b.min.truncate(), b.max.truncate())], depth(&b))
            }
            (Body::Layers(l), None) => {
                let all =
                    Region::union_all(&l.iter().map(|(_, _, loops)| Region::from_oriented(loops)).collect::<Vec<_>>());
                let ends = l.iter().fold([f64::INFINITY, f64::NEG_INFINITY], |e, (a, b, _)| {
                    [if *a < e[0] { *a } else { e[0] }, if *b > e[1] { *b } else { e[1] }]
                });
                (all.loops(), ends)
            }
            (Body::Layers(l), Some(turn)) => {
                let boxes: Vec<Box3> = l
                    .iter()
                    .flat_map(|(a, b, loops)| {
                        loops
                            .iter()
                            .map(|o| turn.bounds(&Box3::of(o.iter().flat_map(|p| [p.extend(*a), p.extend(*b)]))))
                    })
                    .collect();
                let Some(whole) = boxes.iter().copied().reduce(|a, b| a.joined(&b)) else { return (vec![], [0.0; 2]) };
                let rects: Vec<Region> =
                    boxes.iter().map(|b| Region::rect(b.min.truncate(), b.max.truncate())).collect();
                (Region::union_all(&rects).loops(), depth(&whole))
            }
        }
    }
}

fn drawn(
    title: &str,
    axes: [&'static str; 2],
    part: &TriMesh,
    stock: Option<Box3>,
    held: &[Held],
    turn: Option<&Placement>,
) -> Picture {
    // Nearer than the middle of the part is in front of it.
    let middle = part.bounds().middle().z;
    let mut all: Vec<(f64, Shape)> = held
        .iter()
        .map(|h| {
            let (loops, [from, to]) = h.seen(turn);
            let tone = if from >= middle { Tone::Front } else { Tone::Hold };
            (to, Shape { tone, name: h.name.clone(), loops })
        })
        .collect();
    all.sort_by(|a, b| (a.1.tone == Tone::Front).cmp(&(b.1.tone == Tone::Front)).then(a.0.total_cmp(&b.0)));
    let at = all.iter().position(|s| s.1.tone == Tone::Front).unwrap_or(all.len());
    let mut shapes: Vec<Shape> = all.into_iter().map(|s| s.1).collect();
    let block = |b: Box3| vec![rect(b.min.truncate(), b.max.truncate())];
    let own = stock.into_iter().map(|s| Shape { tone: Tone::Stock, name: String::new(), loops: block(s) });
    let part = Shape { tone: Tone::Part, name: String::new(), loops: outline(part) };
    let own: Vec<Shape> = own.chain([part]).collect();
    shapes.splice(at..at, own);
    Picture { title: title.into(), axes, shapes }
}

/// As the person stands at the machine: X to the right, Z up.
pub fn from_the_front(part: &TriMesh, stock: Option<&Box3>, held: &[Held]) -> Picture {
    let turn = front();
    let stock = stock.map(|b| turn.bounds(b));
    drawn("From the front", ["X", "Z"], &part.placed(&turn), stock, held, Some(&turn))
}

/// From above: X to the right, Y to the back.
pub fn from_above(part: &TriMesh, stock: Option<&Box3>, held: &[Held]) -> Picture {
    drawn("From above", ["X", "Y"], part, stock.copied(), held, None)
}
