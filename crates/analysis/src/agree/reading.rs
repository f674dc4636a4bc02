//! What a game read of the devices, beside what they had said by then.

use super::{FrameAt, Held, road::Heard, rows::Rows};
use alloc::{
    collections::{BTreeMap, BTreeSet},
    vec,
    vec::Vec,
};
use gtrig_core::{ControlId, DeviceId, Event, Marks, Nanos, Presence};

/// A value that the device said so much later is not taken for the one that was read, nor
/// does one that is older tell more of a game.
const AHEAD: Nanos = Nanos::from_millis(1_000);

/// How what was read differs from what the device had said.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ReadKind {
    /// It is what the device said before: an event that came so long before the poll was
    /// not read.
    Old {
        /// From the event to the poll; of several frames, the longest.
        by: Nanos,
    },
    /// It is what the device said only after the poll.
    Ahead {
        /// From the poll to the event; of several frames, the longest.
        by: Nanos,
    },
    /// The device said no such thing around that time.
    Other,
    /// Two polls of one frame read different values.
    Twice,
}

/// A game read something else than a device had said, in frames one after the other.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ReadDifference {
    /// The control.
    pub control: ControlId,
    /// From this frame on.
    pub first: FrameAt,
    /// To this one.
    pub last: FrameAt,
    /// So many frames.
    pub frames: u64,
    /// What the device had said at the first poll of the first frame.
    pub said: i32,
    /// What the game read in the first frame, at its first and its last poll.
    pub read: [i32; 2],
    /// How they differ.
    pub kind: ReadKind,
}

/// A row in which a control was read otherwise.
#[derive(Clone, Copy, Debug)]
pub(super) struct Otherwise {
    pub(super) row: usize,
    pub(super) control: ControlId,
    pub(super) said: i32,
    pub(super) read: [i32; 2],
    pub(super) kind: ReadKind,
}

/// What the game read of all devices.
#[derive(Clone, Debug)]
pub(super) struct Reading {
    /// What a rig would hear that hears what the game read at the first poll of each
    /// frame; what the game says nothing of is as the devices said it.
    pub(super) first: Heard,
    /// The same of the last poll, where any frame has another one.
    pub(super) last: Option<Heard>,
    /// In order of rows.
    pub(super) otherwise: Vec<Otherwise>,
    /// What each control said, with its rest as it was at first.
    said: BTreeMap<ControlId, Vec<(Nanos, i32)>>,
}

impl Reading {
    pub(super) fn of(held: Held, rows: &Rows) -> Self {
        let mut said: BTreeMap<ControlId, Vec<(Nanos, i32)>> = BTreeMap::new();
        for &control in rows.reads.keys() {
            let rest = held.roster.control(control).kind.rest();
            said.insert(control, vec![(Nanos(0), rest)]);
        }
        let mut lost = Lost::default();
        for event in held.events.iter().filter(|event| !event.marks.contains(Marks::REPEAT)) {
            let is_heard = lost.lets_hear(held, event);
            match said.get_mut(&event.control) {
                Some(said) if is_heard => said.push((event.time, event.value)),
                Some(_) => {}
                // What is not heard any more is at rest.
                None if is_loss(held, event) => {
                    for control in controls_of(held, rows, event) {
                        let rest = held.roster.control(control).kind.rest();
                        said.entry(control).or_default().push((event.time, rest));
                    }
                }
                None => {}
            }
        }
        let is_double = |column: &Vec<Option<[i32; 2]>>| {
            column.iter().flatten().any(|[first, last]| first != last)
        };
        let is_double = rows.reads.values().any(is_double);
        let mut reading = Reading {
            first: as_read(held, rows, 0),
            last: is_double.then(|| as_read(held, rows, 1)),
            otherwise: Vec::new(),
            said,
        };
        reading.find_otherwise(held, rows);
        reading
    }

    /// Whether the game says what it reads.
    pub(super) fn is_known(&self) -> bool {
        !self.said.is_empty()
    }

    /// Whether the game says what it reads of a control.
    pub(super) fn knows(&self, control: ControlId) -> bool {
        self.said.contains_key(&control)
    }

    fn find_otherwise(&mut self, held: Held, rows: &Rows) {
        let mut ages: Vec<Ages> = Vec::new();
        for (&control, column) in &rows.reads {
            let said = &self.said[&control];
            let is_button = held.roster.control(control).kind.is_button();
            let seen = |value: i32| if is_button { i32::from(value != 0) } else { value };
            for (row, read) in column.iter().enumerate() {
                let Some(read) = read.map(|read| read.map(seen)) else { continue };
                let poll = rows.list[row].polled[0];
                let before = said.partition_point(|(time, _)| *time <= poll);
                let last = seen(said[before.saturating_sub(1)].1);
                let [first, second] = read;
                if first == second && first == last {
                    continue;
                }
                let (kind, of) = match first == second {
                    false => (ReadKind::Twice, Ages::default()),
                    true => (ReadKind::Other, ages_of(said, before, poll, |v| seen(v) == first)),
                };
                self.otherwise.push(Otherwise { row, control, said: last, read, kind });
                ages.push(of);
            }
        }
        self.tell_old_from_ahead(&ages);
        self.otherwise.sort_by_key(|otherwise| otherwise.row);
    }

    /// A button that was read as up, and is down, was up before and will be up again: what
    /// the game reads is old or ahead as that is less over all that it read otherwise.
    fn tell_old_from_ahead(&mut self, ages: &[Ages]) {
        let cost = |age: Option<Nanos>| age.unwrap_or(AHEAD).min(AHEAD).0;
        let sum = |part: fn(&Ages) -> Option<Nanos>| ages.iter().map(|of| cost(part(of))).sum();
        let (old, ahead): (u64, u64) = (sum(|of| of.old), sum(|of| of.ahead));
        for (other, of) in self.otherwise.iter_mut().zip(ages) {
            if other.kind == ReadKind::Twice {
                continue;
            }
            let as_old = of.old.map(|by| ReadKind::Old { by });
            let as_ahead = of.ahead.map(|by| ReadKind::Ahead { by });
            let best = if old <= ahead { as_old.or(as_ahead) } else { as_ahead.or(as_old) };
            other.kind = best.unwrap_or(ReadKind::Other);
        }
    }

    /// Where what was read differs beyond the slack; and how many times within it.
    pub(super) fn differences(&self, rows: &Rows, slack: Nanos) -> (Vec<ReadDifference>, u64) {
        let mut open: BTreeMap<ControlId, (usize, usize)> = BTreeMap::new();
        let mut all: Vec<ReadDifference> = Vec::new();
        let mut close = 0;
        for other in &self.otherwise {
            if other.kind.late().is_some_and(|late| late <= slack) {
                close += 1;
                continue;
            }
            let at = rows.at(other.row);
            let before = open.get(&other.control).copied();
            let goes_on = before.filter(|&(place, row)| {
                row + 1 == other.row && all[place].kind.is_like(other.kind)
            });
            let place = match goes_on {
                Some((place, _)) => {
                    let difference = &mut all[place];
                    difference.last = at;
                    difference.frames += 1;
                    difference.kind = difference.kind.longer(other.kind);
                    place
                }
                None => {
                    all.push(ReadDifference {
                        control: other.control,
                        first: at,
                        last: at,
                        frames: 1,
                        said: other.said,
                        read: other.read,
                        kind: other.kind,
                    });
                    all.len() - 1
                }
            };
            open.insert(other.control, (place, other.row));
        }
        (all, close)
    }

    /// A press and the release after it (or the other way round) that came and went
    /// between the polls of two rows, of one of these controls.
    pub(super) fn between(
        &self,
        held: Held,
        controls: &[ControlId],
        (after, until): (Nanos, Nanos),
    ) -> Option<(ControlId, Nanos, Nanos)> {
        let mut moved: BTreeMap<ControlId, Event> = BTreeMap::new();
        let begin = held.events.partition_point(|event| event.time <= after);
        for event in held.events[begin..].iter().take_while(|event| event.time <= until) {
            // What is held on a device that goes or falls silent is let go.
            if is_loss(held, event) {
                let device = |control: ControlId| held.roster.control(control).device;
                let on_it = |(control, first): &(&ControlId, &Event)| {
                    first.value != 0 && device(**control) == device(event.control)
                };
                if let Some((&control, first)) = moved.iter().find(on_it) {
                    return Some((control, first.time, event.time));
                }
            }
            if !controls.contains(&event.control) || event.marks.contains(Marks::REPEAT) {
                continue;
            }
            if !held.roster.control(event.control).kind.is_button() {
                continue;
            }
            match moved.get(&event.control) {
                Some(first) if (first.value != 0) != (event.value != 0) => {
                    return Some((event.control, first.time, event.time));
                }
                Some(_) => {}
                None => {
                    moved.insert(event.control, *event);
                }
            }
        }
        None
    }
}

impl ReadKind {
    /// How long an event that was not read had been there, or how early it was read.
    pub fn late(self) -> Option<Nanos> {
        match self {
            ReadKind::Old { by } | ReadKind::Ahead { by } => Some(by),
            ReadKind::Other | ReadKind::Twice => None,
        }
    }

    fn is_like(self, other: ReadKind) -> bool {
        core::mem::discriminant(&self) == core::mem::discriminant(&other)
    }

    fn longer(self, other: ReadKind) -> ReadKind {
        match (self, other) {
            (ReadKind::Old { by }, ReadKind::Old { by: other }) => {
                ReadKind::Old { by: by.max(other) }
            }
            (ReadKind::Ahead { by }, ReadKind::Ahead { by: other }) => {
                ReadKind::Ahead { by: by.max(other) }
            }
            (kind, _) => kind,
        }
    }
}

/// Whether a device can no longer be heard.
pub(super) fn is_loss(held: Held, event: &Event) -> bool {
    held.roster.control(event.control).is_presence
        && Presence::from_value(event.value) != Presence::Here
}

/// The devices that cannot be heard.
#[derive(Default)]
struct Lost(BTreeSet<DeviceId>);

impl Lost {
    /// Takes in an event. Returns whether it is heard: the value of a device that cannot be is
    /// not.
    fn lets_hear(&mut self, held: Held, event: &Event) -> bool {
        let control = held.roster.control(event.control);
        match control.is_presence {
            false => return !self.0.contains(&control.device),
            true if is_loss(held, event) => self.0.insert(control.device),
            true => self.0.remove(&control.device),
        };
        true
    }
}

/// The controls that the game reads of the device of an event.
fn controls_of<'a>(
    held: Held<'a>,
    rows: &'a Rows,
    event: &Event,
) -> impl Iterator<Item = ControlId> + use<'a> {
    let device = held.roster.control(event.control).device;
    let reads = rows.reads.keys().copied();
    reads.filter(move |control| held.roster.control(*control).device == device)
}

/// How long before a poll a value was no more, and how long after it it came.
#[derive(Clone, Copy, Debug, Default)]
struct Ages {
    old: Option<Nanos>,
    ahead: Option<Nanos>,
}

/// The ages of a value that was read instead of the last of those that were said before a
/// poll.
fn ages_of(
    said: &[(Nanos, i32)],
    before: usize,
    poll: Nanos,
    is_read: impl Fn(i32) -> bool,
) -> Ages {
    let old = said[..before].iter().rposition(|(_, value)| is_read(*value));
    let old = old.and_then(|at| said.get(at + 1)).map(|(time, _)| Nanos(poll.0 - time.0));
    let mut soon = said[before..].iter().take_while(|(time, _)| time.0 <= poll.0 + AHEAD.0);
    let ahead = soon.find(|(_, value)| is_read(*value));
    Ages { old, ahead: ahead.map(|(time, _)| Nanos(time.0 - poll.0)) }
}

/// The events as a game read them at one of its polls: of the controls of which it says
/// something, what it read; of all others, what they said. Before the first frame, where
/// frames are missing and where the game does not say yet, the devices are believed.
fn as_read(held: Held, rows: &Rows, poll: usize) -> Heard {
    let mut heard = Heard::default();
    let mut out: Vec<Event> = Vec::new();
    // What each control said last and when, and what was passed on of it.
    let mut said: BTreeMap<ControlId, (i32, Nanos)> = BTreeMap::new();
    let mut passed: BTreeMap<ControlId, i32> = BTreeMap::new();
    for &control in rows.reads.keys() {
        let rest = held.roster.control(control).kind.rest();
        said.insert(control, (rest, Nanos(0)));
        passed.insert(control, rest);
    }
    let mut lost = Lost::default();
    let mut events = held.events.iter().peekable();
    let mut before = Nanos(0);
    for (at, row) in rows.list.iter().enumerate() {
        let now = row.polled[0];
        while let Some(event) = events.next_if(|event| event.time <= now) {
            if !lost.lets_hear(held, event) {
                // No rig hears it, but one that goes on with devices that cannot be heard.
                if row.begins() || rows.reads.get(&event.control).is_none_or(|of| of[at].is_none())
                {
                    out.push(*event);
                }
                continue;
            }
            let Some(last) = said.get_mut(&event.control) else {
                out.push(*event);
                if held.roster.control(event.control).is_presence {
                    // What is read from here on is passed on, whatever it is: a rig may go on
                    // with devices that cannot be heard.
                    for control in controls_of(held, rows, event) {
                        let rest = held.roster.control(control).kind.rest();
                        said.insert(control, (rest, event.time));
                        passed.remove(&control);
                    }
                }
                continue;
            };
            *last = (event.value, event.time);
            if row.begins() || rows.reads[&event.control][at].is_none() {
                passed.insert(event.control, event.value);
                out.push(*event);
            }
        }
        for (&control, column) in &rows.reads {
            let Some(read) = column[at].map(|read| read[poll]) else { continue };
            if passed.insert(control, read) == Some(read) {
                continue;
            }
            // It came when the device said it, where it is what the device said.
            let (value, time) = said[&control];
            let time = if value == read && time > before { time } else { now };
            out.push(Event::new(time.min(now), control, read));
        }
        heard.add_row(&mut out);
        before = now;
    }
    heard
}

/// The events with those where they happened that came [late](Marks::LATE): they were moved
/// to just after the tick that had missed them, and a frame that read them before tells that
/// they had come by then. `None` where no event was late.
pub(super) fn put_back(held: Held, rows: &Rows) -> Option<Vec<Event>> {
    if held.events.iter().all(|event| !event.marks.contains(Marks::LATE)) {
        return None;
    }
    let mut events: Vec<Event> = held.events.to_vec();
    // What each control is known to have said last, and when.
    let mut known: BTreeMap<ControlId, (Nanos, i32)> = BTreeMap::new();
    let mut lost = Lost::default();
    for event in &mut events {
        let of = held.roster.control(event.control);
        if of.is_presence {
            // Nothing that it says after it came was there before.
            let rest = |control: ControlId| held.roster.control(control).kind.rest();
            let its = held.roster.device(of.device).controls();
            known.extend(its.map(|control| (control, (event.time, rest(control)))));
        }
        // Neither a repeat nor what nobody hears says anything.
        if event.marks.contains(Marks::REPEAT) || !lost.lets_hear(held, event) {
            continue;
        }
        let kind = &held.roster.control(event.control).kind;
        let last = known.entry(event.control).or_insert((Nanos(0), kind.rest()));
        if event.marks.contains(Marks::LATE)
            && let Some(column) = rows.reads.get(&event.control)
        {
            // Of several that came late together, a frame may have read only the last.
            let Some(time) = first_read(rows, column, *last, event, kind.is_button()) else {
                continue;
            };
            event.time = time;
        }
        *last = (event.time, event.value);
    }
    // What a control said before something that was put back had come before it.
    let mut next: BTreeMap<ControlId, Nanos> = BTreeMap::new();
    for event in events.iter_mut().rev() {
        let next = next.entry(event.control).or_insert(event.time);
        event.time = event.time.min(*next);
        *next = event.time;
    }
    events.sort_by_key(|event| event.time);
    Some(events)
}

/// The first poll that read an event before the instant to which it was moved; `None` where
/// none did, or where the value is what was `last` known, since when no poll can tell.
fn first_read(
    rows: &Rows,
    column: &[Option<[i32; 2]>],
    (since, last): (Nanos, i32),
    event: &Event,
    is_button: bool,
) -> Option<Nanos> {
    let seen = |value: i32| if is_button { i32::from(value != 0) } else { value };
    if seen(last) == seen(event.value) {
        return None;
    }
    let first = rows.list.partition_point(|row| row.polled[0] < since);
    let polls = rows.list[first..].iter().zip(&column[first..]);
    polls
        .take_while(|(row, _)| row.polled[0] < event.time)
        .find(|(_, read)| read.is_some_and(|[read, _]| seen(read) == seen(event.value)))
        .map(|(row, _)| row.polled[0])
}
