//! How far a finger got.

use crate::base::{Nanos, length, minus};
use crate::touch::ContactUpdate;

/// What a tick found out about a finger that was there before.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum FingerNews {
    #[default]
    None,
    /// It was reported on: it may have moved.
    Told,
    Lifted,
    /// It went away without being lifted.
    Broken,
}

impl FingerNews {
    /// Whether it has ended.
    pub(crate) const fn is_end(self) -> bool {
        matches!(self, FingerNews::Lifted | FingerNews::Broken)
    }
}

/// The way of a contact since it landed, once for all attempts that have it as their
/// only finger. In millimetres, places from the top left.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Track {
    start: [f32; 2],
    /// Where it is; of one that was lifted, where it was last.
    pub(crate) at: [f32; 2],
    /// How far it ever was from where it landed.
    pub(crate) moved: f32,
    /// How long its path is.
    pub(crate) path: f32,
    /// When it was reported on last, or ended.
    pub(crate) time: Nanos,
    /// What this tick found out.
    pub(crate) news: FingerNews,
}

impl Track {
    /// Of one that lands at a place.
    pub(crate) fn land(&mut self, start: [f32; 2]) {
        *self = Track { start, at: start, ..Track::default() };
    }

    /// It goes on.
    pub(crate) fn go_on(&mut self, update: &ContactUpdate) {
        let (place, time, news) = match update.lifted {
            None => (update.place, update.at, FingerNews::Told),
            Some(lift) if lift.is_broken => (lift.place, lift.time, FingerNews::Broken),
            Some(lift) => (lift.place, lift.time, FingerNews::Lifted),
        };
        self.path += length(minus(place, self.at));
        self.moved = self.moved.max(length(minus(place, self.start)));
        (self.at, self.time, self.news) = (place, time, news);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::{ContactId, ZoneSet};
    use crate::touch::Lift;

    fn update(place: [f32; 2], lifted: Option<Lift>) -> ContactUpdate {
        let (contact, zones) = (ContactId(0), ZoneSet::EMPTY);
        let at = Nanos(7);
        ContactUpdate { contact, lifted, landed: None, place, at, zones, is_taken: false }
    }

    #[test]
    fn a_finger_that_came_back_has_moved_and_its_lift_is_where_it_was_last() {
        let mut track = Track::default();
        track.land([10.0, 10.0]);
        track.go_on(&update([13.0, 14.0], None));
        track.go_on(&update([10.0, 10.0], None));
        assert_eq!((track.moved, track.path, track.news), (5.0, 10.0, FingerNews::Told));
        // Another finger landed there since.
        let lift = Lift { time: Nanos(9), place: [10.0, 11.0], is_broken: true };
        track.go_on(&update([90.0, 90.0], Some(lift)));
        assert_eq!((track.at, track.time), ([10.0, 11.0], Nanos(9)));
        assert_eq!((track.path, track.news), (11.0, FingerNews::Broken));
        track.land([90.0, 90.0]);
        assert_eq!((track.moved, track.news), (0.0, FingerNews::None));
    }
}
