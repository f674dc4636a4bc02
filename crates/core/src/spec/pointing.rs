//! What points at a surface: a finger, or a pointer with or without a button.

use crate::base::Keyword;
use strum::{IntoStaticStr, VariantArray};

/// What a contact is made by. A pointer (a mouse, a pen) makes a contact for
/// each of its buttons while that is held, and one while it hovers: so it has a
/// place without being pressed.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Pointing {
    /// A finger on a touch panel.
    #[default]
    Finger,
    /// A pointer while it is in range of the surface, pressed or not.
    Hover,
    /// Its left button, or the tip of a pen.
    Left,
    /// Its middle button.
    Middle,
    /// Its right button.
    Right,
    /// Its button for going back.
    Back,
    /// Its button for going forward.
    Forward,
}

impl Pointing {
    /// The control of a pointer that says that the contact is there; `None` for a
    /// finger, which has one of its own.
    pub fn control(self) -> Option<&'static str> {
        match self {
            Pointing::Finger => None,
            Pointing::Hover => Some("in-range"),
            button => Some(button.word()),
        }
    }
}

/// Some of what can point.
///
/// A bit for each [`Pointing`], in its order.
///
/// ```
/// use gtrig_core::{Pointing, PointingSet};
///
/// let mouse: PointingSet = [Pointing::Left, Pointing::Right].into_iter().collect();
/// assert!(mouse.has(Pointing::Left) && !mouse.has(Pointing::Hover));
/// let either = PointingSet::FINGERS.or(mouse);
/// assert_eq!(either.iter().count(), 3);
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PointingSet(u8);

impl PointingSet {
    /// Fingers alone.
    pub const FINGERS: PointingSet = PointingSet(1 << Pointing::Finger as u8);

    /// Whether it is among them.
    pub const fn has(self, by: Pointing) -> bool {
        self.0 >> by as u8 & 1 != 0
    }

    /// Those of either.
    #[must_use]
    pub const fn or(self, other: PointingSet) -> PointingSet {
        PointingSet(self.0 | other.0)
    }

    /// All of them, in the order in which they are listed to people.
    pub fn iter(self) -> impl Iterator<Item = Pointing> {
        Pointing::ALL.iter().copied().filter(move |&by| self.has(by))
    }
}

impl Default for PointingSet {
    fn default() -> Self {
        PointingSet::FINGERS
    }
}

impl FromIterator<Pointing> for PointingSet {
    fn from_iter<I: IntoIterator<Item = Pointing>>(all: I) -> Self {
        PointingSet(all.into_iter().fold(0, |bits, by| bits | 1 << by as u8))
    }
}
