//! What the engine remembers between edges.

use crate::base::{ControlId, Moment, Nanos, SignalId, Tick};
use crate::combo::{CopyId, HandPress, NodeId, Presses, SignalEdge};
use crate::spec::{ComboClock, TimeSpan};

/// A moment at which a step was met, and the attempt that came to it.
///
/// A default one (serial 0) is none.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Arrival {
    /// When the step was met: at its press, or when its hold was long enough or its time had
    /// come.
    pub(super) at: Moment,
    /// Its press, as a count over all edges; 0 for none.
    pub(super) serial: u32,
    /// Every press that the attempt took so far.
    pub(super) presses: Presses,
    /// When its first step was met.
    pub(super) began: Moment,
    /// The control of the last press, which drives the combo when it fires.
    pub(super) by: Option<ControlId>,
    /// When that press was reported, in nanoseconds by the clock of the combos.
    pub(super) pressed: Nanos,
}

impl Arrival {
    /// What an edge makes of a step that asks nothing, by the clock of reports.
    pub(super) const fn of(edge: &SignalEdge, serial: u32) -> Arrival {
        let (at, presses) = (edge.moment(), Presses::one(serial));
        Arrival { at, serial, presses, began: at, by: edge.by, pressed: edge.time }
    }

    /// Its last press, as a count over all edges and as one of a hand.
    pub(super) const fn last(&self) -> (u32, HandPress) {
        (self.serial, HandPress { by: self.by, time: self.pressed })
    }

    /// The first press of the attempt, as a count over all edges.
    pub(super) const fn first(&self) -> u32 {
        self.presses.first()
    }

    /// The same of a single press as the next step of an attempt.
    pub(super) fn next_of(&self, before: &Arrival) -> Arrival {
        let presses = before.presses.then(self.serial);
        Arrival { presses, began: before.began, ..*self }
    }

    /// The same as the next step of an attempt.
    pub(super) fn after(self, before: &Arrival) -> Arrival {
        let presses = before.presses.and(self.presses);
        Arrival { presses, began: before.began, ..self }
    }
}

/// The last press of a set of signals, and the one before it that was another press of a hand
/// (one press may turn several signals on).
///
/// Two are enough: a step asks whether anything *other* than its own press came since the step
/// before, and only one press can be its own.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct LastPress {
    /// As a count over all edges; 0 for none.
    pub(super) serial: u32,
    /// When it was.
    pub(super) at: Moment,
    /// By which control, and when it was reported.
    pub(super) hand: HandPress,
    /// The serial and the hand of the press before it that was another one.
    pub(super) before: (u32, HandPress),
}

impl LastPress {
    /// Takes in a press of a signal of the set.
    pub(super) fn note(&mut self, serial: u32, edge: &SignalEdge) {
        let hand = edge.hand();
        let before = if self.hand.is(hand) { self.before } else { (self.serial, self.hand) };
        *self = LastPress { serial, at: edge.moment(), hand, before };
    }

    /// Whether a press of the set came after a press of an attempt that is neither of the same
    /// hand as that one, nor as the one that comes now.
    pub(super) fn is_strange(&self, since: (u32, HandPress), now: Option<HandPress>) -> bool {
        let is_strange = |(serial, hand): (u32, HandPress)| {
            serial > since.0 && !hand.is(since.1) && now.is_none_or(|now| !hand.is(now))
        };
        is_strange((self.serial, self.hand)) || is_strange(self.before)
    }
}

/// A node something may still come of: what decides whether an edge matters to it. These lie side
/// by side, so that most nodes are passed by two comparisons.
#[derive(Clone, Copy, Debug)]
pub(super) struct Active {
    /// The bits of the triggers that lead on from it.
    pub(super) wants: u64,
    /// After this nothing comes of it, in nanoseconds by the clock of the combos.
    pub(super) until: Nanos,
    /// The node.
    pub(super) node: NodeId,
}

/// Something that happens by itself when its time is over.
#[derive(Clone, Copy, Debug)]
pub(super) struct Timer {
    /// How long it takes; it says whether [`Timer::due`] counts in nanoseconds or in ticks.
    pub(super) span: TimeSpan,
    /// The clock of its combo.
    pub(super) clock: ComboClock,
    /// When it is over.
    pub(super) due: Moment,
    /// The node that it leads to.
    pub(super) node: NodeId,
    /// What happens then.
    pub(super) what: Due,
    /// The arrival that it makes of it, as soon as [`Arrival::at`] is known.
    pub(super) arrival: Arrival,
}

/// What a timer waits for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Due {
    /// A signal has been on for so long.
    Held(SignalId),
    /// Nothing came for so long.
    Quiet,
    /// A press that came early counts now.
    Opens,
}

/// An attempt whose steps were all met, and which waits until none of the combos that it waits
/// for can be met with one of its presses.
#[derive(Clone, Copy, Debug)]
pub(super) struct Waiting {
    /// The copy that it is an attempt at.
    pub(super) copy: CopyId,
    /// Its last step, with all its presses.
    pub(super) arrival: Arrival,
    /// The tick at which its last step was met: from then on it waits.
    pub(super) known: Tick,
}

/// An attempt that was met, at a combo that others wait for. Whatever waits and has one of its
/// presses is cancelled.
#[derive(Clone, Copy, Debug)]
pub(super) struct Met {
    /// The copy that was met.
    pub(super) copy: CopyId,
    /// Its presses.
    pub(super) presses: Presses,
}
