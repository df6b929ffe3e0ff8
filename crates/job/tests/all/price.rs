//! What a piece costs, against the closed form: once ÷ n + each ÷ (1 − spoiled).

use crate::what_if::block;
use job::Settled;
use job::price::{Took, price};
use job::sheet::sheet;
use shop::rates::Rates;

#[test]
fn a_price_is_its_closed_form() {
    let (part, plan, proof, shop) = block();
    let s = sheet(&part, &plan, &proof, &shop, &Settled::default());
    // A minute of the machine is 1, of a person 2.
    let rates = Rates {
        money: "coins".into(),
        machine_per_hour: 60.0,
        person_per_hour: 120.0,
        attended: 0.5,
        prepare_min: 10.0,
        setup_min: 5.0,
        cutter_min: 1.0,
        by_hand_min: 2.0,
        scrap: 0.2,
    };
    let run: f64 = s.sides.iter().map(|x| x.minutes).sum();
    let load: f64 = s.sides.iter().map(|x| x.load_minutes).sum();
    let mut cutters: Vec<u32> = s.sides.iter().flat_map(|x| x.tools.iter().map(|t| t.number)).collect();
    cutters.sort_unstable();
    cutters.dedup();
    assert!(run > 1.0 && load > 0.0 && s.sides.len() == 2 && cutters.len() > 1);
    let once = 10.0 * 2.0 + 2.0 * 5.0 * (1.0 + 2.0) + cutters.len() as f64 * 2.0;
    let each = |run: f64, load: f64| (run * (1.0 + 0.5 * 2.0) + load * (1.0 + 2.0) + 2.0 * 2.0) / 0.8;
    for n in [1, 4, 37] {
        let p = price(&s, &rates, n, None);
        let want = once / f64::from(n) + each(run, load);
        assert!((p.now.each - want).abs() < 1e-9, "{n}: {} and {want}", p.now.each);
        assert!((p.now.all - f64::from(n) * want).abs() < 1e-7);
        assert!((p.now.machine_min - (10.0 / f64::from(n) + (run + load) / 0.8)).abs() < 1e-9);
        // Its terms are it.
        let sum = |t: &[job::price::PriceTerm]| t.iter().map(|t| t.amount).sum::<f64>();
        assert!((sum(&p.once) / f64::from(n) + sum(&p.each) / 0.8 - want).abs() < 1e-9);
        assert!(p.others.iter().all(|o| o.pieces != n) && p.others.windows(2).all(|w| w[1].each < w[0].each));
        assert!(p.not_in_it[0].contains("stock") && p.money == "coins" && p.planned == [run, load]);
    }
    // What pieces took stands in place of the plan's minutes.
    let took = Took { pieces: 3, running: 2.0 * run, loading: 0.5 * load };
    let p = price(&s, &rates, 4, Some(took));
    assert!((p.now.each - (once / 4.0 + each(2.0 * run, 0.5 * load))).abs() < 1e-9);
    assert_eq!((p.took, p.planned), (Some(took), [run, load]));
    // None is one.
    assert_eq!(price(&s, &rates, 0, None).now, price(&s, &rates, 1, None).now);
}
