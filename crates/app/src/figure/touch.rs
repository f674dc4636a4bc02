//! A touch panel over a stretch of time: its zones, the paths of its contacts,
//! and what came of a gesture, with its limits where each attempt began.

use super::page::{FAINT, FIRED, INK, Page, REPORTED, RULE, SIGNAL, Sample, round_step};
use gtrig_analysis::{
    Session,
    limits::{LimitShape, limit_shapes},
    strokes::{Stroke, strokes},
};
use gtrig_core::{Contact, GestureId, GestureOutcome, GestureVerdict, Nanos, Outline};
use gtrig_formats::words::verdict_brief;

/// What a figure of a touch panel shows.
#[derive(Clone, Debug)]
pub struct TouchSheet {
    /// Above the figure.
    pub title: String,
    /// From this instant on.
    pub from: Nanos,
    /// Up to this instant.
    pub to: Nanos,
    /// The panel, counted over all of them.
    pub panel: u16,
    /// The gesture that it is about, by its place in the rig; without one about
    /// all, and no limits are drawn.
    pub gesture: Option<GestureId>,
}

const LEFT: f64 = 20.0;
const TOP: f64 = 56.0;
/// Of the picture of the panel.
const WIDTH: f64 = 760.0;
const ROW: f64 = 16.0;
/// So many verdicts are listed at most; the figure says how many more there are.
const LISTED: usize = 24;

/// Draws a panel, as SVG; `None` if it has no such panel.
pub fn touch(session: &Session, sheet: &TouchSheet) -> Option<String> {
    let contacts = session.plan().contacts().iter();
    let contacts: Vec<&Contact> = contacts.filter(|c| c.panel == sheet.panel).collect();
    let size = contacts.first()?.size;
    let page = Page::new(0.0);
    let mut drawing =
        Drawing { session, sheet, contacts, size, page, numbers: Vec::new(), drawn: Vec::new() };
    let high = WIDTH * f64::from(size[1] / size[0]);
    let verdicts = drawing.verdicts();
    let rows = verdicts.len().min(LISTED) as f64 * ROW;
    let list = TOP + high + 88.0;
    drawing.page = Page::new(list + rows + 20.0);
    drawing.page.title(&sheet.title);
    drawing.page.text(LEFT, TOP - 10.0, &drawing.subtitle(&verdicts), FAINT);
    drawing.zones();
    drawing.border();
    drawing.axes(high);
    drawing.paths(&verdicts);
    for (verdict, n) in verdicts.iter().zip(1..) {
        drawing.verdict(verdict, n);
    }
    drawing.legend(&verdicts, TOP + high + 44.0);
    drawing.list(&verdicts, list);
    Some(drawing.page.finish())
}

struct Drawing<'a> {
    session: &'a Session,
    sheet: &'a TouchSheet,
    contacts: Vec<&'a Contact>,
    /// Of the panel, in millimetres.
    size: [f32; 2],
    page: Page,
    /// Where numbers stand already.
    numbers: Vec<(f64, f64)>,
    /// The colours of the paths.
    drawn: Vec<&'static str>,
}

impl Drawing<'_> {
    /// A place in millimetres on the sheet.
    fn at(&self, [x, y]: [f32; 2]) -> (f64, f64) {
        (LEFT + f64::from(x) * self.scale(), TOP + f64::from(y) * self.scale())
    }

    fn scale(&self) -> f64 {
        WIDTH / f64::from(self.size[0])
    }

    /// Those of the stretch that fired or missed by little, or of the gesture all
    /// but those that another one ended.
    fn verdicts(&self) -> Vec<GestureVerdict> {
        let TouchSheet { from, to, gesture, .. } = *self.sheet;
        let is_shown = |verdict: &&GestureVerdict| {
            let is_here = self.contacts.iter().any(|contact| contact.down == verdict.contact);
            let is_told = match (verdict.outcome, gesture) {
                (GestureOutcome::Fired | GestureOutcome::Missed, Some(n)) => verdict.gesture == n,
                (outcome, None) => outcome == GestureOutcome::Fired || verdict.is_near(),
                _ => false,
            };
            is_here && is_told && verdict.ended >= from && verdict.began <= to
        };
        self.session.history().verdicts().iter().filter(is_shown).copied().collect()
    }

    fn subtitle(&self, verdicts: &[GestureVerdict]) -> String {
        let [wide, high] = self.size;
        let what = match self.sheet.gesture {
            Some(n) => {
                let gesture = &self.session.rig().gestures[n.index()];
                format!("{} {}", gesture.kind.word(), gesture.name)
            }
            None => "every gesture".to_owned(),
        };
        let fired = verdicts.iter().filter(|v| v.outcome == GestureOutcome::Fired).count();
        let TouchSheet { from, to, .. } = self.sheet;
        format!(
            "{what}: {fired} of {} fired · {wide:.0} × {high:.0} mm · {from} to {to}",
            verdicts.len()
        )
    }

    fn border(&mut self) {
        let [wide, high] = self.size;
        self.outline(&[[0.0, 0.0], [wide, 0.0], [wide, high], [0.0, high]], INK);
    }

    fn zones(&mut self) {
        let [wide, high] = self.size;
        for zone in self.session.plan().zones().on_panel() {
            let mm = |[x, y]: [f32; 2]| [x * wide, y * high];
            let corner = match &zone.outline {
                Outline::Rect { at, size } => {
                    let far = [at[0] + size[0], at[1] + size[1]];
                    let corners = [*at, [far[0], at[1]], far, [at[0], far[1]]];
                    self.outline(&corners.map(mm), RULE);
                    *at
                }
                Outline::Circle { centre, radius } => {
                    let r = f64::from(radius * wide) * self.scale();
                    self.page.circle(self.at(mm(*centre)), r, RULE);
                    [centre[0] - radius * 0.6, centre[1]]
                }
                Outline::Polygon(corners) => {
                    let places: Vec<[f32; 2]> = corners.iter().map(|&c| mm(c)).collect();
                    self.outline(&places, RULE);
                    corners[0]
                }
            };
            let (x, y) = self.at(mm(corner));
            self.page.text(x + 4.0, y + 14.0, &zone.name, FAINT);
        }
    }

    /// A closed line.
    fn outline(&mut self, places: &[[f32; 2]], colour: &str) {
        let first = places.first().copied();
        let places: Vec<(f64, f64)> =
            places.iter().copied().chain(first).map(|place| self.at(place)).collect();
        self.page.trace(&places, colour, 1.0);
    }

    /// Millimetres along the bottom and the right.
    fn axes(&mut self, high: f64) {
        let step = round_step(f64::from(self.size[0]) / 8.0);
        let along = |mm: f32| {
            (0..).map(move |n| f64::from(n) * step).take_while(move |at| *at <= f64::from(mm))
        };
        for mm in along(self.size[0]) {
            let x = LEFT + mm * self.scale();
            self.page.line((x, TOP + high), (x, TOP + high + 4.0), INK, 1.0);
            self.page.text_centred(x, TOP + high + 17.0, &format!("{mm:.0}"), FAINT);
        }
        for mm in along(self.size[1]) {
            let y = TOP + mm * self.scale();
            self.page.line((LEFT + WIDTH, y), (LEFT + WIDTH + 4.0, y), INK, 1.0);
            self.page.text(LEFT + WIDTH + 8.0, y + 4.0, &format!("{mm:.0}"), FAINT);
        }
        self.page.text(LEFT + WIDTH + 20.0, TOP + high + 17.0, "mm", FAINT);
    }

    /// Where each contact went, as the polls saw it, in the colour of what came of it, with
    /// an arrow at its end.
    fn paths(&mut self, verdicts: &[GestureVerdict]) {
        let rate = self.session.plan().rate();
        let [wide, high] = self.size;
        for contact in self.contacts.clone() {
            for stroke in self.strokes(contact) {
                let [from, to] = [stroke.first, stroke.last()].map(|tick| rate.time_of(tick));
                let of_it = verdicts
                    .iter()
                    .filter(|of| of.contact == contact.down && of.began <= to && of.ended >= from);
                let fired = of_it.clone().any(|of| of.outcome == GestureOutcome::Fired);
                let missed = of_it.clone().any(|of| of.outcome == GestureOutcome::Missed);
                let colour = match (fired, missed) {
                    (true, _) => FIRED,
                    (false, true) => REPORTED,
                    (false, false) => SIGNAL,
                };
                let places = stroke.places.iter();
                let places: Vec<_> = places.map(|[x, y]| self.at([x * wide, y * high])).collect();
                self.page.trace(&places, colour, 1.5);
                self.arrow(&places, colour);
                self.drawn.push(colour);
            }
        }
    }

    /// What the colours of paths say. A verdict knows the contact that began it, and no other.
    fn legend(&mut self, verdicts: &[GestureVerdict], y: f64) {
        let paths = [
            (FIRED, "a contact that began what fired"),
            (REPORTED, "what missed"),
            (SIGNAL, "none of these"),
        ];
        let paths = paths.into_iter().filter(|(colour, _)| self.drawn.contains(colour));
        let mut samples: Vec<_> =
            paths.map(|(colour, words)| (Sample::Line(colour), words)).collect();
        if !verdicts.is_empty() {
            samples.push((Sample::Circle(INK), "where an attempt began"));
        }
        self.page.legend(y, &samples);
    }

    /// The strokes of a contact in the stretch of time.
    fn strokes(&self, contact: &Contact) -> Vec<Stroke> {
        let rate = self.session.plan().rate();
        let history = self.session.history();
        let first = rate.tick_seeing(self.sheet.from).max(history.begins());
        let last = rate.tick_at(self.sheet.to).min(self.session.now().at());
        strokes(history, contact, [first, last])
    }

    /// Two strokes of the pen at the end of a way, where it is long enough to have a
    /// direction.
    fn arrow(&mut self, places: &[(f64, f64)], colour: &str) {
        const LONG: f64 = 9.0;
        let Some(&(x, y)) = places.last() else { return };
        let is_far = |(px, py): &&(f64, f64)| (x - px).hypot(y - py) >= LONG;
        let Some(&(px, py)) = places.iter().rev().find(is_far) else { return };
        let angle = (py - y).atan2(px - x);
        let wing = |by: f64| (x + 8.0 * (angle + by).cos(), y + 8.0 * (angle + by).sin());
        self.page.trace(&[wing(0.45), (x, y), wing(-0.45)], colour, 1.5);
    }

    /// Writes a number beside a place, on the panel, and where it lies on no other.
    fn number(&mut self, (x, y): (f64, f64), number: usize, colour: &str) {
        let ways = [(5.0, -4.0), (5.0, 14.0), (-14.0, -4.0), (-14.0, 14.0)];
        let far = (1..12).map(|n| (5.0 + 18.0 * f64::from(n), -4.0));
        let high = f64::from(self.size[1]) * self.scale();
        let is_free = |(px, py): &(f64, f64)| {
            let is_inside =
                (LEFT..LEFT + WIDTH - 14.0).contains(px) && (TOP + 11.0..TOP + high).contains(py);
            is_inside
                && self
                    .numbers
                    .iter()
                    .all(|(ox, oy)| (px - ox).abs() >= 16.0 || (py - oy).abs() >= 12.0)
        };
        let mut places = ways.into_iter().chain(far).map(|(dx, dy)| (x + dx, y + dy));
        let place = places.find(is_free).unwrap_or((x + 5.0, y - 4.0));
        self.numbers.push(place);
        self.page.text(place.0, place.1, &number.to_string(), colour);
    }

    /// The limits of an attempt, and what came of it.
    fn verdict(&mut self, verdict: &GestureVerdict, number: usize) {
        let colour = colour_of(verdict);
        if self.sheet.gesture.is_some() {
            let gesture = &self.session.rig().gestures[verdict.gesture.index()];
            let contacts = self.session.plan().contacts().iter();
            let contact = contacts.clone().find(|contact| contact.down == verdict.contact);
            let per_mm = contact.map_or(1.0, |contact| contact.per_mm(gesture.unit));
            for shape in limit_shapes(gesture, per_mm, verdict.way[0], verdict.way[0]) {
                match shape {
                    LimitShape::Circle { centre, radius } => {
                        let r = f64::from(radius) * self.scale();
                        self.page.circle(self.at(centre), r, colour);
                    }
                    LimitShape::Line(places) => {
                        let places: Vec<(f64, f64)> =
                            places.into_iter().map(|place| self.at(place)).collect();
                        self.page.trace(&places, colour, 0.8);
                    }
                }
            }
        }
        let [start, end] = verdict.way.map(|place| self.at(place));
        self.page.circle(start, 3.0, colour);
        self.number(end, number, colour);
    }

    fn list(&mut self, verdicts: &[GestureVerdict], top: f64) {
        if !verdicts.is_empty() {
            let y = top - ROW;
            self.page.text(LEFT + 30.0, y, "gesture", FAINT);
            self.page.text(LEFT + 190.0, y, "outcome", FAINT);
            self.page.text_ending(LEFT + 380.0, y, "over at", FAINT);
            self.page.text(LEFT + 400.0, y, "measured, or by how much it missed", FAINT);
        }
        for ((verdict, n), row) in verdicts.iter().zip(1..).take(LISTED).zip(0u32..) {
            let y = top + f64::from(row) * ROW;
            let name = &self.session.rig().gestures[verdict.gesture.index()].name;
            let word = match verdict.outcome {
                GestureOutcome::Fired => "fired",
                GestureOutcome::Missed => "missed",
                GestureOutcome::Cancelled(_) | GestureOutcome::Broken | GestureOutcome::Open => "",
            };
            let words = verdict_brief(self.session.rig(), verdict);
            self.page.text_ending(LEFT + 20.0, y, &n.to_string(), INK);
            self.page.text(LEFT + 30.0, y, name, INK);
            self.page.text(LEFT + 190.0, y, word, colour_of(verdict));
            self.page.text_ending(LEFT + 380.0, y, &verdict.ended.to_string(), INK);
            self.page.text(LEFT + 400.0, y, &words, INK);
        }
        if let Some(more) = verdicts.len().checked_sub(LISTED).filter(|more| *more > 0) {
            let words = format!("{more} more not listed");
            self.page.text_ending(LEFT + WIDTH, TOP - 10.0, &words, FAINT);
        }
    }
}

/// Green is what fired; what missed has the hue of doubt.
fn colour_of(verdict: &GestureVerdict) -> &'static str {
    match verdict.outcome {
        GestureOutcome::Fired => FIRED,
        GestureOutcome::Missed => REPORTED,
        GestureOutcome::Cancelled(_) | GestureOutcome::Broken | GestureOutcome::Open => FAINT,
    }
}
