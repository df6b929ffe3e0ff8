//! T-slots, dovetails and ring grooves: cut by what has a neck, proved, agreed with by the slow oracle; a wrong head, a lift inside and a wrong height are found.

use crate::family::Dice;
use crate::oracle;
use job::proving::{limits_of, setups_of};
use job::{Plan, Settled, plan, prove_plan};
use kernel::shape::{Piece, Shape};
use part::{Part, View};
use program::ReadSettings;
use proof::Proof;
use reason::{Severity, plain};
use route::OpKind;
use shop::Shop;

const UP: [f64; 3] = [0.0, 0.0, 1.0];

fn read(s: &Shape) -> Part {
    Part::from_raw(&s.read(&kernel::Meshing::default()).unwrap()).unwrap()
}

/// A groove along x at y, open at both ends: half widths and heights of its outline, from the floor up.
fn channel(p: &Shape, y: f64, outline: &[[f64; 2]], ends: [f64; 2]) -> Shape {
    let mut points: Vec<[f64; 2]> = outline.to_vec();
    points.extend(outline.iter().rev().map(|[w, z]| [-w, *z]));
    let pieces: Vec<Piece> = points.into_iter().map(|to| Piece { to, mid: None }).collect();
    let t = Shape::prism(&pieces, ends[0], ends[1]).unwrap();
    // The prism's axis z becomes x, its x becomes y, its y becomes z.
    let t = t.moved([1.0, 1.0, 1.0], 2.0 * std::f64::consts::PI / 3.0, [0.0, y, 0.0]).unwrap();
    p.cut(&t).unwrap()
}

/// 60 × 40 × 22 with a T-slot 14 × 5 under a neck of 8.
fn t_slot() -> Shape {
    let block = Shape::block([0.0; 3], [60.0, 40.0, 22.0]).unwrap();
    channel(&block, 20.0, &[[7.0, 9.0], [7.0, 14.0], [4.0, 14.0], [4.0, 23.0]], [-1.0, 61.0])
}

fn planned(s: &Shape) -> (Part, Plan, Proof, Shop) {
    let (part, shop) = (read(s), Shop::demo().unwrap());
    let p = plan(&part, "p", &shop, &Settled::default()).unwrap().plan;
    let proof = prove_plan(&part, &p, &shop).unwrap();
    (part, p, proof, shop)
}

fn stops(proof: &Proof) -> Vec<String> {
    let all = proof.findings.iter().filter(|f| f.severity == Severity::Stop);
    all.map(|f| format!("{}: {}", f.kind.name(), plain(&f.what))).collect()
}

fn sound(told: &str, p: &Plan, proof: &Proof) {
    let steps = p
        .sides
        .iter()
        .map(|s| (s.setup.name.as_str(), s.operations.iter().map(|o| o.title.as_str()).collect::<Vec<_>>()));
    let told = format!("{told}: {:#?}", steps.collect::<Vec<_>>());
    assert!(stops(proof).is_empty() && proof.passed(), "{told}: {:#?}", stops(proof));
    let left: Vec<String> =
        proof.findings.iter().filter(|f| f.kind.leaves()).map(|f| plain(&f.what).into_owned()).collect();
    assert!(left.is_empty() && proof.gouge_mm < 0.005, "{told}: gouge {} {left:?}", proof.gouge_mm);
}

/// In two holdings: what hangs over needs no side of its own.
#[test]
fn a_t_slot_is_cut_from_above_and_faults_in_it_are_found() {
    let (part, p, proof, shop) = planned(&t_slot());
    sound("T-slot", &p, &proof);
    assert_eq!(p.sides.len(), 2);
    let op = p.sides.iter().flat_map(|s| &s.operations).find(|o| o.kind == OpKind::Undercut).unwrap();
    assert_eq!(
        plain(&op.title),
        "Undercut to Z9.00, T-slot cutter Ø12 × 4".replace("9.00", &format!("{:.2}", op.bottom))
    );
    oracle::agrees(&part, &p, &proof, &mut Dice::new(3), "T-slot");

    // The picture that follows the program leaves the roof: a column over a wing keeps its upper end.
    let history =
        &proof::histories(&p.scheme.stock, None, &setups_of(&p).unwrap(), &limits_of(&shop.machine).motion, 14_000.0);
    let last = history.iter().zip(&p.sides).next_back().unwrap();
    let (h, side) = (last.0, last.1);
    let top = h.end();
    let over = |v: geom::DVec2| side.setup.part_from_work.point(v.extend(0.0));
    let (mut roofs, mut floors) = (0, 0);
    for (c, top) in top.iter().enumerate() {
        let q = over(h.middle(c));
        // Turned over the roof lies below: of its column both ends are the part's.
        let long = f64::from(top - h.under[c]);
        let beside = (q.y - 20.0).abs();
        if (1.0..59.0).contains(&q.x) && (4.5..6.5).contains(&beside) {
            assert!((long - 22.0).abs() < 0.3, "{q}: {long}");
            roofs += 1;
        } else if (1.0..59.0).contains(&q.x) && beside < 3.5 {
            assert!((long - 9.0).abs() < 0.3, "{q}: {long}");
            floors += 1;
        }
    }
    assert!(roofs > 100 && floors > 100, "{roofs} {floors}");

    // Another head: larger, higher, or on the same number a cutter without a neck.
    let k = p.sides.iter().position(|s| s.operations.iter().any(|o| o.id == op.id)).unwrap();
    let with = |change: &dyn Fn(&mut shop::tool::Tool)| {
        let mut p = p.clone();
        p.sides[k].tools.iter_mut().filter(|t| t.number == op.tool).for_each(change);
        stops(&prove_plan(&part, &p, &shop).unwrap())
    };
    for (told, found) in [
        ("larger", with(&|t| t.diameter_mm += 0.4)),
        ("higher", with(&|t| t.flute_length_mm += 0.3)),
        ("without a neck", with(&|t| t.shank_diameter_mm = 11.9)),
    ] {
        assert!(!found.is_empty(), "{told}");
    }
    // In the text: a lift in the middle of the slot, and the whole a little higher.
    let text = &p.sides[k].program;
    let mine = p.sides[k].promises.promises.iter().find(|m| m.operation == op.id).unwrap();
    let lines: Vec<&str> = text.lines().collect();
    let edited = |f: &dyn Fn(usize, &str) -> String| {
        let mut p = p.clone();
        let line = |(k, l): (usize, &&str)| {
            let n = k as u32 + 1;
            if n >= mine.first_line && n <= mine.last_line { f(k, l) } else { (*l).to_string() }
        };
        p.sides[k].program = lines.iter().enumerate().map(line).collect::<Vec<_>>().join("\n") + "\n";
        let proof = prove_plan(&part, &p, &shop).unwrap();
        (stops(&proof), proof.findings.iter().filter(|f| f.kind.leaves()).count())
    };
    // A long line of its own along the slot, broken off in the middle.
    let settings = ReadSettings { zero_in_machine: p.sides[k].setup.zero_in_machine, ..Default::default() };
    let steps = program::read(text, &settings).unwrap().steps;
    let long = |s: &&program::Step| {
        s.line > mine.first_line
            && s.line <= mine.last_line
            && s.from.x.min(s.to.x) < 20.0
            && s.from.x.max(s.to.x) > 40.0
            && s.to.z < op.bottom + 2.0
    };
    let middle = steps.iter().find(long).unwrap().line as usize - 1;
    let broken = |l: &str| format!("G1 X30\nG0 Z40\nG1 Z{:.3} F300\n{l}", op.bottom);
    let lifted = edited(&|k, l| if k == middle { broken(l) } else { l.into() });
    assert!(!lifted.0.is_empty(), "a lift under the roof");
    let higher = |word: &str| match word.strip_prefix('Z').and_then(|z| z.parse::<f64>().ok()) {
        // All heights of its head.
        Some(z) if z > op.bottom - 0.01 && z < op.top => format!("Z{:.3}", z + 0.3),
        _ => word.to_string(),
    };
    let raised = edited(&|_, l| l.split(' ').map(higher).collect::<Vec<_>>().join(" "));
    let left = edited(&|_, _| String::new());
    assert!(!raised.0.is_empty() && raised.1 > 0 && left.1 > 0, "{raised:?} {left:?}");
}

/// Dovetails of two angles, T-slots of sizes that the crib's heads fit, a closed T-slot with its bore, a ring groove in a bore: all in two holdings.
#[test]
fn random_undercuts_are_proved() {
    let seeds: u64 = std::env::var("GOLDCHIP_SEEDS").ok().and_then(|s| s.parse().ok()).unwrap_or(4);
    for seed in 1..=seeds {
        let mut dice = Dice::new(seed);
        let (l, w, h) = (dice.step(45.0, 80.0, 1.0), dice.step(38.0, 56.0, 1.0), dice.step(18.0, 26.0, 1.0));
        let block = Shape::block([0.0; 3], [l, w, h]).unwrap();
        let y = w / 2.0 + dice.step(-3.0, 3.0, 0.5);
        let (told, s) = match seed % 4 {
            0 => {
                let (deep, half, steep) = (dice.step(2.5, 4.0, 0.1), dice.step(9.0, 11.0, 0.25), dice.chance(0.5));
                let out = half + if steep { deep / 60.0_f64.to_radians().tan() } else { deep };
                let shape = [[out, h - deep], [half, h], [half, h + 1.0]];
                (
                    format!("dovetail {deep} deep, {half} to a side, steep {steep}"),
                    channel(&block, y, &shape, [-1.0, l + 1.0]),
                )
            }
            1 => {
                let (neck, wing, high) = (dice.step(3.6, 4.4, 0.1), dice.step(2.4, 3.1, 0.1), dice.step(4.0, 6.0, 0.1));
                let (floor, side) = (h - dice.step(10.0, 14.0, 0.5), neck + wing);
                let shape = [[side, floor], [side, floor + high], [neck, floor + high], [neck, h + 1.0]];
                (format!("T-slot {neck} + {wing}, {high} high"), channel(&block, y, &shape, [-1.0, l + 1.0]))
            }
            2 => {
                // From a bore in the middle to one end only.
                let (neck, wing, high) = (4.0, dice.step(2.0, 2.8, 0.1), dice.step(4.0, 5.0, 0.2));
                let (floor, side, x) = (h - 12.0, neck + wing, dice.step(16.0, 20.0, 1.0));
                let shape = [[side, floor], [side, floor + high], [neck, floor + high], [neck, h + 1.0]];
                let s = channel(&block, y, &shape, [x, l + 1.0]);
                (
                    format!("closed T-slot, wing {wing}"),
                    s.cut(&Shape::cylinder([x, y, floor], UP, side, h).unwrap()).unwrap(),
                )
            }
            _ => {
                let (r, deep, high) = (dice.step(13.0, 15.0, 0.5), dice.step(0.8, 2.0, 0.1), dice.step(1.5, 2.4, 0.1));
                let (x, z) = (l / 2.0, h - dice.step(6.0, 9.0, 0.5));
                let s = block.cut(&Shape::cylinder([x, y, -1.0], UP, r, h + 2.0).unwrap()).unwrap();
                let ring = Shape::cylinder([x, y, z], UP, r + deep, high).unwrap();
                (format!("ring groove Ø{} × {high}, {deep} deep", 2.0 * r), s.cut(&ring).unwrap())
            }
        };
        let told = format!("seed {seed}: {l} × {w} × {h}, {told}");
        let (part, p, proof, _) = planned(&s);
        sound(&told, &p, &proof);
        assert!(p.sides.len() == 2, "{told}: {} sides", p.sides.len());
        assert!(p.sides.iter().flat_map(|s| &s.operations).any(|o| o.kind == OpKind::Undercut), "{told}");
        oracle::agrees(&part, &p, &proof, &mut dice, &told);
    }
}

/// What no head of the crib fits is not cut, and said so.
#[test]
fn what_no_head_fits_stays_and_is_told() {
    let block = Shape::block([0.0; 3], [60.0, 40.0, 22.0]).unwrap();
    // A wing of 6 mm under a neck of 6; a dovetail of 55°.
    let wide = channel(&block, 20.0, &[[9.0, 9.0], [9.0, 14.0], [3.0, 14.0], [3.0, 23.0]], [-1.0, 61.0]);
    let deep = 4.0;
    let out = 9.0 + deep / 55.0_f64.to_radians().tan();
    let odd = channel(&block, 20.0, &[[out, 22.0 - deep], [9.0, 22.0], [9.0, 23.0]], [-1.0, 61.0]);
    let shop = Shop::demo().unwrap();
    for s in [wide, odd] {
        let part = read(&s);
        let view = View::new(&part, geom::Placement::IDENTITY);
        assert_eq!(part::undercuts(&view).len(), 1);
        assert!(part::made(&view, &shop.crib).0.is_empty());
    }
    // Upside down no opening leads in.
    let part = read(&t_slot());
    let over = geom::Placement { turn: geom::DMat3::from_rotation_x(std::f64::consts::PI), shift: geom::DVec3::ZERO };
    assert!(part::made(&View::new(&part, over), &shop.crib).0.is_empty());
    let (all, faces) = part::made(&View::new(&part, geom::Placement::IDENTITY), &shop.crib);
    assert_eq!((all.len(), faces.len()), (1, 2));
    assert!((all[0].low - 9.0).abs() < 1e-9 && (all[0].high - 14.0).abs() < 1e-9, "{:?}", all[0]);
    assert!((all[0].zone.area() - 2.0 * 3.0 * 60.0).abs() < 0.1, "{}", all[0].zone.area());
}
