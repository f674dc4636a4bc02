//! Sets of numbers: one that can be walked in the order of insertion, and small
//! ones that are a bit for each member.

use super::ids::{Id, ModeId, ZoneId};
use alloc::vec::{Drain, Vec};

/// A list of numbers, none twice, with membership.
///
/// Invariant: a number is in `list` exactly if its flag is set, and then once.
/// So the list needs no more room than there are numbers, and once
/// [grown](SparseSet::grow) to them no insertion allocates.
///
/// It replaces the pair of a list and of flags beside it that every stage would otherwise keep:
/// a stage notes a number as often as it likes, and the number is worked on once. Asking and
/// putting in take the same short time whatever the size; walking costs as much as there are
/// members, and not as much as there are numbers.
#[derive(Clone, Debug)]
pub(crate) struct SparseSet<I> {
    /// The members, in the order in which they were put in.
    list: Vec<I>,
    /// For each number whether it is a member.
    is_in: Vec<bool>,
}

impl<I> Default for SparseSet<I> {
    fn default() -> Self {
        SparseSet { list: Vec::new(), is_in: Vec::new() }
    }
}

impl<I: Id> SparseSet<I> {
    /// Makes room for the numbers below `count`; those that are in stay.
    ///
    /// This is the only call that allocates. `count` never falls in a run: devices come, and a rig
    /// that is loaded anew begins with new sets.
    pub(crate) fn grow(&mut self, count: usize) {
        self.is_in.resize(count, false);
        self.list.reserve(count - self.list.len());
    }

    /// Puts a number in. Returns whether it was not in before.
    ///
    /// # Panics
    /// For a number that there is no room for; see [`SparseSet::grow`].
    #[inline]
    pub(crate) fn insert(&mut self, id: I) -> bool {
        let is_new = !core::mem::replace(&mut self.is_in[id.index()], true);
        if is_new {
            self.list.push(id);
        }
        is_new
    }

    #[cfg(test)]
    fn contains(&self, id: I) -> bool {
        self.is_in[id.index()]
    }

    /// Whether no number is in.
    pub(crate) fn is_empty(&self) -> bool {
        self.list.is_empty()
    }

    /// Those that are in, in the order in which they came.
    #[inline]
    pub(crate) fn as_slice(&self) -> &[I] {
        &self.list
    }

    /// Takes out the one that came last.
    #[inline]
    pub(crate) fn pop(&mut self) -> Option<I> {
        let id = self.list.pop()?;
        self.is_in[id.index()] = false;
        Some(id)
    }

    /// Takes out the one at a place of the list; the last one takes its place.
    ///
    /// So the order of those behind it is lost; [`SparseSet::retain`] keeps it.
    pub(crate) fn swap_remove(&mut self, place: usize) -> I {
        let id = self.list.swap_remove(place);
        self.is_in[id.index()] = false;
        id
    }

    /// Takes out all but those that are to stay, which keep their order.
    #[inline]
    pub(crate) fn retain(&mut self, mut stays: impl FnMut(I) -> bool) {
        // As slices, whose places are known to stay where they are.
        let (list, is_in) = (self.list.as_mut_slice(), self.is_in.as_mut_slice());
        let mut kept = 0;
        for place in 0..list.len() {
            let id = list[place];
            if stays(id) {
                list[kept] = id;
                kept += 1;
            } else {
                is_in[id.index()] = false;
            }
        }
        self.list.truncate(kept);
    }

    /// Takes all numbers out.
    #[inline]
    pub(crate) fn clear(&mut self) {
        let is_in = self.is_in.as_mut_slice();
        self.list.iter().for_each(|id| is_in[id.index()] = false);
        self.list.clear();
    }

    /// Takes all out, in the order in which they came.
    pub(crate) fn drain(&mut self) -> Drain<'_, I> {
        for id in &self.list {
            self.is_in[id.index()] = false;
        }
        self.list.drain(..)
    }
}

/// Zones of a rig, a bit for each.
///
/// ```
/// use gtrig_core::{ZoneId, ZoneSet};
///
/// let has = ZoneSet::EMPTY.with(ZoneId(3));
/// assert!(has.has(ZoneId(3)) && !has.meets(ZoneSet::EMPTY.with(ZoneId(4))));
/// ```
///
/// Zone `n` of the rig is bit `n`; there are at most [`MAX_ZONES`](crate::MAX_ZONES) of them.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct ZoneSet(u64);

impl ZoneSet {
    /// None.
    pub const EMPTY: ZoneSet = ZoneSet(0);

    /// Whether a zone is in it.
    #[inline]
    pub const fn has(self, zone: ZoneId) -> bool {
        self.0 >> zone.0 & 1 != 0
    }

    /// With one more zone.
    #[must_use]
    pub const fn with(self, zone: ZoneId) -> Self {
        ZoneSet(self.0 | 1 << zone.0)
    }

    /// Whether it has none.
    pub const fn is_empty(self) -> bool {
        self.0 == 0
    }

    /// Those in either.
    #[must_use]
    pub const fn or(self, other: ZoneSet) -> Self {
        ZoneSet(self.0 | other.0)
    }

    /// Those in both.
    #[must_use]
    pub const fn and(self, other: ZoneSet) -> Self {
        ZoneSet(self.0 & other.0)
    }

    /// Those that are in this one and not in the other.
    #[must_use]
    pub const fn without(self, other: ZoneSet) -> Self {
        ZoneSet(self.0 & !other.0)
    }

    /// Those that are in one of the two and not in both.
    ///
    /// Of the zones at two ticks these are the ones that were entered or left.
    #[must_use]
    pub const fn difference(self, other: ZoneSet) -> Self {
        ZoneSet(self.0 ^ other.0)
    }

    /// Whether any zone is in both.
    #[inline]
    pub const fn meets(self, other: ZoneSet) -> bool {
        self.0 & other.0 != 0
    }

    /// Its zones, in order.
    pub fn iter(self) -> impl Iterator<Item = ZoneId> {
        (0..u64::BITS as u8).map(ZoneId).filter(move |&zone| self.has(zone))
    }
}

impl FromIterator<ZoneId> for ZoneSet {
    fn from_iter<T: IntoIterator<Item = ZoneId>>(zones: T) -> Self {
        zones.into_iter().fold(ZoneSet::EMPTY, ZoneSet::with)
    }
}

/// Modes in which something is open, a bit for each.
///
/// ```
/// use gtrig_core::{ModeId, ModeSet};
///
/// let driving = ModeSet::EMPTY.with(ModeId(0));
/// assert!(driving.has(ModeId(0)) && !driving.has(ModeId(1)) && ModeSet::ALL.has(ModeId(1)));
/// ```
///
/// Mode `n` of the rig is bit `n`; there are at most [`MAX_MODES`](crate::MAX_MODES) of them.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct ModeSet(u32);

impl ModeSet {
    /// Every mode: what is said of something that names none.
    pub const ALL: ModeSet = ModeSet(u32::MAX);
    /// None.
    pub const EMPTY: ModeSet = ModeSet(0);

    /// Whether a mode is in it.
    #[inline]
    pub const fn has(self, mode: ModeId) -> bool {
        self.0 >> mode.0 & 1 != 0
    }

    /// With one more mode.
    #[must_use]
    pub const fn with(self, mode: ModeId) -> Self {
        ModeSet(self.0 | 1 << mode.0)
    }

    /// Whether it has every mode there can be.
    ///
    /// What is open in all of them need not look at the mode.
    #[inline]
    pub const fn is_all(self) -> bool {
        self.0 == u32::MAX
    }

    /// Whether any mode is in both.
    pub const fn meets(self, other: ModeSet) -> bool {
        self.0 & other.0 != 0
    }
}

impl Default for ModeSet {
    fn default() -> Self {
        ModeSet::ALL
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::ActionId;
    use proptest::prelude::*;
    use std::vec::Vec;

    #[derive(Clone, Copy, Debug)]
    enum Do {
        Insert(u16),
        Pop,
        SwapRemove(usize),
        RetainBelow(u16),
        Clear,
    }

    fn doing() -> impl Strategy<Value = Do> {
        prop_oneof![
            4 => (0u16..12).prop_map(Do::Insert),
            1 => Just(Do::Pop),
            1 => (0usize..12).prop_map(Do::SwapRemove),
            1 => (0u16..12).prop_map(Do::RetainBelow),
            1 => Just(Do::Clear),
        ]
    }

    proptest! {
        /// It does what a list does that is searched before each insertion.
        #[test]
        fn a_sparse_set_is_a_list_without_doubles(all in prop::collection::vec(doing(), 0..60)) {
            let mut set = SparseSet::default();
            set.grow(12);
            let mut list: Vec<ActionId> = Vec::new();
            for what in all {
                match what {
                    Do::Insert(n) => {
                        let is_new = !list.contains(&ActionId(n));
                        if is_new {
                            list.push(ActionId(n));
                        }
                        prop_assert_eq!(set.insert(ActionId(n)), is_new);
                    }
                    Do::Pop => prop_assert_eq!(set.pop(), list.pop()),
                    Do::SwapRemove(place) if place < list.len() => {
                        prop_assert_eq!(set.swap_remove(place), list.swap_remove(place));
                    }
                    Do::SwapRemove(_) => {}
                    Do::RetainBelow(n) => {
                        set.retain(|id| id.0 < n);
                        list.retain(|id| id.0 < n);
                    }
                    Do::Clear => {
                        set.clear();
                        list.clear();
                    }
                }
                prop_assert_eq!(set.as_slice(), list.as_slice());
                for id in ActionId::first(12) {
                    prop_assert_eq!(set.contains(id), list.contains(&id));
                }
            }
            prop_assert_eq!(set.drain().collect::<Vec<_>>(), list);
            prop_assert!(set.is_empty() && !ActionId::first(12).any(|id| set.contains(id)));
        }
    }

    #[test]
    fn small_sets_have_what_was_put_in() {
        let zones: ZoneSet = [ZoneId(0), ZoneId(63)].into_iter().collect();
        assert_eq!(zones.iter().collect::<Vec<_>>(), [ZoneId(0), ZoneId(63)]);
        assert!(zones.meets(ZoneSet::EMPTY.with(ZoneId(63))) && !zones.has(ZoneId(1)));
        assert!(ModeSet::ALL.has(ModeId(31)) && !ModeSet::EMPTY.with(ModeId(3)).is_all());
    }
}
