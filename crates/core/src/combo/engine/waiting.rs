//! Combos whose steps were all met: they fire, or wait for others.

use super::*;

impl ComboEngine {
    /// All steps of a combo were met.
    pub(super) fn meet(&mut self, poll: ComboPoll, combo: ComboId, arrival: Arrival) {
        let waiting = Waiting { combo, arrival, known: poll.tick };
        match poll.automaton.combo(combo).waits_for.is_empty() {
            true => self.fire(poll, waiting),
            false => match self.waiting.iter_mut().find(|other| other.combo == combo) {
                Some(other) => *other = waiting,
                None => self.waiting.push(waiting),
            },
        }
    }

    fn fire(&mut self, poll: ComboPoll, Waiting { combo, arrival, known }: Waiting) {
        let state = &mut self.states[combo.index()];
        state.by = arrival.by;
        if !core::mem::replace(&mut state.fired, true) {
            self.pulsed.push(combo);
        }
        let lasts = poll.automaton.combo(combo).lasts;
        if lasts && !core::mem::replace(&mut state.lasts, true) {
            self.lasting.push(combo);
        }
        self.note(combo);
        self.tell(poll, Waiting { combo, arrival, known }, ComboOutcome::Fired);
    }

    fn tell(&mut self, poll: ComboPoll, waiting: Waiting, outcome: ComboOutcome) {
        let Waiting { combo, arrival, known } = waiting;
        let Arrival { at: met, began, by, .. } = arrival;
        let news = ComboNews { combo, began, met, known, tick: poll.tick, outcome, by };
        // More than one of a kind in a tick are as good as one.
        if self.news.len() < self.news.capacity() {
            self.news.push(news);
        }
    }

    /// Lets those fire for which nothing is left to wait for.
    pub(super) fn settle(&mut self, poll: ComboPoll) {
        let mut at = 0;
        while let Some(&waiting) = self.waiting.get(at) {
            let others = &poll.automaton.combo(waiting.combo).waits_for;
            let fired = others.iter().find(|&&other| self.states[other.index()].fired);
            if let Some(&by) = fired {
                self.waiting.swap_remove(at);
                self.tell(poll, waiting, ComboOutcome::Cancelled(by));
            } else if others.iter().any(|&other| self.is_alive(poll, other)) {
                at += 1;
            } else {
                self.waiting.swap_remove(at);
                self.fire(poll, waiting);
                at = 0;
            }
        }
    }

    /// Whether what was begun of a combo may still make it fire.
    fn is_alive(&self, poll: ComboPoll, combo: ComboId) -> bool {
        let path = poll.automaton.path(combo);
        let bound = &poll.automaton.combo(combo);
        let counts = |arrival: &Arrival| {
            let is_spent = !bound.again && arrival.first <= self.spent[combo.index()];
            arrival.first > self.floor && !is_spent
        };
        let is_timed = |timer: &Timer| match timer.what {
            Due::Held(node, _) | Due::Quiet(node) => path.contains(&node) && counts(&timer.arrival),
            Due::Opens(other) => other == combo,
        };
        let may_follow = |&child: &NodeId| {
            let node = &poll.automaton.nodes[child as usize];
            let is_open = |from: &Arrival| {
                let passed = node.within.between(from.at, poll.now);
                passed <= node.within.amount() && !self.is_broken(node, from.serial)
            };
            node.parent != 0
                && !matches!(poll.automaton.rest(child).what, StepKind::Quiet(_))
                && self
                    .arrivals(poll.automaton, node.parent)
                    .any(|from| counts(from) && is_open(from))
        };
        self.timers.iter().any(is_timed)
            || self.waiting.iter().any(|waiting| waiting.combo == combo)
            || path.iter().any(may_follow)
    }
}
