//! Sides planned for parts with known answers: corners, deep walls, slants, drills.

use geom::{DMat3, DVec2, DVec3, Placement, Region, Slabs};
use kernel::shape::{Shape, rounded_polygon};
use part::{Part, View};
use path::motion::Move;
use reason::{Kind, Severity, Sure};
use route::{OpKind, Operation, SetupRoute, Side, plan_side};
use shop::Shop;

const BLOCK: [f64; 3] = [80.0, 50.0, 26.0];

fn read(shape: &Shape) -> Part {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("p.step");
    shape.write_step(&file).unwrap();
    Part::from_raw(&intake::read_trusted(&file).unwrap().raw).unwrap()
}

fn block() -> Shape {
    Shape::block([0.0; 3], BLOCK).unwrap()
}

/// A prism of a rectangle with rounded corners.
fn pocket(lo: [f64; 2], hi: [f64; 2], r: f64, z: [f64; 2]) -> Shape {
    let c = [([lo[0], lo[1]], r), ([hi[0], lo[1]], r), ([hi[0], hi[1]], r), ([lo[0], hi[1]], r)];
    Shape::prism(&rounded_polygon(&c), z[0], z[1]).unwrap()
}

/// The upper side of a part that lies in a block of its own size and 1.5 mm more all round, 10 mm below.
fn upper(part: &Part, shop: &Shop) -> SetupRoute {
    let view = View::new(part, Placement { turn: DMat3::IDENTITY, shift: DVec3::ZERO });
    let b = view.bounds;
    let rect = Region::rect(b.min.truncate() - 1.5, b.max.truncate() + 1.5);
    let stock = Slabs::prism(rect, b.min.z - 10.0, b.max.z + 1.0);
    let material = shop.material("aluminium-6082").unwrap();
    let through_to = Some(b.min.z - 0.4);
    plan_side(&Side { through_to, ..Side::new(&view, stock, shop, material) })
}

fn diameter(o: &Operation, shop: &Shop) -> f64 {
    shop.crib.iter().find(|t| t.number == o.tool).unwrap().diameter_mm
}

/// Where a finish cuts: the ends of its moves at feed that lie below the top.
fn feeds(o: &Operation) -> Vec<DVec2> {
    let moves = o.path.iter().flat_map(|p| &p.moves);
    moves
        .filter_map(|m| match m {
            Move::Feed { to, .. } | Move::Arc { to, .. } if to.z < BLOCK[2] - 0.5 => Some(to.truncate()),
            _ => None,
        })
        .collect()
}

#[test]
fn a_slim_cutter_finishes_only_the_corners_that_ask_for_it() {
    let shop = Shop::demo().unwrap();
    let (lo, hi) = ([5.0, 5.0], [75.0, 45.0]);
    let part = read(&block().cut(&pocket(lo, hi, 3.0, [1.2, 27.0])).unwrap());
    let r = upper(&part, &shop);
    let of = |o: &&Operation| o.kind == OpKind::Wall && o.id.contains("pocket");
    let walls: Vec<&Operation> = r.operations.iter().filter(of).collect();
    assert_eq!(walls.len(), 2, "{:?}", walls.iter().map(|o| &o.title).collect::<Vec<_>>());
    let (first, last) = (walls[0], walls[1]);
    assert!(diameter(first, &shop) > 8.0 && diameter(last, &shop) == 6.0);
    assert!(last.title.contains("corners of"), "{}", last.title);
    // The slim one stays within reach of the four corners, the larger one goes along all walls.
    let corner = |p: DVec2| {
        let near = |a: f64, b: f64| if (p.x - a).abs() < (p.x - b).abs() { a } else { b };
        let across = if (p.y - lo[1]).abs() < (p.y - hi[1]).abs() { lo[1] } else { hi[1] };
        p.distance(DVec2::new(near(lo[0], hi[0]), across))
    };
    let far = feeds(last).into_iter().map(corner).fold(0.0, Sure::at_least);
    assert!(far < 16.0, "{far:.1} mm from its corner");
    // No place of the walls is left out. The planner's stock is never less than there is: a band of hundredths does not count.
    let whole = Region::rect(lo.into(), hi.into());
    let round = whole.minus(&whole.opened(3.0, 0.001));
    let left = r.stock.between(1.3, 20.0).intersect(&whole).minus(&round.grown(0.02, 0.002));
    assert!(left.opened(0.05, 0.002).area() < 0.01, "{}", left.opened(0.05, 0.002).area());
    // It bends less than a hundredth: what both state.
    assert!([first, last].iter().all(|o| o.mill.as_ref().is_some_and(|m| m.bend < 0.0101)));
}

#[test]
fn a_corner_that_lies_open_across_is_another_sides() {
    let shop = Shop::demo().unwrap();
    // Sharp corners; one pocket runs out at +X, the other is closed.
    let open = read(&block().cut(&pocket([55.0, 13.0], [82.0, 37.0], 0.0, [11.0, 27.0])).unwrap());
    let r = upper(&open, &shop);
    let named: Vec<_> = r.named.iter().filter(|f| f.kind == Kind::NeedsOtherSide).collect();
    // One line of both corners.
    assert!(named.len() == 1 && named[0].places.len() == 2, "{:#?}", r.named);
    assert!(named.iter().all(|f| f.severity == Severity::Warn && f.what.contains("from +X it lies open")));
    assert!(r.elsewhere.len() == 1 && r.elsewhere[0].boxes.len() == 2 && r.elsewhere[0].otherwise.places.len() == 2);
    for e in &r.elsewhere {
        assert!((e.from - DVec3::X).length() < 1e-9 && e.otherwise.kind == Kind::Corner);
        assert!(e.otherwise.severity == Severity::Stop && named.iter().any(|f| e.is_named_by(f)));
        // The points handed over are in the corner: beside x = 55, at y = 13 or 37.
        let points = e.points(0.3);
        assert!(!points.is_empty());
        for p in points {
            assert!(p.x > 54.9 && p.x < 58.0 && ((p.y - 13.0).abs() < 3.0 || (p.y - 37.0).abs() < 3.0), "{p}");
        }
    }
    let closed = read(&block().cut(&pocket([30.0, 13.0], [60.0, 37.0], 0.0, [11.0, 27.0])).unwrap());
    let r = upper(&closed, &shop);
    assert!(r.elsewhere.is_empty());
    let corners: Vec<_> = r.named.iter().filter(|f| f.kind == Kind::Corner && f.severity == Severity::Stop).collect();
    assert!(corners.len() == 1 && corners[0].places.len() == 4, "{corners:#?}");
}

#[test]
fn what_stays_rough_over_a_slant_keeps_short_cutters_out() {
    let shop = Shop::demo().unwrap();
    // A roof that falls from 26 to 8 along x; a narrow slot at its foot.
    let tilt = 14.0_f64.to_radians();
    let over = Shape::block([-10.0, -10.0, 0.0], [140.0, 70.0, 60.0]).unwrap();
    let over = over.moved([0.0, 1.0, 0.0], tilt, [0.0, 0.0, 26.0]).unwrap();
    let part = read(&block().cut(&over).unwrap().cut(&pocket([60.0, 20.0], [70.0, 30.0], 2.5, [2.0, 27.0])).unwrap());
    let r = upper(&part, &shop);
    let slot: Vec<&Operation> = r.operations.iter().filter(|o| o.id.contains("@65")).collect();
    for o in r.operations.iter().filter(|o| matches!(o.kind, OpKind::Rough | OpKind::Wall | OpKind::Floor)) {
        let tool = shop.crib.iter().find(|t| t.number == o.tool).unwrap();
        let holder = tool.holder.iter().map(|h| h.diameter_mm).fold(0.0, Sure::at_least) / 2.0;
        // The block beside the slot stays as high as the roof's top: the holder must not come down into it.
        for (z0, z1, s) in r.stock.parts() {
            if z1 <= o.bottom + tool.stickout_mm + 1e-6 || z0 >= 26.0 {
                continue;
            }
            let near = feeds(o).into_iter().any(|p| s.intersect(&Region::disc(p, holder, 0.05)).area() > 1.0);
            assert!(!near, "{}: holder at {:.1} in stock up to {z1:.1}", o.title, o.bottom + tool.stickout_mm);
        }
    }
    // Either a cutter long enough makes it, or it is named.
    assert!(!slot.is_empty() || !r.named.is_empty());
}

#[test]
fn the_shortest_drill_that_reaches_is_taken() {
    let shop = Shop::demo().unwrap();
    let sixes: Vec<_> =
        shop.crib.iter().filter(|t| t.kind == shop::tool::ToolKind::Drill && t.diameter_mm == 6.0).collect();
    assert!(sixes.len() >= 2);
    let drill = |high: f64| {
        let b = Shape::block([0.0; 3], [40.0, 40.0, high]).unwrap();
        let hole = Shape::cylinder([20.0, 20.0, -1.0], [0.0, 0.0, 1.0], 3.0, high + 2.0).unwrap();
        let r = upper(&read(&b.cut(&hole).unwrap()), &shop);
        let o = r.operations.iter().find(|o| o.kind == OpKind::Drill).map(|o| o.tool);
        sixes.iter().find(|t| Some(t.number) == o).map(|t| t.flute_length_mm)
    };
    let (short, long) = (drill(20.0).unwrap(), drill(60.0).unwrap());
    assert!(short < 50.0 && long > 60.0, "{short} {long}");
}
