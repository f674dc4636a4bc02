//! The loop: events in, time on, a frame out.
//!
//! The terminal is read in a thread of its own, which stamps every event the
//! moment it comes, so that drawing never delays a time stamp. Signals come
//! through the same channel, and so do the times at which the whole program stood still
//! (`heart`). Frames go to the terminal by another thread (`outbox`).

use super::{
    App, Theme,
    app::{Arranging, Request},
    draw,
    heart::{Heart, Hole},
    keymap::{self, Keymap},
    outbox::Outbox,
    terminal::{self, Taken},
    wire::Wire,
};
use crate::{
    arrangements,
    broadcast::Broadcast,
    files::{Begun, Opened, RigSource},
    recorder::{Recorder, Ring},
    settings,
};
use anyhow::Context;
use crossterm::event::{self, Event};
use gtrig_analysis::Session;
use gtrig_core::{Nanos, Tick};
use gtrig_formats::settings::Settings;
use gtrig_sources::{Source, Terminal, TerminalKeys};
use ratatui::{TerminalOptions, Viewport, layout::Rect};
use signal_hook::{
    consts::{SIGCONT, SIGHUP, SIGINT, SIGTERM, SIGTSTP},
    iterator::Signals,
};
use std::{
    fs::File,
    io::{self, IsTerminal, stdout},
    path::PathBuf,
    sync::{
        Arc,
        mpsc::{self, Receiver, RecvTimeoutError, Sender},
    },
    thread,
    time::{Duration, Instant},
};

/// What to show first.
pub enum Start {
    /// This terminal's devices, and whatever else feeds the session.
    Live {
        /// The session, perhaps with some history already.
        session: Box<Session>,
        /// What time it is in it.
        clock: Clock,
        /// What feeds it besides the terminal.
        sources: Vec<Box<dyn Source>>,
        /// A take, or reel, to record to as it happens.
        record: Option<(PathBuf, Ring)>,
        /// Who reads what comes of it.
        broadcast: Option<Broadcast>,
    },
    /// A take that is still being written.
    Growing {
        /// What it holds so far.
        session: Box<Session>,
        /// What it is about.
        title: Option<String>,
        /// What time it is in it.
        clock: Clock,
        /// What reads on.
        rest: Box<dyn Source>,
    },
    /// A take.
    Take(Box<Opened>),
    /// The story of the tour, which begins at once.
    Tour(Box<Opened>),
    /// A take of which only the beginning was read yet.
    Begun(Box<Begun>, Option<Nanos>),
}

/// What the loop hears.
enum Heard {
    Terminal(Event, Instant),
    /// Whether the terminal can report presses, repeats and releases.
    ReportsReleases(bool),
    Signal(i32),
    StoodStill(Hole),
}

/// After a tick has run its frame is drawn at once, but no two frames follow each other
/// sooner than this. A slow line gets as many as it takes; see [`Outbox`].
const LEAST: Duration = Duration::from_millis(8);

/// A frame this often, while a take is played.
const PLAYED: Duration = Duration::from_millis(16);

/// While nothing happens, whether something does is looked at this often.
const LOOK: Duration = Duration::from_millis(33);

/// While a take is written, what came is handed over this often, drawn or not.
const STEP: Duration = Duration::from_millis(11);

/// A frame at least this often: time goes on though nothing happens.
const CALM: Duration = Duration::from_millis(120);

/// For so long after it was asked what it can do, the terminal is sent nothing else.
const ASKING: Duration = Duration::from_millis(30);

/// For so long after something happened every frame is drawn: values may be on their
/// way.
const LIVELY: Duration = Duration::from_millis(1_000);

/// When the screen is drawn again: after every tick while something happens, and now and
/// then while nothing does.
struct Pace {
    drawn: Option<Instant>,
    /// The last tick that was drawn.
    tick: Tick,
    happened: Instant,
    /// How many reports there were to show.
    reports: u64,
    /// How many of them were drawn.
    drawn_reports: u64,
    /// No frame comes before.
    not_before: Instant,
    /// The terminal has another size since the last frame.
    resized: Option<(u16, u16)>,
    /// No two frames follow each other sooner, as somebody set it for a slow line.
    gap: Duration,
    latest: Option<Instant>,
}

impl Pace {
    /// At most so many frames a second, if that is set.
    fn new(frames: Option<u16>) -> Self {
        let now = Instant::now();
        let gap = |frames: u16| Duration::from_secs(1) / u32::from(frames.max(1));
        Pace {
            gap: frames.map_or(Duration::ZERO, gap),
            latest: None,
            drawn: None,
            tick: Tick(0),
            happened: now,
            reports: 0,
            drawn_reports: 0,
            not_before: now,
            resized: None,
        }
    }

    /// Draws nothing for so long.
    fn rest_for(&mut self, time: Duration) {
        self.not_before = Instant::now() + time;
    }

    /// The person did something.
    fn happened(&mut self) {
        (self.drawn, self.happened) = (None, Instant::now());
    }

    /// Whether a frame is due in a round of the loop that began `now`: what the round itself
    /// takes does not put the next one off.
    fn is_due(&mut self, app: &App, now: Instant) -> bool {
        let reports = app.reports_to_show();
        if std::mem::replace(&mut self.reports, reports) != reports || app.view.is_playing() {
            self.happened = now;
        }
        let is_new = app.last() != self.tick || reports != self.drawn_reports;
        let wait = match self.is_lively(now) {
            false => CALM,
            // What is read goes on as fast as it can, not from frame to frame.
            true if is_new && !app.is_reading() => LEAST,
            true if app.view.is_playing() => PLAYED,
            true => LOOK,
        };
        let is_due = now >= self.not_before
            && self.drawn.is_none_or(|drawn| now >= drawn + wait)
            && self.latest.is_none_or(|latest| now >= latest + self.gap);
        if is_due {
            self.latest = Some(now);
            (self.drawn, self.tick, self.drawn_reports) = (Some(now), app.last(), reports);
        }
        is_due
    }

    fn is_lively(&self, now: Instant) -> bool {
        now < self.happened + LIVELY
    }

    /// How long the loop may rest.
    fn rest(&self, app: &App, clock: Clock) -> Duration {
        if app.is_reading() {
            return Duration::ZERO;
        }
        let now = Instant::now();
        let Some(drawn) = self.drawn.filter(|_| self.is_lively(now)) else { return LOOK };
        let next = match app.next_settles() {
            _ if app.view.is_playing() => drawn + PLAYED,
            _ if app.lists_waiting() => drawn + LEAST,
            Some(settles) => clock.when(settles).clamp(drawn + LEAST, drawn + LOOK),
            None => drawn + LOOK,
        };
        // Where it is past, the terminal has not taken the frame before yet.
        next.saturating_duration_since(now).max(Duration::from_millis(1))
    }
}

/// Runs the full screen until the person quits.
///
/// # Errors
/// When there is no terminal, or it cannot be written.
pub fn run(start: Start, rig: RigSource, release_after: Nanos) -> anyhow::Result<()> {
    // Where something else comes through standard input, keys are read from the terminal.
    let has_keys = io::stdin().is_terminal() || File::open("/dev/tty").is_ok();
    if !stdout().is_terminal() || !has_keys {
        anyhow::bail!(
            "the full screen needs a terminal on standard output, and one that it can read; \
             `gtrig replay` and `gtrig tail` do without"
        );
    }
    // What is wrong with them is told on a terminal that is still the shell's.
    let Settings { theme, frames, keys } = settings::read(&keymap::bound())?;
    let taken = Taken::take().context("cannot take over the terminal")?;
    let size = terminal::size();
    // Until the terminal says otherwise; the first frame does not wait for that.
    let how = TerminalKeys::Inferred(release_after);
    let (mut app, clock) = build(start, Theme::of(theme), how, size)?;
    if !keys.is_empty() {
        app.use_keys(Keymap::new(&keys));
    }
    arrange(&mut app);
    app.follow_rig(Some(rig));
    let outbox = Outbox::new();
    let mut taken = Some(taken);
    let result = go_on(&mut app, clock, (size, frames, &mut taken), &outbox);
    // Whatever ended it, what was recorded is written to its end, and only then the
    // terminal is waited for.
    let failures = app.finish_saving();
    match (outbox.wait(), taken) {
        (Err(_), Some(taken)) => taken.abandon(),
        (_, taken) => drop(taken),
    }
    result?;
    anyhow::ensure!(failures.is_empty(), "{}", failures.join("; "));
    Ok(())
}

/// Arranges lanes as they were left. What is damaged is told, and not written over.
fn arrange(app: &mut App) {
    let Some(path) = arrangements::path() else { return };
    match arrangements::read(&path) {
        Ok(all) => app.arrange(Arranging::kept(all, Some(path))),
        Err(why) => app.tell(format!("{why:#}"), true),
    }
}

/// Goes on until the person quits.
fn go_on(
    app: &mut App,
    clock: Clock,
    (size, frames, taken): ((u16, u16), Option<u16>, &mut Option<Taken>),
    outbox: &Outbox,
) -> anyhow::Result<()> {
    let mut screen = blank_screen(outbox, size)?;
    app.advance(clock.now());
    show(&mut screen, app)?;
    // What the terminal is asked must not come in the middle of a frame.
    let _ = outbox.wait();
    let (heart, heard) = listen()?;
    let mut pace = Pace::new(frames);
    pace.rest_for(ASKING);
    loop {
        let began = Instant::now();
        if terminal::is_gone() {
            return Ok(());
        }
        heart.beat();
        // What came before now is heard before time goes on.
        let mut request = hear(app, &heard, clock, &mut pace, Duration::ZERO);
        app.advance(clock.now());
        if let Some((columns, rows)) = pace.resized.take() {
            let area = Rect::new(0, 0, columns, rows);
            if area != screen.get_frame().area() {
                screen.backend_mut().resized(columns);
                screen.resize(area)?;
            }
        }
        if outbox.is_free()? && pace.is_due(app, began) {
            show(&mut screen, app)?;
        }
        if request.is_none() {
            let rest = pace.rest(app, clock);
            let step = if app.is_recording() { rest.min(STEP) } else { rest };
            request = hear(app, &heard, clock, &mut pace, step);
        }
        match request {
            None => {}
            Some(Request::Quit) => return Ok(()),
            Some(Request::Suspend) => {
                // One that takes nothing is waited for by what gives it back.
                let _ = outbox.wait();
                drop(taken.take());
                signal_hook::low_level::emulate_default_handler(SIGTSTP)?;
                *taken = Some(Taken::take()?);
                screen = blank_screen(outbox, terminal::size())?;
                pace = Pace::new(frames);
            }
        }
        if let Some(taken) = taken {
            taken.report_all_keys(app.wants_all_keys(), &mut outbox.clone())?;
        }
    }
}

type Screen = ratatui::Terminal<Wire<Outbox>>;

/// A screen that takes nothing for drawn. Made anew after a suspension:
/// clearing the old one would ask the terminal where its cursor is, and the
/// thread that reads the terminal would swallow the answer. Its size is told when it
/// changes, not asked for in every frame.
fn blank_screen(outbox: &Outbox, (columns, rows): (u16, u16)) -> io::Result<Screen> {
    let viewport = Viewport::Fixed(Rect::new(0, 0, columns, rows));
    let backend = Wire::new(outbox.clone(), columns);
    ratatui::Terminal::with_options(backend, TerminalOptions { viewport })
}

fn show(screen: &mut Screen, app: &mut App) -> io::Result<()> {
    screen.draw(|frame| {
        app.fit(frame.area());
        draw(frame, app);
    })?;
    Ok(())
}

fn build(
    start: Start,
    theme: Theme,
    how: TerminalKeys,
    size: (u16, u16),
) -> anyhow::Result<(App, Clock)> {
    match start {
        Start::Take(opened) => Ok((App::take(*opened, theme), Clock::starting_at(Nanos(0)))),
        Start::Tour(opened) => {
            let mut app = App::take(*opened, theme);
            app.begin_with_tour();
            Ok((app, Clock::starting_at(Nanos(0))))
        }
        Start::Begun(begun, at) => {
            let mut app = App::begun(*begun, theme);
            if let Some(at) = at {
                app.look_at(at);
            }
            Ok((app, Clock::starting_at(Nanos(0))))
        }
        Start::Growing { session, title, clock, rest } => {
            Ok((App::growing(*session, title, rest, theme), clock))
        }
        Start::Live { mut session, clock, sources, record, broadcast } => {
            let terminal = Terminal::plug(&mut session, how, size, clock.began)?;
            let recorder = record.map(|(path, ring)| {
                Recorder::start(&path, &session, None, ring)
                    .with_context(|| format!("cannot record to {}", path.display()))
            });
            let recorder = recorder.transpose()?;
            let mut app = App::live(*session, sources, Some(terminal), theme);
            if let Some(recorder) = recorder {
                app.record(recorder);
            }
            if let Some(broadcast) = broadcast {
                app.publish(broadcast);
            }
            Ok((app, clock))
        }
    }
}

/// The clock of a session. Nothing below the application reads a clock. It is made
/// before the sources that begin with it, for what they report is by their own.
#[derive(Clone, Copy, Debug)]
pub struct Clock {
    start: Instant,
    began: Nanos,
}

impl Clock {
    /// One that stands at an instant of the session now.
    pub fn starting_at(began: Nanos) -> Self {
        Clock { start: Instant::now(), began }
    }

    /// What time it is in the session.
    pub fn now(self) -> Nanos {
        self.at(Instant::now())
    }

    /// When it is that time; one before the session began is its beginning.
    fn when(self, time: Nanos) -> Instant {
        self.start + Duration::from_nanos(time.0.saturating_sub(self.began.0))
    }

    fn at(self, instant: Instant) -> Nanos {
        let elapsed = instant.saturating_duration_since(self.start).as_nanos();
        Nanos(self.began.0 + elapsed as u64)
    }
}

/// Handles what is heard within `time`.
fn hear(
    app: &mut App,
    heard: &Receiver<Heard>,
    clock: Clock,
    pace: &mut Pace,
    time: Duration,
) -> Option<Request> {
    let mut until = Instant::now() + time;
    loop {
        let left = until.saturating_duration_since(Instant::now());
        let request = match heard.recv_timeout(left) {
            Ok(Heard::ReportsReleases(does)) => {
                pace.happened();
                // From now on it tells, but it may have changed before.
                pace.resized = Some(terminal::size());
                app.terminal_reports_releases(does);
                None
            }
            Ok(Heard::Terminal(event, at)) => {
                pace.happened();
                if let Event::Resize(columns, rows) = event {
                    pace.resized = Some(terminal::to_draw_in(columns, rows));
                }
                // What else has come is heard, and then it is drawn at once.
                until = Instant::now();
                app.event(&event, clock.at(at))
            }
            Ok(Heard::StoodStill(hole)) => {
                app.stood_still(clock.at(hole.from), clock.at(hole.to));
                None
            }
            Ok(Heard::Signal(SIGTSTP)) => Some(Request::Suspend),
            Ok(Heard::Signal(SIGCONT)) => None,
            // Any other signal, or nobody left to hear: the end.
            Ok(Heard::Signal(_)) | Err(RecvTimeoutError::Disconnected) => Some(Request::Quit),
            Err(RecvTimeoutError::Timeout) => return None,
        };
        if request.is_some() {
            return request;
        }
    }
}

fn listen() -> io::Result<(Arc<Heart>, Receiver<Heard>)> {
    let (sender, receiver) = mpsc::channel();
    let signals = Signals::new([SIGTERM, SIGINT, SIGHUP, SIGTSTP, SIGCONT])?;
    let for_holes = sender.clone();
    let tell = move |hole| {
        // Where nobody hears it any more, it is of no use.
        let _ = for_holes.send(Heard::StoodStill(hole));
    };
    let heart = Heart::beating(tell);
    let for_signals = sender.clone();
    thread::spawn(move || forward_signals(signals, &for_signals));
    let heart_of_terminal = Arc::clone(&heart);
    thread::spawn(move || forward_terminal(&heart_of_terminal, &sender));
    Ok((heart, receiver))
}

fn forward_signals(mut signals: Signals, to: &Sender<Heard>) {
    for signal in signals.forever() {
        if to.send(Heard::Signal(signal)).is_err() {
            return;
        }
    }
}

fn forward_terminal(heart: &Heart, to: &Sender<Heard>) {
    // One that does not answer is waited for here, and only here.
    let _ = to.send(Heard::ReportsReleases(terminal::reports_releases()));
    while let Ok(event) = event::read() {
        // That the program stood still is told before what was typed meanwhile.
        heart.beat();
        if to.send(Heard::Terminal(event, Instant::now())).is_err() {
            return;
        }
    }
    // The terminal is gone: threads that wait for it must end.
    let _ = to.send(Heard::Signal(SIGHUP));
}
