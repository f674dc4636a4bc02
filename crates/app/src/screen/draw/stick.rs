//! The stick bench: one stick, axis or trigger, as reported and shaped, its
//! curve, how fast each direction is, the value after each stage, and its
//! numbers.

use super::{paint, tune};
use crate::screen::{App, Theme};
use gtrig_core::{
    ActionId, ControlId, Gives, Input, Tick,
    shape::{self, Stage, ZoneKind},
};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::Color,
    symbols::Marker,
    widgets::{
        Widget,
        canvas::{Canvas, Circle, Context, Line, Points, Rectangle},
    },
};

/// How many ticks of the past the trails show.
const TRAIL: u32 = 45;

/// Columns of the words at the right; plots take what is left.
const WORDS: u16 = 50;

/// A plot narrower than this shows nothing.
const LEAST_SIDE: u16 = 20;

pub(super) fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    let Some((action, nth, input)) = app.subject() else {
        let text = "the rig shapes nothing that is connected: no stick, axis or trigger";
        paint::text(buffer, area, area.x + 2, text, app.theme.faint());
        return;
    };
    let bench = Stick { app, action, nth, input };
    // Directions mean nothing to a single axis.
    let most = if bench.axes().1.is_some() { 4 } else { 3 };
    // A cell is twice as tall as wide.
    let tallest = area.height.saturating_sub(1) * 2;
    let room = area.width.saturating_sub(WORDS);
    let side = tallest.min((room / most).saturating_sub(2).max(LEAST_SIDE));
    let plots = (room / (side + 2)).min(most);
    let mut left = Rect { width: side, height: area.height.min(side / 2 + 1), ..area };
    for plot in 0..plots {
        match plot {
            0 => bench.reported(buffer, left),
            1 => bench.shaped(buffer, left),
            2 => bench.curve(buffer, left),
            _ => bench.by_direction(buffer, left),
        }
        left.x += side + 2;
    }
    let words = Rect { x: left.x, width: area.right().saturating_sub(left.x), ..area };
    bench.words(buffer, words);
}

struct Stick<'a> {
    app: &'a App,
    action: ActionId,
    nth: usize,
    input: Input,
}

impl Stick<'_> {
    fn theme(&self) -> Theme {
        self.app.theme
    }

    fn colour(&self, style: ratatui::style::Style) -> Color {
        style.fg.unwrap_or(Color::Reset)
    }

    fn axes(&self) -> (ControlId, Option<ControlId>) {
        match self.input {
            Input::Stick { x, y, .. } | Input::Pointer { x, y, .. } => (x, Some(y)),
            Input::Axis { control, .. } | Input::Button { control, .. } => (control, None),
            Input::Pair(_) | Input::Cross { .. } => (ControlId(0), None),
        }
    }

    fn stages(&self) -> &[Stage] {
        match self.input {
            Input::Axis { shape, .. }
            | Input::Stick { shape, .. }
            | Input::Pointer { shape, .. } => self.app.session.plan().stages(shape),
            Input::Button { .. } | Input::Pair(_) | Input::Cross { .. } => &[],
        }
    }

    /// What comes of a value after all stages that do not remember, held as the
    /// action holds it.
    fn response(&self, v: [f32; 2]) -> [f32; 2] {
        let out = shape::without_memory(self.stages(), v);
        let spec = &self.app.session.rig().actions[self.action.index()];
        if spec.clamp { shape::clamp_to_circle(out) } else { out }
    }

    fn title(&self, buffer: &mut Buffer, area: Rect, title: &str) -> Rect {
        paint::text(buffer, area, area.x, title, self.theme().faint());
        Rect { y: area.y + 1, height: area.height.saturating_sub(1), ..area }
    }

    /// A square plot from -1 to 1, a little more around it.
    fn square(&self, buffer: &mut Buffer, area: Rect, paint: impl Fn(&mut Context)) {
        Canvas::default()
            .marker(Marker::Braille)
            .x_bounds([-1.15, 1.15])
            .y_bounds([-1.15, 1.15])
            .paint(paint)
            .render(area, buffer);
    }

    fn frame(&self, context: &mut Context) {
        let rule = self.colour(self.theme().rule());
        context.draw(&Circle { x: 0.0, y: 0.0, radius: 1.0, color: rule });
        context.draw(&Line { x1: -0.06, y1: 0.0, x2: 0.06, y2: 0.0, color: rule });
        context.draw(&Line { x1: 0.0, y1: -0.06, x2: 0.0, y2: 0.06, color: rule });
    }

    /// The path of the last ticks, thinner the older it is, and where it ends.
    fn trail(&self, context: &mut Context, points: &[[f32; 2]], colour: Color) {
        let coords: Vec<(f64, f64)> =
            points.iter().map(|&[x, y]| (f64::from(x), f64::from(y))).collect();
        let fresh = coords.len().saturating_sub(TRAIL as usize / 3);
        let old: Vec<(f64, f64)> = coords[..fresh].iter().copied().step_by(2).collect();
        context.draw(&Points { coords: &old, color: self.colour(self.theme().faint()) });
        context.draw(&Points { coords: &coords[fresh..], color: colour });
        context.layer();
        if let Some(&(x, y)) = coords.last() {
            context.draw(&Circle { x, y, radius: 0.05, color: colour });
            context.draw(&Circle { x, y, radius: 0.02, color: colour });
        }
    }

    fn past(&self) -> impl Iterator<Item = Tick> + use<> {
        let tick = self.app.tick().0;
        let first = self.app.session.history().begins().0;
        (tick.saturating_sub(TRAIL).max(first)..=tick).map(Tick)
    }

    /// Values of the two axes over the last ticks, up positive as the stages
    /// that only turn signs make it.
    fn raw(&self, (x, y): (ControlId, Option<ControlId>)) -> Vec<[f32; 2]> {
        let history = self.app.session.history();
        let value = |id: ControlId, tick| history.control_lane(id).value_at(tick);
        let turned = |v: [f32; 2]| {
            self.stages().iter().fold(v, |v, stage| match stage {
                Stage::Invert { .. } | Stage::Swap => {
                    shape::without_memory(std::slice::from_ref(stage), v)
                }
                _ => v,
            })
        };
        self.past()
            .map(|tick| turned([value(x, tick), y.map_or(0.0, |y| value(y, tick))]))
            .collect()
    }

    /// The stick as reported, with its zones; the same stick of other devices
    /// laid under it.
    fn reported(&self, buffer: &mut Buffer, area: Rect) {
        let label = self.app.session.roster().label(self.axes().0).to_string();
        let area = self.title(buffer, area, &format!("{} reported", label.trim_end_matches("-x")));
        let signal = self.colour(self.theme().signal());
        let zone = self.colour(self.theme().doubtful());
        let faint = self.colour(self.theme().faint());
        let own = self.raw(self.axes());
        let others: Vec<[f32; 2]> =
            self.others().map(|axes| self.raw(axes)).filter_map(|mut path| path.pop()).collect();
        self.square(buffer, area, |context| {
            self.frame(context);
            for stage in self.stages() {
                zones(context, stage, zone);
            }
            for &[x, y] in &others {
                let (x, y) = (f64::from(x), f64::from(y));
                context.draw(&Circle { x, y, radius: 0.07, color: faint });
            }
            self.trail(context, &own, signal);
        });
    }

    /// The other sticks that feed the action.
    fn others(&self) -> impl Iterator<Item = (ControlId, Option<ControlId>)> {
        let inputs = self.app.session.plan().inputs(self.action).iter().enumerate();
        inputs.filter_map(|(nth, input)| match input {
            Input::Stick { x, y, .. } if nth != self.nth => Some((*x, Some(*y))),
            _ => None,
        })
    }

    /// What the action makes of it.
    fn shaped(&self, buffer: &mut Buffer, area: Rect) {
        let name = &self.app.session.rig().actions[self.action.index()].name;
        let area = self.title(buffer, area, &format!("▷ {name} shaped"));
        let [x, y] = self.app.session.history().action_lanes(self.action);
        let place = |tick| match self.app.session.plan().gives(self.action) {
            Gives::Polar => {
                let (angle, r) = (x.value_at(tick).to_radians(), y.value_at(tick));
                [r * angle.cos(), r * angle.sin()]
            }
            _ => [x.value_at(tick), y.value_at(tick)],
        };
        let points: Vec<[f32; 2]> = self.past().map(place).collect();
        let is_active = self.app.machine().action(self.action).is_active();
        let theme = self.theme();
        let colour = self.colour(if is_active { theme.fired() } else { theme.faint() });
        self.square(buffer, area, |context| {
            self.frame(context);
            self.trail(context, &points, colour);
        });
    }

    /// How much output a deflection to the right gives, and where on that the
    /// hand is now.
    fn curve(&self, buffer: &mut Buffer, area: Rect) {
        let m = shape::length(*self.raw(self.axes()).last().unwrap_or(&[0.0; 2])).min(1.0);
        let out = |m: f32| shape::length(self.response([m, 0.0]));
        let slope = (out((m + 0.005).min(1.0)) - out((m - 0.005).max(0.0))) / 0.01;
        let area = self.title(buffer, area, &format!("{m:.2} → {:.2} slope {slope:.2}", out(m)));
        let (rule, wire) = (self.colour(self.theme().rule()), self.colour(self.theme().wire()));
        let line: Vec<(f64, f64)> = (0..=200)
            .map(|n| n as f32 / 200.0)
            .map(|m| (f64::from(m), f64::from(out(m))))
            .collect();
        Canvas::default()
            .marker(Marker::Braille)
            .x_bounds([-0.05, 1.1])
            .y_bounds([-0.05, 1.1])
            .paint(|context| {
                let rim = Rectangle { x: 0.0, y: 0.0, width: 1.0, height: 1.0, color: rule };
                context.draw(&rim);
                context.draw(&Line { x1: 0.0, y1: 0.0, x2: 1.0, y2: 1.0, color: rule });
                context.layer();
                context.draw(&Points { coords: &line, color: self.colour(self.theme().signal()) });
                context.layer();
                let here = Circle { x: m.into(), y: out(m).into(), radius: 0.03, color: wire };
                context.draw(&here);
            })
            .render(area, buffer);
    }

    /// How long the output is at full deflection in every direction: of a stick
    /// that travels in a circle, and of one that travels in a square.
    fn by_direction(&self, buffer: &mut Buffer, area: Rect) {
        let round = |angle: f32| [angle.cos(), angle.sin()];
        let square = |angle: f32| {
            let [x, y] = round(angle);
            let reach = x.abs().max(y.abs());
            [x / reach, y / reach]
        };
        let speed = |v: [f32; 2]| shape::length(self.response(v));
        let eighth = std::f32::consts::FRAC_PI_4;
        let ratio =
            |travel: &dyn Fn(f32) -> [f32; 2]| speed(travel(eighth)) / speed(travel(0.0)).max(1e-6);
        let title = format!("diag ×{:.2} square ×{:.2}", ratio(&round), ratio(&square));
        let area = self.title(buffer, area, &title);
        let ring = |travel: &dyn Fn(f32) -> [f32; 2]| -> Vec<(f64, f64)> {
            let angles = (0..144).map(|n| n as f32 / 144.0 * std::f32::consts::TAU);
            let place = |angle: f32| {
                let r = speed(travel(angle));
                (f64::from(r * angle.cos()), f64::from(r * angle.sin()))
            };
            angles.map(place).collect()
        };
        let (round, square) = (ring(&round), ring(&square));
        let theme = self.theme();
        Canvas::default()
            .marker(Marker::Braille)
            .x_bounds([-1.5, 1.5])
            .y_bounds([-1.5, 1.5])
            .paint(|context| {
                self.frame(context);
                let doubtful = self.colour(theme.doubtful());
                context.draw(&Points { coords: &square, color: doubtful });
                context.layer();
                context.draw(&Points { coords: &round, color: self.colour(theme.signal()) });
            })
            .render(area, buffer);
    }

    /// The value after each stage, then the numbers.
    fn words(&self, buffer: &mut Buffer, area: Rect) {
        let theme = self.theme();
        let values = self.app.machine().stages(self.app.session.plan(), self.input);
        let names = std::iter::once("own scale").chain(self.stages().iter().map(Stage::name));
        let mut rows = paint::rows(area);
        let is_single = self.axes().1.is_none();
        // Half of the room is for the numbers.
        let most = usize::from(area.height / 2).max(2);
        for ((n, (name, value)), row) in names.zip(&values).enumerate().take(most).zip(&mut rows) {
            let number = if n == 0 { " ".to_owned() } else { n.to_string() };
            let [x, y] = value;
            let text = match is_single {
                true => format!("  {number} {name:<12} {x:+.3}"),
                false => {
                    format!("  {number} {name:<12} {x:+.3} {y:+.3}  {:.3}", shape::length(*value))
                }
            };
            let style = if n + 1 == values.len() { theme.wire() } else { theme.plain() };
            paint::text(buffer, row, row.x, &text, style);
        }
        if let Some(row) = rows.next() {
            tune::head(buffer, row, self.app, "numbers");
        }
        tune::list(buffer, &rows.collect::<Vec<_>>(), self.app, |knob| (knob.label(), ""));
    }
}

/// Zones and gates to scale.
fn zones(context: &mut Context, stage: &Stage, color: Color) {
    let Stage::DeadZone(zone) = stage else { return };
    let inner = f64::from(zone.inner);
    match zone.kind {
        ZoneKind::Radius | ZoneKind::Cut => {
            context.draw(&Circle { x: 0.0, y: 0.0, radius: inner, color });
            if zone.outer < 1.0 {
                let radius = f64::from(zone.outer);
                context.draw(&Circle { x: 0.0, y: 0.0, radius, color });
            }
        }
        ZoneKind::Axes | ZoneKind::Sloped => {
            let slope = if zone.kind == ZoneKind::Sloped { f64::from(zone.slope) } else { 0.0 };
            let rim = inner + slope;
            for side in [-1.0, 1.0] {
                for end in [-1.0, 1.0] {
                    context.draw(&Line {
                        x1: 0.0,
                        y1: side * inner,
                        x2: end,
                        y2: side * rim,
                        color,
                    });
                    context.draw(&Line {
                        x1: side * inner,
                        y1: 0.0,
                        x2: side * rim,
                        y2: end,
                        color,
                    });
                }
            }
        }
    }
}
