//! Running the automaton: what happened before, and what follows from it.
//!
//! An edge is looked up at the nodes something may still come of, and at the root.
//! The nodes that it leads to are collected before any of them is entered, so that
//! no press counts for two steps. A node keeps the latest moments at which it was
//! reached ([`KEPT_MOMENTS`] where more than the last one matters), each with the
//! attempt that began last of those that lead there.
//!
//! Times are those of the clock of the combo that asks ([`ComboClock`]): an edge, a
//! hold, a quiet, an early press and a window of one combo are measured alike.

mod timers;
mod waiting;

use crate::base::{ComboId, ControlId, Moment, Nanos, PollRate, SignalId, SparseSet, Tick};
use crate::combo::{
    Automaton, BoundCombo, ComboNews, ComboOutcome, ComboState, CopyId, Edge, HandPress, Node,
    NodeId, Presses, SignalChange, SignalEdge, Trigger,
};
use crate::spec::{ComboClock, StepKind, TimeSpan};
use alloc::vec::Vec;

/// Of the moments at which a step was met, so many are remembered.
pub const KEPT_MOMENTS: usize = 8;

/// Of the attempts at combos that wait for others, so many are remembered for each
/// such combo.
const KEPT_WAITING: usize = 8;

/// So many attempts at combos that others wait for are remembered after they were
/// met, to know which presses were part of them.
const KEPT_MET: usize = 32;

/// A moment at which a step was met.
#[derive(Clone, Copy, Debug, Default)]
struct Arrival {
    at: Moment,
    /// Its press, as a count over all edges; 0 for none.
    serial: u32,
    /// Every edge that the attempt took so far.
    presses: Presses,
    began: Moment,
    by: Option<ControlId>,
    /// When its press was reported, by the clock of the combos.
    pressed: Nanos,
}

impl Arrival {
    /// What an edge makes of a step that asks nothing, by the clock of reports.
    const fn of(edge: &SignalEdge, serial: u32) -> Arrival {
        let (at, presses) = (edge.moment(), Presses::one(serial));
        Arrival { at, serial, presses, began: at, by: edge.by, pressed: edge.time }
    }

    /// Its last press, as a count over all edges and as one of a hand.
    const fn last(&self) -> (u32, HandPress) {
        (self.serial, HandPress { by: self.by, time: self.pressed })
    }

    /// The first press of the attempt, as a count over all edges.
    const fn first(&self) -> u32 {
        self.presses.first()
    }

    /// The same as the next step of an attempt.
    fn after(self, before: &Arrival) -> Arrival {
        let presses = before.presses.and(self.presses);
        Arrival { presses, began: before.began, ..self }
    }
}

/// A signal as the combos know it.
#[derive(Clone, Copy, Debug, Default)]
struct SignalState {
    is_on: bool,
    /// When it went on, and as which press; 0 where that does not count.
    since: Moment,
    serial: u32,
    /// The press that its last release ended.
    lifted: u32,
}

/// The last press of a set, and the one before it that was another press of a
/// hand: one may turn several signals on.
#[derive(Clone, Copy, Debug, Default)]
struct LastPress {
    /// As a count over all edges; 0 for none.
    serial: u32,
    at: Moment,
    hand: HandPress,
    before: (u32, HandPress),
}

impl LastPress {
    fn note(&mut self, serial: u32, edge: &SignalEdge) {
        let hand = edge.hand();
        let before = if self.hand.is(hand) { self.before } else { (self.serial, self.hand) };
        *self = LastPress { serial, at: edge.moment(), hand, before };
    }

    /// Whether there was one since a press that is neither that one nor this one.
    fn is_strange(&self, since: (u32, HandPress), now: Option<HandPress>) -> bool {
        let is_strange = |(serial, hand): (u32, HandPress)| {
            serial > since.0 && !hand.is(since.1) && now.is_none_or(|now| !hand.is(now))
        };
        is_strange((self.serial, self.hand)) || is_strange(self.before)
    }
}

/// A node that was reached: what of it decides whether an edge matters, side by
/// side for all of them.
#[derive(Clone, Copy, Debug)]
struct Active {
    /// The bits of the triggers that lead on from it.
    wants: u64,
    /// After this nothing comes of it.
    until: Nanos,
    node: NodeId,
}

impl Edge {
    /// The window of a bare step; whether a change that no hand made counts is asked of each
    /// node.
    fn bare_for(&self, edge: &SignalEdge) -> Option<TimeSpan> {
        self.bare.filter(|_| edge.change != SignalChange::Forced)
    }
}

/// Something that happens by itself.
#[derive(Clone, Copy, Debug)]
struct Timer {
    span: TimeSpan,
    clock: ComboClock,
    due: Moment,
    node: NodeId,
    what: Due,
    arrival: Arrival,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Due {
    /// A signal has been on for so long.
    Held(SignalId),
    /// Nothing came for so long.
    Quiet,
    /// A press that came early counts now.
    Opens,
}

/// An attempt whose steps were all met, and which waits for other combos.
#[derive(Clone, Copy, Debug)]
struct Waiting {
    copy: CopyId,
    arrival: Arrival,
    known: Tick,
}

/// An attempt that was met at a combo that others wait for.
#[derive(Clone, Copy, Debug)]
struct Met {
    copy: CopyId,
    presses: Presses,
}

/// The mutable half of all combos.
#[derive(Clone, Debug, Default)]
pub(crate) struct ComboEngine {
    held: Vec<SignalState>,
    /// The latest arrivals of each node; `heads` says which is the newest.
    rings: Vec<Arrival>,
    heads: Vec<u8>,
    /// Nodes something may still come of.
    active: Vec<Active>,
    /// For each node one more than its place among the active ones; 0 for none.
    place: Vec<u32>,
    timers: Vec<Timer>,
    waiting: Vec<Waiting>,
    /// The latest attempts that were met at combos that others wait for.
    met: Vec<Met>,
    /// For each copy the last press of the attempt that was met last.
    spent: Vec<u32>,
    /// For each set its last press.
    last_in: Vec<LastPress>,
    serial: u32,
    /// Nothing up to this press counts any more.
    floor: u32,
    states: Vec<ComboState>,
    changed: SparseSet<ComboId>,
    /// The copies that fired in this tick, and those that last.
    pulsed: Vec<CopyId>,
    lasting: Vec<CopyId>,
    news: Vec<ComboNews>,
    /// When a timer is over, as far as there are any.
    wake: Option<Nanos>,
    /// The nodes that an edge may lead on from.
    due: Vec<NodeId>,
    /// The nodes that an edge leads to, each with the place of its arrival among `arrivals`:
    /// many have the same.
    reached: Vec<(NodeId, u32)>,
    arrivals: Vec<Arrival>,
}

/// What a tick is run by.
#[derive(Clone, Copy)]
pub(crate) struct ComboPoll<'a> {
    pub(crate) automaton: &'a Automaton,
    pub(crate) rate: PollRate,
    /// By the clock of the combos.
    pub(crate) now: Moment,
    pub(crate) tick: Tick,
}

/// Whether the clock of the combos goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum ClockState {
    Running,
    Frozen,
}

impl ComboEngine {
    pub(crate) fn fit(&mut self, automaton: &Automaton, signals: usize) {
        let (nodes, copies) = (automaton.nodes.len(), automaton.combos.len());
        let combos = automaton.combo_count();
        self.held.resize(signals, SignalState::default());
        self.rings.resize(automaton.ring_count, Arrival::default());
        self.heads.resize(nodes, 0);
        self.place.resize(nodes, 0);
        self.spent.resize(copies, 0);
        self.last_in.resize(automaton.set_count, LastPress::default());
        self.states.resize(combos, ComboState::default());
        self.changed.grow(combos);
        // None of these has an entry of a kind twice. A clone brings no room along.
        make_room(&mut self.active, nodes);
        make_room(&mut self.due, nodes);
        make_room(&mut self.reached, nodes);
        make_room(&mut self.arrivals, nodes + 1);
        make_room(&mut self.timers, automaton.timer_count);
        for list in [&mut self.pulsed, &mut self.lasting] {
            make_room(list, copies);
        }
        let waiting = KEPT_WAITING * automaton.waiting_count;
        make_room(&mut self.waiting, waiting);
        make_room(&mut self.met, if waiting > 0 { KEPT_MET } else { 0 });
        make_room(&mut self.news, 2 * copies + waiting);
    }

    /// A combo at the last tick.
    pub(crate) fn state(&self, combo: ComboId) -> ComboState {
        self.states.get(combo.index()).copied().unwrap_or_default()
    }

    /// The combos whose state changed in the last tick.
    pub(crate) fn changed(&self) -> &[ComboId] {
        self.changed.as_slice()
    }

    /// What the last tick found out.
    pub(crate) fn news(&self) -> &[ComboNews] {
        &self.news
    }

    /// Whether a tick without edges would change nothing before
    /// [`wakes`](ComboEngine::wakes).
    pub(crate) fn is_settled(&self) -> bool {
        self.pulsed.is_empty()
            && self.waiting.is_empty()
            && self.changed.is_empty()
            && self.news.is_empty()
    }

    /// When something happens by itself, by the clock of the combos.
    pub(crate) fn wakes(&self) -> Option<Nanos> {
        self.wake
    }

    /// Forgets all that was begun, and says so of what waited.
    fn clear(&mut self, poll: ComboPoll) {
        self.floor = self.serial;
        self.timers.clear();
        while let Some(waiting) = self.waiting.pop() {
            self.tell(poll, &waiting, ComboOutcome::Forgotten);
        }
        for active in self.active.drain(..) {
            self.place[active.node as usize] = 0;
        }
        for held in &mut self.held {
            held.serial = 0;
        }
    }

    /// Takes in the edges of a tick, in order. While the clock stands still edges
    /// move signals but count for nothing.
    pub(crate) fn tick(&mut self, poll: ComboPoll, edges: &[SignalEdge], clock: ClockState) {
        let ComboPoll { automaton, rate, now, .. } = poll;
        let is_frozen = clock == ClockState::Frozen;
        self.changed.clear();
        self.news.clear();
        for n in 0..self.pulsed.len() {
            let combo = automaton.combo(self.pulsed[n]).combo;
            self.states[combo.index()].fired = false;
            self.note(combo);
        }
        self.pulsed.clear();
        self.end_lasting(automaton);
        for edge in edges {
            if edge.change == SignalChange::Clear {
                self.clear(poll);
            } else if is_frozen {
                self.hold(edge, 0);
            } else {
                self.run_timers(poll, edge.moment());
                self.edge(poll, edge);
            }
        }
        if !is_frozen {
            self.run_timers(poll, now);
            self.settle(poll);
        }
        self.end_lasting(automaton);
        self.wake = self.next_timer(rate);
    }

    fn note(&mut self, combo: ComboId) {
        self.changed.insert(combo);
    }

    /// Moves a signal.
    fn hold(&mut self, edge: &SignalEdge, serial: u32) {
        if let Some(signal) = edge.signal {
            let held = &mut self.held[signal.index()];
            let lifted = if edge.is_on() { held.lifted } else { held.serial };
            *held = SignalState { is_on: edge.is_on(), since: edge.moment(), serial, lifted };
        }
    }

    /// What lasts ends when no signal of the last step is on any more.
    fn end_lasting(&mut self, automaton: &Automaton) {
        let mut at = 0;
        while let Some(&copy) = self.lasting.get(at) {
            let BoundCombo { last, combo, .. } = automaton.combo(copy);
            if last.iter().all(|signal| self.held[signal.index()].is_on) {
                at += 1;
                continue;
            }
            self.lasting.swap_remove(at);
            let its = |other: &CopyId| automaton.combo(*other).combo == *combo;
            self.states[combo.index()].lasts = self.lasting.iter().any(its);
            self.note(*combo);
        }
    }

    fn edge(&mut self, poll: ComboPoll, edge: &SignalEdge) {
        self.serial += 1;
        let serial = self.serial;
        self.hold(edge, if edge.is_press() { serial } else { 0 });
        if let Some(signal) = edge.signal {
            if !edge.is_on() {
                self.timers.retain(|timer| timer.what != Due::Held(signal));
            }
            if edge.change != SignalChange::Carried {
                self.reach(poll, edge, Trigger::new(signal, edge.is_press()));
            }
        }
        // What a press breaks is broken for the steps after it.
        if edge.is_press() {
            for set in poll.automaton.sets_of(edge.signal) {
                self.last_in[set.index()].note(serial, edge);
            }
            self.break_quiet(poll);
        }
        let first = self.news.len();
        let mut reached = core::mem::take(&mut self.reached);
        let arrivals = core::mem::take(&mut self.arrivals);
        for (node, at) in reached.drain(..) {
            self.enter(poll, node, &arrivals[at as usize], edge);
        }
        (self.reached, self.arrivals) = (reached, arrivals);
        // In the order of the rig, and not of what happened to be watched first.
        self.news[first..].sort_unstable_by_key(|news| (news.combo, news.copy));
    }

    /// Collects the nodes that an edge leads to, before any of them is entered:
    /// so no press is counted for two steps.
    fn reach(&mut self, poll: ComboPoll, edge: &SignalEdge, trigger: Trigger) {
        self.arrivals.clear();
        self.arrivals.push(Arrival::of(edge, self.serial));
        self.begin(poll, edge, trigger);
        let (bit, mut over) = (trigger.bit(), 0);
        let mut due = core::mem::take(&mut self.due);
        for active in &self.active {
            if active.until < edge.time {
                over += 1;
            } else if active.wants & bit != 0 {
                due.push(active.node);
            }
        }
        for node in due.drain(..) {
            self.go_on(poll, node, edge, trigger);
        }
        self.due = due;
        // Rarely, for it looks at all of them; what is over does no harm.
        if over > self.active.len() / 2 {
            self.put_to_rest(edge.time);
        }
    }

    /// Takes out the nodes of which nothing comes at a time or after it.
    fn put_to_rest(&mut self, time: Nanos) {
        let place = &mut self.place;
        let mut kept = 0;
        self.active.retain(|active| {
            let is_over = active.until < time;
            kept += u32::from(!is_over);
            place[active.node as usize] = if is_over { 0 } else { kept };
            !is_over
        });
    }

    /// Collects the first steps that an edge meets.
    fn begin(&mut self, poll: ComboPoll, edge: &SignalEdge, trigger: Trigger) {
        for of in poll.automaton.leads(0, trigger) {
            if of.bare_for(edge).is_some() {
                self.reached.push((of.node, 0));
                continue;
            }
            let node = &poll.automaton.nodes[of.node as usize];
            let guard = poll.automaton.rest(of.node).guard;
            let is_faced = guard.is_none_or(|(by, on)| self.held[by.index()].is_on == on);
            if is_faced && let Some(own) = self.own(poll, (of.node, node), edge) {
                self.lead_to(of.node, own);
            }
        }
    }

    /// Collects the steps after a node that an edge meets.
    fn go_on(&mut self, poll: ComboPoll, parent: NodeId, edge: &SignalEdge, trigger: Trigger) {
        let automaton = poll.automaton;
        let from = *self.newest(automaton, parent);
        let is_open = self.is_open(&from, edge);
        // Where the arrival after it lies, which all bare steps have.
        let mut after = None;
        for of in automaton.leads(parent, trigger) {
            if let Some(within) = of.bare_for(edge) {
                if is_open && within.between(from.at, edge.moment()) <= within.amount() {
                    let at = *after.get_or_insert(self.arrivals.len() as u32);
                    if at as usize == self.arrivals.len() {
                        self.arrivals.push(self.arrivals[0].after(&from));
                    }
                    self.reached.push((of.node, at));
                }
                continue;
            }
            if let Some(arrival) = self.follow(poll, parent, of.node, edge) {
                self.lead_to(of.node, arrival);
            }
            if !automaton.nodes[of.node as usize].is_plain {
                self.wait_to_open(poll, parent, of.node, edge);
            }
        }
    }

    fn lead_to(&mut self, node: NodeId, arrival: Arrival) {
        self.reached.push((node, self.arrivals.len() as u32));
        self.arrivals.push(arrival);
    }

    /// Has a node watched for what may come of an arrival at it.
    fn watch(&mut self, node: NodeId, &Node { wants, live, .. }: &Node, at: Moment) {
        let until = Nanos(at.time.0.saturating_add(live));
        match (self.place[node as usize] as usize).checked_sub(1) {
            Some(place) => self.active[place].until = until,
            None => {
                self.active.push(Active { wants, until, node });
                self.place[node as usize] = self.active.len() as u32;
            }
        }
    }

    /// What an edge alone makes of a node: its own moment, if what it asks of
    /// itself is met. A hold begins.
    fn own(
        &self,
        poll: ComboPoll,
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
    fn follow(
        &self,
        poll: ComboPoll,
        parent: NodeId,
        child: NodeId,
        edge: &SignalEdge,
    ) -> Option<Arrival> {
        let node = &poll.automaton.nodes[child as usize];
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
    fn is_met(&self, node: &Node, from: &Arrival, own: &Arrival, edge: &SignalEdge) -> bool {
        let opens = node.opens;
        let lifted = || edge.signal.map_or(0, |signal| self.held[signal.index()].lifted);
        from.first() > self.floor
            && from.serial < own.first()
            && opens.between(from.at, own.at) >= opens.amount().max(0)
            && node.within.between(from.at, own.at) <= node.within.amount()
            && (!node.is_lift || from.serial == lifted())
            && !self.is_broken(node, from.last(), Some(edge.hand()))
    }

    /// Whether something else has been pressed since a press, and before the one that
    /// comes now, that a step does not bear.
    fn is_broken(&self, node: &Node, since: (u32, HandPress), now: Option<HandPress>) -> bool {
        let mut sets = node.broken_by.iter().flatten();
        sets.any(|set| self.last_in[set.index()].is_strange(since, now))
    }

    /// The arrivals of a node that are remembered.
    fn arrivals(&self, automaton: &Automaton, node: NodeId) -> impl Iterator<Item = &Arrival> {
        let Node { ring, kept, .. } = automaton.nodes[node as usize];
        let ring = &self.rings[ring as usize..ring as usize + usize::from(kept)];
        ring.iter().filter(|arrival| arrival.serial != 0)
    }

    fn newest(&self, automaton: &Automaton, node: NodeId) -> &Arrival {
        let ring = automaton.nodes[node as usize].ring;
        &self.rings[ring as usize + usize::from(self.heads[node as usize])]
    }

    /// A node was reached by an edge.
    fn enter(&mut self, poll: ComboPoll, node: NodeId, arrival: &Arrival, edge: &SignalEdge) {
        if !poll.automaton.nodes[node as usize].is_plain
            && let StepKind::Hold(_, span) = poll.automaton.rest(node).what
            && let Some(signal) = edge.signal
        {
            let due = span.over(arrival.at, poll.rate);
            self.start(poll, Timer::new(poll, node, Due::Held(signal), span, due, *arrival));
            return;
        }
        self.arrive(poll, node, arrival);
    }

    /// A step was met.
    #[inline]
    fn arrive(&mut self, poll: ComboPoll, node: NodeId, arrival: &Arrival) {
        let of = &poll.automaton.nodes[node as usize];
        // Nobody looks back at a step that none follows.
        if of.wants != 0 {
            let head = &mut self.heads[node as usize];
            *head = if *head + 1 == of.kept { 0 } else { *head + 1 };
            self.rings[of.ring as usize + usize::from(*head)] = *arrival;
            self.watch(node, of, arrival.at);
        }
        if of.has_quiet {
            self.begin_quiets(poll, node, arrival);
        }
        if !of.finals.is_empty() {
            self.conclude(poll, node, arrival);
        }
    }

    fn begin_quiets(&mut self, poll: ComboPoll, node: NodeId, arrival: &Arrival) {
        for quiet in poll.automaton.quiets(node) {
            if let StepKind::Quiet(span) = poll.automaton.rest(quiet.node).what {
                let due = span.over(arrival.at, poll.rate);
                self.start(poll, Timer::new(poll, quiet.node, Due::Quiet, span, due, *arrival));
            }
        }
    }

    /// The last step of some combos was met.
    fn conclude(&mut self, poll: ComboPoll, node: NodeId, arrival: &Arrival) {
        for &copy in poll.automaton.finals(node) {
            let bound = poll.automaton.combo(copy);
            let is_over =
                bound.all.is_some_and(|all| all.between(arrival.began, arrival.at) > all.amount());
            let is_spent = !bound.again && arrival.first() <= self.spent[copy.index()];
            if !is_over && !is_spent {
                self.spent[copy.index()] = arrival.serial;
                self.meet(poll, copy, arrival);
            }
        }
    }

    /// The copies of combos that took their buttons in this tick.
    pub(crate) fn taking<'a>(
        &'a self,
        automaton: &'a Automaton,
    ) -> impl Iterator<Item = &'a BoundCombo> + 'a {
        let fired = self.pulsed.iter().map(|&copy| automaton.combo(copy));
        fired.filter(|bound| bound.takes)
    }

    /// How many steps of a combo are met, for people.
    pub(crate) fn progress(&self, automaton: &Automaton, combo: ComboId, now: Moment) -> usize {
        let met = |copy| self.progress_of(automaton, copy, now);
        automaton.copies(combo).map(met).max().unwrap_or(0)
    }

    fn progress_of(&self, automaton: &Automaton, copy: CopyId, now: Moment) -> usize {
        let path = automaton.path(copy);
        let steps = path.iter().position(|&node| automaton.finals(node).contains(&copy));
        let steps = steps.map_or(path.len(), |last| last + 1);
        let is_open = |(n, node): &(usize, &NodeId)| {
            let newest = self.newest(automaton, **node);
            let next = path.get(n + 1).filter(|_| (n + 1) % steps != 0);
            next.is_some_and(|&next| {
                let node = &automaton.nodes[next as usize];
                newest.first() > self.floor
                    && newest.first() > self.spent[copy.index()]
                    && node.within.between(newest.at, now) <= node.within.amount()
                    && !self.is_broken(node, newest.last(), None)
            })
        };
        path.iter().enumerate().filter(is_open).map(|(n, _)| n % steps + 1).max().unwrap_or(0)
    }
}

/// Room for so many entries in all.
fn make_room<T>(list: &mut Vec<T>, count: usize) {
    list.reserve(count.saturating_sub(list.len()));
}
