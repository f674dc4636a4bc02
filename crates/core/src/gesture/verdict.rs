//! What an attempt came to, and by how much.
//!
//! An attempt is judged at *moments*: a tap when it is lifted, a swipe at every
//! movement, a long press whenever something happens to it. It is met by the
//! first moment at which every limit holds. So the margin of a limit is the
//! most by which it held over all moments at which *every other* limit held:
//! a limit that is tightened by less than that, or loosened by no less, is met,
//! and any other is not. Where another limit fails at every moment, no change
//! of this one alone would meet it; then the moment that came closest is
//! shown, and the margin is not *alone*.
//!
//! An example: a swipe asks for 15 mm within 500 ms, and its finger moves on and on.
//!
//! | moment | length | slack | time | slack |
//! |---|---|---|---|---|
//! | 1 | 10 mm | -5 mm | 200 ms | +300 ms |
//! | 2 | 14 mm | -1 mm | 450 ms | +50 ms |
//! | 3 | 16 mm | +1 mm | 520 ms | -20 ms |
//!
//! No moment meets both. Alone, the length would have had to be 1 mm shorter (moment 2), or the
//! time 20 ms longer (moment 3): these are the margins that are told, and both are exact.

use crate::base::{ControlId, GestureId, Nanos, Tick};
use crate::spec::{LengthUnit, LimitSense, Quantity, tunable::Tunable};

/// No gesture has more limits than this.
pub const MAX_CHECKS: usize = 8;

/// A miss is a *near* one if a limit changed by this share of itself would
/// have met it.
pub const NEAR_SHARE: f32 = 0.25;

/// A limit, as a plan holds it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Check {
    /// What is measured.
    pub(crate) quantity: Quantity,
    /// What is asked of it, in the unit of its tunable.
    pub(crate) limit: f32,
    /// What it is measured in, if it is a length.
    pub(crate) unit: LengthUnit,
}

impl Check {
    /// By how much a value keeps the limit, in its unit; negative where it does not.
    pub(crate) fn slack(&self, value: f32) -> f32 {
        self.quantity.sense().slack(value, self.limit)
    }
}

/// By how much each limit holds at a moment.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Slacks {
    /// In the order of the checks of the gesture; those beyond them are infinite.
    slacks: [f32; MAX_CHECKS],
    /// How many limits fail.
    failed: u32,
    /// The last of these, where any fails.
    last_failed: usize,
}

impl Slacks {
    /// What the checks of a gesture come to at a moment at which quantities have these values.
    /// Where more than `most` limits fail, the last of them are not measured: such a moment
    /// changes nothing.
    #[inline(always)]
    pub(crate) fn of(checks: &[Check], most: u32, value: impl Fn(Quantity) -> f32) -> Slacks {
        let mut slacks = [f32::INFINITY; MAX_CHECKS];
        let (mut failed, mut last_failed) = (0, 0);
        for (n, (check, slack)) in checks.iter().zip(&mut slacks).enumerate() {
            *slack = check.slack(value(check.quantity));
            if *slack < 0.0 {
                (failed, last_failed) = (failed + 1, n);
                if failed > most {
                    break;
                }
            }
        }
        Slacks { slacks, failed, last_failed }
    }
}

/// The best that an attempt came to so far, limit by limit.
///
/// Invariants: `alone` of a limit never falls; `failed` never rises.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Tally {
    /// By how much each limit held where all others did.
    alone: [f32; MAX_CHECKS],
    /// By how much each held at the moment at which the fewest failed.
    closest: [f32; MAX_CHECKS],
    /// How many limits failed at the best moment so far.
    failed: u32,
}

impl Tally {
    /// Before the first moment: nothing held.
    pub(crate) const EMPTY: Tally = Tally {
        alone: [f32::NEG_INFINITY; MAX_CHECKS],
        closest: [f32::NEG_INFINITY; MAX_CHECKS],
        failed: u32::MAX,
    };

    /// How many limits failed at the best moment so far; more than there are
    /// before the first.
    pub(crate) const fn failed(&self) -> u32 {
        self.failed
    }

    /// How many limits may fail at a moment that can still change anything here: one,
    /// whose margin this may be, or as many as at the best moment so far.
    pub(crate) fn cares_for(&self) -> u32 {
        self.failed.max(1)
    }

    /// Takes in a moment. Returns whether all limits hold.
    #[inline]
    pub(crate) fn judge(&mut self, moment: &Slacks) -> bool {
        self.count(moment) == 0
    }

    /// Takes in a moment of a gesture that has a single limit, as [`Tally::judge`] would. Returns
    /// whether it holds.
    #[inline]
    pub(crate) fn judge_single(&mut self, slack: f32) -> bool {
        // No other limit ever fails: all there is to keep is the best of this one.
        self.alone[0] = if slack > self.alone[0] { slack } else { self.alone[0] };
        let fails = slack < 0.0;
        self.failed = self.failed.min(u32::from(fails));
        !fails
    }

    /// Takes in a moment. Returns how many limits fail, or of more than it [cares
    /// for](Tally::cares_for) some of them.
    #[inline(always)]
    pub(crate) fn count(&mut self, moment: &Slacks) -> u32 {
        // None of them is no number, which `f32::max` would ask.
        let best =
            |alone: &mut f32, slack: f32| *alone = if slack > *alone { slack } else { *alone };
        match moment.failed {
            0 => self.alone.iter_mut().zip(moment.slacks).for_each(|(a, slack)| best(a, slack)),
            1 => best(&mut self.alone[moment.last_failed], moment.slacks[moment.last_failed]),
            _ => {}
        }
        if moment.failed <= self.failed {
            self.failed = moment.failed;
            self.closest = moment.slacks;
        }
        moment.failed
    }

    /// What came of each check.
    pub(crate) fn checked(&self, checks: &[Check]) -> impl Iterator<Item = CheckedLimit> {
        checks.iter().enumerate().map(|(n, &Check { quantity, limit, unit })| {
            let is_alone = self.alone[n] > f32::NEG_INFINITY;
            let margin = if is_alone { self.alone[n] } else { self.closest[n] };
            let value = match quantity.sense() {
                LimitSense::AtMost => limit - margin,
                _ => limit + margin,
            };
            CheckedLimit { quantity, value, limit, margin, is_alone, unit }
        })
    }
}

/// A limit of an attempt that is over.
///
/// `value` and `margin` belong together: `value` is the limit with the margin added, or taken off
/// where the limit is a most.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct CheckedLimit {
    /// What was measured.
    pub quantity: Quantity,
    /// What it was, at the moment that speaks best for it; in the unit of its
    /// tunable.
    pub value: f32,
    /// What was asked.
    pub limit: f32,
    /// By how much it was met, in the same unit; negative where it was not.
    pub margin: f32,
    /// Whether the margin holds with all other limits as they are: a limit that
    /// is tightened or loosened up to it is met, and beyond it is not.
    pub is_alone: bool,
    /// What it is measured in, if it is a length.
    pub unit: LengthUnit,
}

impl CheckedLimit {
    /// Its limit: key in rigs, unit, range and meaning.
    pub fn tunable(&self) -> &'static Tunable {
        self.quantity.tunable_in(self.unit)
    }

    /// What stands in a place that no limit has.
    const NONE: CheckedLimit = CheckedLimit {
        quantity: Quantity::Lift,
        value: 0.0,
        limit: 0.0,
        margin: 0.0,
        is_alone: false,
        unit: LengthUnit::Mm,
    };
}

/// What became of an attempt.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum GestureOutcome {
    /// It fired.
    Fired,
    /// It did not meet its limits.
    Missed,
    /// It has not been over yet: the recording ends before.
    Open,
    /// Another gesture fired first.
    Cancelled(GestureId),
    /// Its contact went away without being lifted: its panel took it back, or
    /// could no longer be heard.
    Broken,
}

/// What an attempt at a gesture came to.
///
/// Every attempt with all its fingers gets one, whatever became of it; so a story of a hand can be
/// told from verdicts alone.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct GestureVerdict {
    /// The gesture.
    pub gesture: GestureId,
    /// The first of its contacts.
    pub contact: ControlId,
    /// How many fingers it had.
    pub fingers: u8,
    /// When its first finger landed.
    pub began: Nanos,
    /// When it was over.
    pub ended: Nanos,
    /// The tick that gave the verdict.
    pub tick: Tick,
    /// What became of it.
    pub outcome: GestureOutcome,
    /// The tick at which it met its limits.
    pub met: Option<Tick>,
    /// The tick at which it fired; later than `met` where it had to wait for
    /// others.
    pub fired: Option<Tick>,
    /// What it gave when it fired: a direction, y up, or a length.
    pub value: [f32; 2],
    /// Where its first finger landed and where it was last, in millimetres
    /// from the top left.
    pub way: [[f32; 2]; 2],
    /// Its limits; the first `check_count` are there.
    pub(crate) checks: [CheckedLimit; MAX_CHECKS],
    /// How many limits its gesture has.
    pub(crate) check_count: u8,
}

impl GestureVerdict {
    /// The same with what the limits came to.
    pub(crate) fn with_checks(mut self, tally: &Tally, checks: &[Check]) -> Self {
        self.check_count = checks.len() as u8;
        for (slot, checked) in self.checks.iter_mut().zip(tally.checked(checks)) {
            *slot = checked;
        }
        self
    }

    /// The limits of a verdict before they are filled in.
    pub(crate) const NO_CHECKS: [CheckedLimit; MAX_CHECKS] = [CheckedLimit::NONE; MAX_CHECKS];

    /// Every limit, and by how much it was met.
    pub fn checks(&self) -> &[CheckedLimit] {
        &self.checks[..usize::from(self.check_count)]
    }

    /// Of a miss the limit that alone kept it from firing, with the smallest
    /// change for its size that would have let it.
    pub fn nearest(&self) -> Option<&CheckedLimit> {
        let is_missed = self.outcome == GestureOutcome::Missed;
        let misses = self.checks().iter().filter(|c| is_missed && c.is_alone && c.margin < 0.0);
        let share = |check: &CheckedLimit| -check.margin / check.limit.max(f32::MIN_POSITIVE);
        misses.min_by(|a, b| share(a).total_cmp(&share(b)))
    }

    /// Whether it is a near miss: see [`NEAR_SHARE`].
    pub fn is_near(&self) -> bool {
        self.nearest().is_some_and(|check| -check.margin <= NEAR_SHARE * check.limit)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::spec::{GestureKind, PanelEdge, SwipeDirections, SwipeFires};

    use crate::spec::Quantity;
    use proptest::prelude::*;
    use rstest::rstest;
    use std::vec::Vec;

    const CHECKS: [Check; 2] = [
        Check { quantity: Quantity::Length, limit: 10.0, unit: LengthUnit::Mm },
        Check { quantity: Quantity::Time, limit: 100.0, unit: LengthUnit::Mm },
    ];

    /// Moments as length and time.
    fn margins(moments: &[[f32; 2]]) -> (Vec<bool>, Vec<(f32, bool)>) {
        let mut tally = Tally::EMPTY;
        let of = |[length, time]: [f32; 2]| {
            move |quantity| if quantity == Quantity::Length { length } else { time }
        };
        let met = moments
            .iter()
            .map(|&moment| tally.judge(&Slacks::of(&CHECKS, 8, of(moment))))
            .collect();
        (met, tally.checked(&CHECKS).map(|c| (c.margin, c.is_alone)).collect())
    }

    #[rstest]
    #[case::met_with_room(&[[14.0, 60.0]], &[true], &[(4.0, true), (40.0, true)])]
    #[case::longer_later(
        &[[12.0, 60.0], [15.0, 90.0]], &[true, true], &[(5.0, true), (40.0, true)])]
    #[case::long_enough_only_when_it_is_late(
        &[[8.0, 90.0], [12.0, 130.0]], &[false, false], &[(-2.0, true), (-30.0, true)])]
    #[case::neither(&[[8.0, 130.0]], &[false], &[(-2.0, false), (-30.0, false)])]
    #[case::not_a_number(&[[f32::NAN, 50.0]], &[false], &[(f32::NEG_INFINITY, false), (50.0, false)])]
    fn a_margin_is_the_best_where_all_others_hold(
        #[case] moments: &[[f32; 2]],
        #[case] met: &[bool],
        #[case] expected: &[(f32, bool)],
    ) {
        let (was_met, margins) = margins(moments);
        assert_eq!(was_met, met);
        assert_eq!(margins, expected);
    }

    proptest! {
        /// What is left out of a moment because too much fails at it would have changed
        /// nothing.
        #[test]
        fn a_moment_that_is_cut_short_tells_nothing(
            moments in prop::collection::vec([-3i8..3, -3i8..3, -3i8..3, -3i8..3], 1..20),
        ) {
            let quantities = [Quantity::Length, Quantity::Time, Quantity::Slop, Quantity::Move];
            let checks = quantities.map(|quantity| Check {
                quantity,
                limit: 0.0,
                unit: LengthUnit::Mm,
            });
            let (mut short, mut whole) = (Tally::EMPTY, Tally::EMPTY);
            for moment in moments {
                let value = |quantity| {
                    let n = quantities.iter().position(|other| *other == quantity).unwrap();
                    f32::from(moment[n])
                };
                let cares_for = short.cares_for();
                let is_met = short.judge(&Slacks::of(&checks, cares_for, value));
                prop_assert_eq!(is_met, whole.judge(&Slacks::of(&checks, u32::MAX, value)));
            }
            prop_assert!(short.checked(&checks).eq(whole.checked(&checks)));
        }
    }

    proptest! {
        /// A limit that is alone is judged as one of several would be.
        #[test]
        fn a_single_limit_is_judged_as_any(
            moments in prop::collection::vec(prop_oneof![-3.0f32..3.0, Just(f32::NAN)], 1..20),
        ) {
            let check = [CHECKS[0]];
            let (mut single, mut any) = (Tally::EMPTY, Tally::EMPTY);
            for moment in moments {
                let is_met = single.judge_single(check[0].slack(10.0 + moment));
                let slacks = Slacks::of(&check, any.cares_for(), |_| 10.0 + moment);
                prop_assert_eq!(is_met, any.judge(&slacks));
                prop_assert_eq!(single.failed(), any.failed());
            }
            prop_assert!(single.checked(&check).eq(any.checked(&check)));
        }
    }

    #[test]
    fn no_kind_asks_more_than_a_verdict_holds() {
        for toward in [SwipeDirections::Any, SwipeDirections::FOUR] {
            let kind = GestureKind::Swipe {
                toward,
                fires: SwipeFires::Passing,
                from_edge: Some(PanelEdge::Left),
            };
            assert!(kind.quantities(5).len() <= MAX_CHECKS);
        }
        assert!(GestureKind::Tap { times: 3 }.quantities(5).len() <= MAX_CHECKS);
    }
}
