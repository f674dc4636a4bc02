//! The traces of a lane: levels, filled curves, marks, and what is laid below
//! them.

use super::*;

impl Row<'_> {
    /// On the lane of a combo its attempts, and what came of those that did not
    /// fire.
    pub(super) fn attempts(&mut self, combo: ComboId, row: u16) {
        let (app, stretch) = (self.app, self.app.view.stretch);
        let Some(ladder) = app.ladder(combo) else { return };
        let mut told = Vec::new();
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
            let (words, style) = match attempt.outcome {
                ComboAttemptOutcome::Near => ("◇ nearly", self.theme().doubtful()),
                ComboAttemptOutcome::Missed => ("◇ missed", self.theme().faint()),
                ComboAttemptOutcome::Broken(_) => ("⊣ broken", self.theme().lost()),
                _ => continue,
            };
            told.extend(column(to).map(|at| (at, words.to_owned(), style)));
        }
        self.tell(row, told);
    }

    /// Writes what came of attempts at their columns: in a row of its own in words, which end
    /// before the next, and on the lane itself as signs.
    fn tell(&mut self, row: u16, mut told: Vec<(usize, String, Style)>) {
        told.sort_by_key(|(at, ..)| *at);
        for (n, (at, words, style)) in told.iter().enumerate() {
            let end = told[n + 1..].iter().map(|(next, ..)| *next).find(|next| next > at);
            let room = end.unwrap_or(usize::from(self.traces.width)).saturating_sub(at + 1);
            let room = if row == 0 { 1 } else { room.max(1) };
            let shown = match room {
                1 => words.chars().take(1).collect(),
                room => paint::cut(words, room as u16).into_owned(),
            };
            let place = Rect { y: self.traces.y + row, height: 1, ..self.traces };
            paint::text(self.buffer, place, place.x + *at as u16, &shown, *style);
        }
    }

    /// The row below: what the control reported, at the instants it did. A
    /// poll stands at the first column of its tick, so what happened between
    /// two polls lies between those.
    pub(super) fn reports(&mut self, control: ControlId) {
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
    pub(super) fn by_events(&mut self, action: ActionId, columns: &[Column]) {
        let row = self.below("if on events");
        let (plan, stretch) = (self.app.session().plan(), self.app.view.stretch);
        let history = self.app.session().history();
        let drivers = history.driver_lane(action).columns(stretch.first, stretch.widths());
        let drivers: Vec<LaneSummary> = drivers.collect();
        // A change of driver is an event of one of the two.
        let mut has_event: Vec<bool> = drivers.iter().map(|span| span.min < span.max).collect();
        for feeder in plan.feeders(action) {
            let lane = history.control_lane(feeder).columns(stretch.first, stretch.widths());
            for ((has, span), by) in has_event.iter_mut().zip(lane).zip(&drivers) {
                // Other devices report too, but do not move the action.
                let is_driver =
                    by.last > 0.0 && plan.are_siblings(feeder, ControlId(by.last as u16 - 1));
                *has |= span.changes > 0 && is_driver;
            }
        }
        for (at, (column, has_event)) in columns.iter().zip(stretch.spread(has_event)).enumerate() {
            let (glyph, style) = match column {
                Column::Summary(span) if has_event => self.height_of(furthest(*span)),
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
    pub(super) fn before(&mut self, before: &ActionRecord, (action, axis): (ActionId, usize)) {
        let row = self.below("before");
        let Some(lanes) = before.lanes(action) else { return };
        let stretch = self.app.view.stretch;
        let known = self.app.view.stretch.column_of(before.last());
        let known = known.map_or(usize::from(self.traces.width), |last| usize::from(last) + 1);
        let extent = self.app.extent_of(self.lane);
        let scaled = |span: LaneSummary| span.scaled(extent);
        let now = self.app.log(self.lane).columns(stretch.first, stretch.widths()).map(scaled);
        let was = lanes[axis].columns(stretch.first, stretch.widths()).map(scaled);
        for (at, (was, now)) in stretch.spread(was.zip(now)).enumerate().take(known) {
            let is_other = (was.max - now.max).abs() > SAME || (was.min - now.min).abs() > SAME;
            let (glyph, style) = match self.app.is_digital(self.lane) {
                true => self.edge_or_level(was),
                false => self.height_of(furthest(was)),
            };
            let changed = self.theme().doubtful().add_modifier(style.add_modifier);
            self.put(row, at, glyph, if is_other { changed } else { style });
        }
    }

    /// The row below: what the game gave, with a mark wherever it differs.
    pub(super) fn game(&mut self) {
        let Some((agreed, value)) = self.app.game_value_of(self.lane) else { return };
        let row = self.below("in the game");
        let (stretch, rate) = (self.app.view.stretch, self.app.session().plan().rate());
        let trace = &agreed.found.traces[value];
        let extent = self.app.extent_of(self.lane);
        let is_digital = self.app.is_digital(self.lane);
        for (at, cell) in stretch.spread(stretch.cells()).enumerate() {
            let first = cell.first.0;
            let tick = |tick: u32| rate.time_of(Tick(tick));
            let after = if first == 0 { Nanos(0) } else { tick(first - 1) };
            let until = tick(first.saturating_add(cell.ticks - 1));
            if after > trace.ends() {
                break;
            }
            let here = trace.between(after, until);
            let Some(last) = trace.at(until).filter(|last| !last.value.is_nan()) else { continue };
            let shown = here.iter().filter(|point| !point.value.is_nan()).map(|point| point.value);
            let far = shown
                .fold(last.value, |far, value| if value.abs() > far.abs() { value } else { far });
            let was = trace.at(after);
            let differs = last.differs
                || was.is_some_and(|was| was.differs && here.is_empty())
                || here.iter().any(|point| point.differs);
            let scaled = LaneSummary::steady(far).scaled(extent).last;
            let (glyph, style) = match is_digital {
                true if far != 0.0 => ("▀", self.theme().plain()),
                true => ("─", self.theme().rule()),
                false => {
                    let (glyph, style) = self.height_of(scaled);
                    let shape = style.add_modifier & Modifier::REVERSED;
                    let plain = if far == 0.0 { self.theme().rule() } else { self.theme().plain() };
                    (glyph, plain.add_modifier(shape))
                }
            };
            match differs {
                true if is_digital && far == 0.0 => self.put(row, at, "≠", self.theme().doubtful()),
                // Not by the colour alone.
                true => {
                    let style = style.patch(self.theme().doubtful());
                    self.put(row, at, glyph, style.add_modifier(Modifier::UNDERLINED));
                }
                false => self.put(row, at, glyph, style),
            }
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
        let last = stretch.end();
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
        stretch.column_between(poll, time.0 - from.0, to.0 - from.0)
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

    pub(super) fn put(&mut self, row: u16, column: usize, glyph: &str, style: Style) {
        let area = Rect { y: self.traces.y + row, height: 1, ..self.traces };
        paint::glyph(self.buffer, area, self.traces.x + column as u16, glyph, style);
    }

    pub(super) fn digital(&mut self, columns: &[Column]) {
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
    pub(super) fn gesture(&mut self, columns: &[Column]) {
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

    /// Below the lane of a gesture, what came of each attempt at it, and what it wanted.
    pub(super) fn outcomes(&mut self, gesture: GestureId, row: u16) {
        let (session, stretch) = (self.app.session(), self.app.view.stretch);
        let verdicts = session.history().verdicts();
        let mut told = Vec::new();
        let first = verdicts.partition_point(|verdict| verdict.tick < stretch.first);
        for verdict in verdicts.range(first..).filter(|verdict| verdict.gesture == gesture) {
            let (sign, style) = match verdict.outcome {
                GestureOutcome::Fired => ("●", self.theme().fired()),
                GestureOutcome::Missed if verdict.is_near() => ("◇", self.theme().doubtful()),
                GestureOutcome::Missed => ("◇", self.theme().faint()),
                GestureOutcome::Cancelled(_) | GestureOutcome::Broken => {
                    ("⊣", self.theme().faint())
                }
                GestureOutcome::Open => continue,
            };
            let tick = verdict.fired.unwrap_or(verdict.tick);
            match stretch.column_of(tick.max(stretch.first)) {
                Some(column) => {
                    let words = match verdict.outcome {
                        GestureOutcome::Fired => "fired".to_owned(),
                        _ => verdict_brief(session.rig(), verdict),
                    };
                    told.push((usize::from(column), format!("{sign} {words}"), style));
                }
                None => break,
            }
        }
        self.tell(row, told);
    }

    /// On the lane of a contact, what came of its gestures.
    pub(super) fn verdicts(&mut self, row: u16) {
        let Lane::Control(control) = self.lane else { return };
        let (session, stretch) = (self.app.session(), self.app.view.stretch);
        let verdicts = session.history().verdicts();
        if verdicts.is_empty() || session.plan().contacts().iter().all(|c| c.down != control) {
            return;
        }
        let name = |gesture: GestureId| session.rig().gestures[gesture.index()].name.as_str();
        let mut told: Vec<(usize, String, Style)> = Vec::new();
        let first = verdicts.partition_point(|verdict| verdict.tick < stretch.first);
        for verdict in verdicts.range(first..).filter(|verdict| verdict.contact == control) {
            let (tick, glyph, style) = match verdict.fired {
                Some(tick) => (tick, "●", self.theme().fired()),
                None if verdict.is_near() => (verdict.tick, "◇", self.theme().doubtful()),
                None => continue,
            };
            match stretch.column_of(tick) {
                Some(column) => {
                    let words = format!("{glyph} {}", name(verdict.gesture));
                    told.push((usize::from(column), words, style));
                }
                None if verdict.tick > stretch.tick_at(stretch.columns) => break,
                None => {}
            }
        }
        self.tell(row, told);
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
    pub(super) fn two_sided(&mut self, columns: &[Column]) {
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

    pub(super) fn one_row(&mut self, columns: &[Column]) {
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

    pub(super) fn marked(&mut self, at: usize, marks: LaneMarks) {
        if let Some((glyph, style)) = mark(self.theme(), marks) {
            self.put(0, at, glyph, style);
        }
    }

    pub(super) fn no_value(&mut self, at: usize, column: Column) {
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
