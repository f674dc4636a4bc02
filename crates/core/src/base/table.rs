//! A list for every control.

use crate::base::ControlId;
use alloc::{vec, vec::Vec};

/// For each control a list: `entries[from..to]` of its place.
///
/// Invariants: the lists lie one after the other, in the order of the controls, and together are
/// all entries; each is in order, and has no entry twice.
///
/// All lists lie in one piece of memory, so that a tick that asks for the lists of some controls
/// touches two lines of the cache for each, and not a vector of its own for every control.
#[derive(Clone, Debug)]
pub(crate) struct ControlTable<T> {
    /// Where the list of each control begins and ends. Both side by side, so that finding a list is
    /// one look.
    places: Vec<[u32; 2]>,
    /// All lists, one after the other.
    entries: Vec<T>,
}

impl<T> Default for ControlTable<T> {
    fn default() -> Self {
        ControlTable { places: Vec::new(), entries: Vec::new() }
    }
}

impl<T> ControlTable<T> {
    /// The list of a control.
    ///
    /// # Panics
    /// For a control beyond those that it was made for.
    #[inline]
    pub(crate) fn of(&self, control: ControlId) -> &[T] {
        let [from, to] = self.places[control.index()];
        &self.entries[from as usize..to as usize]
    }
}

impl<T: Ord + Copy> ControlTable<T> {
    /// The lists of so many controls; of equal pairs one is kept, and each list is in order.
    pub(crate) fn new(mut pairs: Vec<(ControlId, T)>, controls: usize) -> Self {
        pairs.sort_unstable();
        pairs.dedup();
        let mut places = vec![[0; 2]; controls];
        for &(control, _) in &pairs {
            places[control.index()][1] += 1;
        }
        let mut end = 0;
        for place in &mut places {
            *place = [end, end + place[1]];
            end = place[1];
        }
        ControlTable { places, entries: pairs.into_iter().map(|(_, entry)| entry).collect() }
    }
}
