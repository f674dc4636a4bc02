//! The clock of another program is told from when its lines arrive.

use gtrig_analysis::clock::*;
use gtrig_core::Nanos;
use proptest::prelude::*;
use rand_pcg::{
    Pcg32,
    rand_core::{Rng, SeedableRng},
};
use rstest::rstest;

const MS: u64 = 1_000_000;

/// A program whose clock is `offset` behind ours and runs slower by `ppm`.
struct Other {
    offset: i64,
    ppm: f64,
    random: Pcg32,
}

impl Other {
    fn new(offset: i64, ppm: f64, seed: u64) -> Self {
        Other { offset, ppm, random: Pcg32::seed_from_u64(seed) }
    }

    /// Its time at an instant of ours.
    fn theirs(&self, ours: u64) -> Nanos {
        let elapsed = ours as f64 / (1.0 + self.ppm / 1e6);
        Nanos((elapsed as i64 - self.offset) as u64)
    }

    /// At least `least`, and now and then much more.
    fn delay(&mut self, least: u64) -> u64 {
        let jitter = u64::from(self.random.next_u32() % 4_000_000);
        let burst = if self.random.next_u32().is_multiple_of(10) { 20 * MS } else { 0 };
        least + jitter + burst
    }
}

/// Lines at 60 a second for so long.
fn hear(map: &mut ClockMap, other: &mut Other, seconds: u64, least: u64, answers: bool) -> u64 {
    let mut now = 5_000 * MS;
    for at in 0..seconds * 60 {
        let written = 5_000 * MS + at * 16 * MS;
        now = written + other.delay(least);
        map.heard(other.theirs(written), Nanos(now));
        if answers && at.is_multiple_of(30) {
            let asked = written - other.delay(least);
            map.answered(Nanos(asked), other.theirs(written), Nanos(now));
        }
    }
    now
}

/// The offset is that of the quickest line, and the drift is found through the jitter.
#[rstest]
#[case::none(0.0)]
#[case::faster(80.0)]
#[case::slower(-120.0)]
fn drift_is_told_from_jitter(#[case] ppm: f64, #[values(1, 2, 3)] seed: u64) {
    let mut other = Other::new(1_000 * MS as i64, ppm, seed);
    let mut map = ClockMap::default();
    let now = hear(&mut map, &mut other, 60, 300_000, false);
    let reading = map.reading().unwrap();
    assert!((reading.drift_ppm - ppm).abs() < 5.0, "{reading:?}");
    assert_eq!((reading.uncertainty, reading.jumps), (None, 0));
    let theirs = other.theirs(now - 50 * MS);
    let error = map.map(theirs, Nanos(now)).0 as i64 - (now - 50 * MS) as i64;
    assert!((0..1_500_000).contains(&error), "{error} ns too late");
}

/// Where the program answers, the true offset lies within what is claimed.
#[rstest]
fn answers_bound_the_offset_from_both_sides(
    #[values(1, 2, 3, 4)] seed: u64,
    #[values(0.0, 90.0)] ppm: f64,
) {
    let mut other = Other::new(777 * MS as i64, ppm, seed);
    let mut map = ClockMap::default();
    let now = hear(&mut map, &mut other, 40, 2 * MS, true);
    let reading = map.reading().unwrap();
    let uncertainty = reading.uncertainty.unwrap().0 as i64;
    let truth = now as i64 - other.theirs(now).0 as i64;
    let error = (reading.offset_ns - truth).abs();
    assert!(error <= uncertainty + 20_000, "{error} ns, {uncertainty} ns claimed");
    assert!(uncertainty < 5 * MS as i64, "{uncertainty}");
}

#[rstest]
#[case::forward(3_000, 0)]
#[case::back(-3_000, 4)]
fn a_clock_that_was_set_is_told_anew(#[case] ms: i64, #[case] after_s: u64) {
    let mut map = ClockMap::default();
    let at = |s: u64, ms: u64| Nanos((s * 1_000 + ms) * MS);
    (0..20).for_each(|s| map.heard(at(100 + s, 0), at(s, 1)));
    for s in 20..21 + after_s {
        let theirs = Nanos((at(100 + s, 0).0 as i64 + ms * MS as i64) as u64);
        map.heard(theirs, at(s, 1));
    }
    let reading = map.reading().unwrap();
    assert_eq!(reading.jumps, 1);
    assert_eq!(reading.offset_ns, -100_000 * MS as i64 - ms * MS as i64 + MS as i64);
}

/// A program that says nothing for a month is heard again as before.
#[test]
fn a_long_silence_is_no_jump_of_a_clock_that_keeps_its_rate() {
    let mut map = ClockMap::default();
    map.heard(Nanos(0), Nanos(MS));
    let month = 30 * 24 * 3_600_000 * MS;
    map.heard(Nanos(month), Nanos(month + MS));
    assert_eq!(map.reading().unwrap().jumps, 0);
    assert_eq!(map.map(Nanos(month), Nanos(month + MS)), Nanos(month + MS));
}

proptest! {
    /// Whatever arrives whenever: time goes on, and nothing happens after it was heard of.
    #[test]
    fn mapped_time_never_goes_back_and_is_never_to_come(
        lines in prop::collection::vec((0u64..2_000_000_000, 0u64..50_000_000, any::<bool>()), 1..200),
        begin in 0u64..1 << 61,
    ) {
        let mut map = ClockMap::default();
        let (mut theirs, mut ours, mut last) = (begin, 0, Nanos(0));
        for (step, delay, answers) in lines {
            theirs += step;
            ours += step.max(1);
            let now = Nanos(ours + delay);
            ours = now.0;
            map.heard(Nanos(theirs), now);
            if answers {
                map.answered(Nanos(ours - delay / 2), Nanos(theirs), now);
            }
            let mapped = map.map(Nanos(theirs), now);
            prop_assert!(mapped <= now && mapped >= last, "{last:?} {mapped:?} {now:?}");
            last = mapped;
        }
    }
}
