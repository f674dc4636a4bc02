//! Signals: whatever of a rig is on or off.

use crate::base::{ActionId, GestureId, ZoneId};
use crate::device::{ControlRef, DeviceKind};
use crate::spec::{SwipeDirections, Thresholds};

/// Anything of a rig that is on or off.
///
/// Combos know nothing else of a device: whatever a signal stands for, it goes on and off at an
/// instant. Two names of one press (`pad/south` and `pad1/south`) are two signals, and still one
/// press; see [`HandPress`](crate::HandPress).
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub enum Signal {
    /// A button on any device that is meant, or any other control from a travel
    /// on.
    Control {
        /// Which.
        control: ControlRef,
        /// For a control that is no button.
        thresholds: Thresholds,
    },
    /// An action that gives on or off. One that combos
    /// drive is seen a tick later.
    Action(ActionId),
    /// A zone while any contact is in it.
    Zone(ZoneId),
    /// A gesture while it is on.
    Gesture(GestureId),
    /// A direction of an action that gives a plane.
    Way(ActionId, Direction),
    /// A direction of a d-pad on any device that is meant, as its four buttons give
    /// it; opposite ones cancel out. The code of the reference is
    /// [`Direction::DPAD`].
    Dpad(ControlRef, Direction),
    /// The buttons of a device, by its kind and number, that are no other signal. It
    /// is never on; each of their presses is one of it.
    Others(DeviceKind, u8),
}

/// One of eight directions, by its place in [`SwipeDirections::WORDS`].
///
/// Counter-clockwise from the right, in steps of 45 degrees.
///
/// ```
/// use gtrig_core::Direction;
///
/// let up_right = Direction::of("up-right").unwrap();
/// assert_eq!((up_right, up_right.mirrored().word()), (Direction(1), "up-left"));
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Direction(pub u8);

impl Direction {
    /// From this deflection on a stick is in a direction,
    pub const ENTER: f32 = 0.5;

    /// and below this one it is in none.
    pub const LEAVE: f32 = 0.4;

    /// So many degrees beyond the middle between two directions it must go to
    /// be in the other one.
    pub const HYSTERESIS: f32 = 5.0;

    /// What a d-pad is called, and the controls of its buttons begin with.
    pub const DPAD: &'static str = "dpad";

    /// The direction of buttons that are held.
    pub(crate) fn of_buttons([left, right, up, down]: [bool; 4]) -> Option<Direction> {
        let sign = |plus: bool, minus: bool| i8::from(plus) - i8::from(minus);
        let at = match (sign(right, left), sign(up, down)) {
            (1, 0) => 0,
            (1, 1) => 1,
            (0, 1) => 2,
            (-1, 1) => 3,
            (-1, 0) => 4,
            (-1, -1) => 5,
            (0, -1) => 6,
            (1, -1) => 7,
            _ => return None,
        };
        Some(Direction(at))
    }

    /// The direction of a word.
    pub fn of(word: &str) -> Option<Direction> {
        SwipeDirections::WORDS.iter().position(|other| *other == word).map(|n| Direction(n as u8))
    }

    /// The word for it in rigs.
    pub const fn word(self) -> &'static str {
        SwipeDirections::WORDS[self.0 as usize]
    }

    /// The same with left and right swapped.
    #[must_use]
    pub const fn mirrored(self) -> Direction {
        Direction((12 - self.0) % 8)
    }
}
