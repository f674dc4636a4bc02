//! A contact of a touch panel, from its controls to the zones that have it.
//!
//! A finger is three controls: whether it is there, x and y. A panel reuses them: the next finger
//! has the same ones. So a *landing* has a number of its own, the number of its press in the run,
//! and everything above asks for that: two fingers that came after each other between two polls
//! are two.

use crate::base::{ContactId, ControlId, Nanos, ZoneId, ZoneSet};
use crate::device::{ControlKind, Event, Marks, normalise};
use crate::sample::{ControlState, LaneMarks};
use crate::spec::{LengthUnit, Pointing, Turn};
use crate::touch::Zones;

/// A contact of a touch panel: what says that it is there, and where.
///
/// It is part of a plan and does not change; what changes is kept for each contact by the machine.
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
    /// What makes it.
    pub by: Pointing,
    /// Which panel it is of, counted over all of them.
    pub panel: u16,
    /// What x and y report.
    pub travel: [ControlKind; 2],
    /// How wide the picture is in pixels, where the rig says it.
    pub pixels: Option<f32>,
}

impl Contact {
    /// Where on the picture it is, in shares, when its controls have these
    /// values.
    ///
    /// From the top left, y down; 0 to 1 on the picture, whichever way the device is turned.
    pub fn place(&self, values: [f32; 2]) -> [f32; 2] {
        self.turn.apply(values)
    }

    /// The same for what its controls report. Where the picture begins at the far end of an axis
    /// the share is worked out from there: 1 less a rounded share is not always the nearest
    /// number, and the edge of a zone may be just there.
    pub(crate) fn place_of(&self, raw: [i32; 2]) -> [f32; 2] {
        let near = |axis: usize| normalise(self.travel[axis], raw[axis]);
        let far = |axis: usize| match self.travel[axis] {
            ControlKind::Position { min, max } if min < max => {
                normalise(ControlKind::Position { min: max, max: min }, raw[axis])
            }
            _ => 1.0 - near(axis),
        };
        self.turn.place(near, far)
    }

    /// The same for what a poll saw of its controls.
    #[inline]
    fn place_seen(&self, [x, y]: [&ControlState; 2]) -> [f32; 2] {
        match self.turn {
            // The shares are known already.
            Turn::None => [x.value, y.value],
            _ => self.place_of([x.seen, y.seen]),
        }
    }

    /// A place in shares of the picture as millimetres from its top left.
    pub(crate) fn in_mm(&self, place: [f32; 2]) -> [f32; 2] {
        [place[0] * self.size[0], place[1] * self.size[1]]
    }

    /// How many of a unit are a millimetre of it; of pixels 1 where nothing is known
    /// of them.
    ///
    /// A limit of a gesture is in such units; see [`Gesture::unit`](crate::Gesture).
    pub fn per_mm(&self, unit: LengthUnit) -> f32 {
        match unit {
            LengthUnit::Mm => 1.0,
            LengthUnit::Px => self.pixels.map_or(1.0, |pixels| pixels / self.size[0]),
            LengthUnit::Share => 1.0 / self.size[0],
        }
    }

    /// How high its surface is, in widths.
    pub fn proportion(&self) -> f32 {
        self.size[1] / self.size[0]
    }
}

/// A finger that was lifted.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Lift {
    /// When, as it was reported.
    pub(crate) time: Nanos,
    /// Where it was last reported before, in millimetres from the top left.
    pub(crate) place: [f32; 2],
    /// Whether it went away without being lifted: its panel took it back, or could
    /// no longer be heard.
    pub(crate) is_broken: bool,
}

/// A finger that was put down.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Landing {
    /// Which press of the run it is: no two fingers have the same.
    pub(crate) id: u32,
    /// When, as it was reported.
    pub(crate) time: Nanos,
}

/// What a poll found out about a contact. A finger that was lifted and one that
/// landed since are two; the lift comes first.
///
/// Both a lift and a landing may be absent: then the finger moved, or its zones changed.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct ContactUpdate {
    /// The contact.
    pub(crate) contact: ContactId,
    /// The finger that was there was lifted.
    pub(crate) lifted: Option<Lift>,
    /// A finger landed; after the lift, where there is one.
    pub(crate) landed: Option<Landing>,
    /// Where it is, in millimetres from the top left, if it is down.
    pub(crate) place: [f32; 2],
    /// When it was reported on last.
    pub(crate) at: Nanos,
    /// The zones that have it.
    pub(crate) zones: ZoneSet,
    /// Whether one of them takes it: then no gesture without a zone listens to it.
    pub(crate) is_taken: bool,
}

/// The end of a finger, as its controls had it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct End {
    /// When.
    time: Nanos,
    /// What x and y reported last before.
    raw: [i32; 2],
    /// Whether nobody lifted it.
    is_broken: bool,
}

/// A contact, as zones and gestures see it.
///
/// Invariant: while polls see a finger, `end` is how *that one* ended, however
/// many came and went since; while they see none, how the last one did.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct ContactState {
    /// Whether the last poll saw a finger.
    is_down: bool,
    /// Whether there is one by the reports: a latch may hide it from a poll.
    is_touching: bool,
    /// Those that got it where it began, and keep it.
    began: ZoneSet,
    /// The zones that have it at this tick.
    has: ZoneSet,
    /// Those that had it at the tick before.
    had: ZoneSet,
    /// When one of its controls was last reported on, as far as it heard of that.
    reported: Nanos,
    /// What x and y reported last, when it last heard of anything.
    place: [i32; 2],
    /// Where the last poll saw it, as x and y report it.
    polled: [i32; 2],
    /// The last landing that was reported.
    landing: Landing,
    /// How the finger ended; see above for which.
    end: Option<End>,
}

impl ContactState {
    /// Ends the tick before.
    pub(crate) fn age(&mut self) {
        self.had = self.has;
    }

    /// Hears a report about one of its controls, which have taken it in.
    pub(crate) fn hear(&mut self, contact: &Contact, controls: &[ControlState], event: &Event) {
        let place = [contact.x, contact.y].map(|axis| controls[axis.index()].actual);
        let is_of_down = event.control == contact.down;
        if is_of_down {
            // Movements before may not have been told.
            self.place = place;
        }
        // Also what a debounce let through before this report, which may be of the next finger.
        self.turn(contact, controls, is_of_down && event.marks.contains(Marks::CANCELLED));
        (self.reported, self.place) = (event.time, place);
    }

    /// Finds out whether a finger was lifted, put down, or both. What a debounce
    /// takes for chatter is neither.
    ///
    /// The place of an end is what x and y said last *before* it: most panels report a lift without
    /// a place, and a finger that lands later on the same controls brings its own.
    #[inline]
    fn turn(&mut self, contact: &Contact, controls: &[ControlState], is_taken_back: bool) {
        let down = &controls[contact.down.index()];
        let is_lifted = self.is_touching && down.actual == 0;
        if is_lifted || down.press_order != self.landing.id {
            self.turn_by(down, is_taken_back);
        }
    }

    /// The same, where one of these happened.
    fn turn_by(&mut self, down: &ControlState, is_taken_back: bool) {
        let is_lost = down.marks.contains(LaneMarks::SYNTHETIC);
        let end = End {
            time: down.turned(false),
            // Of one that was lost another finger may be there already.
            raw: if is_lost { self.polled } else { self.place },
            is_broken: is_lost || is_taken_back,
        };
        if down.press_order != self.landing.id {
            if self.is_touching {
                self.end.get_or_insert(end);
            }
            if !self.is_down {
                self.end = None;
            }
            self.landing = Landing { id: down.press_order, time: down.turned(true) };
            self.is_touching = true;
        }
        if self.is_touching && down.actual == 0 {
            self.is_touching = false;
            self.end.get_or_insert(end);
        }
    }

    /// Moves it to a place on the picture, while these zones are closed.
    #[inline]
    fn follow(&mut self, zones: &Zones, contact: &Contact, place: [f32; 2], closed: ZoneSet) {
        // What was held must land again when a zone opens again.
        self.began = self.began.without(closed);
        // What hovers did not begin anywhere.
        let began = (self.is_down && contact.by != Pointing::Hover).then_some(self.began);
        let closed = closed.or(zones.deaf_to(contact.by));
        self.has = zones.having(place, contact.proportion(), began, closed);
        if !self.is_down {
            self.began = self.has.without(zones.following);
        }
        self.is_down = true;
    }

    /// Lifts it.
    fn leave(&mut self) {
        (self.has, self.is_down) = (ZoneSet::EMPTY, false);
    }

    /// Moves it to where a poll at the instant `now` finds it, while these zones are closed.
    /// Returns the zones that get it or lose it, and what is to be known of it.
    ///
    /// A finger that was lifted while another one landed on the same controls has left all zones
    /// for a moment: each zone that has the new one got it anew.
    #[inline]
    pub(crate) fn poll(
        &mut self,
        zones: &Zones,
        (contact, n): (&Contact, ContactId),
        controls: &[ControlState],
        (closed, now): (ZoneSet, Nanos),
    ) -> (ZoneSet, ContactUpdate) {
        // A debounce lets through what it held back when its time is over, and a
        // device that goes away says nothing of its contacts.
        self.turn(contact, controls, false);
        let (was_down, was) = (self.is_down, self.has);
        let is_down = controls[contact.down.index()].is_down();
        let is_another = was_down && is_down && self.end.is_some();
        let is_lifted = was_down && (!is_down || is_another);
        let lifted = is_lifted.then(|| self.end.take()).map(|end| {
            let end = end.unwrap_or(End { time: now, raw: self.polled, is_broken: true });
            let place = contact.in_mm(contact.place_of(end.raw));
            Lift { time: end.time, place, is_broken: end.is_broken }
        });
        if is_another {
            self.leave();
            self.had = ZoneSet::EMPTY;
        }
        let [x, y] = [contact.x, contact.y].map(|axis| &controls[axis.index()]);
        self.polled = [x.seen, y.seen];
        let place = contact.place_seen([x, y]);
        match is_down {
            true => self.follow(zones, contact, place, closed),
            false => self.leave(),
        }
        let changed = was.difference(self.has);
        let news = ContactUpdate {
            contact: n,
            lifted,
            landed: (is_down && (!was_down || is_another)).then_some(self.landing),
            place: contact.in_mm(place),
            at: self.reported.max(x.heard()).max(y.heard()),
            zones: self.has,
            is_taken: self.has.meets(zones.taking),
        };
        (if is_another { changed.or(self.has) } else { changed }, news)
    }

    /// Whether the last poll saw a finger.
    pub(crate) const fn is_down(&self) -> bool {
        self.is_down
    }

    /// Which press of the run its last landing is.
    pub(crate) const fn landing(&self) -> u32 {
        self.landing.id
    }

    /// Where the last poll found it, in shares of the picture.
    pub(crate) fn place(&self, of: &Contact) -> [f32; 2] {
        of.place_of(self.polled)
    }

    /// Whether a zone has it.
    pub(crate) const fn is_in(&self, zone: ZoneId) -> bool {
        self.has.has(zone)
    }

    /// Whether it is in any of these zones.
    pub(crate) const fn is_in_any(&self, zones: ZoneSet) -> bool {
        self.has.meets(zones)
    }

    /// Whether a zone had it at the tick before.
    pub(crate) const fn was_in(&self, zone: ZoneId) -> bool {
        self.had.has(zone)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::DeviceId;
    use crate::device::Control;
    use crate::sample::SampledControl;
    use crate::spec::EdgeSettings;
    use proptest::prelude::*;

    /// What happens to the contact of the tests below.
    #[derive(Clone, Copy, Debug)]
    enum Happening {
        /// One of its controls, its presence first, reports this.
        Report(usize, i32),
        /// Its panel takes the finger back.
        TakenBack,
        /// Its panel can no longer be heard.
        Lost,
        /// A loop polls.
        Poll,
    }

    fn happening() -> impl Strategy<Value = Happening> {
        prop_oneof![
            3 => (0..2i32).prop_map(|value| Happening::Report(0, value)),
            6 => (1..3usize, 0..=100i32).prop_map(|(part, value)| Happening::Report(part, value)),
            1 => Just(Happening::TakenBack),
            1 => Just(Happening::Lost),
            3 => Just(Happening::Poll),
        ]
    }

    /// The contact of a panel of 100 by 100 units, and how its controls are sampled.
    fn one(latched: bool) -> (Contact, [SampledControl; 3]) {
        let travel = [ControlKind::Position { min: 0, max: 100 }; 2];
        let [down, x, y] = [0, 1, 2].map(ControlId);
        let (size, turn, by) = ([100.0; 2], Turn::None, Pointing::Finger);
        let contact = Contact { down, x, y, size, turn, by, panel: 0, travel, pixels: None };
        let sampled = [ControlKind::Button, travel[0], travel[1]].map(|kind| {
            let control = Control { device: DeviceId(0), kind, is_presence: false };
            SampledControl::with(control, EdgeSettings { latched, ..EdgeSettings::DEFAULT })
        });
        (contact, sampled)
    }

    proptest! {
        /// A contact that hears of no movement finds out the same as one that hears of all.
        #[test]
        fn movements_need_not_be_told(
            latched: bool,
            happenings in prop::collection::vec(happening(), 0..60),
        ) {
            let (contact, how) = one(latched);
            let mut controls = how.map(|how| ControlState::at_rest(how.control.kind));
            let [mut all, mut few] = [ContactState::default(); 2];
            let (zones, mut presses, mut time) = (Zones::default(), 0, Nanos(0));
            for happening in happenings {
                time.0 += 1_000_000;
                let (part, value, marks) = match happening {
                    Happening::Report(part, value) => (part, value, Marks::empty()),
                    Happening::TakenBack => (0, 0, Marks::CANCELLED),
                    Happening::Lost => {
                        controls[0].let_go(ControlKind::Button, time);
                        continue;
                    }
                    Happening::Poll => {
                        controls.iter_mut().zip(&how).for_each(|(control, how)| {
                            control.sample(how);
                        });
                        let polled = |state: &mut ContactState| {
                            let at = (ZoneSet::EMPTY, time);
                            state.poll(&zones, (&contact, ContactId(0)), &controls, at)
                        };
                        prop_assert_eq!(polled(&mut few), polled(&mut all));
                        controls.iter_mut().for_each(|control| { control.age(); });
                        continue;
                    }
                };
                let event = Event { time, value, control: ControlId(part as u16), marks };
                if controls[part].receive(&how[part], &[], &event) {
                    presses += 1;
                    controls[part].press_order = presses;
                }
                all.hear(&contact, &controls, &event);
                if part == 0 {
                    few.hear(&contact, &controls, &event);
                }
            }
        }

        /// However the panel is turned, a finger is at the nearest number there is to where it
        /// is, and what its controls' values say agrees.
        #[test]
        fn a_place_is_the_nearest_number(
            ends in [1..4000i32, 1..4000i32],
            (low, shares) in (-50..50i32, [0.0..=1.0f64, 0.0..=1.0f64]),
            n in 0..4usize,
        ) {
            let travel = ends.map(|end| ControlKind::Position { min: low, max: low + end });
            let (_, turn) = Turn::DEGREES[n];
            let contact = Contact {
                down: ControlId(0), x: ControlId(1), y: ControlId(2),
                size: [160.0, 90.0], turn, by: Pointing::Finger, panel: 0, travel, pixels: None,
            };
            let way = [0, 1].map(|n| (shares[n] * f64::from(ends[n])).round() as i32);
            let near = |n: usize| (f64::from(way[n]) / f64::from(ends[n])) as f32;
            let far = |n: usize| (f64::from(ends[n] - way[n]) / f64::from(ends[n])) as f32;
            let place = contact.place_of(way.map(|way| low + way));
            let nearest = match turn {
                Turn::None => [near(0), near(1)],
                Turn::Quarter => [far(1), near(0)],
                Turn::Half => [far(0), far(1)],
                Turn::ThreeQuarters => [near(1), far(0)],
            };
            prop_assert_eq!(place, nearest);
            let said = contact.place([near(0), near(1)]);
            prop_assert!((0..2).all(|n| (said[n] - place[n]).abs() < 1e-6), "{:?}", said);
        }
    }
}
