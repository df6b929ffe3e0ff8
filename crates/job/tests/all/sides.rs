//! What holds of every planned side, whatever the part: order, motion, numbers and a person's overrides.

use crate::family;

use job::{Plan, Settled, plan};
use path::motion::{Cycle, Move};
use route::{Moved, OpKind, Operation, Override, broken, reordered};
use shop::Shop;
use shop::tool::ToolKind;

const SEEDS: [u64; 3] = [301, 302, 303];

fn planned(seed: u64, shop: &Shop, settled: &Settled) -> Plan {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("p.step");
    family::part(seed).unwrap().write_step(&file).unwrap();
    plan(&part::Part::from_raw(&intake::read_trusted(&file).unwrap().raw).unwrap(), "p", shop, settled).unwrap().plan
}

fn ops(p: &Plan) -> impl Iterator<Item = &Operation> {
    p.sides.iter().flat_map(|s| &s.operations)
}

#[test]
fn the_order_breaks_no_need_and_a_broken_one_is_named() {
    let shop = Shop::demo().unwrap();
    let (mut needed, mut told) = (0, 0);
    for seed in SEEDS {
        for side in &planned(seed, &shop, &Settled::default()).sides {
            let list = &side.operations;
            assert!(broken(list).is_empty(), "{seed}: {:?}", broken(list));
            // Ids are each operation's own.
            let mut ids: Vec<&str> = list.iter().map(|o| o.id.as_str()).collect();
            ids.sort_unstable();
            ids.dedup();
            assert_eq!(ids.len(), list.len(), "{seed}");
            // Every need, turned round, is told with both its ends.
            for (id, needs) in route::needs(list) {
                for need in needs {
                    needed += 1;
                    assert!(!need.why.is_empty());
                    let (moved, lost) =
                        reordered(list.clone(), &[Moved { id: id.clone(), before: need.first.clone() }]);
                    assert!(lost.is_empty() && moved.len() == list.len());
                    let said = broken(&moved);
                    let names_it = said.iter().any(|(k, n)| moved[*k].id == id && n.first == need.first);
                    assert!(names_it, "{seed}: {id} before {}: {said:?}", need.first);
                    told += 1;
                }
            }
            // A move of what is not there changes nothing and is given back.
            let ghost =
                Moved { id: "rough:nowhere".into(), before: list.first().map_or_else(String::new, |o| o.id.clone()) };
            let (same, lost) = reordered(list.clone(), std::slice::from_ref(&ghost));
            assert_eq!((same, lost), (list.clone(), vec![ghost]));
        }
    }
    assert!(needed > 40 && needed == told, "{needed}");
}

#[test]
fn faces_come_first_and_edges_last_and_drills_follow_their_spots() {
    let shop = Shop::demo().unwrap();
    let mut spots = 0;
    for seed in SEEDS {
        for side in &planned(seed, &shop, &Settled::default()).sides {
            let at = |o: &Operation| side.operations.iter().position(|x| x.id == o.id).unwrap();
            for o in &side.operations {
                match o.kind {
                    OpKind::Face => assert_eq!(at(o), 0, "{seed}: {}", o.title),
                    OpKind::Chamfer => assert!(side.operations[at(o)..].iter().all(|x| x.kind == OpKind::Chamfer)),
                    OpKind::Drill => {
                        let mine: Vec<_> = o.path.iter().flat_map(|p| &p.moves).filter_map(holes).flatten().collect();
                        let before = side.operations[..at(o)].iter().filter(|x| x.kind == OpKind::Spot);
                        let spotted: Vec<_> = before
                            .flat_map(|x| x.path.iter().flat_map(|p| &p.moves))
                            .filter_map(holes)
                            .flatten()
                            .collect();
                        assert!(
                            mine.iter().all(|p| spotted.iter().any(|q| p.distance(*q) < 1e-6)),
                            "{seed}: {}",
                            o.title
                        );
                        spots += mine.len();
                    }
                    _ => {}
                }
                assert!(!o.order_why.is_empty() && !o.title.is_empty() && o.bottom <= o.top + 1e-9, "{seed}: {o:?}");
            }
        }
    }
    assert!(spots > 3, "{spots}");
}

fn holes(m: &Move) -> Option<Vec<geom::DVec2>> {
    if let Move::Drill { at, .. } = m { Some(at.clone()) } else { None }
}

/// Whatever goes sideways at rapid goes above everything that stands: the stock at the start and the part.
#[test]
fn rapids_go_sideways_only_above_everything_or_where_it_was_cleared() {
    let shop = Shop::demo().unwrap();
    let mut sideways = 0;
    for seed in 301..=306 {
        let p = planned(seed, &shop, &Settled::default());
        for side in &p.sides {
            let top = side.setup.part_from_work.inverse().bounds(&p.scheme.stock).max.z;
            for path in side.operations.iter().filter_map(|o| o.path.as_ref()) {
                let mut here: Option<geom::DVec3> = None;
                for m in &path.moves {
                    match m {
                        Move::Rapid { to } => {
                            match here {
                                None => assert!(to.z > top, "{seed}: '{}' starts at {to} under {top}", path.title),
                                Some(h) if h.truncate().distance(to.truncate()) > 1e-6 => {
                                    sideways += 1;
                                    assert!((h.z - to.z).abs() < 1e-6, "{seed}: a slanted rapid in '{}'", path.title);
                                }
                                Some(_) => {}
                            }
                            here = Some(*to);
                        }
                        Move::Feed { to, feed } | Move::Arc { to, feed, .. } => {
                            assert!(*feed > 0.0 && *feed <= shop.machine.feed_max_mm_min + 1e-9, "{seed}: {feed}");
                            here = Some(*to);
                        }
                        Move::Drill { clear, start, bottom, feed, cycle, .. } => {
                            let pecks = !matches!(cycle, Cycle::Peck(q) if *q <= 0.0);
                            assert!(clear >= start && start > bottom && *feed > 0.0 && pecks);
                            assert!(*clear > top, "{seed}: drill's clearance");
                        }
                        Move::State { .. } => {}
                    }
                }
            }
        }
    }
    // Links stay down where they can, so it takes more parts than elsewhere to see a hundred of them.
    assert!(sideways > 100, "{sideways}");
}

/// Every number of a milling operation is within what the machine and the cutter can do, and says what bound it.
#[test]
fn numbers_are_bound_and_say_by_what() {
    let shop = Shop::demo().unwrap();
    for seed in SEEDS {
        for o in ops(&planned(seed, &shop, &Settled::default())) {
            let tool = shop.crib.iter().find(|t| t.number == o.tool).unwrap();
            if let Some(m) = &o.mill {
                let cap = shop.machine.rpm_max;
                assert!(m.rpm.value > 0.0 && m.rpm.value <= cap + 1e-9, "{seed}: {} rpm", m.rpm.value);
                assert!(m.ap.value <= tool.flute_length_mm + 1e-9, "{seed}: {} deep with {}", m.ap.value, tool.words());
                assert!(m.ae <= tool.diameter_mm + 1e-9);
                for j in [&m.rpm, &m.feed, &m.ap] {
                    assert!(!j.bound_by.is_empty() && !j.terms.is_empty(), "{seed}: {}", o.title);
                }
                assert!(tool.kind.mills(), "{seed}: {}", o.title);
            }
            if let Some(d) = &o.drill {
                assert!(d.rpm.value <= shop.machine.rpm_max + 1e-9 && !d.rpm.bound_by.is_empty());
                let centre = matches!(tool.kind, ToolKind::Drill | ToolKind::Spot);
                assert!(centre, "{seed}: {} with {}", o.title, tool.words());
            }
            assert!(o.mill.is_some() || o.drill.is_some() || o.kind == OpKind::Chamfer, "{seed}: {}", o.title);
        }
    }
}

/// A person's speed and feed stand in the program, and only in that operation.
#[test]
fn what_a_person_sets_is_cut_so() {
    let shop = Shop::demo().unwrap();
    let plain = planned(301, &shop, &Settled::default());
    let rough = ops(&plain).find(|o| o.kind == OpKind::Rough).unwrap();
    let mine = Override { rpm: Some(1234.0), feed: Some(123.0), depth: Some(0.7), ..Default::default() };
    let settled = Settled { operations: [(rough.id.clone(), mine)].into(), ..Default::default() };
    let changed = planned(301, &shop, &settled);
    let now = ops(&changed).find(|o| o.id == rough.id).unwrap();
    let m = now.mill.as_ref().unwrap();
    assert_eq!((m.rpm.value, m.feed.value, m.ap.value), (1234.0, 123.0, 0.7));
    assert!(m.rpm.bound_by == "a person" && m.feed.bound_by == "a person" && m.ap.bound_by == "a person");
    let path = now.path.as_ref().unwrap();
    assert_eq!(path.rpm, 1234.0);
    let feeds = |o: &Operation| -> Vec<f64> {
        let moves = o.path.iter().flat_map(|p| &p.moves);
        moves
            .filter_map(|m| if let Move::Feed { feed, .. } | Move::Arc { feed, .. } = m { Some(*feed) } else { None })
            .collect()
    };
    let mut seen = feeds(now);
    seen.sort_by(f64::total_cmp);
    seen.dedup();
    // Plunges are slower, links through the air run at the machine's pace; nothing cuts faster than was said.
    let air = shop.machine.feed_max_mm_min;
    assert!(seen.contains(&123.0) && seen.iter().all(|f| *f <= 123.0 || *f >= 0.5 * air), "{seen:?}");
    assert!(!seen.contains(&rough.mill.as_ref().unwrap().feed.value));
    // Levels no deeper than was said: more of them than before.
    let depths = |o: &Operation| {
        let mut z: Vec<i64> = (o.path.iter().flat_map(|p| &p.moves))
            .filter_map(|m| {
                if let Move::Arc { to, .. } | Move::Feed { to, .. } = m {
                    Some((to.z * 1000.0).round() as i64)
                } else {
                    None
                }
            })
            .collect();
        z.sort_unstable();
        z.dedup();
        z.len()
    };
    assert!(depths(now) >= depths(rough), "{} {}", depths(now), depths(rough));
    for o in ops(&changed).filter(|o| o.id != rough.id) {
        let before = ops(&plain).find(|x| x.id == o.id).unwrap_or_else(|| panic!("{} is new", o.id));
        assert_eq!(o.mill.as_ref().map(|m| m.rpm.value), before.mill.as_ref().map(|m| m.rpm.value), "{}", o.title);
    }
    assert!(changed.sides.iter().any(|s| s.program.contains("S1234")));
}
