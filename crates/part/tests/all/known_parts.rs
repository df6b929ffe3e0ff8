//! Parts with known answers, made by our own modelling code.

use geom::{DVec2, DVec3, Placement};
use kernel::shape::{Shape, rounded_polygon};
use part::{FeatureKind, HoleEnd, Part, View, recognise};

const UP: [f64; 3] = [0.0, 0.0, 1.0];

fn part(shape: &Shape) -> Part {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("p.step");
    shape.write_step(&file).unwrap();
    Part::from_raw(&intake::read_trusted(&file).unwrap().raw).unwrap()
}

fn rect(x0: f64, y0: f64, x1: f64, y1: f64, r: f64, z0: f64, z1: f64) -> Shape {
    Shape::prism(&rounded_polygon(&[([x0, y0], r), ([x1, y0], r), ([x1, y1], r), ([x0, y1], r)]), z0, z1).unwrap()
}

/// A block with a stepped pocket, a drilled hole with its point, a stepped through hole and a chamfer.
fn sample() -> Part {
    let mut p =
        rect(0.0, 0.0, 60.0, 40.0, 0.0, 0.0, 20.0).chamfer(1.0, [-1.0, -1.0, 20.0], [61.0, 41.0, 20.0]).unwrap();
    p = p.cut(&rect(10.0, 10.0, 30.0, 30.0, 4.0, 14.0, 21.0)).unwrap();
    p = p.cut(&rect(14.0, 14.0, 26.0, 26.0, 3.0, 8.0, 21.0)).unwrap();
    let h = |x: f64, y: f64, d: f64, z0: f64, z1: f64| Shape::cylinder([x, y, z0], UP, d / 2.0, z1 - z0).unwrap();
    p = p.cut(&h(40.0, 10.0, 5.0, 10.0, 21.0)).unwrap();
    let point = 2.5 / 59f64.to_radians().tan();
    p = p.cut(&Shape::cone([40.0, 10.0, 10.0 - point], UP, 0.0, 2.5, point).unwrap()).unwrap();
    p = p.cut(&h(48.0, 28.0, 4.5, -1.0, 21.0)).unwrap().cut(&h(48.0, 28.0, 9.0, 15.0, 21.0)).unwrap();
    p = p.cut(&h(40.0, 32.0, 3.0, 12.0, 21.0)).unwrap();
    part(&p)
}

#[test]
fn floors_from_above_and_below() {
    let p = sample();
    let up = View::new(&p, Placement::IDENTITY);
    let z: Vec<f64> = up.floors().iter().map(|z| (z * 1000.0).round() / 1000.0).collect();
    assert_eq!(z, vec![20.0, 15.0, 14.0, 12.0, 8.0]);
    let down = View::new(&p, Placement::from_axes(DVec3::X, DVec3::NEG_Z));
    assert_eq!(down.floors().len(), 1);
}

#[test]
fn holes_with_their_ends() {
    let p = sample();
    let holes = View::new(&p, Placement::IDENTITY).holes();
    let find =
        |d: f64| holes.iter().find(|h| (h.diameter - d).abs() < 1e-6).unwrap_or_else(|| panic!("no Ø{d}: {holes:?}"));
    assert_eq!(find(3.0).end, HoleEnd::Flat);
    let HoleEnd::Cone { angle, tip } = find(5.0).end else { panic!("{:?}", find(5.0)) };
    assert!((angle.to_degrees() - 118.0).abs() < 1e-6 && (tip - (10.0 - 0.300_43 * 5.0)).abs() < 1e-3);
    assert_eq!((find(4.5).end, find(4.5).bottom), (HoleEnd::Open, 0.0));
    assert_eq!(find(9.0).end, HoleEnd::Step);
    assert!((find(9.0).top - 20.0).abs() < 1e-6 && (find(4.5).top - 15.0).abs() < 1e-6);
    // From below only the through hole is open, and only its narrow part.
    let below = View::new(&p, Placement::from_axes(DVec3::X, DVec3::NEG_Z)).holes();
    assert_eq!(below.len(), 1);
    assert_eq!(below[0].end, HoleEnd::Open);
}

#[test]
fn the_shadow_grows_downwards_by_what_is_there() {
    let p = sample();
    let v = View::new(&p, Placement::IDENTITY);
    let floor = 60.0 * 40.0 - std::f64::consts::PI * (2.25f64.powi(2));
    assert!((v.shadow(-0.5).area() - floor).abs() < 0.05, "{} {floor}", v.shadow(-0.5).area());
    let corner = |r: f64| (4.0 - std::f64::consts::PI) * r * r;
    let pocket = 400.0 - corner(4.0);
    let at_14 = 60.0 * 40.0 - pocket - std::f64::consts::PI * (2.5f64.powi(2) + 4.5f64.powi(2) + 1.5f64.powi(2));
    assert!((v.shadow(15.1).area() - at_14).abs() < 0.1);
    assert!(!v.shadow(15.1).contains(DVec2::new(20.0, 20.0)));
}

#[test]
fn the_chamfer_is_one_ring_of_four_edges() {
    let p = sample();
    let c = View::new(&p, Placement::IDENTITY).chamfers(3.0);
    assert_eq!(c.len(), 1);
    assert_eq!((c[0].faces.len(), c[0].low.round(), c[0].high.round()), (4, 19.0, 20.0));
    let len: f64 = c[0].lines.iter().flat_map(|l| l.windows(2)).map(|w| w[0].distance(w[1])).sum();
    assert!((len - 200.0).abs() < 1e-6);
}

/// Moved and turned, the part has the same features.
#[test]
fn features_do_not_depend_on_the_place() {
    let p = sample();
    let a = View::new(&p, Placement::IDENTITY).holes();
    let moved = Placement { shift: DVec3::new(7.3, -2.1, 11.0), ..Placement::from_axes(DVec3::NEG_Y, DVec3::Z) };
    let b = View::new(&p, moved).holes();
    let sizes = |v: &[part::Hole]| {
        v.iter()
            .map(|h| ((h.diameter * 1e4).round() as i64, ((h.top - h.bottom) * 1e4).round() as i64))
            .collect::<Vec<_>>()
    };
    assert_eq!(sizes(&a), sizes(&b));
}

#[test]
fn features_in_words_with_what_makes_them_hard() {
    let p = sample();
    let all = part::recognise(&p).features;
    let find = |what: &str| {
        all.iter()
            .find(|f| reason::plain(&f.what) == what)
            .unwrap_or_else(|| panic!("{what}: {:#?}", all.iter().map(|f| &f.what).collect::<Vec<_>>()))
    };
    // The counterbore is cut from above only.
    let bored = find("Hole Ø4.5 through, counterbore Ø9 × 5");
    assert_eq!((bored.from.as_slice(), bored.depth), (["+Z".to_string()].as_slice(), Some(20.0)));
    let drilled = find("Hole Ø5 10 deep, point 118°");
    assert!((drilled.reach.unwrap() - 2.0).abs() < 1e-6, "{:?}", drilled.reach);
    assert_eq!(find("Hole Ø3 8 deep, flat bottom").from, ["+Z"]);
    // Corner R4 at 6 deep, R3 at 12 deep; reach is depth ÷ largest cutter.
    let outer = find("Pocket 20 × 20, 6 deep, corners R4");
    assert!((outer.corner.unwrap() - 4.0).abs() < 1e-6 && (outer.reach.unwrap() - 0.75).abs() < 1e-6);
    let inner = find("Pocket 12 × 12, 6 deep, corners R3");
    assert!((inner.corner.unwrap() - 3.0).abs() < 1e-6 && (inner.reach.unwrap() - 2.0).abs() < 1e-6);
    assert_eq!(find("Chamfer 1 × 45°").faces.len(), 4);
    // Every name is its own, and every feature stands on faces of the part.
    let mut ids: Vec<&str> = all.iter().map(|f| f.id.as_str()).collect();
    ids.sort_unstable();
    let n = ids.len();
    ids.dedup();
    assert_eq!(ids.len(), n);
    for f in &all {
        assert!(!f.faces.is_empty() && f.faces.iter().all(|k| (*k as usize) < p.faces.len()), "{}", f.what);
    }
    // Nothing is left without a name.
    let named: std::collections::BTreeSet<u32> = all.iter().flat_map(|f| f.faces.iter().copied()).collect();
    assert_eq!(named.len(), p.faces.len());
}

/// A stepped shaft with a groove: its place is told from the shoulder, as it is toleranced; without a shoulder from the end only.
#[test]
fn a_groove_is_placed_from_its_shoulder() {
    let rod = |d: f64, z0: f64, z1: f64| Shape::cylinder([0.0, 0.0, z0], [0.0, 0.0, 1.0], d / 2.0, z1 - z0).unwrap();
    let groove = |z0: f64, z1: f64| rod(40.0, z0, z1).cut(&rod(17.0, z0 - 1.0, z1 + 1.0)).unwrap();
    let seen = |s: &Shape| recognise(&Part::from_raw(&s.read(&kernel::Meshing::default()).unwrap()).unwrap());
    let shaft = rod(20.0, 0.0, 40.0).fuse(&rod(30.0, 40.0, 60.0)).unwrap();
    let g = seen(&shaft.cut(&groove(30.0, 32.0)).unwrap());
    let f = g.features.iter().find(|f| f.kind == FeatureKind::Groove).unwrap();
    assert!((f.dim("from the shoulder").unwrap() - 8.0).abs() < 1e-6, "{:?}", f.dims);
    assert!(f.remarks.iter().any(|r| reason::plain(r).contains("8 mm from the nearest shoulder")), "{:?}", f.remarks);
    let plain = seen(&rod(20.0, 0.0, 60.0).cut(&groove(30.0, 32.0)).unwrap());
    let f = plain.features.iter().find(|f| f.kind == FeatureKind::Groove).unwrap();
    assert_eq!(f.dim("from the shoulder"), None);
    assert!(
        (f.dim("from the end").unwrap() - 30.0).abs() < 1e-6 || (f.dim("from the end").unwrap() - 28.0).abs() < 1e-6
    );
}
