//! The device bench: one device with everything on it.

use super::paint;
use crate::screen::App;
use gtrig_core::{ControlId, Device, Edge, Nanos, Presence};
use ratatui::{buffer::Buffer, layout::Rect};

const ANALOGUE: u16 = 39;
const BUTTON: u16 = 19;

pub(super) fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    let Some(id) = app.device() else {
        paint::text(buffer, area, area.x, "no device has been connected", app.theme.faint());
        return;
    };
    let device = app.session.roster().device(id);
    let mut rows = paint::rows(area);
    let Some(first) = rows.next() else { return };
    head(buffer, first, app, device);
    if let Some(second) = rows.next() {
        health(buffer, second, app, id);
    }
    let is_button = |id: &ControlId| app.session.roster().control(*id).kind.is_button();
    let (buttons, analogue): (Vec<_>, Vec<_>) = device.controls().partition(is_button);
    let below = Rect { y: area.y + 3, height: area.height.saturating_sub(3), ..area };
    let used = grid(below, ANALOGUE, &analogue, |place, id| analogue_cell(buffer, place, app, id));
    let gap = u16::from(used > 0);
    let below =
        Rect { y: below.y + used + gap, height: below.height.saturating_sub(used + gap), ..below };
    grid(below, BUTTON, &buttons, |place, id| button_cell(buffer, place, app, id));
}

fn head(buffer: &mut Buffer, row: Rect, app: &App, device: &Device) {
    let label = device.label().to_string();
    let x = paint::text(buffer, row, row.x, &label, app.theme.strong()) + 2;
    let x = paint::text(buffer, row, x, device.info.name.as_str(), app.theme.plain()) + 2;
    let n = app.session.roster().devices().len();
    let identity = gtrig_core::CleanText::new(&device.info.identity);
    let text = format!("identity {identity}   {} of {n}, Tab: next", app.device + 1);
    paint::text(buffer, row, x, &text, app.theme.faint());
}

fn health(buffer: &mut Buffer, row: Rect, app: &App, id: gtrig_core::DeviceId) {
    let hearing = app.machine().hearing(id);
    let now = app.session.plan().rate().time_of(app.tick());
    let state = match hearing.presence {
        Presence::Here => "connected and heard",
        Presence::Deaf => "connected, not listened to",
        Presence::Gone => "not connected",
    };
    let last = match hearing.last_report {
        None => "never reported".to_owned(),
        Some(time) => {
            format!("last report {} before this tick", Nanos(now.0.saturating_sub(time.0)))
        }
    };
    let text = format!("{state}   {:>4} reports/s   {last}", hearing.reports_per_second(now));
    paint::text(buffer, row, row.x, &text, app.theme.plain());
}

/// Lays cells out in columns, top to bottom. Returns the rows used.
fn grid(area: Rect, width: u16, ids: &[ControlId], mut draw: impl FnMut(Rect, ControlId)) -> u16 {
    let columns = (area.width / width).max(1);
    let rows = (ids.len() as u16).div_ceil(columns).min(area.height);
    for (at, &id) in ids.iter().enumerate() {
        let (column, row) = (at as u16 / rows.max(1), at as u16 % rows.max(1));
        if column >= columns || rows == 0 {
            break;
        }
        let place = Rect { x: area.x + column * width, y: area.y + row, width, height: 1 };
        draw(place.intersection(area), id);
    }
    rows
}

fn analogue_cell(buffer: &mut Buffer, place: Rect, app: &App, id: ControlId) {
    let cell = app.machine().cell(id);
    let active = cell.seen != app.session.roster().control(id).kind.rest();
    let style = if active { app.theme.signal() } else { app.theme.faint() };
    let code = app.session.roster().code(id);
    let text = format!("{code:<12} {:>+7} {:>+7.3} ", cell.seen, cell.value);
    let x = paint::text(buffer, place, place.x, &text, style);
    bar(buffer, place, x, cell.value, app);
}

/// Eight cells: rest in the middle, the value to either side.
fn bar(buffer: &mut Buffer, place: Rect, x: u16, value: f32, app: &App) {
    const HALF: u16 = 4;
    let cells = (value.abs().min(1.0) * f32::from(HALF)).round() as u16;
    for i in 0..HALF {
        let (left, right) = (x + HALF - 1 - i, x + HALF + 1 + i);
        let glyph = |on| if on { "━" } else { "·" };
        let style = |on| {
            if on { app.theme.signal() } else { app.theme.rule() }
        };
        let (on_left, on_right) = (value < 0.0 && i < cells, value > 0.0 && i < cells);
        paint::glyph(buffer, place, left, glyph(on_left), style(on_left));
        paint::glyph(buffer, place, right, glyph(on_right), style(on_right));
    }
    paint::glyph(buffer, place, x + HALF, "┃", app.theme.faint());
}

fn button_cell(buffer: &mut Buffer, place: Rect, app: &App, id: ControlId) {
    let cell = app.machine().cell(id);
    let (dot, style) = match cell.is_down() {
        true => ("●", app.theme.signal()),
        false => ("○", app.theme.faint()),
    };
    let edge = match cell.edge() {
        Some(Edge::Press) => "╱",
        Some(Edge::Release) => "╲",
        None => " ",
    };
    let text = format!("{dot}{edge}{}", app.session.roster().code(id));
    let inner = Rect { width: place.width.saturating_sub(1), ..place };
    paint::text(buffer, inner, inner.x, &text, style);
}
