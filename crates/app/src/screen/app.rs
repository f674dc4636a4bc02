//! The state of the full screen, and how it moves on in time.
//!
//! What keys and mouse do is in `input` and `commands`; what views ask about
//! lanes is in `lanes`.

mod commands;
mod input;
mod lanes;
mod measuring;
mod timing;
mod touching;
mod tuning;
mod yard;

use timing::Ladders;
pub(crate) use timing::ended_at;
pub(crate) use touching::MARGIN;
use touching::Touching;
pub(crate) use tuning::Tuning;
pub(crate) use yard::Yard;

use super::{
    bench::Bench,
    draw::Areas,
    jobs::{Audited, Jobs, Measured, Outcome},
    prompt::Prompt,
    theme::Theme,
    view::{Lane, Stretch, Zoom},
};
use crate::{
    files::{Opened, RigSource},
    loops::AuditBy,
    recorder::Recorder,
};
use gtrig_analysis::{LaneLog, Session, stream::StreamWatch};
use gtrig_core::{ControlId, LaneMarks, Machine, Nanos, Tick};
use gtrig_sources::{Source, Terminal};
use ratatui::layout::Rect;

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
    /// The picture of a touch panel.
    pub(crate) panel: Rect,
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
    /// The take that is written as it happens.
    recorder: Option<Recorder>,
    /// What loops of other rates make of the history, once that is known.
    pub(crate) audited: Option<Box<Audited>>,
    pub(crate) is_auditing: bool,
    /// The loops that audits try.
    pub(crate) audit_by: AuditBy,
    /// How well the reports of the devices come.
    pub(crate) streams: StreamWatch,
    pub(crate) tuning: Tuning,
    /// What the stick of the chosen lane was measured to do.
    pub(crate) measured: Option<Box<Measured>>,
    is_measuring: bool,
    /// The stick that is laid over the one of the stick bench.
    pub(super) laid: Option<(ControlId, Option<ControlId>)>,
    /// The crane that the actions move.
    pub(crate) yard: Yard,
    touching: Touching,
    /// What every attempt at the combos came to.
    pub(super) ladders: Ladders,
    quit_asked: bool,
    jobs: Jobs,
    save_name: fn() -> String,
}

/// Events are given this long to arrive before the tick that should see them
/// runs; see [`Session::report`] on those that come later still.
pub const SETTLE: Nanos = Nanos::from_millis(4);

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
        app.streams = opened.streams;
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
            recorder: None,
            audited: None,
            is_auditing: false,
            audit_by: AuditBy::default(),
            streams: StreamWatch::default(),
            tuning: Tuning::default(),
            measured: None,
            is_measuring: false,
            laid: None,
            yard: Yard::default(),
            touching: Touching::default(),
            ladders: Ladders::default(),
            quit_asked: false,
            jobs: Jobs::default(),
            save_name: default_save_name,
        }
    }

    /// Puts the playhead on the first lost press, or else on what is first wrong
    /// with a stream, or else on the first other mark of a lane, or else on the
    /// first label; and chooses the lane of that
    /// mark, or else the first that moves after the label.
    fn look_at_the_point(&mut self) {
        let rate = self.session.plan().rate();
        let point = self
            .first_marked(LaneMarks::LOST)
            .or_else(|| {
                let trouble = self.streams.troubles().front()?;
                Some((rate.tick_seeing(trouble.to), self.lane_of(trouble)?))
            })
            .or_else(|| self.first_marked(LaneMarks::all()));
        let label = self.session.labels().first().map(|label| rate.tick_seeing(label.time));
        let tick = point.map(|(tick, _)| tick).or(label).unwrap_or_default();
        let moves = |lane: &Lane| Some(self.log(*lane).changes_after(tick).next()?.tick);
        let moving = self.lanes().into_iter().filter_map(|lane| Some((moves(&lane)?, lane)));
        let next = moving.min_by_key(|(tick, _)| *tick).map(|(_, lane)| lane);
        self.chosen = point.map(|(_, lane)| lane).or(next);
        self.freeze_at(tick);
    }

    /// Where a lane first has one of these marks.
    fn first_marked(&self, marks: LaneMarks) -> Option<(Tick, Lane)> {
        let first = |log: &LaneLog| {
            log.changes_after(Tick(0)).find(|change| change.marks.intersects(marks))
        };
        self.lanes().into_iter().find_map(|lane| Some((first(self.log(lane))?.tick, lane)))
    }

    /// Moves the clock on: sources are drained and ticks run, or a take plays.
    pub fn advance(&mut self, now: Nanos) {
        self.now = now.max(self.now);
        self.finish_jobs();
        if self.notice.as_ref().is_some_and(|notice| notice.until < self.now) {
            self.notice = None;
        }
        if self.is_take {
            self.follow_combos();
            self.play_on();
            (self.bench.entry().advance)(self);
            return;
        }
        let mut news = Vec::new();
        for source in &mut self.sources {
            source.drain(&mut self.session, now);
            news.extend(source.troubles());
        }
        if let Some(terminal) = &mut self.terminal {
            terminal.drain(&mut self.session, now);
        }
        if let Some(settled) = now.0.checked_sub(SETTLE.0) {
            let tick = self.session.plan().rate().tick_at(Nanos(settled));
            self.session.run_until(tick);
        }
        self.streams.catch_up(&self.session);
        self.follow_combos();
        if let Some(recorder) = &mut self.recorder {
            recorder.catch_up(&self.session, now);
            news.extend(recorder.news());
        }
        if !news.is_empty() {
            self.tell(news.join(" · "), true);
        }
        if let Playhead::Live = self.playhead {
            self.follow();
        }
        (self.bench.entry().advance)(self);
    }

    /// Where the rig came from: what is tuned can be written back there, and what
    /// an editor changes there is followed.
    pub fn follow_rig(&mut self, source: Option<RigSource>) {
        self.tuning.source = source;
        self.watch_rig();
    }

    /// Has everything written to a take as it happens.
    pub fn record(&mut self, recorder: Recorder) {
        self.recorder = Some(recorder);
        self.unsaved = false;
    }

    /// The take that is being written, if there is one.
    pub(crate) fn recording(&self) -> Option<&Recorder> {
        self.recorder.as_ref()
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

    pub(super) fn follow(&mut self) {
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

    pub(super) fn freeze_at(&mut self, tick: Tick) {
        let tick = tick.max(self.session.history().begins()).min(self.last());
        self.playhead = Playhead::Frozen(Box::new(self.session.at(tick)));
        self.stretch.show(tick);
    }

    /// Puts the playhead on a tick; a take that plays stops.
    pub(super) fn go_to(&mut self, tick: Tick) {
        self.playing = None;
        self.freeze_at(tick);
    }

    fn finish_jobs(&mut self) {
        while let Some((outcome, is_current)) = self.jobs.next() {
            match outcome {
                Outcome::Saved { path, events, result: Ok(()) } => {
                    self.tell(format!("saved {events} events to {}", path.display()), false);
                }
                Outcome::Saved { result: Err(why), .. } => {
                    self.unsaved |= is_current;
                    self.tell(why, true);
                }
                Outcome::Audited(audited) => {
                    self.audited = Some(audited);
                    self.is_auditing = false;
                }
                Outcome::WentWrong(session, (from, way)) => self.went_wrong(*session, from, way),
                Outcome::Retuned(session, from) => self.retuned(*session, from),
                Outcome::Measured(measured) => {
                    self.measured = Some(measured);
                    self.is_measuring = false;
                }
                Outcome::Drawn(path, Ok(())) => {
                    self.tell(format!("drawn to {}", path.display()), false);
                }
                Outcome::Drawn(_, Err(why)) => self.tell(why, true),
                Outcome::RigChanged(path, text) => self.rig_changed(&path, text),
                Outcome::Opened(Err(why)) => self.tell(why, true),
                Outcome::Opened(Ok(opened)) => self.replace_with(*opened),
            }
        }
    }

    /// Ends the recording and waits for saves that are still being written, so that none is cut off
    /// by the end of the program. Returns what went wrong with them.
    pub(crate) fn finish_saving(&mut self) -> Vec<String> {
        let mut failures = Vec::new();
        if let Some(recorder) = self.recorder.take() {
            let path = recorder.path().to_owned();
            if let Err(error) = recorder.finish(&self.session) {
                failures
                    .push(format!("{} could not be written to its end: {error}", path.display()));
            }
        }
        failures.extend(self.jobs.finish());
        failures
    }

    /// Shows another take instead of what was there. What the person set up
    /// about the view stays.
    fn replace_with(&mut self, opened: Opened) {
        let (bench, tall, columns) = (self.bench, self.tall, self.stretch.columns);
        let now = self.now;
        let tuning = self.tuning.for_another_take();
        let mut jobs = std::mem::take(&mut self.jobs);
        jobs.begin_document();
        *self = App { now, bench, tall, hit: self.hit, jobs, ..App::take(opened, self.theme) };
        self.stretch.columns = columns;
        self.tuning = tuning;
        self.watch_rig();
        // The notice was timed by a clock that stood at zero.
        if let Some(notice) = &mut self.notice {
            notice.until = Nanos(now.0 + NOTICE_TIME.0);
        }
    }

    /// Lays the screen out in `area`, as the next frame will be. Scrolls as
    /// little as need be to keep the chosen lane in view.
    pub fn fit(&mut self, area: Rect) {
        let areas = Areas::of(area, self);
        let hit = Hit { panel: self.panel_area(areas.bench), ..areas.hit() };
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
        let chosen = lanes.iter().position(|&lane| Some(lane) == self.chosen).unwrap_or(0);
        self.chosen = lanes.get(chosen).copied();
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
}

fn default_save_name() -> String {
    jiff::Zoned::now().strftime("quay-%Y%m%d-%H%M%S.take.jsonl").to_string()
}
