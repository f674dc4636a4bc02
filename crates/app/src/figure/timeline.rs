//! Lanes over time.

use super::page::{
    FAINT, FIRED, INK, LEFT, Page, REPORTED, RIGHT, RULE, SIGNAL, Sample, round_step, width_of,
};
use crate::screen::{Lane, lane_extent, lane_name};
use gtrig_analysis::{Change, LaneLog, Session, stream::StreamWatch};
use gtrig_core::{ControlId, ControlKind, Gives, LaneMarks, Marks, Nanos, Tick, normalise};

/// What part of a history a figure shows.
#[derive(Clone, Debug)]
pub struct Excerpt {
    /// Above the figure.
    pub title: String,
    /// From this instant on.
    pub from: Nanos,
    /// Up to this instant.
    pub to: Nanos,
    /// From top to bottom.
    pub lanes: Vec<Lane>,
}

/// The row of the first labels.
const LABELS: f64 = 50.0;
const LABEL_ROW: f64 = 15.0;
const DIGITAL: f64 = 34.0;
const ANALOGUE: f64 = 60.0;

/// Those of the lanes that are not at rest all through a stretch of time, or all where
/// nothing moves in it. A lost press moves no level, and counts.
pub fn moving(session: &Session, mut lanes: Vec<Lane>, from: Nanos, to: Nanos) -> Vec<Lane> {
    let rate = session.plan().rate();
    let (first, last) = (rate.tick_at(from), rate.tick_at(to));
    let moves = |lane: &Lane| {
        let log = log_of(session, *lane);
        let next = log.changes_after(first).next();
        log.value_at(first) != 0.0 || next.is_some_and(|change| change.tick <= last)
    };
    if lanes.iter().any(moves) {
        lanes.retain(moves);
    }
    lanes
}

fn log_of(session: &Session, lane: Lane) -> &LaneLog {
    let history = session.history();
    match lane {
        Lane::Control(id) => history.control_lane(id),
        Lane::Action(id, axis) => &history.action_lanes(id)[axis],
        Lane::Gesture(n) => history.gesture_lane(n),
        Lane::Combo(n) => history.combo_lane(n),
    }
}

/// Draws lanes over time, as SVG: what the polls saw, and for buttons what was
/// reported between them.
pub fn timeline(session: &Session, streams: &StreamWatch, excerpt: &Excerpt) -> String {
    let heights: Vec<f64> = excerpt.lanes.iter().map(|&lane| height(session, lane)).collect();
    let labels = place_labels(session, excerpt);
    let rows = labels.iter().map(|label| label.row + 1).max().unwrap_or(0);
    let top = LABELS + LABEL_ROW * rows as f64;
    let bottom = top + heights.iter().sum::<f64>();
    let mut page = Page::new(bottom + 78.0);
    page.title(&excerpt.title);
    let mut figure = Figure { session, streams, excerpt, page, drawn: Vec::new() };
    figure.axis(top, bottom);
    for label in &labels {
        figure.label(label, top);
    }
    let mut y = top;
    for (&lane, height) in excerpt.lanes.iter().zip(heights) {
        figure.lane(lane, y, height);
        y += height;
    }
    figure.legend(bottom + 60.0);
    figure.page.finish()
}

/// A label and where its words stand.
struct Placed<'a> {
    words: &'a str,
    /// The instant it is about.
    x: f64,
    /// Where the words begin.
    from: f64,
    row: usize,
}

/// Puts every label on the first row on which its words cover no others.
fn place_labels<'a>(session: &'a Session, excerpt: &Excerpt) -> Vec<Placed<'a>> {
    let mut ends: Vec<f64> = Vec::new();
    let inside = session.labels().iter().filter(|l| (excerpt.from..=excerpt.to).contains(&l.time));
    inside
        .map(|label| {
            let words = label.text.as_str();
            let x = x_of(excerpt, label.time);
            let from = (x + 4.0).min(RIGHT + 20.0 - width_of(words)).max(20.0);
            let row = ends.iter().position(|&end| end <= from).unwrap_or(ends.len());
            if row == ends.len() {
                ends.push(0.0);
            }
            ends[row] = (from + width_of(words) + 12.0).max(x + 2.0);
            Placed { words, x, from, row }
        })
        .collect()
}

fn x_of(excerpt: &Excerpt, time: Nanos) -> f64 {
    let span = (excerpt.to.0.saturating_sub(excerpt.from.0)).max(1) as f64;
    let share = (time.0 as f64 - excerpt.from.0 as f64) / span;
    LEFT + share.clamp(0.0, 1.0) * (RIGHT - LEFT)
}

fn is_digital(session: &Session, lane: Lane) -> bool {
    match lane {
        Lane::Control(id) => session.roster().control(id).kind.is_button(),
        Lane::Action(id, _) => session.plan().gives(id).is_digital(),
        Lane::Gesture(_) | Lane::Combo(_) => true,
    }
}

fn height(session: &Session, lane: Lane) -> f64 {
    if is_digital(session, lane) { DIGITAL } else { ANALOGUE }
}

struct Figure<'a> {
    session: &'a Session,
    streams: &'a StreamWatch,
    excerpt: &'a Excerpt,
    page: Page,
    /// What the legend is to name.
    drawn: Vec<Sample>,
}

impl Figure<'_> {
    fn x(&self, time: Nanos) -> f64 {
        x_of(self.excerpt, time)
    }

    fn axis(&mut self, top: f64, bottom: f64) {
        let Excerpt { from, to, .. } = *self.excerpt;
        let step = round_step(to.since(from).as_millis() / 8.0);
        let mut ms = (from.as_millis() / step).ceil() * step;
        while ms <= to.as_millis() {
            let x = self.x(Nanos((ms * 1e6) as u64));
            self.page.line((x, top), (x, bottom), RULE, 1.0);
            self.page.text_centred(x, bottom + 16.0, &format!("{ms:.0}"), FAINT);
            ms += step;
        }
        self.page.text(LEFT, bottom + 34.0, "time, ms", INK);
        let rate = self.session.plan().rate();
        self.page.text_ending(RIGHT, bottom + 34.0, &format!("polled at {rate}"), INK);
    }

    fn lane(&mut self, lane: Lane, y: f64, height: f64) {
        let name = lane_name(self.session, lane);
        self.page.text(20.0, y + height / 2.0 + 4.0, &name, INK);
        let colour = if matches!(lane, Lane::Control(_)) { SIGNAL } else { FIRED };
        let log = log_of(self.session, lane);
        self.drawn.push(Sample::Line(colour));
        let digital = is_digital(self.session, lane);
        let two_sided = !digital && self.goes_below_rest(lane);
        let [zero, one] = lane_extent(self.session, lane);
        let place = |value: f32| {
            let room = height - 16.0;
            let value = (value - zero) / (one - zero);
            let share = if two_sided { (value + 1.0) / 2.0 } else { value };
            y + height - 8.0 - f64::from(share.clamp(0.0, 1.0)) * room
        };
        self.page.line((LEFT, place(0.0)), (RIGHT, place(0.0)), RULE, 1.0);
        if !digital {
            let ends = if two_sided { [one, -one] } else { [one, zero] };
            for end in ends {
                let text = if two_sided { format!("{end:+}") } else { format!("{end}") };
                self.page.text_ending(LEFT - 6.0, place(end) + 4.0, &text, FAINT);
            }
        }
        // A presence is not reported by the device.
        if let (true, Lane::Control(id)) = (digital, lane)
            && !self.session.roster().control(id).is_presence
        {
            let reported = self.reported(id, |value| place(value) + 3.0);
            self.page.trace(&reported, REPORTED, 1.0);
            self.drawn.push(Sample::Line(REPORTED));
        }
        let polled = self.polled(log, place);
        self.page.trace(&polled, colour, 2.0);
        if let Lane::Control(id) = lane {
            for (from, to) in self.holes(id) {
                self.page.hole((from, y + 4.0), (to, y + height - 4.0));
                self.drawn.push(Sample::Hole);
            }
        }
        for change in self.changes(log).filter(|c| c.marks.contains(LaneMarks::LOST)) {
            let x = self.x(self.session.plan().rate().time_of(change.tick));
            self.page.cross(x, place(0.5));
            self.drawn.push(Sample::Cross);
        }
    }

    fn goes_below_rest(&self, lane: Lane) -> bool {
        match lane {
            Lane::Control(id) => {
                matches!(
                    self.session.roster().control(id).kind,
                    ControlKind::Axis { .. } | ControlKind::Relative
                )
            }
            Lane::Action(id, _) => {
                let gives = self.session.plan().gives(id);
                matches!(gives, Gives::Axis | Gives::Plane | Gives::Polar)
            }
            Lane::Gesture(_) | Lane::Combo(_) => false,
        }
    }

    /// The ticks of the excerpt, the last one before it included.
    fn ticks(&self) -> (Tick, Tick) {
        let rate = self.session.plan().rate();
        (rate.tick_at(self.excerpt.from), rate.tick_at(self.excerpt.to))
    }

    fn changes<'l>(&self, log: &'l LaneLog) -> impl Iterator<Item = Change> + use<'l> {
        let (first, last) = self.ticks();
        log.changes_after(first).take_while(move |change| change.tick <= last)
    }

    /// A line that changes only at polls.
    fn polled(&self, log: &LaneLog, place: impl Fn(f32) -> f64) -> Vec<(f64, f64)> {
        let rate = self.session.plan().rate();
        let mut value = log.value_at(self.ticks().0);
        let mut points = vec![(LEFT, place(value))];
        for change in self.changes(log) {
            let x = self.x(rate.time_of(change.tick));
            points.extend([(x, place(value)), (x, place(change.value))]);
            value = change.value;
        }
        points.push((RIGHT, place(value)));
        points
    }

    /// Where nothing is known of a control: its device could not be heard, or
    /// reports are missing.
    fn holes(&self, control: ControlId) -> Vec<(f64, f64)> {
        let presence = self.session.roster().device_of(control).presence();
        if presence == control {
            return Vec::new();
        }
        let log = self.session.history().control_lane(presence);
        let points = self.polled(log, f64::from);
        let away = points.windows(2).filter(|pair| pair[0].1 == 0.0 && pair[0].0 < pair[1].0);
        let away = away.filter(|pair| pair[1].1 == 0.0).map(|pair| (pair[0].0, pair[1].0));
        let device = self.session.roster().control(control).device;
        let missing = self.streams.holes(device, self.excerpt.from, self.excerpt.to);
        away.chain(missing.map(|hole| (self.x(hole.from), self.x(hole.to)))).collect()
    }

    /// A line that changes when the device says so.
    fn reported(&self, control: ControlId, place: impl Fn(f32) -> f64) -> Vec<(f64, f64)> {
        let (first, last) = self.ticks();
        let kind = self.session.roster().control(control).kind;
        let mut value = self.session.history().control_lane(control).value_at(first);
        let mut points = vec![(LEFT, place(value))];
        let reports = self.session.reports_of(control, first, last.next());
        for event in reports.filter(|e| !e.marks.intersects(Marks::REPEAT | Marks::CARRIED)) {
            let x = self.x(event.time);
            let next = normalise(kind, event.value);
            points.extend([(x, place(value)), (x, place(next))]);
            value = next;
        }
        points.push((RIGHT, place(value)));
        points
    }

    fn label(&mut self, label: &Placed, top: f64) {
        let y = LABELS + LABEL_ROW * label.row as f64;
        self.page.line((label.x, y - 9.0), (label.x, top), FAINT, 1.0);
        self.page.text(label.from, y, label.words, INK);
    }

    fn legend(&mut self, y: f64) {
        let of_actions = self.excerpt.lanes.iter().all(|lane| !is_recognised(lane));
        let all = [
            (Sample::Line(SIGNAL), "control, as polled"),
            (Sample::Line(REPORTED), "as reported"),
            (Sample::Line(FIRED), if of_actions { "action" } else { "action, gesture, combo" }),
            (Sample::Cross, "press lost between polls"),
            (Sample::Hole, "nothing known"),
        ];
        let drawn: Vec<_> =
            all.into_iter().filter(|(sample, _)| self.drawn.contains(sample)).collect();
        self.page.legend(y, &drawn);
    }
}

/// Whether a lane is a gesture or a combo.
const fn is_recognised(lane: &Lane) -> bool {
    matches!(lane, Lane::Gesture(_) | Lane::Combo(_))
}
