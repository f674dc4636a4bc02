//! What a source reports: one control took one value at one instant.

use crate::base::{ControlId, Nanos};
use bitflags::bitflags;

/// A time-stamped change reported by a source. Sixteen bytes, so that ten
/// minutes of busy devices fit in memory.
///
/// A report of several controls at once is several events with one time. They count in the order
/// in which they come: a press and a release with one time are a tap, and the other way round a
/// new press.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Event {
    /// When the source says it happened.
    pub time: Nanos,
    /// The value as reported: 0 or 1 for a button, device units for an axis,
    /// a count for a relative control.
    pub value: i32,
    /// The control, as numbered by the session's [`Roster`](crate::Roster).
    pub control: ControlId,
    /// What is special about this report.
    pub marks: Marks,
}

impl Event {
    /// An event without marks.
    pub const fn new(time: Nanos, control: ControlId, value: i32) -> Self {
        Event { time, value, control, marks: Marks::empty() }
    }
}

bitflags! {
    /// What is special about an event.
    ///
    /// An event may have several of them.
    #[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
    pub struct Marks: u8 {
        /// Auto-repeat of a held key: no edge.
        const REPEAT = 1;
        /// The source cannot report this change and concluded it from silence.
        const INFERRED = 2;
        /// It arrived after the tick that should have seen it, and was moved
        /// to just after that tick.
        const LATE = 4;
        /// A state carried over from before the recording begins: no edge.
        const CARRIED = 8;
        /// The source lost events and asked for the state again: what happened
        /// in between is not known.
        const RESYNCED = 16;
        /// Its device had reported something later before it.
        const DISORDERED = 32;
        /// A touch that its panel took back: it was the flat of a hand.
        const CANCELLED = 64;
    }
}

impl Marks {
    /// The marks and the words that files use for them, in file order.
    ///
    /// ```
    /// use gtrig_core::Marks;
    ///
    /// let marks = Marks::INFERRED | Marks::LATE;
    /// let words = Marks::WORDS.iter().filter(|(mark, _)| marks.contains(*mark));
    /// assert!(words.map(|(_, word)| *word).eq(["inferred", "late"]));
    /// ```
    pub const WORDS: [(Marks, &'static str); 7] = [
        (Marks::REPEAT, "repeat"),
        (Marks::INFERRED, "inferred"),
        (Marks::LATE, "late"),
        (Marks::CARRIED, "carried"),
        (Marks::RESYNCED, "resynced"),
        (Marks::DISORDERED, "disordered"),
        (Marks::CANCELLED, "cancelled"),
    ];
}

const _: () = assert!(size_of::<Event>() == 16);
