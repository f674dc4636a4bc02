//! What of the crane of the yard moves, and by which actions.
//!
//! The yard is the little world of the workbench: a harbour crane whose parts move by the actions
//! of a rig, so that a change of a curve can be felt and not only read. A game does not need it.

use crate::base::ActionId;
use strum::{IntoStaticStr, VariantArray};

/// A part of the crane that moves.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum CranePart {
    /// The boom turns, in degrees clockwise from straight out over the water.
    Slew,
    /// The trolley runs along the boom, in metres from the tower.
    Trolley,
    /// The hook goes up, in metres above the quay.
    Hoist,
    /// The cab's camera turns, in degrees clockwise from along the boom.
    View,
}

impl CranePart {
    /// The unit of its place; of its speed, the same a second.
    pub const fn unit(self) -> &'static str {
        match self {
            CranePart::Slew | CranePart::View => "°",
            CranePart::Trolley | CranePart::Hoist => "m",
        }
    }

    /// From where to where it goes; it stops at either end.
    pub const fn range(self) -> (f32, f32) {
        match self {
            CranePart::Slew => (-110.0, 110.0),
            CranePart::Trolley => (6.0, 40.0),
            CranePart::Hoist => (0.0, 30.0),
            CranePart::View => (-90.0, 90.0),
        }
    }

    /// Where it begins.
    pub const fn stand(self) -> f32 {
        match self {
            CranePart::Slew | CranePart::View => 0.0,
            CranePart::Trolley => 23.0,
            CranePart::Hoist => 12.0,
        }
    }
}

/// What a part is driven by, and how.
///
/// At deflection `d` the part tends to `d * speed`, and gets there by `acceleration`, or by
/// `braking` where that means slower.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Drive {
    /// The action, and which of its two values (0 or 1).
    pub by: (ActionId, usize),
    /// Units a second at full deflection.
    pub speed: f32,
    /// Units a second that the speed gains in a second.
    pub acceleration: f32,
    /// Units a second that the speed loses in a second.
    pub braking: f32,
}

/// How the crane of a rig moves.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, Default, PartialEq)]
pub struct YardSpec {
    /// For each part, in the order of [`CranePart`], what drives it.
    pub drives: [Option<Drive>; 4],
    /// The action that closes the grip.
    pub grip: Option<ActionId>,
}

impl YardSpec {
    /// Whether nothing of it moves.
    pub fn is_empty(&self) -> bool {
        self.drives.iter().all(Option::is_none) && self.grip.is_none()
    }
}
