//! Gestures on the touch bench: the attempts that go on and how far each is,
//! what came of the last ones, and their limits drawn on the panel.

use crate::screen::draw::{paint, ring::Ring};
use crate::screen::{App, Theme};
use gtrig_analysis::{
    limits::{LimitShape, limit_shapes},
    score::{Confusion, Score},
};
use gtrig_core::{
    CheckedLimit, Contact, ContactId, GestureCandidate, GestureId, GestureKind, GestureOutcome,
    GestureVerdict, StickCentre, ZoneId,
};
use gtrig_formats::words::verdict_brief;
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::{Color, Style},
    text::Span,
    widgets::canvas::{Context, Line},
};

/// For so many ticks a verdict is drawn on the panel.
const SHOWN: u32 = 90;

/// So far right of its centre stands the name of what has a place of its own, in widths of the
/// panel.
const BESIDE: f64 = 0.03;

/// The attempts that go on, a row each.
pub(super) fn candidates(buffer: &mut Buffer, rows: &mut impl Iterator<Item = Rect>, app: &App) {
    let plan = app.session().plan();
    let going = app.machine().candidates(plan);
    if let Some(row) = rows.next() {
        let words = match going.len() {
            0 => match zones_with_a_finger(app).as_slice() {
                [] => "no attempt goes on".to_owned(),
                zones => format!("no attempt goes on: the finger is in {}", zones.join(", ")),
            },
            1 => "1 attempt goes on".to_owned(),
            n => format!("{n} attempts go on"),
        };
        let x = paint::text(buffer, row, row.x + 2, &words, app.theme.strong()) + 3;
        if let Some(score) = app.score() {
            let (hits, misses) = score.hits_and_misses();
            let alarms = score.false_alarms.len();
            let words = format!("meant: {hits} hits, {misses} misses, {alarms} false alarms");
            paint::text(buffer, row, x, &words, app.theme.wire());
            confusions(buffer, rows, app, &score);
        }
    }
    for (candidate, row) in going.iter().zip(rows) {
        let name = &app.session().rig().gestures[candidate.gesture.index()].name;
        let (state, style) = state(candidate, app.theme);
        let text = format!("{state} {name:<14} ");
        let mut x = paint::text(buffer, row, row.x + 2, &text, style);
        for check in &candidate.checks {
            let (glyph, style) = match (check.margin >= 0.0, check.quantity.only_grows()) {
                (true, _) => ("✓", app.theme.plain()),
                (false, true) => ("✗", app.theme.lost()),
                (false, false) => ("·", app.theme.doubtful()),
            };
            let unit = check.tunable().unit;
            let (value, limit) = (check.value, check.limit);
            let text = format!("{glyph}{} {value:.0}/{limit:.0} {unit}  ", short(check));
            x = paint::text(buffer, row, x, &text, style);
        }
    }
}

/// The zones that have a finger, which gestures elsewhere do not hear.
fn zones_with_a_finger(app: &App) -> Vec<String> {
    let contacts = app.panel();
    let zones = app.session().plan().zones().on_panel().iter().enumerate();
    let has_one = |n: usize| {
        let mut contacts = contacts.clone().map(ContactId::at);
        contacts.any(|contact| app.machine().zone_has(ZoneId::at(n), contact))
    };
    zones.filter(|(n, _)| has_one(*n)).map(|(_, zone)| zone.name.clone()).collect()
}

/// What was meant against what fired: a row for each name that was not always
/// understood, at most so many.
fn confusions(
    buffer: &mut Buffer,
    rows: &mut impl Iterator<Item = Rect>,
    app: &App,
    score: &Score,
) {
    const SHOWN: usize = 4;
    let rig = app.session().rig();
    let name = |gesture: GestureId| rig.gestures[gesture.index()].name.as_str();
    let by_name = score.confusions.chunk_by(|one, other| one.meant == other.meant);
    let is_right = |cell: &Confusion| cell.meant.as_deref() == cell.fired.map(name);
    let wrong: Vec<&[Confusion]> = by_name.filter(|cells| !cells.iter().all(is_right)).collect();
    for cells in wrong.iter().take(SHOWN) {
        let Some(row) = rows.next() else { return };
        let meant = cells[0].meant.as_deref().unwrap_or("nothing");
        let head = format!("meant {meant:<14} fired ");
        let mut x = paint::text(buffer, row, row.x + 4, &head, app.theme.faint());
        for cell in *cells {
            let fired = cell.fired.map_or("nothing", name);
            let style = if is_right(cell) { app.theme.plain() } else { app.theme.doubtful() };
            let glyph = if is_right(cell) { "✓" } else { "✗" };
            x = paint::text(buffer, row, x, &format!("{glyph}{fired} {}×  ", cell.count), style);
        }
    }
    if let Some(more) = wrong.len().checked_sub(SHOWN).filter(|more| *more > 0)
        && let Some(row) = rows.next()
    {
        let words = format!("and {more} more that were not always understood: see gtrig gestures");
        paint::text(buffer, row, row.x + 4, &words, app.theme.faint());
    }
}

fn state(candidate: &GestureCandidate, theme: Theme) -> (&'static str, Style) {
    match (candidate.has_fired, candidate.is_waiting) {
        (true, _) => ("●", theme.fired()),
        (false, true) => ("◌", theme.wire()),
        (false, false) => ("┄", theme.signal()),
    }
}

/// A quantity without its unit.
fn short(check: &CheckedLimit) -> &'static str {
    let name = check.tunable().name;
    ["-mm-s", "-px-s", "-share-s", "-mm", "-px", "-share", "-ms", "-deg"]
        .iter()
        .find_map(|unit| name.strip_suffix(unit))
        .unwrap_or(name)
}

/// What came of attempts up to the playhead, the newest first.
pub(super) fn verdicts(buffer: &mut Buffer, rows: &mut impl Iterator<Item = Rect>, app: &App) {
    let rig = app.session().rig();
    let name = |verdict: &GestureVerdict| rig.gestures[verdict.gesture.index()].name.clone();
    let mut shown =
        past(app).filter(|v| v.outcome != GestureOutcome::Missed || v.is_near()).peekable();
    while let Some(verdict) = shown.next() {
        let Some(row) = rows.next() else { return };
        let mut names = vec![name(verdict)];
        // What one gesture ended at once is one piece of news.
        let is_same = |other: &&GestureVerdict| {
            matches!(verdict.outcome, GestureOutcome::Cancelled(_))
                && (other.outcome, other.tick) == (verdict.outcome, verdict.tick)
        };
        while let Some(other) = shown.next_if(is_same) {
            let another = name(other);
            if !names.contains(&another) {
                names.push(another);
            }
        }
        let (glyph, style) = match verdict.outcome {
            GestureOutcome::Fired => ("●", app.theme.fired()),
            GestureOutcome::Missed => ("◇", app.theme.doubtful()),
            GestureOutcome::Cancelled(_) => ("⊣", app.theme.faint()),
            GestureOutcome::Broken => ("⊥", app.theme.doubtful()),
            GestureOutcome::Open => ("┄", app.theme.signal()),
        };
        let first = format!("{glyph} {:<14} ", names[0]);
        let x = paint::text(buffer, row, row.x + 2, &first, style);
        let brief = match names.len() {
            1 => verdict_brief(rig, verdict),
            _ => format!("{}; {} too", verdict_brief(rig, verdict), names[1..].join(", ")),
        };
        let text = format!("{:>14}  {brief}", verdict.ended.to_string());
        paint::text(buffer, row, x, &text, app.theme.plain());
    }
}

fn past(app: &App) -> impl Iterator<Item = &GestureVerdict> {
    let verdicts = app.session().history().verdicts();
    let known = verdicts.partition_point(|verdict| verdict.tick <= app.tick());
    verdicts.range(..known).rev()
}

/// A panel on a canvas whose unit is its width, y up.
pub(super) struct Sheet<'a, 'c, 'b> {
    pub(super) app: &'a App,
    pub(super) context: &'c mut Context<'b>,
    /// Of the panel, in millimetres.
    pub(super) size: [f32; 2],
}

impl Sheet<'_, '_, '_> {
    /// The limits of what is being tried, around where it began; those of what has a place of its
    /// own at rest too; and the way of what came of it just now.
    pub(super) fn draw(&mut self) {
        let contacts = &self.app.session().plan().contacts()[self.app.panel()];
        let is_here = |control| contacts.iter().any(|contact| contact.down == control);
        let mut tried = self.app.machine().candidates(self.app.session().plan());
        tried.retain(|candidate| is_here(candidate.contact));
        self.at_rest(contacts, |gesture| tried.iter().any(|of| of.gesture == gesture));
        tried.iter().for_each(|candidate| self.limits(candidate));
        let since = self.app.tick().0.saturating_sub(SHOWN);
        let last = past(self.app)
            .take_while(|verdict| verdict.tick.0 >= since)
            .find(|v| is_here(v.contact) && (v.outcome == GestureOutcome::Fired || v.is_near()));
        if let Some(verdict) = last {
            let style = match verdict.outcome {
                GestureOutcome::Fired => self.app.theme.fired(),
                _ => self.app.theme.doubtful(),
            };
            let [from, to] = verdict.way.map(|place| self.at(place));
            self.line(from, to, style);
            let glyph = if verdict.outcome == GestureOutcome::Fired { "●" } else { "◇" };
            self.context.print(to.0, to.1, Span::styled(glyph, style));
        }
    }

    fn at(&self, [x, y]: [f32; 2]) -> (f64, f64) {
        (f64::from(x / self.size[0]), f64::from((self.size[1] - y) / self.size[0]))
    }

    fn line(&mut self, (x1, y1): (f64, f64), (x2, y2): (f64, f64), style: Style) {
        let color = style.fg.unwrap_or(Color::Reset);
        self.context.draw(&Line { x1, y1, x2, y2, color });
    }

    fn circle(&mut self, place: [f32; 2], mm: f32, style: Style) {
        let ((x, y), color) = (self.at(place), style.fg.unwrap_or(Color::Reset));
        let radius = f64::from(mm / self.size[0]);
        self.context.draw(&Ring { x, y, radius, color });
    }

    fn shapes(&mut self, shapes: &[LimitShape], style: Style) {
        for shape in shapes {
            match shape {
                LimitShape::Circle { centre, radius } => self.circle(*centre, *radius, style),
                LimitShape::Line(places) => {
                    for two in places.windows(2) {
                        self.line(self.at(two[0]), self.at(two[1]), style);
                    }
                }
            }
        }
    }

    /// Fixed sticks, and origins that the rig states, that nobody tries.
    fn at_rest(&mut self, contacts: &[Contact], is_tried: impl Fn(GestureId) -> bool) {
        let (app, [width, height]) = (self.app, self.size);
        for (gesture, id) in app.session().rig().gestures.iter().zip((0..).map(GestureId)) {
            let share = match gesture.kind {
                GestureKind::Stick(StickCentre::Fixed(at)) => at,
                GestureKind::Aim { origin } if gesture.origin.is_none() => origin,
                _ => continue,
            };
            // A panel has no gestures of a pointer, nor a pointer those of fingers.
            let Some(contact) = contacts.iter().find(|contact| gesture.by.has(contact.by)) else {
                continue;
            };
            if !is_tried(id) {
                let centre = [share[0] * width, share[1] * height];
                let shapes = limit_shapes(gesture, contact.per_mm(gesture.unit), centre, centre);
                self.shapes(&shapes, app.theme.faint());
                let (x, y) = self.at(centre);
                let name = Span::styled(gesture.name.clone(), app.theme.faint());
                self.context.print(x + BESIDE, y, name);
            }
        }
    }

    fn limits(&mut self, candidate: &GestureCandidate) {
        let gesture = &self.app.session().rig().gestures[candidate.gesture.index()];
        let theme = self.app.theme;
        let style = if candidate.has_fired { theme.fired() } else { theme.faint() };
        let contact =
            self.app.session().plan().contacts().iter().find(|c| c.down == candidate.contact);
        let per_mm = contact.map_or(1.0, |contact| contact.per_mm(gesture.unit));
        self.shapes(&limit_shapes(gesture, per_mm, candidate.way[0], candidate.centre), style);
        if matches!(gesture.kind, GestureKind::Stick(_) | GestureKind::Aim { .. }) {
            self.line(self.at(candidate.centre), self.at(candidate.way[1]), style);
        }
    }
}
