//! The measuring bench: what the stick can really do, what is still to be done
//! to know it, and what follows for the rig.

use super::{Bench, Entry};
use crate::figure;
use crate::screen::draw::{paint, ring::Ring};
use crate::screen::keymap::Command;
use crate::screen::{App, jobs::Measured};
use gtrig_analysis::measure::SECTORS;
use gtrig_formats::measure::Line;
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::Color,
    symbols::Marker,
    widgets::{
        Widget,
        canvas::{Canvas, Points},
    },
};
use std::f64::consts::TAU;

/// What there is to know of it.
pub(crate) const ENTRY: Entry = Entry {
    bench: Bench::Measure,
    key: "7",
    name: "measure",
    help: "bench: what the stick can really do, measured",
    keys: &[Command::NextDevice(1), Command::Propose],
    draw,
    figure: |app, excerpt| match &app.measuring.found {
        Some(measured) => {
            Ok(figure::measurement(&measured.samples, &measured.found, &measured.report))
        }
        None => (Entry::PLAIN.figure)(app, excerpt),
    },
    advance: App::measure_if_due,
    ..Entry::PLAIN
};

fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    let Some(measured) = &app.measuring.found else {
        let text = "measuring: the reports of the stick of the chosen lane …";
        paint::text(buffer, area, area.x + 2, text, app.theme.faint());
        return;
    };
    let side = (area.height.saturating_sub(1) * 2).min(area.width / 3);
    let plot = Rect { width: side, height: area.height.min(side / 2 + 1), ..area };
    reach(buffer, plot, app, measured);
    let words = Rect { x: area.x + side + 2, width: area.width.saturating_sub(side + 2), ..area };
    let mut rows = paint::rows(words);
    if let Some(row) = rows.next() {
        guide(buffer, row, app, measured);
    }
    for line in measured.report.lines() {
        let Some(row) = rows.next() else { return };
        line_row(buffer, row, app, line);
    }
    if let Some(row) = rows.next() {
        let x = paint::text(buffer, row, row.x, "what follows for the rig", app.theme.strong());
        let text = format!("{} sets it", app.key_of(Command::Propose));
        paint::text(buffer, row, x + 3, &text, app.theme.faint());
    }
    for (line, row) in measured.report.proposals().into_iter().zip(rows) {
        line_row(buffer, row, app, line);
    }
}

/// How far the measuring is, and what to do next.
fn guide(buffer: &mut Buffer, row: Rect, app: &App, measured: &Measured) {
    let mut x = row.x + 2;
    for (_, is_done) in measured.found.steps() {
        let (mark, style) =
            if is_done { ("✓", app.theme.wire()) } else { ("·", app.theme.faint()) };
        x = paint::text(buffer, row, x, mark, style) + 1;
    }
    match measured.report.next_step() {
        Some(step) => paint::text(buffer, row, x + 1, &format!("▷ {step}"), app.theme.doubtful()),
        None => paint::text(buffer, row, x + 1, "everything is known", app.theme.faint()),
    };
}

fn line_row(buffer: &mut Buffer, row: Rect, app: &App, (name, value): Line) {
    let x = paint::text(buffer, row, row.x + 2, &format!("{name:<15}"), app.theme.faint());
    match value {
        Ok(value) => paint::text(buffer, row, x, &value, app.theme.plain()),
        // What the person at the stick is to do next.
        Err(missing) => paint::text(buffer, row, x, &format!("▷ {missing}"), app.theme.doubtful()),
    };
}

/// How far it gets in each direction.
fn reach(buffer: &mut Buffer, area: Rect, app: &App, measured: &Measured) {
    let title = format!("{} reach", measured.report.control);
    paint::text(buffer, area, area.x, &title, app.theme.faint());
    let area = Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area };
    let colour = |style: ratatui::style::Style| style.fg.unwrap_or(Color::Reset);
    let place = |(sector, reach): (usize, &Option<f32>)| {
        let (angle, r) = (sector as f64 / SECTORS as f64 * TAU, f64::from((*reach)?));
        // As people hold it: y as reported points down.
        Some((r * angle.cos(), -r * angle.sin()))
    };
    let points: Vec<(f64, f64)> =
        measured.found.reach.iter().enumerate().filter_map(place).collect();
    Canvas::default()
        .marker(Marker::Braille)
        .x_bounds([-1.3, 1.3])
        .y_bounds([-1.3, 1.3])
        .paint(|context| {
            let rule = colour(app.theme.rule());
            context.draw(&Ring { x: 0.0, y: 0.0, radius: 1.0, color: rule });
            if let (Ok([x, y]), Ok(radius)) = (measured.found.centre, measured.found.rest_radius) {
                let color = colour(app.theme.doubtful());
                let (x, y, radius) = (f64::from(x), -f64::from(y), f64::from(radius));
                context.draw(&Ring { x, y, radius, color });
            }
            context.layer();
            context.draw(&Points { coords: &points, color: colour(app.theme.signal()) });
        })
        .render(area, buffer);
}
