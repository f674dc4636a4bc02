//! A touch panel in a few cells: the fingers on it, their way of the last ticks, and the
//! zones that have one.

use crate::screen::App;
use crate::screen::draw::ring::Ring;
use gtrig_core::{ActionId, BoundInput, Contact, ContactId, Outline, Tick, Zone, ZoneId};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::Color,
    symbols::Marker,
    widgets::{
        Widget,
        canvas::{Canvas, Context, Points, Rectangle},
    },
};

/// How many ticks of the past are drawn.
const TRAIL: u32 = 20;

/// The action beside which the panel is drawn: the first that reads one.
pub(super) fn action_of(app: &App) -> Option<ActionId> {
    let plan = app.session().plan();
    let reads = |input: &BoundInput| {
        matches!(
            input,
            BoundInput::Zone { .. } | BoundInput::Place { .. } | BoundInput::Gesture { .. }
        )
    };
    let has_panel = !plan.contacts().is_empty();
    app.actions().find(|&id| has_panel && plan.inputs(id).iter().any(reads))
}

/// The contacts of the panel that is touched, or else of the first.
fn contacts(app: &App) -> impl Iterator<Item = (usize, &Contact)> {
    let contacts = app.session().plan().contacts();
    let is_down = |contact: &&Contact| app.machine().control(contact.down).is_down();
    let panel = contacts.iter().find(is_down).or(contacts.first()).map(|contact| contact.panel);
    contacts.iter().enumerate().filter(move |(_, contact)| Some(contact.panel) == panel)
}

/// How many fingers are on it, in few letters.
pub(super) fn fingers_in_words(app: &App) -> String {
    let down = contacts(app).filter(|(_, of)| app.machine().control(of.down).is_down()).count();
    if down == 0 { "none".to_owned() } else { format!("{down} down") }
}

pub(super) fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    let theme = app.theme;
    let history = app.session().history();
    let tick = app.tick();
    let first = tick.0.saturating_sub(TRAIL).max(history.begins().0);
    let value = |control, tick| history.control_lane(control).value_at(tick);
    let place = |contact: &Contact, tick| {
        let [x, y] = contact.place([value(contact.x, tick), value(contact.y, tick)]);
        (f64::from(x), 1.0 - f64::from(y))
    };
    let mut fingers = Vec::new();
    let mut trail = Vec::new();
    for (_, contact) in contacts(app) {
        let is_down = |tick: &Tick| value(contact.down, *tick) != 0.0;
        let past = (first..tick.0).map(Tick).filter(is_down);
        trail.extend(past.map(|tick| place(contact, tick)));
        fingers.extend(Some(tick).filter(is_down).map(|tick| place(contact, tick)));
    }
    let touched: Vec<&Zone> = {
        let zones = app.session().plan().zones().on_panel().iter().enumerate();
        let has_one = |n: usize| {
            contacts(app)
                .any(|(contact, _)| app.machine().zone_has(ZoneId::at(n), ContactId::at(contact)))
        };
        zones.filter(|(n, _)| has_one(*n)).map(|(_, zone)| zone).collect()
    };
    let colour = |style: ratatui::style::Style| style.fg.unwrap_or(Color::Reset);
    Canvas::default()
        .marker(Marker::Braille)
        .x_bounds([-0.05, 1.05])
        .y_bounds([-0.05, 1.05])
        .paint(|context| {
            let color = colour(theme.rule());
            context.draw(&Rectangle { x: 0.0, y: 0.0, width: 1.0, height: 1.0, color });
            touched.iter().for_each(|zone| outline(context, zone, colour(theme.fired())));
            context.draw(&Points { coords: &trail, color: colour(theme.faint()) });
            context.layer();
            for &(x, y) in &fingers {
                context.draw(&Ring { x, y, radius: 0.07, color: colour(theme.signal()) });
            }
        })
        .render(area, buffer);
}

/// A zone in its box: at this size its shape says no more.
fn outline(context: &mut Context, zone: &Zone, color: Color) {
    let [left, top, right, bottom] = match &zone.outline {
        Outline::Rect { at: [x, y], size: [width, height] } => [*x, *y, x + width, y + height],
        Outline::Circle { centre: [x, y], radius } => {
            [x - radius, y - radius, x + radius, y + radius]
        }
        Outline::Polygon(corners) => corners.iter().fold(
            [1.0, 1.0, 0.0, 0.0],
            |[left, top, right, bottom]: [f32; 4], [x, y]| {
                [left.min(*x), top.min(*y), right.max(*x), bottom.max(*y)]
            },
        ),
    };
    let (x, y) = (f64::from(left), 1.0 - f64::from(bottom));
    let (width, height) = (f64::from(right - left), f64::from(bottom - top));
    context.draw(&Rectangle { x, y, width, height, color });
}
