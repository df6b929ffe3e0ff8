//! A cutter's sweep on rays of any direction: for setups whose spindle is along no axis of the part.
//!
//! Seen in the cutter's frame, turned about its axis until the rays run in planes y = const: what a level or upright sweep of one section takes of a
//! ray is spans of x, cut to a range of heights, in closed form. Everything else is taken as straight moves of a convex cutter. Such a sweep is the
//! Minkowski sum of two convex bodies, so a ray meets it in one interval: how far a place on the ray lies inside is a concave function, whose top is
//! found by golden section and whose ends by bisection to a millionth (Press and others, Numerical Recipes, 10.2 and 9.1). Arcs that slope, and arcs of
//! pointed or rounded cutters, are chords no further than half of [`SLICE`] from them.

use crate::SetupInput;
use crate::cut::Ball;
use crate::dexel::{Field, Ray, Stock, subtract};
use crate::sweep::{SLICE, Spans, Sweep, Track, pieces};
use geom::{Bar, Box3, DVec2, DVec3, Placement, RayGrid};
use program::Step;
use rayon::prelude::*;
use reason::Sure;
use shop::tool::Tool;
use std::borrow::Cow;

/// Ends of what a ray loses are found to this, mm.
const END: f64 = 1e-6;
/// Rows of rays that one thread takes at a time.
const BAND: usize = 16;

/// A setup with those of its moves that took something.
pub(crate) struct Done<'a> {
    pub input: &'a SetupInput,
    /// By step.
    pub touched: Vec<bool>,
}

impl Done<'_> {
    fn moves(&self) -> impl Iterator<Item = (&Step, &Tool)> {
        let there = |k: usize| self.touched.get(k).copied().unwrap_or(false);
        self.input.program.steps.iter().enumerate().filter_map(move |(k, s)| {
            (there(k) && s.moves() && !s.machine)
                .then(|| self.input.tools.iter().find(|t| t.number == s.tool).map(|t| (s, t)))
                .flatten()
        })
    }
}

/// A piece of a move, turned so that rays run in planes y = const, with the box around what it takes, in the frame of the rays.
struct Piece<'a> {
    sweep: Sweep,
    tool: Cow<'a, Tool>,
    /// The half ball of a straight slope.
    ball: Option<Ball>,
    /// Around all of it, in the turned frame of the cutter and in that of the rays.
    own: Box3,
    around: Box3,
}

/// A stock in a frame whose axes are not the part's: what earlier setups left of a block (part coordinates), on rays of its own.
pub(crate) fn seen(
    (block, bar): (&Box3, Option<&Bar>),
    bounds: &Box3,
    part_from_work: &Placement,
    rays: [f64; 2],
    before: &[Done],
) -> Stock {
    let around = part_from_work.inverse().bounds(bounds);
    let size = around.size();
    let pitch = [0, 1, 2].map(|k| {
        let area = size[(k + 1) % 3] * size[(k + 2) % 3];
        (area / if k == 2 { rays[0] } else { rays[1] }).sqrt().clamp(0.05, 0.5)
    });
    let fields = [0, 1, 2].map(|k| {
        let mut f = of_block(RayGrid::covering(k, &around, pitch[k]), block, bar, part_from_work);
        before.iter().for_each(|d| take(&mut f, d, part_from_work));
        f
    });
    Stock { fields }
}

/// What a setup cut, taken from rays in any other frame (`from_rays` takes their coordinates to the part's).
pub(crate) fn take(field: &mut Field, done: &Done, from_rays: &Placement) {
    let to_cutter = done.input.part_from_work.inverse().after(from_rays);
    let mut unit = DVec3::ZERO;
    unit[field.grid.axis] = 1.0;
    let along = to_cutter.dir(unit);
    // Turned about the cutter's axis until the rays run along x and z.
    let angle = -along.y.atan2(along.x);
    let turned = Placement { turn: geom::DMat3::from_rotation_z(angle), shift: DVec3::ZERO };
    let to_turned = turned.after(&to_cutter);
    let back = to_turned.inverse();
    let along = DVec3::new(along.truncate().length(), 0.0, along.z);
    let all: Vec<Piece> = done
        .moves()
        .flat_map(|(s, tool)| {
            let s = Sweep::new(s.from, s.to, &s.shape);
            let Some(ball) = Ball::of(&s, tool) else {
                return facets(&s, tool).into_iter().map(|f| (f, Cow::Borrowed(tool), false)).collect::<Vec<_>>();
            };
            // A ball along a line, and the cylinder over it.
            let (raised, above) = ball.above(&s, tool);
            let over = facets(&raised, &above).into_iter().map(|f| (f, Cow::Owned(above.clone()), false));
            std::iter::once((s, Cow::Borrowed(tool), true)).chain(over).collect()
        })
        .map(|(s, tool, is_ball)| {
            let sweep = s.turned(angle);
            let ball = if is_ball { Ball::of(&sweep, &tool) } else { None };
            let (lo, hi) = sweep.bounds2();
            let r = tool.radius();
            let min = (lo - r).extend(sweep.z_min());
            let max = (hi + r).extend(sweep.z_max() + tool.flute_length_mm);
            let own = Box3 { min, max };
            Piece { sweep, tool, ball, own, around: back.bounds(&own) }
        })
        .collect();
    let grid = field.grid;
    let (u, v) = grid.uv();
    let width = grid.count[0];
    field.rays.par_chunks_mut(width * BAND).enumerate().for_each(|(band, rays)| {
        let first = band * BAND;
        let rows = rays.len() / width;
        // The last first: what finishes a place takes most there at once, and little is left to ask the others about.
        for p in all.iter().rev() {
            let js = grid.range(1, p.around.min[v], p.around.max[v]);
            for j in js.start.max(first)..js.end.min(first + rows) {
                for i in grid.range(0, p.around.min[u], p.around.max[u]) {
                    let ray = &mut rays[(j - first) * width + i];
                    if ray.is_empty() {
                        continue;
                    }
                    let from = to_turned.point(grid.point(j * width + i, 0.0));
                    // Most rays through the box around it pass by, or have lost there what they had.
                    if from.y <= p.own.min.y || from.y >= p.own.max.y {
                        continue;
                    }
                    let heights = between(from.z, along.z, p.own.min.z, p.own.max.z);
                    let (a, b) = common(heights, between(from.x, along.x, p.own.min.x, p.own.max.x));
                    if a >= b || !stands(ray, (a, b)) {
                        continue;
                    }
                    if let Some(ball) = &p.ball {
                        if let Some((a, b)) = ball.meets(from, along) {
                            subtract(ray, a, b);
                        }
                        continue;
                    }
                    for (a, b) in meets(&p.sweep, &p.tool, from, along, ray) {
                        subtract(ray, a, b);
                    }
                }
            }
        }
    });
}

/// A block (part coordinates), or what of it lies in a bar, on rays of another frame.
pub(crate) fn of_block(grid: RayGrid, block: &Box3, bar: Option<&Bar>, part_from_work: &Placement) -> Field {
    let mut unit = DVec3::ZERO;
    unit[grid.axis] = 1.0;
    let along = part_from_work.dir(unit);
    let ray = |k: usize| {
        let from = part_from_work.point(grid.point(k, 0.0));
        let mut span = (f64::NEG_INFINITY, f64::INFINITY);
        for k in 0..3 {
            span = common(span, between(from[k], along[k], block.min[k], block.max[k]));
        }
        if span.0 < span.1 { Ray::from_slice(&[span]) } else { Ray::new() }
    };
    let rays = (0..grid.len()).into_par_iter().map(ray).collect();
    let mut out = Field { grid, rays };
    if let Some(bar) = bar {
        out.within_bar(bar, part_from_work);
    }
    out
}

/// Where `from + along·t` lies between two bounds.
fn between(from: f64, along: f64, low: f64, high: f64) -> (f64, f64) {
    if along.abs() < 1e-12 {
        let inside = from >= low && from <= high;
        return if inside { (f64::NEG_INFINITY, f64::INFINITY) } else { (0.0, 0.0) };
    }
    let (a, b) = ((low - from) / along, (high - from) / along);
    (a.at_most(b), a.at_least(b))
}

fn common(a: (f64, f64), b: (f64, f64)) -> (f64, f64) {
    (a.0.at_least(b.0), a.1.at_most(b.1))
}

/// The pieces of a move that have a closed form or are straight moves of a convex cutter.
fn facets(s: &Sweep, tool: &Tool) -> Vec<Sweep> {
    let mut out = Vec::new();
    for p in pieces(s, tool) {
        match p.track {
            Track::Arc { r, sweep, .. } if !(tool.is_cylinder() && p.level()) => {
                let flat = SLICE / 2.0;
                let step = if r > flat { 2.0 * (1.0 - flat / r).acos() } else { std::f64::consts::PI };
                let n = (sweep.abs() / step).ceil().at_least(1.0) as usize;
                out.extend((0..n).map(|k| {
                    let [t0, t1] = [k, k + 1].map(|k| k as f64 / n as f64);
                    Sweep { track: Track::Line { a: p.point(t0), b: p.point(t1) }, z0: p.z(t0), z1: p.z(t1) }
                }));
            }
            _ => out.push(p),
        }
    }
    out
}

/// Is there material between two places of a ray?
fn stands(ray: &Ray, (a, b): (f64, f64)) -> bool {
    ray.iter().any(|m| m.0 < b && m.1 > a)
}

/// Where the ray `from + along·t` (`along` of length 1, without y) runs in what a piece takes of what is there.
fn meets(s: &Sweep, tool: &Tool, from: DVec3, along: DVec3, there: &Ray) -> Spans {
    let (r, flute) = (tool.radius(), tool.flute_length_mm);
    let heights = between(from.z, along.z, s.z_min(), s.z_max() + flute);
    let mut out = Spans::new();
    if heights.0 >= heights.1 {
        return out;
    }
    let straight = s.level() || s.upright();
    if along.x < 1e-9 {
        // Along the cutter's axis.
        let q = from.truncate();
        let mut add = |low: f64, high: f64| {
            let (a, b) = ((low - from.z) / along.z, (high - from.z) / along.z);
            out.push((a.at_most(b), a.at_least(b)));
        };
        if straight {
            let d = s.distance(q);
            if d < r {
                add(s.z_min() + tool.height_at(d), s.z_max() + tool.top_at(d));
            }
        } else {
            for (t0, t1) in s.covering(q, r) {
                let (za, zb) = (s.z(t0), s.z(t1));
                add(za.at_most(zb), za.at_least(zb) + flute);
            }
        }
        return out;
    }
    let to_t = |x: f64| (x - from.x) / along.x;
    let wide = s.spans(from.y, false, r).into_iter().map(|(a, b)| common(heights, (to_t(a), to_t(b))));
    if tool.is_cylinder() && straight {
        out.extend(wide.filter(|w| w.0 < w.1));
        return out;
    }
    // One convex piece: within `wide` at most, which is one interval too.
    let Some(within) = wide.filter(|w| w.0 < w.1).reduce(|a, b| (a.0.at_most(b.0), a.1.at_least(b.1))) else {
        return out;
    };
    if !stands(there, within) {
        return out;
    }
    let inside = |t: f64| {
        let p = from + along * t;
        if straight {
            tool.widest(p.z - s.z_max(), p.z - s.z_min()) - s.distance(p.truncate())
        } else {
            s.at_height(p.z, flute).map_or(f64::NEG_INFINITY, |part| r - part.distance(p.truncate()))
        }
    };
    out.extend(interval(within, inside));
    out
}

/// Where a concave function is above 0 within bounds.
fn interval((low, high): (f64, f64), f: impl Fn(f64) -> f64) -> Option<(f64, f64)> {
    const GOLDEN: f64 = 0.618_033_988_749_895;
    let top = if f(low) > 0.0 {
        low
    } else if f(high) > 0.0 {
        high
    } else {
        let (mut a, mut b) = (low, high);
        let (mut p, mut q) = (b - GOLDEN * (b - a), a + GOLDEN * (b - a));
        let (mut fp, mut fq) = (f(p), f(q));
        loop {
            if fp > 0.0 {
                break p;
            }
            if fq > 0.0 {
                break q;
            }
            if b - a < END {
                return None;
            }
            if fp > fq {
                (b, q, fq) = (q, p, fp);
                p = b - GOLDEN * (b - a);
                fp = f(p);
            } else {
                (a, p, fp) = (p, q, fq);
                q = a + GOLDEN * (b - a);
                fq = f(q);
            }
        }
    };
    let end = |mut out: f64, mut inside: f64| {
        if f(out) > 0.0 {
            return out;
        }
        while (out - inside).abs() > END {
            let m = f64::midpoint(out, inside);
            if f(m) > 0.0 { inside = m } else { out = m }
        }
        inside
    };
    Some((end(low, top), end(high, top)))
}

impl Sweep {
    /// Turned about the cutter's axis, rad.
    fn turned(&self, angle: f64) -> Sweep {
        let d = DVec2::from_angle(angle);
        let track = match self.track {
            Track::Line { a, b } => Track::Line { a: d.rotate(a), b: d.rotate(b) },
            Track::Arc { c, r, from, sweep, .. } => Track::arc(d.rotate(c), r, from + angle, sweep),
        };
        Sweep { track, ..*self }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::cut;
    use fastrand::Rng;
    use program::{Program, ReadSettings};
    use shop::tool::ToolKind;

    fn tool(number: u32, kind: ToolKind, d: f64) -> Tool {
        let text = format!(
            r#"{{"number": {number}, "kind": "{}", "diameter_mm": {d}, "flute_length_mm": {}, "shank_diameter_mm": {}, "stickout_mm": 20.0,
            "holder": [], "flutes": 3, "flank_deg": 60, "carbide": true, "corner_radius_mm": {}, "tip_diameter_mm": {}, "point_angle_deg": {}, "centre_cutting": true}}"#,
            format!("{kind:?}").to_lowercase(),
            if kind == ToolKind::Dovetail { 4.0 } else { 9.0 },
            if kind == ToolKind::Dovetail { 3.0 } else { d },
            if kind == ToolKind::Bull { 1.0 } else { 0.0 },
            if kind == ToolKind::Chamfer { 1.0 } else { 0.0 },
            if kind == ToolKind::Drill { 118.0 } else { 90.0 },
        );
        serde_json::from_str(&text).unwrap_or_else(|e| panic!("{e}\n{text}"))
    }

    fn tools() -> Vec<Tool> {
        vec![
            tool(1, ToolKind::Flat, 6.0),
            tool(2, ToolKind::Ball, 5.0),
            tool(3, ToolKind::Chamfer, 6.0),
            tool(4, ToolKind::Drill, 4.0),
            tool(5, ToolKind::Bull, 8.0),
            tool(6, ToolKind::Dovetail, 9.0),
        ]
    }

    /// Moves of all sorts: level, upright and sloping lines, arcs and helices. `round`: pointed and rounded cutters take arcs too, which are
    /// chords then.
    fn program(rng: &mut Rng, round: bool) -> Program {
        use std::fmt::Write;
        let mut text = String::from("G17 G21 G90 G94 G40 G49 G80 G54\n");
        for t in 1..=6 {
            let _ = writeln!(text, "T{t} M6\nS1000 M3\nG0 G43 H{t} Z30");
            for _ in 0..4 {
                let mut to = |low: f64, high: f64| ((low + rng.f64() * (high - low)) * 100.0).round() / 100.0;
                let mut at = || (to(-5.0, 25.0), to(-5.0, 17.0), to(0.0, 12.0));
                let (a, b, c) = (at(), at(), at());
                let (i, j) = (to(2.0, 5.0), to(-2.0, 2.0));
                let _ = writeln!(text, "G0 X{:.3} Y{:.3}\nG1 Z{:.3} F100", a.0, a.1, a.2);
                let _ = writeln!(text, "G1 X{:.3} Y{:.3}", b.0, b.1);
                if t == 1 || round {
                    let _ = writeln!(text, "G3 X{:.3} Y{:.3} I{i:.3} J{j:.3}", b.0 + 2.0 * i, b.1 + 2.0 * j);
                }
                if t == 1 {
                    let _ = writeln!(text, "G1 X{:.3} Y{:.3} Z{:.3}", c.0, c.1, c.2);
                    let _ = writeln!(text, "G2 X{:.3} Y{:.3} I{i:.3} J{j:.3} Z{:.3}", c.0, c.1, c.2 - 1.0);
                }
                text.push_str("G0 Z30\n");
            }
        }
        text.push_str("M30\n");
        program::read(&text, &ReadSettings::default()).unwrap_or_else(|e| panic!("{e}\n{text}"))
    }

    fn setup(program: Program, part_from_work: Placement) -> SetupInput {
        SetupInput {
            name: "tilted".into(),
            program,
            part_from_work,
            zero_in_machine: DVec3::ZERO,
            tools: tools(),
            keep_out: vec![],
            bodies: vec![],
            promises: None,
            sawn: None,
        }
    }

    fn all(input: &SetupInput) -> Done<'_> {
        Done { input, touched: vec![true; input.program.steps.len()] }
    }

    fn block() -> Box3 {
        Box3 { min: DVec3::ZERO, max: DVec3::new(24.0, 18.0, 12.0) }
    }

    /// Along the cutter's own axes it must give what the closed forms give; helices are chords here.
    #[test]
    fn square_to_the_cutter_it_agrees_with_the_closed_forms() {
        let mut rng = Rng::with_seed(5);
        for _ in 0..4 {
            let mut s = setup(program(&mut rng, false), Placement::IDENTITY);
            s.program.steps.retain(|p| p.shape == program::Shape::Line || (p.to.z - p.from.z).abs() < 1e-9);
            for axis in 0..3 {
                let start = Field::of_box(RayGrid::covering(axis, &block(), 0.7), &block());
                let (mut a, mut b) = (start.clone(), start);
                take(&mut a, &all(&s), &Placement::IDENTITY);
                for (step, t) in all(&s).moves() {
                    cut::cut(&mut b, &Sweep::new(step.from, step.to, &step.shape), t);
                }
                let long = |r: &Ray| r.iter().map(|i| i.1 - i.0).sum::<f64>();
                for (p, q) in a.rays.iter().zip(&b.rays) {
                    assert!((long(p) - long(q)).abs() < 1e-4, "{axis}: {p:?} {q:?}");
                }
            }
        }
    }

    /// Oracle: places on rays of odd frames, against a thousand positions of the cutter along each move.
    #[test]
    fn at_any_angle_it_agrees_with_many_positions() {
        let mut rng = Rng::with_seed(9);
        let mut seen = [0, 0];
        for _ in 0..5 {
            let axis = DVec3::new(rng.f64() - 0.5, rng.f64() - 0.5, rng.f64() - 0.5).normalize();
            let frame = Placement {
                turn: geom::DMat3::from_axis_angle(axis, rng.f64() * 3.0),
                shift: DVec3::new(3.0, -2.0, 1.0),
            };
            let s = setup(program(&mut rng, true), frame);
            let mut f =
                of_block(RayGrid::covering(rng.usize(0..3), &block(), 1.9), &block(), None, &Placement::IDENTITY);
            take(&mut f, &all(&s), &Placement::IDENTITY);
            let back = frame.inverse();
            for k in 0..f.grid.len() {
                for _ in 0..6 {
                    let p = f.grid.point(k, rng.f64() * 24.0);
                    if (0..3).any(|k| p[k] < block().min[k] || p[k] > block().max[k]) {
                        continue;
                    }
                    let q = back.point(p);
                    // How deep the place lies in the cutter, at most.
                    let mut deep = f64::NEG_INFINITY;
                    for (step, tool) in all(&s).moves() {
                        let w = Sweep::new(step.from, step.to, &step.shape);
                        for i in 0..=1000 {
                            let t = f64::from(i) / 1000.0;
                            let h = q.z - w.z(t);
                            let d = tool.radius_at(h.at_least(0.0)) - w.point(t).distance(q.truncate());
                            deep = deep.at_least(d.at_most(h).at_most(tool.flute_length_mm - h));
                        }
                    }
                    if deep.abs() > 0.03 {
                        let t = p[f.grid.axis];
                        let stands = f.rays[k].iter().any(|r| t > r.0 && t < r.1);
                        assert_eq!(stands, deep < 0.0, "{p} {deep}");
                        seen[usize::from(stands)] += 1;
                    }
                }
            }
        }
        assert!(seen[0] > 100 && seen[1] > 100, "{seen:?}");
    }
}
