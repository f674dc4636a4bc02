//! One row of the timeline: what a control or an action was, tick by tick,
//! kept so that any stretch of it can be summed up quickly.
//!
//! Only changes are stored. Above them lies a pyramid of summaries, each of
//! [`FAN`] entries of the level below, so that summing up an hour costs about
//! as much as summing up a second.

use alloc::collections::VecDeque;
use gtrig_core::{LaneMarks, Tick};

/// A tick at which a lane took a value or a mark.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Change {
    /// The tick.
    pub tick: Tick,
    /// The value from this tick on.
    pub value: f32,
    /// What else happened in this tick.
    pub marks: LaneMarks,
}

/// A stretch of a lane, summed up.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct LaneSummary {
    /// The smallest value in force.
    pub min: f32,
    /// The largest value in force.
    pub max: f32,
    /// The value in force at the end.
    pub last: f32,
    /// All marks within.
    pub marks: LaneMarks,
    /// The number of changes within.
    pub changes: u32,
}

impl LaneSummary {
    /// The stretch with one more change at its end.
    pub fn changed_to(self, value: f32) -> Self {
        self.then(LaneSummary { changes: 1, ..LaneSummary::steady(value) })
    }

    /// The same on a scale on which these two values are 0 and 1.
    #[must_use]
    pub fn scaled(self, [zero, one]: [f32; 2]) -> Self {
        let scale = |value: f32| (value - zero) / (one - zero);
        let (min, max) = (scale(self.min), scale(self.max));
        LaneSummary { min: min.min(max), max: min.max(max), last: scale(self.last), ..self }
    }

    /// A stretch in which nothing changes.
    pub const fn steady(value: f32) -> Self {
        LaneSummary { min: value, max: value, last: value, marks: LaneMarks::empty(), changes: 0 }
    }

    fn then(self, next: LaneSummary) -> Self {
        LaneSummary {
            min: self.min.min(next.min),
            max: self.max.max(next.max),
            last: next.last,
            marks: self.marks | next.marks,
            changes: self.changes + next.changes,
        }
    }
}

impl From<Change> for LaneSummary {
    fn from(change: Change) -> Self {
        LaneSummary { marks: change.marks, changes: 1, ..LaneSummary::steady(change.value) }
    }
}

/// Entries per summary of the level above; a power of two.
const FAN: u64 = 8;

const LEVELS: usize = 7;

/// The changes of one lane, oldest first.
///
/// Changes and summaries have absolute numbers that do not move when old
/// ones are dropped: summary `i` of a level covers entries `i * FAN` to
/// `(i + 1) * FAN` of the level below.
#[derive(Clone, Debug)]
pub struct LaneLog {
    /// In force before the oldest change that is kept.
    base: f32,
    changes: Row<Change>,
    levels: [Row<LaneSummary>; LEVELS],
}

/// A queue whose entries keep their numbers.
#[derive(Clone, Debug)]
struct Row<T> {
    first: u64,
    entries: VecDeque<T>,
}

impl<T: Copy> Row<T> {
    const fn new() -> Self {
        Row { first: 0, entries: VecDeque::new() }
    }

    fn end(&self) -> u64 {
        self.first + self.entries.len() as u64
    }

    fn get(&self, number: u64) -> Option<T> {
        self.entries.get(usize::try_from(number.checked_sub(self.first)?).ok()?).copied()
    }

    fn drop_front(&mut self) -> Option<T> {
        self.first += 1;
        self.entries.pop_front()
    }
}

impl LaneLog {
    /// A lane that has been at `value` from the beginning.
    pub const fn new(value: f32) -> Self {
        LaneLog { base: value, changes: Row::new(), levels: [const { Row::new() }; LEVELS] }
    }

    /// The value now.
    pub fn last(&self) -> f32 {
        self.changes.entries.back().map_or(self.base, |c| c.value)
    }

    /// How many changes are kept.
    pub fn len(&self) -> usize {
        self.changes.entries.len()
    }

    /// Whether nothing ever changed, as far back as is kept.
    pub fn is_empty(&self) -> bool {
        self.changes.entries.is_empty()
    }

    /// Appends a change. Ticks must not go back.
    pub fn push(&mut self, change: Change) {
        debug_assert!(self.changes.entries.back().is_none_or(|last| last.tick <= change.tick));
        self.changes.entries.push_back(change);
        let mut filled = self.changes.end();
        for level in 0..LEVELS {
            if !filled.is_multiple_of(FAN) {
                break;
            }
            let block = filled / FAN - 1;
            if let Some(span) = self.sum_block(level, block) {
                self.levels[level].entries.push_back(span);
            } else {
                // Part of the block was dropped already: the level starts after it.
                self.levels[level].first = block + 1;
            }
            filled = self.levels[level].end();
        }
    }

    fn sum_block(&self, level: usize, block: u64) -> Option<LaneSummary> {
        let entry = |number| match level {
            0 => self.changes.get(number).map(LaneSummary::from),
            _ => self.levels[level - 1].get(number),
        };
        let mut entries = (block * FAN..(block + 1) * FAN).map(entry);
        let first = entries.next()??;
        entries.try_fold(first, |sum, next| Some(sum.then(next?)))
    }

    /// Forgets the changes before `tick`, but for the value they left.
    pub fn forget_before(&mut self, tick: Tick) {
        while let Some(oldest) = self.changes.entries.front().filter(|c| c.tick < tick) {
            self.base = oldest.value;
            self.changes.drop_front();
        }
        let mut first = self.changes.first;
        for level in &mut self.levels {
            first = first.div_ceil(FAN);
            while level.first < first && level.drop_front().is_some() {}
            level.first = level.first.max(first);
        }
    }

    /// The number of the first change after `tick`.
    fn after(&self, tick: Tick) -> u64 {
        let kept = self.changes.entries.partition_point(|c| c.tick <= tick);
        self.changes.first + kept as u64
    }

    /// The same for a caller who knows that it is not a change before number `from`, and
    /// probably one about `distance` further on. The search begins there, so that a long
    /// history costs nothing.
    fn after_near(&self, tick: Tick, from: u64, distance: u64) -> u64 {
        let is_after = |number: u64| self.changes.get(number).is_none_or(|c| c.tick > tick);
        // It is never before `low`, and never after `high`.
        let (mut low, mut high) = (from, self.changes.end().max(from));
        let mut at = from.saturating_add(distance).min(high.saturating_sub(1));
        let mut step = 1u64;
        while low < high {
            // Steps grow while they lead one way, and never leave half of what is possible.
            let passed = is_after(at);
            if passed {
                high = at;
            } else {
                low = at + 1;
            }
            let middle = low + (high - low) / 2;
            at = match passed {
                true => middle.max(high.saturating_sub(step)),
                false => middle.min(low + step - 1),
            };
            step = step.saturating_mul(2);
        }
        low
    }

    fn before_number(&self, number: u64) -> f32 {
        match number.checked_sub(1).and_then(|n| self.changes.get(n)) {
            Some(change) => change.value,
            None => self.base,
        }
    }

    /// The value at a tick.
    pub fn value_at(&self, tick: Tick) -> f32 {
        self.before_number(self.after(tick))
    }

    /// Since when the value at a tick has been what it is, as far back as is
    /// kept; `None` if it always was.
    pub fn since(&self, tick: Tick) -> Option<Tick> {
        let value = self.value_at(tick);
        let same = self.changes_before(tick.next()).take_while(|change| change.value == value);
        same.last().map(|change| change.tick)
    }

    /// The change at exactly this tick.
    pub fn change_at(&self, tick: Tick) -> Option<Change> {
        let change = self.changes.get(self.after(tick).checked_sub(1)?)?;
        (change.tick == tick).then_some(change)
    }

    /// The changes after `tick`, in order.
    pub fn changes_after(&self, tick: Tick) -> impl Iterator<Item = Change> + '_ {
        let from = (self.after(tick) - self.changes.first) as usize;
        self.changes.entries.range(from..).copied()
    }

    /// The changes before `tick`, latest first.
    pub fn changes_before(&self, tick: Tick) -> impl Iterator<Item = Change> + '_ {
        let to = self.changes.entries.partition_point(|c| c.tick < tick);
        self.changes.entries.range(..to).rev().copied()
    }

    /// Sums up consecutive columns of so many ticks each, at least one, from `first` on.
    /// A column's span holds the values in force in its ticks and the value
    /// it starts from.
    pub fn columns<'l>(
        &'l self,
        first: Tick,
        widths: impl IntoIterator<Item = u32, IntoIter: 'l>,
    ) -> impl Iterator<Item = LaneSummary> + 'l {
        let mut edge = u64::from(first.0);
        let mut number = match first.0 {
            0 => self.changes.first,
            n => self.after(Tick(n - 1)),
        };
        let mut held = 1;
        widths.into_iter().map(move |width| {
            edge += u64::from(width);
            let last = Tick(u32::try_from(edge - 1).unwrap_or(u32::MAX));
            let end = self.after_near(last, number, held);
            held = end - number;
            let start_value = match self.changes.get(number) {
                // A change on the column's first tick: nothing older is in force.
                Some(c) if u64::from(c.tick.0) == edge - u64::from(width) => c.value,
                _ => self.before_number(number),
            };
            let span = self.sum(LaneSummary::steady(start_value), number, end);
            number = end;
            span
        })
    }

    /// Adds the changes numbered `from..to` to `sum`, by the largest blocks
    /// that fit.
    fn sum(&self, mut sum: LaneSummary, mut from: u64, to: u64) -> LaneSummary {
        'next: while from < to {
            // A block of a level fits where `from` is aligned to its size and
            // `to` is not before its end.
            let fitting = from.trailing_zeros().min((to - from).ilog2()) / FAN.ilog2();
            for level in (1..=fitting.min(LEVELS as u32)).rev() {
                let size = FAN.pow(level);
                if let Some(block) = self.levels[level as usize - 1].get(from / size) {
                    sum = sum.then(block);
                    from += size;
                    continue 'next;
                }
            }
            if let Some(change) = self.changes.get(from) {
                sum = sum.then(change.into());
            }
            from += 1;
        }
        sum
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_core::{LaneMarks, Tick};
    use proptest::prelude::*;
    use std::vec::Vec;

    fn log(changes: &[(u32, f32)]) -> LaneLog {
        let mut log = LaneLog::new(0.0);
        for &(tick, value) in changes {
            log.push(Change { tick: Tick(tick), value, marks: LaneMarks::empty() });
        }
        log
    }

    #[test]
    fn values_hold_until_the_next_change() {
        let log = log(&[(3, 1.0), (5, 0.0)]);
        let values: Vec<f32> = (0..7).map(|t| log.value_at(Tick(t))).collect();
        assert_eq!(values, [0.0, 0.0, 0.0, 1.0, 1.0, 0.0, 0.0]);
        assert_eq!(log.change_at(Tick(5)).unwrap().value, 0.0);
        assert_eq!(log.change_at(Tick(4)), None);
    }

    #[test]
    fn a_mark_alone_does_not_begin_a_value_anew() {
        let log = log(&[(3, 1.0), (5, 1.0), (9, 0.0)]);
        assert_eq!(log.since(Tick(2)), None);
        assert_eq!(log.since(Tick(8)), Some(Tick(3)));
        assert_eq!(log.since(Tick(9)), Some(Tick(9)));
    }

    #[test]
    fn changes_are_found_from_either_side() {
        let log = log(&[(3, 1.0), (5, 0.0), (9, 1.0)]);
        let after: Vec<u32> = log.changes_after(Tick(3)).map(|c| c.tick.0).collect();
        let before: Vec<u32> = log.changes_before(Tick(9)).map(|c| c.tick.0).collect();
        assert_eq!((after, before), (std::vec![5, 9], std::vec![5, 3]));
    }

    proptest! {
        /// The pyramid agrees with looking at every tick.
        #[test]
        fn columns_agree_with_a_plain_walk(
            steps in prop::collection::vec((1u32..4, -1.0f32..1.0), 0..3000),
            first in 0u32..200, width in 1u32..700, forget in 0u32..2000,
        ) {
            let mut tick = 0;
            let changes: Vec<(u32, f32)> =
                steps.iter().map(|&(gap, v)| { tick += gap; (tick, v) }).collect();
            let mut log = log(&changes[..changes.len() / 2]);
            log.forget_before(Tick(forget));
            for &(tick, value) in &changes[changes.len() / 2..] {
                log.push(Change { tick: Tick(tick), value, marks: LaneMarks::empty() });
            }
            let first = first + forget;
            for (i, span) in log.columns(Tick(first), [width; 6]).enumerate() {
                let from = first + i as u32 * width;
                let values = (from..from + width).map(|t| log.value_at(Tick(t)));
                let (min, max) = values.fold((f32::MAX, f32::MIN), |(lo, hi), v| (lo.min(v), hi.max(v)));
                prop_assert_eq!((span.min, span.max), (min, max));
                prop_assert_eq!(span.last, log.value_at(Tick(from + width - 1)));
                let inside = changes.iter().filter(|c| c.0 >= from && c.0 < from + width).count();
                prop_assert_eq!(span.changes as usize, inside);
            }
            for (tick, guess) in [(0, 0), (first, 3), (first, width), (first + width, u32::MAX)] {
                let (tick, begin) = (Tick(tick), log.after(Tick(tick / 2)));
                prop_assert_eq!(log.after_near(tick, begin, guess.into()), log.after(tick));
            }
        }
    }
}
