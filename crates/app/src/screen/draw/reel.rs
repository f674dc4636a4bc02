//! All of a reel in a row: how much was recorded when, which part is shown, and where the
//! playhead is.

use super::{paint, status::clock};
use crate::reels::in_words;
use crate::screen::{App, areas::Areas, theme::Badge};
use gtrig_core::Nanos;
use ratatui::{buffer::Buffer, layout::Rect};

pub(super) fn draw(buffer: &mut Buffer, areas: &Areas, app: &App) {
    let (row, traces) = (areas.reel, areas.traces(areas.reel));
    let Some(reel) = app.reel().filter(|_| row.height > 0 && traces.width > 0) else { return };
    let theme = app.theme;
    let left = paint::text(buffer, row, row.x + 2, "the reel", theme.faint());
    let at = app.session().plan().rate().time_of(app.tick());
    let place = Rect { x: left, width: traces.x.saturating_sub(left + 1), ..row };
    paint::text_right(buffer, place, &in_words(at), theme.plain());
    let density = reel.density(traces.width.into());
    let most = density.iter().copied().fold(0.0, f64::max);
    let ([begins, ends], shown) = (reel.whole(), reel.shown());
    let length = ends.0.saturating_sub(begins.0).max(1);
    let column_of = |time: Nanos| {
        let share = time.0.saturating_sub(begins.0) as f64 / length as f64;
        ((share * f64::from(traces.width)) as u16).min(traces.width - 1)
    };
    let in_part = column_of(shown[0])..=column_of(shown[1]);
    for (bytes, column) in density.into_iter().zip(0..traces.width) {
        let (glyph, style) = match bytes > 0.0 {
            true => (paint::filled((bytes / most * 0.75).max(0.13) as f32), theme.faint()),
            false => ("─", theme.rule()),
        };
        let style = if in_part.contains(&column) { style.patch(theme.in_view()) } else { style };
        paint::glyph(buffer, traces, traces.x + column, glyph, style);
    }
    let here = (app.place_in_reel(reel) * f64::from(traces.width)) as u16;
    if let Some(cell) = buffer.cell_mut((traces.x + here.min(traces.width - 1), traces.y)) {
        cell.set_style(theme.badge(Badge::Frozen));
    }
    let end = Rect { x: traces.right(), width: row.right() - traces.right(), ..row };
    paint::text_right(buffer, end, &clock(Nanos(length)), theme.faint());
}
