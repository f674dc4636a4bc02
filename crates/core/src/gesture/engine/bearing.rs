//! How gestures bear on each other: who waits for whom, who ends whom. They do so only where they
//! have a finger in common; several taps have the fingers of all.
//!
//! - An attempt that is met fires at the tick at which no gesture that it waits for can be met
//!   any more with one of its fingers.
//! - If one of these is met instead, the attempt is ended, whatever becomes of the other.
//! - What fires for a moment ends the other attempts at the same gesture with one of its fingers,
//!   and where the rig says that it takes its fingers, those at all gestures but the ones beside
//!   it.
//!
//! Whether a gesture *can still be met* is asked of its attempts, and of single taps that others
//! may still follow.

use super::{GestureEngine, GesturePoll, is_hopeless};
use crate::base::GestureId;
use crate::gesture::{AttemptPhase, BoundGesture, GestureAttempt, Landings, MAX_TAPS_KEPT};
use crate::spec::GestureKind;

impl GestureEngine {
    /// Lets those fire that have met their limits and need not wait any more.
    ///
    /// After one fires the search begins again at the first that was held back, so that a chain of
    /// gestures that wait for each other is settled in one tick, and in the same order on every
    /// machine.
    pub(super) fn settle(&mut self, poll: GesturePoll) {
        let waits = |attempt: &GestureAttempt| {
            attempt.phase == AttemptPhase::Met && !poll.gesture(attempt).waits_for.is_empty()
        };
        if self.attempts.iter().any(waits) {
            // What the others can still come to depends on where their fingers are.
            let GestureEngine { attempts, ways, .. } = self;
            for attempt in attempts {
                attempt.catch_up_with(poll.gesture(attempt), &ways.tracks);
            }
        }
        self.end_those_that_waited(poll);
        let (mut at, mut first_held_back) = (0, None);
        while at < self.attempts.len() {
            let attempt = &self.attempts[at];
            if attempt.phase != AttemptPhase::Met || attempt.cancelled_by.is_some() {
                at += 1;
                continue;
            }
            let waits_for = &poll.gesture(attempt).waits_for;
            if waits_for.iter().any(|&other| self.is_possible(poll, other, attempt)) {
                first_held_back = first_held_back.or(Some(at));
                at += 1;
                continue;
            }
            self.fire(poll, at);
            // It may have freed those before it to fire.
            at = first_held_back.take().unwrap_or(at + 1);
        }
    }

    /// An attempt that is met ends all with one of its fingers that wait for its
    /// gesture, whatever becomes of itself.
    fn end_those_that_waited(&mut self, poll: GesturePoll) {
        for at in 0..self.attempts.len() {
            let met = &self.attempts[at];
            if met.phase != AttemptPhase::Met || met.met != Some(poll.tick) {
                continue;
            }
            if !poll.gesture(met).is_waited_for {
                continue;
            }
            let (gesture, fingers) = (met.gesture, *met.landings());
            let waits = |of: &BoundGesture| of.waits_for.contains(&gesture);
            self.end(&fingers, gesture, |other| waits(poll.gesture(other)));
            for (of, taps) in poll.plan.gestures.iter().zip(&mut self.taps) {
                if waits(of) {
                    taps.spend(&fingers);
                }
            }
        }
    }

    /// Ends the attempts with one of these fingers that have not fired yet, if
    /// they are among those that count.
    ///
    /// They stay in the list until [`GestureEngine::conclude`] tells of them.
    fn end(&mut self, fingers: &Landings, by: GestureId, counts: impl Fn(&GestureAttempt) -> bool) {
        for other in &mut self.attempts {
            let is_open = other.phase != AttemptPhase::Fired && other.cancelled_by.is_none();
            if is_open && counts(other) && other.landings().meet(fingers) {
                other.cancelled_by = Some(by);
                self.is_any_over = true;
            }
        }
    }

    /// Whether a gesture can still be met by an attempt that has a finger of one
    /// that waits for it.
    ///
    /// A finger that has not landed yet does not count: nobody waits for what might still begin.
    fn is_possible(&self, poll: GesturePoll, gesture: GestureId, waiting: &GestureAttempt) -> bool {
        let of = poll.plan.gesture(gesture);
        let with_it = |other: &GestureAttempt| {
            is_open(poll, of, other, gesture) && other.shares_with(waiting)
        };
        self.attempts.iter().any(with_it)
            || matches!(of.kind, GestureKind::Tap { times: 2.. } if self.can_follow(poll, gesture, waiting))
    }

    /// Whether a tap that is over, and has a finger of one that waits, can still be
    /// part of a sequence of taps.
    ///
    /// Worked out from the earliest tap on: a tap after one that leads there by `n` taps is `n + 1`
    /// taps after it. A sequence is open while it lacks a tap and its last tap may still be
    /// followed, or is being followed by a finger that is down.
    fn can_follow(&self, poll: GesturePoll, gesture: GestureId, waiting: &GestureAttempt) -> bool {
        let of = poll.plan.gesture(gesture);
        let GestureKind::Tap { times } = of.kind else { return false };
        let (apart, fingers) = (of.apart(), waiting.landings());
        let taps = self.taps[gesture.index()].kept();
        // How many taps of a sequence come after that of the fingers, at least.
        let mut after: [Option<u8>; MAX_TAPS_KEPT] = [None; MAX_TAPS_KEPT];
        for (n, tap) in taps.iter().enumerate().filter(|(_, tap)| tap.is_good && !tap.is_spent) {
            let followed = |m: &usize| apart.allows(&taps[*m], tap.landing());
            after[n] = match tap.fingers.meet(fingers) {
                true => Some(0),
                false => (0..n).filter(followed).filter_map(|m| Some(after[m]? + 1)).min(),
            };
        }
        let open = taps.iter().zip(after).filter(|(_, after)| after.is_some_and(|n| n + 1 < times));
        open.map(|(tap, _)| tap).any(|tap| {
            let goes_on = |other: &GestureAttempt| {
                let first = other.first();
                is_open(poll, of, other, gesture)
                    && apart.allows(tap, (other.panel, first.landing.time, first.start))
            };
            tap.open_until(apart.gap) > poll.now || self.attempts.iter().any(goes_on)
        })
    }

    /// An attempt fires: it gives its value from now on, for this tick or as long as it lasts,
    /// and takes its fingers.
    ///
    /// `at` is its place in the list. A finger that was lifted in this tick makes nothing last.
    fn fire(&mut self, poll: GesturePoll, at: usize) {
        let attempt = &mut self.attempts[at];
        let of = poll.gesture(attempt);
        (attempt.phase, attempt.fired) = (AttemptPhase::Fired, Some(poll.tick));
        attempt.begin_output(of);
        attempt.value = attempt.output(of);
        attempt.is_lasting = of.kind.lasts() && attempt.over.is_none();
        // One that was lifted and waited since then has nothing more to wait for.
        self.is_any_over |= attempt.is_over;
        self.states.fire(attempt, poll.down(attempt.first().contact));
        let (gesture, fingers) = (attempt.gesture, *attempt.landings());
        self.take(poll, gesture, &fingers);
    }

    /// What fired for a moment leaves its fingers to no other attempt at the same
    /// gesture, and what takes them to no other gesture.
    ///
    /// A gesture that lasts may be made twice at once, by different fingers; the same finger makes
    /// a tap only once.
    fn take(&mut self, poll: GesturePoll, fired: GestureId, fingers: &Landings) {
        let of = poll.plan.gesture(fired);
        if of.kind.lasts() && !of.takes {
            return;
        }
        let takes = |gesture: GestureId| match gesture == fired {
            true => !of.kind.lasts(),
            false if !of.takes => false,
            false => {
                let its = poll.plan.gesture(gesture);
                !of.beside.contains(&gesture) && !its.beside.contains(&fired)
            }
        };
        self.end(fingers, fired, |other| takes(other.gesture));
        for (taps, gesture) in self.taps.iter_mut().zip((0..).map(GestureId)) {
            if !taps.kept().is_empty() && takes(gesture) {
                taps.spend(fingers);
            }
        }
    }
}

/// Whether an attempt is one at a gesture that can still be met.
fn is_open(
    poll: GesturePoll,
    of: &BoundGesture,
    attempt: &GestureAttempt,
    gesture: GestureId,
) -> bool {
    attempt.gesture == gesture
        && attempt.phase == AttemptPhase::Trying
        && attempt.cancelled_by.is_none()
        && !attempt.is_over
        && !is_hopeless(attempt, of, poll.now)
}
