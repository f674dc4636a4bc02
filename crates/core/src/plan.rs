//! A rig tied to the devices of a roster: immutable, shared by every run.
//!
//! Names are resolved to numbers here, once, so that a tick only follows
//! indices. Binding again after a device arrived never changes what the
//! devices before it do: inputs keep the order of the rig and, within a
//! reference to any device of a kind, the order of the roster.
//!
//! ```text
//!  rig      "pad/south"  "pad/stick-l"  zone "menu"  combo "double"
//!                 \            |             |            |
//!  roster    pad·1, pad·2 ─────┴── glass ────┘            |
//!                  |                                      |
//!  plan      control 1, control 23   contacts 0 to 4   nodes 1, 2
//! ```
//!
//! A plan is made anew when a device comes or the rig changes, and never changes itself. Whoever
//! runs machines can hold one plan in many of them: a live one, a frozen one, one that explains.

mod action;
mod bind;
mod input;

pub(crate) use action::*;
pub use input::*;

use crate::base::{ActionId, ContactId, ControlId, ControlTable, PollRate};
use crate::combo::{BoundSignal, ComboPlan};
use crate::device::{Control, ControlKind, Roster};
use crate::gesture::GesturePlan;
use crate::sample::{ControlState, ElectionPlan, SamplePlan};
use crate::shape::Chain;
use crate::spec::{EdgeSettings, Gives, Rig};
use crate::touch::{Contact, TouchPlan, Zones};
use alloc::{vec, vec::Vec};
use bind::Binder;

/// A rig tied to the controls of a roster: for each stage of a tick the part that
/// it needs.
///
/// ```
/// use gtrig_core::*;
///
/// let pad = |identity: &str| DeviceInfo {
///     identity: identity.into(),
///     kind: DeviceKind::Pad,
///     name: CleanText::new("trainer pad"),
///     bus: CleanText::default(),
///     slot: None,
///     controls: vec![ControlInfo::new("south", ControlKind::Button)],
/// };
/// let thresholds = Thresholds { press_at: 0.5, release_at: 0.5 };
/// let control = "pad/south".parse().unwrap();
/// let mut rig = Rig::bare("horn", PollRate::DEFAULT);
/// let south = InputSpec::Button { control, thresholds };
/// rig.actions.push(ActionSpec::new("horn", Gives::On, vec![south]));
/// let horn = ActionId(0);
///
/// // With one pad the action has one input, with two it has two.
/// let (mut roster, rules) = (Roster::default(), SlotRules::default());
/// roster.admit(pad("usb-1"), &rules)?;
/// let plan = Plan::bind(&rig, &roster);
/// assert_eq!(plan.inputs(horn).len(), 1);
/// let mut machine = Machine::new(&plan, Tick(0));
///
/// let second = roster.admit(pad("usb-2"), &rules)?;
/// let plan = Plan::bind(&rig, &roster);
/// assert_eq!(plan.inputs(horn).len(), 2);
/// // The machine goes on with what it remembers, and has room for the new pad.
/// assert!(!machine.fits(&plan));
/// machine.fit(&plan);
/// assert!(machine.fits(&plan));
/// let south = roster.device(second).control("south").unwrap();
/// assert_eq!(plan.fed_by(south), [horn]);
/// # Ok::<(), RosterError>(())
/// ```
#[derive(Clone, Debug)]
pub struct Plan {
    /// How often the state is polled.
    rate: PollRate,
    /// Seconds between two ticks.
    pub(crate) period: f32,
    /// How controls are sampled.
    pub(crate) sample: SamplePlan,
    /// Which devices may be the main one.
    pub(crate) election: ElectionPlan,
    /// Contacts and zones.
    pub(crate) touch: TouchPlan,
    /// Gestures.
    pub(crate) gestures: GesturePlan,
    /// Combos, their signals, and modes.
    pub(crate) combos: ComboPlan,
    /// Actions and their inputs.
    pub(crate) actions: ActionPlan,
    /// For each control the actions it feeds, also by zones, gestures and combos.
    feeds: ControlTable<ActionId>,
}

impl Plan {
    /// Ties a rig to the devices known so far.
    ///
    /// It cannot fail: what the rig names and no device has is left out. It allocates, and takes as
    /// long as rig and roster are large; a tick does neither.
    pub fn bind(rig: &Rig, roster: &Roster) -> Self {
        Binder::new(rig, roster).bind()
    }

    /// A control of the roster.
    ///
    /// # Panics
    /// For an id of a control that came to the roster after the plan was made. So do all other
    /// methods that take an id of a control.
    pub fn control(&self, control: ControlId) -> Control {
        self.sample.control(control).control
    }

    /// Whether a value of a control is further out than noise would take it.
    ///
    /// See [`MainRules::use_at`](crate::MainRules) for how far that is. A place on a surface never
    /// is: its touch is.
    pub fn is_in_use(&self, control: ControlId, value: i32) -> bool {
        self.sample.control(control).used.is_beyond(value)
    }

    /// How many devices it knows.
    pub fn device_count(&self) -> usize {
        self.sample.devices.len()
    }

    /// How many gestures it has.
    pub fn gesture_count(&self) -> usize {
        self.gestures.gestures.len()
    }

    /// How many combos it has.
    pub fn combo_count(&self) -> usize {
        self.combos.automaton.combo_count()
    }

    /// The stages of a shape.
    pub fn chain(&self, shape: BoundShape) -> &Chain {
        self.actions.chain(shape)
    }

    /// The zones of the rig.
    pub fn zones(&self) -> &Zones {
        &self.touch.zones
    }

    /// The contacts of every touch panel, those of a panel together.
    pub fn contacts(&self) -> &[Contact] {
        &self.touch.contacts
    }

    /// The contacts that a control is part of: the place of a pointer is that of
    /// several.
    pub fn contacts_of(&self, control: ControlId) -> impl Iterator<Item = ContactId> {
        self.touch.contacts_of(control)
    }

    /// Whether combos read a control.
    pub fn feeds_combos(&self, control: ControlId) -> bool {
        !self.combos.signals_of(control).is_empty()
    }

    /// Whether combos read an action.
    pub fn combos_read(&self, action: ActionId) -> bool {
        let is_its = |signal: &BoundSignal| match signal {
            BoundSignal::Action(other) | BoundSignal::Way(other, ..) => *other == action,
            _ => false,
        };
        self.combos.signals.iter().any(is_its)
    }

    /// Whether an input reads a travel, be it as a button.
    pub fn is_analogue(&self, input: BoundInput) -> bool {
        match input {
            BoundInput::Axis { .. } | BoundInput::Stick { .. } | BoundInput::Pointer { .. } => true,
            BoundInput::Button { control, .. } => {
                let kind = self.sample.control(control).control.kind;
                matches!(kind, ControlKind::Axis { .. } | ControlKind::Trigger { .. })
            }
            BoundInput::Zone { .. }
            | BoundInput::Place { .. }
            | BoundInput::Gesture { .. }
            | BoundInput::Combo(_)
            | BoundInput::Pair(_)
            | BoundInput::Cross { .. } => false,
        }
    }

    /// The stages that an input goes through; none for one that is not shaped.
    ///
    /// Run it with memories of your own to see what it makes of a value; those of a run are the
    /// machine's, see [`Machine::stages`](crate::Machine::stages).
    pub fn chain_of(&self, input: BoundInput) -> &Chain {
        match input {
            BoundInput::Axis { shape, .. }
            | BoundInput::Stick { shape, .. }
            | BoundInput::Place { shape, .. }
            | BoundInput::Gesture { shape, .. }
            | BoundInput::Pointer { shape, .. } => self.chain(shape),
            BoundInput::Button { .. }
            | BoundInput::Zone { .. }
            | BoundInput::Combo(_)
            | BoundInput::Pair(_)
            | BoundInput::Cross { .. } => Chain::NONE,
        }
    }

    /// How often to poll.
    pub fn rate(&self) -> PollRate {
        self.rate
    }

    /// How many controls it samples.
    pub fn control_count(&self) -> usize {
        self.sample.controls.len()
    }

    /// How many actions it has.
    pub fn action_count(&self) -> usize {
        self.actions.actions.len()
    }

    /// What an action gives.
    pub fn gives(&self, action: ActionId) -> Gives {
        self.actions.action(action).gives
    }

    /// The values of an axis of an action that are drawn at the bottom and at the top
    /// of its lane, or at rest and at the top: 0 and 1, half a turn for an angle, the
    /// ends of the surface for a place.
    ///
    /// `axis` is 0 for the first value of the action and 1 for the second.
    pub fn extent(&self, action: ActionId, axis: usize) -> [f32; 2] {
        let bound = self.actions.action(action);
        match bound.gives {
            Gives::Polar if axis == 0 => [0.0, 180.0],
            Gives::Place => {
                let first = self.touch.contacts.first();
                let size = first.map_or([1.0; 2], |contact| contact.size);
                let ends = [[0.0; 2], [1.0; 2]];
                ends.map(|end| match &bound.from_panel {
                    Some(map) => map.place(end)[axis],
                    None => end[axis] * size[axis],
                })
            }
            _ => [0.0, 1.0],
        }
    }

    /// How the edges of a control are derived.
    pub fn edges(&self, control: ControlId) -> EdgeSettings {
        self.sample.control(control).edges
    }

    /// The actions that a control feeds.
    ///
    /// In the order of the rig, each once; directly, or by way of zones, gestures and combos. This
    /// is what is lit up on a board when a control moves.
    pub fn fed_by(&self, control: ControlId) -> &[ActionId] {
        self.feeds.of(control)
    }

    /// Which of the inputs that the rig gives an action its `nth` bound one is.
    ///
    /// An input that means two pads is bound twice, and both have the same place in the rig.
    pub fn spec_of(&self, action: ActionId, nth: usize) -> usize {
        usize::from(self.actions.spec_of[self.actions.action(action).inputs.start as usize + nth])
    }

    /// What can drive an action now, in the order of the rig.
    ///
    /// For one input of the rig in the order of the roster. Of inputs that are equally strong the
    /// first one drives, so this order can be felt.
    pub fn inputs(&self, action: ActionId) -> &[BoundInput] {
        let range = &self.actions.action(action).inputs;
        &self.actions.inputs[range.start as usize..range.end as usize]
    }

    /// Every control that an input reads.
    ///
    /// Of zones and gestures those of all contacts that count for it; of a combo those of its
    /// signals that are controls. One that is read twice may be there twice.
    pub fn controls_of(&self, input: BoundInput) -> Vec<ControlId> {
        let on_panels = || {
            let contacts = self.touch.contacts.iter();
            contacts.flat_map(|contact| [contact.down, contact.x, contact.y]).collect::<Vec<_>>()
        };
        let side = |side: BoundSide| match side.zones.is_empty() {
            true => self.side(side).to_vec(),
            false => [self.side(side), &on_panels()].concat(),
        };
        let sides = |pair: Opposites| [side(pair.negative), side(pair.positive)].concat();
        match input {
            BoundInput::Button { control, .. } | BoundInput::Axis { control, .. } => vec![control],
            BoundInput::Stick { x, y, .. } | BoundInput::Pointer { x, y, .. } => vec![x, y],
            BoundInput::Zone(_) | BoundInput::Place { .. } | BoundInput::Gesture { .. } => {
                on_panels()
            }
            BoundInput::Combo(combo) => {
                let automaton = &self.combos.automaton;
                let copies = automaton.copies(combo).map(|copy| automaton.combo(copy));
                let signals = copies.flat_map(|copy| &copy.signals);
                let controls = signals.flat_map(|&signal| self.combos.controls_of(signal));
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
        self.sample.device_of(one) == self.sample.device_of(other)
    }

    /// The controls of a side.
    pub fn side(&self, side: BoundSide) -> &[ControlId] {
        self.actions.side(side)
    }

    /// Whether a control in a state holds a side that has it: a button while it is down, another
    /// one from half its travel on.
    pub fn holds_side(&self, control: ControlId, state: &ControlState) -> bool {
        state.is_on(self.control(control).kind, self.actions.half)
    }
}
