//! Actions and what drives them, tied to a roster.
//!
//! An input of a rig (`"pad/south"`) may mean several devices. Here it is one [`BoundInput`] for
//! each of them, so that a tick follows numbers only. What is read by which input is turned
//! around as well: for a control, a zone, a gesture or a combo that changed, the inputs to work
//! out again are one lookup away.

use super::{BoundInput, BoundShape, BoundSide, Opposites};
use crate::base::{
    ActionId, ComboId, ControlId, ControlTable, GestureId, InputId, ModeSet, ZoneId, ZoneSet,
};
use crate::device::ControlKind;
use crate::device::normalise;
use crate::shape::Chain;
use crate::spec::{Combine, Gives, SpaceMap};
use alloc::vec::Vec;
use core::ops::Range;

/// The actions of a rig and the ways to drive them.
///
/// Invariant: the inputs of an action lie side by side, and so do its gates.
#[derive(Clone, Debug, Default)]
pub(crate) struct ActionPlan {
    /// By [`ActionId`].
    pub(crate) actions: Vec<BoundAction>,
    /// By [`InputId`].
    pub(crate) inputs: Vec<BoundInput>,
    /// For each input its action.
    pub(crate) action_of: Vec<ActionId>,
    /// For each input its place among those that the rig lists for its action: what is the same
    /// input when devices come and numbers change.
    pub(crate) spec_of: Vec<u16>,
    /// The controls of sides, side by side; see [`ActionPlan::side`].
    pub(crate) sides: Vec<ControlId>,
    /// The bit of [`Thresholds::HALF`](crate::Thresholds::HALF), from which on a control of a side
    /// that is no button holds it.
    pub(crate) half: u32,
    /// The stages of shapes, which a [`BoundShape`] names.
    pub(crate) chains: Vec<Chain>,
    /// The ends and the rest of calibrated axes, x and y, instead of what their device says.
    pub(crate) travels: Vec<[Option<ControlKind>; 2]>,
    /// How many memories the stages of all inputs need.
    pub(crate) memory_count: usize,
    /// The gates of actions, action by action.
    pub(crate) gates: Vec<ActionGate>,
    /// For each action, those of which it is a gate; empty without gates.
    pub(crate) gated_by: Vec<Vec<ActionId>>,
    /// Whether any action is open in some modes only.
    pub(crate) has_modes: bool,
    /// For each control the inputs that read it.
    pub(crate) read_by: ControlTable<InputId>,
    /// What reads zones, in the order of the inputs.
    pub(crate) zone_readers: Vec<ZoneReader>,
    /// Each gesture with an input that reads it.
    pub(crate) gesture_readers: Vec<(GestureId, InputId)>,
    /// Each combo with an input that reads it.
    pub(crate) combo_readers: Vec<(ComboId, InputId)>,
    /// The actions that open and close zones.
    pub(crate) zone_gates: Vec<(ZoneId, ActionGate)>,
    /// The actions that combos read, and their gates, which are evaluated before
    /// combos; empty if there are none.
    pub(crate) early: Vec<bool>,
    /// The actions that only the main device drives.
    pub(crate) main_only: Vec<ActionId>,
}

/// An action, as a tick needs it.
///
/// What [`ActionSpec`](crate::ActionSpec) says, with ranges in place of lists.
#[derive(Clone, Debug)]
pub(crate) struct BoundAction {
    /// What game code reads of it.
    pub(crate) gives: Gives,
    /// Whether two axes are held in the unit circle.
    pub(crate) clamp: bool,
    /// Whether only the main device drives it.
    pub(crate) main_only: bool,
    /// What several inputs come to.
    pub(crate) combine: Combine,
    /// The modes in which it is open.
    pub(crate) modes: ModeSet,
    /// Its gates, by their places.
    pub(crate) gates: Range<u32>,
    /// Its inputs, by their numbers.
    pub(crate) inputs: Range<u32>,
    /// Of a place: from shares of a panel to its numbers; `None` for millimetres of
    /// whatever panel it is on.
    pub(crate) from_panel: Option<SpaceMap>,
}

/// An action that opens or closes something.
#[derive(Clone, Copy, Debug)]
pub(crate) struct ActionGate {
    /// The action that is asked: one that gives on or off.
    pub(crate) by: ActionId,
    /// Whether the other is closed while this one is on, instead of while it is
    /// off.
    pub(crate) closes: bool,
}

/// An input that reads zones, whatever has a contact on them.
#[derive(Clone, Copy, Debug)]
pub(crate) struct ZoneReader {
    /// The input.
    pub(crate) input: InputId,
    /// The zones that it reads.
    pub(crate) zones: ZoneSet,
    /// Whether it also reads where on them a contact is.
    pub(crate) reads_places: bool,
}

impl ZoneReader {
    /// Whether it is due when a contact was polled that has these zones, of which it
    /// got or lost those.
    pub(crate) fn reads(&self, has: ZoneSet, changed: ZoneSet) -> bool {
        changed.meets(self.zones) || (self.reads_places && has.meets(self.zones))
    }
}

impl ActionPlan {
    /// The action of an id of the same rig.
    #[inline]
    pub(crate) fn action(&self, action: ActionId) -> &BoundAction {
        &self.actions[action.index()]
    }

    /// An input, and the action it is of.
    #[inline]
    pub(crate) fn input(&self, input: InputId) -> (&BoundInput, ActionId) {
        (&self.inputs[input.index()], self.action_of[input.index()])
    }

    /// The numbers of the inputs of an action.
    pub(crate) fn inputs_of(&self, action: ActionId) -> impl Iterator<Item = InputId> + use<> {
        self.action(action).inputs.clone().map(InputId)
    }

    /// The stages of a shape.
    #[inline]
    pub(crate) fn chain(&self, shape: BoundShape) -> &Chain {
        &self.chains[shape.chain as usize]
    }

    /// The controls of a side.
    pub(crate) fn side(&self, side: BoundSide) -> &[ControlId] {
        let end = side.first + side.buttons + side.travels;
        &self.sides[side.first as usize..end as usize]
    }

    /// A raw value of x (0) or y (1) on its own scale, by the calibration of a
    /// shape if it has one.
    ///
    /// `None` where the axis is not calibrated: then the range that the device says counts.
    #[inline]
    pub(crate) fn calibrated(&self, shape: BoundShape, axis: usize, raw: i32) -> Option<f32> {
        let travel = self.travels[usize::from(shape.travel?.get()) - 1][axis]?;
        Some(normalise(travel, raw))
    }

    /// The actions that open or close an action.
    pub(crate) fn gates_of(&self, action: &BoundAction) -> &[ActionGate] {
        &self.gates[action.gates.start as usize..action.gates.end as usize]
    }

    /// The actions that an action opens or closes.
    pub(crate) fn gated_by(&self, gate: ActionId) -> &[ActionId] {
        self.gated_by.get(gate.index()).map_or(&[], Vec::as_slice)
    }

    /// Whether any action is ever closed, by another one or by a mode. In a rig without, nothing
    /// of it is asked.
    #[inline]
    pub(crate) fn has_gates(&self) -> bool {
        !self.gates.is_empty() || self.has_modes
    }

    /// Whether combos read an action, so that it is evaluated before them.
    pub(crate) fn is_early(&self, action: ActionId) -> bool {
        self.early.get(action.index()).copied().unwrap_or(false)
    }

    /// Whether combos read any action.
    pub(crate) fn has_early(&self) -> bool {
        !self.early.is_empty()
    }

    /// Every control that two sides read.
    pub(crate) fn keys_of(&self, pair: Opposites) -> impl Iterator<Item = ControlId> {
        [pair.negative, pair.positive].into_iter().flat_map(|side| self.side(side)).copied()
    }
}
