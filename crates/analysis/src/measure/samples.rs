//! The values of two axes in force at equal distances in time.

use super::{LEAST_REST, LONGEST_SILENCE, MOST_SAMPLES, Missing, PAUSE, Point, SAMPLE};
use alloc::vec::Vec;
use gtrig_core::{Axes, ControlKind, Event, Marks, Nanos, Presence, Roster, Travel, normalise};

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

/// What a device said last, from its first report after it came.
struct InForce {
    /// Its values, x and y.
    raw: [i32; 2],
    /// When the next sample is due, in nanoseconds.
    next: u64,
    /// When it reported last.
    reported: u64,
}

impl InForce {
    /// Of axes that are at rest until one reports, now.
    fn since(time: Nanos, kinds: [ControlKind; 2]) -> Self {
        InForce { raw: kinds.map(ControlKind::rest), next: time.0, reported: time.0 }
    }
}

impl Samples {
    /// The values of two axes, or of a single one, over a stretch of events, which are in
    /// order. While their device is gone or deaf there are none.
    pub fn of(roster: &Roster, axes: Axes, events: impl Iterator<Item = Event>) -> Self {
        let kinds = roster.axes_kinds(axes);
        let mut samples = Samples {
            points: Vec::new(),
            kinds,
            is_single: axes.is_single(),
            levels: [Vec::new(), Vec::new()],
            intervals: Vec::new(),
        };
        let presence = roster.device(roster.control(axes.x).device).presence();
        let (mut is_here, mut force) = (true, None::<InForce>);
        for event in events {
            if event.control == presence {
                is_here = Presence::from_value(event.value) == Presence::Here;
                if let Some(force) = force.take_if(|_| !is_here) {
                    samples.fill(force.raw, force.next, event.time.0);
                }
            } else if is_here && axes.has(event.control) && !event.marks.contains(Marks::REPEAT) {
                let force = force.get_or_insert(InForce::since(event.time, kinds));
                samples.hear(force, usize::from(event.control != axes.x), event);
            }
        }
        if let Some(force) = force {
            samples.add(force.raw, force.next);
        }
        if axes.is_single() {
            samples.points.iter_mut().for_each(|(point, _)| point[1] = 0.0);
        }
        samples
    }

    /// An axis reports.
    fn hear(&mut self, force: &mut InForce, axis: usize, event: Event) {
        force.next = self.fill(force.raw, force.next, event.time.0);
        // Both axes of a stick come in one report.
        let apart = event.time.0.saturating_sub(force.reported);
        if apart > 0 && apart < PAUSE.0 {
            self.intervals.push(apart);
        }
        force.reported = event.time.0;
        force.raw[axis] = event.value;
        if let Err(place) = self.levels[axis].binary_search(&event.value) {
            self.levels[axis].insert(place, event.value);
        }
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
        self.points.push((point, at as f64 / 1e9));
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
