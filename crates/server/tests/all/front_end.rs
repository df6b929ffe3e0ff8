//! The front end's own unit tests (vitest), so that `cargo test` runs all there are.

use std::process::Command;

#[test]
fn the_front_ends_unit_tests_pass() {
    let out =
        Command::new("npx").args(["--no", "vitest", "run"]).current_dir(crate::common::root().join("web")).output();
    let out = out.expect("node and npx are installed (scripts/setup.sh)");
    let said = String::from_utf8_lossy(&out.stdout).to_string();
    assert!(out.status.success(), "{said}\n{}", String::from_utf8_lossy(&out.stderr));
    assert!(said.contains("passed"), "{said}");
}
