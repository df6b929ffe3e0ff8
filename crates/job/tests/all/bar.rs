//! From a bar in a collet block: hexagons and rounds with what lies across in them, sawn off and cut at their other end; and faults planted in it.

use crate::family::Dice;
use crate::oracle::{agrees, read};
use geom::{BarForm, DVec3};
use holding::{Choice, ColletGrip, Demand, Hold, HoldKind, Position, SchemeId, School, StockChoice};
use job::{Plan, Settled, plan, prove_plan};
use kernel::shape::{Shape, rounded_polygon};
use part::Part;
use proof::Proof;
use reason::{Kind, Severity};
use shop::Shop;
use std::f64::consts::{FRAC_PI_3, PI};

/// Of the crib.
const DRILLS: [f64; 9] = [2.0, 2.5, 3.0, 3.3, 4.0, 4.2, 5.0, 5.5, 6.0];

const UP: [f64; 3] = [0.0, 0.0, 1.0];

/// A hexagon with flats at 30°, 90° …, with bores right through at an angle and a height.
fn hexagon(across: f64, long: f64, bores: &[(f64, f64, f64)]) -> Shape {
    let r = across / 2.0 / (PI / 6.0).cos();
    let corners: Vec<([f64; 2], f64)> =
        (0..6).map(|k| f64::from(k) * FRAC_PI_3).map(|a| ([r * a.cos(), r * a.sin()], 0.0)).collect();
    across_bored(Shape::prism(&rounded_polygon(&corners), 0.0, long).unwrap(), bores)
}

fn across_bored(mut s: Shape, bores: &[(f64, f64, f64)]) -> Shape {
    for &(z, d, deg) in bores {
        let (sin, cos) = f64::to_radians(deg).sin_cos();
        let c = Shape::cylinder([-30.0 * cos, -30.0 * sin, z], [cos, sin, 0.0], d / 2.0, 60.0).unwrap();
        s = s.cut(&c).unwrap();
    }
    s
}

/// A bore from the upper end, with the point of a drill.
fn axial(s: Shape, d: f64, from: f64, to: f64) -> Shape {
    let s = s.cut(&Shape::cylinder([0.0, 0.0, from], UP, d / 2.0, to - from).unwrap()).unwrap();
    let point = d / 2.0 / 59.0_f64.to_radians().tan();
    s.cut(&Shape::cone([0.0, 0.0, from - point], UP, 0.0, d / 2.0, point).unwrap()).unwrap()
}

fn planned(part: &Part, shop: &Shop) -> (Plan, Proof) {
    let plan = plan(part, "post", shop, &Settled::default()).unwrap().plan;
    let proof = prove_plan(part, &plan, shop).unwrap();
    (plan, proof)
}

fn stops(proof: &Proof) -> Vec<String> {
    let all = proof.findings.iter().filter(|f| f.severity == Severity::Stop);
    all.map(|f| format!("{}: {}", f.kind, reason::plain(&f.what))).collect()
}

fn collet(plan: &Plan, side: usize) -> &ColletGrip {
    let Hold::Collet(c) = &plan.sides[side].setup.hold else { panic!("side {side} is in no collet") };
    c
}

fn post() -> Part {
    read(&axial(hexagon(17.0, 42.0, &[(9.0, 5.0, 90.0), (20.0, 4.0, 30.0)]), 6.0, 24.0, 50.0))
}

#[test]
fn a_cross_drilled_hexagon_is_cut_from_a_bar() {
    let shop = Shop::demo().unwrap();
    let part = post();
    let (plan, proof) = planned(&part, &shop);
    assert_eq!((plan.scheme.id.school, plan.scheme.id.hold), (School::Bar, HoldKind::Collet));
    let bar = plan.scheme.bar.unwrap();
    let BarForm::Hexagon { across_mm, turned_deg } = bar.form else { panic!("{bar:?}") };
    assert!((across_mm - 17.0).abs() < 1e-3 && (turned_deg - 30.0).abs() < 1e-3, "{bar:?}");
    // Its end, two positions of the hexagon block 60° apart, the other end.
    assert_eq!(plan.sides.len(), 4);
    assert_eq!((collet(&plan, 0).position, collet(&plan, 0).block.sides), (Position::Stands, 6));
    let [a, b] = [1, 2].map(|k| plan.sides[k].setup.up());
    assert!((a.dot(b).abs() - 0.5).abs() < 1e-9 && a.z.abs() < 1e-9, "{a} {b}");
    assert!(collet(&plan, 1).found_here && !collet(&plan, 2).found_here);
    assert!(plan.sides[3].setup.sawn.is_some() && !matches!(plan.sides[3].setup.hold, Hold::Collet(_)));
    assert!(stops(&proof).is_empty() && proof.complete, "{:?}", stops(&proof));
    agrees(&part, &plan, &proof, &mut Dice::new(5), "post");
    // The flats stay as they are: said, and not cut.
    assert!(plan.findings.iter().any(|f| f.kind == Kind::AsItComes));
    assert!(plan.sides.iter().all(|s| s.operations.iter().all(|o| !o.title.contains("outline"))));
    // What is done at the machine says so.
    let says = |k: usize, what: &str| plan.sides[k].setup.actions().iter().any(|a| a.contains(what));
    assert!(
        says(0, "hexagon collet")
            && says(1, "Do not open the collet")
            && says(2, "flats on")
            && says(3, "Saw the piece off")
    );
}

/// By hand: alone against a torque about itself a collet holds μ·F·r; a pull along it μ·F.
#[test]
fn a_collet_holds_by_friction_of_all_it_presses_with() {
    let shop = Shop::demo().unwrap();
    let flats = collet(&planned(&post(), &shop).0, 0).clone();
    let mut c = flats.clone();
    c.flats = false;
    let mu = 0.2;
    let force = c.block.clamp_kn * 1000.0;
    let hold = Hold::Collet(Box::new(c.clone()));
    let factor = |d: &Demand| {
        let all = hold.holds(mu, d);
        all.iter().find(|h| h.fails.contains("collet")).unwrap().factor
    };
    let at = Some([[c.nose.x, c.nose.y, c.nose.z]; 2]);
    let pull = factor(&Demand { lift: 100.0, over: at, ..Demand::default() }) * 100.0;
    // The two lines that answer can press a little more than the one that closes, by the friction between them.
    assert!(pull < 1.05 * mu * force && pull > 0.95 * mu * force, "{pull} {}", mu * force);
    let twist = factor(&Demand { torque: 1.0, over: at, ..Demand::default() });
    let by_hand = mu * force * c.size / 2.0 / 1000.0;
    assert!(twist < 1.05 * by_hand && twist > 0.8 * by_hand, "{twist} {by_hand}");
    // A hexagon cannot turn in its collet: it bears more.
    let hold = Hold::Collet(Box::new(flats));
    let turned = hold.holds(mu, &Demand { torque: 1.0, over: at, ..Demand::default() });
    assert!(turned.iter().find(|h| h.fails.contains("collet")).unwrap().factor > 1.1 * twist);
    // A thrust goes onto the stop screw.
    assert!(factor(&Demand { thrust: 3.0 * mu * force, over: at, ..Demand::default() }) > 3.0);
}

/// Planted: a bore 0.05 mm beside its place in a turned side, the saw into the part, the bar thinner and thicker than it is, a cutter into the block.
#[test]
fn faults_from_a_bar_are_found() {
    let shop = Shop::demo().unwrap();
    let part = post();
    let (plan, _) = planned(&part, &shop);
    let told = |p: &Plan| stops(&prove_plan(&part, p, &shop).unwrap());
    assert!(told(&plan).is_empty());
    let mut off = plan.clone();
    let frame = &mut off.sides[1].setup.part_from_work;
    frame.shift += frame.dir(DVec3::X) * 0.08;
    assert!(told(&off).iter().any(|t| t.starts_with("gouge")), "{:?}", told(&off));
    let mut short = plan.clone();
    let left = &mut short.sides[3].setup.sawn.as_mut().unwrap().left;
    left.min.z += 2.0;
    assert!(told(&short).iter().any(|t| t.starts_with("gouge")), "{:?}", told(&short));
    let mut thin = plan.clone();
    thin.scheme.bar.as_mut().unwrap().form = BarForm::Hexagon { across_mm: 16.9, turned_deg: 30.0 };
    assert!(told(&thin).iter().any(|t| t.starts_with("gouge")), "{:?}", told(&thin));
    let mut thick = plan.clone();
    thick.scheme.bar.as_mut().unwrap().form = BarForm::Hexagon { across_mm: 17.4, turned_deg: 30.0 };
    assert!(told(&thick).iter().any(|t| t.starts_with("leftover")), "{:?}", told(&thick));
    let mut into = plan.clone();
    let at = collet(&plan, 1).nose;
    let text = &mut into.sides[1].program;
    let end = text.rfind("M30").unwrap();
    text.insert_str(end, &format!("G0 X{:.3} Y0.000\nG0 Z5.000\n", at.x - 20.0));
    assert!(!told(&into).is_empty());
}

/// A shop without collet blocks, one that has no collet so large, blocks that a person chose: other ways, each with its reason.
#[test]
fn what_no_collet_takes_is_told() {
    let shop = Shop::demo().unwrap();
    let part = post();
    let id = SchemeId { school: School::Bar, hold: HoldKind::Collet, up: (2, true), along: 0 };
    let why = |part: &Part, shop: &Shop| {
        let wish = Settled { scheme: Some(id), ..Settled::default() }.wish();
        let material = shop.material("aluminium-6082").unwrap();
        let sides = holding::sides(part, shop, material, &wish);
        let choice = Choice { stock: StockChoice::Rule, firm: false, wish };
        let scheme = holding::plan_on(part, shop, material, &choice, &sides).unwrap();
        let lost = scheme.findings.iter().find(|f| f.kind == Kind::DecisionLost);
        lost.map(|f| reason::plain(&f.what).into_owned()).unwrap_or_default()
    };
    assert_eq!(why(&part, &shop), "");
    assert!(why(&part, &Shop { collet_blocks: vec![], ..shop.clone() }).contains("no collet block"));
    let wide = read(&hexagon(36.0, 42.0, &[(9.0, 5.0, 90.0)]));
    assert!(why(&wide, &shop).contains("they go up to Ø26"), "{}", why(&wide, &shop));
    // A groove all around is turned, not milled from six sides.
    let ring = Shape::cylinder([0.0, 0.0, 18.0], UP, 12.0, 5.0).unwrap();
    for r in [7.0, 9.7] {
        let ring = ring.cut(&Shape::cylinder([0.0, 0.0, 17.0], UP, r, 7.0).unwrap()).unwrap();
        let grooved = read(&Shape::cylinder([0.0; 3], UP, 10.0, 42.0).unwrap().cut(&ring).unwrap());
        assert!(why(&grooved, &shop).contains("want turning"), "{r}: {}", why(&grooved, &shop));
    }
    let plain = plan(&part, "post", &Shop { collet_blocks: vec![], ..shop.clone() }, &Settled::default()).unwrap().plan;
    assert_ne!(plain.scheme.id.school, School::Bar);
    assert!(plain.scheme.bar.is_none());
}

/// A part that is neither hexagon nor round is cut from a round bar where a person wants that: its outline from the first side.
#[test]
fn an_odd_outline_comes_out_of_a_round_bar() {
    let shop = Shop::demo().unwrap();
    let c = [([-8.0, -6.0], 2.0), ([8.0, -6.0], 2.0), ([6.0, 7.0], 3.0), ([-8.0, 6.0], 2.0)];
    let s = across_bored(Shape::prism(&rounded_polygon(&c), 0.0, 16.0).unwrap(), &[(8.0, 4.0, 0.0)]);
    let part = read(&s);
    let id = SchemeId { school: School::Bar, hold: HoldKind::Collet, up: (2, true), along: 0 };
    let plan = plan(&part, "odd", &shop, &Settled { scheme: Some(id), ..Settled::default() }).unwrap().plan;
    let proof = prove_plan(&part, &plan, &shop).unwrap();
    assert_eq!(plan.scheme.id.school, School::Bar, "{:?}", plan.findings);
    assert!(
        matches!(plan.scheme.bar.unwrap().form, BarForm::Round { diameter_mm } if (20.0..=24.0).contains(&diameter_mm))
    );
    assert!(stops(&proof).is_empty() && proof.complete, "{:?}", stops(&proof));
    agrees(&part, &plan, &proof, &mut Dice::new(8), "odd");
}

/// A shaft with a step: the second time only its thick end, which is the bar's still, may be in the collet; with a step at both ends nothing of it.
#[test]
fn a_collet_closes_again_only_on_what_is_left_of_the_bar() {
    let shop = Shop::demo().unwrap();
    let stepped = |low: f64| {
        let s = Shape::cylinder([0.0, 0.0, low], UP, 12.0, 40.0).unwrap();
        let s = s.fuse(&Shape::cylinder([0.0, 0.0, low + 40.0], UP, 8.0, 15.0).unwrap()).unwrap();
        if low > 0.0 { s.fuse(&Shape::cylinder([0.0; 3], UP, 9.0, low).unwrap()).unwrap() } else { s }
    };
    let part = read(&across_bored(stepped(0.0), &[(20.0, 5.0, 0.0)]));
    let id = |positive| SchemeId { school: School::Bar, hold: HoldKind::Collet, up: (2, positive), along: 0 };
    let of = |part: &Part, positive: bool| {
        let settled = Settled { scheme: Some(id(positive)), ..Settled::default() };
        let plan = plan(part, "shaft", &shop, &settled).unwrap().plan;
        let last = plan.sides.last().unwrap().setup.hold.kind();
        (last, plan)
    };
    // The thin end first: it cannot be gripped as the bar.
    let (last, plan) = of(&part, true);
    assert_ne!(last, Some(HoldKind::Collet), "{:?}", plan.scheme.offers);
    // The thick end first.
    let (last, plan) = of(&part, false);
    assert_eq!(last, Some(HoldKind::Collet), "{:?}", plan.scheme.offers);
    let proof = prove_plan(&part, &plan, &shop).unwrap();
    assert!(stops(&proof).is_empty() && proof.complete, "{:?} {:?}", stops(&proof), plan.named);
    agrees(&part, &plan, &proof, &mut Dice::new(11), "shaft");
    // Thin at both ends.
    let both = read(&stepped(28.0));
    let (_, plan) = of(&both, true);
    let offer = plan.scheme.offers.iter().find(|o| o.kind == HoldKind::Collet).unwrap();
    assert!(offer.why_not.contains("too little has the size of the bar"), "{offer:?}");
}

/// Random posts of hexagon and round bar: proved and whole. `GOLDCHIP_SEEDS` asks for more.
#[test]
fn random_posts_are_proved() {
    let shop = Shop::demo().unwrap();
    let seeds = std::env::var("GOLDCHIP_SEEDS").ok().and_then(|s| s.parse().ok()).unwrap_or(3);
    let mut bad = Vec::new();
    for seed in 1..=seeds {
        let mut dice = Dice::new(seed * 71);
        let sizes = [11.0, 13.0, 14.0, 17.0, 19.0, 22.0];
        let across = sizes[(dice.between(0.0, 5.99)) as usize];
        let long = dice.between(1.2, 2.6) * across;
        let hex = dice.between(0.0, 1.0) < 0.6;
        let n = dice.between(1.0, 3.99) as usize;
        let turn = if hex { 60.0 } else { 90.0 };
        let bores: Vec<(f64, f64, f64)> = (0..n)
            .map(|k| {
                let z = long * (k as f64 + 0.6) / (n as f64 + 0.4);
                let most = (0.36 * across).min(long / n as f64 / 2.0);
                let d = DRILLS.into_iter().rfind(|d| *d <= dice.between(2.0, most.max(2.01))).unwrap_or(2.0);
                (z, d, 30.0 + turn * dice.between(0.0, 5.99).floor())
            })
            .collect();
        let body = if hex {
            hexagon(across, long, &bores)
        } else {
            across_bored(Shape::cylinder([0.0; 3], UP, across / 2.0, long).unwrap(), &bores)
        };
        // Along it: right through, or down to above the uppermost bore.
        let (z, d, _) = bores[n - 1];
        let end = if seed % 2 == 0 && long < 34.0 { -1.0 } else { z + d / 2.0 + 3.5 };
        let body = if end < long - 3.0 { axial(body, (0.3 * across).round(), end, long + 5.0) } else { body };
        if let Ok(dir) = std::env::var("GOLDCHIP_FAMILY_DIR") {
            body.write_step(&std::path::Path::new(&dir).join(format!("post-{seed}.step"))).unwrap();
        }
        let part = read(&body);
        let (plan, proof) = planned(&part, &shop);
        let told = stops(&proof);
        println!(
            "{seed}: {} {across:.1} × {long:.1}, {n} bores, {} sides, {} min",
            if hex { "hexagon" } else { "round" },
            plan.sides.len(),
            proof.minutes.round()
        );
        if plan.scheme.id.school != School::Bar || !told.is_empty() || !proof.complete {
            bad.push(format!(
                "{seed}: {} {told:?} {:?}",
                plan.scheme.id,
                plan.named.iter().map(|f| f.what.clone()).collect::<Vec<_>>()
            ));
        }
    }
    assert!(bad.is_empty(), "{bad:#?}");
}
