//! What drives an action, tied to controls.

use crate::base::{ComboId, ControlId, GestureId, ZoneId, ZoneSet};
use crate::device::Axes;
use crate::spec::{BothHeld, PlaceAxis, Thresholds};
use core::{num::NonZeroU16, ops::Range};

/// One way to drive an action, tied to controls: an
/// [`InputSpec`](crate::InputSpec) whose names are resolved.
///
/// | of the rig | bound for each |
/// |---|---|
/// | button, axis | control that is meant |
/// | stick, pointer | device that is meant and has both axes |
/// | zone, place | once, if there is a panel |
/// | gesture, combo, pair, cross | once |
#[derive(Clone, Copy, Debug)]
pub enum BoundInput {
    /// A button, or any other control from a travel on.
    Button {
        /// The control.
        control: ControlId,
        /// For a control that is no button.
        thresholds: Thresholds,
        /// The bit of the thresholds in the state of the control.
        bit: u32,
    },
    /// A zone, whatever has a contact on it: any panel or pointer.
    Zone(ZoneId),
    /// Where on a zone the contact is that landed last, of those of all panels and pointers.
    Place {
        /// The zone.
        zone: ZoneId,
        /// What of it an action of one axis reads.
        along: PlaceAxis,
        /// How it is shaped.
        shape: BoundShape,
    },
    /// A gesture on any touch panel.
    Gesture {
        /// Which.
        gesture: GestureId,
        /// How what it gives is shaped.
        shape: BoundShape,
    },
    /// A combo.
    Combo(ComboId),
    /// One analogue axis.
    Axis {
        /// The control.
        control: ControlId,
        /// How it is shaped.
        shape: BoundShape,
    },
    /// Two opposite sides as one axis.
    Pair(Opposites),
    /// Two analogue axes.
    Stick {
        /// The horizontal axis.
        x: ControlId,
        /// The vertical axis.
        y: ControlId,
        /// How it is shaped.
        shape: BoundShape,
    },
    /// Relative motion, summed up.
    Pointer {
        /// Counts to the right.
        x: ControlId,
        /// Counts downwards.
        y: ControlId,
        /// Counts from rest to the rim.
        counts: f32,
        /// How the sum is shaped; the first of its memories is the sum.
        shape: BoundShape,
    },
    /// Two pairs as two axes.
    Cross {
        /// Left and right.
        x: Opposites,
        /// Down and up.
        y: Opposites,
    },
}

impl BoundInput {
    /// The axes it reads; `None` for what has no travel of its own: keys, zones,
    /// gestures, combos.
    ///
    /// ```
    /// use gtrig_core::{BoundInput, ComboId};
    ///
    /// assert_eq!(BoundInput::Combo(ComboId(0)).axes(), None);
    /// ```
    pub const fn axes(self) -> Option<Axes> {
        match self {
            BoundInput::Stick { x, y, .. } | BoundInput::Pointer { x, y, .. } => {
                Some(Axes::stick(x, y))
            }
            BoundInput::Axis { control, .. } | BoundInput::Button { control, .. } => {
                Some(Axes::single(control))
            }
            BoundInput::Zone { .. }
            | BoundInput::Place { .. }
            | BoundInput::Gesture { .. }
            | BoundInput::Combo(_)
            | BoundInput::Pair(_)
            | BoundInput::Cross { .. } => None,
        }
    }
}

impl BoundInput {
    /// Whether it is a single button, or something that is pressed as one.
    pub(crate) const fn is_one_button(self) -> bool {
        matches!(self, BoundInput::Button { .. } | BoundInput::Combo(_))
    }

    /// Whether it is this control as a button.
    pub(crate) fn is_button(self, of: ControlId) -> bool {
        matches!(self, BoundInput::Button { control, .. } if control == of)
    }

    /// Whether it is made of several keys or fingers.
    pub(crate) const fn has_keys(self) -> bool {
        matches!(self, BoundInput::Zone { .. } | BoundInput::Pair(_) | BoundInput::Cross { .. })
    }
}

/// Two opposite sides, each any of some controls and zones.
///
/// A pair has one of these and a cross two; see [`BothHeld`] for what both sides together come to.
#[derive(Clone, Copy, Debug)]
pub struct Opposites {
    /// The side that is -1.
    pub negative: BoundSide,
    /// The side that is +1.
    pub positive: BoundSide,
    /// What both together are.
    pub both: BothHeld,
}

impl Opposites {
    /// Whether no device has any of the controls.
    pub(crate) fn is_empty(&self) -> bool {
        let has_none = |side: BoundSide| side.buttons + side.travels == 0 && side.zones.is_empty();
        has_none(self.negative) && has_none(self.positive)
    }
}

/// The controls of a side, which [`Plan::side`](crate::Plan::side) lists, and its zones. The side
/// is held while any of them is: a control that is no button from half its travel on.
#[derive(Clone, Copy, Debug)]
pub struct BoundSide {
    /// Where its controls begin among those of all sides.
    pub(crate) first: u32,
    /// How many of them are buttons, which come first.
    pub(crate) buttons: u32,
    /// How many are others.
    pub(crate) travels: u32,
    /// On any panel.
    pub(crate) zones: ZoneSet,
}

impl BoundSide {
    /// Its zones.
    pub const fn zones(self) -> ZoneSet {
        self.zones
    }
}

/// A shape, tied to its place in the plan and to its memory in the machine. Each input has stages
/// and memories of its own, also where several use one shape of the rig.
#[derive(Clone, Copy, Debug, Default)]
pub struct BoundShape {
    /// Its place among the chains.
    pub(crate) chain: u32,
    /// How many memories it has in all.
    pub(crate) memories: u16,
    /// How many of them are the input's own, before those of the stages: 1 of a pointer, its sum.
    pub(crate) own: u16,
    /// Its place among the travels, counted from 1.
    pub(crate) travel: Option<NonZeroU16>,
    /// Where in the machine its memories begin.
    pub(crate) memory: u32,
}

impl BoundShape {
    /// All its memories.
    pub(crate) fn memories(self) -> Range<usize> {
        self.memory as usize..self.memory as usize + usize::from(self.memories)
    }

    /// Those of its stages.
    pub(crate) fn of_stages(self) -> Range<usize> {
        let all = self.memories();
        all.start + usize::from(self.own)..all.end
    }
}
