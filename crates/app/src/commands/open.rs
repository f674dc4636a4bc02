//! `gtrig open`.

use super::shared::{RigArgs, Status};
use crate::{
    files::{self, PIECE, Take, Unfinished},
    reels::{self, ReelPart},
    screen::{self, Clock, Start},
};
use anyhow::bail;
use clap::Args;
use gtrig_analysis::Capacity;
use gtrig_core::Nanos;
use gtrig_formats::reel::Reel;
use std::path::{Path, PathBuf};

/// Look at a take, full screen.
#[derive(Args, Debug)]
pub struct Open {
    /// The recording: a take (JSON Lines; see docs/take-format.md), or a reel, of which the
    /// part is read that is looked at (docs/reel-format.md); - is standard input.
    take: PathBuf,
    /// Look at this instant of a reel first: seconds, or days, hours and minutes before
    /// them, as 5:12:30, or `end`. Without it, at its beginning.
    #[arg(long, value_name = "TIME", value_parser = at)]
    at: Option<At>,
    /// Go on with a take that is still being written.
    #[arg(long)]
    follow: bool,
    #[command(flatten)]
    rig: RigArgs,
}

/// Where a reel is looked at.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum At {
    Time(Nanos),
    End,
}

fn at(text: &str) -> Result<At, String> {
    if text == "end" { Ok(At::End) } else { reels::instant(text).map(At::Time) }
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
        if self.take != Path::new("-") && Reel::is_at(&self.take) {
            return self.reel();
        }
        if self.at.is_some() {
            bail!("--at is of a reel: a take is read whole, and `:` finds a mark of it");
        }
        let take = files::begin_take(&self.take, self.rig.read()?, Capacity::DEFAULT, PIECE)?;
        let start = match take {
            Take::Whole(opened) => Start::Take(opened),
            Take::Begun(begun) => Start::Begun(begun, None),
        };
        screen::run(start, self.rig.source()?, Nanos(0))?;
        Ok(Status::Fine)
    }

    fn reel(self) -> anyhow::Result<Status> {
        let reel = ReelPart::of(&self.take, Nanos(0))?;
        let [begins, ends] = reel.whole();
        let at = match self.at {
            None => begins,
            Some(At::Time(time)) => time.clamp(begins, ends),
            Some(At::End) => ends,
        };
        let begun = reel.around(at).open(self.rig.read()?, at)?;
        let start = Start::Begun(Box::new(begun), self.at.map(|_| at));
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
