//! The programs that send: a row each, or a small cell each when there are many.
//!
//! ```text
//!   sender       state   lines/s                      ms late  Tab: ms late      lost  bad  waits  clock
//!   crane-game   ● here    1 204  ▁▂▃▅▇▇▆▅▅▅▅▅▅▅▅▅       3.20  ▁▁▁▂▁▁▁▁▁▁▁▁▁▁▁▁    ·    ·      ·  this machine's
//! ```

use super::MARGIN;
use crate::screen::keymap::Command;
use crate::screen::{App, Theme, app::Trend, draw::paint};
use gtrig_sources::SenderIs;
use ratatui::{buffer::Buffer, layout::Rect, style::Style};
use std::collections::VecDeque;

/// Columns of a sparkline.
const SPARK: usize = 16;

/// Columns of a cell.
const CELL: u16 = 31;

/// How many rows the senders take of an area, with one for the titles.
pub(super) fn rows_of(app: &App, area: Rect) -> u16 {
    let count = app.sending.senders.len() as u16;
    match count {
        0 => 0,
        _ if count < area.height * 2 / 3 => count + 1,
        _ => (count.div_ceil(per_row(area)) + 1).min(area.height),
    }
}

/// So many rows show a row for each, with one for the titles.
pub(super) fn wants(app: &App) -> u16 {
    match app.sending.senders.len() as u16 {
        0 => 0,
        count => count + 1,
    }
}

/// How many cells stand beside each other.
fn per_row(area: Rect) -> u16 {
    (area.width.saturating_sub(MARGIN) / CELL).max(1)
}

/// Draws all of them.
pub(super) fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    let senders = &app.sending.senders;
    let mut rows = paint::rows(area);
    if senders.len() < usize::from(area.height) {
        if let Some(row) = rows.next() {
            titles(buffer, row, app);
        }
        for (trend, row) in senders.iter().zip(rows) {
            row_of(buffer, row, app, trend);
        }
        return;
    }
    if let Some(row) = rows.next() {
        let here = senders.iter().filter(|trend| trend.state.state == SenderIs::Here).count();
        let text =
            format!("{} senders, {here} here: lines/s, ms late, ! lost or bad", senders.len());
        paint::text(buffer, row, row.x + MARGIN, &text, app.theme.faint());
    }
    let mut shown = 0;
    for (row, trends) in rows.zip(senders.chunks(per_row(area).into())) {
        for (trend, at) in trends.iter().zip(0..) {
            let x = row.x + MARGIN + at * CELL;
            cell(buffer, Rect { x, width: CELL - 1, ..row }.intersection(row), app.theme, trend);
            shown += 1;
        }
    }
    if shown < senders.len() {
        let row = Rect { y: area.bottom() - 1, height: 1, ..area };
        let text = format!(" and {} more: a larger window shows them ", senders.len() - shown);
        paint::text_right(buffer, row, &text, app.theme.doubtful());
    }
}

fn titles(buffer: &mut Buffer, row: Rect, app: &App) {
    let text = format!(
        "{:<18}{:<8}{:>9}  {:<SPARK$}{:>11}  {:<SPARK$}{:>8}{:>6}{:>8}   clock",
        "sender",
        "state",
        "lines/s",
        "",
        "ms late",
        format!("{}: {}", app.key_of(Command::NextDevice(1)), app.sending.drawn.word()),
        "lost",
        "bad",
        "waiting"
    );
    paint::text(buffer, row, row.x + MARGIN, &text, app.theme.faint());
}

fn state(trend: &Trend, theme: Theme) -> (&'static str, Style) {
    match trend.state.state {
        SenderIs::Here => ("● here", theme.plain()),
        SenderIs::Done => ("✓ done", theme.faint()),
        SenderIs::Lost => ("○ gone", theme.doubtful()),
    }
}

fn row_of(buffer: &mut Buffer, row: Rect, app: &App, trend: &Trend) {
    let theme = app.theme;
    let (word, style) = state(trend, theme);
    let of = &trend.state;
    let mut x = paint::text(buffer, row, row.x + MARGIN, &format!("{:<18}", of.name), style);
    x = paint::text(buffer, row, x, &format!("{word:<8}"), style);
    let rate = paint::grouped(trend.rate().round() as u64);
    x = paint::text(buffer, row, x, &format!("{rate:>9}  "), style);
    x = paint::text(buffer, row, x, &spark(&trend.rates, SPARK), theme.signal());
    let latency = format!("{:>11.2}  ", of.latency.as_millis());
    x = paint::text(buffer, row, x, &latency, style);
    x = paint::text(buffer, row, x, &spark(trend.of(app.sending.drawn), SPARK), theme.signal());
    for (count, width) in [(of.missed, 8), (of.faults, 6), (of.waiting, 8)] {
        let text = if count == 0 { "·".to_owned() } else { paint::grouped(count) };
        let style = if count == 0 { theme.rule() } else { theme.doubtful() };
        x = paint::text(buffer, row, x, &format!("{text:>width$}"), style);
    }
    paint::text(buffer, row, x + 3, &clock(trend), style);
}

/// How sure its times are.
fn clock(trend: &Trend) -> String {
    let of = &trend.state;
    if of.is_our_clock {
        return "this machine's".to_owned();
    }
    let Some(clock) = of.clock else { return "not known yet".to_owned() };
    let sure = match clock.uncertainty {
        Some(most) => format!("± {:.2} ms", most.as_millis()),
        None => "one way".to_owned(),
    };
    let set = match clock.jumps {
        0 => String::new(),
        n => format!(", set {n}×"),
    };
    format!("{sure}, {:+.1} ppm{set}", clock.drift_ppm)
}

fn cell(buffer: &mut Buffer, area: Rect, theme: Theme, trend: &Trend) {
    let (word, style) = state(trend, theme);
    let glyph = word.chars().next().unwrap_or(' ');
    let mut x = paint::text(buffer, area, area.x, &format!("{glyph} "), style);
    let name = Rect { width: (x + 10 - area.x).min(area.width), ..area };
    paint::text(buffer, name, x, &trend.state.name, style);
    let rate = paint::grouped(trend.rate().round() as u64);
    x = paint::text(buffer, area, x + 10, &format!("{rate:>7} "), style);
    x = paint::text(buffer, area, x, &spark(&trend.rates, 4), theme.signal());
    x = paint::text(buffer, area, x, &format!("{:>5.1}", trend.state.latency.as_millis()), style);
    if trend.is_doubtful() {
        paint::text(buffer, area, x, "!", theme.doubtful());
    }
}

/// The newest values; the largest leaves a gap above it.
fn spark(values: &VecDeque<f32>, width: usize) -> String {
    let shown = values.iter().skip(values.len().saturating_sub(width));
    let most = shown.clone().fold(0.0f32, |most, value| most.max(*value)).max(f32::MIN_POSITIVE);
    let line: String = shown.map(|value| paint::filled(0.75 * value / most)).collect();
    format!("{line:>width$}")
}
