//! `gtrig check`.

use super::{
    shared::{Printing, Status},
    takes::Output,
};
use crate::{
    files,
    maps::{self, AnyMap},
};
use anyhow::Context;
use clap::Args;
use gtrig_formats::doubts::CheckReport;
use std::path::PathBuf;

/// Check a rig: list every mistake with its place, and what a sound one
/// probably does not mean. A map of a device is checked as well.
#[derive(Args, Debug)]
pub struct Check {
    /// The rig (TOML; see docs/rig-format.md), or a map (docs/map-format.md,
    /// docs/osc.md).
    #[arg(required_unless_present = "rig", value_name = "RIG")]
    path: Option<PathBuf>,
    /// The same, as other commands take it.
    #[arg(long, value_name = "FILE", conflicts_with = "path")]
    rig: Option<PathBuf>,
    #[command(flatten)]
    print: Printing,
}

impl Check {
    /// Runs it.
    ///
    /// # Errors
    /// When the rig cannot be read, or has mistakes.
    pub fn run(self) -> anyhow::Result<Status> {
        let path = self.path.or(self.rig).context("name a rig")?;
        if let Some(file) = maps::read_if_map(&path)? {
            let shown = path.display().to_string();
            let report = match &file {
                AnyMap::Device(file) => CheckReport::of_map(&file.map, &shown),
                AnyMap::Addresses(map) => CheckReport::of_addresses(map, &shown),
            };
            Output::without_take(self.print).report(&report)?;
            return Ok(Status::Fine);
        }
        let rig = files::rig(Some(&path), None)?;
        let text = std::fs::read_to_string(&path)?;
        let report = CheckReport::new(&rig, &path.display().to_string(), &text);
        Output::without_take(self.print).report(&report)?;
        Ok(Status::Fine)
    }
}
