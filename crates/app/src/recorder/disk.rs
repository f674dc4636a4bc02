//! The thread that writes a take, and sees to it that there is a file.

use super::file::{Fate, TakeFile};
use std::{
    io,
    path::PathBuf,
    sync::mpsc::{Receiver, RecvTimeoutError, Sender},
    time::{Duration, Instant},
};

/// How long the thread waits before it tries a full disk again, and how often it
/// looks what has become of its file.
const LOOK: Duration = Duration::from_millis(250);

/// What could not be written is kept up to this size.
const KEPT_BYTES: usize = 256 << 20;

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
    file: TakeFile,
    /// What could not be written yet.
    kept: Vec<u8>,
    tell: Sender<News>,
    looked: Instant,
    trouble: Trouble,
}

/// What was said to be wrong.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Trouble {
    None,
    Unwritable,
    Nameless,
}

impl Disk {
    pub(super) fn new(file: TakeFile, tell: Sender<News>) -> Self {
        Disk { file, kept: Vec::new(), tell, looked: Instant::now(), trouble: Trouble::None }
    }

    /// Writes what comes until nobody sends any more.
    pub(super) fn run(mut self, chunks: &Receiver<Vec<u8>>) -> io::Result<()> {
        loop {
            match chunks.recv_timeout(LOOK) {
                Ok(chunk) => self.kept.extend(chunk),
                Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) => return self.end(),
            }
            self.kept.extend(std::iter::from_fn(|| chunks.try_recv().ok()).flatten());
            let result = self.file.write(&mut self.kept);
            self.note(&result);
            if let Err(error) = result
                && self.kept.len() > KEPT_BYTES
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

    fn end(mut self) -> io::Result<()> {
        self.file.write(&mut self.kept)?;
        self.look()?;
        match self.file.fate()? {
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
        let fate = self.file.fate()?;
        let result = match fate {
            Fate::There => return Ok(()),
            Fate::Cut => {
                let _ = self.tell.send(News::Cut);
                return Err(io::Error::other("another program cut the take"));
            }
            Fate::Moved if self.file.find() => Ok("was moved: recording goes on in"),
            Fate::Moved | Fate::Deleted => self
                .file
                .write_again()
                .map(|()| "was deleted or replaced: all of it is written again to"),
        };
        match result {
            Ok(what) => {
                let path = self.file.path().to_owned();
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
        to_disk.send(b"first".to_vec()).unwrap();
        let text = said(&news);
        assert!(text.contains("No space left") && text.contains("goes on in memory"), "{text}");
        to_disk.send(b"second".to_vec()).unwrap();
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
        to_disk.send(b"first ".to_vec()).unwrap();
        fs::remove_dir_all(&sub).unwrap();
        assert!(said(&news).contains("deleted, and cannot be written again"));
        fs::create_dir(&sub).unwrap();
        to_disk.send(b"second".to_vec()).unwrap();
        assert!(said(&news).contains("written again to"));
        drop(to_disk);
        disk.join().unwrap().unwrap();
        assert_eq!(fs::read_to_string(&path).unwrap(), "first second");
    }
}
