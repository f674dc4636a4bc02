//! The axes of one thing that travels.

use crate::base::ControlId;

/// The axes of one thing that travels: both of a stick, or the only one of a
/// lever or trigger.
///
/// What is shaped, drawn and measured is a thing that travels, and not an axis of it: a dead zone
/// of a stick is round. See [`Roster::axes`](crate::Roster::axes) for how they are found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Axes {
    /// The horizontal axis, or the only one.
    pub x: ControlId,
    /// The vertical axis of a stick.
    pub y: Option<ControlId>,
}

impl Axes {
    /// Both axes of a stick.
    pub const fn stick(x: ControlId, y: ControlId) -> Self {
        Axes { x, y: Some(y) }
    }

    /// The only axis of a lever or trigger.
    pub const fn single(x: ControlId) -> Self {
        Axes { x, y: None }
    }

    /// Whether there is only one.
    pub const fn is_single(self) -> bool {
        self.y.is_none()
    }

    /// Whether a control is one of them.
    pub fn has(self, control: ControlId) -> bool {
        self.x == control || self.y == Some(control)
    }
}
