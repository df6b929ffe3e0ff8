//! Random plates whose features are known: recognised exactly, and a change of one size changes that feature alone.

use kernel::Meshing;
use kernel::shape::{Shape, rounded_polygon};
use part::{Feature, FeatureKind, Part, purposes, recognise};
use rayon::prelude::*;
use std::collections::BTreeMap;
use std::f64::consts::PI;

/// Seeds that every run takes; `GOLDCHIP_PLATES=0..1000` takes others.
const SEEDS: std::ops::Range<u64> = 0..200;

const UP: [f64; 3] = [0.0, 0.0, 1.0];

/// Splitmix64 (Steele, Lea and Flood 2014): small, seeded, the same everywhere.
struct Dice(u64);

impl Dice {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }
    /// In steps of 0.1 mm.
    fn length(&mut self, lo: f64, hi: f64) -> f64 {
        let n = ((hi - lo) * 10.0).round() as u64 + 1;
        lo + (self.next() % n) as f64 / 10.0
    }
    fn pick<T: Copy>(&mut self, list: &[T]) -> T {
        list[(self.next() % list.len() as u64) as usize]
    }
}

#[derive(Debug, Clone, Copy)]
enum Cut {
    Through { d: f64 },
    Drilled { d: f64, deep: f64, point: f64 },
    Flat { d: f64, deep: f64 },
    Bored { d: f64, wide: f64, deep: f64 },
    Sunk { d: f64, wide: f64, angle: f64 },
    Pocket { l: f64, w: f64, deep: f64, r: f64 },
    Island { l: f64, w: f64, deep: f64, r: f64, island: f64 },
    Round { l: f64, w: f64, deep: f64 },
    Window { l: f64, w: f64, r: f64 },
    Nut { across: f64, deep: f64, d: f64 },
    Inclined { d: f64, angle: f64 },
    Below { l: f64, w: f64, deep: f64, r: f64 },
}

impl Cut {
    fn any(dice: &mut Dice, thick: f64) -> Cut {
        let deep = dice.length(2.0, thick - 2.0);
        let (l, w) = (dice.length(17.0, 24.0), dice.length(9.0, 16.0));
        let r = dice.length(1.5, 4.0);
        match dice.next() % 12 {
            0 => Cut::Through { d: dice.length(2.0, 20.0) },
            1 => Cut::Drilled {
                d: dice.length(2.0, 9.0),
                deep: dice.length(2.0, thick - 6.0),
                point: dice.pick(&[118.0, 120.0, 135.0, 140.0]),
            },
            2 => Cut::Flat { d: dice.length(3.0, 18.0), deep },
            3 => {
                let d = dice.length(3.0, 10.0);
                Cut::Bored { d, wide: d + dice.length(1.5, 8.0), deep }
            }
            4 => {
                let d = dice.length(3.0, 7.0);
                Cut::Sunk { d, wide: d + dice.length(3.0, 5.0), angle: dice.pick(&[82.0, 90.0, 120.0]) }
            }
            5 => Cut::Pocket { l, w, deep, r },
            6 => Cut::Island { l, w: w.max(13.0), deep, r, island: dice.length(2.0, 4.0) },
            7 => Cut::Round { l, w: dice.length(4.0, 10.0), deep },
            8 => Cut::Window { l, w, r },
            9 => Cut::Nut {
                across: dice.pick(&[7.0, 8.0, 10.0, 13.0]),
                deep: dice.length(2.0, 5.0),
                d: dice.length(3.0, 5.0),
            },
            10 => Cut::Inclined { d: dice.length(2.0, 5.0), angle: dice.pick(&[10.0, 15.0, 20.0, 30.0]) },
            _ => Cut::Below { l, w, deep, r },
        }
    }

    fn tool(&self, x: f64, y: f64, thick: f64) -> Vec<Shape> {
        let top = thick + 1.0;
        let rod = |d: f64, z0: f64, z1: f64| Shape::cylinder([x, y, z0], UP, d / 2.0, z1 - z0).unwrap();
        let bar = |l: f64, w: f64, r: f64, z0: f64, z1: f64| {
            let c = [
                ([x - l / 2.0, y - w / 2.0], r),
                ([x + l / 2.0, y - w / 2.0], r),
                ([x + l / 2.0, y + w / 2.0], r),
                ([x - l / 2.0, y + w / 2.0], r),
            ];
            Shape::prism(&rounded_polygon(&c), z0, z1).unwrap()
        };
        match *self {
            Cut::Through { d } => vec![rod(d, -1.0, top)],
            Cut::Drilled { d, deep, point } => {
                let tip = d / 2.0 / (point.to_radians() / 2.0).tan();
                vec![rod(d, thick - deep, top), Shape::cone([x, y, thick - deep - tip], UP, 0.0, d / 2.0, tip).unwrap()]
            }
            Cut::Flat { d, deep } => vec![rod(d, thick - deep, top)],
            Cut::Bored { d, wide, deep } => vec![rod(d, -1.0, top), rod(wide, thick - deep, top)],
            Cut::Sunk { d, wide, angle } => {
                let h = (wide - d) / 2.0 / (angle.to_radians() / 2.0).tan();
                vec![rod(d, -1.0, top), Shape::cone([x, y, thick - h], UP, d / 2.0, wide / 2.0, h).unwrap()]
            }
            Cut::Pocket { l, w, deep, r } => vec![bar(l, w, r, thick - deep, top)],
            Cut::Island { l, w, deep, r, island } => {
                let p = bar(l, w, r, thick - deep, top);
                vec![p.cut(&rod(island, 0.0, top + 1.0)).unwrap()]
            }
            // A hair less than half, so that the outline keeps its straight ends out.
            Cut::Round { l, w, deep } => {
                let (a, b) = (x - (l - w) / 2.0, x + (l - w) / 2.0);
                let end = |c: f64| Shape::cylinder([c, y, thick - deep], UP, w / 2.0, deep + 1.0).unwrap();
                vec![
                    Shape::block([a, y - w / 2.0, thick - deep], [b, y + w / 2.0, top])
                        .unwrap()
                        .fuse(&end(a))
                        .unwrap()
                        .fuse(&end(b))
                        .unwrap(),
                ]
            }
            Cut::Window { l, w, r } => vec![bar(l, w, r, -1.0, top)],
            Cut::Nut { across, deep, d } => {
                let r = across / 2.0 / (PI / 6.0).cos();
                let hex: Vec<([f64; 2], f64)> = (0..6)
                    .map(|k| f64::from(k) * PI / 3.0)
                    .map(|a| ([x + r * a.cos(), y + r * a.sin()], 0.0))
                    .collect();
                vec![Shape::prism(&rounded_polygon(&hex), thick - deep, top).unwrap(), rod(d, -1.0, top)]
            }
            Cut::Inclined { d, angle } => {
                let a = angle.to_radians();
                let n = [a.sin(), 0.0, a.cos()];
                let from = [x - 40.0 * n[0], y, thick / 2.0 - 40.0 * n[2]];
                vec![Shape::cylinder(from, n, d / 2.0, 80.0).unwrap()]
            }
            Cut::Below { l, w, deep, r } => vec![bar(l, w, r, -1.0, deep)],
        }
    }

    /// Kind and own sizes, as they must come out.
    fn expected(&self, thick: f64) -> (FeatureKind, Vec<(&'static str, f64)>) {
        use FeatureKind as K;
        match *self {
            Cut::Through { d } => (K::Hole, vec![("diameter", d), ("depth", thick)]),
            Cut::Drilled { d, deep, point } => {
                (K::Hole, vec![("diameter", d), ("depth", deep), ("point angle", point)])
            }
            Cut::Flat { d, deep } => (K::Hole, vec![("diameter", d), ("depth", deep)]),
            Cut::Bored { d, wide, deep } => (
                K::Hole,
                vec![("diameter", d), ("depth", thick), ("counterbore diameter", wide), ("counterbore depth", deep)],
            ),
            Cut::Sunk { d, wide, angle } => (
                K::Hole,
                vec![("diameter", d), ("depth", thick), ("countersink diameter", wide), ("countersink angle", angle)],
            ),
            Cut::Pocket { l, w, deep, r } | Cut::Below { l, w, deep, r } => {
                (K::Pocket, vec![("length", l), ("width", w), ("depth", deep), ("corner radius", r)])
            }
            Cut::Island { l, w, deep, r, .. } => {
                (K::Pocket, vec![("length", l), ("width", w), ("depth", deep), ("corner radius", r), ("islands", 1.0)])
            }
            Cut::Round { l, w, deep } => {
                (K::Slot, vec![("length", l), ("width", w), ("depth", deep), ("corner radius", w / 2.0)])
            }
            Cut::Window { l, w, r } => {
                (K::CutOut, vec![("length", l), ("width", w), ("depth", thick), ("corner radius", r)])
            }
            Cut::Nut { across, deep, d } => {
                (K::NutPocket, vec![("across flats", across), ("depth", deep), ("hole diameter", d)])
            }
            Cut::Inclined { d, angle } => {
                let tilt = angle.to_radians();
                // From the highest point of the mouth to the lowest of the exit, along the axis.
                (
                    K::Hole,
                    vec![
                        ("diameter", d),
                        ("depth", thick / tilt.cos() + d * tilt.tan()),
                        ("entry tilt", angle),
                        ("exit tilt", angle),
                    ],
                )
            }
        }
    }

    /// One size other than before.
    fn changed(self) -> Cut {
        match self {
            Cut::Through { d } => Cut::Through { d: d + 0.5 },
            Cut::Drilled { d, deep, point } => Cut::Drilled { d, deep: deep + 0.7, point },
            Cut::Flat { d, deep } => Cut::Flat { d: d + 0.3, deep },
            Cut::Bored { d, wide, deep } => Cut::Bored { d, wide: wide + 0.4, deep },
            Cut::Sunk { d, wide, angle } => Cut::Sunk { d, wide: wide + 0.2, angle },
            Cut::Pocket { l, w, deep, r } => Cut::Pocket { l, w, deep: deep + 0.3, r },
            Cut::Below { l, w, deep, r } => Cut::Below { l, w, deep, r: r + 0.2 },
            Cut::Island { l, w, deep, r, island } => Cut::Island { l: l + 0.5, w, deep, r, island },
            Cut::Round { l, w, deep } => Cut::Round { l: l + 0.4, w, deep },
            Cut::Window { l, w, r } => Cut::Window { l, w: w + 0.3, r },
            Cut::Nut { across, deep, d } => Cut::Nut { across, deep: deep + 0.4, d },
            Cut::Inclined { d, angle } => Cut::Inclined { d: d + 0.2, angle },
        }
    }
}

const MESHING: Meshing = Meshing { chord_mm: 0.01, angle_rad: 0.3 };

struct Plate {
    thick: f64,
    /// Cuts at their places.
    cuts: Vec<(Cut, f64, f64)>,
}

impl Plate {
    fn of(seed: u64) -> Plate {
        let mut dice = Dice(seed);
        let thick = dice.length(8.0, 22.0);
        let cuts = (0..6)
            .map(|k| (Cut::any(&mut dice, thick), 20.0 + 40.0 * f64::from(k % 3), 16.0 + 36.0 * f64::from(k / 3)))
            .collect();
        Plate { thick, cuts }
    }

    fn shape(&self) -> Shape {
        let o = rounded_polygon(&[([0.0, 0.0], 2.0), ([120.0, 0.0], 2.0), ([120.0, 68.0], 2.0), ([0.0, 68.0], 2.0)]);
        let mut p = Shape::prism(&o, 0.0, self.thick).unwrap();
        for (c, x, y) in &self.cuts {
            for t in c.tool(*x, *y, self.thick) {
                p = p.cut(&t).unwrap();
            }
        }
        p
    }

    fn part(&self) -> Part {
        Part::from_raw(&self.shape().read(&MESHING).unwrap()).unwrap()
    }

    /// The same plate out of a file in which every face and edge is a spline.
    fn stored_as_splines(&self) -> Part {
        let file = tempfile::Builder::new().suffix(".step").tempfile().unwrap();
        self.shape().as_splines().unwrap().write_step(file.path()).unwrap();
        let model = intake::read_here(file.path(), &intake::Reading::default(), &MESHING).unwrap();
        Part::from_model(&model, &intake::Reading::default()).unwrap()
    }
}

const KINDS: [FeatureKind; 9] = [
    FeatureKind::Hole,
    FeatureKind::NutPocket,
    FeatureKind::Pocket,
    FeatureKind::Slot,
    FeatureKind::Step,
    FeatureKind::CutOut,
    FeatureKind::TSlot,
    FeatureKind::Undercut,
    FeatureKind::Corner,
];

fn key(kind: FeatureKind, dims: &[(String, f64)]) -> String {
    let mut d: Vec<String> = dims.iter().map(|(n, v)| format!("{n} {:.3}", (v * 1e3).round() / 1e3 + 0.0)).collect();
    d.sort();
    format!("{kind:?}: {}", d.join(", "))
}

fn own(f: &Feature) -> String {
    key(f.kind, &f.dims.iter().map(|d| (d.name.clone(), d.value)).collect::<Vec<_>>())
}

fn count(list: impl Iterator<Item = String>) -> BTreeMap<String, usize> {
    let mut out = BTreeMap::new();
    for k in list {
        *out.entry(k).or_insert(0) += 1;
    }
    out
}

fn seeds() -> std::ops::Range<u64> {
    let Ok(text) = std::env::var("GOLDCHIP_PLATES") else { return SEEDS };
    let (a, b) = text.split_once("..").expect("GOLDCHIP_PLATES is like 0..1000");
    a.parse().unwrap()..b.parse().unwrap()
}

fn wrong(plate: &Plate, part: &Part) -> Option<String> {
    let want = count(plate.cuts.iter().map(|(c, ..)| {
        let (k, d) = c.expected(plate.thick);
        key(k, &d.iter().map(|(n, v)| (n.to_string(), *v)).collect::<Vec<_>>())
    }));
    let seen = recognise(part);
    let got = count(seen.features.iter().filter(|f| KINDS.contains(&f.kind)).map(own));
    (want != got).then(|| format!("{:?}\nwanted {want:#?}\ngot    {got:#?}", plate.cuts))
}

#[test]
fn random_plates_are_recognised_exactly() {
    let all: Vec<(u64, String)> = plates(|p| p.part(), 1);
    assert!(all.is_empty(), "{} plates are wrong, the first is seed {}: {}", all.len(), all[0].0, all[0].1);
}

fn plates(part: impl Fn(&Plate) -> Part + Sync, every: u64) -> Vec<(u64, String)> {
    let few = seeds().into_par_iter().filter(|s| s.is_multiple_of(every));
    few.map(|s| (s, Plate::of(s))).filter_map(|(s, p)| wrong(&p, &part(&p)).map(|w| (s, w))).collect()
}

/// A hole is a hole however its file stores its wall.
#[test]
fn plates_stored_as_splines_are_recognised_just_as_well() {
    let all = plates(
        |p| {
            let part = p.stored_as_splines();
            assert!(part.faces.iter().all(|f| f.recognised.is_some_and(|off| off < 1e-5)), "all faces were splines");
            part
        },
        4,
    );
    assert!(all.is_empty(), "{} plates are wrong, the first is seed {}: {}", all.len(), all[0].0, all[0].1);
}

#[test]
fn one_changed_size_changes_that_feature_alone() {
    let bad: Vec<String> = seeds()
        .into_par_iter()
        .filter(|s| s.is_multiple_of(4))
        .filter_map(|s| {
            let before = Plate::of(s);
            let mut after = Plate::of(s);
            let k = (s as usize / 4) % after.cuts.len();
            after.cuts[k].0 = after.cuts[k].0.changed();
            let at = |p: &Plate| {
                let seen = recognise(&p.part());
                let mut v: Vec<(String, String)> = seen
                    .features
                    .iter()
                    .filter(|f| KINDS.contains(&f.kind))
                    .map(|f| {
                        let m = |k: usize| (f.place.min_mm[k] + f.place.max_mm[k]) / 2.0;
                        // Which cell of the plate it lies in.
                        let cell = ((m(0) - 20.0) / 40.0).round() as i64 + 3 * ((m(1) - 16.0) / 36.0).round() as i64;
                        (format!("{cell}"), format!("{} from {:?}", own(f), f.from))
                    })
                    .collect();
                v.sort();
                v
            };
            let (a, b) = (at(&before), at(&after));
            let differ: Vec<&String> = a.iter().filter(|x| !b.contains(x)).map(|x| &x.0).collect();
            (a.len() != b.len() || differ != [&format!("{k}")]).then(|| format!("seed {s}, cell {k}: {a:#?}\n{b:#?}"))
        })
        .collect();
    assert!(bad.is_empty(), "{}: {}", bad.len(), bad[0]);
}

/// Blind holes at the tap drills of coarse threads, as deep as threads are: the thread stands first.
#[test]
fn tapped_holes_are_known_by_their_drills() {
    for t in shop::standards::threads().iter().filter(|t| t.common && t.name.starts_with('M')) {
        if !["M3", "M4", "M5", "M6", "M8", "M10", "M12"].contains(&t.name.as_str()) {
            continue;
        }
        let plate = Plate {
            thick: 30.0,
            cuts: vec![(Cut::Drilled { d: t.drills[0], deep: (2.0 * t.major).min(22.0), point: 118.0 }, 20.0, 16.0)],
        };
        let seen = recognise(&plate.part());
        let hole = seen.features.iter().find(|f| f.kind == FeatureKind::Hole).unwrap();
        let ranked = purposes(hole, 1);
        assert_eq!(ranked[0].key, format!("tap {}", t.name), "{ranked:#?}");
        assert!(!ranked[0].reasons.is_empty() && !ranked[0].source.is_empty() && ranked[0].terms.len() >= 4);
    }
    // ISO 273 medium through holes, four alike (from memory, 90 %).
    for (d, screw) in [(3.4, "M3"), (4.5, "M4"), (5.5, "M5"), (6.6, "M6"), (9.0, "M8"), (11.0, "M10")] {
        let plate = Plate { thick: 10.0, cuts: vec![(Cut::Through { d }, 20.0, 16.0)] };
        let seen = recognise(&plate.part());
        let hole = seen.features.iter().find(|f| f.kind == FeatureKind::Hole).unwrap();
        assert_eq!(purposes(hole, 4)[0].key, format!("clear {screw} medium"));
    }
}
