//! The sheet that figures are drawn on: sizes, colours, strokes.

use super::FONT;
use gtrig_core::harmless;
use svg::{
    Document, Node,
    node::element::{Circle, Line, Path, Rectangle, Text, path::Data},
};

pub(super) const WIDTH: f64 = 960.0;
/// Left of all that is drawn.
pub(super) const MARGIN: f64 = 20.0;
pub(super) const LEFT: f64 = 190.0;
pub(super) const RIGHT: f64 = 930.0;

pub(super) const INK: &str = "#1b1f23";
pub(super) const FAINT: &str = "#8a9199";
pub(super) const RULE: &str = "#d8dde2";
pub(super) const SIGNAL: &str = "#1f6fb2";
pub(super) const REPORTED: &str = "#b3701f";
/// Reserved, as on the screen, for what fired.
pub(super) const FIRED: &str = "#1a8f3c";
pub(super) const LOST: &str = "#c2187a";

const HOLE: &str = "#eceff2";

/// What a legend names, as it is drawn.
#[derive(Clone, Copy, PartialEq)]
pub(super) enum Sample {
    /// A line in a colour.
    Line(&'static str),
    /// A small circle in a colour.
    Circle(&'static str),
    /// The mark of a lost press.
    Cross,
    /// A stretch of which nothing is known.
    Hole,
}

/// A sheet being drawn.
pub(super) struct Page {
    document: Document,
}

impl Page {
    pub(super) fn new(height: f64) -> Self {
        let background =
            Rectangle::new().set("width", WIDTH).set("height", height).set("fill", "#ffffff");
        let document = Document::new()
            .set("width", WIDTH)
            .set("height", height)
            .set("viewBox", (0, 0, WIDTH, height))
            .set("font-family", format!("{FONT}, monospace"))
            .set("font-size", 12)
            .add(background);
        Page { document }
    }

    fn add(&mut self, node: impl Into<Box<dyn Node>>) {
        self.document.append(node);
    }

    pub(super) fn text(&mut self, x: f64, y: f64, words: &str, colour: &str) {
        self.add(words_of(words).set("x", x).set("y", y).set("fill", colour));
    }

    pub(super) fn text_ending(&mut self, x: f64, y: f64, words: &str, colour: &str) {
        let text = words_of(words).set("x", x).set("y", y).set("fill", colour);
        self.add(text.set("text-anchor", "end"));
    }

    pub(super) fn text_centred(&mut self, x: f64, y: f64, words: &str, colour: &str) {
        let text = words_of(words).set("x", x).set("y", y).set("fill", colour);
        self.add(text.set("text-anchor", "middle"));
    }

    pub(super) fn title(&mut self, words: &str) {
        let title = words_of(words).set("x", 20).set("y", 28).set("fill", INK);
        self.add(title.set("font-size", 15).set("font-weight", "bold"));
    }

    pub(super) fn line(&mut self, from: (f64, f64), to: (f64, f64), colour: &str, width: f64) {
        let line = Line::new().set("x1", from.0).set("y1", from.1).set("x2", to.0).set("y2", to.1);
        self.add(line.set("stroke", colour).set("stroke-width", width));
    }

    /// An unbroken line through points.
    pub(super) fn trace(&mut self, points: &[(f64, f64)], colour: &str, width: f64) {
        let Some((&first, rest)) = points.split_first() else { return };
        let data = rest.iter().fold(Data::new().move_to(first), |data, &point| data.line_to(point));
        let path = Path::new().set("d", data).set("fill", "none").set("stroke", colour);
        self.add(path.set("stroke-width", width));
    }

    /// The same in dashes, where it may lie on another.
    pub(super) fn dashes(&mut self, points: &[(f64, f64)], colour: &str, width: f64) {
        let Some((&first, rest)) = points.split_first() else { return };
        let data = rest.iter().fold(Data::new().move_to(first), |data, &point| data.line_to(point));
        let path = Path::new().set("d", data).set("fill", "none").set("stroke", colour);
        self.add(path.set("stroke-width", width).set("stroke-dasharray", "6 5"));
    }

    pub(super) fn circle(&mut self, (x, y): (f64, f64), r: f64, colour: &str) {
        let circle = Circle::new().set("cx", x).set("cy", y).set("r", r).set("fill", "none");
        self.add(circle.set("stroke", colour).set("stroke-width", 1));
    }

    /// Squares with sides of this length, in one stroke of the pen.
    pub(super) fn dots(
        &mut self,
        places: impl Iterator<Item = (f64, f64)>,
        side: f64,
        colour: &str,
    ) {
        let dot = |data: Data, (x, y): (f64, f64)| {
            data.move_to((x - side / 2.0, y)).horizontal_line_by(side)
        };
        let path = Path::new().set("d", places.fold(Data::new(), dot)).set("fill", "none");
        self.add(path.set("stroke", colour).set("stroke-width", side));
    }

    /// A stretch of which nothing is known.
    pub(super) fn hole(&mut self, from: (f64, f64), to: (f64, f64)) {
        let hole = Rectangle::new().set("x", from.0).set("y", from.1);
        let hole = hole.set("width", to.0 - from.0).set("height", to.1 - from.1);
        self.add(hole.set("fill", HOLE));
    }

    /// The mark of a lost press.
    pub(super) fn cross(&mut self, x: f64, y: f64) {
        for slope in [-4.0, 4.0] {
            self.line((x - 4.0, y - slope), (x + 4.0, y + slope), LOST, 2.0);
        }
    }

    /// Says what is drawn, side by side from the margin on: there is room for all that a figure
    /// has.
    pub(super) fn legend(&mut self, y: f64, samples: &[(Sample, &str)]) {
        let mut x = MARGIN;
        for (sample, words) in samples {
            match sample {
                Sample::Line(colour) => self.line((x, y - 4.0), (x + 16.0, y - 4.0), colour, 2.0),
                Sample::Circle(colour) => self.circle((x + 8.0, y - 4.0), 3.0, colour),
                Sample::Cross => self.cross(x + 8.0, y - 4.0),
                Sample::Hole => self.hole((x, y - 9.0), (x + 16.0, y + 1.0)),
            }
            self.text(x + 22.0, y, words, FAINT);
            x += 42.0 + width_of(words);
        }
    }

    pub(super) fn finish(self) -> String {
        self.document.to_string()
    }
}

/// How wide words are: every glyph of the font is 0.602 of its size.
pub(super) fn width_of(words: &str) -> f64 {
    0.602 * 12.0 * words.chars().count() as f64
}

/// A round distance between labels: 1, 2 or 5 times a power of ten, at least
/// `least`.
pub(crate) fn round_step(least: f64) -> f64 {
    let decade = 10f64.powf(least.max(1e-3).log10().floor());
    [1.0, 2.0, 5.0, 10.0].map(|n| n * decade).into_iter().find(|n| *n >= least).unwrap_or(least)
}

/// Text of a figure, which may be opened by anything.
fn words_of(words: &str) -> Text {
    Text::new(harmless(words))
}
