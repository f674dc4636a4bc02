//! A second look at a run, tick by tick and in step with it.

use crate::session::Session;
use gtrig_core::{Machine, Tick};

/// Follows a session from one of its ticks on, with a machine of its own.
///
/// What is printed or published as it happens is taken from a cursor, and so is what is
/// printed of a take that was read whole: both are the same bytes. The ticks of the session
/// do not wait for it.
#[derive(Clone, Debug)]
pub struct Cursor {
    machine: Machine,
}

impl Cursor {
    /// A cursor before the first tick that the session keeps.
    pub fn at_beginning(session: &Session) -> Cursor {
        Cursor { machine: session.history().first().clone() }
    }

    /// A cursor after the last tick that has run.
    pub fn at_end(session: &Session) -> Cursor {
        Cursor { machine: session.now().clone() }
    }

    /// The tick that comes next.
    pub fn next_tick(&self) -> Tick {
        self.machine.next_tick()
    }

    /// Goes on to the last tick that the session has run, and shows the machine after
    /// each tick that could have changed anything. Ticks that the session has forgotten
    /// are passed over; returns how many.
    pub fn catch_up(&mut self, session: &Session, after_tick: impl FnMut(&Machine)) -> u32 {
        self.go_to(session, session.now().at(), after_tick)
    }

    /// The same up to `last`, or to where the session is.
    pub fn go_to(
        &mut self,
        session: &Session,
        last: Tick,
        after_tick: impl FnMut(&Machine),
    ) -> u32 {
        let begins = session.history().begins();
        let forgotten = begins.0.saturating_sub(self.machine.next_tick().0);
        if forgotten > 0 {
            *self = Cursor::at_beginning(session);
        }
        // A session that has run no tick yet has no last tick: its next one is the first.
        let end = session.now().next_tick();
        if self.machine.next_tick() >= end {
            return forgotten;
        }
        let last = last.min(end.before());
        session.history().run_on(&mut self.machine, session.plan(), last, after_tick);
        forgotten
    }
}
