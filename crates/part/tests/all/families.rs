//! Random parts of every sort that is no plain plate, with known answers: turned, many-sided, with slots of a form, nut pockets, patterns,
//! crossings and thin walls, lying anyhow in space.

use kernel::shape::{Shape, rounded_polygon};
use part::{BodyKind, Feature, FeatureKind, Part, Recognised, recognise};
use std::f64::consts::{PI, TAU};

const UP: [f64; 3] = [0.0, 0.0, 1.0];

struct Dice(fastrand::Rng);

impl Dice {
    fn new(seed: u64) -> Dice {
        Dice(fastrand::Rng::with_seed(seed))
    }
    /// In steps of 0.1 mm.
    fn mm(&mut self, lo: f64, hi: f64) -> f64 {
        (self.0.u64((lo * 10.0).round() as u64..=(hi * 10.0).round() as u64)) as f64 / 10.0
    }
    fn count(&mut self, lo: usize, hi: usize) -> usize {
        self.0.usize(lo..=hi)
    }
    fn unit(&mut self) -> f64 {
        self.0.f64()
    }
    /// Turned about some axis and put somewhere.
    fn anyhow(&mut self, s: &Shape) -> Shape {
        let axis = [self.unit() - 0.5, self.unit() - 0.5, self.unit() + 0.1];
        let shift = [self.mm(0.0, 50.0), self.mm(0.0, 50.0), self.mm(0.0, 50.0)];
        s.moved(axis, self.unit() * TAU, shift).unwrap()
    }
}

fn rod(d: f64, z0: f64, z1: f64) -> Shape {
    Shape::cylinder([0.0, 0.0, z0], UP, d / 2.0, z1 - z0).unwrap()
}

fn seen(s: &Shape) -> (Part, Recognised) {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("p.step");
    s.write_step(&file).unwrap();
    let p = Part::from_raw(&intake::read_trusted(&file).unwrap().raw).unwrap();
    let r = recognise(&p);
    (p, r)
}

fn of(r: &Recognised, kind: FeatureKind) -> Vec<&Feature> {
    r.features.iter().filter(|f| f.kind == kind).collect()
}

fn dim(f: &Feature, name: &str) -> f64 {
    f.dim(name).unwrap_or_else(|| panic!("{} has no {name}: {:?}", f.what, f.dims))
}

#[track_caller]
fn near(got: f64, want: f64, what: &str) {
    assert!((got - want).abs() < 1e-4, "{what}: {got} is not {want}");
}

fn all_words(r: &Recognised) -> Vec<&str> {
    r.features.iter().map(|f| f.what.as_str()).collect()
}

/// Steps of different diameters, a bore, a groove in one, a taper at the end.
#[test]
fn turned_parts_lying_anyhow() {
    for seed in 0..60 {
        let mut dice = Dice::new(seed);
        let n = dice.count(2, 5);
        let mut diameters: Vec<f64> = Vec::new();
        while diameters.len() < n {
            let d = dice.mm(16.0, 60.0);
            if diameters.iter().all(|o| (o - d).abs() > 2.5) {
                diameters.push(d);
            }
        }
        let lengths: Vec<f64> = (0..n).map(|_| dice.mm(8.0, 30.0)).collect();
        let mut z = 0.0;
        let mut shape: Option<Shape> = None;
        for (d, l) in diameters.iter().zip(&lengths) {
            let step = rod(*d, z, z + l);
            shape = Some(match shape {
                Some(s) => s.fuse(&step).unwrap(),
                None => step,
            });
            z += l;
        }
        let taper = dice.mm(3.0, 8.0);
        let last = diameters[n - 1];
        let end = Shape::cone([0.0, 0.0, z], UP, last / 2.0, last / 2.0 - 2.0, taper).unwrap();
        let mut shape = shape.unwrap().fuse(&end).unwrap();
        // In the middle of the first step, away from its ends.
        let (wide, deep) = (dice.mm(1.0, 3.0), dice.mm(1.0, 2.0));
        let at = (lengths[0] - wide) / 2.0;
        let ring = rod(100.0, at, at + wide).cut(&rod(diameters[0] - 2.0 * deep, at - 1.0, at + wide + 1.0)).unwrap();
        shape = shape.cut(&ring).unwrap();
        let bore = dice.mm(3.0, 8.0);
        shape = shape.cut(&rod(bore, -1.0, z + taper + 1.0)).unwrap();
        let (_, r) = seen(&dice.anyhow(&shape));
        assert_eq!(r.body.kind, BodyKind::Turned, "{seed}: {}", r.body.what);
        let most = diameters.iter().copied().fold(0.0, f64::max);
        let trim = |v: f64| format!("{:.2}", v).trim_end_matches('0').trim_end_matches('.').to_string();
        let words = format!("Turned, largest Ø{}, {} long", trim(most), trim(z + taper));
        assert_eq!(reason::plain(&r.body.what), words, "{seed}");
        let steps = of(&r, FeatureKind::Diameter);
        let mut narrow = 0;
        // The groove parts the first step in two.
        for (k, (d, l)) in diameters.iter().zip(&lengths).enumerate() {
            // Narrow between two larger ones it is a groove.
            let low = k > 0 && k + 1 < n && *d < diameters[k - 1].min(diameters[k + 1]);
            if low && *l < 0.6 * d {
                narrow += 1;
                continue;
            }
            let mine: f64 =
                steps.iter().filter(|f| (dim(f, "diameter") - d).abs() < 1e-4).map(|f| dim(f, "length")).sum();
            near(mine, if k == 0 { l - wide } else { *l }, &format!("{seed}: length of Ø{d}"));
        }
        let grooves = of(&r, FeatureKind::Groove);
        assert_eq!(grooves.len(), 1 + narrow, "{seed}: {:?}", all_words(&r));
        let cut = grooves.iter().find(|f| (dim(f, "diameter") - (diameters[0] - 2.0 * deep)).abs() < 1e-4).unwrap();
        near(dim(cut, "length"), wide, "groove's width");
        let tapers = of(&r, FeatureKind::Taper);
        assert_eq!(tapers.len(), 1, "{seed}: {:?}", all_words(&r));
        near(dim(tapers[0], "included angle"), (2.0 * (2.0 / taper).atan()).to_degrees(), "taper");
        let holes = of(&r, FeatureKind::Hole);
        assert_eq!(holes.len(), 1, "{seed}: {:?}", all_words(&r));
        near(dim(holes[0], "diameter"), bore, "bore");
        near(dim(holes[0], "depth"), z + taper, "bore's depth");
        assert!(of(&r, FeatureKind::Pocket).is_empty() && of(&r, FeatureKind::Step).is_empty(), "{seed}");
    }
}

/// Flats on a round: one, or two across.
#[test]
fn flats_on_rounds() {
    for seed in 0..30 {
        let mut dice = Dice::new(1000 + seed);
        let (d, l) = (dice.mm(20.0, 50.0), dice.mm(25.0, 60.0));
        let (off, from, two) = (dice.mm(0.3 * d, 0.45 * d), dice.mm(6.0, 8.0), dice.0.bool());
        let to = from + dice.mm(6.0, 12.0);
        let mut s = rod(d, 0.0, l);
        s = s.cut(&Shape::block([off, -40.0, from], [40.0, 40.0, to]).unwrap()).unwrap();
        if two {
            s = s.cut(&Shape::block([-40.0, -40.0, from], [-off, 40.0, to]).unwrap()).unwrap();
        }
        let (_, r) = seen(&dice.anyhow(&s));
        assert_eq!(r.body.kind, BodyKind::Turned, "{seed}: {}", r.body.what);
        let flats = of(&r, FeatureKind::Flat);
        assert_eq!(flats.len(), if two { 2 } else { 1 }, "{seed}: {:?}", all_words(&r));
        for f in flats {
            near(dim(f, "from the axis"), off, "flat");
            near(dim(f, "length"), to - from, "flat's length");
            assert_eq!(f.dim("across flats").is_some(), two, "{seed}");
            if two {
                near(dim(f, "across flats"), 2.0 * off, "across flats");
            }
        }
    }
}

#[test]
fn bars_of_many_sides() {
    for seed in 0..40 {
        let mut dice = Dice::new(2000 + seed);
        let n = [5, 6, 6, 7, 8][dice.count(0, 4)];
        let (across, l) = (dice.mm(10.0, 40.0), dice.mm(15.0, 60.0));
        let r = across / 2.0 / (PI / n as f64).cos();
        let corners: Vec<([f64; 2], f64)> =
            (0..n).map(|k| TAU * k as f64 / n as f64).map(|a| ([r * a.cos(), r * a.sin()], 0.0)).collect();
        let mut s = Shape::prism(&rounded_polygon(&corners), 0.0, l).unwrap();
        let stud = dice.mm(4.0, 0.8 * across);
        let out = dice.mm(4.0, 15.0);
        s = s.fuse(&rod(stud, l, l + out)).unwrap();
        let bore = dice.mm(2.0, stud - 1.5);
        s = s.cut(&rod(bore, -1.0, l + out + 1.0)).unwrap();
        let (_, seen) = seen(&dice.anyhow(&s));
        let b = &seen.body;
        assert_eq!(b.kind, if n == 6 { BodyKind::Hexagon } else { BodyKind::ManySided }, "{seed}: {}", b.what);
        assert_eq!(b.sides, n);
        near(b.across.unwrap(), across, "across flats");
        let axis = b.axis.unwrap().direction;
        let hole = of(&seen, FeatureKind::Hole);
        assert_eq!(hole.len(), 1, "{seed}: {:?}", all_words(&seen));
        near(dim(hole[0], "diameter"), bore, "bore");
        assert!(hole[0].axis.unwrap().direction.dot(axis).abs() > 1.0 - 1e-9);
    }
}

fn slab(dice: &mut Dice) -> (Shape, [f64; 3]) {
    let size = [dice.mm(60.0, 100.0), dice.mm(50.0, 80.0), dice.mm(25.0, 40.0)];
    (Shape::block([0.0; 3], size).unwrap(), size)
}

#[test]
fn slots_of_a_form_name_their_cutter() {
    for seed in 0..40 {
        let mut dice = Dice::new(3000 + seed);
        let (s, [x, y, z]) = slab(&mut dice);
        let mid = y / 2.0;
        let (deep, neck) = (dice.mm(8.0, 14.0), dice.mm(6.0, 12.0));
        let (_, r) = if dice.0.bool() {
            let (wide, high) = (neck + dice.mm(4.0, 10.0), dice.mm(3.0, 5.0));
            let mouth = Shape::block([-1.0, mid - neck / 2.0, z - deep], [x + 1.0, mid + neck / 2.0, z + 1.0]).unwrap();
            let head =
                Shape::block([-1.0, mid - wide / 2.0, z - deep], [x + 1.0, mid + wide / 2.0, z - deep + high]).unwrap();
            let found = seen(&s.cut(&mouth.fuse(&head).unwrap()).unwrap());
            let slots = of(&found.1, FeatureKind::TSlot);
            assert_eq!(slots.len(), 1, "{seed}: {:?}", all_words(&found.1));
            let f = slots[0];
            near(dim(f, "width"), wide, "head");
            near(dim(f, "height"), high, "head's height");
            near(dim(f, "neck width"), neck, "neck");
            near(dim(f, "depth"), deep, "depth");
            near(dim(f, "length"), x, "length");
            assert!(f.cutter.as_ref().unwrap().contains("T-slot cutter") && f.form.is_some(), "{seed}: {:?}", f.cutter);
            found
        } else {
            let angle = [45.0_f64, 55.0, 60.0][dice.count(0, 2)];
            let lean = deep / angle.to_radians().tan();
            let low = neck + 2.0 * lean;
            let outline = [
                ([mid - neck / 2.0, z], 0.0),
                ([mid - low / 2.0, z - deep], 0.0),
                ([mid + low / 2.0, z - deep], 0.0),
                ([mid + neck / 2.0, z], 0.0),
            ];
            // Drawn in (y, z) and laid along x.
            let tail = Shape::prism(&rounded_polygon(&outline), -1.0, x + 1.0).unwrap();
            let tail = tail.moved([1.0, 1.0, 1.0], TAU / 3.0, [0.0; 3]).unwrap();
            let found = seen(&s.cut(&tail).unwrap());
            let slots: Vec<&Feature> = found.1.features.iter().filter(|f| f.what.starts_with("Dovetail")).collect();
            assert_eq!(slots.len(), 1, "{seed}: {:?}", all_words(&found.1));
            near(dim(slots[0], "angle"), angle, "angle");
            near(dim(slots[0], "width"), low, "width at the floor");
            near(dim(slots[0], "depth"), deep, "depth");
            assert!(slots[0].cutter.as_ref().unwrap().contains("dovetail cutter"), "{seed}: {:?}", slots[0].cutter);
            found
        };
        assert!(of(&r, FeatureKind::Slot).is_empty() && of(&r, FeatureKind::Step).is_empty(), "{:?}", all_words(&r));
    }
}

/// Widths across flats of hexagon nuts: ISO 4032 (from memory, 95 %).
const NUTS: [(&str, f64, f64); 6] =
    [("M3", 5.5, 3.4), ("M4", 7.0, 4.5), ("M5", 8.0, 5.5), ("M6", 10.0, 6.6), ("M8", 13.0, 9.0), ("M10", 16.0, 11.0)];

#[test]
fn pockets_for_nuts_with_their_holes() {
    for seed in 0..40 {
        let mut dice = Dice::new(4000 + seed);
        let (s, [x, y, z]) = slab(&mut dice);
        let (name, nut, hole) = NUTS[dice.count(0, 5)];
        let (across, deep) = (nut + dice.mm(0.1, 0.2), dice.mm(3.0, 9.0));
        let turned = dice.unit() * TAU;
        let r = across / 2.0 / (PI / 6.0).cos();
        let (px, py) = (x / 2.0, y / 2.0);
        let corners: Vec<([f64; 2], f64)> = (0..6)
            .map(|k| turned + TAU * f64::from(k) / 6.0)
            .map(|a| ([px + r * a.cos(), py + r * a.sin()], 0.0))
            .collect();
        let pocket = Shape::prism(&rounded_polygon(&corners), z - deep, z + 1.0).unwrap();
        let bore = Shape::cylinder([px, py, -1.0], UP, hole / 2.0, z + 2.0).unwrap();
        let (_, r) = seen(&s.cut(&pocket).unwrap().cut(&bore).unwrap());
        let nuts = of(&r, FeatureKind::NutPocket);
        assert_eq!(nuts.len(), 1, "{seed}: {:?}", all_words(&r));
        near(dim(nuts[0], "across flats"), across, "across flats");
        near(dim(nuts[0], "depth"), deep, "depth");
        near(dim(nuts[0], "hole diameter"), hole, "hole");
        assert!(nuts[0].what.contains(&format!("nut {name},")), "{seed}: {}", nuts[0].what);
        assert!(of(&r, FeatureKind::Hole).is_empty(), "{seed}: the hole belongs to the pocket: {:?}", all_words(&r));
    }
}

#[test]
fn circles_grids_and_lines_of_holes() {
    for seed in 0..40 {
        let mut dice = Dice::new(5000 + seed);
        let s = Shape::block([0.0; 3], [120.0, 120.0, 10.0]).unwrap();
        let d = dice.mm(3.0, 6.0);
        let circle = dice.0.bool();
        let mut at: Vec<[f64; 2]> = Vec::new();
        let (n, r, first) = (dice.count(3, 9), dice.mm(20.0, 50.0), dice.unit() * TAU);
        let (columns, rows, px, py) = (dice.count(2, 4), dice.count(1, 3), dice.mm(12.0, 25.0), dice.mm(12.0, 30.0));
        if circle {
            at.extend(
                (0..n).map(|k| first + TAU * k as f64 / n as f64).map(|a| [60.0 + r * a.cos(), 60.0 + r * a.sin()]),
            );
        } else {
            let columns = if rows == 1 { columns.max(3) } else { columns };
            for i in 0..columns {
                at.extend((0..rows).map(|j| [15.0 + i as f64 * px, 15.0 + j as f64 * py]));
            }
        }
        let s =
            at.iter().fold(s, |s, p| s.cut(&Shape::cylinder([p[0], p[1], -1.0], UP, d / 2.0, 12.0).unwrap()).unwrap());
        let (_, r_) = seen(&s);
        assert_eq!(of(&r_, FeatureKind::Hole).len(), at.len(), "{seed}");
        let p = of(&r_, FeatureKind::Pattern);
        assert_eq!(p.len(), 1, "{seed}: {:?}", all_words(&r_));
        assert_eq!(p[0].of.len(), at.len());
        assert!(p[0].what.starts_with(&format!("{} × Hole", at.len())), "{}", p[0].what);
        // Four on a circle are a square, three a grid's corner: either name is right, its numbers must be.
        if circle && n > 4 {
            near(dim(p[0], "circle diameter"), 2.0 * r, "circle");
            near(dim(p[0], "step"), 360.0 / n as f64, "step");
            near(dim(p[0], "count"), n as f64, "count");
        } else if !circle && rows == 1 {
            near(dim(p[0], "pitch"), px, "pitch");
        } else if !circle && columns > 2 && rows > 1 {
            let mut got = [dim(p[0], "pitch"), dim(p[0], "row pitch")];
            let mut want = [px, py];
            got.sort_by(f64::total_cmp);
            want.sort_by(f64::total_cmp);
            near(got[0], want[0], "pitch");
            near(got[1], want[1], "row pitch");
        }
    }
}

/// Two equal holes that meet at an angle are open to each other over D ÷ tan(θ/2) along each (the brief's formula; plane geometry).
#[test]
fn crossing_holes_at_any_angle() {
    for seed in 0..30 {
        let mut dice = Dice::new(6000 + seed);
        let (d, theta) = (dice.mm(4.0, 8.0), (12.0 + 78.0 * dice.unit()).to_radians());
        let s = Shape::block([0.0; 3], [200.0, 120.0, 30.0]).unwrap();
        let meet = [100.0, 60.0, 15.0];
        let s = s.cut(&Shape::cylinder([-1.0, 60.0, 15.0], [1.0, 0.0, 0.0], d / 2.0, 202.0).unwrap()).unwrap();
        let dir = [theta.cos(), theta.sin(), 0.0];
        let from = [meet[0] - 300.0 * dir[0], meet[1] - 300.0 * dir[1], meet[2]];
        let s = s.cut(&Shape::cylinder(from, dir, d / 2.0, 600.0).unwrap()).unwrap();
        let (_, r) = seen(&s);
        let c = of(&r, FeatureKind::Crossing);
        assert_eq!(c.len(), 1, "{seed}: {:?}", all_words(&r));
        near(dim(c[0], "angle"), theta.to_degrees(), "angle");
        near(dim(c[0], "axes apart"), 0.0, "axes");
        let wanted = d / (theta / 2.0).tan();
        for name in ["open along the first", "open along the second"] {
            let got = dim(c[0], name);
            assert!((got / wanted - 1.0).abs() < 0.02, "{seed}: {name} {got} {wanted} at {}°", theta.to_degrees());
        }
        assert_eq!(of(&r, FeatureKind::Hole).len(), 2, "{seed}: {:?}", all_words(&r));
    }
}

#[test]
fn thin_walls_and_floors_have_their_ratio() {
    for seed in 0..30 {
        let mut dice = Dice::new(7000 + seed);
        let (wall, floor, high) = (dice.mm(0.8, 1.6), dice.mm(0.8, 1.5), dice.mm(18.0, 30.0));
        let (x, y) = (dice.mm(60.0, 80.0), dice.mm(50.0, 70.0));
        // One wall is thin, the others are stout.
        let s = Shape::block([0.0; 3], [x, y, floor + high]).unwrap();
        let s = s.cut(&Shape::block([wall, 10.0, floor], [x - 10.0, y - 10.0, 99.0]).unwrap()).unwrap();
        let (_, r) = seen(&s);
        let thin: Vec<&Feature> =
            of(&r, FeatureKind::Wall).into_iter().filter(|f| (dim(f, "thickness") - wall).abs() < 1e-4).collect();
        assert_eq!(thin.len(), 1, "{seed}: {:?}", all_words(&r));
        near(dim(thin[0], "height"), high, "height");
        // Thickness to height of 1 : 10 is the limit (common practice, no source).
        assert_eq!(thin[0].hardness() >= 1.0, high / wall >= 10.0, "{seed}: {wall} × {high}");
        let floors = of(&r, FeatureKind::Floor);
        assert_eq!(floors.len(), 1, "{seed}: {:?}", all_words(&r));
        near(dim(floors[0], "thickness"), floor, "floor");
    }
}
