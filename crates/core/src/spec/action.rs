//! Actions, and what drives them.
//!
//! An action is the border between a rig and a game: game code asks for `slew` or `horn`, and the
//! rig says which keys, sticks, zones, gestures and combos drive it. Every input is worked out each
//! time that it moved; [`Combine`] says what several of them come to; gates and modes close the
//! whole.

use crate::base::{ActionId, ComboId, GestureId, ModeSet, ZoneId};
use crate::device::ControlRef;
use crate::spec::{ShapeUse, Space, Thresholds};
use alloc::{string::String, vec, vec::Vec};
use strum::{IntoStaticStr, VariantArray};

/// The named result that game code reads.
///
/// ```
/// use gtrig_core::{ActionSpec, DeadZone, Gives, InputSpec, Shape, ShapeUse, Stage};
///
/// // The left stick of any pad, with the middle eighth of its travel taken for rest.
/// let rest = Stage::DeadZone(DeadZone::radius(0.12));
/// let shape = ShapeUse::Own(Shape { stages: vec![rest], ..Shape::default() });
/// let stick = InputSpec::Stick { stick: "pad/stick-l".parse().unwrap(), shape };
/// let slew = ActionSpec::new("slew", Gives::Plane, vec![stick]);
/// assert!(slew.clamp && slew.inputs.iter().all(|input| slew.gives.accepts(input)));
/// ```
///
/// Invariants: every input suits what it gives ([`Gives::accepts`]); gates name actions that give
/// on or off and have no gates themselves; `space` is [`Space::Panel`] unless it gives a place.
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
///
/// An example: two inputs are at 0.6 and -0.8. The strongest is -0.8; their sum is -0.2. Of an
/// action that is on or off both rules are the same: any of its buttons holds it.
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
///
/// ```
/// use gtrig_core::Gives;
///
/// assert!(Gives::Toggle.is_digital() && Gives::Polar.is_vector());
/// // A place has two numbers and no direction.
/// assert!(Gives::Place.is_double() && !Gives::Place.is_vector());
/// ```
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
    ///
    /// | gives | inputs |
    /// |---|---|
    /// | `on`, `pulse`, `toggle` | button, zone, gesture, combo |
    /// | `axis` | axis, pair of sides, place on a zone, gesture |
    /// | `plane`, `polar` | stick, cross of four sides, pointer, place on a zone, gesture |
    /// | `place` | place on a zone |
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

impl InputSpec {
    /// How what it reads is shaped; `None` of an input that is on or off, and of keys, which
    /// have no travel.
    pub const fn shape(&self) -> Option<&ShapeUse> {
        match self {
            InputSpec::Axis { shape, .. }
            | InputSpec::Stick { shape, .. }
            | InputSpec::Place { shape, .. }
            | InputSpec::Gesture { shape, .. }
            | InputSpec::Pointer { shape, .. } => Some(shape),
            InputSpec::Button { .. }
            | InputSpec::Zone(_)
            | InputSpec::Combo(_)
            | InputSpec::Pair { .. }
            | InputSpec::Cross(_) => None,
        }
    }

    /// The sides that it is made of: two of a pair, four of a cross, none of all others.
    pub fn sides(&self) -> Vec<&SideSpec> {
        match self {
            InputSpec::Pair { negative, positive, .. } => vec![negative, positive],
            InputSpec::Cross(cross) => vec![&cross.left, &cross.right, &cross.up, &cross.down],
            _ => Vec::new(),
        }
    }

    /// The same, to be changed.
    pub const fn shape_mut(&mut self) -> Option<&mut ShapeUse> {
        match self {
            InputSpec::Axis { shape, .. }
            | InputSpec::Stick { shape, .. }
            | InputSpec::Place { shape, .. }
            | InputSpec::Gesture { shape, .. }
            | InputSpec::Pointer { shape, .. } => Some(shape),
            InputSpec::Button { .. }
            | InputSpec::Zone(_)
            | InputSpec::Combo(_)
            | InputSpec::Pair { .. }
            | InputSpec::Cross(_) => None,
        }
    }
}

/// Along which axis of a zone a place is read.
///
/// A slider along the lower edge reads `x`, a throttle at the side reads `y`.
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
    /// Keys and buttons, and other controls from half their travel on
    /// ([`Thresholds::HALF`]).
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
///
/// Left is held from 0 ms to 300 ms, right from 100 ms to 200 ms:
///
/// | rule | 0 ms | 100 ms | 200 ms | 300 ms |
/// |---|---|---|---|---|
/// | `neutral` | -1 | 0 | -1 | 0 |
/// | `last` | -1 | +1 | -1 | 0 |
/// | `first` | -1 | -1 | -1 | 0 |
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
