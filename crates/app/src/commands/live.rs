//! `gtrig live`.

use super::{
    publish::PublishArgs,
    shared::{KeyArgs, RigArgs, RingArgs, SourceArgs, Status},
};
use crate::{
    broadcast::Broadcast,
    screen::{self, Clock, Start},
};
use clap::Args;
use gtrig_analysis::{Capacity, Session};
use gtrig_core::{Nanos, Tick};
use std::{
    io::{self, IsTerminal},
    path::PathBuf,
};

/// Watch this terminal's keyboard and mouse, pads and levers, and programs that send, full
/// screen.
#[derive(Args, Debug)]
pub struct Live {
    #[command(flatten)]
    rig: RigArgs,
    #[command(flatten)]
    keys: KeyArgs,
    #[command(flatten)]
    sources: SourceArgs,
    #[command(flatten)]
    publish: PublishArgs,
    /// Record to this take, or reel, as it happens; it must not exist yet.
    #[arg(long, value_name = "FILE")]
    record: Option<PathBuf>,
    #[command(flatten)]
    ring: RingArgs,
}

impl Live {
    /// Runs it.
    ///
    /// # Errors
    /// When the rig cannot be read, the devices not be listened to, or the
    /// terminal not be used.
    pub fn run(self) -> anyhow::Result<Status> {
        anyhow::ensure!(
            !(self.sources.listen.takes_stdin() && io::stdin().is_terminal()),
            "--listen - hears standard input, which is this terminal; pipe a program into gtrig"
        );
        let ring = self.ring.ring(self.record.as_deref())?;
        let session = Box::new(Session::new(self.rig.read()?, Tick(0), Capacity::DEFAULT));
        let clock = Clock::starting_at(Nanos(0));
        let broadcast = self.publish.start_with(&session, self.sources.listen.has_page())?;
        let readers = broadcast.as_ref().map(Broadcast::door);
        let sources = self.sources.start_if_there(session.rig(), readers, clock.now())?;
        let start = Start::Live {
            session,
            clock,
            sources,
            record: self.record.map(|path| (path, ring)),
            broadcast,
        };
        screen::run(start, self.rig.source()?, self.keys.after())?;
        Ok(Status::Fine)
    }
}

/// What a bare `gtrig` does.
impl Default for Live {
    fn default() -> Self {
        Live {
            rig: RigArgs::default(),
            keys: KeyArgs::default(),
            sources: SourceArgs::default(),
            publish: PublishArgs::default(),
            record: None,
            ring: RingArgs::default(),
        }
    }
}
