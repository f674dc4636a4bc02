//! A key of a terminal, as a person writes it and reads it.

use gtrig_core::showable;
use std::{fmt, str::FromStr};

/// A key with what is held down with it.
///
/// Invariant: a character brings its Shift with it, as `M` does, so `shift` is set of
/// named keys alone.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Key {
    /// Whether Ctrl is held.
    pub ctrl: bool,
    /// Whether Alt is held.
    pub alt: bool,
    /// Whether Shift is held.
    pub shift: bool,
    /// The key itself.
    pub code: KeyCode,
}

/// A key without what is held down with it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[allow(missing_docs)]
pub enum KeyCode {
    /// What is typed.
    Char(char),
    /// F1 to F12.
    Function(u8),
    Left,
    Right,
    Up,
    Down,
    Home,
    End,
    PageUp,
    PageDown,
    Insert,
    Delete,
    Backspace,
    Enter,
    Esc,
    Tab,
}

use KeyCode as K;

/// The keys with a name; the first of several for one is what people read.
const NAMES: [(&str, KeyCode); 21] = [
    ("Space", K::Char(' ')),
    ("←", K::Left),
    ("Left", K::Left),
    ("→", K::Right),
    ("Right", K::Right),
    ("↑", K::Up),
    ("Up", K::Up),
    ("↓", K::Down),
    ("Down", K::Down),
    ("Home", K::Home),
    ("End", K::End),
    ("PgUp", K::PageUp),
    ("PageUp", K::PageUp),
    ("PgDn", K::PageDown),
    ("PageDown", K::PageDown),
    ("Insert", K::Insert),
    ("Delete", K::Delete),
    ("Backspace", K::Backspace),
    ("Enter", K::Enter),
    ("Esc", K::Esc),
    ("Tab", K::Tab),
];

/// What a text must be to be a key.
pub(super) const EXPECTED: &str =
    "a key such as \"s\", \"S\", \"F5\", \"Ctrl+S\", \"Alt+Left\", \"Shift+Tab\" or \"Space\"";

/// A text that is no key.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct NoKey;

impl Key {
    /// A key that nothing is held down with.
    pub const fn plain(code: KeyCode) -> Key {
        Key { ctrl: false, alt: false, shift: false, code }
    }
}

impl FromStr for Key {
    type Err = NoKey;

    fn from_str(text: &str) -> Result<Key, NoKey> {
        let mut key = Key::plain(K::Esc);
        let mut rest = text;
        // A plus may be the key itself.
        while let Some((held, after)) = rest.split_once('+').filter(|(_, after)| !after.is_empty())
        {
            let is_held = match held.to_ascii_lowercase().as_str() {
                "ctrl" => &mut key.ctrl,
                "alt" => &mut key.alt,
                "shift" => &mut key.shift,
                _ => return Err(NoKey),
            };
            if std::mem::replace(is_held, true) {
                return Err(NoKey);
            }
            rest = after;
        }
        key.code = code(rest).ok_or(NoKey)?;
        if let K::Char(c) = &mut key.code {
            if key.ctrl {
                // Terminals do not tell them apart.
                *c = c.to_ascii_lowercase();
            } else if key.shift && c.is_lowercase() {
                *c = c.to_uppercase().next().unwrap_or(*c);
            } else if key.shift && !c.is_uppercase() {
                // Which character that is depends on the keyboard.
                return Err(NoKey);
            }
            key.shift = false;
        }
        Ok(key)
    }
}

fn code(text: &str) -> Option<KeyCode> {
    let mut chars = text.chars();
    if let (Some(c), None) = (chars.next(), chars.next())
        && showable(text).all(|(_, may_be)| may_be)
        && !NAMES.iter().any(|(name, _)| *name == text)
    {
        return Some(K::Char(c));
    }
    let named = NAMES.iter().find(|(name, _)| name.eq_ignore_ascii_case(text));
    let number = || text.strip_prefix(['F', 'f'])?.parse().ok();
    let function = || number().filter(|n| (1..=12).contains(n)).map(K::Function);
    named.map(|(_, code)| *code).or_else(function)
}

impl fmt::Display for Key {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let held = [(self.ctrl, "Ctrl+"), (self.alt, "Alt+"), (self.shift, "Shift+")];
        held.iter().filter(|(is_held, _)| *is_held).try_for_each(|(_, name)| f.write_str(name))?;
        match (self.code, NAMES.iter().find(|(_, code)| *code == self.code)) {
            (_, Some((name, _))) => f.write_str(name),
            (K::Function(n), _) => write!(f, "F{n}"),
            (K::Char(c), _) if self.ctrl => write!(f, "{}", c.to_ascii_uppercase()),
            (K::Char(c), _) => write!(f, "{c}"),
            (_, None) => Ok(()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case("s", "s")]
    #[case("S", "S")]
    #[case("Shift+s", "S")]
    #[case("+", "+")]
    #[case("Ctrl++", "Ctrl++")]
    #[case("ctrl+s", "Ctrl+S")]
    #[case("Ctrl+S", "Ctrl+S")]
    #[case("alt+S", "Alt+S")]
    #[case("Alt+Left", "Alt+←")]
    #[case("shift+←", "Shift+←")]
    #[case("PageUp", "PgUp")]
    #[case("f12", "F12")]
    #[case("F", "F")]
    #[case("space", "Space")]
    #[case(" ", "Space")]
    #[case("é", "é")]
    fn a_key_is_read_and_shown(#[case] text: &str, #[case] shown: &str) {
        assert_eq!(text.parse::<Key>().unwrap().to_string(), shown);
    }

    #[rstest]
    #[case("")]
    #[case("F0")]
    #[case("F13")]
    #[case("ss")]
    #[case("Ctrl+")]
    #[case("Super+s")]
    #[case("Ctrl+Ctrl+s")]
    #[case("Shift+5")]
    #[case("\u{1b}")]
    #[case("\u{202e}")]
    #[case("+s")]
    fn what_is_no_key_is_refused(#[case] text: &str) {
        assert_eq!(text.parse::<Key>(), Err(NoKey));
    }

    proptest! {
        #[test]
        fn what_is_shown_is_read_as_the_same(text in "(Ctrl\\+)?(Alt\\+)?(Shift\\+)?(.|F[1-9]|Home|PgDn|Tab)") {
            if let Ok(key) = text.parse::<Key>() {
                prop_assert_eq!(key.to_string().parse::<Key>(), Ok(key));
            }
        }
    }
}
