//! A rig tied to the devices of a roster: immutable, shared by every run.
//!
//! Names are resolved to numbers here, once, so that a tick only follows
//! indices. Binding again after a device arrived never changes what the
//! devices before it do: inputs keep the order of the rig and, within a
//! reference to any device of a kind, the order of the roster.

mod action;
mod bind;
mod input;
mod table;

pub use action::*;
pub use input::*;

use crate::base::{ActionId, ControlId, DeviceId, PollRate, SignalId, from_polar};
use crate::combo::{Automaton, BoundMode, BoundSignal};
use crate::device::{Control, ControlKind, DeviceKind, Roster};
use crate::gesture::{BoundGesture, Signs};
use crate::sample::{BoundThresholds, SampledControl};
use crate::shape::{Chain, normalise};
use crate::spec::{EdgeSettings, Gives, MainRule, Rig};
use crate::touch::{Contact, Zones};
use alloc::{sync::Arc, vec, vec::Vec};
use bind::Binder;
use core::ops::Range;
use table::ControlTable;

/// A rig tied to the controls of a roster.
#[derive(Clone, Debug)]
pub struct Plan {
    rate: PollRate,
    /// Seconds between two ticks.
    pub(crate) period: f32,
    controls: Vec<SampledControl>,
    devices: Vec<BoundDevice>,
    main_rule: MainRule,
    /// The actions that only the main device drives.
    main_only: Vec<ActionId>,
    actions: Vec<BoundAction>,
    inputs: Vec<BoundInput>,
    sides: Vec<ControlId>,
    passings: Vec<BoundThresholds>,
    chains: Vec<Chain>,
    /// What calibrated axes report, instead of what their device says.
    travels: Vec<[Option<ControlKind>; 2]>,
    memory_count: usize,
    gates: Vec<ActionGate>,
    /// For each action, those of which it is a gate; empty without gates.
    gated_by: Vec<Vec<ActionId>>,
    feeds: ControlTable<ActionId>,
    /// For each control the inputs that read it, by their place in `inputs`.
    read_by: ControlTable<u32>,
    zones: Zones,
    contacts: Vec<Contact>,
    /// For each control one more than the contact it is of; 0 for none.
    contact_of: Vec<u16>,
    /// The inputs that read zones, and those that are gestures.
    zone_readers: Vec<ZoneReader>,
    gesture_inputs: Vec<u32>,
    /// The actions that open and close zones.
    zone_gates: Vec<(u8, ActionGate)>,
    gestures: Vec<BoundGesture>,
    signs: Signs,
    automaton: Arc<Automaton>,
    signals: Vec<BoundSignal>,
    /// The controls of signals, each with the bit of its thresholds.
    signal_controls: Vec<(ControlId, u32)>,
    signals_of: ControlTable<SignalId>,
    signal_kinds: SignalKinds,
    combo_inputs: Vec<u32>,
    modes: Vec<BoundMode>,
    /// The actions that combos read, and their gates; empty if there are none.
    early: Vec<bool>,
    /// For each input its action, and its place among those of the rig.
    action_of: Vec<ActionId>,
    spec_of: Vec<u16>,
}

/// The signals that are no controls.
#[derive(Clone, Debug, Default)]
struct SignalKinds {
    zones: Vec<SignalId>,
    gestures: Vec<SignalId>,
    actions: Vec<SignalId>,
}

/// A device, as far as a run needs it.
#[derive(Clone, Debug)]
pub(crate) struct BoundDevice {
    /// Presence and controls.
    pub(crate) range: Range<u16>,
    /// Its slot, for devices that may be the main one.
    pub(crate) main_number: Option<u8>,
    kind: DeviceKind,
}

/// An input that reads zones.
#[derive(Clone, Copy, Debug)]
pub(crate) struct ZoneReader {
    pub(crate) input: u32,
    /// Which, a bit each.
    pub(crate) zones: u64,
    /// The contacts that count for it; `None` for all of them.
    pub(crate) contacts: Option<(u16, u16)>,
}

impl ZoneReader {
    /// Whether it is due when a contact got or lost these zones.
    pub(crate) fn reads(&self, contact: u16, changed: u64) -> bool {
        let is_its = self.contacts.is_none_or(|(first, after)| (first..after).contains(&contact));
        is_its && changed & self.zones != 0
    }
}

impl Plan {
    /// Ties a rig to the devices known so far.
    pub fn bind(rig: &Rig, roster: &Roster) -> Self {
        Binder::new(rig, roster).bind()
    }

    /// A control of the roster.
    pub fn control(&self, control: ControlId) -> Control {
        self.sampled(control).control
    }

    /// Whether a value of a control is further out than noise would take it.
    pub fn is_in_use(&self, control: ControlId, value: i32) -> bool {
        self.sampled(control).used.is_beyond(value)
    }

    /// How many devices it knows.
    pub fn device_count(&self) -> usize {
        self.devices.len()
    }

    /// How many gestures it has.
    pub fn gesture_count(&self) -> usize {
        self.gestures.len()
    }

    /// How many combos it has.
    pub fn combo_count(&self) -> usize {
        self.automaton.combos.len()
    }

    /// The stages of a shape.
    pub fn chain(&self, shape: BoundShape) -> &Chain {
        &self.chains[shape.chain as usize]
    }

    /// The zones of the rig.
    pub fn zones(&self) -> &Zones {
        &self.zones
    }

    /// The contacts of every touch panel, those of a panel together.
    pub fn contacts(&self) -> &[Contact] {
        &self.contacts
    }

    /// The contact that a control is part of.
    pub fn contact_of(&self, control: ControlId) -> Option<u16> {
        self.contact_of.get(control.index())?.checked_sub(1)
    }

    pub(crate) fn zone_readers(&self) -> &[ZoneReader] {
        &self.zone_readers
    }

    /// The actions that open and close zones, each with its zone.
    pub(crate) fn zone_gates(&self) -> &[(u8, ActionGate)] {
        &self.zone_gates
    }

    pub(crate) fn gestures(&self) -> &[BoundGesture] {
        &self.gestures
    }

    /// All combos as one automaton.
    pub(crate) fn automaton(&self) -> &Automaton {
        &self.automaton
    }

    pub(crate) fn has_combos(&self) -> bool {
        !self.automaton.combos.is_empty()
    }

    pub(crate) fn signal_count(&self) -> usize {
        self.signals.len()
    }

    pub(crate) fn signal(&self, signal: SignalId) -> &BoundSignal {
        &self.signals[signal.index()]
    }

    /// The controls of a signal, each with the bit of its thresholds.
    pub(crate) fn signal_controls(&self, signal: SignalId) -> &[(ControlId, u32)] {
        match self.signals[signal.index()] {
            BoundSignal::Controls { first, len } => {
                &self.signal_controls[first as usize..(first + len) as usize]
            }
            _ => &[],
        }
    }

    /// The signals that a control is part of.
    pub(crate) fn signals_of(&self, control: ControlId) -> &[SignalId] {
        self.signals_of.of(control)
    }

    pub(crate) fn zone_signals(&self) -> &[SignalId] {
        &self.signal_kinds.zones
    }

    pub(crate) fn gesture_signals(&self) -> &[SignalId] {
        &self.signal_kinds.gestures
    }

    /// Those that are an action or a direction of one.
    pub(crate) fn action_signals(&self) -> &[SignalId] {
        &self.signal_kinds.actions
    }

    /// What an action gives, as a vector.
    pub(crate) fn vector(&self, action: ActionId, state: ActionState) -> [f32; 2] {
        match self.gives(action) {
            Gives::Polar => from_polar([state.x, state.y]),
            _ => [state.x, state.y],
        }
    }

    pub(crate) fn modes(&self) -> &[BoundMode] {
        &self.modes
    }

    /// Whether combos read a control.
    pub fn feeds_combos(&self, control: ControlId) -> bool {
        !self.signals_of(control).is_empty()
    }

    /// Whether combos read an action.
    pub fn combos_read(&self, action: ActionId) -> bool {
        let is_its = |signal: &BoundSignal| match signal {
            BoundSignal::Action(other) | BoundSignal::Way(other, _) => *other == action,
            _ => false,
        };
        self.signals.iter().any(is_its)
    }

    /// Whether combos read an action, so that it is evaluated before them.
    pub(crate) fn is_early(&self, action: ActionId) -> bool {
        self.early.get(action.index()).copied().unwrap_or(false)
    }

    pub(crate) fn has_early(&self) -> bool {
        !self.early.is_empty()
    }

    /// The inputs that are a combo, by their place in [`Plan::input`].
    pub(crate) fn inputs_by_combo(&self, combo: u16) -> impl Iterator<Item = u32> {
        let is_it = move |at: &u32| matches!(self.inputs[*at as usize], BoundInput::Combo(its) if its == combo);
        self.combo_inputs.iter().copied().filter(is_it)
    }

    pub(crate) fn signs(&self) -> &Signs {
        &self.signs
    }

    /// The inputs that are a gesture, by their place in [`Plan::input`].
    pub(crate) fn inputs_by_gesture(&self, gesture: u16) -> impl Iterator<Item = u32> {
        let is_it = move |at: &u32| matches!(self.inputs[*at as usize], BoundInput::Gesture { gesture: its, .. } if its == gesture);
        self.gesture_inputs.iter().copied().filter(is_it)
    }

    /// Whether an input reads a travel, be it as a button.
    pub fn is_analogue(&self, input: BoundInput) -> bool {
        match input {
            BoundInput::Axis { .. } | BoundInput::Stick { .. } | BoundInput::Pointer { .. } => true,
            BoundInput::Button { control, .. } => {
                let kind = self.sampled(control).control.kind;
                matches!(kind, ControlKind::Axis { .. } | ControlKind::Trigger { .. })
            }
            BoundInput::Zone { .. }
            | BoundInput::Gesture { .. }
            | BoundInput::Combo(_)
            | BoundInput::Pair(_)
            | BoundInput::Cross { .. } => false,
        }
    }

    /// The stages that an input goes through; none for one that is not shaped.
    pub fn chain_of(&self, input: BoundInput) -> &Chain {
        match input {
            BoundInput::Axis { shape, .. }
            | BoundInput::Stick { shape, .. }
            | BoundInput::Gesture { shape, .. }
            | BoundInput::Pointer { shape, .. } => self.chain(shape),
            BoundInput::Button { .. }
            | BoundInput::Zone { .. }
            | BoundInput::Combo(_)
            | BoundInput::Pair(_)
            | BoundInput::Cross { .. } => Chain::NONE,
        }
    }

    /// A raw value of x (0) or y (1) on its own scale, by the calibration of a
    /// shape if it has one.
    pub(crate) fn calibrated(&self, shape: BoundShape, axis: usize, raw: i32) -> Option<f32> {
        if shape.travel == 0 {
            return None;
        }
        let travel = self.travels[usize::from(shape.travel) - 1][axis]?;
        Some(normalise(travel, raw))
    }

    pub(crate) fn memory_count(&self) -> usize {
        self.memory_count
    }

    pub(crate) fn gates(&self, action: &BoundAction) -> &[ActionGate] {
        &self.gates[action.gates.start as usize..action.gates.end as usize]
    }

    /// The actions that an action opens or closes.
    pub(crate) fn gated_by(&self, gate: ActionId) -> &[ActionId] {
        self.gated_by.get(gate.index()).map_or(&[], Vec::as_slice)
    }

    pub(crate) fn has_gates(&self) -> bool {
        !self.gates.is_empty() || !self.modes.is_empty()
    }

    /// How often to poll.
    pub fn rate(&self) -> PollRate {
        self.rate
    }

    /// How many controls it samples.
    pub fn control_count(&self) -> usize {
        self.controls.len()
    }

    /// How many actions it has.
    pub fn action_count(&self) -> usize {
        self.actions.len()
    }

    /// What an action gives.
    pub fn gives(&self, action: ActionId) -> Gives {
        self.actions[action.index()].gives
    }

    /// How the edges of a control are derived.
    pub fn edges(&self, control: ControlId) -> EdgeSettings {
        self.controls[control.index()].edges
    }

    /// The actions that a control feeds.
    pub fn fed_by(&self, control: ControlId) -> &[ActionId] {
        self.feeds.of(control)
    }

    /// The inputs that read a control, by their place in [`Plan::input`].
    pub(crate) fn read_by(&self, control: ControlId) -> &[u32] {
        self.read_by.of(control)
    }

    /// An input by its place, and the action it is of.
    pub(crate) fn input(&self, at: u32) -> (&BoundInput, ActionId) {
        (&self.inputs[at as usize], self.action_of[at as usize])
    }

    /// Which of the inputs that the rig gives an action its `nth` bound one is.
    pub fn spec_of(&self, action: ActionId, nth: usize) -> usize {
        usize::from(self.spec_of[self.action(action).inputs.start as usize + nth])
    }

    pub(crate) fn input_count(&self) -> usize {
        self.inputs.len()
    }

    /// The places of the inputs of an action.
    pub(crate) fn inputs_of(&self, action: ActionId) -> Range<u32> {
        self.action(action).inputs.clone()
    }

    pub(crate) fn passings(&self, sampled: &SampledControl) -> &[BoundThresholds] {
        let first = sampled.first_passing as usize;
        &self.passings[first..first + sampled.passing_count as usize]
    }

    pub(crate) fn sampled(&self, control: ControlId) -> &SampledControl {
        &self.controls[control.index()]
    }

    /// Presence and controls of the device a control is on.
    pub(crate) fn siblings(&self, control: ControlId) -> Range<u16> {
        self.devices[self.sampled(control).control.device.0 as usize].range.clone()
    }

    pub(crate) fn devices(&self) -> &[BoundDevice] {
        &self.devices
    }

    pub(crate) fn main_rule(&self) -> MainRule {
        self.main_rule
    }

    /// The actions that only the main device drives.
    pub(crate) fn main_only(&self) -> &[ActionId] {
        &self.main_only
    }

    /// Whether two devices count as one when it comes to which is the main
    /// one: keys and mouse do.
    pub(crate) fn are_together(&self, one: DeviceId, other: DeviceId) -> bool {
        let is_desk = |device: DeviceId| {
            let kind = self.devices[usize::from(device.0)].kind;
            matches!(kind, DeviceKind::Keys | DeviceKind::Mouse)
        };
        one == other || is_desk(one) && is_desk(other)
    }

    pub(crate) fn controls(&self) -> &[SampledControl] {
        &self.controls
    }

    pub(crate) fn action(&self, action: ActionId) -> &BoundAction {
        &self.actions[action.index()]
    }

    /// What can drive an action now, in the order of the rig.
    pub fn inputs(&self, action: ActionId) -> &[BoundInput] {
        let range = &self.action(action).inputs;
        &self.inputs[range.start as usize..range.end as usize]
    }

    /// Every control that an input reads.
    pub fn controls_of(&self, input: BoundInput) -> Vec<ControlId> {
        let on_panels = || {
            let contacts = self.contacts.iter();
            contacts.flat_map(|contact| [contact.down, contact.x, contact.y]).collect::<Vec<_>>()
        };
        let side = |side: BoundSide| match side.zones {
            0 => self.side(side).to_vec(),
            _ => [self.side(side), &on_panels()].concat(),
        };
        let sides = |pair: Opposites| [side(pair.negative), side(pair.positive)].concat();
        match input {
            BoundInput::Button { control, .. } | BoundInput::Axis { control, .. } => vec![control],
            BoundInput::Stick { x, y, .. } | BoundInput::Pointer { x, y, .. } => vec![x, y],
            BoundInput::Zone { first, count, .. } => {
                let contacts = &self.contacts[usize::from(first)..usize::from(first + count)];
                contacts.iter().flat_map(|contact| [contact.down, contact.x, contact.y]).collect()
            }
            BoundInput::Gesture { .. } => on_panels(),
            BoundInput::Combo(combo) => {
                let signals = &self.automaton.combos[usize::from(combo)].signals;
                let controls = signals.iter().flat_map(|&signal| self.signal_controls(signal));
                controls.map(|&(control, _)| control).collect()
            }
            BoundInput::Pair(pair) => sides(pair),
            BoundInput::Cross { x, y } => [sides(x), sides(y)].concat(),
        }
    }

    /// Every control that feeds an action.
    pub fn feeders(&self, action: ActionId) -> impl Iterator<Item = ControlId> {
        self.inputs(action).iter().flat_map(|&input| self.controls_of(input))
    }

    /// Whether two controls are on one device.
    pub fn are_siblings(&self, one: ControlId, other: ControlId) -> bool {
        self.sampled(one).control.device == self.sampled(other).control.device
    }

    /// The buttons of a side.
    pub fn side(&self, side: BoundSide) -> &[ControlId] {
        &self.sides[side.first as usize..(side.first + side.len) as usize]
    }
}
