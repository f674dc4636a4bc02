//! A file that another program is still writing.

use signal_hook::consts::{SIGINT, SIGTERM};
use std::{
    fs::File,
    io::{self, Read},
    os::unix::fs::MetadataExt,
    path::{Path, PathBuf},
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
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
        let file = File::open(path)?;
        let is_interrupted = Arc::new(AtomicBool::new(false));
        for signal in [SIGINT, SIGTERM] {
            signal_hook::flag::register(signal, Arc::clone(&is_interrupted))?;
        }
        Ok(Followed { file, path: path.to_owned(), read: 0, is_interrupted })
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
