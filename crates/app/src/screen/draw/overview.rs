//! The whole history in a row: what the chosen lane does in it, what is in view, and
//! where the playhead is.

use super::{paint, status::clock};
use crate::screen::{
    App,
    areas::Areas,
    theme::{Badge, mark},
    view::Stretch,
};
use gtrig_core::Nanos;
use ratatui::{buffer::Buffer, layout::Rect};

/// The whole history over the columns of the row.
pub(super) fn stretch(app: &App, columns: u16) -> Stretch {
    let (first, last) = (app.session().history().begins(), app.last());
    match app.document.is_growing() {
        true => Stretch::whole_so_far(first, last, columns.max(1)),
        false => Stretch::whole(first, last, columns.max(1)),
    }
}

pub(super) fn draw(buffer: &mut Buffer, areas: &Areas, app: &App) {
    let (row, traces) = (areas.overview, areas.traces(areas.overview));
    let Some(lane) = app.lane().filter(|_| row.height > 0 && !app.is_untouched()) else { return };
    let theme = app.theme;
    let name = if app.reel().is_some() { "this part" } else { "all of it" };
    paint::text(buffer, row, row.x + 2, name, theme.faint());
    let whole = stretch(app, traces.width);
    let (begins, last) = (app.session().history().begins(), app.last());
    let extent = app.extent_of(lane);
    let columns = app.log(lane).columns(whole.first, whole.widths());
    let columns = whole.spread(columns.map(|span| span.scaled(extent)));
    let in_view = app.view.stretch.first..=app.view.end(last);
    for (span, column) in columns.zip(0..traces.width) {
        let tick = whole.tick_at(column);
        if tick > last {
            break;
        }
        let height = span.max.abs().max(span.min.abs()).min(1.0);
        let (glyph, style) = match mark(theme, span.marks) {
            Some(mark) => mark,
            None if height > 0.0 => (paint::filled(height.max(0.13)), theme.signal()),
            None => ("─", theme.rule()),
        };
        let end = whole.tick_at(column + 1).max(tick.next());
        let is_in_view = *in_view.start() < end && tick <= *in_view.end() && end > begins;
        let style = if is_in_view { style.patch(theme.in_view()) } else { style };
        paint::glyph(buffer, traces, traces.x + column, glyph, style);
    }
    // Below the glyph, so that it hides no mark.
    if let Some(column) = whole.column_of(app.tick())
        && let Some(cell) = buffer.cell_mut((traces.x + column, traces.y))
    {
        cell.set_style(theme.badge(Badge::Frozen));
    }
    let rate = app.session().plan().rate();
    let length = Nanos(rate.time_of(last).0.saturating_sub(rate.time_of(begins).0));
    let end = Rect { x: traces.right(), width: row.right() - traces.right(), ..row };
    paint::text_right(buffer, end, &clock(length), theme.faint());
}
