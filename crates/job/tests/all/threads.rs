//! Threads and fits in the programs: by tap, thread mill and reamer; which of them, how deep; faults in the text are found.

use job::{Decision, Plan, Settled, plan, prove_plan};
use kernel::shape::Shape;
use part::{Part, questions, recognise};
use program::{ReadSettings, StepKind};
use proof::Proof;
use reason::{Severity, plain};
use route::OpKind;
use shop::Shop;
use shop::tool::ToolKind;
use std::collections::BTreeMap;

const UP: [f64; 3] = [0.0, 0.0, 1.0];

/// 70 × 50 × 16: two through holes Ø5, one blind Ø6.8 × 14, one blind Ø4.99 × 13 (M5 drawn at its outside), one Ø8 and one Ø10.5 through.
pub fn block() -> Shape {
    let mut p = Shape::block([0.0; 3], [70.0, 50.0, 16.0]).unwrap();
    for (x, y, d, depth) in [
        (15.0, 12.0, 5.0, 18.0),
        (55.0, 12.0, 5.0, 18.0),
        (15.0, 36.0, 6.8, 14.0),
        (35.0, 36.0, 4.99, 13.0),
        (55.0, 36.0, 8.0, 18.0),
        (35.0, 16.0, 10.5, 18.0),
    ] {
        p = p.cut(&Shape::cylinder([x, y, 16.0 - depth], UP, d / 2.0, depth + 1.0).unwrap()).unwrap();
    }
    p
}

pub const SAID: [(f64, &str); 5] =
    [(5.0, "tap M6"), (6.8, "tap M8"), (4.99, "tap M5 drawn at major"), (8.0, "ream 8 H7"), (10.5, "tap M12×1.5")];

fn part() -> Part {
    Part::from_raw(&block().read(&kernel::Meshing::default()).unwrap()).unwrap()
}

fn settled(part: &Part, more: &[(&str, &str)]) -> Settled {
    let all = questions(part, &recognise(part), &BTreeMap::new());
    let about = |d: f64| all.iter().find(|q| q.id.starts_with(&format!("hole/{d:.2}/"))).unwrap().id.clone();
    let holes = SAID.iter().map(|(d, a)| (about(*d), *a));
    let more = more.iter().map(|(q, a)| ((*q).to_string(), *a));
    let said: Vec<Decision> =
        holes.chain(more).map(|(question, a)| Decision::Answer { question, answer: Some(a.into()) }).collect();
    Settled::after(&said)
}

fn planned(material: &str, more: &[(&str, &str)]) -> (Part, Plan, Shop) {
    let (part, shop) = (part(), Shop::demo().unwrap());
    let mut s = settled(&part, more);
    s.material = Some(material.into());
    let p = plan(&part, "p", &shop, &s).unwrap().plan;
    (part, p, shop)
}

fn titles(p: &Plan) -> Vec<String> {
    let late = |k: OpKind| matches!(k, OpKind::Tap | OpKind::Thread | OpKind::Ream);
    let ops = p.sides.iter().flat_map(|s| &s.operations).filter(|o| late(o.kind));
    let mut t: Vec<String> = ops.map(|o| plain(&o.title).into_owned()).collect();
    t.sort();
    t
}

fn stops(proof: &Proof) -> Vec<String> {
    let all = proof.findings.iter().filter(|f| f.severity == Severity::Stop);
    all.map(|f| format!("{}: {}", f.kind.name(), plain(&f.what))).collect()
}

/// Everything that was asked for is made: taps where they do it, a thread mill where the crib has no tap, the reamer; core before thread, nothing
/// dug, each thread as deep as it goes.
#[test]
fn threads_and_fits_are_made_in_the_machine() {
    let (part, p, shop) = planned("aluminium-6082", &[]);
    let want =
        ["Mill the thread of 1 × M12×1.5", "Mill the thread of 1 × M8", "Ream 1 × Ø8 H7", "Tap 1 × M5", "Tap 2 × M6"];
    assert_eq!(titles(&p), want, "{:#?}", p.sides.iter().flat_map(|s| &s.finished).collect::<Vec<_>>());
    let proof = prove_plan(&part, &p, &shop).unwrap();
    assert_eq!(stops(&proof), Vec::<String>::new());
    assert!(proof.gouge_mm < 0.005, "{}", proof.gouge_mm);
    // Nobody is told to tap by hand what the machine has tapped.
    assert!(!proof.findings.iter().any(|f| f.kind == "to_tap" || f.kind == "to_ream"), "{:#?}", proof.findings);
    let all: Vec<_> = p.sides.iter().flat_map(|s| &s.finished).collect();
    let of = |w: &str| all.iter().find(|f| plain(&f.wants) == w).unwrap();
    // Through: all of it. Blind, flat: the drill's point goes deeper, the tap stays 0.5 above the end, and its lead of three threads is not full.
    assert!((of("M6").holes[0].full_mm - 16.0).abs() < 0.01 && of("M6").holes.len() == 2, "{:?}", of("M6"));
    assert!((of("M5").holes[0].full_mm - (13.0 - 0.5 - 3.0 * 0.8)).abs() < 0.01, "{:?}", of("M5").holes);
    // A blunt M8 asks more than the spindle has: a thread mill, all around to a turn and a quarter over the bottom.
    let m8 = of("M8");
    assert!(m8.ways[0].why.contains("blunt") && m8.holes[0].full_mm > 11.6, "{m8:?}");
    assert!((of("Ø8 H7").holes[0].full_mm - 16.0).abs() < 0.01);
    // Every thread after its drill and its mouth's chamfer; no order is broken.
    for s in &p.sides {
        assert!(route::broken(&s.operations).is_empty());
    }
    // The text: feed is pitch times speed in every tapping line.
    let (mut taps, mut reams) = (0, 0);
    for s in &p.sides {
        let settings = ReadSettings { zero_in_machine: s.setup.zero_in_machine, ..Default::default() };
        let read = program::read(&s.program, &settings).unwrap();
        for step in read.steps.iter().filter(|x| matches!(x.kind, StepKind::Feed { .. })) {
            let tool = s.tools.iter().find(|t| t.number == step.tool).unwrap();
            let StepKind::Feed { feed } = step.kind else { continue };
            if tool.kind == ToolKind::Tap {
                let share = feed / (step.spindle.unwrap().abs() * tool.pitch_mm.unwrap());
                assert!((share - 1.0).abs() < 1e-4, "{share}");
                assert_eq!(step.spindle.unwrap() > 0.0, step.to.z < step.from.z);
                taps += 1;
            }
            reams += usize::from(tool.kind == ToolKind::Reamer);
        }
    }
    assert_eq!((taps, reams), (6, 2));
}

/// Three ways for one thread, by a person's word; what cannot be says why and falls back.
#[test]
fn a_thread_is_made_as_a_person_wants_it() {
    for (how, want) in [("tap", Some("Tap 2 × M6")), ("mill", Some("Mill the thread of 2 × M6")), ("hand", None)] {
        let (part, p, shop) = planned("aluminium-6082", &[("made/M6", how)]);
        let t = titles(&p);
        let own: Vec<&String> = t.iter().filter(|t| t.contains("M6")).collect();
        assert_eq!(own.first().map(|s| s.as_str()), want, "{how}");
        let f = p.sides.iter().flat_map(|s| &s.finished).find(|f| f.wants == "M6").unwrap();
        assert!(f.by_person && f.ways.len() >= 2, "{f:?}");
        let proof = prove_plan(&part, &p, &shop).unwrap();
        assert_eq!(stops(&proof), Vec::<String>::new(), "{how}");
        let told = proof.findings.iter().any(|f| f.kind == "to_tap" && f.what.contains("M6"));
        assert_eq!(told, how == "hand", "{how}");
    }
    // The crib has no tap M12 × 1.5.
    let (_, p, _) = planned("aluminium-6082", &[("made/M12×1.5", "tap")]);
    let f = p.sides.iter().flat_map(|s| &s.finished).find(|f| f.wants == "M12×1.5").unwrap();
    assert!(!f.by_person && f.why.contains("it cannot be made") && f.how == part::Made::Mill, "{f:?}");
}

/// In stainless steel a tap that breaks is the end of the piece: from M5 on a thread mill does it; without floating holders nothing is tapped.
#[test]
fn what_makes_a_thread_follows_from_ability_and_risk() {
    let (_, p, _) = planned("stainless-304", &[]);
    assert!(titles(&p).iter().all(|t| !t.starts_with("Tap")), "{:?}", titles(&p));
    assert!(titles(&p).contains(&"Mill the thread of 2 × M6".to_string()));
    let (part, mut shop) = (part(), Shop::demo().unwrap());
    shop.crib.iter_mut().for_each(|t| t.floating = false);
    let s = settled(&part, &[]);
    let p = plan(&part, "p", &shop, &s).unwrap().plan;
    assert!(titles(&p).iter().all(|t| !t.starts_with("Tap")), "{:?}", titles(&p));
    shop.machine.rigid_tapping = true;
    let p = plan(&part, "p", &shop, &s).unwrap().plan;
    assert_eq!(titles(&p).iter().filter(|t| t.starts_with("Tap")).count(), 2);
    shop.crib.retain(|t| !matches!(t.kind, ToolKind::Tap | ToolKind::ThreadMill | ToolKind::Reamer));
    let p = plan(&part, "p", &shop, &s).unwrap().plan;
    assert!(titles(&p).is_empty() && p.findings.iter().any(|f| f.kind == "to_tap" && f.why.contains("crib")));
}

/// Faults planted in the text, each found by its name.
#[test]
fn a_thread_cut_wrong_is_found() {
    let (part, good, shop) = planned("aluminium-6082", &[]);
    let broken = |change: &dyn Fn(&str) -> Option<String>| {
        let mut p = good.clone();
        let mut n = 0;
        for s in &mut p.sides {
            let lines: Vec<String> =
                s.program.lines().map(|l| change(l).inspect(|_| n += 1).unwrap_or(l.into())).collect();
            s.program = lines.join("\n") + "\n";
        }
        assert!(n > 0, "nothing was changed");
        stops(&prove_plan(&part, &p, &shop).unwrap())
    };
    let has =
        |got: &[String], kind: &str| assert!(got.iter().any(|s| s.starts_with(kind)), "{kind} is not in {got:#?}");
    let with = |l: &str, word: char, by: &dyn Fn(f64) -> f64| {
        let words = l.split(' ').map(|w| match w.strip_prefix(word).map(str::parse::<f64>) {
            Some(Ok(v)) => format!("{word}{}", by(v)),
            _ => w.into(),
        });
        words.collect::<Vec<String>>().join(" ")
    };
    // A tap fed a tenth too fast, and one that only drills.
    has(&broken(&|l| l.contains("G84").then(|| with(l, 'F', &|f| f * 1.1))), "thread_feed");
    has(&broken(&|l| l.contains("G84").then(|| l.replace("G84", "G81"))), "thread_feed");
    // 3 mm less deep.
    has(&broken(&|l| l.contains("G84").then(|| with(l, 'Z', &|z| z + 3.0))), "thread_missing");
    // Deeper than the hole: it stands on the bottom.
    has(&broken(&|l| l.contains("G84").then(|| with(l, 'Z', &|z| z - 6.0))), "plunge");
    // The core is not drilled.
    has(&broken(&|l| (l.contains("G83") || l.contains("G81")).then(String::new)), "plunge");
    // Another cutter than promised, and a thread milled 0.1 mm too wide: its helix is stretched in X.
    has(&broken(&|l| l.contains("T48 M6").then(|| "T47 M6".into())), "thread_size");
    let milled: std::cell::Cell<bool> = std::cell::Cell::new(false);
    let got = broken(&|l| {
        if l.starts_with('T') {
            milled.set(l.starts_with("T56"));
        }
        let arc = milled.get() && l.contains(" I") && l.contains('Z');
        // Another pitch: heights of the helix are stretched about the mouth.
        arc.then(|| with(l, 'Z', &|z| z * 1.03))
    });
    has(&got, "thread_size");
    // All threads left out.
    let skip: std::cell::Cell<bool> = std::cell::Cell::new(false);
    let got = broken(&|l| {
        if l.starts_with("(STEP") {
            skip.set(l.contains("TAP ") || l.contains("MILL THE THREAD"));
        }
        (skip.get() && !l.starts_with('(') && !l.starts_with("G53") && !l.starts_with('M')).then(String::new)
    });
    has(&got, "thread_missing");
}

/// A pipe thread has flanks of 55°, and the teeth of these mills 60°: by hand, with the reason. A hole that its reamer only half reaches is left over, whatever its end is
/// called.
#[test]
fn what_does_not_fit_is_not_made() {
    let shape = Shape::block([0.0; 3], [40.0, 40.0, 18.0]).unwrap();
    let shape = shape.cut(&Shape::cylinder([20.0, 20.0, -1.0], UP, 8.8 / 2.0, 20.0).unwrap()).unwrap();
    let part = Part::from_raw(&shape.read(&kernel::Meshing::default()).unwrap()).unwrap();
    let pipe = shop::standards::threads().iter().find(|t| t.name == "G 1/8").unwrap();
    let mut shop = Shop::demo().unwrap();
    let mill = shop.crib.iter().find(|t| t.kind == ToolKind::ThreadMill).unwrap().clone();
    shop.crib.push(shop::tool::Tool { number: 90, pitch_mm: Some(pipe.pitch), least_pitch_mm: None, ..mill });
    let all = questions(&part, &recognise(&part), &BTreeMap::new());
    let question = all.iter().find(|q| q.id.starts_with("hole/8.80/")).unwrap().id.clone();
    let s = Settled::after(&[Decision::Answer { question, answer: Some(format!("tap {}", pipe.name)) }]);
    let p = plan(&part, "p", &shop, &s).unwrap().plan;
    let f = p.sides.iter().flat_map(|s| &s.finished).next().unwrap();
    assert!(f.how == part::Made::Hand && f.ways.iter().any(|w| w.why.contains("55°")), "{f:?}");

    let shape = Shape::block([0.0; 3], [40.0, 40.0, 18.0]).unwrap();
    let shape = shape.cut(&Shape::cylinder([20.0, 20.0, 4.0], UP, 4.0, 20.0).unwrap()).unwrap();
    let part = Part::from_raw(&shape.read(&kernel::Meshing::default()).unwrap()).unwrap();
    let shop = Shop::demo().unwrap();
    let all = questions(&part, &recognise(&part), &BTreeMap::new());
    let question = all.iter().find(|q| q.id.starts_with("hole/8.00/")).unwrap().id.clone();
    let s = Settled::after(&[Decision::Answer { question, answer: Some("ream 8 H7".into()) }]);
    let mut p = plan(&part, "p", &shop, &s).unwrap().plan;
    let good = prove_plan(&part, &p, &shop).unwrap();
    assert!(good.complete && stops(&good).is_empty(), "{:?}", good.findings);
    // Drill and reamer stop 0.9 mm higher: within what the reamer's end is named for, and more than a ring.
    for s in &mut p.sides {
        let higher = |l: &str| {
            let words = l.split(' ').map(|w| match w.strip_prefix('Z').map(str::parse::<f64>) {
                Some(Ok(z)) => format!("Z{}", z + 0.9),
                _ => w.into(),
            });
            words.collect::<Vec<String>>().join(" ")
        };
        let cycle = |l: &str| if l.contains("G8") && l.contains("R") { higher(l) } else { l.into() };
        s.program = s.program.lines().map(cycle).collect::<Vec<String>>().join("\n") + "\n";
    }
    let bad = prove_plan(&part, &p, &shop).unwrap();
    assert!(!bad.complete && stops(&bad).iter().any(|s| s.starts_with("leftover")), "{:?}", bad.findings);
}

/// The thread itself, by an oracle that shares nothing with the proof: the outline of the milled thread's cutter, carried along the posted text, takes
/// the groove of an ISO thread and leaves the ridge between two turns.
#[test]
fn a_milled_thread_is_a_thread() {
    let (_, p, _) = planned("aluminium-6082", &[]);
    let has = |s: &&job::SidePlan| s.finished.iter().any(|f| f.wants == "M12×1.5");
    let side = p.sides.iter().find(has).unwrap();
    let f = side.finished.iter().find(|f| f.wants == "M12×1.5").unwrap();
    let hole = &f.holes[0];
    let op = side.operations.iter().find(|o| Some(&o.id) == f.operation.as_ref()).unwrap();
    let tool = side.tools.iter().find(|t| t.number == op.tool).unwrap();
    let profile = tool.profile();
    let at_height = |h: f64| {
        let k = profile.windows(2).find(|w| (w[0][0]..=w[1][0]).contains(&h));
        k.map_or(0.0, |w| {
            let t = if w[1][0] > w[0][0] { (h - w[0][0]) / (w[1][0] - w[0][0]) } else { 0.0 };
            w[0][1] + t * (w[1][1] - w[0][1])
        })
    };
    let settings = ReadSettings { zero_in_machine: side.setup.zero_in_machine, ..Default::default() };
    let read = program::read(&side.program, &settings).unwrap();
    let mouth = side.setup.part_from_work.inverse().point(hole.mouth_mm.into());
    let near = |x: &&program::Step| {
        x.tool == tool.number
            && matches!(x.kind, StepKind::Feed { .. })
            && x.from.truncate().distance(mouth.truncate()) < 6.0
    };
    let mut path = Vec::new();
    for s in read.steps.iter().filter(near) {
        let n = (s.length() / 0.02).ceil().max(1.0) as usize;
        path.extend((0..=n).map(|k| s.at(k as f64 / n as f64)));
    }
    assert!(path.len() > 2000);
    let taken = |q: geom::DVec3| path.iter().any(|c| q.truncate().distance(c.truncate()) < at_height(q.z - c.z));
    // Radii of the pitch line and of core and outside (ISO 68-1, M12 × 1.5: d2 11.026, D1 10.376).
    let (pitch, d2, major) = (1.5, 11.026, 12.0);
    let at = |angle: f64, r: f64, z: f64| (mouth.truncate() + geom::DVec2::from_angle(angle) * r).extend(z);
    for angle in [0.4f64, 2.0, 4.5] {
        // Width of the groove along the axis, from the share of fine steps over four pitches in the middle of the thread.
        let share = |r: f64| {
            let n = 800;
            let hits =
                (0..n).filter(|k| taken(at(angle, r, mouth.z - 4.0 - 4.0 * pitch * f64::from(*k) / f64::from(n))));
            hits.count() as f64 / f64::from(n)
        };
        // Groove and ridge are as wide at the pitch line; an eighth is groove at the outside, three quarters at the core.
        assert!((share(d2 / 2.0) - 0.5).abs() < 0.02, "{angle}: {}", share(d2 / 2.0));
        assert!((share(major / 2.0 - 0.01) - 0.125).abs() < 0.03, "{angle}: {}", share(major / 2.0 - 0.01));
        assert!((share(10.376 / 2.0 + 0.005) - 0.75).abs() < 0.03, "{angle}: {}", share(10.376 / 2.0 + 0.005));
        assert!(share(major / 2.0 + 0.03) < 1e-9);
        // The ridge stands between two turns: four of them.
        let n = 1200;
        let seen: Vec<bool> = (0..n)
            .map(|k| taken(at(angle, d2 / 2.0, mouth.z - 4.0 - 4.0 * pitch * f64::from(k) / f64::from(n))))
            .collect();
        let grooves = seen.windows(2).filter(|w| !w[0] && w[1]).count();
        assert!((3..=4).contains(&grooves), "{grooves}");
    }
}

/// A block with random holes for threads and fits, and what is said of them: diameter and answer.
fn random(seed: u64) -> (Shape, Vec<(f64, String)>) {
    let mut r = fastrand::Rng::with_seed(seed);
    let size = [60.0 + f64::from(r.u32(0..30)), 44.0 + f64::from(r.u32(0..20)), 10.0 + f64::from(r.u32(0..16))];
    let mut p = Shape::block([0.0; 3], size).unwrap();
    let kinds: [(f64, &str); 9] = [
        (2.5, "tap M3"),
        (3.3, "tap M4"),
        (4.2, "tap M5"),
        (5.0, "tap M6"),
        (6.8, "tap M8"),
        (8.5, "tap M10"),
        (8.01, "tap M8 drawn at major"),
        (6.0, "ream 6 H7"),
        (10.0, "ream 10 H7"),
    ];
    let mut said: Vec<(f64, String)> = Vec::new();
    let (nx, ny) = ((size[0] / 20.0) as u32, (size[1] / 20.0) as u32);
    for i in 0..nx {
        for j in 0..ny {
            let (d, answer) = kinds[r.usize(..kinds.len())];
            let (x, y) = (
                10.0 + 20.0 * f64::from(i) + 2.0 * r.f64() + (size[0] - 20.0 * f64::from(nx)) / 2.0,
                10.0 + 20.0 * f64::from(j) + 2.0 * r.f64() + (size[1] - 20.0 * f64::from(ny)) / 2.0,
            );
            let through = r.bool();
            let depth = if through { size[2] + 1.0 } else { (1.5 * d + 3.0 + 8.0 * r.f64()).min(size[2] - 4.0) };
            let from_below = through && r.bool();
            let low = if through { -1.0 } else { size[2] - depth };
            p = p.cut(&Shape::cylinder([x, y, low], UP, d / 2.0, depth + 2.0).unwrap()).unwrap();
            // A mouth with a chamfer, or none.
            if r.bool() {
                let z = if from_below { 0.0 } else { size[2] };
                let (a, b) = if from_below { (z - 0.001, 0.8) } else { (z - 0.799, 0.8) };
                let (r0, r1) = if from_below { (d / 2.0 + 0.8, d / 2.0) } else { (d / 2.0, d / 2.0 + 0.8) };
                p = p.cut(&Shape::cone([x, y, a], UP, r0, r1, b).unwrap()).unwrap();
            }
            if !said.iter().any(|s| s.0 == d) {
                said.push((d, answer.into()));
            }
        }
    }
    (p, said)
}

/// Blocks with random holes in random materials: proved, nothing dug, every thread by machine or with the reason why not. `GOLDCHIP_THREADS=0..40` runs more.
#[test]
fn random_threads_are_proved() {
    let range = std::env::var("GOLDCHIP_THREADS").unwrap_or("1..3".into());
    let (a, b) = range.split_once("..").unwrap();
    let mut bad = Vec::new();
    for seed in a.parse::<u64>().unwrap()..b.parse().unwrap() {
        let (shape, said) = random(seed);
        let part = Part::from_raw(&shape.read(&kernel::Meshing::default()).unwrap()).unwrap();
        let all = questions(&part, &recognise(&part), &BTreeMap::new());
        let about = said.iter().flat_map(|(d, a)| {
            let of = all.iter().filter(move |q| q.id.starts_with(&format!("hole/{d:.2}/")));
            of.map(move |q| Decision::Answer { question: q.id.clone(), answer: Some(a.clone()) })
        });
        let material = ["aluminium-6082", "mild-steel", "stainless-304", "brass"][seed as usize % 4];
        let mut s = Settled::after(&about.collect::<Vec<_>>());
        s.material = Some(material.into());
        let shop = Shop::demo().unwrap();
        let p = plan(&part, "p", &shop, &s).unwrap().plan;
        let proof = prove_plan(&part, &p, &shop).unwrap();
        let made = p.sides.iter().flat_map(|s| &s.finished);
        let (machine, hand): (Vec<_>, Vec<_>) = made.partition(|f| f.operation.is_some());
        println!(
            "{seed} {material}: {} groups by machine, {} by hand, gouge {:.4}, {:.1} min, {:?}",
            machine.len(),
            hand.len(),
            proof.gouge_mm,
            proof.minutes,
            stops(&proof)
        );
        let odd = hand.iter().any(|f| f.why.is_empty() || f.ways.iter().any(|w| !w.possible && w.why.is_empty()));
        // A deep hole for which no drill is long enough is told.
        let wrong = stops(&proof).iter().any(|s| !s.starts_with("hole_without_tool"));
        if wrong || proof.gouge_mm > 0.01 || odd || machine.is_empty() {
            bad.push(seed);
            for f in hand {
                println!(
                    "   {} by hand: {} {:?}",
                    plain(&f.wants),
                    f.why,
                    f.ways.iter().map(|w| plain(&w.why)).collect::<Vec<_>>()
                );
            }
        }
    }
    assert!(bad.is_empty(), "{bad:?}");
}
