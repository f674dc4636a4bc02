//! What a stick was measured to do.

use super::{
    page::{FAINT, INK, LOST, Page, REPORTED, RULE, SIGNAL},
    plot::Plot,
};
use gtrig_analysis::measure::{Measurement, SECTORS, Samples};
use gtrig_formats::measure::{Line, MeasureReport};
use std::f32::consts::TAU;

const TOP: f64 = 70.0;
const SIDE: f64 = 420.0;
const ROW: f64 = 19.0;

/// Draws a measurement, as SVG: reach and rest, and the report.
pub fn measurement(samples: &Samples, found: &Measurement, report: &MeasureReport) -> String {
    let lines = [report.lines(), report.proposals()].concat();
    let mut page = Page::new(TOP + SIDE + 60.0 + ROW * (lines.len() + 2) as f64);
    page.title(&format!("{}, measured", report.control));
    // As people hold it: y as reported points down.
    let points: Vec<[f32; 2]> = samples.points().map(|([x, y], _)| [x, -y]).collect();
    let plot = Plot::around(20.0, TOP, SIDE, [0.0; 2], 1.15);
    reach(&mut page, plot, &points, found);
    rest(&mut page, &points, found);
    let mut y = TOP + SIDE + 40.0;
    for (n, (name, value)) in lines.into_iter().enumerate() {
        if n == report.lines().len() {
            y += ROW;
            page.text(20.0, y, "what follows for the rig", FAINT);
            y += ROW;
        }
        line(&mut page, y, (name, value));
        y += ROW;
    }
    page.finish()
}

fn line(page: &mut Page, y: f64, (name, value): Line) {
    page.text(20.0, y, name, FAINT);
    match value {
        Ok(value) => page.text(150.0, y, &value, INK),
        Err(missing) => page.text(150.0, y, &format!("not known: {missing}"), LOST),
    }
}

/// How far it gets in each direction.
fn reach(page: &mut Page, plot: Plot, points: &[[f32; 2]], found: &Measurement) {
    plot.frame(page, "reach in 72 directions");
    plot.circle(page, [0.0; 2], 1.0, RULE);
    plot.dots(page, points, FAINT);
    let place = |(sector, reach): (usize, &Option<f32>)| {
        let (sin, cos) = (sector as f32 / SECTORS as f32 * TAU).sin_cos();
        (*reach).map(|r| [r * cos, -r * sin])
    };
    let ends: Vec<Option<[f32; 2]>> = found.reach.iter().enumerate().map(place).collect();
    // Directions in which it never was leave a gap.
    for (n, end) in ends.iter().enumerate() {
        if let (Some(from), Some(to)) = (end, ends[(n + 1) % SECTORS]) {
            plot.trace(page, &[*from, to], SIGNAL, 2.0);
        }
    }
}

/// The rest, enlarged.
fn rest(page: &mut Page, points: &[[f32; 2]], found: &Measurement) {
    let (Ok([x, y]), Ok(radius)) = (found.centre, found.rest_radius) else {
        let words = "rest: not known. Let the stick go for two seconds.";
        page.text(500.0, TOP - 8.0, words, LOST);
        return;
    };
    let centre = [x, -y];
    let reach = f64::from(radius.max(0.002)) * 2.0;
    let plot = Plot::around(500.0, TOP, SIDE, centre.map(f64::from), reach);
    let enlarged = 1.15 / reach;
    plot.frame(page, &format!("rest, {enlarged:.0} times as large: the circle holds 99.9 % of it"));
    plot.dots(page, points, SIGNAL);
    plot.circle(page, centre, radius, REPORTED);
}
