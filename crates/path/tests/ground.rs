//! Cells of a ground against all triangles asked one by one: whatever shape they have, none that bears is overlooked.

use fastrand::Rng;
use geom::{DVec2, DVec3, TriMesh};
use path::ground::Ground;

/// A field of heights over a square, in two triangles a square, its walls and its underside: closed. Face 1 is the middle of it.
fn hills(rng: &mut Rng, n: usize, side: f64) -> TriMesh {
    let mut mesh = TriMesh::default();
    let step = side / n as f64;
    let mut heights: Vec<f64> = (0..(n + 1) * (n + 1)).map(|_| 6.0 * rng.f64()).collect();
    // Some of it flat, as most parts are.
    for (_, h) in heights.iter_mut().enumerate().filter(|(k, _)| k % (n + 1) < n / 2) {
        *h = 3.0;
    }
    let at = |i: usize, j: usize, z: f64| DVec3::new(i as f64 * step, j as f64 * step, z);
    let top = |i: usize, j: usize| at(i, j, heights[j * (n + 1) + i]);
    let mut add = |c: [DVec3; 3], face: u32| {
        let first = mesh.points.len() as u32;
        mesh.points.extend(c);
        mesh.triangles.push([first, first + 1, first + 2]);
        mesh.face.push(face);
    };
    for j in 0..n {
        for i in 0..n {
            let face = u32::from((n / 3..2 * n / 3).contains(&i) && (n / 3..2 * n / 3).contains(&j));
            add([top(i, j), top(i + 1, j), top(i + 1, j + 1)], face);
            add([top(i, j), top(i + 1, j + 1), top(i, j + 1)], face);
        }
    }
    for k in 0..n {
        let walls = [[(k, 0), (k + 1, 0)], [(n, k), (n, k + 1)], [(k + 1, n), (k, n)], [(0, k + 1), (0, k)]];
        for [(i, j), (p, q)] in walls {
            add([at(i, j, -4.0), at(p, q, -4.0), top(p, q)], 2);
            add([at(i, j, -4.0), top(p, q), top(i, j)], 2);
        }
    }
    let far = n;
    add([at(0, 0, -4.0), at(far, far, -4.0), at(far, 0, -4.0)], 2);
    add([at(0, 0, -4.0), at(0, far, -4.0), at(far, far, -4.0)], 2);
    mesh
}

/// How high the tip of a ball may be that a triangle does not lift: by many points of it.
fn lifted(mesh: &TriMesh, t: usize, p: DVec2, r: f64) -> f64 {
    const N: u32 = 40;
    let [a, b, c] = mesh.corners(t);
    let mut tip = f64::NEG_INFINITY;
    for i in 0..=N {
        for j in 0..=N - i {
            let q = a + (b - a) * (f64::from(i) / f64::from(N)) + (c - a) * (f64::from(j) / f64::from(N));
            let d2 = q.truncate().distance_squared(p);
            if d2 < r * r {
                let here = q.z + (r * r - d2).sqrt() - r;
                if here > tip {
                    tip = here;
                }
            }
        }
    }
    tip
}

#[test]
fn no_triangle_that_bears_is_overlooked() {
    let mut rng = Rng::with_seed(5);
    let (mut on, mut off) = (0, 0);
    for round in 0..12 {
        // Few large ones, longer than cells, and many small ones.
        let (n, side) = [(3, 60.0), (9, 40.0), (24, 30.0)][round % 3];
        let mesh = hills(&mut rng, n, side);
        let ground = Ground::new(&mesh).wanting(&[1]);
        for _ in 0..40 {
            let (p, r) = (DVec2::new(side * rng.f64(), side * rng.f64()), 0.5 + 5.0 * rng.f64());
            let slow = (0..mesh.triangles.len()).map(|t| lifted(&mesh, t, p, r));
            let slow = slow.fold(f64::NEG_INFINITY, |a, b| if b > a { b } else { a });
            let rest = ground.rest(p, r).unwrap();
            // Points of a triangle lie at most this far apart, and what lies between lifts by no more.
            let coarse = 2.0 * side / (n as f64 * 40.0);
            assert!(rest.tip >= slow - 1e-9 && rest.tip <= slow + coarse, "{round} {p} {r}: {} {slow}", rest.tip);
            assert!(!rest.wanted || ground.near_wanted(p, r), "{round} {p} {r}");
            let highest = ground.highest(p, r).unwrap();
            assert!(highest >= rest.touches.z - 1e-9, "{highest} {}", rest.touches.z);
            if rest.wanted { on += 1 } else { off += 1 }
        }
        // Far from all that is wanted nobody is told to look.
        assert!(!ground.near_wanted(DVec2::splat(-20.0), 3.0) && ground.near_wanted(DVec2::splat(side / 2.0), 1.0));
    }
    assert!(on > 40 && off > 100, "{on} {off}");
}
