//! A list for every control.

use crate::base::ControlId;
use alloc::{vec, vec::Vec};

/// For each control a list: `entries[starts[c]..starts[c + 1]]`.
#[derive(Clone, Debug)]
pub(crate) struct ControlTable<T> {
    starts: Vec<u32>,
    entries: Vec<T>,
}

impl<T> Default for ControlTable<T> {
    fn default() -> Self {
        ControlTable { starts: Vec::new(), entries: Vec::new() }
    }
}

impl<T> ControlTable<T> {
    #[inline]
    pub(crate) fn of(&self, control: ControlId) -> &[T] {
        let at = control.index();
        &self.entries[self.starts[at] as usize..self.starts[at + 1] as usize]
    }
}

impl<T: Ord + Copy> ControlTable<T> {
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
