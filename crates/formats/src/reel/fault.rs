//! What can be wrong with a reel.

use mcap::McapError;
use std::io;

/// Why a reel, or a segment of it, cannot be read, or not further.
#[derive(Debug, thiserror::Error)]
pub enum ReelFault {
    /// It is not there, or may not be read.
    #[error("{0}")]
    Io(#[from] io::Error),
    /// A folder without segments.
    #[error("there is no segment in this folder; a segment is named like 0000012.500000000.mcap")]
    NoSegments,
    /// More files than a person ever looks through.
    #[error("there are more than 1 000 000 segments in this folder")]
    TooManySegments,
    /// It is a container, but holds no take.
    #[error("this MCAP file holds no take of version 1 (it has no segment record)")]
    NoTake,
    /// A later segment than the next one follows.
    #[error(
        "segment {expected} is missing, the next one here is {found}; what follows is opened \
         by itself, with --at"
    )]
    Missing {
        /// The number of the segment that should be here.
        expected: u64,
        /// The number of the one that is.
        found: u64,
    },
    /// Lines are missing between two chunks.
    #[error(
        "line {expected} is missing, the next one here is {found}; the segments that follow \
         are opened by themselves, with --at"
    )]
    MissingLines {
        /// The number of the line that should be here, from 0.
        expected: u32,
        /// The number of the one that is.
        found: u32,
    },
    /// A segment that others follow ends in the middle.
    #[error("the file was cut; what follows is opened by itself, with --at")]
    Cut,
    /// A record is damaged.
    #[error("{0}; what follows is opened by itself, with --at")]
    Damaged(McapError),
}

impl ReelFault {
    /// Of a file with this name.
    pub(super) fn of(self, name: &str) -> io::Error {
        io::Error::new(io::ErrorKind::InvalidData, format!("{name}: {self}"))
    }
}
