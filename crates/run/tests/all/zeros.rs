//! Offsets of every aid against a slow touch: a disc or ball is brought to what it touches by halving the way, in the machine's coordinates, with a true zero
//! that nothing else knows.

use holding::{Touched, TouchedOn, TouchedWhen};
use run::answer::work_out;
use run::zero::Wanted;
use shop::aid::{Aid, AidKind};
use std::collections::BTreeMap;

const KINDS: [AidKind; 6] =
    [AidKind::EdgeFinder, AidKind::Probe, AidKind::Pin, AidKind::Paper, AidKind::Indicator, AidKind::Plug];

/// From `free` towards `solid` until the gap is nothing: where the spindle stands then.
fn touch(free: f64, solid: f64, gap: &dyn Fn(f64) -> f64) -> f64 {
    let (mut a, mut b) = (free, solid);
    assert!(gap(a) > 0.0 && gap(b) < 0.0);
    for _ in 0..60 {
        let m = f64::midpoint(a, b);
        if gap(m) > 0.0 { a = m } else { b = m }
    }
    a
}

/// Solid in machine coordinates along one axis.
fn solid(on: TouchedOn, at: f64) -> Box<dyn Fn(f64) -> bool> {
    match on {
        TouchedOn::Face { above: true } => Box::new(move |v| v < at),
        TouchedOn::Face { above: false } => Box::new(move |v| v > at),
        TouchedOn::Middle { inside, across_mm } => {
            let half = across_mm.unwrap() / 2.0;
            Box::new(move |v| ((v - at).abs() < half) != inside)
        }
    }
}

/// How far it is the same from v in these directions, by walking.
fn same(solid: &dyn Fn(f64) -> bool, v: f64, directions: &[f64]) -> f64 {
    let here = solid(v);
    let as_here = |reach: f64| directions.iter().all(|d| solid(v + d * reach) == here);
    let mut reach = 1e-4;
    while reach < 400.0 && as_here(reach) {
        reach *= 1.05;
    }
    let (mut lo, mut hi) = (0.0, reach);
    for _ in 0..60 {
        let m = f64::midpoint(lo, hi);
        if as_here(m) { lo = m } else { hi = m }
    }
    lo
}

/// Distance from v to the nearest solid, negative inside.
fn gap(solid: &dyn Fn(f64) -> bool, v: f64) -> f64 {
    let far = same(solid, v, &[-1.0, 1.0]);
    if solid(v) { -far } else { far }
}

#[test]
fn every_aid_finds_a_zero_that_only_the_touch_knows() {
    let mut rng = fastrand::Rng::with_seed(14);
    let mut tried: BTreeMap<String, u32> = BTreeMap::new();
    for _ in 0..900 {
        let axis = rng.usize(0..3);
        let truth = rng.f64() * 300.0 - 150.0;
        let at = rng.f64() * 60.0 - 30.0;
        let size = 1.0 + rng.f64() * 9.0;
        let on = match rng.u8(0..4) {
            0 => TouchedOn::Face { above: true },
            1 if axis < 2 => TouchedOn::Face { above: false },
            2 if axis < 2 => TouchedOn::Middle { inside: true, across_mm: Some(12.0 + rng.f64() * 30.0) },
            3 if axis < 2 => TouchedOn::Middle { inside: false, across_mm: Some(12.0 + rng.f64() * 30.0) },
            _ => TouchedOn::Face { above: true },
        };
        let aid = Aid { name: "aid".into(), kind: *rng.choice(KINDS.iter()).unwrap(), size_mm: size, off_mm: 0.0 };
        let aid = match aid.kind {
            AidKind::Indicator | AidKind::Plug => Aid { size_mm: 200.0, ..aid },
            _ => aid,
        };
        let (length, diameter) = (80.0 + rng.f64() * 40.0, 4.0 + rng.f64() * 12.0);
        // The plan thinks that it is elsewhere.
        let planned = truth + rng.f64() * 4.0 - 2.0;
        let cutter = Some(("t5/length".to_string(), 5, length + 1.0, diameter));
        let touched = Touched { at_mm: at, on, when: TouchedWhen::Loaded };
        let wanted = Wanted { axis, touched, planned, zero: [planned; 3], travel: [-1e3, 1e3], offset: "G54", cutter };
        let Some(way) = wanted.by(&aid) else { continue };
        let here = solid(on, truth + at);
        let gap_at = |v: f64| gap(&*here, v);
        // What is in the spindle: half a width, or from the nose down to its end.
        let reach = match aid.kind {
            AidKind::EdgeFinder | AidKind::Probe if axis == 2 => length,
            AidKind::EdgeFinder | AidKind::Probe => size / 2.0,
            AidKind::Pin | AidKind::Paper if axis == 2 => length + size,
            AidKind::Pin | AidKind::Paper => diameter / 2.0 + size,
            AidKind::Indicator | AidKind::Plug => 0.0,
        };
        let far = 250.0;
        let mut typed = BTreeMap::new();
        match on {
            // Along Z the nose stands its length above what touches.
            TouchedOn::Face { .. } if axis == 2 => {
                let nose = touch(truth + at + far, truth + at, &|v| gap_at(v - reach).min(v - reach - truth - at));
                typed.insert("at".to_string(), nose);
                typed.insert("length".to_string(), length);
            }
            TouchedOn::Face { above } => {
                let from = truth + at + if above { far } else { -far };
                typed.insert("at".to_string(), touch(from, truth + at, &|v| gap_at(v) - reach));
            }
            TouchedOn::Middle { .. } if matches!(aid.kind, AidKind::Indicator | AidKind::Plug) => {
                // It reads the same all around where both sides are equally far.
                let lean = |v: f64| same(&*here, v, &[1.0]) - same(&*here, v, &[-1.0]);
                typed.insert("at".to_string(), touch(truth + at - 2.0, truth + at + 2.0, &lean));
            }
            TouchedOn::Middle { inside, .. } => {
                let start = |sign: f64| if inside { truth + at } else { truth + at + sign * far };
                let end = |sign: f64| if inside { truth + at + sign * far } else { truth + at };
                for (id, sign) in [("low", -1.0), ("high", 1.0)] {
                    typed.insert(id.to_string(), touch(start(sign), end(sign), &|v| gap_at(v) - reach));
                }
            }
        }
        if way.asks.iter().any(|a| a.id == "diameter") {
            typed.insert("diameter".into(), diameter);
        }
        typed.retain(|k, _| way.asks.iter().any(|a| a.id == *k));
        let (_, own) = work_out(&way, &typed, &BTreeMap::new()).unwrap();
        assert!((own["offset"] - truth).abs() < 1e-6, "{aid:?} {on:?} axis {axis}: {} for {truth}", own["offset"]);
        if let (Some(across), TouchedOn::Middle { across_mm: Some(d), .. }) = (own.get("across"), on) {
            assert!((across - d).abs() < 1e-6, "{aid:?}: {across} for {d}");
        }
        *tried.entry(format!("{:?}", aid.kind)).or_default() += 1;
    }
    assert!(tried.len() == KINDS.len() && tried.values().all(|n| *n >= 20), "{tried:?}");
}

/// A length that was typed earlier counts; without it the planned one; a reading that would leave the travel stops.
#[test]
fn an_earlier_length_counts_and_a_zero_beyond_the_travel_stops() {
    let touched = Touched { at_mm: 0.0, on: TouchedOn::Face { above: true }, when: TouchedWhen::Empty };
    let cutter = Some(("t5/length".to_string(), 5, 90.0, 10.0));
    let w = Wanted {
        axis: 2,
        touched,
        planned: -320.0,
        zero: [-320.0; 3],
        travel: [-330.0, -300.0],
        offset: "G54",
        cutter,
    };
    let paper = Aid { name: "slip of paper".into(), kind: AidKind::Paper, size_mm: 0.1, off_mm: 0.03 };
    let way = w.by(&paper).unwrap();
    let typed = BTreeMap::from([("at".to_string(), -229.0)]);
    let offset = |known: &BTreeMap<String, f64>| {
        let (judged, own) = work_out(&way, &typed, known).unwrap();
        (own["offset"], judged.iter().map(|j| j.verdict).max().unwrap())
    };
    let (o, v) = offset(&BTreeMap::new());
    assert!((o - -319.1).abs() < 1e-9 && v == run::Verdict::Good);
    let (o, v) = offset(&BTreeMap::from([("t5/length".to_string(), 91.5)]));
    assert!((o - -320.6).abs() < 1e-9 && v == run::Verdict::Good);
    let (o, v) = offset(&BTreeMap::from([("t5/length".to_string(), 97.0)]));
    assert!((o - -326.1).abs() < 1e-9 && v == run::Verdict::Doubt, "{o}");
    let (_, v) = offset(&BTreeMap::from([("t5/length".to_string(), 102.0)]));
    assert_eq!(v, run::Verdict::Stop);
}
