//! Linear programmes of a hold: few rows, some hundred columns, and the same hold asked for many loads. A revised simplex with bounded variables and a dense
//! inverse (Chvátal, "Linear Programming", 1983, chapters 7 and 8, from memory) begins each load where the hold alone was found to stand, so only the
//! load's own steps are taken. Whoever asks looks at the answer; what does not end here is solved by a general library.

use reason::Sure;

/// Less is no gain, no pivot and no step.
const TINY: f64 = 1e-9;
/// What a basis may be off by from its right-hand sides.
const OFF: f64 = 1e-7;
/// The inverse is made anew after so many steps.
const FRESH: usize = 40;
/// Steps without gain after which the first candidate is taken instead of the best (Bland's rule: it cannot go round in circles).
const STALLED: usize = 24;
/// No programme of a hold needs so many steps.
const MOST_STEPS: usize = 3000;

/// A column: the six of the balance, and one more row with what stands there.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Column {
    /// Force and moment.
    pub six: [f64; 6],
    /// Row 6 and above.
    pub more: Option<(usize, f64)>,
    /// It lies between 0 and this.
    pub most: f64,
}

impl Column {
    fn times(&self, row: &[f64]) -> f64 {
        let six: f64 = self.six.iter().zip(row).map(|(a, b)| a * b).sum();
        six + self.more.map_or(0.0, |(k, v)| v * row[k])
    }
    fn at(&self, row: usize) -> f64 {
        if row < 6 { self.six[row] } else { self.more.map_or(0.0, |(k, v)| if k == row { v } else { 0.0 }) }
    }
}

/// Which columns stand in the basis, and where the others are.
#[derive(Debug, Clone)]
struct Basis {
    /// Of each row.
    columns: Vec<usize>,
    /// Of each column: is it at its upper bound? False in the basis.
    high: Vec<bool>,
    /// Of each column: is it in the basis?
    inside: Vec<bool>,
    /// Inverse, row by row.
    inverse: Vec<f64>,
    /// What the basis' columns are.
    x: Vec<f64>,
}

/// Columns x with A x = b, 0 ≤ x ≤ most. The last columns are artificial, one for each row; the one before them is the load.
#[derive(Debug, Clone)]
pub(crate) struct Programme {
    columns: Vec<Column>,
    b: Vec<f64>,
    basis: Basis,
}

/// How a search ended.
enum End {
    Best,
    Lost,
}

impl Programme {
    /// Begin where all columns of a hold stand in balance; nothing if they cannot (`Some(None)`), or if nobody can tell.
    pub fn standing(columns: Vec<Column>, b: Vec<f64>, load_most: f64) -> Option<Option<Programme>> {
        let m = b.len();
        let mut columns = columns;
        columns.push(Column { six: [0.0; 6], more: None, most: load_most });
        let first = columns.len();
        for (k, v) in b.iter().enumerate() {
            let sign = if *v < 0.0 { -1.0 } else { 1.0 };
            let mut six = [0.0; 6];
            if k < 6 {
                six[k] = sign;
            }
            columns.push(Column { six, more: (k >= 6).then_some((k, sign)), most: f64::INFINITY });
        }
        let n = columns.len();
        let mut inverse = vec![0.0; m * m];
        (0..m).for_each(|k| inverse[k * m + k] = columns[first + k].at(k));
        let basis = Basis {
            columns: (first..n).collect(),
            high: vec![false; n],
            inside: (0..n).map(|k| k >= first).collect(),
            inverse,
            x: b.iter().map(|v| v.abs()).collect(),
        };
        let mut p = Programme { columns, b, basis };
        // The load stays away, and what is artificial goes.
        p.columns[first - 1].most = 0.0;
        let cost: Vec<f64> = (0..n).map(|k| if k >= first { -1.0 } else { 0.0 }).collect();
        if let End::Lost = p.climb(&cost) {
            return None;
        }
        p.columns[first - 1].most = load_most;
        let artificial: f64 =
            p.basis.columns.iter().zip(&p.basis.x).filter(|(c, _)| **c >= first).map(|(_, x)| *x).sum();
        if artificial > OFF {
            return Some(None);
        }
        p.columns[first..].iter_mut().for_each(|c| c.most = 0.0);
        Some(Some(p))
    }

    /// The most of a load, and what each column is then; nothing if nobody can tell.
    pub fn most(&self, load: [f64; 6]) -> Option<(f64, Vec<f64>)> {
        let mut p = self.clone();
        let at = p.columns.len() - p.b.len() - 1;
        p.columns[at].six = load;
        let mut cost = vec![0.0; p.columns.len()];
        cost[at] = 1.0;
        match p.climb(&cost) {
            End::Lost => None,
            End::Best => {
                let mut all: Vec<f64> =
                    p.columns.iter().zip(&p.basis.high).map(|(c, h)| if *h { c.most } else { 0.0 }).collect();
                p.basis.columns.iter().zip(&p.basis.x).for_each(|(c, x)| all[*c] = *x);
                let most = all[at];
                all.truncate(at);
                Some((most, all))
            }
        }
    }

    fn climb(&mut self, cost: &[f64]) -> End {
        let m = self.b.len();
        let (mut stalled, mut since) = (0, 0);
        let mut y = vec![0.0; m];
        for _ in 0..MOST_STEPS {
            y.fill(0.0);
            for (k, c) in self.basis.columns.iter().enumerate().filter(|(_, c)| cost[**c] != 0.0) {
                y.iter_mut().zip(&self.basis.inverse[k * m..(k + 1) * m]).for_each(|(y, v)| *y += cost[*c] * v);
            }
            // What gains most for a unit of it; the first that gains where nothing moved for long.
            let mut enters: Option<(usize, f64)> = None;
            for (j, c) in self.columns.iter().enumerate().filter(|(j, c)| !self.basis.inside[*j] && c.most > 0.0) {
                let d = cost[j] - c.times(&y);
                let gain = if self.basis.high[j] { -d } else { d };
                if gain > enters.map_or(TINY, |e| e.1) {
                    enters = Some((j, gain));
                    if stalled > STALLED {
                        break;
                    }
                }
            }
            let Some((j, _)) = enters else {
                return if self.sound() { End::Best } else { End::Lost };
            };
            let up = if self.basis.high[j] { -1.0 } else { 1.0 };
            // How the basis answers to a unit of it.
            let w: Vec<f64> =
                (0..m).map(|k| up * self.columns[j].times(&self.basis.inverse[k * m..(k + 1) * m])).collect();
            // The first that comes to a bound; of equals the one with the largest pivot.
            let mut leaves: Option<(usize, bool)> = None;
            let mut step = self.columns[j].most;
            for (k, wk) in w.iter().enumerate().filter(|(_, w)| w.abs() > TINY) {
                let most = self.columns[self.basis.columns[k]].most;
                let room = if *wk > 0.0 { self.basis.x[k] } else { most - self.basis.x[k] };
                let t = (room / wk.abs()).at_least(0.0);
                let equal = leaves.is_some_and(|(l, _)| (t - step).abs() <= TINY && wk.abs() > w[l].abs());
                if t < step - TINY || equal {
                    step = step.at_most(t);
                    leaves = Some((k, *wk < 0.0));
                }
            }
            if !step.is_finite() {
                return End::Lost;
            }
            stalled = if step > TINY { 0 } else { stalled + 1 };
            self.basis.x.iter_mut().zip(&w).for_each(|(x, w)| *x -= step * w);
            match leaves {
                // From one of its bounds to the other.
                None => self.basis.high[j] = !self.basis.high[j],
                Some((k, at_high)) => {
                    let left = self.basis.columns[k];
                    self.basis.high[left] = at_high;
                    self.basis.inside[left] = false;
                    self.basis.x[k] = if self.basis.high[j] { self.columns[j].most - step } else { step };
                    (self.basis.high[j], self.basis.inside[j]) = (false, true);
                    self.basis.columns[k] = j;
                    self.pivot(k, &w, up);
                }
            }
            since += 1;
            if since == FRESH {
                since = 0;
                if !self.anew() {
                    return End::Lost;
                }
            }
        }
        End::Lost
    }

    /// The inverse after column `k` of the basis was changed for one that it answers to by `up · w`.
    fn pivot(&mut self, k: usize, w: &[f64], up: f64) {
        let m = self.b.len();
        let row: Vec<f64> = self.basis.inverse[k * m..(k + 1) * m].iter().map(|v| v / (up * w[k])).collect();
        for (i, wi) in w.iter().enumerate().filter(|(i, w)| *i != k && **w != 0.0) {
            self.basis.inverse[i * m..(i + 1) * m].iter_mut().zip(&row).for_each(|(v, r)| *v -= up * wi * r);
        }
        self.basis.inverse[k * m..(k + 1) * m].copy_from_slice(&row);
    }

    /// Inverse and values from the columns themselves (Gauss and Jordan, with the largest pivot); false where they do not stand.
    fn anew(&mut self) -> bool {
        let m = self.b.len();
        let mut a: Vec<f64> = (0..m * m).map(|k| self.columns[self.basis.columns[k % m]].at(k / m)).collect();
        let mut inv = vec![0.0; m * m];
        (0..m).for_each(|k| inv[k * m + k] = 1.0);
        for c in 0..m {
            let Some(p) = (c..m).max_by(|i, j| a[i * m + c].abs().total_cmp(&a[j * m + c].abs())) else { return false };
            if a[p * m + c].abs() < 1e-10 {
                return false;
            }
            for k in 0..m {
                a.swap(c * m + k, p * m + k);
                inv.swap(c * m + k, p * m + k);
            }
            let d = a[c * m + c];
            for k in 0..m {
                a[c * m + k] /= d;
                inv[c * m + k] /= d;
            }
            for i in (0..m).filter(|i| *i != c) {
                let f = a[i * m + c];
                if f != 0.0 {
                    for k in 0..m {
                        a[i * m + k] -= f * a[c * m + k];
                        inv[i * m + k] -= f * inv[c * m + k];
                    }
                }
            }
        }
        self.basis.inverse = inv;
        let mut rest = self.b.clone();
        for (j, c) in self.columns.iter().enumerate().filter(|(j, c)| self.basis.high[*j] && c.most > 0.0) {
            debug_assert!(!self.basis.inside[j]);
            rest.iter_mut().enumerate().for_each(|(k, r)| *r -= c.most * c.at(k));
        }
        self.basis.x = (0..m)
            .map(|k| self.basis.inverse[k * m..(k + 1) * m].iter().zip(&rest).map(|(v, r)| v * r).sum())
            .collect();
        self.bounded()
    }

    fn bounded(&self) -> bool {
        let within = |(x, c): (&f64, &usize)| *x >= -OFF && *x <= self.columns[*c].most + OFF;
        self.basis.x.iter().zip(&self.basis.columns).all(within)
    }

    /// Do the columns give the right-hand sides, within their bounds?
    fn sound(&self) -> bool {
        let mut rest = self.b.clone();
        let high =
            self.columns.iter().zip(&self.basis.high).filter(|(c, h)| **h && c.most > 0.0).map(|(c, _)| (c, c.most));
        let inside = self.basis.columns.iter().map(|c| &self.columns[*c]).zip(self.basis.x.iter().copied());
        for (c, x) in high.chain(inside) {
            rest.iter_mut().enumerate().for_each(|(k, r)| *r -= x * c.at(k));
        }
        self.bounded() && rest.iter().all(|r| r.abs() < OFF)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use microlp::{ComparisonOp, LinearExpr, OptimizationDirection, Problem};

    /// The same by the library.
    fn by_library(columns: &[Column], b: &[f64], most: f64, load: [f64; 6]) -> Result<f64, microlp::Error> {
        let mut p = Problem::new(OptimizationDirection::Maximize);
        let lambda = p.add_var(1.0, (0.0, most));
        let mut rows: Vec<LinearExpr> = b.iter().map(|_| LinearExpr::empty()).collect();
        rows.iter_mut().zip(load).for_each(|(r, v)| r.add(lambda, v));
        for c in columns {
            let v = p.add_var(0.0, (0.0, c.most));
            rows.iter_mut().enumerate().for_each(|(k, r)| r.add(v, c.at(k)));
        }
        for (r, b) in rows.into_iter().zip(b) {
            p.add_constraint(r, ComparisonOp::Eq, *b);
        }
        p.solve().map(|s| s.objective())
    }

    /// Random programmes, with bounds, rows that nothing answers to, and many that cannot stand: the library says the same.
    #[test]
    fn the_library_finds_the_same() {
        let mut rng = fastrand::Rng::with_seed(5);
        let (mut stood, mut fell, mut unsure) = (0, 0, 0);
        for _ in 0..400 {
            let more = rng.usize(0..4);
            let few = |rng: &mut fastrand::Rng| (rng.f64() * 4.0 - 2.0).round() * 0.5;
            let mut columns: Vec<Column> = (0..rng.usize(8..60))
                .map(|_| Column {
                    six: std::array::from_fn(|_| if rng.bool() { rng.f64() * 2.0 - 1.0 } else { few(&mut rng) }),
                    more: (more > 0).then(|| (6 + rng.usize(0..more), 1.0)),
                    most: if rng.u8(0..4) == 0 { 0.3 } else { f64::INFINITY },
                })
                .collect();
            if rng.u8(0..3) == 0 {
                columns.iter_mut().for_each(|c| c.six[2] = 0.0);
            }
            let mut b = vec![0.0; 6];
            if rng.bool() {
                b.iter_mut().for_each(|v| *v = rng.f64() * 0.2 - 0.1);
            }
            b.extend((0..more).map(|_| 1.0));
            let p = Programme::standing(columns.clone(), b.clone(), 100.0);
            for _ in 0..4 {
                let load: [f64; 6] = std::array::from_fn(|_| rng.f64() * 2.0 - 1.0);
                let mine = match &p {
                    None => None,
                    Some(None) => Some(None),
                    Some(Some(p)) => p.most(load).map(|m| Some(m.0)),
                };
                // What does not stand by itself does not stand, even if a load would hold it up.
                let load = if mine == Some(None) { [0.0; 6] } else { load };
                match (mine, by_library(&columns, &b, 100.0, load)) {
                    (Some(Some(a)), Ok(c)) => {
                        assert!((a - c).abs() < 1e-5 * c.at_least(1.0), "{a} {c}");
                        stood += 1;
                    }
                    (Some(None), Err(microlp::Error::Infeasible)) => fell += 1,
                    (None, _) | (_, Err(microlp::Error::InternalError(_))) => unsure += 1,
                    (a, c) => panic!("{a:?} {c:?}"),
                }
            }
        }
        assert!(stood > 300 && fell > 100 && unsure < 16, "{stood} {fell} {unsure}");
    }
}
