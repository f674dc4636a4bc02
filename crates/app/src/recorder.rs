//! Recording while it happens: a take on disk that is never more than a
//! moment behind.
//!
//! Events are written as lines as soon as their tick has run, at most
//! [`INTERVAL`] later, by a thread of its own. What was handed to the system
//! survives the death of the program (`kill -9`); a line that was cut off is
//! the last one, and a take opens up to there. When the disk is full the
//! thread keeps what it could not write, says so, and tries again; the history
//! in memory is not touched by any of it.

use gtrig_analysis::Session;
use gtrig_core::Nanos;
use gtrig_formats::take::TakeWriter;
use std::{
    fs::File,
    io::{self, Write},
    path::{Path, PathBuf},
    sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel},
    thread::{self, JoinHandle},
    time::Duration,
};

/// Lines are handed to the thread this often.
pub const INTERVAL: Nanos = Nanos::from_millis(10);

/// How long the thread waits before it tries a full disk again.
const RETRY: Duration = Duration::from_millis(250);

/// While the disk is full, the thread keeps at most this much.
const KEPT_BYTES: usize = 256 << 20;

/// A take being written.
#[derive(Debug)]
pub struct Recorder {
    path: PathBuf,
    lines: TakeWriter<Vec<u8>>,
    /// The number of the first event that is not written yet.
    next: u64,
    last: Nanos,
    to_disk: Option<Sender<Vec<u8>>>,
    news: Receiver<String>,
    thread: Option<JoinHandle<io::Result<()>>>,
}

impl Recorder {
    /// Starts a take at `path` with everything that `session` has seen so far.
    ///
    /// # Errors
    /// When the file exists already, which is never overwritten, or cannot be
    /// made.
    pub fn start(path: &Path, session: &Session, title: Option<&str>) -> io::Result<Self> {
        let file = File::options().write(true).create_new(true).open(path)?;
        // History that was forgotten needs an opening; ask for it as a save does.
        let recording = session.recording();
        let rig = session.rig().name.as_str();
        let mut lines = TakeWriter::begin(Vec::new(), title, rig, recording.begins_at)?;
        let kept_from = session.seen_count() - session.seen_from(0).count() as u64;
        for event in recording.opening() {
            lines.event(session.roster(), event)?;
        }
        let (to_disk, chunks) = channel();
        let (tell, news) = channel();
        let thread = thread::spawn(move || Disk { file, kept: Vec::new(), tell }.run(&chunks));
        Ok(Recorder {
            path: path.to_owned(),
            lines,
            next: kept_from,
            last: Nanos(0),
            to_disk: Some(to_disk),
            news,
            thread: Some(thread),
        })
    }

    /// The file.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Hands over what was seen since, if it is time.
    pub fn catch_up(&mut self, session: &Session, now: Nanos) {
        if now.0 >= self.last.0 + INTERVAL.0 {
            self.last = now;
            self.hand_over(session);
        }
    }

    fn hand_over(&mut self, session: &Session) {
        for event in session.seen_from(self.next) {
            // Writing to memory cannot fail.
            let _ = self.lines.event(session.roster(), event);
        }
        self.next = session.seen_count();
        let chunk = std::mem::take(self.lines.out());
        if let Some(to_disk) = self.to_disk.as_ref().filter(|_| !chunk.is_empty()) {
            // A thread that gave up has said why.
            let _ = to_disk.send(chunk);
        }
    }

    /// Writes what `old` has seen, and goes on with `new`, which has seen the same.
    pub fn go_on_with(&mut self, old: &Session, new: &Session) {
        self.hand_over(old);
        self.next = new.seen_count();
    }

    /// What went wrong, or right again, since this was last asked.
    pub fn news(&mut self) -> Vec<String> {
        self.news.try_iter().collect()
    }

    /// Writes the rest, with the labels, and ends.
    ///
    /// # Errors
    /// When something could not be written to the very end.
    pub fn finish(mut self, session: &Session) -> io::Result<()> {
        for label in session.labels() {
            let _ = self.lines.label(label);
        }
        self.hand_over(session);
        self.to_disk = None;
        match self.thread.take().map(JoinHandle::join) {
            Some(Ok(result)) => result,
            _ => Err(io::Error::other("the thread that writes the take has failed")),
        }
    }
}

/// The thread's half.
struct Disk {
    file: File,
    /// What could not be written yet.
    kept: Vec<u8>,
    tell: Sender<String>,
}

impl Disk {
    fn run(mut self, chunks: &Receiver<Vec<u8>>) -> io::Result<()> {
        let mut is_stuck = false;
        loop {
            match chunks.recv_timeout(RETRY) {
                Ok(chunk) => self.kept.extend(chunk),
                Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) => return self.write(),
            }
            self.kept.extend(std::iter::from_fn(|| chunks.try_recv().ok()).flatten());
            let was_stuck = is_stuck;
            let result = self.write();
            is_stuck = result.is_err();
            match result {
                Err(error) if self.kept.len() > KEPT_BYTES => {
                    self.say(format!("recording has stopped: {error}, and 256 MiB wait already"));
                    return Err(error);
                }
                Err(error) if !was_stuck => self.say(format!(
                    "the take cannot be written: {error}. Recording goes on in memory; it is tried again"
                )),
                Ok(()) if was_stuck => self.say("the take is written again, nothing is missing".to_owned()),
                _ => {}
            }
        }
    }

    fn say(&self, text: String) {
        let _ = self.tell.send(text);
    }

    fn write(&mut self) -> io::Result<()> {
        while !self.kept.is_empty() {
            match self.file.write(&self.kept) {
                Ok(0) => return Err(io::ErrorKind::WriteZero.into()),
                Ok(n) => drop(self.kept.drain(..n)),
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(error) => return Err(error),
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::files;
    use gtrig_analysis::Capacity;
    use gtrig_core::Tick;
    use gtrig_sources::{Cab, Source};

    /// A cab that works while it is recorded, in steps of a frame.
    fn recorded(session: &mut Session, path: &Path, ms: u64) -> Recorder {
        let mut cab = Cab::at_work(1);
        let mut recorder = Recorder::start(path, session, None).unwrap();
        for now in (0..ms).step_by(33).map(Nanos::from_millis) {
            cab.drain(session, now);
            session.run_before(now);
            recorder.catch_up(session, now);
        }
        recorder
    }

    fn session(capacity: Capacity) -> Session {
        Session::new(files::rig(None, None).unwrap(), Tick(0), capacity)
    }

    #[test]
    fn a_recording_is_what_a_save_would_have_been() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("r.take.jsonl");
        let mut session = session(Capacity::DEFAULT);
        recorded(&mut session, &path, 14_000).finish(&session).unwrap();
        let mut saved = Vec::new();
        gtrig_formats::take::write(&session.recording(), None, &mut saved).unwrap();
        // A save has the events that wait for their tick too.
        let recorded = std::fs::read(&path).unwrap();
        assert!(recorded.len() > 100_000 && saved.starts_with(&recorded));
    }

    #[test]
    fn what_history_forgets_meanwhile_is_in_the_take_all_the_same() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("r.take.jsonl");
        let small = Capacity { events: 1_000, changes: usize::MAX };
        let mut session = session(small);
        recorded(&mut session, &path, 20_000).finish(&session).unwrap();
        assert!(session.history().begins() > Tick(0), "something must have been forgotten");
        let opened = files::open_take(&path, session.rig().clone(), Capacity::DEFAULT).unwrap();
        assert!(opened.loaded.is_sound());
        let count = opened.session.history().event_count() as u64;
        assert_eq!(count, session.seen_count());
    }

    #[test]
    fn a_file_that_is_there_is_never_overwritten() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("r.take.jsonl");
        std::fs::write(&path, "precious").unwrap();
        let error = Recorder::start(&path, &session(Capacity::DEFAULT), None).unwrap_err();
        assert_eq!(error.kind(), io::ErrorKind::AlreadyExists);
        assert_eq!(std::fs::read_to_string(&path).unwrap(), "precious");
    }

    #[test]
    fn a_full_disk_is_said_once_and_what_could_not_be_written_is_kept() {
        let file = File::options().write(true).open("/dev/full").unwrap();
        let (tell, news) = channel();
        let (to_disk, chunks) = channel();
        let disk = thread::spawn(move || Disk { file, kept: Vec::new(), tell }.run(&chunks));
        to_disk.send(b"first".to_vec()).unwrap();
        let said = news.recv_timeout(Duration::from_secs(20)).unwrap();
        assert!(said.contains("No space left") && said.contains("goes on in memory"), "{said}");
        to_disk.send(b"second".to_vec()).unwrap();
        drop(to_disk);
        assert!(disk.join().unwrap().is_err(), "the end must not pretend that all is well");
        assert!(news.recv().is_err(), "it is said once");
    }
}
