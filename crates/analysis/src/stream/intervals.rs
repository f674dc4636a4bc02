//! How far apart things are, counted in logarithmic classes.

use alloc::vec::Vec;
use gtrig_core::Nanos;

/// Classes per doubling: a percentile is off by at most 1.6 % (half a class).
const PER_OCTAVE: u64 = 32;

/// After so many intervals the usual one is worked out, and again after so many more, and at least
/// so large a part of all.
const REFRESH: u64 = 64;

const REFRESH_PART: u64 = 16;

/// A distribution of intervals in constant memory, a few kilobytes.
#[derive(Clone, Debug, Default)]
pub struct Intervals {
    counts: Vec<u32>,
    total: u64,
    refresh_at: u64,
    longest: Option<(Nanos, Nanos)>,
    usual: Option<Nanos>,
    is_steady: bool,
}

impl Intervals {
    pub(super) fn add(&mut self, from: Nanos, to: Nanos) {
        let length = to.0 - from.0;
        let class = class_of(length);
        if class >= self.counts.len() {
            self.counts.resize(class + 1, 0);
        }
        self.counts[class] = self.counts[class].saturating_add(1);
        self.total += 1;
        if self.longest.is_none_or(|(from, to)| to.0 - from.0 < length) {
            self.longest = Some((from, to));
        }
        if self.total >= self.refresh_at.max(REFRESH) {
            self.refresh_at = self.total + REFRESH.max(self.total / REFRESH_PART);
            let usual = self.percentile(0.5).unwrap_or_default();
            let nearly_all = self.percentile(0.999).unwrap_or_default();
            self.is_steady = self.total >= 1000 && nearly_all.0 <= usual.0 * 2;
            self.usual = Some(usual);
        }
    }

    /// How many there are.
    pub fn len(&self) -> u64 {
        self.total
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.total == 0
    }

    /// The interval that a share of all does not exceed (nearest rank), to within 1.6 %, and no
    /// longer than the longest. `None` while there are none.
    pub fn percentile(&self, share: f64) -> Option<Nanos> {
        let rank = (libm::ceil(share.clamp(0.0, 1.0) * self.total as f64) as u64).max(1);
        let mut below = 0;
        let class = self.counts.iter().position(|&count| {
            below += u64::from(count);
            below >= rank
        })?;
        let longest = self.longest.map_or(u64::MAX, |(from, to)| to.0 - from.0);
        Some(Nanos(middle_of(class).min(longest)))
    }

    /// The longest one, exactly: from when to when.
    pub fn longest(&self) -> Option<(Nanos, Nanos)> {
        self.longest
    }

    /// The median as of a short while ago; none while there are fewer than [`REFRESH`].
    pub(super) fn usual(&self) -> Option<Nanos> {
        self.usual
    }

    /// Whether, of a thousand at least, nearly all are alike.
    pub(super) fn is_steady(&self) -> bool {
        self.is_steady
    }
}

/// Lengths below [`PER_OCTAVE`] have a class each; above, an octave has so many.
fn class_of(length: u64) -> usize {
    if length < PER_OCTAVE {
        return length as usize;
    }
    let octave = u64::from(length.ilog2() - PER_OCTAVE.ilog2());
    (PER_OCTAVE * octave + (length >> octave)) as usize
}

fn middle_of(class: usize) -> u64 {
    let class = class as u64;
    let octave = (class / PER_OCTAVE).saturating_sub(1);
    let first = (class - PER_OCTAVE * octave) << octave;
    first + (1 << octave) / 2
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_core::Nanos;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_class_is_narrow(length in 0u64..u64::MAX / 2) {
            let middle = middle_of(class_of(length));
            prop_assert!(middle.abs_diff(length) as f64 <= length as f64 / 60.0 + 0.5);
        }

        #[test]
        fn percentiles_agree_with_sorting(
            mut lengths in prop::collection::vec(1u64..10_000_000, 1..300), share in 0.0f64..1.0,
        ) {
            let mut intervals = Intervals::default();
            for &length in &lengths {
                intervals.add(Nanos(5), Nanos(5 + length));
            }
            lengths.sort_unstable();
            let rank = ((share * lengths.len() as f64).ceil() as usize).max(1);
            let exact = lengths[rank - 1];
            let found = intervals.percentile(share).unwrap().0;
            prop_assert!(found.abs_diff(exact) as f64 <= exact as f64 / 60.0 + 0.5);
            prop_assert!(found <= *lengths.last().unwrap());
            let (from, to) = intervals.longest().unwrap();
            prop_assert_eq!(Some(&(to.0 - from.0)), lengths.last());
        }
    }
}
