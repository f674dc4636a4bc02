//! What the bytes of a device's reports do, where it does not say what they are: which
//! never change, which count, which are noise.

use alloc::vec::Vec;
use gtrig_core::{ControlId, Event, Nanos};

/// A counter is called one after so many equal steps.
pub const LEAST_STEPS: u32 = 8;
/// Noise is called so after so many changes.
const LEAST_NOISE: u32 = 16;
/// Noise stays within so many values.
const NOISE: u8 = 8;

/// What a byte did over a stretch of events.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct ByteHabit {
    /// How often it changed.
    pub changes: u32,
    /// How often each bit did, the lowest first.
    pub flips: [u32; 8],
    /// The bits that turned when it changed last, and when that was.
    pub turned: Option<(u8, Nanos)>,
    /// What all that comes to.
    pub is: ByteKind,
}

/// What a byte seems to be.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum ByteKind {
    /// It never changed.
    #[default]
    Still,
    /// Some of its bits go on by the same step each time.
    Counter {
        /// The lowest of these bits.
        first: u8,
        /// How many they are.
        width: u8,
        /// By how much they go on.
        step: u8,
    },
    /// It changes by a little, up and down.
    Noise {
        /// The smallest value of the stretch, and the largest.
        between: (u8, u8),
    },
    /// It changes as something moves.
    Moves,
}

/// The bits that may be a counter: the whole byte, or one half of it.
const PARTS: [(u8, u8); 3] = [(0, 8), (0, 4), (4, 4)];

#[derive(Clone, Copy, Default)]
struct Seen {
    last: Option<u8>,
    habit: ByteHabit,
    between: (u8, u8),
    /// For each of [`PARTS`] the step so far, and how often it was taken; none once
    /// another one was.
    steps: [(u8, Option<u32>); PARTS.len()],
}

impl Seen {
    fn take_in(&mut self, value: u8, time: Nanos) {
        let Some(last) = self.last.replace(value) else {
            self.between = (value, value);
            self.steps = [(0, Some(0)); PARTS.len()];
            return;
        };
        if last == value {
            return;
        }
        self.habit.changes += 1;
        self.habit.turned = Some((last ^ value, time));
        self.between = (self.between.0.min(value), self.between.1.max(value));
        for (bit, flips) in self.habit.flips.iter_mut().enumerate() {
            *flips += u32::from((last ^ value) >> bit & 1);
        }
        for ((first, width), (step, taken)) in PARTS.into_iter().zip(&mut self.steps) {
            let part = |byte: u8| byte >> first & mask(width);
            let by = part(value).wrapping_sub(part(last)) & mask(width);
            *taken = match *taken {
                Some(0) if by != 0 => Some(1),
                Some(count) if by == *step && by != 0 => Some(count + 1),
                _ => None,
            };
            *step = by;
        }
    }

    fn habit(self) -> ByteHabit {
        let counter =
            PARTS.into_iter().zip(self.steps).find_map(|((first, width), (step, taken))| {
                taken.is_some_and(|taken| taken >= LEAST_STEPS).then_some((first, width, step))
            });
        let (low, high) = self.between;
        let is = match counter {
            _ if self.habit.changes == 0 => ByteKind::Still,
            // Bits that a step never reaches are no part of it.
            Some((first, width, step)) => {
                let below = step.trailing_zeros() as u8;
                let (first, width) = (first + below, width - below);
                ByteKind::Counter { first, width, step: step >> below }
            }
            None if self.habit.changes >= LEAST_NOISE && high - low < NOISE => {
                ByteKind::Noise { between: self.between }
            }
            None => ByteKind::Moves,
        };
        ByteHabit { is, ..self.habit }
    }
}

const fn mask(width: u8) -> u8 {
    (0xff_u16 >> (8 - width)) as u8
}

/// What the bytes did that are these controls, which follow each other.
pub fn habits<'e>(
    events: impl Iterator<Item = &'e Event>,
    first: ControlId,
    count: usize,
) -> Vec<ByteHabit> {
    let mut seen = alloc::vec![Seen::default(); count];
    for event in events {
        let at = event.control.index().wrapping_sub(first.index());
        if let Some(seen) = seen.get_mut(at) {
            seen.take_in(event.value as u8, event.time);
        }
    }
    seen.into_iter().map(Seen::habit).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn habit(values: &[u8]) -> ByteHabit {
        let events: Vec<Event> = values
            .iter()
            .zip(0..)
            .map(|(value, at)| Event::new(Nanos(at), ControlId(7), i32::from(*value)))
            .collect();
        habits(events.iter(), ControlId(6), 2)[1]
    }

    fn counter(first: u8, width: u8, step: u8) -> ByteKind {
        ByteKind::Counter { first, width, step }
    }

    #[rstest]
    #[case::nothing(&[], ByteKind::Still)]
    #[case::still(&[4, 4, 4], ByteKind::Still)]
    #[case::counts(&[250, 251, 252, 253, 254, 255, 0, 1, 2], counter(0, 8, 1))]
    #[case::by_twelve(&[0, 12, 24, 36, 48, 60, 72, 84, 96], counter(2, 6, 3))]
    #[case::above_bits_that_rest(&[3, 19, 35, 51, 67, 83, 99, 115, 131], counter(4, 4, 1))]
    #[case::in_its_upper_half(&[0x03, 0x17, 0x29, 0x31, 0x4f, 0x50, 0x67, 0x72, 0x81], counter(4, 4, 1))]
    #[case::too_short(&[1, 2, 3, 4], ByteKind::Moves)]
    #[case::moves(&[1, 90, 3, 200], ByteKind::Moves)]
    fn bytes_have_habits(#[case] values: &[u8], #[case] is: ByteKind) {
        assert_eq!(habit(values).is, is);
    }

    #[test]
    fn noise_is_small_and_goes_up_and_down() {
        let values: Vec<u8> = (0..40).map(|n| 100 + [0u8, 2, 1, 3, 0, 1][n % 6]).collect();
        let habit = habit(&values);
        assert_eq!(habit.is, ByteKind::Noise { between: (100, 103) });
        assert_eq!(habit.flips[2..], [0; 6]);
        assert!(habit.flips[0] > 0 && habit.flips[1] > 0);
    }

    /// Which bits turned is counted bit by bit.
    #[test]
    fn bits_are_counted() {
        let habit = habit(&[0b0000_0001, 0b1000_0000, 0b1000_0001]);
        assert_eq!((habit.changes, habit.flips), (2, [2, 0, 0, 0, 0, 0, 0, 1]));
        assert_eq!(habit.turned, Some((0b0000_0001, Nanos(2))));
    }
}
