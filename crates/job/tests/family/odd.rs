//! Random parts with nothing for two flat jaws to grip: odd and round outlines, tapers, bosses on the end that they stand on, thin plates. The same seed
//! gives the same part.

use crate::family::Dice;
use kernel::shape::{ModelError, Shape, rounded_polygon};
use reason::Sure;
use std::f64::consts::TAU;

const UP: [f64; 3] = [0.0, 0.0, 1.0];

/// What kind of part a seed gives.
pub const KINDS: [&str; 6] = ["odd outline", "round", "round with a flat", "boss on its end", "thin plate", "tapered"];

/// Its number in [`KINDS`].
pub fn kind(seed: u64) -> usize {
    (seed % KINDS.len() as u64) as usize
}

fn odd_outline(d: &mut Dice, least: f64, most: f64) -> Vec<([f64; 2], f64)> {
    // An odd number of corners: no two sides lie over against each other.
    let n = [5, 7][usize::from(d.chance(0.5))];
    let turn = d.between(0.0, TAU);
    (0..n)
        .map(|k| {
            let a = turn + TAU * (f64::from(k) + d.between(-0.25, 0.25)) / f64::from(n);
            let r = d.between(least, most);
            ([r * a.cos(), r * a.sin()], d.step(2.0, 5.0, 0.5))
        })
        .collect()
}

/// The part of a seed, upside down or not.
pub fn part(seed: u64) -> Result<Shape, ModelError> {
    let d = &mut Dice::new(7000 + seed);
    let t = d.step(9.0, 18.0, 0.5);
    let r = d.step(14.0, 30.0, 0.5);
    let mut p = match kind(seed) {
        0 => Shape::prism(&rounded_polygon(&odd_outline(d, 18.0, 34.0)), 0.0, t)?,
        1 => Shape::cylinder([0.0; 3], UP, r, t)?,
        2 => {
            let flat = d.between(0.6, 0.85) * r;
            Shape::cylinder([0.0; 3], UP, r, t)?.cut(&Shape::block([flat, -99.0, -1.0], [99.0, 99.0, t + 1.0])?)?
        }
        3 => {
            let plate = Shape::prism(&rounded_polygon(&odd_outline(d, 20.0, 32.0)), 0.0, t)?;
            let high = d.step(2.0, 5.0, 0.5);
            plate.fuse(&Shape::cylinder([0.0, 0.0, t - 1.0], UP, d.step(5.0, 9.0, 0.5), high + 1.0)?)?
        }
        4 => Shape::prism(&rounded_polygon(&odd_outline(d, 20.0, 36.0)), 0.0, d.step(5.0, 7.0, 0.5))?,
        _ => {
            // A straight end to hold, a taper above it.
            let straight = Shape::cylinder([0.0; 3], UP, r, 0.6 * t)?;
            straight.fuse(&Shape::cone([0.0, 0.0, 0.6 * t], UP, r, d.between(0.75, 0.95) * r, 0.4 * t)?)?
        }
    };
    let high = 40.0;
    // A pocket, or holes.
    if kind(seed) != 4 && d.chance(0.5) {
        let (a, b, depth) = (d.step(4.0, 8.0, 0.5), d.step(4.0, 7.0, 0.5), d.step(2.0, 5.0, 0.5));
        let c = [([-a, -b], 3.0), ([a, -b], 3.0), ([a, b], 3.0), ([-a, b], 3.0)];
        p = p.cut(&Shape::prism(&rounded_polygon(&c), -1.0, depth)?)?;
    } else {
        let turn = d.between(0.0, TAU);
        for k in 0..3 {
            let (a, at) = (turn + TAU * f64::from(k) / 3.0, d.between(9.5, 12.0).at_most(r - 4.0));
            let bore = d.pick(&[3.0, 4.0, 5.0, 6.0]);
            p = p.cut(&Shape::cylinder([at * a.cos(), at * a.sin(), -1.0], UP, bore / 2.0, high)?)?;
        }
    }
    if d.chance(0.5) { p.moved([1.0, 0.0, 0.0], TAU / 2.0, [3.0, 5.0, 20.0]) } else { Ok(p) }
}
