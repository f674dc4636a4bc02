//! The state of the full screen, and how it moves on in time.
//!
//! What keys and mouse do is in `input` and `commands`; what views ask about
//! lanes is in `lanes`.

mod arranging;
mod commands;
mod finding;
mod finishing;
mod gaming;
mod guides;
mod input;
mod lanes;
mod learning;
mod logging;
mod measuring;
mod naming;
mod pointing;
mod polling;
mod reeling;
mod rigs;
mod seeking;
mod sending;
mod timing;
mod touching;
mod tour;
mod tuning;
mod uses;
mod yard;

pub(in crate::screen) use arranging::Arranging;
pub(crate) use gaming::GamePlace;
use gaming::Gaming;
pub(crate) use guides::{Guide, GuideKind};
pub(crate) use learning::{DeviceLesson, Lesson};
pub(crate) use logging::KEPT;
use logging::LogBook;
use measuring::Measuring;
pub(crate) use naming::Naming;
use pointing::Pointing;
use polling::Polling;
pub(crate) use seeking::Search;
use seeking::{SearchPlace, Sought};
use sending::Sending;
pub(crate) use sending::Trend;
use timing::Ladders;
pub(crate) use touching::MARGIN;
use touching::Touching;
use tour::Tour;
pub(crate) use tuning::Tuning;
pub(crate) use yard::Yard;

use super::{
    areas::{Areas, Shares},
    bench::{Bench, game, log::lines_area},
    document::Document,
    draw,
    find::Find,
    jobs::Jobs,
    keymap::{Command, Keymap},
    prompt::Prompt,
    theme::Theme,
    view::Lane,
    viewport::{Hit, Playhead, Viewport},
};
use crate::{
    broadcast::Broadcast,
    files::{Begun, Opened, RigSource},
    recorder::Recorder,
};
use gtrig_analysis::{LaneLog, Session};
use gtrig_core::{LaneMarks, Machine, Nanos, Tick, harmless};
use gtrig_sources::{Source, Terminal, TerminalKeys};
use ratatui::layout::Rect;
use std::sync::Arc;

/// What the loop must do for the application.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Request {
    /// Give the terminal back and stop until the shell continues the program.
    Suspend,
    /// End.
    Quit,
}

/// A line of news at the bottom of the screen, until its time is over.
#[derive(Clone, Debug)]
pub(crate) struct Notice {
    pub(crate) text: String,
    pub(crate) is_bad: bool,
    until: Nanos,
}

/// The help overlay.
#[derive(Clone, Debug)]
pub(crate) struct Help {
    /// What is searched for in it.
    pub(crate) line: Prompt,
    /// How many rows are above its top.
    pub(crate) scroll: u16,
}

impl Help {
    /// Goes on by so many rows.
    fn turn(&mut self, by: i32) {
        self.scroll = self.scroll.saturating_add_signed(by as i16);
    }
}

/// The full screen without a terminal. Time comes in with
/// [`App::advance`].
///
/// What is shown, where the person looks and what goes on in threads are types
/// of their own, and so is what a bench keeps; here is what ties them together.
pub struct App {
    pub(crate) document: Document,
    pub(crate) view: Viewport,
    jobs: Jobs,
    pub(in crate::screen) now: Nanos,
    pub(crate) bench: Bench,
    /// The device of the device bench, by its place in the roster.
    pub(crate) device: usize,
    /// The device whose controls are being named, if one is.
    pub(crate) lesson: Option<Lesson>,
    pub(crate) tuning: Tuning,
    pub(crate) polling: Polling,
    /// How a game agrees with the rig.
    pub(crate) gaming: Gaming,
    pub(crate) measuring: Measuring,
    /// The crane that the actions move.
    pub(crate) yard: Yard,
    touching: Touching,
    pointing: Pointing,
    arranging: Arranging,
    /// Where somebody is in the tour, if they take it.
    tour: Option<Tour>,
    /// The programs that send.
    pub(super) sending: Sending,
    /// What happened, line by line.
    pub(super) logbook: LogBook,
    /// What every attempt at the combos came to.
    pub(super) ladders: Ladders,
    pub(crate) prompt: Option<Prompt>,
    /// What is searched for, while it is.
    pub(crate) find: Option<Find>,
    pub(crate) help: Option<Help>,
    /// Whether the keys of the terminal go to the session.
    pub(crate) captured: bool,
    notice: Option<Notice>,
    quit_asked: bool,
    pub(crate) theme: Theme,
    /// The keys in force.
    pub(crate) keymap: Arc<Keymap>,
    pub(in crate::screen) save_name: fn() -> String,
}

const NOTICE_TIME: Nanos = Nanos::from_millis(6_000);

/// What is bad is shown for so long at least.
const READ: Nanos = Nanos::from_millis(1_500);

impl App {
    /// A live session, fed by `sources` and, while captured, by the terminal.
    pub fn live(
        session: Session,
        sources: Vec<Box<dyn Source>>,
        terminal: Option<Terminal>,
        theme: Theme,
    ) -> Self {
        let mut app = App::new(Document::live(session, sources, terminal), theme);
        app.sending.invites = app.document.invitation().is_some();
        app
    }

    /// A take that is still being written.
    pub fn growing(
        session: Session,
        title: Option<String>,
        rest: Box<dyn Source>,
        theme: Theme,
    ) -> Self {
        let mut document = Document::live(session, vec![rest], None);
        document.title = title;
        App::new(document, theme)
    }

    /// A take, frozen where something can be seen.
    pub fn take(opened: Opened, theme: Theme) -> Self {
        let complaints = opened.loaded.complaints();
        let mut app = App::new(Document::take(opened), theme);
        app.view.opens_whole = app.last().0 - app.session().history().begins().0 < 1000;
        if !complaints.is_empty() {
            app.tell(complaints.join(" · "), true);
        }
        app.look_at_the_point();
        app
    }

    /// A take of which the beginning was read, and which is read on.
    pub fn begun(begun: Begun, theme: Theme) -> Self {
        let mut app = App::new(Document::begun(begun), theme);
        app.look_at_the_point();
        app
    }

    /// Puts the playhead on an instant, as far as it is read.
    pub fn look_at(&mut self, time: Nanos) {
        let tick = self.session().plan().rate().tick_seeing(time);
        self.go_to(tick);
    }

    /// Whether a take is still being read.
    pub fn is_reading(&self) -> bool {
        self.document.share_read().is_some()
    }

    fn new(document: Document, theme: Theme) -> Self {
        App {
            document,
            view: Viewport::default(),
            jobs: Jobs::default(),
            now: Nanos(0),
            bench: Bench::Board,
            device: 0,
            lesson: None,
            tuning: Tuning::default(),
            polling: Polling::default(),
            gaming: Gaming::default(),
            measuring: Measuring::default(),
            yard: Yard::default(),
            touching: Touching::default(),
            pointing: Pointing::default(),
            arranging: Arranging::default(),
            tour: None,
            sending: Sending::default(),
            logbook: LogBook::default(),
            ladders: Ladders::default(),
            prompt: None,
            find: None,
            help: None,
            captured: false,
            notice: None,
            quit_asked: false,
            theme,
            keymap: Keymap::own(),
            save_name: default_save_name,
        }
    }

    /// Has other keys from now on.
    pub(super) fn use_keys(&mut self, keymap: Keymap) {
        self.keymap = Arc::new(keymap);
    }

    /// A command as a message names it: its key, or where it has none what finds it.
    pub(crate) fn key_of(&self, command: Command) -> String {
        match (self.keymap.shown(command), self.keymap.name(command)) {
            (Some(key), _) => key.to_owned(),
            (None, name) => format!("`{name}`"),
        }
    }

    /// What is shown.
    pub(crate) fn session(&self) -> &Session {
        &self.document.session
    }

    /// Puts the playhead on the first lost press, or else on what is first wrong
    /// with a stream, or else on the first other mark of a lane, or else on the
    /// first label; and chooses the lane of that
    /// mark, or else the first that moves after the label.
    fn look_at_the_point(&mut self) {
        let rate = self.session().plan().rate();
        let point = self
            .first_marked(LaneMarks::LOST)
            .or_else(|| {
                let trouble = self.document.streams.troubles().front()?;
                Some((rate.tick_seeing(trouble.to), self.lane_of(trouble)?))
            })
            .or_else(|| self.first_marked(LaneMarks::all()));
        let label = self.session().labels().first().map(|label| rate.tick_seeing(label.time));
        let tick = point.map(|(tick, _)| tick).or(label).unwrap_or_default();
        let moves = |lane: &Lane| Some(self.log(*lane).changes_after(tick).next()?.tick);
        let moving = self.listed_lanes().into_iter().filter_map(|lane| Some((moves(&lane)?, lane)));
        let next = moving.min_by_key(|(tick, _)| *tick).map(|(_, lane)| lane);
        self.view.chosen = point.map(|(_, lane)| lane).or(next);
        self.freeze_at(tick);
    }

    /// Where a lane first has one of these marks.
    fn first_marked(&self, marks: LaneMarks) -> Option<(Tick, Lane)> {
        let first = |log: &LaneLog| {
            log.changes_after(Tick(0)).find(|change| change.marks.intersects(marks))
        };
        self.listed_lanes().into_iter().find_map(|lane| Some((first(self.log(lane))?.tick, lane)))
    }

    /// Moves the clock on: sources are drained and ticks run, or a take plays.
    pub fn advance(&mut self, now: Nanos) {
        self.now = now.max(self.now);
        self.finish_jobs();
        if self.notice.as_ref().is_some_and(|notice| notice.until < self.now) {
            self.notice = None;
        }
        let news = self.document.advance(now);
        self.view.fit(self.document.session.plan());
        if !news.is_empty() {
            self.tell(news.join(" · "), true);
        }
        self.follow_arrangement();
        self.follow_senders();
        self.follow_combos();
        self.follow_lesson();
        self.play_on();
        if !self.document.is_take && self.view.is_live() {
            self.view.follow(self.last());
        }
        (self.bench.entry().advance)(self);
        self.follow_tour();
    }

    /// How many reports the screen could show: those that ticks have seen, and where it
    /// lists them, those that wait for one.
    pub fn reports_to_show(&self) -> u64 {
        let session = &self.document.session;
        let waiting = if self.lists_waiting() { session.waiting().len() as u64 } else { 0 };
        session.seen_count() + waiting
    }

    /// When the next tick may run, if any does.
    pub fn next_settles(&self) -> Option<Nanos> {
        self.document.next_settles()
    }

    /// Where the rig came from: what is tuned can be written back there, and what
    /// an editor changes there is followed.
    pub fn follow_rig(&mut self, source: Option<RigSource>) {
        self.tuning.source = source;
        self.watch_rig();
    }

    /// Has everything written to a take as it happens.
    pub fn record(&mut self, recorder: Recorder) {
        self.document.record(recorder);
    }

    /// Has what comes of the session published.
    pub fn publish(&mut self, broadcast: Broadcast) {
        self.document.publish(broadcast);
    }

    /// Whether a take is written as it happens.
    pub(crate) fn is_recording(&self) -> bool {
        self.document.recording().is_some()
    }

    /// The terminal has said whether it reports presses, repeats and releases.
    pub(crate) fn terminal_reports_releases(&mut self, does: bool) {
        if let Some(terminal) = self.document.terminal.as_mut().filter(|_| does) {
            terminal.report_releases();
        }
    }

    /// Whether the terminal should report all keys: they go to the session, and it can.
    pub(crate) fn wants_all_keys(&self) -> bool {
        let terminal = self.is_captured_by();
        terminal.is_some_and(|terminal| terminal.how() == TerminalKeys::Reported)
    }

    /// The program stood still from one instant to another, and saw nothing.
    pub(crate) fn stood_still(&mut self, from: Nanos, to: Nanos) {
        self.lift_fingers(from);
        if let Some(terminal) = &mut self.document.terminal {
            terminal.stood_still(&mut self.document.session, from, to);
        }
        let seconds = (to.0 - from.0) as f64 / 1e9;
        let text = match self.captured {
            true => "what was held is released, what was typed meanwhile is marked late",
            false => "nothing was heard meanwhile",
        };
        self.tell(format!("the program stood still for {seconds:.1} s: {text}"), true);
    }

    fn play_on(&mut self) {
        let Some((since, from)) = self.view.playing else {
            return;
        };
        let rate = self.session().plan().rate();
        let elapsed = self.now.0 - since.0;
        let tick = rate.tick_at(Nanos(rate.time_of(from).0 + elapsed));
        self.freeze_at(tick);
        if tick >= self.last() {
            self.view.playing = None;
        }
    }

    /// The state under the playhead.
    pub(crate) fn machine(&self) -> &Machine {
        match &self.view.playhead {
            Playhead::Live => self.session().now(),
            Playhead::Frozen(machine) => machine,
        }
    }

    /// The tick under the playhead.
    pub(crate) fn tick(&self) -> Tick {
        self.machine().at()
    }

    pub(crate) fn last(&self) -> Tick {
        self.document.last()
    }

    pub(crate) fn notice(&self) -> Option<&Notice> {
        self.notice.as_ref()
    }

    /// A message is over when the person goes on; what is bad stays long enough to be read.
    pub(super) fn drop_notice(&mut self) {
        let read = Nanos(self.now.0 + NOTICE_TIME.0 - READ.0);
        if self.notice.as_ref().is_some_and(|notice| !notice.is_bad || notice.until <= read) {
            self.notice = None;
        }
    }

    pub(crate) fn tell(&mut self, text: String, is_bad: bool) {
        let until = Nanos(self.now.0 + NOTICE_TIME.0);
        self.notice = Some(Notice { text: harmless(&text), is_bad, until });
    }

    pub(super) fn freeze_at(&mut self, tick: Tick) {
        let tick = tick.max(self.session().history().begins()).min(self.last());
        self.view.freeze(self.session().at(tick));
    }

    /// Puts the playhead on a tick; a take that plays stops.
    pub(super) fn go_to(&mut self, tick: Tick) {
        self.view.playing = None;
        self.freeze_at(tick);
    }

    /// Whether anybody wrote something on the timeline.
    pub(crate) fn has_marks(&self) -> bool {
        !self.session().labels().is_empty()
    }

    /// Where everything goes on a screen.
    pub(crate) fn areas(&self, whole: Rect) -> Areas {
        let bench_wants = (self.bench.entry().wants)(self, whole.width.saturating_sub(2));
        let (has_marks, has_reel) = (self.has_marks(), self.reel().is_some());
        Areas::of(whole, Shares { room: self.view.room, bench_wants, has_marks, has_reel })
    }

    /// Lays the screen out in `area`, as the next frame will be. Scrolls as
    /// little as need be to keep the chosen lane in view.
    pub fn fit(&mut self, area: Rect) {
        let tick = self.tick();
        self.document.rates.follow(&self.document.session, tick);
        let areas = self.areas(area);
        let (panel, log) = (self.panel_area(areas.bench), lines_area(areas.bench));
        let places = game::places_area(areas.bench, self);
        let found = draw::found_area(area);
        let hit = Hit { panel, log, places, found, ..areas.hit() };
        self.view.hit = hit;
        if self.view.stretch.columns != hit.traces.width {
            self.view.stretch.columns = hit.traces.width.max(1);
            if std::mem::take(&mut self.view.opens_whole) {
                self.show_whole_history();
            }
            match self.view.is_live() {
                true => self.view.follow(self.last()),
                false => self.view.stretch.show(self.tick()),
            }
        }
        let (lanes, folded) = self.shown_and_folded_lanes();
        // What the tour says lies over the last rows.
        let covered = if self.tour.is_some() { draw::TOUR_ROWS } else { 0 };
        self.share_rows(&lanes, hit.lanes.height.saturating_sub(covered));
        let chosen = lanes.iter().position(|&lane| Some(lane) == self.view.chosen).unwrap_or(0);
        self.view.chosen = lanes.get(chosen).copied();
        self.view.first_lane = self.view.first_lane.min(chosen);
        let height = |from: usize| -> u16 {
            lanes[from..=chosen].iter().map(|&lane| self.lane_height(lane)).sum()
        };
        let mut first = self.view.first_lane;
        while first < chosen && height(first) > hit.lanes.height {
            first += 1;
        }
        self.view.first_lane = first;
        (self.view.shown, self.view.folded) = (lanes, folded);
    }

    pub(crate) fn is_captured_by(&self) -> Option<&Terminal> {
        self.document.terminal.as_ref().filter(|_| self.captured)
    }
}

fn default_save_name() -> String {
    jiff::Zoned::now().strftime("quay-%Y%m%d-%H%M%S.take.jsonl").to_string()
}
