//! What happened to a control in a tick besides the change of its value.

use crate::device::Marks;
use bitflags::bitflags;

bitflags! {
    /// What happened in a tick besides the change of value.
    ///
    /// Marks of a control are set anew at each poll; those of a gesture are made by whoever draws
    /// its lane.
    #[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
    pub struct LaneMarks: u16 {
        /// At least one press left no press edge.
        const LOST = 1;
        /// A latch showed a transition that the state alone would have hidden.
        const CAUGHT = 2;
        /// The source concluded the change from silence.
        const INFERRED = 4;
        /// Released because the device went away or could no longer be heard.
        const SYNTHETIC = 8;
        /// An event came after the tick that should have seen it.
        const LATE = 16;
        /// The source had lost events and asked for the state again.
        const RESYNCED = 32;
        /// A debounce took out movements that came too soon.
        const CHATTER = 64;
        /// Auto-repeat counted as a press, as the rig has it.
        const REPEATED = 128;
        /// A gesture missed by little.
        const NEAR = 256;
        /// A gesture was ended by another one, or a touch taken back by its panel.
        const CANCELLED = 512;
    }
}

impl LaneMarks {
    /// The marks and the words that reports use for them, in report order.
    pub const WORDS: [(LaneMarks, &'static str); 10] = [
        (LaneMarks::LOST, "lost"),
        (LaneMarks::CAUGHT, "caught"),
        (LaneMarks::INFERRED, "inferred"),
        (LaneMarks::SYNTHETIC, "synthetic"),
        (LaneMarks::LATE, "late"),
        (LaneMarks::RESYNCED, "resynced"),
        (LaneMarks::CHATTER, "chatter"),
        (LaneMarks::REPEATED, "repeated"),
        (LaneMarks::NEAR, "near"),
        (LaneMarks::CANCELLED, "cancelled"),
    ];

    /// The marks that an event's own marks leave on its lane.
    pub(crate) fn of(event: Marks) -> Self {
        let mut marks = LaneMarks::empty();
        marks.set(LaneMarks::INFERRED, event.contains(Marks::INFERRED));
        marks.set(LaneMarks::LATE, event.contains(Marks::LATE));
        marks.set(LaneMarks::RESYNCED, event.contains(Marks::RESYNCED));
        marks.set(LaneMarks::CANCELLED, event.contains(Marks::CANCELLED));
        marks
    }
}
