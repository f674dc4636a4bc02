//! What happened in the last seconds, for a debug build: the workbench's own session beside
//! the game, fed with the same reports.

use gtrig_analysis::{Capacity, Session};
use gtrig_core::{DeviceId, DeviceInfo, Event, LAST_TIME, Nanos, Presence, Rig, RosterError, Tick};

/// A bounded past of an [`Input`](crate::Input), from which "why" can be asked and a take
/// written.
///
/// It runs at the rig's own rate, as the workbench does, not at the game's frames: what it
/// says is what `gtrig open` says of the take. It costs a second run of the rig and
/// allocates, which a game does not do in a frame; it is for debug builds.
#[derive(Clone, Debug)]
pub struct Trace {
    session: Session,
    /// The first instant that it was told of, which is 0 in the session.
    begins: Option<Nanos>,
}

impl Trace {
    pub(crate) fn new(rig: Rig, capacity: Capacity) -> Self {
        Trace { session: Session::new(rig, Tick(0), capacity), begins: None }
    }

    /// What is known: [`Session::now`] is the last tick, [`Session::at`] any that is kept,
    /// [`Session::attempts`] has the margins of every attempt at a gesture, and
    /// [`Session::recording`] is what a take holds.
    pub fn session(&self) -> &Session {
        &self.session
    }

    /// The session's time at an instant of the game: counted from the first that it was
    /// told of. A take has room for 30 days; what happens later is not kept.
    pub fn time(&self, at: Nanos) -> Nanos {
        let since = at.0.saturating_sub(self.begins.map_or(0, |begins| begins.0));
        Nanos(since).min(LAST_TIME)
    }

    fn is_full(&self, at: Nanos) -> bool {
        self.time(at) == LAST_TIME
    }

    fn begin(&mut self, at: Nanos) -> Nanos {
        self.begins.get_or_insert(at);
        self.time(at)
    }

    pub(crate) fn plug(&mut self, info: DeviceInfo, at: Nanos) -> Result<DeviceId, RosterError> {
        let time = self.begin(at);
        self.session.plug(info, time)
    }

    pub(crate) fn unplug(&mut self, device: DeviceId, at: Nanos) {
        let time = self.begin(at);
        self.session.unplug(device, time);
    }

    pub(crate) fn set_presence(&mut self, device: DeviceId, presence: Presence, at: Nanos) {
        let time = self.begin(at);
        self.session.set_presence(device, presence, time);
    }

    pub(crate) fn report(&mut self, event: Event) {
        let time = self.begin(event.time);
        if self.is_full(event.time) {
            return;
        }
        self.session.report(Event { time, ..event });
    }

    /// Everything up to `now` has been told.
    pub(crate) fn run_to(&mut self, now: Nanos) {
        let time = self.begin(now);
        self.session.run_until(self.session.plan().rate().tick_at(time));
    }

    pub(crate) fn reload(&mut self, rig: Rig) {
        self.session = self.session.retuned(rig);
    }
}
