//! Planted errors: each must be found with its size and place, and nothing else.

use geom::{Box3, DVec2, DVec3, Placement};
use kernel::shape::{Piece, Shape, rounded_polygon};
use part::Part;
use program::{Anchored, Promise};
use proof::{Input, KeepOut, Limits, Proof, SetupInput, When, prove};
use reason::Severity;
use shop::Shop;
use shop::tool::{HolderPiece, Tool, ToolKind};
use std::fmt::Write;

fn tool(number: u32, kind: ToolKind, d: f64) -> Tool {
    Tool {
        number,
        kind,
        diameter_mm: d,
        corner_radius_mm: 0.0,
        tip_diameter_mm: 0.0,
        point_angle_deg: if kind == ToolKind::Drill { 118.0 } else { 90.0 },
        flute_length_mm: 22.0,
        shank_diameter_mm: d,
        stickout_mm: 30.0,
        holder: vec![HolderPiece { diameter_mm: 25.0, length_mm: 40.0 }],
        flutes: 3,
        carbide: true,
        centre_cutting: true,
        ramp_deg: None,
        helix_deg: None,
        pitch_mm: None,
        least_pitch_mm: None,
        lead_threads: None,
        floating: false,
        flank_deg: None,
    }
}

fn part(shape: &Shape) -> Part {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("p.step");
    shape.write_step(&file).unwrap();
    Part::from_raw(&intake::read_trusted(&file).unwrap().raw).unwrap()
}

/// Work zero on the part's origin; the tools are flat 6 (T1), drill 5 (T2), flat 20 (T3).
fn prove_text(p: &Part, stock: Box3, text: &str, keep_out: Vec<KeepOut>) -> Proof {
    prove_promised(p, stock, text, keep_out, Some(vec![]))
}

fn prove_promised(p: &Part, stock: Box3, text: &str, keep_out: Vec<KeepOut>, promises: Option<Vec<Promise>>) -> Proof {
    prove_with(p, stock, text, keep_out, promises, |_| {})
}

fn prove_with(
    p: &Part,
    stock: Box3,
    text: &str,
    keep_out: Vec<KeepOut>,
    promises: Option<Vec<Promise>>,
    change: impl FnOnce(&mut SetupInput),
) -> Proof {
    let shop = Shop::demo().unwrap();
    let zero = DVec3::new(200.0, 100.0, -290.0);
    let program = program::read(text, &program::ReadSettings { zero_in_machine: zero, ..Default::default() })
        .unwrap_or_else(|e| panic!("{e}\n{text}"));
    let tools = vec![tool(1, ToolKind::Flat, 6.0), tool(2, ToolKind::Drill, 5.0), tool(3, ToolKind::Flat, 20.0)];
    let mut setups = [SetupInput {
        name: "side 1".into(),
        program,
        part_from_work: Placement::IDENTITY,
        zero_in_machine: zero,
        tools,
        keep_out,
        bodies: Vec::new(),
        promises: promises.map(|promises| Anchored { promises, lost: vec![] }),
        sawn: None,
    }];
    change(&mut setups[0]);
    prove(&Input {
        model: &p.mesh,
        chord_error: p.chord_error,
        stock,
        bar: None,
        setups: &setups,
        named: &[],
        points: &[],
        threads: &[],
        not_planned: &[],
        nests: &[],
        slants: &[],
        standing: &[],
        machine: Some(&shop.machine),
        material: shop.material("aluminium-6082").ok(),
        limits: Limits { rays: [90_000.0, 60_000.0], ..Default::default() },
    })
}

/// The same in a frame of its own.
fn prove_from(p: &Part, stock: Box3, text: &str, part_from_work: Placement) -> Proof {
    prove_with(p, stock, text, vec![], Some(vec![]), |setup| setup.part_from_work = part_from_work)
}

fn promise(first_line: u32, last_line: u32, engagement_deg: Option<f64>) -> Promise {
    Promise {
        operation: "rough:a".into(),
        first_line,
        last_line,
        tool: 1,
        engagement_deg,
        coolant: "flood".into(),
        power_kw: None,
    }
}

fn program_of(body: &str) -> String {
    format!(
        "%\nG17 G21 G90 G94\nG40 G49 G80 G54\nG53 G0 Z0\nT1 M6\nG53 G0 Z0\nS5000 M3 M8\nG0 X-30 Y-30\nG43 H1 Z20\n{body}\nG53 G0 Z0\nM5\nM30\n%\n"
    )
}

/// A prism of five sides turned by an odd angle, 10 mm high, at an odd place; every side is cut by straight passes that begin
/// and end in the air. `errors` shifts the last pass of side k outwards (+) or inwards (−).
fn outline_case(errors: &[f64]) -> (Part, Box3, String) {
    let n = 5;
    let center = DVec2::new(13.37, 9.17);
    let corner = |k: usize| center + DVec2::from_angle(0.377 + k as f64 / n as f64 * std::f64::consts::TAU) * 14.0;
    let outline: Vec<Piece> = (0..n).map(|k| Piece { to: corner(k).to_array(), mid: None }).collect();
    let p = part(&Shape::prism(&outline, 0.0, 10.0).unwrap());
    let stock = Box3 { min: p.bounds.min - DVec3::new(1.0, 1.0, 4.0), max: p.bounds.max + DVec3::new(1.0, 1.0, 0.0) };
    let mut body = String::new();
    for k in 0..n {
        let (a, c) = (corner(k), corner((k + 1) % n));
        let u = (c - a).normalize();
        for skin in [0.5, errors.get(k).copied().unwrap_or(0.0)] {
            let off = -u.perp() * (3.0 + skin);
            let (s, e) = (a - u * 12.0 + off, c + u * 12.0 + off);
            for z in [3.0, -0.2] {
                let _ = writeln!(body, "G0 X{:.5} Y{:.5}\nG0 Z{z}\nG1 X{:.5} Y{:.5} F800\nG0 Z20", s.x, s.y, e.x, e.y);
            }
        }
    }
    (p, stock, program_of(&body))
}

#[test]
fn a_true_outline_passes_but_for_the_hat() {
    let (p, stock, text) = outline_case(&[]);
    let proof = prove_text(&p, stock, &text, vec![]);
    assert!(proof.gouge_mm < 0.003, "{}", proof.gouge_mm);
    assert!(
        !proof.complete && proof.findings.iter().any(|f| f.severity == Severity::Warn && f.kind == "needs_other_side"),
        "{:#?}",
        proof.findings.iter().map(|f| &f.what).collect::<Vec<_>>()
    );
}

/// 0.03 mm too deep on one side, at an odd angle and off every grid.
#[test]
fn a_wall_gouged_by_three_hundredths_is_found() {
    for side in 0..5 {
        let mut errors = [0.0; 5];
        errors[side] = -0.03;
        let (p, stock, text) = outline_case(&errors);
        let proof = prove_text(&p, stock, &text, vec![]);
        assert!((proof.gouge_mm - 0.03).abs() <= proof.error_mm + 0.0005, "{side}: {}", proof.gouge_mm);
        let f = proof.findings.iter().find(|f| f.kind == "gouge" && f.severity == Severity::Stop).expect("a gouge");
        assert!(f.what.contains('±'));
    }
}

#[test]
fn a_wall_left_by_three_hundredths_is_measured() {
    let (p, stock, text) = outline_case(&[0.0, 0.0, 0.03, 0.0, 0.0]);
    let proof = prove_text(&p, stock, &text, vec![]);
    assert!(proof.gouge_mm < 0.003);
    let f = proof.findings.iter().find(|f| f.kind == "small_leftover").expect("a note");
    assert!(["0.029", "0.030", "0.031"].iter().any(|v| f.what.contains(v)), "{}", f.what);
}

/// A 40 × 30 × 10 block with a pocket; stock is the block itself.
fn pocket_part() -> (Part, Box3) {
    let b = Box3 { min: DVec3::ZERO, max: DVec3::new(40.0, 30.0, 10.0) };
    let pocket = Shape::prism(
        &rounded_polygon(&[([10.0, 8.0], 3.5), ([30.0, 8.0], 3.5), ([30.0, 22.0], 3.5), ([10.0, 22.0], 3.5)]),
        4.0,
        11.0,
    )
    .unwrap();
    (part(&Shape::block([0.0; 3], [40.0, 30.0, 10.0]).unwrap().cut(&pocket).unwrap()), b)
}

/// The pocket by rows, then its wall.
fn pocket_text(floor: f64) -> String {
    let mut s = String::from("G0 X20 Y15\nG0 Z10.5\n");
    for z in [8.0, 6.0, floor] {
        let _ = writeln!(s, "G1 X14 Y15 Z{z} F200\nG1 X26 Y15 F600");
        for y in [12.0, 18.0] {
            let _ = writeln!(s, "G1 X26 Y{y}\nG1 X14\nG1 X26");
        }
        let _ = writeln!(
            s,
            "G1 X20 Y15\nG1 Y11 F400\nG1 X26.5\nG3 X27 Y11.5 R0.5\nG1 Y18.5\nG3 X26.5 Y19 R0.5\nG1 X13.5\nG3 X13 Y18.5 R0.5\nG1 Y11.5\nG3 X13.5 Y11 R0.5\nG1 X20\nG1 Y15"
        );
    }
    s
}

#[test]
fn a_right_pocket_is_complete() {
    let (p, stock) = pocket_part();
    let proof = prove_text(&p, stock, &program_of(&pocket_text(4.0)), vec![]);
    assert!(proof.passed() && proof.complete, "{:#?}", proof.findings);
    assert!(proof.gouge_mm < 0.004 && proof.leftover_mm < 0.02, "{} {}", proof.gouge_mm, proof.leftover_mm);
}

#[test]
fn a_floor_too_deep_or_too_high_is_found_with_its_place() {
    let (p, stock) = pocket_part();
    let deep = prove_text(&p, stock, &program_of(&pocket_text(3.95)), vec![]);
    assert!((deep.gouge_mm - 0.05).abs() < 0.002, "{}", deep.gouge_mm);
    let f = deep.findings.iter().find(|f| f.kind == "gouge").unwrap();
    let all = f.places.iter().fold(Box3::EMPTY, |b, q| b.joined(&Box3 { min: q.min_mm.into(), max: q.max_mm.into() }));
    assert!(
        (all.min - DVec3::new(10.0, 8.0, 3.95)).abs().max_element() < 0.3
            && (all.max - DVec3::new(30.0, 22.0, 4.0)).abs().max_element() < 0.3,
        "{all:?}"
    );
    let high = prove_text(&p, stock, &program_of(&pocket_text(4.2)), vec![]);
    assert!((high.leftover_mm - 0.2).abs() < 0.002 && !high.complete && !high.passed());
}

fn kinds(p: &Proof) -> Vec<&str> {
    p.findings.iter().filter(|f| f.severity == Severity::Stop).map(|f| f.kind.name()).collect()
}

#[test]
fn faults_of_the_program_are_found() {
    let (p, stock) = pocket_part();
    let good = program_of(&pocket_text(4.0));
    let says = |text: &str, kind: &str| {
        let proof = prove_text(&p, stock, text, vec![]);
        let f =
            proof.findings.iter().find(|f| f.kind == kind).unwrap_or_else(|| panic!("no {kind}: {:?}", kinds(&proof)));
        assert_eq!(f.severity, Severity::Stop);
        assert!(f.line.is_some() && !f.why.is_empty());
    };
    says(&good.replace("G1 X26 Y15 F600", "G0 X26 Y15"), "rapid_in_stock");
    says(&good.replace("S5000 M3 M8\n", "M8\n"), "spindle_off");
    says(&good.replace("G43 H1 Z20", "G0 Z20"), "no_length_offset");
    says(&good.replace("G43 H1 Z20", "G43 H2 Z20"), "wrong_length_offset");
    says(&good.replace("T1 M6", "T7 M6").replace("H1", "H7"), "unknown_tool");
    says(&good.replace("G0 X-30 Y-30", "G0 X-230 Y-30"), "travel");
    says(&good.replace("S5000 M3", "S5000 M4"), "spindle_reversed");
}

#[test]
fn jaws_are_not_cut() {
    let (p, stock) = pocket_part();
    let jaw = |min: [f64; 3], max: [f64; 3]| KeepOut::new("jaw", min.into(), max.into());
    let text = program_of("G0 Z12\nG0 X-10 Y-4\nG1 Z4 F100\nG1 X50 F500");
    let hit = prove_text(&p, stock, &text, vec![jaw([0.0, -20.0, -20.0], [40.0, -0.5, 5.0])]);
    assert!(kinds(&hit).contains(&"cutter_in_keep_out"));
    let clear = prove_text(&p, stock, &text, vec![jaw([0.0, -20.0, -20.0], [40.0, -0.5, 3.9])]);
    assert!(!kinds(&clear).contains(&"cutter_in_keep_out"));
}

/// A dovetail cutter is widest at its foot: a jaw that only its foot reaches is met, however high it stands beside the slim end.
#[test]
fn the_foot_of_a_dovetail_cutter_does_not_pass_under_a_jaw() {
    let (p, stock) = pocket_part();
    let slim = Tool {
        flute_length_mm: 6.0,
        shank_diameter_mm: 4.0,
        flank_deg: Some(60.0),
        ..tool(1, ToolKind::Dovetail, 12.0)
    };
    assert_eq!(slim.fault(), None);
    let text = program_of("G0 Z12\nG0 X-12 Y-12\nG1 Z4 F100\nG1 X50 F500\nG0 Z20");
    let meets = |face: f64, low: f64, high: f64| {
        let jaw = KeepOut::new("jaw", [0.0, -40.0, low].into(), [40.0, face, high].into());
        let tools = |s: &mut SetupInput| s.tools[0] = slim.clone();
        kinds(&prove_with(&p, stock, &text, vec![jaw], Some(vec![]), tools)).contains(&"cutter_in_keep_out")
    };
    // Its foot reaches to y −18; 5.5 above it 2.83 from its axis, to −14.83.
    assert!(meets(-17.9, -20.0, 9.5) && !meets(-18.1, -20.0, 9.5));
    // A bridge that begins 3.5 above its foot: there it reaches to −15.98.
    assert!(meets(-15.9, 7.5, 9.5) && !meets(-16.1, 7.5, 9.5));
}

/// What holds it may touch the block and not stand in it: a jaw 1 mm too far in, a pin where no hole is; in its hole it is nothing.
#[test]
fn nothing_that_holds_it_stands_in_stock() {
    let (p, stock) = pocket_part();
    let text = program_of("G0 Z30");
    let stands = |min: [f64; 3], max: [f64; 3]| {
        let held = prove_text(&p, stock, &text, vec![KeepOut::new("jaw", min.into(), max.into())]);
        held.findings.iter().find(|f| f.kind == "does_not_seat").map(|f| reason::plain(&f.what).into_owned())
    };
    let [x, y, z] = stock.min.to_array();
    assert_eq!(stands([x, y - 20.0, z - 20.0], [stock.max.x, y, z + 4.0]), None);
    let said = stands([x, y - 20.0, z - 20.0], [stock.max.x, y + 1.0, z + 4.0]).unwrap();
    assert!(said.contains("jaw stands") && said.contains("4.00 mm"), "{said}");
    assert!(stands([x + 10.0, y + 10.0, z], [x + 14.0, y + 14.0, z + 3.0]).is_some());
    assert_eq!(stands([x + 10.0, y + 10.0, z - 5.0], [x + 14.0, y + 14.0, z]), None);
}

/// A pallet below the block, 4 mm of it to be cut: at feed so deep and no deeper, at rapid only where it is cut already; and what lies on it does not fly.
#[test]
fn a_pallet_may_be_cut_a_little_and_only_at_feed() {
    let (p, stock) = pocket_part();
    let (min, max) = (DVec3::new(-40.0, -40.0, -20.0), DVec3::new(80.0, 80.0, -0.2));
    let pallet = KeepOut { may_cut_mm: 4.0, sticks: true, ..KeepOut::new("pallet", min, max) };
    let of = |moves: &str| {
        let proof = prove_text(&p, stock, &program_of(moves), vec![pallet.clone()]);
        let mut hits: Vec<String> = proof
            .findings
            .iter()
            .filter(|f| f.kind == "cutter_in_keep_out")
            .map(|f| reason::plain(&f.what).into_owned())
            .collect();
        hits.sort();
        (hits, kinds(&proof).contains(&"loose_piece"))
    };
    let beside = |z: &str| format!("G0 X-10 Y-4\nG0 Z2\nG1 Z{z} F100\nG1 X50 F500\nG0 Z20");
    assert!(of(&beside("-1")).0.is_empty());
    assert!(of(&beside("-4")).0.is_empty());
    let deep = of(&beside("-6")).0;
    // Its top is at −0.2, so −4.2 is as deep as may be: 1.8 mm deeper.
    assert!(deep.len() == 1 && deep[0].contains("1.80 mm deeper"), "{deep:?}");
    // Back at rapid through its own groove is nothing; beside it is.
    assert!(of("G0 X-10 Y-4\nG0 Z2\nG1 Z-1 F100\nG1 X50 F500\nG0 X-10\nG0 Z20").0.is_empty());
    let rapid = of("G0 X-10 Y-4\nG0 Z-1\nG0 X50\nG0 Z20").0;
    assert!(rapid.len() == 1 && rapid[0].contains("at rapid"), "{rapid:?}");
    // The same without leave to be cut is found at once.
    let jaw = KeepOut { may_cut_mm: 0.0, ..pallet.clone() };
    assert!(kinds(&prove_text(&p, stock, &program_of(&beside("-1")), vec![jaw])).contains(&"cutter_in_keep_out"));
    // A slug of 22 × 12 mm that sticks to it does not fly; one of 10 × 4 tears off.
    let slug = |x0: f64, y0: f64, x1: f64, y1: f64| {
        of(&format!("G0 X{x0} Y{y0}\nG0 Z10.5\nG1 Z-0.5 F100\nG1 X{x1} F400\nG1 Y{y1}\nG1 X{x0}\nG1 Y{y0}\nG0 Z20"))
    };
    assert_eq!(slug(6.0, 6.0, 34.0, 24.0), (Vec::new(), false));
    assert_eq!(slug(12.0, 10.0, 28.0, 20.0), (Vec::new(), true));
}

/// What holds a piece may change where the program stops: before it a strap stands at the left, after it a head on the middle, in a hole that must be there by then.
#[test]
fn what_holds_it_changes_at_a_stop() {
    let (p, stock) = pocket_part();
    let strap = KeepOut {
        clamps: true,
        when: When::Stops([0, 1]),
        ..KeepOut::new("strap", DVec3::new(-20.0, 10.0, 10.0), DVec3::new(3.0, 20.0, 20.0))
    };
    let head = KeepOut {
        clamps: true,
        when: When::Stops([1, u32::MAX]),
        ..KeepOut::new("head", DVec3::new(18.0, 13.0, 10.0), DVec3::new(22.0, 17.0, 14.0))
    };
    let says = |moves: &str, of: &[KeepOut]| {
        let proof = prove_text(&p, stock, &program_of(moves), of.to_vec());
        kinds(&proof).into_iter().map(str::to_string).collect::<Vec<_>>()
    };
    let both = [strap.clone(), head.clone()];
    let has = |found: &[String], kind: &str| found.iter().any(|k| k == kind);
    let (over_left, over_middle) = ("G0 X0 Y15\nG0 Z11\nG0 Z30\n", "G0 X20 Y15\nG0 Z11\nG0 Z30\n");
    let stop = "M5\nM0\nS5000 M3\n";
    // Each is in the way while it stands there, and only then.
    assert!(has(&says(over_left, &both), "cutter_in_keep_out"));
    assert!(!has(&says(over_middle, &both), "cutter_in_keep_out"));
    assert!(!has(&says(&format!("{stop}{over_left}"), &both), "cutter_in_keep_out"));
    assert!(has(&says(&format!("{stop}{over_middle}"), &both), "cutter_in_keep_out"));
    // The same by lines of the text.
    let by_lines = KeepOut { when: When::Lines([1, 5]), ..strap.clone() };
    assert!(!has(&says(&format!("{stop}{over_left}"), &[by_lines]), "cutter_in_keep_out"));
    // A head that would stand in the block is found at the stop where it comes, not before.
    let low = KeepOut { min: DVec3::new(18.0, 13.0, 4.0), ..head.clone() };
    assert!(!has(&says(over_left, std::slice::from_ref(&low)), "does_not_seat"));
    assert!(has(&says(stop, std::slice::from_ref(&low)), "does_not_seat"));
    // Hands reach in while nothing turns.
    assert!(has(&says("M0\n", &both), "turns_at_stop"));
    assert!(!has(&says(stop, &both), "turns_at_stop"));
    // A slug cut free under the head stays; without it, or with the stop left out, it is loose.
    let slug = "G0 X12 Y10\nG0 Z20\nG0 Z10.5\nG1 Z-0.5 F100\nG1 X28 F400\nG1 Y20\nG1 X12\nG1 Y10\nG0 Z30";
    let end = KeepOut { when: When::Always, ..strap };
    let ends = [end.clone(), head];
    assert!(!has(&says(&format!("{stop}{slug}"), &ends), "loose_piece"));
    assert!(has(&says(slug, &ends), "loose_piece"));
    assert!(has(&says(&format!("{stop}{slug}"), &[end]), "loose_piece"));
}

/// A closed cut through the block frees its middle; the piece is found, and counts no longer.
#[test]
fn a_slug_is_found() {
    let (p, stock) = pocket_part();
    let text = program_of("G0 X12 Y10\nG0 Z10.5\nG1 Z-0.5 F100\nG1 X28 F400\nG1 Y20\nG1 X12\nG1 Y10\nG0 Z20");
    let proof = prove_text(&p, stock, &text, vec![]);
    let f = proof.findings.iter().find(|f| f.kind == "loose_piece").expect("a loose piece");
    assert!((f.places[0].min_mm[0] - 15.0).abs() < 0.3 && (f.places[0].max_mm[0] - 25.0).abs() < 0.3, "{f:?}");
}

/// A Ø6 cutter 2.2 mm into the side: acos(1 − 2·2.2/6) = 74.5°.
#[test]
fn engagement_over_the_stated_limit_is_measured() {
    let (p, stock) = pocket_part();
    // A comment states nothing: what is promised stands beside the text.
    let text = program_of("(ENGAGEMENT TO 10 DEG)\nG0 X-10 Y-0.8\nG0 Z8\nG1 X50 F500");
    let cut = |limit: f64| prove_promised(&p, stock, &text, vec![], Some(vec![promise(1, 99, Some(limit))]));
    let over = cut(60.0);
    let f = over.findings.iter().find(|f| f.kind == "engagement").expect("over 60°");
    assert_eq!(f.severity, Severity::Warn);
    let deg: f64 = f.what.split_whitespace().nth(1).unwrap().trim_end_matches('°').parse().unwrap();
    assert!((deg - 74.5).abs() < 6.0, "{deg}");
    assert!(!cut(75.0).findings.iter().any(|f| f.kind == "engagement"));
}

/// Stick-out 30: at z −25 the holder's face is at z 5, beside a block that stands to 10.
#[test]
fn holder_against_a_wall_is_found() {
    let (p, stock) = pocket_part();
    let text = program_of("G0 X-6 Y15\nG0 Z12\nG0 Z-25\nG1 X-4 F300\nG0 X-30");
    assert!(kinds(&prove_text(&p, stock, &text, vec![])).contains(&"holder_in_stock"));
    let clear = text.replace("Z-25", "Z-15");
    assert!(!kinds(&prove_text(&p, stock, &clear, vec![])).contains(&"holder_in_stock"));
}

/// What the machine cannot do, and what the plan promised otherwise: each is found with its line, and a sound program has none of it.
#[test]
fn what_the_machine_cannot_do_and_what_was_promised_otherwise_is_found() {
    let (p, stock) = pocket_part();
    let sound = program_of("G0 X-10 Y-2\nG0 Z8\nG1 X50 F500");
    let told = |text: &str| -> Vec<(String, Severity, Option<u32>)> {
        prove_promised(&p, stock, text, vec![], Some(vec![promise(1, 99, None)]))
            .findings
            .into_iter()
            .filter(|f| !matches!(f.kind.name(), "gouge" | "leftover" | "small_leftover" | "needs_other_side"))
            .map(|f| (f.kind.to_string(), f.severity, f.line))
            .collect()
    };
    assert_eq!(told(&sound), []);
    let edits = [
        ("S5000", "S60000", "rpm", Severity::Stop),
        ("S5000", "S50", "rpm", Severity::Stop),
        ("F500", "F9999", "feed", Severity::Stop),
        ("F500", "F2400", "tooth_load", Severity::Stop),
        (" M8", "", "no_coolant", Severity::Stop),
        ("T1 M6", "T3 M6", "other_tool", Severity::Stop),
        ("S5000 M3 M8", "G4 P2\nS5000 M3 M8", "dwell", Severity::Warn),
        ("G0 X-10 Y-2\nG0 Z8\nG1 X50", "G0 X10 Y10\nG0 Z10.5\nG1 X14 Z7", "ramp", Severity::Warn),
        // 8 mm deep and full width with the Ø20 at this speed.
        (
            "G0 X-10 Y-2\nG0 Z8\nG1 X50 F500",
            "T3 M6\nS800 M3\nG43 H3 Z30\nG0 X-30 Y10\nG0 Z2\nG1 X50 F500",
            "overload",
            Severity::Stop,
        ),
    ];
    for (from, to, kind, severity) in edits {
        let text = sound.replace(from, to);
        assert_ne!(text, sound);
        let all = told(&text);
        let f = all.iter().find(|f| f.0 == kind).unwrap_or_else(|| panic!("{kind} is not found: {all:?}"));
        assert!(f.1 == severity && f.2.is_some(), "{f:?}");
    }
}

/// Without promises a program is judged by machine and material alone, and says so.
#[test]
fn a_program_without_promises_says_so() {
    let (p, stock) = pocket_part();
    let text = program_of("G0 X-10 Y-2\nG0 Z8\nG1 X50 F500").replace(" M8", "");
    let proof = prove_promised(&p, stock, &text, vec![], None);
    assert!(proof.findings.iter().any(|f| f.kind == "no_promises"));
    let dry = proof.findings.iter().find(|f| f.kind == "no_coolant").unwrap();
    assert_eq!(dry.severity, Severity::Warn);
}

/// A wedge whose slope is faced square to it, in a setup tilted by 20°. `off`: the last pass is so much too high (+) or too deep (−).
fn slope_case(off: f64) -> Proof {
    let a = 20.0_f64.to_radians();
    let over = Shape::block([-60.0, -10.0, 0.0], [120.0, 50.0, 60.0]).unwrap();
    let over = over.moved([0.0, 1.0, 0.0], a, [0.0, 0.0, 20.0]).unwrap();
    let p = part(&Shape::block([0.0; 3], [40.0, 30.0, 24.0]).unwrap().cut(&over).unwrap());
    let stock = Box3 { min: p.bounds.min, max: p.bounds.max + DVec3::Z };
    // Work x down the slope, y as the part's, z out of it; zero at the slope's upper edge.
    let (x, up) = (DVec3::new(a.cos(), 0.0, -a.sin()), DVec3::new(a.sin(), 0.0, a.cos()));
    let frame = Placement { shift: DVec3::new(0.0, 0.0, 20.0), ..Placement::from_axes(x, up) };
    let mut body = String::from("T3 M6\nG53 G0 Z0\nS3000 M3 M8\nG0 X-20 Y-30\nG43 H3 Z40\n");
    for z in [9.0, 3.0, off] {
        for y in [0.0, 15.0, 30.0] {
            let _ = writeln!(body, "G0 X-20 Y{y}\nG0 Z{z}\nG1 X65 F400\nG0 Z40");
        }
    }
    prove_from(&p, stock, &program_of(&body), frame)
}

#[test]
fn a_slope_is_proved_in_a_tilted_setup() {
    let true_one = slope_case(0.0);
    assert!(
        true_one.gouge_mm < 0.003 && true_one.leftover_mm < 0.003,
        "{} {}",
        true_one.gouge_mm,
        true_one.leftover_mm
    );
    assert!(
        true_one.complete && true_one.findings.iter().all(|f| f.kind != "rapid_in_stock"),
        "{:#?}",
        true_one.findings
    );
    let deep = slope_case(-0.03);
    assert!((deep.gouge_mm - 0.03).abs() <= deep.error_mm + 0.0005, "{}", deep.gouge_mm);
    assert!(deep.findings.iter().any(|f| f.kind == "gouge" && f.line.is_some()), "{:#?}", deep.findings);
    let high = slope_case(0.05);
    assert!((high.leftover_mm - 0.05).abs() <= high.error_mm + 0.0005, "{}", high.leftover_mm);
    // The last pass left out: 3 mm stand on it.
    let rough = slope_case(3.0);
    assert!(!rough.complete && !rough.passed(), "{:#?}", rough.findings);
}
