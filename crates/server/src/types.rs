//! The types that cross to the front end, written as TypeScript: `web/src/api/types` is made from these and checked against them.

use std::path::Path;
use ts_rs::{Config, TS};

/// Write all types into a folder.
pub fn write(dir: &Path) -> Result<(), String> {
    let c = Config::new().with_out_dir(dir).with_large_int("number");
    let all = [
        job::sheet::Sheet::export_all(&c),
        job::sheet::PartSheet::export_all(&c),
        job::sheet::Strip::export_all(&c),
        job::Decision::export_all(&c),
        crate::decide::Decide::export_all(&c),
        crate::decide::Revision::export_all(&c),
        crate::fault::Refusal::export_all(&c),
        crate::jobs::JobState::export_all(&c),
        crate::jobs::JobChange::export_all(&c),
        crate::jobs::BenchPage::export_all(&c),
        crate::http::Measure::export_all(&c),
        part::Measured::export_all(&c),
        part::Slice::export_all(&c),
        crate::forms::FormsSheet::export_all(&c),
        crate::book::BookSheet::export_all(&c),
        crate::book::BookPreview::export_all(&c),
        shop::book::BookChange::export_all(&c),
        crate::rack::RackSheet::export_all(&c),
        crate::rack::RackAct::export_all(&c),
        crate::rack::RackPreview::export_all(&c),
        crate::http::TryLay::export_all(&c),
        crate::runs::RunSheet::export_all(&c),
        crate::runs::RunCard::export_all(&c),
        crate::runs::LogPage::export_all(&c),
        crate::runs::NewEntry::export_all(&c),
        crate::runs::BrokenOff::export_all(&c),
        crate::runs::Rest::export_all(&c),
        run::series::SizeSeries::export_all(&c),
        job::price::Price::export_all(&c),
        crate::rounds::RoundSheet::export_all(&c),
        crate::rounds::Eye::export_all(&c),
        crate::rounds::NewAnswer::export_all(&c),
        crate::at_machine::MachineAsk::export_all(&c),
        crate::at_machine::MachineSays::export_all(&c),
        job::StockBench::export_all(&c),
        job::Comparison::export_all(&c),
        job::what_if::WhatIfs::export_all(&c),
        crate::people::Me::export_all(&c),
        crate::people::SignIn::export_all(&c),
        crate::http::ShopChange::export_all(&c),
        crate::http::PersonCard::export_all(&c),
        crate::http::NewPerson::export_all(&c),
        crate::http::NewPassword::export_all(&c),
        crate::http::NewOwner::export_all(&c),
        crate::audit::Entry::export_all(&c),
        crate::keeping::Keeping::export_all(&c),
        crate::keeping::NewQuota::export_all(&c),
        shop::Shop::export_all(&c),
        program::Meaning::export_all(&c),
        program::Sample::export_all(&c),
    ];
    all.into_iter().collect::<Result<Vec<()>, _>>().map_err(|e| e.to_string())?;
    let mut names: Vec<String> = std::fs::read_dir(dir)
        .map_err(|e| e.to_string())?
        .flatten()
        .filter_map(|f| f.file_name().to_string_lossy().strip_suffix(".ts").map(String::from))
        .filter(|n| n != "index")
        .collect();
    names.sort();
    let index: String = names.iter().map(|n| format!("export * from './{n}';\n")).collect();
    std::fs::write(dir.join("index.ts"), index).map_err(|e| e.to_string())
}
