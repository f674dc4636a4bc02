//! From the kernel's events to changes of controls, a packet at a time.

use super::{
    layout::{
        ABS_MT_POSITION_X, ABS_MT_POSITION_Y, ABS_MT_SLOT, ABS_MT_TOOL_TYPE, ABS_MT_TRACKING_ID,
        ABS_X, ABS_Y, Contacts, EV_ABS, EV_KEY, EV_SW, EV_SYN, Layout, MT_TOOL_PALM, Route,
    },
    listed::{Listed, SlotNews},
};
use crate::listener::Change;
use gtrig_core::{Marks, Nanos};
use std::collections::HashMap;

const SYN_REPORT: u16 = 0;
const SYN_MT_REPORT: u16 = 2;
const SYN_DROPPED: u16 = 3;

/// The kernel cuts no packet of fewer events: it makes room for seven besides its
/// axes and contacts, and for the report (`input_estimate_events_per_packet`).
const LEAST_CUT: u16 = 8;

/// An event as the kernel hands it out.
#[derive(Clone, Copy, Debug)]
pub(super) struct Raw {
    pub(super) time: Nanos,
    pub(super) kind: u16,
    pub(super) code: u16,
    pub(super) value: i32,
}

/// The whole state of a node, as the kernel answers when asked.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct State {
    /// The keys that are down.
    pub(super) down: Vec<u16>,
    /// The switches that are on.
    pub(super) on: Vec<u16>,
    /// Code and value of every axis.
    pub(super) axes: Vec<(u16, i32)>,
    /// What is in every slot.
    pub(super) slots: Vec<Slot>,
}

/// What is in a slot of a touch panel.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Slot {
    /// Negative for no contact.
    pub(super) id: i32,
    /// x, y, and then what else the layout has of a contact.
    pub(super) parts: Vec<i32>,
    pub(super) is_palm: bool,
}

/// What to do after an event.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Next {
    GoOn,
    /// Events were lost: ask the kernel for its state and
    /// [`Decoder::resync`].
    AskForState,
}

/// The state of a node as far as its events told.
#[derive(Debug)]
pub(super) struct Decoder {
    layout: Layout,
    values: Vec<i32>,
    slot: u16,
    /// The tracking id in each slot; negative for none.
    ids: Vec<i32>,
    /// The packet that is not closed yet.
    packet: Vec<Change>,
    /// How many events it has, and whether there are others than those of keys.
    events: u16,
    has_others: bool,
    /// Releases that may be the kernel's, because the device goes: they count once
    /// it turns out to be there still.
    held_back: Vec<Change>,
    /// The last value of every code that the kernel is known to have.
    known: HashMap<(u16, u16), i32>,
    has_lost: bool,
    /// The contacts of a panel that lists them.
    listed: Listed,
    /// Whether something was said of a slot that is not followed.
    has_more_contacts: bool,
}

impl Decoder {
    pub(super) fn new(layout: Layout) -> Self {
        let values = layout.info.controls.iter().map(|c| c.kind.rest()).collect();
        let ids = vec![-1; usize::from(layout.contact_count)];
        let listed = Listed::new(usize::from(layout.contact_count));
        Decoder {
            layout,
            values,
            slot: 0,
            ids,
            packet: Vec::new(),
            events: 0,
            has_others: false,
            held_back: Vec::new(),
            known: HashMap::new(),
            has_lost: false,
            listed,
            has_more_contacts: false,
        }
    }

    pub(super) fn layout(&self) -> &Layout {
        &self.layout
    }

    /// Knows nothing, as at the beginning.
    pub(super) fn forget(&mut self) {
        *self = Decoder::new(self.layout.clone());
    }

    /// Whether releases are held back; see [`Decoder::let_go`].
    pub(super) fn holds_back(&self) -> bool {
        !self.held_back.is_empty()
    }

    /// The device is there still: what was held back was a hand's.
    pub(super) fn let_go(&mut self, out: &mut Vec<Change>) {
        end(&mut self.held_back);
        for change in self.held_back.drain(..) {
            self.values[usize::from(change.control)] = change.value;
            out.push(change);
        }
    }

    /// Whether more contacts came than are followed; asked once.
    pub(super) fn takes_more_contacts(&mut self) -> bool {
        std::mem::take(&mut self.has_more_contacts)
    }

    /// Whether a state has what no event told.
    pub(super) fn differs(&self, state: &State) -> bool {
        let is_known = |kind, code, value| self.known.get(&(kind, code)).copied() == Some(value);
        let keys = self.layout.routes.keys().filter(|(kind, _)| *kind == EV_KEY);
        let same_keys = { keys }.all(|&(kind, code)| {
            let is_down = state.down.contains(&code);
            is_known(kind, code, i32::from(is_down))
                || (!is_down && !self.known.contains_key(&(kind, code)))
        });
        let mut axes = state.axes.iter();
        let same_axes = axes.all(|&(code, value)| {
            !self.layout.routes.contains_key(&(EV_ABS, code)) || is_known(EV_ABS, code, value)
        });
        let mut slots = state.slots.iter().zip(&self.ids);
        let same_slots = slots.all(|(slot, id)| slot.id == *id || (slot.is_palm && *id < 0));
        !(same_keys && same_axes && same_slots)
    }

    /// Takes in an event; closed packets go to `out`.
    pub(super) fn event(&mut self, raw: Raw, out: &mut Vec<Change>) -> Next {
        // A device that still says something was not about to go.
        self.let_go(out);
        match raw.kind {
            EV_SYN if raw.code == SYN_REPORT => {}
            EV_KEY => self.events = self.events.saturating_add(1),
            // The kernel lets go of keys and says nothing else.
            _ => (self.events, self.has_others) = (self.events.saturating_add(1), true),
        }
        match (raw.kind, raw.code) {
            (EV_SYN, SYN_DROPPED) => {
                self.has_lost = true;
                self.packet.clear();
            }
            // What follows a loss up to the next report belongs to a packet
            // whose beginning is missing.
            (EV_SYN, SYN_REPORT) if std::mem::take(&mut self.has_lost) => {
                self.packet.clear();
                return Next::AskForState;
            }
            // A report of 1 closes what the kernel makes up by itself: its
            // auto-repeat, a part of a packet that its buffer does not hold, and the
            // releases of all that is held when a device goes or sleeps. Only these
            // are no hand's. A buffer holds [`LEAST_CUT`] events at least.
            (EV_SYN, SYN_REPORT) if raw.value == 1 && self.releases_all() => {
                let packet = std::mem::take(&mut self.packet);
                if std::mem::take(&mut self.events) >= LEAST_CUT {
                    self.held_back = packet;
                }
            }
            (EV_SYN, SYN_REPORT) => {
                if self.layout.tells_contacts == Contacts::Listed && raw.value == 0 {
                    self.close_list(raw.time);
                }
                self.close(out);
            }
            _ if self.has_lost => {}
            _ if self.layout.tells_contacts == Contacts::Listed && self.list(raw) => {}
            (EV_ABS, ABS_MT_SLOT) => self.slot = u16::try_from(raw.value).unwrap_or(u16::MAX),
            (EV_ABS, ABS_MT_TRACKING_ID) => self.track(raw.value, raw.time),
            (EV_ABS, ABS_MT_TOOL_TYPE) if raw.value == MT_TOOL_PALM => self.take_back(raw.time),
            (EV_ABS, ABS_MT_POSITION_X) => self.contact(1, raw.value, raw.time),
            (EV_ABS, ABS_MT_POSITION_Y) => self.contact(2, raw.value, raw.time),
            (EV_ABS, code) if self.layout.extras.contains(&code) => {
                let at = self.layout.extras.iter().position(|extra| *extra == code);
                self.contact(3 + at.unwrap_or(0) as u16, raw.value, raw.time);
            }
            _ => self.plain(raw),
        }
        Next::GoOn
    }

    /// Whether the packet has the release of every key that is down, and nothing
    /// else.
    fn releases_all(&self) -> bool {
        let keys = self.layout.routes.iter().filter(|((kind, _), _)| *kind == EV_KEY);
        let mut down = keys.filter_map(|(_, route)| match *route {
            Route::Plain(control) if self.values[usize::from(control)] != 0 => Some(control),
            _ => None,
        });
        let is_key = |change: &Change| {
            self.layout.info.controls[usize::from(change.control)].kind.is_button()
        };
        let is_release = |change: &Change| change.value == 0 && is_key(change);
        !self.packet.is_empty()
            && !self.has_others
            && self.packet.iter().all(is_release)
            && down.all(|control| self.packet.iter().any(|change| change.control == control))
    }

    /// What a control is by the packet that is not closed yet.
    fn now(&self, control: u16) -> i32 {
        let last = self.packet.iter().rev().find(|change| change.control == control);
        last.map_or(self.values[usize::from(control)], |change| change.value)
    }

    /// Takes in an event about the contacts of a panel that lists them. Returns
    /// whether it is one.
    fn list(&mut self, raw: Raw) -> bool {
        let extras = self.layout.extras.len();
        let extra = self.layout.extras.iter().position(|extra| *extra == raw.code);
        let touch = self.listed.touch();
        touch.extras.resize(extras, None);
        match (raw.kind, raw.code) {
            (EV_SYN, SYN_MT_REPORT) => self.listed.next(),
            (EV_ABS, ABS_MT_TRACKING_ID) => touch.id = Some(raw.value),
            (EV_ABS, ABS_MT_POSITION_X) => touch.x = Some(raw.value),
            (EV_ABS, ABS_MT_POSITION_Y) => touch.y = Some(raw.value),
            (EV_ABS, _) if extra.is_some() => touch.extras[extra.unwrap_or(0)] = Some(raw.value),
            _ => return false,
        }
        true
    }

    /// The contacts that the packet listed.
    fn close_list(&mut self, time: Nanos) {
        let (news, is_full) = self.listed.close();
        self.has_more_contacts |= is_full;
        for (slot, there) in news {
            let down = self.layout.contacts + self.layout.stride() * slot as u16;
            let (touch, is_new) = match there {
                SlotNews::New(touch) => (touch, true),
                SlotNews::Goes(touch) => (touch, false),
                SlotNews::Gone => {
                    self.add(down, 0, Marks::empty(), time);
                    continue;
                }
            };
            if is_new && self.now(down) != 0 {
                self.add(down, 0, Marks::empty(), time);
            }
            let parts = [touch.x, touch.y].into_iter().chain(touch.extras);
            for (control, value) in (down + 1..).zip(parts) {
                if let Some(value) = value.filter(|value| self.now(control) != *value || is_new) {
                    self.add(control, value, Marks::empty(), time);
                }
            }
            if is_new {
                self.add(down, 1, Marks::empty(), time);
            }
        }
    }

    fn close(&mut self, out: &mut Vec<Change>) {
        (self.events, self.has_others) = (0, false);
        end(&mut self.packet);
        for change in self.packet.drain(..) {
            self.values[usize::from(change.control)] = change.value;
            out.push(change);
        }
    }

    fn add(&mut self, control: u16, value: i32, marks: Marks, time: Nanos) {
        self.packet.push(Change { control, value, marks, time, is_last: false });
    }

    /// A part of a contact changes. What was taken back, or is not there, is nowhere.
    fn contact(&mut self, part: u16, value: i32, time: Nanos) {
        let Some(control) = self.part(part) else {
            self.has_more_contacts = true;
            return;
        };
        if part == 0 || self.ids[usize::from(self.slot)] >= 0 {
            self.add(control, value, Marks::empty(), time);
        }
    }

    /// A part of the contact in the slot that is spoken of.
    fn part(&self, part: u16) -> Option<u16> {
        let is_followed = self.slot < self.layout.contact_count;
        is_followed.then(|| self.layout.contacts + self.layout.stride() * self.slot + part)
    }

    /// A contact lands or lifts. Another id in a slot that has one is another
    /// finger, though nobody said that the first had lifted.
    fn track(&mut self, id: i32, time: Nanos) {
        let Some(was) = self.ids.get_mut(usize::from(self.slot)) else {
            self.has_more_contacts = true;
            return;
        };
        let was = std::mem::replace(was, id);
        if was >= 0 && id >= 0 && was != id {
            self.contact(0, 0, time);
        }
        // One that was taken back has lifted already.
        if was >= 0 || id >= 0 {
            self.contact(0, i32::from(id >= 0), time);
        }
    }

    /// What is down in this slot turns out to be the flat of a hand.
    fn take_back(&mut self, time: Nanos) {
        let Some(id) = self.ids.get_mut(usize::from(self.slot)) else { return };
        let was = std::mem::replace(id, -1);
        if let Some(control) = self.part(0).filter(|_| was >= 0) {
            self.add(control, 0, Marks::CANCELLED, time);
        }
    }

    fn plain(&mut self, Raw { time, kind, code, value }: Raw) {
        self.known.insert((kind, code), value.min(if kind == EV_KEY { 1 } else { i32::MAX }));
        match self.layout.routes.get(&(kind, code)).copied() {
            None => {}
            Some(Route::Hat(negative, positive)) => self.hat(negative, positive, value, time),
            Some(Route::Plain(control)) if kind == EV_KEY => {
                let marks = if value == 2 { Marks::REPEAT } else { Marks::empty() };
                // What was read with the state may come once more.
                if value == 2 || self.now(control) != value {
                    self.add(control, value.min(1), marks, time);
                }
            }
            Some(Route::Plain(control)) => self.add(control, value, Marks::empty(), time),
        }
        if let Some(in_range) = self.layout.in_range
            && kind == EV_ABS
            && matches!(code, ABS_X | ABS_Y)
            && self.now(in_range) == 0
        {
            self.add(in_range, 1, Marks::empty(), time);
        }
    }

    fn hat(&mut self, negative: u16, positive: u16, value: i32, time: Nanos) {
        for (control, down) in [(negative, value < 0), (positive, value > 0)] {
            if self.now(control) != i32::from(down) {
                self.add(control, i32::from(down), Marks::empty(), time);
            }
        }
    }

    /// Takes over a state that was there before the first event: an axis of 0
    /// has not been reported yet and says nothing.
    pub(super) fn begin(&mut self, state: &State, time: Nanos, out: &mut Vec<Change>) {
        self.know(state);
        let axes = state.axes.iter().copied().filter(|(_, value)| *value != 0).collect();
        let state = State { axes, ..state.clone() };
        self.take_over(&state, Marks::CARRIED, time, out);
    }

    /// Takes over the state after a loss.
    pub(super) fn resync(&mut self, state: &State, time: Nanos, out: &mut Vec<Change>) {
        self.know(state);
        self.packet.clear();
        (self.events, self.has_others) = (0, false);
        self.held_back.clear();
        self.take_over(state, Marks::RESYNCED, time, out);
    }

    /// What the kernel has is known from its state.
    fn know(&mut self, state: &State) {
        let codes: Vec<(u16, u16)> = self.layout.routes.keys().copied().collect();
        for (kind, code) in codes {
            let axis = || state.axes.iter().find(|(other, _)| *other == code).map(|(_, v)| *v);
            let value = match kind {
                EV_KEY => Some(i32::from(state.down.contains(&code))),
                EV_SW => Some(i32::from(state.on.contains(&code))),
                EV_ABS => axis(),
                _ => None,
            };
            self.known.extend(value.map(|value| ((kind, code), value)));
        }
    }

    fn take_over(&mut self, state: &State, marks: Marks, time: Nanos, out: &mut Vec<Change>) {
        let mut wanted = self.values.clone();
        for (&(kind, code), &route) in &self.layout.routes {
            let axis = state.axes.iter().find(|(other, _)| *other == code).map(|(_, v)| *v);
            match (kind, route, axis) {
                (EV_KEY, Route::Plain(control), _) => {
                    wanted[usize::from(control)] = i32::from(state.down.contains(&code));
                }
                (EV_SW, Route::Plain(control), _) => {
                    wanted[usize::from(control)] = i32::from(state.on.contains(&code));
                }
                (EV_ABS, Route::Plain(control), Some(value)) => {
                    wanted[usize::from(control)] = value;
                }
                (EV_ABS, Route::Hat(negative, positive), Some(value)) => {
                    wanted[usize::from(negative)] = i32::from(value < 0);
                    wanted[usize::from(positive)] = i32::from(value > 0);
                }
                _ => {}
            }
        }
        let has_place = |(code, value): &(u16, i32)| matches!(*code, ABS_X | ABS_Y) && *value != 0;
        if let Some(in_range) = self.layout.in_range
            && state.axes.iter().any(has_place)
        {
            wanted[usize::from(in_range)] = 1;
        }
        let stride = usize::from(self.layout.stride());
        let contacts = wanted[usize::from(self.layout.contacts)..].chunks_exact_mut(stride);
        let slots = state.slots.iter().zip(&mut self.ids);
        for ((contact, (slot, was)), n) in contacts.zip(slots).zip(0..) {
            let id = if slot.is_palm { -1 } else { slot.id };
            let down = self.layout.contacts + self.layout.stride() * n;
            let had = std::mem::replace(was, id);
            if had >= 0 && had != id {
                // Another finger, or the flat of a hand: that one is gone.
                let taken = if slot.is_palm { Marks::CANCELLED } else { Marks::empty() };
                self.values[usize::from(down)] = 0;
                let (marks, is_last) = (marks | taken, false);
                out.push(Change { control: down, value: 0, marks, time, is_last });
            }
            contact[0] = i32::from(id >= 0);
            if id >= 0 {
                contact[1..].copy_from_slice(&slot.parts);
            }
        }
        if let Some((_, slot)) = state.axes.iter().find(|(code, _)| *code == ABS_MT_SLOT) {
            self.slot = u16::try_from(*slot).unwrap_or(u16::MAX);
        }
        for (control, (value, was)) in (0..).zip(wanted.into_iter().zip(&mut self.values)) {
            if value != *was {
                *was = value;
                out.push(Change { control, value, marks, time, is_last: false });
            }
        }
        end(out);
    }
}

/// A report ends with the last of some changes.
fn end(changes: &mut [Change]) {
    if let Some(last) = changes.last_mut() {
        last.is_last = true;
    }
}
