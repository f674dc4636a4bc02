//! The actions of a run: which inputs are due, what they come to, and what the
//! gates let through.

use super::{Readings, combine};
use crate::base::{ActionId, ActionState, ControlId, InputId, ModeId, SparseSet, ZoneSet};
use crate::plan::{ActionGate, ActionPlan};
use crate::shape::StageMemory;
use crate::spec::Gives;
use alloc::vec::Vec;

/// Why an action is not let through.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Closed {
    /// This action is on.
    While(ActionId),
    /// This action is off.
    Without(ActionId),
    /// This mode is on top.
    Mode(ModeId),
    /// What was held while it was closed has not been let go yet.
    Waiting,
}

/// Whether an action is let through by its gates.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Gating {
    Open,
    Closed,
    /// Open again, but what was held meanwhile must be let go first: a button
    /// that closed a menu is not to sound the horn.
    Waiting,
}

/// Which of the inputs that are due are evaluated.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Which {
    /// Those of the actions that combos read.
    Early,
    All,
}

/// The state of all actions.
///
/// Invariant: after a tick every input holds what it would alone make of its
/// action, and no input and no action is due.
#[derive(Clone, Debug, Default)]
pub(crate) struct Actions {
    states: Vec<ActionState>,
    /// What each input alone makes of its action; worked out again only when
    /// something that it reads has changed.
    inputs: Vec<ActionState>,
    due_inputs: SparseSet<InputId>,
    /// Inputs that go on changing by themselves.
    unfinished: Vec<InputId>,
    due: SparseSet<ActionId>,
    changed: SparseSet<ActionId>,
    /// What stages of shaping remember.
    memories: Vec<StageMemory>,
    gating: Vec<Gating>,
}

/// What an input comes to before it was worked out: no number, and so different
/// from whatever it will be.
const UNKNOWN: ActionState = ActionState { x: f32::NAN, y: f32::NAN, driver: None };

impl Actions {
    pub(crate) fn fit(&mut self, plan: &ActionPlan) {
        let count = plan.actions.len();
        self.states.resize(count, ActionState::IDLE);
        self.gating.resize(count, Gating::Open);
        self.due.grow(count);
        self.changed.grow(count);
        self.memories.resize(plan.memory_count, StageMemory::default());
        self.unfinished.reserve(plan.inputs.len().saturating_sub(self.unfinished.len()));
        if self.inputs.len() == plan.inputs.len() {
            self.due_inputs.grow(plan.inputs.len());
        } else {
            self.renumber(plan.inputs.len());
        }
    }

    /// Another device came, and inputs have other numbers: all are worked out
    /// again, which gives what was there.
    fn renumber(&mut self, count: usize) {
        self.inputs.clear();
        self.inputs.resize(count, UNKNOWN);
        self.unfinished.clear();
        self.unfinished.reserve(count);
        self.due_inputs.clear();
        self.due_inputs.grow(count);
        InputId::first(count).for_each(|input| {
            self.due_inputs.insert(input);
        });
    }

    #[inline]
    pub(crate) fn states(&self) -> &[ActionState] {
        &self.states
    }

    #[inline]
    pub(crate) fn state(&self, action: ActionId) -> ActionState {
        self.states[action.index()]
    }

    /// The actions whose value or driver changed in the last tick.
    #[inline]
    pub(crate) fn changed(&self) -> &[ActionId] {
        self.changed.as_slice()
    }

    pub(crate) fn memories(&self) -> &[StageMemory] {
        &self.memories
    }

    #[inline]
    pub(crate) fn is_settled(&self) -> bool {
        self.changed.is_empty() && self.unfinished.is_empty() && self.due_inputs.is_empty()
    }

    #[inline]
    pub(crate) fn begin_tick(&mut self) {
        self.changed.clear();
    }

    /// An input is to be worked out again.
    #[inline]
    pub(crate) fn mark(&mut self, input: InputId) {
        self.due_inputs.insert(input);
    }

    /// A control was polled: what reads it is to be worked out again.
    #[inline]
    pub(crate) fn read(&mut self, plan: &ActionPlan, control: ControlId) {
        for &input in plan.read_by.of(control) {
            self.due_inputs.insert(input);
        }
    }

    /// Inputs that go on by themselves are to be worked out again.
    #[inline]
    pub(crate) fn mark_unfinished(&mut self) {
        for input in self.unfinished.drain(..) {
            self.due_inputs.insert(input);
        }
    }

    /// Has the actions evaluated that are not open in every mode.
    pub(crate) fn mark_moded(&mut self, plan: &ActionPlan) {
        for id in ActionId::first(plan.actions.len()) {
            if !plan.action(id).modes.is_all() {
                self.due.insert(id);
            }
        }
    }

    /// The zones that actions close at this tick.
    pub(crate) fn closed_zones(&self, plan: &ActionPlan) -> ZoneSet {
        let closing = plan.zone_gates.iter().filter(|(_, gate)| self.closes(gate));
        closing.map(|&(zone, _)| zone).collect()
    }

    fn closes(&self, gate: &ActionGate) -> bool {
        self.state(gate.by).is_active() == gate.closes
    }

    /// Evaluates what is due.
    #[inline]
    pub(crate) fn evaluate(&mut self, readings: &Readings, which: Which) {
        self.evaluate_inputs(readings, which);
        if readings.plan.has_gates() {
            self.evaluate_gates(readings);
        }
        while let Some(id) = self.due.pop() {
            self.evaluate_action(readings, id);
        }
    }

    #[inline]
    fn evaluate_inputs(&mut self, readings: &Readings, which: Which) {
        let Actions { inputs, due_inputs, unfinished, due, memories, .. } = self;
        let plan = readings.plan;
        due_inputs.retain(|at| {
            let (input, id) = plan.input(at);
            if which == Which::Early && !plan.is_early(id) {
                return true;
            }
            let action = plan.action(id);
            let (state, is_moving) = readings.input(action, input, memories);
            let is_over_next_tick = matches!(action.gives, Gives::Pulse | Gives::Toggle);
            if is_moving || (is_over_next_tick && state.is_active()) {
                unfinished.push(at);
            }
            // A press that counts again may look like the one before.
            let slot = &mut inputs[at.index()];
            if *slot != state || action.gives == Gives::Toggle {
                *slot = state;
                due.insert(id);
            }
            false
        });
    }

    /// The actions that open and close others come first.
    fn evaluate_gates(&mut self, readings: &Readings) {
        let plan = readings.plan;
        let mut at = 0;
        while let Some(&id) = self.due.as_slice().get(at) {
            if plan.gated_by(id).is_empty() {
                at += 1;
                continue;
            }
            self.due.swap_remove(at);
            let was_on = self.state(id).is_active();
            self.evaluate_action(readings, id);
            if self.state(id).is_active() != was_on {
                for &gated in plan.gated_by(id) {
                    self.due.insert(gated);
                }
            }
        }
    }

    fn evaluate_action(&mut self, readings: &Readings, id: ActionId) {
        let plan = readings.plan;
        let action = plan.action(id);
        let inputs = action.inputs.start as usize..action.inputs.end as usize;
        let mut state = combine(action, &self.inputs[inputs]);
        if plan.has_gates() {
            state = self.gated(readings, id, state);
        }
        let slot = &mut self.states[id.index()];
        if action.gives == Gives::Toggle {
            state = match state.driver {
                Some(_) if slot.is_active() => ActionState::IDLE,
                Some(_) => state,
                None => *slot,
            };
        }
        if *slot != state {
            *slot = state;
            self.changed.insert(id);
        }
    }

    /// What the gates of an action let through.
    fn gated(&mut self, readings: &Readings, id: ActionId, state: ActionState) -> ActionState {
        let action = readings.plan.action(id);
        let gates = readings.plan.gates_of(action);
        let is_closed =
            !action.modes.has(readings.combos.mode()) || gates.iter().any(|gate| self.closes(gate));
        let gating = &mut self.gating[id.index()];
        let holds_back = action.gives.is_digital() && state.is_active();
        *gating = match *gating {
            _ if is_closed => Gating::Closed,
            Gating::Closed | Gating::Waiting if holds_back => Gating::Waiting,
            _ => Gating::Open,
        };
        if *gating == Gating::Open { state } else { ActionState::IDLE }
    }

    /// Why the gates of an action do not let it through, if they do not.
    pub(crate) fn closed_by(
        &self,
        plan: &ActionPlan,
        id: ActionId,
        mode: ModeId,
    ) -> Option<Closed> {
        let action = plan.action(id);
        let closing = plan.gates_of(action).iter().find(|gate| self.closes(gate));
        match (self.gating[id.index()], closing) {
            (Gating::Open, _) => None,
            _ if !action.modes.has(mode) => Some(Closed::Mode(mode)),
            (_, Some(gate)) if gate.closes => Some(Closed::While(gate.by)),
            (_, Some(gate)) => Some(Closed::Without(gate.by)),
            (Gating::Closed | Gating::Waiting, None) => Some(Closed::Waiting),
        }
    }
}
