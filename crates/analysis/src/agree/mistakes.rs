//! Mistakes that a game may make, and what comes out with each of them.

use super::{
    Span,
    causes::{Cause, Gate},
    explain::{At, Explainer},
    numbers::{self, Found},
    reading::is_loss,
    road::Heard,
    rows::Compared,
    variants,
};
use alloc::vec::Vec;
use gtrig_core::{Aspect, ControlId, DeviceId, Event, Gives, Plan, Rig};

/// At most so many of the first spans are looked at to find out whether a mistake explains
/// any; then all are. Each is a bit of a number.
const STUDIED_SPANS: usize = 40;

/// And so many rows from the first of them on, if there are as many: what a number breaks
/// is looked for there too.
const STUDIED_ROWS: usize = 6_000;

/// Values may be so many frames late to be taken for such.
const MOST_LATE: u32 = 3;

/// A factor is one only where so many different values bear it out.
const LEAST_VALUES: usize = 4;

/// A mistake, and what comes out with it.
pub(super) struct Mistake {
    pub(super) what: What,
    pub(super) series: Vec<f64>,
}

/// What is done wrong all the time. What is to be known of one place besides is found once
/// it explains that.
pub(super) enum What {
    /// Nothing more is to be known.
    Told(Cause),
    /// What moves between two polls and back is not caught.
    OnlyPolls,
    /// Every fixed step reads what happened in its frame, and no other does.
    ReadsInEachStep,
    /// A device is followed. This may come and go, as when a game turns to another one.
    Follows(DeviceId),
    /// The way is the same in every frame, right in frames of so many seconds.
    PerFrame(f64),
}

impl Explainer<'_> {
    /// Everything that explains any of the spans, the more telling before the less.
    pub(super) fn mistakes(&self, at: At, ours: &[f64], left: &[Span]) -> Vec<Mistake> {
        let mut found: Vec<Mistake> = Vec::new();
        found.extend(self.steps_read_wrongly(at));
        let action = at.of.target.action;
        let rig = self.held.rig;
        let mut add = |what: What, series: Option<Vec<f64>>| {
            found.extend(series.map(|series| Mistake { what, series }));
        };
        if let Some(polled) = variants::unlatched(rig) {
            add(What::OnlyPolls, self.with(at, &polled, self.said, left));
        }
        for (gate, rig) in variants::ungated(rig, action) {
            add(What::Told(Cause::GateOpen(gate)), self.with(at, &rig, self.heard(), left));
        }
        if let Some((seconds, series)) = self.per_frame(at, left) {
            add(What::PerFrame(seconds), Some(series));
        }
        let (near, far): (Vec<Found>, Vec<Found>) =
            self.numbers(at, left).into_iter().partition(|found| found.is_near);
        for number in near {
            let series = self.with_number(at, &number, left);
            add(What::Told(number.into_cause()), series);
        }
        for (other, rig) in variants::others(rig, action) {
            add(What::Told(Cause::Otherwise(other)), self.with(at, &rig, self.heard(), left));
        }
        for (theirs, heard) in self.single_devices(at) {
            add(What::Follows(theirs), self.with(at, rig, &heard, left));
        }
        for number in far {
            let series = self.with_number(at, &number, left);
            add(What::Told(number.into_cause()), series);
        }
        if let Some((by, series)) = self.times(at, left) {
            add(What::Told(Cause::Times(by)), Some(series));
        }
        if let Some(heard) = self.deafened() {
            add(What::Told(Cause::Unheard), self.with(at, rig, &heard, left));
        }
        for (gate, series) in self.closed_there(at) {
            add(What::Told(Cause::GateClosed(gate)), Some(series));
        }
        for frames in 1..=MOST_LATE {
            add(What::Told(Cause::FramesLate(frames)), Some(self.late(at.of, ours, frames)));
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
            let explained = |span: &Span| self.is_explained(at.of, series, span);
            let rows = studied.iter().flat_map(|span| span.first..=span.last);
            // A number is what it is all the time: what agreed must still agree.
            let breaks = |row: &usize| {
                !self.rows.differs(at.of, at.base, *row) && self.rows.differs(at.of, series, *row)
            };
            numbers::Score {
                broken: (0..count).filter(breaks).count(),
                explained: studied
                    .iter()
                    .enumerate()
                    .filter(|(_, span)| explained(span))
                    .fold(0, |bits, (n, _)| bits | 1 << n),
                error: rows.map(|row| libm::pow(self.rows.off(at.of, series, row), 2.0)).sum(),
            }
        };
        numbers::search(self.held.rig, at.of.target.action, series, judge)
    }

    /// What comes out with a number that explains some of the first spans: of all values that it may
    /// be, with the one that explains the most of all spans.
    fn with_number(&self, at: At, number: &Found, left: &[Span]) -> Option<Vec<f64>> {
        let with = |value: f64| {
            let rig = self.held.rig.with(&number.place, value);
            self.with(at, &rig, self.heard(), left)
        };
        if self.studied(left).0.len() == left.len() {
            return with(number.best);
        }
        let explained = |series: &Vec<f64>| {
            left.iter().filter(|span| self.is_explained(at.of, series, span)).count()
        };
        let series = number.values().filter_map(with).map(|series| (explained(&series), series));
        // Of equals the first.
        series.rev().max_by_key(|(count, _)| *count).map(|(_, series)| series)
    }

    /// What comes out of the value by another rig or other events, if that explains any of
    /// the first spans.
    fn with(&self, at: At, rig: &Rig, heard: &Heard, left: &[Span]) -> Option<Vec<f64>> {
        let (studied, count) = self.studied(left);
        let of = core::slice::from_ref(at.of);
        let mut series = self.road.series_to(rig, heard, of, count).pop()?;
        if !studied.iter().any(|span| self.is_explained_within(at.of, &series, span)) {
            return None;
        }
        if count < self.rows.list.len() {
            series = self.road.series(rig, heard, of).pop()?;
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
        Some(Mistake { what: What::ReadsInEachStep, series })
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

    /// For each of several devices that can drive a value, the events without those of the others
    /// that drive it. Where the main device alone counts, what these others say besides is left
    /// out too: any of it could make one of them the main device.
    fn single_devices(&self, at: At) -> Vec<(DeviceId, Heard)> {
        let (rig, roster) = (self.held.rig, self.held.roster);
        let action = at.of.target.action;
        let drivers: Vec<ControlId> = Plan::bind(rig, roster).feeders(action).collect();
        let device_of = |control: ControlId| roster.control(control).device;
        let mut devices: Vec<DeviceId> = drivers.iter().copied().map(device_of).collect();
        devices.sort_unstable();
        devices.dedup();
        if devices.len() < 2 {
            return Vec::new();
        }
        let main_only = rig.actions[action.index()].main_only;
        let alone = |device: DeviceId| {
            let is_left = |event: &Event| {
                device_of(event.control) == device
                    || !(main_only || drivers.contains(&event.control))
            };
            (device, self.heard().only(is_left))
        };
        devices.into_iter().map(alone).collect()
    }

    /// Events without those by which a device can no longer be heard.
    fn deafened(&self) -> Option<Heard> {
        let heard = self.heard();
        let is_loss = |event: &Event| is_loss(self.held, event);
        heard.events().iter().any(is_loss).then(|| heard.only(|event| !is_loss(event)))
    }

    /// What comes out of a way that is the same in every frame.
    fn per_frame(&self, at: At, left: &[Span]) -> Option<(f64, Vec<f64>)> {
        if !at.of.target.aspect.is_way() {
            return None;
        }
        let speed = |row: usize| at.base[row] / self.rows.list[row].seconds;
        let seconds = self.factor(at, left, speed)?;
        let series = (0..at.base.len()).map(|row| match self.rows.list[row].seconds {
            0.0 => 0.0,
            _ => speed(row) * seconds,
        });
        Some((seconds, series.collect()))
    }

    /// What comes out of a value that is so many times as large.
    fn times(&self, at: At, left: &[Span]) -> Option<(f64, Vec<f64>)> {
        if at.of.gives.is_digital() {
            return None;
        }
        let by = self.factor(at, left, |row| at.base[row])?;
        Some((by, at.base.iter().map(|value| value * by).collect()))
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
