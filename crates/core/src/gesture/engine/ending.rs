//! Attempts that are over: what is told of them, and who gives the value of their gesture then.

use super::*;

impl GestureEngine {
    /// Gives a verdict to those that are over, and forgets them. Each of the others
    /// moves at most once.
    ///
    /// An attempt that is met and waits stays though its finger was lifted: what it waits for may
    /// still fail.
    pub(super) fn conclude(&mut self, poll: GesturePoll) {
        let mut kept = 0;
        for at in 0..self.attempts.len() {
            let attempt = &self.attempts[at];
            let waits = attempt.phase == AttemptPhase::Met && !attempt.is_broken;
            if attempt.cancelled_by.is_some() || (attempt.is_over && !waits) {
                let mut attempt = self.attempts[at];
                let of = poll.gesture(&attempt);
                judge_held(&mut attempt, of, poll.tick);
                attempt.catch_up_with(of, &self.ways.tracks);
                if self.forget(poll, &attempt) {
                    let (before, after) = self.attempts.split_at_mut(at);
                    let others = before[..kept].iter_mut().chain(&mut after[1..]);
                    hand_over(poll, attempt.gesture, others, &mut self.states);
                }
                continue;
            }
            if kept < at {
                self.attempts[kept] = self.attempts[at];
            }
            kept += 1;
        }
        self.attempts.truncate(kept);
    }

    /// An attempt is over: its gesture has one less, and what came of it is told, unless it was
    /// none. Returns whether another one has to give the value of its gesture.
    ///
    /// One of too few fingers or taps was none: nobody is told of the first finger of a pinch.
    fn forget(&mut self, poll: GesturePoll, attempt: &GestureAttempt) -> bool {
        let of = poll.gesture(attempt);
        let has_given = self.states.end(attempt);
        if !attempt.is_told(of) {
            return has_given;
        }
        let contact = poll.down(attempt.first().contact);
        let ended = attempt.over.unwrap_or(poll.now);
        let mut verdict = attempt.verdict(poll.tick, ended, contact);
        verdict.outcome = match (attempt.fired, attempt.cancelled_by) {
            (Some(_), _) => GestureOutcome::Fired,
            (None, Some(by)) => GestureOutcome::Cancelled(by),
            (None, None) if attempt.is_broken => GestureOutcome::Broken,
            (None, None) => GestureOutcome::Missed,
        };
        self.verdicts.push(verdict.with_checks(&attempt.tally, &of.checks));
        has_given
    }
}

/// The attempt that gave the value of a gesture is over: of those that still last, the one that
/// fired last gives it.
///
/// Of those that fired at one tick the one that began last.
fn hand_over<'a>(
    poll: GesturePoll,
    gesture: GestureId,
    others: impl Iterator<Item = &'a mut GestureAttempt>,
    states: &mut GestureStates,
) {
    let lasts = |attempt: &&mut GestureAttempt| {
        attempt.gesture == gesture && attempt.is_lasting && attempt.over.is_none()
    };
    if let Some(next) = others.filter(lasts).max_by_key(|next| next.fired) {
        next.bring_value_up_to_date(poll.plan.gesture(gesture));
        states.hand_over(next, poll.down(next.first().contact));
    }
}
