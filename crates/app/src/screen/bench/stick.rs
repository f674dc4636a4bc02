//! The stick bench: one stick, axis or trigger, as reported and shaped, its
//! curve, how fast each direction is, the value after each stage, and its
//! numbers.

use super::tune;
use super::{Bench, Entry};
use crate::figure::{self, StickSheet};
use crate::screen::draw::{paint, ring::Ring};
use crate::screen::keymap::Command;
use crate::screen::{App, Theme};
use gtrig_core::{
    ActionId, Axes, BoundInput, Chain, ControlId, DeadZoneBorder, Response, Rim, Stage, StickGate,
    Tick, length,
};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::Color,
    symbols::Marker,
    widgets::{
        Widget,
        canvas::{Canvas, Context, Line, Points, Rectangle},
    },
};
use unicode_width::UnicodeWidthStr;

/// How many ticks of the past the trails show.
const TRAIL: u32 = 45;

/// Columns of the words at the right; plots take what is left.
const WORDS: u16 = 50;

/// A plot narrower than this shows nothing.
const LEAST_SIDE: u16 = 20;

/// What there is to know of it.
pub(crate) const ENTRY: Entry = Entry {
    bench: Bench::Stick,
    key: "5",
    name: "stick",
    help: "bench: a stick, its zones and curve, and its numbers",
    keys: &[Command::Lay, Command::Propose, Command::Before, Command::Difference(1)],
    draw,
    numbers: Some(App::numbers_of_subject),
    figure: |app, excerpt| {
        let Some((action, _, input)) = app.subject() else {
            return (Entry::PLAIN.figure)(app, excerpt);
        };
        let rate = app.session().plan().rate();
        let ticks = (rate.tick_seeing(excerpt.from), rate.tick_at(excerpt.to));
        let of = (action, input);
        Ok(figure::stick(&StickSheet::of_input(excerpt.title, app.session(), of, ticks)))
    },
    ..Entry::PLAIN
};

fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    let Some((action, nth, input)) = app.subject() else {
        let text = "the rig shapes nothing that is connected: no stick, axis or trigger";
        paint::text(buffer, area, area.x + 2, text, app.theme.faint());
        return;
    };
    let bench = Stick { app, action, nth, input };
    // Directions mean nothing to a single axis.
    let most = if bench.is_single() { 3 } else { 4 };
    let room = area.width.saturating_sub(WORDS);
    let (columns, side) = arranged(most, room, area.height);
    for plot in 0..most {
        let (x, y) = (plot % columns * (side + 2), plot / columns * (side / 2 + 1));
        let place = Rect { x: area.x + x, y: area.y + y, width: side, height: side / 2 + 1 };
        let place = place.intersection(area);
        match plot {
            // Half a plot says nothing.
            _ if x + side > room || place.height < 2 => {}
            0 => bench.reported(buffer, place),
            1 => bench.shaped(buffer, place),
            2 => bench.curve(buffer, place),
            _ => bench.by_direction(buffer, place),
        }
    }
    let left = (columns * (side + 2)).min(room / (side + 2).max(1) * (side + 2)).min(area.width);
    bench.words(buffer, Rect { x: area.x + left, width: area.width - left, ..area });
}

/// In how many columns so many square plots are largest, and how wide each is then. A
/// cell is twice as tall as wide, and each plot has a title above it.
fn arranged(plots: u16, width: u16, height: u16) -> (u16, u16) {
    let side = |columns: u16| {
        let tallest = (height / plots.div_ceil(columns)).saturating_sub(1) * 2;
        tallest.min((width / columns).saturating_sub(2))
    };
    let best = (1..=plots).rev().max_by_key(|&columns| (side(columns), columns));
    let columns = best.unwrap_or(plots);
    match side(columns) {
        // Rather fewer of them, but legible.
        small if small < LEAST_SIDE => (plots, LEAST_SIDE.min(height.saturating_sub(1) * 2)),
        side => (columns, side),
    }
}

struct Stick<'a> {
    app: &'a App,
    action: ActionId,
    nth: usize,
    input: BoundInput,
}

impl Stick<'_> {
    fn theme(&self) -> Theme {
        self.app.theme
    }

    fn colour(&self, style: ratatui::style::Style) -> Color {
        style.fg.unwrap_or(Color::Reset)
    }

    fn axes(&self) -> Axes {
        self.input.axes().unwrap_or(Axes::single(ControlId(0)))
    }

    fn chain(&self) -> &Chain {
        self.app.session().plan().chain_of(self.input)
    }

    fn stages(&self) -> &[Stage] {
        self.chain().stages()
    }

    /// What the action makes of a hand that holds still.
    fn response(&self) -> Response<'_> {
        let clamp = self.app.session().rig().actions[self.action.index()].clamp;
        Response { chain: self.chain(), clamp }
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

    fn is_single(&self) -> bool {
        self.axes().is_single()
    }

    /// The reach of a stick; of a single axis its ends and its rest, over time.
    fn frame(&self, context: &mut Context) {
        let rule = self.colour(self.theme().rule());
        if self.is_single() {
            for x in [-1.0, 0.0, 1.0] {
                context.draw(&Line { x1: x, y1: -1.0, x2: x, y2: 1.0, color: rule });
            }
            return;
        }
        context.draw(&Ring { x: 0.0, y: 0.0, radius: 1.0, color: rule });
        context.draw(&Line { x1: -0.06, y1: 0.0, x2: 0.06, y2: 0.0, color: rule });
        context.draw(&Line { x1: 0.0, y1: -0.06, x2: 0.0, y2: 0.06, color: rule });
    }

    /// The path of the last ticks, thinner the older it is, and where it ends. A
    /// single axis leaves it behind as on paper: what is older is further down.
    fn trail(&self, context: &mut Context, points: &[[f32; 2]], colour: Color) {
        let age = |n: usize| (points.len() - 1 - n) as f64 / f64::from(TRAIL);
        let place = |(n, &[x, y]): (usize, &[f32; 2])| match self.is_single() {
            true => (f64::from(x), 0.95 - 1.9 * age(n)),
            false => (f64::from(x), f64::from(y)),
        };
        let coords: Vec<(f64, f64)> = points.iter().enumerate().map(place).collect();
        let fresh = coords.len().saturating_sub(TRAIL as usize / 3);
        let old: Vec<(f64, f64)> = coords[..fresh].iter().copied().step_by(2).collect();
        // All in one layer, so that what lies below shows through.
        context.draw(&Points { coords: &old, color: self.colour(self.theme().faint()) });
        context.draw(&Points { coords: &coords[fresh..], color: colour });
        if let Some(&(x, y)) = coords.last() {
            context.draw(&Ring { x, y, radius: 0.05, color: colour });
            context.draw(&Ring { x, y, radius: 0.02, color: colour });
        }
    }

    fn past(&self) -> impl Iterator<Item = Tick> + use<> {
        let tick = self.app.tick().0;
        let first = self.app.session().history().begins().0;
        (tick.saturating_sub(TRAIL).max(first)..=tick).map(Tick)
    }

    /// Values of the two axes over the last ticks, up positive as the stages
    /// that only turn signs make it.
    fn raw(&self, Axes { x, y }: Axes) -> Vec<[f32; 2]> {
        let (history, chain) = (self.app.session().history(), self.chain());
        let value = |id: ControlId, tick| history.control_lane(id).value_at(tick);
        self.past()
            .map(|tick| chain.turned([value(x, tick), y.map_or(0.0, |y| value(y, tick))]))
            .collect()
    }

    /// The stick as reported, with its zones or thresholds; the one that is laid
    /// over it, and where the others of the action are.
    fn reported(&self, buffer: &mut Buffer, area: Rect) {
        let name = self.app.session().roster().axes_label(self.axes());
        let own = self.raw(self.axes());
        let laid = self.app.laid_over().map(|axes| self.raw(axes));
        let title = match self.app.laid_over() {
            Some(axes) => {
                format!("reported ◌ {}", self.app.session().roster().axes_label(axes))
            }
            None => {
                let whole = format!("{name} reported");
                if whole.width() <= area.width.into() {
                    whole
                } else {
                    paint::cut_name(&name, area.width).into_owned()
                }
            }
        };
        let area = self.title(buffer, area, &title);
        let theme = self.theme();
        let (signal, zone) = (self.colour(theme.signal()), self.colour(theme.doubtful()));
        let (faint, wire) = (self.colour(theme.faint()), self.colour(theme.wire()));
        let others: Vec<[f32; 2]> =
            self.others().map(|axes| self.raw(axes)).filter_map(|mut path| path.pop()).collect();
        self.square(buffer, area, |context| {
            self.frame(context);
            for stage in self.stages() {
                zones(context, stage, self.is_single(), zone);
            }
            for x in self.thresholds().into_iter().flatten().map(f64::from) {
                context.draw(&Line { x1: x, y1: -1.0, x2: x, y2: 1.0, color: zone });
            }
            for &[x, y] in &others {
                let (x, y) = (f64::from(x), f64::from(y));
                context.draw(&Ring { x, y, radius: 0.07, color: faint });
            }
            if let Some(laid) = &laid {
                self.trail(context, laid, wire);
            }
            self.trail(context, &own, signal);
        });
    }

    /// Of a travel that is read as a button: from where it is pressed, and below
    /// where it is released.
    fn thresholds(&self) -> Option<[f32; 2]> {
        match self.input {
            BoundInput::Button { thresholds, .. } => {
                Some([thresholds.press_at, thresholds.release_at])
            }
            _ => None,
        }
    }

    /// The other sticks that feed the action.
    fn others(&self) -> impl Iterator<Item = Axes> {
        let inputs = self.app.session().plan().inputs(self.action).iter().enumerate();
        inputs.filter_map(|(nth, input)| match input {
            BoundInput::Stick { x, y, .. } if nth != self.nth => Some(Axes::stick(*x, *y)),
            _ => None,
        })
    }

    /// What the action makes of it.
    fn shaped(&self, buffer: &mut Buffer, area: Rect) {
        let name = &self.app.session().rig().actions[self.action.index()].name;
        let area = self.title(buffer, area, &format!("▷ {name} shaped"));
        let (history, plan) = (self.app.session().history(), self.app.session().plan());
        let place = |tick| history.action_vector(plan, self.action, tick);
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
        if let Some(thresholds) = self.thresholds() {
            return self.steps(buffer, area, thresholds);
        }
        let m = length(*self.raw(self.axes()).last().unwrap_or(&[0.0; 2])).min(1.0);
        let response = self.response();
        let (out, slope) = (response.along(m), response.slope(m));
        let area = self.title(buffer, area, &format!("{m:.2} → {out:.2} slope {slope:.2}"));
        let line: Vec<(f64, f64)> = (0..=200)
            .map(|n| n as f32 / 200.0)
            .map(|m| (f64::from(m), f64::from(response.along(m))))
            .collect();
        let (rule, signal) = (self.colour(self.theme().rule()), self.colour(self.theme().signal()));
        self.response_plot(buffer, area, [m, out], |context| {
            context.draw(&Line { x1: 0.0, y1: 0.0, x2: 1.0, y2: 1.0, color: rule });
            context.layer();
            context.draw(&Points { coords: &line, color: signal });
        });
    }

    /// Output over travel, from 0 to 1 each, with a mark where the hand is.
    fn response_plot(
        &self,
        buffer: &mut Buffer,
        area: Rect,
        hand: [f32; 2],
        paint: impl Fn(&mut Context),
    ) {
        let (rule, wire) = (self.colour(self.theme().rule()), self.colour(self.theme().wire()));
        let [x, y] = hand.map(f64::from);
        Canvas::default()
            .marker(Marker::Braille)
            .x_bounds([-0.05, 1.1])
            .y_bounds([-0.05, 1.1])
            .paint(|context| {
                let rim = Rectangle { x: 0.0, y: 0.0, width: 1.0, height: 1.0, color: rule };
                context.draw(&rim);
                paint(context);
                context.layer();
                context.draw(&Ring { x, y, radius: 0.03, color: wire });
            })
            .render(area, buffer);
    }

    /// The curve of a travel that is read as a button: one way up, another down.
    fn steps(&self, buffer: &mut Buffer, area: Rect, [press, release]: [f32; 2]) {
        let m = self.raw(self.axes()).last().map_or(0.0, |[x, _]| *x);
        let out = self.app.machine().action(self.action).x;
        let title = format!("on at {press:.2} off below {release:.2}");
        let area = self.title(buffer, area, &title);
        let theme = self.theme();
        let (signal, doubtful) = (self.colour(theme.signal()), self.colour(theme.doubtful()));
        let [press, release] = [press, release].map(f64::from);
        self.response_plot(buffer, area, [m, out], |context| {
            let mut line = |x1, y1, x2, y2, color| {
                context.draw(&Line { x1, y1, x2, y2, color });
            };
            line(0.0, 0.0, press, 0.0, signal);
            line(press, 0.0, press, 1.0, signal);
            line(release, 1.0, 1.0, 1.0, signal);
            line(release, 0.0, release, 1.0, doubtful);
        });
    }

    /// How long the output is at full deflection in every direction: of a stick
    /// that travels in a circle, and of one that travels in a square.
    fn by_direction(&self, buffer: &mut Buffer, area: Rect) {
        let response = self.response();
        let [square, round] = Rim::ALL.map(|rim| response.diagonal_ratio(rim));
        let area = self.title(buffer, area, &format!("diag ×{round:.2} square ×{square:.2}"));
        let [square, round] = Rim::ALL.map(|rim| -> Vec<(f64, f64)> {
            response.ring(rim, 144).map(|[x, y]| (f64::from(x), f64::from(y))).collect()
        });
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
        let values = self.app.machine().stages(self.app.session().plan(), self.input);
        let names = std::iter::once("own scale").chain(self.stages().iter().map(Stage::name));
        let mut rows = paint::rows(area);
        let is_single = self.is_single();
        // Half of the room is for the numbers.
        let most = usize::from(area.height / 2).max(2);
        for ((n, (name, value)), row) in names.zip(&values).enumerate().take(most).zip(&mut rows) {
            let number = if n == 0 { " ".to_owned() } else { n.to_string() };
            let [x, y] = value;
            let text = match is_single {
                true => format!("  {number} {name:<12} {x:+.3}"),
                false => {
                    format!("  {number} {name:<12} {x:+.3} {y:+.3}  {:.3}", length(*value))
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
pub(super) fn zones(context: &mut Context, stage: &Stage, is_single: bool, color: Color) {
    if let Stage::Gate(StickGate::Square) = stage {
        let square = Rectangle { x: -1.0, y: -1.0, width: 2.0, height: 2.0, color };
        context.draw(&square);
    }
    let Stage::DeadZone(zone) = stage else { return };
    if is_single {
        for x in [-zone.inner, zone.inner, -zone.outer, zone.outer].map(f64::from) {
            context.draw(&Line { x1: x, y1: -1.0, x2: x, y2: 1.0, color });
        }
        return;
    }
    for border in zone.borders() {
        match border {
            DeadZoneBorder::Circle(radius) => {
                context.draw(&Ring { x: 0.0, y: 0.0, radius: radius.into(), color });
            }
            DeadZoneBorder::Line([[x1, y1], [x2, y2]]) => {
                let [x1, y1, x2, y2] = [x1, y1, x2, y2].map(f64::from);
                context.draw(&Line { x1, y1, x2, y2, color });
            }
        }
    }
}
