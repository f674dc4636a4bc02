//! The list of what was found by typing.

use super::paint;
use crate::screen::{App, find::Find};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    widgets::{Clear, Widget},
};
use unicode_width::UnicodeWidthStr;

/// Columns of the word that says what kind of thing it is.
const KIND: u16 = 9;

/// Where the list is, with the row that is typed in and its frame.
fn area(whole: Rect) -> Rect {
    let width = whole.width.min(112);
    let height = whole.height.min((whole.height * 2 / 3).max(8));
    let y = whole.y + (whole.height - height).min(1);
    Rect { x: whole.x + (whole.width - width) / 2, y, width, height }
}

/// The rows of what was found.
pub(super) fn rows_area(whole: Rect) -> Rect {
    let area = area(whole);
    Rect {
        x: area.x + 2.min(area.width),
        y: area.y + 2.min(area.height),
        width: area.width.saturating_sub(4),
        height: area.height.saturating_sub(3),
    }
}

/// Draws it. Returns where the cursor is to be shown, if anywhere.
pub(super) fn draw(buffer: &mut Buffer, whole: Rect, app: &App, find: &Find) -> Option<(u16, u16)> {
    let (area, rows, theme) = (area(whole), rows_area(whole), app.theme);
    Clear.render(area, buffer);
    let edges = [area.top(), area.bottom().saturating_sub(1)];
    for y in edges {
        paint::rule(buffer, Rect { y, height: 1, ..area }, theme);
    }
    // What lies beside it must not run into it.
    for row in paint::rows(area).skip(1).take(usize::from(area.height.saturating_sub(2))) {
        for x in [area.left(), area.right().saturating_sub(1)] {
            paint::glyph(buffer, row, x, "│", theme.rule());
        }
    }
    let title =
        " find   a few letters of a key, lane, number, device, search, mark, story, rig, take ";
    paint::text(buffer, area, area.x + 2, title, theme.strong());
    let foot = Rect { y: edges[1], height: 1.min(area.height), ..area };
    let count = format!(" {} of {} ", find.found().len(), find.of());
    let keys = " Enter does it   ↑ ↓ choose   Esc closes ";
    paint::text(buffer, foot, area.x + 2, keys, theme.faint());
    paint::text_right(
        buffer,
        Rect { width: area.width.saturating_sub(2), ..foot },
        &count,
        theme.faint(),
    );

    let line =
        Rect { y: area.y + 1, height: u16::from(area.height > 2), x: rows.x, width: rows.width };
    let x = paint::text(buffer, line, line.x, "find: ", theme.strong());
    paint::text(buffer, line, x, find.line.text(), theme.plain());
    if find.found().len() == 0 {
        let text = "nothing has all of these words; fewer letters find more";
        paint::text(buffer, rows, rows.x + 2, text, theme.doubtful());
    }
    let first = find.first_row(rows.height.into());
    for ((at, item), row) in find.found().enumerate().skip(first).zip(paint::rows(rows)) {
        let is_chosen = at == find.chosen;
        let style = if is_chosen { theme.chosen() } else { theme.plain() };
        paint::text(buffer, row, row.x, if is_chosen { "▸" } else { " " }, theme.strong());
        paint::text(buffer, row, row.x + 2, item.goal.word(), theme.faint());
        let key = item.key.width() as u16;
        let room = row.width.saturating_sub(key + 1);
        let left = Rect { width: room, ..row };
        paint::text(buffer, left, row.x + 2 + KIND, &item.words, style);
        paint::text_right(buffer, row, &item.key, theme.strong());
    }
    let cursor = (x + find.line.cursor() as u16).min(line.right().saturating_sub(1));
    (line.height > 0).then_some((cursor, line.y))
}
