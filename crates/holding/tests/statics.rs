//! The solver of holds against sums by hand, and random cases against a slow solver of another kind.

use geom::DVec3;
use holding::statics::{Contact, Load, MOST, Push, Wrench, corners, margin, screw_preload, worst};
use reason::Sure;

fn contact(name: &str, at: Vec<DVec3>, normal: DVec3, friction: f64, push: Push) -> Contact {
    Contact { name: name.into(), at, normal: normal.normalize(), normals: Vec::new(), friction, push }
}

fn v(x: f64, y: f64, z: f64) -> DVec3 {
    DVec3::new(x, y, z)
}

/// Jaws over x 0 … 60 and z 0 … 8 at y 0 and −40, closed with 10 kN; two parallels below.
fn vise(friction: f64) -> Vec<Contact> {
    let jaw = |y: f64| corners(v(30.0, y, 4.0), v(30.0, 0.0, 0.0), v(0.0, 0.0, 4.0));
    let rail = |y: f64| corners(v(30.0, y, 0.0), v(30.0, 0.0, 0.0), v(0.0, 2.0, 0.0));
    vec![
        contact("fixed jaw", jaw(0.0), -DVec3::Y, friction, Push::Passive),
        contact("moving jaw", jaw(-40.0), DVec3::Y, friction, Push::Clamp(10_000.0)),
        contact("back parallel", rail(-4.0), DVec3::Z, 0.0, Push::Passive),
        contact("front parallel", rail(-36.0), DVec3::Z, 0.0, Push::Passive),
    ]
}

fn near(a: f64, b: f64, share: f64) {
    assert!((a / b - 1.0).abs() < share, "{a} is not {b}");
}

const NONE: Wrench = Wrench { force: DVec3::ZERO, moment: DVec3::ZERO };

/// Along the jaws and out of them a vise bears 2 μ F; towards the moving jaw F; towards the fixed one whatever comes.
#[test]
fn a_vise_bears_twice_friction_times_force() {
    let c = vise(0.15);
    let bears = |f: DVec3| margin(&c, NONE, Wrench::at(v(30.0, -20.0, 4.0), f)).factor;
    near(bears(v(1000.0, 0.0, 0.0)), 3.0, 0.02);
    near(bears(v(0.0, 0.0, 1000.0)), 3.0, 0.02);
    // Out and along at once, by Pythagoras.
    near(bears(v(600.0, 0.0, 800.0)), 3.0, 0.02);
    near(bears(v(0.0, -1000.0, 0.0)), 10.0, 1e-6);
    assert_eq!(bears(v(0.0, 1000.0, 0.0)), MOST);
    assert_eq!(bears(v(0.0, 0.0, -1000.0)), MOST, "down on the parallels");
    // Its contacts balance the load.
    let m = margin(&c, NONE, Wrench::at(v(30.0, -20.0, 4.0), v(600.0, 0.0, 800.0)));
    let sum: DVec3 = m.forces.iter().sum();
    assert!((sum + v(600.0, 0.0, 800.0) * m.factor).length() < 1e-3, "{sum}");
    near(m.forces[1].y, 10_000.0, 1e-6);
    // Without friction it holds nothing along.
    assert!(margin(&vise(0.0), NONE, Wrench::at(v(30.0, -20.0, 4.0), v(1.0, 0.0, 0.0))).factor < 1e-9);
}

/// A block tips about its lower edge when P h = W b/2 (moment balance), and slides when P = μ W.
#[test]
fn a_block_tips_or_slides() {
    let (w, b) = (200.0, 50.0);
    let weight = Wrench::at(v(0.0, 0.0, 30.0), v(0.0, 0.0, -w));
    for (friction, h) in [(0.9, 60.0), (0.9, 40.0), (0.2, 60.0), (0.2, 30.0)] {
        let floor = [contact(
            "table",
            corners(DVec3::ZERO, v(b / 2.0, 0.0, 0.0), v(0.0, 20.0, 0.0)),
            DVec3::Z,
            friction,
            Push::Passive,
        )];
        let got = margin(&floor, weight, Wrench::at(v(0.0, 0.0, h), v(1.0, 0.0, 0.0))).factor;
        let (tips, slides) = (w * b / 2.0 / h, friction * w);
        near(got, tips.at_most(slides).at_most(MOST), 0.02);
    }
}

/// On an incline a body of weight W is pushed up by W (sin α + μ cos α), down by W (μ cos α − sin α): the wedge's two sides.
#[test]
fn a_wedge() {
    let (w, mu) = (50.0, 0.3_f64);
    for degrees in [5.0_f64, 12.0, 16.0] {
        let a = degrees.to_radians();
        let (up, normal) = (v(a.cos(), 0.0, a.sin()), v(-a.sin(), 0.0, a.cos()));
        let plane = [contact("incline", corners(DVec3::ZERO, up * 20.0, v(0.0, 20.0, 0.0)), normal, mu, Push::Passive)];
        let weight = Wrench::at(DVec3::ZERO, v(0.0, 0.0, -w));
        let bears = |d: DVec3| margin(&plane, weight, Wrench::at(DVec3::ZERO, d)).factor;
        near(bears(up), w * (a.sin() + mu * a.cos()), 0.02);
        near(bears(-up), w * (mu * a.cos() - a.sin()), 0.02);
    }
    // Steeper than its friction it slides by itself.
    let a = 20_f64.to_radians();
    let plane = [contact(
        "incline",
        corners(DVec3::ZERO, v(a.cos(), 0.0, a.sin()), DVec3::Y),
        v(-a.sin(), 0.0, a.cos()),
        mu,
        Push::Passive,
    )];
    assert_eq!(margin(&plane, Wrench::at(DVec3::ZERO, v(0.0, 0.0, -w)), NONE).factor, 0.0);
}

/// A chuck of three jaws bears T = 3 μ F r.
#[test]
fn a_chuck_of_three_jaws() {
    let (f, r, mu) = (8000.0, 25.0, 0.18);
    let jaws: Vec<Contact> = (0..3)
        .map(|k| {
            let d = DVec3::from_array([
                (k as f64 * std::f64::consts::TAU / 3.0).cos(),
                (k as f64 * std::f64::consts::TAU / 3.0).sin(),
                0.0,
            ]);
            contact("jaw", vec![d * r, d * r + v(0.0, 0.0, 20.0)], -d, mu, Push::Clamp(f))
        })
        .collect();
    let torque = Wrench { force: DVec3::ZERO, moment: v(0.0, 0.0, 1000.0) };
    near(margin(&jaws, NONE, torque).factor, (3.0 * mu * f * r / 1000.0).at_most(MOST), 0.02);
    near(
        margin(&jaws, NONE, Wrench { moment: torque.moment * 10.0, ..NONE }).factor,
        3.0 * mu * f * r / 10_000.0,
        0.02,
    );
    // Pulled out of the jaws along their axis.
    near(margin(&jaws, NONE, Wrench::at(v(0.0, 0.0, 10.0), v(0.0, 0.0, 1000.0))).factor, 3.0 * mu * f / 1000.0, 0.02);
}

/// An M8 screw with 20 N m: 20 000 / (0.2 · 8) = 12.5 kN, less 30 %. Two of them hold a plate by friction on both sides of it.
#[test]
fn screws() {
    let f = screw_preload(20.0, 8.0);
    near(f, 8750.0, 1e-9);
    let head = |x: f64| {
        contact("head", corners(v(x, 0.0, 10.0), v(5.0, 0.0, 0.0), v(0.0, 5.0, 0.0)), -DVec3::Z, 0.15, Push::Clamp(f))
    };
    let base =
        contact("plate", corners(DVec3::ZERO, v(50.0, 0.0, 0.0), v(0.0, 20.0, 0.0)), DVec3::Z, 0.15, Push::Passive);
    let all = [head(-30.0), head(30.0), base];
    near(
        margin(&all, NONE, Wrench::at(v(0.0, 0.0, 5.0), v(0.0, 500.0, 0.0))).factor,
        2.0 * 2.0 * 0.15 * f / 500.0,
        0.03,
    );
}

/// A bond bears its area times its shear strength, and is peeled off by a pull at its edge: P a = pull of the far points.
#[test]
fn a_bond() {
    let (area, shear, pull) = (60.0 * 40.0, 0.4, 0.25);
    let push = Push::Bond { pull: pull * area / 4.0, shear: shear * area / 4.0 };
    let c = [contact("tape", corners(DVec3::ZERO, v(30.0, 0.0, 0.0), v(0.0, 20.0, 0.0)), DVec3::Z, 0.0, push)];
    let bears = |at: DVec3, f: DVec3| margin(&c, NONE, Wrench::at(at, f)).factor;
    near(bears(DVec3::ZERO, v(100.0, 0.0, 0.0)), area * shear / 100.0, 0.02);
    near(bears(DVec3::ZERO, v(0.0, 0.0, 100.0)), area * pull / 100.0, 1e-6);
    // At height h it peels about its far edge: both near points pull with all they have.
    near(bears(v(0.0, 0.0, 60.0), v(10.0, 0.0, 0.0)), 60.0 * 2.0 * pull * area / 4.0 / (60.0 * 10.0), 0.02);
}

/// The slow solver: finer cones (48 rays), no linear programme. A load is borne if the least squares of the balance over non-negative rays is zero
/// (Lawson and Hanson, "Solving Least Squares Problems", 1974); the factor is found by halving.
fn slow(contacts: &[Contact], live: Wrench) -> f64 {
    const FINE: usize = 48;
    let clamps = contacts.iter().filter(|c| matches!(c.push, Push::Clamp(_))).count();
    let mut columns: Vec<Vec<f64>> = Vec::new();
    let mut clamp = 0;
    let mut rhs = vec![0.0; 6 + clamps];
    for c in contacts {
        let row = if let Push::Clamp(f) = c.push {
            clamp += 1;
            rhs[5 + clamp] = f / 1000.0;
            Some(5 + clamp)
        } else {
            None
        };
        let a = c.normal.any_orthonormal_vector();
        let b = c.normal.cross(a);
        for at in &c.at {
            for k in 0..FINE {
                let t = std::f64::consts::TAU * (k as f64 + 0.5) / FINE as f64;
                let dir = c.normal + (a * t.cos() + b * t.sin()) * c.friction;
                let m = at.cross(dir) / 100.0;
                let mut col = vec![dir.x, dir.y, dir.z, m.x, m.y, m.z];
                col.resize(6 + clamps, 0.0);
                if let Some(r) = row {
                    col[r] = 1.0;
                }
                columns.push(col);
            }
        }
    }
    let load = |l: f64| {
        let (f, m) = (live.force / 1000.0, live.moment / 100_000.0);
        let mut b = rhs.clone();
        for (k, x) in [f.x, f.y, f.z, m.x, m.y, m.z].into_iter().enumerate() {
            b[k] -= l * x;
        }
        b
    };
    let borne = |l: f64| residual(&columns, &load(l)) < 1e-7;
    let (mut lo, mut hi) = (0.0, MOST);
    if borne(hi) {
        return MOST;
    }
    while hi - lo > 1e-3 * hi {
        let mid = (lo + hi) / 2.0;
        if borne(mid) { lo = mid } else { hi = mid }
    }
    lo
}

/// Square of the least distance of `b` from the cone of the columns.
fn residual(columns: &[Vec<f64>], b: &[f64]) -> f64 {
    let (n, rows) = (columns.len(), b.len());
    let dot = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(x, y)| x * y).sum::<f64>();
    let mut x = vec![0.0; n];
    let mut active: Vec<usize> = Vec::new();
    let rest = |x: &[f64]| -> Vec<f64> {
        let mut r = b.to_vec();
        for (k, xk) in x.iter().enumerate().filter(|(_, xk)| **xk != 0.0) {
            (0..rows).for_each(|i| r[i] -= columns[k][i] * xk);
        }
        r
    };
    for _ in 0..400 {
        let r = rest(&x);
        let best = (0..n)
            .filter(|k| !active.contains(k))
            .map(|k| (dot(&columns[k], &r), k))
            .max_by(|a, b| a.0.total_cmp(&b.0));
        let Some((gain, k)) = best else { break };
        if gain < 1e-9 {
            break;
        }
        active.push(k);
        loop {
            let z = least_squares(&active.iter().map(|k| &columns[*k][..]).collect::<Vec<_>>(), b);
            if z.iter().all(|v| *v > 0.0) {
                x.iter_mut().for_each(|v| *v = 0.0);
                active.iter().zip(&z).for_each(|(k, v)| x[*k] = *v);
                break;
            }
            let step = active
                .iter()
                .zip(&z)
                .filter(|(_, z)| **z <= 0.0)
                .map(|(k, z)| x[*k] / (x[*k] - z))
                .fold(1.0, |a: f64, b| a.at_most(b));
            for (k, z) in active.iter().zip(&z) {
                x[*k] += step * (z - x[*k]);
            }
            active.retain(|k| x[*k] > 1e-12);
            if active.is_empty() {
                break;
            }
        }
    }
    let r = rest(&x);
    dot(&r, &r)
}

/// Normal equations with a little on the diagonal, by elimination.
fn least_squares(columns: &[&[f64]], b: &[f64]) -> Vec<f64> {
    let n = columns.len();
    let dot = |a: &[f64], b: &[f64]| a.iter().zip(b).map(|(x, y)| x * y).sum::<f64>();
    let mut m: Vec<Vec<f64>> = (0..n)
        .map(|i| {
            let mut row: Vec<f64> = (0..n).map(|j| dot(columns[i], columns[j])).collect();
            row[i] += 1e-12;
            row.push(dot(columns[i], b));
            row
        })
        .collect();
    for i in 0..n {
        let p = (i..n).max_by(|a, b| m[*a][i].abs().total_cmp(&m[*b][i].abs())).unwrap();
        m.swap(i, p);
        for j in 0..n {
            if j != i {
                let f = m[j][i] / m[i][i];
                let pivot = m[i].clone();
                m[j].iter_mut().zip(&pivot).skip(i).for_each(|(x, p)| *x -= f * p);
            }
        }
    }
    (0..n).map(|i| m[i][n] / m[i][i]).collect()
}

#[test]
fn random_holds_against_a_slow_solver() {
    let mut rng = fastrand::Rng::with_seed(12);
    let (mut compared, mut most) = (0, 0.0_f64);
    for _ in 0..60 {
        let mut r = |lo: f64, hi: f64| lo + (hi - lo) * rng.f64();
        let (x, y, g) = (r(30.0, 120.0), r(20.0, 90.0), r(3.0, 12.0));
        let mu = r(0.1, 0.25);
        let jaw = |y: f64| corners(v(x / 2.0, y, g / 2.0), v(x / 2.0, 0.0, 0.0), v(0.0, 0.0, g / 2.0));
        let rail = |y: f64| corners(v(x / 2.0, y, 0.0), v(x / 2.0, 0.0, 0.0), v(0.0, 2.0, 0.0));
        let all = [
            contact("fixed", jaw(0.0), -DVec3::Y, mu, Push::Passive),
            contact("moving", jaw(-y), DVec3::Y, mu, Push::Clamp(r(4000.0, 15000.0))),
            contact("back", rail(-3.0), DVec3::Z, 0.0, Push::Passive),
            contact("front", rail(3.0 - y), DVec3::Z, 0.0, Push::Passive),
        ];
        let at = v(r(0.0, x), r(-y, 0.0), r(g, 40.0));
        let live = Wrench::at(at, v(r(-500.0, 500.0), r(-500.0, 500.0), r(-100.0, 300.0)));
        let (fast, slow) = (margin(&all, NONE, live).factor, slow(&all, live));
        if fast < MOST && slow < MOST {
            compared += 1;
            most = most.at_least((fast / slow - 1.0).abs());
        }
        assert!((fast / slow - 1.0).abs() < 0.025, "{fast} against {slow}: {all:?} {live:?}");
    }
    println!("{compared} holds compared, at most {:.1} % apart", 100.0 * most);
    assert!(compared > 40);
}

/// A vise always holds something; the programme's solver, which breaks off once in some thousand cases, is not taken at its word.
#[test]
fn the_solver_is_never_lost() {
    let mut rng = fastrand::Rng::with_seed(3);
    let jaw = |y: f64| corners(v(55.0, y, 4.0), v(47.2, 0.0, 0.0), v(0.0, 0.0, 4.0));
    let rail = |y: f64, l: f64| corners(v(55.0, y, 0.0), v(l / 2.0, 0.0, 0.0), v(0.0, 2.0, 0.0));
    let c = [
        contact("fixed jaw", jaw(0.0), -DVec3::Y, 0.15, Push::Passive),
        contact("moving jaw", jaw(-66.0), DVec3::Y, 0.15, Push::Clamp(12_000.0)),
        contact("back parallel", rail(-2.0, 103.82559287513813), DVec3::Z, 0.0, Push::Passive),
        contact("front parallel", rail(-64.0, 103.82559282678312), DVec3::Z, 0.0, Push::Passive),
    ];
    for k in 0..6000 {
        let t = std::f64::consts::TAU * rng.f64();
        let at = v(-8.0 + 126.0 * rng.f64(), -74.0 + 82.0 * rng.f64(), 17.0);
        let m = margin(&c, NONE, Wrench::at(at, v(400.0 * t.cos(), 400.0 * t.sin(), 120.0)));
        assert!(m.factor > 1.0, "{k}: {} at {at}, {t}", m.factor);
    }
}

/// The worst place is a corner and the worst direction is found: no random place or direction between is borne less.
#[test]
fn nothing_is_worse_than_the_worst() {
    let c = vise(0.15);
    let box_ = |z: f64| corners(v(30.0, -20.0, z), v(28.0, 0.0, 0.0), v(0.0, 18.0, 0.0));
    let places: Vec<DVec3> = box_(12.0).into_iter().chain(box_(30.0)).collect();
    let load = Load { places, side: 300.0, lift: 120.0, thrust: 0.0, torque: 0.0 };
    let w = worst(&c, NONE, &load);
    println!("borne {:.2} times at {:?} against {:?}", w.factor, w.at, w.force);
    assert!(w.factor > 0.5 && w.factor < 20.0 && w.at.z == 30.0);
    let mut rng = fastrand::Rng::with_seed(5);
    let mut least = f64::INFINITY;
    for _ in 0..400 {
        let at = v(2.0 + 56.0 * rng.f64(), -38.0 + 36.0 * rng.f64(), 12.0 + 18.0 * rng.f64());
        let t = std::f64::consts::TAU * rng.f64();
        let f = v(300.0 * t.cos(), 300.0 * t.sin(), 120.0 * rng.f64());
        least = least.at_most(margin(&c, NONE, Wrench::at(at, f)).factor);
    }
    assert!(least >= w.factor, "{least} is less than {}", w.factor);
    // A drill turns the piece, either way.
    let drill = Load { places: vec![v(5.0, -35.0, 10.0)], side: 0.0, lift: 0.0, thrust: 400.0, torque: 6000.0 };
    assert!(worst(&c, NONE, &drill).factor > 2.0);
}
