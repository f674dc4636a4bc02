//! What game code reads of an action.

use super::ControlId;

/// An action at a tick.
///
/// What a value means is said by what the action gives ([`Gives`](crate::Gives)):
///
/// | gives | `x` | `y` | active |
/// |---|---|---|---|
/// | `on`, `toggle` | 1 while it is on | 0 | while it is on |
/// | `pulse` | 1 in the tick in which it fires | 0 | in that tick |
/// | `axis` | -1 to +1 | 0 | off its rest |
/// | `plane` | -1 to +1, right positive | -1 to +1, up positive | off its rest |
/// | `polar` | degrees, above -180 up to 180 | the length | off its rest |
/// | `place` | in the numbers of its space | the same, down positive | while something is there |
///
/// An action that is closed by its gates or its mode is [`ActionState::IDLE`]; a toggle keeps its
/// state.
///
/// ```
/// use gtrig_core::{ActionState, ControlId};
///
/// let pushed = ActionState { x: -0.5, driver: Some(ControlId(3)), ..ActionState::IDLE };
/// assert!(pushed.is_active() && !ActionState::IDLE.is_active());
/// // Something stands at the upper left corner of a panel: active, though both numbers are 0.
/// let corner = ActionState { driver: Some(ControlId(3)), ..ActionState::IDLE };
/// assert!(corner.is_active());
/// ```
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct ActionState {
    /// On/off as 1 or 0; the axis; the x of a plane or of a place; the angle of a
    /// polar one, in degrees.
    pub x: f32,
    /// The y of a plane, up positive; that of a place, down positive; the length of a
    /// polar one; otherwise 0.
    pub y: f32,
    /// The control that drove it: of several, the one that won. `None` while
    /// it is off or at rest.
    pub driver: Option<ControlId>,
    /// Through which of the inputs that the rig lists for it, counted from 0.
    pub input: Option<u16>,
}

impl ActionState {
    /// Off, or at rest.
    pub const IDLE: ActionState = ActionState { x: 0.0, y: 0.0, driver: None, input: None };

    /// Whether it is on, or off its rest. A place may be at 0 and is active all the
    /// same, while something is there.
    #[inline]
    pub fn is_active(self) -> bool {
        self.x != 0.0 || self.y != 0.0 || self.driver.is_some()
    }

    /// A value and the control that drives it; at rest nothing does. Adding zero
    /// turns the -0 of an inverted rest into 0, which is what anybody would compare
    /// with.
    #[inline]
    pub(crate) fn driven(x: f32, y: f32, by: Option<ControlId>) -> Self {
        let driver = by.filter(|_| x != 0.0 || y != 0.0);
        ActionState { x: x + 0.0, y: y + 0.0, driver, input: None }
    }

    /// A place, and what is there; nothing is at no place.
    pub(crate) const fn placed([x, y]: [f32; 2], by: ControlId) -> Self {
        ActionState { x, y, driver: Some(by), input: None }
    }

    /// The same through an input.
    #[inline]
    pub(crate) fn through(self, input: u16) -> Self {
        ActionState { input: self.driver.map(|_| input), ..self }
    }

    /// How strong it is beside other inputs of the action: the square of its length.
    ///
    /// It orders inputs as the length does, and costs no root.
    #[inline]
    pub(crate) fn strength(self) -> f32 {
        self.x * self.x + self.y * self.y
    }
}
