//! Small strokes that every part of the screen uses.

use crate::screen::Theme;
use ratatui::{
    buffer::{Buffer, Cell},
    layout::Rect,
    style::{Color, Style},
};
use std::borrow::Cow;
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

/// Writes on the first row of `area`, from column `x` on, no further than its
/// right edge: what has no room ends with a sign that it goes on. Returns the column after the
/// text.
pub(in crate::screen) fn text(
    buffer: &mut Buffer,
    area: Rect,
    x: u16,
    text: &str,
    style: Style,
) -> u16 {
    let is_visible = buffer.area.contains((x, area.y).into());
    if area.height == 0 || x >= area.right() || !is_visible {
        return x;
    }
    let room = area.right() - x;
    // What stood there must not show through in a style that names no colour.
    let style = Style { fg: style.fg.or(Some(Color::Reset)), ..style };
    // Spaces behind it need no room. No column has less than a byte.
    let words = text.trim_end();
    let fits = words.len() <= room.into() || words.width() <= room.into();
    let text = if fits { text.into() } else { cut(words, room) };
    if !text.chars().all(is_plain) {
        return buffer.set_stringn(x, area.y, text, room.into(), style).0;
    }
    let cells = cells(buffer, Rect { x, width: room, height: 1, ..area }).iter_mut();
    let after = |x, (cell, char): (&mut Cell, char)| {
        cell.set_char(char).set_style(style);
        x + 1
    };
    cells.zip(text.chars()).fold(x, after)
}

/// Whether a character is a column by itself, whatever stands beside it. Where all are, as in most
/// texts of a screen, nobody has to find out which of them belong together.
fn is_plain(char: char) -> bool {
    matches!(char, ' '..='~' | '¡'..='¬' | '®'..='˿' | '–' | '…' | '─'..='▟')
}

/// The cells of the first row of an area, as far as they are on the screen.
fn cells(buffer: &mut Buffer, area: Rect) -> &mut [Cell] {
    let Rect { x, y, width, .. } = match area.intersection(buffer.area) {
        area if area.is_empty() => return &mut [],
        area => area,
    };
    let first = buffer.index_of(x, y);
    &mut buffer.content[first..first + usize::from(width)]
}

/// A text, or as much of it as so many columns have room for, with a sign that it goes on.
pub(in crate::screen) fn cut(text: &str, room: u16) -> Cow<'_, str> {
    cut_to(text, room, |room| format!("{}…", &text[..bytes_within(text.chars(), room)]))
}

/// A name, or as much of its end as so many columns have room for: what tells names apart, as the
/// control of a device, stands at their end.
pub(in crate::screen) fn cut_name(name: &str, room: u16) -> Cow<'_, str> {
    cut_to(name, room, |room| {
        format!("…{}", &name[name.len() - bytes_within(name.chars().rev(), room)..])
    })
}

/// A text that fits, or what is made of it for the room beside a sign.
fn cut_to(text: &str, room: u16, cut: impl FnOnce(u16) -> String) -> Cow<'_, str> {
    if text.width() <= room.into() {
        return text.into();
    }
    room.checked_sub(1).map_or("".into(), |beside| cut(beside).into())
}

/// How many bytes the first of these characters have, of which so many columns have room.
fn bytes_within(chars: impl Iterator<Item = char>, room: u16) -> usize {
    let mut width = 0;
    let fits = |c: &char| {
        width += c.width().unwrap_or(0);
        width <= room.into()
    };
    chars.take_while(fits).map(char::len_utf8).sum()
}

/// Writes so that the text ends at the right edge of `area`.
pub(in crate::screen) fn text_right(buffer: &mut Buffer, area: Rect, what: &str, style: Style) {
    let width = what.width() as u16;
    text(buffer, area, area.right().saturating_sub(width).max(area.x), what, style);
}

/// Fills the first row of `area` with a rule.
pub(in crate::screen) fn rule(buffer: &mut Buffer, area: Rect, theme: Theme) {
    for cell in cells(buffer, area) {
        cell.set_symbol("─").set_style(theme.rule());
    }
}

/// Puts one glyph on the first row of `area`.
pub(in crate::screen) fn glyph(
    buffer: &mut Buffer,
    area: Rect,
    x: u16,
    symbol: &str,
    style: Style,
) {
    if area.height > 0
        && area.left() <= x
        && x < area.right()
        && let Some(cell) = buffer.cell_mut((x, area.y))
    {
        cell.set_symbol(symbol).set_style(style);
    }
}

/// The middle of an area, so wide and so high.
///
/// # Panics
/// When it is wider or higher than the area.
pub(crate) fn middle(of: Rect, width: u16, height: u16) -> Rect {
    Rect { x: of.x + (of.width - width) / 2, y: of.y + (of.height - height) / 2, width, height }
}

/// The rows of an area, from the top.
pub(in crate::screen) fn rows(area: Rect) -> impl Iterator<Item = Rect> {
    (area.top()..area.bottom()).map(move |y| Rect { y, height: 1, ..area })
}

/// The glyph of a column filled to a share of 0 to 1 from below.
pub(in crate::screen) fn filled(share: f32) -> &'static str {
    const LEVELS: [&str; 9] = [" ", "▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"];
    LEVELS[(share.clamp(0.0, 1.0) * 8.0).round() as usize]
}

/// A whole number with its thousands apart: `27 000`.
pub(in crate::screen) fn grouped(n: u64) -> String {
    match n {
        0..1000 => n.to_string(),
        _ => format!("{} {:03}", grouped(n / 1000), n % 1000),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case("hoist", 5, "hoist")]
    #[case("hoist", 4, "hoi…")]
    #[case("hoist", 1, "…")]
    #[case("hoist", 0, "")]
    #[case("", 0, "")]
    #[case("起重机", 5, "起重…")]
    #[case("起重机", 4, "起…")]
    fn what_is_cut_says_so_and_keeps_its_room(
        #[case] text: &str,
        #[case] room: u16,
        #[case] expected: &str,
    ) {
        assert_eq!(cut(text, room), expected);
        assert!(cut(text, room).width() <= room.into());
    }

    #[rstest]
    #[case("pad·1 stick-l", 13, "pad·1 stick-l")]
    #[case("pad·1 stick-l", 10, "…1 stick-l")]
    #[case("pad·1 stick-l", 1, "…")]
    #[case("pad·1 stick-l", 0, "")]
    #[case("", 0, "")]
    #[case("起重机", 5, "…重机")]
    #[case("起重机", 4, "…机")]
    fn a_name_that_is_cut_keeps_its_end(
        #[case] name: &str,
        #[case] room: u16,
        #[case] expected: &str,
    ) {
        assert_eq!(cut_name(name, room), expected);
        assert!(cut_name(name, room).width() <= room.into());
    }

    #[rstest]
    #[case::it_fits("hoisted", "hoisted")]
    #[case::spaces_need_no_room("hoist    ", "hoist")]
    #[case::it_goes_on("hoisted up", "hoiste…")]
    fn what_has_no_room_says_that_it_goes_on(#[case] what: &str, #[case] expected: &str) {
        let area = Rect::new(0, 0, 7, 1);
        let mut buffer = Buffer::empty(area);
        text(&mut buffer, area, 0, what, Style::new());
        let shown: String = buffer.content().iter().map(Cell::symbol).collect();
        assert_eq!(shown.trim_end(), expected);
    }

    fn plain_char() -> impl Strategy<Value = char> {
        let all: Vec<char> = ('\0'..='\u{ffff}').filter(|char| is_plain(*char)).collect();
        prop::sample::select(all)
    }

    proptest! {
        #[test]
        fn a_plain_text_stands_as_the_library_writes_it(
            chars in prop::collection::vec(plain_char(), 0..12),
            (x, room) in (0u16..9, 0u16..12),
        ) {
            let all = Rect::new(2, 1, 9, 2);
            let area = Rect { x: 2 + x, y: 2, width: room, height: 1 };
            let words: String = chars.into_iter().collect();
            let style = Style::new().fg(Color::Green);
            let mut ours = Buffer::filled(all, Cell::new("起"));
            let mut theirs = ours.clone();
            let after = text(&mut ours, area, area.x, &words, style);
            let fits = words.trim_end().chars().count() <= room.into();
            let words = if fits { words.into() } else { cut(words.trim_end(), room) };
            let expected = theirs.set_stringn(area.x, area.y, words, room.into(), style).0;
            prop_assert_eq!((after, ours), (expected, theirs));
        }
    }
}
