//! The part of Green Trigger that an engine can embed: devices, rigs, and a
//! machine that turns time-stamped raw events into what game code reads.
//!
//! The crate is built like the road that the data takes. Each stage is a
//! module that knows only those above it in this list:
//!
//! | stage | holds |
//! |---|---|
//! | `base` | time, the numbers of things, sets of them, text, vectors |
//! | `device` | devices and controls, their events, maps that name their controls, the roster that numbers them |
//! | `spec` | what a rig says: rules, shapes, zones, gestures, combos, actions; every tunable number |
//! | `sample` | one control, one device, polled: state, edges, marks |
//! | `shape` | what stages make of a value: dead zones, curves, smoothing |
//! | `touch` | contacts of touch panels, and the zones that have them |
//! | `gesture` | what fingers mean |
//! | `combo` | presses, holds and chords in time |
//! | `plan` | a rig tied to the devices of a roster: immutable |
//! | `run` | the machine: all that changes from tick to tick |
//!
//! # In a game
//!
//! A game keeps a [`Roster`] of its devices, binds its [`Rig`] to it, and runs a
//! [`Machine`] once per frame over what was reported since the frame before:
//!
//! ```
//! use gtrig_core::*;
//!
//! // One device with one button.
//! let mut roster = Roster::default();
//! let pad = roster.admit(
//!     DeviceInfo {
//!         identity: "usb-1".into(),
//!         kind: DeviceKind::Pad,
//!         name: CleanText::new("trainer pad"),
//!         bus: CleanText::default(),
//!         slot: None,
//!         controls: vec![ControlInfo::new("south", ControlKind::Button)],
//!     },
//!     &SlotRules::default(),
//! )?;
//! let device = roster.device(pad);
//! let (presence, south) = (device.presence(), device.control("south").unwrap());
//!
//! // One action, on while the button is down.
//! let thresholds = Thresholds { press_at: 0.5, release_at: 0.5 };
//! let control = "pad/south".parse().unwrap();
//! let mut rig = Rig::bare("horn only", PollRate::DEFAULT);
//! rig.actions.push(ActionSpec::new("horn", Gives::On, vec![InputSpec::Button { control, thresholds }]));
//! let horn = ActionId(0);
//!
//! // Two frames: the button goes down before the second.
//! let plan = Plan::bind(&rig, &roster);
//! let mut machine = Machine::new(&plan, Tick(0));
//! let here = Event::new(Nanos(0), presence, Presence::Here.value());
//! let down = Event::new(Nanos::from_millis(5), south, 1);
//! machine.tick(&plan, Nanos(0), &[here]);
//! assert!(!machine.action(horn).is_active());
//! machine.tick(&plan, Nanos::from_millis(16), &[down]);
//! assert!(machine.action(horn).is_active());
//! assert_eq!(machine.control(south).edge(), Some(Edge::Press));
//! # Ok::<(), RosterError>(())
//! ```
//!
//! # Limits
//!
//! | at most | |
//! |---|---|
//! | [`MAX_CONTROLS`] | controls of a session, over all its devices |
//! | [`LAST_TIME`] | time of a session |
//! | [`MAX_THRESHOLDS`] | different pairs of thresholds of a rig |
//! | [`MAX_ZONES`], [`MAX_GESTURES`], [`MAX_SIGNS`] | zones, gestures and signs of a rig |
//! | [`MAX_COMBOS`], [`MAX_MODES`] | combos and modes of a rig |
//! | [`MAX_STEPS`] | steps of a combo |
//! | [`MAX_FINGERS`], [`MAX_TAPS`] | fingers and taps of a gesture |
//! | [`MAX_ATTEMPTS`] | attempts at gestures that go on at once |
//!
//! A rig that goes beyond one of them is refused where it is read. What a run goes beyond is
//! said where the limit is declared.
//!
//! # Time and threads
//!
//! All times are [`Nanos`] since the session began, by the clock of whoever reports. A game
//! that polls once a frame calls [`Machine::tick_lasting`] with the instant of the frame and
//! its length; the workbench calls [`run()`], which polls at the rate of the rig. A [`Plan`] can
//! be shared between threads. A [`Machine`] belongs to one at a time, and can be sent to another:
//!
//! ```
//! fn is_sent<T: Send>() {}
//! fn is_shared<T: Send + Sync>() {}
//! is_sent::<gtrig_core::Machine>();
//! is_shared::<gtrig_core::Plan>();
//! ```
//!
//! # What it does not do
//!
//! It opens no device and reads no file: sources of devices, the text of rigs and takes, history,
//! explanations and measurements are crates above it.
//!
//! The crate is `no_std`: there is no file, socket, clock, thread or screen
//! in it, and time comes in with the events. Floating point is IEEE 754
//! arithmetic plus `libm`, so the same events and rig give the same values on
//! every machine.
#![no_std]
// Who works on a stage needs the meaning of what it keeps, and not only of what it shows.
#![cfg_attr(not(test), warn(clippy::missing_docs_in_private_items))]

extern crate alloc;
#[cfg(test)]
extern crate std;

mod base;
mod combo;
mod device;
mod gesture;
mod plan;
mod run;
mod sample;
mod shape;
mod spec;
mod touch;

pub use base::{
    ActionId, ActionState, CleanText, ComboId, ContactId, ControlId, DeviceId, GestureId, Id,
    InputId, Keyword, LAST_TIME, ModeId, ModeSet, Moment, Nanos, PollRate, ShapeId, SignId,
    SignalId, Tick, ZoneId, ZoneSet, clamp_to_circle, from_polar, harmless, length, polar,
    showable,
};
pub use combo::{
    ComboNews, ComboOutcome, ComboState, HandPress, KEPT_MOMENTS, SignalChange, SignalEdge,
    SignalState,
};
pub use device::{
    ADDRESSED_UNITS, AddressError, AddressMap, AddressedAs, AddressedControl, AddressedDevice,
    Axes, AxisInfo, Control, ControlInfo, ControlKind, ControlRef, Deal, Device, DeviceInfo,
    DeviceKind, DeviceMap, DeviceMatch, DownAt, Event, HardwareIds, Levels, MAX_CONTROLS, MapFault,
    MappedControl, MappedDevice, MappedFrom, Marks, Presence, RAW, ReportBits, Roster, RosterError,
    SLOTS, SlotRules, normalise, vocabulary,
};
pub use gesture::{
    CheckedLimit, GestureCandidate, GestureOutcome, GestureState, GestureVerdict, MAX_ATTEMPTS,
    MAX_CHECKS, MAX_STROKE_PLACES, MAX_TAPS_KEPT, NEAR_SHARE, POINTS, RELEASE_TIME, TURN_DEG,
};
pub use plan::{BoundInput, BoundShape, BoundSide, Opposites, Plan};
pub use run::{Closed, Machine, run};
pub use sample::{ControlState, DeviceStatus, Edge, LaneMarks};
pub use shape::{
    Chain, DeadZoneBorder, Response, Rim, StageMemory, directions, facing, turn_limit,
};
pub use spec::{
    ActionSpec, Anchor, Aspect, BothHeld, Calm, Camera, Claim, Combine, Combo, ComboClock,
    ComboLimit, ComboStep, ComboVariant, CranePart, CrossSpec, Curve, CurvePoints,
    CurvePointsError, DeadZone, DeadZoneKind, Direction, Drive, EdgeRule, EdgeSettings, GameName,
    GameSpec, GameTarget, Gesture, GestureKind, GestureLimits, Gives, InputSpec, Knob, LengthUnit,
    LimitSense, LimitUse, MAX_COMBOS, MAX_EXAMPLES, MAX_FINGERS, MAX_GAME_NAMES, MAX_GESTURES,
    MAX_MODES, MAX_SIGNS, MAX_STEPS, MAX_TAPS, MAX_THRESHOLDS, MAX_ZONES, MainRule, MainRules,
    MeasuredFrom, Mirror, Mode, NamedShape, Nearness, OnDevice, OscSpec, Outline, PanelEdge, Part,
    Place, PlaceAxis, Pointing, PointingSet, Quantity, Rig, Scope, Selector, SentAt, Shape,
    ShapeUse, SideSpec, Sign, Signal, Smooth, Space, SpaceMap, Stage, StepKind, StepText,
    StickCentre, StickGate, Strict, Surface, SwipeDirections, SwipeFires, Thresholds, TimeSpan,
    Travel, Turn, ViewWindow, YardSpec, Zone, crosses_itself, places_of, tunable,
};
pub use touch::{Contact, Zones};
