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
    meaning: "Travel that a stick, lever or trigger must pass to make its device the one used last: noise stays below it.",
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

/// A shorthand for the many that belong to stages of shaping.
const fn of_stage(
    name: &'static str,
    unit: &'static str,
    (min, max): (f64, f64),
    (step, default): (f64, f64),
    meaning: &'static str,
) -> Tunable {
    Tunable { name, unit, min, max, step, default, meaning }
}

/// Where the rim begins.
pub const OUTER: Tunable = of_stage(
    "outer",
    "of full travel",
    (0.05, 1.0),
    (0.01, 1.0),
    "Deflection from which on output is full; above the dead zone.",
);

/// How much a sloped dead zone widens.
pub const SLOPE: Tunable = of_stage(
    "slope",
    "per unit",
    (0.0, 0.9),
    (0.01, 0.1),
    "By how much a sloped dead zone widens with the deflection of the other axis.",
);

/// The exponent of a power curve.
pub const EXPONENT: Tunable = of_stage(
    "exponent",
    "",
    (0.2, 5.0),
    (0.05, 1.5),
    "Exponent of a power curve; above 1 finer around rest.",
);

/// The cubic part of a blended curve.
pub const CUBIC: Tunable = of_stage(
    "cubic",
    "",
    (0.0, 1.0),
    (0.05, 0.5),
    "Cubic part of a blended curve; the rest is linear.",
);

/// The steepness of an S-shaped curve.
pub const STEEPNESS: Tunable = of_stage(
    "steepness",
    "",
    (1.0, 5.0),
    (0.1, 2.0),
    "Steepness of an S-shaped curve in its middle.",
);

/// The sensitivity.
pub const SENSITIVITY: Tunable = of_stage(
    "sensitivity",
    "times",
    (0.05, 5.0),
    (0.05, 1.0),
    "Factor of the output, which stays in the unit circle.",
);

/// The half-life of a smoothing.
pub const HALF_LIFE_MS: Tunable = of_stage(
    "half-life-ms",
    "ms",
    (0.1, 1000.0),
    (1.0, 20.0),
    "Time in which smoothing makes up half of a step.",
);

/// The cut-off of an adaptive smoothing at rest.
pub const STEADY_HZ: Tunable = of_stage(
    "steady-hz",
    "Hz",
    (0.05, 60.0),
    (0.1, 1.0),
    "Cut-off of adaptive smoothing while the hand rests; lower is calmer.",
);

/// How the cut-off of an adaptive smoothing follows the speed.
pub const FOLLOW: Tunable = of_stage(
    "follow",
    "Hz per unit a second",
    (0.0, 50.0),
    (0.1, 2.0),
    "By how much that cut-off rises with speed; higher lags less.",
);

/// The turn limit.
pub const TURN_LIMIT: Tunable = of_stage(
    "turn-limit",
    "degrees a second",
    (1.0, 7200.0),
    (10.0, 720.0),
    "How fast the direction may turn.",
);

/// The hysteresis of directions.
pub const HYSTERESIS: Tunable = of_stage(
    "hysteresis",
    "degrees",
    (0.0, 20.0),
    (0.5, 5.0),
    "How far beyond its sector a direction is kept.",
);

/// The threshold of facing.
pub const FACING: Tunable = of_stage(
    "facing",
    "of full travel",
    (0.0, 1.0),
    (0.01, 0.2),
    "Deflection from which on a side is taken.",
);

/// An offset.
pub const OFFSET: Tunable =
    of_stage("offset", "of full travel", (-2.0, 2.0), (0.01, 0.0), "Added to an axis.");

/// A scale.
pub const SCALE: Tunable =
    of_stage("scale", "times", (-10.0, 10.0), (0.01, 1.0), "Factor of an axis.");

/// The counts of a pointer.
pub const COUNTS: Tunable = of_stage(
    "counts",
    "counts",
    (1.0, 100_000.0),
    (10.0, 400.0),
    "Counts of a pointer from rest to the rim.",
);

/// All of them, in the order documents list them.
pub const ALL: [&Tunable; 23] = [
    &POLL_HZ,
    &DEAD_ZONE,
    &PRESS_AT,
    &RELEASE_AT,
    &DEBOUNCE_MS,
    &STUCK_AFTER_S,
    &USE_AT,
    &USE_COUNTS,
    &OUTER,
    &SLOPE,
    &EXPONENT,
    &CUBIC,
    &STEEPNESS,
    &SENSITIVITY,
    &HALF_LIFE_MS,
    &STEADY_HZ,
    &FOLLOW,
    &TURN_LIMIT,
    &HYSTERESIS,
    &FACING,
    &OFFSET,
    &SCALE,
    &COUNTS,
];
