//! The stages of shapes.
//!
//! Deflections are in full travel: 1 is the end of an axis and the rim of a stick. Which formula a
//! number goes into says the stage that has it; see [`Stage`](crate::Stage).

use super::Tunable;

/// The radius, or for one axis the travel, below which a deflection counts as
/// rest.
///
/// [`DeadZone::inner`](crate::DeadZone). It should be above what a measurement of a resting stick
/// finds, and not much above.
pub const DEAD_ZONE: Tunable = Tunable::new(
    "dead-zone",
    "of full travel",
    (0.0, 0.95),
    (0.01, 0.0),
    "Deflection that counts as rest; the rest of the travel is stretched so that output starts at 0 at its edge.",
);

/// Where the rim begins.
///
/// [`DeadZone::outer`](crate::DeadZone): a worn stick that gets no further than 0.96 is full there.
pub const OUTER: Tunable = Tunable::new(
    "outer",
    "of full travel",
    (0.05, 1.0),
    (0.01, 1.0),
    "Deflection from which on output is full; above the dead zone.",
);

/// How much a sloped dead zone widens.
///
/// [`DeadZone::slope`](crate::DeadZone).
pub const SLOPE: Tunable = Tunable::new(
    "slope",
    "per unit",
    (0.0, 0.9),
    (0.01, 0.1),
    "By how much a sloped dead zone widens with the deflection of the other axis.",
);

/// The exponent of a power curve.
///
/// `n` of `m^n`; see [`Curve::Power`](crate::Curve::Power).
pub const EXPONENT: Tunable = Tunable::new(
    "exponent",
    "",
    (0.2, 5.0),
    (0.05, 1.5),
    "Exponent of a power curve; above 1 finer around rest.",
);

/// The cubic part of a blended curve.
///
/// `b` of `(1 - b) m + b m^3`; see [`Curve::Blend`](crate::Curve::Blend).
pub const CUBIC: Tunable = Tunable::new(
    "cubic",
    "",
    (0.0, 1.0),
    (0.05, 0.5),
    "Cubic part of a blended curve; the rest is linear.",
);

/// The steepness of an S-shaped curve.
///
/// `k` of `m^k / (m^k + (1 - m)^k)`; see [`Curve::S`](crate::Curve::S).
pub const STEEPNESS: Tunable = Tunable::new(
    "steepness",
    "",
    (1.0, 5.0),
    (0.1, 2.0),
    "Steepness of an S-shaped curve in its middle.",
);

/// The sensitivity.
pub const SENSITIVITY: Tunable = Tunable::new(
    "sensitivity",
    "times",
    (0.05, 5.0),
    (0.05, 1.0),
    "Factor of the output, which stays in the unit circle.",
);

/// The half-life of a smoothing.
///
/// After four of them 94 % of a step is made up; a moving hand is followed late by 1.44 of them.
pub const HALF_LIFE_MS: Tunable = Tunable::new(
    "half-life-ms",
    "ms",
    (0.1, 1000.0),
    (1.0, 20.0),
    "Time in which smoothing makes up half of a step.",
);

/// The cut-off of an adaptive smoothing at rest.
///
/// The minimum cut-off of the 1 EUR filter; see [`Smooth::Adaptive`](crate::Smooth::Adaptive).
pub const STEADY_HZ: Tunable = Tunable::new(
    "steady-hz",
    "Hz",
    (0.05, 60.0),
    (0.1, 1.0),
    "Cut-off of adaptive smoothing while the hand rests; lower is calmer.",
);

/// How the cut-off of an adaptive smoothing follows the speed.
///
/// The `beta` of the 1 EUR filter, for deflections in full travel.
pub const FOLLOW: Tunable = Tunable::new(
    "follow",
    "Hz per unit a second",
    (0.0, 50.0),
    (0.1, 2.0),
    "By how much that cut-off rises with speed; higher lags less.",
);

/// The turn limit.
///
/// The default turns round once in half a second.
pub const TURN_LIMIT: Tunable = Tunable::new(
    "turn-limit",
    "degrees a second",
    (1.0, 7200.0),
    (10.0, 720.0),
    "How fast the direction may turn.",
);

/// The hysteresis of directions.
///
/// 0 lets a stick on a border flicker between two directions.
pub const HYSTERESIS: Tunable = Tunable::new(
    "hysteresis",
    "degrees",
    (0.0, 20.0),
    (0.5, 5.0),
    "How far beyond its sector a direction is kept.",
);

/// The threshold of facing.
///
/// A stick that springs back past its middle by less than this does not turn the side round.
pub const FACING: Tunable = Tunable::new(
    "facing",
    "of full travel",
    (0.0, 1.0),
    (0.01, 0.2),
    "Deflection from which on a side is taken.",
);

/// `points`.
///
/// Two numbers for each; see [`CurvePoints`](crate::CurvePoints).
pub const POINTS: Tunable = Tunable::new(
    "points",
    "of full travel",
    (0.0, 1.0),
    (0.01, 0.5),
    "A point of a curve: a deflection, and what becomes of it.",
);

/// An offset.
///
/// It adds to what the stages before it came to.
pub const OFFSET: Tunable =
    Tunable::new("offset", "of full travel", (-2.0, 2.0), (0.01, 0.0), "Added to an axis.");

/// A scale.
///
/// A negative one turns the axis over.
pub const SCALE: Tunable =
    Tunable::new("scale", "times", (-10.0, 10.0), (0.01, 1.0), "Factor of an axis.");

/// What x reads at one end, at rest and at the other end.
///
/// Three numbers, which rise: [`Travel`](crate::Travel).
pub const CALIBRATE_X: Tunable = Tunable::new(
    "calibrate-x",
    "raw",
    (i32::MIN as f64, i32::MAX as f64),
    (10.0, 0.0),
    "What x reads at one end, at rest and at the other end.",
);

/// What y reads at one end, at rest and at the other end.
pub const CALIBRATE_Y: Tunable = Tunable::new(
    "calibrate-y",
    "raw",
    (i32::MIN as f64, i32::MAX as f64),
    (10.0, 0.0),
    "What y reads at one end, at rest and at the other end.",
);

/// The counts of a pointer.
///
/// Fewer make a faster pointer.
pub const COUNTS: Tunable = Tunable::new(
    "counts",
    "counts",
    (1.0, 100_000.0),
    (10.0, 400.0),
    "Counts of a pointer from rest to the rim.",
);
