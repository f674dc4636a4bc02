//! A session's history, taken out to be written: cheap to make, and
//! independent of the session from then on, so that writing can go on in
//! another thread.

use crate::{
    CleanText, ControlId, Event, Label, Marks, Nanos, PollRate, Roster, Tick, history::Segment,
};
use alloc::{sync::Arc, vec::Vec};

/// Everything a take holds.
#[derive(Clone, Debug)]
pub struct Recording {
    /// The devices, by which the events' controls are numbered.
    pub roster: Roster,
    /// The name of the rig in force.
    pub rig_name: CleanText,
    /// How often the session polled.
    pub rate: PollRate,
    /// The first tick.
    pub begins: Tick,
    /// What a person wrote on it, in order of time.
    pub labels: Vec<Label>,
    pub(crate) carried: Vec<(ControlId, i32)>,
    pub(crate) segments: Vec<Arc<Segment>>,
}

impl Recording {
    /// All events in order: first the state that was there when the recording
    /// begins, marked as carried over, then what was reported.
    pub fn events(&self) -> impl Iterator<Item = Event> + '_ {
        let time = match self.begins.0 {
            0 => Nanos(0),
            // Just after the tick before, so that the first tick sees it.
            _ => Nanos(self.rate.time_of(self.begins.before()).0 + 1),
        };
        let carried = self.carried.iter().map(move |&(control, value)| Event {
            time,
            value,
            control,
            marks: Marks::CARRIED,
        });
        carried.chain(self.segments.iter().flat_map(|s| s.events.iter().copied()))
    }
}
