//! Meshes that are no part: scans and free forms of very many faces are refused in words, and soon; fine meshes of few faces are read.

use std::f64::consts::PI;
use std::path::PathBuf;

/// A ball of about `n` triangles, each corner off it by up to `rough` mm.
fn ball(n: usize, rough: f64) -> Vec<[[f64; 3]; 3]> {
    let m = ((n as f64 / 2.0).sqrt() as usize).max(4);
    let mut rng = fastrand::Rng::with_seed(4);
    let radius: Vec<f64> = (0..m * m).map(|_| 40.0 + rng.f64() * rough).collect();
    let at = |i: usize, j: usize| -> [f64; 3] {
        let (i, j) = (i.min(m - 1), j % m);
        // All corners at a pole are one.
        let r = radius[if i == 0 || i == m - 1 { i * m } else { i * m + j }];
        let (polar, round) = (PI * i as f64 / (m - 1) as f64, 2.0 * PI * j as f64 / m as f64);
        [r * polar.sin() * round.cos(), r * polar.sin() * round.sin(), r * polar.cos()]
    };
    let mut out = Vec::new();
    for i in 0..m - 1 {
        for j in 0..m {
            let (a, b, c, d) = (at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1));
            if i < m - 2 {
                out.push([a, b, c]);
            }
            if i > 0 {
                out.push([a, c, d]);
            }
        }
    }
    out
}

fn stl(triangles: &[[[f64; 3]; 3]]) -> (tempfile::TempDir, PathBuf) {
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("m.stl");
    let mut bytes = vec![0_u8; 80];
    bytes.extend((triangles.len() as u32).to_le_bytes());
    for t in triangles {
        [0.0_f32; 3].iter().for_each(|v| bytes.extend(v.to_le_bytes()));
        t.iter().flatten().for_each(|v| bytes.extend((*v as f32).to_le_bytes()));
        bytes.extend([0, 0]);
    }
    std::fs::write(&file, bytes).unwrap();
    (dir, file)
}

#[test]
fn scans_of_very_many_faces_are_refused_in_words() {
    // The large one by a look at its edges alone, the smaller one by its flats.
    for n in [92_000, 400_000] {
        let (_dir, file) = stl(&ball(n, 0.6));
        let why = intake::read_trusted(&file).unwrap_err().to_string();
        assert!(why.contains("a scan or a free form") && why.contains("export it as STEP"), "{n}: {why}");
        let faces: usize = why.split_whitespace().find_map(|w| w.parse().ok()).unwrap();
        assert!(faces > 12_000 && faces < n, "{why}");
    }
}

#[test]
fn a_small_rough_mesh_and_a_fine_smooth_one_are_read() {
    let (_dir, file) = stl(&ball(1500, 3.0));
    let volume = intake::read_trusted(&file).unwrap().raw.solids[0].volume;
    assert!((268_000.0..330_000.0).contains(&volume), "{volume}");
    // A tube as fine as that: 60 000 triangles are four faces.
    let n = 15_000;
    let at = |r: f64, k: usize, z: f64| {
        let a = 2.0 * PI * (k % n) as f64 / n as f64;
        [r * a.cos(), r * a.sin(), z]
    };
    let mut t = Vec::new();
    for k in 0..n {
        let [a, b, c, d] =
            [(20.0, 0.0), (20.0, 30.0), (12.0, 30.0), (12.0, 0.0)].map(|(r, z)| [at(r, k, z), at(r, k + 1, z)]);
        for [p, q] in [[a, b], [b, c], [c, d], [d, a]] {
            t.push([p[0], p[1], q[1]]);
            t.push([p[0], q[1], q[0]]);
        }
    }
    let (_dir, file) = stl(&t);
    assert_eq!(intake::read_trusted(&file).unwrap().raw.faces.len(), 4);
}
