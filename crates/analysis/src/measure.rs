//! What a stick can really do: noise, centre, reach, snap-back, resolution; and
//! the calibration and dead zone that follow.
//!
//! The events of two axes are sampled every [`SAMPLE`], as the value in force
//! then, and told apart by what the hand did:
//!
//! - **rest**: for [`STILL`] at least, nothing moved further than [`WANDER`] from
//!   where it was, and that is within [`NEAR`] of the middle. The way in, with all
//!   that still swings, and the way out are no part of it;
//! - **held**: the same, further out;
//! - **rim**: further out than half of the travel, once it gets no further out for
//!   [`OUT`] and until it last did; what was swept there between two other
//!   directions was *rolled*;
//! - **release**: from beyond [`FAR`] to rest within [`SNAP`].
//!
//! A number for which there is too little data is not guessed.

mod propose;
mod release;
mod rest;
mod rim;
mod samples;

use alloc::{vec, vec::Vec};
use gtrig_core::{ControlKind, Nanos, length};
pub use propose::{Proposal, propose};
use rest::quiet_parts;
use rim::{Rim, towards};
pub use samples::Samples;

/// How often the value in force is looked at.
pub const SAMPLE: Nanos = Nanos::from_millis(4);

/// A hand is still after so long.
pub const STILL: Nanos = Nanos::from_millis(400);

/// How far a still hand may seem to move, as a share of the travel.
pub const WANDER: f32 = 0.06;

/// Rest is within this of the middle.
pub const NEAR: f32 = 0.3;

/// A release begins beyond this.
pub const FAR: f32 = 0.6;

/// A release is over within this.
pub const SNAP: Nanos = Nanos::from_millis(250);

/// A stick that gets no further out for so long has arrived at its rim.
pub const OUT: Nanos = Nanos::from_millis(40);

/// Directions in which reach is measured.
pub const SECTORS: usize = 72;

/// Of a longer silence only so much is looked at: the rest of it is the same.
pub const LONGEST_SILENCE: Nanos = Nanos::from_millis(10_000);

/// After so many samples, eight hours of them, no more are looked at.
pub const MOST_SAMPLES: usize = 7_200_000;

/// A hand that rests may leave a stick without reports for so long; what is
/// shorter is an interval between two of them.
const PAUSE: Nanos = Nanos::from_millis(100);

/// Intervals that their median needs.
const LEAST_INTERVALS: usize = 50;

/// A dead zone must be so much larger than the radius of rest, and what swings no further out
/// than that has settled: one sample in a thousand is further out than the radius itself.
const MARGIN: f32 = 1.25;

/// Samples at rest that noise needs: two seconds.
const LEAST_REST: usize = 500;

/// Samples held that jitter needs.
const LEAST_HELD: usize = 75;

/// Rest must span this for a drift to be told from noise.
const LEAST_SPAN: f64 = 4.0;

/// A value of both axes and its time in seconds.
type Point = ([f32; 2], f64);

/// A number, or what is missing for it.
pub type Known<T> = Result<T, Missing>;

/// What is missing for a number.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Missing {
    /// The stick has not rested for two seconds.
    Rest,
    /// It rested once, not again later.
    Span,
    /// It has not been rolled along its rim.
    Rim,
    /// It has been, but not through every direction.
    Turn,
    /// It was rolled so quickly that directions are missing.
    Slowly,
    /// It has not been held off rest for a second.
    Hold,
    /// It has not been let snap back from its rim.
    Flick,
    /// It never reported anything.
    Reports,
    /// One axis reads an end all the time.
    Movement,
    /// It reported for less than a second.
    MoreReports,
    /// It has not been pushed to its ends.
    Ends,
    /// Its ends and its rest are not apart.
    Spread,
    /// A single axis has no directions.
    Directions,
}

/// What was measured. Lengths are shares of the travel the device states.
#[derive(Clone, Debug, PartialEq)]
pub struct Measurement {
    /// Whether it is an axis or a trigger, and no stick.
    pub is_single: bool,
    /// Whether it goes to one side only, as a trigger does.
    pub is_one_sided: bool,
    /// Where it rests.
    pub centre: Known<[f32; 2]>,
    /// Standard deviation at rest about the mean of each second, of the worse axis:
    /// no part of it is drift.
    pub noise: Known<f32>,
    /// 99.9 % of rest lie within this of the centre.
    pub rest_radius: Known<f32>,
    /// How far the rest wanders in a minute.
    pub drift_per_minute: Known<f32>,
    /// How far it gets in each direction, the first to the right, then
    /// counter-clockwise as y is reported; `None` where it never was.
    pub reach: [Option<f32>; SECTORS],
    /// The same where it was rolled through: what it reaches in every direction
    /// follows from these alone.
    pub rolled: [Option<f32>; SECTORS],
    /// The largest reach less the smallest, as a share of the mean.
    pub circularity_error: Known<f32>,
    /// Reach to the right less that to the left, and of the two ends of y.
    pub asymmetry: Known<[f32; 2]>,
    /// Standard deviation while held off rest, of the worse axis.
    pub hold_jitter: Known<f32>,
    /// What happens after it is let go.
    pub snap_back: Known<SnapBack>,
    /// Different raw values seen on each axis.
    pub levels: [usize; 2],
    /// The time between two reports while it moves: the median, and what 95 % lie
    /// within.
    pub interval: Known<[Nanos; 2]>,
}

/// What a stick does when it is let go.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SnapBack {
    /// How many releases were seen.
    pub releases: usize,
    /// How far it swings past the centre, at worst.
    pub overshoot: f32,
    /// How long it takes to stay within the rest radius, at worst.
    pub settles_in: Nanos,
    /// How often it leaves the rest radius again on the way, at worst.
    pub crossings: usize,
}

/// Measures.
pub fn measure(samples: &Samples) -> Measurement {
    let points = samples.as_slice();
    let parts = quiet_parts(points);
    let rest: Vec<Point> = rest::of(points, &parts);
    let centre = if rest.len() < LEAST_REST { Err(samples.no_rest()) } else { Ok(mean(&rest)) };
    let rest_radius = centre.map(|centre| rest::radius(&rest, centre));
    let rim = Rim::of(points, centre.unwrap_or([0.0; 2]));
    let is_single = samples.is_single();
    Measurement {
        is_single,
        is_one_sided: is_single && matches!(samples.kinds()[0], ControlKind::Trigger { .. }),
        centre,
        noise: centre.map(|_| rest::noise(&rest)),
        rest_radius,
        drift_per_minute: centre.and_then(|_| rest::drift(&rest)),
        reach: rim.reach,
        rolled: rim.rolled,
        circularity_error: if is_single { Err(Missing::Directions) } else { rim.circularity() },
        asymmetry: rim.asymmetry(is_single),
        hold_jitter: rest::jitter(points, &parts),
        snap_back: match (centre, rest_radius) {
            (Ok(centre), Ok(radius)) => release::snap_back(points, &parts, centre, radius * MARGIN),
            _ => Err(samples.no_rest()),
        },
        levels: samples.levels(),
        interval: interval(samples.intervals()),
    }
}

/// The median, and what 95 % lie within.
fn interval(mut intervals: Vec<u64>) -> Known<[Nanos; 2]> {
    if intervals.len() < LEAST_INTERVALS {
        return Err(Missing::MoreReports);
    }
    intervals.sort_unstable();
    let rank = |percent: usize| (intervals.len() * percent).div_ceil(100) - 1;
    Ok([50, 95].map(|percent| Nanos(intervals[rank(percent)])))
}

fn apart(a: [f32; 2], b: [f32; 2]) -> f32 {
    length([a[0] - b[0], a[1] - b[1]])
}

fn mean(points: &[Point]) -> [f32; 2] {
    [0, 1].map(|axis| {
        let sum: f64 = points.iter().map(|(point, _)| f64::from(point[axis])).sum();
        (sum / points.len().max(1) as f64) as f32
    })
}

impl Measurement {
    /// What is to be done about its rim.
    fn rim_step(&self) -> Missing {
        match self.circularity_error {
            _ if self.is_single => Missing::Ends,
            Err(missing) => missing,
            Ok(_) => Missing::Rim,
        }
    }

    /// How far it gets to either end of x.
    pub fn ends(&self) -> [Option<f32>; 2] {
        [SECTORS / 2, 0].map(|sector| towards(&self.reach, sector))
    }

    /// What a person is to do so that everything is known, in order, and whether
    /// it was done.
    pub fn steps(&self) -> Vec<(Missing, bool)> {
        let [low, high] = self.ends();
        let is_reached = match (self.is_single, self.is_one_sided) {
            (false, _) => self.circularity_error.is_ok(),
            (true, true) => high.is_some(),
            (true, false) => low.is_some() && high.is_some(),
        };
        vec![
            (self.centre.err().unwrap_or(Missing::Rest), self.centre.is_ok()),
            (self.rim_step(), is_reached),
            (Missing::Hold, self.hold_jitter.is_ok()),
            (Missing::Flick, self.snap_back.is_ok()),
            (Missing::Span, self.drift_per_minute.is_ok()),
        ]
    }
}
