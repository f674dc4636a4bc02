//! Files that another program is still writing: read on and on, or as a source of a session.

use gtrig_analysis::Session;
use gtrig_core::Nanos;
use gtrig_formats::live::{LineSplitter, Piece};
use gtrig_formats::take::TakeRest;
use gtrig_sources::Source;
use signal_hook::consts::{SIGINT, SIGTERM};
use std::{
    fs::File,
    io::{self, Read, Seek, SeekFrom},
    os::unix::fs::MetadataExt,
    path::{Path, PathBuf},
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
        mpsc::{Receiver, SyncSender, sync_channel},
    },
    thread,
    time::Duration,
};

/// At the end of the file it is looked at this often.
const LOOK: Duration = Duration::from_millis(10);

/// Reads a file past its end, as it grows, until the person interrupts or it is deleted.
#[derive(Debug)]
pub struct Followed {
    file: File,
    path: PathBuf,
    read: u64,
    is_interrupted: Arc<AtomicBool>,
}

impl Followed {
    /// Opens it. From now on Ctrl+C ends reading, not the program.
    ///
    /// # Errors
    /// When it cannot be opened.
    pub fn open(path: &Path) -> io::Result<Followed> {
        let followed = Followed::from(File::open(path)?, path, 0);
        for signal in [SIGINT, SIGTERM] {
            signal_hook::flag::register(signal, Arc::clone(&followed.is_interrupted))?;
        }
        Ok(followed)
    }

    /// Goes on with a file of which so much has been read.
    fn from(file: File, path: &Path, read: u64) -> Followed {
        let is_interrupted = Arc::new(AtomicBool::new(false));
        Followed { file, path: path.to_owned(), read, is_interrupted }
    }
}

impl Read for Followed {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        while !self.is_interrupted.load(Ordering::Relaxed) {
            let read = self.file.read(buffer)?;
            if read > 0 || buffer.is_empty() {
                self.read += read as u64;
                return Ok(read);
            }
            let now = self.file.metadata()?;
            if now.is_file() && now.len() < self.read {
                let path = self.path.display();
                return Err(io::Error::other(format!(
                    "another program cut {path} while it was read"
                )));
            }
            if now.nlink() == 0 {
                return Ok(0);
            }
            thread::sleep(LOOK);
        }
        Ok(0)
    }
}

/// How much of a file there is in whole lines.
///
/// # Errors
/// When it cannot be read.
pub fn whole_lines(file: &mut File) -> io::Result<u64> {
    let mut end = file.seek(SeekFrom::End(0))?;
    let mut chunk = [0; 4096];
    while end > 0 {
        let begin = end.saturating_sub(chunk.len() as u64);
        let chunk = &mut chunk[..(end - begin) as usize];
        file.seek(SeekFrom::Start(begin))?;
        file.read_exact(chunk)?;
        if let Some(at) = chunk.iter().rposition(|byte| *byte == b'\n') {
            return Ok(begin + at as u64 + 1);
        }
        end = begin;
    }
    Ok(0)
}

/// So many lines wait to be taken in; then no more are read until there is room.
const QUEUE: usize = 1 << 14;

/// The rest of a take, as a source.
#[derive(Debug)]
pub struct Growing {
    rest: TakeRest,
    lines: Receiver<io::Result<Vec<u8>>>,
    troubles: Vec<String>,
    is_over: bool,
}

impl Growing {
    /// Reads a file on, of which so much has been read.
    ///
    /// # Errors
    /// When it cannot be read on, or there is no thread for it.
    pub fn begin(mut file: File, path: &Path, read: u64, rest: TakeRest) -> io::Result<Growing> {
        file.seek(SeekFrom::Start(read))?;
        let (says, lines) = sync_channel(QUEUE);
        let followed = Followed::from(file, path, read);
        thread::Builder::new().spawn(move || read_on(followed, &says))?;
        Ok(Growing { rest, lines, troubles: Vec::new(), is_over: false })
    }

    fn end(&mut self, why: String) {
        self.troubles.push(why);
        self.is_over = true;
    }
}

fn read_on(mut file: Followed, says: &SyncSender<io::Result<Vec<u8>>>) {
    let (mut splitter, mut buffer) = (LineSplitter::default(), vec![0; 1 << 16]);
    loop {
        let read = match file.read(&mut buffer) {
            Ok(0) => return,
            Ok(read) => read,
            Err(error) => return drop(says.send(Err(error))),
        };
        let mut is_heard = true;
        splitter.feed(&buffer[..read], |piece| {
            let line = match piece {
                Piece::Line(line) => Ok(line.to_vec()),
                Piece::TooLong => Err(io::Error::other("a line of it is too long")),
            };
            is_heard &= says.send(line).is_ok();
        });
        if !is_heard {
            return;
        }
    }
}

impl Source for Growing {
    fn drain(&mut self, session: &mut Session, now: Nanos) {
        while !self.is_over
            && let Ok(line) = self.lines.try_recv()
        {
            match line.map(|line| self.rest.line(session, &line, now)) {
                Ok(Ok(())) if self.rest.has_ended() => self.end("the take has ended".to_owned()),
                Ok(Ok(())) => {}
                Ok(Err(damage)) => {
                    self.end(format!("the take is damaged, and read no further: {damage}"));
                }
                Err(error) => self.end(format!("the take is read no further: {error}")),
            }
        }
    }

    fn troubles(&mut self) -> Vec<String> {
        std::mem::take(&mut self.troubles)
    }
}
