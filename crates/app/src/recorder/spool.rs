//! The files of a recording, one after another, and what waits to be written to them.

use super::file::{Fate, TakeFile};
use gtrig_core::Nanos;
use gtrig_formats::reel::segment_name;
use std::{
    collections::VecDeque,
    fs, io, mem,
    path::{Path, PathBuf},
};

/// How much of a reel is kept: its oldest segments go, as long as the rest is enough.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Ring {
    /// So many bytes on disk, and the segment that is written.
    pub bytes: u64,
    /// So long before now.
    pub age: Nanos,
}

impl Ring {
    /// 16 GiB, however old.
    pub const DEFAULT: Ring = Ring { bytes: 16 << 30, age: Nanos(u64::MAX) };
}

/// Segments that are written, and those that the ring has kept before them.
#[derive(Debug)]
struct Segments {
    ring: Ring,
    /// The next one goes there.
    folder: PathBuf,
    /// When each begins that was written before, and its size; the oldest first.
    kept: VecDeque<(Nanos, u64)>,
    /// When the one begins that is written.
    begins: Nanos,
    /// When each begins that waits for the one before it, and what goes into it.
    waiting: VecDeque<(Nanos, Vec<u8>)>,
}

/// A file that is written, what waits to go into it, and the files that follow it.
pub(super) struct Spool {
    file: TakeFile,
    bytes: Vec<u8>,
    /// Another program cut the file: what waits for it goes nowhere.
    is_cut: bool,
    has_made_room: bool,
    /// Of a reel.
    segments: Option<Segments>,
}

impl Spool {
    /// One file.
    pub(super) fn of(file: TakeFile) -> Self {
        Spool { file, bytes: Vec::new(), is_cut: false, has_made_room: false, segments: None }
    }

    /// The first segment of a reel.
    pub(super) fn of_reel(folder: &Path, begins: Nanos, ring: Ring) -> io::Result<Self> {
        let file = TakeFile::create(&folder.join(segment_name(begins)))?;
        let (kept, waiting) = (VecDeque::new(), VecDeque::new());
        let segments = Segments { ring, folder: folder.to_owned(), kept, begins, waiting };
        Ok(Spool { segments: Some(segments), ..Spool::of(file) })
    }

    /// What goes to the end of the last file.
    pub(super) fn push(&mut self, bytes: Vec<u8>) {
        let last = self.segments.as_mut().and_then(|segments| segments.waiting.back_mut());
        match last {
            Some((_, waiting)) => waiting.extend(bytes),
            None if self.is_cut => {}
            None if self.bytes.is_empty() => self.bytes = bytes,
            None => self.bytes.extend(bytes),
        }
    }

    /// What is pushed from now on goes to the next segment, which begins there.
    pub(super) fn begin_segment(&mut self, begins: Nanos) {
        if let Some(segments) = &mut self.segments {
            segments.waiting.push_back((begins, Vec::new()));
        }
    }

    /// How many bytes wait.
    pub(super) fn waiting(&self) -> usize {
        let later = self.segments.iter().flat_map(|segments| &segments.waiting);
        self.bytes.len() + later.map(|(_, bytes)| bytes.len()).sum::<usize>()
    }

    /// Writes what it can. On a disk that is full the oldest segments go first: the latest are
    /// what a ring is for.
    pub(super) fn write(&mut self) -> io::Result<()> {
        loop {
            match self.write_some() {
                Err(error) if is_full(&error) && self.make_room() => {}
                result => return result,
            }
        }
    }

    /// Drops the oldest segment. Returns whether there was one.
    fn make_room(&mut self) -> bool {
        let has_room = self.segments.as_mut().is_some_and(Segments::drop_first);
        self.has_made_room |= has_room;
        has_room
    }

    /// Whether a segment went because the disk was full, since this was last asked.
    pub(super) fn has_made_room(&mut self) -> bool {
        mem::take(&mut self.has_made_room)
    }

    fn write_some(&mut self) -> io::Result<()> {
        self.file.write(&mut self.bytes)?;
        while let Some(segments) = &mut self.segments
            && let Some((begins, bytes)) = segments.waiting.front_mut()
        {
            let next = TakeFile::create(&segments.folder.join(segment_name(*begins)))?;
            self.bytes = mem::take(bytes);
            segments.kept.push_back((segments.begins, self.file.written()));
            segments.begins = *begins;
            segments.waiting.pop_front();
            segments.drop_oldest();
            self.file = next;
            self.is_cut = false;
            self.file.write(&mut self.bytes)?;
        }
        Ok(())
    }

    /// What has become of the file that is written.
    pub(super) fn fate(&self) -> io::Result<Fate> {
        if self.is_cut { Ok(Fate::There) } else { self.file.fate() }
    }

    /// The file was cut. Whether there will be others to go on with.
    pub(super) fn give_up_file(&mut self) -> bool {
        (self.is_cut, self.bytes) = (true, Vec::new());
        self.segments.is_some()
    }

    /// Finds where the file was moved to, if the system tells.
    pub(super) fn find(&mut self) -> bool {
        let is_found = self.file.find();
        if let Some(segments) = self.segments.as_mut().filter(|_| is_found)
            && let Some(folder) = self.file.path().parent()
        {
            folder.clone_into(&mut segments.folder);
        }
        is_found
    }

    /// Writes all of the file again.
    pub(super) fn write_again(&mut self) -> io::Result<()> {
        self.file.write_again()
    }

    /// Where the recording is.
    pub(super) fn path(&self) -> &Path {
        match &self.segments {
            Some(segments) => &segments.folder,
            None => self.file.path(),
        }
    }
}

/// Whether there was no room on the disk.
fn is_full(error: &io::Error) -> bool {
    matches!(error.kind(), io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded)
}

impl Segments {
    /// Drops the oldest segments, as long as those after them are enough.
    fn drop_oldest(&mut self) {
        let mut size: u64 = self.kept.iter().map(|(_, bytes)| bytes).sum();
        while let Some(&(_, bytes)) = self.kept.front() {
            // A segment ends where the next one begins.
            let ends = self.kept.get(1).map_or(self.begins, |(next, _)| *next);
            let is_old = self.begins.0.saturating_sub(ends.0) >= self.ring.age.0;
            if size <= self.ring.bytes && !is_old {
                break;
            }
            size -= bytes;
            self.drop_first();
        }
    }

    /// Drops the oldest segment. Returns whether there was one.
    fn drop_first(&mut self) -> bool {
        let first = self.kept.pop_front();
        if let Some((begins, _)) = first {
            // One that somebody else took away, or holds, is no longer ours.
            let _ = fs::remove_file(self.folder.join(segment_name(begins)));
        }
        first.is_some()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn names(folder: &Path) -> Vec<String> {
        let entries = fs::read_dir(folder).unwrap();
        let name = |entry: io::Result<fs::DirEntry>| entry.unwrap().file_name();
        let mut names: Vec<_> =
            entries.map(|entry| name(entry).to_string_lossy().into_owned()).collect();
        names.sort();
        names
    }

    /// Ten segments of a hundred bytes, a second each, of which the last is being written.
    #[rstest]
    #[case::all(Ring::DEFAULT, 0)]
    #[case::by_size(Ring { bytes: 350, ..Ring::DEFAULT }, 6)]
    #[case::by_age(Ring { age: Nanos::from_millis(2_500), ..Ring::DEFAULT }, 6)]
    #[case::by_both(Ring { bytes: 350, age: Nanos::from_millis(1_500) }, 7)]
    #[case::nothing_but_the_last(Ring { bytes: 0, age: Nanos(0) }, 9)]
    fn a_ring_keeps_the_latest(#[case] ring: Ring, #[case] dropped: u64) {
        let folder = tempfile::tempdir().unwrap();
        let begins = |n: u64| Nanos(n * 1_000_000_000);
        let mut spool = Spool::of_reel(folder.path(), begins(0), ring).unwrap();
        for n in 1..10 {
            spool.push(vec![b'x'; 100]);
            spool.write().unwrap();
            spool.begin_segment(begins(n));
        }
        spool.push(vec![b'x'; 100]);
        spool.write().unwrap();
        let expected: Vec<_> = (dropped..10).map(|n| segment_name(begins(n))).collect();
        assert_eq!(names(folder.path()), expected);
    }

    #[test]
    fn segments_wait_for_their_folder_in_order() {
        let folder = tempfile::tempdir().unwrap();
        let sub = folder.path().join("a.reel");
        fs::create_dir(&sub).unwrap();
        let mut spool = Spool::of_reel(&sub, Nanos(0), Ring::DEFAULT).unwrap();
        spool.push(b"first".to_vec());
        spool.write().unwrap();
        fs::remove_dir_all(&sub).unwrap();
        for n in 1..4 {
            spool.begin_segment(Nanos(n));
            spool.push(format!("segment {n}").into_bytes());
            assert!(spool.write().is_err());
        }
        assert_eq!(spool.waiting(), 3 * "segment 1".len());
        fs::create_dir(&sub).unwrap();
        spool.write().unwrap();
        assert_eq!(spool.waiting(), 0);
        for n in 1..4 {
            let text = fs::read_to_string(sub.join(segment_name(Nanos(n)))).unwrap();
            assert_eq!(text, format!("segment {n}"));
        }
    }
}
