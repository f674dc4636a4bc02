//! The ladder bench: each step of a combo as a rung, with its window to scale and
//! the press that met it or missed it.
//!
//! ```text
//!  roll   push down, push down-right within 200 ms, …         what nearly fired
//!  at 7 152.00 ms: 118.67 ms (8 ticks) too late on `within`   12.4 ms too late  two-blasts
//!  push down          ●                                       18.6 ms too far   both-hands
//!  push down-right    ├────────●─────┤      ✓ 93.9 ms spare
//!  press north                 ├───────┤ ✗  118.67 ms too late
//! ```

use super::Entry;
use super::tune;
use crate::figure::{self, Excerpt, LadderSheet};
use crate::screen::App;
use crate::screen::draw::paint;
use crate::screen::keymap::Command;
use gtrig_analysis::ladder::{ComboAttempt, ComboAttemptOutcome, Ladder, LimitCheck, Rung};
use gtrig_core::{Combo, ComboId, ComboLimit, ComboStep, Moment, PollRate, StepKind, TimeSpan};
use gtrig_formats::words::{attempt_words, combo_words, miss_words, rung_words, span_words};
use ratatui::{buffer::Buffer, layout::Rect, style::Style};

/// Columns for what came of a step, and for the list beside.
const SAID: u16 = 30;
const BESIDE: u16 = 60;

/// What there is to know of it.
pub(crate) const ENTRY: Entry = Entry {
    bench: super::Bench::Ladder,
    key: "L",
    name: "ladder",
    help: "bench: the ladder of a combo, its steps and windows",
    keys: &[Command::NextDevice(1), Command::Near(1), Command::Near(-1)],
    draw,
    numbers: Some(App::numbers_of_combo),
    figure: |app, excerpt| {
        let Some(combo) = app.combo() else {
            return (Entry::PLAIN.figure)(app, excerpt);
        };
        let Excerpt { title, from, to, .. } = excerpt;
        Ok(figure::ladder(app.session(), &LadderSheet { title, combo, from, to }))
    },
    is_about: Some(App::is_timing),
    ..Entry::PLAIN
};

fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    let Some(n) = app.combo() else {
        let text = "the rig has no [combo.…]: docs/rig-format.md says how to add one";
        paint::text(buffer, area, area.x + 2, text, app.theme.faint());
        return;
    };
    // A narrow screen has no room for the list beside.
    let beside = if area.width >= 130 { BESIDE } else { 0 };
    let right = Rect { x: area.right() - beside, width: beside, ..area };
    // Nothing runs into the list.
    let left = Rect { width: area.width - beside - if beside > 0 { 2 } else { 0 }, ..area };
    near(buffer, right, app);
    let Some(ladder) = app.ladder(n) else { return };
    let combo = &app.session().rig().combos[n.index()];
    let names =
        combo.steps.iter().map(|step| rung_words(app.session().rig(), step).chars().count());
    let name = (names.max().unwrap_or(0) as u16 + 4).clamp(20, 44);
    Bench { app, n, ladder, combo, name }.draw(buffer, left);
}

/// What nearly fired in the whole history, the nearest first.
fn near(buffer: &mut Buffer, area: Rect, app: &App) {
    let rig = app.session().rig();
    let misses = app.near_misses();
    let mut rows = paint::rows(area);
    if let Some(row) = rows.next() {
        let title = match misses.len() {
            0 => "nothing nearly fired".to_owned(),
            count => format!("{count} nearly fired, the nearest first"),
        };
        let x = paint::text(buffer, row, row.x, &title, app.theme.strong()) + 2;
        if !misses.is_empty() {
            let text = format!("{} goes there", app.key_of(Command::Near(1)));
            paint::text(buffer, row, x, &text, app.theme.faint());
        }
    }
    for ((n, attempt), row) in misses.into_iter().zip(rows) {
        let combo = &rig.combos[n.index()];
        let Some(check) = attempt.nearest() else { continue };
        let is_here = app.end_tick(attempt) == app.tick();
        let style = if is_here { app.theme.chosen() } else { app.theme.plain() };
        let at = format!("◇ {:>12}", attempt.ended_at.to_string());
        let x = paint::text(buffer, row, row.x, &at, app.theme.faint()) + 2;
        let x = paint::text(buffer, row, x, &combo.name, style).max(x + 12) + 1;
        let words = miss_words(combo, rig.rate, check);
        paint::text(buffer, row, x, &words, app.theme.doubtful());
    }
}

struct Bench<'a> {
    app: &'a App,
    n: ComboId,
    ladder: &'a Ladder,
    combo: &'a Combo,
    /// Columns for the names of its steps.
    name: u16,
}

impl Bench<'_> {
    fn rate(&self) -> PollRate {
        self.app.session().plan().rate()
    }

    fn draw(&self, buffer: &mut Buffer, area: Rect) {
        let (theme, rig) = (self.app.theme, self.app.session().rig());
        let mut rows = paint::rows(area);
        let attempt = self.app.attempt_of(self.n);
        if let Some(row) = rows.next() {
            let x = paint::text(buffer, row, row.x + 2, &self.combo.name, theme.strong()) + 2;
            paint::text(buffer, row, x, &combo_words(rig, self.combo), theme.faint());
        }
        if let Some(row) = rows.next() {
            self.said(buffer, row, attempt);
        }
        let met = self.app.machine().combo_progress(self.app.session().plan(), self.n);
        let scale = Scale::of(self, attempt);
        for (n, row) in (0..self.combo.steps.len()).zip(&mut rows) {
            self.rung(buffer, row, (n, met), attempt, &scale);
        }
        if let Some(row) = rows.next() {
            scale.draw(buffer, row, self.app);
        }
        if let Some(row) = rows.next() {
            self.what_if(buffer, row, attempt);
        }
        let rest: Vec<Rect> = rows.collect();
        let (histogram, knobs) = rest.split_at(rest.len().min(3));
        self.histogram(buffer, histogram, attempt);
        let Some((head, list)) = knobs.split_first() else { return };
        tune::head(buffer, *head, self.app, "numbers of this combo");
        tune::list(buffer, list, self.app, |knob| {
            let place = knob.place.to_string();
            let short = place.strip_prefix(&format!("combo.{}.", self.combo.name));
            (short.unwrap_or(&place).to_owned(), knob.tunable.meaning)
        });
    }

    /// What the attempt under the playhead came to.
    fn said(&self, buffer: &mut Buffer, row: Rect, attempt: Option<&ComboAttempt>) {
        let theme = self.app.theme;
        let Some(attempt) = attempt else {
            let text = match self.app.next_attempt_of(self.n) {
                Some(next) => {
                    format!(
                        "nobody has tried it by now; the next attempt is over at {}",
                        next.ended_at
                    )
                }
                None => "nobody has tried it yet".to_owned(),
            };
            paint::text(buffer, row, row.x + 2, &text, theme.faint());
            return;
        };
        let (glyph, style) = match attempt.outcome {
            ComboAttemptOutcome::Met => ("● ", theme.fired()),
            ComboAttemptOutcome::Near => ("◇ ", theme.doubtful()),
            ComboAttemptOutcome::Missed => ("✗ ", theme.lost()),
            ComboAttemptOutcome::Broken(_) => ("⊣ ", theme.lost()),
            ComboAttemptOutcome::Stopped(_) => ("┄ ", theme.faint()),
        };
        let x = paint::text(buffer, row, row.x + 2, glyph, style);
        let words = attempt_words(self.app.session().rig(), self.combo, attempt);
        let text = format!("{}  {words}", attempt.ended_at);
        paint::text(buffer, row, x, &text, style);
    }

    fn rung(
        &self,
        buffer: &mut Buffer,
        row: Rect,
        (n, met): (usize, usize),
        attempt: Option<&ComboAttempt>,
        scale: &Scale,
    ) {
        let theme = self.app.theme;
        let step = &self.combo.steps[n];
        let is_met = n < met;
        let style = if is_met { theme.fired() } else { theme.plain() };
        let pointer = if is_met { "▸" } else { " " };
        let name = format!("{pointer} {}", rung_words(self.app.session().rig(), step));
        let label = Rect { width: self.name.min(row.width), ..row };
        paint::text(buffer, label, row.x + 2, &name, style);
        let track = scale.track(row);
        let rungs = attempt.map_or(&[][..], |attempt| &attempt.rungs);
        let before = n.checked_sub(1).and_then(|m| rungs.get(m));
        if let Some(before) = before.filter(|_| !matches!(step.what, StepKind::Quiet(_))) {
            let from = step.opens().over(before.met, self.rate());
            let to = step.within.over(before.met, self.rate());
            self.window(buffer, track, (from, to), scale);
        }
        if let Some(window) = rungs.get(n).and_then(|rung| self.own_window(step, rung)) {
            self.window(buffer, track, window, scale);
        }
        let worst = attempt.and_then(|attempt| attempt.worst_of(n));
        if let Some(rung) = rungs.get(n) {
            let (press, met) = (scale.column(track, rung.first), scale.column(track, rung.met));
            let is_missed = worst.is_some_and(|check| check.margin < 0);
            let style = if is_missed { theme.lost() } else { theme.fired() };
            for x in press..=met {
                paint::glyph(buffer, track, x, "━", style);
            }
            let last = scale.column(track, rung.press);
            paint::glyph(buffer, track, press, "●", style);
            paint::glyph(buffer, track, last, if is_missed { "✗" } else { "●" }, style);
        }
        let (text, style) = self.words(worst, rungs.get(n).is_some());
        let said = Rect {
            x: track.right() + 1,
            width: SAID.min(row.right().saturating_sub(track.right() + 1)),
            ..row
        };
        paint::text(buffer, said, said.x, &text, style);
    }

    /// When what a step asks of itself is over: of a chord, which must be
    /// complete by then, or of a hold, which must last until then.
    fn own_window(&self, step: &ComboStep, rung: &Rung) -> Option<(Moment, Moment)> {
        match step.what {
            StepKind::Together { spread, .. } => {
                Some((rung.first, spread.over(rung.first, self.rate())))
            }
            StepKind::Hold(_, span) | StepKind::Quiet(span) => {
                Some((rung.press, span.over(rung.press, self.rate())))
            }
            StepKind::Press(_) | StepKind::Release(_) => None,
        }
    }

    fn window(
        &self,
        buffer: &mut Buffer,
        track: Rect,
        (from, to): (Moment, Moment),
        scale: &Scale,
    ) {
        let (from, to) = (scale.column(track, from), scale.column(track, to));
        for x in from..=to {
            let glyph = match x {
                x if x == from => "├",
                x if x == to => "┤",
                _ => "─",
            };
            paint::glyph(buffer, track, x, glyph, self.app.theme.wire());
        }
    }

    /// What came of a rung, in words.
    fn words(&self, worst: Option<&LimitCheck>, is_there: bool) -> (String, Style) {
        let theme = self.app.theme;
        match worst {
            Some(check) if check.margin < 0 => {
                (miss_words(self.combo, self.rate(), check), theme.lost())
            }
            Some(check) if check.margin < i64::MAX => {
                let spare = span_words(check.asked.with(check.margin));
                (format!("✓ {spare} to spare"), theme.plain())
            }
            _ if is_there => ("✓".to_owned(), theme.plain()),
            _ => (String::new(), theme.faint()),
        }
    }

    /// What other limits would have made of the attempt.
    fn what_if(&self, buffer: &mut Buffer, row: Rect, attempt: Option<&ComboAttempt>) {
        let theme = self.app.theme;
        let Some(check) = attempt.and_then(ComboAttempt::nearest) else { return };
        let step = match check.asked {
            TimeSpan::Time(_) => gtrig_core::tunable::WITHIN.step * 1e6,
            TimeSpan::Ticks(_) => 1.0,
        } as i64;
        let is_least = gtrig_analysis::ladder::is_least(self.combo, check.limit);
        let toward = |by: i64| check.asked.amount() + if is_least { -by } else { by };
        let enough = span_words(check.asked.with(toward(-check.margin)));
        let one = span_words(check.asked.with(toward(step)));
        let would = if -check.margin <= step { "fires it too" } else { "does not" };
        let text = format!(
            "with {enough} instead of {} it fires; one step, {one}, {would}",
            span_words(check.asked)
        );
        paint::text(buffer, row, row.x + 2, &text, theme.doubtful());
    }

    /// The intervals of a step as they came, against its window.
    fn histogram(&self, buffer: &mut Buffer, rows: &[Rect], attempt: Option<&ComboAttempt>) {
        let [first, .., last] = rows else { return };
        let theme = self.app.theme;
        let of_check = |check: &LimitCheck| match check.limit {
            ComboLimit::Within(n) | ComboLimit::After(n) => Some(usize::from(n)),
            _ => None,
        };
        let chosen = attempt.and_then(ComboAttempt::nearest).and_then(of_check);
        let most = (1..self.combo.steps.len()).max_by_key(|&n| self.ladder.gaps(n).len());
        let Some(n) = chosen.or(most) else { return };
        let gaps = self.ladder.gaps(n);
        let step = &self.combo.steps[n];
        let words = rung_words(self.app.session().rig(), step);
        let title = match gaps.len() {
            0 => format!("no interval to `{words}` yet"),
            count => format!("{count} intervals to `{words}`, │ its window"),
        };
        paint::text(buffer, *first, first.x + 2, &title, theme.faint());
        if gaps.is_empty() {
            return;
        }
        let width = first.width.saturating_sub(self.name + SAID).max(10);
        let bars = Rect { x: first.x + self.name, y: first.y + 1, width, height: 1 };
        let end = (step.within.amount() * 2).max(1);
        let mut counts = vec![0u32; usize::from(width)];
        for gap in gaps {
            let at = (*gap as f64 / end as f64 * f64::from(width)) as usize;
            counts[at.min(usize::from(width) - 1)] += 1;
        }
        let most = counts.iter().copied().max().unwrap_or(1).max(1);
        for (at, count) in counts.iter().enumerate().filter(|(_, count)| **count > 0) {
            let share = *count as f32 / most as f32;
            let gap = at as i64 * end / i64::from(width);
            let is_in = gap <= step.within.amount() && gap >= step.opens().amount();
            let style = if is_in { theme.signal() } else { theme.lost() };
            paint::glyph(buffer, bars, bars.x + at as u16, paint::filled(share.max(0.2)), style);
        }
        for limit in [step.opens().amount(), step.within.amount()] {
            let at = (limit as f64 / end as f64 * f64::from(width)) as u16;
            if limit > 0 {
                paint::glyph(buffer, bars, bars.x + at, "│", theme.wire());
                let label = Rect { y: bars.y + 1, ..bars };
                let text = span_words(step.within.with(limit));
                if last.y >= label.y {
                    paint::text(buffer, label, bars.x + at, &text, theme.faint());
                }
            }
        }
    }
}

/// Time along the rungs.
struct Scale {
    from: Moment,
    /// In nanoseconds.
    length: u64,
    /// Columns left of it.
    left: u16,
}

impl Scale {
    /// From the first press of an attempt to the last press or window.
    fn of(bench: &Bench, attempt: Option<&ComboAttempt>) -> Self {
        let Some(attempt) = attempt else {
            return Scale { from: Moment::default(), length: 1, left: bench.name };
        };
        let from = attempt.rungs.first().map_or(attempt.began, |rung| rung.first);
        let from = from.min(attempt.began);
        let own = attempt.rungs.iter().zip(&bench.combo.steps);
        let own = own.filter_map(|(rung, step)| bench.own_window(step, rung)).map(|(_, to)| to);
        let windows = attempt.rungs.iter().zip(bench.combo.steps.iter().skip(1));
        let windows = windows
            .filter(|(_, step)| !matches!(step.what, StepKind::Quiet(_)))
            .map(|(rung, step)| step.within.over(rung.met, bench.rate()));
        let presses = attempt.rungs.iter().map(|rung| rung.met);
        let to = windows.chain(presses).chain(own).max().unwrap_or(attempt.ended);
        let length = to.time.0.saturating_sub(from.time.0).max(1);
        Scale { from, length, left: bench.name }
    }

    /// Where time runs: between the name of a step and what is said of it. A narrow
    /// row has room for less of it, and at last for none.
    fn track(&self, row: Rect) -> Rect {
        let x = row.x + self.left + 2;
        let track = Rect { x, width: row.width.saturating_sub(self.left + SAID + 3).max(8), ..row };
        track.intersection(row)
    }

    fn column(&self, track: Rect, at: Moment) -> u16 {
        let share = at.time.0.saturating_sub(self.from.time.0) as f64 / self.length as f64;
        track.x + (share.min(1.0) * f64::from(track.width.saturating_sub(1))).round() as u16
    }

    fn draw(&self, buffer: &mut Buffer, row: Rect, app: &App) {
        if self.length == 1 {
            return;
        }
        let track = self.track(row);
        paint::text(buffer, track, track.x, "0", app.theme.faint());
        let end = format!("{:.0} ms", self.length as f64 / 1e6);
        paint::text_right(buffer, track, &end, app.theme.faint());
    }
}
