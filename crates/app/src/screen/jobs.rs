//! Work that could take long, done in threads of its own so that the screen
//! never waits: saving, opening and auditing takes.
//!
//! There are four such threads, and each lives as long as the screen: what is written,
//! what is opened, studies and runs by another rig do not wait for each other. A thread for each
//! piece of work would leave what the allocator keeps for it behind, which made
//! the program grow by hundreds of MiB over hours.
//!
//! [`Jobs`] outlives what the screen shows. When another take is opened, files
//! that are being written are still waited for and told of; what was asked about
//! the take before is dropped when it comes.

use crate::{
    arrangements, figure,
    files::{self, Begun, Opened, RigSource},
    reels::ReelPart,
};
use gtrig_analysis::{
    Capacity, Recording, Session,
    agree::{self, Agreement, Held},
    audit::{self, Loop, LoopAudit},
    frames::GameId,
    measure::{self, Measurement, Proposal, Samples},
    motion::MotionRule,
};
use gtrig_core::{Axes, Event, Nanos, Rig, Tick};
use gtrig_formats::{
    Mistakes, Over, measure::MeasureReport, reel::Reel, rig, save_atomically, take,
};
use gtrig_sources::Story;
use notify_debouncer_mini::{
    DebounceEventResult, DebouncedEvent, Debouncer, new_debouncer,
    notify::{self, RecommendedWatcher, RecursiveMode},
};
use std::{
    io,
    panic::{self, AssertUnwindSafe},
    path::{Path, PathBuf},
    sync::mpsc::{Receiver, Sender, channel},
    thread,
    time::{Duration, Instant},
};

/// How much of a history is saved.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Saving {
    All,
    Part,
}

/// What a job came to.
#[derive(Debug)]
pub(crate) enum Outcome {
    Saved {
        path: PathBuf,
        what: Saving,
        events: usize,
        result: anyhow::Result<()>,
    },
    /// A story was opened, by its own rig.
    OpenedStory(anyhow::Result<Box<(Opened, RigSource)>>),
    /// How lanes are arranged was kept.
    Kept(anyhow::Result<()>),
    Opened(anyhow::Result<Box<Opened>>),
    /// A part of a reel was opened, to be looked at there.
    OpenedPart(anyhow::Result<Box<Begun>>, Nanos),
    Audited(Box<Audited>),
    /// The history by another rig, up to this event.
    Retuned(Box<Session>, u64),
    /// The same with a mistake in the rig.
    WentWrong(Box<Session>, (u64, MotionRule)),
    Measured(Box<Measured>),
    /// A game was held against the rig.
    Agreed(Box<Agreed>),
    /// A figure was drawn, or why it was not.
    Drawn(PathBuf, anyhow::Result<()>),
    /// The rig's file says something else now.
    RigChanged(Box<ChangedRig>),
}

impl Outcome {
    /// Whether it says something of the take that was shown when it was asked
    /// for, and nothing of any other.
    const fn is_of_document(&self) -> bool {
        match self {
            Outcome::Saved { .. }
            | Outcome::Kept(_)
            | Outcome::Drawn(..)
            | Outcome::Opened(_)
            | Outcome::OpenedPart(..)
            | Outcome::OpenedStory(_) => false,
            Outcome::Audited(_)
            | Outcome::Retuned(..)
            | Outcome::WentWrong(..)
            | Outcome::Measured(_)
            | Outcome::Agreed(_)
            | Outcome::RigChanged(_) => true,
        }
    }

    const fn is_written(&self) -> bool {
        matches!(self, Outcome::Saved { .. } | Outcome::Drawn(..) | Outcome::Kept(_))
    }
}

/// The work that goes on, and what has come of it.
#[derive(Debug)]
pub(crate) struct Jobs {
    sender: Sender<(u32, Outcome)>,
    outcomes: Receiver<(u32, Outcome)>,
    /// Writes files.
    files: Worker,
    /// Opens takes, which may come through a pipe to which nobody writes.
    opens: Worker,
    /// Audits and measures.
    studies: Worker,
    /// Runs a history by another rig.
    runs: Worker,
    /// Files that are being written.
    writing: usize,
    /// Which take is shown, counted from 0.
    document: u32,
    /// Follows the rig's file for as long as it is there.
    follower: Option<Follower>,
}

impl Default for Jobs {
    fn default() -> Self {
        let (sender, outcomes) = channel();
        Jobs {
            sender,
            outcomes,
            files: Worker::new("files"),
            opens: Worker::new("opens"),
            studies: Worker::new("studies"),
            runs: Worker::new("runs"),
            writing: 0,
            document: 0,
            follower: None,
        }
    }
}

/// A piece of work that says itself what it came to.
type Work = Box<dyn FnOnce() + Send>;

/// A thread that does one piece of work after another. It begins with the first
/// and ends once its owner is gone and all is done.
#[derive(Debug)]
struct Worker {
    name: &'static str,
    queue: Option<Sender<Work>>,
}

impl Worker {
    const fn new(name: &'static str) -> Worker {
        Worker { name, queue: None }
    }

    /// # Errors
    /// When the system has no thread to give.
    fn begin(name: &str) -> io::Result<Sender<Work>> {
        let (queue, work) = channel::<Work>();
        // What panics takes no other work with it: it has been told by then.
        let each = |it: Work| drop(panic::catch_unwind(AssertUnwindSafe(it)));
        thread::Builder::new().name(name.into()).spawn(move || work.iter().for_each(each))?;
        Ok(queue)
    }

    /// Has the work done, and said what it came to.
    fn does(&mut self, done: Done, work: impl FnOnce() -> Outcome + Send + 'static) {
        self.give(Box::new(move || done.say(work())));
    }

    fn give(&mut self, work: Work) {
        if self.queue.is_none() {
            self.queue = Worker::begin(self.name).ok();
        }
        match &self.queue {
            Some(queue) => queue.send(work).expect("a worker lives as long as its queue"),
            // The screen waits, but nothing that was asked for is forgotten.
            None => work(),
        }
    }
}

/// Where a thread says what it came to.
#[derive(Clone, Debug)]
struct Done {
    sender: Sender<(u32, Outcome)>,
    document: u32,
}

impl Done {
    /// Without a receiver the program is ending, and nobody asks.
    fn say(&self, outcome: Outcome) {
        let _ = self.sender.send((self.document, outcome));
    }
}

impl Jobs {
    /// Another take is shown: what is still asked about the one before is of no
    /// use any more.
    pub(crate) fn begin_document(&mut self) {
        self.document += 1;
        self.follower = None;
    }

    /// What has come in since it was asked last, with whether it was asked for
    /// while the take was shown that is shown now.
    pub(crate) fn next(&mut self) -> Option<(Outcome, bool)> {
        loop {
            let (document, outcome) = self.outcomes.try_recv().ok()?;
            self.writing -= usize::from(outcome.is_written());
            let is_current = document == self.document;
            if is_current || !outcome.is_of_document() {
                return Some((outcome, is_current));
            }
        }
    }

    /// Waits for the files that are being written. Returns what went wrong with
    /// them.
    pub(crate) fn finish(&mut self) -> Vec<String> {
        let mut failures = Vec::new();
        while self.writing > 0 {
            let Ok((_, outcome)) = self.outcomes.recv() else { break };
            self.writing -= usize::from(outcome.is_written());
            if let Outcome::Saved { result, .. }
            | Outcome::Drawn(_, result)
            | Outcome::Kept(result) = outcome
            {
                failures.extend(result.err().map(|why| format!("{why:#}")));
            }
        }
        failures
    }

    fn done(&self) -> Done {
        Done { sender: self.sender.clone(), document: self.document }
    }

    /// Audits a history.
    pub(crate) fn audit(&mut self, session: &Session, loops: Vec<Loop>) {
        let (plan, recording, until) =
            (session.plan().clone(), session.recording(), session.now().at());
        let done = self.done();
        self.studies.does(done, move || {
            let events: Vec<Event> = recording.events().collect();
            let loops = loops.into_iter().map(|of| audit::audit(&plan, &events, of)).collect();
            let shortest_state = audit::shortest_state(&plan, &events);
            Outcome::Audited(Box::new(Audited { loops, shortest_state, until }))
        });
    }

    /// Holds a game against the rig.
    pub(crate) fn agree(&mut self, session: &Session, game: GameId) {
        let (rig, recording) = (session.rig().clone(), session.recording());
        let done = self.done();
        self.studies.does(done, move || {
            let began = Instant::now();
            let events: Vec<Event> = recording.events().collect();
            let held = Held::of(&rig, &recording, &events);
            let found = agree::agree(held, game, |_| {});
            let (said, took) = (recording.frames.said(), began.elapsed());
            Outcome::Agreed(Box::new(Agreed { rig, found, said, took }))
        });
    }

    /// Measures two axes, or one.
    pub(crate) fn measure(&mut self, session: &Session, axes: Axes) {
        let (recording, until) = (session.recording(), session.now().at());
        let done = self.done();
        self.studies.does(done, move || {
            let roster = &recording.roster;
            let samples = Samples::of(roster, axes, recording.events());
            let found = measure::measure(&samples);
            let proposal = measure::propose(&samples, &found);
            let report = MeasureReport::new(roster.axes_label(axes), &found, &proposal);
            let measured = Measured { of: axes, until, samples, found, proposal, report };
            Outcome::Measured(Box::new(measured))
        });
    }

    /// Runs a recording by another rig; it has events up to this one.
    pub(crate) fn retune(&mut self, recording: Recording, rig: Rig, from: u64) {
        let done = self.done();
        self.runs.does(done, move || {
            let session = Session::replayed(&recording, rig);
            Outcome::Retuned(Box::new(session), from)
        });
    }

    /// Runs a recording by a rig with a mistake.
    pub(crate) fn go_wrong(&mut self, recording: Recording, rig: Rig, of: (u64, MotionRule)) {
        let done = self.done();
        self.runs.does(done, move || {
            let session = Session::replayed(&recording, rig);
            Outcome::WentWrong(Box::new(session), of)
        });
    }

    /// Says when a file changes, until another take is shown or another file is
    /// followed.
    ///
    /// # Errors
    /// When the system cannot follow it.
    pub(crate) fn follow(&mut self, path: PathBuf) -> notify::Result<()> {
        let done = self.done();
        self.follower = None;
        self.follower = Some(follow(path, done)?);
        Ok(())
    }

    /// Writes a figure.
    pub(crate) fn draw(&mut self, svg: String, path: &Path) {
        let path = path.to_owned();
        self.writing += 1;
        let done = self.done();
        self.files.does(done, move || {
            let result = figure::save(&svg, &path);
            Outcome::Drawn(path, result)
        });
    }

    /// Saves a recording.
    pub(crate) fn save(
        &mut self,
        path: PathBuf,
        what: Saving,
        recording: Recording,
        title: Option<String>,
    ) {
        self.writing += 1;
        let done = self.done();
        self.files.does(done, move || {
            let result = save_atomically(&path, Over::Nothing, |out| {
                take::write(&recording, title.as_deref(), out)
            });
            let result = result.map_err(|error| {
                anyhow::anyhow!("could not save {}: {error}. Nothing is lost: the history is still here; choose another place", path.display())
            });
            let events = recording.events().count();
            Outcome::Saved { path, what, events, result }
        });
    }

    /// Keeps how lanes are arranged.
    pub(crate) fn keep(&mut self, path: PathBuf, text: String) {
        self.writing += 1;
        let done = self.done();
        self.files.does(done, move || Outcome::Kept(arrangements::write(&path, &text)));
    }

    /// Opens a story, by the rig that ships with it.
    pub(crate) fn open_story(&mut self, story: Story) {
        let done = self.done();
        self.opens.does(done, move || {
            let open = || {
                let rig = files::rig(None, story.poll_hz())?;
                let source = RigSource::of(None, story.poll_hz())?;
                Ok(Box::new((files::shipped_take(story, rig)?, source)))
            };
            Outcome::OpenedStory(open())
        });
    }

    /// Opens the part of a reel around an instant.
    pub(crate) fn open_part(&mut self, reel: ReelPart, at: Nanos, rig: Rig) {
        let done = self.done();
        self.opens.does(done, move || {
            Outcome::OpenedPart(reel.around(at).open(rig, at).map(Box::new), at)
        });
    }

    /// Opens a take, or the beginning of a reel.
    pub(crate) fn open(&mut self, path: &Path, rig: Rig) {
        let path = path.to_owned();
        let done = self.done();
        self.opens.does(done, move || {
            if Reel::is_at(&path) {
                let part = ReelPart::of(&path, Nanos(0));
                let begins = part.as_ref().map_or(Nanos(0), |part| part.whole()[0]);
                let begun = part.and_then(|part| part.open(rig, begins));
                return Outcome::OpenedPart(begun.map(Box::new), begins);
            }
            let opened = files::open_take(&path, rig, Capacity::DEFAULT);
            Outcome::Opened(opened.map(Box::new))
        });
    }
}

/// A rig that somebody else wrote, checked.
#[derive(Debug)]
pub(crate) struct ChangedRig {
    pub(crate) path: PathBuf,
    pub(crate) text: String,
    pub(crate) rig: Result<Rig, Mistakes>,
}

/// What loops of other rates make of a history.
#[derive(Debug)]
pub(crate) struct Audited {
    pub(crate) loops: Vec<LoopAudit>,
    pub(crate) shortest_state: Option<Nanos>,
    /// The last tick of the history that was audited.
    pub(crate) until: Tick,
}

/// How a game agrees with the rig.
#[derive(Debug)]
pub(crate) struct Agreed {
    /// The rig that it was held against; by now another one may be in force.
    pub(crate) rig: Rig,
    pub(crate) found: Agreement,
    /// How many frames had been said by then.
    pub(crate) said: u64,
    /// How long it took to find out.
    pub(crate) took: Duration,
}

/// What a stick was measured to do.
#[derive(Debug)]
pub(crate) struct Measured {
    /// Its x, or the only axis.
    pub(crate) of: Axes,
    /// The last tick that was looked at.
    pub(crate) until: Tick,
    pub(crate) samples: Samples,
    pub(crate) found: Measurement,
    pub(crate) proposal: Proposal,
    pub(crate) report: MeasureReport,
}

type Follower = Debouncer<RecommendedWatcher>;

/// An editor may write a file in several goes; it is read when it has been left
/// alone for so long.
const LEFT_ALONE: Duration = Duration::from_millis(100);

/// Follows a file for as long as what it returns is kept.
fn follow(path: PathBuf, done: Done) -> notify::Result<Follower> {
    // The folder, for editors put a new file in the place of the old one.
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
    let folder = folder.unwrap_or(Path::new(".")).to_owned();
    let mut last = None;
    let read = move |events: DebounceEventResult| {
        let is_its = |event: &DebouncedEvent| event.path.file_name() == path.file_name();
        if !events.is_ok_and(|events| events.iter().any(is_its)) {
            return;
        }
        // Editors may take a file away for a moment; what follows finds it.
        let text = files::rig_text(&path).ok();
        if let Some(text) = text.filter(|text| last.as_ref() != Some(text)) {
            last = Some(text.clone());
            let rig = rig::parse(&path.display().to_string(), &text);
            let changed = ChangedRig { path: path.clone(), text, rig };
            done.say(Outcome::RigChanged(Box::new(changed)));
        }
    };
    let mut follower = new_debouncer(LEFT_ALONE, read)?;
    follower.watcher().watch(&folder, RecursiveMode::NonRecursive)?;
    Ok(follower)
}

#[cfg(test)]
mod tests;
