//! What a kernel device is, and which control each of its codes is.
//!
//! Names are the kernel's gamepad layout for pads and W3C `code` values for
//! keys, as the vocabulary has them; anything else is named by its number.
//! Values stay as reported; a hat, which the kernel reports as an axis of
//! three values, becomes two buttons of the pad's cross.

use gtrig_core::{AxisInfo, CleanText, ControlInfo, ControlKind, DeviceInfo, DeviceKind};
use std::collections::HashMap;

pub(super) const EV_SYN: u16 = 0;
pub(super) const EV_KEY: u16 = 1;
pub(super) const EV_REL: u16 = 2;
pub(super) const EV_ABS: u16 = 3;

pub(super) const ABS_MT_SLOT: u16 = 0x2f;
pub(super) const ABS_MT_POSITION_X: u16 = 0x35;
pub(super) const ABS_MT_POSITION_Y: u16 = 0x36;
pub(super) const ABS_MT_TOOL_TYPE: u16 = 0x37;
pub(super) const ABS_MT_TRACKING_ID: u16 = 0x39;
/// The value of a tool that is the flat of a hand: what it touched does not
/// count.
pub(super) const MT_TOOL_PALM: i32 = 2;
/// What a panel may say of a contact besides its place, and how it is called.
pub(super) const EXTRAS: [(u16, &str); 2] = [(0x3a, "pressure"), (0x30, "size")];
const ABS_MT_FIRST: u16 = ABS_MT_SLOT;

const BTN_MISC: u16 = 0x100;
const BTN_LEFT: u16 = 0x110;
const BTN_GAMEPAD: u16 = 0x130;
const KEY_A: u16 = 30;
const KEY_Z: u16 = 44;

/// More contacts than this are not followed.
const MAX_CONTACTS: i32 = 10;

/// What the kernel says a device can do.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Abilities {
    pub(super) name: String,
    pub(super) identity: String,
    pub(super) keys: Vec<u16>,
    pub(super) relative: Vec<u16>,
    /// What it is connected by.
    pub(super) bus: String,
    pub(super) axes: Vec<AbsAxis>,
}

/// An absolute axis, as its driver describes it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct AbsAxis {
    pub(super) code: u16,
    /// Smallest and largest value.
    pub(super) range: (i32, i32),
    pub(super) grain: AxisInfo,
}

/// Which control a code is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Route {
    /// A button, an axis or a relative count.
    Plain(u16),
    /// A hat: the buttons of its negative and its positive side.
    Hat(u16, u16),
}

/// A device as it is plugged into a session, and the way from codes to
/// controls.
#[derive(Clone, Debug)]
pub(super) struct Layout {
    pub(super) info: DeviceInfo,
    pub(super) routes: HashMap<(u16, u16), Route>,
    /// The first control of the first contact.
    pub(super) contacts: u16,
    pub(super) contact_count: u16,
    /// What each contact has: touch, x, y, and then the codes of these.
    pub(super) extras: Vec<u16>,
}

impl Abilities {
    fn has_key(&self, code: u16) -> bool {
        self.keys.contains(&code)
    }

    fn axis(&self, code: u16) -> Option<(i32, i32)> {
        let axis = self.axes.iter().find(|axis| axis.code == code);
        // Some drivers say min > max; the values are the same range.
        axis.map(|&AbsAxis { range: (a, b), .. }| (a.min(b), a.max(b)))
    }

    pub(super) fn kind(&self) -> DeviceKind {
        if self.axis(ABS_MT_SLOT).is_some() {
            DeviceKind::Glass
        } else if self.has_key(BTN_GAMEPAD) {
            DeviceKind::Pad
        } else if self.has_key(BTN_LEFT) && self.relative.contains(&0) {
            DeviceKind::Mouse
        } else if self.has_key(KEY_A) && self.has_key(KEY_Z) {
            DeviceKind::Keys
        } else {
            DeviceKind::Other
        }
    }

    /// The layout; `None` for a device without anything to report.
    pub(super) fn layout(&self) -> Option<Layout> {
        let kind = self.kind();
        let info = DeviceInfo {
            identity: self.identity.clone(),
            kind,
            name: CleanText::new(&self.name),
            bus: CleanText::new(&self.bus),
            slot: None,
            controls: Vec::new(),
        };
        let mut layout = Layout {
            info,
            routes: HashMap::new(),
            contacts: 0,
            contact_count: 0,
            extras: Vec::new(),
        };
        for &code in &self.keys {
            // A touch panel repeats its first contact as a pen with buttons.
            if kind != DeviceKind::Glass || code < BTN_MISC {
                let name = key_name(kind, code, |axis| self.axis(axis).is_some());
                layout.plain(EV_KEY, code, name, ControlKind::Button);
            }
        }
        for &code in &self.relative {
            layout.plain(EV_REL, code, relative_name(code), ControlKind::Relative);
        }
        for &AbsAxis { code, grain, .. } in &self.axes {
            if let Some(range) = self.axis(code).filter(|_| code < ABS_MT_FIRST) {
                let before = layout.info.controls.len();
                layout.axis(kind, code, range);
                layout.info.controls[before..].iter_mut().for_each(|c| c.grain = grain);
            }
        }
        self.add_contacts(&mut layout);
        (!layout.info.controls.is_empty()).then_some(layout)
    }

    fn add_contacts(&self, layout: &mut Layout) {
        let Some((_, last)) = self.axis(ABS_MT_SLOT) else { return };
        let place = |(min, max)| ControlKind::Position { min, max };
        let x = self.part(ABS_MT_POSITION_X, place);
        let y = self.part(ABS_MT_POSITION_Y, place);
        let pressed = |(min, max)| ControlKind::Trigger { min, max };
        let extras = EXTRAS.iter().filter(|(code, _)| self.axis(*code).is_some());
        layout.extras = extras.clone().map(|(code, _)| *code).collect();
        layout.contacts = layout.info.controls.len() as u16;
        layout.contact_count = (last.saturating_add(1)).clamp(0, MAX_CONTACTS) as u16;
        for n in 1..=layout.contact_count {
            layout.add(format!("contact-{n}"), ControlKind::Button);
            layout.add_with(format!("contact-{n}-x"), x);
            layout.add_with(format!("contact-{n}-y"), y);
            for (code, name) in extras.clone() {
                layout.add_with(format!("contact-{n}-{name}"), self.part(*code, pressed));
            }
        }
    }

    /// The kind and grain of a part of a contact.
    fn part(&self, code: u16, kind: impl Fn((i32, i32)) -> ControlKind) -> (ControlKind, AxisInfo) {
        let axis = self.axes.iter().find(|axis| axis.code == code);
        let grain = axis.map_or(AxisInfo::default(), |axis| axis.grain);
        (kind(self.axis(code).unwrap_or((0, 0))), grain)
    }
}

impl Layout {
    /// How many controls each contact has.
    pub(super) fn stride(&self) -> u16 {
        3 + self.extras.len() as u16
    }

    fn add_with(&mut self, code: String, (kind, grain): (ControlKind, AxisInfo)) {
        let control = self.add(code, kind);
        self.info.controls[usize::from(control)].grain = grain;
    }

    fn add(&mut self, code: String, kind: ControlKind) -> u16 {
        self.info.controls.push(ControlInfo::new(&code, kind));
        self.info.controls.len() as u16 - 1
    }

    fn plain(&mut self, event: u16, code: u16, name: String, kind: ControlKind) {
        // Two codes may mean the same thing; the second goes by its number.
        let is_taken = self.info.controls.iter().any(|control| control.code == name);
        let name = if is_taken { format!("code-{event}-{code}") } else { name };
        let control = self.add(name, kind);
        self.routes.insert((event, code), Route::Plain(control));
    }

    fn axis(&mut self, kind: DeviceKind, code: u16, (min, max): (i32, i32)) {
        let centre = (i64::from(min) + i64::from(max) + 1).div_euclid(2) as i32;
        let stick = ControlKind::Axis { min, centre: centre.min(max), max };
        let trigger = ControlKind::Trigger { min, max };
        let (name, control) = match (kind, code) {
            (DeviceKind::Glass, _) => return,
            (DeviceKind::Pad, 0x00) => ("stick-l-x", stick),
            (DeviceKind::Pad, 0x01) => ("stick-l-y", stick),
            (DeviceKind::Pad, 0x02) => ("trigger-l", trigger),
            (DeviceKind::Pad, 0x03) => ("stick-r-x", stick),
            (DeviceKind::Pad, 0x04) => ("stick-r-y", stick),
            (DeviceKind::Pad, 0x05) => ("trigger-r", trigger),
            (DeviceKind::Pad, 0x10) => return self.hat(code, "dpad-left", "dpad-right"),
            (DeviceKind::Pad, 0x11) => return self.hat(code, "dpad-up", "dpad-down"),
            _ => return self.plain(EV_ABS, code, format!("axis-{code}"), stick),
        };
        self.plain(EV_ABS, code, name.to_owned(), control);
    }

    fn hat(&mut self, code: u16, negative: &str, positive: &str) {
        let negative = self.add(negative.to_owned(), ControlKind::Button);
        let positive = self.add(positive.to_owned(), ControlKind::Button);
        self.routes.insert((EV_ABS, code), Route::Hat(negative, positive));
    }
}

fn relative_name(code: u16) -> String {
    match code {
        0 => "x".to_owned(),
        1 => "y".to_owned(),
        6 => "wheel-x".to_owned(),
        8 => "wheel-y".to_owned(),
        _ => format!("relative-{code}"),
    }
}

/// Pads with analogue triggers report a button for each as well; it is named
/// apart from the trigger itself.
fn key_name(kind: DeviceKind, code: u16, has_axis: impl Fn(u16) -> bool) -> String {
    let name = match code {
        0x138 if has_axis(0x02) => Some("trigger-l-button"),
        0x139 if has_axis(0x05) => Some("trigger-r-button"),
        _ if kind == DeviceKind::Mouse => mouse_button(code),
        _ => key(code).or(pad_button(code)),
    };
    name.map_or_else(|| format!("button-{code}"), str::to_owned)
}

fn mouse_button(code: u16) -> Option<&'static str> {
    Some(match code {
        0x110 => "left",
        0x111 => "right",
        0x112 => "middle",
        0x113 | 0x116 => "back",
        0x114 | 0x115 => "forward",
        _ => return None,
    })
}

fn pad_button(code: u16) -> Option<&'static str> {
    Some(match code {
        0x130 => "south",
        0x131 => "east",
        0x133 => "north",
        0x134 => "west",
        0x136 => "shoulder-l",
        0x137 => "shoulder-r",
        0x138 => "trigger-l",
        0x139 => "trigger-r",
        0x13a => "select",
        0x13b => "start",
        0x13c => "mode",
        0x13d => "thumb-l",
        0x13e => "thumb-r",
        0x220 => "dpad-up",
        0x221 => "dpad-down",
        0x222 => "dpad-left",
        0x223 => "dpad-right",
        _ => return None,
    })
}

/// Linux key codes (`input-event-codes.h`) as W3C UI Events `code` values,
/// which name the same places.
#[rustfmt::skip]
fn key(code: u16) -> Option<&'static str> {
    const FIRST: [&str; 88] = [
        "Escape", "Digit1", "Digit2", "Digit3", "Digit4", "Digit5", "Digit6", "Digit7", "Digit8",
        "Digit9", "Digit0", "Minus", "Equal", "Backspace", "Tab", "KeyQ", "KeyW", "KeyE", "KeyR",
        "KeyT", "KeyY", "KeyU", "KeyI", "KeyO", "KeyP", "BracketLeft", "BracketRight", "Enter",
        "ControlLeft", "KeyA", "KeyS", "KeyD", "KeyF", "KeyG", "KeyH", "KeyJ", "KeyK", "KeyL",
        "Semicolon", "Quote", "Backquote", "ShiftLeft", "Backslash", "KeyZ", "KeyX", "KeyC",
        "KeyV", "KeyB", "KeyN", "KeyM", "Comma", "Period", "Slash", "ShiftRight",
        "NumpadMultiply", "AltLeft", "Space", "CapsLock", "F1", "F2", "F3", "F4", "F5", "F6",
        "F7", "F8", "F9", "F10", "NumLock", "ScrollLock", "Numpad7", "Numpad8", "Numpad9",
        "NumpadSubtract", "Numpad4", "Numpad5", "Numpad6", "NumpadAdd", "Numpad1", "Numpad2",
        "Numpad3", "Numpad0", "NumpadDecimal", "", "", "IntlBackslash", "F11", "F12",
    ];
    const REST: [(u16, &str); 39] = [
        (89, "IntlRo"), (96, "NumpadEnter"), (97, "ControlRight"), (98, "NumpadDivide"),
        (99, "PrintScreen"), (100, "AltRight"), (102, "Home"), (103, "ArrowUp"), (104, "PageUp"),
        (105, "ArrowLeft"), (106, "ArrowRight"), (107, "End"), (108, "ArrowDown"),
        (109, "PageDown"), (110, "Insert"), (111, "Delete"), (113, "AudioVolumeMute"),
        (114, "AudioVolumeDown"), (115, "AudioVolumeUp"), (117, "NumpadEqual"), (119, "Pause"),
        (121, "NumpadComma"), (124, "IntlYen"), (125, "MetaLeft"), (126, "MetaRight"),
        (127, "ContextMenu"), (163, "MediaTrackNext"), (164, "MediaPlayPause"),
        (165, "MediaTrackPrevious"), (166, "MediaStop"), (183, "F13"), (184, "F14"),
        (185, "F15"), (186, "F16"), (187, "F17"), (188, "F18"), (189, "F19"), (190, "F20"),
        (191, "F21"),
    ];
    const LAST: [(u16, &str); 3] = [(192, "F22"), (193, "F23"), (194, "F24")];
    let first = usize::from(code).checked_sub(1).and_then(|at| FIRST.get(at));
    let rest = || REST.iter().chain(&LAST).find(|(known, _)| *known == code).map(|(_, name)| name);
    first.filter(|name| !name.is_empty()).or_else(rest).copied()
}
