//! A rig: what a person wrote about sampling, shaping and actions, checked but
//! not yet tied to devices. [`Plan::bind`](crate::Plan::bind) ties it.

use crate::{CleanText, ControlRef, DeviceKind, MainRules, Nanos, PollRate, SlotRules, tunable};
use alloc::{string::String, vec::Vec};

/// A checked rig.
///
/// Invariants: action names are unique; every number lies in the range of its
/// [`Tunable`](crate::tunable::Tunable); there are at most [`MAX_THRESHOLDS`]
/// different [`Thresholds`]; every input suits what its action
/// gives (see [`Gives::accepts`]).
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
    /// The actions, in the order game code and screen list them.
    pub actions: Vec<ActionSpec>,
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
            actions: Vec::new(),
        }
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

/// The named result that game code reads.
#[derive(Clone, Debug, PartialEq)]
pub struct ActionSpec {
    /// Its name.
    pub name: String,
    /// What sort of value it has.
    pub gives: Gives,
    /// Where it comes from; the strongest wins, the first of equals.
    pub inputs: Vec<InputSpec>,
    /// Whether a plane is held in the unit circle.
    pub clamp: bool,
    /// Whether only the main device drives it.
    pub main_only: bool,
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
    /// Two axes, each -1 to +1, y up.
    Plane,
}

impl Gives {
    /// Every sort, in the order they are listed to people.
    pub const ALL: [Gives; 4] = [Gives::On, Gives::Pulse, Gives::Axis, Gives::Plane];

    /// The word for it in rigs.
    pub const fn word(self) -> &'static str {
        match self {
            Gives::On => "on",
            Gives::Pulse => "pulse",
            Gives::Axis => "axis",
            Gives::Plane => "plane",
        }
    }

    /// Whether the value is on or off.
    pub const fn is_digital(self) -> bool {
        matches!(self, Gives::On | Gives::Pulse)
    }

    /// Whether an input may feed an action of this sort.
    pub const fn accepts(self, input: &InputSpec) -> bool {
        matches!(
            (self, input),
            (Gives::On | Gives::Pulse, InputSpec::Button { .. })
                | (Gives::Axis, InputSpec::Axis { .. } | InputSpec::Pair { .. })
                | (Gives::Plane, InputSpec::Stick { .. } | InputSpec::Cross(_))
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
    /// One analogue axis.
    Axis {
        /// The control.
        control: ControlRef,
        /// Travel that counts as rest.
        dead_zone: f32,
        /// Whether the sign is turned.
        invert: bool,
    },
    /// Two keys as -1 and +1.
    Pair {
        /// Any of these is -1.
        negative: Vec<ControlRef>,
        /// Any of these is +1.
        positive: Vec<ControlRef>,
        /// What both together are.
        both: BothHeld,
    },
    /// A stick as two axes.
    Stick {
        /// The stick.
        stick: ControlRef,
        /// Radius that counts as rest.
        dead_zone: f32,
        /// Whether x is turned.
        invert_x: bool,
        /// Whether y is turned; a stick that reports up as minus needs it.
        invert_y: bool,
    },
    /// Four keys as two axes.
    Cross(CrossSpec),
}

/// Four keys as two axes; any key of a side will do.
#[derive(Clone, Debug, PartialEq)]
pub struct CrossSpec {
    /// x = -1.
    pub left: Vec<ControlRef>,
    /// x = +1.
    pub right: Vec<ControlRef>,
    /// y = +1.
    pub up: Vec<ControlRef>,
    /// y = -1.
    pub down: Vec<ControlRef>,
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
}

impl BothHeld {
    /// Every rule, in the order they are listed to people.
    pub const ALL: [BothHeld; 2] = [BothHeld::Neutral, BothHeld::Last];

    /// The word for it in rigs.
    pub const fn word(self) -> &'static str {
        match self {
            BothHeld::Neutral => "neutral",
            BothHeld::Last => "last",
        }
    }
}
