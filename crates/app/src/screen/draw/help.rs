//! The help overlay: every key, those of the bench first, and every glyph.

use super::paint;
use crate::screen::{
    App, Theme,
    app::Help,
    keymap::{Binding, Command},
    theme::MARKS,
};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::Style,
    widgets::{Clear, Widget},
};
use std::{borrow::Cow, mem::discriminant};

/// A line of help: what is shown on the left, its meaning, or a heading.
enum Line {
    Heading(&'static str),
    Item(Cow<'static, str>, Cow<'static, str>, Style),
    Empty,
}

/// Columns of the keys.
const KEYS: u16 = 17;

pub(super) fn draw(buffer: &mut Buffer, whole: Rect, app: &App, help: &Help) {
    let lines = with_words(lines(app), help.line.text());
    let columns: u16 = if whole.width >= 150 { 2 } else { 1 };
    let rows = (lines.len() as u16).div_ceil(columns);
    let width = match 78 * columns + 4 {
        // A sliver of screen on either side would only confuse.
        least if least + 20 > whole.width => whole.width,
        least => least,
    };
    let height = (rows + 3).min(whole.height);
    let area = paint::middle(whole, width, height);
    Clear.render(area, buffer);
    frame(buffer, area, app, help);
    let inner = Rect {
        x: area.x + 3.min(area.width),
        y: area.y + 1.min(area.height),
        width: area.width.saturating_sub(5),
        height: area.height.saturating_sub(2),
    };
    let pitch = inner.width / columns;
    let visible = inner.height.max(1);
    let scroll = help.scroll.min(rows.saturating_sub(visible));
    for (at, line) in lines.iter().enumerate() {
        let (column, row) = (at as u16 / rows, at as u16 % rows);
        let Some(row) = row.checked_sub(scroll).filter(|&row| row < visible) else {
            continue;
        };
        let place = Rect {
            x: inner.x + column * pitch,
            y: inner.y + row,
            width: pitch.saturating_sub(1),
            height: 1,
        };
        item(buffer, place, line, app);
    }
}

fn lines(app: &App) -> Vec<Line> {
    let style = app.theme.strong();
    let entry = app.bench.entry();
    let mut lines = vec![Line::Heading("On this bench")];
    let is_own = |binding: &Binding| {
        let is_number = matches!(
            binding.command,
            Command::Knob(_)
                | Command::Nudge(-1 | 1)
                | Command::Value
                | Command::Undo
                | Command::WriteRig
        );
        binding.command == Command::Bench(entry.bench)
            || entry.keys.contains(&binding.command)
            || (entry.numbers.is_some() && is_number)
    };
    let all = app.keymap.bindings();
    let mut own: Vec<Binding> = all.iter().filter(|it| is_own(it)).cloned().collect();
    // What the bench is about comes first.
    own.sort_by_key(|binding| binding.command != Command::Bench(entry.bench));
    lines.extend(items(&own, style));
    for of_group in all.chunk_by(|one, next| one.group == next.group) {
        lines.extend([Line::Empty, Line::Heading(of_group[0].group)]);
        lines.extend(items(of_group, style));
    }
    lines.extend([Line::Empty, Line::Heading("Mouse")]);
    lines.extend(MOUSE.map(|(shown, meaning)| Line::Item(shown.into(), meaning.into(), style)));
    lines.extend([Line::Empty, Line::Heading("On the lanes")]);
    lines.extend(glyphs(app.theme));
    lines
}

/// What keys do, in a line each; two that do the same there and back share one.
fn items(bindings: &[Binding], style: Style) -> Vec<Line> {
    let mut lines = Vec::new();
    let mut rest = bindings;
    while let [one, others @ ..] = rest {
        let is_bench = matches!(one.command, Command::Bench(_));
        let is_twin = |other: &&Binding| {
            !is_bench && discriminant(&other.command) == discriminant(&one.command)
        };
        match others.first().filter(is_twin) {
            Some(twin) => {
                let shown = format!("{} {}", one.shown, twin.shown);
                let meaning = format!("{}; {}{}", one.help, twin.help, others_of(&[one, twin]));
                lines.push(Line::Item(shown.into(), meaning.into(), style));
                rest = &others[1..];
            }
            None => {
                let meaning = format!("{}{}", one.help, others_of(&[one]));
                lines.push(Line::Item(one.shown.clone().into(), meaning.into(), style));
                rest = others;
            }
        }
    }
    lines
}

/// The keys besides those that are shown, in brackets.
fn others_of(bindings: &[&Binding]) -> String {
    let others = bindings.iter().flat_map(|binding| binding.keys.iter().skip(1));
    let others: Vec<String> = others.map(ToString::to_string).collect();
    if others.is_empty() { String::new() } else { format!(" (or {})", others.join(", ")) }
}

/// The lines that have every one of these words, once each, under their headings.
fn with_words(lines: Vec<Line>, words: &str) -> Vec<Line> {
    let words: Vec<String> = words.split_whitespace().map(str::to_lowercase).collect();
    if words.is_empty() {
        return lines;
    }
    let mut found: Vec<Line> = Vec::new();
    let mut heading = None;
    for line in lines {
        match line {
            Line::Empty => {}
            Line::Heading(text) => heading = Some(text),
            Line::Item(ref shown, ref meaning, _) => {
                let text = format!("{shown} {meaning}").to_lowercase();
                let is_there = |line: &Line| matches!(line, Line::Item(same, ..) if same == shown);
                if words.iter().all(|word| text.contains(word)) && !found.iter().any(is_there) {
                    found.extend(heading.take().map(Line::Heading));
                    found.push(line);
                }
            }
        }
    }
    if found.is_empty() {
        found.push(Line::Heading("no line has all of these words; Esc shows all"));
    }
    found
}

const MOUSE: [(&str, &str); 9] = [
    ("drag the ruler", "moves the border of bench and timeline"),
    ("click above", "a tab, a device or a key at the bottom does what it says"),
    ("click, drag", "put the playhead there; a click also chooses the lane"),
    ("wheel", "zoom around the pointer"),
    ("on a number", "the wheel nudges it, a double click types it"),
    ("rest on it", "says what it is, where the terminal reports the mouse"),
    ("touch bench", "a live panel is touched: drag is a finger,"),
    ("right button", "pins a second finger there, or lifts it"),
    ("Ctrl+drag", "moves the zone under it; by the right button resizes"),
];

/// What is drawn on the lanes, as it looks there.
fn glyphs(theme: Theme) -> Vec<Line> {
    let (signal, fired, faint) = (theme.signal(), theme.fired(), theme.faint());
    let (doubtful, wire) = (theme.doubtful(), theme.wire());
    let mut lines = vec![
        Line::Item("▁╱▔╲".into(), "up, press, down, release: what the poll saw".into(), signal),
        Line::Item("┃".into(), "a press and its release in one column".into(), signal),
        Line::Item("▒".into(), "several edges in one column; zoom in".into(), signal),
        Line::Item("▷ green".into(), "an action that is on, or off its rest".into(), fired),
        Line::Item("┄ ●".into(), "a gesture is being tried; it fired".into(), fired),
    ];
    lines.extend(MARKS.map(|(mark, glyph, meaning)| {
        let style = if mark == gtrig_core::LaneMarks::LOST { theme.lost() } else { doubtful };
        Line::Item(glyph.into(), meaning.into(), style)
    }));
    let between = "zoomed in: a poll; the chosen lane shows reports between";
    lines.extend([
        Line::Item("╷".into(), between.into(), faint),
        Line::Item("░".into(), "the device could not be heard: nothing is known".into(), faint),
        Line::Item("░ bright".into(), "reports of the device are missing there".into(), doubtful),
        Line::Item(
            "·".into(),
            "the action is held, and code on events would stand still".into(),
            doubtful,
        ),
        Line::Item(
            "≠".into(),
            "in the game: what it gave is not what the rig gives".into(),
            doubtful,
        ),
        Line::Item(
            "◉".into(),
            "above: the main device; ● another one, ◌ deaf, ○ gone".into(),
            signal,
        ),
        Line::Item("⚑".into(), "a mark that somebody set".into(), wire),
        Line::Item("✓ ✗".into(), "what was meant (meant: NAME): it fired, it did not".into(), wire),
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
            paint::text(buffer, place, place.x + KEYS, meaning, app.theme.plain());
        }
    }
}

fn frame(buffer: &mut Buffer, area: Rect, app: &App, help: &Help) {
    let edges = [area.top(), area.bottom().saturating_sub(1)];
    for y in edges {
        paint::rule(buffer, Rect { y, height: 1, ..area }, app.theme);
    }
    let x = paint::text(buffer, area, area.x + 2, " help ", app.theme.strong());
    let (text, style) = match help.line.text() {
        "" => ("  letters search it   ↑ ↓ scroll   Esc closes ".to_owned(), app.theme.faint()),
        words => (format!("  lines with \"{words}\"   Esc shows all "), app.theme.wire()),
    };
    paint::text(buffer, area, x, &text, style);
}
