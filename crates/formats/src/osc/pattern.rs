//! Addresses, and patterns that several addresses match.
//!
//! The rules are those of Open Sound Control 1.0. That of `rosc` is not used: there `*` needs
//! a character, `[ab]` takes several, and only the first alternative that fits is tried.

use std::{iter::Peekable, str::Chars};

/// An address or a pattern is no longer than this, in bytes.
pub const MAX_ADDRESS: usize = 255;

/// Whether a text is an address and no pattern: parts of one or more printable ASCII
/// characters, each behind a `/`, without `# * , ? [ ] { }` and space.
pub fn is_address(text: &str) -> bool {
    let is_part = |part: &str| {
        !part.is_empty() && part.bytes().all(|b| b.is_ascii_graphic() && !is_special(b))
    };
    let mut parts = text.split('/');
    text.len() <= MAX_ADDRESS && parts.next() == Some("") && text.len() > 1 && parts.all(is_part)
}

const fn is_special(byte: u8) -> bool {
    matches!(byte, b'#' | b'*' | b',' | b'?' | b'[' | b']' | b'{' | b'}')
}

/// A piece of a pattern.
#[derive(Clone, Debug, PartialEq, Eq)]
enum Piece {
    /// This character.
    Is(char),
    /// Any one, but for `/`.
    One,
    /// Any number of them, but for `/`.
    Some,
    /// One that is, or is not, within one of these ranges.
    Among { ranges: Vec<(char, char)>, is_negated: bool },
    /// One of these texts.
    OneOf(Vec<String>),
}

/// A pattern that addresses are held against.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pattern(Vec<Piece>);

impl Pattern {
    /// Reads a pattern; `None` when it is too long, has a bracket without its other one, or
    /// has nothing of a pattern at all.
    pub fn new(text: &str) -> Option<Pattern> {
        if text.len() > MAX_ADDRESS {
            return None;
        }
        let mut chars = text.chars().peekable();
        let mut pieces = Vec::new();
        while let Some(char) = chars.next() {
            let piece = match char {
                '?' => Piece::One,
                '*' => Piece::Some,
                '[' => among(&mut chars)?,
                '{' => Piece::OneOf(one_of(&mut chars)?),
                ']' | '}' => return None,
                char => Piece::Is(char),
            };
            // Two in a row match what one does.
            if piece != Piece::Some || pieces.last() != Some(&Piece::Some) {
                pieces.push(piece);
            }
        }
        let is_one = pieces.iter().any(|piece| !matches!(piece, Piece::Is(_)));
        is_one.then_some(Pattern(pieces))
    }

    /// Whether an address matches it as a whole. The work is at most the length of the
    /// pattern times that of the address.
    pub fn matches(&self, address: &str) -> bool {
        // Up to where the pieces so far can reach.
        let mut reached = vec![false; address.len() + 1];
        reached[0] = true;
        for piece in &self.0 {
            let mut next = vec![false; address.len() + 1];
            for at in (0..reached.len()).filter(|at| reached[*at]) {
                piece.reach(&address[at..], |length| next[at + length] = true);
            }
            reached = next;
        }
        reached[address.len()]
    }
}

impl Piece {
    /// Tells each length that it can take from the beginning of a text.
    fn reach(&self, text: &str, mut tell: impl FnMut(usize)) {
        let first = text.chars().next();
        let takes_first = match self {
            Piece::Is(char) => first == Some(*char),
            Piece::One => first.is_some_and(|char| char != '/'),
            Piece::Among { ranges, is_negated } => first.is_some_and(|char| {
                let is_in = ranges.iter().any(|(from, to)| (*from..=*to).contains(&char));
                is_in != *is_negated && char != '/'
            }),
            Piece::Some => {
                let part = text.split('/').next().unwrap_or_default();
                part.char_indices().for_each(|(at, _)| tell(at));
                return tell(part.len());
            }
            Piece::OneOf(texts) => {
                let fitting = texts.iter().filter(|of| text.starts_with(of.as_str()));
                return fitting.for_each(|of| tell(of.len()));
            }
        };
        if let (true, Some(char)) = (takes_first, first) {
            tell(char.len_utf8());
        }
    }
}

/// What stands behind `[`, with its `]`. A `-` at an end is one itself.
fn among(chars: &mut Peekable<Chars>) -> Option<Piece> {
    let is_negated = chars.next_if_eq(&'!').is_some();
    let mut ranges: Vec<(char, char)> = Vec::new();
    loop {
        match chars.next()? {
            ']' => return Some(Piece::Among { ranges, is_negated }),
            '-' if !ranges.is_empty() && chars.peek().is_some_and(|char| *char != ']') => {
                let to = chars.next()?;
                let from = ranges.pop()?.0;
                ranges.push((from.min(to), from.max(to)));
            }
            char => ranges.push((char, char)),
        }
    }
}

/// What stands behind `{`, with its `}`.
fn one_of(chars: &mut Peekable<Chars>) -> Option<Vec<String>> {
    let mut texts = vec![String::new()];
    loop {
        match chars.next()? {
            '}' => return Some(texts),
            ',' => texts.push(String::new()),
            char => texts.last_mut()?.push(char),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case("/*", "/ab", true)]
    #[case("/*", "/a/b", false)]
    #[case("/a*", "/a", true)]
    #[case("/**b", "/aab", true)]
    #[case("/*/b", "/a/b", true)]
    #[case("/*a*a*", "/banana", true)]
    #[case("/a?", "/a", false)]
    #[case("/a?c", "/abc", true)]
    #[case("/a?c", "/a/c", false)]
    #[case("/[ab]", "/b", true)]
    #[case("/[ab]", "/ab", false)]
    #[case("/[a-c]x", "/bx", true)]
    #[case("/[c-a]x", "/bx", true)]
    #[case("/[!a-c]x", "/bx", false)]
    #[case("/[!a-c]x", "/dx", true)]
    #[case("/a[!b]c", "/a/c", false)]
    #[case("/[a-]", "/-", true)]
    #[case("/[a!]", "/!", true)]
    #[case("/{ab,a}bc", "/abc", true)]
    #[case("/{ab,a}bc", "/abbc", true)]
    #[case("/{foo,bar}", "/bar", true)]
    #[case("/{foo,bar}", "/baz", false)]
    #[case("/a{,b}", "/a", true)]
    fn a_pattern_matches(#[case] pattern: &str, #[case] address: &str, #[case] does: bool) {
        assert_eq!(Pattern::new(pattern).unwrap().matches(address), does);
    }

    #[test]
    fn what_is_no_pattern_matches_nothing() {
        for pattern in ["/a", "/a b", "/#a", "/[a", "/{a", "/a]", "/a}", &"/a".repeat(200)] {
            assert_eq!(Pattern::new(pattern), None, "{pattern}");
        }
        assert!(!Pattern::new("/*ä").unwrap().matches("/ö"));
    }

    #[rstest]
    #[case("/a", true)]
    #[case("/crane/slew.1-b_c~", true)]
    #[case("/", false)]
    #[case("a", false)]
    #[case("", false)]
    #[case("/a/", false)]
    #[case("//a", false)]
    #[case("/a b", false)]
    #[case("/a*", false)]
    #[case("/ä", false)]
    fn an_address_is_plain(#[case] text: &str, #[case] is_one: bool) {
        assert_eq!(is_address(text), is_one);
    }

    /// A pattern for which trying one way after the other would take for ever.
    #[test]
    fn many_wildcards_cost_little() {
        let pattern = Pattern::new(&format!("/{}b", "*a".repeat(120))).unwrap();
        assert!(!pattern.matches(&format!("/{}", "a".repeat(250))));
    }

    /// The same by trying every way.
    fn matches_slowly(pieces: &[Piece], text: &str) -> bool {
        let Some((first, rest)) = pieces.split_first() else { return text.is_empty() };
        let mut lengths = Vec::new();
        first.reach(text, |length| lengths.push(length));
        lengths.into_iter().any(|length| matches_slowly(rest, &text[length..]))
    }

    proptest! {
        #[test]
        fn it_matches_what_some_way_matches(
            pattern in r"/\*([ab*?/]|\[!?[ab]\]|\{(a|b|ab)(,a|,b|,)?\}){0,7}",
            address in "/[ab/]{0,7}",
        ) {
            let pattern = Pattern::new(&pattern).unwrap();
            prop_assert_eq!(pattern.matches(&address), matches_slowly(&pattern.0, &address));
        }
    }
}
