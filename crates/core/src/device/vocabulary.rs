//! The standard names of controls, by kind of device.
//!
//! Pads follow the Linux kernel's gamepad layout and the W3C standard gamepad:
//! compass points for the four buttons, sides for the rest. Keys are the
//! `code` values of W3C UI Events, which name a key by its place.
//!
//! A name is a promise: `south` is the button nearest to the player on every pad, whatever is
//! printed on it, so that a rig written for one pad works with another. What a driver reports
//! under a number of its own gets one of the numbered names (`button-291`, `axis-9`) until a map
//! names it.
//!
//! ```
//! use gtrig_core::{DeviceKind, vocabulary};
//!
//! assert!(vocabulary::names(DeviceKind::Pad).contains(&"south"));
//! assert!(vocabulary::is_name(DeviceKind::Pad, "button-291"));
//! assert!(!vocabulary::is_name(DeviceKind::Pad, "KeyA"));
//! // A rig may name a stick where it wants both of its axes.
//! assert_eq!(vocabulary::sticks(DeviceKind::Pad), ["stick-l", "stick-r"]);
//! ```

use crate::device::DeviceKind;

/// The pad's controls. Sticks are pairs of axes ending in `-x` and `-y`.
///
/// ```text
///   trigger-l  shoulder-l                 shoulder-r  trigger-r
///         dpad-up                               north
///  dpad-left   dpad-right    select start    west   east
///        dpad-down              mode            south
///            stick-l (thumb-l)       stick-r (thumb-r)
/// ```
///
/// `thumb-l` and `thumb-r` are the buttons under the sticks. On the W3C standard gamepad these are
/// the buttons 0 to 16 and the axes 0 to 3.
pub const PAD: &[&str] = &[
    "south",
    "east",
    "west",
    "north",
    "shoulder-l",
    "shoulder-r",
    "trigger-l",
    "trigger-r",
    "select",
    "start",
    "mode",
    "thumb-l",
    "thumb-r",
    "dpad-up",
    "dpad-down",
    "dpad-left",
    "dpad-right",
    "stick-l-x",
    "stick-l-y",
    "stick-r-x",
    "stick-r-y",
];

/// A lever's controls: one long travel and two buttons on the grip.
///
/// `travel` may be an axis with a rest in its middle, or a trigger that rests at an end.
pub const LEVER: &[&str] = &["travel", "thumb", "detent"];

/// A mouse's controls. `x` and `y` are the pointer's position on its screen;
/// `in-range`, as USB HID calls it, is held while it has one.
///
/// A plain mouse moves `x` and `y` by counts; a pen, and a pointer that a window system places, say
/// where on the screen they are.
pub const MOUSE: &[&str] =
    &["left", "middle", "right", "back", "forward", "in-range", "x", "y", "wheel-x", "wheel-y"];

/// A touch panel's controls: up to five contacts, each a touch and a place.
///
/// A panel with more fingers numbers on: `contact-6`, `contact-6-x` and so on.
pub const GLASS: &[&str] = &[
    "contact-1",
    "contact-1-x",
    "contact-1-y",
    "contact-2",
    "contact-2-x",
    "contact-2-y",
    "contact-3",
    "contact-3-x",
    "contact-3-y",
    "contact-4",
    "contact-4-x",
    "contact-4-y",
    "contact-5",
    "contact-5-x",
    "contact-5-y",
];

/// The keys, as W3C UI Events `code` values.
///
/// `KeyQ` is the key right of Tab in the upper row of letters, whatever letter it writes on the
/// keyboard of a player in another country. What it writes is no business of an action.
pub const KEYS: &[&str] = &[
    "KeyA",
    "KeyB",
    "KeyC",
    "KeyD",
    "KeyE",
    "KeyF",
    "KeyG",
    "KeyH",
    "KeyI",
    "KeyJ",
    "KeyK",
    "KeyL",
    "KeyM",
    "KeyN",
    "KeyO",
    "KeyP",
    "KeyQ",
    "KeyR",
    "KeyS",
    "KeyT",
    "KeyU",
    "KeyV",
    "KeyW",
    "KeyX",
    "KeyY",
    "KeyZ",
    "Digit0",
    "Digit1",
    "Digit2",
    "Digit3",
    "Digit4",
    "Digit5",
    "Digit6",
    "Digit7",
    "Digit8",
    "Digit9",
    "Space",
    "Enter",
    "Tab",
    "Escape",
    "Backspace",
    "Minus",
    "Equal",
    "BracketLeft",
    "BracketRight",
    "Backslash",
    "Semicolon",
    "Quote",
    "Backquote",
    "Comma",
    "Period",
    "Slash",
    "CapsLock",
    "ArrowUp",
    "ArrowDown",
    "ArrowLeft",
    "ArrowRight",
    "Home",
    "End",
    "PageUp",
    "PageDown",
    "Insert",
    "Delete",
    "ShiftLeft",
    "ShiftRight",
    "ControlLeft",
    "ControlRight",
    "AltLeft",
    "AltRight",
    "MetaLeft",
    "MetaRight",
    "ContextMenu",
    "PrintScreen",
    "ScrollLock",
    "Pause",
    "NumLock",
    "F1",
    "F2",
    "F3",
    "F4",
    "F5",
    "F6",
    "F7",
    "F8",
    "F9",
    "F10",
    "F11",
    "F12",
    "F13",
    "F14",
    "F15",
    "F16",
    "F17",
    "F18",
    "F19",
    "F20",
    "F21",
    "F22",
    "F23",
    "F24",
    "Numpad0",
    "Numpad1",
    "Numpad2",
    "Numpad3",
    "Numpad4",
    "Numpad5",
    "Numpad6",
    "Numpad7",
    "Numpad8",
    "Numpad9",
    "NumpadAdd",
    "NumpadSubtract",
    "NumpadMultiply",
    "NumpadDivide",
    "NumpadDecimal",
    "NumpadComma",
    "NumpadEqual",
    "NumpadEnter",
    "IntlBackslash",
    "IntlRo",
    "IntlYen",
    "MediaPlayPause",
    "MediaStop",
    "MediaTrackNext",
    "MediaTrackPrevious",
    "AudioVolumeUp",
    "AudioVolumeDown",
    "AudioVolumeMute",
];

/// The standard names for a kind of device; empty for a kind whose controls may have
/// any name.
pub fn names(kind: DeviceKind) -> &'static [&'static str] {
    match kind {
        DeviceKind::Pad => PAD,
        DeviceKind::Lever => LEVER,
        DeviceKind::Keys => KEYS,
        DeviceKind::Mouse => MOUSE,
        DeviceKind::Glass => GLASS,
        DeviceKind::System | DeviceKind::Other => &[],
    }
}

/// What some devices of a kind have besides the standard names.
///
/// A rig may name them as well; that a device lacks them surprises nobody.
fn more(kind: DeviceKind) -> &'static [&'static str] {
    match kind {
        DeviceKind::Pad => &["trigger-l-button", "trigger-r-button"],
        DeviceKind::Mouse => &[
            "pressure",
            "tilt-x",
            "tilt-y",
            "distance",
            "rubber",
            "dial",
            "wheel-x-fine",
            "wheel-y-fine",
        ],
        DeviceKind::Glass => &["left", "middle", "right"],
        DeviceKind::Lever | DeviceKind::Keys | DeviceKind::System | DeviceKind::Other => &[],
    }
}

/// Whether a device of a kind may have a control of this name: a standard one, or one
/// that only some have, or one that goes by a number, such as `extra-3`,
/// `button-291` or `contact-7-x`.
pub fn is_name(kind: DeviceKind, code: &str) -> bool {
    const NUMBERED: [&str; 8] =
        ["extra", "button", "axis", "code", "relative", "switch", "hat", "contact"];
    let is_numbered = || {
        let (word, number) = code.split_once('-').unwrap_or((code, ""));
        NUMBERED.contains(&word) && number.starts_with(|first: char| first.is_ascii_digit())
    };
    let standard = names(kind);
    standard.is_empty() || standard.contains(&code) || more(kind).contains(&code) || is_numbered()
}

/// The sticks of a kind of device: the names that stand for a pair of axes.
pub fn sticks(kind: DeviceKind) -> &'static [&'static str] {
    match kind {
        DeviceKind::Pad => &["stick-l", "stick-r"],
        _ => &[],
    }
}
