//! The thread that writes a take, and sees to it that there is a file.

use super::{
    file::{Fate, TakeFile},
    spool::{Ring, Spool},
};
use gtrig_core::Nanos;
use gtrig_formats::reel::SegmentWriter;
use std::{
    io,
    path::{Path, PathBuf},
    sync::mpsc::{Receiver, RecvTimeoutError, Sender},
    time::{Duration, Instant},
};

/// How long the thread waits before it tries a full disk again, and how often it
/// looks what has become of its file.
const LOOK: Duration = Duration::from_millis(250);

/// What could not be written is kept up to this size.
const KEPT_BYTES: usize = 256 << 20;

/// A chunk of a segment is closed, and can be read whatever happens, so long after its first
/// line came.
const CHUNK_AGE: Duration = Duration::from_millis(30);

/// What is to be written.
#[derive(Debug)]
pub(super) enum Order {
    /// Lines of the take.
    Lines(Vec<u8>),
    /// The segment of a reel is over, and another begins there with these lines.
    Segment(Nanos, Vec<u8>),
}

/// How lines become bytes.
enum Form {
    /// They are the bytes.
    Text,
    /// By a container.
    Reel {
        segment: Box<SegmentWriter>,
        number: u64,
        /// When the chunk that is open has to be closed.
        due: Option<Instant>,
    },
}

/// What the thread has to tell.
#[derive(Debug)]
pub(super) enum News {
    /// Something that a person should read.
    Said(String),
    /// The take has another name now.
    Moved(PathBuf),
    /// The file lacks some of what was written: the thread cannot go on with it.
    Cut,
}

/// The thread's state.
pub(super) struct Disk {
    form: Form,
    spool: Spool,
    tell: Sender<News>,
    looked: Instant,
    trouble: Trouble,
    /// Whether it was said that segments go for want of room.
    has_said_full: bool,
}

/// What was said to be wrong.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Trouble {
    None,
    Unwritable,
    Nameless,
}

impl Disk {
    /// Writes a take.
    pub(super) fn new(file: TakeFile, tell: Sender<News>) -> Self {
        Self::with(Form::Text, Spool::of(file), tell)
    }

    fn with(form: Form, spool: Spool, tell: Sender<News>) -> Self {
        let (looked, trouble) = (Instant::now(), Trouble::None);
        Disk { form, spool, tell, looked, trouble, has_said_full: false }
    }

    /// Writes a reel to an empty folder: the first segment begins there with these lines.
    pub(super) fn of_reel(
        folder: &Path,
        (begins, opening): (Nanos, &[u8]),
        ring: Ring,
        tell: Sender<News>,
    ) -> io::Result<Self> {
        let mut segment = Box::new(SegmentWriter::begin(0, opening)?);
        let mut spool = Spool::of_reel(folder, begins, ring)?;
        spool.push(segment.take_bytes());
        let form = Form::Reel { segment, number: 0, due: None };
        Ok(Self::with(form, spool, tell))
    }

    /// Writes what comes until nobody sends any more.
    pub(super) fn run(mut self, orders: &Receiver<Order>) -> io::Result<()> {
        loop {
            match orders.recv_timeout(self.patience()) {
                Ok(order) => self.take(order)?,
                Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) => return self.end(),
            }
            while let Ok(order) = orders.try_recv() {
                self.take(order)?;
            }
            self.close_chunk_if_due()?;
            let result = self.spool.write();
            if self.spool.has_made_room() && !self.has_said_full {
                self.has_said_full = true;
                self.say(
                    "the disk is full: the oldest segments of the reel go, so that it goes on"
                        .to_owned(),
                );
            }
            self.note(&result);
            if let Err(error) = result
                && self.spool.waiting() > KEPT_BYTES
            {
                self.say(format!("recording has stopped: {error}, and 256 MiB wait already"));
                return Err(error);
            }
            if self.looked.elapsed() >= LOOK {
                self.looked = Instant::now();
                self.look()?;
            }
        }
    }

    /// How long it may wait for what comes.
    fn patience(&self) -> Duration {
        match self.form {
            Form::Reel { due: Some(due), .. } => due.saturating_duration_since(Instant::now()),
            _ => LOOK,
        }
    }

    fn take(&mut self, order: Order) -> io::Result<()> {
        match (order, &mut self.form) {
            (Order::Lines(lines), Form::Text) => self.spool.push(lines),
            (Order::Lines(lines), Form::Reel { segment, due, .. }) => {
                segment.lines(&lines)?;
                due.get_or_insert_with(|| Instant::now() + CHUNK_AGE);
            }
            (Order::Segment(begins, opening), Form::Reel { segment, number, due }) => {
                *number += 1;
                let next = SegmentWriter::begin(*number, &opening)?;
                let over = std::mem::replace(&mut **segment, next).finish()?;
                self.spool.push(over);
                self.spool.begin_segment(begins);
                self.spool.push(segment.take_bytes());
                *due = None;
            }
            (Order::Segment(..), Form::Text) => {}
        }
        Ok(())
    }

    fn close_chunk_if_due(&mut self) -> io::Result<()> {
        if let Form::Reel { segment, due, .. } = &mut self.form
            && due.take_if(|due| *due <= Instant::now()).is_some()
        {
            segment.close_chunk()?;
            self.spool.push(segment.take_bytes());
        }
        Ok(())
    }

    fn end(mut self) -> io::Result<()> {
        if let Form::Reel { segment, .. } = std::mem::replace(&mut self.form, Form::Text) {
            self.spool.push(segment.finish()?);
        }
        self.spool.write()?;
        self.look()?;
        match self.spool.fate()? {
            Fate::There => Ok(()),
            _ => Err(io::Error::other("its file was deleted, and cannot be written again")),
        }
    }

    /// Says once that the disk is full, and once that it is not any more.
    fn note(&mut self, result: &io::Result<()>) {
        match (result, self.trouble) {
            (Err(error), Trouble::None) => {
                self.trouble = Trouble::Unwritable;
                self.say(format!(
                    "the take cannot be written: {error}. Recording goes on in memory; it is tried again"
                ));
            }
            (Ok(()), Trouble::Unwritable) => {
                self.trouble = Trouble::None;
                self.say("the take is written again, nothing is missing".to_owned());
            }
            _ => {}
        }
    }

    /// Looks what has become of the file, and sees to it that there is one.
    ///
    /// # Errors
    /// When something that was written is gone.
    fn look(&mut self) -> io::Result<()> {
        let fate = self.spool.fate()?;
        let result = match fate {
            Fate::There => return Ok(()),
            Fate::Cut => {
                let _ = self.tell.send(News::Cut);
                return match self.spool.give_up_file() {
                    true => Ok(()),
                    false => Err(io::Error::other("another program cut the take")),
                };
            }
            Fate::Moved if self.spool.find() => Ok("was moved: recording goes on in"),
            Fate::Moved | Fate::Deleted => self
                .spool
                .write_again()
                .map(|()| "was deleted or replaced: all of it is written again to"),
        };
        match result {
            Ok(what) => {
                let path = self.spool.path().to_owned();
                self.trouble = Trouble::None;
                self.say(format!("the take {what} {}", path.display()));
                let _ = self.tell.send(News::Moved(path));
            }
            Err(error) if self.trouble != Trouble::Nameless => {
                self.trouble = Trouble::Nameless;
                self.say(format!(
                    "the take was deleted, and cannot be written again: {error}. \
                     Nothing is lost while this program runs; it is tried again"
                ));
            }
            Err(_) => {}
        }
        Ok(())
    }

    fn say(&self, text: String) {
        let _ = self.tell.send(News::Said(text));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::{
        fs::{self, File},
        path::Path,
        sync::mpsc::channel,
        thread,
    };

    /// The next thing that is said.
    fn said(news: &Receiver<News>) -> String {
        match news.recv_timeout(Duration::from_secs(20)).unwrap() {
            News::Said(text) => text,
            other => panic!("{other:?}"),
        }
    }

    #[test]
    fn a_full_disk_is_said_once_and_what_could_not_be_written_is_kept() {
        let path = Path::new("/dev/full");
        let file = TakeFile::of(File::options().write(true).open(path).unwrap(), path);
        let (tell, news) = channel();
        let (to_disk, chunks) = channel();
        let disk = thread::spawn(move || Disk::new(file, tell).run(&chunks));
        to_disk.send(Order::Lines(b"first".to_vec())).unwrap();
        let text = said(&news);
        assert!(text.contains("No space left") && text.contains("goes on in memory"), "{text}");
        to_disk.send(Order::Lines(b"second".to_vec())).unwrap();
        drop(to_disk);
        assert!(disk.join().unwrap().is_err(), "the end must not pretend that all is well");
        assert!(news.recv().is_err(), "it is said once");
    }

    #[test]
    fn a_folder_that_is_gone_is_said_and_the_take_is_there_when_it_is_back() {
        let folder = tempfile::tempdir().unwrap();
        let (sub, path) = (folder.path().join("sub"), folder.path().join("sub/r.take.jsonl"));
        fs::create_dir(&sub).unwrap();
        let file = TakeFile::create(&path).unwrap();
        let (tell, news) = channel();
        let (to_disk, chunks) = channel();
        let disk = thread::spawn(move || Disk::new(file, tell).run(&chunks));
        to_disk.send(Order::Lines(b"first ".to_vec())).unwrap();
        fs::remove_dir_all(&sub).unwrap();
        assert!(said(&news).contains("deleted, and cannot be written again"));
        fs::create_dir(&sub).unwrap();
        to_disk.send(Order::Lines(b"second".to_vec())).unwrap();
        assert!(said(&news).contains("written again to"));
        drop(to_disk);
        disk.join().unwrap().unwrap();
        assert_eq!(fs::read_to_string(&path).unwrap(), "first second");
    }
}
