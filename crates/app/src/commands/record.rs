//! `gtrig record`.

use super::{
    listen::Invited,
    publish::PublishArgs,
    shared::{RigArgs, RingArgs, SourceArgs, Status, complain},
};
use crate::{broadcast::Broadcast, recorder::Recorder, screen::Clock, settling::Settling};
use anyhow::Context;
use clap::Args;
use gtrig_analysis::{Capacity, Session};
use gtrig_core::{Nanos, Tick};
use signal_hook::{
    consts::{SIGHUP, SIGINT, SIGTERM},
    iterator::Signals,
};
use std::{path::PathBuf, thread, time::Duration};

/// Record devices, and programs that send, to a take, without a screen, until Ctrl+C.
///
/// For days there are reels: a name that ends in .reel is a folder of segments, of which the
/// oldest go once there is enough (docs/reel-format.md).
#[derive(Args, Debug)]
pub struct Record {
    /// The take to write, or the reel, NAME.reel; it must not exist yet.
    take: PathBuf,
    #[command(flatten)]
    ring: RingArgs,
    #[command(flatten)]
    rig: RigArgs,
    #[command(flatten)]
    sources: SourceArgs,
    #[command(flatten)]
    publish: PublishArgs,
    /// Stop after this many seconds.
    #[arg(long, value_name = "S")]
    seconds: Option<u64>,
}

impl Record {
    /// Runs it.
    ///
    /// # Errors
    /// When the take cannot be made or not be written to its end.
    pub fn run(self) -> anyhow::Result<Status> {
        let ring = self.ring.ring(Some(&self.take))?;
        let rig = self.rig.read()?;
        let clock = Clock::starting_at(Nanos(0));
        let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
        let mut broadcast = self.publish.start_with(&session, self.sources.listen.has_page())?;
        let readers = broadcast.as_ref().map(Broadcast::door);
        let mut sources = self.sources.start_for_work(session.rig(), readers, clock.now())?;
        let (mut invited, mut settling) = (Invited::default(), Settling::default());
        invited.tell(&sources);
        let mut recorder = Recorder::start(&self.take, &session, None, ring)
            .with_context(|| format!("cannot record to {}", self.take.display()))?;
        let mut signals = Signals::new([SIGINT, SIGTERM, SIGHUP])?;
        let end = self.seconds.map(|seconds| Nanos(seconds.saturating_mul(1_000_000_000)));
        while signals.pending().next().is_none() && end.is_none_or(|end| clock.now() < end) {
            let now = clock.now();
            for source in &mut sources {
                source.drain(&mut session, now);
                source.troubles().iter().for_each(|trouble| complain(trouble));
            }
            invited.tell(&sources);
            session.run_before(settling.until(now, &sources));
            recorder.catch_up(&session, now);
            if let Some(broadcast) = &mut broadcast {
                broadcast.catch_up(&session);
            }
            recorder.news().iter().for_each(|news| complain(news));
            thread::sleep(Duration::from_millis(5));
        }
        let now = clock.now();
        sources.iter_mut().for_each(|source| source.drain(&mut session, now));
        let last = session.plan().rate().tick_seeing(now);
        session.run_until(last);
        let result = recorder.finish(&session);
        recorder.news().iter().for_each(|news| complain(news));
        let path = recorder.path().display();
        result.with_context(|| format!("{path} is not complete"))?;
        complain(&format!("{} events recorded to {path}", session.seen_count()));
        Ok(Status::Fine)
    }
}
