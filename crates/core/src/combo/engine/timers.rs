//! What happens by itself: a hold that is long enough, a quiet that lasted, a
//! press that came early and counts now.

use super::*;

impl ComboEngine {
    pub(super) fn next_timer(&self, rate: PollRate) -> Option<Nanos> {
        let instant = |timer: &Timer| match timer.span {
            TimeSpan::Time(_) => timer.due.time,
            TimeSpan::Ticks(_) => rate.time_of(timer.due.tick),
        };
        self.timers.iter().map(instant).min()
    }

    pub(super) fn start(&mut self, timer: Timer) {
        let known = self.timers.iter_mut().find(|other| other.what == timer.what);
        match known {
            Some(other) => *other = timer,
            None => self.timers.push(timer),
        }
    }

    /// A press ends what was to be quiet.
    pub(super) fn break_quiet(&mut self, poll: ComboPoll) {
        let (last_in, serial) = (&self.last_in, self.serial);
        let is_broken = |node: NodeId| {
            let finals = poll.automaton.finals(node).first();
            let own = finals.and_then(|&combo| poll.automaton.combo(combo).own);
            own.is_some_and(|set| last_in[set.index()] == serial)
        };
        self.timers.retain(|timer| !matches!(timer.what, Due::Quiet(node) if is_broken(node)));
    }

    /// Runs what is due up to a moment, in order.
    pub(super) fn run_timers(&mut self, poll: ComboPoll, until: Moment) {
        loop {
            let due = self.timers.iter().enumerate();
            let due = due.filter(|(_, timer)| timer.span.is_over(timer.due, until));
            let Some((n, _)) = due.min_by_key(|(_, timer)| timer.due) else { return };
            let Timer { due, what, mut arrival, .. } = self.timers.swap_remove(n);
            match what {
                Due::Held(node, _) | Due::Quiet(node) => {
                    let bound = &poll.automaton.nodes[node as usize];
                    if arrival.first <= self.floor || self.is_broken(bound, arrival.serial) {
                        continue;
                    }
                    arrival.at = due;
                    self.arrive(poll, node, arrival, None);
                }
                Due::Opens(combo) => self.meet(poll, combo, arrival),
            }
        }
    }
}
