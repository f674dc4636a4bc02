//! A gesture after a tick.

use super::GestureAttempt;
use crate::base::ControlId;

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
    pub(super) lasting: u16,
    /// Whether one fired in this tick.
    pub fired: bool,
    /// What it gives; see [`GestureKind`](crate::GestureKind). Of several attempts that last the
    /// one that fired last gives it.
    pub value: [f32; 2],
    /// The first contact of that attempt.
    pub contact: Option<ControlId>,
    /// The first landing of that attempt, as a press of the run; 0 for none.
    pub(super) driver: u32,
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
    pub(super) fn follow(&mut self, attempt: &GestureAttempt, contact: ControlId) {
        (self.value, self.contact) = (attempt.value, Some(contact));
        self.driver = attempt.first().landing.id;
    }

    /// Forgets what it gave, if it is over.
    pub(super) fn rest(&mut self) {
        if !self.is_on() {
            (self.value, self.contact, self.driver) = ([0.0; 2], None, 0);
        }
    }
}
