//! Each limit binds when it should, and says so.

use cutting::{MillTask, drill, mill};
use shop::Shop;
use std::f64::consts::FRAC_PI_2;

fn task(depth: f64, width: f64) -> MillTask {
    MillTask {
        depth,
        width,
        bend: 0.05,
        feed_share: 1.0,
        kappa: FRAC_PI_2,
        cuts_at: None,
        finish: false,
        most_n: f64::INFINITY,
    }
}

fn shop() -> Shop {
    Shop::demo().unwrap()
}

#[test]
fn every_limit_can_bind() {
    let s = shop();
    let flat = |d: f64| s.crib.iter().find(|t| t.kind == shop::tool::ToolKind::Flat && t.diameter_mm == d).unwrap();
    let al = s.material("aluminium-6082").unwrap();
    let steel = s.material("mild-steel").unwrap();
    assert_eq!(mill(&task(2.0, 1.5), flat(6.0), al, &s.machine).rpm.bound_by, "rpm cap of the spindle");
    assert_eq!(mill(&task(2.0, 1.5), flat(12.0), steel, &s.machine).rpm.bound_by, "cutting speed");
    assert_eq!(mill(&task(2.0, 1.5), flat(6.0), al, &s.machine).ap.bound_by, "the task");
    assert_eq!(
        mill(&MillTask { bend: 1.0, ..task(99.0, 0.05) }, flat(6.0), al, &s.machine).ap.bound_by,
        "flute length"
    );
    assert_eq!(
        mill(&MillTask { bend: 10.0, ..task(30.0, 6.0) }, flat(12.0), al, &s.machine).ap.bound_by,
        "usable power"
    );
    assert_eq!(
        mill(&MillTask { bend: 0.005, ..task(30.0, 1.0) }, flat(3.0), steel, &s.machine).ap.bound_by,
        "deflection"
    );
    let mut slow = s.machine.clone();
    slow.feed_max_mm_min = 200.0;
    assert_eq!(mill(&task(2.0, 1.5), flat(6.0), al, &slow).fz.bound_by, "feed cap of the machine");
    assert!(mill(&task(2.0, 1.5), flat(6.0), al, &slow).remarks[0].starts_with("Rubs"));
    let fine = mill(&MillTask { feed_share: 0.1, ..task(2.0, 3.0) }, flat(6.0), al, &s.machine);
    assert_eq!(fine.fz.bound_by, "minimum chip");
}

/// A "2 hp" belt-driven bench mill stalled at a Ø9.5 cut 12.7 deep × 3.8 wide and held 9.5 × 2.0 (3000 rpm × 0.0635 mm × 3 teeth);
/// common practice, no source. Power of the cut that stalled must be above the usable power, of the one that held below 1.1 ×.
#[test]
fn usable_power_separates_the_cut_that_held_from_the_one_that_stalled() {
    use cutting::formula as f;
    let usable = 1.5 * 0.33;
    let p = |ap: f64, ae: f64| {
        let d = 9.525;
        let vf = 3000.0 * 3.0 * 0.0635;
        let phi = f::engagement(ae, d);
        f::power(f::removal(ap, ae, vf), f::specific_force(650.0, 0.25, f::mean_chip(0.0635, ae, d, phi, FRAC_PI_2)))
    };
    assert!(p(12.7, 3.81) > usable, "{}", p(12.7, 3.81));
    assert!(p(9.525, 2.032) < 1.1 * usable, "{}", p(9.525, 2.032));
}

/// More load never gives more depth; more power never less.
#[test]
fn depth_is_monotone() {
    let s = shop();
    let al = s.material("aluminium-6082").unwrap();
    let t = &s.crib[2];
    let mut last = f64::INFINITY;
    for k in 1..20 {
        let d = mill(&task(40.0, f64::from(k) * 0.5), t, al, &s.machine).ap.value;
        assert!(d <= last + 1e-9);
        last = d;
    }
}

#[test]
fn drills_peck_when_deep_and_small_feeds_stay_small() {
    let s = shop();
    let al = s.material("aluminium-6082").unwrap();
    let t = s.crib.iter().find(|t| t.kind == shop::tool::ToolKind::Drill && t.diameter_mm == 3.3).unwrap();
    assert!(drill(t, None, 6.0, al, &s.machine).peck.is_none());
    let deep = drill(t, None, 20.0, al, &s.machine);
    assert!(deep.peck.unwrap() < 3.3 && deep.feed_rev.value < 0.02 * 3.3);
    // A handbook's feed for 3.3 mm in stainless is 0.05 to 0.06 mm a turn; less hardens the hole (common practice, no source).
    let stainless = drill(t, None, 6.0, s.material("stainless-304").unwrap(), &s.machine);
    assert!((0.05..=0.06).contains(&stainless.feed_rev.value), "{}", stainless.feed_rev.value);
}

/// A finish is slower than the roughing of the same cutter, a face mill's feed does not grow with its diameter, and where the spindle
/// cannot turn slowly enough that is told.
#[test]
fn finishing_is_slower_and_a_slow_spindle_is_told() {
    let s = shop();
    let al = s.material("aluminium-6082").unwrap();
    let flat = |d: f64| s.crib.iter().find(|t| t.kind == shop::tool::ToolKind::Flat && t.diameter_mm == d).unwrap();
    let rough = mill(&task(5.0, 3.0), flat(12.0), al, &s.machine);
    let finish = mill(&MillTask { feed_share: 0.7, finish: true, ..task(5.0, 0.25) }, flat(12.0), al, &s.machine);
    assert!(finish.feed.value < rough.feed.value, "{} {}", finish.feed.value, rough.feed.value);
    let face = s.crib.iter().find(|t| t.kind == shop::tool::ToolKind::Face).unwrap();
    let mut large = face.clone();
    large.diameter_mm = 80.0;
    let fz = |t: &shop::tool::Tool| mill(&task(1.0, 0.6 * t.diameter_mm), t, al, &s.machine).fz.value;
    assert!((fz(face) - fz(&large)).abs() < 0.01 && fz(face) < 0.12, "{} {}", fz(face), fz(&large));
    let mut fast = s.machine.clone();
    fast.rpm_min = 3000.0;
    let told = mill(&task(1.0, 20.0), face, s.material("stainless-304").unwrap(), &fast);
    assert!(told.rpm.value == 3000.0 && told.remarks.iter().any(|r| r.contains("slowest")), "{:?}", told.remarks);
    // With steps the speed is one of them.
    fast.rpm_min = 200.0;
    fast.rpm_steps = vec![400.0, 1100.0, 2800.0, 5200.0];
    let stepped = mill(&task(5.0, 3.0), flat(12.0), al, &fast).rpm;
    assert_eq!((stepped.value, stepped.bound_by.as_str()), (5200.0, "step of the spindle"));
}

/// Where a cut meets more than it was reckoned for, the feed is what the spindle bears there: Kienzle's law put in again gives the usable power.
#[test]
fn the_feed_gives_way_until_the_spindle_bears_it() {
    let s = shop::Shop::demo().unwrap();
    let (al, tool) = (s.material("aluminium-6082").unwrap(), s.crib.iter().find(|t| t.number == 2).unwrap());
    let task = cutting::MillTask {
        depth: 30.0,
        width: 3.0,
        bend: 0.06,
        feed_share: 1.0,
        kappa: std::f64::consts::FRAC_PI_2,
        cuts_at: None,
        finish: false,
        most_n: f64::INFINITY,
    };
    let d = cutting::mill(&task, tool, al, &s.machine);
    let at = |deg: f64| cutting::feed_where(&d, tool, al, &s.machine, deg.to_radians());
    assert_eq!(at(d.engagement.to_degrees() - 5.0), d.feed.value);
    for deg in [90.0_f64, 120.0, 180.0] {
        let (phi, feed) = (deg.to_radians(), at(deg));
        assert!(feed < d.feed.value, "{deg}: {feed}");
        let ae = cutting::formula::width_for(phi, tool.diameter_mm);
        let fz = feed / (d.rpm.value * f64::from(tool.flutes));
        let hm = cutting::formula::mean_chip(fz, ae, tool.diameter_mm, phi, std::f64::consts::FRAC_PI_2);
        let kc = cutting::formula::specific_force(al.kc11_mpa, al.mc, hm);
        let kw = cutting::formula::power(cutting::formula::removal(d.ap.value, ae, feed), kc);
        let usable = s.machine.usable_kw(d.rpm.value);
        assert!((kw / usable - 1.0).abs() < 0.005, "{deg}: {kw} of {usable}");
    }
}

/// What the hold bears bounds the depth: the highest force is then that, and it is named; where the hold bears it all nothing changes.
#[test]
fn a_weak_hold_makes_light_cuts() {
    let s = Shop::demo().unwrap();
    let al = s.material("aluminium-6082").unwrap();
    let tool = s.crib.iter().find(|t| t.kind == shop::tool::ToolKind::Flat && t.diameter_mm == 12.0).unwrap();
    let free = mill(&task(10.0, 3.0), tool, al, &s.machine);
    let half = mill(&MillTask { most_n: 0.5 * free.side_n, ..task(10.0, 3.0) }, tool, al, &s.machine);
    assert_eq!(half.ap.bound_by, "holding");
    assert!((half.side_n / free.side_n - 0.5).abs() < 0.01 && half.ap.value < free.ap.value);
    let strong = mill(&MillTask { most_n: 2.0 * free.side_n, ..task(10.0, 3.0) }, tool, al, &s.machine);
    assert_eq!((strong.ap.value, strong.feed.value), (free.ap.value, free.feed.value));
    assert!(mill(&MillTask { most_n: 0.0, ..task(10.0, 3.0) }, tool, al, &s.machine).ap.value > 0.0);
}
