//! A stick and its shape: where it was, with zones and gate; what came of it;
//! the response curve; and the speed by direction.

use super::{
    page::{FAINT, FIRED, INK, LOST, Page, REPORTED, RULE, SIGNAL},
    plot::Plot,
};
use gtrig_analysis::Session;
use gtrig_core::{
    ActionId, Axes, BoundInput, Chain, ControlId, Response, Rim, Stage, StickGate, Tick, length,
};

/// What the sheet of a stick shows.
#[derive(Clone, Debug)]
pub struct StickSheet {
    /// Above the figure.
    pub title: String,
    /// How it is shaped.
    pub chain: Chain,
    /// Whether the action holds it in the unit circle.
    pub clamp: bool,
    /// Whether it is a single axis, which has no directions.
    pub is_single: bool,
    /// Where it was, up positive as the shape has it.
    pub reported: Vec<[f32; 2]>,
    /// What the action gave.
    pub shaped: Vec<[f32; 2]>,
}

impl StickSheet {
    /// A shape without a hand.
    pub fn of_shape(title: String, chain: Chain) -> Self {
        let (reported, shaped) = (Vec::new(), Vec::new());
        StickSheet { title, chain, clamp: true, is_single: false, reported, shaped }
    }

    /// An input of an action from one tick to another.
    pub fn of_input(
        title: String,
        session: &Session,
        (action, input): (ActionId, BoundInput),
        (from, to): (Tick, Tick),
    ) -> Self {
        let plan = session.plan();
        let chain = plan.chain_of(input).clone();
        let axes = input.axes();
        let history = session.history();
        let value = |id: ControlId, tick| history.control_lane(id).value_at(tick);
        let ticks = || (from.0..=to.0).map(Tick);
        // What has no axes, such as a gesture, has no place that was reported.
        let reported = axes.into_iter().flat_map(|Axes { x, y }| {
            let raw = move |tick| [value(x, tick), y.map_or(0.0, |y| value(y, tick))];
            ticks().map(raw)
        });
        let out = |tick| history.action_vector(plan, action, tick);
        StickSheet {
            title,
            clamp: session.rig().actions[action.index()].clamp,
            is_single: axes.is_none_or(Axes::is_single),
            reported: reported.map(|place| chain.turned(place)).collect(),
            shaped: ticks().map(out).collect(),
            chain,
        }
    }
}

const TOP: f64 = 70.0;
const SIDE: f64 = 280.0;
const COLUMNS: [f64; 3] = [28.0, 344.0, 660.0];
const ROW: f64 = 19.0;
const SECOND: f64 = TOP + SIDE + 64.0;

/// The numbers on the axes of a stick.
const ENDS: [f32; 3] = [-1.0, 0.0, 1.0];

const TRAVEL: &str = "of full travel";

/// Draws a sheet, as SVG.
pub fn stick(sheet: &StickSheet) -> String {
    let response = Response { chain: &sheet.chain, clamp: sheet.clamp };
    // The list of stages may be longer than the plot beside it, if there is one.
    let words = ROW * (sheet.chain.stages().len() + 8) as f64;
    let plot = if sheet.is_single { 0.0 } else { SIDE };
    let mut page = Page::new(SECOND + plot.max(words) + 40.0);
    page.title(&sheet.title);
    let [left, middle, right] = COLUMNS;
    place(&mut page, Plot::around(left, TOP, SIDE, [0.0; 2], 1.15), sheet);
    outcome(&mut page, Plot::around(middle, TOP, SIDE, [0.0; 2], 1.15), sheet);
    let wide = Plot { left: right, top: TOP, side: SIDE, from: [-0.05; 2], to: [1.05; 2] };
    curve(&mut page, wide, &response);
    if !sheet.is_single {
        ring(&mut page, Plot::around(left, SECOND, SIDE, [0.0; 2], 1.5), &response);
    }
    numbers(&mut page, if sheet.is_single { left } else { middle }, sheet, &response);
    page.finish()
}

/// Where the stick was, with zones and gate to scale.
fn place(page: &mut Page, plot: Plot, sheet: &StickSheet) {
    plot.frame(page, "reported, with zones and gate");
    plot.grid(page, &ENDS);
    plot.unit(page, TRAVEL);
    plot.circle(page, [0.0; 2], 1.0, RULE);
    if sheet.chain.stages().contains(&Stage::Gate(StickGate::Square)) {
        let corners = [[1.0, 1.0], [-1.0, 1.0], [-1.0, -1.0], [1.0, -1.0], [1.0, 1.0]];
        plot.trace(page, &corners, REPORTED, 1.0);
    }
    plot.dots(page, &sheet.reported, SIGNAL);
    for stage in sheet.chain.stages() {
        plot.stage(page, stage, REPORTED);
    }
}

/// What the action gave; without a hand, what becomes of a grid.
fn outcome(page: &mut Page, plot: Plot, sheet: &StickSheet) {
    plot.grid(page, &ENDS);
    plot.unit(page, "of full output");
    plot.circle(page, [0.0; 2], 1.0, RULE);
    if !sheet.shaped.is_empty() {
        plot.frame(page, "shaped, as the action gave it");
        plot.dots(page, &sheet.shaped, FIRED);
        return;
    }
    plot.frame(page, "shaped: what becomes of an even grid");
    let response = Response { chain: &sheet.chain, clamp: sheet.clamp };
    let steps = || (-20i8..=20).map(|n| f32::from(n) / 20.0);
    let grid = steps().flat_map(|x| steps().map(move |y| [x, y]));
    let inside = grid.filter(|v| length(*v) <= 1.0);
    let out: Vec<[f32; 2]> = inside.map(|v| response.at(v)).collect();
    plot.dots(page, &out, FIRED);
}

fn curve(page: &mut Page, plot: Plot, response: &Response) {
    plot.frame(page, "response: output over travel");
    plot.grid(page, &[0.0, 0.25, 0.5, 0.75, 1.0]);
    plot.unit(page, TRAVEL);
    plot.trace(page, &[[0.0, 0.0], [1.0, 1.0]], FAINT, 1.0);
    let line: Vec<[f32; 2]> = (0..=400u16)
        .map(|n| f32::from(n) / 400.0)
        .map(|travel| [travel, response.along(travel)])
        .collect();
    plot.trace(page, &line, SIGNAL, 2.0);
}

fn ring(page: &mut Page, plot: Plot, response: &Response) {
    plot.frame(page, "speed by direction, at full deflection");
    plot.grid(page, &ENDS);
    plot.unit(page, "of full output");
    plot.circle(page, [0.0; 2], 1.0, RULE);
    let ring = |rim| {
        let ring: Vec<[f32; 2]> = response.ring(rim, 360).collect();
        let first = ring.first().copied();
        ring.into_iter().chain(first).collect::<Vec<_>>()
    };
    let [square, round] = Rim::ALL.map(ring);
    plot.trace(page, &round, SIGNAL, 1.5);
    // Over the other, where they coincide.
    plot.dashes(page, &square, REPORTED, 1.5);
}

/// The ratios, and the stages with what they say.
fn numbers(page: &mut Page, left: f64, sheet: &StickSheet, response: &Response) {
    let mut y = SECOND + 6.0;
    let mut line = |page: &mut Page, words: &str, colour: &str| {
        page.text(left, y, words, colour);
        y += ROW;
    };
    if !sheet.is_single {
        let [square, round] = Rim::ALL.map(|rim| response.diagonal_ratio(rim));
        let words = format!("diagonal over straight, round rim:           {round:.3}");
        line(page, &words, SIGNAL);
        let words = format!("diagonal over straight, square rim (dashes): {square:.3}");
        line(page, &words, REPORTED);
    }
    if let Some(from) = response.onset() {
        line(page, &format!("output begins at {from:.3} of the travel"), INK);
        let full = response.along(1.0);
        let colour = if full < 0.999 { LOST } else { INK };
        line(page, &format!("full deflection gives {full:.3}"), colour);
    }
    line(page, "", INK);
    line(page, "stages, in order", FAINT);
    for (stage, n) in sheet.chain.stages().iter().zip(1..) {
        line(page, &format!("{n}  {stage}"), INK);
    }
    if sheet.chain.stages().is_empty() {
        line(page, "none", INK);
    }
}
