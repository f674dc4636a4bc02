//! What can be wrong with a line of a take.

use super::{MAX_LINE_BYTES, VERSION};
use gtrig_analysis::frames::{MAX_GAMES, MAX_NAMES};
use gtrig_core::{LAST_TIME, RosterError};
use std::io;

/// What is wrong with a line of a take, in a sentence for the person who wrote
/// it. Text of the take stands in it escaped.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum Fault {
    /// The file could not be read any further.
    #[error("cannot be read: {0}")]
    Unreadable(#[from] io::Error),
    /// There is not even a first line.
    #[error("the file is empty; a take begins with a header line")]
    Empty,
    /// The line has more than [`MAX_LINE_BYTES`].
    #[error("longer than {} MiB: no line of a take", MAX_LINE_BYTES >> 20)]
    TooLong,
    /// The first line is something else.
    #[error("no header of a take ({}); expected {{\"take\":{VERSION},…}}", reason(.0))]
    NoHeader(#[source] serde_json::Error),
    /// The first line is the greeting of a program that sends.
    #[error(
        "this is a program that sends, not a take: read it as pipe:PATH, or pipe:- for standard \
         input, or with --listen"
    )]
    Greeting,
    /// The take follows another version of the format.
    #[error("this take has version {0} of the format; this program reads version {VERSION}")]
    OtherVersion(u32),
    /// The line is no JSON, or a key has a value of another type.
    #[error("{}", reason(.0))]
    NoJson(#[source] serde_json::Error),
    /// A time lies after the last one that there is.
    #[error("`{key}` is {time} ns; a take ends before {} ns (30 days)", LAST_TIME.0)]
    TooLate {
        /// The key of the time.
        key: &'static str,
        /// What it says, in nanoseconds.
        time: u64,
    },
    /// A line does not say when.
    #[error("`t`, the time in nanoseconds, is missing")]
    NoTime,
    /// A line says no thing, or several at once.
    #[error(
        "not exactly one of `on`, `plug`, `unplug`, `deaf`, `heard`, `label`, `frame` and `ends`"
    )]
    NotOneSort,
    /// It is a line of a running program.
    #[error("`n` and `sync` stand in lines of a running program, not in a take")]
    Live,
    /// Something happens after the end.
    #[error("stands after the line with `ends`, where only labels may stand")]
    AfterTheEnd,
    /// A value without its control or its number.
    #[error("a value needs `c`, the control, and `v`, a whole number")]
    NoValue,
    /// The name of a mark is unknown.
    #[error("`mark` has {word:?}, not one of {known}")]
    UnknownMark {
        /// What the line says.
        word: String,
        /// The marks that there are.
        known: String,
    },
    /// The polls of a frame lie behind each other, or behind what it made of them.
    #[error("`polled` is when the frame polled, or when first and when last: not after `t`")]
    FrameTimes,
    /// What a frame read of a control that has no state.
    #[error("{device:?} has no state of {code:?} to be read: it counts since the last report")]
    NoState {
        /// The device, as the line names it.
        device: String,
        /// The control.
        code: String,
    },
    /// There is no room for one more game, or one more name of a value.
    #[error("a session has room for {MAX_GAMES} games and {MAX_NAMES} names of their values")]
    TooManyNames,
    /// The device is not there any more.
    #[error("device {0:?} was unplugged")]
    Unplugged(String),
    /// The device never was there.
    #[error("device {0:?} was never plugged in")]
    NeverPlugged(String),
    /// The device is there already.
    #[error("device {0:?} is plugged in already")]
    PluggedAlready(String),
    /// The device has no control of this name.
    #[error("device \"{}\" has no control {code:?}{}", .device.escape_debug(), hint(.nearest))]
    UnknownControl {
        /// The device, as the take names it.
        device: String,
        /// The control that it is said to have.
        code: String,
        /// The control that may have been meant.
        nearest: Option<String>,
    },
    /// The kind of a device is unknown.
    #[error("`kind` of a device is {word:?}, not one of {known}")]
    UnknownDeviceKind {
        /// What the line says.
        word: String,
        /// The kinds that there are.
        known: String,
    },
    /// A device without the list of its controls.
    #[error("`controls` is missing")]
    NoControls,
    /// A device with two controls of one name.
    #[error("the control \"{0}\" is listed twice")]
    ControlTwice(String),
    /// A control whose name cannot be one.
    #[error("the control name {0:?} is not 1 to 40 letters, digits, dots, dashes or underscores")]
    BadCode(String),
    /// A control that is described wrongly.
    #[error("control \"{code}\": {fault}")]
    Control {
        /// Its name.
        code: String,
        /// What is wrong with it.
        #[source]
        fault: ControlFault,
    },
    /// The device cannot be taken in.
    #[error(transparent)]
    Roster(#[from] RosterError),
}

/// What is wrong with a control of a device.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ControlFault {
    /// A number that its kind needs.
    #[error("`{0}` is missing")]
    Missing(&'static str),
    /// The range has its ends the wrong way round.
    #[error("`min` {min} is above `max` {max}")]
    Inverted {
        /// The lower end, as the line says.
        min: i32,
        /// The upper end, as the line says.
        max: i32,
    },
    /// The centre lies outside of the range.
    #[error("`centre` {centre} is not between {min} and {max}")]
    CentreOutside {
        /// The centre.
        centre: i32,
        /// The lower end.
        min: i32,
        /// The upper end.
        max: i32,
    },
    /// It does not say all of its place in a report.
    #[error("`report`, `bit` and `width` (1 to 32) go together")]
    NoBits,
    /// The kind of a control is unknown.
    #[error("`kind` is {0:?}, not button, axis, trigger, position or relative")]
    UnknownKind(String),
}

/// serde_json's message without its own account of the place.
fn reason(error: &serde_json::Error) -> String {
    let text = error.to_string();
    let end = text.rfind(" at line ").unwrap_or(text.len());
    text[..end].chars().flat_map(char::escape_debug).collect()
}

fn hint(nearest: &Option<String>) -> String {
    nearest.as_ref().map_or(String::new(), |near| format!(" (did you mean \"{near}\"?)"))
}
