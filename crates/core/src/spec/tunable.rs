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

/// A shorthand for the many that belong to stages of shaping and to gestures.
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

/// What x reads at one end, at rest and at the other end.
pub const CALIBRATE_X: Tunable = of_stage(
    "calibrate-x",
    "raw",
    (i32::MIN as f64, i32::MAX as f64),
    (10.0, 0.0),
    "What x reads at one end, at rest and at the other end.",
);

/// What y reads at one end, at rest and at the other end.
pub const CALIBRATE_Y: Tunable = of_stage(
    "calibrate-y",
    "raw",
    (i32::MIN as f64, i32::MAX as f64),
    (10.0, 0.0),
    "What y reads at one end, at rest and at the other end.",
);

/// The counts of a pointer.
pub const COUNTS: Tunable = of_stage(
    "counts",
    "counts",
    (1.0, 100_000.0),
    (10.0, 400.0),
    "Counts of a pointer from rest to the rim.",
);

/// A rectangle on a touch surface.
pub const RECT: Tunable = of_stage(
    "rect",
    "of the surface",
    (0.0, 1.0),
    (0.01, 0.5),
    "Left, top, width and height of a zone.",
);

/// A circle on a touch surface.
pub const CIRCLE: Tunable = of_stage(
    "circle",
    "of the surface",
    (0.0, 1.0),
    (0.01, 0.5),
    "Centre of a zone, and its radius as a share of the width.",
);

/// `rect`, in units that are no shares.
pub const RECT_UNITS: Tunable = of_stage(
    "rect",
    "units",
    (-100_000.0, 100_000.0),
    (1.0, 100.0),
    "The same of a zone measured in mm, px, view or world.",
);

/// `circle`, in units that are no shares.
pub const CIRCLE_UNITS: Tunable = of_stage(
    "circle",
    "units",
    (-100_000.0, 100_000.0),
    (1.0, 100.0),
    "The same of a zone measured in mm, px, view or world.",
);

/// `camera`.
pub const CAMERA: Tunable = of_stage(
    "camera",
    "units",
    (-1_000_000.0, 1_000_000.0),
    (10.0, 0.0),
    "The place of the world in the middle of the view.",
);

/// `zoom`.
pub const ZOOM: Tunable = of_stage(
    "zoom",
    "px a unit",
    (0.01, 1000.0),
    (0.1, 1.0),
    "Pixels of the view to a unit of the world.",
);

/// `lift-ms`.
pub const LIFT_MS: Tunable = of_stage(
    "lift-ms",
    "ms",
    (10.0, 2000.0),
    (5.0, 250.0),
    "A tap: the longest time from landing to lifting.",
);

/// `hold-ms`.
pub const HOLD_MS: Tunable = of_stage(
    "hold-ms",
    "ms",
    (50.0, 5000.0),
    (10.0, 500.0),
    "A long press: the time that the finger must stay.",
);

/// `move-mm`.
pub const MOVE_MM: Tunable = of_stage(
    "move-mm",
    "mm",
    (0.1, 50.0),
    (0.1, 3.0),
    "A tap or a long press: how far the finger may get from where it landed.",
);

/// `gap-ms`.
pub const GAP_MS: Tunable = of_stage(
    "gap-ms",
    "ms",
    (10.0, 2000.0),
    (5.0, 250.0),
    "Several taps: the longest time from lifting to the next landing.",
);

/// `spread-mm`.
pub const SPREAD_MM: Tunable = of_stage(
    "spread-mm",
    "mm",
    (0.5, 200.0),
    (0.5, 10.0),
    "Several taps: how far a tap may land from the one before.",
);

/// `together-ms`.
pub const TOGETHER_MS: Tunable = of_stage(
    "together-ms",
    "ms",
    (1.0, 1000.0),
    (5.0, 120.0),
    "Several fingers: the longest time from the first landing to the last.",
);

/// `length-mm`.
pub const LENGTH_MM: Tunable = of_stage(
    "length-mm",
    "mm",
    (0.5, 500.0),
    (0.5, 15.0),
    "A swipe or a sign: how far from its start it must get; of a sign, how long its path must be.",
);

/// `time-ms`.
pub const TIME_MS: Tunable = of_stage(
    "time-ms",
    "ms",
    (20.0, 5000.0),
    (10.0, 500.0),
    "A swipe: the longest time from landing on.",
);

/// `speed-mm-s`.
pub const SPEED_MM_S: Tunable = of_stage(
    "speed-mm-s",
    "mm/s",
    (1.0, 5000.0),
    (5.0, 60.0),
    "A swipe: the least mean speed, its length over its time.",
);

/// `off-axis-deg`.
pub const OFF_AXIS_DEG: Tunable = of_stage(
    "off-axis-deg",
    "degrees",
    (0.5, 90.0),
    (0.5, 30.0),
    "A swipe: the angle by which it may leave its direction.",
);

/// `off-axis-mm`.
pub const OFF_AXIS_MM: Tunable = of_stage(
    "off-axis-mm",
    "mm",
    (0.1, 200.0),
    (0.1, 8.0),
    "A swipe: the distance by which its end may lie beside its direction.",
);

/// `straight`.
pub const STRAIGHT: Tunable = of_stage(
    "straight",
    "of the path",
    (0.05, 1.0),
    (0.01, 0.85),
    "A swipe: its length as a share of the path of the finger, 1 for a straight line.",
);

/// `edge-mm`.
pub const EDGE_MM: Tunable = of_stage(
    "edge-mm",
    "mm",
    (0.5, 100.0),
    (0.5, 6.0),
    "A swipe from an edge: how far from that edge it may begin.",
);

/// `slop-mm`.
pub const SLOP_MM: Tunable = of_stage(
    "slop-mm",
    "mm",
    (0.0, 50.0),
    (0.1, 2.0),
    "A drag or a pinch: how far the finger must get, or how much the distance of the two must change, to begin it.",
);

/// `slop-deg`.
pub const SLOP_DEG: Tunable = of_stage(
    "slop-deg",
    "degrees",
    (0.0, 90.0),
    (0.5, 6.0),
    "Rotating: how far the line through two fingers must turn to begin it.",
);

/// `catch-mm`.
pub const CATCH_MM: Tunable = of_stage(
    "catch-mm",
    "mm",
    (0.5, 200.0),
    (0.5, 15.0),
    "A fixed on-screen stick: how far from its centre a finger may land.",
);

/// `dead-mm`.
pub const DEAD_MM: Tunable = of_stage(
    "dead-mm",
    "mm",
    (0.0, 50.0),
    (0.1, 2.0),
    "Aiming: how far from the origin the finger must be to give a direction.",
);

/// `differs-deg`.
pub const DIFFERS_DEG: Tunable = of_stage(
    "differs-deg",
    "degrees",
    (1.0, 90.0),
    (0.5, 25.0),
    "A sign: how much it may differ from the nearest example, as an angle.",
);

/// `lead-deg`.
pub const LEAD_DEG: Tunable = of_stage(
    "lead-deg",
    "degrees",
    (0.0, 90.0),
    (0.5, 3.0),
    "A sign: by how much every other sign must differ more.",
);

/// `ring-mm`.
pub const RING_MM: Tunable = of_stage(
    "ring-mm",
    "mm",
    (1.0, 200.0),
    (0.5, 12.0),
    "An on-screen stick: from its centre to full deflection.",
);

/// `reach-mm`.
pub const REACH_MM: Tunable =
    of_stage("reach-mm", "mm", (1.0, 500.0), (1.0, 20.0), "A drag: the distance that gives 1.");

/// `reach-times`.
pub const REACH_TIMES: Tunable = of_stage(
    "reach-times",
    "times",
    (1.1, 10.0),
    (0.1, 2.0),
    "A pinch: how many times as far apart gives 1.",
);

/// `reach-deg`.
pub const REACH_DEG: Tunable = of_stage(
    "reach-deg",
    "degrees",
    (5.0, 360.0),
    (5.0, 90.0),
    "Rotating: the angle that gives 1.",
);

/// The full speed of a part of the yard's crane.
pub const SPEED: Tunable = of_stage(
    "speed",
    "units/s",
    (0.1, 720.0),
    (0.5, 10.0),
    "Full speed of a part of the crane, in degrees or metres a second.",
);

/// How fast a part of the crane gets faster.
pub const ACCELERATION: Tunable = of_stage(
    "acceleration",
    "units/s²",
    (0.1, 10_000.0),
    (0.5, 10.0),
    "What its speed gains in a second.",
);

/// How fast a part of the crane gets slower.
pub const BRAKING: Tunable = of_stage(
    "braking",
    "units/s²",
    (0.1, 10_000.0),
    (0.5, 20.0),
    "What its speed loses in a second.",
);

/// All of them, in the order documents list them.
pub const ALL: [&Tunable; 63] = [
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
    &CALIBRATE_X,
    &CALIBRATE_Y,
    &RECT,
    &CIRCLE,
    &RECT_UNITS,
    &CIRCLE_UNITS,
    &CAMERA,
    &ZOOM,
    &LIFT_MS,
    &HOLD_MS,
    &MOVE_MM,
    &GAP_MS,
    &SPREAD_MM,
    &TOGETHER_MS,
    &LENGTH_MM,
    &TIME_MS,
    &SPEED_MM_S,
    &OFF_AXIS_DEG,
    &OFF_AXIS_MM,
    &STRAIGHT,
    &EDGE_MM,
    &SLOP_MM,
    &SLOP_DEG,
    &CATCH_MM,
    &DEAD_MM,
    &DIFFERS_DEG,
    &LEAD_DEG,
    &RING_MM,
    &REACH_MM,
    &REACH_TIMES,
    &REACH_DEG,
    &AFTER,
    &WITHIN,
    &BUFFERED,
    &FOR,
    &IN,
    &ALL_WITHIN,
    &SPEED,
    &ACCELERATION,
    &BRAKING,
];

/// A time in the steps of a combo, in milliseconds.
const fn span(name: &'static str, min: f64, default: f64, meaning: &'static str) -> Tunable {
    Tunable { name, unit: "ms", min, max: 60_000.0, step: 5.0, default, meaning }
}

/// The same in ticks.
const fn ticks(of: &Tunable) -> Tunable {
    Tunable { unit: "ticks", max: 10_000.0, step: 1.0, min: 1.0, default: 1.0, ..*of }
}

/// The earliest moment of a step of a combo.
pub const AFTER: Tunable =
    span("after", 0.0, 0.0, "The earliest moment of a step after the one before it.");

/// The latest moment of a step of a combo.
pub const WITHIN: Tunable =
    span("within", 1.0, 500.0, "The latest moment of a step after the one before it.");

/// How early a press may come.
pub const BUFFERED: Tunable = span(
    "buffered",
    0.0,
    0.0,
    "How much earlier than its earliest moment a press may come, to count when that comes.",
);

/// How long a hold or a quiet lasts.
pub const FOR: Tunable =
    span("for", 1.0, 400.0, "How long something is held at least, or nothing is pressed.");

/// How long a chord or a tap takes.
pub const IN: Tunable = span(
    "in",
    1.0,
    50.0,
    "From the first press of a chord to the last, or from the press of a tap to its release, at most.",
);

/// From the first step of a combo to the last.
pub const ALL_WITHIN: Tunable =
    span("all-within", 1.0, 1000.0, "From the first step of a combo to the last, at most.");

/// [`AFTER`] in ticks.
pub const AFTER_TICKS: Tunable = ticks(&AFTER);

/// [`WITHIN`] in ticks.
pub const WITHIN_TICKS: Tunable = ticks(&WITHIN);

/// [`FOR`] in ticks.
pub const FOR_TICKS: Tunable = ticks(&FOR);

/// [`IN`] in ticks.
pub const IN_TICKS: Tunable = ticks(&IN);

/// [`ALL_WITHIN`] in ticks.
pub const ALL_WITHIN_TICKS: Tunable = ticks(&ALL_WITHIN);

/// How long a tap of a combo takes at most where it does not say it, in
/// milliseconds.
pub const TAP_MS: u64 = 200;
