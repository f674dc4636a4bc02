//! A square plot on a page: values in, places out.

use super::page::{FAINT, INK, Page, RULE};
use gtrig_core::{DeadZoneBorder, Stage};
use std::collections::BTreeSet;

/// A square of the page with its own scale.
#[derive(Clone, Copy)]
pub(super) struct Plot {
    pub(super) left: f64,
    pub(super) top: f64,
    pub(super) side: f64,
    /// The values at the left and the bottom, and at the right and the top.
    pub(super) from: [f64; 2],
    pub(super) to: [f64; 2],
}

impl Plot {
    /// A plot of a stick: the origin in the middle.
    pub(super) fn around(left: f64, top: f64, side: f64, centre: [f64; 2], reach: f64) -> Self {
        let [x, y] = centre;
        Plot { left, top, side, from: [x - reach, y - reach], to: [x + reach, y + reach] }
    }

    /// Where a value stands on the page.
    pub(super) fn at(&self, [x, y]: [f32; 2]) -> (f64, f64) {
        let share = |v: f32, axis: usize| {
            (f64::from(v) - self.from[axis]) / (self.to[axis] - self.from[axis])
        };
        (self.left + share(x, 0) * self.side, self.top + (1.0 - share(y, 1)) * self.side)
    }

    /// A length along x.
    fn length(&self, r: f32) -> f64 {
        f64::from(r) / (self.to[0] - self.from[0]) * self.side
    }

    /// Heading and frame.
    pub(super) fn frame(&self, page: &mut Page, title: &str) {
        page.text(self.left, self.top - 8.0, title, INK);
        let Plot { left, top, side, .. } = *self;
        let (right, bottom) = (left + side, top + side);
        page.trace(
            &[(left, top), (right, top), (right, bottom), (left, bottom), (left, top)],
            RULE,
            1.0,
        );
    }

    /// Lines at round values, with their numbers.
    pub(super) fn grid(&self, page: &mut Page, values: &[f32]) {
        for &v in values {
            let (x, y) = self.at([v, v]);
            page.line((x, self.top), (x, self.top + self.side), RULE, 1.0);
            page.line((self.left, y), (self.left + self.side, y), RULE, 1.0);
            page.text_centred(x, self.top + self.side + 15.0, &v.to_string(), FAINT);
            page.text_ending(self.left - 4.0, y + 4.0, &v.to_string(), FAINT);
        }
    }

    /// What the numbers of both axes are, below them.
    pub(super) fn unit(&self, page: &mut Page, words: &str) {
        let (x, y) = (self.left + self.side / 2.0, self.top + self.side + 30.0);
        page.text_centred(x, y, words, FAINT);
    }

    /// A circle around a place.
    pub(super) fn circle(&self, page: &mut Page, centre: [f32; 2], r: f32, colour: &str) {
        page.circle(self.at(centre), self.length(r), colour);
    }

    /// An unbroken line.
    pub(super) fn trace(&self, page: &mut Page, points: &[[f32; 2]], colour: &str, width: f64) {
        let places: Vec<(f64, f64)> = points.iter().map(|&point| self.at(point)).collect();
        page.trace(&places, colour, width);
    }

    /// A line in dashes.
    pub(super) fn dashes(&self, page: &mut Page, points: &[[f32; 2]], colour: &str, width: f64) {
        let places: Vec<(f64, f64)> = points.iter().map(|&point| self.at(point)).collect();
        page.dashes(&places, colour, width);
    }

    /// A dot for every point inside; those that would cover each other once.
    pub(super) fn dots(&self, page: &mut Page, points: &[[f32; 2]], colour: &str) {
        let is_inside = |&(x, y): &(f64, f64)| {
            (self.left..=self.left + self.side).contains(&x)
                && (self.top..=self.top + self.side).contains(&y)
        };
        let places = points.iter().map(|&point| self.at(point)).filter(is_inside);
        // On a grid of half a unit of the page.
        let seen: BTreeSet<(i32, i32)> =
            places.map(|(x, y)| ((x * 2.0).round() as i32, (y * 2.0).round() as i32)).collect();
        // A few of them would hardly be seen.
        let side = if seen.len() < 200 { 3.0 } else { 1.2 };
        let places = seen.into_iter().map(|(x, y)| (f64::from(x) / 2.0, f64::from(y) / 2.0));
        page.dots(places, side, colour);
    }

    /// What a stage does to the plane, to scale: zones, and the square of a gate.
    pub(super) fn stage(&self, page: &mut Page, stage: &Stage, colour: &str) {
        let Stage::DeadZone(zone) = stage else { return };
        for border in zone.borders() {
            match border {
                DeadZoneBorder::Circle(r) => self.circle(page, [0.0; 2], r, colour),
                DeadZoneBorder::Line([from, to]) => {
                    page.line(self.at(from), self.at(to), colour, 1.0);
                }
            }
        }
    }
}
