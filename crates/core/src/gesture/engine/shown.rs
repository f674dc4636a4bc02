//! The attempts that go on, for whoever looks.

use super::{GestureEngine, GesturePoll, judge, judge_held, one_tap};
use crate::base::{ControlId, GestureId, Nanos};
use crate::gesture::{
    AttemptPhase, BoundGesture, Check, CheckedLimit, GestureAttempt, GestureOutcome,
    GestureVerdict, Tap, millis,
};
use crate::spec::{GestureKind, Quantity};
use alloc::vec::Vec;

/// An attempt that goes on, to be shown.
///
/// Where a [`GestureVerdict`] says what the best moment was, this says how things stand now: a
/// limit that was passed and is not any more shows a negative margin. It is made when somebody
/// looks, and costs a tick nothing.
#[derive(Clone, Debug, PartialEq)]
pub struct GestureCandidate {
    /// The gesture.
    pub gesture: GestureId,
    /// The first of its contacts.
    pub contact: ControlId,
    /// When it began.
    pub began: Nanos,
    /// Whether its limits have been met, though it waits for others.
    pub is_waiting: bool,
    /// Whether it has fired.
    pub has_fired: bool,
    /// Where its first finger landed and where it is, in millimetres from the top
    /// left.
    pub way: [[f32; 2]; 2],
    /// The centre of a stick, or the origin of an aim, in the same measure.
    pub centre: [f32; 2],
    /// Every limit, and how far it is from being met at this moment.
    pub checks: Vec<CheckedLimit>,
}

impl GestureEngine {
    /// The attempts that go on, with how far each is now.
    ///
    /// In the order in which they began; those between two taps come last.
    ///
    /// A gesture of several fingers has an attempt for each finger. Of those with a finger in
    /// common only the one that has all its fingers is shown: the others wait for fingers that have
    /// found their place.
    pub(crate) fn candidates(&self, poll: GesturePoll) -> Vec<GestureCandidate> {
        let shown = |attempt: &GestureAttempt| {
            let of = poll.gesture(attempt);
            let attempt = self.caught_up(attempt, of);
            let until = attempt.over.unwrap_or(poll.now);
            // Without all its fingers nothing else can be measured.
            let is_known =
                |check: &&Check| attempt.is_complete(of) || check.quantity == Quantity::Together;
            let checks = of.checks.iter().filter(is_known).map(|check: &Check| {
                let value = attempt.measure_once(of, check.quantity, until);
                CheckedLimit {
                    quantity: check.quantity,
                    value,
                    limit: check.limit,
                    margin: check.slack(value),
                    is_alone: false,
                    unit: check.unit,
                }
            });
            GestureCandidate {
                gesture: attempt.gesture,
                contact: poll.down(attempt.first().contact),
                began: attempt.began(),
                is_waiting: attempt.phase == AttemptPhase::Met,
                has_fired: attempt.phase == AttemptPhase::Fired,
                way: [attempt.first().start, attempt.first().at].map(|place| attempt.in_mm(place)),
                centre: attempt.in_mm(attempt.centre),
                checks: checks.collect(),
            }
        };
        // A finger that has found its others waits for more in vain, as a rule.
        let is_shown = |attempt: &&GestureAttempt| {
            let is_whole = |other: &GestureAttempt| {
                let of = poll.gesture(other);
                other.gesture == attempt.gesture
                    && other.is_complete(of)
                    && other.shares_with(attempt)
            };
            attempt.is_complete(poll.gesture(attempt)) || !self.attempts.iter().any(is_whole)
        };
        let mut candidates: Vec<GestureCandidate> =
            self.attempts.iter().filter(is_shown).map(shown).collect();
        let has_attempt = |id: &GestureId| self.attempts.iter().any(|a| a.gesture == *id);
        let between = GestureId::first(self.taps.len()).filter(|id| !has_attempt(id));
        candidates.extend(between.filter_map(|id| self.between_taps(poll, id)));
        candidates
    }

    /// An attempt with where its fingers are now.
    fn caught_up(&self, attempt: &GestureAttempt, of: &BoundGesture) -> GestureAttempt {
        let mut attempt = *attempt;
        attempt.catch_up_with(of, &self.ways.tracks);
        attempt
    }

    /// A gesture of several taps that waits for the next one: how much of the gap
    /// has gone.
    ///
    /// Nobody touches the panel then, and still something goes on: this is what a person who
    /// wonders why a single tap is late wants to see.
    fn between_taps(&self, poll: GesturePoll, gesture: GestureId) -> Option<GestureCandidate> {
        let of = poll.plan.gestures.get(gesture.index())?;
        let limit = of.limit(Quantity::Gap)?;
        let is_open = |tap: &&Tap| tap.is_good && !tap.is_spent && tap.open_until(limit) > poll.now;
        let last = self.taps[gesture.index()].kept().iter().rev().find(is_open)?;
        let value = millis(poll.now.0.saturating_sub(last.lifted.0));
        let margin = Quantity::Gap.sense().slack(value, limit);
        let (quantity, unit) = (Quantity::Gap, of.unit);
        let gap = CheckedLimit { quantity, value, limit, margin, is_alone: false, unit };
        let per_mm = poll.contacts[last.contact.index()].per_mm(of.unit);
        let start = last.start.map(|length| length / per_mm);
        Some(GestureCandidate {
            gesture,
            contact: poll.down(last.contact),
            began: last.landed,
            is_waiting: false,
            has_fired: false,
            way: [start; 2],
            centre: start,
            checks: [gap].into(),
        })
    }

    /// What the attempts that go on have come to so far: fired already, or still
    /// open; of these each limit as if all were over now.
    ///
    /// It works on copies: looking at a frozen session, or ending a recording and going on, moves
    /// nothing.
    pub(crate) fn open_verdicts(&self, poll: GesturePoll) -> Vec<GestureVerdict> {
        let ended = |attempt: &GestureAttempt| {
            let of = poll.gesture(attempt);
            let mut ended = self.caught_up(attempt, of);
            ended.bring_value_up_to_date(of);
            judge_held(&mut ended, of, poll.tick);
            if ended.phase == AttemptPhase::Trying {
                self.end_now(poll, &mut ended);
                // Nothing of it has come true yet.
                (ended.phase, ended.met) = (attempt.phase, attempt.met);
            }
            ended.is_told(of).then_some(ended)
        };
        let verdict = |attempt: GestureAttempt| {
            let of = poll.gesture(&attempt);
            let contact = poll.down(attempt.first().contact);
            let outcome = match attempt.fired {
                Some(_) => GestureOutcome::Fired,
                None => GestureOutcome::Open,
            };
            let verdict = attempt.verdict(poll.tick, poll.now, contact);
            GestureVerdict { outcome, ..verdict }.with_checks(&attempt.tally, &of.checks)
        };
        self.attempts.iter().filter_map(ended).map(verdict).collect()
    }

    /// Judges an attempt as if its fingers were lifted now.
    ///
    /// `attempt` is a copy, and so are the taps.
    fn end_now(&self, poll: GesturePoll, attempt: &mut GestureAttempt) {
        let of = poll.gesture(attempt);
        match of.kind {
            GestureKind::Tap { times: times @ 2.. } => {
                let mut taps = self.taps[attempt.gesture.index()];
                attempt.over = Some(poll.now);
                one_tap(attempt, of, &mut taps, times, poll.tick);
            }
            _ => judge(attempt, of, poll.now, poll.tick),
        }
    }
}
