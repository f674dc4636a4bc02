//! The help overlay: every key, every glyph.

use super::paint;
use crate::screen::{App, Theme, keymap::bindings, theme::MARKS};
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
    let style = app.theme.strong();
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
        lines.push(Line::Item(binding.shown, binding.help, style));
    }
    lines.extend([Line::Empty, Line::Heading("Mouse")]);
    lines.extend(MOUSE.map(|(shown, meaning)| Line::Item(shown, meaning, style)));
    lines.extend([Line::Empty, Line::Heading("On the lanes")]);
    lines.extend(glyphs(app.theme));
    lines
}

const MOUSE: [(&str, &str); 5] = [
    ("click, drag", "put the playhead there; a click also chooses the lane"),
    ("wheel", "zoom around the pointer"),
    ("on bench 9", "a live panel is touched: drag is a finger,"),
    ("right button", "pins a second finger there, or lifts it"),
    ("Ctrl+drag", "moves the zone under it; by the right button resizes"),
];

/// What is drawn on the lanes, as it looks there.
fn glyphs(theme: Theme) -> Vec<Line> {
    let (signal, fired, faint) = (theme.signal(), theme.fired(), theme.faint());
    let (doubtful, wire) = (theme.doubtful(), theme.wire());
    let mut lines = vec![
        Line::Item("▁╱▔╲", "up, press, down, release: what the poll saw", signal),
        Line::Item("┃", "a press and its release in one column", signal),
        Line::Item("▒", "several edges in one column; zoom in", signal),
        Line::Item("▷ green", "an action that is on, or off its rest", fired),
        Line::Item("┄ ●", "a gesture is being tried; it fired", fired),
    ];
    lines.extend(MARKS.map(|(mark, glyph, meaning)| {
        let style = if mark == gtrig_core::LaneMarks::LOST { theme.lost() } else { doubtful };
        Line::Item(glyph, meaning, style)
    }));
    let between = "zoomed in: a poll; the chosen lane shows what was reported between";
    lines.extend([
        Line::Item("╷", between, faint),
        Line::Item("░", "the device could not be heard: nothing is known", faint),
        Line::Item("░ bright", "reports of the device are missing there", doubtful),
        Line::Item("·", "the action is held, and code on events would stand still", doubtful),
        Line::Item("≠", "in the game: what it gave is not what the rig gives", doubtful),
        Line::Item("◉", "above: the main device; ● another one, ◌ deaf, ○ gone", signal),
        Line::Item("⚑", "a mark that somebody set", wire),
        Line::Item("✓ ✗", "what was meant (meant: NAME): it fired, it did not", wire),
    ]);
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
