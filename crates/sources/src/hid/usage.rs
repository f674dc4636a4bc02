//! What usages are called.
//!
//! A control of a device without a driver goes by its usage (*HID Usage Tables*): what
//! is named elsewhere here has the same name, a key by its W3C `code`, an axis by its
//! letter; the others have the words of the tables, joined by dashes.

use super::descriptor::UsageId;

/// Pages of the tables.
pub(super) const DESKTOP: u16 = 0x01;
pub(super) const SIMULATION: u16 = 0x02;
pub(super) const KEYBOARD: u16 = 0x07;
pub(super) const BUTTON: u16 = 0x09;

pub(super) const X: UsageId = UsageId { page: DESKTOP, id: 0x30 };
pub(super) const MOUSE: UsageId = UsageId { page: DESKTOP, id: 0x02 };
pub(super) const HAT: UsageId = UsageId { page: DESKTOP, id: 0x39 };

/// What a control of this usage is called: a control's name, of at most 40 letters,
/// digits and dashes.
pub(super) fn name(usage: UsageId) -> String {
    let UsageId { page, id } = usage;
    let known = match (page, id) {
        (DESKTOP, 0x30) => Some("x"),
        (DESKTOP, 0x31) => Some("y"),
        (DESKTOP, 0x32) => Some("z"),
        (DESKTOP, 0x33) => Some("rx"),
        (DESKTOP, 0x34) => Some("ry"),
        (DESKTOP, 0x35) => Some("rz"),
        (DESKTOP, 0x38) => Some("wheel-y"),
        (DESKTOP, 0x90) => Some("dpad-up"),
        (DESKTOP, 0x91) => Some("dpad-down"),
        (DESKTOP, 0x92) => Some("dpad-right"),
        (DESKTOP, 0x93) => Some("dpad-left"),
        (SIMULATION, 0xc8) => Some("steering"),
        (KEYBOARD, id) => key_of_usage(id),
        _ => None,
    };
    match (known, page) {
        (Some(known), _) => known.to_owned(),
        (None, BUTTON) => format!("button-{id}"),
        (None, 0xff00..) => format!("vendor-{page:04x}-{id:04x}"),
        (None, _) => words(usage).unwrap_or_else(|| format!("usage-{page:04x}-{id:04x}")),
    }
}

/// The key of a usage of the keyboard page, by its W3C `code`.
fn key_of_usage(id: u16) -> Option<&'static str> {
    const FIRST: u16 = 0x04;
    #[rustfmt::skip]
    const KEYS: [&str; 98] = [
        "KeyA", "KeyB", "KeyC", "KeyD", "KeyE", "KeyF", "KeyG", "KeyH", "KeyI", "KeyJ", "KeyK",
        "KeyL", "KeyM", "KeyN", "KeyO", "KeyP", "KeyQ", "KeyR", "KeyS", "KeyT", "KeyU", "KeyV",
        "KeyW", "KeyX", "KeyY", "KeyZ", "Digit1", "Digit2", "Digit3", "Digit4", "Digit5",
        "Digit6", "Digit7", "Digit8", "Digit9", "Digit0", "Enter", "Escape", "Backspace", "Tab",
        "Space", "Minus", "Equal", "BracketLeft", "BracketRight", "Backslash", "Backslash",
        "Semicolon", "Quote", "Backquote", "Comma", "Period", "Slash", "CapsLock", "F1", "F2",
        "F3", "F4", "F5", "F6", "F7", "F8", "F9", "F10", "F11", "F12", "PrintScreen",
        "ScrollLock", "Pause", "Insert", "Home", "PageUp", "Delete", "End", "PageDown",
        "ArrowRight", "ArrowLeft", "ArrowDown", "ArrowUp", "NumLock", "NumpadDivide",
        "NumpadMultiply", "NumpadSubtract", "NumpadAdd", "NumpadEnter", "Numpad1", "Numpad2",
        "Numpad3", "Numpad4", "Numpad5", "Numpad6", "Numpad7", "Numpad8", "Numpad9", "Numpad0",
        "NumpadDecimal", "IntlBackslash", "ContextMenu",
    ];
    const SIDES: [&str; 8] = [
        "ControlLeft",
        "ShiftLeft",
        "AltLeft",
        "MetaLeft",
        "ControlRight",
        "ShiftRight",
        "AltRight",
        "MetaRight",
    ];
    let of =
        |keys: &[&'static str], first: u16| keys.get(usize::from(id.checked_sub(first)?)).copied();
    of(&SIDES, 0xe0).or_else(|| of(&KEYS, FIRST))
}

/// The words of the tables, as a control's name.
fn words(UsageId { page, id }: UsageId) -> Option<String> {
    let usage = u32::from(page) << 16 | u32::from(id);
    let words = hut::Usage::try_from(usage).ok()?.name().to_ascii_lowercase();
    let parts: Vec<&str> =
        words.split(|c: char| !c.is_ascii_alphanumeric()).filter(|part| !part.is_empty()).collect();
    let name: String = parts.join("-").chars().take(36).collect();
    let name = name.trim_end_matches('-');
    (!name.is_empty()).then(|| name.to_owned())
}

/// Whether a list that has this does not say which keys are down: too many are, or the
/// keyboard is at fault.
pub(super) const fn says_nothing_of_keys(usage: UsageId) -> bool {
    usage.page == KEYBOARD && matches!(usage.id, 0x01..=0x03)
}

/// Whether such a control has its rest at its lower end: what one presses, pulls or
/// turns up.
pub(super) fn is_one_sided(usage: UsageId) -> bool {
    const SLIDER: u16 = 0x36;
    const DIAL: u16 = 0x37;
    const DIGITIZERS: u16 = 0x0d;
    const TIP_PRESSURE: u16 = 0x30;
    match usage.page {
        DESKTOP => matches!(usage.id, SLIDER | DIAL),
        // Throttle, accelerator, brake, clutch.
        SIMULATION => matches!(usage.id, 0xbb | 0xc4..=0xc6),
        DIGITIZERS => usage.id == TIP_PRESSURE,
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_core::ControlInfo;
    use rstest::rstest;

    #[rstest]
    #[case(1, 0x30, "x")]
    #[case(1, 0x36, "slider")]
    #[case(2, 0xba, "rudder")]
    #[case(2, 0xbb, "throttle")]
    #[case(2, 0xc6, "clutch")]
    #[case(7, 0x04, "KeyA")]
    #[case(7, 0x1d, "KeyZ")]
    #[case(7, 0x27, "Digit0")]
    #[case(7, 0x65, "ContextMenu")]
    #[case(7, 0xe7, "MetaRight")]
    #[case(9, 12, "button-12")]
    #[case(0x0c, 0xe9, "volume-increment")]
    #[case(0xff00, 0x21, "vendor-ff00-0021")]
    #[case(0x92, 3, "usage-0092-0003")]
    fn usages_have_names(#[case] page: u16, #[case] id: u16, #[case] expected: &str) {
        assert_eq!(name(UsageId { page, id }), expected);
    }

    /// Whatever the tables say, it can be a control's name.
    #[test]
    fn every_usage_can_be_named() {
        for page in (0..0x100).chain([0xf1d0, 0xff00, 0xffff]) {
            for id in (0..0x700).chain([0xffff]) {
                let name = name(UsageId { page, id });
                assert!(ControlInfo::is_code(&name), "{page:x} {id:x}: {name}");
            }
        }
    }
}
