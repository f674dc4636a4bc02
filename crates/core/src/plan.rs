//! A rig tied to the devices of a roster: immutable, shared by every run.
//!
//! Names are resolved to numbers here, once, so that a tick only follows
//! indices. Binding again after a device arrived never changes what the
//! devices before it do: inputs keep the order of the rig and, within a
//! reference to any device of a kind, the order of the roster.

use crate::{
    ActionSpec, BothHeld, Control, ControlId, ControlKind, ControlRef, DeviceId, DeviceKind,
    EdgeSettings, Event, Gives, InputSpec, MAX_THRESHOLDS, MainRule, MainRules, PollRate, Rig,
    Roster, Scope, Thresholds,
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
    devices: Vec<BoundDevice>,
    main_rule: MainRule,
    /// The actions that only the main device drives.
    main_only: Vec<ActionId>,
    actions: Vec<BoundAction>,
    inputs: Vec<Input>,
    sides: Vec<ControlId>,
    stages: Vec<Stage>,
    feeds: Feeds,
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

/// From which values on a control counts as used.
#[derive(Clone, Copy, Debug)]
pub(crate) struct UseRange {
    below: i32,
    above: i32,
}

impl UseRange {
    fn of(kind: ControlKind, rules: &MainRules) -> Self {
        let share = |from: i32, to: i32| {
            let way = (f64::from(to) - f64::from(from)) * f64::from(rules.use_at);
            (f64::from(from) + way) as i32
        };
        match kind {
            ControlKind::Button => UseRange { below: 0, above: 0 },
            ControlKind::Relative => {
                UseRange { below: 1 - rules.use_counts, above: rules.use_counts - 1 }
            }
            ControlKind::Trigger { min, max } if min < max => {
                UseRange { below: i32::MIN, above: share(min, max).min(max - 1) }
            }
            ControlKind::Axis { min, centre, max } => UseRange {
                below: if min < centre { share(centre, min).max(min + 1) } else { i32::MIN },
                above: if centre < max { share(centre, max).min(max - 1) } else { i32::MAX },
            },
            // A finger counts by its touch, not by its place.
            ControlKind::Trigger { .. } | ControlKind::Position { .. } => {
                UseRange { below: i32::MIN, above: i32::MAX }
            }
        }
    }

    /// Whether a report of this value is somebody's doing, and not noise.
    pub(crate) const fn is_use(self, event: &Event) -> bool {
        event.value < self.below || event.value > self.above
    }
}

/// How one control is sampled.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Sampled {
    pub(crate) control: Control,
    pub(crate) edges: EdgeSettings,
    pub(crate) used: UseRange,
    /// Its stretch of the plan's list of stages.
    first_stage: u32,
    stage_count: u32,
}

#[cfg(test)]
impl Sampled {
    pub(crate) fn with(control: Control, edges: EdgeSettings) -> Self {
        let used = UseRange::of(control.kind, &MainRules::default());
        Sampled { control, edges, used, first_stage: 0, stage_count: 0 }
    }
}

/// A pair of thresholds of one control, and its bit in the control's cell.
/// The bit is the place of the pair among those of the rig, so that it stays
/// the same when devices arrive.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Stage {
    control: ControlId,
    pub(crate) bit: u32,
    pub(crate) thresholds: Thresholds,
}

#[derive(Clone, Debug)]
pub(crate) struct BoundAction {
    pub(crate) gives: Gives,
    pub(crate) clamp: bool,
    pub(crate) main_only: bool,
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
        /// For a control that is no button.
        thresholds: Thresholds,
        /// The bit of the thresholds in the control's cell.
        bit: u32,
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
        Binder {
            roster,
            inputs: Vec::new(),
            sides: Vec::new(),
            stages: Vec::new(),
            pairs: Vec::new(),
            feeds: Vec::new(),
        }
        .bind(rig)
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
        let starts = &self.feeds.starts;
        let range = starts[control.index()] as usize..starts[control.index() + 1] as usize;
        &self.feeds.actions[range]
    }

    pub(crate) fn stages(&self, sampled: Sampled) -> &[Stage] {
        let first = sampled.first_stage as usize;
        &self.stages[first..first + sampled.stage_count as usize]
    }

    pub(crate) fn sampled(&self, control: ControlId) -> Sampled {
        self.controls[control.index()]
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

    /// Every control that an input reads.
    pub fn controls_of(&self, input: Input) -> Vec<ControlId> {
        let sides = |pair: Opposites| [self.side(pair.negative), self.side(pair.positive)].concat();
        match input {
            Input::Button { control, .. } | Input::Axis { control, .. } => vec![control],
            Input::Stick { x, y, .. } => vec![x, y],
            Input::Pair(pair) => sides(pair),
            Input::Cross { x, y } => [sides(x), sides(y)].concat(),
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
    pub fn side(&self, side: Side) -> &[ControlId] {
        &self.sides[side.first as usize..(side.first + side.len) as usize]
    }
}

struct Binder<'r> {
    roster: &'r Roster,
    inputs: Vec<Input>,
    sides: Vec<ControlId>,
    stages: Vec<Stage>,
    /// The different thresholds of the rig, in the order they appear.
    pairs: Vec<Thresholds>,
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
        self.stages.sort_by_key(|stage| (stage.control, stage.bit));
        self.stages.dedup();
        Plan {
            rate: rig.rate,
            controls: self.sampled(rig),
            devices: self.devices(&rig.main),
            main_rule: rig.main.rule,
            main_only: (0..)
                .map(ActionId)
                .zip(&rig.actions)
                .filter(|(_, a)| a.main_only)
                .map(|(id, _)| id)
                .collect(),
            actions,
            feeds: Feeds::new(self.feeds, self.roster.controls().len()),
            inputs: self.inputs,
            sides: self.sides,
            stages: self.stages,
        }
    }

    fn devices(&self, main: &MainRules) -> Vec<BoundDevice> {
        let bound = |(_, device): (_, &crate::Device)| BoundDevice {
            range: device.range(),
            // A device without a slot comes after those that have one.
            main_number: main
                .among
                .contains(&device.info.kind)
                .then(|| device.number.wrapping_sub(1)),
            kind: device.info.kind,
        };
        self.roster.devices().map(bound).collect()
    }

    fn sampled(&self, rig: &Rig) -> Vec<Sampled> {
        let plain = |(&control, id): (&Control, u16)| {
            let first = self.stages.partition_point(|stage| stage.control < ControlId(id));
            let after = self.stages.partition_point(|stage| stage.control <= ControlId(id));
            let (first_stage, stage_count) = (first as u32, (after - first) as u32);
            let used = UseRange::of(control.kind, &rig.main);
            Sampled { control, edges: EdgeSettings::DEFAULT, used, first_stage, stage_count }
        };
        let mut controls: Vec<Sampled> =
            self.roster.controls().iter().zip(0..).map(plain).collect();
        for rule in &rig.edges {
            for id in rule.of.iter().flat_map(|scope| self.covered(scope)) {
                controls[id.index()].edges.apply(rule);
            }
        }
        controls
    }

    fn covered(&self, scope: &Scope) -> Vec<ControlId> {
        match scope {
            Scope::Control(reference) => reference.resolve(self.roster).collect(),
            Scope::Kind(kind) => {
                let devices = self.roster.devices().filter(|(_, d)| d.info.kind == *kind);
                devices.flat_map(|(_, device)| device.controls()).collect()
            }
        }
    }

    /// The bit of a pair of thresholds.
    fn bit(&mut self, thresholds: Thresholds) -> u32 {
        let known = self.pairs.iter().position(|pair| *pair == thresholds);
        let bit = known.unwrap_or_else(|| {
            self.pairs.push(thresholds);
            self.pairs.len() - 1
        });
        debug_assert!(bit < MAX_THRESHOLDS);
        bit as u32 % MAX_THRESHOLDS as u32
    }

    fn action(&mut self, spec: &ActionSpec, id: ActionId) -> BoundAction {
        let first = self.inputs.len() as u32;
        for input in &spec.inputs {
            self.input(input, id);
        }
        BoundAction {
            gives: spec.gives,
            clamp: spec.clamp,
            main_only: spec.main_only,
            inputs: first..self.inputs.len() as u32,
        }
    }

    fn input(&mut self, spec: &InputSpec, action: ActionId) {
        match spec {
            InputSpec::Button { control, thresholds } => {
                let (thresholds, bit) = (*thresholds, self.bit(*thresholds));
                for control in self.resolve(control, action) {
                    if !self.roster.control(control).kind.is_button() {
                        self.stages.push(Stage { control, bit, thresholds });
                    }
                    self.inputs.push(Input::Button { control, thresholds, bit });
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
