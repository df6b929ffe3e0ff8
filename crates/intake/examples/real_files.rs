//! Reads files through the guarded child and prints what was found, a JSON object a line: for comparison with an independent reading
//! (`scripts/reading/`). `cargo run --release -p intake --example real_files -- target/release/goldchip FILE…`.

use intake::{Limits, Reading, read_guarded};
use kernel::RawSurface;
use std::collections::BTreeMap;
use std::path::Path;
use std::time::Instant;

fn main() {
    let args: Vec<String> = std::env::args().skip(1).collect();
    let [reader, files @ ..] = args.as_slice() else { panic!("READER FILE…") };
    for file in files {
        let start = Instant::now();
        let model = match read_guarded(
            Path::new(reader),
            &["read-model"],
            Path::new(file),
            &Reading::default(),
            &Limits::default(),
        ) {
            Ok(m) => m,
            Err(e) => {
                println!("{}", serde_json::json!({"file": file, "error": e.to_string()}));
                continue;
            }
        };
        let raw = &model.raw;
        let mut kinds: BTreeMap<&str, usize> = BTreeMap::new();
        // As the file stores them.
        let mut stored: BTreeMap<&str, usize> = BTreeMap::new();
        for f in &raw.faces {
            let kind = match f.surface {
                RawSurface::Plane { .. } => "plane",
                RawSurface::Cylinder { .. } => "cylinder",
                RawSurface::Cone { .. } => "cone",
                RawSurface::Sphere { .. } => "sphere",
                RawSurface::Torus { .. } => "torus",
                RawSurface::Other => "other",
            };
            *kinds.entry(kind).or_insert(0) += 1;
            *stored.entry(if f.recognised.is_some() { "other" } else { kind }).or_insert(0) += 1;
        }
        let closed = raw.sewn;
        let read = start.elapsed().as_secs_f64();
        let seen = part::Part::from_model(&model, &Reading::default()).map(|p| part::recognise(&p));
        let mut found: BTreeMap<String, usize> = BTreeMap::new();
        let (body, error) = match &seen {
            Ok(s) => {
                for f in &s.features {
                    *found.entry(format!("{:?}", f.kind).to_lowercase()).or_insert(0) += 1;
                }
                (s.body.what.clone(), None)
            }
            Err(e) => (String::new(), Some(e.to_string())),
        };
        println!(
            "{}",
            serde_json::json!({
                "file": file, "format": raw.format, "solids": raw.solids.len(),
                "volume": raw.solids.iter().map(|s| s.volume).sum::<f64>(), "area": raw.faces.iter().map(|f| f.area).sum::<f64>(),
                "faces": raw.faces.len(), "kinds": kinds, "stored": stored, "closed": closed, "chord": raw.chord_error, "body": body, "found": found, "no_part": error,
                "read_s": read, "features_s": start.elapsed().as_secs_f64() - read,
            })
        );
    }
}
