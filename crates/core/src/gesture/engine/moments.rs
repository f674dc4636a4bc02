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
    AttemptPhase, BoundGesture, FingerNews, GestureAttempt, Slacks, Tap, Taps, Track, Tracks,
    measure_taps,
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
pub(super) struct Stepped {
    /// When the last of those that moved was reported.
    pub(super) moved: Nanos,
    /// Whether one of them was lifted, or went away.
    pub(super) is_lifting: bool,
}

/// Brings the fingers of an attempt to where this tick found them, if it did any.
#[inline]
pub(super) fn step(
    attempt: &mut GestureAttempt,
    of: &BoundGesture,
    tracks: &Tracks,
    tick: Tick,
) -> Option<Stepped> {
    if attempt.fingers().len() == 1 {
        let track = told(attempt, 0, tracks)?;
        // Until now it was as it has been. Where it got no further and has not fired, the
        // end of this tick says more.
        let has_fired = attempt.phase == AttemptPhase::Fired;
        let says_more = match track.news {
            FingerNews::Broken => false,
            FingerNews::Lifted => true,
            FingerNews::Told | FingerNews::None => has_fired || attempt.is_behind(track),
        };
        if of.is_press && says_more {
            judge(attempt, of, track.time, tick);
        }
        attempt.catch_up(track);
        return Some(Stepped { moved: track.time, is_lifting: track.news.is_end() });
    }
    let mut stepped: Option<Stepped> = None;
    for n in 0..attempt.fingers().len() {
        let Some(track) = told(attempt, n, tracks) else { continue };
        attempt.move_to(of, n, track.at);
        let before = stepped.unwrap_or(Stepped { moved: track.time, is_lifting: false });
        stepped = Some(Stepped {
            moved: before.moved.max(track.time),
            is_lifting: before.is_lifting || track.news.is_end(),
        });
    }
    if stepped.is_some() {
        attempt.turn(of);
    }
    stepped
}

/// Judges an attempt as it has been until a moment: keeps the best of it for its margins, and
/// notes at which tick all limits held for the first time.
///
/// It judges on after the attempt was met, as long as moments come: the margin of a limit is over
/// all of them.
pub(super) fn judge(attempt: &mut GestureAttempt, of: &BoundGesture, until: Nanos, tick: Tick) {
    let measure = |quantity| attempt.measure(of, quantity, until);
    let is_met = match of.checks.as_slice() {
        [check] => {
            let slack = check.slack(measure(check.quantity));
            attempt.tally.judge_single(slack)
        }
        checks => {
            let slacks = Slacks::of(checks, attempt.tally.cares_for(), measure);
            attempt.tally.judge(&slacks)
        }
    };
    if is_met && attempt.phase == AttemptPhase::Trying {
        (attempt.phase, attempt.met) = (AttemptPhase::Met, Some(tick));
    }
}

/// Judges a movement, where movements are what matters.
///
/// Nothing is judged before all fingers are there, or after one was lifted.
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

/// When time alone brings an attempt further, if it does: no sooner than after `now`, and not
/// where it cannot be met any more.
pub(super) fn due(attempt: &GestureAttempt, of: &BoundGesture, now: Nanos) -> Option<Nanos> {
    let due = attempt.due?.max(Nanos(now.0 + 1));
    (!is_hopeless(attempt, of, now)).then_some(due)
}

/// The earlier of two instants, of those that there are.
pub(super) fn earliest(one: Option<Nanos>, other: Option<Nanos>) -> Option<Nanos> {
    match (one, other) {
        (Some(one), Some(other)) => Some(one.min(other)),
        (one, other) => one.or(other),
    }
}

/// Whether an attempt cannot be met any more, whatever its fingers do: a quantity that only grows
/// is beyond its limit.
///
/// It is asked of whom others wait for: a tap held for too long releases them before it is lifted.
pub(super) fn is_hopeless(attempt: &GestureAttempt, of: &BoundGesture, now: Nanos) -> bool {
    of.checks.iter().filter(|check| check.quantity.only_grows()).any(|check| {
        // A finger that is still missing comes now at the earliest.
        check.slack(attempt.measure_once(of, check.quantity, now)) < 0.0
    })
}
