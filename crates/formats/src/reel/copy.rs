//! A reel of the lines of a take, as they are.

use super::{SegmentWriter, segment_name};
use crate::take::{Loaded, TakeReader, Taken};
use gtrig_analysis::Capacity;
use gtrig_core::{Nanos, Rig};
use std::{
    fs::{self, File},
    io::{self, BufRead, Write},
    mem,
    num::NonZero,
    path::Path,
    sync::{
        Arc, Mutex, PoisonError,
        mpsc::{Receiver, SyncSender, sync_channel},
    },
    thread,
};

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

/// More threads than read lines can keep busy.
const MOST_THREADS: usize = 8;

/// Writes the lines of a take, up to the first that is damaged, to a new reel at `to`. What is
/// there where a segment begins is what `rig` sees of it. Segments are packed by threads of
/// their own, for that takes longer than reading the take.
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
    let to = std::path::absolute(to)?;
    if to.exists() {
        return Err(io::ErrorKind::AlreadyExists.into());
    }
    let folder = to.parent().unwrap_or(Path::new("."));
    let mut builder = tempfile::Builder::new();
    #[cfg(unix)]
    builder.permissions(std::os::unix::fs::PermissionsExt::from_mode(0o777));
    let making = builder.prefix(".reel-").tempdir_in(folder)?;
    let copied = thread::scope(|scope| {
        let threads = thread::available_parallelism().map_or(1, NonZero::get).min(MOST_THREADS);
        let (segments, queue) = sync_channel(threads);
        let queue = Arc::new(Mutex::new(queue));
        let writers: Vec<_> = (0..threads)
            .map(|_| {
                let (queue, folder) = (Arc::clone(&queue), making.path());
                scope.spawn(move || write_segments(&queue, folder))
            })
            .collect();
        // Once every writer has failed, there is nobody to take a segment.
        drop(queue);
        let copied = cut(take, rig, size, &segments);
        drop(segments);
        for writer in writers {
            writer.join().map_err(|_| io::Error::other("a thread that writes has failed"))??;
        }
        copied
    })?;
    // Another program may have made it meanwhile; a folder replaces only an empty one.
    fs::rename(making.path(), &to)?;
    let _ = making.keep();
    Ok(copied)
}

/// A segment that is to be written.
#[derive(Debug)]
struct Uncut {
    number: u64,
    begins: Nanos,
    opening: Vec<u8>,
    lines: Vec<u8>,
}

/// Cuts a take into segments.
fn cut<R: BufRead>(
    mut take: TakeReader<R>,
    rig: Rig,
    size: SegmentSize,
    segments: &SyncSender<Uncut>,
) -> io::Result<Copied> {
    let header = take.header.clone();
    let segment = |number, begins, opening| Uncut { number, begins, opening, lines: Vec::new() };
    let mut now = segment(0, header.begins, take.first_line().to_owned());
    let mut see = |line: &[u8], mut taken: Taken| -> io::Result<()> {
        if size.is_over(now.begins, now.lines.len() as u64, taken.time())
            && let Some((begins, opening)) = taken.opening(&header)
        {
            let next = segment(now.number + 1, begins, opening);
            hand_over(segments, mem::replace(&mut now, next))?;
        }
        now.lines.extend_from_slice(line);
        now.lines.push(b'\n');
        Ok(())
    };
    let (mut session, mut lines) = take.begin(rig, KEPT);
    while lines.take_in_and_show(&mut session, PIECE, &mut see)? {}
    let loaded = lines.finish(&mut session);
    let count = now.number + 1;
    hand_over(segments, now)?;
    Ok(Copied { segments: count, loaded })
}

/// Nobody takes it once all writers have failed, which they say themselves.
fn hand_over(segments: &SyncSender<Uncut>, segment: Uncut) -> io::Result<()> {
    segments.send(segment).map_err(|_| io::Error::other("the segments cannot be written"))
}

/// Writes segments until there are no more.
fn write_segments(queue: &Mutex<Receiver<Uncut>>, folder: &Path) -> io::Result<()> {
    let next = || queue.lock().unwrap_or_else(PoisonError::into_inner).recv();
    while let Ok(Uncut { number, begins, opening, lines }) = next() {
        let mut segment = SegmentWriter::begin(number, &opening)?;
        let mut file = File::create_new(folder.join(segment_name(begins)))?;
        segment.lines(&lines)?;
        file.write_all(&segment.finish()?)?;
    }
    Ok(())
}
