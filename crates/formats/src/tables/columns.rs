//! Which tables there are, and their columns.

/// What a column holds; any cell may be empty.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Holds {
    /// Whole numbers of 64 bits.
    Whole,
    /// Numbers of 32 bits.
    Single,
    /// Numbers of 64 bits.
    Number,
    /// True or false.
    Flag,
    /// Text.
    Text,
}

/// A table: its name and its columns.
#[derive(Clone, Copy, Debug)]
pub struct TableSpec {
    /// The name of its file, without the ending.
    pub name: &'static str,
    /// What stands in it, for people.
    pub about: &'static str,
    /// Its columns, in their order.
    pub columns: &'static [(&'static str, Holds)],
}

use Holds::{Flag, Number, Single, Text, Whole};

/// All tables, in the order in which they are documented.
pub const TABLES: [TableSpec; 10] = [
    TableSpec {
        name: "take",
        about: "the recording itself, one row",
        columns: &[
            ("title", Text),
            ("rig", Text),
            ("poll_hz", Number),
            ("begins_ns", Whole),
            ("ends_ns", Whole),
        ],
    },
    TableSpec {
        name: "devices",
        about: "every device that was there",
        columns: &[
            ("device", Whole),
            ("address", Text),
            ("kind", Text),
            ("slot", Whole),
            ("name", Text),
            ("identity", Text),
            ("bus", Text),
        ],
    },
    TableSpec {
        name: "controls",
        about: "every control of them; the first of each says whether the device is there: 0 gone, 1 here, 2 deaf",
        columns: &[
            ("control", Whole),
            ("device", Whole),
            ("address", Text),
            ("code", Text),
            ("kind", Text),
            ("min", Whole),
            ("centre", Whole),
            ("max", Whole),
            ("resolution", Whole),
            ("flat", Whole),
            ("fuzz", Whole),
            ("report", Whole),
            ("bit", Whole),
            ("width", Whole),
        ],
    },
    TableSpec {
        name: "events",
        about: "every report, as its device made it, and the tick that saw it",
        columns: &[
            ("time_ns", Whole),
            ("tick", Whole),
            ("control", Whole),
            ("address", Text),
            ("value", Whole),
            ("share", Single),
            ("marks", Text),
        ],
    },
    TableSpec {
        name: "labels",
        about: "what people wrote",
        columns: &[("time_ns", Whole), ("text", Text)],
    },
    TableSpec {
        name: "ticks",
        about: "every tick in which something happened, with how many edges and changed actions",
        columns: &[("tick", Whole), ("time_ns", Whole), ("edges", Whole), ("actions", Whole)],
    },
    TableSpec {
        name: "edges",
        about: "every press and release that a tick saw, and every press that left no edge",
        columns: &[
            ("tick", Whole),
            ("time_ns", Whole),
            ("address", Text),
            ("edge", Text),
            ("marks", Text),
        ],
    },
    TableSpec {
        name: "actions",
        about: "every change of an action",
        columns: &[
            ("tick", Whole),
            ("time_ns", Whole),
            ("action", Text),
            ("x", Single),
            ("y", Single),
            ("by", Text),
            ("via", Text),
        ],
    },
    TableSpec {
        name: "gestures",
        about: "what every attempt at a gesture came to: a row for each of its limits, as `gtrig gestures --csv` has it",
        columns: &[
            ("line", Text),
            ("attempt", Whole),
            ("gesture", Text),
            ("kind", Text),
            ("outcome", Text),
            ("near", Flag),
            ("cancelled_by", Text),
            ("control", Text),
            ("fingers", Whole),
            ("from_ns", Whole),
            ("to_ns", Whole),
            ("tick", Whole),
            ("met_tick", Whole),
            ("fired_tick", Whole),
            ("waited_ms", Number),
            ("limit", Text),
            ("unit", Text),
            ("value", Number),
            ("asked", Number),
            ("margin", Number),
            ("alone", Flag),
            ("words", Text),
        ],
    },
    TableSpec {
        name: "combos",
        about: "the same of combos, as `gtrig combos --csv` has it",
        columns: &[
            ("line", Text),
            ("attempt", Whole),
            ("combo", Text),
            ("outcome", Text),
            ("from_ns", Whole),
            ("to_ns", Whole),
            ("fired_tick", Whole),
            ("waited_ms", Number),
            ("cancelled_by", Text),
            ("turned_around", Flag),
            ("device", Text),
            ("limit", Text),
            ("unit", Text),
            ("value", Number),
            ("asked", Number),
            ("margin", Number),
            ("alone", Flag),
            ("poll_hz", Number),
            ("words", Text),
        ],
    },
];
