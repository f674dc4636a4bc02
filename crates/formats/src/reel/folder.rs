//! The folder of a reel: its segments, in the order of their time.

use super::{MAX_SEGMENTS, ReelFault, read::latest};
use gtrig_core::{LAST_TIME, Nanos};
use mcap::MAGIC;
use std::{
    fs::{self, File},
    io::Read,
    path::{Path, PathBuf},
};

/// A segment of a reel: a file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Segment {
    /// The instant at which it begins.
    pub begins: Nanos,
    /// How many bytes it has: how much happened in it.
    pub bytes: u64,
    /// Where it is.
    pub path: PathBuf,
}

impl Segment {
    /// The name of its file.
    pub(super) fn name(&self) -> String {
        self.path.file_name().unwrap_or_default().to_string_lossy().into_owned()
    }
}

/// A reel: at least one segment, in order of the instants at which they begin.
#[derive(Clone, Debug)]
pub struct Reel {
    segments: Vec<Segment>,
}

/// The name of the file of a segment that begins there: seconds and nanoseconds, so that
/// names stand in order of time.
pub fn segment_name(begins: Nanos) -> String {
    format!("{:07}.{:09}.mcap", begins.0 / 1_000_000_000, begins.0 % 1_000_000_000)
}

/// When the segment with this name begins.
fn begin_of(name: &str) -> Option<Nanos> {
    let (seconds, nanos) = name.strip_suffix(".mcap")?.split_once('.')?;
    let number = |digits: &str, length| {
        let is_number = digits.len() == length && digits.bytes().all(|byte| byte.is_ascii_digit());
        digits.parse::<u64>().ok().filter(|_| is_number)
    };
    let time = Nanos(number(seconds, 7)? * 1_000_000_000 + number(nanos, 9)?);
    (time <= LAST_TIME).then_some(time)
}

impl Reel {
    /// Whether `path` is a folder with segments, or a file that is a container.
    pub fn is_at(path: &Path) -> bool {
        let mut magic = [0; MAGIC.len()];
        match fs::metadata(path) {
            Ok(meta) if meta.is_dir() => fs::read_dir(path).is_ok_and(|mut entries| {
                entries.any(|entry| {
                    entry.is_ok_and(|entry| entry.file_name().to_str().and_then(begin_of).is_some())
                })
            }),
            // What is no file may keep a reader waiting, and what it gave is gone.
            Ok(meta) if meta.is_file() => {
                File::open(path).and_then(|mut file| file.read_exact(&mut magic)).is_ok()
                    && magic == *MAGIC
            }
            _ => false,
        }
    }

    /// Looks which segments there are. A file is a reel with one; other files of the folder
    /// are left alone.
    ///
    /// # Errors
    /// When the folder cannot be read, or has no segment, or too many.
    pub fn open(path: &Path) -> Result<Self, ReelFault> {
        Self::open_within(path, MAX_SEGMENTS)
    }

    fn open_within(path: &Path, most: usize) -> Result<Self, ReelFault> {
        let meta = fs::metadata(path)?;
        if meta.is_file() {
            let begins = path.file_name().and_then(|name| name.to_str()).and_then(begin_of);
            let begins = begins.unwrap_or_default();
            let only = Segment { begins, bytes: meta.len(), path: path.to_owned() };
            return Ok(Reel { segments: vec![only] });
        }
        let mut segments = Vec::new();
        for entry in fs::read_dir(path)? {
            let entry = entry?;
            let Some(begins) = entry.file_name().to_str().and_then(begin_of) else { continue };
            // A link to one is one.
            let bytes = match fs::metadata(entry.path()) {
                Ok(meta) if meta.is_file() => meta.len(),
                // The ring dropped it just now.
                _ => continue,
            };
            // Of a disk that is full a file may be there, and nothing in it.
            if bytes > 0 {
                segments.push(Segment { begins, bytes, path: entry.path() });
            }
            if segments.len() > most {
                return Err(ReelFault::TooManySegments);
            }
        }
        if segments.is_empty() {
            return Err(ReelFault::NoSegments);
        }
        segments.sort_by_key(|segment| segment.begins);
        Ok(Reel { segments })
    }

    /// Its segments, in order of time; at least one.
    pub fn segments(&self) -> &[Segment] {
        &self.segments
    }

    /// The place of the segment in which an instant lies; that of the first for one before.
    pub fn segment_at(&self, time: Nanos) -> usize {
        self.segments.partition_point(|segment| segment.begins <= time).saturating_sub(1)
    }

    /// When it begins.
    pub fn begins(&self) -> Nanos {
        self.segments[0].begins
    }

    /// The instant of its latest line, as far as it is written. The last segment is looked
    /// through for it.
    pub fn ends(&self) -> Nanos {
        let ends = |segment: &Segment| Some(Nanos(latest(File::open(&segment.path).ok()?)?));
        let last = &self.segments[self.segments.len() - 1];
        ends(last).map_or(last.begins, |ends| ends.clamp(last.begins, LAST_TIME))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_has_so_many_segments() {
        let folder = tempfile::tempdir().unwrap();
        for n in 0..4 {
            fs::write(folder.path().join(segment_name(Nanos(n))), "x").unwrap();
        }
        assert_eq!(Reel::open_within(folder.path(), 4).unwrap().segments().len(), 4);
        let fault = Reel::open_within(folder.path(), 3).unwrap_err();
        assert!(matches!(fault, ReelFault::TooManySegments));
    }
}
