//! What the mouse rests on, in words beside it.

use super::paint;
use crate::screen::App;
use ratatui::{buffer::Buffer, layout::Rect};
use unicode_width::UnicodeWidthStr;

pub(super) fn draw(buffer: &mut Buffer, whole: Rect, app: &App) {
    let is_covered = app.help.is_some() || app.find.is_some() || app.captured;
    let Some((place, words)) = app.hover().filter(|_| !is_covered) else { return };
    let text = format!(" {} ", paint::cut(&words, whole.width.saturating_sub(2)));
    let width = text.width() as u16;
    // Below it, or above where there is no row below; never on it.
    let y = if place.y + 1 < whole.bottom() { place.y + 1 } else { place.y.saturating_sub(1) };
    let x = (place.x + 1).min(whole.right().saturating_sub(width)).max(whole.x);
    let row = Rect { x, y, width, height: 1 }.intersection(whole);
    paint::text(buffer, row, row.x, &text, app.theme.marked());
}
