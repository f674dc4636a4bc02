//! A list for every control.

use crate::base::ControlId;
use alloc::{vec, vec::Vec};

/// For each control a list: `entries[starts[c]..starts[c + 1]]`.
///
/// Invariants: `starts` never falls, begins with 0 and ends with the number of entries; each
/// list is in order, and has no entry twice.
///
/// All lists lie in one piece of memory, so that a tick that asks for the lists of some controls
/// touches two lines of the cache for each, and not a vector of its own for every control.
#[derive(Clone, Debug)]
pub(crate) struct ControlTable<T> {
    /// Where the list of each control begins; one more entry for where the last ends.
    starts: Vec<u32>,
    /// All lists, one after the other.
    entries: Vec<T>,
}

impl<T> Default for ControlTable<T> {
    fn default() -> Self {
        ControlTable { starts: Vec::new(), entries: Vec::new() }
    }
}

impl<T> ControlTable<T> {
    /// The list of a control.
    ///
    /// # Panics
    /// For a control beyond those that it was made for.
    #[inline]
    pub(crate) fn of(&self, control: ControlId) -> &[T] {
        let at = control.index();
        &self.entries[self.starts[at] as usize..self.starts[at + 1] as usize]
    }
}

impl<T: Ord + Copy> ControlTable<T> {
    /// The lists of so many controls; of equal pairs one is kept, and each list is in order.
    pub(crate) fn new(mut pairs: Vec<(ControlId, T)>, controls: usize) -> Self {
        pairs.sort_unstable();
        pairs.dedup();
        let mut starts = vec![0; controls + 1];
        for &(control, _) in &pairs {
            starts[control.index() + 1] += 1;
        }
        for i in 0..controls {
            starts[i + 1] += starts[i];
        }
        ControlTable { starts, entries: pairs.into_iter().map(|(_, entry)| entry).collect() }
    }
}
