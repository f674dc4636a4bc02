//! What game code reads of an action.

use super::ControlId;

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
    #[inline]
    pub fn is_active(self) -> bool {
        self.x != 0.0 || self.y != 0.0
    }

    #[inline]
    pub(crate) fn strength(self) -> f32 {
        self.x * self.x + self.y * self.y
    }
}
