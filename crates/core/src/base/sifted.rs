//! Those out of many that are wanted.

use alloc::vec::Vec;

/// A list of those out of many that are wanted. A processor would guess wrong which ones these are,
/// and a wrong guess costs more than a write: so each is written, and counted if it is wanted,
/// without a branch.
///
/// Invariant: `count` is less than the length of `room`, or both are 0.
#[derive(Clone, Debug)]
pub(crate) struct Sifted<T> {
    /// Those that are wanted, and behind them what was written before.
    room: Vec<T>,
    /// How many are wanted.
    count: usize,
}

impl<T> Default for Sifted<T> {
    fn default() -> Self {
        Sifted { room: Vec::new(), count: 0 }
    }
}

impl<T: Copy> Sifted<T> {
    /// Makes room for so many that are wanted; `none` stands where there is none yet. Those that are
    /// in stay. This is the only call that allocates.
    pub(crate) fn fit(&mut self, most: usize, none: T) {
        if self.room.len() <= most {
            self.room.resize(most + 1, none);
        }
    }

    /// Adds those of many that are wanted; each comes with whether it is.
    ///
    /// The count is kept beside the list meanwhile: otherwise each of them would have to wait until
    /// that of the one before is written, to be read again.
    ///
    /// # Panics
    /// When there is no room; see [`Sifted::fit`].
    #[inline]
    pub(crate) fn sift(&mut self, many: impl Iterator<Item = (bool, T)>) {
        let (room, mut count) = (self.room.as_mut_slice(), self.count);
        for (is_wanted, one) in many {
            room[count] = one;
            count += usize::from(is_wanted);
        }
        self.count = count;
    }

    /// Adds one.
    ///
    /// # Panics
    /// When there is no room; see [`Sifted::fit`].
    #[inline]
    pub(crate) fn add(&mut self, one: T) {
        self.room[self.count] = one;
        self.count += 1;
    }

    /// How many there are.
    #[inline]
    pub(crate) const fn len(&self) -> usize {
        self.count
    }

    /// Whether there is none.
    #[inline]
    pub(crate) const fn is_empty(&self) -> bool {
        self.count == 0
    }

    /// All of them, in the order in which they came.
    #[inline]
    pub(crate) fn as_slice(&self) -> &[T] {
        &self.room[..self.count]
    }

    /// The same, to be put in another order.
    #[inline]
    pub(crate) fn as_mut_slice(&mut self) -> &mut [T] {
        &mut self.room[..self.count]
    }

    /// Forgets all of them.
    pub(crate) fn clear(&mut self) {
        self.count = 0;
    }
}
