//! The reader against the facts of NISTIR 6556 (Kramer, Proctor, Messina 2000) as the project's references state them, and
//! against closed forms.

use geom::{DVec2, DVec3};
use program::{ReadSettings, Shape, StepKind, read};

fn run(text: &str) -> program::Program {
    let zero = ReadSettings { zero_in_machine: DVec3::ZERO, ..Default::default() };
    read(text, &zero).unwrap_or_else(|e| panic!("{text}: {e}"))
}

fn refused(text: &str) -> String {
    read(text, &ReadSettings { most_steps: 20_000, ..ReadSettings::default() }).expect_err(text).to_string()
}

/// From (1,2,3): `G90 G81 G98 X4 Y5 Z1.5 R2.8` → rapid (4,5,3), rapid Z2.8, feed Z1.5, rapid Z3.
#[test]
fn g81_absolute() {
    let p = run("G0 X1 Y2 Z3\nF100 G90 G81 G98 X4 Y5 Z1.5 R2.8");
    let ends: Vec<_> = p.steps[1..].iter().map(|s| (s.to, matches!(s.kind, StepKind::Rapid))).collect();
    let v = DVec3::new;
    assert_eq!(
        ends,
        vec![(v(4.0, 5.0, 3.0), true), (v(4.0, 5.0, 2.8), true), (v(4.0, 5.0, 1.5), false), (v(4.0, 5.0, 3.0), true)]
    );
}

/// From (1,2,3): `G91 G81 G98 X4 Y5 Z-0.6 R1.8 L3` → rapid Z4.8; holes at (5,7), (9,12), (13,17), each feed 4.8 → 4.2.
#[test]
fn g81_incremental_repeats() {
    let p = run("G0 X1 Y2 Z3\nF100 G91 G81 G98 X4 Y5 Z-0.6 R1.8 L3");
    let feeds: Vec<_> =
        p.steps.iter().filter(|s| matches!(s.kind, StepKind::Feed { .. })).map(|s| (s.from, s.to)).collect();
    assert_eq!(feeds.len(), 3);
    for ((from, to), (x, y)) in feeds.iter().zip([(5.0, 7.0), (9.0, 12.0), (13.0, 17.0)]) {
        assert!(from.distance(DVec3::new(x, y, 4.8)) < 1e-9 && to.distance(DVec3::new(x, y, 4.2)) < 1e-9);
    }
}

/// G83 pecks with full retract and returns to 0.254 mm above the last depth.
#[test]
fn g83_pecks() {
    let p = run("G0 X0 Y0 Z5\nF100 G83 G99 X1 Y1 Z-5 R1 Q2.5");
    let z: Vec<f64> = p.steps[2..].iter().map(|s| s.to.z).collect();
    assert_eq!(z, vec![1.0, -1.5, 1.0, -1.246, -4.0, 1.0, -3.746, -5.0, 1.0]);
}

/// `G2 X10 Y0 R10` from 0,0: centre (5, −8.660254), sweep 60°, length 10.4720; R−10: centre (5, 8.660254), 300°.
#[test]
fn arcs_by_radius() {
    for (r, cy, deg) in [("10", -8.660_254, 60.0_f64), ("-10", 8.660_254, 300.0)] {
        let p = run(&format!("G0 X0 Y0 Z0\nG2 X10 Y0 R{r} F100"));
        let Shape::Arc { center, sweep } = p.steps[1].shape else { panic!() };
        assert!(center.distance(DVec2::new(5.0, cy)) < 1e-6);
        assert!((sweep + deg.to_radians()).abs() < 1e-9);
    }
    assert!((run("G0 X0 Y0 Z0\nG2 X10 Y0 R10 F100").steps[1].length() - 10.471_975_5).abs() < 1e-6);
}

/// Helix r 10, 3 turns, pitch 2: 188.591 mm (closed form).
#[test]
fn a_helix_of_three_turns() {
    let p = run("G0 X10 Y0 Z0\nG3 X10 Y0 Z-6 I-10 J0 P3 F100");
    assert!((p.steps[1].length() - 188.591_028).abs() < 1e-5);
}

#[test]
fn full_circle_needs_no_end_point_and_r_cannot_say_it() {
    let p = run("G0 X10 Y0 Z0\nG2 I-10 F100");
    assert!((p.steps[1].length() - std::f64::consts::TAU * 10.0).abs() < 1e-9);
    assert!(refused("G0 X10 Y0 Z0\nG2 X10 Y0 R10 F100").contains("give I and J"));
}

#[test]
fn inch_scales_coordinates_feed_and_arcs() {
    let p = run("G20 G0 X1 Y0 Z0\nG3 X0 Y1 I-1 J0 F10");
    assert_eq!(p.steps[0].to.x, 25.4);
    let StepKind::Feed { feed } = p.steps[1].kind else { panic!() };
    assert!((feed - 254.0).abs() < 1e-9 && p.inch);
    assert!((p.steps[1].length() - 25.4 * std::f64::consts::FRAC_PI_2).abs() < 1e-9);
}

#[test]
fn incremental_and_g92_shift() {
    let p = run("G0 X5 Y5 Z5\nG91 X1\nG90 G92 X0\nG0 X2\nG92.1\nG0 X2");
    let x: Vec<f64> = p.steps.iter().map(|s| s.to.x).collect();
    assert_eq!(x, vec![5.0, 6.0, 8.0, 2.0]);
}

#[test]
fn g53_is_in_machine_coordinates() {
    let s = ReadSettings { zero_in_machine: DVec3::new(100.0, 50.0, -300.0), ..Default::default() };
    let p = read("G53 G0 Z0\nG0 X1 Y2", &s).unwrap();
    assert_eq!((p.steps[0].to.z, p.steps[0].machine), (300.0, true));
    assert_eq!(p.steps[1].from, DVec3::new(-100.0, -50.0, 300.0));
}

/// A tool change stops the spindle; the state is told with every step.
#[test]
fn modal_state_is_carried() {
    let p = run("T3 M6\nS2000 M3 M8\nG43 H3 G0 Z5\nG1 Z-1 F50\nM5\nG1 X3");
    let last = &p.steps[p.steps.len() - 1];
    assert_eq!((last.tool, last.spindle, last.length_offset, last.coolant), (3, None, Some(3), true));
    assert_eq!(p.steps[2].spindle, Some(2000.0));
}

#[test]
fn errors_name_line_and_remedy() {
    for (text, part) in [
        ("G1 X1", "before any F"),
        ("G0 X1\nG2 X5 Y0 I1 J1 F10", "off its circle"),
        ("G0 G1 X1", "same group"),
        ("G0 X1 X2", "twice"),
        ("G41 D1", "no cutter T1"),
        ("G18\nG0 X0 Z0\nG2 X1 Z1 I1 J1 F10", "J does not belong"),
        ("G18 F10\nG81 X0 Z-1 R1", "G17 only"),
        ("G87 X0 Z-1 R1 F10", "write the bore out"),
        ("G93 G1 X1", "own F"),
        ("G95 F0.1\nG1 X1", "stands still"),
        ("G10 L3 P1", "G10 L2"),
        ("G92.3", "does not show"),
        ("#1 = #2", "before this program sets it"),
        ("#5221 = 3", "zero or an offset"),
        ("M98 P7", "not in this text"),
        ("M99", "M30"),
        ("GOTO 5", "no line"),
        ("WHILE [1] DO1", "no END1"),
        ("N1 GOTO 1", "does a loop end"),
        ("G51 P0", "factor"),
        ("G0 X[1/0]", "divided"),
        ("X1", "without a motion word"),
        ("G80 X1", "G80"),
        ("G55", "knows no such zero"),
        ("G28 Z0", "G53"),
        ("F10 G81 X0 Y0 Z1 R0", "above its start"),
        ("F10 G83 X0 Y0 Z-1 R0", "needs Q"),
        ("F10 G83 X0 Y0 Z-100 R0 Q0.001", "pecks"),
        ("G2 X1 Y1 F10", "needs I and J"),
        ("G0 A10", "three-axis"),
        ("M97", "M97"),
        ("T1.5 M6", "whole number"),
        ("M3 M8 M5 M9 M7", "four M"),
        ("G77", "G77"),
    ] {
        let e = refused(text);
        assert!(e.contains(part) && e.starts_with("line "), "{text}: {e}");
    }
}

#[test]
fn nothing_after_the_end_is_run() {
    let p = run("%\nG0 X1\nM30\nG0 X2\n%");
    assert!(p.ended && p.steps.len() == 1);
    assert!(!run("G0 X1").ended);
}

/// A second zero shifts all that follows, cycles and G92 with it, and G54 brings the first one back; one that nobody gave is refused.
#[test]
fn further_zeros_stand_where_the_plan_says() {
    let zeros = [(55, DVec3::new(40.0, -5.0, 2.0))].into();
    let s = ReadSettings { zero_in_machine: DVec3::new(100.0, 50.0, -300.0), zeros, ..Default::default() };
    let text = "G21 G90 G54\nG0 X1 Y2 Z30\nG55 G0 X1 Y2\nG81 X3 Y4 Z-1 R5 F100\nG80\nG92 X0\nG0 X10\nG92.1\nG54 G0 X1 Y2 Z3\nM30\n";
    let p = read(text, &s).unwrap();
    let ends: Vec<DVec3> = p.steps.iter().filter(|s| s.moves()).map(|s| s.to).collect();
    let v = DVec3::new;
    assert_eq!(ends[..2], [v(1.0, 2.0, 30.0), v(41.0, -3.0, 30.0)]);
    // The hole's bottom is 2 mm higher too.
    assert!(ends.contains(&v(43.0, -1.0, 1.0)) && ends.contains(&v(43.0, -1.0, 7.0)), "{ends:?}");
    // G92 named the place where it stood; the move goes 10 mm on from there.
    assert!(ends.iter().any(|e| (e.x - 53.0).abs() < 1e-9), "{ends:?}");
    assert_eq!(*ends.last().unwrap(), v(1.0, 2.0, 3.0));
    let e = read("G21 G90 G56\nM30\n", &s).unwrap_err();
    assert!(e.line == 1 && e.what.contains("zeros"), "{e}");
    assert!(read("G59.1\nM30\n", &s).unwrap_err().what.contains("knows no such zero"));
}

/// NISTIR 6556, 3.5.3.2: in G18 an arc has I and K, seen from +Y; in G19 J and K. A quarter from (10, 0) to (0, 10) about zero keeps its radius and its
/// length within what its chords may be off by.
#[test]
fn arcs_stand_in_the_other_planes() {
    // Seen from +Y with Z to the right of X as the second axis: from +Z to +X is counter-clockwise (G3).
    for (text, axis) in
        [("G18 G0 X0 Y5 Z10\nG3 X10 Z0 I0 K-10 F100", 1), ("G19 G0 X5 Y10 Z0\nG3 Y0 Z10 J-10 K0 F100", 0)]
    {
        let p = run(text);
        let cut: Vec<_> = p.steps.iter().filter(|s| matches!(s.kind, StepKind::Feed { .. })).collect();
        let length: f64 = cut.iter().map(|s| s.length()).sum();
        assert!((length - std::f64::consts::FRAC_PI_2 * 10.0).abs() < 1e-3, "{length}");
        for s in &cut {
            let mut q = s.at(0.5);
            assert!((q[axis] - 5.0).abs() < 1e-9);
            q[axis] = 0.0;
            assert!(q.length() < 10.0 + 1e-9 && q.length() > 10.0 - 6e-4, "{q}");
        }
    }
    // The long way round the other way.
    let p = run("G18 G0 X0 Y5 Z10\nG2 X10 Z0 I0 K-10 F100");
    let length: f64 = p.steps[1..].iter().map(program::Step::length).sum();
    assert!((length - 1.5 * std::f64::consts::PI * 10.0).abs() < 5e-3, "{length}");
}

fn beside(text: &str, radius: f64) -> program::Program {
    let s = ReadSettings { zero_in_machine: DVec3::ZERO, radii: [(1, radius)].into(), ..Default::default() };
    read(text, &s).unwrap_or_else(|e| panic!("{text}: {e}"))
}

/// A square of 20 gone round outside on the left, clockwise, with a cutter of radius 3: four sides 3 mm beside, a quarter circle of radius 3 about each corner.
#[test]
fn a_compensated_square_is_a_square_with_round_corners() {
    let text = "G0 X5 Y-20 Z0\nG41 D1 G1 X0 Y0 F100\nG1 Y20\nX20\nY0\nX0\nG40 X-20 Y-20\nM30\n";
    let p = beside(text, 3.0);
    let cut: Vec<_> = p.steps.iter().filter(|s| matches!(s.kind, StepKind::Feed { .. })).collect();
    // NISTIR 6556: the first move ends where its way is tangent to the cutter's circle about the programmed point.
    let (from, end) = (cut[0].from.truncate(), cut[0].to.truncate());
    assert!((end.length() - 3.0).abs() < 1e-9 && (end - from).dot(end).abs() < 1e-9, "{end}");
    // Left of the way there.
    assert!((end - from).perp_dot(-end) < 0.0);
    let arcs: Vec<_> = cut
        .iter()
        .filter_map(|s| match s.shape {
            Shape::Arc { center, sweep } => Some((center, s.from.truncate().distance(center), sweep)),
            Shape::Line => None,
        })
        .collect();
    for (corner, n) in [((0.0, 20.0), 1), ((20.0, 20.0), 2), ((20.0, 0.0), 3)] {
        let a = arcs
            .iter()
            .find(|a| a.0.distance(DVec2::new(corner.0, corner.1)) < 1e-9)
            .unwrap_or_else(|| panic!("{n}: {arcs:?}"));
        assert!((a.1 - 3.0).abs() < 1e-9 && (a.2 + std::f64::consts::FRAC_PI_2).abs() < 1e-9, "{a:?}");
    }
    let side = cut.iter().find(|s| s.shape == Shape::Line && (s.from.x + 3.0).abs() < 1e-9).unwrap();
    assert!((side.to.x + 3.0).abs() < 1e-9 && (side.to.y - 20.0).abs() < 1e-9);
    // Every step begins where the last one ended, and the way off ends where it says.
    for w in p.steps.windows(2) {
        assert!(w[0].to.distance(w[1].from) < 1e-9, "{:?}\n{:?}", w[0], w[1]);
    }
    assert!(p.steps.last().unwrap().to.distance(DVec3::new(-20.0, -20.0, 0.0)) < 1e-9);
}

/// Inside a square the cutter's centre stays a radius off both walls in a corner; an arc keeps its centre and loses the radius.
#[test]
fn inside_corners_end_where_neighbours_meet() {
    let text = "G0 X10 Y10 Z0\nG41 D1 G1 X10 Y0 F100\nX20\nY20\nG3 X0 Y20 I-10 J0\nG1 Y0\nX10\nG40 X10 Y10\nM30\n";
    let p = beside(text, 3.0);
    let ends: Vec<DVec2> = p.steps.iter().filter(|s| s.moves()).map(|s| s.to.truncate()).collect();
    assert!(ends.iter().any(|e| e.distance(DVec2::new(17.0, 3.0)) < 1e-9), "{ends:?}");
    assert!(ends.iter().any(|e| e.distance(DVec2::new(3.0, 3.0)) < 1e-9), "{ends:?}");
    let arc = p
        .steps
        .iter()
        .find_map(|s| match s.shape {
            Shape::Arc { center, sweep } if center.distance(DVec2::new(10.0, 20.0)) < 1e-9 => {
                Some((s.from.truncate().distance(center), sweep))
            }
            _ => None,
        })
        .unwrap();
    assert!((arc.0 - 7.0).abs() < 1e-9 && (arc.1 - std::f64::consts::PI).abs() < 1e-9, "{arc:?}");
    // A cutter that does not fit is refused with the line.
    let s = ReadSettings { zero_in_machine: DVec3::ZERO, radii: [(1, 11.0)].into(), ..Default::default() };
    let e = read(text, &s).unwrap_err();
    assert!(e.line >= 2 && (e.what.contains("fit") || e.what.contains("larger") || e.what.contains("shorter")), "{e}");
}

/// Entry by an arc: a straight move, then an arc that is tangent to the contour, as NISTIR 6556 shows its general entry.
#[test]
fn an_arc_leads_in() {
    let text = "G0 X-10 Y-20 Z0\nG41 D1 G1 X-10 Y0 F100\nG2 X0 Y10 I10 J0\nG1 X30\nG40 Y30\nM30\n";
    let p = beside(text, 4.0);
    let arc = p
        .steps
        .iter()
        .find(|s| matches!(s.shape, Shape::Arc { center, .. } if center.distance(DVec2::ZERO) < 1e-9))
        .unwrap();
    // Left of a clockwise arc is outside.
    assert!(
        (arc.from.truncate().length() - 14.0).abs() < 1e-9 && arc.to.truncate().distance(DVec2::new(0.0, 14.0)) < 1e-9,
        "{arc:?}"
    );
}

/// NISTIR 6556, 3.5.5: G10 L2 sets a zero in machine coordinates.
#[test]
fn g10_sets_a_zero() {
    let s = ReadSettings { zero_in_machine: DVec3::new(100.0, 50.0, -300.0), ..Default::default() };
    let p = read("G10 L2 P2 X110 Y50 Z-300\nG55 G0 X1 Y2 Z3\nM30\n", &s).unwrap();
    assert_eq!(p.steps[0].to, DVec3::new(11.0, 2.0, 3.0));
}

/// Extensions: each is read as common controls do, and marked.
#[test]
fn extensions_are_marked() {
    let p = run("G68 X0 Y0 R90\nG0 X10 Y0\nG2 X0 Y10 I-10 J0 F100\nG69\nG0 X1");
    assert!(p.steps[0].to.truncate().distance(DVec2::new(0.0, 10.0)) < 1e-9);
    assert!(p.steps[1].to.truncate().distance(DVec2::new(-10.0, 0.0)) < 1e-9);
    let Shape::Arc { center, .. } = p.steps[1].shape else { panic!() };
    assert!(center.length() < 1e-9);
    assert_eq!(p.extensions, vec![(1, "G68".to_string())]);
    let p = run("G51 X0 Y0 Z0 P2\nG0 X3 Y4\nG50\nG16\nG0 X10 Y30\nG15\nG52 X5\nG0 X0 Y0");
    let ends: Vec<DVec2> = p.steps.iter().map(|s| s.to.truncate()).collect();
    assert!(ends[0].distance(DVec2::new(6.0, 8.0)) < 1e-9);
    assert!(
        ends[1].distance(DVec2::new(75f64.sqrt(), 5.0)) < 1e-9 && ends[2].distance(DVec2::new(5.0, 0.0)) < 1e-9,
        "{ends:?}"
    );
    // A subprogram three times, a loop of four, feed by the turn.
    let p = run(
        "G91 G0 Z10\nM98 P100 L3\n#1 = 0\nWHILE [#1 LT 4] DO1\nG0 Y1\n#1 = [#1 + 1]\nEND1\nS1000 M3\nG95 F0.2\nG1 Z-1\nM30\nO0100\nG0 X2\nM99\n",
    );
    let last = p.steps.last().unwrap();
    assert_eq!(last.to.truncate(), DVec2::new(6.0, 4.0));
    assert_eq!(last.kind, StepKind::Feed { feed: 200.0 });
    assert_eq!(p.extensions.iter().map(|e| e.1.as_str()).collect::<Vec<_>>(), ["M98", "WHILE", "G95"]);
}

/// NISTIR 6556, 3.3.3: all values of a line are worked out before any variable is set.
#[test]
fn variables_are_set_after_their_line() {
    let p = run("#3 = 6\n#3 = 15 #4 = [#3 * 2]\nG0 X#3 Y[#4 + 1]");
    assert_eq!(p.steps[0].to.truncate(), DVec2::new(15.0, 13.0));
}
