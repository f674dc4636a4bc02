//! Where a contact was lately, for the velocity with which it is lifted.

use crate::base::{Nanos, minus};
use crate::gesture::millis;

/// The velocity of a finger as it is lifted is that over this time before. Part of the format of
/// rigs.
pub const RELEASE_TIME: Nanos = Nanos::from_millis(80);

/// So many places are remembered: more than are polled in that time at the
/// highest rate.
const KEPT: usize = 128;

/// The last places of a contact since it landed, each with the time of its
/// report; the newest is the one before `next`.
///
/// Invariant: times never fall from the oldest to the newest.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Recent {
    /// Each with the time of its report, in millimetres from the top left, y down.
    places: [(Nanos, [f32; 2]); KEPT],
    /// Where the next one goes.
    next: u8,
    /// How many there are, at most [`KEPT`].
    count: u8,
}

impl Recent {
    /// Of a contact that never landed.
    pub(crate) const EMPTY: Recent =
        Recent { places: [(Nanos(0), [0.0; 2]); KEPT], next: 0, count: 0 };

    /// It lands at a place: what was before is forgotten.
    pub(crate) fn begin(&mut self, at: Nanos, place: [f32; 2]) {
        (self.next, self.count) = (0, 0);
        self.add(at, place);
    }

    /// It is reported at a place.
    pub(crate) fn add(&mut self, at: Nanos, place: [f32; 2]) {
        self.places[usize::from(self.next)] = (at, place);
        self.next = (self.next + 1) % KEPT as u8;
        self.count = (self.count + 1).min(KEPT as u8);
    }

    /// The velocity over the time before it is lifted at a place, in millimetres a
    /// second, y up: from where it was last reported before that time began, or from
    /// where it landed.
    ///
    /// 0 where no time has gone by. A finger that rested before it was lifted is slow, however fast
    /// it was once: only the last [`RELEASE_TIME`] counts.
    pub(crate) fn release(&self, at: Nanos, place: [f32; 2]) -> [f32; 2] {
        let back = |n: usize| self.places[(usize::from(self.next) + KEPT - 1 - n) % KEPT];
        let begins = Nanos(at.0.saturating_sub(RELEASE_TIME.0));
        let places = (0..usize::from(self.count)).map(back);
        let oldest = usize::from(self.count).checked_sub(1).map(back);
        let from = { places }.find(|(time, _)| *time <= begins).or(oldest);
        let Some((time, from)) = from.filter(|(time, _)| *time < at) else { return [0.0; 2] };
        let seconds = millis(at.0 - time.0) / 1000.0;
        let [x, y] = minus(place, from);
        [x / seconds, -y / seconds]
    }
}
