//! What the tour says, above the row of the why.

use super::paint;
use crate::screen::{App, areas::Areas, keymap::Command};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    widgets::{Clear, Paragraph, Widget, Wrap},
};

/// Columns of the words, so that they are read at a glance.
const WIDTH: u16 = 76;

/// On a usual screen it lies over so many rows of the lanes.
pub(in crate::screen) const ROWS: u16 = 5;

/// No step has more lines on any screen that can be read.
const MOST_LINES: u16 = 12;

pub(super) fn draw(buffer: &mut Buffer, areas: &Areas, app: &App) {
    let Some((step, of, words)) = app.tour_in_words() else { return };
    let width = WIDTH.min(areas.whole.width.saturating_sub(2));
    let text = Paragraph::new(words).wrap(Wrap { trim: true });
    let lines = words_height(&text, width).max(1);
    let height = (lines + 2).min(areas.whole.height);
    let bottom = if areas.why_rule.height > 0 { areas.why_rule.y } else { areas.hints.y };
    let area = Rect {
        x: areas.whole.right().saturating_sub(width + 3).max(areas.whole.x),
        y: bottom.saturating_sub(height),
        width: (width + 2).min(areas.whole.width),
        height,
    };
    Clear.render(area, buffer);
    for y in [area.top(), area.bottom().saturating_sub(1)] {
        let edge = Rect { y, height: 1, ..area };
        for x in area.left()..area.right() {
            paint::glyph(buffer, edge, x, "═", app.theme.wire());
        }
    }
    let title = format!(" tour, step {step} of {of} ");
    paint::text(buffer, area, area.x + 2, &title, app.theme.strong());
    let [skip, leave] = [Command::Tour, Command::Dismiss].map(|command| app.key_of(command));
    let keys = match step == of {
        true => format!(" {leave} leaves "),
        false => format!(" {skip} skips a step   {leave} leaves "),
    };
    let foot = Rect { y: area.bottom().saturating_sub(1), height: 1, ..area };
    paint::text_right(
        buffer,
        Rect { width: area.width.saturating_sub(2), ..foot },
        &keys,
        app.theme.faint(),
    );
    let inner = Rect {
        x: area.x + 1,
        y: area.y + 1,
        width: area.width.saturating_sub(2),
        height: area.height.saturating_sub(2),
    };
    text.render(inner.intersection(buffer.area), buffer);
}

/// How many rows words take in so many columns: as many as drawing them fills.
fn words_height(text: &Paragraph, width: u16) -> u16 {
    let area = Rect { x: 0, y: 0, width, height: MOST_LINES };
    let mut trial = Buffer::empty(area);
    text.render(area, &mut trial);
    let is_filled = |row: &u16| (0..width).any(|x| trial[(x, *row)].symbol() != " ");
    (0..MOST_LINES).filter(is_filled).count() as u16
}
