//! `gtrig open`.

use super::shared::{RigArgs, Status};
use crate::{
    files::{self, PIECE, Take, Unfinished},
    screen::{self, Clock, Start},
};
use clap::Args;
use gtrig_analysis::Capacity;
use gtrig_core::Nanos;
use std::path::PathBuf;

/// Look at a take, full screen.
#[derive(Args, Debug)]
pub struct Open {
    /// The recording (JSON Lines; see docs/take-format.md); - is standard input.
    take: PathBuf,
    /// Go on with a take that is still being written.
    #[arg(long)]
    follow: bool,
    #[command(flatten)]
    rig: RigArgs,
}

impl Open {
    /// Runs it.
    ///
    /// # Errors
    /// When the take or the rig cannot be read, or the terminal not be used.
    pub fn run(self) -> anyhow::Result<Status> {
        if self.follow {
            return self.follow();
        }
        let take = files::begin_take(&self.take, self.rig.read()?, Capacity::DEFAULT, PIECE)?;
        let start = match take {
            Take::Whole(opened) => Start::Take(opened),
            Take::Begun(begun) => Start::Begun(begun),
        };
        screen::run(start, self.rig.source()?, Nanos(0))?;
        Ok(Status::Fine)
    }

    fn follow(self) -> anyhow::Result<Status> {
        let Unfinished { session, title, rest } =
            files::unfinished_take(&self.take, self.rig.read()?)?;
        let clock = Clock::starting_at(session.ends_at());
        let session = Box::new(session);
        let start = Start::Growing { session, title, clock, rest };
        screen::run(start, self.rig.source()?, Nanos(0))?;
        Ok(Status::Fine)
    }
}
