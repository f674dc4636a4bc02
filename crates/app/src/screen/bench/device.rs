//! The device bench: one device with everything on it.
//!
//! ```text
//!   pad·1  Quay trainer pad A (worn)   usb   main device   1 of 5, Tab: next
//!   identity cab-pad-a
//!   connected and heard    251 events/s   last report …   last used …
//!   reports every 4.00 ms (median), 8.1 p95, 12.0 p99; longest gap …
//!
//!   stick-l-x     -1049  -0.032 ····┃····   -32768 … 32767  flat 128 fuzz 16
//!
//!   ○   0 south   ○   1 east …
//!   state word  now      0000 0000 0000 0001  0x00000001
//!               before   0000 0000 0000 0000  0x00000000
//!               changed  0000 0000 0000 0001  0x00000001  + south
//! ```

mod lesson;
mod naming;

use super::{Bench, Entry};
use crate::screen::App;
use crate::screen::app::Lesson;
use crate::screen::draw::paint;
use crate::screen::keymap::Command;
use gtrig_core::{CleanText, ControlId, ControlKind, Device, DeviceId, Edge, Nanos, Presence};
use ratatui::{buffer::Buffer, layout::Rect};

/// Widths of a cell; analogue ones leave out what the driver says where there
/// is less room.
const ANALOGUE: u16 = 78;
const NARROW: u16 = 39;
const BUTTON: u16 = 19;
/// Rows of the state word, and the bits of one.
const WORD_ROWS: u16 = 3;
const WORD_BITS: usize = 32;

/// What there is to know of it.
pub(crate) const ENTRY: Entry = Entry {
    bench: Bench::Device,
    key: "2",
    name: "device",
    help: "bench: every control of a device",
    keys: &[Command::NextDevice(1), Command::Learn, Command::NameAddresses],
    draw,
    ..Entry::PLAIN
};

fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    match &app.lesson {
        Some(Lesson::Device(lesson)) => return lesson::draw(buffer, area, app, lesson),
        Some(Lesson::Addresses(naming)) => return naming::draw(buffer, area, app, naming),
        None => {}
    }
    let Some(id) = app.device() else {
        paint::text(buffer, area, area.x, "no device has been connected", app.theme.faint());
        return;
    };
    let device = app.session().roster().device(id);
    let lines = [head, health, intervals];
    for (row, line) in paint::rows(area).zip(lines) {
        line(buffer, row, app, (id, device));
    }
    let is_button = |id: &ControlId| app.session().roster().control(*id).kind.is_button();
    let (buttons, analogue): (Vec<_>, Vec<_>) = device.controls().partition(is_button);
    let mut below = area;
    take_rows(&mut below, lines.len() as u16);
    let width = if area.width >= ANALOGUE { ANALOGUE } else { NARROW };
    let rows = |width: u16, n: usize| (n as u16).div_ceil((area.width / width).max(1));
    let word = WORD_ROWS * u16::from(!buttons.is_empty() && below.height > 2 * WORD_ROWS);
    // A blank row above each group, while there is room for all.
    let needed = rows(width, analogue.len()) + rows(BUTTON, buttons.len()) + word;
    let gap = u16::from(below.height >= needed + 3);
    below.height -= word;
    take_rows(&mut below, gap);
    let used = grid(below, width, &analogue, |place, id, _| analogue_cell(buffer, place, app, id));
    take_rows(&mut below, used + if used > 0 { gap } else { 0 });
    let used = grid(below, BUTTON, &buttons, |place, id, bit| {
        button_cell(buffer, place, app, (id, bit));
    });
    take_rows(&mut below, used + gap);
    state_word(buffer, Rect { height: word, ..below }, app, &buttons);
}

fn take_rows(area: &mut Rect, rows: u16) {
    let rows = rows.min(area.height);
    area.y += rows;
    area.height -= rows;
}

fn head(buffer: &mut Buffer, row: Rect, app: &App, (id, device): (DeviceId, &Device)) {
    let theme = app.theme;
    let x = paint::text(buffer, row, row.x, &device.label().to_string(), theme.strong()) + 2;
    let x = paint::text(buffer, row, x, device.info.name.as_str(), theme.plain()) + 2;
    let identity = CleanText::new(&device.info.identity);
    let bus = match device.info.bus.as_str() {
        "" => "unknown",
        bus => bus,
    };
    let n = app.session().roster().devices().len();
    let (at, next) = (app.device + 1, app.key_of(Command::NextDevice(1)));
    let text = format!("bus {bus}   identity {identity}   {at} of {n}, {next}: next");
    let x = paint::text(buffer, row, x, &text, theme.faint()) + 3;
    if app.machine().main() == Some(id) {
        paint::text(buffer, row, x, "◉ main device", theme.wire());
    }
}

fn health(buffer: &mut Buffer, row: Rect, app: &App, (id, _): (DeviceId, &Device)) {
    let hearing = app.machine().device(id);
    let now = app.session().plan().rate().time_of(app.tick());
    let state = match hearing.presence {
        Presence::Here => "connected and heard",
        Presence::Deaf => "connected, not listened to",
        Presence::Gone => "not connected",
    };
    let ago = |time: Option<Nanos>| match time {
        None => "never".to_owned(),
        Some(time) => format!("{} ago", Nanos(now.0.saturating_sub(time.0))),
    };
    let text = format!(
        "{state}   {:>4} reports/s   last report {:<18} last touched {}",
        app.document.rates.of(id),
        ago(hearing.last_report),
        ago(hearing.last_use),
    );
    paint::text(buffer, row, row.x, &text, app.theme.plain());
}

/// Over the whole history, not up to the playhead.
fn intervals(buffer: &mut Buffer, row: Rect, app: &App, (id, _): (DeviceId, &Device)) {
    let theme = app.theme;
    let known = app.document.streams.device(id).and_then(|stream| {
        let at = |share| stream.intervals.percentile(share).map(Nanos::as_millis);
        Some((stream, at(0.5)?, at(0.95)?, at(0.99)?, stream.intervals.longest()?))
    });
    let Some((stream, median, p95, p99, (from, to))) = known else {
        let text = "too few reports to tell how far apart they come";
        paint::text(buffer, row, row.x, text, theme.faint());
        return;
    };
    let text = format!(
        "a report every {median:.2} ms (median), 95 % within {p95:.2}, 99 % within {p99:.2}; longest gap {} from {from} on",
        Nanos(to.0 - from.0)
    );
    let x = paint::text(buffer, row, row.x, &text, theme.plain()) + 3;
    match stream.troubles() {
        0 => paint::text(buffer, row, x, "stream sound", theme.faint()),
        n => {
            let lists = app.key_of(Command::Bench(Bench::Stream));
            let text = format!("{n} troubles: {lists} lists them");
            paint::text(buffer, row, x, &text, theme.doubtful())
        }
    };
}

/// Lays cells out in columns, top to bottom. Returns the rows used.
fn grid(
    area: Rect,
    width: u16,
    ids: &[ControlId],
    mut draw: impl FnMut(Rect, ControlId, usize),
) -> u16 {
    let columns = (area.width / width).max(1);
    let rows = (ids.len() as u16).div_ceil(columns).min(area.height);
    for (at, &id) in ids.iter().enumerate() {
        let (column, row) = (at as u16 / rows.max(1), at as u16 % rows.max(1));
        if column >= columns || rows == 0 {
            break;
        }
        let place = Rect { x: area.x + column * width, y: area.y + row, width, height: 1 };
        draw(place.intersection(area), id, at);
    }
    rows
}

fn analogue_cell(buffer: &mut Buffer, place: Rect, app: &App, id: ControlId) {
    let cell = app.machine().control(id);
    let kind = app.session().roster().control(id).kind;
    let active = cell.seen != kind.rest();
    let style = if active { app.theme.signal() } else { app.theme.faint() };
    let info = app.session().roster().info(id);
    let text = format!("{:<12} {:>+7} {:>+7.3} ", info.code, cell.seen, cell.value);
    let x = paint::text(buffer, place, place.x, &text, style);
    let two_sided = matches!(kind, ControlKind::Axis { .. } | ControlKind::Relative);
    bar(buffer, place, x, (cell.value, two_sided), app);
    if place.width < ANALOGUE {
        return;
    }
    let mut words = kind.ends().map_or(String::new(), |(min, max)| format!("{min} … {max}"));
    for (word, n) in
        [("flat", info.grain.flat), ("fuzz", info.grain.fuzz), ("units/mm", info.grain.resolution)]
    {
        if n != 0 {
            words += &format!("  {word} {n}");
        }
    }
    paint::text(buffer, place, x + 11, &words, app.theme.faint());
}

/// Nine cells: rest in the middle and the value to either side, or rest at the
/// left and the value to its right.
fn bar(buffer: &mut Buffer, place: Rect, x: u16, (value, two_sided): (f32, bool), app: &App) {
    const HALF: u16 = 4;
    let rest = if two_sided { HALF } else { 0 };
    let room = if two_sided { HALF } else { 2 * HALF };
    let cells = (value.abs().min(1.0) * f32::from(room)).round() as u16;
    for i in 0..=2 * HALF {
        let (left, right) = (rest.saturating_sub(cells), rest + cells);
        let is_on = if value < 0.0 { left <= i && i < rest } else { rest < i && i <= right };
        let (glyph, style) = match (i == rest, is_on) {
            (true, _) => ("┃", app.theme.faint()),
            (false, true) => ("━", app.theme.signal()),
            (false, false) => ("·", app.theme.rule()),
        };
        paint::glyph(buffer, place, x + i, glyph, style);
    }
}

/// A button and its bit in the state word.
fn button_cell(buffer: &mut Buffer, place: Rect, app: &App, (id, bit): (ControlId, usize)) {
    let cell = app.machine().control(id);
    let (dot, style) = match cell.is_down() {
        true => ("●", app.theme.signal()),
        false => ("○", app.theme.faint()),
    };
    let edge = match cell.edge() {
        Some(Edge::Press) => "╱",
        Some(Edge::Release) => "╲",
        None => " ",
    };
    let text = format!("{dot}{edge}{bit:>2} {}", app.session().roster().code(id));
    let inner = Rect { width: place.width.saturating_sub(1), ..place };
    paint::text(buffer, inner, inner.x, &text, style);
}

/// The buttons as engines hold them: a bit each at this tick, at the one
/// before, and where the two differ. Of a device with many, the word in which
/// most is going on.
fn state_word(buffer: &mut Buffer, area: Rect, app: &App, buttons: &[ControlId]) {
    let cell = |&id: &ControlId| app.machine().control(id);
    let liveliness = |word: &[ControlId]| {
        let changed = word.iter().map(cell).filter(|cell| cell.edge().is_some()).count();
        (changed, word.iter().map(cell).filter(|cell| cell.is_down()).count())
    };
    let words: Vec<&[ControlId]> = buttons.chunks(WORD_BITS).collect();
    // Of equals the first, so that the word does not jump about.
    let at = (0..words.len()).rev().max_by_key(|&at| liveliness(words[at]));
    let Some((at, word)) = at.map(|at| (at, words[at])) else { return };
    let bits = |is_set: &dyn Fn(&ControlId) -> bool| {
        word.iter().zip(0..).fold(0u32, |sum, (id, bit)| sum | u32::from(is_set(id)) << bit)
    };
    let now = bits(&|id| cell(id).is_down());
    let before = bits(&|id| cell(id).before != 0);
    let theme = app.theme;
    let title = match words.len() {
        1 => "state word".to_owned(),
        n => format!("word {} of {n}", at + 1),
    };
    let rows = [("now", now), ("before", before), ("changed", now ^ before)];
    for (row, (name, value)) in paint::rows(area).zip(rows) {
        let is_first = row.y == area.y;
        let title = if is_first { title.as_str() } else { "" };
        let x = paint::text(buffer, row, row.x, &format!("{title:<14}"), theme.strong());
        let x = paint::text(buffer, row, x, &format!("{name:<9}"), theme.faint());
        let x = binary(buffer, row, x, (value, word.len()), app) + 1;
        let x = paint::text(buffer, row, x, &format!("0x{value:08x}"), theme.plain()) + 3;
        if name == "changed" {
            paint::text(buffer, row, x, &edges(app, word), theme.wire());
        }
    }
}

/// Bits in groups of four, the highest first, those that are set lit.
fn binary(buffer: &mut Buffer, row: Rect, x: u16, (value, len): (u32, usize), app: &App) -> u16 {
    let digits = len.next_multiple_of(4);
    (0..digits).rev().fold(x, |x, bit| {
        let is_set = value >> bit & 1 != 0;
        let (glyph, style) = match (bit < len, is_set) {
            (true, true) => ("1", app.theme.signal()),
            (true, false) => ("0", app.theme.faint()),
            (false, _) => (" ", app.theme.faint()),
        };
        paint::glyph(buffer, row, x, glyph, style);
        x + 1 + u16::from(bit % 4 == 0)
    })
}

fn edges(app: &App, word: &[ControlId]) -> String {
    let edge = |&id: &ControlId| {
        let sign = match app.machine().control(id).edge()? {
            Edge::Press => "╱",
            Edge::Release => "╲",
        };
        Some(format!("{sign} {}", app.session().roster().code(id)))
    };
    word.iter().filter_map(edge).collect::<Vec<_>>().join("  ")
}
