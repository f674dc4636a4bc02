//! Programs that send, in the place of a take: until they are done.

use crate::{commands::hub, maps::Maps, screen::Clock, settling::Settling};
use gtrig_analysis::{Capacity, Session};
use gtrig_core::{Nanos, Rig, Tick};
use gtrig_live::Place;
use gtrig_sources::{SenderIs, Source};
use signal_hook::consts::{SIGINT, SIGTERM};
use std::{
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    thread,
    time::Duration,
};

/// What came is taken in this often.
const STEP: Duration = Duration::from_millis(5);

/// A session that programs feed.
pub struct Programs {
    session: Session,
    sources: Vec<Box<dyn Source>>,
    settling: Settling,
    clock: Clock,
    is_interrupted: Arc<AtomicBool>,
}

impl std::fmt::Debug for Programs {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Programs").finish_non_exhaustive()
    }
}

impl Programs {
    /// Begins to listen there. From now on Ctrl+C ends listening, not the program.
    ///
    /// # Errors
    /// When nobody can come there, with what to do.
    pub fn hear(place: &Place, rig: Rig, capacity: Capacity) -> anyhow::Result<Programs> {
        let clock = Clock::starting_at(Nanos(0));
        let hub = hub(std::slice::from_ref(place), &Maps::default(), clock.now())?;
        let is_interrupted = Arc::new(AtomicBool::new(false));
        for signal in [SIGINT, SIGTERM] {
            signal_hook::flag::register(signal, Arc::clone(&is_interrupted))?;
        }
        let session = Session::new(rig, Tick(0), capacity);
        let sources: Vec<Box<dyn Source>> = vec![Box::new(hub)];
        let settling = Settling::default();
        Ok(Programs { session, sources, settling, clock, is_interrupted })
    }

    /// Waits a moment and takes in what has come. Returns whether more may come: until
    /// every program that came has gone, or the person interrupts.
    pub fn take_in(&mut self) -> bool {
        thread::sleep(STEP);
        // Who is there is asked before what they said is taken in: all of it was said by
        // then.
        let senders = self.sources.iter().flat_map(|source| source.senders());
        let senders: Vec<_> = senders.collect();
        let has_gone = |is: SenderIs| is != SenderIs::Here;
        let all_gone = !senders.is_empty() && senders.iter().all(|sender| has_gone(sender.state));
        let now = self.clock.now();
        for source in &mut self.sources {
            source.drain(&mut self.session, now);
        }
        self.session.run_before(self.settling.until(now, &self.sources));
        let waits = senders.iter().any(|sender| sender.waiting > 0);
        !self.is_interrupted.load(Ordering::Relaxed) && (!all_gone || waits)
    }

    /// The session so far.
    pub fn session(&self) -> &Session {
        &self.session
    }

    /// What went wrong since this was last asked.
    pub fn troubles(&mut self) -> Vec<String> {
        self.sources.iter_mut().flat_map(|source| source.troubles()).collect()
    }

    /// Runs the session to the end, and says how many lines could not be read or were lost.
    pub fn finish(mut self) -> (Session, u64) {
        let now = self.clock.now();
        self.sources.iter_mut().for_each(|source| source.drain(&mut self.session, now));
        let last = self.session.plan().rate().tick_seeing(now);
        self.session.run_until(last);
        let senders = self.sources.iter().flat_map(|source| source.senders());
        (self.session, senders.map(|sender| sender.faults + sender.missed).sum())
    }
}
