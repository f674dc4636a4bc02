//! One analogue control: the hand that moves it and the wear that shows.

use gtrig_analysis::Session;
use gtrig_core::{ControlId, ControlKind, Nanos};
use rand_pcg::{Pcg32, rand_core::Rng};

/// What is wrong with a control, all as shares of its travel.
#[derive(Clone, Copy, Debug)]
pub(super) struct Wear {
    pub(super) code: &'static str,
    /// Standard deviation of the noise.
    pub(super) noise: f32,
    /// Where it rests.
    pub(super) offset: f32,
    /// How far it reaches on the positive side.
    pub(super) reach: f32,
    /// Smallest change that is reported, in device units.
    pub(super) step: i32,
}

impl Wear {
    pub(super) const fn none(code: &'static str) -> Self {
        Wear { code, noise: 0.0, offset: 0.0, reach: 1.0, step: 1 }
    }
}

/// A movement from one value to another.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Motion {
    from: f32,
    to: f32,
    start: Nanos,
    over: Nanos,
}

impl Motion {
    /// Sets off for `to` from wherever it is.
    pub(super) fn go(&mut self, start: Nanos, over: Nanos, to: f32) {
        *self = Motion { from: self.at(start), to, start, over };
    }

    /// Where it is: along a minimum-jerk path, `10 s^3 - 15 s^4 + 6 s^5`, as
    /// human reaching movements are (Flash and Hogan, "The coordination of
    /// arm movements", J. Neuroscience 5(7), 1985).
    fn at(&self, now: Nanos) -> f32 {
        let elapsed = now.0.saturating_sub(self.start.0);
        if elapsed >= self.over.0 {
            return self.to;
        }
        let s = (elapsed as f64 / self.over.0 as f64) as f32;
        self.from + (self.to - self.from) * s * s * s * (10.0 - 15.0 * s + 6.0 * s * s)
    }
}

/// A control in use.
#[derive(Debug)]
pub(super) struct Axis {
    pub(super) wear: Wear,
    pub(super) control: ControlId,
    pub(super) hand: Motion,
    pub(super) drift: Motion,
    kind: ControlKind,
    last: i32,
}

impl Axis {
    pub(super) fn new(wear: Wear, session: &Session, control: ControlId) -> Self {
        let kind = session.roster().control(control).kind;
        let (hand, drift) = (Motion::default(), Motion::default());
        Axis { wear, control, hand, drift, kind, last: kind.rest() }
    }

    /// The raw value, if it changed since the last report.
    pub(super) fn report(&mut self, now: Nanos, rng: &mut Pcg32) -> Option<i32> {
        let clean = self.hand.at(now) * self.wear.reach + self.wear.offset + self.drift.at(now);
        let raw = self.raw(clean + self.wear.noise * bell(rng));
        let moved = (raw - self.last).abs() >= self.wear.step;
        moved.then(|| {
            self.last = raw;
            raw
        })
    }

    fn raw(&self, share: f32) -> i32 {
        let scaled = |from: i32, to: i32, share: f32| from + ((to - from) as f32 * share) as i32;
        match self.kind {
            ControlKind::Axis { min, centre, .. } if share < 0.0 => {
                scaled(centre, min, -share).max(min)
            }
            ControlKind::Axis { centre, max, .. } => scaled(centre, max, share).min(max),
            ControlKind::Trigger { min, max } | ControlKind::Position { min, max } => {
                scaled(min, max, share).clamp(min, max)
            }
            ControlKind::Button | ControlKind::Relative => share as i32,
        }
    }
}

/// Nearly normal, with standard deviation 1: the sum of twelve uniform
/// numbers, less its mean.
fn bell(rng: &mut Pcg32) -> f32 {
    let sum: f32 = (0..12).map(|_| (rng.next_u32() >> 8) as f32 / (1 << 24) as f32).sum();
    sum - 6.0
}
