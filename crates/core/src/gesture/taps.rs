//! The last taps of a gesture that wants several of them.
//!
//! Whenever a tap ends, the last so many taps are judged together: the longest
//! of them, the widest gap and so on. No window is opened or closed, and so a
//! tap that comes too late for one sequence can begin the next.

use crate::base::{ContactId, Nanos, length, minus};
use crate::gesture::millis;
use crate::spec::{MAX_TAPS, Quantity};

/// A gap this many times as wide as the limit parts two attempts: nobody meant
/// them as one.
const PARTED: f32 = 4.0;

/// A tap that is over.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Tap {
    /// Its first contact.
    pub(crate) contact: ContactId,
    pub(crate) landed: Nanos,
    pub(crate) lifted: Nanos,
    pub(crate) start: [f32; 2],
    pub(crate) moved: f32,
    pub(crate) together: f32,
    /// Whether it counted for one that fired: no tap counts twice.
    pub(crate) is_spent: bool,
    /// Whether it was short and steady enough.
    pub(crate) is_good: bool,
}

/// The last taps, the newest last.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Taps {
    /// The first `count` are there.
    taps: [Tap; MAX_TAPS],
    count: u8,
}

impl Tap {
    const NONE: Tap = Tap {
        contact: ContactId(0),
        landed: Nanos(0),
        lifted: Nanos(0),
        start: [0.0; 2],
        moved: 0.0,
        together: 0.0,
        is_spent: false,
        is_good: false,
    };
}

impl Taps {
    pub(crate) const NONE: Taps = Taps { taps: [Tap::NONE; MAX_TAPS], count: 0 };

    pub(crate) fn push(&mut self, tap: Tap) {
        if usize::from(self.count) == MAX_TAPS {
            self.taps.rotate_left(1);
            self.count -= 1;
        }
        self.taps[usize::from(self.count)] = tap;
        self.count += 1;
    }

    pub(crate) fn clear(&mut self) {
        self.count = 0;
    }

    /// The last so many, if none of them is spent and none is parted from the
    /// one before.
    pub(crate) fn last(&self, times: u8, gap: f32) -> Option<&[Tap]> {
        let first = usize::from(self.count).checked_sub(usize::from(times))?;
        let taps = &self.taps[first..usize::from(self.count)];
        let is_one = |two: &[Tap]| self::gap(two) <= gap * PARTED;
        (taps.iter().all(|tap| !tap.is_spent) && taps.windows(2).all(is_one)).then_some(taps)
    }

    pub(crate) fn spend(&mut self) {
        self.taps[..usize::from(self.count)].iter_mut().for_each(|tap| tap.is_spent = true);
    }

    pub(crate) fn newest(&self) -> Option<&Tap> {
        self.taps[..usize::from(self.count)].last()
    }

    /// Until when another tap could still make a sequence of the last one.
    pub(crate) fn open_until(&self, gap: f32) -> Option<Nanos> {
        let last = self.newest()?;
        let until = Nanos(last.lifted.0 + (f64::from(gap) * 1e6) as u64);
        (last.is_good && !last.is_spent).then_some(until)
    }
}

fn gap(two: &[Tap]) -> f32 {
    millis(two[1].landed.0.saturating_sub(two[0].lifted.0))
}

/// What a quantity is over a sequence of taps: the worst.
pub(crate) fn measure_taps(taps: &[Tap], quantity: Quantity) -> f32 {
    let worst = |of: &dyn Fn(&Tap) -> f32| taps.iter().map(of).fold(0.0, f32::max);
    let between = |of: &dyn Fn(&[Tap]) -> f32| taps.windows(2).map(of).fold(0.0, f32::max);
    match quantity {
        Quantity::Lift => worst(&|tap| millis(tap.lifted.0.saturating_sub(tap.landed.0))),
        Quantity::Move => worst(&|tap| tap.moved),
        Quantity::Together => worst(&|tap| tap.together),
        Quantity::Gap => between(&gap),
        Quantity::Spread => between(&|two| length(minus(two[1].start, two[0].start))),
        _ => 0.0,
    }
}
