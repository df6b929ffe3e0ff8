//! How parts with known answers are held: sums of lengths that must close, whatever the plan chooses.

use geom::DVec3;
use holding::{
    Body, Choice, Grip, Hold, HoldError, HoldKind, HoldKinds, Order, Scheme, SchemeId, School, Setup, StockChoice,
    Wish, plan, schemes,
};
use kernel::shape::{Shape, rounded_polygon};
use part::Part;
use shop::Shop;

fn read(shape: &Shape) -> Part {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("p.step");
    shape.write_step(&file).unwrap();
    Part::from_raw(&intake::read_trusted(&file).unwrap().raw).unwrap()
}

fn grip(s: &Setup) -> &Grip {
    let Hold::Vise(g) = &s.hold else { panic!("not in the vise") };
    g
}

fn block(x: f64, y: f64, z: f64) -> Shape {
    Shape::block([0.0; 3], [x, y, z]).unwrap()
}

/// A block with a pocket of rounded corners from one side.
fn tray(from_above: bool) -> Part {
    let (lo, hi) = if from_above { (4.0, 13.0) } else { (-1.0, 8.0) };
    let c = [([8.0, 8.0], 4.0), ([52.0, 8.0], 4.0), ([52.0, 32.0], 4.0), ([8.0, 32.0], 4.0)];
    read(&block(60.0, 40.0, 12.0).cut(&Shape::prism(&rounded_polygon(&c), lo, hi).unwrap()).unwrap())
}

/// Lengths of a plan that hang together.
fn closes(p: &Scheme, part: &Part, shop: &Shop) {
    // What cannot be held has no setup, and says why.
    assert_eq!(p.setups.len() + p.not_planned.len(), 2);
    assert!(p.not_planned.iter().all(|n| n.why.len() > 10 && (n.up + p.up).length() < 1e-12));
    assert_eq!(p.findings.iter().filter(|f| f.kind == "no_grip").count(), p.not_planned.len());
    let stock = p.stock;
    assert!((stock.min - part.bounds.min).max_element() <= 1e-9 && (part.bounds.max - stock.max).max_element() <= 1e-9);
    for (k, s) in p.setups.iter().enumerate() {
        // The turn is a rotation onto axes, right-handed; up is the side's own direction.
        let m = s.part_from_work.turn;
        assert!((m.determinant() - 1.0).abs() < 1e-12);
        let up = s.part_from_work.dir(DVec3::Z);
        assert!((up - if k == 0 { p.up } else { -p.up }).length() < 1e-12, "{up}");
        let work = s.part_from_work.inverse();
        let (b, held) = (work.bounds(&part.bounds), work.bounds(&stock));
        // Zero: left end, fixed jaw, parallels. On side two the hat overhangs, so zero is at the part itself.
        let at_zero = if k == 0 { held } else { b };
        assert!(at_zero.min.x.abs() < 1e-9 && at_zero.max.y.abs() < 1e-9 && at_zero.min.z.abs() < 1e-9, "{at_zero:?}");
        // Parallels and grip make the jaw's height; what stands above is the rest.
        assert!((grip(s).parallels + grip(s).height - shop.vise.jaw_height_mm).abs() < 1e-9);
        assert!((grip(s).above + grip(s).height - held.size().z).abs() < 1e-9 || k == 1);
        let gripped = if k == 0 { held } else { b };
        assert!((grip(s).opening - gripped.size().y).abs() < 1e-6 && grip(s).opening <= shop.vise.opening_mm);
        // The jaws stand at both sides of what they grip and end at the grip's height.
        for Body { name, min, max, .. } in s.hold.bodies() {
            if name.contains("jaw") {
                assert!((max.z - grip(s).height).abs() < 1e-9, "{name}");
                assert!(min.y >= -1e-9 || max.y <= -grip(s).opening + 1e-9, "{name} {min} {max}");
            }
        }
        let axes: Vec<&str> = s.datum.iter().map(|z| z.axis.as_str()).collect();
        assert_eq!(axes, ["X", "Y", "Z"]);
        assert!(s.datum.iter().all(|z| z.touches.len() > 10));
    }
    // Side one cuts the whole part above the jaws.
    let first = p.setups[0].part_from_work.inverse();
    assert!(first.bounds(&part.bounds).min.z > grip(&p.setups[0]).height);
}

#[test]
fn pockets_come_up_first_and_lengths_close() {
    let shop = Shop::demo().unwrap();
    for from_above in [true, false] {
        let part = tray(from_above);
        let p = plan(&part, &shop, aluminium(&shop), &Choice::default()).unwrap();
        assert_eq!(p.setups.len(), 2, "{:?}", p.not_planned);
        closes(&p, &part, &shop);
        assert_eq!(p.up.z.abs(), 1.0, "{}", p.up);
        assert!(p.compared.len() >= 2 && p.compared[0].contains("up first"));
        // Hat and deck: grip and clearance below the part, a skin elsewhere.
        let low = if p.up.z > 0.0 { part.bounds.min.z - p.stock.min.z } else { p.stock.max.z - part.bounds.max.z };
        assert!((low - p.hat).abs() < 1e-9 && p.hat >= grip(&p.setups[0]).height + 2.0, "{low} {}", p.hat);
    }
}

#[test]
fn a_persons_block_and_side_stand() {
    let shop = Shop::demo().unwrap();
    let part = tray(true);
    for (axis, positive) in [(2, true), (2, false)] {
        let choice = Choice {
            stock: StockChoice::Sizes([70.0, 50.0, 30.0]),
            wish: Wish { kinds: HoldKinds::only(&[HoldKind::Vise]), ..up_first(axis, positive) },
            ..Choice::default()
        };
        let p = plan(&part, &shop, aluminium(&shop), &choice).unwrap();
        closes(&p, &part, &shop);
        assert_eq!(p.up[axis], if positive { 1.0 } else { -1.0 });
        assert!((p.stock.size() - DVec3::new(70.0, 50.0, 30.0)).length() < 1e-9);
    }
}

#[test]
fn blocks_that_cannot_be_are_refused_with_their_axis() {
    let shop = Shop::demo().unwrap();
    let part = tray(true);
    let with = |s: [f64; 3]| {
        let choice = Choice { stock: StockChoice::Sizes(s), ..Choice::default() };
        plan(&part, &shop, aluminium(&shop), &choice).unwrap_err()
    };
    assert_eq!(with([70.0, 39.0, 30.0]), HoldError::TooSmall { axis: 'Y', have: 39.0, need: 40.0 });
    assert_eq!(with([0.0, 50.0, 30.0]), HoldError::NoSize);
    assert_eq!(with([f64::NAN, 50.0, 30.0]), HoldError::NoSize);
    assert!(with([70.0, 39.0, 30.0]).to_string().contains("give a larger block"));
}

#[test]
fn what_does_not_fit_or_hold_is_said() {
    let shop = Shop::demo().unwrap();
    let kinds = |part: &Part| -> Vec<String> {
        let p = plan(part, &shop, aluminium(&shop), &Choice::default()).unwrap();
        p.findings.iter().map(|f| f.kind.to_string()).collect()
    };
    assert!(kinds(&tray(true)).is_empty());
    assert!(kinds(&read(&block(900.0, 40.0, 12.0))).contains(&"too_long".to_string()));
    // A three-cornered plate has no two parallel walls to grip: soft jaws hold it, and nothing where the shop has no blanks or they are not wanted.
    let three =
        Shape::prism(&rounded_polygon(&[([0.0, 0.0], 0.0), ([60.0, 0.0], 0.0), ([20.0, 50.0], 0.0)]), 0.0, 12.0);
    let three = read(&three.unwrap());
    assert!(kinds(&three).is_empty());
    let no_grip = |shop: &Shop, choice: &Choice| {
        let p = plan(&three, shop, aluminium(shop), choice).unwrap();
        assert_eq!((p.setups.len(), p.not_planned.len()), (1, 1));
        p.findings.iter().find(|f| f.kind == "no_grip").unwrap().what.clone()
    };
    let bare = Shop { jaw_blanks: Vec::new(), adhesives: Vec::new(), ..shop.clone() };
    let why = no_grip(&bare, &Choice::default());
    assert!(why.contains("no blanks for soft jaws") && why.contains("nothing that sticks"), "{why}");
    // With glue it is cut from a sheet, in one setup.
    let stuck = Shop { jaw_blanks: Vec::new(), ..shop.clone() };
    let p = plan(&three, &stuck, aluminium(&stuck), &Choice::default()).unwrap();
    assert_eq!((p.id.school, p.setups.len(), p.not_planned.len()), (School::Sheet, 1, 0));
    let only_vise = wishing(Wish { kinds: HoldKinds::only(&[HoldKind::Vise]), ..Wish::default() });
    assert!(no_grip(&shop, &only_vise).contains("no two parallel faces"));
}

fn up_first(axis: usize, positive: bool) -> Wish {
    Wish { order: Order::Up { axis, positive }, ..Wish::default() }
}

fn wishing(wish: Wish) -> Choice {
    Choice { wish, ..Choice::default() }
}

fn aluminium(shop: &Shop) -> &shop::machine::Material {
    shop.material("aluminium-6082").unwrap()
}

/// A round part in a round nest: told where what the second side cuts hangs on the turn, and only there.
#[test]
fn a_round_part_is_told_where_its_turn_matters() {
    let shop = Shop::demo().unwrap();
    let up = [0.0, 0.0, 1.0];
    let disc = || Shape::cylinder([0.0; 3], up, 20.0, 14.0).unwrap();
    let bore = |x: f64, r: f64, low: f64, high: f64| Shape::cylinder([x, 0.0, low], up, r, high - low).unwrap();
    let told = |s: &Shape| {
        let choice = wishing(up_first(2, true));
        let p = plan(&read(s), &shop, aluminium(&shop), &choice).unwrap();
        // In a chuck, which needs nothing made; in soft jaws where there is none.
        assert!(p.setups.len() == 2 && p.setups[1].hold.kind() == Some(HoldKind::Chuck), "{:?}", p.not_planned);
        let bare = Shop { chucks: Vec::new(), ..shop.clone() };
        let q = plan(&read(s), &bare, aluminium(&bare), &choice).unwrap();
        assert!(q.setups.len() == 2 && q.setups[1].hold.makes().is_some(), "{:?}", q.not_planned);
        let told = |p: &Scheme| p.findings.iter().any(|f| f.kind == "turns_freely");
        assert_eq!(told(&p), told(&q));
        p.findings.iter().any(|f| f.kind == "turns_freely")
    };
    // Nothing, a recess in the middle, a hole right through (the first side's): no.
    assert!(!told(&disc()));
    assert!(!told(&disc().cut(&bore(0.0, 6.0, -1.0, 4.0)).unwrap()));
    assert!(!told(&disc().cut(&bore(12.0, 2.5, -1.0, 15.0)).unwrap()));
    // A flange around a hub, with a hole right through it: what is cut around the hub is round, the hole is there.
    let hub = Shape::cylinder([0.0, 0.0, 14.0], up, 8.0, 6.0).unwrap();
    assert!(!told(&disc().fuse(&hub).unwrap().cut(&bore(14.0, 2.5, -1.0, 15.0)).unwrap()));
    // A blind hole off the middle from below: yes.
    assert!(told(&disc().cut(&bore(12.0, 2.5, -1.0, 6.0)).unwrap()));
}

/// Whole ways of a tray: each that can be is what its name says and can be chosen; each that cannot says why.
#[test]
fn whole_ways_are_named_chosen_and_refused() {
    let shop = Shop::demo().unwrap();
    let part = tray(true);
    let al = aluminium(&shop);
    let all = schemes(&part, &shop, al, &Choice::default()).unwrap();
    let ids: Vec<SchemeId> = all.iter().map(|c| c.id).collect();
    assert!(ids.iter().enumerate().all(|(k, id)| !ids[..k].contains(id)));
    // What is proposed stands first.
    let proposed = plan(&part, &shop, al, &Choice::default()).unwrap();
    assert_eq!(all[0].id, proposed.id);
    let of = |school: School, hold: HoldKind| all.iter().filter(move |c| c.id.school == school && c.id.hold == hold);
    assert!(of(School::Deck, HoldKind::SoftJaws).any(|c| c.scheme.is_ok()));
    assert!(of(School::Half, HoldKind::Vise).any(|c| c.scheme.is_ok()));
    for c in &all {
        let choice = wishing(Wish { scheme: Some(c.id), ..Wish::default() });
        let p = plan(&part, &shop, al, &choice).unwrap();
        let lost = p.findings.iter().find(|f| f.kind == "decision_lost");
        match &c.scheme {
            Ok(s) => {
                assert!(lost.is_none() && p.id == c.id, "{} {}", c.id, p.id);
                assert_eq!((s.stock, s.setups.len()), (p.stock, p.setups.len()));
                assert_eq!(p.setups.last().unwrap().hold.kind(), Some(c.id.hold));
                assert!((p.up - c.id.up()).length() < 1e-12);
                // A half's block is thinner: it has no hat.
                assert_eq!(p.hat < 3.0, c.id.school != School::Deck, "{} {}", c.id, p.hat);
            }
            // The proposal takes its place, told.
            Err(why) => {
                assert!(why.len() > 10);
                assert_eq!(p.id, proposed.id, "{}", c.id);
                assert!(lost.is_some_and(|f| f.remedy.is_some()), "{}", c.id);
            }
        }
    }
    // A low plate leaves the jaws nothing below its middle; a shop without blanks has no soft jaws.
    let low = read(&block(60.0, 40.0, 6.0));
    let bare = Shop { jaw_blanks: Vec::new(), ..shop.clone() };
    let all = schemes(&low, &bare, al, &Choice::default()).unwrap();
    let why = |school: School, hold: HoldKind| {
        all.iter()
            .filter(|c| c.id.school == school && c.id.hold == hold)
            .filter_map(|c| c.scheme.as_ref().err())
            .cloned()
            .collect::<Vec<_>>()
    };
    assert!(why(School::Half, HoldKind::Vise)[0].contains("too low"));
    assert!(why(School::Deck, HoldKind::SoftJaws)[0].contains("no blanks"));
    // What a person wants of the sides is kept.
    let only = wishing(Wish { kinds: HoldKinds::only(&[HoldKind::SoftJaws]), ..up_first(2, false) });
    let few = schemes(&part, &shop, al, &only).unwrap();
    assert!(!few.is_empty() && few.iter().all(|c| c.id.hold == HoldKind::SoftJaws && c.id.up == (2, false)));
}

/// A block that is only proposed is for hat and deck: other ways have their own. One that a person chose stands, and what it forbids is said.
#[test]
fn a_proposed_block_hinders_no_other_way() {
    let shop = Shop::demo().unwrap();
    let part = tray(true);
    let over = StockChoice::Over([[2.0, 2.0], [2.0, 2.0], [9.0, 1.0]]);
    let half = |firm: bool| {
        let choice = Choice { stock: over, firm, wish: Wish::default() };
        let all = schemes(&part, &shop, aluminium(&shop), &choice).unwrap();
        all.into_iter().find(|c| c.id.school == School::Half && c.id.hold == HoldKind::Vise).unwrap().scheme
    };
    assert!(half(true).unwrap_err().contains("the block that was chosen has stock below"));
    let free = half(false).unwrap();
    assert!((free.stock.size().z - (part.bounds.size().z + 2.0)).abs() < 1e-9);
    // A thin plate is a sheet, whatever is proposed for it; a block that has to come off below stays one.
    let thin = rounded_polygon(&[([0.0, 0.0], 3.0), ([80.0, 10.0], 3.0), ([30.0, 60.0], 3.0)]);
    let thin = read(&Shape::prism(&thin, 0.0, 3.0).unwrap());
    let of = |firm: bool| {
        plan(&thin, &shop, aluminium(&shop), &Choice { stock: over, firm, wish: Wish::default() }).unwrap()
    };
    assert_eq!((of(false).id.school, of(false).not_planned.len()), (School::Sheet, 0));
    let stays = of(true);
    assert!(stays.not_planned[0].why.contains("to come off below"), "{:?}", stays.not_planned);
}

/// A chosen way whose first side cannot be held is no failure of the job: the proposal takes its place, told and mended by one press.
#[test]
fn a_chosen_sheet_that_nothing_sticks_gives_way() {
    let bare = Shop { adhesives: Vec::new(), ..Shop::demo().unwrap() };
    let part = tray(true);
    for id in ["sheet.bond.+z.x", "sheet.vise.-z.x"] {
        let p = plan(&part, &bare, aluminium(&bare), &wishing(Wish { scheme: id.parse().ok(), ..Wish::default() }))
            .unwrap();
        let lost = p.findings.iter().find(|f| f.kind == "decision_lost").unwrap();
        assert!(lost.what.contains("nothing that sticks") && lost.remedy.is_some(), "{}", lost.what);
        assert_eq!((p.id.school, p.setups.len()), (School::Deck, 2));
    }
}
