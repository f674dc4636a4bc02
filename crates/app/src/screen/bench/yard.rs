//! The yard: the crane of Kestrel Quay from above, moved by the actions; beside
//! it the same crane moved with one of the usual mistakes.
//!
//! ```text
//!   the right way             speed per frame               right     mistake
//!      ╲ ship                    ship  ╱              slew    93.2°     141.0°
//!       ╲▪···                    ···▪╱                        +8.1/s   +16.2/s
//!  ──────┼───────────        ──────┼──────────                …
//! ```

use super::tune;
use super::{Bench, Entry};
use crate::screen::App;
use crate::screen::draw::{paint, ring::Ring};
use crate::screen::keymap::Command;
use gtrig_analysis::motion::Crane;
use gtrig_core::{CranePart, Keyword};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::{Color, Style},
    symbols::Marker,
    text::Span,
    widgets::{
        Widget,
        canvas::{Canvas, Context, Line, Points, Rectangle},
    },
};

/// How many ticks of the past the trails show.
const TRAIL: u32 = 180;

/// What is in view, in metres around the tower.
const X: [f64; 2] = [-42.0, 42.0];
const Y: [f64; 2] = [-12.0, 42.0];

/// Columns of a scene for each of its rows: a cell is twice as tall as wide.
const COLUMNS_PER_ROW: f64 = 2.0 * (X[1] - X[0]) / (Y[1] - Y[0]);

/// Columns of the words at the right; scenes take what is left.
const WORDS: u16 = 58;

/// What there is to know of it.
pub(crate) const ENTRY: Entry = Entry {
    bench: Bench::Yard,
    key: "8",
    name: "yard",
    help: "bench: the yard, a crane that the actions move",
    keys: &[Command::Mistake(1), Command::Mistake(-1)],
    draw,
    numbers: Some(|_, rig| {
        rig.knobs().into_iter().filter(|knob| knob.place.is_in("yard")).collect()
    }),
    advance: App::move_yard,
    ..Entry::PLAIN
};

fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    if app.session().rig().yard.is_empty() {
        let text = "the rig has no [yard]: docs/rig-format.md says how actions move the crane";
        paint::text(buffer, area, area.x + 2, text, app.theme.faint());
        return;
    }
    let [right, wrong] = app.cranes(TRAIL);
    let rows = area.height.saturating_sub(1);
    let width = (f64::from(rows) * COLUMNS_PER_ROW) as u16;
    let width = width.min(area.width.saturating_sub(WORDS) / 2).max(20);
    let scene = Rect { width, ..area }.intersection(area);
    let theme = app.theme;
    paint::text(buffer, scene, scene.x + 2, "the right way", theme.strong());
    draw_scene(buffer, scene, app, &right, theme.signal());
    let beside = Rect { x: scene.right() + 2, ..scene }.intersection(area);
    let mistake = app.yard.mistake();
    let title = format!("mistake: {}", mistake.words());
    paint::text(buffer, beside, beside.x + 2, &title, theme.doubtful());
    if beside.width == width && beside.right() <= area.right() {
        draw_scene(buffer, beside, app, &wrong, theme.doubtful());
    }
    let left = (scene.right() + 2 + width + 2).min(area.right());
    let words = Rect { x: left, width: area.right() - left, ..area };
    let mut rows = paint::rows(words);
    readings(buffer, &mut rows, app, right.last(), wrong.last());
    if let Some(row) = rows.next() {
        paint::text(buffer, row, row.x + 2, mistake.meaning(), theme.faint());
    }
    if let Some(row) = rows.next() {
        tune::head(buffer, row, app, "numbers");
    }
    tune::list(buffer, &rows.collect::<Vec<_>>(), app, |knob| (knob.label(), ""));
}

fn draw_scene(buffer: &mut Buffer, area: Rect, app: &App, past: &[Crane], style: Style) {
    let area = Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area };
    let Some(crane) = past.last() else {
        paint::text(buffer, area, area.x + 2, "running the history …", app.theme.faint());
        return;
    };
    let colour = |style: Style| style.fg.unwrap_or(Color::Reset);
    let (rule, boom) = (colour(app.theme.rule()), colour(app.theme.plain()));
    let trail: Vec<(f64, f64)> = past.iter().map(|crane| place(crane.hook())).collect();
    let hook = if crane.is_gripping { colour(app.theme.fired()) } else { boom };
    Canvas::default()
        .marker(Marker::Braille)
        .x_bounds(X)
        .y_bounds(Y)
        .paint(|context| {
            quay(context, rule);
            context.print(X[0] + 1.0, 38.0, Span::styled("ship", app.theme.faint()));
            context.print(X[0] + 1.0, 1.0, Span::styled("quay", app.theme.faint()));
            context.layer();
            view(context, crane, colour(app.theme.faint()));
            context.layer();
            context.draw(&Points { coords: &trail, color: colour(style) });
            context.layer();
            draw_crane(context, crane, boom, hook);
        })
        .render(area, buffer);
}

fn place([x, y]: [f32; 2]) -> (f64, f64) {
    (f64::from(x), f64::from(y))
}

/// The edge of the quay, the rails on it, and a ship with its bays.
fn quay(context: &mut Context, color: Color) {
    for y in [-8.0, -3.0, 5.0] {
        context.draw(&Line { x1: X[0], y1: y, x2: X[1], y2: y, color });
    }
    for bay in 0..6 {
        for row in 0..2 {
            let (x, y) = (-32.0 + 11.0 * f64::from(bay), 11.0 + 13.0 * f64::from(row));
            context.draw(&Rectangle { x, y, width: 9.0, height: 11.0, color });
        }
    }
}

/// The boom with its counterweight, the trolley, and the hook at it: the higher
/// it hangs, the nearer it looks.
fn draw_crane(context: &mut Context, crane: &Crane, color: Color, hook: Color) {
    let [slew, _, hoist, _] = crane.at;
    let along = |r: f64| {
        let angle = f64::from(slew.to_radians());
        (r * angle.sin(), r * angle.cos())
    };
    let ((x1, y1), (x2, y2)) = (along(-8.0), along(41.0));
    context.draw(&Line { x1, y1, x2, y2, color });
    context.draw(&Ring { x: 0.0, y: 0.0, radius: 2.5, color });
    context.layer();
    let (x, y) = place(crane.hook());
    let radius = 1.2 + f64::from(hoist) / 15.0;
    context.draw(&Ring { x, y, radius, color: hook });
    if crane.is_gripping {
        context.draw(&Ring { x, y, radius: radius / 2.0, color: hook });
    }
}

/// What the cab's camera sees.
fn view(context: &mut Context, crane: &Crane, color: Color) {
    let [slew, _, _, view] = crane.at;
    for side in [-24.0, 24.0] {
        let angle = f64::from(slew + view + side).to_radians();
        let (x2, y2) = (16.0 * angle.sin(), 16.0 * angle.cos());
        context.draw(&Line { x1: 0.0, y1: 0.0, x2, y2, color });
    }
}

/// Places and speeds of both cranes, and how far their hooks are apart.
fn readings(
    buffer: &mut Buffer,
    rows: &mut impl Iterator<Item = Rect>,
    app: &App,
    right: Option<&Crane>,
    wrong: Option<&Crane>,
) {
    let theme = app.theme;
    let Some(row) = rows.next() else { return };
    paint::text(buffer, row, row.x + 12, "the right way", theme.signal());
    paint::text(buffer, row, row.x + 33, "with the mistake", theme.doubtful());
    let mut say = |name: &str, words: [String; 2], style: [Style; 2]| {
        let Some(row) = rows.next() else { return };
        paint::text(buffer, row, row.x + 2, name, theme.faint());
        paint::text(buffer, row, row.x + 12, &words[0], style[0]);
        paint::text(buffer, row, row.x + 33, &words[1], style[1]);
    };
    let plain = [theme.plain(), theme.plain()];
    for (n, part) in CranePart::ALL.iter().copied().enumerate() {
        let words = [right, wrong].map(|crane| {
            let Some(Crane { at, velocity, .. }) = crane else { return "…".to_owned() };
            let unit = part.unit();
            format!("{:>6.1} {unit:<2} {:>+6.1} {unit}/s", at[n], velocity[n])
        });
        say(part.word(), words, plain);
    }
    let speeds = [right, wrong].map(|crane| {
        crane.map_or("…".to_owned(), |crane| format!("{:>6.2} m/s", crane.hook_speed()))
    });
    say("hook", speeds, [theme.strong(), theme.strong()]);
    let grips = [right, wrong].map(|crane| match crane {
        Some(Crane { is_gripping: true, .. }) => "closed".to_owned(),
        Some(_) => "open".to_owned(),
        None => "…".to_owned(),
    });
    say("grip", grips, plain);
    if let (Some(right), Some(wrong)) = (right, wrong) {
        let ([x, y], [wrong_x, wrong_y]) = (right.hook(), wrong.hook());
        let apart = (x - wrong_x).hypot(y - wrong_y);
        let words = [
            format!("hooks {apart:.1} m apart"),
            format!("{}: next mistake", app.key_of(Command::Mistake(1))),
        ];
        say("", words, [theme.wire(), theme.faint()]);
    }
}
