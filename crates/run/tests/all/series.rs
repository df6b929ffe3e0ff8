//! Statistics against published worked cases.

use run::series::series;

/// NIST/SEMATECH e-Handbook 6.3.2.2, "Individuals control charts": flow rates of ten batches, mean 50.81, limits 45.8159 and 55.8041 (from memory, 90 %; the
/// numbers agree with one another).
#[test]
fn the_handbooks_flow_rates_give_its_limits() {
    let x = [49.6, 47.6, 49.9, 51.3, 47.8, 51.2, 52.6, 52.4, 53.6, 52.1];
    let s = series(&x, 50.0).unwrap();
    assert!((s.mean - 50.81).abs() < 1e-9);
    let [lo, hi] = s.natural.unwrap();
    assert!((lo - 45.8159).abs() < 1e-3 && (hi - 55.8041).abs() < 1e-3, "{lo} {hi}");
    assert!(s.outside.is_empty());
    // The spread is 2.0: ten pieces do not say surely that the mean is off 50.
    assert_eq!(s.correction, None);
}

/// NIST Statistical Reference Datasets, NumAcc1: mean 10000002, standard deviation 1 (certified; from memory, 95 %).
#[test]
fn large_numbers_with_a_small_spread_keep_it() {
    let s = series(&[10_000_001.0, 10_000_003.0, 10_000_002.0], 10_000_002.0).unwrap();
    assert!((s.mean - 10_000_002.0).abs() < 1e-9 && (s.spread.unwrap() - 1.0).abs() < 1e-9);
}

#[test]
fn a_shift_is_corrected_a_stray_piece_is_told_and_nonsense_is_none() {
    let shifted = [20.03, 20.032, 20.029, 20.031, 20.03];
    let s = series(&shifted, 20.0).unwrap();
    assert!((s.correction.unwrap() + 0.0304).abs() < 1e-9);
    let stray = [10.0, 10.01, 9.99, 10.0, 10.01, 9.99, 10.0, 10.3, 10.0, 10.01, 9.99, 10.0];
    assert_eq!(series(&stray, 10.0).unwrap().outside, [7]);
    // One piece has no spread; what it is off is all that is known.
    let one = series(&[5.02], 5.0).unwrap();
    assert!(one.spread.is_none() && (one.correction.unwrap() + 0.02).abs() < 1e-9);
    assert!(series(&[], 5.0).is_none() && series(&[f64::NAN], 5.0).is_none());
}
