//! What the kernel's codes are called.
//!
//! Keys are W3C `code` values; the buttons and axes of pads the kernel's gamepad
//! layout; what flight sticks, wheels, pedals and pens have is called as the
//! kernel's own constants are (`input-event-codes.h`), in lower case.

use gtrig_core::DeviceKind;

/// Keys that write: letters, digits, signs, and those of the numeric pad.
const WRITING: [std::ops::RangeInclusive<u16>; 7] =
    [2..=13, 16..=27, 30..=41, 43..=53, 55..=55, 71..=83, 86..=86];

/// Whether a key writes, so that what is typed could be read from it.
pub(super) fn writes(code: u16) -> bool {
    WRITING.iter().any(|codes| codes.contains(&code))
}

/// Whether a hand plays with it: the keys of a keyboard, and the buttons of everything
/// that is made for play. What is left steers the machine: power, volume, brightness.
pub(super) fn is_for_play(code: u16) -> bool {
    matches!(code, 1..=111 | 183..=194 | 0x100..=0x15f | 0x220..=0x223 | 0x2c0..=0x2e7)
}

/// What a key or a button is called on a device of a kind.
pub(super) fn button(kind: DeviceKind, code: u16) -> String {
    let name = match kind {
        DeviceKind::Mouse => mouse_button(code).or(key(code)),
        DeviceKind::Glass => mouse_button(code).or(key(code)).or(pad_button(code)),
        _ => key(code).or(pad_button(code)).or(stick_button(code)),
    };
    match code {
        _ if name.is_some() => name.unwrap_or_default().to_owned(),
        0x100..=0x109 => format!("button-{}", code - 0x100),
        0x2c0..=0x2e7 => format!("extra-{}", code - 0x2c0 + 1),
        _ => format!("button-{code}"),
    }
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

/// What a pen has: its tip is the left button of a pointer.
pub(super) fn pen_button(code: u16) -> Option<&'static str> {
    Some(match code {
        0x140 => "in-range",
        0x14a => "left",
        0x14b => "right",
        0x14c => "middle",
        0x149 => "back",
        0x141 => "rubber",
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

/// The buttons of flight sticks, wheels and button boxes.
fn stick_button(code: u16) -> Option<&'static str> {
    Some(match code {
        0x120 => "trigger",
        0x121 => "thumb",
        0x122 => "thumb-2",
        0x123 => "top",
        0x124 => "top-2",
        0x125 => "pinkie",
        0x126 => "base",
        0x127 => "base-2",
        0x128 => "base-3",
        0x129 => "base-4",
        0x12a => "base-5",
        0x12b => "base-6",
        0x12f => "dead",
        0x150 => "gear-down",
        0x151 => "gear-up",
        _ => return None,
    })
}

/// What an absolute axis is called that is no part of a pad or a touch.
pub(super) fn axis(code: u16) -> String {
    let name = match code {
        0x00 => "x",
        0x01 => "y",
        0x02 => "z",
        0x03 => "rx",
        0x04 => "ry",
        0x05 => "rz",
        0x06 => "throttle",
        0x07 => "rudder",
        0x08 => "wheel",
        0x09 => "gas",
        0x0a => "brake",
        0x18 => "pressure",
        0x19 => "distance",
        0x1a => "tilt-x",
        0x1b => "tilt-y",
        0x1c => "tool-width",
        0x20 => "volume",
        _ => return format!("axis-{code}"),
    };
    name.to_owned()
}

/// Whether an axis has its rest at one end, by what it is.
pub(super) const fn is_one_sided(code: u16) -> bool {
    matches!(code, 0x06 | 0x09 | 0x0a | 0x18 | 0x19 | 0x1c | 0x20)
}

/// What a relative axis is called.
pub(super) fn relative(code: u16) -> String {
    let name = match code {
        0 => "x",
        1 => "y",
        2 => "z",
        3 => "rx",
        4 => "ry",
        5 => "rz",
        6 => "wheel-x",
        7 => "dial",
        8 => "wheel-y",
        // 120 counts are a notch.
        0x0b => "wheel-y-fine",
        0x0c => "wheel-x-fine",
        _ => return format!("relative-{code}"),
    };
    name.to_owned()
}

/// What a switch is called.
pub(super) fn switch(code: u16) -> String {
    let name = match code {
        0x00 => "lid",
        0x01 => "tablet-mode",
        0x02 => "headphones",
        0x04 => "microphone",
        0x05 => "dock",
        0x09 => "camera-cover",
        0x0e => "rotation-lock",
        _ => return format!("switch-{code}"),
    };
    name.to_owned()
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
