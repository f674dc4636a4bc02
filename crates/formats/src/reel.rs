//! Reels: recordings for days. A reel is a folder of segments, and a segment is a file in the
//! container format MCAP that holds lines of a take, with what was there when it begins: it
//! can be read alone, and all of them one after another are the take.
//!
//! `docs/reel-format.md` describes it for programs that want to read or write one.

mod copy;
mod fault;
mod folder;
mod part;
mod read;
mod write;

pub use copy::{Copied, SegmentSize, copy_to_reel};
pub use fault::ReelFault;
pub use folder::{Reel, Segment, segment_name};
pub use part::ReelText;
pub use write::{REEL_VERSION, SegmentWriter};

/// A larger record, or chunk, of a segment is damage.
pub const MAX_RECORD_BYTES: usize = 16 << 20;

/// More segments than a reel may have.
pub const MAX_SEGMENTS: usize = 1_000_000;

/// The name of the channel with what was there when a segment begins, as lines of a take.
const OPENING: &str = "opening";

/// The name of the channel with the lines of a take that are about no device.
const TAKE: &str = "take";

/// The name of the record that says which segment of a reel a file is.
const SEGMENT: &str = "segment";
