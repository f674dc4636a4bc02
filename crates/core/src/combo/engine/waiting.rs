//! Attempts whose steps were all met: they fire, or wait for other combos.
//!
//! An attempt waits for as long as another combo may still be met by one that
//! has a press of it. If that is met, the waiting one is cancelled, whatever
//! becomes of the other: it may itself wait, and be cancelled in turn.

use super::*;

impl ComboEngine {
    /// All steps of a combo were met.
    ///
    /// It fires at once if its combo waits for none; otherwise [`ComboEngine::settle`] decides when
    /// all edges of the tick are in.
    pub(super) fn meet(
        &mut self,
        poll: &ComboPoll,
        (copy, bound): (CopyId, &BoundCombo),
        arrival: &Arrival,
    ) {
        if bound.is_waited_for {
            if self.met.len() == KEPT_MET {
                self.met.remove(0);
            }
            self.met.push(Met { copy, presses: arrival.presses });
        }
        if bound.waits_for.is_empty() {
            self.fire(poll, (copy, bound), arrival, poll.tick);
            return;
        }
        let its = |other: &Waiting| other.copy == copy;
        if self.waiting.iter().filter(|other| its(other)).count() == KEPT_WAITING
            && let Some(at) = self.waiting.iter().position(its)
        {
            let oldest = self.waiting.remove(at);
            self.tell(poll, &oldest, ComboOutcome::Forgotten);
        }
        self.waiting.push(Waiting { copy, arrival: *arrival, known: poll.tick });
    }

    /// An attempt of which all was known at the tick `known` fires. The combo is on for this
    /// tick, or as long as it lasts; several copies may be on at once.
    ///
    /// `known` is the tick of its last step; it fires at the tick of `poll`.
    fn fire(
        &mut self,
        poll: &ComboPoll,
        (copy, bound): (CopyId, &BoundCombo),
        arrival: &Arrival,
        known: Tick,
    ) {
        let &BoundCombo { combo, has_siblings, .. } = bound;
        let lasts_by = self.lasts_by(bound, arrival);
        let state = &mut self.states[combo.index()];
        state.by = arrival.by;
        let had_fired = core::mem::replace(&mut state.fired, true);
        if !had_fired || (has_siblings && !self.pulsed.contains(&copy)) {
            self.pulsed.push(copy);
        }
        if let Some(by) = lasts_by {
            state.lasts = true;
            if !self.lasting.contains(&(copy, by)) {
                self.lasting.push((copy, by));
            }
        }
        self.note(combo);
        self.tell_of(poll, bound, (arrival, known), ComboOutcome::Fired);
    }

    /// Tells what came of an attempt that was met. More than one of a kind in a tick are as good
    /// as one: what has no room is left out.
    pub(super) fn tell(&mut self, poll: &ComboPoll, waiting: &Waiting, outcome: ComboOutcome) {
        let Waiting { copy, arrival, known } = waiting;
        self.tell_of(poll, poll.automaton.combo(*copy), (arrival, *known), outcome);
    }

    /// The same of an attempt of which all was known at the tick `known`.
    fn tell_of(
        &mut self,
        poll: &ComboPoll,
        &BoundCombo { combo, copy, .. }: &BoundCombo,
        (&Arrival { at: met, began, by, .. }, known): (&Arrival, Tick),
        outcome: ComboOutcome,
    ) {
        let news = ComboNews { combo, copy, began, met, known, tick: poll.tick, outcome, by };
        // More than one of a kind in a tick are as good as one.
        if self.news.len() < self.news.capacity() {
            self.news.push(news);
        }
    }

    /// Lets those fire for which nothing is left to wait for, in the order in which
    /// they were met.
    ///
    /// For each in turn: one of the others was met with a press of it, and it is cancelled; one of
    /// them still may be, and it waits; otherwise it fires.
    pub(super) fn settle(&mut self, poll: &ComboPoll) {
        let mut at = 0;
        while let Some(&waiting) = self.waiting.get(at) {
            let others = &poll.automaton.combo(waiting.copy).waits_for;
            let took = |met: &&Met| {
                others.contains(&met.copy) && met.presses.meets(waiting.arrival.presses)
            };
            if let Some(&Met { copy, .. }) = self.met.iter().find(took) {
                let by = poll.automaton.combo(copy).combo;
                self.waiting.remove(at);
                self.tell(poll, &waiting, ComboOutcome::Cancelled(by));
            } else if others.iter().any(|&other| self.is_possible(poll, other, &waiting)) {
                at += 1;
            } else {
                self.waiting.remove(at);
                let bound = poll.automaton.combo(waiting.copy);
                self.fire(poll, (waiting.copy, bound), &waiting.arrival, waiting.known);
            }
        }
    }

    /// Whether a combo may still be met by an attempt that has a press of one that
    /// waits.
    ///
    /// It may be where a step of an attempt with such a press was reached whose next step is
    /// neither late, by its own window or in all, nor broken, or where a hold or an early press of
    /// it is still running. A quiet at the end counts only once it runs.
    fn is_possible(&self, poll: &ComboPoll, copy: CopyId, waiting: &Waiting) -> bool {
        let path = poll.automaton.path(copy);
        let bound = &poll.automaton.combo(copy);
        // `next` is the earliest moment at which the attempt may go on.
        let shares = |arrival: &Arrival, next: Moment| {
            let is_spent = !bound.again && arrival.first() <= self.spent[copy.index()];
            let is_whole = |all: &TimeSpan| all.between(arrival.began, next) <= all.amount();
            arrival.serial != 0
                && arrival.first() > self.floor
                && !is_spent
                && bound.all.as_ref().is_none_or(is_whole)
                && arrival.presses.meets(waiting.arrival.presses)
        };
        let goes_on =
            |timer: &Timer| path.contains(&timer.node) && shares(&timer.arrival, timer.due);
        let may_follow = |&child: &NodeId| {
            let node = poll.automaton.node(child);
            let now = node.clock.moment(poll.now, poll.rate);
            let is_open = |from: &Arrival| {
                let passed = node.within.between(from.at, now);
                passed <= node.within.amount() && !self.is_broken(node, from.last(), None)
            };
            node.parent != 0
                && !matches!(poll.automaton.rest(child).what, StepKind::Quiet(_))
                && self
                    .arrivals(poll.automaton, node.parent)
                    .any(|from| shares(from, now) && is_open(from))
        };
        self.timers.iter().any(goes_on) || path.iter().any(may_follow)
    }
}
