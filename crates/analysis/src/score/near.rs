//! Which attempts are near a label.

use super::SLACK;
use alloc::{collections::BTreeSet, vec::Vec};
use core::cmp::Reverse;
use gtrig_core::Nanos;

/// When an attempt began and was over.
pub(super) type Span = [Nanos; 2];

/// Attempts that are asked for by instants, each no earlier than the one before.
///
/// It costs no more than the attempts that are near, however long some of them went on.
pub(super) struct Near<'s> {
    spans: &'s [Span],
    /// Those that begin too late for the instants so far, from the last that begins.
    later: Vec<usize>,
    /// Those near the last instant.
    here: BTreeSet<usize>,
}

impl<'s> Near<'s> {
    /// Some attempts, in any order.
    pub(super) fn new(spans: &'s [Span]) -> Self {
        let mut later: Vec<usize> = (0..spans.len()).collect();
        later.sort_unstable_by_key(|&n| Reverse(spans[n][0]));
        Near { spans, later, here: BTreeSet::new() }
    }

    /// The places of those no further than [`SLACK`] from an instant, in order.
    pub(super) fn of(&mut self, at: Nanos) -> impl Iterator<Item = usize> {
        let has_begun = |&mut n: &mut usize| self.spans[n][0].0 <= at.0.saturating_add(SLACK.0);
        while let Some(n) = self.later.pop_if(has_begun) {
            self.here.insert(n);
        }
        self.here.retain(|&n| self.spans[n][1].0.saturating_add(SLACK.0) >= at.0);
        self.here.iter().copied()
    }
}

#[cfg(test)]
mod tests {
    use super::{super::gap, *};
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn those_are_near_that_are_no_further_than_they_may_be(
            mut instants in prop::collection::vec(0u64..20, 1..9),
            spans in prop::collection::vec((0u64..20, 0u64..20), 0..9),
        ) {
            instants.sort_unstable();
            let spans: Vec<Span> = spans
                .into_iter()
                .map(|(began, long)| [began, began + long].map(|at| Nanos(at * SLACK.0 / 3)))
                .collect();
            let mut near = Near::new(&spans);
            for at in instants.into_iter().map(|at| Nanos(at * SLACK.0 / 3)) {
                let expected = (0..spans.len()).filter(|&n| gap(spans[n], at) <= SLACK.0);
                prop_assert!(near.of(at).eq(expected));
            }
        }
    }
}
