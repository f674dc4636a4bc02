//! Lines of a running program: what a take's lines say, while it happens.
//!
//! `docs/live-format.md` describes the format for programs that want to send. A
//! [`LineSplitter`] cuts what arrives into lines, and a [`LiveDecoder`] says what each of
//! them means. Both trust nobody: all that they keep is bounded, and a line that
//! cannot be read changes nothing.

mod decode;
mod fault;
mod greeting;
mod split;
mod value_line;

pub use decode::{FrameSaid, LiveDecoder, MAX_CONTROLS, MAX_DEVICES, MAX_VALUES, ReadOf, Said};
pub use fault::LiveFault;
pub use greeting::{Greeting, MAX_DELAY, PeerClock};
pub use split::{LineSplitter, Piece};

/// The version of the format that this program reads.
pub const VERSION: u32 = 1;

/// A sender may write so many labels, counted over every time it comes: they are kept as
/// long as the session.
pub const MAX_LABELS: u64 = 10_000;

/// A longer line is no line.
pub const MAX_LINE_BYTES: usize = 1 << 18;

#[cfg(test)]
mod tests;
