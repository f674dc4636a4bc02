//! When a signal changed, and which direction a stick is in.

use crate::base::{
    ActionId, ControlId, ControlTable, DeviceId, GestureId, ModeId, Moment, Nanos, SignalId, Tick,
    ZoneId,
};
use crate::combo::{Automaton, BoundMode};
use crate::spec::{Direction, Gives};
use alloc::{sync::Arc, vec::Vec};

/// A change of a signal that a tick saw, or something else that combos must
/// know of.
///
/// ```
/// use gtrig_core::*;
///
/// let edge = SignalEdge {
///     signal: Some(SignalId(0)),
///     change: SignalChange::Press,
///     time: Nanos::from_millis(40),
///     tick: Tick(3),
///     // The clock of the combos stood still for a while before.
///     paused: Moment { time: Nanos::from_millis(500), tick: Tick(30) },
///     mode: ModeId(0),
///     by: Some(ControlId(7)),
/// };
/// assert!(edge.is_press() && edge.is_on());
/// assert_eq!((edge.reported(), edge.seen()), (Nanos::from_millis(540), Tick(33)));
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct SignalEdge {
    /// The signal; `None` for the press of a button that is none.
    pub signal: Option<SignalId>,
    /// What became of it.
    pub change: SignalChange,
    /// When it was reported, by the clock of the combos: less what it stood
    /// still.
    pub time: Nanos,
    /// The tick that saw it, by the same clock.
    pub tick: Tick,
    /// For how long the clock of the combos had stood still by then.
    pub paused: Moment,
    /// The mode then on top.
    pub mode: ModeId,
    /// Who did it.
    pub by: Option<ControlId>,
}

/// A press of a hand, which may turn several signals on: `pad/south`, `pad1/south`
/// and an action.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct HandPress {
    /// Who did it; `None` where nobody is known to have.
    pub by: Option<ControlId>,
    /// When it was reported, by the clock of the combos.
    pub time: Nanos,
}

impl HandPress {
    /// Whether it is known to be the same as another one.
    pub fn is(self, other: HandPress) -> bool {
        self.by.is_some() && self == other
    }
}

/// A signal as combos know it after the last edge.
///
/// Engine and explanations keep one for each signal, and have it follow the same edges: so they
/// know the same.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct SignalState {
    /// Whether it is on.
    pub is_on: bool,
    /// When it turned on or off last, by the clock of the combos.
    pub since: Moment,
    /// The serial of the press that turned it on: its count over all edges, from 1. 0 where
    /// that does not count.
    pub serial: u32,
    /// The serial of the press that its last release ended; 0 for none.
    pub lifted: u32,
}

impl SignalState {
    /// Takes in an edge of the signal. A press with serial 0 counts for nothing: it was carried
    /// over, or the clock stands still.
    pub fn take(&mut self, edge: &SignalEdge, serial: u32) {
        let lifted = if edge.is_on() { self.lifted } else { self.serial };
        *self = SignalState { is_on: edge.is_on(), since: edge.moment(), serial, lifted };
    }
}

/// What became of a signal.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum SignalChange {
    /// No change of a signal: after the tick of this edge everything that was begun is forgotten.
    Clear,
    /// It went off.
    Release,
    /// It went off because its device could not be heard any more: no hand let go.
    Forced,
    /// It is on since before the recording began: nobody pressed it now.
    Carried,
    /// It went on.
    Press,
}

impl SignalEdge {
    /// Whether it is a press.
    #[inline]
    pub const fn is_press(&self) -> bool {
        matches!(self.change, SignalChange::Press)
    }

    /// Whether the signal is on after it.
    #[inline]
    pub const fn is_on(&self) -> bool {
        matches!(self.change, SignalChange::Press | SignalChange::Carried)
    }

    /// When it was reported.
    pub const fn reported(&self) -> Nanos {
        Nanos(self.time.0 + self.paused.time.0)
    }

    /// The tick that saw it.
    pub const fn seen(&self) -> Tick {
        Tick(self.tick.0 + self.paused.tick.0)
    }

    /// Whether it came at once with another edge.
    pub(crate) fn is_at_once_with(&self, other: &SignalEdge) -> bool {
        (self.time, self.tick, self.change) == (other.time, other.tick, other.change)
    }

    /// Whether it is another name of the press, or release, that the edge before it is one of.
    ///
    /// All names of one stand side by side, and count as one.
    pub fn is_same_as(&self, before: &SignalEdge) -> bool {
        self.is_at_once_with(before) && self.hand().is(before.hand())
    }

    /// The press of a hand that it comes from.
    pub const fn hand(&self) -> HandPress {
        HandPress { by: self.by, time: self.time }
    }

    /// When it was, by the clock of the combos.
    pub const fn moment(&self) -> Moment {
        Moment { time: self.time, tick: self.tick }
    }
}

/// The combos, signals and modes of a rig, tied to a roster.
#[derive(Clone, Debug, Default)]
pub(crate) struct ComboPlan {
    /// All combos. A copy of a plan shares it.
    pub(crate) automaton: Arc<Automaton>,
    /// By [`SignalId`].
    pub(crate) signals: Vec<BoundSignal>,
    /// The controls of signals, each with the bit of its thresholds.
    pub(crate) signal_controls: Vec<(ControlId, u32)>,
    /// For each control the signals that it is part of.
    pub(crate) signals_of: ControlTable<SignalId>,
    /// The signals that are zones.
    pub(crate) zones: Vec<SignalId>,
    /// The signals that are gestures.
    pub(crate) gestures: Vec<SignalId>,
    /// Those that are an action or a direction of one.
    pub(crate) actions: Vec<SignalId>,
    /// For some devices what the presses of their other buttons are of.
    pub(crate) others: Vec<(DeviceId, SignalId)>,
    /// The modes of the rig, by their ids.
    pub(crate) modes: Vec<BoundMode>,
}

impl ComboPlan {
    /// Whether the rig has no combos: then nothing is heard.
    pub(crate) fn is_empty(&self) -> bool {
        self.automaton.combos.is_empty()
    }

    /// What a signal is.
    pub(crate) fn signal(&self, signal: SignalId) -> &BoundSignal {
        &self.signals[signal.index()]
    }

    /// Whether something has a name in the rig: no button of which nothing is named.
    pub(crate) fn is_named(&self, signal: Option<SignalId>) -> bool {
        signal.is_some_and(|signal| !matches!(self.signal(signal), BoundSignal::Others))
    }

    /// The controls of a signal, each with the bit of its thresholds.
    pub(crate) fn controls_of(&self, signal: SignalId) -> &[(ControlId, u32)] {
        match *self.signal(signal) {
            BoundSignal::Controls { first, len } | BoundSignal::Dpad { first, len, .. } => {
                &self.signal_controls[first as usize..(first + len) as usize]
            }
            _ => &[],
        }
    }

    /// The signals that a control is part of.
    pub(crate) fn signals_of(&self, control: ControlId) -> &[SignalId] {
        self.signals_of.of(control)
    }
}

/// A signal tied to a plan.
#[derive(Clone, Debug)]
pub(crate) enum BoundSignal {
    /// The controls lie in the plan's list.
    Controls {
        /// The place of the first.
        first: u32,
        /// How many they are.
        len: u32,
    },
    /// The same, in fours: left, right, up and down of a d-pad.
    Dpad {
        /// The place of the first.
        first: u32,
        /// How many they are, four for each d-pad.
        len: u32,
        /// The direction that is meant.
        direction: Direction,
    },
    /// The buttons of a device that are no other signal.
    Others,
    /// An action that gives on or off.
    Action(ActionId),
    /// A zone: on while it has a contact.
    Zone(ZoneId),
    /// A gesture: on while it lasts, and for the tick in which it fires.
    Gesture(GestureId),
    /// What the action gives, and which of its directions.
    Way(ActionId, Gives, Direction),
}

impl Direction {
    /// The direction of a vector that was in `before`.
    ///
    /// Entered from [`Direction::ENTER`] on, left below [`Direction::LEAVE`], and changed when the
    /// stick is more than 22.5 degrees and [`Direction::HYSTERESIS`] beside the middle of the old
    /// one.
    pub(crate) fn next(before: Option<Direction>, [x, y]: [f32; 2]) -> Option<Direction> {
        let least = if before.is_some() { Direction::LEAVE } else { Direction::ENTER };
        // What is no number is nowhere.
        let is_out = x * x + y * y >= least * least;
        if !is_out {
            return None;
        }
        let degrees = libm::atan2f(y, x).to_degrees();
        if let Some(Direction(n)) = before {
            let turned = libm::fabsf(libm::remainderf(degrees - 45.0 * f32::from(n), 360.0));
            if turned <= 22.5 + Direction::HYSTERESIS {
                return before;
            }
        }
        let nearest = libm::roundf(degrees / 45.0) as i32;
        Some(Direction(nearest.rem_euclid(8) as u8))
    }
}

#[cfg(test)]
mod tests {

    use crate::spec::Direction;
    use rstest::rstest;

    #[rstest]
    #[case::rest(None, [0.0, 0.0], None)]
    #[case::not_far_enough(None, [0.45, 0.0], None)]
    #[case::still_far_enough(Some("right"), [0.45, 0.0], Some("right"))]
    #[case::right(None, [1.0, 0.1], Some("right"))]
    #[case::up_left(None, [-0.7, 0.7], Some("up-left"))]
    #[case::down(None, [0.1, -0.8], Some("down"))]
    #[case::at_the_seam(None, [-1.0, -0.0], Some("left"))]
    #[case::not_turned_enough(Some("right"), [0.9, 0.45], Some("right"))]
    #[case::turned(Some("right"), [0.8, 0.5], Some("up-right"))]
    #[case::no_number(Some("right"), [f32::NAN, 0.0], None)]
    fn a_stick_has_a_direction(
        #[case] before: Option<&str>,
        #[case] v: [f32; 2],
        #[case] after: Option<&str>,
    ) {
        let way = Direction::next(before.and_then(Direction::of), v);
        assert_eq!(way.map(Direction::word), after);
    }

    #[rstest]
    #[case("right", "left")]
    #[case("up", "up")]
    #[case("down-right", "down-left")]
    #[case("up-left", "up-right")]
    fn left_and_right_change_places(#[case] word: &str, #[case] other: &str) {
        assert_eq!(Direction::of(word).unwrap().mirrored().word(), other);
        assert_eq!(Direction::of(other).unwrap().mirrored().word(), word);
    }
}
