//! Work that could take long, done in threads of its own so that the screen
//! never waits: saving and opening takes.

use crate::files::{self, Opened};
use gtrig_core::{Capacity, Recording, Rig};
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
