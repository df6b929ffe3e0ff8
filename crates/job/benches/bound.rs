//! Minutes of plans against the least there can be (`route::bound`), as a table: `cargo bench -p job --bench bound`. Then how long the bound itself takes.

use criterion::{Criterion, criterion_group, criterion_main};
use geom::{Placement, Remains};
use job::{Settled, plan};
use part::{Part, View};
use program::{ReadSettings, read};
use route::{Side, bound};
use shop::Shop;
use std::hint::black_box;
use std::path::{Path, PathBuf};

/// The first side of a plan, bounded.
fn least(part: &Part, stock: geom::Box3, at: &Placement, shop: &Shop) -> route::Bound {
    let view = View::new(part, at.inverse());
    let material = shop.material("aluminium-6082").expect("demo material");
    let through_to = Some(view.bounds.min.z - 0.4);
    bound(&Side { through_to, ..Side::new(&view, Remains::of(stock).seen_in(at), shop, material) })
}

fn demo() -> Vec<PathBuf> {
    let dir = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/parts");
    let mut all: Vec<PathBuf> = std::fs::read_dir(dir).expect("demo").flatten().map(|e| e.path()).collect();
    all.sort();
    all
}

fn bounds(c: &mut Criterion) {
    let shop = Shop::demo().expect("demo shop");
    println!("{:<20} {:>8} {:>8} {:>6}  what the least is made of, min", "first side of", "planned", "least", "ratio");
    let mut first = None;
    for file in demo() {
        let part = Part::from_raw(&intake::read_trusted(&file).expect("demo part").raw).expect("one solid");
        let p = plan(&part, "p", &shop, &Settled::default()).expect("a plan").plan;
        let s = &p.sides[0];
        let text = read(&s.program, &ReadSettings { zero_in_machine: s.setup.zero_in_machine, ..Default::default() });
        let steps = text.expect("our own program").steps;
        let seconds = proof::time::seconds(&steps, &job::proving::limits_of(&shop.machine).motion);
        let planned = seconds.iter().sum::<f64>() / 60.0;
        let b = least(&part, p.scheme.stock, &s.setup.part_from_work, &shop);
        let terms: Vec<String> =
            b.terms.iter().filter(|t| t.value > 0.005).map(|t| format!("{} {:.1}", t.symbol, t.value)).collect();
        let name = file.file_stem().unwrap_or_default().to_string_lossy().into_owned();
        println!("{name:<20} {planned:>8.1} {:>8.1} {:>6.2}  {}", b.minutes, planned / b.minutes, terms.join(", "));
        first.get_or_insert((part, p));
    }
    if let Some((part, p)) = first {
        let at = p.sides[0].setup.part_from_work;
        c.benchmark_group("bound").sample_size(10).bench_function("one side", |b| {
            b.iter(|| least(black_box(&part), p.scheme.stock, &at, &shop));
        });
    }
}

criterion_group!(benches, bounds);
criterion_main!(benches);
