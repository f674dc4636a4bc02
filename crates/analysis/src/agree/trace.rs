//! A value of a game over time, to be drawn beside the action that it should be.

use super::rows::{Compared, Rows};
use alloc::vec::Vec;
use gtrig_core::Nanos;

/// What a value was from a poll on.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TracePoint {
    /// The poll.
    pub polled: Nanos,
    /// The value in units of the action (a way as a speed); not a number where it is not
    /// known.
    pub value: f32,
    /// Whether it differs from the rig's.
    pub differs: bool,
}

/// A value of a game, where it changes.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Trace {
    points: Vec<TracePoint>,
    ends: Nanos,
}

impl Trace {
    pub(super) fn of(rows: &Rows, compared: &Compared, ours: &[f64]) -> Self {
        let mut points: Vec<TracePoint> = Vec::new();
        for (at, row) in rows.list.iter().enumerate() {
            let theirs = compared.theirs[at];
            // A frame in which it is not compared repeats the one before, unless a gap lies between.
            if theirs.is_nan() && !row.begins() {
                continue;
            }
            let unit = rows.unit(compared, at) * compared.target.times.signum();
            let value = (theirs / unit) as f32;
            let differs = rows.differs(compared, ours, at);
            let is_same = |last: &TracePoint| {
                (last.value.to_bits(), last.differs) == (value.to_bits(), differs)
            };
            if !points.last().is_some_and(is_same) {
                points.push(TracePoint { polled: row.polled[0], value, differs });
            }
        }
        let ends = rows.list.last().map_or(Nanos(0), |row| row.polled[0]);
        Trace { points, ends }
    }

    /// The poll of the last frame: nothing is known after it.
    pub const fn ends(&self) -> Nanos {
        self.ends
    }

    /// What it was at a time; `None` before the first frame.
    pub fn at(&self, time: Nanos) -> Option<TracePoint> {
        let after = self.points.partition_point(|point| point.polled <= time);
        self.points.get(after.checked_sub(1)?).copied()
    }

    /// What it became after one time and up to another.
    pub fn between(&self, after: Nanos, until: Nanos) -> &[TracePoint] {
        let from = self.points.partition_point(|point| point.polled <= after);
        let to = self.points.partition_point(|point| point.polled <= until);
        &self.points[from..to.max(from)]
    }
}
