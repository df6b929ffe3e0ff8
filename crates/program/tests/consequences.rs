//! An edited text told by what comes of it: each fault that is planted is named for what it does, and only that.

use geom::{DVec2, DVec3};
use path::motion::{Coolant, Cycle, Move, Toolpath};
use program::{Consequence, Dialect, Heading, Other, Posted, ReadSettings, consequences, post};

fn posted() -> Posted {
    let v = DVec3::new;
    let path = |op: &str, tool: u32, rpm: f64, moves: Vec<Move>| Toolpath {
        op: op.into(),
        title: op.into(),
        tool,
        rpm,
        coolant: Coolant::Flood,
        engagement_limit: Some(1.0),
        power_kw: None,
        moves,
    };
    let side = |z: f64| {
        vec![
            Move::Rapid { to: v(0.0, 0.0, 20.0) },
            Move::Rapid { to: v(0.0, 0.0, 2.0) },
            Move::Feed { to: v(0.0, 0.0, z), feed: 150.0 },
            Move::Feed { to: v(40.0, 0.0, z), feed: 600.0 },
            Move::Arc { to: v(40.0, 20.0, z), center: DVec2::new(40.0, 10.0), ccw: true, feed: 600.0 },
            Move::Feed { to: v(0.0, 20.0, z), feed: 600.0 },
            Move::Rapid { to: v(0.0, 20.0, 20.0) },
        ]
    };
    let hole = Move::Drill {
        at: vec![DVec2::new(5.0, 5.0), DVec2::new(15.0, 5.0)],
        clear: 20.0,
        start: 1.0,
        bottom: -9.0,
        cycle: Cycle::Plain,
        feed: 120.0,
    };
    let paths = [
        path("rough", 2, 5000.0, side(-3.0)),
        path("finish", 2, 6000.0, side(-3.2)),
        path("drill", 5, 2000.0, vec![hole]),
    ];
    post(&Heading::default(), &paths, &Dialect::default()).unwrap()
}

fn told(edit: &dyn Fn(&str) -> String) -> Vec<Consequence> {
    let p = posted();
    let text = edit(&p.text);
    assert_ne!(text, p.text);
    consequences(&p, &text, &ReadSettings::default()).unwrap()
}

fn kinds(list: &[Consequence]) -> Vec<(Other, &str)> {
    list.iter().map(|c| (c.other, c.operation.as_str())).collect()
}

#[test]
fn each_edit_is_told_by_what_comes_of_it() {
    let c = told(&|t| t.replacen("S5000", "S4000", 1));
    assert_eq!(kinds(&c), [(Other::Speed, "rough")]);
    assert_eq!((c[0].rpm, c[0].words.contains("4000 instead of 5000")), (Some(4000.0), true));

    // Every feed of the first operation that cuts sideways: its plunge stays.
    let c = told(&|t| t.replacen("F600.", "F480.", 1));
    assert_eq!(kinds(&c), [(Other::Feed, "rough")]);
    assert!((c[0].feed_share.unwrap() - 0.8).abs() < 1e-9 && c[0].words.contains("80 %"), "{}", c[0].words);
    assert!(posted().text.lines().nth(c[0].line as usize - 1).unwrap().contains("F600."));

    let c = told(&|t| t.replacen("Z-3.2", "Z-3.4", 1));
    assert_eq!(kinds(&c), [(Other::Depth, "finish")]);
    assert!(reason::plain(&c[0].words).contains("0.200 mm deeper: to Z -3.400 instead of -3.200"), "{}", c[0].words);

    let c = told(&|t| t.replacen("Y20. I0. J10.", "Y20.5 I0. J10.25", 1));
    assert_eq!(kinds(&c), [(Other::Way, "rough")]);
    let c = told(&|t| t.replacen("M8\n", "", 1));
    assert!(kinds(&c).contains(&(Other::Coolant, "rough")), "{c:?}");
    let c = told(&|t| t.replacen("M5\n", "M5\nM0\n", 1));
    assert_eq!((kinds(&c), c[0].words.as_str()), (vec![(Other::Stops, "")], "1 stop for a person more"));
    let c = told(&|t| t.replacen("T5 M6", "T6 M6", 1).replacen("G43 H5", "G43 H6", 1));
    assert_eq!((kinds(&c), c[0].tool), (vec![(Other::Cutter, "drill")], Some(6)));
    // A hole less.
    let c = told(&|t| t.replacen("X15. Y5.\n", "", 1));
    assert_eq!(kinds(&c), [(Other::Moves, "drill")]);
    // The whole operation.
    let c = told(&|t| {
        let from = t.find("(STEP 3").unwrap();
        let to = t[from..].find("G80\n").unwrap() + from + 4;
        format!("{}{}", &t[..from], &t[to..])
    });
    assert_eq!(kinds(&c), [(Other::Skipped, "drill")]);
}

#[test]
fn what_is_only_writing_is_told_apart() {
    let c = told(&|t| t.replacen("(STEP 1: ROUGH)", "(STEP 1: ROUGH IT)", 1));
    assert_eq!((kinds(&c), c[0].words.as_str()), (vec![(Other::Words, "")], "1 comment is other: nothing else"));
    // One that comes before all others leaves them what they are.
    let c = told(&|t| format!("(READ BACK)\n{t}"));
    assert_eq!((kinds(&c), c[0].words.as_str()), (vec![(Other::Words, "")], "1 comment is other: nothing else"));
    // Numbers, letters and blanks as another control gives them back.
    let c = told(&|t| t.replace("X40.", "x40.000").replace("G1 ", "g01"));
    assert_eq!(kinds(&c), [(Other::Words, "")]);
    assert!(c[0].words.contains("only its writing"));
    // A text that cannot be followed is an error with its line, and one that is the posted text has no consequences.
    let p = posted();
    assert!(consequences(&p, &p.text.replacen("G1", "G1.7", 1), &ReadSettings::default()).is_err());
    assert!(consequences(&p, &p.text, &ReadSettings::default()).unwrap().is_empty());
}
