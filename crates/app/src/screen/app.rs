//! The state of the full screen, and what commands do to it.

use super::{
    draw::Areas,
    jobs::{self, Outcome},
    keymap::{self, Command},
    prompt::{Prompt, Purpose, Typed},
    theme::Theme,
    view::{Bench, Lane, Stretch, Zoom, lane_name, lanes},
};
use crate::files::Opened;
use crossterm::event::{Event, KeyEvent, KeyEventKind, MouseButton, MouseEvent, MouseEventKind};
use gtrig_core::{
    ActionId, CleanText, ControlId, DeviceId, Label, LaneLog, LaneMarks, Machine, Nanos, Session,
    Tick,
};
use gtrig_sources::{Source, Terminal};
use ratatui::layout::Rect;
use std::{
    path::PathBuf,
    sync::mpsc::{Receiver, Sender, channel},
};

/// Where the playhead is.
#[derive(Clone, Debug)]
pub(crate) enum Playhead {
    /// At the latest tick.
    Live,
    /// At a tick of the past, with the state as it was then.
    Frozen(Box<Machine>),
}

/// What the loop must do for the application.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Request {
    Suspend,
    Quit,
}

/// A line of news at the bottom of the screen, until its time is over.
#[derive(Clone, Debug)]
pub(crate) struct Notice {
    pub(crate) text: String,
    pub(crate) is_bad: bool,
    until: Nanos,
}

/// Where the last frame put things that a mouse can hit.
#[derive(Clone, Copy, Debug, Default)]
pub struct Hit {
    /// The traces of the lanes, without their names.
    pub(crate) traces: Rect,
    /// The lanes, names and values included.
    pub(crate) lanes: Rect,
}

/// The full screen without a terminal. Time comes in with
/// [`App::advance`].
pub struct App {
    pub(crate) session: Session,
    /// Feeds the session while it is live; a take has none.
    sources: Vec<Box<dyn Source>>,
    pub(crate) terminal: Option<Terminal>,
    pub(crate) is_take: bool,
    pub(crate) title: Option<String>,
    now: Nanos,
    pub(crate) playhead: Playhead,
    /// Since when a take plays, and from which tick.
    playing: Option<(Nanos, Tick)>,
    pub(crate) stretch: Stretch,
    pub(crate) bench: Bench,
    pub(crate) device: usize,
    pub(crate) filter: String,
    pub(crate) chosen: Option<Lane>,
    pub(crate) first_lane: usize,
    pub(crate) tall: bool,
    /// The next frame is to show the whole take, if it is short enough.
    opens_whole: bool,
    pub(crate) prompt: Option<Prompt>,
    pub(crate) show_help: bool,
    pub(crate) help_scroll: u16,
    pub(crate) captured: bool,
    notice: Option<Notice>,
    pub(crate) theme: Theme,
    pub(crate) hit: Hit,
    unsaved: bool,
    quit_asked: bool,
    jobs: (Sender<Outcome>, Receiver<Outcome>),
    save_name: fn() -> String,
}

/// Events are given this long to arrive before the tick that should see them
/// runs; see [`Session::report`] on those that come later still.
const SETTLE: Nanos = Nanos::from_millis(4);

const NOTICE_TIME: Nanos = Nanos::from_millis(6_000);

impl App {
    /// A live session, fed by `sources` and, while captured, by the terminal.
    pub fn live(
        session: Session,
        sources: Vec<Box<dyn Source>>,
        terminal: Option<Terminal>,
        theme: Theme,
    ) -> Self {
        App { sources, terminal, ..App::new(session, theme) }
    }

    /// A take, frozen where something can be seen.
    pub fn take(opened: Opened, theme: Theme) -> Self {
        let mut app = App::new(opened.session, theme);
        app.is_take = true;
        app.opens_whole = app.last().0 - app.session.history().begins().0 < 1000;
        app.title = opened.title;
        let complaints = opened.loaded.complaints();
        if !complaints.is_empty() {
            app.tell(complaints.join(" · "), true);
        }
        app.look_at_the_point();
        app
    }

    fn new(session: Session, theme: Theme) -> Self {
        App {
            session,
            sources: Vec::new(),
            terminal: None,
            is_take: false,
            title: None,
            now: Nanos(0),
            playhead: Playhead::Live,
            playing: None,
            stretch: Stretch { first: Tick(0), columns: 80, zoom: Zoom::NORMAL },
            bench: Bench::Board,
            device: 0,
            filter: String::new(),
            chosen: None,
            first_lane: 0,
            tall: true,
            opens_whole: false,
            prompt: None,
            show_help: false,
            help_scroll: 0,
            captured: false,
            notice: None,
            theme,
            hit: Hit::default(),
            unsaved: false,
            quit_asked: false,
            jobs: channel(),
            save_name: default_save_name,
        }
    }

    /// The first lost press, or else the first label, or else the beginning;
    /// and the lane that was lost on, or else the first that moves after.
    fn look_at_the_point(&mut self) {
        let lost = self.lanes().into_iter().find_map(|lane| {
            let first = |log: &LaneLog| {
                log.changes_after(Tick(0)).find(|c| c.marks.contains(LaneMarks::LOST))
            };
            Some((lane, first(self.log(lane))?.tick))
        });
        let rate = self.session.plan().rate();
        let label = self.session.labels().first().map(|label| rate.tick_seeing(label.time));
        let tick = lost.map(|(_, tick)| tick).or(label).unwrap_or_default();
        let moves = |lane: &Lane| Some(self.log(*lane).changes_after(tick).next()?.tick);
        let moving = self.lanes().into_iter().filter_map(|lane| Some((moves(&lane)?, lane)));
        let next = moving.min_by_key(|(tick, _)| *tick).map(|(_, lane)| lane);
        self.chosen = lost.map(|(lane, _)| lane).or(next);
        self.freeze_at(tick);
    }

    /// Moves the clock on: sources are drained and ticks run, or a take plays.
    pub fn advance(&mut self, now: Nanos) {
        self.now = now.max(self.now);
        self.finish_jobs();
        if self.notice.as_ref().is_some_and(|notice| notice.until < self.now) {
            self.notice = None;
        }
        if self.is_take {
            self.play_on();
            return;
        }
        for source in &mut self.sources {
            source.drain(&mut self.session, now);
        }
        if let Some(terminal) = &mut self.terminal {
            terminal.drain(&mut self.session, now);
        }
        if let Some(settled) = now.0.checked_sub(SETTLE.0) {
            let tick = self.session.plan().rate().tick_at(Nanos(settled));
            self.session.run_until(tick);
        }
        if let Playhead::Live = self.playhead {
            self.follow();
        }
    }

    fn play_on(&mut self) {
        let Some((since, from)) = self.playing else {
            return;
        };
        let rate = self.session.plan().rate();
        let elapsed = self.now.0 - since.0;
        let tick = rate.tick_at(Nanos(rate.time_of(from).0 + elapsed));
        self.freeze_at(tick);
        if tick >= self.last() {
            self.playing = None;
        }
    }

    fn follow(&mut self) {
        self.stretch = Stretch::ending(self.last(), self.stretch.columns, self.stretch.zoom);
    }

    /// The state under the playhead.
    pub(crate) fn machine(&self) -> &Machine {
        match &self.playhead {
            Playhead::Live => self.session.now(),
            Playhead::Frozen(machine) => machine,
        }
    }

    pub(crate) fn is_live(&self) -> bool {
        matches!(self.playhead, Playhead::Live)
    }

    pub(crate) fn is_playing(&self) -> bool {
        self.playing.is_some()
    }

    /// The tick under the playhead.
    pub(crate) fn tick(&self) -> Tick {
        self.machine().at()
    }

    pub(crate) fn last(&self) -> Tick {
        self.session.now().at()
    }

    pub(crate) fn notice(&self) -> Option<&Notice> {
        self.notice.as_ref()
    }

    pub(crate) fn tell(&mut self, text: String, is_bad: bool) {
        let until = Nanos(self.now.0 + NOTICE_TIME.0);
        self.notice = Some(Notice { text, is_bad, until });
    }

    pub(crate) fn lanes(&self) -> Vec<Lane> {
        lanes(&self.session, &self.filter)
    }

    pub(crate) fn log(&self, lane: Lane) -> &LaneLog {
        let history = self.session.history();
        match lane {
            Lane::Control(id) => history.control_lane(id),
            Lane::Action(id, axis) => &history.action_lanes(id)[axis],
        }
    }

    /// The lane that commands are about: the chosen one, or the first.
    pub(crate) fn lane(&self) -> Option<Lane> {
        let lanes = self.lanes();
        self.chosen.filter(|lane| lanes.contains(lane)).or(lanes.first().copied())
    }

    fn freeze_at(&mut self, tick: Tick) {
        let tick = tick.max(self.session.history().begins()).min(self.last());
        self.playhead = Playhead::Frozen(Box::new(self.session.at(tick)));
        self.stretch.show(tick);
    }

    /// Puts the playhead on a tick; a take that plays stops.
    fn go_to(&mut self, tick: Tick) {
        self.playing = None;
        self.freeze_at(tick);
    }

    /// Takes in an event of the terminal, stamped with the time it came.
    pub(crate) fn event(&mut self, event: &Event, at: Nanos) -> Option<Request> {
        match event {
            Event::Key(key) if self.captured => self.captured_key(key, at),
            Event::Mouse(mouse) if self.captured => {
                if let Some(terminal) = &mut self.terminal {
                    terminal.mouse(&mut self.session, mouse, at);
                }
            }
            Event::Key(key) if key.kind != KeyEventKind::Release => return self.key(key, at),
            Event::Mouse(mouse) => self.mouse(mouse),
            Event::FocusLost if self.captured => {
                self.listen(false, at);
                self.tell("focus lost: everything held was released".to_owned(), true);
            }
            Event::FocusGained if self.captured => self.listen(true, at),
            _ => {}
        }
        None
    }

    fn captured_key(&mut self, key: &KeyEvent, at: Nanos) {
        if keymap::lets_go(key) {
            if key.kind == KeyEventKind::Press {
                self.captured = false;
                self.listen(false, at);
            }
            return;
        }
        self.unsaved = true;
        if let Some(terminal) = &mut self.terminal {
            terminal.key(&mut self.session, key, at);
        }
    }

    fn listen(&mut self, hear: bool, at: Nanos) {
        if let Some(terminal) = &mut self.terminal {
            terminal.listen(&mut self.session, hear, at);
        }
    }

    fn key(&mut self, key: &KeyEvent, at: Nanos) -> Option<Request> {
        if self.prompt.is_some() {
            self.prompt_key(*key);
            return None;
        }
        if self.show_help {
            self.help_key(key);
            return None;
        }
        let command = keymap::command(key)?;
        if command != Command::Quit {
            self.quit_asked = false;
        }
        self.run(command, at)
    }

    fn help_key(&mut self, key: &KeyEvent) {
        match keymap::command(key) {
            Some(Command::Lane(by) | Command::LanePage(by)) => {
                self.help_scroll = self.help_scroll.saturating_add_signed(by as i16);
            }
            _ => self.show_help = false,
        }
    }

    fn prompt_key(&mut self, key: KeyEvent) {
        let Some(prompt) = &mut self.prompt else {
            return;
        };
        let typed = prompt.key(key);
        let (purpose, text) = (prompt.purpose, prompt.text().to_owned());
        if purpose == Purpose::Filter {
            self.filter = if typed == Typed::Dropped { String::new() } else { text.clone() };
            self.first_lane = 0;
        }
        if typed != Typed::Going {
            self.prompt = None;
        }
        if typed == Typed::Done {
            self.typed(purpose, text.trim());
        }
    }

    fn typed(&mut self, purpose: Purpose, text: &str) {
        match purpose {
            Purpose::Filter => {}
            Purpose::Save | Purpose::Open if text.is_empty() => {
                self.tell("no file was named: nothing done".to_owned(), true);
            }
            Purpose::Save => {
                jobs::save(
                    PathBuf::from(text),
                    self.session.recording(),
                    self.title.clone(),
                    self.jobs.0.clone(),
                );
            }
            Purpose::Open => {
                let rig = self.session.rig().clone();
                jobs::open(&PathBuf::from(text), rig, self.jobs.0.clone());
            }
            Purpose::Mark => self.add_mark(text),
        }
    }

    fn finish_jobs(&mut self) {
        while let Ok(outcome) = self.jobs.1.try_recv() {
            match outcome {
                Outcome::Saved { path, events, result: Ok(()) } => {
                    self.unsaved = false;
                    self.tell(format!("saved {events} events to {}", path.display()), false);
                }
                Outcome::Saved { result: Err(why), .. } | Outcome::Opened(Err(why)) => {
                    self.tell(why, true);
                }
                Outcome::Opened(Ok(opened)) => self.replace_with(*opened),
            }
        }
    }

    /// Shows another take instead of what was there. What the person set up
    /// about the view stays.
    fn replace_with(&mut self, opened: Opened) {
        let (bench, tall, columns) = (self.bench, self.tall, self.stretch.columns);
        let now = self.now;
        *self = App { now, bench, tall, hit: self.hit, ..App::take(opened, self.theme) };
        self.stretch.columns = columns;
        // The notice was timed by a clock that stood at zero.
        if let Some(notice) = &mut self.notice {
            notice.until = Nanos(now.0 + NOTICE_TIME.0);
        }
    }

    fn run(&mut self, command: Command, at: Nanos) -> Option<Request> {
        match command {
            Command::FreezeOrGo => self.freeze_or_go(),
            Command::Step(by) => self.go_to(offset(self.tick(), by)),
            Command::Begin => self.go_to(self.session.history().begins()),
            Command::End => self.go_to(self.last()),
            Command::Edge(way) => self.jump_to_edge(way),
            Command::Mark => self.toggle_mark(),
            Command::MarkWithWords => self.prompt = Some(Prompt::new(Purpose::Mark, "")),
            Command::NextMark(way) => self.jump_to_mark(way),
            Command::Zoom(steps) => self.zoom(self.tick(), steps),
            Command::Pan(quarters) => self.pan(quarters),
            Command::FitAll => {
                if self.is_live() {
                    self.go_to(self.last());
                }
                self.show_whole_history();
            }
            Command::Lane(by) => self.choose(by),
            Command::LanePage(by) => self.choose(by * i32::from(self.hit.lanes.height.max(2) / 2)),
            Command::LaneHeight => self.tall = !self.tall,
            Command::Filter => self.prompt = Some(Prompt::new(Purpose::Filter, &self.filter)),
            Command::Dismiss => self.filter.clear(),
            Command::Bench(bench) => self.bench = bench,
            Command::NextDevice(by) => self.next_device(by),
            Command::Capture => self.capture(at),
            Command::Save => self.prompt = Some(Prompt::new(Purpose::Save, &(self.save_name)())),
            Command::Open => self.prompt = Some(Prompt::new(Purpose::Open, "")),
            Command::Help => (self.show_help, self.help_scroll) = (true, 0),
            Command::Suspend => return Some(Request::Suspend),
            Command::Quit => return self.quit(),
        }
        None
    }

    fn quit(&mut self) -> Option<Request> {
        if self.unsaved && !self.quit_asked {
            self.quit_asked = true;
            let text = "what you captured is not saved: s saves it, q again quits without";
            self.tell(text.to_owned(), true);
            return None;
        }
        Some(Request::Quit)
    }

    fn freeze_or_go(&mut self) {
        if self.is_take {
            let restart = self.tick() >= self.last();
            let from = if restart { self.session.history().begins() } else { self.tick() };
            self.playing = if self.is_playing() { None } else { Some((self.now, from)) };
        } else if self.is_live() {
            self.go_to(self.last());
        } else {
            self.playhead = Playhead::Live;
            self.follow();
        }
    }

    fn zoom(&mut self, around: Tick, steps: i32) {
        self.stretch.zoom_around(around, steps);
        if self.is_live() {
            self.follow();
        }
    }

    /// Zooms so that the whole history is in view.
    pub fn show_whole_history(&mut self) {
        let first = self.session.history().begins();
        let ticks = self.last().0 - first.0 + 1;
        let columns = self.stretch.columns;
        let zooms = (0..32).map(|steps| Zoom::NORMAL.by(steps));
        let fits = |zoom: &Zoom| zoom.ticks_in(columns) >= ticks + zoom.ticks_per_column();
        let zoom = zooms.clone().find(fits).or(zooms.last()).unwrap_or(Zoom::NORMAL);
        self.stretch = Stretch::ending(self.last(), columns, zoom);
        self.stretch.pan(-4, self.last());
        self.stretch.show(first);
    }

    fn pan(&mut self, quarters: i32) {
        if self.is_live() {
            self.go_to(self.last());
        }
        self.stretch.pan(quarters, self.last());
    }

    fn jump_to_edge(&mut self, way: i32) {
        let Some(lane) = self.lane() else { return };
        match self.edge_from(lane, self.tick(), way) {
            Some(tick) => self.go_to(tick),
            None => {
                let side = if way < 0 { "before" } else { "after" };
                let name = lane_name(&self.session, lane);
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

    pub(crate) fn is_digital(&self, lane: Lane) -> bool {
        match lane {
            Lane::Control(id) => self.session.roster().control(id).kind.is_button(),
            Lane::Action(id, _) => self.session.plan().gives(id).is_digital(),
        }
    }

    fn toggle_mark(&mut self) {
        if !self.session.remove_labels_at(self.tick()) {
            self.add_mark("mark");
        }
    }

    fn add_mark(&mut self, text: &str) {
        let time = self.session.plan().rate().time_of(self.tick());
        let text = CleanText::new(if text.is_empty() { "mark" } else { text });
        self.session.add_label(Label { time, text });
        self.unsaved = true;
    }

    /// The marks, as ticks.
    pub(crate) fn marks(&self) -> impl DoubleEndedIterator<Item = (Tick, &CleanText)> {
        let rate = self.session.plan().rate();
        self.session.labels().iter().map(move |label| (rate.tick_seeing(label.time), &label.text))
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

    fn choose(&mut self, by: i32) {
        let lanes = self.lanes();
        let Some(lane) = self.lane() else { return };
        let at = lanes.iter().position(|&other| other == lane).unwrap_or(0) as i32;
        let last = lanes.len() as i32 - 1;
        self.chosen = lanes.get((at + by).clamp(0, last) as usize).copied();
    }

    fn next_device(&mut self, by: i32) {
        let count = self.session.roster().devices().len();
        if count > 0 {
            self.bench = Bench::Device;
            self.device = (self.device as i32 + by).rem_euclid(count as i32) as usize;
        }
    }

    /// The device of the device bench.
    pub(crate) fn device(&self) -> Option<DeviceId> {
        self.session.roster().devices().nth(self.device).map(|(id, _)| id)
    }

    fn capture(&mut self, at: Nanos) {
        if self.terminal.is_none() {
            let text = "a take cannot capture keys; `gtrig live` can";
            self.tell(text.to_owned(), true);
            return;
        }
        self.playhead = Playhead::Live;
        self.captured = true;
        self.listen(true, at);
    }

    fn mouse(&mut self, mouse: &MouseEvent) {
        let Hit { traces, lanes } = self.hit;
        let place = (mouse.column, mouse.row).into();
        match mouse.kind {
            MouseEventKind::Down(MouseButton::Left) if lanes.contains(place) => {
                self.choose_row(mouse.row - lanes.y);
                if traces.contains(place) {
                    self.go_to(self.stretch.tick_at(mouse.column - traces.x));
                }
            }
            MouseEventKind::Drag(MouseButton::Left) if !self.is_live() && traces.width > 0 => {
                let column = mouse.column.clamp(traces.x, traces.right() - 1) - traces.x;
                self.go_to(self.stretch.tick_at(column));
            }
            MouseEventKind::ScrollUp | MouseEventKind::ScrollDown if traces.contains(place) => {
                let steps = if mouse.kind == MouseEventKind::ScrollUp { -1 } else { 1 };
                self.zoom(self.stretch.tick_at(mouse.column - traces.x), steps);
            }
            _ => {}
        }
    }

    fn choose_row(&mut self, row: u16) {
        let mut below = row;
        for lane in self.lanes().into_iter().skip(self.first_lane) {
            let height = self.lane_height(lane);
            if below < height {
                self.chosen = Some(lane);
                return;
            }
            below -= height;
        }
    }

    /// How many rows a lane takes.
    pub(crate) fn lane_height(&self, lane: Lane) -> u16 {
        let tall = self.tall && self.is_two_sided(lane) && !self.log(lane).is_empty();
        if tall { 2 } else { 1 }
    }

    /// Whether a lane's values go below zero.
    pub(crate) fn is_two_sided(&self, lane: Lane) -> bool {
        use gtrig_core::ControlKind::{Axis, Relative};
        match lane {
            Lane::Control(id) => {
                matches!(self.session.roster().control(id).kind, Axis { .. } | Relative)
            }
            Lane::Action(id, _) => !self.session.plan().gives(id).is_digital(),
        }
    }

    /// Lays the screen out in `area`, as the next frame will be. Scrolls as
    /// little as need be to keep the chosen lane in view.
    pub fn fit(&mut self, area: Rect) {
        let hit = Areas::of(area, self).hit();
        self.hit = hit;
        if self.stretch.columns != hit.traces.width {
            self.stretch.columns = hit.traces.width.max(1);
            if std::mem::take(&mut self.opens_whole) {
                self.show_whole_history();
            }
            match self.is_live() {
                true => self.follow(),
                false => self.stretch.show(self.tick()),
            }
        }
        let lanes = self.lanes();
        let chosen = self.lane().and_then(|lane| lanes.iter().position(|&l| l == lane));
        let chosen = chosen.unwrap_or(0);
        self.first_lane = self.first_lane.min(chosen);
        let height = |from: usize| -> u16 {
            lanes[from..=chosen].iter().map(|&lane| self.lane_height(lane)).sum()
        };
        let mut first = self.first_lane;
        while first < chosen && height(first) > hit.lanes.height {
            first += 1;
        }
        self.first_lane = first;
    }

    pub(crate) fn is_captured_by(&self) -> Option<&Terminal> {
        self.terminal.as_ref().filter(|_| self.captured)
    }

    /// Every action, for the board.
    pub(crate) fn actions(&self) -> impl Iterator<Item = ActionId> + use<> {
        (0..self.session.plan().action_count() as u16).map(ActionId)
    }

    /// How long a button has been as it is, in ticks.
    pub(crate) fn ticks_since_change(&self, control: ControlId) -> Option<u32> {
        let lane = self.session.history().control_lane(control);
        let tick = self.tick();
        lane.changes_before(tick.next()).next().map(|change| tick.0 - change.tick.0)
    }
}

fn offset(tick: Tick, by: i32) -> Tick {
    Tick(tick.0.saturating_add_signed(by))
}

fn default_save_name() -> String {
    jiff::Zoned::now().strftime("quay-%Y%m%d-%H%M%S.take.jsonl").to_string()
}
