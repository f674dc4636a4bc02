//! The values of two axes in force at equal distances in time.

use super::{LEAST_REST, LONGEST_SILENCE, MOST_SAMPLES, Missing, PAUSE, Point, SAMPLE};
use alloc::vec::Vec;
use gtrig_core::{Axes, ControlKind, Event, Marks, Travel, normalise};

/// Two axes, as shares of the travel their device states.
#[derive(Clone, Debug)]
pub struct Samples {
    points: Vec<Point>,
    kinds: [ControlKind; 2],
    is_single: bool,
    /// Different raw values of each axis.
    levels: [Vec<i32>; 2],
    /// The times between reports that were no pause, in nanoseconds.
    intervals: Vec<u64>,
}

impl Samples {
    /// The values of two axes over a stretch of events, which are in order.
    /// `y` may be the same control again for a single axis: it counts as 0.
    pub fn of(events: impl Iterator<Item = Event>, axes: Axes, kinds: [ControlKind; 2]) -> Self {
        let levels = [Vec::new(), Vec::new()];
        let mut samples = Samples {
            points: Vec::new(),
            kinds,
            is_single: axes.is_single(),
            levels,
            intervals: Vec::new(),
        };
        let mut last_report: Option<u64> = None;
        let mut raw = kinds.map(ControlKind::rest);
        let mut next: Option<u64> = None;
        let is_meant =
            |event: &Event| axes.has(event.control) && !event.marks.contains(Marks::REPEAT);
        for event in events.filter(is_meant) {
            let at = next.unwrap_or(event.time.0);
            next = Some(samples.fill(raw, at, event.time.0));
            // Both axes of a stick come in one report.
            let apart = event.time.0.saturating_sub(last_report.unwrap_or(event.time.0));
            if apart > 0 && apart < PAUSE.0 {
                samples.intervals.push(apart);
            }
            last_report = Some(event.time.0);
            let axis = usize::from(event.control != axes.x);
            raw[axis] = event.value;
            if let Err(place) = samples.levels[axis].binary_search(&event.value) {
                samples.levels[axis].insert(place, event.value);
            }
        }
        if let Some(at) = next {
            samples.add(raw, at);
        }
        if axes.is_single() {
            samples.points.iter_mut().for_each(|(point, _)| point[1] = 0.0);
        }
        samples
    }

    /// The values of x and y, each with its time in seconds.
    pub fn points(&self) -> impl Iterator<Item = Point> + '_ {
        self.points.iter().copied()
    }

    pub(super) fn as_slice(&self) -> &[Point] {
        &self.points
    }

    pub(super) const fn is_single(&self) -> bool {
        self.is_single
    }

    pub(super) const fn kinds(&self) -> [ControlKind; 2] {
        self.kinds
    }

    /// How many different raw values each axis had.
    pub(super) fn levels(&self) -> [usize; 2] {
        [self.levels[0].len(), self.levels[1].len()]
    }

    pub(super) fn intervals(&self) -> Vec<u64> {
        self.intervals.clone()
    }

    /// Samples a value that stays from an instant until another one. Returns when the
    /// next sample is due. Of a long silence only the beginning is looked at.
    fn fill(&mut self, raw: [i32; 2], mut at: u64, until: u64) -> u64 {
        let is_full = self.points.len() >= MOST_SAMPLES;
        let end = until.min(at.saturating_add(if is_full { 0 } else { LONGEST_SILENCE.0 }));
        while at < end {
            self.add(raw, at);
            at += SAMPLE.0;
        }
        at + until.saturating_sub(at).div_ceil(SAMPLE.0) * SAMPLE.0
    }

    /// The same values as axes give them that are calibrated so; one without a
    /// calibration stays as it is.
    pub(super) fn calibrated(&self, travels: [Option<Travel>; 2]) -> Samples {
        let scale = |axis: usize, share: f32| match travels[axis] {
            Some(travel) => normalise(travel.of(self.kinds[axis]), raw(self.kinds[axis], share)),
            None => share,
        };
        let point = |&(point, at): &Point| ([0, 1].map(|axis| scale(axis, point[axis])), at);
        Samples { points: self.points.iter().map(point).collect(), ..self.clone() }
    }

    /// Why nothing is known of rest: what to do, or what is wrong.
    pub(super) fn no_rest(&self) -> Missing {
        let is_stuck = |axis: usize| {
            let range = self.kinds[axis].range();
            let ends = range.is_some_and(|(min, max)| match self.levels[axis].as_slice() {
                [only] => [min, max].contains(only) && self.kinds[axis].rest() != *only,
                _ => false,
            });
            ends && self.points.len() >= LEAST_REST
        };
        match self.points.len() {
            0 => Missing::Reports,
            _ if is_stuck(0) || (!self.is_single && is_stuck(1)) => Missing::Movement,
            _ => Missing::Rest,
        }
    }

    fn add(&mut self, raw: [i32; 2], at: u64) {
        let [x, y] = raw;
        let point = [normalise(self.kinds[0], x), normalise(self.kinds[1], y)];
        self.points.push((point, at as f32 / 1e9));
    }
}

/// What an axis reports where it is this share of its stated travel.
pub(super) fn raw(kind: ControlKind, share: f32) -> i32 {
    match kind {
        ControlKind::Axis { min, centre, .. } if share < 0.0 => between(centre, min, -share),
        ControlKind::Axis { centre, max, .. } => between(centre, max, share),
        ControlKind::Trigger { min, max } | ControlKind::Position { min, max } => {
            between(min, max, share)
        }
        ControlKind::Button | ControlKind::Relative => 0,
    }
}

fn between(from: i32, to: i32, share: f32) -> i32 {
    let way = f64::from(to) - f64::from(from);
    libm::round(f64::from(from) + f64::from(share) * way) as i32
}
