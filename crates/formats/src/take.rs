//! Takes: recordings of raw events, as JSON Lines.
//!
//! `docs/take-format.md` describes the format for programs that want to write
//! one; the line types in `line.rs` are the format itself.

mod ahead;
mod fault;
mod labels;
mod line;
mod lines;
mod loader;
mod read;
mod value_line;
mod write;

pub use fault::{ControlFault, Fault};
pub use read::{Damage, Header, Intake, Loaded, TakeLines, TakeReader, TakeRest, Taken};
pub use write::{TakeWriter, write};

#[cfg(test)]
pub(crate) use value_line::tests::{changed, changes};

#[cfg(feature = "reel")]
pub(crate) use line::LineOf;
pub(crate) use line::{HeaderLine, Line, Text, marks, marks_text};
pub(crate) use value_line::{NamedValue, last_number, names, number};

/// The version of the format that this program reads and writes.
pub const VERSION: u32 = 1;

/// A longer line is damage: it is no line of a take.
pub const MAX_LINE_BYTES: usize = 1 << 20;

#[cfg(test)]
mod tests;
