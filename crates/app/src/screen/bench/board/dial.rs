//! A stick as a dial: what is reported, what is left of it after shaping, the dead
//! zone, and the way of the last ticks.

use crate::screen::App;
use crate::screen::bench::stick::zones;
use crate::screen::draw::ring::Ring;
use gtrig_core::{ActionId, BoundInput, Tick};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::{Color, Style},
    symbols::Marker,
    widgets::{
        Widget,
        canvas::{Canvas, Context, Points},
    },
};

/// How many ticks of the past are drawn.
const TRAIL: u32 = 20;

/// The stick of an action that a dial shows: the one that drives it, or else the first.
pub(super) fn stick_of(inputs: &[BoundInput], winner: Option<usize>) -> Option<BoundInput> {
    let is_stick = |input: &&BoundInput| matches!(input, BoundInput::Stick { .. });
    let winner = winner.and_then(|at| inputs.get(at)).filter(is_stick);
    winner.or_else(|| inputs.iter().find(is_stick)).copied()
}

pub(super) fn draw(
    buffer: &mut Buffer,
    area: Rect,
    app: &App,
    (action, stick): (ActionId, BoundInput),
) {
    let BoundInput::Stick { x, y, .. } = stick else { return };
    let (session, theme) = (app.session(), app.theme);
    let (history, chain) = (session.history(), session.plan().chain_of(stick));
    let tick = app.tick();
    let first = tick.0.saturating_sub(TRAIL).max(history.begins().0);
    let reported = |tick: Tick| {
        let value = |control| history.control_lane(control).value_at(tick);
        chain.turned([value(x), value(y)])
    };
    let trail: Vec<(f64, f64)> = (first..tick.0).map(Tick).map(reported).map(point).collect();
    let here = point(reported(tick));
    let out = point(history.action_vector(session.plan(), action, tick));
    let is_active = app.machine().action(action).is_active();
    Canvas::default()
        .marker(Marker::Braille)
        .x_bounds([-1.2, 1.2])
        .y_bounds([-1.2, 1.2])
        .paint(|context| {
            circle(context, (0.0, 0.0), 1.0, theme.rule());
            let zone = colour(theme.doubtful());
            chain.stages().iter().for_each(|stage| zones(context, stage, false, zone));
            context.draw(&Points { coords: &trail, color: colour(theme.faint()) });
            context.layer();
            circle(context, here, 0.12, theme.signal());
            context.layer();
            if is_active {
                circle(context, out, 0.2, theme.fired());
            }
        })
        .render(area, buffer);
}

fn point([x, y]: [f32; 2]) -> (f64, f64) {
    (x.into(), y.into())
}

fn colour(style: Style) -> Color {
    style.fg.unwrap_or(Color::Reset)
}

fn circle(context: &mut Context, (x, y): (f64, f64), radius: f64, style: Style) {
    context.draw(&Ring { x, y, radius, color: colour(style) });
}
