//! `gtrig compile`.

use super::shared::Status;
use crate::files;
use anyhow::Context;
use clap::Args;
use gtrig_embed::compiled;
use gtrig_formats::{Over, save_atomically};
use std::{io::Write, path::PathBuf};

/// Write a rig in its compiled form, for a game that ships no parser of texts.
#[derive(Args, Debug)]
pub struct Compile {
    /// The rig (TOML; see docs/rig-format.md).
    rig: PathBuf,
    /// The file to write; one that is there is written over.
    file: PathBuf,
}

impl Compile {
    /// Runs it.
    ///
    /// # Errors
    /// When the rig has mistakes, or a file cannot be read or written.
    pub fn run(self) -> anyhow::Result<Status> {
        let rig = files::rig(Some(&self.rig), None)?;
        let bytes = compiled::pack(&rig);
        save_atomically(&self.file, Over::Anything, |out| out.write_all(&bytes))
            .with_context(|| format!("cannot write {}", self.file.display()))?;
        Ok(Status::Fine)
    }
}
