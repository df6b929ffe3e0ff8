//! Random prismatic parts with everything that the first issue of the product is about. The same seed gives the same part.

use kernel::shape::{ModelError, Piece, Shape, rounded_polygon};
use reason::Sure;
use std::f64::consts::{FRAC_PI_2, TAU};

const UP: [f64; 3] = [0.0, 0.0, 1.0];

/// A small generator (Knuth's 64-bit congruence), so that seeds mean the same on every machine.
pub struct Dice(u64);

impl Dice {
    pub fn new(seed: u64) -> Dice {
        let mut d = Dice(seed.wrapping_mul(0x9E37_79B9_7F4A_7C15).wrapping_add(0x1234_5678));
        for _ in 0..4 {
            d.next();
        }
        d
    }
    fn next(&mut self) -> f64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 11) as f64 / (1u64 << 53) as f64
    }
    pub fn between(&mut self, a: f64, b: f64) -> f64 {
        a + (b - a) * self.next()
    }
    /// Rounded to a step.
    pub fn step(&mut self, a: f64, b: f64, step: f64) -> f64 {
        (self.between(a, b) / step).round() * step
    }
    pub fn chance(&mut self, p: f64) -> bool {
        self.next() < p
    }
    pub fn pick(&mut self, of: &[f64]) -> f64 {
        of[(self.next() * of.len() as f64) as usize % of.len()]
    }
}

fn rect(x0: f64, y0: f64, x1: f64, y1: f64, r: f64, z0: f64, z1: f64) -> Result<Shape, ModelError> {
    Shape::prism(&rounded_polygon(&[([x0, y0], r), ([x1, y0], r), ([x1, y1], r), ([x0, y1], r)]), z0, z1)
}

fn cylinder(x: f64, y: f64, d: f64, z0: f64, z1: f64) -> Result<Shape, ModelError> {
    Shape::cylinder([x, y, z0], UP, d / 2.0, z1 - z0)
}

fn outline(d: &mut Dice, w: f64, h: f64) -> Vec<Piece> {
    let r = d.step(0.0, 6.0, 0.5);
    match (d.next() * 4.0) as u32 {
        // An L: a concave corner of a makeable radius.
        0 => {
            let (a, b) = (d.step(0.35 * w, 0.65 * w, 0.5), d.step(0.4 * h, 0.6 * h, 0.5));
            rounded_polygon(&[
                ([0.0, 0.0], r),
                ([w, 0.0], r),
                ([w, b], r),
                ([a, b], d.step(2.5, 6.0, 0.25)),
                ([a, h], r),
                ([0.0, h], r),
            ])
        }
        // Cut corners at an odd angle.
        1 => {
            let (a, b) = (d.between(6.0, 14.0), d.between(5.0, 12.0));
            rounded_polygon(&[
                ([0.0, 0.0], r.at_most(3.0)),
                ([w, 0.0], r.at_most(3.0)),
                ([w, h - b], 2.0),
                ([w - a, h], 2.0),
                ([a, h], 2.0),
                ([0.0, h - b], 2.0),
            ])
        }
        _ => rounded_polygon(&[([0.0, 0.0], r), ([w, 0.0], r), ([w, h], r), ([0.0, h], r)]),
    }
}

/// Try a step of modelling; one that the kernel cannot do leaves the part as it was.
fn tried(p: Shape, f: impl FnOnce(&Shape) -> Result<Shape, ModelError>) -> Shape {
    match f(&p) {
        Ok(q) if q.volume() > 0.2 * p.volume() => q,
        _ => p,
    }
}

/// The part of a seed.
pub fn part(seed: u64) -> Result<Shape, ModelError> {
    let d = &mut Dice::new(seed);
    let (w, h, t) = (d.step(40.0, 100.0, 0.5), d.step(30.0, 64.0, 0.5), d.step(8.0, 22.0, 0.5));
    let out = outline(d, w, h);
    let mut p = Shape::prism(&out, 0.0, t)?;
    if d.chance(0.4) {
        let c = d.step(0.3, 1.2, 0.1);
        p = tried(p, |p| p.chamfer(c, [-1.0, -1.0, t], [w + 1.0, h + 1.0, t]));
    }
    if d.chance(0.25) {
        let c = d.step(0.3, 1.0, 0.1);
        p = tried(p, |p| p.chamfer(c, [-1.0, -1.0, 0.0], [w + 1.0, h + 1.0, 0.0]));
    }
    // Cells of a coarse grid, each with one feature at most, so that nothing grows into a neighbour by accident.
    let (nx, ny) = ((w / 24.0).floor().at_least(1.0) as usize, (h / 22.0).floor().at_least(1.0) as usize);
    let (cw, ch) = (w / nx as f64, h / ny as f64);
    for i in 0..nx {
        for j in 0..ny {
            let (x0, y0) = (i as f64 * cw + 3.0, j as f64 * ch + 3.0);
            let (x1, y1) = ((i + 1) as f64 * cw - 3.0, (j + 1) as f64 * ch - 3.0);
            p = feature(p, d, [x0, y0, x1, y1], t)?;
        }
    }
    if d.chance(0.3) {
        let y = d.between(8.0, h - 8.0);
        let r = d.step(1.0, 2.0, 0.25);
        p = tried(p, |p| p.cut(&Shape::cylinder([-1.0, y, t / 2.0], [1.0, 0.0, 0.0], r, 9.0)?));
    }
    if d.chance(0.25) {
        // A step along one edge.
        let (depth, width) = (d.step(1.0, 0.5 * t, 0.25), d.step(3.0, 8.0, 0.5));
        p = tried(p, |p| p.cut(&Shape::block([-1.0, -1.0, t - depth], [w + 1.0, width, t + 1.0])?));
    }
    let shift = [d.between(-40.0, 40.0), d.between(-40.0, 40.0), d.between(-20.0, 20.0)];
    match (d.next() * 5.0) as u32 {
        0 => p.moved([1.0, 0.0, 0.0], FRAC_PI_2, shift),
        1 => p.moved([0.0, 1.0, 0.0], FRAC_PI_2, shift),
        2 => p.moved([1.0, 0.0, 0.0], 2.0 * FRAC_PI_2, shift),
        _ => p.moved([0.0, 0.0, 1.0], 0.0, shift),
    }
}

fn feature(p: Shape, d: &mut Dice, [x0, y0, x1, y1]: [f64; 4], t: f64) -> Result<Shape, ModelError> {
    let (cx, cy) = (f64::midpoint(x0, x1), f64::midpoint(y0, y1));
    let room = (x1 - x0).at_most(y1 - y0);
    let drills = [2.5, 3.0, 3.3, 4.0, 4.2, 4.5, 5.0, 5.5, 6.0, 6.6, 6.8, 8.0, 8.5, 10.0];
    Ok(match (d.next() * 10.0) as u32 {
        0 => {
            // A blind pocket from above or below.
            let (r, depth) = (d.step(2.5, 5.0, 0.25).at_most(room / 2.2), d.step(1.5, 0.6 * t, 0.25));
            let (z0, z1) = if d.chance(0.7) { (t - depth, t + 1.0) } else { (-1.0, depth) };
            tried(p, |p| p.cut(&rect(x0, y0, x1, y1, r, z0, z1)?))
        }
        1 => {
            // A pocket in a pocket.
            let (a, b) = (d.step(1.0, 0.3 * t, 0.25), d.step(0.4 * t, 0.7 * t, 0.25));
            let p = tried(p, |p| p.cut(&rect(x0, y0, x1, y1, 3.5_f64.at_most(room / 2.2), t - a, t + 1.0)?));
            tried(p, |p| {
                p.cut(&rect(x0 + 3.0, y0 + 2.5, x1 - 2.5, y1 - 3.0, 2.75_f64.at_most(room / 4.0), t - b, t + 1.0)?)
            })
        }
        2 => {
            // A through cut-out.
            let r = d.step(3.0, 5.0, 0.25).at_most(room / 2.2);
            tried(p, |p| p.cut(&rect(x0, y0, x1, y1, r, -1.0, t + 1.0)?))
        }
        3 => {
            // A bore with a counterbore, of no drill's size.
            let big = d.step(0.6 * room, 0.9 * room, 0.1);
            let small = d.step(0.35 * room, 0.55 * room, 0.1);
            let depth = d.step(1.0, 0.6 * t, 0.25);
            let p = tried(p, |p| p.cut(&cylinder(cx, cy, small, -1.0, t + 1.0)?));
            tried(p, |p| p.cut(&cylinder(cx, cy, big, t - depth, t + 1.0)?))
        }
        4 => {
            // Drilled holes, through, in a ring.
            let size = d.pick(&drills).at_most(room / 4.0);
            let size = drills.iter().copied().filter(|s| *s <= size).fold(2.5, Sure::at_least);
            let n = 2 + (d.next() * 3.0) as u32;
            let ring = room / 2.0 - size / 2.0 - 0.5;
            let turn = d.between(0.0, TAU);
            (0..n).fold(p, |p, k| {
                let a = turn + f64::from(k) * TAU / f64::from(n);
                tried(p, |p| p.cut(&cylinder(cx + ring * a.cos(), cy + ring * a.sin(), size, -1.0, t + 1.0)?))
            })
        }
        5 => {
            // A blind hole with a drill point, from above or below.
            let size = d.pick(&drills).at_most(8.5);
            let depth = d.step(2.0, (t - size * 0.31 - 1.0).at_least(2.5), 0.25);
            let point = size / 2.0 / 59f64.to_radians().tan();
            tried(p, |p| {
                p.cut(&cylinder(cx, cy, size, t - depth, t + 1.0)?)?.cut(&Shape::cone(
                    [cx, cy, t - depth - point],
                    UP,
                    0.0,
                    size / 2.0,
                    point,
                )?)
            })
        }
        6 => {
            // A flat-bottomed hole.
            let (size, depth) = (d.step(5.0, room * 0.8, 0.5), d.step(1.0, 0.6 * t, 0.25));
            tried(p, |p| p.cut(&cylinder(cx, cy, size, t - depth, t + 1.0)?))
        }
        7 => {
            // A pocket with a round island.
            let (r, depth) = (d.step(3.0, 5.0, 0.25).at_most(room / 2.2), d.step(1.5, 0.6 * t, 0.25));
            let low = d.step(0.0, depth - 0.5, 0.25).at_least(0.0);
            let island = (room * 0.25).at_most(room - 14.0).at_least(0.0);
            if island < 2.0 {
                return Ok(p);
            }
            tried(p, |p| {
                let pocket = rect(x0, y0, x1, y1, r, t - depth, t + 1.0)?;
                p.cut(&pocket.cut(&cylinder(cx, cy, island, t - depth - 1.0, t - low)?)?)
            })
        }
        8 => {
            // A slot with round ends, at an angle.
            let (l, width) = (room * 0.8, d.step(4.5, 9.0, 0.25).at_most(room * 0.5));
            let a = d.between(0.0, TAU);
            let depth = d.step(1.5, 0.7 * t, 0.25);
            let r = width / 2.0 * 0.999;
            tried(p, |p| {
                let slot = rect(-l / 2.0, -width / 2.0, l / 2.0, width / 2.0, r, t - depth, t + 1.0)?.moved(
                    [0.0, 0.0, 1.0],
                    a,
                    [cx, cy, 0.0],
                )?;
                p.cut(&slot)
            })
        }
        _ => p,
    })
}
