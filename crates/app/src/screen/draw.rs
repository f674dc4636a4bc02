//! One frame of the full screen, from an [`App`] that does not change.
//!
//! ```text
//!  status     LIVE  60 Hz  tick 18 204  Kestrel Quay …
//!  devices    ● pad·1 250/s   ● pad·2 125/s   ○ keys deaf
//!  bench    ── 1 board ── 2 device ──────────────────────
//!             controls → shaped → actions
//!  ruler    ── lanes ────┬ 1 200 ms ────┬──────▼──
//!  lanes      pad·1 south  ▁▁▁╱▔▔▔╲▁▁▁╳▁▁▁▁      up
//!  why      ── why ───────────────────────────────────────
//!             south went down at …
//!  hints      Space freeze  ← → step …
//! ```

mod find;
mod help;
mod hints;
mod hover;
mod invitation;
mod lanes;
mod offers;
mod overview;
pub(super) mod paint;
mod reel;
pub(super) mod ring;
mod status;
mod tabs;
mod tour;
mod why;

pub(super) use tour::ROWS as TOUR_ROWS;

use super::App;
use gtrig_core::Tick;
use ratatui::{Frame, buffer::Buffer, layout::Rect};

/// Draws a frame. [`App::fit`] must have seen its area.
pub fn draw(frame: &mut Frame, app: &App) {
    let areas = app.areas(frame.area());
    app.view.spots.clear();
    let buffer = frame.buffer_mut();
    status::line(buffer, areas.status, app);
    status::devices(buffer, areas.devices, app);
    tabs::draw(buffer, areas.bench_rule, app);
    (app.bench.entry().draw)(buffer, areas.bench, app);
    lanes::draw(buffer, &areas, app);
    overview::draw(buffer, &areas, app);
    reel::draw(buffer, &areas, app);
    why::draw(buffer, &areas, app);
    let cursor = status::bottom(buffer, areas.hints, app);
    if app.captured {
        frame_captured(buffer, areas.whole, app);
    }
    tour::draw(buffer, &areas, app);
    hover::draw(buffer, areas.whole, app);
    invitation::draw(buffer, areas.whole, app);
    if let Some(help) = &app.help {
        help::draw(buffer, areas.whole, app, help);
    }
    let found = app.find.as_ref().and_then(|find| find::draw(buffer, areas.whole, app, find));
    if let Some(cursor) = found.or(cursor) {
        frame.set_cursor_position(cursor);
    }
}

/// The tick of a column of the row that has the whole history.
pub(super) fn tick_of_overview(app: &App, column: u16) -> Tick {
    let overview = app.view.hit.overview;
    overview::stretch(app, overview.width).tick_at(column.saturating_sub(overview.x))
}

/// The rows of what is found by typing.
pub(super) fn found_area(whole: Rect) -> Rect {
    find::rows_area(whole)
}

/// While keys go to the device under test, the screen has an edge nobody can
/// overlook; top and bottom rows say so in words.
fn frame_captured(buffer: &mut Buffer, area: Rect, app: &App) {
    let style = app.theme.badge(super::theme::Badge::Captured);
    for y in area.top()..area.bottom() {
        for x in [area.left(), area.right().saturating_sub(1)] {
            if let Some(cell) = buffer.cell_mut((x, y)) {
                cell.set_symbol(" ").set_style(style);
            }
        }
    }
}
