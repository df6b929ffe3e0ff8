//! What the screens get: names that tell operations apart, numbers that agree with one another, a history that ends in the part,
//! an order that a person may change.

use job::proving::{limits_of, setups_of};
use job::sheet::{sheet, strip};
use job::{Decision, Settled, plan, prove_plan};
use kernel::shape::{Shape, rounded_polygon};
use part::Part;
use route::OpKind;
use shop::Shop;
use std::collections::BTreeSet;

fn read(shape: &Shape) -> Part {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("p.step");
    shape.write_step(&file).unwrap();
    Part::from_raw(&intake::read_trusted(&file).unwrap().raw).unwrap()
}

fn ring(half: f64, r: f64, z: (f64, f64)) -> Shape {
    let (a, b) = (30.0 - half, 30.0 + half);
    Shape::prism(&rounded_polygon(&[([a, a], r), ([b, a], r), ([b, b], r), ([a, b], r)]), z.0, z.1).unwrap()
}

/// Everything about one middle: an outline, a pocket with a square island in it, a through cut-out in the island, four drilled holes.
fn nested() -> Shape {
    let mut p = ring(30.0, 5.0, (0.0, 12.0));
    let moat = ring(24.0, 5.0, (6.0, 13.0)).cut(&ring(14.0, 3.0, (5.0, 14.0))).unwrap();
    p = p.cut(&moat).unwrap().cut(&ring(8.0, 4.0, (-1.0, 13.0))).unwrap();
    for (x, y) in [(11.5, 11.5), (48.5, 11.5), (11.5, 48.5), (48.5, 48.5)] {
        let hole = Shape::cylinder([x, y, -1.0], [0.0, 0.0, 1.0], 2.1, 14.0).unwrap();
        p = p.cut(&hole).unwrap();
    }
    p
}

#[test]
fn the_card_agrees_with_itself_and_the_history_ends_in_the_part() {
    let shop = Shop::demo().unwrap();
    let part = read(&nested());
    let plan = plan(&part, "nested", &shop, &Settled::default()).unwrap().plan;
    let proof = prove_plan(&part, &plan, &shop).unwrap();
    assert!(proof.passed() && proof.complete, "{:#?}", proof.findings);
    let s = sheet(&part, &plan, &proof, &shop, &Settled::default());
    let t = strip(&plan, &proof, &shop);

    // Operations have names of their own, though all lie about one middle.
    let all: Vec<&str> = s.sides.iter().flat_map(|x| x.operations.iter().map(|o| o.op.id.as_str())).collect();
    assert_eq!(all.iter().collect::<BTreeSet<_>>().len(), all.len(), "{all:#?}");

    for (side, strip) in s.sides.iter().zip(&t.setups) {
        let lines = side.program.lines().count();
        for pair in side.operations.windows(2) {
            assert!(pair[0].lines[1] < pair[1].lines[0], "{:?} {:?}", pair[0].lines, pair[1].lines);
        }
        for o in &side.operations {
            assert!(o.lines[0] >= 1 && o.lines[1] as usize <= lines && o.minutes > 0.0, "{}", o.op.title);
            let first = side.program.lines().nth(o.lines[0] as usize - 1).unwrap();
            assert!(!first.is_empty());
            // What was chosen lies in the window of its limits.
            if let (Some(w), Some(m)) = (&o.window, &o.op.mill) {
                let k = w.ae.iter().position(|a| *a >= m.ae).unwrap_or(w.ae.len() - 1);
                for c in w.curves.iter().filter(|c| c.upper) {
                    let most = c.fz[k.saturating_sub(1)].max(c.fz[k]);
                    assert!(
                        m.fz.value <= most * 1.03,
                        "{}: {} at {} over {} {most}",
                        o.op.title,
                        m.fz.value,
                        m.ae,
                        c.name
                    );
                }
            }
        }
        // Steps follow one another and fill the setup's time.
        assert!(strip.end.windows(2).all(|w| w[0] <= w[1]));
        // Ends are written to a thousandth of a second.
        assert!((strip.end.last().unwrap() - strip.seconds).abs() <= 0.0005 + 1e-9);
        let n = strip.line.len();
        assert!([strip.end.len(), strip.power.len(), strip.x.len(), strip.arc.len()].iter().all(|k| *k == n));
        assert!((strip.seconds / 60.0 - side.minutes).abs() < 1e-6);
    }
    let l = s.proof.ledger;
    assert!((l.cutting + l.air + l.changes - s.proof.minutes).abs() < 1e-6);
    assert_eq!(s.proof.verdict, "proved");

    // The terms that a number opens to give that number again.
    let term = |g: &job::sheet::Grounds, symbol: &str| g.terms.iter().find(|t| t.symbol == symbol).unwrap().value;
    let near = |a: f64, b: f64, what: &str| assert!((a - b).abs() <= 1e-9 * b.abs().max(1e-3), "{what}: {a} {b}");
    let w = &s.part.mass_why;
    near(term(w, "V") * term(w, "ρ") / 1e6, s.part.mass, "mass");
    for side in &s.sides {
        let slip = side.limits.iter().find(|l| l.name == "slip").unwrap();
        near(2.0 * term(&slip.why, "μ") * term(&slip.why, "F"), slip.held, "friction");
        near(term(&slip.why, "S").hypot(term(&slip.why, "A")), slip.asked, "force");
        assert!(slip.factor >= 2.0 && !slip.by.is_empty());
    }
    near(s.proof.error_why.terms.iter().map(|t| t.value).sum(), s.proof.error, "error bound");
    for o in s.sides.iter().flat_map(|x| &x.operations) {
        assert!(!o.load_why.source.is_empty(), "{}", o.op.title);
        let Some(m) = &o.op.mill else { continue };
        near(term(&o.load_why, "P/ap") * term(&o.load_why, "ap"), m.power_kw, &o.op.title);
        near(term(&o.load_why, "bend/F") * term(&o.load_why, "S"), m.deflection_mm, &o.op.title);
        if o.width_why.source.to_string().starts_with("ae = ") {
            let straight = term(&o.width_why, "D") / 2.0 * (1.0 - term(&o.width_why, "φ").to_radians().cos());
            assert!((straight - m.ae).abs() < 1e-4, "{}: {straight} {}", o.op.title, m.ae);
        }
        // The highest force over a revolution is more than its mean, and no tooth alone carries more than all.
        assert!(m.side_n > m.force_n && m.tooth_n > 0.0, "{}: {} {}", o.op.title, m.side_n, m.force_n);
    }

    // Columns of the last setup's end against the volume that the modelling kernel computes, an engine of its own. Columns that a wall
    // cuts through fall with their middle: walls of some 800 mm length at 0.6 mm columns leave well under 1 %.
    let setups = setups_of(&plan).unwrap();
    let h = proof::histories(&plan.scheme.stock, None, &setups, &limits_of(&shop.machine).motion, 14_000.0);
    let last = h.last().unwrap();
    let end = last.end();
    let volume: f64 =
        end.iter().zip(&last.under).map(|(t, u)| f64::from((t - u).max(0.0))).sum::<f64>() * last.pitch.powi(2);
    assert!((volume / part.volume - 1.0).abs() < 0.01, "{volume} {}", part.volume);
    for x in &h {
        let mut top = x.top.clone();
        let mut at = 0.0_f32;
        for f in &x.falls {
            let c = f.column as usize;
            assert!(f.top <= top[c] && f.at >= at, "material never comes back");
            (top[c], at) = (f.top, f.at);
        }
    }
}

#[test]
fn a_persons_order_stands_and_what_it_breaks_is_said() {
    let shop = Shop::demo().unwrap();
    let part = read(&nested());
    let first = plan(&part, "nested", &shop, &Settled::default()).unwrap().plan;
    let ops = &first.sides[0].operations;
    let ids = |p: &job::Plan| p.sides[0].operations.iter().map(|o| o.id.clone()).collect::<Vec<_>>();
    let kind = |k: OpKind| ops.iter().position(|o| o.kind == k).unwrap();
    let (spot, drill) = (kind(OpKind::Spot), kind(OpKind::Drill));
    let moved = Decision::Sequence { id: ops[drill].id.clone(), before: Some(ops[spot].id.clone()) };
    let mine = plan(&part, "nested", &shop, &Settled::after([&moved])).unwrap().plan;
    let now = ids(&mine);
    assert_eq!((&now[spot], &now[spot + 1]), (&ops[drill].id, &ops[spot].id));
    let broken: Vec<_> = mine.findings.iter().filter(|f| f.kind == "order_broken").collect();
    assert_eq!(broken.len(), 1, "{:#?}", mine.findings);
    assert!(broken[0].what.contains(&ops[drill].title) && broken[0].what.contains(&ops[spot].title));
    // The text follows, and is proved as it is: this order drills without a spot, which the simulation has nothing against.
    let at = |p: &job::Plan, t: &str| p.sides[0].program.find(&t.to_uppercase().replace('Ø', "D")).unwrap();
    assert!(at(&mine, "drill 4") < at(&mine, "spot 4"));
    assert!(at(&first, "drill 4") > at(&first, "spot 4"));
    assert_eq!(
        ids(&plan(&part, "nested", &shop, &Settled::after([&moved, &moved.cleared()])).unwrap().plan),
        ids(&first)
    );

    // A decision about something that is no longer there is kept, and said.
    let gone = Decision::Sequence { id: "drill:side 1/nowhere".into(), before: Some(ops[spot].id.clone()) };
    let lost = plan(&part, "nested", &shop, &Settled::after([&gone])).unwrap().plan;
    assert_eq!(ids(&lost), ids(&first));
    assert!(lost.findings.iter().any(|f| f.kind == "decision_lost"), "{:#?}", lost.findings);
}
