//! What an input makes of its action: evaluated from the sampled controls.
//!
//! It is a pure function of a tick: of what was sampled, of what zones, gestures and combos came
//! to, and of the memories of the shape, which are handed in. So the same code says what drives
//! an action, what it would be if one input drove it alone, and what each stage of a shape makes
//! of a value.
//!
//! What drives an action when it is driven:
//!
//! | input | driver |
//! |---|---|
//! | button, axis | the control |
//! | stick | the axis that is further out |
//! | pointer | its x |
//! | pair | the key that won |
//! | cross | the key of x, or else that of y |
//! | zone, place, gesture | what says that the contact is there |
//! | combo | the control of its last press |

use crate::base::{
    ActionState, ComboId, ControlId, DeviceId, GestureId, ZoneId, clamp_to_circle, polar,
};
use crate::combo::Combos;
use crate::device::{ControlKind, Presence};
use crate::gesture::GestureEngine;
use crate::plan::{ActionPlan, BoundAction, BoundInput, BoundShape, BoundSide, Opposites};
use crate::sample::{ControlState, DeviceStatus, ElectionPlan, SamplePlan};
use crate::shape::StageMemory;
use crate::spec::{BothHeld, Combine, Gives, PlaceAxis, SpaceMap};
use crate::touch::{Contact, ContactState, Panels, TouchPlan};
use alloc::{vec, vec::Vec};

/// Everything of a tick that actions are made of.
#[derive(Clone, Copy)]
pub(crate) struct Readings<'a> {
    /// The actions and their inputs.
    pub(crate) plan: &'a ActionPlan,
    /// The controls as the plan knows them.
    pub(crate) sample: &'a SamplePlan,
    /// The controls as this tick sampled them.
    pub(crate) controls: &'a [ControlState],
    /// Whether each device can be heard.
    pub(crate) devices: &'a [DeviceStatus],
    /// Which devices count as one with the main device.
    pub(crate) election: &'a ElectionPlan,
    /// The main device, if there is one.
    pub(crate) main: Option<DeviceId>,
    /// Contacts and zones as the plan knows them.
    pub(crate) touch: &'a TouchPlan,
    /// The contacts at this tick.
    pub(crate) panels: &'a Panels,
    /// The gestures at this tick.
    pub(crate) gestures: &'a GestureEngine,
    /// The combos at this tick; of actions that combos read, at the tick before.
    pub(crate) combos: &'a Combos,
    /// How many presses there were so far: what orders them.
    pub(crate) presses: u32,
    /// Seconds since the tick before; 0 to look without moving anything on.
    pub(crate) dt: f32,
}

/// By how much the square of a length has to be larger to be stronger: a diagonal that was
/// brought to the length 1 is a digit short of it, and no weaker for that.
const STRONGER: f32 = 1.000_001;

/// What the inputs of an action come to together, by its rule: the strongest one, or their sum
/// held between -1 and +1; of places the first that is there. Each input is clamped before, so
/// that a diagonal of keys is no stronger than a stick. The driver is the strongest input in
/// either case.
///
/// Two inputs of a plane, a key cross to the upper right and a stick a little to the left:
///
/// | rule | cross `(0.71, 0.71)`, stick `(-0.3, 0)` | driver |
/// |---|---|---|
/// | strongest | `(0.71, 0.71)` | the cross |
/// | sum | `(0.41, 0.71)` | the cross |
#[inline]
pub(crate) fn combine(action: &BoundAction, inputs: &[ActionState]) -> ActionState {
    if action.gives == Gives::Place {
        // No place is stronger than another.
        let there = inputs.iter().find(|state| state.driver.is_some());
        return there.copied().unwrap_or(ActionState::IDLE);
    }
    let mut best = ActionState::IDLE;
    let mut strength = 0.0;
    for state in inputs {
        let its = state.strength();
        if its > strength * STRONGER {
            (best, strength) = (*state, its);
        }
    }
    if action.combine == Combine::Sum {
        let sum = inputs.iter().fold([0.0; 2], |[x, y], state| [x + state.x, y + state.y]);
        let [x, y] = held(action, sum.map(|part| part.clamp(-1.0, 1.0)));
        let driver = best.driver.filter(|_| x != 0.0 || y != 0.0);
        best = ActionState { x, y, driver, input: best.input.filter(|_| driver.is_some()) };
    }
    if action.gives == Gives::Polar {
        [best.x, best.y] = polar([best.x, best.y]);
    }
    best
}

impl Readings<'_> {
    /// What an action would be if it had this input alone, and whether that would go on changing
    /// though nothing is reported: a filter or a turn that has not arrived. Of several keys or
    /// fingers in one input only those count that were pressed after so many presses: when the
    /// action opened.
    ///
    /// Returns the value and whether it is still moving. `since` is the number of presses at which
    /// the action opened, 0 for one that always was; `memories` are those of all shapes of the
    /// machine, of which an input touches its own.
    pub(crate) fn input(
        &self,
        action: &BoundAction,
        input: &BoundInput,
        since: u32,
        memories: &mut [StageMemory],
    ) -> (ActionState, bool) {
        let state = match *input {
            BoundInput::Button { control, bit, .. } => self.button(action, control, bit),
            BoundInput::Zone(zone) => self.zone(action, zone, since),
            BoundInput::Place { zone, .. } if action.gives == Gives::Place => {
                self.place_in_space(action, zone, since)
            }
            BoundInput::Place { zone, along, shape } => {
                let found = self.place(action, zone, since);
                let raw = found.map_or([0.0; 2], |(place, _)| match (action.gives, along) {
                    (Gives::Axis, PlaceAxis::X) => [place[0], 0.0],
                    (Gives::Axis, PlaceAxis::Y) => [place[1], 0.0],
                    _ => place,
                });
                let by = found.map(|(_, by)| by);
                return self.of_surface(action, raw, by, (shape, memories));
            }
            BoundInput::Gesture { gesture, shape } => {
                return self.gesture(action, gesture, shape, (since, memories));
            }
            BoundInput::Combo(combo) => self.combo(action, combo),
            BoundInput::Pair(pair) => {
                let (x, driver) = self.opposites(action, pair, since);
                ActionState::driven(x, 0.0, driver)
            }
            BoundInput::Cross { x, y } => {
                let [(x, by_x), (y, by_y)] = [x, y].map(|pair| self.opposites(action, pair, since));
                let [x, y] = held(action, [x, y]);
                ActionState::driven(x, y, by_x.or(by_y))
            }
            BoundInput::Axis { control, shape } => {
                let raw = [self.value(control, shape, 0), 0.0];
                let (out, is_moving) = self.shaped(action, control, raw, shape, memories);
                return (
                    ActionState::driven(out[0].clamp(-1.0, 1.0), 0.0, Some(control)),
                    is_moving,
                );
            }
            BoundInput::Stick { x, y, shape } => {
                let raw = [self.value(x, shape, 0), self.value(y, shape, 1)];
                let (out, is_moving) = self.shaped(action, x, raw, shape, memories);
                let [out_x, out_y] = held(action, out);
                let by = if raw[0].abs() >= raw[1].abs() { x } else { y };
                return (ActionState::driven(out_x, out_y, Some(by)), is_moving);
            }
            BoundInput::Pointer { x, y, counts, shape } => {
                let raw = self.pointer((x, y), counts, shape, memories);
                let (out, is_moving) = self.shaped(action, x, raw, shape, memories);
                let [out_x, out_y] = held(action, out);
                return (ActionState::driven(out_x, out_y, Some(x)), is_moving);
            }
        };
        (state, false)
    }

    /// Whether a control may drive an action: any may, unless only those of
    /// the main device do.
    ///
    /// Keys and mouse count as one device.
    fn counts(&self, action: &BoundAction, control: ControlId) -> bool {
        if !action.main_only {
            return true;
        }
        let device = self.sample.device_of(control);
        self.main.is_some_and(|main| self.election.are_together(main, device))
    }

    /// A control on its own scale, by a calibration where there is one.
    ///
    /// -1 to +1 of an axis, 0 to 1 of a trigger.
    #[inline]
    fn value(&self, control: ControlId, shape: BoundShape, axis: usize) -> f32 {
        let state = &self.controls[control.index()];
        self.plan.calibrated(shape, axis, state.seen).unwrap_or(state.value)
    }

    /// A value after all stages. A device that cannot be heard gives nothing,
    /// whatever a stage would add to its rest.
    ///
    /// Its memories are forgotten then: a device that comes back begins at rest.
    fn shaped(
        &self,
        action: &BoundAction,
        control: ControlId,
        raw: [f32; 2],
        shape: BoundShape,
        memories: &mut [StageMemory],
    ) -> ([f32; 2], bool) {
        let device = self.sample.device_of(control);
        let is_heard = self.devices[device.index()].presence == Presence::Here;
        if !is_heard || !self.counts(action, control) {
            memories[shape.memories()].fill(StageMemory::default());
            return ([0.0; 2], false);
        }
        self.plan.chain(shape).run(raw, self.dt, &mut memories[shape.of_stages()])
    }

    /// The sum of a pointer's motion, held in the unit circle.
    ///
    /// It stays where it is when the pointer rests: a pointer has no spring.
    fn pointer(
        &self,
        (x, y): (ControlId, ControlId),
        counts: f32,
        shape: BoundShape,
        memories: &mut [StageMemory],
    ) -> [f32; 2] {
        let moved = |id: ControlId| self.controls[id.index()].value / counts;
        let Some(sum) = memories[shape.memories()].first_mut() else { return [0.0; 2] };
        if self.dt > 0.0 {
            let [was_x, was_y] = sum.place();
            // A screen's y points down.
            sum.set_place(clamp_to_circle([was_x + moved(x), was_y - moved(y)]));
        }
        sum.place()
    }

    /// The value of an input after each of its stages, the calibrated one
    /// first; empty for an input that is not shaped.
    ///
    /// A copy of the memories is run, with no time gone by.
    pub(crate) fn stages(&self, input: &BoundInput, memories: &[StageMemory]) -> Vec<[f32; 2]> {
        let (v, shape) = match *input {
            BoundInput::Axis { control, shape } => ([self.value(control, shape, 0), 0.0], shape),
            BoundInput::Stick { x, y, shape } => {
                ([self.value(x, shape, 0), self.value(y, shape, 1)], shape)
            }
            BoundInput::Pointer { shape, .. } => {
                let sum = memories[shape.memories()].first();
                (sum.map_or([0.0; 2], StageMemory::place), shape)
            }
            BoundInput::Gesture { gesture, shape } => (self.gestures.state(gesture).value, shape),
            // Only with the action that reads it is it known which of its axes counts.
            BoundInput::Place { .. }
            | BoundInput::Button { .. }
            | BoundInput::Zone { .. }
            | BoundInput::Combo(_)
            | BoundInput::Pair(_)
            | BoundInput::Cross { .. } => {
                return Vec::new();
            }
        };
        let mut memories = memories[shape.of_stages()].to_vec();
        let mut values = vec![v];
        self.plan.chain(shape).run_each(v, 0.0, &mut memories, |_, v| values.push(v));
        values
    }

    /// A control as a button: while it is down, or for a pulse when it is pressed. One that a
    /// combo took counts as up; so does one whose device may not drive the action.
    ///
    /// `bit` is that of its thresholds, for a control that is no button. Of a pulse or a toggle it is on
    /// for the one tick that sees the press, or the threshold passed.
    fn button(&self, action: &BoundAction, control: ControlId, bit: u32) -> ActionState {
        let state = &self.controls[control.index()];
        let is_pulse = matches!(action.gives, Gives::Pulse | Gives::Toggle);
        let on = match self.sample.control(control).control.kind {
            ControlKind::Button if state.taken => false,
            ControlKind::Button if is_pulse => state.is_pressed(),
            ControlKind::Button => state.is_down(),
            _ => state.is_past(bit) && (!is_pulse || !state.was_past(bit)),
        };
        on_by(Some(control).filter(|_| on && self.counts(action, control)))
    }

    /// Whether an input is a button that is held, which may press by repeats as well. A control that
    /// is no button has none.
    pub(super) fn is_held(&self, input: &BoundInput) -> bool {
        let BoundInput::Button { control, .. } = input else { return false };
        let is_button = self.sample.control(*control).control.kind.is_button();
        is_button && self.controls[control.index()].is_down()
    }

    /// The contacts of all panels and pointers that a zone has and that count for an action: those
    /// that landed after so many presses, of devices that may drive it.
    fn contacts_in(
        &self,
        action: &BoundAction,
        zone: ZoneId,
        since: u32,
    ) -> impl Iterator<Item = (&ContactState, &Contact)> {
        self.panels.contacts().iter().zip(&self.touch.contacts).filter(move |(contact, of)| {
            contact.is_in(zone) && contact.landing() > since && self.counts(action, of.down)
        })
    }

    /// A zone is on while it has a contact; one that gets it presses. The first contact of the plan
    /// that counts drives.
    fn zone(&self, action: &BoundAction, zone: ZoneId, since: u32) -> ActionState {
        let is_pulse = matches!(action.gives, Gives::Pulse | Gives::Toggle);
        let mut contacts = self.contacts_in(action, zone, since);
        let by = contacts.find(|(contact, _)| !(is_pulse && contact.was_in(zone)));
        on_by(by.map(|(_, of)| of.down))
    }

    /// The contact that landed last of those that a zone has.
    fn last_in(
        &self,
        action: &BoundAction,
        zone: ZoneId,
        since: u32,
    ) -> Option<(&ContactState, &Contact)> {
        self.contacts_in(action, zone, since).max_by_key(|(contact, _)| contact.landing())
    }

    /// Where on a zone that contact is, from -1 to +1 across it and y up.
    ///
    /// 0 is the middle of the smallest rectangle around the zone, and what lies outside of that
    /// counts as its border.
    fn place(
        &self,
        action: &BoundAction,
        zone: ZoneId,
        since: u32,
    ) -> Option<([f32; 2], ControlId)> {
        let (contact, of) = self.last_in(action, zone, since)?;
        let outline = &self.touch.zones.on_panel()[zone.index()].outline;
        let [left, top, right, bottom] = outline.bounds(of.proportion());
        let [x, y] = contact.place(of);
        let across = |at: f32, from: f32, to: f32| {
            // A zone of no width has one place.
            if to > from { ((at - from) / (to - from) * 2.0 - 1.0).clamp(-1.0, 1.0) } else { 0.0 }
        };
        Some(([across(x, left, right), -across(y, top, bottom)], of.down))
    }

    /// Where it is in the numbers of the space of an action.
    fn place_in_space(&self, action: &BoundAction, zone: ZoneId, since: u32) -> ActionState {
        let found = self.last_in(action, zone, since);
        found.map_or(ActionState::IDLE, |(contact, of)| {
            let place = contact.place(of);
            let map = |map: SpaceMap| map.place(place);
            let there = action.from_panel.map_or_else(|| of.in_mm(place), map);
            ActionState::placed(there, of.down)
        })
    }

    /// What a gesture or a place gives, shaped; at rest what a shape makes of rest.
    ///
    /// `by` is who drives it, if anybody touches: without, `raw` is 0, and filters find their way back.
    fn of_surface(
        &self,
        action: &BoundAction,
        raw: [f32; 2],
        by: Option<ControlId>,
        (shape, memories): (BoundShape, &mut [StageMemory]),
    ) -> (ActionState, bool) {
        let memories = &mut memories[shape.of_stages()];
        let (out, is_moving) = self.plan.chain(shape).run(raw, self.dt, memories);
        let [x, y] = match action.gives {
            Gives::Axis => [out[0].clamp(-1.0, 1.0), 0.0],
            _ => held(action, out),
        };
        (ActionState::driven(x, y, by), is_moving)
    }

    /// A gesture is on while it lasts, presses when it fires, and gives its value
    /// as a stick does.
    ///
    /// A button counts only if the gesture began after the action opened (`since`); what it gives
    /// counts at once, as a stick does.
    fn gesture(
        &self,
        action: &BoundAction,
        gesture: GestureId,
        shape: BoundShape,
        (since, memories): (u32, &mut [StageMemory]),
    ) -> (ActionState, bool) {
        let state = self.gestures.state(gesture);
        let is_fresh = state.landing() > since;
        let by = state.contact.filter(|&by| self.counts(action, by));
        let is_on = match action.gives {
            Gives::On => state.is_on(),
            Gives::Pulse | Gives::Toggle => state.fired,
            Gives::Axis | Gives::Plane | Gives::Polar | Gives::Place => {
                let raw = by.map_or([0.0; 2], |_| state.value);
                return self.of_surface(action, raw, by, (shape, memories));
            }
        };
        (on_by(by.filter(|_| is_on && is_fresh)), false)
    }

    /// A combo is on while it lasts, and presses when it fires.
    fn combo(&self, action: &BoundAction, combo: ComboId) -> ActionState {
        let state = self.combos.state(combo);
        let is_on = match action.gives {
            Gives::Pulse | Gives::Toggle => state.fired,
            _ => state.is_on(),
        };
        on_by(state.by.filter(|&by| is_on && self.counts(action, by)))
    }

    /// Which of two sides counts, -1, 0 or +1, and the key that says so. A side was pressed when
    /// the key was that speaks for it.
    ///
    /// With `neutral`, both sides are held and nobody drives; see [`BothHeld`].
    fn opposites(
        &self,
        action: &BoundAction,
        pair: Opposites,
        since: u32,
    ) -> (f32, Option<ControlId>) {
        let speaker = |side| self.speaker(action, side, pair.both, since);
        match (speaker(pair.negative), speaker(pair.positive)) {
            (None, None) => (0.0, None),
            (Some(key), None) => (-1.0, Some(key)),
            (None, Some(key)) => (1.0, Some(key)),
            (Some(a), Some(b)) => {
                let is_later = self.order(a) > self.order(b);
                match (pair.both, is_later) {
                    (BothHeld::Neutral, _) => (0.0, None),
                    (BothHeld::Last, true) | (BothHeld::First, false) => (-1.0, Some(a)),
                    (BothHeld::Last, false) | (BothHeld::First, true) => (1.0, Some(b)),
                }
            }
        }
    }

    /// Of the held controls of a side, and the contacts that its zones have, the
    /// one pressed last; where the first side wins, the one pressed first.
    ///
    /// So a side that is held by two keys goes on when one of them is let go.
    fn speaker(
        &self,
        action: &BoundAction,
        side: BoundSide,
        both: BothHeld,
        since: u32,
    ) -> Option<ControlId> {
        let is_held = |(id, nth): &(ControlId, u32)| {
            let state = &self.controls[id.index()];
            match *nth < side.buttons {
                true => state.is_down() && !state.taken,
                false => state.is_past(self.plan.half),
            }
        };
        let keys = self.plan.side(side).iter().copied().zip(0..).filter(is_held).map(|(id, _)| id);
        let touching = self.panels.in_any(side.zones()).map(|id| self.touch.contact(id).down);
        let counts = |&id: &ControlId| self.order(id) > since && self.counts(action, id);
        let held = keys.chain(touching).filter(counts);
        match both {
            BothHeld::First => held.min_by_key(|&id| self.order(id)),
            BothHeld::Neutral | BothHeld::Last => held.max_by_key(|&id| self.order(id)),
        }
    }

    /// Which press of the run the last press of a control was: later presses have larger numbers.
    ///
    /// Counted over all controls of the run, so that two presses of one instant have an order too:
    /// that of their events.
    fn order(&self, control: ControlId) -> u32 {
        self.controls[control.index()].press_order
    }
}

/// Two axes, held in the unit circle where the action says so.
fn held(action: &BoundAction, v: [f32; 2]) -> [f32; 2] {
    if action.clamp { clamp_to_circle(v) } else { v }
}

/// On by a control, or idle without one.
fn on_by(by: Option<ControlId>) -> ActionState {
    ActionState::driven(f32::from(u8::from(by.is_some())), 0.0, by)
}
