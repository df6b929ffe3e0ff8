//! Tilted between the jaws: inclined flats with what is cut into them, and slanted bores, in setups at an angle that the proof follows.

use crate::family::Dice;
use crate::oracle::{agrees, read};
use geom::{DVec2, DVec3, Placement};
use holding::Hold;
use job::{Plan, Settled, plan, prove_plan};
use kernel::shape::{Shape, rounded_polygon};
use part::Part;
use proof::Proof;
use reason::Severity;
use shop::Shop;

fn planned(part: &Part, shop: &Shop) -> (Plan, Proof) {
    let plan = plan(part, "slope", shop, &Settled::default()).unwrap().plan;
    let proof = prove_plan(part, &plan, shop).unwrap();
    (plan, proof)
}

fn stops(proof: &Proof) -> Vec<&str> {
    proof.findings.iter().filter(|f| f.severity == Severity::Stop).map(|f| f.what.as_str()).collect()
}

/// A block whose end at +X falls by `deg`, from `at` on, with bores so deep and a pocket square to the slope.
fn slope(size: [f64; 3], at: f64, deg: f64, bores: &[(f64, f64, f64)], deep: f64, pocket: Option<[f64; 4]>) -> Shape {
    let [w, l, h] = size;
    let a = deg.to_radians();
    let pivot = [at, 0.0, h];
    let mut p = Shape::block([0.0; 3], size).unwrap();
    let over = Shape::block([0.0, -5.0, 0.0], [2.0 * w, l + 5.0, 2.0 * h]).unwrap();
    p = p.cut(&over.moved([0.0, 1.0, 0.0], a, pivot).unwrap()).unwrap();
    // Down the slope by s, across by y.
    for &(s, y, d) in bores {
        let c = Shape::cylinder([s, y, -deep], [0.0, 0.0, 1.0], d / 2.0, deep + 11.0).unwrap();
        p = p.cut(&c.moved([0.0, 1.0, 0.0], a, pivot).unwrap()).unwrap();
    }
    if let Some([s, y, long, deep]) = pocket {
        let r = [([s, y], 3.5), ([s + long, y], 3.5), ([s + long, y + 9.0], 3.5), ([s, y + 9.0], 3.5)];
        let c = Shape::prism(&rounded_polygon(&r), -deep, 20.0).unwrap();
        p = p.cut(&c.moved([0.0, 1.0, 0.0], a, pivot).unwrap()).unwrap();
    }
    p
}

/// For tries by hand: into the directory that `GOLDCHIP_FAMILY_DIR` names.
fn written(shape: &Shape, name: &str) {
    if let Ok(dir) = std::env::var("GOLDCHIP_FAMILY_DIR") {
        shape.write_step(&std::path::Path::new(&dir).join(format!("{name}.step"))).unwrap();
    }
}

fn sample() -> Part {
    let shape = slope(
        [70.0, 34.0, 26.0],
        20.0,
        15.0,
        &[(12.0, 9.0, 5.0), (12.0, 25.0, 5.0)],
        60.0,
        Some([24.0, 12.0, 16.0, 3.0]),
    );
    written(&shape, "slope");
    read(&shape)
}

#[test]
fn a_slope_with_bores_and_a_pocket_is_cut_square_to_it() {
    let shop = Shop::demo().unwrap();
    let part = sample();
    let (plan, proof) = planned(&part, &shop);
    assert!(stops(&proof).is_empty() && proof.complete, "{:#?}", proof.findings);
    let side = plan.sides.last().unwrap();
    let Hold::Tilted(t) = &side.setup.hold else { panic!("not tilted: {:?}", plan.scheme.findings) };
    assert_eq!(t.tilt.words, "angle block 15°");
    let up = side.setup.up();
    assert!((up.x.atan2(up.z).to_degrees() - 15.0).abs() < 1e-9, "{up}");
    let words: Vec<&str> = side.operations.iter().map(|o| o.kind.word()).collect();
    assert!(words.contains(&"face") && words.contains(&"drill") && words.contains(&"rough"), "{words:?}");
    agrees(&part, &plan, &proof, &mut Dice::new(5), "slope");

    // The gauge pin by hand: Ø8 touches the slope and its stop, so its middle is 4 mm from both. The slope passes under the part's lower face; the stop stands
    // square to it at the part's lowest corner.
    let seen = side.setup.part_from_work.inverse();
    let corner = part.bounds.corners().into_iter().map(|c| seen.point(c)).min_by(|a, b| a.z.total_cmp(&b.z)).unwrap();
    let a = 15.0_f64.to_radians();
    let along = if t.down_to_the_left { 1.0 } else { -1.0 };
    let middle = DVec2::new(corner.x + along * 4.0 * (a.cos() - a.sin()), corner.z + 4.0 * (a.sin() + a.cos()));
    assert!((t.pin[0] - middle.x).abs() < 1e-3 && (t.pin[1] - middle.y - 4.0).abs() < 1e-3, "{:?} {middle}", t.pin);

    // The slope stands as a solid below the part, and touches it with nothing but its face.
    let block = side.solids.iter().find(|s| s.name == "angle block").unwrap();
    let below = part.bounds.corners().into_iter().filter(|c| c.z < 1e-6).map(|c| seen.point(c));
    let plane = below.map(|c| DVec2::new(c.x, c.z)).collect::<Vec<_>>();
    let on = |x: f64| plane[0].y + (x - plane[0].x) * (a.tan() * along);
    assert!(block.mesh.points.iter().all(|p| p.z <= on(p.x) + t.tilt.stop_mm * 1.2), "{:?}", block.mesh.bounds());
    let told: Vec<String> = side.setup.actions().iter().map(|s| reason::plain(s).into_owned()).collect();
    assert!(told[0].contains("angle block 15°") && told.iter().any(|s| s.contains("gauge pin")), "{told:?}");
}

/// A slope falls steeply, and beside it a slot runs in from the end: the tilted side looks into the slot too, and it is not its own. It is cut from the end.
#[test]
fn what_else_a_tilted_side_sees_is_cut_square() {
    let shop = Shop::demo().unwrap();
    let a = 60.0_f64.to_radians();
    let block = Shape::block([0.0; 3], [60.0, 40.0, 30.0]).unwrap();
    let over = Shape::block([0.0, 0.0, 0.0], [90.0, 90.0, 60.0]).unwrap();
    let over = over.moved([0.0, 1.0, 0.0], a, [52.0, 22.0, 30.0]).unwrap();
    let slot = [([48.0, 5.0], 0.0), ([70.0, 5.0], 0.0), ([70.0, 14.0], 0.0), ([48.0, 14.0], 0.0)];
    let slot =
        Shape::prism(&rounded_polygon(&slot), 0.0, 8.0).unwrap().moved([0.0, 0.0, 1.0], 0.0, [0.0, 0.0, 9.0]).unwrap();
    let shape = block.cut(&over).unwrap().cut(&slot).unwrap();
    written(&shape, "slope-and-slot");
    let part = read(&shape);
    let (plan, proof) = planned(&part, &shop);
    let ups: Vec<DVec3> = plan.sides.iter().map(|s| s.setup.up()).collect();
    assert!(ups.iter().any(|u| u.x > 1.0 - 1e-9), "{ups:?} {:?}", stops(&proof));
    assert!(proof.findings.iter().all(|f| f.kind != "leftover"), "{:?}", stops(&proof));
}

/// Tampered with: the piece stands 0.3° steeper than planned, or its zero is off. Both are found.
#[test]
fn a_wrong_tilt_is_found() {
    let shop = Shop::demo().unwrap();
    let part = sample();
    let (mut plan, proof) = planned(&part, &shop);
    assert!(proof.passed());
    let last = plan.sides.len() - 1;
    let true_one = plan.sides[last].setup.part_from_work;
    let lean = Placement { turn: geom::DMat3::from_rotation_y(0.3_f64.to_radians()), shift: DVec3::ZERO };
    plan.sides[last].setup.part_from_work = true_one.after(&lean);
    let leaning = prove_plan(&part, &plan, &shop).unwrap();
    assert!(!leaning.passed() && leaning.gouge_mm > 0.1, "{}", leaning.gouge_mm);
    let low = Placement { shift: DVec3::new(0.0, 0.0, 0.05), ..Placement::IDENTITY };
    plan.sides[last].setup.part_from_work = true_one.after(&low.inverse());
    let deep = prove_plan(&part, &plan, &shop).unwrap();
    assert!((deep.gouge_mm - 0.05).abs() <= deep.error_mm + 1e-3, "{}", deep.gouge_mm);
}

#[test]
fn without_blocks_it_stays_rough_and_says_why() {
    let shop = Shop::demo().unwrap();
    let part = sample();
    let bare = Shop { angle_blocks: None, sine_bars: vec![], ..shop.clone() };
    let (plan, proof) = planned(&part, &bare);
    assert!(plan.sides.iter().all(|s| !matches!(s.setup.hold, Hold::Tilted(_))));
    let f = proof.findings.iter().find(|f| f.kind == "not_tilted").expect("told");
    assert!(f.what.contains("neither angle blocks nor a sine bar") && f.severity == Severity::Warn, "{}", f.what);
    assert!(!proof.complete, "{:?}", stops(&proof));
    // With the bar alone the angle comes from gauge blocks: 50 mm × sin 15°. Bores that come down on it are not cut there; the slope without them is.
    let bar = Shop { angle_blocks: None, ..shop };
    let (plan, _) = planned(&part, &bar);
    let f = plan.findings.iter().find(|f| f.kind == "not_tilted").expect("told");
    assert!(f.what.contains("cut into what it stands on"), "{}", f.what);
    let part = read(&slope([70.0, 34.0, 26.0], 20.0, 15.0, &[], 0.0, Some([24.0, 12.0, 16.0, 3.0])));
    let (plan, proof) = planned(&part, &bar);
    let Hold::Tilted(t) = &plan.sides.last().unwrap().setup.hold else { panic!("not tilted") };
    assert_eq!(t.tilt.stack_mm, Some(12.941));
    assert!(proof.complete && proof.passed(), "{:?}", stops(&proof));
}

/// Random slopes: angles of blocks and odd ones, bores and pockets in them. `GOLDCHIP_SEEDS` for more.
#[test]
fn random_slopes() {
    let shop = Shop::demo().unwrap();
    let n: u64 = std::env::var("GOLDCHIP_SEEDS").ok().and_then(|v| v.parse().ok()).unwrap_or(4);
    let mut good = 0;
    for seed in 0..n {
        let mut d = Dice::new(7000 + seed);
        let size = [d.step(45.0, 90.0, 1.0), d.step(28.0, 50.0, 1.0), d.step(18.0, 34.0, 1.0)];
        let deg = if d.chance(0.5) { d.pick(&[5.0, 10.0, 15.0, 20.0, 30.0]) } else { d.step(4.0, 32.0, 0.25) };
        let at = d.step(0.1 * size[0], 0.45 * size[0], 1.0);
        // The slope ends at the far end, or at the lower face.
        let long = ((size[0] - at) / deg.to_radians().cos()).min((size[2] - 7.0) / deg.to_radians().sin());
        let bores: Vec<(f64, f64, f64)> = (0..2)
            .map(|_| {
                (d.step(7.0, (long - 7.0).max(8.0), 0.5), d.step(7.0, size[1] - 7.0, 0.5), d.pick(&[4.0, 5.0, 6.0]))
            })
            .collect();
        let clash = bores[0].0 - bores[1].0;
        let apart = clash.hypot(bores[0].1 - bores[1].1) > 9.0;
        let shape = slope(size, at, deg, if apart { &bores } else { &bores[..1] }, d.pick(&[9.0, 60.0]), None);
        written(&shape, &format!("slope{seed:03}"));
        let part = read(&shape);
        let (plan, proof) = planned(&part, &shop);
        let tilted = plan.sides.iter().any(|s| matches!(s.setup.hold, Hold::Tilted(_)));
        let fine = proof.passed() && proof.complete;
        println!("{seed}: {size:?} {deg}° at {at}: tilted {tilted}, {fine}, {:?}", stops(&proof));
        if !fine {
            proof
                .findings
                .iter()
                .filter(|f| f.severity != Severity::Note)
                .for_each(|f| println!("   {}", reason::plain(&f.what)));
        }
        assert!(proof.gouge_mm < 0.02, "{seed}: {}", proof.gouge_mm);
        good += u64::from(fine);
    }
    assert!(good * 100 >= 75 * n, "{good} of {n}");
}
