//! `gtrig open`.

use super::shared::{RigArgs, Status};
use crate::{
    files,
    screen::{self, Start},
};
use clap::Args;
use gtrig_analysis::Capacity;
use gtrig_core::Nanos;
use std::path::PathBuf;

/// Look at a take, full screen.
#[derive(Args, Debug)]
pub struct Open {
    /// The recording (JSON Lines; see docs/take-format.md).
    take: PathBuf,
    #[command(flatten)]
    rig: RigArgs,
}

impl Open {
    /// Runs it.
    ///
    /// # Errors
    /// When the take or the rig cannot be read, or the terminal not be used.
    pub fn run(self) -> anyhow::Result<Status> {
        let opened = files::open_take(&self.take, self.rig.read()?, Capacity::DEFAULT)?;
        screen::run(Start::Take(Box::new(opened)), self.rig.source()?, Nanos(0))?;
        Ok(Status::Fine)
    }
}
