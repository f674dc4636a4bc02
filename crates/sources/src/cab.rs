//! A simulated crane cab: two worn pads, a noisy lever, a keyboard and a glass
//! panel, moved by acts on a timetable.
//!
//! The cab reports as real devices do: analogue controls at their own report
//! interval, with noise and wear, and only when the raw value changed; buttons
//! when they move. All randomness comes from one seeded generator and is drawn
//! in order of time, so the same seed gives the same events however often the
//! cab is drained.

mod axis;
mod devices;
mod hand;
mod operator;
mod story;
mod strokes;

pub use story::Story;
pub use strokes::MAX_STROKES;
use strum::VariantArray;

use crate::Source;
use axis::Axis;
use devices::{Maker, Model, UNITS_PER_MM};
use gtrig_analysis::{Label, Session};
use gtrig_core::{DeviceId, Event, Marks, Nanos, Presence};
use operator::Operator;
use rand_pcg::{
    Pcg32,
    rand_core::{Rng, SeedableRng},
};
use std::collections::VecDeque;

/// Something that happens in the cab.
#[derive(Clone, Debug, PartialEq)]
enum Act {
    /// A button goes down or up.
    Button { device: Model, code: &'static str, down: bool },
    /// A key repeats by itself while it is held.
    Repeat { code: &'static str },
    /// A control is moved to a share of its travel, as a hand does.
    Move { device: Model, code: &'static str, to: f32, over: Nanos },
    /// A finger is at a place on the glass panel, in millimetres, or lifts.
    Touch { contact: u8, place: Option<[f32; 2]> },
    /// The centre of a control wanders off to a share of its travel.
    Drift { device: Model, code: &'static str, to: f32, over: Nanos },
    /// A device's radio drops everything up to an instant.
    DropReports { device: Model, until: Nanos },
    /// A device is connected.
    Plug(Model),
    /// A device is disconnected.
    Unplug(Model),
    /// A device's input goes elsewhere, or comes back.
    Hearing(Model, Presence),
    /// Somebody writes on the timeline.
    Label(&'static str),
}

/// Acts in order of time.
#[derive(Debug, Default)]
struct Timetable(VecDeque<(Nanos, Act)>);

impl Timetable {
    fn add(&mut self, time: Nanos, act: Act) {
        let at = self.0.partition_point(|(other, _)| *other <= time);
        self.0.insert(at, (time, act));
    }

    fn next_time(&self) -> Option<Nanos> {
        self.0.front().map(|(time, _)| *time)
    }

    /// A button pressed and released.
    fn tap(&mut self, device: Model, code: &'static str, from: Nanos, until: Nanos) {
        self.add(from, Act::Button { device, code, down: true });
        self.add(until, Act::Button { device, code, down: false });
    }
}

/// The simulated cab.
#[derive(Debug)]
pub struct Cab {
    rng: Pcg32,
    timetable: Timetable,
    /// Adds acts for as long as the cab runs; a story needs none.
    operator: Option<Operator>,
    devices: Vec<Simulated>,
    /// What was last said of each contact: x, y, and whether it is down.
    contacts: [[i32; 3]; CONTACTS],
}

/// How many contacts the cab's hands use.
const CONTACTS: usize = 2;

/// A device that is plugged in.
#[derive(Debug)]
struct Simulated {
    model: Model,
    id: DeviceId,
    axes: Vec<Axis>,
    interval: u64,
    next_report: u64,
}

impl Cab {
    /// A cab with an operator at work, for ever.
    pub fn at_work(seed: u64) -> Self {
        let mut cab = Cab::idle(seed);
        for &model in Model::VARIANTS {
            cab.timetable.add(Nanos(0), Act::Plug(model));
        }
        cab.operator = Some(Operator::default());
        cab
    }

    fn idle(seed: u64) -> Self {
        let rng = Pcg32::seed_from_u64(seed);
        Cab {
            rng,
            timetable: Timetable::default(),
            operator: None,
            devices: Vec::new(),
            contacts: [[0; 3]; CONTACTS],
        }
    }

    fn perform(&mut self, session: &mut Session, time: Nanos, act: Act) {
        match act {
            Act::Plug(model) => self.plug(session, model, time),
            Act::Unplug(model) => {
                if let Some(at) = self.devices.iter().position(|d| d.model == model) {
                    session.unplug(self.devices.remove(at).id, time);
                }
            }
            Act::Hearing(model, presence) => {
                if let Some(device) = self.devices.iter().find(|d| d.model == model) {
                    session.set_presence(device.id, presence, time);
                }
            }
            Act::DropReports { device, until } => {
                if let Some(device) = self.devices.iter_mut().find(|d| d.model == device) {
                    device.next_report = until.0;
                }
            }
            Act::Label(text) => {
                session.add_label(Label { time, text: gtrig_core::CleanText::new(text) });
            }
            Act::Button { device, code, down } => {
                self.report(session, device, code, i32::from(down), Marks::empty(), time);
            }
            Act::Repeat { code } => {
                self.report(session, Model::Keys, code, 1, Marks::REPEAT, time);
            }
            Act::Move { device, code, to, over } => {
                self.axis(device, code, |axis| axis.hand.go(time, over, to));
            }
            Act::Touch { contact, place } => self.touch(session, contact, place, time),
            Act::Drift { device, code, to, over } => {
                self.axis(device, code, |axis| axis.drift.go(time, over, to));
            }
        }
    }

    fn plug(&mut self, session: &mut Session, model: Model, time: Nanos) {
        let Maker { info, axes, interval } = model.maker();
        // The cab has five devices; a roster has room for thousands.
        let Ok(id) = session.plug(info, time) else {
            return;
        };
        let device = session.roster().device(id);
        let axes = axes
            .iter()
            .filter_map(|wear| Some(Axis::new(*wear, session, device.control(wear.code)?)))
            .collect();
        let next_report = time.0 + interval;
        self.devices.push(Simulated { model, id, axes, interval, next_report });
    }

    fn report(
        &self,
        session: &mut Session,
        model: Model,
        code: &str,
        value: i32,
        marks: Marks,
        time: Nanos,
    ) {
        let device = self.devices.iter().find(|d| d.model == model);
        let control = device.and_then(|d| session.roster().device(d.id).control(code));
        if let Some(control) = control {
            session.report(Event { time, value, control, marks });
        }
    }

    /// A panel says only what changed.
    fn touch(&mut self, session: &mut Session, contact: u8, place: Option<[f32; 2]>, time: Nanos) {
        let at = usize::from(contact) - 1;
        let was = self.contacts[at];
        let units = |mm: f32, most: i32| ((mm * UNITS_PER_MM) as i32).clamp(0, most);
        let is = match place {
            Some([x, y]) => [units(x, 1919), units(y, 1079), 1],
            None => [was[0], was[1], 0],
        };
        for (n, part) in ["-x", "-y", ""].into_iter().enumerate() {
            if is[n] != was[n] {
                let code = format!("contact-{contact}{part}");
                self.report(session, Model::Glass, &code, is[n], Marks::empty(), time);
            }
        }
        self.contacts[at] = is;
    }

    fn axis(&mut self, model: Model, code: &str, change: impl FnOnce(&mut Axis)) {
        let device = self.devices.iter_mut().find(|d| d.model == model);
        if let Some(axis) = device.and_then(|d| d.axes.iter_mut().find(|a| a.wear.code == code)) {
            change(axis);
        }
    }

    /// The device whose report is due first.
    fn next_report(&self) -> Option<(u64, usize)> {
        let due = self.devices.iter().enumerate().map(|(at, d)| (d.next_report, at));
        due.min()
    }

    fn send_report(&mut self, session: &mut Session, at: usize) {
        let device = &mut self.devices[at];
        let time = Nanos(device.next_report);
        for axis in &mut device.axes {
            if let Some(value) = axis.report(time, &mut self.rng) {
                let control = axis.control;
                session.report(Event { time, value, control, marks: Marks::empty() });
            }
        }
        // No clock of a cheap device keeps its interval to the microsecond.
        let jitter = u64::from(self.rng.next_u32() % 40_000);
        device.next_report += device.interval - 20_000 + jitter;
    }
}

impl Source for Cab {
    fn drain(&mut self, session: &mut Session, now: Nanos) {
        loop {
            if let Some(operator) = &mut self.operator {
                operator.plan_ahead(&mut self.timetable, &mut self.rng);
            }
            let act = self.timetable.next_time();
            let report = self.next_report();
            let act_first = match (act, report) {
                (Some(act), Some((due, _))) => act.0 <= due,
                (act, _) => act.is_some(),
            };
            if act_first {
                if act.is_none_or(|time| time > now) {
                    return;
                }
                if let Some((time, act)) = self.timetable.0.pop_front() {
                    self.perform(session, time, act);
                }
            } else {
                match report {
                    Some((due, at)) if due <= now.0 => self.send_report(session, at),
                    _ => return,
                }
            }
        }
    }
}

#[cfg(test)]
mod tests;
