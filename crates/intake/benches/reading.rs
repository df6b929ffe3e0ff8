//! Reading against the kernel's own read and mesh of the same file, and from the file to features, in one run: `cargo bench -p intake`.

use criterion::{Criterion, criterion_group, criterion_main};
use intake::{Limits, Reading, read_guarded};
use kernel::shape::{Shape, rounded_polygon};
use kernel::{Meshing, plain_read, read_step};
use std::hint::black_box;
use std::path::{Path, PathBuf};

/// A comb with so many teeth that it comes to about this number of faces; with round corners half of them are.
///
/// 3000 faces come with sharp corners: with 1500 arcs around one flat face the kernel's own mesh of that face takes minutes.
fn comb(faces: usize, round: f64, dir: &Path) -> PathBuf {
    let teeth = faces / if round > 0.0 { 8 } else { 4 };
    let mut corners = vec![([0.0, 0.0], 0.0), ([teeth as f64 * 6.0, 0.0], 0.0)];
    for k in (0..teeth).rev() {
        let x = k as f64 * 6.0;
        corners.extend([[x + 6.0, 20.0], [x + 3.0, 20.0], [x + 3.0, 12.0], [x, 12.0]].map(|c| (c, round)));
    }
    let p = Shape::prism(&rounded_polygon(&corners), 0.0, 8.0).expect("a comb");
    let file = dir.join(format!("comb-{faces}.step"));
    p.write_step(&file).expect("written");
    file
}

fn reading(c: &mut Criterion) {
    let dir = tempfile::tempdir().expect("a folder");
    let bracket = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/parts/encoder-bracket.step");
    for (name, file) in
        [("bracket", bracket), ("300 faces", comb(300, 0.8, dir.path())), ("3000 faces", comb(3000, 0.0, dir.path()))]
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
