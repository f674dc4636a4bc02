//! The time of day, in which time tags are, beside the monotonic clock.

use gtrig_core::Nanos;
use gtrig_sources::monotonic_now;
use std::io;
use std::time::{SystemTime, UNIX_EPOCH};

/// From the beginning of 1900 to that of 1970, in seconds (RFC 5905).
const TO_1970: u64 = 2_208_988_800;

/// Two clocks that are read within this were read together.
const TOGETHER: u64 = 2_000;
/// A thread that is held up between them tries so often.
const TRIES: usize = 4;

/// What the monotonic clock showed at a time of day.
#[derive(Clone, Copy, Debug)]
pub(super) struct WallClock {
    monotonic: Nanos,
    /// Nanoseconds since 1970.
    wall: i128,
}

impl WallClock {
    /// Both clocks now, as nearly as they can be read together: of a few readings the one that
    /// took the least time.
    ///
    /// # Errors
    /// Those of the clock.
    pub(super) fn now() -> io::Result<Self> {
        let mut best = (u64::MAX, WallClock::at(Nanos(0), 0));
        for _ in 0..TRIES {
            let before = monotonic_now()?;
            let wall = SystemTime::now().duration_since(UNIX_EPOCH);
            let after = monotonic_now()?;
            let took = after.0.saturating_sub(before.0);
            if took < best.0 {
                let wall = wall.map_or(0, |since| since.as_nanos() as i128);
                best = (took, WallClock::at(Nanos(before.0.midpoint(after.0)), wall));
            }
            if took <= TOGETHER {
                break;
            }
        }
        Ok(best.1)
    }

    pub(super) fn at(monotonic: Nanos, wall: i128) -> Self {
        WallClock { monotonic, wall }
    }

    /// The monotonic clock at a time tag; `None` where that is before it began.
    pub(super) fn monotonic(&self, tag: u64) -> Option<Nanos> {
        let seconds = tag >> 32;
        // The count of seconds begins anew in 2036 (RFC 4330, section 3).
        let era = u64::from(seconds < 1 << 31) << 32;
        let nanos = ((tag & 0xffff_ffff) * 1_000_000_000) >> 32;
        let since_1970 = i128::from(seconds + era) - i128::from(TO_1970);
        self.monotonic_at(since_1970 * 1_000_000_000 + i128::from(nanos))
    }

    /// The monotonic clock at a time of day, in nanoseconds since 1970.
    pub(super) fn monotonic_at(&self, wall: i128) -> Option<Nanos> {
        let at = i128::from(self.monotonic.0) + wall - self.wall;
        u64::try_from(at).ok().map(Nanos)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    const SECOND: i128 = 1_000_000_000;

    #[rstest]
    #[case::at_that_instant(2_208_988_800 + 1_000, 0, Some(5_000_000_000))]
    #[case::half_a_second_on(2_208_988_800 + 1_000, 1 << 31, Some(5_500_000_000))]
    #[case::before_the_machine_began(2_208_988_800 + 900, 0, None)]
    #[case::after_2036(1, 0, Some(5_000_000_000 + ((1u64 << 32) + 1 - 2_208_988_800 - 1_000) * 1_000_000_000))]
    fn a_time_tag_has_its_instant(
        #[case] seconds: u64,
        #[case] share: u64,
        #[case] expected: Option<u64>,
    ) {
        let clock = WallClock::at(Nanos(5_000_000_000), 1_000 * SECOND);
        assert_eq!(clock.monotonic(seconds << 32 | share), expected.map(Nanos));
    }
}
