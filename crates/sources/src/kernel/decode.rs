//! From the kernel's events to changes of controls, a packet at a time.

use super::{
    Change,
    layout::{
        ABS_MT_POSITION_X, ABS_MT_POSITION_Y, ABS_MT_SLOT, ABS_MT_TOOL_TYPE, ABS_MT_TRACKING_ID,
        EV_ABS, EV_KEY, EV_SYN, Layout, MT_TOOL_PALM, Route,
    },
};
use gtrig_core::{Marks, Nanos};

const SYN_REPORT: u16 = 0;
const SYN_DROPPED: u16 = 3;

/// An event as the kernel hands it out.
#[derive(Clone, Copy, Debug)]
pub(super) struct Raw {
    pub(super) time: Nanos,
    pub(super) kind: u16,
    pub(super) code: u16,
    pub(super) value: i32,
}

/// The whole state of a node, as the kernel answers when asked.
#[derive(Clone, Debug, Default)]
pub(super) struct State {
    /// The keys that are down.
    pub(super) down: Vec<u16>,
    /// Code and value of every axis.
    pub(super) axes: Vec<(u16, i32)>,
    /// Tracking id, x and y of every slot; a negative id is no contact.
    pub(super) slots: Vec<[i32; 3]>,
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
    has_lost: bool,
}

impl Decoder {
    pub(super) fn new(layout: Layout) -> Self {
        let values = layout.info.controls.iter().map(|c| c.kind.rest()).collect();
        let ids = vec![-1; usize::from(layout.contact_count)];
        Decoder { layout, values, slot: 0, ids, packet: Vec::new(), has_lost: false }
    }

    /// Takes in an event; closed packets go to `out`.
    pub(super) fn event(&mut self, raw: Raw, out: &mut Vec<Change>) -> Next {
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
            // auto-repeat, and the releases when a device goes. The releases
            // are no hand's.
            (EV_SYN, SYN_REPORT) if raw.value == 1 => {
                self.packet.retain(|change| change.marks.contains(Marks::REPEAT));
                self.close(out);
            }
            (EV_SYN, SYN_REPORT) => self.close(out),
            _ if self.has_lost => {}
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

    fn close(&mut self, out: &mut Vec<Change>) {
        for change in self.packet.drain(..) {
            self.values[usize::from(change.control)] = change.value;
            out.push(change);
        }
    }

    fn add(&mut self, control: u16, value: i32, marks: Marks, time: Nanos) {
        self.packet.push(Change { control, value, marks, time });
    }

    fn contact(&mut self, part: u16, value: i32, time: Nanos) {
        if let Some(control) = self.part(part) {
            self.add(control, value, Marks::empty(), time);
        }
    }

    /// A part of the contact in the slot that is spoken of.
    fn part(&self, part: u16) -> Option<u16> {
        let first = self.layout.contacts + self.layout.stride() * self.slot;
        (self.slot < self.layout.contact_count).then_some(first + part)
    }

    /// A contact lands or lifts. Another id in a slot that has one is another
    /// finger, though nobody said that the first had lifted.
    fn track(&mut self, id: i32, time: Nanos) {
        let Some(was) = self.ids.get_mut(usize::from(self.slot)) else { return };
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
        match self.layout.routes.get(&(kind, code)).copied() {
            None => {}
            Some(Route::Hat(negative, positive)) => self.hat(negative, positive, value, time),
            Some(Route::Plain(control)) if kind == EV_KEY => {
                let marks = if value == 2 { Marks::REPEAT } else { Marks::empty() };
                self.add(control, value.min(1), marks, time);
            }
            Some(Route::Plain(control)) => self.add(control, value, Marks::empty(), time),
        }
    }

    fn hat(&mut self, negative: u16, positive: u16, value: i32, time: Nanos) {
        for (control, down) in [(negative, value < 0), (positive, value > 0)] {
            if self.values[usize::from(control)] != i32::from(down) {
                self.add(control, i32::from(down), Marks::empty(), time);
            }
        }
    }

    /// Takes over a state that was there before the first event: an axis of 0
    /// has not been reported yet and says nothing.
    pub(super) fn begin(&mut self, state: &State, time: Nanos, out: &mut Vec<Change>) {
        let axes = state.axes.iter().copied().filter(|(_, value)| *value != 0).collect();
        let state = State { axes, ..state.clone() };
        self.take_over(&state, Marks::CARRIED, time, out);
    }

    /// Takes over the state after a loss.
    pub(super) fn resync(&mut self, state: &State, time: Nanos, out: &mut Vec<Change>) {
        self.take_over(state, Marks::RESYNCED, time, out);
    }

    fn take_over(&mut self, state: &State, marks: Marks, time: Nanos, out: &mut Vec<Change>) {
        let mut wanted = self.values.clone();
        for (&(kind, code), &route) in &self.layout.routes {
            let axis = state.axes.iter().find(|(other, _)| *other == code).map(|(_, v)| *v);
            match (kind, route, axis) {
                (EV_KEY, Route::Plain(control), _) => {
                    wanted[usize::from(control)] = i32::from(state.down.contains(&code));
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
        let stride = usize::from(self.layout.stride());
        let contacts = wanted[usize::from(self.layout.contacts)..].chunks_exact_mut(stride);
        let slots = state.slots.iter().copied().zip(&mut self.ids);
        for (contact, ([id, x, y], was)) in contacts.zip(slots) {
            *was = id;
            contact[0] = i32::from(id >= 0);
            if id >= 0 {
                (contact[1], contact[2]) = (x, y);
            }
        }
        if let Some((_, slot)) = state.axes.iter().find(|(code, _)| *code == ABS_MT_SLOT) {
            self.slot = u16::try_from(*slot).unwrap_or(u16::MAX);
        }
        for (control, (value, was)) in (0..).zip(wanted.into_iter().zip(&mut self.values)) {
            if value != *was {
                *was = value;
                out.push(Change { control, value, marks, time });
            }
        }
    }
}
