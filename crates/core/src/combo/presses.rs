//! Which edges an attempt is made of.
//!
//! Combos that wait for each other, or that may not use one press twice, are about presses: two
//! attempts have to do with each other only where they share one. A set of serials would need room
//! that a tick must not ask for; a number, 128 bits and one more number do.

/// The edges that the steps of an attempt took, by their count over all edges.
///
/// It knows the first exactly, and of those after it [`Presses::SPAN`] one by
/// one. An attempt that goes on for longer is taken to have all that come after
/// these: two such attempts share a press if they overlap there.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Presses {
    /// The first edge; 0 for none.
    first: u32,
    /// Bit n: the edge `first + n`.
    bits: [u64; 2],
    /// The last edge, if it lies beyond the bits; otherwise 0.
    beyond: u32,
}

impl Presses {
    /// So many edges from the first one on are known one by one.
    const SPAN: u32 = 128;

    /// A single edge.
    pub(crate) const fn one(serial: u32) -> Self {
        Presses { first: serial, bits: [1, 0], beyond: 0 }
    }

    /// The first edge; 0 where there is none.
    pub(crate) const fn first(self) -> u32 {
        self.first
    }

    /// The bits as one number.
    const fn word(self) -> u128 {
        self.bits[0] as u128 | (self.bits[1] as u128) << 64
    }

    /// The other way round.
    const fn with_word(first: u32, word: u128, beyond: u32) -> Self {
        Presses { first, bits: [word as u64, (word >> 64) as u64], beyond }
    }

    /// These and those of a later part of the same attempt.
    ///
    /// The bits of the later one are moved up by how much later it begins; what leaves them at the
    /// top is remembered as one number.
    pub(crate) fn and(self, other: Presses) -> Self {
        let (early, late) = if self.first <= other.first { (self, other) } else { (other, self) };
        let by = late.first - early.first;
        let moved = late.word().checked_shl(by).unwrap_or(0);
        let last = match late.beyond {
            0 => late.first + (Self::SPAN - 1 - late.word().leading_zeros()),
            beyond => beyond,
        };
        let is_beyond = last - early.first >= Self::SPAN;
        let beyond = if is_beyond { early.beyond.max(last) } else { early.beyond };
        Presses::with_word(early.first, early.word() | moved, beyond)
    }

    /// These and one edge after all of them.
    pub(crate) fn then(self, serial: u32) -> Self {
        let by = serial - self.first;
        let mut all = self;
        match by {
            0..64 => all.bits[0] |= 1 << by,
            64..Self::SPAN => all.bits[1] |= 1 << (by - 64),
            _ => all.beyond = serial,
        }
        all
    }

    /// Whether an edge is in both.
    pub(crate) fn meets(self, other: Presses) -> bool {
        let (early, late) = if self.first <= other.first { (self, other) } else { (other, self) };
        let by = late.first - early.first;
        let there = early.word().checked_shr(by).unwrap_or(0);
        there & late.word() != 0 || early.beyond >= late.first.max(early.first + Self::SPAN)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use std::{collections::BTreeSet, vec::Vec};

    fn of(serials: &BTreeSet<u32>) -> Presses {
        let all: Vec<Presses> = serials.iter().map(|&serial| Presses::one(serial)).collect();
        all.into_iter().reduce(Presses::and).unwrap()
    }

    proptest! {
        /// Two sets share an edge exactly if they do as lists, as long as neither
        /// is longer than what is known one by one.
        #[test]
        fn they_meet_where_lists_do(
            one in prop::collection::btree_set(1u32..120, 1..6),
            other in prop::collection::btree_set(1u32..120, 1..6),
        ) {
            let share = one.intersection(&other).next().is_some();
            prop_assert_eq!(of(&one).meets(of(&other)), share);
            prop_assert_eq!(of(&other).meets(of(&one)), share);
            prop_assert_eq!(of(&one).first(), *one.first().unwrap());
        }

        /// One edge after all others may be added by itself.
        #[test]
        fn one_more_is_added_as_a_set_of_one_is(
            serials in prop::collection::btree_set(1u32..600, 1..9), later in 1u32..600,
        ) {
            let (all, next) = (of(&serials), serials.last().unwrap() + later);
            prop_assert_eq!(all.then(next), all.and(Presses::one(next)));
        }

        /// A long one errs on the side of sharing.
        #[test]
        fn a_long_one_never_misses_an_edge(
            one in prop::collection::btree_set(1u32..600, 2..9),
            other in prop::collection::btree_set(1u32..600, 2..9),
        ) {
            let share = one.intersection(&other).next().is_some();
            prop_assert!(!share || of(&one).meets(of(&other)), "{:?} {:?}", one, other);
        }
    }
}
