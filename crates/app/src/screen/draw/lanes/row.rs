//! One lane: its name, its value under the playhead, and what each column of the
//! timeline holds of it.

mod plot;
mod traces;

use super::*;
use crate::screen::viewport::PLOT;
use gtrig_core::{GestureOutcome, Gives};
use gtrig_formats::words::verdict_brief;
use unicode_width::UnicodeWidthStr;

pub(super) struct Row<'a> {
    pub(super) buffer: &'a mut Buffer,
    pub(super) area: Rect,
    pub(super) traces: Rect,
    pub(super) app: &'a App,
    pub(super) lane: Lane,
}

/// What a column of the timeline holds.
#[derive(Clone, Copy)]
enum Column {
    /// Before the history begins, or after the latest tick.
    Nothing,
    /// The device could not be heard: not a quiet hand, a hole in knowledge.
    Hole,
    /// Reports of the device are missing.
    Missing,
    /// A column that repeats the one before: part of the same tick.
    Same(LaneSummary),
    Summary(LaneSummary),
}

impl Row<'_> {
    pub(super) fn draw(mut self) {
        self.name();
        self.value();
        let columns = self.columns();
        if self.app.shows_reports(self.lane) && self.area.height > 1 {
            match self.lane {
                Lane::Control(control) => self.reports(control),
                Lane::Gesture(_) | Lane::Combo(_) => {}
                Lane::Action(..) if self.app.game_value_of(self.lane).is_some() => self.game(),
                Lane::Action(action, axis) => match self.app.tuning.before.as_ref() {
                    Some(before) => self.before(before, (action, axis)),
                    None => self.by_events(action, &columns),
                },
            }
            self.area.height -= 1;
            self.traces.height -= 1;
        }
        // Edges and verdicts hide each other only where there is no room for both.
        let has_own = self.app.has_verdict_row(self.lane) && self.area.height > 1;
        let verdicts = u16::from(has_own);
        if let Lane::Gesture(n) = self.lane {
            self.gesture(&columns);
            if has_own {
                self.outcomes(n, verdicts);
            }
        } else if let Lane::Combo(n) = self.lane {
            self.gesture(&columns);
            self.attempts(n, verdicts);
        } else if self.app.is_digital(self.lane) {
            self.digital(&columns);
            self.verdicts(verdicts);
        } else if self.area.height >= PLOT {
            self.plot(&columns);
        } else if self.area.height > 1 {
            self.two_sided(&columns);
        } else {
            self.one_row(&columns);
        }
    }

    fn theme(&self) -> Theme {
        self.app.theme
    }

    fn is_action(&self) -> bool {
        matches!(self.lane, Lane::Action(..))
    }

    /// Whether it is a place, and nothing is there.
    fn is_nowhere(&self) -> bool {
        let Lane::Action(id, _) = self.lane else { return false };
        let gives = self.app.session().plan().gives(id);
        gives == Gives::Place && !self.app.machine().action(id).is_active()
    }

    /// Whether it counts.
    fn is_count(&self) -> bool {
        let roster = self.app.session().roster();
        matches!(self.lane, Lane::Control(id) if roster.control(id).kind == ControlKind::Relative)
    }

    fn is_presence(&self) -> bool {
        let roster = self.app.session().roster();
        matches!(self.lane, Lane::Control(id) if roster.control(id).is_presence)
    }

    fn name(&mut self) {
        let chosen = self.app.view.chosen == Some(self.lane);
        let style = match (chosen, self.is_action()) {
            (true, _) => self.theme().chosen(),
            (false, true) => self.theme().strong(),
            (false, false) => self.theme().plain(),
        };
        let name = lane_name(self.app.session(), self.lane);
        let indent = if self.is_action() { "" } else { "  " };
        let pointer = if chosen { "▸" } else { " " };
        let width = self.traces.x - self.area.x;
        let pin = if self.app.is_pinned(self.lane) { "▪" } else { "" };
        let gathered = if self.app.is_gathered(self.lane) { " …" } else { "" };
        let signs = pointer.width() + pin.width() + indent.width() + gathered.width();
        let name = paint::cut_name(&name, width.saturating_sub(signs as u16));
        let text = format!("{pointer}{pin}{indent}{name}{gathered}");
        let text = format!("{text:<width$}", width = usize::from(width).saturating_sub(1));
        let gutter = Rect { width, ..self.area };
        paint::text(self.buffer, gutter, gutter.x, &text, style);
    }

    /// The value under the playhead.
    fn value(&mut self) {
        let value = match self.lane {
            Lane::Control(id) => self.app.machine().control(id).value,
            Lane::Action(id, 0) => self.app.machine().action(id).x,
            Lane::Action(id, _) => self.app.machine().action(id).y,
            Lane::Gesture(n) => return self.gesture_state(n),
            Lane::Combo(n) => return self.combo_state(n),
        };
        let text = match (self.app.is_digital(self.lane), self.is_action()) {
            (true, false) if self.is_presence() => {
                ["away", "here"][usize::from(value != 0.0)].to_owned()
            }
            (true, true) => ["off", "on"][usize::from(value != 0.0)].to_owned(),
            (true, false) => ["up", "down"][usize::from(value != 0.0)].to_owned(),
            (false, _) if self.is_nowhere() => "nowhere".to_owned(),
            (false, _) if self.is_count() => format!("{value:+.0}"),
            (false, _) if self.app.extent_of(self.lane)[1] > 1.0 => format!("{value:+.1}"),
            (false, _) => format!("{value:+.3}"),
        };
        let style = self.level_style(value != 0.0);
        paint::text_right(self.buffer, self.gutter(), &text, style);
    }

    /// What a gesture does under the playhead.
    fn gesture_state(&mut self, gesture: GestureId) {
        let state = self.app.machine().gesture(gesture);
        let (text, style) = match state {
            _ if state.is_on() => ("fired", self.theme().fired()),
            _ if state.trying > 0 => ("trying", self.theme().signal()),
            _ => ("idle", self.theme().faint()),
        };
        paint::text_right(self.buffer, self.gutter(), text, style);
    }

    /// How far a combo is under the playhead.
    fn combo_state(&mut self, combo: ComboId) {
        let met = self.app.machine().combo_progress(self.app.session().plan(), combo);
        let count = self.app.session().rig().combos[combo.index()].steps.len();
        let (text, style) = match (self.app.machine().combo(combo).is_on(), met) {
            (true, _) => ("fired".to_owned(), self.theme().fired()),
            (false, 0) => ("idle".to_owned(), self.theme().faint()),
            (false, met) => (format!("{met} of {count}"), self.theme().signal()),
        };
        paint::text_right(self.buffer, self.gutter(), &text, style);
    }

    /// The room for the value, at the right.
    fn gutter(&self) -> Rect {
        let x = self.traces.right();
        Rect { x, width: self.area.right() - x, ..self.area }
    }

    fn level_style(&self, active: bool) -> Style {
        match (active, self.is_action()) {
            (true, true) => self.theme().fired(),
            (true, false) => self.theme().signal(),
            (false, _) => self.theme().faint(),
        }
    }

    fn columns(&self) -> Vec<Column> {
        let app = self.app;
        let stretch = app.view.stretch;
        let begins = app.session().history().begins();
        let count = usize::from(self.traces.width);
        let spans = app.log(self.lane).columns(stretch.first, stretch.widths());
        let extent = self.app.extent_of(self.lane);
        let spans = spans.map(|span| span.scaled(extent));
        let mut presence = self.presence().map(|log| log.columns(stretch.first, stretch.widths()));
        let mut columns = Vec::with_capacity(count);
        for (span, cell) in spans.zip(stretch.cells()) {
            let heard = presence.as_mut().and_then(Iterator::next).is_none_or(|p| p.max > 0.0);
            let tick = cell.first.0;
            let known = tick <= app.last().0 && tick.saturating_add(cell.ticks) > begins.0;
            let column = match (known, heard || !span.marks.is_empty()) {
                (false, _) => Column::Nothing,
                (true, false) => Column::Hole,
                (true, true) => Column::Summary(span),
            };
            columns.push(column);
            let same = match column {
                Column::Summary(span) => Column::Same(span),
                other => other,
            };
            columns.extend((1..cell.columns).map(|_| same));
        }
        columns.truncate(count);
        self.cut_out_missing(&mut columns);
        columns
    }

    /// Nothing is known between two reports that have others missing between
    /// them, whatever the polls made of it.
    fn cut_out_missing(&self, columns: &mut [Column]) {
        let Lane::Control(control) = self.lane else { return };
        let app = self.app;
        let (rate, stretch) = (app.session().plan().rate(), app.view.stretch);
        let end = stretch.end();
        let device = app.session().roster().control(control).device;
        let holes =
            app.document.streams.holes(device, rate.time_of(stretch.first), rate.time_of(end));
        for hole in holes {
            let column = |tick: Tick| stretch.column_of(tick.max(stretch.first)).map(usize::from);
            let first = column(rate.tick_seeing(hole.from).next()).unwrap_or(columns.len());
            let after = column(rate.tick_seeing(hole.to)).unwrap_or(columns.len());
            // However short, it must be seen.
            let after = after.max(first + 1).min(columns.len());
            columns[first.min(after)..after].fill(Column::Missing);
        }
    }

    /// The lane that says whether this control's device can be heard.
    fn presence(&self) -> Option<&gtrig_analysis::LaneLog> {
        match self.lane {
            Lane::Control(id) => {
                let presence = self.app.session().roster().device_of(id).presence();
                (presence != id).then(|| self.app.session().history().control_lane(presence))
            }
            Lane::Action(..) | Lane::Gesture(_) | Lane::Combo(_) => None,
        }
    }
}
