//! The loop: events in, time on, a frame out.
//!
//! The terminal is read in a thread of its own, which stamps every event the
//! moment it comes, so that drawing never delays a time stamp. Signals come
//! through the same channel.

use super::{App, Theme, app::Request, draw, terminal::Taken};
use crate::{
    files::{Opened, RigSource},
    recorder::Recorder,
};
use anyhow::Context;
use crossterm::event::{self, Event};
use gtrig_analysis::Session;
use gtrig_core::Nanos;
use gtrig_sources::{Source, Terminal, TerminalKeys};
use ratatui::backend::CrosstermBackend;
use signal_hook::{
    consts::{SIGCONT, SIGHUP, SIGINT, SIGTERM, SIGTSTP},
    iterator::Signals,
};
use std::{
    io::{self, IsTerminal, Stdout, stdout},
    path::PathBuf,
    sync::mpsc::{self, Receiver, RecvTimeoutError, Sender},
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
        /// A take to record to as it happens.
        record: Option<PathBuf>,
    },
    /// A take.
    Take(Box<Opened>),
}

/// What the loop hears.
enum Heard {
    Terminal(Event, Instant),
    Signal(i32),
}

/// A frame at most this often: enough for the eye, calm over a slow line.
const FRAME: Duration = Duration::from_millis(33);

/// A frame at least this often: time goes on though nothing happens.
const CALM: Duration = Duration::from_millis(120);

/// For so long after something happened every frame is drawn: values may be on their
/// way.
const LIVELY: Duration = Duration::from_millis(1_000);

/// When the screen is drawn again: every frame while something happens, and now and then
/// while nothing does.
struct Pace {
    drawn: Option<Instant>,
    happened: Instant,
    /// How many events ticks had seen.
    seen: u64,
}

impl Pace {
    fn new() -> Self {
        Pace { drawn: None, happened: Instant::now(), seen: 0 }
    }

    /// The person did something.
    fn happened(&mut self) {
        (self.drawn, self.happened) = (None, Instant::now());
    }

    fn is_due(&mut self, app: &App) -> bool {
        let (now, seen) = (Instant::now(), app.session().seen_count());
        if std::mem::replace(&mut self.seen, seen) != seen || app.view.is_playing() {
            self.happened = now;
        }
        let wait = if now < self.happened + LIVELY { Duration::ZERO } else { CALM };
        let is_due = self.drawn.is_none_or(|drawn| now >= drawn + wait);
        if is_due {
            self.drawn = Some(now);
        }
        is_due
    }
}

/// Runs the full screen until the person quits.
///
/// # Errors
/// When there is no terminal, or it cannot be written.
pub fn run(start: Start, rig: RigSource, release_after: Nanos) -> anyhow::Result<()> {
    if !stdout().is_terminal() || !io::stdin().is_terminal() {
        anyhow::bail!(
            "the full screen needs a terminal on standard input and output; \
             `gtrig replay` and `gtrig simulate` do without"
        );
    }
    let taken = Taken::take().context("cannot take over the terminal")?;
    let how = match taken.reports_releases() {
        true => TerminalKeys::Reported,
        false => TerminalKeys::Inferred(release_after),
    };
    let size = crossterm::terminal::size().unwrap_or((80, 24));
    let (mut app, clock) = build(start, how, size)?;
    app.follow_rig(Some(rig));
    let heard = listen()?;
    let mut screen = blank_screen()?;
    let mut taken = Some(taken);
    let mut pace = Pace::new();
    loop {
        app.advance(clock.now());
        if pace.is_due(&app) {
            screen.draw(|frame| {
                app.fit(frame.area());
                draw(frame, &app);
            })?;
        }
        match wait(&mut app, &heard, clock, &mut pace) {
            None => {}
            Some(Request::Quit) => {
                drop(taken);
                let failures = app.finish_saving();
                anyhow::ensure!(failures.is_empty(), "{}", failures.join("; "));
                return Ok(());
            }
            Some(Request::Suspend) => {
                drop(taken.take());
                signal_hook::low_level::emulate_default_handler(SIGTSTP)?;
                taken = Some(Taken::take()?);
                screen = blank_screen()?;
                pace = Pace::new();
            }
        }
        if let Some(taken) = &taken {
            taken.report_all_keys(app.captured && how == TerminalKeys::Reported)?;
        }
    }
}

/// A screen that takes nothing for drawn. Made anew after a suspension:
/// clearing the old one would ask the terminal where its cursor is, and the
/// thread that reads the terminal would swallow the answer.
fn blank_screen() -> io::Result<ratatui::Terminal<CrosstermBackend<Stdout>>> {
    ratatui::Terminal::new(CrosstermBackend::new(stdout()))
}

fn build(start: Start, how: TerminalKeys, size: (u16, u16)) -> anyhow::Result<(App, Clock)> {
    let theme = Theme::from_environment();
    match start {
        Start::Take(opened) => Ok((App::take(*opened, theme), Clock::starting_at(Nanos(0)))),
        Start::Live { mut session, clock, sources, record } => {
            let terminal = Terminal::plug(&mut session, how, size, clock.began)?;
            let recorder = record.map(|path| {
                Recorder::start(&path, &session, None)
                    .with_context(|| format!("cannot record to {}", path.display()))
            });
            let recorder = recorder.transpose()?;
            let mut app = App::live(*session, sources, Some(terminal), theme);
            if let Some(recorder) = recorder {
                app.record(recorder);
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

    fn at(self, instant: Instant) -> Nanos {
        let elapsed = instant.saturating_duration_since(self.start).as_nanos();
        Nanos(self.began.0 + elapsed as u64)
    }
}

/// Handles what is heard until the next frame is due.
fn wait(app: &mut App, heard: &Receiver<Heard>, clock: Clock, pace: &mut Pace) -> Option<Request> {
    let frame_due = Instant::now() + FRAME;
    loop {
        let left = frame_due.saturating_duration_since(Instant::now());
        let request = match heard.recv_timeout(left) {
            Ok(Heard::Terminal(event, at)) => {
                pace.happened();
                app.event(&event, clock.at(at))
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

fn listen() -> io::Result<Receiver<Heard>> {
    let (sender, receiver) = mpsc::channel();
    let signals = Signals::new([SIGTERM, SIGINT, SIGHUP, SIGTSTP, SIGCONT])?;
    let for_signals = sender.clone();
    thread::spawn(move || forward_signals(signals, &for_signals));
    thread::spawn(move || forward_terminal(&sender));
    Ok(receiver)
}

fn forward_signals(mut signals: Signals, to: &Sender<Heard>) {
    for signal in signals.forever() {
        if to.send(Heard::Signal(signal)).is_err() {
            return;
        }
    }
}

fn forward_terminal(to: &Sender<Heard>) {
    while let Ok(event) = event::read() {
        if to.send(Heard::Terminal(event, Instant::now())).is_err() {
            return;
        }
    }
    // The terminal is gone: threads that wait for it must end.
    let _ = to.send(Heard::Signal(SIGHUP));
}
