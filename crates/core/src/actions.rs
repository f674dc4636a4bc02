//! What game code reads, computed from the sampled controls.

use crate::{
    ActionId, BothHeld, Cell, ControlId, ControlKind, DeviceId, Gives, Plan,
    plan::{BoundAction, Input, Opposites, Side},
    shape,
};

/// An action at a tick.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct ActionState {
    /// On/off as 1 or 0; the axis; the x of a plane.
    pub x: f32,
    /// The y of a plane, up positive; otherwise 0.
    pub y: f32,
    /// The control that drove it: of several, the one that won. `None` while
    /// it is off or at rest.
    pub driver: Option<ControlId>,
}

impl ActionState {
    /// Off, or at rest.
    pub const IDLE: ActionState = ActionState { x: 0.0, y: 0.0, driver: None };

    /// Whether it is on, or off its rest.
    pub fn is_active(self) -> bool {
        self.x != 0.0 || self.y != 0.0
    }

    fn strength(self) -> f32 {
        self.x * self.x + self.y * self.y
    }
}

/// The controls of one tick, as the evaluation of actions needs them.
#[derive(Clone, Copy)]
pub(crate) struct Controls<'a> {
    pub(crate) plan: &'a Plan,
    pub(crate) cells: &'a [Cell],
    pub(crate) main: Option<DeviceId>,
}

impl Controls<'_> {
    /// What an action is at this tick: the strongest of its inputs, the first
    /// of equals.
    pub(crate) fn evaluate(self, id: ActionId) -> ActionState {
        let action = self.plan.action(id);
        let mut best = ActionState::IDLE;
        for &input in self.plan.inputs(id) {
            let state = self.input(action, input);
            if state.strength() > best.strength() {
                best = state;
            }
        }
        best
    }

    /// What an action would be if it had this input alone.
    pub(crate) fn input(self, action: &BoundAction, input: Input) -> ActionState {
        match input {
            Input::Button { control, bit, .. } => self.button(action, control, bit),
            Input::Axis { control, dead_zone, sign } => {
                let x = shape::axis_dead_zone(self.value(action, control) * sign, dead_zone);
                driven(x, 0.0, control)
            }
            Input::Pair(pair) => {
                let (x, driver) = self.opposites(action, pair);
                ActionState { x, y: 0.0, driver }
            }
            Input::Stick { x, y, dead_zone, sign_x, sign_y } => {
                let raw = [self.value(action, x) * sign_x, self.value(action, y) * sign_y];
                let out = held(action, shape::radial_dead_zone(raw, dead_zone));
                driven(out[0], out[1], if raw[0].abs() >= raw[1].abs() { x } else { y })
            }
            Input::Cross { x, y } => {
                let ((x, by_x), (y, by_y)) = (self.opposites(action, x), self.opposites(action, y));
                let out = held(action, [x, y]);
                ActionState { x: out[0], y: out[1], driver: by_x.or(by_y) }
            }
        }
    }

    /// Whether a control may drive an action: any may, unless only those of
    /// the main device do.
    fn counts(self, action: &BoundAction, control: ControlId) -> bool {
        if !action.main_only {
            return true;
        }
        let device = self.plan.sampled(control).control.device;
        self.main.is_some_and(|main| self.plan.are_together(main, device))
    }

    fn value(self, action: &BoundAction, control: ControlId) -> f32 {
        if self.counts(action, control) { self.cells[control.index()].value } else { 0.0 }
    }

    fn button(self, action: &BoundAction, control: ControlId, bit: u32) -> ActionState {
        let cell = &self.cells[control.index()];
        let is_pulse = action.gives == Gives::Pulse;
        let on = match self.plan.sampled(control).control.kind {
            ControlKind::Button if is_pulse => cell.is_pressed(),
            ControlKind::Button => cell.is_down(),
            _ => cell.is_past(bit) && (!is_pulse || !cell.was_past(bit)),
        };
        driven(f32::from(u8::from(on && self.counts(action, control))), 0.0, control)
    }

    fn opposites(self, action: &BoundAction, pair: Opposites) -> (f32, Option<ControlId>) {
        let latest = |side| self.latest(action, side);
        match (latest(pair.negative), latest(pair.positive)) {
            (None, None) => (0.0, None),
            (Some(key), None) => (-1.0, Some(key)),
            (None, Some(key)) => (1.0, Some(key)),
            (Some(a), Some(b)) => match pair.both {
                BothHeld::Neutral => (0.0, None),
                BothHeld::Last if self.order(a) > self.order(b) => (-1.0, Some(a)),
                BothHeld::Last => (1.0, Some(b)),
            },
        }
    }

    /// Of the held buttons of a side, the one pressed last.
    fn latest(self, action: &BoundAction, side: Side) -> Option<ControlId> {
        let is_held = |id: &ControlId| self.cells[id.index()].is_down() && self.counts(action, *id);
        let held = self.plan.side(side).iter().copied().filter(is_held);
        held.max_by_key(|&id| self.order(id))
    }

    fn order(self, control: ControlId) -> u32 {
        self.cells[control.index()].press_order
    }
}

fn held(action: &BoundAction, v: [f32; 2]) -> [f32; 2] {
    if action.clamp { shape::clamp_to_circle(v) } else { v }
}

/// A value and who drove it. Adding zero turns the -0 of an inverted rest
/// into 0, which is what anybody would compare with.
fn driven(x: f32, y: f32, by: ControlId) -> ActionState {
    let driver = (x != 0.0 || y != 0.0).then_some(by);
    ActionState { x: x + 0.0, y: y + 0.0, driver }
}
