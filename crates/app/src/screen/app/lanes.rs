//! What the views ask of the application about lanes.

use super::App;
use crate::screen::bench::Bench;
use crate::screen::view::{Lane, has_words, lane_extent, lanes};
use crate::screen::viewport::PLOT;
use gtrig_analysis::{Label, LaneLog, score, score::Score, stream::Trouble};
use gtrig_core::{
    ActionId, BoundInput, CleanText, ControlId, ControlKind, DeviceId, LaneMarks, Nanos, Tick,
};

/// A curve is never taller: it would look larger than it is.
const MOST_PLOT: u16 = 7;

/// So long a lane that moved is shown while time goes on.
const KEPT_UNFOLDED: Nanos = Nanos::from_millis(30_000);

impl App {
    /// The lanes that are shown: those at rest in view are folded away.
    pub(crate) fn lanes(&self) -> Vec<Lane> {
        self.shown_and_folded_lanes().0
    }

    /// The lanes that are shown, and those that are folded away.
    pub(crate) fn shown_and_folded_lanes(&self) -> (Vec<Lane>, Vec<Lane>) {
        let lanes = self.listed_lanes();
        // Before anything has happened, they say what there is.
        if self.folds() && lanes.iter().any(|&lane| !self.log(lane).is_empty()) {
            let is_shown = |lane: &Lane| {
                self.view.chosen == Some(*lane) || self.is_pinned(*lane) || !self.rests(*lane)
            };
            let (mut shown, mut folded): (Vec<Lane>, Vec<Lane>) =
                lanes.into_iter().partition(is_shown);
            // A lane can always be chosen and asked about.
            if shown.is_empty() {
                shown.push(folded.remove(0));
            }
            (shown, folded)
        } else {
            (lanes, Vec::new())
        }
    }

    /// Somebody who looks for a lane by its name wants to see it.
    fn folds(&self) -> bool {
        self.view.folds && self.view.filter.is_empty()
    }

    /// Whether a lane stays at rest, without a mark, all through what is in view. While
    /// time goes on, one that moved is kept for a while, so that lanes do not come and go.
    fn rests(&self, lane: Lane) -> bool {
        let first = match self.view.is_live() {
            true => {
                let kept = self.session().plan().rate().tick_at(KEPT_UNFOLDED);
                Tick(self.last().0.saturating_sub(kept.0)).min(self.view.stretch.first)
            }
            false => self.view.stretch.first,
        };
        let (log, end) = (self.log(lane), self.view.end(self.last()));
        let first_change = log.changes_after(first.before()).next();
        log.value_at(first) == 0.0 && first_change.is_none_or(|change| change.tick > end)
    }

    /// The lanes that are searched for something: those that are hidden too.
    pub(super) fn searched_lanes(&self) -> Vec<Lane> {
        lanes(self.session(), &self.view.filter)
    }

    /// All lanes that the filter lets through.
    pub(in crate::screen) fn listed_lanes(&self) -> Vec<Lane> {
        let mut lanes = lanes(self.session(), &self.view.filter);
        // Who looks for a lane by its name wants to see it, hidden or not.
        if self.view.filter.is_empty() {
            lanes = self.arranged(lanes);
        }
        // What the bench is about comes first.
        if let Some(is_about) = self.bench.entry().is_about {
            lanes.sort_by_key(|&lane| (!self.is_pinned(lane), !is_about(self, lane)));
        }
        lanes
    }

    /// Whether a lane is about a touch panel.
    pub(in crate::screen) fn is_touch(&self, lane: Lane) -> bool {
        let plan = self.session().plan();
        match lane {
            Lane::Combo(_) => false,
            Lane::Gesture(_) => true,
            Lane::Control(id) => plan.contacts_of(id).next().is_some(),
            Lane::Action(id, _) => plan.inputs(id).iter().any(|input| {
                matches!(
                    input,
                    BoundInput::Gesture { .. } | BoundInput::Zone { .. } | BoundInput::Place { .. }
                )
            }),
        }
    }

    /// Whether a lane is a combo, or an action that one drives or reads, or a button
    /// of one.
    pub(in crate::screen) fn is_timing(&self, lane: Lane) -> bool {
        let plan = self.session().plan();
        match lane {
            Lane::Combo(_) => true,
            Lane::Gesture(_) => false,
            Lane::Control(id) => plan.feeds_combos(id),
            Lane::Action(id, _) => {
                let is_combo = |input: &BoundInput| matches!(input, BoundInput::Combo(_));
                plan.inputs(id).iter().any(is_combo) || plan.combos_read(id)
            }
        }
    }

    /// How what was meant was understood, if any label says what was meant.
    pub(crate) fn score(&self) -> Option<Score> {
        let labels = self.session().labels();
        let says = |label: &Label| score::named(label.text.as_str()).is_some();
        // Attempts are many, and looked at in every frame only where they must be.
        let score = labels
            .iter()
            .any(says)
            .then(|| score::score(self.session().rig(), labels, self.session().attempts().iter()));
        score.filter(|score| !score.meant.is_empty())
    }

    pub(crate) fn log(&self, lane: Lane) -> &LaneLog {
        let history = self.session().history();
        match lane {
            Lane::Control(id) => history.control_lane(id),
            Lane::Action(id, axis) => &history.action_lanes(id)[axis],
            Lane::Gesture(n) => history.gesture_lane(n),
            Lane::Combo(n) => history.combo_lane(n),
        }
    }

    /// The lane that commands are about: the chosen one, or the first.
    pub(crate) fn lane(&self) -> Option<Lane> {
        let filter = &self.view.filter;
        let is_shown = |lane: &Lane| filter.is_empty() || has_words(self.session(), *lane, filter);
        self.view.chosen.filter(is_shown).or_else(|| self.lanes().first().copied())
    }

    /// The lane that shows a trouble best: that of its control, or else the
    /// first of its device.
    pub(crate) fn lane_of(&self, trouble: &Trouble) -> Option<Lane> {
        let of_device = |lane: &Lane| match lane {
            Lane::Control(id) => self.session().roster().control(*id).device == trouble.device,
            Lane::Action(..) | Lane::Gesture(_) | Lane::Combo(_) => false,
        };
        let own = trouble.control.map(Lane::Control);
        own.or_else(|| self.listed_lanes().into_iter().find(of_device))
    }

    /// The trouble under the playhead or, if there is none, the last one before
    /// it, by its place in the list.
    pub(crate) fn trouble_at_playhead(&self) -> Option<usize> {
        let now = self.session().plan().rate().time_of(self.tick());
        self.document
            .streams
            .troubles()
            .partition_point(|trouble| trouble.from <= now)
            .checked_sub(1)
    }

    pub(crate) fn is_digital(&self, lane: Lane) -> bool {
        match lane {
            Lane::Control(id) => self.session().roster().control(id).kind.is_button(),
            Lane::Action(id, _) => self.session().plan().gives(id).is_digital(),
            Lane::Gesture(_) | Lane::Combo(_) => true,
        }
    }

    /// The marks, as ticks.
    pub(crate) fn marks(&self) -> impl DoubleEndedIterator<Item = (Tick, &CleanText)> {
        let rate = self.session().plan().rate();
        self.session().labels().iter().map(move |label| (rate.tick_seeing(label.time), &label.text))
    }

    /// The device of the device bench.
    pub(crate) fn device(&self) -> Option<DeviceId> {
        self.session().roster().devices().nth(self.device).map(|(id, _)| id)
    }

    /// How many rows a lane takes.
    pub(crate) fn lane_height(&self, lane: Lane) -> u16 {
        let least = self.least_height(lane);
        if self.view.has_verdict_rows && self.has_verdicts(lane) {
            return least + 1;
        }
        match self.view.plot_rows {
            rows if rows >= PLOT && self.is_plotted(lane) => {
                rows + u16::from(self.shows_reports(lane))
            }
            _ => least,
        }
    }

    /// The same where there is no room to spare.
    fn least_height(&self, lane: Lane) -> u16 {
        // A short screen is better used for more lanes.
        let has_room = self.view.hit.lanes.height >= 16;
        let tall = has_room && self.is_plotted(lane) && self.is_two_sided(lane);
        1 + u16::from(tall) + u16::from(self.shows_reports(lane))
    }

    /// Whether a lane has a curve that more rows show better.
    fn is_plotted(&self, lane: Lane) -> bool {
        self.view.is_tall && !self.is_digital(lane) && !self.log(lane).is_empty()
    }

    /// Whether a lane has what came of gestures or combos, in a row of its own.
    pub(crate) fn has_verdict_row(&self, lane: Lane) -> bool {
        self.view.has_verdict_rows && self.has_verdicts(lane)
    }

    fn has_verdicts(&self, lane: Lane) -> bool {
        match lane {
            Lane::Control(id) => {
                let plan = self.session().plan();
                !self.session().history().verdicts().is_empty()
                    && plan.contacts().iter().any(|contact| contact.down == id)
            }
            Lane::Combo(combo) => self.ladder(combo).is_some_and(|of| !of.attempts().is_empty()),
            Lane::Gesture(_) => !self.log(lane).is_empty(),
            Lane::Action(..) => false,
        }
    }

    /// Gives these lanes the rows that are to spare in a timeline of so many: first those that
    /// have verdicts a row for them, then the curves.
    pub(in crate::screen) fn share_rows(&mut self, lanes: &[Lane], height: u16) {
        self.view.has_verdict_rows = false;
        let with_verdicts = lanes.iter().filter(|&&lane| self.has_verdicts(lane)).count();
        let used: usize = lanes.iter().map(|&lane| usize::from(self.least_height(lane))).sum();
        // A row stays for what is folded away.
        let free = usize::from(height).checked_sub(1 + used + with_verdicts);
        self.view.has_verdict_rows = self.view.is_tall && free.is_some();
        self.view.plot_rows = self.plot_rows(lanes, height);
    }

    /// How many rows each curve of these lanes can have in a timeline of so many; 0 where there
    /// is no room to spare.
    fn plot_rows(&self, lanes: &[Lane], height: u16) -> u16 {
        let plotted = lanes.iter().filter(|&&lane| self.is_plotted(lane)).count();
        let height_of = |&lane: &Lane| {
            let least = usize::from(self.least_height(lane));
            let least = least + usize::from(self.has_verdict_row(lane));
            least.max(if self.is_plotted(lane) { 2 } else { 1 })
        };
        let used = 1 + lanes.iter().map(height_of).sum::<usize>();
        let free = usize::from(height).checked_sub(used).filter(|_| plotted > 0);
        // An odd number has a row for the line of rest in its middle.
        let rows = free.map(|free| (1 + free / plotted) | 1);
        rows.map_or(0, |rows| rows.min(MOST_PLOT.into()) as u16)
    }

    /// Whether a lane has a second reading below that of the polls: the chosen
    /// one. Of a control it is what was reported, as soon as there is room
    /// between two polls; of an action with a value, what code that acts on
    /// events would have made of it.
    pub(crate) fn shows_reports(&self, lane: Lane) -> bool {
        let has_room = self.view.stretch.zoom.has_room_in_ticks();
        let is_chosen = self.view.chosen == Some(lane);
        match lane {
            Lane::Control(_) => is_chosen && has_room,
            Lane::Action(..) if self.game_value_of(lane).is_some() => {
                is_chosen || self.bench == Bench::Game
            }
            // What the bench tunes is shown beside what it was.
            Lane::Action(id, _) if self.tuning.before.is_some() => {
                let is_tuned = self.subject().is_some_and(|(action, ..)| action == id);
                is_chosen || (is_tuned && self.bench == Bench::Stick)
            }
            Lane::Action(..) => is_chosen && !self.is_digital(lane),
            Lane::Gesture(_) | Lane::Combo(_) => false,
        }
    }

    /// The values of a lane that are drawn as 0 and as 1.
    pub(crate) fn extent_of(&self, lane: Lane) -> [f32; 2] {
        lane_extent(self.session(), lane)
    }

    /// Whether a lane's values go below zero.
    pub(crate) fn is_two_sided(&self, lane: Lane) -> bool {
        match lane {
            Lane::Control(id) => {
                matches!(
                    self.session().roster().control(id).kind,
                    ControlKind::Axis { .. } | ControlKind::Relative
                )
            }
            Lane::Action(id, _) => !self.session().plan().gives(id).is_digital(),
            Lane::Gesture(_) | Lane::Combo(_) => false,
        }
    }

    /// Whether a live session has seen nothing but devices that came, and waits for a
    /// person to do something.
    pub(crate) fn is_untouched(&self) -> bool {
        !self.document.is_take
            && !self.captured
            && self.view.filter.is_empty()
            && self
                .view
                .shown
                .iter()
                .chain(&self.view.folded)
                .all(|&lane| self.log(lane).is_empty())
    }

    /// The ticks that are measured between, the earlier one first.
    pub(crate) fn measured(&self) -> Option<[Tick; 2]> {
        let (one, other) = (self.view.measured_from?, self.tick());
        Some([one.min(other), one.max(other)])
    }

    /// How far it is from where time is measured to the playhead, and what the chosen
    /// lane does between.
    pub(crate) fn measured_in_words(&self) -> Option<String> {
        let from = self.view.measured_from?;
        let [first, last] = self.measured()?;
        let rate = self.session().plan().rate();
        let time = Nanos(rate.time_of(last).0 - rate.time_of(first).0);
        let sign = if self.tick() < from { "−" } else { "+" };
        let ticks = last.0 - first.0;
        let words = format!("Δ {sign}{time}, {ticks} tick{}", if ticks == 1 { "" } else { "s" });
        let on_lane = self.lane().map(|lane| self.edges_in_words(lane, [first, last]));
        Some(match on_lane.filter(|text| !text.is_empty()) {
            Some(on_lane) => format!("{words}: {on_lane}"),
            None => words,
        })
    }

    /// How often a lane is pressed and released after one tick up to another; of an
    /// analogue one how far it goes.
    fn edges_in_words(&self, lane: Lane, [first, last]: [Tick; 2]) -> String {
        let log = self.log(lane);
        let changes = || log.changes_after(first).take_while(|change| change.tick <= last);
        if !self.is_digital(lane) {
            let values = changes().map(|change| change.value).chain([log.value_at(first)]);
            let [low, high] = values.fold([f32::INFINITY, f32::NEG_INFINITY], |[low, high], v| {
                [low.min(v), high.max(v)]
            });
            return format!("from {low:+.2} to {high:+.2}");
        }
        let mut was_on = log.value_at(first) != 0.0;
        let [mut pressed, mut released, mut lost] = [0, 0, 0];
        for change in changes() {
            let is_on = change.value != 0.0;
            pressed += usize::from(is_on && !was_on);
            released += usize::from(!is_on && was_on);
            lost += usize::from(change.marks.contains(LaneMarks::LOST));
            was_on = is_on;
        }
        let counts = [(pressed, "on"), (released, "off"), (lost, "lost")];
        let counts = counts.iter().filter(|(count, _)| *count > 0);
        counts.map(|(count, word)| format!("{count} × {word}")).collect::<Vec<_>>().join(", ")
    }

    /// Every action, for the board.
    pub(crate) fn actions(&self) -> impl Iterator<Item = ActionId> + use<> {
        (0..self.session().plan().action_count() as u16).map(ActionId)
    }

    /// How long a button has been as it is, in ticks.
    pub(crate) fn ticks_since_change(&self, control: ControlId) -> Option<u32> {
        let lane = self.session().history().control_lane(control);
        let tick = self.tick();
        lane.since(tick).map(|since| tick.0 - since.0)
    }
}
