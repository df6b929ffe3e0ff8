//! Makes the demo shop's parts and writes them as STEP: `cargo run --release -p intake --example demo_parts -- demo/parts`.
//! The shop, its telescope and every dimension are invented.

use kernel::Meshing;
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

/// Holds the encoder to the polar axis: a bearing bore, four screw holes with counterbores, holes from the side.
fn bracket(bore: f64, upper_screws: [f64; 2], side_holes: &[f64]) -> Result<Shape, ModelError> {
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
    p = p.cut(&hole(37.0, 26.0, bore, -1.0, 17.0)?)?.cut(&hole(37.0, 26.0, 26.0, 9.0, 17.0)?)?;
    for (x, y) in [(9.0, 9.0), (65.0, 9.0), (upper_screws[0], 32.0), (upper_screws[1], 32.0)] {
        p = p.cut(&hole(x, y, 4.5, -1.0, 17.0)?)?.cut(&hole(x, y, 8.0, 11.4, 17.0)?)?;
    }
    for x in side_holes {
        p = p.cut(&Shape::cylinder([*x, -1.0, 8.0], [0.0, 1.0, 0.0], 1.65, 11.0)?)?;
    }
    Ok(p)
}

fn encoder_bracket() -> Result<Shape, ModelError> {
    bracket(17.0, [14.0, 60.0], &[24.0, 50.0])
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

/// The bracket as it was drawn again: the bore grew, the screws moved, one side hole went and a slot came.
fn encoder_bracket_b() -> Result<Shape, ModelError> {
    bracket(18.0, [15.5, 58.5], &[24.0])?.cut(&rect(30.0, -1.0, 44.0, 7.0, 0.0, 12.0, 17.0)?)
}

/// Brass adapter between focuser and eyepiece: turned, with a set-screw groove, a stepped bore with a thread's relief and two flats.
fn eyepiece_adapter() -> Result<Shape, ModelError> {
    let c = |d: f64, z0: f64, z1: f64| Shape::cylinder([0.0, 0.0, z0], UP, d / 2.0, z1 - z0);
    let mut p = c(50.8, 0.0, 22.0)?.fuse(&c(58.0, 22.0, 28.0)?)?.fuse(&c(44.0, 28.0, 40.0)?)?;
    p = p.cut(&c(60.0, 9.0, 12.0)?.cut(&c(47.0, 8.0, 13.0)?)?)?;
    p = p.cut(&c(60.0, 28.0, 30.0)?.cut(&c(42.4, 27.0, 31.0)?)?)?;
    p = p.cut(&c(31.8, -1.0, 41.0)?)?.cut(&c(38.0, 26.0, 41.0)?)?.cut(&c(39.4, 24.0, 26.0)?)?;
    p = p.cut(&Shape::block([27.0, -40.0, 21.0], [40.0, 40.0, 29.0])?)?;
    p = p.cut(&Shape::block([-40.0, -40.0, 21.0], [-27.0, 40.0, 29.0])?)?;
    p = p.chamfer(0.8, [-26.0, -26.0, 0.0], [26.0, 26.0, 0.0])?;
    p.cut(&Shape::cylinder([0.0, 10.0, 5.0], [0.0, 1.0, 0.0], 1.25, 20.0)?)
}

/// Stainless stub of the worm's shaft: diameters, a snap-ring groove, a key seat with round ends, a taper, a centre hole.
fn worm_shaft() -> Result<Shape, ModelError> {
    let c = |d: f64, z0: f64, z1: f64| Shape::cylinder([0.0, 0.0, z0], UP, d / 2.0, z1 - z0);
    let mut p =
        c(12.0, 0.0, 18.0)?.fuse(&c(16.0, 18.0, 60.0)?)?.fuse(&c(22.0, 60.0, 66.0)?)?.fuse(&c(15.0, 66.0, 84.0)?)?;
    p = p.fuse(&Shape::cone([0.0, 0.0, 84.0], UP, 7.5, 5.0, 14.0)?)?;
    p = p.cut(&c(20.0, 14.0, 15.1)?.cut(&c(11.0, 13.0, 16.0)?)?)?;
    p = p.cut(&c(24.0, 57.5, 60.0)?.cut(&c(15.4, 57.0, 61.0)?)?)?;
    // Key seat 5 × 3 × 24 with round ends on the Ø16, made lying and turned up.
    let slot = rect(26.0, -2.5, 50.0, 2.5, 2.499, 5.0, 9.0)?;
    let turned = slot.moved([0.0, 1.0, 0.0], -std::f64::consts::FRAC_PI_2, [0.0, 0.0, 0.0])?;
    p = p.cut(&turned.moved([0.0, 0.0, 1.0], 0.0, [0.0, 0.0, 0.0])?)?;
    p = p.cut(&Shape::cylinder([0.0, 0.0, -1.0], UP, 1.25, 7.0)?)?;
    p.cut(&Shape::cone([0.0, 0.0, 0.0], UP, 2.65, 1.25, 2.42)?)
}

/// Hexagon stand-off for the drive's circuit board: tapped at one end, a stud at the other.
fn hex_standoff() -> Result<Shape, ModelError> {
    let r = 6.5 / (std::f64::consts::PI / 6.0).cos();
    let corners: Vec<([f64; 2], f64)> =
        (0..6).map(|k| f64::from(k) * std::f64::consts::FRAC_PI_3).map(|a| ([r * a.cos(), r * a.sin()], 0.0)).collect();
    let mut p = Shape::prism(&rounded_polygon(&corners), 0.0, 35.0)?;
    p = p.fuse(&Shape::cylinder([0.0, 0.0, 35.0], UP, 3.0, 10.0)?)?;
    p = p.chamfer(0.5, [-4.0, -4.0, 45.0], [4.0, 4.0, 45.0])?;
    p = p.cut(&Shape::cylinder([0.0, 0.0, -1.0], UP, 2.5, 15.0)?)?;
    p.cut(&Shape::cone([0.0, 0.0, 14.0], UP, 2.5, 0.0, 2.5 / (59.0_f64.to_radians()).tan())?)
}

/// Post that the shutter's cords run through: from hexagon bar, a bore along it, holes through two pairs of its flats and a recess for a label in a third.
fn cord_post() -> Result<Shape, ModelError> {
    let r = 8.5 / (std::f64::consts::PI / 6.0).cos();
    let corners: Vec<([f64; 2], f64)> =
        (0..6).map(|k| f64::from(k) * std::f64::consts::FRAC_PI_3).map(|a| ([r * a.cos(), r * a.sin()], 0.0)).collect();
    let mut p = Shape::prism(&rounded_polygon(&corners), 0.0, 46.0)?;
    p = drilled(p, 0.0, 0.0, 6.8, 46.0, 20.0)?;
    let through = |z: f64, d: f64, deg: f64| {
        let (s, c) = f64::to_radians(deg).sin_cos();
        Shape::cylinder([-20.0 * c, -20.0 * s, z], [c, s, 0.0], d / 2.0, 40.0)
    };
    p = p.cut(&through(9.0, 5.0, 90.0)?)?;
    p = p.cut(&through(19.0, 4.2, 30.0)?)?;
    let label = rect(-6.0, -3.5, 6.0, 3.5, 2.5, 7.3, 12.0)?;
    // Its floor looks along +x, then along the third pair of flats.
    let label = label.moved([0.0, 1.0, 0.0], std::f64::consts::FRAC_PI_2, [0.0; 3])?;
    p.cut(&label.moved([0.0, 0.0, 1.0], 150.0_f64.to_radians(), [0.0; 3])?.moved(
        [0.0, 0.0, 1.0],
        0.0,
        [0.0, 0.0, 34.0],
    )?)
}

/// Plate that carries the sights of the finder: thin, of an odd outline, with a window and slots.
fn sight_plate() -> Result<Shape, ModelError> {
    let c = [
        ([0.0, 6.0], 5.0),
        ([34.0, 0.0], 8.0),
        ([88.0, 10.0], 6.0),
        ([82.0, 44.0], 8.0),
        ([40.0, 52.0], 10.0),
        ([6.0, 40.0], 6.0),
    ];
    let mut p = Shape::prism(&rounded_polygon(&c), 0.0, 3.0)?;
    let w = [([30.0, 16.0], 4.0), ([60.0, 18.0], 4.0), ([58.0, 36.0], 4.0), ([32.0, 38.0], 4.0)];
    p = p.cut(&Shape::prism(&rounded_polygon(&w), -1.0, 4.0)?)?;
    for (x, y, d) in [
        (10.0, 12.0, 4.5),
        (78.0, 18.0, 4.5),
        (74.0, 38.0, 4.5),
        (14.0, 34.0, 4.5),
        (20.0, 22.0, 6.0),
        (68.0, 28.0, 6.0),
    ] {
        p = p.cut(&hole(x, y, d, -1.0, 4.0)?)?;
    }
    Ok(p)
}

/// Plate that carries the guide camera: an odd outline with a notch, a bay for the camera from above, a tray for its cable from below, holes for dowels and screws.
fn guider_plate() -> Result<Shape, ModelError> {
    let c = [
        ([0.0, 8.0], 6.0),
        ([38.0, 0.0], 10.0),
        ([92.0, 6.0], 8.0),
        ([98.0, 40.0], 10.0),
        ([70.0, 44.0], 8.0),
        ([62.0, 66.0], 9.0),
        ([20.0, 62.0], 12.0),
        ([4.0, 38.0], 8.0),
    ];
    let mut p = Shape::prism(&rounded_polygon(&c), 0.0, 10.0)?;
    let bay = [([26.0, 14.0], 5.0), ([58.0, 14.0], 5.0), ([58.0, 40.0], 5.0), ([26.0, 40.0], 5.0)];
    p = p.cut(&Shape::prism(&rounded_polygon(&bay), 5.5, 11.0)?)?;
    let tray = [([66.0, 16.0], 4.0), ([84.0, 16.0], 4.0), ([84.0, 32.0], 4.0), ([66.0, 32.0], 4.0)];
    p = p.cut(&Shape::prism(&rounded_polygon(&tray), -1.0, 4.0)?)?;
    p = p.cut(&hole(42.0, 27.0, 16.0, -1.0, 11.0)?)?;
    for (x, y, d) in [
        (13.0, 20.0, 6.0),
        (89.0, 11.5, 6.0),
        (50.0, 7.5, 5.5),
        (91.0, 34.0, 5.5),
        (52.0, 54.0, 5.5),
        (24.0, 50.0, 5.5),
    ] {
        p = p.cut(&hole(x, y, d, -1.0, 11.0)?)?;
    }
    Ok(p)
}

/// Top plate of the pier: wider than the vise opens, an odd outline, a bore, a recess, holes for the pier's bolts and for what stands on it.
fn pier_plate() -> Result<Shape, ModelError> {
    let c = [
        ([0.0, 0.0], 20.0),
        ([224.0, 0.0], 20.0),
        ([224.0, 70.0], 14.0),
        ([206.0, 100.0], 14.0),
        ([206.0, 164.0], 18.0),
        ([18.0, 164.0], 18.0),
        ([18.0, 100.0], 14.0),
        ([0.0, 70.0], 14.0),
    ];
    let mut p = Shape::prism(&rounded_polygon(&c), 0.0, 12.0)?;
    p = p.cut(&hole(112.0, 76.0, 64.0, -1.0, 13.0)?)?;
    let recess = [([72.0, 36.0], 9.0), ([152.0, 36.0], 9.0), ([152.0, 116.0], 9.0), ([72.0, 116.0], 9.0)];
    p = p.cut(&Shape::prism(&rounded_polygon(&recess), 8.0, 13.0)?)?;
    for (x, y) in [(22.0, 22.0), (202.0, 22.0), (190.0, 146.0), (34.0, 146.0)] {
        p = p.cut(&hole(x, y, 11.0, -1.0, 13.0)?)?;
    }
    for (x, y) in [(112.0, 16.0), (112.0, 140.0), (50.0, 76.0), (174.0, 76.0)] {
        p = p.cut(&hole(x, y, 6.6, -1.0, 13.0)?)?;
    }
    Ok(p)
}

/// Flange of the finder's tube: a hub, a bore with a shoulder from below, six holes.
fn finder_flange() -> Result<Shape, ModelError> {
    let disc = |r: f64, z0: f64, z1: f64| Shape::cylinder([0.0, 0.0, z0], UP, r, z1 - z0);
    let mut p = disc(36.0, 0.0, 10.0)?.fuse(&disc(22.0, 10.0, 20.0)?)?;
    p = p.cut(&disc(14.0, -1.0, 21.0)?)?.cut(&disc(18.0, -1.0, 4.0)?)?;
    for k in 0..6 {
        let a = f64::from(k) * std::f64::consts::TAU / 6.0;
        p = p.cut(&hole(29.0 * a.cos(), 29.0 * a.sin(), 5.5, -1.0, 21.0)?)?;
    }
    Ok(p)
}

/// Bar of the counterweight: cut from a flat that is hardly thicker than it is.
fn counterweight_bar() -> Result<Shape, ModelError> {
    let mut p = rect(0.0, 0.0, 96.0, 32.0, 6.0, 0.0, 20.0)?;
    p = p.cut(&rect(30.0, 8.0, 66.0, 24.0, 4.0, 12.0, 21.0)?)?;
    for x in [12.0, 84.0] {
        p = p.cut(&hole(x, 16.0, 8.5, -1.0, 21.0)?)?.cut(&hole(x, 16.0, 14.0, -1.0, 9.0)?)?;
    }
    Ok(p)
}

/// Oil block of the azimuth bearing: ports with sealing cones, galleries that cross square and at a shallow angle.
fn oil_block() -> Result<Shape, ModelError> {
    let mut p = Shape::block([0.0; 3], [90.0, 50.0, 40.0])?;
    // Two galleries along x that meet at 14 degrees, and one from the top into the first.
    p = p.cut(&Shape::cylinder([-1.0, 25.0, 15.0], [1.0, 0.0, 0.0], 3.0, 71.0)?)?;
    let a = 14.0_f64.to_radians();
    p = p.cut(&Shape::cylinder([91.0 + 0.0, 25.0, 22.0], [-a.cos(), 0.0, -a.sin()], 3.0, 55.0)?)?;
    p = p.cut(&hole(30.0, 25.0, 5.0, 15.0, 41.0)?)?;
    // A port: counterbore, sealing cone, pilot.
    p = p.cut(&hole(70.0, 12.0, 16.0, 38.0, 41.0)?)?.cut(&hole(70.0, 12.0, 11.8, 24.0, 41.0)?)?;
    p = p.cut(&Shape::cone([70.0, 12.0, 20.0], UP, 3.5, 5.9, 4.0)?)?.cut(&hole(70.0, 12.0, 7.0, 8.0, 41.0)?)?;
    for (x, y) in [(8.0, 8.0), (82.0, 8.0), (82.0, 42.0), (8.0, 42.0)] {
        p = p.cut(&hole(x, y, 6.6, -1.0, 41.0)?)?;
    }
    Ok(p)
}

/// Housing of the shutter's switch: thin walls, a rib, a thin floor.
fn switch_box() -> Result<Shape, ModelError> {
    let mut p = rect(0.0, 0.0, 80.0, 50.0, 4.0, 0.0, 26.0)?;
    let left = rect(1.6, 1.6, 38.0, 48.4, 3.0, 1.2, 27.0)?;
    let right = rect(39.5, 1.6, 78.4, 48.4, 3.0, 1.2, 27.0)?;
    p = p.cut(&left)?.cut(&right)?;
    p = p.cut(&Shape::cylinder([-1.0, 25.0, 14.0], [1.0, 0.0, 0.0], 4.0, 4.0)?)?;
    p.cut(&Shape::cylinder([30.0, 25.0, 14.0], [1.0, 0.0, 0.0], 2.5, 20.0)?)
}

/// Wedge of the mirror's cell: a top inclined by 15 degrees with holes square to it, and one drilled straight into the slope.
fn mirror_wedge() -> Result<Shape, ModelError> {
    let a = 15.0_f64.to_radians();
    let p = Shape::block([0.0; 3], [70.0, 40.0, 34.0])?;
    let over = Shape::block([-20.0, -10.0, 0.0], [120.0, 60.0, 60.0])?.moved([0.0, 1.0, 0.0], a, [0.0, 0.0, 32.0])?;
    let mut p = p.cut(&over)?;
    let n = [a.sin(), 0.0, a.cos()];
    for (x, y) in [(15.0, 10.0), (15.0, 30.0)] {
        let z = 32.0 - x * a.tan();
        let from = [x - 12.0 * n[0], y, z - 12.0 * n[2]];
        p = p.cut(&Shape::cylinder(from, n, 2.5, 20.0)?)?;
    }
    p = p.cut(&hole(45.0, 20.0, 8.0, -1.0, 40.0)?)?;
    p.cut(&rect(55.0, 8.0, 71.0, 32.0, 0.0, 6.0, 40.0)?)
}

/// Rail of the balance weights: dovetail below, T-slot above, pockets for nuts.
fn dovetail_rail() -> Result<Shape, ModelError> {
    let mut p = Shape::block([0.0; 3], [120.0, 44.0, 24.0])?;
    // T-slot along x in the top.
    p = p.cut(&Shape::block([-1.0, 18.0, 14.0], [121.0, 26.0, 25.0])?)?;
    p = p.cut(&Shape::block([-1.0, 15.0, 11.0], [121.0, 29.0, 16.0])?)?;
    // Dovetail of 60 degrees in the bottom, 6 deep: a prism along y, turned to lie along x.
    let (deep, half) = (6.0, 9.0);
    let wide = half + deep / 60.0_f64.to_radians().tan();
    let tail = rounded_polygon(&[
        ([-half, -1.0], 0.0),
        ([half, -1.0], 0.0),
        ([half, 0.0], 0.0),
        ([wide, deep], 0.0),
        ([-wide, deep], 0.0),
        ([-half, 0.0], 0.0),
    ]);
    let t = Shape::prism(&tail, -1.0, 121.0)?;
    // Prism axis z → x, its x → y, its y → z: turned by 120 degrees about (1, 1, 1).
    let t = t.moved([1.0, 1.0, 1.0], 2.0 * std::f64::consts::PI / 3.0, [0.0, 22.0, 0.0])?;
    p = p.cut(&t)?;
    for x in [20.0, 60.0, 100.0] {
        let r = 7.1 / 2.0 / (std::f64::consts::PI / 6.0).cos();
        let hex: Vec<([f64; 2], f64)> = (0..6)
            .map(|k| f64::from(k) * std::f64::consts::FRAC_PI_3)
            .map(|a| ([x + r * a.cos(), 7.0 + r * a.sin()], 0.0))
            .collect();
        p = p.cut(&Shape::prism(&rounded_polygon(&hex), 20.0, 25.0)?)?.cut(&hole(x, 7.0, 4.5, -1.0, 25.0)?)?;
    }
    Ok(p)
}

/// Cap of the dome's finder: a free-form shell on a flat foot.
fn dome_cap() -> Result<Shape, ModelError> {
    let ring = |w: f64, h: f64, r: f64| rounded_polygon(&[([-w, -h], r), ([w, -h], r), ([w, h], r), ([-w, h], r)]);
    let skin =
        Shape::loft(&[(ring(32.0, 24.0, 8.0), 4.0), (ring(29.0, 21.0, 10.0), 14.0), (ring(18.0, 13.0, 11.0), 22.0)])?;
    let foot = rect(-38.0, -30.0, 38.0, 30.0, 6.0, 0.0, 4.0)?;
    let mut p = foot.fuse(&skin)?;
    for (x, y) in [(-34.0, -26.0), (34.0, -26.0), (34.0, 26.0), (-34.0, 26.0)] {
        p = p.cut(&hole(x, y, 3.4, -1.0, 5.0)?)?;
    }
    p.cut(&hole(0.0, 0.0, 12.0, -1.0, 16.0)?)
}

/// The slit's latch with its pivot: two parts of one assembly that must fit each other.
fn slit_latch() -> Result<Shape, ModelError> {
    let mut plate = rect(0.0, 0.0, 64.0, 34.0, 5.0, 0.0, 9.0)?;
    plate = plate.cut(&hole(18.0, 17.0, 10.0, -1.0, 10.0)?)?;
    plate = plate.cut(&rect(36.0, 12.0, 54.0, 22.0, 4.0, 3.0, 10.0)?)?;
    // A running fit: 0.04 on the diameter; the head stands 0.2 over the plate.
    let pivot = Shape::cylinder([18.0, 17.0, -8.0], UP, 4.98, 17.2)?;
    plate.beside(&pivot.fuse(&Shape::cylinder([18.0, 17.0, 9.2], UP, 8.0, 4.0)?)?)
}

/// A knob as somebody printed it: only triangles are left of it.
fn focus_knob() -> Result<Shape, ModelError> {
    let mut p = Shape::cylinder([0.0; 3], UP, 15.0, 12.0)?.fuse(&Shape::cylinder([0.0, 0.0, 12.0], UP, 9.0, 8.0)?)?;
    p = p.cut(&hole(0.0, 0.0, 6.0, -1.0, 21.0)?)?;
    for k in 0..8 {
        let a = f64::from(k) * std::f64::consts::TAU / 8.0;
        p = p.cut(&hole(17.5 * a.cos(), 17.5 * a.sin(), 8.0, -1.0, 13.0)?)?;
    }
    p.cut(&Shape::cylinder([5.0, 0.0, 16.0], [1.0, 0.0, 0.0], 1.6, 12.0)?)
}

/// Flange of the dew shield as a drawing: an outline with bulges, a ring of holes, a recess that its layer names.
const DEW_FLANGE: &str = "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n\
0\nLWPOLYLINE\n8\nOUTLINE\n90\n4\n70\n1\n10\n-45\n20\n-30\n10\n45\n20\n-30\n42\n1\n10\n45\n20\n30\n10\n-45\n20\n30\n42\n1\n\
0\nCIRCLE\n8\nOUTLINE\n10\n0\n20\n0\n30\n0\n40\n17\n\
0\nCIRCLE\n8\nPOCKET_2.5\n10\n0\n20\n0\n30\n0\n40\n22\n";

fn dew_flange() -> String {
    let mut text = DEW_FLANGE.to_string();
    for k in 0..6 {
        let a = f64::from(k) * std::f64::consts::TAU / 6.0;
        text.push_str(&format!(
            "0\nCIRCLE\n8\nSCREWS\n10\n{:.6}\n20\n{:.6}\n30\n0\n40\n2.25\n",
            26.0 * a.cos(),
            26.0 * a.sin()
        ));
    }
    text + "0\nENDSEC\n0\nEOF\n"
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let dir = std::env::args().nth(1).ok_or("give a folder")?;
    let dir = Path::new(&dir);
    for (name, part) in [
        ("encoder-bracket", encoder_bracket()?),
        ("encoder-bracket-b", encoder_bracket_b()?),
        ("shutter-lever", shutter_lever()?),
        ("worm-cover", worm_cover()?),
        ("spider-plate", spider_plate()?),
        ("eyepiece-adapter", eyepiece_adapter()?),
        ("worm-shaft", worm_shaft()?),
        ("hex-standoff", hex_standoff()?),
        ("cord-post", cord_post()?),
        ("oil-block", oil_block()?),
        ("switch-box", switch_box()?),
        ("mirror-wedge", mirror_wedge()?),
        ("dovetail-rail", dovetail_rail()?),
        ("dome-cap", dome_cap()?),
        ("slit-latch", slit_latch()?),
        ("sight-plate", sight_plate()?),
        ("pier-plate", pier_plate()?),
        ("guider-plate", guider_plate()?),
        ("finder-flange", finder_flange()?),
        ("counterweight-bar", counterweight_bar()?),
    ] {
        part.write_step(&dir.join(format!("{name}.step")))?;
        println!("{name}: {:.3} mm³", part.volume());
    }
    let knob = focus_knob()?.read(&Meshing { chord_mm: 0.02, angle_rad: 0.2 })?;
    std::fs::write(dir.join("focus-knob.stl"), intake::write_stl(&knob.vertices, &knob.triangles))?;
    std::fs::write(dir.join("dew-flange.dxf"), dew_flange())?;
    // A file as a bad copy leaves it: cut off in the middle.
    let whole = std::fs::read(dir.join("spider-plate.step"))?;
    std::fs::write(dir.join("torn-copy.step"), &whole[..whole.len() * 2 / 5])?;
    Ok(())
}
