//! What is posted reads back as the same motion, for every control and every kind of move; and what is translated too.

use geom::{DVec2, DVec3};
use path::motion::{Coolant, Cycle, Move, Toolpath};
use program::{Dialect, GoOn, Heading, PostTool, Posted, ReadSettings, Step, StepKind, Stop, read, restart, translate};
use shop::dialect::{LengthOffset, Tapping, shipped};

fn post(heading: &Heading, paths: &[Toolpath], d: &Dialect) -> Posted {
    program::post(heading, paths, d).unwrap_or_else(|e| panic!("{e}"))
}

fn reading(d: &Dialect) -> ReadSettings {
    ReadSettings { dialect: d.clone(), ..ReadSettings::default() }
}

/// The posted text of the reference control, and its steps: what the others are held to.
fn reference(paths: &[Toolpath]) -> Vec<Step> {
    let exact = Dialect { decimals: 6, feed_decimals: 4, ..Dialect::default() };
    read(&post(&Heading::default(), paths, &exact).text, &reading(&exact)).unwrap().steps
}

/// Moves at rapid and at feed that go anywhere; what is shorter than a control can tell is none.
fn moves(steps: &[Step], tol: f64) -> Vec<&Step> {
    steps.iter().filter(|s| s.moves() && !s.machine && s.length() > tol).collect()
}

/// The same motion: each step of the reference is gone over by one step or more of the other, in order, at the same feed and in the same state.
fn same(reference: &[Step], other: &[Step], tol: f64, d: &Dialect) {
    let (want, got) = (moves(reference, tol), moves(other, tol));
    let mut k = 0;
    for w in &want {
        let mut t = 0.0;
        loop {
            let g = got.get(k).unwrap_or_else(|| panic!("{}: nothing for {w:?}", d.id));
            let here = |p: DVec3| {
                (0..=400)
                    .map(|n| (n, w.at(f64::from(n) / 400.0).distance(p)))
                    .min_by(|a, b| a.1.total_cmp(&b.1))
                    .unwrap()
            };
            let rapid = |s: &Step| s.kind == StepKind::Rapid;
            assert_eq!(rapid(w), rapid(g), "{}: {w:?}\n{g:?}", d.id);
            for n in 0..=8 {
                let p = g.at(f64::from(n) / 8.0);
                // As near as the step's own points stand.
                let own = w.length() / 800.0;
                assert!(here(p).1 <= tol + own, "{}: {p} is {} off\n{w:?}\n{g:?}", d.id, here(p).1);
            }
            assert_eq!((w.tool, w.coolant), (g.tool, g.coolant), "{}: {g:?}", d.id);
            let turns = |s: &Step| s.spindle.unwrap_or(0.0).round();
            assert_eq!(turns(w), turns(g), "{}: {w:?}\n{g:?}", d.id);
            if let (StepKind::Feed { feed: a }, StepKind::Feed { feed: b }) = (&w.kind, &g.kind) {
                let least = 0.5 * 10f64.powi(-(d.feed_decimals as i32)) * if d.inch { 25.4 } else { 1.0 };
                assert!((a - b).abs() <= least + 0.006 * a, "{}: {a} and {b}", d.id);
            }
            t += g.length();
            k += 1;
            if g.to.distance(w.to) <= tol && t > 0.9 * w.length() {
                break;
            }
        }
        assert!((t - w.length()).abs() <= 4.0 * tol + 0.002 * w.length(), "{}: {t} of {}", d.id, w.length());
    }
    assert_eq!(k, got.len(), "{}: more than was wanted: {:?}", d.id, got.get(k));
}

/// Who waits for a new speed waits after it, so long and no longer.
fn waits_for_the_spindle(steps: &[Step], wanted: f64, id: &str) {
    let (mut waits, mut here) = (0, 0.0);
    for s in steps {
        if let StepKind::Dwell { seconds } = s.kind {
            assert!(s.spindle.is_some(), "{id}: {s:?}");
            here += seconds;
        } else if here > 0.0 {
            assert!((here - wanted).abs() < 1e-6, "{id}, before line {}: {here} s, not {wanted}", s.line);
            (waits, here) = (waits + 1, 0.0);
        }
    }
    assert_eq!(waits > 4, wanted > 0.0, "{id}: {waits}");
}

/// Nothing turns while a cutter is changed: the text says so itself, whatever the control does of its own.
fn still_at_changes(text: &str, steps: &[Step], id: &str) {
    let lines: Vec<&str> = text.lines().collect();
    for s in steps.iter().filter(|s| s.kind == StepKind::ToolChange) {
        let words = lines[..s.line as usize - 1].iter().rev().map(|l| l.split(['(', ';']).next().unwrap_or_default());
        let turns = |l: &str| ["M3", "M03", "M4", "M04"].iter().any(|w| l.ends_with(w));
        let last = words.into_iter().find(|l| turns(l) || l.ends_with("M5") || l.ends_with("M05"));
        assert!(last.is_none_or(|l| !turns(l)), "{id}, line {}: {last:?}\n{text}", s.line);
    }
}

/// What a dialect may be off by: two increments, and its chords.
fn off(d: &Dialect) -> f64 {
    2.0 * d.increment_mm() + d.chord_mm
}

#[test]
fn every_control_moves_as_planned() {
    let paths = [sample(), every_kind()].concat();
    let want = reference(&paths);
    let heading =
        Heading { name: "Encoder bracket".into(), number: 7, table_forward_mm: Some(0.0), ..Heading::default() };
    for d in shipped() {
        let posted = post(&heading, &paths, d);
        let p = read(&posted.text, &reading(d)).unwrap_or_else(|e| panic!("{}: {e}\n{}", d.id, posted.text));
        assert!(p.ended && posted.text.is_ascii());
        same(&want, &p.steps, off(d), d);
        // The lines of a move are those in which it moves.
        for (line, _, _) in &posted.moves {
            assert!((*line as usize) <= posted.text.lines().count());
        }
        assert!(
            p.steps
                .iter()
                .filter(|s| s.moves() && !s.machine && s.tool != 0)
                .all(|s| s.from.z > 290.0 || s.length_offset == Some(s.tool)),
            "{}",
            d.id
        );
        still_at_changes(&posted.text, &p.steps, &d.id);
        waits_for_the_spindle(&p.steps, d.spin_up_s, &d.id);
        // From it to each other control, and the motion stays.
        for e in shipped() {
            let t = translate(&posted.text, &reading(d), &heading, e, &posted.promises)
                .unwrap_or_else(|x| panic!("{} to {}: {x}", d.id, e.id));
            let q = read(&t.text, &reading(e)).unwrap_or_else(|x| panic!("{} to {}: {x}\n{}", d.id, e.id, t.text));
            let off = off(d) + off(e);
            same(&want, &q.steps, off, e);
            still_at_changes(&t.text, &q.steps, &e.id);
            waits_for_the_spindle(&q.steps, d.spin_up_s.max(e.spin_up_s), &format!("{} to {}", d.id, e.id));
            assert_eq!(t.promises.len(), posted.promises.len(), "{} to {}", d.id, e.id);
            for (a, b) in posted.promises.iter().zip(&t.promises) {
                assert_eq!(a.operation, b.operation);
                // What is promised for a cut is promised where that cut is.
                let first = |p: &program::Program, x: &program::Promise| {
                    p.steps
                        .iter()
                        .find(|s| {
                            s.line >= x.first_line && s.line <= x.last_line && matches!(s.kind, StepKind::Feed { .. })
                        })
                        .map(|s| s.from)
                };
                if let (Some(x), Some(y)) = (first(&p, a), first(&q, b)) {
                    assert!(x.distance(y) < 2.0 * off, "{} to {}: {x} {y}", d.id, e.id);
                }
            }
        }
    }
}

/// A thing that a control cannot do is an error with its line, not a guess.
#[test]
fn what_a_control_has_no_words_for_is_refused() {
    let old = shipped().iter().find(|d| d.id == "increments").unwrap();
    let text = "G21 G90 G17\nG53 G0 Z-20\nM30\n";
    let e = translate(text, &ReadSettings::default(), &Heading::default(), old, &[]).unwrap_err();
    assert!(e.line == 2 && e.what.contains("reference point"), "{e}");
    // A tap in a control without words for it reads as feed, reversal, feed.
    assert_eq!((old.tapping, old.length), (Tapping::WrittenOut, LengthOffset::WithTool));
}

/// Whatever stands in a file, the reader ends, with a program or with a line and a reason: a thousand programs with signs changed, cut and doubled.
#[test]
fn mutated_programs_end_without_a_panic() {
    let mut state = 12345_u64;
    let mut random = |n: usize| {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (state >> 33) as usize % n.max(1)
    };
    let paths = [sample(), every_kind()].concat();
    let signs = b"GMXYZIJKRFSTHPQLDNO0123456789.-+/%;()[]#=* \nWHILEDOENDGOTOIF";
    let words = [
        "G41 D1",
        "#1=[2**99]",
        "WHILE [1] DO1",
        "END1",
        "GOTO 10",
        "M98 P1 L999999999",
        "O1",
        "M99",
        "G68 R45",
        "G16",
        "G83 Z-9 R1 Q1e",
        "X#1",
        "G33 K1",
        "G95",
        "G91",
        "G51 P2",
        "G18",
        "G2 X5 I1 K3",
    ];
    let (mut read_well, mut refused) = (0, 0);
    for n in 0..1000 {
        let d = &shipped()[n % shipped().len()];
        let mut bytes = post(&Heading::default(), &paths, d).text.into_bytes();
        for _ in 0..=random(2) {
            let at = random(bytes.len());
            match random(5) {
                0 => bytes[at] = signs[random(signs.len())],
                1 => drop(bytes.remove(at)),
                2 => bytes.insert(at, signs[random(signs.len())]),
                3 => {
                    let word = format!("\n{}\n", words[random(words.len())]);
                    bytes.splice(at..at, word.bytes());
                }
                _ => {
                    let to = (at + random(200)).min(bytes.len());
                    let piece = bytes[at..to].to_vec();
                    bytes.splice(at..at, piece);
                }
            }
        }
        let text = String::from_utf8_lossy(&bytes).into_owned();
        match read(&text, &ReadSettings { most_steps: 20_000, ..reading(d) }) {
            Ok(p) => {
                assert!(p.steps.iter().all(|s| s.to.is_finite() && s.length().is_finite()), "{text}");
                read_well += 1;
            }
            Err(e) => {
                assert!(e.line >= 1 && e.line as usize <= text.lines().count() && !e.what.is_empty(), "{e}");
                refused += 1;
            }
        }
    }
    assert!(read_well > 100 && refused > 100, "{read_well} read, {refused} refused");
}

/// Broken off at any line, in every control: what follows is what the first program does from a place above all on, in the same state, and it comes there from
/// the machine's top.
#[test]
fn a_program_that_was_broken_off_is_gone_on_with() {
    let paths = [sample(), every_kind()].concat();
    let heading = Heading { name: "Encoder bracket".into(), number: 7, ..Heading::default() };
    for d in shipped() {
        let posted = post(&heading, &paths, d);
        let whole = read(&posted.text, &reading(d)).unwrap();
        let begins = whole.steps.iter().find(|s| s.moves() && !s.machine && s.tool != 0).unwrap().line;
        let operations: Vec<(String, [u32; 2])> =
            posted.promises.iter().map(|p| (p.operation.clone(), [p.first_line, p.last_line])).collect();
        let mut lifts = 0;
        for line in 1..=posted.text.lines().count() as u32 {
            for how in [GoOn::LastLift, GoOn::Step] {
                let r = restart(&posted.text, &reading(d), &heading, &operations, line, how);
                if line < begins {
                    assert!(r.unwrap_err().what.contains("from its beginning"), "{} line {line}", d.id);
                    continue;
                }
                let r = r.unwrap_or_else(|e| panic!("{} line {line}: {e}", d.id));
                // Nothing is passed over.
                let between = |s: &&Step| s.line > line && s.line < r.from_line;
                let cut = whole.steps.iter().filter(between).any(|s| matches!(s.kind, StepKind::Feed { .. }));
                assert!(!cut, "{}: {} after {line}", d.id, r.from_line);
                lifts += u32::from(how == GoOn::LastLift && r.from_line > begins);
                let p = read(&r.text, &reading(d)).unwrap_or_else(|e| panic!("{} line {line}: {e}\n{}", d.id, r.text));
                // The cutter is called and turns before anything comes down; down at rapid over the place, no lower than all its moves are.
                let down = p.steps.iter().position(|s| s.moves() && !s.machine && s.to.z < 100.0).unwrap();
                let s = &p.steps[down];
                assert!(s.kind == StepKind::Rapid && s.tool == r.tool && s.spindle.is_some(), "{}: {s:?}", d.id);
                assert!(
                    s.from.truncate().distance(s.to.truncate()) < 1e-9,
                    "{} line {line}: straight down {s:?}",
                    d.id
                );
                assert!(s.to.distance(r.above.into()) < off(d), "{}: {} {:?}", d.id, s.to, r.above);
                let same_tool = p.steps[down..].iter().take_while(|x| x.kind != StepKind::ToolChange);
                assert!(same_tool.filter(|x| x.moves() && !x.machine).all(|x| x.to.z <= s.to.z + off(d)));
                assert!(
                    !r.text[..r.text.find("M6").or_else(|| r.text.find("T0")).unwrap_or(0)].contains("M3"),
                    "{}",
                    r.text
                );
                still_at_changes(&r.text, &p.steps, &d.id);
                // From there on it is the same motion.
                let feeds = |steps: &[Step]| -> Vec<Step> {
                    let cuts = |s: &&Step| matches!(s.kind, StepKind::Feed { .. }) && s.length() > 0.05;
                    steps.iter().filter(cuts).cloned().collect()
                };
                let rest: Vec<Step> = whole.steps.iter().filter(|s| s.line >= r.from_line).cloned().collect();
                let want: Vec<Step> = feeds(&rest);
                let got = feeds(&p.steps);
                // Looked at closely at every ninth line: it is slow.
                if line % 9 == 0 || line == begins {
                    same(&want, &got, 2.0 * off(d), d);
                }
                let long = |l: &[Step]| l.iter().map(Step::length).sum::<f64>();
                let (a, b) = (long(&want), long(&got));
                assert!((a - b).abs() < 0.002 * a + 20.0 * off(d), "{} line {line}: {a} {b}", d.id);
            }
        }
        assert!(lifts > 10, "{}: {lifts}", d.id);
    }
    let bench = shipped().iter().find(|d| d.id == "bench").unwrap();
    let text = post(&heading, &paths, bench).text;
    assert!(restart(&text, &reading(bench), &heading, &[], 99_999, GoOn::Step).is_err());
}

/// Three quarters, a full turn, a helix of two turns, a tiny arc, holes of every kind, a mist.
fn every_kind() -> Vec<Toolpath> {
    let v = DVec3::new;
    let c = DVec2::new(10.0, 5.0);
    let at = |deg: f64, r: f64, z: f64| (c + DVec2::from_angle(deg.to_radians()) * r).extend(z);
    let arc = |to: DVec3, ccw: bool| Move::Arc { to, center: c, ccw, feed: 250.0 };
    let hole = |cycle: Cycle, feed: f64, n: f64| Move::Drill {
        at: vec![DVec2::new(2.0 * n, 3.0), DVec2::new(2.0 * n, 9.123)],
        clear: 15.0,
        start: 2.0,
        bottom: -8.0,
        cycle,
        feed,
    };
    let path = |op: &str, tool: u32, rpm: f64, coolant: Coolant, moves: Vec<Move>| Toolpath {
        op: op.into(),
        title: format!("Of {op}"),
        tool,
        rpm,
        coolant,
        engagement_limit: None,
        power_kw: None,
        moves,
    };
    let round = vec![
        Move::Rapid { to: at(0.0, 8.0, 15.0) },
        Move::Rapid { to: at(0.0, 8.0, 1.0) },
        Move::Feed { to: at(0.0, 8.0, -1.0), feed: 90.0 },
        arc(at(270.0, 8.0, -1.0), true),
        arc(at(0.0, 8.0, -1.0), true),
        arc(at(0.0, 8.0, -1.0), false),
        arc(at(0.0, 8.0, -2.25), true),
        arc(at(0.0, 8.0, -3.5), true),
        // A whole turn after one in the same direction.
        arc(at(0.0, 8.0, -3.5), true),
        arc(at(30.0, 8.0, -3.5), false),
        // Shorter than an increment: no full turn.
        arc(at(30.001, 8.0, -3.5), true),
        Move::Feed { to: at(30.0, 3.0, -3.5), feed: 400.0 },
        arc(at(210.0, 3.0, -3.0), false),
        Move::Rapid { to: at(210.0, 3.0, 15.0) },
    ];
    vec![
        path("round", 11, 4000.0, Coolant::Mist, round),
        path("plain", 12, 3000.0, Coolant::Flood, vec![hole(Cycle::Plain, 120.0, 1.0)]),
        path("peck", 12, 3000.0, Coolant::Flood, vec![hole(Cycle::Peck(2.5), 120.0, 2.0)]),
        path("ream", 13, 600.0, Coolant::Flood, vec![hole(Cycle::Ream, 90.0, 3.0)]),
        path("tap", 14, 400.0, Coolant::Flood, vec![hole(Cycle::Tap, 500.0, 4.0)]),
        path(
            "last",
            11,
            4000.0,
            Coolant::Dry,
            vec![Move::Rapid { to: v(0.0, 0.0, 15.0) }, Move::Feed { to: v(1.0, 1.0, 1.0), feed: 50.0 }],
        ),
    ]
}

fn sample() -> Vec<Toolpath> {
    let v = DVec3::new;
    vec![
        Toolpath {
            op: "a".into(),
            title: "Rough (outline) Ø6 – side 1".into(),
            tool: 4,
            rpm: 5000.0,
            coolant: Coolant::Flood,
            engagement_limit: Some(1.0),
            power_kw: Some(0.3),
            moves: vec![
                Move::Rapid { to: v(1.23456, -2.0, 20.0) },
                Move::Rapid { to: v(1.23456, -2.0, 1.0) },
                Move::Feed { to: v(1.23456, -2.0, -3.3333333), feed: 120.0 },
                Move::Arc {
                    to: v(11.23456, -2.0, -3.3333333),
                    center: DVec2::new(6.23456, -2.0),
                    ccw: false,
                    feed: 333.0,
                },
                Move::Arc { to: v(1.23456, -2.0, -4.5), center: DVec2::new(6.23456, -2.0), ccw: true, feed: 333.0 },
                Move::Rapid { to: v(1.23456, -2.0, 20.0) },
            ],
        },
        Toolpath {
            op: "b".into(),
            title: "Drill".into(),
            tool: 9,
            rpm: 3000.0,
            coolant: Coolant::Dry,
            engagement_limit: None,
            power_kw: None,
            moves: vec![Move::Drill {
                at: vec![DVec2::new(3.0, 4.0), DVec2::new(-5.0, 6.5)],
                clear: 20.0,
                start: 1.0,
                bottom: -10.0,
                cycle: Cycle::Peck(3.0),
                feed: 90.0,
            }],
        },
    ]
}

#[test]
fn text_follows_the_motion_within_its_rounding() {
    let heading = Heading {
        lines: vec!["Encoder bracket, side 1".into()],
        tools: vec![PostTool { number: 4, words: "flat 6".into() }],
        stops: vec![],
        ..Heading::default()
    };
    let inch = shipped().iter().find(|d| d.id == "bench-inch").unwrap().clone();
    for (dialect, tol) in [(Dialect::default(), 6e-5), (Dialect { arc_most_deg: 360.0, ..inch }, 1.4e-4)] {
        let text = post(&heading, &sample(), &dialect).text;
        let p = read(&text, &reading(&dialect)).unwrap_or_else(|e| panic!("{e}\n{text}"));
        assert!(p.ended, "{text}");
        let cuts: Vec<_> = p.steps.iter().filter(|s| matches!(s.kind, StepKind::Feed { .. })).collect();
        assert_eq!(cuts.len(), 3 + 2 * 4, "{text}");
        let ends: Vec<DVec3> = cuts[..3].iter().map(|s| s.to).collect();
        for (got, want) in ends.iter().zip([
            DVec3::new(1.23456, -2.0, -3.33333),
            DVec3::new(11.23456, -2.0, -3.33333),
            DVec3::new(1.23456, -2.0, -4.5),
        ]) {
            assert!((*got - want).abs().max_element() < tol, "{got} {want}\n{text}");
        }
        // The control is told the state in the open, and nothing moves in XY before Z is at the top.
        let first_xy = p.steps.iter().position(|s| s.moves() && s.to.truncate() != s.from.truncate()).unwrap();
        assert!(p.steps[..first_xy].iter().any(|s| s.machine));
        for (k, s) in p.steps.iter().enumerate() {
            if s.kind == StepKind::ToolChange {
                assert!(p.steps[k + 1].machine, "a retract follows each tool change");
            }
        }
        assert!(!text.contains('Ø') && text.is_ascii());
    }
}

/// A stop for a person: coolant off, spindle at the top and still, what is done there in words, M0; then the same cutter goes on as if it had just been called.
#[test]
fn a_stop_leaves_nothing_turning() {
    let stop = |before: usize| Stop { before, lines: vec!["Screws in, then start again".into()] };
    let heading = Heading { stops: vec![stop(1)], ..Heading::default() };
    let text = post(&heading, &sample(), &Dialect::default()).text;
    let lines: Vec<&str> = text.lines().collect();
    let at = lines.iter().position(|l| *l == "M0").unwrap();
    assert_eq!(lines[at - 3..at], ["G53 G0 Z0.", "M5", "(STOP: SCREWS IN, THEN START AGAIN)"], "{text}");
    let p = read(&text, &ReadSettings::default()).unwrap();
    let pause = p.steps.iter().position(|s| s.kind == StepKind::Pause { optional: false }).unwrap();
    assert!(p.steps[pause].spindle.is_none() && !p.steps[pause].coolant);
    // What comes after is what comes without it.
    let plain =
        read(&post(&Heading::default(), &sample(), &Dialect::default()).text, &ReadSettings::default()).unwrap();
    let cuts = |p: &program::Program| -> Vec<(DVec3, Option<f64>, Option<u32>)> {
        let feeds = p.steps.iter().filter(|s| matches!(s.kind, StepKind::Feed { .. }));
        feeds.map(|s| (s.to, s.spindle, s.length_offset)).collect()
    };
    assert_eq!(cuts(&p), cuts(&plain));
    // Before the first path too, and where nothing follows there is no stop.
    let count = |n: usize| {
        let heading = Heading { stops: vec![stop(n)], ..Heading::default() };
        post(&heading, &sample(), &Dialect::default()).text.lines().filter(|l| *l == "M0").count()
    };
    assert_eq!((count(0), count(99)), (1, 0));
}
