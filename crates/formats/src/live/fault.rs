//! What can be wrong with a line of a running program.

use super::{
    MAX_CONTROLS, MAX_DELAY, MAX_DEVICES, MAX_LABELS, MAX_LINE_BYTES, MAX_VALUES, VERSION,
};
use crate::take::Fault;

/// What is wrong, in a sentence for the person who wrote the sender.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum LiveFault {
    /// The first line is something else.
    #[error(
        "no greeting ({0}); expected {{\"live\":{VERSION},\"name\":…}} or the header of a take"
    )]
    NoGreeting(#[source] serde_json::Error),
    /// The sender follows another version of the format.
    #[error("version {0} of the live format; this program reads version {VERSION}")]
    OtherVersion(u32),
    /// Its name cannot be one.
    #[error("the name {0:?} is not 1 to 40 letters, digits, dots, dashes or underscores")]
    BadName(String),
    /// The word for its clock is unknown.
    #[error("`clock` is {0:?}, neither \"monotonic\" nor \"own\"")]
    UnknownClock(String),
    /// The monotonic clock of which machine?
    #[error("`clock` \"monotonic\" needs `boot`, the text of /proc/sys/kernel/random/boot_id")]
    NoBoot,
    /// It holds its lines back for too long.
    #[error("`delay` is {0} ns; at most {most} ns", most = MAX_DELAY.0)]
    LongDelay(u64),
    /// The line has more than [`MAX_LINE_BYTES`].
    #[error("longer than {} KiB", MAX_LINE_BYTES >> 10)]
    TooLong,
    /// The time lies beyond all clocks.
    #[error("`t` is {0} ns; at most 2^62 - 1")]
    TooLate(u64),
    /// More devices than a sender may have.
    #[error("a sender has at most {MAX_DEVICES} devices, counted as long as it is listened to")]
    TooManyDevices,
    /// More controls than a sender may have.
    #[error("a sender has at most {MAX_CONTROLS} controls over all its devices")]
    TooManyControls,
    /// More labels than a sender may write.
    #[error("a sender writes at most {MAX_LABELS} labels, counted over every time it comes")]
    TooManyLabels,
    /// A label without a text, which in a take takes others back.
    #[error("a label has no text")]
    EmptyLabel,
    /// More names for values than a game may have.
    #[error("a game has at most {MAX_VALUES} names for its values")]
    TooManyValues,
    /// What is wrong with a line that a take may have too.
    #[error(transparent)]
    Line(#[from] Fault),
}
