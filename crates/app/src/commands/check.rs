//! `gtrig check`.

use super::shared::{Printing, Status};
use crate::files;
use anyhow::Context;
use clap::Args;
use gtrig_formats::doubts::{self, Placed};
use std::{io::Write, path::PathBuf};

/// Check a rig: list every mistake with its place, and what a sound one
/// probably does not mean.
#[derive(Args, Debug)]
pub struct Check {
    /// The rig (TOML; see docs/rig-format.md).
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
        let rig = files::rig(Some(&path), None)?;
        let text = std::fs::read_to_string(&path)?;
        let doubts = doubts::placed(&rig, &text);
        self.print.lines(|is_json, out| {
            if is_json {
                return doubts::write_json(&doubts, out);
            }
            let (name, rate, count) = (&rig.name, rig.rate, rig.actions.len());
            let path = path.display();
            writeln!(out, "{path}: sound. {name}, polled at {rate}, {count} actions.")?;
            doubts.iter().try_for_each(|Placed { code, about, line, words }| {
                writeln!(out, "  {code:<16}line {line}, {about}: {words}")
            })
        })?;
        Ok(Status::Fine)
    }
}
