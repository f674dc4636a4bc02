//! A reel of the lines of a take, as they are.

use super::{SegmentWriter, segment_name};
use crate::take::{Header, Loaded, TakeReader, Taken};
use gtrig_analysis::Capacity;
use gtrig_core::{Nanos, Rig};
use std::{
    fs::{self, File},
    io::{self, BufRead, Write},
    path::{Path, PathBuf},
};
use tempfile::TempDir;

/// How large a segment becomes before the next one begins: in bytes of its lines, and in time.
///
/// The two decide how much must be read to be at any instant.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct SegmentSize {
    /// Bytes of lines.
    pub bytes: u64,
    /// From the instant at which it begins.
    pub time: Nanos,
}

impl SegmentSize {
    /// 8 MiB, which four devices fill in half a minute that report a thousand times a second;
    /// or ten minutes.
    pub const DEFAULT: SegmentSize =
        SegmentSize { bytes: 8 << 20, time: Nanos::from_millis(600_000) };

    /// Whether a segment that began there and has so many bytes is over at `now`.
    pub fn is_over(self, begins: Nanos, bytes: u64, now: Nanos) -> bool {
        bytes >= self.bytes || now.0.saturating_sub(begins.0) >= self.time.0
    }
}

/// What came of copying a take to a reel.
#[derive(Debug)]
pub struct Copied {
    /// How many segments it has.
    pub segments: u64,
    /// How reading the take went.
    pub loaded: Loaded,
}

/// So much of the past is kept: what goes on is all that counts.
const KEPT: Capacity = Capacity { events: 100_000, changes: 100_000 };

/// Lines are taken in so many at a time.
const PIECE: u32 = 4096;

/// Writes the lines of a take, up to the first that is damaged, to a new reel at `to`. What is
/// there where a segment begins is what `rig` sees of it.
///
/// The folder has its name only once all of it is there.
///
/// # Errors
/// When the folder is there already, or cannot be made or written.
pub fn copy_to_reel<R: BufRead>(
    take: TakeReader<R>,
    rig: Rig,
    to: &Path,
    size: SegmentSize,
) -> io::Result<Copied> {
    let mut copy = ReelCopy::create(to, take.first_line(), take.header.clone(), size)?;
    let (mut session, mut lines) = take.begin(rig, KEPT);
    while lines.take_in_and_show(&mut session, PIECE, &mut |line, taken| copy.line(line, taken))? {}
    let loaded = lines.finish(&mut session);
    Ok(Copied { segments: copy.finish()?, loaded })
}

#[derive(Debug)]
struct ReelCopy {
    making: TempDir,
    to: PathBuf,
    header: Header,
    size: SegmentSize,
    segment: SegmentWriter,
    file: File,
    number: u64,
    begins: Nanos,
    bytes: u64,
}

impl ReelCopy {
    fn create(to: &Path, first_line: &[u8], header: Header, size: SegmentSize) -> io::Result<Self> {
        let to = std::path::absolute(to)?;
        if to.exists() {
            return Err(io::ErrorKind::AlreadyExists.into());
        }
        let folder = to.parent().unwrap_or(Path::new("."));
        let mut builder = tempfile::Builder::new();
        #[cfg(unix)]
        builder.permissions(std::os::unix::fs::PermissionsExt::from_mode(0o777));
        let making = builder.prefix(".reel-").tempdir_in(folder)?;
        let begins = header.begins;
        let mut segment = SegmentWriter::begin(0, first_line)?;
        let mut file = File::create_new(making.path().join(segment_name(begins)))?;
        file.write_all(&segment.take_bytes())?;
        Ok(ReelCopy { making, to, header, size, segment, file, number: 0, begins, bytes: 0 })
    }

    /// Writes a line, which was just taken in.
    fn line(&mut self, line: &[u8], mut taken: Taken) -> io::Result<()> {
        if self.size.is_over(self.begins, self.bytes, taken.time())
            && let Some((begins, opening)) = taken.opening(&self.header)
        {
            self.begin_segment(begins, &opening)?;
        }
        self.bytes += line.len() as u64;
        self.segment.lines(line)?;
        let bytes = self.segment.take_bytes();
        if bytes.is_empty() { Ok(()) } else { self.file.write_all(&bytes) }
    }

    fn begin_segment(&mut self, begins: Nanos, opening: &[u8]) -> io::Result<()> {
        self.number += 1;
        let next = SegmentWriter::begin(self.number, opening)?;
        let last_bytes = std::mem::replace(&mut self.segment, next).finish()?;
        self.file.write_all(&last_bytes)?;
        self.file = File::create_new(self.making.path().join(segment_name(begins)))?;
        (self.begins, self.bytes) = (begins, 0);
        Ok(())
    }

    /// Ends the reel and gives it its name. Returns how many segments it has.
    fn finish(mut self) -> io::Result<u64> {
        let last_bytes = self.segment.finish()?;
        self.file.write_all(&last_bytes)?;
        // Another program may have made it meanwhile; a folder replaces only an empty one.
        fs::rename(self.making.path(), &self.to)?;
        let _ = self.making.keep();
        Ok(self.number + 1)
    }
}
