//! How far a finger got.
//!
//! Each contact has a track in every unit that a gesture of the rig is measured in. All attempts
//! with that finger alone, and there may be a dozen, read the same one.

use crate::base::{ContactId, Nanos, length, minus};
use crate::spec::LengthUnit;
use crate::touch::{Contact, ContactUpdate};
use alloc::vec::Vec;
use strum::VariantArray;

/// What a tick found out about a finger that was there before.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum FingerNews {
    /// Nothing: it was not reported on.
    #[default]
    None,
    /// It was reported on: it may have moved.
    Told,
    /// It was lifted.
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
/// only finger and measure it in the same unit. Places are from the top left.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Track {
    /// How many of its unit are a millimetre.
    per_mm: f32,
    /// Where it landed.
    start: [f32; 2],
    /// Where it is; of one that was lifted, where it was last.
    pub(crate) at: [f32; 2],
    /// How far it is from where it landed.
    pub(crate) far: f32,
    /// How far it ever was from there.
    pub(crate) moved: f32,
    /// How long its path is.
    pub(crate) path: f32,
    /// When it was reported on last, or ended.
    pub(crate) time: Nanos,
    /// What this tick found out.
    pub(crate) news: FingerNews,
}

impl Track {
    /// Of one that lands at a place in millimetres.
    fn land(&mut self, place: [f32; 2], per_mm: f32) {
        let start = place.map(|mm| mm * per_mm);
        *self = Track { per_mm, start, at: start, ..Track::default() };
    }

    /// It goes on.
    fn go_on(&mut self, update: &ContactUpdate) {
        let (place, time, news) = match update.lifted {
            None => (update.place, update.at, FingerNews::Told),
            Some(lift) if lift.is_broken => (lift.place, lift.time, FingerNews::Broken),
            Some(lift) => (lift.place, lift.time, FingerNews::Lifted),
        };
        let at = place.map(|mm| mm * self.per_mm);
        self.path += length(minus(at, self.at));
        self.far = length(minus(at, self.start));
        self.moved = if self.far > self.moved { self.far } else { self.moved };
        (self.at, self.time, self.news) = (at, time, news);
    }
}

/// The tracks of all contacts, in every unit that the gestures of a rig are measured in.
///
/// By contact, and for each by the unit: a gesture in pixels and one in millimetres measure the
/// same finger, and neither has to convert.
#[derive(Clone, Debug, Default)]
pub(crate) struct Tracks(Vec<[Track; LengthUnit::VARIANTS.len()]>);

impl Tracks {
    /// Makes room for so many contacts.
    pub(crate) fn fit(&mut self, contacts: usize) {
        self.0.resize(contacts, Default::default());
    }

    /// The track of a contact in a unit. It means nothing before the contact landed, or in a unit
    /// that no gesture of the rig has.
    #[inline]
    pub(crate) fn of(&self, contact: ContactId, unit: LengthUnit) -> &Track {
        &self.0[contact.index()][unit as usize]
    }

    /// A contact lands, whose gestures are measured in these units.
    pub(crate) fn land(&mut self, update: &ContactUpdate, of: &Contact, units: &[LengthUnit]) {
        let tracks = &mut self.0[update.contact.index()];
        for &unit in units {
            tracks[unit as usize].land(update.place, of.per_mm(unit));
        }
    }

    /// A contact that was there goes on.
    pub(crate) fn go_on(&mut self, update: &ContactUpdate, units: &[LengthUnit]) {
        let tracks = &mut self.0[update.contact.index()];
        units.iter().for_each(|&unit| tracks[unit as usize].go_on(update));
    }

    /// The tick is over that found out about a contact.
    pub(crate) fn forget_news(&mut self, contact: ContactId) {
        let tracks = &mut self.0[contact.index()];
        tracks.iter_mut().for_each(|track| track.news = FingerNews::None);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::ZoneSet;
    use crate::touch::Lift;

    fn update(place: [f32; 2], lifted: Option<Lift>) -> ContactUpdate {
        let (contact, zones) = (ContactId(0), ZoneSet::EMPTY);
        let at = Nanos(7);
        ContactUpdate { contact, lifted, landed: None, place, at, zones, is_taken: false }
    }

    #[test]
    fn a_finger_that_came_back_has_moved_and_its_lift_is_where_it_was_last() {
        let mut track = Track::default();
        // Ten pixels a millimetre.
        track.land([1.0, 1.0], 10.0);
        track.go_on(&update([1.5, 2.0], None));
        track.go_on(&update([1.0, 1.0], None));
        assert_eq!(
            (track.moved, track.path, track.news),
            (length([5.0, 10.0]), 2.0 * length([5.0, 10.0]), FingerNews::Told)
        );
        // Another finger landed there since.
        let lift = Lift { time: Nanos(9), place: [1.0, 2.0], is_broken: true };
        track.go_on(&update([90.0, 90.0], Some(lift)));
        assert_eq!((track.at, track.time), ([10.0, 20.0], Nanos(9)));
        assert_eq!(track.news, FingerNews::Broken);
        track.land([90.0, 90.0], 10.0);
        assert_eq!((track.moved, track.news), (0.0, FingerNews::None));
    }
}
