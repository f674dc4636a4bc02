//! Instants, ticks and the poll rate that ties them together.
//!
//! All arithmetic is in integers: tick `k` of a rate of `m` millihertz is at
//! `floor(k * 10^12 / m)` nanoseconds, so a rate such as 60 Hz, whose period
//! is no whole number of nanoseconds, never drifts.

use core::fmt;

/// An instant: nanoseconds since the session (or the take) began, monotonic.
///
/// There is no clock behind it: the source of an event says its time, and whoever runs a
/// machine says that of each tick. Times are compared and subtracted as whole numbers, so none
/// is ever rounded.
///
/// ```
/// use gtrig_core::Nanos;
///
/// let press = Nanos::from_millis(1_204);
/// assert_eq!(press, Nanos(1_204_000_000));
/// assert_eq!(press.to_string(), "1 204.00 ms");
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Nanos(pub u64);

/// The latest instant a session accepts: 30 days. At 1000 Hz its tick number
/// still fits [`Tick`].
pub const LAST_TIME: Nanos = Nanos(30 * 24 * 3600 * 1_000_000_000);

impl Nanos {
    /// The instant `ms` milliseconds after the beginning.
    ///
    /// # Panics
    /// When it does not fit into 64 bits: after 584 years.
    pub const fn from_millis(ms: u64) -> Self {
        Nanos(ms * 1_000_000)
    }

    /// How long after an earlier instant it is; nothing if it is before that.
    ///
    /// ```
    /// use gtrig_core::Nanos;
    ///
    /// // A month in, milliseconds in floats would have lost the nanoseconds.
    /// let landed = Nanos(2_592_000_000_000_001);
    /// assert_eq!(Nanos(2_592_000_158_333_334).since(landed).as_millis(), 158.333333);
    /// ```
    pub const fn since(self, earlier: Nanos) -> Nanos {
        Nanos(self.0.saturating_sub(earlier.0))
    }

    /// In milliseconds, for display.
    pub fn as_millis(self) -> f64 {
        self.0 as f64 / 1e6
    }
}

/// Milliseconds with two decimals and thin groups: `1 204.31 ms`.
impl fmt::Display for Nanos {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let hundredths = (self.0 + 5_000) / 10_000;
        let (whole, part) = (hundredths / 100, hundredths % 100);
        group_thousands(f, whole)?;
        write!(f, ".{part:02} ms")
    }
}

/// Writes a number with its thousands apart.
fn group_thousands(f: &mut fmt::Formatter<'_>, n: u64) -> fmt::Result {
    if n < 1000 {
        return write!(f, "{n}");
    }
    group_thousands(f, n / 1000)?;
    write!(f, " {:03}", n % 1000)
}

/// The number of a poll. Tick 0 is at instant 0.
///
/// At 1000 Hz the last number comes after 49 days, and [`LAST_TIME`] is before that.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Tick(pub u32);

impl Tick {
    /// The tick after this one.
    pub const fn next(self) -> Self {
        Tick(self.0 + 1)
    }

    /// The tick before this one, or tick 0.
    pub const fn before(self) -> Self {
        Tick(self.0.saturating_sub(1))
    }
}

impl fmt::Display for Tick {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(&self.0, f)
    }
}

/// How often the state is polled: 10 to 1000 Hz, in steps of a millihertz.
///
/// A rig that names no rate has [`PollRate::DEFAULT`]. Whole millihertz are enough to say 59.94 Hz
/// or 29.97 Hz as they are, and keep every instant a fraction of whole numbers.
///
/// ```
/// use gtrig_core::{Nanos, PollRate, Tick};
///
/// let film = PollRate::from_hz(59.94).unwrap();
/// // 5 994 ticks are a hundred seconds, to the nanosecond.
/// assert_eq!(film.time_of(Tick(5_994)), Nanos::from_millis(100_000));
/// assert_eq!(PollRate::from_hz(9.0), None);
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PollRate {
    /// Polls in a thousand seconds, 10 000 to 1 000 000.
    millihertz: u32,
}

/// Nanoseconds of a tick at a rate of one millihertz.
const PER_MILLIHERTZ: u64 = 1_000_000_000_000;

impl PollRate {
    /// The default of a rig that names no rate: 60 Hz.
    pub const DEFAULT: PollRate = PollRate { millihertz: 60_000 };

    /// A rate in hertz, rounded to a millihertz; `None` outside 10 to 1000 Hz
    /// (and for NaN).
    pub fn from_hz(hz: f64) -> Option<Self> {
        (10.0..=1000.0)
            .contains(&hz)
            .then(|| PollRate { millihertz: libm::round(hz * 1000.0) as u32 })
    }

    /// In hertz.
    pub fn hz(self) -> f64 {
        f64::from(self.millihertz) / 1000.0
    }

    /// The time between two ticks, in seconds.
    pub fn period_seconds(self) -> f32 {
        (1.0 / self.hz()) as f32
    }

    /// The instant of a tick.
    ///
    /// `floor(tick * 10^12 / millihertz)` nanoseconds: rounded once, from the beginning, and
    /// not from tick to tick.
    pub fn time_of(self, tick: Tick) -> Nanos {
        // Every tick asks, and for the first hours the short division will do.
        match u64::from(tick.0).checked_mul(PER_MILLIHERTZ) {
            Some(scaled) => Nanos(scaled / u64::from(self.millihertz)),
            None => {
                let scaled = u128::from(tick.0) * u128::from(PER_MILLIHERTZ);
                Nanos((scaled / u128::from(self.millihertz)) as u64)
            }
        }
    }

    /// The first instant that a tick sees: just after that of the tick before.
    pub fn begin_of(self, tick: Tick) -> Nanos {
        match tick {
            Tick(0) => Nanos(0),
            tick => Nanos(self.time_of(tick.before()).0 + 1),
        }
    }

    /// The first tick that sees an event of this instant: the earliest one
    /// whose own instant is not before it.
    ///
    /// ```
    /// use gtrig_core::{Nanos, PollRate, Tick};
    ///
    /// let rate = PollRate::from_hz(60.0).unwrap();
    /// // Tick 1 is at 16.67 ms: it sees what was reported at 10 ms, and tick 2 what
    /// // was reported at 17 ms.
    /// assert_eq!(rate.tick_seeing(Nanos::from_millis(10)), Tick(1));
    /// assert_eq!(rate.tick_seeing(Nanos::from_millis(17)), Tick(2));
    /// ```
    pub fn tick_seeing(self, time: Nanos) -> Tick {
        let ticks = match time.0.checked_mul(u64::from(self.millihertz)) {
            Some(scaled) => scaled.div_ceil(PER_MILLIHERTZ),
            None => {
                let scaled = u128::from(time.0) * u128::from(self.millihertz);
                scaled.div_ceil(u128::from(PER_MILLIHERTZ)) as u64
            }
        };
        Tick(u32::try_from(ticks).unwrap_or(u32::MAX))
    }

    /// The last tick that lies at or before this instant.
    pub fn tick_at(self, time: Nanos) -> Tick {
        let next = self.tick_seeing(time);
        if self.time_of(next) > time { next.before() } else { next }
    }
}

/// `60 Hz`, or `59.94 Hz`.
impl fmt::Display for PollRate {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} Hz", self.hz())
    }
}

/// An instant and the tick that saw it.
///
/// Both are kept, for a limit may be said in milliseconds or in ticks, and the two cannot be
/// worked out from each other: a report comes somewhere between two ticks.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub struct Moment {
    /// When it was reported; see `ComboClock`.
    pub time: Nanos,
    /// The tick that saw it.
    pub tick: Tick,
}

impl Moment {
    /// So much earlier.
    pub const fn before(self, by: Moment) -> Moment {
        Moment {
            time: Nanos(self.time.0.saturating_sub(by.time.0)),
            tick: Tick(self.tick.0.saturating_sub(by.tick.0)),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;
    use std::string::ToString;

    #[rstest]
    #[case(60.0, 1, 16_666_666)]
    #[case(60.0, 60, 1_000_000_000)]
    #[case(59.94, 5994, 100_000_000_000)]
    #[case(1000.0, 7, 7_000_000)]
    #[case::long_division(60.0, 4_000_000_000, 66_666_666_666_666_666)]
    fn tick_instants(#[case] hz: f64, #[case] tick: u32, #[case] ns: u64) {
        let rate = PollRate::from_hz(hz).unwrap();
        assert_eq!(rate.time_of(Tick(tick)), Nanos(ns));
    }

    #[rstest]
    #[case(9.9)]
    #[case(1000.1)]
    #[case(f64::NAN)]
    #[case(-60.0)]
    fn refuses_rates_outside_the_range(#[case] hz: f64) {
        assert_eq!(PollRate::from_hz(hz), None);
    }

    #[rstest]
    #[case(1_204_310_000, "1 204.31 ms")]
    #[case(999_996_000, "1 000.00 ms")]
    #[case(0, "0.00 ms")]
    #[case(1_234_567_890_000, "1 234 567.89 ms")]
    fn instants_read_well(#[case] ns: u64, #[case] text: &str) {
        assert_eq!(Nanos(ns).to_string(), text);
    }

    proptest! {
        #[test]
        fn an_event_is_seen_by_the_first_tick_not_before_it(
            hz in 10.0f64..1000.0, ns in 0u64..LAST_TIME.0,
        ) {
            let rate = PollRate::from_hz(hz).unwrap();
            let (at, seeing) = (rate.tick_at(Nanos(ns)), rate.tick_seeing(Nanos(ns)));
            prop_assert!(rate.time_of(seeing) >= Nanos(ns));
            prop_assert!(seeing == Tick(0) || rate.time_of(seeing.before()) < Nanos(ns));
            prop_assert!(rate.time_of(at) <= Nanos(ns));
            prop_assert!(rate.time_of(at.next()) > Nanos(ns));
        }
    }
}
