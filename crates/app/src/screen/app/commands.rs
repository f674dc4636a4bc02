//! What the commands do.

use super::{App, Help, Request};
use crate::figure::Excerpt;
use crate::recorder::Recorder;
use crate::screen::{
    bench::Bench,
    keymap::Command,
    prompt::{Prompt, Purpose},
    view::{Lane, lane_name},
    viewport::Playhead,
};
use gtrig_analysis::{Change, Label, score};
use gtrig_core::{CleanText, LaneMarks, Nanos, Tick};
use gtrig_formats::words::trouble_words;
use gtrig_sources::Story;
use std::path::Path;

impl App {
    pub(super) fn run(&mut self, command: Command, at: Nanos) -> Option<Request> {
        match command {
            Command::FreezeOrGo => self.freeze_or_go(),
            Command::Step(by) => self.go_to(offset(self.tick(), by)),
            Command::Begin => self.go_to(self.session().history().begins()),
            Command::End => self.go_to(self.last()),
            Command::Edge(way) => self.jump_to_edge(way),
            Command::Mark => self.toggle_mark(),
            Command::MarkWithWords => self.ask_for_mark(),
            Command::NextMark(way) => self.jump_to_mark(way),
            Command::Trouble(way) => self.jump_to_trouble(way),
            Command::Near(way) => self.jump_to_near(way),
            Command::Lost(way) => self.jump_to_lost(way),
            Command::Knob(by) => self.choose_knob(by),
            Command::Nudge(steps) => self.nudge(steps),
            Command::Value => self.ask_for_value(),
            Command::Propose => self.take_proposal(),
            Command::Lay => self.lay_next(),
            Command::Mistake(by) => self.next_mistake(by),
            Command::Reset => self.reset_knob(),
            Command::Undo => self.undo_nudge(),
            Command::Redo => self.redo_nudge(),
            Command::Before => self.take_as_before(),
            Command::WriteRig => self.write_rig(),
            Command::Difference(way) => self.jump_to_difference(way),
            Command::Zoom(steps) => self.zoom(self.tick(), steps),
            Command::Pan(quarters) => self.pan(quarters),
            Command::FitAll => self.fit_all(),
            Command::Lane(by) => self.choose(by),
            Command::LanePage(by) => {
                self.choose(by * i32::from(self.view.hit.lanes.height.max(2) / 2));
            }
            Command::Fold => self.view.folds = !self.view.folds,
            Command::Measure => self.measure_from_here(),
            Command::LaneHeight => self.view.is_tall = !self.view.is_tall,
            Command::Border(rows) => self.view.move_border(rows),
            Command::Whole(room) => self.view.give_all(room),
            Command::Filter if self.bench == Bench::Log => {
                self.prompt = Some(Prompt::new(Purpose::FilterLog, self.logbook.words()));
            }
            Command::Filter => self.prompt = Some(Prompt::new(Purpose::Filter, &self.view.filter)),
            Command::Learn => self.begin_lesson(),
            Command::NameBits => self.ask_for_field(),
            Command::Dismiss => {
                self.view.filter.clear();
                self.filter_log("");
            }
            Command::Bench(bench) => self.show_bench(bench),
            Command::Audit => self.audit(),
            Command::AuditBy => {
                self.prompt = Some(Prompt::new(Purpose::Audit, &self.polling.by.to_string()));
            }
            Command::NextDevice(by) => (self.bench.entry().next)(self, by),
            Command::Capture => self.capture(at),
            Command::Save if self.is_reading() => {
                self.tell("the take is still being read; a copy would not have all".into(), true);
            }
            Command::Save => self.prompt = Some(Prompt::new(Purpose::Save, &(self.save_name)())),
            Command::Export => {
                let name = (self.save_name)().replace(".take.jsonl", ".svg");
                self.prompt = Some(Prompt::new(Purpose::Export, &name));
            }
            Command::Record => self.record_or_stop(),
            Command::Open => self.prompt = Some(Prompt::new(Purpose::Open, "")),
            Command::Find => self.begin_finding(""),
            Command::Stories => self.begin_finding("story "),
            Command::Help => {
                self.help = Some(Help { line: Prompt::new(Purpose::Help, ""), scroll: 0 });
            }
            Command::Suspend => return Some(Request::Suspend),
            Command::Quit => return self.quit(),
        }
        None
    }

    fn record_or_stop(&mut self) {
        if self.document.is_take {
            self.tell("a take is a recording already; s saves a copy".to_owned(), true);
            return;
        }
        match self.document.stop_recording() {
            Ok(Some(path)) => self.tell(format!("recorded to {path}"), false),
            Ok(None) => self.prompt = Some(Prompt::new(Purpose::Record, &(self.save_name)())),
            Err(why) => self.tell(format!("{why:#}"), true),
        }
    }

    /// Draws what the bench is about, in a thread of its own: fonts take a while.
    pub(super) fn export(&mut self, path: &Path) {
        let title =
            self.document.title.clone().unwrap_or_else(|| self.session().rig().name.to_string());
        match (self.bench.entry().figure)(self, self.excerpt(title)) {
            Ok(svg) => self.jobs.draw(svg, path),
            Err(why) => self.tell(why.to_owned(), true),
        }
    }

    /// The stretch of time and the lanes that are in view.
    fn excerpt(&self, title: String) -> Excerpt {
        let rate = self.session().plan().rate();
        let mut rows = self.view.hit.lanes.height;
        let in_view = self.lanes().into_iter().skip(self.view.first_lane).take_while(|&lane| {
            let height = self.lane_height(lane);
            let fits = height <= rows;
            rows = rows.saturating_sub(height);
            fits
        });
        Excerpt {
            lanes: in_view.collect(),
            title,
            from: rate.time_of(self.view.stretch.first),
            to: rate.time_of(self.view.end(self.last())),
        }
    }

    pub(super) fn start_recording(&mut self, path: &Path) {
        match Recorder::start(path, self.session(), self.document.title.as_deref()) {
            Ok(recorder) => self.record(recorder),
            Err(error) => {
                let text =
                    format!("cannot record to {}: {error}; choose another name", path.display());
                self.tell(text, true);
            }
        }
    }

    /// Opens a take by the rig in force.
    pub(super) fn open_take(&mut self, path: &Path) {
        if self.may_leave() {
            let rig = self.session().rig().clone();
            self.jobs.open(path, rig);
        }
    }

    /// Opens a story by the rig that ships with it.
    pub(super) fn open_story(&mut self, story: Story) {
        if self.may_leave() {
            self.jobs.open_story(story);
        }
    }

    /// Whether nothing is lost when another take is shown; says what would be.
    fn may_leave(&mut self) -> bool {
        let why = match self.document.recording() {
            Some(_) => "a take is being recorded: r ends it first",
            None if self.document.is_unsaved => {
                "what you captured is not saved and would be gone: save it first with s"
            }
            None => return true,
        };
        self.tell(why.to_owned(), true);
        false
    }

    fn quit(&mut self) -> Option<Request> {
        if self.document.is_unsaved && !self.quit_asked {
            self.quit_asked = true;
            let text = "what you captured is not saved: s saves it, q again quits without";
            self.tell(text.to_owned(), true);
            return None;
        }
        Some(Request::Quit)
    }

    fn freeze_or_go(&mut self) {
        if self.document.is_take {
            let restart = self.tick() >= self.last();
            let from = if restart { self.session().history().begins() } else { self.tick() };
            self.view.playing = if self.view.is_playing() { None } else { Some((self.now, from)) };
        } else if self.view.is_live() {
            self.go_to(self.last());
        } else {
            self.view.playhead = Playhead::Live;
            self.view.follow(self.last());
        }
    }

    pub(super) fn zoom(&mut self, around: Tick, steps: i32) {
        self.view.stretch.zoom_around(around, steps);
        if self.view.is_live() {
            self.view.follow(self.last());
        }
    }

    fn fit_all(&mut self) {
        if self.view.is_live() {
            self.go_to(self.last());
        }
        match self.measured() {
            Some([from, to]) => self.view.show_all(from, to),
            None => self.show_whole_history(),
        }
    }

    /// Zooms so that the whole history is in view.
    pub fn show_whole_history(&mut self) {
        self.view.show_all(self.session().history().begins(), self.last());
    }

    fn pan(&mut self, quarters: i32) {
        if self.view.is_live() {
            self.go_to(self.last());
        }
        self.view.stretch.pan(quarters, self.last());
    }

    fn jump_to_edge(&mut self, way: i32) {
        let Some(lane) = self.lane() else { return };
        match self.edge_from(lane, self.tick(), way) {
            Some(tick) => self.go_to(tick),
            None => {
                let side = if way < 0 { "before" } else { "after" };
                let name = lane_name(self.session(), lane);
                self.tell(format!("no edge on {name} {side} this tick"), false);
            }
        }
    }

    /// The nearest edge of a lane. On a digital lane any change is one, and
    /// so is a lost press; on an analogue lane it is leaving rest, coming back
    /// to it, or passing half of the travel.
    fn edge_from(&self, lane: Lane, tick: Tick, way: i32) -> Option<Tick> {
        let log = self.log(lane);
        let digital = self.is_digital(lane);
        let region = |value: f32| (value == 0.0, value.abs() >= 0.5, value < 0.0);
        if way > 0 {
            let mut last = region(log.value_at(tick));
            let found = log.changes_after(tick).find(|change| {
                let here = region(change.value);
                digital || !change.marks.is_empty() || std::mem::replace(&mut last, here) != here
            });
            return found.map(|change| change.tick);
        }
        let mut changes = log.changes_before(tick);
        changes
            .find(|change| {
                let before = region(log.value_at(change.tick.before()));
                digital || !change.marks.is_empty() || before != region(change.value)
            })
            .map(|change| change.tick)
    }

    /// The playhead stays where it is, and time is measured from there.
    fn measure_from_here(&mut self) {
        self.view.measured_from = match self.view.measured_from {
            Some(_) => None,
            None => {
                let here = self.tick();
                self.go_to(here);
                Some(here)
            }
        };
    }

    fn toggle_mark(&mut self) {
        let tick = self.tick();
        if !self.document.session.remove_labels_at(tick) {
            self.add_mark("mark");
        }
    }

    fn ask_for_mark(&mut self) {
        // On the lane of a gesture one says what was meant.
        let words = match self.lane() {
            Some(Lane::Gesture(n)) => {
                format!("{}{}", score::PREFIX, self.session().rig().gestures[n.index()].name)
            }
            _ => String::new(),
        };
        self.prompt = Some(Prompt::new(Purpose::Mark, &words));
    }

    pub(super) fn add_mark(&mut self, text: &str) {
        let time = self.session().plan().rate().time_of(self.tick());
        let text = CleanText::new(if text.is_empty() { "mark" } else { text });
        self.document.session.add_label(Label { time, text });
        self.document.is_unsaved = true;
    }

    fn jump_to_mark(&mut self, way: i32) {
        let here = self.tick();
        let found = match way > 0 {
            true => self.marks().map(|(tick, _)| tick).find(|&tick| tick > here),
            false => self.marks().rev().map(|(tick, _)| tick).find(|&tick| tick < here),
        };
        match found {
            Some(tick) => self.go_to(tick),
            None => self.tell("no further mark; m sets one".to_owned(), false),
        }
    }

    /// Puts the playhead on the next press of any control that was lost, or the one before.
    fn jump_to_lost(&mut self, way: i32) {
        let here = self.tick();
        let is_lost = |change: &Change| change.marks.contains(LaneMarks::LOST);
        let of_lane = |&lane: &Lane| {
            let log = self.log(lane);
            let found = match way > 0 {
                true => log.changes_after(here).find(is_lost),
                false => log.changes_before(here).find(is_lost),
            };
            Some((found?.tick, lane))
        };
        // An action wears the marks of what drives it; the control is what was lost.
        let lanes = self.listed_lanes().into_iter().filter(|l| matches!(l, Lane::Control(_)));
        let all = lanes.filter_map(|lane| of_lane(&lane));
        let found = match way > 0 {
            true => all.min_by_key(|(tick, _)| *tick),
            false => all.max_by_key(|(tick, _)| *tick),
        };
        match found {
            Some((tick, lane)) => {
                self.pick(lane);
                self.go_to(tick);
            }
            None => {
                let side = if way > 0 { "after" } else { "before" };
                self.tell(format!("no press was lost {side} this tick"), false);
            }
        }
    }

    /// Puts the playhead where what is wrong with a stream ends.
    fn jump_to_trouble(&mut self, way: i32) {
        let rate = self.session().plan().rate();
        let here = self.tick();
        let mut ends =
            self.document.streams.troubles().iter().map(|t| (rate.tick_seeing(t.to), *t));
        let found = match way > 0 {
            true => ends.filter(|(tick, _)| *tick > here).min_by_key(|(tick, _)| *tick),
            false => ends.rfind(|(tick, _)| *tick < here),
        };
        match found {
            Some((tick, trouble)) => {
                if let Some(lane) = self.lane_of(&trouble) {
                    self.pick(lane);
                }
                self.go_to(tick);
                self.tell(trouble_words(&trouble, self.session().roster()), true);
            }
            None => {
                let side = if way > 0 { "after" } else { "before" };
                self.tell(format!("no trouble with a stream {side} this tick"), false);
            }
        }
    }

    pub(super) fn choose(&mut self, by: i32) {
        let lanes = self.lanes();
        let Some(lane) = self.lane() else { return };
        let at = lanes.iter().position(|&other| other == lane).unwrap_or(0) as i32;
        let last = lanes.len() as i32 - 1;
        if let Some(&lane) = lanes.get((at + by).clamp(0, last) as usize) {
            self.pick(lane);
        }
    }

    /// Chooses the lane that comes first.
    pub(in crate::screen) fn choose_first(&mut self) {
        if let Some(&lane) = self.lanes().first() {
            self.pick(lane);
        }
    }

    /// Chooses a lane; the device bench follows to its device.
    pub(super) fn pick(&mut self, lane: Lane) {
        self.view.chosen = Some(lane);
        if let Lane::Control(id) = lane {
            self.device = usize::from(self.session().roster().control(id).device.0);
        }
    }

    pub(super) fn show_bench(&mut self, bench: Bench) {
        self.bench = bench;
        // What the mouse held on the bench before is let go.
        self.touching.grip = None;
        (bench.entry().shown)(self);
    }

    pub(in crate::screen) fn next_device(&mut self, by: i32) {
        if self.session().roster().devices().len() > 0 {
            self.bench = Bench::Device;
            self.choose_device(by);
        }
    }

    /// Goes on among all devices, without changing the bench.
    pub(in crate::screen) fn choose_device(&mut self, by: i32) {
        let count = self.session().roster().devices().len().max(1);
        self.device = (self.device as i32 + by).rem_euclid(count as i32) as usize;
    }

    fn capture(&mut self, at: Nanos) {
        if self.document.terminal.is_none() {
            let text = "a take cannot capture keys; `gtrig live` can";
            self.tell(text.to_owned(), true);
            return;
        }
        self.view.playhead = Playhead::Live;
        self.captured = true;
        self.listen(true, at);
    }
}

fn offset(tick: Tick, by: i32) -> Tick {
    Tick(tick.0.saturating_add_signed(by))
}
