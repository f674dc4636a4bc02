//! Which key the terminal means, as a W3C UI Events `code`.
//!
//! A `code` names a key by its place. A terminal tells the character instead,
//! so the place is that of the character on a US layout; on another layout
//! the name may be that of a different key.

use crossterm::event::{KeyCode, KeyEvent, KeyEventState, MediaKeyCode, ModifierKeyCode};

/// The key of an event; `None` for keys that have no `code`.
pub fn code_of(key: &KeyEvent) -> Option<&'static str> {
    match key.code {
        KeyCode::Char(c) if key.state.contains(KeyEventState::KEYPAD) => keypad(c),
        KeyCode::Enter if key.state.contains(KeyEventState::KEYPAD) => Some("NumpadEnter"),
        KeyCode::Char(c) => character(c.to_ascii_lowercase()),
        KeyCode::F(n) => function(n),
        KeyCode::Modifier(modifier) => modifier_key(modifier),
        KeyCode::Media(media) => media_key(media),
        other => named(other),
    }
}

fn character(c: char) -> Option<&'static str> {
    const LETTERS: [&str; 26] = [
        "KeyA", "KeyB", "KeyC", "KeyD", "KeyE", "KeyF", "KeyG", "KeyH", "KeyI", "KeyJ", "KeyK",
        "KeyL", "KeyM", "KeyN", "KeyO", "KeyP", "KeyQ", "KeyR", "KeyS", "KeyT", "KeyU", "KeyV",
        "KeyW", "KeyX", "KeyY", "KeyZ",
    ];
    const DIGITS: [&str; 10] = [
        "Digit0", "Digit1", "Digit2", "Digit3", "Digit4", "Digit5", "Digit6", "Digit7", "Digit8",
        "Digit9",
    ];
    /// The characters above the digits 0 to 9.
    const SHIFTED_DIGITS: &str = ")!@#$%^&*(";
    if c.is_ascii_lowercase() {
        return Some(LETTERS[usize::from(c as u8 - b'a')]);
    }
    if let Some(digit) = c.to_digit(10) {
        return Some(DIGITS[digit as usize]);
    }
    if let Some(at) = SHIFTED_DIGITS.find(c) {
        return Some(DIGITS[at]);
    }
    Some(match c {
        ' ' => "Space",
        '-' | '_' => "Minus",
        '=' | '+' => "Equal",
        '[' | '{' => "BracketLeft",
        ']' | '}' => "BracketRight",
        '\\' | '|' => "Backslash",
        ';' | ':' => "Semicolon",
        '\'' | '"' => "Quote",
        '`' | '~' => "Backquote",
        ',' | '<' => "Comma",
        '.' | '>' => "Period",
        '/' | '?' => "Slash",
        _ => return None,
    })
}

fn keypad(c: char) -> Option<&'static str> {
    const DIGITS: [&str; 10] = [
        "Numpad0", "Numpad1", "Numpad2", "Numpad3", "Numpad4", "Numpad5", "Numpad6", "Numpad7",
        "Numpad8", "Numpad9",
    ];
    if let Some(digit) = c.to_digit(10) {
        return Some(DIGITS[digit as usize]);
    }
    Some(match c {
        '+' => "NumpadAdd",
        '-' => "NumpadSubtract",
        '*' => "NumpadMultiply",
        '/' => "NumpadDivide",
        '.' => "NumpadDecimal",
        ',' => "NumpadComma",
        '=' => "NumpadEqual",
        _ => return None,
    })
}

fn function(n: u8) -> Option<&'static str> {
    const KEYS: [&str; 24] = [
        "F1", "F2", "F3", "F4", "F5", "F6", "F7", "F8", "F9", "F10", "F11", "F12", "F13", "F14",
        "F15", "F16", "F17", "F18", "F19", "F20", "F21", "F22", "F23", "F24",
    ];
    KEYS.get(usize::from(n).checked_sub(1)?).copied()
}

fn named(code: KeyCode) -> Option<&'static str> {
    Some(match code {
        KeyCode::Enter => "Enter",
        KeyCode::Tab | KeyCode::BackTab => "Tab",
        KeyCode::Esc => "Escape",
        KeyCode::Backspace => "Backspace",
        KeyCode::Left => "ArrowLeft",
        KeyCode::Right => "ArrowRight",
        KeyCode::Up => "ArrowUp",
        KeyCode::Down => "ArrowDown",
        KeyCode::Home => "Home",
        KeyCode::End => "End",
        KeyCode::PageUp => "PageUp",
        KeyCode::PageDown => "PageDown",
        KeyCode::Insert => "Insert",
        KeyCode::Delete => "Delete",
        KeyCode::CapsLock => "CapsLock",
        KeyCode::ScrollLock => "ScrollLock",
        KeyCode::NumLock => "NumLock",
        KeyCode::PrintScreen => "PrintScreen",
        KeyCode::Pause => "Pause",
        KeyCode::Menu => "ContextMenu",
        _ => return None,
    })
}

fn modifier_key(modifier: ModifierKeyCode) -> Option<&'static str> {
    Some(match modifier {
        ModifierKeyCode::LeftShift => "ShiftLeft",
        ModifierKeyCode::RightShift => "ShiftRight",
        ModifierKeyCode::LeftControl => "ControlLeft",
        ModifierKeyCode::RightControl => "ControlRight",
        ModifierKeyCode::LeftAlt => "AltLeft",
        ModifierKeyCode::RightAlt => "AltRight",
        ModifierKeyCode::LeftSuper => "MetaLeft",
        ModifierKeyCode::RightSuper => "MetaRight",
        _ => return None,
    })
}

fn media_key(media: MediaKeyCode) -> Option<&'static str> {
    Some(match media {
        MediaKeyCode::Play | MediaKeyCode::Pause | MediaKeyCode::PlayPause => "MediaPlayPause",
        MediaKeyCode::Stop => "MediaStop",
        MediaKeyCode::TrackNext => "MediaTrackNext",
        MediaKeyCode::TrackPrevious => "MediaTrackPrevious",
        MediaKeyCode::RaiseVolume => "AudioVolumeUp",
        MediaKeyCode::LowerVolume => "AudioVolumeDown",
        MediaKeyCode::MuteVolume => "AudioVolumeMute",
        _ => return None,
    })
}
