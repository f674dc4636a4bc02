//! The log bench: what happened, a line each, as `gtrig tail` prints it.
//!
//! ```text
//!   1 204 lines, all that happened: / filters, Tab goes on, a click goes there
//!          1 204.31 ms  report   pad1/south             1
//!          1 216.67 ms  edge     pad1/south             press
//!   ▸      1 216.67 ms  action   horn                   on, by pad1/south
//! ```

use super::{Bench, Entry};
use crate::screen::keymap::Command;
use crate::screen::{App, Theme, app::KEPT, draw::paint};
use gtrig_analysis::log::{Happening, LogEntry};
use gtrig_core::{ComboOutcome, GestureOutcome};
use gtrig_formats::log::LogLine;
use ratatui::{buffer::Buffer, layout::Rect, style::Style};

/// What there is to know of it.
pub(crate) const ENTRY: Entry = Entry {
    bench: Bench::Log,
    key: "T",
    name: "log",
    help: "bench: what happened, line by line",
    keys: &[Command::NextDevice(1), Command::Filter],
    draw,
    shown: App::follow_log,
    advance: App::follow_log,
    mouse: App::log_mouse,
    next: App::next_log_line,
    ..Entry::PLAIN
};

/// Where the lines are, below the row that says how many.
pub(crate) fn lines_area(bench: Rect) -> Rect {
    let height = bench.height.saturating_sub(1);
    Rect { y: bench.y + (bench.height - height), height, ..bench }
}

fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    let theme = app.theme;
    paint::text(buffer, Rect { height: 1, ..area }, area.x + 2, &head(app), theme.faint());
    let lines = lines_area(area);
    let first = app.first_log_line(lines.height.into());
    let here = app.logbook.at_tick(app.tick()).filter(|_| !app.view.is_live());
    let tick = here.and_then(|here| Some(app.logbook.entry(here)?.tick));
    for (at, row) in (first..).zip(paint::rows(lines)) {
        let Some(entry) = app.logbook.entry(at) else { break };
        let is_here = tick == Some(entry.tick);
        let glyph = if is_here { "▸" } else { " " };
        paint::text(buffer, row, row.x + 1, glyph, theme.strong());
        let style = style(entry, theme);
        let style = if is_here { style.patch(theme.strong()) } else { style };
        let line = LogLine::new(app.session(), entry);
        paint::text(buffer, row, row.x + 2, &line.to_string(), style);
    }
}

/// How many lines there are, and of what.
fn head(app: &App) -> String {
    let (book, count) = (&app.logbook, paint::grouped(app.logbook.len() as u64));
    let of = match (book.words(), book.has_forgotten()) {
        ("", false) => "all that happened".to_owned(),
        ("", true) => format!("the last {} that are kept", paint::grouped(KEPT as u64)),
        (words, _) => format!("those with \"{words}\""),
    };
    let going = if book.is_up_to_date(app.session()) { "" } else { ", still reading" };
    let [filter, next] = [Command::Filter, Command::NextDevice(1)].map(|it| app.key_of(it));
    let keys = format!("{filter} filters, {next} goes on, a click goes there");
    format!("{count} lines, {of}{going}: {keys}")
}

fn style(entry: &LogEntry, theme: Theme) -> Style {
    match &entry.what {
        Happening::Report(_) => theme.faint(),
        Happening::Edge(_, None, _) => theme.lost(),
        Happening::Edge(..) => theme.plain(),
        Happening::Action { .. } => theme.wire(),
        Happening::Gesture(verdict) => match verdict.outcome {
            GestureOutcome::Fired => theme.fired(),
            _ if verdict.is_near() => theme.doubtful(),
            _ => theme.faint(),
        },
        Happening::Combo(news) if news.outcome == ComboOutcome::Fired => theme.fired(),
        Happening::Combo(_) => theme.doubtful(),
    }
}
