//! Work that could take long, done in threads of its own so that the screen
//! never waits: saving, opening and auditing takes.

use crate::files::{self, Opened};
use gtrig_core::{
    Capacity, Event, Nanos, Recording, Rig, Session, Tick,
    audit::{self, Loop, LoopAudit},
};
use gtrig_formats::{save_atomically, take};
use std::{
    path::{Path, PathBuf},
    sync::mpsc::Sender,
    thread,
};

/// What a job came to.
#[derive(Debug)]
pub(crate) enum Outcome {
    Saved { path: PathBuf, events: usize, result: Result<(), String> },
    Opened(Result<Box<Opened>, String>),
    Audited(Box<Audited>),
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
