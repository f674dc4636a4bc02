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

/// All of them, in the order documents list them.
pub const ALL: [&Tunable; 3] = [&POLL_HZ, &DEAD_ZONE, &PRESS_AT];
