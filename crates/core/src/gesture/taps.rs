//! The last taps of a gesture that wants several of them.
//!
//! Whenever a tap ends, it is tried as the last of so many: with every choice of
//! earlier ones that lie before each other in time. A choice is a *moment* at
//! which all limits are judged together: the longest of its taps, the widest of
//! its gaps and so on. So two hands that tap at two places do not disturb each
//! other, and a tap that comes too late for one sequence can begin the next.

use crate::base::{ContactId, Nanos, length, minus};
use crate::gesture::millis;
use crate::spec::{MAX_FINGERS, MAX_TAPS, Quantity};

/// How many taps of a gesture are remembered.
pub const MAX_TAPS_KEPT: usize = 8;

/// A gap or a distance this many times as wide as its limit parts two attempts:
/// nobody meant them as one.
const PARTED: f32 = 4.0;

/// The fingers of a tap or of several: which landings of the run they are.
///
/// Invariant: of `sieve` the bits `id % 64` of the landings are set, and no others. Most fingers
/// that are compared are not the same, and most of these are told apart by it alone.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Landings {
    /// Without a bit in common, two sets have no landing in common.
    sieve: u64,
    /// The number of each landing, counted over all presses of the run; the first `count` are
    /// there.
    ids: [u32; MAX_FINGERS * MAX_TAPS],
    /// How many there are.
    count: u8,
}

impl Landings {
    /// No finger.
    pub(crate) const NONE: Landings =
        Landings { sieve: 0, ids: [0; MAX_FINGERS * MAX_TAPS], count: 0 };

    /// One more; at most as many as the taps of a gesture have fingers.
    pub(crate) fn add(&mut self, id: u32) {
        self.sieve |= 1 << (id % 64);
        self.ids[usize::from(self.count)] = id;
        self.count += 1;
    }

    /// All of the others as well; together no more than the taps of a gesture have fingers.
    pub(crate) fn add_all(&mut self, others: &Landings) {
        others.ids().iter().for_each(|&id| self.add(id));
    }

    /// The landings, in the order in which they were added.
    pub(crate) fn ids(&self) -> &[u32] {
        &self.ids[..usize::from(self.count)]
    }

    /// Whether a landing is among them.
    fn has(&self, id: u32) -> bool {
        self.ids().contains(&id)
    }

    /// Whether a finger is in both.
    #[inline]
    pub(crate) fn meet(&self, others: &Landings) -> bool {
        self.sieve & others.sieve != 0 && self.share(others)
    }

    /// The same, asked of each finger.
    #[inline(never)]
    fn share(&self, others: &Landings) -> bool {
        self.ids().iter().any(|&id| others.has(id))
    }
}

/// A tap that is over; its place and its movement in the unit of its gesture.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Tap {
    /// Its first contact.
    pub(crate) contact: ContactId,
    /// The panel that this is of.
    pub(crate) panel: u16,
    /// When its first finger landed, as it was reported.
    pub(crate) landed: Nanos,
    /// When its last finger was lifted, as it was reported.
    pub(crate) lifted: Nanos,
    /// Where its first finger landed.
    pub(crate) start: [f32; 2],
    /// How far any of its fingers got from where it landed.
    pub(crate) moved: f32,
    /// The time from its first landing to its last, in milliseconds.
    pub(crate) together: f32,
    /// Its fingers.
    pub(crate) fingers: Landings,
    /// Whether it counted for one that fired, or was taken: no tap counts twice.
    pub(crate) is_spent: bool,
    /// Whether it was short and steady enough.
    pub(crate) is_good: bool,
}

/// How far apart in time and place two taps may be, in milliseconds and in the
/// unit of their gesture.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Apart {
    /// The longest time from lifting to the next landing, in milliseconds.
    pub(crate) gap: f32,
    /// The longest way from one landing to the next, in the unit of the gesture.
    pub(crate) spread: f32,
}

impl Apart {
    /// What is so far apart that it is not even an attempt.
    fn parted(self) -> Apart {
        Apart { gap: self.gap * PARTED, spread: self.spread * PARTED }
    }

    /// Whether the later of two taps, which landed then and there, follows the
    /// earlier one.
    ///
    /// Both limits are included: a gap of just 250 ms is one of at most 250 ms.
    pub(crate) fn allows(
        self,
        earlier: &Tap,
        (panel, landed, start): (u16, Nanos, [f32; 2]),
    ) -> bool {
        earlier.panel == panel
            && earlier.lifted <= landed
            && millis(landed.0 - earlier.lifted.0) <= self.gap
            && length(minus(start, earlier.start)) <= self.spread
    }
}

impl Tap {
    /// What stands in a place that no tap has.
    const NONE: Tap = Tap {
        contact: ContactId(0),
        panel: 0,
        landed: Nanos(0),
        lifted: Nanos(0),
        start: [0.0; 2],
        moved: 0.0,
        together: 0.0,
        fingers: Landings::NONE,
        is_spent: false,
        is_good: false,
    };

    /// On which panel, when and where it landed.
    pub(crate) const fn landing(&self) -> (u16, Nanos, [f32; 2]) {
        (self.panel, self.landed, self.start)
    }

    /// Until when another tap may land to follow it.
    pub(crate) fn open_until(&self, gap: f32) -> Nanos {
        Nanos(self.lifted.0 + (f64::from(gap) * 1e6) as u64)
    }
}

/// The last taps of a gesture, in the order in which they ended.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Taps {
    /// The first `count` are there.
    taps: [Tap; MAX_TAPS_KEPT],
    /// How many there are, at most [`MAX_TAPS_KEPT`].
    count: u8,
}

/// Taps that were chosen as one sequence, the first one first.
pub(crate) type Chosen<'a> = &'a [&'a Tap];

impl Taps {
    /// No tap yet.
    pub(crate) const NONE: Taps = Taps { taps: [Tap::NONE; MAX_TAPS_KEPT], count: 0 };

    /// One more tap is over. The oldest is forgotten where there are too many.
    pub(crate) fn push(&mut self, tap: Tap) {
        if usize::from(self.count) == MAX_TAPS_KEPT {
            self.taps.rotate_left(1);
            self.count -= 1;
        }
        self.taps[usize::from(self.count)] = tap;
        self.count += 1;
    }

    /// The taps that are remembered, the oldest first.
    pub(crate) fn kept(&self) -> &[Tap] {
        &self.taps[..usize::from(self.count)]
    }

    /// Those with one of these fingers never count again.
    ///
    /// A tap with one finger of several among them is spent as a whole.
    pub(crate) fn spend(&mut self, fingers: &Landings) {
        for tap in &mut self.taps[..usize::from(self.count)] {
            tap.is_spent |= tap.fingers.meet(fingers);
        }
    }

    /// Shows every choice of so many taps that ends with the newest one, those of
    /// the latest taps last. None of them is spent, or parted from the one
    /// before.
    ///
    /// With [`MAX_TAPS_KEPT`] taps and a gesture of five there are at most 35 of them: 7 choose 4.
    pub(crate) fn choices(&self, times: u8, apart: Apart, mut show: impl FnMut(Chosen)) {
        let Some((newest, earlier)) = self.kept().split_last() else { return };
        if newest.is_spent {
            return;
        }
        let mut chosen = [newest; MAX_TAPS];
        choose(
            earlier,
            usize::from(times) - 1,
            &mut chosen[..usize::from(times)],
            apart.parted(),
            &mut show,
        );
    }
}

/// Fills the first `open` places of a sequence from these taps in every way.
fn choose<'a>(
    taps: &'a [Tap],
    open: usize,
    chosen: &mut [&'a Tap],
    apart: Apart,
    show: &mut impl FnMut(Chosen),
) {
    let Some(place) = open.checked_sub(1) else { return show(chosen) };
    for (n, tap) in taps.iter().enumerate() {
        if !tap.is_spent && apart.allows(tap, chosen[open].landing()) {
            chosen[place] = tap;
            choose(&taps[..n], place, chosen, apart, show);
        }
    }
}

/// What a quantity is over a sequence of taps: the worst.
///
/// Times in milliseconds, lengths in the unit of the gesture; 0 for what taps have not.
pub(crate) fn measure_taps(taps: Chosen, quantity: Quantity) -> f32 {
    let worst = |of: &dyn Fn(&Tap) -> f32| taps.iter().map(|tap| of(tap)).fold(0.0, f32::max);
    let between = |of: &dyn Fn(&Tap, &Tap) -> f32| {
        taps.windows(2).map(|two| of(two[0], two[1])).fold(0.0, f32::max)
    };
    match quantity {
        Quantity::Lift => worst(&|tap| millis(tap.lifted.0.saturating_sub(tap.landed.0))),
        Quantity::Move => worst(&|tap| tap.moved),
        Quantity::Together => worst(&|tap| tap.together),
        Quantity::Gap => between(&|one, next| millis(next.landed.0.saturating_sub(one.lifted.0))),
        Quantity::Spread => between(&|one, next| length(minus(next.start, one.start))),
        _ => 0.0,
    }
}
