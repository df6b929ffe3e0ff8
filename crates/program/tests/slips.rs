//! Slips of every sort, in every control's words: each is where it says, and what is read of it is other than before.

use program::{Heading, Promise, ReadSettings, Shape, Site, Slip, Step, read, sites, slipped, translate};
use shop::dialect::{Dialect, shipped};
use std::collections::BTreeMap;

const TEXT: &str = "G17 G21 G90 G94
G40 G49 G80 G54
G53 G0 Z0.
(STEP 1: FACE, FACE MILL D40)
T1 M6
G53 G0 Z0.
S1980 M3
G0 X-22.5 Y-6.
G43 H1 Z30.
M8
Z26.
G1 Z24.25 F172.
X-10. F576.
G3 X-20. Y-16. I0. J-10.
G1 X77.5
G0 Z30.
M9
G53 G0 Z0.
M5
(STEP 2: POCKET, END MILL D12)
T2 M6
G53 G0 Z0.
S6000 M3
G0 X10. Y10.
G43 H2 Z30.
M8
Z26.
G1 Z20. F300.
Y40. F900.
G2 X20. Y50. I10. J0.
G0 Z30.
M9
G53 G0 Z0.
M5
M30
";

fn promise(first_line: u32, last_line: u32, tool: u32) -> Promise {
    let (operation, coolant) = (format!("op {tool}"), "flood".to_string());
    Promise { operation, first_line, last_line, tool, engagement_deg: None, coolant, power_kw: None }
}

fn settings(d: &Dialect) -> ReadSettings {
    ReadSettings { dialect: d.clone(), ..ReadSettings::default() }
}

/// What a control would do, without the lines.
fn does(steps: &[Step]) -> Vec<Step> {
    steps.iter().map(|s| Step { line: 0, ..s.clone() }).collect()
}

#[test]
fn each_slip_does_something_else_where_it_says() {
    let bench = Dialect::default();
    let promises = [promise(4, 19, 1), promise(20, 34, 2)];
    for d in shipped() {
        let posted = translate(TEXT, &settings(&bench), &Heading::default(), d, &promises).unwrap();
        let own = read(&posted.text, &settings(d)).unwrap();
        let all = sites(&posted.text, &own, &posted.promises, d);
        let mut by: BTreeMap<Slip, Vec<&Site>> = BTreeMap::new();
        all.iter().for_each(|s| by.entry(s.slip).or_default().push(s));
        // What every control has words for; a length of its own only where it is called by H.
        let mut wanted =
            vec![Slip::Depth, Slip::Sign, Slip::Feed, Slip::Speed, Slip::Coolant, Slip::LeftOut, Slip::Order];
        // Where the control has arcs.
        if own.steps.iter().any(|s| matches!(s.shape, Shape::Arc { .. })) {
            wanted.push(Slip::Arc);
        }
        for want in wanted {
            assert!(by.contains_key(&want), "{}: no {want:?} in\n{}", d.id, posted.text);
        }
        for site in all {
            let s = slipped(&posted.text, &site);
            assert_ne!(s.text, posted.text, "{}: {site:?}", d.id);
            assert_ne!(s.was, s.is);
            let (old, new): (Vec<&str>, Vec<&str>) = (posted.text.lines().collect(), s.text.lines().collect());
            assert!(s.lines[0] >= 1 && s.lines[0] <= s.lines[1] && s.lines[1] as usize <= new.len(), "{s:?}");
            // Up to its lines nothing is other.
            assert_eq!(old[..s.lines[0] as usize - 1], new[..s.lines[0] as usize - 1], "{}: {s:?}", d.id);
            if old.len() == new.len() && s.slip != Slip::Order {
                assert_eq!(old[s.lines[1] as usize..], new[s.lines[1] as usize..], "{}: {s:?}", d.id);
            }
            // Numbers of lines tell nothing.
            let numbers = |l: &[&str]| {
                let n = |t: &&str| {
                    t.trim_start_matches('/')
                        .strip_prefix('N')?
                        .split(|c: char| !c.is_ascii_digit())
                        .next()?
                        .parse()
                        .ok()
                };
                l.iter().filter_map(n).collect::<Vec<u32>>()
            };
            let n = numbers(&new);
            assert!(n.windows(2).all(|w| w[1] - w[0] == d.numbered), "{}: {n:?}", d.id);
            // It does something else, or the control would refuse it.
            if let Ok(p) = read(&s.text, &settings(d)) {
                assert_ne!(does(&p.steps), does(&own.steps), "{}: {s:?}", d.id);
            }
        }
    }
}

#[test]
fn a_text_without_moves_has_no_slips() {
    let d = &Dialect::default();
    for text in ["", "(NOTHING)\n", "%\nM30\n%\n"] {
        let own = read(text, &settings(d)).unwrap_or_else(|e| panic!("{text:?}: {e}"));
        assert_eq!(sites(text, &own, &[], d), []);
    }
}
