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

mod reach;
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
