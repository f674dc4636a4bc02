//! Actions, and what drives them.

use crate::base::{ActionId, ComboId, GestureId, ModeSet, ZoneId};
use crate::device::ControlRef;
use crate::spec::{ShapeUse, Space, Thresholds};
use alloc::{string::String, vec::Vec};
use strum::{IntoStaticStr, VariantArray};

/// The named result that game code reads.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub struct ActionSpec {
    /// Its name.
    pub name: String,
    /// What sort of value it has.
    pub gives: Gives,
    /// Where it comes from.
    pub inputs: Vec<InputSpec>,
    /// What several inputs that are active come to.
    pub combine: Combine,
    /// Whether a plane is held in the unit circle.
    pub clamp: bool,
    /// Whether only the main device drives it.
    pub main_only: bool,
    /// Actions that close it while they are on.
    pub closed_while: Vec<ActionId>,
    /// Actions without which it is closed.
    pub open_while: Vec<ActionId>,
    /// The modes in which it is open.
    pub modes: ModeSet,
    /// Of a place: what its two numbers are measured in.
    pub space: Space,
}

impl ActionSpec {
    /// An action that is always open, driven by the strongest of these inputs; a
    /// plane is held in the unit circle.
    pub fn new(name: &str, gives: Gives, inputs: Vec<InputSpec>) -> Self {
        ActionSpec {
            name: name.into(),
            gives,
            inputs,
            combine: Combine::default(),
            clamp: gives.is_vector(),
            main_only: false,
            closed_while: Vec::new(),
            open_while: Vec::new(),
            modes: ModeSet::ALL,
            space: Space::Panel,
        }
    }
}

/// What several active inputs of an action come to.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Combine {
    /// The strongest, of equals the first.
    #[default]
    Strongest,
    /// Their sum, each axis held between -1 and +1.
    Sum,
}

/// What game code reads from an action.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Gives {
    /// On while any of its buttons is down.
    On,
    /// On for the one tick in which any of its buttons was pressed.
    Pulse,
    /// Turns over with each press of any of its buttons: off, on, off, …
    Toggle,
    /// One axis, -1 to +1.
    Axis,
    /// Two axes, each -1 to +1, y up.
    Plane,
    /// The same as angle and length: x in degrees, counter-clockwise from the
    /// right, above -180 up to 180; y the length.
    Polar,
    /// A place on a surface, in the numbers of a space: x to the right and y down,
    /// as the space has them. At rest it has no driver, whatever its numbers.
    Place,
}

impl Gives {
    /// Whether the value is on or off.
    pub const fn is_digital(self) -> bool {
        matches!(self, Gives::On | Gives::Pulse | Gives::Toggle)
    }

    /// Whether it has two numbers.
    pub const fn is_double(self) -> bool {
        matches!(self, Gives::Plane | Gives::Polar | Gives::Place)
    }

    /// Whether it is a direction and how far.
    pub const fn is_vector(self) -> bool {
        matches!(self, Gives::Plane | Gives::Polar)
    }

    /// Whether an input may feed an action of this sort.
    pub const fn accepts(self, input: &InputSpec) -> bool {
        matches!(
            (self, input),
            (
                Gives::On | Gives::Pulse | Gives::Toggle,
                InputSpec::Button { .. }
                    | InputSpec::Zone(_)
                    | InputSpec::Gesture { .. }
                    | InputSpec::Combo(_)
            ) | (
                Gives::Axis,
                InputSpec::Axis { .. }
                    | InputSpec::Pair { .. }
                    | InputSpec::Place { .. }
                    | InputSpec::Gesture { .. }
            ) | (
                Gives::Plane | Gives::Polar,
                InputSpec::Stick { .. }
                    | InputSpec::Cross(_)
                    | InputSpec::Pointer { .. }
                    | InputSpec::Place { .. }
                    | InputSpec::Gesture { .. }
            ) | (Gives::Place, InputSpec::Place { .. })
        )
    }
}

/// One way to drive an action.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub enum InputSpec {
    /// A button, or any other control from a travel on.
    Button {
        /// The control.
        control: ControlRef,
        /// For a control that is no button.
        thresholds: Thresholds,
    },
    /// A zone of a touch panel.
    Zone(ZoneId),
    /// Where on a zone of a touch panel the contact is that it has, from -1 to +1
    /// across the smallest rectangle around the zone, y up.
    Place {
        /// The zone.
        zone: ZoneId,
        /// What of it an action of one axis reads.
        along: PlaceAxis,
        /// How it is shaped.
        shape: ShapeUse,
    },
    /// A gesture on any touch panel.
    Gesture {
        /// Which.
        gesture: GestureId,
        /// How what it gives is shaped.
        shape: ShapeUse,
    },
    /// A combo.
    Combo(ComboId),
    /// One analogue axis.
    Axis {
        /// The control.
        control: ControlRef,
        /// How it is shaped.
        shape: ShapeUse,
    },
    /// Two keys, or two zones, as -1 and +1.
    Pair {
        /// Any of these is -1.
        negative: SideSpec,
        /// Any of these is +1.
        positive: SideSpec,
        /// What both together are.
        both: BothHeld,
    },
    /// A stick as two axes.
    Stick {
        /// The stick.
        stick: ControlRef,
        /// How it is shaped.
        shape: ShapeUse,
    },
    /// Four keys as two axes.
    Cross(CrossSpec),
    /// Relative motion, summed up and held in the unit circle, as two axes.
    Pointer {
        /// The device that moves, as a reference to its `x`.
        pointer: ControlRef,
        /// Counts from rest to the rim.
        counts: f32,
        /// How the sum is shaped.
        shape: ShapeUse,
    },
}

/// Along which axis of a zone a place is read.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum PlaceAxis {
    /// From left to right.
    #[default]
    X,
    /// From bottom to top.
    Y,
}

/// One side of a pair or a cross: any of these holds it.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SideSpec {
    /// Keys and buttons.
    pub keys: Vec<ControlRef>,
    /// Zones of touch panels.
    pub zones: Vec<ZoneId>,
}

/// Four keys, or four zones, as two axes.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub struct CrossSpec {
    /// x = -1.
    pub left: SideSpec,
    /// x = +1.
    pub right: SideSpec,
    /// y = +1.
    pub up: SideSpec,
    /// y = -1.
    pub down: SideSpec,
    /// What opposite keys together are.
    pub both: BothHeld,
}

/// What two opposite keys mean when both are held.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum BothHeld {
    /// They cancel out.
    Neutral,
    /// The one pressed last wins; releasing it falls back to the other.
    Last,
    /// The one pressed first wins; releasing it falls to the other.
    First,
}
