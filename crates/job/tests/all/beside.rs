//! What a person said stays beside the part: cutters keep away from it, what that leaves is named, and the proof sees whoever does not.

use intake::Reading;
use job::{Plan, Settled, plan, prove_plan};
use kernel::shape::Shape;
use part::{BESIDE, Part};
use proof::Proof;
use reason::Severity;
use shop::Shop;

const UP: [f64; 3] = [0.0, 0.0, 1.0];

/// A plate 80 × 50 × 12 with a step 4 deep along its front and a hole, and beside it a solid of its own.
fn file(beside: &Shape) -> tempfile::TempDir {
    let plate = Shape::block([0.0; 3], [80.0, 50.0, 12.0]).unwrap();
    let plate = plate.cut(&Shape::block([-1.0, -1.0, 8.0], [81.0, 15.0, 13.0]).unwrap()).unwrap();
    let plate = plate.cut(&Shape::cylinder([20.0, 35.0, -1.0], UP, 4.0, 14.0).unwrap()).unwrap();
    let dir = tempfile::tempdir().unwrap();
    plate.beside(beside).unwrap().write_step(&dir.path().join("two.step")).unwrap();
    dir
}

fn read(dir: &tempfile::TempDir, stays: bool) -> Part {
    let reading = Reading { solid: Some(0), stays: if stays { vec![1] } else { vec![] }, ..Default::default() };
    Part::from_model(&intake::read_trusted(&dir.path().join("two.step")).unwrap(), &reading).unwrap()
}

fn planned(p: &Part, shop: &Shop) -> Plan {
    plan(p, "two", shop, &Settled::default()).unwrap().plan
}

fn kinds(p: &Proof, least: Severity) -> Vec<&str> {
    p.findings.iter().filter(|f| f.severity >= least).map(|f| f.kind.name()).collect()
}

/// A stop that stands on the step, up to a height.
fn post_to(top: f64) -> Shape {
    Shape::block([60.0, 2.0, 8.0], [70.0, 9.0, top]).unwrap()
}

/// It rises over the plate.
fn post() -> Shape {
    post_to(30.0)
}

#[test]
fn cutters_keep_away_from_what_stays_and_the_rest_is_cut() {
    // Turned over, the tall one would stand in a parallel: that alone is a stop.
    for (top, stops) in [(11.0, &[][..]), (30.0, &["beside_in_hold"])] {
        away_from(top, stops);
    }
}

fn away_from(top: f64, stops: &[&str]) {
    let (dir, shop) = (file(&post_to(top)), Shop::demo().unwrap());
    let part = read(&dir, true);
    let plan = planned(&part, &shop);
    let proof = prove_plan(&part, &plan, &shop).unwrap();
    assert_eq!(kinds(&proof, Severity::Stop), stops, "{:#?}", proof.findings);
    assert!(!proof.complete && proof.gouge_mm < 0.02);
    // What is left is at the post and nowhere else, and it is named.
    let named = proof.findings.iter().find(|f| f.kind == "beside").unwrap();
    assert!(
        named.what.contains("stays while the part is machined") && named.what.contains("is left"),
        "{}",
        named.what
    );
    assert!(!named.places.is_empty());
    for p in &named.places {
        assert!(p.min_mm[0] > 60.0 - 7.0 && p.max_mm[0] < 70.0 + 7.0 && p.max_mm[1] < 9.0 + 7.0, "{p:?}");
    }
}

#[test]
fn without_it_all_is_cut_and_such_programs_are_caught_when_it_stays() {
    let (dir, shop) = (file(&post()), Shop::demo().unwrap());
    let away = read(&dir, false);
    let plan = planned(&away, &shop);
    let proof = prove_plan(&away, &plan, &shop).unwrap();
    assert!(proof.complete && proof.passed(), "{:#?}", proof.findings);
    // The same programs with the post in place.
    let stays = read(&dir, true);
    let caught = prove_plan(&stays, &plan, &shop).unwrap();
    let hit = caught.findings.iter().find(|f| f.kind == "cutter_in_keep_out").unwrap();
    assert!(hit.severity == Severity::Stop && hit.line.is_some(), "{hit:?}");
    // Where it was hit: within the post.
    let p = &hit.places[0];
    assert!(p.min_mm[0] >= 60.0 - 0.3 && p.max_mm[0] <= 70.0 + 0.3 && p.min_mm[2] >= 8.0 - 0.3, "{p:?}");
}

#[test]
fn a_holder_is_seen_at_once_though_its_cutter_passes() {
    // A tall wall beside the plate, outside the block's reach of roughing but within that of a holder.
    let wall = Shape::block([-10.0, 60.0, 0.0], [90.0, 64.0, 70.0]).unwrap();
    let (dir, shop) = (file(&wall), Shop::demo().unwrap());
    let part = read(&dir, true);
    let mut plan = planned(&read(&dir, false), &shop);
    for s in &mut plan.sides {
        let holding::Hold::Vise(grip) = &mut s.setup.hold else { panic!("not in the vise") };
        grip.bodies.clear();
    }
    let proof = prove_plan(&part, &plan, &shop).unwrap();
    let hits = kinds(&proof, Severity::Stop);
    assert!(hits.contains(&"holder_in_keep_out") || hits.contains(&"cutter_in_keep_out"), "{hits:?}");
    // Planned with it, no cutter goes there.
    let proof = prove_plan(&part, &planned(&part, &shop), &shop).unwrap();
    assert!(!kinds(&proof, Severity::Stop).contains(&"cutter_in_keep_out"), "{:#?}", proof.findings);
}

/// Far from the block it changes nothing but the height of rapids.
#[test]
fn what_stands_far_away_leaves_the_plan_as_it_is() {
    let far = Shape::block([300.0, 0.0, 0.0], [310.0, 10.0, 40.0]).unwrap();
    let (dir, shop) = (file(&far), Shop::demo().unwrap());
    let titles = |stays: bool| -> Vec<String> {
        planned(&read(&dir, stays), &shop).sides.iter().flat_map(|s| &s.operations).map(|o| o.title.clone()).collect()
    };
    let with = titles(true);
    assert!(with.iter().any(|t| t.starts_with("Face,")), "{with:?}");
    assert_eq!(with, titles(false));
}

#[test]
fn what_stands_where_the_jaws_are_is_told() {
    // A rail along the plate's back, low down where the jaw grips.
    let rail = Shape::block([0.0, 51.0, 0.0], [80.0, 56.0, 6.0]).unwrap();
    let (dir, shop) = (file(&rail), Shop::demo().unwrap());
    let findings = planned(&read(&dir, true), &shop).findings;
    let f = findings.iter().find(|f| f.kind == "beside_in_hold").unwrap();
    assert!(f.severity == Severity::Stop && f.what.contains("jaw"), "{f:?}");
    assert!(!planned(&read(&dir, false), &shop).findings.iter().any(|f| f.kind == "beside_in_hold"));
}

#[test]
fn a_shadow_grows_by_the_distance_that_is_kept() {
    let part = read(&file(&post()), true);
    let view = part::View::new(&part, geom::Placement::IDENTITY);
    // Over the plate there is only the post: 10 × 7 with rounded corners.
    let wanted = (10.0 + 2.0 * BESIDE) * (7.0 + 2.0 * BESIDE) - (4.0 - std::f64::consts::PI) * BESIDE * BESIDE;
    assert!((view.shadow(20.0).area() - wanted).abs() < 0.02, "{} {wanted}", view.shadow(20.0).area());
    assert!((view.shadow(30.0 + 0.9 * BESIDE).area() - wanted).abs() < 0.02);
    assert!(view.shadow(30.0 + 1.1 * BESIDE).is_empty());
    let rect = |a: f64, b: f64| [geom::DVec2::splat(a), geom::DVec2::splat(b)];
    assert_eq!(view.beside_top(), Some(30.0));
    assert_eq!(view.over_beside(rect(0.0, 50.0), 16.0), [30.0 + BESIDE]);
    assert_eq!(view.beside_top_near(rect(-100.0, -90.0), 16.0), None);
}
