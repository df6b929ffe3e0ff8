//! Soft jaws: parts that two flat jaws do not hold end proved, in jaws that a slow oracle finds to fit; planted faults are found.

use crate::family::Dice;
use crate::odd;
use crate::oracle::{covered, read};

use geom::DVec3;
use holding::HoldKind;
use job::{Plan, Settled, plan, prove_plan};
use kernel::shape::{Shape, rounded_polygon};
use part::Part;
use proof::Proof;
use reason::{Severity, Sure};
use shop::Shop;

/// A pear with a hole and a pocket below.
fn pear() -> Part {
    let c = [([0.0, 0.0], 8.0), ([58.0, 6.0], 5.0), ([64.0, 30.0], 6.0), ([22.0, 44.0], 9.0), ([4.0, 30.0], 6.0)];
    let body = Shape::prism(&rounded_polygon(&c), 0.0, 14.0).unwrap();
    let bore = Shape::cylinder([18.0, 16.0, -1.0], [0.0, 0.0, 1.0], 3.0, 20.0).unwrap();
    let p = [([28.0, 12.0], 4.0), ([48.0, 12.0], 4.0), ([48.0, 26.0], 4.0), ([28.0, 26.0], 4.0)];
    let pocket = Shape::prism(&rounded_polygon(&p), -1.0, 5.0).unwrap();
    read(&body.cut(&bore).unwrap().cut(&pocket).unwrap())
}

fn stops(proof: &Proof) -> Vec<&str> {
    proof.findings.iter().filter(|f| f.severity == Severity::Stop).map(|f| f.what.as_str()).collect()
}

fn of_kind(proof: &Proof, kind: &str) -> bool {
    proof.findings.iter().any(|f| f.kind == kind && f.severity == Severity::Stop)
}

/// The part in process and the jaws as their texts leave them, at random places around the nest: nothing lies in both, and just beyond the edge of the
/// part there is jaw where it is said to bear.
fn oracle(part: &Part, plan: &Plan, proof: &Proof, dice: &mut Dice) {
    for (k, side) in plan.sides.iter().enumerate() {
        let Some(jaws) = side.setup.hold.jaws() else { continue };
        let made = plan.made.iter().find(|m| m.setup == side.setup.name).unwrap();
        let cut = &made.plan.sides[0];
        let work = side.setup.part_from_work.inverse();
        let b = work.bounds(&part.bounds);
        let [lo, hi] = jaws.block;
        let in_block = |p: DVec3| (0..3).all(|i| p[i] > lo[i] && p[i] < hi[i]);
        let (fixed, moving) = (jaws.split + jaws.spacer / 2.0, jaws.split - jaws.spacer / 2.0);
        let stock = work.bounds(&plan.scheme.stock);
        let is_jaw = |points: &[DVec3]| -> Vec<bool> {
            let gone = covered(points, &cut.program, cut.setup.zero_in_machine, &cut.tools);
            points.iter().zip(gone).map(|(p, g)| in_block(*p) && !g && (p.y > fixed || p.y < moving)).collect()
        };
        let is_part = |points: &[DVec3]| -> Vec<bool> {
            let mut gone = vec![false; points.len()];
            for before in &plan.sides[..k] {
                let there = before.setup.part_from_work.inverse().after(&side.setup.part_from_work);
                let here: Vec<DVec3> = points.iter().map(|p| there.point(*p)).collect();
                let now = covered(&here, &before.program, before.setup.zero_in_machine, &before.tools);
                gone.iter_mut().zip(now).for_each(|(g, n)| *g |= n);
            }
            let there = |p: &DVec3| (0..3).all(|i| p[i] > stock.min[i] && p[i] < stock.max[i]);
            points.iter().zip(gone).map(|(p, g)| there(p) && !g).collect()
        };
        // Nothing in both: places all around the nest, and close to its walls.
        let mut points: Vec<DVec3> = (0..1500)
            .map(|_| {
                DVec3::new(
                    dice.between(b.min.x - 1.0, b.max.x + 1.0),
                    dice.between(b.min.y - 1.0, b.max.y + 1.0),
                    dice.between(b.min.z - 0.5, jaws.top),
                )
            })
            .collect();
        let nest = jaws.pockets.iter().find(|p| p.name == "nest").unwrap();
        for l in &nest.outlines {
            for w in l.windows(2).step_by(1 + l.len() / 300) {
                let out = (w[1] - w[0]).perp().normalize_or_zero() * -1.0;
                let at = w[0].lerp(w[1], dice.between(0.0, 1.0));
                let z = dice.between(jaws.seat + 0.2, jaws.top - 0.2);
                points.extend([-0.03, 0.03].map(|d| (at + out * d).extend(z)));
            }
        }
        let (p, j) = (is_part(&points), is_jaw(&points));
        let both = points.iter().zip(p.iter().zip(&j)).filter(|(_, (p, j))| **p && **j).map(|(q, _)| q);
        let both: Vec<&DVec3> = both.collect();
        assert!(both.is_empty(), "{}: in part and jaw: {both:?}", side.setup.name);
        assert!(p.iter().filter(|p| **p).count() > 100 && j.iter().filter(|j| **j).count() > 100);
        // How much bears, seen along the jaws' travel: part close inside the nest's edge, jaw close outside. Chords of the sampled places are 0.15 mm.
        const NEAR: f64 = 0.06;
        let mut edges: Vec<(DVec3, DVec3, f64)> = Vec::new();
        let rows = 4;
        for l in &nest.outlines {
            for (a, b) in l.iter().zip(l.iter().cycle().skip(1)) {
                let n = (a.distance(*b) / 0.8).ceil().max(1.0);
                let out = -(*b - *a).perp().normalize_or_zero();
                for i in 0..n as usize {
                    let at = a.lerp(*b, (i as f64 + dice.between(0.2, 0.8)) / n);
                    let area = (b.x - a.x).abs() / n * jaws.depth / f64::from(rows);
                    for row in 0..rows {
                        let z = jaws.seat + jaws.depth * (f64::from(row) + dice.between(0.2, 0.8)) / f64::from(rows);
                        edges.push((at.extend(z), out.extend(0.0), area));
                    }
                }
            }
        }
        let part_here = is_part(&edges.iter().map(|(p, n, _)| *p - *n * NEAR).collect::<Vec<_>>());
        let jaw_here = is_jaw(&edges.iter().map(|(p, n, _)| *p + *n * NEAR).collect::<Vec<_>>());
        let fit = proof.fits.iter().find(|f| f.setup == side.setup.name).unwrap();
        for moving in [false, true] {
            let both = edges
                .iter()
                .zip(part_here.iter().zip(&jaw_here))
                .filter(|(e, (p, j))| **p && **j && (e.0.y < jaws.split) == moving);
            let area: f64 = both.map(|(e, _)| e.2).sum();
            let said = fit.bears_mm2[usize::from(moving)];
            assert!(area > 0.75 * said - 5.0, "{}: {said:.0} mm² are said to bear, {area:.0} do", side.setup.name);
        }
        assert!(fit.overlap_mm <= proof::OVERLAP && fit.goes_in && fit.shift_mm.abs() < NEAR, "{fit:?}");
    }
}

#[test]
fn an_odd_outline_is_held_by_jaws_that_fit_and_faults_in_them_are_found() {
    let shop = Shop::demo().unwrap();
    let part = pear();
    let planned = plan(&part, "pear", &shop, &Settled::default()).unwrap().plan;
    let proof = prove_plan(&part, &planned, &shop).unwrap();
    assert!(proof.passed() && proof.complete, "{:?}", stops(&proof));
    assert_eq!((planned.sides.len(), planned.made.len(), proof.fits.len()), (2, 1, 1));
    let (_, own) = &proof.made[0];
    assert!(own.passed() && own.complete, "{:?}", stops(own));
    let jaws = planned.sides[1].setup.hold.jaws().unwrap();
    for (is, was) in proof.fits[0].bears_mm2.iter().zip(jaws.bears_mm2) {
        assert!(*is > 0.8 * was && *is < 1.3 * was, "{:?} of {:?}", proof.fits[0].bears_mm2, jaws.bears_mm2);
    }
    oracle(&part, &planned, &proof, &mut Dice::new(5));

    // The jaws' cutter stands 0.1 mm off.
    let shifted = |text: &str, by: f64| -> String {
        let moved = |w: &str| match w.strip_prefix('Y').and_then(|v| v.parse::<f64>().ok()) {
            Some(v) => format!("Y{:.4}", v + by),
            None => w.to_string(),
        };
        let line =
            |l: &str| if l.starts_with('(') { l.into() } else { l.split(' ').map(moved).collect::<Vec<_>>().join(" ") };
        text.lines().map(line).collect::<Vec<_>>().join("\n")
    };
    let mut off = planned.clone();
    let side = &mut off.made[0].plan.sides[0];
    side.program = shifted(&side.program, 0.1);
    let found = prove_plan(&part, &off, &shop).unwrap();
    assert!(of_kind(&found, "jaws_do_not_fit"), "{:?}", stops(&found));
    // The first side leaves its outline 0.1 mm off.
    let mut off = planned.clone();
    off.sides[0].program = shifted(&off.sides[0].program, 0.1);
    assert!(of_kind(&prove_plan(&part, &off, &shop).unwrap(), "jaws_do_not_fit"));
    // The jaws' program ends early: they are not made, and the part does not go in.
    let mut off = planned.clone();
    let side = &mut off.made[0].plan.sides[0];
    let half = side.program.lines().count() / 2;
    side.program = side.program.lines().take(half).chain(["M30"]).collect::<Vec<_>>().join("\n");
    let found = prove_plan(&part, &off, &shop).unwrap();
    assert!(of_kind(&found, "not_made") && of_kind(&found, "jaws_do_not_fit"), "{:?}", stops(&found));
    // A cutter of the part's program goes down into them.
    let mut off = planned.clone();
    let text = &mut off.sides[1].program;
    let line = text.lines().position(|l| l.starts_with("G1 ") && l.contains('X')).unwrap();
    let deep: Vec<String> = text
        .lines()
        .enumerate()
        .flat_map(|(k, l)| {
            let also = if k == line { vec!["G1 Z2. F100.".to_string(), "G1 Z40. F500.".into()] } else { Vec::new() };
            std::iter::once(l.to_string()).chain(also)
        })
        .collect();
    *text = deep.join("\n");
    assert!(of_kind(&prove_plan(&part, &off, &shop).unwrap(), "cutter_in_keep_out"));
}

#[test]
fn a_person_chooses_the_way_and_each_refusal_has_its_reason() {
    // Nothing else would hold it.
    let shop = Shop { adhesives: Vec::new(), chucks: Vec::new(), ..Shop::demo().unwrap() };
    let part = pear();
    let with = |shop: &Shop, hold: &[HoldKind]| {
        let settled = Settled { hold: (!hold.is_empty()).then(|| hold.to_vec()), ..Settled::default() };
        plan(&part, "pear", shop, &settled).unwrap().plan
    };
    let only_vise = with(&shop, &[HoldKind::Vise]);
    assert!(only_vise.made.is_empty() && only_vise.scheme.not_planned[0].why.contains("no two parallel faces"));
    let bare = Shop { jaw_blanks: Vec::new(), ..shop.clone() };
    assert!(with(&bare, &[]).scheme.not_planned[0].why.contains("no blanks"));
    let mut thin = shop.clone();
    thin.vise.spacers_mm.clear();
    assert!(with(&thin, &[]).scheme.not_planned[0].why.contains("no spacers"));
    let mut low = shop.clone();
    low.jaw_blanks.iter_mut().for_each(|b| (b.bolts_up_mm, b.bolts_apart_mm) = (b.height_mm - 12.0, 24.0));
    assert!(with(&low, &[]).scheme.not_planned[0].why.contains("bolts"));
    let mut blunt = shop.clone();
    blunt.crib.retain(|t| t.kind != shop::tool::ToolKind::Flat || t.diameter_mm > 20.0);
    assert!(with(&blunt, &[]).scheme.not_planned.iter().any(|n| n.why.contains("end mill")));
}

/// Seeds of the family; more by `GOLDCHIP_SEEDS`, which prints a table.
#[test]
fn families_of_odd_parts_are_held() {
    let shop = Shop::demo().unwrap();
    let more: Option<u64> = std::env::var("GOLDCHIP_SEEDS").ok().and_then(|n| n.parse().ok());
    let mut table = [[0usize; 3]; odd::KINDS.len()];
    let mut bad = Vec::new();
    // Two that once failed: a spot cut into a boss beside it; a hold asked where nothing is cut.
    let seeds: Vec<u64> = more.map_or_else(|| (0..6).chain([33, 39]).collect(), |n| (0..n).collect());
    for seed in seeds {
        let Ok(shape) = odd::part(seed) else { continue };
        let part = read(&shape);
        let planned = plan(&part, "odd", &shop, &Settled::default()).unwrap().plan;
        let proof = prove_plan(&part, &planned, &shop).unwrap();
        let row = &mut table[odd::kind(seed)];
        row[0] += 1;
        if proof.passed() && proof.complete {
            row[1] += 1;
            oracle(&part, &planned, &proof, &mut Dice::new(seed));
        } else {
            // Whatever is not held or not made says why.
            let said = !stops(&proof).is_empty() || proof.findings.iter().any(|f| f.severity == Severity::Warn);
            row[2] += usize::from(said);
            bad.push(format!("{seed} {}: {:?}", odd::KINDS[odd::kind(seed)], stops(&proof)));
        }
    }
    for (k, [all, proved, told]) in table.iter().enumerate() {
        println!("{:>18}: {proved} of {all} proved and complete, {told} told", odd::KINDS[k]);
    }
    println!("{}", bad.join("\n"));
    let (all, proved) = table.iter().fold((0, 0), |s, r| (s.0 + r[0], s.1 + r[1]));
    let told: usize = table.iter().map(|r| r[2]).sum();
    assert!(proved * 100 >= all * 80 && proved + told == all, "{proved} of {all}\n{}", bad.join("\n"));
}

/// Stock as thick as the part leaves no hat: a little more than half is cut from each side. What is too thin for that is said.
#[test]
fn stock_without_a_hat_is_cut_half_from_each_side() {
    let shop = Shop::demo().unwrap();
    let with = |part: &Part, size: [f64; 3]| {
        let stock = Some(job::StockDecision::Sizes(size));
        plan(part, "half", &shop, &Settled { stock, ..Settled::default() }).unwrap().plan
    };
    // Flat jaws hold a block with a pocket, soft ones the pear.
    let pocket = [([12.0, 10.0], 5.0), ([48.0, 10.0], 5.0), ([48.0, 30.0], 5.0), ([12.0, 30.0], 5.0)];
    let block = Shape::prism(
        &rounded_polygon(&[([0.0, 0.0], 6.0), ([60.0, 0.0], 6.0), ([60.0, 40.0], 6.0), ([0.0, 40.0], 6.0)]),
        0.0,
        14.0,
    )
    .unwrap();
    // Deeper than half: its walls and floor are the first side's, for only that sees it.
    let block = read(&block.cut(&Shape::prism(&rounded_polygon(&pocket), 4.0, 15.0).unwrap()).unwrap());
    for (part, size, jaws) in [(block, [63.0, 43.0, 15.0], 0), (pear(), [68.0, 48.0, 15.0], 1)] {
        let p = with(&part, size);
        let proof = prove_plan(&part, &p, &shop).unwrap();
        assert!(proof.passed() && proof.complete, "{:?}", stops(&proof));
        assert_eq!((p.sides.len(), p.made.len()), (2, jaws));
        let line = p.findings.iter().find(|f| f.kind == "witness_line").expect("the line is told");
        let height = line.places[0].max_mm[2] - line.places[0].min_mm[2];
        assert!(line.severity == Severity::Note && height < 2.0, "{line:?}");
        // No jaw of the first side reaches what it cuts.
        let first = &p.sides[0];
        let top = first.setup.hold.bodies().iter().map(|b| b.max.z).fold(0.0, Sure::at_least);
        let low =
            first.operations.iter().filter(|o| o.title.contains("outline")).map(|o| o.bottom).fold(99.0, Sure::at_most);
        assert!(low >= top + 1.9, "{low} {top}");
        // A jaw in the way of the outline's cut would be found: raised by what the plan keeps free, it is.
        let mut off = p.clone();
        if let holding::Hold::Vise(g) = &mut off.sides[0].setup.hold {
            g.bodies.iter_mut().filter(|b| b.name.contains("jaw")).for_each(|b| b.max.z += 5.0);
        }
        assert!(of_kind(&prove_plan(&part, &off, &shop).unwrap(), "cutter_in_keep_out"));
    }
    let thin = read(&Shape::block([0.0; 3], [60.0, 40.0, 5.0]).unwrap());
    let p = with(&thin, [63.0, 43.0, 6.0]);
    assert!(p.findings.iter().any(|f| f.kind == "no_hat" && f.why.contains("too thin")), "{:?}", p.findings);
}
