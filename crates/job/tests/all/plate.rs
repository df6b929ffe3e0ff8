//! The outline last, on a plate by the part's own holes: a part that no jaws hold, its plate as a job of its own, and faults planted in both.

use crate::family::Dice;
use crate::oracle::read;
use holding::{Demand, Hold, HoldKind, Making, Plate, SchemeId, School};
use job::{Plan, Planned, Settled, plan, prove_plan};
use kernel::shape::{Shape, rounded_polygon};
use part::Part;
use proof::Proof;
use reason::Severity;
use shop::Shop;
use shop::tool::ToolKind;

const UP: [f64; 3] = [0.0, 0.0, 1.0];

/// An odd outline, a pocket from each side, and holes: middles and diameters.
fn plate_part(holes: &[(f64, f64, f64)]) -> Part {
    let c = [([0.0, 4.0], 6.0), ([44.0, 0.0], 8.0), ([78.0, 12.0], 6.0), ([66.0, 50.0], 9.0), ([16.0, 44.0], 7.0)];
    let square =
        |x: f64, y: f64, a: f64| [[-a, -a], [a, -a], [a, a], [-a, a]].map(|p| ([x + p[0], y + p[1]], 3.5)).to_vec();
    let mut s = Shape::prism(&rounded_polygon(&c), 0.0, 9.0).unwrap();
    s = s.cut(&Shape::prism(&rounded_polygon(&square(34.0, 22.0, 9.0)), 5.0, 10.0).unwrap()).unwrap();
    s = s.cut(&Shape::prism(&rounded_polygon(&square(55.0, 27.0, 7.0)), -1.0, 3.0).unwrap()).unwrap();
    for &(x, y, d) in holes {
        s = s.cut(&Shape::cylinder([x, y, -1.0], UP, d / 2.0, 11.0).unwrap()).unwrap();
    }
    read(&s)
}

const HOLES: [(f64, f64, f64); 5] =
    [(10.0, 12.0, 6.0), (58.0, 44.0, 6.0), (44.0, 7.0, 5.5), (69.0, 17.0, 5.5), (22.0, 38.0, 5.5)];

fn last() -> SchemeId {
    SchemeId { school: School::Inside, hold: HoldKind::Plate, up: (2, true), along: 0 }
}

fn planned(part: &Part, shop: &Shop) -> (Planned, Proof) {
    let settled = Settled { scheme: Some(last()), ..Settled::default() };
    let planned = plan(part, "odd-plate", shop, &settled).unwrap();
    let proof = prove_plan(part, &planned.plan, shop).unwrap();
    (planned, proof)
}

fn stops(proof: &Proof) -> Vec<String> {
    let all = proof.findings.iter().filter(|f| f.severity == Severity::Stop);
    all.map(|f| format!("{}: {}", f.kind, reason::plain(&f.what))).collect()
}

fn on_plate(plan: &Plan) -> &Plate {
    let Hold::Plate(p) = &plan.sides[2].setup.hold else { panic!("no plate") };
    p
}

#[test]
fn the_outline_is_cut_last_on_a_plate() {
    let shop = Shop::demo().unwrap();
    let part = plate_part(&HOLES);
    let (Planned { plan, .. }, proof) = planned(&part, &shop);
    assert_eq!(plan.scheme.id, last());
    assert!(stops(&proof).is_empty() && proof.complete, "{:?}", stops(&proof));
    let p = on_plate(&plan);
    // The two of a pin's size, the others take screws; sums of lengths close.
    let mut pins: Vec<f64> = p.pins.iter().map(|p| p.diameter).collect();
    pins.dedup();
    assert!(pins == [6.0] && p.pins.len() == 2 && p.screws.len() == 3, "{p:?}");
    assert!((p.pins[0].at.distance(p.pins[1].at) - 48.0_f64.hypot(32.0)).abs() < 1e-3);
    for s in &p.screws {
        assert_eq!((s.thread.as_str(), s.drill), ("M5", 4.2));
        assert!((s.seat - 9.0).abs() < 1e-6 && (s.engages - (s.length - 9.0 - s.washer[1])).abs() < 1e-6);
        // F = 0.7·T ÷ (0.2·d) by hand: 4 N m on M5 is 2800 N.
        assert!((s.force_n - 2800.0).abs() < 1e-6 && s.engages >= 7.5);
    }
    // What friction of three screws bears straight across at plate height: μ·ΣF, within the solver's pyramids.
    let low = Demand { side: 100.0, height: 0.0, over: Some([[35.0, -25.0, 0.0]; 2]), ..Demand::default() };
    let held = plan.sides[2].setup.hold.holds(p.friction, &low)[0].clone();
    let by_hand = p.friction * 3.0 * 2800.0;
    assert!(held.factor * 100.0 < 1.001 * by_hand && held.factor * 100.0 > 0.7 * by_hand, "{held:?} {by_hand}");
    // The first side goes right through the block, so that the second finds its bores; the outline stands until the last.
    let solids: Vec<&str> = plan.sides[2].solids.iter().map(|b| b.name.as_str()).collect();
    assert_eq!(solids.len(), 5, "{solids:?}");
    assert!(plan.sides[..2].iter().flat_map(|s| &s.operations).all(|o| !o.title.contains("outline")));
    assert!(plan.sides[2].operations.iter().any(|o| o.title.contains("outline")));
    // The plate: a piece of its own, with the zero that serves the part.
    let made = &plan.made[0];
    assert_eq!((made.name.as_str(), made.setup.as_str()), ("plate-side-3", "side 3"));
    assert_eq!(made.plan.sides[0].setup.zero_in_machine, plan.sides[2].setup.zero_in_machine);
    let own = &proof.made[0].1;
    assert!(own.passed(), "{:?}", stops(own));
    let wants = |kind: &str| own.findings.iter().filter(|f| f.kind == kind).count();
    assert!(wants("to_ream") > 0 && wants("to_tap") > 0);
    // The part's bottom lies free of it all around: the cutter comes through, and no lower than there is room for.
    let relief = p.pockets.iter().find(|p| p.name == "relief").unwrap();
    assert!((relief.floor + 1.0).abs() < 1e-9);
}

/// Planted: a pin that stands where no hole was drilled, a cutter sent into a head, a hole of the plate drilled into its island.
#[test]
fn faults_of_a_plate_are_found() {
    let shop = Shop::demo().unwrap();
    let part = plate_part(&HOLES);
    let (Planned { plan, .. }, _) = planned(&part, &shop);
    let head = on_plate(&plan).screws[0].clone();
    let has = |plan: &Plan, kind: &str, word: &str| {
        let found = stops(&prove_plan(&part, plan, &shop).unwrap());
        assert!(found.iter().any(|s| s.starts_with(kind) && s.contains(word)), "{kind} {word}: {found:?}");
    };
    let mut undrilled = plan.clone();
    let text = &mut undrilled.sides[0].program;
    // Without the cycle over the two holes of 6 mm.
    let cut: Vec<&str> = text.lines().filter(|l| !l.contains("G81") && !l.contains("G83")).collect();
    *text = cut.join("\n") + "\n";
    has(&undrilled, "does_not_seat", "pin");
    let mut into = plan.clone();
    let text = &mut into.sides[2].program;
    let end = text.rfind("M30").unwrap();
    let at = text[..end].rfind("G53").unwrap();
    let p = head.at;
    text.insert_str(at, &format!("G0 X{:.1} Y{:.1}\nG0 Z{:.1}\nG0 Z60\n", p.x, p.y, head.seat + 3.0));
    has(&into, "cutter_in_keep_out", "screw");
    let mut own = plan.clone();
    let text = &mut own.made[0].plan.sides[0].program;
    let (end, pin) = (text.rfind("M30").unwrap(), on_plate(&plan).pins[0].at);
    let at = text[..end].rfind("G53").unwrap();
    text.insert_str(at, &format!("G0 X{:.1} Y{:.1}\nG0 Z2\nG1 Z-4 F200\nG0 Z60\n", pin.x + 4.0, pin.y));
    has(&own, "not_made", "plate-side-3");
}

/// Random plates with holes: each is held by its own holes, proved and whole, or says why not. `GOLDCHIP_SEEDS` asks for more.
#[test]
fn random_plates_are_held_by_their_holes() {
    let shop = Shop::demo().unwrap();
    let more: Option<u64> = std::env::var("GOLDCHIP_SEEDS").ok().and_then(|n| n.parse().ok());
    let (mut all, mut held, mut bad) = (0, 0, Vec::new());
    for seed in 0..more.unwrap_or(3) {
        let part = random_plate(&mut Dice::new(9000 + seed));
        let (Planned { plan, .. }, proof) = planned(&part, &shop);
        all += 1;
        let is = plan.scheme.id == last();
        if !is {
            let lost = plan.findings.iter().find(|f| f.kind == "decision_lost").expect("it says why not");
            println!("{seed}: {}", reason::plain(&lost.what));
            continue;
        }
        if proof.passed() && proof.complete {
            held += 1;
        } else {
            bad.push(format!("{seed}: {:?}", stops(&proof)));
        }
    }
    println!("{held} of {all} on a plate, proved and complete");
    assert!(bad.is_empty(), "{}", bad.join("\n"));
    assert!(3 * held >= all, "{held} of {all}");
}

/// Five to seven corners, a window or none, pockets from both sides, and three to six holes of the shop's sizes.
fn random_plate(d: &mut Dice) -> Part {
    let n = [5, 6, 7][(d.between(0.0, 2.999)) as usize];
    let (thick, turn) = (d.step(5.0, 16.0, 0.5), d.between(0.0, 1.0));
    let corner = |k: usize, r: f64| {
        let a = turn + std::f64::consts::TAU * k as f64 / n as f64;
        [r * a.cos(), r * a.sin()]
    };
    let outer: Vec<([f64; 2], f64)> =
        (0..n).map(|k| (corner(k, d.between(38.0, 46.0)), d.step(4.0, 8.0, 0.5))).collect();
    let mut s = Shape::prism(&rounded_polygon(&outer), 0.0, thick).unwrap();
    let square = |a: f64, b: f64| [[-a, -b], [a, -b], [a, b], [-a, b]].map(|p| (p, 3.5)).to_vec();
    let (a, b) = (d.step(5.0, 12.0, 0.5), d.step(5.0, 10.0, 0.5));
    let deep = if d.chance(0.3) { thick + 1.0 } else { d.step(1.5, 0.45 * thick, 0.5) };
    s = s.cut(&Shape::prism(&rounded_polygon(&square(a, b)), thick - deep, thick + 1.0).unwrap()).unwrap();
    if d.chance(0.5) {
        let low = d.step(1.0, 0.4 * thick, 0.5);
        s = s.cut(&Shape::cylinder([0.0, 0.0, -1.0], UP, d.step(4.0, 13.0, 0.5), 1.0 + low).unwrap()).unwrap();
    }
    for k in 0..n.min(4 + usize::from(d.chance(0.5))) {
        let bore = if k % 3 == 0 { d.pick(&[5.0, 6.0, 6.0, 8.0]) } else { d.pick(&[4.5, 5.5, 6.6, 9.0]) };
        let bore = if k < 4 && k % 3 == 0 { 6.0 } else { bore };
        let [x, y] = corner(k, 26.0);
        s = s.cut(&Shape::cylinder([x, y, -1.0], UP, bore / 2.0, thick + 2.0).unwrap()).unwrap();
    }
    let flip = d.chance(0.5);
    read(&if flip { s.moved([1.0, 0.0, 0.0], std::f64::consts::PI, [3.0, 5.0, 20.0]).unwrap() } else { s })
}

/// What a plate cannot hold is said; the way that was chosen gives way to the proposal.
#[test]
fn why_there_is_no_plate() {
    let shop = Shop::demo().unwrap();
    let why = |part: &Part, shop: &Shop| {
        let all = holding::schemes(part, shop, shop.material("aluminium-6082").unwrap(), &holding::Choice::default());
        let c = all.unwrap().into_iter().find(|c| c.id.school == School::Inside).unwrap();
        c.scheme.err().unwrap_or_default()
    };
    let part = plate_part(&HOLES);
    assert_eq!(why(&part, &shop), "");
    assert!(why(&part, &Shop { pins: vec![], ..shop.clone() }).contains("no pins"));
    assert!(why(&part, &Shop { pallets: vec![], ..shop.clone() }).contains("no plate"));
    assert!(why(&plate_part(&HOLES[..2]), &shop).contains("two holes for pins and one for a screw"));
    let odd: Vec<(f64, f64, f64)> = HOLES.iter().map(|&(x, y, _)| (x, y, 5.5)).collect();
    assert!(why(&plate_part(&odd), &shop).contains("pin's size"));
    // Screws too weak for any cut.
    let weak = shop.screws.iter().map(|s| shop::pallet::Screw { torque_nm: 0.05, ..s.clone() }).collect();
    assert!(why(&part, &Shop { screws: weak, ..shop.clone() }).contains("asks for"));
    let bare = Shop { pins: vec![], ..shop.clone() };
    let (Planned { plan, .. }, _) = planned(&part, &bare);
    assert!(plan.scheme.id.school != School::Inside && plan.findings.iter().any(|f| f.kind == "decision_lost"));
}

/// A pin's hole that is reamed is drilled smaller by the program: the reamer follows in it, or by hand before the plate, and the plan does not mind.
#[test]
fn reamed_holes_are_open_for_their_pins() {
    let mut shop = Shop::demo().unwrap();
    let part = plate_part(&HOLES);
    let all = part::questions(&part, &part::recognise(&part), &Default::default());
    let about = all.iter().find(|q| q.id.starts_with("hole/6.00/")).unwrap().id.clone();
    let answers = [(about, "ream 6 H7".to_string())].into();
    let settled = Settled { scheme: Some(last()), answers, ..Settled::default() };
    for by_machine in [true, false] {
        if !by_machine {
            shop.crib.retain(|t| t.kind != ToolKind::Reamer);
        }
        let plan = plan(&part, "odd-plate", &shop, &settled).unwrap().plan;
        assert_eq!(plan.scheme.id.school, School::Inside, "{:?}", plan.scheme.findings);
        let reamed = plan.sides.iter().flat_map(|s| &s.operations).filter(|o| o.kind == route::OpKind::Ream).count();
        assert_eq!(reamed > 0, by_machine);
        assert_eq!(plan.named.iter().any(|f| f.kind == "to_ream"), !by_machine, "{:?}", settled.answers);
        assert_eq!(plan.sides.len(), 3);
    }
}

/// What is made says what it is, in the shop's words.
#[test]
fn a_plate_says_what_it_is() {
    let shop = Shop::demo().unwrap();
    let (Planned { plan, .. }, _) = planned(&plate_part(&HOLES), &shop);
    let made = plan.sides[2].setup.hold.makes().unwrap();
    assert!(matches!(made, Making::Plate(_)));
    assert!(made.words().starts_with("2 reamed holes and 3 threads M5 in aluminium pallet"), "{}", made.words());
    let told: Vec<String> = plan.sides[2].setup.actions().iter().map(|a| reason::plain(a).into_owned()).collect();
    assert!(
        told[0].contains("try the pins in its holes")
            && told.iter().any(|a| a.contains("3 × M5 × 20 with washer, 4.0 N m")),
        "{told:?}"
    );
}
