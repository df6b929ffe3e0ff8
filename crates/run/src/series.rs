//! What the sizes of a series say: mean and spread kept apart.
//!
//! Mean and standard deviation of a sample; an individuals chart with limits mean ± 3 ÷ 1.128 · mean moving range (1.128: d2 of two
//! neighbours: NIST/SEMATECH e-Handbook of Statistical Methods, 6.3.2.2). A correction is made for the mean only, and only where it is surely off: by more than
//! two of its own standard errors (about 95 % where the spread is normal).

use crate::answer::Run;
use crate::card::{Card, StepKind};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// A size over a series, in its unit.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct Series {
    /// Pieces.
    pub n: usize,
    /// Mean.
    pub mean: f64,
    /// Standard deviation of the sample (n − 1); none of one piece.
    pub spread: Option<f64>,
    /// Limits within which single values lie while nothing changes.
    pub natural: Option<[f64; 2]>,
    /// Pieces (from 0) outside of these.
    pub outside: Vec<usize>,
    /// Target − mean, where the mean is surely off.
    pub correction: Option<f64>,
}

/// 3 ÷ d2 of two values.
const INDIVIDUALS: f64 = 3.0 / 1.128;

/// Of sizes in the order in which they were measured; none without any.
pub fn series(sizes: &[f64], target: f64) -> Option<Series> {
    let n = sizes.len();
    if n == 0 || sizes.iter().any(|v| !v.is_finite()) {
        return None;
    }
    let mean = sizes.iter().sum::<f64>() / n as f64;
    let spread = (n > 1).then(|| (sizes.iter().map(|v| (v - mean) * (v - mean)).sum::<f64>() / (n - 1) as f64).sqrt());
    let range = (n > 1).then(|| sizes.windows(2).map(|w| (w[1] - w[0]).abs()).sum::<f64>() / (n - 1) as f64);
    let natural = range.map(|r| [mean - INDIVIDUALS * r, mean + INDIVIDUALS * r]);
    let outside = natural.map_or_else(Vec::new, |[lo, hi]| {
        (0..n).filter(|k| sizes[*k] < lo - 1e-12 || sizes[*k] > hi + 1e-12).collect()
    });
    let off = target - mean;
    let surely = match spread {
        None => true,
        Some(s) => off.abs() > 2.0 * s / (n as f64).sqrt(),
    };
    Some(Series { n, mean, spread, natural, outside, correction: (surely && off.abs() > 1e-9).then_some(off) })
}

/// A size as one piece has it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct SizeOfPiece {
    /// Which piece of the job, from 1.
    pub piece: i32,
    /// As measured last.
    pub value: f64,
}

/// A size over the pieces of a job.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
pub struct SizeSeries {
    /// Setup in which it is measured.
    pub setup: String,
    /// What.
    pub label: String,
    /// Its unit.
    pub unit: String,
    /// Middle of its limits.
    pub target: f64,
    /// Least and most.
    pub limits: [Option<f64>; 2],
    /// By piece, in the order in which they were run.
    pub pieces: Vec<SizeOfPiece>,
    /// What they say.
    pub series: Series,
}

/// Sizes over runs of one job, each with its piece, in the order in which they were run. Pieces whose size was planned otherwise are a series of their own.
pub fn of_runs(runs: &[(i32, &Card, &Run)]) -> Vec<SizeSeries> {
    let mut out: Vec<SizeSeries> = Vec::new();
    for (piece, card, run) in runs {
        let measured = card.steps.iter().filter(|s| s.kind == StepKind::Measure);
        for (step, ask) in measured.flat_map(|s| s.ways.iter().flat_map(move |w| w.asks.iter().map(move |a| (s, a)))) {
            let answer = run.steps.iter().find(|s| s.id == step.id).and_then(|s| s.answer.as_ref());
            let value = answer.and_then(|a| a.judged.iter().find(|j| j.id == ask.id)).map(|j| j.value);
            let (Some(value), Some(target)) = (value, ask.planned) else { continue };
            let limits = [0, 1].map(|k| ask.check.must[k].or(ask.check.should[k]));
            let same = |s: &&mut SizeSeries| {
                (&s.setup, &s.label, s.target, s.limits) == (&step.setup, &ask.label, target, limits)
            };
            let of = SizeOfPiece { piece: *piece, value };
            if let Some(s) = out.iter_mut().find(same) {
                s.pieces.push(of);
                continue;
            }
            let Some(series) = series(&[value], target) else { continue };
            let (setup, label, unit) = (step.setup.clone(), ask.label.clone(), ask.unit.clone());
            out.push(SizeSeries { setup, label, unit, target, limits, pieces: vec![of], series });
        }
    }
    for s in &mut out {
        let values: Vec<f64> = s.pieces.iter().map(|p| p.value).collect();
        if let Some(series) = series(&values, s.target) {
            s.series = series;
        }
    }
    out
}
