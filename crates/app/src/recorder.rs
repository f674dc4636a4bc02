//! Recording while it happens: a take on disk that is never more than a
//! moment behind.
//!
//! Events are written as lines as soon as their tick has run, at most
//! [`INTERVAL`] later, by a thread of its own. What was handed to the system
//! survives the death of the program (`kill -9`); a line that was cut off is
//! the last one, and a take opens up to there. When the disk is full the
//! thread keeps what it could not write, says so, and tries again; when the file
//! is deleted or another takes its place, it writes all of it again; the history
//! in memory is not touched by any of it.

mod disk;
mod file;
mod spool;

pub use spool::Ring;

use disk::{Disk, News, Order};
use file::{TakeFile, create_free};
use gtrig_analysis::{Label, Session, frames::Frame};
use gtrig_core::Nanos;
use gtrig_formats::{reel::SegmentSize, take::TakeWriter};
use std::{
    collections::{BTreeSet, VecDeque},
    fs, io,
    path::{Path, PathBuf},
    sync::mpsc::{Receiver, Sender, channel},
    thread::{self, JoinHandle},
};

/// Lines are handed to the thread this often.
pub const INTERVAL: Nanos = Nanos::from_millis(10);

/// A take being written.
#[derive(Debug)]
pub struct Recorder {
    path: PathBuf,
    title: Option<String>,
    lines: TakeWriter<Vec<u8>>,
    /// The number of the first event that is not written yet.
    next: u64,
    /// Frames that wait for what comes before them, and the number of the first that is
    /// not among them yet.
    frames: VecDeque<Frame>,
    next_frame: u64,
    /// The labels that a reader has after what is written, in order of time.
    labels: Vec<Label>,
    last: Nanos,
    /// The segment that is written, of a reel.
    segment: Option<Segment>,
    to_disk: Option<Sender<Order>>,
    heard: Receiver<News>,
    said: Vec<String>,
    thread: Option<JoinHandle<io::Result<()>>>,
}

/// Where among labels in order of time those of an instant begin.
fn begin(labels: &[Label], time: Nanos) -> usize {
    labels.partition_point(|label| label.time < time)
}

/// Those that are about an instant.
fn about(labels: &[Label], time: Nanos) -> &[Label] {
    let to = labels.partition_point(|label| label.time <= time);
    &labels[begin(labels, time)..to]
}

/// A segment of a reel that is being written.
#[derive(Debug)]
struct Segment {
    begins: Nanos,
    /// Bytes of its lines.
    bytes: u64,
}

/// What a recording is written to.
enum To<'a> {
    File(TakeFile),
    /// A folder for a reel, which must not be there yet.
    Reel(&'a Path, Ring),
}

/// Whether what is recorded to this path is a reel: a folder of segments, for days.
pub fn is_reel(path: &Path) -> bool {
    path.extension().is_some_and(|ending| ending == "reel")
}

impl Recorder {
    /// Starts a take at `path` with everything that `session` has seen so far; a reel, of
    /// which as much is kept as `ring` says, where the name ends in `.reel`.
    ///
    /// # Errors
    /// When the file exists already, which is never overwritten, or cannot be
    /// made.
    pub fn start(
        path: &Path,
        session: &Session,
        title: Option<&str>,
        ring: Ring,
    ) -> io::Result<Self> {
        let to = match is_reel(path) {
            true => Ok(To::Reel(path, ring)),
            false => TakeFile::create(path).map(To::File),
        };
        to.and_then(|to| Self::write_to(to, session, title)).map_err(|error| {
            let why = match error.kind() {
                io::ErrorKind::AlreadyExists => "it is there already".to_owned(),
                _ => error.to_string(),
            };
            io::Error::new(error.kind(), format!("{why}; choose another name"))
        })
    }

    fn write_to(to: To, session: &Session, title: Option<&str>) -> io::Result<Self> {
        // History that was forgotten needs an opening; ask for it as a save does.
        let recording = session.recording();
        let rig = session.rig().name.as_str();
        let mut lines = TakeWriter::begin(Vec::new(), title, rig, recording.begins_at)?;
        let kept_from = session.seen_count() - session.seen_from(0).count() as u64;
        for event in recording.opening() {
            lines.event(session.roster(), event)?;
        }
        let (to_disk, orders) = channel();
        let (tell, heard) = channel();
        let begins = recording.begins_at;
        let (path, disk, segment) = match to {
            To::File(file) => (file.path().to_owned(), Disk::new(file, tell), None),
            To::Reel(path, ring) => {
                let opening = std::mem::take(lines.out());
                fs::create_dir(path)?;
                let disk = Disk::of_reel(path, (begins, &opening), ring, tell)?;
                let segment = Segment { begins, bytes: 0 };
                (path.to_owned(), disk, Some(segment))
            }
        };
        let thread = thread::spawn(move || disk.run(&orders));
        Ok(Recorder {
            path,
            title: title.map(str::to_owned),
            lines,
            next: kept_from,
            frames: recording.frames.told(recording.begins_at).collect(),
            next_frame: recording.frames.said(),
            labels: Vec::new(),
            last: Nanos(0),
            segment,
            to_disk: Some(to_disk),
            heard,
            said: Vec::new(),
            thread: Some(thread),
        })
    }

    /// The file, which is another one after it was moved, deleted or replaced.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Hands over what was seen since, if it is time.
    pub fn catch_up(&mut self, session: &Session, now: Nanos) {
        if now.0 >= self.last.0 + INTERVAL.0 {
            self.last = now;
            self.hand_over(session);
            self.hear(session);
        }
    }

    fn hand_over(&mut self, session: &Session) {
        self.frames.extend(session.frames().said_from(self.next_frame).cloned());
        self.next_frame = session.frames().said();
        for event in session.seen_from(self.next) {
            self.write_frames(session, |frame| frame.stands_behind() < event.time);
            // Writing to memory cannot fail.
            let _ = self.lines.event(session.roster(), event);
        }
        self.next = session.seen_count();
        let rate = session.plan().rate();
        let unseen = rate.begin_of(session.now().next_tick());
        self.write_frames(session, |frame| frame.stands_behind() < unseen);
        self.write_labels(session.labels());
        let lines = std::mem::take(self.lines.out());
        if lines.is_empty() {
            return;
        }
        let bytes = lines.len() as u64;
        self.order(Order::Lines(lines));
        if let Some(segment) = &mut self.segment {
            segment.bytes += bytes;
            let seen_to = rate.time_of(session.now().at());
            if SegmentSize::DEFAULT.is_over(segment.begins, segment.bytes, seen_to) {
                self.begin_segment(session);
            }
        }
    }

    /// Writes the labels that were not there before, and takes back those that are there no more.
    fn write_labels(&mut self, now: &[Label]) {
        let same = self.labels.iter().zip(now).take_while(|(old, new)| old == new).count();
        let [old, new] = [&self.labels[..], now].map(|labels| labels.get(same));
        let Some(from) = old.into_iter().chain(new).map(|label| label.time).min() else { return };
        let [old, new] = [&self.labels[..], now].map(|labels| &labels[begin(labels, from)..]);
        let times: BTreeSet<Nanos> = old.iter().chain(new).map(|label| label.time).collect();
        for time in times {
            let [old, new] = [old, new].map(|labels| about(labels, time));
            // Further labels of an instant stand behind those that it has.
            let further = new.strip_prefix(old).unwrap_or_else(|| {
                let _ = self.lines.take_back_labels(time);
                new
            });
            for label in further {
                let _ = self.lines.label(label);
            }
        }
        self.labels.truncate(begin(&self.labels, from));
        self.labels.extend_from_slice(&now[begin(now, from)..]);
    }

    /// What follows goes to another segment.
    fn begin_segment(&mut self, session: &Session) {
        let (begins, opening) = self.lines.opening(session, self.title.as_deref());
        if let Some(segment) = &mut self.segment {
            (segment.begins, segment.bytes) = (begins, 0);
            self.order(Order::Segment(begins, opening));
        }
    }

    fn order(&self, order: Order) {
        if let Some(to_disk) = &self.to_disk {
            // A thread that gave up has said why.
            let _ = to_disk.send(order);
        }
    }

    /// Writes the frames that wait, as long as they are of this sort.
    fn write_frames(&mut self, session: &Session, is_due: impl Fn(&Frame) -> bool) {
        while self.frames.front().is_some_and(&is_due)
            && let Some(frame) = self.frames.pop_front()
        {
            let _ = self.lines.frame(session.roster(), session.frames(), &frame);
        }
    }

    /// Takes in what the thread tells.
    fn hear(&mut self, session: &Session) {
        while let Ok(news) = self.heard.try_recv() {
            match news {
                News::Said(text) => self.said.push(text),
                News::Moved(path) => self.path = path,
                News::Cut if self.segment.is_some() => {
                    self.said.push(
                        "another program cut a segment of the reel: what follows goes to the next"
                            .to_owned(),
                    );
                    self.begin_segment(session);
                }
                News::Cut => self.start_again(session),
            }
        }
    }

    /// Of a file that was cut only the history knows what was in it.
    fn start_again(&mut self, session: &Session) {
        let title = self.title.take();
        let again = create_free(&self.path)
            .and_then(|file| Self::write_to(To::File(file), session, title.as_deref()));
        let text = match &again {
            Ok(again) => format!(
                "another program cut the take: what the history keeps is written again to {}",
                again.path.display()
            ),
            Err(error) => format!(
                "recording has stopped: another program cut the take, and it cannot be \
                 written again: {error}"
            ),
        };
        let mut said = std::mem::take(&mut self.said);
        said.push(text);
        match again {
            Ok(again) => *self = Recorder { last: self.last, said, ..again },
            Err(_) => self.said = said,
        }
    }

    /// Writes what `old` has seen, and goes on with `new`, which has seen the same.
    pub fn go_on_with(&mut self, old: &Session, new: &Session) {
        self.hand_over(old);
        self.next = new.seen_count();
    }

    /// What went wrong, or right again, since this was last asked.
    pub fn news(&mut self) -> Vec<String> {
        std::mem::take(&mut self.said)
    }

    /// Writes the rest, and ends. What the thread told to the end is
    /// among the news, and the path is the one at which the take is.
    ///
    /// # Errors
    /// When something could not be written to the very end.
    pub fn finish(&mut self, session: &Session) -> io::Result<()> {
        loop {
            self.hand_over(session);
            self.write_frames(session, |_| true);
            let _ = self.lines.end(session.ends_at());
            self.hand_over(session);
            self.to_disk = None;
            let result = match self.thread.take().map(JoinHandle::join) {
                Some(Ok(result)) => result,
                _ => Err(io::Error::other("the thread that writes the take has failed")),
            };
            self.hear(session);
            if self.thread.is_none() {
                return result;
            }
            // It was cut at the very end, and is written once more.
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::files;
    use gtrig_analysis::Capacity;
    use gtrig_core::{CleanText, Tick};
    use gtrig_sources::{Cab, Source};
    use proptest::prelude::*;
    use rstest::rstest;
    use std::{
        fs,
        time::{Duration, Instant},
    };

    /// A cab that works while it is recorded, in steps of a frame.
    fn recorded(session: &mut Session, path: &Path, ms: u64) -> Recorder {
        let mut cab = Cab::at_work(1);
        let mut recorder = Recorder::start(path, session, None, Ring::DEFAULT).unwrap();
        for now in (0..ms).step_by(33).map(Nanos::from_millis) {
            cab.drain(session, now);
            session.run_before(now);
            recorder.catch_up(session, now);
        }
        recorder
    }

    /// Whether both are the same, but for the events that wait for their tick, which only
    /// a save has, and the end.
    fn is_same_take(recorded: &[u8], saved: &[u8]) -> bool {
        let lines = str::from_utf8(recorded).unwrap().trim_end();
        let (lines, end) = lines.rsplit_once('\n').unwrap();
        end.ends_with("\"ends\":true}") && saved.starts_with(lines.as_bytes())
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
        assert!(saved.len() > 100_000 && is_same_take(&fs::read(&path).unwrap(), &saved));
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

    fn label(ms: u64, text: &str) -> Label {
        Label { time: Nanos::from_millis(ms), text: CleanText::new(text) }
    }

    fn opened_labels(path: &Path) -> anyhow::Result<Vec<Label>> {
        let opened = files::open_take(path, files::rig(None, None)?, Capacity::DEFAULT)?;
        Ok(opened.session.labels().to_vec())
    }

    /// A program that is killed has written its labels.
    #[test]
    fn a_label_is_in_the_take_at_once() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("r.take.jsonl");
        let mut session = session(Capacity::DEFAULT);
        let mut recorder = recorded(&mut session, &path, 200);
        session.add_label(label(100, "here"));
        recorder.catch_up(&session, Nanos::from_millis(300));
        let late = Instant::now() + Duration::from_secs(20);
        // A file in which the thread has written nothing yet cannot be opened.
        while !opened_labels(&path).is_ok_and(|labels| labels == session.labels()) {
            assert!(Instant::now() < late, "it is not there: {:?}", opened_labels(&path));
            thread::sleep(Duration::from_millis(5));
        }
    }

    /// What a person does with labels while a take is recorded.
    #[derive(Clone, Debug)]
    enum Step {
        Add(u64, &'static str),
        Remove(u64),
        HandOver,
    }

    fn step() -> impl Strategy<Value = Step> {
        let text = prop_oneof![Just("a"), Just("b")];
        prop_oneof![
            4 => (0u64..8, text).prop_map(|(at, text)| Step::Add(25 * at, text)),
            2 => (0u64..8).prop_map(|at| Step::Remove(25 * at)),
            3 => Just(Step::HandOver),
        ]
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]

        /// Labels that were written and removed are gone, and all others there, in their order.
        #[test]
        fn a_take_has_the_labels_that_were_left(
            steps in prop::collection::vec(step(), 0..40),
            name in prop_oneof![Just("r.take.jsonl"), Just("r.reel")],
        ) {
            let folder = tempfile::tempdir().unwrap();
            let path = folder.path().join(name);
            let mut session = session(Capacity::DEFAULT);
            let mut recorder = recorded(&mut session, &path, 200);
            for step in steps {
                match step {
                    Step::Add(ms, text) => session.add_label(label(ms, text)),
                    Step::Remove(ms) => {
                        let rate = session.plan().rate();
                        session.remove_labels_at(rate.tick_seeing(Nanos::from_millis(ms)));
                    }
                    Step::HandOver => recorder.hand_over(&session),
                }
            }
            recorder.finish(&session).unwrap();
            prop_assert_eq!(opened_labels(&path).unwrap(), session.labels());
        }
    }

    #[rstest]
    #[case::a_take("r.take.jsonl")]
    #[case::a_reel("r.reel")]
    fn what_is_there_is_never_overwritten(#[case] name: &str) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join(name);
        fs::write(&path, "precious").unwrap();
        let error =
            Recorder::start(&path, &session(Capacity::DEFAULT), None, Ring::DEFAULT).unwrap_err();
        assert_eq!(error.kind(), io::ErrorKind::AlreadyExists);
        assert_eq!(error.to_string(), "it is there already; choose another name");
        assert_eq!(fs::read_to_string(&path).unwrap(), "precious");
    }

    /// What happens to the file of a take while it is recorded, and where all of it is
    /// then.
    #[rstest]
    #[case::deleted(&|path: &Path| fs::remove_file(path).unwrap(), "r.take.jsonl", "deleted")]
    #[case::replaced(&|path: &Path| {
        fs::remove_file(path).unwrap();
        fs::write(path, "another").unwrap();
    }, "r-2.take.jsonl", "replaced")]
    #[case::moved(
        &|path: &Path| fs::rename(path, path.with_file_name("m.take.jsonl")).unwrap(),
        "m.take.jsonl",
        "moved"
    )]
    #[case::cut(&|path: &Path| fs::write(path, "").unwrap(), "r-2.take.jsonl", "cut")]
    fn a_take_is_whole_whatever_happens_to_its_file(
        #[case] happens: &dyn Fn(&Path),
        #[case] name: &str,
        #[case] said: &str,
        #[values(true, false)] is_noticed_before_the_end: bool,
    ) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("r.take.jsonl");
        let mut session = session(Capacity::DEFAULT);
        let mut recorder = recorded(&mut session, &path, 3_000);
        let mut told = String::new();
        while fs::metadata(&path).unwrap().len() < 10_000 {
            thread::yield_now();
        }
        happens(&path);
        let started = Instant::now();
        while is_noticed_before_the_end && told.is_empty() {
            assert!(started.elapsed() < Duration::from_secs(20), "it was never noticed");
            recorder.catch_up(&session, Nanos(recorder.last.0 + INTERVAL.0));
            told = recorder.news().concat();
            thread::yield_now();
        }
        recorder.finish(&session).unwrap();
        told += &recorder.news().concat();
        assert!(told.contains(said), "{told}");
        assert_eq!(recorder.path(), folder.path().join(name));
        let mut saved = Vec::new();
        gtrig_formats::take::write(&session.recording(), None, &mut saved).unwrap();
        let recorded = fs::read(recorder.path()).unwrap();
        assert!(recorded.len() > 10_000 && is_same_take(&recorded, &saved));
    }
}
