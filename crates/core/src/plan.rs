//! A rig tied to the devices of a roster: immutable, shared by every run.
//!
//! Names are resolved to numbers here, once, so that a tick only follows
//! indices. Binding again after a device arrived never changes what the
//! devices before it do: inputs keep the order of the rig and, within a
//! reference to any device of a kind, the order of the roster.

use crate::{
    ActionSpec, BothHeld, Control, ControlId, ControlRef, Gives, InputSpec, PollRate, Rig, Roster,
    rig::LatchRef,
};
use alloc::{format, vec, vec::Vec};
use core::ops::Range;

/// The number of an action: its place in the rig.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct ActionId(pub u16);

impl ActionId {
    /// As an index into per-action tables.
    pub const fn index(self) -> usize {
        self.0 as usize
    }
}

/// A rig tied to the controls of a roster.
#[derive(Clone, Debug)]
pub struct Plan {
    rate: PollRate,
    controls: Vec<Sampled>,
    devices: Vec<Range<u16>>,
    actions: Vec<BoundAction>,
    inputs: Vec<Input>,
    sides: Vec<ControlId>,
    feeds: Feeds,
}

/// How one control is sampled.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Sampled {
    pub(crate) control: Control,
    pub(crate) latched: bool,
}

#[derive(Clone, Debug)]
pub(crate) struct BoundAction {
    pub(crate) gives: Gives,
    pub(crate) clamp: bool,
    pub(crate) inputs: Range<u32>,
}

/// One way to drive an action, tied to controls: an
/// [`InputSpec`] whose names are resolved.
#[derive(Clone, Copy, Debug)]
pub enum Input {
    /// A button, or any other control from a travel on.
    Button {
        /// The control.
        control: ControlId,
        /// Pressed from this travel on.
        press_at: f32,
    },
    /// One analogue axis.
    Axis {
        /// The control.
        control: ControlId,
        /// Travel that counts as rest.
        dead_zone: f32,
        /// -1 where the rig inverts it, otherwise 1.
        sign: f32,
    },
    /// Two opposite sides as one axis.
    Pair(Opposites),
    /// Two analogue axes.
    Stick {
        /// The horizontal axis.
        x: ControlId,
        /// The vertical axis.
        y: ControlId,
        /// Radius that counts as rest.
        dead_zone: f32,
        /// -1 where the rig inverts x, otherwise 1.
        sign_x: f32,
        /// -1 where the rig inverts y, otherwise 1.
        sign_y: f32,
    },
    /// Two pairs as two axes.
    Cross {
        /// Left and right.
        x: Opposites,
        /// Down and up.
        y: Opposites,
    },
}

/// Two opposite sides, each any of some buttons.
#[derive(Clone, Copy, Debug)]
pub struct Opposites {
    /// The side that is -1.
    pub negative: Side,
    /// The side that is +1.
    pub positive: Side,
    /// What both together are.
    pub both: BothHeld,
}

impl Opposites {
    /// Whether no device has any of the buttons.
    fn is_empty(&self) -> bool {
        self.negative.len == 0 && self.positive.len == 0
    }
}

/// The buttons of a side; [`Plan::side`] lists them.
#[derive(Clone, Copy, Debug)]
pub struct Side {
    first: u32,
    len: u32,
}

/// For each control, the actions it feeds: `actions[starts[c]..starts[c + 1]]`.
#[derive(Clone, Debug)]
struct Feeds {
    starts: Vec<u32>,
    actions: Vec<ActionId>,
}

impl Plan {
    /// Ties a rig to the devices known so far.
    pub fn bind(rig: &Rig, roster: &Roster) -> Self {
        Binder { roster, inputs: Vec::new(), sides: Vec::new(), feeds: Vec::new() }.bind(rig)
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

    /// Whether transitions of a control are latched between polls.
    pub fn is_latched(&self, control: ControlId) -> bool {
        self.controls[control.index()].latched
    }

    /// Whether a control feeds any action.
    pub fn is_used(&self, control: ControlId) -> bool {
        !self.fed_by(control).is_empty()
    }

    /// The actions that a control feeds.
    pub fn fed_by(&self, control: ControlId) -> &[ActionId] {
        let starts = &self.feeds.starts;
        let range = starts[control.index()] as usize..starts[control.index() + 1] as usize;
        &self.feeds.actions[range]
    }

    pub(crate) fn sampled(&self, control: ControlId) -> Sampled {
        self.controls[control.index()]
    }

    pub(crate) fn device_count(&self) -> usize {
        self.devices.len()
    }

    /// Presence and controls of the device a control is on.
    pub(crate) fn siblings(&self, control: ControlId) -> Range<u16> {
        self.devices[self.sampled(control).control.device.0 as usize].clone()
    }

    pub(crate) fn controls(&self) -> &[Sampled] {
        &self.controls
    }

    pub(crate) fn action(&self, action: ActionId) -> &BoundAction {
        &self.actions[action.index()]
    }

    /// What can drive an action now, in the order of the rig.
    pub fn inputs(&self, action: ActionId) -> &[Input] {
        let range = &self.action(action).inputs;
        &self.inputs[range.start as usize..range.end as usize]
    }

    /// The buttons of a side.
    pub fn side(&self, side: Side) -> &[ControlId] {
        &self.sides[side.first as usize..(side.first + side.len) as usize]
    }
}

struct Binder<'r> {
    roster: &'r Roster,
    inputs: Vec<Input>,
    sides: Vec<ControlId>,
    feeds: Vec<(ControlId, ActionId)>,
}

impl Binder<'_> {
    fn bind(mut self, rig: &Rig) -> Plan {
        let actions = rig
            .actions
            .iter()
            .zip(0..)
            .map(|(spec, number)| self.action(spec, ActionId(number)))
            .collect();
        Plan {
            rate: rig.rate,
            controls: self.sampled(rig),
            devices: self.roster.devices().map(|(_, d)| d.range()).collect(),
            actions,
            feeds: Feeds::new(self.feeds, self.roster.controls().len()),
            inputs: self.inputs,
            sides: self.sides,
        }
    }

    fn sampled(&self, rig: &Rig) -> Vec<Sampled> {
        let plain = |&control| Sampled { control, latched: false };
        let mut controls: Vec<Sampled> = self.roster.controls().iter().map(plain).collect();
        for latch in &rig.latched {
            match latch {
                LatchRef::Control(reference) => {
                    for id in reference.resolve(self.roster) {
                        controls[id.index()].latched = true;
                    }
                }
                LatchRef::Kind(kind) => {
                    for (_, device) in self.roster.devices().filter(|(_, d)| d.info.kind == *kind) {
                        for id in device.controls() {
                            controls[id.index()].latched = true;
                        }
                    }
                }
            }
        }
        controls
    }

    fn action(&mut self, spec: &ActionSpec, id: ActionId) -> BoundAction {
        let first = self.inputs.len() as u32;
        for input in &spec.inputs {
            self.input(input, id);
        }
        BoundAction {
            gives: spec.gives,
            clamp: spec.clamp,
            inputs: first..self.inputs.len() as u32,
        }
    }

    fn input(&mut self, spec: &InputSpec, action: ActionId) {
        match spec {
            InputSpec::Button { control, press_at } => {
                for control in self.resolve(control, action) {
                    self.inputs.push(Input::Button { control, press_at: *press_at });
                }
            }
            InputSpec::Axis { control, dead_zone, invert } => {
                for control in self.resolve(control, action) {
                    let sign = sign(*invert);
                    self.inputs.push(Input::Axis { control, dead_zone: *dead_zone, sign });
                }
            }
            InputSpec::Pair { negative, positive, both } => {
                let pair = self.opposites(negative, positive, *both, action);
                if !pair.is_empty() {
                    self.inputs.push(Input::Pair(pair));
                }
            }
            InputSpec::Cross(cross) => {
                let x = self.opposites(&cross.left, &cross.right, cross.both, action);
                let y = self.opposites(&cross.down, &cross.up, cross.both, action);
                if !(x.is_empty() && y.is_empty()) {
                    self.inputs.push(Input::Cross { x, y });
                }
            }
            InputSpec::Stick { stick, dead_zone, invert_x, invert_y } => {
                for (x, y) in self.resolve_stick(stick, action) {
                    let (sign_x, sign_y) = (sign(*invert_x), sign(*invert_y));
                    let dead_zone = *dead_zone;
                    self.inputs.push(Input::Stick { x, y, dead_zone, sign_x, sign_y });
                }
            }
        }
    }

    fn resolve(&mut self, reference: &ControlRef, action: ActionId) -> Vec<ControlId> {
        let found: Vec<ControlId> = reference.resolve(self.roster).collect();
        self.feeds.extend(found.iter().map(|&control| (control, action)));
        found
    }

    fn resolve_stick(
        &mut self,
        stick: &ControlRef,
        action: ActionId,
    ) -> Vec<(ControlId, ControlId)> {
        let (x, y) = (format!("{}-x", stick.code), format!("{}-y", stick.code));
        let devices = self.roster.devices().filter(|(_, device)| stick.means(device));
        let found: Vec<_> =
            devices.filter_map(|(_, d)| Some((d.control(&x)?, d.control(&y)?))).collect();
        self.feeds.extend(found.iter().flat_map(|&(x, y)| [(x, action), (y, action)]));
        found
    }

    fn opposites(
        &mut self,
        negative: &[ControlRef],
        positive: &[ControlRef],
        both: BothHeld,
        action: ActionId,
    ) -> Opposites {
        let negative = self.any_of(negative, action);
        let positive = self.any_of(positive, action);
        Opposites { negative, positive, both }
    }

    fn any_of(&mut self, references: &[ControlRef], action: ActionId) -> Side {
        let first = self.sides.len() as u32;
        for reference in references {
            let found = self.resolve(reference, action);
            self.sides.extend(found);
        }
        Side { first, len: self.sides.len() as u32 - first }
    }
}

fn sign(invert: bool) -> f32 {
    if invert { -1.0 } else { 1.0 }
}

impl Feeds {
    fn new(mut pairs: Vec<(ControlId, ActionId)>, controls: usize) -> Self {
        pairs.sort_unstable();
        pairs.dedup();
        let mut starts = vec![0; controls + 1];
        for &(control, _) in &pairs {
            starts[control.index() + 1] += 1;
        }
        for i in 0..controls {
            starts[i + 1] += starts[i];
        }
        Feeds { starts, actions: pairs.into_iter().map(|(_, action)| action).collect() }
    }
}
