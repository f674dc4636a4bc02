//! A rig: what a person wrote about sampling, shaping and actions, checked but
//! not yet tied to devices. [`Plan::bind`](crate::Plan::bind) ties it.

use crate::{
    CleanText, ControlKind, ControlRef, DeviceKind, MainRules, Nanos, PollRate, SlotRules,
    combo::{Combo, Mode, Signal},
    gesture::{Gesture, Sign},
    shape::{self, Stage},
    surface::Surface,
    touch::Zone,
    tunable,
    yard::YardSpec,
};
use alloc::{string::String, vec::Vec};

/// A checked rig.
///
/// Invariants: action names are unique; every number lies in the range of its
/// [`Tunable`](crate::tunable::Tunable); there are at most [`MAX_THRESHOLDS`]
/// different [`Thresholds`]; every input suits what its action
/// gives (see [`Gives::accepts`]); the shapes, zones, signs, gestures, signals,
/// combos and modes that are named exist; the surface says what the spaces of its zones are; an action
/// that is a gate of others has no gates itself.
#[derive(Clone, Debug, PartialEq)]
pub struct Rig {
    /// Shown to people.
    pub name: CleanText,
    /// How often to poll.
    pub rate: PollRate,
    /// Who takes which player slot.
    pub slots: SlotRules,
    /// Which device is the main one.
    pub main: MainRules,
    /// How the edges of controls are derived; of several rules for a control
    /// the last one that says something counts.
    pub edges: Vec<EdgeRule>,
    /// Chains of shaping that inputs refer to.
    pub shapes: Vec<NamedShape>,
    /// The touch surfaces, and the spaces on them.
    pub surface: Surface,
    /// Parts of touch surfaces that inputs refer to; at most
    /// [`MAX_ZONES`](crate::touch::MAX_ZONES), each with a name of its own.
    pub zones: Vec<Zone>,
    /// Strokes that gestures are compared with, each with a name of its own.
    pub signs: Vec<Sign>,
    /// What fingers on touch panels mean; at most
    /// [`MAX_GESTURES`](crate::gesture::MAX_GESTURES), each with a name of its own.
    pub gestures: Vec<Gesture>,
    /// Whatever combos are about; each once.
    pub signals: Vec<Signal>,
    /// Presses, holds and chords in time; at most
    /// [`MAX_COMBOS`](crate::combo::MAX_COMBOS), each with a name of its own.
    pub combos: Vec<Combo>,
    /// Which actions and combos are open when; the first is on from the
    /// beginning. At most [`MAX_MODES`](crate::combo::MAX_MODES).
    pub modes: Vec<Mode>,
    /// The actions, in the order game code and screen list them.
    pub actions: Vec<ActionSpec>,
    /// How the crane of the yard moves by them.
    pub yard: YardSpec,
}

impl Rig {
    /// A rig that polls and does nothing else.
    pub fn bare(name: &str, rate: PollRate) -> Self {
        Rig {
            name: CleanText::new(name),
            rate,
            slots: SlotRules::default(),
            main: MainRules::default(),
            edges: Vec::new(),
            shapes: Vec::new(),
            surface: Surface::default(),
            zones: Vec::new(),
            signs: Vec::new(),
            gestures: Vec::new(),
            signals: Vec::new(),
            combos: Vec::new(),
            modes: Vec::new(),
            actions: Vec::new(),
            yard: YardSpec::default(),
        }
    }

    /// Shows the stages of every shape, which may be changed.
    pub(crate) fn each_chain(&mut self, mut change: impl FnMut(&mut Vec<Stage>)) {
        let named = self.shapes.iter_mut().map(|named| &mut named.shape);
        let inputs = self.actions.iter_mut().flat_map(|action| &mut action.inputs);
        let own = inputs.filter_map(|input| match input {
            InputSpec::Axis { shape: ShapeUse::Own(shape), .. }
            | InputSpec::Stick { shape: ShapeUse::Own(shape), .. }
            | InputSpec::Gesture { shape: ShapeUse::Own(shape), .. }
            | InputSpec::Pointer { shape: ShapeUse::Own(shape), .. } => Some(shape),
            _ => None,
        });
        named.chain(own).for_each(|shape| change(&mut shape.stages));
    }
}

/// How the edges of some controls are derived, as far as it is said.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct EdgeRule {
    /// Which controls.
    pub of: Vec<Scope>,
    /// Whether transitions between two polls are latched.
    pub latched: Option<bool>,
    /// How long a button is not believed after it moved.
    pub debounce: Option<Nanos>,
    /// Whether auto-repeat counts as a press, as where nobody filters it.
    pub repeats_press: Option<bool>,
    /// How long a button may be held before it is suspected to be stuck.
    pub stuck_after: Option<Nanos>,
}

/// How the edges of a control are derived.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct EdgeSettings {
    /// Whether transitions between two polls are latched.
    pub latched: bool,
    /// How long a button is not believed after it moved.
    pub debounce: Nanos,
    /// Whether auto-repeat counts as a press.
    pub repeats_press: bool,
    /// How long a button may be held before it is suspected to be stuck.
    pub stuck_after: Nanos,
}

impl EdgeSettings {
    /// State sampling, no debounce, auto-repeat filtered.
    pub const DEFAULT: EdgeSettings = EdgeSettings {
        latched: false,
        debounce: Nanos(0),
        repeats_press: false,
        stuck_after: Nanos::from_millis(tunable::STUCK_AFTER_S.default as u64 * 1000),
    };

    pub(crate) fn apply(&mut self, rule: &EdgeRule) {
        self.latched = rule.latched.unwrap_or(self.latched);
        self.debounce = rule.debounce.unwrap_or(self.debounce);
        self.repeats_press = rule.repeats_press.unwrap_or(self.repeats_press);
        self.stuck_after = rule.stuck_after.unwrap_or(self.stuck_after);
    }
}

/// What a rule covers: one control, or every control of a kind of device.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Scope {
    /// One control, on one or any device.
    Control(ControlRef),
    /// Every control of the devices of a kind.
    Kind(DeviceKind),
}

/// A rig uses at most this many different pairs of thresholds.
pub const MAX_THRESHOLDS: usize = 32;

/// From where to where an analogue control counts as a pressed button.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Thresholds {
    /// Pressed from this travel on.
    pub press_at: f32,
    /// Released below this travel; not above `press_at`.
    pub release_at: f32,
}

/// How the value of a stick, an axis or a trigger is shaped.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Shape {
    /// Where the travel of x and of y really begins, rests and ends; without it
    /// the device is believed.
    pub travel: [Option<Travel>; 2],
    /// The stages, in the order in which they are applied.
    pub stages: Vec<Stage>,
}

impl Shape {
    /// A raw value of each axis on its own scale: by the calibrated travel, or
    /// else by what the device says.
    pub fn own_scale(&self, kinds: [ControlKind; 2], raw: [i32; 2]) -> [f32; 2] {
        [0, 1].map(|axis| {
            let kind = match self.travel[axis] {
                None => kinds[axis],
                Some(Travel { min, centre, max }) => match kinds[axis] {
                    ControlKind::Trigger { .. } => ControlKind::Trigger { min, max },
                    _ => ControlKind::Axis { min, centre, max },
                },
            };
            shape::normalise(kind, raw[axis])
        })
    }
}

/// A shape that several inputs can share.
#[derive(Clone, Debug, PartialEq)]
pub struct NamedShape {
    /// Its name.
    pub name: String,
    /// What it does.
    pub shape: Shape,
}

/// The calibrated travel of one axis, in device units; each side has its own
/// scale. `min < centre < max`, but for a trigger `min = centre`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Travel {
    /// Reads as -1.
    pub min: i32,
    /// Reads as 0.
    pub centre: i32,
    /// Reads as +1.
    pub max: i32,
}

/// The shape of an input.
#[derive(Clone, Debug, PartialEq)]
pub enum ShapeUse {
    /// One of the rig's, by its place there.
    Named(usize),
    /// Its own.
    Own(Shape),
}

impl ShapeUse {
    /// The shape that is meant.
    pub fn of<'r>(&'r self, rig: &'r Rig) -> &'r Shape {
        match self {
            ShapeUse::Named(at) => &rig.shapes[*at].shape,
            ShapeUse::Own(shape) => shape,
        }
    }
}

/// The named result that game code reads.
#[derive(Clone, Debug, PartialEq)]
pub struct ActionSpec {
    /// Its name.
    pub name: String,
    /// What sort of value it has.
    pub gives: Gives,
    /// Where it comes from.
    pub inputs: Vec<InputSpec>,
    /// What several inputs that are active come to.
    pub combine: Combine,
    /// Whether a plane is held in the unit circle.
    pub clamp: bool,
    /// Whether only the main device drives it.
    pub main_only: bool,
    /// Actions, by their place in the rig, that close it while they are on.
    pub closed_while: Vec<usize>,
    /// Actions without which it is closed.
    pub open_while: Vec<usize>,
    /// The modes, a bit each by their place in the rig, in which it is open; 0
    /// for all of them.
    pub modes: u32,
}

/// What several active inputs of an action come to.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Combine {
    /// The strongest, of equals the first.
    #[default]
    Strongest,
    /// Their sum, each axis held between -1 and +1.
    Sum,
}

impl Combine {
    /// Every rule, in the order they are listed to people.
    pub const ALL: [Combine; 2] = [Combine::Strongest, Combine::Sum];

    /// The word for it in rigs.
    pub const fn word(self) -> &'static str {
        match self {
            Combine::Strongest => "strongest",
            Combine::Sum => "sum",
        }
    }
}

/// What game code reads from an action.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Gives {
    /// On while any of its buttons is down.
    On,
    /// On for the one tick in which any of its buttons was pressed.
    Pulse,
    /// One axis, -1 to +1.
    Axis,
    /// Turns over with each press of any of its buttons: off, on, off, …
    Toggle,
    /// Two axes, each -1 to +1, y up.
    Plane,
    /// The same as angle and length: x in degrees, counter-clockwise from the
    /// right, above -180 up to 180; y the length.
    Polar,
}

impl Gives {
    /// Every sort, in the order they are listed to people.
    pub const ALL: [Gives; 6] =
        [Gives::On, Gives::Pulse, Gives::Toggle, Gives::Axis, Gives::Plane, Gives::Polar];

    /// The word for it in rigs.
    pub const fn word(self) -> &'static str {
        match self {
            Gives::On => "on",
            Gives::Pulse => "pulse",
            Gives::Axis => "axis",
            Gives::Toggle => "toggle",
            Gives::Plane => "plane",
            Gives::Polar => "polar",
        }
    }

    /// Whether the value is on or off.
    pub const fn is_digital(self) -> bool {
        matches!(self, Gives::On | Gives::Pulse | Gives::Toggle)
    }

    /// Whether it has two numbers.
    pub const fn is_double(self) -> bool {
        matches!(self, Gives::Plane | Gives::Polar)
    }

    /// Whether an input may feed an action of this sort.
    pub const fn accepts(self, input: &InputSpec) -> bool {
        matches!(
            (self, input),
            (
                Gives::On | Gives::Pulse | Gives::Toggle,
                InputSpec::Button { .. }
                    | InputSpec::Zone(_)
                    | InputSpec::Gesture { .. }
                    | InputSpec::Combo(_)
            ) | (
                Gives::Axis,
                InputSpec::Axis { .. } | InputSpec::Pair { .. } | InputSpec::Gesture { .. }
            ) | (
                Gives::Plane | Gives::Polar,
                InputSpec::Stick { .. }
                    | InputSpec::Cross(_)
                    | InputSpec::Pointer { .. }
                    | InputSpec::Gesture { .. }
            )
        )
    }
}

/// One way to drive an action.
#[derive(Clone, Debug, PartialEq)]
pub enum InputSpec {
    /// A button, or any other control from a travel on.
    Button {
        /// The control.
        control: ControlRef,
        /// For a control that is no button.
        thresholds: Thresholds,
    },
    /// A zone of a touch panel, by its place in the rig.
    Zone(usize),
    /// A gesture on any touch panel.
    Gesture {
        /// Its place in the rig.
        gesture: usize,
        /// How what it gives is shaped.
        shape: ShapeUse,
    },
    /// A combo, by its place in the rig.
    Combo(usize),
    /// One analogue axis.
    Axis {
        /// The control.
        control: ControlRef,
        /// How it is shaped.
        shape: ShapeUse,
    },
    /// Two keys, or two zones, as -1 and +1.
    Pair {
        /// Any of these is -1.
        negative: SideSpec,
        /// Any of these is +1.
        positive: SideSpec,
        /// What both together are.
        both: BothHeld,
    },
    /// A stick as two axes.
    Stick {
        /// The stick.
        stick: ControlRef,
        /// How it is shaped.
        shape: ShapeUse,
    },
    /// Four keys as two axes.
    Cross(CrossSpec),
    /// Relative motion, summed up and held in the unit circle, as two axes.
    Pointer {
        /// The device that moves, as a reference to its `x`.
        pointer: ControlRef,
        /// Counts from rest to the rim.
        counts: f32,
        /// How the sum is shaped.
        shape: ShapeUse,
    },
}

/// One side of a pair or a cross: any of these holds it.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SideSpec {
    /// Keys and buttons.
    pub keys: Vec<ControlRef>,
    /// Zones of touch panels, by their places in the rig.
    pub zones: Vec<usize>,
}

/// Four keys, or four zones, as two axes.
#[derive(Clone, Debug, PartialEq)]
pub struct CrossSpec {
    /// x = -1.
    pub left: SideSpec,
    /// x = +1.
    pub right: SideSpec,
    /// y = +1.
    pub up: SideSpec,
    /// y = -1.
    pub down: SideSpec,
    /// What opposite keys together are.
    pub both: BothHeld,
}

/// What two opposite keys mean when both are held.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum BothHeld {
    /// They cancel out.
    Neutral,
    /// The one pressed last wins; releasing it falls back to the other.
    Last,
    /// The one pressed first wins; releasing it falls to the other.
    First,
}

impl BothHeld {
    /// Every rule, in the order they are listed to people.
    pub const ALL: [BothHeld; 3] = [BothHeld::Neutral, BothHeld::Last, BothHeld::First];

    /// The word for it in rigs.
    pub const fn word(self) -> &'static str {
        match self {
            BothHeld::Neutral => "neutral",
            BothHeld::Last => "last",
            BothHeld::First => "first",
        }
    }
}
