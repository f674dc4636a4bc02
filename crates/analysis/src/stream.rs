//! How well the reports of a device come: how far apart, and what is wrong
//! with them.
//!
//! A [`StreamWatch`] follows the events in the order in which ticks saw them,
//! live or from a take, and costs a few nanoseconds an event. What it lists is
//! a hole in knowledge or a reason to doubt a time stamp:
//!
//! - **gap**: a device with axes or triggers was silent for more than four of its usual intervals,
//!   and then a control had moved by a tenth of its range or more at once, and
//!   by three times as much as in the report before or after. A hand that lay
//!   still and then flicks starts slowly; a move of which reports are missing
//!   does not.
//! - **stall**: a device that reports all the time (of a thousand intervals and
//!   more, at most one in a thousand was longer than two) was silent for more
//!   than eight.
//! - **burst**: five reports or more, each closer to the one before than an
//!   eighth of the usual interval: they waited somewhere and came at once.
//! - **late**: reported after the tick that should have seen it had run.
//! - **backwards**: a time stamp before that of an earlier report.
//! - **twice**: one control reported twice at one instant.
//! - **overrun**: the source lost events and asked for the state again.
//!
//! The usual interval is the median so far, without the interval that is judged. Before there are
//! 64 intervals nothing is judged by it. `docs/reports.md` has all of it exactly.

use crate::session::Session;
use strum::{IntoStaticStr, VariantArray};
mod intervals;

use alloc::{collections::VecDeque, vec::Vec};
use gtrig_core::{ControlId, ControlKind, DeviceId, Event, Keyword, Marks, Nanos, Roster};
pub use intervals::Intervals;

/// At most so many troubles are listed, the newest; all are counted.
pub const MAX_LISTED: usize = 10_000;

/// What is wrong with a stretch of a stream. See the module documentation.
#[derive(Clone, Copy, Debug, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum TroubleKind {
    /// Reports are missing from a move.
    Gap,
    /// A device that always reports was silent.
    Stall,
    /// The source lost events.
    Overrun,
    /// Reports that waited came all at once.
    Burst,
    /// Reports came after their tick had run.
    Late,
    /// Time went back.
    #[strum(serialize = "backwards")]
    Disordered,
    /// One control was reported twice at one instant.
    #[strum(serialize = "twice")]
    Duplicate,
}

impl TroubleKind {
    /// Whether nothing is known of the device in that stretch.
    pub const fn is_hole(self) -> bool {
        matches!(self, TroubleKind::Gap | TroubleKind::Stall | TroubleKind::Overrun)
    }
}

/// A stretch of a stream with which something is wrong.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Trouble {
    /// What is wrong.
    pub kind: TroubleKind,
    /// With which device.
    pub device: DeviceId,
    /// The control that showed it, where one did.
    pub control: Option<ControlId>,
    /// The last instant before it at which all was well.
    pub from: Nanos,
    /// Its end.
    pub to: Nanos,
    /// How many events are concerned; for a gap or a stall, about how many
    /// reports are missing.
    pub count: u32,
    /// By what share of its range the control had moved, for a gap.
    pub jump: f32,
}

/// What is known of the stream of one device.
#[derive(Clone, Debug, Default)]
pub struct DeviceStream {
    /// Events, auto-repeat included.
    pub events: u64,
    /// Reports: events of one instant are one.
    pub reports: u64,
    /// The first report.
    pub first: Option<Nanos>,
    /// The last one.
    pub last: Option<Nanos>,
    /// From report to report, while it could be heard.
    pub intervals: Intervals,
    counts: [u64; TroubleKind::ALL.len()],
    /// The report before, unless the device has been away since.
    before: Option<Nanos>,
    /// The length of the interval that ended with the newest report.
    interval: Nanos,
    /// The usual interval before that one, in nanoseconds.
    usual: Option<u64>,
    /// The last report that was not close to the one before.
    run_began: Nanos,
    /// How many reports since then were.
    run: u32,
    /// What may be a gap in the newest report, and in the one before it.
    suspects: [Option<Suspect>; 2],
}

/// A jump that may be a gap, of the control that moved furthest; the report after it decides.
#[derive(Clone, Copy, Debug)]
struct Suspect {
    trouble: Trouble,
    step_before: f32,
}

/// How a control moved last.
#[derive(Clone, Copy, Debug)]
struct Motion {
    value: i32,
    at: Option<Nanos>,
    /// By what share of its range.
    step: f32,
}

impl DeviceStream {
    /// How often this went wrong.
    pub fn count(&self, kind: TroubleKind) -> u64 {
        self.counts[kind as usize]
    }

    /// How often anything went wrong.
    pub fn troubles(&self) -> u64 {
        self.counts.iter().sum()
    }

    /// Events per second from the first report to the last.
    pub fn events_per_second(&self) -> f64 {
        match (self.first, self.last) {
            (Some(first), Some(last)) if first < last => {
                self.events as f64 * 1e9 / (last.0 - first.0) as f64
            }
            _ => 0.0,
        }
    }
}

/// Follows the streams of all devices of a session.
#[derive(Clone, Debug, Default)]
pub struct StreamWatch {
    devices: Vec<DeviceStream>,
    motions: Vec<Motion>,
    troubles: VecDeque<Trouble>,
    /// The number of the next event to take in.
    next: u64,
}

impl StreamWatch {
    /// Everything that a session still knows.
    pub fn over(session: &Session) -> Self {
        let mut watch = StreamWatch::default();
        watch.catch_up(session);
        watch
    }

    /// Takes in what ticks have seen since.
    pub fn catch_up(&mut self, session: &Session) {
        let roster = session.roster();
        self.devices.resize_with(roster.devices().len(), DeviceStream::default);
        let known = self.motions.len();
        self.motions.extend(roster.controls()[known..].iter().map(|control| Motion {
            value: control.kind.rest(),
            at: None,
            step: 0.0,
        }));
        for event in session.seen_from(self.next) {
            self.take_in(roster, &event);
        }
        self.next = session.seen_count();
    }

    /// The session is another one that has seen the same: go on from here.
    pub fn go_on_from(&mut self, session: &Session) {
        self.next = session.seen_count();
    }

    /// The stream of a device.
    pub fn device(&self, id: DeviceId) -> Option<&DeviceStream> {
        self.devices.get(usize::from(id.0))
    }

    /// What went wrong, in order of time; see [`MAX_LISTED`].
    pub fn troubles(&self) -> &VecDeque<Trouble> {
        &self.troubles
    }

    /// The stretches between two instants in which nothing is known of a
    /// device, though it was there.
    pub fn holes(
        &self,
        device: DeviceId,
        from: Nanos,
        to: Nanos,
    ) -> impl Iterator<Item = &Trouble> {
        self.troubles
            .iter()
            .take_while(move |trouble| trouble.from <= to)
            .filter(move |t| t.kind.is_hole() && t.device == device && t.to >= from)
    }

    fn take_in(&mut self, roster: &Roster, event: &Event) {
        let control = roster.control(event.control);
        if control.is_presence {
            self.end_burst(control.device);
            self.devices[usize::from(control.device.0)].before = None;
            return;
        }
        if event.marks.contains(Marks::CARRIED) {
            self.motions[event.control.index()].value = event.value;
            return;
        }
        let is_new = {
            let stream = &mut self.devices[usize::from(control.device.0)];
            stream.events += 1;
            stream.last.is_none_or(|last| last != event.time)
        };
        if is_new {
            self.report(control.device, event.time);
        }
        self.doubt(control.device, event);
        self.movement(control.kind, control.device, event);
    }

    /// A new report of a device begins.
    fn report(&mut self, device: DeviceId, time: Nanos) {
        self.decide(device);
        let stream = &mut self.devices[usize::from(device.0)];
        stream.suspects = [None, stream.suspects[0].take()];
        stream.reports += 1;
        stream.first.get_or_insert(time);
        let before = stream.before.replace(time).filter(|before| *before < time);
        let interval = before.map_or(0, |before| time.0 - before.0);
        let is_steady = stream.intervals.is_steady();
        stream.usual = stream.intervals.usual().map(|usual| usual.0.max(1));
        let is_close = before.is_some() && stream.usual.is_some_and(|usual| interval * 8 < usual);
        if is_close {
            stream.run += 1;
        } else {
            self.end_burst(device);
        }
        let stream = &mut self.devices[usize::from(device.0)];
        if !is_close {
            stream.run_began = time;
        }
        (stream.last, stream.interval) = (Some(time), Nanos(interval));
        let Some(before) = before else { return };
        stream.intervals.add(before, time);
        let stalled = stream.usual.filter(|usual| is_steady && interval > 8 * usual);
        if let Some(usual) = stalled {
            let count = missing(interval, usual);
            self.list(Trouble::of(TroubleKind::Stall, device, (before, time), count));
        }
    }

    /// The reports up to the last one that were close to each other were a burst, if they were
    /// enough.
    fn end_burst(&mut self, device: DeviceId) {
        let stream = &mut self.devices[usize::from(device.0)];
        let run = core::mem::take(&mut stream.run);
        if let Some(last) = stream.last.filter(|_| run >= 4) {
            let stretch = (stream.run_began, last);
            self.list(Trouble::of(TroubleKind::Burst, device, stretch, run + 1));
        }
    }

    /// The same when nothing follows: with what is still open as if it was over.
    #[must_use]
    pub fn finished(&self) -> Self {
        let mut finished = self.clone();
        for device in (0..self.devices.len()).map(|n| DeviceId(n as u16)) {
            finished.decide(device);
            finished.devices[usize::from(device.0)].suspects.swap(0, 1);
            finished.decide(device);
            finished.end_burst(device);
        }
        finished
    }

    /// Whether the jump of the report before the newest was a gap: the newest one is complete.
    fn decide(&mut self, device: DeviceId) {
        let stream = &mut self.devices[usize::from(device.0)];
        let Some(Suspect { trouble, step_before }) = stream.suspects[1].take() else { return };
        let motion = trouble.control.map(|id| self.motions[id.index()]);
        let step_after = motion.filter(|m| m.at > Some(trouble.to)).map_or(0.0, |m| m.step);
        let is_stall = |other: &Trouble| {
            other.kind == TroubleKind::Stall && (other.device, other.to) == (device, trouble.to)
        };
        let later = self.troubles.iter().rev().take_while(|other| other.from >= trouble.from);
        let is_known = { later }.any(is_stall);
        if trouble.jump >= 3.0 * step_before.max(step_after) && !is_known {
            self.list(trouble);
        }
    }

    fn movement(&mut self, kind: ControlKind, device: DeviceId, event: &Event) {
        let motion = &mut self.motions[event.control.index()];
        let range = kind.range().map_or(0.0, |(min, max)| f64::from(max) - f64::from(min));
        let moved = (f64::from(event.value) - f64::from(motion.value)).abs();
        // A finger may land anywhere: a place that jumps says nothing.
        let is_analogue = matches!(kind, ControlKind::Axis { .. } | ControlKind::Trigger { .. });
        let step = if is_analogue && range > 0.0 { (moved / range) as f32 } else { 0.0 };
        let step_before = motion.step;
        *motion = Motion { value: event.value, at: Some(event.time), step };
        let stream = &mut self.devices[usize::from(device.0)];
        let interval = stream.interval.0;
        let Some(usual) = stream.usual else { return };
        let is_known = event.marks.intersects(Marks::RESYNCED | Marks::LATE);
        let is_largest = stream.suspects[0].is_none_or(|s| s.trouble.jump < step);
        if interval > 4 * usual && step >= 0.1 && is_largest && !is_known {
            let from = Nanos(event.time.0 - interval);
            let count = missing(interval, usual);
            let trouble = Trouble {
                control: Some(event.control),
                jump: step,
                ..Trouble::of(TroubleKind::Gap, device, (from, event.time), count)
            };
            stream.suspects[0] = Some(Suspect { trouble, step_before });
        }
    }

    /// What the event itself gives reason to doubt.
    fn doubt(&mut self, device: DeviceId, event: &Event) {
        let Event { time, marks, control, .. } = *event;
        let here = (time, time);
        if marks.contains(Marks::DISORDERED) {
            self.count(Trouble::of(TroubleKind::Disordered, device, here, 1));
        } else if marks.contains(Marks::LATE) {
            self.count(Trouble::of(TroubleKind::Late, device, here, 1));
        }
        if marks.contains(Marks::RESYNCED) {
            let interval = self.devices[usize::from(device.0)].interval.0;
            let from = Nanos(time.0 - interval);
            self.count(Trouble::of(TroubleKind::Overrun, device, (from, time), 1));
        }
        let is_twice = self.motions[control.index()].at == Some(time);
        if is_twice && !marks.intersects(Marks::LATE | Marks::RESYNCED | Marks::REPEAT) {
            let twice = Trouble::of(TroubleKind::Duplicate, device, here, 2);
            self.count(Trouble { control: Some(control), ..twice });
        }
    }

    /// Lists a trouble, or adds to the one of the same instant.
    fn count(&mut self, trouble: Trouble) {
        let what = |of: &Trouble| (of.kind, of.device, of.control, of.from, of.to);
        let later = self.troubles.iter_mut().rev().take_while(|other| other.from >= trouble.from);
        let same = { later }.find(|other| what(other) == what(&trouble));
        match same {
            Some(other) => other.count += 1,
            None => self.list(trouble),
        }
    }

    fn list(&mut self, trouble: Trouble) {
        self.devices[usize::from(trouble.device.0)].counts[trouble.kind as usize] += 1;
        let later = self.troubles.iter().rev().take_while(|other| other.from > trouble.from);
        let at = self.troubles.len() - later.count();
        self.troubles.insert(at, trouble);
        if self.troubles.len() > MAX_LISTED {
            self.troubles.pop_front();
        }
    }
}

/// About how many reports are missing from an interval.
fn missing(interval: u64, usual: u64) -> u32 {
    u32::try_from((interval + usual / 2) / usual).unwrap_or(u32::MAX).saturating_sub(1)
}

impl Trouble {
    fn of(kind: TroubleKind, device: DeviceId, (from, to): (Nanos, Nanos), count: u32) -> Self {
        Trouble { kind, device, control: None, from, to, count, jump: 0.0 }
    }
}
