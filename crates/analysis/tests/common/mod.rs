//! A desk with two pads and a keyboard, and a few words to drive it.

#![allow(dead_code, reason = "every test uses its own part of it")]

use gtrig_analysis::*;
use gtrig_core::*;

pub mod hand;
pub mod presses;

/// The buttons and axes of every test pad, in the order of their ids.
pub const PAD: [&str; 5] = ["south", "east", "trigger-r", "stick-l-x", "stick-l-y"];
pub const KEYS: [&str; 4] = ["KeyW", "KeyA", "KeyS", "KeyD"];

pub fn pad(identity: &str) -> DeviceInfo {
    let kind = |code: &str| match code {
        "trigger-r" => ControlKind::Trigger { min: 0, max: 100 },
        "south" | "east" => ControlKind::Button,
        _ => ControlKind::Axis { min: -100, centre: 0, max: 100 },
    };
    device(DeviceKind::Pad, identity, &PAD, kind)
}

pub fn keys() -> DeviceInfo {
    device(DeviceKind::Keys, "keys", &KEYS, |_| ControlKind::Button)
}

/// A touch panel of three contacts, twice as wide as high.
pub fn glass() -> DeviceInfo {
    // Each is a touch, an x and a y.
    let codes = &vocabulary::names(DeviceKind::Glass)[..9];
    let kind = |code: &str| match code.rsplit('-').next() {
        Some("x") => ControlKind::Position { min: 0, max: 1000 },
        Some("y") => ControlKind::Position { min: 0, max: 500 },
        _ => ControlKind::Button,
    };
    device(DeviceKind::Glass, "glass", codes, kind)
}

fn device(
    kind: DeviceKind,
    identity: &str,
    codes: &[&str],
    control: impl Fn(&str) -> ControlKind,
) -> DeviceInfo {
    let controls = codes.iter().map(|c| ControlInfo::new(c, control(c)));
    DeviceInfo {
        identity: identity.into(),
        kind,
        name: CleanText::new(identity),
        bus: CleanText::default(),
        slot: None,
        controls: controls.collect(),
    }
}

pub fn reference(text: &str) -> ControlRef {
    text.parse().unwrap()
}

pub fn button(text: &str) -> InputSpec {
    let thresholds = Thresholds { press_at: 0.5, release_at: 0.3 };
    InputSpec::Button { control: reference(text), thresholds }
}

pub fn held_by(key: &str) -> SideSpec {
    SideSpec { keys: vec![reference(key)], zones: Vec::new() }
}

pub fn pair(negative: &str, positive: &str, both: BothHeld) -> InputSpec {
    InputSpec::Pair { negative: held_by(negative), positive: held_by(positive), both }
}

pub fn stick(text: &str, dead_zone: f32) -> InputSpec {
    let stages =
        vec![Stage::Invert { x: false, y: true }, Stage::DeadZone(DeadZone::radius(dead_zone))];
    shaped_stick(text, stages)
}

pub fn shaped_stick(text: &str, stages: Vec<Stage>) -> InputSpec {
    let shape = ShapeUse::Own(Shape { travel: [None; 2], stages });
    InputSpec::Stick { stick: reference(text), shape }
}

pub fn cross(both: BothHeld) -> InputSpec {
    let key = |code: &str| held_by(&format!("keys/{code}"));
    InputSpec::Cross(CrossSpec {
        left: key("KeyA"),
        right: key("KeyD"),
        up: key("KeyW"),
        down: key("KeyS"),
        both,
    })
}

pub fn action(name: &str, gives: Gives, inputs: Vec<InputSpec>) -> ActionSpec {
    ActionSpec::new(name, gives, inputs)
}

/// A zone that takes what begins on it.
pub fn zone(name: &str, at: [f32; 2], size: [f32; 2]) -> Zone {
    Zone::new(name, Outline::Rect { at, size })
}

pub fn rig(actions: Vec<ActionSpec>) -> Rig {
    Rig { actions, ..Rig::bare("test", PollRate::DEFAULT) }
}

/// A session with two pads and a keyboard.
pub struct Desk {
    pub session: Session,
    pub devices: [DeviceId; 3],
}

impl Desk {
    pub fn new(rig: Rig) -> Self {
        Desk::with_capacity(rig, Capacity::DEFAULT)
    }

    pub fn with_capacity(rig: Rig, capacity: Capacity) -> Self {
        let mut session = Session::new(rig, Tick(0), capacity);
        let devices = [pad("a"), pad("b"), keys()].map(|d| session.plug(d, Nanos(0)).unwrap());
        Desk { session, devices }
    }

    /// The control a text such as `pad2/south` means.
    pub fn control(&self, text: &str) -> ControlId {
        reference(text).resolve(self.session.roster()).next().unwrap()
    }

    /// A control takes a value at an instant in milliseconds.
    pub fn set(&mut self, ms: f64, control: &str, value: i32) {
        let control = self.control(control);
        let time = Nanos((ms * 1e6).round() as u64);
        self.session.report(Event { time, value, control, marks: Marks::empty() });
    }

    pub fn run_to(&mut self, tick: u32) {
        self.session.run_until(Tick(tick));
    }

    pub fn action(&self, number: u16) -> ActionState {
        self.session.now().action(ActionId(number))
    }
}
