//! Files that somebody broke: every one is answered by a part or by one clear sentence, within its limits, and nothing else suffers.
//!
//! The corpus is made, not kept: [`CORPUS`] mutations of eight good files in all formats, each by its number alone. Every run takes a sample;
//! `GOLDCHIP_FUZZ=all cargo test --release -p intake --test fuzz` takes the whole, `GOLDCHIP_FUZZ=120..130` some.

use intake::{Limits, ReadError, Reading, read_guarded, write_stl};
use kernel::Meshing;
use kernel::shape::{Shape, rounded_polygon};
use rayon::prelude::*;
use std::io::Write;
use std::path::Path;
use std::time::{Duration, Instant};

const CORPUS: u64 = 720;
/// Every so many-th file is in the sample.
const SAMPLE: usize = 9;

const READER: &str = env!("CARGO_BIN_EXE_goldchip-reader");

struct Dice(u64);

impl Dice {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }
    fn below(&mut self, n: usize) -> usize {
        (self.next() % n.max(1) as u64) as usize
    }
}

/// Good files: STEP plain, with rounds, of two solids; STL text and binary; 3MF; DXF of lines and of polylines.
fn seeds() -> Vec<(&'static str, Vec<u8>)> {
    let dir = tempfile::tempdir().unwrap();
    let step = |s: &Shape| {
        let p = dir.path().join("s.step");
        s.write_step(&p).unwrap();
        std::fs::read(&p).unwrap()
    };
    let plate = Shape::prism(
        &rounded_polygon(&[([0.0, 0.0], 3.0), ([40.0, 0.0], 3.0), ([40.0, 30.0], 0.0), ([0.0, 30.0], 3.0)]),
        0.0,
        9.0,
    )
    .unwrap()
    .cut(&Shape::cylinder([15.0, 15.0, -1.0], [0.0, 0.0, 1.0], 4.0, 12.0).unwrap())
    .unwrap();
    let round = plate.fillet(1.0, [-1.0, -1.0, 9.0], [41.0, 31.0, 9.0]).unwrap();
    let two =
        Shape::block([0.0; 3], [9.0, 9.0, 9.0]).unwrap().fuse(&Shape::ball([30.0, 0.0, 0.0], 5.0).unwrap()).unwrap();
    let mesh = plate.read(&Meshing { chord_mm: 0.1, angle_rad: 0.6 }).unwrap();
    let binary = write_stl(&mesh.vertices, &mesh.triangles);
    let mut text = String::from("solid p\n");
    for t in &mesh.triangles {
        text.push_str("facet normal 0 0 0\nouter loop\n");
        for c in t.map(|k| mesh.vertices[k as usize]) {
            text.push_str(&format!("vertex {} {} {}\n", c[0], c[1], c[2]));
        }
        text.push_str("endloop\nendfacet\n");
    }
    text.push_str("endsolid p\n");
    let v: String =
        mesh.vertices.iter().map(|p| format!("<vertex x=\"{}\" y=\"{}\" z=\"{}\"/>", p[0], p[1], p[2])).collect();
    let t: String =
        mesh.triangles.iter().map(|t| format!("<triangle v1=\"{}\" v2=\"{}\" v3=\"{}\"/>", t[0], t[1], t[2])).collect();
    let model = format!(
        "<?xml version=\"1.0\"?><model unit=\"millimeter\"><resources><object id=\"1\"><mesh><vertices>{v}</vertices><triangles>{t}</triangles></mesh></object><object id=\"2\"><components><component objectid=\"1\" transform=\"1 0 0 0 1 0 0 0 1 50 0 0\"/></components></object></resources><build><item objectid=\"1\"/><item objectid=\"2\"/></build></model>"
    );
    let mut z = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    // Stored, so that a broken byte breaks the model and not only the packing.
    let stored = zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    z.start_file("3D/3dmodel.model", stored).unwrap();
    z.write_all(model.as_bytes()).unwrap();
    let threemf = z.finish().unwrap().into_inner();
    let head = "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n";
    let end = "0\nENDSEC\n0\nEOF\n";
    let poly = format!(
        "{head}0\nLWPOLYLINE\n8\nA\n90\n4\n70\n1\n10\n0\n20\n0\n10\n60\n20\n0\n42\n0.5\n10\n60\n20\n40\n10\n0\n20\n40\n0\nCIRCLE\n8\nPOCKET_2\n10\n20\n20\n20\n30\n0\n40\n6\n{end}"
    );
    let line =
        |a: [f64; 2], b: [f64; 2]| format!("0\nLINE\n8\n0\n10\n{}\n20\n{}\n11\n{}\n21\n{}\n", a[0], a[1], b[0], b[1]);
    let lines = format!(
        "{head}{}{}{}{end}",
        line([0.0, 0.0], [30.0, 0.0]),
        line([30.0, 0.0], [0.0, 25.0]),
        line([0.0, 25.0], [0.0, 0.0])
    );
    vec![
        ("plain.step", step(&plate)),
        ("round.step", step(&round)),
        ("two.step", step(&two)),
        ("text.stl", text.into_bytes()),
        ("binary.stl", binary),
        ("mesh.3mf", threemf),
        ("poly.dxf", poly.into_bytes()),
        ("lines.dxf", lines.into_bytes()),
    ]
}

/// Break a file in one to four ways.
fn broken(good: &[u8], number: u64) -> Vec<u8> {
    let mut d = Dice(number.wrapping_mul(7919));
    let mut b = good.to_vec();
    for _ in 0..=d.below(4) {
        if b.is_empty() {
            break;
        }
        let at = d.below(b.len());
        let len = (1 + d.below(200)).min(b.len() - at);
        match d.below(9) {
            0 => b[at] ^= 1 << d.below(8),
            1 => drop(b.drain(at..at + len)),
            2 => {
                let copy = b[at..at + len].to_vec();
                let to = d.below(b.len());
                b.splice(to..to, copy);
            }
            3 => b.truncate(at),
            // Numbers that nobody means.
            4 | 5 => {
                let odd = [&b"1e308"[..], b"-0", b"nan", b"99999999999", b"1e-320", b"0", b"-1"];
                let odd = odd[d.below(odd.len())];
                if let Some(start) = (at..b.len()).find(|&k| b[k].is_ascii_digit()) {
                    let end = (start..b.len()).find(|&k| !b"0123456789.eE+-".contains(&b[k])).unwrap_or(b.len());
                    b.splice(start..end, odd.iter().copied());
                }
            }
            // References to other entities.
            6 => {
                if let Some(start) = (at..b.len()).find(|&k| b[k] == b'#') {
                    let end = (start + 1..b.len()).find(|&k| !b[k].is_ascii_digit()).unwrap_or(b.len());
                    let to = d.below(400).to_string();
                    b.splice(start + 1..end, to.into_bytes());
                }
            }
            7 => b[at..at + len].fill(d.next() as u8),
            _ => {
                let end = (at..b.len()).find(|&k| b[k] == b'\n').unwrap_or(b.len() - 1);
                b.drain(at..=end);
            }
        }
    }
    b
}

/// What became of a file; an error where a promise broke.
fn answer(file: &Path, limits: &Limits) -> Result<bool, String> {
    let start = Instant::now();
    let read = read_guarded::<&str>(Path::new(READER), &[], file, &Reading::default(), limits);
    if start.elapsed() > limits.wall + Duration::from_secs(5) {
        return Err(format!("it took {:?}", start.elapsed()));
    }
    let sentence = |why: String| {
        let one = why.len() > 25 && why.len() < 500 && !why.contains('\n') && !why.contains("panicked");
        if one { Ok(false) } else { Err(format!("no sentence: {why}")) }
    };
    match read {
        Err(ReadError::Reader(why)) => Err(format!("the reader itself failed: {why}")),
        Err(e) => sentence(e.to_string()),
        Ok(model) => {
            // What comes through is used by the server in its own process: it must not fail there.
            let made = std::panic::catch_unwind(|| {
                part::Part::from_model(&model, &Reading::default()).map(|p| {
                    let seen = part::recognise(&p);
                    part::questions(&p, &seen, &std::collections::BTreeMap::new()).len()
                })
            });
            if start.elapsed() > limits.wall + Duration::from_secs(30) {
                return Err(format!("with its features it took {:?}", start.elapsed()));
            }
            match made {
                Err(_) => Err("its features panicked".into()),
                Ok(Err(e)) => sentence(e.to_string()),
                Ok(Ok(_)) => Ok(true),
            }
        }
    }
}

#[test]
fn broken_files_are_answered() {
    let seeds = seeds();
    let limits = Limits { cpu_seconds: 10, wall: Duration::from_secs(20), ..Limits::default() };
    let numbers: Vec<u64> = match std::env::var("GOLDCHIP_FUZZ") {
        Err(_) => (0..CORPUS).step_by(SAMPLE).collect(),
        Ok(all) if all == "all" => (0..CORPUS).collect(),
        Ok(range) => {
            let (a, b) = range.split_once("..").expect("GOLDCHIP_FUZZ is 'all' or like 120..130");
            (a.parse().unwrap()..b.parse().unwrap()).collect()
        }
    };
    // The good ones first: a corpus of broken files says nothing if the whole ones fail too.
    let dir = tempfile::tempdir().unwrap();
    for (name, bytes) in &seeds {
        let p = dir.path().join(name);
        std::fs::write(&p, bytes).unwrap();
        let whole = read_guarded::<&str>(Path::new(READER), &[], &p, &Reading::default(), &limits);
        assert!(whole.is_ok(), "{name}: {:?}", whole.err());
        assert_eq!(answer(&p, &limits), Ok(true), "{name}");
    }
    let outcome: Vec<(u64, &str, Result<bool, String>)> = numbers
        .par_iter()
        .map(|&n| {
            let (name, good) = &seeds[(n % seeds.len() as u64) as usize];
            let p = dir.path().join(format!("{n}-{name}"));
            std::fs::write(&p, broken(good, n)).unwrap();
            (n, *name, answer(&p, &limits))
        })
        .collect();
    let bad: Vec<_> = outcome.iter().filter(|o| o.2.is_err()).collect();
    let read = outcome.iter().filter(|o| o.2 == Ok(true)).count();
    println!("{} files: {read} gave a part, {} a sentence", outcome.len(), outcome.len() - read - bad.len());
    assert!(bad.is_empty(), "{} of {}: {bad:#?}", bad.len(), outcome.len());
    // Both ends occur, or the corpus tests nothing.
    assert!(read > 0 && read < outcome.len());
}
