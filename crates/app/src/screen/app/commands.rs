//! What the commands do.

use super::{App, Help, Request, Search};
use crate::figure::Excerpt;
use crate::recorder::{Recorder, Ring};
use crate::screen::{
    bench::Bench,
    jobs::Saving,
    keymap::Command,
    prompt::{Prompt, Purpose},
    view::Lane,
    viewport::Playhead,
};
use gtrig_analysis::{Label, score};
use gtrig_core::{CleanText, Nanos, Tick};
use gtrig_formats::words::trouble_words;
use gtrig_sources::Story;
use std::path::Path;

/// So much is kept by one key.
const KEPT_BY_KEY: Nanos = Nanos::from_millis(300_000);

impl App {
    pub(super) fn run(&mut self, command: Command, at: Nanos) -> Option<Request> {
        match command {
            Command::FreezeOrGo => self.freeze_or_go(),
            Command::Step(by) => self.step_by(by),
            Command::Begin => self.go_to_begin(),
            Command::End => self.go_to_end(),
            Command::Edge(way) => self.go_on_looking(way),
            Command::Look => self.begin_finding("search "),
            Command::Mark => self.toggle_mark(),
            Command::MarkWithWords => self.ask_for_mark(),
            Command::NextMark(way) => self.jump_to_mark(way),
            Command::Trouble(way) => self.jump_to_trouble(way),
            Command::Near(way) => self.jump_to_near(way),
            Command::Lost(way) => self.jump_to(Search::LOST, way),
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
            Command::StarterRig if self.may_drop_rig() => {
                self.prompt = Some(Prompt::new(Purpose::NewRig, "my-rig.toml"));
            }
            Command::StarterRig => {}
            Command::Tour => self.begin_tour(),
            Command::Page => self.show_invitation(),
            Command::Difference(way) => self.jump_to_difference(way),
            Command::Zoom(steps) => self.zoom(self.tick(), steps),
            Command::Pan(quarters) => self.pan(quarters),
            Command::FitAll => self.fit_all(),
            Command::Lane(by) => self.choose(by),
            Command::LanePage(by) => {
                self.choose(by * i32::from(self.view.hit.lanes.height.max(2) / 2));
            }
            Command::Fold => self.view.folds = !self.view.folds,
            Command::Pin => self.turn_pin(),
            Command::MoveLane(by) => self.move_lane(by),
            Command::HideLane => self.hide_lane(),
            Command::HideDevice => self.hide_device(),
            Command::Gather => self.gather(),
            Command::ShowHidden => self.show_hidden(),
            Command::Measure => self.measure_from_here(),
            Command::LaneHeight => self.view.is_tall = !self.view.is_tall,
            Command::Border(rows) => self.view.move_border(rows),
            Command::Whole(room) => self.view.give_all(room),
            Command::Filter if self.bench == Bench::Log => {
                self.prompt = Some(Prompt::new(Purpose::FilterLog, self.logbook.words()));
            }
            Command::Filter if self.bench == Bench::Tune => {
                self.prompt = Some(Prompt::new(Purpose::FilterNumbers, &self.tuning.filter));
            }
            Command::Filter => self.prompt = Some(Prompt::new(Purpose::Filter, &self.view.filter)),
            Command::Learn => self.begin_lesson(),
            Command::NameAddresses => self.begin_naming(),
            Command::NameBits => self.ask_for_field(),
            Command::Dismiss => {
                if self.end_tour() || std::mem::take(&mut self.sending.invites) {
                    return None;
                }
                self.view.search = Search::default();
                self.notice = None;
                self.view.filter.clear();
                self.filter_log("");
                self.tuning.filter.clear();
            }
            Command::Bench(bench) => self.show_bench(bench),
            Command::Audit => self.audit(),
            Command::AuditBy => {
                self.prompt = Some(Prompt::new(Purpose::Audit, &self.polling.by.to_string()));
            }
            Command::NextDevice(by) => (self.bench.entry().next)(self, by),
            Command::Capture => self.capture(at),
            Command::Save | Command::KeepLast if self.is_reading() => {
                self.tell("the take is still being read; a copy would not have all".into(), true);
            }
            Command::Save if self.view.measured_from.is_some() => {
                let name = (self.save_name)().replace("quay-", "quay-part-");
                self.prompt = Some(Prompt::new(Purpose::SavePart, &name));
            }
            Command::Save => self.prompt = Some(Prompt::new(Purpose::Save, &(self.save_name)())),
            Command::KeepLast => self.keep_last(),
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
            let save = self.key_of(Command::Save);
            self.tell(format!("a take is a recording already; {save} saves a copy"), true);
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

    /// The lanes that are in view, over the time that is measured or else in view.
    fn excerpt(&self, title: String) -> Excerpt {
        let rate = self.session().plan().rate();
        let mut rows = self.view.hit.lanes.height;
        let in_view = self.lanes().into_iter().skip(self.view.first_lane).take_while(|&lane| {
            let height = self.lane_height(lane);
            let fits = height <= rows;
            rows = rows.saturating_sub(height);
            fits
        });
        let in_time = || [self.view.stretch.first, self.view.end(self.last())];
        let [from, to] = self.measured().unwrap_or_else(in_time).map(|tick| rate.time_of(tick));
        Excerpt { lanes: in_view.collect(), title, from, to }
    }

    pub(super) fn start_recording(&mut self, path: &Path) {
        let title = self.document.title.as_deref();
        match Recorder::start(path, self.session(), title, Ring::DEFAULT) {
            Ok(recorder) => self.record(recorder),
            Err(error) => {
                self.tell(format!("cannot record to {}: {error}", path.display()), true);
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
    /// Returns whether it will be: what would be lost by it is told.
    pub(super) fn open_story(&mut self, story: Story) -> bool {
        let may = self.may_leave() && self.may_drop_rig();
        if may {
            self.jobs.open_story(story);
        }
        may
    }

    /// Whether nothing is lost when another take is shown; says what would be.
    pub(super) fn may_leave(&mut self) -> bool {
        let why = match self.document.recording() {
            Some(_) => {
                format!("a take is being recorded: {} ends it first", self.key_of(Command::Record))
            }
            None if self.document.is_unsaved => {
                let save = self.key_of(Command::Save);
                format!(
                    "what you captured is not saved and would be gone: save it first with {save}"
                )
            }
            None => return true,
        };
        self.tell(why, true);
        false
    }

    /// Whether no nudge is lost when another rig comes; says what would be.
    pub(super) fn may_drop_rig(&mut self) -> bool {
        let count = self.unwritten();
        if count > 0 {
            let write = self.key_of(Command::WriteRig);
            let text = format!(
                "{} not written and would be gone: {write} writes first",
                nudged_in_words(count)
            );
            self.tell(text, true);
        }
        count == 0
    }

    /// Ends the program; the first time only if nothing is lost by it.
    fn quit(&mut self) -> Option<Request> {
        let [save, write] = [Command::Save, Command::WriteRig].map(|it| self.key_of(it));
        let mut lost = Vec::new();
        if self.document.is_unsaved {
            lost.push(format!("what you captured is not saved ({save} saves it)"));
        }
        let count = self.unwritten();
        if count > 0 {
            let words = nudged_in_words(count);
            lost.push(format!("{words} not written ({write} writes)"));
        }
        if lost.is_empty() || self.quit_asked {
            return Some(Request::Quit);
        }
        self.quit_asked = true;
        let quit = self.keymap.shown(Command::Quit).unwrap_or("Ctrl+C").to_owned();
        self.tell(format!("{}: {quit} again quits without", lost.join(", and ")), true);
        None
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
        let purpose =
            if self.view.measured_from.is_some() { Purpose::MarkPart } else { Purpose::Mark };
        self.prompt = Some(Prompt::new(purpose, &words));
    }

    pub(super) fn add_mark(&mut self, text: &str) {
        let time = self.session().plan().rate().time_of(self.tick());
        let text = CleanText::new(if text.is_empty() { "mark" } else { text });
        self.document.session.add_label(Label { time, text });
        self.document.is_unsaved = true;
    }

    /// Marks the beginning of what is measured, and says how long it is.
    pub(super) fn mark_measured(&mut self, text: &str) {
        let Some([first, last]) = self.measured() else { return };
        let rate = self.session().plan().rate();
        let [time, end] = [first, last].map(|tick| rate.time_of(tick));
        let name = if text.is_empty() { "measured" } else { text };
        let text = CleanText::new(&format!("{name} ({})", Nanos(end.0 - time.0)));
        self.document.session.add_label(Label { time, text });
        self.document.is_unsaved = true;
    }

    /// Saves what is measured as a take of its own.
    pub(super) fn save_measured(&mut self, path: &Path) {
        if let Some(part) = self.measured() {
            self.save_between(part, path);
        }
    }

    /// The last five minutes go to a take of their own at once, whatever goes on.
    fn keep_last(&mut self) {
        let (rate, last) = (self.session().plan().rate(), self.last());
        let from = Nanos(rate.time_of(last).0.saturating_sub(KEPT_BY_KEY.0));
        let path = (self.save_name)().replace("quay-", "quay-last-");
        self.save_between([rate.tick_seeing(from), last], Path::new(&path));
    }

    fn save_between(&mut self, [first, last]: [Tick; 2], path: &Path) {
        let rate = self.session().plan().rate();
        let first = first.max(self.session().history().begins());
        let [from, to] = [first, last].map(|tick| rate.time_of(tick));
        let of = self.document.title.clone().unwrap_or_else(|| "a history".to_owned());
        let title = format!("{from} to {to} of {of}");
        let recording = self.session().recording_between(first, last);
        self.jobs.save(path.to_owned(), Saving::Part, recording, Some(title));
    }

    fn jump_to_mark(&mut self, way: i32) {
        let here = self.tick();
        let found = match way > 0 {
            true => self.marks().map(|(tick, _)| tick).find(|&tick| tick > here),
            false => self.marks().rev().map(|(tick, _)| tick).find(|&tick| tick < here),
        };
        match found {
            Some(tick) => self.go_to(tick),
            None => {
                self.tell(
                    format!("no further mark; {} sets one", self.key_of(Command::Mark)),
                    false,
                );
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

/// `2 nudged numbers are`.
fn nudged_in_words(count: usize) -> String {
    if count == 1 { "1 nudged number is".to_owned() } else { format!("{count} nudged numbers are") }
}
