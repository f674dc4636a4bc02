//! Another program's clock, told from when its lines arrive.
//!
//! A line that was written at `theirs` arrives at `ours`, some unknown delay later. The
//! quickest lines bound the difference of the two clocks from above: it is at most the
//! smallest `ours - theirs`. Where the program answers questions, its answers bound the
//! difference from below too: it wrote the answer after the question was asked.
//!
//! Clocks run at rates that differ by up to some hundred millionths, so the bounds are
//! lines, not numbers. Each second of the other clock keeps its quickest line; under the
//! last [`SECONDS`] of them lies the straight line that is nearest to all of them, which is
//! the edge of their lower hull over the middle of the time they span (S. Moon, P. Skelly
//! and D. Towsley, "Estimation and removal of clock skew from network delay
//! measurements", 1999).

use alloc::{collections::VecDeque, vec::Vec};
use gtrig_core::Nanos;

/// The quickest line of each of so many seconds is kept.
pub const SECONDS: usize = 64;

/// Clocks are believed to run at the same rate to so many millionths.
pub const MAX_DRIFT_PPM: f64 = 500.0;

/// A clock that seems to have moved by more than this has been set.
pub const JUMP: Nanos = Nanos::from_millis(250);

/// What is known of another clock.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ClockReading {
    /// What has to be added to its time to have ours, in nanoseconds.
    pub offset_ns: i64,
    /// By how many millionths ours is faster.
    pub drift_ppm: f64,
    /// By how much the offset may be wrong to either side; `None` where the program
    /// answers no questions: then it is too large by the delay of the quickest line, which
    /// nobody knows.
    pub uncertainty: Option<Nanos>,
    /// How often the clock was set.
    pub jumps: u32,
}

/// A bound of the difference between two clocks at an instant of theirs.
#[derive(Clone, Copy, Debug)]
struct Bound {
    theirs: i64,
    difference: i64,
}

/// A straight line: a difference at an instant of theirs, and how it grows.
#[derive(Clone, Copy, Debug)]
struct Straight {
    through: Bound,
    slope: f64,
}

impl Straight {
    /// In whole numbers, for a float as large as a time has a grain of its own.
    fn at(self, theirs: i64) -> i64 {
        let grown = self.slope * (theirs - self.through.theirs) as f64;
        self.through.difference.saturating_add(grown as i64)
    }
}

/// The tightest bounds of the last seconds, from one side.
#[derive(Clone, Debug, Default)]
struct Envelope {
    /// In order of `theirs`; `difference` is the smallest of its second.
    bounds: VecDeque<Bound>,
}

impl Envelope {
    /// Returns whether it tells anything new.
    fn add(&mut self, bound: Bound) -> bool {
        let second = |bound: &Bound| bound.theirs.div_euclid(1_000_000_000);
        match self.bounds.back_mut() {
            Some(last) if second(last) >= second(&bound) => {
                let is_tighter = bound.difference < last.difference;
                if is_tighter {
                    *last = Bound { theirs: last.theirs.max(bound.theirs), ..bound };
                }
                is_tighter
            }
            _ => {
                if self.bounds.len() == SECONDS {
                    self.bounds.pop_front();
                }
                self.bounds.push_back(bound);
                true
            }
        }
    }

    /// The straight line that no bound lies under and that is nearest to all of them.
    fn straight(&self) -> Option<Straight> {
        let (first, last) = (*self.bounds.front()?, *self.bounds.back()?);
        let mut hull: Vec<Bound> = Vec::with_capacity(self.bounds.len());
        for &bound in &self.bounds {
            while let [.., a, b] = hull[..]
                && slope(a, b) >= slope(b, bound)
            {
                hull.pop();
            }
            hull.push(bound);
        }
        let middle = first.theirs + (last.theirs - first.theirs) / 2;
        let edge = hull.windows(2).find(|edge| edge[1].theirs >= middle);
        let Some(&[a, b]) = edge else { return Some(Straight { through: last, slope: 0.0 }) };
        // Over a short time the jitter of two lines would look like a drift.
        let most = MAX_DRIFT_PPM / 1e6;
        let slope = match (last.theirs - first.theirs) < 10_000_000_000 {
            true => 0.0,
            false => slope(a, b).clamp(-most, most),
        };
        // One that was bent is moved down to where it touches.
        let bent = Straight { through: a, slope };
        let gaps = self.bounds.iter().map(|bound| bound.difference - bent.at(bound.theirs));
        let down = gaps.min().unwrap_or(0).min(0);
        let through = Bound { difference: a.difference + down, ..a };
        Some(Straight { through, slope })
    }
}

fn slope(a: Bound, b: Bound) -> f64 {
    (b.difference - a.difference) as f64 / (b.theirs - a.theirs).max(1) as f64
}

/// Maps the times of another program to ours.
#[derive(Clone, Debug, Default)]
pub struct ClockMap {
    /// At most so much is to be added.
    most: Envelope,
    /// At least so much, the sign changed.
    least: Envelope,
    straight: Option<Straight>,
    uncertainty: Option<Nanos>,
    /// Since when, by our clock, all lines have seemed far too slow.
    slow_since: Option<Nanos>,
    jumps: u32,
    /// The newest of their times, and where it was mapped to.
    newest: Option<(Nanos, Nanos)>,
}

impl ClockMap {
    /// A line that tells of `theirs` arrived at `ours`. Both lie below 2^62 (146 years).
    pub fn heard(&mut self, theirs: Nanos, ours: Nanos) {
        let bound =
            Bound { theirs: theirs.0 as i64, difference: (ours.0 as i64) - theirs.0 as i64 };
        self.notice_jump(bound, ours);
        if self.most.add(bound) {
            self.estimate();
        }
    }

    /// A question that was asked at `asked` was answered at `theirs`, and the answer
    /// arrived at `ours`. Their answer may have been held up; the bounds are true all the
    /// same.
    pub fn answered(&mut self, asked: Nanos, theirs: Nanos, ours: Nanos) {
        self.heard(theirs, ours);
        let difference = theirs.0 as i64 - asked.0 as i64;
        if self.least.add(Bound { theirs: theirs.0 as i64, difference }) {
            self.estimate();
        }
    }

    /// A clock that was set forward brings lines before their time; one that was set back
    /// has all lines come late for a while, which a single slow line does not.
    fn notice_jump(&mut self, bound: Bound, ours: Nanos) {
        const PATIENCE: u64 = 3_000_000_000;
        let Some(straight) = self.straight else { return };
        let over = bound.difference.saturating_sub(straight.at(bound.theirs));
        let is_slow = over > JUMP.0 as i64;
        let since = is_slow.then(|| *self.slow_since.get_or_insert(ours));
        self.slow_since = since;
        let is_set_back = since.is_some_and(|since| ours.0.saturating_sub(since.0) > PATIENCE);
        if over < -(JUMP.0 as i64) || is_set_back {
            // What comes is mapped behind all that came.
            let newest = self.newest.map(|(_, ours)| (Nanos(bound.theirs as u64), ours));
            *self = ClockMap { jumps: self.jumps + 1, newest, ..ClockMap::default() };
        }
    }

    fn estimate(&mut self) {
        let Some(most) = self.most.straight() else { return };
        let least = self.least.straight().map(|least| {
            let difference = -least.through.difference;
            Straight { through: Bound { difference, ..least.through }, slope: -least.slope }
        });
        let newest = self.most.bounds.back().map_or(0, |bound| bound.theirs);
        let half = least.map(|least| most.at(newest).saturating_sub(least.at(newest)).max(0) / 2);
        self.uncertainty = half.map(|half| Nanos(half as u64));
        let difference = most.through.difference - half.unwrap_or(0);
        let through = Bound { difference, ..most.through };
        self.straight = Some(Straight { through, ..most });
    }

    /// Our time of `theirs`. As theirs goes on, ours never goes back, however the estimate
    /// has changed; it is never later than `now`.
    pub fn map(&mut self, theirs: Nanos, now: Nanos) -> Nanos {
        if self.straight.is_none() {
            return now;
        }
        let mut ours = self.place(theirs, now);
        match self.newest {
            Some((newest, mapped)) if theirs >= newest => ours = ours.max(mapped),
            Some(_) => return ours,
            None => {}
        }
        self.newest = Some((theirs, ours));
        ours
    }

    /// The same for a line that nothing comes of, such as an answer: what comes after it may
    /// be older, and does not go back for it.
    pub fn place(&self, theirs: Nanos, now: Nanos) -> Nanos {
        let Some(straight) = self.straight else { return now };
        Nanos(theirs.0.saturating_add_signed(straight.at(theirs.0 as i64))).min(now)
    }

    /// Whether anything is known of the clock.
    pub fn is_known(&self) -> bool {
        self.straight.is_some()
    }

    /// What is known of the clock; nothing before it was heard.
    pub fn reading(&self) -> Option<ClockReading> {
        let straight = self.straight?;
        let newest = self.most.bounds.back()?.theirs;
        Some(ClockReading {
            offset_ns: straight.at(newest),
            drift_ppm: straight.slope * 1e6,
            uncertainty: self.uncertainty,
            jumps: self.jumps,
        })
    }
}
