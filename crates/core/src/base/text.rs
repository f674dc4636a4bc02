//! Text from outside, made safe to show.

use alloc::string::String;
use core::fmt;

/// A name or label from outside: at most [`CleanText::MAX_CHARS`] characters,
/// none of which can move a cursor, ring a bell or reorder the line.
///
/// Invariant: no C0 or C1 control, no line or paragraph separator, no
/// bidirectional override and no zero-width character; each such character
/// was replaced by U+FFFD when the value was made.
#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub struct CleanText(String);

impl CleanText {
    /// Longer text is cut here and ends in `…`.
    pub const MAX_CHARS: usize = 80;

    /// Cleans `raw`.
    pub fn new(raw: &str) -> Self {
        let mut clean: String = raw.chars().take(Self::MAX_CHARS).map(harmless).collect();
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

fn harmless(c: char) -> char {
    let zero_width_or_bidi = matches!(c,
        '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{206f}' | '\u{feff}');
    if c.is_control() || zero_width_or_bidi { char::REPLACEMENT_CHARACTER } else { c }
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
    fn controls_never_pass(#[case] raw: &str, #[case] clean: &str) {
        assert_eq!(CleanText::new(raw).as_str(), clean);
    }

    #[test]
    fn a_name_of_ten_kilobytes_is_cut() {
        let clean = CleanText::new(&"x".repeat(10_000));
        assert_eq!(clean.as_str().chars().count(), CleanText::MAX_CHARS);
        assert!(clean.as_str().ends_with('…'));
    }
}
