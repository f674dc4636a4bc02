//! Which steps an edge meets: the nodes that it leads to.
//!
//! Of most steps nothing is asked but that they come within their window ([`BareStep`]): what
//! they make of an arrival is made once for all of them. What is asked of the others is looked
//! at one by one.
//!
//! ```text
//!  edge ──▶ at the root: does it begin any combo?
//!       ──▶ at each node that is active and wants its trigger: may it follow?
//!               ├─ bare steps: one comparison each, one arrival for all
//!               ├─ others: limits, guards, chords, what broke them
//!               └─ too early, but buffered: a timer
//! ```

use super::*;
use crate::combo::{BareStep, Steps};

/// How long it is from one moment to another, by both measures.
struct Passed {
    /// In nanoseconds.
    time: i64,
    /// In ticks.
    ticks: i64,
}

impl Passed {
    /// From one moment to another.
    fn between(from: Moment, to: Moment) -> Self {
        let (time, ticks) = (TimeSpan::Time(0), TimeSpan::Ticks(0));
        Passed { time: time.between(from, to), ticks: ticks.between(from, to) }
    }

    /// Whether it is no longer than a span.
    fn is_within(&self, span: TimeSpan) -> bool {
        match span {
            TimeSpan::Time(_) => self.time <= span.amount(),
            TimeSpan::Ticks(_) => self.ticks <= span.amount(),
        }
    }
}

impl ComboEngine {
    /// Collects the nodes that an edge leads to, before any of them is entered:
    /// so no press is counted for two steps.
    ///
    /// The cost follows the nodes that are active, which two comparisons pass over, and the steps
    /// that listen to this trigger there.
    pub(super) fn reach(&mut self, poll: &ComboPoll, edge: &SignalEdge, key: Key) {
        self.arrivals.clear();
        self.arrivals.push(Arrival::of(edge, self.serial));
        self.begin(poll, edge, key);
        let (bit, mut over) = (key.bit(), 0);
        self.due.clear();
        self.due.sift(self.active.iter().map(|active| {
            let is_over = active.until < edge.time;
            over += usize::from(is_over);
            (!is_over & (active.wants & bit != 0), active.node)
        }));
        for n in 0..self.due.len() {
            self.go_on(poll, self.due.as_slice()[n], edge, key);
        }
        // Rarely, for it looks at all of them; what is over does no harm.
        if over > self.active.len() / 2 {
            self.put_to_rest(edge.time);
        }
    }

    /// Takes out the nodes of which nothing comes at a time or after it.
    ///
    /// Those that stay keep their order.
    fn put_to_rest(&mut self, time: Nanos) {
        // As slices, whose places are known to stay where they are.
        let (active, place) = (self.active.as_mut_slice(), self.place.as_mut_slice());
        let mut kept = 0;
        for at in 0..active.len() {
            let this = active[at];
            if this.until < time {
                place[this.node as usize] = 0;
            } else {
                active[kept] = this;
                kept += 1;
                place[this.node as usize] = kept as u32;
            }
        }
        self.active.truncate(kept);
    }

    /// Collects the first steps that an edge meets.
    ///
    /// A first step has no window. Its guard (which way the combo faces) is asked when the edge
    /// has moved its own signal.
    fn begin(&mut self, poll: &ComboPoll, edge: &SignalEdge, key: Key) {
        let Steps { bare, others } = poll.automaton.firsts(key);
        // Of a change that no hand made each step is asked whether it counts.
        if edge.change == SignalChange::Forced {
            bare.iter().for_each(|step| self.begin_one(poll, step.node, edge));
        } else {
            self.reached.sift(bare.iter().map(|step| (true, (step.node, 0))));
        }
        others.iter().for_each(|&node| self.begin_one(poll, node, edge));
    }

    /// Collects a first step, if an edge meets it.
    fn begin_one(&mut self, poll: &ComboPoll, id: NodeId, edge: &SignalEdge) {
        let guard = poll.automaton.rest(id).guard;
        let is_faced = guard.is_none_or(|(by, on)| self.held[by.index()].is_on == on);
        if is_faced && let Some(own) = self.own(poll, (id, poll.automaton.node(id)), edge) {
            self.lead_to(id, own);
        }
    }

    /// Collects the steps after a node that an edge meets.
    fn go_on(&mut self, poll: &ComboPoll, parent: NodeId, edge: &SignalEdge, key: Key) {
        let automaton = poll.automaton;
        let Steps { bare, others } = automaton.leads(automaton.node(parent), key);
        if edge.change == SignalChange::Forced {
            bare.iter().for_each(|step| self.go_on_to(poll, parent, step.node, edge));
        } else if !bare.is_empty() {
            self.go_on_bare(automaton, parent, edge, bare);
        }
        others.iter().for_each(|&node| self.go_on_to(poll, parent, node, edge));
    }

    /// Collects a step after a node, if an edge meets it now or comes early for it.
    fn go_on_to(&mut self, poll: &ComboPoll, parent: NodeId, node: NodeId, edge: &SignalEdge) {
        if let Some(arrival) = self.follow(poll, parent, node, edge) {
            self.lead_to(node, arrival);
        }
        if !poll.automaton.node(node).is_plain {
            self.wait_to_open(poll, parent, node, edge);
        }
    }

    /// Collects the bare ones of them. Their arrival is one and the same.
    fn go_on_bare(
        &mut self,
        automaton: &Automaton,
        parent: NodeId,
        edge: &SignalEdge,
        steps: &[BareStep],
    ) {
        let from = self.newest(automaton, parent);
        if !self.is_open(from, edge) {
            return;
        }
        let passed = Passed::between(from.at, edge.moment());
        let arrival = self.arrivals[0].next_of(from);
        let (at, count) = (self.arrivals.len() as u32, self.reached.len());
        self.reached
            .sift(steps.iter().map(|step| (passed.is_within(step.within), (step.node, at))));
        if self.reached.len() > count {
            self.arrivals.push(arrival);
        }
    }

    /// An edge leads to a node, with an arrival of its own.
    fn lead_to(&mut self, node: NodeId, arrival: Arrival) {
        self.reached.add((node, self.arrivals.len() as u32));
        self.arrivals.push(arrival);
    }

    /// What an edge alone makes of a node: its own moment, if what it asks of
    /// itself is met. A hold begins.
    pub(super) fn own(
        &self,
        poll: &ComboPoll,
        (id, node): (NodeId, &Node),
        edge: &SignalEdge,
    ) -> Option<Arrival> {
        let is_deaf = edge.change == SignalChange::Forced && !node.counts_forced;
        if is_deaf || !node.modes.has(edge.mode) {
            return None;
        }
        let moment = |moment| node.clock.moment(moment, poll.rate);
        let at = moment(edge.moment());
        let mut arrival = Arrival { at, began: at, ..Arrival::of(edge, self.serial) };
        if node.is_plain {
            return Some(arrival);
        }
        let rest = poll.automaton.rest(id);
        if let Some((set, span)) = rest.calm {
            let last = self.last_in[set.index()];
            let is_calm =
                last.serial <= self.floor || span.between(moment(last.at), at) >= span.amount();
            if !is_calm {
                return None;
            }
        }
        if let StepKind::Together { of, spread, in_order } = &rest.what {
            let mut before = 0;
            for signal in of {
                let held = &self.held[signal.index()];
                let is_late = *in_order && held.serial < before;
                if !held.is_on || held.serial <= self.floor || is_late {
                    return None;
                }
                before = held.serial;
                if held.serial < arrival.first() {
                    arrival.began = moment(held.since);
                }
                arrival.presses = arrival.presses.and(Presses::one(held.serial));
            }
            if spread.between(arrival.began, at) > spread.amount() {
                return None;
            }
        }
        Some(arrival)
    }

    /// Where an edge leads from a node to one after it, with the attempt that began
    /// last. A step that may come early is met only by those attempts for which it
    /// does not; see [`ComboEngine::wait_to_open`].
    ///
    /// Of several arrivals that keep all limits the one whose attempt began last: it has the
    /// longest to go on, and no press of it is spent that is not spent for the others.
    fn follow(
        &self,
        poll: &ComboPoll,
        parent: NodeId,
        child: NodeId,
        edge: &SignalEdge,
    ) -> Option<Arrival> {
        let node = poll.automaton.node(child);
        let own = self.own(poll, (child, node), edge)?;
        let after = match node.is_plain {
            true => node.opens,
            false => poll.automaton.rest(child).after,
        };
        let before = self
            .arrivals(poll.automaton, parent)
            .filter(|from| after.between(from.at, own.at) >= after.amount())
            .filter(|from| self.is_met(node, from, &own, edge))
            .max_by_key(|from| from.first())?;
        Some(own.after(before))
    }

    /// Whether an edge may follow an arrival, by a bare step.
    fn is_open(&self, from: &Arrival, edge: &SignalEdge) -> bool {
        from.serial != 0
            && from.serial < self.serial
            && from.first() > self.floor
            && from.at.time <= edge.time
    }

    /// Whether a step that is met by itself keeps its limits after the one
    /// before it.
    ///
    /// Asked of the earlier attempt: that no mode made it forgotten, that its press is another one,
    /// that the time between the two fits, that a release ends its very press, and that nothing
    /// strange came between.
    pub(super) fn is_met(
        &self,
        node: &Node,
        from: &Arrival,
        own: &Arrival,
        edge: &SignalEdge,
    ) -> bool {
        let opens = node.opens;
        let lifted = || edge.signal.map_or(0, |signal| self.held[signal.index()].lifted);
        from.first() > self.floor
            && from.serial < own.first()
            && opens.between(from.at, own.at) >= opens.amount().max(0)
            && node.within.between(from.at, own.at) <= node.within.amount()
            && (!node.is_lift || from.serial == lifted())
            && !self.is_broken(node, from.last(), Some(edge.hand()))
    }
}
