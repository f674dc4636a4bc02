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

mod areas;
mod board;
mod device;
mod gestures;
mod help;
mod ladder;
mod lanes;
mod measure;
mod paint;
mod polling;
mod status;
mod stick;
mod stream;
mod touch;
mod tune;
mod why;
mod yard;

pub(crate) use areas::Areas;

use super::{App, view::Bench};
use ratatui::{Frame, buffer::Buffer, layout::Rect};

/// Draws a frame. [`App::fit`] must have seen its area.
pub fn draw(frame: &mut Frame, app: &App) {
    let areas = Areas::of(frame.area(), app);
    let buffer = frame.buffer_mut();
    status::line(buffer, areas.status, app);
    status::devices(buffer, areas.devices, app);
    bench_rule(buffer, areas.bench_rule, app);
    match app.bench {
        Bench::Board => board::draw(buffer, areas.bench, app),
        Bench::Device => device::draw(buffer, areas.bench, app),
        Bench::Polling => polling::draw(buffer, areas.bench, app),
        Bench::Stream => stream::draw(buffer, areas.bench, app),
        Bench::Stick => stick::draw(buffer, areas.bench, app),
        Bench::Tune => tune::draw(buffer, areas.bench, app),
        Bench::Measure => measure::draw(buffer, areas.bench, app),
        Bench::Yard => yard::draw(buffer, areas.bench, app),
        Bench::Touch => touch::draw(buffer, areas.bench, app),
        Bench::Ladder => ladder::draw(buffer, areas.bench, app),
    }
    lanes::draw(buffer, &areas, app);
    why::draw(buffer, &areas, app);
    let cursor = status::bottom(buffer, areas.hints, app);
    if app.captured {
        frame_captured(buffer, areas.whole, app);
    }
    if app.show_help {
        help::draw(buffer, areas.whole, app);
    }
    if let Some(cursor) = cursor {
        frame.set_cursor_position(cursor);
    }
}

fn bench_rule(buffer: &mut Buffer, area: Rect, app: &App) {
    paint::rule(buffer, area, app.theme);
    let mut x = area.x + 2;
    for (bench, title) in [
        (Bench::Board, " 1 board "),
        (Bench::Device, " 2 device "),
        (Bench::Polling, " 3 polling "),
        (Bench::Stream, " 4 stream "),
        (Bench::Stick, " 5 stick "),
        (Bench::Tune, " 6 tune "),
        (Bench::Measure, " 7 measure "),
        (Bench::Yard, " 8 yard "),
        (Bench::Touch, " 9 touch "),
        (Bench::Ladder, " L ladder "),
    ] {
        let style = if app.bench == bench { app.theme.strong() } else { app.theme.faint() };
        x = paint::text(buffer, area, x, title, style) + 1;
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
