//! Prints what is recognised on files that are trusted: `cargo run --release -p part --example recognise -- FILE…`.

fn main() {
    for file in std::env::args().skip(1) {
        let model = match intake::read_trusted(std::path::Path::new(&file)) {
            Ok(m) => m,
            Err(e) => {
                println!("{file}: {e}");
                continue;
            }
        };
        let start = std::time::Instant::now();
        let part = match part::Part::from_model(&model, &intake::Reading::default()) {
            Ok(p) => p,
            Err(e) => {
                println!("{file}: {e}");
                continue;
            }
        };
        let made = start.elapsed();
        let r = part::recognise(&part);
        println!(
            "{file}: {} ({}), {} faces, part {made:.0?}, features {:.0?}",
            r.body.what,
            part.origin.format,
            part.faces.len(),
            start.elapsed() - made
        );
        for s in &r.body.symmetry {
            println!("  {}: {}", s.what, s.good_for);
        }
        for s in &r.body.profile {
            println!("  {s:?}");
        }
        for q in part::questions(&part, &r, &std::collections::BTreeMap::new()) {
            println!("  ? {} [{}]", q.text, q.id);
            for c in q.choices.iter().take(4) {
                println!("      {:.2} {} ({})", c.score, c.words, c.reasons.join("; "));
            }
        }
        for f in &r.features {
            println!("  {:>5.2} {:?} {} | from {} | {}", f.hardness(), f.kind, f.what, f.from.join(" "), f.id);
            for b in &f.blocked {
                println!("          {} covered by {}", b.from, b.by);
            }
            for x in f.remarks.iter().chain(&f.cutter) {
                println!("          {x}");
            }
        }
    }
}
