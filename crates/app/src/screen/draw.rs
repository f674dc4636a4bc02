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

mod help;
mod lanes;
pub(super) mod paint;
mod status;
mod why;

use super::{App, areas::Areas, bench};
use ratatui::{Frame, buffer::Buffer, layout::Rect};

/// Draws a frame. [`App::fit`] must have seen its area.
pub fn draw(frame: &mut Frame, app: &App) {
    let areas = Areas::of(frame.area(), app.has_marks());
    let buffer = frame.buffer_mut();
    status::line(buffer, areas.status, app);
    status::devices(buffer, areas.devices, app);
    bench_rule(buffer, areas.bench_rule, app);
    (app.bench.entry().draw)(buffer, areas.bench, app);
    lanes::draw(buffer, &areas, app);
    why::draw(buffer, &areas, app);
    let cursor = status::bottom(buffer, areas.hints, app);
    if app.captured {
        frame_captured(buffer, areas.whole, app);
    }
    if app.help.is_shown {
        help::draw(buffer, areas.whole, app);
    }
    if let Some(cursor) = cursor {
        frame.set_cursor_position(cursor);
    }
}

fn bench_rule(buffer: &mut Buffer, area: Rect, app: &App) {
    paint::rule(buffer, area, app.theme);
    let mut x = area.x + 2;
    for entry in bench::ALL {
        let is_shown = app.bench == entry.bench;
        let style = if is_shown { app.theme.strong() } else { app.theme.faint() };
        let title = format!(" {} {} ", entry.shown_key, entry.name);
        x = paint::text(buffer, area, x, &title, style) + 1;
    }
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
