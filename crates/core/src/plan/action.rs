//! Actions, tied to a roster, and what game code reads of them.

use crate::base::{ActionId, ControlId};
use crate::spec::{Combine, Gives};
use core::ops::Range;

/// An action at a tick.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct ActionState {
    /// On/off as 1 or 0; the axis; the x of a plane; the angle of a polar one,
    /// in degrees.
    pub x: f32,
    /// The y of a plane, up positive; the length of a polar one; otherwise 0.
    pub y: f32,
    /// The control that drove it: of several, the one that won. `None` while
    /// it is off or at rest.
    pub driver: Option<ControlId>,
}

impl ActionState {
    /// Off, or at rest.
    pub const IDLE: ActionState = ActionState { x: 0.0, y: 0.0, driver: None };

    /// Whether it is on, or off its rest.
    pub fn is_active(self) -> bool {
        self.x != 0.0 || self.y != 0.0
    }

    pub(crate) fn strength(self) -> f32 {
        self.x * self.x + self.y * self.y
    }
}

#[derive(Clone, Debug)]
pub(crate) struct BoundAction {
    pub(crate) gives: Gives,
    pub(crate) clamp: bool,
    pub(crate) main_only: bool,
    pub(crate) combine: Combine,
    pub(crate) modes: u32,
    pub(crate) gates: Range<u32>,
    pub(crate) inputs: Range<u32>,
}

/// An action that opens or closes another one.
#[derive(Clone, Copy, Debug)]
pub(crate) struct ActionGate {
    pub(crate) by: ActionId,
    /// Whether the other is closed while this one is on, instead of while it is
    /// off.
    pub(crate) closes: bool,
}
