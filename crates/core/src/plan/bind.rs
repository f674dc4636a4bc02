//! From names to numbers: a rig and a roster become a plan.
//!
//! Binding is done when a rig is loaded or nudged and whenever a device comes, and not in a tick:
//! it may allocate and search. It never fails. What a rig names and no device has is left out; a
//! device that comes later is bound then.
//!
//! It is repeatable: the same rig and the same roster give the same plan, and a device more
//! changes no order among the inputs that were there. So a machine goes on with another plan
//! without losing what it remembers.
//!
//! ```text
//!  new:  contacts and zones            everything below refers to them
//!  bind: actions  ──▶ inputs, in the order of the rig
//!        signals  ──▶ what combos listen to
//!        memories ──▶ a place for what each shape remembers
//!        readers  ──▶ the way back: from a control to the inputs that read it
//!        combos   ──▶ the automaton
//! ```

mod devices;
mod inputs;
mod panels;
mod signals;

use super::{ActionGate, ActionPlan, BoundAction, Plan};
use crate::base::{ActionId, ControlId, ControlTable, InputId};
use crate::combo::{Automaton, BoundMode, ComboPlan};
use crate::device::Roster;
use crate::sample::{BoundThresholds, SamplePlan};
use crate::spec::{ActionSpec, MAX_THRESHOLDS, Rig, Thresholds};
use crate::touch::{TouchPlan, Zones};
use alloc::{sync::Arc, vec, vec::Vec};

/// Binds a rig to a roster, action by action and signal by signal. It gathers the parts of a
/// [`Plan`] until [`Binder::bind`] puts them together.
///
/// It lives for one call of [`Plan::bind`].
pub(super) struct Binder<'r> {
    /// What is bound.
    rig: &'r Rig,
    /// What it is bound to.
    roster: &'r Roster,
    /// The actions so far.
    actions: ActionPlan,
    /// What combos listen to, so far.
    combos: ComboPlan,
    /// Zones and contacts, which are there from the beginning.
    touch: TouchPlan,
    /// The controls that count as pressed from a travel on, with that travel.
    thresholds: Vec<BoundThresholds>,
    /// The different thresholds of the rig, in the order they appear.
    pairs: Vec<Thresholds>,
    /// Which control feeds which action, in whatever way; a pair may be there twice.
    feeds: Vec<(ControlId, ActionId)>,
    /// Which control is read by which input.
    reads: Vec<(ControlId, InputId)>,
}

impl<'r> Binder<'r> {
    /// Finds the contacts and zones first, for inputs refer to them.
    pub(super) fn new(rig: &'r Rig, roster: &'r Roster) -> Self {
        let contacts = panels::contacts(roster, rig);
        let zones = Zones::new(&rig.zones, &rig.surface);
        Binder {
            rig,
            roster,
            actions: ActionPlan::default(),
            combos: ComboPlan::default(),
            touch: TouchPlan { zones, contacts, ..TouchPlan::default() },
            thresholds: Vec::new(),
            pairs: Vec::new(),
            feeds: Vec::new(),
            reads: Vec::new(),
        }
    }

    /// Binds everything. The order matters: inputs are numbered action by action, and what looks
    /// back at all inputs (memories, gates, readers) comes after them.
    pub(super) fn bind(mut self) -> Plan {
        let rig = self.rig;
        for (spec, id) in rig.actions.iter().zip((0..).map(ActionId)) {
            let action = self.action(spec, id);
            self.actions.actions.push(action);
        }
        self.signals();
        self.thresholds.sort_by_key(|pair| (pair.control, pair.bit, !pair.holds_side));
        self.thresholds.dedup_by_key(|pair| (pair.control, pair.bit));
        self.place_memories();
        self.touch.contacts_of = self.contacts_of();
        self.finish_actions();
        let controls = self.roster.controls().len();
        let gestures = self.gestures();
        self.actions.read_by = ControlTable::new(self.reads, controls);
        let automaton = Automaton::new(&rig.combos, self.combos.signals.len(), rig.rate);
        self.combos.automaton = Arc::new(automaton);
        self.combos.modes = rig.modes.iter().map(BoundMode::new).collect();
        let sample = SamplePlan {
            controls: devices::controls(self.roster, rig, &self.thresholds),
            devices: self.roster.devices().map(|(_, device)| device.range()).collect(),
            thresholds: self.thresholds,
        };
        self.touch.hears_movements =
            self.touch.contacts.iter().any(|contact| panels::hears_movements(contact, self.roster));
        Plan {
            rate: rig.rate,
            period: rig.rate.period_seconds(),
            sample,
            election: devices::election(self.roster, &rig.main),
            gestures,
            touch: self.touch,
            combos: self.combos,
            actions: self.actions,
            feeds: ControlTable::new(self.feeds, controls),
        }
    }

    /// Binds an action: its inputs, which get the next numbers, and its gates.
    ///
    /// Called once for each action, in the order of the rig.
    fn action(&mut self, spec: &ActionSpec, id: ActionId) -> BoundAction {
        let first = self.actions.inputs.len() as u32;
        let first_gate = self.actions.gates.len() as u32;
        for (input, nth) in spec.inputs.iter().zip(0..) {
            self.input(input, id);
            self.actions.spec_of.resize(self.actions.inputs.len(), nth);
            self.actions.action_of.resize(self.actions.inputs.len(), id);
        }
        for (gates, closes) in [(&spec.closed_while, true), (&spec.open_while, false)] {
            self.actions.gates.extend(gates.iter().map(|&by| ActionGate { by, closes }));
        }
        BoundAction {
            gives: spec.gives,
            clamp: spec.clamp,
            main_only: spec.main_only,
            combine: spec.combine,
            modes: spec.modes,
            gates: first_gate..self.actions.gates.len() as u32,
            inputs: first..self.actions.inputs.len() as u32,
            from_panel: self.rig.surface.to_panel(spec.space).map(|map| map.inverse()),
        }
    }

    /// What is known of actions once all of them are bound.
    fn finish_actions(&mut self) {
        let rig = self.rig;
        let main_only = ActionId::first(rig.actions.len());
        self.actions.main_only = main_only.filter(|id| rig.actions[id.index()].main_only).collect();
        self.actions.gated_by = gated_by(&self.actions);
        self.actions.has_modes = !rig.modes.is_empty();
        self.actions.zone_gates = panels::zone_gates(rig);
        self.actions.early = signals::early(rig);
    }

    /// The bit of a pair of thresholds.
    ///
    /// Inputs and signals with the same two numbers share it: a control is compared with them once.
    fn bit(&mut self, thresholds: Thresholds) -> u32 {
        let known = self.pairs.iter().position(|pair| *pair == thresholds);
        let bit = known.unwrap_or_else(|| {
            self.pairs.push(thresholds);
            self.pairs.len() - 1
        });
        debug_assert!(bit < MAX_THRESHOLDS);
        bit as u32 % MAX_THRESHOLDS as u32
    }

    /// A control that counts as pressed from a travel on needs its thresholds
    /// followed.
    ///
    /// A button has its own two states, and needs none.
    fn follow(&mut self, control: ControlId, thresholds: Thresholds, bit: u32) {
        if !self.roster.control(control).kind.is_button() {
            let holds_side = false;
            self.thresholds.push(BoundThresholds { control, bit, thresholds, holds_side });
        }
    }

    /// The same for controls that hold a side from half their travel on. Returns the bit.
    fn follow_half(&mut self, travels: &[ControlId]) -> u32 {
        let bit = self.bit(Thresholds::HALF);
        self.thresholds.extend(travels.iter().map(|&control| BoundThresholds {
            control,
            bit,
            thresholds: Thresholds::HALF,
            holds_side: true,
        }));
        bit
    }
}

/// For each action those that it opens or closes: the gates, turned around. Empty without gates.
///
/// An action has to be worked out again when one of its gates turns on or off.
fn gated_by(plan: &ActionPlan) -> Vec<Vec<ActionId>> {
    if plan.gates.is_empty() {
        return Vec::new();
    }
    let mut gated = vec![Vec::new(); plan.actions.len()];
    for (action, id) in plan.actions.iter().zip((0..).map(ActionId)) {
        for gate in plan.gates_of(action) {
            gated[gate.by.index()].push(id);
        }
    }
    gated
}
