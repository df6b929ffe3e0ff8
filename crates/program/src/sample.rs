//! A short program in a control's own writing, read back at once: what a description of a control comes to.

use crate::{Heading, PostTool, ReadSettings, Stop, Told, explain, post, read};
use geom::{DVec2, DVec3};
use path::motion::{Coolant, Cycle, Move, Toolpath};
use serde::Serialize;
use shop::dialect::Dialect;
use ts_rs::TS;

/// What a control's description comes to.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
pub struct Sample {
    /// What makes no sense in the description, or what its own reader makes of the text that is other than what was meant.
    pub fault: Option<String>,
    /// The program, line by line.
    pub lines: Vec<Told>,
}

/// What is meant: a straight cut, half a circle, a helix, holes with pecks, a tapped hole; two cutters and a stop.
fn paths() -> Vec<Toolpath> {
    let v = DVec3::new;
    let path = |op: &str, tool: u32, rpm: f64, moves: Vec<Move>| Toolpath {
        op: op.into(),
        title: op.into(),
        tool,
        rpm,
        coolant: Coolant::Flood,
        engagement_limit: None,
        power_kw: None,
        moves,
    };
    let hole = |cycle: Cycle, feed: f64, at: Vec<DVec2>| Move::Drill {
        at,
        clear: 20.0,
        start: 2.0,
        bottom: -8.0,
        cycle,
        feed,
    };
    let center = DVec2::new(30.0, 10.0);
    vec![
        path(
            "Half a circle and a helix",
            2,
            6000.0,
            vec![
                Move::Rapid { to: v(0.0, 0.5, 20.0) },
                Move::Rapid { to: v(0.0, 0.5, 2.0) },
                Move::Feed { to: v(0.0, 0.5, -1.5), feed: 200.0 },
                Move::Feed { to: v(30.0, 0.0, -1.5), feed: 640.0 },
                Move::Arc { to: v(30.0, 20.0, -1.5), center, ccw: true, feed: 640.0 },
                Move::Arc { to: v(30.0, 20.0, -2.5), center, ccw: true, feed: 320.0 },
                Move::Rapid { to: v(30.0, 20.0, 20.0) },
            ],
        ),
        path(
            "Two holes",
            5,
            2400.0,
            vec![hole(Cycle::Peck(4.0), 190.0, vec![DVec2::new(10.0, 10.0), DVec2::new(50.0, 10.0)])],
        ),
        path("A thread M6", 6, 500.0, vec![hole(Cycle::Tap, 500.0, vec![DVec2::new(10.0, 10.0)])]),
    ]
}

/// Write the sample for a control and read it back.
pub fn sample(dialect: &Dialect) -> Sample {
    let nothing = |why: String| Sample { fault: Some(why), lines: Vec::new() };
    if let Some(why) = dialect.fault() {
        return nothing(why);
    }
    let heading = Heading {
        name: "Sample".into(),
        number: 1,
        tools: vec![PostTool { number: 2, words: "end mill".into() }],
        stops: vec![Stop { before: 2, lines: vec!["look whether both holes are there".into()] }],
        table_forward_mm: Some(0.0),
        ..Heading::default()
    };
    let settings = |d: &Dialect| ReadSettings { dialect: d.clone(), ..ReadSettings::default() };
    let text = match post(&heading, &paths(), dialect) {
        Ok(p) => p.text,
        Err(e) => return nothing(e.to_string()),
    };
    let (program, lines) = match explain(&text, &settings(dialect)) {
        Ok(told) => told,
        Err(e) => {
            let lines = (1..).zip(text.lines());
            let lines =
                lines.map(|(line, t)| Told { line, text: t.into(), words: String::new(), comes: String::new() });
            return Sample { fault: Some(format!("its own reader cannot follow {e}")), lines: lines.collect() };
        }
    };
    // The same in RS-274, to hold it to: where cuts end.
    let plain = post(&heading, &paths(), &Dialect::default()).map(|p| read(&p.text, &settings(&Dialect::default())));
    let meant = plain.ok().and_then(Result::ok).map(|p| p.steps).unwrap_or_default();
    let lowest = |steps: &[crate::Step]| -> Vec<DVec3> {
        steps.iter().filter(|s| s.moves() && !s.machine && s.tool != 0).map(|s| s.to).collect()
    };
    let (want, got) = (lowest(&meant), lowest(&program.steps));
    let off = 2.0 * dialect.increment_mm() + dialect.chord_mm;
    let lost = want.iter().find(|w| !got.iter().any(|g| g.distance(**w) <= off));
    let fault = lost
        .map(|w| format!("read back it never comes to X{:.3} Y{:.3} Z{:.3}, where it was meant to go", w.x, w.y, w.z));
    Sample { fault, lines }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_shipped_control_reads_its_own_sample() {
        for d in shop::dialect::shipped() {
            let s = sample(d);
            assert_eq!(s.fault, None, "{}", d.id);
            assert!(s.lines.len() > 25 && s.lines.iter().any(|l| l.comes.contains("mm/min")), "{}", d.id);
        }
    }

    #[test]
    fn a_description_that_reads_other_than_it_writes_is_told() {
        // First lines that shift what follows: written G54, read as moved by 5.
        let d = Dialect { safe_start: "G17 G21 G90 G94|G40 G49 G80 G54|G92 X5".into(), ..Dialect::default() };
        assert!(sample(&d).fault.unwrap().contains("never comes to"));
        let d = Dialect { safe_start: "G90 G77".into(), ..Dialect::default() };
        assert!(sample(&d).fault.unwrap().contains("G77"));
        let d = Dialect { decimals: 0, ..Dialect::default() };
        assert!(sample(&d).fault.unwrap().contains("increment"));
    }
}
