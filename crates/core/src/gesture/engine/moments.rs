//! The moments at which an attempt is judged.
//!
//! A moment is an instant at which all limits are asked together; see [`verdict`](crate::gesture)
//! for what is kept of them. Which moments there are depends on the kind, and is part of the
//! format of rigs (`docs/rig-format.md`): who rebuilds these rules has to judge at the same ones,
//! or margins differ.
//!
//! - A tap is judged when its last finger is lifted; of several taps with every choice of earlier
//!   ones.
//! - A click, a flick, a sign and a swipe that fires on release are judged when the first finger
//!   is lifted.
//! - A press is judged at every report of its finger, as it was until then, and at every poll
//!   until it fires.
//! - A stick is judged where it lands, an aim there and at every movement of its finger and of
//!   its origin.
//! - Everything else is judged at every movement, but not at the one with which a finger is
//!   lifted.

use crate::base::{Nanos, Tick};
use crate::gesture::{
    AttemptPhase, BoundGesture, Check, FingerNews, GestureAttempt, Slacks, Tap, Taps, Track,
    Tracks, measure_taps,
};
use crate::spec::Quantity;

/// How a finger of an attempt went on that has not been lifted, if this tick found out
/// anything about it.
///
/// `n` is the place of the finger among those of the attempt.
#[inline]
pub(super) fn told<'t>(
    attempt: &GestureAttempt,
    n: usize,
    tracks: &'t Tracks,
) -> Option<&'t Track> {
    let finger = &attempt.fingers()[n];
    let track = tracks.of(finger.contact, attempt.unit);
    (track.news != FingerNews::None && !finger.is_lifted).then_some(track)
}

/// How the fingers of an attempt went on together.
#[derive(Clone, Copy)]
pub(super) enum Step {
    /// None of them was reported on.
    None,
    /// The last of those that moved was reported at this instant.
    Moved(Nanos),
    /// The same, and one of them was lifted, or went away.
    Lifted(Nanos),
}

/// Brings the fingers of an attempt to where this tick found them, if it did any.
#[inline(always)]
pub(super) fn step(attempt: &mut GestureAttempt, of: &BoundGesture, tracks: &Tracks) -> Step {
    if !attempt.has_one_finger() {
        return step_together(attempt, of, tracks);
    }
    let track = tracks.of(attempt.first().contact, attempt.unit);
    if track.news == FingerNews::None {
        return Step::None;
    }
    attempt.catch_up(track);
    if track.news.is_end() { Step::Lifted(track.time) } else { Step::Moved(track.time) }
}

/// The same for one with several fingers.
#[inline(never)]
fn step_together(attempt: &mut GestureAttempt, of: &BoundGesture, tracks: &Tracks) -> Step {
    let mut moved: Option<Nanos> = None;
    let mut is_lifting = false;
    for n in 0..attempt.fingers().len() {
        let Some(track) = told(attempt, n, tracks) else { continue };
        attempt.move_to(of, n, track.at);
        moved = moved.max(Some(track.time));
        is_lifting |= track.news.is_end();
    }
    let Some(moved) = moved else { return Step::None };
    attempt.turn(of);
    if is_lifting { Step::Lifted(moved) } else { Step::Moved(moved) }
}

/// Judges a press as it has been until this was reported on, which is somewhere else now.
///
/// Where it got no further and has not fired, the end of this tick says more.
pub(super) fn hold_until(
    attempt: &mut GestureAttempt,
    of: &BoundGesture,
    track: &Track,
    tick: Tick,
) {
    let gets_further = attempt.is_behind(track);
    match track.news {
        // It was not held until then.
        FingerNews::Broken => return judge_held(attempt, of, tick),
        FingerNews::Told | FingerNews::None if !gets_further => {
            if attempt.has_fired() {
                hold(attempt, of, track.time, tick);
            }
            return;
        }
        FingerNews::Lifted | FingerNews::Told | FingerNews::None => {}
    }
    attempt.unjudged = None;
    judge(attempt, of, track.time, tick);
}

/// Takes note that a press is held at a moment.
///
/// It is judged at once where it may be met. Otherwise it is kept: as long as its finger gets no
/// further, the next moment says all that this one would, and more.
pub(super) fn hold(attempt: &mut GestureAttempt, of: &BoundGesture, now: Nanos, tick: Tick) {
    let may_be_met = attempt.phase == AttemptPhase::Trying && attempt.is_nearly_due(now);
    if !may_be_met {
        attempt.unjudged = Some(now);
        return;
    }
    attempt.unjudged = None;
    judge(attempt, of, now, tick);
}

/// Judges the moment of a press that was kept.
pub(super) fn judge_held(attempt: &mut GestureAttempt, of: &BoundGesture, tick: Tick) {
    if let Some(until) = attempt.unjudged.take() {
        judge(attempt, of, until, tick);
    }
}

/// Judges an attempt as it has been until a moment: keeps the best of it for its margins, and
/// notes at which tick all limits held for the first time.
///
/// It judges on after the attempt was met, as long as moments come: the margin of a limit is over
/// all of them.
#[inline]
pub(super) fn judge(attempt: &mut GestureAttempt, of: &BoundGesture, until: Nanos, tick: Tick) {
    let is_met = match of.checks.as_slice() {
        [check] => holds(attempt, of, check, until),
        checks => hold_together(attempt, of, checks, until),
    };
    if is_met && attempt.phase == AttemptPhase::Trying {
        (attempt.phase, attempt.met) = (AttemptPhase::Met, Some(tick));
    }
}

/// Judges the only limit of an attempt. Returns whether it holds.
#[inline(never)]
fn holds(attempt: &mut GestureAttempt, of: &BoundGesture, check: &Check, until: Nanos) -> bool {
    let slack = check.slack(attempt.measure(of, check.quantity, until));
    attempt.tally.judge_single(slack)
}

/// Judges several limits of an attempt. Returns whether all of them hold.
#[inline(never)]
fn hold_together(
    attempt: &mut GestureAttempt,
    of: &BoundGesture,
    checks: &[Check],
    until: Nanos,
) -> bool {
    let measure = |quantity| attempt.measure(of, quantity, until);
    let slacks = Slacks::of(checks, attempt.tally.cares_for(), measure);
    attempt.tally.judge(&slacks)
}

/// Judges a movement, where movements are what matters.
///
/// Nothing is judged before all fingers are there, or after one was lifted.
#[inline]
pub(super) fn follow(attempt: &mut GestureAttempt, of: &BoundGesture, at: Nanos, tick: Tick) {
    if of.follows && attempt.is_complete(of) && !attempt.any_lifted() {
        judge(attempt, of, at, tick);
    }
}

/// A tap of several is over: it is kept, and judged as the last of a sequence with every choice
/// of earlier ones. It is an attempt of its own only if there is such a choice; otherwise it is a
/// part of one that may still come.
///
/// `over` is when its last finger was lifted. Two hands that tap at once have two taps in the same
/// list: which of them make a sequence is found by trying.
pub(super) fn one_tap(
    attempt: &mut GestureAttempt,
    of: &BoundGesture,
    taps: &mut Taps,
    times: u8,
    tick: Tick,
) {
    let Some(over) = attempt.over else { return };
    let measure = |quantity| attempt.measure_once(of, quantity, over);
    let is_good = [Quantity::Lift, Quantity::Move, Quantity::Together]
        .iter()
        .all(|&quantity| of.limit(quantity).is_none_or(|limit| measure(quantity) <= limit));
    taps.push(Tap {
        contact: attempt.first().contact,
        panel: attempt.panel,
        landed: attempt.first().landing.time,
        lifted: over,
        start: attempt.first().start,
        moved: measure(Quantity::Move),
        together: measure(Quantity::Together),
        fingers: *attempt.landings(),
        is_spent: false,
        is_good,
    });
    attempt.is_part = true;
    taps.choices(times, of.apart(), |chosen| {
        let best = attempt.tally.failed();
        let most = attempt.tally.cares_for();
        let slacks = Slacks::of(&of.checks, most, |quantity| measure_taps(chosen, quantity));
        let failed = attempt.tally.count(&slacks);
        // The choice that fails the fewest limits is told; of equals that of the
        // latest taps.
        if failed <= best {
            attempt.is_part = false;
            attempt.first_landing = chosen.first().map(|tap| tap.landed);
            let (_, earlier) = chosen.split_last().expect("a sequence has a last tap");
            attempt.continue_taps(earlier);
        }
        if failed == 0 && attempt.phase == AttemptPhase::Trying {
            (attempt.phase, attempt.met) = (AttemptPhase::Met, Some(tick));
        }
    });
    if attempt.phase == AttemptPhase::Met {
        // They count for no other sequence, whether this one fires or is ended.
        taps.spend(attempt.landings());
    }
}

/// When time alone brings an attempt further, or something else does before that. It does so no
/// sooner than after `now`, and not where the attempt cannot be met any more.
pub(super) fn wake(
    before: Option<Nanos>,
    attempt: &GestureAttempt,
    of: &BoundGesture,
    now: Nanos,
) -> Option<Nanos> {
    let due = attempt.due.map(|due| due.max(Nanos(now.0 + 1)));
    match (before, due) {
        (Some(before), Some(due)) if before <= due => Some(before),
        (_, Some(due)) if !is_hopeless(attempt, of, now) => Some(due),
        _ => before,
    }
}

/// Whether an attempt cannot be met any more, whatever its fingers do: a quantity that only grows
/// is beyond its limit. Of one that lacks a finger these are the times alone, for where its fingers
/// go is measured when all of them are there.
///
/// It is asked of whom others wait for: a tap held for too long releases them before it is lifted.
pub(super) fn is_hopeless(attempt: &GestureAttempt, of: &BoundGesture, now: Nanos) -> bool {
    let is_complete = attempt.is_complete(of);
    let counts = |quantity: Quantity| quantity.only_grows() && (is_complete || quantity.is_time());
    of.checks.iter().filter(|check| counts(check.quantity)).any(|check| {
        // A finger that is still missing comes now at the earliest.
        check.slack(attempt.measure_once(of, check.quantity, now)) < 0.0
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::ControlId;
    use crate::device::ControlKind;
    use crate::spec::{Gesture, GestureKind, Pointing, Turn};
    use crate::touch::{Contact, Landing, Zones};
    use proptest::prelude::*;

    fn contact() -> Contact {
        let [down, x, y] = [0, 1, 2].map(ControlId);
        let travel = [ControlKind::Position { min: 0, max: 100 }; 2];
        let (size, turn, by) = ([100.0; 2], Turn::default(), Pointing::Finger);
        Contact { down, x, y, size, turn, by, panel: 0, travel, pixels: None }
    }

    /// What happens to a finger that rests, after so many nanoseconds.
    #[derive(Clone, Copy, Debug)]
    enum Rest {
        /// It is reported on, so far from where it landed.
        Report(f32),
        /// The loop polls.
        Poll,
        /// What it waited for is over, if it waits.
        Fire,
    }

    fn rest() -> impl Strategy<Value = (u64, Rest)> {
        let what = prop_oneof![
            4 => (0.0f32..4.0).prop_map(Rest::Report),
            8 => Just(Rest::Poll),
            1 => Just(Rest::Fire),
        ];
        // Just before, at and just after 500 ms too.
        let step = prop_oneof![
            6 => 0u64..120_000_000,
            1 => Just(500_000_000),
            1 => 499_999_960..500_000_040u64,
        ];
        (step, what)
    }

    /// A press whose moments are all judged, as `docs/rig-format.md` says.
    fn judge_each(attempt: &mut GestureAttempt, of: &BoundGesture, track: &Track, tick: Tick) {
        let says_more = match track.news {
            FingerNews::Broken => false,
            FingerNews::Lifted => true,
            _ => attempt.has_fired() || attempt.is_behind(track),
        };
        if says_more {
            judge(attempt, of, track.time, tick);
        }
    }

    proptest! {
        /// Keeping moments, and judging only those that no later one outdoes, changes neither when
        /// a press is met nor a margin.
        #[test]
        fn a_moment_that_is_kept_is_not_missed(
            rests in prop::collection::vec(rest(), 1..30),
            end in prop_oneof![
                Just(FingerNews::Lifted), Just(FingerNews::Broken), Just(FingerNews::None)
            ],
        ) {
            let of = BoundGesture::new(
                &Gesture::new("press", GestureKind::Press), &Zones::default(), None,
            );
            let landing = Landing { id: 1, time: Nanos(1_000_000) };
            let mut kept = GestureAttempt::new(crate::base::GestureId(0), &of, &contact());
            kept.land(&of, crate::base::ContactId(0), landing, [50.0, 50.0]);
            kept.due = Some(Nanos(landing.time.0 + 500_000_000));
            let mut each = kept;
            let (mut track, mut now) = (Track::default(), landing.time);
            for ((step, what), tick) in rests.into_iter().zip((1..).map(Tick)) {
                now.0 += step;
                match what {
                    Rest::Report(far) => {
                        track.far = far;
                        track.moved = track.moved.max(far);
                        (track.time, track.news) = (now, FingerNews::Told);
                        judge_each(&mut each, &of, &track, tick);
                        hold_until(&mut kept, &of, &track, tick);
                        each.catch_up(&track);
                        kept.catch_up(&track);
                    }
                    Rest::Poll if each.has_fired() => {}
                    Rest::Poll => {
                        judge(&mut each, &of, now, tick);
                        hold(&mut kept, &of, now, tick);
                    }
                    Rest::Fire if each.phase == AttemptPhase::Met => {
                        each.phase = AttemptPhase::Fired;
                        kept.phase = AttemptPhase::Fired;
                    }
                    Rest::Fire => {}
                }
                prop_assert_eq!((kept.phase, kept.met), (each.phase, each.met));
            }
            if end != FingerNews::None {
                (track.time, track.news) = (Nanos(now.0 + 1_000_000), end);
                judge_each(&mut each, &of, &track, Tick(99));
                hold_until(&mut kept, &of, &track, Tick(99));
            }
            // One that another gesture ends is not heard of any more.
            judge_held(&mut kept, &of, Tick(99));
            prop_assert!(kept.tally.checked(&of.checks).eq(each.tally.checked(&of.checks)));
            prop_assert_eq!((kept.phase, kept.met), (each.phase, each.met));
        }
    }
}
