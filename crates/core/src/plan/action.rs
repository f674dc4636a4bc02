//! Actions and what drives them, tied to a roster.

use super::{BoundInput, BoundShape, BoundSide, Opposites};
use crate::base::{
    ActionId, ComboId, ContactId, ControlId, ControlTable, GestureId, InputId, ModeSet, ZoneId,
    ZoneSet,
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
    pub(crate) actions: Vec<BoundAction>,
    pub(crate) inputs: Vec<BoundInput>,
    /// For each input its action, and its place among those of the rig.
    pub(crate) action_of: Vec<ActionId>,
    pub(crate) spec_of: Vec<u16>,
    /// The buttons of sides.
    pub(crate) sides: Vec<ControlId>,
    pub(crate) chains: Vec<Chain>,
    /// What calibrated axes report, instead of what their device says.
    pub(crate) travels: Vec<[Option<ControlKind>; 2]>,
    pub(crate) memory_count: usize,
    pub(crate) gates: Vec<ActionGate>,
    /// For each action, those of which it is a gate; empty without gates.
    pub(crate) gated_by: Vec<Vec<ActionId>>,
    /// Whether any action is open in some modes only.
    pub(crate) has_modes: bool,
    /// For each control the inputs that read it.
    pub(crate) read_by: ControlTable<InputId>,
    pub(crate) zone_readers: Vec<ZoneReader>,
    pub(crate) gesture_readers: Vec<(GestureId, InputId)>,
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
#[derive(Clone, Debug)]
pub(crate) struct BoundAction {
    pub(crate) gives: Gives,
    pub(crate) clamp: bool,
    pub(crate) main_only: bool,
    pub(crate) combine: Combine,
    pub(crate) modes: ModeSet,
    pub(crate) gates: Range<u32>,
    pub(crate) inputs: Range<u32>,
    /// Of a place: from shares of a panel to its numbers; `None` for millimetres of
    /// whatever panel it is on.
    pub(crate) from_panel: Option<SpaceMap>,
}

/// An action that opens or closes something.
#[derive(Clone, Copy, Debug)]
pub(crate) struct ActionGate {
    pub(crate) by: ActionId,
    /// Whether the other is closed while this one is on, instead of while it is
    /// off.
    pub(crate) closes: bool,
}

/// An input that reads zones.
#[derive(Clone, Copy, Debug)]
pub(crate) struct ZoneReader {
    pub(crate) input: InputId,
    pub(crate) zones: ZoneSet,
    /// Whether it also reads where on them a contact is.
    pub(crate) reads_places: bool,
    /// The contacts that count for it; `None` for all of them.
    pub(crate) contacts: Option<(ContactId, ContactId)>,
}

impl ZoneReader {
    /// Whether it is due when a contact was polled that has these zones, of which it
    /// got or lost those.
    pub(crate) fn reads(&self, contact: ContactId, has: ZoneSet, changed: ZoneSet) -> bool {
        let is_its = self.contacts.is_none_or(|(first, after)| (first..after).contains(&contact));
        let is_news = changed.meets(self.zones) || (self.reads_places && has.meets(self.zones));
        is_its && is_news
    }
}

impl ActionPlan {
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

    #[inline]
    pub(crate) fn chain(&self, shape: BoundShape) -> &Chain {
        &self.chains[shape.chain as usize]
    }

    /// The buttons of a side.
    pub(crate) fn side(&self, side: BoundSide) -> &[ControlId] {
        &self.sides[side.first as usize..(side.first + side.len) as usize]
    }

    /// A raw value of x (0) or y (1) on its own scale, by the calibration of a
    /// shape if it has one.
    #[inline]
    pub(crate) fn calibrated(&self, shape: BoundShape, axis: usize, raw: i32) -> Option<f32> {
        let travel = self.travels[usize::from(shape.travel?.get()) - 1][axis]?;
        Some(normalise(travel, raw))
    }

    pub(crate) fn gates_of(&self, action: &BoundAction) -> &[ActionGate] {
        &self.gates[action.gates.start as usize..action.gates.end as usize]
    }

    /// The actions that an action opens or closes.
    pub(crate) fn gated_by(&self, gate: ActionId) -> &[ActionId] {
        self.gated_by.get(gate.index()).map_or(&[], Vec::as_slice)
    }

    #[inline]
    pub(crate) fn has_gates(&self) -> bool {
        !self.gates.is_empty() || self.has_modes
    }

    /// Whether combos read an action, so that it is evaluated before them.
    pub(crate) fn is_early(&self, action: ActionId) -> bool {
        self.early.get(action.index()).copied().unwrap_or(false)
    }

    pub(crate) fn has_early(&self) -> bool {
        !self.early.is_empty()
    }

    /// Every button that two sides read.
    pub(crate) fn keys_of(&self, pair: Opposites) -> impl Iterator<Item = ControlId> {
        [pair.negative, pair.positive].into_iter().flat_map(|side| self.side(side)).copied()
    }
}
