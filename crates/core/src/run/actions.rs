//! The actions of a run: which inputs are due, what they come to, and what the gates let through.
//!
//! Nothing is worked out that has not changed. A control, zone, gesture or combo that changed
//! makes the inputs due that read it; an input that came to something else makes its action due;
//! an action that turned on or off makes those due that it opens or closes. Inputs that go on by
//! themselves (a filter that has not arrived) stay due.
//!
//! Actions that combos read are worked out before combos are, all others after them; each at most
//! once a tick.
//!
//! ```text
//!  control, zone, gesture, combo changed
//!      └─▶ inputs due ──▶ each alone: Readings::input ──▶ differs? ──▶ action due
//!                                                                        │
//!  gates first: turned on or off? ──▶ those they open or close are due ◀─┤
//!                                                                        ▼
//!                               combine, gates, toggle ──▶ differs? ──▶ changed
//! ```

use super::{Readings, combine};
use crate::base::{ActionId, ActionState, ControlId, InputId, ModeId, SparseSet, ZoneSet};
use crate::plan::{ActionGate, ActionPlan, BoundInput};
use crate::shape::StageMemory;
use crate::spec::Gives;
use alloc::vec::Vec;

/// Why an action is not let through.
///
/// It is what an explanation says first: whatever the inputs are, nothing gets through.
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
    /// Since so many presses. What was held before must be let go first: a button
    /// that closed a menu is not to sound the horn.
    Open(u32),
    /// It lets nothing through.
    Closed,
}

impl Gating {
    /// Those that were pressed after so many count.
    const fn since(self) -> u32 {
        match self {
            Gating::Open(since) => since,
            Gating::Closed => 0,
        }
    }
}

/// Which of the inputs that are due are evaluated.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Which {
    /// Those of the actions that combos read.
    Early,
    /// All that are left.
    All,
}

/// The state of all actions.
///
/// Invariant: after a tick every input holds what it would alone make of its
/// action, and no input and no action is due.
///
/// Whoever opens an action does not get what was held before: `held` and `gating` are the two
/// memories of that, one for inputs of a single button, one by the count of presses for inputs of
/// several.
#[derive(Clone, Debug, Default)]
pub(crate) struct Actions {
    /// Each action, after its gates.
    states: Vec<ActionState>,
    /// What each input alone makes of its action; worked out again only when
    /// something that it reads has changed.
    inputs: Vec<ActionState>,
    /// The inputs of one button or combo each that were on or held when their action opened,
    /// and have been since: they count once they were off.
    held: Vec<bool>,
    /// For each input its action and its place in the rig: who it is, whatever its
    /// number.
    names: Vec<(ActionId, u16)>,
    /// Inputs to be worked out in this tick.
    due_inputs: SparseSet<InputId>,
    /// Inputs that go on changing by themselves.
    unfinished: Vec<InputId>,
    /// Actions to be worked out in this tick.
    due: SparseSet<ActionId>,
    /// Actions that changed in this tick.
    changed: SparseSet<ActionId>,
    /// What stages of shaping remember.
    memories: Vec<StageMemory>,
    /// For each action whether it is open, and since when.
    gating: Vec<Gating>,
}

/// What an input comes to before it was worked out: no number, and so different
/// from whatever it will be.
const UNKNOWN: ActionState = ActionState { x: f32::NAN, y: f32::NAN, driver: None, input: None };

impl Actions {
    /// Makes room for the actions of a plan. Where inputs have other numbers than before, because
    /// a device came, all of them are worked out again.
    ///
    /// Memories of shapes stay where they are; see `Binder::place_memories`.
    pub(crate) fn fit(&mut self, plan: &ActionPlan) {
        let count = plan.actions.len();
        self.states.resize(count, ActionState::IDLE);
        self.gating.resize(count, Gating::Open(0));
        self.due.grow(count);
        self.changed.grow(count);
        self.memories.resize(plan.memory_count, StageMemory::default());
        self.unfinished.reserve(plan.inputs.len().saturating_sub(self.unfinished.len()));
        if self.inputs.len() == plan.inputs.len() {
            self.due_inputs.grow(plan.inputs.len());
        } else {
            self.renumber(plan);
        }
    }

    /// Another device came, and inputs have other numbers: all are worked out
    /// again, which gives what was there.
    ///
    /// Inputs are known by name (action and place in the rig): which of them were held when their
    /// action opened is carried over by that.
    fn renumber(&mut self, plan: &ActionPlan) {
        let count = plan.inputs.len();
        // Those of earlier devices come first among those of the same name.
        let names: Vec<(ActionId, u16)> =
            plan.action_of.iter().copied().zip(plan.spec_of.iter().copied()).collect();
        let mut known = self.names.iter().zip(&self.held).peekable();
        let mut held = Vec::with_capacity(count);
        held.extend(names.iter().map(|name| {
            known.next_if(|(known, _)| *known == name).is_some_and(|(_, &is_held)| is_held)
        }));
        (self.names, self.held) = (names, held);
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

    /// All actions, in the order of the rig.
    #[inline]
    pub(crate) fn states(&self) -> &[ActionState] {
        &self.states
    }

    /// An action after the last tick.
    #[inline]
    pub(crate) fn state(&self, action: ActionId) -> ActionState {
        self.states[action.index()]
    }

    /// The actions whose value or driver changed in the last tick.
    #[inline]
    pub(crate) fn changed(&self) -> &[ActionId] {
        self.changed.as_slice()
    }

    /// What the stages of all shapes remember.
    pub(crate) fn memories(&self) -> &[StageMemory] {
        &self.memories
    }

    /// Whether nothing changed in the last tick, and nothing changes by itself.
    #[inline]
    pub(crate) fn is_settled(&self) -> bool {
        self.changed.is_empty() && self.unfinished.is_empty() && self.due_inputs.is_empty()
    }

    /// Ends the tick before.
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

    /// Whether a gate closes what it is a gate of, now.
    fn closes(&self, gate: &ActionGate) -> bool {
        self.state(gate.by).is_active() == gate.closes
    }

    /// Evaluates what is due.
    ///
    /// Inputs, then gates, then everything else; an action is worked out at most once for each
    /// call.
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

    /// Works out the inputs that are due, or those of actions that combos read, and makes their
    /// actions due where they come to something else.
    ///
    /// An input that goes on by itself is noted for the next tick: a filter that moves, a pulse or
    /// a toggle that is over by then.
    #[inline]
    fn evaluate_inputs(&mut self, readings: &Readings, which: Which) {
        let Actions { inputs, due_inputs, unfinished, due, memories, gating, held, .. } = self;
        let plan = readings.plan;
        due_inputs.retain(|at| {
            let (input, id) = plan.input(at);
            if which == Which::Early && !plan.is_early(id) {
                return true;
            }
            let action = plan.action(id);
            let since = gating[id.index()].since();
            let (state, is_moving) = readings.input(action, input, since, memories);
            let is_over_next_tick = matches!(action.gives, Gives::Pulse | Gives::Toggle);
            if is_moving || (is_over_next_tick && state.is_active()) {
                unfinished.push(at);
            }
            let state = match &mut held[at.index()] {
                held if *held && (state.is_active() || readings.is_held(input)) => {
                    ActionState::IDLE
                }
                held => {
                    *held = false;
                    state.through(plan.spec_of[at.index()])
                }
            };
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
    ///
    /// A gate has no gates itself (an invariant of the rig), so one pass is enough: what it opens
    /// or closes is no gate.
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

    /// Works out an action from its inputs: what they come to together, what its gates let
    /// through, and of a toggle whether that turned it over.
    ///
    /// A toggle turns over when an input drives it and stays as it is otherwise; closed it keeps
    /// what it was.
    fn evaluate_action(&mut self, readings: &Readings, id: ActionId) {
        let plan = readings.plan;
        let action = plan.action(id);
        let is_open = !plan.has_gates() || self.passes_gates(readings, id);
        let inputs = action.inputs.start as usize..action.inputs.end as usize;
        let mut state = match is_open {
            true => combine(action, &self.inputs[inputs]),
            false => ActionState::IDLE,
        };
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

    /// Whether the gates of an action let it through.
    ///
    /// It also notes that the action opened or closed.
    fn passes_gates(&mut self, readings: &Readings, id: ActionId) -> bool {
        let is_closed = self.is_closed(readings, id);
        let was_closed = self.gating[id.index()] == Gating::Closed;
        match (was_closed, is_closed) {
            (_, true) => self.gating[id.index()] = Gating::Closed,
            (true, false) => self.open(readings, id),
            (false, false) => {}
        }
        !is_closed
    }

    /// Whether a mode or a gate closes an action now.
    fn is_closed(&self, readings: &Readings, id: ActionId) -> bool {
        let action = readings.plan.action(id);
        !action.modes.has(readings.combos.mode())
            || readings.plan.gates_of(action).iter().any(|gate| self.closes(gate))
    }

    /// Opens an action: sticks go on at once, but what is held counts no more until
    /// it is pressed again.
    ///
    /// It happens in the tick in which the gate lets go. What is pressed in that very tick counts
    /// no more than what was held before.
    #[cold]
    fn open(&mut self, readings: &Readings, id: ActionId) {
        let plan = readings.plan;
        let action = plan.action(id);
        self.gating[id.index()] = Gating::Open(readings.presses);
        for at in plan.inputs_of(id) {
            let (input, _) = plan.input(at);
            let slot = &mut self.inputs[at.index()];
            if input.is_one_button() {
                // One that was held when it opened before may be so still.
                self.held[at.index()] |= slot.is_active() || readings.is_held(input);
                *slot = ActionState::IDLE;
            } else if input.has_keys() {
                // Without a shape there is no memory to move on twice.
                *slot = readings.input(action, input, readings.presses, &mut self.memories).0;
            } else if action.gives.is_digital() {
                *slot = ActionState::IDLE;
            }
        }
    }

    /// Before the first tick: what had to be let go first in another run, still has to be.
    /// `presses` says how many this run has heard, and how many of them are those up to one of the
    /// other.
    pub(crate) fn hold_back(
        &mut self,
        (other, of_other): (&Actions, &ActionPlan),
        plan: &ActionPlan,
        (heard, presses): (u32, impl Fn(u32) -> u32),
    ) {
        for (id, gating) in ActionId::first(self.gating.len()).zip(&other.gating) {
            let is_held_back = |control: ControlId| match gating {
                // It may be open here: modes begin anew.
                Gating::Closed => true,
                Gating::Open(_) => of_other
                    .inputs_of(id)
                    .any(|at| other.held[at.index()] && of_other.input(at).0.is_button(control)),
            };
            for at in plan.inputs_of(id) {
                if let BoundInput::Button { control, .. } = plan.input(at).0 {
                    self.held[at.index()] = is_held_back(*control);
                }
            }
            self.gating[id.index()] = Gating::Open(match gating {
                Gating::Closed => heard,
                Gating::Open(since) => presses(*since),
            });
        }
    }

    /// What an action would be if it had this input alone.
    pub(crate) fn through(
        &self,
        readings: &Readings,
        id: ActionId,
        input: &BoundInput,
    ) -> ActionState {
        let since = self.gating[id.index()].since();
        let mut memories = self.memories.clone();
        readings.input(readings.plan.action(id), input, since, &mut memories).0
    }

    /// Why the gates of an action do not let it through, if they do not.
    ///
    /// Of several gates that close it the first is named, `closed-while` before `open-while`; a
    /// gate goes before a mode.
    pub(crate) fn closed_by(&self, readings: &Readings, id: ActionId) -> Option<Closed> {
        let plan = readings.plan;
        let action = plan.action(id);
        if self.gating[id.index()] == Gating::Closed {
            let closing = plan.gates_of(action).iter().find(|gate| self.closes(gate));
            return Some(match closing {
                Some(gate) if gate.closes => Closed::While(gate.by),
                Some(gate) => Closed::Without(gate.by),
                None => Closed::Mode(readings.combos.mode()),
            });
        }
        let is_idle = !self.state(id).is_active();
        let is_held = |at: InputId| self.held[at.index()] || self.waits(readings, id, at);
        (is_idle && plan.inputs_of(id).any(is_held)).then_some(Closed::Waiting)
    }

    /// Whether an input of several keys or fingers would be active but for what was
    /// held when its action opened.
    ///
    /// Found by working the input out as if the action had always been open.
    fn waits(&self, readings: &Readings, id: ActionId, at: InputId) -> bool {
        let (action, (input, _)) = (readings.plan.action(id), readings.plan.input(at));
        let is_counted = input.has_keys() || action.gives.is_digital();
        let any = |memories: &mut [StageMemory]| readings.input(action, input, 0, memories).0;
        is_counted
            && !input.is_one_button()
            && self.gating[id.index()].since() > 0
            && any(&mut self.memories.clone()).is_active()
    }
}
