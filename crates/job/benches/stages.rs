//! Each stage of the chain on a demo part: `cargo bench -p job`. Shown as seconds here; compare ratios within one run.

use criterion::{Criterion, criterion_group, criterion_main};
use job::{Settled, plan, prove_plan};
use part::Part;
use shop::Shop;
use std::hint::black_box;
use std::path::Path;

fn stages(c: &mut Criterion) {
    let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/parts/spider-plate.step");
    let raw = intake::read_trusted(&file).expect("demo part").raw;
    let part = Part::from_raw(&raw).expect("one solid");
    let shop = Shop::demo().expect("demo shop");
    let planned = plan(&part, "spider-plate", &shop, &Settled::default()).expect("a plan").plan;
    let mut g = c.benchmark_group("spider-plate");
    g.sample_size(10);
    g.bench_function("model", |b| b.iter(|| intake::read_trusted(black_box(&file))));
    g.bench_function("stock and sides", |b| {
        b.iter(|| {
            let aluminium = shop.material("aluminium-6082").unwrap();
            holding::plan(black_box(&part), &shop, aluminium, &holding::Choice::default())
        })
    });
    g.bench_function("whole plan", |b| b.iter(|| plan(black_box(&part), "p", &shop, &Settled::default())));
    g.bench_function("proof", |b| b.iter(|| prove_plan(black_box(&part), &planned, &shop)));
    g.finish();
}

criterion_group!(benches, stages);
criterion_main!(benches);
