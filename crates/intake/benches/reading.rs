//! Reading against the kernel's own read and mesh of the same file, and from the file to features, in one run: `cargo bench -p intake`.

use criterion::{Criterion, criterion_group, criterion_main};
use intake::{Limits, Reading, read_guarded};
use kernel::shape::{Shape, rounded_polygon};
use kernel::{Meshing, plain_read, read_step};
use std::hint::black_box;
use std::path::{Path, PathBuf};

/// A comb with round corners that comes to about this number of faces.
fn comb(faces: usize, dir: &Path) -> PathBuf {
    let teeth = faces / 8;
    let mut corners = vec![([0.0, 0.0], 0.0), ([teeth as f64 * 6.0, 0.0], 0.0)];
    for k in (0..teeth).rev() {
        let x = k as f64 * 6.0;
        corners.extend([[x + 6.0, 20.0], [x + 3.0, 20.0], [x + 3.0, 12.0], [x, 12.0]].map(|c| (c, 0.8)));
    }
    written(&Shape::prism(&rounded_polygon(&corners), 0.0, 8.0).expect("a comb"), "comb", dir)
}

/// A plate with rows of round-cornered pockets, nine faces each.
fn plate(rows: usize, columns: usize, dir: &Path) -> PathBuf {
    let mut p = Shape::block([0.0; 3], [columns as f64 * 20.0, rows as f64 * 15.0, 12.0]).expect("a block");
    for row in 0..rows {
        // A row at a time: the cutting is what takes long.
        let pocket = |k: usize| {
            let (x, y) = (k as f64 * 20.0 + 2.0, row as f64 * 15.0 + 2.0);
            let c = [[x, y], [x + 16.0, y], [x + 16.0, y + 11.0], [x, y + 11.0]].map(|c| (c, 3.0));
            Shape::prism(&rounded_polygon(&c), 4.0, 14.0).expect("a pocket")
        };
        let tool = (1..columns).fold(pocket(0), |t, k| t.beside(&pocket(k)).expect("a tool"));
        p = p.cut(&tool).expect("a plate");
    }
    written(&p, "plate", dir)
}

fn written(s: &Shape, name: &str, dir: &Path) -> PathBuf {
    let file = dir.join(format!("{name}.step"));
    s.write_step(&file).expect("written");
    file
}

fn reading(c: &mut Criterion) {
    let dir = tempfile::tempdir().expect("a folder");
    let bracket = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/parts/encoder-bracket.step");
    for (name, file) in
        [("bracket", bracket), ("300 faces", comb(300, dir.path())), ("3000 faces", plate(18, 18, dir.path()))]
    {
        let mut g = c.benchmark_group(name);
        g.sample_size(10);
        let meshing = Meshing::default();
        g.bench_function("kernel's own read and mesh", |b| b.iter(|| plain_read(black_box(&file), &meshing)));
        g.bench_function("read", |b| b.iter(|| read_step(black_box(&file), &meshing)));
        let reader = Path::new(env!("CARGO_BIN_EXE_goldchip-reader"));
        let limits = Limits::default();
        intake::keep_ready::<&str>(reader, &[]);
        let guarded =
            || read_guarded::<&str>(reader, &[], black_box(&file), &Reading::default(), &limits).expect("read");
        g.bench_function("read in a guarded child", |b| b.iter(guarded));
        let model = guarded();
        let part = part::Part::from_model(&model, &Reading::default()).expect("a part");
        println!("{name}: {} faces", part.faces.len());
        g.bench_function("part and features", |b| {
            b.iter(|| {
                let part = part::Part::from_model(black_box(&model), &Reading::default()).expect("a part");
                let seen = part::recognise(&part);
                part::questions(&part, &seen, &std::collections::BTreeMap::new()).len()
            });
        });
        g.finish();
    }
}

criterion_group!(benches, reading);
criterion_main!(benches);
