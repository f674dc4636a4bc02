//! Why a value of a game is not what the rig says.

use super::{
    FrameAt, Held, Span,
    numbers::{self, Found},
    reading::{Otherwise, ReadKind, Reading},
    road::Road,
    rows::{Compared, Rows},
    variants::{self, Other},
};
use alloc::{vec, vec::Vec};
use gtrig_core::{
    ActionId, ActionState, Aspect, ControlId, DeviceId, Event, Gives, Nanos, Place, Plan, Presence,
    Rig,
};

/// At most so many of the first spans are looked at to find out whether a mistake explains
/// any; then all are.
const STUDIED_SPANS: usize = 40;

/// And so many rows from the first of them on, if there are as many: what a number breaks
/// is looked for there too.
const STUDIED_ROWS: usize = 6_000;

/// Values may be so many frames late to be taken for such.
const MOST_LATE: u32 = 3;

/// A factor is one only where so many different values bear it out.
const LEAST_VALUES: usize = 4;

/// What opens and closes an action.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Gate {
    /// It is closed while this action is on.
    While(ActionId),
    /// It is closed while this action is off.
    Without(ActionId),
    /// It is open in some modes only.
    Modes,
}

/// The mistake with which the rig gives what the game gave, in every frame of a difference
/// and in those beside it.
#[derive(Clone, Debug, PartialEq)]
#[non_exhaustive]
pub enum Cause {
    /// The game read something else than the device had said. With what it read, the rig
    /// gives what it gave.
    Read {
        /// What it read otherwise.
        control: ControlId,
        /// How.
        kind: ReadKind,
    },
    /// A button moved and moved back between two polls. The game does not catch that, and
    /// the rig does.
    Between {
        /// The button.
        control: ControlId,
        /// When it moved.
        moved: Nanos,
        /// When it moved back.
        back: Nanos,
    },
    /// What happened in a frame that ran no fixed step was never read by one.
    StepLost(FrameAt),
    /// What happened in a frame that ran several fixed steps was read by each.
    StepRepeated(FrameAt, u16),
    /// The game follows another device.
    OtherDevice {
        /// The one that the rig follows; `None` where none drives it.
        ours: Option<DeviceId>,
        /// The one that the game follows.
        theirs: DeviceId,
    },
    /// The game does not heed a gate, which is closed.
    GateOpen(Gate),
    /// A gate is open, but by what the game says of it, it is closed there.
    GateClosed(Gate),
    /// What is moved goes the same way in every frame, however long it lasts.
    PerFrame {
        /// The way is right in frames of so many seconds.
        seconds: f64,
        /// The shortest and the longest of the frames.
        lasted: [Nanos; 2],
    },
    /// A number is another one. With any from `from` to `to` all is explained.
    Number {
        /// Where it stands in the rig.
        place: Place,
        /// Its unit.
        unit: &'static str,
        /// What it is by the rig.
        ours: f64,
        /// The smallest that explains it.
        from: f64,
        /// The largest.
        to: f64,
    },
    /// Something is done otherwise.
    Otherwise(Other),
    /// Every value is so many times as large.
    Times(f64),
    /// It goes on though its device cannot be heard.
    Unheard,
    /// It is what it should have been so many frames before.
    FramesLate(u32),
    /// None of these explains it.
    Unknown,
}

impl Cause {
    /// How long an event that was not read had been there.
    pub fn late(&self) -> Option<Nanos> {
        match self {
            Cause::Read { kind, .. } => kind.late(),
            _ => None,
        }
    }
}

/// A mistake, and what comes out with it.
struct Mistake {
    cause: Cause,
    series: Vec<f64>,
}

/// What is looked at besides the frames of a difference.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Beside {
    /// Those before and after: the mistake is there all the time.
    Both,
    /// Nothing: the mistake comes and goes, as when a game turns to another device.
    None,
}

impl Cause {
    const fn beside(&self) -> Beside {
        match self {
            Cause::OtherDevice { .. } => Beside::None,
            _ => Beside::Both,
        }
    }
}

/// Looks for causes.
pub(super) struct Explainer<'a> {
    held: Held<'a>,
    rows: &'a Rows,
    road: &'a Road<'a>,
    reading: &'a Reading,
    /// What comes out of what the game read at the first and at the last poll.
    as_read: Option<Vec<Vec<f64>>>,
    as_read_last: Option<Vec<Vec<f64>>>,
}

impl<'a> Explainer<'a> {
    pub(super) fn new(
        held: Held<'a>,
        rows: &'a Rows,
        road: &'a Road<'a>,
        reading: &'a Reading,
    ) -> Self {
        let series = |events: &[Event]| road.series(held.rig, events, &rows.compared);
        let as_read = reading.is_known().then(|| series(&reading.first));
        let as_read_last = reading.last.as_deref().map(series);
        Explainer { held, rows, road, reading, as_read, as_read_last }
    }

    /// The cause of each span in which a value differs.
    pub(super) fn explain(&self, value: usize, ours: &[f64], spans: &[Span]) -> Vec<Cause> {
        let mut causes: Vec<Option<Cause>> = vec![None; spans.len()];
        self.explain_by_reading(value, spans, &mut causes);
        if causes.iter().all(Option::is_some) {
            return causes.into_iter().flatten().collect();
        }
        let of = &self.rows.compared[value];
        let base = self.as_read.as_ref().map_or(ours, |series| &series[value]);
        let (feeders, course) = (self.feeders(of), self.course(of));
        let at = At { of, base, feeders: &feeders, course: &course };
        let open = |causes: &[Option<Cause>]| -> Vec<Span> {
            let left = spans.iter().zip(causes).filter(|(_, cause)| cause.is_none());
            left.map(|(span, _)| *span).collect()
        };
        let mistakes = self.mistakes(at, ours, &open(&causes));
        loop {
            let left = open(&causes);
            let explained = |mistake: &Mistake| {
                left.iter().filter(|span| self.fits(at.of, mistake, span)).count()
            };
            // Of those that explain as many, the first.
            let best = mistakes.iter().map(|mistake| (explained(mistake), mistake));
            let best = best.rev().max_by_key(|(count, _)| *count).filter(|(count, _)| *count > 0);
            let Some((_, mistake)) = best else { break };
            for (span, cause) in spans.iter().zip(&mut causes) {
                if cause.is_none() && self.fits(at.of, mistake, span) {
                    *cause = Some(self.told(at, &mistake.cause, span));
                }
            }
        }
        causes.into_iter().map(|cause| cause.unwrap_or(Cause::Unknown)).collect()
    }

    fn explain_by_reading(&self, value: usize, spans: &[Span], causes: &mut [Option<Cause>]) {
        let of = &self.rows.compared[value];
        let feeders = self.feeders(of);
        for series in [&self.as_read, &self.as_read_last].into_iter().flatten() {
            for (span, cause) in spans.iter().zip(&mut *causes) {
                if cause.is_none() && self.is_explained(of, &series[value], span) {
                    *cause = self.read_otherwise(&feeders, span);
                }
            }
        }
    }

    /// What was read otherwise that the value of a span is made of.
    fn read_otherwise(&self, feeders: &[ControlId], span: &Span) -> Option<Cause> {
        let from = span.first.saturating_sub(1);
        let otherwise = &self.reading.otherwise;
        let begin = otherwise.partition_point(|other| other.row < from);
        let near = otherwise[begin..].iter().take_while(|other| other.row <= span.last);
        let of = |other: &&Otherwise| feeders.contains(&other.control);
        // What is told is how late it was at the worst.
        let worst = |other: &&Otherwise| (other.kind.late(), other.row == span.first);
        if let Some(other) = near.clone().filter(of).max_by_key(worst) {
            return Some(Cause::Read { control: other.control, kind: other.kind });
        }
        let after = self.rows.list[from].polled[0];
        let until = self.rows.list[span.first].polled[0];
        if let Some((control, moved, back)) =
            self.reading.between(self.held, feeders, (after, until))
        {
            return Some(Cause::Between { control, moved, back });
        }
        // What a combo or a toggle came to may be of long before.
        let earlier = otherwise[..begin].iter().rev().find(of);
        // And which device counts may be decided by any control.
        let other = earlier.or_else(|| near.max_by_key(worst))?;
        Some(Cause::Read { control: other.control, kind: other.kind })
    }

    /// The controls that drive an action, and those that open and close it.
    fn feeders(&self, of: &Compared) -> Vec<ControlId> {
        let plan = Plan::bind(self.held.rig, self.held.roster);
        let spec = &self.held.rig.actions[of.target.action.index()];
        let gates = spec.closed_while.iter().chain(&spec.open_while);
        let actions = core::iter::once(&of.target.action).chain(gates);
        actions.flat_map(|action| plan.feeders(*action)).collect()
    }

    /// How the action of a value went by what the game read.
    fn course(&self, of: &Compared) -> Course {
        let mut course = Course::default();
        let mut was = ActionState::IDLE;
        self.road.run(self.held.rig, self.heard(), self.rows.list.len(), |_, machine| {
            let now = machine.action(of.target.action);
            let again = now.is_active() && of.gives == Gives::Pulse;
            course.turned_on.push(now.is_active() && (!was.is_active() || again));
            course.turned_off.push(was.is_active() && !now.is_active());
            let device = |control| self.held.roster.control(control).device;
            course.drivers.push(now.driver.map(device));
            was = now;
        });
        course
    }

    /// The events that the game heard.
    fn heard(&self) -> &[Event] {
        match self.reading.is_known() {
            true => &self.reading.first,
            false => self.held.events,
        }
    }

    /// What comes out of the value by another rig or other events, if that explains any of
    /// the first spans.
    fn with(&self, at: At, rig: &Rig, events: &[Event], left: &[Span]) -> Option<Vec<f64>> {
        let (studied, count) = self.studied(left);
        let of = core::slice::from_ref(at.of);
        let mut series = self.road.series_to(rig, events, of, count).pop()?;
        if !studied.iter().any(|span| self.is_explained_within(at.of, &series, span)) {
            return None;
        }
        if count < self.rows.list.len() {
            series = self.road.series(rig, events, of).pop()?;
        }
        Some(series)
    }

    /// The first spans, and how many rows they need.
    fn studied<'s>(&self, left: &'s [Span]) -> (&'s [Span], usize) {
        let most = left[0].first + STUDIED_ROWS;
        let count = left.iter().take(STUDIED_SPANS).take_while(|span| span.last < most).count();
        let studied = &left[..count.max(1)];
        let last = studied.last().map_or(most, |span| span.last.max(most));
        (studied, (last + 2).min(self.rows.list.len()))
    }

    /// Everything that explains any of the spans, the more telling before the less.
    fn mistakes(&self, at: At, ours: &[f64], left: &[Span]) -> Vec<Mistake> {
        let mut found: Vec<Mistake> = Vec::new();
        found.extend(self.steps_read_wrongly(at));
        let action = at.of.target.action;
        let rig = self.held.rig;
        let mut add = |cause: Cause, series: Option<Vec<f64>>| {
            found.extend(series.map(|series| Mistake { cause, series }));
        };
        if let Some(polled) = variants::unlatched(rig) {
            let cause = Cause::Between { control: ControlId(0), moved: Nanos(0), back: Nanos(0) };
            add(cause, self.with(at, &polled, self.held.events, left));
        }
        for (gate, rig) in variants::ungated(rig, action) {
            add(Cause::GateOpen(gate), self.with(at, &rig, self.heard(), left));
        }
        if let Some((cause, series)) = self.per_frame(at, left) {
            add(cause, Some(series));
        }
        let (near, far): (Vec<Found>, Vec<Found>) =
            self.numbers(at, left).into_iter().partition(|found| found.is_near);
        for Found { cause, rig, .. } in near {
            add(cause, self.with(at, &rig, self.heard(), left));
        }
        for (other, rig) in variants::others(rig, action) {
            add(Cause::Otherwise(other), self.with(at, &rig, self.heard(), left));
        }
        for (theirs, events) in self.single_devices(at) {
            let cause = Cause::OtherDevice { ours: None, theirs };
            add(cause, self.with(at, rig, &events, left));
        }
        for Found { cause, rig, .. } in far {
            add(cause, self.with(at, &rig, self.heard(), left));
        }
        if let Some((cause, series)) = self.times(at, left) {
            add(cause, Some(series));
        }
        if let Some(events) = self.deafened() {
            add(Cause::Unheard, self.with(at, rig, &events, left));
        }
        for (gate, series) in self.closed_there(at) {
            add(Cause::GateClosed(gate), Some(series));
        }
        for frames in 1..=MOST_LATE {
            add(Cause::FramesLate(frames), Some(self.late(at.of, ours, frames)));
        }
        found
    }

    /// Numbers of the rig that explain spans.
    fn numbers(&self, at: At, left: &[Span]) -> Vec<Found> {
        let (studied, count) = self.studied(left);
        let of = core::slice::from_ref(at.of);
        let series =
            |rig: &Rig| self.road.series_to(rig, self.heard(), of, count).pop().unwrap_or_default();
        let judge = |series: &[f64]| {
            let explained = |span: &&Span| self.is_explained(at.of, series, span);
            let rows = studied.iter().flat_map(|span| span.first..=span.last);
            // A number is what it is all the time: what agreed must still agree.
            let breaks = |row: &usize| {
                !self.rows.differs(at.of, at.base, *row) && self.rows.differs(at.of, series, *row)
            };
            numbers::Score {
                broken: (0..count).filter(breaks).count(),
                explained: studied.iter().filter(explained).count(),
                error: rows.map(|row| libm::pow(self.rows.off(at.of, series, row), 2.0)).sum(),
            }
        };
        numbers::search(self.held.rig, at.of.target.action, series, judge)
    }

    /// Whether with a mistake all is as the game gave it, in a span and in the compared
    /// rows beside it.
    fn is_explained(&self, of: &Compared, series: &[f64], span: &Span) -> bool {
        let is_compared = |row: &usize| !of.theirs[*row].is_nan();
        let list = &self.rows.list;
        let mut before = (0..span.first).rev().take(8);
        let before = match list[span.first].begins() {
            true => None,
            false => before
                .find(is_compared)
                .filter(|&row| list[row + 1..=span.first].iter().all(|between| !between.begins())),
        };
        let end = series.len();
        let after = (span.last + 1..end.min(span.last + 9))
            .take_while(|&row| !list[row].begins())
            .find(is_compared);
        let beside = [before, after].into_iter().flatten();
        self.is_explained_within(of, series, span)
            && beside.into_iter().all(|row| !self.rows.differs(of, series, row))
    }

    /// The same in the rows of the span alone.
    fn is_explained_within(&self, of: &Compared, series: &[f64], span: &Span) -> bool {
        span.last < series.len()
            && (span.first..=span.last).all(|row| !self.rows.differs(of, series, row))
    }

    fn fits(&self, of: &Compared, mistake: &Mistake, span: &Span) -> bool {
        match mistake.cause.beside() {
            Beside::Both => self.is_explained(of, &mistake.series, span),
            Beside::None => {
                self.is_explained_within(of, &mistake.series, span) && self.follows_one(of, span)
            }
        }
    }

    /// Whether a value can follow a device there: it is of the main device, or it is not
    /// at rest, which any device gives that does nothing.
    fn follows_one(&self, of: &Compared, span: &Span) -> bool {
        self.held.rig.actions[of.target.action.index()].main_only
            || (span.first..=span.last).any(|row| !self.rows.is_at_rest(of, row))
    }

    /// A cause as it is told of a span: with what is known of that span alone.
    fn told(&self, at: At, cause: &Cause, span: &Span) -> Cause {
        match cause {
            Cause::Between { .. } => {
                let from = self.rows.list[span.first.saturating_sub(1)].polled[0];
                let until = self.rows.list[span.first].polled[0];
                let found = self.reading.between(self.held, at.feeders, (from, until));
                found.map_or(Cause::Unknown, |(control, moved, back)| Cause::Between {
                    control,
                    moved,
                    back,
                })
            }
            Cause::StepLost(_) | Cause::StepRepeated(..) => self.step_of(at, span),
            Cause::OtherDevice { theirs, .. } => {
                // The one in the middle of the span.
                let ours = at.course.drivers[usize::midpoint(span.first, span.last)];
                Cause::OtherDevice { ours, theirs: *theirs }
            }
            Cause::PerFrame { seconds, .. } => {
                let rows = &self.rows.list[span.first..=span.last];
                let lasted = |row: &super::rows::Row| Nanos(libm::round(row.seconds * 1e9) as u64);
                let shortest = rows.iter().map(lasted).min().unwrap_or_default();
                let longest = rows.iter().map(lasted).max().unwrap_or_default();
                Cause::PerFrame { seconds: *seconds, lasted: [shortest, longest] }
            }
            other => other.clone(),
        }
    }

    /// What comes out when each fixed step of a frame reads what happened in the frame, and
    /// nobody else does.
    fn steps_read_wrongly(&self, at: At) -> Option<Mistake> {
        let list = &self.rows.list;
        let has_steps = list.iter().any(|row| row.steps.is_some_and(|steps| steps != 1));
        let is_toggle = at.of.gives == Gives::Toggle && at.of.target.aspect == Aspect::X;
        if !has_steps || !(at.of.is_count || is_toggle) {
            return None;
        }
        let turned = (0..list.len()).map(|row| match at.of.target.aspect {
            _ if is_toggle => at.course.turned_on[row] || at.course.turned_off[row],
            Aspect::Released => at.course.turned_off[row],
            _ => at.course.turned_on[row],
        });
        let happened: Vec<f64> = turned
            .zip(list)
            .map(|(turned, row)| match turned && !row.begins() {
                true => f64::from(row.steps.unwrap_or(1)),
                false => 0.0,
            })
            .collect();
        let times = at.of.target.times;
        let series = match is_toggle {
            false => happened.iter().map(|count| count * times).collect(),
            true => self.toggled(at, &happened),
        };
        Some(Mistake { cause: Cause::StepLost(self.rows.at(0)), series })
    }

    /// A toggle that turned so often in each row.
    fn toggled(&self, at: At, happened: &[f64]) -> Vec<f64> {
        let mut is_on = false;
        let list = &self.rows.list;
        let known = at.of.theirs.iter().zip(list).zip(happened);
        known
            .map(|((theirs, row), count)| {
                is_on ^= (*count as u64) % 2 == 1;
                if row.begins() {
                    is_on = *theirs != 0.0 && !theirs.is_nan();
                }
                if is_on { at.of.target.times } else { 0.0 }
            })
            .collect()
    }

    /// The frame of the event that a span is about, which ran no step or several.
    fn step_of(&self, at: At, span: &Span) -> Cause {
        let Course { turned_on, turned_off, .. } = at.course;
        let found = (0..=span.first).rev().find_map(|row| {
            let steps = self.rows.list[row].steps.filter(|steps| *steps != 1)?;
            (turned_on[row] || turned_off[row]).then_some((row, steps))
        });
        match found {
            Some((row, 0)) => Cause::StepLost(self.rows.at(row)),
            Some((row, steps)) => Cause::StepRepeated(self.rows.at(row), steps),
            None => Cause::Unknown,
        }
    }

    /// For each of several devices that can drive a value, its events alone.
    fn single_devices(&self, at: At) -> Vec<(DeviceId, Vec<Event>)> {
        let device_of = |control: ControlId| self.held.roster.control(control).device;
        let mut devices: Vec<DeviceId> = at.feeders.iter().copied().map(device_of).collect();
        devices.sort_unstable();
        devices.dedup();
        if devices.len() < 2 {
            return Vec::new();
        }
        let alone = |device: DeviceId| {
            let events = self.heard().iter().filter(|event| device_of(event.control) == device);
            (device, events.copied().collect())
        };
        devices.into_iter().map(alone).collect()
    }

    /// Events without those by which a device can no longer be heard.
    fn deafened(&self) -> Option<Vec<Event>> {
        let is_loss = |event: &&Event| {
            self.held.roster.control(event.control).is_presence
                && Presence::from_value(event.value) != Presence::Here
        };
        let heard = self.heard();
        heard
            .iter()
            .any(|event| is_loss(&event))
            .then(|| heard.iter().filter(|event| !is_loss(event)).copied().collect())
    }

    /// What comes out of a way that is the same in every frame.
    fn per_frame(&self, at: At, left: &[Span]) -> Option<(Cause, Vec<f64>)> {
        if !at.of.target.aspect.is_way() {
            return None;
        }
        let speed = |row: usize| at.base[row] / self.rows.list[row].seconds;
        let seconds = self.factor(at, left, speed)?;
        let series = (0..at.base.len()).map(|row| match self.rows.list[row].seconds {
            0.0 => 0.0,
            _ => speed(row) * seconds,
        });
        Some((Cause::PerFrame { seconds, lasted: [Nanos(0); 2] }, series.collect()))
    }

    /// What comes out of a value that is so many times as large.
    fn times(&self, at: At, left: &[Span]) -> Option<(Cause, Vec<f64>)> {
        if at.of.gives.is_digital() {
            return None;
        }
        let by = self.factor(at, left, |row| at.base[row])?;
        Some((Cause::Times(by), at.base.iter().map(|value| value * by).collect()))
    }

    /// By what the game multiplied, if many different values bear it out: the one in the
    /// middle.
    fn factor(&self, at: At, left: &[Span], of: impl Fn(usize) -> f64) -> Option<f64> {
        let rows = left.iter().flat_map(|span| span.first..=span.last);
        let pairs = rows.map(|row| (of(row), at.of.theirs[row]));
        let pairs: Vec<(f64, f64)> =
            pairs.filter(|(ours, theirs)| ours.abs() > 1e-6 && !theirs.is_nan()).collect();
        let mut values: Vec<u64> = pairs.iter().map(|(ours, _)| ours.to_bits()).collect();
        values.sort_unstable();
        values.dedup();
        let mut factors: Vec<f64> = pairs.iter().map(|(ours, theirs)| theirs / ours).collect();
        factors.sort_by(f64::total_cmp);
        (values.len() >= LEAST_VALUES).then(|| factors[factors.len() / 2])
    }

    /// For each gate of which the game says how it is there: what comes out by that.
    fn closed_there(&self, at: At) -> Vec<(Gate, Vec<f64>)> {
        let spec = &self.held.rig.actions[at.of.target.action.index()];
        let gates = spec.closed_while.iter().map(|&gate| (gate, Gate::While(gate), true));
        let without = spec.open_while.iter().map(|&gate| (gate, Gate::Without(gate), false));
        let mut found = Vec::new();
        for (action, gate, closes) in gates.chain(without) {
            let of_gate =
                self.rows.compared.iter().find(|other| {
                    other.target.action == action && other.target.aspect == Aspect::X
                });
            let Some(of_gate) = of_gate else { continue };
            let series = at.base.iter().zip(&of_gate.theirs).map(|(ours, theirs)| {
                if !theirs.is_nan() && (*theirs != 0.0) == closes { 0.0 } else { *ours }
            });
            found.push((gate, series.collect()));
        }
        found
    }

    /// What comes out so many frames too late.
    fn late(&self, of: &Compared, ours: &[f64], frames: u32) -> Vec<f64> {
        let list = &self.rows.list;
        let mut begun = 0;
        let delayed = (0..ours.len()).map(|row| {
            if list[row].begins() {
                begun = row;
            }
            // What was before the first frame nobody knows, and it contradicts nothing.
            let before = row.checked_sub(frames as usize).filter(|before| *before >= begun);
            let Some(before) = before else { return f64::NAN };
            // A way is as long as its own frame.
            let longer = match (of.target.aspect.is_way(), list[before].seconds) {
                (false, _) => 1.0,
                (true, 0.0) => f64::NAN,
                (true, seconds) => list[row].seconds / seconds,
            };
            ours[before] * longer
        });
        delayed.collect()
    }
}

/// The value that is looked at.
#[derive(Clone, Copy)]
struct At<'s> {
    of: &'s Compared,
    /// What the rig makes of what the game read.
    base: &'s [f64],
    /// What can drive it.
    feeders: &'s [ControlId],
    course: &'s Course,
}

/// How an action went, row by row.
#[derive(Debug, Default)]
struct Course {
    turned_on: Vec<bool>,
    turned_off: Vec<bool>,
    drivers: Vec<Option<DeviceId>>,
}
