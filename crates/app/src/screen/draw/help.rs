//! The help overlay: every key, every glyph.

use super::paint;
use crate::screen::{App, keymap::bindings, theme::MARKS};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::Style,
    widgets::{Clear, Widget},
};

/// A line of help: what is shown on the left, its meaning, or a heading.
enum Line {
    Heading(&'static str),
    Item(&'static str, &'static str, Style),
    Empty,
}

pub(super) fn draw(buffer: &mut Buffer, whole: Rect, app: &App) {
    let lines = lines(app);
    let columns: u16 = if whole.width >= 150 { 2 } else { 1 };
    let rows = (lines.len() as u16).div_ceil(columns);
    let width = match 74 * columns + 4 {
        // A sliver of screen on either side would only confuse.
        least if least + 20 > whole.width => whole.width,
        least => least,
    };
    let height = (rows + 3).min(whole.height);
    let area = Rect {
        x: whole.x + (whole.width - width) / 2,
        y: whole.y + (whole.height - height) / 2,
        width,
        height,
    };
    Clear.render(area, buffer);
    frame(buffer, area, app);
    let inner = Rect {
        x: area.x + 3.min(area.width),
        y: area.y + 1.min(area.height),
        width: area.width.saturating_sub(5),
        height: area.height.saturating_sub(2),
    };
    let visible = inner.height.max(1);
    let scroll = app.help.scroll.min(rows.saturating_sub(visible));
    for (at, line) in lines.iter().enumerate() {
        let (column, row) = (at as u16 / rows, at as u16 % rows);
        let Some(row) = row.checked_sub(scroll).filter(|&row| row < visible) else {
            continue;
        };
        let place = Rect {
            x: inner.x + column * 74,
            y: inner.y + row,
            width: inner.width.saturating_sub(column * 74).min(73),
            height: 1,
        };
        item(buffer, place, line, app);
    }
}

fn lines(app: &App) -> Vec<Line> {
    let theme = app.theme;
    let mut lines = Vec::new();
    let mut group = "";
    for binding in bindings() {
        if binding.group != group {
            if !lines.is_empty() {
                lines.push(Line::Empty);
            }
            group = binding.group;
            lines.push(Line::Heading(group));
        }
        lines.push(Line::Item(binding.shown, binding.help, theme.strong()));
    }
    lines.push(Line::Empty);
    lines.push(Line::Heading("Mouse"));
    lines.push(Line::Item(
        "click, drag",
        "put the playhead there; a click also chooses the lane",
        theme.strong(),
    ));
    lines.push(Line::Item("wheel", "zoom around the pointer", theme.strong()));
    for (shown, meaning) in [
        ("on bench 9", "a live panel is touched: drag is a finger,"),
        ("right button", "pins a second finger there, or lifts it"),
        ("Ctrl+drag", "moves the zone under it; by the right button resizes"),
    ] {
        lines.push(Line::Item(shown, meaning, theme.strong()));
    }
    lines.push(Line::Empty);
    lines.push(Line::Heading("On the lanes"));
    lines.push(Line::Item("▁╱▔╲", "up, press, down, release: what the poll saw", theme.signal()));
    lines.push(Line::Item("┃", "a press and its release in one column", theme.signal()));
    lines.push(Line::Item("▒", "several edges in one column; zoom in", theme.signal()));
    lines.push(Line::Item("▷ green", "an action that is on, or off its rest", theme.fired()));
    lines.push(Line::Item("┄ ●", "a gesture is being tried; it fired", theme.fired()));
    for (mark, glyph, meaning) in MARKS {
        let style =
            if mark == gtrig_core::LaneMarks::LOST { theme.lost() } else { theme.doubtful() };
        lines.push(Line::Item(glyph, meaning, style));
    }
    lines.push(Line::Item(
        "╷",
        "zoomed in: a poll; the chosen lane shows what was reported between",
        theme.faint(),
    ));
    lines.push(Line::Item("░", "the device could not be heard: nothing is known", theme.faint()));
    lines.push(Line::Item("░ bright", "reports of the device are missing there", theme.doubtful()));
    lines.push(Line::Item(
        "·",
        "the action is held, and code on events would stand still",
        theme.doubtful(),
    ));
    lines.push(Line::Item(
        "◉",
        "above: the main device; ● another one, ◌ deaf, ○ gone",
        theme.signal(),
    ));
    lines.push(Line::Item("⚑", "a mark that somebody set", theme.wire()));
    lines.push(Line::Item(
        "✓ ✗",
        "what was meant (meant: NAME): it fired, it did not",
        theme.wire(),
    ));
    lines
}

fn item(buffer: &mut Buffer, place: Rect, line: &Line, app: &App) {
    match line {
        Line::Empty => {}
        Line::Heading(text) => {
            paint::text(buffer, place, place.x, text, app.theme.wire());
        }
        Line::Item(shown, meaning, style) => {
            paint::text(buffer, place, place.x + 1, shown, *style);
            paint::text(buffer, place, place.x + 14, meaning, app.theme.plain());
        }
    }
}

fn frame(buffer: &mut Buffer, area: Rect, app: &App) {
    let edges = [area.top(), area.bottom().saturating_sub(1)];
    for y in edges {
        paint::rule(buffer, Rect { y, height: 1, ..area }, app.theme);
    }
    let title = " help   any key closes, ↑ ↓ scroll ";
    paint::text(buffer, area, area.x + 2, title, app.theme.strong());
}
