//! How long it takes from a device to what a game makes of it.

use super::{
    Held,
    reading::Reading,
    road::{Heard, Road},
    rows::{Compared, Row, Rows},
};
use alloc::{collections::BTreeMap, vec::Vec};
use gtrig_core::{ActionState, Aspect, ControlId, DeviceId, Event, Marks, Nanos};

/// Reports further apart tell of a pause, not of how often a device reports.
const PAUSE: Nanos = Nanos::from_millis(100);

/// Times, shortest first.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Delays(Vec<u64>);

impl Delays {
    /// The time that a share of them does not exceed (nearest rank): 0 is the shortest, 1
    /// the longest. `None` when there is none.
    pub fn at(&self, share: f64) -> Option<Nanos> {
        let rank = libm::ceil(share.clamp(0.0, 1.0) * self.0.len() as f64) as usize;
        self.0.get(rank.saturating_sub(1)).copied().map(Nanos)
    }

    /// How many there are.
    pub fn count(&self) -> usize {
        self.0.len()
    }
}

/// From the press of a button to the value of the game that it turned on, over all presses
/// that turned one on.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Latency {
    /// From one report of the device to the next, of those that follow each other within
    /// 100 ms: a press waits in the device for at most about so long. Of all devices that
    /// drove a value.
    pub report: Delays,
    /// From the event to the poll that read it.
    pub to_poll: Delays,
    /// From that poll to the value.
    pub to_value: Delays,
    /// From the event to the value.
    pub whole: Delays,
}

/// What a value was turned on by.
struct Press {
    pressed: Nanos,
    polled: Nanos,
    acted: Nanos,
    device: DeviceId,
}

pub(super) fn measure(
    held: Held,
    said: &Heard,
    rows: &Rows,
    road: &Road,
    reading: &Reading,
) -> Latency {
    let digital: Vec<&Compared> = rows
        .compared
        .iter()
        .filter(|of| {
            of.gives.is_digital() && matches!(of.target.aspect, Aspect::X | Aspect::Pressed)
        })
        .collect();
    let heard = if reading.is_known() { &reading.first } else { said };
    let mut was: Vec<ActionState> = digital.iter().map(|_| ActionState::IDLE).collect();
    // Of each value, what turned it on by the rig, and has not turned it on there yet.
    let mut waiting: Vec<Option<(usize, ControlId)>> = digital.iter().map(|_| None).collect();
    let mut presses: Vec<Press> = Vec::new();
    let mut at = 0;
    road.run(held.rig, heard, rows.list.len(), |row, machine| {
        for ((of, was), waiting) in digital.iter().zip(&mut was).zip(&mut waiting) {
            let now = machine.action(of.target.action);
            if row.begins() {
                *waiting = None;
            } else if let (true, Some(driver)) = (now.is_active() && !was.is_active(), now.driver) {
                *waiting = Some((at, driver));
            }
            *was = now;
            let theirs = of.theirs[at];
            let before = at.checked_sub(1).map_or(f64::NAN, |before| of.theirs[before]);
            let is_on = theirs > 0.0 && (of.is_count || before == 0.0);
            if let Some((from, driver)) = waiting.filter(|_| is_on) {
                *waiting = None;
                presses.extend(press(held, rows, reading, (from, at), driver));
            }
        }
        at += 1;
    });
    let sorted = |part: &dyn Fn(&Press) -> Nanos| {
        let mut times: Vec<u64> = presses.iter().map(|press| part(press).0).collect();
        times.sort_unstable();
        Delays(times)
    };
    let mut devices: Vec<DeviceId> = presses.iter().map(|press| press.device).collect();
    devices.sort_unstable();
    devices.dedup();
    Latency {
        report: report_intervals(held, &devices),
        to_poll: sorted(&|press| Nanos(press.polled.0 - press.pressed.0)),
        to_value: sorted(&|press| Nanos(press.acted.0.saturating_sub(press.polled.0))),
        whole: sorted(&|press| Nanos(press.acted.0.saturating_sub(press.pressed.0))),
    }
}

/// The press by which the rig turned a value on in one row, and the game in another.
fn press(
    held: Held,
    rows: &Rows,
    reading: &Reading,
    (from, at): (usize, usize),
    driver: ControlId,
) -> Option<Press> {
    let Row { polled, .. } = rows.list[from];
    let until = held.events.partition_point(|event| event.time <= polled[0]);
    let is_button = held.roster.control(driver).kind.is_button();
    let device = held.roster.control(driver).device;
    // What is on a device that goes, or comes, is up.
    let is_presence = |event: &Event| held.roster.control(event.control).is_presence;
    let of_driver = |event: &&Event| {
        let is_presence = event.control == held.roster.device(device).presence();
        (event.control == driver || is_presence) && !event.marks.contains(Marks::REPEAT)
    };
    let is_up = |event: &&Event| is_presence(event) || event.value == 0;
    let mut said = held.events[..until].iter().rev().filter(of_driver);
    // A button that is down may say so again, in another value: that is no press.
    let pressed = match is_button {
        true => said.skip_while(is_up).take_while(|event| !is_up(event)).last(),
        false => said.find(|event| !is_presence(event)),
    };
    let pressed = pressed.filter(|event| !event.marks.contains(Marks::CARRIED))?.time;
    let column = rows.reads.get(&driver).filter(|_| is_button && reading.knows(driver));
    let reads = |row: usize| match column {
        Some(column) => column[row].is_some_and(|read| read[0] != 0),
        None => true,
    };
    let polls = (0..=at).rev().take_while(|&row| rows.list[row].polled[0] >= pressed);
    let poll = polls.filter(|&row| reads(row)).last().unwrap_or(at);
    Some(Press {
        pressed,
        polled: rows.list[poll].polled[0].max(pressed),
        acted: rows.list[at].acted.max(pressed),
        device,
    })
}

fn report_intervals(held: Held, devices: &[DeviceId]) -> Delays {
    let mut last: BTreeMap<DeviceId, Nanos> = BTreeMap::new();
    let mut intervals: Vec<u64> = Vec::new();
    for event in held.events {
        let control = held.roster.control(event.control);
        if control.is_presence || !devices.contains(&control.device) {
            continue;
        }
        let before = last.insert(control.device, event.time);
        let interval = before.map_or(0, |before| event.time.0.saturating_sub(before.0));
        if (1..=PAUSE.0).contains(&interval) {
            intervals.push(interval);
        }
    }
    intervals.sort_unstable();
    Delays(intervals)
}
