//! A session's history, taken out to be written: cheap to make, and
//! independent of the session from then on, so that writing can go on in
//! another thread.

use crate::frames::Frames;
use crate::history::{Capacity, Segment};
use crate::label::Label;
use crate::order::Order;
use alloc::{sync::Arc, vec::Vec};
use gtrig_core::{CleanText, Event, MainRules, Nanos, PollRate, Roster};

/// Everything a take holds.
#[derive(Clone, Debug)]
pub struct Recording {
    /// The devices, by which the events' controls are numbered.
    pub roster: Roster,
    /// The name of the rig in force.
    pub rig_name: CleanText,
    /// The instant at which it begins: just after the tick before the first.
    pub begins_at: Nanos,
    /// What a person wrote on it, in order of time.
    pub labels: Vec<Label>,
    /// What games said of their frames.
    pub frames: Frames,
    pub(crate) opening: Vec<Event>,
    pub(crate) segments: Vec<Arc<Segment>>,
    /// How many of the last events no tick has seen yet.
    pub(crate) waiting: usize,
    /// The instant of the last tick.
    pub(crate) ends_at: Nanos,
    pub(crate) order: Order,
    /// How much the session keeps.
    pub(crate) capacity: Capacity,
    /// By which rate and which rules of use it was run.
    pub(crate) run_by: (PollRate, MainRules),
}

/// The instant of the tick that has seen everything: the run to `ran_to`, the labels, the
/// frames and the last event.
pub(crate) fn end_of(
    rate: PollRate,
    ran_to: Nanos,
    (labels, frames): (&[Label], &Frames),
    last: Option<Nanos>,
) -> Nanos {
    let labelled = labels.last().map(|label| label.time);
    let last = labelled.max(frames.end()).max(last).unwrap_or_default();
    ran_to.max(rate.time_of(rate.tick_seeing(last)))
}

impl Recording {
    /// The state that was there when the recording begins, as events marked
    /// as carried over.
    pub fn opening(&self) -> impl Iterator<Item = Event> + '_ {
        self.opening.iter().copied()
    }

    /// Its end: the instant of the last tick that its run had, or that is needed to see
    /// all of it.
    pub fn ends_at(&self) -> Nanos {
        let last = self.segments.iter().flat_map(|segment| segment.events()).next_back();
        let written = (&*self.labels, &self.frames);
        end_of(self.run_by.0, self.ends_at, written, last.map(|event| event.time))
    }

    /// How many events it has.
    pub fn len(&self) -> usize {
        self.opening.len() + self.segments.iter().map(|s| s.events().len()).sum::<usize>()
    }

    /// Whether it has none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// All events in order: first the state that was there when the recording
    /// begins, marked as carried over, then what was reported.
    pub fn events(&self) -> impl Iterator<Item = Event> + '_ {
        let reported = self.segments.iter().flat_map(|segment| segment.events());
        self.opening.iter().chain(reported).copied()
    }
}
