//! Work that could take long, done in threads of its own so that the screen
//! never waits: saving, opening and auditing takes.

use crate::{
    figure,
    files::{self, Opened},
};
use gtrig_analysis::{
    Capacity, Recording, Session,
    audit::{self, Loop, LoopAudit},
    measure::{self, Measurement, Proposal, Samples},
    motion::MotionRule,
};
use gtrig_core::{ControlId, Event, Nanos, Rig, Tick};
use gtrig_formats::{measure::MeasureReport, save_atomically, take};
use std::{
    path::{Path, PathBuf},
    sync::{Weak, mpsc::Sender},
    thread,
    time::Duration,
};

/// What a job came to.
#[derive(Debug)]
pub(crate) enum Outcome {
    Saved {
        path: PathBuf,
        events: usize,
        result: Result<(), String>,
    },
    Opened(Result<Box<Opened>, String>),
    Audited(Box<Audited>),
    /// The history by another rig, up to this event.
    Retuned(Box<Session>, u64),
    /// The same with a mistake in the rig.
    WentWrong(Box<Session>, (u64, MotionRule)),
    Measured(Box<Measured>),
    /// A figure was drawn, or why it was not.
    Drawn(PathBuf, Result<(), String>),
    /// The rig's file has this text now.
    RigChanged(PathBuf, String),
}

/// What loops of other rates make of a history.
#[derive(Debug)]
pub(crate) struct Audited {
    pub(crate) loops: Vec<LoopAudit>,
    pub(crate) shortest_state: Option<Nanos>,
    /// The last tick of the history that was audited.
    pub(crate) until: Tick,
}

/// Audits a history. The outcome goes to `done`.
pub(crate) fn audit(session: &Session, loops: Vec<Loop>, done: Sender<Outcome>) {
    let (plan, recording, until) =
        (session.plan().clone(), session.recording(), session.now().at());
    thread::spawn(move || {
        let events: Vec<Event> = recording.events().collect();
        let loops = loops.into_iter().map(|of| audit::audit(&plan, &events, of)).collect();
        let shortest_state = audit::shortest_state(&plan, &events);
        let audited = Audited { loops, shortest_state, until };
        let _ = done.send(Outcome::Audited(Box::new(audited)));
    });
}

/// What a stick was measured to do.
#[derive(Debug)]
pub(crate) struct Measured {
    /// Its x, or the only axis.
    pub(crate) of: ControlId,
    /// The last tick that was looked at.
    pub(crate) until: Tick,
    pub(crate) samples: Samples,
    pub(crate) found: Measurement,
    pub(crate) proposal: Proposal,
    pub(crate) report: MeasureReport,
}

/// Measures two axes, or one. The outcome goes to `done`.
pub(crate) fn measure(
    session: &Session,
    (x, y): (ControlId, Option<ControlId>),
    done: Sender<Outcome>,
) {
    let (recording, until) = (session.recording(), session.now().at());
    thread::spawn(move || {
        let roster = &recording.roster;
        let kinds = [x, y.unwrap_or(x)].map(|id| roster.control(id).kind);
        let samples = Samples::of(recording.events(), (x, y), kinds);
        let found = measure::measure(&samples);
        let proposal = measure::propose(&found, kinds);
        let report = MeasureReport::new(roster.travel_label((x, y)), &found, &proposal);
        let measured = Measured { of: x, until, samples, found, proposal, report };
        let _ = done.send(Outcome::Measured(Box::new(measured)));
    });
}

/// Runs a recording by another rig. The outcome goes to `done`.
pub(crate) fn retune(recording: Recording, rig: Rig, from: u64, done: Sender<Outcome>) {
    thread::spawn(move || {
        let session = Session::replayed(&recording, rig, Capacity::DEFAULT);
        let _ = done.send(Outcome::Retuned(Box::new(session), from));
    });
}

/// Runs a recording by a rig with a mistake. The outcome goes to `done`.
pub(crate) fn go_wrong(
    recording: Recording,
    rig: Rig,
    of: (u64, MotionRule),
    done: Sender<Outcome>,
) {
    thread::spawn(move || {
        let session = Session::replayed(&recording, rig, Capacity::DEFAULT);
        let _ = done.send(Outcome::WentWrong(Box::new(session), of));
    });
}

/// How often a rig's file is looked at.
const LOOK: Duration = Duration::from_millis(250);

/// Looks whether a file changes, for as long as somebody is `alive`.
pub(crate) fn watch(path: PathBuf, alive: Weak<()>, done: Sender<Outcome>) {
    let modified = |path: &Path| std::fs::metadata(path).and_then(|meta| meta.modified()).ok();
    let mut last = modified(&path);
    thread::spawn(move || {
        while alive.strong_count() > 0 {
            thread::sleep(LOOK);
            let now = modified(&path);
            if now == last {
                continue;
            }
            last = now;
            // Editors may take a file away for a moment; the next look finds it.
            if let Ok(text) = std::fs::read_to_string(&path) {
                let _ = done.send(Outcome::RigChanged(path.clone(), text));
            }
        }
    });
}

/// Writes a figure. The outcome goes to `done`.
pub(crate) fn draw(svg: String, path: &Path, done: Sender<Outcome>) {
    let path = path.to_owned();
    thread::spawn(move || {
        let result = figure::save(&svg, &path).map_err(|error| format!("{error:#}"));
        let _ = done.send(Outcome::Drawn(path, result));
    });
}

/// Saves a recording. The outcome goes to `done`.
pub(crate) fn save(
    path: PathBuf,
    recording: Recording,
    title: Option<String>,
    done: Sender<Outcome>,
) {
    thread::spawn(move || {
        let result = save_atomically(&path, |out| take::write(&recording, title.as_deref(), out));
        let result = result.map_err(|error| {
            format!("could not save {}: {error}. Nothing is lost: the history is still here; choose another place", path.display())
        });
        let events = recording.events().count();
        // Without a receiver the program is ending, and nobody asks.
        let _ = done.send(Outcome::Saved { path, events, result });
    });
}

/// Opens a take. The outcome goes to `done`.
pub(crate) fn open(path: &Path, rig: Rig, done: Sender<Outcome>) {
    let path = path.to_owned();
    thread::spawn(move || {
        let opened = files::open_take(&path, rig, Capacity::DEFAULT);
        let _ = done.send(Outcome::Opened(opened.map(Box::new).map_err(|e| format!("{e:#}"))));
    });
}
