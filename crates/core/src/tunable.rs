//! Every tunable number, declared once: screen, rig checker and documents
//! read it here.

/// A number a person may set, with all that is to be known about it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Tunable {
    /// Its key in a rig.
    pub name: &'static str,
    /// Its unit, as shown after the number.
    pub unit: &'static str,
    /// The smallest value allowed.
    pub min: f64,
    /// The largest value allowed.
    pub max: f64,
    /// One nudge.
    pub step: f64,
    /// The value of a rig that does not mention it.
    pub default: f64,
    /// What it does, in a sentence.
    pub meaning: &'static str,
}

impl Tunable {
    /// Whether `value` may be set (NaN may not).
    pub fn allows(&self, value: f64) -> bool {
        (self.min..=self.max).contains(&value)
    }
}

/// Polls per second.
pub const POLL_HZ: Tunable = Tunable {
    name: "poll-hz",
    unit: "Hz",
    min: 10.0,
    max: 1000.0,
    step: 1.0,
    default: 60.0,
    meaning: "How often the state of every device is polled.",
};

/// The radius, or for one axis the travel, below which a deflection counts as
/// rest.
pub const DEAD_ZONE: Tunable = Tunable {
    name: "dead-zone",
    unit: "of full travel",
    min: 0.0,
    max: 0.95,
    step: 0.01,
    default: 0.0,
    meaning: "Deflection that counts as rest; the rest of the travel is stretched so that output starts at 0 at its edge.",
};

/// The travel at which an axis or trigger counts as a pressed button.
pub const PRESS_AT: Tunable = Tunable {
    name: "press-at",
    unit: "of full travel",
    min: 0.01,
    max: 1.0,
    step: 0.01,
    default: 0.5,
    meaning: "Travel at which an axis or trigger used as a button counts as pressed.",
};

/// The travel below which a pressed axis or trigger counts as released again.
pub const RELEASE_AT: Tunable = Tunable {
    name: "release-at",
    unit: "of full travel",
    min: 0.0,
    max: 1.0,
    step: 0.01,
    default: 0.5,
    meaning: "Travel below which it counts as released again, not above `press-at`; the same as `press-at` when absent.",
};

/// How long a button is not believed after it moved.
pub const DEBOUNCE_MS: Tunable = Tunable {
    name: "debounce-ms",
    unit: "ms",
    min: 0.0,
    max: 100.0,
    step: 0.5,
    default: 0.0,
    meaning: "After a button moved, further movements this soon are chatter of its switch and do not count.",
};

/// How long a key may be held before it is suspected to be stuck.
pub const STUCK_AFTER_S: Tunable = Tunable {
    name: "stuck-after-s",
    unit: "s",
    min: 1.0,
    max: 3600.0,
    step: 1.0,
    default: 30.0,
    meaning: "A button held for longer is suspected to be stuck: its release may never have been reported.",
};

/// From which travel on moving an analogue control makes its device the one
/// used last.
pub const USE_AT: Tunable = Tunable {
    name: "use-at",
    unit: "of full travel",
    min: 0.05,
    max: 1.0,
    step: 0.05,
    default: 0.5,
    meaning: "Travel from which on a stick, lever or trigger makes its device the one used last: noise stays below it.",
};

/// From how many counts on a mouse is used.
pub const USE_COUNTS: Tunable = Tunable {
    name: "use-counts",
    unit: "counts",
    min: 1.0,
    max: 1000.0,
    step: 1.0,
    default: 4.0,
    meaning: "Counts in one report from which on a mouse or wheel is the device used last.",
};

/// All of them, in the order documents list them.
pub const ALL: [&Tunable; 8] = [
    &POLL_HZ,
    &DEAD_ZONE,
    &PRESS_AT,
    &RELEASE_AT,
    &DEBOUNCE_MS,
    &STUCK_AFTER_S,
    &USE_AT,
    &USE_COUNTS,
];
