//! What is posted reads back as the same motion, in mm and in inch.

use geom::{DVec2, DVec3};
use path::motion::{Coolant, Cycle, Move, Toolpath};
use program::{Dialect, Heading, PostTool, ReadSettings, StepKind, Stop, post, read};

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
        tried: vec![],
    };
    for (dialect, tol) in [(Dialect::bench_mill(), 6e-5), (Dialect::bench_mill_inch(), 1.4e-4)] {
        let text = post(&heading, &sample(), &dialect).text;
        let p = read(&text, &ReadSettings::default()).unwrap_or_else(|e| panic!("{e}\n{text}"));
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
    let text = post(&heading, &sample(), &Dialect::bench_mill()).text;
    let lines: Vec<&str> = text.lines().collect();
    let at = lines.iter().position(|l| *l == "M0").unwrap();
    assert_eq!(lines[at - 3..at], ["G53 G0 Z0.", "M5", "(STOP: SCREWS IN, THEN START AGAIN)"], "{text}");
    let p = read(&text, &ReadSettings::default()).unwrap();
    let pause = p.steps.iter().position(|s| s.kind == StepKind::Pause { optional: false }).unwrap();
    assert!(p.steps[pause].spindle.is_none() && !p.steps[pause].coolant);
    // What comes after is what comes without it.
    let plain =
        read(&post(&Heading::default(), &sample(), &Dialect::bench_mill()).text, &ReadSettings::default()).unwrap();
    let cuts = |p: &program::Program| -> Vec<(DVec3, Option<f64>, Option<u32>)> {
        let feeds = p.steps.iter().filter(|s| matches!(s.kind, StepKind::Feed { .. }));
        feeds.map(|s| (s.to, s.spindle, s.length_offset)).collect()
    };
    assert_eq!(cuts(&p), cuts(&plain));
    // Before the first path too, and where nothing follows there is no stop.
    let count = |n: usize| {
        let heading = Heading { stops: vec![stop(n)], ..Heading::default() };
        post(&heading, &sample(), &Dialect::bench_mill()).text.lines().filter(|l| *l == "M0").count()
    };
    assert_eq!((count(0), count(99)), (1, 0));
}
