//! The timeline: a logic analyser for input.

use super::{Areas, paint};
use crate::screen::{
    App, Theme,
    theme::mark,
    view::{Lane, lane_name},
};
use gtrig_analysis::{
    LaneSummary,
    compare::{ActionRecord, SAME},
    ladder::ComboAttemptOutcome,
    score,
};
use gtrig_core::{
    ActionId, CleanText, ComboId, ControlId, GestureId, LaneMarks, Marks, Nanos, Tick, normalise,
};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::{Modifier, Style},
};
use unicode_width::UnicodeWidthStr;

pub(super) fn draw(buffer: &mut Buffer, areas: &Areas, app: &App) {
    ruler(buffer, areas, app);
    marks(buffer, areas, app);
    let lanes = app.lanes();
    let mut below = areas.lanes;
    for &lane in lanes.iter().skip(app.view.first_lane) {
        let height = app.lane_height(lane).min(below.height);
        if height == 0 {
            break;
        }
        let area = Rect { height, ..below };
        Row { buffer, area, traces: areas.traces(area), app, lane }.draw();
        below.y += height;
        below.height -= height;
    }
    if lanes.is_empty() {
        let text = match app.view.filter.is_empty() {
            true => "no lanes: the rig has no actions, and nothing has moved yet",
            false => "no lane has these words in its name; Esc drops the filter",
        };
        paint::text(buffer, areas.lanes, areas.lanes.x, text, app.theme.faint());
    }
    playhead(buffer, areas, app);
}

/// Time along the top, the place of the playhead, and what the filter is.
fn ruler(buffer: &mut Buffer, areas: &Areas, app: &App) {
    let (row, traces) = (areas.ruler, areas.traces(areas.ruler));
    paint::rule(buffer, row, app.theme);
    let title = match app.view.filter.as_str() {
        "" => " lanes ".to_owned(),
        filter => format!(" lanes / {filter} "),
    };
    paint::text(
        buffer,
        Rect { width: areas.gutters.0, ..row },
        row.x + 2,
        &title,
        app.theme.strong(),
    );
    if app.view.stretch.zoom.columns_per_tick() > 1 {
        // There is room between two polls: say where they are.
        for column in (0..traces.width).step_by(app.view.stretch.zoom.columns_per_tick() as usize) {
            paint::glyph(buffer, traces, traces.x + column, "╷", app.theme.faint());
        }
    }
    for (column, ms) in time_labels(app) {
        let x = traces.x + column;
        let text = format!("┬{} ms ", paint::grouped(ms));
        if usize::from(traces.right().saturating_sub(x)) > text.width() {
            paint::text(buffer, traces, x, &text, app.theme.faint());
        } else {
            paint::glyph(buffer, traces, x, "┬", app.theme.faint());
        }
    }
    if let Some(column) = app.view.stretch.column_of(app.tick()) {
        paint::glyph(buffer, traces, traces.x + column, "▼", app.theme.wire());
    }
}

/// Columns and round milliseconds, at least eighteen columns apart. A label
/// stands at the tick that sees its instant.
fn time_labels(app: &App) -> impl Iterator<Item = (u16, u64)> + use<> {
    let rate = app.session().plan().rate();
    let stretch = app.view.stretch;
    let ms_at = |tick| rate.time_of(tick).as_millis();
    let first = ms_at(stretch.first);
    let least = (ms_at(stretch.tick_at(18)) - first).max(1.0) as u64;
    let decade = 10u64.pow(least.ilog10());
    let every = [1, 2, 5, 10].into_iter().map(|n| n * decade).find(|&n| n >= least);
    let every = every.unwrap_or(least);
    let start = (first as u64).div_ceil(every);
    (start..).map_while(move |n| {
        let ms = n * every;
        Some((stretch.column_of(rate.tick_seeing(Nanos::from_millis(ms)))?, ms))
    })
}

/// What people wrote on the timeline.
fn marks(buffer: &mut Buffer, areas: &Areas, app: &App) {
    let (row, traces) = (areas.marks, areas.traces(areas.marks));
    if row.height == 0 {
        return;
    }
    paint::text(buffer, row, row.x + 2, "marks", app.theme.faint());
    let score = app.score();
    let mut answers = score.iter().flat_map(|score| &score.meant);
    let flag = |(tick, text): (Tick, &CleanText)| {
        // What was meant wears what became of it.
        let answer = score::named(text.as_str()).and_then(|_| answers.next());
        let style = match answer.map(|meant| meant.is_hit) {
            Some(true) => ("✓ ", app.theme.fired()),
            Some(false) => ("✗ ", app.theme.lost()),
            None => ("⚑ ", app.theme.wire()),
        };
        let words = text.as_str().strip_prefix(score::PREFIX).unwrap_or(text.as_str());
        Some((app.view.stretch.column_of(tick)?, style, words.to_owned()))
    };
    let mut flags = app.marks().filter_map(flag).peekable();
    while let Some((column, (glyph, style), words)) = flags.next() {
        // Words end before the next flag.
        let end = flags.peek().map_or(traces.width, |(next, ..)| *next);
        let room = Rect { x: traces.x + column, width: end - column, ..traces };
        let x = paint::text(buffer, room, room.x, glyph, style);
        paint::text(buffer, room, x, &words, style);
    }
}

fn playhead(buffer: &mut Buffer, areas: &Areas, app: &App) {
    let Some(column) = app.view.stretch.column_of(app.tick()) else { return };
    for rows in [areas.marks, areas.lanes] {
        let traces = areas.traces(rows);
        for y in traces.top()..traces.bottom() {
            if let Some(cell) = buffer.cell_mut((traces.x + column, y)) {
                cell.set_style(app.theme.playhead());
            }
        }
    }
}

struct Row<'a> {
    buffer: &'a mut Buffer,
    area: Rect,
    traces: Rect,
    app: &'a App,
    lane: Lane,
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
    fn draw(mut self) {
        self.name();
        self.value();
        let columns = self.columns();
        if self.app.shows_reports(self.lane) && self.area.height > 1 {
            match self.lane {
                Lane::Control(control) => self.reports(control),
                Lane::Gesture(_) | Lane::Combo(_) => {}
                Lane::Action(action, axis) => match self.app.tuning.before.as_ref() {
                    Some(before) => self.before(before, (action, axis)),
                    None => self.by_events(action, &columns),
                },
            }
            self.area.height -= 1;
            self.traces.height -= 1;
        }
        if let Lane::Gesture(_) = self.lane {
            self.gesture(&columns);
        } else if let Lane::Combo(n) = self.lane {
            self.gesture(&columns);
            self.attempts(n);
        } else if self.app.is_digital(self.lane) {
            self.digital(&columns);
            self.verdicts();
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
        let width = usize::from(self.traces.x - self.area.x).saturating_sub(1);
        let text = format!("{pointer}{indent}{name}");
        let text = format!("{text:<width$}");
        let gutter = Rect { width: self.traces.x - self.area.x, ..self.area };
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

    /// On the lane of a combo its attempts, and what came of those that did not
    /// fire.
    fn attempts(&mut self, combo: ComboId) {
        let (app, stretch) = (self.app, self.app.view.stretch);
        let Some(ladder) = app.ladder(combo) else { return };
        let attempts = ladder.attempts();
        let first = attempts.partition_point(|attempt| app.end_tick(attempt) < stretch.first);
        for attempt in &attempts[first..] {
            let rate = app.session().plan().rate();
            let began = attempt.rungs.first().map_or(Nanos(0), |rung| rung.reported);
            let (from, to) = (rate.tick_seeing(began), app.end_tick(attempt));
            if from > stretch.tick_at(stretch.columns) {
                break;
            }
            let column = |tick: Tick| stretch.column_of(tick.max(stretch.first)).map(usize::from);
            let after = column(to).unwrap_or(usize::from(self.traces.width));
            for at in column(from).unwrap_or(after)..after {
                self.put(0, at, "┄", self.theme().signal());
            }
            let (glyph, style) = match attempt.outcome {
                ComboAttemptOutcome::Near => ("◇", self.theme().doubtful()),
                ComboAttemptOutcome::Broken(_) => ("⊣", self.theme().lost()),
                _ => continue,
            };
            if let Some(at) = column(to) {
                self.put(0, at, glyph, style);
            }
        }
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
        let (width, repeat) = (stretch.zoom.ticks_per_column(), stretch.zoom.columns_per_tick());
        let begins = app.session().history().begins();
        let count = usize::from(self.traces.width);
        let spans = app.log(self.lane).columns(stretch.first, width);
        let mut presence = self.presence().map(|log| log.columns(stretch.first, width));
        let mut columns = Vec::with_capacity(count);
        for (span, tick) in spans.zip((0..).map(|i| stretch.first.0 + i * width)) {
            if columns.len() >= count {
                break;
            }
            let heard = presence.as_mut().and_then(Iterator::next).is_none_or(|p| p.max > 0.0);
            let known = tick <= app.last().0 && tick + width > begins.0;
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
            columns.extend((1..repeat).map(|_| same));
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
        let end = Tick(stretch.first.0 + stretch.zoom.ticks_in(stretch.columns));
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

    /// The row below: what the control reported, at the instants it did. A
    /// poll stands at the first column of its tick, so what happened between
    /// two polls lies between those.
    fn reports(&mut self, control: ControlId) {
        let row = self.below("as reported");
        let known = self.app.view.stretch.column_of(self.app.last());
        let known = known.map_or(usize::from(self.traces.width), |last| usize::from(last) + 1);
        let is_button = self.app.is_digital(self.lane);
        for (at, span) in self.reported(control).into_iter().enumerate().take(known) {
            let (glyph, style) =
                if is_button { self.edge_or_level(span) } else { self.height_of(span.last) };
            self.put(row, at, glyph, style);
        }
    }

    /// The row below: the action as code would have it that acts only when an
    /// event comes. Where the state is held still, such code stands still too.
    fn by_events(&mut self, action: ActionId, columns: &[Column]) {
        let row = self.below("if on events");
        let (plan, stretch) = (self.app.session().plan(), self.app.view.stretch);
        let width = stretch.zoom.ticks_per_column();
        let count = columns.len().div_ceil(stretch.zoom.columns_per_tick() as usize);
        let history = self.app.session().history();
        let drivers = history.driver_lane(action).columns(stretch.first, width);
        let drivers: Vec<LaneSummary> = drivers.take(count).collect();
        // A change of driver is an event of one of the two.
        let mut has_event: Vec<bool> = drivers.iter().map(|span| span.min < span.max).collect();
        for feeder in plan.feeders(action) {
            let lane = history.control_lane(feeder).columns(stretch.first, width);
            for ((has, span), by) in has_event.iter_mut().zip(lane).zip(&drivers) {
                // Other devices report too, but do not move the action.
                let is_driver =
                    by.last > 0.0 && plan.are_siblings(feeder, ControlId(by.last as u16 - 1));
                *has |= span.changes > 0 && is_driver;
            }
        }
        for (at, column) in columns.iter().enumerate() {
            let (glyph, style) = match column {
                Column::Summary(span)
                    if has_event[at / stretch.zoom.columns_per_tick() as usize] =>
                {
                    self.height_of(furthest(*span))
                }
                Column::Summary(span) | Column::Same(span) if furthest(*span) != 0.0 => {
                    ("·", self.theme().doubtful())
                }
                Column::Summary(_) | Column::Same(_) => ("─", self.theme().rule()),
                _ => continue,
            };
            self.put(row, at, glyph, style);
        }
    }

    /// The row below: what the action was before any number was nudged, bright
    /// where it is another now.
    fn before(&mut self, before: &ActionRecord, (action, axis): (ActionId, usize)) {
        let row = self.below("before");
        let Some(lanes) = before.lanes(action) else { return };
        let stretch = self.app.view.stretch;
        let (width, repeat) = (stretch.zoom.ticks_per_column(), stretch.zoom.columns_per_tick());
        let known = self.app.view.stretch.column_of(before.last());
        let known = known.map_or(usize::from(self.traces.width), |last| usize::from(last) + 1);
        let now = self.app.log(self.lane).columns(stretch.first, width);
        let was = lanes[axis].columns(stretch.first, width);
        let each = |pair| std::iter::repeat_n(pair, repeat as usize);
        for (at, (was, now)) in was.zip(now).flat_map(each).enumerate().take(known) {
            let is_other = (was.max - now.max).abs() > SAME || (was.min - now.min).abs() > SAME;
            let (glyph, style) = match self.app.is_digital(self.lane) {
                true => self.edge_or_level(was),
                false => self.height_of(furthest(was)),
            };
            let changed = self.theme().doubtful().add_modifier(style.add_modifier);
            self.put(row, at, glyph, if is_other { changed } else { style });
        }
    }

    /// Names the row below the lane's own. Returns its place in the lane.
    fn below(&mut self, name: &str) -> u16 {
        let row = self.area.height - 1;
        let label = Rect { y: self.area.y + row, height: 1, ..self.area };
        paint::text(self.buffer, label, label.x + 5, name, self.theme().faint());
        row
    }

    /// What a control reported, column by column.
    fn reported(&self, control: ControlId) -> Vec<LaneSummary> {
        let (session, stretch) = (self.app.session(), self.app.view.stretch);
        let kind = session.roster().control(control).kind;
        let last = Tick(stretch.first.0 + stretch.zoom.ticks_in(stretch.columns));
        let mut level = self.app.log(self.lane).value_at(stretch.first);
        let mut columns = vec![LaneSummary::steady(level); usize::from(self.traces.width)];
        // Columns before this one are settled.
        let mut next = 0;
        let reports = session
            .reports_of(control, stretch.first, last)
            .filter(|event| !event.marks.intersects(Marks::REPEAT | Marks::CARRIED));
        for event in reports {
            let at = self.column_of_instant(event.time);
            let Some(unsettled) = columns.get_mut(next..=at) else { continue };
            unsettled.fill(LaneSummary::steady(level));
            level = normalise(kind, event.value);
            columns[at] = columns[at].changed_to(level);
            next = at + 1;
        }
        columns[next..].fill(LaneSummary::steady(level));
        columns
    }

    /// The column in which an instant lies, polls being at the first columns
    /// of their ticks.
    fn column_of_instant(&self, time: Nanos) -> usize {
        let rate = self.app.session().plan().rate();
        let stretch = self.app.view.stretch;
        let poll = rate.tick_at(time);
        let (from, to) = (rate.time_of(poll), rate.time_of(poll.next()));
        let per_tick = u64::from(stretch.zoom.columns_per_tick());
        let between = (time.0 - from.0) * per_tick / (to.0 - from.0);
        (u64::from(poll.0 - stretch.first.0) * per_tick + between) as usize
    }

    /// A value in one row: upwards from the bottom, or below rest hanging from
    /// the top.
    fn height_of(&self, value: f32) -> (&'static str, Style) {
        let style = self.level_style(value != 0.0);
        let two_sided = self.app.is_two_sided(self.lane);
        match (value.abs() < 1.0 / 16.0, two_sided) {
            (true, true) => ("─", self.theme().rule()),
            (true, false) => ("▁", style),
            // The complement of a block filled from below, reversed, is a
            // block filled from above.
            (false, true) if value < 0.0 => {
                (paint::filled(1.0 + value), style.add_modifier(Modifier::REVERSED))
            }
            (false, _) => (paint::filled(value), style),
        }
    }

    fn put(&mut self, row: u16, column: usize, glyph: &str, style: Style) {
        let area = Rect { y: self.traces.y + row, height: 1, ..self.traces };
        paint::glyph(self.buffer, area, self.traces.x + column as u16, glyph, style);
    }

    fn digital(&mut self, columns: &[Column]) {
        for (at, &column) in columns.iter().enumerate() {
            let (glyph, style) = match column {
                Column::Nothing => (" ", Style::new()),
                Column::Hole => ("░", self.theme().rule()),
                Column::Missing => ("░", self.theme().doubtful()),
                Column::Same(span) => self.level(span),
                Column::Summary(span) => mark(self.theme(), span.marks)
                    .filter(|_| has_glyph(span))
                    .unwrap_or_else(|| self.edge_or_level(span)),
            };
            self.put(0, at, glyph, style);
        }
    }

    /// Idle, being tried, fired; what was missed by little or ended by another.
    fn gesture(&mut self, columns: &[Column]) {
        let mut was_on = false;
        for (at, &column) in columns.iter().enumerate() {
            let (Column::Summary(span) | Column::Same(span)) = column else { continue };
            let is_first = matches!(column, Column::Summary(_));
            let begins = is_first && !std::mem::replace(&mut was_on, span.last == 1.0);
            let (glyph, style) = match (span.max, mark(self.theme(), span.marks)) {
                (1.0, _) if begins => ("●", self.theme().fired()),
                (1.0, _) => ("▔", self.theme().fired()),
                (_, Some(mark)) if is_first => mark,
                (0.5, _) => ("┄", self.theme().signal()),
                _ => ("▁", self.theme().faint()),
            };
            self.put(0, at, glyph, style);
        }
    }

    /// On the lane of a contact, what came of its gestures.
    fn verdicts(&mut self) {
        let Lane::Control(control) = self.lane else { return };
        let (session, stretch) = (self.app.session(), self.app.view.stretch);
        let verdicts = session.history().verdicts();
        if verdicts.is_empty() || session.plan().contacts().iter().all(|c| c.down != control) {
            return;
        }
        let first = verdicts.partition_point(|verdict| verdict.tick < stretch.first);
        for verdict in verdicts.range(first..).filter(|verdict| verdict.contact == control) {
            let (tick, glyph, style) = match verdict.fired {
                Some(tick) => (tick, "●", self.theme().fired()),
                None if verdict.is_near() => (verdict.tick, "◇", self.theme().doubtful()),
                None => continue,
            };
            match stretch.column_of(tick) {
                Some(column) => self.put(0, usize::from(column), glyph, style),
                None if verdict.tick > stretch.tick_at(stretch.columns) => break,
                None => {}
            }
        }
    }

    fn level(&self, span: LaneSummary) -> (&'static str, Style) {
        let high = span.last != 0.0;
        (if high { "▔" } else { "▁" }, self.level_style(high))
    }

    fn edge_or_level(&self, span: LaneSummary) -> (&'static str, Style) {
        let glyph = match (span.changes, span.last != 0.0) {
            (0, _) => return self.level(span),
            (1, true) => "╱",
            (1, false) => "╲",
            (2, false) => "┃",
            _ => "▒",
        };
        (glyph, self.level_style(true))
    }

    /// Above rest in the upper row, below rest in the lower one, as if
    /// mirrored in the line between them.
    fn two_sided(&mut self, columns: &[Column]) {
        for (at, &column) in columns.iter().enumerate() {
            let (Column::Summary(span) | Column::Same(span)) = column else {
                self.no_value(at, column);
                continue;
            };
            let active = span.max != 0.0 || span.min != 0.0;
            let style = self.level_style(active);
            let above = paint::filled(span.max.max(0.0));
            match above {
                // The line of rest shows where nothing rises above it.
                " " => self.put(0, at, "▁", self.theme().rule()),
                _ => self.put(0, at, above, style),
            }
            // The complement of a block filled from below, reversed, is a
            // block filled from above.
            let below = (-span.min).clamp(0.0, 1.0);
            if below > 1.0 / 16.0 {
                let glyph = paint::filled(1.0 - below);
                self.put(1, at, glyph, style.add_modifier(Modifier::REVERSED));
            }
            self.marked(at, span.marks);
        }
    }

    fn one_row(&mut self, columns: &[Column]) {
        for (at, &column) in columns.iter().enumerate() {
            let (Column::Summary(span) | Column::Same(span)) = column else {
                self.no_value(at, column);
                continue;
            };
            let (glyph, style) = self.height_of(furthest(span));
            self.put(0, at, glyph, style);
            self.marked(at, span.marks);
        }
    }

    fn marked(&mut self, at: usize, marks: LaneMarks) {
        if let Some((glyph, style)) = mark(self.theme(), marks) {
            self.put(0, at, glyph, style);
        }
    }

    fn no_value(&mut self, at: usize, column: Column) {
        let style = match column {
            Column::Hole => self.theme().rule(),
            Column::Missing => self.theme().doubtful(),
            _ => return,
        };
        for row in 0..self.area.height {
            self.put(row, at, "░", style);
        }
    }
}

/// The value furthest from rest, which stands for a column.
fn furthest(span: LaneSummary) -> f32 {
    if span.max >= -span.min { span.max } else { span.min }
}

/// An inferred press is no news; an inferred release is.
fn has_glyph(span: LaneSummary) -> bool {
    span.marks != LaneMarks::INFERRED || span.last == 0.0
}
