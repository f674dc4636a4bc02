//! Text from outside, made safe to show.

use alloc::string::String;
use core::fmt;
use unicode_width::UnicodeWidthChar;

/// A name or label from outside: at most [`CleanText::MAX_CHARS`] characters,
/// none of which can move a cursor, ring a bell, reorder the line or hide in it.
///
/// Invariant: [`showable`] says of every character that it may be shown; each that may
/// not was replaced by U+FFFD when the value was made.
///
/// ```
/// use gtrig_core::CleanText;
///
/// // A device may call itself what it likes: nothing of it reaches the terminal as a control.
/// let name = CleanText::new("Winch\u{1b}[2J lever");
/// assert_eq!(name.as_str(), "Winch\u{fffd}[2J lever");
/// assert_eq!(CleanText::new(&"x".repeat(500)).as_str().chars().count(), CleanText::MAX_CHARS);
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub struct CleanText(String);

impl CleanText {
    /// Longer text is cut here and ends in `…`.
    pub const MAX_CHARS: usize = 80;

    /// Cleans `raw`.
    pub fn new(raw: &str) -> Self {
        let mut clean = replaced(showable(raw).take(Self::MAX_CHARS));
        if raw.chars().nth(Self::MAX_CHARS).is_some() {
            clean.pop();
            clean.push('…');
        }
        CleanText(clean)
    }

    /// The text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for CleanText {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&self.0)
    }
}

/// Each character of a text, and whether it may be shown: whether it does nothing but
/// stand there. Not so controls, line feeds among them, separators of lines and
/// paragraphs, what sets the direction of writing, what Unicode calls ignorable by default
/// (it takes no place, or looks like a space), and marks that stand on no letter or as a third
/// or more on one.
///
/// ```
/// use gtrig_core::showable;
///
/// let shown = |text| showable(text).all(|(_, may_be)| may_be);
/// assert!(shown("Ñandú, 左舷"));
/// assert!(!shown("\u{1b}[2J") && !shown("a\u{202e}b"));
/// ```
pub fn showable(text: &str) -> impl Iterator<Item = (char, bool)> {
    let mut marks = MOST_MARKS;
    text.chars().map(move |c| {
        let is_plain = (' '..='~').contains(&c);
        let is_mark = !is_plain && c.width() == Some(0);
        marks = if is_mark { marks + 1 } else { 0 };
        let may_be = is_plain || !(c.is_control() || is_hidden(c) || marks > MOST_MARKS);
        // A mark on what is replaced would stand on its replacement.
        marks = if may_be { marks } else { MOST_MARKS };
        (c, may_be)
    })
}

/// So many marks one letter may have: some languages write two.
const MOST_MARKS: usize = 2;

/// What Unicode calls ignorable by default, and what reorders or breaks lines.
fn is_hidden(c: char) -> bool {
    matches!(c,
        '\u{ad}' | '\u{34f}' | '\u{61c}' | '\u{115f}' | '\u{1160}' | '\u{17b4}' | '\u{17b5}'
        | '\u{180b}'..='\u{180f}' | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}'
        | '\u{2060}'..='\u{206f}' | '\u{3164}' | '\u{fe00}'..='\u{fe0f}' | '\u{feff}' | '\u{ffa0}'
        | '\u{fff0}'..='\u{fffb}' | '\u{1bca0}'..='\u{1bca3}' | '\u{1d173}'..='\u{1d17a}'
        | '\u{e0000}'..='\u{e0fff}')
}

/// A text of any length with U+FFFD in the place of what may not be shown; its lines stay
/// lines.
pub fn harmless(text: &str) -> String {
    replaced(showable(text).map(|(c, may_be)| (c, may_be || c == '\n')))
}

/// The characters that may be shown, each of the others as U+FFFD.
fn replaced(chars: impl Iterator<Item = (char, bool)>) -> String {
    chars.map(|(c, may_be)| if may_be { c } else { char::REPLACEMENT_CHARACTER }).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("Left pad", "Left pad")]
    #[case("a\x1b[31mred\x07", "a\u{fffd}[31mred\u{fffd}")]
    #[case("c1\u{9b}2J", "c1\u{fffd}2J")]
    #[case("rtl\u{202e}x", "rtl\u{fffd}x")]
    #[case("", "")]
    #[case::arabic_letter_mark("a\u{61c}b", "a\u{fffd}b")]
    #[case::soft_hyphen("a\u{ad}b", "a\u{fffd}b")]
    #[case::vowel_separator("a\u{180e}b", "a\u{fffd}b")]
    #[case::grapheme_joiner("a\u{34f}b", "a\u{fffd}b")]
    #[case::hangul_filler("\u{115f}\u{3164}", "\u{fffd}\u{fffd}")]
    #[case::tags("a\u{e0041}\u{e007f}", "a\u{fffd}\u{fffd}")]
    #[case::two_marks("e\u{302}\u{301}", "e\u{302}\u{301}")]
    #[case::a_tower("e\u{302}\u{301}\u{300}\u{316}", "e\u{302}\u{301}\u{fffd}\u{fffd}")]
    #[case::a_mark_on_nothing("\u{301}a", "\u{fffd}a")]
    #[case::lines("a\nb", "a\u{fffd}b")]
    fn controls_never_pass(#[case] raw: &str, #[case] clean: &str) {
        assert_eq!(CleanText::new(raw).as_str(), clean);
    }

    #[test]
    fn lines_of_a_message_stay_lines() {
        assert_eq!(harmless("a\n\u{1b}b\r\n"), "a\n\u{fffd}b\u{fffd}\n");
    }

    #[test]
    fn a_name_of_ten_kilobytes_is_cut() {
        let clean = CleanText::new(&"x".repeat(10_000));
        assert_eq!(clean.as_str().chars().count(), CleanText::MAX_CHARS);
        assert!(clean.as_str().ends_with('…'));
    }
}
