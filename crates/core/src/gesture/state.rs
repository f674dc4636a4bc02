//! The gestures after a tick.

use super::GestureAttempt;
use crate::base::{ControlId, GestureId, SparseSet};
use alloc::vec::Vec;

/// A gesture at a tick.
///
/// A gesture may have several attempts at once, one for each finger that landed where it listens.
/// It is on while any of them is; what it gives is of one of them, so that a game that reads one
/// value does not see it jump between two hands.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct GestureState {
    /// How many attempts go on that have not fired.
    pub trying: u16,
    /// How many have fired and go on until a finger lifts.
    lasting: u16,
    /// Whether one fired in this tick.
    pub fired: bool,
    /// What it gives; see [`GestureKind`](crate::GestureKind). Of several attempts that last the
    /// one that fired last gives it.
    pub value: [f32; 2],
    /// The first contact of that attempt.
    pub contact: Option<ControlId>,
    /// The first landing of that attempt, as a press of the run; 0 for none.
    driver: u32,
}

impl GestureState {
    /// Whether it fired in this tick or still lasts.
    pub const fn is_on(&self) -> bool {
        self.fired || self.lasting > 0
    }

    /// Which press of the run the first landing is of the attempt that gives its
    /// value; 0 for none.
    pub(crate) const fn landing(&self) -> u32 {
        self.driver
    }

    /// Gives what an attempt gives from now on.
    fn follow(&mut self, attempt: &GestureAttempt, contact: ControlId) {
        (self.value, self.contact) = (attempt.value, Some(contact));
        self.driver = attempt.first().landing.id;
    }

    /// Forgets what it gave, if it is over.
    fn rest(&mut self) {
        if !self.is_on() {
            (self.value, self.contact, self.driver) = ([0.0; 2], None, 0);
        }
    }
}

/// The states of all gestures, and which of them a tick changed.
///
/// Invariants, after a tick: `trying` and `lasting` of a state are the numbers of attempts at its
/// gesture that have not fired, and that last.
#[derive(Clone, Debug, Default)]
pub(super) struct GestureStates {
    /// By [`GestureId`], as after the last tick.
    states: Vec<GestureState>,
    /// Those that changed in this tick.
    changed: SparseSet<GestureId>,
    /// Those that fired for this tick alone.
    pulsed: Vec<GestureId>,
}

impl GestureStates {
    /// Makes room for so many gestures.
    pub(super) fn fit(&mut self, gestures: usize) {
        self.states.resize(gestures, GestureState::default());
        self.changed.grow(gestures);
        self.pulsed.reserve(gestures - self.pulsed.len());
    }

    /// A gesture as it was after the last tick; idle for one that the rig does not have.
    pub(super) fn of(&self, gesture: GestureId) -> GestureState {
        self.states.get(gesture.index()).copied().unwrap_or_default()
    }

    /// The gestures whose state changed in this tick.
    pub(super) fn changed(&self) -> &[GestureId] {
        self.changed.as_slice()
    }

    /// Whether the next tick ends nothing that this one began.
    #[inline]
    pub(super) fn is_settled(&self) -> bool {
        self.pulsed.is_empty() && self.changed.is_empty()
    }

    /// Ends the tick before.
    #[inline]
    pub(super) fn age(&mut self) {
        self.changed.clear();
        while let Some(gesture) = self.pulsed.pop() {
            let state = self.change(gesture);
            state.fired = false;
            state.rest();
        }
    }

    /// The state of a gesture, which will change.
    fn change(&mut self, gesture: GestureId) -> &mut GestureState {
        self.changed.insert(gesture);
        &mut self.states[gesture.index()]
    }

    /// An attempt begins.
    pub(super) fn begin(&mut self, gesture: GestureId) {
        self.change(gesture).trying += 1;
    }

    /// An attempt fires: it gives what its gesture gives, if it lasts or no other one does.
    pub(super) fn fire(&mut self, attempt: &GestureAttempt, contact: ControlId) {
        let state = self.change(attempt.gesture);
        state.trying -= 1;
        if attempt.is_lasting || state.lasting == 0 {
            state.follow(attempt, contact);
        }
        state.lasting += u16::from(attempt.is_lasting);
        if !core::mem::replace(&mut state.fired, true) {
            self.pulsed.push(attempt.gesture);
        }
    }

    /// Whether an attempt is the one that gives the value of its gesture.
    #[inline]
    pub(super) fn is_given_by(&self, attempt: &GestureAttempt) -> bool {
        self.states[attempt.gesture.index()].driver == attempt.first().landing.id
    }

    /// An attempt that lasts gives something else; it shows if this is the one that gives the value
    /// of its gesture.
    #[inline]
    pub(super) fn give(&mut self, attempt: &GestureAttempt) {
        if self.is_given_by(attempt) {
            self.change(attempt.gesture).value = attempt.value;
        }
    }

    /// An attempt is over. Returns whether the value of its gesture was its own, so that another
    /// one has to give it.
    pub(super) fn end(&mut self, attempt: &GestureAttempt) -> bool {
        let state = self.change(attempt.gesture);
        state.lasting -= u16::from(attempt.is_lasting);
        state.trying -= u16::from(!attempt.has_fired());
        state.rest();
        attempt.is_lasting && self.is_given_by(attempt)
    }

    /// An attempt gives the value of its gesture from now on.
    pub(super) fn hand_over(&mut self, next: &GestureAttempt, contact: ControlId) {
        self.change(next.gesture).follow(next, contact);
    }
}
