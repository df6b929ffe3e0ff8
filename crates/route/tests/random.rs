//! First sides of random parts: what must hold of every operation, and how near the minutes come to the least there can be.

#[path = "../../job/tests/family/mod.rs"]
mod family;

use geom::{DVec3, Remains};
use holding::{Choice, Scheme};
use part::{Part, View};
use path::motion::Move;
use rayon::prelude::*;
use route::{OpKind, Operation, SetupRoute, Side, bound, plan_side};
use shop::Shop;

const SEEDS: std::ops::Range<u64> = 2000..2040;

fn read(seed: u64) -> Option<Part> {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("p.step");
    family::part(seed).unwrap().write_step(&file).unwrap();
    // Some seeds give solids that no reader meshes whole.
    Part::from_raw(&intake::read_trusted(&file).unwrap().raw).ok()
}

/// The first side of a part, and the least minutes of it.
fn first(part: &Part, hold: &Scheme, shop: &Shop) -> (SetupRoute, route::Bound) {
    planned(part, hold, 0, &Remains::of(hold.stock), shop, "aluminium-6082")
}

/// One side from the stock as it comes to it, and the least minutes of it.
fn planned(
    part: &Part,
    hold: &Scheme,
    k: usize,
    stock: &Remains,
    shop: &Shop,
    material: &str,
) -> (SetupRoute, route::Bound) {
    let held = &hold.setups[k];
    let view = View::new(part, held.part_from_work.inverse());
    let seen = stock.seen_in(&held.part_from_work);
    let through_to = (k == 0).then_some(view.bounds.min.z - 0.4);
    let side = Side { name: &held.name, through_to, ..Side::new(&view, seen, shop, shop.material(material).unwrap()) };
    (plan_side(&side), bound(&side))
}

/// Minutes at feed and at rapid, and of calling cutters; no acceleration.
fn minutes(ops: &[Operation], shop: &Shop) -> f64 {
    let m = &shop.machine;
    let mut at = DVec3::ZERO;
    let (mut sum, mut tool) = (0.0, 0);
    for o in ops {
        if o.tool != tool {
            (sum, tool) = (sum + m.tool_change_min, o.tool);
        }
        for step in o.path.iter().flat_map(|p| &p.moves) {
            let (way, to) = step.way(at);
            sum += match step {
                Move::Rapid { .. } => way / m.rapid_mm_min,
                Move::Feed { feed, .. } | Move::Arc { feed, .. } => way / feed,
                Move::Drill { at: holes, clear, start, bottom, feed, .. } => {
                    let back = holes.len() as f64 * (clear - start + clear - bottom);
                    way / feed + back / m.rapid_mm_min
                }
                Move::State { .. } => 0.0,
            };
            at = to;
        }
    }
    sum
}

/// What is wrong with an operation, if anything.
fn fault(o: &Operation, shop: &Shop, low: f64) -> Option<String> {
    let tool = shop.crib.iter().find(|t| t.number == o.tool)?;
    let path = o.path.as_ref()?;
    let m = &shop.machine;
    if !(path.rpm.is_finite() && path.rpm <= m.rpm_max && path.rpm > 0.0) {
        return Some(format!("{} 1/min", path.rpm));
    }
    if !matches!(path.moves.first(), Some(Move::Rapid { .. } | Move::Drill { .. } | Move::State { .. })) {
        return Some("it begins at feed".into());
    }
    if let Some(mill) = &o.mill {
        let numbers =
            [mill.rpm.value, mill.feed.value, mill.ap.value, mill.ae, mill.power_kw, mill.side_n, mill.deflection_mm];
        if numbers.iter().any(|v| !v.is_finite()) {
            return Some(format!("{numbers:?}"));
        }
        // The stated depth lies within flutes and within what each limit allows.
        if mill.ap.value > tool.flute_length_mm + 1e-9 || mill.ap.bounds.iter().any(|b| b.allows < mill.ap.value - 1e-6)
        {
            return Some(format!("depth {} of {:?}", mill.ap.value, mill.ap.bounds));
        }
        if mill.power_kw > m.usable_kw(mill.rpm.value) + 1e-6 {
            return Some(format!("{} kW", mill.power_kw));
        }
    }
    for step in &path.moves {
        let (to, feed) = match step {
            Move::Rapid { to } => (*to, 1.0),
            Move::Feed { to, feed } | Move::Arc { to, feed, .. } => (*to, *feed),
            Move::Drill { bottom, feed, at, .. } => (at.first()?.extend(*bottom), *feed),
            Move::State { engagement_limit, .. } => {
                if engagement_limit.is_some_and(|l| !(0.0..=6.29).contains(&l)) {
                    return Some(format!("it promises {engagement_limit:?} rad"));
                }
                continue;
            }
        };
        if !to.is_finite() || !feed.is_finite() || feed <= 0.0 || feed > m.feed_max_mm_min + 1e-6 {
            return Some(format!("{step:?}"));
        }
        // Nothing goes into the parallels; a drill's point may come out below.
        let deepest = if o.kind == OpKind::Drill { low - 6.0 } else { low };
        if to.z < deepest - 1e-6 && o.kind != OpKind::Chamfer {
            return Some(format!("it goes down to {:.3}, {low:.3} is the end", to.z));
        }
    }
    None
}

struct Row {
    seed: u64,
    planned: f64,
    least: f64,
    faults: Vec<String>,
    ops: usize,
}

#[test]
fn random_first_sides_keep_their_limits_and_come_near_the_least_time() {
    let shop = Shop::demo().unwrap();
    let aluminium = shop.material("aluminium-6082").unwrap();
    let rows: Vec<Row> = SEEDS
        .into_par_iter()
        .filter_map(|seed| {
            let part = read(seed)?;
            let hold = holding::plan(&part, &shop, aluminium, &Choice::default()).ok()?;
            hold.setups.first()?;
            let (route, least) = first(&part, &hold, &shop);
            let low = hold.setups[0].part_from_work.inverse().bounds(&part.bounds).min.z - 0.4;
            let faults = route
                .operations
                .iter()
                .filter_map(|o| Some(format!("{}: {}", o.title, fault(o, &shop, low)?)))
                .collect();
            let ops = route.operations.len();
            Some(Row { seed, planned: minutes(&route.operations, &shop), least: least.minutes, faults, ops })
        })
        .collect();
    assert!(rows.len() > 35, "{}", rows.len());
    let bad: Vec<String> = rows.iter().flat_map(|r| r.faults.iter().map(move |f| format!("{}: {f}", r.seed))).collect();
    assert!(bad.is_empty(), "{}", bad.join("\n"));
    let mut ratios: Vec<f64> = rows.iter().map(|r| r.planned / r.least).collect();
    ratios.sort_by(f64::total_cmp);
    let ops: usize = rows.iter().map(|r| r.ops).sum();
    println!(
        "{} sides, {ops} operations; minutes ÷ least: {:.2} {:.2} {:.2}",
        rows.len(),
        ratios[0],
        ratios[rows.len() / 2],
        ratios[rows.len() - 1]
    );
    let slow: Vec<String> = rows
        .iter()
        .filter(|r| r.planned > 2.0 * r.least || r.planned < 0.9 * r.least)
        .map(|r| format!("{}: {:.1} min, least {:.1}", r.seed, r.planned, r.least))
        .collect();
    assert!(slow.is_empty(), "{}", slow.join("\n"));
}

/// A plate with something cut through it: the kinds of what its second side does, and what is told of skins.
fn second_side(through: &kernel::shape::Shape, shop: &Shop) -> (Vec<OpKind>, usize) {
    let material = "aluminium-6082";
    let shape = kernel::shape::Shape::block([0.0; 3], [60.0, 40.0, 8.0]).unwrap().cut(through).unwrap();
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("p.step");
    shape.write_step(&file).unwrap();
    let part = Part::from_raw(&intake::read_trusted(&file).unwrap().raw).unwrap();
    let hold = holding::plan(&part, shop, shop.material(material).unwrap(), &Choice::default()).unwrap();
    let block = Remains::of(hold.stock);
    let (one, _) = planned(&part, &hold, 0, &block, shop, material);
    let (two, _) = planned(&part, &hold, 1, &block.after(hold.setups[0].part_from_work, one.stock), shop, material);
    let told = two.notes.iter().filter(|f| f.kind == "thin_skin").count();
    (two.operations.iter().map(|o| o.kind).collect(), told)
}

/// Over a window the hat is opened before a face mill would tear it off; over a small hole it is stiff enough; where nothing can open it, it is told.
#[test]
fn a_skin_over_a_window_is_opened_before_the_deck() {
    use kernel::shape::{Shape, rounded_polygon};
    let mut shop = Shop::demo().unwrap();
    let corners = [([15.0, 10.0], 5.0), ([45.0, 10.0], 5.0), ([45.0, 30.0], 5.0), ([15.0, 30.0], 5.0)];
    let window = Shape::prism(&rounded_polygon(&corners), -1.0, 9.0).unwrap();
    let (kinds, told) = second_side(&window, &shop);
    assert_eq!((&kinds[..2], told), (&[OpKind::Open, OpKind::Face][..], 0), "{kinds:?}");
    let hole = Shape::cylinder([30.0, 20.0, -1.0], [0.0, 0.0, 1.0], 2.0, 10.0).unwrap();
    let (kinds, told) = second_side(&hole, &shop);
    assert_eq!((kinds[0], told), (OpKind::Face, 0), "{kinds:?}");
    // Where no end mill of the crib finds room over it, it is told.
    let hole = Shape::cylinder([30.0, 20.0, -1.0], [0.0, 0.0, 1.0], 7.0, 10.0).unwrap();
    shop.crib.retain(|t| t.kind != shop::tool::ToolKind::Flat || t.diameter_mm >= 12.0);
    let (kinds, told) = second_side(&hole, &shop);
    assert_eq!((kinds[0], told), (OpKind::Face, 1), "{kinds:?}");
}
