//! The command line as a person uses it: exit codes, files, messages.

mod cli;
mod holds;
mod programs;

use serde_json::Value;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

fn demo(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/parts").join(format!("{name}.step"))
}

fn goldchip(args: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_goldchip")).args(args).output().expect("goldchip runs")
}

fn path(p: &Path) -> &str {
    p.to_str().expect("plain path")
}

fn json(p: &Path) -> Value {
    serde_json::from_str(&std::fs::read_to_string(p).expect("a file")).expect("json")
}

fn last_error(o: &Output) -> String {
    String::from_utf8_lossy(&o.stderr).lines().last().unwrap_or_default().to_string()
}

/// What was said, all of it.
fn said(o: &Output) -> String {
    String::from_utf8_lossy(&o.stdout).into_owned()
}
