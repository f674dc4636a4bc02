//! A contact of a touch panel, from its controls to the zones that have it.

use crate::base::{ContactId, ControlId, Nanos, ZoneId, ZoneSet};
use crate::device::{Event, Marks};
use crate::spec::Turn;
use crate::touch::Zones;

/// A contact of a touch panel: what says that it is there, and where.
#[derive(Clone, Copy, Debug)]
pub struct Contact {
    /// The touch.
    pub down: ControlId,
    /// From the left.
    pub x: ControlId,
    /// From the top.
    pub y: ControlId,
    /// How large the picture on its surface is, in millimetres.
    pub size: [f32; 2],
    /// How the picture lies on the device.
    pub turn: Turn,
    /// Which panel it is of, counted over all of them.
    pub panel: u16,
}

impl Contact {
    /// Where on the picture it is, in shares, when its controls have these
    /// values.
    pub const fn place(&self, values: [f32; 2]) -> [f32; 2] {
        self.turn.apply(values)
    }

    /// How high its surface is, in widths.
    pub fn proportion(&self) -> f32 {
        self.size[1] / self.size[0]
    }
}

/// What a poll found out about a contact; a lift comes before a landing.
#[derive(Clone, Copy, Debug)]
pub(crate) struct ContactUpdate {
    pub(crate) contact: ContactId,
    pub(crate) lifted: Option<Nanos>,
    /// Whether it went away without a word.
    pub(crate) is_broken: bool,
    pub(crate) landed: Option<Nanos>,
    /// Where it is or was last, in millimetres from the top left.
    pub(crate) place: [f32; 2],
    /// When it was reported to be there.
    pub(crate) at: Nanos,
    /// The zones that have it, and whether one took it.
    pub(crate) zones: ZoneSet,
    pub(crate) is_taken: bool,
}

/// A contact, as zones and gestures see it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct ContactState {
    is_down: bool,
    /// Those that got it where it began, and keep it.
    began: ZoneSet,
    /// Those that have it at this tick, and had it at the tick before.
    has: ZoneSet,
    had: ZoneSet,
    /// When it was last reported on, put down and lifted.
    reported: Nanos,
    landed: Nanos,
    lifted: Nanos,
    /// Whether its panel took it back instead of seeing it lift.
    is_taken_back: bool,
    /// The landing that was seen last: another one may come between two polls.
    seen_landing: Nanos,
}

impl ContactState {
    /// Ends the tick before.
    pub(crate) fn age(&mut self) {
        self.had = self.has;
    }

    /// Hears a report about one of its controls.
    pub(crate) fn hear(&mut self, contact: &Contact, event: &Event) {
        self.reported = event.time;
        match event.control == contact.down {
            true if event.value == 0 => {
                self.lifted = event.time;
                self.is_taken_back = event.marks.contains(Marks::CANCELLED);
            }
            // Saying again that it is down is no landing.
            true if self.lifted >= self.landed => self.landed = event.time,
            _ => {}
        }
    }

    /// Moves it to a place, or lifts it, while these zones are closed.
    fn follow(&mut self, zones: &Zones, place: Option<([f32; 2], f32)>, closed: ZoneSet) {
        // What was held must land again when a zone opens again.
        self.began = self.began.without(closed);
        let began = self.is_down.then_some(self.began);
        self.has = place.map_or(ZoneSet::EMPTY, |(place, proportion)| {
            zones.having(place, proportion, began, closed)
        });
        if place.is_some() && !self.is_down {
            self.began = self.has.without(zones.following);
        }
        self.is_down = place.is_some();
    }

    /// The same for a poll at the instant `now`. Returns the zones that get it
    /// or lose it, and what gestures want to know of it. One that was lifted and
    /// put down again between two polls is a new one.
    pub(crate) fn poll(
        &mut self,
        zones: &Zones,
        (contact, n): (&Contact, ContactId),
        raw: [f32; 2],
        (is_down, closed, now): (bool, ZoneSet, Nanos),
    ) -> (ZoneSet, ContactUpdate) {
        let (was_down, was) = (self.is_down, self.has);
        let place = contact.turn.apply(raw);
        let is_another = was_down && is_down && self.landed > self.seen_landing;
        let is_lifted = was_down && (!is_down || is_another);
        let is_gone = is_lifted && self.lifted < self.seen_landing;
        if is_gone {
            self.lifted = now;
        }
        let is_broken = is_gone || (is_lifted && self.is_taken_back);
        if is_another {
            self.follow(zones, None, closed);
            self.had = ZoneSet::EMPTY;
        }
        self.follow(zones, is_down.then_some((place, contact.proportion())), closed);
        let mut changed = was.difference(self.has);
        if is_another {
            changed = changed.or(self.has);
        }
        let is_landing = is_down && (!was_down || is_another);
        if is_landing {
            self.seen_landing = self.landed;
        }
        let news = ContactUpdate {
            contact: n,
            lifted: is_lifted.then_some(self.lifted),
            is_broken,
            landed: is_landing.then_some(self.landed),
            place: [place[0] * contact.size[0], place[1] * contact.size[1]],
            at: self.reported,
            zones: self.has,
            is_taken: self.has.meets(zones.taking),
        };
        (changed, news)
    }

    pub(crate) const fn is_down(&self) -> bool {
        self.is_down
    }

    pub(crate) const fn is_in(&self, zone: ZoneId) -> bool {
        self.has.has(zone)
    }

    /// Whether it is in any of these zones.
    pub(crate) const fn is_in_any(&self, zones: ZoneSet) -> bool {
        self.has.meets(zones)
    }

    pub(crate) const fn was_in(&self, zone: ZoneId) -> bool {
        self.had.has(zone)
    }
}
