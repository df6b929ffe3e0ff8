//! The build's mark: sources of the core crates, the lock file, and the kernel's version.

use sha2::{Digest, Sha256};
use std::fs;
use std::path::{Path, PathBuf};

const CORE: [&str; 13] = [
    "reason", "geom", "kernel", "intake", "part", "shop", "cutting", "holding", "path", "route", "program", "proof",
    "job",
];

fn files(dir: &Path, out: &mut Vec<PathBuf>) {
    for e in fs::read_dir(dir).into_iter().flatten().flatten() {
        let p = e.path();
        if p.is_dir() { files(&p, out) } else { out.push(p) }
    }
}

fn main() {
    let root = PathBuf::from(std::env::var("CARGO_MANIFEST_DIR").expect("cargo sets it")).join("../..");
    let mut list = vec![root.join("Cargo.lock")];
    for c in CORE {
        for sub in ["src", "data", "shim"] {
            let dir = root.join("crates").join(c).join(sub);
            if dir.exists() {
                println!("cargo::rerun-if-changed={}", dir.display());
                files(&dir, &mut list);
            }
        }
    }
    println!("cargo::rerun-if-changed={}", root.join("Cargo.lock").display());
    let version = PathBuf::from("/usr/include/opencascade/Standard_Version.hxx");
    println!("cargo::rerun-if-changed={}", version.display());
    list.push(version);
    list.sort();
    let mut h = Sha256::new();
    for f in list {
        h.update(f.strip_prefix(&root).unwrap_or(&f).to_string_lossy().as_bytes());
        h.update(fs::read(&f).unwrap_or_default());
    }
    let mark: String = h.finalize().iter().map(|b| format!("{b:02x}")).collect();
    println!("cargo::rustc-env=GOLDCHIP_BUILD={mark}");
}
