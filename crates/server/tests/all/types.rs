//! The front end's types are those of the server: made again they are the same. `GOLDCHIP_WRITE_TYPES=1 cargo test -p server --test all types` writes them.

use std::collections::BTreeMap;
use std::path::Path;

fn all(dir: &Path) -> BTreeMap<String, String> {
    std::fs::read_dir(dir)
        .into_iter()
        .flatten()
        .flatten()
        .map(|e| (e.file_name().to_string_lossy().into_owned(), std::fs::read_to_string(e.path()).unwrap_or_default()))
        .collect()
}

#[test]
fn the_front_ends_types_have_not_drifted() {
    let kept = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../web/src/api/types");
    if std::env::var_os("GOLDCHIP_WRITE_TYPES").is_some() {
        let _ = std::fs::remove_dir_all(&kept);
        server::types::write(&kept).unwrap();
    }
    let made = tempfile::tempdir().unwrap();
    server::types::write(made.path()).unwrap();
    let (kept, made) = (all(&kept), all(made.path()));
    assert!(made.len() > 40);
    let differ: Vec<&String> = made.keys().chain(kept.keys()).filter(|k| made.get(*k) != kept.get(*k)).collect();
    assert!(
        differ.is_empty(),
        "run GOLDCHIP_WRITE_TYPES=1 cargo test -p server --test all types; differing: {differ:?}"
    );
}
