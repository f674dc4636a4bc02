//! What happens by itself: a hold that is long enough, a quiet that lasted, a
//! press that came early and counts now.

use super::*;

impl Timer {
    /// A timer that is over at `due`, by the clock of the combo of its node.
    pub(super) fn new(
        poll: &ComboPoll,
        node: NodeId,
        what: Due,
        span: TimeSpan,
        due: Moment,
        arrival: Arrival,
    ) -> Self {
        let clock = poll.automaton.node(node).clock;
        Timer { span, clock, due, node, what, arrival }
    }

    /// Whether the same press counts at the same moment for the same step.
    fn is_twin(&self, other: &Timer) -> bool {
        let of = |timer: &Timer| (timer.node, timer.what, timer.due, timer.arrival.serial);
        of(self) == of(other)
    }

    /// Whether it is over at a moment, by the clock of its combo.
    fn is_over(&self, at: Moment, rate: PollRate) -> bool {
        self.span.is_over(self.due, self.clock.moment(at, rate))
    }
}

impl ComboEngine {
    /// When to look at the timers again: when the first of them is over, and half a tick before
    /// where it goes by ticks. A clock that stood still stood for whole ticks, which are no whole
    /// nanoseconds; to look too early costs one tick.
    pub(super) fn next_timer(&self, rate: PollRate) -> Option<Nanos> {
        let slack = rate.time_of(Tick(1)).0 / 2;
        let instant = |timer: &Timer| match (timer.span, timer.clock) {
            (TimeSpan::Time(_), ComboClock::Reports) => timer.due.time,
            (TimeSpan::Time(_), ComboClock::Ticks) => Nanos(timer.due.time.0.saturating_sub(slack)),
            (TimeSpan::Ticks(_), _) => Nanos(rate.time_of(timer.due.tick).0.saturating_sub(slack)),
        };
        self.timers.iter().map(instant).min()
    }

    /// Starts a timer. Where there is no room the one of the oldest press is
    /// given up, which only more early presses at once than are remembered come to.
    ///
    /// Their order in the list means nothing.
    pub(super) fn start(&mut self, poll: &ComboPoll, timer: Timer) {
        if self.timers.len() == poll.automaton.timer_count {
            let oldest = self.timers.iter().enumerate().min_by_key(|(_, t)| t.arrival.serial);
            let Some((at, _)) = oldest else { return };
            self.timers.swap_remove(at);
        }
        self.timers.push(timer);
    }

    /// A press that comes early counts when its time has come: for each attempt
    /// that it is early for. Of those for which it counts at the same moment it does for the one
    /// that began last.
    ///
    /// ```text
    ///  step before        press            after          within
    ///       │               │                │               │
    ///       ├── too early ──┼─── buffered ───┤ counts here   │
    /// ```
    pub(super) fn wait_to_open(
        &mut self,
        poll: &ComboPoll,
        parent: NodeId,
        child: NodeId,
        edge: &SignalEdge,
    ) {
        let node = poll.automaton.node(child);
        let after = poll.automaton.rest(child).after;
        if after.amount() <= node.opens.amount() {
            return;
        }
        let Some(own) = self.own(poll, (child, node), edge) else { return };
        let ring = node_ring(poll.automaton, parent);
        for at in ring {
            let from = self.rings[at];
            let is_early = after.between(from.at, own.at) < after.amount();
            if from.serial == 0 || !is_early || !self.is_met(node, &from, &own, edge) {
                continue;
            }
            let due = after.over(from.at, poll.rate);
            let timer = Timer::new(poll, child, Due::Opens, after, due, own.after(&from));
            match self.timers.iter_mut().find(|other| other.is_twin(&timer)) {
                None => self.start(poll, timer),
                Some(twin) if twin.arrival.first() < timer.arrival.first() => *twin = timer,
                Some(_) => {}
            }
        }
    }

    /// A press ends what was to be quiet.
    ///
    /// A quiet is broken by the signals of its own combo alone; a strict combo asks for more when
    /// its time is over.
    pub(super) fn break_quiet(&mut self, poll: &ComboPoll) {
        if self.timers.is_empty() {
            return;
        }
        let (last_in, serial) = (&self.last_in, self.serial);
        let is_broken = |node: NodeId| {
            let finals = poll.automaton.finals(poll.automaton.node(node)).first();
            let own = finals.and_then(|&combo| poll.automaton.combo(combo).own);
            own.is_some_and(|set| last_in[set.index()].serial == serial)
        };
        self.timers.retain(|timer| timer.what != Due::Quiet || !is_broken(timer.node));
    }

    /// Runs what is due up to a moment, in order.
    ///
    /// Of timers that are over at one moment that of the earlier press comes first, then that of the
    /// attempt that began last, and then that of the lower node. A timer may start another one, which
    /// is run as well if it is over.
    #[inline]
    pub(super) fn run_timers(&mut self, poll: &ComboPoll, until: Moment) {
        if !self.timers.is_empty() {
            self.run_due(poll, until);
        }
    }

    /// The same, where there are any.
    fn run_due(&mut self, poll: &ComboPoll, until: Moment) {
        loop {
            let due = self.timers.iter().enumerate();
            let due = due.filter(|(_, timer)| timer.is_over(until, poll.rate));
            let first = due.min_by_key(|(_, Timer { due, arrival, node, .. })| {
                (*due, arrival.serial, Reverse(arrival.first()), *node)
            });
            let Some((n, _)) = first else { return };
            let Timer { due, node, what, mut arrival, .. } = self.timers.swap_remove(n);
            let bound = poll.automaton.node(node);
            // What comes after an early press is asked of the step after it.
            let is_broken = what != Due::Opens && self.is_broken(bound, arrival.last(), None);
            if arrival.first() <= self.floor || is_broken {
                continue;
            }
            arrival.at = due;
            self.arrive(poll, node, &arrival);
        }
    }
}

/// Where the arrivals of a node lie.
fn node_ring(automaton: &Automaton, node: NodeId) -> core::ops::Range<usize> {
    let &Node { ring, kept, .. } = automaton.node(node);
    ring as usize..ring as usize + usize::from(kept)
}
