//! Running the automaton: what happened before, and what follows from it.
//!
//! An edge of a signal is handled in this order:
//!
//! - Timers that are over before it are run ([`timers`]): holds that are long enough, quiets that
//!   lasted, early presses whose time has come.
//! - It is looked up at the nodes something may still come of, and at the root ([`reach`]). The
//!   nodes that it leads to are collected before any of them is entered, so that no press counts
//!   for two steps of one combo.
//! - What it breaks is noted: strict combos and `unless` look back at the last press of a set.
//! - The nodes are entered. Each remembers the moment, an *arrival*, together with the attempt
//!   that began last of those that lead there. At a last step the copies that end there are met.
//!
//! After all edges of a tick, attempts that wait for other combos are decided ([`waiting`]).
//!
//! A node keeps its latest arrival, or the latest [`KEPT_MOMENTS`] where more than the last one
//! matters. Keeping the attempt that began last is enough: whatever an earlier one could still
//! come to, so can a later one, and within its windows.
//!
//! Presses are counted over all edges, from 1: the *serial* of a press. Comparing serials tells
//! which press came first even where two have the same time, and whether an attempt has a press
//! that is spent, forgotten, or part of another attempt.
//!
//! Times are those of the clock of the combo that asks ([`ComboClock`]): an edge, a hold, a
//! quiet, an early press and a window of one combo are measured alike. Nothing is allocated after
//! [`ComboEngine::fit`].
//!
//! An example: *down, then right within 200 ms, then south within 200 ms*.
//!
//! ```text
//!  press      down     down            right         south
//!  at           0       90              250           400 ms
//!  node 1    arrival  arrival
//!            (began 0) (began 90)
//!  node 2                              arrival, from the one at 90
//!  node 3                                            arrival: fires; began at 90
//! ```
//!
//! The press at 0 is too early for `right` at 250, the one at 90 is not. Both are kept only where
//! [`Node::kept`] says that more than the last may matter; here the last is enough.

mod memory;
mod reach;
mod timers;
mod waiting;

use crate::base::{ComboId, Moment, Nanos, PollRate, Sifted, SignalId, SparseSet, Tick};
use crate::combo::{
    Automaton, BoundCombo, ComboNews, ComboOutcome, ComboState, CopyId, HandPress, Key, Node,
    NodeId, Presses, SignalChange, SignalEdge, SignalState,
};
use crate::spec::{ComboClock, StepKind, TimeSpan};
use alloc::vec::Vec;
use core::cmp::Reverse;
use memory::{Active, Arrival, Due, LastPress, Met, Timer, Waiting};

/// Of the moments at which a step was met, so many are remembered where more than the latest one
/// matters. Part of the format of rigs: with more presses than this inside one window, the oldest
/// are forgotten.
pub const KEPT_MOMENTS: usize = 8;

/// Of the attempts that wait for other combos, so many are remembered for each combo that waits.
/// One more, and the oldest is forgotten, and told so.
const KEPT_WAITING: usize = 8;

/// So many attempts are remembered, after they were met, of combos that others wait for: by these
/// it is known which presses were part of them.
const KEPT_MET: usize = 32;

/// What changes while combos run. All of it is copied with a machine, so that any tick can be run
/// again from a checkpoint.
///
/// Lists by node, copy, set and signal are as long as the automaton says; all others have room
/// for as many entries as they can ever have.
#[derive(Clone, Debug, Default)]
pub(crate) struct ComboEngine {
    /// Every signal.
    held: Vec<SignalState>,
    /// The latest arrivals of each node, where [`Node::ring`] says; with which of them is the
    /// newest in `heads`.
    rings: Vec<Arrival>,
    /// For each node which of its arrivals is the newest.
    heads: Vec<u8>,
    /// Nodes something may still come of.
    active: Vec<Active>,
    /// For each node one more than its place among the active ones; 0 for none.
    place: Vec<u32>,
    /// What happens by itself, in no order.
    timers: Vec<Timer>,
    /// The attempts that wait, oldest first.
    waiting: Vec<Waiting>,
    /// The latest attempts that were met at combos that others wait for.
    met: Vec<Met>,
    /// For each copy the serial of the last press of the attempt that was met last: no press up
    /// to it counts again.
    spent: Vec<u32>,
    /// For each copy the moment at which it was met last, if any may use a press again.
    met_at: Vec<Moment>,
    /// For each set of signals its last press.
    last_in: Vec<LastPress>,
    /// The serial of the newest edge: how many there were so far.
    serial: u32,
    /// Nothing up to the press of this serial counts any more: a mode came that forgets what was
    /// begun.
    floor: u32,
    /// Each combo, as it was after the last tick.
    states: Vec<ComboState>,
    /// The combos whose state changed in this tick.
    changed: SparseSet<ComboId>,
    /// The copies that fired in this tick.
    pulsed: Vec<CopyId>,
    /// The copies that are on for longer than one tick, each with the place of what it lasts by
    /// in [`BoundCombo::lasts_by`].
    lasting: Vec<(CopyId, u16)>,
    /// What this tick found out of attempts, in the order of the edges, and for one edge of the
    /// rig.
    news: Vec<ComboNews>,
    /// When a timer is over, as far as there are any.
    wake: Option<Nanos>,
    /// The nodes that an edge may lead on from.
    due: Sifted<NodeId>,
    /// The nodes that an edge leads to, each with the place of its arrival among `arrivals`:
    /// many have the same.
    reached: Sifted<(NodeId, u32)>,
    /// The arrivals that an edge makes; the first is that of a bare first step.
    arrivals: Vec<Arrival>,
}

/// What a tick is run by: the same for all edges of it.
///
/// All times are by the clock of the combos.
#[derive(Clone, Copy)]
pub(crate) struct ComboPoll<'a> {
    /// The combos of the rig.
    pub(crate) automaton: &'a Automaton,
    /// The rate of the loop, for windows in ticks.
    pub(crate) rate: PollRate,
    /// The instant of the tick by the clock of the combos, which stands still in some modes.
    pub(crate) now: Moment,
    /// The tick itself.
    pub(crate) tick: Tick,
}

/// Whether the clock of the combos goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum ClockState {
    /// It goes on with the ticks.
    Running,
    /// It stands still: the mode on top keeps what was begun for later.
    Frozen,
}

impl ComboEngine {
    /// Makes room for the combos and signals of a rig. After that a tick allocates nothing. What
    /// was begun is kept where the rig is the same and only devices came.
    pub(crate) fn fit(&mut self, automaton: &Automaton, signals: usize) {
        let (nodes, copies) = (automaton.nodes.len(), automaton.combos.len());
        let combos = automaton.combo_count();
        self.held.resize(signals, SignalState::default());
        self.rings.resize(automaton.ring_count, Arrival::default());
        self.heads.resize(nodes, 0);
        self.place.resize(nodes, 0);
        self.spent.resize(copies, 0);
        self.met_at.resize(if automaton.has_again { copies } else { 0 }, Moment::default());
        self.last_in.resize(automaton.set_count, LastPress::default());
        self.states.resize(combos, ComboState::default());
        self.changed.grow(combos);
        // None of these has an entry of a kind twice. A clone brings no room along, but for what is
        // sifted.
        make_room(&mut self.active, nodes);
        self.due.fit(nodes, 0);
        self.reached.fit(nodes, (0, 0));
        make_room(&mut self.arrivals, nodes + 1);
        make_room(&mut self.timers, automaton.timer_count);
        make_room(&mut self.pulsed, copies);
        make_room(&mut self.lasting, automaton.combos.iter().map(|of| of.lasts_by.len()).sum());
        let waiting = KEPT_WAITING * automaton.waiting_count;
        make_room(&mut self.waiting, waiting);
        make_room(&mut self.met, if waiting > 0 { KEPT_MET } else { 0 });
        make_room(&mut self.news, 2 * copies + waiting);
    }

    /// A combo as it was after the last tick; idle for one that the rig does not have.
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

    /// Whether a tick without edges would change nothing before [`wakes`](ComboEngine::wakes):
    /// nothing fired that is to end, and nothing waits.
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
    ///
    /// The arrivals of all nodes are not gone through: what has a serial up to `floor` counts no
    /// more, wherever it is kept.
    fn clear(&mut self, poll: &ComboPoll) {
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
    /// move signals, and end what is held no more, but count for nothing else.
    ///
    /// Timers are run up to each edge before it is taken in, and up to the tick at the end: so what
    /// happens by itself happens in its order among what was pressed.
    pub(crate) fn tick(&mut self, poll: &ComboPoll, edges: &[SignalEdge], clock: ClockState) {
        let &ComboPoll { automaton, rate, now, .. } = poll;
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
        for names in edges.chunk_by(|before, edge| edge.is_same_as(before)) {
            self.serial += u32::from(!is_frozen);
            for edge in names {
                if edge.change == SignalChange::Clear {
                    self.clear(poll);
                } else if is_frozen {
                    self.end_holds(edge);
                    self.hold(edge, 0);
                } else {
                    self.run_timers(poll, edge.moment());
                    self.edge(poll, edge, names);
                }
            }
        }
        if !is_frozen {
            self.run_timers(poll, now);
            self.settle(poll);
        }
        self.end_lasting(automaton);
        self.wake = self.next_timer(rate);
    }

    /// A combo changed in this tick.
    fn note(&mut self, combo: ComboId) {
        self.changed.insert(combo);
    }

    /// Moves a signal; see [`SignalState::take`].
    fn hold(&mut self, edge: &SignalEdge, serial: u32) {
        if let Some(signal) = edge.signal {
            self.held[signal.index()].take(edge, serial);
        }
    }

    /// A signal that goes off is held no more.
    fn end_holds(&mut self, edge: &SignalEdge) {
        if let Some(signal) = edge.signal.filter(|_| !edge.is_on() && !self.timers.is_empty()) {
            self.timers.retain(|timer| timer.what != Due::Held(signal));
        }
    }

    /// What lasts ends when a signal that it lasts by is on no more.
    #[inline]
    fn end_lasting(&mut self, automaton: &Automaton) {
        let mut at = 0;
        while let Some(&(copy, by)) = self.lasting.get(at) {
            let BoundCombo { lasts_by, combo, .. } = automaton.combo(copy);
            if lasts_by[usize::from(by)].iter().all(|signal| self.held[signal.index()].is_on) {
                at += 1;
                continue;
            }
            self.lasting.swap_remove(at);
            let its = |(other, _): &(CopyId, u16)| automaton.combo(*other).combo == *combo;
            self.states[combo.index()].lasts = self.lasting.iter().any(its);
            self.note(*combo);
        }
    }

    /// By which of the signals that a combo may last by an attempt does: those whose presses met
    /// its last step, if they are still on.
    fn lasts_by(&self, bound: &BoundCombo, arrival: &Arrival) -> Option<u16> {
        let is_its = |signal: &SignalId| {
            let held = &self.held[signal.index()];
            held.is_on && held.serial != 0 && Presses::one(held.serial).meets(arrival.presses)
        };
        let is_last = |signal: &SignalId| self.held[signal.index()].serial == arrival.serial;
        let met_it = |by: &Vec<SignalId>| by.iter().all(is_its) && by.iter().any(is_last);
        bound.lasts_by.iter().position(met_it).map(|by| by as u16)
    }

    /// Takes in one edge, which is one of the names of a press; see the [module](self) for the
    /// order.
    fn edge(&mut self, poll: &ComboPoll, edge: &SignalEdge, names: &[SignalEdge]) {
        let serial = self.serial;
        self.hold(edge, if edge.is_press() { serial } else { 0 });
        self.end_holds(edge);
        let signal = edge.signal.filter(|_| edge.change != SignalChange::Carried);
        if let Some(key) = signal.and_then(|of| poll.automaton.key(of, edge.is_press())) {
            self.reach(poll, edge, key);
        }
        // What a press breaks is broken for the steps after it.
        if edge.is_press() {
            for &set in poll.automaton.sets_of(edge.signal) {
                if names.len() == 1 || !poll.automaton.bears_one_of(set, names) {
                    self.last_in[set.index()].note(serial, edge);
                }
            }
            self.break_quiet(poll);
        }
        if !self.reached.is_empty() {
            self.enter_reached(poll, edge);
        }
    }

    /// Enters the nodes that an edge leads to.
    fn enter_reached(&mut self, poll: &ComboPoll, edge: &SignalEdge) {
        let first = self.news.len();
        let mut reached = core::mem::take(&mut self.reached);
        let arrivals = core::mem::take(&mut self.arrivals);
        if poll.automaton.has_mirrors {
            // Of two ways that are met at once, the attempt counts that began last.
            let first = |at: u32| arrivals[at as usize].first();
            reached.as_mut_slice().sort_unstable_by_key(|&(node, at)| (Reverse(first(at)), node));
        }
        for &(node, at) in reached.as_slice() {
            self.enter(poll, node, &arrivals[at as usize], edge);
        }
        reached.clear();
        (self.reached, self.arrivals) = (reached, arrivals);
        // In the order of the rig, and not of what happened to be watched first.
        if self.news.len() > first + 1 {
            self.news[first..].sort_unstable_by_key(|news| (news.combo, news.copy));
        }
    }

    /// Has a node watched until nothing can come of an arrival at it any more.
    #[inline]
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
        let &Node { ring, kept, .. } = automaton.node(node);
        let ring = &self.rings[ring as usize..ring as usize + usize::from(kept)];
        ring.iter().filter(|arrival| arrival.serial != 0)
    }

    /// The latest arrival of a node; one of serial 0 if it never was reached.
    fn newest(&self, automaton: &Automaton, node: NodeId) -> &Arrival {
        let ring = automaton.node(node).ring;
        &self.rings[ring as usize + usize::from(self.heads[node as usize])]
    }

    /// A node was reached by an edge. A hold begins; any other step is met.
    #[inline(always)]
    fn enter(&mut self, poll: &ComboPoll, node: NodeId, arrival: &Arrival, edge: &SignalEdge) {
        if !poll.automaton.node(node).is_plain
            && let StepKind::Hold(_, span) = poll.automaton.rest(node).what
            && let Some(signal) = edge.signal
        {
            let due = span.over(arrival.at, poll.rate);
            self.start(poll, Timer::new(poll, node, Due::Held(signal), span, due, *arrival));
            return;
        }
        self.arrive(poll, node, arrival);
    }

    /// A step was met: its arrival is remembered, what may follow is watched for, quiets begin,
    /// and combos that end there are concluded.
    #[inline(always)]
    fn arrive(&mut self, poll: &ComboPoll, node: NodeId, arrival: &Arrival) {
        let of = poll.automaton.node(node);
        // Nobody looks back at a step that none follows.
        if of.leads_on {
            let mut newest = of.ring as usize;
            if of.kept > 1 {
                let head = &mut self.heads[node as usize];
                *head = if *head + 1 == of.kept { 0 } else { *head + 1 };
                newest += usize::from(*head);
            }
            self.rings[newest] = *arrival;
        }
        if of.wants != 0 {
            self.watch(node, of, arrival.at);
        }
        if !of.quiets.is_empty() {
            self.begin_quiets(poll, of, arrival);
        }
        if !of.finals.is_empty() {
            self.conclude(poll, of, arrival);
        }
    }

    /// Starts the times without presses that begin when a node is reached.
    fn begin_quiets(&mut self, poll: &ComboPoll, node: &Node, arrival: &Arrival) {
        for &quiet in poll.automaton.quiets(node) {
            if let StepKind::Quiet(span) = poll.automaton.rest(quiet).what {
                let due = span.over(arrival.at, poll.rate);
                self.start(poll, Timer::new(poll, quiet, Due::Quiet, span, due, *arrival));
            }
        }
    }

    /// The last step of some copies was met. Each of them is met, unless it took longer in all
    /// than it may, or has a press that is spent for it.
    ///
    /// What is spent is noted when an attempt is met, and not when it fires: an attempt that waits
    /// and is cancelled has used its presses up as well.
    #[inline(never)]
    fn conclude(&mut self, poll: &ComboPoll, node: &Node, arrival: &Arrival) {
        for &copy in poll.automaton.finals(node) {
            let bound = poll.automaton.combo(copy);
            let is_over =
                bound.all.is_some_and(|all| all.between(arrival.began, arrival.at) > all.amount());
            let is_spent = match bound.again {
                false => arrival.first() <= self.spent[copy.index()],
                true => self.was_met(copy, arrival),
            };
            if !is_over && !is_spent {
                self.spent[copy.index()] = arrival.serial;
                if bound.again {
                    self.met_at[copy.index()] = arrival.at;
                }
                self.meet(poll, (copy, bound), arrival);
            }
        }
    }

    /// Whether a copy was met at the same moment by the same press, by another name of it or the
    /// other way round.
    fn was_met(&self, copy: CopyId, arrival: &Arrival) -> bool {
        let met = (self.spent[copy.index()], self.met_at[copy.index()]);
        met == (arrival.serial, arrival.at)
    }

    /// The copies that fired in this tick and take their buttons from all actions.
    pub(crate) fn taking<'a>(
        &'a self,
        automaton: &'a Automaton,
    ) -> impl Iterator<Item = &'a BoundCombo> + 'a {
        let fired = self.pulsed.iter().map(|&copy| automaton.combo(copy));
        fired.filter(|bound| bound.takes)
    }

    /// How many steps of a combo are met at a moment, from 0, with all that follow still
    /// possible: for people, who see how far they got. Of several copies and variants the one
    /// that got furthest.
    pub(crate) fn progress(&self, automaton: &Automaton, combo: ComboId, now: Moment) -> usize {
        let met = |copy| self.progress_of(automaton, copy, now);
        automaton.copies(combo).map(met).max().unwrap_or(0)
    }

    /// The same of one copy.
    fn progress_of(&self, automaton: &Automaton, copy: CopyId, now: Moment) -> usize {
        let path = automaton.path(copy);
        let steps =
            path.iter().position(|&node| automaton.finals(automaton.node(node)).contains(&copy));
        let steps = steps.map_or(path.len(), |last| last + 1);
        let is_open = |(n, node): &(usize, &NodeId)| {
            let newest = self.newest(automaton, **node);
            let next = path.get(n + 1).filter(|_| (n + 1) % steps != 0);
            next.is_some_and(|&next| {
                let node = automaton.node(next);
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
