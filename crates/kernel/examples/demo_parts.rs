//! Makes the demo shop's parts and writes them as STEP: `cargo run --release -p kernel --example demo_parts -- demo/parts`.
//! The shop, its telescope and every dimension are invented.

use kernel::shape::{ModelError, Shape, rounded_polygon};
use std::path::Path;

const UP: [f64; 3] = [0.0, 0.0, 1.0];

fn rect(x0: f64, y0: f64, x1: f64, y1: f64, r: f64, z0: f64, z1: f64) -> Result<Shape, ModelError> {
    Shape::prism(&rounded_polygon(&[([x0, y0], r), ([x1, y0], r), ([x1, y1], r), ([x0, y1], r)]), z0, z1)
}

fn hole(x: f64, y: f64, d: f64, z0: f64, z1: f64) -> Result<Shape, ModelError> {
    Shape::cylinder([x, y, z0], UP, d / 2.0, z1 - z0)
}

/// A blind hole from the top with a 118° drill point below its full depth.
fn drilled(part: Shape, x: f64, y: f64, d: f64, top: f64, depth: f64) -> Result<Shape, ModelError> {
    let bottom = top - depth;
    let point = d / 2.0 / (59.0_f64.to_radians()).tan();
    part.cut(&hole(x, y, d, bottom, top + 1.0)?)?.cut(&Shape::cone([x, y, bottom - point], UP, 0.0, d / 2.0, point)?)
}

/// Holds the encoder to the polar axis: a bearing bore, four screw holes with counterbores, two holes from the side.
fn encoder_bracket() -> Result<Shape, ModelError> {
    let outline = rounded_polygon(&[
        ([0.0, 0.0], 3.0),
        ([74.0, 0.0], 3.0),
        ([74.0, 30.0], 6.0),
        ([56.0, 48.0], 6.0),
        ([18.0, 48.0], 6.0),
        ([0.0, 30.0], 6.0),
    ]);
    let mut p = Shape::prism(&outline, 0.0, 16.0)?;
    p = p.chamfer(0.6, [-1.0, -1.0, 16.0], [75.0, 49.0, 16.0])?;
    p = p.cut(&hole(37.0, 26.0, 17.0, -1.0, 17.0)?)?.cut(&hole(37.0, 26.0, 26.0, 9.0, 17.0)?)?;
    for (x, y) in [(9.0, 9.0), (65.0, 9.0), (14.0, 32.0), (60.0, 32.0)] {
        p = p.cut(&hole(x, y, 4.5, -1.0, 17.0)?)?.cut(&hole(x, y, 8.0, 11.4, 17.0)?)?;
    }
    for x in [24.0, 50.0] {
        p = p.cut(&Shape::cylinder([x, -1.0, 8.0], [0.0, 1.0, 0.0], 1.65, 11.0)?)?;
    }
    Ok(p)
}

/// The shutter's release lever: two ears, a slot for the cord, a pivot, one set-screw hole from the side.
fn shutter_lever() -> Result<Shape, ModelError> {
    let outline = rounded_polygon(&[
        ([0.0, 9.0], 3.0),
        ([10.0, 9.0], 4.0),
        ([10.0, 0.0], 4.0),
        ([26.0, 0.0], 4.0),
        ([26.0, 9.0], 4.0),
        ([92.0, 9.0], 6.0),
        ([92.0, 33.0], 6.0),
        ([26.0, 33.0], 4.0),
        ([26.0, 42.0], 4.0),
        ([10.0, 42.0], 4.0),
        ([10.0, 33.0], 4.0),
        ([0.0, 33.0], 3.0),
    ]);
    let mut p = Shape::prism(&outline, 0.0, 10.0)?;
    p = p.cut(&rect(36.0, 17.0, 68.0, 25.0, 3.99, -1.0, 11.0)?)?;
    p = p.cut(&hole(18.0, 21.0, 10.0, -1.0, 11.0)?)?;
    for y in [4.5, 37.5] {
        p = p.cut(&hole(18.0, y, 4.2, -1.0, 11.0)?)?;
    }
    p = p.cut(&hole(84.0, 21.0, 6.6, -1.0, 11.0)?)?;
    p = p.cut(&rect(76.0, 5.0, 93.0, 40.0, 0.0, 6.0, 11.0)?)?;
    p.cut(&Shape::cylinder([93.0, 21.0, 3.0], [-1.0, 0.0, 0.0], 1.25, 6.0)?)
}

/// Cover of the worm box: a pocket with an island that carries a bore, a step around the rim, corner screws.
fn worm_cover() -> Result<Shape, ModelError> {
    let mut p = rect(0.0, 0.0, 96.0, 64.0, 6.0, 0.0, 15.0)?;
    p = p.chamfer(0.5, [-1.0, -1.0, 15.0], [97.0, 65.0, 15.0])?;
    let pocket = rect(9.0, 9.0, 87.0, 55.0, 5.0, 6.0, 16.0)?;
    let island = Shape::cylinder([40.0, 32.0, 5.0], UP, 12.0, 8.0)?;
    let boss = rect(66.0, 24.0, 76.0, 40.0, 3.0, 5.0, 11.0)?;
    p = p.cut(&pocket.cut(&island)?.cut(&boss)?)?;
    p = p.cut(&rect(46.0, 9.0, 60.0, 20.0, 4.0, 3.5, 16.0)?)?;
    p = p.cut(&hole(40.0, 32.0, 12.0, -1.0, 16.0)?)?;
    for (x, y) in [(5.0, 5.0), (91.0, 5.0), (91.0, 59.0), (5.0, 59.0)] {
        p = p.cut(&hole(x, y, 3.4, -1.0, 16.0)?)?;
    }
    p = p.cut(&rect(20.0, 20.0, 60.0, 44.0, 5.0, -1.0, 1.5)?)?;
    drilled(p, 71.0, 32.0, 2.5, 11.0, 6.0)
}

/// Spider plate of the finder: two through cut-outs, a ring of holes, blind tapped holes.
fn spider_plate() -> Result<Shape, ModelError> {
    let mut p = rect(0.0, 0.0, 110.0, 66.0, 8.0, 0.0, 9.0)?;
    for x in [12.0, 76.0] {
        p = p.cut(&rect(x, 14.0, x + 22.0, 52.0, 5.0, -1.0, 10.0)?)?;
    }
    p = p.cut(&hole(55.0, 33.0, 24.0, -1.0, 10.0)?)?;
    for k in 0..6 {
        let a = f64::from(k) * std::f64::consts::TAU / 6.0;
        p = p.cut(&hole(55.0 + 17.0 * a.sin(), 33.0 + 17.0 * a.cos(), 3.4, -1.0, 10.0)?)?;
    }
    for (x, y) in [(7.0, 7.0), (103.0, 7.0), (103.0, 59.0), (7.0, 59.0)] {
        p = drilled(p, x, y, 4.2, 9.0, 6.0)?;
    }
    Ok(p)
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let dir = std::env::args().nth(1).ok_or("give a folder")?;
    for (name, part) in [
        ("encoder-bracket", encoder_bracket()?),
        ("shutter-lever", shutter_lever()?),
        ("worm-cover", worm_cover()?),
        ("spider-plate", spider_plate()?),
    ] {
        part.write_step(&Path::new(&dir).join(format!("{name}.step")))?;
        println!("{name}: {:.3} mm³", part.volume());
    }
    Ok(())
}
